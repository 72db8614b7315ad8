//! Work that writes, or reads every byte: hauls, undos, releases, proofs.

use super::plans::{look, plan_errand};
use crate::present::Fault;
use crate::service::Heard;
use crate::tell::Teller;
use crate::tui::model::{Errand, Event, LongTask};
use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{
    Control, Haul, HaulError, HaulEvent, cancel_rest, prove_haul, release_haul, undo_haul, undo_items,
};
use deft_barge_core::item::{Stage, Trial};
use deft_barge_core::journal::{ItemRow, Journal};
use deft_barge_core::site::Site;

pub(super) fn do_work(site: &Site, work: &LongTask, tell: &Teller<Event>, stop: &Control) -> Result<(), Fault> {
    let report = |event: HaulEvent| {
        tell.say(Event::Heard(Heard::of(event)));
    };
    let (journal, unfinished) = Journal::open(site)?.recover()?;
    match work {
        LongTask::Start(errand) => start(site, &journal, errand, &report, stop),
        LongTask::Resume => {
            let row = unfinished.ok_or_else(|| Fault::usage("No haul is running or unfinished.", ""))?;
            Ok(Haul::of(site, &journal, row.id)?.run(&report, stop).map(drop)?)
        }
        LongTask::Agree(id) => {
            journal.set_trial(*id, Trial::Agreed)?;
            Ok(Haul::of(site, &journal, *id)?.run(&report, stop).map(drop)?)
        }
        LongTask::Undo(id) => Ok(undo_haul(site, &journal, *id, &report, stop).map(drop)?),
        LongTask::Cancel(id) => Ok(cancel_rest(site, &journal, *id, &report, stop).map(drop)?),
        LongTask::CancelItem(id, item) => {
            // It may have come through before the others stopped: then it stays as it is.
            let row = journal.item(*item)?;
            if row.is_some_and(|row| !row.stage.at_rest() && !row.stage.records_are_updated()) {
                undo_items(site, &journal, *id, &[*item], &report, stop)?;
            }
            let open = journal.haul(*id)?.is_some_and(|row| row.unfinished());
            if open { Ok(Haul::of(site, &journal, *id)?.run(&report, stop).map(drop)?) } else { Ok(()) }
        }
        LongTask::Release(id) => Ok(release_haul(site, &journal, *id, &report, stop).map(drop)?),
        LongTask::Verify(id) => {
            let items: Vec<ItemRow> = journal.haul(*id)?.map(|haul| haul.items).unwrap_or_default();
            let proofs = prove_haul(site, &journal, &items, &report, stop)?;
            tell.say(Event::Proved(*id, proofs));
            Ok(())
        }
    }
}

/// Plans once more, since time has gone by since the person looked, and hauls.
fn start(
    site: &Site,
    journal: &Journal,
    errand: &Errand,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<(), Fault> {
    let (survey, history) = look(site, &|_| {});
    history?;
    let (plan, _) = plan_errand(site, &survey, errand, &|_| {});
    let mut haul = Haul::begin(site, journal, &plan)?;
    let id = haul.id();
    match haul.run(report, stop) {
        // A check refused it before anything was begun: it leaves no haul that has to be gone on with.
        Err(HaulError::Refused(findings)) => {
            give_up_unbegun(site, journal, id)?;
            Err(Fault::refused(findings, ""))
        }
        other => Ok(other.map(drop)?),
    }
}

fn give_up_unbegun(site: &Site, journal: &Journal, id: HaulId) -> Result<(), Fault> {
    let row = journal.haul(id)?;
    if row.is_some_and(|row| row.items.iter().all(|item| item.stage == Stage::Planned)) {
        #[expect(clippy::let_underscore_must_use, reason = "a haul that stays is offered to be resumed or undone")]
        let _ = undo_haul(site, journal, id, &|_| {}, &Control::default());
    }
    Ok(())
}
