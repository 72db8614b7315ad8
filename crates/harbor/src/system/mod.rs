//! What differs from system to system in the made-up world: where settings are, how a program is named, what a link is.

#[cfg(not(windows))]
mod linux;
#[cfg(windows)]
mod windows;

#[cfg(not(windows))]
use linux as own;
#[cfg(windows)]
use windows as own;

use std::path::{Path, PathBuf};

pub(crate) use own::{
    ANY_NAME, DESKTOP_ENTRIES, fathom_profile, forget_berths, hear_end, hold, lettered, letters, link, make_letters,
    make_startable, name_process, program, read_berths, real, startable, write_at, write_back, write_berths, written,
};
pub use own::{CONFIG, DATA, START};

/// What Fathom Row knows of a game, in the registry.
#[derive(Clone, Debug)]
pub(crate) struct Berth {
    pub(crate) code: String,
    pub(crate) title: String,
    pub(crate) folder: String,
    pub(crate) program: String,
    /// Only written.
    pub(crate) bytes: u64,
}

/// The program of a game, as this system writes its path.
pub(crate) fn start_of(install: &Path) -> PathBuf {
    START.split('/').fold(install.to_path_buf(), |path, part| path.join(part))
}
