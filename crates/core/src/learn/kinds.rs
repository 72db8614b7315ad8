//! Entries of two kinds among one another: games and the libraries that they lie in, in one object or list.
//!
//! Law: what parts them is something that all of one kind say and none of the other: nothing is told by what an entry is called. Start at
//! [`by_kind_of`].

use std::borrow::Cow;
use std::collections::{BTreeSet, HashSet};
use std::ops::Bound;
use std::path::Path;

use serde_json::Value;

use super::list::are_libraries;
use super::pattern::Pattern;
use super::seen::{Seen, SeenFile};
use crate::record::{Place, Side, Source, Step, step_text};

/// Some texts, and the step to the entries that they stand in.
pub(super) type Kind<'a> = (Vec<&'a Seen>, String);

/// Texts that lead to games and texts that lead to their libraries; `None` where they are of one kind, or nothing parts them.
pub(super) fn by_kind_of<'a>(file: &SeenFile, seen: &[&'a Seen]) -> Option<[Kind<'a>; 2]> {
    let places: Vec<&[Step]> = seen.iter().map(|seen| seen.place.0.as_slice()).collect();
    let [at] = Pattern::of(&places).variable()[..] else { return None };
    let is_plain = |seen: &&Seen| seen.side == Side::Value && !seen.by_name && seen.place.0.len() > at + 1;
    if !seen.iter().all(is_plain) {
        return None;
    }
    // What lies in a folder comes next after it.
    let dirs: BTreeSet<&Path> = seen.iter().map(|seen| seen.dir.as_path()).collect();
    let next = |dir: &Path| dirs.range::<Path, _>((Bound::Excluded(dir), Bound::Unbounded)).next();
    let holds = |one: &&&Seen| next(&one.dir).is_some_and(|next| next.starts_with(&one.dir));
    let (libraries, games): (Vec<&Seen>, Vec<&Seen>) = seen.iter().partition(holds);
    let above: HashSet<&Path> = libraries.iter().map(|library| library.dir.as_path()).collect();
    let lies = |game: &&Seen| game.dir.ancestors().skip(1).any(|dir| above.contains(dir));
    if libraries.is_empty() || !games.iter().all(lies) || !are_libraries(libraries.iter().map(|seen| &*seen.dir)) {
        return None;
    }
    let source = Source::read(&file.file, file.shape).ok()?;
    let entry = |seen: &&Seen| {
        let place = Place(seen.place.0[..=at].to_vec());
        source.value_at(&place).map(Cow::into_owned)
    };
    let said = |all: &[&Seen]| all.iter().map(entry).collect::<Option<Vec<Value>>>();
    let (of_games, of_libraries) = (said(&games)?, said(&libraries)?);
    let path = step_text(seen[0].place.0.get(at + 1)?);
    let (for_games, for_libraries) = parting(&of_games, &of_libraries, &path)?;
    Some([(games, for_games), (libraries, for_libraries)])
}

/// Filters that find the entries of each kind and none of the other.
fn parting(games: &[Value], libraries: &[Value], path: &str) -> Option<(String, String)> {
    let says = |entry: &Value, key: &str| entry.get(key).and_then(Value::as_str).map(str::to_string);
    let keys: Vec<&String> = games.first()?.as_object()?.keys().collect();
    let shared = |all: &[Value], key: &str| {
        let first = says(all.first()?, key)?;
        all.iter().all(|entry| says(entry, key).as_ref() == Some(&first)).then_some(first)
    };
    // A word that is the same for all of a kind.
    for key in &keys {
        if let (Some(game), Some(library)) = (shared(games, key), shared(libraries, key))
            && game != library
            && !game.contains(['\'', '\\'])
            && !library.contains(['\'', '\\'])
        {
            let step = step_text(&Step::Name((*key).clone()));
            return Some((format!("[?@{step} == '{game}']"), format!("[?@{step} == '{library}']")));
        }
    }
    let of_all = |all: &[Value], others: &[Value]| -> Option<String> {
        let keys = all.first()?.as_object()?.keys();
        let own = |key: &&String| {
            all.iter().all(|entry| entry.get(key.as_str()).is_some())
                && others.iter().all(|entry| entry.get(key.as_str()).is_none())
        };
        keys.into_iter().find(own).map(|key| step_text(&Step::Name(key.clone())))
    };
    match (of_all(games, libraries), of_all(libraries, games)) {
        (Some(game), Some(library)) => Some((format!("[?@{game}]"), format!("[?@{library}]"))),
        (Some(game), None) => Some((format!("[?@{game}]"), format!("[?@{path} && !@{game}]"))),
        (None, Some(library)) => Some((format!("[?@{path} && !@{library}]"), format!("[?@{library}]"))),
        (None, None) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn parted(games: &str, libraries: &str) -> Option<(String, String)> {
        let read = |text: &str| serde_json::from_str::<Vec<Value>>(text).unwrap();
        parting(&read(games), &read(libraries), "['at']")
    }

    #[test]
    fn kinds_are_parted_by_what_all_of_one_say_and_none_of_the_other() {
        let filters = |one: &str, other: &str| Some((one.to_string(), other.to_string()));
        assert_eq!(
            parted(
                r#"[{"at": "/l/a", "kind": "game"}, {"at": "/l/b", "kind": "game"}]"#,
                r#"[{"at": "/l", "kind": "place"}]"#
            ),
            filters("[?@['kind'] == 'game']", "[?@['kind'] == 'place']")
        );
        assert_eq!(
            parted(r#"[{"at": "/l/a", "title": "A"}, {"at": "/l/b", "title": "B"}]"#, r#"[{"at": "/l"}]"#),
            filters("[?@['title']]", "[?@['at'] && !@['title']]")
        );
        assert_eq!(
            parted(r#"[{"at": "/l/a"}, {"at": "/l/b"}]"#, r#"[{"at": "/l", "free": "7"}]"#),
            filters("[?@['at'] && !@['free']]", "[?@['free']]")
        );
        assert_eq!(parted(r#"[{"at": "/l/a"}, {"at": "/l/b"}]"#, r#"[{"at": "/l"}]"#), None);
    }
}
