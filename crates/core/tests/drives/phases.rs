//! Each phase of a haul, with each thing that can happen to either drive: unmounted, mounted elsewhere, swapped, read-only.
//!
//! Law: nothing of the game is lost, nothing is written where the drive is not, and something leads on to an end.

use super::*;

const PHASES: [&str; 7] =
    ["copying", "verified", "placed", "updating-records", "records-updated", "proved", "releasing"];

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Happens {
    Unmounted,
    Elsewhere,
    Swapped,
    ReadOnly,
}

/// Leaves a haul at a phase, as a pause does.
fn left_at(machine: &Machine, phase: &'static str) {
    let stop = Control::default();
    let asked = stop.clone();
    let leave = move |event: HaulEvent| {
        if matches!(event, HaulEvent::Stage { stage, .. } if stage.word() == phase) {
            asked.ask();
        }
    };
    if phase == "releasing" {
        machine.haul(&|_| {}, &Control::default()).unwrap();
        let site = machine.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let ended = release_haul(&site, &journal, HaulId(1), &leave, &stop);
        assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
    } else {
        let ended = machine.haul(&leave, &stop);
        assert!(ended.is_ok() == (phase == "proved"), "{phase}: {ended:?}");
    }
}

fn newest(machine: &Machine) -> deft_barge_core::journal::HaulRow {
    History::of(&machine.site()).unwrap().hauls[0].clone()
}

/// Goes on, or undoes it if nothing is under way.
fn go_on(machine: &Machine, undo: bool) -> Result<(), HaulError> {
    if newest(machine).unfinished() && !undo {
        return machine.resume();
    }
    let site = machine.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    undo_haul(&site, &journal, newest(machine).id, &|_| {}, &Control::default()).map(drop)
}

fn through_all(undo: bool, every: usize, first: usize) {
    let kinds = [Kind::Ext4, Kind::Btrfs, Kind::Xfs, Kind::Ntfs, Kind::Exfat];
    let all = [Happens::Unmounted, Happens::Elsewhere, Happens::Swapped, Happens::ReadOnly];
    let cases = PHASES.into_iter().flat_map(|phase| {
        all.into_iter().flat_map(move |what| ["from", "to"].into_iter().map(move |drive| (phase, what, drive)))
    });
    let mut walked = 0;
    for (n, (phase, what, drive)) in cases.enumerate().filter(|(n, _)| n % every == first) {
        // A drive through FUSE cannot be made read-only while it is mounted.
        let to = if what == Happens::ReadOnly { kinds[n % 3] } else { kinds[n % 5] };
        let when = format!("{phase}, {drive} {what:?}, {to:?}, undo {undo}");
        let Some(mut machine) = Machine::new(Kind::Ext4, to, if to == Kind::Xfs { 330_000_000 } else { 120_000_000 })
        else {
            return;
        };
        let holds = holds(Kind::Ext4).and(super::holds(to));
        machine.fill(20, 9_000_000, holds);
        let before = tree(&machine.at(OLD), holds);
        left_at(&machine, phase);
        let (image, kind) = (machine.at(&format!("{drive}.img")), if drive == "from" { Kind::Ext4 } else { to });
        match what {
            Happens::ReadOnly => {
                assert!(done(Command::new("mount").args(["-o", "remount,ro"]).arg(machine.at(drive))), "{when}");
            }
            Happens::Unmounted => machine.mounts.pull(drive),
            Happens::Elsewhere => {
                machine.mounts.pull(drive);
                fs::create_dir(machine.at("elsewhere")).unwrap();
                machine.mounts.put_back("elsewhere", kind, &image);
            }
            Happens::Swapped => {
                machine.mounts.pull(drive);
                let other = machine.at("other.img");
                machine.mounts.make(Kind::Ext4, &other, 60_000_000);
                machine.mounts.put_back(drive, Kind::Ext4, &other);
                fs::write(machine.at(drive).join("theirs"), "another's").unwrap();
            }
        }
        let first = go_on(&machine, undo);
        // Whatever came of it: where the drive is not, nothing was made, and what another drive holds is as it was.
        match what {
            Happens::Unmounted => assert_eq!(fs::read_dir(machine.at(drive)).unwrap().count(), 0, "{when}: {first:?}"),
            Happens::Swapped => {
                let names = fs::read_dir(machine.at(drive)).unwrap().flatten().map(|entry| entry.file_name());
                let others = names.filter(|name| name != "theirs" && name != "lost+found").count();
                assert_eq!(others, 0, "{when}: {first:?}");
            }
            Happens::Elsewhere | Happens::ReadOnly => {}
        }
        // It is as it was again; then all of it ends.
        match what {
            Happens::ReadOnly => {
                assert!(done(Command::new("mount").args(["-o", "remount,rw"]).arg(machine.at(drive))), "{when}");
            }
            Happens::Unmounted => machine.mounts.put_back(drive, kind, &image),
            Happens::Elsewhere => {
                machine.mounts.pull("elsewhere");
                machine.mounts.put_back(drive, kind, &image);
            }
            Happens::Swapped => {
                machine.mounts.pull(drive);
                machine.mounts.put_back(drive, kind, &image);
            }
        }
        if newest(&machine).unfinished() {
            machine.resume().unwrap_or_else(|error| panic!("{when}, resumed after {first:?}: {error:?}"));
        }
        if newest(&machine).returns.is_none() && newest(&machine).items[0].stage.records_are_updated() {
            assert!(machine.content() || what == Happens::Elsewhere, "{when}, after {first:?}");
            go_on(&machine, true).unwrap_or_else(|error| panic!("{when}, undone after {first:?}: {error:?}"));
        }
        assert!(machine.content(), "{when}, at the end, after {first:?}");
        // Links of a game that went back to where its drive was for a while lead there.
        let went_there = what == Happens::Elsewhere && drive == "from" && first.is_ok();
        if !went_there {
            same(&machine, OLD, &before, holds, &when);
        }
        // What could not be removed at that moment is left, and named.
        let named = History::remains(&machine.site(), HaulId(1)).unwrap();
        let may_stay = what == Happens::ReadOnly && named.iter().any(|(_, left)| !left.is_empty());
        assert!(!machine.at(NEW).exists() || may_stay, "{when}: the copy is left, after {first:?}");
        walked += 1;
    }
    assert!(walked > 0 || every > 1);
}

/// Whether all cases are wanted.
fn all_of_them() -> bool {
    std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some()
}

#[test]
fn whatever_happens_to_a_drive_at_any_phase_a_resume_comes_to_its_end() {
    if all_of_them() { through_all(false, 1, 0) } else { through_all(false, 5, 2) }
}

#[test]
fn whatever_happens_to_a_drive_at_any_phase_an_undo_comes_to_its_end() {
    if all_of_them() { through_all(true, 1, 0) } else { through_all(true, 5, 4) }
}
