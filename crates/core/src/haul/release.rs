//! Letting go of originals: only what was compared and is unchanged since, through folder handles, never through a link.
//!
//! Law: before the first file goes, the copy is looked at once more; what changed or appeared among
//! the originals stays and is counted; an interrupted release goes on where it was.

use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use super::error::HaulError;
use super::event::{HaulEvent, Pace, Progress, Stop};
use super::history::{LotRow, TallyEntry};
use super::journal::Journal;
use super::prove::{has_digest, is_as_seen, what_records_say};
use super::repoint::{Rewritten, is_rewritten, rewritten_in};
use super::run::Work;
use super::stage::Stage;
use crate::bytes::{Bytes, HaulId};
use crate::disk::{Disk, Folder, What};
use crate::plan::{Finding, FindingKind, Mode};
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
    stop: &Stop,
) -> Result<Removed, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    // A return may be on its way back to these very originals.
    if let Some(other) = journal.hauls()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let ready = |lot: &&LotRow| matches!(lot.stage, Stage::Proved { holds: true } | Stage::Releasing);
    let lots: Vec<LotRow> = haul.lots.iter().filter(ready).cloned().collect();
    if lots.is_empty() {
        return Err(HaulError::Nothing(format!("haul {id} holds nothing that may be released")));
    }
    let mut sum = Removed::default();
    for lot in lots {
        let removed = release_lot(&mut Work { site, journal, lot, report, stop })?;
        sum.bytes = sum.bytes.plus(removed.bytes);
        sum.gone += removed.gone;
        sum.left.extend(removed.left);
    }
    Ok(sum)
}

pub(super) fn release_lot(work: &mut Work<'_>) -> Result<Removed, HaulError> {
    if matches!(work.lot.planned.mode, Mode::Rename | Mode::Records) {
        work.set_stage(Stage::Released { left: 0 })?;
        return Ok(Removed::default());
    }
    let tally = work.journal.tally(work.lot.id)?;
    if matches!(work.lot.stage, Stage::Proved { .. }) {
        let (copy, seen) = copy_now(work, &tally)?;
        records_lead_to(work, &copy)?;
        originals_are_unused(work)?;
        copy_is_whole(work, &copy, &seen)?;
        work.set_stage(Stage::Releasing)?;
    }
    let steady = work.site.drive_of(&work.lot.planned.from).is_none_or(|drive| drive.abilities.steady_inodes);
    // What was the copy of a returned lot holds files that the repoint had rewritten there: they are ours as well.
    let taken_back = work.lot.takes_back.and_then(|id| work.journal.lot(id).transpose()).transpose()?;
    let rewritten = taken_back.map(|lot| rewritten_in(work.journal, &lot)).transpose()?.unwrap_or_default();
    let from = work.lot.planned.from.clone();
    let same = |entry: &Entry, stat: &rustix::fs::Stat| {
        is_unchanged(entry, stat, steady)
            || (stat.st_nlink == 1 && is_rewritten(&rewritten, entry.path.as_path(), &entry.path.under(&from)))
    };
    let removed = remove_known(&work.site.disk, &work.lot.planned.from, &tally, &same, work)?;
    let left = removed.left.len() as u64;
    work.set_stage(Stage::Released { left })?;
    let title = work.lot.planned.title.clone();
    work.journal.say(work.lot.haul, Some(work.lot.id), "released", &title)?;
    (work.report)(HaulEvent::Released { lot: work.lot.id, title, bytes: removed.bytes, left });
    Ok(removed)
}

/// Where the copy of this lot is now, and how it was seen there: later hauls may have carried it on.
fn copy_now(work: &Work<'_>, tally: &[TallyEntry]) -> Result<(PathBuf, Vec<TallyEntry>), HaulError> {
    let (mut place, mut seen) = (work.lot.planned.to.clone(), tally.to_vec());
    let mut hauls = work.journal.hauls()?;
    hauls.reverse();
    for lot in hauls.iter().flat_map(|haul| &haul.lots).filter(|lot| lot.id.0 > work.lot.id.0) {
        let carried_on =
            lot.planned.game == work.lot.planned.game && lot.planned.from == place && lot.stage.is_repointed();
        if carried_on {
            place.clone_from(&lot.planned.to);
            // A rename leaves every file what it was.
            if lot.planned.mode != Mode::Rename {
                seen = work.journal.tally(lot.id)?;
            }
        }
    }
    Ok((place, seen))
}

/// Refuses if the launcher's records lead anywhere but to the copy: then the originals may be what is played.
fn records_lead_to(work: &Work<'_>, copy: &Path) -> Result<(), HaulError> {
    let planned = &work.lot.planned;
    match what_records_say(work.site, &planned.game) {
        Some(game) if game.install != copy => {
            let why = format!("they lead to {} and not to {}", game.install.display(), copy.display());
            Err(HaulError::Refused(vec![Finding::new(Some(&planned.title), FindingKind::RecordsUnchangeable { why })]))
        }
        _ => Ok(()),
    }
}

/// Refuses while a program has one of the originals open. The launcher itself may run: no record is changed.
fn originals_are_unused(work: &Work<'_>) -> Result<(), HaulError> {
    let paths = [real_path(&work.lot.planned.from)];
    let (processes, _) = work.site.processes_using(Wanted { names: &[], paths: &paths });
    let title = work.lot.planned.title.as_str();
    let found = |process| Finding::new(Some(title), FindingKind::InUse { process });
    let findings: Vec<Finding> = processes.into_iter().map(found).collect();
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Looks at every file of the copy: none may be missing, and one that changed since must be what the launcher wants.
fn copy_is_whole(work: &Work<'_>, copy: &Path, tally: &[TallyEntry]) -> Result<(), HaulError> {
    let contents = work.content_list()?;
    let mut rewritten = Rewritten::new();
    for lot in work.journal.hauls()?.iter().rev().flat_map(|haul| &haul.lots) {
        if lot.planned.game == work.lot.planned.game && lot.planned.to == copy && lot.stage.is_repointed() {
            rewritten.extend(rewritten_in(work.journal, lot)?);
        }
    }
    let mut bad = Vec::new();
    for line in tally {
        let at = line.entry.path.under(copy);
        let fine = match at.symlink_metadata() {
            Err(_) => false,
            Ok(meta) if line.entry.kind == EntryKind::Folder => meta.is_dir(),
            Ok(meta) if is_as_seen(line, &meta) => true,
            Ok(_) if is_rewritten(&rewritten, line.entry.path.as_path(), &at) => true,
            // The game or its launcher has written here since. Its launcher's list says whether it is what it should be;
            // of a file that is on no list, such as settings, the newer one is the game's own.
            Ok(_) => match &contents {
                Some(list) => match list.item(line.entry.path.as_path()) {
                    Some(item) => has_digest(&work.site.disk, &at, list.kind, &item.hash)?,
                    None => true,
                },
                None => false,
            },
        };
        if !fine {
            bad.push(at);
        }
    }
    let count = bad.len() as u64;
    bad.into_iter().next().map_or(Ok(()), |path| Err(HaulError::Changed { path, count }))
}

/// Whether a file or link is what was compared: size, time and inode.
fn is_unchanged(entry: &Entry, stat: &rustix::fs::Stat, steady_inodes: bool) -> bool {
    let modified_ns = i128::from(stat.st_mtime) * 1_000_000_000 + i128::from(stat.st_mtime_nsec);
    let size = matches!(entry.kind, EntryKind::Link(_) | EntryKind::Again(_)) || stat.st_size as u64 == entry.size;
    size && modified_ns == entry.modified_ns && (!steady_inodes || stat.st_ino == entry.inode)
}

type Same<'a> = &'a dyn Fn(&Entry, &rustix::fs::Stat) -> bool;

struct Removing<'a> {
    disk: &'a Disk,
    root: &'a Path,
    device: u64,
    below: BTreeMap<&'a Path, Vec<&'a Entry>>,
    same: Same<'a>,
    work: &'a Work<'a>,
    pace: Pace,
    progress: Progress,
    removed: Removed,
}

/// Removes from `root` what the tally names and `same` recognises; everything else stays.
///
/// # Errors
/// [`HaulError::Paused`] between two files if a stop was asked for; what is gone is gone, and a second call goes on.
pub(super) fn remove_known(
    disk: &Disk,
    root: &Path,
    tally: &[TallyEntry],
    same: Same<'_>,
    work: &Work<'_>,
) -> Result<Removed, HaulError> {
    let top = match disk.open_folder(root) {
        Ok(top) => top,
        // Gone in an earlier try.
        Err(_) if root.symlink_metadata().is_err() => return Ok(Removed::default()),
        Err(error) => return Err(HaulError::disk("open", root)(error)),
    };
    let (device, _) = top.identity().map_err(HaulError::disk("look at", root))?;
    let mut below: BTreeMap<&Path, Vec<&Entry>> = BTreeMap::new();
    for line in tally {
        if let Some(parent) = line.entry.path.as_path().parent() {
            below.entry(parent).or_default().push(&line.entry);
        }
    }
    let mut removing = Removing {
        disk,
        root,
        device,
        below,
        same,
        work,
        pace: Pace::patient(),
        progress: Progress::of_removal(work.lot.id, &work.lot.planned.title, tally),
        removed: Removed::default(),
    };
    removing.folder(&top, Path::new(""))?;
    drop(top);
    removing.list_rest(root);
    if removing.removed.left.is_empty() {
        disk.remove(root, What::Folder).map_err(HaulError::disk("remove", root))?;
    }
    if let Some(parent) = root.parent() {
        disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    }
    Ok(removing.removed)
}

impl Removing<'_> {
    /// Removes what is known in a folder; gives whether its permissions had to be opened up for that.
    fn folder(&mut self, handle: &Folder, path: &Path) -> Result<bool, HaulError> {
        let mut opened = false;
        for entry in self.below.get(path).cloned().unwrap_or_default() {
            if self.work.stop.asked() {
                return Err(HaulError::Paused);
            }
            let name = entry.path.as_path().file_name().unwrap_or(OsStr::from_bytes(b""));
            let at = entry.path.under(self.root);
            let Some(stat) = handle.look(name).map_err(HaulError::disk("look at", &at))? else { continue };
            let is_folder = stat.st_mode & 0o170_000 == 0o040_000;
            if entry.kind == EntryKind::Folder {
                // A link or another file system in its place is not what was compared.
                if !is_folder || stat.st_dev != self.device {
                    continue;
                }
                let inner = handle.open(name).map_err(HaulError::disk("open", &at))?;
                let opened_up = self.folder(&inner, entry.path.as_path())?;
                match self.remove(handle, name, What::Folder, &mut opened) {
                    Ok(()) => self.removed.gone += 1,
                    // What is left inside keeps the folder; the list of what is left names it.
                    Err(error) if error.kind() == std::io::ErrorKind::DirectoryNotEmpty => {
                        if opened_up {
                            let mode = self.disk.set_folder_mode(&inner, entry.mode);
                            mode.map_err(HaulError::disk("set the permissions of", &at))?;
                        }
                    }
                    Err(error) => return Err(HaulError::disk("remove", &at)(error)),
                }
                continue;
            }
            if is_folder || !(self.same)(entry, &stat) {
                continue;
            }
            self.remove(handle, name, What::File, &mut opened).map_err(HaulError::disk("remove", &at))?;
            self.removed.gone += 1;
            self.tell(entry);
            if stat.st_nlink == 1 {
                self.removed.bytes = self.removed.bytes.plus(Bytes::new(stat.st_blocks as u64 * 512));
            }
        }
        Ok(opened)
    }

    /// Removes a name; a read-only folder is opened up, once.
    fn remove(&self, handle: &Folder, name: &OsStr, what: What, opened: &mut bool) -> std::io::Result<()> {
        match self.disk.remove_in(handle, name, what) {
            Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied && !*opened => {
                self.disk.set_folder_mode(handle, 0o700)?;
                *opened = true;
                self.disk.remove_in(handle, name, what)
            }
            other => other,
        }
    }

    fn tell(&mut self, entry: &Entry) {
        self.progress.files += 1;
        self.progress.compare.done = self.progress.compare.done.plus(Bytes::new(entry.size));
        if self.pace.due() {
            self.progress.file = entry.path.as_path().to_path_buf();
            (self.work.report)(HaulEvent::Progress(self.progress.clone()));
        }
    }

    /// Lists what is still below the root, but for the folders that hold it.
    fn list_rest(&mut self, folder: &Path) {
        for found in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let at = found.path();
            if found.file_type().is_ok_and(|kind| kind.is_dir())
                && at.read_dir().is_ok_and(|mut inner| inner.next().is_some())
            {
                self.list_rest(&at);
            } else if let Some(path) = at.strip_prefix(self.root).ok().and_then(LotPath::new) {
                self.removed.left.push(path);
            }
        }
    }
}
