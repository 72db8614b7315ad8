//! What is known of the speeds of drives: probes on request, and what hauls reached.
//!
//! Law: a probe writes one folder of its own, of a bounded size for a bounded time, and removes it. Start at [`probe`].

use crate::bytes::index;
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use super::event::Control;
use crate::disk::{Buffer, Disk, What};
use crate::platform::Drive;
use crate::site::{DriveSpeed, real_path};

/// Bytes that a probe writes at most.
const MOST: u64 = 256 << 20;
/// Bytes that it writes at a time.
const PIECE: u64 = 4 << 20;
/// Small files that it writes.
const FILES: usize = 60;

/// Measures a drive: writes a file of up to 256 MiB for up to three seconds, reads it back past the cache, and writes some small
/// files. `folder` is where it may write; what it made is gone when this returns.
///
/// # Errors
/// What the drive refused; also with [`io::ErrorKind::StorageFull`] where its reserve would be touched.
pub fn probe(disk: &Disk, drive: &Drive, folder: &Path, stop: &Control) -> io::Result<DriveSpeed> {
    let usage = drive.usage()?;
    let room = usage.free.less(drive.reserve).count();
    if room < PIECE * 4 {
        return Err(io::ErrorKind::StorageFull.into());
    }
    // One person's probe in this folder; the journal's lock lets them make one at a time.
    let mut whose = real_path(folder).into_os_string().into_encoded_bytes();
    whose.extend(crate::platform::real_user().to_le_bytes());
    let place = folder.join(format!(".deft-barge-probe-{}", &blake3::hash(&whose).to_hex()[..8]));
    if place.is_dir() {
        clear(disk, &place)?;
    }
    disk.make_folder(&place)?;
    let mut made = Vec::new();
    let whole = drive.abilities.flushes_whole;
    let measured = measure(disk, &place, (MOST.min(room / 2), whole), stop, &mut made);
    for path in made.iter().rev() {
        disk.remove_own(path, What::File)?;
    }
    disk.remove_own(&place, What::Folder)?;
    measured
}

/// Removes what a probe that was killed has left, by the names that it makes; anything else refuses.
fn clear(disk: &Disk, place: &Path) -> io::Result<()> {
    let names = std::iter::once("large".to_string()).chain((0..FILES).map(|n| n.to_string()));
    for path in names.map(|name| place.join(name)).filter(|path| path.is_file()) {
        disk.remove_own(&path, What::File)?;
    }
    disk.remove_own(place, What::Folder)
}

/// Measures with at most so many bytes; small files are made durable as a haul does it, all at once where that is to be had.
fn measure(
    disk: &Disk,
    place: &Path,
    (most, whole): (u64, bool),
    stop: &Control,
    made: &mut Vec<PathBuf>,
) -> io::Result<DriveSpeed> {
    const TIME: Duration = Duration::from_secs(3);
    // What a drive could pack away would seem faster than it is.
    let mut noise = vec![0; index(PIECE)];
    blake3::Hasher::new().update(b"probe").finalize_xof().fill(&mut noise);
    let large = place.join("large");
    let file = disk.create(&large)?;
    made.push(large.clone());
    let begun = Instant::now();
    let mut written = 0;
    while written + PIECE <= most && (begun.elapsed() < TIME || written == 0) && !stop.asked() {
        noise.splice(..8, written.to_le_bytes());
        disk.write_at(&file, &noise, written)?;
        disk.press_on(&file, written, PIECE);
        written += PIECE;
    }
    disk.flush(&file)?;
    let write = written as f64 / begun.elapsed().as_secs_f64().max(1e-6);
    disk.forget(&file);
    drop(file);
    let file = disk.open_back(&large)?;
    let mut buffer = Buffer::new(index(PIECE));
    let (begun, mut back) = (Instant::now(), 0);
    while back < written && (begun.elapsed() < TIME || back == 0) && !stop.asked() {
        back += disk.read_back(&file, &mut buffer, index(PIECE), back)? as u64;
    }
    let read = back as f64 / begun.elapsed().as_secs_f64().max(1e-6);
    let begun = Instant::now();
    let mut count = 0;
    let small = noise.get(..4096).unwrap_or_default();
    while count < FILES && begun.elapsed() < TIME && !stop.asked() {
        let path = place.join(count.to_string());
        let file = disk.create(&path)?;
        made.push(path);
        disk.write_at(&file, small, 0)?;
        if !whole {
            disk.flush(&file)?;
        }
        count += 1;
    }
    if whole {
        disk.flush_drive(&disk.open_folder(place)?)?;
    } else {
        disk.flush_folder(place)?;
    }
    let small = begun.elapsed().as_secs_f64() / count.max(1) as f64;
    Ok(DriveSpeed { read, write, per_file: (small - 4096.0 / write).max(1e-6) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bytes::Bytes;
    use crate::disk::{Act, Gate};
    use crate::platform::Abilities;
    use crate::survey::made_up::drive;

    /// Refuses every removal, as if nobody were there any more to make it.
    #[derive(Debug)]
    struct Killed;

    impl Gate for Killed {
        fn before(&self, act: &Act<'_>) -> io::Result<()> {
            if matches!(act, Act::Remove { .. }) { Err(io::ErrorKind::Interrupted.into()) } else { Ok(()) }
        }
    }

    #[test]
    fn a_probe_measures_and_leaves_nothing_behind() {
        let folder = tempfile::tempdir().unwrap();
        let mut drive = drive("d", 100_000_000, 0, 1_000_000).drive;
        drive.root = folder.path().into();
        drive.abilities = Abilities::of_file_system("ext4");
        let pace = probe(&Disk::default(), &drive, folder.path(), &Control::default()).unwrap();
        assert!(pace.read > 1e5 && pace.write > 1e5 && pace.per_file > 0.0, "{pace:?}");
        assert_eq!(folder.path().read_dir().unwrap().count(), 0);
        // One that was killed leaves its folder; the next one clears it, and nothing that is not a probe's.
        let place = |disk: &Disk| {
            let gate = std::sync::Arc::new(Killed);
            probe(&disk.and_gate(gate), &drive, folder.path(), &Control::default()).unwrap_err();
            folder.path().read_dir().unwrap().next().unwrap().unwrap().path()
        };
        let left = place(&Disk::default());
        assert!(left.join("large").exists());
        probe(&Disk::default(), &drive, folder.path(), &Control::default()).unwrap();
        assert_eq!(folder.path().read_dir().unwrap().count(), 0);
        let left = place(&Disk::default());
        Disk::default().create(&left.join("mine")).unwrap();
        assert!(probe(&Disk::default(), &drive, folder.path(), &Control::default()).is_err());
        assert!(left.join("mine").exists());
        Disk::default().remove_own(&left.join("mine"), What::File).unwrap();
        // The reserve is not touched.
        drive.reserve = Bytes::new(99_000_000);
        let error = probe(&Disk::default(), &drive, folder.path(), &Control::default()).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::StorageFull);
    }
}
