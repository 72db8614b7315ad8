//! Where a path is written down: files read into leaves with spans, and edits that replace spans.
//!
//! Law: an edit changes the span it names and no other byte; what does not say what the survey
//! read is refused, never overwritten. Start at [`Json`] for reading and [`Edit`] for writing.

mod edit;
mod json;
mod meaning;
mod spelling;

pub use edit::{Edit, EditError, FileChange, Files, Mood, Rewrite};
pub use json::{Json, JsonError, Place, Side, Step};
pub use meaning::{Meaning, MeaningError, Values};
pub use spelling::{Spelling, SpellingError, WrittenPath};
