//! A sheet: a text over the view, such as what a command tells while it is done, or what would be written into a file.

use crate::tui::model::{Act, Leaving, Sheet, Then, Tone};
use std::path::Path;

use ratatui::crossterm::event::KeyCode;

use super::state::State;
use super::tasks::Task;
use crate::commands::Wish;
use crate::present::{Fault, path};
use crate::service::Told;

impl State {
    /// Begins something that tells what it does in a sheet.
    pub(crate) fn do_task(&mut self, task: Task) -> Vec<Act> {
        if self.over.sheet.as_ref().is_some_and(|sheet| sheet.task.is_some()) {
            self.over.message = Some("Something else is running. Press esc to stop it.".into());
            return Vec::new();
        }
        if !self.idle() && task.needs_journal() {
            self.over.message = Some("Something is running. Try again when it is done.".into());
            return Vec::new();
        }
        self.work.tasks += 1;
        let hauls = matches!(task, Task::Pack(..) | Task::Guided(..) | Task::Take(..));
        let mut sheet = Sheet { task: Some(self.work.tasks), hauls, ..Sheet::new(task.words()) };
        // What writes is looked at first, and started by the key that starts hauls.
        if let Task::PackPlan(what, drive) = &task {
            let then = Then::Task(Task::Pack(what.clone(), drive.clone()));
            sheet.then = Some((KeyCode::Char('S'), "starts it", then));
        }
        self.over.sheet = Some(sheet);
        vec![Act::Do(self.work.tasks, task)]
    }

    fn sheet_of(&mut self, id: u64) -> Option<&mut Sheet> {
        self.over.sheet.as_mut().filter(|sheet| sheet.task == Some(id))
    }

    pub(crate) fn told(&mut self, id: u64, told: Told) {
        let Some(sheet) = self.sheet_of(id) else { return };
        match told {
            Told::Lines(text) => sheet.add(&text),
            Told::Passing(text) => sheet.passing = text,
            Told::Asked(answers) => (sheet.answers, sheet.passing) = (answers, String::new()),
        }
    }

    pub(crate) fn task_done(&mut self, id: u64, result: Result<u8, Fault>) -> Vec<Act> {
        let leaving = self.work.leaving == Leaving::Paused;
        let Some(sheet) = self.sheet_of(id) else { return Vec::new() };
        (sheet.task, sheet.passing, sheet.answers) = (None, String::new(), 0);
        if leaving {
            return vec![Act::Leave];
        }
        match result {
            Err(fault) => {
                sheet.then = None;
                sheet.lines.extend(fault.text().split('\n').map(|line| (Tone::Danger, line.to_string())));
            }
            Ok(_) if sheet.lines.is_empty() => sheet.lines.push((Tone::Text, "Done.".into())),
            Ok(_) => {}
        }
        // What was done may have changed what lies where; until a haul that it has made is known, none is meant by an act.
        self.work.looking |= sheet.hauls;
        vec![Act::Survey]
    }

    pub(crate) fn sheet_key(&mut self, wish: Option<Wish>, code: KeyCode) -> Vec<Act> {
        let Some(sheet) = &mut self.over.sheet else { return Vec::new() };
        if let KeyCode::Char(digit) = code
            && let Some(nth) =
                digit.to_digit(10).map(|nth| nth as usize).filter(|nth| (1..=sheet.answers).contains(nth))
        {
            sheet.answers = 0;
            sheet.lines.push((Tone::Strong, format!("  {nth}")));
            return vec![Act::AnswerTask(nth - 1)];
        }
        let most = sheet.lines.len().saturating_sub(1);
        let by = match wish {
            Some(Wish::Down) => 1,
            Some(Wish::Up) => -1,
            Some(Wish::PageDown) => 15,
            Some(Wish::PageUp) => -15,
            Some(Wish::First) => isize::MIN / 2,
            Some(Wish::Last) => isize::MAX / 2,
            _ => 0,
        };
        if by != 0 {
            sheet.top = (sheet.top as isize).saturating_add(by).clamp(0, most as isize) as usize;
            return Vec::new();
        }
        if let Some((_, _, then)) = sheet.then.clone().filter(|(key, ..)| *key == code && sheet.task.is_none()) {
            self.over.sheet = None;
            return match then {
                Then::Task(task) => self.do_task(task),
            };
        }
        match code {
            // What is being done is stopped at its next block, and says so.
            KeyCode::Esc if sheet.task.is_some() => {
                (sheet.passing, sheet.answers) = ("stopping ...".into(), 0);
                return vec![Act::StopTask];
            }
            KeyCode::Esc | KeyCode::Enter if sheet.task.is_none() => {
                self.over.sheet = None;
            }
            _ if wish == Some(Wish::Quit) && sheet.task.is_none() => self.over.sheet = None,
            _ => {}
        }
        Vec::new()
    }

    /// Shows what would be written for the item under the cursor, file by file.
    pub(crate) fn show_files(&mut self) {
        let Some(item) = self.haul.plan.as_ref().and_then(|plan| plan.items.get(self.haul.item)) else { return };
        let mut sheet = Sheet::new(format!("Records of {}, file by file", item.title));
        let mut files: Vec<&Path> = item.previews.iter().map(|preview| preview.file.as_path()).collect();
        files.dedup();
        let mut seen = Vec::new();
        for file in files {
            if seen.contains(&file) {
                continue;
            }
            seen.push(file);
            if !sheet.lines.is_empty() {
                sheet.lines.push((Tone::Text, String::new()));
            }
            sheet.lines.push((Tone::Strong, path(file)));
            for preview in item.previews.iter().filter(|preview| preview.file == *file) {
                let kind = crate::present::preview_kind(preview.kind);
                sheet.lines.push((Tone::Dim, format!("  {} {kind}", preview.location)));
                let side = |tone, sign: &'static str, text: &str| -> Vec<(Tone, String)> {
                    text.lines().map(|line| (tone, format!("    {sign} {line}"))).collect()
                };
                sheet.lines.extend(side(Tone::Old, "-", &preview.before));
                sheet.lines.extend(side(Tone::New, "+", &preview.after));
            }
        }
        if sheet.lines.is_empty() {
            sheet.lines.push((Tone::Text, "No records change.".into()));
        }
        self.over.sheet = Some(sheet);
    }
}
