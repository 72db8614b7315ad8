//! Which drive is at a path at this moment, by what tells its file system from every other one.
//!
//! Law: an answer is never a guess. A drive is there only if the very file system is mounted that was there when the place was
//! written down; an empty mount point, or another drive in its place, is not it. Every question looks at the mounts anew.
//! Start at [`Site::place_at`] and [`Site::find_place`].

use crate::platform::{SystemError, is_dead_mount};
use std::io;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::Site;

use crate::platform::Drive;
use crate::platform::{self, Look, Mount};

/// What tells one file system from every other, wherever it is mounted.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct DriveIdentity(String);

/// A place on a drive: which drive it is, and the path from the top of its file system. It stays true when the drive is
/// mounted elsewhere.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct DrivePlace {
    /// The drive.
    pub drive: DriveIdentity,
    /// Its name when this was written down, to call it by.
    pub name: String,
    /// The path below the top of its file system.
    pub below: PathBuf,
    /// Inode of the top folder of a declared drive.
    #[serde(default)]
    pub top: Option<u64>,
}

/// Whether the drive of a place is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Presence {
    /// It is, and the place is this path now.
    At(PathBuf),
    /// It is not; nothing is where it was, or just the folder that it was mounted at.
    Away,
    /// It is not, and another drive is where it was.
    Another,
}

impl Site {
    /// Says which place a path is, by the drive that is there now. The path itself need not be there.
    ///
    /// # Errors
    /// What the system said to a look at a folder on the way; nothing is assumed then.
    pub fn place_at(&self, path: &Path) -> io::Result<DrivePlace> {
        let real = existing(path)?;
        if let Some(drive) = self.declared_at(&real.whole()) {
            let root = drive.root.look_real()?;
            let below = real.whole().strip_prefix(&root).map(Path::to_path_buf).unwrap_or_default();
            let (drive_identity, top) = declared_identity(drive)?;
            return Ok(DrivePlace { drive: drive_identity, name: drive.name.clone(), below, top: Some(top) });
        }
        let mounts = mounts()?;
        let mount = mount_at(&mounts, &real.there)?;
        let name = self.drive_of(path).map_or_else(|| mount.point.display().to_string(), |drive| drive.name.clone());
        Ok(DrivePlace { drive: identity_of(mount), name, below: within(mount, &real.whole()), top: None })
    }

    /// Finds where a place is now. `written` is the path that it had: it is kept where it still leads there.
    ///
    /// # Errors
    /// What the system said to a look; whether the drive is there is not known then.
    pub fn find_place(&self, place: &DrivePlace, written: &Path) -> io::Result<Presence> {
        if place.drive.0.starts_with(DECLARED) {
            return self.find_declared(place, written);
        }
        let mounts = mounts()?;
        match existing(written) {
            Ok(real) => {
                let mount = mount_at(&mounts, &real.there)?;
                if identity_of(mount) == place.drive && within(mount, &real.whole()) == place.below {
                    return Ok(Presence::At(written.into()));
                }
            }
            // A mount that does not answer is not the way to the drive any more; it may be mounted elsewhere.
            Err(error) if is_dead_mount(&error) => {}
            Err(error) => return Err(error),
        }
        let here = mounts.iter().filter(|mount| {
            fits(mount, &place.drive) && place.below.strip_prefix(&mount.root).is_ok() && is_top_of(mount, &mounts)
        });
        let at = |mount: &Mount| Some(mount.point.join(place.below.strip_prefix(&mount.root).ok()?));
        if let Some(path) = here.filter_map(at).min_by_key(|path| path.as_os_str().len()) {
            return Ok(Presence::At(path));
        }
        Ok(if another_is_at(&mounts, place, written) { Presence::Another } else { Presence::Away })
    }

    fn declared_at(&self, real: &Path) -> Option<&Drive> {
        let all = self.drives.iter().filter(|drive| drive.declared && !drive.absent);
        all.filter(|drive| real.starts_with(&drive.root)).max_by_key(|drive| drive.root.as_os_str().len())
    }

    fn find_declared(&self, place: &DrivePlace, written: &Path) -> io::Result<Presence> {
        let is_it = |drive: &&Drive| {
            drive.declared && !drive.absent && place.drive.0[DECLARED.len()..].split('+').next() == drive.id.as_deref()
        };
        let Some(drive) = self.drives.iter().find(is_it) else {
            return Ok(if self.declared_at(written).is_some() { Presence::Another } else { Presence::Away });
        };
        match drive.root.look_own_meta() {
            Ok(meta) if meta.is_folder() => {}
            Ok(_) => return Ok(Presence::Away),
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Presence::Away),
            Err(error) => return Err(error),
        }
        let (now, top) = declared_identity(drive)?;
        if now != place.drive {
            return Ok(Presence::Away);
        }
        let at = drive.root.join(&place.below);
        // The folder is another one. It may have been brought back from a backup, and then what was in it is there;
        // or it is just where the drive was.
        if place.top.is_some_and(|known| known != top) && !holds_anything(&drive.root, &place.below) {
            return Ok(Presence::Away);
        }
        // The path as it is written may lead through a link of the person's own.
        let same = existing(written).is_ok_and(|real| real.whole() == at);
        Ok(Presence::At(if same { written.into() } else { at }))
    }
}

/// Whether another drive is mounted where this one was.
fn another_is_at(mounts: &[Mount], place: &DrivePlace, written: &Path) -> bool {
    let Ok(real) = existing(written) else { return false };
    let whole = real.whole();
    // Where the drive was mounted: the path without what lies below the drive's top.
    let steps = place.below.components().filter(|part| matches!(part, Component::Normal(_))).count();
    let Some(top) = whole.ancestors().nth(steps) else { return false };
    mounts.iter().any(|mount| mount.point == top && identity_of(mount) != place.drive)
}

/// Whether there is anything below a folder but the way to a place and what we have made there ourselves.
fn holds_anything(root: &Path, below: &Path) -> bool {
    let mut folder = root.to_path_buf();
    for name in below {
        let names = platform::read_dir(&folder).into_iter().flatten().flatten().map(|entry| entry.file_name());
        let foreign =
            |other: &std::ffi::OsString| other != name && !other.as_encoded_bytes().starts_with(b".deft-barge-");
        if names.into_iter().any(|other| foreign(&other)) {
            return true;
        }
        folder.push(name);
    }
    folder.look_is_dir()
}

const DECLARED: &str = "declared:";

/// The identity of a declared drive, and the inode of its top folder. A mount that is just there belongs to it.
fn declared_identity(drive: &Drive) -> io::Result<(DriveIdentity, u64)> {
    let mut identity = format!("{DECLARED}{}", drive.id.as_deref().unwrap_or(&drive.name));
    let mounts = mounts()?;
    if let Ok(mount) = mount_at(&mounts, &drive.root)
        && mount.point == drive.root
    {
        identity.push_str(&format!("+{}", identity_of(mount).0));
    }
    Ok((DriveIdentity(identity), drive.root.look_meta()?.inode))
}

fn mounts() -> io::Result<Vec<Mount>> {
    platform::mounts_of_system()
}

fn fits(mount: &Mount, identity: &DriveIdentity) -> bool {
    identity_of(mount) == *identity
}

/// What tells the file system of a mount from every other one.
fn identity_of(mount: &Mount) -> DriveIdentity {
    let source = Path::new(&mount.source);
    let kind = mount.file_system.as_str();
    let (major, minor) = mount.device;
    let shown = mount.source.to_string_lossy();
    DriveIdentity(if kind == "tmpfs" || kind == "ramfs" {
        format!("memory:{major}:{minor}")
    } else if let Some(id) = Some(source).filter(|source| source.is_absolute()).and_then(platform::file_system_id) {
        format!("fs:{}", id.replace('-', "").to_lowercase())
    } else if source.starts_with("/dev") {
        format!("device:{kind}:{}", mount.device_name())
    } else {
        // A share, or what a program serves: its source is all that is known of it.
        format!("source:{kind}:{shown}")
    })
}

/// The path within the file system of a mount.
fn within(mount: &Mount, path: &Path) -> PathBuf {
    match path.strip_prefix(&mount.point) {
        Ok(rest) if rest.as_os_str().is_empty() => mount.root.clone(),
        Ok(rest) => mount.root.join(rest),
        Err(_) => path.into(),
    }
}

/// The mount that a path which is there lies on: as the kernel says, else the longest one.
fn mount_at<'a>(mounts: &'a [Mount], path: &Path) -> io::Result<&'a Mount> {
    let id = platform::mount_number(path).ok().flatten();
    let by_id = id.and_then(|id| mounts.iter().find(|mount| mount.id == id));
    let longest = || {
        let all = mounts.iter().filter(|mount| path.starts_with(&mount.point));
        // What is mounted over hides what was there before.
        all.max_by_key(|mount| mount.point.as_os_str().len())
    };
    by_id.or_else(longest).ok_or_else(|| io::Error::from(io::ErrorKind::NotFound))
}

/// Whether a mount is what one sees at its point, and not hidden by a later one.
fn is_top_of(mount: &Mount, mounts: &[Mount]) -> bool {
    mount_at(mounts, &mount.point).is_ok_and(|seen| seen.id == mount.id)
}

/// A path with what of it is there, links followed, and the rest.
struct Existing {
    there: PathBuf,
    rest: PathBuf,
}

impl Existing {
    fn whole(&self) -> PathBuf {
        if self.rest.as_os_str().is_empty() { self.there.clone() } else { self.there.join(&self.rest) }
    }
}

/// Follows a path as far as it is there; what its last name is counts, and not what a link of that name leads to.
///
/// # Errors
/// What the system said to anything but a name that is not there.
fn existing(path: &Path) -> io::Result<Existing> {
    let folder = path.look_own_meta().is_ok_and(|meta| meta.is_folder());
    let (Some(parent), Some(name), false) = (path.parent(), path.file_name(), folder) else { return followed(path) };
    let Existing { there, rest } = followed(parent)?;
    let rest = if rest.as_os_str().is_empty() { name.into() } else { rest.join(name) };
    Ok(Existing { there, rest })
}

/// Follows a path as far as it is there. A link that leads to nothing is followed to where it leads: what is missing is missing
/// there.
///
/// # Errors
/// What the system said to anything but a name that is not there.
fn followed(path: &Path) -> io::Result<Existing> {
    /// Links one behind the other, as the kernel counts them (path_resolution(7)).
    const LINKS: usize = 40;
    let mut path = path.to_path_buf();
    for _ in 0..LINKS {
        let mut rest = PathBuf::new();
        let mut there = path.as_path();
        let link = loop {
            match there.look_real() {
                Ok(there) => return Ok(Existing { there, rest }),
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => return Err(error),
            }
            if let Ok(target) = there.look_link() {
                let folder = there.parent().unwrap_or(Path::new("/"));
                break folder.join(target).join(&rest);
            }
            let (Some(parent), Some(name)) = (there.parent(), there.file_name()) else {
                return Err(io::Error::from(io::ErrorKind::NotFound));
            };
            rest = if rest.as_os_str().is_empty() { name.into() } else { Path::new(name).join(&rest) };
            there = parent;
        };
        path = link;
    }
    Err(SystemError::Circle.into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::site::real_path;
    use std::fs;

    fn world(folder: &Path, id: &str) -> Site {
        fs::create_dir_all(folder.join("drives/stick/games/x")).unwrap();
        let drive = format!(
            "[[drives]]\nname = \"stick\"\nid = \"{id}\"\nroot = \"drives/stick\"\ncapacity = 1000\nkind = \"usb\"\nfile-system = \"ext4\"\n"
        );
        fs::write(folder.join("world.toml"), format!("format = 1\nhome = \"home\"\n{drive}")).unwrap();
        Site::of_world(folder).unwrap()
    }

    #[test]
    fn a_declared_drive_is_known_by_its_id_and_an_empty_folder_in_its_place_is_not_it() {
        let folder = tempfile::tempdir().unwrap();
        let top = real_path(folder.path());
        let site = world(&top, "one");
        let path = top.join("drives/stick/games/x/new");
        let place = site.place_at(&path).unwrap();
        assert_eq!(place.below, Path::new("games/x/new"));
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::At(path.clone()));
        // Another id: another drive.
        assert_eq!(world(&top, "two").find_place(&place, &path).unwrap(), Presence::Another);
        let site = world(&top, "one");
        fs::rename(top.join("drives/stick"), top.join("away")).unwrap();
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::Away);
        fs::create_dir(top.join("drives/stick")).unwrap();
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::Away);
        // The way to the place alone says nothing: a launcher makes that where a drive is away.
        fs::create_dir_all(top.join("drives/stick/games/x")).unwrap();
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::Away);
        // Brought back from a backup: another folder, with what was in it.
        fs::write(top.join("drives/stick/games/x/another"), b"a game's").unwrap();
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::At(path));
    }

    #[cfg(unix)]
    #[test]
    fn what_is_missing_behind_a_link_to_nothing_is_missing_there() {
        let folder = tempfile::tempdir().unwrap();
        let top = real_path(folder.path());
        std::os::unix::fs::symlink(top.join("gone/games"), top.join("link")).unwrap();
        assert_eq!(existing(&top.join("link/x")).unwrap().whole(), top.join("gone/games/x"));
        std::os::unix::fs::symlink(top.join("loop"), top.join("loop")).unwrap();
        assert!(existing(&top.join("loop/x")).is_err());
        assert_eq!(existing(&top.join("loop")).unwrap().whole(), top.join("loop"));
        assert_eq!(existing(&top.join("a/b")).unwrap().there, top);
    }

    #[test]
    fn this_machine_says_where_a_path_lies_and_finds_it_again() {
        let folder = tempfile::tempdir().unwrap();
        let top = real_path(folder.path());
        let site = Site { world: None, drives: Vec::new(), ..world(&top, "one") };
        let path = top.join("drives/stick/new");
        let place = site.place_at(&path).unwrap();
        assert_eq!(site.find_place(&place, &path).unwrap(), Presence::At(path.clone()));
        let other = DrivePlace { drive: DriveIdentity("fs:nowhere".into()), ..place };
        assert!(!matches!(site.find_place(&other, &path).unwrap(), Presence::At(_)));
    }
}
