//! Where an item goes, and whether it fits there.

mod destination;
mod fit;
mod loads;

pub(crate) use destination::{KnownPlaces, Placement, Placing, writable_findings};
pub use loads::Load;
pub(crate) use loads::{bytes_there, drive_of, loads_now};
