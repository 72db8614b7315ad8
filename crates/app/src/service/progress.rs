//! How commands show how far they are: a haul as a bar on a terminal, plain lines otherwise, nothing for JSON; what only
//! looks, as one passing line. Where the interface does a command, it is told instead.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::io::{IsTerminal, Write, stderr};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use deft_barge_core::haul::HaulEvent;
use deft_barge_core::item::Progress;
use deft_barge_core::item::StageKind;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use super::sink::{Sink, Told};
use crate::present::{about, isolated, line, pad, words};
use crate::tell::Teller;

/// A line that says how far something is, once that takes longer than half a second, and goes when it is done.
pub struct Passing {
    begun: Instant,
    told: Mutex<Option<Instant>>,
    to: Option<Teller<Told>>,
    line: ProgressBar,
}

/// A line at the bottom of the terminal, as wide as that is, and nothing where standard error is none.
fn passing_line(drawn: bool) -> ProgressBar {
    let target = if drawn { ProgressDrawTarget::stderr_with_hz(10) } else { ProgressDrawTarget::hidden() };
    let line = ProgressBar::with_draw_target(None, target);
    line.set_style(ProgressStyle::with_template("{wide_msg}").unwrap_or_else(|_| ProgressStyle::default_bar()));
    line
}

impl Passing {
    pub fn new(sink: &Sink) -> Self {
        let to = match sink {
            Sink::Sheet { tell, .. } => Some(tell.clone()),
            Sink::CommandLine { .. } => None,
        };
        let line = passing_line(to.is_none());
        Self { begun: Instant::now(), told: Mutex::new(None), to, line }
    }

    /// Shows a text, at most ten times a second; any thread may.
    pub fn show(&self, text: impl FnOnce() -> String) {
        let mut told = self.told.lock().unwrap_or_else(PoisonError::into_inner);
        let is_due = told.is_none_or(|at| at.elapsed() > Duration::from_millis(100));
        if self.begun.elapsed() < Duration::from_millis(500) || !is_due {
            return;
        }
        if let Some(to) = &self.to {
            to.say(Told::Passing(text()));
        } else {
            self.line.set_message(text());
        }
        *told = Some(Instant::now());
    }
}

impl Drop for Passing {
    fn drop(&mut self) {
        self.line.finish_and_clear();
    }
}

#[derive(Clone)]
enum Manner {
    Bar,
    Lines,
    Silent,
    To(Teller<Told>),
}

/// Shows events of a running haul on standard error.
pub struct Shown {
    manner: Manner,
    bar: ProgressBar,
    /// The last tenth that was told of each game.
    last: RefCell<HashMap<String, u64>>,
    stage: Cell<Option<StageKind>>,
    said: RefCell<String>,
}

impl Shown {
    pub fn new(sink: &Sink) -> Self {
        let manner = match (sink, stderr().is_terminal()) {
            (Sink::Sheet { tell, .. }, _) => Manner::To(tell.clone()),
            (Sink::CommandLine { json: true }, _) => Manner::Silent,
            (Sink::CommandLine { json: false }, true) => Manner::Bar,
            (Sink::CommandLine { json: false }, false) => Manner::Lines,
        };
        let bar = passing_line(matches!(manner, Manner::Bar));
        Self { manner, bar, last: RefCell::default(), stage: Cell::default(), said: RefCell::default() }
    }

    pub fn event(&self, event: HaulEvent) {
        if !matches!(event, HaulEvent::Waiting { .. }) {
            self.said.take();
        }
        if matches!(self.manner, Manner::Silent) {
            return;
        }
        match event {
            HaulEvent::Progress(progress) => self.progress(&progress),
            HaulEvent::Stage { title, stage, .. } => {
                self.stage.set(Some(stage));
                self.line(&format!("{}: {}", line(&title), crate::present::stage(stage)));
            }
            HaulEvent::Waiting { title, findings, .. } => {
                let text = crate::present::waiting(&title, &findings);
                // It is told every second, and new once.
                if self.said.replace(text.clone()) != text {
                    self.line(&text);
                }
            }
            HaulEvent::Hung { title, path, seconds, .. } => self.line(&crate::present::hung(&title, &path, seconds)),
            HaulEvent::Failed { title, why, .. } => self.line(&format!("{}: {}", line(&title), line(&why))),
            HaulEvent::Released { title, bytes, left, .. } => {
                let stays = if left > 0 {
                    format!(", {} changed since and stay there", words::several(left, "file"))
                } else {
                    String::new()
                };
                self.line(&format!("{}: {bytes} of originals released{stays}", line(&title)));
            }
            HaulEvent::Searching => self.line(words::SEARCHING),
            // Several games that leave nothing behind are no news one by one.
            HaulEvent::Searched { residue, .. } if residue.places == 0 => {}
            HaulEvent::Searched { title, residue, .. } => {
                self.line(&format!("{}: {}", line(&title), words::residue(&residue)));
            }
            HaulEvent::Proved { title, proof, .. } => {
                self.line(&format!("{}: {}", line(&title), crate::present::proof(&proof)));
            }
        }
    }

    fn line(&self, text: &str) {
        if let Manner::To(teller) = &self.manner {
            teller.say(Told::Lines(text.into()));
            return;
        }
        self.bar.suspend(|| {
            #[expect(clippy::let_underscore_must_use, reason = "what is said aside is no fault when nobody hears it")]
            let _ = if stderr().is_terminal() {
                writeln!(stderr(), "{}", isolated(text))
            } else {
                writeln!(stderr(), "{text}")
            };
        });
    }

    fn progress(&self, progress: &Progress) {
        let (copy, compare) = (progress.copy, progress.compare);
        let all = copy.all.count() + compare.all.count();
        let part = if all == 0 { 1.0 } else { (copy.done.count() + compare.done.count()) as f64 / all as f64 };
        let amount =
            if copy.all.count() > 0 { format!("copied {} of {}, ", copy.done, copy.all) } else { String::new() };
        let left = progress.left.map_or_else(String::new, |left| format!(", {} left", about(left)));
        let done = if matches!(self.stage.get(), Some(StageKind::Releasing | StageKind::Cancelling)) {
            "removed"
        } else {
            "verified"
        };
        let rate = if progress.rate > 0.0 { format!("  {:.0} MB/s", progress.rate / 1e6) } else { String::new() };
        let bad = if progress.unreadable.count() > 0 {
            format!(", {} unreadable", progress.unreadable)
        } else {
            String::new()
        };
        let again = if progress.repaired > 0 {
            format!(", {} copied again", words::several(progress.repaired, "block"))
        } else {
            String::new()
        };
        let text = format!(
            "{:3.0}% {}  {amount}{done} {} of {}{rate}{left}{bad}{again}",
            part * 100.0,
            pad(&line(&progress.title), 22),
            compare.done,
            compare.all,
        );
        if let Manner::To(teller) = &self.manner {
            teller.say(Told::Passing(text));
            return;
        }
        if matches!(self.manner, Manner::Bar) {
            let full = (part * 10.0).round() as usize;
            let bar: String = (0..10).map(|n| if n < full { '=' } else { '.' }).collect();
            self.bar.set_message(format!("{bar} {}", isolated(&text)));
            return;
        }
        // Without a terminal a line per tenth is enough for a log.
        let step = (part * 10.0) as u64;
        if self.last.borrow_mut().insert(progress.title.clone(), step) != Some(step) {
            self.line(&text);
        }
    }

    /// Leaves the line of the bar.
    pub fn end(&self) {
        self.bar.finish_and_clear();
    }
}
