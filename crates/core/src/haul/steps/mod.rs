//! The steps of an item, a file each; [`engine`](super::engine) says which comes when.

mod cancel;
mod catch_up;
mod deduplicate;
mod displace;
mod lead_again;
mod place;
mod prove;
mod release;
mod replace;
mod take_back;
mod update_records;

pub use cancel::Stuck;
pub(crate) use cancel::{cancel, forget_way};
pub(crate) use catch_up::catch_up;
pub(crate) use deduplicate::{compare_with_what_stays, set_aside};
pub(crate) use displace::{step_aside, step_back};
pub(crate) use lead_again::{all_lead_to, can_lead_again, lead_again};
pub(crate) use place::{link, place, rename, swap};
pub(crate) use prove::{prove, search_again};
pub use prove::{prove_game, prove_haul};
pub(crate) use release::release_item;
pub use release::{release_haul, release_looking};
pub(crate) use take_back::take_up;
pub(crate) use update_records::{edits_to_make, finish, leads_elsewhere, update_records};
