//! Desktop entries, and shell links, that start a game, open its folder, or show its icon.

use super::values::{Around, Scope, Shortcut, game_id};
use crate::platform;
use crate::platform::Look;

use rayon::prelude::*;
use std::path::{Path, PathBuf};

use crate::launcher::{FoundGame, FoundLauncher, Problem, Record, plain_record};
use crate::record::{Bases, Format, Place, Shape, Side, Source, Spelling, Step};
use crate::site::Site;

use crate::launcher::shortcut_records;

use crate::trace::{Needles, leaves};

/// No desktop entry is larger: our own bound, a hundred times what they have.
const LARGEST: u64 = 1 << 20;

pub(crate) fn is_entry(file: &Path) -> bool {
    file.extension().is_some_and(|end| end == "desktop") || is_link(file)
}

fn is_link(file: &Path) -> bool {
    file.extension().is_some_and(|end| end.eq_ignore_ascii_case("lnk"))
}

fn folders(site: &Site) -> Vec<(PathBuf, Scope)> {
    let places = &site.places;
    let [menu, autostart] = platform::menus_of_person(&places.config, &places.data);
    let mut all = vec![(menu, Scope::Menu), (autostart, Scope::Autostart)];
    let desktop = user_directories(site).into_iter().find(|(name, ..)| name == platform::DESKTOP);
    let desktop = desktop.map_or_else(|| places.home.join("Desktop"), |(_, path, _)| path);
    if desktop != places.home {
        all.push((desktop, Scope::Desktop));
    }
    // The entries of all people of this machine; a declared world has none.
    if site.world.is_none() {
        all.extend(platform::menus_of_all().into_iter().map(|path| (path, Scope::System)));
    }
    all
}

fn entries(folder: &Path, depth: usize, out: &mut Vec<PathBuf>) {
    for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        let is_folder = entry.file_type().is_ok_and(|kind| kind.is_dir());
        if is_folder && depth > 0 {
            entries(&path, depth - 1, out);
        } else if is_entry(&path) && path.look_meta().is_ok_and(|meta| meta.is_file() && meta.size <= LARGEST) {
            out.push(path);
        }
    }
}

/// Finds the shortcuts of all games, and adds those that can be changed to the games' records.
pub(crate) fn look(site: &Site, found: &mut [FoundLauncher], around: &mut Around) {
    let mut files: Vec<(PathBuf, Scope)> = Vec::new();
    for (folder, scope) in folders(site) {
        let mut here = Vec::new();
        entries(&folder, 2, &mut here);
        files.extend(here.into_iter().map(|file| (file, scope)));
    }
    files.sort_by(|a, b| a.0.cmp(&b.0));
    files.dedup_by(|a, b| a.0 == b.0);
    let games = found.iter().enumerate().flat_map(|(l, launcher)| (0..launcher.games.len()).map(move |g| (l, g)));
    let games: Vec<(usize, usize)> = games.collect();
    let needles = Needles::new(games.iter().map(|(l, g)| found[*l].games[*g].folder.as_str()));
    let read_only: &[FoundLauncher] = found;
    let results: Vec<_> =
        files.par_iter().map(|(file, scope)| one(site, read_only, (&games, &needles), file, *scope)).collect();
    for (hits, problem) in results {
        around.problems.extend(problem);
        for (launcher, game, shortcut, records) in hits {
            if shortcut.writable {
                // A profile may describe the entry itself: one place is one record, and is changed once.
                let own = &mut found[launcher].games[game].records;
                let known = |new: &Record| {
                    own.iter().any(|old| old.file == new.file && old.location == new.location && old.text == new.text)
                };
                let fresh: Vec<Record> = records.into_iter().filter(|record| !known(record)).collect();
                own.extend(fresh);
            }
            around.shortcuts.push(shortcut);
        }
    }
}

type ShortcutHit = (usize, usize, Shortcut, Vec<Record>);

fn one(
    site: &Site,
    found: &[FoundLauncher],
    (games, needles): (&[(usize, usize)], &Needles),
    file: &Path,
    scope: Scope,
) -> (Vec<ShortcutHit>, Option<Problem>) {
    let named_in =
        |text: &str| -> Vec<(usize, usize)> { needles.in_text(text).into_iter().map(|nth| games[nth]).collect() };
    let mut named = Vec::new();
    let link = is_link(file);
    if !link {
        let Ok(text) = platform::read(file) else { return (Vec::new(), None) };
        named = named_in(&String::from_utf8_lossy(&text));
        if named.is_empty() {
            return (Vec::new(), None);
        }
    }
    let shape = Shape::Text(if link { Format::ShellLink } else { Format::Desktop });
    let source = match Source::read(file, shape) {
        Ok(source) => source,
        // Of the links on a desktop some lead to no file at all: only one that names a game has to be understood.
        Err(_) if link && named_in(&without_zeros(file)).is_empty() => return (Vec::new(), None),
        Err(error) => {
            return (Vec::new(), Some(Problem { file: file.into(), line: None, what: error.to_string() }));
        }
    };
    if link {
        // The names stand in it in several code pages.
        let texts: Vec<String> = leaves(&source).into_iter().map(|(_, _, text)| text).collect();
        named = named_in(&texts.join("\n"));
    }
    let says = |key: &str, in_link: &str| {
        let at = if link { format!("$.{in_link}") } else { format!("$['Desktop Entry'].{key}") };
        source.below(&Place::default(), &at)
    };
    let stem = || file.file_stem().map(|stem| stem.to_string_lossy().into_owned());
    let mut hits = Vec::new();
    for (l, g) in named {
        let (launcher, game): (&FoundLauncher, &FoundGame) = (&found[l], &found[l].games[g]);
        // What the launcher itself says of it is a record already.
        if game.entry.file == file {
            continue;
        }
        let records = shortcut_records(site, launcher, game, (file, shape), &source);
        if records.is_empty() {
            continue;
        }
        let shortcut = Shortcut {
            file: file.into(),
            name: if link { stem() } else { says("Name", "") }.unwrap_or_default(),
            exec: says("Exec", "items").or_else(|| says("Exec", "relative_path")).unwrap_or_default(),
            scope,
            game: game_id(launcher, game),
            writable: scope != Scope::System && platform::is_writable(file),
        };
        hits.push((l, g, shortcut, records));
    }
    (hits, None)
}

/// The bytes of a file as text, whether its letters have one byte or two.
fn without_zeros(file: &Path) -> String {
    let mut bytes = platform::read(file).unwrap_or_default();
    bytes.retain(|byte| *byte != 0);
    String::from_utf8_lossy(&bytes).into_owned()
}

/// The directories of a person, by what their system keeps of them: name, folder and record.
pub(crate) fn user_directories(site: &Site) -> Vec<(String, PathBuf, Record)> {
    let declared = site.world.is_some();
    let Some((file, section)) = platform::user_directories_in(&site.places.config, declared) else { return Vec::new() };
    let shape = Shape::Text(if section.is_some() { Format::Hive } else { Format::UserDirs });
    let Ok(source) = Source::read(&file, shape) else { return Vec::new() };
    let bases = Bases { home: Some(site.places.home.clone()), names: site.places.names(), ..Bases::default() };
    let top = section.map_or_else(Place::default, |name| Place::default().child(Step::Name(name.into())));
    let one = |place: Place| {
        let text = source.leaf(&place, Side::Value)?;
        let (spelling, path) = Spelling::read(&text, &bases).ok()?;
        let name = match place.0.last()? {
            Step::Name(name) => name.clone(),
            Step::Index(_) => return None,
        };
        Some((name, path, plain_record(&file, shape, &source, &place, text, &spelling)))
    };
    let children = source.children(&top).unwrap_or_default();
    children.into_iter().filter_map(one).collect()
}
