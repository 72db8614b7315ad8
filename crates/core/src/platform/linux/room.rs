//! How much room there is and how much files take.

use std::collections::HashSet;
use std::fs;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

use crate::bytes::Bytes;
use crate::platform::contract::Usage;

/// Asks the file system at `path` how full it is, by `statvfs`.
///
/// # Errors
/// What the system said.
pub(crate) fn usage_of(path: &Path) -> io::Result<Usage> {
    let stat = rustix::fs::statvfs(path)?;
    let bytes = |blocks: u64| Bytes::new(blocks.saturating_mul(stat.f_frsize));
    Ok(Usage {
        capacity: bytes(stat.f_blocks),
        used: bytes(stat.f_blocks.saturating_sub(stat.f_bfree)),
        free: bytes(stat.f_bavail),
    })
}

/// Adds up the allocated bytes of all files and folders below `root`, each inode once.
///
/// Links are not followed; what cannot be read counts as nothing.
pub fn allocated_below(root: &Path) -> Bytes {
    let mut seen = HashSet::new();
    let mut waiting = vec![root.to_path_buf()];
    let mut sum = 0;
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let Ok(meta) = entry.metadata() else { continue };
            if meta.nlink() > 1 && !meta.is_dir() && !seen.insert(meta.ino()) {
                continue;
            }
            sum += meta.blocks() * 512;
            if meta.is_dir() {
                waiting.push(entry.path());
            }
        }
    }
    Bytes::new(sum)
}

/// Whether the kernel's flush of a whole file system says that a write-back has failed: Linux from 5.8 on, by syncfs(2).
pub(crate) fn flush_of_all_tells_errors() -> bool {
    static TELLS: std::sync::LazyLock<bool> = std::sync::LazyLock::new(|| {
        let release = crate::platform::look::read_to_string("/proc/sys/kernel/osrelease").unwrap_or_default();
        let mut parts = release.split(['.', '-']).map_while(|part| part.parse::<u32>().ok());
        (parts.next().unwrap_or(0), parts.next().unwrap_or(0)) >= (5, 8)
    });
    *TELLS
}
