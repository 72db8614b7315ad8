//! Letting go of what lies about: a copy that is compared with the one that stays, and a folder that is set aside.
//!
//! Law: a copy that lies about is let go of only if every file of it is in the one that stays, byte by byte; what is
//! set aside is renamed on its drive and can be put back until it is released.

use crate::platform;
use std::path::Path;

use crate::bytes::Bytes;
use crate::checksums::{BlockHash, EntryKind, block_count, block_hash, block_span};
use crate::haul::copy::{bring_in_line, seen};
use crate::haul::{BATCH, HaulError, HaulEvent, ItemContext};
use crate::item::{DifferenceKind, DifferingBlocks, Progress, Proof, RateMeter, Stage};
use crate::journal::FileEntry;

/// Reads a copy that lies about beside the one that stays, and notes in the checksums what is the same.
pub(crate) fn compare_with_what_stays(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (work.item.planned.from.clone(), work.item.planned.to.clone());
    bring_in_line(work, Path::new("/nowhere"))?;
    let sums = work.journal.sums(work.item.id)?;
    let mut progress = Progress::begun(work.item.id, &work.item.planned.title, sums.bytes, sums.lines);
    let mut pace = RateMeter::patient();
    let mut lines = work.journal.lines(work.item.id);
    loop {
        let page: Vec<FileEntry> = lines.by_ref().take(BATCH.min(256)).collect::<Result<_, _>>()?;
        if page.is_empty() {
            break;
        }
        let mut done = Vec::new();
        for mut line in page {
            work.may_go_on()?;
            let (here, there) = (line.entry.path.under(&from), line.entry.path.under(&to));
            let blocks = match &line.entry.kind {
                EntryKind::Folder => platform::look_itself(&there).is_ok_and(|meta| meta.is_folder()).then(Vec::new),
                EntryKind::Link(target) => there.read_link().is_ok_and(|other| other == *target).then(Vec::new),
                EntryKind::File | EntryKind::Again(_) => same_bytes(work, &here, &there)?,
            };
            progress.compare.done = progress.compare.done.plus(Bytes::new(line.entry.size));
            progress.files += 1;
            progress.file.clone_from(&line.entry.path.as_path().to_path_buf());
            if pace.due() {
                progress.reckon(&mut pace);
                (work.report)(HaulEvent::Progress(progress.clone()));
            }
            let Some(blocks) = blocks else { continue };
            line.there = Some(seen(&there)?);
            line.blocks = blocks.into_iter().map(Some).collect();
            line.compared = true;
            done.push(line);
        }
        work.journal.put_entries(work.item.id, &done)?;
    }
    drop(lines);
    work.set_stage(Stage::Placed)
}

/// The hashes of a file's blocks, if another file has the same bytes.
fn same_bytes(work: &ItemContext<'_>, one: &Path, other: &Path) -> Result<Option<Vec<BlockHash>>, HaulError> {
    let disk = &work.site.disk;
    let Ok(meta) = platform::look_itself(other) else { return Ok(None) };
    let size = platform::look_itself(one).map_err(HaulError::disk("look at", one))?.size;
    if !meta.is_file() || meta.size != size {
        return Ok(None);
    }
    // A copy that cannot be read whole is no copy to rely on.
    let (Ok(a), Ok(b)) = (disk.open_read(one), disk.open_read(other)) else { return Ok(None) };
    // What is read comes from the drives, not from memory.
    disk.forget(&a);
    disk.forget(&b);
    let (mut left, mut right) = (Vec::new(), Vec::new());
    let mut hashes = Vec::new();
    for nth in 0..block_count(size) {
        let (offset, length) = block_span(size, nth);
        left.resize(length, 0);
        right.resize(length, 0);
        let read = disk.read_at(&a, &mut left, offset).ok();
        let also = disk.read_at(&b, &mut right, offset).ok();
        if read != Some(length) || also != Some(length) || left != right {
            return Ok(None);
        }
        hashes.push(block_hash(&left, nth, size));
        work.may_go_on()?;
    }
    Ok(Some(hashes))
}

/// What is the same as the copy that stays, and what is not.
pub(crate) fn proof_of_sparing(work: &ItemContext<'_>) -> Result<Proof, HaulError> {
    let planned = &work.item.planned;
    let mut proof = Proof { install: planned.to.clone(), read: true, records_lead_here: true, ..Proof::default() };
    for line in work.journal.lines(work.item.id) {
        let line = line?;
        if line.entry.kind != EntryKind::Folder {
            proof.files += 1;
            proof.bytes = proof.bytes.plus(Bytes::new(line.entry.size));
        }
        if !line.compared {
            let there = platform::look_itself(line.entry.path.under(&planned.to)).is_ok();
            let kind = if there { DifferenceKind::Differs } else { DifferenceKind::Missing };
            proof.note(line.entry.path.as_path(), kind, DifferingBlocks::default());
        }
    }
    Ok(proof)
}

/// Takes the checksums of a folder and renames it beside its place.
pub(crate) fn set_aside(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (work.item.planned.from.clone(), work.item.planned.to.clone());
    let is_there = |path: &Path| platform::look_itself(path).is_ok_and(|meta| meta.is_folder());
    if is_there(&from) {
        if platform::look_itself(&to).is_ok() {
            return Err(HaulError::NotOurs { path: to });
        }
        bring_in_line(work, Path::new("/nowhere"))?;
        // The journal knows before the name goes: whoever gives up from here on looks for the folder at both places.
        if work.item.stage == Stage::Planned {
            work.set_stage(Stage::Renaming)?;
        }
        work.site.disk.rename(&from, &to).map_err(HaulError::disk("rename", &to))?;
    }
    if !is_there(&to) {
        return Err(HaulError::NotOurs { path: from });
    }
    let parent = to.parent().unwrap_or(Path::new("/"));
    work.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    work.set_stage(Stage::Placed)
}

/// What is set aside, counted: nothing else holds these bytes.
pub(crate) fn proof_of_setting_aside(work: &ItemContext<'_>) -> Result<Proof, HaulError> {
    let sums = work.journal.sums(work.item.id)?;
    Ok(Proof {
        install: work.item.planned.to.clone(),
        files: sums.files,
        bytes: Bytes::new(sums.bytes),
        records_lead_here: true,
        ..Proof::default()
    })
}
