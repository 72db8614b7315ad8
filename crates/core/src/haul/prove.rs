//! The proof: what is the same, what differs, and what the launcher would download.
//!
//! Law: the launcher's own content list decides what would be downloaded, and its own records where
//! it would look. A file is taken as read only if it was read and its size, time and inode are as they were then.

use std::collections::{BTreeMap, HashSet};
use std::fs::Metadata;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

use crossbeam_channel::Sender;
use serde::{Deserialize, Serialize};

use super::crew::crew;
use super::error::HaulError;
use super::event::{HaulEvent, Pace, Progress, Stop};
use super::history::{LotRow, TallyEntry};
use super::journal::Journal;
use super::repoint::{Rewritten, is_rewritten, rewritten_in};
use super::stage::Stage;
use crate::bytes::{Bytes, LotId};
use crate::disk::Disk;
use crate::launcher::{ContentItem, ContentList, Digest, DigestKind, FoundGame, load_profiles, read_launchers};
use crate::plan::{Mode, PlannedLot};
use crate::record::{Files, Mood, Values};
use crate::site::Site;
use crate::survey::GameId;
use crate::tally::{BLOCK, BlockHash, EntryKind, block_hash, block_span, stamp_of, walk};
use crate::trace::TRACED;

/// How a file is not what it should be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DifferenceKind {
    /// It is there and is not the same as its original.
    Differs,
    /// It is not there.
    Missing,
    /// It is there and was not among the originals.
    Extra,
    /// It is not what the launcher's content list wants.
    WouldDownload,
}

/// A file that is not what it should be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Difference {
    /// Its path below the install folder.
    pub path: String,
    /// How.
    pub kind: DifferenceKind,
    /// First byte of the first block that differs, where that is known.
    pub from: Option<u64>,
}

/// What a proof found. The four counts that must be zero: differ, missing, extra, to download.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proof {
    /// Where it looked.
    pub install: PathBuf,
    /// Files looked at.
    pub files: u64,
    /// Their bytes.
    pub bytes: Bytes,
    /// Files that differ from their originals.
    pub differ: u64,
    /// Files that are not their originals any more, but just what the launcher's list wants: it has updated them.
    pub updated: u64,
    /// Files that are not there.
    pub missing: u64,
    /// Files that were not among the originals.
    pub extra: u64,
    /// Bytes that the launcher would download; `None` if it has no list to tell by.
    pub to_download: Option<Bytes>,
    /// Whether every byte was read back; a rename is proved by names and sizes.
    pub read: bool,
    /// Whether the launcher's records lead here, every one of them.
    pub records_lead_here: bool,
    /// Whether the program that the launcher starts is there; `None` if it names none.
    pub program: Option<bool>,
    /// The first hundred differences.
    pub differences: Vec<Difference>,
}

impl Proof {
    /// Whether nothing is missing or different and nothing would be downloaded.
    ///
    /// Extra files do not count: a game writes files of its own.
    pub fn holds(&self) -> bool {
        self.differ == 0
            && self.missing == 0
            && self.to_download.is_none_or(|bytes| bytes == Bytes::ZERO)
            && self.records_lead_here
            && self.program != Some(false)
    }

    fn note(&mut self, path: &Path, kind: DifferenceKind, from: Option<u64>) {
        match kind {
            DifferenceKind::Differs => self.differ += 1,
            DifferenceKind::Missing => self.missing += 1,
            DifferenceKind::Extra => self.extra += 1,
            DifferenceKind::WouldDownload => {}
        }
        if self.differences.len() < 100 {
            let path = path.to_string_lossy().into_owned();
            self.differences.push(Difference { path, kind, from });
        }
    }
}

/// How closely a proof looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Depth {
    /// Names, sizes, times and inodes, against what was read when the copy was compared.
    Seen,
    /// Every byte.
    Read,
}

/// What to prove.
pub(super) struct Subject<'a> {
    pub(super) lot: LotId,
    pub(super) title: &'a str,
    pub(super) install: &'a Path,
    pub(super) tally: &'a [TallyEntry],
    pub(super) contents: Option<&'a ContentList>,
    /// Files that the repoint rewrote in this copy.
    pub(super) rewritten: &'a Rewritten,
}

struct Job<'a> {
    path: PathBuf,
    line: Option<&'a TallyEntry>,
    item: Option<(&'a ContentItem, DigestKind)>,
}

struct Checked {
    path: PathBuf,
    size: u64,
    fault: Option<(DifferenceKind, Option<u64>)>,
    updated: bool,
    download: u64,
}

enum Heard {
    Bytes(PathBuf, u64),
    Checked(Checked),
    Failed(HaulError),
}

/// Looks at the files of a game: against its tally where there is one, and against its content list.
pub(super) fn look(
    disk: &Disk,
    subject: &Subject<'_>,
    depth: Depth,
    report: &dyn Fn(HaulEvent),
    stop: &Stop,
) -> Result<Proof, HaulError> {
    let mut jobs: BTreeMap<&Path, Job<'_>> = BTreeMap::new();
    let mut proof = Proof { install: subject.install.into(), read: depth == Depth::Read, ..Proof::default() };
    for line in subject.tally {
        let path = line.entry.path.as_path();
        if line.entry.kind == EntryKind::File {
            jobs.insert(path, Job { path: path.into(), line: Some(line), item: None });
        } else if let Some(kind) = shape_fault(line, &line.entry.path.under(subject.install)) {
            proof.note(path, kind, None);
        }
    }
    // What is a further name of a file in the tally stands in the content list as a file of its own.
    for item in subject.contents.iter().flat_map(|list| &list.items) {
        let kind = subject.contents.map_or(DigestKind::Sha1, |list| list.kind);
        let job = jobs.entry(&item.path).or_insert_with(|| Job { path: item.path.clone(), line: None, item: None });
        job.item = Some((item, kind));
    }
    proof.read |= !subject.tally.is_empty() && subject.tally.iter().all(|line| line.compared);
    if !subject.tally.is_empty() {
        extras(subject, &mut proof);
    }
    let jobs: Vec<Job<'_>> = jobs.into_values().collect();
    let all = jobs
        .iter()
        .map(|job| job.line.map_or(0, |l| l.entry.size).max(job.item.map_or(0, |(item, _)| item.size)))
        .sum();
    let mut listening = Listening::new(subject, all, jobs.len() as u64);
    let mut download = 0;
    let mut failed = None;
    crew(
        &jobs,
        |job, tell| match check(disk, subject, job, depth, stop, tell) {
            Ok(checked) => tell.send(Heard::Checked(checked)).is_ok(),
            Err(error) => {
                let _ = tell.send(Heard::Failed(error));
                false
            }
        },
        |heard| {
            match heard {
                Some(Heard::Bytes(path, bytes)) => listening.add(path, bytes),
                Some(Heard::Checked(checked)) => {
                    proof.files += 1;
                    proof.bytes = proof.bytes.plus(Bytes::new(checked.size));
                    download += checked.download;
                    proof.updated += u64::from(checked.updated);
                    listening.progress.files += 1;
                    if let Some((kind, from)) = checked.fault {
                        proof.note(&checked.path, kind, from);
                    } else if checked.download > 0 {
                        proof.note(&checked.path, DifferenceKind::WouldDownload, None);
                    }
                }
                Some(Heard::Failed(error)) => failed = Some(error),
                None => {}
            }
            listening.report(report);
            failed.is_none() && !stop.asked()
        },
    );
    if let Some(error) = failed {
        return Err(error);
    }
    if stop.asked() {
        return Err(HaulError::Paused);
    }
    proof.to_download = subject.contents.map(|_| Bytes::new(download));
    proof.differences.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(proof)
}

struct Listening {
    pace: Pace,
    progress: Progress,
}

impl Listening {
    fn new(subject: &Subject<'_>, all: u64, files_all: u64) -> Self {
        let progress = Progress::begun(subject.lot, subject.title, all, files_all);
        Self { pace: Pace::patient(), progress }
    }

    fn add(&mut self, path: PathBuf, bytes: u64) {
        self.progress.file = path;
        self.progress.compare.done = self.progress.compare.done.plus(Bytes::new(bytes));
    }

    fn report(&mut self, report: &dyn Fn(HaulEvent)) {
        if self.pace.due() && self.progress.compare.all > Bytes::ZERO {
            let (done, all) = (self.progress.compare.done.count(), self.progress.compare.all.count());
            self.progress.rate = self.pace.rate(done);
            self.progress.left = self.pace.left(done, all);
            report(HaulEvent::Progress(self.progress.clone()));
        }
    }
}

/// What is wrong with a folder, a link or a further name.
fn shape_fault(line: &TallyEntry, at: &Path) -> Option<DifferenceKind> {
    let Ok(meta) = at.symlink_metadata() else { return Some(DifferenceKind::Missing) };
    let sound = match &line.entry.kind {
        EntryKind::Folder => meta.is_dir(),
        // An absolute link may have been re-aimed; its own time says that it is the one we made.
        EntryKind::Link(_) => meta.is_symlink() && line.there.is_none_or(|there| there.modified_ns == stamp_of(&meta)),
        EntryKind::Again(_) | EntryKind::File => meta.is_file(),
    };
    (!sound).then_some(DifferenceKind::Differs)
}

fn extras(subject: &Subject<'_>, proof: &mut Proof) {
    // A folder that cannot be read has shown itself by what is missing.
    let Ok(found) = walk(subject.install) else { return };
    let known: HashSet<&Path> = subject.tally.iter().map(|line| line.entry.path.as_path()).collect();
    for entry in found.entries.iter().filter(|entry| !known.contains(entry.path.as_path())) {
        proof.note(entry.path.as_path(), DifferenceKind::Extra, None);
    }
}

fn check(
    disk: &Disk,
    subject: &Subject<'_>,
    job: &Job<'_>,
    depth: Depth,
    stop: &Stop,
    tell: &Sender<Heard>,
) -> Result<Checked, HaulError> {
    let at = subject.install.join(&job.path);
    let wants = job.item.map_or(0, |(item, _)| item.size);
    let mut checked = Checked { path: job.path.clone(), size: 0, fault: None, updated: false, download: 0 };
    let meta = match at.symlink_metadata() {
        Ok(meta) if meta.is_file() => meta,
        Ok(_) | Err(_) => {
            let there = at.symlink_metadata().is_ok();
            let kind = if there { DifferenceKind::Differs } else { DifferenceKind::Missing };
            checked.fault = job.line.map(|_| (kind, None));
            checked.download = wants;
            return Ok(checked);
        }
    };
    checked.size = meta.len();
    if is_rewritten(subject.rewritten, &job.path, &at) && job.item.is_none() {
        let _ = tell.send(Heard::Bytes(job.path.clone(), meta.len()));
        return Ok(checked);
    }
    let unchanged = job.line.is_some_and(|line| is_as_seen(line, &meta));
    let size_wrong = job.item.is_some_and(|(item, _)| item.size != meta.len());
    if depth == Depth::Seen {
        if job.line.is_some() && !unchanged {
            checked.fault = Some((DifferenceKind::Differs, None));
        }
        let known = job.line.filter(|_| unchanged).and_then(|line| line.digest.as_ref());
        let wrong = match (job.item, known) {
            (Some((item, _)), Some(digest)) => *digest != item.hash,
            (Some((item, kind)), None) if job.line.is_some() => !has_digest(disk, &at, kind, &item.hash)?,
            _ => false,
        };
        checked.download = if wrong || size_wrong { wants } else { 0 };
        return Ok(checked);
    }
    let reading = read_through(disk, &at, job, meta.len(), stop, tell)?;
    let is_wanted = job.item.is_some() && !size_wrong && !reading.digest_wrong;
    let longer_or_shorter = job.line.is_some_and(|line| line.entry.size != meta.len());
    if longer_or_shorter || reading.differs.is_some() {
        // A newer file that is just what the launcher's list wants was put there by its launcher.
        checked.updated = is_wanted;
        checked.fault = (!is_wanted).then_some((DifferenceKind::Differs, reading.differs));
    }
    if job.item.is_some() && !is_wanted {
        checked.download = wants;
    }
    Ok(checked)
}

struct Reading {
    differs: Option<u64>,
    digest_wrong: bool,
}

fn read_through(
    disk: &Disk,
    at: &Path,
    job: &Job<'_>,
    size: u64,
    stop: &Stop,
    tell: &Sender<Heard>,
) -> Result<Reading, HaulError> {
    let file = disk.open_read(at).map_err(HaulError::disk("open", at))?;
    // What the cache holds says nothing about the drive.
    disk.forget(&file);
    let mut digest = job.item.map(|(_, kind)| Digest::new(kind));
    let blocks: &[Option<BlockHash>] = job.line.map_or(&[], |line| &line.blocks);
    let mut buffer = vec![0; size.min(BLOCK) as usize];
    let mut reading = Reading { differs: None, digest_wrong: false };
    for nth in 0..crate::tally::block_count(size) {
        if stop.asked() {
            return Err(HaulError::Paused);
        }
        let (offset, length) = block_span(size, nth);
        let read = disk.read_at(&file, &mut buffer[..length], offset);
        let whole = match read {
            Ok(count) => count == length,
            // A block that cannot be read is not the same; the file's other blocks are looked at nevertheless.
            Err(_) => false,
        };
        let wanted = blocks.get(nth as usize).copied().flatten();
        let same = whole && wanted.is_none_or(|hash| block_hash(&buffer[..length], nth, size) == hash);
        if !same && reading.differs.is_none() && job.line.is_some() {
            reading.differs = Some(offset);
        }
        match &mut digest {
            Some(digest) if whole => digest.take(&buffer[..length]),
            _ => reading.digest_wrong |= !whole && job.item.is_some(),
        }
        let _ = tell.send(Heard::Bytes(job.path.clone(), length as u64));
    }
    disk.forget(&file);
    if let (Some(digest), Some((item, _))) = (digest, job.item) {
        reading.digest_wrong |= digest.end() != item.hash;
    }
    Ok(reading)
}

/// Whether a file has the hash that a content list wants.
pub(super) fn has_digest(disk: &Disk, at: &Path, kind: DigestKind, hash: &[u8]) -> Result<bool, HaulError> {
    let file = disk.open_read(at).map_err(HaulError::disk("open", at))?;
    let mut digest = Digest::new(kind);
    let mut buffer = vec![0; BLOCK as usize];
    let mut offset = 0;
    loop {
        let count = disk.read_at(&file, &mut buffer, offset).map_err(HaulError::disk("read", at))?;
        digest.take(&buffer[..count]);
        offset += count as u64;
        if count < buffer.len() {
            return Ok(digest.end() == hash);
        }
    }
}

/// Whether a copy is what it was when it was compared.
pub(super) fn is_as_seen(line: &TallyEntry, meta: &Metadata) -> bool {
    line.there.is_some_and(|there| meta.ino() == there.inode && stamp_of(meta) == there.modified_ns)
        && (line.entry.kind != EntryKind::File || meta.len() == line.entry.size)
}

/// Reads anew what the launcher has written down about a game.
pub(super) fn what_records_say(site: &Site, game: &GameId) -> Option<FoundGame> {
    let (profiles, _) = load_profiles(&site.profile_folder());
    let (launcher, id) = game.0.split_once('/')?;
    let profiles: Vec<_> = profiles.into_iter().filter(|profile| profile.id == launcher).collect();
    read_launchers(site, &profiles).into_iter().flat_map(|found| found.games).find(|found| found.id == id)
}

/// Reads the content list of a game, as its launcher has it now.
pub(super) fn contents_of(site: &Site, game: &GameId, install: &Path) -> Result<Option<ContentList>, HaulError> {
    let (profiles, _) = load_profiles(&site.profile_folder());
    let Some((launcher, id)) = game.0.split_once('/') else { return Ok(None) };
    let profiles: Vec<_> = profiles.into_iter().filter(|profile| profile.id == launcher).collect();
    let Some(found) = read_launchers(site, &profiles).pop() else { return Ok(None) };
    let library = install.parent().unwrap_or(Path::new("/")).to_string_lossy().into_owned();
    let values: Values = found.values(site).with("id", id).with("library", library);
    Ok(ContentList::read(&found.profile, &values)?)
}

/// Whether what a repoint wrote is still what the records say: the only sign where no profile can be asked.
pub(super) fn edits_stand(planned: &PlannedLot) -> bool {
    let mut files = Files::default();
    files.make(&planned.edits, Mood::Again).is_ok() && files.changes().is_empty()
}

/// Whether the records of a lot lead to its new place.
pub(super) fn leads_there(site: &Site, planned: &PlannedLot) -> bool {
    if is_traced(&planned.game) || planned.mode == Mode::Records {
        return edits_stand(planned);
    }
    what_records_say(site, &planned.game).is_some_and(|game| game.install == planned.to)
}

/// Adds to the proof of a lot what the records say.
pub(super) fn add_lot_records(site: &Site, planned: &PlannedLot, proof: &mut Proof) {
    if is_traced(&planned.game) {
        proof.records_lead_here = edits_stand(planned);
    } else {
        add_records(site, &planned.game, proof);
    }
}

fn is_traced(game: &GameId) -> bool {
    game.0.starts_with(&format!("{TRACED}/"))
}

/// Adds to a proof what the records say.
fn add_records(site: &Site, game: &GameId, proof: &mut Proof) {
    let says = what_records_say(site, game);
    proof.records_lead_here = says.as_ref().is_some_and(|game| {
        game.install == proof.install && game.fault.is_none() && game.records.iter().all(|record| record.sound)
    });
    proof.program = says.and_then(|game| game.program).map(|program| proof.install.join(program).is_file());
}

/// Proves a lot again by reading every byte: against its tally and its launcher's content list.
fn prove_lot(
    site: &Site,
    journal: &Journal,
    lot: &LotRow,
    report: &dyn Fn(HaulEvent),
    stop: &Stop,
) -> Result<Proof, HaulError> {
    let planned = &lot.planned;
    if planned.mode == Mode::Records {
        let stands = edits_stand(planned);
        return Ok(Proof { install: planned.to.clone(), read: true, records_lead_here: stands, ..Proof::default() });
    }
    let tally = journal.tally(lot.id)?;
    let contents = contents_of(site, &planned.game, &planned.to)?;
    let rewritten = rewritten_in(journal, lot)?;
    let subject = Subject {
        rewritten: &rewritten,
        lot: lot.id,
        title: &planned.title,
        install: &planned.to,
        tally: &tally,
        contents: contents.as_ref(),
    };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_lot_records(site, planned, &mut proof);
    // A proof that did not hold may hold now, once the launcher has mended its game; a later one never takes a proof back.
    if matches!(lot.stage, Stage::Proved { .. }) && proof.holds() {
        journal.set_proof(lot.id, &proof, &Stage::Proved { holds: true })?;
    }
    Ok(proof)
}

/// Proves every lot of a haul that is at its new place, by reading every byte.
pub fn prove_haul(
    site: &Site,
    journal: &Journal,
    lots: &[LotRow],
    report: &dyn Fn(HaulEvent),
    stop: &Stop,
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
    stop: &Stop,
) -> Result<Proof, HaulError> {
    let hauls = journal.hauls()?;
    let mut lots = hauls.iter().flat_map(|haul| &haul.lots).filter(|lot| lot.planned.game == *game);
    let brought = lots.find(|lot| lot.stage.is_repointed() && lot.planned.to == found.install);
    if let Some(lot) = brought {
        return prove_lot(site, journal, lot, report, stop);
    }
    let contents = contents_of(site, game, &found.install)?;
    let (lot, title) = (LotId(0), found.title.as_str());
    let rewritten = Rewritten::new();
    let subject =
        Subject { lot, title, install: &found.install, tally: &[], contents: contents.as_ref(), rewritten: &rewritten };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_records(site, game, &mut proof);
    Ok(proof)
}
