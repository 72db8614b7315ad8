//! What the journal holds, as values.

use jiff::Timestamp;
use rusqlite::{Connection, params};

use crate::bytes::{Bytes, HaulId, ItemId};

use std::sync::Arc;

use crate::item::{Mode, Policy, Stage};

use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::checksums::{BlockHash, Entry, EntryKind, FileIdentity};
use crate::item::{PlannedItem, Proof, Trial};
use crate::platform::{Steady, shown_path};
use crate::site::DrivePlace;

/// What was seen of a finished copy: its own inode and time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct There {
    /// Inode of the copy.
    pub inode: u64,
    /// Time of its last change, nanoseconds since 1970.
    pub modified_ns: i128,
    /// Time of the last change of its status; `None` where it was not kept.
    pub changed_ns: Option<i128>,
}

/// An extended attribute: its name and its value.
pub type Attribute = (Vec<u8>, Vec<u8>);

/// A line of an item's checksums.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileEntry {
    /// The original as it was walked.
    pub entry: Entry,
    /// The copy, once it is there.
    pub there: Option<There>,
    /// Whether it was read back and is the same.
    pub compared: bool,
    /// The content list's hash, where the list has this file.
    pub digest: Option<Vec<u8>>,
    /// Hash of each block that was read from the original.
    pub blocks: Vec<Option<BlockHash>>,
    /// Another copy that its bytes are taken from, where the original cannot be read.
    pub taken: Option<PathBuf>,
    /// Extended attributes that the original has.
    pub attributes: Vec<Attribute>,
    /// What of it the copy's file system did not take, though it can: attributes, permissions, the owner.
    pub unkept: Option<String>,
}

impl FileEntry {
    /// A line of which nothing is done yet.
    pub(crate) fn fresh(entry: Entry) -> Self {
        let blocks = if entry.kind == EntryKind::File { crate::checksums::block_count(entry.size) } else { 0 };
        Self {
            entry,
            there: None,
            compared: false,
            digest: None,
            blocks: vec![None; blocks as usize],
            taken: None,
            attributes: Vec::new(),
            unkept: None,
        }
    }

    /// What was seen of the copy, once it was there.
    pub(crate) fn copy(&self, steady: Steady) -> Option<FileIdentity> {
        let there = self.there?;
        let entry = Entry {
            inode: there.inode,
            modified_ns: there.modified_ns,
            changed_ns: there.changed_ns,
            ..self.entry.clone()
        };
        Some(FileIdentity::of(&entry, steady))
    }
}

/// What an item's checksums comes to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Sums {
    /// Lines.
    pub(crate) lines: u64,
    /// Files.
    pub(crate) files: u64,
    /// Bytes of all files.
    pub(crate) bytes: u64,
    /// Files that were read back and are the same.
    pub(crate) same: u64,
    /// Bytes of those.
    pub(crate) same_bytes: u64,
}

/// A stretch of an original that could not be read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Unreadable {
    /// The file, below the item.
    #[serde(serialize_with = "shown_path")]
    pub path: PathBuf,
    /// First byte.
    pub from: u64,
    /// The byte behind the last one.
    pub to: u64,
}

/// An item as the journal has it.
#[derive(Clone, Debug, Serialize)]
pub struct ItemRow {
    /// Its number.
    pub id: ItemId,
    /// Its haul.
    pub haul: HaulId,
    /// The plan for it.
    pub planned: PlannedItem,
    /// Where it stands.
    pub stage: Stage,
    /// Its proof.
    pub proof: Option<Proof>,
    /// The item of an earlier haul that it takes back.
    pub takes_back: Option<ItemId>,
    /// Why it stopped, if it did.
    pub error: Option<String>,
    /// What could not be read of its originals.
    pub unreadable: Vec<Unreadable>,
    /// Files whose bytes were taken from another copy: of these the originals are not whole.
    pub taken: u64,
}

impl ItemRow {
    /// Where the originals are that it holds.
    pub fn held_at(&self) -> &std::path::Path {
        if self.planned.mode == Mode::SetAside { &self.planned.to } else { &self.planned.from }
    }

    /// Whether what it brought lies at this path, whatever path its drive had then; `here` is the place of the path by its drive.
    pub(crate) fn is_at(&self, path: &Path, here: Option<&DrivePlace>) -> bool {
        let same = |known: &DrivePlace| here.is_some_and(|here| known.drive == here.drive && known.below == here.below);
        self.planned.to == path || self.planned.to_place.as_ref().is_some_and(same) || self.planned.place() == path
    }

    /// Whether it still holds originals: compared and repointed, and not yet released.
    pub fn holds_originals(&self) -> bool {
        holds_originals(self.planned.mode, self.planned.keeps, &self.stage)
    }
}

/// A haul as the journal has it.
#[derive(Clone, Debug, Serialize)]
pub struct HaulRow {
    /// Its number.
    pub id: HaulId,
    /// When it was begun.
    pub made: Timestamp,
    /// When originals are released.
    pub policy: Policy,
    /// The haul that it returns.
    pub returns: Option<HaulId>,
    /// Whether its first item is a trial.
    pub trial: Trial,
    /// Its items.
    pub items: Vec<ItemRow>,
}

impl HaulRow {
    /// The same haul with some of its items alone.
    #[must_use]
    pub fn only(&self, items: &[ItemId]) -> Self {
        let kept = self.items.iter().filter(|item| items.contains(&item.id)).cloned().collect();
        Self { items: kept, ..self.clone() }
    }

    /// Whether it was to release its originals as soon as they were proved, and holds some still.
    pub fn owes_release(&self) -> bool {
        let holds = |item: &ItemRow| item.stage == Stage::Proved { holds: true } && item.planned.mode != Mode::Records;
        let owes = |item: &ItemRow| self.policy == Policy::Release || item.planned.policy == Policy::Release;
        self.items.iter().any(|item| owes(item) && holds(item))
    }

    /// Whether some item is under way.
    pub fn unfinished(&self) -> bool {
        self.items.iter().any(|item| !item.stage.at_rest())
    }
}

/// A line of the log.
#[derive(Clone, Debug, Serialize)]
pub struct Event {
    /// When.
    pub at: Timestamp,
    /// The haul.
    pub haul: HaulId,
    /// The item.
    pub item: Option<ItemId>,
    /// What happened, in one word.
    pub word: String,
    /// More of it: a title or a reason.
    pub detail: String,
}

/// When an item came somewhere: the word of a stage, or `paused`, `stopped`, `resumed`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// The item.
    pub item: ItemId,
    /// When.
    pub at: Timestamp,
    /// Where.
    pub word: String,
}

impl Mark {
    /// The word for an item that could not go on.
    pub const STOPPED: &str = "stopped";
    /// The word for an item that a person had wait.
    pub const PAUSED: &str = "paused";
    /// The word for an item that goes on after an end of the program, a pause or a stop.
    pub const RESUMED: &str = "resumed";

    /// Whether it says that there was a break, and not that a stage was reached.
    pub fn is_of_break(&self) -> bool {
        matches!(self.word.as_str(), Self::STOPPED | Self::PAUSED | Self::RESUMED)
    }
}

/// How far the copy of an item was at a moment.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pulse {
    /// The item.
    pub item: ItemId,
    /// When, to the millisecond.
    pub at: Timestamp,
    /// Bytes read from the originals and written, in all.
    pub copied: Bytes,
    /// Bytes read back and compared, in all.
    pub compared: Bytes,
    /// The most bytes per second that were allowed.
    pub limit: Option<Bytes>,
    /// Bytes that could not be read, in all.
    pub unreadable: Bytes,
    /// Blocks that were copied again because they differed, in all.
    pub repaired: u64,
}

/// Says where an item came, within an act that changes its row.
pub(crate) fn put_mark(db: &Connection, item: ItemId, word: &str) -> rusqlite::Result<()> {
    let sql = "insert into reached(lot, at, word) values(?1, ?2, ?3)";
    db.prepare_cached(sql)?.execute(params![item.0, Timestamp::now().to_string(), word]).map(drop)
}

/// An item in a line of the log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ItemLine {
    /// Its number.
    pub id: ItemId,
    /// Title of its game.
    pub title: String,
    /// The drive that it left, if it lay on one.
    pub from_drive: Option<Arc<str>>,
    /// The drive that it went to.
    pub to_drive: Arc<str>,
    /// Its size on its old drive.
    pub on_disk: Bytes,
    /// How it went.
    pub mode: Mode,
    /// When its originals are released, beside the haul's policy.
    pub policy: Policy,
    /// Whether its originals stay for good.
    pub keeps: bool,
    /// Where it stands.
    pub stage: Stage,
    /// The item of an earlier haul that it takes back.
    pub takes_back: Option<ItemId>,
}

impl ItemLine {
    /// Whether it still holds originals: compared and repointed, and not yet released.
    pub fn holds_originals(&self) -> bool {
        holds_originals(self.mode, self.keeps, &self.stage)
    }
}

/// A haul in the log.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LogLine {
    /// Its number.
    pub id: HaulId,
    /// When it was begun.
    pub made: Timestamp,
    /// When originals are released.
    pub policy: Policy,
    /// The haul that it returns.
    pub returns: Option<HaulId>,
    /// When its last proof was made.
    pub proved: Option<Timestamp>,
    /// Its items.
    pub items: Vec<ItemLine>,
}

impl LogLine {
    /// Whether some item is under way.
    pub fn unfinished(&self) -> bool {
        self.items.iter().any(|item| !item.stage.at_rest())
    }

    /// Bytes of its items on their old drives.
    pub fn bytes(&self) -> Bytes {
        self.items.iter().map(|item| item.on_disk).sum()
    }

    /// Whether every one of the words, in lower case, stands in a title, in the name of a drive, in the day as in `2026-11-25`, or is
    /// the haul's number.
    pub fn fits(&self, words: &[String]) -> bool {
        let day = self.made.strftime("%Y-%m-%d").to_string();
        let within = |text: &str, word: &str| text.to_lowercase().contains(word);
        words.iter().all(|word| {
            self.id.0.to_string() == *word
                // A short number is no day.
                || (word.len() >= 4 && day.contains(word.as_str()))
                || self.items.iter().any(|item| {
                    within(&item.title, word)
                        || within(&item.to_drive, word)
                        || item.from_drive.as_deref().is_some_and(|drive| within(drive, word))
                })
        })
    }
}

pub(crate) fn holds_originals(mode: Mode, keeps: bool, stage: &Stage) -> bool {
    matches!(mode, Mode::Copy | Mode::TakeBack | Mode::Spare | Mode::SetAside)
        && !keeps
        // An old copy that is not the same as the one that stays is left alone.
        && !(mode == Mode::Spare && *stage == Stage::Proved { holds: false })
        && matches!(stage, Stage::Repointed | Stage::Proved { .. } | Stage::Releasing)
}

/// The line of a haul that was read whole, as far as the haul says it.
impl From<&HaulRow> for LogLine {
    fn from(haul: &HaulRow) -> Self {
        let item = |item: &ItemRow| ItemLine {
            id: item.id,
            title: item.planned.title.clone(),
            from_drive: item.planned.from_drive.as_deref().map(Arc::from),
            to_drive: item.planned.to_drive.as_str().into(),
            on_disk: item.planned.size.on_disk,
            mode: item.planned.mode,
            policy: item.planned.policy,
            keeps: item.planned.keeps,
            stage: item.stage.clone(),
            takes_back: item.takes_back,
        };
        Self {
            id: haul.id,
            made: haul.made,
            policy: haul.policy,
            returns: haul.returns,
            proved: None,
            items: haul.items.iter().map(item).collect(),
        }
    }
}
