//! Learning: a profile of a launcher that nobody has described, made from the games that are installed.
//!
//! Law: what a thing is for is told by what it says of several games, never by what it is called; nothing is written; a profile that would
//! leave a place behind, or change another game's, is not sound, and says why. Start at [`learn`].

mod above;
mod by_reference;
mod contents;
mod counters;
mod entries;
mod evidence;
mod families;
mod held;
mod home;
mod in_libraries;
mod inner;
mod kinds;
mod learned;
mod libraries;
mod list;
mod new_entry;
mod pairs;
mod pattern;
mod proof;
mod records;
mod rehearsal;
mod roles;
mod said;
mod seen;
mod watch;
mod whose;
mod write;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use crate::launcher::{FoundLauncher, LearnedFrom, Profile, read_launchers};
use crate::record::Bases;
use crate::site::{Site, real_path};
use crate::trace::{Find, bases_near};
use contents::{LearnedContents, contents_of, lists_agree};
use counters::{asked_of, counted};
use entries::{LauncherLists, lists_of};
use evidence::Evidence;
use home::Home;
pub use learned::{Candidate, Doubt, Known, LearnPhase, Learned, LearnedGame, LearnedLauncher, Question};
use libraries::LearnedLibraries;
use list::{GameList, Reference};
use records::{LearnedRecords, RecordOfFile};
pub use rehearsal::{Rehearsal, rehearse};
use roles::Roles;
pub use watch::{Watch, Watched, Witness};

/// Games of which all finds are looked at to begin with, and in each further round.
const FIRST: usize = 5;
const FURTHER: usize = 3;
/// Rounds at most.
const ROUNDS: usize = 4;

/// Learns the launchers of this machine; with `paths` only those that have games there or beside. Writes nothing.
pub fn learn(site: &Site, paths: &[PathBuf], profiles: &[Profile], report: &(dyn Fn(LearnPhase) + Sync)) -> Learned {
    let mut evidence = Evidence::gather(site, paths);
    let files = evidence.gathered.files.len();
    report(LearnPhase { files, launchers: (0, 0) });
    let known = read_launchers(site, profiles);
    let described: BTreeMap<PathBuf, &str> = known
        .iter()
        .flat_map(|found| found.games.iter().map(|game| (real_path(&game.install), found.profile.name.as_str())))
        .collect();
    let (lists, alone) = lists_of(site, &evidence);
    let wanted = |list: &GameList| paths.is_empty() || list.dirs().any(|dir| paths.iter().any(|path| near(path, dir)));
    let lists: Vec<_> = lists.into_iter().filter(|one| wanted(&one.games)).collect();
    for one in &lists {
        evidence.add(&in_libraries::files_beside(site, &one.games, &one.libraries));
    }
    // Of a long list some games are looked at closely.
    let close = FIRST + FURTHER * ROUNDS;
    evidence.know(lists.iter().flat_map(|one| one.games.dirs().take(close)).map(Path::to_path_buf).collect());
    let mut learned = Learned { files, ..Learned::default() };
    let mut ids: BTreeSet<String> = profiles.iter().map(|profile| profile.id.clone()).collect();
    let all = lists.len();
    let alone = alone.into_iter().filter(|list| wanted(list));
    learned.launchers.extend(alone.filter_map(|list| no_list(site, &list, &evidence, &known, &mut ids)));
    for (nth, lists) in lists.iter().enumerate() {
        let list = &lists.games;
        report(LearnPhase { files, launchers: (nth, all) });
        let home = Home::of(site, lists.at_home(), &lists.libraries, &evidence);
        // One that has a profile with the same folder and the same games is known.
        let has = |found: &&FoundLauncher| {
            let games: BTreeSet<PathBuf> = found.games.iter().map(|game| real_path(&game.install)).collect();
            found.home == home.path && list.dirs().all(|dir| games.contains(&real_path(dir)))
        };
        let has = known.iter().find(has);
        if let Some(found) = has.filter(|found| found.drift().is_none()) {
            learned.described.push((found.profile.name.clone(), found.games.len()));
            continue;
        }
        let before = has.or(known.iter().find(|found| outgrown(found, list, &home)));
        if let Some(before) = before {
            let (id, name) = (before.profile.id.clone(), before.profile.name.clone());
            let shapes = before.profile.learned.as_ref();
            let launcher = one(site, &evidence, lists, &Home { id, name, ..home });
            learned.launchers.push(LearnedLauncher { again: true, ..with_shapes(site, launcher, shapes) });
            continue;
        }
        let foreign = list.dirs().filter(|dir| described.contains_key(&real_path(dir))).count();
        if foreign == list.dirs().count() && paths.is_empty() {
            continue;
        }
        let home = home.named_apart(&mut ids);
        learned.launchers.push(with_shapes(site, one(site, &evidence, lists, &home), None));
    }
    learned.launchers.sort_by_key(|launcher| std::cmp::Reverse(launcher.games.len()));
    learned
}

/// A launcher whose libraries are known and whose games are not; libraries whose games a profile knows are that launcher's.
fn no_list(
    site: &Site,
    list: &GameList,
    evidence: &Evidence,
    known: &[FoundLauncher],
    ids: &mut BTreeSet<String>,
) -> Option<LearnedLauncher> {
    let home = Home::of(site, list, &[], evidence);
    if known.iter().any(|found| found.home == home.path) {
        return None;
    }
    let home = home.named_apart(ids);
    let begun = begun(list, std::slice::from_ref(list), &home);
    Some(LearnedLauncher { games: Vec::new(), doubt: Some(Doubt::NoList), ..begun })
}

/// Whether a profile that was learned before knows no game that is not on this list of its launcher.
fn outgrown(found: &FoundLauncher, list: &GameList, home: &Home) -> bool {
    let dirs: BTreeSet<PathBuf> = list.dirs().map(real_path).collect();
    found.home == home.path
        && found.profile.learned.is_some()
        && found.games.iter().all(|game| dirs.contains(&real_path(&game.install)))
}

/// The same with what its entries say now, by each profile that it may have.
fn with_shapes(site: &Site, mut launcher: LearnedLauncher, before: Option<&LearnedFrom>) -> LearnedLauncher {
    if launcher.doubt.is_some() {
        return launcher;
    }
    launcher.profile = write::with_shapes(site, &launcher.profile, before);
    let candidates = launcher.questions.iter_mut().flat_map(|question| &mut question.candidates);
    for profile in candidates.filter_map(|candidate| candidate.profile.as_mut()) {
        *profile = write::with_shapes(site, profile, before);
    }
    launcher
}

/// Whether a folder is what was pointed at, or lies in it, beside it, or around it.
fn near(path: &Path, dir: &Path) -> bool {
    let (path, dir) = (real_path(path), real_path(dir));
    dir.starts_with(&path) || path.starts_with(&dir) || path.parent() == dir.parent()
}

/// A launcher of which nothing is known but its list.
fn begun(list: &GameList, libraries: &[GameList], home: &Home) -> LearnedLauncher {
    LearnedLauncher {
        games: list.dirs().map(|dir| LearnedGame { title: title_of(dir), install: dir.into() }).collect(),
        libraries: libraries.first().map_or(0, |list| list.dirs().count()),
        ..LearnedLauncher::bare(&home.id, &home.name, &home.path, list.shown())
    }
}

/// Learns a launcher. What may say the library of a game, and may do so by chance, is a question: it is learned with each answer.
fn one(site: &Site, evidence: &Evidence, lists: &LauncherLists, home: &Home) -> LearnedLauncher {
    if lists.games.perhaps.is_empty() {
        return counted(lists, &|lists| one_way(site, evidence, lists, home));
    }
    let with = |reference: Option<Reference>| {
        let others = lists.games.perhaps.iter().filter(|one| Some(*one) != reference.as_ref());
        let dismissed = others.map(|one| one.selector.clone()).collect();
        let games = GameList { dismissed, reference, perhaps: Vec::new(), ..lists.games.clone() };
        let lists = LauncherLists { games, ..lists.clone() };
        let mut way = counted(&lists, &|lists| one_way(site, evidence, lists, home));
        let asked = way.questions.len();
        let counters = way.questions.iter_mut().flat_map(|question| &mut question.candidates);
        let profiles = counters.filter_map(|candidate| candidate.profile.as_mut()).chain([&mut way.profile]);
        for profile in profiles {
            *profile = write::asked_once_more(profile, asked);
        }
        way
    };
    let mut ways: Vec<(Option<&Reference>, LearnedLauncher)> =
        lists.games.perhaps.iter().map(|reference| (Some(reference), with(Some(reference.clone())))).collect();
    // An entry that says nothing else of its place has to say its library.
    let needed = lists.games.perhaps.iter().any(|reference| reference.alone);
    if !needed {
        ways.push((None, with(None)));
    }
    if !ways.iter().any(|(reference, way)| reference.is_some() && way.doubt.is_none()) {
        return ways.swap_remove(0).1;
    }
    let sound = ways.iter().filter(|(_, way)| way.doubt.is_none());
    let mut candidates: Vec<Candidate> = sound
        .map(|(reference, way)| match reference {
            Some(reference) => Candidate { then: asked_of(way), ..candidate(lists, reference, way.profile.clone()) },
            None => Candidate { then: asked_of(way), ..Candidate::none(Some(way.profile.clone())) },
        })
        .collect();
    if candidates.iter().all(|candidate| !candidate.none) {
        candidates.push(Candidate::none(None));
    }
    ways.retain(|(_, way)| way.doubt.is_none());
    let mut launcher = ways.swap_remove(0).1;
    launcher.questions.insert(0, Question { about: Known::Library, candidates });
    launcher
}

/// The answer that a text says the library: what it says, and the library that each of these would be.
fn candidate(lists: &LauncherLists, reference: &Reference, profile: String) -> Candidate {
    let mut told: BTreeMap<&String, &Path> = BTreeMap::new();
    for entry in &lists.games.entries {
        let libraries = lists.libraries.iter().flat_map(GameList::dirs);
        let around = libraries.filter(|library| entry.dir.as_ref().is_some_and(|dir| dir.starts_with(library)));
        let above = around.max_by_key(|library| library.components().count());
        if let (Some(says), Some(above)) = (entry.scalars.get(&reference.selector), above) {
            told.entry(says).or_insert(above);
        }
    }
    let some = told.into_iter().take(3);
    let (examples, libraries) = some.map(|(says, above)| (says.clone(), above.to_path_buf())).unzip();
    Candidate {
        selector: reference.selector.clone(),
        examples,
        libraries,
        none: false,
        profile: Some(profile),
        then: Vec::new(),
    }
}

/// Learns a launcher of which nothing is open that would make another profile of it.
fn one_way(site: &Site, evidence: &Evidence, lists: &LauncherLists, home: &Home) -> LearnedLauncher {
    let LauncherLists { games: list, libraries: libraries_seen, .. } = lists;
    let mut launcher = begun(list, libraries_seen, home);
    if list.examples() < 2 {
        launcher.doubt = Some(Doubt::OneGame);
        return launcher;
    }
    if home.is_beside_games(site, list) {
        launcher.doubt = Some(Doubt::Beside);
        return launcher;
    }
    let mut said = match what_it_says(lists, home) {
        Ok(said) => said,
        Err(doubt) => {
            launcher.doubt = Some(doubt);
            return launcher;
        }
    };
    // What is summed is what a game has, as its launcher sees it.
    let summed = said.libraries.as_ref().and_then(|libraries| libraries.claim.clone());
    said.roles.claim = summed.or(said.roles.claim);
    let Ok(contents) = contents_of(site, list, home, &said.roles, evidence) else {
        launcher.doubt = Some(Doubt::Beside);
        return launcher;
    };
    launcher.content_lists = contents.is_some();
    launcher.known = said.roles.known();
    launcher.questions.clone_from(&said.roles.questions);
    learn_from_more(site, evidence, lists, home, (&said, contents.as_ref()), &mut launcher);
    // Lists that fit some games and not others are none that a proof can go by.
    if launcher.content_lists && launcher.doubt.is_none() && !lists_agree(site, &launcher.profile) {
        launcher.profile = write::without_contents(&launcher.profile);
        launcher.content_lists = false;
    }
    let (games, moves, places) = (launcher.games.len(), launcher.rehearsed, launcher.covered);
    let from = LearnedFrom { games, moves, places, asked: launcher.questions.len(), entry: None, library: None };
    launcher.profile = write::with_learned(&launcher.profile, &from);
    launcher
}

/// What the lists of a launcher say beside the places of its games.
struct Says {
    roles: Roles,
    libraries: Option<LearnedLibraries>,
    /// Records that stand above the entries.
    above: Vec<RecordOfFile>,
}

fn what_it_says(lists: &LauncherLists, home: &Home) -> Result<Says, Doubt> {
    let LauncherLists { games: list, libraries: seen, unclear, .. } = lists;
    let mut roles = roles::of(list, &home.path).ok_or(Doubt::NoId)?;
    let libraries = libraries::of(home, list, &roles, seen, unclear.as_deref())?;
    let above = above::records_above((list, seen, &lists.above), home, &mut roles)?;
    Ok(Says { roles, libraries, above })
}

/// Learns from a few games and proves it with all; what was missed is learned from more of them.
fn learn_from_more(
    site: &Site,
    evidence: &Evidence,
    lists: &LauncherLists,
    home: &Home,
    (said, contents): (&Says, Option<&LearnedContents>),
    launcher: &mut LearnedLauncher,
) {
    let list = &lists.games;
    let mut dirs: Vec<PathBuf> = list.dirs().map(Path::to_path_buf).collect();
    dirs.dedup();
    let (mut taken, mut learned_from) = (FIRST.min(dirs.len()), FIRST.min(dirs.len()));
    let mut finds = evidence.finds(site, &dirs[..taken]);
    for round in 0..ROUNDS {
        let records = records_of(site, list, home, said, &finds[..learned_from], evidence);
        launcher.record_files = records.files();
        launcher.profile = write::profile(home, list, said.libraries.as_ref(), &said.roles, &records, contents);
        launcher.left = evidence::left(&finds);
        launcher.doubt = proof::unsound(site, list, &finds, launcher);
        let missed = matches!(launcher.doubt, Some(Doubt::Missed { .. }));
        // What some games have and others do not is learned from those that have it.
        if round + 1 == ROUNDS || (!missed && taken == dirs.len()) || (missed && learned_from == dirs.len()) {
            break;
        }
        if missed {
            learned_from = taken;
        } else if launcher.doubt.is_some() || taken > learned_from {
            break;
        }
        let more = (taken + FURTHER).min(dirs.len());
        finds.extend(evidence.finds(site, &dirs[taken..more]));
        taken = more;
    }
}

/// The records of some games, as a profile says them.
fn records_of(
    site: &Site,
    list: &GameList,
    home: &Home,
    said: &Says,
    finds: &[(PathBuf, Vec<Find>)],
    evidence: &Evidence,
) -> LearnedRecords {
    let mut records = records::of(site, list, home, &said.roles, finds);
    records.file.extend(said.above.iter().cloned());
    records.entry.extend(list.reference.iter().map(records::reference));
    if list.is_below() {
        let bases = bases_near(site, list.file(), &evidence.layers);
        let below = records::below(list, &Bases { relative_to: None, ..bases });
        // What the games that lie at the top show is one of these.
        let entry = std::mem::take(&mut records.entry).into_iter();
        let others = entry.filter(|said| !below.iter().any(|below| below.selector == said.selector));
        records.entry = others.map(records::from_the_library).collect();
        records.entry.extend(below);
    }
    records
}

fn title_of(dir: &Path) -> String {
    dir.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
