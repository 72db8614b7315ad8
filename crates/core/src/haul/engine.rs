//! Running a haul: each item from the stage it stands at to its end.

use super::context::{ItemContext, PATIENCE};
use super::locks::take_game;
use super::quiet::wait_until_quiet;
use super::scheduler::side_by_side;
use crate::haul::NothingThere;
use crate::haul::copy::copy_item;
use crate::haul::inspect::{Depth, both_are_the_same, not_as_seen};
use crate::haul::steps::{
    Stuck, all_lead_to, can_lead_again, cancel, catch_up, compare_with_what_stays, finish, forget_way, lead_again,
    leads_elsewhere, link, place, prove, release_item, rename, set_aside, step_aside, step_back, take_up,
    update_records,
};

use std::sync::Mutex;
use std::time::Duration;

use super::error::HaulError;
use super::event::{Control, HaulEvent};

use super::standing::{note_places, settle};
use crate::bytes::{HaulId, ItemId};
use crate::haul::steps::search_again;

use crate::item::{PlannedItem, Policy, Severity, Stage, Strategy, Trial};
use crate::journal::{Came, EventKind, HaulRow, ItemRow, Journal};

use crate::plan::Plan;

use crate::preflight::quiet;
use crate::record::EditError;
use crate::site::Site;

/// How a haul ended.
#[derive(Clone, Debug)]
pub struct HaulEnd {
    /// Its items as they stand.
    pub items: Vec<ItemRow>,
}

impl HaulEnd {
    /// Whether a proof found a difference.
    pub fn differs(&self) -> bool {
        self.items.iter().any(|item| item.proof.as_ref().is_some_and(|proof| !proof.holds()))
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
        if plan.blocked() {
            return Err(HaulError::Refused(plan.findings.clone()));
        }
        if plan.items.is_empty() {
            return Err(HaulError::Nothing(NothingThere::ToHaul));
        }
        if let Some(other) = journal.live()?.into_iter().find(HaulRow::unfinished) {
            return Err(HaulError::Unfinished(other.id));
        }
        let mut items: Vec<(PlannedItem, Option<ItemId>)> =
            plan.items.iter().map(|item| (item.clone(), None)).collect();
        for (planned, _) in &mut items {
            note_places(site, planned)?;
        }
        let id = journal.begin_with(&items, plan.policy, None, plan.trial, &[])?;
        journal.put_forecast(id, &plan.timing)?;
        tracing::info!(haul = id.0, items = items.len(), bytes = plan.bytes().count(), "begun");
        Self::of(site, journal, id)
    }

    /// Takes up a haul that the journal knows.
    ///
    /// # Errors
    /// [`HaulError`] where there is no such haul, or the journal can't be read.
    pub fn of(site: &'a Site, journal: &'a Journal, id: HaulId) -> Result<Self, HaulError> {
        let row = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(NothingThere::NoHaul(id)))?;
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

    /// Goes on with every item until all are proved, and released where that is the policy; a stop that is asked for behind the last
    /// proof leaves the originals kept. Items on other drives go on at the same time.
    ///
    /// An item that cannot go on is left where it stands. Items of other drives and launchers go on, and all others as well if
    /// its originals could not be read or did not keep still.
    ///
    /// # Errors
    /// The first error. Originals and records are whole; [`Haul::of`] and this again go on.
    pub fn run(&mut self, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<HaulEnd, HaulError> {
        if self.in_doubt {
            return Err(HaulError::NeedsRecovery);
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        self.may_begin(&row)?;
        let mut first = None;
        let records = Mutex::new(());
        let (site, journal, policy, patience) = (self.site, self.journal, self.policy, self.patience);
        let work = |item: ItemRow, report: &dyn Fn(HaulEvent), turn: &dyn Fn() -> Result<(), HaulError>| {
            let mut work = ItemContext {
                patience,
                records: Some(&records),
                ..ItemContext::new(site, journal, item, report, stop)
            };
            if work.item.stage != Stage::Planned && !work.item.stage.at_rest() {
                journal.mark(work.item.id, Came::Resumed)?;
                // Who listens from now on knows which haul this is, and where it stands.
                work.tell_stage();
            }
            let policy = if work.item.planned.policy == Policy::Release { Policy::Release } else { policy };
            run_item(&mut work, policy, turn)
        };
        let mut doubt = false;
        let is_gone = |item: &ItemRow| {
            let now = journal.item(item.id).ok().flatten();
            // Of one that was given up or returned the originals are there.
            now.is_some_and(|item| matches!(item.stage, Stage::Released { .. }))
        };
        // The others wait for a yes: what is tried is looked at by a person first.
        let items = if row.trial == Trial::Waits { row.items.iter().take(1).cloned().collect() } else { row.items };
        side_by_side(site, items, stop, report, &work, &is_gone, &mut |item, error| {
            doubt |= matches!(
                error,
                HaulError::Disk { .. } | HaulError::Full { .. } | HaulError::Journal(_) | HaulError::Hung { .. }
            );
            let noted = self.note_failure(item, &error, report);
            let error = noted.err().unwrap_or(error);
            if first.is_none() || matches!(first, Some(HaulError::Paused)) {
                first = Some(error);
            }
        });
        self.in_doubt = doubt;
        let mut row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        if !doubt
            && !stop.asked()
            && let Err(error) = search_again(site, journal, &mut row.items, report, stop)
        {
            first.get_or_insert(error);
        }
        match first {
            // Asked for behind the last proof: no resume would find anything to go on with. What was to be released is kept.
            Some(HaulError::Paused) if !row.unfinished() => Ok(HaulEnd { items: row.items }),
            Some(error) => Err(error),
            None => Ok(HaulEnd { items: row.items }),
        }
    }
}

impl Haul<'_> {
    /// Nothing is begun beside a running launcher; once begun, only the change of records has to wait for it.
    fn may_begin(&self, row: &HaulRow) -> Result<(), HaulError> {
        if row.items.iter().any(|item| item.stage != Stage::Planned) {
            return Ok(());
        }
        let items: Vec<PlannedItem> = row.items.iter().map(|item| item.planned.clone()).collect();
        let mut findings = quiet(self.site, &items);
        findings.retain(|finding| finding.severity == Severity::Blocker);
        if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
    }

    /// Writes down, and tells, why an item stopped.
    fn note_failure(&self, item: &ItemRow, error: &HaulError, report: &dyn Fn(HaulEvent)) -> Result<(), HaulError> {
        if matches!(error, HaulError::Paused) {
            let stage = self.journal.item(item.id)?.map(|item| item.stage);
            // One that has not begun is not paused either.
            let begun = stage.is_some_and(|stage| stage != Stage::Planned && !stage.at_rest());
            return if begun { Ok(self.journal.mark(item.id, Came::Paused)?) } else { Ok(()) };
        }
        let (id, title, why) = (item.id, item.planned.title.clone(), error.to_string());
        tracing::warn!(item = id.0, title, why, "stopped");
        self.journal.set_error(id, &why)?;
        self.journal.say(self.id, Some(id), EventKind::Failed, &format!("{title}: {why}"))?;
        report(HaulEvent::Failed { item: id, title, why });
        Ok(())
    }

    /// Updates the records once more of items that keep their originals and whose launcher has written its old records since, and
    /// proves them again.
    ///
    /// # Errors
    /// The first error; that item is as it was, or as far as a resume goes on from.
    pub fn lead_again(&self, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<HaulEnd, HaulError> {
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        let records = Mutex::new(());
        for item in row.items.iter().filter(|item| can_lead_again(item)) {
            let work = ItemContext::new(self.site, self.journal, item.clone(), report, stop);
            let mut work = ItemContext { patience: self.patience, records: Some(&records), ..work };
            work.stand()?;
            lead_again(&mut work)?;
        }
        let mut row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        search_again(self.site, self.journal, &mut row.items, report, stop)?;
        Ok(HaulEnd { items: row.items })
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
        for item in haul.items.iter().filter(|item| can_lead_again(item)) {
            let mut work = ItemContext::new(site, journal, item.clone(), &|_| {}, &control);
            if work.stand().is_err() {
                continue;
            }
            let place = work.item.planned.place().to_path_buf();
            let moved = matches!(work.item.planned.mode, Strategy::Copy | Strategy::TakeBack);
            if moved && !all_lead_to(&work, &place) && !leads_elsewhere(&work, &place) {
                return Ok(Some(haul.id));
            }
        }
    }
    Ok(None)
}

/// Lets the originals of a proved item go.
fn release_proved(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    // The records lead back: what was taken back is at its end, whatever becomes of the copy.
    settle_returned(work)?;
    wait_until_quiet(work)?;
    lead_again(work)?;
    release_item(work, Depth::Seen).map(drop)
}

/// Takes up a rename whose link may not stand yet.
fn link_and_update(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    link(work)?;
    if work.item.stage == Stage::Linked { update_records(work) } else { Ok(()) }
}

/// Begins an item as its strategy does.
fn begin_item(work: &mut ItemContext<'_>, turn: &dyn Fn() -> Result<(), HaulError>) -> Result<(), HaulError> {
    match work.item.planned.mode {
        Strategy::TakeBack => take_up(work),
        Strategy::Rename => {
            turn()?;
            link(work)
        }
        Strategy::Records | Strategy::Import => {
            turn()?;
            work.make_way(&work.item.planned.to.clone())?;
            work.set_stage(Stage::Placed)
        }
        Strategy::Duplicate => compare_with_what_stays(work),
        Strategy::Quarantine => {
            turn()?;
            set_aside(work)
        }
        Strategy::Copy => copy_item(work),
    }
}

/// Changes the records of what is in its place, once that is looked at again: a copy may have stood there for long.
fn update_placed(work: &mut ItemContext<'_>, mode: Strategy, tries: &mut usize) -> Result<(), HaulError> {
    wait_until_quiet(work)?;
    let copy = work.item.planned.to.clone();
    match mode {
        Strategy::Rename | Strategy::Records | Strategy::Import | Strategy::Duplicate | Strategy::Quarantine => {}
        Strategy::TakeBack => {
            if let Some((path, count)) = not_as_seen(work, &copy)? {
                return Err(HaulError::Changed { path, count });
            }
        }
        Strategy::Copy => both_are_the_same(work, &copy)?,
    }
    match update_records(work) {
        Err(HaulError::Edit(EditError::RecordChanged { .. }))
            if *tries > 0 && work.item.stage == Stage::UpdatingRecords =>
        {
            *tries -= 1;
            Ok(())
        }
        other => other,
    }
}

/// Takes one item from where it stands to rest. `turn` waits until it may change records.
fn run_item(
    work: &mut ItemContext<'_>,
    policy: Policy,
    turn: &dyn Fn() -> Result<(), HaulError>,
) -> Result<(), HaulError> {
    /// Times that records are changed once more because another program wrote them at the same moment.
    const TRIES: usize = 5;
    settle(work.site, &mut work.item)?;
    let _taken = if work.item.stage.at_rest() { None } else { take_game(work, work.item.planned.source())? };
    let mut tries = TRIES;
    loop {
        if work.stop.asked() && !work.item.stage.at_rest() {
            return Err(HaulError::Paused);
        }
        if !matches!(work.item.stage, Stage::Released { .. } | Stage::Cancelled | Stage::Undone) {
            work.stand()?;
        }
        if catch_up(work)? {
            continue;
        }
        if work.item.stage == Stage::Planned {
            step_aside(work)?;
        }
        // Places and records change in the order of the items.
        let goes = work.item.stage == Stage::Renaming && work.item.planned.mode == Strategy::Quarantine;
        let changes = [Stage::Linked, Stage::Placed, Stage::UpdatingRecords].contains(&work.item.stage);
        let in_order = goes || changes || matches!(work.item.stage, Stage::Verified { .. });
        if in_order {
            turn()?;
        }
        match (work.item.stage.clone(), work.item.planned.mode) {
            (Stage::Planned, _) => begin_item(work, turn)?,
            (Stage::Renaming, Strategy::Quarantine) => set_aside(work)?,
            (Stage::Copying { .. }, _) => copy_item(work)?,
            (Stage::Verified { staging }, _) => {
                // What a launcher writes while it is waited for is seen before the copy takes its place.
                wait_until_quiet(work)?;
                place(work, &staging)?;
            }
            (Stage::Renaming, _) => rename(work)?,
            (Stage::Linked, _) => link_and_update(work)?,
            (Stage::Placed, mode) => update_placed(work, mode, &mut tries)?,
            (Stage::UpdatingRecords, _) => match finish(work) {
                Err(HaulError::Edit(EditError::RecordChanged { .. })) if tries > 0 => tries -= 1,
                other => other?,
            },
            (Stage::RecordsUpdated, _) => prove(work)?,
            (Stage::Proved { holds: true }, _) if policy == Policy::Release => release_proved(work)?,
            (Stage::Releasing, _) => drop(release_item(work, Depth::Seen)?),
            (Stage::Cancelling { .. }, _) => cancel(work, Stuck::Refuses)?,
            (Stage::Proved { .. } | Stage::Released { .. } | Stage::Cancelled | Stage::Undone, _) => {
                return settle_returned(work);
            }
        }
    }
}

/// Once an item that takes another back is at its end, that other one is returned.
fn settle_returned(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let Some(old) = work.item.takes_back else { return Ok(()) };
    if !work.item.stage.records_are_updated() {
        return Ok(());
    }
    step_back(work)?;
    if let Some(row) = work.journal.item(old)?
        && row.stage != Stage::Undone
    {
        let next = row.stage.clone().to(Stage::Undone)?;
        work.journal.set_stage(old, &next)?;
        // What had been an undo, and is undone before its copy went: the haul before it keeps its originals as it did.
        if work.item.planned.keeps
            && let Some(first) = row.takes_back.map(|id| work.journal.item(id)).transpose()?.flatten()
            && first.stage == Stage::Undone
        {
            let next = first.stage.clone().to(Stage::Proved { holds: true })?;
            work.journal.set_stage(first.id, &next)?;
        }
        work.journal.say(work.item.haul, Some(work.item.id), EventKind::Undone, &row.planned.title)?;
    }
    forget_way(work, &work.item.planned.clone());
    Ok(())
}
