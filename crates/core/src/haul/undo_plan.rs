//! What an undo would do, and what stands in its way. Writes nothing.

use std::collections::HashMap;

use serde::Serialize;
use std::path::{Path, PathBuf};

use crate::haul::inspect::{by_edits, is_folder_of, what_records_say};
use crate::haul::steps::edits_to_make;

use super::standing::{End, settle};
use crate::bytes::{Bytes, HaulId, ItemId};
use crate::checksums::{EntryKind, FileIdentity, WalkEnd, measure, walk_each};
use crate::item::{Finding, FindingKind, MadeAt, PlannedItem, Policy, Severity, Stage, Strategy};
use crate::journal::{HaulRow, ItemRow, reader};
use crate::plan::lead_anew;

use crate::preflight::quiet;
use crate::record::{Edit, Files, Mood};
use crate::site::Site;

/// What a return would do.
#[derive(Clone, Debug, Serialize)]
pub struct UndoPlan {
    /// The haul that would be returned.
    pub haul: HaulId,
    /// Titles of items that are given up before they were repointed.
    pub cancel: Vec<String>,
    /// Titles of items whose kept originals are taken up again.
    pub take_back: Vec<String>,
    /// Titles of items that are copied or renamed back.
    pub haul_back: Vec<String>,
    /// What stands in the way.
    pub findings: Vec<Finding>,
}

impl UndoPlan {
    /// Whether something refuses it.
    pub fn blocked(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Blocker)
    }
}

/// Whether the item has been repointed and not been taken back.
pub(crate) fn to_take_back(item: &ItemRow) -> bool {
    item.stage.records_are_updated()
}

/// The item that would undo `item`.
pub(crate) fn turned(site: &Site, item: &ItemRow) -> PlannedItem {
    let planned = item.planned.clone();
    // Half released originals are no whole copy any more: the release is ended first, and the copy hauled back.
    let held =
        item.holds_originals() || planned.mode == Strategy::Duplicate && !matches!(item.stage, Stage::Released { .. });
    // Somebody may have taken kept originals away by hand: then the copy is hauled back.
    // Nothing is gone while its drive is: that one is looked for after the look that found nothing.
    let drive_there = || settle(site, &mut item.clone()).is_ok_and(|standing| standing.from == End::There);
    let there = site.disk.look(&planned.from).map_or(true, |there| there.is_some()) || !drive_there();
    let whole = held && item.stage != Stage::Releasing && there;
    // An undo whose copy has not gone yet is undone without letting go of what it had taken up.
    let undoes_an_undo = planned.mode == Strategy::TakeBack && whole;
    let mode = match (planned.mode, whole) {
        (Strategy::Rename | Strategy::Quarantine, _) => Strategy::Rename,
        // Of a copy that still lies where it lay there is nothing to bring back.
        (Strategy::Records | Strategy::Import, _) | (Strategy::Duplicate, true) => Strategy::Records,
        (Strategy::Copy, _) if planned.keeps => Strategy::Duplicate,
        (_, true) => Strategy::TakeBack,
        (_, false) => Strategy::Copy,
    };
    let edits = turned_edits(&planned);
    PlannedItem {
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
        keeps: planned.mode == Strategy::Duplicate || undoes_an_undo,
        ..planned
    }
}

/// The edits that take the item's own back. A record within the item is found where the item will be.
fn turned_edits(planned: &PlannedItem) -> Vec<Edit> {
    Edit::turned_all(&planned.edits).into_iter().map(|edit| edit.carried(&planned.to, &planned.from)).collect()
}

/// Says what a return would do. Writes nothing.
pub fn undo_plan(site: &Site, haul: &HaulRow) -> UndoPlan {
    let written = haul;
    let (haul, mut unsettled) = settled(site, haul);
    let haul = &haul;
    let title = |item: &ItemRow| item.planned.title.clone();
    let mut plan = UndoPlan {
        haul: haul.id,
        cancel: Vec::new(),
        take_back: Vec::new(),
        haul_back: Vec::new(),
        findings: Vec::new(),
    };
    let mut turned_items = Vec::new();
    // What goes back first makes room for what follows.
    let mut goes = Going::default();
    for item in haul.items.iter().filter(|item| !item.stage.at_rest() && !item.stage.records_are_updated()) {
        let made = made_so_far(item);
        if let Some(made) = made {
            goes.leave(&item.planned.to_drive, measure(made).on_disk);
        }
    }
    for item in haul.items.iter().rev() {
        if !item.stage.at_rest() && !item.stage.records_are_updated() {
            plan.cancel.push(title(item));
        } else if to_take_back(item) {
            let back = turned(site, item);
            let list = if back.mode == Strategy::TakeBack { &mut plan.take_back } else { &mut plan.haul_back };
            list.push(title(item));
            // A later item of the haul has carried it on: that one goes back first.
            let carried_on = |other: &ItemRow| other.id.0 > item.id.0 && other.planned.game == item.planned.game;
            let last = !haul.items.iter().any(carried_on);
            let was =
                written.items.iter().find(|other| other.id == item.id).map_or(&item.planned.to, |was| &was.planned.to);
            // What its records say cannot be asked while a drive of it is away.
            let of_item = |finding: &&Finding| finding.item.as_ref() == Some(&item.planned.game);
            let can_ask = last && !unsettled.iter().any(|finding| of_item(&finding));
            plan.findings.extend(stands_in_the_way(site, item, &back, can_ask.then_some(was.as_path()), &goes));
            goes.add(&back);
            turned_items.push(back);
        }
    }
    plan.findings.append(&mut unsettled);
    plan.findings.extend(quiet(site, &turned_items));
    plan.findings.sort_by_key(|finding| finding.severity);
    plan
}

/// What was made of an item that is given up: it goes before anything comes back.
fn made_so_far(item: &ItemRow) -> Option<&Path> {
    match item.stage.made() {
        MadeAt::InOurs(ours) => Some(ours),
        MadeAt::InOursOrPlaced(ours) if ours.is_dir() => Some(ours),
        MadeAt::InOursOrPlaced(_) | MadeAt::Placed if item.planned.mode == Strategy::Copy => Some(&item.planned.to),
        MadeAt::InOursOrPlaced(_) | MadeAt::Placed | MadeAt::Nothing => None,
    }
}

/// A haul with the paths that its drives have now, and what is wrong with those that are not there.
pub(crate) fn settled(site: &Site, haul: &HaulRow) -> (HaulRow, Vec<Finding>) {
    let (mut haul, mut findings) = (haul.clone(), Vec::new());
    for item in haul.items.iter_mut().filter(|item| !item.stage.at_rest() || item.stage.records_are_updated()) {
        let kinds = match settle(site, item) {
            Ok(standing) => {
                let (from, to) = (standing.from.fault(&item.planned.from), standing.to.fault(&item.planned.to));
                // The copy that kept originals are taken up instead of may be away, and goes another time; but not where records lie
                // on its drive, or where its launcher cannot be asked about them: what is away is not gone.
                let files: Vec<PathBuf> = item.planned.record_files().into_iter().map(Path::to_path_buf).collect();
                let asked = by_edits(&item.planned) || what_records_say(site, &item.planned.game).is_some();
                let needs_copy =
                    !item.holds_originals() || !asked || standing.required_for(&item.planned, &files).is_err();
                from.into_iter().chain(to.filter(|_| needs_copy || !item.stage.at_rest())).collect()
            }
            Err(error) => vec![FindingKind::SourceUnreadable { what: error.to_string() }],
        };
        findings.extend(kinds.into_iter().map(|kind| Finding::about(&item.planned.game, &item.planned.title, kind)));
    }
    (haul, findings)
}

/// Bytes that the items of a return so far bring to drives, and take from them.
#[derive(Default)]
struct Going {
    comes: HashMap<String, Bytes>,
    leaves: HashMap<String, Bytes>,
}

impl Going {
    fn add(&mut self, back: &PlannedItem) {
        let drives = if back.mode == Strategy::Copy {
            let comes = self.comes.entry(back.to_drive.clone()).or_default();
            *comes = comes.plus(back.need.max(back.size.on_disk));
            back.from_drive.clone()
        } else {
            back.from_drive.clone().filter(|_| back.mode == Strategy::TakeBack)
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

/// Has every item of a return wait until those before it have let go of what lies where it goes.
pub(crate) fn in_turn(items: &mut [(PlannedItem, Option<ItemId>)]) {
    for n in 0..items.len() {
        let (before, rest) = items.split_at_mut(n);
        let Some((later, _)) = rest.first_mut() else { return };
        let makes_room = |earlier: &PlannedItem| {
            later.game == earlier.game
                || later.mode == Strategy::Copy
                    && matches!(earlier.mode, Strategy::Copy | Strategy::TakeBack)
                    && earlier.from_drive.as_ref() == Some(&later.to_drive)
        };
        let in_front = before.iter().enumerate().filter(|(_, (earlier, _))| makes_room(earlier));
        let after = in_front.map(|(k, _)| k).collect();
        later.after = after;
    }
}

/// `was` is the path that the copy had when it was made; `None` if a later item of the haul has moved the same game.
fn stands_in_the_way(
    site: &Site,
    item: &ItemRow,
    back: &PlannedItem,
    was: Option<&Path>,
    goes: &Going,
) -> Vec<Finding> {
    let mut kinds = Vec::new();
    if item.planned.mode == Strategy::Quarantine && matches!(item.stage, Stage::Releasing | Stage::Released { .. }) {
        return vec![Finding::about(
            &item.planned.game,
            &item.planned.title,
            FindingKind::LetGoForGood { path: item.planned.from.clone() },
        )];
    }
    if let Some(was) = was.filter(|_| item.stage.at_rest()) {
        kinds.extend(records_would(site, item, back, was));
    }
    // Of an item that is still under way something of its own may be there; it is settled before the return begins.
    if matches!(back.mode, Strategy::Copy | Strategy::Rename) && item.stage.at_rest() && in_the_place(site, item, back)
    {
        kinds.push(FindingKind::TargetThere { path: back.to.clone() });
    }
    if back.mode == Strategy::TakeBack && item.taken > 0 {
        // What could not be read of them is in the copy alone.
        let what = format!(
            "parts of the kept originals couldn't be read and came from another copy (files: {}); release the originals first, and the copy is hauled back",
            item.taken
        );
        kinds.push(FindingKind::SourceUnreadable { what });
    }
    if back.mode == Strategy::TakeBack && !back.keeps {
        kinds.extend(newer_in_copy(site, item));
    }
    if back.mode == Strategy::Copy
        && let Some(drive) = site.find_drive(&back.to_drive)
        && let Ok(usage) = drive.usage()
    {
        // It lay there before: undoing a haul may use the reserve again.
        // What is left of half released originals goes before the copy comes back.
        let going = if item.stage == Stage::Releasing { measure(&back.to).on_disk } else { Bytes::ZERO };
        let free = usage.free.plus(going).plus(Going::of(&goes.leaves, &drive.name));
        let lacks = back.need.max(back.size.on_disk).plus(Going::of(&goes.comes, &drive.name)).less(free);
        if lacks > Bytes::ZERO {
            kinds.push(FindingKind::NoRoom { drive: drive.name.clone(), lacks, reserve: Bytes::ZERO });
        }
    }
    kinds.into_iter().map(|kind| Finding::about(&item.planned.game, &item.planned.title, kind)).collect()
}

/// Tries in memory what an undo would do to the records; gives what stands against it, or what there is not to do.
fn records_would(site: &Site, item: &ItemRow, back: &PlannedItem, was: &Path) -> Option<FindingKind> {
    let launcher = back.launcher_name.clone();
    let edits = edits_to_make(back);
    let leads = match what_records_say(site, &back.game) {
        _ if by_edits(&item.planned) || item.planned.mode == Strategy::Records => None,
        Some(game)
            if is_folder_of(&game.install, item.planned.place()) || game.install == back.to || game.install == was =>
        {
            None
        }
        // Somebody has moved it since, by its launcher or another program.
        Some(game) => {
            return Some(FindingKind::RecordsElsewhere {
                launcher,
                path: Some(game.install),
                copy: item.planned.to.clone(),
            });
        }
        None => Some(FindingKind::NothingToUpdate { launcher }),
    };
    if leads.is_some() {
        return leads;
    }
    // What is undone tells the code pages in which files were.
    let made = reader(site).ok().flatten().and_then(|reader| reader.changes(item.id).ok()).unwrap_or_default();
    let mut files = Files::carried(&back.from, &back.to).after(&made);
    if files.make(&edits, Mood::Again).is_ok() {
        return None;
    }
    let leading = lead_anew(site, back, (&edits, &made), (&back.from, &back.to));
    leading.err().map(|error| FindingKind::RecordsUnchangeable { why: error.to_string() })
}

/// Whether something is where an item goes back to that does not go out of the way by itself: what its own release has left does.
fn in_the_place(site: &Site, item: &ItemRow, back: &PlannedItem) -> bool {
    let there = site.disk.look(&back.to).map_or(true, |there| there.is_some());
    there && !matches!(item.stage, Stage::Released { left } if left > 0)
}

/// Files of the copy that are newer than what was verified and are on no list: an undo leaves them beside their place.
fn newer_in_copy(site: &Site, item: &ItemRow) -> Option<FindingKind> {
    let reader = reader(site).ok()??;
    let steady = site.abilities_at(&item.planned.to).steady();
    let place = item.planned.place();
    let rewritten: Vec<&Path> = item.planned.record_files();
    let (mut count, mut first) = (0, None::<PathBuf>);
    let mut note = |path: &Path| {
        count += 1;
        first.get_or_insert_with(|| place.join(path));
    };
    let mut after: Option<Vec<u8>> = None;
    let mut known = std::collections::HashSet::new();
    loop {
        let page = reader.page(item.id, after.as_deref(), false, None).ok()?;
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
        if let WalkEnd::Entry(entry) = found
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
