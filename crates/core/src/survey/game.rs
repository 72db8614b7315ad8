//! A game and its id.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::checksums::Size;
use crate::launcher::{FoundGame, Origin, PlaceFault, Update};

/// Name of a game over all launchers: the profile's id, a slash, the launcher's id of the game.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct GameId(pub String);

impl GameId {
    /// The name of a game that this profile knows by this id.
    pub fn of(profile: &str, id: impl fmt::Display) -> Self {
        Self(format!("{profile}/{id}"))
    }

    /// The name of something that is moved like a game, without one.
    pub(crate) fn made_up(origin: Origin, what: impl fmt::Display) -> Self {
        Self::of(origin.profile_id().unwrap_or_default(), what)
    }
}

impl fmt::Display for GameId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// An installed game.
#[derive(Clone, Debug, Serialize)]
pub struct Game {
    /// Its name over all launchers.
    pub id: GameId,
    /// Id of its launcher's profile.
    pub launcher: String,
    /// What its launcher keeps written down of it.
    #[serde(flatten)]
    pub found: FoundGame,
    /// Name of the drive it lies on; `None` if that is not there.
    pub drive: Option<String>,
    /// Its true size.
    pub size: Size,
}

impl Game {
    /// Whether the launcher's claim is far from the truth: by more than a tenth, and by more than 1 MB in all.
    pub fn claim_is_far(&self) -> bool {
        self.found.claim.is_some_and(|claim| {
            let (claim, size) = (claim.count(), self.size.apparent.count());
            claim.abs_diff(size) > (size / 10).max(1_000_000)
        })
    }

    /// An update that waits.
    pub fn update(&self) -> Option<Update> {
        self.found.update
    }

    /// What is wrong with its install folder.
    pub fn fault(&self) -> Option<&PlaceFault> {
        self.found.fault.as_ref()
    }
}
