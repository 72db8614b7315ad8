//! What must hold of every reader of foreign bytes, whatever the bytes: each a function that panics where it does not.
//!
//! The fuzzer calls them with what it makes up (`scripts/fuzz`), the test `corpus` with what is kept in `corpus/`. All of them
//! promise this much: no panic, no endless work, no more memory than the bytes are worth. What else holds stands with each.

#![expect(clippy::let_underscore_must_use, reason = "what is asked here has only to come back")]

mod readers;
mod rows;

pub use readers::{
    checksums, drafts, formats, jsonpath, mounts, names, patches, profiles, spellings, templates, worlds,
};
pub use rows::rows;

/// A law, by the name of its folder in the corpus.
pub type Law = (&'static str, fn(&[u8]));

/// All laws.
pub const LAWS: [Law; 12] = [
    ("checksums", checksums),
    ("drafts", drafts),
    ("formats", formats),
    ("jsonpath", jsonpath),
    ("mounts", mounts),
    ("names", names),
    ("patches", patches),
    ("profiles", profiles),
    ("rows", rows),
    ("spellings", spellings),
    ("templates", templates),
    ("worlds", worlds),
];

/// Splits what is chosen from what is read: the first byte, and the rest.
fn chosen(data: &[u8]) -> (usize, &[u8]) {
    data.split_first().map_or((0, data), |(first, rest)| (usize::from(*first), rest))
}

/// The two parts of a text, at its first line end.
fn two_lines(text: &str) -> (&str, &str) {
    text.split_once('\n').unwrap_or((text, ""))
}
