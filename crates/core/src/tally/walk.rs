//! Walking a folder, in parallel, without following a link or crossing into another file system.

use std::collections::HashMap;
use std::fs::{self, Metadata};
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::bytes::Bytes;

/// A file's place in its lot: relative, never through `..`, any bytes the file system allows.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LotPath(PathBuf);

impl LotPath {
    /// Takes a relative path; `None` if it leads anywhere but down. The empty path is the lot itself.
    pub fn new(path: &Path) -> Option<Self> {
        path.components().all(|c| matches!(c, Component::Normal(_))).then(|| Self(path.into()))
    }

    /// The path within the lot.
    pub fn as_path(&self) -> &Path {
        &self.0
    }

    /// The path on disk, with the lot at `root`.
    pub fn under(&self, root: &Path) -> PathBuf {
        if self.0.as_os_str().is_empty() { root.into() } else { root.join(&self.0) }
    }

    /// The bytes of the path.
    pub fn bytes(&self) -> &[u8] {
        self.0.as_os_str().as_bytes()
    }
}

/// What an entry is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A folder.
    Folder,
    /// A file.
    File,
    /// A symbolic link and where it leads, as written in it.
    Link(PathBuf),
    /// One more name for the file at an earlier path of the lot.
    Again(LotPath),
}

/// One file, folder or link of a lot, as it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// Where it is.
    pub path: LotPath,
    /// What it is.
    pub kind: EntryKind,
    /// Bytes of a file; 0 for everything else.
    pub size: u64,
    /// Bytes that it takes on its drive.
    pub allocated: u64,
    /// Time of its last change, nanoseconds since 1970.
    pub modified_ns: i128,
    /// Number of its inode.
    pub inode: u64,
    /// Permission bits.
    pub mode: u32,
    /// User and group.
    pub owner: (u32, u32),
}

/// All that is below a folder.
#[derive(Clone, Debug, Default)]
pub struct Walk {
    /// The folder itself first, then all below it; a folder before what is in it, in the order of names.
    pub entries: Vec<Entry>,
    /// What cannot be moved: sockets, pipes, devices, and folders that another file system is mounted on.
    pub others: Vec<LotPath>,
}

/// The time of the last change, in nanoseconds since 1970.
pub fn stamp_of(meta: &Metadata) -> i128 {
    i128::from(meta.mtime()) * 1_000_000_000 + i128::from(meta.mtime_nsec())
}

/// Walks a folder.
///
/// # Errors
/// The first folder that cannot be read, with its path in the error's text.
pub fn walk(root: &Path) -> io::Result<Walk> {
    let top = fs::symlink_metadata(root)?;
    let found = Mutex::new((Vec::new(), Vec::new()));
    visit(root, &top, &|path, meta, kind| {
        let lot_path = LotPath(path.strip_prefix(root).unwrap_or(path).to_path_buf());
        let mut found = found.lock().unwrap_or_else(PoisonError::into_inner);
        match kind {
            Some(kind) => found.0.push((entry(lot_path, meta, kind), meta.nlink())),
            None => found.1.push(lot_path),
        }
    })?;
    let (mut entries, mut others) = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    entries.sort_by(|a, b| a.0.path.as_path().cmp(b.0.path.as_path()));
    others.sort();
    let mut first: HashMap<u64, LotPath> = HashMap::new();
    let entries = entries.into_iter().map(|(mut entry, names)| {
        if names > 1 && entry.kind == EntryKind::File {
            match first.get(&entry.inode) {
                Some(of) => {
                    entry.kind = EntryKind::Again(of.clone());
                    entry.allocated = 0;
                    entry.size = 0;
                }
                None => {
                    first.insert(entry.inode, entry.path.clone());
                }
            }
        }
        entry
    });
    Ok(Walk { entries: entries.collect(), others })
}

fn entry(path: LotPath, meta: &Metadata, kind: EntryKind) -> Entry {
    Entry {
        path,
        size: if kind == EntryKind::File { meta.len() } else { 0 },
        kind,
        allocated: meta.blocks() * 512,
        modified_ns: stamp_of(meta),
        inode: meta.ino(),
        mode: meta.mode() & 0o7777,
        owner: (meta.uid(), meta.gid()),
    }
}

/// Calls `see` for the folder and all below it, folders before what is in them, several at a time.
fn visit(path: &Path, meta: &Metadata, see: &(dyn Fn(&Path, &Metadata, Option<EntryKind>) + Sync)) -> io::Result<()> {
    see(path, meta, Some(EntryKind::Folder));
    let named = |error: io::Error| io::Error::new(error.kind(), format!("{}: {error}", path.display()));
    let mut folders = Vec::new();
    for found in fs::read_dir(path).map_err(named)? {
        let found = found.map_err(named)?;
        let below = found.metadata().map_err(named)?;
        let at = found.path();
        if below.is_dir() {
            if below.dev() == meta.dev() {
                folders.push((at, below));
            } else {
                see(&at, &below, None);
            }
        } else if below.is_symlink() {
            see(&at, &below, Some(EntryKind::Link(fs::read_link(&at).map_err(named)?)));
        } else {
            see(&at, &below, below.is_file().then_some(EntryKind::File));
        }
    }
    folders.par_iter().try_for_each(|(at, below)| visit(at, below, see))
}

/// How large a folder is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Size {
    /// Bytes that it takes on its drive, each file once.
    pub on_disk: Bytes,
    /// Bytes of its files as they are read, holes included, each file once.
    pub apparent: Bytes,
    /// Number of files, further names of a file included.
    pub files: u64,
    /// Number of folders, itself included.
    pub folders: u64,
    /// Number of symbolic links.
    pub links: u64,
    /// Whether everything could be read.
    pub whole: bool,
}

impl Size {
    /// Adds up what a walk has found.
    pub fn of(entries: &[Entry]) -> Self {
        let mut size = Self { whole: true, ..Self::default() };
        for entry in entries {
            size.on_disk = size.on_disk.plus(Bytes::new(entry.allocated));
            size.apparent = size.apparent.plus(Bytes::new(entry.size));
            match entry.kind {
                EntryKind::Folder => size.folders += 1,
                EntryKind::Link(_) => size.links += 1,
                EntryKind::File | EntryKind::Again(_) => size.files += 1,
            }
        }
        size
    }
}

/// Adds up a folder without keeping a list; what cannot be read is left out and said by `whole`.
pub fn measure(root: &Path) -> Size {
    let counts: [AtomicU64; 5] = Default::default();
    let whole = AtomicBool::new(true);
    let seen = Mutex::new(HashMap::new());
    let Ok(top) = fs::symlink_metadata(root) else { return Size::default() };
    let add = |which: usize, n: u64| {
        counts[which].fetch_add(n, Ordering::Relaxed);
    };
    let result = visit(root, &top, &|_, meta, kind| {
        let first_name = meta.nlink() == 1 || meta.is_dir() || {
            let mut seen = seen.lock().unwrap_or_else(PoisonError::into_inner);
            seen.insert(meta.ino(), ()).is_none()
        };
        if first_name {
            add(0, meta.blocks() * 512);
        }
        match kind {
            Some(EntryKind::Folder) => add(3, 1),
            Some(EntryKind::Link(_)) => add(4, 1),
            Some(EntryKind::File | EntryKind::Again(_)) => {
                add(2, 1);
                add(1, if first_name { meta.len() } else { 0 });
            }
            None => whole.store(false, Ordering::Relaxed),
        }
    });
    let [on_disk, apparent, files, folders, links] = counts.map(AtomicU64::into_inner);
    Size {
        on_disk: Bytes::new(on_disk),
        apparent: Bytes::new(apparent),
        files,
        folders,
        links,
        whole: result.is_ok() && whole.into_inner(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::ffi::OsStr;
    use std::os::unix::fs::symlink;

    fn world() -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::create_dir_all(at("a/empty")).unwrap();
        fs::write(at("a/one"), vec![1; 5000]).unwrap();
        fs::hard_link(at("a/one"), at("b")).unwrap();
        symlink("a/one", at("c")).unwrap();
        symlink("/", at("root")).unwrap();
        fs::File::create(at("hole")).unwrap().set_len(1 << 24).unwrap();
        fs::write(folder.path().join(OsStr::from_bytes(b"\xffname")), "x").unwrap();
        folder
    }

    #[test]
    fn a_walk_finds_every_kind_once_and_follows_no_link() {
        let folder = world();
        let walk = walk(folder.path()).unwrap();
        let kinds: Vec<(String, &EntryKind)> =
            walk.entries.iter().map(|e| (e.path.as_path().to_string_lossy().into_owned(), &e.kind)).collect();
        let names: Vec<&str> = kinds.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["", "a", "a/empty", "a/one", "b", "c", "hole", "root", "\u{fffd}name"]);
        assert_eq!(kinds[4].1, &EntryKind::Again(LotPath("a/one".into())));
        assert_eq!(kinds[7].1, &EntryKind::Link("/".into()));
        assert_eq!(Size::of(&walk.entries), measure(folder.path()));
        let size = measure(folder.path());
        assert_eq!((size.files, size.folders, size.links), (4, 3, 2));
        assert_eq!(size.apparent.count(), 5000 + (1 << 24) + 1);
        assert!(size.on_disk.count() < 1 << 20, "a hole takes no room");
    }

    #[test]
    fn a_lot_path_leads_down_only() {
        for (path, sound) in [("a/b", true), ("", true), ("../a", false), ("/a", false), ("a/../b", false)] {
            assert_eq!(LotPath::new(Path::new(path)).is_some(), sound, "{path}");
        }
    }
}
