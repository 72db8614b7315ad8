//! Making a plan of a draft: destinations, edits, findings.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::berth::{Berth, Berthing, Places, writable_findings};
use super::course::{Course, Leg};
use super::draft::{Draft, Links, Load, Trial};
use super::edits::{
    MakeLetters, Preview, PreviewKind, Repointing, Target, Unchangeable, edits, joined_previews, previews_in,
};
use super::findings::{Finding, FindingKind, Weight};
use super::quiet::quiet;
use super::sharing::fight;
use super::time::{Timing, timing};
use crate::bytes::Bytes;
use crate::platform::Look;
use crate::record::{Edit, Trial as EditTrial};
use crate::site::{DrivePlace, Site, real_path};
use crate::survey::{GameId, Lookup, Survey, Way};
use crate::tally::Size;

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
    /// It stays where it is, and becomes known to its launcher.
    Adopt,
    /// It is a copy that lies about, and is compared with the one at `to`, which stays.
    Spare,
    /// It is renamed beside its place, and let go of at the release.
    SetAside,
}

/// Another name for originals, beside their place, while a link at the old place leads to where they are.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Aside {
    /// The old place: a folder before the haul, a link after it.
    pub old: PathBuf,
    /// The name that the originals have from the haul's beginning on.
    pub held: PathBuf,
}

impl Aside {
    /// The name beside a folder.
    pub fn of(old: &Path) -> Self {
        let name = old.file_name().unwrap_or_default().to_string_lossy();
        Self { old: old.into(), held: old.with_file_name(format!(".deft-barge-aside-{name}")) }
    }
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
    /// The same place by its drive, whatever path that has; `None` in an older journal.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from_place: Option<DrivePlace>,
    /// Where it goes by its drive.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to_place: Option<DrivePlace>,
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
    /// When its originals are released: as soon as it is proved where a later lot needs their room, else as the haul says.
    #[serde(default)]
    pub policy: Policy,
    /// Places in the haul of lots whose originals have to be gone before this one is copied, since it needs their room.
    #[serde(default)]
    pub after: Vec<usize>,
    /// Whether what it is copied from stays for good: a copy that was let go of comes back.
    #[serde(default)]
    pub keeps: bool,
    /// Where the originals step aside for a link; `from` is that name.
    #[serde(default)]
    pub aside: Option<Aside>,
    /// Edits of records, in their order.
    pub edits: Vec<Edit>,
    /// The edits as they look.
    pub previews: Vec<Preview>,
}

impl PlannedLot {
    /// Where the lot lies as long as the haul has not begun.
    pub fn source(&self) -> &Path {
        match &self.aside {
            Some(aside) if aside.held == self.from && !self.from.look_is_dir() => &aside.old,
            _ => &self.from,
        }
    }

    /// Where the lot lay before the haul, whatever has stepped aside since.
    pub fn origin(&self) -> &Path {
        let stepped = self.aside.as_ref().filter(|aside| aside.held == self.from);
        stepped.map_or(&self.from, |aside| &aside.old)
    }

    /// Where the lot lies afterwards: what has stepped back is at its old place.
    pub fn place(&self) -> &Path {
        match &self.aside {
            Some(aside) if aside.held == self.to && !self.to.look_is_dir() => &aside.old,
            _ => &self.to,
        }
    }

    /// The record files that the lot changes, each once.
    pub fn record_files(&self) -> Vec<&Path> {
        let mut files: Vec<&Path> = self.edits.iter().flat_map(Edit::files).collect();
        files.sort_unstable();
        files.dedup();
        files
    }
}

/// What changes the load of drives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum StepKind {
    /// Nothing yet.
    Begin,
    /// A copy is there.
    Copied,
    /// Originals are gone.
    LetGo,
}

/// How full every drive is after a step of a plan.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Step {
    /// Place of the lot among the plan's; `None` before the first.
    pub lot: Option<usize>,
    /// What it was.
    pub kind: StepKind,
    /// Bytes in use, in the order of the plan's loads.
    pub used: Vec<Bytes>,
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
    /// Bytes in use on each drive before the first step and after each.
    pub steps: Vec<Step>,
    /// When originals are released.
    pub policy: Policy,
    /// When each lot is copied, and how long all takes.
    pub timing: Timing,
    /// Whether the first lot is a trial.
    pub trial: Trial,
}

impl Plan {
    /// Whether something refuses it.
    pub fn stopped(&self) -> bool {
        self.findings.iter().any(|finding| finding.weight == Weight::Stop)
    }

    /// How full a drive is over the haul, by its place among the loads: moments since the start with the bytes in use, none
    /// before the one ahead of it. Between two moments it fills or empties evenly.
    ///
    /// What is held is not let go of within the haul; once it is, [`Load::after`] is in use.
    pub fn load_course(&self, at: usize) -> Vec<(Duration, Bytes)> {
        let mut course = vec![(Duration::ZERO, self.loads.get(at).map_or(Bytes::ZERO, |load| load.now))];
        for step in &self.steps {
            let (Some(n), Some(used)) = (step.lot, step.used.get(at)) else { continue };
            let goes =
                self.policy == Policy::Release || self.lots.get(n).is_some_and(|lot| lot.policy == Policy::Release);
            if step.kind == StepKind::LetGo && !goes {
                continue;
            }
            let ends = self.timing.lots.get(n).map_or(Duration::ZERO, |time| time.ends);
            let last = course.last().map_or(Duration::ZERO, |(when, _)| *when);
            course.push((ends.max(last), *used));
        }
        course
    }

    /// How long the haul takes, by the middle of its range.
    pub fn ends(&self) -> Duration {
        self.timing.lots.iter().map(|lot| lot.ends).max().unwrap_or_default()
    }

    /// Bytes that would be moved.
    pub fn bytes(&self) -> Bytes {
        self.lots.iter().map(|lot| lot.size.on_disk).sum()
    }
}

/// Plans a draft. Reads drives and records; writes nothing.
pub fn plan(site: &Site, survey: &Survey, draft: &Draft, policy: Policy) -> Plan {
    let mut findings = Vec::new();
    let mut berths: Vec<Berth<'_>> = Vec::new();
    let mut taken: HashSet<PathBuf> = HashSet::new();
    let (lookup, mut places) = (&Lookup::of(survey), Places::new());
    for lot in &draft.lots {
        let Some(game) = lookup.cargo(&lot.game, lot.way) else {
            let what = format!("{} is not among the games", lot.game);
            findings.push(Finding::new(None, FindingKind::NoDestination { what }));
            continue;
        };
        let found = survey.found.iter().find(|found| found.profile.id == game.launcher);
        let Some(found) = found else { continue };
        let (findings, places, links) = (&mut findings, &mut places, draft.links);
        let mut berthing = Berthing { site, survey, lookup, places, found, game, findings, links };
        if let Some(mut berth) = berthing.berth(&lot.to, &taken) {
            berth.aside = berthing.aside(lot.way);
            taken.insert(berth.install.clone());
            berths.push(berth);
        }
    }
    // One that lies in another cannot go by itself and with it.
    let mut lies: HashMap<&Path, Vec<usize>> = HashMap::new();
    for (n, berth) in berths.iter().enumerate() {
        lies.entry(berth.game.found.install.as_path()).or_default().push(n);
    }
    for (n, berth) in berths.iter().enumerate() {
        let above = berth.game.found.install.ancestors().filter_map(|folder| lies.get(folder)).flatten();
        for other in above.filter(|k| **k != n).map(|k| &berths[*k]) {
            let (with, path) = (berth.game.found.title.clone(), berth.game.found.install.clone());
            findings.push(Finding::new(Some(&other.game.found.title), FindingKind::SharesFolder { with, path }));
        }
    }
    findings.extend(settings_that_go(survey, draft, &berths));
    // What goes along does not stay.
    let along: HashSet<&str> =
        draft.lots.iter().filter_map(|lot| lookup.data(&lot.game)).map(|data| data.title.as_str()).collect();
    let goes = |title: &String| along.contains(title.as_str());
    findings.retain(|finding| !matches!(&finding.kind, FindingKind::DataStays { what, .. } if goes(what)));
    let course = Course::of(survey, &berths, draft.trial, &mut findings);
    let (lots, letters) = (Vec::new(), Vec::new());
    let mut making = Making {
        site,
        findings: &mut findings,
        make_letters: draft.letters,
        lots,
        waiting: HashMap::new(),
        made: HashSet::new(),
        letters,
        trial: EditTrial::default(),
    };
    for leg in &course.legs {
        let berth = &berths[leg.berth];
        match leg.staging {
            // It waits on another drive in between: a place there is found as for any other lot.
            Some(drive) => {
                let to = super::draft::Destination::Drive(drive.clone());
                let mut unheard = Vec::new();
                let (found, game) = (berth.found, berth.game);
                let (findings, places, links) = (&mut unheard, &mut places, draft.links);
                let mut berthing = Berthing { site, survey, lookup, places, found, game, findings, links };
                let between = berthing.berth(&to, &HashSet::new());
                making.findings.extend(unheard.into_iter().filter(|finding| finding.weight == Weight::Stop));
                if let Some(between) = between {
                    making.lot(&between, leg);
                }
            }
            None => making.lot(berth, leg),
        }
    }
    let lots = making.lots;
    // Whoever else knows the folder would be led to nothing by a release within the haul.
    let goes = |lot: &&PlannedLot| policy == Policy::Release || lot.policy == Policy::Release;
    let mut also: HashMap<String, Vec<(String, String)>> = HashMap::new();
    for finding in &findings {
        if let (FindingKind::AlsoKnown { as_title, launcher }, Some(title)) = (&finding.kind, &finding.title) {
            also.entry(title.clone()).or_default().push((as_title.clone(), launcher.clone()));
        }
    }
    for lot in lots.iter().filter(goes) {
        for (as_title, launcher) in also.get(&lot.title).into_iter().flatten().cloned() {
            let kind = FindingKind::StillListed { launcher, as_title, path: lot.from.clone() };
            findings.push(Finding::new(Some(&lot.title), kind));
        }
    }
    findings.extend(state_room(site, &lots));
    let (loads, steps) = course.loads(survey, &lots, policy);
    findings.extend(quiet(site, &lots));
    findings.sort_by_key(|finding| finding.weight);
    findings.dedup();
    let timing = timing(site, &survey.speeds, &lots, &|one, other| fight(site, one, other));
    let trial = if course.tried { draft.trial } else { Trial::None };
    Plan { made: Timestamp::now(), lots, findings, loads, steps, policy, timing, trial }
}

/// User data that goes by its setting while the setting goes with a game: which of the two copies of the file would be written
/// depends on what goes first.
fn settings_that_go(survey: &Survey, draft: &Draft, berths: &[Berth<'_>]) -> Vec<Finding> {
    let by_setting = |lot: &super::draft::DraftLot| {
        let data = survey.data(&lot.game)?;
        let way = lot.way.or_else(|| data.ways.first().copied());
        let file = data.setting.as_ref().filter(|_| way == Some(Way::Setting))?;
        let real = real_path(file);
        let goes_with = berths.iter().find(|berth| {
            let (game, by_itself) = (&berth.game.found, survey.game(&berth.game.id).is_some());
            let within = file.starts_with(&game.install) || real.starts_with(real_path(&game.install));
            by_itself
                && (within || game.records.iter().any(|record| record.file == *file && record.relative_to.is_some()))
        })?;
        let with = goes_with.game.found.title.clone();
        Some(Finding::new(Some(&data.title), FindingKind::SettingGoes { with, file: file.clone() }))
    };
    draft.lots.iter().filter_map(by_setting).collect()
}

/// Whether the journal has room for the tallies.
fn state_room(site: &Site, lots: &[PlannedLot]) -> Option<Finding> {
    /// Bytes of a line of a tally with its place in the database, measured over 500 000 files, and of one block's hash.
    const LINE: u64 = 400;
    const BLOCK_HASH: u64 = 120;
    let copied = lots.iter().filter(|lot| lot.mode == Mode::Copy);
    let need = copied.map(|lot| {
        let blocks = lot.size.apparent.count() / crate::tally::BLOCK;
        (lot.size.files + lot.size.folders + lot.size.links) * LINE
            + blocks * BLOCK_HASH
            + lot.edits.len() as u64 * 4096
    });
    let need = Bytes::new(need.sum::<u64>() + 1_000_000);
    let path = site.state_folder();
    let there = path.ancestors().find(|folder| folder.look_is_dir())?;
    let stat = rustix::fs::statvfs(there).ok()?;
    let lacks = need.less(Bytes::new(stat.f_bavail.saturating_mul(stat.f_frsize)));
    (lacks > Bytes::ZERO).then(|| Finding::new(None, FindingKind::NoStateRoom { path, lacks }))
}

/// Makes lots of berths, in their turn.
struct Making<'a> {
    site: &'a Site,
    findings: &'a mut Vec<Finding>,
    make_letters: MakeLetters,
    lots: Vec<PlannedLot>,
    /// The last lot of each game so far.
    waiting: HashMap<GameId, usize>,
    /// New libraries that were spoken of.
    made: HashSet<PathBuf>,
    /// Drive letters that lots of this haul make.
    letters: Vec<Edit>,
    trial: EditTrial,
}

impl Making<'_> {
    fn lot(&mut self, berth: &Berth<'_>, leg: &Leg<'_>) {
        let game = &berth.game.found;
        // Where it lies by then, if it has waited elsewhere.
        let waited = self.waiting.get(&berth.game.id).map(|n| self.lots[*n].clone());
        // From where it waits it has left a link behind already.
        let aside = berth.aside.clone().filter(|_| waited.is_none());
        let here = aside.as_ref().map_or(&game.install, |aside| &aside.held);
        let from = waited.as_ref().map_or(here, |lot| &lot.to).clone();
        let previous = waited.as_ref().map(|lot| lot.edits.as_slice()).unwrap_or_default();
        let (edits, previews) = self.edits(berth, &from, previous);
        if berth.new_library && self.made.insert(berth.library.clone()) {
            let launcher = berth.found.profile.name.clone();
            self.say(&game.title, FindingKind::NewLibrary { launcher, path: berth.library.clone() });
        }
        let lot = PlannedLot {
            game: berth.game.id.clone(),
            title: game.title.clone(),
            launcher: berth.game.launcher.clone(),
            launcher_name: berth.found.profile.name.clone(),
            processes: berth.found.profile.processes.clone(),
            from,
            to: berth.install.clone(),
            from_place: None,
            to_place: None,
            from_drive: waited.map_or_else(|| berth.game.drive.clone(), |lot| Some(lot.to_drive)),
            to_drive: berth.drive.name.clone(),
            mode: berth.mode,
            size: berth.size,
            need: berth.need,
            links: berth.links,
            policy: leg.policy,
            after: leg.after.clone(),
            keeps: false,
            aside,
            edits,
            previews,
        };
        if !berth.drive.absent {
            self.findings.extend(writable_findings(self.site, &lot));
        }
        self.waiting.insert(lot.game.clone(), self.lots.len());
        self.lots.push(lot);
    }

    fn say(&mut self, title: &str, kind: FindingKind) {
        self.findings.push(Finding::new(Some(title), kind));
    }

    /// The edits that lead to a berth. `previous` are those that led the records to where the game waits by then: they are
    /// taken back within the same act, so that what the survey read is found again.
    fn edits(&mut self, berth: &Berth<'_>, from: &Path, previous: &[Edit]) -> (Vec<Edit>, Vec<Preview>) {
        let game = &berth.game.found;
        // Where there are no libraries, the folder above the game is just a folder.
        let target = Target {
            install: &berth.install,
            library: berth.found.profile.libraries.is_some().then_some(berth.library.as_path()),
            new_library: berth.new_library,
            root: &berth.drive.root,
            letters: self.make_letters,
        };
        let mut repointing = edits(self.site, berth.found, game, &target, &self.letters).unwrap_or_else(|why| {
            let kind = match why {
                Unchangeable::NoLetter { prefix, path, free } => FindingKind::NoLetter { prefix, path, free },
                Unchangeable::Because(why) => FindingKind::RecordsUnchangeable { why },
            };
            self.say(&game.title, kind);
            Repointing { edits: Vec::new(), letters: Vec::new() }
        });
        for (link, letter) in repointing.letters {
            self.say(&game.title, FindingKind::LetterMade { letter: letter.to_ascii_uppercase(), link });
        }
        if let Some(aside) = &berth.aside {
            let (link, old, new) = (aside.old.clone(), Some(aside.held.clone()), Some(berth.install.clone()));
            repointing.edits.push(Edit::Link { link, old, new });
        }
        let back = Edit::turned_all(previous).into_iter().map(|edit| edit.carried(from, &berth.install));
        let edits: Vec<Edit> = back.chain(repointing.edits.iter().cloned()).collect();
        self.letters.extend(edits.iter().filter(|edit| matches!(edit, Edit::Link { .. })).cloned());
        let steps = berth.aside.as_ref().filter(|aside| aside.held == from);
        let source = steps.map_or(from, |aside| aside.old.as_path());
        let link = steps.map(|aside| (aside.old.as_path(), aside.held.as_path()));
        let tried = self.trial.try_lot(&edits, (source, &berth.install), link);
        if let Err(error) = tried {
            self.say(&game.title, FindingKind::RecordsUnchangeable { why: error.to_string() });
        }
        let mut shown = previews_in(&mut self.trial, &repointing.edits);
        if let (Some(aside), Some(last)) = (&berth.aside, shown.last_mut()) {
            // A folder stands there now: it steps aside at the beginning.
            last.kind = PreviewKind::LinkMade;
            last.before.clear();
            last.location = format!("link, the folder being kept as {}", aside.held.display());
        }
        let shown =
            if previous.is_empty() { shown } else { joined_previews(&previews_in(&mut self.trial, previous), shown) };
        (edits, shown)
    }
}
