//! Where the two ends of an item are at this moment: whether their drives are there, and under which paths.
//!
//! Law: nothing is made, led anywhere or removed at an end whose drive is not there. A drive that is mounted elsewhere is the same
//! drive: the item's paths follow it.

use std::path::{Path, PathBuf};

use super::error::HaulError;
use crate::item::{Finding, FindingKind, PlannedItem};
use crate::journal::{HaulRow, ItemRow};
use crate::site::{DrivePlace, Presence, Site};

/// Whether the drive of one end is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum End {
    There,
    /// It is not; its name.
    Away(String),
    /// Another drive is where it was; its name.
    Another(String),
}

impl End {
    /// What is wrong with it, to be told.
    pub(crate) fn fault(&self, path: &Path) -> Option<FindingKind> {
        match self {
            Self::There => None,
            Self::Away(drive) => Some(FindingKind::DriveAway { drive: drive.clone(), path: path.into() }),
            Self::Another(drive) => Some(FindingKind::AnotherDrive { drive: drive.clone(), path: path.into() }),
        }
    }

    /// Refuses if it is not there.
    pub(crate) fn required(&self, planned: &PlannedItem, path: &Path) -> Result<(), HaulError> {
        let refused = |kind| Err(HaulError::Refused(vec![Finding::about(&planned.game, &planned.title, kind)]));
        self.fault(path).map_or(Ok(()), refused)
    }
}

/// Both ends.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Standing {
    /// Of [`PlannedItem::from`].
    pub(crate) from: End,
    /// Of [`PlannedItem::to`].
    pub(crate) to: End,
    /// Whether a drive has another path than when the item was written down.
    pub(crate) moved: bool,
}

impl Standing {
    /// Refuses if one of these files lies on a drive of the item that is not there.
    pub(crate) fn required_for(&self, planned: &PlannedItem, files: &[PathBuf]) -> Result<(), HaulError> {
        for (end, path, top) in self.tops(planned) {
            if top.is_some_and(|top| files.iter().any(|file| file.starts_with(top))) {
                end.required(planned, path)?;
            }
        }
        Ok(())
    }

    /// Whether a file lies on a drive of the item that is not there.
    pub(crate) fn is_out_of_reach(&self, planned: &PlannedItem, file: &Path) -> bool {
        self.tops(planned)
            .into_iter()
            .any(|(end, _, top)| *end != End::There && top.is_some_and(|top| file.starts_with(top)))
    }

    /// Both ends: each with its path and with the folder in which its drive is mounted.
    fn tops<'a>(&'a self, planned: &'a PlannedItem) -> [(&'a End, &'a Path, Option<&'a Path>); 2] {
        let top = |path: &'a Path, place: Option<&DrivePlace>| path.ancestors().nth(place?.below.iter().count());
        let (from, to) = (planned.from.as_path(), planned.to.as_path());
        [(&self.from, from, top(from, planned.from_place.as_ref())), (&self.to, to, top(to, planned.to_place.as_ref()))]
    }
}

/// Finds both ends of an item, and has its paths be what they are now.
///
/// # Errors
/// What the system said to a look: then nothing is known of that end.
pub(crate) fn settle(site: &Site, row: &mut ItemRow) -> Result<Standing, HaulError> {
    let planned = &row.planned;
    let look = |place: Option<&DrivePlace>,
                path: &Path,
                drive: Option<&String>|
     -> Result<(End, Option<PathBuf>), HaulError> {
        let Some(place) = place else { return Ok((by_name(site, path, drive), None)) };
        Ok(match site.find_place(place, path).map_err(HaulError::disk("look at the drive of", path))? {
            Presence::At(now) => (End::There, (now != path).then_some(now)),
            Presence::Away => (End::Away(place.name.clone()), None),
            Presence::Another => (End::Another(place.name.clone()), None),
        })
    };
    let (from, from_now) = look(planned.from_place.as_ref(), &planned.from, planned.from_drive.as_ref())?;
    let (to, to_now) = look(planned.to_place.as_ref(), &planned.to, Some(&planned.to_drive))?;
    let moved = from_now.is_some() || to_now.is_some();
    if let Some(now) = from_now {
        follow(row, &row.planned.from.clone(), &now);
    }
    if let Some(now) = to_now {
        follow(row, &row.planned.to.clone(), &now);
    }
    if moved {
        let planned = &mut row.planned;
        planned.from_drive = site.drive_of(&planned.from).map(|drive| drive.name.clone()).or(planned.from_drive.take());
        if let Some(drive) = site.drive_of(&planned.to) {
            planned.to_drive.clone_from(&drive.name);
        }
    }
    Ok(Standing { from, to, moved })
}

/// What an older journal knows of a drive is its name.
fn by_name(site: &Site, path: &Path, drive: Option<&String>) -> End {
    match (drive.filter(|name| !name.is_empty()), site.drive_of(path)) {
        (Some(name), Some(there)) if there.name == *name => End::There,
        (Some(name), _) => End::Away(name.clone()),
        (None, _) => End::There,
    }
}

/// Where a drive was and where it is, of a path on it before and now: all but the names that both end in.
fn tops<'a>(old: &'a Path, now: &'a Path) -> Option<(&'a Path, &'a Path)> {
    let alike = old.iter().rev().zip(now.iter().rev()).take_while(|(a, b)| a == b).count();
    old.ancestors().nth(alike).zip(now.ancestors().nth(alike))
}

/// Has everything of an item that lies below the old top of a drive lie below the new one.
fn follow(row: &mut ItemRow, old: &Path, now: &Path) {
    let Some((old, now)) = tops(old, now) else { return };
    let carry = |path: &mut PathBuf| {
        if let Ok(rest) = path.strip_prefix(old) {
            *path = now.join(rest);
        }
    };
    let PlannedItem { from, to, aside, edits, .. } = &mut row.planned;
    carry(from);
    carry(to);
    // Record files on that drive go with it; what they say is what was written into them.
    *edits = std::mem::take(edits).into_iter().map(|edit| edit.carried(old, now)).collect();
    if let Some(aside) = aside {
        carry(&mut aside.old);
        carry(&mut aside.held);
    }
    if let Some(ours) = row.stage.ours_mut() {
        carry(ours);
    }
}

/// The drives of the open items of a haul that are not there now, or have another in their place; each once, by name.
pub fn drives_away(site: &Site, haul: &HaulRow) -> Vec<String> {
    let open = haul.items.iter().filter(|item| !item.stage.at_rest() || item.holds_originals());
    let mut names: Vec<String> = open
        .filter_map(|item| settle(site, &mut item.clone()).ok())
        .flat_map(|standing| [standing.from, standing.to])
        .filter_map(|end| match end {
            End::There => None,
            End::Away(name) | End::Another(name) => Some(name),
        })
        .collect();
    names.sort_unstable();
    names.dedup();
    names
}

/// Where a file is now that lay on a drive of an item when it was written down.
pub(crate) fn carried(written: &PlannedItem, now: &PlannedItem, file: &Path) -> PathBuf {
    for (old, new) in [(&written.to, &now.to), (&written.from, &now.from)] {
        if let Some((old, new)) = tops(old, new)
            && let Ok(rest) = file.strip_prefix(old)
        {
            return new.join(rest);
        }
    }
    file.into()
}

/// Writes down on which drives the ends of an item are, where that is not known yet.
pub(crate) fn note_places(site: &Site, planned: &mut PlannedItem) -> Result<(), HaulError> {
    if planned.from_place.is_none() {
        planned.from_place = Some(site.place_at(&planned.from).map_err(HaulError::disk("look at", &planned.from))?);
    }
    if planned.to_place.is_none() {
        planned.to_place = Some(site.place_at(&planned.to).map_err(HaulError::disk("look at", &planned.to))?);
    }
    Ok(())
}
