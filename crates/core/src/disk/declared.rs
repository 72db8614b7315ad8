//! The rules of declared drives: plain folders that behave like drives with a capacity and limits.
//!
//! Law: what a real drive of that kind would refuse is refused here with the same error, before
//! anything has happened; room is counted in allocated bytes, as a file system counts it.

use crate::platform;
use crate::platform::{Drive, SystemError, allocated_below};
use crate::platform::{NameBytes, begins_behind};
use std::collections::{HashMap, HashSet};
use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use super::act::{Act, Gate};

/// A stretch of a file that a failing drive cannot read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeclaredFault {
    /// The file.
    pub file: PathBuf,
    /// First byte that cannot be read.
    pub from: u64,
    /// Number of bytes.
    pub bytes: u64,
}

#[derive(Debug)]
struct Rules {
    drive: Drive,
    unreadable: Vec<DeclaredFault>,
    room: Mutex<DeclaredRoom>,
}

#[derive(Debug, Default)]
struct DeclaredRoom {
    /// Allocated bytes; `None` until something wants to write.
    used: Option<u64>,
    files: HashMap<PathBuf, u64>,
    leaving: HashMap<PathBuf, u64>,
    /// DeclaredRoom that writes under way were promised, by file and offset.
    promised: HashMap<(PathBuf, u64), u64>,
    folded: HashMap<PathBuf, HashSet<OsString>>,
}

/// The rules of all declared drives of a site.
#[derive(Debug)]
pub struct DeclaredRules(Vec<Rules>);

impl DeclaredRules {
    /// Takes the drives with the stretches that cannot be read on each.
    pub fn new(drives: Vec<(Drive, Vec<DeclaredFault>)>) -> Self {
        let rules = |(drive, unreadable)| Rules { drive, unreadable, room: Mutex::default() };
        Self(drives.into_iter().map(rules).collect())
    }

    fn of(&self, path: &Path) -> Option<&Rules> {
        let on = |rules: &&Rules| lies_in(path, &rules.drive.root);
        self.0.iter().filter(on).max_by_key(|rules| rules.drive.root.as_os_str().len())
    }
}

impl Rules {
    fn room(&self) -> MutexGuard<'_, DeclaredRoom> {
        self.room.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The room, with what is in use added up: only who writes has to know it.
    fn room_in_use(&self) -> MutexGuard<'_, DeclaredRoom> {
        let mut room = self.room();
        if room.used.is_none() {
            room.used = Some(allocated_below(&self.drive.root).count());
        }
        room
    }

    /// Promises the room that a write takes, or refuses it.
    fn promise(&self, path: &Path, offset: u64, len: u64) -> io::Result<()> {
        if self.drive.abilities.largest_file.is_some_and(|most| offset + len > most.count()) {
            return Err(SystemError::TooLarge.into());
        }
        let mut room = self.room_in_use();
        let known = room.files.get(path).copied();
        let there = match known {
            // Made just now.
            Some(0) => 0,
            _ => platform::look_itself(path).map_or(0, |m| m.allocated),
        };
        if known.is_none() {
            room.files.insert(path.to_path_buf(), there);
        }
        // What is written over takes no more room: of a file that is all there, or of the first piece of one.
        let end = offset + len;
        let over = if there >= end || offset == 0 { there.min(len) } else { 0 };
        let promised = len - over;
        let used = room.used.unwrap_or(0);
        if used + promised > self.drive.capacity.count() {
            return Err(SystemError::NoSpace.into());
        }
        room.used = Some(used + promised);
        room.promised.insert((path.to_path_buf(), offset), promised);
        Ok(())
    }

    /// Notes the room that what is at a name gives back when it leaves.
    fn leaves(&self, path: &Path) {
        if self.room().used.is_some()
            && let Ok(meta) = platform::look_itself(path)
        {
            let leaves = if meta.is_folder() || meta.names == 1 { meta.allocated } else { 0 };
            self.room().leaving.insert(path.to_path_buf(), leaves);
        }
    }

    fn name_fits(&self, path: &Path) -> io::Result<()> {
        let Some(name) = path.file_name() else { return Ok(()) };
        let abilities = &self.drive.abilities;
        if !abilities.can_name(name) {
            return Err(SystemError::Invalid.into());
        }
        if abilities.folds_case {
            let folder = path.parent().unwrap_or(Path::new("/")).to_path_buf();
            let mut room = self.room();
            let names = room.folded.entry(folder.clone()).or_insert_with(|| names_in(&folder));
            if names.contains(&fold(name)) {
                return Err(io::Error::from(io::ErrorKind::AlreadyExists));
            }
        }
        Ok(())
    }

    fn settle(&self, path: &Path, promised: u64) {
        let now = platform::look_itself(path).map_or(0, |m| m.allocated);
        let mut room = self.room();
        let Some(used) = room.used else { return };
        let then = room.files.insert(path.to_path_buf(), now).unwrap_or(0);
        room.used = Some((used + now).saturating_sub(then + promised));
    }
}

/// Whether a path lies in a folder, or is it: both are written without `.`, `..` and doubled slashes.
fn lies_in(path: &Path, folder: &Path) -> bool {
    let rest = path.name_bytes().strip_prefix(folder.name_bytes());
    rest.is_some_and(|rest| rest.is_empty() || begins_behind(rest))
}

fn fold(name: &std::ffi::OsStr) -> OsString {
    name.to_str().map_or_else(|| name.to_os_string(), |text| text.to_lowercase().into())
}

fn names_in(folder: &Path) -> HashSet<OsString> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| fold(&entry.file_name())).collect()
}

impl Gate for DeclaredRules {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let Some(rules) = self.of(act.path()) else { return Ok(()) };
        let refuse = |error: SystemError| Err(error.into());
        let abilities = &rules.drive.abilities;
        if rules.drive.read_only && !act.only_reads() {
            return refuse(SystemError::ReadOnly);
        }
        match *act {
            Act::Read { path, offset, len } => {
                let hit = |u: &DeclaredFault| u.file == path && offset < u.from + u.bytes && u.from < offset + len;
                if rules.unreadable.iter().any(hit) { refuse(SystemError::InputOutput) } else { Ok(()) }
            }
            Act::Write { path, offset, len } => rules.promise(path, offset, len),
            Act::SetLen { path, len } => {
                if abilities.largest_file.is_some_and(|most| len > most.count()) {
                    return refuse(SystemError::TooLarge);
                }
                // What a file from an earlier run takes is counted already.
                let mut room = rules.room();
                if room.used.is_some() && !room.files.contains_key(path) {
                    let now = platform::look_itself(path).map_or(0, |m| m.allocated);
                    room.files.insert(path.to_path_buf(), now);
                }
                Ok(())
            }
            Act::MakeLink { .. } if !abilities.links => refuse(SystemError::NotPermitted),
            Act::HardLink { .. } if !abilities.hard_links => refuse(SystemError::NotPermitted),
            Act::Exchange { .. } if !abilities.links => refuse(SystemError::Invalid),
            // Declared drives are folders of one disk: sharing bytes between them would be no copy.
            Act::Share { .. } => refuse(SystemError::NotSupported),
            Act::Create(path) | Act::MakeFolder(path) => rules.name_fits(path),
            Act::MakeLink { at } | Act::HardLink { at, .. } => rules.name_fits(at),
            Act::Rename { from, to } => match self.of(from) {
                // Two declared drives are two file systems, whatever disk their folders lie on.
                Some(other) if other.drive.root == rules.drive.root => rules.name_fits(to),
                _ => Err(io::Error::from(io::ErrorKind::CrossesDevices)),
            },
            // What is at a name leaves with it.
            Act::Remove { path, .. } | Act::Replace { to: path, .. } => {
                rules.leaves(path);
                Ok(())
            }
            _ => Ok(()),
        }
    }

    fn after(&self, act: &Act<'_>) {
        let Some(rules) = self.of(act.path()) else { return };
        let remember = |path: &Path| {
            if let (Some(folder), Some(name)) = (path.parent(), path.file_name())
                && let Some(names) = rules.room().folded.get_mut(folder)
            {
                names.insert(fold(name));
            }
        };
        match *act {
            Act::Write { path, offset, len } => {
                let promised = rules.room().promised.remove(&(path.to_path_buf(), offset));
                rules.settle(path, promised.unwrap_or(len));
            }
            Act::SetLen { path, .. } => rules.settle(path, 0),
            // A file is done when its times are set: it need not be remembered.
            Act::Meta(path) => drop(rules.room().files.remove(path)),
            Act::Create(path) => {
                remember(path);
                // A new file takes nothing yet.
                rules.room().files.insert(path.to_path_buf(), 0);
            }
            Act::MakeFolder(path) => {
                remember(path);
                rules.settle(path, 0);
            }
            Act::MakeLink { at } | Act::HardLink { at, .. } => remember(at),
            // Nothing takes more or less room under another name.
            Act::Rename { .. } | Act::Exchange { .. } => {
                let mut room = rules.room();
                room.folded.clear();
                room.files.clear();
            }
            Act::Replace { to, .. } => {
                let mut room = rules.room();
                let leaves = room.leaving.remove(to).unwrap_or(0);
                room.used = room.used.map(|used| used.saturating_sub(leaves));
                room.folded.clear();
                room.files.clear();
            }
            Act::Remove { path, .. } => {
                let mut room = rules.room();
                let leaves = room.leaving.remove(path).unwrap_or(0);
                room.used = room.used.map(|used| used.saturating_sub(leaves));
                room.files.remove(path);
                if let Some(names) = path.parent().and_then(|p| room.folded.get_mut(p)) {
                    names.remove(&fold(path.file_name().unwrap_or_default()));
                }
            }
            _ => {}
        }
    }
}

impl crate::platform::Abilities {
    /// Whether the drive can hold a file of this name.
    pub fn can_name(&self, name: &std::ffi::OsStr) -> bool {
        if self.forbidden.is_empty() {
            return true;
        }
        let Some(text) = name.to_str() else { return false };
        let control = text.bytes().any(|b| b < 32);
        let ends = text.ends_with(['.', ' ']) && !matches!(text, "." | "..");
        !control && !ends && !text.contains(|c| self.forbidden.contains(c)) && name.name_bytes().len() <= 255
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bytes::Bytes;
    use crate::disk::{Disk, Meta};
    use crate::platform::{Abilities, DriveKind};
    use std::sync::Arc;

    fn drive(root: &Path, abilities: Abilities) -> Drive {
        Drive {
            tag: Some(1),
            id: None,
            name: "hold".into(),
            root: root.into(),
            mounts: vec![root.into()],
            kind: DriveKind::Nvme,
            device: None,
            file_system: "ext4".into(),
            abilities,
            read_only: false,
            capacity: Bytes::new(1 << 20),
            reserve: Bytes::ZERO,
            declared: true,
            absent: false,
        }
    }

    fn disk(drive: Drive, unreadable: Vec<DeclaredFault>) -> Disk {
        Disk::with_gates(vec![Arc::new(DeclaredRules::new(vec![(drive, unreadable)]))])
    }

    #[test]
    fn a_declared_drive_runs_full_and_gives_room_back() {
        let folder = tempfile::tempdir().unwrap();
        let disk = disk(drive(folder.path(), Abilities::all()), Vec::new());
        let path = folder.path().join("a");
        let file = disk.create(&path).unwrap();
        let piece = vec![1; 1 << 18];
        for n in 0..3 {
            disk.write_at(&file, &piece, n << 18).unwrap();
        }
        // Rewriting takes no more room, a new piece beyond the capacity is refused.
        disk.write_at(&file, &piece, 0).unwrap();
        disk.write_at(&file, &piece[..1 << 17], 3 << 18).unwrap();
        let full = disk.write_at(&file, &piece, 4 << 18).unwrap_err();
        assert_eq!(full.kind(), io::ErrorKind::StorageFull);
        // Where a name lasts as long as somebody has the file open, it is gone now.
        drop(file);
        disk.remove_record(&path).unwrap();
        let again = disk.create(&path).unwrap();
        disk.write_at(&again, &piece, 0).unwrap();
    }

    #[test]
    fn what_is_written_over_takes_no_more_room_and_what_is_new_does() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        let disk = disk(Drive { capacity: Bytes::new(100_000), ..drive(&root, Abilities::all()) }, Vec::new());
        let file = disk.create(&root.join("a")).unwrap();
        let bytes = vec![1; 80_000];
        disk.write_at(&file, &bytes, 0).unwrap();
        for _ in 0..3 {
            disk.write_at(&file, &bytes, 0).unwrap();
            disk.write_at(&file, &bytes[..20_000], 40_000).unwrap();
        }
        // Opened by a later run that knows nothing of it yet, and cut to its length.
        let times = Meta { mode: 0o644, owner: (0, 0), modified_ns: 0, attributes: Vec::new() };
        disk.set_meta(&file, &times).unwrap();
        let file = disk.open_write(&root.join("a")).unwrap();
        disk.set_len(&file, 80_000).unwrap();
        disk.write_at(&file, &bytes[..20_000], 40_000).unwrap();
        let full = disk.write_at(&file, &bytes[..30_000], 80_000).unwrap_err();
        assert_eq!(full.kind(), io::ErrorKind::StorageFull);
        let other = disk.create(&root.join("b")).unwrap();
        assert!(disk.write_at(&other, &bytes[..30_000], 0).is_err());
        disk.write_at(&other, &bytes[..10_000], 0).unwrap();
    }

    #[test]
    fn what_the_declared_kind_cannot_do_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let abilities = Abilities {
            links: false,
            hard_links: false,
            forbidden: ":?".into(),
            folds_case: true,
            largest_file: Some(Bytes::new(100)),
            ..Abilities::all()
        };
        let bad = DeclaredFault { file: folder.path().join("bad"), from: 10, bytes: 5 };
        let disk = disk(drive(folder.path(), abilities), vec![bad]);
        let at = |name: &str| folder.path().join(name);
        assert!(disk.make_link(Path::new("x"), &at("l")).is_err());
        assert!(disk.create(&at("why?")).is_err());
        let file = disk.create(&at("bad")).unwrap();
        assert!(disk.create(&at("BAD")).is_err(), "another case is the same name");
        assert!(disk.write_at(&file, &[0; 101], 0).is_err());
        disk.write_at(&file, &[7; 40], 0).unwrap();
        let mut buffer = [0; 10];
        assert_eq!(disk.read_at(&file, &mut buffer, 0).unwrap(), 10);
        let bad = disk.read_at(&file, &mut buffer, 14).unwrap_err();
        assert_eq!(bad.raw_os_error(), io::Error::from(SystemError::InputOutput).raw_os_error());
    }
}
