//! The parts of a profile: libraries, games, records, content lists, user data.

use super::super::checksum_lines::Column;
use crate::record::DocumentError;
use crate::record::Format;
use crate::record::HeldPart;
use crate::record::Meaning;
use crate::record::Place;
use crate::record::Shape;
use crate::record::Side;
use crate::record::Source;
use crate::record::Within;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// What another PC needs, to run a launcher or its library from a drive that was carried there.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Carry {
    /// How it is started there, in a sentence.
    pub start: Option<String>,
    /// What it needs.
    #[serde(default)]
    pub needs: Vec<Need>,
}

/// Something that a PC needs: a program, or a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Need {
    /// Its name for people.
    pub name: String,
    /// What it is needed for.
    #[serde(default)]
    pub why: Option<String>,
    /// A program that has to be on the PC.
    #[serde(default)]
    pub program: Option<String>,
    /// A file that has to be there: absolute, or below the carried folder.
    #[serde(default)]
    pub file: Option<PathBuf>,
    /// The file that installs it, with `{home}` and the like: it is put beside the folder.
    #[serde(default)]
    pub installer: Option<PathBuf>,
}

/// How files on disk become an installed game.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Adopt {
    /// The entry of a game that was just installed, with `{id}`, `{title}`, `{folder}`, `{install}`, `{library}`, `{bytes}` and
    /// `{program}`; without it the entry is made like another game's.
    pub new_entry: Option<String>,
    /// Files that an install writes.
    #[serde(default)]
    pub files: Vec<AdoptFile>,
    /// What a person does in the launcher, where only it can write its records, each until the records show it.
    #[serde(default)]
    pub guide: Vec<GuideStep>,
}

/// A file that an install writes.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct AdoptFile {
    /// The file.
    pub file: Meaning,
    /// Its text, with the same names as a new entry.
    pub text: String,
}

/// One thing to do in a launcher.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct GuideStep {
    /// What to do, in a sentence.
    pub say: String,
    /// What shows that it is done.
    pub until: Until,
}

/// What shows that something was done in a launcher.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Until {
    /// A program of it is running.
    Running,
    /// Its records name the game in its folder.
    Listed,
    /// All files of the content list are there.
    Whole,
    /// None of its programs is running.
    Closed,
}

/// What user data is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DataKind {
    /// Saved games.
    Saves,
    /// Mods.
    Mods,
    /// Screenshots.
    Screenshots,
    /// Custom content.
    Content,
    /// A user directory of the desktop, with all that lies in it.
    Directory,
}

/// Where games keep user data, outside their install folders. At least one of `path` and `setting` is said.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct UserDataAt {
    /// What it is.
    pub kind: DataKind,
    /// The launcher's id of the game; all of its games where nothing is said.
    pub game: Option<String>,
    /// The folder, with `{user}`, `{config}`, `{data}`, `{id}`, `{folder}` and the like.
    pub path: Option<Meaning>,
    /// The game's own setting that says the folder.
    pub setting: Option<SettingAt>,
}

impl UserDataAt {
    /// Whether it speaks of the game that the launcher knows by this id.
    pub fn is_of(&self, id: &str) -> bool {
        self.game.as_ref().is_none_or(|of| of == id)
    }
}

/// A setting of a game that holds the folder of its user data.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct SettingAt {
    /// The file.
    pub file: Meaning,
    /// What that file is; by its name if nothing is said.
    #[serde(rename = "as")]
    pub shape: Option<Shape>,
    /// JSONPath from the root of the file to the text.
    pub selector: Meaning,
    /// The folder that it is relative to; `file` is the folder of its own file.
    pub relative_to: Option<Meaning>,
    /// Whether the game also remembers full paths of what it last had open, and so asks for it again after a move.
    #[serde(default)]
    pub asks_again: bool,
}

/// Where the libraries stand.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Libraries {
    /// The file that lists them.
    pub file: Meaning,
    /// What that file is; by its name if nothing is said.
    #[serde(rename = "as")]
    pub shape: Option<Shape>,
    /// JSONPath of the list.
    pub list: String,
    /// JSONPath of its entries, where other things stand among them.
    pub entries: Option<String>,
    /// JSONPath from an entry to the folder.
    pub path: String,
    /// JSONPath from an entry to what games refer to it by, or `key`: its name or number in the list.
    pub id: Option<String>,
    /// Which one takes new installs.
    #[serde(default)]
    pub default: DefaultLibrary,
    /// JSONPath to the folder of the one that takes new installs, where the file says it apart from the list.
    pub default_at: Option<String>,
    /// JSONPath to the bytes that a library's own file of games says it holds.
    pub total: Option<String>,
    /// Where a new library of this launcher is made on a drive.
    pub new: Option<Meaning>,
    /// The entry that makes a new library known: JSON in which `{library}` stands for its folder.
    pub new_entry: Option<String>,
    /// The text of a new library's own file of games.
    pub new_file: Option<String>,
    /// What an entry says of the games in its library: kept true when a game comes or goes.
    #[serde(default)]
    pub holds: Vec<HeldPart>,
    /// JSONPath from a game's entry to what names it in those parts; without it its id.
    pub named_by: Option<String>,
}

impl Libraries {
    /// Where the entries of libraries stand in the file that lists them; none where the list is empty.
    ///
    /// # Errors
    /// [`DocumentError::NotOne`] where there is no list, and a selector's own fault.
    pub(crate) fn entries_in(&self, source: &Source) -> Result<Vec<Place>, DocumentError> {
        match &self.entries {
            Some(selector) => source.find(selector),
            None => Ok(source.children(&source.find_one(&self.list)?).unwrap_or_default()),
        }
    }
}

/// Which library takes new installs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DefaultLibrary {
    /// The first of the list.
    #[default]
    First,
    /// The last of the list.
    Last,
    /// None is marked.
    None,
}

/// Where the games stand.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Games {
    /// The file that lists them; with `{library}` there is one per library, with `{id}` one per game.
    pub file: Meaning,
    /// What that file is; by its name if nothing is said.
    #[serde(rename = "as")]
    pub shape: Option<Shape>,
    /// JSONPath of the list.
    pub list: Option<String>,
    /// JSONPath of the entries themselves, where they are not all that a list holds.
    pub entries: Option<String>,
    /// Folder into which games go on a drive that has none of this launcher yet, where there are no libraries.
    pub place: Option<Meaning>,
    /// Folders in which games lie, each in a folder of its own. Where no record says a game's folder it is the one in one of these on the way
    /// to what a record below `{install}` leads to.
    #[serde(default)]
    pub folders: Vec<Meaning>,
    /// Whether an entry goes to the other library's list when its game does; of a file for each game, the file.
    #[serde(default)]
    pub travels: bool,
    /// JSONPath from an entry to its id; without it the key is the id.
    pub id: Option<String>,
    /// JSONPath from an entry to the title.
    pub title: Option<String>,
    /// The install folder, from what the records say.
    pub install: Meaning,
    /// JSONPath to the bytes that the launcher claims.
    #[serde(rename = "reported", alias = "claim")]
    pub claim: Option<String>,
    /// JSONPath to the program, below the install folder.
    pub program: Option<String>,
    /// JSONPath to the reason why the game cannot be moved, or to `true`.
    #[serde(rename = "locked", alias = "sealed")]
    pub sealed: Option<String>,
    /// JSONPath to the time of the last run: RFC 3339, or seconds since 1970.
    pub last_run: Option<String>,
    /// Where an update's progress stands.
    pub update: Option<UpdateAt>,
    /// The records within an entry.
    pub records: Vec<EntryRecord>,
}

impl Games {
    /// Whether a game's folder is told by what lies in it.
    pub(crate) fn knows_by_what_lies_in_it(&self) -> bool {
        !self.folders.is_empty() && self.records.iter().any(EntryRecord::leads_into_the_game)
    }
}

impl EntryRecord {
    /// Whether it says the way from its game's library down.
    pub(crate) fn is_below_its_library(&self) -> bool {
        self.relative_to.as_ref().is_some_and(|folder| folder.names("library"))
    }

    /// Whether it leads to something in the game's folder.
    pub(crate) fn leads_into_the_game(&self) -> bool {
        self.inside.is_empty() && self.meaning.base() == Some("install") && !self.meaning.is("install")
    }
}

/// Where an update's progress stands: bytes it has and bytes it wants. It waits while it has fewer.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct UpdateAt {
    /// JSONPath to the bytes it has.
    pub have: String,
    /// JSONPath to the bytes it wants.
    pub want: String,
}

/// A record within an entry of the list of games.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct EntryRecord {
    /// JSONPath from the entry.
    pub selector: String,
    /// Documents within the text there, from the outermost.
    #[serde(default)]
    pub inside: Vec<Inside>,
    /// Key or value.
    #[serde(default)]
    pub on: Side,
    /// What of the text is the path.
    #[serde(default)]
    pub within: Within,
    /// The folder that it is relative to; `file` is the folder of its own file.
    pub relative_to: Option<Meaning>,
    /// What it stands for.
    pub meaning: Meaning,
}

/// A document within a text.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Inside {
    /// Its format.
    #[serde(rename = "as")]
    pub format: Format,
    /// JSONPath from its root.
    pub selector: Meaning,
}

/// A record in another file.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct FileRecord {
    /// The file, with `{home}`, `{library}`, `{id}`, `{install}` and the like.
    pub file: Meaning,
    /// What that file is; by its name if nothing is said.
    #[serde(rename = "as")]
    pub shape: Option<Shape>,
    /// JSONPath from the root of the file, with the same names; every place it finds is looked at.
    #[serde(default = "root")]
    pub selector: Meaning,
    /// Documents within the text there, from the outermost.
    #[serde(default)]
    pub inside: Vec<Inside>,
    /// Key or value.
    #[serde(default)]
    pub on: Side,
    /// What of the text is the path.
    #[serde(default)]
    pub within: Within,
    /// The folder that it is relative to; `file` is the folder of its own file.
    pub relative_to: Option<Meaning>,
    /// What it stands for.
    pub meaning: Meaning,
}

fn own_text() -> String {
    "$".into()
}

fn root() -> Meaning {
    Meaning::try_from("$".to_string()).unwrap_or_default()
}

/// Where content lists stand, one file per game.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Contents {
    /// The file.
    pub file: Meaning,
    /// What that file is; by its name if nothing is said.
    #[serde(rename = "as")]
    pub shape: Option<Shape>,
    /// What stands in each line, of a list of checksum lines; the JSONPaths below are for all others.
    #[serde(default)]
    pub columns: Vec<Column>,
    /// JSONPath of the list.
    #[serde(default)]
    pub list: String,
    /// JSONPath from an entry to the path below the install folder.
    #[serde(default = "own_text")]
    pub path: String,
    /// What every path begins with, as the name of the game's folder; a list without it says paths below the install folder.
    pub below: Option<Meaning>,
    /// Whether the path is the text there, or the entry's key.
    #[serde(default)]
    pub on: Side,
    /// JSONPath from an entry to the size in bytes; some lists say none.
    pub size: Option<String>,
    /// JSONPath from an entry to the hash in hexadecimal digits; with `piece` to the hashes of all pieces in order.
    #[serde(default = "own_text")]
    pub hash: String,
    /// Which hash it is.
    pub algorithm: Algorithm,
    /// Bytes of a piece, where every piece of a file has a hash.
    pub piece: Option<u64>,
    /// JSONPath from the root to the game's title.
    pub title: Option<String>,
    /// JSONPath from the root to the program, below the install folder.
    pub program: Option<String>,
}

impl Contents {
    /// Why nothing could be read by it.
    pub(super) fn fault(&self) -> Option<&'static str> {
        let has = |wanted| self.columns.iter().filter(|column| **column == wanted).count();
        if self.columns.is_empty() {
            return self.list.is_empty().then_some("must say either list or columns");
        }
        if has(Column::Path) != 1 || has(Column::Hash) != 1 || has(Column::Size) > 1 {
            return Some("columns must have hash and path once, and size at most once");
        }
        let of_entries = !self.list.is_empty() || self.piece.is_some() || self.size.is_some() || self.on == Side::Key;
        of_entries.then_some("columns stand for list, size, on and piece: it can't have both")
    }
}

/// A kind of hash that a content list may hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Algorithm {
    /// MD5.
    Md5,
    /// SHA-1.
    Sha1,
    /// SHA-256.
    Sha256,
    /// BLAKE3.
    Blake3,
    /// CRC-32, as archives have it.
    Crc32,
}
