//! Lists of games: texts of one file, or of files alike, that stand at the same place of different entries and lead to different folders.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::by_reference::{list_by_reference, reference_of};
use super::evidence::Evidence;
use super::families::families;
use super::held::joined_over;
use super::in_libraries::list_in_libraries;
use super::inner::folders_around;
use super::kinds::by_kind_of;
use super::list::{
    AboveSeen, Entry, GameList, ListAt, are_libraries, come_again, games_in, is_bare, is_called_after, is_called_as,
    is_of_games,
};
use super::pairs::{by_names, by_number};
use super::pattern::{Pattern, PatternStep, kinds};
use super::seen::{Seen, SeenFile, seen_files};
use super::whose::folder_of;
use crate::record::scalars_of;
use crate::record::{Bases, Place, Side, Source, Spelling, Step};
use crate::site::Site;
use crate::trace::{bases_near, entry_of};

/// What a launcher lists.
#[derive(Clone, Debug)]
pub(super) struct LauncherLists {
    pub games: GameList,
    /// Lists of folders in which games of it lie.
    pub libraries: Vec<GameList>,
    /// A file that says such a folder in an object of its own, which may be the only entry of a list of libraries.
    pub unclear: Option<PathBuf>,
    /// What else leads to folders above its games.
    pub above: Vec<AboveSeen>,
}

impl LauncherLists {
    /// The list that lies in the launcher's own folder.
    pub fn at_home(&self) -> &GameList {
        if self.games.lies_in_libraries() { self.libraries.first().unwrap_or(&self.games) } else { &self.games }
    }
}

/// Texts of one structure in one file.
struct Group<'a> {
    file: &'a SeenFile,
    seen: Vec<&'a Seen>,
    /// The step to its entries, where other things stand among them.
    only: Option<String>,
}

/// The lists of games of all launchers, one for each launcher, each with the lists of folders in which its games lie.
///
/// Beside them those lists of folders that hold games which no list of the same launcher names.
pub(super) fn lists_of(site: &Site, evidence: &Evidence) -> (Vec<LauncherLists>, Vec<GameList>) {
    let files = seen_files(site, evidence);
    let mut lists = games_of(site, evidence, &files);
    let libraries = without_libraries(&mut lists);
    let mut by_home: BTreeMap<PathBuf, Vec<GameList>> = BTreeMap::new();
    for list in lists {
        by_home.entry(folder_of(site, list.file(), evidence)).or_default().push(list);
    }
    // What lies in the libraries of a launcher goes with its games: it is the list, whatever else names them.
    for list in &libraries {
        if let Some(kept) = list_in_libraries(list) {
            let home = folder_of(site, list.file(), evidence);
            by_home.insert(home, vec![kept]);
        }
    }
    let kept: Vec<GameList> = by_home.values().flatten().filter(|list| list.lies_in_libraries()).cloned().collect();
    let lies_kept = |list: &GameList| {
        let within = |kept: &GameList| match &kept.at {
            ListAt::InLibraries { libraries, .. } => libraries.iter().any(|library| list.file().starts_with(library)),
            _ => false,
        };
        !list.lies_in_libraries() && kept.iter().any(within)
    };
    let machine = Machine { site, evidence, files: &files, libraries: &libraries };
    let mut all = Vec::new();
    for (home, mut lists) in by_home {
        lists.retain(|list| !lies_kept(list));
        all.extend(machine.of_home(&home, lists));
    }
    all.extend(lists_of_inner(&machine, &all));
    let homes: HashSet<PathBuf> = all.iter().map(|one| folder_of(site, one.at_home().file(), evidence)).collect();
    let alone = {
        let games: HashSet<&Path> = all.iter().flat_map(|one| one.games.dirs()).collect();
        // What is a game of another list is no library, however its parts look.
        let is_alone = |list: &GameList| {
            !list.dirs().any(|dir| games.contains(dir))
                && !homes.contains(&folder_of(site, list.file(), evidence))
                && list.dirs().any(|dir| !games_in(dir).is_empty())
        };
        libraries.into_iter().filter(is_alone).collect::<Vec<_>>()
    };
    let (referring, left) = referring(site, evidence, alone);
    all.extend(referring);
    (all, left)
}

/// The lists of launchers of which none leads to games: what they say leads to programs or folders within these.
fn lists_of_inner(machine: &Machine<'_>, known: &[LauncherLists]) -> Vec<LauncherLists> {
    let Machine { site, evidence, .. } = *machine;
    let homes: HashSet<PathBuf> = known.iter().map(|one| folder_of(site, one.at_home().file(), evidence)).collect();
    let mut by_home: BTreeMap<PathBuf, Vec<&SeenFile>> = BTreeMap::new();
    for file in machine.files {
        by_home.entry(folder_of(site, &file.file, evidence)).or_default().push(file);
    }
    // What lies among the games of a list, or in a library of its launcher, is that launcher's.
    let games = known.iter().flat_map(|one| one.games.dirs()).filter_map(Path::parent);
    let libraries = known.iter().flat_map(|one| &one.libraries).flat_map(GameList::dirs);
    let shelves: HashSet<&Path> = games.chain(libraries).collect();
    let top = |shelf: &Path| site.places.home.starts_with(shelf);
    let among = |home: &Path| home.ancestors().any(|above| shelves.contains(above) && !top(above));
    by_home.retain(|home, _| !homes.contains(home) && !among(home));
    let of_home = |(home, files): (PathBuf, Vec<&SeenFile>)| {
        let folders = folders_around(site, &files)?;
        let files: Vec<SeenFile> = files.into_iter().map(|file| folders.leading_to_games(file)).collect();
        let lists = games_of(site, evidence, &files).into_iter();
        let lists = lists.map(|list| GameList { folders: folders.templates(site, &list), ..list }).collect();
        machine.of_home(&home, lists)
    };
    by_home.into_iter().filter_map(of_home).collect()
}

/// All lists that the texts of these files make.
fn games_of(site: &Site, evidence: &Evidence, files: &[SeenFile]) -> Vec<GameList> {
    let mut lists = families(site, evidence, files);
    let in_family: HashSet<PathBuf> =
        lists.iter().flat_map(|list| &list.entries).map(|entry| entry.file.clone()).collect();
    for file in files.iter().filter(|file| !in_family.contains(&file.file)) {
        lists.extend(groups(file).into_iter().flat_map(by_kind).filter_map(|group| list_of(site, evidence, &group)));
    }
    lists
}

/// What was seen on a machine, for the lists of one launcher.
struct Machine<'a> {
    site: &'a Site,
    evidence: &'a Evidence,
    files: &'a [SeenFile],
    libraries: &'a [GameList],
}

impl Machine<'_> {
    /// The best of the lists that lie in a launcher's own folder, with what else that says of its games; `None` if none is one of games.
    fn of_home(&self, home: &Path, mut lists: Vec<GameList>) -> Option<LauncherLists> {
        // Folders of programs, of data: parts of the games of another list.
        let dirs: Vec<Vec<PathBuf>> = lists.iter().map(|list| list.dirs().map(Path::to_path_buf).collect()).collect();
        let is_part = |list: &GameList| {
            let below = |dir: &Path, all: &[PathBuf]| all.iter().any(|above| above != dir && dir.starts_with(above));
            dirs.iter().any(|all| list.dirs().all(|dir| below(dir, all)))
        };
        lists.retain(|list| !is_part(list));
        let lists = joined_over(lists, self.libraries);
        let best = lists.into_iter().max_by_key(GameList::weight)?;
        let (playable, dirs, ..) = best.weight();
        if playable * 2 <= dirs {
            return None;
        }
        // What an entry says of one game is no list of its own.
        let own: HashSet<(&Path, &Place)> =
            best.entries.iter().map(|entry| (entry.file.as_path(), &entry.place)).collect();
        let apart =
            |list: &GameList| list.entries.iter().all(|entry| !own.contains(&(entry.file.as_path(), &entry.place)));
        let of_it = |list: &&GameList| {
            folder_of(self.site, list.file(), self.evidence) == home
                && list.holds_some_of(&best)
                && apart(list)
                && !is_of_games(list, &best)
        };
        let libraries: Vec<GameList> = self.libraries.iter().filter(of_it).cloned().collect();
        let told = |file: &Path, seen: &Seen| {
            let lists = libraries.iter().chain([&best]);
            let mut entries = lists.flat_map(|list| &list.entries);
            entries.any(|entry| entry.file == file && seen.place.0.starts_with(&entry.place.0))
        };
        let is_root = |file: &Path, seen: &Seen| {
            let above = best.dirs().any(|dir| dir != seen.dir && dir.starts_with(&seen.dir));
            above && !seen.by_name && is_keyed(&seen.place) && !told(file, seen)
        };
        let here = self.files.iter().filter(|file| folder_of(self.site, &file.file, self.evidence) == home);
        let unclear = here.filter(|file| file.seen.iter().any(|seen| is_root(&file.file, seen)));
        let unclear = unclear.map(|file| file.file.clone()).next();
        let here = self.files.iter().filter(|file| folder_of(self.site, &file.file, self.evidence) == home);
        let leads_above = |file: &SeenFile| -> Vec<AboveSeen> {
            let holds = |seen: &&Seen| best.dirs().any(|dir| dir != seen.dir && dir.starts_with(&seen.dir));
            let mut above: Vec<&Seen> = file.seen.iter().filter(holds).collect();
            above.retain(|seen| !seen.by_name && seen.side == Side::Value && !told(&file.file, seen));
            let one = |seen: &Seen| AboveSeen {
                file: file.file.clone(),
                shape: file.shape,
                place: seen.place.clone(),
                dir: seen.dir.clone(),
            };
            above.into_iter().map(one).collect()
        };
        let above = here.flat_map(leads_above).collect();
        let mut best = best;
        if let [libraries] = libraries.as_slice() {
            (best.reference, best.perhaps) = reference_of(libraries, &best);
        }
        Some(LauncherLists { games: best, libraries, unclear, above })
    }
}

/// Of libraries whose games no list names by their paths: the lists that refer to them, and the libraries of which there is none.
fn referring(site: &Site, evidence: &Evidence, alone: Vec<GameList>) -> (Vec<LauncherLists>, Vec<GameList>) {
    let lists_in = |file: &SeenFile| {
        groups(file).into_iter().flat_map(by_kind).filter_map(|group| list_of(site, evidence, &group)).collect()
    };
    let (mut all, mut left) = (Vec::new(), Vec::new());
    for libraries in alone {
        match list_by_reference(site, evidence, &libraries, &lists_in) {
            Some(games) => {
                all.push(LauncherLists { games, libraries: vec![libraries], unclear: None, above: Vec::new() });
            }
            None => left.push(libraries),
        }
    }
    (all, left)
}

/// Whether a text stands in an object that is a member of another: a list may have one entry so far.
fn is_keyed(place: &Place) -> bool {
    place.0.len() > 2 && place.0.iter().all(|step| matches!(step, Step::Name(_)))
}

/// Texts of a file that stand at places alike.
fn groups(file: &SeenFile) -> Vec<Group<'_>> {
    type Alike<'a> = (Vec<bool>, Side, bool, Option<&'a Step>);
    let mut alike: HashMap<Alike<'_>, Vec<&Seen>> = HashMap::new();
    for seen in &file.seen {
        let last = match seen.place.0.as_slice() {
            // What an element is called, not that its text is one.
            [.., name @ Step::Name(_), Step::Index(_), Step::Name(text)] if text == "#text" => Some(name),
            [.., name @ Step::Name(_)] => Some(name),
            _ => None,
        };
        let last = last.filter(|_| seen.side == Side::Value);
        // The entries of an object of paths have a name each.
        alike.entry((kinds(&seen.place.0), seen.side, seen.by_name, last)).or_default().push(seen);
    }
    let mut all: Vec<Vec<&Seen>> = Vec::new();
    let mut lone: BTreeMap<Vec<Step>, Vec<&Seen>> = BTreeMap::new();
    for (_, seen) in alike {
        match seen.as_slice() {
            [one] if one.side == Side::Value => {
                let above = one.place.0.split_last().map(|(_, above)| above.to_vec()).unwrap_or_default();
                lone.entry(above).or_default().push(one);
            }
            _ => all.extend(parted(seen)),
        }
    }
    all.extend(lone.into_values());
    all.into_iter().map(|seen| Group { file, seen, only: None }).collect()
}

/// Parts places that differ in a name and in something behind it: they are two lists with entries alike.
fn parted(seen: Vec<&Seen>) -> Vec<Vec<&Seen>> {
    let places: Vec<&[Step]> = seen.iter().map(|seen| seen.place.0.as_slice()).collect();
    let named = |at: &usize| matches!(places[0][*at], Step::Name(_));
    let Some(first) = Pattern::of(&places).variable().into_iter().find(named) else { return vec![seen] };
    let mut parts: BTreeMap<&Step, Vec<&Seen>> = BTreeMap::new();
    for one in &seen {
        parts.entry(&one.place.0[first]).or_default().push(one);
    }
    let differ = |part: &Vec<&Seen>| {
        let rest: BTreeSet<&[Step]> = part.iter().map(|one| &one.place.0[first + 1..]).collect();
        rest.len() > 1
    };
    let apart = parts.values().all(differ) || parts.values().any(|part| varies_in_number(part, first));
    if !apart {
        return vec![seen];
    }
    parts.into_values().flat_map(parted).collect()
}

/// Parts entries of games from those of the libraries that they lie in, where one object or list has both.
fn by_kind(group: Group<'_>) -> Vec<Group<'_>> {
    let Some([games, libraries]) = by_kind_of(group.file, &group.seen) else { return vec![group] };
    let part = |(seen, only)| Group { file: group.file, seen, only: Some(only) };
    vec![part(games), part(libraries)]
}

/// Whether places have different numbers behind a step.
fn varies_in_number(part: &[&Seen], behind: usize) -> bool {
    let length = part[0].place.0.len();
    (behind + 1..length).any(|at| {
        let numbers: BTreeSet<&Step> =
            part.iter().map(|one| &one.place.0[at]).filter(|step| matches!(step, Step::Index(_))).collect();
        numbers.len() > 1
    })
}

/// The list that texts of one file make, with all its entries.
fn list_of(site: &Site, evidence: &Evidence, group: &Group<'_>) -> Option<GameList> {
    let source = Source::read(&group.file.file, group.file.shape).ok()?;
    let places: Vec<&[Step]> = group.seen.iter().map(|seen| seen.place.0.as_slice()).collect();
    let mut pattern = Pattern::of(&places);
    by_names(&mut pattern, &places, &|_, list, most| source.short_list_at(list, most));
    if group.seen.len() == 1 && group.seen[0].side == Side::Value && pattern.variable().is_empty() {
        // Entries that are numbered are a list, were there one of them so far.
        pattern.number_is_any(places[0]);
    }
    let dirs: BTreeSet<&Path> = group.seen.iter().map(|seen| seen.dir.as_path()).collect();
    let (side, by_name) = (group.seen[0].side, group.seen[0].by_name);
    let apart = |depth: &usize| {
        let entries: BTreeSet<&[Step]> = places.iter().map(|place| &place[..*depth]).collect();
        entries.len() >= dirs.len()
    };
    let mut depths: Vec<usize> = pattern.variable().into_iter().map(|at| at + 1).filter(apart).collect();
    if depths.is_empty() {
        // A key that is a path differs though no step before it does.
        depths.extend(Some(pattern.0.len()).filter(|_| side == Side::Key));
    }
    // The innermost that says something more than the path.
    let says_more = |depth: &usize| {
        let (entry, path) = (Place(places[0][..*depth].to_vec()), Place(places[0][*depth..].to_vec()).to_string());
        let scalars = source.value_at(&entry).map(|value| scalars_of(&value)).unwrap_or_default();
        scalars.keys().any(|key| *key != path)
    };
    let depth = depths.iter().rev().find(|depth| says_more(depth)).or(depths.last()).copied()?;
    let mut to_entry = Pattern(pattern.0[..depth].to_vec());
    if let (Some(only), Some(last)) = (&group.only, to_entry.0.last_mut()) {
        *last = PatternStep::Where(only.clone());
    }
    let mut to_path = Pattern(pattern.0[depth..].to_vec());
    by_number(&mut to_path, &places.iter().map(|place| &place[depth..]).collect::<Vec<_>>());
    let all = source.find(&to_entry.selector()).ok()?;
    let bases = Bases { relative_to: None, ..bases_near(site, &group.file.file, &evidence.layers) };
    let mut entries = Vec::new();
    let mut pure = true;
    for place in all {
        let inner = |seen: &&&Seen| seen.place.0.starts_with(&place.0);
        let here = group.seen.iter().find(inner);
        let text = || {
            let at = source.find(&crate::record::joined(&place, &to_path.selector())).ok()?.into_iter().next()?;
            source.leaf(&at, side)
        };
        // A game that is not here has an entry as well; what says no path has none.
        let leads =
            || !by_name && text().is_some_and(|text| Spelling::read(&text, &bases).is_ok_and(|(_, p)| p.is_absolute()));
        if here.is_none() && !leads() {
            pure = false;
            continue;
        }
        let scalars = source.value_at(&place).map(|value| scalars_of(&value)).unwrap_or_default();
        entries.push(Entry { file: group.file.file.clone(), place, dir: here.map(|seen| seen.dir.clone()), scalars });
    }
    let at = ListAt::One(group.file.file.clone());
    let list = GameList::new(at, group.file.shape, (to_entry, to_path), by_name, entries);
    Some(GameList { side, pure, ..list })
}

/// Takes out lists of folders within games, and lists of libraries, which it gives.
fn without_libraries(lists: &mut Vec<GameList>) -> Vec<GameList> {
    let dirs: Vec<BTreeSet<PathBuf>> = lists.iter().map(|list| list.dirs().map(Path::to_path_buf).collect()).collect();
    let entries: Vec<BTreeSet<(PathBuf, Place)>> = lists
        .iter()
        .map(|list| {
            let of_entry = |entry: &Entry| (entry.file.clone(), entry_of(&entry.place.child(Step::Index(0))));
            list.entries.iter().map(of_entry).collect()
        })
        .collect();
    let over: Vec<bool> =
        (0..lists.len()).map(|n| is_over(lists, &dirs, &entries, n) || are_libraries(lists[n].dirs())).collect();
    let shares = |n: usize, other: usize| n != other && !entries[n].is_disjoint(&entries[other]);
    let is_inner = |n: usize| {
        (0..lists.len()).any(|other| {
            // A title may be the name of a folder in the game.
            let holds = |dir: &PathBuf, above: &PathBuf| {
                let named = lists[n].by_name && !lists[n].is_below();
                above != dir && dir.starts_with(above) && (!named || is_called_as(above, dir))
            };
            let below = |dir: &PathBuf| dirs[other].iter().any(|above| holds(dir, above));
            shares(n, other) && !over[other] && dirs[n].iter().all(below)
        })
    };
    // The folder above, beside the name of each game, is a part of that.
    let is_part = |n: usize| {
        (0..lists.len()).any(|other| {
            let below = lists[other].is_below();
            let named = |dir: &PathBuf| {
                let is_above = |inner: &Path| inner.parent() == Some(dir) || (below && inner.starts_with(dir));
                dirs[other].iter().any(|inner| inner != dir && is_above(inner) && !is_called_as(dir, inner))
            };
            shares(n, other) && lists[other].by_name && dirs[n].iter().all(named)
        })
    };
    let dropped: Vec<bool> = (0..lists.len()).map(|n| is_inner(n) || is_part(n)).collect();
    let (mut games, mut libraries) = (Vec::new(), Vec::new());
    for ((list, over), dropped) in std::mem::take(lists).into_iter().zip(over).zip(dropped) {
        match (over, dropped) {
            (_, true) => {}
            (true, false) => libraries.push(list),
            (false, false) => games.push(list),
        }
    }
    *lists = games;
    libraries
}

/// Whether the folders of a list hold those of another, as libraries hold games.
fn is_over(lists: &[GameList], dirs: &[BTreeSet<PathBuf>], entries: &[BTreeSet<(PathBuf, Place)>], n: usize) -> bool {
    let within = |inner: &BTreeSet<PathBuf>, dir: &PathBuf| -> Vec<PathBuf> {
        inner.iter().filter(|other| *other != dir && other.starts_with(dir)).cloned().collect()
    };
    (0..lists.len()).any(|other| {
        if other == n {
            return false;
        }
        let held = dirs[n].iter().map(|dir| (dir, within(&dirs[other], dir))).filter(|(_, inner)| !inner.is_empty());
        let held: Vec<(&PathBuf, Vec<PathBuf>)> = held.collect();
        // Of the same entries, what lies deeper is a folder of the game.
        let apart = entries[n].is_disjoint(&entries[other]);
        let full = || dirs[n].iter().filter(|dir| !is_bare(dir)).count();
        let of_one = |(dir, inner): &(&PathBuf, Vec<PathBuf>)| inner.iter().all(|inner| is_called_after(dir, inner));
        let parts = || come_again(&held) || held.iter().all(of_one);
        let several = held.iter().any(|(_, inner)| inner.len() > 1);
        apart && !held.is_empty() && (several || dirs[other].len() >= full()) && !parts()
    })
}
