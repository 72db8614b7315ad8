//! Watching: the files of launchers are noted, a person installs or moves one small game with its launcher, and what has changed shows how
//! that keeps its records. A move that the launcher made itself is also the judge of what was learned.
//!
//! Law: nothing is written. What the launcher changed and the profile would not have is a doubt, but for times. Start at [`Watch::begin`].

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use serde_json::Value;

use super::evidence::Evidence;
use super::learn;
use super::learned::{Doubt, Learned, LearnedLauncher};
use crate::bytes::Bytes;
use crate::launcher::{FoundGame, FoundLauncher, Profile, read_launchers};
use crate::plan::{MakeLetters, Target, Unchangeable, record_edits};
use crate::platform::{self, Look, Process};
use crate::record::{Content, Document, Files, Format, Mood, Shape, Spelling};
use crate::site::{Site, real_path};
use crate::survey::FolderListing;
use crate::trace::{may_be_read, shapes};

/// Bytes of files that are kept to be compared with, in all, and of one file.
const KEPT: u64 = 64 << 20;
const LARGEST: u64 = 8 << 20;

/// Looks in a row in which nothing changes before what is there is believed.
const QUIET: usize = 3;

/// A file by its bytes and the time of its last change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Stamp {
    len: u64,
    modified: Option<SystemTime>,
}

type Stamps = BTreeMap<PathBuf, Stamp>;
/// The folders of games, by the launcher's own folder and its list.
type Dirs = BTreeMap<(PathBuf, PathBuf), BTreeSet<PathBuf>>;

/// What is waited for, and what was there when the waiting began.
pub struct Watch {
    paths: Vec<PathBuf>,
    profiles: Vec<Profile>,
    noted: Stamps,
    kept: BTreeMap<PathBuf, Vec<u8>>,
    before: Dirs,
    last: Stamps,
    quiet: usize,
    /// Whether what is there now was learned from already.
    tried: bool,
    seen: BTreeMap<PathBuf, Process>,
    homes: BTreeSet<PathBuf>,
}

/// What a look came to.
#[derive(Debug)]
pub enum Watched {
    /// Nothing has changed so far.
    Nothing,
    /// So many files have changed; none names a game that is new or elsewhere, or they still change.
    Changed(usize),
    /// A game was installed or moved.
    Game(Box<Witness>),
}

/// What a launcher did, and what that shows of it.
#[derive(Debug)]
pub struct Witness {
    /// What was learned of the launcher; without a profile where it was known.
    pub launcher: LearnedLauncher,
    /// Whether it was known before.
    pub known: bool,
    /// The game's folder.
    pub to: PathBuf,
    /// Where it lay before, if it was moved.
    pub from: Option<PathBuf>,
    /// Places that the launcher wrote as the profile would have.
    pub agree: usize,
    /// Programs that had its files open meanwhile.
    pub processes: Vec<Process>,
}

impl Watch {
    /// Notes what is there. Writes nothing.
    pub fn begin(site: &Site, paths: &[PathBuf], profiles: &[Profile]) -> Self {
        let evidence = Evidence::gather(site, paths);
        let noted = stamps(&evidence);
        let mut room = KEPT;
        let mut kept = BTreeMap::new();
        for (file, stamp) in &noted {
            if stamp.len <= LARGEST.min(room)
                && may_be_read(file, &evidence.places)
                && let Ok(bytes) = platform::read(file)
            {
                room -= stamp.len;
                kept.insert(file.clone(), bytes);
            }
        }
        let learned = learn(site, paths, profiles, &|_| {});
        let (before, homes) = (dirs(site, &learned, profiles), learned.launchers.iter().map(|one| one.home.clone()));
        let homes = homes.chain(before.keys().map(|(home, _)| home.clone())).collect();
        let (paths, profiles, last) = (paths.to_vec(), profiles.to_vec(), noted.clone());
        let seen = BTreeMap::new();
        Self { paths, profiles, noted, kept, before, last, quiet: 0, tried: true, seen, homes }
    }

    /// Files that are watched.
    pub fn files(&self) -> usize {
        self.noted.len()
    }

    /// Looks once more; to be called about once a second.
    pub fn look(&mut self, site: &Site) -> Watched {
        for home in &self.homes {
            if let Some(process) = site.process_from(home) {
                self.seen.insert(home.clone(), process);
            }
        }
        let now = stamps(&Evidence::gather(site, &self.paths));
        let same = now == self.last;
        self.last = now;
        (self.quiet, self.tried) = if same { (self.quiet + 1, self.tried) } else { (0, false) };
        let changed = self.changed();
        if changed == 0 {
            return Watched::Nothing;
        }
        if self.tried || self.quiet < QUIET {
            return Watched::Changed(changed);
        }
        self.tried = true;
        let learned = learn(site, &self.paths, &self.profiles, &|_| {});
        let witness = self.known_game(site).or_else(|| self.learned_game(site, learned));
        match witness {
            Some(witness) if is_whole(&witness.to) => Watched::Game(Box::new(witness)),
            Some(_) => {
                self.tried = false;
                Watched::Changed(changed)
            }
            None => Watched::Changed(changed),
        }
    }

    /// How many files are new, gone or have changed.
    fn changed(&self) -> usize {
        let came = self.last.iter().filter(|(file, stamp)| self.noted.get(*file) != Some(*stamp)).count();
        came + self.noted.keys().filter(|file| !self.last.contains_key(*file)).count()
    }

    /// A game of a launcher with a profile that was installed or moved.
    fn known_game(&self, site: &Site) -> Option<Witness> {
        read_launchers(site, &self.profiles).into_iter().find_map(|found| {
            let before = self.before.get(&(found.home.clone(), list_of(&found)))?;
            let game = found.games.iter().find(|game| !before.contains(&real_path(&game.install)))?;
            let launcher = LearnedLauncher::of_known(&found);
            Some(self.witness(site, launcher, &found, game, before, true))
        })
    }

    /// A game of a launcher that was learned now, and that was installed or moved.
    fn learned_game(&self, site: &Site, learned: Learned) -> Option<Witness> {
        let none = BTreeSet::new();
        learned.launchers.into_iter().find_map(|launcher| {
            let before = self.before.get(&(launcher.home.clone(), launcher.list.clone())).unwrap_or(&none);
            let new = launcher.games.iter().find(|game| !before.contains(&real_path(&game.install)))?;
            let to = new.install.clone();
            let profile = Profile::parse(&launcher.profile, Path::new("learned.toml")).ok();
            let found = profile.and_then(|profile| read_launchers(site, &[profile]).pop());
            let game = found.as_ref().and_then(|found| found.games.iter().find(|game| game.install == to));
            match (&found, game) {
                (Some(found), Some(game)) if launcher.doubt.is_none() => {
                    Some(self.witness(site, launcher, found, game, before, false))
                }
                _ => {
                    let processes = self.seen.get(&launcher.home).cloned().into_iter().collect();
                    Some(Witness { known: false, from: None, agree: 0, processes, to, launcher })
                }
            }
        })
    }

    fn witness(
        &self,
        site: &Site,
        mut launcher: LearnedLauncher,
        found: &FoundLauncher,
        game: &FoundGame,
        before: &BTreeSet<PathBuf>,
        known: bool,
    ) -> Witness {
        let now: BTreeSet<PathBuf> = found.games.iter().map(|game| real_path(&game.install)).collect();
        let mut gone = before.iter().filter(|dir| !now.contains(*dir) && dir.file_name() == game.install.file_name());
        let from = gone.next().cloned();
        let mut agree = 0;
        if let Some(from) = &from {
            match self.agrees(site, found, game, from) {
                Ok(places) => agree = places,
                Err(doubt) => launcher.doubt = Some(doubt),
            }
        }
        let processes: Vec<Process> = self.seen.get(&found.home).cloned().into_iter().collect();
        Witness { launcher, known, to: game.install.clone(), from, agree, processes }
    }

    /// How many places the launcher changed as the profile would have; what it changed otherwise is a doubt.
    fn agrees(&self, site: &Site, found: &FoundLauncher, game: &FoundGame, from: &Path) -> Result<usize, Doubt> {
        let unmovable = |what: String| Doubt::Unmovable { title: game.title.clone(), what };
        let library = found.libraries.iter().map(|library| library.path.as_path()).filter(|at| from.starts_with(at));
        let library = library.max_by_key(|at| at.components().count());
        let root = site.drive_of(from).map_or(Path::new("/"), |drive| drive.root.as_path());
        let target = Target { install: from, library, new_library: false, root, letters: MakeLetters::No };
        let edits = record_edits(site, found, game, &target, &[]).map_err(|why| match why {
            Unchangeable::NoLetter { path, .. } => unmovable(format!("no drive letter points to {}", path.display())),
            Unchangeable::Because(what) => unmovable(what),
        })?;
        let mut files = Files::carried(&game.install, from);
        files.make(&edits.edits, Mood::Strict).map_err(|error| unmovable(error.to_string()))?;
        let sums = Sums::of(game);
        let mut agree = 0;
        let mut back: BTreeSet<PathBuf> = BTreeSet::new();
        for change in files.changes() {
            back.insert(change.file.clone());
            let (Some(kept), Content::Bytes(made)) = (self.kept.get(&change.file), &change.after) else { continue };
            let (Some(was), Some(made)) = (said(&change.file, kept), said(&change.file, made)) else { continue };
            sums.compare(&change.file, game, &was, &made)?;
            agree += was.iter().filter(|(_, text)| leads(found, site, text, from)).count();
        }
        // What the launcher changed beside.
        let near = |file: &&PathBuf| {
            let libraries = found.libraries.iter().any(|library| file.parent() == Some(library.path.as_path()));
            (file.starts_with(&found.home) || libraries) && !back.contains(&real_path(file))
        };
        for (file, kept) in self.kept.iter().filter(|(file, _)| self.last.get(*file) != self.noted.get(*file)) {
            let now = Some(file).filter(near).and_then(|file| platform::read(file).ok());
            let Some((was, now)) = now.and_then(|now| Some((said(file, kept)?, said(file, &now)?))) else { continue };
            sums.compare(file, game, &was, &now)?;
        }
        Ok(agree)
    }
}

/// Numbers by which what a launcher counts changes when this game goes.
struct Sums(Vec<u64>);

impl Sums {
    fn of(game: &FoundGame) -> Self {
        let files: Vec<u64> = FolderListing::lazily(&game.install)
            .filter_map(|file| file.look_own_meta().ok().map(|meta| meta.len()))
            .collect();
        let claim = game.claim.map(Bytes::count);
        Self([1, files.len() as u64, files.iter().sum()].into_iter().chain(claim).collect())
    }

    /// Looks whether what a file says differs by more than times.
    fn compare(&self, file: &Path, game: &FoundGame, was: &Says, is: &Says) -> Result<(), Doubt> {
        let (gone, came) = (without(was, is), without(is, was));
        let number = |(_, text): &(String, String)| text.parse::<u64>().ok();
        let numbers: Vec<u64> = came.iter().filter_map(number).collect();
        let counts = |n: u64| numbers.iter().any(|other| self.0.contains(&n.abs_diff(*other)));
        if gone.iter().filter_map(number).any(counts) {
            return Err(Doubt::Counters(file.into()));
        }
        let tells =
            |(_, text): &&(String, String)| !text.is_empty() && text.parse::<f64>().is_err() && !is_a_time(text);
        match gone.iter().chain(&came).find(tells) {
            Some((_, text)) => {
                let says: String = text.chars().take(80).collect();
                Err(Doubt::AlsoChanged { title: game.title.clone(), file: file.into(), says })
            }
            None => Ok(()),
        }
    }
}

/// What the first says and the second does not, each as often as it is more often there.
fn without(first: &Says, second: &Says) -> Says {
    let mut there: BTreeMap<&(String, String), usize> = BTreeMap::new();
    for text in second {
        *there.entry(text).or_default() += 1;
    }
    let more = first.iter().filter(|text| match there.get_mut(text) {
        Some(left) if *left > 0 => {
            *left -= 1;
            false
        }
        _ => true,
    });
    more.cloned().collect()
}

/// Whether a text is a date or a time of day: mostly digits and the signs between them.
fn is_a_time(text: &str) -> bool {
    let digits = text.bytes().filter(u8::is_ascii_digit).count();
    let plain = || text.bytes().all(|byte| byte.is_ascii_digit() || b"-:./ TZ+".contains(&byte));
    digits > 3 && (text.parse::<jiff::Timestamp>().is_ok() || plain())
}

fn leads(found: &FoundLauncher, site: &Site, text: &str, dir: &Path) -> bool {
    let path = Spelling::read(text, &found.bases(site)).map(|(_, path)| path);
    path.is_ok_and(|path| path.starts_with(dir))
}

/// What a file says: each text and number with the names on the way there. Where it stands in a list does not count.
type Says = Vec<(String, String)>;

/// What a file says, by the first format that reads it and is not just lines.
fn said(file: &Path, bytes: &[u8]) -> Option<Says> {
    let formats = shapes(file).into_iter().filter_map(Shape::format);
    let mut read = formats.filter(|format| *format != Format::Lines);
    let document = read.find_map(|format| Document::parse(bytes.to_vec(), format).ok())?;
    let mut all = Vec::new();
    add_said(document.value(), "", &mut all);
    Some(all)
}

fn add_said(value: &Value, way: &str, all: &mut Says) {
    match value {
        Value::String(text) => all.push((way.into(), text.clone())),
        Value::Number(number) => all.push((way.into(), number.to_string())),
        Value::Array(elements) => elements.iter().for_each(|element| add_said(element, way, all)),
        Value::Object(members) => members.iter().for_each(|(name, value)| {
            // A path that is a name is told as a text.
            let is_path = name.contains(['/', '\\']);
            if is_path {
                all.push((way.into(), name.clone()));
            }
            add_said(value, &format!("{way}.{}", if is_path { "" } else { name }), all);
        }),
        Value::Null | Value::Bool(_) => {}
    }
}

/// Whether a folder holds something that is not written at the moment.
fn is_whole(dir: &Path) -> bool {
    let size = || -> Option<(usize, u64)> {
        let sizes: Vec<u64> =
            FolderListing::lazily(dir).filter_map(|file| file.look_own_meta().ok().map(|meta| meta.len())).collect();
        (!sizes.is_empty()).then(|| (sizes.len(), sizes.iter().sum()))
    };
    let first = size();
    std::thread::sleep(std::time::Duration::from_millis(300));
    first.is_some() && first == size()
}

fn stamps(evidence: &Evidence) -> Stamps {
    let stamp = |file: &PathBuf| {
        let meta = file.look_meta().ok()?;
        Some((file.clone(), Stamp { len: meta.len(), modified: meta.modified().ok() }))
    };
    evidence.gathered.files.iter().filter_map(stamp).collect()
}

fn list_of(found: &FoundLauncher) -> PathBuf {
    PathBuf::from(format!("profile {}", found.profile.id))
}

fn dirs(site: &Site, learned: &Learned, profiles: &[Profile]) -> Dirs {
    let launchers = learned.launchers.iter().map(|launcher| {
        let dirs = launcher.games.iter().map(|game| real_path(&game.install)).collect();
        ((launcher.home.clone(), launcher.list.clone()), dirs)
    });
    let known = read_launchers(site, profiles).into_iter().map(|found| {
        let dirs = found.games.iter().map(|game| real_path(&game.install)).collect();
        ((found.home.clone(), list_of(&found)), dirs)
    });
    launchers.chain(known).collect()
}
