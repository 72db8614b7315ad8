//! What a proof found.

use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

use crate::bytes::Bytes;

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

    pub(crate) fn note(&mut self, path: &Path, kind: DifferenceKind, from: Option<u64>) {
        match kind {
            DifferenceKind::Differs | DifferenceKind::Beside => self.differ += 1,
            DifferenceKind::Missing => self.missing += 1,
            DifferenceKind::Extra => self.extra += 1,
            DifferenceKind::WouldDownload => {}
        }
        if self.differences.len() < 100 {
            let path = path.to_string_lossy().into_owned();
            self.differences.push(Difference { path, kind, from });
        }
    }
}
