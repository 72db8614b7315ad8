//! Walking a folder, in parallel, without following a link or crossing into another file system.

use crate::platform::NameBytes;
use crate::platform::Seen;
use crate::platform::name_of;
use std::collections::{HashMap, HashSet, VecDeque};
use std::fs;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::bytes::Bytes;
use crate::disk::Disk;
use crate::platform;
use crate::platform::{Heartbeat, Look, patiently};

/// A file's place in its item: relative, never through `..`, any bytes the file system allows.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ItemPath(PathBuf);

impl ItemPath {
    /// Takes a relative path; `None` if it leads anywhere but down. The empty path is the item itself.
    pub fn new(path: &Path) -> Option<Self> {
        path.components().all(|c| matches!(c, Component::Normal(_))).then(|| Self(path.into()))
    }

    /// The path within the item.
    pub fn as_path(&self) -> &Path {
        &self.0
    }

    /// The path on disk, with the item at `root`.
    pub fn under(&self, root: &Path) -> PathBuf {
        if self.0.as_os_str().is_empty() { root.into() } else { root.join(&self.0) }
    }

    /// The bytes of the path.
    pub fn bytes(&self) -> &[u8] {
        self.0.name_bytes()
    }

    /// Bytes in whose order a walk goes: those of the path, with NUL between its names, which no name can hold.
    pub fn key(&self) -> Vec<u8> {
        let is_separator = |byte: u8| byte.is_ascii() && std::path::is_separator(char::from(byte));
        self.bytes().iter().map(|byte| if is_separator(*byte) { 0 } else { *byte }).collect()
    }

    /// The path that has this key; `None` if it is none.
    pub fn of_key(key: &[u8]) -> Option<Self> {
        let bytes: Vec<u8> =
            key.iter().map(|byte| if *byte == 0 { std::path::MAIN_SEPARATOR as u8 } else { *byte }).collect();
        Self::new(Path::new(&name_of(bytes)))
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
    /// One more name for the file at an earlier path of the item.
    Again(ItemPath),
}

/// One file, folder or link of an item, as it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// Where it is.
    pub path: ItemPath,
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
    /// Time of the last change of its bytes or of what stands beside them (ctime), nanoseconds since 1970; `None` in a
    /// checksums of an older journal.
    pub changed_ns: Option<i128>,
    /// Number of names that the file has, in the item and elsewhere; 0 where that is not known.
    pub names: u64,
}

/// All that is below a folder.
#[derive(Clone, Debug, Default)]
pub struct Walk {
    /// The folder itself first, then all below it; a folder before what is in it, in the order of names.
    pub entries: Vec<Entry>,
    /// What cannot be moved: sockets, pipes, devices, and folders that another file system is mounted on.
    pub others: Vec<ItemPath>,
}

/// What a walk comes by.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum WalkEnd {
    /// A folder, file or link.
    Entry(Entry),
    /// What cannot be moved: a socket, pipe or device, or a folder that another file system is mounted on.
    Other(ItemPath),
}

/// Walks a folder, and keeps nothing: `see` gets the folder itself first, then all below it, in the order of
/// [`ItemPath::key`], a folder before what is in it. Folders are read some way ahead, several at a time.
///
/// # Errors
/// The first folder that cannot be read, with its path in the error's text; or what `see` gives.
pub fn walk_each<E: From<io::Error>>(
    disk: &Disk,
    root: &Path,
    see: &mut dyn FnMut(WalkEnd) -> Result<(), E>,
) -> Result<(), E> {
    let top = look_at(root)?;
    let kind = if top.is_folder() { EntryKind::Folder } else { EntryKind::File };
    see(WalkEnd::Entry(entry(ItemPath(PathBuf::new()), &top, kind)))?;
    if !top.is_folder() {
        return Ok(());
    }
    let mut names = NameList { disk, root, device: top.device, first: HashMap::new() };
    let mut listings = lists(disk, root, vec![ItemPath(PathBuf::new())], top.device);
    names.descend(listings.remove(0)?, see)
}

/// A folder's names with what is known of each, in their order.
type FolderBatch = Vec<(ItemPath, Seen, Option<EntryKind>)>;

/// Folders that are read with one wait for their drive.
const AT_A_TIME: usize = 16;

fn look_at(root: &Path) -> io::Result<Seen> {
    let path = root.to_path_buf();
    patiently(root, move |_| path.look_own_meta())?
}

/// Lists folders, one after another; a drive that holds this for good is left.
fn lists(disk: &Disk, root: &Path, folders: Vec<ItemPath>, device: u64) -> Vec<io::Result<FolderBatch>> {
    let (count, place) = (folders.len(), folders[0].under(root));
    let (disk, root) = (disk.clone(), root.to_path_buf());
    let listed = patiently(&place, move |pulse| {
        folders.iter().map(|folder| list(&disk, &root, folder.as_path(), device, pulse)).collect()
    });
    let none = |error: io::Error| (0..count).map(|_| Err(io::Error::new(error.kind(), error.to_string()))).collect();
    listed.unwrap_or_else(none)
}

fn list(disk: &Disk, root: &Path, folder: &Path, device: u64, pulse: &Heartbeat) -> io::Result<FolderBatch> {
    let at = root.join(folder);
    let named = |error: io::Error| io::Error::new(error.kind(), format!("{}: {error}", at.display()));
    let mut listing = FolderBatch::new();
    for found in disk.read_folder(&at).map_err(named)? {
        let found = found.map_err(named)?;
        let meta = platform::entry_meta(&found).map_err(named)?;
        pulse.beat();
        let kind = if meta.is_folder() {
            (meta.device == device).then_some(EntryKind::Folder)
        } else if meta.is_link() {
            Some(EntryKind::Link(fs::read_link(platform::exact(&found.path())).map_err(named)?))
        } else {
            meta.is_file().then_some(EntryKind::File)
        };
        listing.push((ItemPath(folder.join(found.file_name())), meta, kind));
    }
    listing.sort_unstable_by(|a, b| a.0.bytes().cmp(b.0.bytes()));
    Ok(listing)
}

/// A walk under way.
struct NameList<'a> {
    disk: &'a Disk,
    root: &'a Path,
    device: u64,
    /// The first name of each file that has several.
    first: HashMap<u64, ItemPath>,
}

impl NameList<'_> {
    fn descend<E: From<io::Error>>(
        &mut self,
        listing: FolderBatch,
        see: &mut dyn FnMut(WalkEnd) -> Result<(), E>,
    ) -> Result<(), E> {
        /// Folders that are read ahead of the one in hand.
        const AHEAD: usize = 32;
        let is_folder = |kind: &Option<EntryKind>| *kind == Some(EntryKind::Folder);
        let mut folders: VecDeque<ItemPath> =
            listing.iter().filter(|(.., kind)| is_folder(kind)).map(|(path, ..)| path.clone()).collect();
        let mut ahead: VecDeque<io::Result<FolderBatch>> = VecDeque::new();
        for (path, meta, kind) in listing {
            let Some(kind) = kind else {
                see(WalkEnd::Other(path))?;
                continue;
            };
            let folder = kind == EntryKind::Folder;
            see(WalkEnd::Entry(self.named(path, &meta, kind)))?;
            if folder {
                if ahead.is_empty() {
                    let next: Vec<ItemPath> = folders.drain(..folders.len().min(AHEAD)).collect();
                    let (disk, root, device) = (self.disk, self.root, self.device);
                    let some = next.par_chunks(AT_A_TIME);
                    ahead =
                        some.flat_map_iter(|some| lists(disk, root, some.to_vec(), device)).collect::<Vec<_>>().into();
                }
                if let Some(below) = ahead.pop_front() {
                    self.descend(below?, see)?;
                }
            }
        }
        Ok(())
    }

    /// Makes an entry; a second name of a file is told as such.
    fn named(&mut self, path: ItemPath, meta: &Seen, kind: EntryKind) -> Entry {
        let several = meta.names > 1 && kind == EntryKind::File;
        let mut entry = entry(path, meta, kind);
        if several {
            if let Some(of) = self.first.get(&entry.inode) {
                entry.kind = EntryKind::Again(of.clone());
                entry.allocated = 0;
                entry.size = 0;
            } else {
                self.first.insert(entry.inode, entry.path.clone());
            }
        }
        entry
    }
}

/// Walks a folder and keeps all that is in it.
///
/// # Errors
/// The first folder that cannot be read, with its path in the error's text.
pub fn walk(disk: &Disk, root: &Path) -> io::Result<Walk> {
    let mut walk = Walk::default();
    walk_each(disk, root, &mut |found| {
        match found {
            WalkEnd::Entry(entry) => walk.entries.push(entry),
            WalkEnd::Other(path) => walk.others.push(path),
        }
        Ok::<(), io::Error>(())
    })?;
    Ok(walk)
}

fn entry(path: ItemPath, meta: &Seen, kind: EntryKind) -> Entry {
    Entry {
        path,
        size: if kind == EntryKind::File { meta.size } else { 0 },
        kind,
        allocated: meta.allocated,
        modified_ns: meta.modified_ns,
        inode: meta.inode,
        mode: meta.mode,
        owner: meta.owner,
        changed_ns: Some(meta.changed_ns),
        names: meta.names,
    }
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
    /// Adds one thing that a walk has found.
    pub fn add(&mut self, entry: &Entry) {
        self.on_disk = self.on_disk.plus(Bytes::new(entry.allocated));
        self.apparent = self.apparent.plus(Bytes::new(entry.size));
        match entry.kind {
            EntryKind::Folder => self.folders += 1,
            EntryKind::Link(_) => self.links += 1,
            EntryKind::File | EntryKind::Again(_) => self.files += 1,
        }
    }
}

/// Adds up a folder without keeping a list; what cannot be read, also on a drive that ceases to answer, is left out and said by `whole`.
pub fn measure(root: &Path) -> Size {
    let Ok(top) = look_at(root) else { return Size::default() };
    let sums = Arc::new(WalkSums::default());
    sums.add(&top, Some(EntryKind::Folder));
    let (mut folders, device) = (vec![root.to_path_buf()], top.device);
    while !folders.is_empty() {
        let below = folders.par_chunks(AT_A_TIME).flat_map_iter(|some| {
            let (paths, adding) = (some.to_vec(), Arc::clone(&sums));
            let read = patiently(&some[0], move |pulse| {
                let mut below = Vec::new();
                for path in &paths {
                    if adding.read(path, device, pulse, &mut below).is_err() {
                        adding.short.store(true, Ordering::Relaxed);
                    }
                }
                below
            });
            read.unwrap_or_else(|_| {
                sums.short.store(true, Ordering::Relaxed);
                Vec::new()
            })
        });
        folders = below.collect();
    }
    sums.size()
}

/// What a folder adds up to, so far.
#[derive(Debug, Default)]
struct WalkSums {
    on_disk: AtomicU64,
    apparent: AtomicU64,
    files: AtomicU64,
    folders: AtomicU64,
    links: AtomicU64,
    /// Whether something could not be read.
    short: AtomicBool,
    /// Files of several names that were met.
    seen: Mutex<HashSet<u64>>,
}

impl WalkSums {
    /// Adds what is in a folder; `below` gets its folders.
    fn read(&self, folder: &Path, device: u64, pulse: &Heartbeat, below: &mut Vec<PathBuf>) -> io::Result<()> {
        for found in platform::read_dir_here(folder)? {
            let found = found?;
            let meta = platform::entry_meta(&found)?;
            pulse.beat();
            let kind = if meta.is_folder() {
                let here = meta.device == device;
                below.extend(here.then(|| folder.join(found.file_name())));
                here.then_some(EntryKind::Folder)
            } else if meta.is_link() {
                Some(EntryKind::Link(PathBuf::new()))
            } else {
                meta.is_file().then_some(EntryKind::File)
            };
            self.add(&meta, kind);
        }
        Ok(())
    }

    fn add(&self, meta: &Seen, kind: Option<EntryKind>) {
        let plus = |sum: &AtomicU64, n: u64| {
            sum.fetch_add(n, Ordering::Relaxed);
        };
        let first_name = meta.names == 1 || meta.is_folder() || {
            let mut seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
            seen.insert(meta.inode)
        };
        if first_name {
            plus(&self.on_disk, meta.allocated);
        }
        match kind {
            Some(EntryKind::Folder) => plus(&self.folders, 1),
            Some(EntryKind::Link(_)) => plus(&self.links, 1),
            Some(EntryKind::File | EntryKind::Again(_)) => {
                plus(&self.files, 1);
                plus(&self.apparent, if first_name { meta.size } else { 0 });
            }
            None => self.short.store(true, Ordering::Relaxed),
        }
    }

    fn size(&self) -> Size {
        let sum = |sum: &AtomicU64| sum.load(Ordering::Relaxed);
        Size {
            on_disk: Bytes::new(sum(&self.on_disk)),
            apparent: Bytes::new(sum(&self.apparent)),
            files: sum(&self.files),
            folders: sum(&self.folders),
            links: sum(&self.links),
            whole: !self.short.load(Ordering::Relaxed),
        }
    }
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use std::ffi::OsStr;
    use std::os::unix::ffi::OsStrExt;
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
        let walk = walk(&Disk::default(), folder.path()).unwrap();
        let kinds: Vec<(String, &EntryKind)> =
            walk.entries.iter().map(|e| (e.path.as_path().to_string_lossy().into_owned(), &e.kind)).collect();
        let names: Vec<&str> = kinds.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["", "a", "a/empty", "a/one", "b", "c", "hole", "root", "\u{fffd}name"]);
        assert_eq!(kinds[4].1, &EntryKind::Again(ItemPath("a/one".into())));
        assert_eq!(kinds[7].1, &EntryKind::Link("/".into()));
        let mut sum = Size { whole: true, ..Size::default() };
        walk.entries.iter().for_each(|entry| sum.add(entry));
        assert_eq!(sum, measure(folder.path()));
        let size = measure(folder.path());
        assert_eq!((size.files, size.folders, size.links), (4, 3, 2));
        assert_eq!(size.apparent.count(), 5000 + (1 << 24) + 1);
        assert!(size.on_disk.count() < 1 << 20, "a hole takes no room");
    }

    /// A drive that answers until somebody reads one folder of it.
    #[derive(Debug)]
    struct Holding(PathBuf, crossbeam_channel::Receiver<()>);

    impl crate::disk::Gate for Holding {
        fn before(&self, act: &crate::disk::Act<'_>) -> io::Result<()> {
            if matches!(act, crate::disk::Act::ReadFolder(path) if *path == self.0) {
                let _ = self.1.recv();
            }
            Ok(())
        }

        fn after(&self, _: &crate::disk::Act<'_>) {}
    }

    #[test]
    fn a_drive_that_ceases_to_answer_in_the_middle_of_a_walk_is_left_and_named() {
        let folder = world();
        let (_hold, held) = crossbeam_channel::bounded(0);
        let disk = Disk::with_gates(vec![Arc::new(Holding(folder.path().join("a/empty"), held))]);
        let error = walk(&disk, folder.path()).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::TimedOut, "{error}");
        assert!(error.to_string().contains("a/empty"), "{error}");
        // Nothing else waits for it.
        assert!(walk(&Disk::default(), world().path()).is_ok());
    }

    #[test]
    fn a_walk_goes_in_the_order_of_keys_however_many_folders_there_are() {
        let folder = tempfile::tempdir().unwrap();
        for n in 0..90 {
            let below = folder.path().join(format!("f{n}/in.{}", n % 3));
            fs::create_dir_all(&below).unwrap();
            fs::write(below.join("x"), "x").unwrap();
            fs::write(folder.path().join(format!("f{n}.txt")), "y").unwrap();
        }
        let entries = walk(&Disk::default(), folder.path()).unwrap().entries;
        assert_eq!(entries.len(), 1 + 90 * 4);
        let keys: Vec<Vec<u8>> = entries.iter().map(|entry| entry.path.key()).collect();
        assert!(keys.is_sorted());
        assert!(keys.iter().zip(&entries).all(|(key, entry)| ItemPath::of_key(key).as_ref() == Some(&entry.path)));
        assert_eq!(ItemPath::of_key(b"..\0a"), None);
    }

    #[test]
    fn a_item_path_leads_down_only() {
        for (path, sound) in [("a/b", true), ("", true), ("../a", false), ("/a", false), ("a/../b", false)] {
            assert_eq!(ItemPath::new(Path::new(path)).is_some(), sound, "{path}");
        }
    }
}
