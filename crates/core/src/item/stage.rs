//! Where an item stands; the journal holds exactly one of these per item.

use std::path::PathBuf;

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
    Compared {
        /// That folder.
        staging: PathBuf,
    },
    /// A rename is under way, on a file system that has no links to bridge it.
    Renaming,
    /// A rename on one file system: a link at the new place leads to the old one.
    Linked,
    /// The whole copy is at its place; the records lead to the old one.
    Placed,
    /// Record files are being replaced; the journal holds their bytes before and after.
    Repointing,
    /// The records lead to the new copy.
    Repointed,
    /// The proof was made; the originals are held.
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
    GivingUp {
        /// The folder with what was made.
        made: Option<PathBuf>,
    },
    /// The item was given up before it was repointed; all is as it was.
    GivenUp,
    /// A later haul has taken it back.
    Returned,
}

/// Why an item cannot go from one stage to another.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("an item that is {from} cannot become {to}")]
pub struct StageError {
    from: &'static str,
    to: &'static str,
}

impl Stage {
    /// One word for it.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Planned => "planned",
            Self::Copying { .. } => "copying",
            Self::Compared { .. } => "compared",
            Self::Renaming => "renaming",
            Self::Linked => "linked",
            Self::Placed => "placed",
            Self::Repointing => "repointing",
            Self::Repointed => "repointed",
            Self::Proved { .. } => "proved",
            Self::Releasing => "releasing",
            Self::Released { .. } => "released",
            Self::GivingUp { .. } => "giving-up",
            Self::GivenUp => "given-up",
            Self::Returned => "returned",
        }
    }

    /// Whether nothing more happens to the item unless a person asks for it.
    pub fn at_rest(&self) -> bool {
        match self {
            Self::Proved { .. } | Self::Released { .. } | Self::GivenUp | Self::Returned => true,
            Self::Planned
            | Self::Copying { .. }
            | Self::Compared { .. }
            | Self::Renaming
            | Self::Linked
            | Self::Placed
            | Self::Repointing
            | Self::Repointed
            | Self::Releasing
            | Self::GivingUp { .. } => false,
        }
    }

    /// Whether the records lead to the new place.
    pub fn is_repointed(&self) -> bool {
        matches!(self, Self::Repointed | Self::Proved { .. } | Self::Releasing | Self::Released { .. })
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
                    | Self::GivingUp { .. }
                    | Self::GivenUp
            ),
            Self::Copying { .. } => {
                matches!(next, Self::Copying { .. } | Self::Compared { .. } | Self::GivingUp { .. })
            }
            Self::Compared { .. } => matches!(next, Self::Placed | Self::Copying { .. } | Self::GivingUp { .. }),
            Self::Renaming => matches!(next, Self::Placed | Self::GivingUp { .. }),
            Self::Linked => matches!(next, Self::Repointing | Self::Renaming | Self::GivingUp { .. }),
            Self::Placed => matches!(next, Self::Repointing | Self::GivingUp { .. }),
            Self::Repointing => {
                matches!(next, Self::Repointing | Self::Repointed | Self::Placed | Self::Linked | Self::GivingUp { .. })
            }
            Self::Repointed => matches!(next, Self::Proved { .. } | Self::Returned),
            Self::Proved { holds } => match next {
                // A launcher that wrote its old list once more has its records changed again.
                Self::Proved { .. } | Self::Returned | Self::Repointing => true,
                Self::Releasing | Self::Released { .. } => *holds,
                _ => false,
            },
            Self::Releasing => matches!(next, Self::Released { .. }),
            // What had to be left is tried once more when a person asks for it.
            Self::Released { left } => matches!(next, Self::Returned) || (*left > 0 && next == Self::Releasing),
            Self::GivingUp { .. } => matches!(next, Self::GivenUp),
            // An undo was undone before anything of it went.
            Self::Returned => matches!(next, Self::Proved { .. }),
            Self::GivenUp => false,
        };
        if sound { Ok(next) } else { Err(StageError { from: self.word(), to: next.word() }) }
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
            Stage::Compared { staging },
            Stage::Placed,
            Stage::Repointing,
            Stage::Repointed,
            Stage::Proved { holds: false },
            Stage::GivenUp,
        ] {
            assert!(stage.to(Stage::Releasing).is_err());
        }
        assert!(Stage::Proved { holds: true }.to(Stage::Releasing).is_ok());
    }

    #[test]
    fn no_repoint_without_a_compared_copy_at_its_place() {
        for stage in [Stage::Planned, Stage::Copying { staging: "/x".into() }, Stage::Compared { staging: "/x".into() }]
        {
            assert!(stage.to(Stage::Repointing).is_err());
        }
    }
}
