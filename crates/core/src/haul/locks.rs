//! Folders that are taken for a while, so that two programs never change one game or one record file at the same time, of
//! whatever users and with whatever journals.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use super::context::ItemContext;
use super::error::HaulError;
use crate::disk::FolderLock;
use crate::item::{Finding, FindingKind, Strategy};
use crate::site::real_path;

/// Takes the folders in which record files are, one after another in one order, so that two programs never wait for each other.
pub(crate) fn take_record_folders(work: &ItemContext<'_>, files: &[PathBuf]) -> Result<Vec<FolderLock>, HaulError> {
    let folders = files.iter().filter_map(|file| file.parent()).map(real_path).filter(|folder| folder.is_dir());
    let folders: BTreeSet<PathBuf> = folders.collect();
    folders.iter().filter_map(|folder| take(work, folder).transpose()).collect()
}

/// Takes the folder of a game for as long as it is moved.
pub(crate) fn take_game(work: &ItemContext<'_>, folder: &Path) -> Result<Option<FolderLock>, HaulError> {
    let moves = matches!(work.item.planned.mode, Strategy::Copy | Strategy::Rename | Strategy::TakeBack);
    if moves && folder.is_dir() { take(work, folder) } else { Ok(None) }
}

/// Takes a folder; waits a while for another program. `None` where it cannot be taken by anybody.
fn take(work: &ItemContext<'_>, folder: &Path) -> Result<Option<FolderLock>, HaulError> {
    /// Record files are changed within this time; a game that is being moved is said to be.
    const PATIENCE: Duration = Duration::from_secs(3);
    let begun = Instant::now();
    loop {
        // One that may not be opened cannot be changed either, and that is told where it is tried.
        let Ok(taken) = work.site.disk.lock_folder(folder) else { return Ok(None) };
        if let Some(lock) = taken {
            return Ok(Some(lock));
        }
        if begun.elapsed() > PATIENCE {
            let kind = FindingKind::TakenByAnother { path: folder.into() };
            return Err(HaulError::Refused(vec![Finding::about(
                &work.item.planned.game,
                &work.item.planned.title,
                kind,
            )]));
        }
        work.may_go_on()?;
        std::thread::sleep(Duration::from_millis(20));
    }
}
