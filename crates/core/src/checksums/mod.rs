//! The list of an item's files: kind, size, times, and a hash per block and per file.
//!
//! Law: a block's hash is a subtree of the file's BLAKE3 hash, so that one pass yields both and a
//! block can be copied, compared and repaired on its own. Start at [`walk`] and [`block_hash`].

mod blocks;
mod identity;
mod walk;

pub use blocks::{BLOCK, BlockHash, block_count, block_hash, block_span, file_hash};
pub use identity::FileIdentity;
pub use walk::{Entry, EntryKind, ItemPath, Size, Walk, WalkEnd, measure, walk, walk_each};
