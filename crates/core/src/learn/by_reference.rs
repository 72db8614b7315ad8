//! Lists that say of each game the name of its folder, and its library by what that is called elsewhere: a number, a key.
//!
//! Law: a reference is one only if it tells the library of every game there is, and nothing else beside it does.
//! Start at [`list_by_reference`].

use std::cell::RefCell;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::evidence::Evidence;
use super::held::{held_by, is_within, joined_over};
use super::list::{Entry, GameList, Reference, folder_below, is_playable};
use super::seen::{Seen, SeenFile, may_be_a_game};
use super::whose::folder_of;
use crate::platform::{self, Look};
use crate::record::{Bases, Place, Side, Source, Step, scalars_of};
use crate::site::Site;
use crate::trace::{Needle, each_leaf, shapes};

/// Letters of a text that is not the same as another by chance.
const RARE: usize = 6;

/// Games of which a sign may tell the library: a mark that is 0 or 1 tells that of fewer by chance.
const MANY: usize = 8;

/// The list of games that refers to these libraries, if one does; `lists_in` makes the lists of the texts of a file.
pub(super) fn list_by_reference(
    site: &Site,
    evidence: &Evidence,
    libraries: &GameList,
    lists_in: &dyn Fn(&SeenFile) -> Vec<GameList>,
) -> Option<GameList> {
    let home = folder_of(site, libraries.file(), evidence);
    let folders = Folders::of(site, libraries);
    let here = evidence.readable.iter().filter(|file| folder_of(site, file, evidence) == home);
    let lists = here.filter_map(|file| seen_in(file, &folders)).flat_map(|file| lists_in(&file)).collect();
    let lists = joined_over(lists, std::slice::from_ref(libraries)).into_iter();
    let referring = |mut list: GameList| {
        if is_within(&list, libraries) {
            list = held_by(list, libraries)?;
        } else {
            let to_path = list.to_path.first();
            let (sure, perhaps) = reference(libraries, &list, &folders);
            // Each of those that may be it says the same library of every game.
            let reference = sure.or_else(|| perhaps.first().cloned())?;
            let alone = |reference: Reference| Reference { alone: true, ..reference };
            list.perhaps = perhaps.into_iter().map(alone).collect();
            let names = names_of(libraries);
            for entry in &mut list.entries {
                entry.dir = dir_of(&names, &to_path, entry, &reference);
            }
            list.reference = Some(Reference { alone: true, ..reference });
        }
        let dirs: Vec<&Path> = list.dirs().collect();
        // Ways to folders that are all called the same lead into games.
        let names: HashSet<_> = dirs.iter().filter_map(|dir| dir.file_name()).collect();
        if list.is_below() && names.len() * 2 <= dirs.len() {
            return None;
        }
        let playable = dirs.iter().filter(|dir| is_playable(dir)).count();
        // A title may be the folder's name, for some.
        let is_new = |dir: &PathBuf| is_playable(dir) && !dirs.iter().any(|known| known.starts_with(dir));
        let all = list.entries.iter().all(|entry| entry.dir.is_some());
        let strays = || -> Vec<PathBuf> { libraries.dirs().flat_map(folders_of).filter(is_new).collect() };
        let sound = (all && list.pure) || {
            let strays = strays();
            strays.is_empty() || (all && !speaks_of_others(&list, &strays))
        };
        (sound && !dirs.is_empty() && playable * 2 > dirs.len()).then_some(list)
    };
    let depth = |list: &GameList| list.dirs().map(|dir| dir.components().count()).sum::<usize>();
    lists.filter_map(referring).max_by_key(|list| (list.weight(), Reverse(depth(list))))
}

/// Whether an entry that leads to no folder names one of some, in whatever spelling: then something else says where its games are.
fn speaks_of_others(list: &GameList, folders: &[PathBuf]) -> bool {
    let known: HashSet<&Place> = list.entries.iter().map(|entry| &entry.place).collect();
    let names = folders.iter().filter_map(|folder| Some(Needle::new(folder.file_name()?.to_str()?)));
    let names: Vec<Needle> = names.collect();
    let Ok(source) = Source::read(list.file(), list.shape) else { return true };
    let entries = source.find(&list.to_entry.selector()).unwrap_or_default();
    let mut others = entries.iter().filter(|place| !known.contains(place)).filter_map(|place| source.value_at(place));
    others.any(|entry| scalars_of(&entry).values().any(|text| names.iter().any(|name| name.is_in(text))))
}

/// The folders of libraries, by their names and by the ways down to them.
struct Folders<'a> {
    site: &'a Site,
    libraries: Vec<PathBuf>,
    by_name: HashMap<String, BTreeSet<PathBuf>>,
    /// Of ways down that were followed, the libraries in which they lead to a folder.
    by_way: RefCell<HashMap<String, BTreeSet<PathBuf>>>,
}

impl<'a> Folders<'a> {
    fn of(site: &'a Site, libraries: &GameList) -> Self {
        let mut by_name: HashMap<String, BTreeSet<PathBuf>> = HashMap::new();
        for library in libraries.dirs() {
            for folder in folders_of(library) {
                if let Some(name) = folder.file_name().and_then(|name| name.to_str()) {
                    by_name.entry(name.into()).or_default().insert(library.into());
                }
            }
        }
        Self { site, libraries: libraries.dirs().map(Path::to_path_buf).collect(), by_name, by_way: RefCell::default() }
    }

    /// The libraries in which there is a folder that a text leads to.
    fn around(&self, text: &str) -> BTreeSet<PathBuf> {
        if !text.contains(['/', '\\']) {
            return self.by_name.get(text).cloned().unwrap_or_default();
        }
        if let Some(known) = self.by_way.borrow().get(text) {
            return known.clone();
        }
        let leads = |library: &&PathBuf| {
            folder_below(library, text, &Bases::default()).is_some_and(|dir| may_be_a_game(self.site, &dir))
        };
        let around: BTreeSet<PathBuf> = self.libraries.iter().filter(leads).cloned().collect();
        if !around.is_empty() {
            self.by_way.borrow_mut().insert(text.into(), around.clone());
        }
        around
    }
}

fn folders_of(library: &Path) -> Vec<PathBuf> {
    let entries = platform::read_dir(library).into_iter().flatten().flatten();
    entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir())).map(|entry| entry.path()).collect()
}

/// The names of such folders in a file.
fn seen_in(file: &Path, folders: &Folders<'_>) -> Option<SeenFile> {
    shapes(file).into_iter().find_map(|shape| {
        let source = Source::read(file, shape).ok()?;
        let mut seen = Vec::new();
        let mut look = |place: &Place, side, text: &str| {
            let around = if side == Side::Value { folders.around(text) } else { BTreeSet::new() };
            let dir = around.first().and_then(|library| dir_in(library, text));
            seen.extend(dir.map(|dir| Seen { place: place.clone(), side, dir, by_name: true }));
        };
        each_leaf(&source, &mut look);
        source.leaves_within().iter().for_each(|(place, side, text)| look(place, *side, text));
        (seen.len() > 1).then(|| SeenFile { file: file.into(), shape, seen, others: Vec::new() })
    })
}

/// What libraries may be called by: their key or number, and what their entries say.
fn names_of(libraries: &GameList) -> BTreeMap<String, Vec<(String, PathBuf)>> {
    let mut names: BTreeMap<String, Vec<(String, PathBuf)>> = BTreeMap::new();
    for entry in &libraries.entries {
        let Some(dir) = &entry.dir else { continue };
        let key = match entry.place.0.last() {
            Some(Step::Name(name)) => Some(name.clone()),
            Some(Step::Index(nth)) => Some(nth.to_string()),
            None => None,
        };
        let all = entry.scalars.iter().map(|(selector, text)| (selector.clone(), text.clone()));
        for (selector, text) in all.chain(key.map(|key| ("key".to_string(), key))) {
            names.entry(selector).or_default().push((text, dir.clone()));
        }
    }
    // What tells them all apart.
    names.retain(|_, all| {
        all.len() == libraries.entries.len()
            && all.iter().map(|(text, _)| text).collect::<HashSet<_>>().len() == all.len()
    });
    names
}

/// How a list whose games are known refers to the libraries that they lie in: for sure, or perhaps.
pub(super) fn reference_of(libraries: &GameList, games: &GameList) -> (Option<Reference>, Vec<Reference>) {
    let lies = |entry: &Entry| -> Option<BTreeSet<PathBuf>> {
        let dir = entry.dir.as_ref()?;
        let above = libraries.dirs().filter(|library| dir.starts_with(library));
        above.max_by_key(|library| library.components().count()).map(|library| BTreeSet::from([library.to_path_buf()]))
    };
    let here: Vec<(&Entry, BTreeSet<PathBuf>)> =
        games.entries.iter().filter_map(|entry| Some((entry, lies(entry)?))).collect();
    let here: Vec<(&Entry, &BTreeSet<PathBuf>)> = here.iter().map(|(entry, lies)| (*entry, lies)).collect();
    let (sure, mut perhaps) = told(libraries, &here, None);
    // A whole path is a record as it is.
    let is_path = |found: &Reference| {
        here.iter().any(|(entry, _)| entry.scalars.get(&found.selector).is_some_and(|text| text.contains(['/', '\\'])))
    };
    // Beside a whole path a nought, or where a library stands in its list, says too little to ask.
    let says_little = |found: &Reference| {
        found.id == "key"
            && here.iter().all(|(entry, _)| entry.scalars.get(&found.selector).is_some_and(|text| text == "0"))
    };
    perhaps.retain(|found| !is_path(found) && !says_little(found));
    (sure.filter(|found| !is_path(found)), perhaps)
}

/// How a list refers to libraries: the one text of each entry that says, for every game that is in one library alone, that library.
fn reference(libraries: &GameList, list: &GameList, folders: &Folders<'_>) -> (Option<Reference>, Vec<Reference>) {
    let own = list.to_path.first();
    let around = |entry: &'_ Entry| entry.scalars.get(&own).map(|text| folders.around(text)).unwrap_or_default();
    let games: Vec<(&Entry, BTreeSet<PathBuf>)> =
        list.entries.iter().map(|entry| (entry, around(entry))).filter(|(_, around)| !around.is_empty()).collect();
    let games: Vec<(&Entry, &BTreeSet<PathBuf>)> = games.iter().map(|(entry, around)| (*entry, around)).collect();
    told(libraries, &games, Some(&own))
}

/// Texts that may say the library by chance are asked about if they are no more than these.
const ASKED: usize = 4;

/// The one text of entries that tells the library of each of these games, which lie in one of some; those that may tell it by chance where
/// there is none.
fn told(
    libraries: &GameList,
    games: &[(&Entry, &BTreeSet<PathBuf>)],
    own: Option<&String>,
) -> (Option<Reference>, Vec<Reference>) {
    let names = names_of(libraries);
    let columns: BTreeSet<&String> = games.iter().flat_map(|(entry, _)| entry.scalars.keys()).collect();
    let mut found = Vec::new();
    for column in columns.into_iter().filter(|column| Some(*column) != own) {
        for (id, all) in &names {
            let tells = |(entry, lies): &(&Entry, &BTreeSet<PathBuf>)| {
                let text = entry.scalars.get(column);
                all.iter().any(|(name, dir)| Some(name) == text && lies.contains(dir))
            };
            if games.len() > 1 && games.iter().all(tells) {
                found.push(Reference { selector: column.clone(), id: id.clone(), alone: false });
            }
        }
    }
    // What is said by an entry counts before where it stands.
    found.sort_by_key(|one| one.id == "key");
    let texts =
        |one: &Reference| games.iter().filter_map(|(entry, _)| entry.scalars.get(&one.selector)).collect::<Vec<_>>();
    let (sure, perhaps): (Vec<Reference>, Vec<Reference>) =
        found.into_iter().partition(|one| is_no_chance(&texts(one)));
    let columns: BTreeSet<&String> = sure.iter().map(|one| &one.selector).collect();
    let ids: BTreeSet<&String> = sure.iter().map(|one| &one.id).filter(|id| *id != "key").collect();
    if !sure.is_empty() {
        let told = columns.len() == 1 && ids.len() < 2;
        return (told.then(|| sure.into_iter().next()).flatten(), Vec::new());
    }
    // What is different for each game is the game's own.
    let comes_again = |one: &Reference| texts(one).iter().collect::<HashSet<_>>().len() < games.len();
    let mut met = HashSet::new();
    let mut perhaps: Vec<Reference> = perhaps.into_iter().filter(comes_again).collect();
    perhaps.retain(|one| met.insert(one.selector.clone()));
    if perhaps.len() > ASKED {
        perhaps.clear();
    }
    (None, perhaps)
}

/// Whether texts of games that say the library of each are too many, or too rare, to say it by chance.
fn is_no_chance(texts: &[&String]) -> bool {
    let apart: HashSet<&&String> = texts.iter().collect();
    // What is different for each game is the game's own: where each library has one, so is the sum of its sizes.
    let comes_again = apart.len() < texts.len();
    let all = |least: usize| apart.iter().all(|text| text.len() >= least);
    // Where all games are in one library, every number that is the same for all of them may be its own.
    comes_again && (all(RARE) || (apart.len() > 1 && (all(2) || texts.len() >= MANY)))
}

fn dir_of(
    names: &BTreeMap<String, Vec<(String, PathBuf)>>,
    path: &str,
    entry: &Entry,
    reference: &Reference,
) -> Option<PathBuf> {
    let says = entry.scalars.get(&reference.selector)?;
    let (_, library) = names.get(&reference.id)?.iter().find(|(name, _)| name == says)?;
    dir_in(library, entry.scalars.get(path)?)
}

/// The folder of a library that a name, or a way down, leads to.
fn dir_in(library: &Path, text: &str) -> Option<PathBuf> {
    if text.contains(['/', '\\']) {
        return folder_below(library, text, &Bases::default());
    }
    let dir = library.join(text);
    dir.as_path().look_is_dir().then_some(dir)
}
