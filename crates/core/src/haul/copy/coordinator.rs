//! The item's own thread during a copy: gives files to the workers, hears what they did, journals it and reports it.

use crate::bytes::index;
use crate::platform;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

use crossbeam_channel::{Receiver, RecvTimeoutError};

use super::job::{CopyRoute, FileJob};
use super::known::{known_blocks, still_there};
use super::pool::CopyPool;
use super::queue::WorkerEvent;
use super::verify::listed_files;
use crate::bytes::Bytes;
use crate::checksums::{BlockHash, EntryKind, block_count, block_span};
use crate::haul::{BATCH, HaulError, HaulEvent, ItemContext};
use crate::item::{Amount, BlockChange, BlockMap, Links, Progress, RateMeter};
use crate::journal::{FileEntry, Hint, Lines};
use crate::launcher::{DigestKind, ListedFile};

/// Files that are under way at a time: what is kept in memory of an item does not grow with it.
const UNDER_WAY: u64 = 8000;

/// Lines that are written down a tenth of a second after they came; more than these wait for more, this long at most.
const FEW: usize = 500;
const STEP: Duration = Duration::from_secs(1);

/// Copies and compares all files of an item that are not compared yet.
pub(crate) fn copy_files(work: &mut ItemContext<'_>, staging: &Path) -> Result<(), HaulError> {
    work.journal.forget_unreadable(work.item.id)?;
    let disk = &work.site.disk;
    let abilities = work.abilities();
    let top = if abilities.flushes_whole {
        Some(disk.open_folder(staging).map_err(HaulError::disk("open", staging))?)
    } else {
        None
    };
    let way = Arc::new(CopyRoute {
        from: work.item.planned.from.clone(),
        to: staging.into(),
        holes: abilities.sparse,
        shares: work.may_share(),
        patience: work.patience,
        attributes: work.source_abilities().attributes,
        target: abilities,
    });
    let (mut crew, told) = CopyPool::start(disk, work.stop, top);
    let mut hearing = Hearing {
        lines: Some(work.journal.lines(work.item.id)),
        ahead: Vec::new(),
        listed: listed_files(work)?,
        way,
        links: work.item.planned.links == Links::Copies,
        pace: RateMeter::of_drive(work.journal.speeds()?.pace(work.site, &work.item.planned.to_drive)),
        progress: progress_of(work)?,
        map: BlockMap::of(work.journal.sums(work.item.id)?.bytes),
        reached: 0,
        pulse: work.journal.next_pulse(work.item.id)?,
        hints: Vec::new(),
        given: 0,
        ended: 0,
        copied: 0,
        to_copy: 0,
        lost: None,
        warned: Instant::now(),
        written: Instant::now(),
        work,
    };
    let heard = hearing.listen(&mut crew, &told);
    let (lost, paused) = (hearing.lost.take(), work.stop.asked());
    crew.join(&work.item.planned.from)?;
    match heard {
        Ok(()) if paused => Err(HaulError::Paused),
        Ok(()) => lost.map_or(Ok(()), Err),
        Err(error) => Err(error),
    }
}

fn progress_of(work: &ItemContext<'_>) -> Result<Progress, HaulError> {
    let sums = work.journal.sums(work.item.id)?;
    let amount = Amount { done: Bytes::new(sums.same_bytes), all: Bytes::new(sums.bytes) };
    Ok(Progress {
        copy: amount,
        compare: amount,
        files: sums.same,
        ..Progress::begun(work.item.id, &work.item.planned.title, sums.bytes, sums.files)
    })
}

struct Hearing<'a, 'w> {
    work: &'a ItemContext<'w>,
    lines: Option<Lines<'a>>,
    /// Files that are next, those that lie beside one another on the drive together.
    ahead: Vec<FileJob>,
    /// What the launcher's content list says.
    listed: HashMap<PathBuf, (DigestKind, ListedFile)>,
    way: Arc<CopyRoute>,
    /// Whether copies of files stand where links were.
    links: bool,
    pace: RateMeter,
    progress: Progress,
    map: BlockMap,
    /// Bytes of the files so far.
    reached: u64,
    /// Number of the next moment that may be kept.
    pulse: u64,
    hints: Vec<Hint>,
    /// Files that the workers got, and those that they are done with.
    given: u64,
    ended: u64,
    /// Blocks of small files that were copied, and that were to be.
    copied: u64,
    to_copy: u64,
    /// The first stretch of an original that cannot be read, and how many there are.
    lost: Option<HaulError>,
    warned: Instant,
    /// When the journal last heard what there is.
    written: Instant,
}

impl Hearing<'_, '_> {
    fn listen(&mut self, crew: &mut CopyPool, told: &Receiver<WorkerEvent>) -> Result<(), HaulError> {
        let mut first = Ok(());
        while first.is_ok() && !self.work.stop.asked() {
            while self.given - self.ended < UNDER_WAY
                && let Some(job) = self.next_job()?
            {
                self.given += 1;
                self.to_copy += job.missing().len() as u64;
                crew.take_on(&Arc::new(job));
            }
            crew.send_group();
            if self.lines.is_none() && self.ahead.is_empty() {
                if self.given == self.ended {
                    break;
                }
                if self.copied == self.to_copy {
                    crew.sweep_up();
                }
            }
            match told.recv_timeout(Duration::from_millis(50)) {
                Ok(message) => {
                    self.take(message, &mut first);
                    // What else there is by now is heard before anything is done about it.
                    for message in told.try_iter().take(index(UNDER_WAY)) {
                        self.take(message, &mut first);
                    }
                }
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => break,
            }
            if self.pace.due() {
                // Many lines are written in larger steps.
                if self.hints.len() < FEW || self.hints.len() >= BATCH || self.written.elapsed() > STEP {
                    self.write_down()?;
                }
                self.report()?;
                self.warn(crew);
            }
        }
        crew.halt();
        for message in told.try_iter() {
            self.take(message, &mut first);
        }
        self.write_down()?;
        self.report()?;
        first
    }

    /// The next file that is to be copied or compared.
    fn next_job(&mut self) -> Result<Option<FileJob>, HaulError> {
        while self.ahead.is_empty() {
            let Some(lines) = &mut self.lines else { return Ok(None) };
            let page: Vec<FileEntry> = lines.take(1000).collect::<Result<_, _>>()?;
            if page.is_empty() {
                self.lines = None;
                return Ok(None);
            }
            for line in page.into_iter().filter(|line| line.entry.kind == EntryKind::File) {
                self.prepare(line);
            }
            // They are taken from the end.
            self.ahead.sort_by_key(|job| std::cmp::Reverse(job.entry.inode));
        }
        Ok(self.ahead.pop())
    }

    fn prepare(&mut self, line: FileEntry) {
        let start = self.reached;
        self.reached += line.entry.size;
        // Of what nothing is known, nothing has to be there.
        let begun = line.compared || line.blocks.iter().any(Option::is_some);
        let found = begun.then(|| platform::look_itself(line.entry.path.under(&self.way.to)).ok()).flatten();
        if line.compared && still_there(&line, found.as_ref(), self.way.target.steady()) {
            self.map.note(start, line.entry.size, BlockChange::Written);
            self.map.note(start, line.entry.size, BlockChange::Verified);
            return;
        }
        let known = known_blocks(&line, found.as_ref());
        let listed = self.listed.get(line.entry.path.as_path());
        // A copy that stands instead of a link is made of what the link leads to.
        let followed = self.links.then(|| line.entry.path.under(&self.way.from)).filter(|path| path.is_symlink());
        let taken = line.taken.or_else(|| followed.and_then(|path| platform::real(&path).ok()));
        let job = FileJob::new((line.entry, start), Arc::clone(&self.way), known, taken, listed, line.attributes);
        if line.compared {
            // It was compared and is not what it was then.
            let plus = |amount: &mut Amount| amount.done = amount.done.less(Bytes::new(job.entry.size));
            plus(&mut self.progress.compare);
            plus(&mut self.progress.copy);
            self.progress.files -= 1;
        }
        let there = job.entry.size - job.missing_bytes();
        self.progress.copy.done = self.progress.copy.done.plus(Bytes::new(there));
        if there > 0 {
            let missing: HashSet<u64> = job.missing().into_iter().collect();
            for nth in (0..block_count(job.entry.size)).filter(|nth| !missing.contains(nth)) {
                let (offset, length) = block_span(job.entry.size, nth);
                self.map.note(start + offset, length as u64, BlockChange::Written);
            }
        }
        self.ahead.push(job);
    }

    fn take(&mut self, told: WorkerEvent, first: &mut Result<(), HaulError>) {
        let plus = |amount: &mut Amount, bytes: u64| amount.done = amount.done.plus(Bytes::new(bytes));
        match told {
            WorkerEvent::Copied(job, nth, hash) => self.take_copied(&job, nth, hash),
            WorkerEvent::Several(all) => all.into_iter().for_each(|told| self.take(told, first)),
            WorkerEvent::Checked(job, nth) => {
                let (offset, length) = block_span(job.entry.size, nth);
                plus(&mut self.progress.compare, length as u64);
                self.map.note(job.start + offset, length as u64, BlockChange::Verified);
            }
            WorkerEvent::Repaired(job, nth) => {
                let (offset, length) = block_span(job.entry.size, nth);
                self.progress.repaired += 1;
                // What the original holds may have been read otherwise at first.
                if let Some(hash) = job.hash(nth).filter(|_| !job.is_small()) {
                    let of = block_count(job.entry.size);
                    self.hints.push(Hint::Block { path: job.entry.path.clone(), nth, hash, of });
                }
                self.map.note(job.start + offset, length as u64, BlockChange::Repaired);
            }
            WorkerEvent::Same(job, there, digest, beside) => {
                self.ended += 1;
                self.progress.files += 1;
                let hash = if job.is_small() { job.hash(0) } else { None };
                self.hints.push(Hint::Same { path: job.entry.path.clone(), there, digest, hash, beside });
            }
            WorkerEvent::Doubted(job) => {
                self.progress.compare.done = self.progress.compare.done.less(Bytes::new(job.entry.size));
            }
            WorkerEvent::ReadAgain(job, nth) => {
                plus(&mut self.progress.compare, block_span(job.entry.size, nth).1 as u64);
            }
            WorkerEvent::Forgotten(job, nth) => {
                self.hints.push(Hint::Forget { path: job.entry.path.clone(), nth });
            }
            WorkerEvent::Unreadable(job, from, to) => {
                self.progress.unreadable = self.progress.unreadable.plus(Bytes::new(to - from));
                self.map.note(job.start + from, to - from, BlockChange::Unreadable);
                self.hints.push(Hint::Unreadable { path: job.entry.path.clone(), from, to });
                match &mut self.lost {
                    Some(HaulError::Unreadable { count, .. }) => *count += 1,
                    _ => self.lost = Some(HaulError::Unreadable { path: job.from(), from, to, count: 1 }),
                }
            }
            WorkerEvent::Lost(job) => {
                self.ended += 1;
                // Its blocks will not all be told.
                self.to_copy -= job.missing().len() as u64;
            }
            WorkerEvent::Failed(error) => {
                if first.is_ok() {
                    *first = Err(error);
                }
            }
        }
    }

    fn take_copied(&mut self, job: &FileJob, nth: u64, hash: BlockHash) {
        self.copied += 1;
        let of = block_count(job.entry.size);
        let (offset, length) = block_span(job.entry.size, nth);
        self.progress.copy.done = self.progress.copy.done.plus(Bytes::new(length as u64));
        self.map.note(job.start + offset, length as u64, BlockChange::Written);
        if self.progress.file != job.entry.path.as_path() {
            job.entry.path.as_path().clone_into(&mut self.progress.file);
        }
        self.progress.block = (nth + 1, of);
        // Of a small file the hash is written down when it is compared, some moments later.
        if !job.is_small() {
            self.hints.push(Hint::Block { path: job.entry.path.clone(), nth, hash, of });
        }
    }

    fn write_down(&mut self) -> Result<(), HaulError> {
        if !self.hints.is_empty() {
            self.work.journal.put_hints(self.work.item.id, &self.hints)?;
            self.hints.clear();
        }
        self.written = Instant::now();
        Ok(())
    }

    fn report(&mut self) -> Result<(), HaulError> {
        let limit = self.work.stop.limit();
        self.progress.reckon(&mut self.pace);
        self.progress.hold_to(limit);
        self.progress.map = self.map.letters();
        self.work.journal.put_pulse(self.pulse, &self.progress, limit)?;
        self.pulse += 1;
        (self.work.report)(HaulEvent::Progress(self.progress.clone()));
        Ok(())
    }

    /// Says that a drive does not answer.
    fn warn(&mut self, crew: &CopyPool) {
        if self.warned.elapsed() < self.work.patience.min(Duration::from_secs(5)) {
            return;
        }
        if let Some((path, time)) = crew.hung() {
            self.warned = Instant::now();
            (self.work.report)(HaulEvent::Hung {
                item: self.work.item.id,
                title: self.work.item.planned.title.clone(),
                path,
                seconds: time.as_secs(),
            });
        }
    }
}
