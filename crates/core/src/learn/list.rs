//! A list of games, or of libraries: where it stands, and what its entries say.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashSet};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::pattern::Pattern;
use crate::platform::in_template;
use crate::platform::{self, Look};
use crate::record::{Bases, Place, Shape, Side, Source, Spelling, Step};
use crate::survey::{FolderListing, holds_a_program, is_program};

/// Where a list stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum ListAt {
    /// In one file.
    One(PathBuf),
    /// In a file for each game: their folder, and what is before and behind the id in their paths below it.
    Each { folder: PathBuf, before: String, after: String },
    /// In every library: the file for all of its games, or the folder of a file for each, whose names have this before and behind the id.
    InLibraries {
        /// The libraries.
        libraries: Vec<PathBuf>,
        /// The file or the folder, below a library.
        below: PathBuf,
        /// Before and behind the id.
        name: Option<(String, String)>,
        /// Where in a library the games lie, of which the list says the names.
        sub: Option<PathBuf>,
    },
}

/// An entry of a list.
#[derive(Clone, Debug)]
pub(super) struct Entry {
    pub file: PathBuf,
    pub place: Place,
    /// The folder that it leads to, if that is there.
    pub dir: Option<PathBuf>,
    /// Its texts and numbers, by their JSONPath from the entry.
    pub scalars: BTreeMap<String, String>,
}

/// How entries of games refer to their library.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Reference {
    /// JSONPath from a game's entry.
    pub selector: String,
    /// JSONPath from a library's entry to what that says, or `key`.
    pub id: String,
    /// Whether nothing else of the entry says where the folder lies that it names.
    pub alone: bool,
}

/// A list of games.
#[derive(Clone, Debug)]
pub(super) struct GameList {
    pub at: ListAt,
    pub shape: Shape,
    /// From the root of the file to an entry.
    pub to_entry: Pattern,
    /// From an entry to the text that leads to the game's folder.
    pub to_path: Pattern,
    pub side: Side,
    /// Whether that text is the folder's name, and the folder above stands beside it.
    pub by_name: bool,
    /// Whether all that stands where entries do leads to a game.
    pub pure: bool,
    pub entries: Vec<Entry>,
    /// How its entries say their library, where they do by another name than its folder's.
    pub reference: Option<Reference>,
    /// What may say their library, and may do so by chance.
    pub perhaps: Vec<Reference>,
    /// Texts of entries of which it is known that they do not say their library.
    pub dismissed: Vec<String>,
    /// What counts the games of a library, where that may be chance; `None` before anybody was asked.
    pub counters: Option<Vec<String>>,
    /// Whether its entries say their folders' names alone, each in the entry of the library that it lies in.
    pub held: bool,
    /// Templates of the folders in which its games lie, where its entries say only what lies in each game's folder.
    pub folders: Vec<String>,
}

impl GameList {
    /// A list whose entries lead to games by values, and which holds nothing else.
    pub fn new(
        at: ListAt,
        shape: Shape,
        (to_entry, to_path): (Pattern, Pattern),
        by_name: bool,
        entries: Vec<Entry>,
    ) -> Self {
        let (side, pure, reference, held) = (Side::Value, true, None, false);
        let (folders, perhaps, dismissed) = (Vec::new(), Vec::new(), Vec::new());
        Self {
            at,
            shape,
            to_entry,
            to_path,
            side,
            by_name,
            pure,
            entries,
            reference,
            perhaps,
            dismissed,
            counters: None,
            held,
            folders,
        }
    }

    /// What an entry says, as its file has it now.
    pub fn value_of(&self, entry: &Entry) -> Option<Value> {
        Source::read(&entry.file, self.shape).ok()?.value_at(&entry.place).map(Cow::into_owned)
    }

    /// The folders of its games, each once, in their order.
    pub fn dirs(&self) -> impl Iterator<Item = &Path> {
        let mut met = HashSet::new();
        let dirs = self.entries.iter().filter_map(|entry| entry.dir.as_deref());
        dirs.filter(move |dir| met.insert(*dir))
    }

    /// Entries that show how an entry looks: also those of games that are not here.
    pub fn examples(&self) -> usize {
        self.entries.len()
    }

    /// Whether all games of a list lie in its folders.
    pub fn holds_all_of(&self, games: &Self) -> bool {
        games.dirs().all(|dir| self.dirs().any(|above| above != dir && dir.starts_with(above)))
    }

    /// Whether a game of a list lies in one of its folders.
    pub fn holds_some_of(&self, games: &Self) -> bool {
        games.dirs().any(|dir| self.dirs().any(|above| above != dir && dir.starts_with(above)))
    }

    /// What is shown as its place.
    pub fn shown(&self) -> PathBuf {
        match &self.at {
            ListAt::One(file) => file.clone(),
            ListAt::Each { folder, .. } => folder.clone(),
            ListAt::InLibraries { libraries, below, .. } => {
                let first = libraries.first().cloned().unwrap_or_default();
                if below.as_os_str().is_empty() { first } else { first.join(below) }
            }
        }
    }

    /// A file of it.
    pub fn file(&self) -> &Path {
        match &self.at {
            ListAt::One(file) => file,
            ListAt::Each { folder, .. } => self.entries.first().map_or(folder, |entry| &entry.file),
            ListAt::InLibraries { below, .. } => self.entries.first().map_or(below, |entry| &entry.file),
        }
    }

    /// The id of an entry that its place says: the key, or what its file is called.
    pub fn key(&self, entry: &Entry) -> Option<String> {
        match &self.at {
            ListAt::One(_) if self.side == Side::Key && self.to_path.0.is_empty() => None,
            ListAt::One(_) | ListAt::InLibraries { name: None, .. } => match entry.place.0.last()? {
                Step::Name(name) => Some(name.clone()),
                Step::Index(_) => None,
            },
            ListAt::Each { folder, before, after } => {
                let path = entry.file.strip_prefix(folder).ok()?;
                let name = path.to_str().map(|_| in_template(path))?;
                name.strip_prefix(before.as_str())?.strip_suffix(after.as_str()).map(str::to_string)
            }
            ListAt::InLibraries { name: Some((before, after)), .. } => {
                let name = entry.file.file_name()?.to_str()?;
                name.strip_prefix(before.as_str())?.strip_suffix(after.as_str()).map(str::to_string)
            }
        }
    }

    /// What an entry that says nothing else is known by: what its game's folder is called.
    pub fn folder_name(&self, entry: &Entry) -> Option<String> {
        let says = || {
            let text = entry.scalars.get(&self.to_path.first())?;
            text.trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next().map(str::to_string)
        };
        match &entry.dir {
            Some(dir) => dir.file_name()?.to_str().map(str::to_string),
            None => says(),
        }
    }

    /// Whether its entries say the ways from a folder above down to those of the games, through folders between.
    pub fn is_below(&self) -> bool {
        let own = self.to_path.first();
        let says = |entry: &Entry| entry.scalars.get(&own).is_some_and(|text| text.contains(['/', '\\']));
        self.by_name && self.side == Side::Value && self.entries.iter().any(|entry| entry.dir.is_some() && says(entry))
    }

    /// Whether its entries say their library by another name than its folder's, or not at all.
    pub fn is_known_by_library(&self) -> bool {
        self.held || self.lies_in_libraries() || self.reference.as_ref().is_some_and(|reference| reference.alone)
    }

    /// Whether it lies in the libraries.
    pub fn lies_in_libraries(&self) -> bool {
        matches!(self.at, ListAt::InLibraries { .. })
    }

    /// How much speaks for it: folders that look like games, folders, what entries say, whole paths.
    pub fn weight(&self) -> (usize, usize, usize, bool) {
        let dirs: Vec<&Path> = self.dirs().collect();
        let scalars = self.entries.iter().map(|entry| entry.scalars.len()).max().unwrap_or(0);
        (dirs.iter().filter(|dir| is_playable(dir)).count(), dirs.len(), scalars, !self.by_name)
    }
}

/// The folder that a relative path leads to from another one, if that is there.
pub(super) fn folder_below(above: &Path, text: &str, bases: &Bases) -> Option<PathBuf> {
    if text.len() > LONGEST_WAY || text.contains(['\n', '\0']) {
        return None;
    }
    let (spelling, path) = Spelling::read(text, &bases.relative_to(above)).ok()?;
    let leads = spelling.is_relative() && path != above && path.starts_with(above) && !text.contains("..");
    (leads && path.look_is_dir()).then_some(path)
}

/// Bytes of the longest way down to a game's folder that is followed.
const LONGEST_WAY: usize = 512;

/// Whether there is a program in a folder, and it is nobody's work in progress.
pub(super) fn is_playable(dir: &Path) -> bool {
    !dir.join(".git").look_exists() && holds_a_program(dir)
}

/// The games that a folder seems to hold: folders with programs and more in them, where it has no program at its own top.
pub(super) fn games_in(dir: &Path) -> Vec<PathBuf> {
    if has_program_on_top(dir) {
        return Vec::new();
    }
    let folders = platform::read_dir(dir).into_iter().flatten().flatten();
    let folders = folders.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir())).map(|entry| entry.path());
    folders.filter(|path| FolderListing::lazily(path).nth(1).is_some() && holds_a_program(path)).collect()
}

/// Whether a program lies in a folder itself.
pub(super) fn has_program_on_top(dir: &Path) -> bool {
    let entries = platform::read_dir(dir).into_iter().flatten().flatten();
    let mut files = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_file()));
    files.any(|entry| is_program(&entry.path()))
}

/// Whether a folder within another is called as that is: a part of one game, and no game in a library.
pub(super) fn is_called_as(outer: &Path, inner: &Path) -> bool {
    let name = |path: &Path| path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    name(outer) == name(inner)
}

/// Whether a folder within another is called after it, as that of a project beside its engine is: a part of one game as well.
pub(super) fn is_called_after(outer: &Path, inner: &Path) -> bool {
    let letters = |path: &Path| -> String {
        let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        name.chars().filter(|c| c.is_alphanumeric()).collect()
    };
    let (outer, inner) = (letters(outer), letters(inner));
    outer == inner || (outer.chars().count() > 2 && inner.starts_with(&outer))
}

/// Whether two folders of one name in two others are parts alike of two games: their programs lie in them, or in folders of one name.
/// Games of two libraries are called differently.
pub(super) fn are_parts_alike(one: &Path, other: &Path) -> bool {
    if one.file_name() != other.file_name() {
        return false;
    }
    let (here, there) = (games_in(one), games_in(other));
    let again = |folder: &PathBuf| there.iter().any(|other| other.file_name() == folder.file_name());
    has_program_on_top(one) || here.is_empty() || here.iter().any(again)
}

/// Folders that are looked into, to tell libraries from games.
const LOOKED_INTO: usize = 12;

/// Whether folders are libraries that hold games, and no games themselves.
pub(super) fn are_libraries<'a>(dirs: impl Iterator<Item = &'a Path>) -> bool {
    let full: Vec<&Path> = dirs.filter(|dir| !is_bare(dir)).take(LOOKED_INTO).collect();
    let mut held: Vec<(&Path, Vec<PathBuf>)> = full.into_iter().map(|dir| (dir, games_in(dir))).collect();
    // What is called the same in several of them is where each game has its programs.
    let all: Vec<PathBuf> = held.iter().flat_map(|(_, games)| games.clone()).collect();
    let is_common = |folder: &PathBuf| all.iter().any(|other| other != folder && are_parts_alike(folder, other));
    for (_, games) in &mut held {
        games.retain(|game| !is_common(game));
    }
    let alone = |(dir, games): &(&Path, Vec<PathBuf>)| matches!(games.as_slice(), [one] if is_called_after(dir, one));
    held.iter().any(|(_, games)| games.len() > 1)
        || (!held.is_empty() && held.iter().all(|(_, games)| games.len() == 1) && !held.iter().all(alone))
}

/// Whether every name of folders within several others comes again in another, as those of programs and of data do in each game.
pub(super) fn come_again(held: &[(&PathBuf, Vec<PathBuf>)]) -> bool {
    let has = |inner: &[PathBuf], name: Option<&OsStr>| inner.iter().any(|folder| folder.file_name() == name);
    held.len() > 1
        && held.iter().enumerate().all(|(nth, (_, inner))| {
            let elsewhere = |folder: &PathBuf| {
                held.iter().enumerate().any(|(other, (_, there))| other != nth && has(there, folder.file_name()))
            };
            inner.iter().all(elsewhere)
        })
}

/// Whether no folder in a folder holds a file: as a game, it has been removed; as a library, it is empty.
pub(super) fn is_bare(dir: &Path) -> bool {
    FolderListing::lazily(dir).all(|file| file.parent() == Some(dir))
}

/// What is before and behind the part in which names differ, up to what is no letter or digit.
pub(super) fn around(names: &[&str]) -> Option<(String, String)> {
    let first = names.first()?;
    let alike = |n: usize| names.iter().all(|name| name.as_bytes().get(n) == first.as_bytes().get(n));
    let mut before = (0..first.len()).take_while(|n| alike(*n)).count();
    while before > 0 && (!first.is_char_boundary(before) || first.as_bytes()[before - 1].is_ascii_alphanumeric()) {
        before -= 1;
    }
    let back = |n: usize| {
        let at = |name: &str| name.len().checked_sub(n + 1).map(|at| name.as_bytes()[at]);
        names.iter().all(|name| at(name).is_some() && at(name) == at(first))
    };
    let mut after = first.len() - (0..first.len()).take_while(|n| back(*n)).count();
    while after < first.len() && (!first.is_char_boundary(after) || first.as_bytes()[after].is_ascii_alphanumeric()) {
        after += 1;
    }
    let sound = names.iter().all(|name| name.len() > before + (first.len() - after));
    sound.then(|| (first[..before].to_string(), first[after..].to_string()))
}

/// A text that leads to a folder above games, outside of what is known to be the lists.
#[derive(Clone, Debug)]
pub(super) struct AboveSeen {
    pub file: PathBuf,
    pub shape: Shape,
    pub place: Place,
    pub dir: PathBuf,
}

/// Whether the entries of what looks like a list of libraries are those of games, each with the library that it is in.
pub(super) fn is_of_games(list: &GameList, games: &GameList) -> bool {
    if list.entries.iter().filter(|entry| entry.dir.is_some()).count() > list.dirs().count() {
        return true;
    }
    let unique = |text: &String| {
        let says = |entry: &&Entry| entry.scalars.values().any(|other| other == text);
        games.entries.iter().filter(says).count() == 1
    };
    let bound = |entry: &Entry| {
        let Some(above) = &entry.dir else { return true };
        let inside = games.entries.iter().filter(|game| game.dir.as_ref().is_some_and(|dir| dir.starts_with(above)));
        let own = |key: &&String| Place::read(key).is_some_and(|place| place.0.len() == 1);
        // A number may be a sum, and a path is that of the library.
        let told = entry.scalars.iter().filter(|(key, _)| own(key)).map(|(_, text)| text);
        let mut told = told.filter(|text| text.parse::<f64>().is_err() && !text.contains(['/', '\\']) && unique(text));
        let key = list.key(entry);
        let (keyed, mut inside) = (key.is_some(), inside.peekable());
        let by_key = keyed
            && inside.clone().any(|game| {
                games.key(game) == key
                    || key.as_ref().is_some_and(|key| unique(key) && game.scalars.values().any(|text| text == key))
            });
        by_key
            || (inside.peek().is_some()
                && told.any(|text| inside.clone().any(|game| game.scalars.values().any(|other| other == text))))
    };
    list.entries.iter().all(bound)
}

#[cfg(test)]
mod tests {
    #[test]
    fn names_of_files_part_at_what_is_no_letter() {
        let around = |names: &[&str]| super::around(names).unwrap();
        assert_eq!(around(&["game_1201.json", "game_1202.json"]), ("game_".into(), ".json".into()));
        assert_eq!(around(&["a-fen.x", "a-fern.x"]), ("a-".into(), ".x".into()));
        assert_eq!(around(&["fen.json", "moor.json"]), (String::new(), ".json".into()));
    }
}
