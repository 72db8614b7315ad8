//! The usual places, searched for several folders at once: before a haul for what no record covers, after it for what leads to the old
//! folders still.
//!
//! Law: what lies in a game goes with it, and is not looked at.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use super::files::{Gathered, gather, usual_places};
use super::find::{Find, WantedFolder};
use super::search::{files_naming_until, finds_of};
use crate::platform::Look;
use crate::site::{Site, real_path};

/// Bytes of the largest file that is searched before and after every haul; a trace searches all.
const LARGEST: u64 = 256 << 20;

/// For each folder what leads to it, or names it, in the usual places and in the folders of these launchers; `is_in_a_game` tells which
/// files are a game's own, `is_over` whether to leave off.
pub(crate) fn finds_in_usual_places(
    site: &Site,
    wanted: &[WantedFolder<'_>],
    homes: &BTreeSet<PathBuf>,
    is_in_a_game: &dyn Fn(&Path) -> bool,
    is_over: &(dyn Fn() -> bool + Sync),
) -> Vec<Vec<Find>> {
    let folders: BTreeSet<&Path> = wanted.iter().flat_map(|one| [Some(one.path), one.now]).flatten().collect();
    let mut places: Vec<PathBuf> = folders.iter().flat_map(|folder| usual_places(site, folder)).collect();
    // A launcher that lies in a folder of its own elsewhere; one that holds a whole drive or the home is no such folder.
    let holds = |home: &Path, inner: &Path| real_path(inner).starts_with(real_path(home));
    let own = homes.iter().filter(|home| {
        let mut high = site.drives.iter().map(|drive| drive.root.as_path()).chain([site.places.home.as_path()]);
        !high.any(|inner| holds(home, inner))
    });
    places.extend(own.cloned());
    places.retain(|place| !is_in_a_game(place));
    places.sort();
    let mut tops: Vec<PathBuf> = Vec::new();
    for place in places {
        if !tops.iter().any(|above| place.starts_with(above)) {
            tops.push(place);
        }
    }
    let (state, settings) = (site.state_folder(), site.places.config.join("deft-barge"));
    let but: Vec<&Path> = folders.into_iter().chain([state.as_path(), settings.as_path()]).collect();
    let mut gathered = Gathered::default();
    for place in &tops {
        gather(place, &but, &mut gathered);
    }
    gathered.files.retain(|file| !is_in_a_game(file) && file.look_meta().is_ok_and(|meta| meta.size <= LARGEST));
    gathered.links.retain(|link| !is_in_a_game(link));
    gathered.files.sort();
    gathered.files.dedup();
    let name = |one: &WantedFolder<'_>| one.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let names: Vec<String> = wanted.iter().map(name).collect();
    let words: Vec<&str> = names.iter().map(String::as_str).collect();
    // One name is looked for in every file; of several it is known first which file names which.
    let naming = if words.len() > 1 {
        files_naming_until(&words, &gathered.files, is_over)
    } else {
        vec![gathered.files.clone()]
    };
    let of = |(one, files): (&WantedFolder<'_>, Vec<PathBuf>)| {
        let links = gathered.links.clone();
        let named = Gathered { files, links, layers: gathered.layers.clone(), ..Gathered::default() };
        finds_of(site, one, &tops, &named, is_over)
    };
    wanted.iter().zip(naming).map(of).collect()
}
