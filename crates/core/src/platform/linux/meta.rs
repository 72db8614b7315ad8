//! What stands beside a file's bytes: permissions, owner, times and extended attributes.

use std::ffi::{CString, OsStr};
use std::io;
use std::os::fd::AsFd;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use crate::platform::contract::{Meta, Refused};
use rustix::fs::{AtFlags, Mode, OFlags, Timespec, Timestamps};

fn stamps(modified_ns: i128) -> Timestamps {
    let part = |part: i128| i64::try_from(part).unwrap_or_default();
    let (tv_sec, tv_nsec) = (part(modified_ns.div_euclid(1_000_000_000)), part(modified_ns.rem_euclid(1_000_000_000)));
    let last_modification = Timespec { tv_sec, tv_nsec };
    let last_access = Timespec { tv_sec: 0, tv_nsec: rustix::fs::UTIME_OMIT };
    Timestamps { last_access, last_modification }
}

/// Sets permissions, owner where allowed, attributes and times of an open file or folder; gives what the file system did not take. With
/// `look` the times are looked at afterwards, and set once more where the file system did not heed them.
pub(crate) fn apply_meta(handle: impl AsFd, meta: &Meta, look: bool) -> io::Result<Vec<Refused>> {
    let handle = handle.as_fd();
    let mut refused = Vec::new();
    // What the owner wrote needs the right to write, which may go with the permissions; access lists and capabilities
    // come after owner and permissions, which would change them.
    let set = |of_owner: bool, refused: &mut Vec<Refused>| {
        for (name, value) in meta.attributes.iter().filter(|(name, _)| name.starts_with(b"user.") == of_owner) {
            let Ok(text) = CString::new(name.as_slice()) else { continue };
            // The bytes matter more; whether the file system could have taken it is for the caller to say.
            if rustix::fs::fsetxattr(handle, text.as_c_str(), value, rustix::fs::XattrFlags::empty()).is_err() {
                refused.push(Refused::Attribute(name.clone()));
            }
        }
    };
    set(true, &mut refused);
    // Only root may give a file away; for everybody else the copy is the copier's.
    let (user, group) = meta.owner;
    let owner = (Some(rustix::fs::Uid::from_raw(user)), Some(rustix::fs::Gid::from_raw(group)));
    if rustix::fs::fchown(handle, owner.0, owner.1).is_err() {
        refused.push(Refused::Owner);
    }
    match rustix::fs::fchmod(handle, Mode::from_raw_mode(meta.mode)) {
        Ok(()) => {}
        // exFAT and NTFS through FUSE hold no permissions.
        Err(rustix::io::Errno::PERM | rustix::io::Errno::OPNOTSUPP) => refused.push(Refused::Permissions),
        Err(error) => return Err(error.into()),
    }
    set(false, &mut refused);
    let mut times = stamps(meta.modified_ns);
    rustix::fs::futimens(handle, &times)?;
    if !look {
        return Ok(refused);
    }
    // Some block mounts through FUSE heed times only if both are given, and say nothing otherwise. How near the two times
    // are says nothing: the original may have been written a moment ago. Where times are coarse this sets them twice.
    let seen = rustix::fs::fstat(handle)?;
    let wanted = times.last_modification;
    if (seen.st_mtime, seen.st_mtime_nsec.cast_signed()) != (wanted.tv_sec, wanted.tv_nsec) {
        times.last_access = Timespec { tv_sec: seen.st_atime, tv_nsec: seen.st_atime_nsec.cast_signed() };
        rustix::fs::futimens(handle, &times)?;
    }
    Ok(refused)
}

/// Whether an attribute goes with its file: what programs and people set (xattr(7)), access lists and capabilities;
/// not what a security module derives from the place, and not what a file system keeps there for itself.
fn is_carried(name: &[u8]) -> bool {
    name.starts_with(b"user.") || name.starts_with(b"system.posix_acl_") || name == b"security.capability"
}

/// Reads the attributes of a file or folder that go with it; none where the file system knows none.
pub(crate) fn attributes_of(path: &Path) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    /// The kernel's limits for a list of names and for a value, XATTR_LIST_MAX and XATTR_SIZE_MAX.
    const LARGEST: usize = 65536;
    let mut names = [0_u8; 4096];
    let mut more = Vec::new();
    let names: &[u8] = match rustix::fs::llistxattr(path, &mut names[..]) {
        Ok(0) | Err(rustix::io::Errno::OPNOTSUPP) => return Ok(Vec::new()),
        Ok(length) => &names[..length],
        Err(rustix::io::Errno::RANGE) => {
            more.resize(LARGEST, 0);
            let length = rustix::fs::llistxattr(path, &mut more[..])?;
            &more[..length]
        }
        Err(error) => return Err(error.into()),
    };
    let mut out = Vec::new();
    for name in names.split(|b| *b == 0).filter(|name| is_carried(name)) {
        let mut value = vec![0_u8; LARGEST];
        match rustix::fs::lgetxattr(path, OsStr::from_bytes(name), &mut value[..]) {
            Ok(length) => {
                value.truncate(length);
                out.push((name.to_vec(), value));
            }
            // It went between the list and the look.
            Err(rustix::io::Errno::NODATA) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(out)
}

/// Sets the same of a folder; a link is refused.
pub(crate) fn apply_folder_meta(path: &Path, meta: &Meta) -> io::Result<Vec<Refused>> {
    let flags = OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    apply_meta(&rustix::fs::open(path, flags, Mode::empty())?, meta, true)
}

/// Sets the time of a link itself, and its owner where one is given and the file system knows owners.
pub(crate) fn apply_link_meta(at: &Path, modified_ns: i128, owner: Option<(u32, u32)>) -> io::Result<()> {
    if let Some((user, group)) = owner {
        use rustix::io::Errno;
        let (user, group) = (rustix::fs::Uid::from_raw(user), rustix::fs::Gid::from_raw(group));
        match rustix::fs::chownat(rustix::fs::CWD, at, Some(user), Some(group), AtFlags::SYMLINK_NOFOLLOW) {
            Err(Errno::PERM | Errno::NOSYS | Errno::OPNOTSUPP | Errno::INVAL) => {}
            other => other?,
        }
    }
    let times = stamps(modified_ns);
    Ok(rustix::fs::utimensat(rustix::fs::CWD, at, &times, AtFlags::SYMLINK_NOFOLLOW)?)
}
