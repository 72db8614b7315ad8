//! Why a haul did not go on, and what is true then.

use std::io;
use std::path::PathBuf;

use thiserror::Error;

use crate::bytes::HaulId;
use crate::item::{Finding, StageError};
use crate::journal::JournalError;
use crate::launcher::ContentsError;
use crate::record::EditError;

/// What is not there to be done.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum NothingThere {
    /// No haul has this number.
    #[error("no haul has the number {0}")]
    NoHaul(HaulId),
    /// A plan has no item.
    #[error("nothing to haul")]
    ToHaul,
    /// A haul has no item that could be undone.
    #[error("haul {0} has nothing to undo")]
    ToUndo(HaulId),
    /// A haul has no item under way.
    #[error("haul {0} has nothing to cancel")]
    ToCancel(HaulId),
    /// No originals of a haul are kept.
    #[error("haul {0} has no kept originals")]
    NoOriginals(HaulId),
    /// The item is not at that stage.
    #[error("that item is not being copied")]
    NotCopied,
    /// A game has no such file.
    #[error("{title} has no file {path}")]
    NoFile {
        /// The game.
        title: String,
        /// The path below its folder.
        path: PathBuf,
    },
    /// The checksums have no such file.
    #[error("the checksums have no file {0}")]
    NoChecksums(PathBuf),
}

/// Why a haul, a release or a return did not go on. Originals and records are whole in every case:
/// the records lead to the old copy until the repoint has committed, and to the new one after it.
#[derive(Debug, Error)]
pub enum HaulError {
    /// The journal cannot be read or written.
    #[error(transparent)]
    Journal(#[from] JournalError),
    /// Something on a drive failed; a resume goes on from the last durable block.
    #[error("couldn't {act} {path}")]
    Disk {
        /// What was to be done.
        act: &'static str,
        /// With what.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// The drive is full; the finished blocks stay for a resume.
    #[error("no room for {path}")]
    Full {
        /// The file that did not fit.
        path: PathBuf,
    },
    /// Parts of originals cannot be read, however small the pieces; the journal has all of them.
    #[error("couldn't read {path}, bytes {from} to {to}{}", and_more(*count, "stretches"))]
    Unreadable {
        /// The first original of which something cannot be read.
        path: PathBuf,
        /// First byte.
        from: u64,
        /// The byte behind the last one.
        to: u64,
        /// Number of stretches in all.
        count: u64,
    },
    /// A drive does not answer, and the person would not wait any longer. What it still does is not believed.
    #[error("the drive doesn't answer for {path}")]
    Hung {
        /// What it was asked for.
        path: PathBuf,
    },
    /// What was offered as another copy of a file is none.
    #[error("{path} is not that file: {why}")]
    NotThatFile {
        /// The copy that was offered.
        path: PathBuf,
        /// What speaks against it.
        why: &'static str,
    },
    /// What was read back differs from the original, also after it was copied again.
    #[error("{path} differs from its original at byte {from}")]
    Differs {
        /// The copy.
        path: PathBuf,
        /// First byte of the block.
        from: u64,
    },
    /// The game's files change while they are copied.
    #[error("{path} changes while it is copied")]
    SourceChanged {
        /// The original.
        path: PathBuf,
    },
    /// The kept originals, or the copy, are no longer what was compared.
    #[error("{path} has changed since it was verified{}", and_more(*count, "files"))]
    Changed {
        /// The first of them.
        path: PathBuf,
        /// How many.
        count: u64,
    },
    /// Something is where only ours may be.
    #[error("{path} exists already and isn't part of this haul")]
    NotOurs {
        /// What is there.
        path: PathBuf,
    },
    /// A check refuses it; nothing was changed by this step.
    #[error("a check refused it")]
    Refused(Vec<Finding>),
    /// Records could not be changed; all hold what they held.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// A launcher's content list cannot be read.
    #[error(transparent)]
    Contents(#[from] ContentsError),
    /// An item would skip a phase.
    #[error(transparent)]
    Stage(#[from] StageError),
    /// A person asked for a pause; a resume goes on from there.
    #[error("paused")]
    Paused,
    /// A write or a flush has failed; what it left is not believed until the journal was recovered.
    #[error("the haul must be opened again before it goes on")]
    NeedsRecovery,
    /// An item needs the room of originals that are still held: those of `title`.
    #[error("the originals of {title} are still there, and their room is needed")]
    NoRoomYet {
        /// Title of the game that holds them.
        title: String,
    },
    /// Another haul is not at its end.
    #[error("haul {0} is unfinished")]
    Unfinished(HaulId),
    /// There is no such haul, or nothing in it to do that with.
    #[error(transparent)]
    Nothing(#[from] NothingThere),
}

/// Says that there are more of a kind than the one that is named.
fn and_more(count: u64, what: &str) -> String {
    if count > 1 { format!(", and {} more such {what}", count - 1) } else { String::new() }
}

impl HaulError {
    /// Makes the error of a failed act; a full drive is told apart.
    pub(crate) fn disk(act: &'static str, path: impl Into<PathBuf>) -> impl FnOnce(io::Error) -> Self {
        let path = path.into();
        move |source| {
            let full = matches!(source.kind(), io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded);
            if full { Self::Full { path } } else { Self::Disk { act, path, source } }
        }
    }

    /// Whether other items of the haul may still go on: nothing that was written is in doubt.
    pub(crate) fn spares_other_items(&self) -> bool {
        matches!(self, Self::Unreadable { .. } | Self::SourceChanged { .. } | Self::Differs { .. })
    }
}
