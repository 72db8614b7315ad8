//! Re-anchoring: a drive has another path, and everything that led below the old one is rewritten as one act.
//!
//! Law: no file of the drive moves. Records of all launchers change together or not at all, and a return brings the
//! same bytes back.

use std::path::{Path, PathBuf};

use serde::Serialize;

use super::alone::{item, plan_of};
use crate::item::{Finding, FindingKind, PlannedItem, Policy, Strategy};
use crate::launcher::{FoundLauncher, Origin, PlaceFault};
use crate::plan::Plan;
use crate::plan::edits::{MakeLetters, Target, Unchangeable, edits, previews};
use crate::platform::Look;
use crate::record::Edit;
use crate::site::Site;
use crate::survey::{GameId, Survey};
use crate::trace::{TracePhase, trace_moved, usual_places};

/// Plans to rewrite every record that leads below `old`, which lies at `new` now. Writes nothing.
pub fn plan_anchor(site: &Site, survey: &Survey, old: &Path, new: &Path, report: &(dyn Fn(TracePhase) + Sync)) -> Plan {
    let title = format!("{} to {}", old.display(), new.display());
    let id = GameId::made_up(Origin::Remap, old.display());
    let mut findings = Vec::new();
    let refused = refusal(site, old, new);
    let items = match refused {
        Some(kind) => {
            findings.push(Finding::about(&id, &title, kind));
            Vec::new()
        }
        None => anchored(site, survey, (old, new), (&id, &title), &mut findings, report).into_iter().collect(),
    };
    plan_of(site, survey, items, findings, Policy::Release)
}

fn refusal(site: &Site, old: &Path, new: &Path) -> Option<FindingKind> {
    if !old.is_absolute() || site.places.home.starts_with(old) {
        return Some(FindingKind::NoDestination { what: old.display().to_string() });
    }
    if !new.look_is_dir() {
        return Some(FindingKind::NoDestination { what: new.display().to_string() });
    }
    if old == new || old.starts_with(new) || new.starts_with(old) {
        return Some(FindingKind::TargetInside { path: new.into() });
    }
    // Somebody may have plugged another drive in there, with games of its own.
    let taken = old.read_dir().is_ok_and(|mut entries| entries.next().is_some());
    taken.then(|| FindingKind::TargetThere { path: old.into() })
}

fn anchored(
    site: &Site,
    survey: &Survey,
    (old, new): (&Path, &Path),
    (id, title): (&GameId, &str),
    findings: &mut Vec<Finding>,
    report: &(dyn Fn(TracePhase) + Sync),
) -> Option<PlannedItem> {
    let mut places = usual_places(site, old);
    places.extend(survey.found.iter().map(|found| found.home.clone()));
    places.retain(|place| place.look_exists() && !place.starts_with(new));
    places.sort();
    places.dedup();
    let trace = trace_moved(site, old, Some(new), &places, report);
    for problem in &trace.problems {
        let what = format!("{}: {}", problem.file.display(), problem.what);
        findings.push(Finding::about(id, title, FindingKind::NotLookedInto { what }));
    }
    for staying in trace.staying() {
        findings.push(Finding::about(id, title, FindingKind::FilesStay(staying)));
    }
    let mut found = trace.as_found(site);
    found.letters = found.letters.iter().map(|letters| letters.moved(old, new)).collect();
    let game = found.games.first()?.clone();
    let root = site.drive_of(new).map_or_else(|| new.to_path_buf(), |drive| drive.root.clone());
    let target = Target { install: new, library: None, new_library: false, root: &root, letters: MakeLetters::No };
    let edits = match edits(site, &found, &game, &target, &[]) {
        Ok(repointing) => in_order(repointing.edits),
        Err(why) => {
            let kind = match why {
                Unchangeable::NoLetter { prefix, path, free } => FindingKind::NoLetter { prefix, path, free },
                Unchangeable::Because(why) => FindingKind::RecordsUnchangeable { why },
            };
            findings.push(Finding::about(id, title, kind));
            return None;
        }
    };
    if edits.is_empty() {
        findings.push(Finding::about(id, title, FindingKind::NothingLeadsThere { path: old.into() }));
        return None;
    }
    let bare = item(site, (Origin::Remap, id.clone()), title.into(), Strategy::Records, new.into(), new.into());
    let files: Vec<&Path> = edits.iter().flat_map(Edit::files).collect();
    let touched: Vec<&FoundLauncher> = survey.found.iter().filter(|found| is_touched(found, &files)).collect();
    let mut processes: Vec<String> = touched.iter().flat_map(|found| found.profile.processes.clone()).collect();
    processes.sort();
    processes.dedup();
    let names: Vec<&str> = touched.iter().map(|found| found.profile.name.as_str()).collect();
    Some(PlannedItem {
        launcher: Origin::Remap.profile_id().unwrap_or_default().into(),
        origin: Origin::Remap,
        launcher_name: names.join(", "),
        processes,
        previews: previews(&edits),
        edits,
        ..bare
    })
}

/// Whether a launcher keeps one of these files: in its own folder, or in a library.
fn is_touched(found: &FoundLauncher, files: &[&Path]) -> bool {
    let libraries = found.libraries.iter().map(|library| library.path.clone());
    let places: Vec<PathBuf> = libraries.chain([found.home.clone()]).collect();
    files.iter().any(|file| places.iter().any(|place| file.starts_with(place)))
}

/// Links first: what is spelled by a drive letter leads there from then on.
fn in_order(edits: Vec<Edit>) -> Vec<Edit> {
    let (mut links, others): (Vec<Edit>, Vec<Edit>) =
        edits.into_iter().partition(|edit| matches!(edit, Edit::Link { .. }));
    links.extend(others);
    links
}

/// A path that records lead below, and where what lay there lies now.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Anchor {
    /// Name of the drive that it is on now.
    pub drive: String,
    /// The old path.
    pub old: PathBuf,
    /// The new one.
    pub new: PathBuf,
    /// Whether the drive was seen at the old path before, by the id of its file system; else its folders fit.
    pub known: bool,
    /// Libraries and games that records still have below the old path.
    pub led: usize,
}

/// Finds drives that records lead to under another path: those that were seen there before, and those whose folders fit what
/// is missing.
pub fn anchors(site: &Site, survey: &Survey) -> Vec<Anchor> {
    let libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries);
    let gone = libraries.clone().filter(|library| !library.present).map(|library| library.path.clone());
    let lost = survey.games.iter().filter(|game| {
        matches!(game.fault(), Some(PlaceFault::Missing | PlaceFault::Away(_) | PlaceFault::Elsewhere(..)))
            && game.found.library.is_none()
    });
    let missing: Vec<PathBuf> = gone.chain(lost.map(|game| game.found.install.clone())).collect();
    let led = |old: &Path| missing.iter().filter(|path| path.starts_with(old)).count();
    let mut all: Vec<Anchor> = Vec::new();
    let mut add = |drive: &str, old: PathBuf, new: PathBuf, known: bool| {
        let led = led(&old);
        if led > 0 && !all.iter().any(|anchor| anchor.old == old && anchor.new == new) {
            all.push(Anchor { drive: drive.into(), old, new, known, led });
        }
    };
    for moved in site.moved_drives() {
        add(&moved.name, moved.old, moved.new, true);
    }
    let known: Vec<&PathBuf> = libraries.filter(|library| library.present).map(|library| &library.path).collect();
    let installed = |path: &Path| survey.games.iter().any(|game| game.fault().is_none() && game.found.install == path);
    for path in &missing {
        for drive in site.drives.iter().filter(|drive| !drive.absent && !site.is_of_system(drive)) {
            let fits =
                path.ancestors().skip(1).filter(|above| !site.places.home.starts_with(above)).find_map(|above| {
                    let there = drive.root.join(path.strip_prefix(above).ok()?);
                    let free =
                        there.look_is_dir() && !known.contains(&&there) && !installed(&there) && !above.look_exists();
                    free.then(|| above.to_path_buf())
                });
            if let Some(old) = fits {
                add(&drive.name, old, drive.root.clone(), false);
            }
        }
    }
    all
}
