//! What can be done to a drive, as a value that a gate can look at before and after.

use std::fmt;
use std::io;
use std::path::Path;

/// A kind of file to remove.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    /// A file or a link; a link is removed itself, never what it leads to.
    File,
    /// An empty folder.
    Folder,
}

/// One thing done to a drive.
#[derive(Clone, Copy, Debug)]
pub enum Act<'a> {
    /// Looks at what a name is.
    Look(&'a Path),
    /// Opens a folder.
    OpenFolder(&'a Path),
    /// Opens a file to read it.
    OpenRead(&'a Path),
    /// Reads `len` bytes at `offset`.
    Read { path: &'a Path, offset: u64, len: u64 },
    /// Reads the names in a folder.
    ReadFolder(&'a Path),
    /// Makes a file that must not be there yet.
    Create(&'a Path),
    /// Opens a file to write into it.
    OpenWrite(&'a Path),
    /// Writes `len` bytes at `offset`.
    Write { path: &'a Path, offset: u64, len: u64 },
    /// Sets a file's length.
    SetLen { path: &'a Path, len: u64 },
    /// Makes a file's bytes durable.
    Flush(&'a Path),
    /// Makes a folder's names durable.
    FlushFolder(&'a Path),
    /// Makes all bytes and names of the file system durable that holds this folder.
    FlushDrive(&'a Path),
    /// Lets the file `at` share the bytes of the file `of`, until one of them is written.
    Share { at: &'a Path, of: &'a Path },
    /// Sets permissions, owner, times or extended attributes.
    Meta(&'a Path),
    /// Makes a folder that must not be there yet.
    MakeFolder(&'a Path),
    /// Makes a symbolic link at `at`.
    MakeLink { at: &'a Path },
    /// Makes a second name `at` for the file `of`.
    HardLink { at: &'a Path, of: &'a Path },
    /// Renames; `to` must not be there yet.
    Rename { from: &'a Path, to: &'a Path },
    /// Renames over what is at `to`.
    Replace { from: &'a Path, to: &'a Path },
    /// Swaps two names in one step.
    Exchange { one: &'a Path, other: &'a Path },
    /// Changes cells of a database in one transaction, durably.
    Commit(&'a Path),
    /// Removes a name.
    Remove { path: &'a Path, what: What },
}

impl Act<'_> {
    /// The path that the act changes or reads; of two, the one that comes to be.
    pub fn path(&self) -> &Path {
        match self {
            Self::Look(path)
            | Self::OpenFolder(path)
            | Self::OpenRead(path)
            | Self::ReadFolder(path)
            | Self::Create(path)
            | Self::OpenWrite(path)
            | Self::Flush(path)
            | Self::FlushFolder(path)
            | Self::FlushDrive(path)
            | Self::Meta(path)
            | Self::MakeFolder(path)
            | Self::Commit(path)
            | Self::Read { path, .. }
            | Self::Write { path, .. }
            | Self::SetLen { path, .. }
            | Self::Remove { path, .. } => path,
            Self::MakeLink { at } | Self::HardLink { at, .. } | Self::Share { at, .. } => at,
            Self::Rename { to, .. } | Self::Replace { to, .. } => to,
            Self::Exchange { one, .. } => one,
        }
    }

    /// Whether the act leaves the drive as it was.
    pub fn only_reads(&self) -> bool {
        matches!(
            self,
            Self::Look(_) | Self::OpenFolder(_) | Self::OpenRead(_) | Self::Read { .. } | Self::ReadFolder(_)
        )
    }
}

/// Stands before and behind every act of a [`super::Disk`].
pub trait Gate: Send + Sync + fmt::Debug {
    /// Lets the act through, or fails it before anything has happened.
    ///
    /// # Errors
    /// What the act shall fail with.
    fn before(&self, act: &Act<'_>) -> io::Result<()>;
    /// Hears that the act has happened.
    fn after(&self, _act: &Act<'_>) {}
}
