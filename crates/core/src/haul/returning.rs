//! Return: what a haul did is undone, whatever phase it is in, before or after the release.
//!
//! Law: a return is a haul of its own. Lots that were not repointed are given up where they stand;
//! held originals are read and compared before they are taken up again; released ones are hauled back.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::run::content_list;
use super::account::{Depth, Subject, look};
use super::aside::step_back;
use super::copy::SHEAF;
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use super::gate::{Stays, is_folder_of, pass};
use super::place::{is_ours, unplace};
use super::prove::{by_edits, what_records_say};
use super::reach::{Reach, leave_copy, left_there, without_copy};
use super::removal::{has_the_bytes, remove_known};
use super::repoint::{be_quiet, edits_to_make, rewritten_at, undo};
use super::run::{Haul, Work, is_as_it_was};
use super::scan::{Apart, Met, meet};
use super::standing::{End, Standing, note_places, settle};
use crate::bytes::{Bytes, HaulId, LotId};
use crate::checksums::{EntryKind, FileIdentity, Found, measure, walk_each};
use crate::item::{Finding, FindingKind, Left, Mode, PlannedLot, Policy, Stage, Trial, Weight, WhyLeft};
use crate::journal::{HaulRow, Journal, LotRow, TallyEntry, There, reader};
use crate::plan::lead_anew;
use crate::platform::Steady;
use crate::preflight::quiet;
use crate::record::{Edit, Files, Mood};
use crate::site::Site;

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
fn turned(site: &Site, lot: &LotRow) -> PlannedLot {
    let planned = lot.planned.clone();
    // Half released originals are no whole copy any more: the release is ended first, and the copy hauled back.
    let held = lot.holds_originals() || planned.mode == Mode::Spare && !matches!(lot.stage, Stage::Released { .. });
    // Somebody may have taken kept originals away by hand: then the copy is hauled back.
    // Nothing is gone while its drive is: that one is looked for after the look that found nothing.
    let drive_there = || settle(site, &mut lot.clone()).is_ok_and(|standing| standing.from == End::There);
    let there = site.disk.look(&planned.from).map_or(true, |there| there.is_some()) || !drive_there();
    let whole = held && lot.stage != Stage::Releasing && there;
    // An undo whose copy has not gone yet is undone without letting go of what it had taken up.
    let undoes_an_undo = planned.mode == Mode::TakeBack && whole;
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
        from_place: planned.to_place,
        to_place: planned.from_place,
        to_drive: planned.from_drive.clone().unwrap_or_default(),
        from_drive: Some(planned.to_drive),
        mode,
        edits,
        previews: Vec::new(),
        policy: Policy::Hold,
        after: Vec::new(),
        keeps: planned.mode == Mode::Spare || undoes_an_undo,
        ..planned
    }
}

/// The edits that take the lot's own back. A record within the lot is found where the lot will be.
fn turned_edits(planned: &PlannedLot) -> Vec<Edit> {
    Edit::turned_all(&planned.edits).into_iter().map(|edit| edit.carried(&planned.to, &planned.from)).collect()
}

/// Says what a return would do. Writes nothing.
pub fn return_plan(site: &Site, haul: &HaulRow) -> ReturnPlan {
    let written = haul;
    let (haul, mut unsettled) = settled(site, haul);
    let haul = &haul;
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
        let made = match &lot.stage {
            Stage::Copying { staging } => Some(staging),
            Stage::Compared { staging } if staging.is_dir() => Some(staging),
            Stage::Compared { .. } | Stage::Placed | Stage::Repointing if lot.planned.mode == Mode::Copy => {
                Some(&lot.planned.to)
            }
            _ => None,
        };
        if let Some(made) = made {
            goes.leave(&lot.planned.to_drive, measure(made).on_disk);
        }
    }
    for lot in haul.lots.iter().rev() {
        if !lot.stage.at_rest() && !lot.stage.is_repointed() {
            plan.give_up.push(title(lot));
        } else if to_take_back(lot) {
            let back = turned(site, lot);
            let list = if back.mode == Mode::TakeBack { &mut plan.take_back } else { &mut plan.haul_back };
            list.push(title(lot));
            // A later lot of the haul has carried it on: that one goes back first.
            let carried_on = |other: &LotRow| other.id.0 > lot.id.0 && other.planned.game == lot.planned.game;
            let last = !haul.lots.iter().any(carried_on);
            let was =
                written.lots.iter().find(|other| other.id == lot.id).map_or(&lot.planned.to, |was| &was.planned.to);
            // What its records say cannot be asked while a drive of it is away.
            let of_lot = |finding: &&Finding| finding.title.as_ref() == Some(&lot.planned.title);
            let can_ask = last && !unsettled.iter().any(|finding| of_lot(&finding));
            plan.findings.extend(stands_in_the_way(site, lot, &back, can_ask.then_some(was.as_path()), &goes));
            goes.add(&back);
            turned_lots.push(back);
        }
    }
    plan.findings.append(&mut unsettled);
    plan.findings.extend(quiet(site, &turned_lots));
    plan.findings.sort_by_key(|finding| finding.weight);
    plan
}

/// A haul with the paths that its drives have now, and what is wrong with those that are not there.
fn settled(site: &Site, haul: &HaulRow) -> (HaulRow, Vec<Finding>) {
    let (mut haul, mut findings) = (haul.clone(), Vec::new());
    for lot in haul.lots.iter_mut().filter(|lot| !lot.stage.at_rest() || lot.stage.is_repointed()) {
        let title = lot.planned.title.clone();
        let kinds = match settle(site, lot) {
            Ok(standing) => {
                let (from, to) = (standing.from.fault(&lot.planned.from), standing.to.fault(&lot.planned.to));
                // The copy that kept originals are taken up instead of may be away, and goes another time; but not where records lie
                // on its drive, or where its launcher cannot be asked about them: what is away is not gone.
                let files: Vec<PathBuf> = lot.planned.record_files().into_iter().map(Path::to_path_buf).collect();
                let asked = by_edits(&lot.planned) || what_records_say(site, &lot.planned.game).is_some();
                let needs_copy =
                    !lot.holds_originals() || !asked || standing.required_for(&lot.planned, &files).is_err();
                from.into_iter().chain(to.filter(|_| needs_copy || !lot.stage.at_rest())).collect()
            }
            Err(error) => vec![FindingKind::SourceUnreadable { what: error.to_string() }],
        };
        findings.extend(kinds.into_iter().map(|kind| Finding::new(Some(&title), kind)));
    }
    (haul, findings)
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

/// `was` is the path that the copy had when it was made; `None` if a later lot of the haul has moved the same game.
fn stands_in_the_way(site: &Site, lot: &LotRow, back: &PlannedLot, was: Option<&Path>, goes: &Going) -> Vec<Finding> {
    let mut kinds = Vec::new();
    if lot.planned.mode == Mode::SetAside && matches!(lot.stage, Stage::Releasing | Stage::Released { .. }) {
        return vec![Finding::new(
            Some(&lot.planned.title),
            FindingKind::LetGoForGood { path: lot.planned.from.clone() },
        )];
    }
    if let Some(was) = was.filter(|_| lot.stage.at_rest()) {
        kinds.extend(records_would(site, lot, back, was));
    }
    // Of a lot that is still under way something of its own may be there; it is settled before the return begins.
    if matches!(back.mode, Mode::Copy | Mode::Rename) && lot.stage.at_rest() && in_the_place(site, lot, back) {
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
    if back.mode == Mode::TakeBack && !back.keeps {
        kinds.extend(newer_in_copy(site, lot));
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

/// Tries in memory what an undo would do to the records; gives what stands against it, or what there is not to do.
fn records_would(site: &Site, lot: &LotRow, back: &PlannedLot, was: &Path) -> Option<FindingKind> {
    let launcher = back.launcher_name.clone();
    let edits = edits_to_make(back);
    let leads = match what_records_say(site, &back.game) {
        _ if by_edits(&lot.planned) || lot.planned.mode == Mode::Records => None,
        Some(game)
            if is_folder_of(&game.install, lot.planned.place()) || game.install == back.to || game.install == was =>
        {
            None
        }
        // Somebody has moved it since, by its launcher or another program.
        Some(game) => {
            return Some(FindingKind::RecordsElsewhere {
                launcher,
                path: Some(game.install),
                copy: lot.planned.to.clone(),
            });
        }
        None => Some(FindingKind::NothingToUpdate { launcher }),
    };
    if leads.is_some() {
        return leads;
    }
    let mut files = Files::carried(&back.from, &back.to);
    if files.make(&edits, Mood::Again).is_ok() {
        return None;
    }
    let leading = lead_anew(site, back, &edits, &back.from, &back.to);
    leading.err().map(|error| FindingKind::RecordsUnchangeable { why: error.to_string() })
}

/// Whether something is where a lot goes back to that does not go out of the way by itself: what its own release has left does.
fn in_the_place(site: &Site, lot: &LotRow, back: &PlannedLot) -> bool {
    let there = site.disk.look(&back.to).map_or(true, |there| there.is_some());
    there && !matches!(lot.stage, Stage::Released { left } if left > 0)
}

/// Files of the copy that are newer than what was verified and are on no list: an undo leaves them beside their place.
fn newer_in_copy(site: &Site, lot: &LotRow) -> Option<FindingKind> {
    let reader = reader(site).ok()??;
    let steady = site.abilities_at(&lot.planned.to).steady();
    let place = lot.planned.place();
    let rewritten: Vec<&Path> = lot.planned.record_files();
    let (mut count, mut first) = (0, None::<PathBuf>);
    let mut note = |path: &Path| {
        count += 1;
        first.get_or_insert_with(|| place.join(path));
    };
    let mut after: Option<Vec<u8>> = None;
    let mut known = std::collections::HashSet::new();
    loop {
        let page = reader.page(lot.id, after.as_deref(), false, None).ok()?;
        let Some(last) = page.last() else { break };
        after = Some(last.entry.path.key());
        for line in page {
            let (path, at) = (line.entry.path.as_path().to_path_buf(), line.entry.path.under(place));
            if line.entry.kind == EntryKind::File
                && !rewritten.contains(&at.as_path())
                && let Ok(Some(meta)) = site.disk.look(&at)
                && !line.copy(steady).is_some_and(|known| {
                    let now = FileIdentity::of_file(&meta, steady);
                    // Who only touches a file writes nothing newer.
                    known.size == now.size && known.modified_ns == now.modified_ns
                })
            {
                note(&path);
            }
            known.insert(path);
        }
    }
    let walked = walk_each(&site.disk, place, &mut |found| {
        if let Found::Entry(entry) = found
            && entry.kind != EntryKind::Folder
            && !known.contains(entry.path.as_path())
        {
            note(entry.path.as_path());
        }
        Ok::<(), std::io::Error>(())
    });
    walked.ok()?;
    first.map(|path| FindingKind::NewerInCopy { path: path.display().to_string(), count })
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
    return_leaving(site, journal, id, only, Stuck::Refuses, report, stop)
}

/// Does the same; what the gate does not let go can be left where it is.
///
/// # Errors
/// As [`return_lots`].
pub fn return_leaving(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    only: &[LotId],
    stuck: Stuck,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Option<HaulId>, HaulError> {
    let whole = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
    if let Some(other) = journal.live()?.into_iter().find(|other| other.id != id && other.unfinished()) {
        return Err(HaulError::Unfinished(other.id));
    }
    let (haul, _) = settled(site, &whole.only(only));
    let others_under_way = whole.lots.iter().any(|lot| !only.contains(&lot.id) && !lot.stage.at_rest());
    if others_under_way && haul.lots.iter().any(to_take_back) {
        return Err(HaulError::Unfinished(id));
    }
    let plan = return_plan(site, &haul);
    let refused = plan.stopped();
    if refused && stuck == Stuck::Refuses {
        return Err(HaulError::Refused(plan.findings));
    }
    if plan.give_up.is_empty() && plan.take_back.is_empty() && plan.haul_back.is_empty() {
        return Err(HaulError::Nothing(format!("haul {id} has nothing to return")));
    }
    for lot in haul.lots.iter().filter(|lot| !lot.stage.at_rest()) {
        let mut work = Work::new(site, journal, lot.clone(), report, stop);
        match lot.stage {
            // Half released: what is left of the originals is no whole copy; let it go, then haul back.
            Stage::Releasing => match super::release::release_lot(&mut work, Depth::Seen) {
                Err(HaulError::Refused(_)) if stuck == Stuck::IsLeft => leave_the_rest(&mut work)?,
                other => drop(other?),
            },
            Stage::Repointed if lot.planned.mode == Mode::Rename => super::place::swap(&mut work)?,
            Stage::Repointed if refused => work.set_stage(Stage::Proved { holds: false })?,
            Stage::Repointed => {}
            _ => give_up(&mut work, stuck)?,
        }
    }
    let haul = journal.haul(id)?.ok_or(HaulError::NeedsRecovery)?.only(only);
    let (haul, _) = settled(site, &haul);
    let mut lots: Vec<(PlannedLot, Option<LotId>)> = Vec::new();
    for lot in haul.lots.iter().rev().filter(|lot| to_take_back(lot)) {
        let back = turned(site, lot);
        if !refused {
            lots.push((back, Some(lot.id)));
        } else if let Some(back) = without_copy(site, journal, lot, &back)? {
            lots.push((back, Some(lot.id)));
        }
        // Of what is refused otherwise, what is at rest stays as it is.
    }
    if refused && !lots.is_empty() {
        // Nothing leads on beside a running launcher, whatever a person leaves.
        let planned: Vec<PlannedLot> = lots.iter().map(|(planned, _)| planned.clone()).collect();
        let mut busy = quiet(site, &planned);
        busy.retain(|finding| finding.weight == Weight::Stop);
        if !busy.is_empty() {
            return Err(HaulError::Refused(busy));
        }
    }
    in_turn(&mut lots);
    if lots.is_empty() {
        if !refused {
            journal.say(id, None, "given up", "")?;
        }
        return Ok(None);
    }
    // What the journal begins here is under way whatever happens next; the old haul is at rest from now on.
    let repointed = haul.lots.iter().filter(|lot| lot.stage == Stage::Repointed);
    let settled: Vec<(LotId, Stage)> = repointed.map(|lot| (lot.id, Stage::Proved { holds: false })).collect();
    for (planned, _) in &mut lots {
        note_places(site, planned)?;
    }
    // A copy on a drive that is not there cannot go.
    let policy = if refused { Policy::Hold } else { Policy::Release };
    let back = journal.begin_with(&lots, policy, Some(id), Trial::None, &settled)?;
    let ended = Haul::of(site, journal, back)?.run(report, stop)?;
    for lot in ended.lots.iter().filter(|_| refused) {
        let undone = lot.takes_back.map(|old| journal.lot(old)).transpose()?.flatten();
        leave_copy(site, journal, &undone.ok_or(HaulError::NeedsRecovery)?, lot)?;
    }
    Ok(Some(back))
}

/// Ends a release that the gate does not let go on, since a person said so: the rest of the originals is left, and named.
fn leave_the_rest(work: &mut Work<'_>) -> Result<(), HaulError> {
    let held = work.lot.held_at().to_path_buf();
    let left = Left { path: held.clone(), bytes: measure(&held).on_disk, why: WhyLeft::Changed };
    work.journal.put_remains(work.lot.id, &[left])?;
    work.set_stage(Stage::Released { left: 1 })
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
    give_up_leaving(site, journal, id, Stuck::Refuses, report, stop)
}

/// Does the same; what the gate does not let go can be left where it is.
///
/// # Errors
/// As [`give_up_rest`].
pub fn give_up_leaving(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    stuck: Stuck,
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
        give_up(&mut Work::new(site, journal, lot, report, stop), stuck)?;
    }
    Ok(titles)
}

/// What becomes of what the gate does not let go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stuck {
    /// Nothing is given up: the reason is told, and it can be tried again.
    Refuses,
    /// It is left where it is, and named; the lot is at its end all the same.
    IsLeft,
}

/// The folder with what was made for a lot that is not repointed; of one that was verified its own place, if the folder there is ours.
fn made_of(work: &Work<'_>) -> Result<Option<PathBuf>, HaulError> {
    let (disk, to) = (&work.site.disk, &work.lot.planned.to);
    let is_folder = |path: &Path| disk.is_folder(path).map_err(HaulError::disk("look at", path));
    let placed = || -> Result<Option<PathBuf>, HaulError> {
        // Whatever else came to be there is somebody else's.
        Ok((is_folder(to)? && is_ours(work, to)?).then(|| to.clone()))
    };
    Ok(match &work.lot.stage {
        Stage::Copying { staging } => Some(staging.clone()),
        // The rename to its place may have come just before the end.
        Stage::Compared { staging } if is_folder(staging)? => Some(staging.clone()),
        Stage::Compared { .. } => placed()?,
        Stage::Placed | Stage::Repointing if work.lot.planned.mode == Mode::Copy => placed()?,
        Stage::GivingUp { made } => made.clone(),
        _ => None,
    })
}

/// Removes what was made for a lot that was not repointed, and leaves all as it was.
pub(crate) fn give_up(work: &mut Work<'_>, stuck: Stuck) -> Result<(), HaulError> {
    let standing = settle(work.site, &mut work.lot)?;
    let planned = work.lot.planned.clone();
    if work.lot.stage == Stage::Repointing {
        // Whatever is left, records are not led back beside a program that would write its old ones.
        be_quiet(work)?;
    }
    let ended = give_up_what_can_be(work, &standing, stuck);
    let left = match ended {
        Ok(left) => left,
        Err(HaulError::Paused) => return Err(HaulError::Paused),
        Err(error @ (HaulError::Journal(_) | HaulError::NeedsRecovery)) => return Err(error),
        Err(error) if stuck == Stuck::Refuses => return Err(error),
        // A person said so: it stays as it is, whatever it is.
        Err(error) => {
            tracing::warn!(%error, title = planned.title, "left");
            let path = match &work.lot.stage {
                Stage::Copying { staging } | Stage::Compared { staging } => staging.clone(),
                Stage::GivingUp { made: Some(made) } => made.clone(),
                _ => planned.to.clone(),
            };
            if standing.to == End::There {
                let bytes = measure(&path).on_disk;
                vec![Left { path, bytes, why: WhyLeft::OriginalGone }]
            } else {
                left_there(&planned, &standing, &path)
            }
        }
    };
    if !matches!(work.lot.stage, Stage::GivingUp { .. }) {
        work.set_stage(Stage::GivingUp { made: None })?;
    }
    if let Some(first) = left.first() {
        let detail = format!("{} {} {}", left.len(), first.why.word(), first.path.display());
        work.journal.say(work.lot.haul, Some(work.lot.id), "left", &detail)?;
    }
    work.journal.put_remains(work.lot.id, &left)?;
    work.set_stage(Stage::GivenUp)?;
    Ok(work.journal.say(work.lot.haul, Some(work.lot.id), "given up", &planned.title)?)
}

/// Gives up all of a lot that the gate lets go; gives what is left, with its whole path.
fn give_up_what_can_be(work: &mut Work<'_>, standing: &Standing, stuck: Stuck) -> Result<Vec<Left>, HaulError> {
    let planned = work.lot.planned.clone();
    if work.lot.stage == Stage::Repointing {
        // Records are led back to what is there, and never to what a journal of yesterday believes in.
        originals_are_there(work)?;
        undo(work, if stuck == Stuck::IsLeft { Reach::WhatIsThere } else { Reach::All })?;
    }
    standing.to.required(&planned.title, &planned.to)?;
    let made = made_of(work)?;
    if matches!(planned.mode, Mode::Rename | Mode::SetAside) {
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
fn originals_are_there(work: &Work<'_>) -> Result<(), HaulError> {
    let planned = &work.lot.planned;
    if planned.mode != Mode::Copy {
        return Ok(());
    }
    let mut gone: Option<(PathBuf, u64)> = None;
    if work.site.disk.is_folder(&planned.from).map_err(HaulError::disk("look at", &planned.from))? {
        meet(&work.site.disk, work.journal, work.lot.id, &planned.from, work.originals(), &mut |met| {
            if let Met::Gone(line) = met {
                gone.get_or_insert_with(|| (line.entry.path.under(&planned.from), 0)).1 += 1;
            }
            Ok(())
        })?;
    } else {
        gone = Some((planned.from.clone(), 1));
    }
    let kind = |(path, count)| FindingKind::CopyNotWhole { path, count };
    gone.map_or(Ok(()), |gone| Err(HaulError::Refused(vec![Finding::new(Some(&planned.title), kind(gone))])))
}

/// Removes what was made of a lot, as far as the gate and the drive let it go; gives the rest, with its whole path.
fn remove_what_was_made(work: &mut Work<'_>, made: &Path) -> Result<Vec<Left>, HaulError> {
    let from = work.lot.planned.from.clone();
    let stepped = work.site.disk.is_folder(&from).map_err(HaulError::disk("look at", &from))?;
    let originals = if stepped { from } else { work.lot.planned.source().to_path_buf() };
    let passed = pass(work, made, &Stays::Originals(originals.clone()), Depth::Seen)?;
    if !matches!(work.lot.stage, Stage::GivingUp { .. }) {
        work.set_stage(Stage::GivingUp { made: Some(made.to_path_buf()) })?;
    }
    let ours = made.file_name() == Some(OsStr::new(&work.own_name("copy")));
    let steady = work.abilities().steady();
    let (disk, stop) = (&work.site.disk, work.stop);
    let verdict = |line: &TallyEntry, stat: &rustix::fs::Stat| -> Result<Option<WhyLeft>, HaulError> {
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
    let removed = remove_known(made, work.lot.id, &verdict, work, &passed.permit)?;
    Ok(removed.left.into_iter().map(|one| Left { path: made.join(&one.path), ..one }).collect())
}

fn identity_of(stat: &rustix::fs::Stat, line: &TallyEntry, steady: Steady) -> FileIdentity {
    let sized = line.entry.kind == EntryKind::File;
    FileIdentity::of_stat(stat, (!sized).then_some(line.entry.size), steady)
}

/// Removes the folder of a library that this lot was to make, if it is empty.
pub(crate) fn forget_way(work: &Work<'_>, planned: &PlannedLot) {
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
                let _ = work.site.disk.remove_empty_folder(folder);
            }
        }
    }
    let lots = [Some(work.lot.id), work.lot.takes_back];
    for folder in lots.into_iter().flatten().filter_map(|lot| work.journal.made(lot).ok()).flatten() {
        // One that holds something refuses, and that is what is wanted.
        let _ = work.site.disk.remove_empty_folder(&folder);
    }
    if let Some(library) = library {
        // A folder that is not empty refuses, and that is what is wanted.
        let _ = work.site.disk.remove_empty_folder(library);
    }
}

/// Reads the held originals and compares them with the tally, before anything leads to them again.
pub(crate) fn take_up(work: &mut Work<'_>) -> Result<(), HaulError> {
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
    let contents = content_list(work)?;
    let rewritten = rewritten_at(work.site, work.journal, &planned.game, &planned.to)?;
    let subject = Subject {
        journal: work.journal,
        lot: work.lot.id,
        title: &planned.title,
        install: &planned.to,
        contents: contents.as_ref(),
        rewritten: &rewritten,
        apart: Apart::of(planned),
        abilities: work.site.abilities_at(&planned.to),
        // The checksums alone decide: what somebody set beside the bytes is no reason to keep a game away.
        beside: false,
    };
    let proof = look(&work.site.disk, &subject, Depth::Read, work.report, work.stop)?;
    let same = proof.differ == 0 && proof.missing == 0;
    if !same {
        let first = proof.differences.first().map(|d| planned.to.join(&d.path));
        let count = (proof.differ + proof.missing).max(1);
        return Err(HaulError::Changed { path: first.unwrap_or_else(|| planned.to.clone()), count });
    }
    work.journal.set_all_compared(work.lot.id)?;
    see_again(work)?;
    work.set_stage(Stage::Placed)
}

/// Writes down what is seen of files that were just read and are the same, where it is not what was seen before.
fn see_again(work: &Work<'_>) -> Result<(), HaulError> {
    let (place, steady) = (work.lot.planned.to.clone(), work.abilities().steady());
    let mut seen: Vec<TallyEntry> = Vec::new();
    meet(&work.site.disk, work.journal, work.lot.id, &place, Apart::of(&work.lot.planned), &mut |met| {
        if let Met::Both(mut line, entry) = met
            && line.entry.kind != EntryKind::Folder
            && !is_as_it_was(&line, &entry, steady)
        {
            line.there =
                Some(There { inode: entry.inode, modified_ns: entry.modified_ns, changed_ns: entry.changed_ns });
            seen.push(line);
        }
        Ok(())
    })?;
    Ok(work.journal.put_entries(work.lot.id, &seen)?)
}

/// A line with original and copy in each other's place.
fn swapped(line: TallyEntry) -> TallyEntry {
    let (inode, modified_ns, changed_ns) = (line.entry.inode, line.entry.modified_ns, line.entry.changed_ns);
    let there = There { inode, modified_ns, changed_ns };
    let mut entry = line.entry.clone();
    if let Some(copy) = line.there {
        (entry.inode, entry.modified_ns, entry.changed_ns) = (copy.inode, copy.modified_ns, copy.changed_ns);
    }
    TallyEntry { entry, there: Some(there), compared: false, taken: None, ..line }
}
