//! Bytes from a seed, and files of them.

use std::fs::{self, File, FileTimes};
use std::io::{BufWriter, Write};
use std::path::Path;
use std::time::{Duration, UNIX_EPOCH};

use sha1::{Digest, Sha1};

use super::{Result, failed};
use crate::system::write_at;

/// Numbers from a seed: `SplitMix64` (Steele, Lea, Flood, 2014).
pub(super) struct Numbers(u64);

impl Numbers {
    pub(super) fn new(seed: u64) -> Self {
        Self(seed)
    }

    pub(super) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    pub(super) fn below(&mut self, most: u64) -> u64 {
        self.next() % most.max(1)
    }
}

/// Writes a file of `size` bytes and gives its SHA-1 in hexadecimal digits.
pub(super) fn file(path: &Path, seed: u64, size: u64) -> Result<String> {
    make_parent(path)?;
    let mut numbers = Numbers::new(seed);
    let mut out = BufWriter::with_capacity(1 << 20, File::create(path).map_err(failed(path))?);
    let mut hash = Sha1::new();
    let mut chunk = vec![0_u8; 1 << 16];
    let mut left = size;
    while left > 0 {
        let length = left.min(chunk.len() as u64) as usize;
        for word in chunk[..length].chunks_mut(8) {
            let bytes = numbers.next().to_le_bytes();
            word.copy_from_slice(&bytes[..word.len()]);
        }
        out.write_all(&chunk[..length]).map_err(failed(path))?;
        hash.update(&chunk[..length]);
        left -= length as u64;
    }
    let file = out.into_inner().map_err(|e| failed(path)(e.into_error()))?;
    stamp(&file, path, seed)?;
    Ok(hex(hash))
}

/// Writes a file of zeros with a little data at both ends: most of it is a hole.
pub(super) fn sparse(path: &Path, seed: u64, size: u64) -> Result<String> {
    make_parent(path)?;
    let file = File::create(path).map_err(failed(path))?;
    file.set_len(size).map_err(failed(path))?;
    let ends = seed.to_le_bytes();
    write_at(&file, &ends, 0).map_err(failed(path))?;
    write_at(&file, &ends, size - 8).map_err(failed(path))?;
    stamp(&file, path, seed)?;
    let mut hash = Sha1::new();
    hash.update(ends);
    let zeros = vec![0_u8; 1 << 16];
    let mut left = size - 16;
    while left > 0 {
        let length = left.min(zeros.len() as u64);
        hash.update(&zeros[..length as usize]);
        left -= length;
    }
    hash.update(ends);
    Ok(hex(hash))
}

/// Writes a text file.
pub(super) fn text(path: &Path, text: &str) -> Result<()> {
    make_parent(path)?;
    fs::write(path, text).map_err(failed(path))
}

/// Writes some files that belong to no game.
pub(super) fn other(root: &Path, seed: u64, size: u64) -> Result<()> {
    for (n, name) in ["pictures.bin", "letters.bin", "film.bin"].into_iter().enumerate() {
        file(&root.join("other").join(name), seed + n as u64, size / 3)?;
    }
    Ok(())
}

/// SHA-1 of a short text, in hexadecimal digits.
pub(super) fn sha1(bytes: &[u8]) -> String {
    let mut hash = Sha1::new();
    hash.update(bytes);
    hex(hash)
}

fn hex(hash: Sha1) -> String {
    hash.finalize().iter().map(|byte| format!("{byte:02x}")).collect()
}

fn make_parent(path: &Path) -> Result<()> {
    let parent = path.parent().unwrap_or(Path::new("/"));
    fs::create_dir_all(parent).map_err(failed(parent))
}

/// Gives a file a time of its own, with nanoseconds.
pub(super) fn stamp(file: &File, path: &Path, seed: u64) -> Result<()> {
    let time = UNIX_EPOCH + Duration::new(1_700_000_000 + seed % 30_000_000, (seed % 1_000_000_000) as u32);
    file.set_times(FileTimes::new().set_modified(time)).map_err(failed(path))
}
