//! Laws on what was changed by others: nothing that is not what was surveyed, planned or compared is overwritten or removed.

mod placing;

use std::fs;
use std::process::{Command, Stdio};

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::haul::{Control, Haul, HaulError, prove_haul, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Policy, Stage};
use deft_barge_core::journal::{History, Journal};

use crate::port::{Port, once_verified, to_newhold};

fn release(port: &Port) -> Result<usize, HaulError> {
    let site = port.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).map(|removed| removed.left.len())
}

/// Whether it was refused for a reason of this kind.
pub fn refused<T>(result: Result<T, HaulError>, is_it: impl Fn(&FindingKind) -> bool) -> bool {
    matches!(result, Err(HaulError::Refused(findings)) if findings.iter().any(|finding| is_it(&finding.kind)))
}

#[test]
fn a_release_leaves_what_changed_or_appeared_and_follows_no_link() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let old = port.old_place();
    fs::write(old.join("data/small"), "eight").unwrap();
    fs::write(old.join("data/new save"), "mine").unwrap();
    fs::remove_dir(old.join("mods/none")).unwrap();
    std::os::unix::fs::symlink(port.at("drives/newhold/keep"), old.join("mods/none")).unwrap();
    let left = release(&port).unwrap();
    // The changed file has two names, and the link that took a folder's place is not followed.
    assert_eq!(left, 4);
    assert_eq!(fs::read(old.join("data/small")).unwrap(), b"eight");
    assert_eq!(fs::read(old.join("data/new save")).unwrap(), b"mine");
    assert!(!old.join("data/pack").exists());
    assert_eq!(fs::read(port.at("drives/newhold/keep/this")).unwrap(), b"not ours");
    assert!(port.content());
}

#[test]
fn a_release_is_refused_while_the_copy_lacks_a_file_or_is_not_what_the_launcher_wants() {
    for (file, text) in [("data/pack", None), ("data/pack", Some("short")), ("data/twin", None)] {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        let path = port.new_place().join(file);
        match text {
            Some(text) => fs::write(path, text).unwrap(),
            None => fs::remove_file(path).unwrap(),
        }
        assert!(refused(release(&port), |kind| matches!(kind, FindingKind::CopyNotWhole { .. })), "{file}");
        assert!(port.old_place().join("data/pack").exists());
    }
    // A file that is on no content list, such as settings, may have been written since.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("hole"), "settings").unwrap();
    // Its original is the last of what it was, and stays; everything else goes.
    assert_eq!(release(&port).unwrap(), 1);
    assert!(port.old_place().join("hole").exists() && !port.old_place().join("data").exists());
}

#[test]
fn records_that_changed_after_the_plan_are_found_anew_and_keep_what_they_say() {
    let port = Port::new();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let ledger = port.at("drives/swift/quillgate/ledger.json");
    let text = fs::read_to_string(port.at("home/.config/quillgate/recent.json")).unwrap();
    port.write("home/.config/quillgate/recent.json", text.replace("bin/go", "data/pack").as_bytes());
    let before = (port.records(), fs::read(&ledger).unwrap());
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let recent = fs::read_to_string(port.at("home/.config/quillgate/recent.json")).unwrap();
    assert!(recent.contains(&port.new_place().join("data/pack").to_string_lossy().into_owned()), "{recent}");
    assert!(port.content() && port.old_place().join("data/pack").exists());
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert_eq!((port.records(), fs::read(&ledger).unwrap()), before);
    assert!(!port.new_place().exists());
}

#[test]
fn a_return_keeps_what_the_launcher_wrote_since() {
    let port = Port::new();
    let before = port.records();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let rooms = fs::read_to_string(port.at("home/.config/quillgate/rooms.json")).unwrap();
    port.write("home/.config/quillgate/rooms.json", rooms.replacen('{', "{ \"theme\": \"sea\",", 1).as_bytes());
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    let after = port.records();
    assert!(after[0].as_ref().unwrap().contains("\"theme\": \"sea\""));
    assert!(!after[0].as_ref().unwrap().contains("newhold"));
    assert_eq!(after[1], before[1]);
    let items = journal.haul(HaulId(1)).unwrap().unwrap().items;
    assert_eq!(items[0].stage, Stage::Undone);
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn files_that_change_under_the_copy_are_copied_again() {
    let port = Port::new();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let touched = std::cell::Cell::new(false);
    let touch = once_verified(&touched, || {
        fs::write(port.old_place().join("hole"), "changed late").unwrap();
        fs::remove_file(port.old_place().join("data/ä 日")).unwrap();
        fs::write(port.old_place().join("late"), "new").unwrap();
    });
    let end = Haul::begin(&site, &journal, &plan).unwrap().run(&touch, &Control::default()).unwrap();
    assert!(touched.get());
    assert_eq!(fs::read(port.new_place().join("hole")).unwrap(), b"changed late");
    assert_eq!(fs::read(port.new_place().join("late")).unwrap(), b"new");
    assert!(!port.new_place().join("data/ä 日").exists());
    // The launcher would download what was removed, as it would have without a haul: that is told, and is no difference.
    let proof = end.items[0].proof.as_ref().unwrap();
    assert!(!end.differs() && proof.to_download == Some(proof.before) && proof.before > Bytes::ZERO, "{proof:?}");
    drop(journal);
    release(&port).unwrap();
    assert!(!port.old_place().exists());
}

#[test]
fn a_full_proof_finds_one_changed_byte_and_says_where() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let pack = port.new_place().join("data/pack");
    let mut bytes = fs::read(&pack).unwrap();
    bytes[4_250_000] ^= 1;
    let time = fs::metadata(&pack).unwrap().modified().unwrap();
    fs::write(&pack, bytes).unwrap();
    fs::File::options().write(true).open(&pack).unwrap().set_modified(time).unwrap();
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let items = journal.haul(HaulId(1)).unwrap().unwrap().items;
    let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
    let proof = &proofs[0].1;
    assert_eq!((proof.differ, proof.missing, proof.extra), (1, 0, 0));
    assert_eq!(proof.differences[0].from, Some(4 << 20));
    assert_eq!(proof.to_download.unwrap().count(), 4_300_000);
    assert!(!proof.holds());
}

#[test]
fn nothing_moves_while_the_launcher_runs_or_a_file_is_open() {
    let port = Port::new();
    let mut child = Command::new("sleep")
        .arg("60")
        .current_dir(port.old_place().join("data"))
        .stdin(Stdio::null())
        .spawn()
        .unwrap();
    let plan = port.plan(&port.site(), to_newhold(), Policy::Hold);
    let in_use =
        plan.findings.iter().any(|f| matches!(&f.kind, FindingKind::InUse { process } if process.pid == child.id()));
    let refused = port.haul(None, to_newhold(), Policy::Hold);
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(in_use && plan.blocked(), "{:?}", plan.findings);
    assert!(matches!(refused, Err(HaulError::Refused(_))));
    assert!(!port.new_place().exists());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
}

#[test]
fn a_second_program_is_kept_out_and_an_unfinished_haul_blocks_the_next() {
    let port = Port::new();
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    assert!(Journal::open(&site).is_err(), "the lock is held");
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let stop = Control::default();
    stop.ask();
    let paused = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &stop);
    assert!(matches!(paused, Err(HaulError::Paused)));
    assert!(matches!(Haul::begin(&site, &journal, &plan), Err(HaulError::Unfinished(HaulId(1)))));
    drop(journal);
    assert!(port.resume().unwrap());
    assert!(port.content());
}

/// Fails every act from the n-th replacing of a file on.
#[derive(Debug)]
pub struct StopsReplacing(pub std::sync::atomic::AtomicUsize);

impl deft_barge_core::disk::Gate for StopsReplacing {
    fn before(&self, act: &deft_barge_core::disk::Act<'_>) -> std::io::Result<()> {
        use std::sync::atomic::Ordering::SeqCst;
        if matches!(act, deft_barge_core::disk::Act::Replace { .. } | deft_barge_core::disk::Act::Exchange { .. }) {
            return match self.0.load(SeqCst) {
                0 => Err(std::io::Error::from_raw_os_error(5)),
                left => {
                    self.0.store(left - 1, SeqCst);
                    Ok(())
                }
            };
        }
        Ok(())
    }
}

#[test]
fn what_a_launcher_writes_between_a_crash_in_the_repoint_and_the_recovery_stays() {
    for done in 0..4 {
        for resumes in [true, false] {
            let port = Port::new();
            let disk = port.site().disk.and_gate(std::sync::Arc::new(StopsReplacing(done.into())));
            port.haul(Some(disk), to_newhold(), Policy::Hold).unwrap_err();
            for file in ["home/.config/quillgate/rooms.json", "drives/swift/quillgate/ledger.json"] {
                let text = fs::read_to_string(port.at(file)).unwrap();
                port.write(file, text.replacen('{', "{ \"theme\": \"sea\",", 1).as_bytes());
            }
            let site = port.site();
            if resumes {
                port.resume().unwrap();
                assert!(port.content() && port.new_place().exists(), "{done}");
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
            } else {
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
            }
            let (old, new) = (port.old_place().exists(), port.new_place().exists());
            assert!(port.content() && old && !new, "{done} {resumes}: {old} {new} {:?}", port.records());
            let records = port.records();
            assert_eq!(
                records.iter().flatten().filter(|text| text.contains("\"theme\"")).count(),
                2,
                "{done} {resumes}"
            );
            assert!(records.iter().flatten().all(|text| !text.contains("newhold")), "{done} {resumes}: {records:?}");
        }
    }
}

#[test]
fn a_drive_that_fills_up_half_way_leaves_all_as_it_was_and_is_resumed_when_there_is_room() {
    let port = Port::new();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let before = port.records();
    fs::write(port.at("drives/newhold/keep/film"), vec![7; 37_000_000]).unwrap();
    // The rules count what is there when the first byte is written.
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let error = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap_err();
    assert!(matches!(error, HaulError::Full { .. }), "{error:?}");
    assert_eq!(port.records(), before);
    assert!(port.content() && !port.new_place().exists());
    drop(journal);
    fs::remove_file(port.at("drives/newhold/keep/film")).unwrap();
    assert!(port.resume().unwrap());
    assert!(port.content() && port.new_place().exists() && port.litter().is_empty());
}

#[test]
fn a_half_made_folder_that_is_not_ours_is_never_written_into() {
    let port = Port::new();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    port.write("drives/newhold/quillgate/regatta/save", b"somebody's");
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let error = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap_err();
    assert!(matches!(error, HaulError::NotOurs { .. }), "{error:?}");
    assert_eq!(fs::read_dir(port.new_place()).unwrap().count(), 1);
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::read(port.new_place().join("save")).unwrap(), b"somebody's");
}

#[test]
fn a_copy_keeps_holes_names_of_one_file_times_and_permissions() {
    use std::os::unix::fs::MetadataExt;
    let port = Port::new();
    fs::set_permissions(port.old_place().join("mods"), std::os::unix::fs::PermissionsExt::from_mode(0o750)).unwrap();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let meta =
        |path: &str| (port.old_place().join(path).metadata().unwrap(), port.new_place().join(path).metadata().unwrap());
    for path in ["bin/go", "data/pack", "mods", "mods/none", "data", ""] {
        let (old, new) = meta(path);
        assert_eq!((old.mode(), old.mtime(), old.mtime_nsec()), (new.mode(), new.mtime(), new.mtime_nsec()), "{path}");
    }
    let (_, hole) = meta("hole");
    assert!(hole.blocks() * 512 < hole.len());
    let (_, small) = meta("data/small");
    assert_eq!((small.nlink(), small.ino()), (2, meta("data/twin").1.ino()));
}

/// Fails every removal in a game's folder.
#[derive(Debug)]
struct RemovesNothing;

impl deft_barge_core::disk::Gate for RemovesNothing {
    fn before(&self, act: &deft_barge_core::disk::Act<'_>) -> std::io::Result<()> {
        let removes = matches!(act, deft_barge_core::disk::Act::Remove { path, .. } if path.to_string_lossy().contains("regatta"));
        if removes { Err(std::io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn originals_that_a_return_has_taken_up_again_are_never_released() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let mut site = port.site();
    site.disk = site.disk.and_gate(std::sync::Arc::new(RemovesNothing));
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap_err();
    drop(journal);
    // The records lead to the originals again, the copy is still whole, and the first haul still says "proved".
    assert!(port.content() && port.new_place().join("data/pack").exists());
    assert!(matches!(release(&port), Err(HaulError::Unfinished(HaulId(2)))));
    assert!(port.old_place().join("data/pack").exists() && port.content());
    assert!(History::of(&port.site()).unwrap().held(&port.site()).iter().all(|held| held.path != port.old_place()));
    assert!(port.resume().unwrap());
    assert!(port.content() && port.old_place().exists() && !port.new_place().exists());
    assert!(release(&port).is_err());
    assert!(port.content());
}

#[test]
fn nothing_is_released_while_the_records_lead_elsewhere() {
    let port = Port::new();
    let before = port.records();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    // What cannot be read does not say that the originals may go.
    let rooms = "home/.config/quillgate/rooms.json";
    let good = fs::read(port.at(rooms)).unwrap();
    port.write(rooms, b"{ broken");
    let refused = release(&port);
    assert!(matches!(refused, Err(HaulError::Refused(_))), "{refused:?}");
    port.write(rooms, &good);
    // Somebody puts the old records back by hand.
    for (file, text) in [
        "home/.config/quillgate/rooms.json",
        "home/.config/quillgate/recent.json",
        "drives/swift/quillgate/ledger.json",
    ]
    .iter()
    .zip(&before)
    {
        port.write(file, text.as_ref().unwrap().as_bytes());
    }
    let refused = release(&port);
    assert!(matches!(refused, Err(HaulError::Refused(_))), "{refused:?}");
    assert!(port.old_place().join("data/pack").exists() && port.leads_to_a_whole_copy());
}

#[test]
fn a_release_that_is_half_done_is_returned_also_where_the_drive_is_nearly_full() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let stop = Control::default();
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    // The first removal is done, then it stops.
    let gone = std::cell::Cell::new(0);
    let tell = |event: deft_barge_core::haul::HaulEvent| {
        if matches!(
            event,
            deft_barge_core::haul::HaulEvent::Stage { stage: deft_barge_core::item::StageKind::Releasing, .. }
        ) {
            gone.set(1);
            stop.ask();
        }
    };
    assert!(matches!(release_haul(&site, &journal, HaulId(1), &tell, &stop), Err(HaulError::Paused)));
    assert_eq!(gone.get(), 1);
    drop(journal);
    fs::write(port.at("drives/swift/film"), vec![1; 34_000_000]).unwrap();
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert!(port.content() && port.old_place().exists() && !port.new_place().exists());
}

#[test]
fn originals_are_released_also_after_their_copy_was_carried_on() {
    for spoil in [false, true] {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        port.write("drives/newhold/second/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
        let second = port.at("drives/newhold/second");
        let rooms = fs::read_to_string(port.at("home/.config/quillgate/rooms.json")).unwrap();
        let room = format!("[ {{ \"folder\": {second:?} }},");
        port.write("home/.config/quillgate/rooms.json", rooms.replacen('[', &room, 1).as_bytes());
        port.haul(None, deft_barge_core::plan::Destination::Library(second.clone()), Policy::Hold).unwrap();
        assert!(port.content() && !port.new_place().exists());
        if spoil {
            fs::remove_file(second.join("regatta/data/pack")).unwrap();
            assert!(release(&port).is_err() && port.old_place().join("data/pack").exists());
            continue;
        }
        assert_eq!(release(&port).unwrap(), 0);
        assert!(port.content() && !port.old_place().exists());
    }
}

#[test]
fn a_proof_that_did_not_hold_holds_once_the_game_is_mended() {
    let port = Port::new();
    let small = port.old_place().join("data/ä 日");
    let sound = fs::read(&small).unwrap();
    fs::write(&small, "not what the launcher wants").unwrap();
    let end = port.haul(None, to_newhold(), Policy::Hold).unwrap();
    // It differed from the list before: the haul has nothing to do with it.
    let proof = end.items[0].proof.clone().unwrap();
    assert!(proof.holds() && proof.before.count() > 0 && proof.to_download == Some(proof.before), "{proof:?}");
    fs::write(port.new_place().join("data/ä 日"), "neither the original nor what is wanted").unwrap();
    let site = port.site();
    let prove = || {
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let items = journal.haul(HaulId(1)).unwrap().unwrap().items;
        let proof = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap().remove(0).1;
        (proof, journal.haul(HaulId(1)).unwrap().unwrap().items.remove(0).stage)
    };
    let (proof, stage) = prove();
    assert_eq!((proof.differ, stage), (1, Stage::Proved { holds: false }));
    let failed = release(&port);
    assert!(refused(failed, |kind| matches!(kind, FindingKind::ProofFailed { count: 1 })) && small.exists());
    fs::write(port.new_place().join("data/ä 日"), &sound).unwrap();
    let (proof, stage) = prove();
    // It is not its original any more, and that is what was wanted; the launcher is content.
    assert_eq!((proof.differ, proof.updated, proof.to_download.unwrap().count()), (0, 1, 0));
    assert!(proof.holds() && port.content() && stage == Stage::Proved { holds: true });
    assert_eq!(release(&port).unwrap(), 0);
    assert!(port.content() && !port.old_place().exists());
}
