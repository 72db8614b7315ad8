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

/// A machine with a game between two ext4 images, what the game is, and what they hold.
fn prepared() -> Option<(Machine, Tree, Holds)> {
    let machine = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000)?;
    let holds = holds(Kind::Ext4);
    machine.fill(300, 60_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    Some((machine, before, holds))
}

/// Slow enough for something to happen meanwhile.
fn slowly() -> Control {
    let control = Control::default();
    control.set_limit(Some(deft_barge_core::bytes::Bytes::new(40_000_000)));
    control
}

#[test]
fn a_drive_that_really_runs_full_is_resumed_when_there_is_room() {
    let Some((machine, before, holds)) = prepared() else { return };
    let hog = machine.at("to/hog");
    // Somebody else fills the drive after the plan was made.
    let fill = at_bytes(1, || {
        done(Command::new("fallocate").args(["-l", "90M"]).arg(&hog));
    });
    let error = machine.haul(&fill, &slowly()).unwrap_err();
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
    let Some((mut machine, before, holds)) = prepared() else { return };
    let point = machine.at("to");
    let pull = at_bytes(8_000_000, || assert!(done(Command::new("umount").arg("-l").arg(&point))));
    let error = machine.haul(&pull, &slowly()).unwrap_err();
    println!("pulled out: {error}");
    assert!(machine.content(), "the records lead to the originals");
    same(&machine, OLD, &before, holds, "pulled out");
    assert_eq!(fs::read_dir(&point).unwrap().count(), 0, "nothing is written to where the drive was");
    assert!(machine.resume().is_err());
    assert_eq!(fs::read_dir(&point).unwrap().count(), 0, "nor by a resume");
    fs::create_dir(point.join("quillgate")).unwrap();
    assert!(machine.resume().is_err());
    fs::remove_dir(point.join("quillgate")).expect("nor where its place would be");
    let image = machine.at("to.img");
    machine.mounts.put_back("to", Kind::Ext4, &image);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "put back");
}

#[test]
fn a_drive_whose_medium_ends_early_gives_errors_that_are_told_by_file_and_the_rest_is_whole() {
    /// Bytes of the image that are left.
    const ENDS: u64 = 60_000_000;
    let Some((mut machine, before, holds)) = prepared() else { return };
    // What lies in the second half of the image is gone: reads of it are errors of the device.
    let image = machine.at("from.img");
    // A drive that is pulled is written out by nobody, and what still looks into it keeps it from being closed.
    assert!(done(Command::new("sync").arg("--file-system").arg(machine.at("from"))));
    machine.mounts.pull("from");
    let whole = machine.at("whole.img");
    assert!(done(Command::new("cp").args(["--sparse=always"]).arg(&image).arg(&whole)));
    machine.mounts.put_back("from", Kind::Ext4, &image);
    let site = machine.site();
    let plan = machine.plan(&site, Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    machine.mounts.end_early("from", &image, ENDS);
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let failed = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default());
    let error = failed.unwrap_err();
    println!("medium ends: {error}");
    let item = &journal.hauls().unwrap()[0].items[0];
    assert!(matches!(item.stage, Stage::Copying { .. }));
    if let HaulError::Unreadable { .. } = error {
        assert!(!item.unreadable.is_empty());
        assert!(item.unreadable.iter().all(|bad| bad.from < bad.to && bad.to <= ENDS), "{:?}", item.unreadable);
    } else {
        assert!(matches!(error, HaulError::Disk { .. }), "{error:?}");
    }
    assert!(!machine.at(NEW).exists());
    assert_eq!(fs::metadata(&image).unwrap().len(), ENDS, "what was cut off read as zeros");
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
    let Some((machine, before, holds)) = prepared() else { return };
    let point = machine.at("to");
    // As a kernel does that has found an error of the file system.
    let device = Command::new("findmnt").args(["-n", "-o", "SOURCE"]).arg(&point).output().unwrap();
    let device = String::from_utf8_lossy(&device.stdout).trim().replace("/dev/", "");
    let shut = at_bytes(8_000_000, || {
        let how = format!("/sys/fs/ext4/{device}/trigger_fs_error");
        assert!(
            fs::write(&how, "1").is_ok() || done(Command::new("mount").args(["-o", "remount,ro,force"]).arg(&point))
        );
        done(Command::new("mount").args(["-o", "remount,ro"]).arg(&point));
        done(Command::new("mount").args(["-o", "remount,abort"]).arg(&point));
    });
    let error = machine.haul(&shut, &slowly()).unwrap_err();
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

/// What a drive holds at some moment, kept by sharing its bytes with the file that holds it: as if the power had gone then.
/// What the file system had not written out by then is lost; what the device was given is not.
#[test]
fn power_cuts_of_a_real_drive_under_a_haul_are_recovered_from() {
    for kind in [Kind::Ext4, Kind::Btrfs] {
        let mut mounts = Mounts::new();
        if !mounts.add("under", Kind::Xfs, 3_000_000_000) {
            return;
        }
        let image = mounts.at("under/drive.img");
        if !mounts.add_in("under", "drive", kind, 300_000_000) {
            return;
        }
        let world = mounts.at("drive/world");
        deft_barge_harbor::world::make(&world, 7, deft_barge_harbor::world::Scale::SMALL).unwrap();
        done(&mut Command::new("sync"));
        let site = Site::of_world(&world).unwrap();
        let seen = survey(&site, Vec::new(), &|_| {});
        let game = seen.games.iter().find(|game| game.found.title == "Saltflat Rally").unwrap();
        let (id, from) = (game.id.clone(), game.found.install.clone());
        let holds = holds(kind);
        let before = tree(&from, holds);
        let mut draft = Draft::default();
        draft.send(id, Destination::Drive("newhold".into()));
        let plan = plan(&site, &seen, &draft, Policy::Release);
        let to = plan.items[0].to.clone();
        let cuts = std::cell::RefCell::new(Vec::new());
        let cut = |event: HaulEvent| {
            let when = match &event {
                HaulEvent::Progress(progress) if cuts.borrow().len() < 25 => format!("{} copied", progress.copy.done),
                HaulEvent::Stage { stage, .. } => (*stage).to_string(),
                _ => return,
            };
            let kept = mounts.at(&format!("under/cut{}.img", cuts.borrow().len()));
            assert!(done(Command::new("cp").arg("--reflink=always").arg(&image).arg(&kept)), "{when}");
            cuts.borrow_mut().push((when, kept));
        };
        {
            let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
            let slow = Control::default();
            slow.set_limit(Some(deft_barge_core::bytes::Bytes::new(1_500_000)));
            Haul::begin(&site, &journal, &plan).unwrap().run(&cut, &slow).unwrap();
        }
        drop(site);
        mounts.pull("drive");
        let cuts = cuts.into_inner();
        let (mut resumed, mut returned, mut rest) = (0, 0, 0);
        for (n, (when, kept)) in cuts.iter().enumerate() {
            let when = format!("{kind:?}, cut {n}: {when}");
            mounts.put_back("drive", kind, kept);
            let site = Site::of_world(&world).unwrap();
            let whole = |place: &Path| {
                if !place.is_dir() {
                    return false;
                }
                let mut now = tree(place, holds);
                for (_, target, ..) in now.values_mut().filter(|(kind, ..)| *kind == 'l') {
                    // An absolute link into the game goes with it.
                    let path = PathBuf::from(OsStr::from_bytes(target));
                    if let Ok(below) = path.strip_prefix(place) {
                        *target = from.join(below).into_os_string().into_encoded_bytes();
                    }
                }
                now == before
            };
            let home = world.join("home");
            let judge = || deft_barge_harbor::quillgate::judge(&home.join(".config/quillgate"), "Saltflat Rally");
            assert!(whole(&from) || whole(&to), "{when}: no whole copy");
            let opened = Journal::open(&site);
            let (journal, unfinished) = opened.unwrap().recover().unwrap();
            match unfinished {
                Some(row) if n % 2 == 0 => {
                    Haul::of(&site, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
                    assert!(whole(&to), "{when}");
                    resumed += 1;
                }
                Some(row) => {
                    undo_haul(&site, &journal, row.id, &|_| {}, &Control::default()).unwrap();
                    assert!(whole(&from) && !to.exists(), "{when}");
                    returned += 1;
                }
                None => rest += 1,
            }
            assert!(judge().is_ok_and(|judgement| judgement.content()), "{when}: the launcher is not content");
            drop((journal, site));
            mounts.pull("drive");
        }
        println!("{kind:?}: {} cuts, {resumed} resumed, {returned} returned, {rest} before or after", cuts.len());
        assert!(resumed + returned > 10);
    }
}

#[test]
fn between_parts_of_one_btrfs_bytes_are_shared_and_compared_all_the_same() {
    let mut mounts = Mounts::new();
    if !mounts.add("from", Kind::Btrfs, 400_000_000) {
        return;
    }
    let home = mounts.at("home");
    let machine = Machine { mounts, home };
    let part =
        |name: &str| done(Command::new("btrfs").args(["subvolume", "create"]).arg(machine.at("from").join(name)));
    assert!(part("quillgate") && part("other"));
    let holds = holds(Kind::Btrfs);
    machine.fill(50, 80_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    let other = machine.at("from/other");
    machine.write(&other.join("ledger.json"), b"{\"ledger\": 3, \"titles\": []}");
    let rooms = serde_json::json!({"rooms": [{"folder": machine.at("from/quillgate")}, {"folder": other}]});
    machine.write(&machine.launcher().join("rooms.json"), rooms.to_string().as_bytes());
    let used = || {
        done(&mut Command::new("sync"));
        let stat = rustix::fs::statvfs(machine.at("from")).unwrap();
        (stat.f_blocks - stat.f_bfree) * stat.f_frsize
    };
    let site = machine.site();
    let seen = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    draft.send(GameId("quillgate/g1".into()), Destination::Library(other.clone()));
    let plan = plan(&site, &seen, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let used_before = used();
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let grown = used().saturating_sub(used_before);
    assert!(grown < 20_000_000, "the copy takes {grown} bytes of its own");
    assert!(machine.content());
    let item = journal.hauls().unwrap()[0].items[0].clone();
    assert!(item.proof.is_some_and(|proof| proof.read && proof.holds()));
    same(&machine, "from/other/regatta", &before, holds, "shared");
}
