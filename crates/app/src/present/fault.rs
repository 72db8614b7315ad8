//! The one place that turns an error into a kind, a sentence, a hint and an exit code.

use serde_json::Value;

use std::error::Error;
use std::io::{IsTerminal, Write, stderr, stdout};

use deft_barge_core::haul::{HaulError, StartError};
use deft_barge_core::item::Finding;
use deft_barge_core::journal::JournalError;
use deft_barge_core::site::SiteError;
use serde_json::json;

use super::direction::isolated;
use super::json::{document, json_text};
use super::text::visible;
use super::words;

/// What kind of failure it is; each has an exit code.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    Failed,
    Usage,
    Refused,
    Difference,
    Interrupted,
}

/// A failure as a person reads it.
#[derive(Clone, Debug)]
pub struct Fault {
    pub kind: Kind,
    pub sentence: String,
    pub hint: String,
    pub findings: Vec<Finding>,
}

impl Fault {
    pub fn new(kind: Kind, sentence: impl Into<String>, hint: impl Into<String>) -> Self {
        Self { kind, sentence: sentence.into(), hint: hint.into(), findings: Vec::new() }
    }

    pub fn usage(sentence: impl Into<String>, hint: impl Into<String>) -> Self {
        Self::new(Kind::Usage, sentence, hint)
    }

    /// What is wrong with the arguments: the first line says it, the others what there is instead.
    pub fn of_arguments(error: &clap::Error) -> Self {
        let text = error.to_string();
        let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
        let what = lines.next().unwrap_or_default();
        let what = what.strip_prefix("error: ").unwrap_or(what).to_string();
        Self::usage(what, lines.collect::<Vec<_>>().join(" "))
    }

    pub fn refused(findings: Vec<Finding>, hint: impl Into<String>) -> Self {
        let sentence = "Blocked; nothing changed.";
        Self { findings, ..Self::new(Kind::Refused, sentence, hint) }
    }

    pub fn code(&self) -> u8 {
        match self.kind {
            Kind::Failed => 1,
            Kind::Usage => 2,
            Kind::Refused => 3,
            Kind::Difference => 4,
            Kind::Interrupted => 5,
        }
    }

    fn word(&self) -> &'static str {
        match self.kind {
            Kind::Failed => "failed",
            Kind::Usage => "usage",
            Kind::Refused => "refused",
            Kind::Difference => "difference",
            Kind::Interrupted => "interrupted",
        }
    }

    /// The sentence and the hint, with control characters made visible.
    pub fn text(&self) -> String {
        let mut text = visible(&self.sentence);
        for finding in &self.findings {
            text.push_str(&format!("\n  {}", words::finding(finding)));
        }
        if !self.hint.is_empty() {
            text.push_str(&format!("\n{}", visible(&self.hint)));
        }
        text
    }

    pub fn print(&self, json: bool) {
        if json {
            let findings: Vec<_> = self.findings.iter().map(words::finding_json).collect();
            let value = json!({ "error": self.word(), "what": self.sentence, "now": self.hint, "findings": findings });
            if writeln!(stdout().lock(), "{}", json_text(&document("error", value))).is_ok() {
                return;
            }
        }
        let text = self.text();
        let text = if stderr().is_terminal() { isolated(&text) } else { text.as_str().into() };
        say_aside(&format!("deft-barge: {text}"));
    }
}

/// Says something beside the output. Where nobody can hear it, the work goes on, and the exit code tells how it ended.
pub(crate) fn say_aside(text: &str) {
    #[expect(clippy::let_underscore_must_use, reason = "there is nowhere left to say that it could not be said")]
    let _ = writeln!(stderr().lock(), "{text}");
}

/// An error and its causes in one line.
fn with_causes(error: &dyn Error) -> String {
    let mut text = error.to_string();
    let mut cause = error.source();
    while let Some(error) = cause {
        let more = error.to_string();
        if !text.contains(&more) {
            text = format!("{text}: {more}");
        }
        cause = error.source();
    }
    text
}

impl From<SiteError> for Fault {
    fn from(error: SiteError) -> Self {
        let hint = match error {
            SiteError::World { .. } => "Correct the file, or make a new world with: deft-barge demo --dir DIR",
            SiteError::Read { .. } => "Check that it exists and that you can read it.",
        };
        Self::usage(sentence(&with_causes(&error)), hint)
    }
}

impl From<JournalError> for Fault {
    fn from(error: JournalError) -> Self {
        let (kind, hint) = match &error {
            JournalError::Locked { .. } => (Kind::Refused, "Wait until the other one ends, or close it."),
            JournalError::Folder { .. } => (Kind::Failed, "Check that you can write to the state folder."),
            JournalError::Full { .. } => (
                Kind::Failed,
                "Free some space on that drive, then run: deft-barge resume. The journal is complete up to there.",
            ),
            JournalError::Database { .. } | JournalError::Row { .. } => (
                Kind::Refused,
                "Nothing changed. Check it with: deft-barge journal check. Keep the file: unreleased hauls can be undone only with it.",
            ),
            JournalError::Version { .. } => (Kind::Refused, "Use the version of Deft Barge that made it."),
        };
        Self::new(kind, sentence(&with_causes(&error)), hint)
    }
}

impl Fault {
    /// That a game was not started, and why.
    pub fn of_start(title: &str, error: &StartError) -> Self {
        let why = match error {
            StartError::Place(fault) => format!(": {}", super::words::place_fault(fault)),
            StartError::Spawn { source, .. } => format!(": {source}"),
            _ => String::new(),
        };
        let now = "Name its program with deft-barge launch --program, or launch it in its launcher.";
        Self::new(Kind::Refused, format!("Couldn't launch {title}: {error}{why}."), now)
    }
}

impl From<HaulError> for Fault {
    fn from(error: HaulError) -> Self {
        const RESUME: &str = "Nothing deleted. Resume with: deft-barge resume. Cancel that game with: deft-barge undo --rest, or undo all with: deft-barge undo";
        let text = sentence(&with_causes(&error));
        match error {
            HaulError::Journal(error) => error.into(),
            HaulError::Refused(findings) => Self::refused(findings, ""),
            HaulError::Paused => {
                Self::new(Kind::Interrupted, "Paused.", "Resume with: deft-barge resume. Or undo with: deft-barge undo")
            }
            HaulError::Unfinished(id) => Self::new(
                Kind::Refused,
                format!("Haul {id} is unfinished; only one haul runs at a time."),
                "Resume with: deft-barge resume. Or undo it with: deft-barge undo",
            ),
            HaulError::Nothing(what) => Self::usage(sentence(&what.to_string()), "See: deft-barge log"),
            HaulError::Changed { .. } => Self::new(
                Kind::Refused,
                text,
                "Nothing removed. See what differs with: deft-barge verify; undo an unfinished haul with: deft-barge undo",
            ),
            HaulError::Differs { .. } => Self::new(Kind::Difference, text, RESUME),
            HaulError::Full { .. } => Self::new(Kind::Failed, text, format!("Make room there. {RESUME}")),
            HaulError::Unreadable { .. } => Self::new(
                Kind::Failed,
                text,
                format!(
                    "The drive can't read its own file. List such files with: deft-barge log. If you have another copy of one: deft-barge repair FILE --from COPY. {RESUME}"
                ),
            ),
            HaulError::Hung { .. } => Self::new(
                Kind::Interrupted,
                text,
                format!("The drive can't be trusted now. Check it and its cable. {RESUME}"),
            ),
            HaulError::NotThatFile { .. } => {
                Self::new(Kind::Refused, text, "Nothing changed. Choose another copy, or cancel that game.")
            }
            HaulError::SourceChanged { .. } => Self::new(
                Kind::Failed,
                text,
                format!(
                    "Close the program that writes there. If none does, the drive gives other bytes each time: check it and its cable. {RESUME}"
                ),
            ),
            HaulError::NoRoomYet { .. } => {
                Self::new(Kind::Interrupted, text, format!("Release them with: deft-barge release. {RESUME}"))
            }
            HaulError::Edit(_) | HaulError::Contents(_) => Self::new(Kind::Failed, text, RESUME),
            HaulError::Disk { .. } | HaulError::NotOurs { .. } | HaulError::Stage(_) | HaulError::NeedsRecovery => {
                Self::new(Kind::Failed, text, RESUME)
            }
        }
    }
}

/// Begins with a capital and ends with a full stop, unless the text is of several lines.
fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
    let text = if text.starts_with('/') { text.to_string() } else { first + letters.as_str() };
    let text = text.trim_end();
    if text.ends_with('.') || text.contains('\n') { text.into() } else { format!("{text}.") }
}

/// Turns a value of core into JSON.
pub fn to_json(value: &impl serde::Serialize) -> Result<Value, Fault> {
    serde_json::to_value(value)
        .map_err(|error| Fault::new(Kind::Failed, format!("Couldn't write a value as JSON: {error}."), ""))
}

#[cfg(test)]
mod tests {
    use super::*;
    use deft_barge_core::bytes::HaulId;
    use deft_barge_core::haul::NothingThere;
    use deft_barge_core::item::FindingKind;
    use deft_barge_core::survey::GameId;
    use std::io;

    #[test]
    fn every_error_says_what_and_what_now_and_has_its_exit_code() {
        let source = || io::Error::from_raw_os_error(5);
        let path = || std::path::PathBuf::from("/d/a\u{1b}[2Jb");
        let finding = Finding::about(&GameId("q/t".into()), "T", FindingKind::Sealed { reason: String::new() });
        let cases: Vec<(HaulError, u8)> = vec![
            (HaulError::Disk { act: "write", path: path(), source: source() }, 1),
            (HaulError::Full { path: path() }, 1),
            (HaulError::Unreadable { path: path(), from: 0, to: 9, count: 2 }, 1),
            (HaulError::Hung { path: path() }, 5),
            (HaulError::NotThatFile { path: path(), why: "its size differs" }, 3),
            (HaulError::SourceChanged { path: path() }, 1),
            (HaulError::NotOurs { path: path() }, 1),
            (HaulError::NeedsRecovery, 1),
            (HaulError::NoRoomYet { title: "T\u{1b}".into() }, 5),
            (HaulError::Nothing(NothingThere::NoHaul(HaulId(3))), 2),
            (HaulError::Changed { path: path(), count: 2 }, 3),
            (HaulError::Refused(vec![finding]), 3),
            (HaulError::Unfinished(HaulId(3)), 3),
            (HaulError::Journal(JournalError::Locked { path: path() }), 3),
            (HaulError::Journal(JournalError::Version { path: path(), found: 9 }), 3),
            (HaulError::Differs { path: path(), from: 8 }, 4),
            (HaulError::Paused, 5),
        ];
        for (error, code) in cases {
            let shown = error.to_string();
            let fault = Fault::from(error);
            assert_eq!(fault.code(), code, "{shown}");
            let text = fault.text();
            assert!(text.lines().count() >= 2, "{shown}: what, and what now: {text}");
            assert!(!text.contains('\u{1b}'), "{text}");
            assert!(text.starts_with(|c: char| c.is_uppercase() || c == '/'), "{text}");
        }
    }

    #[test]
    fn causes_stand_behind_the_sentence_once() {
        let error = HaulError::Disk { act: "flush", path: "/d/x".into(), source: io::Error::other("no answer") };
        assert_eq!(with_causes(&error), "couldn't flush /d/x: no answer");
        assert_eq!(sentence("couldn't flush /d/x: no answer"), "Couldn't flush /d/x: no answer.");
        assert_eq!(sentence("/d/x is there"), "/d/x is there.");
    }
}
