//! Repointing: all record files of an item change together, or none does.
//!
//! Law: the journal has the bytes before and after of every file before the first one is replaced;
//! each file is replaced by a flushed one in one step. After a crash, a file that holds neither of
//! the two was written by its launcher: its leaves are changed again, and its other bytes stay.

use super::replace::{beside, folder_meta, read, replace};
use crate::haul::inspect::{by_edits, in_item, lists_others_in, others_go_through, what_records_say};
use crate::haul::{
    HaulError, ItemContext, Reach, be_quiet, carried, lock, settle, take_record_folders, wait_until_quiet, within_reach,
};
use crate::platform;
use crate::record::Registering;

use std::io;
use std::path::{Path, PathBuf};

use crate::disk::{FolderLock, What};
use crate::item::{Finding, FindingKind, PlannedItem, Stage, Strategy};
use crate::journal::EventKind;
use crate::platform::cannot_exchange;

use crate::plan::lead_anew;
use crate::platform::Look;

use crate::record::{Content, Edit, EditError, FileChange, Files, Mood, still_lists};
use crate::site::real_path;

/// Changes the records of an item whose whole copy is at its place.
pub(crate) fn update_records(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let changes = match exact_undo(work)? {
        Some(changes) => changes,
        None => planned_changes(work)?,
    };
    write_all(work, &changes, &changes)
}

/// Takes the folders of all record files of an item: two hauls never change one at the same time.
fn take_records(work: &ItemContext<'_>, reach: Reach) -> Result<Vec<FolderLock>, HaulError> {
    let mut files: Vec<PathBuf> = work.item.planned.record_files().into_iter().map(Path::to_path_buf).collect();
    files.extend(work.journal.changes(work.item.id)?.into_iter().map(|change| change.file));
    // A record file on a drive that is away is not gone: it says what it said.
    let mut row = work.item.clone();
    let standing = settle(work.site, &mut row)?;
    match reach {
        Reach::All => standing.required_for(&row.planned, &files)?,
        Reach::WhatIsThere => files.retain(|file| !standing.is_out_of_reach(&row.planned, file)),
    }
    let left = left_for_this(work, &edits_to_make(&work.item.planned))?;
    files.extend(left.iter().flat_map(Edit::files).map(Path::to_path_buf));
    // The game's own folder is taken already.
    files.retain(|file| in_item(&work.item.planned, file).is_none());
    take_record_folders(work, &files)
}

/// What the planned edits make of the record files, if these say what they said then; else what is found in them now.
fn planned_changes(work: &ItemContext<'_>) -> Result<Vec<FileChange>, HaulError> {
    if !work.moved {
        let mut files = Files::default().after(&made_before(work)?);
        match files.make(&edits_now(work)?, Mood::Strict) {
            Ok(()) => return Ok(files.changes()),
            Err(error) if !is_of_the_records(&error) => return Err(error.into()),
            Err(error) => tracing::info!(%error, "records are searched again"),
        }
    }
    found_anew(work, Direction::There)
}

/// What was made of record files by the item before, and by the one that it takes back.
fn made_before(work: &ItemContext<'_>) -> Result<Vec<FileChange>, HaulError> {
    let mut made = work.journal.changes(work.item.id)?;
    if let Some(item) = work.item.takes_back {
        made.extend(work.journal.changes(item)?);
    }
    Ok(made)
}

/// Whether an error says that the records are not what they were, and not that they cannot be read.
fn is_of_the_records(error: &EditError) -> bool {
    match error {
        EditError::RecordChanged { .. } | EditError::Exists { .. } | EditError::Document { .. } => true,
        EditError::Read { source, .. } => source.kind() == io::ErrorKind::NotFound,
        EditError::Database(_) | EditError::Impossible { .. } => false,
    }
}

/// Which way records are led.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Direction {
    There,
    Back,
}

/// Where the records lead from: where the item is, or the path that its drive had when it was written down, if they say that still.
fn led_from(work: &ItemContext<'_>, way: Direction, now: &Path) -> Result<PathBuf, HaulError> {
    let Some(row) = work.journal.item(work.item.id)?.filter(|_| work.moved) else { return Ok(now.into()) };
    let written = if way == Direction::There { row.planned.from } else { row.planned.to };
    let says = what_records_say(work.site, &work.item.planned.game).map(|game| game.install);
    Ok(if says.as_ref() == Some(&written) { written } else { now.into() })
}

/// Finds the records of an item as they are now, and makes them lead there, or back.
fn found_anew(work: &ItemContext<'_>, way: Direction) -> Result<Vec<FileChange>, HaulError> {
    let planned = &work.item.planned;
    let (own, from, to) = match way {
        Direction::There => (edits_now(work)?, &planned.from, &planned.to),
        Direction::Back => {
            let turned = Edit::turned_all(&edits_to_make(planned));
            (wanted_now(work, turned)?, &planned.to, &planned.from)
        }
    };
    let from = &led_from(work, way, from)?;
    let leading = lead_anew(work.site, planned, (&own, &made_before(work)?), (from, to))?;
    // All records change together: without its entry in the launcher's list the rest would say one thing and the list another.
    if !leading.listed && way == Direction::There && work.item.takes_back.is_none() {
        let (launcher, copy) = (planned.launcher_name.clone(), planned.to.clone());
        let kind = FindingKind::RecordsElsewhere { launcher, path: None, copy };
        return Err(HaulError::Refused(vec![Finding::about(&planned.game, &planned.title, kind)]));
    }
    // A haul that leads nothing would leave its launcher at the old place, and where no profile says what is a record, each is
    // one that has to be found. An undo has nothing to do then.
    let leads_nothing = leading.changes.is_empty() && !own.is_empty();
    let enters = enters_again(planned);
    let needs_all = by_edits(planned) || planned.mode == Strategy::Records || enters;
    let missed = !leading.missed.is_empty() && (leads_nothing || needs_all);
    if missed && way == Direction::There && (work.item.takes_back.is_none() || enters) {
        return Err(leading.missed.into_iter().next().map_or(HaulError::NeedsRecovery, HaulError::from));
    }
    if !leading.listed {
        work.journal.say(work.item.haul, Some(work.item.id), EventKind::Unlisted, &planned.title)?;
    }
    Ok(leading.changes)
}

/// Goes on with a repoint that was interrupted.
pub(crate) fn finish(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let known = work.journal.changes(work.item.id)?;
    sweep(work, &known)?;
    if !work.moved && !written_by_others(&known)? {
        return write_all(work, &known, &known);
    }
    let mut files = Files::knowing(&known).after(&made_before(work)?);
    let made = files.make(&edits_now(work)?, Mood::Again);
    let anew = match made {
        Ok(()) if !work.moved => files.changes(),
        Err(error) if !is_of_the_records(&error) => return Err(error.into()),
        _ => found_anew(work, Direction::There)?,
    };
    write_all(work, &merged(known, anew.clone()), &anew)
}

/// Changes the records of an item once more, since its launcher has written its old ones after they were changed.
pub(crate) fn update_records_again(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let known = work.journal.changes(work.item.id)?;
    let anew = found_anew(work, Direction::There)?;
    write_all(work, &merged(known, anew.clone()), &anew)
}

/// Does the same for an item whose originals are gone: it stays what it is.
pub(crate) fn update_released_records(work: &ItemContext<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    for change in found_anew(work, Direction::There)? {
        replace(&work.site.disk, &change, &work.own_name("record"))?;
    }
    Ok(work.journal.say(work.item.haul, Some(work.item.id), EventKind::UpdatedAgain, &work.item.planned.title)?)
}

/// Whether the records of an item lead to a third place, or to none and cannot be led anywhere: then there is nothing to change again.
pub(crate) fn leads_elsewhere(work: &ItemContext<'_>, place: &Path) -> bool {
    let planned = &work.item.planned;
    if by_edits(planned) {
        let mut files = Files::default();
        return files.make(&edits_to_make(planned), Mood::Strict).is_err();
    }
    let known = |install: &Path| install == place || install == planned.from || install == planned.source();
    if let Some(game) = what_records_say(work.site, &planned.game) {
        return !known(&game.install);
    }
    // A launcher that wrote its libraries as they were has forgotten the one with the game in it.
    let made = made_before(work).unwrap_or_default();
    let anew = lead_anew(work.site, planned, (&edits_to_make(planned), &made), (&planned.from, &planned.to));
    !anew.is_ok_and(|leading| leading.listed && !leading.changes.is_empty())
}

/// Whether the entry comes into its list anew, since the list that has it is out of reach: then that is what leads to the game.
pub(crate) fn enters_again(planned: &PlannedItem) -> bool {
    planned.mode == Strategy::TakeBack && planned.edits.iter().any(|edit| matches!(edit, Edit::Enter(_)))
}

/// The edits of an item that are to be made. Those within it stay with the item, for it may be copied once more; originals
/// that are taken up again were never rewritten.
pub(crate) fn edits_to_make(planned: &PlannedItem) -> Vec<Edit> {
    let within = |edit: &Edit| edit.files().iter().all(|file| file.starts_with(&planned.to));
    let wanted = |edit: &&Edit| planned.mode != Strategy::TakeBack || !within(edit);
    planned.edits.iter().filter(wanted).cloned().collect()
}

/// The edits of an item that are to be made now. An undo also takes away what an older one had to leave for this very game.
fn edits_now(work: &ItemContext<'_>) -> Result<Vec<Edit>, HaulError> {
    let mut edits = edits_to_make(&work.item.planned);
    edits.extend(left_for_this(work, &edits)?);
    wanted_now(work, edits)
}

/// Libraries and drive letters that hauls made which were undone while this game was in them already: they were left for it.
fn left_for_this(work: &ItemContext<'_>, own: &[Edit]) -> Result<Vec<Edit>, HaulError> {
    let Some(brought) = work.item.takes_back else { return Ok(Vec::new()) };
    let place = real_path(&work.item.planned.from);
    let mut left: Vec<Edit> = Vec::new();
    for item in work.journal.items_undone_around(brought)? {
        let around = |edit: &&Edit| {
            if let Edit::Link { link, old: None, new: Some(target) } = edit {
                let stands = || link.look_link().is_ok_and(|says| says == *target);
                return is_a_letter(link) && place.starts_with(real_path(target)) && stands();
            }
            matches!(edit, Edit::Register(Registering { library: Some(library), made: None, listed: false, .. })
                if place.starts_with(real_path(library)))
        };
        let made: Vec<Edit> = item.planned.edits.iter().filter(around).cloned().collect();
        for edit in Edit::turned_all(&made) {
            if !own.contains(&edit) && !left.contains(&edit) {
                left.push(edit);
            }
        }
    }
    Ok(left)
}

/// Those of some edits that are to be made now: a library in which its launcher has other games stays known to it, and a drive letter by
/// which others are reached stays.
fn wanted_now(work: &ItemContext<'_>, edits: Vec<Edit>) -> Result<Vec<Edit>, HaulError> {
    let game = &work.item.planned.game;
    let mut wanted = Vec::with_capacity(edits.len());
    for edit in edits {
        let stays =
            if let Edit::Unregister(Registering { library: Some(library), made: None, listed: false, .. }) = &edit {
                lists_others_in(work.site, game, library)
            } else if let Edit::Link { link, old: Some(target), new: None } = &edit {
                is_a_letter(link) && others_go_through(work, link, target)?
            } else {
                false
            };
        if !stays {
            wanted.push(edit);
        }
    }
    Ok(wanted)
}

/// Whether a link is a drive letter of a compatibility layer.
fn is_a_letter(link: &Path) -> bool {
    link.parent().is_some_and(|folder| folder.ends_with("dosdevices"))
}

/// Removes what a crash left under our own name beside the record files. What another program had written at the very moment in
/// which our file took its place is put back there.
fn sweep(work: &ItemContext<'_>, known: &[FileChange]) -> Result<(), HaulError> {
    let disk = &work.site.disk;
    for change in known {
        let left = beside(&change.file, &work.own_name("record"));
        if !disk.is_there(&left).map_err(HaulError::disk("look at", &left))? {
            continue;
        }
        let like = if change.after == Content::Absent { &change.before } else { &change.after };
        let (aside, now) = (Content::now(&left, like)?, read(change)?);
        let theirs = now == change.after && aside != change.before && aside != change.after;
        if theirs {
            match disk.exchange(&left, &change.file) {
                Err(error) if !cannot_exchange(&error) => return Err(HaulError::disk("swap", &left)(error)),
                _ => {}
            }
        }
        disk.remove_own(&left, What::File).map_err(HaulError::disk("remove", &left))?;
    }
    Ok(())
}

/// Whether some file holds neither the bytes before nor those after: its launcher has written it since.
fn written_by_others(known: &[FileChange]) -> Result<bool, HaulError> {
    for change in known {
        let now = read(change)?;
        if now != change.before && now != change.after {
            return Ok(true);
        }
    }
    Ok(false)
}

/// The older changes, with those that had to be made anew in their place.
fn merged(mut known: Vec<FileChange>, anew: Vec<FileChange>) -> Vec<FileChange> {
    for change in anew {
        match known.iter_mut().find(|old| old.file == change.file) {
            Some(old) => *old = change,
            None => known.push(change),
        }
    }
    known
}

/// Takes a half-made repoint back.
pub(crate) fn undo(work: &mut ItemContext<'_>, reach: Reach) -> Result<(), HaulError> {
    be_quiet(work)?;
    let _taken = take_records(work, reach)?;
    let mut known = work.journal.changes(work.item.id)?;
    let mut row = work.item.clone();
    let standing = settle(work.site, &mut row)?;
    let out_of_reach = |file: &Path| reach == Reach::WhatIsThere && standing.is_out_of_reach(&row.planned, file);
    let turned = Edit::turned_all(&edits_to_make(&work.item.planned));
    let turned = within_reach(&turned, &known, &out_of_reach).ok_or(HaulError::NeedsRecovery)?;
    let all = turned.len();
    let turned = wanted_now(work, turned)?;
    known.retain(|change| !out_of_reach(&change.file));
    sweep(work, &known)?;
    let back: Vec<FileChange> = if turned.len() < all || written_by_others(&known)? {
        let swapped = known.iter().cloned().map(|c| FileChange { file: c.file, before: c.after, after: c.before });
        let mut files = Files::knowing(&swapped.collect::<Vec<_>>());
        match files.make(&turned, Mood::Again) {
            Ok(()) => files.changes(),
            Err(error) if !is_of_the_records(&error) => return Err(error.into()),
            Err(_) => found_anew(work, Direction::Back)?,
        }
    } else {
        let turned = |c: FileChange| FileChange { file: c.file, before: c.after, after: c.before };
        known.into_iter().rev().map(turned).collect()
    };
    for change in &back {
        replace(&work.site.disk, change, &work.own_name("record"))?;
    }
    let linked = work.item.planned.mode == Strategy::Rename
        && platform::look_itself(&work.item.planned.to).is_ok_and(|m| m.is_link());
    work.set_stage(if linked { Stage::Linked } else { Stage::Placed })
}

/// The byte-identical way back, where every record file still holds what the returned item wrote.
fn exact_undo(work: &ItemContext<'_>) -> Result<Option<Vec<FileChange>>, HaulError> {
    let Some(item) = work.item.takes_back else { return Ok(None) };
    let known = work.journal.changes(item)?;
    // Of a repoint that this journal did not see only the outcome is known.
    if known.iter().any(|change| change.before.says_the_same(&change.after)) {
        return Ok(None);
    }
    let Some(written) = work.journal.item(item)? else { return Ok(None) };
    let mut now = written.clone();
    let standing = settle(work.site, &mut now)?;
    let mut back = Vec::new();
    for change in known {
        let mut change = change;
        // Its drive may have another path by now.
        change.file = carried(&written.planned, &now.planned, &change.file);
        // An undo that needs it has not begun; one without the copy's drive leaves it as it is.
        if standing.is_out_of_reach(&now.planned, &change.file) {
            continue;
        }
        if let Some(path) = in_item(&work.item.planned, &change.file) {
            // Held originals were never rewritten; what was copied or renamed back is, where it lies now.
            if work.item.planned.mode == Strategy::TakeBack {
                continue;
            }
            let file = work.item.planned.to.join(path);
            // A link is changed where it stands, and nothing behind it.
            change.file = match (&change.after, file.parent(), file.file_name()) {
                (Content::Link(_), Some(folder), Some(name)) => real_path(folder).join(name),
                _ => real_path(&file),
            };
        }
        let now = read(&change)?;
        let Some(before) = change.before.made_of(&now).filter(|_| change.after.is(&now)) else { return Ok(None) };
        back.push(FileChange { file: change.file, before: now, after: before });
    }
    // An item that took originals up did not rewrite what lies in them: then there is more to change than it changed.
    let covered = |file: &Path| back.iter().any(|change| change.file == real_path(file));
    let within = edits_to_make(&work.item.planned);
    let mut within = within.iter().flat_map(Edit::files).filter(|file| file.starts_with(&work.item.planned.to));
    if !within.all(covered) {
        return Ok(None);
    }
    // A library that others live in stays known, and the last one that leaves it takes it away, whoever made it known.
    let all = edits_to_make(&work.item.planned).len();
    let forgets = |edit: &Edit| matches!(edit, Edit::Unregister(Registering { made: None, listed: false, .. }));
    let edits = edits_now(work)?;
    let stays = |edit: &Edit| {
        let of_file = |change: &&FileChange| edit.files().iter().any(|file| change.file == real_path(file));
        back.iter().find(of_file).is_none_or(|change| still_lists(edit, &change.after))
    };
    if edits.len() != all || edits.iter().any(|edit| forgets(edit) && stays(edit)) {
        return Ok(None);
    }
    // The entry arrives at its old list before it leaves the new one.
    back.reverse();
    Ok((!back.is_empty()).then_some(back))
}

/// Writes down `all` and then replaces what is in `open`.
fn write_all(work: &mut ItemContext<'_>, all: &[FileChange], open: &[FileChange]) -> Result<(), HaulError> {
    let next = work.item.stage.clone().to(Stage::UpdatingRecords)?;
    work.journal.put_changes(work.item.id, all, &next)?;
    work.item.stage = next;
    work.tell_stage();
    for change in open {
        // A game's own file goes to a folder that its library may not have yet.
        if let (Content::Absent, Content::Bytes(_), Some(folder)) =
            (&change.before, &change.after, change.file.parent())
            && !platform::is_in_registry(&change.file)
        {
            work.make_way(folder)?;
        }
        let within = in_item(&work.item.planned, &change.file).and_then(|_| change.file.parent());
        let folder = within.and_then(|folder| Some((folder, folder_meta(folder)?)));
        replace(&work.site.disk, change, &work.own_name("record"))?;
        // The copy's folders keep the times of their originals.
        if let Some((folder, meta)) = folder {
            work.site.disk.set_folder_meta(folder, &meta).map_err(HaulError::disk("set the times of", folder))?;
        }
    }
    work.set_stage(Stage::RecordsUpdated)
}
