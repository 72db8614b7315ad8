//! What a game's files come to, and what a drive with some abilities makes of them.
//!
//! Law: what the drive could not hold is found before anything is copied. Start at [`DriveFit::take`].

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Component, Path};

use super::loads::packs;
use crate::bytes::Bytes;
use crate::checksums::{Entry, EntryKind, Size, WalkEnd as Walked};
use crate::disk::attributes_of;
use crate::item::Limit;
use crate::platform::Abilities;
use crate::platform::Look;

/// What most file systems give out at a time.
const CLUSTER: u64 = 4096;

/// The longest path that the system opens, in bytes, without the byte that ends it (`PATH_MAX` in linux/limits.h less one).
const LONGEST_PATH: usize = 4095;

/// Bytes of the longest name that the folder of a copy has before it is in its place.
const COPY_NAME: usize = ".deft-barge-copy-9223372036854775807-12345678".len();

/// What a game's files come to, and what a drive with some abilities makes of them, added up as they are walked.
pub(crate) struct DriveFit<'a> {
    abilities: &'a Abilities,
    /// Whether the source's file system says less than another will need, because it packs its files.
    packs: bool,
    from: &'a Path,
    /// Bytes of the path of the longest of the folders that it will lie in.
    above: usize,
    pub(crate) size: Size,
    /// Bytes needed there: whole blocks of 4 kB, holes only where it has them.
    pub(crate) need: Bytes,
    /// What it cannot hold: the limit, the first path, and how many.
    pub(crate) unfit: Vec<(Limit, String, usize)>,
    pub(crate) again: bool,
    /// Whether attributes would be lost.
    pub(crate) attributes: bool,
    pub(crate) leads_out: Option<(String, usize)>,
    /// Links that lead to files and that it has not: the first, and how many.
    pub(crate) linked: Option<(String, usize)>,
    /// Room that copies of those files take, in whole blocks of 4 kB.
    pub(crate) linked_bytes: Bytes,
    /// Files with times that are still to come: the first, and how many.
    pub(crate) ahead: Option<(String, usize)>,
    now_ns: i128,
    /// Hashes of the names seen, folded, where names fold.
    names: HashSet<u64>,
}

impl<'a> DriveFit<'a> {
    /// `to` is where it will lie, if it is said.
    pub(crate) fn new(abilities: &'a Abilities, source: &str, from: &'a Path, to: &Path) -> Self {
        // While it is copied its folder has another name, which may be a longer one.
        let copied = to.with_file_name("x".repeat(COPY_NAME));
        Self {
            above: to.as_os_str().len().max(copied.as_os_str().len()),
            abilities,
            packs: packs(source),
            from,
            size: Size { whole: true, ..Size::default() },
            need: Bytes::ZERO,
            unfit: Vec::new(),
            again: false,
            attributes: false,
            leads_out: None,
            linked: None,
            ahead: None,
            now_ns: jiff::Timestamp::now().as_nanosecond(),
            linked_bytes: Bytes::ZERO,
            names: HashSet::new(),
        }
    }

    fn cannot(&mut self, limit: Limit, path: &Path) {
        match self.unfit.iter_mut().find(|(known, ..)| *known == limit) {
            Some((.., count)) => *count += 1,
            None => self.unfit.push((limit, path.to_string_lossy().into_owned(), 1)),
        }
    }

    pub(crate) fn take(&mut self, found: Walked) {
        let entry = match found {
            Walked::Entry(entry) => entry,
            Walked::Other(path) => return self.cannot(Limit::Kind, path.as_path()),
        };
        self.size.add(&entry);
        self.need = self.need.plus(self.need_of(&entry));
        let path = entry.path.as_path();
        if matches!(entry.kind, EntryKind::Link(_)) && !self.abilities.links {
            match entry.path.under(self.from).look_meta() {
                Ok(meta) if meta.is_file() => {
                    self.linked.get_or_insert_with(|| (path.to_string_lossy().into_owned(), 0)).1 += 1;
                    self.linked_bytes = self.linked_bytes.plus(Bytes::new(meta.size.next_multiple_of(CLUSTER)));
                    if self.abilities.largest_file.is_some_and(|most| meta.size > most.count()) {
                        self.cannot(Limit::Size, path);
                    }
                }
                // A folder, or nothing: no copy of it can stand there.
                Ok(_) | Err(_) => self.cannot(Limit::Link, path),
            }
        }
        if path.file_name().is_some_and(|name| !self.abilities.can_name(name)) {
            self.cannot(Limit::Name, path);
        }
        if self.above + 1 + path.as_os_str().len() > LONGEST_PATH {
            self.cannot(Limit::Path, path);
        }
        if self.abilities.largest_file.is_some_and(|most| entry.size > most.count()) {
            self.cannot(Limit::Size, path);
        }
        if self.abilities.folds_case {
            let mut hash = DefaultHasher::new();
            match path.to_str() {
                Some(text) => text.to_lowercase().hash(&mut hash),
                None => path.hash(&mut hash),
            }
            if !self.names.insert(hash.finish()) {
                self.cannot(Limit::Case, path);
            }
        }
        /// Clocks of several machines differ by less.
        const DAY_NS: i128 = 86_400_000_000_000;
        if entry.kind == EntryKind::File && entry.modified_ns > self.now_ns + DAY_NS {
            self.ahead.get_or_insert_with(|| (path.to_string_lossy().into_owned(), 0)).1 += 1;
        }
        self.again |= matches!(entry.kind, EntryKind::Again(_));
        if !self.abilities.attributes && !self.attributes && matches!(entry.kind, EntryKind::File | EntryKind::Folder) {
            self.attributes = attributes_of(&entry.path.under(self.from)).is_ok_and(|all| !all.is_empty());
        }
        if leads_out(&entry) {
            let text = path.to_string_lossy().into_owned();
            self.leads_out.get_or_insert((text, 0)).1 += 1;
        }
    }

    fn need_of(&self, entry: &Entry) -> Bytes {
        Bytes::new(match entry.kind {
            EntryKind::File => {
                let whole = entry.size.next_multiple_of(CLUSTER);
                if self.abilities.sparse && !self.packs {
                    whole.min(entry.allocated.next_multiple_of(CLUSTER))
                } else {
                    whole
                }
            }
            EntryKind::Again(_) if !self.abilities.hard_links => {
                entry.path.under(self.from).look_meta().map_or(0, |meta| meta.size.next_multiple_of(CLUSTER))
            }
            EntryKind::Folder => entry.allocated.max(CLUSTER),
            // A link with a long target takes a block.
            EntryKind::Link(_) => entry.allocated,
            EntryKind::Again(_) => 0,
        })
    }
}

/// Whether a relative link leads above the item, so that it leads elsewhere from another place.
fn leads_out(entry: &Entry) -> bool {
    let EntryKind::Link(target) = &entry.kind else { return false };
    let depth = entry.path.as_path().components().count().cast_signed() - 1;
    let mut level = depth;
    for component in target.components() {
        match component {
            Component::RootDir | Component::Prefix(_) => return false,
            Component::ParentDir => level -= 1,
            Component::Normal(_) => level += 1,
            Component::CurDir => {}
        }
        if level < 0 {
            return true;
        }
    }
    false
}
