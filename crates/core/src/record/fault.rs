//! Why a document cannot be read, or an edit in it cannot be made.

use thiserror::Error;

/// Why a document was not read or not changed.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum DocumentError {
    /// The text is not in its format.
    #[error("line {line}, column {column}: {what}")]
    Syntax {
        /// Line, from 1.
        line: usize,
        /// Column, from 1.
        column: usize,
        /// The fault.
        what: String,
    },
    /// The bytes are not in their format.
    #[error("byte {byte}: {what}")]
    Packed {
        /// Byte, from 0.
        byte: usize,
        /// The fault.
        what: String,
    },
    /// The file is larger than any record file should be.
    #[error("{size} bytes are more than the {} MB that a record file may have", LARGEST / 1_000_000)]
    TooLarge {
        /// Its size.
        size: usize,
    },
    /// The selector is not JSONPath.
    #[error("{selector} is not a JSONPath: {what}")]
    Selector {
        /// The selector.
        selector: String,
        /// The fault.
        what: String,
    },
    /// A selector that must find one node found another number of them.
    #[error("{selector} finds {found} places where one is wanted")]
    NotOne {
        /// The selector.
        selector: String,
        /// How many it finds.
        found: usize,
    },
    /// The place holds no text or number, or is not the kind of list it must be.
    #[error("{place} is not what an edit can change there")]
    WrongKind {
        /// The place.
        place: String,
    },
    /// The way in which the place is written cannot hold the new text.
    #[error("{place} cannot hold {new:?} in the way it is written")]
    CannotHold {
        /// The place.
        place: String,
        /// The text.
        new: String,
    },
    /// Another member has the new key already.
    #[error("{place}: the key {key:?} is there already")]
    Collision {
        /// The object.
        place: String,
        /// The key.
        key: String,
    },
    /// The edited text does not read as what was meant; nothing was changed.
    #[error("the edit at {place} would change more than it should")]
    Unfaithful {
        /// The place.
        place: String,
    },
}

/// Bytes that a record file may have. Spans are 32 bits wide; files of launchers are far smaller.
pub const LARGEST: usize = 512_000_000;

/// The beginning of a long text.
pub(crate) fn cut(text: &str) -> String {
    let end = text.floor_char_boundary(text.len().min(60));
    if end < text.len() { format!("{} …", &text[..end]) } else { text.into() }
}
