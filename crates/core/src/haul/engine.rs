//! Running a haul: each lot from the stage it stands at to its end.

use super::context::{PATIENCE, Work};
use super::locks::take_game;
use super::quiet::wait_until_quiet;
use super::scheduler::side_by_side;
use crate::haul::copy::copy_lot;
use crate::haul::inspect::{Depth, both_are_the_same, not_as_seen};
use crate::haul::steps::{
    Stuck, all_lead_to, can_lead_again, catch_up, compare_with_what_stays, finish, forget_way, give_up, lead_again,
    leads_elsewhere, link, place, prove, release_lot, rename, repoint, set_aside, step_aside, step_back, take_up,
};

use std::sync::Mutex;
use std::time::Duration;

use super::error::HaulError;
use super::event::{Control, HaulEvent};

use super::standing::{note_places, settle};
use crate::bytes::{HaulId, LotId};

use crate::item::{Mode, PlannedLot, Policy, Stage, Trial, Weight};
use crate::journal::{Journal, LotRow, Mark};

use crate::plan::Plan;

use crate::preflight::quiet;
use crate::record::EditError;
use crate::site::Site;

/// How a haul ended.
#[derive(Clone, Debug)]
pub struct HaulEnd {
    /// Its lots as they stand.
    pub lots: Vec<LotRow>,
}

impl HaulEnd {
    /// Whether a proof found a difference.
    pub fn differs(&self) -> bool {
        self.lots.iter().any(|lot| lot.proof.as_ref().is_some_and(|proof| !proof.holds()))
    }
}

/// A haul that is under way. After an error that leaves a write in doubt it goes on only when opened anew.
#[derive(Debug)]
pub struct Haul<'a> {
    site: &'a Site,
    journal: &'a Journal,
    id: HaulId,
    policy: Policy,
    in_doubt: bool,
    patience: Duration,
}

impl<'a> Haul<'a> {
    /// Writes a plan into the journal; nothing on the drives is touched yet.
    ///
    /// # Errors
    /// [`HaulError::Refused`] if the plan has stops, [`HaulError::Unfinished`] if another haul is under way.
    pub fn begin(site: &'a Site, journal: &'a Journal, plan: &Plan) -> Result<Self, HaulError> {
        if plan.stopped() {
            return Err(HaulError::Refused(plan.findings.clone()));
        }
        if plan.lots.is_empty() {
            return Err(HaulError::Nothing("there is nothing to haul".into()));
        }
        if let Some(other) = journal.live()?.into_iter().find(crate::journal::HaulRow::unfinished) {
            return Err(HaulError::Unfinished(other.id));
        }
        let mut lots: Vec<(PlannedLot, Option<LotId>)> = plan.lots.iter().map(|lot| (lot.clone(), None)).collect();
        for (planned, _) in &mut lots {
            note_places(site, planned)?;
        }
        let id = journal.begin_with(&lots, plan.policy, None, plan.trial, &[])?;
        journal.put_forecast(id, &plan.timing)?;
        tracing::info!(haul = id.0, lots = lots.len(), bytes = plan.bytes().count(), "begun");
        Self::of(site, journal, id)
    }

    /// Takes up a haul that the journal knows.
    pub fn of(site: &'a Site, journal: &'a Journal, id: HaulId) -> Result<Self, HaulError> {
        let row = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
        Ok(Self { site, journal, id, policy: row.policy, in_doubt: false, patience: PATIENCE })
    }

    /// Its number.
    pub fn id(&self) -> HaulId {
        self.id
    }

    /// Sets the time after which a drive that does not answer is said to hang; 30 seconds where it is not set.
    pub fn set_patience(&mut self, patience: Duration) {
        self.patience = patience;
    }

    /// Goes on with every lot until all are proved, and released where that is the policy. Lots on other drives go on at
    /// the same time.
    ///
    /// A lot that cannot go on is left where it stands. Lots of other drives and launchers go on, and all others as well if
    /// its originals could not be read or did not keep still.
    ///
    /// # Errors
    /// The first error. Originals and records are whole; [`Haul::of`] and this again go on.
    pub fn run(&mut self, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<HaulEnd, HaulError> {
        if self.in_doubt {
            return Err(HaulError::NeedsRecovery);
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        // Nothing is begun beside a running launcher; once begun, only the repoint has to wait for it.
        if row.lots.iter().all(|lot| lot.stage == Stage::Planned) {
            let lots: Vec<PlannedLot> = row.lots.iter().map(|lot| lot.planned.clone()).collect();
            let mut findings = quiet(self.site, &lots);
            findings.retain(|finding| finding.weight == Weight::Stop);
            if !findings.is_empty() {
                return Err(HaulError::Refused(findings));
            }
        }
        let mut first = None;
        let records = Mutex::new(());
        let (site, journal, policy, patience) = (self.site, self.journal, self.policy, self.patience);
        let work = |lot: LotRow, report: &dyn Fn(HaulEvent), turn: &dyn Fn() -> Result<(), HaulError>| {
            let mut work = Work { patience, records: Some(&records), ..Work::new(site, journal, lot, report, stop) };
            if work.lot.stage != Stage::Planned && !work.lot.stage.at_rest() {
                journal.mark(work.lot.id, Mark::RESUMED)?;
                // Who listens from now on knows which haul this is, and where it stands.
                work.tell_stage();
            }
            let policy = if work.lot.planned.policy == Policy::Release { Policy::Release } else { policy };
            run_lot(&mut work, policy, turn)
        };
        let failed = |lot: &LotRow, error: &HaulError| -> Result<(), HaulError> {
            if matches!(error, HaulError::Paused) {
                let stage = journal.lot(lot.id)?.map(|lot| lot.stage);
                // One that has not begun is not paused either.
                let begun = stage.is_some_and(|stage| stage != Stage::Planned && !stage.at_rest());
                return if begun { Ok(journal.mark(lot.id, Mark::PAUSED)?) } else { Ok(()) };
            }
            let (id, title, why) = (lot.id, lot.planned.title.clone(), error.to_string());
            tracing::warn!(lot = id.0, title, why, "stopped");
            journal.set_error(id, &why)?;
            journal.say(self.id, Some(id), "failed", &format!("{title}: {why}"))?;
            report(HaulEvent::Failed { lot: id, title, why });
            Ok(())
        };
        let mut doubt = false;
        let is_gone = |lot: &LotRow| {
            let now = journal.lot(lot.id).ok().flatten();
            // Of one that was given up or returned the originals are there.
            now.is_some_and(|lot| matches!(lot.stage, Stage::Released { .. }))
        };
        // The others wait for a yes: what is tried is looked at by a person first.
        let lots = if row.trial == Trial::Waits { row.lots[..1].to_vec() } else { row.lots };
        side_by_side(site, lots, stop, report, &work, &is_gone, &mut |lot, error| {
            doubt |= matches!(
                error,
                HaulError::Disk { .. } | HaulError::Full { .. } | HaulError::Journal(_) | HaulError::Hung { .. }
            );
            let noted = failed(lot, &error);
            let error = noted.err().unwrap_or(error);
            if first.is_none() || matches!(first, Some(HaulError::Paused)) {
                first = Some(error);
            }
        });
        self.in_doubt = doubt;
        if let Some(error) = first {
            return Err(error);
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        Ok(HaulEnd { lots: row.lots })
    }
}

impl Haul<'_> {
    /// Updates the records once more of lots that keep their originals and whose launcher has written its old records since, and
    /// proves them again.
    ///
    /// # Errors
    /// The first error; that lot is as it was, or as far as a resume goes on from.
    pub fn lead_again(&self, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<HaulEnd, HaulError> {
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        let records = Mutex::new(());
        for lot in row.lots.iter().filter(|lot| can_lead_again(lot)) {
            let work = Work::new(self.site, self.journal, lot.clone(), report, stop);
            let mut work = Work { patience: self.patience, records: Some(&records), ..work };
            work.stand()?;
            lead_again(&mut work)?;
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        Ok(HaulEnd { lots: row.lots })
    }
}

/// The newest haul, or the one of this number, that keeps originals and whose records point to them again.
///
/// # Errors
/// [`HaulError::Journal`] if the journal cannot be read.
pub fn astray(site: &Site, journal: &Journal, only: Option<i64>) -> Result<Option<HaulId>, HaulError> {
    let control = Control::default();
    let hauls = match only {
        Some(id) => journal.haul(HaulId(id))?.into_iter().collect(),
        None => journal.live()?,
    };
    for haul in hauls {
        for lot in haul.lots.iter().filter(|lot| can_lead_again(lot)) {
            let mut work = Work::new(site, journal, lot.clone(), &|_| {}, &control);
            if work.stand().is_err() {
                continue;
            }
            let place = work.lot.planned.place().to_path_buf();
            let moved = matches!(work.lot.planned.mode, Mode::Copy | Mode::TakeBack);
            if moved && !all_lead_to(&work, &place) && !leads_elsewhere(&work, &place) {
                return Ok(Some(haul.id));
            }
        }
    }
    Ok(None)
}

/// Takes one lot from where it stands to rest. `turn` waits until it may change records.
fn run_lot(work: &mut Work<'_>, policy: Policy, turn: &dyn Fn() -> Result<(), HaulError>) -> Result<(), HaulError> {
    /// Times that records are changed once more because another program wrote them at the same moment.
    const TRIES: usize = 5;
    settle(work.site, &mut work.lot)?;
    let _taken = if work.lot.stage.at_rest() { None } else { take_game(work, work.lot.planned.source())? };
    let mut tries = 0;
    loop {
        if work.stop.asked() && !work.lot.stage.at_rest() {
            return Err(HaulError::Paused);
        }
        if !matches!(work.lot.stage, Stage::Released { .. } | Stage::GivenUp | Stage::Returned) {
            work.stand()?;
        }
        if catch_up(work)? {
            continue;
        }
        if work.lot.stage == Stage::Planned {
            step_aside(work)?;
        }
        match (work.lot.stage.clone(), work.lot.planned.mode) {
            (Stage::Planned, Mode::TakeBack) => take_up(work)?,
            (Stage::Planned, Mode::Rename) => {
                turn()?;
                link(work)?;
            }
            (Stage::Planned, Mode::Records | Mode::Adopt) => {
                turn()?;
                work.make_way(&work.lot.planned.to.clone())?;
                work.set_stage(Stage::Placed)?;
            }
            (Stage::Planned, Mode::Spare) => compare_with_what_stays(work)?,
            (Stage::Planned, Mode::SetAside) => {
                turn()?;
                set_aside(work)?;
            }
            (Stage::Planned, Mode::Copy) | (Stage::Copying { .. }, _) => copy_lot(work)?,
            (Stage::Compared { staging }, _) => {
                turn()?;
                // What a launcher writes while it is waited for is seen before the copy takes its place.
                wait_until_quiet(work)?;
                place(work, &staging)?;
            }
            (Stage::Renaming, _) => rename(work)?,
            (Stage::Linked, _) => {
                turn()?;
                link(work)?;
                if work.lot.stage == Stage::Linked {
                    repoint(work)?;
                }
            }
            (Stage::Placed, mode) => {
                turn()?;
                wait_until_quiet(work)?;
                // A copy may have stood at its place for long before its records are changed.
                let copy = work.lot.planned.to.clone();
                match mode {
                    Mode::Rename | Mode::Records | Mode::Adopt | Mode::Spare | Mode::SetAside => {}
                    Mode::TakeBack => {
                        if let Some((path, count)) = not_as_seen(work, &copy)? {
                            return Err(HaulError::Changed { path, count });
                        }
                    }
                    Mode::Copy => both_are_the_same(work, &copy)?,
                }
                match repoint(work) {
                    Err(HaulError::Edit(EditError::RecordChanged { .. }))
                        if tries < TRIES && work.lot.stage == Stage::Repointing =>
                    {
                        tries += 1;
                    }
                    other => other?,
                }
            }
            (Stage::Repointing, _) => {
                turn()?;
                match finish(work) {
                    Err(HaulError::Edit(EditError::RecordChanged { .. })) if tries < TRIES => tries += 1,
                    other => other?,
                }
            }
            (Stage::Repointed, _) => prove(work)?,
            (Stage::Proved { holds: true }, _) if policy == Policy::Release => {
                // The records lead back: what was taken back is at its end, whatever becomes of the copy.
                settle_returned(work)?;
                wait_until_quiet(work)?;
                lead_again(work)?;
                release_lot(work, Depth::Seen)?;
            }
            (Stage::Releasing, _) => {
                release_lot(work, Depth::Seen)?;
            }
            (Stage::GivingUp { .. }, _) => give_up(work, Stuck::Refuses)?,
            (Stage::Proved { .. } | Stage::Released { .. } | Stage::GivenUp | Stage::Returned, _) => {
                return settle_returned(work);
            }
        }
    }
}

/// Once a lot that takes another back is at its end, that other one is returned.
fn settle_returned(work: &mut Work<'_>) -> Result<(), HaulError> {
    let Some(old) = work.lot.takes_back else { return Ok(()) };
    if !work.lot.stage.is_repointed() {
        return Ok(());
    }
    step_back(work)?;
    if let Some(row) = work.journal.lot(old)?
        && row.stage != Stage::Returned
    {
        let next = row.stage.clone().to(Stage::Returned)?;
        work.journal.set_stage(old, &next)?;
        // What had been an undo, and is undone before its copy went: the haul before it keeps its originals as it did.
        if work.lot.planned.keeps
            && let Some(first) = row.takes_back.map(|id| work.journal.lot(id)).transpose()?.flatten()
            && first.stage == Stage::Returned
        {
            let next = first.stage.clone().to(Stage::Proved { holds: true })?;
            work.journal.set_stage(first.id, &next)?;
        }
        work.journal.say(work.lot.haul, Some(work.lot.id), "returned", &row.planned.title)?;
    }
    forget_way(work, &work.lot.planned.clone());
    Ok(())
}
