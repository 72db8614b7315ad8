//! Entries that say what they say in elements alike, each with a name and a value: `<set k="at" v="/games/fen"/>`, `{"name": "at",
//! "value": "/games/fen"}`.
//!
//! Law: an element is known by its name, wherever it stands among the others. Start at [`by_names`].

use serde_json::Value;

use super::pattern::{Pattern, PatternStep};
use crate::record::Elements;
use crate::record::{Place, Step};

/// What gives the list at a place of the file of a game, told by its number, if that list has no more than so many elements.
type ListsAt<'a> = &'a dyn Fn(usize, &Place, usize) -> Option<Value>;

/// Has a pattern find elements of lists by their names, where these are the same for each of these places, instead of any.
pub(super) fn by_names(pattern: &mut Pattern, places: &[&[Step]], lists_at: ListsAt<'_>) {
    if places.len() < 2 {
        return;
    }
    for at in 0..pattern.0.len().saturating_sub(1) {
        if pattern.0[at] == PatternStep::Any
            && let Some(filter) = filter_at(at, places, lists_at)
        {
            pattern.0[at] = PatternStep::Where(filter);
        }
    }
}

/// The filter that finds the element of each place in its list.
fn filter_at(at: usize, places: &[&[Step]], lists_at: ListsAt<'_>) -> Option<String> {
    let lists = places.iter().enumerate().map(|(game, place)| {
        let (Step::Index(nth), value) = (&place[at], Place(place[at + 1..].to_vec()).to_string()) else { return None };
        let list = lists_at(game, &Place(place[..at].to_vec()), Elements::MOST)?;
        Some((Elements::of(list.as_array()?)?, *nth, value))
    });
    let lists: Vec<(Elements, usize, String)> = lists.collect::<Option<_>>()?;
    // Where each element leads somewhere they are no parts of one entry.
    if lists.iter().any(|(elements, _, value)| elements.all(value, &is_path)) {
        return None;
    }
    let (first, nth, value) = lists.first()?;
    let mut filters = first.keys_beside(*nth, value).filter_map(|key| {
        let names: Vec<Vec<&str>> = lists.iter().map(|(elements, ..)| elements.names(key)).collect::<Option<_>>()?;
        let shared = names[0].iter().filter(|name| names.iter().all(|other| other.contains(name))).count();
        if shared < 2 || names.iter().any(|names| shared * 2 < names.len()) {
            return None;
        }
        let one = first.filter(*nth, key)?;
        lists.iter().all(|(elements, nth, _)| elements.filter(*nth, key).as_ref() == Some(&one)).then_some(one)
    });
    filters.next()
}

fn is_path(text: &str) -> bool {
    text.contains(['/', '\\'])
}

/// Has a pattern within an entry that is a row of values say at which number it stands, where that is the same for each.
pub(super) fn by_number(pattern: &mut Pattern, places: &[&[Step]]) {
    let ([PatternStep::Any], Some([Step::Index(nth)])) = (pattern.0.as_slice(), places.first()) else { return };
    if places.iter().all(|place| **place == [Step::Index(*nth)]) {
        pattern.0[0] = PatternStep::Nth(*nth);
    }
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
        let lists_at = |game: usize, place: &Place, _| place.of([&one, &other][game]).cloned();
        by_names(&mut pattern, &[&first, &second], &lists_at);
        assert_eq!(pattern.selector(), "$['set'][?@['k'] == 'at']['v']");
        // What one element says and another does not tells nothing.
        let mut pattern = Pattern::of(&[&first, &second]);
        by_names(&mut pattern, &[&steps(0), &second], &lists_at);
        assert_eq!(pattern.selector(), "$['set'][*]['v']");
    }
}
