//! How much room there is.

use std::io;
use std::path::Path;

use deft_barge_windows::room_at;

use crate::bytes::Bytes;
use crate::platform::contract::Usage;

/// Asks the file system at `path` how full it is.
///
/// # Errors
/// What the system said.
pub(crate) fn usage_of(path: &Path) -> io::Result<Usage> {
    let room = room_at(path)?;
    Ok(Usage {
        capacity: Bytes::new(room.capacity),
        used: Bytes::new(room.capacity.saturating_sub(room.free)),
        free: Bytes::new(room.for_user),
    })
}

/// Whether a flush of a whole volume says that a write has failed: only an administrator may ask for one, so nobody relies on it.
pub(crate) fn flush_of_all_tells_errors() -> bool {
    false
}
