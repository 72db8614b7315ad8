//! The order in which items go, so that each fits when it is copied. It knows numbers alone.
//!
//! Start at [`find_order`].

mod find;
mod lack;
mod rooms;
mod search;
mod shorten;
mod staging;
#[cfg(test)]
mod tests;

pub(crate) use find::only_needed_releases;
pub use find::{find_order, find_straight};
pub use lack::{Lack, Remedy, smallest_change};
pub use rooms::{DriveRoom, Move, Order, OrderFound, OrderItem, replay};
pub use shorten::shorten;
