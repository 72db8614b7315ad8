//! Work beside the interface of which only the newest counts: a plan of a draft that has changed since is nobody's answer.
//!
//! Law: of one kind at most one thing is done at a time, and what waits is the newest that was asked for.

use crate::tell::{Teller, telling};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::thread;

/// A piece of work; it asks whether its answer is still wanted.
type Job = Box<dyn FnOnce(&dyn Fn() -> bool) + Send>;

/// One kind of work.
pub(crate) struct Newest {
    ask: Teller<(u64, Job)>,
    asked: Arc<AtomicU64>,
}

impl Newest {
    pub(crate) fn new() -> Self {
        let (ask, jobs) = telling::<(u64, Job)>();
        let asked = Arc::new(AtomicU64::new(0));
        let newest = Arc::clone(&asked);
        thread::spawn(move || {
            while let Ok(first) = jobs.recv() {
                let (number, job) = jobs.try_iter().last().unwrap_or(first);
                job(&|| newest.load(Ordering::SeqCst) == number);
            }
        });
        Self { ask, asked }
    }

    /// Has this done once what is in hand has ended, unless something newer is asked for until then.
    pub(crate) fn ask(&self, job: impl FnOnce(&dyn Fn() -> bool) + Send + 'static) {
        let number = self.asked.fetch_add(1, Ordering::SeqCst) + 1;
        // Its thread lives as long as this does.
        self.ask.say((number, Box::new(job)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_is_done_at_a_time_what_was_asked_between_is_left_out_and_an_old_answer_is_not_wanted() {
        let newest = Newest::new();
        let (tell, told) = telling();
        let (go, wait) = telling::<()>();
        let (begun, has_begun) = telling();
        for n in 0..5 {
            let (tell, wait, begun) = (tell.clone(), wait.clone(), begun.clone());
            newest.ask(move |wanted| {
                begun.say(n);
                assert!(wait.recv().is_ok());
                tell.say((n, wanted()));
            });
            if n == 0 {
                assert_eq!(has_begun.recv(), Ok(0));
            }
        }
        assert!(go.say(()), "the first waits");
        assert_eq!(told.recv(), Ok((0, false)), "something newer was asked for");
        assert!(go.say(()), "the last waits");
        assert_eq!(told.recv(), Ok((4, true)));
        assert!(has_begun.recv() == Ok(4) && has_begun.try_recv().is_err(), "what was asked between is never begun");
    }
}
