//! What every system gives and takes: the values of this door, the same wherever the program runs.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::bytes::Bytes;

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

/// Which ends a program hears of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ends {
    /// One that has left its terminal: what happens to that is none of its business.
    Apart,
    /// One that does a command: the keys of its terminal, its end, and the system.
    Command,
    /// One that draws on the terminal: also the key by which a program is ended at once.
    Screen,
}

/// The folders of a person.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PersonFolders {
    /// The home.
    pub home: PathBuf,
    /// Settings.
    pub config: PathBuf,
    /// Data.
    pub data: PathBuf,
    /// State.
    pub state: PathBuf,
}

/// An error as the system would give it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum SystemError {
    /// Something is not permitted, by whom or by the file system.
    NotPermitted,
    /// A device failed.
    InputOutput,
    /// The device is away.
    NoDevice,
    /// A name or a wish that the file system does not know.
    Invalid,
    /// A file would be larger than the file system allows.
    TooLarge,
    /// The drive is full.
    NoSpace,
    /// The file system cannot be written.
    ReadOnly,
    /// Links lead in a circle.
    Circle,
    /// The file system cannot do that.
    NotSupported,
}

/// Why the system does not let something be removed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RemovalRefused {
    /// The person may not, or it is the root of a mount.
    NotPermitted,
    /// Nothing there can be written.
    ReadOnly,
}

/// What a file system did not take of what was to be set beside a file's bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Refused {
    /// The extended attribute of this name.
    Attribute(Vec<u8>),
    /// The permissions.
    Permissions,
    /// User and group: only root may give a file away.
    Owner,
}

/// What is set on a copy beside its bytes. Times in nanoseconds since 1970.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Meta {
    /// Permission bits.
    pub mode: u32,
    /// User and group.
    pub owner: (u32, u32),
    /// Time of the last change of the bytes.
    pub modified_ns: i128,
    /// Extended attributes of the `user.` name space, name and value.
    pub attributes: Vec<(Vec<u8>, Vec<u8>)>,
}

/// How the bytes of a file are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Reads {
    /// From the cache, where they are in it.
    Cached,
    /// From the device; only whole units of 4096 bytes, into memory that is aligned to them.
    PastCache,
}

/// Where a file system is mounted; on Linux a line of mountinfo, as proc(5) describes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mount {
    /// Its number in the list.
    pub id: u64,
    /// Major and minor number of the device.
    pub device: (u32, u32),
    /// The folder within the file system that is mounted.
    pub root: PathBuf,
    /// Where it is mounted.
    pub point: PathBuf,
    /// Name of the file system.
    pub file_system: String,
    /// What is mounted: a device, a share, or a word.
    pub source: OsString,
    /// Whether the mount or the file system is read-only.
    pub read_only: bool,
}

/// A process that stands in the way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Process {
    /// Its number.
    pub pid: u32,
    /// Its name as the system keeps it.
    pub name: String,
    /// How it stands in the way.
    pub why: Sight,
}

/// What was seen of a process.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Sight {
    /// It has a name that was asked for.
    Named,
    /// It works in this compatibility layer, or serves it: what it knows of the registry is written back when it ends.
    InLayer(#[serde(serialize_with = "crate::platform::shown_path")] PathBuf),
    /// It has this path open, mapped, or as its working folder.
    Uses(#[serde(serialize_with = "crate::platform::shown_path")] PathBuf),
}

/// What to look for.
#[derive(Clone, Copy, Debug)]
pub struct Wanted<'a> {
    /// Names of programs.
    pub names: &'a [String],
    /// Folders and files; anything below counts.
    pub paths: &'a [PathBuf],
}

/// Where processes are listed, and whose they may be.
#[derive(Clone, Copy, Debug)]
#[cfg_attr(windows, expect(dead_code, reason = "Windows lists processes in no folder"))]
pub(crate) struct Processes<'a> {
    /// The folder that lists them.
    pub(crate) list: &'a Path,
    /// The folder of a declared world: only what has to do with it can be its launcher.
    pub(crate) world: Option<&'a Path>,
    /// The home of the person.
    pub(crate) home: &'a Path,
}

/// How full a drive is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Usage {
    /// Bytes in all.
    pub capacity: Bytes,
    /// Bytes in use.
    pub used: Bytes,
    /// Bytes that this person may still write.
    pub free: Bytes,
}

/// Whether the system gave an error one of these numbers.
pub(super) fn is_one_of(error: &std::io::Error, numbers: &[i32]) -> bool {
    error.raw_os_error().is_some_and(|number| numbers.contains(&number))
}
