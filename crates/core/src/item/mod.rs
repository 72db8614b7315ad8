//! What is moved, and what is known of it: the contract between planning, the journal and the haul.
//!
//! Law: plain values; nothing here looks at a drive but to say where an item lies now.

mod block_map;
mod finding;
mod left;
mod planned;
mod preview;
mod progress;
mod proof;
mod stage;

pub use block_map::ByteState;
pub(crate) use block_map::{BlockChange, BlockMap};
pub use finding::{Clearing, Finding, FindingKind, Limit, Nicety, Severity};
pub use left::{Left, WhyLeft};
pub use planned::{Displaced, Links, LooseFolders, PlannedItem, Policy, Strategy, Trial};
pub use preview::{Preview, PreviewKind};
pub(crate) use progress::RateMeter;
pub use progress::{Amount, Progress};
pub(crate) use proof::DifferingBlocks;
pub use proof::{Difference, DifferenceKind, Proof, Residue};
pub use stage::{MadeAt, Stage, StageError, StageKind};
