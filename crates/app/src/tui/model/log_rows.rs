//! The log as rows.

use deft_barge_core::bytes::HaulId;

use jiff::civil::Date;

/// A line of the Log.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LogRow {
    /// Held originals, by their place in the survey.
    Held(usize, HaulId),
    Day(Date),
    Haul(HaulId),
}

/// The lines, and the one under the cursor.
#[derive(Clone, Debug, Default)]
pub struct LogScreen {
    pub rows: Vec<LogRow>,
    pub cursor: usize,
    /// What is searched for; empty shows all.
    pub search: String,
    /// Hauls that fit the search.
    pub found: usize,
    /// A haul that is being read whole.
    pub asked: Option<HaulId>,
}
