//! The profile of a launcher. Format: `docs/formats.md`, "Profile".

mod parts;

pub use parts::{
    Adopt, AdoptFile, Algorithm, Carry, Contents, DataKind, DefaultLibrary, EntryRecord, FileRecord, Games, GuideStep,
    Inside, Libraries, Need, SettingAt, Until, UpdateAt, UserDataAt,
};
use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::origin::Origin;
use super::shape::EntryShape;
use crate::platform;
use crate::record::{LibrarySays, Meaning, Values, cut, read_selector};

/// Where a launcher keeps its records, as a profile file says it.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Profile {
    /// What makes its games known: a file of a profile is always about a launcher.
    #[serde(skip)]
    pub origin: Origin,
    /// Version of the format: 1.
    pub format: u32,
    /// A short name for files and ids: letters, digits and hyphens.
    pub id: String,
    /// The name that people read.
    pub name: String,
    /// Where the launcher's own folder may be; the first that is there counts.
    pub home: Vec<Meaning>,
    /// Names of its programs: none may run while its records change.
    #[serde(default)]
    pub processes: Vec<String>,
    /// Folders of Windows compatibility layers whose drive letters its paths use, in the order in which they are tried.
    #[serde(default)]
    pub prefixes: Vec<Meaning>,
    /// Whether letters of either case are the same in its paths.
    #[serde(default)]
    pub case_blind: bool,
    /// Variables in its paths, and what they stand for.
    #[serde(default)]
    pub variables: BTreeMap<String, Meaning>,
    /// Its libraries, if it has such folders.
    pub libraries: Option<Libraries>,
    /// Its games.
    pub games: Games,
    /// Records outside the list of games.
    #[serde(default)]
    pub records: Vec<FileRecord>,
    /// Its own lists of what a game consists of.
    pub contents: Option<Contents>,
    /// Where games keep user data.
    #[serde(default)]
    pub user_data: Vec<UserDataAt>,
    /// How files on disk become an installed game.
    #[serde(rename = "import", alias = "adopt")]
    pub adopt: Option<Adopt>,
    /// What another PC needs, to run it from a drive that was carried there.
    #[serde(rename = "pack", alias = "carry")]
    pub carry: Option<Carry>,
    /// What it was learned from, if it was.
    pub learned: Option<LearnedFrom>,
    /// How a game is started through the launcher: the program and its arguments, with `{home}` and `{id}`.
    #[serde(default)]
    pub start: Vec<Meaning>,
}

/// What a profile was learned from, and what was proved of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct LearnedFrom {
    /// Games that were installed.
    pub games: usize,
    /// Moves that were rehearsed and undone.
    pub moves: usize,
    /// Places that lead to games and that it covers.
    pub places: usize,
    /// What was asked, or taken to be the likeliest.
    #[serde(default)]
    pub asked: usize,
    /// What the entries of its games said.
    #[serde(default, skip_serializing)]
    pub entry: Option<EntryShape>,
    /// What the entries of its libraries said.
    #[serde(default, skip_serializing)]
    pub library: Option<EntryShape>,
}

/// Why a profile is not used. The other profiles are.
#[derive(Debug, Error)]
pub enum ProfileError {
    /// The file or folder cannot be read.
    #[error("couldn't read {file}")]
    Read {
        /// The file.
        file: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// It is not a sound profile; `what` names line and fault.
    #[error("{file} is not a sound profile: {what}")]
    Unsound {
        /// The file.
        file: PathBuf,
        /// Line, column and fault.
        what: String,
    },
}

impl ProfileError {
    /// The file that isn't a sound profile.
    pub fn file(&self) -> &Path {
        match self {
            Self::Read { file, .. } | Self::Unsound { file, .. } => file,
        }
    }
}

impl Profile {
    /// The profile of a launcher that nobody has described: its games are known by other ways, and lie as `{install}`.
    ///
    /// `place` is the template of the folder into which they go on a drive.
    pub fn made_up(origin: Origin, name: &str, place: Option<&str>) -> Self {
        let meaning = |text: &str| Meaning::try_from(text.to_string()).unwrap_or_default();
        Self {
            origin,
            format: 1,
            id: origin.profile_id().unwrap_or_default().into(),
            name: name.into(),
            home: Vec::new(),
            processes: Vec::new(),
            prefixes: Vec::new(),
            case_blind: false,
            variables: BTreeMap::new(),
            libraries: None,
            games: Games { install: meaning("{install}"), place: place.map(meaning), ..Games::default() },
            records: Vec::new(),
            contents: None,
            user_data: Vec::new(),
            adopt: None,
            carry: None,
            learned: None,
            start: Vec::new(),
        }
    }

    /// Reads a profile from the text of `file`.
    ///
    /// # Errors
    /// [`ProfileError`] with the line that is wrong.
    pub fn parse(text: &str, file: &Path) -> Result<Self, ProfileError> {
        let unsound = |what: String| ProfileError::Unsound { file: file.into(), what };
        let profile: Self = toml::from_str(text).map_err(|e| unsound(e.to_string()))?;
        if profile.format != 1 {
            return Err(unsound(format!("format {} is not known here; this program reads 1", profile.format)));
        }
        if profile.id.is_empty() || !profile.id.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-') {
            return Err(unsound(format!("id {:?} must be letters, digits and hyphens", profile.id)));
        }
        if let Some(what) = profile.contents.as_ref().and_then(Contents::fault) {
            return Err(unsound(format!("[contents] {what}")));
        }
        // A number stands for every name: what stands in quotes may be any.
        let names = [
            "id",
            "folder",
            "install",
            "parent",
            "library",
            "library-id",
            "home",
            "user",
            "config",
            "data",
            "state",
            "registry",
            "tail",
        ];
        let numbers = names.into_iter().fold(Values::default(), |values, name| values.with(name, "0"));
        for selector in profile.selectors() {
            let filled = Meaning::try_from(selector.clone()).and_then(|meaning| meaning.fill_quoted(&numbers));
            if let Err(error) = read_selector(filled.as_ref().unwrap_or(&selector)) {
                return Err(unsound(format!(
                    "{} is not a JSONPath: {error}{}",
                    cut(&selector),
                    line_of(text, &selector)
                )));
            }
        }
        match profile.fault() {
            Some(what) => Err(unsound(what.into())),
            None => Ok(profile),
        }
    }

    /// What is wrong with what it says, each part of it being well.
    fn fault(&self) -> Option<&'static str> {
        if self.games.list.is_some() == self.games.entries.is_some() {
            return Some("[games] must say either list or entries");
        }
        if self.games.travels && self.games.list.is_none() && !self.games.file.names("id") {
            return Some("entries that travel need a list, or a file for each game");
        }
        if let Some(what) = self.reference_fault().or_else(|| self.entries_fault()) {
            return Some(what);
        }
        if self.user_data.iter().any(|data| data.path.is_none() && data.setting.is_none()) {
            return Some("[[user-data]] must say a path or a setting");
        }
        let known =
            self.games.records.iter().any(|r| {
                r.inside.is_empty() && r.within.is_value() && (r.meaning.is("folder") || r.meaning.is("install"))
            });
        if !known && !self.games.knows_by_what_lies_in_it() {
            return Some(
                "no record in [games] means {folder} or {install}, so no game's place can be known; one that points to something in the game's folder needs games.folders as well",
            );
        }
        None
    }

    /// Why games cannot refer to their libraries as it says.
    fn reference_fault(&self) -> Option<&'static str> {
        let refers = self.games.records.iter().any(|record| record.meaning.is("library-id"));
        let id = self.libraries.as_ref().and_then(|libraries| libraries.id.as_ref());
        match (refers, id, &self.libraries) {
            (true, None, _) => Some("a record means {library-id}, and libraries.id does not say what that is"),
            // What games refer to a new one by is its number, or only its launcher can say.
            (_, Some(id), Some(libraries)) => {
                let numbered = |entry: &String| id == "key" || entry.contains("{nr}");
                let sound = match (&libraries.new, &libraries.new_entry) {
                    (None, None) => true,
                    (_, entry) => entry.as_ref().is_some_and(numbered),
                };
                (!sound).then_some("with libraries.id a new library needs a number: libraries.new-entry with {nr}, or leave out libraries.new")
            }
            _ => None,
        }
    }

    /// Why entries of games cannot stand in those of libraries as it says.
    fn entries_fault(&self) -> Option<&'static str> {
        let libraries = self.libraries.as_ref()?;
        let mut parts = libraries.holds.iter().filter(|part| part.says == LibrarySays::Entries);
        let (_, more) = (parts.next()?, parts.next());
        if more.is_some() {
            return Some(
                "entries of games are in one part of a library's entry: only one of [[libraries.holds]] says entries",
            );
        }
        if self.games.file != libraries.file || self.games.shape != libraries.shape {
            return Some(
                "entries of games that a library's entry holds are in its file: games.file and as are those of [libraries]",
            );
        }
        if self.games.travels {
            return Some("entries that a library's entry holds go with their games: leave out games.travels");
        }
        // What one list holds is not in the entries of several libraries.
        self.games
            .list
            .is_some()
            .then_some("entries of games in those of libraries are selected by games.entries, not list")
    }

    /// Whether the entries of its games stand in those of its libraries.
    pub fn holds_entries(&self) -> bool {
        let mut parts = self.libraries.iter().flat_map(|libraries| &libraries.holds);
        parts.any(|part| part.says == LibrarySays::Entries)
    }

    fn selectors(&self) -> Vec<String> {
        let games = &self.games;
        let mut all = Vec::new();
        if let Some(libraries) = &self.libraries {
            all.extend([libraries.list.clone(), libraries.path.clone()]);
            all.extend(libraries.entries.clone());
            all.extend(libraries.id.iter().filter(|id| *id != "key").cloned());
            all.extend([&libraries.default_at, &libraries.total, &libraries.named_by].into_iter().flatten().cloned());
            all.extend(
                libraries.holds.iter().flat_map(|part| part.id.clone().into_iter().chain([part.selector.clone()])),
            );
        }
        let single = [
            &games.list,
            &games.entries,
            &games.id,
            &games.title,
            &games.claim,
            &games.program,
            &games.sealed,
            &games.last_run,
        ];
        all.extend(single.into_iter().flatten().cloned());
        all.extend(games.update.iter().flat_map(|u| [u.have.clone(), u.want.clone()]));
        all.extend(games.records.iter().map(|r| r.selector.clone()));
        // Names in a selector stand inside quotes; any text there keeps it a JSONPath.
        all.extend(self.records.iter().map(|r| r.selector.to_string()));
        all.extend(self.user_data.iter().filter_map(|data| Some(data.setting.as_ref()?.selector.to_string())));
        let listed = self.contents.iter().filter(|contents| contents.columns.is_empty());
        all.extend(listed.clone().flat_map(|c| [c.list.clone(), c.path.clone(), c.hash.clone()]));
        all.extend(listed.flat_map(|c| [c.size.clone(), c.title.clone(), c.program.clone()]).flatten());
        all
    }
}

fn line_of(text: &str, selector: &str) -> String {
    let written = text.lines().position(|line| line.contains(selector));
    written.map_or_else(String::new, |n| format!(" (line {})", n + 1))
}

/// Reads every `*.toml` of the profile folder, in the order of their names; a folder that is not there holds none.
pub fn load_profiles(folder: &Path) -> (Vec<Profile>, Vec<ProfileError>) {
    let mut profiles: Vec<Profile> = Vec::new();
    let mut errors = Vec::new();
    let entries = match platform::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return (profiles, errors),
        Err(source) => return (profiles, vec![ProfileError::Read { file: folder.into(), source }]),
    };
    let mut files: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
    files.retain(|file| file.extension().is_some_and(|e| e == "toml"));
    files.sort();
    for file in files {
        let read = platform::read_to_string(&file).map_err(|source| ProfileError::Read { file: file.clone(), source });
        match read.and_then(|text| Profile::parse(&text, &file)) {
            Ok(profile) if profiles.iter().any(|other| other.id == profile.id) => {
                let what = format!("the id {:?} is another profile's already", profile.id);
                errors.push(ProfileError::Unsound { file, what });
            }
            Ok(profile) => profiles.push(profile),
            Err(error) => errors.push(error),
        }
    }
    (profiles, errors)
}

#[cfg(test)]
mod tests;
