//! What lies around without being an installed game of a launcher.

use super::game::GameId;
use crate::bytes::{Bytes, HaulId};
use crate::checksums::Size;
use serde::Serialize;
use std::path::PathBuf;

/// A content list that a folder fits.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Fitting {
    /// Id of the launcher's profile.
    pub launcher: String,
    /// The launcher's id of the game.
    pub id: String,
    /// The title, where the list says it.
    pub title: Option<String>,
    /// Files of the list.
    pub files: u64,
    /// Files of it that are there with the right size.
    pub there: u64,
    /// Bytes of the files that are missing or have another size: the launcher would download so much at least.
    pub missing: Bytes,
}

/// What somebody may do about a find.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum CleanupAct {
    /// Make it an installed game of its launcher.
    Import,
    /// Haul it elsewhere, with all records that a trace finds.
    Haul,
    /// Compare it with the copy that stays, and let go of it.
    Release,
    /// Set it aside, and let go of it.
    Quarantine,
    /// Take the link away.
    RemoveLink,
    /// Take the entry off the launcher's list.
    Forget,
    /// Rewrite all records that lead below the old place of the drive.
    Remap,
}

/// What was found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum FindKind {
    /// A folder that looks like a game, or fits a content list, and that no record names.
    Unlisted {
        /// Programs in it, as far as was looked.
        programs: usize,
        /// Large files in it that are no programs, as far as was looked.
        packs: usize,
        /// The content list that it fits.
        fits: Option<Fitting>,
    },
    /// An old copy of a game that is installed elsewhere.
    OldCopy {
        /// The game.
        of: GameId,
        /// Its title.
        title: String,
        /// Where it is installed.
        install: PathBuf,
        /// The haul that moved it away from here, where one did.
        haul: Option<HaulId>,
        /// Files that the installed copy has with the same size.
        alike: u64,
        /// Files in all.
        files: u64,
    },
    /// Two installed games with the same files.
    Duplicate {
        /// The one that lies here.
        game: GameId,
        /// The other one.
        other: GameId,
        /// Its title.
        title: String,
        /// Where the other one lies.
        install: PathBuf,
    },
    /// A link that leads nowhere.
    BrokenLink {
        /// Where it leads.
        leads_to: PathBuf,
        /// The game that it led into.
        into: Option<GameId>,
    },
    /// A launcher's entry of a game whose folder is not there.
    DeadEntry {
        /// The game.
        game: GameId,
        /// Its title.
        title: String,
        /// The file of the entry.
        file: PathBuf,
    },
    /// A library whose folder, or whose drive, is not there.
    OfflineLibrary {
        /// Name of the launcher.
        launcher: String,
    },
    /// Something that a haul of ours has left half made.
    HalfMade,
}

/// One thing that lies about.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct CleanupFind {
    /// Where.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// Name of the drive.
    pub drive: Option<String>,
    /// What it takes.
    pub size: Size,
    /// What it is.
    #[serde(flatten)]
    pub what: FindKind,
    /// What may be done about it.
    pub acts: Vec<CleanupAct>,
}
