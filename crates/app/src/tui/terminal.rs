//! The terminal: taken over at the start, given back at the end, whatever the end is.

use std::io::{self, Stdout, Write, stdout};
use std::panic;

use deft_barge_core::platform::stop_here;
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::cursor::Show;
use ratatui::crossterm::event::{DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, SetTitle, disable_raw_mode, enable_raw_mode,
};

pub type Screen = Terminal<CrosstermBackend<Stdout>>;

/// Holds the terminal; dropping it gives the terminal back.
#[derive(Debug)]
pub struct Held(());

impl Held {
    /// Takes the terminal over. A panic gives it back before it says what went wrong.
    pub fn take() -> io::Result<Self> {
        let before = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            give_back();
            before(info);
            // Whatever thread it was: a haul can be resumed from any point, a half-drawn screen cannot.
            std::process::exit(1);
        }));
        enter()?;
        Ok(Self(()))
    }

    /// Makes the screen to draw on.
    pub fn screen(&self) -> io::Result<Screen> {
        Terminal::new(CrosstermBackend::new(stdout()))
    }

    /// Rings the bell and says something in the title.
    pub fn ring(&self, title: &str) -> io::Result<()> {
        let mut out = stdout();
        out.write_all(b"\x07")?;
        execute!(out, SetTitle(title))
    }

    /// Gives the terminal back, stops the program as Ctrl-Z does, and takes it over again when it goes on.
    pub fn suspend(&self) -> io::Result<()> {
        give_back();
        stop_here()?;
        enter()
    }
}

impl Drop for Held {
    fn drop(&mut self) {
        give_back();
    }
}

fn enter() -> io::Result<()> {
    enable_raw_mode()?;
    let mut out = stdout();
    // The title that the terminal had is put away (XTWINOPS 22 and 23, as xterm's control sequences have them).
    out.write_all(b"\x1b[22;2t")?;
    execute!(out, EnterAlternateScreen, EnableBracketedPaste, EnableMouseCapture)
}

#[expect(clippy::let_underscore_must_use, reason = "nothing more can be done for a terminal that takes no orders")]
fn give_back() {
    let _ = disable_raw_mode();
    let mut out = stdout();
    let _ = execute!(out, DisableMouseCapture, DisableBracketedPaste, LeaveAlternateScreen, Show);
    let _ = out.write_all(b"\x1b[23;2t");
    let _ = out.flush();
}
