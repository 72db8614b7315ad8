//! What is collected around games.

use crate::launcher::FoundLauncher;
use serde::Serialize;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use crate::survey::GameId;

use crate::launcher::{FoundGame, Problem};

use crate::survey::Game;

use serde::Deserialize;

use crate::checksums::Size;
use crate::launcher::{DataKind, PlaceFault};

/// What was found around the games.
#[derive(Debug, Default)]
pub(crate) struct Around {
    pub(crate) data: Vec<UserData>,
    pub(crate) shortcuts: Vec<Shortcut>,
    pub(crate) links: Vec<SeenLink>,
    pub(crate) problems: Vec<Problem>,
}

pub(crate) fn game_id(found: &FoundLauncher, game: &FoundGame) -> GameId {
    GameId(format!("{}/{}", found.profile.id, game.id))
}

/// Letters and digits of a name, in small letters: what stays of a title when it becomes the name of a folder.
pub(crate) fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Folders, to be asked which of them a path is, lies below or holds.
#[derive(Debug, Default)]
pub(crate) struct Folders {
    all: HashSet<PathBuf>,
    /// What lies above one of them, and one that does.
    above: HashMap<PathBuf, PathBuf>,
}

impl Folders {
    pub(crate) fn of(folders: impl IntoIterator<Item = PathBuf>) -> Self {
        let mut known = Self::default();
        folders.into_iter().for_each(|folder| known.add(folder));
        known
    }

    pub(crate) fn add(&mut self, folder: PathBuf) {
        for above in folder.ancestors().skip(1) {
            // What is above that is known already.
            if self.above.contains_key(above) {
                break;
            }
            self.above.insert(above.into(), folder.clone());
        }
        self.all.insert(folder);
    }

    /// One that the path is, lies below or holds.
    pub(crate) fn touched_by(&self, path: &Path) -> Option<&PathBuf> {
        let on = path.ancestors().find_map(|above| self.all.get(above));
        on.or_else(|| self.above.get(path))
    }
}

/// A link that leads into a game, out of one, or nowhere.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct SeenLink {
    /// The link.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// What it says.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub says: PathBuf,
    /// Where that is.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub leads_to: PathBuf,
    /// Whether something is there.
    pub alive: bool,
    /// The game that it leads into.
    pub into: Option<GameId>,
    /// The game that it lies in and leads out of.
    pub out_of: Option<GameId>,
}

/// Where a desktop entry stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Scope {
    /// In the person's menu.
    Menu,
    /// In the menu of all people of the machine.
    System,
    /// On the desktop.
    Desktop,
    /// Among what starts with the desktop.
    Autostart,
}

/// A desktop entry with a game's path in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Shortcut {
    /// The file.
    pub file: PathBuf,
    /// The name that it shows.
    pub name: String,
    /// What it runs, as it stands there.
    pub exec: String,
    /// Where it stands.
    pub scope: Scope,
    /// The game.
    pub game: GameId,
    /// Whether it can be changed here.
    pub writable: bool,
}

/// How it can be moved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// A link at the old place points to the new one.
    Link,
    /// The game's own setting points to the new place.
    Setting,
    /// The desktop's user directory moves.
    Directory,
}

/// How it is known.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum DataSource {
    /// The launcher's profile says it.
    Profile,
    /// The person has said it.
    Person,
    /// A setting of the game names it.
    Setting,
    /// It has the game's name, where programs keep their data.
    Name,
    /// It is a user directory that holds user data of games.
    Directory,
}

/// User data of a game.
#[derive(Clone, Debug, Serialize)]
pub struct UserData {
    /// Its name for drafts.
    pub id: GameId,
    /// The game; a user directory has none.
    pub game: Option<GameId>,
    /// The game's title and what it is.
    pub title: String,
    /// What it is.
    pub kind: DataKind,
    /// Where programs look for it.
    pub path: PathBuf,
    /// What the link says that is there.
    pub link: Option<PathBuf>,
    /// Where it lies.
    pub place: PathBuf,
    /// Name of the drive.
    pub drive: Option<String>,
    /// Its size.
    pub size: Size,
    /// How it is known.
    pub source: DataSource,
    /// The file with the setting that names it.
    pub setting: Option<PathBuf>,
    /// Whether its game asks for what it last had open once that setting has changed: as its profile says.
    pub asks_again: bool,
    /// How it can be moved; the first is taken where nothing else is said.
    pub ways: Vec<Way>,
    /// Why it cannot be moved.
    pub fault: Option<PlaceFault>,
    /// It as an item, by each way.
    #[serde(skip)]
    pub(crate) items: Vec<(Way, Game)>,
}
