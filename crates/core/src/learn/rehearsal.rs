//! A move that is made in memory: what it would leave behind, what it would change of other games, and whether it can be undone.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::learned::Doubt;
use crate::launcher::{FoundGame, FoundLauncher, Profile, read_launchers};
use crate::plan::{MakeLetters, Target, record_edits};
use crate::record::{
    Bases, Content, Document, Edit, FileChange, Files, Format, Mood, Place, Shape, Source, Spelling, Values,
};
use crate::site::{Site, real_path};
use crate::trace::{checksum_in, each_leaf};

/// What a rehearsal of a profile came to.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Rehearsal {
    /// Games of which a move was made in memory, searched, and undone.
    pub moves: usize,
    /// Games with no other place to go to, or that are not where their records say.
    pub without: usize,
    /// What was wrong with the first that failed.
    pub doubt: Option<Doubt>,
}

/// Moves every game of a profile in memory, one after the other, each from where it is. Writes nothing.
pub fn rehearse(site: &Site, profile: &Profile) -> Rehearsal {
    let mut rehearsal = Rehearsal::default();
    let Some(found) = read_launchers(site, std::slice::from_ref(profile)).pop() else { return rehearsal };
    for game in &found.games {
        if game.fault.is_some() || elsewhere(&found, game, &found.values(site)).is_none() {
            rehearsal.without += 1;
            continue;
        }
        if let Some(doubt) = rehearsed(site, &found, game) {
            rehearsal.doubt = Some(doubt);
            break;
        }
        rehearsal.moves += 1;
    }
    rehearsal
}

/// Another place of a game: its folder, its library, and whether that would be a new one.
struct Elsewhere {
    install: PathBuf,
    library: Option<PathBuf>,
    new_library: bool,
}

/// Where a game could lie as well: in another library, or in a new one, where it lies in one, else in a folder beside.
fn elsewhere(found: &FoundLauncher, game: &FoundGame, values: &Values) -> Option<Elsewhere> {
    let template = &found.profile.games.install;
    let other = found.libraries.iter().find(|other| other.present && Some(&other.path) != game.library.as_ref());
    if template.names("library") {
        let other = other?;
        let values = values.clone().with("id", &game.id).with("folder", &game.folder);
        let install = template.fill(&values.with("library", other.path.to_string_lossy())).ok()?;
        return Some(Elsewhere { install: install.into(), library: Some(other.path.clone()), new_library: false });
    }
    let (below, above) = (game.install.file_name()?, game.install.parent()?);
    let beside = above.join("rehearsal of a move").join(below);
    let Some((library, rest)) = game.library.as_ref().and_then(|at| Some((at, game.install.strip_prefix(at).ok()?)))
    else {
        return Some(Elsewhere { install: beside, library: game.library.clone(), new_library: false });
    };
    let makes = found.profile.libraries.as_ref().is_some_and(|libraries| libraries.new_entry.is_some());
    let new = library.parent().filter(|_| makes).map(|above| above.join("rehearsal of a move"));
    Some(match (other, new) {
        (Some(other), _) => {
            Elsewhere { install: other.path.join(rest), library: Some(other.path.clone()), new_library: false }
        }
        (None, Some(new)) => Elsewhere { install: new.join(rest), library: Some(new), new_library: true },
        (None, None) => Elsewhere { install: beside, library: Some(library.clone()), new_library: false },
    })
}

/// Moves a game in memory, looks, and undoes it.
pub(super) fn rehearsed(site: &Site, found: &FoundLauncher, game: &FoundGame) -> Option<Doubt> {
    let unmovable = |what: String| Some(Doubt::Unmovable { title: game.title.clone(), what });
    let Elsewhere { install, library, new_library } = elsewhere(found, game, &found.values(site))?;
    let root = site.drive_of(&game.install).map_or(Path::new("/"), |drive| drive.root.as_path());
    let target = Target { install: &install, library: library.as_deref(), new_library, root, letters: MakeLetters::No };
    let edits = match record_edits(site, found, game, &target, &[]) {
        Ok(made) => made.edits,
        Err(why) => return unmovable(why.why()),
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
        let bases = Bases { relative_to: None, ..found.bases(site) };
        let leading = |content: &Content| leading_in((&at, content), *format, &bases, (&game.install, &installs));
        let (Some(before), Some(after)) = (leading(&change.before), leading(&change.after)) else { continue };
        if let Some(file) = before.checksum {
            return Some(Doubt::Checksum(file));
        }
        if let Some(place) = after.ours {
            let location = place.to_string();
            return Some(Doubt::Missed { title: game.title.clone(), file: at, location });
        }
        // What led to another game's folder leads there as before.
        if before.others != after.others {
            return Some(Doubt::Foreign { title: game.title.clone(), file: at });
        }
    }
    undone(game, &edits, changes, &install)
}

/// Texts of a file that lead to games: where the first leads to one of them, and all that lead to others.
#[derive(Default)]
struct Leading {
    ours: Option<Place>,
    others: Vec<String>,
    /// The file that holds a checksum of the path, or of this file.
    checksum: Option<PathBuf>,
}

/// What of a file leads to a game's folder and to those of others; a large file's other texts are looked at and not kept.
fn leading_in(
    (file, content): (&Path, &Content),
    format: Format,
    bases: &Bases,
    (install, installs): (&Path, &HashSet<&Path>),
) -> Option<Leading> {
    let Content::Bytes(bytes) = content else { return None };
    let document = Document::parse(bytes.clone(), format).ok()?;
    let mut leading = Leading::default();
    if !file.starts_with(install) {
        leading.checksum = checksum_in(file, &document, install);
    }
    let bases = bases.seen_from(file);
    each_leaf(&Source::Text(Box::new(document)), &mut |place, _, text| {
        if !text.contains(['/', '\\', '%']) {
            return;
        }
        let Some(path) = Spelling::read(text, &bases).ok().map(|(_, path)| path).filter(|path| path.is_absolute())
        else {
            return;
        };
        if leading.ours.is_none() && text.len() < 4096 && path.starts_with(install) {
            leading.ours = Some(place.clone());
        }
        if path.ancestors().any(|above| installs.contains(above) && above != install) {
            leading.others.push(text.into());
        }
    });
    Some(leading)
}

/// Takes the edits back, on top of what they made. An entry that went to another list and back stands behind the others there: of such a
/// list the entries are compared, not their order.
fn undone(game: &FoundGame, edits: &[Edit], changes: Vec<FileChange>, install: &Path) -> Option<Doubt> {
    let mut files = Files::carried(&game.install, install);
    let back = Edit::turned_all(edits);
    let made = files.make(edits, Mood::Strict).and_then(|()| files.make(&back, Mood::Strict));
    if let Err(error) = made {
        return Some(Doubt::Unmovable { title: game.title.clone(), what: error.to_string() });
    }
    let reordered = |edit: &&Edit| matches!(edit, Edit::Travel { .. } | Edit::Follow(_));
    let lists: HashSet<&Path> = edits.iter().filter(reordered).flat_map(Edit::files).collect();
    let lists: HashSet<PathBuf> = lists.into_iter().map(real_path).collect();
    let bytes_of = |content: &Content| {
        let Content::Bytes(bytes) = content else { return None };
        let mut bytes: Vec<u8> = bytes.iter().copied().filter(|byte| !byte.is_ascii_whitespace()).collect();
        bytes.sort_unstable();
        Some(bytes)
    };
    let differs = |change: &FileChange| {
        let same = lists.contains(&real_path(&change.file)) && bytes_of(&change.before) == bytes_of(&change.after);
        !same
    };
    let change = files.changes().into_iter().find(differs)?;
    let file = changes.into_iter().find(|one| one.file == change.file).map_or(change.file, |one| one.file);
    Some(Doubt::NotUndone { title: game.title.clone(), file })
}
