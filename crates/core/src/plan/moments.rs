//! The moments of a plan, one after each step, with what is where by then.

use std::collections::BTreeSet;

use super::result::{Plan, StepKind};
use crate::bytes::Bytes;
use crate::item::Strategy;

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
}

/// What is where at a moment: items of a plan by their place in it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Whereabouts {
    /// They lie where they go.
    pub there: BTreeSet<usize>,
    /// Their originals are gone.
    pub gone: BTreeSet<usize>,
}

impl Plan {
    /// The moments of the haul from before it, which is always one, to after the release of what it keeps.
    pub fn moments(&self) -> Vec<Moment> {
        let deletes = |n: usize| self.items.get(n).is_some_and(|item| self.deletes(item));
        let now = self.loads.iter().map(|load| load.now).collect();
        let mut all = vec![Moment { done: Done::Nothing, used: now }];
        for step in &self.steps {
            let done = match (step.kind, step.item) {
                (StepKind::Copied, Some(n)) => Done::Copied(n),
                (StepKind::LetGo, Some(n)) if deletes(n) => Done::LetGo(n),
                _ => continue,
            };
            all.push(Moment { done, used: step.used.clone() });
        }
        let then = self.whereabouts(&all);
        if then.there != then.gone {
            all.push(Moment { done: Done::Released, used: self.loads.iter().map(|load| load.after).collect() });
        }
        all
    }

    /// What is where after these moments, which are all from the first on.
    pub fn whereabouts(&self, moments: &[Moment]) -> Whereabouts {
        let mut then = Whereabouts::default();
        for moment in moments {
            match moment.done {
                Done::Nothing => {}
                Done::Copied(n) => {
                    then.there.insert(n);
                    // What is renamed or taken back lies at one place only.
                    if self.items.get(n).is_some_and(|item| item.mode != Strategy::Copy) {
                        then.gone.insert(n);
                    }
                }
                Done::LetGo(n) => drop(then.gone.insert(n)),
                Done::Released => then.gone.clone_from(&then.there),
            }
        }
        then
    }
}
