//! What would be done: items in their order, every edit of every record, loads, and what stands in the way.
//!
//! Law: planning writes nothing. [`projected`] is a pure function for every key press; [`plan`]
//! looks at the drives. Start there.

mod drafts;
mod drifted;
mod edits;
mod estimate;
mod kinds;
mod make;
mod moments;
pub mod order;
mod placement;
mod projection;
mod residue;
mod result;
mod schedule;
mod sharing;

#[cfg(test)]
mod tests;

pub use drafts::{
    Aim, Destination, Draft, DraftFile, DraftFileError, DraftItem, FileItem, Line, Misfit, Miss, Suggestion, WhatIf,
    Why, suggest,
};
pub use edits::MakeLetters;
pub(crate) use edits::{Target, edits as record_edits, lead_anew};
pub use estimate::{Basis, ItemTime, Slowest, Span, Timing, timing};
pub use kinds::{
    Anchor, Guided, Import, LibraryWish, anchors, plan_anchor, plan_import, plan_library, plan_made, plan_removal,
    plan_staging, watch_import,
};
pub use make::plan;
pub use moments::{Done, Moment, Whereabouts};
pub use order::{DriveRoom, Lack, OrderFound, OrderItem, Remedy, find_order, shorten, smallest_change};
pub use placement::Load;
pub use projection::projected;
pub use result::{Plan, PlanStep, StepKind};
pub(crate) use sharing::fight;
