//! What stands beside a file's bytes: times, and the attributes that go with it.

use std::ffi::OsStr;
use std::fs::{File, FileTimes, OpenOptions};
use std::io::{self, Read, Write};
use std::os::windows::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use deft_barge_windows::{access_of, path_of, set_access, set_attributes, streams_of};

use super::exact::exact;
use super::names::name_of;
use super::seen::{FOLDERS_TOO, ITSELF, READ_ONLY, SHARED, attributes_in, look_open};
use crate::platform::NameBytes;
use crate::platform::access::{access_list, own_access};
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
    // Each of them is a change of the file: its time comes last.
    let mut refused = write_streams(file, &meta.attributes);
    let times = FileTimes::new().set_modified(time_of(meta.modified_ns));
    file.set_times(times)?;
    if look && look_open(file)?.modified_ns / 100 != meta.modified_ns / 100 {
        file.set_times(times)?;
    }
    let (attributes, read_only) = attributes_in(meta.mode);
    let folder = look_open(file)?.is_folder();
    let wanted = attributes | if read_only && !folder { READ_ONLY } else { 0 };
    let taken = set_attributes(file, wanted);
    refused.extend(taken.is_err().then_some(Refused::Permissions));
    // Last: it may take from this person what the others need.
    let access = meta.attributes.iter().find(|(name, _)| name == ACCESS);
    if access.is_some_and(|(_, wanted)| give_access(file, wanted).is_err()) {
        refused.push(Refused::Attribute(ACCESS_SHOWN.into()));
    }
    Ok(refused)
}

/// The name under which an access list goes with its file, which no stream can bear; and how it is shown.
const ACCESS: &[u8] = b":access list";
const ACCESS_SHOWN: &[u8] = b"access list";
/// `READ_CONTROL`, `WRITE_DAC`.
const READ_ACCESS: u32 = 0x2_0000;
const WRITE_ACCESS: u32 = 0x4_0000;

#[expect(clippy::disallowed_methods, reason = "this is the door for access lists")]
fn opened_for(path: &Path, rights: u32) -> io::Result<File> {
    OpenOptions::new().access_mode(rights).share_mode(SHARED).custom_flags(FOLDERS_TOO | ITSELF).open(exact(path))
}

/// What somebody set on a file or folder itself about who may do what; `None` where all comes from its folder, where its file system knows
/// nothing of it, and where this person may not even ask.
fn access_at(path: &Path) -> Option<Vec<u8>> {
    own_access(&access_of(&opened_for(path, READ_ACCESS).ok()?).ok()?)
}

/// Gives a file or folder the access list of another. One that it has is not set again: of a folder that takes a look at all that is in it.
fn give_access(file: &File, wanted: &[u8]) -> io::Result<()> {
    let (path, (alone, list)) = (path_of(file)?, access_list(wanted).ok_or(io::ErrorKind::InvalidData)?);
    if access_at(&path).as_deref() == Some(wanted) {
        return Ok(());
    }
    set_access(&opened_for(&path, READ_ACCESS | WRITE_ACCESS)?, list, alone)
}

/// Bytes of a further stream that is carried: they are held in memory. Our own bound, a thousand times what programs put there.
const LARGEST: u64 = 16 << 20;

/// What stands beside a file's bytes under names of its own: its further streams, and its access list where somebody set one.
///
/// # Errors
/// What the system says; [`io::ErrorKind::FileTooLarge`] for a stream that is larger than any that is carried.
#[expect(clippy::disallowed_methods, reason = "a stream is no file of its own")]
pub(crate) fn attributes_of(path: &Path) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    let mut all = Vec::new();
    for (name, size) in streams_of(&exact(path))? {
        if size > LARGEST {
            let what = format!("its stream {} is larger than {} MB", name.display(), LARGEST >> 20);
            return Err(io::Error::new(io::ErrorKind::FileTooLarge, what));
        }
        let mut bytes = Vec::new();
        let stream = OpenOptions::new().read(true).share_mode(SHARED).open(stream_of(path, &name))?;
        // It may grow while it is read.
        stream.take(LARGEST + 1).read_to_end(&mut bytes)?;
        if bytes.len() as u64 > LARGEST {
            return Err(io::ErrorKind::FileTooLarge.into());
        }
        all.push((name.name_bytes().to_vec(), bytes));
    }
    all.extend(access_at(path).map(|access| (ACCESS.to_vec(), access)));
    all.sort();
    Ok(all)
}

/// The path of a file's stream.
fn stream_of(path: &Path, name: &OsStr) -> PathBuf {
    let mut text = exact(path).into_owned().into_os_string();
    text.push(":");
    text.push(name);
    text.into()
}

/// Writes the streams of a copy; gives those that its file system did not take.
#[expect(clippy::disallowed_methods, reason = "this is the door for streams")]
fn write_streams(file: &File, wanted: &[(Vec<u8>, Vec<u8>)]) -> Vec<Refused> {
    let streams = || wanted.iter().filter(|(name, _)| name != ACCESS);
    let path = streams().next().and_then(|_| path_of(file).ok());
    let mut refused = Vec::new();
    for (name, bytes) in streams() {
        let write = |path: &PathBuf| -> io::Result<()> {
            let mut how = OpenOptions::new();
            let at = stream_of(path, &name_of(name.clone()));
            let mut stream = how.write(true).create(true).truncate(true).share_mode(SHARED).open(at)?;
            stream.write_all(bytes)?;
            stream.sync_all()
        };
        if path.as_ref().is_none_or(|path| write(path).is_err()) {
            refused.push(Refused::Attribute(name.clone()));
        }
    }
    refused
}

#[expect(clippy::disallowed_methods, reason = "this is the door for times")]
fn opened(path: &Path) -> io::Result<File> {
    let mut how = OpenOptions::new();
    how.access_mode(ATTRIBUTES).share_mode(SHARED).custom_flags(FOLDERS_TOO | ITSELF).open(exact(path))
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

#[cfg(test)]
#[expect(clippy::disallowed_methods, reason = "tests build their world by hand")]
mod tests {
    use super::*;
    use std::fs;

    /// An entry that lets everybody (S-1-1-0) do what the bits say.
    fn everybody(bits: u32) -> Vec<u8> {
        let sid = [1, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0];
        [&[0, 0, 20, 0], bits.to_le_bytes().as_slice(), &sid].concat()
    }

    #[test]
    fn an_access_list_goes_with_a_copy_and_with_a_folder() {
        let place = tempfile::tempdir().unwrap();
        let (from, to) = (place.path().join("from"), place.path().join("to"));
        for folder in [false, true] {
            for at in [&from, &to] {
                if folder { fs::create_dir(at).unwrap() } else { fs::write(at, "x").unwrap() }
            }
            let entry = everybody(0x1f_01ff);
            let list = [&[2, 0, 28, 0, 1, 0, 0, 0], entry.as_slice()].concat();
            set_access(&opened_for(&from, READ_ACCESS | WRITE_ACCESS).unwrap(), &list, true).unwrap();
            let attributes = attributes_of(&from).unwrap();
            assert!(attributes.iter().any(|(name, _)| name == ACCESS), "{attributes:?}");
            assert_ne!(attributes, attributes_of(&to).unwrap());
            let meta = Meta { mode: 0o600, owner: (0, 0), modified_ns: 1_700_000_000_000_000_000, attributes };
            let set = if folder {
                apply_folder_meta(&to, &meta)
            } else {
                apply_meta(&OpenOptions::new().read(true).write(true).open(&to).unwrap(), &meta, true)
            };
            assert_eq!(set.unwrap(), []);
            assert_eq!(attributes_of(&to).unwrap(), meta.attributes);
            for at in [&from, &to] {
                if folder { fs::remove_dir(at).unwrap() } else { fs::remove_file(at).unwrap() }
            }
        }
    }
}
