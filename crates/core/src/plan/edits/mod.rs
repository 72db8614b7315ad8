//! The edits of records that an item needs.

mod anew;
mod entries;
mod previews;
mod rewrites;

pub(crate) use anew::lead_anew;
pub(crate) use entries::{NewGame, enter, leave};
pub(crate) use previews::{joined_previews, previews, previews_in};
pub use rewrites::MakeLetters;
pub(crate) use rewrites::{Repointing, Target, Unchangeable, edits, make_known, quoted_in, register};
