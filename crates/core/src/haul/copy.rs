//! Copying a lot into a folder of ours beside its place, and comparing behind it.
//!
//! Law: the originals are only read. A file is flushed and dropped from the cache before it is read
//! back; names are flushed after the files; only then does the journal say "compared". A block
//! hash found in the journal saves a second copy, never a comparison.

use std::collections::HashMap;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use crossbeam_channel::{Sender, unbounded};

use super::compare::{compare_file, digest_paths};
use super::crew::HANDS;
use super::error::HaulError;
use super::event::{Amount, HaulEvent, Pace, Progress};
use super::history::{TallyEntry, There};
use super::run::Work;
use super::scan::scan;
use super::stage::Stage;
use crate::bytes::Bytes;
use crate::disk::{Disk, DiskFile, Meta, What};
use crate::launcher::DigestKind;
use crate::tally::{BlockHash, Entry, EntryKind, LotPath, block_hash, block_span, stamp_of};

/// Rounds in which files that change under the copy are copied again.
const ROUNDS: usize = 3;

/// A file on its way: who works on which block is settled by the list of tasks; the last one passes it on.
pub(super) struct Job {
    pub(super) entry: Entry,
    pub(super) from: PathBuf,
    pub(super) to: PathBuf,
    pub(super) hashes: Mutex<Vec<Option<BlockHash>>>,
    pub(super) digest: Option<DigestKind>,
    /// Whether the target's file system has holes.
    holes: bool,
    left: AtomicUsize,
    pair: Mutex<Option<Arc<Pair>>>,
}

struct Pair {
    from: DiskFile,
    to: DiskFile,
    /// Whether the copy was made just now, so that what is not written reads as zeros.
    fresh: bool,
}

/// What the hands tell.
pub(super) enum Told {
    Block { path: LotPath, nth: u64, hash: BlockHash, bytes: u64, of: u64 },
    Checked { bytes: u64 },
    Repaired,
    Same { path: LotPath, there: There, digest: Option<Vec<u8>> },
    Failed(HaulError),
}

pub(super) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Copies and compares a lot; its stage is then "compared".
///
/// # After a crash
/// Originals and records are as they were. Blocks whose hash the journal has are not copied again.
pub(super) fn copy_lot(work: &mut Work<'_>) -> Result<(), HaulError> {
    let staging = match &work.lot.stage {
        Stage::Copying { staging } => {
            if !staging.is_dir() {
                work.make_folder(staging)?;
            }
            staging.clone()
        }
        _ => begin(work)?,
    };
    for round in 1.. {
        let tally = work.journal.tally(work.lot.id)?;
        let fresh = scan(&work.lot.planned.from, &tally, work.abilities().hard_links)?;
        let first = tally.is_empty();
        let compared = !first && tally.iter().all(|line| line.compared);
        // What was compared may have gone since, with its drive or by somebody's hand.
        if compared && fresh.changed.is_empty() && fresh.gone.is_empty() && work.not_as_seen(&staging, &tally).is_none()
        {
            break;
        }
        if round > ROUNDS {
            let changed =
                fresh.changed.first().or(fresh.gone.first()).map(|line| line.entry.path.under(&work.lot.planned.from));
            return Err(HaulError::SourceChanged { path: changed.unwrap_or_default() });
        }
        void(work, &staging, &fresh.gone)?;
        if !first {
            void(work, &staging, &fresh.changed)?;
        }
        work.journal.put_entries(work.lot.id, &fresh.changed)?;
        match one_round(work, &staging) {
            // The next round's walk sees what has changed, or finds that the drive reads otherwise each time.
            Err(HaulError::SourceChanged { .. }) if round < ROUNDS => {}
            other => other?,
        }
    }
    work.set_stage(Stage::Compared { staging })
}

/// Makes the folder of ours, with the way to it.
fn begin(work: &mut Work<'_>) -> Result<PathBuf, HaulError> {
    let to = work.lot.planned.to.clone();
    let parent = to.parent().unwrap_or(Path::new("/")).to_path_buf();
    let staging = parent.join(work.own_name("copy"));
    if to.symlink_metadata().is_ok() {
        return Err(HaulError::NotOurs { path: to });
    }
    if staging.symlink_metadata().is_ok() {
        return Err(HaulError::NotOurs { path: staging });
    }
    work.make_way(&parent)?;
    // The journal knows the name before it is there: whatever is found under it later is ours.
    work.set_stage(Stage::Copying { staging: staging.clone() })?;
    work.make_folder(&staging)?;
    Ok(staging)
}

/// Removes what was made of these lines, and forgets the lines. Folders stay until the lot is in its place.
fn void(work: &Work<'_>, staging: &Path, lines: &[TallyEntry]) -> Result<(), HaulError> {
    for line in lines.iter().rev().filter(|line| !line.entry.path.bytes().is_empty()) {
        let at = line.entry.path.under(staging);
        let Ok(meta) = at.symlink_metadata() else { continue };
        if !meta.is_dir() {
            work.site.disk.remove(&at, What::File).map_err(HaulError::disk("remove", &at))?;
        } else if !line.entry.path.under(&work.lot.planned.from).is_dir() {
            // What is in it is gone as well, and was removed before it.
            work.site.disk.remove(&at, What::Folder).map_err(HaulError::disk("remove", &at))?;
        }
    }
    let paths: Vec<LotPath> = lines.iter().map(|line| line.entry.path.clone()).collect();
    Ok(work.journal.drop_entries(work.lot.id, &paths)?)
}

fn one_round(work: &mut Work<'_>, staging: &Path) -> Result<(), HaulError> {
    let tally = work.journal.tally(work.lot.id)?;
    let disk = work.site.disk.clone();
    for line in tally.iter().filter(|line| line.entry.kind == EntryKind::Folder) {
        let at = line.entry.path.under(staging);
        match at.symlink_metadata() {
            // Finished before a crash, with its final permissions: it is opened up for what is still to come.
            Ok(meta) if meta.is_dir() && meta.mode() & 0o700 != 0o700 => {
                let meta = Meta { mode: 0o700, ..meta_of(&line.entry, &line.entry.path.under(&work.lot.planned.from)) };
                disk.set_folder_meta(&at, &meta).map_err(HaulError::disk("open up", &at))?;
            }
            Ok(meta) if meta.is_dir() => {}
            Ok(_) => return Err(HaulError::NotOurs { path: at }),
            Err(_) => work.make_folder(&at)?,
        }
    }
    copy_files(work, staging, &tally)?;
    let tally = work.journal.tally(work.lot.id)?;
    let mut done = Vec::new();
    for line in &tally {
        let at = line.entry.path.under(staging);
        match &line.entry.kind {
            EntryKind::Link(target) => make_link(work, &line.entry, target, &at)?,
            EntryKind::Again(of) => {
                if at.symlink_metadata().is_ok() {
                    disk.remove(&at, What::File).map_err(HaulError::disk("remove", &at))?;
                }
                disk.hard_link(&of.under(staging), &at).map_err(HaulError::disk("link", &at))?;
            }
            EntryKind::File | EntryKind::Folder => continue,
        }
        done.push((line.entry.path.clone(), seen(&at)?, None));
    }
    // Times of folders last, and from the deepest up: making a name in a folder changes its time.
    for line in tally.iter().rev().filter(|line| line.entry.kind == EntryKind::Folder) {
        let (at, from) = (line.entry.path.under(staging), line.entry.path.under(&work.lot.planned.from));
        disk.set_folder_meta(&at, &meta_of(&line.entry, &from)).map_err(HaulError::disk("set the times of", &at))?;
        disk.flush_folder(&at).map_err(HaulError::disk("flush", &at))?;
        done.push((line.entry.path.clone(), seen(&at)?, None));
    }
    if let Some(parent) = staging.parent() {
        disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    }
    Ok(work.journal.put_hints(work.lot.id, &[], &done)?)
}

/// What is seen of a copy.
pub(super) fn seen(at: &Path) -> Result<There, HaulError> {
    let meta = at.symlink_metadata().map_err(HaulError::disk("look at", at))?;
    Ok(There { inode: meta.ino(), modified_ns: stamp_of(&meta) })
}

pub(super) fn meta_of(entry: &Entry, from: &Path) -> Meta {
    Meta {
        mode: entry.mode,
        owner: entry.owner,
        modified_ns: entry.modified_ns,
        attributes: crate::disk::attributes_of(from),
    }
}

fn make_link(work: &Work<'_>, entry: &Entry, target: &Path, at: &Path) -> Result<(), HaulError> {
    let disk = &work.site.disk;
    if at.symlink_metadata().is_ok() {
        disk.remove(at, What::File).map_err(HaulError::disk("remove", at))?;
    }
    // An absolute link into the lot itself goes with the lot.
    let target = match target.strip_prefix(&work.lot.planned.from) {
        Ok(below) => work.lot.planned.to.join(below),
        Err(_) => target.to_path_buf(),
    };
    disk.make_link(&target, at).map_err(HaulError::disk("link", at))?;
    disk.set_link_time(at, entry.modified_ns).map_err(HaulError::disk("set the time of", at))
}

fn jobs(work: &Work<'_>, staging: &Path, tally: &[TallyEntry]) -> Result<Vec<Job>, HaulError> {
    let digests = digest_paths(work)?;
    let mut jobs = Vec::new();
    for line in tally {
        if line.entry.kind != EntryKind::File {
            continue;
        }
        let to = line.entry.path.under(staging);
        let found = to.symlink_metadata().ok();
        if line.compared && still_there(line, found.as_ref()) {
            continue;
        }
        // A hash without a file to go with it is of no use.
        let known =
            if found.is_some_and(|m| m.is_file()) { line.blocks.clone() } else { vec![None; line.blocks.len()] };
        let left = known.iter().filter(|hash| hash.is_none()).count();
        jobs.push(Job {
            from: line.entry.path.under(&work.lot.planned.from),
            to,
            digest: digests.get(line.entry.path.as_path()).copied(),
            entry: line.entry.clone(),
            hashes: Mutex::new(known),
            holes: work.abilities().sparse,
            left: AtomicUsize::new(left),
            pair: Mutex::new(None),
        });
    }
    Ok(jobs)
}

fn still_there(line: &TallyEntry, found: Option<&std::fs::Metadata>) -> bool {
    let (Some(there), Some(found)) = (line.there, found) else { return false };
    found.is_file()
        && found.len() == line.entry.size
        && found.ino() == there.inode
        && stamp_of(found) == there.modified_ns
}

fn copy_files(work: &mut Work<'_>, staging: &Path, tally: &[TallyEntry]) -> Result<(), HaulError> {
    let jobs = jobs(work, staging, tally)?;
    let mut tasks: Vec<(usize, u64)> = Vec::new();
    for (n, job) in jobs.iter().enumerate() {
        let missing = lock(&job.hashes)
            .iter()
            .enumerate()
            .filter(|(_, hash)| hash.is_none())
            .map(|(nth, _)| nth as u64)
            .collect::<Vec<_>>();
        tasks.extend(missing.into_iter().map(|nth| (n, nth)));
    }
    let (tell, told) = unbounded();
    let (pass_on, to_compare) = unbounded();
    for (n, job) in jobs.iter().enumerate() {
        if job.left.load(Ordering::SeqCst) == 0 {
            let _ = pass_on.send(n);
        }
    }
    let mut hearing = Hearing::new(work, &jobs, tally);
    let halt = super::event::Stop::default();
    let next = AtomicUsize::new(0);
    let disk = &work.site.disk;
    let stop = work.stop;
    std::thread::scope(|scope| {
        for _ in 0..HANDS {
            let (tell, pass_on) = (tell.clone(), pass_on.clone());
            let (halt, next, jobs, tasks) = (&halt, &next, &jobs, &tasks);
            scope.spawn(move || {
                let mut buffer = Vec::new();
                while !halt.asked() && !stop.asked() {
                    let Some(&(n, nth)) = tasks.get(next.fetch_add(1, Ordering::SeqCst)) else { break };
                    match copy_block(disk, &jobs[n], nth, &mut buffer, &tell) {
                        Ok(true) => {
                            let _ = pass_on.send(n);
                        }
                        Ok(false) => {}
                        Err(error) => {
                            halt.ask();
                            let _ = tell.send(Told::Failed(error));
                        }
                    }
                }
            });
        }
        for _ in 0..2 {
            let (tell, to_compare) = (tell.clone(), to_compare.clone());
            let (halt, jobs) = (&halt, &jobs);
            scope.spawn(move || {
                for n in to_compare {
                    if halt.asked() || stop.asked() {
                        break;
                    }
                    if let Err(error) = compare_file(disk, &jobs[n], &|| halt.asked() || stop.asked(), &tell) {
                        if !matches!(error, HaulError::Paused) {
                            halt.ask();
                            let _ = tell.send(Told::Failed(error));
                        }
                        break;
                    }
                }
            });
        }
        drop((tell, pass_on, to_compare));
        hearing.listen(&told, &halt)
    })?;
    if work.stop.asked() { Err(HaulError::Paused) } else { Ok(()) }
}

/// Copies one block; gives `true` if it was the file's last one to be copied.
fn copy_block(disk: &Disk, job: &Job, nth: u64, buffer: &mut Vec<u8>, tell: &Sender<Told>) -> Result<bool, HaulError> {
    let pair = open_pair(disk, job)?;
    let (offset, length) = block_span(job.entry.size, nth);
    buffer.resize(length, 0);
    read_whole(disk, &pair.from, job, buffer, offset)?;
    let hash = block_hash(buffer, nth, job.entry.size);
    write_block(disk, &pair.to, job, buffer, offset, job.holes && pair.fresh)?;
    lock(&job.hashes)[nth as usize] = Some(hash);
    let blocks = crate::tally::block_count(job.entry.size);
    let _ = tell.send(Told::Block { path: job.entry.path.clone(), nth, hash, bytes: length as u64, of: blocks });
    let last = job.left.fetch_sub(1, Ordering::SeqCst) == 1;
    if last {
        disk.forget(&pair.from);
        lock(&job.pair).take();
    }
    Ok(last)
}

fn open_pair(disk: &Disk, job: &Job) -> Result<Arc<Pair>, HaulError> {
    let mut slot = lock(&job.pair);
    if let Some(pair) = slot.as_ref() {
        return Ok(Arc::clone(pair));
    }
    let from = disk.open_read(&job.from).map_err(HaulError::disk("open", &job.from))?;
    let there = job.to.symlink_metadata().is_ok();
    let to = if there { disk.open_write(&job.to) } else { disk.create(&job.to) };
    let to = to.map_err(HaulError::disk("make", &job.to))?;
    if job.entry.size > 0 && (job.holes || there) {
        // A longer rest of an earlier try is cut off; holes are what is not written afterwards.
        disk.set_len(&to, job.entry.size).map_err(HaulError::disk("size", &job.to))?;
    }
    let pair = Arc::new(Pair { from, to, fresh: !there });
    *slot = Some(Arc::clone(&pair));
    Ok(pair)
}

/// Fills `buffer` from the original; a file that is shorter than it was has changed.
pub(super) fn read_whole(
    disk: &Disk,
    file: &DiskFile,
    job: &Job,
    buffer: &mut [u8],
    offset: u64,
) -> Result<(), HaulError> {
    let to = offset + buffer.len() as u64;
    let read = disk.read_at(file, buffer, offset);
    let count = read.map_err(|source| HaulError::Unreadable { path: job.from.clone(), from: offset, to, source })?;
    if count < buffer.len() { Err(HaulError::SourceChanged { path: job.from.clone() }) } else { Ok(()) }
}

/// Writes a block; where `holes` may be left, stretches of zeros are not written if the original has holes.
pub(super) fn write_block(
    disk: &Disk,
    to: &DiskFile,
    job: &Job,
    data: &[u8],
    offset: u64,
    holes: bool,
) -> Result<(), HaulError> {
    const PIECE: usize = 1 << 16;
    let write = |data: &[u8], at| disk.write_at(to, data, at).map_err(HaulError::disk("write", &job.to));
    if !holes || job.entry.allocated >= job.entry.size {
        return if data.is_empty() { Ok(()) } else { write(data, offset) };
    }
    for (n, piece) in data.chunks(PIECE).enumerate() {
        if piece.iter().any(|byte| *byte != 0) {
            write(piece, offset + (n * PIECE) as u64)?;
        }
    }
    Ok(())
}

/// The caller's thread during a copy: journals hints, reports progress, keeps the first error.
struct Hearing<'a, 'w> {
    work: &'a Work<'w>,
    pace: Pace,
    progress: Progress,
    blocks: Vec<(LotPath, u64, BlockHash)>,
    same: Vec<(LotPath, There, Option<Vec<u8>>)>,
    sizes: HashMap<LotPath, u64>,
    before: u64,
}

impl<'a, 'w> Hearing<'a, 'w> {
    fn new(work: &'a Work<'w>, jobs: &[Job], tally: &[TallyEntry]) -> Self {
        let all: u64 = tally.iter().map(|line| line.entry.size).sum();
        let to_compare: u64 = jobs.iter().map(|job| job.entry.size).sum();
        let to_copy: u64 = jobs
            .iter()
            .map(|job| {
                let hashes = lock(&job.hashes);
                let missing = hashes.iter().enumerate().filter(|(_, hash)| hash.is_none());
                missing.map(|(nth, _)| block_span(job.entry.size, nth as u64).1 as u64).sum::<u64>()
            })
            .sum();
        let files_all = tally.iter().filter(|line| line.entry.kind == EntryKind::File).count() as u64;
        let amount = |rest: u64| Amount { done: Bytes::new(all.saturating_sub(rest)), all: Bytes::new(all) };
        let progress = Progress {
            copy: amount(to_copy),
            compare: amount(to_compare),
            files: files_all - jobs.len() as u64,
            ..Progress::begun(work.lot.id, &work.lot.planned.title, all, files_all)
        };
        let sizes = jobs.iter().map(|job| (job.entry.path.clone(), job.entry.size)).collect();
        let before = progress.copy.done.count() + progress.compare.done.count();
        Self { work, pace: Pace::new(), progress, blocks: Vec::new(), same: Vec::new(), sizes, before }
    }

    fn listen(&mut self, told: &crossbeam_channel::Receiver<Told>, halt: &super::event::Stop) -> Result<(), HaulError> {
        let mut first = Ok(());
        loop {
            match told.recv_timeout(std::time::Duration::from_millis(50)) {
                Ok(told) => self.take(told, &mut first),
                Err(crossbeam_channel::RecvTimeoutError::Timeout) => {}
                Err(crossbeam_channel::RecvTimeoutError::Disconnected) => break,
            }
            if self.pace.due() {
                if let Err(error) = self.write_down() {
                    halt.ask();
                    first = first.and(Err(error));
                }
                self.report();
            }
        }
        let written = self.write_down();
        self.report();
        first.and(written)
    }

    fn take(&mut self, told: Told, first: &mut Result<(), HaulError>) {
        let plus = |amount: &mut Amount, bytes: u64| amount.done = amount.done.plus(Bytes::new(bytes));
        match told {
            Told::Block { path, nth, hash, bytes, of } => {
                plus(&mut self.progress.copy, bytes);
                self.progress.file = path.as_path().to_path_buf();
                self.progress.block = (nth + 1, of);
                self.blocks.push((path, nth, hash));
            }
            Told::Checked { bytes } => plus(&mut self.progress.compare, bytes),
            Told::Repaired => self.progress.repaired += 1,
            Told::Same { path, there, digest } => {
                self.progress.files += u64::from(self.sizes.contains_key(&path));
                self.same.push((path, there, digest));
            }
            Told::Failed(error) => {
                if first.is_ok() {
                    *first = Err(error);
                }
            }
        }
    }

    fn write_down(&mut self) -> Result<(), HaulError> {
        if self.blocks.is_empty() && self.same.is_empty() {
            return Ok(());
        }
        self.work.journal.put_hints(self.work.lot.id, &self.blocks, &self.same)?;
        self.blocks.clear();
        self.same.clear();
        Ok(())
    }

    fn report(&mut self) {
        let (copy, compare) = (self.progress.copy, self.progress.compare);
        let done = (copy.done.count() + compare.done.count()).saturating_sub(self.before);
        let all = (copy.all.count() + compare.all.count()).saturating_sub(self.before);
        // A byte is moved when it is copied: the rate that people know counts those.
        self.progress.rate = self.pace.rate(copy.done.count());
        self.progress.left = self.pace.left(done, all);
        (self.work.report)(HaulEvent::Progress(self.progress.clone()));
    }
}
