//! Texts that lead to folders that are there: the first sign of a list of games.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Component, Path, PathBuf};
use std::sync::Mutex;

use rayon::prelude::*;

use super::evidence::Evidence;
use super::list::folder_below;
use crate::launcher::is_of_the_system;
use crate::platform::{self, Look};
use crate::record::{Bases, PartFit, Place, Shape, Side, Source, Spelling, Within, find_parts};
use crate::site::{Site, real_path};
use crate::trace::{around, bases_near, each_leaf, entry_of, shapes};

/// Bytes of the largest file that is looked through for lists.
const LARGEST: u64 = 256 << 20;

/// Bytes of the longest text that is looked through for commands.
const LONGEST: usize = 4096;

/// Bytes of the longest path from a file's own folder that is followed.
const LONGEST_WAY: usize = 512;

/// Paths of an entry that may be the folder above that of its game.
const ABOVE: usize = 16;

/// A text that leads to a folder, or is the name of one whose parent stands beside it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Seen {
    pub place: Place,
    pub side: Side,
    pub dir: PathBuf,
    /// Whether it is the folder's name alone.
    pub by_name: bool,
}

/// A file with such texts.
#[derive(Clone, Debug)]
pub(super) struct SeenFile {
    pub file: PathBuf,
    pub shape: Shape,
    pub seen: Vec<Seen>,
    /// Texts in which the path of something else that is there stands, with that path.
    pub others: Vec<Seen>,
}

/// Looks through all files for texts that lead to folders.
pub(super) fn seen_files(site: &Site, evidence: &Evidence) -> Vec<SeenFile> {
    let known = Folders { site, there: Mutex::default() };
    let mut all: Vec<SeenFile> =
        evidence.readable.par_iter().filter_map(|file| seen_in(site, evidence, &known, file)).collect();
    all.sort_by(|a, b| a.file.cmp(&b.file));
    all
}

/// Folders that may be a game's, each looked at once.
struct Folders<'a> {
    site: &'a Site,
    there: Mutex<HashMap<PathBuf, bool>>,
}

impl Folders<'_> {
    fn may_be_a_game(&self, dir: &Path) -> bool {
        if let Ok(known) = self.there.lock()
            && let Some(known) = known.get(dir)
        {
            return *known;
        }
        let may = may_be_a_game(self.site, dir);
        if let Ok(mut known) = self.there.lock() {
            known.insert(dir.into(), may);
        }
        may
    }
}

/// Whether a path is a folder that may be a game's: no top of a drive, no folder of the system or above the person's.
pub(super) fn may_be_a_game(site: &Site, dir: &Path) -> bool {
    if dir.parent().is_none() || !dir.look_is_dir() {
        return false;
    }
    let (real, places) = (real_path(dir), &site.places);
    let holds = |place: &PathBuf| place.starts_with(dir) || real_path(place).starts_with(&real);
    let tops = site.drives.iter().flat_map(|drive| &drive.mounts);
    let mut high = [&places.home, &places.config, &places.data, &places.state].into_iter().chain(tops);
    !(high.any(holds) || is_of_the_system(site, &real))
}

fn seen_in(site: &Site, evidence: &Evidence, known: &Folders<'_>, file: &Path) -> Option<SeenFile> {
    if file.look_meta().ok()?.size > LARGEST {
        return None;
    }
    let bases = Bases { relative_to: None, ..bases_near(site, file, &evidence.layers) };
    let mut lesser = None;
    for shape in shapes(file) {
        let Ok(source) = Source::read(file, shape) else { continue };
        let seen_among = |texts: &Texts| {
            let mut seen = whole_paths(known, file, &bases, texts);
            seen.extend(names_beside(known, file, &bases, texts, &seen));
            seen
        };
        let within = source.leaves_within();
        let mut texts = leading_texts(&source, &within, &bases);
        let mut seen = seen_among(&texts);
        if !within.is_empty() {
            texts.extend(within);
            let with_documents = seen_among(&texts);
            // What an entry says itself counts before the documents in it, unless these lead to more.
            let dirs = |seen: &[Seen]| seen.iter().map(|seen| seen.dir.clone()).collect::<HashSet<_>>().len();
            if matches!(shape, Shape::Sqlite) || dirs(&with_documents) > dirs(&seen) {
                seen = with_documents;
            }
        }
        let others = others(file, &bases, &texts, &seen);
        let one = SeenFile { file: file.into(), shape, seen, others };
        if !one.seen.is_empty() {
            return Some(one);
        }
        lesser = lesser.or((!one.others.is_empty()).then_some(one));
    }
    lesser
}

type Texts = Vec<(Place, Side, String)>;

/// The texts of a source that may lead to a folder: those with separators, and the names of folders that lie in what one of these leads to,
/// or one of the documents within texts. A large file has a million others, of which none is kept.
fn leading_texts(source: &Source, within: &Texts, bases: &Bases) -> Texts {
    let mut texts = Texts::new();
    each_leaf(source, &mut |place, side, text| {
        if text.contains(['/', '\\']) {
            texts.push((place.clone(), side, text.to_string()));
        }
    });
    let values = texts.iter().chain(within).filter(|(_, side, _)| *side == Side::Value);
    let parents: HashSet<PathBuf> = values.filter_map(|(.., text)| absolute(text, bases)).collect();
    let names: HashSet<String> = parents.iter().flat_map(|parent| folders_in(parent)).collect();
    if !names.is_empty() {
        each_leaf(source, &mut |place, side, text| {
            if side == Side::Value && names.contains(text) {
                texts.push((place.clone(), side, text.to_string()));
            }
        });
    }
    texts
}

/// The names of the folders in a folder.
fn folders_in(dir: &Path) -> impl Iterator<Item = String> {
    let entries = platform::read_dir(dir).into_iter().flatten().flatten();
    let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
    folders.filter_map(|entry| entry.file_name().into_string().ok())
}

fn absolute(text: &str, bases: &Bases) -> Option<PathBuf> {
    if !text.contains(['/', '\\']) || text.contains('\n') {
        return None;
    }
    let (_, path) = Spelling::read(text, bases).ok()?;
    path.is_absolute().then_some(path)
}

/// The folder that a relative path leads to from that of its file, if it is there.
fn from_file(text: &str, file: &Path, bases: &Bases) -> Option<PathBuf> {
    if !text.contains(['/', '\\']) || text.contains('\n') || text.len() > LONGEST_WAY {
        return None;
    }
    let (spelling, path) = Spelling::read(text, &bases.relative_to(file.parent()?)).ok()?;
    let leads = spelling.is_relative() && path.look_is_dir();
    let climbs = path.components().any(|step| step == Component::ParentDir);
    leads.then(|| if climbs { real_path(&path) } else { path })
}

fn whole_paths(known: &Folders<'_>, file: &Path, bases: &Bases, texts: &Texts) -> Vec<Seen> {
    let lead = |(place, side, text): &(Place, Side, String)| {
        let dir = absolute(text, bases).or_else(|| from_file(text, file, bases))?;
        (!file.starts_with(&dir) && known.may_be_a_game(&dir)).then(|| Seen {
            place: place.clone(),
            side: *side,
            dir,
            by_name: false,
        })
    };
    texts.iter().filter_map(lead).collect()
}

/// Texts that lead to what is there, or hold such a path as the word of a command, and are none of these.
fn others(file: &Path, bases: &Bases, texts: &Texts, seen: &[Seen]) -> Vec<Seen> {
    let known: HashSet<(&Place, Side)> = seen.iter().map(|seen| (&seen.place, seen.side)).collect();
    let there = |text: &str| absolute(text, bases).filter(|path| path.look_exists() && !file.starts_with(path));
    let lead = |(place, side, text): &(Place, Side, String)| {
        if known.contains(&(place, *side)) || text.len() > LONGEST || !text.contains(['/', '\\']) {
            return None;
        }
        let in_command = || {
            let fit = |word: &str| if there(word).is_some() { PartFit::There } else { PartFit::No };
            find_parts(text, Within::Command, None, &fit).iter().find_map(|part| there(&part.text))
        };
        let dir = there(text).or_else(in_command)?;
        Some(Seen { place: place.clone(), side: *side, dir, by_name: false })
    };
    texts.iter().filter_map(lead).collect()
}

/// Names of folders, and ways down to them, whose folder above stands in the same entry.
fn names_beside(known: &Folders<'_>, file: &Path, bases: &Bases, texts: &Texts, seen: &[Seen]) -> Vec<Seen> {
    let mut parents: BTreeMap<Place, Vec<PathBuf>> = BTreeMap::new();
    for (place, _, text) in texts.iter().filter(|(_, side, _)| *side == Side::Value) {
        if let Some(dir) = absolute(text, bases) {
            let entry = entry_of(place);
            if let Some(around) = around(&entry) {
                parents.entry(around).or_default().push(dir.clone());
            }
            parents.entry(entry).or_default().push(dir);
        }
    }
    let mut folders: HashMap<&Path, HashSet<String>> = HashMap::new();
    for parent in parents.values().flatten() {
        folders.entry(parent).or_insert_with(|| folders_in(parent).collect());
    }
    // An entry that says the whole path says the name for people.
    let told: HashSet<(Place, &Path)> = seen.iter().map(|seen| (entry_of(&seen.place), seen.dir.as_path())).collect();
    let name = |(place, side, text): &(Place, Side, String)| {
        let entry = entry_of(place);
        if *side != Side::Value {
            return None;
        }
        let is_way = text.contains(['/', '\\']);
        let holds = |parent: &PathBuf| {
            if is_way {
                return folder_below(parent, text, bases).filter(|dir| known.may_be_a_game(dir));
            }
            folders.get(parent.as_path()).is_some_and(|all| all.contains(text)).then(|| parent.join(text))
        };
        // Of a file that is full of paths none is the folder above.
        let few = |dirs: &&Vec<PathBuf>| !is_way || dirs.len() <= ABOVE;
        let near = parents.get(&entry).filter(few).and_then(|dirs| dirs.iter().find_map(holds));
        let far = || parents.get(&around(&entry)?).filter(few)?.iter().find_map(holds);
        let dir = near.or_else(far)?;
        let is_new = !told.contains(&(entry, dir.as_path())) && !file.starts_with(&dir);
        is_new.then(|| Seen { place: place.clone(), side: Side::Value, dir, by_name: true })
    };
    texts.iter().filter_map(name).collect()
}
