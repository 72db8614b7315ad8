//! Settings of games that say where their user data lies.
//!
//! Law: one that is relative to a folder that moves is a record of the game: when the game goes and its data stays, it is
//! written anew. Start at [`read_setting`].

use std::path::Path;

use super::matching::Record;

use crate::record::{Shape, Source};

use std::path::{Component, PathBuf};

use super::matching::base_of;
use super::profile::SettingAt;
use crate::record::{Bases, Meaning, Place, Side, Spelling, Values, Within};
use crate::site::real_path;

/// A setting as it is.
pub(crate) struct Setting {
    /// The folder that it says.
    pub(crate) folder: PathBuf,
    /// The record, as one of the user data: it stands for that folder.
    pub(crate) record: Record,
    /// Whether its text is relative.
    relative: bool,
}

/// Reads a setting; `None` if it is not there, or says no folder.
pub(crate) fn read_setting(bases: &Bases, values: &Values, at: &SettingAt) -> Option<Setting> {
    let file = PathBuf::from(at.file.fill(values).ok()?);
    let shape = at.shape.unwrap_or_else(|| Shape::of_name(&file));
    let source = Source::read(&file, shape).ok()?;
    let place = source.find(&at.selector.fill_quoted(values).ok()?).ok()?.into_iter().next()?;
    let text = source.leaf(&place, Side::Value)?;
    let (spelling, folder) = Spelling::read(&text, &base_of(bases, at.relative_to.as_ref(), &file, values)).ok()?;
    let relative = spelling.is_relative();
    // What goes up and down again is one place, whatever way leads there.
    let winds = folder.components().any(|part| part == Component::ParentDir);
    let folder = if winds { real_path(&folder) } else { folder };
    let mut record = plain_record(&file, shape, &source, &place, text, &spelling);
    // The names in the profile are those of the game; to the data the folder is just a folder, wherever the data goes.
    record.relative_to = match &at.relative_to {
        Some(base) if base.is_file() => Some(base.clone()),
        Some(base) => Some(Meaning::place(Path::new(&base.fill(values).ok()?))?),
        None => None,
    };
    Some(Setting { folder, record, relative })
}

impl Setting {
    /// The record as one of the game; `None` if the setting says the same wherever the game is.
    pub(crate) fn of_game(&self, at: &SettingAt, install: &Path) -> Option<Record> {
        let moves = |template: &Meaning| ["install", "parent", "library"].iter().any(|name| template.names(name));
        let base = at.relative_to.as_ref()?;
        let base_moves = if base.is_file() { self.record.file.starts_with(install) } else { moves(base) };
        // Data within the game goes with it.
        if !self.relative || !base_moves || self.folder.starts_with(install) {
            return None;
        }
        let (meaning, relative_to) = (Meaning::place(&self.folder)?, Some(base.clone()));
        Some(Record { meaning, relative_to, ..self.record.clone() })
    }
}

/// A record of one text that is a path, and means the folder of what it belongs to.
pub(crate) fn plain_record(
    file: &Path,
    shape: Shape,
    source: &Source,
    place: &Place,
    text: String,
    spelling: &Spelling,
) -> Record {
    Record {
        file: file.into(),
        shape,
        location: place.to_string(),
        inside: Vec::new(),
        through: None,
        side: Side::Value,
        within: Within::Value,
        text,
        meaning: Meaning::try_from("{install}".to_string()).unwrap_or_default(),
        spelling: spelling.describe(),
        sound: true,
        in_entry: false,
        tail: None,
        relative_to: None,
        whole: None,
        written: source.written(place, Side::Value).map(str::to_string),
        said_by: UNSAID,
    }
}

/// Number that a record has which no profile has said.
pub const UNSAID: usize = usize::MAX;
