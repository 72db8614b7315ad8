//! User data of games: where it lies, how large it is, and the ways in which it can be moved.
//!
//! It is known from profiles, from the person's own list, from paths in the settings of games, and from folders
//! that have a game's name where programs keep their data.

use super::shortcuts::user_directories;
use super::values::{Around, DataSource, Folders, UserData, Way, game_id, plain};
use crate::survey::{Game, GameId};
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use super::links::{link_record, where_link_leads};
use super::listed::{ListedData, read_list};
use crate::checksums::{Size, measure};
use crate::launcher::{
    DataKind, FoundGame, FoundLauncher, Origin, PlaceFault, Profile, Record, place_fault, plain_record, read_setting,
};
use crate::platform::{self, Look};
use crate::record::{Side, Source, Spelling, Values};
use crate::site::{Site, real_path};
use crate::trace::{leaves, shapes};

/// What may be user data, before it is looked at.
struct Candidate {
    game: Option<(GameId, String, String)>,
    kind: DataKind,
    path: PathBuf,
    setting: Option<Record>,
    /// Whether the game asks for what it last had open once the setting has changed.
    asks_again: bool,
    source: DataSource,
    name: Option<String>,
}

/// Finds all user data.
pub(crate) fn look(site: &Site, found: &mut Vec<FoundLauncher>, around: &mut Around) {
    let mut candidates: Vec<Candidate> = Vec::new();
    for launcher in found.iter() {
        for game in &launcher.games {
            candidates.extend(of_profile(site, launcher, game));
        }
    }
    match read_list(site) {
        Ok(list) => candidates.extend(list.into_iter().filter_map(|listed| of_person(found, listed))),
        Err(problem) => around.problems.push(problem),
    }
    let kept_off = kept_off(site, found);
    let games: Vec<(&FoundLauncher, &FoundGame)> =
        found.iter().flat_map(|f| f.games.iter().map(move |game| (f, game))).collect();
    let for_settings = Named::below(&[site.places.config.clone(), site.places.data.clone()]);
    let for_data = Named::below(&data_places(site));
    let by_itself: Vec<Candidate> = games
        .par_iter()
        .filter(|(_, game)| game.fault.is_none())
        .flat_map_iter(|(launcher, game)| {
            let settings = of_settings(site, launcher, game, &for_settings, &kept_off);
            settings.into_iter().chain(of_name(launcher, game, &for_data, &kept_off))
        })
        .collect();
    candidates.extend(by_itself);
    let installs = Folders::of(games.iter().map(|(_, game)| real_path(&game.install)));
    let mut known = none_twice(site, candidates, &installs);
    let directories: Vec<Candidate> = user_directories(site)
        .into_iter()
        .filter(|(_, path, _)| *path != site.places.home && known.iter().any(|data| data.path.starts_with(path)))
        .map(|(name, path, record)| Candidate {
            game: None,
            kind: DataKind::Directory,
            path,
            setting: Some(record),
            asks_again: false,
            source: DataSource::Directory,
            name: Some(name),
        })
        .collect();
    known.extend(directories);
    around.data = known.par_iter().map(|candidate| looked_at(site, candidate, &installs)).collect();
    name_apart(&mut around.data);
    if !around.data.is_empty() {
        found.push(as_launcher(site));
    }
}

/// Each folder once, with what is bad beside what is well.
fn none_twice(site: &Site, candidates: Vec<Candidate>, installs: &Folders) -> Vec<Candidate> {
    let mut known: Vec<Candidate> = Vec::new();
    let (mut taken, mut by_path) = (Folders::default(), HashMap::<PathBuf, usize>::new());
    for candidate in candidates {
        let here = real_path(&candidate.path);
        let bad = fault_of(site, &candidate.path, &here, installs).is_some();
        if let Some(same) = by_path.get(&candidate.path).and_then(|nth| known.get_mut(*nth)) {
            same.setting = same.setting.take().or(candidate.setting);
            continue;
        }
        if !bad {
            // The folder above, or one within, may be known already.
            if taken.touched_by(&here).is_some() {
                continue;
            }
            taken.add(here);
        }
        // What is bad is shown with what is wrong, and takes nothing from the others.
        by_path.insert(candidate.path.clone(), known.len());
        known.push(candidate);
    }
    known
}

/// Numbers of those that would be called alike.
fn name_apart(all: &mut [UserData]) {
    let mut seen: HashSet<GameId> = HashSet::new();
    for data in all {
        let first = data.id.clone();
        let mut nth = 2;
        while seen.contains(&data.id) {
            data.id = GameId(format!("{}-{nth}", first.0));
            nth += 1;
        }
        seen.insert(data.id.clone());
        for (_, item) in &mut data.items {
            item.id = data.id.clone();
        }
    }
}

/// The launcher that user data seems to have, so that it can be drafted and planned like any game.
fn as_launcher(site: &Site) -> FoundLauncher {
    let profile = Profile::made_up(Origin::UserData, "User data", Some("{drive}/user-data"));
    let home = site.places.home.clone();
    FoundLauncher::bare(profile, home)
}

fn named(launcher: &FoundLauncher, game: &FoundGame) -> (GameId, String, String) {
    (game_id(launcher, game), game.title.clone(), game.folder.clone())
}

fn values_of(site: &Site, launcher: &FoundLauncher, game: &FoundGame) -> Values {
    let text = |path: &Path| path.to_string_lossy().into_owned();
    launcher
        .values(site)
        .with("id", &game.id)
        .with("folder", &game.folder)
        .with("install", text(&game.install))
        .with("parent", text(game.install.parent().unwrap_or(Path::new("/"))))
}

fn of_profile(site: &Site, launcher: &FoundLauncher, game: &FoundGame) -> Vec<Candidate> {
    let (values, bases) = (values_of(site, launcher, game), launcher.bases(site));
    let all = launcher.profile.user_data.iter().filter(|data| data.is_of(&game.id));
    let one = |data: &crate::launcher::UserDataAt| {
        let setting = data.setting.as_ref().and_then(|at| read_setting(&bases, &values, at));
        let said = data.path.as_ref().and_then(|path| path.fill(&values).ok()).map(PathBuf::from);
        let (path, setting) = match setting {
            Some(setting) => (setting.folder, Some(setting.record)),
            None => (said?, None),
        };
        let there = path.look_own_meta().is_ok();
        let game = Some(named(launcher, game));
        there.then_some(Candidate {
            game,
            kind: data.kind,
            path,
            setting,
            asks_again: data.setting.as_ref().is_some_and(|setting| setting.asks_again),
            source: DataSource::Profile,
            name: None,
        })
    };
    all.filter_map(one).collect()
}

fn of_person(found: &[FoundLauncher], listed: ListedData) -> Option<Candidate> {
    let mut games = found.iter().flat_map(|f| f.games.iter().map(move |game| (f, game)));
    let (launcher, game) = games.find(|(launcher, game)| game_id(launcher, game) == listed.game)?;
    let game = Some(named(launcher, game));
    Some(Candidate {
        game,
        kind: listed.kind,
        path: listed.path,
        setting: None,
        asks_again: false,
        source: DataSource::Person,
        name: None,
    })
}

/// Folders that are nobody's user data: games, launchers, libraries.
fn kept_off(site: &Site, found: &[FoundLauncher]) -> Folders {
    let games = found.iter().flat_map(|f| &f.games).map(|game| &game.install);
    let own = found.iter().filter(|f| f.profile.games.file.names("home")).map(|f| &f.home);
    let libraries = found.iter().flat_map(|f| &f.libraries).map(|library| &library.path);
    let ours = [site.state_folder(), site.places.config.join("deft-barge")];
    Folders::of(games.chain(own).chain(libraries).map(|path| real_path(path)).chain(ours))
}

fn kind_of(words: &str) -> Option<DataKind> {
    let words = words.to_lowercase();
    let has = |some: &[&str]| some.iter().any(|word| words.contains(word));
    if has(&["save"]) {
        Some(DataKind::Saves)
    } else if has(&["screenshot", "capture"]) {
        Some(DataKind::Screenshots)
    } else if has(&["mod"]) {
        Some(DataKind::Mods)
    } else if has(&["content", "custom", "maps"]) {
        Some(DataKind::Content)
    } else {
        None
    }
}

/// Names that a game may have where programs keep settings and data.
fn names_of(game: &FoundGame) -> Vec<String> {
    let mut names = vec![plain(&game.folder), plain(&game.title)];
    names.retain(|name| name.chars().count() >= 4);
    names.dedup();
    names
}

/// Folders where programs keep settings and data, by the plain form of their names.
#[derive(Default)]
struct Named(HashMap<String, Vec<PathBuf>>);

impl Named {
    fn below(above: &[PathBuf]) -> Self {
        let mut named = Self::default();
        for entry in above.iter().flat_map(|folder| platform::read_dir(folder).into_iter().flatten().flatten()) {
            if entry.file_type().is_ok_and(|kind| kind.is_dir() || kind.is_symlink()) {
                named.0.entry(plain(&entry.file_name().to_string_lossy())).or_default().push(entry.path());
            }
        }
        named
    }

    /// The folders that have the game's name.
    fn of(&self, game: &FoundGame) -> Vec<PathBuf> {
        let mut all: Vec<PathBuf> =
            names_of(game).iter().filter_map(|name| self.0.get(name)).flatten().cloned().collect();
        all.sort();
        all
    }
}

/// Settings files that are looked into per game, and their size, at most: our own bounds.
const SETTINGS: usize = 40;
const LARGEST: u64 = 256 * 1024;

fn settings_below(folder: &Path, depth: usize, out: &mut Vec<PathBuf>) {
    for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        let Ok(meta) = platform::entry_meta(&entry) else { continue };
        if meta.is_folder() && depth > 0 {
            settings_below(&path, depth - 1, out);
        }
        let end = path.extension().map(|end| end.to_string_lossy().to_lowercase()).unwrap_or_default();
        let text = ["ini", "cfg", "conf", "json", "toml", "xml", "yaml", "yml"].contains(&end.as_str());
        if meta.is_file() && text && meta.size <= LARGEST && out.len() < SETTINGS {
            out.push(path);
        }
    }
}

/// Folders that the game's own settings name, outside of it.
fn of_settings(
    site: &Site,
    launcher: &FoundLauncher,
    game: &FoundGame,
    own: &Named,
    kept_off: &Folders,
) -> Vec<Candidate> {
    let mut files = Vec::new();
    settings_below(&game.install, 0, &mut files);
    for folder in own.of(game) {
        if !folder.look_is_link() {
            settings_below(&folder, 2, &mut files);
        }
    }
    let records: Vec<&Path> = game.records.iter().map(|record| record.file.as_path()).collect();
    let names = names_of(game);
    let bases = launcher.bases(site);
    let mut all = Vec::new();
    for file in files.iter().filter(|file| !records.contains(&file.as_path())) {
        let bases = bases.seen_from(file);
        for shape in shapes(file) {
            let Ok(source) = Source::read(file, shape) else { continue };
            let found = leaves(&source).into_iter().filter_map(|(place, side, text)| {
                let (spelling, path) = Spelling::read(&text, &bases).ok()?;
                let absolute = !spelling.is_relative() && side == Side::Value && text.len() < 4096;
                let here = real_path(&path);
                let free = kept_off.touched_by(&here).is_none() && !file.starts_with(&here);
                let sound = place_fault(site, &here, None).is_none();
                if !absolute || !free || !sound {
                    return None;
                }
                let own_name = here.iter().any(|part| names.contains(&plain(&part.to_string_lossy())));
                let kind = kind_of(&format!("{place} {}", path.file_name()?.to_string_lossy()));
                let kind = kind.or_else(|| own_name.then_some(DataKind::Saves))?;
                let setting = Some(plain_record(file, shape, &source, &place, text, &spelling));
                let game = Some(named(launcher, game));
                Some(Candidate {
                    game,
                    kind,
                    path,
                    setting,
                    asks_again: false,
                    source: DataSource::Setting,
                    name: None,
                })
            });
            let found: Vec<Candidate> = found.collect();
            if !found.is_empty() {
                all.extend(found);
                break;
            }
        }
    }
    all
}

/// Where programs keep data that has a game's name.
fn data_places(site: &Site) -> Vec<PathBuf> {
    let mut above = vec![site.places.data.clone(), site.places.home.clone()];
    for (name, path, _) in user_directories(site) {
        if name == platform::DOCUMENTS && path != site.places.home {
            above.push(path.join("My Games"));
            above.push(path);
        }
    }
    above
}

/// Folders that have the game's name where programs keep their data.
fn of_name(launcher: &FoundLauncher, game: &FoundGame, own: &Named, kept_off: &Folders) -> Vec<Candidate> {
    let free = |path: &PathBuf| kept_off.touched_by(&real_path(path)).is_none();
    own.of(game)
        .into_iter()
        .filter(free)
        .map(|path| Candidate {
            game: Some(named(launcher, game)),
            kind: DataKind::Saves,
            path,
            setting: None,
            asks_again: false,
            source: DataSource::Name,
            name: None,
        })
        .collect()
}

/// The word for a kind, as it stands in ids and titles.
fn word(kind: DataKind) -> &'static str {
    match kind {
        DataKind::Saves => "saves",
        DataKind::Mods => "mods",
        DataKind::Screenshots => "screenshots",
        DataKind::Content => "custom content",
        DataKind::Directory => "directory",
    }
}

fn fault_of(site: &Site, path: &Path, place: &Path, installs: &Folders) -> Option<PlaceFault> {
    if path.look_own_meta().is_ok_and(|meta| meta.is_link()) {
        match path.look_meta() {
            Ok(_) => {}
            Err(error) if platform::is_circle(&error) => {
                return Some(PlaceFault::Loop);
            }
            Err(_) => return Some(PlaceFault::Missing),
        }
    }
    let in_the_way = installs.touched_by(place);
    place_fault(site, place, None).or_else(|| in_the_way.map(|install| PlaceFault::Game(install.clone())))
}

fn looked_at(site: &Site, candidate: &Candidate, installs: &Folders) -> UserData {
    let Candidate { game, kind, path, setting, asks_again, source, name } = candidate;
    let link = path.look_link().ok();
    let place = real_path(path);
    let fault = fault_of(site, path, &place, installs);
    let size = if fault.is_none() { measure(&place) } else { Size::default() };
    let drive = site.drive_of(&place).map(|drive| drive.name.clone());
    let ways = if fault.is_none() { ways_of(site, candidate, link.is_some()) } else { Vec::new() };
    let word = word(*kind);
    let (owner, title, folder) = if let Some((id, title, folder)) = game {
        (id.0.clone(), format!("{title}: {word}"), format!("{folder}/{word}"))
    } else {
        let said = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        ("directory".into(), format!("{said} (user directory)"), said)
    };
    let id = GameId::made_up(Origin::UserData, format_args!("{owner}/{}", name.as_deref().unwrap_or(word)));
    let items = ways.iter().map(|way| {
        let mut records = Vec::new();
        if *way != Way::Link {
            records.extend(setting.clone());
        }
        if let Some(says) = &link {
            records.extend(link_record(path, says, Path::new("")));
        }
        let unlisted = FoundGame::unlisted(id.0.clone(), title.clone(), &place, folder.clone());
        let found = FoundGame { fault: fault.clone(), records, ..unlisted };
        (
            *way,
            Game {
                id: id.clone(),
                launcher: Origin::UserData.profile_id().unwrap_or_default().into(),
                found,
                drive: drive.clone(),
                size,
            },
        )
    });
    let items = items.collect();
    UserData {
        game: game.as_ref().map(|(id, ..)| id.clone()),
        id,
        title,
        kind: *kind,
        path: path.clone(),
        link: link.map(|says| where_link_leads(path, &says)),
        place,
        drive,
        size,
        source: *source,
        setting: setting.as_ref().map(|record| record.file.clone()),
        asks_again: *asks_again,
        ways,
        fault,
        items,
    }
}

/// By what ways the data can be moved, the best first.
fn ways_of(site: &Site, candidate: &Candidate, is_link: bool) -> Vec<Way> {
    let Candidate { kind, path, setting, .. } = candidate;
    let holds_links = |path: &Path| site.drive_of(path).is_none_or(|drive| drive.abilities.links && !drive.read_only);
    let mut ways = Vec::new();
    if is_link {
        ways.push(Way::Link);
    }
    if setting.is_some() {
        ways.push(if *kind == DataKind::Directory { Way::Directory } else { Way::Setting });
    }
    if !is_link && path.parent().is_some_and(holds_links) {
        ways.push(Way::Link);
    }
    ways
}
