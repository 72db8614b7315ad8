//! Adopting: files that are on a drive already become an installed game of their launcher.
//!
//! Law: every record that a fresh install would have written is made from the launcher's own example, or from its profile;
//! the files are read against the launcher's content list, and what is missing is told in bytes.

use std::path::{Path, PathBuf};

use serde::Serialize;

use super::alone::{item, plan_of, with_edits};
use crate::bytes::Bytes;
use crate::checksums::measure;
use crate::item::{Finding, FindingKind, PlannedItem, Policy, Strategy};
use crate::launcher::{ContentList, FoundGame, FoundLauncher, ListedFile, Origin, PlaceFault, place_fault};
use crate::plan::Plan;
use crate::plan::drifted::drifted;
use crate::plan::edits::{NewGame, Target, enter, make_known, quoted_in};
use crate::platform::Drive;
use crate::platform::Look;
use crate::record::{Edit, Values};
use crate::site::{Site, real_path};
use crate::survey::FolderListing;
use crate::survey::{GameId, Survey};

/// What is to be adopted, and as what.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Import {
    /// The folder.
    pub path: PathBuf,
    /// Id of the launcher's profile.
    pub launcher: String,
    /// The launcher's id of the game.
    pub id: String,
    /// The title; by the content list where nothing is said.
    pub title: Option<String>,
    /// The program that starts it, below the folder; by the content list where nothing is said.
    pub program: Option<String>,
    /// Name of the drive that it goes to; it stays on its own where nothing is said.
    pub to: Option<String>,
}

/// Where an adopted game will lie, and what is known of it.
struct ImportPlace<'a> {
    found: &'a FoundLauncher,
    drive: &'a Drive,
    library: Option<PathBuf>,
    new_library: bool,
    install: PathBuf,
    list: Option<ContentList>,
}

/// Plans to make a folder an installed game. Writes nothing.
pub fn plan_import(site: &Site, survey: &Survey, adoption: &Import) -> Plan {
    let mut findings = Vec::new();
    let name = adoption.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let title = adoption.title.clone().unwrap_or_else(|| name.clone());
    let id = GameId::of(&adoption.launcher, &adoption.id);
    let items = match adopted(site, survey, adoption, &mut findings) {
        Ok(item) => vec![item],
        Err(kind) => {
            findings.push(Finding::about(&id, &title, kind));
            Vec::new()
        }
    };
    plan_of(site, survey, items, findings, Policy::Hold)
}

fn adopted(
    site: &Site,
    survey: &Survey,
    adoption: &Import,
    findings: &mut Vec<Finding>,
) -> Result<PlannedItem, FindingKind> {
    let place = place_of(site, survey, adoption)?;
    let (found, install) = (place.found, &place.install);
    findings.extend(drifted([found].into_iter()));
    let list = place.list.as_ref();
    let title = adoption.title.clone().or_else(|| list.and_then(|list| list.title.clone()));
    let title = title.unwrap_or_else(|| adoption.id.clone());
    let id = GameId::of(&adoption.launcher, &adoption.id);
    let say = |kind| Finding::about(&id, &title, kind);
    let listing = FolderListing::of(&adoption.path);
    match list {
        None => findings.push(say(FindingKind::NoContentList { launcher: found.profile.name.clone() })),
        Some(list) => findings.extend(incomplete(list, &listing).map(say)),
    }
    let bytes: u64 = list.map_or_else(
        || measure(&adoption.path).apparent.count(),
        |list| list.listed_files.iter().map(|listed| listed.bytes(listing.size_of(&listed.path))).sum(),
    );
    let program = adoption.program.clone().or_else(|| list.and_then(|list| list.program.clone()));
    let new = NewGame {
        id: &adoption.id,
        title: &title,
        install,
        library: place.library.as_deref(),
        bytes,
        program: program.as_deref(),
        lies: &adoption.path,
    };
    let target = Target {
        install,
        library: place.library.as_deref(),
        new_library: place.new_library,
        root: &place.drive.root,
        letters: crate::plan::edits::MakeLetters::No,
    };
    let mut edits = Vec::new();
    if let Some(library) = &place.library {
        edits.extend(library_known(site, found, library, place.new_library)?);
        if place.new_library {
            findings.push(say(FindingKind::NewLibrary { launcher: found.profile.name.clone(), path: library.clone() }));
        }
    }
    edits.push(enter(site, found, &new, &target).map_err(unchangeable)?);
    edits.extend(own_files(site, found, &new)?);
    let id = GameId(format!("{}/{}", found.profile.id, adoption.id));
    let mode = mode_of(site, &adoption.path, install, place.drive);
    if mode != Strategy::Import && install.look_own_meta().is_ok() {
        findings.push(say(FindingKind::TargetThere { path: install.clone() }));
    }
    let bare = item(site, (Origin::Launcher, id), title, mode, adoption.path.clone(), install.clone());
    let bare = with_room(survey, bare, place.drive, findings);
    Ok(with_edits(bare, found, edits))
}

fn unchangeable(why: String) -> FindingKind {
    FindingKind::RecordsUnchangeable { why }
}

/// What the content list has and the folder has not.
fn incomplete(list: &ContentList, listing: &FolderListing) -> Option<FindingKind> {
    let lacking = |listed: &&ListedFile| !is_there(listing, listed);
    let (files, bytes) = list
        .listed_files
        .iter()
        .filter(lacking)
        .fold((0_usize, 0), |(files, bytes), listed| (files + 1, bytes + listed.bytes(None)));
    (files > 0).then(|| FindingKind::Incomplete { files, bytes: Bytes::new(bytes) })
}

/// The edits that make the library of the new game known.
fn library_known(site: &Site, found: &FoundLauncher, library: &Path, is_new: bool) -> Result<Vec<Edit>, FindingKind> {
    let values = found.values(site).with("library", library.to_string_lossy());
    let file = found.profile.games.file.fill(&values).map_err(|e| unchangeable(e.to_string()));
    match file {
        Ok(file) => {
            let known = make_known(site, found, &found.bases(site), (library, Path::new(&file), is_new), &[]);
            Ok(known.map_err(|why| unchangeable(why.why()))?.into_iter().collect())
        }
        // One file for each game is no file of the library.
        Err(why) if is_new => Err(why),
        Err(_) => Ok(Vec::new()),
    }
}

fn mode_of(site: &Site, from: &Path, to: &Path, drive: &Drive) -> Strategy {
    if real_path(from) == real_path(to) {
        return Strategy::Import;
    }
    let device = |path: &Path| path.ancestors().find_map(|p| p.look_meta().ok()).map(|meta| meta.device);
    let mount = |path: &Path| site.mount_of(&real_path(path)).cloned();
    let same = mount(from) == mount(to) && (drive.declared || device(from) == device(to));
    if same { Strategy::Rename } else { Strategy::Copy }
}

/// The item with its size and what it needs; says if there is no room for that.
fn with_room(survey: &Survey, bare: PlannedItem, drive: &Drive, findings: &mut Vec<Finding>) -> PlannedItem {
    let size = measure(&bare.from);
    let need = if bare.mode == Strategy::Copy { size.on_disk.max(size.apparent) } else { Bytes::ZERO };
    let free = survey.drive(&drive.name).map_or(Bytes::ZERO, |state| state.free);
    let lacks = need.plus(drive.reserve).less(free);
    if bare.mode == Strategy::Copy && lacks > Bytes::ZERO {
        let (drive, reserve) = (drive.name.clone(), drive.reserve);
        findings.push(Finding::general(FindingKind::NoRoom { drive, lacks, reserve }));
    }
    PlannedItem { size, need, ..bare }
}

/// Plans to bring a folder to where its launcher will look for it; no items if it is there already. Writes nothing.
pub fn plan_staging(site: &Site, survey: &Survey, adoption: &Import) -> Plan {
    let mut findings = Vec::new();
    let name = adoption.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let id = GameId::made_up(Origin::Cleanup, adoption.path.display());
    let items = match place_of(site, survey, adoption) {
        Err(kind) => {
            findings.push(Finding::about(&id, &name, kind));
            Vec::new()
        }
        Ok(place) => {
            let stage = place.found.place_on(site, place.drive).filter(|_| place.library.is_none());
            let to = stage.map_or(place.install.clone(), |folder| folder.join(&name));
            match mode_of(site, &adoption.path, &to, place.drive) {
                Strategy::Import => Vec::new(),
                mode => {
                    if to.look_own_meta().is_ok() {
                        findings.push(Finding::about(&id, &name, FindingKind::TargetThere { path: to.clone() }));
                    }
                    let bare = item(site, (Origin::Cleanup, id), name, mode, adoption.path.clone(), to);
                    vec![with_room(survey, bare, place.drive, &mut findings)]
                }
            }
        }
    };
    plan_of(site, survey, items, findings, Policy::Hold)
}

/// Finds the launcher, its content list, and where the game will lie.
fn place_of<'a>(site: &'a Site, survey: &'a Survey, adoption: &Import) -> Result<ImportPlace<'a>, FindingKind> {
    let path = &adoption.path;
    let no = |what: &str| FindingKind::NoDestination { what: what.into() };
    let found = survey.found.iter().find(|found| found.profile.id == adoption.launcher);
    let found = found.ok_or_else(|| no(&adoption.launcher))?;
    if adoption.id.is_empty() || adoption.id.contains('/') || adoption.id.contains("..") {
        return Err(FindingKind::RecordsUnchangeable { why: format!("{:?} isn't a game's id", adoption.id) });
    }
    let bad = |fault| FindingKind::BadPlace { path: path.clone(), fault };
    if let Some(fault) = place_fault(site, path, None) {
        return Err(bad(fault));
    }
    let here = real_path(path);
    let sound = survey.games.iter().filter(|game| game.fault().is_none());
    for game in sound {
        let other = real_path(&game.found.install);
        if other.starts_with(&here) || here.starts_with(&other) {
            return Err(bad(PlaceFault::Game(game.found.install.clone())));
        }
    }
    let known = found.games.iter().find(|game| game.id == adoption.id);
    if let Some(known) = known {
        let title = known.title.clone();
        let why = format!("{} has {title} in {} already", found.profile.name, known.install.display());
        return Err(FindingKind::RecordsUnchangeable { why });
    }
    let drive = match &adoption.to {
        Some(name) => site.find_drive(name).ok_or_else(|| no(name))?,
        None => site.drive_of(path).ok_or_else(|| no(&path.display().to_string()))?,
    };
    let folder = path.file_name().ok_or_else(|| no(&path.display().to_string()))?;
    let (library, new_library, install) = if found.profile.libraries.is_some() {
        let there = |library: &&crate::launcher::FoundLibrary| {
            library.present && site.drive_of(&library.path).is_some_and(|other| other.name == drive.name)
        };
        let libraries: Vec<_> = found.libraries.iter().filter(there).collect();
        let around = libraries.iter().find(|library| path.parent().map(real_path) == Some(real_path(&library.path)));
        let none = || FindingKind::NoLibrary { launcher: found.profile.name.clone(), drive: drive.name.clone() };
        let (library, new) = match around.or(libraries.first()) {
            Some(library) => (library.path.clone(), false),
            None => (found.new_library(site, drive).ok_or_else(none)?, true),
        };
        let install = library.join(folder);
        (Some(library), new, install)
    } else if adoption.to.is_none() {
        (None, false, path.clone())
    } else {
        let none = || FindingKind::NoLibrary { launcher: found.profile.name.clone(), drive: drive.name.clone() };
        (None, false, found.place_on(site, drive).ok_or_else(none)?.join(folder))
    };
    let text = library.as_ref().map(|library| library.to_string_lossy().into_owned()).unwrap_or_default();
    let values: Values = found.values_of(site, &adoption.id, &adoption.path).with("library", text);
    let list = ContentList::read(&found.profile, &values);
    let list = list.map_err(|error| FindingKind::RecordsUnchangeable { why: error.to_string() })?;
    Ok(ImportPlace { found, drive, library, new_library, install, list })
}

/// Files that an install writes into the game's own folder, as the profile says them; one that is there stays.
fn own_files(site: &Site, found: &FoundLauncher, new: &NewGame<'_>) -> Result<Vec<Edit>, FindingKind> {
    let Some(adopt) = &found.profile.adopt else { return Ok(Vec::new()) };
    let values = new.values(site, found);
    let mut edits = Vec::new();
    for made in &adopt.files {
        let fill = |text: &str| {
            let format = crate::record::Format::of_name(Path::new(&made.file.to_string()));
            new.filled(text, |value| quoted_in(format, value))
        };
        let file = made.file.fill(&values).map_err(|e| FindingKind::RecordsUnchangeable { why: e.to_string() })?;
        let file = PathBuf::from(file);
        let here = file.strip_prefix(new.install).map_or_else(|_| file.clone(), |below| new.lies.join(below));
        if here.look_exists() {
            continue;
        }
        edits.push(Edit::Made { file, old: None, new: Some(fill(&made.text)) });
    }
    Ok(edits)
}

/// The state of a guided adoption: what the launcher has done so far.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Guided {
    /// Whether a program of the launcher is running.
    pub running: bool,
    /// Whether its records name the game in this folder.
    pub listed: bool,
    /// Whether the files of its content list are there, by name and size.
    pub whole: bool,
}

/// Looks at what a launcher has made of a folder by itself. Quick enough to be asked once a second. Writes nothing.
pub fn watch_import(site: &Site, survey: &Survey, adoption: &Import) -> Guided {
    let mut guided = Guided { running: false, listed: false, whole: false };
    let Some(found) = survey.found.iter().find(|found| found.profile.id == adoption.launcher) else { return guided };
    let names = crate::site::Wanted { names: &found.profile.processes, paths: &[] };
    guided.running = site.processes_using(names).0.iter().any(|p| p.why == crate::site::Sight::Named);
    let anew = crate::launcher::read_launchers(site, std::slice::from_ref(&found.profile));
    let game = |game: &&FoundGame| game.id == adoption.id && real_path(&game.install) == real_path(&adoption.path);
    guided.listed = anew.iter().flat_map(|found| &found.games).any(|one| game(&one));
    let values = found.values_of(site, &adoption.id, &adoption.path);
    if let Ok(Some(list)) = ContentList::read(&found.profile, &values) {
        let listing = FolderListing::of(&adoption.path);
        guided.whole = list.listed_files.iter().all(|listed| is_there(&listing, listed));
    }
    guided
}

/// Whether a listed file is there, as far as names and sizes tell.
fn is_there(listing: &FolderListing, listed: &ListedFile) -> bool {
    listing.size_of(&listed.path).is_some_and(|size| listed.may_have(size))
}
