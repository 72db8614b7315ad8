//! Drives that come back elsewhere, are swapped, cannot be written, or show one folder twice; and what file systems do not hold.

use super::*;
use deft_barge_core::cleanup::find;
use deft_barge_core::item::{DifferenceKind, FindingKind, Nicety, WhyLeft};
use deft_barge_core::survey::FindKind;

fn refused<T>(result: Result<T, HaulError>, is_it: impl Fn(&FindingKind) -> bool) -> bool {
    matches!(result, Err(HaulError::Refused(findings)) if findings.iter().any(|finding| is_it(&finding.kind)))
}

fn held(from: Kind, to: Kind) -> Option<(Machine, Tree, Holds)> {
    let machine = Machine::new(from, to, 150_000_000)?;
    let holds = holds(from).and(super::holds(to));
    machine.fill(60, 9_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    machine.haul(&|_| {}, &Control::default()).unwrap();
    Some((machine, before, holds))
}

fn release(machine: &Machine, id: i64) -> Result<deft_barge_core::haul::Removed, HaulError> {
    let site = machine.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    release_haul(&site, &journal, HaulId(id), &|_| {}, &Control::default())
}

fn undo(machine: &Machine, id: i64) -> Result<(), HaulError> {
    let site = machine.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    undo_haul(&site, &journal, HaulId(id), &|_| {}, &Control::default()).map(drop)
}

fn stage(machine: &Machine) -> Stage {
    History::of(&machine.site()).unwrap().hauls.last().unwrap().items[0].stage.clone()
}

#[test]
fn a_drive_that_is_mounted_elsewhere_or_swapped_is_known_by_what_it_is() {
    for kind in [Kind::Ext4, Kind::Btrfs, Kind::Xfs, Kind::Ntfs, Kind::Exfat] {
        let Some((mut machine, before, holds)) = held(Kind::Ext4, kind) else { return };
        let image = machine.at("to.img");
        machine.mounts.pull("to");
        // Nothing is there; then another drive is there.
        let away = |kind: &FindingKind| matches!(kind, FindingKind::DriveAway { .. });
        assert!(refused(release(&machine, 1), away), "{kind:?}");
        same(&machine, OLD, &before, holds, "away");
        let other = machine.at("other.img");
        machine.mounts.make(Kind::Ext4, &other, 60_000_000);
        machine.mounts.put_back("to", Kind::Ext4, &other);
        fs::create_dir_all(machine.at(NEW)).unwrap();
        let another = |kind: &FindingKind| matches!(kind, FindingKind::AnotherDrive { .. });
        let result = release(&machine, 1);
        assert!(refused(release(&machine, 1), another), "{kind:?}: {result:?}");
        assert!(machine.at(NEW).is_dir());
        machine.mounts.pull("to");
        // The same drive at another path: the undo takes the originals up again, and the copy goes where it is now.
        fs::create_dir(machine.at("elsewhere")).unwrap();
        machine.mounts.put_back("elsewhere", kind, &image);
        assert!(machine.at("elsewhere/quillgate/regatta").is_dir(), "{kind:?}");
        undo(&machine, 1).unwrap_or_else(|error| panic!("{kind:?}: {error:?}"));
        assert!(machine.content() && !machine.at("elsewhere/quillgate/regatta").exists(), "{kind:?}");
        same(&machine, OLD, &before, holds, &format!("{kind:?} elsewhere"));
    }
}

#[test]
fn what_is_immutable_or_read_only_is_left_and_named_and_the_haul_ends() {
    let Some((machine, ..)) = held(Kind::Ext4, Kind::Ext4) else { return };
    let file = machine.at(OLD).join("data/pack");
    let folder = machine.at(OLD).join("mods");
    fs::set_permissions(&folder, fs::Permissions::from_mode(0o555)).unwrap();
    assert!(done(Command::new("chattr").arg("+i").arg(&file)));
    assert!(done(Command::new("chattr").arg("+i").arg(folder.join("none"))));
    // A drive that cannot be written is told before anything begins.
    assert!(done(Command::new("mount").args(["-o", "remount,ro"]).arg(machine.at("from"))));
    let read_only = |kind: &FindingKind| matches!(kind, FindingKind::ReadOnlyDrive { .. });
    assert!(refused(release(&machine, 1), read_only) && matches!(stage(&machine), Stage::Proved { holds: true }));
    assert!(done(Command::new("mount").args(["-o", "remount,rw"]).arg(machine.at("from"))));
    let removed = release(&machine, 1).unwrap();
    let left: Vec<(&Path, WhyLeft)> = removed.left.iter().map(|left| (left.path.as_path(), left.why)).collect();
    assert_eq!(left.len(), 2, "{left:?}");
    assert!(left.iter().all(|(_, why)| *why == WhyLeft::NotPermitted), "{left:?}");
    assert!(removed.left.iter().any(|left| left.path == Path::new("data/pack") && left.bytes.count() > 8_000_000));
    assert_eq!(fs::metadata(&folder).unwrap().mode() & 0o777, 0o555, "a mode is put back where something stays");
    assert!(matches!(stage(&machine), Stage::Released { left: 2 }));
    // Tried once more when it can go, and another haul is not kept from anything meanwhile.
    assert!(done(Command::new("chattr").arg("-i").arg(&file)));
    assert!(done(Command::new("chattr").arg("-i").arg(folder.join("none"))));
    assert_eq!(release(&machine, 1).unwrap().left, []);
    assert!(machine.content() && !machine.at(OLD).exists());
}

#[test]
fn a_canceled_haul_on_a_drive_that_turned_read_only_ends() {
    let Some(machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    machine.fill(20, 9_000_000, holds(Kind::Ext4));
    let stop = Control::default();
    let asked = stop.clone();
    let leave = move |event: HaulEvent| {
        if matches!(event, HaulEvent::Stage { stage: deft_barge_core::item::StageKind::Verified, .. }) {
            asked.ask();
        }
    };
    assert!(matches!(machine.haul(&leave, &stop), Err(HaulError::Paused)));
    assert!(done(Command::new("mount").args(["-o", "remount,ro"]).arg(machine.at("to"))));
    undo(&machine, 1).unwrap();
    assert_eq!(stage(&machine), Stage::Cancelled);
    let left = History::remains(&machine.site(), HaulId(1)).unwrap();
    assert!(
        left[0].1.iter().all(|left| left.why == WhyLeft::ReadOnly && left.path.symlink_metadata().is_ok()),
        "{:?}",
        left[0].1.iter().find(|left| left.why != WhyLeft::ReadOnly)
    );
    assert!(machine.content());
}

#[test]
fn one_folder_that_is_seen_twice_is_no_copy_of_itself() {
    let Some(machine) = Machine::new(Kind::Btrfs, Kind::Ext4, 150_000_000) else { return };
    machine.fill(20, 9_000_000, holds(Kind::Btrfs));
    let again = machine.at("from/quillgate/again");
    fs::create_dir(&again).unwrap();
    assert!(done(Command::new("mount").arg("--bind").arg(machine.at(OLD)).arg(&again)));
    let site = machine.site();
    let seen = survey(&site, Vec::new(), &|_| {});
    let lying = find(&site, &seen, &History::default(), &|_| {});
    let copies = |lying: &&deft_barge_core::survey::CleanupFind| {
        matches!(lying.what, FindKind::OldCopy { .. } | FindKind::Duplicate { .. }) && lying.path == again
    };
    let told: Vec<_> = lying.iter().filter(copies).collect();
    done(Command::new("umount").arg(&again));
    assert!(told.is_empty(), "{told:?}");
}

#[test]
fn permissions_come_back_from_a_drive_that_holds_none() {
    let Some((machine, before, _)) = held(Kind::Ext4, Kind::Exfat) else { return };
    let secret = machine.at(OLD).join("data/01/file 1.dat");
    fs::set_permissions(&secret, fs::Permissions::from_mode(0o600)).unwrap();
    // Only now: what it was when it was hauled counts.
    undo(&machine, 1).unwrap();
    machine.haul(&|_| {}, &Control::default()).unwrap();
    release(&machine, 3).unwrap();
    assert!(!machine.at(OLD).exists() && machine.content());
    // A haul back, and not an undo: by what the journal keeps of the game.
    let site = machine.site();
    let surveyed = survey(&site, History::of(&site).unwrap().held(&site), &|_| {});
    let mut draft = Draft::default();
    draft.send(GameId("quillgate/g1".into()), Destination::Library(machine.at("from/quillgate")));
    let plan = plan(&site, &surveyed, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::metadata(&secret).unwrap().mode() & 0o7777, 0o600);
    assert_eq!(fs::metadata(machine.at(OLD).join("go")).unwrap().mode() & 0o7777, 0o755);
    assert_eq!(tree(&machine.at(OLD), super::holds(Kind::Exfat)).len(), before.len());
}

#[test]
fn attributes_that_the_new_drive_does_not_take_are_a_difference_and_keep_the_originals() {
    let Some(machine) = Machine::new(Kind::Xfs, Kind::Ext4, 400_000_000) else { return };
    machine.fill(20, 9_000_000, holds(Kind::Ext4));
    let value = vec![7_u8; 20_000];
    let file = machine.at(OLD).join("go");
    rustix::fs::setxattr(&file, "user.large", &value, rustix::fs::XattrFlags::empty()).unwrap();
    machine.haul(&|_| {}, &Control::default()).unwrap();
    let item = History::of(&machine.site()).unwrap().hauls[0].items[0].clone();
    let proof = item.proof.unwrap();
    let told = proof.differences.iter().any(|d| d.kind == DifferenceKind::Beside && d.path == "go");
    assert!(told && !proof.holds(), "{proof:?}");
    assert!(refused(release(&machine, 1), |kind| matches!(kind, FindingKind::ProofFailed { .. })) && file.exists());
    undo(&machine, 1).unwrap();
    let mut now = vec![0; 30_000];
    assert_eq!(rustix::fs::getxattr(&file, "user.large", &mut now[..]).unwrap(), 20_000);
    assert!(machine.content());
}

#[test]
fn a_state_folder_whose_drive_runs_full_among_the_records_keeps_the_way_back() {
    let Some(mut machine) = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000) else { return };
    if !machine.mounts.add("state", Kind::Tmpfs, 12_000_000) {
        return;
    }
    machine.fill(20, 9_000_000, holds(Kind::Ext4));
    let before = tree(&machine.at(OLD), holds(Kind::Ext4));
    let site = || {
        let mut site = machine.site();
        site.places.state = machine.at("state");
        site
    };
    let fill = |event: HaulEvent| {
        if matches!(event, HaulEvent::Stage { stage: deft_barge_core::item::StageKind::Placed, .. }) {
            let mut file = fs::File::create(machine.at("state/hog")).unwrap();
            while std::io::Write::write_all(&mut file, &[1; 4096]).is_ok() {}
        }
    };
    let here = site();
    let plan = machine.plan(&here, Policy::Hold);
    let (journal, _) = Journal::open(&here).unwrap().recover().unwrap();
    let ended = Haul::begin(&here, &journal, &plan).unwrap().run(&fill, &Control::default());
    drop(journal);
    println!("state full: {:?}", ended.as_ref().err());
    assert!(machine.content(), "records lead to a whole copy");
    same(&machine, OLD, &before, holds(Kind::Ext4), "state full");
    fs::remove_file(machine.at("state/hog")).unwrap();
    let (journal, unfinished) = Journal::open(&here).unwrap().recover().unwrap();
    if let Some(row) = unfinished {
        Haul::of(&here, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
    }
    assert!(machine.content() && machine.at(NEW).exists());
    undo_haul(&here, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert!(machine.content() && !machine.at(NEW).exists());
}

#[test]
fn attributes_of_folders_that_a_drive_does_not_hold_are_told_by_the_plan_as_those_of_files() {
    for at in ["go", "data", ""] {
        let Some(machine) = Machine::new(Kind::Ext4, Kind::Exfat, 150_000_000) else { return };
        machine.fill(5, 100_000, super::holds(Kind::Exfat));
        let told = || {
            let plan = machine.plan(&machine.site(), Policy::Hold);
            assert!(!plan.blocked(), "{:?}", plan.findings);
            let lost = |kind: &FindingKind| matches!(kind, FindingKind::NicetyLost { what: Nicety::Attributes });
            plan.findings.iter().any(|finding| lost(&finding.kind))
        };
        assert!(!told());
        let set = rustix::fs::setxattr(machine.at(OLD).join(at), "user.note", b"x", rustix::fs::XattrFlags::empty());
        set.unwrap();
        assert!(told(), "{at}");
    }
}
