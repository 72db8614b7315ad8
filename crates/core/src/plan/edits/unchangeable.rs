//! Why the edits of a game cannot be made.

use std::path::PathBuf;

/// Why a game's records cannot be repointed.
#[derive(Debug)]
pub(crate) enum Unchangeable {
    /// A drive letter is missing; one that is free.
    NoLetter { prefix: PathBuf, path: PathBuf, free: Option<char> },
    /// Anything else, in a sentence.
    Because(String),
}

impl Unchangeable {
    /// The same as a sentence, where no letter can be made.
    pub fn why(self) -> String {
        match self {
            Self::NoLetter { path, .. } => format!("no drive letter points to {}", path.display()),
            Self::Because(why) => why,
        }
    }
}

impl From<String> for Unchangeable {
    fn from(why: String) -> Self {
        Self::Because(why)
    }
}
