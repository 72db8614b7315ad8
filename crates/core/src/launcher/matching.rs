//! Matching: what a profile says of a record, against what a file says.
//!
//! Law: reading and writing use the one meaning and the one spelling; what does not match is told as it
//! stands and is never rewritten.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::rc::Rc;

use serde::Serialize;

use super::profile::{EntryRecord, FileRecord, Inside};
use crate::platform::Look;
use crate::record::{
    Bases, Document, Format, Hop, Meaning, PartFit, Place, Shape, Side, Source, Spelling, Values, Within, find_parts,
    joined,
};
use crate::site::real_path;

/// A place in a file that holds a game's path or a part of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Record {
    /// The file.
    pub file: PathBuf,
    /// What the file is.
    #[serde(rename = "as")]
    pub shape: Shape,
    /// Normalized JSONPath: from the file's root, or from the entry where `in_entry`.
    pub location: String,
    /// Documents within the text there.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub inside: Vec<Hop>,
    /// Of one in an entry that itself lies in a document within a text: where that text stands, from the file's root, and the way on in it.
    #[serde(skip)]
    pub through: Option<(Place, Vec<Hop>)>,
    /// Key or value.
    pub side: Side,
    /// What of the text is the path.
    #[serde(skip_serializing_if = "Within::is_value")]
    pub within: Within,
    /// What it says; of a part, just as it is written, quotes included.
    pub text: String,
    /// What it stands for.
    pub meaning: Meaning,
    /// How a path is spelled, in words; empty of what is no path.
    pub spelling: String,
    /// Whether it says what its meaning and the game's place want.
    pub sound: bool,
    /// Whether it stands in the game's entry and goes with it.
    pub in_entry: bool,
    /// What the meaning captured beside the place: the tail below the install folder.
    pub tail: Option<String>,
    /// The folder that it is relative to, as a template; `file` is the folder of its own file.
    #[serde(skip)]
    pub relative_to: Option<Meaning>,
    /// The whole text and where the part begins in it, of a part in a sentence.
    #[serde(skip)]
    pub whole: Option<(String, usize)>,
    /// How the whole text is written in its file.
    #[serde(skip)]
    pub written: Option<String>,
    /// Which record of its profile it is, from 0.
    #[serde(skip)]
    pub said_by: usize,
}

impl Record {
    /// Whether it says the way down from a folder above the game.
    pub(crate) fn is_a_way_down(&self) -> bool {
        self.relative_to.as_ref().is_some_and(|above| above.names("library") || above.names("parent"))
    }
}

/// A path as text, for templates.
pub(crate) fn canonical(path: &Path) -> Result<String, String> {
    path.to_str().map(str::to_string).ok_or_else(|| format!("{} is not text", path.display()))
}

/// The bases for a record, with the folder that it is relative to.
pub(crate) fn base_of(bases: &Bases, relative_to: Option<&Meaning>, file: &Path, values: &Values) -> Bases {
    base_in(&bases.seen_from(file), relative_to, file, values)
}

/// The same of bases that are a file's already.
pub(crate) fn base_in(bases: &Bases, relative_to: Option<&Meaning>, file: &Path, values: &Values) -> Bases {
    let Some(template) = relative_to else { return bases.clone() };
    if template.is_file() {
        return bases.relative_to(file.parent().unwrap_or(Path::new("/")));
    }
    match template.fill(values) {
        Ok(folder) => bases.relative_to(Path::new(&folder)),
        Err(_) => bases.clone(),
    }
}

/// One file in which records of one game are looked for.
pub(crate) struct SelectorSearch<'a> {
    pub bases: &'a Bases,
    pub values: &'a Values,
    pub file: &'a Path,
    pub shape: Shape,
    /// The game's entry, for records in it.
    pub entry: Option<&'a Place>,
}

/// What selectors find that do not ask for one game, by file, record and selector.
#[derive(Debug, Default)]
pub(crate) struct Listings(HashMap<(PathBuf, usize, String), Rc<ListIndex>>);

/// What a selector finds in a file.
#[derive(Debug)]
struct ListIndex {
    places: Vec<Place>,
    /// Those of paths that go through a folder of this name.
    by_name: Option<HashMap<String, Vec<usize>>>,
}

impl ListIndex {
    /// The places that may be records of a game.
    fn of<'a>(&'a self, values: &Values) -> Vec<&'a Place> {
        let name = values.of("install").and_then(|install| Path::new(install).file_name()?.to_str());
        match (&self.by_name, name) {
            (Some(by_name), Some(name)) => {
                let all = by_name.get(&name.to_lowercase()).map(Vec::as_slice).unwrap_or_default();
                all.iter().map(|n| &self.places[*n]).collect()
            }
            _ => self.places.iter().collect(),
        }
    }
}

/// What a profile says of a record, whether in the entry or in another file.
struct Said<'a> {
    inside: &'a [Inside],
    on: Side,
    within: Within,
    relative_to: Option<&'a Meaning>,
    meaning: &'a Meaning,
    nth: usize,
}

/// What a record of an entry or of a file is to say: both kinds have the same fields.
macro_rules! said_by {
    ($record:ident, $nth:ident) => {
        Said {
            inside: &$record.inside,
            on: $record.on,
            within: $record.within,
            relative_to: $record.relative_to.as_ref(),
            meaning: &$record.meaning,
            nth: $nth,
        }
    };
}

/// A text that was found, with the way to it.
struct Says {
    location: String,
    inside: Vec<Hop>,
    through: Option<(Place, Vec<Hop>)>,
    text: String,
    written: Option<String>,
    format: Option<Format>,
}

/// Of several places that a selector finds, those that point to the game; all of them where none does.
fn of_several(mut records: Vec<Record>) -> Vec<Record> {
    if records.iter().any(|record| record.sound) {
        records.retain(|record| record.sound);
    }
    records
}

impl SelectorSearch<'_> {
    pub(crate) fn entry_record(
        &self,
        source: &Source,
        record: &EntryRecord,
        nth: usize,
    ) -> Result<Vec<Record>, String> {
        let entry = self.entry.cloned().unwrap_or_default();
        let said = said_by!(record, nth);
        let mut records = Vec::new();
        for found in source.find(&joined(&entry, &record.selector)).map_err(|e| e.to_string())? {
            for says in self.says(source, &found, &entry, &said)? {
                records.extend(self.records(says, &said));
            }
        }
        Ok(of_several(records))
    }

    /// What a record of a profile finds in this file. A selector that does not ask for one game is followed once, where `listings`
    /// keep what it finds.
    pub(crate) fn file_record(
        &self,
        source: &Source,
        record: &FileRecord,
        nth: usize,
        listings: Option<&mut Listings>,
    ) -> Result<Vec<Record>, String> {
        let said = said_by!(record, nth);
        let selector = record.selector.fill_quoted(self.values).map_err(|e| e.to_string())?;
        // A selector or file that does not ask for the game finds other games' records as well.
        let asks = |name: &str| record.selector.names(name) || record.file.names(name);
        let asks = asks("id") || asks("folder") || asks("install");
        let find = || source.find(&selector).map_err(|e| e.to_string());
        let listing = match listings.filter(|_| !asks) {
            None => Rc::new(ListIndex { places: find()?, by_name: None }),
            Some(listings) => {
                let key = (self.file.to_path_buf(), nth, selector.clone());
                if let Some(known) = listings.0.get(&key) {
                    Rc::clone(known)
                } else {
                    let places = find()?;
                    let by_name = self.by_name(source, &places, &said);
                    let listing = Rc::new(ListIndex { places, by_name });
                    listings.0.insert(key, Rc::clone(&listing));
                    listing
                }
            }
        };
        let mut records = Vec::new();
        for found in listing.of(self.values) {
            for says in self.says(source, found, &Place::default(), &said)? {
                records.extend(self.records(says, &said).into_iter().filter(|record| record.sound || asks));
            }
        }
        Ok(of_several(records))
    }

    /// Places of paths by the names of the folders that they go through, in small letters; `None` where what they lead to is not told
    /// by a folder's name, or not the same for every game.
    fn by_name(&self, source: &Source, places: &[Place], said: &Said<'_>) -> Option<HashMap<String, Vec<usize>>> {
        let same = said.relative_to.is_none_or(Meaning::is_file);
        if said.meaning.base() != Some("install") || !said.inside.is_empty() || !said.within.is_value() || !same {
            return None;
        }
        let bases = base_of(self.bases, said.relative_to, self.file, self.values);
        let mut by_name: HashMap<String, Vec<usize>> = HashMap::new();
        for (n, place) in places.iter().enumerate() {
            let text = source.leaf(place, said.on);
            let Some(Ok((_, path))) = text.map(|text| Spelling::read(&text, &bases)) else { continue };
            for name in path.components() {
                let all = by_name.entry(name.as_os_str().to_string_lossy().to_lowercase()).or_default();
                if all.last() != Some(&n) {
                    all.push(n);
                }
            }
        }
        Some(by_name)
    }

    /// The texts at a place, through the documents within it; their locations start at `entry`.
    fn says(&self, source: &Source, at: &Place, entry: &Place, said: &Said<'_>) -> Result<Vec<Says>, String> {
        let side = if said.inside.is_empty() { said.on } else { Side::Value };
        let Some(text) = source.leaf(at, side) else { return Ok(Vec::new()) };
        let written = source.written(at, side).map(str::to_string);
        let below = |place: &Place| Place(place.0[entry.0.len()..].to_vec()).to_string();
        let (location, hops, through) = match source.split(at) {
            None => (below(at), Vec::new(), None),
            Some((outer, hops)) if outer.0.starts_with(&entry.0) => (below(&outer), hops, None),
            through => (below(at), Vec::new(), through),
        };
        let format = hops.last().or(through.as_ref().and_then(|(_, hops)| hops.last())).map(|hop| hop.format);
        let format = format.or(self.shape.format());
        let mut all = vec![Says { location, inside: hops, through, text, written, format }];
        for (n, inner) in said.inside.iter().enumerate() {
            let side = if n + 1 == said.inside.len() { said.on } else { Side::Value };
            let selector = inner.selector.fill_quoted(self.values).map_err(|e| e.to_string())?;
            let mut next = Vec::new();
            for says in all {
                // A text that is no such document holds no record.
                let Ok(document) = Document::parse(says.text.into_bytes(), inner.format) else { continue };
                for place in document.find(&selector).map_err(|e| e.to_string())? {
                    let Some(text) = document.leaf(&place, side) else { continue };
                    let hop = Hop { format: inner.format, location: place.to_string() };
                    next.push(Says {
                        location: says.location.clone(),
                        through: says.through.clone(),
                        inside: says.inside.iter().cloned().chain([hop]).collect(),
                        text,
                        written: document.written(&place, side).map(str::to_string),
                        format: Some(inner.format),
                    });
                }
            }
            all = next;
        }
        Ok(all)
    }

    fn records(&self, says: Says, said: &Said<'_>) -> Vec<Record> {
        let record = |text: String, spelling: String, read: Option<Values>, whole| Record {
            file: self.file.into(),
            shape: self.shape,
            location: says.location.clone(),
            inside: says.inside.clone(),
            through: says.through.clone(),
            side: said.on,
            within: said.within,
            text,
            meaning: said.meaning.clone(),
            spelling,
            sound: read.is_some(),
            in_entry: self.entry.is_some(),
            tail: read.and_then(|values| values.of("tail").map(str::to_string)),
            relative_to: said.relative_to.cloned(),
            whole,
            written: says.written.clone(),
            said_by: said.nth,
        };
        if said.meaning.base().is_none() {
            let read = said.meaning.read(&says.text, self.values);
            let alike = || {
                let wanted = said.meaning.fill(self.values).ok()?;
                let same = self.bases.case_blind && wanted.to_lowercase() == says.text.to_lowercase();
                same.then(|| self.values.clone())
            };
            return vec![record(says.text.clone(), String::new(), read.or_else(alike), None)];
        }
        let bases = base_of(self.bases, said.relative_to, self.file, self.values);
        let read = |text: &str| self.read_path(said, &bases, text);
        if said.within.is_value() {
            return match read(&says.text) {
                Some((spelling, _, values)) => vec![record(says.text.clone(), spelling.describe(), values, None)],
                None => vec![record(says.text.clone(), String::new(), None, None)],
            };
        }
        let fit = |text: &str| match read(text) {
            Some((_, path, Some(_))) => PartFit::of_wanted(&path),
            Some((_, path, None)) if path.look_exists() => PartFit::Other,
            _ => PartFit::No,
        };
        let parts = find_parts(&says.text, said.within, says.format, &fit);
        let found = parts.iter().filter_map(|part| {
            let (spelling, _, values) = read(&part.text)?;
            let whole = (said.within == Within::Text).then(|| (says.text.clone(), part.range.start));
            Some(record(says.text[part.range.clone()].to_string(), spelling.describe(), values, whole))
        });
        let found: Vec<Record> = found.collect();
        // One that should be there and is not is unsound, and says so.
        if found.is_empty() { vec![record(says.text.clone(), String::new(), None, None)] } else { found }
    }

    /// Reads a text as a path, with what the names in the meaning stand for where it leads to this game.
    fn read_path(&self, said: &Said<'_>, bases: &Bases, text: &str) -> Option<(Spelling, PathBuf, Option<Values>)> {
        // One of both may lead through a link.
        let real = || {
            let names = ["install", "parent", "library"].into_iter();
            names.fold(self.values.clone(), |values, name| {
                match values.of(name).map(|path| real_path(Path::new(path))) {
                    Some(path) => values.with(name, path.to_string_lossy()),
                    None => values,
                }
            })
        };
        let (spelling, path) = Spelling::read(text, bases).ok()?;
        let values = path.to_str().and_then(|path| said.meaning.read(path, self.values));
        let values = values.or_else(|| {
            // Most paths lead to other games: only one that names this one's folder is followed.
            let name = Path::new(self.values.of("install")?).file_name()?;
            let named = path.components().any(|part| part.as_os_str() == name);
            named.then(|| said.meaning.read(real_path(&path).to_str()?, &real())).flatten()
        });
        Some((spelling, path, values))
    }
}
