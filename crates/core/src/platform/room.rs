//! How much room files take.

use std::collections::HashSet;
use std::fs;
use std::path::Path;

use super::system::{entry_seen, exact};
use crate::bytes::Bytes;

/// Adds up the allocated bytes of all files and folders below `root`, each file once.
///
/// Links are not followed; what cannot be read counts as nothing.
pub fn allocated_below(root: &Path) -> Bytes {
    let mut seen_before = HashSet::new();
    let mut waiting = vec![root.to_path_buf()];
    let mut sum = 0;
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(exact(&folder)).into_iter().flatten().flatten() {
            let Ok(seen) = entry_seen(&entry) else { continue };
            if seen.names > 1 && !seen.is_folder() && !seen_before.insert(seen.inode) {
                continue;
            }
            sum += seen.allocated;
            if seen.is_folder() {
                waiting.push(folder.join(entry.file_name()));
            }
        }
    }
    Bytes::new(sum)
}
