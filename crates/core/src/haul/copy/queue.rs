//! The workers of a haul: threads that copy blocks, flush, read back and compare, and tell what they did.
//!
//! Law: a file is told to be the same only after it was flushed and read back from its device. Workers belong to
//! nobody: a drive that hangs keeps a worker, and never who waits for it; what a forgotten worker still writes into a
//! copy is what its block held. Start at [`CopyPool::start`].

use crate::haul::{Control, HaulError, lock};

use std::sync::atomic::AtomicU32;
use std::sync::{Arc, Mutex};

use std::time::Instant;

use crossbeam_channel::Sender;

use super::job::FileJob;
use crate::checksums::BlockHash;
use crate::disk::{Disk, Folder};
use crate::journal::{Beside, There};

/// Small files that are made durable by one flush.
const BATCH_FILES: usize = 2000;
/// Bytes of small files that are made durable by one flush.
const BATCH_BYTES: u64 = 1 << 26;
/// Small files that one worker copies or compares before it tells of them and looks what else there is.
pub(crate) const GROUP: usize = 32;
/// What is to be copied.
pub(crate) enum CopyTask {
    /// There is no more.
    Stop,
    /// Small files, one after another.
    Whole(Vec<Arc<FileJob>>),
    Block(Arc<FileJob>, u64),
}

/// What is to be made durable and compared.
pub(crate) enum VerifyTask {
    /// There is no more.
    Stop,
    /// Small files, to be flushed together.
    Batch(Vec<Arc<FileJob>>),
    /// Small files that are durable.
    Files(Vec<Arc<FileJob>>),
    /// A segment of a large file.
    Segment(Arc<FileJob>, u64),
}

/// What the workers tell.
pub(crate) enum WorkerEvent {
    /// A block was copied.
    Copied(Arc<FileJob>, u64, BlockHash),
    /// A block was read back and is the same.
    Checked(Arc<FileJob>, u64),
    /// A block was copied again.
    Repaired(Arc<FileJob>, u64),
    /// A whole file is the same.
    Same(Arc<FileJob>, There, Option<Vec<u8>>, Beside),
    /// A large file, all of which was compared, is read once more, original or copy.
    Doubted(Arc<FileJob>),
    /// One of its blocks was.
    ReadAgain(Arc<FileJob>, u64),
    /// The hash of a block isn't that of what the original holds.
    Forgotten(Arc<FileJob>, u64),
    /// Bytes of an original that cannot be read.
    Unreadable(Arc<FileJob>, u64, u64),
    /// All of a file was tried, and something of it cannot be read.
    Lost(Arc<FileJob>),
    /// Several of these.
    Several(Vec<WorkerEvent>),
    /// Nothing more is done.
    Failed(HaulError),
}

/// What a worker is doing, so that somebody notices when it takes too long.
pub(crate) struct Busy {
    pub(crate) since: Instant,
    pub(crate) job: Arc<FileJob>,
}

/// What the workers share.
pub(crate) struct CopyQueue {
    pub(crate) disk: Disk,
    pub(crate) control: Control,
    /// Ends the work: something has failed, or all is done.
    pub(crate) halt: Control,
    /// A folder of the target, where one flush serves many files.
    pub(crate) top: Option<Folder>,
    pub(crate) tell: Sender<WorkerEvent>,
    pub(crate) checks: Sender<VerifyTask>,
    pub(crate) batch: Mutex<(Vec<Arc<FileJob>>, u64)>,
    pub(crate) busy: Vec<Mutex<Option<Busy>>>,
    /// Blocks in a row of which nothing could be read: a drive that is gone reads like one that fails.
    pub(crate) dead: AtomicU32,
}

impl CopyQueue {
    /// Notes what a worker is at, for who looks whether a drive holds it.
    pub(super) fn note_busy(&self, worker: usize, at: Option<Busy>) {
        if let Some(slot) = self.busy.get(worker) {
            *lock(slot) = at;
        }
    }

    pub(crate) fn over(&self) -> bool {
        self.halt.asked() || self.control.asked()
    }

    pub(crate) fn fail(&self, error: HaulError) {
        self.halt.ask();
        if !matches!(error, HaulError::Paused) {
            let _ = self.tell.send(WorkerEvent::Failed(error));
        }
    }

    /// Tells what was done with several files, if anything was.
    pub(crate) fn tell_all(&self, mut told: Vec<WorkerEvent>) {
        let one = if told.len() == 1 { told.pop() } else { None };
        if one.is_some() || !told.is_empty() {
            let _ = self.tell.send(one.unwrap_or(WorkerEvent::Several(told)));
        }
    }

    /// Passes a check to whoever is free.
    pub(crate) fn check(&self, check: VerifyTask) {
        let _ = self.checks.send(check);
    }

    /// Puts a small file that is copied to those that are flushed with it.
    pub(crate) fn gather(&self, job: Arc<FileJob>) {
        let full = {
            let mut batch = lock(&self.batch);
            batch.1 += job.entry.size;
            batch.0.push(job);
            let full = batch.0.len() >= BATCH_FILES || batch.1 >= BATCH_BYTES;
            if full { std::mem::take(&mut *batch).0 } else { Vec::new() }
        };
        if !full.is_empty() {
            self.check(VerifyTask::Batch(full));
        }
    }

    /// Has a segment compared when it is its turn.
    pub(crate) fn segment_is_copied(&self, job: &Arc<FileJob>, segment: u64) {
        if let Some(nth) = job.ready(segment) {
            self.check(VerifyTask::Segment(Arc::clone(job), nth));
        }
    }
}
