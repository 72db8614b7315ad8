//! Deleting originals: only what was verified and is unchanged since, once the gate has looked at the copy that stays.
//!
//! Law: what changed or appeared among the originals stays and is named; an interrupted release goes on where it was, through the
//! same gate. Start at [`release_haul`].

use crate::haul::NothingThere;
use crate::haul::gate::Passed;
use crate::haul::inspect::{Depth, has_the_bytes, is_rewritten, rewritten_in};
use crate::haul::{Control, HaulError, HaulEvent, ItemContext, Removed, Stays, left_name, pass, remove_known, settle};
use crate::platform::{Seen, SeenKind, is_read_only, look_behind};
use std::path::{Path, PathBuf};

use crate::bytes::{HaulId, ItemId};
use crate::checksums::{Entry, EntryKind, FileIdentity};
use crate::item::{Finding, FindingKind, Links, Stage, StageKind, Strategy, WhyLeft};
use crate::journal::{EventKind, FileEntry, ItemRow, Journal};
use crate::platform::Steady;
use crate::site::{Site, real_path};

/// Releases the kept originals of a haul, or goes on with it, and tries once more what an earlier release had to leave.
///
/// # Errors
/// [`HaulError::Refused`] where the newest proof of an item found differences, or the gate does not let it pass; nothing of that item
/// is removed. [`HaulError::Nothing`] if no item of the haul has kept originals.
pub fn release_haul(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Removed, HaulError> {
    release_looking(site, journal, id, Depth::Seen, report, stop)
}

/// Does the same, and looks as closely as is asked for: [`Depth::Read`] reads every byte of the copies and of the originals.
///
/// # Errors
/// As [`release_haul`].
pub fn release_looking(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    depth: Depth,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Removed, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(NothingThere::NoHaul(id)))?;
    // An undo may be on its way back to these very originals.
    if let Some(other) = journal.live()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let taken_up = |item: &ItemRow| -> Result<bool, HaulError> { Ok(taken_up(journal, item)?.is_some()) };
    let mut items = Vec::new();
    let mut failed = Vec::new();
    for item in &haul.items {
        if item.stage == (Stage::Proved { holds: false }) && item.holds_originals() {
            let count = item.proof.as_ref().map_or(0, |proof| proof.differ + proof.missing);
            failed.push(Finding::about(&item.planned.game, &item.planned.title, FindingKind::ProofFailed { count }));
        } else if item.stage.has_more_to_release() && !(item.stage.kind() == StageKind::Released && taken_up(item)?) {
            items.push(item.clone());
        }
    }
    if items.is_empty() && !failed.is_empty() {
        return Err(HaulError::Refused(failed));
    }
    if items.is_empty() {
        return Err(HaulError::Nothing(NothingThere::NoOriginals(id)));
    }
    let mut sum = Removed::default();
    for item in items {
        let mut work = ItemContext::new(site, journal, item, report, stop);
        sum.add(release_item(&mut work, depth)?);
    }
    Ok(sum)
}

/// The later item that took up an item's originals again, if one did.
pub(crate) fn taken_up(journal: &Journal, item: &ItemRow) -> Result<Option<ItemRow>, HaulError> {
    let backs = journal.items_taking_back(item.id)?;
    Ok(backs.into_iter().rev().find(|back| back.stage.records_are_updated() || back.stage == Stage::UpdatingRecords))
}

pub(crate) fn release_item(work: &mut ItemContext<'_>, depth: Depth) -> Result<Removed, HaulError> {
    if matches!(work.item.planned.mode, Strategy::Rename | Strategy::Records | Strategy::Import)
        || work.item.planned.keeps
    {
        work.set_stage(Stage::Released { left: 0 })?;
        return Ok(Removed::default());
    }
    // An undo that ended between its proof and its own release has these originals be what the records lead to.
    if let Some(back) = taken_up(work.journal, &work.item)? {
        return Err(HaulError::Unfinished(back.haul));
    }
    settle(work.site, &mut work.item)?;
    let stays = if work.item.planned.mode == Strategy::Quarantine {
        // Of what was set aside there is no copy: that was said when it was.
        Stays::Nothing
    } else {
        let (place, seen) = copy_now(work)?;
        Stays::Copy { place, seen }
    };
    let from = work.item.held_at().to_path_buf();
    let passed = pass(work, &from, &stays, depth)?;
    if work.item.stage != Stage::Releasing {
        if is_read_only(&from) {
            let kind = FindingKind::ReadOnlyDrive { path: from };
            let finding = Finding::about(&work.item.planned.game, &work.item.planned.title, kind);
            return Err(HaulError::Refused(vec![finding]));
        }
        work.set_stage(Stage::Releasing)?;
    }
    let removed = remove_what_is_known(work, &from, &passed, depth)?;
    let left = removed.left.len() as u64;
    let removed =
        if left > 0 && work.item.takes_back.is_some() { out_of_the_way(work, &from, removed)? } else { removed };
    work.journal.put_remains(work.item.id, &removed.left)?;
    work.set_stage(Stage::Released { left })?;
    let title = work.item.planned.title.clone();
    work.journal.say(work.item.haul, Some(work.item.id), EventKind::Released, &title)?;
    (work.report)(HaulEvent::Released { item: work.item.id, title, bytes: removed.bytes, left });
    Ok(removed)
}

/// Removes of the originals what is as it was, or has the bytes that it had; the rest is left.
fn remove_what_is_known(
    work: &ItemContext<'_>,
    from: &Path,
    passed: &Passed,
    depth: Depth,
) -> Result<Removed, HaulError> {
    let steady = work.site.abilities_at(from).steady();
    // What was the copy of an undone item holds files that the repoint had rewritten there: they are ours as well.
    let taken_back = work.item.takes_back.and_then(|id| work.journal.item(id).transpose()).transpose()?;
    let rewritten = taken_back.map(|item| rewritten_in(work.journal, &item)).transpose()?.unwrap_or_default();
    let copied_links = work.item.planned.links == Links::Copies;
    let (disk, stop, work_journal, id) = (&work.site.disk, work.stop, work.journal, work.item.id);
    let verdict = |line: &FileEntry, stat: &Seen| -> Result<Option<WhyLeft>, HaulError> {
        let (entry, path) = (&line.entry, line.entry.path.as_path());
        if let Some(why) = passed.keeps(path) {
            return Ok(Some(why));
        }
        let at = entry.path.under(from);
        let unchanged = is_unchanged(entry, stat, steady) && depth == Depth::Seen
            || (copied_links && leads_as_then(entry, stat, from, steady))
            || (stat.names == 1 && is_rewritten(&rewritten, path, &at))
            || (entry.kind != EntryKind::File && is_unchanged(entry, stat, steady))
            || match &entry.kind {
                EntryKind::Link(target) => {
                    stat.kind == SeenKind::Link && disk.read_link(&at).is_ok_and(|now| now.as_ref() == Some(target))
                }
                EntryKind::File => stat.kind == SeenKind::File && has_the_bytes(disk, stop, &at, line)?,
                // A further name has no hashes of its own: those of the first name are the file's.
                EntryKind::Again(of) => match work_journal.line(id, of)? {
                    Some(first) => stat.kind == SeenKind::File && has_the_bytes(disk, stop, &at, &first)?,
                    None => false,
                },
                EntryKind::Folder => false,
            };
        Ok((!unchanged).then_some(WhyLeft::Changed))
    };
    remove_known(from, id, &verdict, work, &passed.permit)
}

/// What an undo has to leave of a copy gets a name of its own beside its place, so that a game can go there again.
fn out_of_the_way(work: &ItemContext<'_>, from: &Path, mut removed: Removed) -> Result<Removed, HaulError> {
    let disk = &work.site.disk;
    if !disk.is_folder(from).map_err(HaulError::disk("look at", from))? {
        return Ok(removed);
    }
    let other = left_name(work, from)?;
    match disk.rename(from, &other) {
        Ok(()) => {
            let parent = other.parent().unwrap_or(Path::new("/"));
            disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
            removed.left.iter_mut().for_each(|left| left.path = other.join(&left.path));
        }
        // It stays where it is, and is named there.
        Err(_) => removed.left.iter_mut().for_each(|left| left.path = from.join(&left.path)),
    }
    Ok(removed)
}

/// Where the copy of this item is now, and the item whose checksums says how it was seen there: later hauls may have carried it on,
/// and undos of those may have brought it back.
fn copy_now(work: &ItemContext<'_>) -> Result<(PathBuf, ItemId), HaulError> {
    let (mut place, mut seen) = (work.item.planned.place().to_path_buf(), work.item.id);
    let mut items = work.journal.items_of(&work.item.planned.game)?;
    items.sort_unstable_by_key(|item| item.id.0);
    let later = items.into_iter().filter(|item| item.id.0 > work.item.id.0);
    for mut item in later.filter(|item| item.stage.records_are_updated()) {
        settle(work.site, &mut item)?;
        if item.planned.from != place && item.planned.place() != place {
            continue;
        }
        place = item.planned.place().to_path_buf();
        // A rename leaves every file what it was.
        if item.planned.mode != Strategy::Rename {
            seen = item.id;
        }
    }
    Ok((place, seen))
}

/// Whether a file or link is what was verified.
fn is_unchanged(entry: &Entry, stat: &Seen, steady: Steady) -> bool {
    let (kind, sized) = match entry.kind {
        EntryKind::Link(_) => (SeenKind::Link, false),
        EntryKind::Again(_) => (SeenKind::File, false),
        EntryKind::File | EntryKind::Folder => (SeenKind::File, true),
    };
    let now = FileIdentity::of_stat(stat, (!sized).then_some(entry.size), steady);
    stat.kind == kind && FileIdentity::of(entry, steady).is_same(&now)
}

/// Whether a link, of which the copy is a file, leads to what was verified; or to a place within the item that is released already.
fn leads_as_then(entry: &Entry, stat: &Seen, from: &Path, steady: Steady) -> bool {
    if stat.kind != SeenKind::Link || entry.kind != EntryKind::File {
        return false;
    }
    let at = entry.path.under(from);
    if let Ok(there) = look_behind(&at) {
        return is_unchanged(entry, &there, steady);
    }
    let folder = at.parent().unwrap_or(from);
    at.read_link().is_ok_and(|target| real_path(&folder.join(target)).starts_with(real_path(from)))
}
