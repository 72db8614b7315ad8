//! What the Records view knows: launchers, their libraries, their games, and every record of a game.

use crate::tui::model::{Act, Errand, RecordRow};

use std::path::PathBuf;

use deft_barge_core::plan::LibraryWish;
use deft_barge_core::survey::{Game, Launcher};

use super::state::State;
use crate::commands::View;

impl State {
    /// Works out the lines, after a survey or when something is unfolded.
    pub(crate) fn relist_records(&mut self) {
        let Some(survey) = &self.survey else { return };
        let turned = &self.records.turned;
        let mut rows: Vec<RecordRow> = (0..survey.problems.len()).map(RecordRow::Problem).collect();
        let is_wrong = |game: &Game| game.fault().is_some() || game.found.records.iter().any(|record| !record.sound);
        let has_wrong = |launcher: &Launcher| {
            let mut games = survey.games.iter().filter(|game| game.launcher == launcher.id);
            launcher.drift.is_some() || !launcher.problems.is_empty() || games.any(is_wrong)
        };
        // What is wrong comes first, of launchers and of the games of each.
        let mut launchers: Vec<_> = survey.launchers.iter().enumerate().collect();
        launchers.sort_by_key(|(_, launcher)| !has_wrong(launcher));
        for (n, launcher) in launchers {
            rows.push(RecordRow::Launcher(n));
            if turned.contains(&launcher.id) {
                continue;
            }
            rows.extend((0..launcher.libraries.len()).map(|library| RecordRow::Library(n, library)));
            let of_launcher = survey.games.iter().enumerate().filter(|(_, game)| game.launcher == launcher.id);
            let mut games: Vec<_> = of_launcher.collect();
            games.sort_by_key(|(_, game)| !is_wrong(game));
            for (at, game) in games {
                rows.push(RecordRow::Game(at));
                if turned.contains(&game.id.0) {
                    rows.extend((0..game.found.records.len()).map(|record| RecordRow::Record(at, record)));
                }
            }
        }
        let here = self.records.rows.get(self.records.cursor).copied();
        let at = here.and_then(|here| rows.iter().position(|row| *row == here));
        self.records.cursor = at.unwrap_or(self.records.cursor).min(rows.len().saturating_sub(1));
        self.records.rows = rows;
    }

    /// The line under the cursor.
    pub fn record_row(&self) -> Option<RecordRow> {
        self.records.rows.get(self.records.cursor).copied()
    }

    /// Unfolds (`true`), folds, or whatever it is not now.
    pub(crate) fn unfold(&mut self, open: Option<bool>) {
        let (Some(row), Some(survey)) = (self.record_row(), &self.survey) else { return };
        let (id, is_open) = match row {
            RecordRow::Launcher(n) => {
                let id = survey.launchers[n].id.clone();
                let is_open = !self.records.turned.contains(&id);
                (id, is_open)
            }
            RecordRow::Game(n) => {
                let id = survey.games[n].id.0.clone();
                let is_open = self.records.turned.contains(&id);
                (id, is_open)
            }
            RecordRow::Record(game, _) if open != Some(true) => {
                let at = self.records.rows.iter().position(|row| *row == RecordRow::Game(game));
                self.records.cursor = at.unwrap_or(self.records.cursor);
                return;
            }
            _ => return,
        };
        if open.is_some_and(|open| open == is_open) {
            return;
        }
        if !self.records.turned.remove(&id) {
            self.records.turned.insert(id);
        }
        self.relist_records();
    }

    /// The id of the launcher that the line under the cursor belongs to.
    pub(crate) fn launcher_here(&self) -> Option<String> {
        let survey = self.survey.as_ref()?;
        match self.record_row()? {
            RecordRow::Launcher(n) | RecordRow::Library(n, _) => survey.launchers.get(n).map(|l| l.id.clone()),
            RecordRow::Game(n) | RecordRow::Record(n, _) => survey.games.get(n).map(|game| game.launcher.clone()),
            RecordRow::Problem(_) => None,
        }
    }

    /// The path that an act means: a find, or the game under the cursor.
    pub(crate) fn path_here(&self) -> Option<PathBuf> {
        if self.view == View::Cleanup || self.first_look() {
            return self.find_here().map(|find| find.path.clone());
        }
        let survey = self.survey.as_ref()?;
        match self.record_row().filter(|_| self.view == View::Records) {
            Some(RecordRow::Game(n) | RecordRow::Record(n, _)) => Some(survey.games.get(n)?.found.install.clone()),
            Some(RecordRow::Library(n, library)) => Some(survey.launchers.get(n)?.libraries.get(library)?.path.clone()),
            Some(_) => None,
            None => self.game_here().map(|game| game.found.install.clone()),
        }
    }

    /// Lets new installs go to the library under the cursor, once that was looked at.
    pub(crate) fn takes_installs(&mut self) -> Vec<Act> {
        let (Some(RecordRow::Library(n, library)), Some(survey)) = (self.record_row(), &self.survey) else {
            self.over.message = Some("Choose a library first.".into());
            return Vec::new();
        };
        let launcher = &survey.launchers[n];
        let errand =
            Errand::Library(launcher.id.clone(), LibraryWish::Default(launcher.libraries[library].path.clone()));
        self.consider(errand)
    }
}
