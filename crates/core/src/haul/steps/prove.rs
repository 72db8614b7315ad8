//! The proof: what is the same, what differs, and what the launcher would download.
//!
//! Law: the launcher's own content list decides what would be downloaded, and its own records where
//! it would look.

use super::deduplicate::{proof_of_setting_aside, proof_of_sparing};
use super::displace::step_back;

use super::update_records::enters_again;
use crate::haul::{Control, HaulError, HaulEvent, Work, settle};

use super::place::swap;
use crate::haul::inspect::{
    Apart, Depth, Rewritten, Subject, add_lot_records, by_edits, content_list, contents_of, edits_stand, look,
    rewritten_at, what_records_say,
};

use crate::bytes::LotId;

use crate::item::{Mode, Proof, Stage};
use crate::journal::{Journal, LotRow};

use crate::record::Edit;
use crate::site::Site;

use crate::haul::inspect::add_records;

use crate::launcher::FoundGame;

use crate::survey::GameId;

/// Proves a lot again by reading every byte: against its tally and its launcher's content list.
fn prove_lot(
    site: &Site,
    journal: &Journal,
    lot: &LotRow,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let mut lot = lot.clone();
    let standing = settle(site, &mut lot)?;
    standing.to.required(&lot.planned.title, &lot.planned.to)?;
    let (lot, planned) = (&lot, &lot.planned);
    if planned.mode == Mode::SetAside {
        return Ok(lot.proof.clone().unwrap_or_default());
    }
    if planned.mode == Mode::Records {
        let stands = edits_stand(planned);
        return Ok(Proof { install: planned.to.clone(), read: true, records_lead_here: stands, ..Proof::default() });
    }
    let contents = contents_of(site, &planned.game, &planned.to)?;
    let rewritten = rewritten_at(site, journal, &planned.game, &planned.to)?;
    let subject = Subject {
        journal,
        rewritten: &rewritten,
        apart: Apart::of(planned),
        abilities: site.abilities_at(planned.place()),
        beside: true,
        lot: lot.id,
        title: &planned.title,
        install: planned.place(),
        contents: contents.as_ref(),
    };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_lot_records(site, planned, &mut proof);
    // The newest proof counts, whichever way it went: nothing is released on an older one.
    if matches!(lot.stage, Stage::Proved { .. }) {
        journal.set_proof(lot.id, &proof, &Stage::Proved { holds: proof.holds() })?;
    }
    Ok(proof)
}

/// Proves every lot of a haul that is at its new place, by reading every byte.
pub fn prove_haul(
    site: &Site,
    journal: &Journal,
    lots: &[LotRow],
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Vec<(String, Proof)>, HaulError> {
    let there = lots.iter().filter(|lot| lot.stage.is_repointed());
    there.map(|lot| Ok((lot.planned.title.clone(), prove_lot(site, journal, lot, report, stop)?))).collect()
}

/// Proves a game where it is: by its launcher's content list, and by the tally of the haul that brought it there.
pub fn prove_game(
    site: &Site,
    journal: &Journal,
    game: &GameId,
    found: &FoundGame,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let lots = journal.lots_of(game)?;
    let here = site.place_at(&found.install).ok();
    let brought = lots.iter().find(|lot| lot.stage.is_repointed() && lot.is_at(&found.install, here.as_ref()));
    if let Some(lot) = brought {
        return prove_lot(site, journal, lot, report, stop);
    }
    let contents = contents_of(site, game, &found.install)?;
    let (lot, title) = (LotId(0), found.title.as_str());
    let rewritten = Rewritten::new();
    let install = found.install.as_path();
    let apart = Apart { names: true, links: false };
    let subject = Subject {
        journal,
        lot,
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

pub(crate) fn prove(work: &mut Work<'_>) -> Result<(), HaulError> {
    let planned = work.lot.planned.clone();
    if planned.mode == Mode::Rename {
        swap(work)?;
    }
    // What came back beside its place takes it again: its launcher looks there.
    if work.lot.takes_back.is_some() {
        step_back(work)?;
    }
    if planned.mode == Mode::Spare {
        return proof_of_sparing(work).and_then(|proof| proved(work, proof));
    }
    if planned.mode == Mode::SetAside {
        return proof_of_setting_aside(work).and_then(|proof| proved(work, proof));
    }
    if planned.mode == Mode::Records {
        let stands = edits_stand(&planned);
        return proved(work, Proof { install: planned.to, read: true, records_lead_here: stands, ..Proof::default() });
    }
    let contents = content_list(work)?;
    let rewritten = rewritten_at(work.site, work.journal, &planned.game, &planned.to)?;
    let subject = Subject {
        journal: work.journal,
        rewritten: &rewritten,
        apart: Apart::of(&planned),
        abilities: work.site.abilities_at(planned.place()),
        // Of kept originals that are taken up again the checksums alone decide.
        beside: planned.mode != Mode::TakeBack,
        lot: work.lot.id,
        title: &planned.title,
        install: planned.place(),
        contents: contents.as_ref(),
    };
    // What was copied or renamed is known; what was adopted nobody has read yet.
    let adopted = planned.mode != Mode::TakeBack && planned.edits.iter().any(|edit| matches!(edit, Edit::Enter(_)));
    let depth = if adopted { Depth::Read } else { Depth::Seen };
    let mut proof = look(&work.site.disk, &subject, depth, work.report, work.stop)?;
    add_lot_records(work.site, &planned, &mut proof);
    // An undo of a game that its launcher lists no more has nothing to update.
    let unlisted =
        || !by_edits(&planned) && !enters_again(&planned) && what_records_say(work.site, &planned.game).is_none();
    proof.records_lead_here |= work.lot.takes_back.is_some() && unlisted();
    proved(work, proof)
}

fn proved(work: &mut Work<'_>, proof: Proof) -> Result<(), HaulError> {
    let title = work.lot.planned.title.clone();
    let next = work.lot.stage.clone().to(Stage::Proved { holds: proof.holds() })?;
    tracing::info!(lot = work.lot.id.0, title, holds = proof.holds(), read = proof.read, "proved");
    work.journal.set_proof(work.lot.id, &proof, &next)?;
    work.journal.say(work.lot.haul, Some(work.lot.id), "proved", &title)?;
    work.lot.stage = next;
    work.lot.proof = Some(proof.clone());
    work.tell_stage();
    if work.lot.planned.mode != Mode::Records {
        (work.report)(HaulEvent::Proved { lot: work.lot.id, title, proof });
    }
    Ok(())
}
