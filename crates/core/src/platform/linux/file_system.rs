//! What a device says of the file system that is on it.

use std::fs;
use std::path::Path;

use crate::platform::look::{Look, read_dir};

/// The id of the file system on a device: as the system lists it, or as its superblock says. Needs rights for the latter.
pub(crate) fn file_system_id(device: &Path) -> Option<String> {
    let device = device.look_real().ok()?;
    for entry in read_dir("/dev/disk/by-uuid").into_iter().flatten().flatten() {
        if entry.path().look_real().is_ok_and(|target| target == device) {
            return entry.file_name().into_string().ok();
        }
    }
    superblock_id(&device)
}

/// Reads the id from where each file system keeps it: ext (ext4 disk layout: `s_magic`, `s_uuid`), XFS (`sb_uuid`), btrfs
/// (on-disk format: `fsid`, `magic`), exFAT (specification 3.1.11, volume serial number), NTFS (serial number at byte 72).
fn superblock_id(device: &Path) -> Option<String> {
    use std::io::{Read, Seek, SeekFrom};
    let mut file = fs::File::open(device).ok()?;
    let mut at = |offset: u64, length: usize| {
        let mut bytes = vec![0; length];
        file.seek(SeekFrom::Start(offset)).ok()?;
        file.read_exact(&mut bytes).ok()?;
        Some(bytes)
    };
    let hex = |bytes: &[u8]| bytes.iter().map(|byte| format!("{byte:02x}")).collect::<String>();
    let first = at(0, 512)?;
    if first.starts_with(b"XFSB") {
        return Some(hex(&first[32..48]));
    }
    match &first[3..11] {
        // Numbers with their lowest byte first, shown as the system shows them.
        b"EXFAT   " => return Some(hex(&first[100..104].iter().rev().copied().collect::<Vec<_>>())),
        b"NTFS    " => return Some(hex(&first[72..80].iter().rev().copied().collect::<Vec<_>>())),
        _ => {}
    }
    if at(1024 + 56, 2)? == [0x53, 0xef] {
        return Some(hex(&at(1024 + 104, 16)?));
    }
    let btrfs = at(0x1_0000, 80)?;
    (&btrfs[64..72] == b"_BHRfS_M").then(|| hex(&btrfs[32..48]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn superblocks_say_their_id() {
        let folder = tempfile::tempdir().unwrap();
        let mut image = vec![0_u8; 0x1_1000];
        let file = folder.path().join("image");
        let id = |image: &[u8]| {
            fs::write(&file, image).unwrap();
            superblock_id(&file)
        };
        assert_eq!(id(&image), None);
        image[1024 + 56..1024 + 58].copy_from_slice(&[0x53, 0xef]);
        image[1024 + 104] = 0xab;
        assert_eq!(id(&image).unwrap(), format!("ab{}", "00".repeat(15)));
        image[1024 + 56] = 0;
        image[0x1_0000 + 64..0x1_0000 + 72].copy_from_slice(b"_BHRfS_M");
        image[0x1_0000 + 47] = 0x0c;
        assert_eq!(id(&image).unwrap(), format!("{}0c", "00".repeat(15)));
        image[3..11].copy_from_slice(b"EXFAT   ");
        image[100..104].copy_from_slice(&[1, 2, 3, 4]);
        assert_eq!(id(&image).unwrap(), "04030201");
    }
}
