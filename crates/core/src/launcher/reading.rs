//! Reads what the launchers of a site keep written down: libraries, games, and every record of each game's place.

use super::drift::leads_somewhere;
use super::found::{FoundGame, FoundLauncher, ListEntry, Problem};
use super::found::{FoundLibrary, Update, place_values, with_home};
use std::collections::{HashMap, HashSet};
use std::path::{Component, Path, PathBuf};
use std::rc::Rc;

use jiff::Timestamp;
use serde_json::Value;

use super::matching::{Listings, Record, SelectorSearch, base_of, canonical};
use super::place::{PlaceFault, place_fault};
use super::profile::{DefaultLibrary, EntryRecord, Profile};
use super::settings::read_setting;
use crate::bytes::Bytes;

use crate::platform::{self, Look};
use crate::record::{Bases, Letters, PartFit, Place, Shape, Source, Spelling, Step, Values, find_parts, joined};
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
    homes.map(PathBuf::from).find(|home| home.look_is_dir())
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

    fn read_games(&mut self, values: &Values, library: Option<&Path>) {
        let games = self.found.profile.games.clone();
        for (file, values) in files_of(&games.file, values) {
            let shape = games.shape.unwrap_or_else(|| Shape::of_name(&file));
            let Some(source) = self.source(&file, shape) else { continue };
            let entries = match (&games.list, &games.entries) {
                (Some(list), _) => self.children(&source, &file, list),
                (_, Some(entries)) => self.selected(&source, &file, entries),
                _ => Vec::new(),
            };
            for place in entries {
                if !self.says_a_place(&source, &file, &place, &values) {
                    continue;
                }
                if let Some(value) = source.value_at(&place).filter(|_| self.watches_shapes()) {
                    self.found.shapes.games.0.clone_from(&file);
                    self.found.shapes.games.1.add(&value);
                }
                let id = match (&games.id, place.0.last()) {
                    (Some(selector), _) => source.below(&place, selector),
                    (None, _) if values.of("id").is_some() => values.of("id").map(str::to_string),
                    (None, Some(Step::Name(name))) => Some(name.clone()),
                    // A list of nothing but places: each game is known by its folder's name.
                    (None, _) => {
                        let place = self.place_of(&source, &file, &place, &values);
                        place.ok().and_then(|place| place.of("folder").map(str::to_string))
                    }
                };
                let Some(id) = id else {
                    self.problem(&file, source.line(&place), "an entry without an id");
                    continue;
                };
                if matches!(self.extent, Extent::Only(wanted) if wanted != id) {
                    continue;
                }
                let values = values.clone().with("id", &id);
                let around = self.library_around(&place);
                let (values, library) = match &around {
                    Some(library) => (values.with("library", library.to_string_lossy()), Some(library.as_path())),
                    None => (values, library),
                };
                match self.read_game(&source, shape, &file, &place, &values, library) {
                    Ok(game) if self.ids.contains(&game.id) => {
                        let what = format!("{id:?} is listed twice; the first entry counts");
                        self.problem(&file, source.line(&place), what);
                        self.found.listed_again.push((game.title, game.install));
                    }
                    Ok(game) => {
                        self.ids.insert(game.id.clone());
                        self.found.games.push(game);
                    }
                    Err(what) => self.problem(&file, source.line(&place), format!("{id}: {what}")),
                }
            }
        }
    }

    /// The library whose entry holds that of a game.
    fn library_around(&self, game: &Place) -> Option<PathBuf> {
        let mut libraries = self.found.libraries.iter().filter(|_| self.found.profile.holds_entries());
        libraries.find(|library| game.0.starts_with(&library.location.0)).map(|library| library.path.clone())
    }

    /// Whether an entry says where its game is. One that does not, or says nothing there, is of a game that is not installed.
    fn says_a_place(&self, source: &Source, file: &Path, entry: &Place, values: &Values) -> bool {
        let games = &self.found.profile.games;
        let says = |name: &str| {
            let plain =
                |record: &&EntryRecord| record.meaning.is(name) && record.inside.is_empty() && record.within.is_value();
            let mut records = games.records.iter().filter(plain).peekable();
            let none = records.peek().is_none();
            let text = |record: &EntryRecord| {
                let at = source.find(&joined(entry, &record.selector)).ok()?.into_iter().next()?;
                source.leaf(&at, record.on)
            };
            (none, records.any(|record| text(record).is_some_and(|text| !text.trim().is_empty())))
        };
        // What leads into none of the folders that games lie in is no game, or none that could be known.
        if games.knows_by_what_lies_in_it() && games.install.is("install") && !says("install").1 {
            return self.game_around(source, file, entry, values).is_some();
        }
        // What no record of an entry says is said by something else.
        let named = ["parent", "library", "folder"].into_iter().filter(|name| games.install.names(name));
        says("install").1 || (!games.install.is("install") && named.map(says).all(|(none, said)| none || said))
    }

    /// What the records of an entry say of its place: the folder's name, and the folders that are written whole.
    fn place_of(&self, source: &Source, file: &Path, place: &Place, values: &Values) -> Result<Values, String> {
        let mut known = values.clone();
        // What is relative to the library can be read once that is known.
        let (below, at_once): (Vec<&EntryRecord>, Vec<&EntryRecord>) =
            self.found.profile.games.records.iter().partition(|record| record.is_below_its_library());
        for record in at_once.into_iter().chain(below) {
            let plain = record.inside.is_empty() && record.within.is_value();
            let at = source.find(&joined(place, &record.selector)).ok().and_then(|found| found.into_iter().next());
            let Some(text) = at.filter(|_| plain).and_then(|at| source.leaf(&at, record.on)) else { continue };
            if record.meaning.is("folder") {
                known = known.with("folder", text);
                continue;
            }
            if record.meaning.is("library-id") {
                let library = self.found.libraries.iter().find(|library| library.id.as_deref() == Some(text.as_str()));
                let library = library.ok_or_else(|| format!("no library is called {text:?}"))?;
                known = known.with("library", canonical(&library.path)?).with("library-id", text);
                continue;
            }
            let name = ["install", "parent", "library"].into_iter().find(|name| record.meaning.is(name));
            if let Some(name) = name {
                let bases = base_of(&self.bases, record.relative_to.as_ref(), file, &known);
                let (spelling, path) = Spelling::read(&text, &bases).map_err(|e| e.to_string())?;
                // From where its file lies a path may climb, and over links as the system does.
                let climbs = spelling.is_relative() && path.components().any(|step| step == Component::ParentDir);
                known = known.with(name, canonical(&if climbs { real_path(&path) } else { path })?);
            }
        }
        if known.of("install").is_none() && self.found.profile.games.knows_by_what_lies_in_it() {
            let around = self.game_around(source, file, place, values);
            let around = around.ok_or("it lies in none of the folders that its profile names (games.folders)")?;
            known = known.with("install", canonical(&around)?);
        }
        let install = match known.of("install") {
            Some(install) => install.to_string(),
            None => self.found.profile.games.install.fill(&known).map_err(|_| "no record says where it is")?,
        };
        // Behind the base folder the name may be written in other letters than it has.
        let (_, install) = Spelling::read(&install, &self.bases).map_err(|e| e.to_string())?;
        let name = install.file_name().and_then(|name| name.to_str()).unwrap_or_default().to_string();
        let parent = canonical(install.parent().unwrap_or(Path::new("/")))?;
        let known = if known.of("folder").is_some() { known } else { known.with("folder", name) };
        Ok(known.with("install", canonical(&install)?).with("parent", parent))
    }

    /// The game's folder by what its entry says of something in it.
    fn game_around(&self, source: &Source, file: &Path, place: &Place, values: &Values) -> Option<PathBuf> {
        let told = |record: &EntryRecord| {
            let bases = base_of(&self.bases, record.relative_to.as_ref(), file, values);
            let around = |text: &str| {
                let (_, path) = Spelling::read(text, &bases).ok()?;
                self.found.game_around(self.site, &path)
            };
            let fit = |text: &str| if around(text).is_some() { PartFit::There } else { PartFit::No };
            let found = source.find(&joined(place, &record.selector)).ok()?;
            let texts = found.iter().filter_map(|at| source.leaf(at, record.on));
            texts.into_iter().find_map(|text| {
                let parts = find_parts(&text, record.within, None, &fit);
                parts.first().and_then(|part| around(&part.text))
            })
        };
        let records = &self.found.profile.games.records;
        records.iter().filter(|record| record.leads_into_the_game()).find_map(told)
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

    fn read_game(
        &mut self,
        source: &Source,
        shape: Shape,
        file: &Path,
        place: &Place,
        values: &Values,
        library: Option<&Path>,
    ) -> Result<FoundGame, String> {
        let games = self.found.profile.games.clone();
        let text = |selector: &Option<String>| source.below(place, selector.as_ref()?);
        let bytes = |selector: &str| source.below(place, selector).and_then(|t| t.parse().ok()).map(Bytes::new);
        let values = match self.suppose {
            None => self.place_of(source, file, place, values)?,
            Some(install) => {
                let name = install.file_name().and_then(|name| name.to_str()).unwrap_or_default().to_string();
                let parent = canonical(install.parent().unwrap_or(Path::new("/")))?;
                let known = self.place_of(source, file, place, values).unwrap_or_else(|_| values.clone());
                known.with("folder", name).with("install", canonical(install)?).with("parent", parent)
            }
        };
        let install = PathBuf::from(values.of("install").unwrap_or_default());

        let records = if self.extent == Extent::Places {
            Vec::new()
        } else {
            self.records_of(source, shape, file, place, &values, &install)?
        };
        let sealed = games.sealed.as_ref().and_then(|selector| {
            let found = source.find(&joined(place, selector)).ok()?.into_iter().next()?;
            match source.value_at(&found)?.as_ref() {
                Value::String(reason) if !reason.is_empty() && reason != "0" && reason != "false" => {
                    Some(reason.clone())
                }
                Value::Number(number) if number.as_i64() != Some(0) => Some(String::new()),
                Value::Bool(true) => Some(String::new()),
                _ => None,
            }
        });
        let update = games.update.as_ref().and_then(|at| {
            let update = Update { have: bytes(&at.have)?, want: bytes(&at.want)? };
            (update.have < update.want).then_some(update)
        });
        let id = values.of("id").unwrap_or_default().to_string();
        let lies_in = library.map(Path::to_path_buf).or_else(|| self.library_of(&install));
        Ok(FoundGame {
            title: text(&games.title).unwrap_or_else(|| id.clone()),
            fault: place_fault(self.site, &install, library).or_else(|| self.own_folder(&install)),
            folder: values.of("folder").unwrap_or_default().to_string(),
            root: values.of("library").filter(|_| self.found.profile.libraries.is_none()).map(PathBuf::from),
            library: lies_in,
            install,
            claim: games.claim.as_ref().and_then(|selector| bytes(selector)),
            program: text(&games.program),
            sealed,
            last_run: text(&games.last_run).and_then(|t| time_of(&t)),
            update,
            entry: ListEntry {
                file: file.into(),
                shape,
                list: games.list,
                id_at: games.id,
                travels: games.travels,
                location: place.to_string(),
            },
            records,
            staying: Vec::new(),
            id,
        })
    }

    /// The records of a game: in its entry, in other files, and where its user data is said to be.
    fn records_of(
        &mut self,
        source: &Source,
        shape: Shape,
        file: &Path,
        place: &Place,
        values: &Values,
        install: &Path,
    ) -> Result<Vec<Record>, String> {
        let mut records = Vec::new();
        for (nth, record) in self.found.profile.games.records.clone().iter().enumerate() {
            let search = SelectorSearch { bases: &self.bases, values, file, shape, entry: Some(place) };
            records.extend(search.entry_record(source, record, nth)?);
        }
        for (nth, record) in self.found.profile.records.clone().iter().enumerate() {
            for (file, _) in files_of(&record.file, values) {
                // A file that need not be there says nothing about the game.
                let shape = record.shape.unwrap_or_else(|| Shape::of_name(&file));
                if !file.look_exists() && shape != Shape::Link {
                    continue;
                }
                if shape == Shape::Link && !file.look_own_meta().is_ok_and(|meta| meta.is_symlink()) {
                    continue;
                }
                let Some(source) = self.source(&file, shape) else { continue };
                let search = SelectorSearch { bases: &self.bases, values, file: &file, shape, entry: None };
                records.extend(search.file_record(&source, record, nth, Some(&mut self.listings))?);
            }
        }
        let id = values.of("id").unwrap_or_default();
        for data in self.found.profile.user_data.iter().filter(|data| data.is_of(id)) {
            let Some(at) = &data.setting else { continue };
            let setting = read_setting(&self.bases, values, at);
            records.extend(setting.and_then(|setting| setting.of_game(at, install)));
        }
        Ok(records)
    }
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

fn time_of(text: &str) -> Option<Timestamp> {
    text.parse().ok().or_else(|| Timestamp::from_second(text.parse().ok()?).ok())
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
