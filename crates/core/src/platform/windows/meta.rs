//! What stands beside a file's bytes: times, and the attributes that go with it.

use std::fs::{File, FileTimes, OpenOptions};
use std::io;
use std::os::windows::fs::OpenOptionsExt;
use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use deft_barge_windows::set_attributes;

use super::seen::{FOLDERS_TOO, ITSELF, READ_ONLY, SHARED, attributes_in, look_open};
use crate::platform::contract::{Meta, Refused};

/// `FILE_READ_ATTRIBUTES | FILE_WRITE_ATTRIBUTES`.
const ATTRIBUTES: u32 = 0x80 | 0x100;

fn time_of(modified_ns: i128) -> SystemTime {
    let part = |ns: i128| Duration::from_nanos(u64::try_from(ns).unwrap_or(u64::MAX));
    if modified_ns < 0 { UNIX_EPOCH - part(-modified_ns) } else { UNIX_EPOCH + part(modified_ns) }
}

/// Sets the times and attributes of an open file or folder; gives what the file system did not take. With `look` the time is looked at
/// afterwards, and set once more where the file system did not heed it.
///
/// # Errors
/// What the system says.
pub(crate) fn apply_meta(file: &File, meta: &Meta, look: bool) -> io::Result<Vec<Refused>> {
    let times = FileTimes::new().set_modified(time_of(meta.modified_ns));
    file.set_times(times)?;
    if look && look_open(file)?.modified_ns / 100 != meta.modified_ns / 100 {
        file.set_times(times)?;
    }
    let (attributes, read_only) = attributes_in(meta.mode);
    let folder = look_open(file)?.is_folder();
    let wanted = attributes | if read_only && !folder { READ_ONLY } else { 0 };
    let taken = set_attributes(file, wanted);
    Ok(if taken.is_ok() { Vec::new() } else { vec![Refused::Permissions] })
}

/// Attributes with names and values: alternate streams are not read yet, and nothing else is.
///
/// # Errors
/// None.
pub(crate) fn attributes_of(_path: &Path) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    Ok(Vec::new())
}

#[expect(clippy::disallowed_methods, reason = "this is the door for times")]
fn opened(path: &Path) -> io::Result<File> {
    let mut how = OpenOptions::new();
    how.access_mode(ATTRIBUTES).share_mode(SHARED).custom_flags(FOLDERS_TOO | ITSELF).open(path)
}

/// Sets the same of a folder; a link is refused.
///
/// # Errors
/// What the system says.
pub(crate) fn apply_folder_meta(path: &Path, meta: &Meta) -> io::Result<Vec<Refused>> {
    let folder = opened(path)?;
    if !look_open(&folder)?.is_folder() {
        return Err(io::ErrorKind::NotADirectory.into());
    }
    apply_meta(&folder, meta, true)
}

/// Sets the time of a link itself.
///
/// # Errors
/// What the system says.
pub(crate) fn apply_link_meta(at: &Path, modified_ns: i128, _owner: Option<(u32, u32)>) -> io::Result<()> {
    opened(at)?.set_times(FileTimes::new().set_modified(time_of(modified_ns)))
}
