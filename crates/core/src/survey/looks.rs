//! Whether a folder looks like a game: programs, and large files beside them.

use std::io::Read;
use std::path::{Path, PathBuf};

use super::listing::FolderListing;
use crate::platform;

/// What a folder has of a game.
pub(crate) struct Looks {
    pub(crate) programs: usize,
    pub(crate) packs: usize,
}

/// A file of so many bytes that is no program counts as a pack: our own choice, small enough for small games.
const PACK: u64 = 32 * 1024;

/// Files that are opened at most, to see whether they are programs.
const OPENED: usize = 400;

/// Files that are listed at most, to find one.
const LISTED: usize = 20_000;

impl Looks {
    pub(crate) fn like_a_game(&self) -> bool {
        self.programs > 0 && self.packs > 0
    }
}

/// Counts programs and packs, as far as was looked.
pub(crate) fn looks_like_a_game(folder: &Path, listing: &FolderListing) -> Looks {
    let mut looks = Looks { programs: 0, packs: 0 };
    let mut opened = 0;
    for (path, size) in listing.iter() {
        if may_start_a_game(path) && opened < OPENED {
            opened += 1;
            if is_program(&folder.join(path)) {
                looks.programs += 1;
                continue;
            }
        }
        looks.packs += usize::from(size >= PACK);
    }
    looks
}

/// Whether there is a program near the top of a folder: no more of it is looked at than that takes.
pub(crate) fn holds_a_program(folder: &Path) -> bool {
    let files = FolderListing::lazily(folder).take(LISTED);
    let below = |file: &PathBuf| file.strip_prefix(folder).is_ok_and(may_start_a_game);
    files.filter(below).take(OPENED).any(|file| is_program(&file))
}

/// Whether a file may be a program by its path below a game. What lies deep is rarely what starts one.
fn may_start_a_game(path: &Path) -> bool {
    let end = path.extension().map(|end| end.to_string_lossy().to_lowercase()).unwrap_or_default();
    ["", "exe", "sh", "bin", "x86", "x86_64", "appimage", "run"].contains(&end.as_str())
        && path.components().count() <= 4
}

/// Whether a file begins as a program does: ELF, PE (by their specifications), or a script's `#!`.
pub(crate) fn is_program(file: &Path) -> bool {
    let mut start = [0; 4];
    let count = platform::open(file).and_then(|mut open| open.read(&mut start)).unwrap_or(0);
    let start = &start[..count];
    start.starts_with(b"\x7fELF") || start.starts_with(b"MZ") || start.starts_with(b"#!")
}
