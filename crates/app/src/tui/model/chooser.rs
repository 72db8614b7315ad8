//! A list to choose from: commands, drives or games.

use std::path::PathBuf;

use deft_barge_core::survey::GameId;

use crate::commands::{View, Wish};

/// What is chosen from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    Acts,
    Games,
    Drives,
}

/// What a choice does.
#[derive(Clone, Debug, PartialEq)]
pub enum Choice {
    /// Goes to the view of an act and does it.
    Act(Option<View>, Wish),
    /// Puts the cursor on a game.
    Game(GameId),
    /// Does with a drive what its digit would do in this view.
    Drive(String),
    /// Sends the game under the cursor into this library of its launcher.
    Library(PathBuf),
}

/// A line that can be chosen.
#[derive(Clone, Debug, PartialEq)]
pub struct Offer {
    pub text: String,
    /// What stands at its right end.
    pub aside: String,
    pub choice: Choice,
}

/// The list and the letters.
#[derive(Clone, Debug, PartialEq)]
pub struct Chooser {
    pub of: Of,
    pub text: String,
    pub offers: Vec<Offer>,
    pub cursor: usize,
}

impl Chooser {
    pub fn acts() -> Self {
        Self { of: Of::Acts, text: String::new(), offers: Vec::new(), cursor: 0 }
    }

    pub fn drives() -> Self {
        Self { of: Of::Drives, ..Self::acts() }
    }

    pub fn games() -> Self {
        Self { of: Of::Games, ..Self::acts() }
    }
}

/// How well letters fit a text: every word of them has to stand in it. Less is better; `None` if they do not fit.
pub fn fit(letters: &str, text: &str) -> Option<usize> {
    let text = text.to_lowercase();
    let mut sum = 0;
    for word in letters.to_lowercase().split_whitespace() {
        let at = text.find(word)?;
        // The beginning of a word is meant more often than its middle.
        let begins = at == 0 || !text[..at].ends_with(char::is_alphanumeric);
        sum += if begins { at.min(40) } else { 100 + at.min(40) };
    }
    Some(sum)
}
