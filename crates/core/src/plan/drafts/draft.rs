//! What a person wants, and how full each drive would be: computed anew at every key press.

use crate::item::{Links, LooseFolders, Trial};

use crate::plan::edits::MakeLetters;

use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use crate::survey::{GameId, Way};

/// Where an item is to go.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Destination {
    /// To this drive: into the launcher's library there, or into a new one.
    Drive(String),
    /// Into this library.
    Library(PathBuf),
}

/// One game and where it is to go.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct DraftItem {
    /// The game.
    pub game: GameId,
    /// Where to.
    pub to: Destination,
    /// How user data goes; of a game, whether a link is left at its old place.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub way: Option<Way>,
}

/// What a person wants, in the order in which it was wanted.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Draft {
    /// The items; a game stands in it once at most.
    pub items: Vec<DraftItem>,
    /// Whether drive letters are made where a record needs one.
    #[serde(default)]
    pub letters: MakeLetters,
    /// What becomes of links on a drive that has none.
    #[serde(default)]
    pub links: Links,
    /// What becomes of folders that no record points to.
    #[serde(default)]
    pub loose: LooseFolders,
    /// Whether the smallest item goes through to its proof before the others.
    #[serde(default)]
    pub trial: Trial,
}

impl Draft {
    /// Sends a game somewhere, and forgets where it was to go before.
    pub fn send(&mut self, game: GameId, to: Destination) {
        self.send_by(game, to, None);
    }

    /// Sends user data by one of its ways, or a game with a link left at its old place.
    pub fn send_by(&mut self, game: GameId, to: Destination, way: Option<Way>) {
        self.keep(&game);
        self.items.push(DraftItem { game, to, way });
    }

    /// Leaves a game where it is.
    pub fn keep(&mut self, game: &GameId) {
        self.items.retain(|item| item.game != *game);
    }

    /// Where a game is to go.
    pub fn destination(&self, game: &GameId) -> Option<&Destination> {
        self.items.iter().find(|item| item.game == *game).map(|item| &item.to)
    }
}
