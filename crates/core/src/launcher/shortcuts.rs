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

/// What a shell link holds: everything in it that leads into the game.
const IN_LINKS: &str = r#"
[[keys]]
file = "entry"
selector = "$..*"
meaning = "{install}"
[[keys]]
file = "entry"
selector = "$..*"
meaning = "{install}/{tail}"
[[keys]]
file = "entry"
selector = "$.relative_path"
relative-to = "file"
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
    (file, shape): (&Path, Shape),
    source: &Source,
) -> Vec<Record> {
    static RECORDS: LazyLock<[Vec<FileRecord>; 2]> = LazyLock::new(|| {
        [KEYS, IN_LINKS].map(|text| toml::from_str::<Keys>(text).map(|keys| keys.keys).unwrap_or_default())
    });
    let [of_entries, of_links] = &*RECORDS;
    let wanted = if shape == Shape::Text(Format::ShellLink) { of_links } else { of_entries };
    let text = |path: &Path| path.to_string_lossy().into_owned();
    let values = found
        .values(site)
        .with("id", &game.id)
        .with("folder", &game.folder)
        .with("install", text(&game.install))
        .with("parent", text(game.install.parent().unwrap_or(Path::new("/"))));
    let bases = found.bases(site);
    let search = SelectorSearch { bases: &bases, values: &values, file, shape, entry: None };
    let found = wanted.iter().filter_map(|record| search.file_record(source, record, UNSAID, None).ok());
    found.flatten().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_keys_are_read() {
        assert_eq!(toml::from_str::<Keys>(KEYS).unwrap().keys.len(), 7);
        assert_eq!(toml::from_str::<Keys>(IN_LINKS).unwrap().keys.len(), 3);
    }
}
