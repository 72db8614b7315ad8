//! What the entries of a learned launcher's lists say, by the names alone, to be compared with what they said when it was learned.
//!
//! Law: what comes and goes with single games is no change; what none of several entries says any more, or all of them say for the
//! first time, is. Start at [`EntryShape`].

use std::collections::BTreeSet;
use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::record::{Step, scalars_of, step_text};

/// Names that only some entries have are kept up to so many; beyond that, a new one says nothing.
const MOST: usize = 200;

/// Entries that have to agree before what they say counts.
const SEVERAL: usize = 2;

/// Names are looked for this deep below an entry, and in so many elements of a list.
const DEEP: usize = 4;
const ELEMENTS: usize = 8;

/// The names on the way to all that an entry has, also to what is empty or says nothing.
fn add_names(value: &Value, at: &str, deep: usize, all: &mut BTreeSet<String>) {
    match value {
        Value::Object(members) if deep > 0 => {
            for (name, value) in members {
                let way = format!("{at}{}", step_text(&Step::Name(name.clone())));
                add_names(value, &way, deep - 1, all);
                all.insert(way);
            }
        }
        Value::Array(elements) => elements.iter().take(ELEMENTS).for_each(|element| add_names(element, at, deep, all)),
        _ => {}
    }
}

/// What the entries of a list say: the JSONPaths of their texts and numbers.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct EntryShape {
    /// Those that every entry has.
    #[serde(default)]
    pub always: BTreeSet<String>,
    /// Those that some have and others do not.
    #[serde(default)]
    pub sometimes: BTreeSet<String>,
    /// Entries that were looked at.
    #[serde(skip)]
    entries: usize,
}

/// How the files of a launcher differ from what was learned.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Drift {
    /// The file of the list, or a file of it.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub file: PathBuf,
    /// What no entry says any more, by its name in the entry.
    pub gone: Vec<String>,
    /// What every entry says, and none said before.
    pub new: Vec<String>,
    /// Games that it was learned from, where none of them is found and its list still leads somewhere.
    pub lost: Option<usize>,
}

/// Whether a name on the way to a text may be that of a thing, such as an id or a date, and not of a kind.
fn is_of_one(selector: &str) -> bool {
    let digits = |part: &str| part.bytes().all(|byte| byte.is_ascii_digit());
    let names = selector.split(['[', ']', '\'', '.']).filter(|name| !name.is_empty());
    let rows = |name: &str| name.len() < 3 && digits(name);
    let long = |name: &str| name.split(|c: char| !c.is_ascii_digit()).any(|run| run.len() > 3);
    names.into_iter().any(|name| long(name) || (digits(name) && !rows(name)))
}

impl EntryShape {
    /// Takes in what another entry says.
    pub(super) fn add(&mut self, entry: &Value) {
        // What stands in a row, and elements with names, are told by what they say; all else by its name, whatever it says.
        let in_a_row = |key: &str| key.starts_with("$[") && !key.starts_with("$['");
        let told = scalars_of(entry).into_keys().filter(|key| in_a_row(key) || key.contains("[?"));
        let mut keys: BTreeSet<String> = told.collect();
        add_names(entry, "$", DEEP, &mut keys);
        keys.retain(|key| !is_of_one(key));
        if self.entries == 0 {
            self.always = keys;
        } else {
            let both: BTreeSet<String> = self.always.intersection(&keys).cloned().collect();
            let only = self.always.symmetric_difference(&keys).cloned();
            self.sometimes.extend(only);
            self.always = both;
        }
        self.entries += 1;
    }

    /// What is kept of it with a profile; after `before`, if it was learned before.
    pub(super) fn kept(&self, before: Option<&Self>) -> Option<Self> {
        if self.entries < SEVERAL {
            return None;
        }
        let mut sometimes = self.sometimes.clone();
        sometimes.extend(before.into_iter().flat_map(|before| before.always.iter().chain(&before.sometimes)).cloned());
        sometimes.retain(|key| !self.always.contains(key));
        if sometimes.len() > MOST {
            sometimes.clear();
        }
        Some(Self { always: self.always.clone(), sometimes, entries: self.entries })
    }

    /// What changed since this was kept: gone, and new.
    pub(super) fn changed(&self, now: &Self) -> (Vec<String>, Vec<String>) {
        if now.entries < SEVERAL {
            return (Vec::new(), Vec::new());
        }
        let gone = self.always.iter().filter(|key| !now.always.contains(*key) && !now.sometimes.contains(*key));
        let new = now.always.iter().filter(|key| !self.always.contains(*key) && !self.sometimes.contains(*key));
        (deepest(gone), deepest(new))
    }
}

/// The names of what changed: of what holds other things that did, those.
fn deepest<'a>(keys: impl Iterator<Item = &'a String>) -> Vec<String> {
    let all: Vec<&String> = keys.collect();
    let holds = |key: &&&String| !all.iter().any(|other| other.len() > key.len() && other.starts_with(key.as_str()));
    all.iter().filter(holds).map(|key| name_of(key)).collect()
}

/// A JSONPath as the names on its way.
fn name_of(selector: &str) -> String {
    let sign = |c: char| matches!(c, '$' | '[' | ']' | '\'' | '?' | '@' | '=' | ' ');
    let names = selector.split(sign).filter(|name| !name.is_empty() && *name != "0" && *name != "#text");
    names.collect::<Vec<_>>().join(".")
}

/// What the entries of a launcher's lists say, each with a file of the list.
#[derive(Clone, Debug, Default)]
pub(crate) struct Shapes {
    /// Those of games.
    pub games: (PathBuf, EntryShape),
    /// Those of libraries.
    pub libraries: (PathBuf, EntryShape),
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn shape(entries: &[Value]) -> EntryShape {
        let mut shape = EntryShape::default();
        for entry in entries {
            shape.add(entry);
        }
        shape
    }

    #[test]
    fn what_comes_and_goes_with_single_games_is_no_drift() {
        let kept = shape(&[
            json!({"at": "/a", "ran": 1, "last": null, "tags": []}),
            json!({"at": "/b", "last": null, "tags": []}),
            json!({"at": "/c", "note": "x", "last": false, "tags": []}),
        ]);
        let kept = kept.kept(None).unwrap();
        let unchanged = [
            vec![json!({"at": "/a", "last": 1, "tags": []}), json!({"at": "/b"})],
            vec![
                json!({"at": "/a", "last": 1, "tags": [], "ran": 1, "note": ""}),
                json!({"at": "/b", "ran": 2, "note": ""}),
            ],
            vec![json!({"at": "/a", "last": 1, "tags": [], "fresh": 1}), json!({"at": "/b"})],
            vec![
                json!({"at": "/a", "last": 1, "tags": [], "note": {"20401": 1}}),
                json!({"at": "/b", "note": {"20401": 2}}),
            ],
            // What was empty, or said nothing, says something now.
            vec![json!({"at": "/a", "last": 7, "tags": ["x"]}), json!({"at": "/b", "last": 8, "tags": ["y", "z"]})],
            // One entry alone shows no change of the launcher's.
            vec![json!({"path": "/a"})],
            vec![],
        ];
        for entries in unchanged {
            assert_eq!(kept.changed(&shape(&entries)), (vec![], vec![]), "{entries:?}");
        }
    }

    #[test]
    fn what_none_says_any_more_and_what_all_say_for_the_first_time_is() {
        let kept = shape(&[json!({"at": "/a", "id": 1}), json!({"at": "/b", "id": 2})]).kept(None).unwrap();
        let names = |names: &[&str]| names.iter().map(ToString::to_string).collect::<Vec<_>>();
        let now = shape(&[json!({"where": {"dir": "/a"}, "id": 1}), json!({"where": {"dir": "/b"}, "id": 2})]);
        assert_eq!(kept.changed(&now), (names(&["at"]), names(&["where.dir"])));
        // Learned again, what flips no longer counts.
        let again = now.kept(Some(&kept)).unwrap();
        assert_eq!(again.changed(&now), (vec![], vec![]));
        let both = shape(&[
            json!({"at": "/a", "id": 1, "where": {"dir": "/a"}}),
            json!({"at": "/b", "id": 2, "where": {"dir": "/b"}}),
        ]);
        assert_eq!(again.changed(&both), (vec![], vec![]));
    }
}
