//! One block of a copy, read back and compared; what differs is read again, then copied again.
//!
//! Law: a block is the same only if its device holds what its original was read as. Start at [`compare_block`].

use std::sync::Arc;

use super::block_io::{Holes, read_original, set_beside, write_block};
use super::job::FileJob;
use super::queue::{CopyQueue, WorkerEvent};
use crate::checksums::{block_hash, block_span};
use crate::disk::{Buffer, DiskFile};
use crate::haul::HaulError;

/// Times that a differing block is copied again before it is given up.
pub(super) const REPAIRS: usize = 3;

/// Reads a block back and compares it; gives what is told of it.
pub(super) fn compare_block(
    queue: &CopyQueue,
    file: &DiskFile,
    job: &Arc<FileJob>,
    nth: u64,
    buffer: &mut Buffer,
) -> Result<WorkerEvent, HaulError> {
    let (offset, length) = block_span(job.entry.size, nth);
    let mut tries = 0;
    loop {
        let wanted = job.hash(nth).ok_or(HaulError::NeedsRecovery)?;
        let read = queue.disk.read_back(file, buffer, length, offset);
        let bytes = &*buffer.first(length);
        if read.is_ok_and(|count| count == length) && block_hash(bytes, nth, job.entry.size) == wanted {
            job.take_in_digest(bytes);
            return Ok(WorkerEvent::Checked(Arc::clone(job), nth));
        }
        match tries {
            // A drive may read wrongly once.
            0 => {}
            _ if tries > REPAIRS => return Err(HaulError::Differs { path: job.to(), from: offset }),
            _ => {
                repair(queue, job, nth, wanted)?;
                let _ = queue.tell.send(WorkerEvent::Repaired(Arc::clone(job), nth));
            }
        }
        queue.disk.forget(file);
        tries += 1;
    }
}

/// Sets what stands beside the bytes of a copy.
pub(super) fn set_meta(queue: &CopyQueue, job: &FileJob) -> Result<DiskFile, HaulError> {
    let path = job.to();
    let to = queue.disk.open_write(&path).map_err(HaulError::disk("open", &path))?;
    set_beside(&queue.disk, job, &to)?;
    Ok(to)
}

/// Sets what stands beside the bytes, makes all durable, and drops the cache.
pub(super) fn settle(queue: &CopyQueue, job: &FileJob) -> Result<(), HaulError> {
    let path = job.to();
    let to = set_meta(queue, job)?;
    queue.disk.flush(&to).map_err(HaulError::disk("flush", &path))?;
    queue.disk.forget(&to);
    Ok(())
}

/// Copies one block again, from the original; what that reads twice is believed against what it once read.
fn repair(queue: &CopyQueue, job: &Arc<FileJob>, nth: u64, wanted: [u8; 32]) -> Result<(), HaulError> {
    let (path, from) = (job.to(), job.from());
    let original = queue.disk.open_read(&from).map_err(HaulError::disk("open", &from))?;
    let (offset, length) = block_span(job.entry.size, nth);
    let mut bytes = vec![0; length];
    let lost = read_original(queue, &original, job, &mut bytes, offset)?;
    if let Some((from, to)) = lost.first() {
        return Err(HaulError::Unreadable { path: job.from(), from: *from, to: *to, count: lost.len() as u64 });
    }
    let hash = block_hash(&bytes, nth, job.entry.size);
    if hash != wanted {
        // The original itself reads otherwise than before: it was changed, which shows before the copy is placed, or its drive fails.
        let mut once_more = Buffer::new(length);
        let past_cache = queue.disk.open_back(&from).map_err(HaulError::disk("open", &from))?;
        let count = queue.disk.read_back(&past_cache, &mut once_more, length, offset);
        let count = count.map_err(HaulError::disk("read", &from))?;
        if count != length || block_hash(once_more.first(length), nth, job.entry.size) != hash {
            return Err(HaulError::SourceChanged { path: from });
        }
        job.set_hash(nth, hash);
    }
    let to = queue.disk.open_write(&path).map_err(HaulError::disk("open", &path))?;
    write_block(queue, &to, job, &bytes, offset, Holes::None)?;
    settle(queue, job)
}
