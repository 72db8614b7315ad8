//! Looking into one file that holds the needle: which of its leaves lead to the path, and how.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use super::find::{Find, Sure, problem};
use super::left::{has_controls, history_of, is_chained, is_counted};
use super::needle::{Needle, PathEnd, WholeName, said_in_base64};
use super::seals::{Checksums, seals};
use crate::launcher::{Problem, Record};
use crate::platform::{self, Look};
use crate::record::{
    Bases, DEEPEST_WITHIN, Document, Encoding, Format, Hop, Letters, Meaning, PartFit, Place, Shape, Side, Source,
    Spelling, Step, Within, find_parts, format_within, leads_out, packed_format_of, packed_is_like_text,
    packed_may_begin,
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
        let size = file.look_meta().map_or(0, |meta| meta.len());
        let (shapes, tried) = shapes_tried(file);
        let database = shapes.first() == Some(&Shape::Sqlite);
        let packed = shapes.first().is_some_and(|shape| is_packed(*shape));
        if !database && !packed && (!is_text || size > LARGEST) {
            return match WholeName::new(self.name).is_in_file(file) {
                Ok(true) => (vec![self.unreadable(file)], Vec::new()),
                // A part of the name, or another word that holds it.
                Ok(false) => (Vec::new(), Vec::new()),
                Err(error) => (Vec::new(), vec![problem(file, &error)]),
            };
        }
        // Of large ones there is one at a time in memory.
        let _alone = (size > LARGE).then(|| LARGE_ONES.lock().unwrap_or_else(PoisonError::into_inner));
        let mut history = None;
        if packed {
            history = history_of(file, self.places, "");
        } else if !database {
            let bytes = platform::read(file).unwrap_or_default();
            if is_counted(&bytes, self.name.as_bytes()) || is_chained(&bytes, self.name.as_bytes()) {
                return (vec![self.unreadable(file)], Vec::new());
            }
            if has_controls(&bytes) {
                let stands = WholeName::new(self.name).is_in(&bytes);
                return (if stands { vec![self.unreadable(file)] } else { Vec::new() }, Vec::new());
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
            let mut finds = self.source(file, shape, &source, &bases);
            if packed && self.is_said_elsewhere(&source, finds.is_empty()) {
                finds.push(self.unreadable(file));
            }
            if packed && self.keeps_a_checksum(&source) {
                finds.push(Find { sure: Sure::Checksum, ..self.unreadable(file) });
            }
            if !finds.is_empty() {
                // What says the name alone is left in any case.
                let leads = |find: &&mut Find| find.sure != Sure::NameOnly;
                finds.iter_mut().filter(leads).for_each(|find| find.sure = history.unwrap_or(find.sure));
                let sealed = self.sealed(file, &source, &finds);
                finds.extend(sealed);
                return (finds, Vec::new());
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

    /// A relative text that leads to the wanted path, or on below it, from a folder above.
    fn way(&self, text: &str, bases: &Bases) -> Option<Hit> {
        if !text.contains(['/', '\\']) || text.contains(['\n', ';']) || text.len() > LONGEST_WAY {
            return None;
        }
        let mut above = self.wanted.ancestors().enumerate().skip(1).take(HIGHEST);
        above.find_map(|(up, above)| {
            let (spelling, path) = Spelling::read(text, &bases.relative_to(above)).ok()?;
            let below = path.strip_prefix(self.wanted).ok().filter(|_| spelling.is_relative())?;
            let meaning = Means::Way { up, below: below.to_str().filter(|below| !leads_out(Path::new(below)))?.into() };
            let (text, spelling, sure) = (text.to_string(), spelling.describe(), Sure::NameOnly);
            above.parent().is_some().then(|| Hit { text, meaning, spelling, sure, ..self.unreadable_hit() })
        })
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

    fn hits(&self, text: &str, format: Option<Format>, key: Option<&str>, bases: &Bases, depth: usize) -> Vec<Hit> {
        let hit = |within, text: String, whole, below: &str, spelling: &Spelling, sure| Hit {
            inside: Vec::new(),
            side: Side::Value,
            within,
            text,
            whole,
            written: None,
            meaning: if below.is_empty() { Means::Install } else { Means::Below(below.into()) },
            spelling: spelling.describe(),
            sure,
        };
        if text == self.name || (!bases.letters.is_empty() && text.to_lowercase() == self.name.to_lowercase()) {
            return vec![Hit {
                inside: Vec::new(),
                side: Side::Value,
                within: Within::Value,
                text: text.into(),
                whole: None,
                written: None,
                meaning: Means::Folder,
                spelling: String::new(),
                sure: Sure::NameOnly,
            }];
        }
        let command = format == Some(Format::Desktop) && matches!(key, Some("Exec" | "TryExec"));
        let mut whole = Vec::new();
        if !command && let Some((spelling, path, Some(below))) = self.read(text, bases) {
            let relative = spelling.is_relative();
            let sure = if relative { Sure::Likely } else { Sure::Certain };
            let there = self.is_there(&path);
            // Any text is a relative path; only one that leads to something that is there is taken for one.
            if !relative || there {
                whole.push(hit(Within::Value, text.into(), None, &below, &spelling, sure));
            }
            // A command line or a list reads as a path as well; what is there decides.
            if there || (!whole.is_empty() && !text.contains([' ', ';', ':', '='])) {
                return whole;
            }
        }
        if let Some(hits) = self.within_documents(text, bases, depth) {
            return hits;
        }
        let absolute = Bases { relative_to: None, ..bases.clone() };
        let fit = |text: &str| match self.read(text, &absolute) {
            Some((_, path, Some(_))) => PartFit::of_wanted(&self.place_now(&path)),
            Some((_, path, None)) if path.look_exists() => PartFit::Other,
            _ => PartFit::No,
        };
        // An argument on its own, as an element of a list or with blanks that part nothing: all behind its sign is one path. What is called
        // something may be parted at blanks.
        let alone = |from: &usize| !command && (key.is_none() || text[*from..].contains(' '));
        if let Some(from) = value_of_option(text).filter(alone)
            && let Some((spelling, path, Some(below))) = self.read(&text[from..], &absolute)
            && self.is_there(&path)
        {
            let whole = Some((text.to_string(), from));
            return vec![hit(Within::Text, text[from..].to_string(), whole, &below, &spelling, Sure::Certain)];
        }
        let list = text.contains(';') || (text.contains(':') && !text.contains(' '));
        let ways: &[Within] = match (command, list) {
            (true, _) => &[Within::Command],
            (false, true) => &[Within::List, Within::Command, Within::Text],
            (false, false) => &[Within::Command, Within::Text],
        };
        // In an entry of a menu one key alone is a command, whose words end at blanks for sure.
        let words_of = format.filter(|format| *format != Format::Desktop || command);
        for within in ways {
            let parts = find_parts(text, *within, words_of, &fit);
            // A part that is all of the value is the value.
            if !whole.is_empty() && parts.iter().any(|part| part.range == (0..text.len())) {
                return whole;
            }
            let hits: Vec<Hit> = parts
                .iter()
                .filter_map(|part| {
                    let (spelling, _, below) = self.read(&part.text, &absolute)?;
                    let whole = (*within == Within::Text).then(|| (text.to_string(), part.range.start));
                    Some(hit(*within, text[part.range.clone()].to_string(), whole, &below?, &spelling, Sure::Certain))
                })
                .collect();
            if !hits.is_empty() {
                return hits;
            }
        }
        if whole.is_empty() { self.way(text, bases).into_iter().collect() } else { whole }
    }

    /// The hits in a text that is a document of its own; `None` if it is none.
    fn within_documents(&self, text: &str, bases: &Bases, depth: usize) -> Option<Vec<Hit>> {
        let format = format_within(text)?;
        if depth >= DEEPEST_WITHIN {
            return None;
        }
        let document = Document::parse(text.as_bytes().to_vec(), format).ok()?;
        let mut hits = Vec::new();
        document.leaves(&mut |leaf| {
            if !self.may_name(&leaf.text) {
                return;
            }
            for mut hit in self.hits(&leaf.text, Some(format), key_of(&leaf.place, leaf.side), bases, depth + 1) {
                if hit.inside.is_empty() {
                    hit.side = leaf.side;
                    hit.written = document.written(&leaf.place, leaf.side).map(str::to_string);
                }
                hit.inside.insert(0, Hop { format, location: leaf.place.to_string() });
                hits.push(hit);
            }
        });
        (!hits.is_empty()).then_some(hits)
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
        let text = Encoding::read(platform::read(file).unwrap_or_default());
        text.is_ok_and(|(_, text)| PathEnd::new(self.wanted).is_in(&text))
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

/// Where the value of an option begins, as in `--root=/games/Fen`.
fn value_of_option(text: &str) -> Option<usize> {
    let at = text.find('=').filter(|_| text.starts_with('-'))?;
    let plain = |text: &str| !text.contains(|c: char| c.is_whitespace() || matches!(c, '"' | '\'' | ';'));
    plain(&text[..at]).then_some(at + 1)
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

/// Bytes by which a file is told to be text or not.
const START: usize = 4096;

fn start_of(file: &Path) -> Vec<u8> {
    use std::io::Read;
    let mut start = vec![0; START];
    let count = platform::open(file).and_then(|mut open| open.read(&mut start)).unwrap_or(0);
    start.truncate(count);
    start
}

fn is_binary(file: &Path) -> bool {
    let start = start_of(file);
    let whole = start.len() < START;
    // The last character of what was read may be cut in two.
    let is_text = |cut: usize| Encoding::read(start[..start.len() - cut].to_vec()).is_ok();
    let cuts = if whole { 1 } else { 4.min(start.len() + 1) };
    !(0..cuts).any(is_text)
}

/// Bytes of the largest file that is looked at for a format of bytes.
const LARGEST_PACKED: u64 = 16 << 20;

/// The format of bytes that a file is in, of which `start` are the first ones.
fn packed_format(file: &Path, start: &[u8], is_text: bool) -> Option<Format> {
    if start.is_empty() || (is_text && !has_controls(start) && !packed_is_like_text(start)) {
        return None;
    }
    let length = file.look_meta().ok()?.len();
    if length > LARGEST_PACKED || !packed_may_begin(start, length) {
        return None;
    }
    packed_format_of(&platform::read(file).ok()?)
}

fn is_packed(shape: Shape) -> bool {
    shape.format().is_some_and(Format::is_packed)
}

/// What a file may be, the likeliest first: by how it begins, then by its name, at last a list of lines.
pub(crate) fn shapes(file: &Path) -> Vec<Shape> {
    shapes_tried(file).0
}

/// The same, and which of them is only tried: a list in brackets may be the head of a section as well.
fn shapes_tried(file: &Path) -> (Vec<Shape>, Option<Shape>) {
    let start = start_of(file);
    if start.starts_with(b"SQLite format 3\0") {
        return (vec![Shape::Sqlite], None);
    }
    let text = (0..4.min(start.len() + 1)).find_map(|cut| Encoding::read(start[..start.len() - cut].to_vec()).ok());
    if let Some(packed) = packed_format(file, &start, text.is_some()) {
        return (vec![Shape::Text(packed)], None);
    }
    let text = text.map_or_else(String::new, |(_, text)| text);
    let begun = text.trim_start();
    let mut all = Vec::new();
    let mut tried = None;
    let by_name = Format::of_name(file);
    // A document in the last column of a row opens no block.
    let nested = Format::looks_nested(begun) && !is_all_rows(begun);
    if begun.starts_with("WINE REGISTRY") || begun.starts_with("Windows Registry") || begun.starts_with("REGEDIT4") {
        all.push(Format::Hive);
    } else if begun.starts_with('<') {
        if begun.contains("<key>") {
            all.push(Format::PropertyList);
            tried = Some(Shape::Text(Format::PropertyList));
        }
        all.push(Format::Xml);
    } else if begun.starts_with("[Desktop Entry]") {
        all.push(Format::Desktop);
    } else if by_name == Format::Json || begun.starts_with('{') {
        all.extend([Format::Jsonc, Format::JsonLines, Format::Nested]);
    } else if begun.starts_with('[') {
        all.push(Format::Jsonc);
        tried = Some(Shape::Text(Format::Jsonc));
    }
    // An ending that many formats have says less than what stands there.
    if nested && matches!(by_name, Format::Ini | Format::Lines) {
        all.push(Format::Nested);
    }
    if !matches!(by_name, Format::Lines | Format::Json) {
        all.push(by_name);
    } else if tried.is_none() && all.is_empty() && looks_like_rows(begun) {
        all.push(Format::Table);
        tried = Some(Shape::Text(Format::Table));
    }
    let named = |line: &str| {
        line.split_once(": ").is_some_and(|(name, value)| !name.contains(['/', '\\', ' ']) && !value.trim().is_empty())
    };
    let keyed = |line: &&str| line.trim_start().starts_with('[') || line.contains('=') || named(line);
    if begun.lines().take(20).filter(keyed).count() * 2 > begun.lines().take(20).count() {
        all.push(Format::Ini);
    }
    all.push(Format::Lines);
    let mut seen = Vec::new();
    all.retain(|format| {
        !seen.contains(format) && {
            seen.push(*format);
            true
        }
    });
    (all.into_iter().map(Shape::Text).collect(), tried)
}

/// Whether each of several lines has as many separators of a kind as the first, and more than one; the last may be cut.
fn is_all_rows(begun: &str) -> bool {
    let lines: Vec<&str> = begun.lines().filter(|line| !line.trim().is_empty()).collect();
    let whole = lines.get(..lines.len().saturating_sub(usize::from(!begun.ends_with('\n')))).unwrap_or_default();
    let alike = |sign: char| {
        let mut counts = whole.iter().map(|line| line.matches(sign).count());
        counts.next().is_some_and(|first| first > 1 && counts.all(|count| count == first))
    };
    whole.len() > 2 && ['\t', ';', '|', ','].into_iter().any(alike)
}

/// Whether the first lines have as many separators of a kind as one another, and more than one.
fn looks_like_rows(begun: &str) -> bool {
    let lines: Vec<&str> = begun.lines().filter(|line| !line.starts_with('#')).take(3).collect();
    lines.len() > 1
        && ['\t', ';', '|', ','].into_iter().any(|sign| {
            let count = |line: &&str| line.matches(sign).count();
            lines
                .first()
                .is_some_and(|first| count(first) > 1 && first.chars().next().is_some_and(char::is_alphanumeric))
                && lines.iter().all(|line| line.contains('"') || count(line) == count(&lines[0]))
        })
}

/// Whether a file that reads as one is one: the others take nearly any text.
fn is_strict(shape: Shape) -> bool {
    is_packed(shape)
        || matches!(
            shape,
            Shape::Text(
                Format::Json
                    | Format::Jsonc
                    | Format::JsonLines
                    | Format::Xml
                    | Format::Toml
                    | Format::Hive
                    | Format::Nested
            )
        )
}

/// What paths in a file may refer to.
pub(crate) fn bases_near(site: &Site, file: &Path, layers: &[Letters]) -> Bases {
    let bases = Bases {
        home: Some(site.places.home.clone()),
        names: layers.iter().flat_map(Letters::names).collect(),
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
