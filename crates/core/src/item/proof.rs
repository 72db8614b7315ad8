//! What a proof found.

use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

use crate::bytes::Bytes;
use crate::checksums::BLOCK;

/// How a file is not what it should be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DifferenceKind {
    /// It is there and is not the same as its original.
    Differs,
    /// It is not there.
    Missing,
    /// It is there and was not among the originals.
    Extra,
    /// It is not what the launcher's content list wants.
    WouldDownload,
    /// Its bytes are the same; its permissions, owner or attributes are not.
    Beside,
}

/// A file that is not what it should be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Difference {
    /// Its path below the install folder.
    pub path: String,
    /// How.
    pub kind: DifferenceKind,
    /// First byte of the first block that differs, where that is known.
    pub from: Option<u64>,
    /// The blocks that differ, as the first of each run and how many follow one another, where they were compared one by one. Of a file
    /// with more than 32 runs the last one goes on to the last block that differs.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub blocks: Vec<(u64, u64)>,
}

/// Runs of blocks that are told of one file.
const RUNS: usize = 32;

impl Difference {
    /// One of which nothing more is known.
    pub fn new(path: impl Into<String>, kind: DifferenceKind) -> Self {
        Self { path: path.into(), kind, from: None, blocks: Vec::new() }
    }

    /// Whether a block differs; of a file that was not compared block by block all do.
    pub fn has(&self, block: u64) -> bool {
        self.blocks.is_empty() || self.blocks.iter().any(|(first, count)| block >= *first && block - first < *count)
    }
}

/// Blocks of a file that differ, gathered in their order.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct DifferingBlocks(Vec<(u64, u64)>);

impl DifferingBlocks {
    pub(crate) fn add(&mut self, block: u64) {
        let full = self.0.len() == RUNS;
        match self.0.last_mut() {
            Some((first, count)) if full || *first + *count == block => *count = block - *first + 1,
            _ => self.0.push((block, 1)),
        }
    }

    pub(crate) fn first(&self) -> Option<u64> {
        self.0.first().map(|(first, _)| *first)
    }
}

/// What a search for the old folder found, in the launcher's files and the usual places. Every file is in one of the lists.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Residue {
    /// Places that lead there.
    pub places: u64,
    /// The files in which they stand.
    pub files: Vec<PathBuf>,
    /// Logs, backups and caches that say what was, and files that say the folder's name alone: left on purpose.
    pub left: Vec<PathBuf>,
    /// Whether a link was left in its place, so that what leads there still leads on.
    #[serde(default)]
    pub led_on: bool,
    /// Files that hold the name and that nobody here can read.
    pub unclear: Vec<PathBuf>,
}

/// What a proof found. The four counts that must be zero: differ, missing, extra, to download.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proof {
    /// Where it looked.
    pub install: PathBuf,
    /// Files looked at.
    pub files: u64,
    /// Their bytes.
    pub bytes: Bytes,
    /// Files that differ from their originals.
    pub differ: u64,
    /// Files that are not their originals any more, but just what the launcher's list wants: it has updated them.
    pub updated: u64,
    /// Files that are not there.
    pub missing: u64,
    /// Files that were not among the originals.
    pub extra: u64,
    /// Bytes that the launcher would download; `None` if it has no list to tell by.
    pub to_download: Option<Bytes>,
    /// Bytes of those that it would have downloaded before the haul as well: the files are just what the originals were.
    #[serde(default)]
    pub before: Bytes,
    /// Whether every byte was read back; a rename is proved by names and sizes.
    pub read: bool,
    /// Whether the launcher's records lead here, every one of them.
    pub records_lead_here: bool,
    /// Whether the program that the launcher starts is there; `None` if it names none.
    pub program: Option<bool>,
    /// What leads to the old folder still; `None` where nobody has looked, as within a haul that goes on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub residue: Option<Residue>,
    /// The first hundred differences.
    pub differences: Vec<Difference>,
}

impl Proof {
    /// Whether nothing is missing or different and nothing would be downloaded but what would have been before.
    ///
    /// Extra files do not count: a game writes files of its own.
    pub fn holds(&self) -> bool {
        self.differ == 0
            && self.missing == 0
            && self.to_download.is_none_or(|bytes| bytes <= self.before)
            && self.records_lead_here
            && self.program != Some(false)
    }

    pub(crate) fn note(&mut self, path: &Path, kind: DifferenceKind, blocks: DifferingBlocks) {
        match kind {
            DifferenceKind::Differs | DifferenceKind::Beside => self.differ += 1,
            DifferenceKind::Missing => self.missing += 1,
            DifferenceKind::Extra => self.extra += 1,
            DifferenceKind::WouldDownload => {}
        }
        if self.differences.len() < 100 {
            let path = path.to_string_lossy().into_owned();
            let from = blocks.first().map(|block| block * BLOCK);
            self.differences.push(Difference { path, kind, from, blocks: blocks.0 });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_that_differ_are_told_in_runs_and_none_is_left_out() {
        let blocks: Vec<u64> = (3..6).chain((10..200).step_by(3)).collect();
        let mut gathered = DifferingBlocks::default();
        for block in &blocks {
            gathered.add(*block);
        }
        assert_eq!((gathered.first(), gathered.0.len()), (Some(3), RUNS));
        assert_eq!(gathered.0[..2], [(3, 3), (10, 1)]);
        let mut proof = Proof::default();
        proof.note(Path::new("a"), DifferenceKind::Differs, gathered);
        let difference = &proof.differences[0];
        assert_eq!(difference.from, Some(3 * BLOCK));
        assert!(blocks.iter().all(|block| difference.has(*block)));
        assert!([0, 2, 6, 9, 11].iter().all(|block| !difference.has(*block)));
        assert!(Difference::new("b", DifferenceKind::Missing).has(7));
        // What was written before there were blocks reads as one of which nothing more is known.
        let old = r#"{"path": "a", "kind": "differs", "from": 4194304}"#;
        let old: Difference = serde_json::from_str(old).expect("a difference");
        assert!(old.blocks.is_empty() && old.has(0));
    }
}
