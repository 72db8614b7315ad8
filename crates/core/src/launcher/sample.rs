//! What a check of a profile looks at besides records: folders beside the games, and some files of each content list.

use std::collections::{BTreeSet, HashSet};
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::contents::ContentList;
use super::found::FoundLauncher;
use super::profile::load_profiles;
use super::reading::read_launchers;
use crate::platform::{self, Look};
use crate::site::{Site, real_path};

/// Files of each game that its content list is tried on.
const TRIED: usize = 3;

/// The largest file that is read for it.
const LARGEST: u64 = 64_000_000;

/// A content list that does not agree with a game, or can't be read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ListFault {
    /// Title of the game.
    pub title: String,
    /// What is wrong.
    pub what: ListFaultKind,
}

/// What is wrong with a content list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ListFaultKind {
    /// It can't be read: why.
    Unreadable(String),
    /// It lists no file.
    Empty,
    /// None of the files it was tried on is there with its size and hash.
    NoneAgrees {
        /// The list.
        list: PathBuf,
        /// The first of the files.
        file: PathBuf,
    },
}

/// The content lists of a launcher, tried on some files of each game.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct ListCheck {
    /// Games whose list agrees with the files it was tried on.
    pub agree: usize,
    /// Titles of games of which there is no list.
    pub without: Vec<String>,
    /// Files that were read.
    pub files: usize,
    /// Lists that don't agree.
    pub faults: Vec<ListFault>,
}

/// Tries the content list of each game on its smallest files; `None` where the profile names none.
pub(crate) fn check_lists(site: &Site, found: &FoundLauncher) -> Option<ListCheck> {
    found.profile.contents.as_ref()?;
    let mut check = ListCheck::default();
    for game in found.games.iter().filter(|game| game.fault.is_none()) {
        let values = found.values_of(site, &game.id, &game.install);
        let fault = match ContentList::read(&found.profile, &values) {
            Ok(None) => {
                check.without.push(game.title.clone());
                continue;
            }
            Ok(Some(list)) => tried(site, &list, &game.install, &mut check.files),
            Err(error) => Some(ListFaultKind::Unreadable(error.to_string())),
        };
        match fault {
            Some(what) => check.faults.push(ListFault { title: game.title.clone(), what }),
            None => check.agree += 1,
        }
    }
    Some(check)
}

fn tried(site: &Site, list: &ContentList, install: &Path, files: &mut usize) -> Option<ListFaultKind> {
    let mut by_size: Vec<_> = list.listed_files.iter().collect();
    let there = |listed: &super::contents::ListedFile| install.join(&listed.path).look_own_meta().map(|meta| meta.size);
    // An empty file agrees with any list that is off by a field.
    by_size.sort_by_cached_key(|listed| {
        let size = listed.size.or_else(|| there(listed).ok());
        (size == Some(0), size.is_none(), size)
    });
    let Some(first) = by_size.first().copied() else { return Some(ListFaultKind::Empty) };
    let agrees = |listed: &&super::contents::ListedFile| {
        let at = install.join(&listed.path);
        let Ok(meta) = at.look_own_meta() else { return false };
        let same_size = meta.is_file() && listed.may_have(meta.size);
        // One that is too large to be read for a check is taken by its size.
        same_size && (meta.size > LARGEST || listed.has_bytes_of(&site.disk, &at, list.kind).unwrap_or(false))
    };
    let tried: Vec<_> = by_size.into_iter().take(TRIED).collect();
    *files += tried.len();
    // A changed file or two is a game's own affair.
    let agree = tried.iter().filter(|listed| agrees(listed)).count();
    (agree == 0).then(|| ListFaultKind::NoneAgrees { list: list.file.clone(), file: install.join(&first.path) })
}

/// Folders with something in them that lie beside the games of a launcher, and are no games of it or of any other that is known here.
pub(crate) fn folders_beside(site: &Site, found: &FoundLauncher) -> Vec<PathBuf> {
    let others = read_launchers(site, &load_profiles(&site.profile_folder()).0);
    let games = found.games.iter().chain(others.iter().flat_map(|other| &other.games));
    let known: HashSet<PathBuf> = games.map(|game| real_path(&game.install)).collect();
    let parents: BTreeSet<&Path> = found.games.iter().filter_map(|game| game.install.parent()).collect();
    let mut beside = Vec::new();
    for parent in parents {
        let entries = platform::read_dir(parent).into_iter().flatten().flatten();
        for entry in entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir())) {
            let path = entry.path();
            let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
            let of_a_game = || known.iter().any(|game| game.starts_with(real_path(&path)));
            let full = || platform::read_dir(&path).is_ok_and(|mut entries| entries.next().is_some());
            if !hidden && !of_a_game() && full() {
                beside.push(path);
            }
        }
    }
    beside.sort();
    beside
}
