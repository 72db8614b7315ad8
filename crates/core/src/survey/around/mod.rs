//! Everything around the games: user data, shortcuts that start them, and links that lead into them.
//!
//! Law: looking follows no link and runs nothing; a way that leads in a circle, or to the home itself, is shown
//! and never taken. What is found becomes records of its game, so that it is repointed with it.

mod data;
mod links;
mod listed;
mod look;
mod shortcuts;
mod values;

pub use listed::{ListedData, list_file, list_text, read_list};
pub(crate) use look::look_around;
pub use values::{DataSource, Scope, SeenLink, Shortcut, UserData, Way};
