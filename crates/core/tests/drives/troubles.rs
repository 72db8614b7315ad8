//! What drives do: run full, go away under the copy, fail to read, lose their power.

use super::*;

/// Stops the haul when it has copied so many bytes, by what `act` does to the drives.
fn at_bytes(bytes: u64, act: impl Fn()) -> impl Fn(HaulEvent) {
    let done = std::cell::Cell::new(false);
    move |event| {
        if let HaulEvent::Progress(progress) = event
            && progress.copy.done.count() >= bytes
            && !done.replace(true)
        {
            act();
        }
    }
}

#[test]
fn a_drive_that_really_runs_full_is_resumed_when_there_is_room() {
    let Some(machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    let holds = holds(Kind::Ext4);
    machine.fill(300, 60_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    let hog = machine.at("to/hog");
    // Somebody else fills the drive after the plan was made.
    let fill = at_bytes(1, || {
        done(Command::new("fallocate").args(["-l", "90M"]).arg(&hog));
    });
    let stop = Control::default();
    stop.set_limit(Some(deft_barge_core::bytes::Bytes::new(40_000_000)));
    let error = machine.haul(&fill, &stop).unwrap_err();
    assert!(matches!(error, HaulError::Full { .. }), "{error:?}");
    assert!(machine.content() && !machine.at(NEW).exists());
    same(&machine, OLD, &before, holds, "full");
    assert!(matches!(machine.resume(), Err(HaulError::Full { .. })), "it is full still");
    fs::remove_file(&hog).unwrap();
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "resumed");
}

#[test]
fn a_drive_that_is_pulled_out_under_the_copy_is_resumed_when_it_is_back() {
    let Some(mut machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    let holds = holds(Kind::Ext4);
    machine.fill(300, 60_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    let point = machine.at("to");
    let pull = at_bytes(8_000_000, || assert!(done(Command::new("umount").arg("-l").arg(&point))));
    let stop = Control::default();
    stop.set_limit(Some(deft_barge_core::bytes::Bytes::new(40_000_000)));
    let error = machine.haul(&pull, &stop).unwrap_err();
    println!("pulled out: {error}");
    assert!(machine.content(), "the records lead to the originals");
    same(&machine, OLD, &before, holds, "pulled out");
    assert_eq!(fs::read_dir(&point).unwrap().count(), 0, "nothing is written to where the drive was");
    assert!(machine.resume().is_err());
    assert_eq!(fs::read_dir(&point).unwrap().count(), 0, "nor by a resume");
    let image = machine.at("to.img");
    machine.mounts.put_back("to", Kind::Ext4, &image);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "put back");
}

#[test]
fn a_drive_whose_medium_ends_early_gives_errors_that_are_told_by_file_and_the_rest_is_whole() {
    let Some(mut machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    let holds = holds(Kind::Ext4);
    machine.fill(300, 60_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    // What lies in the second half of the image is gone: reads of it are errors of the device.
    let image = machine.at("from.img");
    machine.mounts.pull("from");
    let whole = machine.at("whole.img");
    assert!(done(Command::new("cp").args(["--sparse=always"]).arg(&image).arg(&whole)));
    machine.mounts.put_back("from", Kind::Ext4, &image);
    let site = machine.site();
    let plan = machine.plan(&site, Policy::Hold);
    assert!(!plan.stopped(), "{:?}", plan.findings);
    fs::File::options().write(true).open(&image).unwrap().set_len(60_000_000).unwrap();
    fs::write("/proc/sys/vm/drop_caches", "1").unwrap();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let failed = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default());
    let error = failed.unwrap_err();
    println!("medium ends: {error}");
    let lot = &journal.hauls().unwrap()[0].lots[0];
    assert!(matches!(lot.stage, Stage::Copying { .. }));
    if let HaulError::Unreadable { .. } = error {
        assert!(!lot.unreadable.is_empty());
        assert!(lot.unreadable.iter().all(|bad| bad.from < bad.to && bad.to <= 60_000_000), "{:?}", lot.unreadable);
    } else {
        assert!(matches!(error, HaulError::Disk { .. }), "{error:?}");
    }
    assert!(!machine.at(NEW).exists());
    drop((journal, site));
    // The medium is mended: the same haul goes on.
    machine.mounts.pull("from");
    machine.mounts.put_back("from", Kind::Ext4, &whole);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "mended");
}

#[test]
fn a_drive_that_turns_read_only_is_told_and_resumed() {
    let Some(machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    let holds = holds(Kind::Ext4);
    machine.fill(300, 60_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    let point = machine.at("to");
    // As a kernel does that has found an error of the file system.
    let device = Command::new("findmnt").args(["-n", "-o", "SOURCE"]).arg(&point).output().unwrap();
    let device = String::from_utf8_lossy(&device.stdout).trim().replace("/dev/", "");
    let shut = at_bytes(8_000_000, || {
        let how = format!("/sys/fs/ext4/{device}/trigger_fs_error");
        assert!(fs::write(&how, "1").is_ok() || done(Command::new("mount").args(["-o", "remount,ro,force"]).arg(&point)));
        done(Command::new("mount").args(["-o", "remount,ro"]).arg(&point));
        done(Command::new("mount").args(["-o", "remount,abort"]).arg(&point));
    });
    let stop = Control::default();
    stop.set_limit(Some(deft_barge_core::bytes::Bytes::new(40_000_000)));
    let error = machine.haul(&shut, &stop).unwrap_err();
    println!("read-only: {error:?}");
    assert!(matches!(error, HaulError::Disk { .. }), "{error:?}");
    assert!(machine.content());
    same(&machine, OLD, &before, holds, "read-only");
    let mut machine = machine;
    machine.mounts.pull("to");
    let image = machine.at("to.img");
    done(Command::new("fsck.ext4").args(["-fy"]).arg(&image));
    machine.mounts.put_back("to", Kind::Ext4, &image);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "writable again");
}
