//! Everything around the games: user data, shortcuts that start them, and links that lead into them.
//!
//! Law: looking follows no link and runs nothing; a way that leads in a circle, or to the home itself, is shown
//! and never taken. What is found becomes records of its game, so that it is repointed with it.

use super::values::Around;
use super::{data, links, shortcuts};

use std::collections::HashSet;
use std::path::PathBuf;

use crate::launcher::{FoundGame, FoundLauncher};
use crate::site::{Site, real_path};

/// Looks around the games, and adds what names their place to their records.
pub(crate) fn look_around(site: &Site, found: &mut Vec<FoundLauncher>) -> Around {
    let mut around = Around::default();
    forget_menu_entries_of_others(found);
    shortcuts::look(site, found, &mut around);
    links::look(site, found, &mut around);
    data::look(site, found, &mut around);
    around
}

/// A menu entry that starts a launcher's game is a shortcut of that game, and no game of its own.
fn forget_menu_entries_of_others(found: &mut [FoundLauncher]) {
    let is_entry = |game: &FoundGame| shortcuts::is_entry(&game.entry.file);
    let known: Vec<_> = found.iter().flat_map(|launcher| &launcher.games).filter(|game| !is_entry(game)).collect();
    let known: HashSet<PathBuf> = known.iter().map(|game| real_path(&game.install)).collect();
    for launcher in found {
        let is_others = |game: &FoundGame| is_entry(game) && known.contains(&real_path(&game.install));
        launcher.games.retain(|game| !is_others(game));
    }
}
