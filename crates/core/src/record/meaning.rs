//! What a record's value stands for: a template such as `{library}/{folder}` or `{install}/{tail}`.
//!
//! Law: reading is matching the template against the value, writing is filling it; both from the
//! one template. At most one name in a template may be unknown when it is read.

use std::collections::BTreeMap;
use std::fmt;
use std::path::{Component, Path};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::platform;

/// Names and what they stand for: `install`, `library`, `parent`, `folder`, `id`, `home` and so on.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Values(BTreeMap<String, String>);

impl Values {
    /// All names and values.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &str)> {
        self.0.iter().map(|(name, value)| (name.as_str(), value.as_str()))
    }

    /// Gives the same values and one more.
    #[must_use]
    pub fn with(mut self, name: &str, value: impl Into<String>) -> Self {
        self.0.insert(name.into(), value.into());
        self
    }

    /// What a name stands for.
    pub fn of(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }
}

/// The longest template, in bytes.
const LONGEST: usize = 4096;

/// Why a template is none, or was not filled.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum MeaningError {
    /// A brace is open or a name is empty.
    #[error("{0:?} has an open brace or an empty name")]
    Braces(String),
    /// It is longer than any template is.
    #[error("a template of {0} bytes is longer than the {LONGEST} that one may have")]
    TooLong(usize),
    /// A value that needs quotes stands in a selector without them.
    #[error("{{{name}}} stands without quotes, and {value:?} is no number")]
    Unquoted {
        /// The name.
        name: String,
        /// What it stands for.
        value: String,
    },
    /// Nothing is known under this name.
    #[error("nothing is known for {{{0}}} here")]
    Unknown(String),
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum TemplatePiece {
    Plain(String),
    Name(String),
}

/// A template with names in braces.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Meaning(Vec<TemplatePiece>);

impl TryFrom<String> for Meaning {
    type Error = MeaningError;

    fn try_from(text: String) -> Result<Self, MeaningError> {
        if text.len() > LONGEST {
            return Err(MeaningError::TooLong(text.len()));
        }
        let mut pieces = Vec::new();
        let mut rest = text.as_str();
        while let Some(open) = rest.find('{') {
            let close = rest[open..].find('}').map(|n| open + n);
            let close = close.filter(|close| close - open > 1).ok_or_else(|| MeaningError::Braces(text.clone()))?;
            if open > 0 {
                pieces.push(TemplatePiece::Plain(rest[..open].into()));
            }
            pieces.push(TemplatePiece::Name(rest[open + 1..close].into()));
            rest = &rest[close + 1..];
        }
        if !rest.is_empty() {
            pieces.push(TemplatePiece::Plain(rest.into()));
        }
        Ok(Self(pieces))
    }
}

impl From<Meaning> for String {
    fn from(meaning: Meaning) -> Self {
        meaning.to_string()
    }
}

impl fmt::Display for Meaning {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for piece in &self.0 {
            match piece {
                TemplatePiece::Plain(text) => f.write_str(text)?,
                TemplatePiece::Name(name) => write!(f, "{{{name}}}")?,
            }
        }
        Ok(())
    }
}

impl Meaning {
    /// A template that says this one place; `None` if its path is not text.
    pub fn place(path: &std::path::Path) -> Option<Self> {
        Some(Self(vec![TemplatePiece::Plain(path.to_str()?.into())]))
    }

    /// Whether the template is the word for the folder of the record's own file.
    pub fn is_file(&self) -> bool {
        matches!(self.0.as_slice(), [TemplatePiece::Plain(word)] if word == "file")
    }

    /// The name that the template begins with, if it stands for a folder; `/` of a whole place. Then what it says is a path.
    pub fn base(&self) -> Option<&str> {
        const FOLDERS: [&str; 10] =
            ["install", "library", "parent", "home", "user", "config", "data", "state", "registry", "drive"];
        match self.0.first() {
            Some(TemplatePiece::Name(name)) if FOLDERS.contains(&name.as_str()) => Some(name),
            Some(TemplatePiece::Plain(text)) if text.starts_with('/') || Path::new(text).is_absolute() => Some("/"),
            _ => None,
        }
    }

    /// Whether the template is nothing but this name.
    pub fn is(&self, name: &str) -> bool {
        matches!(self.0.as_slice(), [TemplatePiece::Name(n)] if n == name)
    }

    /// Whether the template speaks of this name.
    pub fn names(&self, name: &str) -> bool {
        self.0.iter().any(|piece| matches!(piece, TemplatePiece::Name(n) if n == name))
    }

    /// Fills every name.
    ///
    /// # Errors
    /// [`MeaningError`] of a value that isn't known.
    pub fn fill(&self, values: &Values) -> Result<String, MeaningError> {
        let piece = |piece: &TemplatePiece| match piece {
            TemplatePiece::Plain(text) => Ok(text.clone()),
            TemplatePiece::Name(name) => {
                values.of(name).map(str::to_string).ok_or_else(|| MeaningError::Unknown(name.clone()))
            }
        };
        let filled: String = self.0.iter().map(piece).collect::<Result<_, _>>()?;
        Ok(self.spelt(filled))
    }

    /// What it says, a path with the separators that paths have here.
    fn spelt(&self, text: String) -> String {
        if self.base().is_some() { platform::with_own_separators(text) } else { text }
    }

    /// Fills every name with its value as text inside a quoted string of a JSONPath or of JSON; outside of quotes only a number or a word
    /// can stand.
    ///
    /// # Errors
    /// [`MeaningError`] of a value that isn't known.
    pub fn fill_quoted(&self, values: &Values) -> Result<String, MeaningError> {
        let (mut out, mut quote, mut escaped) = (String::new(), None, false);
        for piece in &self.0 {
            match piece {
                TemplatePiece::Plain(text) => {
                    for c in text.chars() {
                        match (quote, c) {
                            (Some(_), _) if escaped => escaped = false,
                            (Some(_), '\\') => escaped = true,
                            (Some(open), c) if c == open => quote = None,
                            (None, '\'' | '"') => quote = Some(c),
                            _ => {}
                        }
                    }
                    out.push_str(text);
                }
                TemplatePiece::Name(name) => {
                    let value = values.of(name).ok_or_else(|| MeaningError::Unknown(name.clone()))?;
                    let word = |c: char| c.is_ascii_alphanumeric() || c == '_';
                    let bare =
                        value.parse::<serde_json::Number>().is_ok() || (!value.is_empty() && value.chars().all(word));
                    if quote.is_none() && !bare {
                        return Err(MeaningError::Unquoted { name: name.clone(), value: value.into() });
                    }
                    let json = serde_json::Value::String(value.into()).to_string();
                    out.push_str(&json[1..json.len() - 1].replace("\\\"", "\\u0022").replace('\'', "\\u0027"));
                }
            }
        }
        Ok(out)
    }

    /// Matches `text` and gives the values with the one name added that was not known yet.
    ///
    /// `None` if the text is not what the template says. What is found is never empty.
    pub fn read(&self, text: &str, values: &Values) -> Option<Values> {
        let unknown = self.0.iter().find_map(|piece| match piece {
            TemplatePiece::Name(name) if values.of(name).is_none() => Some(name.clone()),
            _ => None,
        });
        let Some(unknown) = unknown else {
            return (self.fill(values).ok()? == self.spelt(text.into())).then(|| values.clone());
        };
        let at = self.0.iter().position(|p| matches!(p, TemplatePiece::Name(n) if *n == unknown))?;
        let before = Self(self.0.iter().take(at).cloned().collect()).fill(values).ok()?;
        let after = Self(self.0.iter().skip(at + 1).cloned().collect()).fill(values).ok()?;
        let (text, before, after) = (self.spelt(text.into()), self.spelt(before), self.spelt(after));
        let found = text.strip_prefix(before.as_str())?.strip_suffix(after.as_str())?;
        let out = unknown == "tail" && leads_out(Path::new(found));
        (!found.is_empty() && !out).then(|| values.clone().with(&unknown, found))
    }
}

/// Whether a way on from a folder leads out of it again, as `../other` does: it says nothing of what lies in that folder.
pub(crate) fn leads_out(way: &Path) -> bool {
    let mut depth = 0_usize;
    way.components().any(|step| match step {
        Component::ParentDir if depth == 0 => true,
        Component::ParentDir => {
            depth -= 1;
            false
        }
        Component::Normal(_) => {
            depth += 1;
            false
        }
        _ => false,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn meaning(text: &str) -> Meaning {
        Meaning::try_from(text.to_string()).unwrap()
    }

    #[test]
    fn what_is_read_can_be_written_for_another_place() {
        let old = Values::default().with("install", "/a/games/x");
        let program = meaning("{install}/{tail}");
        let read = program.read("/a/games/x/bin/go", &old).unwrap();
        assert_eq!(read.of("tail").map(Path::new), Some(Path::new("bin/go")));
        assert_eq!(Path::new(&program.fill(&read.with("install", "/b/x")).unwrap()), Path::new("/b/x/bin/go"));
        assert_eq!(program.read("/a/games/xy/bin", &old), None, "another folder that begins alike");
        assert_eq!(program.read("/a/games/x/", &old), None);
        assert_eq!(program.read("/a/games/x/../y/go", &old), None, "another folder, by way of this one");
        assert_eq!(program.read("/a/games/x/bin/../..", &old), None);
        let around = program.read("/a/games/x/bin/../go", &old).unwrap();
        assert_eq!(around.of("tail").map(Path::new), Some(Path::new("bin/../go")));
    }

    #[test]
    fn templates_with_open_braces_are_refused() {
        for text in ["{a", "x{}", "{a}{"] {
            assert!(Meaning::try_from(text.to_string()).is_err(), "{text}");
        }
        assert_eq!(meaning("{a}-{b}").fill(&Values::default().with("a", "1")), Err(MeaningError::Unknown("b".into())));
    }

    #[test]
    fn values_cannot_break_out_of_a_selector() {
        let selector = meaning("$[?@.id == '{id}']");
        let filled = selector.fill_quoted(&Values::default().with("id", "x'] || ['\"\\")).unwrap();
        let json = serde_json::json!([{"id": "x'] || ['\"\\"}, {"id": "y"}]);
        let found = serde_json_path::JsonPath::parse(&filled).unwrap().query(&json).len();
        assert_eq!(found, 1, "{filled}");
        let number = meaning("$[?@.id == {id}]");
        assert_eq!(number.fill_quoted(&Values::default().with("id", "1200")).unwrap(), "$[?@.id == 1200]");
        assert!(number.fill_quoted(&Values::default().with("id", "1 || true")).is_err());
        assert!(
            meaning("$['a\\'{id}']").fill_quoted(&Values::default().with("id", "] x")).is_ok(),
            "it is in quotes still"
        );
    }
}
