//! A profile in the making.

use deft_barge_core::trace::Trace;
use std::path::PathBuf;

/// A profile that is being made.
#[derive(Clone, Debug)]
pub struct Guide {
    pub trace: Trace,
    /// The file it was written to, and what the check says of it.
    pub written: Option<(PathBuf, Vec<String>)>,
}
