//! Return: what a haul did is undone, whatever phase it is in, before or after the release.
//!
//! Law: a return is a haul of its own. Items that were not repointed are given up where they stand;
//! kept originals are read and compared before they are taken up again; released ones are hauled back.

use super::context::ItemContext;
use super::engine::Haul;
use crate::haul::NothingThere;

use super::undo_plan::{in_turn, settled, to_take_back, turned, undo_plan};
use crate::haul::inspect::Depth;
use crate::haul::steps::{Stuck, cancel};

use super::error::HaulError;
use super::event::{Control, HaulEvent};
use super::reach::{leave_copy, without_copy};
use super::standing::note_places;
use crate::bytes::{HaulId, ItemId};
use crate::checksums::measure;
use crate::item::{Left, PlannedItem, Policy, Severity, Stage, Strategy, Trial, WhyLeft};
use crate::journal::{EventKind, HaulRow, ItemRow, Journal};

use crate::preflight::quiet;

use crate::site::Site;

/// Returns a haul: gives up what was not repointed, and hauls or takes back the rest as a haul of its own.
///
/// Gives the number of that haul, or `None` if all could be given up.
///
/// # Errors
/// [`HaulError::Refused`] with nothing changed; [`HaulError::Paused`] and others leave a haul that resumes.
pub fn undo_haul(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(NothingThere::NoHaul(id)))?;
    let all: Vec<ItemId> = haul.items.iter().map(|item| item.id).collect();
    undo_items(site, journal, id, &all, report, stop)
}

/// Returns some items of a haul, as [`undo_haul`] does with all; the others stay as they are.
///
/// # Errors
/// As [`undo_haul`]; and [`HaulError::Unfinished`] if another item of the haul is still under way and these are repointed:
/// a return is a haul, and one at a time is under way.
pub fn undo_items(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    only: &[ItemId],
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    undo_leaving(site, journal, id, only, Stuck::Refuses, report, stop)
}

/// Does the same; what the gate does not let go can be left where it is.
///
/// # Errors
/// As [`undo_items`].
pub fn undo_leaving(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    only: &[ItemId],
    stuck: Stuck,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    let whole = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(NothingThere::NoHaul(id)))?;
    if let Some(other) = journal.live()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let (haul, _) = settled(site, &whole.only(only));
    let others_under_way = whole.items.iter().any(|item| !only.contains(&item.id) && !item.stage.at_rest());
    if others_under_way && haul.items.iter().any(to_take_back) {
        return Err(HaulError::Unfinished(id));
    }
    let plan = undo_plan(site, &haul);
    let refused = plan.blocked();
    if refused && stuck == Stuck::Refuses {
        return Err(HaulError::Refused(plan.findings));
    }
    if plan.cancel.is_empty() && plan.take_back.is_empty() && plan.haul_back.is_empty() {
        return Err(HaulError::Nothing(NothingThere::ToUndo(id)));
    }
    for item in haul.items.iter().filter(|item| !item.stage.at_rest()) {
        let mut work = ItemContext::new(site, journal, item.clone(), report, stop);
        settle_unfinished(&mut work, stuck, refused)?;
    }
    let haul = journal.haul(id)?.ok_or(HaulError::NeedsRecovery)?.only(only);
    let (haul, _) = settled(site, &haul);
    let mut items = items_back(site, journal, &haul, refused)?;
    in_turn(&mut items);
    if items.is_empty() {
        if !refused {
            journal.say(id, None, EventKind::Cancelled, "")?;
        }
        return Ok(None);
    }
    // What the journal begins here is under way whatever happens next; the old haul is at rest from now on.
    let repointed = haul.items.iter().filter(|item| item.stage == Stage::RecordsUpdated);
    let settled: Vec<(ItemId, Stage)> = repointed.map(|item| (item.id, Stage::Proved { holds: false })).collect();
    for (planned, _) in &mut items {
        note_places(site, planned)?;
    }
    // A copy on a drive that is not there cannot go.
    let policy = if refused { Policy::Hold } else { Policy::Release };
    let back = journal.begin_with(&items, policy, Some(id), Trial::None, &settled)?;
    let ended = Haul::of(site, journal, back)?.run(report, stop)?;
    for item in ended.items.iter().filter(|_| refused) {
        let undone = item.takes_back.map(|old| journal.item(old)).transpose()?.flatten();
        leave_copy(site, journal, &undone.ok_or(HaulError::NeedsRecovery)?, item)?;
    }
    Ok(Some(back))
}

/// Brings an item that is under way to where it can be taken back, or gives it up.
fn settle_unfinished(work: &mut ItemContext<'_>, stuck: Stuck, refused: bool) -> Result<(), HaulError> {
    match work.item.stage {
        // Half released: what is left of the originals is no whole copy; let it go, then haul back.
        Stage::Releasing => match crate::haul::steps::release_item(work, Depth::Seen) {
            Err(HaulError::Refused(_)) if stuck == Stuck::IsLeft => leave_the_rest(work),
            other => other.map(drop),
        },
        Stage::RecordsUpdated if work.item.planned.mode == Strategy::Rename => crate::haul::steps::swap(work),
        Stage::RecordsUpdated if refused => work.set_stage(Stage::Proved { holds: false }),
        Stage::RecordsUpdated => Ok(()),
        Stage::Planned
        | Stage::Copying { .. }
        | Stage::Verified { .. }
        | Stage::Renaming
        | Stage::Linked
        | Stage::Placed
        | Stage::UpdatingRecords
        | Stage::Proved { .. }
        | Stage::Released { .. }
        | Stage::Cancelling { .. }
        | Stage::Cancelled
        | Stage::Undone => cancel(work, stuck),
    }
}

/// The items of an undo, each with the one that it takes back. Of what is refused, only what can go without its copy.
fn items_back(
    site: &Site,
    journal: &Journal,
    haul: &HaulRow,
    refused: bool,
) -> Result<Vec<(PlannedItem, Option<ItemId>)>, HaulError> {
    let mut items: Vec<(PlannedItem, Option<ItemId>)> = Vec::new();
    for item in haul.items.iter().rev().filter(|item| to_take_back(item)) {
        let back = turned(site, item);
        if !refused {
            items.push((back, Some(item.id)));
        } else if let Some(back) = without_copy(site, journal, item, &back)? {
            items.push((back, Some(item.id)));
        }
        // Of what is refused otherwise, what is at rest stays as it is.
    }
    if refused && !items.is_empty() {
        // Nothing leads on beside a running launcher, whatever a person leaves.
        let planned: Vec<PlannedItem> = items.iter().map(|(planned, _)| planned.clone()).collect();
        let mut busy = quiet(site, &planned);
        busy.retain(|finding| finding.severity == Severity::Blocker);
        if !busy.is_empty() {
            return Err(HaulError::Refused(busy));
        }
    }
    Ok(items)
}

/// Ends a release that the gate does not let go on, since a person said so: the rest of the originals is left, and named.
fn leave_the_rest(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let held = work.item.held_at().to_path_buf();
    let left = Left { path: held.clone(), bytes: measure(&held).on_disk, why: WhyLeft::Changed };
    work.journal.put_remains(work.item.id, &[left])?;
    work.set_stage(Stage::Released { left: 1 })
}

/// Gives up the items of a haul that are not repointed; those that are stay where they are. Gives their titles.
///
/// # Errors
/// [`HaulError::Nothing`] if every item is at rest or repointed.
pub fn cancel_rest(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Vec<String>, HaulError> {
    cancel_leaving(site, journal, id, Stuck::Refuses, report, stop)
}

/// Does the same; what the gate does not let go can be left where it is.
///
/// # Errors
/// As [`cancel_rest`].
pub fn cancel_leaving(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    stuck: Stuck,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Vec<String>, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(NothingThere::NoHaul(id)))?;
    let open: Vec<ItemRow> =
        haul.items.into_iter().filter(|item| !item.stage.at_rest() && !item.stage.records_are_updated()).collect();
    if open.is_empty() {
        return Err(HaulError::Nothing(NothingThere::ToCancel(id)));
    }
    let titles = open.iter().map(|item| item.planned.title.clone()).collect();
    for item in open {
        cancel(&mut ItemContext::new(site, journal, item, report, stop), stuck)?;
    }
    Ok(titles)
}
