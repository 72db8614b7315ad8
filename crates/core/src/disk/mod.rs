//! The one door to every write, flush, rename and removal on a drive, and to the reads of a haul.
//!
//! Law: nothing else in core changes a drive. A [`Gate`] stands before each [`Act`]: a declared
//! drive refuses there what it could not hold, and tests fail or cut the power there.
//! Start at [`Disk`].

mod act;
mod declared;
mod permit;
mod real;

#[cfg(test)]
mod tests;

pub(crate) use crate::platform::attributes_of;
pub use crate::platform::{Folder, FolderLock, Meta, Refused};
pub use act::{Act, Gate, What};
pub use declared::{DeclaredFault, DeclaredRules};
pub use permit::RemovalPermit;
pub use real::{Buffer, Disk, DiskFile};
