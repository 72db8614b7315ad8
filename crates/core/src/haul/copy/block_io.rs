//! One block: read from the original, in ever smaller pieces where it cannot be read, and written to the copy.

use crate::haul::HaulError;
use crate::platform::{SystemError, is_unreadable_here};
use std::path::Path;

use crate::checksums::Entry;
use crate::disk::{Meta, Refused, attributes_of};

use crate::journal::{Attribute, Beside};
use crate::platform::Abilities;

use std::sync::Arc;
use std::sync::atomic::Ordering;

use super::queue::{CopyQueue, VerifyTask, WorkerEvent};

use super::job::FileJob;

use crate::checksums::{block_hash, block_span};
use crate::disk::{Disk, DiskFile};

/// Sets what stands beside the bytes of a file's copy, and has the job know what that is and what was not taken.
pub(crate) fn set_beside(disk: &Disk, job: &FileJob, to: &DiskFile) -> Result<(), HaulError> {
    let attributes = if job.way.attributes {
        let from = job.entry.path.under(&job.way.from);
        attributes_of(&from).map_err(HaulError::disk("read the attributes of", from))?
    } else {
        // Its own drive holds none: these are the ones that it had before it came there.
        job.remembered.clone()
    };
    let meta = meta_of(&job.entry, attributes);
    // Those that flush as a whole are Linux's own, which heed one time without the other.
    let set = if job.way.target.flushes_whole { disk.set_meta_unseen(to, &meta) } else { disk.set_meta(to, &meta) };
    let refused = set.map_err(HaulError::disk("set the times of", job.to()))?;
    job.set_beside(Beside { unkept: unkept(&refused, &job.way.target), attributes: meta.attributes });
    Ok(())
}

/// Copies one block, and says what is to be compared next; `told` gets what is told of small files.
pub(crate) fn copy_block(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    nth: u64,
    buffer: &mut Vec<u8>,
    told: &mut Vec<WorkerEvent>,
) -> Result<(), HaulError> {
    let pair = job.open(&queue.disk)?;
    let (offset, length) = block_span(job.entry.size, nth);
    buffer.resize(length, 0);
    let lost = read_original(queue, pair.from(), job, buffer, offset)?;
    // A drive may have kept this worker for so long that the haul went on without it: then it writes nothing more.
    if queue.over() {
        return Err(HaulError::Paused);
    }
    if lost.is_empty() {
        let hash = block_hash(buffer, nth, job.entry.size);
        if !pair.shared() {
            let holes = match (job.has_holes(), pair.fresh()) {
                (false, _) => Holes::None,
                (true, true) => Holes::Fresh,
                (true, false) => Holes::Kept,
            };
            write_block(queue, pair.to(), job, buffer, offset, holes)?;
        }
        job.set_hash(nth, hash);
    }
    for (from, to) in &lost {
        let _ = queue.tell.send(WorkerEvent::Unreadable(Arc::clone(job), *from, *to));
    }
    let copied = job.hash(nth).filter(|_| lost.is_empty()).map(|hash| WorkerEvent::Copied(Arc::clone(job), nth, hash));
    let (segment, over, any_lost) = job.dealt_with(nth, !lost.is_empty());
    if over && any_lost {
        let _ = queue.tell.send(WorkerEvent::Lost(Arc::clone(job)));
    }
    if job.is_small() {
        if lost.is_empty() {
            end_small(queue, job, pair.to())?;
        }
        // Who hears of it knows that it waits to be flushed by now.
        told.extend(copied);
        return Ok(());
    }
    if let Some(copied) = copied {
        let _ = queue.tell.send(copied);
    }
    queue.disk.press_on(pair.to(), offset, length as u64);
    if over {
        queue.disk.forget(pair.from());
        job.close();
    }
    if let Some(segment) = segment {
        queue.segment_is_copied(job, segment);
    }
    Ok(())
}

/// Sets what stands beside the bytes of a small file, and has it flushed with others, or by itself.
fn end_small(queue: &CopyQueue, job: &Arc<FileJob>, to: &DiskFile) -> Result<(), HaulError> {
    /// Bytes from which it pays to begin writing out at once.
    const WORTH: u64 = 1 << 18;
    set_beside(&queue.disk, job, to)?;
    if queue.top.is_none() {
        queue.disk.flush(to).map_err(HaulError::disk("flush", job.to()))?;
        queue.check(VerifyTask::Files(vec![Arc::clone(job)]));
        return Ok(());
    }
    if job.entry.size >= WORTH {
        queue.disk.press_on(to, 0, job.entry.size);
    }
    queue.gather(Arc::clone(job));
    Ok(())
}

/// Fills `buffer` from the original, in smaller pieces where it cannot be read as a whole; gives the stretches that cannot be
/// read at all. A file that is shorter than it was has changed.
pub(crate) fn read_original(
    queue: &CopyQueue,
    file: &DiskFile,
    job: &FileJob,
    buffer: &mut [u8],
    offset: u64,
) -> Result<Vec<(u64, u64)>, HaulError> {
    /// Blocks in a row of which nothing can be read, before the drive is said to be gone.
    const DEAD: u32 = 16;
    let length = buffer.len();
    match queue.disk.read_at(file, buffer, offset) {
        Ok(count) if count == length => {
            queue.dead.store(0, Ordering::Relaxed);
            return Ok(Vec::new());
        }
        Ok(_) => return Err(HaulError::SourceChanged { path: job.from() }),
        Err(error) if !is_unreadable_here(&error) => return Err(HaulError::disk("read", job.from())(error)),
        Err(_) => {}
    }
    let lost = read_in_pieces(buffer, offset, &job.from(), &|piece, at| {
        if queue.over() { None } else { Some(queue.disk.read_at(file, piece, at)) }
    })?;
    if queue.over() {
        return Err(HaulError::Paused);
    }
    let all = lost == [(offset, offset + length as u64)];
    if all && queue.dead.fetch_add(1, Ordering::Relaxed) + 1 >= DEAD {
        let gone = SystemError::InputOutput.into();
        return Err(HaulError::disk("read", job.from())(gone));
    }
    Ok(lost)
}

/// A read at an offset; nothing once the copy is over.
type ReadAt<'a> = dyn Fn(&mut [u8], u64) -> Option<std::io::Result<usize>> + 'a;

/// Reads what can be read of a block that could not be read as a whole, in halves down to the smallest piece; gives the rest.
fn read_in_pieces(
    buffer: &mut [u8],
    offset: u64,
    from: &Path,
    read_at: &ReadAt<'_>,
) -> Result<Vec<(u64, u64)>, HaulError> {
    /// Failing reads of one block; a failing drive may take seconds for each.
    const TRIES: usize = 150;
    let length = buffer.len();
    let mut tries = TRIES;
    let mut lost: Vec<(u64, u64)> = Vec::new();
    let mut waiting = vec![(0, length)];
    while let Some((start, end)) = waiting.pop() {
        let Some(piece) = buffer.get_mut(start..end) else {
            return Err(HaulError::SourceChanged { path: from.into() });
        };
        let mut read = Err(SystemError::InputOutput.into());
        // The whole was tried already; a smallest piece is tried more than once.
        for _ in 0..if end - start <= SECTOR { 3 } else { usize::from(end - start < length) } {
            if tries == 0 {
                break;
            }
            let Some(tried) = read_at(piece, offset + start as u64) else { break };
            read = tried;
            match &read {
                Err(error) if is_unreadable_here(error) => tries -= 1,
                Ok(_) | Err(_) => break,
            }
        }
        match read {
            Ok(count) if count == end - start => {}
            Ok(_) => return Err(HaulError::SourceChanged { path: from.into() }),
            Err(error) if !is_unreadable_here(&error) => return Err(HaulError::disk("read", from)(error)),
            Err(_) if end - start > SECTOR && tries > 0 => {
                let middle = start + ((end - start) / 2).next_multiple_of(SECTOR);
                // The first half is looked at first.
                waiting.extend([(middle, end), (start, middle)]);
            }
            Err(_) => match lost.last_mut() {
                Some((_, to)) if *to == offset + start as u64 => *to = offset + end as u64,
                _ => lost.push((offset + start as u64, offset + end as u64)),
            },
        }
    }
    Ok(lost)
}

/// The smallest piece that is read by itself: the sector of most drives.
const SECTOR: usize = 4096;

/// Whether stretches of zeros are left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Holes {
    /// All is written.
    None,
    /// The file is new: what is not written reads as zeros.
    Fresh,
    /// An earlier try has written into the file: what reads as zeros there is left as it is.
    Kept,
}

/// Writes a block; where `holes` may be left, stretches of zeros are not written.
pub(crate) fn write_block(
    queue: &CopyQueue,
    to: &DiskFile,
    job: &FileJob,
    data: &[u8],
    offset: u64,
    holes: Holes,
) -> Result<(), HaulError> {
    const PIECE: usize = 1 << 16;
    let write = |data: &[u8], at| queue.disk.write_at(to, data, at).map_err(HaulError::disk("write", job.to()));
    if holes == Holes::None {
        return if data.is_empty() { Ok(()) } else { write(data, offset) };
    }
    // Runs of pieces that hold something are written as one.
    let piece = |n: usize| n * PIECE..data.len().min((n + 1) * PIECE);
    let is_zero = |bytes: &[u8]| bytes.iter().all(|byte| *byte == 0);
    // What an earlier try has left there is written over, unless it is zeros as well: a hole takes no room and stays one.
    let there = |n: usize| {
        let mut now = vec![0; piece(n).len()];
        let read = queue.disk.read_at(to, &mut now, offset + (n * PIECE) as u64);
        read.is_ok_and(|count| count == now.len()) && is_zero(&now)
    };
    let holds =
        |n: usize| data.get(piece(n)).is_some_and(|piece| !is_zero(piece)) || (holes == Holes::Kept && !there(n));
    let count = data.len().div_ceil(PIECE);
    let mut n = 0;
    while n < count {
        let end = (n..count).find(|n| !holds(*n)).unwrap_or(count);
        if end > n {
            let bytes = data.get(n * PIECE..data.len().min(end * PIECE)).unwrap_or_default();
            write(bytes, offset + (n * PIECE) as u64)?;
        }
        n = end + 1;
    }
    Ok(())
}

pub(crate) fn meta_of(entry: &Entry, attributes: Vec<Attribute>) -> Meta {
    Meta { mode: entry.mode, owner: entry.owner, modified_ns: entry.modified_ns, attributes }
}

/// What of a file was not taken by a file system that can hold it.
pub(crate) fn unkept(refused: &[Refused], target: &Abilities) -> Option<String> {
    let root = crate::platform::is_root();
    let says = |refused: &Refused| match refused {
        Refused::Attribute(name) => target.attributes.then(|| String::from_utf8_lossy(name).into_owned()),
        Refused::Permissions => target.permissions.then(|| "permissions".to_string()),
        // Nobody else could have given it away: it is the copier's.
        Refused::Owner => (target.permissions && root).then(|| "owner".to_string()),
    };
    let all: Vec<String> = refused.iter().filter_map(says).collect();
    (!all.is_empty()).then(|| all.join(", "))
}
