//! Telling somebody who may have stopped listening.

use crossbeam_channel::{Receiver, Sender, unbounded};

/// Tells what came of work in the background. Whoever asked may have gone by then: that is no fault, and nobody needs it any more.
#[derive(Debug)]
pub(crate) struct Teller<T>(Sender<T>);

impl<T> Clone for Teller<T> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

/// A teller, and what it tells.
pub(crate) fn telling<T>() -> (Teller<T>, Receiver<T>) {
    let (tell, told) = unbounded();
    (Teller(tell), told)
}

impl<T> Teller<T> {
    /// Says it, and gives whether anybody listens.
    pub(crate) fn say(&self, told: T) -> bool {
        self.0.send(told).is_ok()
    }
}
