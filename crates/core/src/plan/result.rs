//! A plan: its items in their order, what was found, and how full each drive is after each step.

use super::estimate::Timing;
use jiff::Timestamp;
use serde::Serialize;
use std::time::Duration;

use crate::item::{Finding, PlannedItem, Policy, Severity, Trial};

use crate::plan::placement::Load;

use crate::bytes::Bytes;

/// What changes the load of drives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum StepKind {
    /// Nothing yet.
    Begin,
    /// A copy is there.
    Copied,
    /// Originals are gone.
    LetGo,
}

/// How full every drive is after a step of a plan.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PlanStep {
    /// Place of the item among the plan's; `None` before the first.
    pub item: Option<usize>,
    /// What it was.
    pub kind: StepKind,
    /// Bytes in use, in the order of the plan's loads.
    pub used: Vec<Bytes>,
}

/// What would be done, and what stands in the way.
#[derive(Clone, Debug, Serialize)]
pub struct Plan {
    /// When it was made.
    pub made: Timestamp,
    /// Items in the order in which they would be hauled.
    pub items: Vec<PlannedItem>,
    /// What was found, stops first.
    pub findings: Vec<Finding>,
    /// How full each drive is, becomes, and is afterwards.
    pub loads: Vec<Load>,
    /// Bytes in use on each drive before the first step and after each.
    pub steps: Vec<PlanStep>,
    /// When originals are released.
    pub policy: Policy,
    /// When each item is copied, and how long all takes.
    pub timing: Timing,
    /// Whether the first item is a trial.
    pub trial: Trial,
}

impl Plan {
    /// Whether something refuses it.
    pub fn blocked(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Blocker)
    }

    /// How full a drive is over the haul, by its place among the loads: moments since the start with the bytes in use, none
    /// before the one ahead of it. Between two moments it fills or empties evenly.
    ///
    /// What is held is not let go of within the haul; once it is, [`Load::after`] is in use.
    pub fn load_course(&self, at: usize) -> Vec<(Duration, Bytes)> {
        let mut schedule = vec![(Duration::ZERO, self.loads.get(at).map_or(Bytes::ZERO, |load| load.now))];
        for step in &self.steps {
            let (Some(n), Some(used)) = (step.item, step.used.get(at)) else { continue };
            if step.kind == StepKind::LetGo && !self.items.get(n).is_some_and(|item| self.deletes(item)) {
                continue;
            }
            let ends = self.timing.items.get(n).map_or(Duration::ZERO, |time| time.ends);
            let last = schedule.last().map_or(Duration::ZERO, |(when, _)| *when);
            schedule.push((ends.max(last), *used));
        }
        schedule
    }

    /// Whether the originals of an item of it are deleted within the haul, once its copy is proved.
    pub fn deletes(&self, item: &PlannedItem) -> bool {
        self.policy == Policy::Release || item.policy == Policy::Release
    }

    /// How long the haul takes, by the middle of its range.
    pub fn ends(&self) -> Duration {
        self.timing.items.iter().map(|item| item.ends).max().unwrap_or_default()
    }

    /// Bytes that would be moved.
    pub fn bytes(&self) -> Bytes {
        self.items.iter().map(|item| item.size.on_disk).sum()
    }
}
