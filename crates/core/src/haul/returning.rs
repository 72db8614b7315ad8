//! Return: what a haul did is undone, whatever phase it is in, before or after the release.
//!
//! Law: a return is a haul of its own. Lots that were not repointed are given up where they stand;
//! held originals are read and compared before they are taken up again; released ones are hauled back.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::account::{Depth, Subject, look};
use super::aside::step_back;
use super::copy::SHEAF;
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use super::history::{HaulRow, LotRow, TallyEntry, There};
use super::journal::Journal;
use super::place::unplace;
use super::prove::leads_there;
use super::release::remove_known;
use super::repoint::{rewritten_at, undo};
use super::run::{Haul, Work};
use super::scan::Apart;
use super::stage::Stage;
use crate::bytes::{Bytes, HaulId, LotId};
use crate::disk::What;
use crate::plan::{Finding, FindingKind, Mode, PlannedLot, Policy, Weight, quiet};
use crate::record::Edit;
use crate::site::Site;
use crate::tally::measure;

/// What a return would do.
#[derive(Clone, Debug, Serialize)]
pub struct ReturnPlan {
    /// The haul that would be returned.
    pub haul: HaulId,
    /// Titles of lots that are given up before they were repointed.
    pub give_up: Vec<String>,
    /// Titles of lots whose held originals are taken up again.
    pub take_back: Vec<String>,
    /// Titles of lots that are copied or renamed back.
    pub haul_back: Vec<String>,
    /// What stands in the way.
    pub findings: Vec<Finding>,
}

impl ReturnPlan {
    /// Whether something refuses it.
    pub fn stopped(&self) -> bool {
        self.findings.iter().any(|finding| finding.weight == Weight::Stop)
    }
}

/// Whether the lot has been repointed and not been taken back.
fn to_take_back(lot: &LotRow) -> bool {
    lot.stage.is_repointed()
}

/// The lot that would undo `lot`.
fn turned(lot: &LotRow) -> PlannedLot {
    let planned = lot.planned.clone();
    // Half released originals are no whole copy any more: the release is ended first, and the copy hauled back.
    let held = lot.holds_originals() || planned.mode == Mode::Spare && !matches!(lot.stage, Stage::Released { .. });
    let whole = held && lot.stage != Stage::Releasing;
    let mode = match (planned.mode, whole) {
        (Mode::Rename | Mode::SetAside, _) => Mode::Rename,
        // Of a copy that still lies where it lay there is nothing to bring back.
        (Mode::Records | Mode::Adopt, _) | (Mode::Spare, true) => Mode::Records,
        (Mode::Copy, _) if planned.keeps => Mode::Spare,
        (_, true) => Mode::TakeBack,
        (_, false) => Mode::Copy,
    };
    let edits = turned_edits(&planned);
    PlannedLot {
        from: planned.to,
        to: planned.from,
        to_drive: planned.from_drive.clone().unwrap_or_default(),
        from_drive: Some(planned.to_drive),
        mode,
        edits,
        previews: Vec::new(),
        policy: Policy::Hold,
        after: Vec::new(),
        keeps: planned.mode == Mode::Spare,
        ..planned
    }
}

/// The edits that take the lot's own back. A record within the lot is found where the lot will be.
fn turned_edits(planned: &PlannedLot) -> Vec<Edit> {
    Edit::turned_all(&planned.edits).into_iter().map(|edit| edit.carried(&planned.to, &planned.from)).collect()
}

/// Says what a return would do. Writes nothing.
pub fn return_plan(site: &Site, haul: &HaulRow) -> ReturnPlan {
    let title = |lot: &LotRow| lot.planned.title.clone();
    let mut plan = ReturnPlan {
        haul: haul.id,
        give_up: Vec::new(),
        take_back: Vec::new(),
        haul_back: Vec::new(),
        findings: Vec::new(),
    };
    let mut turned_lots = Vec::new();
    // What goes back first makes room for what follows.
    let mut goes = Going::default();
    for lot in haul.lots.iter().filter(|lot| !lot.stage.at_rest() && !lot.stage.is_repointed()) {
        // What was made of lots that are given up goes before anything comes back.
        if let Some(made) = made_of(lot) {
            goes.leave(&lot.planned.to_drive, measure(&made).on_disk);
        }
    }
    for lot in haul.lots.iter().rev() {
        if !lot.stage.at_rest() && !lot.stage.is_repointed() {
            plan.give_up.push(title(lot));
        } else if to_take_back(lot) {
            let back = turned(lot);
            let list = if back.mode == Mode::TakeBack { &mut plan.take_back } else { &mut plan.haul_back };
            list.push(title(lot));
            // A later lot of the haul has carried it on: that one goes back first.
            let carried_on = |other: &LotRow| other.id.0 > lot.id.0 && other.planned.game == lot.planned.game;
            let last = !haul.lots.iter().any(carried_on);
            plan.findings.extend(stands_in_the_way(site, lot, &back, last, &goes));
            goes.add(&back);
            turned_lots.push(back);
        }
    }
    plan.findings.extend(quiet(site, &turned_lots));
    plan.findings.sort_by_key(|finding| finding.weight);
    plan
}

/// Bytes that the lots of a return so far bring to drives, and take from them.
#[derive(Default)]
struct Going {
    comes: HashMap<String, Bytes>,
    leaves: HashMap<String, Bytes>,
}

impl Going {
    fn add(&mut self, back: &PlannedLot) {
        let drives = if back.mode == Mode::Copy {
            let comes = self.comes.entry(back.to_drive.clone()).or_default();
            *comes = comes.plus(back.need.max(back.size.on_disk));
            back.from_drive.clone()
        } else {
            back.from_drive.clone().filter(|_| back.mode == Mode::TakeBack)
        };
        if let Some(from) = drives {
            self.leave(&from, back.size.on_disk);
        }
    }

    fn leave(&mut self, drive: &str, bytes: Bytes) {
        let leaves = self.leaves.entry(drive.into()).or_default();
        *leaves = leaves.plus(bytes);
    }

    fn of(map: &HashMap<String, Bytes>, drive: &str) -> Bytes {
        map.get(drive).copied().unwrap_or(Bytes::ZERO)
    }
}

/// Has every lot of a return wait until those before it have let go of what lies where it goes.
fn in_turn(lots: &mut [(PlannedLot, Option<LotId>)]) {
    for n in 0..lots.len() {
        let makes_room = |k: &usize| {
            let (earlier, later) = (&lots[*k].0, &lots[n].0);
            later.game == earlier.game
                || later.mode == Mode::Copy
                    && matches!(earlier.mode, Mode::Copy | Mode::TakeBack)
                    && earlier.from_drive.as_ref() == Some(&later.to_drive)
        };
        lots[n].0.after = (0..n).filter(makes_room).collect();
    }
}

/// `last` is whether no later lot of the haul has moved the same game.
fn stands_in_the_way(site: &Site, lot: &LotRow, back: &PlannedLot, last: bool, goes: &Going) -> Vec<Finding> {
    let mut kinds = Vec::new();
    if lot.planned.mode == Mode::SetAside && matches!(lot.stage, Stage::Releasing | Stage::Released { .. }) {
        return vec![Finding::new(
            Some(&lot.planned.title),
            FindingKind::LetGoForGood { path: lot.planned.from.clone() },
        )];
    }
    if last && !leads_there(site, &lot.planned) && lot.stage.at_rest() {
        let why = format!("the records no longer lead to {}; it was moved or removed since", lot.planned.to.display());
        kinds.push(FindingKind::RecordsUnchangeable { why });
    }
    // Of a lot that is still under way something of its own may be there; it is settled before the return begins.
    if matches!(back.mode, Mode::Copy | Mode::Rename) && lot.stage.at_rest() && back.to.symlink_metadata().is_ok() {
        kinds.push(FindingKind::TargetThere { path: back.to.clone() });
    }
    if back.mode == Mode::TakeBack && lot.taken > 0 {
        // What could not be read of them is in the copy alone.
        let what = format!(
            "what could not be read of the held originals was taken from another copy (files: {}); let go of the originals first, and the copy is hauled back",
            lot.taken
        );
        kinds.push(FindingKind::SourceUnreadable { what });
    }
    if back.mode == Mode::TakeBack && !back.to.is_dir() {
        kinds.push(FindingKind::SourceUnreadable {
            what: format!("the held originals in {} are gone", back.to.display()),
        });
    }
    if back.mode == Mode::Copy
        && let Some(drive) = site.find_drive(&back.to_drive)
        && let Ok(usage) = drive.usage()
    {
        // It lay there before: undoing a haul may use the reserve again.
        // What is left of half released originals goes before the copy comes back.
        let going = if lot.stage == Stage::Releasing { measure(&back.to).on_disk } else { Bytes::ZERO };
        let free = usage.free.plus(going).plus(Going::of(&goes.leaves, &drive.name));
        let lacks = back.need.max(back.size.on_disk).plus(Going::of(&goes.comes, &drive.name)).less(free);
        if lacks > Bytes::ZERO {
            kinds.push(FindingKind::NoRoom { drive: drive.name.clone(), lacks, reserve: Bytes::ZERO });
        }
    }
    kinds.into_iter().map(|kind| Finding::new(Some(&lot.planned.title), kind)).collect()
}

/// Returns a haul: gives up what was not repointed, and hauls or takes back the rest as a haul of its own.
///
/// Gives the number of that haul, or `None` if all could be given up.
///
/// # Errors
/// [`HaulError::Refused`] with nothing changed; [`HaulError::Paused`] and others leave a haul that resumes.
pub fn return_haul(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    let all: Vec<LotId> = haul.lots.iter().map(|lot| lot.id).collect();
    return_lots(site, journal, id, &all, report, stop)
}

/// Returns some lots of a haul, as [`return_haul`] does with all; the others stay as they are.
///
/// # Errors
/// As [`return_haul`]; and [`HaulError::Unfinished`] if another lot of the haul is still under way and these are repointed:
/// a return is a haul, and one at a time is under way.
pub fn return_lots(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    only: &[LotId],
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    let whole = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    if let Some(other) = journal.live()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let haul = whole.only(only);
    let others_under_way = whole.lots.iter().any(|lot| !only.contains(&lot.id) && !lot.stage.at_rest());
    if others_under_way && haul.lots.iter().any(to_take_back) {
        return Err(HaulError::Unfinished(id));
    }
    let plan = return_plan(site, &haul);
    if plan.stopped() {
        return Err(HaulError::Refused(plan.findings));
    }
    if plan.give_up.is_empty() && plan.take_back.is_empty() && plan.haul_back.is_empty() {
        return Err(HaulError::Nothing(format!("haul {id} has nothing to return")));
    }
    for lot in haul.lots.iter().filter(|lot| !lot.stage.at_rest()) {
        let mut work = Work::new(site, journal, lot.clone(), report, stop);
        match lot.stage {
            // Half released: what is left of the originals is no whole copy; let it go, then haul back.
            Stage::Releasing => {
                super::release::release_lot(&mut work)?;
            }
            Stage::Repointed if lot.planned.mode == Mode::Rename => super::place::swap(&mut work)?,
            Stage::Repointed => {}
            _ => give_up(&mut work)?,
        }
    }
    let haul = journal.haul(id)?.ok_or(HaulError::NeedsRecovery)?.only(only);
    let mut lots: Vec<(PlannedLot, Option<LotId>)> =
        haul.lots.iter().rev().filter(|lot| to_take_back(lot)).map(|lot| (turned(lot), Some(lot.id))).collect();
    in_turn(&mut lots);
    if lots.is_empty() {
        journal.say(id, None, "given up", "")?;
        return Ok(None);
    }
    // What the journal begins here is under way whatever happens next; the old haul is at rest from now on.
    for lot in haul.lots.iter().filter(|lot| lot.stage == Stage::Repointed) {
        journal.set_stage(lot.id, &Stage::Proved { holds: false })?;
    }
    let back = journal.begin(&lots, Policy::Release, Some(id))?;
    Haul::of(site, journal, back)?.run(report, stop)?;
    Ok(Some(back))
}

/// Gives up the lots of a haul that are not repointed; those that are stay where they are. Gives their titles.
///
/// # Errors
/// [`HaulError::Nothing`] if every lot is at rest or repointed.
pub fn give_up_rest(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Vec<String>, HaulError> {
    let haul = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    let open: Vec<LotRow> =
        haul.lots.into_iter().filter(|lot| !lot.stage.at_rest() && !lot.stage.is_repointed()).collect();
    if open.is_empty() {
        return Err(HaulError::Nothing(format!("haul {id} has no lot to give up")));
    }
    let titles = open.iter().map(|lot| lot.planned.title.clone()).collect();
    for lot in open {
        give_up(&mut Work::new(site, journal, lot, report, stop))?;
    }
    Ok(titles)
}

/// The folder with what was made for a lot that is not repointed.
fn made_of(lot: &LotRow) -> Option<PathBuf> {
    match &lot.stage {
        Stage::Copying { staging } => Some(staging.clone()),
        // The rename to its place may have come just before the end.
        Stage::Compared { staging } if staging.is_dir() => Some(staging.clone()),
        Stage::Compared { .. } => Some(lot.planned.to.clone()),
        Stage::Placed | Stage::Repointing if lot.planned.mode == Mode::Copy => Some(lot.planned.to.clone()),
        Stage::GivingUp { made } => made.clone(),
        _ => None,
    }
}

/// Removes what was made for a lot that was not repointed, and leaves all as it was.
pub(super) fn give_up(work: &mut Work<'_>) -> Result<(), HaulError> {
    if work.lot.stage == Stage::Repointing {
        undo(work)?;
    }
    let planned = work.lot.planned.clone();
    let made = made_of(&work.lot);
    if matches!(planned.mode, Mode::Rename | Mode::SetAside) {
        unplace(work)?;
    }
    if !matches!(work.lot.stage, Stage::GivingUp { .. }) {
        work.set_stage(Stage::GivingUp { made: made.clone() })?;
    }
    if let Some(made) = made {
        // All below a folder of ours is ours, finished or not; what the tally does not name stays.
        let removed = remove_known(&made, work.lot.id, &|_, _| true, work)?;
        if let Some(first) = removed.left.first() {
            let detail = format!("left in {}: {}", made.display(), first.as_path().display());
            work.journal.say(work.lot.haul, Some(work.lot.id), "left", &detail)?;
        }
    }
    step_back(work)?;
    forget_way(work, &planned);
    work.set_stage(Stage::GivenUp)?;
    Ok(work.journal.say(work.lot.haul, Some(work.lot.id), "given up", &planned.title)?)
}

/// Removes the folder of a library that this lot was to make, if it is empty.
pub(super) fn forget_way(work: &Work<'_>, planned: &PlannedLot) {
    let library = planned.edits.iter().find_map(|edit| match edit {
        Edit::Register { made: Some((file, _)), .. } | Edit::Unregister { made: Some((file, _)), .. } => file.parent(),
        Edit::Register { .. } | Edit::Unregister { .. } if planned.mode == Mode::Records => Some(planned.to.as_path()),
        // A library without a file of its own is the folder that the game was to lie in, or lay in.
        Edit::Register { .. } => planned.to.parent(),
        Edit::Unregister { .. } => planned.from.parent(),
        _ => None,
    });
    // Folders of ours that only this lot was in.
    let ours = |folder: &Path| folder.file_name().is_some_and(|name| name == "user-data" || name == "carried");
    for place in [&planned.to, &planned.from] {
        if let Some(top) = place.ancestors().skip(1).take(2).find(|folder| ours(folder)) {
            for folder in place.ancestors().skip(1).take_while(|folder| folder.starts_with(top)) {
                // One that is not there, or holds something, refuses.
                let _ = work.site.disk.remove(folder, What::Folder);
            }
        }
    }
    if let Some(library) = library {
        // A folder that is not empty refuses, and that is what is wanted.
        let _ = work.site.disk.remove(library, What::Folder);
    }
}

/// Reads the held originals and compares them with the tally, before anything leads to them again.
pub(super) fn take_up(work: &mut Work<'_>) -> Result<(), HaulError> {
    let Some(old) = work.lot.takes_back else { return Err(HaulError::NeedsRecovery) };
    let mut lines = work.journal.lines(old);
    loop {
        let some = lines.by_ref().take(SHEAF).map(|line| line.map(swapped)).collect::<Result<Vec<_>, _>>()?;
        if some.is_empty() {
            break;
        }
        work.journal.put_entries(work.lot.id, &some)?;
    }
    let planned = &work.lot.planned;
    let contents = work.content_list()?;
    let rewritten = rewritten_at(work.journal, &planned.game, &planned.to)?;
    let subject = Subject {
        journal: work.journal,
        lot: work.lot.id,
        title: &planned.title,
        install: &planned.to,
        contents: contents.as_ref(),
        rewritten: &rewritten,
        apart: Apart::of(planned),
    };
    let proof = look(&work.site.disk, &subject, Depth::Read, work.report, work.stop)?;
    let same = proof.differ == 0 && proof.missing == 0 && proof.to_download.is_none_or(|bytes| bytes == Bytes::ZERO);
    if !same {
        let first = proof.differences.first().map(|d| planned.to.join(&d.path));
        let count = (proof.differ + proof.missing).max(1);
        return Err(HaulError::Changed { path: first.unwrap_or_else(|| planned.to.clone()), count });
    }
    work.journal.set_all_compared(work.lot.id)?;
    work.set_stage(Stage::Placed)
}

/// A line with original and copy in each other's place.
fn swapped(line: TallyEntry) -> TallyEntry {
    let there = There { inode: line.entry.inode, modified_ns: line.entry.modified_ns };
    let mut entry = line.entry.clone();
    if let Some(copy) = line.there {
        entry.inode = copy.inode;
        entry.modified_ns = copy.modified_ns;
    }
    TallyEntry { entry, there: Some(there), compared: false, taken: None, ..line }
}
