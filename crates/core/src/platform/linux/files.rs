//! Acts on files and folders, done as Linux does them. Nothing here asks a gate: that is the disk's.
//!
//! Promises: opening never follows a link at the last name and never waits for a pipe; making never writes into what is there; what is
//! said to be flushed is durable when the call returns, as far as the drive tells the truth; nothing is removed but the one name that is
//! given.

#![expect(clippy::missing_errors_doc, reason = "each fails with what the system said")]
#![expect(clippy::disallowed_methods, reason = "the disk's acts end here")]

use std::ffi::OsStr;
use std::fs::{self, File, OpenOptions};
use std::io;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::fs::{FileExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

use rustix::fs::{AtFlags, CWD, Mode, OFlags, RenameFlags, ResolveFlags};

use crate::platform::contract::{Reads, Seen};

/// A link is refused, and a pipe or device that came to be where a file was is never waited for.
const NO_FOLLOW: i32 = (OFlags::NOFOLLOW.bits() | OFlags::NONBLOCK.bits()).cast_signed();

/// A folder held open, so that what is removed in it lies in this very folder.
#[derive(Debug)]
pub struct Folder {
    handle: OwnedFd,
    path: PathBuf,
}

/// A folder that is taken, as long as this lives.
#[derive(Debug)]
pub struct FolderLock {
    _handle: OwnedFd,
}

impl Folder {
    /// Device and inode of the folder.
    pub fn identity(&self) -> io::Result<(u64, u64)> {
        let stat = rustix::fs::fstat(&self.handle)?;
        Ok((stat.st_dev, stat.st_ino))
    }

    /// Reads its permissions.
    pub fn mode(&self) -> io::Result<u32> {
        Ok(rustix::fs::fstat(&self.handle)?.st_mode & 0o7777)
    }

    /// Reads what is known of a name in this folder, of a link itself; `None` if there is no such name.
    pub fn look(&self, name: &OsStr) -> io::Result<Option<Seen>> {
        match rustix::fs::statat(&self.handle, name, AtFlags::SYMLINK_NOFOLLOW) {
            Ok(stat) => Ok(Some(stat.into())),
            Err(rustix::io::Errno::NOENT) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// Opens a folder below this one; a link is refused.
    pub fn open(&self, name: &OsStr) -> io::Result<Self> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let handle = rustix::fs::openat(&self.handle, name, flags, Mode::empty())?;
        Ok(Self { handle, path: self.path.join(name) })
    }

    /// Opens a folder some levels below this one, through no link and into no other mount: the kernel sees to it
    /// (openat2(2)); one that is older than that is led there name by name.
    pub fn open_below(&self, path: &Path) -> io::Result<Self> {
        if path.as_os_str().is_empty() {
            return Ok(Self { handle: self.handle.try_clone()?, path: self.path.clone() });
        }
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        let how = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_XDEV;
        match rustix::fs::openat2(&self.handle, path, flags, Mode::empty(), how) {
            Ok(handle) => Ok(Self { handle, path: self.path.join(path) }),
            Err(rustix::io::Errno::NOSYS | rustix::io::Errno::PERM) => {
                let mut names = path.components().map(std::path::Component::as_os_str);
                let first = names.next().unwrap_or_default();
                let device = self.identity()?.0;
                let folder = names.try_fold(self.open(first)?, |folder, name| folder.open(name))?;
                if folder.identity()?.0 == device { Ok(folder) } else { Err(io::ErrorKind::CrossesDevices.into()) }
            }
            Err(error) => Err(error.into()),
        }
    }

    /// Opens a folder by its path; a link at the last name is refused.
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
        Ok(Self { handle: rustix::fs::open(path, flags, Mode::empty())?, path: path.into() })
    }

    /// Opens a folder by its path, through whatever links.
    pub(crate) fn behind(path: &Path) -> io::Result<Self> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Ok(Self { handle: rustix::fs::open(path, flags, Mode::empty())?, path: path.into() })
    }

    /// The path that it was opened by.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Sets its permissions.
    pub(crate) fn set_mode(&self, mode: u32) -> io::Result<()> {
        Ok(rustix::fs::fchmod(&self.handle, Mode::from_raw_mode(mode))?)
    }

    /// Removes one name that is no folder; a link is removed itself.
    pub(crate) fn remove_file(&self, name: &OsStr) -> io::Result<()> {
        Ok(rustix::fs::unlinkat(self.handle.as_fd(), name, AtFlags::empty())?)
    }

    /// Removes one folder that is empty.
    pub(crate) fn remove_folder(&self, name: &OsStr) -> io::Result<()> {
        Ok(rustix::fs::unlinkat(self.handle.as_fd(), name, AtFlags::REMOVEDIR)?)
    }

    /// Makes all bytes and names durable of the file system that holds the folder.
    ///
    /// It fails if any write-back of this file system has failed since the folder was opened (Linux 5.8 and later, syncfs(2)).
    pub(crate) fn flush_drive(&self) -> io::Result<()> {
        Ok(rustix::fs::syncfs(&self.handle)?)
    }
}

/// Opens a file to read it.
pub(crate) fn open_to_read(path: &Path, reads: Reads) -> io::Result<File> {
    let direct = if reads == Reads::PastCache { OFlags::DIRECT.bits().cast_signed() } else { 0 };
    OpenOptions::new().read(true).custom_flags(NO_FOLLOW | direct).open(path)
}

/// Opens whatever is there to read it, and waits for nobody: a pipe that nobody writes into, or a device, may have an open wait for ever.
pub(crate) fn open_without_wait(path: &Path) -> io::Result<File> {
    OpenOptions::new().read(true).custom_flags(OFlags::NONBLOCK.bits().cast_signed()).open(path)
}

/// Has the reads of an open file go through the cache from now on.
pub(crate) fn read_through_cache(file: &File) -> io::Result<()> {
    let flags = rustix::fs::fcntl_getfl(file)?;
    Ok(rustix::fs::fcntl_setfl(file, flags - OFlags::DIRECT)?)
}

/// Opens a file to write into it.
pub(crate) fn open_to_write(path: &Path) -> io::Result<File> {
    OpenOptions::new().read(true).write(true).custom_flags(NO_FOLLOW).open(path)
}

/// Makes a file that nobody else may read.
///
/// # Errors
/// [`io::ErrorKind::AlreadyExists`] if anything is there.
pub(crate) fn create_new(path: &Path) -> io::Result<File> {
    let mut how = OpenOptions::new();
    how.read(true).write(true).create_new(true).mode(0o600).custom_flags(NO_FOLLOW).open(path)
}

/// Lets its owner write a file.
pub(crate) fn make_writable(path: &Path) -> io::Result<()> {
    Ok(rustix::fs::chmod(path, Mode::from_raw_mode(0o600))?)
}

/// Reads at a place of a file, as much as one call of the system gives.
pub(crate) fn read_some_at(file: &File, buffer: &mut [u8], offset: u64) -> io::Result<usize> {
    file.read_at(buffer, offset)
}

/// Writes all of `data` at a place of a file.
pub(crate) fn write_all_at(file: &File, data: &[u8], offset: u64) -> io::Result<()> {
    file.write_all_at(data, offset)
}

/// Makes the names in a folder durable.
pub(crate) fn flush_folder(path: &Path) -> io::Result<()> {
    match File::open(path)?.sync_all() {
        // Some block mounts through FUSE know no flush of a folder and say so: their names go out with the file's flush.
        Err(error) if matches!(error.raw_os_error(), Some(22 | 38 | 95)) => Ok(()),
        other => other,
    }
}

/// Begins to write out what was written at `offset`; a hint.
pub(crate) fn begin_write_back(file: &File, offset: u64, len: u64) {
    // Linux starts the write-back of dirty pages in the range before it drops clean ones.
    #[expect(clippy::let_underscore_must_use, reason = "a hint that fails costs time alone")]
    let _ = rustix::fs::fadvise(file, offset, std::num::NonZeroU64::new(len), rustix::fs::Advice::DontNeed);
}

/// Drops a file from the cache, as far as its bytes are durable; a hint.
pub(crate) fn drop_from_cache(file: &File) {
    #[expect(
        clippy::let_underscore_must_use,
        reason = "a hint that fails costs nothing but truthfulness of the next read's speed"
    )]
    let _ = rustix::fs::fadvise(file, 0, None, rustix::fs::Advice::DontNeed);
}

/// Lets the new file `to` share all bytes of `from`; an error where the file system cannot, with nothing done.
pub(crate) fn share_bytes(from: &File, to: &File) -> io::Result<()> {
    Ok(rustix::fs::ioctl_ficlone(to, from)?)
}

/// Makes a symbolic link at `at` that leads to `target`.
pub(crate) fn make_link(target: &Path, at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(target, at)
}

/// Renames.
///
/// # Errors
/// [`io::ErrorKind::AlreadyExists`] if anything is at `to`.
pub(crate) fn rename_if_free(from: &Path, to: &Path) -> io::Result<()> {
    match rustix::fs::renameat_with(CWD, from, CWD, to, RenameFlags::NOREPLACE) {
        // A file system without the flag: look first. Nobody but us makes these names.
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => {
            if to.symlink_metadata().is_ok() {
                return Err(io::Error::from(io::ErrorKind::AlreadyExists));
            }
            fs::rename(from, to)
        }
        other => Ok(other?),
    }
}

/// Swaps two names in one step.
pub(crate) fn exchange(one: &Path, other: &Path) -> io::Result<()> {
    Ok(rustix::fs::renameat_with(CWD, one, CWD, other, RenameFlags::EXCHANGE)?)
}

/// Takes a folder for this program alone among all that ask the same way (flock(2)), of whatever user; `None` if another has it.
/// A file system that knows no such locks gives it to everybody.
///
/// # Errors
/// What the system said to opening the folder.
pub(crate) fn lock_folder(path: &Path) -> io::Result<Option<FolderLock>> {
    let Folder { handle, .. } = Folder::behind(path)?;
    match rustix::fs::flock(&handle, rustix::fs::FlockOperation::NonBlockingLockExclusive) {
        Err(rustix::io::Errno::WOULDBLOCK) => Ok(None),
        Ok(()) | Err(_) => Ok(Some(FolderLock { _handle: handle })),
    }
}
