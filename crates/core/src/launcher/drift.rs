//! Drift: whether the entries of a learned launcher still say what they said when it was learned.
//!
//! Law: what comes and goes with single games is no drift; what none of several entries says any more, or all of them say for the
//! first time, is. Start at [`FoundLauncher::drift`].

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::found::FoundLauncher;
use crate::platform::Look;
use crate::record::{Bases, Side, Source, Spelling, scalars_of};

/// Names that only some entries have are kept up to so many; beyond that, a new one says nothing.
const MOST: usize = 200;

/// Entries that have to agree before what they say counts.
const SEVERAL: usize = 2;

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
        let keys = scalars_of(entry).into_keys().filter(|key| !is_of_one(key));
        let keys: BTreeSet<String> = keys.collect();
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
    fn kept(&self, before: Option<&Self>) -> Option<Self> {
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
    fn changed(&self, now: &Self) -> (Vec<String>, Vec<String>) {
        if now.entries < SEVERAL {
            return (Vec::new(), Vec::new());
        }
        let gone = self.always.iter().filter(|key| !now.always.contains(*key) && !now.sometimes.contains(*key));
        let new = now.always.iter().filter(|key| !self.always.contains(*key) && !self.sometimes.contains(*key));
        (gone.map(|key| name_of(key)).collect(), new.map(|key| name_of(key)).collect())
    }
}

/// A JSONPath as the names on its way.
fn name_of(selector: &str) -> String {
    let sign = |c: char| matches!(c, '$' | '[' | ']' | '\'' | '?' | '@' | '=' | ' ');
    let names = selector.split(sign).filter(|name| !name.is_empty() && *name != "0" && *name != "#text");
    names.collect::<Vec<_>>().join(".")
}

impl FoundLauncher {
    /// What its games' entries say, to be kept with its profile; `before` is what was kept before.
    pub(crate) fn shape_of_games(&self, before: Option<&EntryShape>) -> Option<EntryShape> {
        self.shapes.games.1.kept(before)
    }

    /// What its libraries' entries say, to be kept with its profile.
    pub(crate) fn shape_of_libraries(&self, before: Option<&EntryShape>) -> Option<EntryShape> {
        self.shapes.libraries.1.kept(before)
    }

    /// How its files differ from what it was learned from; `None` if they do not, or if it was not learned.
    pub fn drift(&self) -> Option<Drift> {
        let learned = self.profile.learned.as_ref()?;
        if let Some(file) = &self.led_nowhere {
            let drift = Drift { file: file.clone(), gone: Vec::new(), new: Vec::new(), lost: Some(learned.games) };
            return self.games.is_empty().then_some(drift);
        }
        let parts = [(&learned.entry, &self.shapes.games), (&learned.library, &self.shapes.libraries)];
        let mut changed = parts.into_iter().filter_map(|(kept, (file, now))| {
            let (gone, new) = kept.as_ref()?.changed(now);
            let any = !gone.is_empty() || !new.is_empty();
            any.then(|| Drift { file: file.clone(), gone, new, lost: None })
        });
        changed.next()
    }
}

/// What the entries of a launcher's lists say, each with a file of the list.
#[derive(Clone, Debug, Default)]
pub(crate) struct Shapes {
    /// Those of games.
    pub games: (PathBuf, EntryShape),
    /// Those of libraries.
    pub libraries: (PathBuf, EntryShape),
}

/// Whether a file leads to a folder that is neither around it nor above the person's, or says what is `named` as a game's folder.
pub(super) fn leads_somewhere(source: &Source, file: &Path, bases: &Bases, named: &dyn Fn(&str) -> bool) -> bool {
    let Source::Text(document) = source else { return false };
    let mut leads = false;
    let above = bases.home.as_deref();
    document.leaves(&mut |leaf| {
        if leads || leaf.text.is_empty() || leaf.side == Side::Key {
            return;
        }
        if !leaf.text.contains(['/', '\\']) {
            leads = named(&leaf.text);
            return;
        }
        let path = Spelling::read(&leaf.text, bases).map(|(_, path)| path).ok();
        let outside = |path: &PathBuf| {
            path.is_absolute()
                && path.parent().is_some()
                && !file.starts_with(path)
                && !above.is_some_and(|home| home.starts_with(path))
        };
        leads = path.filter(outside).is_some_and(|path| path.look_is_dir());
    });
    leads
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn shape(entries: &[Value]) -> EntryShape {
        let mut shape = EntryShape::default();
        entries.iter().for_each(|entry| shape.add(entry));
        shape
    }

    #[test]
    fn what_comes_and_goes_with_single_games_is_no_drift() {
        let kept = shape(&[json!({"at": "/a", "ran": 1}), json!({"at": "/b"}), json!({"at": "/c", "note": "x"})]);
        let kept = kept.kept(None).unwrap();
        let unchanged = [
            vec![json!({"at": "/a"}), json!({"at": "/b"})],
            vec![json!({"at": "/a", "ran": 1, "note": ""}), json!({"at": "/b", "ran": 2, "note": ""})],
            vec![json!({"at": "/a", "fresh": 1}), json!({"at": "/b"})],
            vec![json!({"at": "/a", "won": {"20401": 1}}), json!({"at": "/b", "won": {"20401": 2}})],
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
