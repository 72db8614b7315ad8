//! The journal: one SQLite database with every haul, its items and their checksums.
//!
//! Law: a stage is durable before the next act begins. Start at [`Journal`] for writing and [`History`] for reading.

mod codec;
mod error;
mod lines;
mod maintenance;
mod query;
mod rows;
mod schema;
mod speeds;
mod telemetry;
mod write;

#[cfg(test)]
mod tests;

pub use error::JournalError;
pub use lines::search_lines;
pub use maintenance::{JournalState, check_journal};
pub use query::History;
pub(crate) use query::{Reader, reader};
pub(crate) use rows::Sums;
pub use rows::{
    Attribute, Came, Event, EventKind, FileEntry, HaulRow, ItemLine, ItemRow, LogLine, Mark, Sample, There,
    UnreadableStretch,
};
pub use telemetry::Telemetry;
pub use write::entries::Lines;
pub(crate) use write::entries::{Beside, Hint};
pub use write::{Journal, UnrecoveredJournal};
