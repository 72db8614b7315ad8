//! Trace: every record of a path and of what is below it, in files that no profile describes.
//!
//! Law: looking writes nothing; a link out of the places it was given is followed to a file, or from the top of a place to a folder, in
//! the home or on a drive, and said; what cannot be read or rewritten is said, not left out. Start at [`trace`].

mod entry;
mod files;
mod find;
mod formats;
mod left;
mod looking;
mod needle;
mod residue;
mod seals;
mod search;
#[cfg(test)]
mod tests;
mod usual;

pub(crate) use entry::{around, entry_of};
pub use files::usual_places;
pub(crate) use files::{Gathered, gather};
pub(crate) use find::WantedFolder;
pub use find::{ChoiceFault, Find, FindPlace, Followed, Sure, Trace, TracePhase};
pub(crate) use formats::shapes;
pub(crate) use looking::{bases_near, each_leaf, leaves, may_be_read};
pub(crate) use needle::{Needle, Needles};
pub(crate) use residue::{uncovered, whole_place, without_covered};
pub(crate) use seals::checksum_in;
pub(crate) use search::{files_naming, finds_of};
pub use search::{trace, trace_moved};
pub(crate) use usual::finds_in_usual_places;
