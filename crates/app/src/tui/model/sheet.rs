//! A sheet of lines over the view.

use ratatui::crossterm::event::KeyCode;

use crate::tui::Task;

/// How a line of a sheet is meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    Text,
    Dim,
    Strong,
    Danger,
    /// It goes.
    Old,
    /// It comes.
    New,
}

/// What a click where a sheet names the key for leaving it stands for.
pub const ESC: char = '\u{1b}';

/// A text over the view.
#[derive(Clone, Debug, Default)]
pub struct Sheet {
    pub title: String,
    pub lines: Vec<(Tone, String)>,
    pub top: usize,
    /// What is being done; `None` if it is done.
    pub task: Option<u64>,
    /// Whether it begins hauls, or changes the one under way.
    pub hauls: bool,
    /// How far it is.
    pub passing: String,
    /// How many answers there are to what it asks; 0 while it asks nothing.
    pub answers: usize,
    /// A key, what it does, and that in words.
    pub then: Option<(KeyCode, &'static str, Then)>,
}

/// What a key does in a sheet.
#[derive(Clone, Debug, PartialEq)]
pub enum Then {
    /// Does this, and tells it in a sheet of its own.
    Task(Task),
}

impl Sheet {
    pub fn new(title: impl Into<String>) -> Self {
        Self { title: title.into(), ..Self::default() }
    }

    pub fn add(&mut self, text: &str) {
        self.lines.extend(text.split('\n').map(|line| (tone_of(line), line.to_string())));
    }
}

/// A line of a command by how it begins.
fn tone_of(line: &str) -> Tone {
    let word = line.split_whitespace().next().unwrap_or_default();
    match word {
        "stop" | "problem" | "damaged" | "lost" | "differs" | "missing" => Tone::Danger,
        "-" => Tone::Old,
        "+" => Tone::New,
        "note" => Tone::Dim,
        _ => Tone::Text,
    }
}
