//! The entry of a new library, made like the last one of its list.
//!
//! Law: what nobody here can make up is no part of one. Start at [`new_entry`].

use serde_json::Value;

use super::list::{Entry, GameList};
use super::pattern::PatternStep;
use crate::record::{Document, Format, HeldPart, Place, Shape, Side, Source, Step, joined, numbered, step_text};

/// A number that stands for the one that a new library gets, while its entry is made.
const NUMBER: &str = "918273645546372";

/// A word that stands for the path of the new library, while its entry is made: it needs no quotes where paths have none.
const PATH: &str = "library918273645546373";

/// A text with that number in place of its own.
fn with_number(text: &str) -> Option<String> {
    let (before, _, behind) = numbered(text)?;
    Some(format!("{before}{NUMBER}{behind}"))
}

/// What becomes of a text of the last entry in that of a new library.
#[derive(Debug, PartialEq, Eq)]
enum Becomes {
    Same,
    /// The next number.
    Number,
    /// A name for people.
    Name,
}

/// An entry like the last one, for another folder, with no games in it; `None` where it says something that nobody here can make up.
/// `id` is by what games refer to it.
pub(super) fn new_entry(list: &GameList, holds: &[HeldPart], id: Option<&str>) -> Option<String> {
    if list.shape == Shape::Sqlite {
        return new_row(list, holds, id);
    }
    let known = |format: &Format| {
        matches!(
            format,
            Format::Json
                | Format::Jsonc
                | Format::JsonLines
                | Format::Xml
                | Format::Nested
                | Format::Yaml
                | Format::Toml
                | Format::Ini
                | Format::Hive
                | Format::Lines
                | Format::Table
                | Format::PropertyList
        )
    };
    let format = list.shape.format().filter(known)?;
    let last = list.entries.last()?;
    if counts_them(list, last, id) {
        return None;
    }
    let document = Document::parse(crate::platform::read(&last.file).ok()?, format).ok()?;
    let mut document = emptied(document, last, holds)?;
    let path = document.find(&joined(&last.place, &list.to_path.selector())).ok()?.into_iter().next()?;
    for (selector, text) in &last.scalars {
        // `[*]` of a pattern is the first in an entry.
        let within = |part: &HeldPart| selector.starts_with(&part.selector);
        if *selector == list.to_path.first() || holds.iter().any(within) {
            continue;
        }
        let place = document.find(&joined(&last.place, selector)).ok()?.into_iter().next()?;
        match becomes(list, selector, text, id)? {
            Becomes::Same => {}
            Becomes::Number => document = with_text(document, &place, &with_number(text)?)?,
            Becomes::Name => document = with_text(document, &place, "New")?,
        }
    }
    let document = with_text(document, &path, PATH)?;
    let places: Vec<&Place> = list.entries.iter().map(|entry| &entry.place).collect();
    let raw = raw_of(&document, &last.place, &places)?.replace(NUMBER, "{nr}").replace(PATH, "{library}");
    // What games refer to has to be in it, unless that is its place in the list.
    let is_numbered = id.is_none_or(|id| id == "key" || raw.contains("{nr}"));
    // The last values of a row may be nothing between tabulators.
    let end = |raw: &str| if format == Format::Table { raw.to_string() } else { raw.trim_end().to_string() };
    (raw.matches("{library}").count() == 1 && is_numbered).then(|| end(&raw))
}

/// Words of which none is ever a count, though a small number may be either.
const NO_COUNTS: [&str; 4] = ["version", "format", "schema", "revision"];

/// The same where they are all of a name.
const NO_COUNTS_ALONE: [&str; 3] = ["v", "ver", "rev"];

/// Whether a number beside the list may be how many libraries there are, or the number that the next one gets: nobody here keeps it true,
/// and a launcher that goes by it would miss a new one, or give its number out again.
fn counts_them(list: &GameList, last: &Entry, id: Option<&str>) -> bool {
    let Ok(source) = Source::read(&last.file, list.shape) else { return true };
    let numbers = list.entries.iter().filter_map(|entry| match entry.place.0.last() {
        Some(Step::Name(name)) => numbered(name).map(|(_, number, _)| number),
        _ => None,
    });
    let own = list.entries.iter().filter_map(|entry| numbered(entry.scalars.get(id?)?));
    let next = numbers.chain(own.map(|(_, number, _)| number)).max().map(|last| last + 1);
    let told: Vec<u64> = next.into_iter().chain([list.entries.len() as u64]).collect();
    let says = |key: &str, value: &Value| {
        let number = match value {
            Value::Number(number) => number.as_u64(),
            Value::String(text) => text.trim().parse().ok(),
            _ => None,
        };
        let key = key.to_lowercase();
        let is_version = NO_COUNTS.iter().any(|word| key.contains(word)) || NO_COUNTS_ALONE.contains(&key.as_str());
        number.is_some_and(|number| told.contains(&number)) && !is_version
    };
    let is_entry = |place: &Place| list.entries.iter().any(|entry| entry.place == *place);
    let steps = &last.place.0;
    // Of a registry, which is that of many programs, the keys above.
    let is_near = |section: &str| match (list.shape.format(), steps.last()) {
        (Some(Format::Ini), _) => true,
        (Some(Format::Hive), Some(Step::Name(key))) => {
            key.strip_prefix(section).is_some_and(|below| below.starts_with('\\'))
        }
        _ => false,
    };
    // The list, what is around it, and of a text of sections the others.
    (1..=3.min(steps.len())).any(|up| {
        let around = Place(steps[..steps.len() - up].to_vec());
        let Some(value) = source.value_at(&around) else { return false };
        let Some(members) = value.as_object() else { return false };
        let is_top = up == 1 && around.0.is_empty();
        members.iter().any(|(key, value)| match value.as_object() {
            Some(section) if is_top && is_near(key) && !is_entry(&around.child(Step::Name(key.clone()))) => {
                let is_place = section.contains_key(&step_name(list));
                !is_place && section.iter().any(|(key, value)| says(key, value))
            }
            _ => says(key, value),
        })
    })
}

/// What the member is called that says a library's place.
fn step_name(list: &GameList) -> String {
    match list.to_path.0.first() {
        Some(PatternStep::Name(name)) => name.clone(),
        _ => String::new(),
    }
}

/// What becomes of a text of the last entry; `None` where nobody here can say.
fn becomes(list: &GameList, selector: &str, text: &str, id: Option<&str>) -> Option<Becomes> {
    let said = || list.entries.iter().map(|entry| entry.scalars.get(selector));
    if id == Some(selector) {
        // Texts that differ by a number alone, such as `2` or `shelf 2`.
        let (before, _, behind) = numbered(text)?;
        let is_alike = |other: &String| numbered(other).is_some_and(|other| (other.0, other.2) == (before, behind));
        return said().all(|text| text.is_some_and(is_alike)).then_some(Becomes::Number);
    }
    let differs = said().filter(|other| other.is_some_and(|other| other == text)).count() < list.entries.len();
    let number = text.bytes().all(|b| b.is_ascii_digit());
    match (differs || list.entries.len() == 1, number) {
        // A number that is another in each entry is one that the launcher gives out.
        (true, true) if text != "0" => None,
        (true, false) if text.contains(['/', '\\']) => None,
        (false, _) | (true, true) => Some(Becomes::Same),
        // Of one example nobody knows whether it is a word of the launcher's, a name for people, or one that it gives out.
        (true, false) if list.entries.len() == 1 && is_a_word(text) => Some(Becomes::Same),
        (true, false) if list.entries.len() == 1 && !is_for_people(text) => None,
        (true, false) => Some(Becomes::Name),
    }
}

/// The row of a new library as a JSON object, like the last one: a key that is a number is the next one.
fn new_row(list: &GameList, holds: &[HeldPart], id: Option<&str>) -> Option<String> {
    let last = list.entries.last()?;
    let [Step::Name(table), Step::Name(_)] = last.place.0.as_slice() else { return None };
    let (_, key) = crate::record::columns_of(&last.file, table).ok()?;
    // What bytes say nobody here can make up.
    if crate::record::holds_bytes(&last.file, table).ok()? {
        return None;
    }
    let by_key = matches!(id, None | Some("key"));
    // What games refer to by the number of a row without a key of its own is nobody's to give out.
    if id == Some("key") && key.len() != 1 {
        return None;
    }
    let Value::Object(mut row) = list.value_of(last)? else { return None };
    for (name, value) in &mut row {
        let selector = step_text(&Step::Name(name.clone()));
        let selector = format!("${selector}");
        if selector == list.to_path.first() {
            *value = "{library}".into();
            continue;
        }
        // A new library has no games.
        if let Some(part) = holds.iter().find(|part| part.selector == selector) {
            (!part.says.names_games()).then_some(())?;
            *value = if value.is_number() { 0.into() } else { "0".into() };
            continue;
        }
        let text = match &*value {
            Value::String(text) => text.clone(),
            Value::Number(number) => number.to_string(),
            _ => continue,
        };
        let is_key = key.len() == 1 && key[0] == *name;
        let is_its_number = if by_key { is_key } else { id == Some(selector.as_str()) };
        let what = becomes(list, &selector, &text, is_its_number.then_some(selector.as_str()))?;
        match what {
            Becomes::Same => {}
            Becomes::Number if value.is_number() => *value = NUMBER.parse::<u64>().ok()?.into(),
            Becomes::Number => *value = with_number(&text)?.into(),
            Becomes::Name => *value = "New".into(),
        }
    }
    let text = Value::Object(row).to_string().replace(NUMBER, "{nr}");
    let is_numbered = id.is_none() || text.contains("{nr}");
    (text.matches("{library}").count() == 1 && is_numbered).then_some(text)
}

fn with_text(document: Document, place: &Place, text: &str) -> Option<Document> {
    Document::parse(document.replace(place, Side::Value, text, None).ok()?, document.format()).ok()
}

fn is_a_word(text: &str) -> bool {
    text.bytes().all(|b| b.is_ascii_lowercase() || matches!(b, b'-' | b'_'))
}

fn is_for_people(text: &str) -> bool {
    text.contains(' ') || text.starts_with(char::is_uppercase)
}

/// The document, with nothing said of the games in an entry.
fn emptied(mut document: Document, entry: &Entry, holds: &[HeldPart]) -> Option<Document> {
    let format = document.format();
    for part in holds {
        let found = document.find(&joined(&entry.place, &part.selector)).ok()?.into_iter().next();
        let place = match found {
            Some(place) => place,
            // Elements of no games are none.
            None if format == Format::Xml && part.says.names_games() => continue,
            None => return None,
        };
        if !part.says.names_games() {
            if document.leaf(&place, Side::Value).as_deref() != Some("0") {
                let bytes = document.replace(&place, Side::Value, "0", None).ok()?;
                document = Document::parse(bytes, format).ok()?;
            }
            continue;
        }
        while document.children(&place).is_some_and(|children| !children.is_empty()) {
            let bytes = document.remove(&place, 0).ok()?;
            document = Document::parse(bytes, format).ok()?;
        }
    }
    Some(document)
}

/// An entry as it is written, its key with it where it has one: `{nr}` stands for the next number among these entries.
fn raw_of(document: &Document, entry: &Place, entries: &[&Place]) -> Option<String> {
    if document.format() == Format::PropertyList {
        return raw_element(document, entry, entries);
    }
    let raw = document.raw(entry)?;
    let Some(Step::Name(name)) = entry.0.last() else { return Some(raw.to_string()) };
    if document.format() == Format::Xml {
        return Some(raw.to_string());
    }
    let key = document.written(entry, Side::Key)?;
    let (above, _) = entry.0.split_last().map(|(last, above)| (Place(above.to_vec()), last))?;
    let siblings = document.children(&above)?;
    let nth = siblings.iter().position(|place| place == entry)?;
    let (before, nr, behind) = only_numbers_differ(name, entries)?;
    if document.is_of_sections(&above) {
        let head = numbered(key).filter(|(_, other, _)| *other == nr)?;
        return Some(document.section(nth)?.replacen(key, &format!("{}{{nr}}{}", head.0, head.2), 1));
    }
    let (start, end) = document.child_spans(&above)?.1.get(nth).copied()?;
    let between = document.text()[start..end].strip_prefix(key)?.strip_suffix(raw)?;
    Some(format!("{}{between}{raw}", key.replacen(name, &format!("{before}{{nr}}{behind}"), 1)))
}

/// The parts of a name, where those of all entries differ by a number alone, such as `2` or `shelf 2`.
fn only_numbers_differ<'n>(name: &'n str, entries: &[&Place]) -> Option<(&'n str, u64, &'n str)> {
    let parts = numbered(name)?;
    let alike = |place: &&Place| match place.0.last() {
        Some(Step::Name(other)) => numbered(other).is_some_and(|other| (other.0, other.2) == (parts.0, parts.2)),
        _ => false,
    };
    entries.iter().all(alike).then_some(parts)
}

/// An entry of a property list with its tags, and the key before it.
fn raw_element(document: &Document, entry: &Place, entries: &[&Place]) -> Option<String> {
    let (last, above) = entry.0.split_last()?;
    let above = Place(above.to_vec());
    let nth = document.children(&above)?.iter().position(|place| place == entry)?;
    let (start, end) = document.trimmed_spans(&above)?.1.get(nth).copied()?;
    let raw = &document.text()[start..end];
    let Step::Name(name) = last else { return Some(raw.to_string()) };
    let (before, nr, behind) = only_numbers_differ(name, entries)?;
    let key =
        document.written(entry, Side::Key).filter(|key| numbered(key).is_some_and(|(_, other, _)| other == nr))?;
    Some(raw.replacen(&format!(">{key}<"), &format!(">{before}{{nr}}{behind}<"), 1))
}
