//! Shortcuts: what a desktop entry says of a game's place, by the Desktop Entry Specification (1.5).
//!
//! Law: an entry is read and never run. Only paths that lead into the game are records; everything else stays.

use super::found::{FoundGame, FoundLauncher};
use super::settings::UNSAID;
use std::path::Path;
use std::sync::LazyLock;

use serde::Deserialize;

use super::matching::{Record, SelectorSearch};
use super::profile::FileRecord;
use crate::record::{Format, Shape, Source};
use crate::site::Site;

/// The keys of a desktop entry that hold paths, in all its groups.
const KEYS: &str = r#"
[[keys]]
file = "entry"
selector = "$[*].Exec"
within = "command"
meaning = "{install}/{tail}"
[[keys]]
file = "entry"
selector = "$[*].TryExec"
within = "command"
meaning = "{install}/{tail}"
[[keys]]
file = "entry"
selector = "$[*].Path"
meaning = "{install}"
[[keys]]
file = "entry"
selector = "$[*].Path"
meaning = "{install}/{tail}"
[[keys]]
file = "entry"
selector = "$[*].Icon"
meaning = "{install}/{tail}"
[[keys]]
file = "entry"
selector = "$[*].URL"
meaning = "{install}"
[[keys]]
file = "entry"
selector = "$[*].URL"
meaning = "{install}/{tail}"
"#;

#[derive(Deserialize)]
struct Keys {
    keys: Vec<FileRecord>,
}

/// The records of a game's place in a desktop entry.
pub fn shortcut_records(
    site: &Site,
    found: &FoundLauncher,
    game: &FoundGame,
    file: &Path,
    source: &Source,
) -> Vec<Record> {
    static RECORDS: LazyLock<Vec<FileRecord>> =
        LazyLock::new(|| toml::from_str::<Keys>(KEYS).map(|keys| keys.keys).unwrap_or_default());
    let text = |path: &Path| path.to_string_lossy().into_owned();
    let values = found
        .values(site)
        .with("id", &game.id)
        .with("folder", &game.folder)
        .with("install", text(&game.install))
        .with("parent", text(game.install.parent().unwrap_or(Path::new("/"))));
    let bases = found.bases(site);
    let shape = Shape::Text(Format::Desktop);
    let search = SelectorSearch { bases: &bases, values: &values, file, shape, entry: None };
    let found = RECORDS.iter().filter_map(|record| search.file_record(source, record, UNSAID, None).ok());
    found.flatten().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_keys_are_read() {
        assert_eq!(toml::from_str::<Keys>(KEYS).unwrap().keys.len(), 7);
    }
}
