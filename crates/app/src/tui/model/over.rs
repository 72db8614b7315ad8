//! What stands over the screens, and how they are drawn.

use std::time::Duration;

use super::chooser::{Choice, Chooser};
use super::question::Question;
use super::sheet::Sheet;
use super::typing::Typing;
use crate::commands::KeyMap;
use crate::config::Ground;
use crate::service::drafts::KeptDraft;
use crate::tui::canvas::Hits;

/// Questions, fields, lists and sheets: what takes the keys before the screen does.
#[derive(Default)]
pub struct Over {
    pub question: Option<Question>,
    pub typing: Option<Typing>,
    /// What was typed into fields, the newest last.
    pub typed: Vec<String>,
    pub chooser: Option<Chooser>,
    /// What was chosen from the list of acts, the newest first.
    pub recent: Vec<Choice>,
    /// The drafts that are kept, once they are listed.
    pub drafts: Option<Vec<KeptDraft>>,
    pub sheet: Option<Sheet>,
    pub help: Option<usize>,
    pub message: Option<String>,
}

/// Keys, colours and what lies where on the terminal.
pub struct Look {
    pub keys: KeyMap,
    pub ground: Ground,
    pub clock: Duration,
    /// Where things lie on the screen, as they were drawn last.
    pub hits: Hits,
    /// Whether the window is too small to show what a key would do.
    pub too_small: bool,
}
