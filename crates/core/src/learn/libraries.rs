//! The list of the folders in which a launcher's games lie: a game that goes to a drive without one needs a new entry there.

use std::collections::HashSet;
use std::path::Path;

use serde_json::Value;

use super::entries::{Entry, GameList, ListAt};
use super::pattern::PatternStep;
use super::roles::Roles;
use super::{Doubt, home::Home};
use crate::record::{Document, Format, Side, joined};

/// A list of libraries, as a profile says it.
#[derive(Clone, Debug)]
pub(super) struct LearnedLibraries {
    pub file: String,
    pub shape: String,
    pub list: String,
    pub path: String,
    /// Where a new one is made on a drive.
    pub new: String,
    /// The text of a new entry; without it a game goes only to drives that have a library.
    pub new_entry: Option<String>,
}

/// The list of libraries of a launcher, if it has one.
///
/// # Errors
/// [`Doubt::Counters`] where its entries say of each library what games it has, which a move would have to change as well;
/// [`Doubt::NotClear`] of several lists, of one that does not hold all games, and of a file that may be one.
pub(super) fn of(
    home: &Home,
    games: &GameList,
    roles: &Roles,
    lists: &[GameList],
    unclear: Option<&Path>,
) -> Result<Option<LearnedLibraries>, Doubt> {
    if let Some(file) = unclear {
        return Err(Doubt::NotClear(file.into()));
    }
    let mut same_file = lists.iter().filter(|list| list.file() == games.file());
    let list = match (same_file.next(), same_file.next(), lists) {
        (_, _, []) => return Ok(None),
        (Some(one), None, _) | (None, _, [one]) => one,
        (.., [one, ..]) => return Err(Doubt::NotClear(one.file().into())),
    };
    let ListAt::One(file) = &list.at else { return Err(Doubt::NotClear(list.shown())) };
    let mut above = list.to_entry.clone();
    let last = above.0.pop();
    let plain = above.0.iter().all(|step| matches!(step, PatternStep::Name(_)));
    // A game outside of all of them is listed by other rules than the others.
    if !list.holds_all_of(games) || last != Some(PatternStep::Any) || list.side == Side::Key || !list.pure || !plain {
        return Err(Doubt::NotClear(file.clone()));
    }
    if list.entries.iter().any(|entry| counts(games, roles, entry)) || says_how_many(games, list) {
        return Err(Doubt::Counters(file.clone()));
    }
    let below = file.strip_prefix(&home.path).unwrap_or(file);
    let name = list.dirs().next().and_then(Path::file_name).unwrap_or_default().to_string_lossy().into_owned();
    Ok(Some(LearnedLibraries {
        file: format!("{{home}}/{}", below.to_string_lossy()),
        shape: list.shape.to_string(),
        list: above.selector(),
        path: list.to_path.selector(),
        new: format!("{{drive}}/{name}"),
        new_entry: new_entry(list),
    }))
}

/// Whether a number of each entry is that of the games that lie there.
fn says_how_many(games: &GameList, list: &GameList) -> bool {
    let here = |entry: &Entry| {
        games.dirs().filter(|dir| entry.dir.as_ref().is_some_and(|library| dir.starts_with(library))).count()
    };
    let first = list.entries.first().map(|entry| entry.scalars.clone()).unwrap_or_default();
    first.keys().any(|selector| {
        let says = |entry: &Entry| entry.scalars.get(selector).and_then(|text| text.parse::<usize>().ok());
        list.entries.iter().all(|entry| says(entry) == Some(here(entry)))
    })
}

/// Whether an entry says something of the games that lie there: their ids, how many bytes they have.
fn counts(games: &GameList, roles: &Roles, library: &Entry) -> bool {
    let Some(dir) = &library.dir else { return false };
    let here: Vec<&Entry> =
        games.entries.iter().filter(|entry| entry.dir.as_ref().is_some_and(|game| game.starts_with(dir))).collect();
    // A launcher may know a game by more than one text of its entry; what says nothing of one game alone is none of these.
    let known = here.iter().flat_map(|entry| entry.scalars.values().cloned().chain(roles.id_of(games, entry)));
    let of_one = |text: &String| {
        let says = |entry: &&Entry| entry.scalars.values().any(|other| other == text);
        text.len() > 1 && !text.contains(['/', '\\']) && games.entries.iter().filter(says).count() <= 1
    };
    let ids: HashSet<String> = known.filter(of_one).collect();
    let claims = here.iter().filter_map(|entry| entry.scalars.get(roles.claim.as_ref()?)?.parse::<u64>().ok());
    let bytes: u64 = claims.sum();
    let Some(value) = value_of(library) else { return true };
    says_any(&value, &|text| ids.contains(text) || (bytes > 0 && text.parse() == Ok(bytes)))
}

fn value_of(entry: &Entry) -> Option<Value> {
    let source = crate::record::Source::read(&entry.file, crate::trace::shapes(&entry.file).first().copied()?).ok()?;
    source.value_at(&entry.place).cloned()
}

fn says_any(value: &Value, is: &dyn Fn(&str) -> bool) -> bool {
    match value {
        Value::String(text) => is(text),
        Value::Number(number) => is(&number.to_string()),
        Value::Array(all) => all.iter().any(|value| says_any(value, is)),
        Value::Object(all) => all.iter().any(|(key, value)| is(key) || says_any(value, is)),
        _ => false,
    }
}

/// An entry like the last one, for another folder; `None` where it says something that nobody here can make up.
fn new_entry(list: &GameList) -> Option<String> {
    let format = list.shape.format().filter(|format| matches!(format, Format::Json | Format::Jsonc | Format::Xml))?;
    let last = list.entries.last()?;
    let document = Document::parse(crate::platform::read(&last.file).ok()?, format).ok()?;
    let path = document.find(&joined(&last.place, &list.to_path.selector())).ok()?.into_iter().next()?;
    let mut raw = document.raw(&last.place)?.to_string();
    let written = document.written(&path, Side::Value)?;
    let quoted = |text: &str| if written.starts_with('"') { format!("\"{text}\"") } else { text.to_string() };
    let at = list.to_path.selector();
    for (selector, text) in &last.scalars {
        // `[*]` of a pattern is the first in an entry.
        if *selector == at.replace("[*]", "[0]") || *selector == at {
            continue;
        }
        let differs =
            list.entries.iter().filter(|entry| entry.scalars.get(selector) == Some(text)).count() < list.entries.len();
        let place = document.find(&joined(&last.place, selector)).ok()?.into_iter().next()?;
        let text_written = document.written(&place, Side::Value)?;
        let number = text.bytes().all(|b| b.is_ascii_digit());
        match (differs || list.entries.len() == 1, number) {
            // A number that is another in each entry is one that the launcher gives out.
            (true, true) if text != "0" => return None,
            (true, false) if text.contains(['/', '\\']) => return None,
            (false, _) | (true, true) => {}
            (true, false) => raw = raw.replacen(text_written, &quoted("New"), 1),
        }
    }
    if raw.matches(written).count() != 1 {
        return None;
    }
    Some(raw.replacen(written, &quoted("{library}"), 1))
}
