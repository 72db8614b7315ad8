//! Whether a learned profile is sound: it finds every game, covers every place that leads to one, no place is two games', and moves can be
//! rehearsed.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use super::in_libraries::is_a_library;
use super::learned::{Doubt, LearnedGame, LearnedLauncher};
use super::list::GameList;
use super::rehearsal::rehearsed;
use crate::launcher::{FoundGame, FoundLauncher, Profile, read_launchers};
use crate::record::{Side, Within};
use crate::site::{Site, real_path};
use crate::trace::{Find, Sure, uncovered, whole_place, without_covered};

/// Moves that are rehearsed at most.
const REHEARSED: usize = 24;

/// Why the profile of a launcher is not sound; counts what was looked at.
pub(super) fn unsound(
    site: &Site,
    list: &GameList,
    finds: &[(PathBuf, Vec<Find>)],
    launcher: &mut LearnedLauncher,
) -> Option<Doubt> {
    let file = site.profile_folder().join(format!("{}.toml", launcher.id));
    // Nothing of an entry may say for sure where its game lies.
    let Ok(profile) = Profile::parse(&launcher.profile, &file) else {
        return Some(Doubt::NoPlace(list.file().into()));
    };
    let Some(found) = read_launchers(site, std::slice::from_ref(&profile)).pop() else {
        return Some(Doubt::NotFound(launcher.home.clone()));
    };
    let game = |game: &FoundGame| LearnedGame { title: game.title.clone(), install: game.install.clone() };
    launcher.games = found.games.iter().filter(|game| game.fault.is_none()).map(game).collect();
    if let Some(problem) = found.problems.first() {
        return Some(Doubt::Unreadable { file: problem.file.clone(), what: problem.what.clone() });
    }
    let by_dir: BTreeMap<PathBuf, &FoundGame> =
        found.games.iter().filter(|game| game.fault.is_none()).map(|game| (real_path(&game.install), game)).collect();
    if let Some(dir) = list.dirs().find(|dir| !by_dir.contains_key(&real_path(dir))) {
        return Some(Doubt::NotFound(dir.into()));
    }
    if let Some(doubt) = shared_record(&by_dir) {
        return Some(doubt);
    }
    launcher.covered = 0;
    for (dir, finds) in finds {
        let Some(game) = by_dir.get(&real_path(dir)) else { continue };
        if let Some(doubt) = stays_beside(site, &found, game, finds) {
            return Some(doubt);
        }
        match missed(game, &launcher.home, finds) {
            Ok(covered) => launcher.covered += covered,
            Err(doubt) => return Some(doubt),
        }
    }
    launcher.rehearsed = 0;
    for game in by_dir.values().take(REHEARSED) {
        if let Some(doubt) = rehearsed(site, &found, game) {
            return Some(doubt);
        }
        launcher.rehearsed += 1;
    }
    None
}

/// A place that would be rewritten for two games, or that does not say what it should.
fn shared_record(by_dir: &BTreeMap<PathBuf, &FoundGame>) -> Option<Doubt> {
    let mut owners: BTreeMap<(&Path, String, Vec<&str>, Side, usize), &Path> = BTreeMap::new();
    for game in by_dir.values() {
        for record in &game.records {
            let (title, file) = (game.title.clone(), record.file.clone());
            if !record.sound {
                return Some(Doubt::Missed { title, file, location: record.location.clone() });
            }
            let inside = record.inside.iter().map(|hop| hop.location.as_str()).collect();
            let part = record.whole.as_ref().map_or(0, |(_, at)| *at);
            let list = record.within != Within::Value && record.within != Within::Text;
            let key = (record.file.as_path(), whole_place(game, record), inside, record.side, part);
            // Several games may have their part in one list.
            if !list && owners.insert(key, &game.install).is_some_and(|owner| owner != game.install) {
                return Some(Doubt::Foreign { title, file });
            }
        }
    }
    None
}

/// A file that lies with the games, names this one, and would not go with it: the other library would not know the game.
fn stays_beside(site: &Site, found: &FoundLauncher, game: &FoundGame, finds: &[Find]) -> Option<Doubt> {
    let library = game.library.as_deref().or(game.install.parent()).filter(|folder| is_a_library(site, folder))?;
    let goes = |file: &Path| game.entry.travels && file == game.entry.file;
    let in_a_game = |file: &Path| found.games.iter().any(|other| file.starts_with(&other.install));
    let was = |find: &Find| matches!(find.sure, Sure::Log | Sure::Backup | Sure::Cache);
    let beside =
        finds.iter().filter(|find| !was(find)).map(|find| find.record.file.as_path()).find(|file| {
            file.starts_with(library) && !file.starts_with(&found.home) && !in_a_game(file) && !goes(file)
        });
    beside.map(|_| Doubt::Beside)
}

/// Places that lead to the game and that the profile covers, or the first that it does not.
fn missed(game: &FoundGame, home: &Path, finds: &[Find]) -> Result<usize, Doubt> {
    // Entries of menus are looked after for every launcher.
    let of_menus = |find: &&Find| find.record.shape.to_string() == "desktop";
    // What another launcher keeps is no reason against this one.
    let beside = |file: &Path| game.records.iter().any(|record| record.file.parent() == file.parent());
    let own = |file: &Path| file.starts_with(home) || beside(file);
    if let Some(find) = finds.iter().find(|find| find.sure == Sure::Checksum && own(&find.record.file)) {
        return Err(Doubt::Checksum(find.record.file.clone()));
    }
    let blind = |find: &&Find| find.sure == Sure::Unreadable && find.record.file.starts_with(home);
    if let Some(find) = without_covered(game, finds.iter().filter(blind)).next() {
        return Err(Doubt::NotUnderstood(find.record.file.clone()));
    }
    if let Some(find) = uncovered(game, finds).into_iter().find(|find| !of_menus(find)) {
        let (file, location) = (find.record.file.clone(), find.record.location.clone());
        return Err(Doubt::Missed { title: game.title.clone(), file, location });
    }
    let leads = |find: &&Find| matches!(find.sure, Sure::Certain | Sure::Likely) && !of_menus(find);
    Ok(finds.iter().filter(leads).count())
}
