//! The pool of workers that copy blocks, flush, read back and compare, and say what they did.
//!
//! Law: a drive that hangs keeps a worker, and never who waits for it; what a forgotten worker still writes into a copy is
//! what its block held. Start at [`CopyPool::start`].

use super::job::FileJob;
use super::queue::{Busy, CopyQueue, CopyTask, GROUP, VerifyTask, WorkerEvent};
use crate::bytes::index;
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
const GROUP_BYTES: u64 = 1 << 20;

/// Time after which a worker tells what it has done by then.
const SILENCE: Duration = Duration::from_millis(100);

/// Time that a cancelled haul gives a drive to answer.
const GRACE: Duration = Duration::from_secs(2);

/// The workers at work.
pub(crate) struct CopyPool {
    queue: Arc<CopyQueue>,
    tasks: Sender<CopyTask>,
    /// Small files that are not given to a worker yet, and their bytes.
    group: (Vec<Arc<FileJob>>, u64),
    workers: Vec<JoinHandle<()>>,
}

/// Waits for the next thing to do; `None` when there will be none.
fn next_of<T>(queue: &CopyQueue, tasks: &Receiver<T>) -> Option<T> {
    loop {
        if queue.over() {
            return None;
        }
        match tasks.recv_timeout(Duration::from_millis(50)) {
            Ok(next) => return Some(next),
            Err(crossbeam_channel::RecvTimeoutError::Timeout) => {}
            Err(crossbeam_channel::RecvTimeoutError::Disconnected) => return None,
        }
    }
}

/// Lets everybody else's reads and writes go first, where the system's scheduler heeds it.
fn be_gentle(control: &Control) {
    if control.gentle() {
        crate::platform::let_others_go_first();
    }
}

impl CopyPool {
    /// Begins the work of an item; gives the crew and what it tells.
    pub(crate) fn start(disk: &Disk, control: &Control, top: Option<Folder>) -> (Self, Receiver<WorkerEvent>) {
        let (tell, told) = unbounded();
        let (tasks, to_copy) = unbounded();
        let (checks, to_check) = unbounded();
        let queue = Arc::new(CopyQueue {
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
        let mut workers = Vec::new();
        for n in 0..COPYING + COMPARING {
            let (queue, to_copy, to_check) = (Arc::clone(&queue), to_copy.clone(), to_check.clone());
            workers.push(std::thread::spawn(move || {
                be_gentle(&queue.control);
                let work = || {
                    if n < COPYING {
                        copy_files_of(&queue, n, &to_copy);
                    } else {
                        compare_files_of(&queue, n, &to_check);
                    }
                };
                // Who waits for what this thread does would wait for ever.
                if std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)).is_err() {
                    queue.fail(HaulError::NeedsRecovery);
                }
            }));
        }
        (Self { queue, tasks, group: Default::default(), workers }, told)
    }

    /// Gives a file to the workers; a small one once there are enough of them, or when [`CopyPool::send_group`] says so.
    pub(crate) fn take_on(&mut self, job: &Arc<FileJob>) {
        for segment in if job.is_small() { Vec::new() } else { job.whole_segments() } {
            self.queue.segment_is_copied(job, segment);
        }
        let missing = job.missing();
        if job.is_small() && missing.is_empty() {
            return self.queue.gather(Arc::clone(job));
        }
        if job.is_small() {
            self.group.0.push(Arc::clone(job));
            self.group.1 += job.entry.size;
            if self.group.0.len() >= GROUP || self.group.1 >= GROUP_BYTES {
                self.send_group();
            }
            return;
        }
        for nth in missing {
            let _ = self.tasks.send(CopyTask::Block(Arc::clone(job), nth));
        }
    }

    /// Gives the workers what small files there are.
    pub(crate) fn send_group(&mut self) {
        let (jobs, _) = std::mem::take(&mut self.group);
        if !jobs.is_empty() {
            let _ = self.tasks.send(CopyTask::Whole(jobs));
        }
    }

    /// Has the last small files flushed, too few for a batch of their own.
    pub(crate) fn sweep_up(&self) {
        let rest = std::mem::take(&mut *lock(&self.queue.batch)).0;
        if !rest.is_empty() {
            self.queue.check(VerifyTask::Batch(rest));
        }
    }

    /// Ends the work after the block in worker.
    pub(crate) fn halt(&self) {
        self.queue.halt.ask();
    }

    /// The file that a drive has been asked for longest, and for how long, if that is longer than anybody's patience.
    pub(crate) fn hung(&self) -> Option<(PathBuf, Duration)> {
        let slow = |slot: &Mutex<Option<Busy>>| {
            let busy = lock(slot);
            let busy = busy.as_ref()?;
            let time = busy.since.elapsed();
            (time > busy.job.way.patience).then(|| (busy.job.entry.path.as_path().to_path_buf(), time))
        };
        self.queue.busy.iter().filter_map(slow).max_by_key(|(_, time)| *time)
    }

    /// Waits for all workers; those that a drive holds are left behind.
    ///
    /// # Errors
    /// [`HaulError::Hung`] if a worker was left behind.
    pub(crate) fn join(self, root: &Path) -> Result<(), HaulError> {
        self.queue.halt.ask();
        for _ in 0..COPYING + COMPARING {
            let _ = self.tasks.send(CopyTask::Stop);
            self.queue.check(VerifyTask::Stop);
        }
        let begun = Instant::now();
        while self.workers.iter().any(|worker| !worker.is_finished()) {
            if begun.elapsed() > GRACE && self.queue.control.asked() {
                let held =
                    self.queue.busy.iter().find_map(|slot| lock(slot).as_ref().map(|busy| busy.job.entry.path.clone()));
                return Err(HaulError::Hung { path: held.map_or_else(|| root.into(), |path| path.under(root)) });
            }
            std::thread::sleep(Duration::from_micros(200));
        }
        Ok(())
    }
}

/// Copies what is given out until there is no more.
fn copy_files_of(queue: &CopyQueue, worker: usize, tasks: &Receiver<CopyTask>) {
    let mut buffer = Vec::new();
    while let Some(task) = next_of(queue, tasks) {
        let (jobs, nth) = match task {
            CopyTask::Stop => break,
            CopyTask::Whole(jobs) => (jobs, 0),
            CopyTask::Block(job, nth) => (vec![job], nth),
        };
        let mut told = Vec::with_capacity(jobs.len());
        let mut since = Instant::now();
        for job in jobs {
            // With a limit, or on a slow drive, nobody waits for all of them to hear of the first.
            if since.elapsed() > SILENCE {
                since = Instant::now();
                queue.tell_all(std::mem::take(&mut told));
            }
            let bytes = block_span(job.entry.size, nth).1 as u64;
            queue.control.wait_for(bytes, &|| queue.over());
            if queue.over() {
                break;
            }
            queue.note_busy(worker, Some(Busy { since: Instant::now(), job: Arc::clone(&job) }));
            if let Err(error) = super::block_io::copy_block(queue, &job, nth, &mut buffer, &mut told) {
                queue.fail(error);
            }
        }
        queue.tell_all(told);
        queue.note_busy(worker, None);
    }
}

/// Makes durable and compares what is given out until there is no more.
fn compare_files_of(queue: &CopyQueue, worker: usize, checks: &Receiver<VerifyTask>) {
    let mut buffer = crate::disk::Buffer::new(index(crate::checksums::BLOCK));
    while let Some(check) = next_of(queue, checks) {
        let first = match &check {
            VerifyTask::Batch(jobs) | VerifyTask::Files(jobs) => jobs.first(),
            VerifyTask::Segment(job, _) => Some(job),
            VerifyTask::Stop => break,
        };
        let busy = first.map(|job| Busy { since: Instant::now(), job: Arc::clone(job) });
        queue.note_busy(worker, busy);
        let mut at = |job: &Arc<FileJob>| {
            queue.note_busy(worker, Some(Busy { since: Instant::now(), job: Arc::clone(job) }));
        };
        let mut told = Vec::new();
        let checked = super::verify::check(queue, check, &mut buffer, &mut told, &mut at);
        queue.tell_all(told);
        if let Err(error) = checked {
            queue.fail(error);
        }
        queue.note_busy(worker, None);
    }
}
