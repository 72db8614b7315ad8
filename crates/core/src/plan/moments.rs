//! The moments of a plan, one after each step, with what is where by then.

use super::result::{Plan, StepKind};
use crate::bytes::Bytes;
use crate::item::{Policy, Strategy};

/// What has just been done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Done {
    /// Nothing yet.
    Nothing,
    /// This item's copy is there.
    Copied(usize),
    /// This item's originals are gone.
    LetGo(usize),
    /// All originals that the haul keeps are released.
    Released,
}

/// The drives at a moment of a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Moment {
    /// What has just been done.
    pub done: Done,
    /// Bytes in use, in the order of the plan's loads.
    pub used: Vec<Bytes>,
    /// Items that lie where they go, by their place in the plan.
    pub there: Vec<usize>,
    /// Items of which the originals are gone.
    pub gone: Vec<usize>,
}

impl Plan {
    /// The moments of the haul from before it to after the release of what it keeps.
    pub fn moments(&self) -> Vec<Moment> {
        let goes = |n: usize| {
            self.policy == Policy::Release || self.items.get(n).is_some_and(|item| item.policy == Policy::Release)
        };
        let now = self.loads.iter().map(|load| load.now).collect();
        let mut all = vec![Moment { done: Done::Nothing, used: now, there: Vec::new(), gone: Vec::new() }];
        for step in &self.steps {
            let Some(n) = step.item else { continue };
            let (mut there, mut gone) =
                all.last().map(|moment| (moment.there.clone(), moment.gone.clone())).unwrap_or_default();
            let done = match step.kind {
                StepKind::Copied => {
                    there.push(n);
                    // What is renamed or taken back lies at one place only.
                    if self.items.get(n).is_some_and(|item| item.mode != Strategy::Copy) {
                        gone.push(n);
                    }
                    Done::Copied(n)
                }
                StepKind::LetGo if goes(n) => {
                    gone.push(n);
                    Done::LetGo(n)
                }
                StepKind::Begin | StepKind::LetGo => continue,
            };
            all.push(Moment { done, used: step.used.clone(), there, gone });
        }
        let kept = |n: &usize| !all.last().is_some_and(|last| last.gone.contains(n));
        let kept: Vec<usize> = (0..self.items.len()).filter(kept).collect();
        if let Some(last) = all.last().filter(|last| kept.iter().any(|n| last.there.contains(n))) {
            let used = self.loads.iter().map(|load| load.after).collect();
            let (there, gone) = (last.there.clone(), last.there.clone());
            all.push(Moment { done: Done::Released, used, there, gone });
        }
        all
    }
}
