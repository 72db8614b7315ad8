//! Libraries without a move: a new one is made known to its launcher, or another one takes new installs.
//!
//! Law: it is a haul of records alone: planned, journaled, all or none, and returned like any other.

use std::path::{Path, PathBuf};

use super::alone::{item, plan_of, with_edits};
use crate::item::{Finding, FindingKind, Policy, Strategy};
use crate::launcher::{DefaultLibrary, FoundLauncher, Origin};
use crate::plan::Plan;
use crate::plan::drifted::drifted;
use crate::plan::edits::register;
use crate::record::{Edit, Rewrite, Shape, Side, Source, Spelling, joined};
use crate::site::Site;
use crate::survey::{GameId, Survey};

/// What is to happen to the libraries of a launcher.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LibraryWish {
    /// A new one on the drive of this name.
    New(String),
    /// New installs go to the one in this folder.
    Default(PathBuf),
}

/// Plans a change of a launcher's libraries. Writes nothing.
pub fn plan_library(site: &Site, survey: &Survey, launcher: &str, wish: &LibraryWish) -> Plan {
    let mut findings = Vec::new();
    let mut items = Vec::new();
    match survey.found.iter().find(|found| found.profile.id == launcher) {
        None => findings.push(Finding::general(FindingKind::NoDestination { what: launcher.into() })),
        Some(found) => match wished(site, found, wish) {
            // What follows from an old look at its files is not looked at.
            _ if found.drift().is_some() => findings.extend(drifted([found].into_iter())),
            Ok((library, edits, title)) => {
                let id = GameId(format!("{}/library/{}", found.profile.id, library.display()));
                let bare = item(site, (Origin::Launcher, id), title, Strategy::Records, library.clone(), library);
                items.push(with_edits(bare, found, edits));
            }
            Err(kind) => findings.push(Finding::general(kind)),
        },
    }
    plan_of(site, survey, items, findings, Policy::Release)
}

fn wished(site: &Site, found: &FoundLauncher, wish: &LibraryWish) -> Result<(PathBuf, Vec<Edit>, String), FindingKind> {
    let launcher = &found.profile.name;
    match wish {
        LibraryWish::New(name) => {
            let none = || FindingKind::NoLibrary { launcher: launcher.clone(), drive: name.clone() };
            let drive = site.find_drive(name).ok_or(FindingKind::NoDestination { what: name.clone() })?;
            let library = found.new_library(site, drive).ok_or_else(none)?;
            if found.libraries.iter().any(|known| known.path == library) {
                return Err(FindingKind::AlreadyThere { path: library });
            }
            let values = found.values(site).with("library", library.to_string_lossy());
            // A library has a file of its own only where its games are listed in one.
            let has_own = found.profile.libraries.as_ref().is_some_and(|libraries| libraries.new_file.is_some());
            let list_file = match found.profile.games.file.fill(&values) {
                Ok(file) => PathBuf::from(file),
                Err(_) if !has_own => PathBuf::new(),
                Err(_) => return Err(none()),
            };
            let edit = register(site, found, &found.bases(site), (&library, &list_file), &[]);
            let edit = edit.map_err(|why| FindingKind::RecordsUnchangeable { why: why.why() })?;
            Ok((library, vec![edit], format!("{launcher}: a library on {}", drive.name)))
        }
        LibraryWish::Default(library) => {
            if !found.libraries.iter().any(|known| known.path == *library && known.present) {
                return Err(FindingKind::NoDestination { what: library.display().to_string() });
            }
            let edit = default_edit(site, found, library).map_err(|why| FindingKind::RecordsUnchangeable { why })?;
            let edit = edit.ok_or(FindingKind::AlreadyThere { path: library.clone() })?;
            Ok((library.clone(), vec![edit], format!("{launcher}: new installs go to {}", library.display())))
        }
    }
}

/// The edit that lets new installs go to a library; `None` if they go there already.
fn default_edit(site: &Site, found: &FoundLauncher, library: &Path) -> Result<Option<Edit>, String> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries")?;
    let file = PathBuf::from(libraries.file.fill(&found.values(site)).map_err(|e| e.to_string())?);
    let shape = libraries.shape.unwrap_or_else(|| Shape::of_name(&file));
    let source = Source::read(&file, shape).map_err(|e| e.to_string())?;
    let bases = found.bases(site).seen_from(&file).into_owned();
    if let Some(at) = &libraries.default_at {
        let place = source.find_one(at).map_err(|e| e.to_string())?;
        let old = source.leaf(&place, Side::Value).ok_or("the default library is not written down as text")?;
        let (spelling, _) = Spelling::read(&old, &bases).map_err(|e| e.to_string())?;
        let new = spelling.write(library, &bases).map_err(|e| e.to_string())?.0;
        let written = [source.written(&place, Side::Value).map(str::to_string), None];
        let (at, inside) = source.split(&place).unwrap_or((place, Vec::new()));
        let rewrite = Rewrite { inside, written, ..Rewrite::of_value(&at.to_string(), &old, &new) };
        return Ok((old != new).then_some(Edit::Replace { file, format: shape.format(), rewrite }));
    }
    let format = shape.format().ok_or("the order of libraries in a database can't be changed")?;
    let list = source.find_one(&libraries.list).map_err(|e| e.to_string())?;
    if source.split(&list).is_some() {
        return Err(format!("{} lists them in a text of its own, whose order is not changed", file.display()));
    }
    let entries = source.children(&list).unwrap_or_default();
    let says = |entry| source.below(entry, &libraries.path);
    let leads = |text: &str| Spelling::read(text, &bases).is_ok_and(|(_, path)| path == library);
    let old = entries.iter().position(|entry| says(entry).is_some_and(|text| leads(&text)));
    let old = old.ok_or_else(|| format!("{} is not listed in {}", library.display(), file.display()))?;
    let new = match libraries.default {
        DefaultLibrary::First => 0,
        DefaultLibrary::Last => entries.len() - 1,
        DefaultLibrary::None => return Err(format!("{} marks no library for new installs", found.profile.name)),
    };
    let text = source.find(&joined(&entries[old], &libraries.path)).ok().and_then(|found| found.into_iter().next());
    let says = text.and_then(|place| source.leaf(&place, Side::Value)).unwrap_or_default();
    let (list, at) = (libraries.list.clone(), libraries.path.clone());
    Ok((old != new).then_some(Edit::Order { file, format, list, at, says, old, new }))
}
