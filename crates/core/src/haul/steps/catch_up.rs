//! A journal that was brought back from a backup knows less than was done; the drives say the rest.

use crate::haul::{HaulError, ItemContext, records_lead_to};

use crate::haul::inspect::not_as_seen;

use crate::item::{Stage, Strategy};

use crate::record::{Content, FileChange};

/// A journal that was brought back from a backup knows less than was done. Where the originals are gone, the copy is what was
/// verified and the records lead to it, the item is as far as that.
pub(crate) fn catch_up(work: &mut ItemContext<'_>) -> Result<bool, HaulError> {
    let behind = matches!(work.item.stage, Stage::Verified { .. } | Stage::Placed | Stage::UpdatingRecords);
    if !behind || work.item.planned.mode != Strategy::Copy || work.originals_away {
        return Ok(false);
    }
    let (disk, planned) = (&work.site.disk, work.item.planned.clone());
    if disk.is_there(&planned.from).map_err(HaulError::disk("look at", &planned.from))?
        || !disk.is_folder(&planned.to).map_err(HaulError::disk("look at", &planned.to))?
        || not_as_seen(work, &planned.to)?.is_some()
        || records_lead_to(work, &planned.to).is_err()
    {
        return Ok(false);
    }
    if matches!(work.item.stage, Stage::Verified { .. }) {
        work.set_stage(Stage::Placed)?;
    }
    // What was changed in the copy then is what it is now.
    let mut changes = work.journal.changes(work.item.id)?;
    for file in planned.record_files().into_iter().filter(|file| file.starts_with(&planned.to)) {
        let now = Content::now(file, &Content::Bytes(Vec::new()))?;
        if !changes.iter().any(|change| change.file == file) {
            changes.push(FileChange { file: file.into(), before: now.clone(), after: now });
        }
    }
    work.journal.put_changes(work.item.id, &changes, &Stage::UpdatingRecords)?;
    work.item.stage = Stage::UpdatingRecords;
    work.set_stage(Stage::RecordsUpdated)?;
    Ok(true)
}
