//! Reading a copy back from the device and comparing it block by block; a block that differs is copied again.

use std::collections::HashMap;
use std::os::unix::fs::MetadataExt;
use std::path::PathBuf;

use crossbeam_channel::Sender;

use super::copy::{Job, Told, lock, meta_of, read_whole, write_block};
use super::error::HaulError;
use super::history::There;
use super::run::Work;
use crate::disk::{Disk, DiskFile};
use crate::launcher::{ContentList, Digest, DigestKind};
use crate::tally::{BLOCK, block_hash, block_span, stamp_of};

/// Times that a differing block is copied again before it is given up.
const REPAIRS: usize = 3;

/// The files for which the launcher's content list wants a hash, so that one pass computes it too.
pub(super) fn digest_paths(work: &Work<'_>) -> Result<HashMap<PathBuf, DigestKind>, HaulError> {
    let Some(list) = work.content_list()? else { return Ok(HashMap::new()) };
    let ContentList { kind, items, .. } = list;
    Ok(items.into_iter().map(|item| (item.path, kind)).collect())
}

/// Makes a copied file durable, reads it back and compares it; tells [`Told::Same`] if it is the same.
///
/// # Errors
/// [`HaulError::Differs`] if a block stays different; [`HaulError::Paused`] if `over` says so.
pub(super) fn compare_file(
    disk: &Disk,
    job: &Job,
    over: &dyn Fn() -> bool,
    tell: &Sender<Told>,
) -> Result<(), HaulError> {
    let to = disk.open_write(&job.to).map_err(HaulError::disk("open", &job.to))?;
    settle(disk, &to, job)?;
    let hashes = lock(&job.hashes).clone();
    let mut digest = job.digest.map(Digest::new);
    let mut buffer = vec![0; job.entry.size.min(BLOCK) as usize];
    for (nth, hash) in hashes.iter().enumerate() {
        if over() {
            return Err(HaulError::Paused);
        }
        let (offset, length) = block_span(job.entry.size, nth as u64);
        let wanted = hash.ok_or(HaulError::NeedsRecovery)?;
        let mut tries = 0;
        loop {
            let read = disk.read_at(&to, &mut buffer[..length], offset);
            let same = matches!(read, Ok(count) if count == length)
                && block_hash(&buffer[..length], nth as u64, job.entry.size) == wanted;
            if same {
                break;
            }
            if tries == REPAIRS {
                return Err(HaulError::Differs { path: job.to.clone(), from: offset });
            }
            tries += 1;
            repair(disk, &to, job, nth as u64, wanted)?;
            let _ = tell.send(Told::Repaired);
        }
        if let Some(digest) = &mut digest {
            digest.take(&buffer[..length]);
        }
        let _ = tell.send(Told::Checked { bytes: length as u64 });
    }
    let meta = to.metadata().map_err(HaulError::disk("look at", &job.to))?;
    if meta.len() != job.entry.size {
        return Err(HaulError::Differs { path: job.to.clone(), from: meta.len().min(job.entry.size) });
    }
    // What was read back fills the cache with nothing that anybody needs.
    disk.forget(&to);
    let there = There { inode: meta.ino(), modified_ns: stamp_of(&meta) };
    let _ = tell.send(Told::Same { path: job.entry.path.clone(), there, digest: digest.map(Digest::end) });
    Ok(())
}

/// Sets what stands beside the bytes, makes all durable, and drops the cache.
fn settle(disk: &Disk, to: &DiskFile, job: &Job) -> Result<(), HaulError> {
    disk.set_meta(to, &meta_of(&job.entry, &job.from)).map_err(HaulError::disk("set the times of", &job.to))?;
    disk.flush(to).map_err(HaulError::disk("flush", &job.to))?;
    disk.forget(to);
    Ok(())
}

/// Copies one block again, from the original.
fn repair(disk: &Disk, to: &DiskFile, job: &Job, nth: u64, wanted: [u8; 32]) -> Result<(), HaulError> {
    let from = disk.open_read(&job.from).map_err(HaulError::disk("open", &job.from))?;
    let (offset, length) = block_span(job.entry.size, nth);
    let mut buffer = vec![0; length];
    read_whole(disk, &from, job, &mut buffer, offset)?;
    if block_hash(&buffer, nth, job.entry.size) != wanted {
        // The original itself reads otherwise than before: it was changed, or its drive fails.
        return Err(HaulError::SourceChanged { path: job.from.clone() });
    }
    write_block(disk, to, job, &buffer, offset, false)?;
    settle(disk, to, job)
}
