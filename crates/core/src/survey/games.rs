//! The survey itself.

use super::game::{Game, GameId};
use std::collections::HashMap;

use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;

use jiff::Timestamp;
use rayon::prelude::*;
use serde::Serialize;

use crate::bytes::{Bytes, HaulId};
use crate::checksums::{Size, measure};
use crate::launcher::{
    Drift, FoundGame, FoundLauncher, LearnedFrom, Origin, Problem, Profile, ProfileError, load_profiles, read_launchers,
};
use crate::platform::silent_mounts;
use crate::platform::{Drive, Usage};
use crate::site::{Process, Sight, Site, Speeds, Wanted, real_path};
use crate::survey::around::{SeenLink, Shortcut, UserData, Way, look_around};

/// A drive and how full it is.
#[derive(Clone, Debug, Serialize)]
pub struct DriveState {
    /// The drive.
    #[serde(flatten)]
    pub drive: Drive,
    /// Bytes in use.
    pub used: Bytes,
    /// Bytes that may still be written.
    pub free: Bytes,
    /// Bytes in use by games of known launchers.
    pub games: Bytes,
    /// Bytes in use by kept originals.
    #[serde(rename = "kept")]
    pub held: Bytes,
}

/// How a game would fit on a drive, as far as its size and its links tell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fit {
    /// It would, with so many bytes left.
    Room(Bytes),
    /// So many bytes are missing.
    Lacks(Bytes),
    /// The file system has no links, and the game has so many.
    Links(u64),
    /// The drive is read-only.
    ReadOnly,
}

impl DriveState {
    /// How a game would fit where so many bytes may still be written. The names and sizes of its files are looked at by a plan.
    pub fn fit(&self, game: &Game, room: Bytes) -> Fit {
        let (size, drive) = (game.size.on_disk, &self.drive);
        match () {
            () if drive.read_only => Fit::ReadOnly,
            () if game.size.links > 0 && !drive.abilities.links => Fit::Links(game.size.links),
            () if size > room => Fit::Lacks(size.less(room)),
            () => Fit::Room(room.less(size)),
        }
    }
}

/// A library of a launcher.
#[derive(Clone, Debug, Serialize)]
pub struct Library {
    /// Its folder.
    pub path: PathBuf,
    /// Name of the drive it lies on; `None` if that drive is not there.
    pub drive: Option<String>,
    /// Whether new installs go there.
    pub default: bool,
    /// Whether the folder is there.
    pub present: bool,
    /// Number of its games.
    pub games: usize,
    /// Bytes that they take.
    pub bytes: Bytes,
}

/// A launcher on this machine.
#[derive(Clone, Debug, Serialize)]
pub struct Launcher {
    /// Id of its profile.
    pub id: String,
    /// What its profile was learned from, if it was.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub learned: Option<LearnedFrom>,
    /// How its files differ from what it was learned from, if they do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub drift: Option<Drift>,
    /// Its name.
    pub name: String,
    /// Its own folder.
    pub home: PathBuf,
    /// Its processes that are running.
    pub running: Vec<Process>,
    /// Its libraries, in its own order.
    pub libraries: Vec<Library>,
    /// Files of it that could not be read.
    pub problems: Vec<Problem>,
}

/// Originals that a haul still holds.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Held {
    /// The haul.
    pub haul: HaulId,
    /// The game.
    pub game: GameId,
    /// Its title.
    pub title: String,
    /// Where they are.
    pub path: PathBuf,
    /// Name of the drive.
    pub drive: Option<String>,
    /// Bytes that they take.
    pub bytes: Bytes,
}

/// Everything that was found, at one time.
#[derive(Clone, Debug, Serialize)]
pub struct Survey {
    /// When it was made.
    pub made: Timestamp,
    /// Drives.
    pub drives: Vec<DriveState>,
    /// Launchers.
    pub launchers: Vec<Launcher>,
    /// Games, by launcher and in its order.
    pub games: Vec<Game>,
    /// User data of games.
    pub user_data: Vec<UserData>,
    /// Desktop entries that start games.
    pub shortcuts: Vec<Shortcut>,
    /// Links that lead into games, or nowhere.
    pub links: Vec<SeenLink>,
    /// Held originals.
    #[serde(rename = "kept")]
    pub held: Vec<Held>,
    /// Profiles and drives that could not be read.
    pub problems: Vec<Problem>,
    /// What is known of the speeds of drives; nothing until somebody who has the journal puts it here.
    pub speeds: Speeds,
    /// What the launchers keep written down, for planning.
    #[serde(skip)]
    pub found: Vec<FoundLauncher>,
    /// Whether sizes are true; in a sketch they are the launchers' claims.
    #[serde(skip)]
    pub measured: bool,
}

/// How far a survey is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SurveyPhase {
    /// Games measured.
    pub measured: usize,
    /// Games in all.
    pub games: usize,
}

/// Looks at everything; `report` hears how many games are measured.
///
/// `held` is what the journal knows of kept originals. Nothing is written.
pub fn survey(site: &Site, held: Vec<Held>, report: &(dyn Fn(SurveyPhase) + Sync)) -> Survey {
    let (mut found, mut problems) = read(site);
    let around = look_around(site, &mut found);
    let flat: Vec<(&FoundLauncher, &FoundGame)> =
        found.iter().flat_map(|launcher| launcher.games.iter().map(move |game| (launcher, game))).collect();
    let count = flat.len();
    let done = Mutex::new(0);
    let games: Vec<Game> = flat
        .par_iter()
        .map(|(launcher, game)| {
            let game = survey_game(site, launcher, game);
            let mut done = done.lock().unwrap_or_else(PoisonError::into_inner);
            *done += 1;
            report(SurveyPhase { measured: *done, games: count });
            game
        })
        .collect();
    let usages: Vec<_> = site.drives.par_iter().map(|drive| (drive, drive.usage())).collect();
    let mut drives = Vec::new();
    for (drive, usage) in usages {
        let usage = usage.unwrap_or_else(|error| {
            let what = format!("the drive {} unreadable: {error}", drive.name);
            problems.push(Problem { file: drive.root.clone(), line: None, what });
            Usage { capacity: drive.capacity, used: Bytes::ZERO, free: Bytes::ZERO }
        });
        drives.push(drive_state(drive, usage, &games, &held));
    }
    problems.extend(around.problems);
    tracing::info!(games = games.len(), drives = drives.len(), launchers = found.len(), "surveyed");
    for problem in &problems {
        tracing::warn!(file = ?problem.file, line = problem.line, what = problem.what, "not read");
    }
    let (data, shortcuts, links) = (around.data, around.shortcuts, around.links);
    Survey { user_data: data, shortcuts, links, measured: true, ..joined(site, found, games, drives, held, problems) }
}

/// Looks at drives and at what launchers keep written down, and measures nothing: at once, to be shown until the survey is
/// there. Sizes are the launchers' claims, and nothing that lies around games is looked for.
pub fn sketch(site: &Site, held: Vec<Held>) -> Survey {
    let (found, problems) = read(site);
    let claimed = |launcher: &FoundLauncher, game: &FoundGame| {
        let claim = game.claim.unwrap_or(Bytes::ZERO);
        Game { size: Size { on_disk: claim, apparent: claim, ..Size::default() }, ..unmeasured(site, launcher, game) }
    };
    let games: Vec<Game> =
        found.iter().flat_map(|launcher| launcher.games.iter().map(move |game| claimed(launcher, game))).collect();
    let drive = |drive: &Drive| {
        let of_games =
            drive_state(drive, Usage { capacity: drive.capacity, used: Bytes::ZERO, free: Bytes::ZERO }, &games, &held);
        // The files of a declared drive would have to be walked.
        let usage = if drive.declared { None } else { drive.usage().ok() };
        let used = of_games.games.plus(of_games.held);
        let usage = usage.unwrap_or(Usage { capacity: drive.capacity, used, free: drive.capacity.less(used) });
        drive_state(drive, usage, &games, &held)
    };
    let drives = site.drives.iter().map(drive).collect();
    joined(site, found, games, drives, held, problems)
}

fn read(site: &Site) -> (Vec<FoundLauncher>, Vec<Problem>) {
    let (profiles, errors) = load_profiles(&site.profile_folder());
    let silent = |file: PathBuf| Problem {
        file,
        line: None,
        what: "the drive here doesn't answer; what is on it is left out".into(),
    };
    let problems = errors.iter().map(profile_problem).chain(silent_mounts().into_iter().map(silent));
    (read_launchers(site, &profiles), problems.collect())
}

fn drive_state(drive: &Drive, usage: Usage, games: &[Game], held: &[Held]) -> DriveState {
    let on = |name: &Option<String>| name.as_ref() == Some(&drive.name);
    DriveState {
        drive: Drive { capacity: usage.capacity, ..drive.clone() },
        used: usage.used,
        free: usage.free,
        games: games.iter().filter(|game| on(&game.drive)).map(|game| game.size.on_disk).sum(),
        held: held.iter().filter(|held| on(&held.drive)).map(|held| held.bytes).sum(),
    }
}

fn joined(
    site: &Site,
    found: Vec<FoundLauncher>,
    games: Vec<Game>,
    drives: Vec<DriveState>,
    held: Vec<Held>,
    problems: Vec<Problem>,
) -> Survey {
    let launchers = found
        .iter()
        .filter(|f| f.profile.origin != Origin::UserData)
        .map(|launcher| survey_launcher(site, launcher, &games))
        .collect();
    Survey {
        made: Timestamp::now(),
        drives,
        launchers,
        games,
        user_data: Vec::new(),
        shortcuts: Vec::new(),
        links: Vec::new(),
        held,
        problems,
        speeds: Speeds::default(),
        found,
        measured: false,
    }
}

fn profile_problem(error: &ProfileError) -> Problem {
    let file = match error {
        ProfileError::Read { file, .. } | ProfileError::Unsound { file, .. } => file.clone(),
    };
    let what = error.to_string();
    let line =
        what.split("line ").nth(1).and_then(|rest| rest.split(|c: char| !c.is_ascii_digit()).next()?.parse().ok());
    Problem { file, line, what }
}

fn survey_game(site: &Site, launcher: &FoundLauncher, game: &FoundGame) -> Game {
    // A place that cannot be a game is not measured: it may be the whole machine.
    let size = if game.fault.is_none() { measure(&game.install) } else { Size::default() };
    Game { size, ..unmeasured(site, launcher, game) }
}

fn unmeasured(site: &Site, launcher: &FoundLauncher, game: &FoundGame) -> Game {
    Game {
        id: GameId(format!("{}/{}", launcher.profile.id, game.id)),
        launcher: launcher.profile.id.clone(),
        drive: site.drive_of(&game.install).map(|drive| drive.name.clone()),
        found: game.clone(),
        size: Size::default(),
    }
}

fn survey_launcher(site: &Site, found: &FoundLauncher, games: &[Game]) -> Launcher {
    let mut sums: HashMap<&PathBuf, (usize, Bytes)> = HashMap::new();
    for game in games.iter().filter(|game| game.launcher == found.profile.id) {
        if let Some(library) = &game.found.library {
            let sum = sums.entry(library).or_default();
            *sum = (sum.0 + 1, sum.1.plus(game.size.on_disk));
        }
    }
    let library = |library: &crate::launcher::FoundLibrary| {
        let (games, bytes) = sums.get(&library.path).copied().unwrap_or_default();
        let drive = library.present.then(|| site.drive_of(&library.path)).flatten();
        Library {
            path: library.path.clone(),
            drive: drive.map(|drive| drive.name.clone()),
            default: library.default,
            present: library.present,
            games,
            bytes,
        }
    };
    let named = Wanted { names: &found.profile.processes, paths: &[] };
    Launcher {
        id: found.profile.id.clone(),
        learned: found.profile.learned.clone(),
        drift: found.drift(),
        name: found.profile.name.clone(),
        home: found.home.clone(),
        running: site.processes_using(named).0.into_iter().filter(|p| p.why == Sight::Named).collect(),
        libraries: found.libraries.iter().map(library).collect(),
        problems: found.problems.clone(),
    }
}

impl Survey {
    /// The launcher of this id.
    pub fn launcher(&self, id: &str) -> Option<&Launcher> {
        self.launchers.iter().find(|launcher| launcher.id == id)
    }

    /// The game of this name.
    pub fn game(&self, id: &GameId) -> Option<&Game> {
        self.games.iter().find(|game| game.id == *id)
    }

    /// What an item of a draft moves: a game, or user data by one of its ways.
    pub fn haulable(&self, id: &GameId, way: Option<Way>) -> Option<&Game> {
        self.game(id).or_else(|| {
            let data = self.data(id)?;
            let way = way.or_else(|| data.ways.first().copied());
            data.items.iter().find(|(by, _)| Some(*by) == way).map(|(_, game)| game)
        })
    }

    /// The user data of this name.
    pub fn data(&self, id: &GameId) -> Option<&UserData> {
        self.user_data.iter().find(|data| data.id == *id)
    }

    /// Looks anew at how full the drives are; nothing else has to be looked at again before a plan.
    pub fn look_at_room(&mut self) {
        for state in self.drives.iter_mut().filter(|state| !state.drive.absent) {
            if let Ok(usage) = state.drive.usage() {
                (state.used, state.free) = (usage.used, usage.free);
                state.drive.capacity = usage.capacity;
            }
        }
    }

    /// Whether another drive than its own has room for a game above that drive's reserve.
    pub fn fits_elsewhere(&self, game: &Game) -> bool {
        self.drives.iter().any(|state| {
            let room = state.free.less(state.drive.reserve);
            Some(&state.drive.name) != game.drive.as_ref() && room > Bytes::ZERO && room >= game.size.on_disk
        })
    }

    /// The drive of this name.
    pub fn drive(&self, name: &str) -> Option<&DriveState> {
        self.drives.iter().find(|state| state.drive.name == name)
    }

    /// The profile of this id, among the launchers that were found.
    pub fn profile(&self, id: &str) -> Option<&Profile> {
        self.found.iter().map(|found| &found.profile).find(|profile| profile.id == id)
    }

    /// Games that a person may mean by a word: the id, the install folder, or the title from its beginning or within it, whatever the case.
    pub fn find_games(&self, word: &str) -> Vec<&Game> {
        let folder = Path::new(word);
        if folder.is_absolute() {
            let real = real_path(folder);
            let lies = |game: &&Game| game.found.install == folder || real_path(&game.found.install) == real;
            let here: Vec<&Game> = self.games.iter().filter(lies).collect();
            if !here.is_empty() {
                return here;
            }
        }
        let low = word.to_lowercase();
        let exact = |game: &&Game| game.id.0 == word || game.found.id == word || game.found.title.to_lowercase() == low;
        let begins = |game: &&Game| game.found.title.to_lowercase().starts_with(&low) || game.found.folder == word;
        let holds = |game: &&Game| game.found.title.to_lowercase().contains(&low);
        let tries: [&dyn Fn(&&Game) -> bool; 3] = [&exact, &begins, &holds];
        let found = tries.iter().map(|test| self.games.iter().filter(|game| test(game)).collect::<Vec<_>>());
        found.into_iter().find(|games| !games.is_empty()).unwrap_or_default()
    }
}
