//! Watching: the files of launchers are noted, a person installs or moves one small game with its launcher, and what has changed shows how
//! that keeps its records. A move that the launcher made itself is also the judge of what was learned.
//!
//! Law: nothing is written. What the launcher changed and the profile would not have is a doubt, but for times. Start at [`Watch::begin`].

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use super::evidence::Evidence;
use super::learn;
use super::learned::{Doubt, LearnPhase, Learned, LearnedLauncher};
use super::said::{Noted, Sums};
use crate::launcher::{FoundGame, FoundLauncher, Profile, read_launchers};
use crate::plan::{MakeLetters, Target, record_edits};
use crate::platform::{Look, Process};
use crate::record::{Files, Mood, Spelling};
use crate::site::{Site, real_path};
use crate::survey::FolderListing;
use crate::trace::may_be_read;

/// Bytes of files that are kept to be compared with, in all, and of one file.
const KEPT: u64 = 64 << 20;
const LARGEST: u64 = 8 << 20;

/// Looks in a row in which nothing changes before what is there is believed.
const QUIET: usize = 3;

/// A file by its bytes and the time of its last change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Stamp {
    len: u64,
    modified_ns: i128,
}

type Stamps = BTreeMap<PathBuf, Stamp>;
/// The folders of games, by the launcher's own folder and its list.
type Dirs = BTreeMap<(PathBuf, PathBuf), BTreeSet<PathBuf>>;

/// What is waited for, and what was there when the waiting began.
pub struct Watch {
    paths: Vec<PathBuf>,
    profiles: Vec<Profile>,
    noted: Stamps,
    /// What files said, by the path that all links lead to.
    kept: BTreeMap<PathBuf, Noted>,
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
    /// Notes what is there; `report` hears how far that is. Writes nothing.
    pub fn begin(site: &Site, paths: &[PathBuf], profiles: &[Profile], report: &(dyn Fn(LearnPhase) + Sync)) -> Self {
        let evidence = Evidence::gather(site, paths);
        let noted = stamps(&evidence);
        let mut room = KEPT;
        let mut kept = BTreeMap::new();
        for (file, stamp) in &noted {
            if stamp.len <= LARGEST.min(room)
                && may_be_read(file, &evidence.places)
                && let Some(says) = Noted::now(file)
            {
                room -= stamp.len;
                kept.insert(real_path(file), says);
            }
        }
        let learned = learn(site, paths, profiles, report);
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
            // Of a launcher whose games were not known before it is the newest.
            let made = |dir: &Path| dir.look_meta().map(|meta| meta.modified_ns).ok();
            let new = launcher.games.iter().filter(|game| !before.contains(&real_path(&game.install)));
            let to = new.max_by_key(|game| made(&game.install))?.install.clone();
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
        let edits = record_edits(site, found, game, &target, &[]).map_err(|why| unmovable(why.why()))?;
        let mut files = Files::carried(&game.install, from);
        files.make(&edits.edits, Mood::Strict).map_err(|error| unmovable(error.to_string()))?;
        let sums = Sums::of(game);
        let mut agree = 0;
        let mut back: BTreeSet<PathBuf> = BTreeSet::new();
        for change in files.changes() {
            back.insert(change.file.clone());
            let made = Noted::after(&change.file, &change.before, &change.after);
            let both = self.kept.get(&change.file).zip(made);
            let Some((was, made)) = both.and_then(|(was, made)| was.says(&change.file).zip(made.says(&change.file)))
            else {
                continue;
            };
            sums.compare(&change.file, game, &was, &made)?;
            agree += was.iter().filter(|(_, text)| leads(found, site, (&change.file, text), from)).count();
        }
        // What the launcher changed beside.
        let home = real_path(&found.home);
        let near = |file: &Path| {
            let libraries = found.libraries.iter().any(|library| file.parent() == Some(&*real_path(&library.path)));
            file.starts_with(&home) || libraries
        };
        for (file, was) in self.kept.iter().filter(|(file, _)| near(file) && !back.contains(*file)) {
            let now = Noted::now(file).and_then(|now| now.says(file));
            let Some((was, now)) = was.says(file).zip(now) else { continue };
            sums.compare(file, game, &was, &now)?;
        }
        Ok(agree)
    }
}

fn leads(found: &FoundLauncher, site: &Site, (file, text): (&Path, &str), dir: &Path) -> bool {
    let path = Spelling::read(text, &found.bases(site).seen_from(file)).map(|(_, path)| path);
    path.is_ok_and(|path| path.starts_with(dir))
}

/// Whether a folder holds something that is not written at the moment.
fn is_whole(dir: &Path) -> bool {
    let size = || -> Option<(usize, u64)> {
        let sizes: Vec<u64> =
            FolderListing::lazily(dir).filter_map(|file| file.look_own_meta().ok().map(|meta| meta.size)).collect();
        (!sizes.is_empty()).then(|| (sizes.len(), sizes.iter().sum()))
    };
    let first = size();
    std::thread::sleep(std::time::Duration::from_millis(300));
    first.is_some() && first == size()
}

fn stamps(evidence: &Evidence) -> Stamps {
    let stamp = |file: &PathBuf| {
        let meta = file.look_meta().ok()?;
        Some((file.clone(), Stamp { len: meta.size, modified_ns: meta.modified_ns }))
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
