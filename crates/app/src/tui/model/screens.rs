//! What the screens own that have no more than a cursor and what they list: Drives, Haul, Cleanup, and the first look.

use std::path::PathBuf;
use std::time::Duration;

use deft_barge_core::item::Policy;
use deft_barge_core::plan::{Anchor, Draft, Load, Plan, WhatIf};
use deft_barge_core::survey::CleanupFind;
use deft_barge_core::trace::Find;

use super::act::Errand;
use super::layout::DraftLayout;
use crate::commands::View;

/// What is to be hauled, and how.
#[derive(Clone, Debug)]
pub struct Drafted {
    pub draft: Draft,
    pub policy: Policy,
    /// Drives that are not there yet.
    pub what_if: Vec<WhatIf>,
}

impl Default for Drafted {
    fn default() -> Self {
        Self { draft: Draft::default(), policy: Policy::Hold, what_if: Vec::new() }
    }
}

/// The Drives screen.
#[derive(Default)]
pub struct DrivesScreen {
    pub layout: DraftLayout,
    /// The drive in focus.
    pub drive: usize,
    /// Whether digits send the user data of the game under the cursor.
    pub on_data: bool,
    /// A game that the mouse holds, by its place in the survey, and the drive it is over.
    pub dragged: Option<(usize, Option<usize>)>,
}

/// The Haul screen: the plan, what is looked at of it, and how it is kept up to date.
#[derive(Default)]
pub struct HaulScreen {
    pub plan: Option<Plan>,
    /// The places that a trace found for the plan.
    pub places: Vec<Find>,
    pub planning: bool,
    pub accepted: bool,
    /// An act that the plan is made of instead of the draft, and the view it was asked for in.
    pub act: Option<(Errand, View)>,
    pub loads: Vec<Load>,
    pub item: usize,
    /// The first record of the item that is shown.
    pub change: usize,
    /// The moment of the plan that is drawn, from 0 before its first step.
    pub moment: usize,
    pub(crate) asked_quiet: Duration,
    pub(crate) asked_plan: Duration,
    /// How long the last plan took.
    pub(crate) planned_in: Duration,
}

/// The Cleanup screen.
#[derive(Default)]
pub struct CleanupScreen {
    /// What is lying around; `None` as long as nobody has looked.
    pub finds: Option<(Vec<CleanupFind>, Vec<Anchor>)>,
    pub find: usize,
    /// Whether another copy of a file is being looked for.
    pub(crate) wants_copy: bool,
}

/// The first look, where no launcher is known.
#[derive(Default)]
pub struct FirstLook {
    /// What stands in the profile folder.
    pub profiles: Vec<String>,
    pub profile_folder: PathBuf,
    pub home: PathBuf,
}
