//! The proof: what is the same, what differs, and what the launcher would download.
//!
//! Law: the launcher's own content list decides what would be downloaded, and its own records where
//! it would look. A file is taken as read only if it was read and its size, time and inode are as they were then.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use crossbeam_channel::Sender;
use serde::{Deserialize, Serialize};

use super::crew::crew;
use super::error::HaulError;
use super::event::{Control, HaulEvent, Pace, Progress};
use super::history::{LotRow, TallyEntry};
use super::journal::Journal;
use super::repoint::{Rewritten, is_rewritten, rewritten_at};
use super::scan::{Met, meet};
use super::stage::Stage;
use crate::bytes::{Bytes, LotId};
use crate::disk::{Buffer, Disk};
use crate::launcher::{ContentItem, ContentList, Digest, DigestKind, FoundGame, load_profiles, read_launchers};
use crate::plan::{Mode, PlannedLot};
use crate::record::{Files, Mood, Values};
use crate::site::Site;
use crate::survey::GameId;
use crate::tally::{BLOCK, BlockHash, Entry, EntryKind, LotPath, block_hash, block_span};
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

/// What to prove. A lot without a tally is proved by its content list alone.
pub(super) struct Subject<'a> {
    pub(super) journal: &'a Journal,
    pub(super) lot: LotId,
    pub(super) title: &'a str,
    pub(super) install: &'a Path,
    pub(super) contents: Option<&'a ContentList>,
    /// Files that the repoint rewrote in this copy.
    pub(super) rewritten: &'a Rewritten,
}

/// A file that has to be read.
struct Job<'a> {
    path: PathBuf,
    /// Its bytes now.
    size: u64,
    line: Option<TallyEntry>,
    item: Option<&'a ContentItem>,
}

struct Checked {
    path: PathBuf,
    size: u64,
    fault: Option<(DifferenceKind, Option<u64>)>,
    updated: bool,
    download: u64,
}

impl Checked {
    fn nothing(path: &Path) -> Self {
        Self { path: path.into(), size: 0, fault: None, updated: false, download: 0 }
    }
}

enum Heard {
    Bytes(PathBuf, u64),
    Checked(Checked),
    Failed(HaulError),
}

/// The entries of a content list by their path, and which of them were met.
struct Wanted<'a> {
    items: HashMap<&'a Path, (usize, &'a ContentItem)>,
    met: Vec<bool>,
}

impl<'a> Wanted<'a> {
    fn of(list: Option<&'a ContentList>) -> Self {
        let items = list.map_or(&[][..], |list| &list.items);
        Self {
            items: items.iter().enumerate().map(|(n, item)| (item.path.as_path(), (n, item))).collect(),
            met: vec![false; items.len()],
        }
    }

    fn meet(&mut self, path: &Path) -> Option<&'a ContentItem> {
        let (n, item) = *self.items.get(path)?;
        self.met[n] = true;
        Some(item)
    }

    fn rest(&self, list: Option<&'a ContentList>) -> Vec<&'a ContentItem> {
        let items = list.map_or(&[][..], |list| &list.items);
        items.iter().zip(&self.met).filter(|(_, met)| !**met).map(|(item, _)| item).collect()
    }
}

/// Looks at the files of a game: against its tally where there is one, and against its content list.
pub(super) fn look(
    disk: &Disk,
    subject: &Subject<'_>,
    depth: Depth,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let sums = subject.journal.sums(subject.lot)?;
    let listed: u64 = subject.contents.iter().flat_map(|list| &list.items).map(|item| item.size).sum();
    let items = subject.contents.map_or(0, |list| list.items.len()) as u64;
    let mut listening = Listening::new(subject, sums.bytes.max(listed), sums.files.max(items));
    let account = Account {
        disk,
        subject,
        depth,
        stop,
        proof: RefCell::new(Proof { install: subject.install.into(), read: depth == Depth::Read, ..Proof::default() }),
        wanted: RefCell::new(Wanted::of(subject.contents)),
        download: Cell::new(0),
        read_before: Cell::new(sums.lines > 0),
    };
    let mut failed = None;
    crew(
        |give| account.walk(sums.lines > 0, give),
        |job, tell| match check(disk, subject, &job, depth, stop, tell) {
            Ok(result) => tell.send(Heard::Checked(result)).is_ok(),
            Err(error) => {
                let _ = tell.send(Heard::Failed(error));
                false
            }
        },
        &mut |heard| {
            match heard {
                Some(Heard::Bytes(path, bytes)) => listening.add(path, bytes),
                Some(Heard::Checked(result)) => account.take(result),
                Some(Heard::Failed(error)) => failed = failed.take().or(Some(error)),
                None => {}
            }
            listening.progress.files = account.proof.borrow().files;
            listening.report(report);
            failed.is_none() && !stop.asked()
        },
    )?;
    if let Some(error) = failed {
        return Err(error);
    }
    account.may_go_on()?;
    let mut proof = account.proof.into_inner();
    proof.read |= account.read_before.get();
    proof.to_download = subject.contents.map(|_| Bytes::new(account.download.get()));
    proof.differences.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(proof)
}

/// A proof that is being made, on the caller's thread.
struct Account<'a> {
    disk: &'a Disk,
    subject: &'a Subject<'a>,
    depth: Depth,
    stop: &'a Control,
    proof: RefCell<Proof>,
    wanted: RefCell<Wanted<'a>>,
    download: Cell<u64>,
    /// Whether every line was read back when it was copied.
    read_before: Cell<bool>,
}

type Give<'g, 'a> = &'g mut dyn FnMut(Job<'a>) -> bool;

impl<'a> Account<'a> {
    fn may_go_on(&self) -> Result<(), HaulError> {
        if self.stop.asked() { Err(HaulError::Paused) } else { Ok(()) }
    }

    fn take(&self, checked: Checked) {
        let mut proof = self.proof.borrow_mut();
        proof.files += 1;
        proof.bytes = proof.bytes.plus(Bytes::new(checked.size));
        proof.updated += u64::from(checked.updated);
        self.download.set(self.download.get() + checked.download);
        if let Some((kind, from)) = checked.fault {
            proof.note(&checked.path, kind, from);
        } else if checked.download > 0 {
            proof.note(&checked.path, DifferenceKind::WouldDownload, None);
        }
    }

    fn note(&self, path: &LotPath, kind: DifferenceKind) {
        self.proof.borrow_mut().note(path.as_path(), kind, None);
    }

    /// Walks the game beside its tally, and then what else the content list wants; gives what has to be read.
    fn walk(&self, has_tally: bool, give: Give<'_, 'a>) -> Result<(), HaulError> {
        let Subject { journal, lot, install, contents, .. } = *self.subject;
        if has_tally && install.is_dir() {
            // A second name of a file is looked at as a file of its own.
            meet(self.disk, journal, lot, install, false, &mut |met| {
                self.may_go_on()?;
                self.met(met, give);
                Ok(())
            })?;
        } else if has_tally {
            for line in journal.lines(lot) {
                self.met(Met::Gone(line?), give);
            }
        }
        // What is a further name of a file in the tally stands in the content list as a file of its own.
        let rest = self.wanted.borrow().rest(contents);
        for item in rest {
            self.may_go_on()?;
            let mut checked = Checked::nothing(&item.path);
            match install.join(&item.path).symlink_metadata() {
                Ok(meta) if meta.is_file() && self.depth == Depth::Read => {
                    give(Job { path: item.path.clone(), line: None, item: Some(item), size: meta.len() });
                    continue;
                }
                Ok(meta) if meta.is_file() => {
                    checked.size = meta.len();
                    checked.download = if meta.len() == item.size { 0 } else { item.size };
                }
                Ok(_) | Err(_) => checked.download = item.size,
            }
            self.take(checked);
        }
        Ok(())
    }

    fn met(&self, met: Met, give: Give<'_, 'a>) {
        let (line, entry) = match met {
            Met::New(entry) => return self.note(&entry.path, DifferenceKind::Extra),
            Met::Other(path) => return self.note(&path, DifferenceKind::Extra),
            Met::Gone(line) => (line, None),
            Met::Both(line, entry) => (line, Some(entry)),
        };
        self.read_before.set(self.read_before.get() && line.compared);
        if line.entry.kind != EntryKind::File {
            match entry {
                None => self.note(&line.entry.path, DifferenceKind::Missing),
                Some(entry) if is_other_shape(&line, &entry) => self.note(&line.entry.path, DifferenceKind::Differs),
                Some(_) => {}
            }
            return;
        }
        let path = line.entry.path.as_path();
        let item = self.wanted.borrow_mut().meet(path);
        let mut checked = Checked::nothing(path);
        let Some(entry) = entry.filter(|entry| entry.kind == EntryKind::File) else {
            let there = self.subject.install.join(path).symlink_metadata().is_ok();
            let kind = if there { DifferenceKind::Differs } else { DifferenceKind::Missing };
            checked.fault = Some((kind, None));
            checked.download = item.map_or(0, |item| item.size);
            return self.take(checked);
        };
        checked.size = entry.size;
        let at = self.subject.install.join(path);
        if item.is_none() && is_rewritten(self.subject.rewritten, path, &at) {
            return self.take(checked);
        }
        if self.depth == Depth::Read {
            give(Job { path: path.into(), size: entry.size, line: Some(line), item });
            return;
        }
        let seen = line.there.is_some_and(|there| there.inode == entry.inode && there.modified_ns == entry.modified_ns)
            && entry.size == line.entry.size;
        if !seen {
            checked.fault = Some((DifferenceKind::Differs, None));
        }
        match (item, line.digest.as_ref().filter(|_| seen)) {
            (Some(item), Some(digest)) => {
                checked.download = if *digest == item.hash && entry.size == item.size { 0 } else { item.size };
            }
            (Some(item), None) => {
                give(Job { path: path.into(), size: entry.size, line: (!seen).then_some(line), item: Some(item) });
                return;
            }
            (None, _) => {}
        }
        self.take(checked);
    }
}

/// What is wrong with a folder, a link or a further name.
fn is_other_shape(line: &TallyEntry, entry: &Entry) -> bool {
    match (&line.entry.kind, &entry.kind) {
        (EntryKind::Folder, EntryKind::Folder) | (EntryKind::Again(_) | EntryKind::File, EntryKind::File) => false,
        // An absolute link may have been re-aimed; its own time says that it is the one we made.
        (EntryKind::Link(_), EntryKind::Link(_)) => {
            line.there.is_some_and(|there| there.modified_ns != entry.modified_ns)
        }
        _ => true,
    }
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
            self.progress.reckon(&mut self.pace);
            report(HaulEvent::Progress(self.progress.clone()));
        }
    }
}

/// Reads a file: against its line, against what its launcher wants, or both.
fn check(
    disk: &Disk,
    subject: &Subject<'_>,
    job: &Job<'_>,
    depth: Depth,
    stop: &Control,
    tell: &Sender<Heard>,
) -> Result<Checked, HaulError> {
    let at = subject.install.join(&job.path);
    let kind = subject.contents.map_or(DigestKind::Sha1, |list| list.kind);
    let size_wrong = job.item.is_some_and(|item| item.size != job.size);
    let wants = job.item.map_or(0, |item| item.size);
    let mut checked = Checked { size: job.size, ..Checked::nothing(&job.path) };
    if depth == Depth::Seen {
        // The line comes along where the file is not what was compared.
        checked.fault = job.line.as_ref().map(|_| (DifferenceKind::Differs, None));
        let wrong = match job.item {
            Some(item) => size_wrong || !has_digest(disk, &at, kind, &item.hash)?,
            None => false,
        };
        checked.download = if wrong { wants } else { 0 };
        return Ok(checked);
    }
    let reading = read_through(disk, &at, job, kind, stop, tell)?;
    let is_wanted = job.item.is_some() && !size_wrong && !reading.digest_wrong;
    let longer_or_shorter = job.line.as_ref().is_some_and(|line| line.entry.size != job.size);
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
    kind: DigestKind,
    stop: &Control,
    tell: &Sender<Heard>,
) -> Result<Reading, HaulError> {
    // What the cache holds says nothing about the drive.
    let file = disk.open_back(at).map_err(HaulError::disk("open", at))?;
    let size = job.size;
    let mut digest = job.item.map(|_| Digest::new(kind));
    let blocks: &[Option<BlockHash>] = job.line.as_ref().map_or(&[], |line| &line.blocks);
    let mut buffer = Buffer::new(size.min(BLOCK) as usize);
    let mut reading = Reading { differs: None, digest_wrong: false };
    for nth in 0..crate::tally::block_count(size) {
        if stop.asked() {
            return Err(HaulError::Paused);
        }
        let (offset, length) = block_span(size, nth);
        let read = disk.read_back(&file, &mut buffer, length, offset);
        // A block that cannot be read is not the same; the file's other blocks are looked at nevertheless.
        let whole = read.is_ok_and(|count| count == length);
        let bytes = &*buffer.first(length);
        let wanted = blocks.get(nth as usize).copied().flatten();
        let same = whole && wanted.is_none_or(|hash| block_hash(bytes, nth, size) == hash);
        if !same && reading.differs.is_none() && job.line.is_some() {
            reading.differs = Some(offset);
        }
        match &mut digest {
            Some(digest) if whole => digest.take(bytes),
            _ => reading.digest_wrong |= !whole && job.item.is_some(),
        }
        let _ = tell.send(Heard::Bytes(job.path.clone(), length as u64));
    }
    disk.forget(&file);
    if let (Some(digest), Some(item)) = (digest, job.item) {
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

/// Whether a game is known by a trace alone.
pub(super) fn is_traced(game: &GameId) -> bool {
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
    stop: &Control,
) -> Result<Proof, HaulError> {
    let planned = &lot.planned;
    if planned.mode == Mode::Records {
        let stands = edits_stand(planned);
        return Ok(Proof { install: planned.to.clone(), read: true, records_lead_here: stands, ..Proof::default() });
    }
    let contents = contents_of(site, &planned.game, &planned.to)?;
    let rewritten = rewritten_at(journal, &planned.game, &planned.to)?;
    let subject = Subject {
        journal,
        rewritten: &rewritten,
        lot: lot.id,
        title: &planned.title,
        install: &planned.to,
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
        Subject { journal, lot, title, install: &found.install, contents: contents.as_ref(), rewritten: &rewritten };
    let mut proof = look(&site.disk, &subject, Depth::Read, report, stop)?;
    add_records(site, game, &mut proof);
    Ok(proof)
}
