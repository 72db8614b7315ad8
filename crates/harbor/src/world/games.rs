//! What the games of the demo consist of: large packs, many small files, and every oddity that games have.

use std::fs;
use std::path::{Path, PathBuf};

use super::bytes::{Numbers, file, sha1, sparse, stamp};
use super::{MEGABYTE, Result, Scale, failed};
use crate::system::{ANY_NAME, START, link, make_startable, program};

/// How a game is laid out.
#[derive(Clone, Copy, Debug)]
pub struct Build {
    /// The launcher's id of it.
    pub id: &'static str,
    /// Its title.
    pub title: &'static str,
    /// Its folder.
    pub folder: &'static str,
    /// Name of its drive.
    pub drive: &'static str,
    pub(super) packs: u64,
    pub(super) pack: u64,
    pub(super) small: u64,
    pub(super) odd: bool,
    /// Bytes that the launcher claims, instead of the truth.
    pub claim: Option<u64>,
    /// Bytes that an update has and wants.
    pub update: (u64, u64),
    /// Why it is sealed.
    pub sealed: Option<&'static str>,
    /// When it last ran.
    pub last: &'static str,
}

pub(super) const fn plain(
    id: &'static str,
    title: &'static str,
    folder: &'static str,
    drive: &'static str,
    last: &'static str,
) -> Build {
    Build {
        id,
        title,
        folder,
        drive,
        packs: 2,
        pack: 8 * MEGABYTE,
        small: 100,
        odd: false,
        claim: None,
        update: (0, 0),
        sealed: None,
        last,
    }
}

/// The same game, but small: one pack and a few files.
pub(super) const fn small(game: Build) -> Build {
    Build { packs: 1, pack: 2 * MEGABYTE, small: 40, ..game }
}

/// The games that Quillgate has installed.
pub const GAMES: [Build; 8] = [
    Build {
        packs: 6,
        pack: 14 * MEGABYTE,
        small: 1200,
        odd: true,
        ..plain("qg-0107", "Saltflat Rally", "saltflat-rally", "swift", "2026-06-12T19:40:00Z")
    },
    Build {
        packs: 3,
        pack: 12 * MEGABYTE,
        small: 600,
        odd: true,
        update: (1_400_000, 2_600_000),
        ..plain("qg-0112", "Orchard of Nine Bells", "orchard", "swift", "2026-06-11T22:05:00Z")
    },
    Build {
        packs: 2,
        pack: 10 * MEGABYTE,
        small: 160,
        claim: Some(865_000),
        ..plain("qg-0131", "Moss & Meridian", "Moss & Meridian", "swift", "2026-05-22T08:12:00Z")
    },
    Build {
        packs: 4,
        pack: 16 * MEGABYTE,
        small: 500,
        odd: true,
        ..plain("qg-0095", "Night Ferry to Oslow", "night-ferry", "cellar", "2026-02-01T17:30:00Z")
    },
    Build {
        packs: 5,
        pack: 16 * MEGABYTE,
        small: 700,
        odd: true,
        ..plain("qg-0088", "Glasswing Regatta", "glasswing", "cellar", "2025-12-26T10:00:00Z")
    },
    Build {
        packs: 3,
        pack: 11 * MEGABYTE,
        small: 200,
        ..plain("qg-0140", "Brass Herons", "brass-herons", "cellar", "2025-11-03T20:45:00Z")
    },
    Build {
        packs: 2,
        pack: 11 * MEGABYTE,
        small: 150,
        ..plain("qg-0152", "Lantern Cartographers", "lantern", "pocket", "2026-06-01T12:00:00Z")
    },
    Build {
        packs: 1,
        pack: 8 * MEGABYTE,
        small: 40,
        sealed: Some("it is bound to the stick it was delivered on"),
        ..plain("qg-0160", "Copper Kite Circus", "copper-kite", "pocket", "2025-08-17T15:00:00Z")
    },
];

/// A file of a content list.
pub(super) struct Part {
    pub(super) path: String,
    pub(super) size: u64,
    pub(super) sha1: String,
}

/// Writes a game's files and gives its content list.
pub(super) fn write(build: &Build, install: &Path, seed: u64, scale: Scale) -> Result<Vec<Part>> {
    let seed =
        seed ^ build.id.bytes().fold(0_u64, |sum, byte| u64::wrapping_add(u64::wrapping_mul(sum, 31), u64::from(byte)));
    let mut writing = Writing { install, parts: Vec::new(), numbers: Numbers::new(seed) };
    writing.program(build)?;
    for n in 0..build.packs {
        writing.file(&format!("data/pack{n:02}.bin"), scale.of(build.pack) + n * 1013)?;
    }
    // Down to a tenth of a second of a file system's time each: many, but not more than a test can bear.
    let small = (build.small * scale.0.max(50) / 1000).max(4);
    for n in 0..small {
        let size = 200 + writing.numbers.below(14_000);
        writing.file(&format!("data/textures/{:02x}/t{n:05}.tex", n % 23), size)?;
    }
    if build.odd {
        writing.oddities(scale, build.drive)?;
    }
    writing.parts.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(writing.parts)
}

struct Writing<'a> {
    install: &'a Path,
    parts: Vec<Part>,
    numbers: Numbers,
}

impl Writing<'_> {
    fn at(&self, path: &str) -> PathBuf {
        self.install.join(path)
    }

    fn file(&mut self, path: &str, size: u64) -> Result<()> {
        let seed = self.numbers.next();
        let sha1 = file(&self.at(path), seed, size)?;
        self.parts.push(Part { path: path.into(), size, sha1 });
        Ok(())
    }

    fn program(&mut self, build: &Build) -> Result<()> {
        let text = program(build.title);
        let at = self.at(START);
        super::bytes::text(&at, &text)?;
        make_startable(&at).map_err(failed(&at))?;
        let file = fs::File::options().write(true).open(&at).map_err(failed(&at))?;
        stamp(&file, &at, 77)?;
        self.parts.push(Part { path: START.into(), size: text.len() as u64, sha1: sha1(text.as_bytes()) });
        Ok(())
    }

    fn oddities(&mut self, scale: Scale, drive: &str) -> Result<()> {
        self.file("data/levels/Straße nach Süden.lvl", 4_321)?;
        self.file("data/levels/日の出 dunes.lvl", 2_222)?;
        self.file("data/levels/two  words .lvl", 999)?;
        self.file("data/levels/empty.lvl", 0)?;
        if drive == "swift" && ANY_NAME {
            // A name that no Windows file system can hold.
            self.file("data/levels/what lies beyond?.lvl", 777)?;
        }
        let empty = self.at("mods/none yet");
        fs::create_dir_all(&empty).map_err(failed(&empty))?;
        let hole = self.at("data/cache.img");
        let size = scale.of(24 * MEGABYTE).max(1 << 17);
        let seed = self.numbers.next();
        let sha1 = sparse(&hole, seed, size)?;
        self.parts.push(Part { path: "data/cache.img".into(), size, sha1: sha1.clone() });
        let twin = self.at("data/shared/voices.bin");
        self.file("data/voices.bin", 50_000)?;
        fs::create_dir_all(self.at("data/shared")).map_err(failed(&twin))?;
        fs::hard_link(self.at("data/voices.bin"), &twin).map_err(failed(&twin))?;
        let voices = self.parts.iter().find(|part| part.path == "data/voices.bin").map(|part| part.sha1.clone());
        self.parts.push(Part { path: "data/shared/voices.bin".into(), size: 50_000, sha1: voices.unwrap_or_default() });
        let link = |target: &Path, at: &str| link(target, &self.at(at)).map_err(failed(&self.at(at)));
        link(Path::new("../data/pack00.bin"), "bin/first-pack")?;
        link(Path::new("data/levels"), "levels")?;
        link(&self.install.join("data/voices.bin"), "bin/voices")
    }
}
