//! An edit as a person sees it before it is made.

use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// How a record file changes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PreviewKind {
    /// A key or value says another text.
    Replaced,
    /// An entry leaves.
    Leaves,
    /// An entry arrives.
    Arrives,
    /// A library becomes known.
    LibraryKnown,
    /// A file is made.
    FileMade,
    /// A file is taken away.
    FileGoes,
    /// A link is made.
    LinkMade,
    /// A link is taken away.
    LinkGoes,
}

/// One change of a record file, as it would be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Preview {
    /// The file.
    pub file: PathBuf,
    /// The place in it.
    pub location: String,
    /// How it changes.
    pub kind: PreviewKind,
    /// Text before; empty where there was none.
    pub before: String,
    /// Text after; empty where there is none.
    pub after: String,
}
