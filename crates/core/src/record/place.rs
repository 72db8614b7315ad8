//! Where a leaf stands in its document: the way from the root, shown as a normalized JSONPath (RFC 9535, 2.7).

use std::fmt;
use std::fmt::Write as _;

use serde::{Deserialize, Serialize};
use serde_json::Value;

/// Whether a record is an object's key or a value.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Side {
    /// The key itself.
    Key,
    /// The value.
    #[default]
    Value,
}

/// One step from a node to its child.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Step {
    /// Into the member of this name.
    Name(String),
    /// Into the element of this number, from 0.
    Index(usize),
}

/// The way from the root to a node; shown as a normalized path of RFC 9535, 2.7.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place(pub Vec<Step>);

/// A name with a number in it: what stands before its last run of digits, that number, and what stands behind it.
pub(crate) fn numbered(name: &str) -> Option<(&str, u64, &str)> {
    let end = name.rfind(|c: char| c.is_ascii_digit())? + 1;
    let start = name[..end]
        .rfind(|c: char| !c.is_ascii_digit())
        .map_or(0, |at| at + name[at..].chars().next().map_or(1, char::len_utf8));
    // A number with zeros before it is told in as many digits, which nobody here keeps.
    let digits = &name[start..end];
    (digits == "0" || !digits.starts_with('0')).then_some(())?;
    Some((&name[..start], digits.parse().ok()?, &name[end..]))
}

/// A step as it is told in a selector.
pub(crate) fn step_text(step: &Step) -> String {
    Place(vec![step.clone()]).to_string()[1..].to_string()
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_char('$')?;
        for step in &self.0 {
            match step {
                Step::Index(n) => write!(f, "[{n}]")?,
                Step::Name(name) => {
                    f.write_str("['")?;
                    for c in name.chars() {
                        match c {
                            '\'' => f.write_str("\\'")?,
                            '\\' => f.write_str("\\\\")?,
                            '\n' => f.write_str("\\n")?,
                            '\r' => f.write_str("\\r")?,
                            '\t' => f.write_str("\\t")?,
                            '\u{8}' => f.write_str("\\b")?,
                            '\u{c}' => f.write_str("\\f")?,
                            c if c < ' ' => write!(f, "\\u{:04x}", u32::from(c))?,
                            c => f.write_char(c)?,
                        }
                    }
                    f.write_str("']")?;
                }
            }
        }
        Ok(())
    }
}

impl Place {
    /// The place of a child.
    #[must_use]
    pub fn child(&self, step: Step) -> Self {
        let mut steps = self.0.clone();
        steps.push(step);
        Self(steps)
    }

    /// Reads steps by name and number such as `$.a['b c'][0]`; `None` of every other JSONPath, which has to search.
    pub fn read(path: &str) -> Option<Self> {
        read_steps(path)?.into_iter().collect::<Option<_>>().map(Self)
    }

    /// Finds the place in a plain value.
    pub fn of<'a>(&self, value: &'a Value) -> Option<&'a Value> {
        self.0.iter().try_fold(value, |value, step| match step {
            Step::Name(name) => value.get(name),
            Step::Index(n) => value.get(n),
        })
    }

    /// Finds the place in a plain value, to change it.
    pub fn of_mut<'a>(&self, value: &'a mut Value) -> Option<&'a mut Value> {
        self.0.iter().try_fold(value, |value, step| match step {
            Step::Name(name) => value.get_mut(name),
            Step::Index(n) => value.get_mut(n),
        })
    }
}

/// Reads the steps of a JSONPath by name and number, and of those that are any, as `$.a[*].b`; `None` of one that searches otherwise.
pub(crate) fn read_steps(path: &str) -> Option<Vec<Option<Step>>> {
    let mut rest = path.strip_prefix('$')?;
    let mut steps = Vec::new();
    while !rest.is_empty() {
        if let Some(after) = rest.strip_prefix("[*]").or_else(|| rest.strip_prefix(".*")) {
            steps.push(None);
            rest = after;
        } else if let Some(name) = rest.strip_prefix('.') {
            let plain = |c: char| c.is_ascii_alphanumeric() || c == '_' || !c.is_ascii();
            let end = name.find(|c| !plain(c)).unwrap_or(name.len());
            if end == 0 || name.starts_with(|c: char| c.is_ascii_digit()) {
                return None;
            }
            steps.push(Some(Step::Name(name[..end].into())));
            rest = &name[end..];
        } else if let Some(quoted) = rest.strip_prefix("['") {
            let (name, after) = unquoted(quoted)?;
            steps.push(Some(Step::Name(name)));
            rest = after.strip_prefix(']')?;
        } else {
            let (number, after) = rest.strip_prefix('[')?.split_once(']')?;
            let canonical = number == "0" || !number.starts_with('0');
            let number = number.parse().ok().filter(|_| canonical && number.bytes().all(|b| b.is_ascii_digit()))?;
            steps.push(Some(Step::Index(number)));
            rest = after;
        }
    }
    Some(steps)
}

/// Reads a name up to its closing quote and gives what follows the quote.
fn unquoted(text: &str) -> Option<(String, &str)> {
    let mut name = String::new();
    let mut chars = text.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '\'' => return Some((name, &text[at + 1..])),
            '\\' => match chars.next()?.1 {
                'n' => name.push('\n'),
                'r' => name.push('\r'),
                't' => name.push('\t'),
                'b' => name.push('\u{8}'),
                'f' => name.push('\u{c}'),
                'u' => {
                    let digits: String = chars.by_ref().take(4).map(|(_, c)| c).collect();
                    let code = u32::from_str_radix(&digits, 16).ok().filter(|_| digits.len() == 4)?;
                    // Half of a pair says nothing on its own: the general reader takes those.
                    name.push(char::from_u32(code)?);
                }
                c @ ('\'' | '\\' | '/' | '"') => name.push(c),
                _ => return None,
            },
            c => name.push(c),
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json_path::JsonPath;

    #[test]
    fn what_searches_is_no_plain_way() {
        for path in ["$..a", "$[*]", "$.a[?@.b]", "$[-1]", "$[0:2]", "a", "$.", "$['a'", "$[01]", "$.0a", "$['a','b']"]
        {
            assert_eq!(Place::read(path), None, "{path}");
        }
        let place = Place(vec![Step::Name("a".into()), Step::Index(3), Step::Name("b c".into())]);
        assert_eq!(Place::read("$.a[3]['b c']"), Some(place));
    }

    proptest! {
        #[test]
        fn places_are_jsonpaths_that_lead_back(name in "\\PC*|[\\x00-\\x1f'\\\\\"]*") {
            let place = Place(vec![Step::Name(name.clone()), Step::Index(1)]);
            let value = serde_json::json!({ name: [0, "x"] });
            prop_assert_eq!(place.of(&value).and_then(Value::as_str), Some("x"));
            prop_assert_eq!(Place::read(&place.to_string()), Some(place.clone()));
            let found = JsonPath::parse(&place.to_string()).unwrap().query(&value).all();
            prop_assert_eq!(found.len(), 1);
        }
    }
}
