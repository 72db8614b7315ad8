//! Removing what checksums names below one folder, through folder handles, never through a link or into another mount.
//!
//! Law: what is not what was verified, and what cannot be removed, is left and named; it never keeps a haul from its end. A mode
//! that was opened up for a removal is put back where something stays. Start at [`remove_known`].

use crate::checksums::{EntryKind, ItemPath};
use crate::item::{Left, Progress, RateMeter, WhyLeft};
use crate::journal::FileEntry;
use crate::platform;
use crate::platform::RemovalRefused;
use crate::platform::{Seen, SeenKind};
use std::collections::HashMap;
use std::ffi::OsStr;
use std::io;
use std::path::{Path, PathBuf};

use super::context::{BATCH, ItemContext};
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use crate::bytes::{Bytes, ItemId};
use crate::disk::{Disk, Folder, RemovalPermit, What};
use crate::haul::inspect::crew;

/// What a removal did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Removed {
    /// Bytes that came back.
    pub bytes: Bytes,
    /// Files, links and folders that went.
    pub gone: u64,
    /// What stayed.
    pub left: Vec<Left>,
}

impl Removed {
    /// Adds what another removal did.
    pub fn add(&mut self, other: Self) {
        self.bytes = self.bytes.plus(other.bytes);
        self.gone += other.gone;
        self.left.extend(other.left);
    }
}

/// Whether a name may go: why not, if not.
pub(crate) type Verdict<'a> = &'a (dyn Fn(&FileEntry, &Seen) -> Result<Option<WhyLeft>, HaulError> + Sync);

/// Names of one folder that are removed together.
struct Batch {
    folder: PathBuf,
    lines: Vec<FileEntry>,
}

/// What one sheaf came to.
#[derive(Default)]
struct Went {
    gone: u64,
    bytes: u64,
    /// Bytes of the entries that were looked at, gone or not.
    seen: u64,
    file: PathBuf,
    /// The folder whose permissions had to be opened up, and what they were.
    opened: Option<(PathBuf, u32)>,
    kept: Vec<(PathBuf, WhyLeft)>,
}

/// What is removed from, and on whose leave.
struct Removing<'a> {
    disk: &'a Disk,
    stop: &'a Control,
    permit: &'a RemovalPermit,
    top: Folder,
    root: &'a Path,
    verdict: Verdict<'a>,
}

/// Removes from `root` what the checksums of `item` names and `verdict` lets go; everything else stays.
///
/// Folders are reached through no link and no other mount, from the handle of `root` on.
///
/// # Errors
/// [`HaulError::Paused`] between some files if a stop was asked for; what is gone is gone, and a second call goes on.
/// [`HaulError::Disk`] if what stays is not there any more, or the drive fails.
pub(crate) fn remove_known(
    root: &Path,
    item: ItemId,
    verdict: Verdict<'_>,
    work: &ItemContext<'_>,
    permit: &RemovalPermit,
) -> Result<Removed, HaulError> {
    let disk = &work.site.disk;
    match disk.look(root).map_err(HaulError::disk("look at", root))? {
        Some(meta) if meta.is_folder() => {}
        // A link or a file in its place is somebody else's.
        Some(_) => {
            let left = Left { path: PathBuf::new(), bytes: Bytes::ZERO, why: WhyLeft::Unknown };
            return Ok(Removed { left: vec![left], ..Removed::default() });
        }
        // The drive is there, which was looked at before, and the name is not: gone in an earlier try.
        None => return Ok(Removed::default()),
    }
    let top = disk.open_folder(root).map_err(HaulError::disk("open", root))?;
    let removing = Removing { disk, stop: work.stop, permit, top, root, verdict };
    let mut removed = Removed::default();
    let (mut opened, mut kept) = (HashMap::new(), HashMap::new());
    removing.files(work, item, &mut removed, &mut opened, &mut kept)?;
    for line in work.journal.folders_back(item) {
        let line = line?;
        removing.folder(&line, &mut opened, &mut removed, &mut kept)?;
        work.may_go_on()?;
    }
    drop(removing);
    list_rest(root, root, &kept, &mut removed.left)?;
    if removed.left.is_empty()
        && let Err(error) = disk.remove_empty_folder(root)
    {
        let why = refusal(&error).ok_or_else(|| HaulError::disk("remove", root)(error))?;
        removed.left.push(Left { path: PathBuf::new(), bytes: Bytes::ZERO, why });
    }
    if let Some(parent) = root.parent() {
        match disk.flush_folder(parent) {
            Err(error) if refusal(&error).is_none() => return Err(HaulError::disk("flush", parent)(error)),
            _ => {}
        }
    }
    Ok(removed)
}

/// Why the system does not let something be removed; `None` of an error that says something else.
fn refusal(error: &io::Error) -> Option<WhyLeft> {
    Some(match platform::removal_refused(error)? {
        RemovalRefused::NotPermitted => WhyLeft::NotPermitted,
        RemovalRefused::ReadOnly => WhyLeft::ReadOnly,
    })
}

/// Gives the files and links of an item, those of each folder together.
fn give_batches(work: &ItemContext<'_>, item: ItemId, give: &mut dyn FnMut(Batch) -> bool) -> Result<(), HaulError> {
    let mut lines = work.journal.lines(item);
    loop {
        let page: Vec<FileEntry> = lines.by_ref().take(BATCH).collect::<Result<_, _>>()?;
        if page.is_empty() {
            return Ok(());
        }
        let mut folders: HashMap<PathBuf, Vec<FileEntry>> = HashMap::new();
        for line in page.into_iter().filter(|line| line.entry.kind != EntryKind::Folder) {
            let folder = line.entry.path.as_path().parent().unwrap_or(Path::new("")).to_path_buf();
            folders.entry(folder).or_default().push(line);
        }
        for (folder, mut lines) in folders {
            // The order in which most file systems keep what they know of them.
            lines.sort_by_key(|line| line.entry.inode);
            work.may_go_on()?;
            if !give(Batch { folder, lines }) {
                return Ok(());
            }
        }
    }
}

impl Removing<'_> {
    /// Removes files and links, several folders at a time.
    fn files(
        &self,
        work: &ItemContext<'_>,
        item: ItemId,
        removed: &mut Removed,
        opened: &mut HashMap<PathBuf, u32>,
        kept: &mut HashMap<PathBuf, WhyLeft>,
    ) -> Result<(), HaulError> {
        let sums = work.journal.sums(item)?;
        let mut progress = Progress::begun(item, &work.item.planned.title, sums.bytes, sums.lines);
        let mut pace = RateMeter::patient();
        let mut failed = None;
        crew(
            |give: &mut dyn FnMut(Batch) -> bool| give_batches(work, item, give),
            |sheaf, tell| {
                let result = self.sheaf(&sheaf);
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
                        kept.extend(went.kept);
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
            None => work.may_go_on(),
        }
    }

    fn sheaf(&self, sheaf: &Batch) -> Result<Went, HaulError> {
        let first = sheaf.lines.first().map(|line| line.entry.path.as_path().into()).unwrap_or_default();
        let mut went = Went { file: first, ..Went::default() };
        // A link, a file or another file system in the folder's place is not what was verified: all below it stays.
        let Some(folder) = self.known_folder(&sheaf.folder)? else { return Ok(went) };
        for line in &sheaf.lines {
            if self.stop.asked() {
                return Err(HaulError::Paused);
            }
            let name = line.entry.path.as_path().file_name().unwrap_or_default();
            let at = line.entry.path.under(self.root);
            went.seen += line.entry.size;
            let Some(stat) = folder.look(name).map_err(HaulError::disk("look at", &at))? else { continue };
            let mut keep = |why| went.kept.push((line.entry.path.as_path().into(), why));
            if stat.kind == SeenKind::Folder {
                keep(WhyLeft::Unknown);
                continue;
            }
            if let Some(why) = (self.verdict)(line, &stat)? {
                keep(why);
                continue;
            }
            match self.name(&folder, name, What::File) {
                Ok(mode) => {
                    if let Some(mode) = mode {
                        went.opened.get_or_insert((sheaf.folder.clone(), mode));
                    }
                    went.gone += 1;
                    if stat.names == 1 {
                        went.bytes += stat.allocated;
                    }
                }
                Err(error) => keep(refusal(&error).ok_or_else(|| HaulError::disk("remove", &at)(error))?),
            }
        }
        Ok(went)
    }

    /// Opens a folder of the item; `None` if it is gone or is no folder of it any more.
    fn known_folder(&self, path: &Path) -> Result<Option<Folder>, HaulError> {
        match self.top.open_below(path) {
            Ok(folder) => Ok(Some(folder)),
            Err(error) if platform::is_not_straight_below(&error) => Ok(None),
            // What may not be looked into is left as it is.
            Err(error) if refusal(&error).is_some() => Ok(None),
            Err(error) => Err(HaulError::disk("open", self.root.join(path))(error)),
        }
    }

    /// Removes a name; a folder without the right to write is opened up. Gives what its mode was, if it was.
    fn name(&self, folder: &Folder, name: &OsStr, what: What) -> io::Result<Option<u32>> {
        let remove = || self.disk.remove_in(self.permit, folder, name, what);
        match remove() {
            Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
                let mode = folder.mode()?;
                if mode & 0o300 == 0o300 || self.disk.set_folder_mode(folder, mode | 0o700).is_err() {
                    return Err(error);
                }
                let removed = remove();
                if removed.is_err() {
                    self.disk.set_folder_mode(folder, mode)?;
                }
                removed.map(|()| Some(mode))
            }
            other => other.map(|()| None),
        }
    }

    /// Removes a folder of the checksums, if nothing is left in it.
    fn folder(
        &self,
        line: &FileEntry,
        opened: &mut HashMap<PathBuf, u32>,
        removed: &mut Removed,
        kept: &mut HashMap<PathBuf, WhyLeft>,
    ) -> Result<(), HaulError> {
        let path = line.entry.path.as_path();
        // Another file system that is mounted there, or a link, is not what was verified.
        let Some(inner) = self.known_folder(path)? else { return Ok(()) };
        let put_back = |opened: &HashMap<PathBuf, u32>| match opened.get(path) {
            Some(mode) => {
                let at = line.entry.path.under(self.root);
                self.disk.set_folder_mode(&inner, *mode).map_err(HaulError::disk("set the permissions of", at))
            }
            None => Ok(()),
        };
        let (Some(parent), Some(name)) = (path.parent(), path.file_name()) else {
            // The item's own folder goes last; here it is seen whether anything stays in it.
            return if kept.is_empty() { Ok(()) } else { put_back(opened) };
        };
        let at = line.entry.path.under(self.root);
        let Some(folder) = self.known_folder(parent)? else { return Ok(()) };
        match self.name(&folder, name, What::Folder) {
            Ok(mode) => {
                opened.extend(mode.map(|mode| (parent.to_path_buf(), mode)));
                removed.gone += 1;
            }
            // What is left inside keeps the folder; the list of what is left names it.
            Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => put_back(opened)?,
            Err(error) => {
                let why = refusal(&error).ok_or_else(|| HaulError::disk("remove", &at)(error))?;
                kept.insert(path.into(), why);
                put_back(opened)?;
            }
        }
        Ok(())
    }
}

/// Lists what is still below the root, but for the folders that hold it.
fn list_rest(
    root: &Path,
    folder: &Path,
    kept: &HashMap<PathBuf, WhyLeft>,
    left: &mut Vec<Left>,
) -> Result<(), HaulError> {
    let names = match folder.read_dir() {
        Ok(names) => names,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(error) => {
            let why = refusal(&error).ok_or_else(|| HaulError::disk("read", folder)(error))?;
            let path = folder.strip_prefix(root).unwrap_or(folder).to_path_buf();
            left.push(Left { path, bytes: Bytes::ZERO, why });
            return Ok(());
        }
    };
    for found in names {
        let at = found.map_err(HaulError::disk("read", folder))?.path();
        let meta = platform::look_itself(&at).map_err(HaulError::disk("look at", &at))?;
        let before = left.len();
        if meta.is_folder() {
            list_rest(root, &at, kept, left)?;
        }
        if left.len() == before
            && let Some(path) = at.strip_prefix(root).ok().and_then(ItemPath::new)
        {
            let why = kept.get(path.as_path()).copied().unwrap_or(WhyLeft::Unknown);
            let bytes = if meta.is_folder() { Bytes::ZERO } else { Bytes::new(meta.allocated) };
            left.push(Left { path: path.as_path().into(), bytes, why });
        }
    }
    Ok(())
}
