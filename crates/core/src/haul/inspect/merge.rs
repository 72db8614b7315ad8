//! What checksums says beside what is there: two lists in one order, read side by side, neither kept in memory.

use crate::platform;
use crate::platform::Seen;
use std::path::{Path, PathBuf};

use crate::haul::HaulError;

use crate::bytes::ItemId;
use crate::checksums::{Entry, EntryKind, FileIdentity};
use crate::item::PlannedItem;
use crate::journal::{FileEntry, Journal};

use crate::platform::Steady;

use std::io;

use crate::checksums::{ItemPath, WalkEnd, walk_each};
use crate::disk::Disk;
use crate::item::Links;
use crate::journal::JournalError;

/// A line of checksums, what is there, or both.
pub(crate) enum Joined {
    /// The checksums have it, and it is there.
    Both(FileEntry, Entry),
    /// The checksums have it, and it is not there.
    Gone(FileEntry),
    /// It is there, and the checksums does not have it.
    New(Entry),
    /// It is there, and is nothing that can be moved.
    Other(ItemPath),
}

/// What is looked at as a file of its own.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LinkHandling {
    /// Further names of a file.
    pub(crate) names: bool,
    /// Links that lead to a file: copies of it stand in their place.
    pub(crate) links: bool,
}

impl LinkHandling {
    /// Every name is a file; links are links, but where the item has copies instead of them.
    pub(crate) fn of(item: &PlannedItem) -> Self {
        Self { names: true, links: item.links == Links::Copies }
    }
}

enum MergeStep {
    Read(io::Error),
    Haul(HaulError),
}

impl From<io::Error> for MergeStep {
    fn from(error: io::Error) -> Self {
        Self::Read(error)
    }
}

impl From<JournalError> for MergeStep {
    fn from(error: JournalError) -> Self {
        Self::Haul(error.into())
    }
}

/// Walks `root` beside the checksums of an item.
pub(crate) fn merge_join(
    disk: &Disk,
    journal: &Journal,
    item: ItemId,
    root: &Path,
    apart: LinkHandling,
    see: &mut dyn FnMut(Joined) -> Result<(), HaulError>,
) -> Result<(), HaulError> {
    let mut lines = journal.lines(item).peekable();
    let mut see = |met| see(met).map_err(MergeStep::Haul);
    let walked = walk_each(disk, root, &mut |found| {
        let mut entry = match found {
            WalkEnd::Entry(entry) => entry,
            WalkEnd::Other(path) => return see(Joined::Other(path)),
        };
        match entry.kind {
            EntryKind::Again(_) if apart.names => {
                let meta = platform::look_itself(entry.path.under(root))?;
                as_file(&mut entry, &meta);
            }
            EntryKind::Link(_) if apart.links => {
                if let Some(meta) = platform::look_behind(entry.path.under(root)).ok().filter(Seen::is_file) {
                    as_file(&mut entry, &meta);
                }
            }
            EntryKind::Folder | EntryKind::File | EntryKind::Again(_) | EntryKind::Link(_) => {}
        }
        let is_before = |line: &Result<FileEntry, JournalError>| {
            line.as_ref().map_or(true, |line| line.entry.path.as_path() <= entry.path.as_path())
        };
        while let Some(line) = lines.next_if(is_before) {
            let line = line?;
            if line.entry.path == entry.path {
                return see(Joined::Both(line, entry));
            }
            see(Joined::Gone(line))?;
        }
        see(Joined::New(entry))
    });
    let rest = |see: &mut dyn FnMut(Joined) -> Result<(), MergeStep>| -> Result<(), MergeStep> {
        for line in lines {
            see(Joined::Gone(line?))?;
        }
        Ok(())
    };
    walked.and_then(|()| rest(&mut see)).map_err(|step| match step {
        MergeStep::Read(error) => HaulError::disk("read", root)(error),
        MergeStep::Haul(error) => error,
    })
}

/// Makes a file of its own of a further name, or of a link and the file that it leads to.
fn as_file(entry: &mut Entry, meta: &Seen) {
    (entry.size, entry.allocated, entry.kind) = (meta.size, meta.allocated, EntryKind::File);
    (entry.inode, entry.modified_ns, entry.mode) = (meta.inode, meta.modified_ns, meta.mode);
    (entry.changed_ns, entry.names) = (Some(meta.changed_ns), meta.names);
}

/// Finds the first original that is not what it was when it was read.
pub(crate) fn first_change(
    disk: &Disk,
    journal: &Journal,
    item: ItemId,
    from: &Path,
    apart: LinkHandling,
    steady: Steady,
) -> Result<Option<PathBuf>, HaulError> {
    let mut first: Option<PathBuf> = None;
    merge_join(disk, journal, item, from, apart, &mut |met| {
        let path = match met {
            Joined::Both(line, entry) if same(&line.entry, &entry, steady) => return Ok(()),
            Joined::Both(_, entry) | Joined::New(entry) => entry.path,
            Joined::Gone(line) => line.entry.path,
            Joined::Other(path) => path,
        };
        first.get_or_insert_with(|| path.under(from));
        Ok(())
    })?;
    Ok(first)
}

/// Whether an original is what it was. A folder's own time changes with every look of some programs; its names are walked anyway.
pub(crate) fn same(then: &Entry, now: &Entry, steady: Steady) -> bool {
    let mode = !steady.permissions || then.mode == now.mode;
    match (&then.kind, &now.kind) {
        (EntryKind::Folder, EntryKind::Folder) => mode && (!steady.inodes || then.inode == now.inode),
        (one, other) => one == other && mode && FileIdentity::of(then, steady).is_same(&FileIdentity::of(now, steady)),
    }
}

/// Whether a name of a copy is what was seen when it was compared.
pub(crate) fn is_as_it_was(line: &FileEntry, entry: &Entry, steady: Steady) -> bool {
    // A folder's time changes with every name that comes and goes in it.
    if line.entry.kind == EntryKind::Folder {
        return entry.kind == EntryKind::Folder;
    }
    let kind = match (&line.entry.kind, &entry.kind) {
        // Names are looked at as files of their own.
        (EntryKind::File | EntryKind::Again(_), kind) => *kind == EntryKind::File,
        // An absolute link into the item leads into the copy; its time says that it is the one that was made.
        (EntryKind::Link(_), kind) => matches!(kind, EntryKind::Link(_)),
        (EntryKind::Folder, _) => false,
    };
    let now =
        Entry { size: if line.entry.kind == EntryKind::File { entry.size } else { line.entry.size }, ..entry.clone() };
    kind && line.copy(steady).is_some_and(|known| known.is_same(&FileIdentity::of(&now, steady)))
}
