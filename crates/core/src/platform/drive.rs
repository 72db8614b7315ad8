//! A drive: a mounted file system with a capacity, and what it can hold.

#![expect(clippy::missing_errors_doc, reason = "each fails with what the system said")]

use std::io;
use std::path::{Path, PathBuf};

use crate::bytes::Bytes;

use serde::{Deserialize, Serialize};

use super::contract::Usage;
use super::room::allocated_below;
use super::system::{FOLDS_CASE, FORBIDDEN, flush_of_all_tells_errors, usage_of};

/// What kind of device a drive is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DriveKind {
    /// Flash on the system's fast bus.
    Nvme,
    /// Flash behind a disk interface.
    Ssd,
    /// A spinning disk, or what claims to be one.
    Disk,
    /// A stick or disk on the USB.
    Usb,
    /// A share of another machine.
    Network,
    /// Memory.
    Memory,
    /// A file that is mounted.
    Image,
    /// Not known.
    Unknown,
}

/// What a file system can hold.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Abilities {
    /// Whether what is said here is known; guesses are marked so.
    pub known: bool,
    /// Symbolic links.
    pub links: bool,
    /// Several names for one file.
    pub hard_links: bool,
    /// Files with holes that take no room.
    pub sparse: bool,
    /// Attributes that people and programs set on files, beside their bytes.
    pub attributes: bool,
    /// Whether one flush of the whole file system is as good as one for each file.
    pub flushes_whole: bool,
    /// Permission bits, such as the one that makes a program startable.
    pub permissions: bool,
    /// The largest file; `None` where no game reaches it.
    pub largest_file: Option<Bytes>,
    /// Characters that no name may hold.
    pub forbidden: String,
    /// Whether a file keeps its inode number when the drive is unmounted and mounted again.
    pub steady_inodes: bool,
    /// Whether the file system itself keeps when a file's bytes, permissions or attributes were last changed (ctime).
    pub steady_changes: bool,
    /// Whether two names that differ in case only are one name.
    pub folds_case: bool,
}

/// Characters that the names of Windows file systems cannot hold, by the exFAT specification, 7.7.3.
const WINDOWS_FORBIDDEN: &str = "\"*/:<>?\\|";

impl Abilities {
    /// Everything that a file system of Linux can do.
    pub fn all() -> Self {
        Self {
            known: true,
            links: true,
            hard_links: true,
            sparse: true,
            attributes: true,
            flushes_whole: true,
            permissions: true,
            largest_file: None,
            forbidden: String::new(),
            steady_inodes: true,
            steady_changes: true,
            folds_case: false,
        }
    }

    /// What a file system of this name can do, by the documents of each.
    pub fn of_file_system(name: &str) -> Self {
        let able = Self::of_file_system_alone(name);
        // What the system itself refuses, no file system of it can have.
        let forbidden = if FORBIDDEN.is_empty() { able.forbidden } else { FORBIDDEN.into() };
        Self { forbidden, folds_case: able.folds_case || FOLDS_CASE, ..able }
    }

    fn of_file_system_alone(name: &str) -> Self {
        // Through FUSE a flush of the whole does not reach the program that serves it (Linux fuse_sync_fs), so that files
        // and folders are flushed one by one; that is said of these two whichever way they are mounted.
        let windows = || Self {
            forbidden: WINDOWS_FORBIDDEN.into(),
            flushes_whole: false,
            // They have no such time, or one that their drivers set at other moments.
            steady_changes: false,
            ..Self::all()
        };
        match name {
            "exfat" => Self {
                links: false,
                hard_links: false,
                sparse: false,
                attributes: false,
                permissions: false,
                // They have no inodes; the number is made up anew at each mount.
                steady_inodes: false,
                folds_case: true,
                ..windows()
            },
            "vfat" | "msdos" => Self {
                // FAT keeps a file's length in 32 bits.
                largest_file: Some(Bytes::new((1 << 32) - 1)),
                ..Self::of_file_system_alone("exfat")
            },
            // ntfs-3g and ntfs3 make links and tell cases apart on Linux, and hold permissions only by option.
            "ntfs" | "ntfs3" => Self { permissions: false, ..windows() },
            "ext2" | "ext3" | "ext4" | "btrfs" | "xfs" | "f2fs" | "jfs" | "tmpfs" | "bcachefs" => {
                Self { flushes_whole: flush_of_all_tells_errors(), ..Self::all() }
            }
            "zfs" | "overlay" => Self { flushes_whole: false, ..Self::all() },
            "nfs" | "nfs4" => Self { flushes_whole: false, attributes: false, steady_changes: false, ..Self::all() },
            _ => {
                Self { known: false, steady_inodes: false, steady_changes: false, flushes_whole: false, ..Self::all() }
            }
        }
    }
}

impl Abilities {
    /// What of a file may be compared with what was seen of it before.
    pub fn steady(&self) -> Steady {
        Steady { inodes: self.steady_inodes, changes: self.steady_changes, permissions: self.permissions }
    }
}

/// A mounted file system, or a folder declared as one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Drive {
    /// The digit it answers to; `None` from the tenth on.
    pub tag: Option<u8>,
    /// Id of its file system, where that is known: the same wherever it is mounted.
    pub id: Option<String>,
    /// A short name, once per site.
    pub name: String,
    /// Its top folder.
    #[serde(serialize_with = "shown_path")]
    pub root: PathBuf,
    /// Every place it is mounted at: bind mounts and subvolumes share its room.
    #[serde(serialize_with = "shown_paths")]
    pub mounts: Vec<PathBuf>,
    /// Kind of device.
    pub kind: DriveKind,
    /// The disk that it is a part of, by the system's name for it, where that is known.
    pub device: Option<String>,
    /// Name of the file system.
    pub file_system: String,
    /// What it can hold.
    pub abilities: Abilities,
    /// Whether nothing can be written.
    pub read_only: bool,
    /// Bytes in all, as of when the site was read.
    pub capacity: Bytes,
    /// Bytes that a haul leaves free.
    pub reserve: Bytes,
    /// Whether it is a folder with declared limits.
    pub declared: bool,
    /// Whether it is not there: somebody asks what would be if it were.
    pub absent: bool,
}

/// Writes a path as text; bytes that are no text are shown as U+FFFD, since JSON can hold no others.
pub(crate) fn shown_path<S: serde::Serializer>(path: &Path, out: S) -> Result<S::Ok, S::Error> {
    out.serialize_str(&path.to_string_lossy())
}

fn shown_paths<S: serde::Serializer>(paths: &[PathBuf], out: S) -> Result<S::Ok, S::Error> {
    out.collect_seq(paths.iter().map(|path| path.to_string_lossy()))
}

impl Drive {
    /// Asks how full the drive is.
    ///
    /// A declared drive's files are added up, each inode once, in allocated bytes.
    pub fn usage(&self) -> io::Result<Usage> {
        if self.declared {
            self.root.read_dir()?;
            let used = allocated_below(&self.root);
            return Ok(Usage { capacity: self.capacity, used, free: self.capacity.less(used) });
        }
        usage_of(&self.root)
    }

    /// The reserve where nothing else is set: a twentieth of the capacity, at most 20 GB (our own choice).
    pub fn usual_reserve(capacity: Bytes) -> Bytes {
        Bytes::new((capacity.count() / 20).min(20_000_000_000))
    }
}

/// What a file system keeps steadily of its files.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Steady {
    /// Numbers of inodes.
    pub inodes: bool,
    /// Times of the last change of a file's status.
    pub changes: bool,
    /// Permissions and owners.
    pub permissions: bool,
}

impl Steady {
    /// All of it, as file systems of Linux keep it.
    pub const ALL: Self = Self { inodes: true, changes: true, permissions: true };
}
