//! The edits of records that an item needs.

mod anew;
mod entries;
mod rewrites;

pub(crate) use anew::lead_anew;
pub(crate) use entries::{NewGame, enter, leave};
pub use rewrites::MakeLetters;
pub(crate) use rewrites::{
    Repointing, Target, Unchangeable, edits, joined_previews, previews, previews_in, quoted_in, register,
};
