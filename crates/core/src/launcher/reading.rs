//! Reads what the launchers of a site keep written down: libraries, games, and every record of each game's place.

use std::io;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::Serialize;
use serde_json::Value;

use super::place::{PlaceFault, place_fault};
use super::profile::{DefaultLibrary, Profile};
use crate::bytes::Bytes;
use crate::record::{Bases, Document, Meaning, Place, Side, Spelling, Step, Values};
use crate::site::{Drive, Site};

/// Something that could not be read, with what is wrong; the rest of the survey stands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Problem {
    /// The file.
    #[serde(serialize_with = "crate::site::shown_path")]
    pub file: PathBuf,
    /// Line from 1, where there is one.
    pub line: Option<usize>,
    /// What is wrong.
    pub what: String,
}

/// An update that has not been installed whole.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Update {
    /// Bytes it has.
    pub have: Bytes,
    /// Bytes it wants.
    pub want: Bytes,
}

/// A place in a file that holds a game's path or a part of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Record {
    /// The file.
    pub file: PathBuf,
    /// Normalized JSONPath: from the file's root, or from the entry where `in_entry`.
    pub location: String,
    /// Key or value.
    pub side: Side,
    /// What it says.
    pub text: String,
    /// What it stands for.
    pub meaning: Meaning,
    /// Whether it says what its meaning and the game's place want.
    pub sound: bool,
    /// Whether it stands in the game's entry and goes with it.
    pub in_entry: bool,
    /// What the meaning captured beside the place: the tail below the install folder.
    pub tail: Option<String>,
}

/// The entry of a game in its launcher's list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Entry {
    /// The file of the list.
    pub file: PathBuf,
    /// JSONPath of the list.
    pub list: String,
    /// JSONPath from the entry to its id; `None` where the key is the id.
    pub id_at: Option<String>,
    /// Whether it goes to another library's list with its game.
    pub travels: bool,
    /// Normalized JSONPath of the entry.
    pub location: String,
}

/// A library as its launcher lists it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundLibrary {
    /// Its folder.
    pub path: PathBuf,
    /// Whether new installs go there.
    pub default: bool,
    /// Whether the folder is there.
    pub present: bool,
}

/// A game as its launcher lists it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundGame {
    /// The launcher's own id of it; in a survey's JSON `own_id`, since the game's id over all launchers stands beside it.
    #[serde(rename = "own_id")]
    pub id: String,
    /// The title.
    pub title: String,
    /// The install folder, as the records say.
    pub install: PathBuf,
    /// The name of the install folder.
    pub folder: String,
    /// The library that lists it.
    pub library: Option<PathBuf>,
    /// Why the install folder cannot be one.
    pub fault: Option<PlaceFault>,
    /// Bytes that the launcher claims.
    pub claim: Option<Bytes>,
    /// The program, below the install folder.
    pub program: Option<String>,
    /// Why the launcher does not let it be moved.
    pub sealed: Option<String>,
    /// When it last ran.
    pub last_run: Option<Timestamp>,
    /// An update that waits.
    pub update: Option<Update>,
    /// Its entry.
    pub entry: Entry,
    /// Every record of its place.
    pub records: Vec<Record>,
}

/// One launcher and what it keeps written down.
#[derive(Clone, Debug)]
pub struct Found {
    /// Its profile.
    pub profile: Profile,
    /// Its own folder.
    pub home: PathBuf,
    /// Its libraries, in its own order.
    pub libraries: Vec<FoundLibrary>,
    /// Its games.
    pub games: Vec<FoundGame>,
    /// What could not be read.
    pub problems: Vec<Problem>,
}

impl Found {
    /// What the names in the profile's templates stand for, before a library or game is chosen.
    pub fn values(&self, site: &Site) -> Values {
        with_home(&place_values(site), &self.home)
    }

    /// Where a new library of this launcher would be made on a drive; `None` if its profile says none.
    pub fn new_library(&self, site: &Site, drive: &Drive) -> Option<PathBuf> {
        // The system drive's top belongs to the system: there it is the person's home.
        let top = if drive.root.parent().is_none() { &site.places.home } else { &drive.root };
        let values = self.values(site).with("drive", top.to_str()?);
        Some(PathBuf::from(self.profile.libraries.new.as_ref()?.fill(&values).ok()?))
    }
}

fn place_values(site: &Site) -> Values {
    let text = |path: &Path| path.to_string_lossy().into_owned();
    Values::default()
        .with("user", text(&site.places.home))
        .with("config", text(&site.places.config))
        .with("data", text(&site.places.data))
        .with("state", text(&site.places.state))
}

fn with_home(values: &Values, home: &Path) -> Values {
    values.clone().with("home", home.to_string_lossy())
}

/// Reads all launchers whose own folder is on this machine.
pub fn read_launchers(site: &Site, profiles: &[Profile]) -> Vec<Found> {
    let values = place_values(site);
    let one = |profile: &Profile| {
        let homes = profile.home.iter().filter_map(|home| home.fill(&values).ok());
        let home = homes.map(PathBuf::from).find(|home| home.is_dir())?;
        let mut found =
            Found { profile: profile.clone(), home, libraries: Vec::new(), games: Vec::new(), problems: Vec::new() };
        found.read(site);
        Some(found)
    };
    profiles.iter().filter_map(one).collect()
}

impl Found {
    fn problem(&mut self, file: &Path, line: Option<usize>, what: impl ToString) {
        self.problems.push(Problem { file: file.into(), line, what: what.to_string() });
    }

    fn json(&mut self, file: &Path) -> Option<Document> {
        let bytes = match std::fs::read(file) {
            Ok(bytes) => bytes,
            Err(error) => {
                let what = match error.kind() {
                    io::ErrorKind::NotFound => "the file is not there".to_string(),
                    _ => format!("the file cannot be read: {error}"),
                };
                self.problem(file, None, what);
                return None;
            }
        };
        match Document::parse(bytes, crate::record::Format::of_name(file)) {
            Ok(json) => Some(json),
            Err(error) => {
                let line = match error {
                    crate::record::DocumentError::Syntax { line, .. } => Some(line),
                    _ => None,
                };
                self.problem(file, line, error);
                None
            }
        }
    }

    /// The entries of a list, or a problem.
    fn entries(&mut self, json: &Document, file: &Path, list: &str) -> Vec<Place> {
        match json.find_one(list) {
            Ok(place) => match json.children(&place) {
                Some(children) => return children,
                None => self.problem(file, Some(json.line(&place)), format!("{list} is not a list")),
            },
            Err(error) => self.problem(file, None, error),
        }
        Vec::new()
    }

    fn read(&mut self, site: &Site) {
        let values = self.values(site);
        let libraries = self.profile.libraries.clone();
        let Ok(file) = libraries.file.fill(&values).map(PathBuf::from) else {
            let what = format!("{} cannot be filled", libraries.file);
            return self.problem(&self.home.clone(), None, what);
        };
        let Some(json) = self.json(&file) else { return };
        for entry in self.entries(&json, &file, &libraries.list) {
            let text = leaf_below(&json, &entry, &libraries.path);
            let path = text.map(|text| Spelling::read(&text, &Bases::default()));
            match path {
                Some(Ok((_, path))) => {
                    let present = path.is_dir();
                    self.libraries.push(FoundLibrary { path, default: false, present });
                }
                Some(Err(error)) => self.problem(&file, Some(json.line(&entry)), error),
                None => self.problem(&file, Some(json.line(&entry)), "an entry without a folder"),
            }
        }
        match libraries.default {
            DefaultLibrary::First => self.libraries.iter_mut().take(1).for_each(|l| l.default = true),
            DefaultLibrary::Last => self.libraries.iter_mut().rev().take(1).for_each(|l| l.default = true),
            DefaultLibrary::None => {}
        }
        if self.profile.games.file.names("library") {
            for library in self.libraries.clone() {
                if library.present {
                    let values = values.clone().with("library", library.path.to_string_lossy());
                    self.read_games(site, &values, Some(&library.path));
                }
            }
        } else {
            self.read_games(site, &values, None);
        }
    }

    fn read_games(&mut self, site: &Site, values: &Values, library: Option<&Path>) {
        let games = self.profile.games.clone();
        let Ok(file) = games.file.fill(values).map(PathBuf::from) else { return };
        let Some(json) = self.json(&file) else { return };
        for place in self.entries(&json, &file, &games.list) {
            let id = match (&games.id, place.0.last()) {
                (Some(selector), _) => leaf_below(&json, &place, selector),
                (None, Some(Step::Name(name))) => Some(name.clone()),
                _ => None,
            };
            let Some(id) = id else {
                self.problem(&file, Some(json.line(&place)), "an entry without an id");
                continue;
            };
            let values = values.clone().with("id", &id);
            match self.read_game(site, &json, &file, &place, &values, library) {
                Ok(game) if self.games.iter().any(|other| other.id == game.id) => {
                    let what = format!("{id:?} is listed twice; the first entry counts");
                    self.problem(&file, Some(json.line(&place)), what);
                }
                Ok(game) => self.games.push(game),
                Err(what) => self.problem(&file, Some(json.line(&place)), format!("{id}: {what}")),
            }
        }
    }

    fn read_game(
        &mut self,
        site: &Site,
        json: &Document,
        file: &Path,
        place: &Place,
        values: &Values,
        library: Option<&Path>,
    ) -> Result<FoundGame, String> {
        let games = self.profile.games.clone();
        let text = |selector: &Option<String>| leaf_below(json, place, selector.as_ref()?);
        let bytes = |selector: &str| leaf_below(json, place, selector).and_then(|t| t.parse().ok()).map(Bytes::new);
        let id = values.of("id").unwrap_or_default().to_string();

        let mut folder = None;
        for record in &games.records {
            let says = leaf_below(json, place, &record.selector);
            match (record.meaning.to_string().as_str(), says) {
                ("{folder}", Some(text)) => folder = Some(text),
                ("{install}", Some(text)) => {
                    folder = folder.or_else(|| Some(text.rsplit('/').find(|p| !p.is_empty())?.into()));
                }
                _ => {}
            }
        }
        let folder = folder.ok_or("no record says where it is")?;
        let values = values.clone().with("folder", &folder);
        let direct = games.records.iter().find(|r| r.meaning.to_string() == "{install}");
        let written = match direct {
            Some(record) => leaf_below(json, place, &record.selector),
            None => Some(games.install.fill(&values).map_err(|e| e.to_string())?),
        };
        let written = written.ok_or("no record says where it is")?;
        let (_, install) = Spelling::read(&written, &Bases::default()).map_err(|e| e.to_string())?;
        let parent = install.parent().unwrap_or(Path::new("/")).to_string_lossy().into_owned();
        let values = values.with("install", install.to_string_lossy()).with("parent", parent);

        let mut records = Vec::new();
        for record in &games.records {
            let whole = join(place, &record.selector);
            for found in json.find(&whole).map_err(|e| e.to_string())? {
                let mut within = found.clone();
                within.0.drain(..place.0.len());
                let reading = Reading { file, json, on: record.on, meaning: &record.meaning };
                records.extend(reading.record(&found, within.to_string(), true, &values));
            }
        }
        for record in self.profile.records.clone() {
            let Ok(file) = record.file.fill(&values).map(PathBuf::from) else { continue };
            // A file that need not be there says nothing about the game.
            if !file.exists() {
                continue;
            }
            let Some(json) = self.json(&file) else { continue };
            let selector = record.selector.fill_quoted(&values).map_err(|e| e.to_string())?;
            for found in json.find(&selector).map_err(|e| e.to_string())? {
                let reading = Reading { file: &file, json: &json, on: record.on, meaning: &record.meaning };
                let read = reading.record(&found, found.to_string(), false, &values);
                // A selector that does not ask for the game finds other games' records as well.
                records.extend(read.filter(|r| r.sound || record.selector.names("id")));
            }
        }
        let sealed = games.sealed.as_ref().and_then(|selector| {
            let found = json.find(&join(place, selector)).ok()?;
            match found.first()?.of(json.value())? {
                Value::String(reason) if !reason.is_empty() => Some(reason.clone()),
                Value::Bool(true) => Some(String::new()),
                _ => None,
            }
        });
        let update = games.update.as_ref().and_then(|at| {
            let update = Update { have: bytes(&at.have)?, want: bytes(&at.want)? };
            (update.have < update.want).then_some(update)
        });
        Ok(FoundGame {
            title: text(&games.title).unwrap_or_else(|| id.clone()),
            fault: place_fault(site, &install, library),
            install,
            folder,
            library: library.map(Path::to_path_buf),
            claim: games.claim.as_ref().and_then(|selector| bytes(selector)),
            program: text(&games.program),
            sealed,
            last_run: text(&games.last_run).and_then(|t| t.parse().ok()),
            update,
            entry: Entry {
                file: file.into(),
                list: games.list,
                id_at: games.id,
                travels: games.travels,
                location: place.to_string(),
            },
            records,
            id,
        })
    }
}

struct Reading<'a> {
    file: &'a Path,
    json: &'a Document,
    on: Side,
    meaning: &'a Meaning,
}

impl Reading<'_> {
    fn record(&self, found: &Place, location: String, in_entry: bool, values: &Values) -> Option<Record> {
        let text = self.json.leaf(found, self.on)?;
        let bare = if text.len() > 1 { text.trim_end_matches('/') } else { &text };
        let read = self.meaning.read(bare, values);
        Some(Record {
            file: self.file.into(),
            location,
            side: self.on,
            meaning: self.meaning.clone(),
            sound: read.is_some(),
            in_entry,
            tail: read.and_then(|values| values.of("tail").map(str::to_string)),
            text,
        })
    }
}

fn join(place: &Place, selector: &str) -> String {
    format!("{place}{}", selector.strip_prefix('$').unwrap_or(selector))
}

fn leaf_below(json: &Document, place: &Place, selector: &str) -> Option<String> {
    let found = json.find(&join(place, selector)).ok()?;
    json.leaf(found.first()?, Side::Value)
}
