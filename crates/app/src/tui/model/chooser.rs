//! A list to choose from: commands, drives, games or saved drafts.

use std::path::PathBuf;

use deft_barge_core::survey::GameId;
use deft_barge_core::trace::FindPlace;
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use tui_input::Input;

use crate::commands::{View, Wish};

/// What is chosen from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    Acts,
    Games,
    Drives,
    Drafts,
    /// The places that a trace found.
    Places,
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
    /// Opens the draft of this name.
    Draft(String),
    /// Has a place that a trace found rewritten, or left.
    Place(FindPlace),
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
#[derive(Clone, Debug)]
pub struct Chooser {
    pub of: Of,
    pub input: Input,
    pub offers: Vec<Offer>,
    pub cursor: usize,
}

impl Chooser {
    pub fn acts() -> Self {
        Self { of: Of::Acts, input: Input::default(), offers: Vec::new(), cursor: 0 }
    }

    pub fn drives() -> Self {
        Self { of: Of::Drives, ..Self::acts() }
    }

    pub fn drafts() -> Self {
        Self { of: Of::Drafts, ..Self::acts() }
    }

    pub fn places() -> Self {
        Self { of: Of::Places, ..Self::acts() }
    }

    pub fn games() -> Self {
        Self { of: Of::Games, ..Self::acts() }
    }
}

/// Letters that a text may fit: every word of them has to stand in it, with gaps if need be.
pub struct Letters {
    pattern: Pattern,
    matcher: Matcher,
    buffer: Vec<char>,
}

impl Letters {
    pub fn new(letters: &str) -> Self {
        let pattern = Pattern::new(letters, CaseMatching::Ignore, Normalization::Smart, AtomKind::Fuzzy);
        Self { pattern, matcher: Matcher::new(Config::DEFAULT), buffer: Vec::new() }
    }

    /// How well they fit a text: less is better; `None` if they do not.
    pub fn rank(&mut self, text: &str) -> Option<usize> {
        const BEST: u32 = 4000;
        let score = self.pattern.score(Utf32Str::new(text, &mut self.buffer), &mut self.matcher)?;
        Some(BEST.saturating_sub(score) as usize)
    }
}
