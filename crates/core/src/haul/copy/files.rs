//! Copying an item into a folder of ours beside its place, comparing behind it, round by round until nothing changes.
//!
//! Law: the originals are only read. Files are flushed before they are read back past the cache; names are flushed
//! after the files; only then does the journal say "verified". A block hash found in the journal saves a second copy,
//! never a comparison.

use super::block_io::{meta_of, unkept};
use super::coordinator::copy_files;
use crate::platform;
use crate::platform::name_of;
use crate::platform::{NameBytes, begins_behind};

use crate::haul::inspect::{Joined, merge_join, same};
use crate::haul::{BATCH, HaulError, ItemContext, left_name};
use std::path::{Path, PathBuf};

use std::time::{Duration, Instant};

use crate::bytes::ItemId;
use crate::checksums::{Entry, EntryKind, ItemPath};
use crate::disk::{Meta, What, attributes_of};
use crate::item::{Stage, Strategy};
use crate::journal::{Beside, EventKind, FileEntry, Hint, ItemRow, Sums, There};

use crate::site::{Run, real_path};

/// Rounds in which files that change under the copy are copied again.
const ROUNDS: usize = 3;

/// Copies and compares an item; its stage is then "verified", or as it was if files changed meanwhile and are to be copied again.
///
/// # After a crash
/// Originals and records are as they were. Blocks whose hash the journal has are not copied again.
pub(crate) fn copy_item(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let staging = if let Stage::Copying { staging } = &work.item.stage {
        if !work.site.disk.is_folder(staging).map_err(HaulError::disk("look at", staging))? {
            // Where the drive is away, its empty mount point is no place to begin anew.
            let drive = work.site.drive_of(staging);
            if drive.is_none_or(|drive| drive.name != work.item.planned.to_drive) {
                let away = platform::SystemError::NoDevice.into();
                return Err(HaulError::disk("find the drive of", staging)(away));
            }
            work.make_way(staging.parent().unwrap_or(Path::new("/")))?;
            work.make_folder(staging)?;
        }
        staging.clone()
    } else {
        begin(work)?
    };
    // Seen once more now that it is made: a drive that went a moment ago would have the whole copy go to the bare folder where it was.
    if let Err(error) = work.stand() {
        forget_staging(work, &staging);
        return Err(error);
    }
    work.round += 1;
    let changed = bring_in_line(work, &staging)?;
    if let Some(path) = changed.filter(|_| work.round > ROUNDS) {
        return Err(HaulError::SourceChanged { path });
    }
    let (begun, before) = (Instant::now(), work.journal.sums(work.item.id)?);
    let round = one_round(work, &staging);
    if round.is_ok() {
        keep_pace(work, begun.elapsed(), before)?;
    }
    match round {
        // The next round's walk sees what has changed, or finds that the drive reads otherwise each time.
        Err(HaulError::SourceChanged { .. }) if work.round < ROUNDS => Ok(()),
        // What is placed is looked at once more: there it shows whether anything has changed meanwhile.
        Ok(()) => work.set_stage(Stage::Verified { staging }),
        Err(error) => Err(error),
    }
}

/// Removes the folders that were made where a drive had been, if nothing is in them.
fn forget_staging(work: &ItemContext<'_>, staging: &Path) {
    let made = work.journal.made(work.item.id).unwrap_or_default();
    for folder in [staging.to_path_buf()].into_iter().chain(made.into_iter().rev()) {
        #[expect(
            clippy::let_underscore_must_use,
            reason = "a folder that contains something refuses, and one that does not exist is none"
        )]
        let _ = work.site.disk.remove_empty_folder(&folder);
    }
}

/// Keeps how long this run took, where it says something of the drives.
fn keep_pace(work: &ItemContext<'_>, time: Duration, before: Sums) -> Result<(), HaulError> {
    /// What is over sooner says more of beginnings than of drives.
    const WORTH: Duration = Duration::from_millis(300);
    let planned = &work.item.planned;
    let after = work.journal.sums(work.item.id)?;
    let (bytes, files) = (after.bytes.saturating_sub(before.same_bytes), after.files.saturating_sub(before.same));
    let hindered = work.stop.limit().is_some() || work.stop.gentle() || work.may_share();
    if let Some(from) = planned.from_drive.clone()
        && time >= WORTH
        && !hindered
    {
        let run = Run { from, to: planned.to_drive.clone(), bytes, files, seconds: time.as_secs_f64() };
        work.journal.put_run(&run)?;
    }
    Ok(())
}

/// Makes the folder of ours, with the way to it.
fn begin(work: &mut ItemContext<'_>) -> Result<PathBuf, HaulError> {
    let to = work.item.planned.to.clone();
    let parent = to.parent().unwrap_or(Path::new("/")).to_path_buf();
    let staging = parent.join(work.own_name("copy"));
    let disk = &work.site.disk;
    if disk.is_there(&to).map_err(HaulError::disk("look at", &to))? {
        // What a release had to leave at its place makes room for what comes back, under a name that says so.
        let left = |item: ItemRow| matches!(item.stage, Stage::Released { left } if left > 0);
        let ours = work.item.takes_back.map(|id| work.journal.item(id)).transpose()?.flatten().is_some_and(left);
        if !ours {
            return Err(HaulError::NotOurs { path: to });
        }
        let other = left_name(work, &to)?;
        disk.rename(&to, &other).map_err(HaulError::disk("rename", &to))?;
        disk.flush_folder(&parent).map_err(HaulError::disk("flush", &parent))?;
        let detail = other.display().to_string();
        work.journal.say(work.item.haul, Some(work.item.id), EventKind::Left, &detail)?;
    }
    if disk.is_there(&staging).map_err(HaulError::disk("look at", &staging))? {
        return Err(HaulError::NotOurs { path: staging });
    }
    work.make_way(&parent)?;
    // The journal knows the name before it is there: whatever is found under it later is ours.
    work.set_stage(Stage::Copying { staging: staging.clone() })?;
    work.make_folder(&staging)?;
    Ok(staging)
}

/// Brings the checksums in line with the originals; gives the first line that was known and is not what it was.
pub(crate) fn bring_in_line(work: &ItemContext<'_>, staging: &Path) -> Result<Option<PathBuf>, HaulError> {
    let (journal, item, from) = (work.journal, work.item.id, work.item.planned.from.clone());
    let (mut new, mut changed, mut gone) = (Vec::new(), Vec::new(), Vec::new());
    let mut appeared = None;
    let source = work.source_abilities();
    let steady = source.steady();
    // Where the originals lie on a drive that holds no permissions or attributes, those are known that they had before they came
    // there.
    let before = if source.permissions && source.attributes { None } else { brought_by(work)? };
    let fresh = |mut entry: Entry| -> Result<FileEntry, HaulError> {
        let known = before.map(|item| journal.line(item, &entry.path)).transpose()?.flatten();
        let Some(known) = known else { return Ok(FileEntry::fresh(entry)) };
        if !source.permissions {
            (entry.mode, entry.owner) = (known.entry.mode, known.entry.owner);
        }
        let attributes = if source.attributes { Vec::new() } else { known.attributes };
        Ok(FileEntry { attributes, ..FileEntry::fresh(entry) })
    };
    merge_join(&work.site.disk, journal, item, &from, work.originals(), &mut |met| {
        match met {
            Joined::Both(line, entry) if same(&line.entry, &entry, steady) => {}
            Joined::Both(_, entry) => changed.push(fresh(entry)?),
            Joined::Gone(line) => gone.push(line),
            Joined::Other(path) => return Err(HaulError::NotOurs { path: path.under(&from) }),
            // What the checksums never had was never copied: the lines can be written as they come.
            Joined::New(entry) => new.push(fresh(entry)?),
        }
        if new.len() >= BATCH {
            journal.put_entries(item, &new)?;
            appeared = appeared.take().or(new.pop());
            new.clear();
        }
        work.may_go_on()
    })?;
    journal.put_entries(item, &new)?;
    // What comes to be while it is copied, round after round, is no quiet game either.
    let grown = new.first().or(appeared.as_ref()).filter(|_| work.round > 1);
    let first = changed.first().or(gone.first()).or(grown).map(|line| line.entry.path.under(&from));
    void(work, staging, &gone)?;
    void(work, staging, &changed)?;
    journal.put_entries(item, &changed)?;
    Ok(first)
}

/// The newest item that brought the game to where its originals lie now.
fn brought_by(work: &ItemContext<'_>) -> Result<Option<ItemId>, HaulError> {
    let planned = &work.item.planned;
    let items = work.journal.items_of(&planned.game)?;
    let here = work.site.place_at(&planned.from).ok();
    let mut items = items.iter().filter(|item| item.id.0 < work.item.id.0);
    let brought = |item: &&ItemRow| {
        (item.stage.records_are_updated() || item.stage == Stage::Undone)
            && item.planned.mode == Strategy::Copy
            && item.is_at(&planned.from, here.as_ref())
    };
    Ok(items.find(brought).map(|item| item.id))
}

/// Removes what was made of these lines, and forgets the lines. Folders stay until the item is in its place.
fn void(work: &ItemContext<'_>, staging: &Path, lines: &[FileEntry]) -> Result<(), HaulError> {
    for line in lines.iter().rev().filter(|line| !line.entry.path.bytes().is_empty()) {
        let at = line.entry.path.under(staging);
        let Ok(meta) = platform::look_itself(&at) else { continue };
        if !meta.is_folder() {
            work.site.disk.remove_own(&at, What::File).map_err(HaulError::disk("remove", &at))?;
        } else if !line.entry.path.under(&work.item.planned.from).is_dir() {
            // What is in it is gone as well, and was removed before it.
            work.site.disk.remove_own(&at, What::Folder).map_err(HaulError::disk("remove", &at))?;
        }
    }
    let paths: Vec<ItemPath> = lines.iter().map(|line| line.entry.path.clone()).collect();
    Ok(work.journal.drop_entries(work.item.id, &paths)?)
}

fn one_round(work: &mut ItemContext<'_>, staging: &Path) -> Result<(), HaulError> {
    let (disk, item) = (work.site.disk.clone(), work.item.id);
    make_folders(work, staging)?;
    copy_files(work, staging)?;
    let mut done = Vec::new();
    for line in work.journal.lines_of(item, "link").chain(work.journal.lines_of(item, "again")) {
        let line = line?;
        let at = line.entry.path.under(staging);
        match &line.entry.kind {
            EntryKind::Link(target) => make_link(work, &line.entry, target, &at)?,
            EntryKind::Again(of) => {
                if platform::look_itself(&at).is_ok() {
                    disk.remove_own(&at, What::File).map_err(HaulError::disk("remove", &at))?;
                }
                disk.hard_link(&of.under(staging), &at).map_err(HaulError::disk("link", &at))?;
            }
            EntryKind::File | EntryKind::Folder => continue,
        }
        note(work, &mut done, line.entry.path, &at, Beside::default())?;
    }
    let whole = work.abilities().flushes_whole;
    finish_folders(work, staging, &mut done)?;
    let parent = staging.parent().unwrap_or(Path::new("/"));
    if whole {
        let top = disk.open_folder(staging).map_err(HaulError::disk("open", staging))?;
        disk.flush_drive(&top).map_err(HaulError::disk("flush", staging))?;
    } else {
        disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    }
    Ok(work.journal.put_hints(item, &done)?)
}

/// Makes the folders of the copy, or opens up those that are there.
fn make_folders(work: &mut ItemContext<'_>, staging: &Path) -> Result<(), HaulError> {
    let disk = work.site.disk.clone();
    for line in work.journal.lines_of(work.item.id, "folder") {
        let line = line?;
        let at = line.entry.path.under(staging);
        match platform::look_itself(&at) {
            // Finished before a crash, with its final permissions: it is opened up for what is still to come.
            Ok(meta) if meta.is_folder() && meta.mode & 0o700 != 0o700 => {
                let meta = Meta { mode: 0o700, ..meta_of(&line.entry, Vec::new()) };
                disk.set_folder_meta(&at, &meta).map_err(HaulError::disk("open up", &at))?;
            }
            Ok(meta) if meta.is_folder() => {}
            Ok(_) => return Err(HaulError::NotOurs { path: at }),
            Err(_) => work.make_folder(&at)?,
        }
        work.may_go_on()?;
    }
    Ok(())
}

/// Gives the folders of the copy their times, from the deepest up: making a name in a folder changes its time.
fn finish_folders(work: &ItemContext<'_>, staging: &Path, done: &mut Vec<Hint>) -> Result<(), HaulError> {
    let (disk, source, target) = (&work.site.disk, work.source_abilities(), work.abilities());
    for line in work.journal.folders_back(work.item.id) {
        let line = line?;
        let (at, from) = (line.entry.path.under(staging), line.entry.path.under(&work.item.planned.from));
        let attributes = if source.attributes {
            attributes_of(&from).map_err(HaulError::disk("read the attributes of", &from))?
        } else {
            line.attributes.clone()
        };
        let meta = meta_of(&line.entry, attributes);
        let refused = disk.set_folder_meta(&at, &meta).map_err(HaulError::disk("set the times of", &at))?;
        let beside = Beside { unkept: unkept(&refused, &target), attributes: meta.attributes };
        if !target.flushes_whole {
            disk.flush_folder(&at).map_err(HaulError::disk("flush", &at))?;
        }
        note(work, done, line.entry.path, &at, beside)?;
    }
    Ok(())
}

/// Keeps in mind what is seen of a copy; writes down what there is of it by now.
fn note(
    work: &ItemContext<'_>,
    done: &mut Vec<Hint>,
    path: ItemPath,
    at: &Path,
    beside: Beside,
) -> Result<(), HaulError> {
    done.push(Hint::Same { path, there: seen(at)?, digest: None, hash: None, beside });
    if done.len() >= BATCH {
        work.journal.put_hints(work.item.id, done)?;
        done.clear();
    }
    work.may_go_on()
}

/// What is seen of a copy.
pub(crate) fn seen(at: &Path) -> Result<There, HaulError> {
    let meta = platform::look_itself(at).map_err(HaulError::disk("look at", at))?;
    Ok(There { inode: meta.inode, modified_ns: meta.modified_ns, changed_ns: Some(meta.changed_ns) })
}

fn make_link(work: &ItemContext<'_>, entry: &Entry, target: &Path, at: &Path) -> Result<(), HaulError> {
    let disk = &work.site.disk;
    if platform::look_itself(at).is_ok() {
        disk.remove_own(at, What::File).map_err(HaulError::disk("remove", at))?;
    }
    // An absolute link into the item itself goes with the item.
    let (from, to) = (&work.item.planned.from, &work.item.planned.to);
    let target = aimed(target, from, to).unwrap_or_else(|| target.to_path_buf());
    disk.make_link(&target, at).map_err(HaulError::disk("link", at))?;
    disk.set_link_meta(at, entry.modified_ns, work.owner_to_set(entry)).map_err(HaulError::disk("set the time of", at))
}

/// Where an absolute link into one folder leads in the other; what stands behind the folder stays as it is written.
pub(crate) fn aimed(target: &Path, from: &Path, to: &Path) -> Option<PathBuf> {
    let real = real_path(from);
    let behind = |from: &Path| {
        let rest = target.name_bytes().strip_prefix(from.name_bytes())?;
        (rest.is_empty() || begins_behind(rest)).then(|| [to.name_bytes(), rest].concat())
    };
    if let Some(path) = behind(from).or_else(|| behind(&real)) {
        return Some(name_of(path).into());
    }
    let below = target.strip_prefix(from).or_else(|_| target.strip_prefix(&real)).ok()?;
    Some(if below.as_os_str().is_empty() { to.into() } else { to.join(below) })
}
