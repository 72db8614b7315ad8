//! Entries of a launcher's list that come and go by themselves.

use crate::launcher::{Found, FoundGame};
use crate::record::{Edit, Entering, Place, Source, Total};

/// The edit that takes a game's entry off its launcher's list.
pub(super) fn leave(found: &Found, game: &FoundGame) -> Result<Edit, String> {
    let entry = &game.entry;
    let format = entry.shape.format().ok_or("entries of a database are not taken away here")?;
    let list = entry.list.clone().ok_or("its entry is not one of a list")?;
    let source = Source::read(&entry.file, entry.shape).map_err(|e| e.to_string())?;
    let raw = match (&source, Place::read(&entry.location)) {
        (Source::Text(document), Some(place)) => document.raw(&place).map(str::to_string),
        _ => None,
    };
    let entering = Entering {
        file: entry.file.clone(),
        format,
        list,
        id_at: entry.id_at.clone(),
        id: game.id.clone(),
        entry: raw.ok_or("its entry cannot be read")?,
        totals: totals(found, game.claim.map_or(0, |claim| claim.count() as i64)),
    };
    Ok(Edit::Leave(entering))
}

/// The number of a library's own list that counts the bytes of its games.
pub(super) fn totals(found: &Found, amount: i64) -> Vec<Total> {
    let total = found.profile.libraries.as_ref().and_then(|libraries| libraries.total.clone());
    total.into_iter().map(|location| Total { location, amount }).collect()
}
