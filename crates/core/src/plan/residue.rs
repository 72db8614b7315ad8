//! What no record covers: places in the usual files that lead to a game and that would lead nowhere once its originals are gone.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use crate::item::{Finding, FindingKind};
use crate::launcher::Origin;
use crate::plan::placement::Placement;
use crate::record::{Format, Shape};
use crate::site::Site;
use crate::survey::{GameId, Survey};
use crate::trace::{Find, Gathered, files_naming, finds_of, gather, uncovered, usual_places};

/// A warning for each game that places lead to which none of its launcher's records covers.
///
/// Files of other launchers that know the folder are told of by their own finding.
pub(crate) fn residue(site: &Site, survey: &Survey, placements: &[Placement<'_>]) -> Vec<Finding> {
    let mut games: BTreeMap<&GameId, &Placement<'_>> = BTreeMap::new();
    for placement in placements.iter().filter(|placement| placement.found.profile.origin == Origin::Launcher) {
        games.insert(&placement.game.id, placement);
    }
    if games.is_empty() {
        return Vec::new();
    }
    let installs: HashSet<&Path> = games.values().map(|placement| placement.game.found.install.as_path()).collect();
    let mut places: Vec<PathBuf> = installs.iter().flat_map(|install| usual_places(site, install)).collect();
    // A game's own files go with it, and are its launcher's affair.
    places.retain(|place| !survey.games.iter().any(|game| place.starts_with(&game.found.install)));
    places.sort();
    places.dedup();
    let (state, settings) = (site.state_folder(), site.places.config.join("deft-barge"));
    let mut gathered = Gathered::default();
    for place in &places {
        gather(place, &[&state, &settings], &mut gathered);
    }
    gathered.files.sort();
    gathered.files.dedup();
    let name = |placement: &&Placement<'_>| {
        placement.game.found.install.file_name().unwrap_or_default().to_string_lossy().into_owned()
    };
    let names: Vec<String> = games.values().map(name).collect();
    let words: Vec<&str> = names.iter().map(String::as_str).collect();
    // One game's name is looked for in every file; of several it is known first which file names which.
    let naming = if words.len() > 1 { files_naming(&words, &gathered.files) } else { vec![gathered.files.clone()] };
    let one = |(placement, files): (&&Placement<'_>, Vec<PathBuf>)| {
        let game = &placement.game.found;
        let named = Gathered { files, layers: gathered.layers.clone(), ..Gathered::default() };
        let finds = finds_of(site, &game.install, &places, &named);
        let others =
            survey.games.iter().filter(|other| other.id != placement.game.id && other.found.install == game.install);
        let theirs: HashSet<&Path> = others
            .flat_map(|other| {
                other.found.records.iter().map(|record| record.file.as_path()).chain([other.found.entry.file.as_path()])
            })
            .collect();
        // Links and entries of menus have findings of their own.
        let own = |find: &&Find| {
            matches!(find.record.shape, Shape::Link) || find.record.shape == Shape::Text(Format::Desktop)
        };
        let missed = uncovered(game, &finds).into_iter().filter(|find| !own(find));
        let missed = missed.map(|find| &find.record.file).filter(|file| !theirs.contains(file.as_path()));
        let all: Vec<&PathBuf> = missed.collect();
        let places = all.len();
        let mut files: Vec<PathBuf> = all.into_iter().cloned().collect();
        files.dedup();
        let kind = FindingKind::PlacesMissed { places, files };
        (places > 0).then(|| Finding::about(&placement.game.id, &game.title, kind))
    };
    games.values().zip(naming).filter_map(one).collect()
}
