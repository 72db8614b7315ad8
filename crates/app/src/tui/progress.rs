//! What is known of the work in hand: its items side by side, their rates, and what was said of them.

use crate::tui::model::{Act, At, RunningItem, Said};

use crate::service::Heard;

use deft_barge_core::bytes::{Bytes, ItemId};

use super::state::State;

/// Rates that are kept: of ten minutes.
const RATES: usize = 6000;

impl State {
    pub(crate) fn say(&mut self, text: String) {
        self.running.said.push(Said { at: self.look.clock, text });
    }

    fn row(&mut self, item: ItemId, title: &str) -> &mut RunningItem {
        let items = &mut self.running.items;
        let at = items.iter().position(|row| row.item == item).unwrap_or_else(|| {
            items.push(RunningItem { item, title: title.into(), at: At::Beginning, progress: None, held_up: None });
            items.len() - 1
        });
        &mut items[at]
    }

    pub(crate) fn heard(&mut self, heard: Heard) {
        match heard {
            Heard::Progress { progress } => {
                let row = self.row(progress.item, &progress.title);
                row.held_up = None;
                row.progress = Some(progress);
                let running = self.running.items.iter().filter(|row| row.runs());
                let rate = running.filter_map(|row| row.progress.as_ref()).map(|progress| progress.rate).sum();
                self.running.rates.push_back(rate);
                if self.running.rates.len() > RATES {
                    self.running.rates.pop_front();
                }
            }
            Heard::Stage { haul, item, title, stage } => {
                self.say(format!("{title}: {}", crate::present::stage(stage)));
                self.running.haul = Some(haul);
                let row = self.row(item, &title);
                (row.at, row.held_up) = (At::Stage(stage), None);
                // The cursor is on what runs.
                let cursor = &mut self.running.cursor;
                if self.running.items.get(*cursor).is_none_or(|row| !row.runs()) {
                    *cursor = self.running.items.iter().position(RunningItem::runs).unwrap_or(*cursor);
                }
            }
            Heard::HeldUp { item, title, text } => {
                if self.row(item, &title).held_up.replace(text.clone()).is_none_or(|old| old != text) {
                    self.say(text);
                }
            }
            Heard::Said { text } => self.say(text),
            Heard::Failed { item, title, why } => {
                self.row(item, &title).at = At::Failed;
                self.say(format!("{title}: {why}"));
            }
        }
    }

    /// The next limit below or above the one there is: steps that double, and none at the upper end.
    pub(crate) fn limited(&mut self, slower: bool) -> Vec<Act> {
        const STEPS: [u64; 10] = [1, 2, 5, 10, 20, 40, 80, 160, 320, 640];
        let now = self.work.limit.map(|bytes| bytes.count() / 1_000_000);
        let rate = self.running.rates.back().copied().unwrap_or(0.0) / 1e6;
        let next = match (now, slower) {
            // From no limit it goes below what is reached, so that the first press is felt.
            (None, true) => STEPS.into_iter().rev().find(|step| (*step as f64) < rate.max(6.0)),
            (Some(now), true) => STEPS.into_iter().rev().find(|step| *step < now).or(Some(STEPS[0])),
            (Some(now), false) => STEPS.into_iter().find(|step| *step > now),
            (None, false) => None,
        };
        self.work.limit = next.map(|megabytes| Bytes::new(megabytes * 1_000_000));
        self.over.message = Some(match next {
            Some(megabytes) => format!("Copies at most {megabytes} MB/s."),
            None => "Copies at full speed.".into(),
        });
        vec![Act::Limit(self.work.limit)]
    }
}
