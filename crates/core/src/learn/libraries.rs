//! The list of the folders in which a launcher's games lie: a game that goes to a drive without one needs a new entry there.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::Path;

use serde_json::Value;

use super::above::says_its_library;
use super::home::Home;
use super::in_libraries::{NO_CHANCE, OwnFile, own_file, sums_of};
use super::learned::Doubt;
use super::list::{Entry, GameList, ListAt};
use super::new_entry::new_entry;
use super::pattern::{Pattern, PatternStep};
use super::roles::Roles;
use crate::checksums::measure;
use crate::platform::in_template;
use crate::record::step_text;
use crate::record::{Format, HeldPart, LibrarySays, Place, Side, Source, Step};

/// A list of libraries, as a profile says it.
#[derive(Debug)]
pub(super) struct LearnedLibraries {
    pub file: String,
    pub shape: String,
    pub list: String,
    /// JSONPath of its entries, where other things stand among them.
    pub entries: Option<String>,
    pub path: String,
    /// Where a new one is made on a drive.
    pub new: String,
    /// The text of a new entry; without it a game goes only to drives that have a library.
    pub new_entry: Option<String>,
    /// What its entries say of the games in each.
    pub holds: Vec<HeldPart>,
    pub named_by: Option<String>,
    /// JSONPath from a game's entry to the number that is summed somewhere.
    pub claim: Option<String>,
    /// What a library's own file of games says beside them.
    pub own_file: Option<OwnFile>,
}

/// The list of libraries of a launcher, if it has one.
///
/// # Errors
/// [`Doubt::Counters`] where its entries say of each library what games it has in a way that is not understood;
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
    let (above, entries) = around_the_entries(games, list, file)?;
    let Holding { named_by, parts, claim } = holding(file, games, roles, list)?;
    if says_its_library(games, list, &parts) {
        return Err(Doubt::NotClear(games.file().into()));
    }
    let own_file = match &games.at {
        ListAt::InLibraries { name: None, .. } => {
            let own = own_file(games);
            Some(own.ok_or_else(|| Doubt::Counters(games.file().into()))?)
        }
        _ => None,
    };
    let own_claim = own_file.as_ref().and_then(|own: &OwnFile| own.claim.clone());
    if claim.is_some() && own_claim.is_some() && claim != own_claim {
        return Err(Doubt::Counters(file.clone()));
    }
    let below = file.strip_prefix(&home.path).unwrap_or(file);
    let is_home = below.as_os_str().is_empty();
    let name = list.dirs().next().and_then(Path::file_name).unwrap_or_default().to_string_lossy().into_owned();
    Ok(Some(LearnedLibraries {
        file: if is_home { "{home}".into() } else { format!("{{home}}/{}", in_template(below)) },
        shape: list.shape.to_string(),
        list: above.selector(),
        entries,
        path: list.to_path.selector(),
        new: format!("{{drive}}/{name}"),
        new_entry: new_entry(list, &parts, games.reference.as_ref().map(|reference| reference.id.as_str())),
        holds: parts,
        named_by,
        own_file,
        claim: claim.or(own_claim),
    }))
}

/// The place of the list in its file and what its entries are, where one rule tells them from all else.
fn around_the_entries(games: &GameList, list: &GameList, file: &Path) -> Result<(Pattern, Option<String>), Doubt> {
    let mut above = list.to_entry.clone();
    let last = above.0.pop();
    // Elements are lists by their names: those around the entries have to be the only ones.
    let elements = list.shape.format() == Some(Format::Xml);
    let is_plain = |step: &PatternStep| match step {
        PatternStep::Name(_) => true,
        PatternStep::Any => elements,
        PatternStep::Nth(_) | PatternStep::Where(_) => false,
    };
    let is_one = || Source::read(file, list.shape).is_ok_and(|source| source.find_one(&above.selector()).is_ok());
    let plain = above.0.iter().all(is_plain) && (!elements || is_one());
    // A game outside of all of them is listed by other rules than the others.
    let entries = match last {
        Some(PatternStep::Where(_)) => Some(list.to_entry.selector()),
        _ => None,
    };
    let is_list = last == Some(PatternStep::Any) || entries.is_some();
    if !list.holds_all_of(games) || !is_list || list.side == Side::Key || !list.pure || !plain {
        return Err(Doubt::NotClear(file.into()));
    }
    Ok((above, entries))
}

/// What names games in the entries of libraries, and the parts of these that do.
#[derive(Debug, Default)]
struct Holding {
    named_by: Option<String>,
    /// JSONPath from a game's entry to what sums of them sum.
    claim: Option<String>,
    parts: Vec<HeldPart>,
}

/// Parts of an entry that are looked at: objects, lists, texts and numbers, this deep below it.
const DEEP: usize = 3;

/// What the entries of libraries say of the games that lie in each: sets and sums that are true of every one of them.
///
/// # Errors
/// [`Doubt::Counters`] where something is said and cannot be told.
fn holding(file: &Path, games: &GameList, roles: &Roles, list: &GameList) -> Result<Holding, Doubt> {
    let doubt = || Doubt::Counters(file.into());
    let values: Option<Vec<Value>> = list.entries.iter().map(|entry| list.value_of(entry)).collect();
    let values = values.ok_or_else(doubt)?;
    let here: Vec<Vec<&Entry>> = list.entries.iter().map(|library| entries_in(games, library)).collect();
    let mut places: BTreeSet<String> = BTreeSet::new();
    for value in &values {
        add_places(value, "$", DEEP, &mut places);
    }
    let (mut holding, mut chance) = (naming(games, roles, list, &places, (&values, &here)), Vec::new());
    let sums: Vec<BTreeMap<String, u64>> = here.iter().map(|here| sums_of(here)).collect();
    let names: Vec<String> = holding.parts.iter().map(|part| part.selector.clone()).collect();
    for selector in places.iter().filter(|place| !names.iter().any(|name| place.starts_with(name))) {
        let says: Option<Vec<u64>> = values.iter().map(|value| number_at(value, selector)).collect();
        let Some(says) = says else { continue };
        let counts = here.iter().map(|here| here.len() as u64);
        let part = |says| HeldPart { selector: selector.clone(), says, id: None, bytes: None };
        // An empty library has sums of nothing.
        let is_sum = |column: &&String| {
            let sums = sums.iter().zip(&here).map(|(sums, here)| sums.get(*column).or((here.is_empty()).then_some(&0)));
            says.iter().map(Some).eq(sums)
        };
        if let Some(column) = sums.iter().flat_map(BTreeMap::keys).find(is_sum) {
            if holding.claim.get_or_insert_with(|| column.clone()) != column {
                return Err(doubt());
            }
            holding.parts.push(part(LibrarySays::Bytes));
        } else if let Some((nth, own)) = summed_beside(&holding.parts, &values, &says) {
            let known = holding.parts[nth].bytes.get_or_insert_with(|| own.clone());
            if *known != own {
                return Err(doubt());
            }
            holding.parts.push(part(LibrarySays::Bytes));
        } else if counts.eq(says.iter().copied()) {
            match is_count(games, selector, &says) {
                Some(true) => holding.parts.push(part(LibrarySays::Count)),
                Some(false) => {}
                None => chance.push(selector.clone()),
            }
        }
    }
    let not_understood =
        places.iter().filter(|place| !holding.parts.iter().any(|part| place.starts_with(&part.selector)));
    let numbers = not_understood.filter_map(|selector| values.iter().map(|value| number_at(value, selector)).collect());
    if says_bytes_on_disk(&numbers.collect::<Vec<_>>(), &here) {
        return Err(doubt());
    }
    // A sum is of one thing.
    if holding.claim.is_some() && holding.parts.iter().any(|part| part.bytes.is_some()) {
        return Err(doubt());
    }
    let rest = all_understood(games, roles, list, &holding.parts, values, &here);
    match (rest, chance.is_empty()) {
        (true, true) => Ok(holding),
        (true, false) => Err(Doubt::MayCount { file: file.into(), selectors: chance }),
        (false, _) => Err(doubt()),
    }
}

/// Whether a number that is right in each library counts its games; none where it may be so by chance.
fn is_count(games: &GameList, selector: &String, says: &[u64]) -> Option<bool> {
    // One that is the same in each, or that numbers the libraries, may be one by chance.
    let differ = says.iter().collect::<BTreeSet<_>>().len() > 1;
    let may_be_chance = !differ || says.windows(2).all(|two| two[1] == two[0] + 1);
    let is_reference = games.reference.as_ref().is_some_and(|reference| reference.id == *selector);
    match &games.counters {
        _ if is_reference => Some(false),
        None if may_be_chance => None,
        Some(counters) if may_be_chance && !counters.contains(selector) => Some(false),
        _ => Some(true),
    }
}

/// What the libraries name their games by, and where.
fn naming(
    games: &GameList,
    roles: &Roles,
    list: &GameList,
    places: &BTreeSet<String>,
    (values, here): (&[Value], &[Vec<&Entry>]),
) -> Holding {
    let mut ways: Vec<Option<String>> = vec![None];
    let selectors: BTreeSet<&String> = games.entries.iter().flat_map(|entry| entry.scalars.keys()).collect();
    ways.extend(selectors.into_iter().cloned().map(Some));
    for way in ways {
        let names = |entry: &Entry| match &way {
            None => roles.id_of(games, entry),
            Some(selector) => entry.scalars.get(selector).cloned(),
        };
        let all: Vec<String> = games.entries.iter().filter_map(names).collect();
        let apart = all.iter().collect::<HashSet<_>>().len() == games.entries.len();
        if !apart || all.iter().any(|name| name.contains(['/', '\\'])) {
            continue;
        }
        let elements = list.shape.format() == Some(Format::Xml);
        let part = |selector: &String| {
            let part = naming_part((selector, elements), values, here, &all, &names)?;
            let says = if are_entries(games, list, &part) { LibrarySays::Entries } else { part.says };
            Some(HeldPart { says, ..part })
        };
        let parts: Vec<HeldPart> = places.iter().filter_map(part).collect();
        if !parts.is_empty() {
            return Holding { named_by: way, parts, claim: None };
        }
    }
    Holding::default()
}

/// Whether a library says nothing of its games beside what is understood.
fn all_understood(
    games: &GameList,
    roles: &Roles,
    list: &GameList,
    parts: &[HeldPart],
    values: Vec<Value>,
    here: &[Vec<&Entry>],
) -> bool {
    values.into_iter().zip(&list.entries).zip(here).all(|((mut value, _), here)| {
        for part in parts {
            if let Some(place) = Place::read(&part.selector)
                && let Some(inner) = place.of_mut(&mut value)
            {
                *inner = Value::Null;
            }
        }
        !says_of_games(games, roles, here, &value)
    })
}

/// Whether a number of each library is the bytes of its games as they lie there, which no entry of a game says: nobody here could keep it true.
fn says_bytes_on_disk(numbers: &[Vec<u64>], here: &[Vec<&Entry>]) -> bool {
    let may_be = |says: &&Vec<u64>| {
        says.iter().zip(here).all(|(says, here)| if here.is_empty() { *says == 0 } else { *says >= NO_CHANCE })
    };
    // Folders are measured where a number may be that alone.
    if !numbers.iter().any(|says| may_be(&says)) {
        return false;
    }
    let sizes = here.iter().map(|here| {
        let sizes = here.iter().filter_map(|entry| entry.dir.as_deref()).map(measure);
        sizes.fold([0, 0], |[read, taken], size| [read + size.apparent.count(), taken + size.on_disk.count()])
    });
    let sizes: Vec<[u64; 2]> = sizes.collect();
    let are = |says: &Vec<u64>, nth: usize| says.iter().eq(sizes.iter().map(|both| &both[nth]));
    numbers.iter().filter(may_be).any(|says| are(says, 0) || are(says, 1))
}

/// The part that names games, and where in its elements or members, whose numbers make these sums.
fn summed_beside(parts: &[HeldPart], values: &[Value], says: &[u64]) -> Option<(usize, String)> {
    if says.iter().all(|sum| *sum < NO_CHANCE) {
        return None;
    }
    let own = |part: &HeldPart| {
        let held: Option<Vec<Vec<&Value>>> =
            values.iter().map(|value| held_in(part_of(value, &part.selector))).collect();
        let held = held?;
        let first = held.iter().flatten().next()?;
        let members = first.as_object().into_iter().flat_map(|object| object.keys());
        let selectors = members.map(|name| format!("${}", step_text(&Step::Name(name.clone()))));
        let sums = |selector: &String| {
            let sum = |all: &Vec<&Value>| all.iter().map(|value| number_at(value, selector)).sum::<Option<u64>>();
            held.iter().map(sum).eq(says.iter().copied().map(Some))
        };
        selectors.chain(["$".to_string()]).find(sums)
    };
    let mut named = parts.iter().enumerate().filter(|(_, part)| part.says == LibrarySays::Games);
    named.find_map(|(nth, part)| Some((nth, own(part)?)))
}

/// The elements or members of a part; none of one that is not there.
fn held_in(part: Option<&Value>) -> Option<Vec<&Value>> {
    match part {
        Some(Value::Object(members)) => Some(members.values().collect()),
        Some(Value::Array(elements)) => Some(elements.iter().collect()),
        None | Some(Value::Null) => Some(Vec::new()),
        Some(_) => None,
    }
}

/// The games that lie in a library.
fn entries_in<'a>(games: &'a GameList, library: &Entry) -> Vec<&'a Entry> {
    let inside =
        |game: &&Entry| game.dir.as_ref().zip(library.dir.as_ref()).is_some_and(|(game, dir)| game.starts_with(dir));
    games.entries.iter().filter(inside).collect()
}

fn claims_of(roles: &Roles, here: &[&Entry]) -> u64 {
    let claim = |entry: &&Entry| entry.scalars.get(roles.claim.as_ref()?)?.parse::<u64>().ok();
    here.iter().filter_map(claim).sum()
}

/// The places of objects, lists, texts and numbers in an entry.
fn add_places(value: &Value, at: &str, deep: usize, all: &mut BTreeSet<String>) {
    if at != "$" {
        all.insert(at.into());
    }
    match value {
        Value::Object(members) if deep > 0 => {
            for (name, value) in members {
                add_places(value, &format!("{at}{}", step_text(&Step::Name(name.clone()))), deep - 1, all);
            }
        }
        // An element stands in a list of its name.
        Value::Array(elements) if deep > 0 && elements.len() == 1 && elements[0].is_object() => {
            add_places(&elements[0], &format!("{at}[0]"), deep, all);
        }
        _ => {}
    }
}

fn part_of<'a>(value: &'a Value, selector: &str) -> Option<&'a Value> {
    Place::read(selector)?.of(value)
}

fn number_at(value: &Value, selector: &str) -> Option<u64> {
    match part_of(value, selector)? {
        Value::Number(number) => number.as_u64(),
        Value::String(text) => text.parse().ok(),
        _ => None,
    }
}

/// A part that, in every entry, names the games that lie there and none that lies elsewhere.
fn naming_part(
    (selector, elements): (&str, bool),
    values: &[Value],
    here: &[Vec<&Entry>],
    all: &[String],
    names: &dyn Fn(&Entry) -> Option<String>,
) -> Option<HeldPart> {
    // Where there are no games there are no elements of them.
    let part = |value| part_of(value, selector).or(elements.then_some(&Value::Null));
    let parts: Option<Vec<&Value>> = values.iter().map(part).collect();
    let parts = parts?;
    let mut ids: Vec<Option<String>> = vec![None];
    let objects = parts.iter().filter_map(|part| part.as_array()?.first()?.as_object());
    ids.extend(
        objects.flat_map(|object| object.keys()).map(|name| Some(format!("${}", step_text(&Step::Name(name.clone()))))),
    );
    ids.dedup();
    let fits = |id: &Option<String>| {
        let mut met = false;
        let sound = parts.iter().zip(here).all(|(part, here)| {
            let Some(says) = named_in(part, id.as_deref()) else { return false };
            let wanted: BTreeSet<String> = here.iter().filter_map(|entry| names(entry)).collect();
            met |= !wanted.is_empty();
            let known: BTreeSet<String> = says.iter().filter(|name| all.contains(name)).cloned().collect();
            known == wanted && wanted.len() == here.len()
        });
        sound && met
    };
    let id = ids.into_iter().find(fits)?;
    Some(HeldPart { selector: selector.into(), says: LibrarySays::Games, id, bytes: None })
}

/// Whether what names games in a part are the entries of the games themselves.
fn are_entries(games: &GameList, libraries: &GameList, part: &HeldPart) -> bool {
    let Some(below) = Place::read(&part.selector) else { return false };
    let is_held = |game: &Entry| {
        libraries.entries.iter().any(|library| {
            let at = [library.place.0.as_slice(), &below.0].concat();
            game.place.0.len() == at.len() + 1 && game.place.0.starts_with(&at)
        })
    };
    games.file() == libraries.file() && games.entries.iter().all(is_held)
}

/// The names in an object or a list; `None` of anything else.
fn named_in(part: &Value, id: Option<&str>) -> Option<Vec<String>> {
    let text = |value: &Value| match value {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    };
    match (part, id) {
        (Value::Object(members), None) => Some(members.keys().cloned().collect()),
        (Value::Array(elements), None) => elements.iter().map(text).collect(),
        (Value::Array(elements), Some(id)) => elements.iter().map(|element| text(part_of(element, id)?)).collect(),
        // A block with nothing in it.
        (Value::Null, _) => Some(Vec::new()),
        _ => None,
    }
}

/// Whether a value says something of the games that lie in its library: what names one, how many bytes they have.
fn says_of_games(games: &GameList, roles: &Roles, here: &[&Entry], value: &Value) -> bool {
    // A launcher may know a game by more than one text of its entry; what says nothing of one game alone is none of these.
    // How a game refers to its library says nothing of the game.
    let reference = games.reference.as_ref().map(|reference| &reference.selector);
    let own = |entry: &Entry| -> Vec<String> {
        let scalars = entry.scalars.iter().filter(|(selector, _)| Some(*selector) != reference);
        scalars.map(|(_, text)| text.clone()).chain(roles.id_of(games, entry)).collect()
    };
    let known = here.iter().flat_map(|entry| own(entry));
    let of_one = |text: &String| {
        let says = |entry: &&Entry| entry.scalars.values().any(|other| other == text);
        text.len() > 1 && !text.contains(['/', '\\']) && games.entries.iter().filter(says).count() <= 1
    };
    let folders = here.iter().filter_map(|entry| Some(entry.dir.as_ref()?.file_name()?.to_str()?.to_string()));
    let ids: HashSet<String> = known.filter(of_one).chain(folders).collect();
    let bytes = claims_of(roles, here);
    // Several may stand in one text.
    let in_a_list = |text: &str| {
        let parted = |sign: char| text.contains(sign) && text.split(sign).any(|part| ids.contains(part.trim()));
        let words = text.split_whitespace();
        [',', ';', '|', ':'].into_iter().any(parted)
            || (text.contains(' ') && words.clone().all(|word| ids.contains(word)))
    };
    says_any(value, &|text| ids.contains(text) || in_a_list(text) || (bytes > 0 && text.parse() == Ok(bytes)))
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
