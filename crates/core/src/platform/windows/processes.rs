//! Who is running and who has files open.
//!
//! What Windows does not say to everybody: the folder that another process works in. Open files are asked of the Restart Manager by
//! name, so that of a folder the files in it are asked, as many as it takes at once.

use std::collections::HashMap;
use std::ffi::OsString;
use std::fs::OpenOptions;
use std::os::windows::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use deft_barge_windows::{Running, command_line_of, program_of, running, using_files};

use super::exact::exact;
use super::registry::is_in_registry;
use super::seen::{ITSELF, SHARED};
use crate::platform::contract::{Process, Processes, Sight, Wanted};
use crate::platform::look::{Look, read_dir, real_path};

/// Files of which is asked who has them open: the Restart Manager asks each process of each.
const MOST: usize = 2000;

fn all_others() -> std::io::Result<impl Iterator<Item = Running>> {
    let own = std::process::id();
    Ok(running()?.into_iter().filter(move |one| one.pid != own && one.pid != 0))
}

/// Whether a path is one of these or lies below one, whatever the case of its letters.
fn below<'a>(path: &Path, places: &'a [PathBuf]) -> Option<&'a PathBuf> {
    let low = |path: &Path| PathBuf::from(path.to_string_lossy().to_lowercase().replace(r"\\?\", ""));
    let path = low(path);
    places.iter().find(|place| path.starts_with(low(place)))
}

/// The files in a folder, or the file itself.
fn files_of(place: &Path, all: &mut Vec<PathBuf>) {
    // What is kept in the registry is no file that somebody holds.
    if all.len() >= MOST || is_in_registry(place) {
        return;
    }
    let Ok(seen) = place.look_own_meta() else { return };
    if seen.is_file() {
        all.push(place.into());
    } else if seen.is_folder() {
        read_dir(place).into_iter().flatten().flatten().for_each(|entry| files_of(&entry.path(), all));
    }
}

/// Whether another program has a file open so that it could not be removed or renamed.
#[expect(clippy::disallowed_methods, reason = "it is opened and closed, and nothing is removed")]
fn is_held(file: &Path) -> bool {
    /// `DELETE`.
    const REMOVE: u32 = 0x1_0000;
    /// `ERROR_SHARING_VIOLATION`.
    const HELD: i32 = 32;
    let opened = OpenOptions::new().access_mode(REMOVE).share_mode(SHARED).custom_flags(ITSELF).open(exact(file));
    opened.is_err_and(|error| error.raw_os_error() == Some(HELD))
}

impl Processes<'_> {
    /// Finds the processes that bear one of the names or use one of the paths, but for ourselves.
    ///
    /// The second value is the number of processes whose program this person may not see.
    pub(crate) fn using(&self, wanted: Wanted<'_>) -> (Vec<Process>, usize) {
        let places: Vec<PathBuf> = wanted.paths.iter().map(|path| real_path(path)).collect();
        // Who cannot be asked about is said, never taken for nobody.
        let Ok(others) = all_others() else { return (Vec::new(), 1) };
        let (mut found, mut hidden) = (Vec::new(), 0);
        let mut holding: HashMap<u32, (&PathBuf, Option<OsString>)> = HashMap::new();
        let mut unnamed = Vec::new();
        for place in &places {
            let mut files = Vec::new();
            files_of(place, &mut files);
            let files: Vec<&Path> = files.iter().map(PathBuf::as_path).collect();
            match using_files(&files) {
                Ok(processes) if !processes.is_empty() => {
                    holding.extend(processes.into_iter().map(|using| (using.pid, (place, using.service))));
                }
                told => {
                    hidden += usize::from(told.is_err());
                    // Nobody is named: a service, or a program of another person, may hold it all the same.
                    let held = files.iter().find(|file| is_held(file));
                    unnamed.extend(held.map(|file| Sight::Uses(file.to_path_buf())));
                }
            }
        }
        for one in others {
            let name = one.name.to_string_lossy().into_owned();
            let program = program_of(one.pid);
            hidden +=
                usize::from(program.as_ref().is_err_and(|error| error.kind() == std::io::ErrorKind::PermissionDenied));
            let runs = program.ok().filter(|program| below(program, &places).is_some());
            let held = holding.remove(&one.pid);
            let service = held.as_ref().and_then(|(_, service)| service.as_ref());
            let shown = service.map_or_else(|| name.clone(), |service| format!("{} ({name})", service.display()));
            let why = if bears_name(&name, wanted.names) && self.may_be_of_here(one.pid) {
                Some(Sight::Named)
            } else if let Some(program) = runs {
                Some(Sight::Uses(program))
            } else {
                held.map(|(place, _)| Sight::Uses(place.clone()))
            };
            found.extend(why.map(|why| Process { pid: one.pid, name: shown, why }));
        }
        found.extend(unnamed.into_iter().map(|why| Process { pid: 0, name: String::new(), why }));
        found.sort_by_key(|process| process.pid);
        (found, hidden)
    }

    /// Whether a process that bears a launcher's name can be the launcher of this site: in a declared world only one that says its folder.
    fn may_be_of_here(&self, pid: u32) -> bool {
        let Some(world) = self.world else { return true };
        let line = command_line_of(pid).to_string_lossy().to_lowercase();
        line.contains(&real_path(world).to_string_lossy().to_lowercase().replace(r"\\?\", ""))
    }

    /// Finds the first process that runs from a folder.
    pub(crate) fn running_from(&self, folder: &Path) -> Option<Process> {
        let places = [real_path(folder)];
        all_others().ok()?.find_map(|one| {
            let program = program_of(one.pid).ok().filter(|program| below(program, &places).is_some())?;
            Some(Process { pid: one.pid, name: one.name.to_string_lossy().into_owned(), why: Sight::Uses(program) })
        })
    }

    /// Finds the processes that work in a compatibility layer: on Windows there is none.
    pub(crate) fn in_layer(&self, _prefix: &Path) -> Vec<Process> {
        Vec::new()
    }
}

/// Whether a program's file has one of the names, with its ending or without.
fn bears_name(program: &str, names: &[String]) -> bool {
    let low = |name: &str| {
        let name = name.to_lowercase();
        name.strip_suffix(".exe").map_or_else(|| name.clone(), str::to_string)
    };
    names.iter().any(|name| low(name) == low(program))
}
