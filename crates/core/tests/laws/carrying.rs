//! Carrying: a library and a portable launcher go to a drive as one item, with what another PC needs beside them.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::audit::keep;
use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::Control;
use deft_barge_core::item::Policy;
use deft_barge_core::pack::{
    add_to_survey, beside, bring_installer, check_needs, installers, plan_card, read_carried, subject, traced,
};
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::survey::{GameId, survey};
use deft_barge_harbor::launchers::Launcher;

use crate::house::{House, same};

fn planned(house: &House, folder: &Path, to: &str) -> Plan {
    let site = house.site();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let trace = traced(&site, folder, &|_| {});
    let id = add_to_survey(&site, &mut survey, &trace);
    let mut draft = Draft::default();
    draft.send(id, Destination::Drive(to.into()));
    plan(&site, &survey, &draft, Policy::Hold)
}

/// Puts installers and card beside a folder; gives the haul of the card.
fn packed(house: &House, word: &str, folder: &Path) -> HaulId {
    let site = house.site();
    let survey = survey(&site, Vec::new(), &|_| {});
    let carried = subject(&survey, word, folder).unwrap();
    let found = survey.found.iter().find(|found| Some(&found.profile.id) == carried.launcher.as_ref()).unwrap();
    for (from, to) in installers(&site, found, &carried.path) {
        bring_installer(&site, &from, &to).unwrap();
    }
    let id = GameId(format!("carry/{}", carried.path.display()));
    let kept = keep(&site, &id, &carried.path, &|_| {}, &Control::default()).unwrap();
    let plan = plan_card(&site, &survey, &carried, &kept);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    house.haul(&plan, None).unwrap()
}

#[test]
fn a_whole_library_goes_and_comes_back_and_its_launcher_is_content_with_every_game() {
    let house = House::new();
    let before = house.records();
    // Its own folder is no portable one: it has to lie where it lies.
    let known = survey(&house.site(), Vec::new(), &|_| {});
    assert!(!subject(&known, "quillgate", Path::new("quillgate")).unwrap().portable);
    assert!(subject(&known, "wickerbox", Path::new("wickerbox")).unwrap().portable);
    let folder = house.folder().join("drives/cellar/quillgate");
    assert!(subject(&known, "", &folder).unwrap().portable);
    let games = ["quillgate/qg-0095", "quillgate/qg-0088"];
    // The disk cannot read one game; that one is not carried.
    fs::rename(folder.join("brass-herons"), house.folder().join("herons")).unwrap();
    let plan = planned(&house, &folder, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    assert_eq!((plan.items.len(), plan.items[0].processes.as_slice()), (1, &["quillgate".to_string()][..]));
    let haul = house.haul(&plan, None).unwrap();
    let there = house.folder().join("drives/newhold/carried/quillgate");
    for game in games {
        let judged = house.judge(Launcher::Quillgate, game);
        assert!(judged.content() && judged.folder.starts_with(&there), "{judged:?}");
    }
    house.give_back(haul);
    fs::rename(house.folder().join("herons"), folder.join("brass-herons")).unwrap();
    same(&before, &house.records(), "returned");
    assert!(games.iter().all(|game| house.judge(Launcher::Quillgate, game).content()));
}

#[test]
fn a_portable_launcher_is_packed_checked_elsewhere_and_led_right_there() {
    let house = House::new();
    let before = house.records();
    let stick = house.folder().join("drives/pocket/wickerbox");
    assert!(house.judge(Launcher::Wickerbox, "wickerbox/wb-01").content());
    let plan = planned(&house, &stick, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let haul = house.haul(&plan, None).unwrap();
    let folder = house.folder().join("drives/newhold/carried/wickerbox");
    assert!(house.judge(Launcher::Wickerbox, "wickerbox/wb-01").content());
    let card = packed(&house, "Wickerbox", &folder);
    // The list of checksums are right, file by file.
    let sums = fs::read_to_string(beside(&folder).join("checksums.b3")).unwrap();
    let files: Vec<(&str, &str)> = sums.lines().map(|line| line.split_once("  ").unwrap()).collect();
    assert!(files.len() > 6);
    for (hash, path) in files {
        assert_eq!(blake3::hash(&fs::read(folder.join(path)).unwrap()).to_hex().as_str(), hash, "{path}");
    }
    let text = fs::read_to_string(beside(&folder).join("READ ME FIRST.txt")).unwrap();
    for part in ["Tern Island", "Weave player", "installers/weave-player.run", "b3sum -c", "How to start it"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    // On another PC: another path, other programs.
    let elsewhere = house.folder().join("other/pc/wickerbox");
    crate::finds::copy(&folder, &elsewhere);
    crate::finds::copy(&beside(&folder), &beside(&elsewhere));
    let carried = read_carried(&elsewhere).unwrap();
    assert_eq!(carried.place, folder);
    let programs = [PathBuf::from("/bin"), house.folder().join("nowhere")];
    let met = check_needs(&elsewhere, &carried.needs, &programs);
    let found: Vec<bool> = met.iter().map(|met| met.found.is_some()).collect();
    assert_eq!(found, [true, true, false]);
    assert!(met[2].installer_at.as_ref().unwrap().is_file());
    assert!(check_needs(&elsewhere, &carried.needs, &[]).iter().filter(|met| met.found.is_some()).count() == 1);
    // Its own records are led to where it lies now.
    let old = house.folder().join("gone");
    fs::rename(&folder, &old).unwrap();
    let link = house.home().join(".local/share/wickerbox");
    fs::remove_file(&link).unwrap();
    std::os::unix::fs::symlink(&elsewhere, &link).unwrap();
    assert!(!house.judge(Launcher::Wickerbox, "wickerbox/wb-01").content());
    let anchored = house.haul(&crate::anchors::planned(&house, &folder, &elsewhere), None).unwrap();
    let judged = house.judge(Launcher::Wickerbox, "wickerbox/wb-01");
    assert!(judged.content() && judged.folder.starts_with(&elsewhere), "{judged:?}");
    house.give_back(anchored);
    fs::rename(&old, &folder).unwrap();
    fs::remove_file(&link).unwrap();
    std::os::unix::fs::symlink(&folder, &link).unwrap();
    fs::remove_dir_all(house.folder().join("other")).unwrap();
    house.give_back(card);
    assert!(!beside(&folder).join("checksums.b3").exists());
    house.give_back(haul);
    same(&before, &house.records(), "returned");
}
