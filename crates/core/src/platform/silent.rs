//! Mounts that do not answer: whoever looks at a name there waits until the drive comes back, so nobody looks.
//!
//! Which ones these are is a fact of the machine, as the kernel has it, and not of one caller: it is kept once for the program,
//! and asked anew with each reading of the drives.

use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{PoisonError, RwLock};

static SILENT: RwLock<Vec<PathBuf>> = RwLock::new(Vec::new());
/// Whether there is any: most machines have none, and pay nothing.
static ANY: AtomicBool = AtomicBool::new(false);

/// Links on the way that are followed before it is called a circle; as many as Linux follows (path_resolution(7)).
const MOST_LINKS: usize = 40;

/// Says which mounts do not answer.
#[cfg_attr(all(windows, not(test)), expect(dead_code, reason = "there a look itself finds out"))]
pub(crate) fn put_silent(points: Vec<PathBuf>) {
    let mut silent = SILENT.write().unwrap_or_else(PoisonError::into_inner);
    ANY.store(!points.is_empty(), Ordering::SeqCst);
    *silent = points;
}

/// Says that one more place does not answer, until the drives are read anew.
pub(crate) fn add_silent(point: &Path) {
    let mut silent = SILENT.write().unwrap_or_else(PoisonError::into_inner);
    silent.push(point.into());
    ANY.store(true, Ordering::SeqCst);
}

/// The mounts that do not answer.
pub(crate) fn silent_mounts() -> Vec<PathBuf> {
    if !ANY.load(Ordering::Relaxed) {
        return Vec::new();
    }
    SILENT.read().unwrap_or_else(PoisonError::into_inner).clone()
}

/// Whether a name itself is on a mount that does not answer; links on the way are not followed.
pub(crate) fn is_silent(path: &Path) -> bool {
    ANY.load(Ordering::Relaxed)
        && SILENT.read().unwrap_or_else(PoisonError::into_inner).iter().any(|point| path.starts_with(point))
}

/// The mount that does not answer onto which a path leads, through whatever links.
pub(crate) fn silent_at(path: &Path) -> Option<PathBuf> {
    if ANY.load(Ordering::Relaxed) { leads_to(path, &silent_mounts()) } else { None }
}

/// Refuses a path that leads, through whatever links, onto a mount that does not answer.
///
/// # Errors
/// [`io::ErrorKind::TimedOut`], with the mount in its text.
pub(crate) fn answers(path: &Path) -> io::Result<()> {
    match silent_at(path) {
        Some(point) => {
            let what = format!("the drive at {} doesn't answer", point.display());
            Err(io::Error::new(io::ErrorKind::TimedOut, what))
        }
        None => Ok(()),
    }
}

/// The mount among these onto which a path leads. Each name on the way is looked at only if those before it are on none.
fn leads_to(path: &Path, silent: &[PathBuf]) -> Option<PathBuf> {
    let on = |path: &Path| silent.iter().find(|point| path.starts_with(point)).cloned();
    let mut waiting: Vec<PathBuf> = parts(path);
    let (mut there, mut links) = (PathBuf::new(), 0);
    while let Some(part) = waiting.pop() {
        match part.components().next() {
            // Both begin anew: what is pushed behind a path is a path of its own.
            Some(part @ (Component::Prefix(_) | Component::RootDir)) => there.push(part),
            Some(Component::ParentDir) => drop(there.pop()),
            Some(Component::Normal(name)) => there.push(name),
            _ => {}
        }
        if let Some(point) = on(&there) {
            return Some(point);
        }
        if let Ok(target) = there.read_link() {
            links += 1;
            if links > MOST_LINKS {
                return None;
            }
            there.pop();
            waiting.extend(parts(&target));
        }
    }
    None
}

/// The components of a path, the last first.
fn parts(path: &Path) -> Vec<PathBuf> {
    path.components().rev().map(|part| PathBuf::from(part.as_os_str())).collect()
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    #[test]
    fn a_path_leads_onto_a_silent_mount_by_its_name_by_links_and_by_going_up() {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        let (silent, fine) = (top.join("nas"), top.join("fine"));
        std::fs::create_dir_all(&fine).unwrap();
        symlink("../nas/games", fine.join("relative")).unwrap();
        symlink(&silent, fine.join("whole")).unwrap();
        symlink("whole/deep", fine.join("twice")).unwrap();
        symlink("round", fine.join("round")).unwrap();
        let leads = |path: &str| leads_to(&top.join(path), std::slice::from_ref(&silent)).is_some();
        for path in ["nas", "nas/x", "fine/relative/x", "fine/whole", "fine/twice/y", "fine/../nas"] {
            assert!(leads(path), "{path}");
        }
        for path in ["fine", "fine/x/y", "nasty", "fine/round/x", ""] {
            assert!(!leads(path), "{path}");
        }
    }
}
