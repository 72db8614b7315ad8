//! Cancelling an item that was not finished: what was made goes, what cannot go is left and named.

use super::displace::step_back;
use super::place::{is_ours, unplace};
use super::update_records::undo;
use crate::haul::inspect::{Depth, Joined, has_the_bytes, merge_join};
use crate::haul::{
    End, HaulError, ItemContext, Reach, Standing, Stays, be_quiet, left_there, pass, remove_known, settle,
};
use crate::platform::Seen;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use crate::checksums::{EntryKind, FileIdentity, measure};
use crate::item::{Finding, FindingKind, Left, MadeAt, PlannedItem, Stage, Strategy, WhyLeft};
use crate::journal::{EventKind, FileEntry};

use crate::platform::Steady;

use crate::record::Edit;

/// What becomes of what the gate does not let go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stuck {
    /// Nothing is given up: the reason is told, and it can be tried again.
    Refuses,
    /// It is left where it is, and named; the item is at its end all the same.
    IsLeft,
}

/// The folder with what was made for an item that is not repointed; of one that was verified its own place, if the folder there is ours.
fn made_of(work: &ItemContext<'_>) -> Result<Option<PathBuf>, HaulError> {
    let (disk, to) = (&work.site.disk, &work.item.planned.to);
    let is_folder = |path: &Path| disk.is_folder(path).map_err(HaulError::disk("look at", path));
    let placed = || -> Result<Option<PathBuf>, HaulError> {
        // Whatever else came to be there is somebody else's.
        Ok((is_folder(to)? && is_ours(work, to)?).then(|| to.clone()))
    };
    let of_copy = work.item.planned.mode == Strategy::Copy;
    Ok(match work.item.stage.made() {
        MadeAt::InOurs(ours) => Some(ours.into()),
        MadeAt::InOursOrPlaced(ours) if is_folder(ours)? => Some(ours.into()),
        MadeAt::InOursOrPlaced(_) => placed()?,
        MadeAt::Placed if of_copy => placed()?,
        MadeAt::Placed | MadeAt::Nothing => None,
    })
}

/// Removes what was made for an item that was not repointed, and leaves all as it was.
pub(crate) fn cancel(work: &mut ItemContext<'_>, stuck: Stuck) -> Result<(), HaulError> {
    let standing = settle(work.site, &mut work.item)?;
    let planned = work.item.planned.clone();
    if work.item.stage == Stage::UpdatingRecords {
        // Whatever is left, records are not led back beside a program that would write its old ones.
        be_quiet(work)?;
    }
    let ended = cancel_what_can_be(work, &standing, stuck);
    let left = match ended {
        Ok(left) => left,
        Err(HaulError::Paused) => return Err(HaulError::Paused),
        Err(error @ (HaulError::Journal(_) | HaulError::NeedsRecovery)) => return Err(error),
        Err(error) if stuck == Stuck::Refuses => return Err(error),
        // A person said so: it stays as it is, whatever it is.
        Err(error) => {
            tracing::warn!(%error, title = planned.title, "left");
            let path = match work.item.stage.made() {
                MadeAt::InOurs(ours) | MadeAt::InOursOrPlaced(ours) => ours,
                MadeAt::Placed | MadeAt::Nothing => &planned.to,
            };
            if standing.to == End::There {
                let bytes = measure(path).on_disk;
                vec![Left { path: path.into(), bytes, why: WhyLeft::OriginalGone }]
            } else {
                left_there(&planned, &standing, path)
            }
        }
    };
    if !matches!(work.item.stage, Stage::Cancelling { .. }) {
        work.set_stage(Stage::Cancelling { made: None })?;
    }
    if let Some(first) = left.first() {
        let detail = format!("{} {} {}", left.len(), first.why.word(), first.path.display());
        work.journal.say(work.item.haul, Some(work.item.id), EventKind::Left, &detail)?;
    }
    work.journal.put_remains(work.item.id, &left)?;
    work.set_stage(Stage::Cancelled)?;
    Ok(work.journal.say(work.item.haul, Some(work.item.id), EventKind::Cancelled, &planned.title)?)
}

/// Gives up all of an item that the gate lets go; gives what is left, with its whole path.
fn cancel_what_can_be(work: &mut ItemContext<'_>, standing: &Standing, stuck: Stuck) -> Result<Vec<Left>, HaulError> {
    let planned = work.item.planned.clone();
    if work.item.stage == Stage::UpdatingRecords {
        // Records are led back to what is there, and never to what a journal of yesterday believes in.
        originals_are_there(work)?;
        undo(work, if stuck == Stuck::IsLeft { Reach::WhatIsThere } else { Reach::All })?;
    }
    standing.to.required(&planned, &planned.to)?;
    let made = made_of(work)?;
    if matches!(planned.mode, Strategy::Rename | Strategy::Quarantine) {
        unplace(work)?;
    }
    let is_there = |path: &Path| work.site.disk.is_there(path).map_err(HaulError::disk("look at", path));
    let left = match made {
        Some(made) if is_there(&made)? => remove_what_was_made(work, &made)?,
        // Nothing of it was made yet, or all of it is gone already.
        Some(_) | None => Vec::new(),
    };
    step_back(work)?;
    forget_way(work, &planned);
    Ok(left)
}

/// Refuses if something is gone of the originals that records would be led back to.
fn originals_are_there(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let planned = &work.item.planned;
    if planned.mode != Strategy::Copy {
        return Ok(());
    }
    let mut gone: Option<(PathBuf, u64)> = None;
    if work.site.disk.is_folder(&planned.from).map_err(HaulError::disk("look at", &planned.from))? {
        merge_join(&work.site.disk, work.journal, work.item.id, &planned.from, work.originals(), &mut |met| {
            if let Joined::Gone(line) = met {
                gone.get_or_insert_with(|| (line.entry.path.under(&planned.from), 0)).1 += 1;
            }
            Ok(())
        })?;
    } else {
        gone = Some((planned.from.clone(), 1));
    }
    let kind = |(path, count)| FindingKind::CopyNotWhole { path, count };
    gone.map_or(Ok(()), |gone| Err(HaulError::Refused(vec![Finding::about(&planned.game, &planned.title, kind(gone))])))
}

/// Removes what was made of an item, as far as the gate and the drive let it go; gives the rest, with its whole path.
fn remove_what_was_made(work: &mut ItemContext<'_>, made: &Path) -> Result<Vec<Left>, HaulError> {
    let from = work.item.planned.from.clone();
    let stepped = work.site.disk.is_folder(&from).map_err(HaulError::disk("look at", &from))?;
    let originals = if stepped { from } else { work.item.planned.source().to_path_buf() };
    let passed = pass(work, made, &Stays::Originals(originals.clone()), Depth::Seen)?;
    if !matches!(work.item.stage, Stage::Cancelling { .. }) {
        work.set_stage(Stage::Cancelling { made: Some(made.to_path_buf()) })?;
    }
    let ours = made.file_name() == Some(OsStr::new(&work.own_name("copy")));
    let steady = work.abilities().steady();
    let (disk, stop) = (&work.site.disk, work.stop);
    let verdict = |line: &FileEntry, stat: &Seen| -> Result<Option<WhyLeft>, HaulError> {
        let original = line.entry.path.under(&originals);
        if !disk.is_there(&original).map_err(HaulError::disk("look at", &original))? {
            return Ok(Some(WhyLeft::OriginalGone));
        }
        let at = line.entry.path.under(made);
        // All below a folder of our own name is ours, finished or not; elsewhere it is if it is what was verified.
        let is_made = ours
            || line.entry.kind != EntryKind::File
            || line.copy(steady).is_some_and(|known| known.is_same(&identity_of(stat, line, steady)))
            || has_the_bytes(disk, stop, &at, line)?;
        Ok((!is_made).then_some(WhyLeft::Changed))
    };
    let removed = remove_known(made, work.item.id, &verdict, work, &passed.permit)?;
    Ok(removed.left.into_iter().map(|one| Left { path: made.join(&one.path), ..one }).collect())
}

fn identity_of(stat: &Seen, line: &FileEntry, steady: Steady) -> FileIdentity {
    let sized = line.entry.kind == EntryKind::File;
    FileIdentity::of_stat(stat, (!sized).then_some(line.entry.size), steady)
}

/// Removes the folder of a library that this item was to make, if it is empty.
pub(crate) fn forget_way(work: &ItemContext<'_>, planned: &PlannedItem) {
    let library = planned.edits.iter().find_map(|edit| {
        let (library, game) = if let Edit::Register(library) = edit {
            (library, &planned.to)
        } else if let Edit::Unregister(library) = edit {
            (library, &planned.from)
        } else {
            return None;
        };
        match &library.made {
            // One that was listed before is the launcher's, empty or not.
            _ if library.listed => None,
            Some((file, _)) => file.parent(),
            None if planned.mode == Strategy::Records => Some(planned.to.as_path()),
            // A library without a file of its own is the folder that the game was to lie in, or lay in.
            None => game.parent(),
        }
    });
    // Folders of ours that only this item was in.
    let ours = |folder: &Path| folder.file_name().is_some_and(|name| name == "user-data" || name == "carried");
    for place in [&planned.to, &planned.from] {
        if let Some(top) = place.ancestors().skip(1).take(2).find(|folder| ours(folder)) {
            for folder in place.ancestors().skip(1).take_while(|folder| folder.starts_with(top)) {
                #[expect(
                    clippy::let_underscore_must_use,
                    reason = "a folder that contains something refuses, and one that does not exist is none"
                )]
                let _ = work.site.disk.remove_empty_folder(folder);
            }
        }
    }
    let items = [Some(work.item.id), work.item.takes_back];
    for folder in items.into_iter().flatten().filter_map(|item| work.journal.made(item).ok()).flatten() {
        #[expect(
            clippy::let_underscore_must_use,
            reason = "one that holds something refuses, and that is what is wanted"
        )]
        let _ = work.site.disk.remove_empty_folder(&folder);
    }
    if let Some(library) = library {
        #[expect(
            clippy::let_underscore_must_use,
            reason = "a folder that is not empty refuses, and that is what is wanted"
        )]
        let _ = work.site.disk.remove_empty_folder(library);
    }
}
