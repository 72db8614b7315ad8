//! Where an item stands; the journal holds exactly one of these per item.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Where an item stands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "stage")]
pub enum Stage {
    /// Nothing has been done.
    Planned,
    /// The copy is being made and compared in a folder of ours beside its place.
    Copying {
        /// That folder.
        staging: PathBuf,
    },
    /// Every block was read back from the target and equals its original; all is durable in the folder of ours.
    #[serde(alias = "compared")]
    Verified {
        /// That folder.
        staging: PathBuf,
    },
    /// A rename is under way, on a file system that has no links to bridge it.
    Renaming,
    /// A rename on one file system: a link at the new place points to the old one.
    Linked,
    /// The whole copy is at its place; the records lead to the old one.
    Placed,
    /// Record files are being replaced; the journal holds their bytes before and after.
    #[serde(alias = "repointing")]
    UpdatingRecords,
    /// The records lead to the new copy.
    #[serde(alias = "repointed")]
    RecordsUpdated,
    /// The proof was made; the originals are kept.
    Proved {
        /// Whether nothing differs and nothing would be downloaded.
        holds: bool,
    },
    /// Originals are being removed.
    Releasing,
    /// The originals are gone, but for what had changed.
    Released {
        /// Number of files that stayed because they were not what was compared.
        left: u64,
    },
    /// What was made is being removed; the records lead to the originals.
    #[serde(alias = "giving-up")]
    Cancelling {
        /// The folder with what was made.
        made: Option<PathBuf>,
    },
    /// The item was given up before it was repointed; all is as it was.
    #[serde(alias = "given-up")]
    Cancelled,
    /// A later haul has taken it back.
    #[serde(alias = "returned")]
    Undone,
}

/// Which stage an item is at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum StageKind {
    /// [`Stage::Planned`].
    Planned,
    /// [`Stage::Copying`].
    Copying,
    /// [`Stage::Verified`].
    Verified,
    /// [`Stage::Renaming`].
    Renaming,
    /// [`Stage::Linked`].
    Linked,
    /// [`Stage::Placed`].
    Placed,
    /// [`Stage::UpdatingRecords`].
    UpdatingRecords,
    /// [`Stage::RecordsUpdated`].
    RecordsUpdated,
    /// [`Stage::Proved`].
    Proved,
    /// [`Stage::Releasing`].
    Releasing,
    /// [`Stage::Released`].
    Released,
    /// [`Stage::Cancelling`].
    Cancelling,
    /// [`Stage::Cancelled`].
    Cancelled,
    /// [`Stage::Undone`].
    Undone,
}

impl StageKind {
    /// All of them.
    pub const ALL: [Self; 14] = [
        Self::Planned,
        Self::Copying,
        Self::Verified,
        Self::Renaming,
        Self::Linked,
        Self::Placed,
        Self::UpdatingRecords,
        Self::RecordsUpdated,
        Self::Proved,
        Self::Releasing,
        Self::Released,
        Self::Cancelling,
        Self::Cancelled,
        Self::Undone,
    ];

    /// The word that the journal has for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Planned => "planned",
            Self::Copying => "copying",
            Self::Verified => "verified",
            Self::Renaming => "renaming",
            Self::Linked => "linked",
            Self::Placed => "placed",
            Self::UpdatingRecords => "updating-records",
            Self::RecordsUpdated => "records-updated",
            Self::Proved => "proved",
            Self::Releasing => "releasing",
            Self::Released => "released",
            Self::Cancelling => "cancelling",
            Self::Cancelled => "cancelled",
            Self::Undone => "undone",
        }
    }

    /// The stage of a word of the journal, of whatever version.
    pub fn of_word(word: &str) -> Option<Self> {
        let word = match word {
            "compared" => "verified",
            "repointing" => "updating-records",
            "repointed" => "records-updated",
            "giving-up" => "cancelling",
            "given-up" => "cancelled",
            "returned" => "undone",
            word => word,
        };
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }
}

impl std::fmt::Display for StageKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.word())
    }
}

/// Why an item cannot go from one stage to another.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("an item that is {from} cannot become {to}")]
pub struct StageError {
    from: StageKind,
    to: StageKind,
}

/// Where that is which was made of an item before its records were updated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MadeAt<'a> {
    /// Nothing is made, or what is made is the item's for good.
    Nothing,
    /// In a folder of ours.
    InOurs(&'a Path),
    /// In a folder of ours, or at its place already: the rename may have come just before the end.
    InOursOrPlaced(&'a Path),
    /// At its place.
    Placed,
}

impl Stage {
    /// Where that is which was made so far and goes if the item is given up.
    pub fn made(&self) -> MadeAt<'_> {
        match self {
            Self::Copying { staging: ours } | Self::Cancelling { made: Some(ours) } => MadeAt::InOurs(ours),
            Self::Verified { staging } => MadeAt::InOursOrPlaced(staging),
            Self::Placed | Self::UpdatingRecords => MadeAt::Placed,
            Self::Planned
            | Self::Renaming
            | Self::Linked
            | Self::RecordsUpdated
            | Self::Proved { .. }
            | Self::Releasing
            | Self::Released { .. }
            | Self::Cancelling { made: None }
            | Self::Cancelled
            | Self::Undone => MadeAt::Nothing,
        }
    }

    /// The folder of ours that the stage names.
    pub fn ours_mut(&mut self) -> Option<&mut PathBuf> {
        if let Self::Copying { staging: ours }
        | Self::Verified { staging: ours }
        | Self::Cancelling { made: Some(ours) } = self
        {
            return Some(ours);
        }
        None
    }

    /// Which stage it is, without what belongs to it.
    pub fn kind(&self) -> StageKind {
        match self {
            Self::Planned => StageKind::Planned,
            Self::Copying { .. } => StageKind::Copying,
            Self::Verified { .. } => StageKind::Verified,
            Self::Renaming => StageKind::Renaming,
            Self::Linked => StageKind::Linked,
            Self::Placed => StageKind::Placed,
            Self::UpdatingRecords => StageKind::UpdatingRecords,
            Self::RecordsUpdated => StageKind::RecordsUpdated,
            Self::Proved { .. } => StageKind::Proved,
            Self::Releasing => StageKind::Releasing,
            Self::Released { .. } => StageKind::Released,
            Self::Cancelling { .. } => StageKind::Cancelling,
            Self::Cancelled => StageKind::Cancelled,
            Self::Undone => StageKind::Undone,
        }
    }

    /// Whether nothing more happens to the item unless a person asks for it.
    pub fn at_rest(&self) -> bool {
        match self {
            Self::Proved { .. } | Self::Released { .. } | Self::Cancelled | Self::Undone => true,
            Self::Planned
            | Self::Copying { .. }
            | Self::Verified { .. }
            | Self::Renaming
            | Self::Linked
            | Self::Placed
            | Self::UpdatingRecords
            | Self::RecordsUpdated
            | Self::Releasing
            | Self::Cancelling { .. } => false,
        }
    }

    /// Whether originals are there to be removed, for all that the stage says: it may have begun, and what had to be left once may go now.
    pub fn has_more_to_release(&self) -> bool {
        match self {
            Self::Proved { holds } => *holds,
            Self::Releasing => true,
            Self::Released { left } => *left > 0,
            _ => false,
        }
    }

    /// Whether the records lead to the new place.
    pub fn records_are_updated(&self) -> bool {
        matches!(self, Self::RecordsUpdated | Self::Proved { .. } | Self::Releasing | Self::Released { .. })
    }

    /// Goes on to another stage.
    ///
    /// # Errors
    /// [`StageError`] if that would skip a phase: nothing is released that was not proved.
    pub fn to(self, next: Self) -> Result<Self, StageError> {
        let sound = match &self {
            Self::Planned => matches!(
                next,
                Self::Copying { .. }
                    | Self::Linked
                    | Self::Renaming
                    | Self::Placed
                    | Self::Cancelling { .. }
                    | Self::Cancelled
            ),
            Self::Copying { .. } => {
                matches!(next, Self::Copying { .. } | Self::Verified { .. } | Self::Cancelling { .. })
            }
            Self::Verified { .. } => matches!(next, Self::Placed | Self::Copying { .. } | Self::Cancelling { .. }),
            Self::Renaming => matches!(next, Self::Placed | Self::Cancelling { .. }),
            Self::Linked => matches!(next, Self::UpdatingRecords | Self::Renaming | Self::Cancelling { .. }),
            Self::Placed => matches!(next, Self::UpdatingRecords | Self::Cancelling { .. }),
            Self::UpdatingRecords => {
                matches!(
                    next,
                    Self::UpdatingRecords
                        | Self::RecordsUpdated
                        | Self::Placed
                        | Self::Linked
                        | Self::Cancelling { .. }
                )
            }
            Self::RecordsUpdated => matches!(next, Self::Proved { .. } | Self::Undone),
            Self::Proved { holds } => match next {
                // A launcher that wrote its old list once more has its records changed again.
                Self::Proved { .. } | Self::Undone | Self::UpdatingRecords => true,
                Self::Releasing | Self::Released { .. } => *holds,
                _ => false,
            },
            Self::Releasing => matches!(next, Self::Released { .. }),
            // What had to be left is tried once more when a person asks for it.
            Self::Released { left } => matches!(next, Self::Undone) || (*left > 0 && next == Self::Releasing),
            Self::Cancelling { .. } => matches!(next, Self::Cancelled),
            // An undo was undone before anything of it went.
            Self::Undone => matches!(next, Self::Proved { .. }),
            Self::Cancelled => false,
        };
        if sound { Ok(next) } else { Err(StageError { from: self.kind(), to: next.kind() }) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_is_released_that_was_not_proved() {
        let staging = PathBuf::from("/x");
        for stage in [
            Stage::Planned,
            Stage::Copying { staging: staging.clone() },
            Stage::Verified { staging },
            Stage::Placed,
            Stage::UpdatingRecords,
            Stage::RecordsUpdated,
            Stage::Proved { holds: false },
            Stage::Cancelled,
        ] {
            assert!(stage.to(Stage::Releasing).is_err());
        }
        assert!(Stage::Proved { holds: true }.to(Stage::Releasing).is_ok());
    }

    #[test]
    fn no_repoint_without_a_compared_copy_at_its_place() {
        for stage in [Stage::Planned, Stage::Copying { staging: "/x".into() }, Stage::Verified { staging: "/x".into() }]
        {
            assert!(stage.to(Stage::UpdatingRecords).is_err());
        }
    }
}
