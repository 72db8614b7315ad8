//! The quiet check: no launcher, helper or game may be running while its records or files are moved.

use std::collections::{HashMap, HashSet};
use std::path::PathBuf;

use crate::item::{Finding, FindingKind, PlannedItem};
use crate::platform::Look;
use crate::record::{Edit, is_held};
use crate::site::{Sight, Site, Wanted, real_path};

/// The compatibility layer that a record file is in, if it is in one: the folder with the registry and the drive letters.
fn layer_of(file: &std::path::Path) -> Option<PathBuf> {
    let is_layer = |folder: &&std::path::Path| folder.join("dosdevices").look_is_dir();
    file.ancestors().skip(1).find(is_layer).map(std::path::Path::to_path_buf)
}

/// Finds the processes that stand in the way of these items. Quick enough to be asked once a second.
pub fn quiet(site: &Site, items: &[PlannedItem]) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut hidden = 0;
    let closed = running_launchers(site, items, &mut findings);
    let mut whose: HashMap<PathBuf, &PlannedItem> = HashMap::new();
    for item in items {
        let records = item.record_files();
        for path in [item.source(), item.to.as_path()].into_iter().chain(records) {
            whose.entry(real_path(path)).or_insert(item);
        }
    }
    let paths: Vec<PathBuf> = whose.keys().cloned().collect();
    let (processes, unseen) = site.processes_using(Wanted { names: &[], paths: &paths });
    hidden = hidden.max(unseen);
    for process in processes.into_iter().filter(|process| !closed.contains(&process.pid)) {
        let item = match &process.why {
            Sight::Uses(path) => path.ancestors().find_map(|above| whose.get(above)).copied(),
            _ => None,
        };
        let kind = FindingKind::InUse { process };
        findings.push(match item {
            Some(item) => Finding::about(&item.game, &item.title, kind),
            None => Finding::general(kind),
        });
    }
    let mut layers: Vec<PathBuf> = items.iter().flat_map(PlannedItem::record_files).filter_map(layer_of).collect();
    layers.sort_unstable();
    layers.dedup();
    for process in layers.iter().flat_map(|layer| site.processes_in_layer(layer)) {
        let kind = FindingKind::InUse { process };
        if !findings.iter().any(|known| known.kind == kind) {
            findings.push(Finding::general(kind));
        }
    }
    for edit in items.iter().flat_map(|item| &item.edits) {
        if let Edit::Replace { file, format: None, .. } = edit
            && is_held(file)
            && !findings.iter().any(|f| matches!(&f.kind, FindingKind::DatabaseHeld { path } if path == file))
        {
            findings.push(Finding::general(FindingKind::DatabaseHeld { path: file.clone() }));
        }
    }
    if hidden > 0 {
        findings.push(Finding::general(FindingKind::NotAllVisible { count: hidden }));
    }
    findings
}

/// Launchers of the items that run; gives their processes.
fn running_launchers(site: &Site, items: &[PlannedItem], findings: &mut Vec<Finding>) -> HashSet<u32> {
    // One look at all processes for the names of each launcher, and one for the files of all items.
    let mut launchers: Vec<(&str, &[String])> = Vec::new();
    for item in items {
        let launcher = (item.launcher_name.as_str(), item.processes.as_slice());
        if !launcher.1.is_empty() && launchers.last() != Some(&launcher) && !launchers.contains(&launcher) {
            launchers.push(launcher);
        }
    }
    let mut closed: HashSet<u32> = HashSet::new();
    for (launcher, names) in launchers {
        for process in site.processes_using(Wanted { names, paths: &[] }).0 {
            closed.insert(process.pid);
            let kind = FindingKind::LauncherRunning { launcher: launcher.into(), process };
            findings.push(Finding::general(kind));
        }
    }
    closed
}
