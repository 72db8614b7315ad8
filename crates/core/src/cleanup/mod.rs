//! What is lying around: unlisted games, old copies, duplicates, broken links, dead entries, offline libraries, and what
//! an earlier haul of ours has left half made.
//!
//! Law: looking writes nothing, follows no link, and keeps out of what belongs to the system. Start at [`find`].

mod folders;
mod search;

pub use search::{FindPhase, find};
