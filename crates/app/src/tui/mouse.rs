//! The mouse: what is clicked is what was drawn there; a block is dragged to another bar; the wheel goes through lists.

use ratatui::crossterm::event::{KeyCode, MouseButton, MouseEvent, MouseEventKind};

use super::canvas::{Hit, hit_at};
use super::state::State;
use crate::commands::View;
use crate::tui::model::{Act, Chooser, ESC, RecordRow};

impl State {
    pub(crate) fn mouse(&mut self, mouse: MouseEvent) -> Vec<Act> {
        let hit = hit_at(&self.look.hits, mouse.column, mouse.row);
        match mouse.kind {
            MouseEventKind::ScrollDown => self.wheel(3),
            MouseEventKind::ScrollUp => self.wheel(-3),
            MouseEventKind::Down(MouseButton::Left) => {
                self.over.message = None;
                return self.pressed(hit);
            }
            MouseEventKind::Drag(MouseButton::Left) => self.drag(mouse.column, mouse.row),
            MouseEventKind::Up(MouseButton::Left) => self.drop_dragged(),
            _ => {}
        }
        Vec::new()
    }

    fn wheel(&mut self, by: isize) {
        if let Some(sheet) = &mut self.over.sheet {
            let last = sheet.lines.len().saturating_sub(1) as isize;
            sheet.top = (sheet.top as isize + by).clamp(0, last) as usize;
        } else if let Some(chooser) = &mut self.over.chooser {
            let last = chooser.offers.len().saturating_sub(1) as isize;
            chooser.cursor = (chooser.cursor as isize + by).clamp(0, last) as usize;
        } else if let Some(top) = &mut self.over.help {
            *top = (*top as isize + by).max(0) as usize;
        } else {
            self.step(by);
        }
    }

    fn pressed(&mut self, hit: Option<Hit>) -> Vec<Act> {
        if let Some(chooser) = self.over.chooser.take() {
            return match hit {
                Some(Hit::Choice(n)) => self.choose(Chooser { cursor: n, ..chooser }),
                _ => self.closed(chooser.of),
            };
        }
        if let Some(question) = self.over.question.take() {
            if let Some(Hit::Answer(key)) = hit {
                return self.answered(question, KeyCode::Char(key));
            }
            self.over.question = Some(question);
            return Vec::new();
        }
        if self.over.sheet.is_some()
            && let Some(Hit::Answer(key)) = hit
        {
            return self.sheet_key(None, if key == ESC { KeyCode::Esc } else { KeyCode::Char(key) });
        }
        // What is over the view, or waits for an answer, is not clicked through.
        if self.over.help.take().is_some() || self.over.sheet.is_some() || self.over.typing.is_some() {
            return Vec::new();
        }
        match hit {
            Some(Hit::View(view)) => return self.show(view),
            Some(Hit::Wish(wish)) => return self.wished(wish),
            Some(Hit::Drive(n)) => self.focus_drive(n),
            Some(Hit::Game(n)) => {
                let id = self.survey.as_ref().and_then(|survey| survey.games.get(n)).map(|game| game.id.clone());
                if let Some(id) = id {
                    self.go_to(&id);
                    self.drives.dragged = Some((n, None));
                }
            }
            Some(Hit::Other(n)) => {
                self.focus_drive(n);
                let drive = self.survey.as_ref().and_then(|survey| survey.drives.get(n));
                self.over.message = drive.map(|state| {
                    let other = state.used.less(state.games).less(state.held);
                    format!("{other} on {} are files that belong to no game.", state.drive.name)
                });
            }
            Some(Hit::Held(n)) => {
                let held = self.survey.as_ref().and_then(|survey| survey.held.get(n));
                self.over.message = held.map(|held| {
                    format!(
                        "{} of originals of {} are kept by haul {}; release them in the Log.",
                        held.bytes, held.title, held.haul
                    )
                });
            }
            Some(Hit::Moment(nth)) => self.haul.moment = nth,
            Some(Hit::Row(n)) => return self.row_pressed(n),
            Some(Hit::Choice(_) | Hit::Answer(_)) | None => {}
        }
        Vec::new()
    }

    fn focus_drive(&mut self, n: usize) {
        if n != self.drives.drive {
            self.drives.drive = n;
            self.drives.layout.cursor = 0;
            self.drives.layout.list.clear();
            self.drives.on_data = false;
            self.relist();
        }
    }

    /// A line that is clicked gets the cursor; one that has it already is opened where that makes sense.
    fn row_pressed(&mut self, n: usize) -> Vec<Act> {
        match self.view {
            View::Drives if self.first_look() => self.cleanup.find = n,
            View::Drives => self.drives.layout.cursor = n.min(self.drives.layout.list.len().saturating_sub(1)),
            View::Haul => (self.haul.item, self.haul.change) = (n, 0),
            View::Running => self.running.cursor = n,
            View::Proof => {
                if self.proofs.cursor == n {
                    return self.open_tree();
                }
                self.proofs.cursor = n;
            }
            View::Log => self.log.cursor = n,
            View::Records => {
                if self.records.cursor == n
                    && matches!(self.record_row(), Some(RecordRow::Game(_) | RecordRow::Launcher(_)))
                {
                    self.unfold(None);
                } else {
                    self.records.cursor = n;
                }
            }
            View::Cleanup => self.cleanup.find = n,
        }
        Vec::new()
    }

    fn drag(&mut self, x: u16, y: u16) {
        let Some((game, _)) = self.drives.dragged else { return };
        // Whatever lies in a bar, it is the bar's drive that is meant.
        let drive =
            self.look.hits.iter().filter(|(area, _)| area.contains((x, y).into())).find_map(|(_, hit)| match hit {
                Hit::Drive(n) => Some(*n),
                _ => None,
            });
        self.drives.dragged = Some((game, drive));
        let Some(survey) = &self.survey else { return };
        let title = survey.games.get(game).map_or("", |game| game.found.title.as_str());
        self.over.message = Some(match drive.and_then(|n| survey.drives.get(n)) {
            Some(state) => format!("Drop here to send {title} to {}.", state.drive.name),
            None => format!("Drop {title} on a drive to send it there."),
        });
    }

    fn drop_dragged(&mut self) {
        let Some((game, Some(drive))) = self.drives.dragged.take() else { return };
        let Some(survey) = &self.survey else { return };
        let id = survey.games.get(game).map(|game| game.id.clone());
        let name = survey.drives.get(drive).map(|state| state.drive.name.clone());
        if let (Some(id), Some(name)) = (id, name) {
            self.over.message = None;
            self.send_game(&id, &name);
            self.redraft();
        }
    }
}
