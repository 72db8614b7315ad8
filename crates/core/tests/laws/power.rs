//! Laws under power cuts: a live and a durable image, names apart from data; only a flush promotes.

use std::collections::{BTreeMap, HashMap};
use std::ffi::OsString;
use std::fs::{self, File, FileTimes};
use std::io;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, UNIX_EPOCH};

use deft_barge_core::disk::{Act, Gate, What};

use crate::acts::{ActLog, both_ways, every_fault};
use crate::scenarios::{Case, Scenario};

/// What survives of what was not flushed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Survives {
    /// Nothing: neither names nor data.
    Nothing,
    /// Names, lengths and times; the bytes are zeros.
    Names,
}

#[derive(Clone)]
struct Durable {
    bytes: Vec<u8>,
    mode: u32,
    time: (i64, i64),
}

#[derive(Default)]
struct Image {
    files: HashMap<u64, Durable>,
    folders: HashMap<u64, BTreeMap<OsString, u64>>,
    /// When the names of a folder were last flushed.
    flushed: HashMap<u64, usize>,
    acts: usize,
    cut: bool,
}

/// Cuts the power before the n-th act.
struct PowerCut {
    root: PathBuf,
    grave: PathBuf,
    at: usize,
    image: Mutex<Image>,
}

impl std::fmt::Debug for PowerCut {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "PowerCut at {}", self.at)
    }
}

fn durable(path: &Path) -> Durable {
    let meta = fs::metadata(path).unwrap();
    Durable { bytes: fs::read(path).unwrap(), mode: meta.mode(), time: (meta.mtime(), meta.mtime_nsec()) }
}

fn names(folder: &Path) -> BTreeMap<OsString, u64> {
    fs::read_dir(folder)
        .unwrap()
        .flatten()
        .map(|e| (e.file_name(), e.path().symlink_metadata().unwrap().ino()))
        .collect()
}

fn walk(root: &Path, see: &mut dyn FnMut(&Path)) {
    see(root);
    for entry in fs::read_dir(root).unwrap().flatten() {
        if entry.file_type().unwrap().is_dir() { walk(&entry.path(), see) } else { see(&entry.path()) }
    }
}

impl PowerCut {
    /// All that is there now is durable.
    fn new(case: &Case, at: usize) -> Arc<Self> {
        let root = case.port.at("");
        let grave = root.parent().unwrap().join(format!("grave-{}", root.file_name().unwrap().to_string_lossy()));
        fs::create_dir_all(&grave).unwrap();
        let mut image = Image::default();
        walk(&root, &mut |path| {
            let meta = path.symlink_metadata().unwrap();
            if meta.is_dir() {
                image.folders.insert(meta.ino(), names(path));
            } else if meta.is_file() {
                image.files.insert(meta.ino(), durable(path));
            }
        });
        Arc::new(Self { root, grave, at, image: Mutex::new(image) })
    }

    /// Makes the live tree what the drive would hold after the cut. Inodes stay what they were.
    fn fall_back(&self, survives: Survives) {
        let image = self.image.lock().unwrap();
        let mut live: HashMap<u64, PathBuf> = HashMap::new();
        for place in [&self.grave, &self.root] {
            walk(place, &mut |path| {
                live.insert(path.symlink_metadata().unwrap().ino(), path.into());
            });
        }
        for (ino, path) in &live {
            if path.symlink_metadata().unwrap().is_file() {
                let now = durable(path);
                let then = match (image.files.get(ino), survives) {
                    (Some(then), _) => then.clone(),
                    (None, Survives::Nothing) => Durable { bytes: Vec::new(), ..now.clone() },
                    (None, Survives::Names) => Durable { bytes: vec![0; now.bytes.len()], ..now.clone() },
                };
                if then.bytes != now.bytes || then.time != now.time || then.mode != now.mode {
                    fs::write(path, &then.bytes).unwrap();
                    fs::set_permissions(path, fs::Permissions::from_mode(then.mode & 0o7777)).unwrap();
                    let time = UNIX_EPOCH + Duration::new(then.time.0 as u64, then.time.1 as u32);
                    File::options()
                        .write(true)
                        .open(path)
                        .unwrap()
                        .set_times(FileTimes::new().set_modified(time))
                        .unwrap();
                }
            }
        }
        if survives == Survives::Nothing {
            let fresh = self.grave.join("fresh");
            let root = self.root.symlink_metadata().unwrap().ino();
            rebuild(&image, &live, root, &fresh);
            for name in names(&self.root).into_keys() {
                let path = self.root.join(name);
                if path.is_dir() { fs::remove_dir_all(path).unwrap() } else { fs::remove_file(path).unwrap() }
            }
            for name in names(&fresh).into_keys() {
                fs::rename(fresh.join(&name), self.root.join(&name)).unwrap();
            }
        }
        fs::remove_dir_all(&self.grave).unwrap();
    }
}

/// Whether a folder has a durable name in another folder that was flushed later: no file system gives a folder two places.
fn moved_away(image: &Image, folder: u64, child: u64) -> bool {
    let when = |folder: &u64| image.flushed.get(folder).copied().unwrap_or(0);
    let others =
        image.folders.iter().filter(|(other, names)| **other != folder && names.values().any(|ino| *ino == child));
    others.map(|(other, _)| when(other)).any(|then| then > when(&folder))
}

fn rebuild(image: &Image, live: &HashMap<u64, PathBuf>, folder: u64, at: &Path) {
    fs::create_dir_all(at).unwrap();
    for (name, ino) in image.folders.get(&folder).into_iter().flatten() {
        let path = at.join(name);
        let is_folder =
            image.folders.contains_key(ino) || live.get(ino).is_some_and(|p| p.symlink_metadata().unwrap().is_dir());
        if is_folder {
            if moved_away(image, folder, *ino) {
                continue;
            }
            rebuild(image, live, *ino, &path);
            if let Some(there) = live.get(ino) {
                fs::set_permissions(&path, fs::metadata(there).unwrap().permissions()).unwrap();
            }
        } else {
            fs::hard_link(live.get(ino).expect("a removed file is kept in the grave"), &path).unwrap();
        }
    }
}

impl Gate for PowerCut {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let mut image = self.image.lock().unwrap();
        if !act.only_reads() {
            image.cut |= image.acts == self.at;
            image.acts += 1;
        }
        if image.cut {
            return Err(io::Error::from_raw_os_error(5));
        }
        // A name that goes keeps its inode in the grave, for it may come back.
        let goes = match act {
            Act::Remove { path, what: What::File } => Some(*path),
            Act::Replace { to, .. } if to.exists() => Some(*to),
            _ => None,
        };
        if let Some(path) = goes {
            let _ = fs::hard_link(path, self.grave.join(format!("{}", image.acts)));
        }
        Ok(())
    }

    fn after(&self, act: &Act<'_>) {
        let mut image = self.image.lock().unwrap();
        match act {
            // A database makes its own changes durable.
            Act::Flush(path) | Act::Commit(path) => {
                let ino = path.symlink_metadata().unwrap().ino();
                image.files.insert(ino, durable(path));
            }
            // One flush for all: bytes and names of this drive, and of no other.
            Act::FlushDrive(path) => {
                let drives = self.root.join("drives");
                let drive = path.strip_prefix(&drives).unwrap().components().next().unwrap();
                let now = image.acts;
                walk(&drives.join(drive), &mut |path| {
                    let meta = path.symlink_metadata().unwrap();
                    if meta.is_dir() {
                        image.folders.insert(meta.ino(), names(path));
                        image.flushed.insert(meta.ino(), now);
                    } else if meta.is_file() {
                        image.files.insert(meta.ino(), durable(path));
                    }
                });
            }
            Act::FlushFolder(path) => {
                let ino = fs::metadata(path).unwrap().ino();
                image.folders.insert(ino, names(path));
                let now = image.acts;
                image.flushed.insert(ino, now);
            }
            _ => {}
        }
    }
}

/// Cuts of the power before many acts of a scenario, all of them where that is asked for; each gone on and back from.
fn power_is_cut_at_any_act(scenario: Scenario) {
    let acts = ActLog::of(scenario).chosen_changes(every_fault());
    let mut cuts = 0;
    for (n, goes_on) in both_ways(acts) {
        let survives = if n.is_multiple_of(2) == goes_on { Survives::Nothing } else { Survives::Names };
        let when = format!("cut at act {n}, survives {survives:?}");
        let case = Case::new(scenario);
        let power = PowerCut::new(&case, n);
        let failed = case.act(Some(case.port.site().disk.and_gate(power.clone()))).is_err();
        power.fall_back(survives);
        if !failed {
            // The cut came at an act that need not be durable, or after the last one.
            case.check_done(&when);
            continue;
        }
        cuts += 1;
        case.check_instant(&when);
        if goes_on { case.recover_forward(&when) } else { case.recover_back(&when) }
    }
    println!("{cuts} cuts met");
    assert!(cuts > 5, "{cuts} cuts met");
}

#[test]
fn a_power_cut_at_any_act_of_a_haul_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::Haul);
}

#[test]
fn a_power_cut_at_any_act_of_a_haul_that_releases_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::HaulAndRelease);
}

#[test]
fn a_power_cut_at_any_act_of_a_release_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::Release);
}

#[test]
fn a_power_cut_at_any_act_of_an_undo_with_originals_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::ReturnHeld);
}

#[test]
fn a_power_cut_at_any_act_of_an_undo_without_originals_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::ReturnReleased);
}

#[test]
fn a_power_cut_at_any_act_of_a_rename_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    power_is_cut_at_any_act(Scenario::Rename);
}

#[test]
fn the_stand_in_for_power_loses_what_was_not_flushed() {
    let case = Case::new(Scenario::Haul);
    let power = PowerCut::new(&case, usize::MAX);
    let disk = case.port.site().disk.and_gate(power.clone());
    let at = |name: &str| case.port.at("drives/newhold/keep").join(name);
    for (name, data, folder) in [("kept", true, true), ("nameless", true, false), ("hollow", false, true)] {
        let file = disk.create(&at(name)).unwrap();
        disk.write_at(&file, b"abc", 0).unwrap();
        if data {
            disk.flush(&file).unwrap();
        }
        if folder {
            disk.flush_folder(&case.port.at("drives/newhold/keep")).unwrap();
        }
        if name == "nameless" {
            // Taken away again, so that a later flush of the folder does not promote it.
            fs::rename(at(name), power.grave.join("away")).unwrap();
        }
    }
    disk.remove_record(&at("this")).unwrap();
    power.fall_back(Survives::Nothing);
    assert_eq!(fs::read(at("kept")).unwrap(), b"abc");
    assert!(!at("nameless").exists());
    assert_eq!(fs::read(at("hollow")).unwrap(), b"");
    assert_eq!(fs::read(at("this")).unwrap(), b"not ours", "a removal that was not flushed is undone");
}
