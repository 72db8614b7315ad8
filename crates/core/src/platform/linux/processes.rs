//! Who is running and who has files open, from `/proc` as proc(5) describes it.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use crate::platform::contract::{Process, Processes, Sight, Wanted};
use crate::platform::look::{Look, real_path};

impl Processes<'_> {
    /// Finds the processes that bear one of the names or use one of the paths, but for ourselves.
    ///
    /// The second value is the number of processes whose files this person may not see.
    pub(crate) fn using(&self, wanted: Wanted<'_>) -> (Vec<Process>, usize) {
        let own = std::process::id();
        let paths = Below::of(wanted.paths);
        let mut found = Vec::new();
        let mut hidden = 0;
        for entry in fs::read_dir(self.list).into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|n| n.parse::<u32>().ok()) else { continue };
            let folder = entry.path();
            if pid == own || is_over(&folder) {
                continue;
            }
            let name = fs::read(folder.join("comm")).unwrap_or_default();
            let name = String::from_utf8_lossy(name.trim_ascii_end()).into_owned();
            let why = if bears_name(&folder, &name, wanted.names) && self.may_be_of_here(&folder) {
                Some(Sight::Named)
            } else {
                match used_path(&folder, &paths, &["cwd", "exe", "root"]) {
                    Ok(path) => path.map(Sight::Uses),
                    // One that has just ended is no secret.
                    Err(error) => {
                        hidden += usize::from(error.kind() == std::io::ErrorKind::PermissionDenied);
                        None
                    }
                }
            };
            found.extend(why.map(|why| Process { pid, name, why }));
        }
        found.sort_by_key(|process| process.pid);
        (found, hidden)
    }
}

impl Processes<'_> {
    /// Whether a process that bears a launcher's name can be the launcher of this site: a name alone is anybody's. On a machine it is one
    /// of this person, or of whose home it is; in a declared world one that has to do with its folder.
    fn may_be_of_here(&self, process: &Path) -> bool {
        let Some(world) = self.world else {
            let Ok(meta) = crate::platform::look_behind(process) else { return true };
            let of_home = self.home.look_meta().map(|home| home.owner.0).ok();
            return meta.owner.0 == super::system::user() || Some(meta.owner.0) == of_home;
        };
        let world = real_path(world);
        let named = |file: &str| {
            let text = fs::read(process.join(file)).unwrap_or_default();
            let wanted = world.as_os_str().as_bytes();
            let ends = |end: Option<&u8>| matches!(end, None | Some(0 | b'/' | b':' | b'\'' | b'"'));
            text.windows(wanted.len()).enumerate().any(|(at, part)| part == wanted && ends(text.get(at + wanted.len())))
        };
        named("cmdline")
            || named("environ")
            || used_path(process, &Below::of(std::slice::from_ref(&world)), &["cwd", "exe", "root"])
                .is_ok_and(|path| path.is_some())
    }

    /// Finds the first process that runs from a folder: its program or a file of it is mapped or open; that it works there
    /// is not enough.
    pub(crate) fn running_from(&self, folder: &Path) -> Option<Process> {
        let (own, paths) = (std::process::id(), [folder.to_path_buf()]);
        let entries = fs::read_dir(self.list).into_iter().flatten().flatten();
        let all = entries.filter_map(|entry| Some((entry.file_name().to_str()?.parse::<u32>().ok()?, entry.path())));
        all.filter(|(pid, _)| *pid != own).find_map(|(pid, at)| {
            let path = used_path(&at, &Below::of(&paths), &["exe"]).ok().flatten()?;
            let name = fs::read(at.join("comm")).unwrap_or_default();
            let name = String::from_utf8_lossy(name.trim_ascii_end()).into_owned();
            Some(Process { pid, name, why: Sight::Uses(path) })
        })
    }
}

impl Processes<'_> {
    /// Finds the processes that work in a compatibility layer of Windows: those with its folder in their surroundings, and the
    /// server that keeps its registry, which has its folder as its own or its socket beside it.
    pub(crate) fn in_layer(&self, prefix: &Path) -> Vec<Process> {
        let own = std::process::id();
        let real = real_path(prefix);
        let server = server_folder(&real);
        let mut found = Vec::new();
        for entry in fs::read_dir(self.list).into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|n| n.parse::<u32>().ok()) else { continue };
            if pid == own || is_over(&entry.path()) {
                continue;
            }
            let folder = entry.path();
            let uses = used_path(&folder, &Below::of(std::slice::from_ref(&real)), &["cwd", "exe", "root"])
                .ok()
                .flatten()
                .is_some();
            if uses || names_layer(&folder, &real) || server.as_ref().is_some_and(|server| serves(&folder, server)) {
                let name = fs::read(folder.join("comm")).unwrap_or_default();
                let name = String::from_utf8_lossy(name.trim_ascii_end()).into_owned();
                found.push(Process { pid, name, why: Sight::InLayer(prefix.into()) });
            }
        }
        found.sort_by_key(|process| process.pid);
        found
    }
}

/// Whether a process has ended, and only its parent has not asked how (proc(5): state Z or X).
fn is_over(folder: &Path) -> bool {
    let stat = fs::read(folder.join("stat")).unwrap_or_default();
    let state = stat.iter().rposition(|byte| *byte == b')').and_then(|end| stat.get(end + 2));
    matches!(state, Some(b'Z' | b'X'))
}

/// The name of the folder in which the server of a layer works: device and inode of the layer's folder (wineserver(1), FILES).
fn server_folder(prefix: &Path) -> Option<String> {
    use std::os::unix::fs::MetadataExt;
    let meta = prefix.metadata().ok()?;
    Some(format!("server-{:x}-{:x}", meta.dev(), meta.ino()))
}

fn serves(folder: &Path, server: &str) -> bool {
    fs::read_link(folder.join("cwd")).is_ok_and(|path| path.file_name().is_some_and(|name| name == server))
}

/// Whether the surroundings of a process name a folder as its layer's: by the variable that Wine documents (wine(1)).
fn names_layer(folder: &Path, prefix: &Path) -> bool {
    let surroundings = fs::read(folder.join("environ")).unwrap_or_default();
    surroundings.split(|byte| *byte == 0).any(|entry| {
        let value = entry.strip_prefix(b"WINEPREFIX=").map(|value| Path::new(OsStr::from_bytes(value)));
        value.is_some_and(|value| value == prefix || real_path(value) == prefix)
    })
}

fn bears_name(folder: &Path, comm: &str, names: &[String]) -> bool {
    if names.is_empty() {
        return false;
    }
    let program = fs::read_link(folder.join("exe")).ok();
    let program = program.as_deref().and_then(Path::file_name).map(OsStr::as_bytes);
    let line = fs::read(folder.join("cmdline")).unwrap_or_default();
    let first = line.split(|b| *b == 0).next().and_then(|arg| arg.rsplit(|b| *b == b'/' || *b == b'\\').next());
    names.iter().any(|name| {
        // The system keeps 15 bytes of a name.
        let short = &name.as_bytes()[..name.len().min(15)];
        short == comm.as_bytes() || Some(name.as_bytes()) == program || Some(name.as_bytes()) == first
    })
}

/// Folders and files, to be asked whether a path is one of them or lies below one.
struct Below<'a>(HashSet<&'a Path>);

impl<'a> Below<'a> {
    fn of(paths: &'a [PathBuf]) -> Self {
        Self(paths.iter().map(PathBuf::as_path).collect())
    }

    fn holds(&self, path: &Path) -> bool {
        path.ancestors().any(|above| self.0.contains(above))
    }
}

fn used_path(folder: &Path, paths: &Below<'_>, links: &[&str]) -> std::io::Result<Option<PathBuf>> {
    if paths.0.is_empty() {
        return Ok(None);
    }
    let within = |path: &Path| paths.holds(path);
    for link in links {
        if let Ok(path) = fs::read_link(folder.join(link))
            && within(&path)
        {
            return Ok(Some(path));
        }
    }
    for handle in fs::read_dir(folder.join("fd"))?.flatten() {
        if let Ok(path) = fs::read_link(handle.path())
            && within(&path)
        {
            return Ok(Some(path));
        }
    }
    let maps = fs::read(folder.join("maps"))?;
    for line in maps.split(|b| *b == b'\n') {
        if let Some(start) = line.iter().position(|b| *b == b'/') {
            let path = Path::new(OsStr::from_bytes(&line[start..]));
            if within(path) {
                return Ok(Some(path.to_path_buf()));
            }
        }
    }
    Ok(None)
}
