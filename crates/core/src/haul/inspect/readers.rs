//! A few threads that take jobs from one list and tell the caller's thread what they did.

use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, SendTimeoutError, Sender, bounded, unbounded};

/// Number of threads that read and write at the same time: with fewer a drive waits while they hash (`scripts/bench audit`: 3 read at 0.77 of a
/// plain parallel read, 6 at 0.94).
pub(crate) const HANDS: usize = 6;

/// Jobs that wait for a thread.
const WAITING: usize = 256;

/// Calls `work` for every job that `feed` gives, on a few threads, until one call gives `false`; `hear` gets what they tell.
///
/// `hear` is called on this thread, some ten times a second, with `None` if nothing was told; it gives `false` to end the
/// work early. Jobs that are given after that are dropped.
pub(crate) fn crew<J: Send, M: Send, E>(
    feed: impl FnOnce(&mut dyn FnMut(J) -> bool) -> Result<(), E>,
    work: impl Fn(J, &Sender<M>) -> bool + Sync,
    hear: &mut dyn FnMut(Option<M>) -> bool,
) -> Result<(), E> {
    let over = AtomicBool::new(false);
    let (tell, told) = unbounded();
    let (give, jobs) = bounded::<J>(WAITING);
    thread::scope(|scope| {
        for _ in 0..HANDS {
            let (tell, jobs) = (tell.clone(), jobs.clone());
            let (over, work) = (&over, &work);
            scope.spawn(move || {
                for job in jobs {
                    // The rest is taken from the list, so that nobody waits for room in it.
                    if !over.load(Ordering::Relaxed) && !work(job, &tell) {
                        over.store(true, Ordering::Relaxed);
                    }
                }
            });
        }
        drop((tell, jobs));
        let mut hear = |message| {
            if !hear(message) {
                over.store(true, Ordering::Relaxed);
            }
        };
        let fed = feed(&mut |mut job| {
            while let Err(SendTimeoutError::Timeout(back)) = give.send_timeout(job, Duration::from_millis(50)) {
                job = back;
                hear(None);
            }
            while let Ok(message) = told.try_recv() {
                hear(Some(message));
            }
            !over.load(Ordering::Relaxed)
        });
        drop(give);
        loop {
            match told.recv_timeout(Duration::from_millis(50)) {
                Ok(message) => hear(Some(message)),
                Err(RecvTimeoutError::Timeout) => hear(None),
                Err(RecvTimeoutError::Disconnected) => break,
            }
        }
        fed
    })
}
