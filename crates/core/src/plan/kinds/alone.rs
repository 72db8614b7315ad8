//! Plans of items that no draft has: libraries, what lies about, records that lead elsewhere.

use std::path::{Path, PathBuf};

use jiff::Timestamp;

use crate::item::{Finding, FindingKind, PlannedItem, Policy, Strategy, Trial};
use crate::launcher::{FoundLauncher, Origin};
use crate::plan::drafts::Draft;
use crate::plan::edits::previews;
use crate::plan::placement::writable_findings;
use crate::plan::{Plan, Timing, projected};
use crate::platform;
use crate::preflight::quiet;
use crate::record::{Edit, Files, Mood};
use crate::site::Site;
use crate::survey::{GameId, Survey};

/// An item of one folder, with what its records become.
pub(crate) fn item(
    site: &Site,
    (origin, id): (Origin, GameId),
    title: String,
    mode: Strategy,
    from: PathBuf,
    to: PathBuf,
) -> PlannedItem {
    let drive = |path: &PathBuf| site.drive_of(path).map(|drive| drive.name.clone());
    let (from_drive, to_drive) = (drive(&from), drive(&to).unwrap_or_default());
    PlannedItem { from_drive, to_drive, ..PlannedItem::bare((origin, id), title, mode, from, to) }
}

/// The same item, as one of this launcher with these edits.
pub(crate) fn with_edits(item: PlannedItem, found: &FoundLauncher, edits: Vec<Edit>) -> PlannedItem {
    PlannedItem {
        launcher: found.profile.id.clone(),
        launcher_name: found.profile.name.clone(),
        processes: found.profile.processes.clone(),
        previews: previews(&edits),
        edits,
        ..item
    }
}

/// A plan of these items, with what stands in their way.
pub(crate) fn plan_of(
    site: &Site,
    survey: &Survey,
    items: Vec<PlannedItem>,
    mut findings: Vec<Finding>,
    policy: Policy,
) -> Plan {
    let mut files = Files::default();
    for item in &items {
        if let Err(error) = files.make(&item.edits, Mood::Strict).and_then(|()| files.rehearse()) {
            let kind = FindingKind::RecordsUnchangeable { why: error.to_string() };
            findings.push(Finding::about(&item.game, &item.title, kind));
        }
        findings.extend(writable_findings(site, item));
    }
    findings.extend(quiet(site, &items));
    findings.sort_by_key(|finding| finding.severity);
    findings.dedup();
    let mut loads = projected(survey, &Draft::default());
    for item in items.iter().filter(|item| matches!(item.mode, Strategy::Duplicate | Strategy::Quarantine)) {
        if let Some(load) = loads.iter_mut().find(|load| Some(&load.drive) == item.from_drive.as_ref()) {
            load.after = load.after.less(item.size.on_disk);
        }
    }
    Plan {
        made: Timestamp::now(),
        items,
        findings,
        loads,
        steps: Vec::new(),
        policy,
        timing: Timing::default(),
        trial: Trial::None,
    }
}

/// Plans small files that come to be in a folder, as a haul of records. One that is there already is written anew, and comes
/// back at a return. Writes nothing.
pub fn plan_made(
    site: &Site,
    survey: &Survey,
    id: GameId,
    title: String,
    folder: &Path,
    made: Vec<(PathBuf, String)>,
) -> Plan {
    let edits = made.into_iter().map(|(file, new)| {
        let old = platform::read_to_string(&file).ok();
        Edit::Made { file, old, new: Some(new) }
    });
    let edits: Vec<Edit> = edits.collect();
    let bare = item(site, (Origin::Pack, id), title, Strategy::Records, folder.into(), folder.into());
    let item = PlannedItem { previews: previews(&edits), edits, ..bare };
    plan_of(site, survey, vec![item], Vec::new(), Policy::Release)
}
