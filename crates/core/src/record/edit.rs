//! Changes of records as values that can be looked at, made, made again after a crash, and turned round.
//!
//! Law: all edits of an item are first made in memory ([`super::Files`]); only if every one of them could
//! be made do the new bytes go to the drive. An entry arrives before it leaves, so that at every
//! instant one list names the game.

use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::database_error::DatabaseError;
use super::fault::DocumentError;
use super::parts::Within;
use super::place::{Place, Side, Step};
use crate::record::formats::Format;

/// A document within a text: the text at a location is a document of its own.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hop {
    /// The format of the text.
    #[serde(rename = "as")]
    pub format: Format,
    /// JSONPath from the root of that document.
    pub location: String,
}

/// A change of one text, within an entry or a file: `location` starts there.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rewrite {
    /// JSONPath.
    pub location: String,
    /// Documents within the text at the location, from the outermost.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub inside: Vec<Hop>,
    /// Key or value.
    pub side: Side,
    /// What of the text is changed.
    #[serde(default, skip_serializing_if = "Within::is_value")]
    pub within: Within,
    /// What it says before; of a part, just as it is written in the text, quotes included.
    pub old: String,
    /// What it says afterwards.
    pub new: String,
    /// How the whole text is written in the file before and afterwards, where that is known.
    #[serde(default, skip_serializing_if = "is_unknown")]
    pub written: [Option<String>; 2],
}

fn is_unknown(written: &[Option<String>; 2]) -> bool {
    written.iter().all(Option::is_none)
}

/// A number that an entry takes with it: a library's total.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Total {
    /// JSONPath of the number, in both files.
    pub location: String,
    /// How much of it is the entry's.
    pub amount: i64,
}

/// An entry that comes into a list or goes from it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Entering {
    /// The file of the list.
    pub file: PathBuf,
    /// Its format.
    #[serde(rename = "as")]
    pub format: Format,
    /// JSONPath of the list.
    pub list: String,
    /// JSONPath from an entry to its id; `None` where the key is the id.
    pub id_at: Option<String>,
    /// The id.
    pub id: String,
    /// The entry, in that format.
    pub entry: String,
    /// Numbers of the file that have to stay true.
    #[serde(default)]
    pub totals: Vec<Total>,
}

/// What a part of a library's entry says of the games in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LibrarySays {
    /// Which games these are: members named by them, or a list that names each.
    Games,
    /// How many there are.
    Count,
    /// How many bytes they have.
    Bytes,
    /// All that its launcher says of each: their own entries.
    Entries,
}

impl LibrarySays {
    /// Whether it names the games.
    pub fn names_games(self) -> bool {
        matches!(self, Self::Games | Self::Entries)
    }
}

/// A part of a library's entry that speaks of the games in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub struct HeldPart {
    /// JSONPath from the entry.
    pub selector: String,
    /// What it says.
    pub says: LibrarySays,
    /// In a list, JSONPath from an element to what names the game; without it the element itself does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// Of games, JSONPath from an element or a member to the bytes that sums beside it sum; without it they sum what the game claims, else
    /// what its member says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<String>,
}

/// The change that has a list of libraries say where a game is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Following {
    /// The file that lists libraries.
    pub file: PathBuf,
    /// Its format.
    #[serde(rename = "as")]
    pub format: Format,
    /// JSONPath of the list.
    pub list: String,
    /// JSONPath from an entry to the library's folder.
    pub path: String,
    /// What the entry that the game leaves says there.
    pub from: String,
    /// What the entry says there to which it comes.
    pub to: String,
    /// What names the game in these entries.
    pub id: String,
    /// Bytes that its launcher claims, for sums; 0 where only the entry says how many are its own.
    pub bytes: i64,
    /// What changes.
    pub parts: Vec<HeldPart>,
    /// What changes in the game's own entry on the way, if that is one of the parts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rewrites: Vec<Rewrite>,
}

/// One change of one or two record files.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "edit")]
pub enum Edit {
    /// A key or value says another text.
    Replace {
        /// The record file.
        file: PathBuf,
        /// Its format; a database has none.
        #[serde(rename = "as")]
        format: Option<Format>,
        /// The change, its location from the root of the file.
        #[serde(flatten)]
        rewrite: Rewrite,
    },
    /// An entry goes from one file's list to another's.
    Travel {
        /// The file it leaves.
        from: PathBuf,
        /// The file it arrives in.
        to: PathBuf,
        /// The format of both.
        #[serde(rename = "as")]
        format: Format,
        /// JSONPath of the list, in both.
        list: String,
        /// JSONPath from an entry to its id; `None` where the key is the id.
        id_at: Option<String>,
        /// The id.
        id: String,
        /// What changes in it on the way.
        rewrites: Vec<Rewrite>,
        /// Numbers of the two files that have to stay true.
        #[serde(default)]
        totals: Vec<Total>,
    },
    /// An entry comes into a list.
    Enter(Entering),
    /// An entry goes from a list.
    Leave(Entering),
    /// What a list of libraries says of a game goes from one library's entry to another's.
    Follow(Following),
    /// A file of one game's own goes to another library with it.
    Relocate {
        /// The file as it lies before.
        from: PathBuf,
        /// The file as it lies afterwards.
        to: PathBuf,
        /// Its format.
        #[serde(rename = "as")]
        format: Format,
        /// What changes in it on the way.
        rewrites: Vec<Rewrite>,
    },
    /// A small file comes to be, or goes.
    Made {
        /// The file.
        file: PathBuf,
        /// What it held; `None` if it was not there.
        old: Option<String>,
        /// What it holds; `None` if it goes.
        new: Option<String>,
    },
    /// A library becomes known to its launcher.
    Register(Registering),
    /// A library that a haul made known is forgotten again, if nothing lives in it.
    Unregister(Registering),
    /// An entry of a list gets another number in it.
    Order {
        /// The file of the list.
        file: PathBuf,
        /// Its format.
        #[serde(rename = "as")]
        format: Format,
        /// JSONPath of the list.
        list: String,
        /// JSONPath from an entry to what tells it from the others.
        at: String,
        /// What the entry says there.
        says: String,
        /// Its number before, from 0.
        old: usize,
        /// Its number afterwards.
        new: usize,
    },
    /// A symbolic link leads elsewhere, comes to be, or goes.
    Link {
        /// The link.
        link: PathBuf,
        /// Where it led; `None` if there was none.
        old: Option<PathBuf>,
        /// Where it leads; `None` if it goes.
        new: Option<PathBuf>,
    },
}

/// How a launcher says that it has a library.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Registering {
    /// The file that lists libraries.
    pub file: PathBuf,
    /// Its format.
    #[serde(rename = "as")]
    pub format: Format,
    /// JSONPath of the list.
    pub list: String,
    /// The entry, in that format; in a list whose entries have keys together with its own.
    pub entry: String,
    /// JSONPath from an entry to the library's folder, by which one that is known already is told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path: Option<String>,
    /// The library's own file, and the text that it has while nothing is in the library.
    pub made: Option<(PathBuf, String)>,
    /// Whether the library was listed before: then only its own file comes and goes.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub listed: bool,
    /// The library's folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub library: Option<PathBuf>,
    /// JSONPath from an entry to the number by which games refer to it, which no two have.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
}

/// Whether an edit that is made already is an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mood {
    /// Every record must say what the survey read.
    Strict,
    /// A record may say already what it is to say: for going on after a crash.
    Again,
}

/// Why edits were not made. Every record file holds the bytes it held before the call.
#[derive(Debug, Error)]
pub enum EditError {
    /// A record file cannot be read.
    #[error("couldn't read {file}")]
    Read {
        /// The file.
        file: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// A record file is not what it should be, or an edit in it is impossible.
    #[error("{file}: {source}")]
    Document {
        /// The file.
        file: PathBuf,
        /// The fault.
        source: DocumentError,
    },
    /// A database is held, changed or broken.
    #[error(transparent)]
    Database(#[from] DatabaseError),
    /// A record does not say what the survey read.
    #[error("{file} {location} has changed since the survey")]
    RecordChanged {
        /// The file.
        file: PathBuf,
        /// The place in it.
        location: String,
    },
    /// A record that was found cannot say what it should.
    #[error("{why}")]
    Impossible {
        /// Why not.
        why: String,
    },
    /// A file that was to be made is there already with another content.
    #[error("{file} exists already")]
    Exists {
        /// The file.
        file: PathBuf,
    },
}

impl EditError {
    /// The line, if it is known, and what is wrong there, for somebody who knows which file it is.
    pub(crate) fn in_its_file(&self) -> (Option<usize>, String) {
        match self {
            Self::Read { source, .. } if source.kind() == io::ErrorKind::NotFound => {
                (None, "the file doesn't exist".to_string())
            }
            Self::Read { source, .. } => (None, format!("couldn't read the file: {source}")),
            Self::Document { source: source @ DocumentError::Syntax { line, .. }, .. } => {
                (Some(*line), source.to_string())
            }
            Self::Document { source, .. } => (None, source.to_string()),
            other => (None, other.to_string()),
        }
    }
}

impl Rewrite {
    /// The change of a whole value.
    pub fn of_value(location: &str, old: &str, new: &str) -> Self {
        Self {
            location: location.into(),
            inside: Vec::new(),
            side: Side::Value,
            within: Within::Value,
            old: old.into(),
            new: new.into(),
            written: [None, None],
        }
    }

    fn turned(&self) -> Self {
        let mut turned = self.clone();
        std::mem::swap(&mut turned.old, &mut turned.new);
        turned.written.swap(0, 1);
        if self.side == Side::Key {
            // The last step of a normalized path is the key itself.
            let location = turned.inside.last_mut().map_or(&mut turned.location, |hop| &mut hop.location);
            let old = Place(vec![Step::Name(self.old.clone())]).to_string();
            let new = Place(vec![Step::Name(self.new.clone())]).to_string();
            if let Some(list) = location.strip_suffix(&old[1..]) {
                *location = format!("{list}{}", &new[1..]);
            }
        }
        turned
    }
}

impl Following {
    /// The change that takes this one back.
    #[must_use]
    pub fn turned(&self) -> Self {
        let rewrites = self.rewrites.iter().rev().map(Rewrite::turned).collect();
        Self { from: self.to.clone(), to: self.from.clone(), rewrites, ..self.clone() }
    }
}

pub(crate) fn in_file(file: &Path) -> impl Fn(DocumentError) -> EditError + '_ {
    move |source| EditError::Document { file: file.into(), source }
}

pub(crate) fn changed(file: &Path, location: &str) -> EditError {
    EditError::RecordChanged { file: file.into(), location: location.into() }
}

impl Edit {
    /// The edit that takes this one back.
    #[must_use]
    pub fn turned(&self) -> Self {
        match self.clone() {
            Self::Replace { file, format, rewrite } => Self::Replace { file, format, rewrite: rewrite.turned() },
            Self::Travel { from, to, format, list, id_at, id, rewrites, totals } => Self::Travel {
                from: to,
                to: from,
                format,
                list,
                id_at,
                id,
                rewrites: rewrites.iter().rev().map(Rewrite::turned).collect(),
                totals,
            },
            Self::Relocate { from, to, format, rewrites } => Self::Relocate {
                from: to,
                to: from,
                format,
                rewrites: rewrites.iter().rev().map(Rewrite::turned).collect(),
            },
            Self::Made { file, old, new } => Self::Made { file, old: new, new: old },
            Self::Enter(entering) => Self::Leave(entering),
            Self::Leave(entering) => Self::Enter(entering),
            Self::Follow(following) => Self::Follow(following.turned()),
            Self::Register(library) => Self::Unregister(library),
            Self::Unregister(library) => Self::Register(library),
            Self::Order { file, format, list, at, says, old, new } => {
                Self::Order { file, format, list, at, says, old: new, new: old }
            }
            Self::Link { link, old, new } => Self::Link { link, old: new, new: old },
        }
    }

    /// Turns round a set of edits: the last one first.
    pub fn turned_all(edits: &[Self]) -> Vec<Self> {
        edits.iter().rev().map(Self::turned).collect()
    }

    /// The record files that the edit reads or writes.
    pub fn files(&self) -> Vec<&Path> {
        match self {
            Self::Replace { file, .. }
            | Self::Order { file, .. }
            | Self::Made { file, .. }
            | Self::Link { link: file, .. } => vec![file],
            Self::Travel { from, to, .. } | Self::Relocate { from, to, .. } => vec![to, from],
            Self::Enter(entering) | Self::Leave(entering) => vec![&entering.file],
            Self::Follow(following) => vec![&following.file],
            Self::Register(Registering { file, made, .. }) | Self::Unregister(Registering { file, made, .. }) => {
                made.iter().map(|(made, _)| made.as_path()).chain([file.as_path()]).collect()
            }
        }
    }

    /// The same edit, if the record files below `from` lie below `to`.
    #[must_use]
    pub fn carried(mut self, from: &Path, to: &Path) -> Self {
        let carry = |file: &mut PathBuf| {
            if let Ok(rest) = file.strip_prefix(from) {
                *file = to.join(rest);
            }
        };
        match &mut self {
            Self::Replace { file, .. }
            | Self::Order { file, .. }
            | Self::Made { file, .. }
            | Self::Link { link: file, .. } => carry(file),
            Self::Travel { from, to, .. } | Self::Relocate { from, to, .. } => [from, to].into_iter().for_each(carry),
            Self::Enter(entering) | Self::Leave(entering) => carry(&mut entering.file),
            Self::Follow(following) => carry(&mut following.file),
            Self::Register(Registering { file, made, .. }) | Self::Unregister(Registering { file, made, .. }) => {
                carry(file);
                if let Some((made, _)) = made {
                    carry(made);
                }
            }
        }
        self
    }
}
