//! What is lying about: strays, leftovers, duplicates, broken links, dead records, libraries that are away, and what
//! an earlier haul of ours has left half made.
//!
//! Law: looking writes nothing, follows no link, and keeps out of what belongs to the system. Start at [`find`];
//! what may be removed goes on to [`crate::plan::plan_removal`].

use super::folders;
use crate::checksums::{Size, measure};
use crate::journal::History;
use crate::survey::{CleanupAct, CleanupFind, FindKind, Fitting};
use crate::survey::{FolderListing, looks_like_a_game};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use crate::bytes::{Bytes, HaulId};
use crate::launcher::{ContentList, FoundLauncher, PlaceFault, content_ids};
use crate::platform::Look;
use crate::record::Values;
use crate::site::{Site, real_path};
use crate::survey::{Game, Survey};

/// How far a look around is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FindPhase {
    /// Folders looked into.
    pub looked: usize,
    /// Folders in all.
    pub all: usize,
}

/// Looks for what is lying about. `report` hears how many folders are looked into.
pub fn find(site: &Site, survey: &Survey, history: &History, report: &(dyn Fn(FindPhase) + Sync)) -> Vec<CleanupFind> {
    let (candidates, half_made) = folders::candidates(site, survey, history);
    let lists = lists_of_nobody(site, survey);
    let all = candidates.len();
    let looked = std::sync::atomic::AtomicUsize::new(0);
    let folders = candidates.par_iter().filter_map(|folder| {
        let found = one_folder(site, survey, history, &lists, folder);
        let looked = looked.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
        report(FindPhase { looked, all });
        found
    });
    let mut found: Vec<CleanupFind> = folders.collect();
    found.extend(half_made.into_iter().map(|path| {
        let what = FindKind::HalfMade;
        lying(site, path, what, vec![CleanupAct::Quarantine])
    }));
    found.extend(duplicates(site, survey));
    for link in survey.links.iter().filter(|link| !link.alive && link.out_of.is_none()) {
        let what = FindKind::BrokenLink { leads_to: link.leads_to.clone(), into: link.into.clone() };
        found.push(lying(site, link.path.clone(), what, vec![CleanupAct::RemoveLink]));
    }
    found.extend(dead_records(site, survey));
    // What is wrong comes before what only takes room.
    found.sort_by_key(|find| !is_wrong(&find.what));
    found
}

/// Whether something points to nothing or was left unfinished.
fn is_wrong(what: &FindKind) -> bool {
    match what {
        FindKind::DeadEntry { .. }
        | FindKind::BrokenLink { .. }
        | FindKind::HalfMade
        | FindKind::OfflineLibrary { .. } => true,
        FindKind::Unlisted { .. } | FindKind::OldCopy { .. } | FindKind::Duplicate { .. } => false,
    }
}

fn lying(site: &Site, path: PathBuf, what: FindKind, acts: Vec<CleanupAct>) -> CleanupFind {
    let drive = site.drive_of(path.parent().unwrap_or(&path)).map(|drive| drive.name.clone());
    let folder = path.look_own_meta().is_ok_and(|meta| meta.is_folder());
    let size = if folder { measure(&path) } else { Size::default() };
    CleanupFind { path, drive, size, what, acts }
}

/// A content list of a game that is not installed.
struct Unclaimed {
    launcher: String,
    id: String,
    title: Option<String>,
    list: ContentList,
}

/// The content lists of games that no record names.
fn lists_of_nobody(site: &Site, survey: &Survey) -> Vec<Unclaimed> {
    let of_launcher = |found: &FoundLauncher| {
        let installed = |id: &String| found.games.iter().any(|game| game.id == *id && game.fault.is_none());
        let ids = content_ids(site, found).into_iter().filter(|(id, _)| !installed(id));
        let read = ids.filter_map(|(id, library)| {
            let values: Values = found.values(site).with("id", &id).with("library", library);
            let list = ContentList::read(&found.profile, &values).ok().flatten()?;
            Some(Unclaimed { launcher: found.profile.id.clone(), id, title: list.title.clone(), list })
        });
        read.collect::<Vec<_>>()
    };
    survey.found.iter().flat_map(of_launcher).collect()
}

fn one_folder(
    site: &Site,
    survey: &Survey,
    history: &History,
    lists: &[Unclaimed],
    folder: &Path,
) -> Option<CleanupFind> {
    let listing = FolderListing::of(folder);
    if let Some((game, haul, alike)) = leftover_of(survey, history, folder, &listing) {
        let what = FindKind::OldCopy {
            of: game.id.clone(),
            title: game.found.title.clone(),
            install: game.found.install.clone(),
            haul,
            alike,
            files: listing.files(),
        };
        return Some(lying(site, folder.into(), what, vec![CleanupAct::Release, CleanupAct::Quarantine]));
    }
    let fits = lists.iter().filter_map(|unclaimed| fitting(unclaimed, &listing)).min_by_key(|fit| fit.missing);
    let looks = looks_like_a_game(folder, &listing);
    if fits.is_none() && !looks.like_a_game() {
        return None;
    }
    let mut acts = vec![CleanupAct::Haul, CleanupAct::Quarantine];
    // Its launcher has forgotten where it is, and this is all there is of it.
    if only_copy_of(site, survey, history, folder).is_some() {
        acts.pop();
    }
    if fits.is_some() {
        acts.insert(0, CleanupAct::Import);
    }
    let what = FindKind::Unlisted { programs: looks.programs, packs: looks.packs, fits };
    Some(lying(site, folder.into(), what, acts))
}

/// How a folder fits a list: by the files that have the right size; at least half of the list's bytes must be there.
fn fitting(unclaimed: &Unclaimed, listing: &FolderListing) -> Option<Fitting> {
    let listed_files = &unclaimed.list.listed_files;
    let (mut there, mut missing, mut bytes) = (0, 0_u64, 0_u64);
    for listed in listed_files {
        let size = listing.size_of(&listed.path);
        bytes += listed.bytes(size);
        if size.is_some_and(|size| listed.may_have(size)) { there += 1 } else { missing += listed.bytes(size) }
    }
    (there > 0 && missing * 2 <= bytes).then(|| Fitting {
        launcher: unclaimed.launcher.clone(),
        id: unclaimed.id.clone(),
        title: unclaimed.title.clone(),
        files: listed_files.len() as u64,
        there,
        missing: Bytes::new(missing),
    })
}

/// The installed game that a folder is an old copy of, the haul that moved it away from here, and how many files are alike.
fn leftover_of<'a>(
    survey: &'a Survey,
    history: &History,
    folder: &Path,
    listing: &FolderListing,
) -> Option<(&'a Game, Option<HaulId>, u64)> {
    let files = listing.files();
    let sound = survey.games.iter().filter(|game| game.fault().is_none());
    let here = real_path(folder);
    let moved = history.hauls.iter().flat_map(|haul| &haul.items).find(|item| {
        let places = [&item.planned.from, &item.planned.to];
        places.iter().any(|place| **place == *folder || real_path(place) == here)
    });
    if let Some(item) = moved
        && let Some(game) = survey.game(&item.planned.game)
        && game.fault().is_none()
        && game.found.install != folder
        && !is_one_folder(&game.found.install, folder)
    {
        let alike = listing.alike(&FolderListing::of(&game.found.install));
        return Some((game, Some(item.haul), alike));
    }
    // Nine of ten files are alike, in name and size: our own choice.
    let name = folder.file_name();
    let may_be = |game: &&Game| {
        // One folder that is seen twice is no copy of itself.
        if is_one_folder(&game.found.install, folder) {
            return false;
        }
        let near = |one: u64, other: u64| one.abs_diff(other) * 10 <= one.max(other);
        near(game.size.files, files) && near(game.size.apparent.count(), listing.bytes())
            || game.found.install.file_name() == name
    };
    let scored = sound.filter(may_be).map(|game| (game, listing.alike(&FolderListing::of(&game.found.install))));
    let best = scored.max_by_key(|(_, alike)| *alike)?;
    (files > 0 && best.1 * 10 >= files * 9).then_some((best.0, None, best.1))
}

/// Whether two paths are one folder: through links, bind mounts, or two mounts of one file system.
fn is_one_folder(one: &Path, other: &Path) -> bool {
    let identity = |path: &Path| path.look_meta().map(|meta| (meta.device, meta.inode)).ok();
    real_path(one) == real_path(other) || identity(one).is_some_and(|id| identity(other) == Some(id))
}

/// The game whose only whole copy a folder is, as the journal knows it: its launcher lists it elsewhere, where nothing is.
fn only_copy_of<'a>(site: &Site, survey: &'a Survey, history: &History, folder: &Path) -> Option<&'a Game> {
    let here = site.place_at(folder).ok();
    let items = history.hauls.iter().flat_map(|haul| &haul.items);
    let mut brought = items.filter(|item| item.stage.records_are_updated() && item.is_at(folder, here.as_ref()));
    brought.find_map(|item| survey.game(&item.planned.game).filter(|game| game.fault().is_some()))
}

/// Installed games with the same files as another one: each is told beside the first of its kind.
fn duplicates(site: &Site, survey: &Survey) -> Vec<CleanupFind> {
    let mut alike: HashMap<(u64, Bytes), Vec<&Game>> = HashMap::new();
    for game in survey.games.iter().filter(|game| game.fault().is_none()) {
        alike.entry((game.size.files, game.size.apparent)).or_default().push(game);
    }
    let mut groups: Vec<Vec<&Game>> = alike.into_values().filter(|games| games.len() > 1).collect();
    groups.sort_by_key(|games| games[0].id.clone());
    let mut out = Vec::new();
    for games in groups {
        let listings: Vec<FolderListing> =
            games.par_iter().map(|game| FolderListing::of(&game.found.install)).collect();
        let mut first: HashMap<&FolderListing, &Game> = HashMap::new();
        for (game, listing) in games.iter().zip(&listings) {
            let other = *first.entry(listing).or_insert(game);
            // Two entries of one folder are one game twice, and no copy.
            if !is_one_folder(&game.found.install, &other.found.install) {
                let what = FindKind::Duplicate {
                    game: game.id.clone(),
                    other: other.id.clone(),
                    title: other.found.title.clone(),
                    install: other.found.install.clone(),
                };
                out.push(lying(site, game.found.install.clone(), what, Vec::new()));
            }
        }
    }
    out
}

fn dead_records(site: &Site, survey: &Survey) -> Vec<CleanupFind> {
    let mut out = Vec::new();
    for game in survey.games.iter().filter(|game| game.fault() == Some(&PlaceFault::Missing)) {
        let what = FindKind::DeadEntry {
            game: game.id.clone(),
            title: game.found.title.clone(),
            file: game.found.entry.file.clone(),
        };
        out.push(lying(site, game.found.install.clone(), what, vec![CleanupAct::Forget, CleanupAct::Remap]));
    }
    for launcher in &survey.launchers {
        for library in launcher.libraries.iter().filter(|library| !library.present) {
            let what = FindKind::OfflineLibrary { launcher: launcher.name.clone() };
            out.push(lying(site, library.path.clone(), what, vec![CleanupAct::Remap]));
        }
    }
    out
}
