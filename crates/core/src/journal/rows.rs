//! What the journal holds, as values.

use std::path::{Path, PathBuf};

use jiff::Timestamp;

use serde::Serialize;

use super::lines::holds_originals;
use crate::bytes::{HaulId, LotId};
use crate::checksums::{BlockHash, Entry, EntryKind, FileIdentity};
use crate::item::{Mode, PlannedLot, Policy, Proof, Stage, Trial};
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

/// A line of a lot's tally.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TallyEntry {
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

impl TallyEntry {
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

/// What a lot's tally comes to.
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
    /// The file, below the lot.
    #[serde(serialize_with = "shown_path")]
    pub path: PathBuf,
    /// First byte.
    pub from: u64,
    /// The byte behind the last one.
    pub to: u64,
}

/// A lot as the journal has it.
#[derive(Clone, Debug, Serialize)]
pub struct LotRow {
    /// Its number.
    pub id: LotId,
    /// Its haul.
    pub haul: HaulId,
    /// The plan for it.
    pub planned: PlannedLot,
    /// Where it stands.
    pub stage: Stage,
    /// Its proof.
    pub proof: Option<Proof>,
    /// The lot of an earlier haul that it takes back.
    pub takes_back: Option<LotId>,
    /// Why it stopped, if it did.
    pub error: Option<String>,
    /// What could not be read of its originals.
    pub unreadable: Vec<Unreadable>,
    /// Files whose bytes were taken from another copy: of these the originals are not whole.
    pub taken: u64,
}

impl LotRow {
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
    /// Whether its first lot is a trial.
    pub trial: Trial,
    /// Its lots.
    pub lots: Vec<LotRow>,
}

impl HaulRow {
    /// The same haul with some of its lots alone.
    #[must_use]
    pub fn only(&self, lots: &[LotId]) -> Self {
        let kept = self.lots.iter().filter(|lot| lots.contains(&lot.id)).cloned().collect();
        Self { lots: kept, ..self.clone() }
    }

    /// Whether it was to release its originals as soon as they were proved, and holds some still.
    pub fn owes_release(&self) -> bool {
        let holds = |lot: &LotRow| lot.stage == Stage::Proved { holds: true } && lot.planned.mode != Mode::Records;
        let owes = |lot: &LotRow| self.policy == Policy::Release || lot.planned.policy == Policy::Release;
        self.lots.iter().any(|lot| owes(lot) && holds(lot))
    }

    /// Whether some lot is under way.
    pub fn unfinished(&self) -> bool {
        self.lots.iter().any(|lot| !lot.stage.at_rest())
    }
}

/// A line of the log.
#[derive(Clone, Debug, Serialize)]
pub struct Event {
    /// When.
    pub at: Timestamp,
    /// The haul.
    pub haul: HaulId,
    /// The lot.
    pub lot: Option<LotId>,
    /// What happened, in one word.
    pub word: String,
    /// More of it: a title or a reason.
    pub detail: String,
}
