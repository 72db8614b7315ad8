//! Lists that a launcher keeps with its games: a file for each game, or one for all, in every library.
//!
//! Law: such files go with a game to another library, so that a list of theirs is the launcher's list whatever else names its games.
//! Start at [`list_in_libraries`].

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::list::folder_below;
use super::list::{Entry, GameList, ListAt, around, games_in, is_playable};
use super::pattern::{Pattern, PatternStep};
use crate::platform::{self, Look};
use crate::record::scalars_of;
use crate::record::{Bases, Document, Place, Shape, Side, Source, Spelling, Step};
use crate::site::Site;
use crate::trace::{each_leaf, files_naming, shapes};

/// A sum is no number that stands there by chance.
pub(super) const NO_CHANCE: u64 = 1000;

/// How deep below a library such files lie, how large they are, and how many are looked at.
const DEEP: usize = 3;
const SMALL: u64 = 1 << 20;
const MANY: usize = 20_000;

/// Folders at the top of a library that are looked into.
const SUBS: usize = 64;

/// Files of a group that are looked at before all of them are.
const PROBED: usize = 4;

/// A file in a library: the library, the file, and its path below the library.
type InLibrary = (PathBuf, PathBuf, PathBuf);

/// A text that leads to a folder in the library of its file.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct LeadKey {
    place: Place,
    /// Where the folder of this name lies in the library; `None` of a whole path.
    sub: Option<PathBuf>,
}

/// A file with what leads somewhere in it.
struct LeadFile {
    library: PathBuf,
    file: PathBuf,
    shape: Shape,
    leads: Vec<(LeadKey, PathBuf)>,
}

/// The list that lies in the libraries of a list of them, if there is one.
pub(super) fn list_in_libraries(libraries: &GameList) -> Option<GameList> {
    let libraries: Vec<PathBuf> = libraries.dirs().filter(|dir| dir.look_is_dir()).map(Path::to_path_buf).collect();
    let files_of = |library: &PathBuf| {
        let below = |file: PathBuf| {
            let below = file.strip_prefix(library).ok()?.to_path_buf();
            Some((library.clone(), file, below))
        };
        files_near_top(library, &|_| false).into_iter().filter_map(below).collect::<Vec<InLibrary>>()
    };
    let files: Vec<InLibrary> = libraries.iter().flat_map(files_of).collect();
    let folders = Folders::of(&libraries, &files);
    let mut alike: BTreeMap<(PathBuf, String), Vec<&InLibrary>> = BTreeMap::new();
    let mut same: BTreeMap<&Path, Vec<&InLibrary>> = BTreeMap::new();
    for one in &files {
        let (folder, end) = (one.2.parent().unwrap_or(Path::new("")), one.2.extension().unwrap_or_default());
        alike.entry((folder.into(), end.to_string_lossy().into_owned())).or_default().push(one);
        same.entry(&one.2).or_default().push(one);
    }
    let each =
        alike.values().filter(|group| group.len() > 1).filter_map(|group| file_for_each(&libraries, group, &folders));
    // One game in each library makes a list of them all as well.
    let names = |group: &&Vec<&InLibrary>| group.iter().map(|file| folders.named_in(&file.1)).sum::<usize>() > 1;
    let one = same.values().filter(names).filter_map(|group| list_in_each(&libraries, group, &folders));
    each.chain(one)
        .filter(|list| !lies_in_a_game(list))
        .max_by_key(|list| (list.dirs().count(), list.entries.iter().map(|entry| entry.scalars.len()).max()))
}

/// Whether the files of a list lie in a game, whose own list of its parts it is then.
fn lies_in_a_game(list: &GameList) -> bool {
    let ListAt::InLibraries { libraries, .. } = &list.at else { return false };
    let above = list.file().ancestors().skip(1).take_while(|dir| !libraries.iter().any(|library| library == dir));
    let mut above = above.filter(|dir| libraries.iter().any(|library| dir.starts_with(library)));
    above.any(|dir| is_playable(dir) && games_in(dir).is_empty())
}

/// The small files near the top of a folder, those that lie less deep first: games have many, and theirs lie deeper.
pub(super) fn files_near_top(top: &Path, is_left_out: &dyn Fn(&Path) -> bool) -> Vec<PathBuf> {
    let (mut files, mut folders) = (Vec::new(), vec![top.to_path_buf()]);
    for _ in 0..DEEP {
        let mut deeper = Vec::new();
        for folder in folders {
            for entry in platform::read_dir(&folder).into_iter().flatten().flatten() {
                let (Ok(kind), path) = (entry.file_type(), entry.path()) else { continue };
                if kind.is_dir() && !is_left_out(&path) {
                    deeper.push(path);
                } else if kind.is_file() && path.look_own_meta().is_ok_and(|meta| meta.size <= SMALL) {
                    files.push(path);
                }
            }
            if files.len() > MANY {
                return files;
            }
        }
        folders = deeper;
    }
    files
}

/// Whether a folder is one of a launcher's games and no more: not one in which the person's own folders lie.
pub(super) fn is_a_library(site: &Site, folder: &Path) -> bool {
    let places = &site.places;
    let own = [&places.home, &places.config, &places.data, &places.state];
    let holds_drives = site.drives.iter().any(|drive| drive.root != folder && drive.root.starts_with(folder));
    !holds_drives && !own.into_iter().any(|place| place.starts_with(folder))
}

/// The small files that lie with a launcher's games, and not in them: what names a game there has to go with it.
pub(super) fn files_beside(site: &Site, games: &GameList, libraries: &[GameList]) -> Vec<PathBuf> {
    let games: HashSet<&Path> = games.dirs().collect();
    let above = games.iter().filter_map(|dir| dir.parent());
    let tops: BTreeSet<&Path> = libraries.iter().flat_map(GameList::dirs).chain(above).collect();
    let tops = tops.into_iter().filter(|top| is_a_library(site, top));
    tops.flat_map(|top| files_near_top(top, &|folder| games.contains(folder))).collect()
}

/// Folders of libraries in which games may lie, and which files may name them.
struct Folders {
    /// Of a library and a folder's name: where in the library there is one.
    places: HashMap<PathBuf, HashMap<String, BTreeSet<PathBuf>>>,
    /// How many of the names a file may hold.
    naming: HashMap<PathBuf, usize>,
}

impl Folders {
    fn of(libraries: &[PathBuf], files: &[InLibrary]) -> Self {
        let names_in = |folder: &Path| -> Vec<String> {
            let entries = platform::read_dir(folder).into_iter().flatten().flatten();
            let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
            folders.filter_map(|entry| entry.file_name().into_string().ok()).collect()
        };
        let mut places: HashMap<PathBuf, HashMap<String, BTreeSet<PathBuf>>> = HashMap::new();
        for library in libraries {
            // Its own, those at its top, and those in which such files lie.
            let tops = names_in(library).into_iter().map(PathBuf::from).take(SUBS);
            let own = files.iter().filter(|file| file.0 == *library).filter_map(|file| file.2.parent());
            let subs: BTreeSet<PathBuf> = tops.chain(own.map(Path::to_path_buf)).chain([PathBuf::new()]).collect();
            let known = places.entry(library.clone()).or_default();
            for sub in subs {
                for name in names_in(&library.join(&sub)) {
                    known.entry(name).or_default().insert(sub.clone());
                }
            }
        }
        let names: BTreeSet<&str> = places.values().flat_map(HashMap::keys).map(String::as_str).collect();
        let names: Vec<&str> = names.into_iter().collect();
        let paths: Vec<PathBuf> = files.iter().map(|file| file.1.clone()).collect();
        let mut naming: HashMap<PathBuf, usize> = HashMap::new();
        for file in files_naming(&names, &paths).into_iter().flatten() {
            *naming.entry(file).or_default() += 1;
        }
        Self { places, naming }
    }

    /// How many names of folders a file may hold.
    fn named_in(&self, file: &Path) -> usize {
        self.naming.get(file).copied().unwrap_or(0)
    }

    /// Where in a library there are folders of a name.
    fn called(&self, library: &Path, name: &str) -> impl Iterator<Item = &PathBuf> {
        self.places.get(library).and_then(|places| places.get(name)).into_iter().flatten()
    }
}

/// What leads to folders of its library in a file.
fn leads_in((library, file, _): &InLibrary, folders: &Folders) -> Option<LeadFile> {
    if folders.named_in(file) == 0 {
        return None;
    }
    for shape in shapes(file) {
        let Ok(source) = Source::read(file, shape) else { continue };
        let mut leads = Vec::new();
        each_leaf(&source, &mut |place, side, text| {
            if side == Side::Key || text.is_empty() || text.contains('\n') || text.starts_with('.') {
                return;
            }
            let lead = |dir: PathBuf, sub: Option<PathBuf>| {
                let is_one = dir != *library && !file.starts_with(&dir);
                is_one.then(|| (LeadKey { place: place.clone(), sub }, dir))
            };
            if text.contains(['/', '\\']) {
                let read = Spelling::read(text, &Bases::default());
                let path =
                    read.ok().map(|(_, path)| path).filter(|path| path.starts_with(library) && path.look_is_dir());
                let way = || folder_below(library, text, &Bases::default());
                match path {
                    Some(path) => leads.extend(lead(path, None)),
                    None => leads.extend(way().and_then(|path| lead(path, Some(PathBuf::new())))),
                }
            } else {
                let called = folders.called(library, text);
                leads.extend(called.filter_map(|sub| lead(library.join(sub).join(text), Some(sub.clone()))));
            }
        });
        if !leads.is_empty() {
            return Some(LeadFile { library: library.clone(), file: file.clone(), shape, leads });
        }
    }
    None
}

/// The key by which most files lead to folders of their own.
fn best_key(files: &[LeadFile]) -> Option<(LeadKey, usize)> {
    let mut dirs: BTreeMap<&LeadKey, BTreeSet<&Path>> = BTreeMap::new();
    let mut counts: BTreeMap<&LeadKey, usize> = BTreeMap::new();
    for (key, dir) in files.iter().flat_map(|file| &file.leads) {
        dirs.entry(key).or_default().insert(dir);
        *counts.entry(key).or_default() += 1;
    }
    let apart = dirs.into_iter().filter(|(key, dirs)| dirs.len() > 1 && dirs.len() == counts[key]);
    // The game's folder, not one in it; a whole path says more than a name; of several the first.
    let best = apart.max_by_key(|(key, dirs)| (dirs.len(), Reverse(depth_of(dirs)), key.sub.is_none(), Reverse(*key)));
    best.map(|(key, dirs)| (key.clone(), dirs.len()))
}

fn depth_of(dirs: &BTreeSet<&Path>) -> usize {
    dirs.iter().map(|dir| dir.components().count()).sum()
}

fn exact(place: &Place) -> Option<Pattern> {
    let step = |step: &Step| match step {
        Step::Name(name) => Some(PatternStep::Name(name.clone())),
        Step::Index(0) => Some(PatternStep::Any),
        Step::Index(_) => None,
    };
    place.0.iter().map(step).collect::<Option<Vec<_>>>().map(Pattern)
}

/// A file for each game, of those of one folder in each library that end alike.
fn file_for_each(libraries: &[PathBuf], group: &[&InLibrary], folders: &Folders) -> Option<GameList> {
    // Most files of a library are a game's own: a few tell.
    let probed = group.iter().step_by(group.len().div_ceil(PROBED)).filter_map(|file| leads_in(file, folders)).count();
    if probed == 0 {
        return None;
    }
    let files: Vec<LeadFile> = group.iter().filter_map(|file| leads_in(file, folders)).collect();
    let (key, count) = best_key(&files)?;
    let shape = files.iter().find(|file| file.leads.iter().any(|lead| lead.0 == key))?.shape;
    // Files beside that say something else are of games that are not here, if most are of games that are.
    if count * 2 <= group.len() {
        return None;
    }
    let to_path = exact(&key.place)?;
    let mut entries = Vec::new();
    for (_, file, _) in group {
        let Ok(source) = Source::read(file, shape) else { continue };
        let here = files.iter().find(|lead| lead.file == *file);
        let dir = here.and_then(|here| here.leads.iter().find(|lead| lead.0 == key)).map(|(_, dir)| dir.clone());
        let scalars = source.value_at(&Place::default()).map(|value| scalars_of(&value)).unwrap_or_default();
        entries.push(Entry { file: file.clone(), place: Place::default(), dir, scalars });
    }
    let below = group.first()?.2.parent()?.to_path_buf();
    let names: Vec<&str> = group.iter().filter_map(|(_, _, below)| below.file_name()?.to_str()).collect();
    let (before, after) = around(&names)?;
    let at =
        ListAt::InLibraries { libraries: libraries.to_vec(), below, name: Some((before, after)), sub: key.sub.clone() };
    let by_name = key.sub.is_some();
    Some(GameList::new(at, shape, (Pattern::default(), to_path), by_name, entries))
}

/// A list of the games of each library, in a file of the same name.
fn list_in_each(libraries: &[PathBuf], group: &[&InLibrary], folders: &Folders) -> Option<GameList> {
    let files: Vec<LeadFile> = group.iter().filter_map(|file| leads_in(file, folders)).collect();
    let shape = files.first()?.shape;
    // The step that tells entries apart, and what is the same before and behind it.
    type Around = (Vec<Step>, Vec<Step>, Option<PathBuf>);
    let mut lists: BTreeMap<Around, BTreeSet<&Path>> = BTreeMap::new();
    for (key, dir) in files.iter().flat_map(|file| &file.leads) {
        for at in 0..key.place.0.len() {
            let (before, behind) = (key.place.0[..at].to_vec(), key.place.0[at + 1..].to_vec());
            if before.iter().chain(&behind).all(|step| matches!(step, Step::Name(_))) {
                lists.entry((before, behind, key.sub.clone())).or_default().insert(dir);
            }
        }
    }
    let best = lists.into_iter().filter(|(_, dirs)| dirs.len() > 1);
    // Of those that say as much, a whole path, and the entries that say most.
    let ((before, behind, sub), _) = best.max_by_key(|((before, behind, sub), dirs)| {
        (dirs.len(), Reverse(depth_of(dirs)), sub.is_none(), behind.len(), before.len())
    })?;
    if behind.is_empty() {
        return None;
    }
    let names = |steps: &[Step]| exact(&Place(steps.to_vec()));
    let (mut to_entry, to_path) = (names(&before)?, names(&behind)?);
    to_entry.0.push(PatternStep::Any);
    let mut entries = Vec::new();
    for (library, file, _) in group {
        let Ok(source) = Source::read(file, shape) else { continue };
        for place in source.children(&Place(before.clone())).unwrap_or_default() {
            let whole = Place([place.0.clone(), behind.clone()].concat());
            // An entry of another kind makes it another list.
            source.leaf(&whole, Side::Value).filter(|text| !text.is_empty())?;
            let own = files.iter().find(|lead| lead.file == *file && lead.library == *library);
            let mut leads = own.iter().flat_map(|own| &own.leads);
            let dir = leads.find(|(key, _)| key.place == whole && key.sub == sub).map(|(_, dir)| dir.clone());
            let scalars = source.value_at(&place).map(|value| scalars_of(&value)).unwrap_or_default();
            entries.push(Entry { file: file.clone(), place, dir, scalars });
        }
    }
    let here = entries.iter().filter(|entry| entry.dir.is_some()).count();
    if here * 2 <= entries.len() {
        return None;
    }
    let by_name = sub.is_some();
    let at = ListAt::InLibraries { libraries: libraries.to_vec(), below: group.first()?.2.clone(), name: None, sub };
    Some(GameList::new(at, shape, (to_entry, to_path), by_name, entries))
}

/// What a library's own file of games says beside the list: the place of a sum, JSONPath from an entry to what it sums, and the text of
/// a file with no games in it.
#[derive(Debug)]
pub(super) struct OwnFile {
    pub total: Option<String>,
    pub claim: Option<String>,
    pub new_file: String,
}

/// What the list's own files say beside it; `None` where something of them is not understood.
pub(super) fn own_file(list: &GameList) -> Option<OwnFile> {
    let format = list.shape.format()?;
    let mut above = list.to_entry.clone();
    above.0.pop();
    let at = above.selector();
    let files: BTreeSet<&Path> = list.entries.iter().map(|entry| entry.file.as_path()).collect();
    let mut totals: Option<BTreeSet<(String, String)>> = None;
    let mut counts: Option<BTreeSet<String>> = None;
    for file in &files {
        let source = Source::read(file, list.shape).ok()?;
        let own: Vec<&Entry> = list.entries.iter().filter(|entry| entry.file == **file).collect();
        let (sums, count) = (sums_of(&own), own.len());
        let mut value = source.value_at(&Place::default())?.into_owned();
        *Place::read(&at)?.of_mut(&mut value)? = Value::Null;
        let scalars = scalars_of(&value);
        let total = |(selector, text): (&String, &String)| {
            let same = sums.iter().filter(|(_, sum)| text.parse() == Ok(**sum)).map(|(column, _)| column.clone());
            same.map(|column| (selector.clone(), column)).collect::<Vec<_>>()
        };
        let here: BTreeSet<(String, String)> = scalars.iter().flat_map(total).collect();
        totals = Some(totals.map_or(here.clone(), |known| known.intersection(&here).cloned().collect()));
        let here = scalars.iter().filter(|(_, text)| text.parse() == Ok(count)).map(|(selector, _)| selector.clone());
        let here: BTreeSet<String> = here.collect();
        counts = Some(counts.map_or(here.clone(), |known| known.intersection(&here).cloned().collect()));
    }
    // A number that is that of the games in every library may count them.
    if counts.is_some_and(|counts| !counts.is_empty()) {
        return None;
    }
    let mut totals = totals?.into_iter();
    let (total, None) = (totals.next(), totals.next()) else { return None };
    let (total, claim) = total.unzip();
    let mut document = Document::parse(platform::read(files.first()?).ok()?, format).ok()?;
    let place = document.find(&at).ok()?.into_iter().next()?;
    while document.children(&place).is_some_and(|children| !children.is_empty()) {
        let bytes = document.remove(&place, 0).ok()?;
        document = Document::parse(bytes, format).ok()?;
    }
    if let Some(total) = &total {
        let place = document.find(total).ok()?.into_iter().next()?;
        let bytes = document.replace(&place, Side::Value, "0", None).ok()?;
        document = Document::parse(bytes, format).ok()?;
    }
    Some(OwnFile { total, claim, new_file: document.text().to_string() })
}

/// The sums of numbers that every entry has, where they are none by chance.
pub(super) fn sums_of(entries: &[&Entry]) -> BTreeMap<String, u64> {
    let Some(first) = entries.first() else { return BTreeMap::new() };
    let sum = |selector: &String| {
        let numbers = entries.iter().map(|entry| entry.scalars.get(selector)?.parse::<u64>().ok());
        let sum = numbers.sum::<Option<u64>>()?;
        (sum >= NO_CHANCE).then(|| (selector.clone(), sum))
    };
    first.scalars.keys().filter_map(sum).collect()
}
