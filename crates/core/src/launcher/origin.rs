//! Where what is moved comes from.

use serde::{Deserialize, Serialize};

/// What made a game, or what is moved like one, known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Origin {
    /// Its launcher's records, read by a profile.
    #[default]
    Launcher,
    /// A trace: no profile says where its records are.
    Traced,
    /// User data of a game.
    UserData,
    /// Something that was lying around.
    Cleanup,
    /// A drive that has another path.
    Remap,
    /// A portable library or launcher.
    Pack,
}

impl Origin {
    /// The id that its profile has; `None` for a launcher, which has one of its own.
    pub fn profile_id(self) -> Option<&'static str> {
        match self {
            Self::Launcher => None,
            Self::Traced => Some("traced"),
            Self::UserData => Some("data"),
            Self::Cleanup => Some("finds"),
            Self::Remap => Some("anchor"),
            Self::Pack => Some("carry"),
        }
    }

    /// What a profile id of an older journal meant, which knew no origin.
    pub(crate) fn of_older(profile_id: &str) -> Self {
        let made_up = [Self::Traced, Self::UserData, Self::Cleanup, Self::Remap, Self::Pack];
        made_up.into_iter().find(|origin| origin.profile_id() == Some(profile_id)).unwrap_or_default()
    }

    /// Whether a launcher's profile can be asked where it is.
    pub fn has_profile(self) -> bool {
        self == Self::Launcher
    }
}
