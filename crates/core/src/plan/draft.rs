//! What a person wants, and how full each drive would be: computed anew at every key press.

use std::collections::HashMap;
use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use super::course::quick_peaks;
use super::edits::MakeLetters;
use super::order::{Cargo, Room};
use crate::bytes::Bytes;
use crate::survey::{DriveState, Game, GameId, Survey, Way};

/// Where a lot is to go.
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
pub struct DraftLot {
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
    /// The lots; a game stands in it once at most.
    pub lots: Vec<DraftLot>,
    /// Whether drive letters are made where a record needs one.
    #[serde(default)]
    pub letters: MakeLetters,
    /// What becomes of links on a drive that has none.
    #[serde(default)]
    pub links: Links,
    /// Whether the smallest lot goes through to its proof before the others.
    #[serde(default)]
    pub trial: Trial,
}

/// Whether the first lot of a haul is tried before the others go.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Trial {
    /// All go one after another.
    #[default]
    None,
    /// The others wait for a person's yes.
    Waits,
    /// The person has said yes.
    Agreed,
}

/// What becomes of a link on a drive that has none.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Links {
    /// It is a link, or the lot does not go there.
    #[default]
    Keep,
    /// A copy of the file that it leads to stands in its place.
    Copies,
}

impl Draft {
    /// Sends a game somewhere, and forgets where it was to go before.
    pub fn send(&mut self, game: GameId, to: Destination) {
        self.send_by(game, to, None);
    }

    /// Sends user data by one of its ways, or a game with a link left at its old place.
    pub fn send_by(&mut self, game: GameId, to: Destination, way: Option<Way>) {
        self.keep(&game);
        self.lots.push(DraftLot { game, to, way });
    }

    /// Leaves a game where it is.
    pub fn keep(&mut self, game: &GameId) {
        self.lots.retain(|lot| lot.game != *game);
    }

    /// Where a game is to go.
    pub fn destination(&self, game: &GameId) -> Option<&Destination> {
        self.lots.iter().find(|lot| lot.game == *game).map(|lot| &lot.to)
    }
}

/// How full a drive is, becomes on the way, and is afterwards. Bytes in use.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Load {
    /// Name of the drive.
    pub drive: String,
    /// Bytes in all.
    pub capacity: Bytes,
    /// Bytes to keep free.
    pub reserve: Bytes,
    /// Bytes that nobody but the system may use.
    pub withheld: Bytes,
    /// In use now.
    pub now: Bytes,
    /// In use at the fullest moment: copies are there, originals not yet released.
    pub peak: Bytes,
    /// In use once the originals are released.
    pub after: Bytes,
}

impl Load {
    /// Bytes that may be in use at most.
    pub fn most(&self) -> Bytes {
        self.capacity.less(self.reserve).less(self.withheld)
    }

    /// Bytes that are missing at the fullest moment; `None` if it fits above the reserve.
    ///
    /// A drive that nothing is sent to never lacks anything, however full it is.
    pub fn lacks(&self) -> Option<Bytes> {
        self.peak.minus(self.most()).filter(|lack| lack.count() > 0 && self.peak > self.now)
    }
}

/// The load of every drive as it is.
pub(super) fn loads_now(survey: &Survey) -> Vec<Load> {
    let load = |state: &DriveState| Load {
        drive: state.drive.name.clone(),
        capacity: state.drive.capacity,
        reserve: state.drive.reserve,
        withheld: state.drive.capacity.less(state.used).less(state.free),
        now: state.used,
        peak: state.used,
        after: state.used,
    };
    survey.drives.iter().map(load).collect()
}

/// The load of every drive if the draft were hauled: pure, and quick enough for every key press.
///
/// Where not all fits while every original is held, but in some order in which originals go when their copy is proved, the
/// peak is that of this order.
pub fn projected(survey: &Survey, draft: &Draft) -> Vec<Load> {
    let mut loads = loads_now(survey);
    let place: HashMap<&str, usize> =
        survey.drives.iter().enumerate().map(|(n, state)| (state.drive.name.as_str(), n)).collect();
    let mut games: HashMap<&GameId, &Game> = survey.games.iter().map(|game| (&game.id, game)).collect();
    games.extend(survey.user_data.iter().filter_map(|data| Some((&data.id, survey.cargo(&data.id, None)?))));
    let mut cargo = Vec::new();
    for lot in &draft.lots {
        let Some(game) = games.get(&lot.game) else { continue };
        let to = drive_of(survey, &lot.to);
        if to == game.drive {
            continue;
        }
        let from = game.drive.as_deref().and_then(|name| place.get(name).copied());
        if let Some(from) = from {
            loads[from].after = loads[from].after.less(game.size.on_disk);
        }
        let Some(to) = to.as_deref().and_then(|name| place.get(name).copied()) else { continue };
        let bytes = bytes_there(survey, game, to);
        loads[to].peak = loads[to].peak.plus(bytes);
        loads[to].after = loads[to].after.plus(bytes);
        let needs = (0..loads.len()).map(|drive| (drive == to).then_some(bytes.count())).collect();
        cargo.push(Cargo { from, to, leaves: game.size.on_disk.count(), needs });
    }
    if loads.iter().any(|load| load.lacks().is_some()) {
        let rooms: Vec<Room> =
            loads.iter().map(|load| Room { used: load.now.count(), most: load.most().count() }).collect();
        for (load, peak) in loads.iter_mut().zip(quick_peaks(&rooms, &cargo).into_iter().flatten()) {
            load.peak = Bytes::new(peak);
        }
    }
    loads
}

/// Bytes that a game needs on another drive: without its holes where that has holes too, whole where its own drive may pack files.
pub(super) fn bytes_there(survey: &Survey, game: &Game, to: usize) -> Bytes {
    let sparse = survey.drives[to].drive.abilities.sparse;
    let source = game.drive.as_ref().and_then(|name| survey.drive(name));
    let packs = source.is_some_and(|state| packs(&state.drive.file_system));
    if sparse && !packs { game.size.on_disk } else { game.size.on_disk.max(game.size.apparent) }
}

/// Whether a file system may keep a file in less room than another will need for it, by compressing it.
pub(super) fn packs(file_system: &str) -> bool {
    matches!(file_system, "btrfs" | "zfs" | "f2fs" | "bcachefs" | "ntfs" | "ntfs3")
}

/// Name of the drive that a destination lies on.
pub(super) fn drive_of(survey: &Survey, to: &Destination) -> Option<String> {
    match to {
        Destination::Drive(name) => Some(name.clone()),
        Destination::Library(path) => {
            let mut libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries);
            libraries.find(|library| library.path == *path).and_then(|library| library.drive.clone())
        }
    }
}
