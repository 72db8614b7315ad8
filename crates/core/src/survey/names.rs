//! Names that a shell offers while a command is typed: of the games and drives that the last survey has seen.

use serde::{Deserialize, Serialize};

use super::Survey;
use crate::site::{Site, read_text};

/// Names of games and drives. Format: `docs/formats.md`, "Names".
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Names {
    /// Titles of games.
    pub games: Vec<String>,
    /// Names of drives.
    pub drives: Vec<String>,
}

/// The file of the names, in the state folder.
pub const NAMES: &str = "names.json";

impl Names {
    /// Those that a survey has seen.
    pub fn of(survey: &Survey) -> Self {
        Self {
            games: survey.games.iter().map(|game| game.found.title.clone()).collect(),
            drives: survey.drives.iter().map(|state| state.drive.name.clone()).collect(),
        }
    }

    /// Remembers what a survey has seen. Not to know it later is no reason to fail now.
    pub fn remember(site: &Site, survey: &Survey) {
        let path = site.state_folder().join(NAMES);
        let Ok(bytes) = serde_json::to_vec(&Self::of(survey)) else { return };
        if read_text(&path).is_ok_and(|old| old.as_bytes() == bytes) {
            return;
        }
        #[expect(clippy::let_underscore_must_use, reason = "names that are not kept are read anew")]
        let _ = site.write_state(NAMES, &bytes);
    }

    /// Reads the names in a file's text; none where it says nothing that can be understood. A name that holds a control
    /// character, which nobody can type and which a shell would take for its own, is left out.
    pub fn read(text: &str) -> Self {
        let mut names: Self = serde_json::from_str(text).unwrap_or_default();
        for list in [&mut names.games, &mut names.drives] {
            list.retain(|name| !name.is_empty() && !name.contains(char::is_control));
        }
        names
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_a_shell_would_take_for_its_own_are_left_out() {
        let read =
            Names::read(r#"{"games": ["Fen", "", "a\nb", "\u001b[2J", "b\u0085c", "Öland \"x\""], "drives": 3}"#);
        assert_eq!(read, Names::default(), "a list that is none");
        let read = Names::read(r#"{"games": ["Fen", "", "a\nb", "\u001b[2J", "b\u0085c", "Öland \"x\""], "more": 1}"#);
        assert_eq!(read.games, ["Fen", "Öland \"x\""]);
    }
}
