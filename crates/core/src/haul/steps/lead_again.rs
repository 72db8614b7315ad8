//! Updating records once more, since a launcher has written its old ones after they were updated.

use std::path::Path;

use super::prove::prove;

use super::update_records::{leads_elsewhere, update_records_again, update_released_records};
use crate::haul::{HaulError, ItemContext, records_lead_to};

use crate::haul::inspect::all_agree;

use crate::item::{Stage, Strategy};
use crate::journal::ItemRow;

/// Whether the records of an item at rest can be updated once more: they led to its copy.
pub(crate) fn can_lead_again(item: &ItemRow) -> bool {
    matches!(item.planned.mode, Strategy::Copy | Strategy::TakeBack)
        && matches!(item.stage, Stage::Proved { .. } | Stage::Released { .. })
}

/// Whether all records of an item lead to its copy, the small ones as well.
pub(crate) fn all_lead_to(work: &ItemContext<'_>, place: &Path) -> bool {
    records_lead_to(work, place).is_ok() && all_agree(work.site, &work.item.planned)
}

/// Before originals go: a launcher that ended after the repoint may have written its old list once more. Then its records are
/// changed again, and the proof is made again.
pub(crate) fn lead_again(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let place = work.item.planned.place().to_path_buf();
    if work.item.planned.mode == Strategy::Quarantine || all_lead_to(work, &place) {
        return Ok(());
    }
    if !matches!(work.item.planned.mode, Strategy::Copy | Strategy::TakeBack) || leads_elsewhere(work, &place) {
        return Ok(());
    }
    // Of one whose originals are gone nothing else changes: it was proved and released, and stays so.
    if matches!(work.item.stage, Stage::Released { .. }) {
        return update_released_records(work);
    }
    update_records_again(work)?;
    prove(work)
}
