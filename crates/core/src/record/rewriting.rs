//! One change of a text in a document, also of one in a document within that text.
//!
//! Law: a text that says something else than it should is not changed. Start at [`rewritten`].

use std::path::Path;

use super::document::Document;
use super::edit::{EditError, Hop, Mood, Rewrite, changed, in_file};
use super::fault::DocumentError;
use super::parts::{Within, with_part};
use super::place::Side;
use crate::record::formats::Format;

type Made<T> = Result<T, EditError>;

impl Rewrite {
    /// The bytes of a document with this change made; `None` if it says the new text already.
    ///
    /// # Errors
    /// [`EditError::RecordChanged`] if it says something else than the old text.
    pub fn made_in(&self, document: &Document) -> Result<Option<Vec<u8>>, EditError> {
        rewritten(document, self, Mood::Strict, Path::new("the entry"))
    }
}

/// The document with one rewrite made; `None` if it says the new text already.
pub(crate) fn rewritten(document: &Document, rewrite: &Rewrite, mood: Mood, file: &Path) -> Made<Option<Vec<u8>>> {
    let outer = Outer { location: &rewrite.location, inside: &rewrite.inside };
    rewritten_at(document, &outer, rewrite, mood, file)
}

struct Outer<'a> {
    location: &'a str,
    inside: &'a [Hop],
}

fn rewritten_at(
    document: &Document,
    outer: &Outer<'_>,
    rewrite: &Rewrite,
    mood: Mood,
    file: &Path,
) -> Made<Option<Vec<u8>>> {
    let side = if outer.inside.is_empty() { rewrite.side } else { Side::Value };
    let place = match document.find_one(outer.location) {
        Ok(place) => place,
        // A key that has its new name already is not found under its old one.
        Err(DocumentError::NotOne { .. }) if side == Side::Key && mood == Mood::Again => return Ok(None),
        Err(DocumentError::NotOne { .. }) => return Err(changed(file, outer.location)),
        Err(source) => return Err(in_file(file)(source)),
    };
    let Some(says) = document.leaf(&place, side) else { return Err(changed(file, outer.location)) };
    let Some(new) = new_text(&says, rewrite, outer.inside, Some(document.format()), mood, file)? else {
        return Ok(None);
    };
    let written = rewrite.written[1].as_deref().filter(|_| outer.inside.is_empty());
    document.replace(&place, side, &new, written).map(Some).map_err(in_file(file))
}

/// What a text says after the rewrite; `None` if it says that already.
pub(crate) fn new_text(
    says: &str,
    rewrite: &Rewrite,
    inside: &[Hop],
    format: Option<Format>,
    mood: Mood,
    file: &Path,
) -> Made<Option<String>> {
    if let Some((hop, rest)) = inside.split_first() {
        let document = Document::parse(says.as_bytes().to_vec(), hop.format).map_err(in_file(file))?;
        let outer = Outer { location: &hop.location, inside: rest };
        let bytes = rewritten_at(&document, &outer, rewrite, mood, file)?;
        return Ok(bytes.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()));
    }
    let with = |old: &str| match rewrite.within {
        Within::Value | Within::Text => (says == old).then(|| rewrite.new.clone()),
        within => with_part(says, old, &rewrite.new, within, format),
    };
    match with(&rewrite.old) {
        Some(new) => Ok(Some(new)),
        None if mood == Mood::Again && with(&rewrite.new).is_some() => Ok(None),
        None => Err(changed(file, &rewrite.location)),
    }
}
