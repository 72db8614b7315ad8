//! Letting go of originals: only what was compared and is unchanged since, through folder handles, never through a link.
//!
//! Law: before the first file goes, the copy is looked at once more; what changed or appeared among
//! the originals stays and is counted; an interrupted release goes on where it was.

use std::collections::{HashMap, HashSet};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use super::copy::SHEAF;
use super::crew::crew;
use super::error::HaulError;
use super::event::{Control, HaulEvent, Pace, Progress};
use super::history::{LotRow, TallyEntry};
use super::journal::Journal;
use super::prove::{by_edits, has_digest, what_records_say};
use super::repoint::{is_rewritten, rewritten_at, rewritten_in};
use super::run::Work;
use super::scan::{Apart, Met, meet};
use super::stage::Stage;
use crate::bytes::{Bytes, HaulId, LotId};
use crate::disk::{Disk, Folder, What};
use crate::plan::{Finding, FindingKind, Links, Mode};
use crate::site::{Site, Wanted, real_path};
use crate::tally::{Entry, EntryKind, LotPath};

/// What a removal did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Removed {
    /// Bytes that came back.
    pub bytes: Bytes,
    /// Files, links and folders that went.
    pub gone: u64,
    /// What stayed because it was not what was compared.
    pub left: Vec<LotPath>,
}

/// Releases the held originals of a haul, or goes on with it. Lots whose proof does not hold are left alone.
///
/// # Errors
/// [`HaulError::Nothing`] if no lot of the haul holds originals that may go.
pub fn release_haul(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Removed, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    // A return may be on its way back to these very originals.
    if let Some(other) = journal.live()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let ready = |lot: &&LotRow| matches!(lot.stage, Stage::Proved { holds: true } | Stage::Releasing);
    let lots: Vec<LotRow> = haul.lots.iter().filter(ready).cloned().collect();
    if lots.is_empty() {
        return Err(HaulError::Nothing(format!("haul {id} holds nothing that may be released")));
    }
    let mut sum = Removed::default();
    for lot in lots {
        let removed = release_lot(&mut Work::new(site, journal, lot, report, stop))?;
        sum.bytes = sum.bytes.plus(removed.bytes);
        sum.gone += removed.gone;
        sum.left.extend(removed.left);
    }
    Ok(sum)
}

pub(super) fn release_lot(work: &mut Work<'_>) -> Result<Removed, HaulError> {
    if matches!(work.lot.planned.mode, Mode::Rename | Mode::Records | Mode::Adopt) || work.lot.planned.keeps {
        work.set_stage(Stage::Released { left: 0 })?;
        return Ok(Removed::default());
    }
    if matches!(work.lot.stage, Stage::Proved { .. }) {
        originals_are_unused(work)?;
        // Of what was set aside there is no copy: that was said when it was.
        if work.lot.planned.mode != Mode::SetAside {
            let (copy, seen) = copy_now(work)?;
            records_lead_to(work, &copy)?;
            copy_is_whole(work, &copy, seen)?;
        }
        work.set_stage(Stage::Releasing)?;
    }
    let steady = work.site.drive_of(work.lot.held_at()).is_none_or(|drive| drive.abilities.steady_inodes);
    // What was the copy of a returned lot holds files that the repoint had rewritten there: they are ours as well.
    let taken_back = work.lot.takes_back.and_then(|id| work.journal.lot(id).transpose()).transpose()?;
    let rewritten = taken_back.map(|lot| rewritten_in(work.journal, &lot)).transpose()?.unwrap_or_default();
    let from = work.lot.held_at().to_path_buf();
    let copied_links = work.lot.planned.links == Links::Copies;
    let same = |entry: &Entry, stat: &rustix::fs::Stat| {
        is_unchanged(entry, stat, steady)
            || (copied_links && leads_as_then(entry, stat, &from, steady))
            || (stat.st_nlink == 1 && is_rewritten(&rewritten, entry.path.as_path(), &entry.path.under(&from)))
    };
    let removed = remove_known(&from, work.lot.id, &same, work)?;
    let left = removed.left.len() as u64;
    work.set_stage(Stage::Released { left })?;
    let title = work.lot.planned.title.clone();
    work.journal.say(work.lot.haul, Some(work.lot.id), "released", &title)?;
    (work.report)(HaulEvent::Released { lot: work.lot.id, title, bytes: removed.bytes, left });
    Ok(removed)
}

/// Where the copy of this lot is now, and the lot whose tally says how it was seen there: later hauls may have carried it on.
fn copy_now(work: &Work<'_>) -> Result<(PathBuf, LotId), HaulError> {
    let (mut place, mut seen) = (work.lot.planned.place().to_path_buf(), work.lot.id);
    let mut hauls = work.journal.hauls()?;
    hauls.reverse();
    for lot in hauls.iter().flat_map(|haul| &haul.lots).filter(|lot| lot.id.0 > work.lot.id.0) {
        let carried_on =
            lot.planned.game == work.lot.planned.game && lot.planned.from == place && lot.stage.is_repointed();
        if carried_on {
            place.clone_from(&lot.planned.to);
            // A rename leaves every file what it was.
            if lot.planned.mode != Mode::Rename {
                seen = lot.id;
            }
        }
    }
    Ok((place, seen))
}

/// Refuses if the launcher's records lead anywhere but to the copy: then the originals may be what is played.
fn records_lead_to(work: &Work<'_>, copy: &Path) -> Result<(), HaulError> {
    let planned = &work.lot.planned;
    let why = match what_records_say(work.site, &planned.game) {
        Some(game) if game.install == copy => return Ok(()),
        Some(game) => format!("they lead to {} and not to {}", game.install.display(), copy.display()),
        // No profile says what to ask; its edits were proved.
        None if by_edits(planned) => return Ok(()),
        None => format!("{} does not have it any more, or its records cannot be read", planned.launcher_name),
    };
    Err(HaulError::Refused(vec![Finding::new(Some(&planned.title), FindingKind::RecordsUnchangeable { why })]))
}

/// Refuses while a program has one of the originals open. The launcher itself may run: no record is changed.
fn originals_are_unused(work: &Work<'_>) -> Result<(), HaulError> {
    let paths = [real_path(work.lot.held_at())];
    let (processes, _) = work.site.processes_using(Wanted { names: &[], paths: &paths });
    let title = work.lot.planned.title.as_str();
    let found = |process| Finding::new(Some(title), FindingKind::InUse { process });
    let findings: Vec<Finding> = processes.into_iter().map(found).collect();
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Looks at every file of the copy: none may be missing, and one that changed since must be what the launcher wants.
fn copy_is_whole(work: &Work<'_>, copy: &Path, seen: LotId) -> Result<(), HaulError> {
    let contents = work.content_list()?;
    let rewritten = rewritten_at(work.journal, &work.lot.planned.game, copy)?;
    let mut bad: Option<(PathBuf, u64)> = None;
    let is_fine = |line: &TallyEntry, entry: &Entry| -> Result<bool, HaulError> {
        if line.entry.kind == EntryKind::Folder {
            return Ok(entry.kind == EntryKind::Folder);
        }
        let there = line.there.is_some_and(|t| entry.inode == t.inode && entry.modified_ns == t.modified_ns);
        if there && (line.entry.kind != EntryKind::File || entry.size == line.entry.size) {
            return Ok(true);
        }
        let (path, at) = (line.entry.path.as_path(), line.entry.path.under(copy));
        if is_rewritten(&rewritten, path, &at) {
            return Ok(true);
        }
        // The game or its launcher has written here since. Its launcher's list says whether it is what it should be;
        // of a file that is on no list, such as settings, the newer one is the game's own.
        match &contents {
            Some(list) => match list.item(path) {
                Some(item) => has_digest(&work.site.disk, &at, list.kind, &item.hash),
                None => Ok(true),
            },
            None => Ok(false),
        }
    };
    if !copy.is_dir() {
        return Err(HaulError::Changed { path: copy.into(), count: 1 });
    }
    meet(&work.site.disk, work.journal, seen, copy, Apart::of(&work.lot.planned), &mut |met| {
        work.may_go_on()?;
        let path = match met {
            Met::Both(line, entry) if is_fine(&line, &entry)? => return Ok(()),
            Met::Both(line, _) | Met::Gone(line) => line.entry.path,
            Met::New(_) | Met::Other(_) => return Ok(()),
        };
        bad.get_or_insert_with(|| (path.under(copy), 0)).1 += 1;
        Ok(())
    })?;
    bad.map_or(Ok(()), |(path, count)| Err(HaulError::Changed { path, count }))
}

/// Whether a file or link is what was compared: size, time and inode.
fn is_unchanged(entry: &Entry, stat: &rustix::fs::Stat, steady_inodes: bool) -> bool {
    let modified_ns = i128::from(stat.st_mtime) * 1_000_000_000 + i128::from(stat.st_mtime_nsec);
    let size = matches!(entry.kind, EntryKind::Link(_) | EntryKind::Again(_)) || stat.st_size as u64 == entry.size;
    size && modified_ns == entry.modified_ns && (!steady_inodes || stat.st_ino == entry.inode)
}

/// Whether a link, of which the copy is a file, leads to what was compared; or to a place within the lot that is released already.
fn leads_as_then(entry: &Entry, stat: &rustix::fs::Stat, from: &Path, steady_inodes: bool) -> bool {
    if stat.st_mode & 0o170_000 != 0o120_000 || entry.kind != EntryKind::File {
        return false;
    }
    let at = entry.path.under(from);
    if let Ok(there) = rustix::fs::stat(&at) {
        return is_unchanged(entry, &there, steady_inodes);
    }
    let folder = at.parent().unwrap_or(from);
    at.read_link().is_ok_and(|target| real_path(&folder.join(target)).starts_with(real_path(from)))
}

type Same<'a> = &'a (dyn Fn(&Entry, &rustix::fs::Stat) -> bool + Sync);

/// Names of one folder that are removed together.
struct Sheaf {
    folder: PathBuf,
    entries: Vec<Entry>,
}

/// What one sheaf came to.
#[derive(Default)]
struct Went {
    gone: u64,
    bytes: u64,
    /// Bytes of the entries that were looked at, gone or not.
    seen: u64,
    file: PathBuf,
    /// The folder whose permissions had to be opened up.
    opened: Option<PathBuf>,
}

/// Removes from `root` what the tally of `lot` names and `same` recognises; everything else stays.
///
/// Folders are reached through no link and no other mount, from the handle of `root` on.
///
/// # Errors
/// [`HaulError::Paused`] between some files if a stop was asked for; what is gone is gone, and a second call goes on.
pub(super) fn remove_known(root: &Path, lot: LotId, same: Same<'_>, work: &Work<'_>) -> Result<Removed, HaulError> {
    let disk = &work.site.disk;
    let top = match disk.open_folder(root) {
        Ok(top) => top,
        // Gone in an earlier try.
        Err(_) if root.symlink_metadata().is_err() => return Ok(Removed::default()),
        Err(error) => return Err(HaulError::disk("open", root)(error)),
    };
    let mut removed = Removed::default();
    let opened = remove_files(&top, root, lot, same, work, &mut removed)?;
    for line in work.journal.folders_back(lot) {
        let line = line?;
        remove_folder(disk, &top, root, &line.entry, &opened, &mut removed)?;
        work.may_go_on()?;
    }
    drop(top);
    list_rest(root, root, &mut removed.left);
    if removed.left.is_empty() {
        disk.remove(root, What::Folder).map_err(HaulError::disk("remove", root))?;
    }
    if let Some(parent) = root.parent() {
        disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    }
    Ok(removed)
}

/// Removes files and links, several folders at a time; gives the folders whose permissions had to be opened up.
fn remove_files(
    top: &Folder,
    root: &Path,
    lot: LotId,
    same: Same<'_>,
    work: &Work<'_>,
    removed: &mut Removed,
) -> Result<HashSet<PathBuf>, HaulError> {
    let disk = &work.site.disk;
    let sums = work.journal.sums(lot)?;
    let mut progress = Progress::begun(lot, &work.lot.planned.title, sums.bytes, sums.lines);
    let mut pace = Pace::patient();
    let (mut failed, mut opened) = (None, HashSet::new());
    crew(
        |give: &mut dyn FnMut(Sheaf) -> bool| -> Result<(), HaulError> {
            let mut lines = work.journal.lines(lot);
            loop {
                let page: Vec<TallyEntry> = lines.by_ref().take(SHEAF).collect::<Result<_, _>>()?;
                if page.is_empty() {
                    return Ok(());
                }
                let mut folders: HashMap<PathBuf, Vec<Entry>> = HashMap::new();
                for line in page.into_iter().filter(|line| line.entry.kind != EntryKind::Folder) {
                    let folder = line.entry.path.as_path().parent().unwrap_or(Path::new("")).to_path_buf();
                    folders.entry(folder).or_default().push(line.entry);
                }
                for (folder, mut entries) in folders {
                    // The order in which most file systems keep what they know of them.
                    entries.sort_by_key(|entry| entry.inode);
                    work.may_go_on()?;
                    if !give(Sheaf { folder, entries }) {
                        return Ok(());
                    }
                }
            }
        },
        |sheaf, tell| {
            let result = remove_sheaf(disk, top, root, &sheaf, same);
            let went_well = result.is_ok();
            tell.send(result).is_ok() && went_well
        },
        &mut |heard: Option<Result<Went, HaulError>>| {
            match heard {
                Some(Ok(went)) => {
                    removed.gone += went.gone;
                    removed.bytes = removed.bytes.plus(Bytes::new(went.bytes));
                    progress.files += went.gone;
                    progress.compare.done = progress.compare.done.plus(Bytes::new(went.seen));
                    progress.file = went.file;
                    opened.extend(went.opened);
                }
                Some(Err(error)) => failed = failed.take().or(Some(error)),
                None => {}
            }
            if pace.due() {
                progress.reckon(&mut pace);
                (work.report)(HaulEvent::Progress(progress.clone()));
            }
            failed.is_none() && !work.stop.asked()
        },
    )?;
    match failed {
        Some(error) => Err(error),
        None => work.may_go_on().map(|()| opened),
    }
}

fn remove_sheaf(disk: &Disk, top: &Folder, root: &Path, sheaf: &Sheaf, same: Same<'_>) -> Result<Went, HaulError> {
    let mut went =
        Went { file: sheaf.entries.first().map(|e| e.path.as_path().into()).unwrap_or_default(), ..Went::default() };
    // A link, a file or another file system in the folder's place is not what was compared: all below it stays.
    let Some(folder) = open_known(top, root, &sheaf.folder)? else { return Ok(went) };
    for entry in &sheaf.entries {
        let name = entry.path.as_path().file_name().unwrap_or_default();
        let at = entry.path.under(root);
        went.seen += entry.size;
        let Some(stat) = folder.look(name).map_err(HaulError::disk("look at", &at))? else { continue };
        let is_folder = stat.st_mode & 0o170_000 == 0o040_000;
        if is_folder || !same(entry, &stat) {
            continue;
        }
        if remove(disk, &folder, name, What::File).map_err(HaulError::disk("remove", &at))? {
            went.opened = Some(sheaf.folder.clone());
        }
        went.gone += 1;
        if stat.st_nlink == 1 {
            went.bytes += stat.st_blocks as u64 * 512;
        }
    }
    Ok(went)
}

/// Opens a folder of the lot; `None` if it is gone or is no folder of it any more.
fn open_known(top: &Folder, root: &Path, path: &Path) -> Result<Option<Folder>, HaulError> {
    match top.open_below(path) {
        Ok(folder) => Ok(Some(folder)),
        // By openat2(2): not there, no folder, a link, another mount.
        Err(error) if matches!(error.raw_os_error(), Some(2 | 20 | 40 | 18)) => Ok(None),
        Err(error) => Err(HaulError::disk("open", root.join(path))(error)),
    }
}

/// Removes a name; a read-only folder is opened up. Gives whether it was.
fn remove(disk: &Disk, folder: &Folder, name: &OsStr, what: What) -> std::io::Result<bool> {
    match disk.remove_in(folder, name, what) {
        Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => {
            disk.set_folder_mode(folder, 0o700)?;
            disk.remove_in(folder, name, what).map(|()| true)
        }
        other => other.map(|()| false),
    }
}

/// Removes a folder of the tally, if nothing is left in it.
fn remove_folder(
    disk: &Disk,
    top: &Folder,
    root: &Path,
    entry: &Entry,
    opened: &HashSet<PathBuf>,
    removed: &mut Removed,
) -> Result<(), HaulError> {
    let path = entry.path.as_path();
    let (Some(parent), Some(name)) = (path.parent(), path.file_name()) else { return Ok(()) };
    let at = entry.path.under(root);
    let Some(folder) = open_known(top, root, parent)? else { return Ok(()) };
    // Another file system that is mounted there, or a link, is not what was compared.
    let Some(inner) = open_known(top, root, path)? else { return Ok(()) };
    match remove(disk, &folder, name, What::Folder) {
        Ok(_) => removed.gone += 1,
        // What is left inside keeps the folder; the list of what is left names it.
        Err(error) if error.kind() == std::io::ErrorKind::DirectoryNotEmpty => {
            if opened.contains(path) {
                let mode = disk.set_folder_mode(&inner, entry.mode);
                mode.map_err(HaulError::disk("set the permissions of", &at))?;
            }
        }
        Err(error) => return Err(HaulError::disk("remove", &at)(error)),
    }
    Ok(())
}

/// Lists what is still below the root, but for the folders that hold it.
fn list_rest(root: &Path, folder: &Path, left: &mut Vec<LotPath>) {
    for found in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let at = found.path();
        if found.file_type().is_ok_and(|kind| kind.is_dir())
            && at.read_dir().is_ok_and(|mut inner| inner.next().is_some())
        {
            list_rest(root, &at, left);
        } else if let Some(path) = at.strip_prefix(root).ok().and_then(LotPath::new) {
            left.push(path);
        }
    }
}
