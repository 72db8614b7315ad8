//! Looks that a drive may hold for good: another thread makes them, so that who waits can leave it behind and go on.
//!
//! Law: who waits for a drive gets an answer, or [`io::ErrorKind::TimedOut`] with the place in its text, however the drive behaves. Only
//! the thread that looks stays behind.

use std::cell::RefCell;
use std::io;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, Sender, bounded, unbounded};

use super::silent::add_silent;

/// Time without a single answer after which a drive is left: one that sleeps needs up to ten seconds to turn.
#[cfg(not(test))]
const LONGEST: Duration = Duration::from_secs(15);
#[cfg(test)]
const LONGEST: Duration = Duration::from_secs(3);

/// What beats with each answer of a drive: as long as it does, a look may take as long as it likes.
#[derive(Clone, Debug, Default)]
pub(crate) struct Heartbeat(Arc<AtomicU64>);

impl Heartbeat {
    /// Says that the drive has answered.
    pub(crate) fn beat(&self) {
        self.0.fetch_add(1, Ordering::Relaxed);
    }

    fn count(&self) -> u64 {
        self.0.load(Ordering::Relaxed)
    }
}

type PatientLook = Box<dyn FnOnce() + Send>;

thread_local! {
    /// The thread that looks for this one; it ends with it.
    static HELPER: RefCell<Option<Sender<PatientLook>>> = const { RefCell::new(None) };
}

/// Has another thread do `work`, which looks at `place` and what is near it; gives what it found.
///
/// # Errors
/// [`io::ErrorKind::TimedOut`] if the drive gives no answer for so long that it is left; nobody looks at `place` again until the
/// drives are read anew.
pub(crate) fn patiently<T: Send + 'static>(
    place: &Path,
    work: impl FnOnce(&Heartbeat) -> T + Send + 'static,
) -> io::Result<T> {
    let pulse = Heartbeat::default();
    let (give, found) = bounded(1);
    let beats = pulse.clone();
    hand_over(Box::new(move || {
        #[expect(clippy::let_underscore_must_use, reason = "who waits may have gone")]
        let _ = give.send(catch_unwind(AssertUnwindSafe(|| work(&beats))));
    }))?;
    let mut seen = pulse.count();
    loop {
        match found.recv_timeout(LONGEST) {
            Ok(Ok(found)) => return Ok(found),
            Ok(Err(panic)) => resume_unwind(panic),
            Err(RecvTimeoutError::Timeout) if pulse.count() != seen => seen = pulse.count(),
            Err(_) => {
                HELPER.set(None);
                add_silent(place);
                let what = format!("the drive of {} doesn't answer", place.display());
                return Err(io::Error::new(io::ErrorKind::TimedOut, what));
            }
        }
    }
}

fn hand_over(look: PatientLook) -> io::Result<()> {
    HELPER.with_borrow_mut(|helper| {
        let look = match helper {
            Some(looks) => match looks.send(look) {
                Ok(()) => return Ok(()),
                Err(back) => back.0,
            },
            None => look,
        };
        let (looks, taken) = unbounded::<PatientLook>();
        std::thread::Builder::new().name("looks".into()).spawn(move || taken.iter().for_each(|look| look()))?;
        #[expect(clippy::let_underscore_must_use, reason = "who waits may have gone")]
        let _ = looks.send(look);
        *helper = Some(looks);
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drive_that_holds_a_look_is_left_and_named_and_the_next_look_is_made() {
        let (_hold, held) = bounded::<()>(0);
        let place = Path::new("/patience/held");
        let hung = patiently(place, move |_| held.recv().is_ok());
        let error = hung.unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::TimedOut);
        assert!(error.to_string().contains("/patience/held"), "{error}");
        assert!(super::super::is_silent(&place.join("below")), "nobody looks there again");
        assert_eq!(patiently(Path::new("/patience/other"), |_| 7).unwrap(), 7);
        super::super::silent::put_silent(Vec::new());
    }

    #[test]
    fn a_drive_that_answers_slowly_is_waited_for_and_a_panic_is_passed_on() {
        let slow = patiently(Path::new("/patience/slow"), |pulse| {
            // A busy machine may hold a thread for a second or two.
            for _ in 0..12 {
                std::thread::sleep(LONGEST / 8);
                pulse.beat();
            }
        });
        assert!(slow.is_ok());
        // Without the words of a panic, whose search for names of functions may take longer than a drive has.
        let fall = |_: &Heartbeat| resume_unwind(Box::new("of the look"));
        let panic = catch_unwind(|| patiently(Path::new("/patience/panic"), fall));
        assert_eq!(panic.unwrap_err().downcast_ref::<&str>(), Some(&"of the look"));
        assert_eq!(patiently(Path::new("/patience/after"), |_| 1).unwrap(), 1);
    }
}
