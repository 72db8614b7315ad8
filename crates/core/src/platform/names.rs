//! Names as bytes: what is kept of a path in the journal, and compared where no text is meant.

use std::ffi::OsStr;
use std::path::Path;

/// A name or path that has bytes. They lead back to the very same name by [`super::name_of`], whether they are text or not.
pub(crate) trait NameBytes {
    /// The bytes of the name.
    fn name_bytes(&self) -> &[u8];
}

impl NameBytes for OsStr {
    fn name_bytes(&self) -> &[u8] {
        self.as_encoded_bytes()
    }
}

impl NameBytes for Path {
    fn name_bytes(&self) -> &[u8] {
        self.as_os_str().as_encoded_bytes()
    }
}

/// Whether the bytes behind a path begin with a separator, so that what they say lies in it.
pub(crate) fn begins_behind(rest: &[u8]) -> bool {
    rest.first().is_some_and(|byte| std::path::is_separator(char::from(*byte)))
}
