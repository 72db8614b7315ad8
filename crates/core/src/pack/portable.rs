//! Carrying: a portable library, or a whole portable launcher, on a drive, with what another PC needs to run it.
//!
//! Law: what is carried is hauled like any folder, with every record of it that a trace finds; the card, the list of
//! checksums and the description beside it are a haul of records, and go again when that is returned.

use crate::platform;
use crate::platform::Look;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

use crate::audit::{KeptChecksums, KeptFile};
use crate::bytes::Bytes;
use crate::haul::HaulError;
use crate::launcher::{FoundLauncher, Need, Origin, Problem};
use crate::plan::{Plan, plan_made};
use crate::site::{Site, real_path};
use crate::survey::{GameId, Survey};
use crate::trace::{Trace, TracePhase, trace_moved, usual_places};

/// A folder that can be carried, and whose it is.
#[derive(Clone, Debug)]
pub struct PackSubject {
    /// The folder.
    pub path: PathBuf,
    /// Id of the launcher's profile, where it is a library or the launcher's own folder.
    pub launcher: Option<String>,
    /// What it is, in words.
    pub what: String,
    /// Titles and sizes of the games in it.
    pub games: Vec<(String, Bytes)>,
    /// Whether it runs from wherever it lies. A launcher's own folder does only if its profile says what it needs elsewhere.
    pub portable: bool,
}

/// Finds what a word means: a launcher by name or id, or a folder; of a library and a launcher's own folder it knows whose it is.
pub fn subject(survey: &Survey, word: &str, path: &Path) -> Option<PackSubject> {
    let low = word.to_lowercase();
    let by_name = survey.found.iter().find(|f| f.profile.id == word || f.profile.name.to_lowercase() == low);
    let here = real_path(path);
    let own = |found: &&FoundLauncher| real_path(&found.home) == here;
    let of_library = |found: &&FoundLauncher| found.libraries.iter().any(|library| real_path(&library.path) == here);
    let (folder, launcher, what) = if let Some(found) = by_name {
        (real_path(&found.home), Some(found), format!("the launcher {}", found.profile.name))
    } else if let Some(found) = survey.found.iter().find(own) {
        (here, Some(found), format!("the launcher {}", found.profile.name))
    } else if let Some(found) = survey.found.iter().find(of_library) {
        (path.to_path_buf(), Some(found), format!("a library of {}", found.profile.name))
    } else {
        (path.to_path_buf(), None, "a folder".into())
    };
    let portable = found_home(launcher, &folder).is_none_or(|found| found.profile.carry.is_some());
    let inside = |game: &&crate::survey::Game| real_path(&game.found.install).starts_with(real_path(&folder));
    let games = survey.games.iter().filter(inside).map(|game| (game.found.title.clone(), game.size.on_disk)).collect();
    folder.look_is_dir().then(|| PackSubject {
        path: folder,
        launcher: launcher.map(|f| f.profile.id.clone()),
        what,
        games,
        portable,
    })
}

/// The launcher whose own folder this is.
fn found_home<'a>(launcher: Option<&'a FoundLauncher>, folder: &Path) -> Option<&'a FoundLauncher> {
    launcher.filter(|found| real_path(&found.home) == real_path(folder))
}

/// Traces what has to be rewritten when a folder goes: all that leads to it from outside, and what stands in small files near
/// its top. The games in it are not read.
pub fn traced(site: &Site, folder: &Path, report: &(dyn Fn(TracePhase) + Sync)) -> Trace {
    let mut places = usual_places(site, folder);
    places.retain(|place| !place.starts_with(folder));
    trace_moved(site, folder, Some(folder), &places, report)
}

/// Adds a folder with its traced records to a survey, as an item of its own; gives its id.
pub fn add_to_survey(site: &Site, survey: &mut Survey, trace: &Trace) -> GameId {
    let folder = real_path(&trace.path);
    let files: Vec<PathBuf> = trace.sure().map(|find| real_path(&find.record.file)).collect();
    let is_touched = |found: &&FoundLauncher| {
        let libraries = found.libraries.iter().map(|library| real_path(&library.path));
        let mut places = libraries.chain([real_path(&found.home)]);
        places.any(|place| place.starts_with(&folder) || files.iter().any(|file| file.starts_with(&place)))
    };
    // None of the launchers may run that keep records of it, or that lie in it.
    let mut processes: Vec<String> =
        survey.found.iter().filter(is_touched).flat_map(|found| found.profile.processes.clone()).collect();
    processes.sort();
    processes.dedup();
    let id = crate::survey::add_as(site, survey, trace, Origin::Pack, Some("{drive}/carried"));
    if let Some(found) = survey.found.iter_mut().find(|found| found.profile.origin == Origin::Pack) {
        found.profile.processes = processes;
    }
    id
}

/// What stands beside a carried folder, for programs. Format: `docs/formats.md`, "Carried".
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Carried {
    /// Version of the format: 1.
    pub format: u32,
    /// What it is, in words.
    pub what: String,
    /// Where it lay when this was written.
    pub place: PathBuf,
    /// When this was written.
    pub made: Timestamp,
    /// How it is started, in a sentence.
    #[serde(default)]
    pub start: Option<String>,
    /// Titles of the games in it.
    #[serde(default)]
    pub games: Vec<String>,
    /// What it needs.
    #[serde(default)]
    pub needs: Vec<Need>,
}

/// What became of one need.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct NeedMet {
    /// The need.
    #[serde(flatten)]
    pub need: Need,
    /// Where it was found on this machine.
    pub found: Option<PathBuf>,
    /// The installer that lies beside the folder.
    pub installer_at: Option<PathBuf>,
}

/// The folder beside a carried one that holds card, description, checksums and installers.
pub fn beside(folder: &Path) -> PathBuf {
    let name = folder.file_name().unwrap_or_default().to_string_lossy();
    folder.with_file_name(format!("{name}.carried"))
}

/// Reads the description beside a folder.
///
/// # Errors
/// What is wrong with it.
pub fn read_carried(folder: &Path) -> Result<Carried, Problem> {
    let file = beside(folder).join("carried.toml");
    let problem = |what: String| Problem { file: file.clone(), line: None, what };
    let text = platform::read_to_string(&file).map_err(|error| problem(error.to_string()))?;
    let carried: Carried = toml::from_str(&text).map_err(|error| problem(error.to_string()))?;
    if carried.format != 1 {
        return Err(problem(format!("format {} is not known here; this program reads 1", carried.format)));
    }
    Ok(carried)
}

/// Looks for what a carried folder needs: programs in these folders, files where they should be.
pub fn check_needs(folder: &Path, needs: &[Need], programs: &[PathBuf]) -> Vec<NeedMet> {
    let one = |need: &Need| {
        let by_name = need.program.as_ref().and_then(|name| {
            let at = programs.iter().map(|folder| folder.join(name));
            at.clone().find(|path| crate::platform::is_startable(path))
        });
        let file = need.file.as_ref().map(|file| if file.is_absolute() { file.clone() } else { folder.join(file) });
        let found = by_name.or_else(|| file.filter(|file| file.look_exists()));
        let installer =
            need.installer.as_ref().and_then(|file| Some(beside(folder).join("installers").join(file.file_name()?)));
        NeedMet { need: need.clone(), found, installer_at: installer.filter(|path| path.look_exists()) }
    };
    needs.iter().map(one).collect()
}

/// Plans the card, the description and the checksums beside a carried folder. Writes nothing.
pub fn plan_card(site: &Site, survey: &Survey, subject: &PackSubject, kept: &KeptChecksums) -> Plan {
    let found = survey.found.iter().find(|found| Some(&found.profile.id) == subject.launcher.as_ref());
    let carry = found.and_then(|found| found.profile.carry.clone()).unwrap_or_default();
    let carried = Carried {
        format: 1,
        what: subject.what.clone(),
        place: subject.path.clone(),
        made: Timestamp::now(),
        start: carry.start.clone(),
        games: subject.games.iter().map(|(title, _)| title.clone()).collect(),
        needs: carry.needs.clone(),
    };
    let folder = beside(&subject.path);
    let files = [
        ("carried.toml", toml::to_string(&carried).unwrap_or_default()),
        ("checksums.b3", kept.checksums()),
        ("READ ME FIRST.txt", card(subject, &carried, kept)),
    ];
    let made = files.into_iter().map(|(name, text)| (folder.join(name), text)).collect();
    let id = GameId::made_up(Origin::Pack, format_args!("card/{}", subject.path.display()));
    plan_made(site, survey, id, format!("Card of {}", subject.what), &folder, made)
}

/// The card: plain text for whoever plugs the drive in.
fn card(subject: &PackSubject, carried: &Carried, kept: &KeptChecksums) -> String {
    let name = subject.path.file_name().unwrap_or_default().to_string_lossy();
    let files = kept.lines.iter().filter(|line| matches!(line.file, KeptFile::Hash { .. })).count();
    let bytes: Bytes = Bytes::new(kept.lines.iter().map(|line| line.size).sum());
    let mut out = format!("The folder \"{name}\" beside this one is {}: {files} files, {bytes}.\n", subject.what);
    if !subject.games.is_empty() {
        out.push_str("\nGames in it:\n");
        for (title, bytes) in &subject.games {
            out.push_str(&format!("  {title}  ({bytes})\n"));
        }
    }
    if let Some(start) = &carried.start {
        out.push_str(&format!("\nHow to start it: {start}\n"));
    }
    if !carried.needs.is_empty() {
        out.push_str("\nWhat the PC needs:\n");
    }
    for need in &carried.needs {
        let why = need.why.as_ref().map_or_else(String::new, |why| format!(": {why}"));
        out.push_str(&format!("  {}{why}\n", need.name));
        if let Some(installer) = need.installer.as_ref().and_then(|file| file.file_name()) {
            out.push_str(&format!("    its installer is here: installers/{}\n", installer.to_string_lossy()));
        }
    }
    out.push_str(&format!(
        "\nWhether all of it arrived:\n  cd \"{name}\" && b3sum -c \"../{name}.carried/checksums.b3\"\n"
    ));
    out.push_str(&format!(
        "\nOn a PC with Deft Barge:\n  deft-barge pack check FOLDER\nsays what is missing there. This was written when the folder lay in\n  {}\nWhere it lies elsewhere, that check says how its records are led there.\n",
        subject.path.display()
    ));
    out.push_str(&format!("\nWritten {}.\n", carried.made.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M %Z")));
    out
}

/// Installers that have to lie beside a folder and do not yet: where each is, and where it goes.
pub fn installers(site: &Site, found: &FoundLauncher, folder: &Path) -> Vec<(PathBuf, PathBuf)> {
    let Some(carry) = &found.profile.carry else { return Vec::new() };
    let values = found.values(site);
    let one = |need: &Need| {
        let text = need.installer.as_ref()?.to_str()?.to_string();
        let from = crate::record::Meaning::try_from(text).ok()?.fill(&values).ok().map(PathBuf::from)?;
        let to = beside(folder).join("installers").join(from.file_name()?);
        Some((from, to))
    };
    carry.needs.iter().filter_map(one).filter(|(_, to)| !to.look_exists()).collect()
}

/// Copies an installer beside a carried folder, and reads it back.
///
/// # Errors
/// [`HaulError::Disk`]; what was made so far is removed or has a name of ours.
pub fn bring_installer(site: &Site, from: &Path, to: &Path) -> Result<(), HaulError> {
    crate::audit::bring_file(&site.disk, from, to)
}
