//! Whether a learned profile is sound: it finds every game, covers every place that leads to one, and a move that is rehearsed in memory
//! leaves nothing behind, touches no other game, and can be undone to the same bytes.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use super::entries::GameList;
use super::evidence::Evidence;
use super::{Doubt, LearnedGame, LearnedLauncher};
use crate::launcher::{FoundGame, FoundLauncher, Profile, read_launchers};
use crate::plan::{MakeLetters, Target, Unchangeable, record_edits};
use crate::record::{
    Bases, Content, Document, Edit, FileChange, Files, Mood, Place, Shape, Side, Source, Spelling, Within,
};
use crate::site::{Site, real_path};
use crate::trace::{Find, Sure, bases_near, leaves, uncovered, whole_place};

/// Moves that are rehearsed at most.
const REHEARSED: usize = 24;

/// Why the profile of a launcher is not sound; counts what was looked at.
pub(super) fn unsound(
    site: &Site,
    evidence: &Evidence,
    list: &GameList,
    finds: &[(PathBuf, Vec<Find>)],
    launcher: &mut LearnedLauncher,
) -> Option<Doubt> {
    let file = site.profile_folder().join(format!("{}.toml", launcher.id));
    let profile = match Profile::parse(&launcher.profile, &file) {
        Ok(profile) => profile,
        Err(error) => return Some(Doubt::Unreadable { file, what: error.to_string() }),
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
        match missed(game, &launcher.home, finds) {
            Ok(covered) => launcher.covered += covered,
            Err(doubt) => return Some(doubt),
        }
    }
    launcher.rehearsed = 0;
    for game in by_dir.values().take(REHEARSED) {
        if let Some(doubt) = rehearsed(site, evidence, &found, game) {
            return Some(doubt);
        }
        launcher.rehearsed += 1;
    }
    None
}

/// A place that would be rewritten for two games, or that does not say what it should.
fn shared_record(by_dir: &BTreeMap<PathBuf, &FoundGame>) -> Option<Doubt> {
    let mut owners: BTreeMap<(&Path, String, Vec<&str>, Side, usize), &str> = BTreeMap::new();
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
            if !list && owners.insert(key, &game.id).is_some_and(|owner| owner != game.id) {
                return Some(Doubt::Foreign { title, file });
            }
        }
    }
    None
}

/// Places that lead to the game and that the profile covers, or the first that it does not.
fn missed(game: &FoundGame, home: &Path, finds: &[Find]) -> Result<usize, Doubt> {
    // Entries of menus are looked after for every launcher.
    let of_menus = |find: &&Find| find.record.shape.to_string() == "desktop";
    let blind = finds.iter().find(|find| find.sure == Sure::Unreadable && find.record.file.starts_with(home));
    if let Some(find) = blind {
        return Err(Doubt::NotUnderstood(find.record.file.clone()));
    }
    if let Some(find) = uncovered(game, finds).into_iter().find(|find| !of_menus(find)) {
        let (file, location) = (find.record.file.clone(), find.record.location.clone());
        return Err(Doubt::Missed { title: game.title.clone(), file, location });
    }
    let leads = |find: &&Find| matches!(find.sure, Sure::Certain | Sure::Likely) && !of_menus(find);
    Ok(finds.iter().filter(leads).count())
}

/// Moves a game in memory, looks, and undoes it.
fn rehearsed(site: &Site, evidence: &Evidence, found: &FoundLauncher, game: &FoundGame) -> Option<Doubt> {
    let unmovable = |what: String| Some(Doubt::Unmovable { title: game.title.clone(), what });
    let parent = game.install.parent().unwrap_or(Path::new("/"));
    let install = parent.join("rehearsal of a move").join(game.install.file_name().unwrap_or_default());
    let target = Target {
        install: &install,
        library: game.library.as_deref(),
        new_library: false,
        root: parent,
        letters: MakeLetters::No,
    };
    let edits = match record_edits(site, found, game, &target, &[]) {
        Ok(made) => made.edits,
        Err(Unchangeable::NoLetter { path, .. }) => {
            return unmovable(format!("no drive letter leads to {}", path.display()));
        }
        Err(Unchangeable::Because(what)) => return unmovable(what),
    };
    let mut files = Files::carried(&game.install, &install);
    if let Err(error) = files.make(&edits, Mood::Strict) {
        return unmovable(error.to_string());
    }
    if let Err(error) = files.rehearse() {
        return unmovable(error.to_string());
    }
    let changes = files.changes();
    if changes.is_empty() {
        return unmovable("nothing of its records would change".into());
    }
    let installs: HashSet<&Path> = found.games.iter().map(|other| other.install.as_path()).collect();
    let shapes: BTreeMap<PathBuf, Shape> =
        game.records.iter().map(|record| (real_path(&record.file), record.shape)).collect();
    for change in &changes {
        let at = change.file.strip_prefix(&install).map(|rest| game.install.join(rest)).unwrap_or(change.file.clone());
        let Some(Shape::Text(format)) = shapes.get(&real_path(&at)) else { continue };
        let texts = |content: &Content| match content {
            Content::Bytes(bytes) => {
                Document::parse(bytes.clone(), *format).ok().map(|document| leaves(&Source::Text(Box::new(document))))
            }
            _ => None,
        };
        let bases = Bases { relative_to: None, ..bases_near(site, &at, &evidence.layers) };
        let (Some(before), Some(after)) = (texts(&change.before), texts(&change.after)) else { continue };
        let read =
            |text: &str| Spelling::read(text, &bases).ok().map(|(_, path)| path).filter(|path| path.is_absolute());
        let ours = |text: &str| read(text).is_some_and(|path| path.starts_with(&game.install));
        if let Some((place, ..)) = after.iter().find(|(_, _, text)| text.len() < 4096 && ours(text)) {
            let location = place.to_string();
            return Some(Doubt::Missed { title: game.title.clone(), file: at, location });
        }
        // What led to another game's folder leads there as before.
        let others = |texts: &[(Place, Side, String)]| -> Vec<String> {
            let other = |text: &&String| {
                read(text)
                    .is_some_and(|path| path.ancestors().any(|above| installs.contains(above) && above != game.install))
            };
            texts.iter().map(|(_, _, text)| text).filter(other).cloned().collect()
        };
        if others(&before) != others(&after) {
            return Some(Doubt::Foreign { title: game.title.clone(), file: at });
        }
    }
    undone(game, &edits, changes, &install)
}

/// Takes the edits back, on top of what they made.
fn undone(game: &FoundGame, edits: &[Edit], changes: Vec<FileChange>, install: &Path) -> Option<Doubt> {
    let mut files = Files::carried(&game.install, install);
    let back = Edit::turned_all(edits);
    let made = files.make(edits, Mood::Strict).and_then(|()| files.make(&back, Mood::Strict));
    match made {
        Err(error) => Some(Doubt::Unmovable { title: game.title.clone(), what: error.to_string() }),
        Ok(()) => files.changes().into_iter().next().map(|change| {
            let file = changes.iter().find(|one| one.file == change.file).map_or(change.file, |one| one.file.clone());
            Doubt::NotUndone { title: game.title.clone(), file }
        }),
    }
}
