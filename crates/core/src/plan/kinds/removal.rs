//! Letting go of what lies about: a haul like any other, previewed, compared, held, and returnable until it is released.
//!
//! Law: nothing that a record names, that holds a game or lies in one, or that belongs to the system is ever removed.

use std::path::Path;

use super::alone::{item, plan_of, with_edits};
use crate::checksums::measure;
use crate::item::{Displaced, Finding, FindingKind, PlannedItem, Policy, Strategy};
use crate::launcher::{Origin, PlaceFault, place_fault};
use crate::plan::Plan;
use crate::platform::Look;
use crate::record::Edit;
use crate::site::{Site, real_path};
use crate::survey::{CleanupAct, CleanupFind, FindKind};
use crate::survey::{GameId, Survey};

/// Plans an act that takes something away. Writes nothing.
///
/// [`CleanupAct::Import`], [`CleanupAct::Haul`] and [`CleanupAct::Remap`] have plans of their own, and are refused here.
pub fn plan_removal(site: &Site, survey: &Survey, lying: &CleanupFind, act: CleanupAct) -> Plan {
    let mut findings = Vec::new();
    let title = title_of(lying);
    let id = GameId::made_up(Origin::Cleanup, lying.path.display());
    let items = match (act, &lying.what) {
        (CleanupAct::Release, FindKind::OldCopy { install, .. }) => {
            findings.extend(not_ours(site, survey, &lying.path, (&id, &title)));
            findings.push(Finding::about(&id, &title, FindingKind::ComparedWith { path: install.clone() }));
            let (from, to) = (lying.path.clone(), install.clone());
            vec![PlannedItem {
                size: measure(&from),
                ..item(site, (Origin::Cleanup, id.clone()), title, Strategy::Duplicate, from, to)
            }]
        }
        (CleanupAct::Quarantine, _) => {
            findings.extend(not_ours(site, survey, &lying.path, (&id, &title)));
            let aside = Displaced::of(&lying.path).held;
            if aside.look_own_meta().is_ok() {
                findings.push(Finding::about(&id, &title, FindingKind::TargetThere { path: aside.clone() }));
            }
            findings.push(Finding::about(&id, &title, FindingKind::OnlyCopy { path: lying.path.clone() }));
            let size = measure(&lying.path);
            vec![PlannedItem {
                size,
                ..item(site, (Origin::Cleanup, id.clone()), title, Strategy::Quarantine, lying.path.clone(), aside)
            }]
        }
        (CleanupAct::RemoveLink, _) => {
            if let Ok(says) = lying.path.look_link() {
                let edits = vec![Edit::Link { link: lying.path.clone(), old: Some(says), new: None }];
                let folder = lying.path.parent().unwrap_or(Path::new("/")).to_path_buf();
                let previews = crate::plan::edits::previews(&edits);
                let bare = item(site, (Origin::Cleanup, id.clone()), title, Strategy::Records, folder.clone(), folder);
                vec![PlannedItem { edits, previews, ..bare }]
            } else {
                let what = lying.path.display().to_string();
                findings.push(Finding::about(&id, &title, FindingKind::NoDestination { what }));
                Vec::new()
            }
        }
        (CleanupAct::Forget, FindKind::DeadEntry { game, .. }) => match forget(site, survey, game) {
            Ok(item) => vec![item],
            Err(why) => {
                findings.push(Finding::about(&id, &title, FindingKind::RecordsUnchangeable { why }));
                Vec::new()
            }
        },
        _ => {
            let why = "that can't be done with it".to_string();
            findings.push(Finding::about(&id, &title, FindingKind::RecordsUnchangeable { why }));
            Vec::new()
        }
    };
    plan_of(site, survey, items, findings, Policy::Hold)
}

fn title_of(lying: &CleanupFind) -> String {
    let name = lying.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    match &lying.what {
        FindKind::OldCopy { title, .. } => format!("{title}, old copy"),
        FindKind::DeadEntry { title, .. } => title.clone(),
        _ => name,
    }
}

/// Why a folder must stay.
fn not_ours(site: &Site, survey: &Survey, path: &Path, (id, title): (&GameId, &str)) -> Option<Finding> {
    let here = real_path(path);
    let touches = |other: &Path| here.starts_with(real_path(other)) || real_path(other).starts_with(&here);
    let game = survey.games.iter().filter(|game| game.fault().is_none()).find(|game| touches(&game.found.install));
    let data = survey.user_data.iter().find(|data| data.fault.is_none() && touches(&data.place));
    let held = survey.held.iter().find(|held| touches(&held.path));
    let fault = place_fault(site, path, None);
    let fault = fault
        .or_else(|| game.map(|game| PlaceFault::Game(game.found.install.clone())))
        .or_else(|| data.map(|data| PlaceFault::Game(data.place.clone())))
        .or_else(|| held.map(|held| PlaceFault::Game(held.path.clone())));
    fault.map(|fault| Finding::about(id, title, FindingKind::BadPlace { path: path.into(), fault }))
}

/// Takes a game's entry off its launcher's list.
fn forget(site: &Site, survey: &Survey, game: &GameId) -> Result<PlannedItem, String> {
    let game = survey.game(game).ok_or_else(|| format!("{game} isn't installed"))?;
    let found = survey.found.iter().find(|found| found.profile.id == game.launcher);
    let found = found.ok_or_else(|| format!("{} is not known", game.launcher))?;
    let edit = crate::plan::edits::leave(found, &game.found)?;
    let folder = game.found.entry.file.parent().unwrap_or(Path::new("/")).to_path_buf();
    let id = GameId::made_up(Origin::Cleanup, &game.id);
    let bare = item(site, (Origin::Cleanup, id), game.found.title.clone(), Strategy::Records, folder.clone(), folder);
    Ok(with_edits(bare, found, vec![edit]))
}
