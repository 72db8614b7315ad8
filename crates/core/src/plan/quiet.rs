//! The quiet check: no launcher, helper or game may be running while its records or files are moved.

use std::path::PathBuf;

use super::findings::{Finding, FindingKind};
use super::making::PlannedLot;
use crate::platform::Look;
use crate::record::{Edit, is_held};
use crate::site::{Sight, Site, Wanted, real_path};

/// The compatibility layer that a record file is in, if it is in one: the folder with the registry and the drive letters.
fn layer_of(file: &std::path::Path) -> Option<PathBuf> {
    let is_layer = |folder: &&std::path::Path| folder.join("dosdevices").look_is_dir();
    file.ancestors().skip(1).find(is_layer).map(std::path::Path::to_path_buf)
}

/// Finds the processes that stand in the way of these lots. Quick enough to be asked once a second.
pub fn quiet(site: &Site, lots: &[PlannedLot]) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut hidden = 0;
    for lot in lots {
        let mut paths: Vec<PathBuf> = vec![real_path(lot.source()), real_path(&lot.to)];
        paths.extend(lot.record_files().into_iter().map(real_path));
        let wanted = Wanted { names: &lot.processes, paths: &paths };
        let (processes, unseen) = site.processes_using(wanted);
        hidden = hidden.max(unseen);
        for process in processes {
            let kind = match process.why {
                Sight::Named => FindingKind::LauncherRunning { launcher: lot.launcher_name.clone(), process },
                Sight::Uses(_) | Sight::InLayer(_) => FindingKind::InUse { process },
            };
            // The same launcher is in the way of many games, and is closed once.
            if !findings.iter().any(|known| known.kind == kind) {
                let title = matches!(kind, FindingKind::InUse { .. }).then_some(lot.title.as_str());
                findings.push(Finding::new(title, kind));
            }
        }
    }
    let mut layers: Vec<PathBuf> = lots.iter().flat_map(PlannedLot::record_files).filter_map(layer_of).collect();
    layers.sort_unstable();
    layers.dedup();
    for process in layers.iter().flat_map(|layer| site.processes_in_layer(layer)) {
        let kind = FindingKind::InUse { process };
        if !findings.iter().any(|known| known.kind == kind) {
            findings.push(Finding::new(None, kind));
        }
    }
    for edit in lots.iter().flat_map(|lot| &lot.edits) {
        if let Edit::Replace { file, format: None, .. } = edit
            && is_held(file)
            && !findings.iter().any(|f| matches!(&f.kind, FindingKind::DatabaseHeld { path } if path == file))
        {
            findings.push(Finding::new(None, FindingKind::DatabaseHeld { path: file.clone() }));
        }
    }
    if hidden > 0 {
        findings.push(Finding::new(None, FindingKind::NotAllVisible { count: hidden }));
    }
    findings
}
