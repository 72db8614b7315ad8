//! What Windows knows of a name.

use std::ffi::{OsStr, OsString};
use std::fs::{DirEntry, File, OpenOptions};
use std::io;
use std::os::windows::fs::OpenOptionsExt;
use std::path::{Component, Path, PathBuf, Prefix};

use deft_barge_windows::{Facts, facts};

use super::exact::exact;
use crate::platform::contract::{Seen, SeenKind};

/// `FILE_READ_ATTRIBUTES`: enough to look, and given where nothing may be read.
const LOOK: u32 = 0x80;
/// `FILE_FLAG_BACKUP_SEMANTICS`: folders are opened as well.
pub(super) const FOLDERS_TOO: u32 = 0x0200_0000;
/// `FILE_FLAG_OPEN_REPARSE_POINT`: a link is opened itself.
pub(super) const ITSELF: u32 = 0x0020_0000;
/// Everybody else may read, write and remove meanwhile.
pub(super) const SHARED: u32 = 7;
/// `FILE_ATTRIBUTE_READONLY`.
pub(super) const READ_ONLY: u32 = 1;
/// Attributes that go with a file: hidden, system, archive, not indexed.
const CARRIED: u32 = 0x2 | 0x4 | 0x20 | 0x2000;
/// Where [`Seen::mode`] keeps those attributes, above the bits that say who may do what.
const SHIFT: u32 = 12;

/// Reparse points that lead elsewhere: symbolic links and junctions.
const LINKS: [u32; 2] = [0xa000_000c, 0xa000_0003];

/// Seconds from 1601 to 1970.
const TO_1970: i128 = 11_644_473_600;

/// A time of the system, in units of 100 ns since 1601, as nanoseconds since 1970.
pub(super) fn since_1970(time: i64) -> i128 {
    i128::from(time) * 100 - TO_1970 * 1_000_000_000
}

/// The attributes of a file that go with it, of its mode; and whether it is read-only.
pub(super) fn attributes_in(mode: u32) -> (u32, bool) {
    (mode >> SHIFT & CARRIED, mode & 0o200 == 0)
}

impl From<Facts> for Seen {
    fn from(facts: Facts) -> Self {
        let kind = match facts {
            facts if LINKS.contains(&facts.reparse_tag) => SeenKind::Link,
            facts if facts.is_folder => SeenKind::Folder,
            _ => SeenKind::File,
        };
        // A folder's own read-only bit means something else: it is drawn in another way (Explorer).
        let writable = kind != SeenKind::File || facts.attributes & READ_ONLY == 0;
        let may = if kind == SeenKind::Folder { 0o700 } else { 0o400 | if writable { 0o200 } else { 0 } };
        Self {
            kind,
            device: facts.volume.into(),
            inode: facts.id,
            size: facts.size,
            allocated: facts.allocated,
            names: facts.names.into(),
            mode: may | (facts.attributes & CARRIED) << SHIFT,
            owner: (0, 0),
            modified_ns: since_1970(facts.modified),
            changed_ns: since_1970(facts.changed),
        }
    }
}

#[expect(clippy::disallowed_methods, reason = "this is the door for looks")]
fn opened(path: &Path, flags: u32) -> io::Result<File> {
    OpenOptions::new().access_mode(LOOK).share_mode(SHARED).custom_flags(FOLDERS_TOO | flags).open(exact(path))
}

/// Looks at what a path leads to, through links.
///
/// # Errors
/// What the system says.
pub(crate) fn look_behind(path: impl AsRef<Path>) -> io::Result<Seen> {
    look_open(&opened(path.as_ref(), 0)?)
}

/// Looks at a name itself; of a link, at the link.
///
/// # Errors
/// What the system says.
pub(crate) fn look_itself(path: impl AsRef<Path>) -> io::Result<Seen> {
    look_open(&opened(path.as_ref(), ITSELF)?)
}

/// Looks at an open file or folder.
///
/// # Errors
/// What the system says.
pub(crate) fn look_open(file: &File) -> io::Result<Seen> {
    facts(file).map(Seen::from)
}

/// What an entry of a folder is, links not followed.
///
/// # Errors
/// What the system says.
pub(crate) fn entry_seen(entry: &DirEntry) -> io::Result<Seen> {
    look_itself(entry.path())
}

/// Refuses what is no file, by its kind.
///
/// # Errors
/// [`io::ErrorKind::IsADirectory`] of a folder, [`io::ErrorKind::InvalidInput`] of anything else.
pub(crate) fn must_be_file(file: &File) -> io::Result<()> {
    match look_open(file)?.kind {
        SeenKind::File => Ok(()),
        SeenKind::Folder => Err(io::ErrorKind::IsADirectory.into()),
        SeenKind::Link | SeenKind::Other => {
            Err(io::Error::new(io::ErrorKind::InvalidInput, "it is a link, not a file"))
        }
    }
}

/// A path with all links followed, written as people write it: the standard library's sign for a path that is taken literally goes, since
/// it puts that before long paths itself.
///
/// # Errors
/// What the system says.
pub(crate) fn real(path: &Path) -> io::Result<PathBuf> {
    let real = exact(path).canonicalize()?;
    let mut parts = real.components();
    let Some(Component::Prefix(prefix)) = parts.next() else { return Ok(real) };
    Ok(match prefix.kind() {
        Prefix::VerbatimDisk(letter) => Path::new(&format!("{}:", char::from(letter))).join(parts.as_path()),
        Prefix::VerbatimUNC(server, share) => {
            let mut top = OsString::from(r"\\");
            [server, OsStr::new(r"\"), share].into_iter().for_each(|part| top.push(part));
            Path::new(&top).join(parts.as_path())
        }
        _ => real,
    })
}
