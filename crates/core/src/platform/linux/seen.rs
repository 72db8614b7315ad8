//! What Linux knows of a name.

use std::fs::{DirEntry, File, Metadata};
use std::io;
use std::os::unix::fs::{FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};

use crate::platform::contract::{Seen, SeenKind};

impl From<rustix::fs::Stat> for Seen {
    fn from(stat: rustix::fs::Stat) -> Self {
        let time = |seconds: i64, nanoseconds: u64| i128::from(seconds) * 1_000_000_000 + i128::from(nanoseconds);
        let kind = match rustix::fs::FileType::from_raw_mode(stat.st_mode) {
            rustix::fs::FileType::RegularFile => SeenKind::File,
            rustix::fs::FileType::Directory => SeenKind::Folder,
            rustix::fs::FileType::Symlink => SeenKind::Link,
            _ => SeenKind::Other,
        };
        Self {
            kind,
            device: stat.st_dev,
            inode: stat.st_ino,
            size: stat.st_size.cast_unsigned(),
            allocated: stat.st_blocks.cast_unsigned() * 512,
            names: stat.st_nlink,
            mode: stat.st_mode & 0o7777,
            owner: (stat.st_uid, stat.st_gid),
            modified_ns: time(stat.st_mtime, stat.st_mtime_nsec),
            changed_ns: time(stat.st_ctime, stat.st_ctime_nsec),
        }
    }
}

impl From<Metadata> for Seen {
    fn from(meta: Metadata) -> Self {
        let time = |seconds: i64, nanoseconds: i64| i128::from(seconds) * 1_000_000_000 + i128::from(nanoseconds);
        let kind = match meta.file_type() {
            kind if kind.is_file() => SeenKind::File,
            kind if kind.is_dir() => SeenKind::Folder,
            kind if kind.is_symlink() => SeenKind::Link,
            _ => SeenKind::Other,
        };
        Self {
            kind,
            device: meta.dev(),
            inode: meta.ino(),
            size: meta.len(),
            allocated: meta.blocks() * 512,
            names: meta.nlink(),
            mode: meta.mode() & 0o7777,
            owner: (meta.uid(), meta.gid()),
            modified_ns: time(meta.mtime(), meta.mtime_nsec()),
            changed_ns: time(meta.ctime(), meta.ctime_nsec()),
        }
    }
}

/// Looks at what a path leads to, through links.
///
/// # Errors
/// What the system says.
pub(crate) fn look_behind(path: impl AsRef<Path>) -> io::Result<Seen> {
    path.as_ref().metadata().map(Seen::from)
}

/// Looks at a name itself; of a link, at the link.
///
/// # Errors
/// What the system says.
pub(crate) fn look_itself(path: impl AsRef<Path>) -> io::Result<Seen> {
    path.as_ref().symlink_metadata().map(Seen::from)
}

/// Looks at an open file or folder.
///
/// # Errors
/// What the system says.
pub(crate) fn look_open(file: &File) -> io::Result<Seen> {
    file.metadata().map(Seen::from)
}

/// What an entry of a folder is, links not followed.
///
/// # Errors
/// What the system says.
pub(crate) fn entry_seen(entry: &DirEntry) -> io::Result<Seen> {
    entry.metadata().map(Seen::from)
}

/// Refuses what is no file, by its kind.
pub(crate) fn must_be_file(file: &File) -> io::Result<()> {
    let kind = file.metadata()?.file_type();
    let what = match () {
        () if kind.is_file() => return Ok(()),
        () if kind.is_dir() => return Err(io::ErrorKind::IsADirectory.into()),
        () if kind.is_fifo() => "it is a named pipe, not a file",
        () if kind.is_socket() => "it is a socket, not a file",
        () if kind.is_symlink() => "it is a link, not a file",
        () => "it is a device, not a file",
    };
    Err(io::Error::new(io::ErrorKind::InvalidInput, what))
}

/// A path with all links followed.
///
/// # Errors
/// What the system says.
pub(crate) fn real(path: &Path) -> io::Result<PathBuf> {
    path.canonicalize()
}
