//! What a running haul tells, and how it is told to stop.

use crate::item::{Finding, Progress, Proof, Residue, StageKind};

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use serde::Serialize;

use crate::bytes::{Bytes, HaulId, ItemId};

/// A person's hand on a running haul: pause it, slow it down, let others go first. Clones share the wishes.
#[derive(Clone, Debug, Default)]
pub struct Control(Arc<Wishes>);

#[derive(Debug, Default)]
struct Wishes {
    pause: AtomicBool,
    gentle: AtomicBool,
    /// Bytes per second that may be copied; 0 is as many as there can be.
    limit: AtomicU64,
    /// When the bytes that were let through will have taken their time.
    free_at: Mutex<Option<Instant>>,
}

impl Control {
    /// Asks for a pause at the next block.
    pub fn ask(&self) {
        self.0.pause.store(true, Ordering::SeqCst);
    }

    /// Whether a pause was asked for.
    pub fn asked(&self) -> bool {
        self.0.pause.load(Ordering::SeqCst)
    }

    /// Sets the most bytes per second that are copied, from now on; `None` is as many as there can be.
    pub fn set_limit(&self, limit: Option<Bytes>) {
        self.0.limit.store(limit.map_or(0, |bytes| bytes.count().max(1)), Ordering::Relaxed);
        *self.0.free_at.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }

    /// The most bytes per second.
    pub fn limit(&self) -> Option<Bytes> {
        Some(self.0.limit.load(Ordering::Relaxed)).filter(|limit| *limit > 0).map(Bytes::new)
    }

    /// Sets whether the drives serve everybody else first; for what begins after this.
    pub fn set_gentle(&self, gentle: bool) {
        self.0.gentle.store(gentle, Ordering::Relaxed);
    }

    /// Whether the drives serve everybody else first.
    pub fn gentle(&self) -> bool {
        self.0.gentle.load(Ordering::Relaxed)
    }

    /// Waits until so many bytes may be copied; `over` ends the waiting.
    pub(crate) fn wait_for(&self, bytes: u64, over: &dyn Fn() -> bool) {
        while let Some(limit) = self.limit() {
            let now = Instant::now();
            {
                let mut free_at = self.0.free_at.lock().unwrap_or_else(PoisonError::into_inner);
                let free = free_at.map_or(now, |at| at.max(now));
                // Who comes takes his time out of the future, and waits until the time of those before him is over.
                if free <= now {
                    *free_at = Some(free + Duration::from_secs_f64(bytes as f64 / limit.count() as f64));
                    return;
                }
            }
            if over() {
                return;
            }
            std::thread::sleep(Duration::from_millis(5));
        }
    }
}

/// What a haul tells while it runs.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "event")]
pub enum HaulEvent {
    /// An item has reached a stage.
    Stage {
        /// The haul.
        haul: HaulId,
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// The stage.
        stage: StageKind,
    },
    /// An item goes on.
    Progress(Progress),
    /// An item's proof.
    Proved {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// The proof.
        proof: Proof,
    },
    /// All items are through; what leads to their old folders still is being looked for.
    Searching,
    /// All items are through, and what leads to the old folder of this one still was looked for.
    Searched {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// What was found.
        residue: Residue,
    },
    /// Originals are gone.
    Released {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// Bytes that came back.
        bytes: Bytes,
        /// Files that stayed.
        left: u64,
    },
    /// An item waits before its repoint until nothing uses its game or its records any more; told once a second.
    Waiting {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// What it waits for.
        findings: Vec<Finding>,
    },
    /// A drive has not answered for some time; the haul can still be paused. WorkerEvent every few seconds.
    Hung {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// What it is about.
        path: PathBuf,
        /// Seconds without an answer.
        seconds: u64,
    },
    /// An item did not go on.
    Failed {
        /// The item.
        item: ItemId,
        /// Title of its game.
        title: String,
        /// Why.
        why: String,
    },
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::{Amount, Progress};

    #[test]
    fn a_limit_makes_the_time_left_no_shorter_than_it_lets_it_be() {
        let mut progress = Progress::begun(ItemId(1), "x", 0, 0);
        progress.copy = Amount { done: Bytes::new(10_000_000), all: Bytes::new(70_000_000) };
        progress.hold_to(Some(Bytes::new(1_000_000)));
        assert_eq!(progress.left, None, "what is not known stays so");
        progress.left = Some(Duration::from_secs(1));
        progress.hold_to(None);
        assert_eq!(progress.left, Some(Duration::from_secs(1)));
        progress.hold_to(Some(Bytes::new(1_000_000)));
        assert_eq!(progress.left, Some(Duration::from_mins(1)));
    }
}
