//! A new profile, guided: a game's folder is traced, what was found is seen, the launcher is named, and the profile is written
//! and checked.

use crate::tui::model::{Act, Guide, Sheet, Then, Tone, Typed};
use std::path::PathBuf;

use deft_barge_core::trace::{Sure, Trace};
use ratatui::crossterm::event::KeyCode;

use super::state::State;
use crate::present::{Fault, line, path as shown, words};

impl State {
    /// Begins a new profile with a trace.
    pub(crate) fn trace_for_profile(&mut self, path: PathBuf) -> Vec<Act> {
        self.tasks += 1;
        let title = format!("Looking for every place where {} is written down", path.display());
        self.sheet = Some(Sheet { task: Some(self.tasks), ..Sheet::new(title) });
        vec![Act::Trace(self.tasks, path)]
    }

    /// Shows what was traced; Enter goes on.
    pub(crate) fn traced(&mut self, id: u64, trace: Result<Trace, Fault>) {
        let Some(sheet) = self.sheet.as_mut().filter(|sheet| sheet.task == Some(id)) else { return };
        (sheet.task, sheet.passing) = (None, String::new());
        let trace = match trace {
            Ok(trace) => trace,
            Err(fault) => {
                sheet.lines.push((Tone::Danger, fault.text()));
                return;
            }
        };
        let sure = trace.sure().count();
        sheet.title = format!("A new profile, from {}", trace.path.display());
        let head = format!(
            "{} this path; {sure} of them can be rewritten.",
            words::plural(trace.finds.len(), "place says", "places say")
        );
        sheet.lines = vec![(Tone::Strong, head), (Tone::Text, String::new())];
        let mut file = None;
        for find in &trace.finds {
            if file != Some(&find.record.file) {
                sheet.lines.push((Tone::Text, shown(&find.record.file)));
                file = Some(&find.record.file);
            }
            let how = match find.sure {
                Sure::Certain => "certain",
                Sure::Likely => "likely",
                Sure::NameOnly => "the name alone",
                Sure::Unreadable => "cannot be rewritten",
                Sure::Log => "left: a log",
                Sure::Backup => "left: a backup",
                Sure::Cache => "left: a cache",
            };
            let what = format!("  {:20} {} = {}", how, line(&find.record.location), line(&find.record.text));
            sheet.lines.push((if find.sure <= Sure::Likely { Tone::Text } else { Tone::Dim }, what));
        }
        if sure == 0 {
            sheet.lines.push((Tone::Danger, "No list of games was found to make a profile from.".into()));
            return;
        }
        sheet.then = Some((KeyCode::Enter, "names the launcher", Then::Guide));
        self.guide = Some(Guide { trace, written: None });
    }

    /// Goes on after what was shown: to the name, and after the check to the launcher's games.
    pub(crate) fn go_on_guiding(&mut self) -> Vec<Act> {
        match &self.guide {
            Some(Guide { written: None, .. }) => self.type_in(Typed::ProfileName, ""),
            Some(_) => {
                self.guide = None;
                return vec![Act::Survey];
            }
            None => {}
        }
        Vec::new()
    }

    pub(crate) fn name_profile(&mut self, name: &str) -> Vec<Act> {
        if !name.chars().any(char::is_alphanumeric) {
            self.message = Some("A name with a letter or a figure is wanted.".into());
            return Vec::new();
        }
        vec![Act::Draft(name.into())]
    }

    /// Shows what the check says of a profile that was written.
    pub(crate) fn drafted(&mut self, guide: Result<Guide, Fault>) -> Vec<Act> {
        match guide {
            Ok(guide) => {
                let (path, told) = guide.written.clone().unwrap_or_default();
                let mut sheet = Sheet::new(format!("Written to {}", path.display()));
                sheet.lines = told.into_iter().map(|text| (Tone::Text, text)).collect();
                let then =
                    "Its games are in the Drives view from now on. Read the profile, and correct what the check found.";
                sheet.lines.extend([(Tone::Text, String::new()), (Tone::Strong, then.into())]);
                sheet.then = Some((KeyCode::Enter, "shows its games", Then::Guide));
                self.sheet = Some(sheet);
                self.guide = Some(guide);
                vec![Act::Survey]
            }
            Err(fault) => {
                let mut sheet = Sheet::new("No profile was written");
                sheet.lines = fault.text().split('\n').map(|text| (Tone::Danger, text.to_string())).collect();
                self.sheet = Some(sheet);
                Vec::new()
            }
        }
    }
}
