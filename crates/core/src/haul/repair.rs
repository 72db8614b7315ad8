//! Taking a file from another copy, where the original cannot be read.
//!
//! Law: nothing is taken on trust. The other copy has the launcher's own hash, or every block that could be read of the
//! original is the same in it; what is taken is compared like everything else.

use crate::bytes::index;
use crate::haul::NothingThere;
use crate::platform;
use std::path::Path;

use super::error::HaulError;
use crate::bytes::ItemId;
use crate::checksums::{BLOCK, EntryKind, ItemPath, block_hash, block_span};
use crate::disk::Buffer;
use crate::haul::inspect::{contents_of, has_digest};
use crate::item::Stage;
use crate::journal::{EventKind, FileEntry, Journal};
use crate::site::Site;

/// Has the bytes of a file of an item taken from `other` when the item goes on. Nothing is copied yet.
///
/// # Errors
/// [`HaulError::NotThatFile`] if nothing shows that it is the same file, or something shows that it is not;
/// [`HaulError::Nothing`] if the item is not being copied or has no such file.
pub fn take_from(site: &Site, journal: &Journal, item: ItemId, path: &ItemPath, other: &Path) -> Result<(), HaulError> {
    let row = journal.item(item)?.filter(|row| matches!(row.stage, Stage::Copying { .. }));
    let row = row.ok_or_else(|| HaulError::Nothing(NothingThere::NotCopied))?;
    let line = journal.line(item, path)?.filter(|line| line.entry.kind == EntryKind::File);
    let line = line.ok_or_else(|| {
        HaulError::Nothing(NothingThere::NoFile { title: row.planned.title.clone(), path: path.as_path().into() })
    })?;
    let not = |why| HaulError::NotThatFile { path: other.into(), why };
    let meta = platform::look_itself(other).map_err(HaulError::disk("look at", other))?;
    if !meta.is_file() {
        return Err(not("it isn't a file"));
    }
    if meta.size != line.entry.size {
        return Err(not("its size differs"));
    }
    let contents = contents_of(site, &row.planned.game, &row.planned.to)?;
    let listed = contents.as_ref().and_then(|list| Some((list.kind, list.listed(path.as_path())?)));
    if let Some((kind, listed)) = listed
        && !has_digest(&site.disk, other, kind, listed)?
    {
        return Err(not("it differs from the launcher's content list"));
    }
    let known = same_blocks(site, &line, other)?.ok_or_else(|| not("a block that could be read differs"))?;
    if listed.is_none() && known == 0 {
        return Err(not("nothing of the original is readable, and no content list has its hash"));
    }
    let other = platform::real(other).map_err(HaulError::disk("find", other))?;
    journal.set_taken(item, path, &other)?;
    let detail = format!("{} from {}", path.as_path().display(), other.display());
    Ok(journal.say(row.haul, Some(item), EventKind::Taken, &detail)?)
}

/// Compares the blocks that could be read of the original; gives their number, or `None` if one differs.
fn same_blocks(site: &Site, line: &FileEntry, other: &Path) -> Result<Option<u64>, HaulError> {
    let file = site.disk.open_read(other).map_err(HaulError::disk("open", other))?;
    let mut buffer = Buffer::new(index(BLOCK));
    let mut known = 0;
    for (nth, hash) in line.blocks.iter().enumerate() {
        let Some(hash) = hash else { continue };
        let (offset, length) = block_span(line.entry.size, nth as u64);
        let read = site.disk.read_at(&file, buffer.first(length), offset);
        let count = read.map_err(HaulError::disk("read", other))?;
        if count != length || block_hash(buffer.first(length), nth as u64, line.entry.size) != *hash {
            return Ok(None);
        }
        known += 1;
    }
    Ok(Some(known))
}
