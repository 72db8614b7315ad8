//! Acts on files and folders, done as Windows does them. Nothing here asks a gate: that is the disk's.
//!
//! Promises: opening never follows a link at the last name; making never writes into what is there; what is said to be flushed is durable
//! when the call returns, as far as the drive tells the truth; nothing is removed but the one name that is given.

#![expect(clippy::missing_errors_doc, reason = "each fails with what the system said")]
#![expect(clippy::disallowed_methods, reason = "the disk's acts end here")]

use std::ffi::OsStr;
use std::fs::{File, OpenOptions};
use std::io;
use std::os::windows::fs::{FileExt, OpenOptionsExt, symlink_dir, symlink_file};
use std::path::{Component, Path, PathBuf};

use deft_barge_windows::{Claim, Wish, claim, flush, move_file, open_in, remove, set_attributes};

use super::exact::exact;
use super::seen::{FOLDERS_TOO, ITSELF, READ_ONLY, SHARED, attributes_in, look_behind, look_itself, look_open};
use crate::platform::contract::{Reads, Seen, SeenKind, SystemError};

/// `FILE_FLAG_NO_BUFFERING`: reads go past the cache.
const PAST_CACHE: u32 = 0x2000_0000;
/// `GENERIC_READ`.
const READ: u32 = 0x8000_0000;
/// `GENERIC_WRITE`.
const WRITE: u32 = 0x4000_0000;

/// A folder held open, so that what is removed in it lies in this very folder.
#[derive(Debug)]
pub struct Folder {
    handle: File,
    path: PathBuf,
}

/// A folder that is taken, as long as this lives.
#[derive(Debug)]
pub struct FolderLock {
    _claim: Claim,
}

impl Folder {
    /// Volume and number of the folder.
    pub fn identity(&self) -> io::Result<(u64, u64)> {
        Ok(look_open(&self.handle)?.identity())
    }

    /// Reads its permissions.
    pub fn mode(&self) -> io::Result<u32> {
        Ok(look_open(&self.handle)?.mode)
    }

    /// Reads what is known of a name in this folder, of a link itself; `None` if there is no such name.
    pub fn look(&self, name: &OsStr) -> io::Result<Option<Seen>> {
        match open_in(&self.handle, name, Wish::Look) {
            Ok(file) => look_open(&file).map(Some),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// Opens a folder below this one; a link is refused.
    pub fn open(&self, name: &OsStr) -> io::Result<Self> {
        let handle = open_in(&self.handle, name, Wish::Enter)?;
        straight(handle, self.path.join(name))
    }

    /// Opens a folder some levels below this one, through no link and into no other volume.
    pub fn open_below(&self, path: &Path) -> io::Result<Self> {
        let mut folder = Self { handle: self.handle.try_clone()?, path: self.path.clone() };
        let volume = self.identity()?.0;
        for part in path.components() {
            let Component::Normal(name) = part else { return Err(io::ErrorKind::InvalidInput.into()) };
            folder = folder.open(name)?;
        }
        if folder.identity()?.0 == volume { Ok(folder) } else { Err(io::ErrorKind::CrossesDevices.into()) }
    }

    /// Opens a folder by its path; a link at the last name is refused.
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        straight(opened(path, ITSELF)?, path.into())
    }

    /// Opens a folder by its path, through whatever links.
    pub(crate) fn behind(path: &Path) -> io::Result<Self> {
        straight(opened(path, 0)?, path.into())
    }

    /// The path that it was opened by.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Sets its attributes.
    pub(crate) fn set_mode(&self, mode: u32) -> io::Result<()> {
        set_attributes(&self.handle, attributes_in(mode).0)
    }

    /// Removes one name that is no folder; a link is removed itself.
    pub(crate) fn remove_file(&self, name: &OsStr) -> io::Result<()> {
        self.remove(name, |seen| seen.kind != SeenKind::Folder)
    }

    /// Removes one folder that is empty.
    pub(crate) fn remove_folder(&self, name: &OsStr) -> io::Result<()> {
        self.remove(name, Seen::is_folder)
    }

    fn remove(&self, name: &OsStr, is_meant: impl Fn(&Seen) -> bool) -> io::Result<()> {
        let opened = open_in(&self.handle, name, Wish::Remove)?;
        let seen = look_open(&opened)?;
        if !is_meant(&seen) {
            return Err(io::ErrorKind::InvalidInput.into());
        }
        // A file that nobody may write can't be removed either.
        let (attributes, read_only) = attributes_in(seen.mode);
        if read_only {
            set_attributes(&opened, attributes)?;
        }
        remove(&opened).inspect_err(|_| {
            // What stays is as it was.
            if read_only && let Err(error) = set_attributes(&opened, attributes | READ_ONLY) {
                tracing::warn!(%error, "a file that could not be removed can be written now");
            }
        })
    }

    /// Makes all bytes and names durable of the volume that holds the folder: only an administrator may ask for it, so that file systems
    /// are not said to flush as a whole here.
    pub(crate) fn flush_drive(&self) -> io::Result<()> {
        Err(SystemError::NotSupported.into())
    }
}

/// Opens a folder to read its names and to set what stands beside them.
fn opened(path: &Path, flags: u32) -> io::Result<File> {
    let mut how = OpenOptions::new();
    // FILE_LIST_DIRECTORY, FILE_TRAVERSE, FILE_READ_ATTRIBUTES, FILE_WRITE_ATTRIBUTES.
    let path = exact(path);
    let all =
        how.access_mode(0x1 | 0x20 | 0x80 | 0x100).share_mode(SHARED).custom_flags(FOLDERS_TOO | flags).open(&path);
    match all {
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => how.access_mode(0x1 | 0x20 | 0x80).open(path),
        other => other,
    }
}

/// The folder that was opened, if it is one itself.
fn straight(handle: File, path: PathBuf) -> io::Result<Folder> {
    match look_open(&handle)?.kind {
        SeenKind::Folder => Ok(Folder { handle, path }),
        SeenKind::Link => Err(SystemError::Circle.into()),
        SeenKind::File | SeenKind::Other => Err(io::ErrorKind::NotADirectory.into()),
    }
}

/// Opens what bears a name itself, and refuses links.
fn no_link(how: &mut OpenOptions, flags: u32, path: &Path) -> io::Result<File> {
    let file = how.share_mode(SHARED).custom_flags(ITSELF | flags).open(exact(path))?;
    if look_open(&file)?.is_link() { Err(SystemError::Circle.into()) } else { Ok(file) }
}

/// Opens a file to read it.
pub(crate) fn open_to_read(path: &Path, reads: Reads) -> io::Result<File> {
    let past = if reads == Reads::PastCache { PAST_CACHE } else { 0 };
    no_link(OpenOptions::new().read(true), past, path)
}

/// Opens whatever is there to read it.
pub(crate) fn open_without_wait(path: &Path) -> io::Result<File> {
    OpenOptions::new().access_mode(READ).share_mode(SHARED).custom_flags(FOLDERS_TOO).open(exact(path))
}

/// Has the reads of an open file go through the cache from now on: a handle of Windows keeps what it was opened with.
pub(crate) fn read_through_cache(_file: &File) -> io::Result<()> {
    Err(SystemError::NotSupported.into())
}

/// Opens a file to write into it.
pub(crate) fn open_to_write(path: &Path) -> io::Result<File> {
    no_link(OpenOptions::new().read(true).write(true), 0, path)
}

/// Makes a file.
///
/// # Errors
/// [`io::ErrorKind::AlreadyExists`] if anything is there.
pub(crate) fn create_new(path: &Path) -> io::Result<File> {
    no_link(OpenOptions::new().read(true).write(true).create_new(true), 0, path)
}

/// Lets a file be written.
pub(crate) fn make_writable(path: &Path) -> io::Result<()> {
    let mut how = OpenOptions::new();
    let file = no_link(how.access_mode(0x80 | 0x100), 0, path)?;
    set_attributes(&file, attributes_in(look_open(&file)?.mode).0 & !READ_ONLY)
}

/// Reads at a place of a file, as much as one call of the system gives.
pub(crate) fn read_some_at(file: &File, buffer: &mut [u8], offset: u64) -> io::Result<usize> {
    file.seek_read(buffer, offset)
}

/// Writes all of `data` at a place of a file.
pub(crate) fn write_all_at(file: &File, data: &[u8], offset: u64) -> io::Result<()> {
    let mut done = 0;
    while let Some(rest) = data.get(done..).filter(|rest| !rest.is_empty()) {
        match file.seek_write(rest, offset + done as u64) {
            Ok(0) => return Err(io::ErrorKind::WriteZero.into()),
            Ok(count) => done += count,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(())
}

/// Makes the names in a folder durable. A folder that this person may not write into has none of ours; a file system that knows no
/// flush of a folder says so, and its names go out with the file's flush and with the renames, which are written through.
pub(crate) fn flush_folder(path: &Path) -> io::Result<()> {
    let folder = OpenOptions::new().access_mode(WRITE).share_mode(SHARED).custom_flags(FOLDERS_TOO).open(exact(path));
    match folder.and_then(|folder| flush(&folder)) {
        // Invalid function, access denied, invalid handle, not supported, invalid parameter.
        Err(error) if matches!(error.raw_os_error(), Some(1 | 5 | 6 | 50 | 87)) => Ok(()),
        other => other,
    }
}

/// Begins to write out what was written: Windows has no such hint.
pub(crate) fn begin_write_back(_file: &File, _offset: u64, _len: u64) {}

/// Drops a file from the cache: Windows has no such hint. What is compared is read past the cache.
pub(crate) fn drop_from_cache(_file: &File) {}

/// Lets a new file share the bytes of another: not done on Windows.
pub(crate) fn share_bytes(_from: &File, _to: &File) -> io::Result<()> {
    Err(SystemError::NotSupported.into())
}

/// Makes a link at `at` that leads to `target`: a symbolic link, or a junction where this person may make none and it leads to a folder.
pub(crate) fn make_link(target: &Path, at: &Path) -> io::Result<()> {
    /// `ERROR_PRIVILEGE_NOT_HELD`.
    const NO_RIGHT: i32 = 1314;
    let leads = at.parent().unwrap_or(Path::new("")).join(target);
    let folder = look_behind(&leads).is_ok_and(|seen| seen.is_folder());
    let exactly = exact(at);
    let at = &*exactly;
    let made = if folder { symlink_dir(target, at) } else { symlink_file(target, at) };
    match made {
        Err(error) if folder && error.raw_os_error() == Some(NO_RIGHT) => junction::create(leads, at)?,
        other => other?,
    }
    // A system that knows no links may say that it has made one.
    if look_itself(at).is_ok_and(|seen| seen.is_link()) { Ok(()) } else { Err(SystemError::NotSupported.into()) }
}

/// Renames; it comes back when the new name is durable.
///
/// # Errors
/// [`io::ErrorKind::AlreadyExists`] if anything is at `to`.
pub(crate) fn rename_if_free(from: &Path, to: &Path) -> io::Result<()> {
    match move_file(&exact(from), &exact(to), false) {
        // Of a folder that is there the system says that access is denied.
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied && look_itself(to).is_ok() => {
            Err(io::ErrorKind::AlreadyExists.into())
        }
        other => other,
    }
}

/// Swaps two names in one step: no file system of Windows can.
pub(crate) fn exchange(_one: &Path, _other: &Path) -> io::Result<()> {
    Err(SystemError::NotSupported.into())
}

/// Takes a folder for this program alone among all that ask the same way, of whatever user; `None` if another has it.
///
/// # Errors
/// What the system said to opening the folder.
pub(crate) fn lock_folder(path: &Path) -> io::Result<Option<FolderLock>> {
    let (volume, number) = Folder::behind(path)?.identity()?;
    let claimed = claim(&format!("deft-barge-{volume:x}-{number:x}"))?;
    Ok(claimed.map(|claim| FolderLock { _claim: claim }))
}
