//! Audit: a game against the checksums that were kept of it, now or much later.
//!
//! Law: looking writes nothing but the checksums that a person asks for. A file that was written since is told from one whose
//! bytes changed by themselves: the latter has the size and the time that it had. Start at [`audit`].

mod judge;
mod kept;
mod reading;
mod repair;
mod sums;

pub use judge::{Audit, Fate, audit};
pub use kept::{KeptBy, KeptChecksums, KeptFile, KeptLine, keep, kept_checksums};
pub use reading::AuditPhase;
pub(crate) use repair::bring_file;
pub use repair::{Repaired, mend, other_copies};
pub use sums::{FileSums, sha256_sums};
