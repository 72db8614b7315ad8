//! What was learned of launchers, and why some could not be.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::launcher::{FoundGame, FoundLauncher, Profile};
use crate::record::{Place, Step};

/// What a launcher's files were found to say beside where its games are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Known {
    /// The title.
    Title,
    /// The bytes that a game has.
    Size,
    /// The program that starts a game.
    Program,
    /// When a game last ran.
    LastRun,
    /// The library that a game is in.
    Library,
    /// How many games a library has.
    Counter,
}

/// Something that more than one place of an entry may be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Question {
    /// What it is about.
    pub about: Known,
    /// The likeliest first: what each says of some games.
    pub candidates: Vec<Candidate>,
}

/// One answer to a question.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Candidate {
    /// JSONPath from the entry.
    pub selector: String,
    /// What it says of three games at most.
    pub examples: Vec<String>,
    /// Of what may say a library, the folder that each of these would be.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub libraries: Vec<PathBuf>,
    /// Whether it is that none of the others is right.
    pub none: bool,
    /// The profile with this answer, where more than a line differs.
    #[serde(skip)]
    pub profile: Option<String>,
    /// What is asked about the counts of games with this answer, instead of what is asked so far.
    #[serde(skip)]
    pub then: Vec<Question>,
}

/// Why a profile is not sound.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Doubt {
    /// One game alone shows no list.
    OneGame,
    /// Nothing in the entries tells the games apart for good.
    NoId,
    /// It lists libraries, and no list of the games in them is understood.
    NoList,
    /// A list of libraries says which games each has, or how many: a move would have to change that as well.
    Counters(PathBuf),
    /// Numbers that are those of the games in each library, and may be so by chance.
    MayCount {
        /// The list of libraries.
        file: PathBuf,
        /// JSONPaths from its entries.
        selectors: Vec<String>,
    },
    /// What a file is for is not clear: more than one list may be that of the libraries.
    NotClear(PathBuf),
    /// The records lie beside the games and would have to go with them.
    Beside,
    /// A folder that the list names is not found by the profile, or cannot be a game's.
    NotFound(PathBuf),
    /// A file cannot be read by it.
    Unreadable {
        /// The file.
        file: PathBuf,
        /// What is wrong.
        what: String,
    },
    /// What an entry says of where its game lies is not understood.
    NoPlace(PathBuf),
    /// A file holds a checksum of what a move would rewrite.
    Checksum(PathBuf),
    /// A file names games and is not understood.
    NotUnderstood(PathBuf),
    /// A place that leads to a game would be left.
    Missed {
        /// Title of the game.
        title: String,
        /// The file.
        file: PathBuf,
        /// The place in it.
        location: String,
    },
    /// A rehearsal of a move failed.
    Unmovable {
        /// Title of the game.
        title: String,
        /// What was wrong.
        what: String,
    },
    /// A rehearsal changed a record of another game.
    Foreign {
        /// Title of the game that was moved.
        title: String,
        /// The file.
        file: PathBuf,
    },
    /// The launcher, when it moved a game, changed something that the profile would not have.
    AlsoChanged {
        /// Title of the game that was moved.
        title: String,
        /// The file.
        file: PathBuf,
        /// What it says, before or since.
        says: String,
    },
    /// The rehearsal, undone, gave other bytes.
    NotUndone {
        /// Title of the game that was moved.
        title: String,
        /// The file.
        file: PathBuf,
    },
}

/// A game that a learned profile finds.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct LearnedGame {
    /// Its title.
    pub title: String,
    /// Its folder.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub install: PathBuf,
}

/// A launcher that was learned, or not.
#[derive(Clone, Debug, Serialize)]
pub struct LearnedLauncher {
    /// A short name, for its profile's file.
    pub id: String,
    /// The name that people read.
    pub name: String,
    /// Its own folder.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub home: PathBuf,
    /// Its games.
    pub games: Vec<LearnedGame>,
    /// The file of its games, or the folder of one file for each.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub list: PathBuf,
    /// Whether it was learned before, and its profile is to take the place of that one.
    pub again: bool,
    /// Libraries that it lists.
    pub libraries: usize,
    /// Files with records that the profile names.
    pub record_files: usize,
    /// Moves that were rehearsed in memory.
    pub rehearsed: usize,
    /// Places that lead to games and that the profile covers, of the games that were traced.
    pub covered: usize,
    /// What is known beside where the games are.
    pub known: BTreeSet<Known>,
    /// Whether it has content lists, by which a proof tells what would be downloaded.
    pub content_lists: bool,
    /// What is not sure, and was taken to be the likeliest.
    pub questions: Vec<Question>,
    /// Files that say a game's folder and stay as they are: logs, backups, caches.
    pub left: Vec<PathBuf>,
    /// The profile.
    pub profile: String,
    /// Why it is not sound; `None` if it is.
    pub doubt: Option<Doubt>,
}

impl Candidate {
    /// That none of the others is right; with the profile that holds then, if there is one.
    pub(super) fn none(profile: Option<String>) -> Self {
        Self {
            selector: String::new(),
            examples: Vec::new(),
            libraries: Vec::new(),
            none: true,
            profile,
            then: Vec::new(),
        }
    }

    /// What it is called where it stands: the last name on the way there.
    pub fn name(&self) -> Option<String> {
        let place = Place::read(&self.selector)?;
        let names = place.0.into_iter().rev().filter_map(|step| match step {
            Step::Name(name) if !name.starts_with('#') => Some(name),
            _ => None,
        });
        names.map(|name| name.trim_start_matches('@').to_string()).next()
    }
}

impl LearnedLauncher {
    /// A launcher of which no more is known than its name, its folder and its list.
    pub(super) fn bare(id: &str, name: &str, home: &Path, list: PathBuf) -> Self {
        Self {
            id: id.into(),
            name: name.into(),
            home: home.into(),
            games: Vec::new(),
            list,
            libraries: 0,
            again: false,
            record_files: 0,
            rehearsed: 0,
            covered: 0,
            known: BTreeSet::new(),
            content_lists: false,
            questions: Vec::new(),
            left: Vec::new(),
            profile: String::new(),
            doubt: None,
        }
    }

    /// A launcher that has a profile already.
    pub(super) fn of_known(found: &FoundLauncher) -> Self {
        let game = |game: &FoundGame| LearnedGame { title: game.title.clone(), install: game.install.clone() };
        let list = found.games.first().map_or_else(|| found.home.clone(), |game| game.entry.file.clone());
        Self {
            games: found.games.iter().map(game).collect(),
            libraries: found.libraries.len(),
            ..Self::bare(&found.profile.id, &found.profile.name, &found.home, list)
        }
    }

    /// Adds a name of its program to the profile: it may not run while its records change.
    pub fn runs_as(&mut self, name: &str) {
        let add = |profile: &mut String| {
            let Ok(read) = Profile::parse(profile, Path::new("learned.toml")) else { return };
            if read.processes.iter().any(|known| known == name) {
                return;
            }
            let names = read.processes.iter().map(String::as_str).chain([name]);
            let names: Vec<toml::Value> = names.map(toml::Value::from).collect();
            let line = format!("processes = {}", toml::Value::Array(names));
            let mut lines: Vec<&str> = profile.lines().filter(|line| !line.starts_with("processes = ")).collect();
            let behind = lines.iter().position(|line| line.starts_with("home = ")).map_or(lines.len(), |at| at + 1);
            lines.insert(behind, &line);
            *profile = lines.join("\n") + "\n";
        };
        add(&mut self.profile);
        let candidates = self.questions.iter_mut().flat_map(|question| &mut question.candidates);
        candidates.filter_map(|candidate| candidate.profile.as_mut()).for_each(add);
    }

    /// Takes an answer to a question: the candidate of this number.
    pub fn answer(&mut self, question: usize, candidate: usize) {
        if question >= self.questions.len() {
            return;
        }
        let question = self.questions.remove(question);
        let Some(candidate) = question.candidates.get(candidate) else { return };
        if question.about == Known::Library {
            self.questions.retain(|other| other.about != Known::Counter);
            self.questions.splice(0..0, candidate.then.iter().cloned());
        }
        let key = match question.about {
            Known::Library | Known::Counter => {
                match &candidate.profile {
                    Some(profile) => self.profile.clone_from(profile),
                    None => self.doubt = Some(Doubt::NotClear(self.list.clone())),
                }
                return;
            }
            Known::Title => "title = ",
            Known::Size => "reported = ",
            Known::Program => "program = ",
            Known::LastRun => "last-run = ",
        };
        let line = format!("{key}{}", toml::Value::String(candidate.selector.clone()));
        let lines = self.profile.lines().map(|old| if old.starts_with(key) { line.as_str() } else { old });
        self.profile = lines.map(|line| format!("{line}\n")).collect();
    }
}

/// What was learned.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Learned {
    /// The launchers, those with most games first.
    pub launchers: Vec<LearnedLauncher>,
    /// Launchers that a profile describes already: name and games.
    pub described: Vec<(String, usize)>,
    /// Files that were looked at.
    pub files: usize,
}

/// How far it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LearnPhase {
    /// Files that were looked at.
    pub files: usize,
    /// Launchers that were looked at, of those that were found.
    pub launchers: (usize, usize),
}
