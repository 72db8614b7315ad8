//! Repair: a file that is damaged or missing is brought from another copy that has the very bytes that were kept.
//!
//! Law: nothing is taken that has not the kept hash; the new file is whole and flushed before it gets the name, and what it
//! replaces is known not to be what was kept.

use crate::bytes::index;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::judge::{AuditedFile, Fate};
use super::reading::hash_of;
use super::{KeptChecksums, KeptFile};
use crate::checksums::BLOCK;
use crate::disk::{Disk, Meta, What};
use crate::haul::{Control, HaulError};
use crate::journal::History;
use crate::platform::Look;
use crate::site::Site;
use crate::survey::{GameId, Survey};

/// One file and what became of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Repaired {
    /// Its path below the folder.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub path: PathBuf,
    /// The copy that it was brought from; `None` if no copy has the kept bytes.
    pub from: Option<PathBuf>,
}

/// Folders that may hold another copy of a game: originals that are held, the old and new places of its hauls, and others that
/// somebody names.
pub fn other_copies(survey: &Survey, history: &History, game: &GameId, more: &[PathBuf]) -> Vec<PathBuf> {
    let items = history.hauls.iter().flat_map(|haul| &haul.items).filter(|item| item.planned.game == *game);
    let places = items.flat_map(|item| [item.planned.source().to_path_buf(), item.planned.to.clone()]);
    let here = survey.game(game).map(|game| game.found.install.clone());
    let mut all: Vec<PathBuf> = more.iter().cloned().chain(places).collect();
    all.retain(|folder| folder.look_is_dir() && Some(folder) != here.as_ref());
    let mut seen = Vec::new();
    all.retain(|folder| {
        let fresh = !seen.contains(folder);
        seen.push(folder.clone());
        fresh
    });
    all
}

/// Brings what an audit found damaged or missing from other copies.
///
/// # Errors
/// The first write that fails; the files before it are mended, that one is as it was.
pub fn mend(
    site: &Site,
    kept: &KeptChecksums,
    folder: &Path,
    findings: &[AuditedFile],
    copies: &[PathBuf],
    stop: &Control,
) -> Result<Vec<Repaired>, HaulError> {
    let mut out = Vec::new();
    let bad = findings.iter().filter(|finding| matches!(finding.fate, Fate::Damaged | Fate::Missing));
    for finding in bad {
        let Some(line) = kept.lines.iter().find(|line| line.path == finding.path) else { continue };
        let KeptFile::Hash { hash } = &line.file else { continue };
        let same = |copy: &PathBuf| {
            let at = copy.join(&finding.path);
            let right = at.look_own_meta().is_ok_and(|meta| meta.is_file() && meta.size == line.size);
            right && hash_of(&site.disk, &at, stop, &|_| {}).is_ok_and(|now| now == *hash)
        };
        let from = copies.iter().find(|copy| same(copy)).map(|copy| copy.join(&finding.path));
        if stop.asked() {
            return Err(HaulError::Paused);
        }
        if let Some(from) = &from {
            straight_way(&site.disk, folder, &finding.path)?;
            bring(&site.disk, from, &folder.join(&finding.path), line.modified_ns, hash, stop)?;
        }
        out.push(Repaired { path: finding.path.clone(), from });
    }
    Ok(out)
}

/// Refuses if a folder on the way to a file is a link, or no folder: what is written there would be in another place.
fn straight_way(disk: &Disk, folder: &Path, path: &Path) -> Result<(), HaulError> {
    let way: Vec<&Path> = path.ancestors().skip(1).filter(|part| !part.as_os_str().is_empty()).collect();
    for part in way.into_iter().rev() {
        let at = folder.join(part);
        match disk.look(&at).map_err(HaulError::disk("look at", &at))? {
            Some(meta) if !meta.is_folder() => return Err(HaulError::NotOurs { path: at }),
            Some(_) | None => {}
        }
    }
    Ok(())
}

/// Copies a file to a new name, and reads it back.
pub(crate) fn bring_file(disk: &Disk, from: &Path, to: &Path) -> Result<(), HaulError> {
    let stop = Control::default();
    let hash = hash_of(disk, from, &stop, &|_| {}).map_err(HaulError::disk("read", from))?;
    let meta = from.look_own_meta().map_err(HaulError::disk("look at", from))?;
    bring(disk, from, to, meta.modified_ns, &hash, &stop)
}

fn bring(
    disk: &Disk,
    from: &Path,
    to: &Path,
    time: i128,
    hash: &blake3::Hash,
    stop: &Control,
) -> Result<(), HaulError> {
    let fault = HaulError::disk;
    let parent = to.parent().unwrap_or(Path::new("/"));
    for missing in parent.ancestors().take_while(|folder| !folder.look_is_dir()).collect::<Vec<_>>().into_iter().rev() {
        disk.make_folder(missing).map_err(fault("make", missing))?;
    }
    let name = to.file_name().unwrap_or_default().to_string_lossy();
    let fresh = to.with_file_name(format!(".deft-barge-mended-{name}"));
    if fresh.look_own_meta().is_ok() {
        disk.remove_own(&fresh, What::File).map_err(fault("remove", &fresh))?;
    }
    let source = disk.open_read(from).map_err(fault("open", from))?;
    let meta = from.look_own_meta().map_err(fault("look at", from))?;
    let target = disk.create(&fresh).map_err(fault("make", &fresh))?;
    let (mut buffer, mut offset) = (vec![0; index(BLOCK)], 0);
    loop {
        let count = disk.read_at(&source, &mut buffer, offset).map_err(fault("read", from))?;
        disk.write_at(&target, &buffer[..count], offset).map_err(fault("write", &fresh))?;
        offset += count as u64;
        if count < buffer.len() {
            break;
        }
    }
    let mode = to.look_own_meta().map_or(meta.mode, |old| old.mode);
    let attributes = crate::disk::attributes_of(from).map_err(fault("read the attributes of", from))?;
    let meta = Meta { mode, owner: meta.owner, modified_ns: time, attributes };
    disk.set_meta(&target, &meta).map_err(fault("set the times of", &fresh))?;
    disk.flush(&target).map_err(fault("flush", &fresh))?;
    drop(target);
    let read = hash_of(disk, &fresh, stop, &|_| {}).map_err(fault("read", &fresh))?;
    if read != *hash {
        disk.remove_own(&fresh, What::File).map_err(fault("remove", &fresh))?;
        return Err(HaulError::Changed { path: to.into(), count: 1 });
    }
    disk.replace(&fresh, to).map_err(fault("replace", to))?;
    disk.flush_folder(parent).map_err(fault("flush", parent))
}
