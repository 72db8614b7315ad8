//! What a folder consists of, by names and sizes: quick to make, and enough to see that two folders are alike.

use std::collections::{BTreeMap, VecDeque};
use std::path::{Path, PathBuf};

use crate::platform;

/// The files of a folder, by their path below it, and their sizes. Links are none of them.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct FolderListing(BTreeMap<PathBuf, u64>);

/// Files that are listed at most: a folder with more is listed so far.
const MOST: usize = 500_000;

impl FolderListing {
    /// Lists a folder; what cannot be read is left out.
    pub fn of(folder: &Path) -> Self {
        let mut listing = Self::default();
        listing.add(folder, folder);
        listing
    }

    fn add(&mut self, root: &Path, folder: &Path) {
        for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
            let (path, Ok(kind)) = (entry.path(), entry.file_type()) else { continue };
            if kind.is_dir() {
                self.add(root, &path);
            } else if kind.is_file()
                && self.0.len() < MOST
                && let (Ok(below), Ok(meta)) = (path.strip_prefix(root), platform::entry_meta(&entry))
            {
                self.0.insert(below.into(), meta.size);
            }
        }
    }

    /// The files of a folder, those that lie less deep first, each listed only when it is asked for.
    pub(crate) fn lazily(folder: &Path) -> impl Iterator<Item = PathBuf> {
        let mut folders = VecDeque::from([folder.to_path_buf()]);
        let level = move || {
            let mut files = Vec::new();
            for entry in platform::read_dir(&folders.pop_front()?).into_iter().flatten().flatten() {
                match entry.file_type() {
                    Ok(kind) if kind.is_dir() => folders.push_back(entry.path()),
                    Ok(kind) if kind.is_file() => files.push(entry.path()),
                    _ => {}
                }
            }
            Some(files)
        };
        std::iter::from_fn(level).flatten()
    }

    /// Number of files.
    pub fn files(&self) -> u64 {
        self.0.len() as u64
    }

    /// Bytes of all files.
    pub fn bytes(&self) -> u64 {
        self.0.values().sum()
    }

    /// Size of a file of it.
    pub fn size_of(&self, path: &Path) -> Option<u64> {
        self.0.get(path).copied()
    }

    /// Files that another folder has with the same name and size.
    pub fn alike(&self, other: &Self) -> u64 {
        self.0.iter().filter(|(path, size)| other.size_of(path) == Some(**size)).count() as u64
    }

    /// Files with their sizes, in order.
    pub(crate) fn iter(&self) -> impl Iterator<Item = (&Path, u64)> {
        self.0.iter().map(|(path, size)| (path.as_path(), *size))
    }
}
