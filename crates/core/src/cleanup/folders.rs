//! Which folders may lie about: beside installed games, in libraries, and near the top of each drive.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use crate::item::Stage;
use crate::journal::{History, ItemRow};
use crate::launcher::is_of_the_system;
use crate::platform;
use crate::platform::Look;
use crate::site::{Site, real_path};
use crate::survey::Survey;

/// How deep below the top of a drive, and below the home.
const DEEP: usize = 2;

/// Folders to look into, and what a haul of ours has left half made.
pub(crate) fn candidates(site: &Site, survey: &Survey, history: &History) -> (Vec<PathBuf>, Vec<PathBuf>) {
    let installs = survey.games.iter().map(|game| real_path(&game.found.install));
    let mut known: BTreeSet<PathBuf> = installs.collect();
    let mut data: Vec<PathBuf> = survey.user_data.iter().map(|data| data.place.clone()).collect();
    data.extend(site.drives.iter().map(|drive| drive.root.join("user-data")));
    known.extend(survey.held.iter().map(|held| real_path(&held.path)));
    let own = own_names(history);
    let mut looking = FolderSearch { site, known, data, own, folders: BTreeSet::new(), half_made: BTreeSet::new() };
    let libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries).map(|library| &library.path);
    let beside =
        survey.games.iter().filter(|game| game.fault().is_none()).filter_map(|game| game.found.install.parent());
    let near: BTreeSet<PathBuf> = libraries.map(PathBuf::as_path).chain(beside).map(real_path).collect();
    for folder in &near {
        if *folder != site.places.home {
            looking.below(folder, 0);
        }
    }
    for drive in site.drives.iter().filter(|drive| !drive.absent && !site.is_of_system(drive)) {
        looking.below(&drive.root, DEEP);
    }
    // Of the home only what is named after games: its other folders are a person's own affairs.
    for entry in platform::read_dir(&site.places.home).into_iter().flatten().flatten() {
        if entry.file_name().to_string_lossy().to_lowercase().contains("game") {
            looking.below(&entry.path(), 1);
        }
    }
    (looking.folders.into_iter().collect(), looking.half_made.into_iter().collect())
}

/// Names of ours that a haul still needs: copies under way, and originals that stepped aside.
fn own_names(history: &History) -> BTreeSet<PathBuf> {
    let items = history.hauls.iter().flat_map(|haul| &haul.items);
    let staging = |item: &ItemRow| match &item.stage {
        Stage::Copying { staging } | Stage::Verified { staging } => Some(staging.clone()),
        Stage::Cancelling { made } => made.clone(),
        _ => None,
    };
    let aside = |item: &ItemRow| {
        let gone = matches!(item.stage, Stage::Cancelled | Stage::Undone | Stage::Released { .. });
        let names = [item.planned.aside.as_ref().map(|aside| aside.held.clone()), Some(item.planned.to.clone())];
        if gone { [None, None] } else { names }
    };
    items.flat_map(|item| staging(item).into_iter().chain(aside(item).into_iter().flatten())).collect()
}

struct FolderSearch<'a> {
    site: &'a Site,
    known: BTreeSet<PathBuf>,
    data: Vec<PathBuf>,
    own: BTreeSet<PathBuf>,
    folders: BTreeSet<PathBuf>,
    half_made: BTreeSet<PathBuf>,
}

impl FolderSearch<'_> {
    fn below(&mut self, folder: &Path, depth: usize) {
        for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with(".deft-barge-") {
                if !self.own.contains(&path) {
                    self.half_made.insert(path);
                }
                continue;
            }
            let hidden = name.starts_with('.');
            if hidden || !entry.file_type().is_ok_and(|kind| kind.is_dir()) || is_of_the_system(self.site, &path) {
                continue;
            }
            if self.known.contains(&path) || self.data.contains(&path) {
                continue;
            }
            // What holds a game, or user data, is looked into; it is none itself.
            let holds = |other: &PathBuf| other.starts_with(&path);
            if self.known.iter().any(holds) || self.data.iter().any(holds) {
                self.below(&path, depth.saturating_sub(1));
                continue;
            }
            self.take(path, depth);
        }
    }

    /// A folder with files at its top may be a game; one that holds folders alone may hold some.
    fn take(&mut self, path: PathBuf, depth: usize) {
        let entries: Vec<fs::DirEntry> = platform::read_dir(&path).into_iter().flatten().flatten().collect();
        let has = |name: &str| entries.iter().any(|entry| entry.file_name() == name);
        let files = entries.iter().any(|entry| entry.file_type().is_ok_and(|kind| kind.is_file()));
        let of_a_game = ["bin", "data", "Data"];
        let inside = |entry: &&fs::DirEntry| of_a_game.iter().any(|name| entry.path().join(name).look_is_dir());
        // A library has a list of its games at its top, and is none itself.
        let holds_games = entries.iter().filter(inside).count() > 1;
        let like_a_game = of_a_game.iter().any(|name| has(name)) || files && !holds_games;
        if !like_a_game && depth > 0 {
            self.below(&path, depth - 1);
        } else {
            self.folders.insert(path);
        }
    }
}
