//! How full drives are, and would be.

use serde::{Deserialize, Serialize};

use crate::plan::drafts::Destination;

use crate::bytes::Bytes;
use crate::survey::{DriveState, Game, Survey};

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
pub(crate) fn loads_now(survey: &Survey) -> Vec<Load> {
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

/// Bytes that a game needs on another drive: without its holes where that has holes too, whole where its own drive may pack files.
pub(crate) fn bytes_there(survey: &Survey, game: &Game, to: usize) -> Bytes {
    let sparse = survey.drives[to].drive.abilities.sparse;
    let source = game.drive.as_ref().and_then(|name| survey.drive(name));
    let packs = source.is_some_and(|state| packs(&state.drive.file_system));
    if sparse && !packs { game.size.on_disk } else { game.size.on_disk.max(game.size.apparent) }
}

/// Whether a file system may keep a file in less room than another will need for it, by compressing it.
pub(crate) fn packs(file_system: &str) -> bool {
    matches!(file_system, "btrfs" | "zfs" | "f2fs" | "bcachefs" | "ntfs" | "ntfs3")
}

/// Name of the drive that a destination lies on.
pub(crate) fn drive_of(survey: &Survey, to: &Destination) -> Option<String> {
    match to {
        Destination::Drive(name) => Some(name.clone()),
        Destination::Library(path) => {
            let mut libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries);
            libraries.find(|library| library.path == *path).and_then(|library| library.drive.clone())
        }
    }
}
