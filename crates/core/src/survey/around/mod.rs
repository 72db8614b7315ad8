//! Everything around the games: user data, shortcuts that start them, and links that lead into them.
//!
//! Law: looking follows no link and runs nothing; a way that leads in a circle, or to the home itself, is shown
//! and never taken. What is found becomes records of its game, so that it is repointed with it.

mod data;
mod links;
mod shortcuts;

pub use data::{DATA, DataSource, ListedData, UserData, Way, list_file, list_text, read_list};
pub use links::SeenLink;
pub use shortcuts::{Scope, Shortcut};

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use links::where_link_leads;

use super::games::GameId;
use crate::launcher::{Found, FoundGame, Problem};
use crate::site::{Site, real_path};

/// What was found around the games.
#[derive(Debug, Default)]
pub(super) struct Around {
    pub(super) data: Vec<UserData>,
    pub(super) shortcuts: Vec<Shortcut>,
    pub(super) links: Vec<SeenLink>,
    pub(super) problems: Vec<Problem>,
}

/// Looks around the games, and adds what names their place to their records.
pub(super) fn look_around(site: &Site, found: &mut Vec<Found>) -> Around {
    let mut around = Around::default();
    forget_menu_entries_of_others(found);
    shortcuts::look(site, found, &mut around);
    links::look(site, found, &mut around);
    data::look(site, found, &mut around);
    around
}

/// A menu entry that starts a launcher's game is a shortcut of that game, and no game of its own.
fn forget_menu_entries_of_others(found: &mut [Found]) {
    let is_entry = |game: &FoundGame| shortcuts::is_entry(&game.entry.file);
    let known: Vec<_> = found.iter().flat_map(|launcher| &launcher.games).filter(|game| !is_entry(game)).collect();
    let known: HashSet<PathBuf> = known.iter().map(|game| real_path(&game.install)).collect();
    for launcher in found {
        let is_others = |game: &FoundGame| is_entry(game) && known.contains(&real_path(&game.install));
        launcher.games.retain(|game| !is_others(game));
    }
}

pub(super) fn game_id(found: &Found, game: &FoundGame) -> GameId {
    GameId(format!("{}/{}", found.profile.id, game.id))
}

/// Letters and digits of a name, in small letters: what stays of a title when it becomes the name of a folder.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Folders, to be asked which of them a path is, lies below or holds.
#[derive(Debug, Default)]
struct Folders {
    all: HashSet<PathBuf>,
    /// What lies above one of them, and one that does.
    above: HashMap<PathBuf, PathBuf>,
}

impl Folders {
    fn of(folders: impl IntoIterator<Item = PathBuf>) -> Self {
        let mut known = Self::default();
        folders.into_iter().for_each(|folder| known.add(folder));
        known
    }

    fn add(&mut self, folder: PathBuf) {
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
    fn touched_by(&self, path: &Path) -> Option<&PathBuf> {
        let on = path.ancestors().find_map(|above| self.all.get(above));
        on.or_else(|| self.above.get(path))
    }
}
