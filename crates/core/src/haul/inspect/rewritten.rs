//! Files of an item that the update of its records rewrote.

use std::collections::HashMap;

use std::path::{Path, PathBuf};

use crate::haul::HaulError;

use crate::item::PlannedLot;
use crate::journal::{Journal, LotRow};

use crate::site::{Site, real_path};
use crate::survey::GameId;

/// The place within the lot of a record file that lies in the lot itself.
pub(crate) fn in_lot(planned: &PlannedLot, file: &Path) -> Option<PathBuf> {
    let places = [&planned.to, &planned.from];
    places.iter().find_map(|place| {
        let below = file.strip_prefix(place).or_else(|_| file.strip_prefix(real_path(place)));
        below.map(Path::to_path_buf).ok()
    })
}

/// Files of a lot that its repoint rewrote in the copy: size and hash that they have since.
pub(crate) type Rewritten = HashMap<PathBuf, (u64, blake3::Hash)>;

/// Finds the files that the repoint of a lot rewrote in its copy.
pub(crate) fn rewritten_in(journal: &Journal, lot: &LotRow) -> Result<Rewritten, HaulError> {
    let mut all = Rewritten::new();
    for change in journal.changes(lot.id)? {
        if let (Some(path), Some(known)) = (in_lot(&lot.planned, &change.file), change.after.bytes_known()) {
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
    let mut lots = journal.lots_of(game)?;
    lots.sort_unstable_by_key(|lot| lot.id.0);
    for lot in lots {
        if lot.is_at(place, here.as_ref()) {
            all.extend(rewritten_in(journal, &lot)?);
        }
    }
    Ok(all)
}

/// Whether a file is just what a repoint made of it.
pub(crate) fn is_rewritten(rewritten: &Rewritten, path: &Path, at: &Path) -> bool {
    rewritten.get(path).is_some_and(|(size, hash)| {
        at.symlink_metadata().is_ok_and(|meta| meta.is_file() && meta.len() == *size)
            && std::fs::read(at).is_ok_and(|bytes| blake3::hash(&bytes) == *hash)
    })
}
