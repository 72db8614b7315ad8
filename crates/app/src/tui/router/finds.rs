//! What is done with the find under the cursor of Cleanup.

use super::super::state::State;
use super::super::tasks::Task;
use crate::tui::model::{Act, Answer, Errand, Question, Typed};
use deft_barge_core::plan::Import;
use deft_barge_core::survey::{CleanupAct, CleanupFind, FindKind};

impl State {
    /// Brings an unlisted game to a drive: imported where a content list says what it is, else with all records that a trace finds.
    pub(super) fn bring_find(&mut self, drive: String) -> Vec<Act> {
        let Some(find) = self.find_here().cloned() else { return Vec::new() };
        match (&find.what, import_of(&find)) {
            (_, Some(import)) => self.consider(Errand::Import(Box::new(Import { to: Some(drive), ..import }))),
            (FindKind::Unlisted { .. }, None) => self.consider(Errand::Traced(find.path, drive, Vec::new())),
            _ => {
                self.over.message = Some("Only an unlisted game can be moved from here.".into());
                Vec::new()
            }
        }
    }

    pub(super) fn import_guided(&mut self) -> Vec<Act> {
        let Some(import) = self.find_here().and_then(import_of) else {
            self.over.message = Some("It matches no launcher's content list.".into());
            return Vec::new();
        };
        if !self.has_guide(&import.launcher) {
            self.over.message =
                Some(format!("The profile of {} has no guide. Import it without one.", import.launcher));
            return Vec::new();
        }
        let text = "Move the files to where the launcher looks, then follow its steps one by one?";
        self.over.question =
            Some(Question::yes(text, Answer::Task(Task::Guided(import.path, import.launcher, import.id))));
        Vec::new()
    }

    /// Does what fits the find under the cursor: its plan is looked at in the Haul view before anything is done.
    pub(super) fn act_on_find(&mut self, act: CleanupAct) -> Vec<Act> {
        let Some((find, anchors)) = &self.cleanup.finds else { return Vec::new() };
        let here =
            find.get(self.cleanup.find.saturating_sub(anchors.len())).filter(|_| self.cleanup.find >= anchors.len());
        if let (CleanupAct::Import, Some(FindKind::Unlisted { fits: None, .. })) = (act, here.map(|find| &find.what)) {
            // No content list says what it is: the person does.
            self.type_in(Typed::ImportAs, "");
            return Vec::new();
        }
        let errand = match (anchors.get(self.cleanup.find), find.get(self.cleanup.find.saturating_sub(anchors.len()))) {
            (Some(anchor), _) if act == CleanupAct::Remap => Errand::Remap(anchor.old.clone(), anchor.new.clone()),
            (None, Some(find)) if find.acts.contains(&act) => match (act, import_of(find)) {
                (CleanupAct::Import, Some(import)) => Errand::Import(Box::new(import)),
                (CleanupAct::Remap, _) => {
                    self.type_in(Typed::Remap, format!("'{}' ", find.path.display()));
                    return Vec::new();
                }
                (CleanupAct::Haul | CleanupAct::Import, _) => {
                    self.over.message =
                        Some("Press a drive's number to move it there, with all records that a trace finds.".into());
                    return Vec::new();
                }
                _ => Errand::Removal(Box::new(find.clone()), act),
            },
            _ => {
                self.over.message = Some("That can't be done with this one; what can be is in its row.".into());
                return Vec::new();
            }
        };
        self.consider(errand)
    }

    /// Asks for another copy of the first file that could not be read.
    pub(crate) fn ask_for_copy(&mut self) -> Vec<Act> {
        self.cleanup.wants_copy = false;
        let items = self.unfinished().into_iter().flat_map(|haul| &haul.items);
        let bad = items.flat_map(|item| item.unreadable.iter().map(move |bad| (item, bad.path.clone()))).next();
        let Some((item, path)) = bad else {
            self.over.message = Some("This haul has no unreadable files.".into());
            return Vec::new();
        };
        let Some((find, _)) = &self.cleanup.finds else {
            // An old copy of the game that lies about may have it.
            self.cleanup.wants_copy = true;
            self.over.message = Some("Looking for another copy ...".into());
            return vec![Act::Find];
        };
        let copy = find.iter().find(|l| matches!(&l.what, FindKind::OldCopy { of, .. } if *of == item.planned.game));
        let text = copy.map_or(String::new(), |find| find.path.join(&path).to_string_lossy().into_owned());
        self.type_in(Typed::RepairFrom(path), text);
        Vec::new()
    }
}

/// What an unlisted game would be imported as, by the content list that it fits.
fn import_of(find: &CleanupFind) -> Option<Import> {
    match &find.what {
        FindKind::Unlisted { fits: Some(fit), .. } => Some(Import {
            path: find.path.clone(),
            launcher: fit.launcher.clone(),
            id: fit.id.clone(),
            title: fit.title.clone(),
            program: None,
            to: None,
        }),
        _ => None,
    }
}
