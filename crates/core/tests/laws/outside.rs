//! What comes from outside: drives that go and come back, folders of others, journals of yesterday, launchers that edit their own
//! lists. Each test is named for what went wrong once; beside them stands a walk over all stages and conditions.

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

/// Fails what comes after an item was proved.
#[derive(Debug, Default)]
struct DiesOnceAsked(AtomicBool);

impl Gate for DiesOnceAsked {
    fn before(&self, _: &Act<'_>) -> std::io::Result<()> {
        if self.0.load(Ordering::SeqCst) { Err(std::io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn an_undo_that_ended_before_its_own_release_keeps_the_originals_from_the_first_hauls_release() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let gate = Arc::new(DiesOnceAsked::default());
    let (mut site, books) = (port.site(), journal(&port));
    site.disk = site.disk.and_gate(gate.clone());
    let die = |event: HaulEvent| {
        if matches!(event, HaulEvent::Proved { .. }) {
            gate.0.store(true, Ordering::SeqCst);
        }
    };
    assert!(undo_haul(&site, &books, HaulId(1), &die, &Control::default()).is_err());
    drop(books);
    assert!(port.content() && port.old_place().exists() && port.new_place().exists());
    let before = tree(&port.old_place());
    assert!(release(&port, 1).is_err(), "these originals are what the records lead to");
    assert_eq!(tree(&port.old_place()), before);
    assert!(port.resume().unwrap() && port.content() && !port.new_place().exists());
}

#[test]
fn an_undo_that_is_undone_leaves_the_kept_originals_kept() {
    let port = Port::new();
    let whole = port.game(&port.old_place());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let stop = Control::default();
    let (site, books) = (port.site(), journal(&port));
    let back = undo_haul(&site, &books, HaulId(1), &at_stage("records-updated", &stop), &stop);
    assert!(matches!(back, Err(HaulError::Paused)), "{back:?}");
    drop(books);
    undo(&port, 2).unwrap();
    assert!(port.content());
    assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "the originals are kept");
    assert_eq!(differing(&port.game(&port.new_place()), &whole), NONE);
    assert!(matches!(stage(&port, 1), Stage::Proved { holds: true }) && row(&port, 1).items[0].holds_originals());
    // And the first haul can be released or undone as before.
    release(&port, 1).unwrap();
    assert!(port.content() && !port.old_place().exists());
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn a_launcher_that_writes_its_old_list_after_the_haul_has_its_records_updated_again() {
    let port = Port::new();
    let records = port.records();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    write_back(&port, &records);
    let elsewhere = |kind: &FindingKind| matches!(kind, FindingKind::RecordsElsewhere { .. });
    assert!(refused(release(&port, 1), elsewhere) && port.old_place().exists());
    let (site, books) = (port.site(), journal(&port));
    assert_eq!(astray(&site, &books, None).unwrap(), Some(HaulId(1)));
    Haul::of(&site, &books, HaulId(1)).unwrap().lead_again(&|_| {}, &Control::default()).unwrap();
    assert_eq!(astray(&site, &books, None).unwrap(), None);
    drop(books);
    assert!(port.content());
    release(&port, 1).unwrap();
    assert!(port.content() && !port.old_place().exists());
    // After the release as well: nothing is there where the old list leads.
    write_back(&port, &records);
    assert!(!port.content());
    let (site, books) = (port.site(), journal(&port));
    assert_eq!(astray(&site, &books, Some(1)).unwrap(), Some(HaulId(1)));
    Haul::of(&site, &books, HaulId(1)).unwrap().lead_again(&|_| {}, &Control::default()).unwrap();
    drop(books);
    assert!(port.content());
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
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

#[test]
fn lists_that_a_launcher_has_edited_are_undone_and_hauled_all_the_same() {
    /// What a launcher may do to its list between two acts of ours.
    type Edit = fn(&mut Vec<serde_json::Value>);
    let edits: [(&str, Edit); 5] = [
        ("added before", |titles| titles.insert(0, other("n1"))),
        ("added after", |titles| titles.push(other("n2"))),
        ("removed", |titles| titles.retain(|title| title["id"] != "g2")),
        ("sorted", |titles| titles.reverse()),
        ("more in each", |titles| titles.iter_mut().for_each(|title| title["hours"] = 7.into())),
    ];
    for (what, edit) in edits {
        for released in [false, true] {
            // After the haul.
            let port = Port::new();
            let whole = port.game(&port.old_place());
            port.haul(None, to_newhold(), if released { Policy::Release } else { Policy::Hold }).unwrap();
            for drive in ["swift", "newhold"] {
                change_list(&port, drive, edit);
            }
            undo(&port, 1).unwrap_or_else(|error| panic!("{what}, released {released}: {error:?}"));
            assert!(port.content() && !port.new_place().exists(), "{what}, released {released}");
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{what}");
        }
        // During the copy, and after a crash among the record files.
        for word in ["copying", "verified", "placed", "updating-records"] {
            let port = Port::new();
            left_at(&port, word, Policy::Hold);
            change_list(&port, "swift", edit);
            resume(&port, 1).unwrap_or_else(|error| panic!("{what} at {word}: {error:?}"));
            assert!(port.content() && port.new_place().exists(), "{what} at {word}");
            undo(&port, 1).unwrap_or_else(|error| panic!("{what} at {word}, undone: {error:?}"));
            assert!(port.content() && !port.new_place().exists(), "{what} at {word}");
        }
    }
}

fn other(id: &str) -> serde_json::Value {
    serde_json::json!({"id": id, "name": "New", "folder": "other", "bytes": 1, "start": "go"})
}

fn change_list(port: &Port, drive: &str, edit: fn(&mut Vec<serde_json::Value>)) {
    let file = port.at(&format!("drives/{drive}/quillgate/ledger.json"));
    let Ok(text) = fs::read_to_string(&file) else { return };
    let mut ledger: serde_json::Value = serde_json::from_str(&text).unwrap();
    edit(ledger["titles"].as_array_mut().unwrap());
    fs::write(file, serde_json::to_string(&ledger).unwrap()).unwrap();
}

#[test]
fn a_game_that_its_launcher_lists_no_more_goes_back_by_its_files() {
    let port = Port::new();
    let whole = port.game(&port.old_place());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    change_list(&port, "newhold", Vec::clear);
    let plan = undo_plan(&port.site(), &row(&port, 1));
    assert!(
        !plan.blocked() && plan.findings.iter().any(|f| matches!(f.kind, FindingKind::NothingToUpdate { .. })),
        "{plan:?}"
    );
    undo(&port, 1).unwrap();
    assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
    assert!(!port.new_place().exists());
}

#[test]
fn a_game_that_differed_from_its_list_before_is_hauled_released_and_undone() {
    for policy in [Policy::Hold, Policy::Release] {
        let port = Port::new();
        fs::write(port.old_place().join("data/small"), "a mod").unwrap();
        fs::remove_file(port.old_place().join("data/ä 日")).unwrap();
        let whole = port.game(&port.old_place());
        let end = port.haul(None, to_newhold(), policy).unwrap();
        let proof = end.items[0].proof.clone().unwrap();
        assert!(proof.holds() && proof.before > Bytes::ZERO, "{proof:?}");
        assert_eq!(port.old_place().exists(), policy == Policy::Hold);
        undo(&port, 1).unwrap();
        assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
        // And an unfinished one does not stand in the way of others.
        left_at(&port, "placed", Policy::Hold);
        undo(&port, 3).unwrap();
        assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
    }
}

#[test]
fn originals_whose_folder_is_a_link_now_are_left_and_the_haul_ends() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let moved = port.at("drives/swift/moved by hand");
    fs::rename(port.old_place(), &moved).unwrap();
    symlink(&moved, port.old_place()).unwrap();
    let removed = release(&port, 1).unwrap();
    assert_eq!(removed.left.len(), 1);
    assert!(moved.join("data/pack").exists() && port.content());
    assert!(matches!(stage(&port, 1), Stage::Released { left: 1 }));
    // And when the link leads to the very copy, that is told.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::remove_dir_all(port.old_place()).unwrap();
    symlink(port.new_place(), port.old_place()).unwrap();
    let one = |kind: &FindingKind| matches!(kind, FindingKind::SameFolder { .. } | FindingKind::StillListed { .. });
    assert!(refused(release(&port, 1), one) && port.content());
}

#[test]
fn saves_that_were_written_into_the_copy_are_told_before_and_never_stand_in_the_way() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("save 1"), "mine").unwrap();
    fs::write(port.new_place().join("hole"), "new settings").unwrap();
    let plan = undo_plan(&port.site(), &row(&port, 1));
    let told = |f: &deft_barge_core::item::Finding| matches!(&f.kind, FindingKind::NewerInCopy { count: 2, path } if path.starts_with(&*port.new_place().to_string_lossy()));
    assert!(!plan.blocked() && plan.findings.iter().any(told), "{:?}", plan.findings);
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
    let left = History::remains(&port.site(), HaulId(2)).unwrap();
    let left: Vec<PathBuf> = left[0].1.iter().map(|left| left.path.clone()).collect();
    assert_eq!(left.len(), 2);
    assert!(left.iter().all(|path| path.exists()), "each is named by where it is: {left:?}");
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    assert!(port.content(), "the next haul goes to the same place");
    // Taken along: the copy as it is now is hauled back.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("save 1"), "mine").unwrap();
    fs::write(port.new_place().join("hole"), "new settings").unwrap();
    release(&port, 1).unwrap();
    undo(&port, 1).unwrap();
    assert_eq!(fs::read(port.old_place().join("save 1")).unwrap(), b"mine");
    assert_eq!(fs::read(port.old_place().join("hole")).unwrap(), b"new settings");
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn an_older_haul_is_released_after_a_newer_one_was_undone() {
    for released in [false, true] {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        port.write("drives/newhold/second/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
        port.write("drives/swift/third/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
        let rooms = fs::read_to_string(port.at("home/.config/quillgate/rooms.json")).unwrap();
        let third = port.at("drives/swift/third");
        let room = format!("[ {{ \"folder\": {third:?} }},");
        port.write("home/.config/quillgate/rooms.json", rooms.replacen('[', &room, 1).as_bytes());
        port.haul(
            None,
            deft_barge_core::plan::Destination::Library(third),
            if released { Policy::Release } else { Policy::Hold },
        )
        .unwrap();
        undo(&port, 2).unwrap();
        assert!(port.content() && port.new_place().exists());
        assert!(release(&port, 1).unwrap().left.is_empty(), "released {released}");
        assert!(port.content() && !port.old_place().exists());
    }
}

#[test]
fn originals_that_another_entry_still_leads_to_stay() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    // A second launcher that nobody has told of the haul.
    let profile = fs::read_to_string(port.at("home/.config/deft-barge/profiles/quillgate.toml")).unwrap();
    let profile = profile
        .replacen("id = \"quillgate\"", "id = \"second\"", 1)
        .replace(".config/quillgate", ".config/second")
        .replace("{config}/quillgate", "{config}/second");
    port.write("home/.config/deft-barge/profiles/second.toml", profile.as_bytes());
    fs::create_dir_all(port.at("home/.config/second")).unwrap();
    let rooms = serde_json::json!({"rooms": [{"folder": port.at("drives/swift/quillgate")}]});
    port.write("home/.config/second/rooms.json", rooms.to_string().as_bytes());
    change_list(&port, "swift", |titles| {
        let entry =
            serde_json::json!({"id": "g1", "name": "Regatta", "folder": "regatta", "bytes": 1, "start": "bin/go"});
        titles.push(entry);
    });
    let listed =
        |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. } | FindingKind::RecordsElsewhere { .. });
    let result = release(&port, 1);
    assert!(refused(result, listed) && port.old_place().join("data/pack").exists());
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
fn an_undo_takes_the_folders_away_that_its_haul_had_made() {
    let port = Port::new();
    let before = tree(&port.at("drives"));
    port.haul(None, to_newhold(), Policy::Release).unwrap();
    undo(&port, 1).unwrap();
    let after = tree(&port.at("drives"));
    let names = |tree: &crate::port::Tree| tree.keys().cloned().collect::<Vec<_>>();
    assert_eq!(names(&after), names(&before));
}

/// From every stage, with either drive away and back again, something leads on and comes to an end.
#[test]
fn no_state_is_a_dead_end() {
    let mut walked = 0;
    for word in ["copying", "verified", "placed", "updating-records", "records-updated"] {
        for drive in ["swift", "newhold"] {
            for back in [false, true] {
                for leaving in [false, true] {
                    let port = Port::new();
                    left_at(&port, word, Policy::Hold);
                    unplug(&port, drive);
                    let when = format!("{word}, {drive} away, back {back}, leaving {leaving}");
                    let before = tree(port.folder.path());
                    let first = if leaving { undo(&port, 1).map(drop) } else { resume(&port, 1) };
                    // Whatever it says, nothing of a game has gone.
                    let gone = before.keys().filter(|path| {
                        path.to_string_lossy().contains("data/pack") && !port.folder.path().join(path).exists()
                    });
                    let moved = port.new_place().join("data/pack").exists()
                        || port.at("away-newhold/quillgate/regatta/data/pack").exists();
                    assert!(gone.count() == 0 || moved, "{when}: {first:?}");
                    if back {
                        plug(&port, drive);
                        let open = row(&port, 1).unfinished();
                        let on = if open { resume(&port, 1) } else { Ok(()) };
                        on.unwrap_or_else(|error| panic!("{when}: {error:?}"));
                        assert!(port.content(), "{when}");
                    } else if row(&port, 1).unfinished() {
                        let (site, books) = (port.site(), journal(&port));
                        let all: Vec<_> = row(&port, 1).items.iter().map(|item| item.id).collect();
                        let left =
                            undo_leaving(&site, &books, HaulId(1), &all, Stuck::IsLeft, &|_| {}, &Control::default());
                        assert!(left.is_ok() || !row(&port, 1).unfinished(), "{when}: {left:?}");
                    }
                    walked += 1;
                }
            }
        }
    }
    assert_eq!(walked, 40);
}

/// Leaves a haul, its release or its undo at a point, as a pause does.
fn come_to(port: &Port, state: &'static str) {
    let stop = Control::default();
    match state {
        "proved" => drop(port.haul(None, to_newhold(), Policy::Hold).unwrap()),
        "releasing" => {
            port.haul(None, to_newhold(), Policy::Hold).unwrap();
            let (site, books) = (port.site(), journal(port));
            let ended = release_haul(&site, &books, HaulId(1), &at_stage("releasing", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "cancelling" => {
            left_at(port, "placed", Policy::Hold);
            let (site, books) = (port.site(), journal(port));
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage("cancelling", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "undoing" | "undone and not cleaned up" => {
            port.haul(None, to_newhold(), Policy::Hold).unwrap();
            let (site, books) = (port.site(), journal(port));
            let at = if state == "undoing" { "placed" } else { "releasing" };
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage(at, &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "hauled back" => {
            port.haul(None, to_newhold(), Policy::Release).unwrap();
            let (site, books) = (port.site(), journal(port));
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage("verified", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        stage => left_at(port, stage, Policy::Hold),
    }
}

/// Every state, with either drive away or none, with the list as it was or edited, with or without the drive coming back, by a resume, an
/// undo or a release first: nothing of the game is lost, and something comes to an end.
#[test]
fn from_every_state_with_drives_away_and_lists_edited_something_comes_to_an_end() {
    type Change = fn(&mut Vec<serde_json::Value>);
    let edits: [(&str, Change); 3] = [
        ("as it was", |_| {}),
        ("sorted and longer", |titles| {
            titles.insert(0, other("n1"));
            titles.reverse();
        }),
        ("cut", |titles| titles.retain(|title| title["id"] == "g1")),
    ];
    let states = [
        "copying",
        "verified",
        "placed",
        "updating-records",
        "records-updated",
        "proved",
        "releasing",
        "cancelling",
        "undoing",
        "undone and not cleaned up",
        "hauled back",
    ];
    // On a usual day every fourth of them.
    let every = if crate::acts::every_fault() { 1 } else { 4 };
    let (mut walked, mut all) = (0, 0);
    for state in states {
        for drive in [None, Some("swift"), Some("newhold")] {
            for (what, edit) in edits {
                for first in ["resume", "undo", "release"] {
                    all += 1;
                    if all % every != 0 {
                        continue;
                    }
                    let when = format!("{state}, {drive:?} away, list {what}, {first}");
                    let port = Port::new();
                    let whole = port.game(&port.old_place());
                    come_to(&port, state);
                    // The other library's list has a sum in it, which its launcher keeps.
                    change_list(&port, "swift", edit);
                    if let Some(drive) = drive {
                        unplug(&port, drive);
                    }
                    let newest = || History::of(&port.site()).unwrap().hauls[0].id.0;
                    let said = match first {
                        "resume" => resume(&port, newest()),
                        "undo" => undo(&port, newest()).map(drop),
                        _ => release(&port, newest()).map(drop),
                    };
                    // What is refused is refused with a reason that can be told.
                    if let Err(error) = &said {
                        assert!(!error.to_string().is_empty(), "{when}");
                    }
                    if let Some(drive) = drive {
                        plug(&port, drive);
                    }
                    for _ in 0..2 {
                        if row(&port, newest()).unfinished() {
                            let ended = resume(&port, newest());
                            ended.unwrap_or_else(|error| panic!("{when}, after {said:?}: {error:?}"));
                        }
                    }
                    assert!(!History::of(&port.site()).unwrap().hauls.iter().any(HaulRow::unfinished), "{when}");
                    assert!(port.content(), "{when}, after {said:?}");
                    let place = if port.new_place().exists() && !port.old_place().exists() {
                        port.new_place()
                    } else {
                        port.old_place()
                    };
                    assert_eq!(differing(&port.game(&place), &whole), NONE, "{when}, after {said:?}");
                    walked += 1;
                }
            }
        }
    }
    assert_eq!(walked, 11 * 3 * 3 * 3 / every);
}

fn undo_and_leave(port: &Port, haul: i64) -> Result<Option<HaulId>, HaulError> {
    let (site, books) = (port.site(), journal(port));
    let all: Vec<_> = row(port, haul).items.iter().map(|item| item.id).collect();
    undo_leaving(&site, &books, HaulId(haul), &all, Stuck::IsLeft, &|_| {}, &Control::default())
}

/// The drive that a game was hauled to has died; its originals are kept, and a part of the records lay on that drive.
#[test]
fn with_the_drive_of_the_copy_gone_for_good_the_kept_originals_are_played_again() {
    for word in ["updating-records", "records-updated", "proved"] {
        for edited in [false, true] {
            let when = format!("{word}, list edited {edited}");
            let port = Port::new();
            let whole = port.game(&port.old_place());
            if word == "proved" {
                port.haul(None, to_newhold(), Policy::Hold).unwrap();
            } else {
                left_at(&port, word, Policy::Hold);
            }
            if edited {
                change_list(&port, "swift", |titles| titles.insert(0, other("n1")));
            }
            unplug(&port, "newhold");
            let rooms = fs::read(port.launcher().join("rooms.json")).unwrap();
            assert!(refused(undo(&port, 1).map(drop), away), "{when}");
            undo_and_leave(&port, 1).unwrap_or_else(|error| panic!("{when}: {error:?}"));
            let history = History::of(&port.site()).unwrap();
            let left = History::remains(&port.site(), history.hauls[0].id).unwrap();
            let left = |path: &Path| {
                left.iter().any(|(_, left)| left.iter().any(|l| l.path == path && l.why == WhyLeft::DriveAway))
            };
            assert!(left(&port.new_place()) && left(&port.at("drives/newhold/quillgate/ledger.json")), "{when}");
            assert!(!history.hauls.iter().any(HaulRow::unfinished), "{when}");
            assert!(port.content() && port.leads_to_a_whole_copy(), "{when}");
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{when}");
            if word != "proved" {
                continue;
            }
            // The drive was not dead after all, and its library is added again: its list still has the game, as a second entry, and
            // nothing of it goes as long as it does.
            plug(&port, "newhold");
            fs::write(port.launcher().join("rooms.json"), rooms).unwrap();
            let listed = |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. });
            let said = release(&port, 2);
            assert!(
                matches!(&said, Err(HaulError::Refused(f)) if f.iter().any(|f| listed(&f.kind))),
                "{when}: {said:?}"
            );
            change_list(&port, "newhold", Vec::clear);
            release(&port, 2).unwrap();
            assert!(!port.new_place().exists() && port.content(), "{when}");
        }
    }
}

#[test]
fn a_library_behind_a_link_is_hauled_released_and_undone_with_the_links_in_its_games() {
    for relative in [false, true] {
        let port = Port::new();
        fs::rename(port.at("drives/swift/quillgate"), port.at("drives/swift/real")).unwrap();
        let target = if relative { PathBuf::from("real") } else { port.at("drives/swift/real") };
        symlink(target, port.at("drives/swift/quillgate")).unwrap();
        let originals = tree(&port.at("drives/swift/real/regatta"));
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        assert!(port.content(), "relative {relative}");
        assert_eq!(tree(&port.at("drives/swift/real/regatta")), originals, "the originals are only read");
        let inward = fs::read_link(port.new_place().join("inward")).unwrap();
        assert_eq!(inward, port.new_place().join("data"), "relative {relative}");
        undo(&port, 1).unwrap();
        assert!(port.content() && !port.new_place().exists());
        assert_eq!(tree(&port.at("drives/swift/real/regatta")), originals);
        port.haul(None, to_newhold(), Policy::Release).unwrap();
        assert!(port.content() && !port.at("drives/swift/real/regatta").exists());
        undo(&port, 3).unwrap();
        assert!(port.content() && port.old_place().join("data/pack").exists());
        assert!(port.at("drives/swift/quillgate").is_symlink());
    }
}

/// A second launcher with the same games, in the same lists, that nobody tells of a haul.
fn another_launcher(port: &Port) {
    let profile = fs::read_to_string(port.at("home/.config/deft-barge/profiles/quillgate.toml")).unwrap();
    let profile = profile.replacen("id = \"quillgate\"", "id = \"second\"", 1).replacen(
        "name = \"Quillgate\"",
        "name = \"Second\"",
        1,
    );
    port.write("home/.config/deft-barge/profiles/second.toml", profile.as_bytes());
}

#[test]
fn what_another_launcher_knows_as_well_is_not_released_within_the_haul() {
    let port = Port::new();
    another_launcher(&port);
    let site = port.site();
    let listed = |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. });
    let held = port.plan(&site, to_newhold(), Policy::Hold);
    assert!(!held.findings.iter().any(|finding| listed(&finding.kind)));
    let released = port.plan(&site, to_newhold(), Policy::Release);
    assert!(
        released.blocked() && released.findings.iter().any(|finding| listed(&finding.kind)),
        "{:?}",
        released.findings
    );
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

#[test]
fn the_only_copy_of_a_game_is_not_offered_for_removal_when_its_launcher_has_forgotten_where_it_is() {
    use deft_barge_core::cleanup::find;
    use deft_barge_core::plan::plan_removal;
    use deft_barge_core::survey::CleanupAct;
    let port = Port::on_disk();
    let records = port.records();
    port.haul(None, to_newhold(), Policy::Release).unwrap();
    write_back(&port, &records);
    let site = port.site();
    let seen = deft_barge_core::survey::survey(&site, Vec::new(), &|_| {});
    let lying = find(&site, &seen, &History::of(&site).unwrap(), &|_| {});
    assert!(lying.iter().any(|lying| lying.path == port.new_place()), "{lying:?}");
    for lying in lying.iter().filter(|lying| lying.path == port.new_place()) {
        assert!(
            !lying.acts.contains(&CleanupAct::Quarantine) && !lying.acts.contains(&CleanupAct::Release),
            "{lying:?}"
        );
        // And who asks for it all the same is refused before the last copy goes.
        let plan = plan_removal(&site, &seen, lying, CleanupAct::Quarantine);
        if plan.blocked() {
            continue;
        }
        let books = journal(&port);
        let mut haul = Haul::begin(&site, &books, &plan).unwrap();
        let id = haul.id();
        haul.run(&|_| {}, &Control::default()).unwrap();
        let result = release_haul(&site, &books, id, &|_| {}, &Control::default());
        assert!(result.is_err(), "{result:?}");
    }
    let all = tree(&port.at("drives/newhold"));
    assert!(all.keys().any(|path| path.ends_with("data/pack")));
}
