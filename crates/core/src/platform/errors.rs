//! Errors as the system would give them, and what is asked of those that it gave. What its numbers are it says itself.

use std::io;

use super::contract::{SystemError, is_one_of};
use super::system::error_number;

impl From<SystemError> for io::Error {
    fn from(error: SystemError) -> Self {
        Self::from_raw_os_error(error_number(error))
    }
}

/// Whether links lead in a circle, or a link stands where none is followed.
pub(crate) fn is_circle(error: &io::Error) -> bool {
    is_one_of(error, &[error_number(SystemError::Circle)])
}

/// Whether a file system doesn't know what it was asked for.
pub(crate) fn is_invalid(error: &io::Error) -> bool {
    is_one_of(error, &[error_number(SystemError::Invalid)])
}
