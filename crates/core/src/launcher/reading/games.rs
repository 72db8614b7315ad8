//! Games, their places and their records, as the files of a launcher say them.

use super::super::found::Update;
use super::super::found::{FoundGame, ListEntry};
use super::super::matching::{Record, SelectorSearch, base_of, canonical};
use super::super::place::place_fault;
use super::super::profile::EntryRecord;
use super::super::settings::read_setting;
use super::{Extent, Reading, files_of};
use crate::bytes::Bytes;
use crate::platform::Look;
use crate::record::{PartFit, Place, Shape, Source, Spelling, Step, Values, find_parts, joined};
use crate::site::real_path;
use jiff::Timestamp;
use serde_json::Value;
use std::path::{Component, Path, PathBuf};

/// Where a game stands in what its launcher says.
struct GameEntry<'a> {
    source: &'a Source,
    shape: Shape,
    file: &'a Path,
    place: &'a Place,
}

impl Reading<'_> {
    pub(super) fn read_games(&mut self, values: &Values, library: Option<&Path>) {
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
                match self.read_game(
                    &GameEntry { source: &source, shape, file: &file, place: &place },
                    &values,
                    library,
                ) {
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

    fn read_game(
        &mut self,
        entry: &GameEntry<'_>,
        values: &Values,
        library: Option<&Path>,
    ) -> Result<FoundGame, String> {
        let GameEntry { source, file, place, .. } = *entry;
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

        let records =
            if self.extent == Extent::Places { Vec::new() } else { self.records_of(entry, &values, &install)? };
        let sealed = games.sealed.as_ref().and_then(|selector| sealed_by(source, place, selector));
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
                shape: entry.shape,
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
    fn records_of(&mut self, entry: &GameEntry<'_>, values: &Values, install: &Path) -> Result<Vec<Record>, String> {
        let GameEntry { source, shape, file, place } = *entry;
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
                if shape == Shape::Link && !file.look_own_meta().is_ok_and(|meta| meta.is_link()) {
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

/// Why a game is not to be moved, where its entry says so.
fn sealed_by(source: &Source, place: &Place, selector: &str) -> Option<String> {
    let found = source.find(&joined(place, selector)).ok()?.into_iter().next()?;
    match source.value_at(&found)?.as_ref() {
        Value::String(reason) if !reason.is_empty() && reason != "0" && reason != "false" => Some(reason.clone()),
        Value::Number(number) if number.as_i64() != Some(0) => Some(String::new()),
        Value::Bool(true) => Some(String::new()),
        _ => None,
    }
}

fn time_of(text: &str) -> Option<Timestamp> {
    text.parse().ok().or_else(|| Timestamp::from_second(text.parse().ok()?).ok())
}
