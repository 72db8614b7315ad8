//! Trace: every record of a path and of what is below it, in files that no profile describes.
//!
//! Law: looking writes nothing; a link that is followed out of the places it was given is said; what cannot be read or rewritten is
//! said, not left out. Start at [`trace`]; [`crate::survey::add_to_survey`] goes on from it.

use super::files::{Gathered, follow_links, gather, gather_near};
use super::find::{Find, Trace, TracePhase, WantedFolder, from_one_root, problem};
use super::looking::Looking;
use super::needle::{self, Needle, Needles};
use super::seals::Checksums;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use crate::launcher::Problem;
use crate::launcher::Record;
use crate::platform::{self, Look};
use crate::record::Letters;
use crate::site::{Site, real_path};

/// Bytes of a file that is read whole to see which names it holds.
const WHOLE: u64 = 32_000_000;

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
    let found = gather_all(site, &path, now, places);
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
        checksums: &Checksums::of_path(&path),
        layers: &layers,
        places,
    };
    let all = found.files.len();
    report(TracePhase { files: 0, all });
    let results = look_into(&looking, &found.files, report);
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
            let text = |one: &Record| one.whole.as_ref().map(|(_, at)| *at);
            let place = |one: &Record| (text(one), one.side);
            let said = (&a.file, &a.location, &a.inside, &a.text) == (&b.file, &b.location, &b.inside, &b.text);
            said && place(a) == place(b)
        };
        same(&a.record, &b.record)
    });
    from_one_root(&mut finds);
    let gone = path.look_own_meta().is_err_and(|error| error.kind() == std::io::ErrorKind::NotFound);
    Trace { path, finds, places: places.to_vec(), files: all, problems, followed: found.followed, gone, layers }
}

/// All files that may say the path, each once, and the compatibility layers among them.
fn gather_all(site: &Site, path: &Path, now: Option<&Path>, places: &[PathBuf]) -> Gathered {
    let own = site.state_folder();
    let own_settings = site.places.config.join("deft-barge");
    let mut found = Gathered::default();
    for place in places {
        gather(place, &[&own, &own_settings], &mut found);
    }
    follow_links(site, path, places, &[&own, &own_settings], &mut found);
    if let Some(now) = now {
        gather_near(now, &mut found);
    }
    found.files.sort();
    found.files.dedup();
    found.layers.sort();
    found.layers.dedup();
    found
}

/// Looks into each file, several at a time; files that hold no part of the name give nothing.
fn look_into(
    looking: &Looking<'_>,
    files: &[PathBuf],
    report: &(dyn Fn(TracePhase) + Sync),
) -> Vec<(Vec<Find>, Vec<Problem>)> {
    let all = files.len();
    let done = std::sync::atomic::AtomicUsize::new(0);
    files
        .par_iter()
        .map_init(
            || vec![0; needle::BUFFER],
            |buffer, file| {
                let looked = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
                if looked.is_multiple_of(512) {
                    report(TracePhase { files: looked, all });
                }
                match looking.needle.is_in_file(file, buffer) {
                    Ok(false) => None,
                    Ok(true) => Some(looking.file(file)),
                    Err(error) => Some((Vec::new(), vec![problem(file, &error)])),
                }
            },
        )
        .flatten()
        .collect()
}

/// The finds of a path in files and links that were gathered, until it is said to be over.
pub(crate) fn finds_of(
    site: &Site,
    wanted: &WantedFolder<'_>,
    places: &[PathBuf],
    gathered: &Gathered,
    is_over: &(dyn Fn() -> bool + Sync),
) -> Vec<Find> {
    let layers: Vec<Letters> = gathered.layers.iter().map(|prefix| Letters::read(prefix)).collect();
    let WantedFolder { path, now } = *wanted;
    let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let needle = Needle::new(&name);
    let (real, layers) = (real_path(path), layers.as_slice());
    let checksums = &Checksums::of_path(path);
    let looking = Looking { site, wanted: path, real, now, name: &name, needle: &needle, checksums, layers, places };
    let look = |buffer: &mut Vec<u8>, file: &PathBuf| {
        let there = !is_over() && needle.is_in_file(file, buffer).unwrap_or(false);
        if there { looking.file(file).0 } else { Vec::new() }
    };
    let files = gathered.files.par_iter().map_init(|| vec![0; needle::BUFFER], look).flatten();
    let mut finds: Vec<Find> = files.collect();
    finds.extend(gathered.links.iter().filter_map(|link| looking.link(link)));
    from_one_root(&mut finds);
    finds
}

/// For each name the files that may hold it, in however many spellings: every file is read once, however many names there are.
pub(crate) fn files_naming(names: &[&str], files: &[PathBuf]) -> Vec<Vec<PathBuf>> {
    files_naming_until(names, files, &|| false)
}

/// The same until it is said to be over.
pub(crate) fn files_naming_until(
    names: &[&str],
    files: &[PathBuf],
    is_over: &(dyn Fn() -> bool + Sync),
) -> Vec<Vec<PathBuf>> {
    let needles = Needles::new(names.iter().copied());
    let every = || (0..names.len()).collect::<Vec<usize>>();
    let look = |file: &PathBuf| -> Vec<usize> {
        if is_over() {
            return Vec::new();
        }
        // A large one is read in pieces, when its turn comes.
        if file.look_meta().is_ok_and(|meta| meta.size > WHOLE) {
            return every();
        }
        platform::read(file).map_or_else(|_| Vec::new(), |bytes| needles.in_bytes(bytes))
    };
    let mut of: Vec<Vec<PathBuf>> = vec![Vec::new(); names.len()];
    let found: Vec<Vec<usize>> = files.par_iter().map(look).collect();
    for (file, names) in files.iter().zip(found) {
        for nth in names {
            of[nth].push(file.clone());
        }
    }
    of
}
