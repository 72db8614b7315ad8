//! Reading a folder file by file.

use crate::bytes::index;
use std::cell::RefCell;
use std::path::Path;

use crate::bytes::Bytes;
use crate::checksums::{BLOCK, Entry, EntryKind, WalkEnd, walk_each};
use crate::disk::Disk;
use crate::haul::{Control, HaulError};

/// How far an audit is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AuditPhase {
    /// Bytes read.
    pub read: Bytes,
    /// Bytes in all.
    pub all: Bytes,
}

/// Gives every entry below a folder that is no folder, with its path.
pub(crate) fn each_file(disk: &Disk, folder: &Path, take: &mut dyn FnMut(&Path, &Entry)) -> Result<(), HaulError> {
    walk_each(disk, folder, &mut |found| {
        if let WalkEnd::Entry(entry) = found
            && entry.kind != EntryKind::Folder
        {
            take(entry.path.as_path(), &entry);
        }
        Ok::<(), std::io::Error>(())
    })
    .map_err(HaulError::disk("read", folder))
}

/// Gives the thread's own memory for a block: one for each of many small files would cost more than to read them.
pub(crate) fn with_buffer<T>(use_it: impl FnOnce(&mut [u8]) -> T) -> T {
    thread_local! {
        static BUFFER: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
    }
    BUFFER.with_borrow_mut(|buffer| {
        buffer.resize(index(BLOCK), 0);
        use_it(buffer)
    })
}

/// The BLAKE3 hash of a file, read from its drive and not from memory.
pub(crate) fn hash_of(disk: &Disk, path: &Path, stop: &Control, read: &dyn Fn(u64)) -> std::io::Result<blake3::Hash> {
    let file = disk.open_read(path)?;
    disk.forget(&file);
    with_buffer(|buffer| {
        let (mut hasher, mut offset) = (blake3::Hasher::new(), 0);
        loop {
            if stop.asked() {
                return Err(std::io::ErrorKind::Interrupted.into());
            }
            let count = disk.read_at(&file, buffer, offset)?;
            hasher.update(&buffer[..count]);
            offset += count as u64;
            read(count as u64);
            if count < buffer.len() {
                return Ok(hasher.finalize());
            }
        }
    })
}
