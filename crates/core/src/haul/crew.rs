//! A few threads that take jobs from one list and tell the caller's thread what they did.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, Sender, unbounded};

/// Number of threads that read and write at the same time; more gain nothing on the drives that were measured.
pub(super) const HANDS: usize = 3;

/// Calls `work` for every job, on a few threads, until one call gives `false`; `hear` gets what they tell.
///
/// `hear` is called on this thread, at least ten times a second, with `None` if nothing was told; it gives
/// `false` to end the work early.
pub(super) fn crew<J: Sync, M: Send>(
    jobs: &[J],
    work: impl Fn(&J, &Sender<M>) -> bool + Sync,
    mut hear: impl FnMut(Option<M>) -> bool,
) {
    let next = AtomicUsize::new(0);
    let over = AtomicBool::new(false);
    let (tell, told) = unbounded();
    thread::scope(|scope| {
        for _ in 0..HANDS {
            let tell = tell.clone();
            let (next, over, work) = (&next, &over, &work);
            scope.spawn(move || {
                while !over.load(Ordering::Relaxed) {
                    let Some(job) = jobs.get(next.fetch_add(1, Ordering::Relaxed)) else { break };
                    if !work(job, &tell) {
                        over.store(true, Ordering::Relaxed);
                    }
                }
            });
        }
        drop(tell);
        loop {
            let goes_on = match told.recv_timeout(Duration::from_millis(50)) {
                Ok(message) => hear(Some(message)),
                Err(RecvTimeoutError::Timeout) => hear(None),
                Err(RecvTimeoutError::Disconnected) => break,
            };
            if !goes_on {
                over.store(true, Ordering::Relaxed);
            }
        }
    });
}
