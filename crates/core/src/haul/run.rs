//! Running a haul: each lot from the stage it stands at to its end, one after another.

use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

use super::copy::copy_lot;
use super::error::HaulError;
use super::event::{HaulEvent, Stop};
use super::history::{LotRow, TallyEntry};
use super::journal::Journal;
use super::place::{link, place, rename, swap};
use super::prove::{Depth, Proof, Subject, add_lot_records, contents_of, edits_stand, look};
use super::release::release_lot;
use super::repoint::rewritten_in;
use super::repoint::{finish, repoint};
use super::returning::{forget_way, give_up, take_up};
use super::scan::scan;
use super::stage::Stage;
use crate::bytes::{HaulId, LotId};
use crate::launcher::ContentList;
use crate::plan::{Mode, Plan, PlannedLot, Policy, Weight, quiet};
use crate::site::{Abilities, Site};
use crate::tally::{EntryKind, stamp_of};

/// What the phases of a lot work with.
pub(super) struct Work<'a> {
    pub(super) site: &'a Site,
    pub(super) journal: &'a Journal,
    pub(super) lot: LotRow,
    pub(super) report: &'a dyn Fn(HaulEvent),
    pub(super) stop: &'a Stop,
}

impl Work<'_> {
    /// Goes on to the next stage: the journal has it, durably, when this returns.
    pub(super) fn set_stage(&mut self, next: Stage) -> Result<(), HaulError> {
        let next = self.lot.stage.clone().to(next)?;
        self.journal.set_stage(self.lot.id, &next)?;
        self.lot.stage = next;
        self.tell_stage();
        Ok(())
    }

    pub(super) fn tell_stage(&self) {
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
    pub(super) fn abilities(&self) -> Abilities {
        let drive = self.site.find_drive(&self.lot.planned.to_drive);
        drive.map_or_else(Abilities::all, |drive| drive.abilities.clone())
    }

    /// A name that only this lot of this state folder uses.
    pub(super) fn own_name(&self, what: &str) -> String {
        let whose = blake3::hash(self.site.state_folder().as_os_str().as_encoded_bytes()).to_hex();
        format!(".deft-barge-{what}-{}-{}", self.lot.id.0, &whose[..8])
    }

    pub(super) fn make_folder(&self, path: &Path) -> Result<(), HaulError> {
        self.site.disk.make_folder(path).map_err(HaulError::disk("make", path))
    }

    /// Makes the missing folders on the way, each durable before the next.
    pub(super) fn make_way(&self, path: &Path) -> Result<(), HaulError> {
        let missing: Vec<&Path> = path.ancestors().take_while(|folder| !folder.is_dir()).collect();
        for folder in missing.into_iter().rev() {
            self.make_folder(folder)?;
            let parent = folder.parent().unwrap_or(Path::new("/"));
            self.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
        }
        Ok(())
    }

    /// Finds the first line of a copy at `root` that is not there as it was when it was compared, and how many there are.
    pub(super) fn not_as_seen(&self, root: &Path, tally: &[TallyEntry]) -> Option<(PathBuf, u64)> {
        let steady = self.abilities().steady_inodes;
        let is_there = |line: &TallyEntry| {
            let Ok(meta) = line.entry.path.under(root).symlink_metadata() else { return false };
            // A folder's time changes with every name that comes and goes in it.
            if line.entry.kind == EntryKind::Folder {
                return meta.is_dir();
            }
            let there = line
                .there
                .is_some_and(|there| stamp_of(&meta) == there.modified_ns && (!steady || meta.ino() == there.inode));
            there && (line.entry.kind != EntryKind::File || (meta.is_file() && meta.len() == line.entry.size))
        };
        let mut missing = tally.iter().filter(|line| !is_there(line)).map(|line| line.entry.path.under(root));
        let first = missing.next()?;
        Some((first, missing.count() as u64 + 1))
    }

    pub(super) fn content_list(&self) -> Result<Option<ContentList>, HaulError> {
        contents_of(self.site, &self.lot.planned.game, &self.lot.planned.to)
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

/// A haul that is under way. After an error that leaves a write in doubt it goes on only when opened anew.
#[derive(Debug)]
pub struct Haul<'a> {
    site: &'a Site,
    journal: &'a Journal,
    id: HaulId,
    policy: Policy,
    in_doubt: bool,
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
        if let Some(other) = journal.hauls()?.into_iter().find(super::history::HaulRow::unfinished) {
            return Err(HaulError::Unfinished(other.id));
        }
        let lots: Vec<(PlannedLot, Option<LotId>)> = plan.lots.iter().map(|lot| (lot.clone(), None)).collect();
        let id = journal.begin(&lots, plan.policy, None)?;
        Self::of(site, journal, id)
    }

    /// Takes up a haul that the journal knows.
    pub fn of(site: &'a Site, journal: &'a Journal, id: HaulId) -> Result<Self, HaulError> {
        let row = journal.haul(id)?.ok_or_else(|| HaulError::Nothing(format!("there is no haul {id}")))?;
        Ok(Self { site, journal, id, policy: row.policy, in_doubt: false })
    }

    /// Its number.
    pub fn id(&self) -> HaulId {
        self.id
    }

    /// Goes on with every lot until all are proved, and released where that is the policy.
    ///
    /// A lot whose originals cannot be read or do not keep still is left where it stands, and the others go on.
    ///
    /// # Errors
    /// The first error. Originals and records are whole; [`Haul::of`] and this again go on.
    pub fn run(&mut self, report: &dyn Fn(HaulEvent), stop: &Stop) -> Result<HaulEnd, HaulError> {
        if self.in_doubt {
            return Err(HaulError::NeedsRecovery);
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        let mut first = None;
        for lot in row.lots {
            let mut work = Work { site: self.site, journal: self.journal, lot, report, stop };
            let Err(error) = run_lot(&mut work, self.policy) else { continue };
            let (id, title) = (work.lot.id, work.lot.planned.title.clone());
            let spares = error.spares_other_lots();
            let why = error.to_string();
            if !matches!(error, HaulError::Paused) {
                self.journal.set_error(id, &why)?;
                self.journal.say(self.id, Some(id), "failed", &format!("{title}: {why}"))?;
                report(HaulEvent::Failed { lot: id, title, why });
            }
            self.in_doubt = matches!(error, HaulError::Disk { .. } | HaulError::Full { .. } | HaulError::Journal(_));
            first = first.or(Some(error));
            if !spares {
                break;
            }
        }
        if let Some(error) = first {
            return Err(error);
        }
        let row = self.journal.haul(self.id)?.ok_or(HaulError::NeedsRecovery)?;
        Ok(HaulEnd { lots: row.lots })
    }
}

/// Takes one lot from where it stands to rest.
fn run_lot(work: &mut Work<'_>, policy: Policy) -> Result<(), HaulError> {
    // Nothing is begun beside a running launcher; once begun, only the repoint has to wait for it.
    if work.lot.stage == Stage::Planned {
        let mut findings = quiet(work.site, std::slice::from_ref(&work.lot.planned));
        findings.retain(|finding| finding.weight == Weight::Stop);
        if !findings.is_empty() {
            return Err(HaulError::Refused(findings));
        }
    }
    loop {
        if work.stop.asked() && !work.lot.stage.at_rest() {
            return Err(HaulError::Paused);
        }
        match (work.lot.stage.clone(), work.lot.planned.mode) {
            (Stage::Planned, Mode::TakeBack) => take_up(work)?,
            (Stage::Planned, Mode::Rename) => link(work)?,
            (Stage::Planned, Mode::Records) => {
                work.make_way(&work.lot.planned.to.clone())?;
                work.set_stage(Stage::Placed)?;
            }
            (Stage::Planned, Mode::Copy) | (Stage::Copying { .. }, _) => copy_lot(work)?,
            (Stage::Compared { staging }, _) => place(work, &staging)?,
            (Stage::Renaming, _) => rename(work)?,
            (Stage::Linked, _) => {
                link(work)?;
                if work.lot.stage == Stage::Linked {
                    repoint(work)?;
                }
            }
            (Stage::Placed, _) => {
                both_are_the_same(work)?;
                repoint(work)?;
            }
            (Stage::Repointing, _) => finish(work)?,
            (Stage::Repointed, _) => prove(work)?,
            (Stage::Proved { holds: true }, _) if policy == Policy::Release => {
                release_lot(work)?;
            }
            (Stage::Releasing, _) => {
                release_lot(work)?;
            }
            (Stage::GivingUp { .. }, _) => give_up(work)?,
            (Stage::Proved { .. } | Stage::Released { .. } | Stage::GivenUp | Stage::Returned, _) => {
                return settle_returned(work);
            }
        }
    }
}

/// A copy may have stood at its place for long before its records were changed: originals and copy are looked at once more.
fn both_are_the_same(work: &Work<'_>) -> Result<(), HaulError> {
    let planned = &work.lot.planned;
    if matches!(planned.mode, Mode::Rename | Mode::Records) {
        return Ok(());
    }
    let tally = work.journal.tally(work.lot.id)?;
    if let Some((path, count)) = work.not_as_seen(&planned.to, &tally) {
        return Err(HaulError::Changed { path, count });
    }
    if planned.mode == Mode::TakeBack {
        return Ok(());
    }
    let fresh = scan(&planned.from, &tally, work.abilities().hard_links)?;
    match fresh.changed.first().or(fresh.gone.first()) {
        None => Ok(()),
        Some(line) => Err(HaulError::SourceChanged { path: line.entry.path.under(&planned.from) }),
    }
}

fn prove(work: &mut Work<'_>) -> Result<(), HaulError> {
    let planned = work.lot.planned.clone();
    if planned.mode == Mode::Rename {
        swap(work)?;
    }
    if planned.mode == Mode::Records {
        let stands = edits_stand(&planned);
        return proved(work, Proof { install: planned.to, read: true, records_lead_here: stands, ..Proof::default() });
    }
    let tally = work.journal.tally(work.lot.id)?;
    let contents = work.content_list()?;
    let rewritten = rewritten_in(work.journal, &work.lot)?;
    let subject = Subject {
        rewritten: &rewritten,
        lot: work.lot.id,
        title: &planned.title,
        install: &planned.to,
        tally: &tally,
        contents: contents.as_ref(),
    };
    let mut proof = look(&work.site.disk, &subject, Depth::Seen, work.report, work.stop)?;
    add_lot_records(work.site, &planned, &mut proof);
    proved(work, proof)
}

fn proved(work: &mut Work<'_>, proof: Proof) -> Result<(), HaulError> {
    let title = work.lot.planned.title.clone();
    let next = work.lot.stage.clone().to(Stage::Proved { holds: proof.holds() })?;
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

/// Once a lot that takes another back is at its end, that other one is returned.
fn settle_returned(work: &mut Work<'_>) -> Result<(), HaulError> {
    let Some(old) = work.lot.takes_back else { return Ok(()) };
    if !work.lot.stage.is_repointed() {
        return Ok(());
    }
    let hauls = work.journal.hauls()?;
    let row = hauls.iter().flat_map(|haul| &haul.lots).find(|lot| lot.id == old);
    if let Some(row) = row
        && row.stage != Stage::Returned
    {
        let next = row.stage.clone().to(Stage::Returned)?;
        work.journal.set_stage(old, &next)?;
        work.journal.say(work.lot.haul, Some(work.lot.id), "returned", &row.planned.title)?;
    }
    forget_way(work, &work.lot.planned.clone());
    Ok(())
}
