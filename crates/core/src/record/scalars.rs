//! What entries say: their texts and numbers by the JSONPaths that lead there.
//!
//! Law: what stands at the same place, or in an element of the same name, of every entry has the same JSONPath. Start at [`scalars_of`].

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use super::place::{Step, step_text};

/// Scalars are looked for this deep below an entry, and below an element with a name.
const DEEP: usize = 4;
const DEEP_IN_ELEMENT: usize = 3;

/// Values of a row, and elements of a list, that are looked at.
const MOST: usize = 64;

/// Bytes of the longest name of an element.
const LONGEST: usize = 64;

/// The texts and numbers of an entry by their JSONPath: through objects, lists of one, elements with names, and those of a row.
pub(crate) fn scalars_of(value: &Value) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    for (nth, value) in value.as_array().filter(|row| row.len() > 1).into_iter().flatten().enumerate().take(MOST) {
        if !value.is_array() && !value.is_object() {
            add_scalars(value, &format!("$[{nth}]"), 0, &mut all);
        }
    }
    add_scalars(value, "$", DEEP, &mut all);
    all
}

fn add_scalars(value: &Value, at: &str, deep: usize, all: &mut BTreeMap<String, String>) {
    match value {
        Value::String(text) => drop(all.insert(at.into(), text.clone())),
        Value::Number(number) => drop(all.insert(at.into(), number.to_string())),
        Value::Object(members) if deep > 0 => {
            for (name, value) in members {
                add_scalars(value, &format!("{at}{}", step_text(&Step::Name(name.clone()))), deep - 1, all);
            }
        }
        Value::Array(elements) if deep > 0 => {
            if let [element] = elements.as_slice() {
                add_scalars(element, &format!("{at}[0]"), deep, all);
            } else if let Some(elements) = Elements::of(elements) {
                all.extend(elements.scalars().into_iter().map(|(selector, text)| (format!("{at}{selector}"), text)));
            }
        }
        _ => {}
    }
}

/// Elements alike of a list, each with its own texts and numbers by their JSONPath from it.
pub(crate) struct Elements(Vec<BTreeMap<String, String>>);

impl Elements {
    /// The longest list of named ones.
    pub const MOST: usize = MOST;

    /// Those of a list that is not too long for a list of named ones.
    pub fn of(list: &[Value]) -> Option<Self> {
        let one = |element: &Value| {
            let mut own = BTreeMap::new();
            element.is_object().then(|| add_scalars(element, "$", DEEP_IN_ELEMENT, &mut own));
            own
        };
        (list.len() > 1 && list.len() <= MOST).then(|| Self(list.iter().map(one).collect()))
    }

    /// What one of them says.
    pub fn says(&self, nth: usize, selector: &str) -> Option<&str> {
        self.0.get(nth)?.get(selector).map(String::as_str)
    }

    /// Whether all of them say something there that `is` so.
    pub fn all(&self, selector: &str, is: &dyn Fn(&str) -> bool) -> bool {
        self.0.iter().all(|element| element.get(selector).is_some_and(|text| is(text)))
    }

    /// What may be the name of one of them: all that it says beside this member.
    pub fn keys_beside<'a>(&'a self, nth: usize, value: &'a str) -> impl Iterator<Item = &'a str> {
        let keys = self.0.get(nth).into_iter().flat_map(|element| element.keys());
        keys.map(String::as_str).filter(move |key| member_of(key) != member_of(value))
    }

    /// What all of them say there, if each says something else.
    pub fn names(&self, key: &str) -> Option<Vec<&str>> {
        let names: Vec<&str> =
            self.0.iter().map(|element| element.get(key).map(String::as_str)).collect::<Option<_>>()?;
        let apart: BTreeSet<&&str> = names.iter().collect();
        (apart.len() == names.len()).then_some(names)
    }

    /// The filter that finds one of them by its name.
    pub fn filter(&self, nth: usize, key: &str) -> Option<String> {
        let sign = |c: char| c.is_control() || matches!(c, '\'' | '"' | '\\' | '{' | '}' | '[' | ']' | '*');
        let name =
            self.says(nth, key).filter(|name| !name.is_empty() && name.len() <= LONGEST && !name.contains(sign))?;
        // Braces stand for what differs between games.
        (!key.contains(['{', '}', '*'])).then(|| format!("[?@{} == '{name}']", &key[1..]))
    }

    /// Their texts and numbers by their names, each with its selector from the list.
    fn scalars(&self) -> BTreeMap<String, String> {
        let mut all = BTreeMap::new();
        for key in self.keys_beside(0, "").filter(|key| self.names(key).is_some()) {
            for (nth, element) in self.0.iter().enumerate() {
                let Some(filter) = self.filter(nth, key) else { continue };
                let others = element.iter().filter(|(selector, _)| member_of(selector) != member_of(key));
                all.extend(others.map(|(selector, text)| (format!("{filter}{}", &selector[1..]), text.clone())));
            }
        }
        all
    }
}

/// The first member on the way to a scalar.
fn member_of(selector: &str) -> &str {
    selector.find(']').map_or(selector, |end| &selector[..end])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_an_entry_says_is_told_by_places_names_and_numbers() {
        let value = serde_json::json!({
            "a": [{"b": 1}],
            "set": [{"k": "id", "v": "7"}, {"k": "at", "v": "/a"}],
            "prop": [{"name": [{"#text": "id"}], "value": [{"#text": "8"}]}, {"name": [{"#text": "x"}], "value": [{"#text": "y"}]}],
            "tags": ["x", "y"],
        });
        let scalars = scalars_of(&value);
        assert_eq!(scalars["$['a'][0]['b']"], "1");
        assert_eq!(scalars["$['set'][?@['k'] == 'id']['v']"], "7");
        assert_eq!(scalars["$['prop'][?@['name'][0]['#text'] == 'id']['value'][0]['#text']"], "8");
        assert!(scalars.keys().all(|key| !key.contains("tags")));
        let row = scalars_of(&serde_json::json!([3, "x", ["y"]]));
        assert_eq!((row["$[0]"].as_str(), row["$[1]"].as_str(), row.len()), ("3", "x", 2));
    }
}
