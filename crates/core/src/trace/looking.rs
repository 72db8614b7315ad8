//! Looking into one file that holds the needle: which of its leaves lead to the path, and how.

mod hits;

use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use super::find::{Find, Sure, problem};
use super::formats::{is_binary, is_packed, is_strict, shapes, shapes_tried, start_of};
use super::left::{has_controls, history_of, is_chained, is_counted};
use super::needle::{NameInPages, Needle, PathEnd, WholeName, said_in_base64};
use super::seals::{Checksums, seals};
use crate::launcher::{Problem, Record};
use crate::platform::{self, Look};
use crate::record::{
    Bases, Encoding, Format, Hop, Letters, Meaning, Place, Shape, Side, Source, Spelling, Step, Within, leads_out,
};
use crate::site::{Site, real_path};

pub(crate) struct Looking<'a> {
    pub site: &'a Site,
    pub wanted: &'a Path,
    pub real: PathBuf,
    /// Where what lay at the path lies now, if it lies elsewhere.
    pub now: Option<&'a Path>,
    pub name: &'a str,
    pub needle: &'a Needle,
    pub checksums: &'a Checksums,
    pub layers: &'a [Letters],
    /// The folders that are searched.
    pub places: &'a [PathBuf],
}

/// One text that was found to lead to the path.
pub(super) struct Hit {
    pub inside: Vec<Hop>,
    pub side: Side,
    pub within: Within,
    pub text: String,
    pub whole: Option<(String, usize)>,
    pub written: Option<String>,
    pub meaning: Means,
    pub spelling: String,
    pub sure: Sure,
}

/// What a text stands for.
pub(super) enum Means {
    Install,
    Below(String),
    Folder,
    Parent,
    /// A folder so many steps above, from which a text beside it says the way down.
    Above(usize),
    /// The way down to it, and on below it, from a folder so many steps above.
    Way {
        up: usize,
        below: String,
    },
}

/// Steps above the path from which a text may say the way down to it.
const HIGHEST: usize = 4;

/// Bytes of the longest text that may be such a way.
const LONGEST_WAY: usize = 4096;

/// Bytes of the largest text in which a trace looks for records; one that is larger is named.
const LARGEST: u64 = 64_000_000;

/// Bytes from which on a text is read while no other large one is.
const LARGE: u64 = 2_000_000;

static LARGE_ONES: Mutex<()> = Mutex::new(());

fn meaning(text: &str) -> Meaning {
    Meaning::try_from(text.to_string()).unwrap_or_default()
}

impl Looking<'_> {
    /// The finds of a file, and why it could not be read.
    pub(crate) fn file(&self, file: &Path) -> (Vec<Find>, Vec<Problem>) {
        let file = &database_of(file);
        // Neither a pack nor a text as large as one is read whole for a name that stands in it.
        let is_text = !is_binary(file);
        let size = file.look_meta().map_or(0, |meta| meta.size);
        let (shapes, tried) = shapes_tried(file);
        let database = shapes.first() == Some(&Shape::Sqlite);
        let packed = shapes.first().is_some_and(|shape| is_packed(*shape));
        if !database && !packed && (!is_text || size > LARGEST) {
            return self.whole_name_in(file);
        }
        // Of large ones there is one at a time in memory.
        let _alone = (size > LARGE).then(|| LARGE_ONES.lock().unwrap_or_else(PoisonError::into_inner));
        let mut history = None;
        if packed {
            history = history_of(file, self.places, "");
        } else if !database {
            let bytes = platform::read(file).unwrap_or_default();
            if let Some(finds) = self.in_binary(file, &bytes) {
                return (finds, Vec::new());
            }
            history = history_of(file, self.places, &String::from_utf8_lossy(&bytes[..bytes.len().min(16_384)]));
        }
        let bases = self.bases_for(file);
        let mut first_fault = None;
        let mut understood = false;
        for shape in shapes {
            // All that a file says was looked at, in the spelling of its format: its lines say no more, and say it wrongly.
            if understood && matches!(shape, Shape::Text(Format::Lines | Format::Ini)) {
                break;
            }
            let source = match Source::read(file, shape) {
                Ok(source) => source,
                // What it only might have been is no fault of the file.
                Err(_) if tried == Some(shape) => continue,
                Err(error) => {
                    first_fault.get_or_insert(error.in_its_file());
                    continue;
                }
            };
            understood |= is_strict(shape);
            let finds = if packed {
                self.in_pack(file, shape, &source, &bases)
            } else {
                self.source(file, shape, &source, &bases)
            };
            if !finds.is_empty() {
                return (self.with_history(file, &source, finds, history), Vec::new());
            }
        }
        // What it might have been, and was not, is no fault of a file that reads as something else.
        match first_fault.filter(|_| !understood) {
            // Not understood: the name stands there as in a path, in a spelling that nobody reads here.
            _ if !database && self.stands_in_a_path(file) => (vec![self.unreadable(file)], Vec::new()),
            // The name stood in a comment or in something else than a path.
            None => (Vec::new(), Vec::new()),
            Some(_) if !is_text => (vec![self.unreadable(file)], Vec::new()),
            Some((line, what)) => (Vec::new(), vec![Problem { file: file.clone(), line, what }]),
        }
    }

    /// Of a file that is no text after all: whether the name stands in it.
    fn in_binary(&self, file: &Path, bytes: &[u8]) -> Option<Vec<Find>> {
        let name = self.name.as_bytes();
        if is_counted(bytes, name) || is_chained(bytes, name) {
            return Some(vec![self.unreadable(file)]);
        }
        let stands = || WholeName::new(self.name).is_in(bytes);
        has_controls(bytes).then(|| if stands() { vec![self.unreadable(file)] } else { Vec::new() })
    }

    /// What a packed file says, with what in it cannot be rewritten.
    fn in_pack(&self, file: &Path, shape: Shape, source: &Source, bases: &Bases) -> Vec<Find> {
        let mut finds = self.source(file, shape, source, bases);
        if self.is_said_elsewhere(source, finds.is_empty()) {
            finds.push(self.unreadable(file));
        }
        if self.keeps_a_checksum(source) {
            finds.push(Find { sure: Sure::Checksum, ..self.unreadable(file) });
        }
        finds
    }

    /// Of a file that is not read as anything: whether the name stands in it as a name.
    fn whole_name_in(&self, file: &Path) -> (Vec<Find>, Vec<Problem>) {
        match WholeName::new(self.name).is_in_file(file) {
            Ok(true) => (vec![self.unreadable(file)], Vec::new()),
            // A part of the name, or another word that holds it.
            Ok(false) => (Vec::new(), Vec::new()),
            Err(error) => (Vec::new(), vec![problem(file, &error)]),
        }
    }

    /// Finds of a log, a backup or the like are that, and what a checksum seals is said.
    fn with_history(&self, file: &Path, source: &Source, mut finds: Vec<Find>, history: Option<Sure>) -> Vec<Find> {
        // What says the name alone is left in any case.
        let leads = |find: &&mut Find| find.sure != Sure::NameOnly;
        finds.iter_mut().filter(leads).for_each(|find| find.sure = history.unwrap_or(find.sure));
        let sealed = self.sealed(file, source, &finds);
        finds.extend(sealed);
        finds
    }

    fn bases_for(&self, file: &Path) -> Bases {
        bases_near(self.site, file, self.layers)
    }

    fn source(&self, file: &Path, shape: Shape, source: &Source, bases: &Bases) -> Vec<Find> {
        let mut finds = Vec::new();
        // Places of texts that lead to the folder or are its name: the folder above it may be written beside them.
        let mut led: Vec<(Place, usize)> = Vec::new();
        let end = PathEnd::new(self.wanted);
        each_leaf(source, &mut |place, side, text| {
            let is_checksum = self.checksums.says(text);
            if is_checksum || said_in_base64(text).any(|said| end.is_in(&said)) {
                let sure = if is_checksum { Sure::Checksum } else { Sure::Unreadable };
                let hit = Hit { side, sure, text: text.to_string(), ..self.unreadable_hit() };
                finds.push(find(file, shape, source, place, hit));
                return;
            }
            if !self.may_name(text) {
                return;
            }
            let written = source.written(place, side).map(str::to_string);
            for mut hit in self.hits(text, shape.format(), key_of(place, side), bases, 0) {
                if hit.inside.is_empty() {
                    hit.side = side;
                    hit.written.clone_from(&written);
                    let up = if let Means::Way { up, .. } = hit.meaning { up } else { 1 };
                    led.push((place.clone(), up));
                }
                finds.push(find(file, shape, source, place, hit));
            }
        });
        self.add_parts(file, shape, source, bases, &led, &mut finds);
        // Where nothing says from where, nobody knows whether a way down through several folders will be right.
        if !finds.iter().any(|find| matches!(find.sure, Sure::Certain | Sure::Likely)) {
            let ways = finds.iter_mut().filter(|find| find.sure == Sure::NameOnly && find.up.is_some());
            ways.for_each(|find| find.sure = Sure::Unreadable);
        }
        finds
    }

    /// Checksums that would be wrong once these finds were rewritten.
    fn sealed(&self, file: &Path, source: &Source, finds: &[Find]) -> Vec<Find> {
        let Source::Text(document) = source else { return Vec::new() };
        // What lies in the game is told by its content list and its proof.
        let leads = finds.iter().any(|find| matches!(find.sure, Sure::Certain | Sure::Likely));
        if !leads || file.starts_with(self.wanted) {
            return Vec::new();
        }
        let one = |(at, word, _): (PathBuf, String, bool)| Find {
            sure: Sure::Checksum,
            record: Record { text: word, ..self.unreadable(&at).record },
            ..self.unreadable(&at)
        };
        seals(file, document).into_iter().map(one).collect()
    }

    /// Whether a text may say the name: as it is, in letters of another case, or with escapes.
    fn may_name(&self, text: &str) -> bool {
        let plain = text.is_ascii() && !text.contains(['%', '\\', '&', '\'', '"', '$', '+']);
        if plain && self.name.is_ascii() && text.len() < 4096 {
            return text.to_ascii_lowercase().contains(&self.name.to_ascii_lowercase());
        }
        self.needle.is_in(text)
    }

    fn is_there(&self, path: &Path) -> bool {
        self.place_now(path).look_exists()
    }

    /// Where what a path leads to lies now.
    fn place_now(&self, path: &Path) -> PathBuf {
        let now = self.now.and_then(|now| Some(now.join(path.strip_prefix(self.wanted).ok()?)));
        now.unwrap_or_else(|| path.into())
    }

    /// What is left of a path below the wanted one.
    pub(super) fn below(&self, path: &Path) -> Option<PathBuf> {
        if let Some(rest) = path.strip_prefix(self.wanted).ok().filter(|rest| !leads_out(rest)) {
            return Some(rest.to_path_buf());
        }
        // A way there over links says its name as well: no other path is followed.
        let low = self.name.to_lowercase();
        let named = path.components().any(|part| part.as_os_str().to_string_lossy().to_lowercase().contains(&low));
        named.then(|| real_path(path).strip_prefix(&self.real).map(Path::to_path_buf).ok()).flatten()
    }

    /// The spelling and place of a text, and what is left below the path if it leads there. A tail that is no text cannot be
    /// rewritten, so it leads nowhere here.
    fn read(&self, text: &str, bases: &Bases) -> Option<(Spelling, PathBuf, Option<String>)> {
        let (spelling, path) = Spelling::read(text, bases).ok()?;
        let below = self.below(&path).and_then(|below| below.to_str().map(str::to_string));
        Some((spelling, path, below))
    }

    /// A link that leads to the path.
    pub(crate) fn link(&self, link: &Path) -> Option<Find> {
        // A letter that leads above is no record of the path, and one of the layers' own.
        let target = link.look_link().ok()?;
        let bases = Bases { relative_to: link.parent().map(Path::to_path_buf), ..Bases::default() };
        let (spelling, path) = Spelling::read(target.to_str()?, &bases).ok()?;
        // Links within the folder are part of it.
        if link.starts_with(self.wanted) {
            return None;
        }
        let below = self.below(&path)?;
        let hit = Hit {
            inside: Vec::new(),
            side: Side::Value,
            within: Within::Value,
            text: target.to_str()?.to_string(),
            whole: None,
            written: None,
            meaning: match below.to_str()? {
                "" => Means::Install,
                below => Means::Below(below.into()),
            },
            spelling: spelling.describe(),
            sure: Sure::Certain,
        };
        let mut found = find(link, Shape::Link, &Source::Link(target), &Place::default(), hit);
        found.record.relative_to = spelling.is_relative().then(|| meaning("file"));
        Some(found)
    }

    fn stands_in_a_path(&self, file: &Path) -> bool {
        let bytes = platform::read(file).unwrap_or_default();
        // In a code page that is told by nothing the name is found by its bytes.
        if NameInPages::new(self.name).is_some_and(|name| name.is_in(&bytes)) {
            return true;
        }
        Encoding::read(bytes).is_ok_and(|(_, text)| PathEnd::new(self.wanted).is_in(&text))
    }

    /// Whether a format of bytes says the name where no text is read, or, if nothing else leads to the folder, a way to it in a text
    /// that nobody reads here.
    fn is_said_elsewhere(&self, source: &Source, alone: bool) -> bool {
        let Source::Text(document) = source else { return false };
        let end = PathEnd::new(self.wanted);
        let in_text = || {
            let mut said = false;
            each_leaf(source, &mut |_, _, text| said = said || end.is_in(text));
            said
        };
        WholeName::new(self.name).is_in(&document.unread_bytes()) || (alone && in_text())
    }

    /// Whether a format of bytes holds a checksum of the path where no text is read.
    fn keeps_a_checksum(&self, source: &Source) -> bool {
        matches!(source, Source::Text(document) if self.checksums.are_in(&document.unread_bytes()))
    }

    /// A file that says the path and cannot be rewritten; a log, backup or cache stays as it is in any case.
    fn unreadable(&self, file: &Path) -> Find {
        let history = history_of(file, self.places, &String::from_utf8_lossy(&start_of(file)));
        let hit = Hit { sure: history.unwrap_or(Sure::Unreadable), ..self.unreadable_hit() };
        find(file, Shape::Text(Format::Lines), &Source::Link(PathBuf::new()), &Place::default(), hit)
    }

    /// What says the path, and cannot be written anew.
    fn unreadable_hit(&self) -> Hit {
        Hit {
            inside: Vec::new(),
            side: Side::Value,
            within: Within::Value,
            text: self.name.to_string(),
            whole: None,
            written: None,
            meaning: Means::Folder,
            spelling: String::new(),
            sure: Sure::Unreadable,
        }
    }
}

pub(super) fn find(file: &Path, shape: Shape, source: &Source, place: &Place, hit: Hit) -> Find {
    let (way, up) = match hit.meaning {
        Means::Way { up, .. } => (Some(up), Some(up)),
        Means::Above(up) => (None, Some(up)),
        _ => (None, None),
    };
    let (template, tail) = match hit.meaning {
        Means::Install => ("{install}", None),
        Means::Below(tail) => ("{install}/{tail}", Some(tail)),
        Means::Folder => ("{folder}", None),
        Means::Parent => ("{parent}", None),
        Means::Above(_) => ("{library}", None),
        Means::Way { below, .. } if below.is_empty() => ("{install}", None),
        Means::Way { below, .. } => ("{install}/{tail}", Some(below)),
    };
    let relative = match way {
        Some(1) => Some("{parent}"),
        Some(_) => Some("{library}"),
        None => (hit.sure == Sure::Likely && template.starts_with("{install}")).then_some("file"),
    };
    Find {
        line: source.line(place),
        sure: hit.sure,
        up: up.filter(|up| *up > 1),
        record: Record {
            file: file.into(),
            shape,
            location: place.to_string(),
            inside: hit.inside,
            through: None,
            side: hit.side,
            within: hit.within,
            text: hit.text,
            meaning: meaning(template),
            spelling: hit.spelling,
            sound: true,
            in_entry: false,
            tail,
            relative_to: relative.map(meaning),
            whole: hit.whole,
            written: hit.written,
            said_by: 0,
        },
    }
}

/// What a value is called.
fn key_of(place: &Place, side: Side) -> Option<&str> {
    match place.0.last() {
        Some(Step::Name(name)) if side == Side::Value => Some(name),
        _ => None,
    }
}

/// A database for its journal, and every other file for itself.
fn database_of(file: &Path) -> PathBuf {
    let text = file.to_string_lossy();
    for end in ["-wal", "-journal", "-shm"] {
        if let Some(base) = text.strip_suffix(end) {
            let base = PathBuf::from(base);
            if shapes(&base).first() == Some(&Shape::Sqlite) {
                return base;
            }
        }
    }
    file.into()
}

/// What paths in a file may refer to.
pub(crate) fn bases_near(site: &Site, file: &Path, layers: &[Letters]) -> Bases {
    let bases = Bases {
        home: Some(site.places.home.clone()),
        names: layers.iter().flat_map(Letters::names).chain(site.places.names()).collect(),
        letters: layers.to_vec(),
        relative_to: file.parent().map(Path::to_path_buf),
        case_blind: false,
    };
    bases.seen_from(file).into_owned()
}

/// Whether a file can hold records that are rewritten: a text, a format of bytes or a database, and no log, backup or cache.
pub(crate) fn may_be_read(file: &Path, places: &[PathBuf]) -> bool {
    let start = start_of(file);
    if start.starts_with(b"SQLite format 3\0") {
        return history_of(file, places, "").is_none();
    }
    let packed = || shapes(file).first().is_some_and(|shape| is_packed(*shape));
    (!is_binary(file) || packed()) && history_of(file, places, &String::from_utf8_lossy(&start)).is_none()
}

/// All leaves of a source.
pub(crate) fn leaves(source: &Source) -> Vec<(Place, Side, String)> {
    let mut all = Vec::new();
    each_leaf(source, &mut |place, side, text| all.push((place.clone(), side, text.to_string())));
    all
}

/// Calls `look` for all leaves of a source, none of which is kept.
pub(crate) fn each_leaf(source: &Source, look: &mut dyn FnMut(&Place, Side, &str)) {
    match source {
        Source::Text(document) => document.each_leaf(&mut |place, side, _, text| look(place, side, &text)),
        Source::Tables(tables) => {
            for (table, rows) in tables.cells().as_object().into_iter().flatten() {
                for (key, row) in rows.as_object().into_iter().flatten() {
                    for (column, value) in row.as_object().into_iter().flatten() {
                        if let Some(text) = value.as_str() {
                            let steps = [table, key, column].map(|name| Step::Name(name.clone())).to_vec();
                            look(&Place(steps), Side::Value, text);
                        }
                    }
                }
            }
        }
        Source::Link(_) => {}
    }
}
