//! What is collected around games.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::data::UserData;
use super::links::SeenLink;
use super::shortcuts::Shortcut;
use crate::launcher::{Found, FoundGame, Problem};
use crate::survey::GameId;

/// What was found around the games.
#[derive(Debug, Default)]
pub(crate) struct Around {
    pub(crate) data: Vec<UserData>,
    pub(crate) shortcuts: Vec<Shortcut>,
    pub(crate) links: Vec<SeenLink>,
    pub(crate) problems: Vec<Problem>,
}

pub(crate) fn game_id(found: &Found, game: &FoundGame) -> GameId {
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
