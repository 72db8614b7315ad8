//! Trace: every record of a path and of what is below it, in files that no profile describes.
//!
//! Law: looking writes nothing and follows no link out of the places it was given; what cannot be read
//! or rewritten is said, not left out. Start at [`trace`]; [`draft_profile`] and [`Trace::as_game`] go on from it.

mod drafting;
mod files;
mod left;
mod looking;
mod needle;
mod using;

use std::path::{Path, PathBuf};

use rayon::prelude::*;
use serde::Serialize;

use crate::launcher::{Problem, Record};
use crate::platform::Look;
use crate::record::Letters;
use crate::site::{Site, real_path};

use files::{Found, gather, gather_near};
use looking::Looking;
pub(crate) use looking::{leaves, shapes};
pub(crate) use needle::{Needle, Needles};

pub use drafting::draft_profile;
pub use files::usual_places;
pub(crate) use using::add_as;
pub use using::{TRACED, add_to_survey};

/// How sure it is that a find is a record of the path.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Sure {
    /// It leads to the path and to nothing else.
    Certain,
    /// It leads there if it is relative to the folder of its own file, or goes with a record beside it.
    Likely,
    /// It says the folder's name alone.
    NameOnly,
    /// The name stands in a file that is not read as text, or that counts the bytes of what it says: it cannot be rewritten.
    Unreadable,
    /// It stands in a log, which says what was.
    Log,
    /// It stands in a backup of another file.
    Backup,
    /// It stands in a cache, which is made anew.
    Cache,
}

/// A place where the path is written down.
#[derive(Clone, Debug, Serialize)]
pub struct Find {
    /// The record, as a survey would have it.
    #[serde(flatten)]
    pub record: Record,
    /// Line, from 1, where there are lines.
    pub line: Option<usize>,
    /// How sure.
    pub sure: Sure,
}

/// What a trace found.
#[derive(Clone, Debug, Serialize)]
pub struct Trace {
    /// The path that was looked for.
    pub path: PathBuf,
    /// Where the path is written down, by file and place.
    pub finds: Vec<Find>,
    /// The folders that were looked in.
    pub places: Vec<PathBuf>,
    /// Files that were looked at.
    pub files: usize,
    /// What could not be read.
    pub problems: Vec<Problem>,
    /// Whether nothing is at that path; of a drive that does not answer nobody knows.
    #[serde(skip)]
    pub gone: bool,
    /// The compatibility layers that were met.
    #[serde(skip)]
    pub layers: Vec<Letters>,
}

/// How far a trace is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TracePhase {
    /// Files looked at.
    pub files: usize,
    /// Files in all; 0 while they are gathered.
    pub all: usize,
}

/// Looks for every record of `path` in these places. `report` hears how far it is, at most some times a second.
pub fn trace(site: &Site, path: &Path, places: &[PathBuf], report: &(dyn Fn(TracePhase) + Sync)) -> Trace {
    trace_moved(site, path, None, places, report)
}

/// The same for a path that leads nowhere any more, since what lay there lies at `now`: that is looked through as well, for
/// its links and for small files near its top.
pub fn trace_moved(
    site: &Site,
    path: &Path,
    now: Option<&Path>,
    places: &[PathBuf],
    report: &(dyn Fn(TracePhase) + Sync),
) -> Trace {
    let path = path.components().collect::<PathBuf>();
    let own = site.state_folder();
    let own_settings = site.places.config.join("deft-barge");
    let mut found = Found::default();
    for place in places {
        gather(place, &[&own, &own_settings], &mut found);
    }
    if let Some(now) = now {
        gather_near(now, &mut found);
    }
    found.files.sort();
    found.files.dedup();
    found.layers.sort();
    found.layers.dedup();
    let layers: Vec<Letters> = found.layers.iter().map(|prefix| Letters::read(prefix)).collect();
    let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let needle = Needle::new(&name);
    let looking = Looking {
        site,
        wanted: &path,
        real: real_path(&path),
        now,
        name: &name,
        needle: &needle,
        layers: &layers,
        places,
    };
    let all = found.files.len();
    report(TracePhase { files: 0, all });
    let done = std::sync::atomic::AtomicUsize::new(0);
    let results: Vec<_> = found
        .files
        .par_iter()
        .map_init(
            || vec![0; needle::BUFFER],
            |buffer, file| {
                let files = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
                if files.is_multiple_of(512) {
                    report(TracePhase { files, all });
                }
                match needle.is_in_file(file, buffer) {
                    Ok(false) => None,
                    Ok(true) => Some(looking.file(file)),
                    Err(error) => Some((Vec::new(), vec![problem(file, &error)])),
                }
            },
        )
        .flatten()
        .collect();
    let mut finds: Vec<Find> = found.links.iter().filter_map(|link| looking.link(link)).collect();
    let mut problems = found.problems;
    for (some, bad) in results {
        finds.extend(some);
        problems.extend(bad);
    }
    let order = |find: &Find| (find.record.file.clone(), find.record.location.clone(), find.sure);
    finds.sort_by_key(order);
    // A database is met again through its journal.
    finds.dedup_by(|a, b| {
        let same = |a: &Record, b: &Record| {
            (&a.file, &a.location, &a.inside, a.side, &a.text) == (&b.file, &b.location, &b.inside, b.side, &b.text)
        };
        same(&a.record, &b.record)
    });
    let gone = path.look_own_meta().is_err_and(|error| error.kind() == std::io::ErrorKind::NotFound);
    Trace { path, finds, places: places.to_vec(), files: all, problems, gone, layers }
}

fn problem(file: &Path, what: &dyn ToString) -> Problem {
    Problem { file: file.into(), line: None, what: what.to_string() }
}

impl Trace {
    /// The finds that a repoint can rewrite.
    pub fn sure(&self) -> impl Iterator<Item = &Find> {
        self.finds.iter().filter(|find| matches!(find.sure, Sure::Certain | Sure::Likely))
    }
}

#[cfg(test)]
mod tests;
