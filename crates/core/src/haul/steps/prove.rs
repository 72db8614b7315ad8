//! The proof: what is the same, what differs, and what the launcher would download.
//!
//! Law: the launcher's own content list decides what would be downloaded, and its own records where
//! it would look.

use super::deduplicate::{proof_of_setting_aside, proof_of_sparing};
use super::displace::step_back;

use super::update_records::enters_again;
use crate::haul::{Control, HaulError, HaulEvent, ItemContext, settle};

use super::place::swap;
use crate::haul::inspect::{
    Depth, LinkHandling, ProofSubject, Rewritten, add_item_records, by_edits, content_list, contents_of, edits_stand,
    has_moved, look, rewritten_at, still_pointing, what_records_say,
};

use crate::bytes::ItemId;

use crate::item::{Proof, Stage, Strategy};
use crate::journal::{EventKind, ItemRow, Journal};

use crate::record::Edit;
use crate::site::Site;

use crate::haul::inspect::add_records;

use crate::launcher::FoundGame;

use crate::survey::GameId;

/// Proves an item again by reading every byte: against its checksums and its launcher's content list.
fn prove_item(
    site: &Site,
    journal: &Journal,
    item: &ItemRow,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let mut item = item.clone();
    let standing = settle(site, &mut item)?;
    standing.to.required(&item.planned, &item.planned.to)?;
    let (item, planned) = (&item, &item.planned);
    if planned.mode == Strategy::Quarantine {
        return Ok(item.proof.clone().unwrap_or_default());
    }
    if planned.mode == Strategy::Records {
        let stands = edits_stand(planned);
        return Ok(Proof { install: planned.to.clone(), read: true, records_lead_here: stands, ..Proof::default() });
    }
    let contents = contents_of(site, &planned.game, &planned.to)?;
    let rewritten = rewritten_at(site, journal, &planned.game, &planned.to)?;
    let subject = ProofSubject {
        journal,
        rewritten: &rewritten,
        apart: LinkHandling::of(planned),
        abilities: site.abilities_at(planned.place()),
        beside: true,
        item: item.id,
        title: &planned.title,
        install: planned.place(),
        contents: contents.as_ref(),
    };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_item_records(site, planned, &mut proof);
    // The newest proof counts, whichever way it went: nothing is released on an older one.
    if matches!(item.stage, Stage::Proved { .. }) {
        journal.set_proof(item.id, &proof, &Stage::Proved { holds: proof.holds() })?;
    }
    Ok(proof)
}

/// Proves every item of a haul that is at its new place, by reading every byte.
///
/// # Errors
/// [`HaulError`] where a proof can't be made at all; a copy that differs is a proof that doesn't hold.
pub fn prove_haul(
    site: &Site,
    journal: &Journal,
    items: &[ItemRow],
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Vec<(String, Proof)>, HaulError> {
    let there = items.iter().filter(|item| item.stage.records_are_updated());
    let mut proved: Vec<ItemRow> = Vec::new();
    for item in there {
        let proof = prove_item(site, journal, item, report, stop)?;
        proved.push(ItemRow { proof: Some(proof), ..item.clone() });
    }
    search_again(site, journal, &mut proved, report, stop)?;
    Ok(proved.into_iter().map(|item| (item.planned.title, item.proof.unwrap_or_default())).collect())
}

/// Looks for what leads to the old folders of items still, and adds it to their proofs: a launcher may have written since. A stop that is
/// asked for meanwhile leaves the proofs as they are.
pub(crate) fn search_again(
    site: &Site,
    journal: &Journal,
    items: &mut [ItemRow],
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<(), HaulError> {
    let mut moved: Vec<&mut ItemRow> =
        items.iter_mut().filter(|item| has_moved(item) && item.proof.is_some()).collect();
    if moved.is_empty() {
        return Ok(());
    }
    report(HaulEvent::Searching);
    let found = still_pointing(site, &moved.iter().map(|item| &**item).collect::<Vec<_>>(), stop);
    // What was looked at in part says nothing: the proofs stay without it.
    if stop.asked() {
        return Ok(());
    }
    for (item, residue) in moved.iter_mut().zip(found) {
        let Some(proof) = &mut item.proof else { continue };
        let title = item.planned.title.clone();
        tracing::info!(item = item.id.0, title, places = residue.places, "searched for the old folder");
        proof.residue = Some(residue.clone());
        journal.add_residue(item.id, &residue)?;
        report(HaulEvent::Searched { item: item.id, title, residue });
    }
    Ok(())
}

/// Proves a game where it is: by its launcher's content list, and by the checksums of the haul that brought it there.
///
/// # Errors
/// [`HaulError`] where a proof can't be made at all; a game that differs is a proof that doesn't hold.
pub fn prove_game(
    site: &Site,
    journal: &Journal,
    game: &GameId,
    found: &FoundGame,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let items = journal.items_of(game)?;
    let here = site.place_at(&found.install).ok();
    let brought =
        items.iter().find(|item| item.stage.records_are_updated() && item.is_at(&found.install, here.as_ref()));
    if let Some(item) = brought {
        let proved = prove_haul(site, journal, std::slice::from_ref(item), report, stop)?;
        return Ok(proved.into_iter().next().map(|(_, proof)| proof).unwrap_or_default());
    }
    let contents = contents_of(site, game, &found.install)?;
    let (item, title) = (ItemId(0), found.title.as_str());
    let rewritten = Rewritten::new();
    let install = found.install.as_path();
    let apart = LinkHandling { names: true, links: false };
    let subject = ProofSubject {
        journal,
        item,
        title,
        install,
        contents: contents.as_ref(),
        rewritten: &rewritten,
        apart,
        abilities: site.abilities_at(install),
        beside: false,
    };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_records(site, game, &mut proof);
    Ok(proof)
}

pub(crate) fn prove(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let planned = work.item.planned.clone();
    if planned.mode == Strategy::Rename {
        swap(work)?;
    }
    // What came back beside its place takes it again: its launcher looks there.
    if work.item.takes_back.is_some() {
        step_back(work)?;
    }
    if planned.mode == Strategy::Duplicate {
        return proof_of_sparing(work).and_then(|proof| proved(work, proof));
    }
    if planned.mode == Strategy::Quarantine {
        return proof_of_setting_aside(work).and_then(|proof| proved(work, proof));
    }
    if planned.mode == Strategy::Records {
        let stands = edits_stand(&planned);
        return proved(work, Proof { install: planned.to, read: true, records_lead_here: stands, ..Proof::default() });
    }
    let contents = content_list(work)?;
    let rewritten = rewritten_at(work.site, work.journal, &planned.game, &planned.to)?;
    let subject = ProofSubject {
        journal: work.journal,
        rewritten: &rewritten,
        apart: LinkHandling::of(&planned),
        abilities: work.site.abilities_at(planned.place()),
        // Of kept originals that are taken up again the checksums alone decide.
        beside: planned.mode != Strategy::TakeBack,
        item: work.item.id,
        title: &planned.title,
        install: planned.place(),
        contents: contents.as_ref(),
    };
    // What was copied or renamed is known; what was adopted nobody has read yet.
    let adopted = planned.mode != Strategy::TakeBack && planned.edits.iter().any(|edit| matches!(edit, Edit::Enter(_)));
    let depth = if adopted { Depth::Read } else { Depth::Seen };
    let mut proof = look(&work.site.disk, &subject, depth, work.report, work.stop)?;
    add_item_records(work.site, &planned, &mut proof);
    // An undo of a game that its launcher lists no more has nothing to update.
    let unlisted =
        || !by_edits(&planned) && !enters_again(&planned) && what_records_say(work.site, &planned.game).is_none();
    proof.records_lead_here |= work.item.takes_back.is_some() && unlisted();
    proved(work, proof)
}

fn proved(work: &mut ItemContext<'_>, proof: Proof) -> Result<(), HaulError> {
    let title = work.item.planned.title.clone();
    let next = work.item.stage.clone().to(Stage::Proved { holds: proof.holds() })?;
    tracing::info!(item = work.item.id.0, title, holds = proof.holds(), read = proof.read, "proved");
    work.journal.set_proof(work.item.id, &proof, &next)?;
    work.journal.say(work.item.haul, Some(work.item.id), EventKind::Proved, &title)?;
    work.item.stage = next;
    work.item.proof = Some(proof.clone());
    work.tell_stage();
    if work.item.planned.mode != Strategy::Records {
        (work.report)(HaulEvent::Proved { item: work.item.id, title, proof });
    }
    Ok(())
}
