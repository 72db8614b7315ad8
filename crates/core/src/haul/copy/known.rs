//! What an earlier run has copied already.

use crate::bytes::index;
use crate::checksums::{FileIdentity, block_count};
use crate::platform::Seen;

use crate::journal::FileEntry;
use crate::platform::Steady;

/// Whether a copy is just as it was when it was compared.
pub(crate) fn still_there(line: &FileEntry, found: Option<&Seen>, steady: Steady) -> bool {
    let (Some(known), Some(found)) = (line.copy(steady), found) else { return false };
    found.is_file() && known.is_same(&FileIdentity::of_file(found, steady))
}

/// Blocks of a file that are known and go with what is there; a hash without a file to go with it is of no use.
pub(crate) fn known_blocks(line: &FileEntry, found: Option<&Seen>) -> Vec<Option<crate::checksums::BlockHash>> {
    match found {
        Some(meta) if meta.is_file() => line.blocks.clone(),
        _ => vec![None; index(block_count(line.entry.size))],
    }
}
