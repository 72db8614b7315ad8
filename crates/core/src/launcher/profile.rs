//! The profile of a launcher. Format: `docs/formats.md`, "Profile".

use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::checksum_lines::Column;
use super::origin::Origin;
use super::shape::EntryShape;
use crate::platform;
use crate::record::{
    DocumentError, Format, HeldPart, LibrarySays, Meaning, Place, Shape, Side, Source, Values, Within, cut,
    read_selector,
};

/// Where a launcher keeps its records, as a profile file says it.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Profile {
    /// What makes its games known: a file of a profile is always about a launcher.
    #[serde(skip)]
    pub origin: Origin,
    /// Version of the format: 1.
    pub format: u32,
    /// A short name for files and ids: letters, digits and hyphens.
    pub id: String,
    /// The name that people read.
    pub name: String,
    /// Where the launcher's own folder may be; the first that is there counts.
    pub home: Vec<Meaning>,
    /// Names of its programs: none may run while its records change.
    #[serde(default)]
    pub processes: Vec<String>,
    /// Folders of Windows compatibility layers whose drive letters its paths use, in the order in which they are tried.
    #[serde(default)]
    pub prefixes: Vec<Meaning>,
    /// Whether letters of either case are the same in its paths.
    #[serde(default)]
    pub case_blind: bool,
    /// Variables in its paths, and what they stand for.
    #[serde(default)]
    pub variables: BTreeMap<String, Meaning>,
    /// Its libraries, if it has such folders.
    pub libraries: Option<Libraries>,
    /// Its games.
    pub games: Games,
    /// Records outside the list of games.
    #[serde(default)]
    pub records: Vec<FileRecord>,
    /// Its own lists of what a game consists of.
    pub contents: Option<Contents>,
    /// Where games keep user data.
    #[serde(default)]
    pub user_data: Vec<UserDataAt>,
    /// How files on disk become an installed game.
    #[serde(rename = "import", alias = "adopt")]
    pub adopt: Option<Adopt>,
    /// What another PC needs, to run it from a drive that was carried there.
    #[serde(rename = "pack", alias = "carry")]
    pub carry: Option<Carry>,
    /// What it was learned from, if it was.
    pub learned: Option<LearnedFrom>,
    /// How a game is started through the launcher: the program and its arguments, with `{home}` and `{id}`.
    #[serde(default)]
    pub start: Vec<Meaning>,
}

/// What a profile was learned from, and what was proved of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct LearnedFrom {
    /// Games that were installed.
    pub games: usize,
    /// Moves that were rehearsed and undone.
    pub moves: usize,
    /// Places that lead to games and that it covers.
    pub places: usize,
    /// What was asked, or taken to be the likeliest.
    #[serde(default)]
    pub asked: usize,
    /// What the entries of its games said.
    #[serde(default, skip_serializing)]
    pub entry: Option<EntryShape>,
    /// What the entries of its libraries said.
    #[serde(default, skip_serializing)]
    pub library: Option<EntryShape>,
}

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
    fn fault(&self) -> Option<&'static str> {
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

/// Why a profile is not used. The other profiles are.
#[derive(Debug, Error)]
pub enum ProfileError {
    /// The file or folder cannot be read.
    #[error("couldn't read {file}")]
    Read {
        /// The file.
        file: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// It is not a sound profile; `what` names line and fault.
    #[error("{file} is not a sound profile: {what}")]
    Unsound {
        /// The file.
        file: PathBuf,
        /// Line, column and fault.
        what: String,
    },
}

impl ProfileError {
    /// The file that isn't a sound profile.
    pub fn file(&self) -> &Path {
        match self {
            Self::Read { file, .. } | Self::Unsound { file, .. } => file,
        }
    }
}

impl Profile {
    /// The profile of a launcher that nobody has described: its games are known by other ways, and lie as `{install}`.
    ///
    /// `place` is the template of the folder into which they go on a drive.
    pub fn made_up(origin: Origin, name: &str, place: Option<&str>) -> Self {
        let meaning = |text: &str| Meaning::try_from(text.to_string()).unwrap_or_default();
        Self {
            origin,
            format: 1,
            id: origin.profile_id().unwrap_or_default().into(),
            name: name.into(),
            home: Vec::new(),
            processes: Vec::new(),
            prefixes: Vec::new(),
            case_blind: false,
            variables: BTreeMap::new(),
            libraries: None,
            games: Games { install: meaning("{install}"), place: place.map(meaning), ..Games::default() },
            records: Vec::new(),
            contents: None,
            user_data: Vec::new(),
            adopt: None,
            carry: None,
            learned: None,
            start: Vec::new(),
        }
    }

    /// Reads a profile from the text of `file`.
    pub fn parse(text: &str, file: &Path) -> Result<Self, ProfileError> {
        let unsound = |what: String| ProfileError::Unsound { file: file.into(), what };
        let profile: Self = toml::from_str(text).map_err(|e| unsound(e.to_string()))?;
        if profile.format != 1 {
            return Err(unsound(format!("format {} is not known here; this program reads 1", profile.format)));
        }
        if profile.id.is_empty() || !profile.id.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-') {
            return Err(unsound(format!("id {:?} must be letters, digits and hyphens", profile.id)));
        }
        if let Some(what) = profile.contents.as_ref().and_then(Contents::fault) {
            return Err(unsound(format!("[contents] {what}")));
        }
        // A number stands for every name: what stands in quotes may be any.
        let names = [
            "id",
            "folder",
            "install",
            "parent",
            "library",
            "library-id",
            "home",
            "user",
            "config",
            "data",
            "state",
            "tail",
        ];
        let numbers = names.into_iter().fold(Values::default(), |values, name| values.with(name, "0"));
        for selector in profile.selectors() {
            let filled = Meaning::try_from(selector.clone()).and_then(|meaning| meaning.fill_quoted(&numbers));
            if let Err(error) = read_selector(filled.as_ref().unwrap_or(&selector)) {
                return Err(unsound(format!(
                    "{} is not a JSONPath: {error}{}",
                    cut(&selector),
                    line_of(text, &selector)
                )));
            }
        }
        if profile.games.list.is_some() == profile.games.entries.is_some() {
            return Err(unsound("[games] must say either list or entries".into()));
        }
        if profile.games.travels && profile.games.list.is_none() && !profile.games.file.names("id") {
            return Err(unsound("entries that travel need a list, or a file for each game".into()));
        }
        if let Some(what) = profile.reference_fault().or_else(|| profile.entries_fault()) {
            return Err(unsound(what.into()));
        }
        if profile.user_data.iter().any(|data| data.path.is_none() && data.setting.is_none()) {
            return Err(unsound("[[user-data]] must say a path or a setting".into()));
        }
        let known =
            profile.games.records.iter().any(|r| {
                r.inside.is_empty() && r.within.is_value() && (r.meaning.is("folder") || r.meaning.is("install"))
            });
        if !known && !profile.games.knows_by_what_lies_in_it() {
            return Err(unsound(
                "no record in [games] means {folder} or {install}, so no game's place can be known; one that points to something in the game's folder needs games.folders as well".into(),
            ));
        }
        Ok(profile)
    }

    /// Why games cannot refer to their libraries as it says.
    fn reference_fault(&self) -> Option<&'static str> {
        let refers = self.games.records.iter().any(|record| record.meaning.is("library-id"));
        let id = self.libraries.as_ref().and_then(|libraries| libraries.id.as_ref());
        match (refers, id, &self.libraries) {
            (true, None, _) => Some("a record means {library-id}, and libraries.id does not say what that is"),
            // What games refer to a new one by is its number, or only its launcher can say.
            (_, Some(id), Some(libraries)) => {
                let numbered = |entry: &String| id == "key" || entry.contains("{nr}");
                let sound = match (&libraries.new, &libraries.new_entry) {
                    (None, None) => true,
                    (_, entry) => entry.as_ref().is_some_and(numbered),
                };
                (!sound).then_some("with libraries.id a new library needs a number: libraries.new-entry with {nr}, or leave out libraries.new")
            }
            _ => None,
        }
    }

    /// Why entries of games cannot stand in those of libraries as it says.
    fn entries_fault(&self) -> Option<&'static str> {
        let libraries = self.libraries.as_ref()?;
        let mut parts = libraries.holds.iter().filter(|part| part.says == LibrarySays::Entries);
        let (_, more) = (parts.next()?, parts.next());
        if more.is_some() {
            return Some(
                "entries of games are in one part of a library's entry: only one of [[libraries.holds]] says entries",
            );
        }
        if self.games.file != libraries.file || self.games.shape != libraries.shape {
            return Some(
                "entries of games that a library's entry holds are in its file: games.file and as are those of [libraries]",
            );
        }
        if self.games.travels {
            return Some("entries that a library's entry holds go with their games: leave out games.travels");
        }
        // What one list holds is not in the entries of several libraries.
        self.games
            .list
            .is_some()
            .then_some("entries of games in those of libraries are selected by games.entries, not list")
    }

    /// Whether the entries of its games stand in those of its libraries.
    pub fn holds_entries(&self) -> bool {
        let mut parts = self.libraries.iter().flat_map(|libraries| &libraries.holds);
        parts.any(|part| part.says == LibrarySays::Entries)
    }

    fn selectors(&self) -> Vec<String> {
        let games = &self.games;
        let mut all = Vec::new();
        if let Some(libraries) = &self.libraries {
            all.extend([libraries.list.clone(), libraries.path.clone()]);
            all.extend(libraries.entries.clone());
            all.extend(libraries.id.iter().filter(|id| *id != "key").cloned());
            all.extend([&libraries.default_at, &libraries.total, &libraries.named_by].into_iter().flatten().cloned());
            all.extend(
                libraries.holds.iter().flat_map(|part| part.id.clone().into_iter().chain([part.selector.clone()])),
            );
        }
        let single = [
            &games.list,
            &games.entries,
            &games.id,
            &games.title,
            &games.claim,
            &games.program,
            &games.sealed,
            &games.last_run,
        ];
        all.extend(single.into_iter().flatten().cloned());
        all.extend(games.update.iter().flat_map(|u| [u.have.clone(), u.want.clone()]));
        all.extend(games.records.iter().map(|r| r.selector.clone()));
        // Names in a selector stand inside quotes; any text there keeps it a JSONPath.
        all.extend(self.records.iter().map(|r| r.selector.to_string()));
        all.extend(self.user_data.iter().filter_map(|data| Some(data.setting.as_ref()?.selector.to_string())));
        let listed = self.contents.iter().filter(|contents| contents.columns.is_empty());
        all.extend(listed.clone().flat_map(|c| [c.list.clone(), c.path.clone(), c.hash.clone()]));
        all.extend(listed.flat_map(|c| [c.size.clone(), c.title.clone(), c.program.clone()]).flatten());
        all
    }
}

fn line_of(text: &str, selector: &str) -> String {
    let written = text.lines().position(|line| line.contains(selector));
    written.map_or_else(String::new, |n| format!(" (line {})", n + 1))
}

/// Reads every `*.toml` of the profile folder, in the order of their names; a folder that is not there holds none.
pub fn load_profiles(folder: &Path) -> (Vec<Profile>, Vec<ProfileError>) {
    let mut profiles: Vec<Profile> = Vec::new();
    let mut errors = Vec::new();
    let entries = match platform::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return (profiles, errors),
        Err(source) => return (profiles, vec![ProfileError::Read { file: folder.into(), source }]),
    };
    let mut files: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
    files.retain(|file| file.extension().is_some_and(|e| e == "toml"));
    files.sort();
    for file in files {
        let read = platform::read_to_string(&file).map_err(|source| ProfileError::Read { file: file.clone(), source });
        match read.and_then(|text| Profile::parse(&text, &file)) {
            Ok(profile) if profiles.iter().any(|other| other.id == profile.id) => {
                let what = format!("the id {:?} is another profile's already", profile.id);
                errors.push(ProfileError::Unsound { file, what });
            }
            Ok(profile) => profiles.push(profile),
            Err(error) => errors.push(error),
        }
    }
    (profiles, errors)
}

#[cfg(test)]
mod tests;
