//! The list of games: how it is sorted, filtered and scaled.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::Destination;
use deft_barge_core::survey::GameId;
use std::collections::{HashMap, HashSet};

/// The order of the list.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Sort {
    #[default]
    Size,
    LastRun,
    Launcher,
    Title,
}

impl Sort {
    pub fn words(self) -> &'static str {
        match self {
            Self::Size => "by size",
            Self::LastRun => "by last run",
            Self::Launcher => "by launcher",
            Self::Title => "by title",
        }
    }

    pub fn next(self) -> Self {
        match self {
            Self::Size => Self::LastRun,
            Self::LastRun => Self::Launcher,
            Self::Launcher => Self::Title,
            Self::Title => Self::Size,
        }
    }
}

/// What the list shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Filter {
    #[default]
    All,
    /// What another drive has room for.
    Fits,
    /// What an update is waiting for.
    Updates,
    /// What is on the haul.
    Haul,
}

impl Filter {
    pub fn words(self) -> &'static str {
        match self {
            Self::All => "all",
            Self::Fits => "that fit on another drive",
            Self::Updates => "with an update waiting",
            Self::Haul => "on this haul",
        }
    }

    pub fn next(self) -> Self {
        match self {
            Self::All => Self::Fits,
            Self::Fits => Self::Updates,
            Self::Updates => Self::Haul,
            Self::Haul => Self::All,
        }
    }
}

/// How wide drives are drawn beside one another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scale {
    #[default]
    Linear,
    Root,
}

/// How games lie on drives, worked out once after each survey, and how they are shown.
#[derive(Clone, Debug, Default)]
pub struct DraftLayout {
    /// Games of each drive, by their place in the survey, largest first; behind the drives those that are away.
    pub holds: Vec<Vec<usize>>,
    /// The list of the drive in focus.
    pub list: Vec<usize>,
    pub cursor: usize,
    pub sort: Sort,
    pub filter: Filter,
    pub scale: Scale,
    pub marks: HashSet<GameId>,
    /// Where games are to go.
    pub sent: HashMap<GameId, Destination>,
    /// What is on the haul, in its order.
    pub coming: Vec<Coming>,
}

/// An item of the draft as it is drawn: the drive it comes to, by its place in the survey, and what it is.
#[derive(Clone, Debug)]
pub struct Coming {
    pub drive: Option<usize>,
    pub title: String,
    pub bytes: Bytes,
}
