//! What a launcher's manifests say, as values.

use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::Serialize;

use super::matching::Record;
use super::place::PlaceFault;
use super::profile::Profile;
use super::shape::Shapes;

use crate::bytes::Bytes;
use crate::record::{Bases, Format, Letters, Place, Shape, Values};
use crate::site::Site;

use crate::platform::{self, Drive};

/// Something that could not be read, with what is wrong; the rest of the survey stands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Problem {
    /// The file.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub file: PathBuf,
    /// Line from 1, where there is one.
    pub line: Option<usize>,
    /// What is wrong.
    pub what: String,
}

/// The entry of a game in its launcher's list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ListEntry {
    /// The file of the list.
    pub file: PathBuf,
    /// What that file is.
    pub shape: Shape,
    /// JSONPath of the list, where it is all that the list holds.
    pub list: Option<String>,
    /// JSONPath from the entry to its id; `None` where the key is the id.
    pub id_at: Option<String>,
    /// Whether it goes to another library's list with its game.
    pub travels: bool,
    /// Normalized JSONPath of the entry.
    pub location: String,
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
    /// The folder above that its entry says, where its launcher lists no libraries.
    #[serde(skip)]
    pub root: Option<PathBuf>,
    /// Why the install folder cannot be one.
    pub fault: Option<PlaceFault>,
    /// Bytes that the launcher claims.
    #[serde(rename = "reported")]
    pub claim: Option<Bytes>,
    /// The program, below the install folder.
    pub program: Option<String>,
    /// Why the launcher does not let it be moved.
    #[serde(rename = "locked")]
    pub sealed: Option<String>,
    /// When it last ran.
    pub last_run: Option<Timestamp>,
    /// An update that waits.
    pub update: Option<Update>,
    /// Its entry.
    pub entry: ListEntry,
    /// Every record of its place.
    pub records: Vec<Record>,
    /// Files that say it, or may say it, and stay as they are, of a folder that was traced.
    #[serde(skip)]
    pub staying: Vec<Staying>,
}

impl FoundGame {
    /// A folder that no launcher lists, as a game of its own.
    pub(crate) fn unlisted(id: String, title: String, place: &Path, folder: String) -> Self {
        Self {
            id,
            title,
            install: place.to_path_buf(),
            folder,
            library: None,
            root: None,
            fault: None,
            claim: None,
            program: None,
            sealed: None,
            last_run: None,
            update: None,
            entry: ListEntry {
                file: place.to_path_buf(),
                shape: Shape::Text(Format::Lines),
                list: None,
                id_at: None,
                travels: false,
                location: "$".into(),
            },
            records: Vec::new(),
            staying: Vec::new(),
        }
    }
}

/// Files that say a game's folder or its name and stay as they are.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Staying {
    /// Why they do.
    pub why: WhyStaying,
    /// The files, each once.
    pub files: Vec<PathBuf>,
}

/// Why a file stays as it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WhyStaying {
    /// It says the folder's name alone.
    NameOnly,
    /// It is no text, or counts the bytes of what it says.
    Unreadable,
    /// It holds a checksum of the path, or of a file that is rewritten.
    Checksum,
    /// It is a log.
    Log,
    /// It is a backup of another file.
    Backup,
    /// It is a cache.
    Cache,
    /// A person leaves something in it as it is.
    Chosen,
}

/// One launcher and what it keeps written down.
#[derive(Clone, Debug)]
pub struct FoundLauncher {
    /// Its profile.
    pub profile: Profile,
    /// Its own folder.
    pub home: PathBuf,
    /// Its libraries, in its own order.
    pub libraries: Vec<FoundLibrary>,
    /// Its games.
    pub games: Vec<FoundGame>,
    /// Titles and folders of further entries of those games: which of two entries the launcher goes by is its own affair.
    pub listed_again: Vec<(String, PathBuf)>,
    /// What could not be read.
    pub problems: Vec<Problem>,
    /// The drive letters of its compatibility layers.
    pub letters: Vec<Letters>,
    /// What the entries of its lists say, where it was learned.
    pub(crate) shapes: Shapes,
    /// Its list, where no game is found in it and it still leads to folders.
    pub(crate) led_nowhere: Option<PathBuf>,
}

impl FoundLauncher {
    /// A launcher of which nothing was read yet.
    pub(crate) fn bare(profile: Profile, home: PathBuf) -> Self {
        Self {
            profile,
            home,
            libraries: Vec::new(),
            games: Vec::new(),
            listed_again: Vec::new(),
            problems: Vec::new(),
            letters: Vec::new(),
            shapes: Shapes::default(),
            led_nowhere: None,
        }
    }

    /// What the names in the profile's templates stand for, before a library or game is chosen.
    pub fn values(&self, site: &Site) -> Values {
        with_home(&place_values(site), &self.home)
    }

    /// What templates of a game's own files are filled with, if it lies there.
    pub fn values_of(&self, site: &Site, id: &str, install: &Path) -> Values {
        let text = |path: &Path| path.to_string_lossy().into_owned();
        let libraries = self.libraries.iter().map(|library| library.path.as_path());
        let holds = libraries.filter(|library| install.starts_with(library));
        let library = holds.max_by_key(|library| library.components().count()).or(install.parent());
        let folder = install.file_name().unwrap_or_default().to_string_lossy();
        let values = self.values(site).with("id", id).with("install", text(install)).with("folder", folder);
        values.with("library", text(library.unwrap_or(Path::new("/"))))
    }

    /// Where a new library of this launcher would be made on a drive; `None` if its profile says none.
    pub fn new_library(&self, site: &Site, drive: &Drive) -> Option<PathBuf> {
        let top = site.top_of(drive);
        let values = self.values(site).with("drive", top.to_str()?);
        Some(PathBuf::from(self.profile.libraries.as_ref()?.new.as_ref()?.fill(&values).ok()?))
    }

    /// The folder into which games go on a drive, where this launcher has no libraries.
    pub fn place_on(&self, site: &Site, drive: &Drive) -> Option<PathBuf> {
        let on = |game: &&FoundGame| site.drive_of(&game.install).is_some_and(|d| d.name == drive.name);
        if let Some(parent) = self.games.iter().find(on).and_then(|game| game.install.parent()) {
            return Some(parent.into());
        }
        let top = site.top_of(drive);
        match &self.profile.games.place {
            Some(place) => place.fill(&self.values(site).with("drive", top.to_str()?)).ok().map(PathBuf::from),
            None => Some(top.join(self.games.first()?.install.parent()?.file_name()?)),
        }
    }

    /// Where it writes down such folders above its games, that of a game on another drive.
    pub fn root_on(&self, site: &Site, drive: &Drive, root: &Path) -> Option<PathBuf> {
        let on = |path: &&PathBuf| site.drive_of(path).is_some_and(|d| d.name == drive.name);
        if let Some(root) = self.games.iter().filter_map(|game| game.root.as_ref()).find(on) {
            return Some(root.clone());
        }
        let top = site.top_of(drive);
        if let Some(place) = &self.profile.games.place {
            return place.fill(&self.values(site).with("drive", top.to_str()?)).ok().map(PathBuf::from);
        }
        let is_top = site.drive_of(root).is_some_and(|here| site.top_of(here) == root);
        if is_top { Some(top.into()) } else { Some(top.join(root.file_name()?)) }
    }

    /// The game's own folder on the way to what lies in it, by the folders that the profile says games lie in.
    pub(crate) fn game_around(&self, site: &Site, path: &Path) -> Option<PathBuf> {
        let values = self.values(site);
        let drives = site.drives.iter().filter_map(|drive| Some(("drive", site.top_of(drive).to_str()?)));
        let libraries = self.libraries.iter().filter_map(|library| Some(("library", library.path.to_str()?)));
        let ways: Vec<(&str, &str)> = drives.chain(libraries).collect();
        let filled = |folder: &crate::record::Meaning| -> Vec<PathBuf> {
            let with = |(name, value): &(&str, &str)| folder.fill(&values.clone().with(name, *value)).ok();
            folder.fill(&values).ok().into_iter().chain(ways.iter().filter_map(with)).map(PathBuf::from).collect()
        };
        let below = |folder: PathBuf| {
            let first = path.strip_prefix(&folder).ok()?.components().next()?;
            Some((folder.components().count(), folder.join(first)))
        };
        let found = self.profile.games.folders.iter().flat_map(filled).filter_map(below);
        found.max().map(|(_, game)| game).filter(|game| game != path)
    }

    /// What its written paths may refer to.
    pub fn bases(&self, site: &Site) -> Bases {
        let values = self.values(site);
        let filled = |(name, path): (&String, &crate::record::Meaning)| {
            Some((name.clone(), PathBuf::from(path.fill(&values).ok()?)))
        };
        let named = self.profile.variables.iter().filter_map(filled);
        Bases {
            home: Some(site.places.home.clone()),
            names: named.chain(self.letters.iter().flat_map(Letters::names)).chain(site.places.names()).collect(),
            letters: self.letters.clone(),
            relative_to: None,
            case_blind: self.profile.case_blind,
        }
    }
}

/// An update that has not been installed whole.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Update {
    /// Bytes it has.
    pub have: Bytes,
    /// Bytes it wants.
    pub want: Bytes,
}

/// A library as its launcher lists it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundLibrary {
    /// Its folder.
    pub path: PathBuf,
    /// What games refer to it by, where they do.
    pub id: Option<String>,
    /// Whether new installs go there.
    pub default: bool,
    /// Whether the folder is there.
    pub present: bool,
    /// Where its entry stands.
    #[serde(skip)]
    pub location: Place,
}

/// What stands for the registry on a system that has none: nothing is there.
const NO_REGISTRY: &str = "/no registry";

pub(crate) fn place_values(site: &Site) -> Values {
    let text = |path: &Path| path.to_string_lossy().into_owned();
    Values::default()
        .with("registry", platform::REGISTRY.unwrap_or(NO_REGISTRY))
        .with("user", text(&site.places.home))
        .with("config", text(&site.places.config))
        .with("data", text(&site.places.data))
        .with("state", text(&site.places.state))
}

pub(crate) fn with_home(values: &Values, home: &Path) -> Values {
    values.clone().with("home", home.to_string_lossy())
}
