//! Making a plan of a draft: destinations, edits, findings.

use super::drifted::drifted;
use super::estimate::timing;
use super::residue::residue;
use super::result::Plan;
use super::schedule::{Leg, Schedule};

use crate::item::{
    Finding, FindingKind, LooseFolders, PlannedItem, Policy, Preview, PreviewKind, Severity, Strategy, Trial,
};
use crate::launcher::Origin;
use crate::plan::drafts::Draft;
use crate::plan::edits::{MakeLetters, Repointing, Target, Unchangeable, edits, joined_previews, previews_in};
use crate::plan::placement::{KnownPlaces, Placement, Placing, writable_findings};
use crate::platform;
use crate::preflight::quiet;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use jiff::Timestamp;

use super::sharing::fight;
use crate::bytes::Bytes;
use crate::platform::Look;
use crate::record::{Edit, EditRehearsal};
use crate::site::{Site, real_path};
use crate::survey::{Game, GameId, Lookup, Survey, Way};

/// Plans a draft. Reads drives and records; writes nothing.
pub fn plan(site: &Site, survey: &Survey, draft: &Draft, policy: Policy) -> Plan {
    let mut findings = Vec::new();
    let (lookup, mut places) = (&Lookup::of(survey), KnownPlaces::new());
    let placements = placed((site, survey, lookup), draft, &mut places, &mut findings);
    findings.extend(drifted(placements.iter().map(|placement| placement.found)));
    findings.extend(shared_folders(&placements));
    findings.extend(settings_that_go(survey, draft, &placements));
    // What goes along does not stay.
    let along: HashSet<&Path> =
        draft.items.iter().filter_map(|item| lookup.data(&item.game)).map(|data| data.place.as_path()).collect();
    let goes = |path: &PathBuf| along.contains(path.as_path());
    findings.retain(|finding| !matches!(&finding.kind, FindingKind::DataStays { path, .. } if goes(path)));
    let schedule = Schedule::of(survey, &placements, draft.trial, &mut findings);
    let (items, earlier) = (Vec::new(), Vec::new());
    let mut making = Making {
        site,
        findings: &mut findings,
        make_letters: draft.letters,
        loose: draft.loose,
        items,
        waiting: HashMap::new(),
        made: HashSet::new(),
        earlier,
        trial: EditRehearsal::default(),
    };
    for leg in &schedule.legs {
        let placement = &placements[leg.placement];
        let Some(drive) = leg.staging else {
            making.item(placement, leg);
            continue;
        };
        // It waits on another drive in between: a place there is found as for any other item.
        let to = crate::plan::drafts::Destination::Drive(drive.clone());
        let mut unheard = Vec::new();
        let (found, game) = (placement.found, placement.game);
        let (findings, places, links) = (&mut unheard, &mut places, draft.links);
        let mut placing = Placing { site, survey, lookup, places, found, game, findings, links };
        let between = placing.placement(&to, &HashSet::new());
        making.findings.extend(unheard.into_iter().filter(|finding| finding.severity == Severity::Blocker));
        if let Some(between) = between {
            making.item(&between, leg);
        }
    }
    let items = making.items;
    let listed = still_listed(&items, policy, &findings);
    findings.extend(listed);
    findings.extend(residue(site, survey, &placements));
    findings.extend(state_room(site, &items));
    let (loads, steps) = schedule.loads(survey, &items, policy);
    findings.extend(quiet(site, &items));
    findings.sort_by_key(|finding| finding.severity);
    findings.dedup();
    let timing = timing(site, &survey.speeds, &items, &|one, other| fight(site, one, other));
    let trial = if schedule.tried { draft.trial } else { Trial::None };
    Plan { made: Timestamp::now(), items, findings, loads, steps, policy, timing, trial }
}

/// Where each item of the draft goes; what cannot go is a finding.
fn placed<'a>(
    (site, survey, lookup): (&'a Site, &'a Survey, &'a Lookup<'a>),
    draft: &Draft,
    places: &mut KnownPlaces,
    findings: &mut Vec<Finding>,
) -> Vec<Placement<'a>> {
    let mut placements: Vec<Placement<'a>> = Vec::new();
    let mut taken: HashSet<PathBuf> = HashSet::new();
    for item in &draft.items {
        let Some(game) = lookup.haulable(&item.game, item.way) else {
            let what = format!("{} isn't installed", item.game);
            findings.push(Finding::general(FindingKind::NoDestination { what }));
            continue;
        };
        let found = survey.found.iter().find(|found| found.profile.id == game.launcher);
        let Some(found) = found else { continue };
        let (findings, places, links) = (&mut *findings, &mut *places, draft.links);
        let mut placing = Placing { site, survey, lookup, places, found, game, findings, links };
        if let Some(mut placement) = placing.placement(&item.to, &taken) {
            placement.aside = placing.aside(item.way);
            taken.insert(placement.install.clone());
            placements.push(placement);
        }
    }
    placements
}

/// One that lies in another cannot go by itself and with it.
fn shared_folders(placements: &[Placement<'_>]) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut lies: HashMap<&Path, Vec<usize>> = HashMap::new();
    for (n, placement) in placements.iter().enumerate() {
        lies.entry(placement.game.found.install.as_path()).or_default().push(n);
    }
    for (n, placement) in placements.iter().enumerate() {
        let above = placement.game.found.install.ancestors().filter_map(|folder| lies.get(folder)).flatten();
        for other in above.filter(|k| **k != n).map(|k| &placements[*k]) {
            let (with, path) = (placement.game.found.title.clone(), placement.game.found.install.clone());
            findings.push(Finding::about(
                &other.game.id,
                &other.game.found.title,
                FindingKind::SharesFolder { with, path },
            ));
        }
    }
    findings
}

/// Whoever else knows the folder would be led to nothing by a release within the haul.
fn still_listed(items: &[PlannedItem], policy: Policy, findings: &[Finding]) -> Vec<Finding> {
    let mut listed = Vec::new();
    let goes = |item: &&PlannedItem| policy == Policy::Release || item.policy == Policy::Release;
    let mut also: HashMap<GameId, Vec<(String, String)>> = HashMap::new();
    for finding in findings {
        if let (FindingKind::AlsoKnown { as_title, launcher }, Some(game)) = (&finding.kind, &finding.item) {
            also.entry(game.clone()).or_default().push((as_title.clone(), launcher.clone()));
        }
    }
    for item in items.iter().filter(goes) {
        for (as_title, launcher) in also.get(&item.game).into_iter().flatten().cloned() {
            let kind = FindingKind::StillListed { launcher, as_title, path: item.from.clone() };
            listed.push(Finding::about(&item.game, &item.title, kind));
        }
    }
    listed
}

/// User data that goes by its setting while the setting goes with a game: which of the two copies of the file would be written
/// depends on what goes first.
fn settings_that_go(survey: &Survey, draft: &Draft, placements: &[Placement<'_>]) -> Vec<Finding> {
    let by_setting = |item: &crate::plan::drafts::DraftItem| {
        let data = survey.data(&item.game)?;
        let way = item.way.or_else(|| data.ways.first().copied());
        let file = data.setting.as_ref().filter(|_| way == Some(Way::Setting))?;
        let real = real_path(file);
        let goes_with = placements.iter().find(|placement| {
            let (game, by_itself) = (&placement.game.found, survey.game(&placement.game.id).is_some());
            let within = file.starts_with(&game.install) || real.starts_with(real_path(&game.install));
            by_itself
                && (within || game.records.iter().any(|record| record.file == *file && record.relative_to.is_some()))
        })?;
        let with = goes_with.game.found.title.clone();
        Some(Finding::about(&data.id, &data.title, FindingKind::SettingGoes { with, file: file.clone() }))
    };
    draft.items.iter().filter_map(by_setting).collect()
}

/// Whether the journal has room for the checksums.
fn state_room(site: &Site, items: &[PlannedItem]) -> Option<Finding> {
    /// Bytes of a line of checksums with its place in the database, measured over 500 000 files, and of one block's hash.
    const LINE: u64 = 400;
    const BLOCK_HASH: u64 = 120;
    let copied = items.iter().filter(|item| item.mode == Strategy::Copy);
    let need = copied.map(|item| {
        let blocks = item.size.apparent.count() / crate::checksums::BLOCK;
        (item.size.files + item.size.folders + item.size.links) * LINE
            + blocks * BLOCK_HASH
            + item.edits.len() as u64 * 4096
    });
    let need = Bytes::new(need.sum::<u64>() + 1_000_000);
    let path = site.state_folder();
    let there = path.ancestors().find(|folder| folder.look_is_dir())?;
    let lacks = need.less(platform::free_at(there)?);
    (lacks > Bytes::ZERO).then(|| Finding::general(FindingKind::NoStateRoom { path, lacks }))
}

/// Makes items of placements, in their turn.
struct Making<'a> {
    site: &'a Site,
    findings: &'a mut Vec<Finding>,
    make_letters: MakeLetters,
    loose: LooseFolders,
    items: Vec<PlannedItem>,
    /// The last item of each game so far.
    waiting: HashMap<GameId, usize>,
    /// New libraries that were spoken of.
    made: HashSet<PathBuf>,
    /// Drive letters and libraries that items of this haul make.
    earlier: Vec<Edit>,
    trial: EditRehearsal,
}

impl Making<'_> {
    fn item(&mut self, placement: &Placement<'_>, leg: &Leg<'_>) {
        let game = &placement.game.found;
        // Where it lies by then, if it has waited elsewhere.
        let waited = self.waiting.get(&placement.game.id).map(|n| self.items[*n].clone());
        // From where it waits it has left a link behind already.
        let aside = placement.aside.clone().filter(|_| waited.is_none());
        let here = aside.as_ref().map_or(&game.install, |aside| &aside.held);
        let from = waited.as_ref().map_or(here, |item| &item.to).clone();
        let previous = waited.as_ref().map(|item| item.edits.as_slice()).unwrap_or_default();
        let (edits, previews) = self.edits(placement, &from, previous);
        if placement.new_library && self.made.insert(placement.library.clone()) {
            let launcher = placement.found.profile.name.clone();
            self.say(placement.game, FindingKind::NewLibrary { launcher, path: placement.library.clone() });
        }
        let item = PlannedItem {
            game: placement.game.id.clone(),
            origin: placement.found.profile.origin,
            title: game.title.clone(),
            launcher: placement.game.launcher.clone(),
            launcher_name: placement.found.profile.name.clone(),
            processes: placement.found.profile.processes.clone(),
            from,
            to: placement.install.clone(),
            from_place: None,
            to_place: None,
            from_drive: waited.map_or_else(|| placement.game.drive.clone(), |item| Some(item.to_drive)),
            to_drive: placement.drive.name.clone(),
            mode: placement.mode,
            size: placement.size,
            need: placement.need,
            links: placement.links,
            policy: leg.policy,
            after: leg.after.clone(),
            keeps: false,
            aside,
            edits,
            previews,
        };
        if !placement.drive.absent {
            self.findings.extend(writable_findings(self.site, &item));
        }
        self.waiting.insert(item.game.clone(), self.items.len());
        self.items.push(item);
    }

    fn say(&mut self, game: &Game, kind: FindingKind) {
        self.findings.push(Finding::about(&game.id, &game.found.title, kind));
    }

    /// The edits that lead to a placement. `previous` are those that led the records to where the game waits by then: they are
    /// taken back within the same act, so that what the survey read is found again.
    fn edits(&mut self, placement: &Placement<'_>, from: &Path, previous: &[Edit]) -> (Vec<Edit>, Vec<Preview>) {
        let game = &placement.game.found;
        // Where there are no libraries, the folder above the game is just a folder.
        let target = Target {
            install: &placement.install,
            library: placement.found.profile.libraries.is_some().then_some(placement.library.as_path()),
            new_library: placement.new_library,
            root: &placement.drive.root,
            letters: self.make_letters,
        };
        let made = edits(self.site, placement.found, game, &target, &self.earlier);
        let is_refused = made.is_err();
        let mut repointing = made.unwrap_or_else(|why| {
            let kind = match why {
                Unchangeable::NoLetter { prefix, path, free } => FindingKind::NoLetter { prefix, path, free },
                Unchangeable::Because(why) => FindingKind::RecordsUnchangeable { why },
            };
            self.say(placement.game, kind);
            Repointing { edits: Vec::new(), letters: Vec::new() }
        });
        // What a trace found nothing certain of would arrive without anybody being told.
        let is_told = is_refused || !repointing.edits.is_empty() || placement.aside.is_some();
        if placement.found.profile.origin == Origin::Traced && !is_told {
            let path = game.install.clone();
            self.say(
                placement.game,
                match self.loose {
                    LooseFolders::Refuse => FindingKind::NothingTells { path },
                    LooseFolders::Move => FindingKind::LooseFolder { path },
                },
            );
        }
        for (link, letter) in repointing.letters {
            self.say(placement.game, FindingKind::LetterMade { letter: letter.to_ascii_uppercase(), link });
        }
        if let Some(aside) = &placement.aside {
            let (link, old, new) = (aside.old.clone(), Some(aside.held.clone()), Some(placement.install.clone()));
            repointing.edits.push(Edit::Link { link, old, new });
        }
        let back = Edit::turned_all(previous).into_iter().map(|edit| edit.carried(from, &placement.install));
        let edits: Vec<Edit> = back.chain(repointing.edits.iter().cloned()).collect();
        let is_relied_on = |edit: &&Edit| matches!(edit, Edit::Link { .. } | Edit::Register(_));
        self.earlier.extend(edits.iter().filter(is_relied_on).cloned());
        let steps = placement.aside.as_ref().filter(|aside| aside.held == from);
        let source = steps.map_or(from, |aside| aside.old.as_path());
        let link = steps.map(|aside| (aside.old.as_path(), aside.held.as_path()));
        let tried = self.trial.try_item(&edits, (source, &placement.install), link);
        if let Err(error) = tried {
            self.say(placement.game, FindingKind::RecordsUnchangeable { why: error.to_string() });
        }
        let mut shown = previews_in(&mut self.trial, &repointing.edits);
        if let (Some(aside), Some(last)) = (&placement.aside, shown.last_mut()) {
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
