//! Whose a file is: the folder of the launcher that wrote it.

use std::path::{Path, PathBuf};

use super::evidence::Evidence;
use crate::platform::is_in_registry;
use crate::record::Letters;
use crate::site::Site;

/// Names of folders that say what is in them, and not whose they are.
const PLAIN: [&str; 14] = [
    "cache", "conf", "config", "data", "database", "db", "etc", "library", "local", "metadata", "roaming", "settings",
    "share", "state",
];

/// The folder of the launcher that a file belongs to.
pub(super) fn folder_of(site: &Site, file: &Path, evidence: &Evidence) -> PathBuf {
    if is_in_registry(file) {
        return file.into();
    }
    let parent = file.parent().unwrap_or(Path::new("/"));
    let layers = evidence.layers.iter().map(Letters::prefix).filter(|prefix| file.starts_with(prefix));
    if let Some(layer) = layers.max_by_key(|prefix| prefix.components().count()) {
        return if parent == layer { layer.into() } else { telling(parent) };
    }
    let places = &site.places;
    let tops = [&places.config, &places.data, &places.state, &places.home];
    let top = tops.into_iter().filter(|top| file.starts_with(top)).max_by_key(|top| top.components().count());
    if let Some(first) = top.and_then(|top| Some(top.join(parent.strip_prefix(top).ok()?.components().next()?)))
        && (top != Some(&places.home) || hidden(&first))
    {
        return first;
    }
    parent.into()
}

fn hidden(path: &Path) -> bool {
    path.file_name().is_some_and(|name| name.as_encoded_bytes().starts_with(b"."))
}

/// The folder, or the first above it with a name that says whose it is.
fn telling(folder: &Path) -> PathBuf {
    let says = |folder: &&Path| {
        let name = folder.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        !PLAIN.contains(&name.as_str())
    };
    folder.ancestors().take(4).find(says).unwrap_or(folder).into()
}
