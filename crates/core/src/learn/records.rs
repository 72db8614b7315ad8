//! Records of several games that are one record of their launcher.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::home::{Home, template_of};
use super::list::{Entry, GameList, ListAt, Reference, folder_below};
use super::pairs::{by_names, by_number};
use super::pattern::{Pattern, PatternStep, kinds};
use super::roles::Roles;
use crate::platform::in_template;
use crate::record::scalars_of;
use crate::record::{Bases, Hop, Place, Shape, Side, Source, Spelling, Step, Within};
use crate::site::Site;
use crate::trace::{Find, Sure};

/// What a record of a profile says, wherever it stands.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Said {
    pub selector: String,
    /// Documents within the text: format and selector.
    pub inside: Vec<(String, String)>,
    pub on_key: bool,
    /// As a profile names it; empty of a whole value.
    pub within: String,
    /// The template of the folder that it is relative to; empty of none.
    pub relative: String,
    pub meaning: String,
}

/// A record of a file: the file, its format, and what it says.
pub(super) type RecordOfFile = (String, String, Said);

/// The records of a launcher.
#[derive(Clone, Debug, Default)]
pub(super) struct LearnedRecords {
    /// In the entry of a game.
    pub entry: BTreeSet<Said>,
    /// In other files: template, shape.
    pub file: BTreeSet<(String, String, Said)>,
}

impl LearnedRecords {
    /// Files that are named, the list not among them.
    pub fn files(&self) -> usize {
        self.file.iter().map(|(file, ..)| file).collect::<BTreeSet<_>>().len()
    }
}

/// A find of one game, with what is the same for all games.
struct Met<'a> {
    game: usize,
    find: &'a Find,
    /// Its file: the path itself, or a template that is the same for each game.
    file: String,
    /// From the entry, or from the root of the file.
    place: Vec<Step>,
    /// Documents within the text there.
    inside: &'a [Hop],
    in_entry: bool,
}

/// Finds of one kind: only these can be one record.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Sort {
    in_entry: bool,
    file: String,
    shape: String,
    inside: Vec<(String, Vec<bool>)>,
    on_key: bool,
    within: String,
    relative: String,
    meaning: String,
    kinds: Vec<bool>,
}

/// The record that says a game's library by what games refer to it by.
pub(super) fn reference(reference: &Reference) -> Said {
    Said {
        selector: reference.selector.clone(),
        inside: Vec::new(),
        on_key: false,
        within: String::new(),
        relative: String::new(),
        meaning: "{library-id}".into(),
    }
}

/// A way down from the folder right above a game, as one from the library in which that lies at the top.
pub(super) fn from_the_library(said: Said) -> Said {
    if said.relative == "{parent}" { Said { relative: "{library}".into(), ..said } } else { said }
}

/// The records of a list whose entries say the way from a folder above down to that of each game: that way, and the folder above where an
/// entry says it.
pub(super) fn below(list: &GameList, bases: &Bases) -> Vec<Said> {
    let said = |selector: String, relative: &str, meaning: &str| Said {
        selector,
        inside: Vec::new(),
        on_key: false,
        within: String::new(),
        relative: relative.into(),
        meaning: meaning.into(),
    };
    let way = said(list.to_path.selector(), "{library}", "{install}");
    if list.is_known_by_library() {
        return vec![way];
    }
    let own = list.to_path.first();
    let leads = |entry: &Entry, selector: &String| {
        let (way, dir) = (entry.scalars.get(&own)?, entry.dir.as_ref()?);
        let (_, above) = Spelling::read(entry.scalars.get(selector)?, bases).ok()?;
        Some(folder_below(&above, way, bases)? == *dir)
    };
    let here = || list.entries.iter().filter(|entry| entry.dir.is_some());
    let columns: BTreeSet<&String> = here().flat_map(|entry| entry.scalars.keys()).collect();
    let is_above = |selector: &&&String| here().all(|entry| leads(entry, selector) == Some(true));
    let above = columns.iter().filter(is_above).map(|selector| said((*selector).clone(), "", "{library}"));
    above.chain([way]).collect()
}

/// The records that the finds of some games show.
pub(super) fn of(
    site: &Site,
    list: &GameList,
    home: &Home,
    roles: &Roles,
    finds: &[(PathBuf, Vec<Find>)],
) -> LearnedRecords {
    let mut met: Vec<Met<'_>> = Vec::new();
    let shared = shared_files(finds);
    for (game, (dir, all)) in finds.iter().enumerate() {
        let Some(entry) = list.entries.iter().find(|entry| entry.dir.as_deref() == Some(dir)) else { continue };
        let id = roles.id_of(list, entry).unwrap_or_default();
        for find in all.iter().filter(|find| counts(find, list, entry)) {
            let (place, inside) = opened(find, list, entry);
            let in_entry = find.record.file == entry.file && place.0.starts_with(&entry.place.0);
            let file = if in_entry { String::new() } else { file_of(site, home, find, dir, &id, &shared) };
            let place = if in_entry { place.0[entry.place.0.len()..].to_vec() } else { place.0 };
            met.push(Met { game, find, file, place, inside, in_entry });
        }
    }
    let mut sorts: BTreeMap<Sort, Vec<&Met<'_>>> = BTreeMap::new();
    for one in &met {
        sorts.entry(sort_of(one)).or_default().push(one);
    }
    let mut records = LearnedRecords::default();
    for (sort, all) in &sorts {
        for alike in parts(all) {
            let values: Vec<(Value, Vec<Step>)> = alike
                .iter()
                .filter_map(|met| Some((value_around(list, &finds[met.game].0, met)?, met.place.clone())))
                .collect();
            let said = said(sort, &alike, &values);
            if sort.in_entry {
                records.entry.insert(said);
            } else if let Some(selector) = bound((list, roles), finds, sort, &alike, &values) {
                records.file.insert((sort.file.clone(), sort.shape.clone(), Said { selector, ..said }));
            }
        }
    }
    records
}

/// What holds a find that stands in one of several elements: the entry of its game, or all of its file.
fn value_around(list: &GameList, dir: &Path, met: &Met<'_>) -> Option<Value> {
    let numbered = met.place.iter().any(|step| matches!(step, Step::Index(_)));
    let record = &met.find.record;
    let source = numbered.then(|| Source::read(&record.file, record.shape).ok()).flatten()?;
    let entry = list.entries.iter().find(|entry| entry.dir.as_deref() == Some(dir)).filter(|_| met.in_entry);
    source.value_at(&entry.map(|entry| entry.place.clone()).unwrap_or_default()).map(Cow::into_owned)
}

/// Where a find stands, and the documents within the text there. The way goes on in such a document where its game's entry lies in it, or is
/// a row of a database.
fn opened<'a>(find: &'a Find, list: &GameList, entry: &Entry) -> (Place, &'a [Hop]) {
    let record = &find.record;
    let (outer, mut inside) = (Place::read(&record.location).unwrap_or_default(), record.inside.as_slice());
    let mut place = outer.clone();
    let lies_deeper = |place: &Place| !place.0.starts_with(&entry.place.0) || list.shape == Shape::Sqlite;
    while let Some((first, rest)) = inside.split_first().filter(|_| record.file == entry.file && lies_deeper(&place)) {
        place.0.extend(Place::read(&first.location).unwrap_or_default().0);
        inside = rest;
    }
    if inside.len() < record.inside.len() && place.0.starts_with(&entry.place.0) {
        (place, inside)
    } else {
        (outer, &record.inside)
    }
}

/// Whether a find is a record: what leads there. Of names only that in an entry which says its folder by name: any other may be a title
/// that happens to be the same, and a move keeps the name.
fn counts(find: &Find, list: &GameList, entry: &Entry) -> bool {
    let record = &find.record;
    // Entries of menus are looked after for every launcher.
    if record.shape.to_string() == "desktop" {
        return false;
    }
    if record.meaning.is("folder") {
        let place = Place::read(&record.location).unwrap_or_default();
        let rest = (record.file == entry.file).then(|| place.0.strip_prefix(entry.place.0.as_slice())).flatten();
        return list.by_name && record.side == list.side && rest.is_some_and(|rest| list.to_path.fits(rest));
    }
    matches!(find.sure, Sure::Certain | Sure::Likely)
}

/// Files in which more than one game was found.
fn shared_files(finds: &[(PathBuf, Vec<Find>)]) -> BTreeSet<&Path> {
    let mut of: BTreeMap<&Path, BTreeSet<&Path>> = BTreeMap::new();
    for (dir, all) in finds {
        for find in all {
            of.entry(&find.record.file).or_default().insert(dir);
        }
    }
    of.into_iter().filter(|(_, dirs)| dirs.len() > 1).map(|(file, _)| file).collect()
}

/// The file of a find as a template.
fn file_of(site: &Site, home: &Home, find: &Find, dir: &Path, id: &str, shared: &BTreeSet<&Path>) -> String {
    let file = &find.record.file;
    if let Ok(rest) = file.strip_prefix(dir) {
        return format!("{{install}}/{}", in_template(rest));
    }
    let text = match file.strip_prefix(&home.path) {
        Ok(rest) if rest.as_os_str().is_empty() => "{home}".into(),
        Ok(rest) => format!("{{home}}/{}", in_template(rest)),
        Err(_) => template_of(site, file),
    };
    if shared.contains(file.as_path()) {
        return text;
    }
    let folder = dir.file_name().unwrap_or_default().to_string_lossy();
    let (above, name) = text.rsplit_once('/').unwrap_or(("", &text));
    for (value, word) in [(id, "{id}"), (folder.as_ref(), "{folder}")] {
        if let Some(at) = stands_alone(name, value) {
            return format!("{above}/{}{word}{}", &name[..at], &name[at + value.len()..]);
        }
    }
    text
}

/// Where a value stands in a name and is no part of another word.
pub(super) fn stands_alone(name: &str, value: &str) -> Option<usize> {
    if value.is_empty() {
        return None;
    }
    let edge = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric());
    let alone = |at: &usize| edge(name[..*at].chars().next_back()) && edge(name[*at + value.len()..].chars().next());
    name.match_indices(value).map(|(at, _)| at).find(alone)
}

fn sort_of(met: &Met<'_>) -> Sort {
    let record = &met.find.record;
    let inside = met.inside.iter().map(|hop| {
        let place = Place::read(&hop.location).unwrap_or_default();
        (Shape::Text(hop.format).to_string(), kinds(&place.0))
    });
    let within = if record.within == Within::Value {
        String::new()
    } else {
        serde_json::to_value(record.within).ok().and_then(|v| v.as_str().map(str::to_string)).unwrap_or_default()
    };
    Sort {
        in_entry: met.in_entry,
        file: met.file.clone(),
        shape: record.shape.to_string(),
        inside: inside.collect(),
        on_key: record.side == Side::Key,
        within,
        relative: record.relative_to.as_ref().map(ToString::to_string).unwrap_or_default(),
        meaning: record.meaning.to_string(),
        kinds: kinds(&met.place),
    }
}

/// Names of a place, where numbers are all alike; those of documents within it as well.
fn names_of(met: &Met<'_>) -> Vec<Option<String>> {
    let inner = met.inside.iter().flat_map(|hop| Place::read(&hop.location).unwrap_or_default().0);
    let name = |step: Step| match step {
        Step::Name(name) => Some(name),
        Step::Index(_) => None,
    };
    met.place.iter().cloned().chain(inner).map(name).collect()
}

/// Finds that are one record: at the very same place of several games; else those that differ in names before the last; else in the last.
fn parts<'a>(all: &[&'a Met<'a>]) -> Vec<Vec<&'a Met<'a>>> {
    let games = |some: &[&Met<'_>]| some.iter().map(|met| met.game).collect::<BTreeSet<_>>().len();
    let (mut done, mut rest): (Vec<Vec<&Met<'_>>>, Vec<&Met<'_>>) = (Vec::new(), Vec::new());
    let mut same: BTreeMap<Vec<Option<String>>, Vec<&Met<'_>>> = BTreeMap::new();
    for met in all {
        same.entry(names_of(met)).or_default().push(met);
    }
    for (_, some) in same {
        if games(&some) > 1 { done.push(some) } else { rest.extend(some) }
    }
    let mut by_last: BTreeMap<Option<String>, Vec<&Met<'_>>> = BTreeMap::new();
    for met in rest {
        by_last.entry(names_of(met).pop().flatten()).or_default().push(met);
    }
    let mut lone: BTreeMap<Vec<Option<String>>, Vec<&Met<'_>>> = BTreeMap::new();
    for (_, some) in by_last {
        if games(&some) > 1 {
            done.push(some);
            continue;
        }
        for met in some {
            let mut above = names_of(met);
            above.pop();
            lone.entry(above).or_default().push(met);
        }
    }
    for (_, some) in lone {
        if games(&some) > 1 { done.push(some) } else { done.extend(some.into_iter().map(|met| vec![met])) }
    }
    done
}

fn said(sort: &Sort, alike: &[&Met<'_>], values: &[(Value, Vec<Step>)]) -> Said {
    let places: Vec<&[Step]> = alike.iter().map(|met| met.place.as_slice()).collect();
    let hop = |n: usize| {
        let places: Vec<Place> = alike.iter().filter_map(|met| Place::read(&met.inside[n].location)).collect();
        let steps: Vec<&[Step]> = places.iter().map(|place| place.0.as_slice()).collect();
        (sort.inside[n].0.clone(), plain(Pattern::of(&steps)).selector())
    };
    Said {
        selector: {
            let mut pattern = pattern_of(&places, values);
            if sort.in_entry {
                by_number(&mut pattern, &places);
            }
            pattern.selector()
        },
        inside: (0..sort.inside.len()).map(hop).collect(),
        on_key: sort.on_key,
        within: sort.within.clone(),
        relative: sort.relative.clone(),
        meaning: sort.meaning.clone(),
    }
}

/// What the places of several games have in common; `values` is what holds each of them.
fn pattern_of(places: &[&[Step]], values: &[(Value, Vec<Step>)]) -> Pattern {
    let mut pattern = plain(Pattern::of(places));
    if values.len() == places.len() {
        let lists_at = |game: usize, place: &Place, _| place.of(&values[game].0).cloned();
        by_names(&mut pattern, &values.iter().map(|(_, steps)| steps.as_slice()).collect::<Vec<_>>(), &lists_at);
    }
    pattern
}

/// The selector of a record in another file. What leads into a game's folder is told by that; the folder above is that of other games as
/// well, and has to stand with this game's id; `None` if it does not.
fn bound(
    (list, roles): (&GameList, &Roles),
    finds: &[(PathBuf, Vec<Find>)],
    sort: &Sort,
    alike: &[&Met<'_>],
    values: &[(Value, Vec<Step>)],
) -> Option<String> {
    let places: Vec<&[Step]> = alike.iter().map(|met| met.place.as_slice()).collect();
    let pattern = pattern_of(&places, values);
    if sort.meaning.starts_with("{install}") || sort.file.contains("{id}") || sort.file.contains("{folder}") {
        return Some(pattern.selector());
    }
    let ids: Vec<String> = alike.iter().filter_map(|met| id_of(list, roles, &finds[met.game].0)).collect();
    if ids.len() < alike.len() {
        return None;
    }
    let mut out = String::from("$");
    let mut is_bound = false;
    for (at, step) in pattern.0.iter().enumerate() {
        let keyed = alike.iter().zip(&ids).all(|(met, id)| matches!(&met.place[at], Step::Name(name) if name == id));
        match step {
            PatternStep::Any if keyed => {
                is_bound = true;
                out.push_str("['{id}']");
            }
            PatternStep::Any if !is_bound => {
                // Beside it stands the id, as a text or as a number.
                let says = |met: &&Met<'_>| {
                    let source = Source::read(&met.find.record.file, met.find.record.shape).ok()?;
                    let value = source.value_at(&Place(met.place[..=at].to_vec()))?.into_owned();
                    let id = id_of(list, roles, &finds[met.game].0)?;
                    let same = scalars_of(&value).into_iter().filter(|(_, text)| *text == id).map(|(key, _)| key);
                    let number = |key: &str| {
                        let place = Place::read(key).unwrap_or_default();
                        place.of(&value).is_some_and(serde_json::Value::is_number)
                    };
                    Some(same.map(|key| (key.clone(), number(&key))).collect::<BTreeSet<_>>())
                };
                let mut all = alike.iter().map(says);
                let first = all.next()??;
                let same = all.try_fold(first, |same, next| Some(same.intersection(&next?).cloned().collect()))?;
                let key = same.into_iter().find(|(key, _)| !key.contains(['{', '}', '*']));
                match key {
                    Some((key, number)) => {
                        is_bound = true;
                        let id = if number { "{id}" } else { "'{id}'" };
                        out.push_str(&format!("[?@{} == {id}]", &key[1..]));
                    }
                    None => out.push_str("[*]"),
                }
            }
            PatternStep::Any => out.push_str("[*]"),
            PatternStep::Where(filter) => out.push_str(filter),
            PatternStep::Nth(nth) => out.push_str(&format!("[{nth}]")),
            PatternStep::Name(name) => out.push_str(&crate::record::step_text(&Step::Name(name.clone()))),
        }
    }
    is_bound.then_some(out)
}

fn id_of(list: &GameList, roles: &Roles, dir: &Path) -> Option<String> {
    let entry = list.entries.iter().find(|entry| entry.dir.as_deref() == Some(dir))?;
    roles.id_of(list, entry)
}

/// Braces in a selector stand for what differs between games: a name with one is looked for as any.
fn plain(mut pattern: Pattern) -> Pattern {
    for step in &mut pattern.0 {
        if matches!(step, PatternStep::Name(name) if name.contains(['{', '}'])) {
            *step = PatternStep::Any;
        }
    }
    pattern
}

/// The template of the file of the list itself.
pub(super) fn list_file(home: &Home, list: &GameList) -> String {
    let (folder, name) = match &list.at {
        ListAt::InLibraries { below, name, .. } => {
            let below = in_template(below);
            return match name {
                Some((before, after)) if below.is_empty() => format!("{{library}}/{before}{{id}}{after}"),
                Some((before, after)) => format!("{{library}}/{below}/{before}{{id}}{after}"),
                None => format!("{{library}}/{below}"),
            };
        }
        // A key of a registry is its launcher's home and the file in it.
        ListAt::One(file) if *file == home.path => return "{home}".into(),
        ListAt::One(file) => {
            let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
            (file.parent().unwrap_or(Path::new("/")), name)
        }
        ListAt::Each { folder, before, after } => (folder.as_path(), format!("{before}{{id}}{after}")),
    };
    let below = folder.strip_prefix(&home.path).unwrap_or(Path::new(""));
    let below = in_template(below);
    if below.is_empty() { format!("{{home}}/{name}") } else { format!("{{home}}/{below}/{name}") }
}
