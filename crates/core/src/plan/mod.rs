//! What would be done: lots in their order, every edit of every record, loads, and what stands in the way.
//!
//! Law: planning writes nothing. [`projected`] is a pure function for every key press; [`plan`]
//! looks at the drives. Start there.

mod adopt;
mod alone;
mod anchor;
mod berth;
mod course;
mod draft;
mod draft_file;
mod edits;
mod entries;
mod findings;
mod fit;
mod leading;
mod libraries;
mod making;
pub mod order;
mod quiet;
mod removal;
mod sharing;
mod suggest;
mod time;
mod what_if;

pub use adopt::{Adoption, Guided, plan_adoption, plan_staging, watch_adoption};
pub use alone::plan_made;
pub use anchor::{ANCHOR, Anchor, anchors, plan_anchor};
pub use draft::{Destination, Draft, DraftLot, Links, Load, Trial, projected};
pub use draft_file::{DraftFile, DraftFileError, FileLot, Misfit};
pub use edits::{MakeLetters, Preview, PreviewKind};
pub use findings::{Clearing, Finding, FindingKind, Limit, Weight};
pub(crate) use leading::lead_anew;
pub use libraries::{LibraryWish, plan_library};
pub use making::{Aside, Mode, Plan, PlannedLot, Policy, Step, StepKind, plan};
pub use quiet::quiet;
pub use removal::plan_removal;
pub(crate) use sharing::fight;
pub use suggest::{Aim, Line, Miss, Suggestion, Why, suggest};
pub use time::{Basis, LotTime, Slowest, Span, Timing};
pub use what_if::WhatIf;

#[cfg(test)]
mod tests;
