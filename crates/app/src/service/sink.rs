//! Where what a service tells goes: to the command line, or to a sheet of the interface.
//!
//! A service prints nothing and draws nothing; it is given one of these, and says lines, or one document, to it.

use std::io::{self, IsTerminal, Write};
use std::time::Duration;

use crossbeam_channel::{Receiver, RecvTimeoutError};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::haul::Control;
use deft_barge_core::platform::{Ends, hear_ends};
use serde_json::Value;

use crate::present::{Fault, Kind, document, isolated, json_text, say_aside};
use crate::request::Pace;
use crate::tell::Teller;

/// How often it is looked whether somebody who is asked ended it.
const LOOKS: Duration = Duration::from_millis(100);

/// What a service tells while the interface does it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Told {
    /// Lines that stay.
    Lines(String),
    /// How far it is.
    Passing(String),
    /// That one of so many answers is wanted, each by its number.
    Asked(usize),
}

/// Where it is told.
#[derive(Clone, Debug)]
pub enum Sink {
    /// Standard output, as lines or as one JSON document.
    CommandLine { json: bool },
    /// A sheet; `stop` ends the work, and numbers of answers come from `answers`, from 0.
    Sheet { tell: Teller<Told>, stop: Control, answers: Receiver<usize> },
}

impl Sink {
    /// Whether one document is wanted, and no lines.
    pub fn is_json(&self) -> bool {
        matches!(self, Self::CommandLine { json: true })
    }

    /// Whether a person can be asked something and answers by a line.
    pub fn is_sheet(&self) -> bool {
        matches!(self, Self::Sheet { .. })
    }

    /// Says lines; a reader that went away is no failure.
    pub fn say(&self, text: &str) -> Result<(), Fault> {
        match self {
            Self::Sheet { tell, .. } => {
                // Who closed the sheet does not want to know.
                tell.say(Told::Lines(text.into()));
                Ok(())
            }
            Self::CommandLine { .. } if io::stdout().is_terminal() => print(&isolated(text)),
            Self::CommandLine { .. } => print(text),
        }
    }

    /// Says the one JSON document: `value` with its format and kind at the front.
    pub fn document(&self, kind: &str, value: Value) -> Result<(), Fault> {
        let text = json_text(&document(kind, value));
        // A document stays as it is: it may be copied from the screen.
        if self.is_sheet() { self.say(&text) } else { print(&text) }
    }

    /// Whether there is a person who can choose one of several answers.
    pub fn can_pick(&self) -> bool {
        self.is_sheet() || self.can_ask()
    }

    /// Whether there is a person at a terminal who can be asked.
    pub fn can_ask(&self) -> bool {
        matches!(self, Self::CommandLine { json: false }) && io::stdin().is_terminal() && io::stdout().is_terminal()
    }

    /// Asks a question; everything but a yes is a no.
    ///
    /// # Errors
    /// [`Fault`] where the terminal cannot be used.
    pub fn ask(&self, question: &str) -> Result<bool, Fault> {
        let fault = |error: io::Error| Fault::new(Kind::Failed, format!("Couldn't ask: {error}."), "");
        write!(io::stdout(), "{question} [y/N] ").map_err(fault)?;
        io::stdout().flush().map_err(fault)?;
        let mut answer = String::new();
        io::stdin().read_line(&mut answer).map_err(fault)?;
        Ok(matches!(answer.trim(), "y" | "Y" | "yes"))
    }

    /// Asks which of so many answers it is, from 1; whoever says nothing takes the first. Gives its number from 0.
    ///
    /// # Errors
    /// [`Fault`] where the terminal cannot be used, or the person ended it.
    pub fn pick(&self, question: &str, answers: usize) -> Result<usize, Fault> {
        let fault = |error: io::Error| Fault::new(Kind::Failed, format!("Couldn't ask: {error}."), "");
        self.say(question)?;
        if let Self::Sheet { tell, stop, answers: answered } = self {
            tell.say(Told::Asked(answers));
            loop {
                if stop.asked() {
                    return Err(Fault::new(Kind::Failed, "Stopped before that was answered.", ""));
                }
                match answered.recv_timeout(LOOKS) {
                    Ok(answer) if answer < answers => return Ok(answer),
                    Ok(_) | Err(RecvTimeoutError::Timeout) => {}
                    Err(RecvTimeoutError::Disconnected) => {
                        return Err(Fault::new(Kind::Failed, "No one can answer here.", ""));
                    }
                }
            }
        }
        loop {
            write!(io::stdout(), "[1] ").and_then(|()| io::stdout().flush()).map_err(fault)?;
            let mut answer = String::new();
            let read = io::stdin().read_line(&mut answer).map_err(fault)?;
            let answer = answer.trim();
            if answer.is_empty() || read == 0 {
                return Ok(0);
            }
            match answer.parse::<usize>() {
                Ok(n) if (1..=answers).contains(&n) => return Ok(n - 1),
                _ => self.aside(&format!("Type a number from 1 to {answers}.")),
            }
        }
    }

    /// Says something to the person at the keyboard, beside what a script reads.
    pub fn aside(&self, text: &str) {
        if self.is_sheet() {
            #[expect(clippy::let_underscore_must_use, reason = "who closed the sheet does not want to know")]
            let _ = self.say(text);
        } else {
            say_aside(text);
        }
    }

    /// What ends the work: the sheet's key, or Ctrl-C, a terminal that goes, and the system.
    pub fn stop(&self, pace: Pace) -> Result<Control, Fault> {
        if let Self::Sheet { stop, .. } = self {
            return Ok(stop.clone());
        }
        let stop = Control::default();
        let limit = pace.limit.filter(|megabytes| *megabytes > 0);
        stop.set_limit(limit.map(|megabytes| Bytes::new(megabytes * 1_000_000)));
        stop.set_gentle(pace.gentle);
        let asked = stop.clone();
        hear_ends(Ends::Command, move || asked.ask())
            .map_err(|error| Fault::new(Kind::Failed, format!("Couldn't listen to signals: {error}."), ""))?;
        Ok(stop)
    }
}

fn print(text: &str) -> Result<(), Fault> {
    match writeln!(io::stdout().lock(), "{text}") {
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            Err(Fault::new(Kind::Failed, format!("Couldn't write to standard output: {error}."), ""))
        }
        _ => Ok(()),
    }
}
