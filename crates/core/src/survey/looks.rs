//! Whether a folder looks like a game: programs, and large files beside them.

use std::io::Read;
use std::path::Path;

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
        let end = path.extension().map(|end| end.to_string_lossy().to_lowercase()).unwrap_or_default();
        let may_be = ["", "exe", "sh", "bin", "x86", "x86_64", "appimage", "run"].contains(&end.as_str());
        // What lies deep is rarely what starts a game.
        let shallow = path.components().count() <= 4;
        if may_be && shallow && opened < OPENED {
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

/// Whether a file begins as a program does: ELF, PE (by their specifications), or a script's `#!`.
pub(crate) fn is_program(file: &Path) -> bool {
    let mut start = [0; 4];
    let count = platform::open(file).and_then(|mut open| open.read(&mut start)).unwrap_or(0);
    let start = &start[..count];
    start.starts_with(b"\x7fELF") || start.starts_with(b"MZ") || start.starts_with(b"#!")
}
