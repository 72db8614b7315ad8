//! How much room there is.

use std::io;
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

/// Whether the kernel's flush of a whole file system says that a write-back has failed: Linux from 5.8 on, by syncfs(2).
pub(crate) fn flush_of_all_tells_errors() -> bool {
    static TELLS: std::sync::LazyLock<bool> = std::sync::LazyLock::new(|| {
        let release = crate::platform::look::read_to_string("/proc/sys/kernel/osrelease").unwrap_or_default();
        let mut parts = release.split(['.', '-']).map_while(|part| part.parse::<u32>().ok());
        (parts.next().unwrap_or(0), parts.next().unwrap_or(0)) >= (5, 8)
    });
    *TELLS
}
