//! What is looked at: files in the usual places and near the top of each drive, and what traces of single games find in them.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use crate::platform::{self, Look};
use crate::record::Letters;
use crate::site::Site;
use crate::trace::{Find, Gathered, Sure, WantedFolder, files_naming, finds_of, gather, may_be_read, usual_places};

/// How deep below the top of a drive, or of a folder that was pointed at, files are looked at, and how large they are at most.
const DEEP: usize = 3;
const SMALL: u64 = 16 << 20;

/// The files that may hold records.
pub(super) struct Evidence {
    pub gathered: Gathered,
    pub places: Vec<PathBuf>,
    pub layers: Vec<Letters>,
    /// Those that can be rewritten.
    pub readable: Vec<PathBuf>,
    /// The files that may name a folder, of those that were looked for.
    naming: BTreeMap<PathBuf, Vec<PathBuf>>,
}

impl Evidence {
    pub fn gather(site: &Site, paths: &[PathBuf]) -> Self {
        let around: Vec<PathBuf> = if paths.is_empty() { vec![site.places.home.join("game")] } else { paths.to_vec() };
        let mut places: Vec<PathBuf> = around.iter().flat_map(|path| usual_places(site, path)).collect();
        places.sort();
        places.dedup();
        let (state, settings) = (site.state_folder(), site.places.config.join("deft-barge"));
        let mut gathered = Gathered::default();
        for place in &places {
            // What was pointed at is a game, and holds more than records.
            if !paths.contains(place) {
                gather(place, &[&state, &settings], &mut gathered);
            }
        }
        let tops = site.drives.iter().filter(|drive| !drive.absent && !site.is_of_system(drive));
        for top in tops.map(|drive| drive.root.clone()).chain(paths.iter().cloned()) {
            small_files(&top, DEEP, &mut gathered.files);
        }
        for list in [&mut gathered.files, &mut gathered.links, &mut gathered.layers] {
            list.sort();
            list.dedup();
        }
        let layers = gathered.layers.iter().map(|prefix| Letters::read(prefix)).collect();
        let of_menus =
            |file: &PathBuf| file.extension().is_some_and(|end| end == "desktop" || end == "directory" || end == "lnk");
        let readable = gathered.files.iter().filter(|file| !of_menus(file) && may_be_read(file, &places));
        let readable = readable.cloned().collect();
        Self { gathered, places, layers, readable, naming: BTreeMap::new() }
    }

    /// Adds files that were found since.
    pub fn add(&mut self, files: &[PathBuf]) {
        self.gathered.files.extend_from_slice(files);
        self.gathered.files.sort();
        self.gathered.files.dedup();
    }

    /// Looks once which files name which of these folders.
    pub fn know(&mut self, dirs: BTreeSet<PathBuf>) {
        let name = |dir: &PathBuf| dir.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let names: Vec<String> = dirs.iter().map(name).collect();
        let words: Vec<&str> = names.iter().map(String::as_str).collect();
        let files = files_naming(&words, &self.gathered.files);
        self.naming = dirs.into_iter().zip(files).collect();
    }

    /// What leads to these games, wherever it stands.
    pub fn finds(&self, site: &Site, dirs: &[PathBuf]) -> Vec<(PathBuf, Vec<Find>)> {
        let one = |dir: &PathBuf| {
            let mut gathered = Gathered {
                files: self.naming.get(dir).unwrap_or(&self.gathered.files).clone(),
                links: self.gathered.links.clone(),
                layers: self.gathered.layers.clone(),
                ..Gathered::default()
            };
            small_files(dir, DEEP, &mut gathered.files);
            gathered.files.sort();
            gathered.files.dedup();
            (dir.clone(), finds_of(site, &WantedFolder { path: dir, now: None }, &self.places, &gathered, &|| false))
        };
        dirs.iter().map(one).collect()
    }
}

/// Adds the small files near the top of a folder.
pub(super) fn small_files(folder: &Path, depth: usize, files: &mut Vec<PathBuf>) {
    for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
        let Ok(kind) = entry.file_type() else { continue };
        if kind.is_dir() && depth > 1 {
            small_files(&entry.path(), depth - 1, files);
        } else if kind.is_file() && entry.path().look_own_meta().is_ok_and(|meta| meta.size <= SMALL) {
            files.push(entry.path());
        }
    }
}

/// Files that say where games are, and say what was: they stay as they are.
pub(super) fn left(finds: &[(PathBuf, Vec<Find>)]) -> Vec<PathBuf> {
    let all = finds.iter().flat_map(|(_, finds)| finds);
    let was = all.filter(|find| matches!(find.sure, Sure::Log | Sure::Backup | Sure::Cache));
    let files: BTreeSet<PathBuf> = was.map(|find| find.record.file.clone()).collect();
    files.into_iter().collect()
}
