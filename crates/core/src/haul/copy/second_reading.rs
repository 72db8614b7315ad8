//! Reading an original a second time, where its copy isn't what the launcher's content list says.
//!
//! Law: what one reading gave is believed against the list only if a second one, past the cache, gives the same. What reads otherwise is
//! copied again. Start at [`confirmed_digest`].

use std::sync::Arc;

use super::block_io::{Holes, write_block};
use super::compare::{REPAIRS, compare_block, settle};
use super::job::FileJob;
use super::queue::{CopyQueue, WorkerEvent};
use crate::checksums::{block_count, block_hash, block_span};
use crate::disk::Buffer;
use crate::haul::HaulError;
use crate::platform::is_unreadable_here;

/// What a second reading says of an original.
enum Reading {
    /// It is what was copied.
    Same,
    /// It was otherwise, and what was is copied again.
    Otherwise,
    /// Something of it can't be read any more.
    Lost,
}

/// What a copy that was compared is worth.
pub(super) enum Confirmed {
    /// Its digest is the listed one, or one that two readings of the original agree on; there is none of a file that isn't listed.
    Whole(Option<Vec<u8>>),
    /// The original can't be read any more, which is told.
    Lost,
}

/// The digest of a copy that was compared, if it is what its original holds.
pub(super) fn confirmed_digest(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    buffer: &mut Buffer,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<Confirmed, HaulError> {
    for _ in 0..=REPAIRS {
        let digest = job.end_digest();
        if job.is_as_listed(digest.as_deref()) {
            return Ok(Confirmed::Whole(digest));
        }
        match read_again(queue, job, buffer, at)? {
            Reading::Same => return Ok(Confirmed::Whole(digest)),
            Reading::Lost => return Ok(Confirmed::Lost),
            Reading::Otherwise => take_digest(queue, job, buffer, at)?,
        }
    }
    // It reads otherwise each time.
    Err(HaulError::SourceChanged { path: job.from() })
}

/// Says that a large file is read once more.
fn begin_pass(queue: &CopyQueue, job: &Arc<FileJob>) {
    if !job.is_small() {
        let _ = queue.tell.send(WorkerEvent::Doubted(Arc::clone(job)));
    }
}

/// Says that one of its blocks was.
fn passed(queue: &CopyQueue, job: &Arc<FileJob>, nth: u64) {
    if !job.is_small() {
        let _ = queue.tell.send(WorkerEvent::ReadAgain(Arc::clone(job), nth));
    }
}

/// Reads the original past the cache; copies again what is not what it was.
fn read_again(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    buffer: &mut Buffer,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<Reading, HaulError> {
    begin_pass(queue, job);
    let (from, size) = (job.from(), job.entry.size);
    let original = queue.disk.open_back(&from).map_err(HaulError::disk("open", &from))?;
    // What the first reading left in the cache is not taken for the drive's by anybody.
    queue.disk.forget(&original);
    let (mut copy, mut lost) = (None, false);
    for nth in 0..block_count(size) {
        if queue.over() {
            return Err(HaulError::Paused);
        }
        at(job);
        let (offset, length) = block_span(size, nth);
        match queue.disk.read_back(&original, buffer, length, offset) {
            Ok(count) if count == length => {}
            Ok(_) => return Err(HaulError::SourceChanged { path: from }),
            Err(error) if is_unreadable_here(&error) => {
                // Nothing says any more that what was read is right.
                let _ = queue.tell.send(WorkerEvent::Forgotten(Arc::clone(job), nth));
                let _ = queue.tell.send(WorkerEvent::Unreadable(Arc::clone(job), offset, offset + length as u64));
                lost = true;
                continue;
            }
            Err(error) => return Err(HaulError::disk("read", from)(error)),
        }
        let hash = block_hash(buffer.first(length), nth, size);
        if job.hash(nth) != Some(hash) {
            let to = match &copy {
                Some(to) => to,
                None => copy.insert(queue.disk.open_write(&job.to()).map_err(HaulError::disk("open", job.to()))?),
            };
            write_block(queue, to, job, buffer.first(length), offset, Holes::None)?;
            job.set_hash(nth, hash);
            let _ = queue.tell.send(WorkerEvent::Repaired(Arc::clone(job), nth));
        }
        passed(queue, job, nth);
    }
    if lost {
        let _ = queue.tell.send(WorkerEvent::Lost(Arc::clone(job)));
        return Ok(Reading::Lost);
    }
    if copy.is_none() {
        return Ok(Reading::Same);
    }
    settle(queue, job)?;
    Ok(Reading::Otherwise)
}

/// Reads the copy back once more, for its digest.
fn take_digest(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    buffer: &mut Buffer,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<(), HaulError> {
    begin_pass(queue, job);
    let path = job.to();
    let file = queue.disk.open_own_back(&path).map_err(HaulError::disk("open", &path))?;
    job.begin_digest();
    for nth in 0..block_count(job.entry.size) {
        if queue.over() {
            return Err(HaulError::Paused);
        }
        at(job);
        compare_block(queue, &file, job, nth, buffer)?;
        passed(queue, job, nth);
    }
    queue.disk.forget(&file);
    Ok(())
}
