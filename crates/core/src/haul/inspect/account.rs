//! Taking account of a game's files for a proof: against the checksums of the item that brought them, and against the
//! launcher's content list.
//!
//! Law: a file is taken as read only if it was read and its size, time and inode are as they were then. Neither checksums nor
//! walk is kept in memory. Start at [`look`].

use crate::bytes::index;
use crate::platform;
use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use crossbeam_channel::Sender;

use super::launcher::has_digest;
use super::merge::{Joined, LinkHandling, is_as_it_was, merge_join};
use super::readers::crew;
use super::rewritten::{Rewritten, is_rewritten};
use crate::bytes::{Bytes, ItemId};
use crate::checksums::{BLOCK, BlockHash, Entry, EntryKind, ItemPath, block_count, block_hash, block_span};
use crate::disk::{Buffer, Disk, attributes_of};
use crate::haul::{Control, HaulError, HaulEvent};
use crate::item::{DifferenceKind, DifferingBlocks, Progress, Proof, RateMeter};
use crate::journal::{Attribute, FileEntry, Journal};
use crate::launcher::{ContentList, Digest, DigestKind, ListedFile};
use crate::platform::Abilities;

/// How closely a proof looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// Names, sizes and times, against what was read when the copy was compared; what does not look the same is read.
    Seen,
    /// Every byte.
    Read,
}

/// What to prove. An item without checksums are proved by its content list alone.
pub(crate) struct ProofSubject<'a> {
    pub(crate) journal: &'a Journal,
    pub(crate) item: ItemId,
    pub(crate) title: &'a str,
    pub(crate) install: &'a Path,
    pub(crate) contents: Option<&'a ContentList>,
    /// Files that the repoint rewrote in this copy.
    pub(crate) rewritten: &'a Rewritten,
    /// What is looked at as a file of its own.
    pub(crate) apart: LinkHandling,
    /// What the file system there can hold.
    pub(crate) abilities: Abilities,
    /// Whether permissions, owners and attributes have to be the same as well.
    pub(crate) beside: bool,
}

/// A file that has to be read.
struct ReadJob<'a> {
    path: PathBuf,
    /// Its bytes now.
    size: u64,
    line: Option<FileEntry>,
    listed: Option<&'a ListedFile>,
    /// Whether it is just as it was when it was compared with its original.
    as_before: bool,
    /// Whether its permissions, owner or attributes are not the original's.
    other: bool,
}

struct Checked {
    path: PathBuf,
    size: u64,
    fault: Option<(DifferenceKind, DifferingBlocks)>,
    updated: bool,
    download: u64,
    /// Whether its bytes are the original's, so that what its launcher misses in it was missed before.
    as_before: bool,
}

impl Checked {
    fn nothing(path: &Path) -> Self {
        Self { path: path.into(), size: 0, fault: None, updated: false, download: 0, as_before: false }
    }
}

enum Heard {
    Bytes(PathBuf, u64),
    Checked(Checked),
    Failed(HaulError),
}

/// The entries of a content list by their path, and which of them were met.
struct WantedFile<'a> {
    listed_files: HashMap<&'a Path, (usize, &'a ListedFile)>,
    met: Vec<bool>,
}

impl<'a> WantedFile<'a> {
    fn of(list: Option<&'a ContentList>) -> Self {
        let listed_files = list.map_or(&[][..], |list| &list.listed_files);
        Self {
            listed_files: listed_files
                .iter()
                .enumerate()
                .map(|(n, listed)| (listed.path.as_path(), (n, listed)))
                .collect(),
            met: vec![false; listed_files.len()],
        }
    }

    fn find_listed(&mut self, path: &Path) -> Option<&'a ListedFile> {
        let (n, listed) = *self.listed_files.get(path)?;
        if let Some(met) = self.met.get_mut(n) {
            *met = true;
        }
        Some(listed)
    }

    fn rest(&self, list: Option<&'a ContentList>) -> Vec<&'a ListedFile> {
        let listed_files = list.map_or(&[][..], |list| &list.listed_files);
        listed_files.iter().zip(&self.met).filter(|(_, met)| !**met).map(|(listed, _)| listed).collect()
    }
}

/// Looks at the files of a game: against its checksums where there is one, and against its content list.
pub(crate) fn look(
    disk: &Disk,
    subject: &ProofSubject<'_>,
    depth: Depth,
    report: &dyn Fn(HaulEvent),
    stop: &Control,
) -> Result<Proof, HaulError> {
    let sums = subject.journal.sums(subject.item)?;
    let listed: u64 =
        subject.contents.iter().flat_map(|list| &list.listed_files).filter_map(|listed| listed.size).sum();
    let listed_files = subject.contents.map_or(0, |list| list.listed_files.len()) as u64;
    let mut listening = Listening::new(subject, sums.bytes.max(listed), sums.files.max(listed_files));
    let account = Account {
        disk,
        subject,
        depth,
        stop,
        proof: RefCell::new(Proof { install: subject.install.into(), read: depth == Depth::Read, ..Proof::default() }),
        wanted: RefCell::new(WantedFile::of(subject.contents)),
        download: Cell::new(0),
        before: Cell::new(0),
        read_before: Cell::new(sums.lines > 0),
    };
    let mut failed = None;
    crew(
        |give| account.walk(sums.lines > 0, give),
        |job, tell| match check(disk, subject, &job, depth, stop, tell) {
            Ok(result) => tell.send(Heard::Checked(result)).is_ok(),
            Err(error) => {
                #[expect(
                    clippy::let_underscore_must_use,
                    reason = "who has stopped listening has heard of another failure"
                )]
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
    proof.before = Bytes::new(account.before.get());
    proof.differences.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(proof)
}

/// A proof that is being made, on the caller's thread.
struct Account<'a> {
    disk: &'a Disk,
    subject: &'a ProofSubject<'a>,
    depth: Depth,
    stop: &'a Control,
    proof: RefCell<Proof>,
    wanted: RefCell<WantedFile<'a>>,
    download: Cell<u64>,
    /// Bytes of that which its launcher would have downloaded before the haul as well.
    before: Cell<u64>,
    /// Whether every line was read back when it was copied.
    read_before: Cell<bool>,
}

type Give<'g, 'a> = &'g mut dyn FnMut(ReadJob<'a>) -> bool;

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
        if checked.as_before && checked.fault.is_none() {
            self.before.set(self.before.get() + checked.download);
        }
        if let Some((kind, blocks)) = checked.fault {
            proof.note(&checked.path, kind, blocks);
        } else if checked.download > 0 {
            proof.note(&checked.path, DifferenceKind::WouldDownload, DifferingBlocks::default());
        }
    }

    fn note(&self, path: &ItemPath, kind: DifferenceKind) {
        self.proof.borrow_mut().note(path.as_path(), kind, DifferingBlocks::default());
    }

    /// Walks the game beside its checksums, and then what else the content list wants; gives what has to be read.
    fn walk(&self, has_checksums: bool, give: Give<'_, 'a>) -> Result<(), HaulError> {
        let ProofSubject { journal, item, install, contents, .. } = *self.subject;
        if has_checksums && install.is_dir() {
            // A second name of a file is looked at as a file of its own.
            merge_join(self.disk, journal, item, install, self.subject.apart, &mut |met| {
                self.may_go_on()?;
                self.met(met, give);
                Ok(())
            })?;
        } else if has_checksums {
            for line in journal.lines(item) {
                self.met(Joined::Gone(line?), give);
            }
        }
        // What is a further name of a file in the checksums stands in the content list as a file of its own.
        let rest = self.wanted.borrow().rest(contents);
        for listed in rest {
            self.may_go_on()?;
            // The originals did not have it either.
            let mut checked = Checked { as_before: has_checksums, ..Checked::nothing(&listed.path) };
            let again = has_checksums
                && ItemPath::new(&listed.path).map(|path| journal.line(item, &path)).transpose()?.flatten().is_some();
            match platform::look_itself(install.join(&listed.path)) {
                Ok(meta) if meta.is_file() && self.depth == Depth::Read => {
                    let (path, size) = (listed.path.clone(), meta.size);
                    give(ReadJob { path, line: None, listed: Some(listed), size, as_before: again, other: false });
                    continue;
                }
                Ok(meta) if meta.is_file() => {
                    checked.size = meta.size;
                    checked.as_before = again;
                    checked.download = if listed.may_have(meta.size) { 0 } else { listed.bytes(None) };
                }
                Ok(_) | Err(_) => checked.download = listed.bytes(None),
            }
            self.take(checked);
        }
        Ok(())
    }

    /// Whether permissions, owner or attributes are not the original's, where this file system can hold them.
    fn is_other_beside(&self, line: &FileEntry, entry: &Entry) -> bool {
        let ProofSubject { abilities, beside, install, .. } = self.subject;
        // A further name is the same file.
        if !beside || matches!(line.entry.kind, EntryKind::Again(_)) {
            return false;
        }
        let root = crate::platform::is_root();
        // A link has nothing beside where it leads but its owner.
        if matches!(line.entry.kind, EntryKind::Link(_)) {
            return abilities.permissions && root && line.entry.owner != entry.owner;
        }
        if line.unkept.is_some() {
            return true;
        }
        // Who is not root may be refused the special bits of somebody else's file.
        let bits = if root { 0o7777 } else { 0o777 };
        let mode = abilities.permissions && (line.entry.mode ^ entry.mode) & bits != 0;
        let owner = abilities.permissions && root && line.entry.owner != entry.owner;
        mode || owner
            || self.depth == Depth::Read
                && abilities.attributes
                // Nothing is known of the attributes that a journal of an older version has no room for.
                && line.entry.changed_ns.is_some()
                && attributes_of(&line.entry.path.under(install)).is_ok_and(|now| !same_attributes(&line.attributes, now))
    }

    /// Takes a folder or a link into account.
    fn met_no_file(&self, line: &FileEntry, entry: Option<Entry>) {
        match entry {
            None => self.note(&line.entry.path, DifferenceKind::Missing),
            Some(entry) if is_other_shape(line, &entry) => self.note(&line.entry.path, DifferenceKind::Differs),
            Some(entry) if self.is_other_beside(line, &entry) => {
                self.note(&line.entry.path, DifferenceKind::Beside);
            }
            Some(_) => {}
        }
    }

    fn met(&self, met: Joined, give: Give<'_, 'a>) {
        let (line, entry) = match met {
            Joined::New(entry) => return self.note(&entry.path, DifferenceKind::Extra),
            Joined::Other(path) => return self.note(&path, DifferenceKind::Extra),
            Joined::Gone(line) => (line, None),
            Joined::Both(line, entry) => (line, Some(entry)),
        };
        self.read_before.set(self.read_before.get() && line.compared);
        if line.entry.kind != EntryKind::File {
            return self.met_no_file(&line, entry);
        }
        let path = line.entry.path.as_path();
        let listed = self.wanted.borrow_mut().find_listed(path);
        let mut checked = Checked::nothing(path);
        let Some(entry) = entry.filter(|entry| entry.kind == EntryKind::File) else {
            let there = platform::look_itself(self.subject.install.join(path)).is_ok();
            let kind = if there { DifferenceKind::Differs } else { DifferenceKind::Missing };
            checked.fault = Some((kind, DifferingBlocks::default()));
            checked.download = listed.map_or(0, |listed| listed.bytes(Some(line.entry.size)));
            return self.take(checked);
        };
        checked.size = entry.size;
        let at = self.subject.install.join(path);
        if listed.is_none() && is_rewritten(self.subject.rewritten, path, &at) {
            return self.take(checked);
        }
        // Brought back from a backup, touched, or another one: its bytes tell.
        if self.depth == Depth::Read || !is_as_it_was(&line, &entry, self.subject.abilities.steady()) {
            let other = self.is_other_beside(&line, &entry);
            give(ReadJob { path: path.into(), size: entry.size, line: Some(line), listed, as_before: false, other });
            return;
        }
        checked.as_before = true;
        if self.is_other_beside(&line, &entry) {
            checked.fault = Some((DifferenceKind::Beside, DifferingBlocks::default()));
        }
        match (listed, line.digest.as_ref()) {
            (Some(listed), Some(digest)) => {
                let is_wanted = *digest == listed.hash && listed.may_have(entry.size);
                checked.download = if is_wanted { 0 } else { listed.bytes(Some(entry.size)) };
            }
            (Some(listed), None) => {
                let (path, size) = (path.to_path_buf(), entry.size);
                give(ReadJob { path, size, line: None, listed: Some(listed), as_before: true, other: false });
                return;
            }
            (None, _) => {}
        }
        self.take(checked);
    }
}

/// Whether both are the same attributes, in whatever order.
fn same_attributes(known: &[Attribute], mut now: Vec<Attribute>) -> bool {
    let mut known = known.to_vec();
    known.sort_unstable();
    now.sort_unstable();
    known == now
}

/// What is wrong with a folder, a link or a further name.
fn is_other_shape(line: &FileEntry, entry: &Entry) -> bool {
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
    pace: RateMeter,
    progress: Progress,
}

impl Listening {
    fn new(subject: &ProofSubject<'_>, all: u64, files_all: u64) -> Self {
        let progress = Progress::begun(subject.item, subject.title, all, files_all);
        Self { pace: RateMeter::patient(), progress }
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
    subject: &ProofSubject<'_>,
    job: &ReadJob<'_>,
    depth: Depth,
    stop: &Control,
    tell: &Sender<Heard>,
) -> Result<Checked, HaulError> {
    let at = subject.install.join(&job.path);
    let kind = subject.contents.map_or(DigestKind::Sha1, |list| list.kind);
    let size_wrong = job.listed.is_some_and(|listed| !listed.may_have(job.size));
    let wants = job.listed.map_or(0, |listed| listed.bytes(Some(job.size)));
    let mut checked = Checked { size: job.size, as_before: job.as_before, ..Checked::nothing(&job.path) };
    if depth == Depth::Seen && job.line.is_none() {
        let wrong = match job.listed {
            Some(listed) => size_wrong || !has_digest(disk, &at, kind, listed)?,
            None => false,
        };
        checked.download = if wrong { wants } else { 0 };
        return Ok(checked);
    }
    // Where a copy stands instead of a link, the original is what the link leads to.
    let followed = subject.apart.links.then(|| platform::real(&at).ok()).flatten();
    let mut reading = read_through(disk, followed.as_ref().unwrap_or(&at), job, kind, stop, tell)?;
    let is_wanted = job.listed.is_some() && !size_wrong && !reading.digest_wrong;
    if let Some(line) = &job.line {
        let (here, listed) = (block_count(job.size), block_count(line.entry.size));
        (here..listed).for_each(|nth| reading.differs.add(nth));
    }
    let longer_or_shorter = job.line.as_ref().is_some_and(|line| line.entry.size != job.size);
    if longer_or_shorter || reading.differs.first().is_some() {
        // A newer file that is just what the launcher's list wants was put there by its launcher.
        checked.updated = is_wanted;
        checked.fault = (!is_wanted).then_some((DifferenceKind::Differs, reading.differs));
    } else if job.line.is_some() {
        checked.fault = job.other.then(|| (DifferenceKind::Beside, DifferingBlocks::default()));
        checked.as_before = job.line.as_ref().is_some_and(|line| line.blocks.iter().all(Option::is_some));
    }
    if job.listed.is_some() && !is_wanted {
        checked.download = wants;
    }
    Ok(checked)
}

struct ReadPass {
    differs: DifferingBlocks,
    digest_wrong: bool,
}

fn read_through(
    disk: &Disk,
    at: &Path,
    job: &ReadJob<'_>,
    kind: DigestKind,
    stop: &Control,
    tell: &Sender<Heard>,
) -> Result<ReadPass, HaulError> {
    // What the cache holds says nothing about the drive.
    let file = disk.open_back(at).map_err(HaulError::disk("open", at))?;
    let size = job.size;
    let mut digest = job.listed.map(|_| Digest::new(kind));
    let blocks: &[Option<BlockHash>] = job.line.as_ref().map_or(&[], |line| &line.blocks);
    let mut buffer = Buffer::new(size.min(BLOCK) as usize);
    let mut reading = ReadPass { differs: DifferingBlocks::default(), digest_wrong: false };
    for nth in 0..block_count(size) {
        if stop.asked() {
            return Err(HaulError::Paused);
        }
        let (offset, length) = block_span(size, nth);
        let read = disk.read_back(&file, &mut buffer, length, offset);
        // A block that cannot be read is not the same; the file's other blocks are looked at nevertheless.
        let whole = read.is_ok_and(|count| count == length);
        let bytes = &*buffer.first(length);
        let wanted = blocks.get(index(nth)).copied().flatten();
        // What a block is worth depends on how long its file was when it was read.
        let was = job.line.as_ref().map_or(size, |line| line.entry.size);
        let is = |hash: BlockHash| (length > 0 || was == 0) && block_hash(bytes, nth, was) == hash;
        let same = whole && wanted.is_none_or(is);
        if !same && job.line.is_some() {
            reading.differs.add(nth);
        }
        match &mut digest {
            Some(digest) if whole => digest.take(bytes),
            _ => reading.digest_wrong |= !whole && job.listed.is_some(),
        }
        #[expect(clippy::let_underscore_must_use, reason = "who has stopped listening has heard of a failure")]
        let _ = tell.send(Heard::Bytes(job.path.clone(), length as u64));
    }
    disk.forget(&file);
    if let (Some(digest), Some(listed)) = (digest, job.listed) {
        reading.digest_wrong |= digest.end() != listed.hash;
    }
    Ok(reading)
}
