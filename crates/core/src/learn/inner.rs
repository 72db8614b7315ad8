//! Games of which a launcher says only what lies in them: a program, a folder of data.
//!
//! Law: a folder is a game's where others lie beside it, each with a program; how deep a path goes says nothing. Start at
//! [`folders_around`].

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use super::list::{GameList, are_libraries, is_playable};
use super::seen::{Seen, SeenFile, may_be_a_game};
use crate::platform::Drive;
use crate::platform::in_template;
use crate::site::Site;

/// Folders in which games lie, each in one of its own.
pub(super) struct GameFolders(BTreeSet<PathBuf>);

/// The folders in which the games lie that a launcher's files lead into; `None` if there are none.
pub(super) fn folders_around(site: &Site, files: &[&SeenFile]) -> Option<GameFolders> {
    let seen = files.iter().flat_map(|file| file.seen.iter().filter(|seen| !seen.by_name).chain(&file.others));
    let paths: BTreeSet<&Path> = seen.map(|seen| seen.dir.as_path()).collect();
    let mut found = BTreeSet::new();
    let paths: Vec<&Path> = paths.into_iter().collect();
    let tops: BTreeSet<&Path> = paths.iter().filter_map(|path| path.ancestors().last()).collect();
    for top in tops {
        let below: Vec<&Path> = paths.iter().copied().filter(|path| path.starts_with(top)).collect();
        part(site, top, &below, &mut found);
    }
    // A drive with one game so far has it in a folder of the same name.
    let named: BTreeSet<PathBuf> = found.iter().flat_map(|folder| on_other_drives(site, folder)).collect();
    found.extend(named.into_iter().filter(|folder| paths.iter().any(|path| path.starts_with(folder))));
    (!found.is_empty()).then_some(GameFolders(found))
}

/// Looks from a folder down for the first in which the paths part into several games.
fn part(site: &Site, folder: &Path, paths: &[&Path], found: &mut BTreeSet<PathBuf>) {
    let mut below: BTreeMap<PathBuf, Vec<&Path>> = BTreeMap::new();
    for path in paths {
        let first = path.strip_prefix(folder).ok().and_then(|rest| rest.components().next());
        if let Some(first) = first {
            below.entry(folder.join(first)).or_default().push(path);
        }
    }
    let games: Vec<&Path> = below.keys().map(PathBuf::as_path).filter(|dir| is_a_game(site, dir)).collect();
    // What lies in the person's own folder may be anything.
    let own = folder == site.places.home;
    if !own && games.len() > 1 && games.len() * 2 > below.len() && !are_libraries(games.iter().copied()) {
        found.insert(folder.into());
        return;
    }
    for (inner, paths) in below {
        let deeper: Vec<&Path> = paths.into_iter().filter(|path| *path != inner).collect();
        if !deeper.is_empty() {
            part(site, &inner, &deeper, found);
        }
    }
}

fn is_a_game(site: &Site, dir: &Path) -> bool {
    may_be_a_game(site, dir) && is_playable(dir)
}

/// The tops of drives, and where a folder is on its own, the same on each of the others.
fn on_other_drives<'a>(site: &'a Site, folder: &'a Path) -> impl Iterator<Item = PathBuf> + 'a {
    let tops: Vec<&Path> = site.drives.iter().map(|drive| site.top_of(drive)).collect();
    let rest = tops.iter().filter_map(|top| folder.strip_prefix(top).ok()).min_by_key(|rest| rest.components().count());
    tops.into_iter().filter_map(move |top| Some(top.join(rest?))).filter(move |other| other != folder)
}

impl GameFolders {
    /// The game's folder on the way to a path.
    fn game_around(&self, path: &Path) -> Option<PathBuf> {
        let folder =
            self.0.iter().filter(|folder| path.starts_with(folder)).max_by_key(|one| one.components().count())?;
        let first = path.strip_prefix(folder).ok()?.components().next()?;
        Some(folder.join(first))
    }

    /// A file with its texts as such that lead to the games themselves.
    pub fn leading_to_games(&self, file: &SeenFile) -> SeenFile {
        let all = file.seen.iter().filter(|seen| !seen.by_name).chain(&file.others);
        let lead = |seen: &Seen| Some(Seen { dir: self.game_around(&seen.dir)?, ..seen.clone() });
        let seen = all.filter_map(lead).collect();
        SeenFile { file: file.file.clone(), shape: file.shape, seen, others: Vec::new() }
    }

    /// The folders of the games of a list as templates: the same below the top of each drive first.
    pub fn templates(&self, site: &Site, list: &GameList) -> Vec<String> {
        let used = self.0.iter().filter(|folder| list.dirs().any(|dir| dir.parent() == Some(folder)));
        let template = |folder: &PathBuf| -> Vec<String> {
            let rest = |drive: &Drive| folder.strip_prefix(site.top_of(drive)).ok().map(Path::to_path_buf);
            let rest = site.drives.iter().filter_map(rest).min_by_key(|rest| rest.components().count());
            match rest {
                Some(rest) if rest.as_os_str().is_empty() => vec!["{drive}".into()],
                Some(rest) => vec![format!("{{drive}}/{}", in_template(&rest))],
                // What lies on the system's drive outside of the person's home goes to a folder of that name elsewhere.
                None => {
                    let name = folder.file_name().unwrap_or_default().to_string_lossy();
                    vec![format!("{{drive}}/{name}"), in_template(folder)]
                }
            }
        };
        let mut all: Vec<String> = used.flat_map(template).collect();
        let mut met = BTreeSet::new();
        all.retain(|one| met.insert(one.clone()));
        all
    }
}
