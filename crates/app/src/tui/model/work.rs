//! What is done beside the screens: surveys, searches, tasks and hauls.

use deft_barge_core::bytes::Bytes;

use super::act::Leaving;
use crate::commands::Wish;

/// How far what is waited for is, and how hauls work the drives.
#[derive(Default)]
pub struct Work {
    /// Games measured, of how many.
    pub measured: (usize, usize),
    /// How far the search or the trace is that is waited for.
    pub passing: String,
    /// The most bytes per second that are copied.
    pub limit: Option<Bytes>,
    /// Whether hauls let all other programs go first.
    pub gentle: bool,
    /// Whether the terminal's bell rings at the end.
    pub bell: bool,
    /// Tasks so far.
    pub(crate) tasks: u64,
    pub(crate) leaving: Leaving,
    /// Whether drives and journal are being looked at anew after some work.
    pub(crate) looking: bool,
    /// What was asked for meanwhile: it is asked once they have been looked at, unless the person did something else since.
    pub(crate) early: Option<Wish>,
}
