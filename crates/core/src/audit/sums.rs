//! Lists of SHA-256 sums, for programs that know no BLAKE3: each file is read once, and stands in the list only if it is what was kept.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;

use super::kept::checksum_line;
use super::reading::{AuditPhase, with_buffer};
use super::{KeptChecksums, KeptFile, KeptLine};
use crate::bytes::Bytes;
use crate::disk::Disk;
use crate::haul::{Control, HaulError};
use crate::launcher::{Digest, DigestKind};

/// A list of checksums.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FileSums {
    /// The list, as `sha256sum -c` reads it from within the folder. Links, and paths that are no text, are left out.
    pub text: String,
    /// Files that are not what was kept of them, or cannot be read: they do not stand in it.
    pub differ: Vec<PathBuf>,
}

/// Reads the files of a kept checksums and lists their SHA-256 sums.
///
/// # Errors
/// [`HaulError::Paused`] if a stop was asked for.
pub fn sha256_sums(
    disk: &Disk,
    kept: &KeptChecksums,
    folder: &Path,
    report: &(dyn Fn(AuditPhase) + Sync),
    stop: &Control,
) -> Result<FileSums, HaulError> {
    let all = Bytes::new(kept.lines.iter().map(|line| line.size).sum());
    let done = AtomicU64::new(0);
    let read = |count: u64| {
        let read = Bytes::new(done.fetch_add(count, Ordering::Relaxed) + count);
        report(AuditPhase { read, all });
    };
    let files: Vec<(&KeptLine, &blake3::Hash)> = kept
        .lines
        .iter()
        .filter_map(|line| match &line.file {
            KeptFile::Hash { hash } => Some((line, hash)),
            KeptFile::Link { .. } => None,
        })
        .collect();
    let one = |(line, hash): &(&KeptLine, &blake3::Hash)| {
        let sum = sum_of(disk, &folder.join(&line.path), hash, stop, &read);
        (line.path.clone(), sum)
    };
    let summed: Vec<(PathBuf, Option<String>)> = files.par_iter().map(one).collect();
    if stop.asked() {
        return Err(HaulError::Paused);
    }
    let mut sums = FileSums::default();
    for (path, sum) in summed {
        match (sum, path.to_str()) {
            (Some(sum), Some(text)) => sums.text.push_str(&checksum_line(&sum, text)),
            (Some(_), None) => {}
            (None, _) => sums.differ.push(path),
        }
    }
    Ok(sums)
}

/// The SHA-256 sum of a file, in hexadecimal digits, if its BLAKE3 hash is this one.
fn sum_of(disk: &Disk, path: &Path, hash: &blake3::Hash, stop: &Control, read: &dyn Fn(u64)) -> Option<String> {
    let file = disk.open_read(path).ok()?;
    let (mut known, mut wanted) = (blake3::Hasher::new(), Digest::new(DigestKind::Sha256));
    with_buffer(|buffer| {
        let mut offset = 0;
        while !stop.asked() {
            let count = disk.read_at(&file, buffer, offset).ok()?;
            known.update(&buffer[..count]);
            wanted.take(&buffer[..count]);
            offset += count as u64;
            read(count as u64);
            if count < buffer.len() {
                let same = known.finalize() == *hash;
                return same.then(|| wanted.end().iter().map(|byte| format!("{byte:02x}")).collect());
            }
        }
        None
    })
}
