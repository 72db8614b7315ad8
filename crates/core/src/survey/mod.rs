//! What there is: drives, launchers, libraries, games with their true sizes, and what is held.
//!
//! Law: a survey writes nothing, and what it cannot read it names and goes on. Start at [`survey`].

mod around;
mod games;
mod lookup;
#[cfg(test)]
pub(crate) mod made_up;
mod names;

pub use around::{
    DATA, DataSource, ListedData, Scope, SeenLink, Shortcut, UserData, Way, list_file, list_text, read_list,
};
pub use games::{DriveState, Game, GameId, Held, Launcher, Library, Survey, SurveyPhase, sketch, survey};
pub use lookup::Lookup;
pub use names::{NAMES, Names};
