//! Reading copies back from their device and comparing them, small ones together, large ones by segments.

use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

use super::compare::{compare_block, set_meta, settle};
use super::job::FileJob;
use super::queue::{CopyQueue, GROUP, VerifyTask, WorkerEvent};
use super::second_reading::{Confirmed, confirmed_digest};
use crate::disk::{Buffer, DiskFile};
use crate::haul::inspect::content_list;
use crate::haul::{HaulError, ItemContext};
use crate::journal::There;
use crate::launcher::{ContentList, DigestKind, ListedFile};

/// The files for which the launcher's content list has a hash, so that the pass that compares computes it too.
pub(crate) fn listed_files(work: &ItemContext<'_>) -> Result<HashMap<PathBuf, (DigestKind, ListedFile)>, HaulError> {
    let Some(list) = content_list(work)? else { return Ok(HashMap::new()) };
    let ContentList { kind, listed_files, .. } = list;
    Ok(listed_files.into_iter().map(|listed| (listed.path.clone(), (kind, listed))).collect())
}

/// Makes files durable, or compares those that are. `at` hears which file is in worker; `told` gets what is told of small ones.
pub(crate) fn check(
    queue: &CopyQueue,
    check: VerifyTask,
    buffer: &mut Buffer,
    told: &mut Vec<WorkerEvent>,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<(), HaulError> {
    match check {
        VerifyTask::Stop => {}
        VerifyTask::Batch(jobs) => {
            match &queue.top {
                Some(top) => {
                    for job in jobs.iter().filter(|job| job.copied_before) {
                        at(job);
                        set_meta(queue, job)?;
                    }
                    let path = jobs.first().map(|job| job.way.to.clone()).unwrap_or_default();
                    queue.disk.flush_drive(top).map_err(HaulError::disk("flush", path))?;
                }
                None => {
                    for job in &jobs {
                        at(job);
                        settle(queue, job)?;
                    }
                }
            }
            for some in jobs.chunks(GROUP) {
                queue.check(VerifyTask::Files(some.to_vec()));
            }
        }
        VerifyTask::Files(jobs) => {
            for job in jobs {
                if queue.over() {
                    return Err(HaulError::Paused);
                }
                at(&job);
                compare_small(queue, &job, buffer, told, at)?;
            }
        }
        VerifyTask::Segment(job, segment) => {
            compare_segment(queue, &job, segment, buffer)?;
            let (next, over) = job.compared();
            if let Some(next) = next {
                queue.check(VerifyTask::Segment(Arc::clone(&job), next));
            }
            if over {
                end_large(queue, &job, buffer, at)?;
            }
        }
    }
    Ok(())
}

fn compare_small(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    buffer: &mut Buffer,
    told: &mut Vec<WorkerEvent>,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<(), HaulError> {
    let path = job.to();
    let file = queue.disk.open_own_back(&path).map_err(HaulError::disk("open", &path))?;
    told.push(compare_block(queue, &file, job, 0, buffer)?);
    if let Confirmed::Whole(digest) = confirmed_digest(queue, job, buffer, at)? {
        told.push(same(job, &file, digest)?);
    }
    Ok(())
}

/// Makes a segment durable and compares its blocks.
fn compare_segment(queue: &CopyQueue, job: &Arc<FileJob>, segment: u64, buffer: &mut Buffer) -> Result<(), HaulError> {
    let path = job.to();
    let file = queue.disk.open_write(&path).map_err(HaulError::disk("open", &path))?;
    queue.disk.flush(&file).map_err(HaulError::disk("flush", &path))?;
    queue.disk.forget(&file);
    let file = queue.disk.open_own_back(&path).map_err(HaulError::disk("open", &path))?;
    for nth in job.segment(segment) {
        if queue.over() {
            return Err(HaulError::Paused);
        }
        let _ = queue.tell.send(compare_block(queue, &file, job, nth, buffer)?);
    }
    Ok(())
}

/// Sets what stands beside the bytes of a large file, all of which are compared.
fn end_large(
    queue: &CopyQueue,
    job: &Arc<FileJob>,
    buffer: &mut Buffer,
    at: &mut dyn FnMut(&Arc<FileJob>),
) -> Result<(), HaulError> {
    let Confirmed::Whole(digest) = confirmed_digest(queue, job, buffer, at)? else { return Ok(()) };
    settle(queue, job)?;
    let path = job.to();
    let file = queue.disk.open_read(&path).map_err(HaulError::disk("open", &path))?;
    // What was read back fills the cache with nothing that anybody needs.
    queue.disk.forget(&file);
    let _ = queue.tell.send(same(job, &file, digest)?);
    Ok(())
}

/// What is told of a file that is the same, if it is as long as it should be.
fn same(job: &Arc<FileJob>, file: &DiskFile, digest: Option<Vec<u8>>) -> Result<WorkerEvent, HaulError> {
    let meta = file.look().map_err(HaulError::disk("look at", job.to()))?;
    if !meta.is_file() || meta.size != job.entry.size {
        return Err(HaulError::Differs { path: job.to(), from: meta.size.min(job.entry.size) });
    }
    let there = There { inode: meta.inode, modified_ns: meta.modified_ns, changed_ns: Some(meta.changed_ns) };
    Ok(WorkerEvent::Same(Arc::clone(job), there, digest, job.beside()))
}
