//! Whether a file has the very bytes that were verified.

use crate::checksums::{BLOCK, block_count, block_hash, block_span};

use crate::journal::FileEntry;

use std::path::Path;

use crate::haul::{Control, HaulError};

use crate::disk::Disk;

/// Whether a file has the very bytes that were read when its line was written. What is on the drive is read, not the cache.
pub(crate) fn has_the_bytes(disk: &Disk, stop: &Control, at: &Path, line: &FileEntry) -> Result<bool, HaulError> {
    let size = line.entry.size;
    match disk.look(at).map_err(HaulError::disk("look at", at))? {
        Some(meta) if meta.is_file() && meta.size == size => {}
        _ => return Ok(false),
    }
    if line.blocks.len() as u64 != block_count(size) || line.blocks.iter().any(Option::is_none) {
        return Ok(false);
    }
    let file = disk.open_back(at).map_err(HaulError::disk("open", at))?;
    let mut buffer = crate::disk::Buffer::new(size.min(BLOCK) as usize);
    for (nth, hash) in line.blocks.iter().enumerate() {
        if stop.asked() {
            return Err(HaulError::Paused);
        }
        let (offset, length) = block_span(size, nth as u64);
        let count = disk.read_back(&file, &mut buffer, length, offset).map_err(HaulError::disk("read", at))?;
        if count != length || Some(block_hash(buffer.first(length), nth as u64, size)) != *hash {
            return Ok(false);
        }
    }
    Ok(true)
}
