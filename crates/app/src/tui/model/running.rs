//! The haul in hand, item by item.

use crate::present::Fault;

use super::act::LongTask;
use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::item::{Progress, StageKind};
use std::collections::VecDeque;
use std::time::Duration;

/// A line of what just happened.
#[derive(Clone, Debug, PartialEq)]
pub struct Said {
    pub at: Duration,
    pub text: String,
}

/// Where an item is, as far as was heard.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum At {
    /// It is about to begin.
    Beginning,
    /// It has reached a stage.
    Stage(StageKind),
    /// It could not go on.
    Failed,
}

impl At {
    /// It as a part of a sentence.
    pub fn words(self) -> &'static str {
        match self {
            Self::Beginning => "begins",
            Self::Stage(stage) => crate::present::stage(stage),
            Self::Failed => "failed",
        }
    }
}

/// An item that runs, or has run.
#[derive(Clone, Debug)]
pub struct RunningItem {
    pub item: ItemId,
    pub title: String,
    pub at: At,
    pub progress: Option<Progress>,
    /// What it waits for, or what drive does not answer.
    pub held_up: Option<String>,
}

impl RunningItem {
    /// Whether it is under way, as far as is known.
    pub fn runs(&self) -> bool {
        use StageKind::{Cancelled, Proved, Released, Undone};
        !matches!(self.at, At::Stage(Proved | Released | Cancelled | Undone) | At::Failed)
    }

    /// Whether it is being copied.
    pub fn copies(&self) -> bool {
        matches!(self.at, At::Stage(StageKind::Copying) | At::Beginning)
    }
}

/// The work in hand.
#[derive(Clone, Debug, Default)]
pub struct Running {
    pub work: Option<LongTask>,
    /// Whether a program of ours that was left running does it.
    pub elsewhere: bool,
    pub haul: Option<HaulId>,
    pub pausing: bool,
    pub cancelling: bool,
    /// The item that is to be given up at the next block.
    pub cancelling_item: Option<ItemId>,
    /// Items that were heard of, in the order in which they began.
    pub items: Vec<RunningItem>,
    /// The row under the cursor.
    pub cursor: usize,
    /// Bytes per second of all items together, some ten times a second.
    pub rates: VecDeque<f64>,
    pub said: Vec<Said>,
    pub fault: Option<Fault>,
    /// Whether the bell rings at the end.
    pub bell: bool,
}
