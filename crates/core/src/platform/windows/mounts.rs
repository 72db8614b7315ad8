//! The drives of a machine: volumes, where they are mounted, their room and kind.
//!
//! Law: a volume without a folder to reach it by, a disc and a drive without a medium are no drives; a volume that is mounted at several
//! folders is one drive.

use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};

use deft_barge_windows::{DriveType, device_of, drive_type, mount_points, volume_at, volumes};

use super::room::usage_of;
use crate::platform::contract::Mount;
use crate::platform::drive::{Abilities, Drive, DriveKind};

/// `FILE_READ_ONLY_VOLUME`, of what a file system says of itself.
const READ_ONLY_VOLUME: u32 = 0x0008_0000;

/// Where the list of drives comes from, for messages.
pub(crate) const MOUNTS: &str = "the list of volumes";

/// The volumes that are mounted now: those with a name of their own, and shares that have a letter.
///
/// # Errors
/// What the system says to the list of volumes.
pub(crate) fn mounts_of_system() -> io::Result<Vec<Mount>> {
    let mut known: Vec<(OsString, PathBuf)> = Vec::new();
    // A layer of compatibility may have no list of volumes, and letters all the same.
    for (volume, points) in volumes().unwrap_or_default() {
        known.extend(points.into_iter().map(|point| (volume.clone(), point)));
    }
    for point in mount_points() {
        if !known.iter().any(|(_, other)| *other == point) {
            known.push((point.clone().into(), point));
        }
    }
    let mounts = known.into_iter().enumerate().filter_map(|(n, (source, point))| {
        let volume = volume_at(&point).ok()?;
        Some(Mount {
            id: n as u64,
            device: (volume.serial, 0),
            root: PathBuf::new(),
            point,
            file_system: file_system(&volume.file_system),
            source,
            read_only: volume.flags & READ_ONLY_VOLUME != 0,
        })
    });
    Ok(mounts.collect())
}

/// The name of a file system as it is called everywhere.
fn file_system(name: &str) -> String {
    match name.to_ascii_lowercase().as_str() {
        "fat" | "fat32" => "vfat".into(),
        other => other.into(),
    }
}

impl Mount {
    /// Serial number of its volume, as text.
    pub(crate) fn device_name(&self) -> String {
        format!("{:08x}", self.device.0)
    }
}

/// The serial number of the volume that a source names: what it got when it was formatted, the same under whatever letter.
pub(crate) fn file_system_id(source: &Path) -> Option<String> {
    let volume = volume_at(source).ok()?;
    (volume.serial != 0).then(|| format!("{:08x}", volume.serial))
}

/// Windows has no number for a mount.
pub(crate) fn mount_number(_path: &Path) -> io::Result<Option<u64>> {
    Ok(None)
}

/// Reads the drives of this machine; the first nine have a digit.
///
/// # Errors
/// What the system says to the list of volumes.
pub(crate) fn drives_of_system() -> io::Result<Vec<Drive>> {
    let mut drives: Vec<Drive> = Vec::new();
    let mut sources: Vec<OsString> = Vec::new();
    for mount in mounts_of_system()? {
        if let Some(n) = sources.iter().position(|source| *source == mount.source) {
            if let Some(drive) = drives.get_mut(n) {
                drive.mounts.push(mount.point);
            }
            continue;
        }
        let Some(drive) = drive(&mount, &drives) else { continue };
        sources.push(mount.source);
        drives.push(drive);
    }
    for (n, drive) in drives.iter_mut().enumerate().take(9) {
        drive.tag = u8::try_from(n + 1).ok();
    }
    Ok(drives)
}

fn drive(mount: &Mount, others: &[Drive]) -> Option<Drive> {
    let kind = match drive_type(&mount.point) {
        DriveType::Removable => DriveKind::Usb,
        DriveType::Network => DriveKind::Network,
        DriveType::Memory => DriveKind::Memory,
        DriveType::Fixed | DriveType::Unknown => kind_of_device(mount),
        DriveType::Disc => return None,
    };
    let usage = usage_of(&mount.point).ok().filter(|usage| usage.capacity.count() > 0)?;
    Some(Drive {
        tag: None,
        id: file_system_id(&mount.point),
        name: name_for(mount, others),
        root: mount.point.clone(),
        mounts: vec![mount.point.clone()],
        kind,
        device: None,
        abilities: abilities_of(&mount.file_system, kind),
        file_system: mount.file_system.clone(),
        read_only: mount.read_only,
        capacity: usage.capacity,
        reserve: Drive::usual_reserve(usage.capacity),
        declared: false,
        absent: false,
    })
}

/// What a drive can hold. What stands beside the bytes of a file on another machine is that machine's: it knows other people, and may keep
/// lists and streams in another way, or not.
fn abilities_of(file_system: &str, kind: DriveKind) -> Abilities {
    let able = Abilities::of_file_system(file_system);
    Abilities { attributes: able.attributes && kind != DriveKind::Network, ..able }
}

/// What kind of device a volume is on, as far as that says so.
fn kind_of_device(mount: &Mount) -> DriveKind {
    /// Numbers of buses (`STORAGE_BUS_TYPE`).
    const USB: i32 = 7;
    const NVME: i32 = 17;
    let named = device_of(Path::new(&mount.source)).or_else(|_| device_of(&mount.point));
    match named.map(|device| (device.bus, device.seeks)) {
        Ok((Some(USB), _)) => DriveKind::Usb,
        Ok((Some(NVME), _)) => DriveKind::Nvme,
        Ok((_, Some(true))) => DriveKind::Disk,
        Ok((_, Some(false))) => DriveKind::Ssd,
        _ => DriveKind::Unknown,
    }
}

/// The label that a person gave the volume, else its letter or the folder where it is mounted; once among the others.
fn name_for(mount: &Mount, others: &[Drive]) -> String {
    let label = volume_at(&mount.point).map(|volume| volume.label.to_string_lossy().into_owned()).unwrap_or_default();
    let point = mount.point.to_string_lossy();
    let letter = point.trim_end_matches(['\\', ':']).rsplit('\\').next().unwrap_or_default().to_string();
    let label: String = label.chars().filter(|c| !c.is_control()).collect();
    let base = if label.trim().is_empty() { letter } else { label };
    let names = std::iter::once(base.clone()).chain((2..).map(|n| format!("{base}-{n}")));
    names.into_iter().find(|name| others.iter().all(|other| other.name != *name)).unwrap_or(base)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stands_beside_a_file_is_kept_on_drives_of_this_machine_that_hold_it() {
        for (file_system, kind, kept) in [
            ("ntfs", DriveKind::Ssd, true),
            ("ntfs", DriveKind::Network, false),
            ("refs", DriveKind::Unknown, true),
            ("refs", DriveKind::Network, false),
            ("exfat", DriveKind::Usb, false),
        ] {
            assert_eq!(abilities_of(file_system, kind).attributes, kept, "{file_system} {kind:?}");
        }
    }
}
