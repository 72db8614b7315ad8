//! The line that is typed: names, sizes, paths. Also what fills a draft from it: suggestions, and drafts kept under names.

use crate::tui::model::{Act, Errand, Typed, Typing};
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::Policy;
use deft_barge_core::plan::{Aim, Destination, DraftFile, Import, WhatIf, suggest};
use ratatui::crossterm::event::{Event as Input, KeyCode, KeyEvent};
use tui_input::InputRequest;
use tui_input::backend::crossterm::EventHandler;

use super::state::State;
use super::tasks::Task;
use crate::present::words;
use crate::service::Completed;

impl State {
    pub(crate) fn type_in(&mut self, what: Typed, text: impl Into<String>) {
        self.over.typing = Some(Typing::new(what, text.into()));
    }

    /// Takes a key into what is typed.
    pub(crate) fn type_on(&mut self, mut typing: Typing, key: KeyEvent) -> Vec<Act> {
        match key.code {
            KeyCode::Esc => {
                if typing.what == Typed::SearchLog {
                    self.search_log("");
                }
                return Vec::new();
            }
            KeyCode::Enter => {
                self.remember_typed(typing.text());
                return self.typed(typing);
            }
            KeyCode::Tab => {
                let wanted = typing.what.wanted().map(|wanted| Act::Complete(wanted, typing.text().into()));
                self.over.typing = Some(typing);
                return wanted.into_iter().collect();
            }
            KeyCode::Up => self.typed_before(&mut typing, true),
            KeyCode::Down => self.typed_before(&mut typing, false),
            // What every text field knows: the cursor by character and word, to both ends, and what removes.
            _ => drop(typing.input.handle_event(&Input::Key(key))),
        }
        typing.more.clear();
        if typing.what == Typed::SearchLog {
            self.search_log(typing.text());
        }
        self.over.typing = Some(typing);
        Vec::new()
    }

    /// Takes what a field was filled up with, unless something else was typed meanwhile.
    pub(crate) fn completed(&mut self, asked: &str, completed: Completed) {
        if let Some(typing) = self.over.typing.as_mut().filter(|typing| typing.text() == asked) {
            typing.input = completed.text.into();
            typing.more = completed.more;
        }
    }

    /// Keeps what was typed, the newest last and each once.
    fn remember_typed(&mut self, text: &str) {
        const MOST: usize = 50;
        if !text.trim().is_empty() {
            self.over.typed.retain(|known| known != text);
            self.over.typed.push(text.into());
            let over = self.over.typed.len().saturating_sub(MOST);
            self.over.typed.drain(..over);
        }
    }

    /// Puts what was typed before into the field, one further back or one less.
    fn typed_before(&mut self, typing: &mut Typing, further: bool) {
        let back = if further { typing.back + 1 } else { typing.back.saturating_sub(1) };
        let Some(at) = self.over.typed.len().checked_sub(back) else { return };
        typing.back = back;
        typing.input = self.over.typed.get(at).cloned().unwrap_or_default().into();
    }

    /// Takes what is pasted into whatever is being typed.
    pub(crate) fn paste(&mut self, text: &str) {
        let text: String = text.lines().next().unwrap_or_default().chars().filter(|c| !c.is_control()).collect();
        if let Some(typing) = &mut self.over.typing {
            put_in(&mut typing.input, &text);
            if typing.what == Typed::SearchLog {
                let text = typing.text().to_string();
                self.search_log(&text);
            }
        } else if let Some(chooser) = &mut self.over.chooser {
            put_in(&mut chooser.input, &text);
            self.choices();
        } else {
            self.over.message = Some("No field to paste into.".into());
        }
    }

    fn typed(&mut self, typing: Typing) -> Vec<Act> {
        let text = typing.text().trim().to_string();
        if text.is_empty() {
            return Vec::new();
        }
        match typing.what {
            // It is shown already.
            Typed::SearchLog => {}
            Typed::Room => match text.parse::<Bytes>() {
                Ok(bytes) => self.suggested(|drive| Aim::Free { drive, bytes }),
                Err(why) => self.over.message = Some(format!("{why}.")),
            },
            Typed::SaveAs if text.starts_with('.') || text.contains('/') => {
                self.over.message = Some("A draft's name has no slashes.".into());
            }
            Typed::SaveAs => {
                let Some(survey) = &self.survey else { return Vec::new() };
                let file =
                    DraftFile::of(survey, &self.drafted.draft, self.drafted.policy, self.drafted.what_if.clone());
                return vec![Act::Save(text, Box::new(file))];
            }
            Typed::WhatIf => return self.think_of(&text),
            Typed::Trace => return self.do_task(Task::Trace(self.whole(&text))),
            Typed::DataOf(game) => return self.do_task(Task::AddData(game, self.whole(&text))),
            Typed::ForgetData => return self.do_task(Task::ForgetData(self.whole(&text))),
            Typed::Pack(drive) => return self.do_task(Task::PackPlan(text, drive)),
            Typed::CheckPack => return self.do_task(Task::CheckPack(self.whole(&text))),
            Typed::ImportAs => {
                let parts = text.split_once('/').filter(|(launcher, id)| !launcher.is_empty() && !id.is_empty());
                let (Some((launcher, id)), Some(find)) = (parts, self.find_here()) else {
                    self.over.message = Some("Type it as LAUNCHER/ID.".into());
                    return Vec::new();
                };
                let import = Import {
                    path: find.path.clone(),
                    launcher: launcher.into(),
                    id: id.into(),
                    title: None,
                    program: None,
                    to: None,
                };
                return self.consider(Errand::Import(Box::new(import)));
            }
            Typed::Remap => {
                let Some((old, new)) = two_paths(&text) else {
                    self.over.message =
                        Some("Type two paths with a space between them; quote a path that contains a space.".into());
                    return Vec::new();
                };
                return self.consider(Errand::Remap(self.whole(&old), self.whole(&new)));
            }
            Typed::RepairFrom(file) => return self.do_task(Task::Take(file, self.whole(&text))),
            Typed::ExportTo(haul, item) => return self.do_task(Task::Export(haul, item, self.whole(&text))),
        }
        Vec::new()
    }

    /// A typed path: from the home with a tilde, as shells have it.
    fn whole(&self, text: &str) -> PathBuf {
        match text.strip_prefix("~/") {
            Some(rest) => self.first.home.join(rest),
            None => Path::new(text).into(),
        }
    }

    /// Reckons with a drive that is not there yet, from now on.
    fn think_of(&mut self, text: &str) -> Vec<Act> {
        match text.parse::<WhatIf>() {
            Ok(drive) => {
                self.over.message =
                    Some(format!("Added {}. You can plan with it, but not haul to it yet.", drive.name));
                self.drafted.what_if.retain(|other| other.name != drive.name);
                self.drafted.what_if.push(drive);
                vec![Act::Survey]
            }
            Err(why) => {
                self.over.message = Some(format!("{why}."));
                Vec::new()
            }
        }
    }

    /// Takes up a draft that was read, if it fits what is there.
    pub(crate) fn opened(&mut self, file: &DraftFile) {
        let Some(survey) = &self.survey else { return };
        match file.fit(survey) {
            Ok(draft) => {
                let then = if file.policy == Policy::Release {
                    " Originals are deleted as soon as their copies are proved."
                } else {
                    ""
                };
                self.over.message = Some(format!("Opened: {} on this haul.{then}", games(draft.items.len())));
                self.drafted.draft = draft;
                self.drafted.policy = file.policy;
                self.redraft();
            }
            Err(misfits) => {
                let what: Vec<String> = misfits.iter().map(crate::present::misfit).collect();
                self.over.message = Some(format!("The draft no longer matches this PC: {}.", what.join("; ")));
            }
        }
    }

    /// Puts a suggestion for the drive in focus into the draft; what was there of other games stays.
    pub(crate) fn suggested(&mut self, aim: impl FnOnce(String) -> Aim) {
        let Some(survey) = &self.survey else { return };
        let Some(drive) = survey.drives.get(self.drives.drive).map(|state| state.drive.name.clone()) else { return };
        let suggestion = suggest(survey, &aim(drive.clone()));
        let mut parts: Vec<String> = Vec::new();
        match suggestion.lines.len() {
            0 => parts.push(format!("Nothing to suggest for {drive}.")),
            n => {
                parts.push(format!("Suggested: {}. A drive's number changes one, 0 takes it off.", games(n)));
            }
        }
        if let [line] = &suggestion.lines[..] {
            let why: Vec<String> = line.why.iter().map(|why| crate::present::why(why, survey.made)).collect();
            parts.push(format!("{} to {}: {}.", line.title, line.to, why.join(", ")));
        }
        parts.extend(suggestion.misses.iter().map(crate::present::miss));
        for line in suggestion.lines {
            self.drafted.draft.send(line.game, Destination::Drive(line.to));
        }
        self.over.message = Some(parts.join(" "));
        self.redraft();
    }
}

fn games(count: usize) -> String {
    words::several(count, "game")
}

/// Two paths with a blank between them; one that holds a blank stands in quotes.
fn two_paths(text: &str) -> Option<(String, String)> {
    let mut parts = Vec::new();
    let mut rest = text.trim();
    while !rest.is_empty() {
        let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\''));
        let (part, then) = match quote {
            Some(quote) => rest[1..].split_once(quote)?,
            None => rest.split_once(' ').unwrap_or((rest, "")),
        };
        parts.push(part.to_string());
        rest = then.trim_start();
    }
    let [old, new] = <[String; 2]>::try_from(parts).ok()?;
    Some((old, new))
}

/// Puts a text where the cursor of a field is.
fn put_in(input: &mut tui_input::Input, text: &str) {
    for c in text.chars() {
        input.handle(InputRequest::InsertChar(c));
    }
}

#[cfg(test)]
mod tests {
    use super::two_paths;

    #[test]
    fn two_paths_are_told_apart_with_blanks_in_them_too() {
        let pair = |a: &str, b: &str| Some((a.to_string(), b.to_string()));
        assert_eq!(two_paths("/a  /b"), pair("/a", "/b"));
        assert_eq!(two_paths("'/old disk' \"/new disk\""), pair("/old disk", "/new disk"));
        assert_eq!((two_paths("/a"), two_paths("'/a /b"), two_paths("a b c")), (None, None, None));
    }
}
