//! Checksums that are kept: of games that were hauled, in the journal; of others, in files of the state folder.
//! Format: `docs/formats.md`, "Kept checksums".

use std::fs;
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use jiff::Timestamp;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::reading::{AuditPhase, each_file, hash_of};
use crate::bytes::{Bytes, HaulId};
use crate::checksums::{EntryKind, file_hash};
use crate::haul::{Control, HaulError};
use crate::journal::Journal;
use crate::platform::{self, Look};
use crate::record::FileChange;
use crate::site::Site;
use crate::survey::GameId;

/// What a file was.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", untagged)]
pub enum KeptFile {
    /// A file: BLAKE3 in hexadecimal digits.
    Hash {
        /// The hash.
        #[serde(with = "digits")]
        hash: blake3::Hash,
    },
    /// A link, and where it led.
    Link {
        /// What it said.
        #[serde(with = "paths")]
        target: PathBuf,
    },
}

/// A line of a kept checksums.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptLine {
    /// Its path below the folder.
    #[serde(with = "paths")]
    pub path: PathBuf,
    /// Bytes.
    pub size: u64,
    /// When it was written, in nanoseconds since 1970.
    pub modified_ns: i128,
    /// What it was.
    #[serde(flatten)]
    pub file: KeptFile,
}

/// Who had checksums kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum KeptBy {
    /// A person had it taken.
    Kept,
    /// This haul has compared it.
    Haul(HaulId),
}

/// What a game consisted of, at one time.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct KeptChecksums {
    /// The game.
    pub game: GameId,
    /// When it was taken.
    pub made: Timestamp,
    /// Where it comes from.
    pub origin: KeptBy,
    /// Its files and links, in the order of their paths.
    #[serde(skip)]
    pub lines: Vec<KeptLine>,
}

impl KeptChecksums {
    /// The list of checksums, as `b3sum -c` reads it from within the folder. A path with a line end or a backslash is escaped as
    /// b3sum does it; links, and paths that are no text, are left out.
    pub fn checksums(&self) -> String {
        let mut out = String::new();
        for line in &self.lines {
            if let (KeptFile::Hash { hash }, Some(path)) = (&line.file, line.path.to_str()) {
                out.push_str(&checksum_line(&hash.to_hex(), path));
            }
        }
        out
    }
}

/// A line of a list of checksums, as b3sum and the sum programs of GNU coreutils write and read it.
pub(crate) fn checksum_line(hash: &str, path: &str) -> String {
    let escaped = path.replace('\\', "\\\\").replace('\n', "\\n");
    let mark = if escaped == path { "" } else { "\\" };
    format!("{mark}{hash}  {escaped}\n")
}

/// Hashes in JSON: as hexadecimal digits.
mod digits {
    use serde::{Deserialize, Deserializer, Serializer, de::Error};

    pub fn serialize<S: Serializer>(hash: &blake3::Hash, out: S) -> Result<S::Ok, S::Error> {
        out.serialize_str(&hash.to_hex())
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<blake3::Hash, D::Error> {
        blake3::Hash::from_hex(String::deserialize(from)?).map_err(D::Error::custom)
    }
}

/// Paths in JSON: as text, or where they are no text as their bytes.
mod paths {
    use crate::platform::{NameBytes, name_of};
    use std::path::{Path, PathBuf};

    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Written {
        Text(PathBuf),
        Bytes(Vec<u8>),
    }

    pub fn serialize<S: Serializer>(path: &Path, out: S) -> Result<S::Ok, S::Error> {
        match path.to_str() {
            Some(text) => out.serialize_str(text),
            None => path.name_bytes().serialize(out),
        }
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<PathBuf, D::Error> {
        Ok(match Written::deserialize(from)? {
            Written::Text(path) => path,
            Written::Bytes(bytes) => name_of(bytes).into(),
        })
    }
}

#[derive(Serialize, Deserialize)]
struct ChecksumsHead {
    format: u32,
    game: GameId,
    made: Timestamp,
}

fn file_of(site: &Site, game: &GameId) -> PathBuf {
    let name = blake3::hash(game.0.as_bytes()).to_hex();
    site.state_folder().join("checksums").join(format!("{}.jsonl", &name[..16]))
}

/// Reads every byte of a game and keeps what it is.
///
/// # Errors
/// [`HaulError::Disk`] for the first file that cannot be read, [`HaulError::Paused`] if a stop was asked for. An older checksums stays.
#[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
pub fn keep(
    site: &Site,
    game: &GameId,
    folder: &Path,
    report: &(dyn Fn(AuditPhase) + Sync),
    stop: &Control,
) -> Result<KeptChecksums, HaulError> {
    let disk = &site.disk;
    let mut lines: Vec<KeptLine> = Vec::new();
    let mut bytes = Bytes::ZERO;
    each_file(disk, folder, &mut |path, entry| {
        bytes = bytes.plus(Bytes::new(entry.size));
        let file = match &entry.kind {
            EntryKind::Link(target) => KeptFile::Link { target: target.clone() },
            // It is read below.
            _ => KeptFile::Hash { hash: blake3::Hash::from_bytes([0; 32]) },
        };
        lines.push(KeptLine { path: path.into(), size: 0, modified_ns: 0, file });
    })?;
    lines.sort_by(|a, b| a.path.cmp(&b.path));
    let done = AtomicU64::new(0);
    let add = |count: u64| {
        let read = Bytes::new(done.fetch_add(count, Ordering::Relaxed) + count);
        report(AuditPhase { read, all: bytes });
    };
    let read = |line: &mut KeptLine| -> Result<(), HaulError> {
        let at = folder.join(&line.path);
        let meta = at.look_own_meta().map_err(HaulError::disk("look at", &at))?;
        line.modified_ns = meta.modified_ns;
        if let KeptFile::Hash { hash } = &mut line.file {
            *hash = hash_of(disk, &at, stop, &add).map_err(HaulError::disk("read", &at))?;
            line.size = meta.size;
        }
        Ok(())
    };
    let read = lines.par_iter_mut().try_for_each(read);
    if stop.asked() {
        return Err(HaulError::Paused);
    }
    read?;
    let kept = KeptChecksums { game: game.clone(), made: Timestamp::now(), origin: KeptBy::Kept, lines };
    let path = file_of(site, game);
    let fault = |source| HaulError::disk("write", &path)(source);
    platform::make_private(&site.state_folder()).map_err(fault)?;
    platform::make_private(path.parent().unwrap_or(Path::new("/"))).map_err(fault)?;
    let fresh = path.with_extension("new");
    let mut out = BufWriter::new(platform::create_private(&fresh).map_err(fault)?);
    let head = ChecksumsHead { format: 1, game: game.clone(), made: kept.made };
    let json = |value: serde_json::Result<String>| value.unwrap_or_default();
    writeln!(out, "{}", json(serde_json::to_string(&head))).map_err(fault)?;
    for line in &kept.lines {
        writeln!(out, "{}", json(serde_json::to_string(&line))).map_err(fault)?;
    }
    out.into_inner().map_err(|e| fault(e.into_error()))?.sync_all().map_err(fault)?;
    fs::rename(&fresh, &path).map_err(fault)?;
    Ok(kept)
}

fn read(site: &Site, game: &GameId) -> Option<KeptChecksums> {
    let mut lines = BufReader::new(platform::open(file_of(site, game)).ok()?).lines();
    let head: ChecksumsHead = serde_json::from_str(&lines.next()?.ok()?).ok()?;
    let sound = head.format == 1 && head.game == *game;
    let lines: Option<Vec<KeptLine>> = lines.map(|line| serde_json::from_str(&line.ok()?).ok()).collect();
    let lines = lines.filter(|_| sound)?;
    Some(KeptChecksums { game: head.game, made: head.made, origin: KeptBy::Kept, lines })
}

/// The newest checksums that are kept of a game where it lies now: one that a person had taken, or that of the haul that brought it
/// there.
///
/// # Errors
/// What the database or the system said.
pub fn kept_checksums(
    site: &Site,
    journal: &Journal,
    game: &GameId,
    folder: &Path,
) -> Result<Option<KeptChecksums>, HaulError> {
    let kept = read(site, game);
    let hauls = journal.hauls()?;
    let items = hauls.iter().flat_map(|haul| haul.items.iter().map(move |item| (haul, item)));
    let brought = items
        .filter(|(_, item)| {
            item.planned.game == *game && item.stage.records_are_updated() && item.planned.place() == folder
        })
        .find(|(_, item)| journal.lines(item.id).next().is_some());
    let Some((haul, item)) = brought.filter(|(haul, _)| kept.as_ref().is_none_or(|kept| haul.made > kept.made)) else {
        return Ok(kept);
    };
    let rewritten = journal.changes(item.id)?;
    let (mut lines, mut again): (Vec<KeptLine>, Vec<_>) = (Vec::new(), Vec::new());
    for line in journal.lines(item.id) {
        let line = line?;
        let path = line.entry.path.as_path().to_path_buf();
        let modified_ns = line.there.map_or(line.entry.modified_ns, |there| there.modified_ns);
        let file = match &line.entry.kind {
            EntryKind::Folder => continue,
            EntryKind::Link(_) => match folder.join(&path).look_link() {
                // A link that leads into the game was re-aimed: where it leads now is what it should say.
                Ok(target) => KeptFile::Link { target },
                Err(_) => KeptFile::Link { target: PathBuf::new() },
            },
            EntryKind::File | EntryKind::Again(_) => {
                let blocks: Option<Vec<_>> = line.blocks.iter().copied().collect();
                match (after_repoint(&rewritten, &folder.join(&path)), blocks) {
                    (Some(hash), _) => KeptFile::Hash { hash },
                    (None, Some(blocks)) if !blocks.is_empty() => {
                        KeptFile::Hash { hash: blake3::Hash::from(file_hash(&blocks)) }
                    }
                    // A further name of a file has the bytes of that file.
                    _ => {
                        if let EntryKind::Again(of) = &line.entry.kind {
                            again.push((path, of.as_path().to_path_buf(), modified_ns));
                        }
                        continue;
                    }
                }
            }
        };
        let size = match &file {
            KeptFile::Link { .. } => 0,
            KeptFile::Hash { .. } => after_size(&rewritten, &folder.join(&path)).unwrap_or(line.entry.size),
        };
        lines.push(KeptLine { path, size, modified_ns, file });
    }
    for (path, of, modified_ns) in again {
        let first = lines.iter().find(|line| line.path == of).cloned();
        lines.extend(first.map(|first| KeptLine { path, modified_ns, ..first }));
    }
    lines.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Some(KeptChecksums { game: game.clone(), made: haul.made, origin: KeptBy::Haul(haul.id), lines }))
}

fn content(rewritten: &[FileChange], path: &Path) -> Option<(u64, blake3::Hash)> {
    rewritten.iter().find(|change| change.file == path)?.after.bytes_known()
}

/// The hash of a file of the item that its repoint rewrote.
fn after_repoint(rewritten: &[FileChange], path: &Path) -> Option<blake3::Hash> {
    content(rewritten, path).map(|(_, hash)| hash)
}

fn after_size(rewritten: &[FileChange], path: &Path) -> Option<u64> {
    content(rewritten, path).map(|(size, _)| size)
}
