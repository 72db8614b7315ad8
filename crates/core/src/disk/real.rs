//! The disk itself: each act passes the gates, is done, and is reported to them.
//!
//! Law: opening never follows a link at the last name, making never writes into what is there,
//! and an error carries no belief: the caller treats what it wrote as lost.
#![expect(clippy::disallowed_methods, reason = "this is the one place that writes")]

use std::ffi::{CString, OsStr};
use std::fs::{self, File, OpenOptions};
use std::io;
use std::os::fd::{AsFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{FileExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use rustix::fs::{AtFlags, Mode, OFlags, RenameFlags, ResolveFlags, Timespec, Timestamps};

use super::act::{Act, Gate, What};
use super::permit::RemovalPermit;
use crate::platform;

/// A link is refused, and a pipe or device that came to be where a file was is never waited for.
const NO_FOLLOW: i32 = (OFlags::NOFOLLOW.bits() | OFlags::NONBLOCK.bits()) as i32;

/// Does every act of a haul on a drive, through the gates it was given.
#[derive(Clone, Debug, Default)]
pub struct Disk {
    gates: Vec<Arc<dyn Gate>>,
}

/// A file that is open on a disk.
#[derive(Debug)]
pub struct DiskFile {
    file: File,
    path: PathBuf,
    /// Whether reads go past the cache, in whole units of [`UNIT`] bytes.
    direct: AtomicBool,
}

/// Bytes to which a read past the cache is aligned: the largest sector of the disks there are.
const UNIT: usize = 4096;

/// Bytes in memory that a device can write into: aligned, and a whole number of units long.
#[derive(Debug)]
pub struct Buffer {
    bytes: Vec<u8>,
    start: usize,
}

impl Buffer {
    /// Makes one that holds at least `len` bytes.
    pub fn new(len: usize) -> Self {
        let bytes = vec![0; len.next_multiple_of(UNIT) + UNIT];
        let start = bytes.as_ptr().align_offset(UNIT);
        Self { bytes, start }
    }

    /// The first `len` bytes.
    pub fn first(&mut self, len: usize) -> &mut [u8] {
        &mut self.bytes[self.start..][..len]
    }
}

impl DiskFile {
    fn new(file: File, path: &Path) -> Self {
        Self { file, path: path.into(), direct: AtomicBool::new(false) }
    }

    /// Reads the size, times and inode of the open file.
    pub fn metadata(&self) -> io::Result<fs::Metadata> {
        self.file.metadata()
    }
}

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
    pub fn look(&self, name: &OsStr) -> io::Result<Option<rustix::fs::Stat>> {
        match rustix::fs::statat(&self.handle, name, AtFlags::SYMLINK_NOFOLLOW) {
            Ok(stat) => Ok(Some(stat)),
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

impl Disk {
    /// Makes a disk whose acts pass these gates, in this order.
    pub fn with_gates(gates: Vec<Arc<dyn Gate>>) -> Self {
        Self { gates }
    }

    /// Gives the same disk with one more gate behind the others.
    #[must_use]
    pub fn and_gate(&self, gate: Arc<dyn Gate>) -> Self {
        let mut gates = self.gates.clone();
        gates.push(gate);
        Self { gates }
    }

    fn pass<T>(&self, act: Act<'_>, done: impl FnOnce() -> io::Result<T>) -> io::Result<T> {
        let failed = |error: &io::Error| tracing::debug!(?act, %error, "an act failed");
        if let Act::OpenRead(path) | Act::OpenWrite(path) | Act::ReadFolder(path) | Act::Look(path) = act {
            platform::answers(path).inspect_err(failed)?;
        }
        for gate in &self.gates {
            gate.before(&act).inspect_err(failed)?;
        }
        let out = done().inspect_err(failed)?;
        tracing::trace!(?act, "done");
        for gate in &self.gates {
            gate.after(&act);
        }
        Ok(out)
    }

    /// Opens a file to read it; a link is refused.
    pub fn open_read(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenRead(path), || {
            let file = OpenOptions::new().read(true).custom_flags(NO_FOLLOW).open(path)?;
            platform::is_file(&file.metadata()?)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Opens an original, whose kind a walk has seen, to copy it; a link is refused, and nothing is waited for.
    ///
    /// It isn't looked at once more: what came to its name since is another inode, which the look before a copy is placed finds, and
    /// a pipe or socket has no bytes at an offset.
    pub fn open_original(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenRead(path), || {
            let file = OpenOptions::new().read(true).custom_flags(NO_FOLLOW).open(path)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Reads the names in a folder.
    pub fn read_folder(&self, path: &Path) -> io::Result<fs::ReadDir> {
        self.pass(Act::ReadFolder(path), || fs::read_dir(path))
    }

    /// Reads until `buffer` is full or the file ends; gives the number of bytes read.
    pub fn read_at(&self, file: &DiskFile, buffer: &mut [u8], offset: u64) -> io::Result<usize> {
        let act = Act::Read { path: &file.path, offset, len: buffer.len() as u64 };
        self.pass(act, || {
            let mut filled = 0;
            while filled < buffer.len() {
                match file.file.read_at(&mut buffer[filled..], offset + filled as u64) {
                    Ok(0) => break,
                    // Past the cache, what is no whole unit is the end of the file.
                    Ok(n) if !n.is_multiple_of(UNIT) && file.direct.load(Ordering::Relaxed) => {
                        filled += n;
                        break;
                    }
                    Ok(n) => filled += n,
                    Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                    Err(error) => return Err(error),
                }
            }
            Ok(filled)
        })
    }

    /// Opens a file of ours to read what its device holds, and not what the cache does; a link is refused.
    ///
    /// Where the file system reads past the cache, it does; elsewhere the cache is dropped first, as far as it can be. A
    /// block mount through FUSE has one more cache behind it, that of its device, which is beyond our reach.
    pub fn open_back(&self, path: &Path) -> io::Result<DiskFile> {
        let file = self.open_own_back(path)?;
        platform::is_file(&file.metadata()?)?;
        Ok(file)
    }

    /// Does the same with a copy that was just written, without a look at what it is: [`DiskFile::metadata`] tells once it was read.
    pub fn open_own_back(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenRead(path), || {
            let open = |flags| OpenOptions::new().read(true).custom_flags(flags).open(path);
            match open(NO_FOLLOW | OFlags::DIRECT.bits() as i32) {
                Ok(file) => {
                    let file = DiskFile::new(file, path);
                    file.direct.store(true, Ordering::Relaxed);
                    Ok(file)
                }
                Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
                    let file = DiskFile::new(open(NO_FOLLOW)?, path);
                    self.forget(&file);
                    Ok(file)
                }
                Err(error) => Err(error),
            }
        })
    }

    /// Reads `len` bytes at `offset` into `buffer`, fewer at the end of the file; gives their number. `offset` is a multiple
    /// of 4096.
    pub fn read_back(&self, file: &DiskFile, buffer: &mut Buffer, len: usize, offset: u64) -> io::Result<usize> {
        if !file.direct.load(Ordering::Relaxed) {
            return self.read_at(file, buffer.first(len), offset);
        }
        let room = buffer.first(len.next_multiple_of(UNIT));
        match self.read_at(file, room, offset) {
            // It took the flag and cannot do it after all.
            Err(error) if error.raw_os_error() == Some(22) => {
                let flags = rustix::fs::fcntl_getfl(&file.file)?;
                rustix::fs::fcntl_setfl(&file.file, flags - OFlags::DIRECT)?;
                file.direct.store(false, Ordering::Relaxed);
                self.forget(file);
                self.read_at(file, buffer.first(len), offset)
            }
            other => other.map(|count| count.min(len)),
        }
    }

    /// Makes a file, readable and writable by its owner only until [`Disk::set_meta`].
    pub fn create(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::Create(path), || {
            let file = OpenOptions::new()
                .read(true)
                .write(true)
                .create_new(true)
                .mode(0o600)
                .custom_flags(NO_FOLLOW)
                .open(path)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Opens a file of ours that is there, to write into it; a link is refused, a read-only one is opened up.
    pub fn open_write(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenWrite(path), || {
            let open = || OpenOptions::new().read(true).write(true).custom_flags(NO_FOLLOW).open(path);
            let file = match open() {
                // A copy that was finished before a crash has its final permissions already, and may be read-only.
                Err(error) if error.kind() == io::ErrorKind::PermissionDenied && path.symlink_metadata()?.is_file() => {
                    rustix::fs::chmod(path, Mode::from_raw_mode(0o600))?;
                    open()?
                }
                other => other?,
            };
            platform::is_file(&file.metadata()?)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Writes all of `data`.
    pub fn write_at(&self, file: &DiskFile, data: &[u8], offset: u64) -> io::Result<()> {
        let act = Act::Write { path: &file.path, offset, len: data.len() as u64 };
        self.pass(act, || file.file.write_all_at(data, offset))
    }

    /// Sets the length; what is new reads as zeros and takes no room where the file system has holes.
    pub fn set_len(&self, file: &DiskFile, len: u64) -> io::Result<()> {
        self.pass(Act::SetLen { path: &file.path, len }, || file.file.set_len(len))
    }

    /// Makes the bytes of the file durable.
    pub fn flush(&self, file: &DiskFile) -> io::Result<()> {
        self.pass(Act::Flush(&file.path), || file.file.sync_all())
    }

    /// Makes the names in a folder durable.
    pub fn flush_folder(&self, path: &Path) -> io::Result<()> {
        self.pass(Act::FlushFolder(path), || match File::open(path)?.sync_all() {
            // Some block mounts through FUSE know no flush of a folder and say so: their names go
            // out with the file's flush.
            Err(error) if matches!(error.raw_os_error(), Some(22 | 38 | 95)) => Ok(()),
            other => other,
        })
    }

    /// Makes all bytes and names durable of the file system that holds a folder.
    ///
    /// One flush for many files: as safe as one for each, since it fails if any write-back of this file system has failed
    /// since the folder was opened (Linux 5.8 and later, syncfs(2)), and dearer only where others write there too.
    pub fn flush_drive(&self, top: &Folder) -> io::Result<()> {
        self.pass(Act::FlushDrive(&top.path), || Ok(rustix::fs::syncfs(&top.handle)?))
    }

    /// Begins to write out what was written at `offset`, so that the drive is busy while more is read; a hint.
    pub fn press_on(&self, file: &DiskFile, offset: u64, len: u64) {
        // Linux starts the write-back of dirty pages in the range before it drops clean ones.
        let _ = rustix::fs::fadvise(&file.file, offset, std::num::NonZeroU64::new(len), rustix::fs::Advice::DontNeed);
    }

    /// Lets the new file `to` share all bytes of `from`; an error where the file system cannot, with nothing done.
    pub fn share(&self, from: &DiskFile, to: &DiskFile) -> io::Result<()> {
        self.pass(Act::Share { at: &to.path, of: &from.path }, || Ok(rustix::fs::ioctl_ficlone(&to.file, &from.file)?))
    }

    /// Drops the file from the cache, as far as its bytes are durable, so that the next read asks the device.
    ///
    /// A hint: a memory file system has no device and keeps its bytes.
    pub fn forget(&self, file: &DiskFile) {
        // A failed hint costs nothing but truthfulness of the next read's speed.
        let _ = rustix::fs::fadvise(&file.file, 0, None, rustix::fs::Advice::DontNeed);
    }

    /// Sets permissions, owner where allowed, attributes and times of an open file; gives what the file system did not take.
    pub fn set_meta(&self, file: &DiskFile, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(&file.path), || apply_meta(&file.file, meta, true))
    }

    /// Does the same where the file system is known to heed one time without the other, and looks at nothing.
    pub fn set_meta_unseen(&self, file: &DiskFile, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(&file.path), || apply_meta(&file.file, meta, false))
    }

    /// Sets permissions, owner where allowed, attributes and times of a folder; gives what the file system did not take.
    pub fn set_folder_meta(&self, path: &Path, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(path), || {
            let flags = OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
            let handle = rustix::fs::open(path, flags, Mode::empty())?;
            apply_meta(&handle, meta, true)
        })
    }

    /// Makes a folder.
    pub fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.pass(Act::MakeFolder(path), || fs::create_dir(path))
    }

    /// Lets `work` change a database in one transaction; SQLite itself makes it durable.
    pub fn commit<E: From<io::Error>>(&self, path: &Path, work: impl FnOnce() -> Result<(), E>) -> Result<(), E> {
        for gate in &self.gates {
            gate.before(&Act::Commit(path))?;
        }
        work()?;
        for gate in &self.gates {
            gate.after(&Act::Commit(path));
        }
        Ok(())
    }

    /// Makes a symbolic link at `at` that leads to `target`.
    pub fn make_link(&self, target: &Path, at: &Path) -> io::Result<()> {
        self.pass(Act::MakeLink { at }, || std::os::unix::fs::symlink(target, at))
    }

    /// Sets the time of a link itself, and its owner where one is given and the file system knows owners.
    pub fn set_link_meta(&self, at: &Path, modified_ns: i128, owner: Option<(u32, u32)>) -> io::Result<()> {
        self.pass(Act::Meta(at), || {
            if let Some((user, group)) = owner {
                use rustix::io::Errno;
                let (user, group) = (rustix::fs::Uid::from_raw(user), rustix::fs::Gid::from_raw(group));
                let flags = AtFlags::SYMLINK_NOFOLLOW;
                match rustix::fs::chownat(rustix::fs::CWD, at, Some(user), Some(group), flags) {
                    Err(Errno::PERM | Errno::NOSYS | Errno::OPNOTSUPP | Errno::INVAL) => {}
                    other => other?,
                }
            }
            let times = stamps(modified_ns);
            rustix::fs::utimensat(rustix::fs::CWD, at, &times, AtFlags::SYMLINK_NOFOLLOW)?;
            Ok(())
        })
    }

    /// Makes a second name `at` for the file `of`.
    pub fn hard_link(&self, of: &Path, at: &Path) -> io::Result<()> {
        self.pass(Act::HardLink { at, of }, || fs::hard_link(of, at))
    }

    /// Renames; fails if something is at `to`.
    pub fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass(Act::Rename { from, to }, || {
            let (cwd, flags) = (rustix::fs::CWD, RenameFlags::NOREPLACE);
            match rustix::fs::renameat_with(cwd, from, cwd, to, flags) {
                // A file system without the flag: look first. Nobody but us makes these names.
                Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => {
                    if to.symlink_metadata().is_ok() {
                        return Err(io::Error::from(io::ErrorKind::AlreadyExists));
                    }
                    fs::rename(from, to)
                }
                other => Ok(other?),
            }
        })
    }

    /// Renames over what is at `to`, in one step.
    pub fn replace(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass(Act::Replace { from, to }, || fs::rename(from, to))
    }

    /// Swaps two names in one step.
    pub fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        self.pass(Act::Exchange { one, other }, || {
            let (cwd, flags) = (rustix::fs::CWD, RenameFlags::EXCHANGE);
            Ok(rustix::fs::renameat_with(cwd, one, cwd, other, flags)?)
        })
    }

    /// Opens a folder to remove in it; a link at its last name is refused.
    pub fn open_folder(&self, path: &Path) -> io::Result<Folder> {
        self.pass(Act::OpenFolder(path), || {
            let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
            let handle = rustix::fs::open(path, flags, Mode::empty())?;
            Ok(Folder { handle, path: path.into() })
        })
    }

    /// Takes a folder for this program alone among all that ask the same way (flock(2)), of whatever user; `None` if another has it.
    /// A file system that knows no such locks gives it to everybody.
    ///
    /// # Errors
    /// What the system said to opening the folder.
    pub fn lock_folder(&self, path: &Path) -> io::Result<Option<FolderLock>> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let handle = rustix::fs::open(path, flags, Mode::empty())?;
        match rustix::fs::flock(&handle, rustix::fs::FlockOperation::NonBlockingLockExclusive) {
            Err(rustix::io::Errno::WOULDBLOCK) => Ok(None),
            Ok(()) | Err(_) => Ok(Some(FolderLock { _handle: handle })),
        }
    }

    /// Removes one name of a game in an open folder; a link is removed itself.
    pub fn remove_in(&self, permit: &RemovalPermit, folder: &Folder, name: &OsStr, what: What) -> io::Result<()> {
        let path = folder.path.join(name);
        self.pass(Act::Remove { path: &path, what }, || {
            permit.check()?;
            unlink(folder, name, what)
        })
    }

    /// Sets the permissions of an open folder, so that something can be removed in it.
    pub fn set_folder_mode(&self, folder: &Folder, mode: u32) -> io::Result<()> {
        self.pass(Act::Meta(&folder.path), || Ok(rustix::fs::fchmod(&folder.handle, Mode::from_raw_mode(mode))?))
    }

    /// Removes a folder that is empty; any other one refuses.
    pub fn remove_empty_folder(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::Folder, &|_| true)
    }

    /// Removes a symbolic link, never what it leads to; anything else refuses.
    pub fn remove_link(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::File, &|stat| stat.st_mode & KIND == LINK)
    }

    /// Removes a record file that a haul has made, or whose every byte the journal holds.
    pub fn remove_record(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::File, &|_| true)
    }

    /// Removes a name of our own, or one below a folder of our own name; anything else refuses.
    pub fn remove_own(&self, path: &Path, what: What) -> io::Result<()> {
        let ours = |name: &OsStr| name.as_bytes().starts_with(OWN.as_bytes());
        if !path.iter().any(ours) {
            return Err(io::ErrorKind::InvalidInput.into());
        }
        self.remove_name(path, what, &|_| true)
    }

    /// Removes one name through its opened folder, if what is there is what it should be.
    fn remove_name(&self, path: &Path, what: What, is_it: &dyn Fn(&rustix::fs::Stat) -> bool) -> io::Result<()> {
        let (Some(parent), Some(name)) = (path.parent(), path.file_name()) else {
            return Err(io::Error::from(io::ErrorKind::InvalidInput));
        };
        // The parent may be reached through links of the person's own; only the last name matters.
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        self.pass(Act::Remove { path, what }, || {
            let handle = rustix::fs::open(parent, flags, Mode::empty())?;
            let folder = Folder { handle, path: parent.into() };
            match folder.look(name)? {
                Some(stat) if is_it(&stat) => unlink(&folder, name, what),
                Some(_) => Err(io::ErrorKind::InvalidInput.into()),
                None => Err(io::ErrorKind::NotFound.into()),
            }
        })
    }

    /// Looks at a name itself, not behind a link; `None` if the folder that is there has no such name.
    ///
    /// # Errors
    /// Anything else that the system says: then whether it is there is not known.
    pub fn look(&self, path: &Path) -> io::Result<Option<fs::Metadata>> {
        self.pass(Act::Look(path), || match path.symlink_metadata() {
            Ok(meta) => Ok(Some(meta)),
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => Ok(None),
            Err(error) => Err(error),
        })
    }

    /// Whether a name is a folder itself, and not a link to one.
    pub fn is_folder(&self, path: &Path) -> io::Result<bool> {
        Ok(self.look(path)?.is_some_and(|meta| meta.is_dir()))
    }

    /// Whether there is anything of this name.
    pub fn is_there(&self, path: &Path) -> io::Result<bool> {
        Ok(self.look(path)?.is_some())
    }

    /// Reads where a link leads, as it is written in it; `None` if there is no link of this name.
    pub fn read_link(&self, path: &Path) -> io::Result<Option<PathBuf>> {
        match self.look(path)? {
            Some(meta) if meta.is_symlink() => fs::read_link(path).map(Some),
            _ => Ok(None),
        }
    }
}

/// The part of a mode that says what a name is, and a link (inode(7)).
const KIND: u32 = 0o170_000;
const LINK: u32 = 0o120_000;

/// What every name begins with that only this program makes.
const OWN: &str = ".deft-barge-";

fn unlink(folder: &Folder, name: &OsStr, what: What) -> io::Result<()> {
    let flags = match what {
        What::File => AtFlags::empty(),
        What::Folder => AtFlags::REMOVEDIR,
    };
    Ok(rustix::fs::unlinkat(folder.handle.as_fd(), name, flags)?)
}

fn stamps(modified_ns: i128) -> Timestamps {
    let second = modified_ns.div_euclid(1_000_000_000) as i64;
    let last_modification = Timespec { tv_sec: second, tv_nsec: modified_ns.rem_euclid(1_000_000_000) as _ };
    let last_access = Timespec { tv_sec: 0, tv_nsec: rustix::fs::UTIME_OMIT as _ };
    Timestamps { last_access, last_modification }
}

fn apply_meta(handle: impl AsFd, meta: &Meta, look: bool) -> io::Result<Vec<Refused>> {
    let handle = handle.as_fd();
    let mut refused = Vec::new();
    // What the owner wrote needs the right to write, which may go with the permissions; access lists and capabilities
    // come after owner and permissions, which would change them.
    let set = |of_owner: bool, refused: &mut Vec<Refused>| {
        for (name, value) in meta.attributes.iter().filter(|(name, _)| name.starts_with(b"user.") == of_owner) {
            let Ok(text) = CString::new(name.as_slice()) else { continue };
            // The bytes matter more; whether the file system could have taken it is for the caller to say.
            if rustix::fs::fsetxattr(handle, text.as_c_str(), value, rustix::fs::XattrFlags::empty()).is_err() {
                refused.push(Refused::Attribute(name.clone()));
            }
        }
    };
    set(true, &mut refused);
    // Only root may give a file away; for everybody else the copy is the copier's.
    let (user, group) = meta.owner;
    let owner = (Some(rustix::fs::Uid::from_raw(user)), Some(rustix::fs::Gid::from_raw(group)));
    if rustix::fs::fchown(handle, owner.0, owner.1).is_err() {
        refused.push(Refused::Owner);
    }
    match rustix::fs::fchmod(handle, Mode::from_raw_mode(meta.mode)) {
        Ok(()) => {}
        // exFAT and NTFS through FUSE hold no permissions.
        Err(rustix::io::Errno::PERM | rustix::io::Errno::OPNOTSUPP) => refused.push(Refused::Permissions),
        Err(error) => return Err(error.into()),
    }
    set(false, &mut refused);
    let mut times = stamps(meta.modified_ns);
    rustix::fs::futimens(handle, &times)?;
    if !look {
        return Ok(refused);
    }
    // Some block mounts through FUSE heed times only if both are given, and say nothing otherwise. How near the two times
    // are says nothing: the original may have been written a moment ago. Where times are coarse this sets them twice.
    let seen = rustix::fs::fstat(handle)?;
    let wanted = times.last_modification;
    if (seen.st_mtime, seen.st_mtime_nsec as i64) != (wanted.tv_sec, wanted.tv_nsec) {
        times.last_access = Timespec { tv_sec: seen.st_atime, tv_nsec: seen.st_atime_nsec as _ };
        rustix::fs::futimens(handle, &times)?;
    }
    Ok(refused)
}

/// Whether an attribute goes with its file: what programs and people set (xattr(7)), access lists and capabilities;
/// not what a security module derives from the place, and not what a file system keeps there for itself.
fn is_carried(name: &[u8]) -> bool {
    name.starts_with(b"user.") || name.starts_with(b"system.posix_acl_") || name == b"security.capability"
}

/// Reads the attributes of a file or folder that go with it; none where the file system knows none.
pub(crate) fn attributes_of(path: &Path) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    /// The kernel's limits for a list of names and for a value, XATTR_LIST_MAX and XATTR_SIZE_MAX.
    const LARGEST: usize = 65536;
    let mut names = [0_u8; 4096];
    let mut more = Vec::new();
    let names: &[u8] = match rustix::fs::llistxattr(path, &mut names[..]) {
        Ok(0) | Err(rustix::io::Errno::OPNOTSUPP) => return Ok(Vec::new()),
        Ok(length) => &names[..length],
        Err(rustix::io::Errno::RANGE) => {
            more.resize(LARGEST, 0);
            let length = rustix::fs::llistxattr(path, &mut more[..])?;
            &more[..length]
        }
        Err(error) => return Err(error.into()),
    };
    let mut out = Vec::new();
    for name in names.split(|b| *b == 0).filter(|name| is_carried(name)) {
        let mut value = vec![0_u8; LARGEST];
        match rustix::fs::lgetxattr(path, OsStr::from_bytes(name), &mut value[..]) {
            Ok(length) => {
                value.truncate(length);
                out.push((name.to_vec(), value));
            }
            // It went between the list and the look.
            Err(rustix::io::Errno::NODATA) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(out)
}
