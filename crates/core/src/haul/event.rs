//! What a running haul tells, and how it is told to stop.

use std::collections::VecDeque;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use serde::Serialize;

use super::history::TallyEntry;
use super::prove::Proof;
use crate::bytes::{Bytes, HaulId, LotId};

/// Asks a running haul to pause at the next block. Clones share the wish.
#[derive(Clone, Debug, Default)]
pub struct Stop(Arc<AtomicBool>);

impl Stop {
    /// Asks for a pause.
    pub fn ask(&self) {
        self.0.store(true, Ordering::SeqCst);
    }

    /// Whether a pause was asked for.
    pub fn asked(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }
}

/// So much of so much.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Amount {
    /// Bytes done.
    pub done: Bytes,
    /// Bytes in all.
    pub all: Bytes,
}

/// How far a lot is. Sent at most ten times a second.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Progress {
    /// The lot.
    pub lot: LotId,
    /// Title of its game.
    pub title: String,
    /// Copied.
    pub copy: Amount,
    /// Read back and compared.
    pub compare: Amount,
    /// Files compared.
    pub files: u64,
    /// Files in all.
    pub files_all: u64,
    /// The file in hand, within the lot.
    pub file: PathBuf,
    /// Block in hand of that file, from 1, and their number.
    pub block: (u64, u64),
    /// Bytes per second over the last seconds.
    pub rate: f64,
    /// Time that copying and comparing will still take, from the mean rate; `None` while it is not known.
    pub left: Option<Duration>,
    /// Blocks that were copied again because they differed.
    pub repaired: u64,
}

impl Progress {
    /// Nothing done yet of `compare` bytes in `files_all` files.
    pub(super) fn begun(lot: LotId, title: &str, compare: u64, files_all: u64) -> Self {
        Self {
            lot,
            title: title.into(),
            copy: Amount::default(),
            compare: Amount { done: Bytes::ZERO, all: Bytes::new(compare) },
            files: 0,
            files_all,
            file: PathBuf::new(),
            block: (0, 0),
            rate: 0.0,
            left: None,
            repaired: 0,
        }
    }

    /// Nothing removed yet of what a tally names.
    pub(super) fn of_removal(lot: LotId, title: &str, tally: &[TallyEntry]) -> Self {
        let bytes = tally.iter().map(|line| line.entry.size).sum();
        Self::begun(lot, title, bytes, tally.len() as u64)
    }
}

/// What a haul tells while it runs.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "event")]
pub enum HaulEvent {
    /// A lot has reached a stage; `stage` is its word.
    Stage {
        /// The haul.
        haul: HaulId,
        /// The lot.
        lot: LotId,
        /// Title of its game.
        title: String,
        /// The stage's word.
        stage: &'static str,
    },
    /// A lot goes on.
    Progress(Progress),
    /// A lot's proof.
    Proved {
        /// The lot.
        lot: LotId,
        /// Title of its game.
        title: String,
        /// The proof.
        proof: Proof,
    },
    /// Originals are gone.
    Released {
        /// The lot.
        lot: LotId,
        /// Title of its game.
        title: String,
        /// Bytes that came back.
        bytes: Bytes,
        /// Files that stayed.
        left: u64,
    },
    /// A lot did not go on.
    Failed {
        /// The lot.
        lot: LotId,
        /// Title of its game.
        title: String,
        /// Why.
        why: String,
    },
}

/// Turns counts into rates and a time left; says when it is time to tell.
#[derive(Debug)]
pub(super) struct Pace {
    begun: Instant,
    told: Option<Instant>,
    recent: VecDeque<(Instant, u64)>,
}

impl Pace {
    pub(super) fn new() -> Self {
        Self { begun: Instant::now(), told: None, recent: VecDeque::new() }
    }

    /// One that tells nothing of work that is done within half a second.
    pub(super) fn patient() -> Self {
        Self { told: Some(Instant::now() + Duration::from_millis(400)), ..Self::new() }
    }

    /// Whether a tenth of a second has gone by since the last telling.
    pub(super) fn due(&mut self) -> bool {
        let now = Instant::now();
        let due = self.told.is_none_or(|told| now >= told + Duration::from_millis(100));
        if due {
            self.told = Some(now);
        }
        due
    }

    /// Bytes per second over the last three seconds, for `done` bytes by now.
    pub(super) fn rate(&mut self, done: u64) -> f64 {
        let now = Instant::now();
        self.recent.push_back((now, done));
        while self.recent.len() > 2 && now - self.recent[0].0 > Duration::from_secs(3) {
            self.recent.pop_front();
        }
        let (then, before) = self.recent[0];
        let seconds = (now - then).as_secs_f64();
        if seconds > 0.05 { done.saturating_sub(before) as f64 / seconds } else { 0.0 }
    }

    /// Time for the rest at the mean rate so far.
    pub(super) fn left(&self, done: u64, all: u64) -> Option<Duration> {
        let seconds = self.begun.elapsed().as_secs_f64();
        (done > 0 && seconds > 0.2)
            .then(|| Duration::from_secs_f64(seconds * all.saturating_sub(done) as f64 / done as f64))
    }
}
