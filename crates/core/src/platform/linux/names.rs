//! Names of Linux: any bytes.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;

/// The name that has these bytes.
pub(crate) fn name_of(bytes: Vec<u8>) -> OsString {
    OsString::from_vec(bytes)
}
