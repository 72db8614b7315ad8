//! Drafts: what a person wants, by hand, from a file or as a suggestion.

mod draft;
mod file;
mod suggest;
mod what_if;

pub use draft::{Destination, Draft, DraftItem};
pub use file::{DraftFile, DraftFileError, FileItem, Misfit};
pub use suggest::{Aim, Line, Miss, Suggestion, Why, suggest};
pub use what_if::WhatIf;
