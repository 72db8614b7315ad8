//! Where a path is written down: files read into leaves with spans, and edits that replace spans.
//!
//! Law: an edit changes the span it names and no other byte; what does not say what the survey
//! read is refused, never overwritten. Start at [`Document`] for reading and [`Edit`] for writing.

mod document;
mod edit;
mod encoding;
mod formats;
mod letters;
mod lists;
mod meaning;
mod parts;
mod place;
mod spelling;
mod tree;

pub use document::{Document, DocumentError, Format, LARGEST, Leaf};
pub use edit::{Edit, EditError, FileChange, Files, Mood, Rewrite};
pub use encoding::Encoding;
pub use letters::Letters;
pub use meaning::{Meaning, MeaningError, Values};
pub use parts::{Fit, Part, Within, find_parts, write_part};
pub use place::{Place, Side, Step};
pub use spelling::{Bases, Spelling, SpellingError, WrittenPath};

#[cfg(test)]
mod tests;
