//! The hands of a haul: threads that copy blocks, flush, read back and compare, and tell what they did.
//!
//! Law: a file is told to be the same only after it was flushed and read back from its device. Hands belong to
//! nobody: a drive that hangs keeps a hand, and never who waits for it; what a forgotten hand still writes into a
//! copy is what its block held. Start at [`Yard::hire`].

use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicU32;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use crossbeam_channel::{Receiver, Sender, unbounded};

use super::error::HaulError;
use super::event::Control;
use super::history::There;
use crate::disk::{Disk, DiskFile, Folder};
use crate::launcher::{Digest, DigestKind};
use crate::tally::{BlockHash, Entry, block_count, block_span};

/// Threads that copy. Two keep one fast drive busy; more hide the time to open small files.
const COPYING: usize = 6;
/// Threads that flush, read back and compare.
const COMPARING: usize = 4;
/// Blocks of a large file that are flushed and compared together, while later ones are still copied: 128 MiB.
const SEGMENT: u64 = 32;
/// Small files that are made durable by one flush.
const BATCH_FILES: usize = 2000;
/// Bytes of small files that are made durable by one flush.
const BATCH_BYTES: u64 = 1 << 26;
/// Time that a cancelled haul gives a drive to answer.
const GRACE: Duration = Duration::from_secs(2);

pub(super) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Where a lot is copied from and to.
#[derive(Debug)]
pub(super) struct Way {
    pub(super) from: PathBuf,
    pub(super) to: PathBuf,
    /// Whether the target's file system has holes.
    pub(super) holes: bool,
    /// Whether the target may share the original's bytes, since both are on one file system that can.
    pub(super) shares: bool,
    /// Time after which a drive that does not answer is said to hang.
    pub(super) patience: Duration,
}

/// A file on its way.
#[derive(Debug)]
pub(super) struct Job {
    pub(super) entry: Entry,
    pub(super) way: Arc<Way>,
    /// Another copy to read instead of the original.
    pub(super) taken: Option<PathBuf>,
    pub(super) digest: Option<DigestKind>,
    /// Whether all its blocks were copied in an earlier run, which may not have got as far as its times.
    pub(super) copied_before: bool,
    state: Mutex<State>,
    pair: Mutex<Option<Arc<Pair>>>,
}

#[derive(Debug)]
struct State {
    hashes: Vec<Option<BlockHash>>,
    /// Blocks of each segment that are still to be copied.
    to_copy: Vec<u32>,
    /// Segments that are copied and wait for their turn.
    waiting: Vec<u64>,
    /// The segment whose turn it is.
    next: u64,
    /// Whether it is being compared.
    comparing: bool,
    /// Segments that are still to be compared.
    to_compare: u64,
    blocks_left: u64,
    lost: bool,
    digest: Option<Digest>,
}

impl State {
    fn turn(&mut self) -> Option<u64> {
        let next = self.next;
        let at = self.waiting.iter().position(|waits| *waits == next).filter(|_| !self.comparing)?;
        self.comparing = true;
        Some(self.waiting.swap_remove(at))
    }
}

#[derive(Debug)]
struct Pair {
    from: DiskFile,
    to: DiskFile,
    /// Whether the copy was made just now, so that what is not written reads as zeros.
    fresh: bool,
    /// Whether the copy shares the original's bytes already.
    shared: bool,
}

impl Job {
    /// Makes one of which the blocks in `known` are copied already.
    pub(super) fn new(
        entry: Entry,
        way: Arc<Way>,
        known: Vec<Option<BlockHash>>,
        taken: Option<PathBuf>,
        digest: Option<DigestKind>,
    ) -> Self {
        let to_copy: Vec<u32> = known
            .chunks(SEGMENT as usize)
            .map(|part| part.iter().filter(|hash| hash.is_none()).count() as u32)
            .collect();
        let copied_before = known.iter().all(Option::is_some);
        let state = State {
            blocks_left: to_copy.iter().map(|n| u64::from(*n)).sum(),
            to_compare: to_copy.len() as u64,
            to_copy,
            hashes: known,
            waiting: Vec::new(),
            next: 0,
            comparing: false,
            lost: false,
            digest: digest.map(Digest::new),
        };
        Self { entry, way, taken, digest, copied_before, state: Mutex::new(state), pair: Mutex::default() }
    }

    /// Whether it is one block, which one hand copies as a whole.
    pub(super) fn is_small(&self) -> bool {
        block_count(self.entry.size) == 1
    }

    pub(super) fn from(&self) -> PathBuf {
        self.taken.clone().unwrap_or_else(|| self.entry.path.under(&self.way.from))
    }

    pub(super) fn to(&self) -> PathBuf {
        self.entry.path.under(&self.way.to)
    }

    /// The blocks that are still to be copied.
    pub(super) fn missing(&self) -> Vec<u64> {
        let state = lock(&self.state);
        let missing = state.hashes.iter().enumerate().filter(|(_, hash)| hash.is_none());
        missing.map(|(nth, _)| nth as u64).collect()
    }

    pub(super) fn missing_bytes(&self) -> u64 {
        self.missing().into_iter().map(|nth| block_span(self.entry.size, nth).1 as u64).sum()
    }

    pub(super) fn hash(&self, nth: u64) -> Option<BlockHash> {
        lock(&self.state).hashes[nth as usize]
    }

    pub(super) fn set_hash(&self, nth: u64, hash: BlockHash) {
        lock(&self.state).hashes[nth as usize] = Some(hash);
    }

    pub(super) fn take_in_digest(&self, bytes: &[u8]) {
        if let Some(digest) = &mut lock(&self.state).digest {
            digest.take(bytes);
        }
    }

    pub(super) fn end_digest(&self) -> Option<Vec<u8>> {
        lock(&self.state).digest.take().map(Digest::end)
    }

    /// The blocks of a segment.
    pub(super) fn segment(&self, nth: u64) -> std::ops::Range<u64> {
        nth * SEGMENT..block_count(self.entry.size).min((nth + 1) * SEGMENT)
    }

    /// The segments that nothing has to be copied of any more.
    fn whole_segments(&self) -> Vec<u64> {
        let state = lock(&self.state);
        state.to_copy.iter().enumerate().filter(|(_, left)| **left == 0).map(|(nth, _)| nth as u64).collect()
    }

    /// Says that a segment is copied; gives the one that may be compared now, if there is one.
    ///
    /// A digest is made from the first byte to the last: then segments are compared in their order, one at a time.
    fn ready(&self, segment: u64) -> Option<u64> {
        let mut state = lock(&self.state);
        if self.digest.is_none() {
            return Some(segment);
        }
        state.waiting.push(segment);
        state.turn()
    }

    /// Says that a segment was compared; gives one that may be compared now, and whether it was the last one.
    pub(super) fn compared(&self) -> (Option<u64>, bool) {
        let mut state = lock(&self.state);
        state.to_compare -= 1;
        state.comparing = false;
        state.next += 1;
        let over = state.to_compare == 0;
        (state.turn(), over)
    }

    /// Says that a block was dealt with, `lost` if it cannot be read; gives the segment if it is copied, and whether all are over.
    pub(super) fn dealt_with(&self, nth: u64, lost: bool) -> (Option<u64>, bool, bool) {
        let mut state = lock(&self.state);
        state.lost |= lost;
        state.blocks_left -= 1;
        let over = state.blocks_left == 0;
        let segment = nth / SEGMENT;
        // A segment with a lost block is never compared: its count stays above zero.
        if !lost {
            state.to_copy[segment as usize] -= 1;
        }
        let whole = (state.to_copy[segment as usize] == 0).then_some(segment);
        (whole, over, state.lost)
    }

    /// Opens original and copy, once for all hands.
    pub(super) fn open(&self, disk: &Disk) -> Result<DiskPair, HaulError> {
        let mut slot = lock(&self.pair);
        if let Some(pair) = slot.as_ref() {
            return Ok(DiskPair(Arc::clone(pair)));
        }
        let (from_path, to_path) = (self.from(), self.to());
        let from = disk.open_read(&from_path).map_err(HaulError::disk("open", &from_path))?;
        let (to, there) = match disk.create(&to_path) {
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => (disk.open_write(&to_path), true),
            other => (other, false),
        };
        let to = to.map_err(HaulError::disk("make", &to_path))?;
        let shared = self.way.shares && !there && self.entry.size > 0 && disk.share(&from, &to).is_ok();
        let large = !self.is_small();
        if !shared && (there || (large && self.way.holes) || self.has_holes()) {
            // A longer rest of an earlier try is cut off; holes are what is not written afterwards.
            disk.set_len(&to, self.entry.size).map_err(HaulError::disk("size", &to_path))?;
        }
        let pair = Arc::new(Pair { from, to, fresh: !there, shared });
        if large {
            *slot = Some(Arc::clone(&pair));
        }
        Ok(DiskPair(pair))
    }

    /// Lets go of original and copy.
    pub(super) fn close(&self) {
        lock(&self.pair).take();
    }

    /// Whether the original has holes that the copy can have too.
    pub(super) fn has_holes(&self) -> bool {
        self.way.holes && self.entry.allocated < self.entry.size
    }
}

/// Original and copy, open.
pub(super) struct DiskPair(Arc<Pair>);

impl DiskPair {
    pub(super) fn from(&self) -> &DiskFile {
        &self.0.from
    }

    pub(super) fn to(&self) -> &DiskFile {
        &self.0.to
    }

    pub(super) fn fresh(&self) -> bool {
        self.0.fresh
    }

    pub(super) fn shared(&self) -> bool {
        self.0.shared
    }
}

/// What is to be copied.
enum Task {
    /// There is no more.
    Home,
    Whole(Arc<Job>),
    Block(Arc<Job>, u64),
}

/// What is to be made durable and compared.
pub(super) enum Check {
    /// There is no more.
    Home,
    /// Small files, to be flushed together.
    Batch(Vec<Arc<Job>>),
    /// Small files that are durable.
    Files(Vec<Arc<Job>>),
    /// A segment of a large file.
    Segment(Arc<Job>, u64),
}

/// What the hands tell.
pub(super) enum Told {
    /// A block was copied.
    Copied(Arc<Job>, u64, BlockHash),
    /// So many bytes were read back and are the same.
    Checked(u64),
    /// A block was copied again.
    Repaired,
    /// A whole file is the same.
    Same(Arc<Job>, There, Option<Vec<u8>>),
    /// Bytes of an original that cannot be read.
    Unreadable(Arc<Job>, u64, u64),
    /// All of a file was tried, and something of it cannot be read.
    Lost(Arc<Job>),
    /// Nothing more is done.
    Failed(HaulError),
}

/// What a hand is doing, so that somebody notices when it takes too long.
struct Busy {
    since: Instant,
    job: Arc<Job>,
}

/// What the hands share.
pub(super) struct Yard {
    pub(super) disk: Disk,
    pub(super) control: Control,
    /// Ends the work: something has failed, or all is done.
    pub(super) halt: Control,
    /// A folder of the target, where one flush serves many files.
    pub(super) top: Option<Folder>,
    pub(super) tell: Sender<Told>,
    checks: Sender<Check>,
    batch: Mutex<(Vec<Arc<Job>>, u64)>,
    busy: Vec<Mutex<Option<Busy>>>,
    /// Blocks in a row of which nothing could be read: a drive that is gone reads like one that fails.
    pub(super) dead: AtomicU32,
}

/// The hands at work.
pub(super) struct Crew {
    yard: Arc<Yard>,
    tasks: Sender<Task>,
    hands: Vec<JoinHandle<()>>,
}

impl Yard {
    /// Begins the work of a lot; gives the crew and what it tells.
    pub(super) fn hire(disk: &Disk, control: &Control, top: Option<Folder>) -> (Crew, Receiver<Told>) {
        let (tell, told) = unbounded();
        let (tasks, to_copy) = unbounded();
        let (checks, to_check) = unbounded();
        let yard = Arc::new(Self {
            disk: disk.clone(),
            control: control.clone(),
            halt: Control::default(),
            top,
            tell,
            checks,
            batch: Mutex::default(),
            busy: (0..COPYING + COMPARING).map(|_| Mutex::default()).collect(),
            dead: AtomicU32::new(0),
        });
        let mut hands = Vec::new();
        for n in 0..COPYING + COMPARING {
            let (yard, to_copy, to_check) = (Arc::clone(&yard), to_copy.clone(), to_check.clone());
            hands.push(std::thread::spawn(move || {
                be_gentle(&yard.control);
                if n < COPYING { yard.copy(n, &to_copy) } else { yard.compare(n, &to_check) }
            }));
        }
        (Crew { yard, tasks, hands }, told)
    }

    pub(super) fn over(&self) -> bool {
        self.halt.asked() || self.control.asked()
    }

    fn fail(&self, error: HaulError) {
        self.halt.ask();
        if !matches!(error, HaulError::Paused) {
            let _ = self.tell.send(Told::Failed(error));
        }
    }

    fn copy(&self, hand: usize, tasks: &Receiver<Task>) {
        let mut buffer = Vec::new();
        while let Some(task) = next_of(self, tasks) {
            let (job, nth) = match task {
                Task::Home => break,
                Task::Whole(job) => (job, 0),
                Task::Block(job, nth) => (job, nth),
            };
            let bytes = block_span(job.entry.size, nth).1 as u64;
            self.control.wait_for(bytes, &|| self.over());
            if self.over() {
                break;
            }
            *lock(&self.busy[hand]) = Some(Busy { since: Instant::now(), job: Arc::clone(&job) });
            if let Err(error) = super::copy::copy_block(self, &job, nth, &mut buffer) {
                self.fail(error);
            }
            *lock(&self.busy[hand]) = None;
        }
    }

    fn compare(&self, hand: usize, checks: &Receiver<Check>) {
        let mut buffer = crate::disk::Buffer::new(crate::tally::BLOCK as usize);
        while let Some(check) = next_of(self, checks) {
            let first = match &check {
                Check::Batch(jobs) | Check::Files(jobs) => jobs.first(),
                Check::Segment(job, _) => Some(job),
                Check::Home => break,
            };
            let busy = first.map(|job| Busy { since: Instant::now(), job: Arc::clone(job) });
            *lock(&self.busy[hand]) = busy;
            let mut at = |job: &Arc<Job>| {
                *lock(&self.busy[hand]) = Some(Busy { since: Instant::now(), job: Arc::clone(job) });
            };
            if let Err(error) = super::compare::check(self, check, &mut buffer, &mut at) {
                self.fail(error);
            }
            *lock(&self.busy[hand]) = None;
        }
    }

    /// Passes a check to whoever is free.
    pub(super) fn check(&self, check: Check) {
        let _ = self.checks.send(check);
    }

    /// Puts a small file that is copied to those that are flushed with it.
    pub(super) fn gather(&self, job: Arc<Job>) {
        let full = {
            let mut batch = lock(&self.batch);
            batch.1 += job.entry.size;
            batch.0.push(job);
            let full = batch.0.len() >= BATCH_FILES || batch.1 >= BATCH_BYTES;
            if full { std::mem::take(&mut *batch).0 } else { Vec::new() }
        };
        if !full.is_empty() {
            self.check(Check::Batch(full));
        }
    }

    /// Has a segment compared when it is its turn.
    pub(super) fn segment_is_copied(&self, job: &Arc<Job>, segment: u64) {
        if let Some(nth) = job.ready(segment) {
            self.check(Check::Segment(Arc::clone(job), nth));
        }
    }
}

/// Waits for the next thing to do; `None` when there will be none.
fn next_of<T>(yard: &Yard, queue: &Receiver<T>) -> Option<T> {
    loop {
        if yard.over() {
            return None;
        }
        match queue.recv_timeout(Duration::from_millis(50)) {
            Ok(next) => return Some(next),
            Err(crossbeam_channel::RecvTimeoutError::Timeout) => {}
            Err(crossbeam_channel::RecvTimeoutError::Disconnected) => return None,
        }
    }
}

/// Lets everybody else's reads and writes go first, where the system's scheduler heeds it.
fn be_gentle(control: &Control) {
    if control.gentle() {
        let (this_thread, idle) = (ioprio::Target::Process(ioprio::Pid::from_raw(0)), ioprio::Class::Idle);
        // A wish: a system that refuses it copies as fast as ever.
        let _ = ioprio::set_priority(this_thread, ioprio::Priority::new(idle));
    }
}

impl Crew {
    /// Gives a file to the hands.
    pub(super) fn take_on(&self, job: &Arc<Job>) {
        for segment in if job.is_small() { Vec::new() } else { job.whole_segments() } {
            self.yard.segment_is_copied(job, segment);
        }
        let missing = job.missing();
        if job.is_small() && missing.is_empty() {
            return self.yard.gather(Arc::clone(job));
        }
        for nth in missing {
            let job = Arc::clone(job);
            let _ = self.tasks.send(if job.is_small() { Task::Whole(job) } else { Task::Block(job, nth) });
        }
    }

    /// Has the last small files flushed, too few for a batch of their own.
    pub(super) fn sweep_up(&self) {
        let rest = std::mem::take(&mut *lock(&self.yard.batch)).0;
        if !rest.is_empty() {
            self.yard.check(Check::Batch(rest));
        }
    }

    /// Ends the work after the block in hand.
    pub(super) fn halt(&self) {
        self.yard.halt.ask();
    }

    /// The file that a drive has been asked for longest, and for how long, if that is longer than anybody's patience.
    pub(super) fn hung(&self) -> Option<(PathBuf, Duration)> {
        let slow = |slot: &Mutex<Option<Busy>>| {
            let busy = lock(slot);
            let busy = busy.as_ref()?;
            let time = busy.since.elapsed();
            (time > busy.job.way.patience).then(|| (busy.job.entry.path.as_path().to_path_buf(), time))
        };
        self.yard.busy.iter().filter_map(slow).max_by_key(|(_, time)| *time)
    }

    /// Waits for all hands; those that a drive holds are left behind.
    ///
    /// # Errors
    /// [`HaulError::Hung`] if a hand was left behind.
    pub(super) fn go_home(self, root: &Path) -> Result<(), HaulError> {
        self.yard.halt.ask();
        for _ in 0..COPYING + COMPARING {
            let _ = self.tasks.send(Task::Home);
            self.yard.check(Check::Home);
        }
        let begun = Instant::now();
        while self.hands.iter().any(|hand| !hand.is_finished()) {
            if begun.elapsed() > GRACE && self.yard.control.asked() {
                let held =
                    self.yard.busy.iter().find_map(|slot| lock(slot).as_ref().map(|busy| busy.job.entry.path.clone()));
                return Err(HaulError::Hung { path: held.map_or_else(|| root.into(), |path| path.under(root)) });
            }
            std::thread::sleep(Duration::from_micros(200));
        }
        Ok(())
    }
}
