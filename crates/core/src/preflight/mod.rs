//! What is looked at again before every phase.

mod busy;

pub use busy::quiet;
