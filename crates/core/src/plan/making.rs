//! Making a plan of a draft: destinations, edits, findings.

use std::collections::HashSet;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Component, Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::draft::{Destination, Draft, Links, Load, drive_of, packs, projected};
use super::edits::{MakeLetters, Preview, Repointing, Target, Unchangeable, edits, previews};
use super::findings::{Finding, FindingKind, Limit, Weight};
use super::quiet::quiet;
use crate::bytes::Bytes;
use crate::disk::attributes_of;
use crate::launcher::{ContentList, Found};
use crate::record::{Edit, Files, Mood};
use crate::site::{Abilities, Drive, Site, real_path};
use crate::survey::{Game, GameId, Survey};
use crate::tally::{Entry, EntryKind, Found as Walked, Size, walk_each};

/// When originals are released.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Policy {
    /// They are held until a person says so.
    #[default]
    Hold,
    /// As soon as their lot is proved.
    Release,
}

/// How a lot gets to its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mode {
    /// Copied, compared, and the originals held.
    Copy,
    /// Renamed: it stays on its file system.
    Rename,
    /// The held originals are taken up again, and what was the copy is let go.
    TakeBack,
    /// Only records change.
    Records,
}

/// One lot as it would be hauled.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedLot {
    /// The game.
    pub game: GameId,
    /// Its title.
    pub title: String,
    /// Id of the launcher's profile.
    pub launcher: String,
    /// Name of the launcher.
    pub launcher_name: String,
    /// Names of the launcher's programs.
    pub processes: Vec<String>,
    /// Install folder now.
    pub from: PathBuf,
    /// Install folder afterwards.
    pub to: PathBuf,
    /// Name of the drive now.
    pub from_drive: Option<String>,
    /// Name of the drive afterwards.
    pub to_drive: String,
    /// How it gets there.
    pub mode: Mode,
    /// Its size.
    pub size: Size,
    /// Bytes that it needs on the target.
    pub need: Bytes,
    /// What becomes of its links there.
    #[serde(default)]
    pub links: Links,
    /// Edits of records, in their order.
    pub edits: Vec<Edit>,
    /// The edits as they look.
    pub previews: Vec<Preview>,
}

impl PlannedLot {
    /// The record files that the lot changes, each once.
    pub fn record_files(&self) -> Vec<&Path> {
        let mut files: Vec<&Path> = self.edits.iter().flat_map(Edit::files).collect();
        files.sort_unstable();
        files.dedup();
        files
    }
}

/// What would be done, and what stands in the way.
#[derive(Clone, Debug, Serialize)]
pub struct Plan {
    /// When it was made.
    pub made: Timestamp,
    /// Lots in the order in which they would be hauled.
    pub lots: Vec<PlannedLot>,
    /// What was found, stops first.
    pub findings: Vec<Finding>,
    /// How full each drive is, becomes, and is afterwards.
    pub loads: Vec<Load>,
    /// When originals are released.
    pub policy: Policy,
}

impl Plan {
    /// Whether something refuses it.
    pub fn stopped(&self) -> bool {
        self.findings.iter().any(|finding| finding.weight == Weight::Stop)
    }

    /// Bytes that would be moved.
    pub fn bytes(&self) -> Bytes {
        self.lots.iter().map(|lot| lot.size.on_disk).sum()
    }
}

/// Plans a draft. Reads drives and records; writes nothing.
pub fn plan(site: &Site, survey: &Survey, draft: &Draft, policy: Policy) -> Plan {
    let mut findings = Vec::new();
    let mut lots: Vec<PlannedLot> = Vec::new();
    for lot in &draft.lots {
        let Some(game) = survey.game(&lot.game) else {
            let what = format!("{} is not among the games", lot.game);
            findings.push(Finding::new(None, FindingKind::NoDestination { what }));
            continue;
        };
        let found = survey.found.iter().find(|found| found.profile.id == game.launcher);
        let Some(found) = found else { continue };
        let (letters, links) = (draft.letters, draft.links);
        let mut making = Making { site, survey, found, game, findings: &mut findings, earlier: &lots, letters, links };
        if let Some(lot) = making.lot(&lot.to) {
            lots.push(lot);
        }
    }
    let mut loads = projected(survey, draft);
    let drives: Vec<String> = loads.iter().map(|load| load.drive.clone()).collect();
    for (load, name) in loads.iter_mut().zip(drives) {
        // The draft's load knows sizes on the drive of today; the lots know what the target needs.
        let arriving = |lot: &&PlannedLot| lot.to_drive == name && lot.mode == Mode::Copy;
        let need: Bytes = lots.iter().filter(arriving).map(|lot| lot.need).sum();
        load.peak = load.peak.max(load.now.plus(need));
        if let Some(lacks) = load.lacks() {
            findings.push(Finding::new(None, FindingKind::NoRoom { drive: name, lacks, reserve: load.reserve }));
        }
    }
    findings.extend(quiet(site, &lots));
    findings.sort_by_key(|finding| finding.weight);
    findings.dedup();
    Plan { made: Timestamp::now(), lots, findings, loads, policy }
}

struct Making<'a> {
    site: &'a Site,
    survey: &'a Survey,
    found: &'a Found,
    game: &'a Game,
    findings: &'a mut Vec<Finding>,
    earlier: &'a [PlannedLot],
    letters: MakeLetters,
    links: Links,
}

impl Making<'_> {
    fn say(&mut self, kind: FindingKind) {
        self.findings.push(Finding::new(Some(&self.game.found.title), kind));
    }

    fn lot(&mut self, to: &Destination) -> Option<PlannedLot> {
        let game = &self.game.found;
        if let Some(fault) = &game.fault {
            self.say(FindingKind::BadPlace { path: game.install.clone(), fault: fault.clone() });
            return None;
        }
        let Some(drive) = drive_of(self.survey, to).and_then(|name| self.site.find_drive(&name)) else {
            let what = match to {
                Destination::Drive(name) => name.clone(),
                Destination::Library(path) => path.display().to_string(),
            };
            self.say(FindingKind::NoDestination { what });
            return None;
        };
        let (library, new_library) = self.library(to, drive)?;
        let install = library.join(&game.folder);
        if install == game.install {
            self.say(FindingKind::AlreadyThere { path: install });
            return None;
        }
        self.game_findings();
        // Where there are no libraries, the folder above the game is just a folder.
        let as_library = self.found.profile.libraries.is_some().then_some(library.as_path());
        let target =
            Target { install: &install, library: as_library, new_library, root: &drive.root, letters: self.letters };
        // Other lots of this haul may have made the library known before.
        let before: Vec<Edit> = self.earlier.iter().flat_map(|lot| lot.edits.clone()).collect();
        let repointing = edits(self.site, self.found, game, &target, &before).unwrap_or_else(|why| {
            self.say(match why {
                Unchangeable::NoLetter { prefix, path, free } => FindingKind::NoLetter { prefix, path, free },
                Unchangeable::Because(why) => FindingKind::RecordsUnchangeable { why },
            });
            Repointing { edits: Vec::new(), letters: Vec::new() }
        });
        for (link, letter) in repointing.letters {
            self.say(FindingKind::LetterMade { letter: letter.to_ascii_uppercase(), link });
        }
        let edits = repointing.edits;
        let mut files = Files::default();
        let mut tried = Ok(());
        for lot in self.earlier {
            files = files.now_carried(&lot.from, &lot.to);
            tried = tried.and_then(|()| files.make(&lot.edits, Mood::Strict));
        }
        let mut files = files.now_carried(&game.install, &install);
        let tried = tried.and_then(|()| files.make(&edits, Mood::Strict));
        if let Err(error) = tried {
            self.say(FindingKind::RecordsUnchangeable { why: error.to_string() });
        }
        if new_library && !self.earlier.iter().any(|lot| lot.to.parent() == Some(&library)) {
            let launcher = self.found.profile.name.clone();
            self.say(FindingKind::NewLibrary { launcher, path: library.clone() });
        }
        let mode = self.mode(&install, drive);
        let (size, need, links) = self.source_findings(&game.install, drive, mode)?;
        self.target_findings(&install, drive);
        let lot = PlannedLot {
            game: self.game.id.clone(),
            title: game.title.clone(),
            launcher: self.game.launcher.clone(),
            launcher_name: self.found.profile.name.clone(),
            processes: self.found.profile.processes.clone(),
            from: game.install.clone(),
            to: install,
            from_drive: self.game.drive.clone(),
            to_drive: drive.name.clone(),
            mode,
            size,
            need,
            links,
            previews: previews(&edits),
            edits,
        };
        self.findings.extend(writable_findings(self.site, &lot));
        Some(lot)
    }

    /// The library it goes into, and whether that has to be made.
    fn library(&mut self, to: &Destination, drive: &Drive) -> Option<(PathBuf, bool)> {
        if let Destination::Library(path) = to {
            return Some((path.clone(), false));
        }
        if self.found.profile.libraries.is_none() {
            let place = self.found.place_on(self.site, drive);
            if place.is_none() {
                let launcher = self.found.profile.name.clone();
                self.say(FindingKind::NoLibrary { launcher, drive: drive.name.clone() });
            }
            return Some((place?, false));
        }
        let known = self.survey.launcher(&self.game.launcher)?;
        let mut there = known.libraries.iter().filter(|l| l.present && l.drive.as_ref() == Some(&drive.name));
        if let Some(library) = there.next() {
            return Some((library.path.clone(), false));
        }
        let new = self
            .found
            .new_library(self.site, drive)
            .filter(|_| self.found.profile.libraries.as_ref().is_some_and(|l| l.new_entry.is_some()));
        if new.is_none() {
            let launcher = self.found.profile.name.clone();
            self.say(FindingKind::NoLibrary { launcher, drive: drive.name.clone() });
        }
        Some((new?, true))
    }

    fn mode(&self, install: &Path, drive: &Drive) -> Mode {
        let from = real_path(&self.game.found.install);
        let to = real_path(install);
        let same_mount = self.site.mount_of(&from) == self.site.mount_of(&to);
        let device = |path: &Path| {
            use std::os::unix::fs::MetadataExt;
            path.ancestors().find_map(|p| p.metadata().ok()).map(|meta| meta.dev())
        };
        let same = same_mount && (drive.declared || device(&from) == device(&to));
        if same { Mode::Rename } else { Mode::Copy }
    }

    fn game_findings(&mut self) {
        let game = &self.game.found;
        if let Some(reason) = &game.sealed {
            self.say(FindingKind::Sealed { reason: reason.clone() });
        }
        for record in game.records.iter().filter(|record| !record.sound) {
            let says = record.text.clone();
            self.say(FindingKind::RecordUnsound { file: record.file.clone(), location: record.location.clone(), says });
        }
        if game.unsure > 0 {
            self.say(FindingKind::RecordsUnsure { count: game.unsure });
        }
        if let Some(update) = game.update {
            self.say(FindingKind::UpdateWaiting { update });
        }
        if let (true, Some(claim)) = (self.game.claim_is_far(), game.claim) {
            self.say(FindingKind::ClaimFar { claim, size: self.game.size.apparent });
        }
        let library = game.library.as_deref().unwrap_or(Path::new("")).to_string_lossy().into_owned();
        let values = self.found.values(self.site).with("id", &game.id).with("library", library);
        match ContentList::read(&self.found.profile, &values) {
            Ok(Some(_)) => {}
            Ok(None) => self.say(FindingKind::NoContentList { launcher: self.found.profile.name.clone() }),
            Err(error) => self.say(FindingKind::RecordsUnchangeable { why: error.to_string() }),
        }
    }

    /// What the game's own files say, and what the target's file system says to them.
    fn source_findings(&mut self, from: &Path, drive: &Drive, mode: Mode) -> Option<(Size, Bytes, Links)> {
        let source = self.site.drive_of(from).map_or("", |d| d.file_system.as_str());
        let mut fit = Fit::new(&drive.abilities, source, from);
        let walked = walk_each(&self.site.disk, from, &mut |found| {
            fit.take(found);
            Ok::<(), std::io::Error>(())
        });
        if let Err(error) = walked {
            self.say(FindingKind::SourceUnreadable { what: error.to_string() });
            return None;
        }
        if mode == Mode::Rename {
            return Some((fit.size, Bytes::ZERO, Links::Keep));
        }
        for (limit, path, count) in fit.unfit {
            self.say(FindingKind::CannotHold { path, limit, count });
        }
        let mut links = Links::Keep;
        if let Some((path, count)) = fit.linked.take() {
            let bytes = fit.linked_bytes;
            links = self.links;
            match links {
                Links::Copies => self.say(FindingKind::LinksCopied { count, bytes }),
                Links::Keep => self.say(FindingKind::LinksNeeded { path, count, bytes }),
            }
        }
        if !drive.abilities.known {
            let file_system = drive.file_system.clone();
            self.say(FindingKind::AbilitiesUnknown { drive: drive.name.clone(), file_system });
        }
        if fit.again && !drive.abilities.hard_links {
            self.say(FindingKind::NicetyLost { what: "several names of one file become files of their own" });
        }
        if fit.attributes {
            self.say(FindingKind::NicetyLost { what: "attributes that people and programs have set on files" });
        }
        // Where copies stand instead of links, nothing leads anywhere any more.
        if let Some((path, count)) = fit.leads_out
            && links == Links::Keep
        {
            self.say(FindingKind::LinkLeadsOut { path, count });
        }
        let copies = if links == Links::Copies { fit.linked_bytes } else { Bytes::ZERO };
        Some((fit.size, fit.need.plus(copies), links))
    }

    fn target_findings(&mut self, install: &Path, drive: &Drive) {
        if install.symlink_metadata().is_ok() || self.earlier.iter().any(|lot| lot.to == install) {
            self.say(FindingKind::TargetThere { path: install.into() });
        }
        let (from, to) = (real_path(&self.game.found.install), real_path(install));
        if to.starts_with(&from) || from.starts_with(&to) {
            self.say(FindingKind::TargetInside { path: install.into() });
        }
        let there = install.ancestors().skip(1).find(|path| path.symlink_metadata().is_ok());
        let writable = there.is_some_and(writable_folder) && !drive.read_only;
        // Another drive that is mounted over the way there, or one that is gone, is not where it was to go.
        let on_drive = there.and_then(|path| self.site.drive_of(path)).is_some_and(|d| d.name == drive.name);
        if !writable || !on_drive {
            let path = there.unwrap_or(install).to_path_buf();
            self.say(FindingKind::NotWritable { path });
        }
    }
}

/// The record files of a lot that cannot be changed.
pub(super) fn writable_findings(site: &Site, lot: &PlannedLot) -> Vec<Finding> {
    let mut findings = Vec::new();
    for file in lot.record_files() {
        // What lies in the lot is changed in the copy, and a link where it stands.
        if file.starts_with(&lot.to) && lot.mode != Mode::Records {
            continue;
        }
        let is_link = lot.edits.iter().any(|edit| matches!(edit, Edit::Link { link, .. } if link == file));
        let real = if is_link { file.to_path_buf() } else { real_path(file) };
        let folder = real.ancestors().skip(1).find(|path| path.is_dir());
        let read_only = site.drive_of(&real).is_some_and(|drive| drive.read_only);
        let file_closed = !is_link && real.exists() && !accessible(&real);
        if read_only || file_closed || !folder.is_some_and(writable_folder) {
            findings.push(Finding::new(Some(&lot.title), FindingKind::NotWritable { path: file.into() }));
        }
    }
    findings
}

fn accessible(path: &Path) -> bool {
    rustix::fs::access(path, rustix::fs::Access::WRITE_OK).is_ok()
}

fn writable_folder(path: &Path) -> bool {
    path.is_dir() && accessible(path)
}

/// What most file systems give out at a time.
const CLUSTER: u64 = 4096;

/// What a game's files come to, and what a drive with some abilities makes of them, added up as they are walked.
struct Fit<'a> {
    abilities: &'a Abilities,
    /// Whether the source's file system says less than another will need, because it packs its files.
    packs: bool,
    from: &'a Path,
    size: Size,
    /// Bytes needed there: whole blocks of 4 kB, holes only where it has them.
    need: Bytes,
    /// What it cannot hold: the limit, the first path, and how many.
    unfit: Vec<(Limit, String, usize)>,
    again: bool,
    /// Whether attributes would be lost.
    attributes: bool,
    leads_out: Option<(String, usize)>,
    /// Links that lead to files and that it has not: the first, and how many.
    linked: Option<(String, usize)>,
    /// Room that copies of those files take, in whole blocks of 4 kB.
    linked_bytes: Bytes,
    /// Hashes of the names seen, folded, where names fold.
    names: HashSet<u64>,
}

impl<'a> Fit<'a> {
    fn new(abilities: &'a Abilities, source: &str, from: &'a Path) -> Self {
        Self {
            abilities,
            packs: packs(source),
            from,
            size: Size { whole: true, ..Size::default() },
            need: Bytes::ZERO,
            unfit: Vec::new(),
            again: false,
            attributes: false,
            leads_out: None,
            linked: None,
            linked_bytes: Bytes::ZERO,
            names: HashSet::new(),
        }
    }

    fn cannot(&mut self, limit: Limit, path: &Path) {
        match self.unfit.iter_mut().find(|(known, ..)| *known == limit) {
            Some((.., count)) => *count += 1,
            None => self.unfit.push((limit, path.to_string_lossy().into_owned(), 1)),
        }
    }

    fn take(&mut self, found: Walked) {
        let entry = match found {
            Walked::Entry(entry) => entry,
            Walked::Other(path) => return self.cannot(Limit::Kind, path.as_path()),
        };
        self.size.add(&entry);
        self.need = self.need.plus(self.need_of(&entry));
        let path = entry.path.as_path();
        if matches!(entry.kind, EntryKind::Link(_)) && !self.abilities.links {
            match entry.path.under(self.from).metadata() {
                Ok(meta) if meta.is_file() => {
                    self.linked.get_or_insert_with(|| (path.to_string_lossy().into_owned(), 0)).1 += 1;
                    self.linked_bytes = self.linked_bytes.plus(Bytes::new(meta.len().next_multiple_of(CLUSTER)));
                    if self.abilities.largest_file.is_some_and(|most| meta.len() > most.count()) {
                        self.cannot(Limit::Size, path);
                    }
                }
                // A folder, or nothing: no copy of it can stand there.
                Ok(_) | Err(_) => self.cannot(Limit::Link, path),
            }
        }
        if path.file_name().is_some_and(|name| !self.abilities.can_name(name)) {
            self.cannot(Limit::Name, path);
        }
        if self.abilities.largest_file.is_some_and(|most| entry.size > most.count()) {
            self.cannot(Limit::Size, path);
        }
        if self.abilities.folds_case {
            let mut hash = DefaultHasher::new();
            match path.to_str() {
                Some(text) => text.to_lowercase().hash(&mut hash),
                None => path.hash(&mut hash),
            }
            if !self.names.insert(hash.finish()) {
                self.cannot(Limit::Case, path);
            }
        }
        self.again |= matches!(entry.kind, EntryKind::Again(_));
        if !self.abilities.attributes && !self.attributes && entry.kind == EntryKind::File {
            self.attributes = !attributes_of(&entry.path.under(self.from)).is_empty();
        }
        if leads_out(&entry) {
            let text = path.to_string_lossy().into_owned();
            self.leads_out.get_or_insert((text, 0)).1 += 1;
        }
    }

    fn need_of(&self, entry: &Entry) -> Bytes {
        Bytes::new(match entry.kind {
            EntryKind::File => {
                let whole = entry.size.next_multiple_of(CLUSTER);
                if self.abilities.sparse && !self.packs {
                    whole.min(entry.allocated.next_multiple_of(CLUSTER))
                } else {
                    whole
                }
            }
            EntryKind::Again(_) if !self.abilities.hard_links => {
                entry.path.under(self.from).metadata().map_or(0, |meta| meta.len().next_multiple_of(CLUSTER))
            }
            EntryKind::Folder => entry.allocated.max(CLUSTER),
            // A link with a long target takes a block.
            EntryKind::Link(_) => entry.allocated,
            EntryKind::Again(_) => 0,
        })
    }
}

/// Whether a relative link leads above the lot, so that it leads elsewhere from another place.
fn leads_out(entry: &Entry) -> bool {
    let EntryKind::Link(target) = &entry.kind else { return false };
    let depth = entry.path.as_path().components().count() as i64 - 1;
    let mut level = depth;
    for component in target.components() {
        match component {
            Component::RootDir | Component::Prefix(_) => return false,
            Component::ParentDir => level -= 1,
            Component::Normal(_) => level += 1,
            Component::CurDir => {}
        }
        if level < 0 {
            return true;
        }
    }
    false
}
