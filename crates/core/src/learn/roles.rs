//! What the texts and numbers of an entry are for, by what they say of each game: ids, titles, sizes, programs, times.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::{Path, PathBuf};

use jiff::Timestamp;

use super::learned::{Candidate, Known, Question};
use super::list::{Entry, GameList, ListAt};
use crate::platform::Look;
use crate::record::Step;
use crate::survey::FolderListing;

/// JSONPaths from an entry.
#[derive(Clone, Debug, Default)]
pub(super) struct Roles {
    /// Without one the key, or the name of the file, is the id.
    pub id: Option<String>,
    pub title: Option<String>,
    pub claim: Option<String>,
    pub program: Option<String>,
    pub last_run: Option<String>,
    pub questions: Vec<Question>,
    /// What files near the list are called after.
    near: HashSet<String>,
}

/// How alike a title and a folder's name are at least, of 1; and two candidates by less than this are not told apart.
const ALIKE: f64 = 0.4;
const APART: f64 = 0.15;

/// Games that are measured.
const MEASURED: usize = 5;

/// Games beside which files are looked at.
const NEAR_GAMES: usize = 20;

/// A number is a game's size if it is no further from it than this part of it.
const NEAR: f64 = 0.03;

impl Roles {
    /// The id of an entry.
    pub fn id_of(&self, list: &GameList, entry: &Entry) -> Option<String> {
        match &self.id {
            Some(selector) => entry.scalars.get(selector).cloned(),
            None => list.key(entry).or_else(|| list.folder_name(entry)),
        }
    }

    pub fn known(&self) -> BTreeSet<Known> {
        let all = [
            (Known::Title, &self.title),
            (Known::Size, &self.claim),
            (Known::Program, &self.program),
            (Known::LastRun, &self.last_run),
        ];
        all.into_iter().filter(|(_, selector)| selector.is_some()).map(|(known, _)| known).collect()
    }
}

/// What each scalar says, of all entries that have it.
type Columns<'a> = BTreeMap<&'a str, Vec<(&'a Entry, &'a str)>>;

/// Finds out what is what; `None` if nothing tells the entries apart for good.
pub(super) fn of(list: &GameList, home: &Path) -> Option<Roles> {
    let mut columns: Columns<'_> = BTreeMap::new();
    for entry in &list.entries {
        for (selector, text) in &entry.scalars {
            columns.entry(selector).or_default().push((entry, text));
        }
    }
    let all = list.entries.len();
    let mut roles = Roles { near: names_near(list, home), ..Roles::default() };
    let titles = titles(&columns, all);
    roles.title = titles.first().map(|(selector, _)| (*selector).to_string());
    if titles.len() > 1 && titles[0].1 - titles[1].1 < APART {
        let close: Vec<&str> = titles.iter().filter(|one| titles[0].1 - one.1 < APART).map(|one| one.0).collect();
        roles.questions.push(question(Known::Title, &close, &columns));
    }
    let keys: Option<HashSet<String>> = list.entries.iter().map(|entry| list.key(entry)).collect();
    let by_text = id(list, &columns, &roles);
    let by_key = keys.is_some_and(|keys| keys.len() == all);
    // What other files are called after is what the launcher knows a game by.
    let in_files = matches!(list.at, ListAt::One(_) | ListAt::InLibraries { name: None, .. })
        && by_text.as_ref().is_some_and(|(rank, _)| *rank == 0);
    if !by_key || in_files {
        roles.id = by_text.map(|(_, selector)| selector);
        // A list of nothing but places: each is known by its folder's name.
        let numbered = || list.entries.iter().all(|entry| matches!(entry.place.0.last(), Some(Step::Index(_))));
        if roles.id.is_none() {
            let names: Option<HashSet<String>> = list.entries.iter().map(|entry| list.folder_name(entry)).collect();
            names.filter(|names| names.len() == all && !by_key && numbered())?;
        }
    }
    roles.claim = claim(&columns);
    roles.program = program(&columns);
    roles.last_run = last_run(&columns);
    Some(roles)
}

fn question(about: Known, selectors: &[&str], columns: &Columns<'_>) -> Question {
    let candidate = |selector: &&str| Candidate {
        selector: (*selector).to_string(),
        examples: columns[*selector].iter().take(3).map(|(_, text)| (*text).to_string()).collect(),
        libraries: Vec::new(),
        none: false,
        profile: None,
        then: Vec::new(),
    };
    Question { about, candidates: selectors.iter().map(candidate).collect() }
}

fn unique(values: &[(&Entry, &str)], all: usize) -> bool {
    let texts: HashSet<&str> = values.iter().map(|(_, text)| *text).filter(|text| !text.is_empty()).collect();
    values.len() == all && texts.len() == all
}

fn is_path(text: &str) -> bool {
    text.contains(['/', '\\'])
}

/// Texts that are most like the names of the folders, the best first.
fn titles<'a>(columns: &Columns<'a>, all: usize) -> Vec<(&'a str, f64)> {
    let mut found: Vec<(&str, f64)> = columns
        .iter()
        .filter(|(_, values)| unique(values, all) && values.iter().all(|(_, text)| !is_path(text)))
        .filter_map(|(selector, values)| {
            let here: Vec<f64> = values
                .iter()
                .filter_map(|(entry, text)| Some(alike(text, entry.dir.as_ref()?.file_name()?.to_str()?)))
                .collect();
            let score = here.iter().sum::<f64>() / here.len().max(1) as f64;
            // People write titles with capitals and blanks; a name for programs has neither.
            let people = values.iter().filter(|(_, text)| text.contains([' ']) || text.starts_with(char::is_uppercase));
            // What is the folder's name for every game says the folder.
            let is_folder = |(entry, text): &(&Entry, &str)| entry.dir.as_ref().is_none_or(|dir| dir.ends_with(text));
            let folder = if values.iter().all(is_folder) { 0.4 } else { 0.0 };
            let score_of_people = 0.3 * people.count() as f64 / values.len() as f64;
            (score >= ALIKE).then_some((*selector, score + score_of_people - folder))
        })
        .collect();
    found.sort_by(|a, b| b.1.total_cmp(&a.1).then_with(|| a.0.cmp(b.0)));
    found
}

/// How many pairs of letters two names share, of 1.
fn alike(one: &str, other: &str) -> f64 {
    let pairs = |text: &str| -> Vec<(char, char)> {
        let letters: Vec<char> = text.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
        letters.windows(2).map(|two| (two[0], two[1])).collect()
    };
    let (one, mut other) = (pairs(one), pairs(other));
    let all = one.len() + other.len();
    let shared = one.iter().filter(|pair| {
        let at = other.iter().position(|known| known == *pair);
        at.map(|at| other.swap_remove(at)).is_some()
    });
    if all == 0 { 0.0 } else { 2.0 * shared.count() as f64 / all as f64 }
}

/// A text that no two entries share and that stays: one that other files are called after, a word, a number of as many digits each, a
/// title.
fn id(list: &GameList, columns: &Columns<'_>, roles: &Roles) -> Option<(usize, String)> {
    let (near, title) = (&roles.near, roles.title.as_deref());
    let rank = |selector: &str, values: &[(&Entry, &str)]| -> Option<usize> {
        if !unique(values, list.entries.len()) || values.iter().any(|(_, text)| is_path(text) || text.len() > 80) {
            return None;
        }
        let each = |is: &dyn Fn(&str) -> bool| values.iter().all(|(_, text)| is(text));
        let number = each(&|text| text.bytes().all(|b| b.is_ascii_digit() || b == b'.'));
        let same_length = values.windows(2).all(|two| two[0].1.len() == two[1].1.len());
        let joined = values.iter().filter(|(_, text)| near.contains(*text)).count() * 2 > values.len();
        let time = values.iter().all(|(_, text)| time_of(text).is_some());
        let size = is_size(values);
        Some(match () {
            () if joined => 0,
            () if time || size => return None,
            () if !number && each(&|text| !text.contains(' ')) && Some(selector) != title => 1,
            () if number && same_length => 2,
            () if Some(selector) == title => 3,
            () if !number => 4,
            () => 5,
        })
    };
    let ranked =
        columns.iter().filter_map(|(selector, values)| Some((rank(selector, values)?, selector.len(), *selector)));
    ranked.min().map(|(rank, _, selector)| (rank, selector.to_string()))
}

/// Whether other files are called after what games are known by now.
fn is_joined(list: &GameList, roles: &Roles) -> bool {
    let named = list.entries.iter().filter_map(|entry| roles.id_of(list, entry)).filter(|id| roles.near.contains(id));
    named.count() * 2 > list.entries.len()
}

impl Roles {
    /// Has games be known by another text of their entries, if that names every one and nothing else is called after what they are known by.
    pub fn know_by(&mut self, list: &GameList, selector: &str) -> bool {
        if self.id.as_deref() == Some(selector) {
            return true;
        }
        let all: Option<HashSet<&String>> = list.entries.iter().map(|entry| entry.scalars.get(selector)).collect();
        let names_all = all.is_some_and(|all| all.len() == list.entries.len());
        let may = names_all && !is_joined(list, self);
        if may {
            self.id = Some(selector.into());
        }
        may
    }
}

/// What files near a list and in its launcher's folder are called after, also one folder deeper: their names without endings, and the parts
/// of these between signs. Games are no such files.
fn names_near(list: &GameList, home: &Path) -> HashSet<String> {
    let games: HashSet<&Path> = list.dirs().collect();
    let listed = |folder: &Path| -> Vec<(PathBuf, bool)> {
        let entries = crate::platform::read_dir(folder).into_iter().flatten().flatten();
        let entries = entries.map(|entry| (entry.path(), entry.file_type().is_ok_and(|kind| kind.is_dir())));
        entries.filter(|(path, _)| !games.contains(path.as_path())).collect()
    };
    let shelves = games.iter().filter_map(|dir| dir.parent()).take(NEAR_GAMES);
    let folders: BTreeSet<&Path> = list.file().parent().into_iter().chain([home]).chain(shelves).collect();
    let near = folders.into_iter().flat_map(listed);
    let deeper = |(path, is_folder): (PathBuf, bool)| {
        let inner = if is_folder { listed(&path) } else { Vec::new() };
        inner.into_iter().map(|(path, _)| path).chain([path])
    };
    let mut names = HashSet::new();
    for path in near.flat_map(deeper) {
        add_parts(&path.file_stem().unwrap_or_default().to_string_lossy(), &mut names);
    }
    names
}

/// Adds a name, and what stands between any two signs of it.
fn add_parts(name: &str, names: &mut HashSet<String>) {
    const MOST: usize = 12;
    let signs = name.match_indices(['_', '-', '.', ' ']).map(|(at, _)| at);
    let ends: Vec<usize> = signs.clone().chain([name.len()]).take(MOST).collect();
    let starts: Vec<usize> = [0].into_iter().chain(signs.map(|at| at + 1)).take(MOST).collect();
    for start in starts {
        names.extend(ends.iter().filter(|end| start < **end).map(|end| name[start..*end].to_string()));
    }
}

fn measured<'a>(values: &[(&'a Entry, &'a str)]) -> Vec<(f64, f64)> {
    let number = |(entry, text): &(&Entry, &str)| {
        let says: f64 = text.parse().ok().filter(|n: &f64| *n >= 1.0)?;
        Some((says, FolderListing::of(entry.dir.as_ref()?).bytes() as f64))
    };
    values.iter().filter_map(number).take(MEASURED).collect()
}

fn is_size(values: &[(&Entry, &str)]) -> bool {
    if values.iter().any(|(_, text)| text.is_empty() || !text.bytes().all(|b| b.is_ascii_digit())) {
        return false;
    }
    let measured = measured(values);
    // Of some a launcher says what they had once, or will have.
    let near = measured.iter().filter(|(says, has)| (says - has).abs() <= has * NEAR).count();
    near > 0 && near * 3 >= measured.len() * 2
}

/// Numbers near the bytes that the games have.
fn claim(columns: &Columns<'_>) -> Option<String> {
    let near = columns.iter().filter(|(_, values)| is_size(values)).map(|(selector, values)| {
        let far: f64 = measured(values).iter().map(|(says, has)| (says - has).abs()).sum();
        (far, *selector)
    });
    near.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, selector)| selector.to_string())
}

/// Texts that name a file below the game's folder.
fn program(columns: &Columns<'_>) -> Option<String> {
    let is_one = |(entry, text): &(&Entry, &str)| {
        let inner = Path::new(text);
        let below = !text.is_empty() && inner.is_relative() && !text.contains("..");
        below && entry.dir.as_ref().is_some_and(|dir| dir.join(inner).look_meta().is_ok_and(|meta| meta.is_file()))
    };
    let here = |values: &[(&Entry, &str)]| values.iter().filter(|(entry, _)| entry.dir.is_some()).count();
    let fits = |(_, values): &(&&str, &Vec<(&Entry, &str)>)| {
        let count = values.iter().filter(|value| is_one(value)).count();
        count > 0 && count == here(values)
    };
    columns.iter().filter(fits).map(|(selector, _)| (*selector).to_string()).next()
}

fn time_of(text: &str) -> Option<Timestamp> {
    let year = |time: &Timestamp| (1_000_000_000..4_000_000_000).contains(&time.as_second());
    text.parse().ok().or_else(|| Timestamp::from_second(text.parse().ok()?).ok()).filter(year)
}

/// Times that differ; of several the latest, since what was installed ran afterwards.
fn last_run(columns: &Columns<'_>) -> Option<String> {
    let times = columns.iter().filter_map(|(selector, values)| {
        let times: Option<Vec<Timestamp>> = values.iter().map(|(_, text)| time_of(text)).collect();
        let times = times?;
        let differ = times.iter().collect::<BTreeSet<_>>().len() > 1;
        differ.then(|| {
            (times.iter().map(|time| i128::from(time.as_second())).sum::<i128>() / times.len() as i128, *selector)
        })
    });
    times.max().map(|(_, selector)| selector.to_string())
}
