//! What is known of a name: of a link itself, never of what it leads to.

use std::fs::{File, Metadata};
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

/// What kind of thing a name is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SeenKind {
    /// A file with bytes.
    File,
    /// A folder.
    Folder,
    /// A symbolic link.
    Link,
    /// A pipe, a socket or a device.
    Other,
}

/// What a look at a name has found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Seen {
    /// Its kind.
    pub kind: SeenKind,
    /// The device that its file system is on, and its number there: together they are one thing only.
    pub device: u64,
    /// Its number on that device.
    pub inode: u64,
    /// Bytes.
    pub size: u64,
    /// Bytes that it takes on the drive.
    pub allocated: u64,
    /// Names that lead to it.
    pub names: u64,
    /// Permission bits.
    pub mode: u32,
    /// User and group.
    pub owner: (u32, u32),
    /// Time of the last change of its bytes, nanoseconds since 1970.
    pub modified_ns: i128,
    /// Time of the last change of its status, nanoseconds since 1970.
    pub changed_ns: i128,
}

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

impl Seen {
    /// Whether it is a file with bytes.
    pub fn is_file(&self) -> bool {
        self.kind == SeenKind::File
    }

    /// Whether it is a folder.
    pub fn is_folder(&self) -> bool {
        self.kind == SeenKind::Folder
    }

    /// Whether it is a symbolic link.
    pub fn is_link(&self) -> bool {
        self.kind == SeenKind::Link
    }

    /// Which thing it is, as long as it is there: its device and its number there.
    pub fn identity(&self) -> (u64, u64) {
        (self.device, self.inode)
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
