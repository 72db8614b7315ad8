//! Repointing: all record files of a lot change together, or none does.
//!
//! Law: the journal has the bytes before and after of every file before the first one is replaced;
//! each file is replaced by a flushed one in one step. After a crash, a file that holds neither of
//! the two was written by its launcher: its leaves are changed again, and its other bytes stay.

use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::time::{SystemTime, UNIX_EPOCH};

use super::error::HaulError;
use super::run::Work;
use super::stage::Stage;
use crate::disk::{Disk, Meta, What, attributes_of};
use crate::plan::{Mode, Weight, quiet};
use crate::record::{Edit, EditError, FileChange, Files, Mood};

/// Refuses while a launcher, a helper or a game is running.
pub(super) fn be_quiet(work: &Work<'_>) -> Result<(), HaulError> {
    let mut findings = quiet(work.site, std::slice::from_ref(&work.lot.planned));
    findings.retain(|finding| finding.weight == Weight::Stop);
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Changes the records of a lot whose whole copy is at its place.
pub(super) fn repoint(work: &mut Work<'_>) -> Result<(), HaulError> {
    be_quiet(work)?;
    let mut files = Files::default();
    let changes = if let Some(changes) = exact_return(work)? {
        changes
    } else {
        files.make(&work.lot.planned.edits, Mood::Strict)?;
        files.changes()
    };
    write_all(work, &changes, &changes)
}

/// Goes on with a repoint that was interrupted.
pub(super) fn finish(work: &mut Work<'_>) -> Result<(), HaulError> {
    be_quiet(work)?;
    let known = work.journal.changes(work.lot.id)?;
    if !written_by_others(&known)? {
        return write_all(work, &known, &known);
    }
    let mut files = Files::default();
    files.make(&work.lot.planned.edits, Mood::Again)?;
    let anew = files.changes();
    write_all(work, &merged(known, anew.clone()), &anew)
}

/// Whether some file holds neither the bytes before nor those after: its launcher has written it since.
fn written_by_others(known: &[FileChange]) -> Result<bool, HaulError> {
    for change in known {
        let now = read(&change.file)?;
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
pub(super) fn undo(work: &mut Work<'_>) -> Result<(), HaulError> {
    be_quiet(work)?;
    let known = work.journal.changes(work.lot.id)?;
    let back: Vec<FileChange> = if written_by_others(&known)? {
        let mut files = Files::default();
        files.make(&Edit::turned_all(&work.lot.planned.edits), Mood::Again)?;
        files.changes()
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
    let mut back = Vec::new();
    for change in known {
        if read(&change.file)? != change.after {
            return Ok(None);
        }
        back.push(FileChange { file: change.file, before: change.after, after: change.before });
    }
    // The entry arrives at its old list before it leaves the new one.
    back.reverse();
    Ok((!back.is_empty()).then_some(back))
}

/// Writes down `all` and then replaces what is in `open`.
fn write_all(work: &mut Work<'_>, all: &[FileChange], open: &[FileChange]) -> Result<(), HaulError> {
    let next = work.lot.stage.clone().to(Stage::Repointing)?;
    work.journal.put_changes(work.lot.id, all, &next)?;
    work.lot.stage = next;
    work.tell_stage();
    for change in open {
        replace(&work.site.disk, change, &work.own_name("record"))?;
    }
    work.set_stage(Stage::Repointed)
}

fn read(file: &Path) -> Result<Option<Vec<u8>>, HaulError> {
    match std::fs::read(file) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(source) => Err(EditError::Read { file: file.into(), source }.into()),
    }
}

/// Puts the new bytes of one record file in place, durably, if it still holds the old ones.
fn replace(disk: &Disk, change: &FileChange, own_name: &str) -> Result<(), HaulError> {
    let file = &change.file;
    let folder = file.parent().unwrap_or(Path::new("/"));
    let temporary = folder.join(own_name);
    // What a crash left under our own name.
    if temporary.symlink_metadata().is_ok() {
        disk.remove(&temporary, What::File).map_err(HaulError::disk("remove", &temporary))?;
    }
    let now = read(file)?;
    if now == change.after {
        return disk.flush_folder(folder).map_err(HaulError::disk("flush", folder));
    }
    if now != change.before {
        return Err(EditError::RecordChanged { file: file.clone(), location: "$".into() }.into());
    }
    match &change.after {
        None => disk.remove(file, What::File).map_err(HaulError::disk("remove", file))?,
        Some(bytes) => {
            write_beside(disk, file, &temporary, bytes)?;
            disk.replace(&temporary, file).map_err(HaulError::disk("replace", file))?;
        }
    }
    disk.flush_folder(folder).map_err(HaulError::disk("flush", folder))
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
    let meta = Meta { mode, owner, modified_ns: now, attributes: attributes_of(file) };
    disk.set_meta(&new, &meta).map_err(fault("set the permissions of"))?;
    disk.flush(&new).map_err(fault("flush"))
}
