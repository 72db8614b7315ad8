//! Reads what the launchers of a site keep written down: libraries, games, and every record of each game's place.

mod games;

use super::drift::leads_somewhere;
use super::found::{FoundLauncher, Problem};
use super::found::{FoundLibrary, place_values, with_home};
use crate::record::Step;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::rc::Rc;

use super::matching::Listings;
use super::place::PlaceFault;
use super::profile::{DefaultLibrary, Profile};

use crate::platform::{self, Look};
use crate::record::{Bases, Letters, Place, Shape, Source, Spelling, Values};
use crate::site::{Site, real_path};

/// Reads all launchers whose own folder is on this machine.
pub fn read_launchers(site: &Site, profiles: &[Profile]) -> Vec<FoundLauncher> {
    profiles.iter().filter_map(|profile| read_one(site, profile, Extent::All, None)).collect()
}

/// Reads where the games of all launchers are, and none of their records.
pub(crate) fn read_places(site: &Site, profiles: &[Profile]) -> Vec<FoundLauncher> {
    profiles.iter().filter_map(|profile| read_one(site, profile, Extent::Places, None)).collect()
}

/// Reads a launcher, and of its games only this one.
pub(crate) fn read_only(site: &Site, profile: &Profile, id: &str) -> Option<FoundLauncher> {
    read_one(site, profile, Extent::Only(id), None)
}

/// Reads a launcher as if one of its games were installed in this folder, whatever its entry says: the records that are sound then
/// are those that lead there.
pub(crate) fn read_launcher_supposing(
    site: &Site,
    profile: &Profile,
    id: &str,
    install: &Path,
) -> Option<FoundLauncher> {
    read_one(site, profile, Extent::Only(id), Some(install))
}

/// How much of a launcher is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Extent<'a> {
    All,
    /// The game of this id alone.
    Only(&'a str),
    /// All games, without their records.
    Places,
}

/// The folder of the launcher itself, if it is here.
pub(crate) fn home_of(site: &Site, profile: &Profile) -> Option<PathBuf> {
    let values = place_values(site);
    let homes = profile.home.iter().filter_map(|home| home.fill(&values).ok());
    // A launcher that keeps all that it knows in the registry has a key there in place of a folder.
    let is_key = |home: &Path| platform::is_in_registry(home) && home.look_exists();
    homes.map(PathBuf::from).find(|home| home.look_is_dir() || is_key(home))
}

fn read_one(site: &Site, profile: &Profile, extent: Extent<'_>, suppose: Option<&Path>) -> Option<FoundLauncher> {
    let values = place_values(site);
    let home = home_of(site, profile)?;
    let values = with_home(&values, &home);
    let prefixes = profile.prefixes.iter().filter_map(|prefix| prefix.fill(&values).ok());
    let letters = prefixes.map(|prefix| Letters::read(Path::new(&prefix))).collect();
    let found = FoundLauncher { letters, ..FoundLauncher::bare(profile.clone(), home) };
    let (bases, ids, sources) = (found.bases(site), HashSet::new(), HashMap::new());
    let mut reading = Reading { site, bases, found, ids, sources, listings: Listings::default(), extent, suppose };
    reading.read();
    reading.look_for_drift();
    Some(reading.found)
}

/// One launcher while it is read. Each file is read once.
struct Reading<'a> {
    site: &'a Site,
    bases: Bases,
    found: FoundLauncher,
    /// Ids of its games so far.
    ids: HashSet<String>,
    sources: HashMap<(PathBuf, Shape), Option<Rc<Source>>>,
    /// What selectors find that do not ask for one game.
    listings: Listings,
    extent: Extent<'a>,
    /// Where the one game that is read is said to be.
    suppose: Option<&'a Path>,
}

impl Reading<'_> {
    fn problem(&mut self, file: &Path, line: Option<usize>, what: impl ToString) {
        let problem = Problem { file: file.into(), line, what: what.to_string() };
        if !self.found.problems.contains(&problem) {
            self.found.problems.push(problem);
        }
    }

    fn source(&mut self, file: &Path, shape: Shape) -> Option<Rc<Source>> {
        let key = (file.to_path_buf(), shape);
        if let Some(known) = self.sources.get(&key) {
            return known.clone();
        }
        let source = match Source::read(file, shape) {
            Ok(source) => Some(Rc::new(source)),
            Err(error) => {
                let (line, what) = error.in_its_file();
                self.problem(file, line, what);
                None
            }
        };
        self.sources.insert(key, source.clone());
        source
    }

    /// The children of a list, or a problem.
    fn children(&mut self, source: &Source, file: &Path, list: &str) -> Vec<Place> {
        match source.find_one(list) {
            Ok(place) => match source.children(&place) {
                Some(children) => return children,
                None => self.problem(file, source.line(&place), format!("{list} is not a list")),
            },
            Err(error) => self.problem(file, None, error),
        }
        Vec::new()
    }

    fn selected(&mut self, source: &Source, file: &Path, entries: &str) -> Vec<Place> {
        source.find(entries).unwrap_or_else(|error| {
            self.problem(file, None, error);
            Vec::new()
        })
    }

    fn read(&mut self) {
        let values = self.found.values(self.site);
        self.read_libraries(&values);
        if !self.found.profile.games.file.names("library") {
            return self.read_games(&values, None);
        }
        let present = self.found.libraries.iter().filter(|library| library.present);
        let present: Vec<(PathBuf, Values)> = present
            .map(|library| (library.path.clone(), values.clone().with("library", library.path.to_string_lossy())))
            .collect();
        let games = self.found.profile.games.clone();
        let has_list = |values: &Values| games.file.fill(values).is_ok_and(|file| Path::new(&file).look_exists());
        let some = present.iter().any(|(_, values)| has_list(values));
        for (library, values) in present {
            // A library in which no game has been yet has no list, where others have theirs.
            if some && games.file.fill(&values).is_ok() && !has_list(&values) {
                continue;
            }
            self.read_games(&values, Some(&library));
        }
    }

    /// Notes a list in which no game is found and which still leads to folders.
    fn look_for_drift(&mut self) {
        if !self.watches_shapes() || !self.found.games.is_empty() {
            return;
        }
        let games = self.found.profile.games.clone();
        let values = self.found.values(self.site);
        let present = self.found.libraries.iter().filter(|library| library.present);
        let in_libraries = present.map(|library| values.clone().with("library", library.path.to_string_lossy()));
        let all: Vec<Values> = [values.clone()].into_iter().chain(in_libraries).collect();
        let named = |name: &str| {
            let filled = |values: &Values| games.install.fill(&values.clone().with("folder", name)).ok();
            all.iter().filter_map(filled).any(|path| Path::new(&path).look_is_dir())
        };
        let mut files = all.iter().flat_map(|values| files_of(&games.file, values)).map(|(file, _)| file);
        let leads = |reading: &mut Self, file: &Path| {
            let shape = games.shape.unwrap_or_else(|| Shape::of_name(file));
            let source = file.look_exists().then(|| reading.source(file, shape)).flatten();
            source.is_some_and(|source| leads_somewhere(&source, file, &reading.bases, &named))
        };
        self.found.led_nowhere = files.find(|file| leads(self, file));
    }

    /// Whether what its entries say is compared with what they said when it was learned.
    fn watches_shapes(&self) -> bool {
        self.extent == Extent::All && self.found.profile.learned.is_some()
    }

    fn read_libraries(&mut self, values: &Values) {
        let Some(libraries) = self.found.profile.libraries.clone() else { return };
        let Ok(file) = libraries.file.fill(values).map(PathBuf::from) else {
            let what = format!("{} cannot be filled", libraries.file);
            return self.problem(&self.found.home.clone(), None, what);
        };
        let Some(source) = self.source(&file, libraries.shape.unwrap_or_else(|| Shape::of_name(&file))) else { return };
        let bases = self.bases.seen_from(&file).into_owned();
        let entries = match &libraries.entries {
            Some(selector) => self.selected(&source, &file, selector),
            None => self.children(&source, &file, &libraries.list),
        };
        for entry in entries {
            if let Some(value) = source.value_at(&entry).filter(|_| self.watches_shapes()) {
                self.found.shapes.libraries.0.clone_from(&file);
                self.found.shapes.libraries.1.add(&value);
            }
            let path = source.below(&entry, &libraries.path).map(|text| Spelling::read(&text, &bases));
            match path {
                Some(Ok((_, path))) => {
                    let present = path.look_is_dir();
                    let id = libraries.id.as_deref().and_then(|selector| id_of(&source, &entry, selector));
                    self.found.libraries.push(FoundLibrary { path, id, default: false, present, location: entry });
                }
                Some(Err(error)) => self.problem(&file, source.line(&entry), error),
                None => self.problem(&file, source.line(&entry), "an entry without a folder"),
            }
        }
        let default = libraries.default_at.as_ref().and_then(|at| source.below(&Place::default(), at));
        let default = default.and_then(|text| Spelling::read(&text, &bases).ok()).map(|(_, path)| path);
        let all = &mut self.found.libraries;
        match (default, libraries.default) {
            (Some(path), _) => all.iter_mut().filter(|library| library.path == path).for_each(|l| l.default = true),
            (None, DefaultLibrary::First) => all.iter_mut().take(1).for_each(|l| l.default = true),
            (None, DefaultLibrary::Last) => all.iter_mut().rev().take(1).for_each(|l| l.default = true),
            (None, DefaultLibrary::None) => {}
        }
    }

    /// The library whose entry holds that of a game.
    fn library_around(&self, game: &Place) -> Option<PathBuf> {
        let mut libraries = self.found.libraries.iter().filter(|_| self.found.profile.holds_entries());
        libraries.find(|library| game.0.starts_with(&library.location.0)).map(|library| library.path.clone())
    }

    /// A launcher's own folder is no game of it, whatever its list says: with it its records would go.
    fn own_folder(&self, install: &Path) -> Option<PlaceFault> {
        let (home, install) = (real_path(&self.found.home), real_path(install));
        home.starts_with(install).then_some(PlaceFault::Launcher)
    }

    /// The library that a game lies in, where its entry does not say so.
    fn library_of(&self, install: &Path) -> Option<PathBuf> {
        let all = self.found.libraries.iter().map(|library| &library.path);
        all.filter(|path| install.starts_with(path)).max_by_key(|path| path.components().count()).cloned()
    }
}

/// The files that a template stands for: one, or one for each `{id}` that its folder holds.
pub(crate) fn files_of(template: &crate::record::Meaning, values: &Values) -> Vec<(PathBuf, Values)> {
    if let Ok(file) = template.fill(values) {
        return vec![(PathBuf::from(file), values.clone())];
    }
    if values.of("id").is_some() {
        return Vec::new();
    }
    // The first name on the way that is not known differs from game to game; what is behind it is the same for each.
    let pattern = template.to_string();
    let parts: Vec<&str> = pattern.split('/').collect();
    let filled =
        |parts: &[&str]| crate::record::Meaning::try_from(parts.join("/")).and_then(|part| part.fill(values)).ok();
    let Some(open) = (0..parts.len()).find(|n| filled(&parts[*n..=*n]).is_none()) else { return Vec::new() };
    let (Some(folder), Some(behind)) = (filled(&parts[..open]), filled(&parts[open + 1..])) else { return Vec::new() };
    let entries = platform::read_dir(&folder).into_iter().flatten().flatten();
    let mut found: Vec<(PathBuf, Values)> = entries
        .filter_map(|entry| {
            let path = if behind.is_empty() { entry.path() } else { entry.path().join(&behind) };
            let known = template.read(path.to_str()?, values)?;
            (behind.is_empty() || path.look_exists()).then_some((path, known))
        })
        .collect();
    found.sort_by(|a, b| a.0.cmp(&b.0));
    found
}

/// What games refer to a library by: a text of its entry, or where that stands in its list.
fn id_of(source: &Source, entry: &Place, selector: &str) -> Option<String> {
    match entry.0.last() {
        _ if selector != "key" => source.below(entry, selector),
        Some(Step::Name(name)) => Some(name.clone()),
        Some(Step::Index(nth)) => Some(nth.to_string()),
        None => None,
    }
}
