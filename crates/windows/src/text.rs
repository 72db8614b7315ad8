//! Text as the system takes and gives it: UTF-16 with a zero at its end.

use std::ffi::{OsStr, OsString};
use std::os::windows::ffi::{OsStrExt, OsStringExt};
use std::path::Path;

/// A name with the zero at its end.
pub(crate) fn wide(text: impl AsRef<OsStr>) -> Vec<u16> {
    text.as_ref().encode_wide().chain([0]).collect()
}

/// A folder's name with the separator at its end that some calls want, and the zero behind it.
pub(crate) fn wide_folder(path: &Path) -> Vec<u16> {
    let mut text: Vec<u16> = path.as_os_str().encode_wide().collect();
    if text.last() != Some(&u16::from(b'\\')) {
        text.push(u16::from(b'\\'));
    }
    text.push(0);
    text
}

/// The text before the first zero.
pub(crate) fn read(units: &[u16]) -> OsString {
    let end = units.iter().position(|unit| *unit == 0).unwrap_or(units.len());
    OsString::from_wide(&units[..end])
}

/// The texts that stand one behind the other, each with a zero at its end.
pub(crate) fn read_all(units: &[u16]) -> Vec<OsString> {
    units.split(|unit| *unit == 0).take_while(|part| !part.is_empty()).map(OsString::from_wide).collect()
}
