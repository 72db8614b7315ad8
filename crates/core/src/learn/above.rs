//! Places that say the folder above a game, its library, apart from the game's own entry: a list of which game is in which library.
//!
//! Law: whose such a place is is told by what names a game beside it; one that names a game and cannot be a record of it is a reason not
//! to learn. Start at [`records_above`].

use super::home::Home;
use super::learned::Doubt;
use super::list::{AboveSeen, Entry, GameList};
use super::records::{RecordOfFile, Said, stands_alone};
use super::roles::Roles;
use crate::platform::in_template;
use crate::record::scalars_of;
use crate::record::step_text;
use crate::record::{HeldPart, Place, Source, Step};

/// How such a place is bound to a game.
enum Bound {
    /// The last name of the place is the game's id.
    Key,
    /// A text or a number beside it is: its JSONPath in the entry, and whether it is a number.
    Beside(String, bool),
    /// The file is called after it.
    File,
}

/// The records that say which library each game is in, or the file of a place that names a game and is none.
///
/// # Errors
/// [`Doubt::NotClear`] with that file.
pub(super) fn records_above(
    (games, libraries, above): (&GameList, &[GameList], &[AboveSeen]),
    home: &Home,
    roles: &mut Roles,
) -> Result<Vec<RecordOfFile>, Doubt> {
    let mut records: Vec<RecordOfFile> = Vec::new();
    for seen in above {
        let found = bound(games, roles, seen)?;
        let Some((entry, id, bound)) = found else { continue };
        let not_clear = || Doubt::NotClear(seen.file.clone());
        let dir = entry.dir.as_deref().ok_or_else(not_clear)?;
        let is_library = libraries.iter().any(|list| list.dirs().any(|library| library == seen.dir));
        let meaning = match is_library {
            true => "{library}",
            false if dir.parent() == Some(seen.dir.as_path()) => "{parent}",
            false => return Err(not_clear()),
        };
        let file = in_template(seen.file.strip_prefix(&home.path).map_err(|_| not_clear())?);
        let (selector, file) = match &bound {
            Bound::Key => (with_last(&seen.place, "['{id}']"), file),
            Bound::Beside(key, number) => {
                let id = if *number { "{id}" } else { "'{id}'" };
                let (above, last) = (place_above(&seen.place, 1), seen.place.0.last().ok_or_else(not_clear)?);
                (with_last(&above, &format!("[?@{} == {id}]{}", &key[1..], step_text(last))), file)
            }
            Bound::File => {
                let at = stands_alone(&file, &id).ok_or_else(not_clear)?;
                (seen.place.to_string(), format!("{}{{id}}{}", &file[..at], &file[at + id.len()..]))
            }
        };
        if selector.contains('*') || (selector.matches(['{', '}']).count() > 2) {
            return Err(not_clear());
        }
        let said = Said {
            selector,
            inside: Vec::new(),
            on_key: false,
            within: String::new(),
            relative: String::new(),
            meaning: meaning.into(),
        };
        let record = (format!("{{home}}/{file}"), seen.shape.to_string(), said);
        if !records.contains(&record) {
            records.push(record);
        }
    }
    Ok(records)
}

/// The game that a place above the games belongs to, by its id or by another text that tells the games apart.
fn bound<'a>(
    games: &'a GameList,
    roles: &mut Roles,
    seen: &AboveSeen,
) -> Result<Option<(&'a Entry, String, Bound)>, Doubt> {
    let mut found = bound_to(games, (&|entry| roles.id_of(games, entry), true), seen);
    if found.is_none() {
        // Perhaps its launcher knows games by another text than was thought.
        let columns = games.entries.first().map(|entry| entry.scalars.keys().cloned().collect::<Vec<_>>());
        for column in columns.unwrap_or_default() {
            found = bound_to(games, (&|entry| name_in(entry, &column), false), seen);
            if found.is_some() && !roles.know_by(games, &column) {
                return Err(Doubt::NotClear(seen.file.clone()));
            }
            if found.is_some() {
                break;
            }
        }
    }
    Ok(found)
}

/// What names the game of an entry.
type NameOf<'a> = &'a dyn Fn(&Entry) -> Option<String>;

/// The game that such a place is bound to, and how; of a list in a list the innermost counts.
fn bound_to<'a>(
    games: &'a GameList,
    (id_of, known): (NameOf<'_>, bool),
    seen: &AboveSeen,
) -> Option<(&'a Entry, String, Bound)> {
    let below = |entry: &&Entry| entry.dir.as_ref().is_some_and(|dir| *dir != seen.dir && dir.starts_with(&seen.dir));
    let source = Source::read(&seen.file, seen.shape).ok()?;
    let inside = source.value_at(&place_above(&seen.place, 1));
    let name = seen.file.file_name()?.to_str()?;
    let scalars = inside.as_ref().map(|value| scalars_of(value)).unwrap_or_default();
    for entry in games.entries.iter().filter(below) {
        let Some(id) = id_of(entry) else { continue };
        if matches!(seen.place.0.last(), Some(Step::Name(last)) if *last == id) {
            return Some((entry, id, Bound::Key));
        }
        // What lies deeper speaks of more than one; a number names a game only if that is what games are known by.
        let own = |key: &str| Place::read(key).is_some_and(|place| place.0.len() == 1);
        let tells = known || id.parse::<f64>().is_err();
        let beside = scalars.iter().find(|(key, text)| tells && **text == id && own(key)).map(|(key, _)| key.clone());
        if let Some(key) = beside {
            let place = Place::read(&key).unwrap_or_default();
            let number = inside.as_ref().and_then(|inside| place.of(inside)).is_some_and(serde_json::Value::is_number);
            return Some((entry, id, Bound::Beside(key, number)));
        }
        if stands_alone(name, &id).is_some() {
            return Some((entry, id, Bound::File));
        }
    }
    None
}

/// What may name a game: no path.
fn name_in(entry: &Entry, column: &str) -> Option<String> {
    let text = entry.scalars.get(column)?;
    (!text.is_empty() && !text.contains(['/', '\\'])).then(|| text.clone())
}

fn place_above(place: &Place, steps: usize) -> Place {
    Place(place.0[..place.0.len().saturating_sub(steps)].to_vec())
}

fn with_last(place: &Place, last: &str) -> String {
    format!("{}{last}", place_above(place, 1))
}

/// Whether the entries of games say their library by what its entry says, or by its number: a move would have to change that.
pub(super) fn says_its_library(games: &GameList, libraries: &GameList, holds: &[HeldPart]) -> bool {
    let library_of = |entry: &Entry| {
        let dir = entry.dir.as_ref()?;
        libraries.entries.iter().position(|library| library.dir.as_ref().is_some_and(|above| dir.starts_with(above)))
    };
    let here: Vec<(&Entry, usize)> =
        games.entries.iter().filter_map(|entry| Some((entry, library_of(entry)?))).collect();
    let Some((first, _)) = here.first() else { return false };
    let several = here.iter().any(|(_, library)| *library != here[0].1);
    // What is a record of its library is kept true.
    let known = games.reference.as_ref().map(|reference| &reference.selector);
    let open = |column: &&String| Some(*column) != known && !games.dismissed.contains(column);
    first.scalars.keys().filter(open).any(|column| {
        let says = |is: &dyn Fn(&str, usize) -> bool| {
            here.iter().all(|(entry, library)| entry.scalars.get(column).is_some_and(|text| is(text, *library)))
        };
        let told = |key: &&String| !holds.iter().any(|part| key.starts_with(&part.selector));
        let by_scalar = libraries.entries.iter().flat_map(|library| library.scalars.keys()).filter(told).any(|key| {
            says(&|text, library| {
                let told = libraries.entries[library].scalars.get(key).is_some_and(|told| told == text);
                // Of one library a word or a path that is the same in all of its games says nothing.
                told && !text.contains(['/', '\\'])
                    && (several || (text != "0" && text.bytes().all(|b| b.is_ascii_digit())) || text.len() > 15)
            })
        });
        let by_key = says(&|text, library| {
            libraries.key(&libraries.entries[library]).is_some_and(|key| key == text) && (several || text != "0")
        });
        let by_number = [0, 1].iter().any(|from| says(&|text, library| text.parse() == Ok(library + from)));
        by_scalar || by_key || (several && by_number)
    })
}
