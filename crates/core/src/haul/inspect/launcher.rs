//! What a launcher's records and content lists say of an item.

use std::path::Path;

use crate::haul::{HaulError, ItemContext};

use crate::item::{PlannedItem, Proof, Stage};
use crate::journal::ItemRow;

use crate::launcher::ContentList;

use crate::record::Edit;
use crate::site::{Site, real_path};

use super::same_folder::is_folder_of;

use crate::disk::Disk;
use crate::launcher::{
    DigestKind, FoundGame, FoundLauncher, ListedFile, Profile, load_profiles, read_only, read_places,
};
use crate::record::{Files, Mood};

use crate::survey::GameId;

pub(crate) fn content_list(work: &ItemContext<'_>) -> Result<Option<ContentList>, HaulError> {
    contents_of(work.site, &work.item.planned.game, &work.item.planned.to)
}

/// Whether a file has the hash that a content list wants.
pub(crate) fn has_digest(disk: &Disk, at: &Path, kind: DigestKind, listed: &ListedFile) -> Result<bool, HaulError> {
    listed.has_bytes_of(disk, at, kind).map_err(HaulError::disk("read", at))
}

/// The profiles of a site, as they are now.
pub(crate) fn profiles_of(site: &Site) -> Vec<Profile> {
    load_profiles(&site.profile_folder()).0
}

/// Reads anew what the launcher has written down about a game.
pub(crate) fn what_records_say(site: &Site, game: &GameId) -> Option<FoundGame> {
    let (profiles, _) = load_profiles(&site.profile_folder());
    let (launcher, id) = game.0.split_once('/')?;
    let profile = profiles.into_iter().find(|profile| profile.id == launcher)?;
    read_only(site, &profile, id)?.games.into_iter().find(|found| found.id == id)
}

/// Whether the launcher of a game lists other games in a library now.
pub(crate) fn lists_others_in(site: &Site, game: &GameId, library: &Path) -> bool {
    let (profiles, _) = load_profiles(&site.profile_folder());
    let Some((launcher, id)) = game.0.split_once('/') else { return false };
    let profile = profiles.into_iter().find(|profile| profile.id == launcher);
    let library = real_path(library);
    let lies_there = |other: &FoundGame| other.id != id && real_path(&other.install).starts_with(&library);
    profile.is_some_and(|profile| {
        read_places(site, std::slice::from_ref(&profile)).iter().flat_map(|found| &found.games).any(lies_there)
    })
}

/// Whether other games are reached by a drive letter that an item made: those that launchers list there whose paths go through this layer,
/// and those that hauls brought there whose records say the letter.
pub(crate) fn others_go_through(work: &ItemContext<'_>, link: &Path, target: &Path) -> Result<bool, HaulError> {
    let (Some(layer), Some(letter)) = (link.parent().and_then(Path::parent), link.file_name()) else {
        return Ok(false);
    };
    let (own, top) = (&work.item.planned.game, real_path(target));
    let has_layer = |found: &&FoundLauncher| found.letters.iter().any(|letters| letters.prefix() == layer);
    let launchers = read_places(work.site, &profiles_of(work.site));
    let listed = launchers.iter().filter(has_layer).flat_map(|found| found.games.iter().map(move |game| (found, game)));
    let is_other = |(found, game): &(&FoundLauncher, &FoundGame)| format!("{}/{}", found.profile.id, game.id) != own.0;
    if listed.filter(is_other).any(|(_, game)| real_path(&game.install).starts_with(&top)) {
        return Ok(true);
    }
    let letter = letter.to_string_lossy().to_lowercase();
    let says = |edit: &Edit| {
        let text = serde_json::to_string(edit).unwrap_or_default().to_lowercase();
        // `e:` is no letter in `file:///`.
        let stands_alone = |at: usize| !text[..at].ends_with(|c: char| c.is_alphanumeric());
        text.match_indices(&letter)
            .any(|(at, found)| text[at + found.len()..].starts_with(['\\', '/']) && stands_alone(at))
    };
    let is_there = |item: &ItemRow| {
        let stage = matches!(
            item.stage,
            Stage::UpdatingRecords
                | Stage::RecordsUpdated
                | Stage::Proved { .. }
                | Stage::Releasing
                | Stage::Released { .. }
        );
        stage && item.planned.game != *own && real_path(&item.planned.to).starts_with(&top)
    };
    let hauls = work.journal.hauls()?;
    Ok(hauls.iter().flat_map(|haul| &haul.items).any(|item| is_there(item) && item.planned.edits.iter().any(says)))
}

/// Reads the content list of a game, as its launcher has it now.
pub(crate) fn contents_of(site: &Site, game: &GameId, install: &Path) -> Result<Option<ContentList>, HaulError> {
    let (profiles, _) = load_profiles(&site.profile_folder());
    let Some((launcher, id)) = game.0.split_once('/') else { return Ok(None) };
    let profile = profiles.into_iter().find(|profile| profile.id == launcher);
    let Some(found) = profile.and_then(|profile| read_only(site, &profile, id)) else { return Ok(None) };
    let values = found.values_of(site, id, install);
    Ok(ContentList::read(&found.profile, &values)?)
}

/// Whether what a repoint wrote is still what the records say: the only sign where no profile can be asked.
pub(crate) fn edits_stand(planned: &PlannedItem) -> bool {
    // What has stepped back took the link's place.
    let is_back = planned.aside.as_ref().filter(|aside| aside.old == planned.place()).map(|aside| &aside.old);
    let gone = |edit: &&Edit| matches!(edit, Edit::Link { link, .. } if Some(link) == is_back);
    let edits: Vec<Edit> = planned.edits.iter().filter(|edit| !gone(edit)).cloned().collect();
    let mut files = Files::default();
    files.make(&edits, Mood::Again).is_ok() && files.changes().is_empty()
}

/// Whether every record of a game that its launcher lists leads where its entry does; `true` where no profile can be asked.
pub(crate) fn all_agree(site: &Site, planned: &PlannedItem) -> bool {
    by_edits(planned)
        || what_records_say(site, &planned.game).is_none_or(|game| game.records.iter().all(|record| record.sound))
}

/// Adds to the proof of an item what the records say.
pub(crate) fn add_item_records(site: &Site, planned: &PlannedItem, proof: &mut Proof) {
    if by_edits(planned) {
        proof.records_lead_here = edits_stand(planned);
    } else {
        add_records(site, &planned.game, proof);
    }
}

/// Whether its edits alone say where it is: no profile can be asked, or its entry has left its launcher's list.
pub(crate) fn by_edits(planned: &PlannedItem) -> bool {
    !planned.origin.has_profile() || planned.edits.iter().any(|edit| matches!(edit, Edit::Leave(_)))
}

/// Adds to a proof what the records say.
pub(crate) fn add_records(site: &Site, game: &GameId, proof: &mut Proof) {
    let says = what_records_say(site, game);
    proof.records_lead_here = says.as_ref().is_some_and(|game| {
        is_folder_of(&game.install, &proof.install)
            && game.fault.is_none()
            && game.records.iter().all(|record| record.sound)
    });
    proof.program = says.and_then(|game| game.program).map(|program| proof.install.join(program).is_file());
}
