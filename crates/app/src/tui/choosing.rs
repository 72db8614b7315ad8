//! What fills a draft beside digits: suggestions, drafts that are kept under names, and the line that is typed for either.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Aim, Destination, DraftFile, Policy, suggest};
use ratatui::crossterm::event::KeyCode;

use super::state::{Act, State};

/// What is being typed, and what for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Typing {
    pub what: Typed,
    pub text: String,
}

/// What a typed text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Typed {
    /// How much room a suggestion should make.
    Room,
    /// The name that the draft is saved under.
    SaveAs,
    /// The name of a draft that is opened.
    Open,
}

impl State {
    pub(super) fn type_in(&mut self, what: Typed) {
        self.typing = Some(Typing { what, text: String::new() });
    }

    /// Takes a key into what is typed.
    pub(super) fn type_on(&mut self, mut typing: Typing, key: KeyCode) -> Vec<Act> {
        match key {
            KeyCode::Char(c) => typing.text.push(c),
            KeyCode::Backspace => drop(typing.text.pop()),
            KeyCode::Esc => return Vec::new(),
            KeyCode::Enter => return self.typed(&typing),
            _ => {}
        }
        self.typing = Some(typing);
        Vec::new()
    }

    fn typed(&mut self, typing: &Typing) -> Vec<Act> {
        let name = typing.text.trim().to_string();
        if typing.what == Typed::Room {
            match name.parse::<Bytes>() {
                Ok(bytes) => self.suggested(|drive| Aim::Free { drive, bytes }),
                Err(why) => self.message = Some(format!("{why}.")),
            }
            return Vec::new();
        }
        if name.is_empty() || name.starts_with('.') || name.contains('/') {
            self.message = Some("A name for a draft is a word or some, without slashes.".into());
            return Vec::new();
        }
        match (typing.what, &self.survey) {
            (Typed::SaveAs, Some(survey)) => {
                let file = DraftFile::of(survey, &self.draft, Policy::Hold, Vec::new());
                vec![Act::Save(name, Box::new(file))]
            }
            (Typed::Open, _) => vec![Act::Open(name)],
            _ => Vec::new(),
        }
    }

    /// Takes up a draft that was read, if it fits what is there.
    pub(super) fn opened(&mut self, file: &DraftFile) {
        let Some(survey) = &self.survey else { return };
        match file.fit(survey) {
            Ok(draft) => {
                self.message = Some(format!("Opened: {} on this haul.", games(draft.lots.len())));
                self.draft = draft;
                self.redraft();
            }
            Err(misfits) => {
                let what: Vec<String> = misfits.iter().map(crate::wording::misfit).collect();
                self.message = Some(format!("The draft does not fit what is there any more: {}.", what.join("; ")));
            }
        }
    }

    /// Puts a suggestion for the drive in focus into the draft; what was there of other games stays.
    pub(super) fn suggested(&mut self, aim: impl FnOnce(String) -> Aim) {
        let Some(survey) = &self.survey else { return };
        let Some(drive) = survey.drives.get(self.drive).map(|state| state.drive.name.clone()) else { return };
        let suggestion = suggest(survey, &aim(drive.clone()));
        let mut parts: Vec<String> = Vec::new();
        match suggestion.lines.len() {
            0 => parts.push(format!("Nothing to suggest for {drive}.")),
            n => {
                parts.push(format!("Suggested: {}. Change any by its digit; 0 takes it off.", games(n)));
            }
        }
        if let [line] = &suggestion.lines[..] {
            let why: Vec<String> = line.why.iter().map(|why| crate::wording::why(why, survey.made)).collect();
            parts.push(format!("{} to {}: {}.", line.title, line.to, why.join(", ")));
        }
        parts.extend(suggestion.misses.iter().map(crate::wording::miss));
        for line in suggestion.lines {
            self.draft.send(line.game, Destination::Drive(line.to));
        }
        self.message = Some(parts.join(" "));
        self.redraft();
    }
}

fn games(count: usize) -> String {
    if count == 1 { "one game".into() } else { format!("{count} games") }
}
