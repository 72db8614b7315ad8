//! Blocks as subtrees of BLAKE3 (the BLAKE3 paper, 2.1 and 5.1): hashed in any order, joined to the file's hash.

use crate::bytes::index;
use blake3::Hasher;
use blake3::hazmat::{HasherExt, Mode, merge_subtrees_non_root, merge_subtrees_root};

/// Bytes of a block: 4 MiB, a power of two as the subtrees of BLAKE3 want it.
pub const BLOCK: u64 = 1 << 22;

/// The hash of one block: a chaining value, or the file's own hash where the file is one block.
pub type BlockHash = [u8; 32];

/// Number of blocks of a file; an empty file is one empty block.
pub const fn block_count(size: u64) -> u64 {
    if size == 0 { 1 } else { size.div_ceil(BLOCK) }
}

/// Offset and length of a block, in bytes.
pub const fn block_span(size: u64, nth: u64) -> (u64, usize) {
    let start = nth * BLOCK;
    let left = size.saturating_sub(start);
    (start, if left < BLOCK { index(left) } else { index(BLOCK) })
}

/// Hashes block `nth` of a file of `size` bytes.
pub fn block_hash(data: &[u8], nth: u64, size: u64) -> BlockHash {
    if block_count(size) == 1 {
        return *blake3::hash(data).as_bytes();
    }
    let mut hasher = Hasher::new();
    hasher.set_input_offset(nth * BLOCK);
    hasher.update(data);
    hasher.finalize_non_root()
}

/// Joins the hashes of all blocks of a file, in their order, to the BLAKE3 hash of the file.
pub fn file_hash(blocks: &[BlockHash]) -> [u8; 32] {
    match blocks {
        [] => *blake3::hash(b"").as_bytes(),
        [only] => *only,
        _ => {
            let (left, right) = blocks.split_at(left_part(blocks.len()));
            *merge_subtrees_root(&subtree(left), &subtree(right), Mode::Hash).as_bytes()
        }
    }
}

fn left_part(count: usize) -> usize {
    // The largest power of two below the count.
    1 << (usize::BITS - 1 - (count - 1).leading_zeros())
}

fn subtree(blocks: &[BlockHash]) -> BlockHash {
    if let [only] = blocks {
        return *only;
    }
    let (left, right) = blocks.split_at(left_part(blocks.len()));
    merge_subtrees_non_root(&subtree(left), &subtree(right), Mode::Hash)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_join_to_the_hash_of_the_whole_file() {
        let block = index(BLOCK);
        for size in [0, 1, 1000, block - 1, block, block + 1, 2 * block, 3 * block + 5, 5 * block] {
            let data: Vec<u8> = (0..size).map(|n| (n % 251) as u8).collect();
            let size = size as u64;
            let hashes: Vec<BlockHash> = (0..block_count(size))
                .map(|nth| {
                    let (start, length) = block_span(size, nth);
                    block_hash(&data[start as usize..][..length], nth, size)
                })
                .collect();
            assert_eq!(file_hash(&hashes), *blake3::hash(&data).as_bytes(), "size={size}");
        }
    }
}
