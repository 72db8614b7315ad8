//! What the journal holds, as values.

use crate::bytes::index;
use jiff::Timestamp;
use rusqlite::{Connection, params};

use crate::bytes::{Bytes, HaulId, ItemId};

use std::sync::Arc;

use crate::item::{Policy, Stage, StageKind, Strategy};

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
            blocks: vec![None; index(blocks)],
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
pub struct UnreadableStretch {
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
    pub unreadable: Vec<UnreadableStretch>,
    /// Files whose bytes were taken from another copy: of these the originals are not whole.
    pub taken: u64,
}

impl ItemRow {
    /// Where the originals are that it holds.
    pub fn held_at(&self) -> &std::path::Path {
        if self.planned.mode == Strategy::Quarantine { &self.planned.to } else { &self.planned.from }
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
        let holds =
            |item: &ItemRow| item.stage == Stage::Proved { holds: true } && item.planned.mode != Strategy::Records;
        let owes = |item: &ItemRow| self.policy == Policy::Release || item.planned.policy == Policy::Release;
        self.items.iter().any(|item| owes(item) && holds(item))
    }

    /// Whether some item is under way.
    pub fn unfinished(&self) -> bool {
        self.items.iter().any(|item| !item.stage.at_rest())
    }
}

/// What a line of the log tells of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum EventKind {
    /// A haul was begun.
    Begun,
    /// An item could not go on.
    Failed,
    /// A proof was made.
    Proved,
    /// Originals were released.
    Released,
    /// An item was undone.
    Undone,
    /// An item, or all that was open of a haul, was cancelled.
    Cancelled,
    /// A launcher does not list the game any more.
    Unlisted,
    /// A launcher had written its old records, and they were updated once more.
    UpdatedAgain,
    /// Something could not be removed and was left.
    Left,
    /// A file was taken from another copy, since the original cannot be read.
    Taken,
    /// A game was started.
    Launched,
    /// A damaged game was repaired.
    Repaired,
    /// A newer version wrote something that is not known here.
    Unknown,
}

impl EventKind {
    const ALL: [(Self, &str, &str); 12] = [
        (Self::Begun, "begun", "begun"),
        (Self::Failed, "failed", "failed"),
        (Self::Proved, "proved", "proved"),
        (Self::Released, "released", "released"),
        (Self::Undone, "undone", "returned"),
        (Self::Cancelled, "cancelled", "given up"),
        (Self::Unlisted, "unlisted", "unlisted"),
        (Self::UpdatedAgain, "updated-again", "led again"),
        (Self::Left, "left", "left"),
        (Self::Taken, "taken", "taken"),
        (Self::Launched, "launched", "tried"),
        (Self::Repaired, "repaired", "mended"),
    ];

    /// The word that the journal has for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(kind, ..)| *kind == self).map_or("unknown", |(_, word, _)| word)
    }

    /// What a word of the journal says, of whatever version.
    pub(crate) fn of_word(word: &str) -> Self {
        let known = Self::ALL.iter().find(|(_, new, older)| word == *new || word == *older);
        known.map_or(Self::Unknown, |(kind, ..)| *kind)
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
    /// What happened.
    pub word: EventKind,
    /// More of it: a title or a reason.
    pub detail: String,
}

/// What a mark says of an item.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Came {
    /// It has reached a stage.
    To(StageKind),
    /// It could not go on.
    Stopped,
    /// A person had it wait.
    Paused,
    /// It goes on after an end of the program, a pause or a stop.
    Resumed,
}

impl Came {
    /// The word that the journal has for it.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::To(stage) => stage.word(),
            Self::Stopped => "stopped",
            Self::Paused => "paused",
            Self::Resumed => "resumed",
        }
    }

    /// What a word of the journal says, of whatever version; `None` for a word that is not known here.
    pub(crate) fn of_word(word: &str) -> Option<Self> {
        let breaks = [Self::Stopped, Self::Paused, Self::Resumed];
        let found = breaks.into_iter().find(|came| came.word() == word);
        found.or_else(|| StageKind::of_word(word).map(Self::To))
    }
}

/// When an item came to a stage, or to a break.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// The item.
    pub item: ItemId,
    /// When.
    pub at: Timestamp,
    /// Where.
    pub came: Came,
}

/// How far the copy of an item was at a moment.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sample {
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
pub(crate) fn put_mark(db: &Connection, item: ItemId, came: Came) -> rusqlite::Result<()> {
    let sql = "insert into reached(lot, at, word) values(?1, ?2, ?3)";
    db.prepare_cached(sql)?.execute(params![item.0, Timestamp::now().to_string(), came.word()]).map(drop)
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
    pub mode: Strategy,
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

pub(crate) fn holds_originals(mode: Strategy, keeps: bool, stage: &Stage) -> bool {
    matches!(mode, Strategy::Copy | Strategy::TakeBack | Strategy::Duplicate | Strategy::Quarantine)
        && !keeps
        // An old copy that is not the same as the one that stays is left alone.
        && !(mode == Strategy::Duplicate && *stage == Stage::Proved { holds: false })
        && matches!(stage, Stage::RecordsUpdated | Stage::Proved { .. } | Stage::Releasing)
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
