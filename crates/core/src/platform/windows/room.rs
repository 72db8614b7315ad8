//! How much room there is and how much files take.

use std::collections::HashSet;
use std::fs;
use std::io;
use std::path::Path;

use deft_barge_windows::room_at;

use super::seen::entry_seen;
use crate::bytes::Bytes;
use crate::platform::contract::Usage;

/// Asks the file system at `path` how full it is.
///
/// # Errors
/// What the system said.
pub(crate) fn usage_of(path: &Path) -> io::Result<Usage> {
    let room = room_at(path)?;
    Ok(Usage {
        capacity: Bytes::new(room.capacity),
        used: Bytes::new(room.capacity.saturating_sub(room.free)),
        free: Bytes::new(room.for_user),
    })
}

/// Adds up the allocated bytes of all files and folders below `root`, each file once.
///
/// Links are not followed; what cannot be read counts as nothing.
pub fn allocated_below(root: &Path) -> Bytes {
    let mut seen_before = HashSet::new();
    let mut waiting = vec![root.to_path_buf()];
    let mut sum = 0;
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let Ok(seen) = entry_seen(&entry) else { continue };
            if seen.names > 1 && !seen.is_folder() && !seen_before.insert(seen.inode) {
                continue;
            }
            sum += seen.allocated;
            if seen.is_folder() {
                waiting.push(entry.path());
            }
        }
    }
    Bytes::new(sum)
}

/// Whether a flush of a whole volume says that a write has failed: only an administrator may ask for one, so nobody relies on it.
pub(crate) fn flush_of_all_tells_errors() -> bool {
    false
}
