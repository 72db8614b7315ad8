//! What the Log view knows: kept originals, then hauls by day, newest first.

use crate::tui::model::{Act, LogRow};
use deft_barge_core::bytes::HaulId;
use deft_barge_core::journal::{HaulRow, History};

use jiff::tz::TimeZone;

use super::state::State;
use crate::commands::View;

impl State {
    /// Works out the lines of the Log, after the journal was read.
    pub(crate) fn relist_log(&mut self) {
        // Who is at the top stays there: what was done last is what is looked for.
        let above = self.log.rows.get(..self.log.cursor).unwrap_or_default();
        let is_at_top = above.iter().all(|row| matches!(row, LogRow::Day(_)));
        let here = self.haul_id_here().filter(|_| !is_at_top);
        let mut rows = Vec::new();
        // Who searches does not look for what is held.
        let held = self.survey.iter().flat_map(|survey| &survey.held).enumerate();
        let held = held.filter(|_| self.log.search.is_empty());
        rows.extend(held.map(|(n, held)| LogRow::Held(n, held.haul)));
        let (mut day, mut found) = (None, 0);
        for haul in self.history.search(&self.log.search) {
            found += 1;
            let on = haul.made.to_zoned(TimeZone::system()).date();
            if day.replace(on) != Some(on) {
                rows.push(LogRow::Day(on));
            }
            rows.push(LogRow::Haul(haul.id));
        }
        let at = here.and_then(|here| rows.iter().position(|row| *row == LogRow::Haul(here)));
        (self.log.rows, self.log.found, self.log.asked) = (rows, found, None);
        self.log.cursor = at.unwrap_or(0);
        if matches!(self.log.rows.get(self.log.cursor), Some(LogRow::Day(_))) {
            self.log.cursor += 1;
        }
    }

    /// The number of the haul under the cursor of the Log.
    pub(crate) fn haul_id_here(&self) -> Option<HaulId> {
        match self.log.rows.get(self.log.cursor)? {
            LogRow::Held(_, id) | LogRow::Haul(id) => Some(*id),
            LogRow::Day(_) => None,
        }
    }

    /// The haul under the cursor of the Log, once it was read.
    pub fn haul_here(&self) -> Option<&HaulRow> {
        self.history.haul(self.haul_id_here()?)
    }

    /// Asks once for the haul under the cursor of the Log where only its line is known.
    pub(crate) fn read_haul_here(&mut self) -> Option<Act> {
        let id = self.haul_id_here().filter(|_| self.view == View::Log)?;
        let wanted = self.history.haul(id).is_none() && self.log.asked != Some(id);
        wanted.then(|| {
            self.log.asked = Some(id);
            Act::ReadHaul(id)
        })
    }

    /// Keeps the haul whose proof is looked at, where it is not among those that were read anew.
    pub(crate) fn keep_what_is_looked_at(&mut self, mut before: History) {
        let Some(id) = self.proofs.haul.filter(|id| self.proofs.chosen && self.history.haul(*id).is_none()) else {
            return;
        };
        before.hauls.retain(|haul| haul.id == id);
        before.events.retain(|event| event.haul == id);
        if let Some(haul) = before.hauls.pop().filter(|_| self.history.line(id).is_some()) {
            self.history.add(haul, before.events);
        }
    }

    /// Shows the hauls of the log that fit these words alone.
    pub(crate) fn search_log(&mut self, text: &str) {
        if self.log.search != text {
            text.clone_into(&mut self.log.search);
            self.relist_log();
        }
    }

    /// Moves the cursor; days are passed over.
    pub(crate) fn step_log(&mut self, by: isize) {
        let rows = &self.log.rows;
        let last = rows.len().saturating_sub(1) as isize;
        let mut at = (self.log.cursor as isize).saturating_add(by).clamp(0, last);
        let is_day = |at: isize| matches!(rows.get(at as usize), Some(LogRow::Day(_)));
        if is_day(at) {
            // At the upper end there is nothing before the first day.
            at += if by < 0 && at > 0 { -1 } else { 1 };
        }
        self.log.cursor = at.clamp(0, last) as usize;
    }
}
