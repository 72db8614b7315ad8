//! What becomes of the places that a trace found.

use deft_barge_core::trace::{Find, Sure};

/// How sure it is that a place says the path, or why it stays as it is.
pub fn sure(sure: Sure) -> &'static str {
    match sure {
        Sure::Certain => "certain",
        Sure::Likely => "likely",
        Sure::NameOnly => "the name alone",
        Sure::Unreadable => "cannot be rewritten",
        Sure::Checksum => "a checksum, wrong once the path is rewritten",
        Sure::Log => "left: a log",
        Sure::Backup => "left: a backup",
        Sure::Cache => "left: a cache",
        Sure::Chosen => "left: your choice",
    }
}

/// What a haul does with a place; `otherwise` if a person wants it the other way round than the trace.
pub fn place_found(find: &Find, otherwise: bool) -> &'static str {
    match (find.is_taken(), otherwise) {
        (true, false) => "rewritten",
        (true, true) => sure(Sure::Chosen),
        (false, true) => "rewritten: your choice",
        (false, false) => match find.sure {
            Sure::NameOnly => "left: the name alone",
            Sure::Checksum => "left: a checksum",
            other => sure(other),
        },
    }
}
