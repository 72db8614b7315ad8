//! What leads to the old folders still, once a haul is through: the end of its proof.

use std::collections::{BTreeSet, HashSet};
use std::path::{Path, PathBuf};

use super::launcher::profiles_of;
use crate::haul::Control;
use crate::item::{Residue, Strategy};
use crate::journal::ItemRow;
use crate::launcher::{home_of, read_places};
use crate::platform::Look;
use crate::site::{Site, real_path};
use crate::trace::{Find, Sure, WantedFolder, finds_in_usual_places};

/// Whether an item has an old folder that something could lead to.
pub(crate) fn has_moved(item: &ItemRow) -> bool {
    let moves = matches!(item.planned.mode, Strategy::Copy | Strategy::Rename | Strategy::TakeBack | Strategy::Records);
    moves && item.stage.records_are_updated() && item.planned.origin() != item.planned.place()
}

/// For each item that has moved what leads to its old folder still.
/// A stop that is asked for ends it early, with what was found so far.
pub(crate) fn still_pointing(site: &Site, items: &[&ItemRow], stop: &Control) -> Vec<Residue> {
    let launchers: HashSet<&str> = items.iter().map(|item| item.planned.launcher.as_str()).collect();
    let profiles = profiles_of(site);
    let own = profiles.iter().filter(|profile| launchers.contains(profile.id.as_str()));
    let homes: BTreeSet<PathBuf> = own.filter_map(|profile| home_of(site, profile)).collect();
    let games = read_places(site, &profiles);
    let installs = games.iter().flat_map(|found| &found.games).map(|game| game.install.as_path());
    let wanted: Vec<WantedFolder<'_>> = items
        .iter()
        .map(|item| WantedFolder { path: item.planned.origin(), now: Some(item.planned.place()) })
        .collect();
    let moved = wanted.iter().flat_map(|one| [Some(one.path), one.now]).flatten();
    let folders: HashSet<&Path> = moved.chain(installs).collect();
    let in_a_game = |file: &Path| file.ancestors().any(|above| folders.contains(above));
    let found = finds_in_usual_places(site, &wanted, &homes, &in_a_game, &|| stop.asked());
    items.iter().zip(found).map(|(item, finds)| residue_of(item, &finds)).collect()
}

fn residue_of(item: &ItemRow, finds: &[Find]) -> Residue {
    let rewritten: HashSet<PathBuf> = item.planned.record_files().into_iter().map(real_path).collect();
    let leads = |find: &&Find| matches!(find.sure, Sure::Certain | Sure::Likely) && !find.record.meaning.is("folder");
    let pointing: Vec<&Find> = finds.iter().filter(leads).collect();
    let files: BTreeSet<PathBuf> = pointing.iter().map(|find| find.record.file.clone()).collect();
    let of = |wanted: fn(Sure) -> bool, but: &dyn Fn(&Path) -> bool| -> Vec<PathBuf> {
        let some = finds.iter().filter(|find| wanted(find.sure)).map(|find| find.record.file.clone());
        some.filter(|file| !but(file)).collect::<BTreeSet<_>>().into_iter().collect()
    };
    let known = |file: &Path| files.contains(file) || rewritten.contains(&real_path(file));
    let mut unclear = of(|sure| sure == Sure::Unreadable, &known);
    // A checksum of the old path stays in a file that was rewritten as well.
    unclear.extend(of(|sure| sure == Sure::Checksum, &|file| unclear.iter().any(|other| other == file)));
    let said = |file: &Path| known(file) || unclear.iter().any(|other| other == file);
    let left = of(|sure| !matches!(sure, Sure::Certain | Sure::Likely | Sure::Unreadable | Sure::Checksum), &said);
    let led_on = item.planned.origin().look_own_meta().is_ok_and(|meta| meta.is_link());
    Residue { places: pointing.len() as u64, files: files.into_iter().collect(), left, unclear, led_on }
}
