//! Going back while the drive of the copy is not there: what a person chose where that drive will not come back.
//!
//! Law: the originals are kept and are read before anything leads to them; records on drives that are there lead to them
//! again; what is on the other drive stays as it is, and is named. Start at [`without_copy`].

use std::path::{Path, PathBuf};

use super::error::HaulError;
use super::standing::{End, Standing, settle};
use crate::item::{Left, PlannedItem, Stage, Strategy, WhyLeft};
use crate::journal::{ItemRow, Journal};
use crate::record::{Content, Edit, Entering, FileChange, Files};
use crate::site::{Site, real_path};

/// Which record files a way back changes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Reach {
    /// All of them; it does not begin where one is on a drive that is not there.
    All,
    /// Those on drives that are there.
    WhatIsThere,
}

/// Whether the copy's drive is not there, and all that is needed to do without it is.
fn can_do_without(site: &Site, item: &ItemRow, standing: &Standing) -> bool {
    let held = site.disk.is_folder(item.held_at()).unwrap_or(false);
    standing.to != End::There && standing.from == End::There && held
}

/// The undo of an item that leaves its copy, and the records on the copy's drive, where they are; `None` if that is no way back:
/// the copy is there, or the originals are not. `back` is the undo of the item with all of its records.
pub(crate) fn without_copy(
    site: &Site,
    journal: &Journal,
    item: &ItemRow,
    back: &PlannedItem,
) -> Result<Option<PlannedItem>, HaulError> {
    let mut item = item.clone();
    let standing = settle(site, &mut item)?;
    if !item.holds_originals() || back.mode != Strategy::TakeBack || !can_do_without(site, &item, &standing) {
        return Ok(None);
    }
    let known = journal.changes(item.id)?;
    let edits = within_reach(&back.edits, &known, &|file| standing.is_out_of_reach(&item.planned, file));
    Ok(edits.map(|edits| PlannedItem { edits, ..back.clone() }))
}

/// The edits of a way back, without what lies out of reach. An entry that would come from a list out of reach is the one that its
/// own list had before; `None` if nobody knows that any more.
pub(crate) fn within_reach(
    edits: &[Edit],
    known: &[FileChange],
    out_of_reach: &dyn Fn(&Path) -> bool,
) -> Option<Vec<Edit>> {
    let mut kept = Vec::new();
    for edit in edits {
        match edit {
            Edit::Travel { from, to, format, list, id_at, id, totals, .. }
                if out_of_reach(from) && !out_of_reach(to) =>
            {
                let place = real_path(to);
                let before = known.iter().find(|change| change.file == place || change.file == *to)?;
                let Content::Bytes(bytes) = &before.before else { return None };
                let (id_at, id) = (id_at.clone(), id.clone());
                let entry = Files::entry_in(bytes, *format, list, id_at.as_deref(), &id)?;
                let (file, list, totals) = (to.clone(), list.clone(), totals.clone());
                kept.push(Edit::Enter(Entering { file, format: *format, list, id_at, id, entry, totals }));
            }
            Edit::Relocate { from, to, .. } if out_of_reach(from) && !out_of_reach(to) => {
                let place = real_path(to);
                let before = known.iter().find(|change| change.file == place || change.file == *to)?;
                let Content::Bytes(bytes) = &before.before else { return None };
                let new = Some(String::from_utf8(bytes.clone()).ok()?);
                kept.push(Edit::Made { file: to.clone(), old: None, new });
            }
            Edit::Replace { .. }
            | Edit::Link { .. }
            | Edit::Travel { .. }
            | Edit::Relocate { .. }
            | Edit::Enter(_)
            | Edit::Leave(_)
            | Edit::Follow(_)
            | Edit::Made { .. }
            | Edit::Register(_)
            | Edit::Unregister(_)
            | Edit::Order { .. } => {
                if !edit.files().into_iter().any(out_of_reach) {
                    kept.push(edit.clone());
                }
            }
        }
    }
    Some(kept)
}

/// What an undo without the copy's drive has left there: the copy, and the records that still lead to it.
pub(crate) fn left_there(written: &PlannedItem, standing: &Standing, copy: &Path) -> Vec<Left> {
    let record = |path: &Path| Left { path: path.into(), bytes: crate::bytes::Bytes::ZERO, why: WhyLeft::DriveAway };
    let mut left = vec![Left { path: copy.into(), bytes: written.size.on_disk, why: WhyLeft::DriveAway }];
    let files = written.record_files().into_iter();
    left.extend(files.filter(|file| !file.starts_with(copy) && standing.is_out_of_reach(written, file)).map(record));
    left
}

/// Ends an undo whose copy is on a drive that is not there: the copy is left, and named.
pub(crate) fn leave_copy(site: &Site, journal: &Journal, undone: &ItemRow, back: &ItemRow) -> Result<(), HaulError> {
    if back.stage != (Stage::Proved { holds: true }) {
        return Ok(());
    }
    let (mut undone, copy): (ItemRow, PathBuf) = (undone.clone(), back.held_at().to_path_buf());
    let standing = settle(site, &mut undone)?;
    let left = left_there(&undone.planned, &standing, &copy);
    journal.put_remains(back.id, &left)?;
    let releasing = back.stage.clone().to(Stage::Releasing)?;
    journal.set_stage(back.id, &releasing)?;
    let left = left.len() as u64;
    Ok(journal.set_stage(back.id, &releasing.to(Stage::Released { left })?)?)
}
