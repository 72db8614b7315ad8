//! The interface in tmux, as a person sees it and drives it.

use std::process::{Command, Output};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;
use std::time::{Duration, Instant};

use crate::world::{PROGRAM, World};

pub struct Screen {
    name: String,
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = self.tmux(&["kill-server"]);
    }
}

impl Screen {
    pub fn open(world: &World, columns: u16, rows: u16) -> Option<Self> {
        Self::open_with("", world, columns, rows)
    }

    /// Opens with settings of the environment before the program's name.
    pub fn open_with(before: &str, world: &World, columns: u16, rows: u16) -> Option<Self> {
        Self::run(before, world, "", columns, rows)
    }

    /// Runs a command in a terminal of this size.
    pub fn run(before: &str, world: &World, words: &str, columns: u16, rows: u16) -> Option<Self> {
        if Command::new("tmux").arg("-V").output().is_err() {
            eprintln!("\n!!! NOT RUN: the tests of the interface need tmux !!!\n");
            return None;
        }
        // A server of its own each time: one that was told to end may still answer for a moment.
        static OPENED: AtomicUsize = AtomicUsize::new(0);
        let nth = OPENED.fetch_add(1, Ordering::Relaxed);
        let screen = Self { name: format!("barge-{}-{nth}", std::process::id()) };
        let (columns, rows) = (columns.to_string(), rows.to_string());
        let start = format!(
            "{before} {PROGRAM} --world '{}' {words}; echo \"left with $?\"; exec cat",
            world.folder().display()
        );
        let opened = screen.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", &columns, "-y", &rows, &start]);
        assert!(opened.status.success(), "{}", String::from_utf8_lossy(&opened.stderr));
        Some(screen)
    }

    /// Types a text into a field.
    pub fn type_in(&self, text: &str) {
        self.tmux(&["send-keys", "-l", text]);
    }

    /// Goes to a game by its letters.
    pub fn go_to(&self, letters: &str) {
        self.keys(&["/"]);
        self.wait_for("Which game?");
        self.type_in(letters);
        self.wait_for(&format!("Which game? {letters}"));
        self.keys(&["Enter"]);
        self.wait_until(|text| !text.contains("Which game?"));
    }

    /// Waits until the screen is so.
    pub fn wait_until(&self, is: impl Fn(&str) -> bool) -> String {
        let begun = Instant::now();
        loop {
            let now = self.text();
            if is(&now) {
                return now;
            }
            assert!(begun.elapsed() < Duration::from_mins(1), "waited in vain; the screen shows:\n{now}");
            thread::sleep(Duration::from_millis(40));
        }
    }

    pub fn tmux(&self, words: &[&str]) -> Output {
        Command::new("tmux").args(["-L", &self.name]).args(words).output().unwrap()
    }

    pub fn keys(&self, keys: &[&str]) {
        self.tmux(&[&["send-keys"], keys].concat());
    }

    /// The column and row, from 1, at which a text is shown last on the screen.
    fn place_of(&self, text: &str) -> (usize, usize) {
        let shown = self.wait_for(text);
        let found = shown.lines().enumerate().filter_map(|(row, line)| {
            let at = line.find(text)?;
            // Wide characters stand behind what is looked for here, never before it.
            Some((line[..at].chars().count() + 1, row + 1))
        });
        found.last().unwrap_or_else(|| panic!("{text:?} is on more than one line\n{shown}"))
    }

    /// The left button of the mouse, pressed and let go on a text that is shown, as terminals tell it (SGR).
    pub fn click(&self, text: &str) {
        let (column, row) = self.place_of(text);
        self.type_in(&format!("\u{1b}[<0;{column};{row}M\u{1b}[<0;{column};{row}m"));
    }

    /// Drags from one text that is shown to another one.
    pub fn drag(&self, from: &str, to: &str) {
        let ((from_column, from_row), (column, row)) = (self.place_of(from), self.place_of(to));
        self.type_in(&format!("\u{1b}[<0;{from_column};{from_row}M"));
        self.type_in(&format!("\u{1b}[<32;{column};{row}M\u{1b}[<0;{column};{row}m"));
    }

    /// The screen with all that says colours and the like.
    pub fn with_styles(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p", "-e"]).stdout).into_owned()
    }

    /// Starts a haul of the game that the cursor is on, as slow as it goes, and waits until it runs.
    pub fn start_slowly(&self) {
        self.first_frame();
        self.keys(&["R", "<", "<", "<"]);
        self.wait_for("at most 1 MB/s");
        self.keys(&["D", "4", "Enter"]);
        self.wait_for("ready; S starts it");
        self.keys(&["S"]);
        self.wait_for("MB/s, mean");
    }

    /// Waits for the first frame, to its last line.
    pub fn first_frame(&self) -> String {
        self.wait_for("on disk");
        self.wait_for("Saltflat");
        self.wait_for("? keys")
    }

    /// A picture may be taken while the screen is drawn: one that stays the same for a moment is whole. What moves all the time, or has
    /// gone by then, is taken as it was seen.
    fn drawn(&self, seen: String, text: &str) -> String {
        let mut last = seen.clone();
        for _ in 0..6 {
            thread::sleep(Duration::from_millis(25));
            let now = self.text();
            if now == last {
                break;
            }
            last = now;
        }
        if last.contains(text) { last } else { seen }
    }

    /// The screen once it stays the same for a moment.
    pub fn drawn_text(&self) -> String {
        thread::sleep(Duration::from_millis(60));
        self.drawn(self.text(), "")
    }

    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p"]).stdout).into_owned()
    }

    /// Waits until the screen shows a text; gives the screen once it has been drawn to its end.
    pub fn wait_for(&self, text: &str) -> String {
        let begun = Instant::now();
        loop {
            let now = self.text();
            if now.contains(text) {
                return self.drawn(now, text);
            }
            assert!(begun.elapsed() < Duration::from_secs(30), "waited for {text:?}; the screen shows:\n{now}");
            thread::sleep(Duration::from_millis(40));
        }
    }
}

/// Cancels the one of two items that is being copied, and waits for the other's end.
pub fn one_is_cancelled_alone(world: &World, screen: &Screen) {
    screen.keys(&["X"]);
    let asked = screen.wait_for("alone? Its copy is removed");
    screen.keys(&["y"]);
    screen.wait_for("of originals are kept");
    let log = world.json(&["log"], 0);
    let items = log["hauls"][0]["items"].as_array().unwrap();
    let stages: Vec<_> = items.iter().map(|item| item["stage"]["stage"].as_str().unwrap()).collect();
    assert!(stages.contains(&"cancelled") && stages.contains(&"proved"), "{stages:?}\n{asked}");
}
