//! Repointing: all record files of a lot change together, or none does.
//!
//! Law: the journal has the bytes before and after of every file before the first one is replaced;
//! each file is replaced by a flushed one in one step. After a crash, a file that holds neither of
//! the two was written by its launcher: its leaves are changed again, and its other bytes stay.

use std::collections::HashMap;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

use super::error::HaulError;
use super::event::HaulEvent;
use super::hands::lock;
use super::place::cannot_exchange;
use super::prove::{by_edits, what_records_say};
use super::reach::{Reach, within_reach};
use super::run::Work;
use super::standing::{carried, settle};
use super::taking::take_record_folders;
use crate::disk::{Disk, FolderLock, Meta, What, attributes_of};
use crate::item::{Finding, FindingKind, Mode, PlannedLot, Stage, Weight};
use crate::journal::{Journal, LotRow};
use crate::plan::lead_anew;
use crate::preflight::quiet;
use crate::record::{Content, DatabaseError, Edit, EditError, FileChange, Files, Mood, write_cells};
use crate::site::{Site, real_path};
use crate::survey::GameId;

/// The programs that have to end before records change.
fn in_the_way(work: &Work<'_>) -> Vec<Finding> {
    let mut findings = quiet(work.site, std::slice::from_ref(&work.lot.planned));
    findings.retain(|finding| finding.weight == Weight::Stop);
    findings
}

/// Refuses while a launcher, a helper or a game is running.
pub(crate) fn be_quiet(work: &Work<'_>) -> Result<(), HaulError> {
    let findings = in_the_way(work);
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Waits until no launcher, helper or game is running, and says what it waits for.
pub(crate) fn wait_until_quiet(work: &Work<'_>) -> Result<(), HaulError> {
    const LOOK: Duration = Duration::from_secs(1);
    loop {
        let findings = in_the_way(work);
        if findings.is_empty() {
            return Ok(());
        }
        let (lot, title) = (work.lot.id, work.lot.planned.title.clone());
        (work.report)(HaulEvent::Waiting { lot, title, findings });
        let begun = Instant::now();
        while begun.elapsed() < LOOK {
            work.may_go_on()?;
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}

/// Changes the records of a lot whose whole copy is at its place.
pub(crate) fn repoint(work: &mut Work<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let changes = match exact_return(work)? {
        Some(changes) => changes,
        None => planned_changes(work)?,
    };
    write_all(work, &changes, &changes)
}

/// Takes the folders of all record files of a lot: two hauls never change one at the same time.
fn take_records(work: &Work<'_>, reach: Reach) -> Result<Vec<FolderLock>, HaulError> {
    let mut files: Vec<PathBuf> = work.lot.planned.record_files().into_iter().map(Path::to_path_buf).collect();
    files.extend(work.journal.changes(work.lot.id)?.into_iter().map(|change| change.file));
    // A record file on a drive that is away is not gone: it says what it said.
    let mut row = work.lot.clone();
    let standing = settle(work.site, &mut row)?;
    match reach {
        Reach::All => standing.required_for(&row.planned, &files)?,
        Reach::WhatIsThere => files.retain(|file| !standing.is_out_of_reach(&row.planned, file)),
    }
    // The game's own folder is taken already.
    files.retain(|file| in_lot(&work.lot.planned, file).is_none());
    take_record_folders(work, &files)
}

/// What the planned edits make of the record files, if these say what they said then; else what is found in them now.
fn planned_changes(work: &Work<'_>) -> Result<Vec<FileChange>, HaulError> {
    if !work.moved {
        let mut files = Files::default();
        match files.make(&edits_to_make(&work.lot.planned), Mood::Strict) {
            Ok(()) => return Ok(files.changes()),
            Err(error) if !is_of_the_records(&error) => return Err(error.into()),
            Err(error) => tracing::info!(%error, "records are found anew"),
        }
    }
    found_anew(work, Way::There)
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
enum Way {
    There,
    Back,
}

/// Where the records lead from: where the lot is, or the path that its drive had when it was written down, if they say that still.
fn led_from(work: &Work<'_>, way: Way, now: &Path) -> Result<PathBuf, HaulError> {
    let Some(row) = work.journal.lot(work.lot.id)?.filter(|_| work.moved) else { return Ok(now.into()) };
    let written = if way == Way::There { row.planned.from } else { row.planned.to };
    let says = what_records_say(work.site, &work.lot.planned.game).map(|game| game.install);
    Ok(if says.as_ref() == Some(&written) { written } else { now.into() })
}

/// Finds the records of a lot as they are now, and makes them lead there, or back.
fn found_anew(work: &Work<'_>, way: Way) -> Result<Vec<FileChange>, HaulError> {
    let planned = &work.lot.planned;
    let (own, from, to) = match way {
        Way::There => (edits_to_make(planned), &planned.from, &planned.to),
        Way::Back => (Edit::turned_all(&edits_to_make(planned)), &planned.to, &planned.from),
    };
    let from = &led_from(work, way, from)?;
    let leading = lead_anew(work.site, planned, &own, from, to)?;
    // All records change together: without its entry in the launcher's list the rest would say one thing and the list another.
    if !leading.listed && way == Way::There && work.lot.takes_back.is_none() {
        let (launcher, copy) = (planned.launcher_name.clone(), planned.to.clone());
        let kind = FindingKind::RecordsElsewhere { launcher, path: None, copy };
        return Err(HaulError::Refused(vec![Finding::new(Some(&planned.title), kind)]));
    }
    // A haul that leads nothing would leave its launcher at the old place, and where no profile says what is a record, each is
    // one that has to be found. An undo has nothing to do then.
    let leads_nothing = leading.changes.is_empty() && !own.is_empty();
    let enters = enters_again(planned);
    let needs_all = by_edits(planned) || planned.mode == Mode::Records || enters;
    let missed = !leading.missed.is_empty() && (leads_nothing || needs_all);
    if missed && way == Way::There && (work.lot.takes_back.is_none() || enters) {
        return Err(leading.missed.into_iter().next().map_or(HaulError::NeedsRecovery, HaulError::from));
    }
    if !leading.listed {
        work.journal.say(work.lot.haul, Some(work.lot.id), "unlisted", &planned.title)?;
    }
    Ok(leading.changes)
}

/// Goes on with a repoint that was interrupted.
pub(crate) fn finish(work: &mut Work<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let known = work.journal.changes(work.lot.id)?;
    sweep(work, &known)?;
    if !work.moved && !written_by_others(&known)? {
        return write_all(work, &known, &known);
    }
    let mut files = Files::default();
    let made = files.make(&edits_to_make(&work.lot.planned), Mood::Again);
    let anew = match made {
        Ok(()) if !work.moved => files.changes(),
        Err(error) if !is_of_the_records(&error) => return Err(error.into()),
        _ => found_anew(work, Way::There)?,
    };
    write_all(work, &merged(known, anew.clone()), &anew)
}

/// Changes the records of a lot once more, since its launcher has written its old ones after they were changed.
pub(crate) fn repoint_again(work: &mut Work<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    let _taken = take_records(work, Reach::All)?;
    let known = work.journal.changes(work.lot.id)?;
    let anew = found_anew(work, Way::There)?;
    write_all(work, &merged(known, anew.clone()), &anew)
}

/// Does the same for a lot whose originals are gone: it stays what it is.
pub(crate) fn repoint_released(work: &Work<'_>) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let _alone = work.records.map(lock);
    for change in found_anew(work, Way::There)? {
        replace(&work.site.disk, &change, &work.own_name("record"))?;
    }
    Ok(work.journal.say(work.lot.haul, Some(work.lot.id), "led again", &work.lot.planned.title)?)
}

/// Whether the records of a lot lead to a third place, or to none and cannot be led anywhere: then there is nothing to change again.
pub(crate) fn leads_elsewhere(work: &Work<'_>, place: &Path) -> bool {
    let planned = &work.lot.planned;
    if by_edits(planned) {
        let mut files = Files::default();
        return files.make(&edits_to_make(planned), Mood::Strict).is_err();
    }
    let known = |install: &Path| install == place || install == planned.from || install == planned.source();
    if let Some(game) = what_records_say(work.site, &planned.game) {
        return !known(&game.install);
    }
    // A launcher that wrote its libraries as they were has forgotten the one with the game in it.
    let anew = lead_anew(work.site, planned, &edits_to_make(planned), &planned.from, &planned.to);
    !anew.is_ok_and(|leading| leading.listed && !leading.changes.is_empty())
}

/// Whether the entry comes into its list anew, since the list that has it is out of reach: then that is what leads to the game.
pub(crate) fn enters_again(planned: &PlannedLot) -> bool {
    planned.mode == Mode::TakeBack && planned.edits.iter().any(|edit| matches!(edit, Edit::Enter(_)))
}

/// The edits of a lot that are to be made. Those within it stay with the lot, for it may be copied once more; originals
/// that are taken up again were never rewritten.
pub(crate) fn edits_to_make(planned: &PlannedLot) -> Vec<Edit> {
    let within = |edit: &Edit| edit.files().iter().all(|file| file.starts_with(&planned.to));
    let wanted = |edit: &&Edit| planned.mode != Mode::TakeBack || !within(edit);
    planned.edits.iter().filter(wanted).cloned().collect()
}

/// Removes what a crash left under our own name beside the record files. What another program had written at the very moment in
/// which our file took its place is put back there.
fn sweep(work: &Work<'_>, known: &[FileChange]) -> Result<(), HaulError> {
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
pub(crate) fn undo(work: &mut Work<'_>, reach: Reach) -> Result<(), HaulError> {
    be_quiet(work)?;
    let _taken = take_records(work, reach)?;
    let mut known = work.journal.changes(work.lot.id)?;
    let mut row = work.lot.clone();
    let standing = settle(work.site, &mut row)?;
    let out_of_reach = |file: &Path| reach == Reach::WhatIsThere && standing.is_out_of_reach(&row.planned, file);
    let turned = Edit::turned_all(&edits_to_make(&work.lot.planned));
    let turned = within_reach(&turned, &known, &out_of_reach).ok_or(HaulError::NeedsRecovery)?;
    known.retain(|change| !out_of_reach(&change.file));
    sweep(work, &known)?;
    let back: Vec<FileChange> = if written_by_others(&known)? {
        let mut files = Files::default();
        match files.make(&turned, Mood::Again) {
            Ok(()) => files.changes(),
            Err(error) if !is_of_the_records(&error) => return Err(error.into()),
            Err(_) => found_anew(work, Way::Back)?,
        }
    } else {
        let turned = |c: FileChange| FileChange { file: c.file, before: c.after, after: c.before };
        known.into_iter().rev().map(turned).collect()
    };
    for change in &back {
        replace(&work.site.disk, change, &work.own_name("record"))?;
    }
    let linked =
        work.lot.planned.mode == Mode::Rename && work.lot.planned.to.symlink_metadata().is_ok_and(|m| m.is_symlink());
    work.set_stage(if linked { Stage::Linked } else { Stage::Placed })
}

/// The byte-identical way back, where every record file still holds what the returned lot wrote.
fn exact_return(work: &Work<'_>) -> Result<Option<Vec<FileChange>>, HaulError> {
    let Some(lot) = work.lot.takes_back else { return Ok(None) };
    let known = work.journal.changes(lot)?;
    // Of a repoint that this journal did not see only the outcome is known.
    if known.iter().any(|change| change.before.says_the_same(&change.after)) {
        return Ok(None);
    }
    let Some(written) = work.journal.lot(lot)? else { return Ok(None) };
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
        if let Some(path) = in_lot(&work.lot.planned, &change.file) {
            // Held originals were never rewritten; what was copied or renamed back is, where it lies now.
            if work.lot.planned.mode == Mode::TakeBack {
                continue;
            }
            let file = work.lot.planned.to.join(path);
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
    // A lot that took originals up did not rewrite what lies in them: then there is more to change than it changed.
    let covered = |file: &Path| back.iter().any(|change| change.file == real_path(file));
    let within = edits_to_make(&work.lot.planned);
    let mut within = within.iter().flat_map(Edit::files).filter(|file| file.starts_with(&work.lot.planned.to));
    if !within.all(covered) {
        return Ok(None);
    }
    // The entry arrives at its old list before it leaves the new one.
    back.reverse();
    Ok((!back.is_empty()).then_some(back))
}

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

/// Writes down `all` and then replaces what is in `open`.
fn write_all(work: &mut Work<'_>, all: &[FileChange], open: &[FileChange]) -> Result<(), HaulError> {
    let next = work.lot.stage.clone().to(Stage::Repointing)?;
    work.journal.put_changes(work.lot.id, all, &next)?;
    work.lot.stage = next;
    work.tell_stage();
    for change in open {
        let within = in_lot(&work.lot.planned, &change.file).and_then(|_| change.file.parent());
        let folder = within.and_then(|folder| Some((folder, folder_meta(folder)?)));
        replace(&work.site.disk, change, &work.own_name("record"))?;
        // The copy's folders keep the times of their originals.
        if let Some((folder, meta)) = folder {
            work.site.disk.set_folder_meta(folder, &meta).map_err(HaulError::disk("set the times of", folder))?;
        }
    }
    work.set_stage(Stage::Repointed)
}

fn read(change: &FileChange) -> Result<Content, HaulError> {
    let like = if change.after == Content::Absent { &change.before } else { &change.after };
    Ok(Content::now(&change.file, like)?)
}

/// A name of our own beside a record file, for this one alone: several in one folder never get in each other's way.
fn beside(file: &Path, own_name: &str) -> PathBuf {
    let which = blake3::hash(file.file_name().unwrap_or_default().as_encoded_bytes()).to_hex();
    file.with_file_name(format!("{own_name}-{}", &which[..8]))
}

/// Puts the new content of one record file in place, durably, if it still holds the old one.
fn replace(disk: &Disk, change: &FileChange, own_name: &str) -> Result<(), HaulError> {
    let file = &change.file;
    let folder = file.parent().unwrap_or(Path::new("/"));
    let temporary = beside(file, own_name);
    // What a crash left under our own name.
    if temporary.symlink_metadata().is_ok() {
        disk.remove_own(&temporary, What::File).map_err(HaulError::disk("remove", &temporary))?;
    }
    let now = read(change)?;
    if now == change.after {
        return disk.flush_folder(folder).map_err(HaulError::disk("flush", folder));
    }
    if now != change.before {
        return Err(EditError::RecordChanged { file: file.clone(), location: "$".into() }.into());
    }
    match (&change.before, &change.after) {
        (_, Content::Absent) => disk.remove_record(file).map_err(HaulError::disk("remove", file))?,
        (_, Content::Bytes(bytes)) => {
            write_beside(disk, file, &temporary, bytes)?;
            put_in_place(disk, change, &temporary)?;
        }
        (_, Content::Link(target)) => {
            disk.make_link(target, &temporary).map_err(HaulError::disk("make", &temporary))?;
            put_in_place(disk, change, &temporary)?;
        }
        (Content::Cells(before), Content::Cells(after)) => {
            disk.commit(file, || write_cells(file, before, after).map_err(Committing::Database)).map_err(
                |e| match e {
                    Committing::Database(error) => HaulError::from(EditError::from(error)),
                    Committing::Disk(source) => HaulError::disk("change", file)(source),
                },
            )?;
        }
        (_, Content::Cells(_) | Content::Known(..) | Content::Patched(_)) => {
            return Err(EditError::RecordChanged { file: file.clone(), location: "$".into() }.into());
        }
    }
    disk.flush_folder(folder).map_err(HaulError::disk("flush", folder))
}

/// Puts a finished file where a record file is, if that is still what it was: another program may write it between our look and our
/// act. Both names are swapped in one step, and what comes out is looked at.
fn put_in_place(disk: &Disk, change: &FileChange, temporary: &Path) -> Result<(), HaulError> {
    let file = &change.file;
    let others = || HaulError::from(EditError::RecordChanged { file: file.clone(), location: "$".into() });
    if change.before == Content::Absent {
        return match disk.rename(temporary, file) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Err(others()),
            other => other.map_err(HaulError::disk("rename", file)),
        };
    }
    match disk.exchange(temporary, file) {
        Ok(()) => {}
        Err(error) if cannot_exchange(&error) => {
            return disk.replace(temporary, file).map_err(HaulError::disk("replace", file));
        }
        Err(error) => return Err(HaulError::disk("replace", file)(error)),
    }
    let like = if change.after == Content::Absent { &change.before } else { &change.after };
    if Content::now(temporary, like)? == change.before {
        return disk.remove_own(temporary, What::File).map_err(HaulError::disk("remove", temporary));
    }
    // What came out is another program's: it goes back, unless that program has written once more meanwhile.
    if Content::now(file, like)? == change.after {
        disk.exchange(temporary, file).map_err(HaulError::disk("put back", file))?;
    }
    disk.remove_own(temporary, What::File).map_err(HaulError::disk("remove", temporary))?;
    Err(others())
}

enum Committing {
    Database(DatabaseError),
    Disk(io::Error),
}

impl From<io::Error> for Committing {
    fn from(error: io::Error) -> Self {
        Self::Disk(error)
    }
}

fn folder_meta(folder: &Path) -> Option<Meta> {
    let meta = folder.metadata().ok()?;
    let modified_ns = i128::from(meta.mtime()) * 1_000_000_000 + i128::from(meta.mtime_nsec());
    let owner = (meta.uid(), meta.gid());
    Some(Meta { mode: meta.mode() & 0o7777, owner, modified_ns, attributes: attributes_of(folder).ok()? })
}

fn write_beside(disk: &Disk, file: &Path, temporary: &Path, bytes: &[u8]) -> Result<(), HaulError> {
    let fault = |act| HaulError::disk(act, temporary);
    let new = disk.create(temporary).map_err(fault("make"))?;
    disk.write_at(&new, bytes, 0).map_err(fault("write"))?;
    let old = file.metadata().ok();
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |time| time.as_nanos() as i128);
    let own = new.metadata().map_err(fault("look at"))?;
    let owner = old.as_ref().map_or((own.uid(), own.gid()), |meta| (meta.uid(), meta.gid()));
    let mode = old.as_ref().map_or(0o644, |meta| meta.mode() & 0o7777);
    let attributes =
        if old.is_some() { attributes_of(file).map_err(fault("read the attributes of"))? } else { Vec::new() };
    let meta = Meta { mode, owner, modified_ns: now, attributes };
    disk.set_meta(&new, &meta).map_err(fault("set the permissions of"))?;
    disk.flush(&new).map_err(fault("flush"))
}
