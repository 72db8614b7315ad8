//! Launchers whose files are not what was learned of them: nothing is written by what was learned.

use std::collections::HashSet;

use crate::item::{Finding, FindingKind};
use crate::launcher::FoundLauncher;

/// A blocker for each of these launchers that has changed since it was learned, once.
pub(crate) fn drifted<'a>(launchers: impl Iterator<Item = &'a FoundLauncher>) -> Vec<Finding> {
    let mut met = HashSet::new();
    let each = launchers.filter(|found| met.insert(&found.profile.id));
    let changed = each.filter_map(|found| {
        let launcher = found.profile.name.clone();
        Some(Finding::general(FindingKind::LauncherChanged { launcher, drift: found.drift()? }))
    });
    changed.collect()
}
