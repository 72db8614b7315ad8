//! Where a path is written down: files read into leaves with spans, and edits that replace spans.
//!
//! Law: an edit changes the span it names and no other byte; what does not say what the survey
//! read is refused, never overwritten. Start at [`Document`] for reading and [`Edit`] for writing.
#![warn(clippy::indexing_slicing, reason = "files of others are read here: whatever they say, nothing ends in a panic")]
#![cfg_attr(test, allow(clippy::indexing_slicing))]

mod bases;
mod cell;
mod code_page;
mod content;
mod database;
mod database_error;
mod document;
mod edit;
mod encoding;
mod fault;
mod files;
mod following;
mod formats;
mod former_page;
mod lengths;
mod letters;
mod lists;
mod meaning;
mod opened;
mod parts;
mod patch;
mod place;
mod rewriting;
mod rows;
mod scalars;
mod selectors;
mod source;
mod spelling;
mod style;
mod tree;
mod trial;

#[cfg(test)]
mod tests;

pub use bases::Bases;
pub use cell::Cell;
pub(crate) use code_page::CODE_PAGES;
pub use content::{Content, forgotten};
pub(crate) use database::{columns_of, holds_bytes};
pub use database::{is_held, write_cells};
pub use database_error::DatabaseError;
pub use document::{Document, Leaf};
pub use edit::{Edit, EditError, Entering, Following, HeldPart, Hop, LibrarySays, Mood, Registering, Rewrite, Total};
pub use encoding::Encoding;
pub(crate) use fault::cut;
pub use fault::{DocumentError, LARGEST};
pub(crate) use files::making::still_lists;
pub use files::{FileChange, Files};
pub use formats::Format;
pub(crate) use formats::{packed_format_of, packed_is_like_text, packed_may_begin};
pub use former_page::FormerPage;
pub use letters::{Letters, SpellingError};
pub(crate) use meaning::leads_out;
pub use meaning::{Meaning, MeaningError, Values};
pub(crate) use opened::{DEEPEST_WITHIN, format_within};
pub use parts::{Part, PartFit, WRITTEN_BOUNDS, Within, begins_again, find_parts, write_part};
pub use place::{Place, Side, Step};
pub(crate) use place::{numbered, step_text};
pub(crate) use scalars::{Elements, scalars_of};
pub(crate) use selectors::{find_in, read_selector};
pub use source::{Shape, Source, Tables, joined};
pub use spelling::{Spelling, WrittenPath};
pub(crate) use trial::EditRehearsal;
