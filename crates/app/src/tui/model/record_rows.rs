//! The records of all launchers as rows.

use std::collections::HashSet;

/// A line of the Records view, by places in the survey.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum RecordRow {
    Launcher(usize),
    /// A library of a launcher.
    Library(usize, usize),
    Game(usize),
    /// A record of a game.
    Record(usize, usize),
    /// A file of a launcher that cannot be read, or a profile.
    Problem(usize),
}

/// The lines, what is unfolded, and the line under the cursor.
#[derive(Clone, Debug, Default)]
pub struct RecordsScreen {
    pub rows: Vec<RecordRow>,
    pub cursor: usize,
    /// Ids of launchers that are folded, and of games that are unfolded.
    pub turned: HashSet<String>,
}

impl RecordsScreen {
    /// Whether a launcher is folded, or a game unfolded.
    pub fn is_turned(&self, id: &str) -> bool {
        self.turned.contains(id)
    }
}
