//! File systems that are really mounted, from images in a folder of the test's own; needs root.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// A kind of file system, and how it is made and mounted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    Ext4,
    Btrfs,
    Xfs,
    Ntfs,
    Exfat,
    Tmpfs,
}

pub fn done(command: &mut Command) -> bool {
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok_and(|s| s.success())
}

/// What is mounted below one folder; taken down at the end.
pub struct Mounts {
    folder: tempfile::TempDir,
    mounted: Vec<PathBuf>,
    /// Loop devices are a shared resource of the machine: one such test at a time.
    _alone: MutexGuard<'static, ()>,
}

static ALONE: Mutex<()> = Mutex::new(());

impl Mounts {
    pub fn new() -> Self {
        let alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
        Self { folder: tempfile::tempdir_in("/var/tmp").unwrap(), mounted: Vec::new(), _alone: alone }
    }

    pub fn at(&self, path: &str) -> PathBuf {
        self.folder.path().canonicalize().unwrap().join(path)
    }

    /// Makes a file system of so many bytes and mounts it at `name`; `false`, said loudly, where that cannot be done here.
    pub fn add(&mut self, name: &str, kind: Kind, bytes: u64) -> bool {
        self.add_in("", name, kind, bytes)
    }

    /// The same, with its image in a folder.
    pub fn add_in(&mut self, folder: &str, name: &str, kind: Kind, bytes: u64) -> bool {
        let (image, point) = (self.at(folder).join(format!("{name}.img")), self.at(name));
        fs::create_dir(&point).unwrap();
        let made = self.make(kind, &image, bytes);
        let mounted = made && self.mount(kind, &image, &point, bytes);
        if !mounted {
            eprintln!(
                "\n!!! NOT RUN: {kind:?} could not be made and mounted here; that needs root, its programs and loop devices !!!\n"
            );
        }
        mounted
    }

    /// Makes a file system in an image.
    pub fn make(&self, kind: Kind, image: &Path, bytes: u64) -> bool {
        fs::File::create(image).unwrap().set_len(bytes).unwrap();
        let make = |program: &str, words: &[&str]| done(Command::new(program).args(words).arg(image));
        match kind {
            Kind::Ext4 => make("mkfs.ext4", &["-q", "-F"]),
            Kind::Btrfs => make("mkfs.btrfs", &["-q", "-f"]),
            Kind::Xfs => make("mkfs.xfs", &["-q", "-f"]),
            Kind::Ntfs => make("mkntfs", &["-q", "-F", "-f"]),
            Kind::Exfat => make("mkfs.exfat", &[]),
            Kind::Tmpfs => true,
        }
    }

    fn mount(&mut self, kind: Kind, image: &Path, point: &Path, bytes: u64) -> bool {
        let size = format!("size={bytes}");
        let mount = |words: &[&str]| done(Command::new("mount").args(words).arg(image).arg(point));
        let mounted = match kind {
            Kind::Tmpfs => done(Command::new("mount").args(["-t", "tmpfs", "-o", &size, "none"]).arg(point)),
            // A block mount through FUSE, as a person gets it who plugs such a drive in.
            Kind::Ntfs => through_fuse("ntfs-3g", image, point),
            Kind::Exfat => through_fuse("mount.exfat-fuse", image, point),
            _ => mount(&["-o", "loop"]),
        };
        if mounted {
            self.mounted.push(point.into());
        }
        mounted
    }

    /// Takes one away under whoever uses it.
    pub fn pull(&mut self, name: &str) {
        assert!(done(Command::new("umount").arg("-l").arg(self.at(name))));
        let point = self.at(name);
        self.mounted.retain(|mounted| *mounted != point);
    }

    /// Has the medium below an image that is mounted end early: what is beyond is gone, can't be read and can't be written.
    pub fn end_early(&self, name: &str, image: &Path, bytes: u64) {
        let device = Command::new("findmnt").args(["-n", "-o", "SOURCE"]).arg(self.at(name)).output().unwrap();
        let device = String::from_utf8_lossy(&device.stdout).trim().to_string();
        assert!(done(Command::new("sync").arg("--file-system").arg(self.at(name))));
        fs::File::options().write(true).open(image).unwrap().set_len(bytes).unwrap();
        // The device still has its old end: a file system that writes its journal there would make the image longer, and what was cut off
        // would be read as zeros, without an error.
        assert!(done(Command::new("losetup").args(["--set-capacity", &device])), "{device}");
        let size = Command::new("blockdev").args(["--getsize64", &device]).output().unwrap();
        let size: u64 = String::from_utf8_lossy(&size.stdout).trim().parse().unwrap();
        assert!(size <= bytes && fs::metadata(image).unwrap().len() == bytes, "{size}");
        fs::write("/proc/sys/vm/drop_caches", "1").unwrap();
    }

    /// Puts an image there again, or another one in its place.
    pub fn put_back(&mut self, name: &str, kind: Kind, image: &Path) {
        let point = self.at(name);
        assert!(self.mount(kind, image, &point, 0), "{name}");
    }
}

/// Puts a loop device under the image and serves it through FUSE.
fn through_fuse(program: &str, image: &Path, point: &Path) -> bool {
    let device = Command::new("losetup").args(["--find", "--show"]).arg(image).output().ok();
    let device = device.filter(|output| output.status.success());
    let Some(device) = device.map(|output| String::from_utf8_lossy(&output.stdout).trim().to_string()) else {
        return false;
    };
    let served = done(Command::new(program).arg(&device).arg(point));
    // It goes by itself when nothing uses it any more.
    done(Command::new("losetup").args(["--detach", &device]));
    served
}

impl Drop for Mounts {
    fn drop(&mut self) {
        for point in self.mounted.iter().rev() {
            done(Command::new("umount").arg("-l").arg(point));
        }
    }
}
