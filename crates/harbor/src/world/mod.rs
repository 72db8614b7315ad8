//! Beacon House: the demo's world. Always the same bytes for the same seed and size; made in a few seconds.
//!
//! The file that makes it a world is written last, so that a world that is there is whole.

mod around;
mod bytes;
mod games;
mod others;
mod quillgate;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use thiserror::Error;

use crate::system::{CONFIG, fathom_profile, forget_berths, real};

pub use around::{LEFT, STRAY};
pub use games::{Build, GAMES};
pub use quillgate::PROFILE;

/// How large a world is, in thousandths of the demo's.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Scale(pub u64);

impl Scale {
    /// The demo: some 500 MB.
    pub const DEMO: Self = Self(1000);
    /// For tests: some 10 MB.
    pub const SMALL: Self = Self(20);

    fn of(self, count: u64) -> u64 {
        (count * self.0 / 1000).max(1)
    }
}

/// Why a world was not made.
#[derive(Debug, Error)]
pub enum WorldError {
    /// Something could not be written.
    #[error("couldn't make {path}: {source}")]
    Write {
        /// What.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// Something that is no world is in the way.
    #[error("{0} is there and is not a demo world; choose another folder with --dir")]
    InTheWay(PathBuf),
}

pub(crate) type Result<T> = std::result::Result<T, WorldError>;

pub(crate) fn failed(path: &Path) -> impl FnOnce(io::Error) -> WorldError + '_ {
    move |source| WorldError::Write { path: path.into(), source }
}

/// Makes a link, and the folders above it.
pub(crate) fn link(target: &Path, at: &Path) -> Result<()> {
    fs::create_dir_all(at.parent().unwrap_or(at)).map_err(failed(at))?;
    crate::system::link(target, at).map_err(failed(at))
}

struct Drive {
    tag: u8,
    name: &'static str,
    kind: &'static str,
    file_system: &'static str,
    capacity: u64,
    other: u64,
}

const MEGABYTE: u64 = 1_000_000;

const DRIVES: [Drive; 4] = [
    Drive { tag: 1, name: "swift", kind: "nvme", file_system: "ext4", capacity: 260 * MEGABYTE, other: 48 * MEGABYTE },
    Drive { tag: 2, name: "cellar", kind: "disk", file_system: "ntfs", capacity: 480 * MEGABYTE, other: 90 * MEGABYTE },
    Drive { tag: 3, name: "pocket", kind: "usb", file_system: "exfat", capacity: 120 * MEGABYTE, other: 3 * MEGABYTE },
    Drive { tag: 4, name: "newhold", kind: "nvme", file_system: "btrfs", capacity: 640 * MEGABYTE, other: 0 },
];

/// Whether there is a whole world in a folder.
pub fn is_there(folder: &Path) -> bool {
    folder.join("world.toml").is_file()
}

/// Makes a world in `folder`, which must be absent or empty.
///
/// # Errors
/// [`WorldError::InTheWay`] if something else is there.
pub fn make(folder: &Path, seed: u64, scale: Scale) -> Result<()> {
    make_and_tell(folder, seed, scale, &|_, _| {})
}

/// Makes a world as [`make`] does; `report` hears how many games are made, and how many there will be.
///
/// # Errors
/// What the system said; the folder may hold a part of the world then.
pub fn make_and_tell(folder: &Path, seed: u64, scale: Scale, report: &dyn Fn(usize, usize)) -> Result<()> {
    if folder.read_dir().is_ok_and(|mut entries| entries.next().is_some()) {
        return Err(WorldError::InTheWay(folder.into()));
    }
    fs::create_dir_all(folder).map_err(failed(folder))?;
    let folder = &real(folder).map_err(failed(folder))?;
    let drives = folder.join("drives");
    for drive in &DRIVES {
        let root = drives.join(drive.name);
        fs::create_dir_all(&root).map_err(failed(&root))?;
        if drive.other > 0 {
            bytes::other(&root, seed ^ u64::from(drive.tag), scale.of(drive.other))?;
        }
    }
    let home = folder.join("home");
    let all = GAMES.len() + others::COUNT;
    let bad = quillgate::write(&drives, &home, seed, scale, &|done| report(done, all))?;
    others::write(&drives, &home, seed, scale, &|done| report(GAMES.len() + done, all))?;
    around::write(&drives, &home, seed, scale)?;
    for (name, profile) in others::PROFILES.into_iter().chain([("quillgate.toml", quillgate::PROFILE)]) {
        let text = if name == "fathom-row.toml" { fathom_profile(profile, &home) } else { profile.into() };
        bytes::text(&home.join(CONFIG).join("deft-barge").join("profiles").join(name), &text)?;
    }
    // Last: a world without this file is not one yet.
    bytes::text(&folder.join("world.toml"), &world_file(seed, scale, &bad))
}

/// Removes a world that [`make`] made, and nothing else.
///
/// # Errors
/// What the system said; what it could not remove is left.
pub fn remove(folder: &Path) -> Result<()> {
    if !is_there(folder) {
        return Err(WorldError::InTheWay(folder.into()));
    }
    let home = folder.join("home");
    forget_berths(&real(folder).unwrap_or_else(|_| folder.into()).join("home")).map_err(failed(&home))?;
    for part in ["drives", "home"] {
        let part = folder.join(part);
        if part.exists() {
            fs::remove_dir_all(&part).map_err(failed(&part))?;
        }
    }
    let file = folder.join("world.toml");
    fs::remove_file(&file).map_err(failed(&file))
}

fn world_file(seed: u64, scale: Scale, bad: &quillgate::Unreadable) -> String {
    let mut out = format!("# Beacon House, a made-up world.\nformat = 1\nseed = {seed}\nhome = \"home\"\n");
    for drive in &DRIVES {
        // Small files do not shrink with the scale: a small world has some room more for them.
        let more = if scale.0 < 1000 { 2 * MEGABYTE } else { 0 };
        let (name, capacity) = (drive.name, scale.of(drive.capacity) + more);
        out.push_str(&format!(
            "\n[[drives]]\ntag = {}\nname = \"{name}\"\nroot = \"drives/{name}\"\ncapacity = {capacity}\nkind = \"{}\"\nfile-system = \"{}\"\n",
            drive.tag, drive.kind, drive.file_system
        ));
        if name == bad.drive {
            out.push_str(&format!(
                "\n[[drives.unreadable]]\nfile = \"{}\"\nfrom = {}\nbytes = {}\n",
                bad.file, bad.from, bad.bytes
            ));
        }
    }
    out
}
