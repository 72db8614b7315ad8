//! What comes from outside: drives that go and come back, folders of others, journals of yesterday, launchers that edit their own
//! lists. Each test is named for what went wrong once; beside them stands a walk over all stages and conditions.

mod dead_ends;
mod undoing;

use std::fs;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{
    Control, Depth, Haul, HaulError, HaulEvent, Removed, Stuck, astray, cancel_rest, prove_haul, release_haul,
    release_looking, undo_haul, undo_leaving, undo_plan,
};
use deft_barge_core::item::{FindingKind, Policy, Stage, WhyLeft};
use deft_barge_core::journal::{HaulRow, History, Journal};

use crate::port::{Port, to_newhold, tree};
use crate::records::refused;
use crate::scenarios::{NONE, differing};
use undoing::*;

fn journal(port: &Port) -> Journal {
    Journal::open(&port.site()).unwrap().recover().unwrap().0
}

fn release(port: &Port, haul: i64) -> Result<Removed, HaulError> {
    release_haul(&port.site(), &journal(port), HaulId(haul), &|_| {}, &Control::default())
}

fn undo(port: &Port, haul: i64) -> Result<Option<HaulId>, HaulError> {
    undo_haul(&port.site(), &journal(port), HaulId(haul), &|_| {}, &Control::default())
}

fn resume(port: &Port, haul: i64) -> Result<(), HaulError> {
    let (site, journal) = (port.site(), journal(port));
    Haul::of(&site, &journal, HaulId(haul))?.run(&|_| {}, &Control::default()).map(drop)
}

fn row(port: &Port, haul: i64) -> HaulRow {
    History::of(&port.site()).unwrap().haul(HaulId(haul)).unwrap().clone()
}

fn stage(port: &Port, haul: i64) -> Stage {
    row(port, haul).items[0].stage.clone()
}

/// Asks for a pause as soon as an item comes to a stage.
fn at_stage(word: &'static str, stop: &Control) -> impl Fn(HaulEvent) + use<> {
    let stop = stop.clone();
    move |event| {
        if matches!(&event, HaulEvent::Stage { stage, .. } if stage.word() == word) {
            stop.ask();
        }
    }
}

/// Begins a haul and leaves it at a stage, as a killed program does.
fn left_at(port: &Port, word: &'static str, policy: Policy) {
    let (mut site, journal) = (port.site(), journal(port));
    let plan = port.plan(&site, to_newhold(), policy);
    let stop = Control::default();
    if word == "updating-records" {
        // Among the record files: the first is changed, the others are not.
        site.disk = site.disk.and_gate(Arc::new(crate::records::StopsReplacing(1.into())));
        assert!(Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &stop).is_err());
    } else {
        let ended = Haul::begin(&site, &journal, &plan).unwrap().run(&at_stage(word, &stop), &stop);
        assert!(matches!(ended, Err(HaulError::Paused)), "{word}: {ended:?}");
    }
    assert_eq!(journal.hauls().unwrap()[0].items[0].stage.kind().word(), word);
}

/// Takes a drive away; an empty folder is where it was.
fn unplug(port: &Port, drive: &str) -> PathBuf {
    let (at, away) = (port.at(&format!("drives/{drive}")), port.at(&format!("away-{drive}")));
    fs::rename(&at, &away).unwrap();
    fs::create_dir(&at).unwrap();
    away
}

fn plug(port: &Port, drive: &str) {
    let (at, away) = (port.at(&format!("drives/{drive}")), port.at(&format!("away-{drive}")));
    fs::remove_dir_all(&at).unwrap();
    fs::rename(away, at).unwrap();
}

fn away(kind: &FindingKind) -> bool {
    matches!(kind, FindingKind::DriveAway { .. })
}

#[test]
fn nothing_is_copied_or_released_where_the_target_drive_is_not() {
    for policy in [Policy::Hold, Policy::Release] {
        for staged in [false, true] {
            let port = Port::new();
            let whole = port.game(&port.old_place());
            left_at(&port, "copying", policy);
            let copying = unplug(&port, "newhold");
            if staged {
                // A folder of our own name on the bare mount point is no sign of the drive.
                let name = fs::read_dir(copying.join("quillgate")).unwrap().next().unwrap().unwrap().file_name();
                fs::create_dir_all(port.at("drives/newhold/quillgate").join(name)).unwrap();
            }
            let before = tree(&port.at("drives/newhold"));
            assert!(refused(resume(&port, 1), away) && refused(undo(&port, 1).map(drop), away));
            assert_eq!(tree(&port.at("drives/newhold")), before, "nothing is written to where the drive was");
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
            plug(&port, "newhold");
            resume(&port, 1).unwrap();
            assert!(port.content());
        }
    }
}

#[test]
fn a_release_that_was_cut_short_goes_on_only_while_the_whole_copy_is_there() {
    let cut = || {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        let (mut site, journal) = (port.site(), journal(&port));
        site.disk = site.disk.and_gate(Arc::new(FailsFrom(3.into())));
        assert!(release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).is_err());
        assert_eq!(row(&port, 1).items[0].stage, Stage::Releasing);
        port
    };
    let port = cut();
    unplug(&port, "newhold");
    let rest = tree(&port.old_place());
    assert!(
        refused(resume(&port, 1), away) && refused(undo(&port, 1).map(drop), away) && refused(release(&port, 1), away)
    );
    assert_eq!(tree(&port.old_place()), rest);
    plug(&port, "newhold");
    resume(&port, 1).unwrap();
    assert!(port.content() && !port.old_place().exists());
    // The same with a copy that is damaged.
    let port = cut();
    fs::write(port.new_place().join("data/pack"), "short").unwrap();
    let rest = tree(&port.old_place());
    let damaged = |kind: &FindingKind| matches!(kind, FindingKind::CopyNotWhole { .. });
    assert!(refused(resume(&port, 1), damaged) && refused(undo(&port, 1).map(drop), damaged));
    assert_eq!(tree(&port.old_place()), rest);
}

/// Fails every removal from the n-th on.
#[derive(Debug)]
struct FailsFrom(std::sync::atomic::AtomicUsize);

impl Gate for FailsFrom {
    fn before(&self, act: &Act<'_>) -> std::io::Result<()> {
        let left = |left: usize| left.checked_sub(1);
        if matches!(act, Act::Remove { .. }) && self.0.fetch_update(Ordering::SeqCst, Ordering::SeqCst, left).is_err() {
            return Err(std::io::Error::from_raw_os_error(5));
        }
        Ok(())
    }
}

/// Puts a journal of an earlier stage back, as a restored backup does.
fn restored(word: &'static str, then: impl Fn(&Port)) -> Port {
    let port = Port::new();
    left_at(&port, word, Policy::Release);
    let state = port.site().state_folder();
    let kept = state.with_extension("kept");
    let copy = |from: &Path, to: &Path| {
        fs::create_dir_all(to).unwrap();
        for name in ["journal.db", "journal.db-wal", "journal.db-shm"] {
            let _ = fs::remove_file(to.join(name));
            let _ = fs::copy(from.join(name), to.join(name));
        }
    };
    copy(&state, &kept);
    then(&port);
    copy(&kept, &state);
    port
}

#[test]
fn a_journal_of_yesterday_never_costs_the_only_copy() {
    for word in ["verified", "placed", "updating-records"] {
        for rest in [false, true] {
            let port = restored(word, |port| resume(port, 1).unwrap());
            assert!(!port.old_place().exists() && port.content(), "{word}");
            let whole = tree(&port.new_place());
            let gone = if rest {
                cancel_rest(&port.site(), &journal(&port), HaulId(1), &|_| {}, &Control::default()).map(drop)
            } else {
                undo(&port, 1).map(drop)
            };
            assert!(gone.is_err(), "{word}: {gone:?}");
            assert_eq!(tree(&port.new_place()), whole, "{word}");
            // It is as far as the drives say, and goes on from there.
            resume(&port, 1).unwrap_or_else(|error| panic!("{word}: {error:?}"));
            let item = row(&port, 1).items[0].clone();
            assert!(matches!(item.stage, Stage::Released { left: 0 }), "{word}: {:?} {:?}", item.stage, item.proof);
            assert!(port.content(), "{word}: {:?} {:?}", port.records(), tree(&port.new_place()).into_keys());
            undo(&port, 1).unwrap();
            assert!(port.content() && port.old_place().exists() && !port.new_place().exists(), "{word}");
        }
    }
}

#[test]
fn what_was_verified_is_not_given_up_while_the_drive_of_the_originals_is_away() {
    for word in ["copying", "verified", "placed", "updating-records"] {
        let port = Port::new();
        let whole = port.game(&port.old_place());
        left_at(&port, word, Policy::Hold);
        unplug(&port, "swift");
        let before = tree(&port.at("drives/newhold"));
        assert!(undo(&port, 1).is_err(), "{word}");
        assert_eq!(tree(&port.at("drives/newhold")), before, "{word}: the copy stays");
        plug(&port, "swift");
        undo(&port, 1).unwrap_or_else(|error| panic!("{word}: {error:?}"));
        assert!(port.content() && !port.new_place().exists(), "{word}");
        assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{word}");
    }
}

#[test]
fn a_copy_that_was_verified_goes_on_when_its_old_drive_has_died() {
    // The launcher's list of the old library is gone with the drive: here it lies at home.
    let port = Port::new();
    left_at(&port, "verified", Policy::Hold);
    unplug(&port, "swift");
    let ended = resume(&port, 1);
    // Its entry is on the dead drive: the haul says so, and the copy stays where it is.
    assert!(ended.is_err() || port.content(), "{ended:?}");
    let (site, journal) = (port.site(), journal(&port));
    let all: Vec<_> = row(&port, 1).items.iter().map(|item| item.id).collect();
    undo_leaving(&site, &journal, HaulId(1), &all, Stuck::IsLeft, &|_| {}, &Control::default()).unwrap();
    assert_eq!(row(&port, 1).items[0].stage, Stage::Cancelled, "no state is a dead end");
    assert!(!History::remains(&site, HaulId(1)).unwrap().is_empty(), "what is left is named");
}

#[test]
fn a_proof_that_found_differences_or_other_records_keeps_the_originals() {
    let prove = |port: &Port| {
        let (site, journal) = (port.site(), journal(port));
        let items = journal.haul(HaulId(1)).unwrap().unwrap().items;
        prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap().remove(0).1
    };
    let failed = |kind: &FindingKind| matches!(kind, FindingKind::ProofFailed { .. });
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("hole"), vec![1; 300_000]).unwrap();
    assert!(!prove(&port).holds());
    assert!(refused(release(&port, 1), failed) && port.old_place().join("hole").exists());
    let port = Port::new();
    let records = port.records();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    write_back(&port, &records);
    assert!(!prove(&port).records_lead_here);
    assert!(refused(release(&port, 1), failed) && port.old_place().join("data/pack").exists());
}

/// A launcher that was running all the time writes what it remembers.
fn write_back(port: &Port, records: &[Option<String>]) {
    let files = [
        "home/.config/quillgate/rooms.json",
        "home/.config/quillgate/recent.json",
        "drives/swift/quillgate/ledger.json",
        "drives/newhold/quillgate/ledger.json",
    ];
    for (file, text) in files.iter().zip(records) {
        match text {
            Some(text) => fs::write(port.at(file), text).unwrap(),
            None => drop(fs::remove_file(port.at(file))),
        }
    }
}

#[test]
fn a_foreign_folder_at_the_planned_place_is_never_taken_for_ours() {
    for word in ["verified", "placed"] {
        let port = Port::new();
        left_at(&port, word, Policy::Hold);
        let ours = port.at("kept aside");
        let made = fs::read_dir(port.at("drives/newhold/quillgate")).unwrap().flatten().map(|entry| entry.path());
        let made = made.into_iter().find(|path| path.is_dir()).unwrap();
        fs::rename(made, ours).unwrap();
        fs::create_dir_all(port.new_place().join("data")).unwrap();
        fs::write(port.new_place().join("data/pack"), "somebody else's").unwrap();
        assert!(resume(&port, 1).is_err(), "{word}");
        undo(&port, 1).unwrap_or_else(|error| panic!("{word}: {error:?}"));
        assert_eq!(fs::read(port.new_place().join("data/pack")).unwrap(), b"somebody else's", "{word}");
        assert_eq!(stage(&port, 1), Stage::Cancelled);
        assert!(port.content());
    }
}

#[test]
fn an_original_that_changed_and_kept_its_size_and_time_stays() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let file = port.old_place().join("hole");
    let time = fs::metadata(&file).unwrap().modified().unwrap();
    fs::write(&file, vec![9; 300_000]).unwrap();
    fs::File::options().write(true).open(&file).unwrap().set_modified(time).unwrap();
    let removed = release(&port, 1).unwrap();
    let left: Vec<_> = removed.left.iter().map(|left| (left.path.as_path(), left.why)).collect();
    assert_eq!(left, [(Path::new("hole"), WhyLeft::Changed)]);
    assert_eq!(fs::read(&file).unwrap(), vec![9; 300_000]);
    assert!(removed.left[0].bytes > Bytes::ZERO && port.content());
    // One that was only touched has the same bytes, and goes.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::File::options()
        .write(true)
        .open(port.old_place().join("hole"))
        .unwrap()
        .set_modified(std::time::SystemTime::now())
        .unwrap();
    assert!(release(&port, 1).unwrap().left.is_empty());
}

#[test]
fn a_copy_that_was_emptied_or_turned_into_a_link_to_nothing_keeps_its_original() {
    for what in ["emptied", "dangling", "gone"] {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        let file = port.new_place().join("hole");
        fs::remove_file(&file).unwrap();
        match what {
            "emptied" => fs::write(&file, "").unwrap(),
            "dangling" => symlink("/nowhere/at/all", &file).unwrap(),
            _ => {}
        }
        let not_whole =
            |kind: &FindingKind| matches!(kind, FindingKind::CopyNotWhole { path, .. } if path.ends_with("hole"));
        assert!(refused(release(&port, 1), not_whole), "{what}");
        assert!(port.old_place().join("hole").exists(), "{what}");
    }
}

#[test]
fn a_full_look_before_a_release_finds_what_names_and_times_do_not_show() {
    use std::os::unix::fs::FileExt;
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let file = port.new_place().join("hole");
    // As a drive does that loses bytes by itself: nothing that is written down beside them changes. Memory has no such drive; the
    // journal is told that all times are as they are.
    fs::File::options().write(true).open(&file).unwrap().write_at(b"!", 7).unwrap();
    let site = port.site();
    let look = |depth| release_looking(&site, &journal(&port), HaulId(1), depth, &|_| {}, &Control::default());
    let read = look(Depth::Read).unwrap();
    assert_eq!(read.left.iter().map(|left| left.why).collect::<Vec<_>>(), [WhyLeft::CopyChanged]);
    assert!(port.old_place().join("hole").exists());
}

#[test]
fn a_release_with_the_old_drive_away_counts_nothing_as_gone() {
    let port = Port::new();
    let whole = port.game(&port.old_place());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    unplug(&port, "swift");
    let ledger = port.at("away-swift/quillgate/ledger.json");
    assert!(ledger.exists());
    assert!(refused(release(&port, 1), away));
    assert!(matches!(stage(&port, 1), Stage::Proved { holds: true }));
    assert!(undo_plan(&port.site(), &row(&port, 1)).findings.iter().any(|finding| away(&finding.kind)));
    plug(&port, "swift");
    // With the copy's drive away an undo does not begin: a part of the records lies there.
    unplug(&port, "newhold");
    assert!(refused(undo(&port, 1).map(drop), away) && History::of(&port.site()).unwrap().hauls.len() == 1);
    plug(&port, "newhold");
    undo(&port, 1).unwrap();
    assert!(port.content());
    assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
}

/// Writes a record file as its launcher would, once, at the very moment in which ours takes its place.
#[derive(Debug)]
struct WritesBetween(PathBuf, AtomicBool);

impl Gate for WritesBetween {
    fn before(&self, act: &Act<'_>) -> std::io::Result<()> {
        if let Act::Exchange { other, .. } = act
            && **other == *self.0
            && !self.1.swap(true, Ordering::SeqCst)
        {
            let text = fs::read_to_string(&self.0).unwrap();
            fs::write(self.0.with_extension("new"), text.replacen('{', "{ \"theme\": \"sea\",", 1)).unwrap();
            fs::rename(self.0.with_extension("new"), &self.0).unwrap();
        }
        Ok(())
    }
}

#[test]
fn what_another_program_writes_between_our_look_and_our_act_is_not_lost() {
    let files = [
        "home/.config/quillgate/rooms.json",
        "drives/swift/quillgate/ledger.json",
        "home/.config/quillgate/recent.json",
    ];
    for file in files {
        let port = Port::new();
        let gate = WritesBetween(port.at(file), AtomicBool::new(false));
        port.haul(Some(port.site().disk.and_gate(Arc::new(gate))), to_newhold(), Policy::Hold).unwrap();
        assert!(fs::read_to_string(port.at(file)).unwrap().contains("\"theme\": \"sea\""), "{file}");
        assert!(port.content(), "{file}");
        assert_eq!(port.litter(), Vec::<PathBuf>::new());
        undo(&port, 1).unwrap();
        assert!(port.content() && fs::read_to_string(port.at(file)).unwrap().contains("theme"), "{file}");
    }
}

#[test]
fn two_hauls_of_one_game_with_two_journals_exclude_each_other() {
    let port = Port::new();
    let mut other = port.site();
    other.places.state = port.at("other state");
    let plan = port.plan(&other, to_newhold(), Policy::Hold);
    let (site, books) = (port.site(), journal(&port));
    let second = std::cell::RefCell::new(None);
    let meanwhile = |event: HaulEvent| {
        if matches!(&event, HaulEvent::Stage { stage: deft_barge_core::item::StageKind::Copying, .. })
            && second.borrow().is_none()
        {
            let theirs = Journal::open(&other).unwrap().recover().unwrap().0;
            *second.borrow_mut() =
                Some(Haul::begin(&other, &theirs, &plan).unwrap().run(&|_| {}, &Control::default()).map(drop));
        }
    };
    let first = port.plan(&site, to_newhold(), Policy::Hold);
    Haul::begin(&site, &books, &first).unwrap().run(&meanwhile, &Control::default()).unwrap();
    let taken = |kind: &FindingKind| matches!(kind, FindingKind::TakenByAnother { .. });
    assert!(refused(second.into_inner().unwrap(), taken));
    assert!(port.content());
}

#[test]
fn a_hole_stays_a_hole_when_its_copy_goes_on_after_a_kill() {
    use std::os::unix::fs::MetadataExt;
    let port = Port::new();
    let sparse = port.old_place().join("sparse");
    fs::File::create(&sparse).unwrap().set_len(12_000_000).unwrap();
    let (mut site, books) = (port.site(), journal(&port));
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    site.disk = site.disk.and_gate(Arc::new(FailsFlushes));
    assert!(Haul::begin(&site, &books, &plan).unwrap().run(&|_| {}, &Control::default()).is_err());
    drop(books);
    assert!(port.resume().unwrap());
    let copy = fs::metadata(port.new_place().join("sparse")).unwrap();
    assert_eq!(copy.len(), 12_000_000);
    assert!(copy.blocks() * 512 < 1_000_000, "{} bytes are taken", copy.blocks() * 512);
}

/// Lets everything be written and nothing be made durable.
#[derive(Debug)]
struct FailsFlushes;

impl Gate for FailsFlushes {
    fn before(&self, act: &Act<'_>) -> std::io::Result<()> {
        let flush = matches!(act, Act::Flush(_) | Act::FlushDrive(_));
        if flush { Err(std::io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}
