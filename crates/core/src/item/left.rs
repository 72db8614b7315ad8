//! What a removal had to leave, and why.

use serde::{Deserialize, Serialize};
use std::path::PathBuf;

use crate::bytes::Bytes;

/// Why something was not removed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum WhyLeft {
    /// It is not what was verified: it has changed since.
    Changed,
    /// It was not there when the rest was verified, or is of a kind that is never removed.
    Unknown,
    /// Its copy has changed since it was verified: this is the last of what it was.
    CopyChanged,
    /// Its original is not there any more: this may be the last of it.
    OriginalGone,
    /// The system does not let it be removed: it is immutable, somebody else's, or in use as a mount point.
    NotPermitted,
    /// Its drive cannot be written.
    ReadOnly,
    /// Its drive is not there.
    DriveAway,
}

impl WhyLeft {
    const ALL: [Self; 7] = [
        Self::Changed,
        Self::Unknown,
        Self::CopyChanged,
        Self::OriginalGone,
        Self::NotPermitted,
        Self::ReadOnly,
        Self::DriveAway,
    ];

    /// The reason that has this word.
    pub(crate) fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|why| why.word() == word)
    }

    /// The word that the journal keeps.
    pub fn word(self) -> &'static str {
        match self {
            Self::Changed => "changed",
            Self::Unknown => "unknown",
            Self::CopyChanged => "copy-changed",
            Self::OriginalGone => "original-gone",
            Self::NotPermitted => "not-permitted",
            Self::ReadOnly => "read-only",
            Self::DriveAway => "drive-away",
        }
    }
}

/// Something that a removal has left.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Left {
    /// Its path below the folder.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// Bytes that it takes.
    pub bytes: Bytes,
    /// Why.
    pub why: WhyLeft,
}
