//! What is known of the work in hand: its lots side by side, their rates, and what was said of them.

use std::collections::VecDeque;
use std::time::Duration;

use deft_barge_core::bytes::{Bytes, LotId};
use deft_barge_core::haul::{HaulEvent, Progress};

use super::state::{Act, State, Work};
use crate::fault::Fault;

/// How a line of the running view is meant.
#[derive(Clone, Debug, PartialEq)]
pub struct Said {
    pub at: Duration,
    pub text: String,
}

/// A lot that runs, or has run.
#[derive(Clone, Debug)]
pub struct Lane {
    pub lot: LotId,
    pub title: String,
    pub stage: &'static str,
    pub progress: Option<Progress>,
    /// What it waits for, or what drive does not answer; and when that was told.
    pub held_up: Option<(Duration, String)>,
}

impl Lane {
    /// Whether it is under way, as far as is known.
    pub fn runs(&self) -> bool {
        !matches!(self.stage, "proved" | "released" | "given-up" | "returned" | "failed")
    }
}

/// The work in hand.
#[derive(Clone, Debug, Default)]
pub struct Running {
    pub work: Option<Work>,
    pub pausing: bool,
    pub cancelling: bool,
    /// Lots that were heard of, in the order in which they began.
    pub lanes: Vec<Lane>,
    /// Bytes per second of all lots together, some ten times a second.
    pub rates: VecDeque<f64>,
    pub said: Vec<Said>,
    pub fault: Option<Fault>,
}

impl State {
    pub(super) fn say(&mut self, text: String) {
        self.running.said.push(Said { at: self.clock, text });
    }

    fn lane(&mut self, lot: LotId, title: &str) -> &mut Lane {
        let lanes = &mut self.running.lanes;
        let at = lanes.iter().position(|lane| lane.lot == lot).unwrap_or_else(|| {
            lanes.push(Lane { lot, title: title.into(), stage: "begins", progress: None, held_up: None });
            lanes.len() - 1
        });
        &mut lanes[at]
    }

    pub(super) fn haul_event(&mut self, event: HaulEvent) {
        let clock = self.clock;
        match event {
            HaulEvent::Progress(progress) => {
                let lane = self.lane(progress.lot, &progress.title);
                lane.held_up = None;
                lane.progress = Some(progress);
                let running = self.running.lanes.iter().filter(|lane| lane.runs());
                let rate = running.filter_map(|lane| lane.progress.as_ref()).map(|progress| progress.rate).sum();
                self.running.rates.push_back(rate);
                if self.running.rates.len() > 600 {
                    self.running.rates.pop_front();
                }
            }
            HaulEvent::Stage { lot, title, stage, .. } => {
                self.say(format!("{title}: {}", crate::wording::stage(stage)));
                let lane = self.lane(lot, &title);
                (lane.stage, lane.held_up) = (stage, None);
            }
            HaulEvent::Waiting { lot, title, findings } => {
                let text = crate::wording::waiting(&title, &findings);
                if self.lane(lot, &title).held_up.replace((clock, text.clone())).is_none_or(|(_, old)| old != text) {
                    self.say(text);
                }
            }
            HaulEvent::Hung { lot, title, path, seconds } => {
                let text = crate::wording::hung(&title, &path, seconds);
                self.lane(lot, &title).held_up = Some((clock, text));
            }
            HaulEvent::Proved { title, proof, .. } => {
                let download = proof.to_download.map_or("an unknown number of bytes".into(), |bytes| bytes.to_string());
                self.say(format!(
                    "{title}: {} files looked at, its launcher would download {download}",
                    crate::show::count(proof.files)
                ));
            }
            HaulEvent::Released { title, bytes, left, .. } => {
                let stays =
                    if left > 0 { format!("; {left} files are not what was compared and stay") } else { String::new() };
                self.say(format!("{title}: {bytes} came back{stays}"));
            }
            HaulEvent::Failed { lot, title, why } => {
                self.lane(lot, &title).stage = "failed";
                self.say(format!("{title}: {why}"));
            }
        }
    }

    /// The next limit below or above the one there is: steps that double, and none at the upper end.
    pub(super) fn limited(&mut self, slower: bool) -> Vec<Act> {
        const STEPS: [u64; 8] = [5, 10, 20, 40, 80, 160, 320, 640];
        let now = self.limit.map(|bytes| bytes.count() / 1_000_000);
        let rate = self.running.rates.back().copied().unwrap_or(0.0) / 1e6;
        let next = match (now, slower) {
            // From no limit it goes below what is reached, so that the first press is felt.
            (None, true) => STEPS.into_iter().rev().find(|step| (*step as f64) < rate.max(6.0)),
            (Some(now), true) => STEPS.into_iter().rev().find(|step| *step < now).or(Some(STEPS[0])),
            (Some(now), false) => STEPS.into_iter().find(|step| *step > now),
            (None, false) => None,
        };
        self.limit = next.map(|megabytes| Bytes::new(megabytes * 1_000_000));
        self.message = Some(match next {
            Some(megabytes) => format!("Copies {megabytes} MB/s at most."),
            None => "Copies as fast as the drives.".into(),
        });
        vec![Act::Limit(self.limit)]
    }
}
