//! The disk itself: each act passes the gates, is done, and is reported to them.
//!
//! Law: opening never follows a link at the last name, making never writes into what is there,
//! and an error carries no belief: the caller treats what it wrote as lost.

#![expect(
    clippy::missing_errors_doc,
    reason = "each fails with what the system, or the gate before it, said, and with nothing else"
)]
#![expect(clippy::disallowed_methods, reason = "this is the one place that writes")]

use std::ffi::OsStr;
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use super::act::{Act, Gate, What};
use super::permit::RemovalPermit;
use crate::platform::{self, Folder, FolderLock, Meta, Reads, Refused, Seen, SeenKind};

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
    pub fn look(&self) -> io::Result<Seen> {
        platform::look_open(&self.file)
    }
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
            let file = platform::open_to_read(path, Reads::Cached)?;
            platform::must_be_file(&file)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Opens an original, whose kind a walk has seen, to copy it; a link is refused, and nothing is waited for.
    ///
    /// It isn't looked at once more: what came to its name since is another inode, which the look before a copy is placed finds, and
    /// a pipe or socket has no bytes at an offset.
    pub fn open_original(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenRead(path), || {
            let file = platform::open_to_read(path, Reads::Cached)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Reads the names in a folder.
    pub fn read_folder(&self, path: &Path) -> io::Result<fs::ReadDir> {
        self.pass(Act::ReadFolder(path), || fs::read_dir(platform::exact(path)))
    }

    /// Reads until `buffer` is full or the file ends; gives the number of bytes read.
    pub fn read_at(&self, file: &DiskFile, buffer: &mut [u8], offset: u64) -> io::Result<usize> {
        let act = Act::Read { path: &file.path, offset, len: buffer.len() as u64 };
        self.pass(act, || {
            let mut filled = 0;
            while filled < buffer.len() {
                match platform::read_some_at(&file.file, &mut buffer[filled..], offset + filled as u64) {
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
        platform::must_be_file(&file.file)?;
        Ok(file)
    }

    /// Does the same with a copy that was just written, without a look at what it is: [`DiskFile::look`] tells once it was read.
    pub fn open_own_back(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenRead(path), || match platform::open_to_read(path, Reads::PastCache) {
            Ok(file) => {
                let file = DiskFile::new(file, path);
                file.direct.store(true, Ordering::Relaxed);
                Ok(file)
            }
            Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
                let file = DiskFile::new(platform::open_to_read(path, Reads::Cached)?, path);
                self.forget(&file);
                Ok(file)
            }
            Err(error) => Err(error),
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
            Err(error) if platform::is_invalid(&error) => {
                platform::read_through_cache(&file.file)?;
                file.direct.store(false, Ordering::Relaxed);
                self.forget(file);
                self.read_at(file, buffer.first(len), offset)
            }
            other => other.map(|count| count.min(len)),
        }
    }

    /// Makes a file, readable and writable by its owner only until [`Disk::set_meta`].
    pub fn create(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::Create(path), || Ok(DiskFile::new(platform::create_new(path)?, path)))
    }

    /// Opens a file of ours that is there, to write into it; a link is refused, a read-only one is opened up.
    pub fn open_write(&self, path: &Path) -> io::Result<DiskFile> {
        self.pass(Act::OpenWrite(path), || {
            let file = match platform::open_to_write(path) {
                // A copy that was finished before a crash has its final permissions already, and may be read-only.
                Err(error)
                    if error.kind() == io::ErrorKind::PermissionDenied && platform::look_itself(path)?.is_file() =>
                {
                    platform::make_writable(path)?;
                    platform::open_to_write(path)?
                }
                other => other?,
            };
            platform::must_be_file(&file)?;
            Ok(DiskFile::new(file, path))
        })
    }

    /// Writes all of `data`.
    pub fn write_at(&self, file: &DiskFile, data: &[u8], offset: u64) -> io::Result<()> {
        let act = Act::Write { path: &file.path, offset, len: data.len() as u64 };
        self.pass(act, || platform::write_all_at(&file.file, data, offset))
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
        self.pass(Act::FlushFolder(path), || platform::flush_folder(path))
    }

    /// Makes all bytes and names durable of the file system that holds a folder.
    ///
    /// One flush for many files: as safe as one for each, since it fails if any write-back of this file system has failed
    /// since the folder was opened (Linux 5.8 and later, syncfs(2)), and dearer only where others write there too.
    pub fn flush_drive(&self, top: &Folder) -> io::Result<()> {
        self.pass(Act::FlushDrive(top.path()), || top.flush_drive())
    }

    /// Begins to write out what was written at `offset`, so that the drive is busy while more is read; a hint.
    pub fn press_on(&self, file: &DiskFile, offset: u64, len: u64) {
        platform::begin_write_back(&file.file, offset, len);
    }

    /// Lets the new file `to` share all bytes of `from`; an error where the file system cannot, with nothing done.
    pub fn share(&self, from: &DiskFile, to: &DiskFile) -> io::Result<()> {
        self.pass(Act::Share { at: &to.path, of: &from.path }, || platform::share_bytes(&from.file, &to.file))
    }

    /// Drops the file from the cache, as far as its bytes are durable, so that the next read asks the device.
    ///
    /// A hint: a memory file system has no device and keeps its bytes.
    pub fn forget(&self, file: &DiskFile) {
        platform::drop_from_cache(&file.file);
    }

    /// Sets permissions, owner where allowed, attributes and times of an open file; gives what the file system did not take.
    pub fn set_meta(&self, file: &DiskFile, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(&file.path), || platform::apply_meta(&file.file, meta, true))
    }

    /// Does the same where the file system is known to heed one time without the other, and looks at nothing.
    pub fn set_meta_unseen(&self, file: &DiskFile, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(&file.path), || platform::apply_meta(&file.file, meta, false))
    }

    /// Sets permissions, owner where allowed, attributes and times of a folder; gives what the file system did not take.
    pub fn set_folder_meta(&self, path: &Path, meta: &Meta) -> io::Result<Vec<Refused>> {
        self.pass(Act::Meta(path), || platform::apply_folder_meta(path, meta))
    }

    /// Makes a folder.
    pub fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.pass(Act::MakeFolder(path), || fs::create_dir(platform::exact(path)))
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
        self.pass(Act::MakeLink { at }, || platform::make_link(target, at))
    }

    /// Sets the time of a link itself, and its owner where one is given and the file system knows owners.
    pub fn set_link_meta(&self, at: &Path, modified_ns: i128, owner: Option<(u32, u32)>) -> io::Result<()> {
        self.pass(Act::Meta(at), || platform::apply_link_meta(at, modified_ns, owner))
    }

    /// Makes a second name `at` for the file `of`.
    pub fn hard_link(&self, of: &Path, at: &Path) -> io::Result<()> {
        self.pass(Act::HardLink { at, of }, || fs::hard_link(platform::exact(of), platform::exact(at)))
    }

    /// Renames; fails if something is at `to`.
    pub fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass(Act::Rename { from, to }, || platform::rename_if_free(from, to))
    }

    /// Renames over what is at `to`, in one step.
    pub fn replace(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.pass(Act::Replace { from, to }, || fs::rename(platform::exact(from), platform::exact(to)))
    }

    /// Swaps two names in one step.
    pub fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        self.pass(Act::Exchange { one, other }, || platform::exchange(one, other))
    }

    /// Opens a folder to remove in it; a link at its last name is refused.
    pub fn open_folder(&self, path: &Path) -> io::Result<Folder> {
        self.pass(Act::OpenFolder(path), || Folder::at(path))
    }

    /// Takes a folder for this program alone among all that ask the same way (flock(2)), of whatever user; `None` if another has it.
    /// A file system that knows no such locks gives it to everybody.
    ///
    /// # Errors
    /// What the system said to opening the folder.
    pub fn lock_folder(&self, path: &Path) -> io::Result<Option<FolderLock>> {
        platform::lock_folder(path)
    }

    /// Removes one name of a game in an open folder; a link is removed itself.
    pub fn remove_in(&self, permit: &RemovalPermit, folder: &Folder, name: &OsStr, what: What) -> io::Result<()> {
        let path = folder.path().join(name);
        self.pass(Act::Remove { path: &path, what }, || {
            permit.check()?;
            unlink(folder, name, what)
        })
    }

    /// Sets the permissions of an open folder, so that something can be removed in it.
    pub fn set_folder_mode(&self, folder: &Folder, mode: u32) -> io::Result<()> {
        self.pass(Act::Meta(folder.path()), || folder.set_mode(mode))
    }

    /// Removes a folder that is empty; any other one refuses.
    pub fn remove_empty_folder(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::Folder, &|_| true)
    }

    /// Removes a symbolic link, never what it leads to; anything else refuses.
    pub fn remove_link(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::File, &|seen| seen.kind == SeenKind::Link)
    }

    /// Removes a record file that a haul has made, or whose every byte the journal holds.
    pub fn remove_record(&self, path: &Path) -> io::Result<()> {
        self.remove_name(path, What::File, &|_| true)
    }

    /// Removes a name of our own, or one below a folder of our own name; anything else refuses.
    pub fn remove_own(&self, path: &Path, what: What) -> io::Result<()> {
        let ours = |name: &OsStr| name.as_encoded_bytes().starts_with(OWN.as_bytes());
        if !path.iter().any(ours) {
            return Err(io::ErrorKind::InvalidInput.into());
        }
        self.remove_name(path, what, &|_| true)
    }

    /// Removes one name through its opened folder, if what is there is what it should be.
    fn remove_name(&self, path: &Path, what: What, is_it: &dyn Fn(&Seen) -> bool) -> io::Result<()> {
        let (Some(parent), Some(name)) = (path.parent(), path.file_name()) else {
            return Err(io::Error::from(io::ErrorKind::InvalidInput));
        };
        // The parent may be reached through links of the person's own; only the last name matters.
        self.pass(Act::Remove { path, what }, || {
            let folder = Folder::behind(parent)?;
            match folder.look(name)? {
                Some(seen) if is_it(&seen) => unlink(&folder, name, what),
                Some(_) => Err(io::ErrorKind::InvalidInput.into()),
                None => Err(io::ErrorKind::NotFound.into()),
            }
        })
    }

    /// Looks at a name itself, not behind a link; `None` if the folder that is there has no such name.
    ///
    /// # Errors
    /// Anything else that the system says: then whether it is there is not known.
    pub fn look(&self, path: &Path) -> io::Result<Option<Seen>> {
        self.pass(Act::Look(path), || match platform::look_itself(path) {
            Ok(meta) => Ok(Some(meta)),
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => Ok(None),
            Err(error) => Err(error),
        })
    }

    /// Whether a name is a folder itself, and not a link to one.
    pub fn is_folder(&self, path: &Path) -> io::Result<bool> {
        Ok(self.look(path)?.is_some_and(|meta| meta.is_folder()))
    }

    /// Whether there is anything of this name.
    pub fn is_there(&self, path: &Path) -> io::Result<bool> {
        Ok(self.look(path)?.is_some())
    }

    /// Reads where a link leads, as it is written in it; `None` if there is no link of this name.
    pub fn read_link(&self, path: &Path) -> io::Result<Option<PathBuf>> {
        match self.look(path)? {
            Some(meta) if meta.is_link() => fs::read_link(platform::exact(path)).map(Some),
            _ => Ok(None),
        }
    }
}

/// What every name begins with that only this program makes.
const OWN: &str = ".deft-barge-";

fn unlink(folder: &Folder, name: &OsStr, what: What) -> io::Result<()> {
    match what {
        What::File => folder.remove_file(name),
        What::Folder => folder.remove_folder(name),
    }
}
