//! What no record covers: places in the usual files that lead to a game and that would lead nowhere once its originals are gone.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::{Path, PathBuf};

use crate::item::{Finding, FindingKind};
use crate::launcher::Origin;
use crate::plan::placement::Placement;
use crate::record::{Format, Shape};
use crate::site::Site;
use crate::survey::{GameId, Survey};
use crate::trace::{Find, WantedFolder, finds_in_usual_places, uncovered};

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
    // A game's own files go with it, and are its launcher's affair.
    let installs: HashSet<&Path> = survey.games.iter().map(|game| game.found.install.as_path()).collect();
    let in_a_game = |file: &Path| file.ancestors().any(|above| installs.contains(above));
    let wanted: Vec<WantedFolder<'_>> =
        games.values().map(|placement| WantedFolder { path: &placement.game.found.install, now: None }).collect();
    let homes: BTreeSet<PathBuf> = games.values().map(|placement| placement.found.home.clone()).collect();
    let found = finds_in_usual_places(site, &wanted, &homes, &in_a_game, &|| false);
    let one = |(placement, finds): (&&Placement<'_>, Vec<Find>)| {
        let game = &placement.game.found;
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
    games.values().zip(found).filter_map(one).collect()
}
