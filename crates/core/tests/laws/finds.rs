//! What is lying about: found as what it is, let go of only by a haul that compares or holds it, and brought back.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicUsize;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::cleanup::find;
use deft_barge_core::haul::{Control, Haul, HaulError, Removed, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Stage};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Plan, plan_removal};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{CleanupAct, CleanupFind, FindKind};
use deft_barge_core::survey::{Survey, survey};
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::world::STRAY;

use crate::acts::both_ways;
use crate::around::{Killed, files};
use crate::house::{House, same};

fn look(site: &Site) -> (Survey, Vec<CleanupFind>) {
    let history = History::of(site).unwrap();
    let survey = survey(site, history.held(site), &|_| {});
    let found = find(site, &survey, &history, &|_| {});
    (survey, found)
}

fn at<'a>(found: &'a [CleanupFind], path: &Path) -> &'a CleanupFind {
    found.iter().find(|lying| lying.path == path).unwrap_or_else(|| panic!("{}: {found:#?}", path.display()))
}

fn removal(house: &House, path: &Path, act: CleanupAct) -> Plan {
    let site = house.site();
    let (survey, found) = look(&site);
    plan_removal(&site, &survey, at(&found, path), act)
}

fn release(house: &House, haul: HaulId) -> Result<Removed, HaulError> {
    let site = house.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    release_haul(&site, &journal, haul, &|_| {}, &Control::default())
}

fn stage(house: &House, haul: HaulId) -> Stage {
    History::of(&house.site()).unwrap().haul(haul).unwrap().items[0].stage.clone()
}

/// A folder that looks like a game and that nobody knows.
fn stray(house: &House) -> PathBuf {
    let folder = house.folder().join("drives/newhold/stuff/Tin Owls");
    fs::create_dir_all(folder.join("bin")).unwrap();
    fs::write(folder.join("bin/go"), "#!/bin/sh\n").unwrap();
    fs::set_permissions(folder.join("bin/go"), fs::Permissions::from_mode(0o755)).unwrap();
    fs::write(folder.join("owls.dat"), vec![7; 100_000]).unwrap();
    folder
}

#[test]
fn each_kind_is_found_as_what_it_is_and_nothing_that_somebody_needs() {
    let house = House::new();
    let drives = house.folder().join("drives");
    let tin = stray(&house);
    fs::create_dir_all(drives.join("newhold/.deft-barge-copy-9-abcd")).unwrap();
    fs::create_dir_all(drives.join("newhold/photos")).unwrap();
    fs::write(drives.join("newhold/photos/gull.raw"), vec![1; 200_000]).unwrap();
    let own = drives.join("cellar/lamp/Tidewright");
    fs::rename(&own, drives.join("cellar/gone")).unwrap();
    let (_, found) = look(&house.site());
    let small_hours = drives.join("cellar/quillgate").join(STRAY.folder);
    let FindKind::Unlisted { fits: Some(fit), .. } = &at(&found, &small_hours).what else { panic!("{found:#?}") };
    assert_eq!((fit.id.as_str(), fit.title.as_deref(), fit.missing), (STRAY.id, Some(STRAY.title), Bytes::ZERO));
    assert!(matches!(at(&found, &tin).what, FindKind::Unlisted { programs: 1, packs: 1, fits: None }));
    let herons = drives.join("pocket/old games/brass-herons");
    assert!(
        matches!(&at(&found, &herons).what, FindKind::OldCopy { title, haul: None, .. } if title == "Brass Herons")
    );
    assert!(matches!(at(&found, &drives.join("newhold/.deft-barge-copy-9-abcd")).what, FindKind::HalfMade));
    assert!(matches!(at(&found, &house.home().join(".local/share/old-harbour")).what, FindKind::BrokenLink { .. }));
    assert!(matches!(&at(&found, &own).what, FindKind::DeadEntry { title, .. } if title == "Tidewright"));
    // Its content list is nobody's any more: the folder under its new name is known by it.
    let FindKind::Unlisted { fits: Some(fit), .. } = &at(&found, &drives.join("cellar/gone")).what else {
        panic!("{found:#?}")
    };
    assert_eq!(fit.id, "tidewright");
    assert_eq!(found.len(), 7, "{found:#?}");
    // A game that two launchers have, each with files of its own, is there twice.
    let twin = drives.join("newhold/fathom/quiet foundry");
    copy(&drives.join("cellar/ninepin/hexwood"), &twin);
    let hive = house.home().join(".config/fathom-row/layer/user.reg");
    let text = fs::read_to_string(&hive).unwrap();
    let z = |path: PathBuf| format!("Z:{}", path.to_string_lossy()).replace('/', "\\\\");
    let (old, new) = (z(drives.join("cellar/fathom/quiet foundry")), z(twin.clone()));
    fs::write(&hive, text.replace(&old, &new)).unwrap();
    let (_, found) = look(&house.site());
    let twins: Vec<&CleanupFind> =
        found.iter().filter(|lying| matches!(lying.what, FindKind::Duplicate { .. })).collect();
    assert_eq!(twins.len(), 1, "{found:#?}");
}

#[test]
fn an_old_copy_goes_only_where_it_is_the_same_and_comes_back_from_the_one_that_stays() {
    let house = House::new();
    let old = house.folder().join("drives/newhold/old games/glasswing");
    let install = house.folder().join("drives/cellar/quillgate/glasswing");
    copy(&install, &old);
    fs::write(old.join("mods/mine.txt"), "only here").unwrap();
    let (before, kept) = (files(&old), files(&install));
    // A file that only the old copy has keeps all of it.
    let haul = house.haul(&removal(&house, &old, CleanupAct::Release), None).unwrap();
    assert_eq!(stage(&house, haul), Stage::Proved { holds: false });
    assert!(matches!(release(&house, haul), Err(HaulError::Nothing(_))));
    house.give_back(haul);
    assert!(files(&old) == before);
    fs::remove_file(old.join("mods/mine.txt")).unwrap();
    // One that changed after the comparison stays.
    let before = files(&old);
    let plan = removal(&house, &old, CleanupAct::Release);
    assert!(plan.findings.iter().any(|f| matches!(&f.kind, FindingKind::ComparedWith { path } if *path == install)));
    let haul = house.haul(&plan, None).unwrap();
    assert_eq!(stage(&house, haul), Stage::Proved { holds: true });
    assert_eq!(look(&house.site()).0.held.len(), 1, "it is held and shown");
    fs::write(old.join("data/pack00.bin"), "changed").unwrap();
    assert_eq!(release(&house, haul).unwrap().left.len(), 1);
    assert_eq!(fs::read_to_string(old.join("data/pack00.bin")).unwrap(), "changed");
    fs::remove_dir_all(&old).unwrap();
    // Let go of, it comes back as a copy, and the game stays where it is.
    house.give_back(haul);
    let now = files(&old);
    assert!(now.keys().eq(before.keys()) && now.iter().all(|(path, (_, bytes))| *bytes == kept[path].1));
    assert!(files(&install) == kept && house.judge(Launcher::Quillgate, "quillgate/qg-0088").content());
    // What cannot be read of the one that stays is no reason to let go of the other.
    let herons = house.folder().join("drives/pocket/old games/brass-herons");
    let haul = house.haul(&removal(&house, &herons, CleanupAct::Release), None).unwrap();
    assert_eq!(stage(&house, haul), Stage::Proved { holds: false });
    house.give_back(haul);
}

pub fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap().flatten() {
        let (path, kind) = (entry.path(), entry.file_type().unwrap());
        let target = to.join(entry.file_name());
        if kind.is_dir() {
            copy(&path, &target);
        } else if kind.is_file() {
            fs::copy(&path, &target).unwrap();
        }
    }
}

#[test]
fn what_is_set_aside_is_held_comes_back_and_goes_for_good_only_when_it_is_released() {
    let house = House::new();
    let folder = stray(&house);
    let before = files(&folder);
    let plan = removal(&house, &folder, CleanupAct::Quarantine);
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::OnlyCopy { .. })));
    let haul = house.haul(&plan, None).unwrap();
    assert!(!folder.exists() && files(&plan.items[0].to) == before);
    let (survey, found) = look(&house.site());
    assert_eq!(survey.held[0].path, plan.items[0].to);
    assert!(!found.iter().any(|lying| lying.path == plan.items[0].to), "what is held is not lying about");
    house.give_back(haul);
    assert!(files(&folder) == before && !plan.items[0].to.exists());
    let haul = house.haul(&removal(&house, &folder, CleanupAct::Quarantine), None).unwrap();
    fs::write(plan.items[0].to.join("new"), "since").unwrap();
    let removed = release(&house, haul).unwrap();
    assert_eq!(removed.left.len(), 1, "{removed:?}");
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let back = undo_haul(&site, &journal, haul, &|_| {}, &Control::default());
    assert!(
        matches!(&back, Err(HaulError::Refused(f)) if matches!(f[0].kind, FindingKind::LetGoForGood { .. })),
        "{back:?}"
    );
}

#[test]
fn setting_aside_killed_at_any_act_leaves_the_folder_whole_under_one_name_and_resumes_or_returns() {
    let house = House::new();
    let folder = stray(&house);
    let before = files(&folder);
    for (from, resumes) in both_ways(0..) {
        let plan = removal(&house, &folder, CleanupAct::Quarantine);
        let gate = Killed { acts: AtomicUsize::new(0), from };
        let result = house.haul(&plan, Some(Arc::new(gate)));
        let aside = &plan.items[0].to;
        let whole = [&folder, aside].into_iter().filter(|place| place.is_dir()).collect::<Vec<_>>();
        assert!(whole.len() == 1 && files(whole[0]) == before, "act {from}");
        let site = house.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let id = journal.hauls().unwrap()[0].id;
        if result.is_err() && resumes {
            Haul::of(&site, &journal, id).unwrap().run(&|_| {}, &Control::default()).unwrap();
            assert!(files(aside) == before, "act {from}");
        }
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert!(files(&folder) == before && !aside.exists(), "act {from}");
        if result.is_ok() {
            return assert!(from > 1, "{from}");
        }
    }
}

#[test]
fn a_dead_entry_and_a_broken_link_go_and_come_back_to_the_same_bytes() {
    let house = House::new();
    let before = house.records();
    let game = house.folder().join("drives/cellar/quillgate/night-ferry");
    fs::rename(&game, house.folder().join("drives/cellar/away")).unwrap();
    let ledger = house.folder().join("drives/cellar/quillgate/ledger.json");
    let haul = house.haul(&removal(&house, &game, CleanupAct::Forget), None).unwrap();
    let now = fs::read_to_string(&ledger).unwrap();
    assert!(!now.contains("qg-0095") && now.contains("qg-0088"), "{now}");
    // The ledger's sum went with it: the launcher is content with the others.
    assert!(house.judge(Launcher::Quillgate, "quillgate/qg-0088").content());
    house.give_back(haul);
    let link = house.home().join(".local/share/old-harbour");
    let haul = house.haul(&removal(&house, &link, CleanupAct::RemoveLink), None).unwrap();
    assert!(link.symlink_metadata().is_err());
    house.give_back(haul);
    fs::rename(house.folder().join("drives/cellar/away"), &game).unwrap();
    same(&before, &house.records(), "returned");
}

#[test]
fn what_is_in_use_or_belongs_to_the_system_is_never_removed() {
    let house = House::new();
    let site = house.site();
    let (survey, found) = look(&site);
    let herons = at(&found, &house.folder().join("drives/pocket/old games/brass-herons"));
    let of_game = house.folder().join("drives/swift/lamp/pale-signal");
    let drive = house.folder().join("drives/swift");
    let data = house.home().join(".local/share/orchard-saves");
    for path in [of_game.clone(), of_game.join("data"), drive, house.home(), data, PathBuf::from("/usr/share")] {
        for act in [CleanupAct::Quarantine, CleanupAct::Release] {
            let lying = CleanupFind { path: path.clone(), ..herons.clone() };
            let plan = plan_removal(&site, &survey, &lying, act);
            let stop = plan.findings.iter().any(|f| matches!(f.kind, FindingKind::BadPlace { .. }));
            assert!(stop && plan.blocked(), "{}: {:?}", path.display(), plan.findings);
        }
    }
}
