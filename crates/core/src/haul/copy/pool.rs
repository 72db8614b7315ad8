//! The pool of workers that copy blocks, flush, read back and compare, and say what they did.
//!
//! Law: a drive that hangs keeps a worker, and never who waits for it; what a forgotten worker still writes into a copy is
//! what its block held. Start at [`Crew::hire`].

use super::job::Job;
use super::queue::{Busy, Check, HANDFUL, Task, Told, Yard};
use crate::checksums::block_span;
use crate::disk::{Disk, Folder};
use crate::haul::{Control, HaulError, lock};
use crossbeam_channel::{Receiver, Sender, unbounded};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicU32;
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// Threads that copy. Two keep one fast drive busy; more hide the time to open small files.
const COPYING: usize = 6;

/// Threads that flush, read back and compare.
const COMPARING: usize = 4;

/// Bytes of such files.
const HANDFUL_BYTES: u64 = 1 << 20;

/// Time after which a hand tells what it has done by then.
const SILENCE: Duration = Duration::from_millis(100);

/// Time that a cancelled haul gives a drive to answer.
const GRACE: Duration = Duration::from_secs(2);

/// The hands at work.
pub(crate) struct Crew {
    yard: Arc<Yard>,
    tasks: Sender<Task>,
    /// Small files that are not given to a hand yet, and their bytes.
    handful: (Vec<Arc<Job>>, u64),
    hands: Vec<JoinHandle<()>>,
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
    /// Begins the work of an item; gives the crew and what it tells.
    pub(crate) fn hire(disk: &Disk, control: &Control, top: Option<Folder>) -> (Self, Receiver<Told>) {
        let (tell, told) = unbounded();
        let (tasks, to_copy) = unbounded();
        let (checks, to_check) = unbounded();
        let yard = Arc::new(Yard {
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
                let work = || {
                    if n < COPYING { copy_files_of(&yard, n, &to_copy) } else { compare_files_of(&yard, n, &to_check) }
                };
                // Who waits for what this thread does would wait for ever.
                if std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)).is_err() {
                    yard.fail(HaulError::NeedsRecovery);
                }
            }));
        }
        (Self { yard, tasks, handful: Default::default(), hands }, told)
    }

    /// Gives a file to the hands; a small one once there are enough of them, or when [`Crew::hand_over`] says so.
    pub(crate) fn take_on(&mut self, job: &Arc<Job>) {
        for segment in if job.is_small() { Vec::new() } else { job.whole_segments() } {
            self.yard.segment_is_copied(job, segment);
        }
        let missing = job.missing();
        if job.is_small() && missing.is_empty() {
            return self.yard.gather(Arc::clone(job));
        }
        if job.is_small() {
            self.handful.0.push(Arc::clone(job));
            self.handful.1 += job.entry.size;
            if self.handful.0.len() >= HANDFUL || self.handful.1 >= HANDFUL_BYTES {
                self.hand_over();
            }
            return;
        }
        for nth in missing {
            let _ = self.tasks.send(Task::Block(Arc::clone(job), nth));
        }
    }

    /// Gives the hands what small files there are.
    pub(crate) fn hand_over(&mut self) {
        let (jobs, _) = std::mem::take(&mut self.handful);
        if !jobs.is_empty() {
            let _ = self.tasks.send(Task::Whole(jobs));
        }
    }

    /// Has the last small files flushed, too few for a batch of their own.
    pub(crate) fn sweep_up(&self) {
        let rest = std::mem::take(&mut *lock(&self.yard.batch)).0;
        if !rest.is_empty() {
            self.yard.check(Check::Batch(rest));
        }
    }

    /// Ends the work after the block in hand.
    pub(crate) fn halt(&self) {
        self.yard.halt.ask();
    }

    /// The file that a drive has been asked for longest, and for how long, if that is longer than anybody's patience.
    pub(crate) fn hung(&self) -> Option<(PathBuf, Duration)> {
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
    pub(crate) fn go_home(self, root: &Path) -> Result<(), HaulError> {
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

/// Copies what is given out until there is no more.
fn copy_files_of(yard: &Yard, hand: usize, tasks: &Receiver<Task>) {
    let mut buffer = Vec::new();
    while let Some(task) = next_of(yard, tasks) {
        let (jobs, nth) = match task {
            Task::Home => break,
            Task::Whole(jobs) => (jobs, 0),
            Task::Block(job, nth) => (vec![job], nth),
        };
        let mut told = Vec::with_capacity(jobs.len());
        let mut since = Instant::now();
        for job in jobs {
            // With a limit, or on a slow drive, nobody waits for all of them to hear of the first.
            if since.elapsed() > SILENCE {
                since = Instant::now();
                yard.tell_all(std::mem::take(&mut told));
            }
            let bytes = block_span(job.entry.size, nth).1 as u64;
            yard.control.wait_for(bytes, &|| yard.over());
            if yard.over() {
                break;
            }
            *lock(&yard.busy[hand]) = Some(Busy { since: Instant::now(), job: Arc::clone(&job) });
            if let Err(error) = super::block_io::copy_block(yard, &job, nth, &mut buffer, &mut told) {
                yard.fail(error);
            }
        }
        yard.tell_all(told);
        *lock(&yard.busy[hand]) = None;
    }
}

/// Makes durable and compares what is given out until there is no more.
fn compare_files_of(yard: &Yard, hand: usize, checks: &Receiver<Check>) {
    let mut buffer = crate::disk::Buffer::new(crate::checksums::BLOCK as usize);
    while let Some(check) = next_of(yard, checks) {
        let first = match &check {
            Check::Batch(jobs) | Check::Files(jobs) => jobs.first(),
            Check::Segment(job, _) => Some(job),
            Check::Home => break,
        };
        let busy = first.map(|job| Busy { since: Instant::now(), job: Arc::clone(job) });
        *lock(&yard.busy[hand]) = busy;
        let mut at = |job: &Arc<Job>| {
            *lock(&yard.busy[hand]) = Some(Busy { since: Instant::now(), job: Arc::clone(job) });
        };
        let mut told = Vec::new();
        let checked = super::verify::check(yard, check, &mut buffer, &mut told, &mut at);
        yard.tell_all(told);
        if let Err(error) = checked {
            yard.fail(error);
        }
        *lock(&yard.busy[hand]) = None;
    }
}
