//! The files that a trace looks at: all below its places, hidden ones too; links are looked at, not followed.

use std::fs;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use super::find::{Followed, problem};
use crate::launcher::Problem;
use crate::platform::{self, Look};
use crate::site::{Site, real_path};

#[derive(Debug, Default)]
pub(crate) struct Gathered {
    pub files: Vec<PathBuf>,
    pub links: Vec<PathBuf>,
    /// Folders of compatibility layers: those with a folder `dosdevices`.
    pub layers: Vec<PathBuf>,
    pub problems: Vec<Problem>,
    /// Links that were followed out of the places.
    pub followed: Vec<Followed>,
}

impl Gathered {
    /// Takes a link, or a folder for whoever goes on into it; a folder of drive letters tells a compatibility layer.
    fn takes_no_file(
        &mut self,
        folder: &Path,
        entry: &fs::DirEntry,
        kind: fs::FileType,
        folders: &mut Vec<PathBuf>,
    ) -> bool {
        if kind.is_symlink() {
            self.links.push(entry.path());
        } else if kind.is_dir() {
            if entry.file_name() == "dosdevices" {
                self.layers.push(folder.into());
            }
            folders.push(entry.path());
        }
        kind.is_symlink() || kind.is_dir()
    }

    fn with(mut self, other: Self) -> Self {
        self.files.extend(other.files);
        self.links.extend(other.links);
        self.layers.extend(other.layers);
        self.problems.extend(other.problems);
        self.followed.extend(other.followed);
        self
    }
}

/// Where programs keep such things: settings, data, state, hidden folders of the home, the folder itself and
/// the files beside it.
pub fn usual_places(site: &Site, path: &Path) -> Vec<PathBuf> {
    let places = &site.places;
    let mut all = vec![places.config.clone(), places.data.clone(), places.state.clone()];
    for entry in platform::read_dir(&places.home).into_iter().flatten().flatten() {
        let hidden = entry.file_name().as_encoded_bytes().starts_with(b".");
        if (hidden && entry.file_name() != ".cache") || entry.file_name() == "Desktop" {
            all.push(entry.path());
        }
    }
    // The entries of all people of this machine; a declared world has none.
    if site.world.is_none() {
        all.extend(platform::menus_of_all());
    }
    // What lies beside the folder describes it, as the list of a library does.
    for above in path.ancestors().skip(1).take(2) {
        let beside = platform::read_dir(above).into_iter().flatten().flatten();
        let small = |entry: &fs::DirEntry| {
            platform::entry_meta(entry).is_ok_and(|meta| meta.is_file() && meta.size < 64_000_000)
        };
        all.extend(beside.filter(small).map(|entry| entry.path()));
    }
    all.push(path.into());
    // What programs keep in the registry, where the system has one.
    all.extend(platform::keys_of_programs(site.world.as_deref()));
    all.sort();
    let mut out: Vec<PathBuf> = Vec::new();
    for place in all {
        if place.look_exists() && !out.iter().any(|above| place.starts_with(above)) {
            out.push(place);
        }
    }
    out
}

/// Adds the files below a place, or the place itself if it is a file.
pub(crate) fn gather(place: &Path, but: &[&Path], found: &mut Gathered) {
    match place.look_own_meta() {
        Ok(meta) if meta.is_link() => found.links.push(place.into()),
        Ok(meta) if meta.is_file() => found.files.push(place.into()),
        Ok(_) => *found = std::mem::take(found).with(below(place, but)),
        Err(error) => found.problems.push(problem(place, &error)),
    }
}

/// Files of records are near the top of a drive and small: our own bounds, beyond every launcher that we know.
const NEAR: usize = 4;
const SMALL: u64 = 4 << 20;

/// Adds all links below a folder, and the small files near its top.
pub(crate) fn gather_near(folder: &Path, found: &mut Gathered) {
    *found = std::mem::take(found).with(near(folder, NEAR));
}

/// The largest file that is read by way of a link.
const LARGEST: u64 = 64_000_000;

/// Adds the files that links among the places lead to, as where somebody keeps settings in a folder of his own: a file from
/// anywhere, a folder from the top of a place. What they lead to lies in the home or on a drive, and not in the wanted folder.
pub(crate) fn follow_links(site: &Site, wanted: &Path, places: &[PathBuf], but: &[&Path], found: &mut Gathered) {
    let home = real_path(&site.places.home);
    let real_places: Vec<PathBuf> = places.iter().map(|place| real_path(place)).collect();
    let real_wanted = real_path(wanted);
    let stays_inside = |target: &Path| {
        let on_drive = || site.drive_of(target).is_some_and(|drive| !site.is_of_system(drive));
        (target.starts_with(&home) && target != home) || on_drive()
    };
    let at_top = |link: &Path| places.iter().any(|place| link == place || link.parent() == Some(place));
    let mut links = found.links.clone();
    links.sort();
    // What leads out of the game belongs to the game.
    for link in links.into_iter().filter(|link| !link.starts_with(wanted)) {
        let Ok(target) = link.look_real() else { continue };
        let searched = real_places.iter().any(|place| target.starts_with(place));
        let ours = but.iter().any(|own| target.starts_with(real_path(own)));
        if searched || ours || target.starts_with(&real_wanted) || !stays_inside(&target) {
            continue;
        }
        let Ok(meta) = target.look_own_meta() else { continue };
        // A folder that holds what is searched, or the game, is the drive or the home, and no launcher's settings.
        let holds = |inner: &Path| inner.starts_with(&target);
        if meta.is_file() && meta.size <= LARGEST {
            found.files.push(target.clone());
        } else if meta.is_folder()
            && at_top(&link)
            && !holds(&real_wanted)
            && !real_places.iter().any(|place| holds(place))
        {
            gather_near(&target, found);
        } else {
            continue;
        }
        found.followed.push(Followed { link, target });
    }
}

fn near(folder: &Path, depth: usize) -> Gathered {
    let mut found = Gathered::default();
    let mut folders = Vec::new();
    for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
        let Ok(kind) = entry.file_type() else { continue };
        if found.takes_no_file(folder, &entry, kind, &mut folders) {
            continue;
        }
        if kind.is_file() && depth > 0 && platform::entry_meta(&entry).is_ok_and(|meta| meta.size <= SMALL) {
            found.files.push(entry.path());
        }
    }
    let inner = folders
        .par_iter()
        .map(|folder| near(folder, depth.saturating_sub(1)))
        .reduce(Gathered::default, Gathered::with);
    found.with(inner)
}

fn below(folder: &Path, but: &[&Path]) -> Gathered {
    let mut found = Gathered::default();
    if but.contains(&folder) {
        return found;
    }
    let entries = match platform::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) => {
            found.problems.push(problem(folder, &error));
            return found;
        }
    };
    let mut folders = Vec::new();
    for entry in entries.flatten() {
        let Ok(kind) = entry.file_type() else { continue };
        if found.takes_no_file(folder, &entry, kind, &mut folders) {
            continue;
        }
        if kind.is_file() {
            found.files.push(entry.path());
        }
    }
    let inner = folders.par_iter().map(|folder| below(folder, but)).reduce(Gathered::default, Gathered::with);
    found.with(inner)
}
