//! Audit: a game against the checksums that were kept of it, now or much later.
//!
//! Law: looking writes nothing but the checksums that a person asks for. A file that was written since is told from one whose
//! bytes changed by themselves: the latter has the size and the time that it had. Start at [`audit`].

use super::kept::{KeptChecksums, KeptFile, KeptLine};
use super::reading::{AuditPhase, each_file, hash_of};

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use rayon::prelude::*;
use serde::Serialize;

use crate::bytes::Bytes;
use crate::checksums::EntryKind;
use crate::disk::Disk;
use crate::haul::{Control, HaulError};
use crate::platform::Look;

/// How a file is not what it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// Its size and time are what they were, and its bytes are not, or cannot be read: it is damaged.
    Damaged,
    /// It is not there.
    Missing,
    /// It was written since: it has another size or time, and other bytes.
    Changed,
    /// It was not there then.
    New,
}

/// One file that is not what it was.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct AuditedFile {
    /// Its path below the folder.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// How.
    pub fate: Fate,
    /// Why its bytes cannot be read, where that is so.
    pub why: Option<String>,
}

/// What an audit found.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Audit {
    /// Where it looked.
    pub folder: PathBuf,
    /// Files that are what they were.
    pub same: u64,
    /// Bytes of those.
    pub bytes: Bytes,
    /// What is not, in the order of its weight, then by path.
    pub findings: Vec<AuditedFile>,
}

impl Audit {
    /// Number of files with this fate.
    pub fn count(&self, fate: Fate) -> u64 {
        self.findings.iter().filter(|finding| finding.fate == fate).count() as u64
    }

    /// Whether nothing is damaged or missing; what was written since, or is new, is the game's own affair.
    pub fn sound(&self) -> bool {
        self.count(Fate::Damaged) == 0 && self.count(Fate::Missing) == 0
    }
}

/// What stands now where a line of checksums says that something is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Now {
    Missing,
    File,
    SameLink,
    Other,
}

/// Compares a folder with the checksums that were kept of it, byte by byte. `report` hears how far it is.
///
/// # Errors
/// [`HaulError::Disk`] if the folder cannot be read at all, [`HaulError::Paused`] if a stop was asked for.
pub fn audit(
    disk: &Disk,
    kept: &KeptChecksums,
    folder: &Path,
    report: &(dyn Fn(AuditPhase) + Sync),
    stop: &Control,
) -> Result<Audit, HaulError> {
    let mut out = Audit { folder: folder.into(), ..Audit::default() };
    let mut now = vec![Now::Missing; kept.lines.len()];
    each_file(disk, folder, &mut |path, entry| {
        let Ok(at) = kept.lines.binary_search_by(|line| line.path.as_path().cmp(path)) else {
            return out.findings.push(AuditedFile { path: path.into(), fate: Fate::New, why: None });
        };
        now[at] = match (&entry.kind, &kept.lines[at].file) {
            (EntryKind::Link(target), KeptFile::Link { target: kept }) if target == kept => Now::SameLink,
            (EntryKind::File | EntryKind::Again(_), KeptFile::Hash { .. }) => Now::File,
            _ => Now::Other,
        };
    })?;
    let all = Bytes::new(kept.lines.iter().map(|line| line.size).sum());
    let done = AtomicU64::new(0);
    let add = |count: u64| {
        let read = Bytes::new(done.fetch_add(count, Ordering::Relaxed) + count);
        report(AuditPhase { read, all });
    };
    let (same, bytes) = (AtomicU64::new(0), AtomicU64::new(0));
    let judged = kept.lines.par_iter().zip(&now).filter_map(|(line, now)| {
        let found = judge(disk, line, folder, *now, stop, &add);
        if found.is_none() {
            same.fetch_add(1, Ordering::Relaxed);
            bytes.fetch_add(line.size, Ordering::Relaxed);
        }
        found
    });
    let judged: Vec<AuditedFile> = judged.collect();
    if stop.asked() {
        return Err(HaulError::Paused);
    }
    out.findings.extend(judged);
    (out.same, out.bytes) = (same.into_inner(), Bytes::new(bytes.into_inner()));
    out.findings.sort_by(|a, b| (a.fate, &a.path).cmp(&(b.fate, &b.path)));
    Ok(out)
}

fn judge(
    disk: &Disk,
    line: &KeptLine,
    folder: &Path,
    now: Now,
    stop: &Control,
    read: &dyn Fn(u64),
) -> Option<AuditedFile> {
    let finding = |fate, why| Some(AuditedFile { path: line.path.clone(), fate, why });
    match now {
        Now::Missing => return finding(Fate::Missing, None),
        Now::SameLink => return None,
        Now::Other => return finding(Fate::Changed, None),
        Now::File => {}
    }
    let KeptFile::Hash { hash } = &line.file else { return None };
    let at = folder.join(&line.path);
    let meta = at.look_own_meta().ok();
    let size = meta.as_ref().map_or(0, |meta| meta.size);
    let time = meta.as_ref().map_or(0, |meta| meta.modified_ns);
    let untouched = size == line.size && time == line.modified_ns;
    if size != line.size {
        return finding(Fate::Changed, None);
    }
    match hash_of(disk, &at, stop, read) {
        Ok(now) if now == *hash => None,
        Ok(_) if untouched => finding(Fate::Damaged, None),
        Ok(_) => finding(Fate::Changed, None),
        Err(error) => finding(Fate::Damaged, Some(error.to_string())),
    }
}
