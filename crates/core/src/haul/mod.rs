//! Doing a plan: copy, compare, repoint, prove, hold, release, and return; journaled so that nothing is ever lost.
//!
//! Laws (architecture): one whole proved copy at every instant; records lead to a whole copy at every
//! instant and change together; a release removes only what was compared and is unchanged; nothing
//! else is touched; killed anywhere, the next start resumes or returns. Start at [`Haul::run`].

mod account;
mod aside;
mod closer;
mod compare;
mod copy;
mod crew;
mod error;
mod event;
mod gate;
mod hands;
mod hearing;
mod job;
mod lanes;
mod mend;
mod place;
mod prove;
mod reach;
mod release;
mod removal;
mod repoint;
mod returning;
mod run;
mod scan;
mod sparing;
mod speed;
mod standing;
mod start;
mod taking;

pub use account::Depth;
pub use closer::{BlockState, ByteDifference, Closer, TallyFile, look_closer, tally_files};
pub use error::HaulError;
pub use event::{Control, HaulEvent};
pub use mend::take_from;
pub use prove::{prove_game, prove_haul};
pub use release::{release_haul, release_looking};
pub use removal::Removed;
pub use returning::{
    ReturnPlan, Stuck, give_up_leaving, give_up_rest, return_haul, return_leaving, return_lots, return_plan,
};
pub use run::{Haul, HaulEnd, astray};
pub use speed::probe;
pub use standing::drives_away;
pub use start::{StartError, Started, command_of, start_game};
