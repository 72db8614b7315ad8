//! Adopting: a folder on a drive becomes an installed game, judged by its launcher, and a return makes it a stray again.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicUsize;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Proof, Stage};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Import, Plan, plan_import, watch_import};
use deft_barge_core::survey::{Survey, survey};
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::world::STRAY;

use crate::acts::both_ways;
use crate::around::{Killed, files};
use crate::house::{House, same};

fn surveyed(house: &House) -> Survey {
    survey(&house.site(), Vec::new(), &|_| {})
}

fn adoption(path: &Path, launcher: &str, id: &str, to: Option<&str>) -> Import {
    let (launcher, id, to) = (launcher.into(), id.into(), to.map(str::to_string));
    Import { path: path.into(), launcher, id, title: None, program: None, to }
}

pub fn planned(house: &House, adoption: &Import) -> Plan {
    plan_import(&house.site(), &surveyed(house), adoption)
}

pub fn stray(house: &House) -> PathBuf {
    house.folder().join("drives/cellar/quillgate").join(STRAY.folder)
}

fn proof(house: &House, haul: HaulId) -> Proof {
    let history = History::of(&house.site()).unwrap();
    history.haul(haul).unwrap().items[0].proof.clone().unwrap()
}

#[test]
fn a_stray_is_adopted_in_place_or_moved_and_its_launcher_is_content_and_a_return_brings_the_same_bytes() {
    let house = House::new();
    let before = house.records();
    let folder = stray(&house);
    let bytes = files(&folder);
    let game = format!("quillgate/{}", STRAY.id);
    for to in [None, Some("swift"), Some("newhold")] {
        for released in [false, true] {
            let when = format!("{to:?}, released: {released}");
            let plan = planned(&house, &adoption(&folder, "quillgate", STRAY.id, to));
            assert!(!plan.blocked(), "{when}: {:?}", plan.findings);
            let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
            let judged = house.judge(Launcher::Quillgate, &game);
            assert!(judged.content() && judged.right > 3, "{when}: {judged:?}");
            assert!(proof(&house, haul).holds() && proof(&house, haul).to_download == Some(Bytes::ZERO), "{when}");
            let survey = surveyed(&house);
            let adopted = survey.games.iter().find(|found| found.id.0 == game).unwrap();
            assert_eq!(adopted.found.title, STRAY.title, "{when}");
            assert_eq!(adopted.drive.as_deref(), Some(to.unwrap_or("cellar")), "{when}");
            assert!(adopted.found.last_run.is_none() && adopted.found.update.is_none(), "{when}: it was never run");
            assert!(!adopted.claim_is_far() && adopted.found.program.as_deref() == Some("bin/start"), "{when}");
            // The others of that ledger are as they were.
            assert!(house.judge(Launcher::Quillgate, "quillgate/qg-0088").content(), "{when}");
            if released && to.is_some() {
                let site = house.site();
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let removed = release_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
                assert!(removed.left.is_empty() && !folder.exists(), "{when}");
            }
            house.give_back(haul);
            assert!(files(&folder) == bytes, "{when}");
            same(&before, &house.records(), &when);
        }
    }
}

#[test]
fn what_is_missing_or_damaged_is_told_in_bytes() {
    let house = House::new();
    let folder = stray(&house);
    let pack = folder.join("data/pack00.bin");
    let size = fs::metadata(&pack).unwrap().len();
    fs::remove_file(&pack).unwrap();
    let wish = adoption(&folder, "quillgate", STRAY.id, None);
    let plan = planned(&house, &wish);
    let incomplete =
        |kind: &FindingKind| matches!(kind, FindingKind::Incomplete { files: 1, bytes } if *bytes == Bytes::new(size));
    assert!(plan.findings.iter().any(|finding| incomplete(&finding.kind)), "{:?}", plan.findings);
    let haul = house.haul(&plan, None).unwrap();
    assert_eq!(proof(&house, haul).to_download, Some(Bytes::new(size)));
    assert_eq!(house.judge(Launcher::Quillgate, &format!("quillgate/{}", STRAY.id)).download, size);
    house.give_back(haul);
    // With the right size and other bytes nothing is seen beforehand; every byte is read afterwards.
    fs::write(&pack, vec![3; size as usize]).unwrap();
    let plan = planned(&house, &wish);
    assert!(!plan.findings.iter().any(|f| matches!(f.kind, FindingKind::Incomplete { .. })));
    let haul = house.haul(&plan, None).unwrap();
    assert_eq!(proof(&house, haul).to_download, Some(Bytes::new(size)));
    let history = History::of(&house.site()).unwrap();
    assert_eq!(history.haul(haul).unwrap().items[0].stage, Stage::Proved { holds: false });
}

#[test]
fn a_game_is_adopted_by_hand_with_the_files_that_an_install_writes() {
    let house = House::new();
    let before = house.records();
    let folder = house.folder().join("drives/newhold/from a friend/gulls");
    crate::finds::copy(&house.folder().join("drives/swift/tolliver/gull-parliament"), &folder);
    fs::remove_file(folder.join("tolliver.ini")).unwrap();
    let bytes = files(&folder);
    let wish = Import {
        title: Some("Gulls & \"Terns\"".into()),
        program: Some("bin/start".into()),
        ..adoption(&folder, "tolliver", "tv-99", None)
    };
    let plan = planned(&house, &wish);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::NoContentList { .. })));
    let haul = house.haul(&plan, None).unwrap();
    let judged = house.judge(Launcher::Tolliver, "tolliver/tv-99");
    assert!(judged.content() && judged.folder == plan.items[0].to, "{judged:?}");
    assert!(surveyed(&house).games.iter().any(|game| game.found.title == "Gulls & \"Terns\""));
    house.give_back(haul);
    assert!(files(&folder) == bytes);
    same(&before, &house.records(), "returned");
}

#[test]
fn what_is_known_already_or_only_the_launcher_can_write_is_refused() {
    let house = House::new();
    let folder = stray(&house);
    let stop = |wish: &Import, test: &dyn Fn(&FindingKind) -> bool| {
        let plan = planned(&house, wish);
        assert!(plan.blocked() && plan.findings.iter().any(|f| test(&f.kind)), "{wish:?}: {:?}", plan.findings);
    };
    let unchangeable = |kind: &FindingKind| matches!(kind, FindingKind::RecordsUnchangeable { .. });
    let bad = |kind: &FindingKind| matches!(kind, FindingKind::BadPlace { .. });
    stop(&adoption(&folder, "quillgate", "qg-0107", None), &unchangeable);
    stop(&adoption(&folder, "parlour-lamp", "small", None), &unchangeable);
    stop(&adoption(&folder, "quillgate", "../x", None), &unchangeable);
    stop(&adoption(Path::new("/usr/share"), "quillgate", "x", None), &bad);
    stop(&adoption(&house.home(), "quillgate", "x", None), &bad);
    let installed = house.folder().join("drives/swift/quillgate/saltflat-rally");
    stop(&adoption(&installed, "quillgate", "x", None), &bad);
    stop(&adoption(&installed.join("data"), "quillgate", "x", None), &bad);
    stop(&adoption(&folder, "nobody", "x", None), &|kind| matches!(kind, FindingKind::NoDestination { .. }));
}

#[test]
fn what_a_launcher_makes_of_a_folder_by_itself_is_watched() {
    let house = House::new();
    let db = house.home().join(".local/share/parlour-lamp/lamp.db");
    let folder = house.folder().join("drives/cellar/lamp/Tidewright");
    let wish = adoption(&folder, "parlour-lamp", "tidewright", None);
    let look = || watch_import(&house.site(), &surveyed(&house), &wish);
    assert!(look().listed && look().whole);
    rusqlite::Connection::open(&db).unwrap().execute("delete from lit where key = 'tidewright'", []).unwrap();
    assert!(!look().listed && look().whole);
    fs::remove_file(folder.join("bin/start")).unwrap();
    assert!(!look().whole);
}

/// Kills what a plan does at many of its acts, resumes it and undoes it, or undoes it at once, and sees that all is as it was.
pub fn killed_at_many_acts(house: &House, step: usize, plan: &dyn Fn() -> Plan, holds: &dyn Fn(&str)) {
    let before = house.records();
    for (from, resumes) in both_ways((0..).step_by(step)) {
        let gate = Killed { acts: AtomicUsize::new(0), from };
        let result = house.haul(&plan(), Some(Arc::new(gate)));
        let site = house.site();
        let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
        assert!(result.is_ok() || unfinished.is_some(), "act {from}");
        let id = journal.hauls().unwrap()[0].id;
        if result.is_err() && resumes {
            Haul::of(&site, &journal, id).unwrap().run(&|_| {}, &Control::default()).unwrap();
            holds(&format!("resumed after act {from}"));
        }
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap_or_else(|e| panic!("act {from}: {e}"));
        drop(journal);
        same(&before, &house.records(), &format!("act {from}"));
        if result.is_ok() {
            return assert!(from > 3 * step, "{from}");
        }
    }
}

#[test]
fn an_adoption_killed_at_any_act_is_whole_or_undone_and_the_stray_is_never_touched() {
    let house = House::new();
    let folder = stray(&house);
    let bytes = files(&folder);
    let game = format!("quillgate/{}", STRAY.id);
    for (to, step) in [(None, 1), (Some("newhold"), 5)] {
        let plan = || planned(&house, &adoption(&folder, "quillgate", STRAY.id, to));
        killed_at_many_acts(&house, step, &plan, &|when| {
            assert!(house.judge(Launcher::Quillgate, &game).content(), "{when}");
            assert!(files(&folder) == bytes, "{when}");
        });
        assert!(files(&folder) == bytes);
    }
}
