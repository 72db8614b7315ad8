//! Doing a plan: copy, verify, update records, prove, keep, release, and undo; journaled so that nothing is ever lost.
//!
//! Laws (ARCHITECTURE.md): one whole verified copy at every instant; records point to a whole copy at every
//! instant and change together; a release removes only what was verified and is unchanged; nothing
//! else is touched; killed anywhere, the next start resumes or undoes. Start at [`Haul::run`].
#![warn(clippy::wildcard_enum_match_arm, reason = "a new stage or edit must be thought of in each step")]
#![warn(clippy::indexing_slicing, reason = "an item under way has no place for a panic")]
#![cfg_attr(test, allow(clippy::indexing_slicing))]

mod context;
mod copy;
mod engine;
mod error;
mod event;
mod gate;
mod inspect;
mod launch;
mod locks;
mod probe;
mod quiet;
mod reach;
mod removal;
mod repair;
mod scheduler;
mod standing;
mod steps;
mod undo;
mod undo_plan;

pub(crate) use context::{BATCH, ItemContext, left_name, lock};
pub use engine::{Haul, HaulEnd, astray};
pub use error::{HaulError, NothingThere};
pub use event::{Control, HaulEvent};
pub(crate) use gate::{Stays, pass, records_lead_to};
pub use inspect::{BlockState, ByteDifference, Closer, Depth, ListedEntry, listed_entries, look_closer};
pub use launch::{StartError, Started, command_of, start_game};
pub(crate) use locks::take_record_folders;
pub use probe::probe;
pub(crate) use quiet::{be_quiet, wait_until_quiet};
pub(crate) use reach::{Reach, left_there, within_reach};
pub use removal::Removed;
pub(crate) use removal::remove_known;
pub use repair::take_from;
pub use standing::drives_away;
pub(crate) use standing::{End, Standing, carried, settle};
pub use steps::{Stuck, prove_game, prove_haul, release_haul, release_looking};
pub use undo::{cancel_leaving, cancel_rest, undo_haul, undo_items, undo_leaving};
pub use undo_plan::{UndoPlan, undo_plan};
