//! Starting a game once, because a person asks for it, and seeing that it comes up from where it lies.
//!
//! Law: nothing is ever started by itself, and no command that stands in a file that anybody could have written is run
//! but the profile's own, or the game's program below its install folder.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde::Serialize;
use thiserror::Error;

use super::event::Control;
use crate::bytes::{HaulId, ItemId};
use crate::journal::{EventKind, Journal, JournalError};
use crate::launcher::{FoundLauncher, PlaceFault};
use crate::platform;
use crate::site::{Process, Site, real_path};
use crate::survey::{Game, Survey};

/// Why a game was not started.
#[derive(Debug, Error)]
pub enum StartError {
    /// Nothing is where it should be.
    #[error("its folder can't be used")]
    Place(PlaceFault),
    /// Neither the profile nor the launcher says how it is started.
    #[error("neither its launcher's profile nor its records say which program it is")]
    NoProgram,
    /// The program is not below the install folder, or is not there.
    #[error("{0} is not a program in the game's folder")]
    NotThere(PathBuf),
    /// The system did not start it.
    #[error("couldn't start {path}")]
    Spawn {
        /// The program.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// The log cannot be written.
    #[error(transparent)]
    Journal(#[from] JournalError),
}

/// A game that was started.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Started {
    /// The program and its arguments.
    pub command: Vec<String>,
    /// The process that came up from the game's folder; `None` if none was seen.
    pub process: Option<Process>,
}

/// What starts a game: its launcher, where the profile says how, else its own program, or the one that is named.
///
/// # Errors
/// [`StartError`]; nothing was started.
pub fn command_of(site: &Site, survey: &Survey, game: &Game, program: Option<&str>) -> Result<Vec<String>, StartError> {
    if let Some(fault) = game.fault() {
        return Err(StartError::Place(fault.clone()));
    }
    let found: Option<&FoundLauncher> = survey.found.iter().find(|found| found.profile.id == game.launcher);
    if let (Some(found), None) = (found.filter(|found| !found.profile.start.is_empty()), program) {
        let values = found.values(site).with("id", &game.found.id);
        let values = values.with("install", game.found.install.to_string_lossy());
        let words: Option<Vec<String>> = found.profile.start.iter().map(|word| word.fill(&values).ok()).collect();
        return words.ok_or(StartError::NoProgram);
    }
    let program = program.or(game.found.program.as_deref()).ok_or(StartError::NoProgram)?;
    let at = game.found.install.join(program);
    let inside = real_path(&at).starts_with(real_path(&game.found.install));
    if !inside || !at.is_file() {
        return Err(StartError::NotThere(at));
    }
    Ok(vec![at.to_string_lossy().into_owned()])
}

/// Starts a game and watches until a process comes up from its folder, or the time is over. Notes it in the log as tried.
///
/// # Errors
/// [`StartError`]; the log says nothing then.
pub fn start_game(
    site: &Site,
    journal: &Journal,
    game: &Game,
    command: &[String],
    patience: Duration,
    stop: &Control,
) -> Result<Started, StartError> {
    let (program, arguments) = command.split_first().ok_or(StartError::NoProgram)?;
    let mut child = spawn(program, arguments, &game.found.install)?;
    let process = watched(site, &mut child, &real_path(&game.found.install), patience, stop);
    let items = journal.hauls()?;
    let here = items.iter().flat_map(|haul| &haul.items).find(|item| {
        item.planned.game == game.id && item.stage.records_are_updated() && item.planned.place() == game.found.install
    });
    let (haul, item): (HaulId, Option<ItemId>) = here.map_or((HaulId(0), None), |item| (item.haul, Some(item.id)));
    let title = &game.found.title;
    let said = match &process {
        Some(process) => format!("{title}: process {} from {}", process.pid, game.found.install.display()),
        None => format!("{title}: no process from {} appeared", game.found.install.display()),
    };
    journal.say(haul, item, EventKind::Launched, &said)?;
    Ok(Started { command: command.to_vec(), process })
}

fn spawn(program: &str, arguments: &[String], folder: &Path) -> Result<Child, StartError> {
    let mut command = Command::new(program);
    command.args(arguments).current_dir(folder);
    platform::stand_alone(&mut command);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command.spawn().map_err(|source| StartError::Spawn { path: program.into(), source })
}

/// The process that uses the game's folder, as soon as there is one: the launcher may start it minutes after itself.
fn watched(site: &Site, child: &mut Child, install: &Path, patience: Duration, stop: &Control) -> Option<Process> {
    /// One that ended so long ago and left nobody has come to nothing.
    const AFTER_END: Duration = Duration::from_secs(2);
    let (begun, mut ended) = (Instant::now(), None);
    while begun.elapsed() < patience && !stop.asked() {
        if let Some(process) = site.process_from(install) {
            return Some(process);
        }
        if ended.is_none() && child.try_wait().is_ok_and(|status| status.is_some()) {
            ended = Some(Instant::now());
        }
        if ended.is_some_and(|then| then.elapsed() > AFTER_END) {
            return None;
        }
        std::thread::sleep(Duration::from_millis(5));
    }
    None
}
