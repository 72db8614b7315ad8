//! The drives of a real machine: mounts, room, kind of device, grouped by the room they share.
//!
//! Law: pseudo file systems, images of packages and boot partitions are no drives; bind mounts
//! and subvolumes of one file system are one drive.

use std::collections::HashMap;
use std::ffi::OsString;
use std::fs;
use std::io;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError, mpsc};
use std::thread;
use std::time::{Duration, Instant};

use super::file_system::file_system_id;
use super::room::usage_of;
use super::system;
use crate::platform::contract::{Mount, Usage};
use crate::platform::drive::{Abilities, Drive, DriveKind};
use crate::platform::silent::put_silent;

impl Mount {
    /// Major and minor number of its device, as text.
    pub(crate) fn device_name(&self) -> String {
        let (major, minor) = device_number(self);
        format!("{major}:{minor}")
    }
}

const DISK_FILE_SYSTEMS: &[&str] = &[
    "ext2", "ext3", "ext4", "btrfs", "xfs", "f2fs", "jfs", "reiserfs", "bcachefs", "zfs", "ntfs", "ntfs3", "fuseblk",
    "exfat", "vfat", "msdos", "hfsplus", "udf",
];
const NETWORK_FILE_SYSTEMS: &[&str] = &["nfs", "nfs4", "cifs", "smb3", "9p", "virtiofs", "fuse.sshfs"];

fn is_drive(mount: &Mount) -> bool {
    let kind = mount.file_system.as_str();
    let below = |folder: &str| mount.point.starts_with(folder);
    if ["/boot", "/efi", "/snap", "/var/lib/snapd", "/proc", "/sys", "/dev"].iter().any(|f| below(f)) {
        return false;
    }
    if DISK_FILE_SYSTEMS.contains(&kind) || NETWORK_FILE_SYSTEMS.contains(&kind) {
        return true;
    }
    match kind {
        // A machine that runs from an image, or a container's root.
        "overlay" => mount.point == Path::new("/"),
        // Memory that somebody mounted to put games in, not the system's own.
        "tmpfs" => {
            let system = ["/tmp", "/var", "/etc", "/usr"].iter().any(|f| mount.point == Path::new(f));
            let run = below("/run") && !below("/run/media");
            !system && !run && !mount.read_only && !mount.point.starts_with("/var/lib")
        }
        _ => false,
    }
}

/// Mounts that share their room have one key: the block device, the pool, or the device number.
fn shared_room(mount: &Mount) -> OsString {
    let source = mount.source.as_bytes();
    if mount.file_system == "zfs" {
        let pool = source.split(|b| *b == b'/').next().unwrap_or(source);
        return OsString::from_vec([b"zfs:", pool].concat());
    }
    if source.starts_with(b"/dev/") {
        return mount.source.clone();
    }
    format!("{}:{}", mount.device.0, mount.device.1).into()
}

/// What a mount says when it is asked for its room; `None` where it is no folder or says an error.
type Answer = Option<Usage>;

/// Time in which a mount has to answer: nothing is read for it, so that a disk need not spin up.
const PATIENCE: Duration = Duration::from_secs(2);

/// Mounts that were asked and have not answered yet. The thread that asks is left behind with them; it holds nothing.
static ASKED: Mutex<Option<HashMap<PathBuf, mpsc::Receiver<Answer>>>> = Mutex::new(None);

/// Asks all mounts at once, each with a time limit, since a dead network mount answers never; gives the answers that came. One that
/// owes an answer from an earlier time is not waited for again.
fn ask_all(points: &[PathBuf]) -> HashMap<PathBuf, Answer> {
    let mut asked = ASKED.lock().unwrap_or_else(PoisonError::into_inner);
    let asked = asked.get_or_insert_default();
    // What has come meanwhile is old by now: it only says that the mount answers again.
    asked.retain(|_, told| matches!(told.try_recv(), Err(mpsc::TryRecvError::Empty)));
    let ask = |point: &PathBuf| {
        let (tell, told) = mpsc::channel();
        let path = point.clone();
        thread::spawn(move || tell.send(path.is_dir().then(|| usage_of(&path).ok()).flatten()));
        (point.clone(), told)
    };
    let waiting: Vec<_> = points.iter().filter(|point| !asked.contains_key(*point)).map(ask).collect();
    let (begun, mut answers) = (Instant::now(), HashMap::new());
    for (point, told) in waiting {
        match told.recv_timeout(PATIENCE.saturating_sub(begun.elapsed())) {
            Ok(answer) => drop(answers.insert(point, answer)),
            Err(_) => drop(asked.insert(point, told)),
        }
    }
    answers
}

/// Whether a mount may be one that waits for another machine, or for a program: those are asked, drives or not.
fn may_be_silent(mount: &Mount) -> bool {
    is_drive(mount)
        || mount.file_system.starts_with("fuse")
        || NETWORK_FILE_SYSTEMS.contains(&mount.file_system.as_str())
}

/// Reads the drives of this machine from `/proc/self/mountinfo`, `statvfs` and `/sys`; the first nine have a digit. Mounts that do not
/// answer are known to be silent from now on ([`super::silent_at`]).
///
/// # Errors
/// What the system says to the list of mounts.
pub(crate) fn drives_of_system() -> io::Result<Vec<Drive>> {
    let mounts = mounts_of_system()?;
    let mut points: Vec<PathBuf> =
        mounts.iter().filter(|mount| may_be_silent(mount)).map(|mount| mount.point.clone()).collect();
    points.sort_unstable();
    points.dedup();
    let answers = ask_all(&points);
    points.retain(|point| !answers.contains_key(point));
    put_silent(points);
    let mut drives = group(mounts, |mount| answers.get(&mount.point).copied().flatten());
    for (n, drive) in drives.iter_mut().enumerate().take(9) {
        drive.tag = u8::try_from(n + 1).ok();
    }
    Ok(drives)
}

/// The list of mounts of this process.
pub(crate) const MOUNTS: &str = "/proc/self/mountinfo";

/// Reads the mounts as they are now.
pub(crate) fn mounts_of_system() -> io::Result<Vec<Mount>> {
    Ok(crate::platform::mountinfo::parse_mountinfo(&crate::platform::look::read(Path::new(MOUNTS))?))
}

/// Makes drives of mounts; `usage` says the room at a mount, or that it is no place for files.
fn group(mounts: Vec<Mount>, usage: impl Fn(&Mount) -> Option<Usage>) -> Vec<Drive> {
    // What is mounted over hides what was there before: the last one at a point counts.
    let mut last: HashMap<PathBuf, usize> = HashMap::new();
    for (n, mount) in mounts.iter().enumerate() {
        last.insert(mount.point.clone(), n);
    }
    let mut by_room: Vec<(OsString, Vec<&Mount>)> = Vec::new();
    for (n, mount) in mounts.iter().enumerate() {
        if last[&mount.point] != n || !is_drive(mount) {
            continue;
        }
        let key = shared_room(mount);
        match by_room.iter_mut().find(|(other, _)| *other == key) {
            Some((_, members)) => members.push(mount),
            None => by_room.push((key, vec![mount])),
        }
    }
    let mut drives: Vec<Drive> = Vec::new();
    for (_, mut members) in by_room {
        members.sort_by_key(|mount| mount.point.as_os_str().len());
        let Some((first, usage)) = members.iter().find_map(|m| Some((*m, usage(m)?))) else { continue };
        // A few bytes of memory that some sandbox mounted are no drive.
        if usage.capacity.count() < 8_000_000 {
            continue;
        }
        let mounts = members.iter().map(|m| m.point.clone()).collect();
        let name = free_name(&drives, first);
        drives.push(drive(first, mounts, usage, name));
    }
    drives
}

fn free_name(drives: &[Drive], mount: &Mount) -> String {
    let last = mount.point.file_name().map(|n| n.to_string_lossy().into_owned());
    let base: String = last.unwrap_or_else(|| "system".into()).chars().filter(|c| !c.is_control()).collect();
    let taken = |name: &str| drives.iter().any(|drive| drive.name == name);
    let mut name = base.clone();
    let mut n = 2;
    while taken(&name) {
        name = format!("{base}-{n}");
        n += 1;
    }
    name
}

fn drive(mount: &Mount, mounts: Vec<PathBuf>, usage: Usage, name: String) -> Drive {
    let file_system = match mount.file_system.as_str() {
        "fuseblk" => behind_fuse(mount).unwrap_or_else(|| "fuseblk".into()),
        other => other.to_string(),
    };
    let (kind, device) = kind_of(mount);
    Drive {
        tag: None,
        id: known_id(mount),
        name,
        root: mount.point.clone(),
        mounts,
        kind,
        device,
        abilities: Abilities::of_file_system(&file_system),
        file_system,
        read_only: mount.read_only,
        capacity: usage.capacity,
        reserve: Drive::usual_reserve(usage.capacity),
        declared: false,
        absent: false,
    }
}

/// The id of the file system that is mounted, where it lies on a device.
fn known_id(mount: &Mount) -> Option<String> {
    let source = Path::new(&mount.source);
    source.is_absolute().then(|| file_system_id(source)).flatten()
}

/// Finds out which file system a block mount through FUSE holds: from its device, from what the system has written down
/// about that, or by how it behaves.
fn behind_fuse(mount: &Mount) -> Option<String> {
    let (major, minor) = device_number(mount);
    let record = PathBuf::from(format!("/run/udev/data/b{major}:{minor}"));
    signature_of(Path::new(&mount.source))
        .or_else(|| in_device_record(&fs::read(record).ok()?))
        .or_else(|| in_device_cache(&fs::read("/run/blkid/blkid.tab").ok()?, mount.source.as_bytes()))
        .or_else(|| behaves_like(&mount.point))
}

/// Which file system the first sector says: the name stands at byte 3 of it in both NTFS and exFAT (exFAT specification,
/// 3.1.2). Needs rights to read the device.
fn signature_of(device: &Path) -> Option<String> {
    use std::io::Read;
    let mut sector = [0; 16];
    fs::File::open(device).ok()?.read_exact(&mut sector).ok()?;
    match &sector[3..11] {
        b"NTFS    " => Some("ntfs".into()),
        b"EXFAT   " => Some("exfat".into()),
        _ => None,
    }
}

fn known_name(name: &[u8]) -> Option<String> {
    matches!(name, b"ntfs" | b"exfat" | b"vfat").then(|| String::from_utf8_lossy(name).into_owned())
}

/// Reads the record that the system's device manager keeps of a device: a line `E:ID_FS_TYPE=` and the name (udev(7)).
fn in_device_record(record: &[u8]) -> Option<String> {
    record.split(|b| *b == b'\n').find_map(|line| known_name(line.strip_prefix(b"E:ID_FS_TYPE=")?))
}

/// Reads the cache of devices: an element per device, with its type as an attribute and its path as the text (libblkid(3)).
fn in_device_cache(cache: &[u8], device: &[u8]) -> Option<String> {
    let of_device = [b">", device, b"</device>"].concat();
    let line = cache.split(|b| *b == b'\n').find(|line| line.windows(of_device.len()).any(|part| part == of_device))?;
    let start = line.windows(6).position(|part| part == b"TYPE=\"")? + 6;
    known_name(line[start..].split(|b| *b == b'"').next()?)
}

/// Asks the top folder for what only NTFS has: its own attribute bits, which the program that serves it tells as an
/// extended attribute (ntfs-3g(8)). exFAT shows nothing of the kind.
fn behaves_like(top: &Path) -> Option<String> {
    system::has_ntfs_attribute(top).then(|| "ntfs".to_string())
}

/// The kind of device behind a mount, and the disk that it is a part of.
fn kind_of(mount: &Mount) -> (DriveKind, Option<String>) {
    if mount.file_system == "tmpfs" {
        return (DriveKind::Memory, None);
    }
    if NETWORK_FILE_SYSTEMS.contains(&mount.file_system.as_str()) {
        return (DriveKind::Network, None);
    }
    let Some(device) = device_folder(mount) else { return (DriveKind::Unknown, None) };
    let path = device.to_string_lossy();
    // A partition's folder lies in its disk's, which knows whether it spins.
    let disk = device.ancestors().take(2).find(|folder| folder.join("queue").is_dir()).unwrap_or(&device);
    let name = disk.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let spins = fs::read_to_string(disk.join("queue/rotational")).ok();
    let kind = match spins.as_deref().map(str::trim) {
        _ if path.contains("/usb") => DriveKind::Usb,
        _ if name.starts_with("loop") => DriveKind::Image,
        _ if name.starts_with("nvme") => DriveKind::Nvme,
        Some("1") => DriveKind::Disk,
        Some("0") => DriveKind::Ssd,
        _ => DriveKind::Unknown,
    };
    (kind, Some(name))
}

/// Major and minor number of the device behind a mount: btrfs and FUSE mounts have one of their own, and the source's is the disk's.
fn device_number(mount: &Mount) -> (u32, u32) {
    let source = Path::new(&mount.source);
    let device = Some(source).filter(|source| source.starts_with("/dev")).and_then(system::device_of);
    device.unwrap_or(mount.device)
}

fn device_folder(mount: &Mount) -> Option<PathBuf> {
    let (major, minor) = device_number(mount);
    fs::canonicalize(format!("/sys/dev/block/{major}:{minor}")).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bytes::Bytes;

    const LIST: &[u8] = b"22 27 0:21 / /proc rw,relatime - proc proc rw
27 1 254:0 / / rw,relatime - ext4 /dev/vda rw
30 27 254:0 /srv /srv/again rw,relatime shared:4 - ext4 /dev/vda rw
31 27 7:3 / /snap/thing/12 ro,nodev - squashfs /dev/loop3 ro
32 27 0:44 /@ /mnt/two\\040words rw - btrfs /dev/sdb1 rw,subvol=/@
33 27 0:45 /@home /mnt/other rw - btrfs /dev/sdb1 rw,subvol=/@home
34 27 0:50 / /run rw - tmpfs tmpfs rw
35 27 0:51 / /mnt/memory rw - tmpfs tmpfs rw
36 27 8:17 / /boot/efi rw - vfat /dev/sdc1 rw
37 27 8:33 / /mnt/over rw - xfs /dev/sdd1 rw
38 37 8:49 / /mnt/over ro - ext4 /dev/sde1 rw
not a line
";

    #[test]
    fn what_the_system_has_written_down_of_a_device_is_read() {
        let record = b"S:disk/by-id/x\nE:ID_FS_USAGE=filesystem\nE:ID_FS_TYPE=exfat\n";
        assert_eq!(in_device_record(record).as_deref(), Some("exfat"));
        assert_eq!(in_device_record(b"E:ID_FS_TYPE=squirrel\n"), None);
        let cache = b"<device DEVNO=\"0x0811\" TYPE=\"vfat\">/dev/sdb1</device>\n<device DEVNO=\"0x0812\" UUID=\"1\" TYPE=\"ntfs\">/dev/sdb12</device>\n";
        assert_eq!(in_device_cache(cache, b"/dev/sdb12").as_deref(), Some("ntfs"));
        assert_eq!(in_device_cache(cache, b"/dev/sdb1").as_deref(), Some("vfat"));
        assert_eq!(in_device_cache(cache, b"/dev/sdb"), None);
    }

    fn drives() -> Vec<Drive> {
        let gigabyte = Bytes::new(1_000_000_000);
        group(crate::platform::mountinfo::parse_mountinfo(LIST), |_| {
            Some(Usage { capacity: gigabyte, used: Bytes::ZERO, free: gigabyte })
        })
    }

    #[test]
    fn shared_room_is_counted_once_and_pseudo_file_systems_never() {
        let points: Vec<Vec<PathBuf>> = drives().into_iter().map(|d| d.mounts).collect();
        let wanted: Vec<Vec<PathBuf>> = vec![
            vec!["/".into(), "/srv/again".into()],
            vec!["/mnt/other".into(), "/mnt/two words".into()],
            vec!["/mnt/memory".into()],
            vec!["/mnt/over".into()],
        ];
        assert_eq!(points, wanted);
    }

    #[test]
    fn what_is_mounted_over_counts() {
        let over = drives().pop().unwrap();
        assert_eq!((over.file_system.as_str(), over.read_only), ("ext4", true));
    }
}
