//! The edits of records that an item needs.

mod anew;
mod entries;
mod previews;
mod register;
mod rewrites;
mod unchangeable;

pub(crate) use anew::lead_anew;
pub(crate) use entries::{NewGame, enter, leave};
pub(crate) use previews::{joined_previews, previews, previews_in};
pub(crate) use register::{quoted_in, register};
pub use rewrites::MakeLetters;
pub(crate) use rewrites::{Repointing, Target, edits, make_known};
pub(crate) use unchangeable::Unchangeable;
