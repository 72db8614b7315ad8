//! What is done as the command line does it, and told in a sheet: the same code, the same words.

use std::path::PathBuf;

use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::site::Site;

use crate::present::{Fault, words};
use crate::request::{Auditing, Consent, DataAct, Importing, Kind, Learning, PackAct, ProfileAct, Taking, Traced};
use crate::service::{self, Sink};

/// Something that tells what it does.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Task {
    /// Start a game, by id, and see that it comes up; with its title.
    Launch(String, String),
    /// Compare games, by id, with their kept checksums.
    Audit(Vec<String>),
    /// Keep checksums of games.
    Keep(Vec<String>),
    /// Mend a game from another copy.
    Repair(String),
    /// Measure a drive.
    Probe(String),
    Trace(PathBuf),
    CheckProfiles,
    /// Learn the launchers that no profile describes.
    Learn,
    /// Learn a launcher from what it changes while a game is installed or moved.
    Watch,
    /// Say that a folder holds user data of a game.
    AddData(String, PathBuf),
    ForgetData(PathBuf),
    /// What would be brought to a drive, and the bringing itself.
    PackPlan(String, String),
    Pack(String, String),
    CheckPack(PathBuf),
    /// Take a file that could not be read from another copy.
    Take(PathBuf, PathBuf),
    /// Write the checksums of a haul's items, or of one of them, to a file.
    Export(HaulId, Option<ItemId>, PathBuf),
    /// Adopt a folder with its launcher, act by act.
    Guided(PathBuf, String, String),
}

impl Task {
    /// Whether it has to have the journal to itself.
    pub fn needs_journal(&self) -> bool {
        !matches!(
            self,
            Self::Trace(_)
                | Self::CheckProfiles
                | Self::Learn
                | Self::Watch
                | Self::CheckPack(_)
                | Self::AddData(..)
                | Self::ForgetData(_)
        )
    }

    /// What is being done, in words.
    pub fn words(&self) -> String {
        match self {
            Self::Launch(_, title) => format!("Starting {title}"),
            Self::Audit(_) => "Audit: compared with its kept checksums".into(),
            Self::Keep(_) => "Keeping checksums, to audit against later".into(),
            Self::Repair(_) => "Repairing from another copy".into(),
            Self::Probe(drive) => format!("Measuring {drive}"),
            Self::Trace(path) => format!("Every place where {} is written down", path.display()),
            Self::CheckProfiles => "Profiles, checked against this machine".into(),
            Self::Learn => "Launchers, learned from the games that are installed".into(),
            Self::Watch => "Watching what a launcher changes".into(),
            Self::AddData(..) | Self::ForgetData(_) => "The list of user data".into(),
            Self::PackPlan(what, drive) => format!("What packing {what} to {drive} would do"),
            Self::Pack(what, drive) => format!("Packing {what} to {drive}"),
            Self::CheckPack(folder) => format!("What {} needs here", folder.display()),
            Self::Take(file, _) => format!("Taking {} from another copy", file.display()),
            Self::Export(..) => "Checksums".into(),
            Self::Guided(..) => "Importing, act by act".into(),
        }
    }
}

/// Does a task on this thread and has it tell.
pub fn do_task(site: &Site, task: Task, sink: &Sink) -> Result<u8, Fault> {
    let sure = Consent { yes: true, plan: false };
    match task {
        Task::Launch(id, _) => service::launch(site, &id, None, 30, sink),
        Task::Audit(what) => service::audit(site, &auditing(what), sink),
        Task::Keep(what) => service::audit(site, &Auditing { keep: true, ..auditing(what) }, sink),
        Task::Repair(id) => service::audit(site, &Auditing { repair: true, ..auditing(vec![id]) }, sink),
        Task::Probe(drive) => service::probe(site, &drive, true, sink),
        Task::Trace(path) => service::trace(site, &Traced { path, places: Vec::new() }, sink),
        Task::CheckProfiles => service::profile(site, &ProfileAct::Check { profile: None, rehearse: true }, sink),
        Task::Learn => service::learn(site, &Learning::default(), sink),
        Task::Watch => service::learn(site, &Learning { watch: true, ..Learning::default() }, sink),
        Task::AddData(game, path) => service::data(site, &DataAct::Add { game, path, kind: Kind::Saves }, sink),
        Task::ForgetData(path) => service::data(site, &DataAct::Forget { path }, sink),
        Task::PackPlan(what, to) => {
            let consent = Consent { yes: true, plan: true };
            service::pack(site, &PackAct::Make { what, to: Some(to), consent }, sink)
        }
        Task::Pack(what, to) => service::pack(site, &PackAct::Make { what, to: Some(to), consent: sure }, sink),
        Task::CheckPack(folder) => service::pack(site, &PackAct::Check { folder }, sink),
        Task::Take(file, from) => service::repair(site, &Taking { file, from }, sink),
        Task::Export(haul, item, file) => {
            for (file, lines) in service::export_checksums(site, haul, item, &file)? {
                sink.say(&format!(
                    "{} in {}.",
                    words::plural(lines, "checksum is", "checksums are"),
                    crate::present::path(&file)
                ))?;
            }
            sink.say("Check them in the game's folder with: b3sum -c FILE")?;
            Ok(0)
        }
        Task::Guided(path, launcher, id) => {
            let as_game = Some(format!("{launcher}/{id}"));
            let importing =
                Importing { path, as_game, title: None, program: None, to: None, guided: true, consent: sure };
            service::import(site, &importing, sink)
        }
    }
}

fn auditing(what: Vec<String>) -> Auditing {
    Auditing { what, keep: false, repair: false, from: Vec::new() }
}
