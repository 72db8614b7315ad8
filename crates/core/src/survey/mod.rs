//! What there is: drives, launchers, libraries, games with their true sizes, and what is held.
//!
//! Law: a survey writes nothing, and what it cannot read it names and goes on. Start at [`survey`].

mod around;
mod game;
mod games;
mod listing;
mod looks;
mod lookup;
mod lying;
#[cfg(test)]
pub(crate) mod made_up;
mod names;
mod traced;

pub use around::{DataSource, ListedData, Scope, SeenLink, Shortcut, UserData, Way, list_file, list_text, read_list};
pub use game::{Game, GameId};
pub use games::{DriveState, Fit, Held, Launcher, Library, Survey, SurveyPhase, sketch, survey};
pub use listing::FolderListing;
pub(crate) use looks::{holds_a_program, is_program, looks_like_a_game};
pub use lookup::Lookup;
pub use lying::{CleanupAct, CleanupFind, FindKind, Fitting};
pub use names::{NAMES, Names};
pub(crate) use traced::add_as;
pub use traced::add_to_survey;
