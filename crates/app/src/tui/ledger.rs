//! What the Log view knows: held originals, then hauls by day, newest first.

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::HaulRow;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use super::state::State;

/// A line of the Log.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LogRow {
    /// Held originals, by their place in the survey.
    Held(usize, HaulId),
    Day(Date),
    Haul(HaulId),
}

/// The lines, and the one under the cursor.
#[derive(Clone, Debug, Default)]
pub struct Ledger {
    pub rows: Vec<LogRow>,
    pub cursor: usize,
}

impl State {
    /// Works out the lines of the Log, after the journal was read.
    pub(super) fn relog(&mut self) {
        let here = self.haul_here().map(|haul| haul.id);
        let mut rows = Vec::new();
        let held = self.survey.iter().flat_map(|survey| &survey.held).enumerate();
        rows.extend(held.map(|(n, held)| LogRow::Held(n, held.haul)));
        let mut day = None;
        for haul in &self.history.hauls {
            let on = haul.made.to_zoned(TimeZone::system()).date();
            if day.replace(on) != Some(on) {
                rows.push(LogRow::Day(on));
            }
            rows.push(LogRow::Haul(haul.id));
        }
        let at = here.and_then(|here| rows.iter().position(|row| *row == LogRow::Haul(here)));
        self.ledger.rows = rows;
        self.ledger.cursor = at.unwrap_or(0);
        if matches!(self.ledger.rows.get(self.ledger.cursor), Some(LogRow::Day(_))) {
            self.ledger.cursor += 1;
        }
    }

    /// The haul under the cursor of the Log.
    pub fn haul_here(&self) -> Option<&HaulRow> {
        match self.ledger.rows.get(self.ledger.cursor)? {
            LogRow::Held(_, id) | LogRow::Haul(id) => self.history.haul(*id),
            LogRow::Day(_) => None,
        }
    }

    /// Moves the cursor; days are passed over.
    pub(super) fn step_log(&mut self, by: isize) {
        let rows = &self.ledger.rows;
        let last = rows.len().saturating_sub(1) as isize;
        let mut at = (self.ledger.cursor as isize).saturating_add(by).clamp(0, last);
        let is_day = |at: isize| matches!(rows.get(at as usize), Some(LogRow::Day(_)));
        if is_day(at) {
            // At the upper end there is nothing before the first day.
            at += if by < 0 && at > 0 { -1 } else { 1 };
        }
        self.ledger.cursor = at.clamp(0, last) as usize;
    }
}
