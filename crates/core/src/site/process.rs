//! Who is running and who has files open, from `/proc` as proc(5) describes it.

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::Site;

/// A process that stands in the way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Process {
    /// Its number.
    pub pid: u32,
    /// Its name as the system keeps it.
    pub name: String,
    /// How it stands in the way.
    pub why: Sight,
}

/// What was seen of a process.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Sight {
    /// It has a name that was asked for.
    Named,
    /// It works in this compatibility layer, or serves it: what it knows of the registry is written back when it ends.
    InLayer(#[serde(serialize_with = "crate::site::shown_path")] PathBuf),
    /// It has this path open, mapped, or as its working folder.
    Uses(#[serde(serialize_with = "crate::site::shown_path")] PathBuf),
}

/// What to look for.
#[derive(Clone, Copy, Debug)]
pub struct Wanted<'a> {
    /// Names of programs.
    pub names: &'a [String],
    /// Folders and files; anything below counts.
    pub paths: &'a [PathBuf],
}

impl Site {
    /// Finds the processes that bear one of the names or use one of the paths, but for ourselves.
    ///
    /// The second value is the number of processes whose files this person may not see.
    pub fn processes_using(&self, wanted: Wanted<'_>) -> (Vec<Process>, usize) {
        let own = std::process::id();
        let mut found = Vec::new();
        let mut hidden = 0;
        for entry in fs::read_dir(&self.processes).into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|n| n.parse::<u32>().ok()) else { continue };
            let folder = entry.path();
            if pid == own || is_over(&folder) {
                continue;
            }
            let name = fs::read(folder.join("comm")).unwrap_or_default();
            let name = String::from_utf8_lossy(name.trim_ascii_end()).into_owned();
            let why = if bears_name(&folder, &name, wanted.names) {
                Some(Sight::Named)
            } else {
                match used_path(&folder, wanted.paths, &["cwd", "exe", "root"]) {
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

impl Site {
    /// Finds the first process that runs from a folder: its program or a file of it is mapped or open; that it works there
    /// is not enough.
    pub fn process_from(&self, folder: &Path) -> Option<Process> {
        let (own, paths) = (std::process::id(), [folder.to_path_buf()]);
        let entries = fs::read_dir(&self.processes).into_iter().flatten().flatten();
        let all = entries.filter_map(|entry| Some((entry.file_name().to_str()?.parse::<u32>().ok()?, entry.path())));
        all.filter(|(pid, _)| *pid != own).find_map(|(pid, at)| {
            let path = used_path(&at, &paths, &["exe"]).ok().flatten()?;
            let name = fs::read(at.join("comm")).unwrap_or_default();
            let name = String::from_utf8_lossy(name.trim_ascii_end()).into_owned();
            Some(Process { pid, name, why: Sight::Uses(path) })
        })
    }
}

impl Site {
    /// Finds the processes that work in a compatibility layer of Windows: those with its folder in their surroundings, and the
    /// server that keeps its registry, which has its folder as its own or its socket beside it.
    pub fn processes_in_layer(&self, prefix: &Path) -> Vec<Process> {
        let own = std::process::id();
        let real = super::real_path(prefix);
        let server = server_folder(&real);
        let mut found = Vec::new();
        for entry in fs::read_dir(&self.processes).into_iter().flatten().flatten() {
            let Some(pid) = entry.file_name().to_str().and_then(|n| n.parse::<u32>().ok()) else { continue };
            if pid == own || is_over(&entry.path()) {
                continue;
            }
            let folder = entry.path();
            let uses =
                used_path(&folder, std::slice::from_ref(&real), &["cwd", "exe", "root"]).ok().flatten().is_some();
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
        value.is_some_and(|value| value == prefix || super::real_path(value) == prefix)
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

fn used_path(folder: &Path, paths: &[PathBuf], links: &[&str]) -> std::io::Result<Option<PathBuf>> {
    if paths.is_empty() {
        return Ok(None);
    }
    let within = |path: &Path| paths.iter().any(|wanted| path.starts_with(wanted));
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::Disk;
    use crate::site::Places;
    use std::process::{Command, Stdio};

    /// A site without drives whose processes are those of this machine.
    fn this_machine(home: &Path) -> Site {
        Site {
            drives: Vec::new(),
            places: Places::usual(home),
            processes: "/proc".into(),
            disk: Disk::default(),
            world: None,
            known: Vec::new(),
        }
    }

    /// Numbers of the programs that work in a layer; asked for anew until there are as many as wanted, for two seconds.
    fn seen_in(site: &Site, prefix: &Path, wanted: usize) -> Vec<u32> {
        let mut seen = Vec::new();
        for _ in 0..200 {
            seen = site.processes_in_layer(prefix).iter().map(|process| process.pid).collect();
            if seen.len() == wanted {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        seen.sort_unstable();
        seen
    }

    #[test]
    fn a_layer_is_in_use_while_a_program_names_it_or_its_server_works_for_it() {
        use std::os::unix::fs::MetadataExt;
        let folder = tempfile::tempdir().unwrap();
        let real = folder.path().canonicalize().unwrap();
        let (prefix, other) = (real.join("pfx"), real.join("another"));
        std::fs::create_dir_all(prefix.join("dosdevices")).unwrap();
        std::fs::create_dir_all(&other).unwrap();
        let site = this_machine(&real);
        assert!(site.processes_in_layer(&prefix).is_empty());
        let sleep = || {
            let mut command = Command::new("sleep");
            command.arg("60").stdin(Stdio::null());
            command
        };
        let meta = prefix.metadata().unwrap();
        let server = real.join(format!("server-{:x}-{:x}", meta.dev(), meta.ino()));
        std::fs::create_dir(&server).unwrap();
        let mut children = [
            sleep().env("WINEPREFIX", &prefix).spawn().unwrap(),
            sleep().current_dir(&server).spawn().unwrap(),
            sleep().env("WINEPREFIX", &other).spawn().unwrap(),
        ];
        let mut wanted: Vec<u32> = children[..2].iter().map(std::process::Child::id).collect();
        wanted.sort_unstable();
        // A child has its surroundings once it is the program that it was started for.
        let seen = seen_in(&site, &prefix, wanted.len());
        for child in &mut children {
            child.kill().unwrap();
        }
        // One that has ended and was not asked for how is no program any more.
        let over = seen_in(&site, &prefix, 0);
        for child in &mut children {
            child.wait().unwrap();
        }
        assert_eq!(seen, wanted);
        assert_eq!(over, [0u32; 0]);
    }

    #[test]
    fn a_program_is_found_by_name_and_by_the_folder_it_works_in() {
        let folder = tempfile::tempdir().unwrap();
        let real = folder.path().canonicalize().unwrap();
        let mut child = Command::new("sleep").arg("60").current_dir(&real).stdin(Stdio::null()).spawn().unwrap();
        let site = this_machine(&real);
        let names = ["sleep".to_string()];
        let (named, _) = site.processes_using(Wanted { names: &names, paths: &[] });
        let (using, _) = site.processes_using(Wanted { names: &[], paths: std::slice::from_ref(&real) });
        child.kill().unwrap();
        child.wait().unwrap();
        assert!(named.iter().any(|p| p.pid == child.id() && p.why == Sight::Named));
        assert_eq!(using.len(), 1, "{using:?}");
        assert_eq!((using[0].pid, &using[0].why), (child.id(), &Sight::Uses(real)));
    }
}
