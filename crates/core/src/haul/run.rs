//! Running a haul: each lot from the stage it stands at to its end.

use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::{Duration, Instant};

use super::account::{Depth, Subject, look};
use super::aside::{step_aside, step_back};
use super::copy::copy_lot;
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use super::gate::records_lead_to;
use super::lanes::side_by_side;
use super::place::{link, place, rename, swap};
use super::prove::{add_lot_records, all_agree, by_edits, contents_of, edits_stand, what_records_say};
use super::release::release_lot;
use super::removal::has_the_bytes;
use super::repoint::{
    Rewritten, enters_again, finish, is_rewritten, leads_elsewhere, repoint, repoint_again, repoint_released,
    rewritten_at, wait_until_quiet,
};
use super::returning::{Stuck, forget_way, give_up, take_up};
use super::scan::{Apart, Met, first_change, meet};
use super::sparing::{compare_with_what_stays, proof_of_setting_aside, proof_of_sparing, set_aside};
use super::standing::{End, note_places, settle};
use super::taking::take_game;
use crate::bytes::{HaulId, LotId};
use crate::checksums::{Entry, EntryKind, FileIdentity};
use crate::item::{Mode, PlannedLot, Policy, Proof, Stage, Trial, Weight};
use crate::journal::{Journal, LotRow, Mark, TallyEntry};
use crate::launcher::ContentList;
use crate::plan::Plan;
use crate::platform::{Abilities, Steady};
use crate::preflight::quiet;
use crate::record::{Content, Edit, EditError, FileChange};
use crate::site::Site;

/// What the phases of a lot work with.
pub(crate) struct Work<'a> {
    pub(crate) site: &'a Site,
    pub(crate) journal: &'a Journal,
    pub(crate) lot: LotRow,
    pub(crate) report: &'a dyn Fn(HaulEvent),
    pub(crate) stop: &'a Control,
    /// Time after which a drive that does not answer is said to hang.
    pub(crate) patience: Duration,
    /// How often the originals were brought in line with their tally in this run.
    pub(crate) round: usize,
    /// When originals and copy were last seen to be what they were.
    pub(crate) looked: Option<Instant>,
    /// Whether the drive of the originals is not there: what was verified already goes on without them.
    pub(crate) originals_away: bool,
    /// Whether a drive has another path than when the lot was planned: its edits name the old one.
    pub(crate) moved: bool,
    /// Held while records change: two lots may have records in one file.
    pub(crate) records: Option<&'a Mutex<()>>,
}

impl<'a> Work<'a> {
    pub(crate) fn new(
        site: &'a Site,
        journal: &'a Journal,
        lot: LotRow,
        report: &'a dyn Fn(HaulEvent),
        stop: &'a Control,
    ) -> Self {
        Self {
            site,
            journal,
            lot,
            report,
            stop,
            patience: PATIENCE,
            round: 0,
            looked: None,
            originals_away: false,
            moved: false,
            records: None,
        }
    }

    /// Finds the drives of the lot as they are now, and refuses if one is not there that its stage needs.
    pub(crate) fn stand(&mut self) -> Result<(), HaulError> {
        let standing = settle(self.site, &mut self.lot)?;
        self.moved |= standing.moved;
        self.originals_away = standing.from != End::There;
        let planned = &self.lot.planned;
        let needs_originals = match (&self.lot.stage, planned.mode) {
            // Originals that are kept are taken up where they are; the copy is needed when it goes.
            (_, Mode::TakeBack) => false,
            (Stage::Planned | Stage::Copying { .. } | Stage::Renaming | Stage::Linked, _)
            | (_, Mode::Rename | Mode::Records | Mode::Adopt | Mode::Spare | Mode::SetAside) => true,
            // All of it was verified. If its old drive has gone since, the copy is all the more needed.
            (_, Mode::Copy) => false,
        };
        standing.to.required(&planned.title, &planned.to)?;
        if needs_originals { standing.from.required(&planned.title, &planned.from) } else { Ok(()) }
    }

    /// Ends a longer piece of work where a pause was asked for.
    pub(crate) fn may_go_on(&self) -> Result<(), HaulError> {
        if self.stop.asked() { Err(HaulError::Paused) } else { Ok(()) }
    }

    /// Whether the copy may share the original's bytes: both lie on one file system, in parts that do not rename to each other.
    pub(crate) fn may_share(&self) -> bool {
        self.lot.planned.from_drive.as_ref() == Some(&self.lot.planned.to_drive)
    }

    /// Goes on to the next stage: the journal has it, durably, when this returns.
    pub(crate) fn set_stage(&mut self, next: Stage) -> Result<(), HaulError> {
        let next = self.lot.stage.clone().to(next)?;
        self.journal.set_stage(self.lot.id, &next)?;
        self.lot.stage = next;
        self.tell_stage();
        Ok(())
    }

    pub(crate) fn tell_stage(&self) {
        tracing::info!(lot = self.lot.id.0, title = self.lot.planned.title, stage = self.lot.stage.word(), "stage");
        // Records alone change at once: there are no phases to follow.
        if self.lot.planned.mode == Mode::Records {
            return;
        }
        let (haul, lot) = (self.lot.haul, self.lot.id);
        (self.report)(HaulEvent::Stage {
            haul,
            lot,
            title: self.lot.planned.title.clone(),
            stage: self.lot.stage.word(),
        });
    }

    /// What the target's file system can hold.
    pub(crate) fn abilities(&self) -> Abilities {
        let drive = self.site.find_drive(&self.lot.planned.to_drive);
        drive.map_or_else(Abilities::all, |drive| drive.abilities.clone())
    }

    /// What the originals' file system can hold.
    pub(crate) fn source_abilities(&self) -> Abilities {
        self.site.abilities_at(self.lot.held_at())
    }

    /// What of the originals is a file of its own on the target.
    pub(crate) fn originals(&self) -> Apart {
        Apart { names: !self.abilities().hard_links, ..Apart::of(&self.lot.planned) }
    }

    /// The owner that a link of ours gets: who is not root may give nothing away.
    pub(crate) fn owner_to_set(&self, entry: &Entry) -> Option<(u32, u32)> {
        rustix::process::geteuid().is_root().then_some(entry.owner)
    }

    /// A name that only this lot of this state folder uses.
    pub(crate) fn own_name(&self, what: &str) -> String {
        let whose = blake3::hash(self.site.state_folder().as_os_str().as_encoded_bytes()).to_hex();
        format!(".deft-barge-{what}-{}-{}", self.lot.id.0, &whose[..8])
    }

    pub(crate) fn make_folder(&self, path: &Path) -> Result<(), HaulError> {
        self.site.disk.make_folder(path).map_err(HaulError::disk("make", path))
    }

    /// Makes the missing folders on the way, each durable before the next.
    pub(crate) fn make_way(&self, path: &Path) -> Result<(), HaulError> {
        let missing: Vec<&Path> = path.ancestors().take_while(|folder| !folder.is_dir()).collect();
        for folder in missing.into_iter().rev() {
            // Known before it is there: what a lot has made goes again with it, if nothing else came to lie in it.
            self.journal.put_made(self.lot.id, folder)?;
            match self.site.disk.make_folder(folder) {
                // Another lot goes the same way at this moment.
                Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists && folder.is_dir() => {}
                made => made.map_err(HaulError::disk("make", folder))?,
            }
            let parent = folder.parent().unwrap_or(Path::new("/"));
            self.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
        }
        Ok(())
    }

}

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

/// Whether a name of a copy is what was seen when it was compared.
pub(crate) fn is_as_it_was(line: &TallyEntry, entry: &Entry, steady: Steady) -> bool {
    // A folder's time changes with every name that comes and goes in it.
    if line.entry.kind == EntryKind::Folder {
        return entry.kind == EntryKind::Folder;
    }
    let kind = match (&line.entry.kind, &entry.kind) {
        // Names are looked at as files of their own.
        (EntryKind::File | EntryKind::Again(_), kind) => *kind == EntryKind::File,
        // An absolute link into the lot leads into the copy; its time says that it is the one that was made.
        (EntryKind::Link(_), kind) => matches!(kind, EntryKind::Link(_)),
        (EntryKind::Folder, _) => false,
    };
    let now =
        Entry { size: if line.entry.kind == EntryKind::File { entry.size } else { line.entry.size }, ..entry.clone() };
    kind && line.copy(steady).is_some_and(|known| known.is_same(&FileIdentity::of(&now, steady)))
}

/// Time after which a drive that does not answer is said to hang.
const PATIENCE: Duration = Duration::from_secs(30);

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

/// Whether the records of a lot at rest can be updated once more: they led to its copy.
fn can_lead_again(lot: &LotRow) -> bool {
    matches!(lot.planned.mode, Mode::Copy | Mode::TakeBack)
        && matches!(lot.stage, Stage::Proved { .. } | Stage::Released { .. })
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

fn prove(work: &mut Work<'_>) -> Result<(), HaulError> {
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

/// A journal that was brought back from a backup knows less than was done. Where the originals are gone, the copy is what was
/// verified and the records lead to it, the lot is as far as that.
fn catch_up(work: &mut Work<'_>) -> Result<bool, HaulError> {
    let behind = matches!(work.lot.stage, Stage::Compared { .. } | Stage::Placed | Stage::Repointing);
    if !behind || work.lot.planned.mode != Mode::Copy || work.originals_away {
        return Ok(false);
    }
    let (disk, planned) = (&work.site.disk, work.lot.planned.clone());
    if disk.is_there(&planned.from).map_err(HaulError::disk("look at", &planned.from))?
        || !disk.is_folder(&planned.to).map_err(HaulError::disk("look at", &planned.to))?
        || not_as_seen(work, &planned.to)?.is_some()
        || records_lead_to(work, &planned.to).is_err()
    {
        return Ok(false);
    }
    if matches!(work.lot.stage, Stage::Compared { .. }) {
        work.set_stage(Stage::Placed)?;
    }
    // What was changed in the copy then is what it is now.
    let mut changes = work.journal.changes(work.lot.id)?;
    for file in planned.record_files().into_iter().filter(|file| file.starts_with(&planned.to)) {
        let now = Content::now(file, &Content::Bytes(Vec::new()))?;
        if !changes.iter().any(|change| change.file == file) {
            changes.push(FileChange { file: file.into(), before: now.clone(), after: now });
        }
    }
    work.journal.put_changes(work.lot.id, &changes, &Stage::Repointing)?;
    work.lot.stage = Stage::Repointing;
    work.set_stage(Stage::Repointed)?;
    Ok(true)
}

/// Whether all records of a lot lead to its copy, the small ones as well.
fn all_lead_to(work: &Work<'_>, place: &Path) -> bool {
    records_lead_to(work, place).is_ok() && all_agree(work.site, &work.lot.planned)
}

/// Before originals go: a launcher that ended after the repoint may have written its old list once more. Then its records are
/// changed again, and the proof is made again.
fn lead_again(work: &mut Work<'_>) -> Result<(), HaulError> {
    let place = work.lot.planned.place().to_path_buf();
    if work.lot.planned.mode == Mode::SetAside || all_lead_to(work, &place) {
        return Ok(());
    }
    if !matches!(work.lot.planned.mode, Mode::Copy | Mode::TakeBack) || leads_elsewhere(work, &place) {
        return Ok(());
    }
    // Of one whose originals are gone nothing else changes: it was proved and released, and stays so.
    if matches!(work.lot.stage, Stage::Released { .. }) {
        return repoint_released(work);
    }
    repoint_again(work)?;
    prove(work)
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

/// Finds the first line of a copy at `root` that is not there as it was when it was compared, and how many there are.
pub(crate) fn not_as_seen(work: &Work<'_>, root: &Path) -> Result<Option<(PathBuf, u64)>, HaulError> {
    if !work.site.disk.is_folder(root).map_err(HaulError::disk("look at", root))? {
        return Ok(Some((root.into(), 1)));
    }
    let steady = work.abilities().steady();
    let mut missing: Option<(PathBuf, u64)> = None;
    let mut rewritten: Option<Rewritten> = None;
    meet(&work.site.disk, work.journal, work.lot.id, root, Apart::of(&work.lot.planned), &mut |met| {
        let path = match met {
            Met::Both(line, entry) if is_as_it_was(&line, &entry, steady) => return Ok(()),
            // Brought back from a backup, or touched: its bytes tell.
            Met::Both(line, entry)
                if entry.kind == EntryKind::File
                    && has_the_bytes(&work.site.disk, work.stop, &line.entry.path.under(root), &line)? =>
            {
                return Ok(());
            }
            Met::New(_) | Met::Other(_) => return Ok(()),
            Met::Both(line, _) | Met::Gone(line) => line.entry.path,
        };
        let (game, place) = (&work.lot.planned.game, &work.lot.planned.to);
        let known = match &rewritten {
            Some(known) => known,
            None => rewritten.insert(rewritten_at(work.site, work.journal, game, place)?),
        };
        if is_rewritten(known, path.as_path(), &path.under(root)) {
            return Ok(());
        }
        // A record of the lot's own may have been changed by a repoint that this journal does not know of.
        let at = path.under(root);
        if work.lot.planned.record_files().contains(&at.as_path())
            && work.site.disk.look(&at).map_err(HaulError::disk("look at", &at))?.is_some_and(|meta| meta.len() > 0)
        {
            return Ok(());
        }
        missing.get_or_insert_with(|| (path.under(root), 0)).1 += 1;
        Ok(())
    })?;
    Ok(missing)
}

/// Whether originals and copy are both what was compared, as of some moments ago at most.
pub(crate) fn both_are_the_same(work: &mut Work<'_>, copy: &Path) -> Result<(), HaulError> {
    /// What was seen so short a time ago is not looked at once more.
    const FRESH: Duration = Duration::from_secs(2);
    if work.looked.is_some_and(|then| then.elapsed() < FRESH) {
        return Ok(());
    }
    let (disk, journal, lot) = (&work.site.disk, work.journal, work.lot.id);
    let (from, apart, steady) = (&work.lot.planned.from, work.originals(), work.source_abilities().steady());
    if work.originals_away {
        return match not_as_seen(work, copy)? {
            Some((path, count)) => Err(HaulError::Changed { path, count }),
            None => Ok(()),
        };
    }
    // Both are walked at the same time: they mostly lie on two drives.
    let (seen, changed) = std::thread::scope(|scope| {
        let originals = scope.spawn(move || first_change(disk, journal, lot, from, apart, steady));
        (not_as_seen(work, copy), originals.join())
    });
    if let Some((path, count)) = seen? {
        return Err(HaulError::Changed { path, count });
    }
    if let Some(path) = changed.map_err(|_| HaulError::NeedsRecovery)?? {
        return Err(HaulError::SourceChanged { path });
    }
    work.looked = Some(Instant::now());
    Ok(())
}

pub(crate) fn content_list(work: &Work<'_>) -> Result<Option<ContentList>, HaulError> {
    contents_of(work.site, &work.lot.planned.game, &work.lot.planned.to)
}
