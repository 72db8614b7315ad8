//! Brings a lot's tally in line with its folder, at the start of a copy and again at its end.

use std::collections::HashMap;
use std::path::Path;

use super::error::HaulError;
use super::history::TallyEntry;
use crate::tally::{Entry, EntryKind, LotPath, block_count, walk};

/// What a new walk says to an older tally.
#[derive(Debug, Default)]
pub(super) struct Fresh {
    /// Lines that are new or have changed; what was copied of them is void.
    pub(super) changed: Vec<TallyEntry>,
    /// Lines whose file is gone.
    pub(super) gone: Vec<TallyEntry>,
}

/// Walks `from` and compares with `tally`. `hard_links` is whether the target can give a file two names.
pub(super) fn scan(from: &Path, tally: &[TallyEntry], hard_links: bool) -> Result<Fresh, HaulError> {
    let mut found = walk(from).map_err(HaulError::disk("read", from))?;
    if let Some(other) = found.others.first() {
        return Err(HaulError::NotOurs { path: other.under(from) });
    }
    if !hard_links {
        split_names(&mut found.entries);
    }
    let known: HashMap<&LotPath, &TallyEntry> = tally.iter().map(|line| (&line.entry.path, line)).collect();
    let mut fresh = Fresh::default();
    for entry in &found.entries {
        if known.get(&entry.path).is_none_or(|line| !same(&line.entry, entry)) {
            fresh.changed.push(line(entry.clone()));
        }
    }
    let there: HashMap<&LotPath, ()> = found.entries.iter().map(|entry| (&entry.path, ())).collect();
    fresh.gone = tally.iter().filter(|line| !there.contains_key(&line.entry.path)).cloned().collect();
    Ok(fresh)
}

fn line(entry: Entry) -> TallyEntry {
    let blocks = if entry.kind == EntryKind::File { block_count(entry.size) } else { 0 };
    TallyEntry { entry, there: None, compared: false, digest: None, blocks: vec![None; blocks as usize] }
}

/// Whether an original is what it was. A folder's own time changes with every look of some programs; its names are walked anyway.
pub(super) fn same(then: &Entry, now: &Entry) -> bool {
    let kind = match (&then.kind, &now.kind) {
        (EntryKind::Folder, EntryKind::Folder) => return then.inode == now.inode && then.mode == now.mode,
        (one, other) => one == other,
    };
    kind && then.size == now.size
        && then.modified_ns == now.modified_ns
        && then.inode == now.inode
        && then.mode == now.mode
}

/// Makes files of their own of further names.
fn split_names(entries: &mut [Entry]) {
    let sizes: HashMap<LotPath, (u64, u64)> =
        entries.iter().filter(|e| e.kind == EntryKind::File).map(|e| (e.path.clone(), (e.size, e.allocated))).collect();
    for entry in entries {
        if let EntryKind::Again(of) = &entry.kind {
            (entry.size, entry.allocated) = sizes.get(of).copied().unwrap_or_default();
            entry.kind = EntryKind::File;
        }
    }
}
