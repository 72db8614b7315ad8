//! Entries that say what they say in elements alike, each with a name and a value: `<set k="at" v="/games/fen"/>`, `{"name": "at",
//! "value": "/games/fen"}`.
//!
//! Law: an element is known by its name, wherever it stands among the others. Start at [`by_names`].

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use super::pattern::{Pattern, PatternStep, step_text};
use crate::record::{Place, Step};

/// Elements of a list that are looked at, and bytes of the longest name of one.
const MOST: usize = 64;
const LONGEST: usize = 64;

/// Has a pattern find elements of lists by their names, where these are the same for each of these places, instead of any.
pub(super) fn by_names(pattern: &mut Pattern, places: &[(&Value, &[Step])]) {
    if places.len() < 2 {
        return;
    }
    for at in 0..pattern.0.len().saturating_sub(1) {
        if pattern.0[at] == PatternStep::Any
            && let Some(filter) = filter_at(at, places)
        {
            pattern.0[at] = PatternStep::Where(filter);
        }
    }
}

/// The filter that finds the element of each place in its list.
fn filter_at(at: usize, places: &[(&Value, &[Step])]) -> Option<String> {
    let lists = places.iter().map(|(root, place)| {
        let (Step::Index(nth), Step::Name(value)) = (&place[at], place.get(at + 1)?) else { return None };
        let elements = of_steps(root, &place[..at])?.as_array()?;
        Some((elements, *nth, value.as_str()))
    });
    let lists: Vec<(&Vec<Value>, usize, &str)> = lists.collect::<Option<_>>()?;
    // Where each element leads somewhere they are no parts of one entry.
    let leads = |element: &Value, value: &str| element.get(value).and_then(Value::as_str).is_some_and(is_path);
    if lists.iter().any(|(elements, _, value)| elements.iter().all(|element| leads(element, value))) {
        return None;
    }
    let (first, nth, value) = lists.first()?;
    let keys = first.get(*nth)?.as_object()?.keys().filter(|name| name != value);
    let mut filters = keys.filter_map(|key| {
        let names: Option<Vec<Vec<&str>>> = lists.iter().map(|(elements, ..)| names_by(elements, key)).collect();
        let names = names?;
        let shared = names[0].iter().filter(|name| names.iter().all(|other| other.contains(name))).count();
        if shared < 2 || names.iter().any(|names| shared * 2 < names.len()) {
            return None;
        }
        let filter = |(elements, nth, _): &(&Vec<Value>, usize, &str)| filter_of(elements.get(*nth)?, key);
        let mut all = lists.iter().map(filter);
        let one = all.next()??;
        all.all(|other| other.as_ref() == Some(&one)).then_some(one)
    });
    filters.next()
}

/// Has a pattern within an entry that is a row of values say at which number it stands, where that is the same for each.
pub(super) fn by_number(pattern: &mut Pattern, places: &[&[Step]]) {
    let ([PatternStep::Any], Some([Step::Index(nth)])) = (pattern.0.as_slice(), places.first()) else { return };
    if places.iter().all(|place| **place == [Step::Index(*nth)]) {
        pattern.0[0] = PatternStep::Nth(*nth);
    }
}

fn is_path(text: &str) -> bool {
    text.contains(['/', '\\'])
}

fn of_steps<'a>(root: &'a Value, steps: &[Step]) -> Option<&'a Value> {
    Place(steps.to_vec()).of(root)
}

/// What all elements say there, if each says something else.
fn names_by<'a>(elements: &'a [Value], key: &str) -> Option<Vec<&'a str>> {
    let names: Option<Vec<&str>> = elements
        .iter()
        .map(|element| element.get(key)?.as_str())
        .collect::<Option<_>>()
        .filter(|_| elements.len() <= MOST);
    let names = names?;
    let apart: BTreeSet<&&str> = names.iter().collect();
    (apart.len() == names.len()).then_some(names)
}

/// The filter that finds an element by what it says there.
fn filter_of(element: &Value, key: &str) -> Option<String> {
    let plain = |text: &str| {
        let sign = |c: char| c.is_control() || matches!(c, '\'' | '"' | '\\' | '{' | '}' | '[' | ']' | '*');
        !text.is_empty() && text.len() <= LONGEST && !text.contains(sign)
    };
    let text = element.get(key)?.as_str().filter(|text| plain(text) && plain(key))?;
    Some(format!("[?@{} == '{text}']", step_text(&Step::Name(key.into()))))
}

/// The texts and numbers of elements by their names, each with its selector from the list.
pub(super) fn scalars_by_name(elements: &[Value]) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    let first = elements.first().and_then(Value::as_object);
    for key in first.into_iter().flat_map(|first| first.keys()).filter(|key| names_by(elements, key).is_some()) {
        for element in elements {
            let Some(filter) = filter_of(element, key) else { continue };
            for (name, value) in element.as_object().into_iter().flatten().filter(|(name, _)| *name != key) {
                let text = match value {
                    Value::String(text) => text.clone(),
                    Value::Number(number) => number.to_string(),
                    _ => continue,
                };
                all.insert(format!("{filter}{}", step_text(&Step::Name(name.clone()))), text);
            }
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_are_found_by_names_that_are_the_same_for_each() {
        let one: Value = serde_json::from_str(r#"{"set": [{"k": "id", "v": "7"}, {"k": "at", "v": "/a"}]}"#).unwrap();
        let other: Value =
            serde_json::from_str(r#"{"set": [{"k": "at", "v": "/b"}, {"k": "art", "v": "x"}, {"k": "id", "v": "9"}]}"#)
                .unwrap();
        let steps = |nth| Place::read(&format!("$.set[{nth}].v")).unwrap().0;
        let (first, second) = (steps(1), steps(0));
        let mut pattern = Pattern::of(&[&first, &second]);
        by_names(&mut pattern, &[(&one, &first), (&other, &second)]);
        assert_eq!(pattern.selector(), "$['set'][?@['k'] == 'at']['v']");
        let scalars = scalars_by_name(one["set"].as_array().unwrap());
        assert_eq!(scalars["[?@['k'] == 'id']['v']"], "7");
        // What one element says and another does not tells nothing.
        let mut pattern = Pattern::of(&[&first, &second]);
        by_names(&mut pattern, &[(&one, &steps(0)), (&other, &second)]);
        assert_eq!(pattern.selector(), "$['set'][*]['v']");
    }
}
