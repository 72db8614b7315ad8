//! Files of an item that the update of its records rewrote.

use crate::platform;
use std::collections::HashMap;

use std::path::{Path, PathBuf};

use crate::haul::HaulError;

use crate::item::PlannedItem;
use crate::journal::{ItemRow, Journal};

use crate::site::{Site, real_path};
use crate::survey::GameId;

/// The place within the item of a record file that lies in the item itself.
pub(crate) fn in_item(planned: &PlannedItem, file: &Path) -> Option<PathBuf> {
    let places = [&planned.to, &planned.from];
    places.iter().find_map(|place| {
        let below = file.strip_prefix(place).or_else(|_| file.strip_prefix(real_path(place)));
        below.map(Path::to_path_buf).ok()
    })
}

/// Files of an item that its repoint rewrote in the copy: size and hash that they have since.
pub(crate) type Rewritten = HashMap<PathBuf, (u64, blake3::Hash)>;

/// Finds the files that the repoint of an item rewrote in its copy.
pub(crate) fn rewritten_in(journal: &Journal, item: &ItemRow) -> Result<Rewritten, HaulError> {
    let mut all = Rewritten::new();
    for change in journal.changes(item.id)? {
        if let (Some(path), Some(known)) = (in_item(&item.planned, &change.file), change.after.bytes_known()) {
            all.insert(path, known);
        }
    }
    Ok(all)
}

/// Finds the files that repoints of a game rewrote in what lies at one place, the newest repoint last: what a return is
/// returned to was rewritten by the first haul.
pub(crate) fn rewritten_at(
    site: &Site,
    journal: &Journal,
    game: &GameId,
    place: &Path,
) -> Result<Rewritten, HaulError> {
    let mut all = Rewritten::new();
    let here = site.place_at(place).ok();
    let mut items = journal.items_of(game)?;
    items.sort_unstable_by_key(|item| item.id.0);
    for item in items {
        if item.is_at(place, here.as_ref()) {
            all.extend(rewritten_in(journal, &item)?);
        }
    }
    Ok(all)
}

/// Whether a file is just what a repoint made of it.
pub(crate) fn is_rewritten(rewritten: &Rewritten, path: &Path, at: &Path) -> bool {
    rewritten.get(path).is_some_and(|(size, hash)| {
        platform::look_itself(at).is_ok_and(|meta| meta.is_file() && meta.size == *size)
            && platform::read(at).is_ok_and(|bytes| blake3::hash(&bytes) == *hash)
    })
}
