//! Drafts as files: a person saves one, edits it, opens it again. Format: `docs/formats.md`, "Draft".
//!
//! Law: a draft that does not fit what is there any more is refused, with all that has changed. Start at [`DraftFile::fit`].

use std::path::PathBuf;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::draft::{Destination, Draft};
use super::what_if::WhatIf;
use crate::item::{Links, LooseFolders, Policy, Trial};
use crate::plan::edits::MakeLetters;
use crate::survey::{GameId, Survey, Way};

/// The version that is written.
const FORMAT: u32 = 2;

/// A draft as it is written down.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct DraftFile {
    format: u32,
    /// When it was written.
    #[serde(default)]
    pub made: Option<Timestamp>,
    /// When originals are released.
    #[serde(default)]
    pub policy: Policy,
    /// Whether drive letters are made where a record needs one.
    #[serde(default)]
    pub letters: MakeLetters,
    /// What becomes of links on a drive that has none.
    #[serde(default)]
    pub links: Links,
    /// What becomes of folders that no record points to.
    #[serde(default)]
    pub loose: LooseFolders,
    /// Whether the smallest item is tried first.
    #[serde(default)]
    pub trial: Trial,
    /// The items; version 1 called them lots.
    #[serde(default, alias = "lots")]
    pub items: Vec<FileItem>,
    /// Drives that were not there.
    #[serde(default)]
    pub what_if: Vec<WhatIf>,
}

/// An item of a draft as it is written down.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct FileItem {
    /// The game's id over all launchers.
    pub game: GameId,
    /// Its title, for people.
    #[serde(default)]
    pub title: String,
    /// Where it lay; where this is missing it may lie anywhere.
    #[serde(default)]
    pub from: Option<PathBuf>,
    /// Name of the drive that it goes to.
    #[serde(default)]
    pub to: Option<String>,
    /// Or the folder of the library.
    #[serde(default)]
    pub library: Option<PathBuf>,
    /// How user data goes, or `link` for a game at whose old place a link is left.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub way: Option<Way>,
}

/// Why a draft's file cannot be used.
#[derive(Debug, Error)]
pub enum DraftFileError {
    /// It is not what it should be; the text names line and fault.
    #[error("it isn't a draft: {0}")]
    Unsound(String),
    /// Another version has written it.
    #[error("its format is {0}; this program reads 1 and 2")]
    Version(u32),
}

/// What has changed since a draft was written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "misfit")]
pub enum Misfit {
    /// The game is not installed any more.
    GameGone { game: GameId, title: String },
    /// It lies elsewhere.
    Moved { title: String, was: PathBuf, now: PathBuf },
    /// There is no such drive.
    DriveGone { title: String, drive: String },
    /// There is no such library.
    LibraryGone { title: String, library: PathBuf },
    /// The item says neither a drive nor a library.
    NoPlace { title: String },
}

impl DraftFile {
    /// Writes a draft down.
    pub fn of(survey: &Survey, draft: &Draft, policy: Policy, what_if: Vec<WhatIf>) -> Self {
        let item = |item: &super::draft::DraftItem| {
            let game = survey.haulable(&item.game, item.way);
            let (to, library) = match &item.to {
                Destination::Drive(name) => (Some(name.clone()), None),
                Destination::Library(path) => (None, Some(path.clone())),
            };
            FileItem {
                game: item.game.clone(),
                title: game.map_or_else(String::new, |game| game.found.title.clone()),
                from: game.map(|game| game.found.install.clone()),
                to,
                library,
                way: item.way,
            }
        };
        Self {
            format: FORMAT,
            made: Some(survey.made),
            policy,
            letters: draft.letters,
            links: draft.links,
            loose: draft.loose,
            trial: draft.trial,
            items: draft.items.iter().map(item).collect(),
            what_if,
        }
    }

    /// Reads one.
    ///
    /// # Errors
    /// [`DraftFileError`] with line and fault.
    pub fn parse(text: &str) -> Result<Self, DraftFileError> {
        let file: Self = toml::from_str(text).map_err(|error| DraftFileError::Unsound(error.to_string()))?;
        if (1..=FORMAT).contains(&file.format) { Ok(file) } else { Err(DraftFileError::Version(file.format)) }
    }

    /// Its text.
    pub fn text(&self) -> String {
        let head = "# A draft of Deft Barge: what should go where. Nothing is moved before it is hauled with --from.\n";
        format!("{head}{}", toml::to_string(self).unwrap_or_default())
    }

    /// The draft, if it fits what is there; its drives that are not there have to be among those of the survey.
    ///
    /// # Errors
    /// All that has changed since it was written.
    pub fn fit(&self, survey: &Survey) -> Result<Draft, Vec<Misfit>> {
        let mut draft = Draft {
            letters: self.letters,
            links: self.links,
            loose: self.loose,
            trial: self.trial,
            ..Draft::default()
        };
        let mut misfits = Vec::new();
        for item in &self.items {
            let title = || if item.title.is_empty() { item.game.0.clone() } else { item.title.clone() };
            let Some(game) = survey.haulable(&item.game, item.way) else {
                misfits.push(Misfit::GameGone { game: item.game.clone(), title: title() });
                continue;
            };
            if let Some(was) = item.from.as_ref().filter(|was| **was != game.found.install) {
                let now = game.found.install.clone();
                misfits.push(Misfit::Moved { title: title(), was: was.clone(), now });
            }
            let to = match (&item.to, &item.library) {
                (Some(name), _) if survey.drive(name).is_some() => Destination::Drive(name.clone()),
                (Some(name), _) => {
                    misfits.push(Misfit::DriveGone { title: title(), drive: name.clone() });
                    continue;
                }
                (None, Some(path)) if survey.launchers.iter().flat_map(|l| &l.libraries).any(|l| l.path == *path) => {
                    Destination::Library(path.clone())
                }
                (None, Some(path)) => {
                    misfits.push(Misfit::LibraryGone { title: title(), library: path.clone() });
                    continue;
                }
                (None, None) => {
                    misfits.push(Misfit::NoPlace { title: title() });
                    continue;
                }
            };
            draft.send_by(item.game.clone(), to, item.way);
        }
        if misfits.is_empty() { Ok(draft) } else { Err(misfits) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::survey::made_up::{drive, game, survey_of};

    fn survey() -> Survey {
        survey_of(
            vec![drive("one", 900, 300, 0), drive("two", 900, 0, 0)],
            vec![game("a", "one", 100, None), game("b", "one", 200, None)],
        )
    }

    #[test]
    fn a_draft_comes_back_from_its_file_as_it_was() {
        let survey = survey();
        let mut draft = Draft { trial: Trial::Waits, links: Links::Copies, ..Draft::default() };
        draft.send(GameId("quay/b".into()), Destination::Drive("two".into()));
        let what_if: Vec<WhatIf> = vec!["crate:2TB".parse().unwrap()];
        let file = DraftFile::of(&survey, &draft, Policy::Release, what_if);
        let read = DraftFile::parse(&file.text()).unwrap();
        assert_eq!(read, file);
        assert_eq!(read.fit(&survey).unwrap(), draft);
        assert!(file.text().contains("title = \"Game b\""), "{}", file.text());
    }

    #[test]
    fn what_has_changed_since_is_listed_whole() {
        let mut survey = survey();
        let mut draft = Draft::default();
        for (game, to) in [("quay/a", "two"), ("quay/b", "two")] {
            draft.send(GameId(game.into()), Destination::Drive(to.into()));
        }
        let file = DraftFile::of(&survey, &draft, Policy::Hold, Vec::new());
        survey.games[0].found.install = "/elsewhere/a".into();
        survey.games.remove(1);
        survey.drives.remove(1);
        let misfits = file.fit(&survey).unwrap_err();
        let kinds = misfits.iter().map(|misfit| match misfit {
            Misfit::Moved { now, .. } => now.to_string_lossy().into_owned(),
            Misfit::DriveGone { drive, .. } => drive.clone(),
            Misfit::GameGone { title, .. } => title.clone(),
            other => format!("{other:?}"),
        });
        assert_eq!(kinds.collect::<Vec<_>>(), ["/elsewhere/a", "two", "Game b"]);
    }

    #[test]
    fn what_is_no_draft_is_refused_with_its_line() {
        for (text, part) in [
            ("format = 1\ncolour = 2", "line 2"),
            ("format = 7", "format is 7"),
            ("format = 2\n[[items]]\ntitle = \"x\"", "game"),
            ("{", "line 1"),
        ] {
            let error = DraftFile::parse(text).unwrap_err().to_string();
            assert!(error.contains(part), "{text}: {error}");
        }
        let empty = DraftFile::parse("format = 2\n[[items]]\ngame = \"quay/a\"").unwrap();
        let older = DraftFile::parse("format = 1\n[[lots]]\ngame = \"quay/a\"").unwrap();
        assert_eq!(older.items, empty.items, "a draft of version 1 is read");
        assert_eq!(empty.fit(&survey()).unwrap_err(), [Misfit::NoPlace { title: "quay/a".into() }]);
    }
}
