//! A profile checked against this machine: which of its records were found, which not, and why.

use std::path::PathBuf;

use serde::Serialize;

use super::found::{FoundGame, FoundLauncher, Problem};
use super::profile::Profile;
use super::reading::read_launchers;
use super::sample::{ListCheck, check_lists, folders_beside};
use super::shape::Drift;
use crate::platform::Look;
use crate::record::{Meaning, Shape, Source, Spelling};
use crate::site::Site;

/// A record that was found and does not say what it should.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Mismatch {
    /// Title of the game.
    pub title: String,
    /// The file.
    pub file: PathBuf,
    /// The place in it.
    pub location: String,
    /// What it says.
    pub says: String,
}

/// What became of one record of the profile.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct CheckLine {
    /// The record, as the profile names it: `games.records 1: $.folder`.
    pub what: String,
    /// What it stands for.
    pub meaning: Meaning,
    /// Games in which it was found and says what it should.
    pub matched: usize,
    /// Games in which it was not found.
    pub missing: usize,
    /// Titles of those games, where others have it.
    pub missing_in: Vec<String>,
    /// Where it says something else.
    pub mismatches: Vec<Mismatch>,
    /// Why it was found nowhere.
    pub why: Option<String>,
}

/// What a profile finds on this machine.
#[derive(Clone, Debug, Serialize)]
pub struct ProfileCheck {
    /// Name of the launcher.
    pub name: String,
    /// The launcher's own folder; `None` if none of the profile's is there.
    pub home: Option<PathBuf>,
    /// Libraries that were found.
    pub libraries: usize,
    /// Games that were found: title and place.
    pub games: Vec<(String, PathBuf)>,
    /// Its records, those of the list of games first.
    pub lines: Vec<CheckLine>,
    /// Folders beside the games that neither it nor another profile lists.
    pub unlisted: Vec<PathBuf>,
    /// Content lists, tried on some files of each game; `None` where the profile names none.
    pub lists: Option<ListCheck>,
    /// What could not be read.
    pub problems: Vec<Problem>,
    /// How its files differ from what it was learned from, if they do.
    pub drift: Option<Drift>,
}

impl ProfileCheck {
    /// Whether games were found, more than folders beside them that it doesn't list, every record in every game that has it says
    /// what it should, and content lists agree with the games.
    pub fn sound(&self) -> bool {
        let lines = self.lines.iter().all(|line| line.mismatches.is_empty() && line.why.is_none());
        let lists = self.lists.as_ref().is_none_or(|lists| lists.faults.is_empty() && lists.agree > 0);
        self.home.is_some()
            && self.drift.is_none()
            && !self.games.is_empty()
            && self.lists_most()
            && lines
            && lists
            && self.problems.is_empty()
    }

    /// Whether it lists more games than there are folders beside them that it doesn't list.
    pub fn lists_most(&self) -> bool {
        self.games.len() > self.unlisted.len()
    }
}

/// Checks a profile against this machine. Writes nothing.
pub fn check_profile(site: &Site, profile: &Profile) -> ProfileCheck {
    let found = read_launchers(site, std::slice::from_ref(profile)).pop();
    let Some(found) = found else {
        return ProfileCheck {
            name: profile.name.clone(),
            home: None,
            libraries: 0,
            games: Vec::new(),
            lines: Vec::new(),
            unlisted: Vec::new(),
            lists: None,
            problems: Vec::new(),
            drift: None,
        };
    };
    let entries = profile.games.records.iter().enumerate().map(|(n, record)| {
        let what = format!("games.records {}: {}", n + 1, record.selector);
        line(site, &found, what, &record.meaning, true, n, &|_| None)
    });
    let files = profile.records.iter().enumerate().map(|(n, record)| {
        let what = format!("records {}: {} {}", n + 1, record.file, record.selector);
        let why = |game: &FoundGame| {
            let values = found.values(site).with("id", &game.id).with("folder", &game.folder);
            let values = values.with("install", game.install.to_string_lossy());
            let Ok(file) = record.file.fill(&values).map(PathBuf::from) else {
                return Some("its file cannot be named for this game".into());
            };
            if file.look_own_meta().is_err() {
                return Some(format!("{} doesn't exist", file.display()));
            }
            let shape = record.shape.unwrap_or_else(|| Shape::of_name(&file));
            let source = match Source::read(&file, shape) {
                Ok(source) => source,
                Err(error) => return Some(error.to_string()),
            };
            let selector = record.selector.fill_quoted(&values).unwrap_or_default();
            match source.find(&selector).map(|found| found.len()) {
                Ok(0) => Some(format!("{selector} finds nothing in {}", file.display())),
                Ok(n) => Some(format!("of {n} places in {} none points to the game", file.display())),
                Err(error) => Some(error.to_string()),
            }
        };
        line(site, &found, what, &record.meaning, false, n, &why)
    });
    ProfileCheck {
        name: profile.name.clone(),
        lines: entries.chain(files).collect(),
        libraries: found.libraries.len(),
        games: found.games.iter().map(|game| (game.title.clone(), game.install.clone())).collect(),
        unlisted: folders_beside(site, &found),
        lists: check_lists(site, &found),
        problems: found.problems.clone(),
        drift: found.drift(),
        home: Some(found.home.clone()),
    }
}

fn line(
    site: &Site,
    found: &FoundLauncher,
    what: String,
    meaning: &Meaning,
    in_entry: bool,
    nth: usize,
    why: &dyn Fn(&FoundGame) -> Option<String>,
) -> CheckLine {
    let mut line = CheckLine {
        what,
        meaning: meaning.clone(),
        matched: 0,
        missing: 0,
        missing_in: Vec::new(),
        mismatches: Vec::new(),
        why: None,
    };
    let bases = found.bases(site);
    for game in &found.games {
        let mut here = game.records.iter().filter(|r| r.in_entry == in_entry && r.said_by == nth).peekable();
        if here.peek().is_none() {
            line.missing += 1;
            line.missing_in.push(game.title.clone());
            continue;
        }
        let mut all = true;
        for record in here {
            // What was read must also be what would be written for the same place.
            let whole = record.within.is_value() && meaning.base().is_some() && record.relative_to.is_none();
            let bases = bases.seen_from(&record.file);
            let again = Spelling::read(&record.text, &bases).and_then(|(spelling, path)| spelling.write(&path, &bases));
            let written = !whole || again.is_ok_and(|again| again.0 == record.text);
            if !record.sound || !written {
                all = false;
                line.mismatches.push(Mismatch {
                    title: game.title.clone(),
                    file: record.file.clone(),
                    location: record.location.clone(),
                    says: record.text.clone(),
                });
            }
        }
        line.matched += usize::from(all);
    }
    if line.matched == 0 && line.mismatches.is_empty() {
        line.missing_in.clear();
        let first = found.games.first();
        line.why = Some(match first {
            None => "no game to look for".into(),
            Some(game) => why(game).unwrap_or_else(|| "no entry has it".into()),
        });
    }
    line
}
