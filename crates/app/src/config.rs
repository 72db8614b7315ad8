//! The person's settings: `deft-barge/settings.toml` in the settings folder. Format: `docs/formats.md`, "Settings".
//!
//! Law: a file that cannot be understood changes nothing, and is said with its line.

use std::path::PathBuf;

use deft_barge_core::site::{Site, read_text};
use serde::Deserialize;

use crate::commands::KeyMap;
use crate::present::path as shown;

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
struct File {
    theme: Option<Theme>,
    bell: bool,
    keys: toml::Table,
}

#[derive(Clone, Copy, Debug, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum Theme {
    Dark,
    Light,
}

/// What a person has set.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    pub ground: Ground,
    /// Whether the bell rings when a haul is done.
    pub bell: bool,
    pub keys: KeyMap,
    /// Why the file, or a part of it, does not count.
    pub problem: Option<String>,
}

impl Settings {
    /// Where they stand.
    pub fn file(site: &Site) -> PathBuf {
        site.places.config.join("deft-barge/settings.toml")
    }

    /// Reads them; without a file everything is as usual.
    pub fn of(site: &Site) -> Self {
        let path = Self::file(site);
        match read_text(&path) {
            Ok(text) => {
                let mut settings = Self::parse(&text);
                settings.problem = settings.problem.map(|what| format!("{}{what}", shown(&path)));
                settings
            }
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Self::default(),
            Err(error) => Self { problem: Some(format!("{} unreadable: {error}", shown(&path))), ..Self::default() },
        }
    }

    fn parse(text: &str) -> Self {
        let wrong = |what: String| Self { problem: Some(what), ..Self::default() };
        let file: File = match toml::from_str(text) {
            Ok(file) => file,
            Err(error) => {
                let at = error.span().map_or(0, |span| span.start);
                return wrong(format!(", line {}: {}", line_of(text, at), error.message()));
            }
        };
        let mut keys = KeyMap::default();
        for (name, value) in &file.keys {
            let line = text
                .lines()
                .position(|line| {
                    let key = line.split('=').next().unwrap_or_default();
                    key.trim().trim_matches('"') == name
                })
                .map_or(1, |n| n + 1);
            let listed = match value {
                toml::Value::String(key) => Some(vec![key.clone()]),
                toml::Value::Array(all) => all.iter().map(|key| key.as_str().map(String::from)).collect(),
                _ => None,
            };
            let set = listed.ok_or("a key, or a list of keys, is wanted".to_string());
            if let Err(what) = set.and_then(|listed| keys.set(name, &listed)) {
                return wrong(format!(", line {line}: {what}"));
            }
        }
        if let Some((key, one, other)) = keys.clash() {
            return wrong(format!(": the key {key} means both {one} and {other}"));
        }
        let ground = match file.theme {
            Some(Theme::Light) => Ground::Light,
            Some(Theme::Dark) | None => Ground::Dark,
        };
        Self { ground, bell: file.bell, keys, problem: None }
    }
}

/// A settings file to begin with: all that can be set, as it is usually, behind comment signs.
pub fn template() -> String {
    let mut out = String::from(
        "# Settings of Deft Barge. A line counts once its comment sign is gone; what is wrong is said with its line by\n\
         #   deft-barge settings check\n\n\
         # The ground of the interface: \"dark\" or \"light\".\n# theme = \"dark\"\n\n\
         # Whether the terminal's bell rings, and its title is set, when a haul is done.\n# bell = false\n\n\
         # Keys: one, or several in brackets, or [] for none. A key is a character, a name such as \"space\", \"page-down\" or \"f5\",\n\
         # or one of these behind \"ctrl-\". Digits belong to drives.\n[keys]\n",
    );
    for (name, keys, words) in crate::commands::usual_keys() {
        let listed: Vec<String> = keys.iter().map(|key| format!("{key:?}")).collect();
        out.push_str(&format!("\n# {words}\n# {name} = [{}]\n", listed.join(", ")));
    }
    out
}

fn line_of(text: &str, at: usize) -> usize {
    text.get(..at).unwrap_or(text).matches('\n').count() + 1
}

/// What the text stands on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ground {
    #[default]
    Dark,
    Light,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_wrong_is_said_with_its_line_and_changes_nothing() {
        for (text, says) in [
            ("theme = \"light\"\nbells = true\n", "line 2"),
            ("[keys]\nmark = \"M\"\nmake-room = []\ndance = \"d\"\n", "line 4: no command is called \"dance\""),
            ("[keys]\nmark-all = \"M\"\nmark = 7\n", "line 3: a key, or a list of keys"),
            ("[keys]\nmark = \"M\"\n", "the key M means both mark and make-room"),
            ("theme = \"pink\"\n", "line 1"),
        ] {
            let settings = Settings::parse(text);
            assert!(settings.problem.as_ref().is_some_and(|what| what.contains(says)), "{:?}", settings.problem);
            assert_eq!(settings.ground, Ground::Dark);
        }
        let settings =
            Settings::parse("theme = \"light\"\nbell = true\n[keys]\nmark = [\"m\", \"f3\"]\nmake-room = []\n");
        assert_eq!((settings.problem, settings.ground, settings.bell), (None, Ground::Light, true));
    }

    #[test]
    fn the_file_to_begin_with_changes_nothing_and_counts_when_its_comment_signs_are_gone() {
        let text = template();
        assert_eq!(Settings::parse(&text).problem, None);
        let uncommented: Vec<&str> = text
            .lines()
            .map(|line| line.strip_prefix("# ").filter(|rest| rest.contains(" = ")).unwrap_or(line))
            .collect();
        let settings = Settings::parse(&uncommented.join("\n"));
        assert_eq!((settings.problem, settings.ground, settings.bell), (None, Ground::Dark, false));
    }
}
