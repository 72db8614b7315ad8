//! Replacing one record file by a flushed one in one step, if it still holds what it held.

use crate::haul::HaulError;
use crate::platform;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use crate::disk::{Disk, Meta, What, attributes_of};
use crate::platform::cannot_exchange;

use crate::record::{Content, DatabaseError, EditError, FileChange, write_cells};

pub(crate) fn read(change: &FileChange) -> Result<Content, HaulError> {
    Ok(change.now()?)
}

/// A name of our own beside a record file, for this one alone: several in one folder never get in each other's way.
pub(crate) fn beside(file: &Path, own_name: &str) -> PathBuf {
    let which = blake3::hash(file.file_name().unwrap_or_default().as_encoded_bytes()).to_hex();
    file.with_file_name(format!("{own_name}-{}", &which[..8]))
}

/// Puts the new content of one record file in place, durably, if it still holds the old one.
pub(crate) fn replace(disk: &Disk, change: &FileChange, own_name: &str) -> Result<(), HaulError> {
    let file = &change.file;
    if platform::is_in_registry(file) {
        return replace_key(disk, change);
    }
    let folder = file.parent().unwrap_or(Path::new("/"));
    let temporary = beside(file, own_name);
    // What a crash left under our own name.
    if platform::look_itself(&temporary).is_ok() {
        disk.remove_own(&temporary, What::File).map_err(HaulError::disk("remove", &temporary))?;
    }
    let now = read(change)?;
    // What is not there, in a folder that is not there either, is as durable as it can be.
    if now == change.after && now == Content::Absent && !folder.is_dir() {
        return Ok(());
    }
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

/// Has a key of the registry say what it is to say, if it still says what it said: the values that differ are written, and flushed.
fn replace_key(disk: &Disk, change: &FileChange) -> Result<(), HaulError> {
    let file = &change.file;
    let others = || HaulError::from(EditError::RecordChanged { file: file.clone(), location: "$".into() });
    let now = read(change)?;
    if now == change.after {
        return Ok(());
    }
    if now != change.before {
        return Err(others());
    }
    let text = |content: &Content| match content {
        Content::Bytes(bytes) => Ok(bytes.clone()),
        Content::Absent => Ok(Vec::new()),
        Content::Link(_) | Content::Cells(_) | Content::Known(..) | Content::Patched(_) => Err(others()),
    };
    let (before, after) = (text(&change.before)?, text(&change.after)?);
    let written = disk.commit(file, || platform::write_registry(file, &before, &after));
    written.map_err(HaulError::disk("change", file))?;
    // What does not say it now was written by another program meanwhile, or was never taken.
    if read(change)? == change.after { Ok(()) } else { Err(others()) }
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

pub(crate) fn folder_meta(folder: &Path) -> Option<Meta> {
    let meta = platform::look_behind(folder).ok()?;
    let (owner, modified_ns) = (meta.owner, meta.modified_ns);
    Some(Meta { mode: meta.mode, owner, modified_ns, attributes: attributes_of(folder).ok()? })
}

fn write_beside(disk: &Disk, file: &Path, temporary: &Path, bytes: &[u8]) -> Result<(), HaulError> {
    let fault = |act| HaulError::disk(act, temporary);
    let new = disk.create(temporary).map_err(fault("make"))?;
    disk.write_at(&new, bytes, 0).map_err(fault("write"))?;
    let old = platform::look_behind(file).ok();
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |time| time.as_nanos().cast_signed());
    let own = new.look().map_err(fault("look at"))?;
    let owner = old.as_ref().map_or(own.owner, |meta| meta.owner);
    let mode = old.as_ref().map_or(0o644, |meta| meta.mode);
    let attributes =
        if old.is_some() { attributes_of(file).map_err(fault("read the attributes of"))? } else { Vec::new() };
    let meta = Meta { mode, owner, modified_ns: now, attributes };
    disk.set_meta(&new, &meta).map_err(fault("set the permissions of"))?;
    disk.flush(&new).map_err(fault("flush"))
}
