//! A closer look at what was hauled: the files of checksums, the blocks of one file, and the bytes in which it differs.
//!
//! Law: reading only, and without the journal's lock, so that a person can look while a haul runs. Start at [`look_closer`].

use crate::bytes::index;
use crate::haul::NothingThere;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::checksums::{EntryKind, ItemPath, block_hash, block_span};
use crate::disk::{Disk, DiskFile};
use crate::haul::HaulError;
use crate::journal::{FileEntry, ItemRow, JournalError, Reader, reader};
use crate::site::Site;

/// Differing bytes that are told of one file.
const MOST: usize = 64;

/// A line of an item's checksums, as a person looks at it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ListedEntry {
    /// Its path below the item.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// Bytes.
    pub size: u64,
    /// Whether it is a folder.
    pub folder: bool,
    /// Whether it was read back and was the same.
    pub compared: bool,
}

/// Where a block of a copy stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum BlockState {
    /// It has the hash that the original had.
    Same,
    /// It has another one.
    Differs,
    /// It is not there, or cannot be read.
    Missing,
    /// The hash of the original is not known.
    Unknown,
}

/// A byte that is not what it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct ByteDifference {
    /// Its offset in the file.
    pub offset: u64,
    /// What the original has; `None` behind its end.
    pub original: Option<u8>,
    /// What the copy has; `None` behind its end.
    pub copy: Option<u8>,
}

/// One file, looked at block by block.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Closer {
    /// Its path below the item.
    pub path: PathBuf,
    /// Bytes that the original had.
    pub size: u64,
    /// Its blocks, in their order.
    pub blocks: Vec<BlockState>,
    /// Whether it is a record file, which the repoint has rewritten: it differs as it should.
    pub record: bool,
    /// The first bytes that differ, where kept originals are there to compare with.
    pub bytes: Vec<ByteDifference>,
    /// What it was compared with byte by byte: kept originals that still have the hashes of the checksums.
    pub original: Option<PathBuf>,
}

/// Lists an item's checksums, in the order of a walk.
///
/// # Errors
/// [`JournalError`] if the journal cannot be read.
pub fn listed_entries(site: &Site, item: &ItemRow) -> Result<Vec<ListedEntry>, JournalError> {
    let mut out = Vec::new();
    let Some(reader) = reader(site)? else { return Ok(out) };
    let mut after: Option<Vec<u8>> = None;
    loop {
        let page = reader.page(item.id, after.as_deref(), false, None)?;
        let Some(last) = page.last() else { return Ok(out) };
        after = Some(last.entry.path.key());
        out.extend(page.iter().map(|line| ListedEntry {
            path: line.entry.path.as_path().into(),
            size: line.entry.size,
            folder: line.entry.kind == EntryKind::Folder,
            compared: line.compared,
        }));
    }
}

/// Reads a file of an item's copy block by block, against the checksums; and where kept originals are there, byte by byte.
///
/// # Errors
/// [`HaulError::Nothing`] if the checksums have no such file; [`HaulError::Journal`] if the journal cannot be read. What cannot be
/// read of the copy is told as missing blocks.
pub fn look_closer(site: &Site, item: &ItemRow, path: &Path) -> Result<Closer, HaulError> {
    let nothing = || HaulError::Nothing(NothingThere::NoChecksums(path.into()));
    let reader = reader(site)?.ok_or_else(nothing)?;
    let line = line_of(&reader, item, path)?.ok_or_else(nothing)?;
    let size = line.entry.size;
    let copy = site.disk.open_read(&item.planned.place().join(path)).ok();
    let mut blocks: Vec<BlockState> = line
        .blocks
        .iter()
        .enumerate()
        .map(|(n, hash)| state(&site.disk, copy.as_ref(), size, n as u64, *hash))
        .collect();
    // What has grown behind the original's end differs, though every block of it is there.
    let longer = copy.as_ref().and_then(|file| file.look().ok()).is_some_and(|meta| meta.size > size);
    if let Some(last) = blocks.last_mut().filter(|_| longer) {
        *last = BlockState::Differs;
    }
    let here = |file: &&Path| [item.planned.from.join(path), item.planned.to.join(path)].iter().any(|at| at == *file);
    let record = item.planned.record_files().iter().any(here);
    let mut closer = Closer { path: path.into(), size, blocks, record, bytes: Vec::new(), original: None };
    let held = item.held_at().join(path);
    let differs: Vec<u64> = numbered(&closer.blocks, BlockState::Differs);
    if !differs.is_empty()
        && item.holds_originals()
        && let (Ok(original), Some(copy)) = (site.disk.open_read(&held), &copy)
    {
        for nth in differs {
            let (was, there) = (read(&site.disk, &original, nth), read(&site.disk, copy, nth));
            let (Some(was), Some(there)) = (was, there) else { continue };
            // Originals that have changed since are no measure.
            let hash = line.blocks.get(index(nth)).copied().flatten();
            let own = was.get(..block_span(size, nth).1);
            if hash.is_none() || own.map(|own| block_hash(own, nth, size)) != hash {
                continue;
            }
            closer.original = Some(held.clone());
            let start = block_span(size, nth).0;
            let more = (0..was.len().max(there.len())).filter(|n| was.get(*n) != there.get(*n));
            let room = MOST - closer.bytes.len();
            closer.bytes.extend(more.take(room).map(|n| ByteDifference {
                offset: start + n as u64,
                original: was.get(n).copied(),
                copy: there.get(n).copied(),
            }));
        }
    }
    Ok(closer)
}

fn numbered(blocks: &[BlockState], wanted: BlockState) -> Vec<u64> {
    blocks.iter().enumerate().filter(|(_, state)| **state == wanted).map(|(n, _)| n as u64).collect()
}

fn state(disk: &Disk, copy: Option<&DiskFile>, size: u64, nth: u64, hash: Option<[u8; 32]>) -> BlockState {
    let Some(hash) = hash else { return BlockState::Unknown };
    let own = copy
        .and_then(|copy| read(disk, copy, nth))
        .and_then(|bytes| bytes.get(..block_span(size, nth).1).map(<[u8]>::to_vec));
    match own {
        None => BlockState::Missing,
        Some(bytes) if block_hash(&bytes, nth, size) == hash => BlockState::Same,
        Some(_) => BlockState::Differs,
    }
}

/// A block as it is there; shorter at the file's end.
fn read(disk: &Disk, file: &DiskFile, nth: u64) -> Option<Vec<u8>> {
    let mut bytes = vec![0; index(crate::checksums::BLOCK)];
    let count = disk.read_at(file, &mut bytes, nth * crate::checksums::BLOCK).ok()?;
    bytes.truncate(count);
    Some(bytes)
}

fn line_of(reader: &Reader, item: &ItemRow, path: &Path) -> Result<Option<FileEntry>, JournalError> {
    let Some(place) = ItemPath::new(path) else { return Ok(None) };
    Ok(reader.entry(item.id, &place)?.filter(|line| line.entry.kind == EntryKind::File))
}
