//! Re-anchoring: a drive has another path, and all launchers find their games again by one act that can be undone.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, HaulError, undo_haul};
use deft_barge_core::item::FindingKind;
use deft_barge_core::journal::Journal;
use deft_barge_core::launcher::PlaceFault;
use deft_barge_core::plan::{Anchor, Plan, anchors, plan_anchor};
use deft_barge_core::survey::{Survey, survey};
use deft_barge_harbor::launchers::Launcher;

use crate::house::{House, same};

/// Mounts a drive of the world elsewhere.
pub fn mount_elsewhere(house: &House, from: &str, to: &str) -> (PathBuf, PathBuf) {
    let (old, new) = (house.folder().join(from), house.folder().join(to));
    fs::create_dir_all(new.parent().unwrap()).unwrap();
    fs::rename(&old, &new).unwrap();
    let file = house.folder().join("world.toml");
    let world = fs::read_to_string(&file).unwrap();
    fs::write(&file, world.replace(&format!("root = \"{from}\""), &format!("root = \"{to}\""))).unwrap();
    (old, new)
}

fn surveyed(house: &House) -> Survey {
    survey(&house.site(), Vec::new(), &|_| {})
}

pub fn planned(house: &House, old: &Path, new: &Path) -> Plan {
    plan_anchor(&house.site(), &surveyed(house), old, new, &|_| {})
}

const ON_CELLAR: [(Launcher, &str); 5] = [
    (Launcher::Quillgate, "quillgate/qg-0095"),
    (Launcher::Quillgate, "quillgate/qg-0088"),
    (Launcher::Ninepin, "ninepin/np-03"),
    (Launcher::ParlourLamp, "parlour-lamp/tidewright"),
    (Launcher::FathomRow, "fathom-row/fr-21"),
];
const ON_POCKET: [(Launcher, &str); 2] =
    [(Launcher::Quillgate, "quillgate/qg-0152"), (Launcher::Tolliver, "tolliver/tv-12")];

fn content(house: &House, games: &[(Launcher, &str)], below: &Path) {
    for (launcher, game) in games {
        let judged = house.judge(*launcher, game);
        assert!(judged.content(), "{game}: {judged:?}");
        assert!(judged.folder.canonicalize().unwrap().starts_with(below), "{game}: {judged:?}");
    }
}

#[test]
fn a_drive_under_another_path_is_found_by_its_id_and_all_launchers_are_content_after_one_act() {
    for (from, to, games) in
        [("drives/cellar", "mnt/the keller", &ON_CELLAR[..]), ("drives/pocket", "drives/pocket (1)", &ON_POCKET[..])]
    {
        let house = House::new();
        house.site().remember_drives().unwrap();
        content(&house, games, &house.folder().join(from));
        let before = house.records();
        let (old, new) = mount_elsewhere(&house, from, to);
        let site = house.site();
        let survey = surveyed(&house);
        let found = anchors(&site, &survey);
        let Some(Anchor { known: true, led, .. }) = found.iter().find(|a| a.old == old && a.new == new) else {
            panic!("{found:?}");
        };
        assert!(*led > 0);
        let plan = planned(&house, &old, &new);
        assert!(!plan.blocked(), "{:?}", plan.findings);
        assert_eq!(plan.items.len(), 1, "one act for all launchers");
        let haul = house.haul(&plan, None).unwrap();
        content(&house, games, &new);
        let after = surveyed(&house);
        let on_it = |survey: &Survey| survey.games.iter().filter(|game| game.found.install.starts_with(&new)).count();
        assert!(on_it(&after) >= games.len() && after.games.iter().all(|game| game.fault().is_none()));
        assert!(anchors(&site, &after).is_empty());
        // Spelled by a drive letter, a record stays: the letter leads there now.
        let lanes = fs::read_to_string(house.home().join(".config/ninepin/lanes.toml")).unwrap();
        assert!(lanes.contains("D:/ninepin/"), "{lanes}");
        house.give_back(haul);
        mount_elsewhere(&house, to, from);
        same(&before, &house.records(), from);
        content(&house, games, &old);
    }
}

#[test]
fn a_game_on_a_drive_that_is_away_is_away_and_not_lost() {
    let house = House::new();
    house.site().remember_drives().unwrap();
    let file = house.folder().join("world.toml");
    let world = fs::read_to_string(&file).unwrap();
    let start = world.find("[[drives]]\ntag = 3").unwrap();
    let end = world[start + 5..].find("[[drives]]").map_or(world.len(), |n| start + 5 + n);
    fs::write(&file, format!("{}{}", &world[..start], &world[end..])).unwrap();
    fs::rename(house.folder().join("drives/pocket"), house.folder().join("unplugged")).unwrap();
    let survey = surveyed(&house);
    let lanterns = survey.games.iter().find(|game| game.found.title == "Nine Tin Lanterns").unwrap();
    assert_eq!(lanterns.fault(), Some(&PlaceFault::Away("pocket".into())));
    assert!(anchors(&house.site(), &survey).is_empty());
    // A game that is really gone is not taken for one that is away.
    fs::remove_dir_all(house.folder().join("drives/swift/lamp/pale-signal")).unwrap();
    let survey = surveyed(&house);
    let pale = survey.games.iter().find(|game| game.found.title == "Pale Signal").unwrap();
    assert_eq!(pale.fault(), Some(&PlaceFault::Missing));
}

#[test]
fn a_drive_that_was_never_seen_is_found_by_what_lies_on_it() {
    let house = House::new();
    let (old, new) = mount_elsewhere(&house, "drives/cellar", "mnt/keller");
    let found = anchors(&house.site(), &surveyed(&house));
    assert!(found.iter().any(|anchor| !anchor.known && anchor.old == old && anchor.new == new), "{found:?}");
}

#[test]
fn what_cannot_be_an_anchor_is_refused_and_a_launcher_that_writes_meanwhile_stops_it() {
    let house = House::new();
    let (old, new) = mount_elsewhere(&house, "drives/cellar", "mnt/keller");
    let refused = |old: &Path, new: &Path| {
        let plan = planned(&house, old, new);
        assert!(plan.blocked() && plan.items.is_empty(), "{}: {:?}", old.display(), plan.findings);
        plan.findings[0].kind.clone()
    };
    assert!(matches!(refused(Path::new("/"), &new), FindingKind::NoDestination { .. }));
    assert!(matches!(refused(&house.home(), &new), FindingKind::NoDestination { .. }));
    assert!(matches!(refused(&old, Path::new("/nowhere")), FindingKind::NoDestination { .. }));
    assert!(matches!(refused(&old, &old.join("in")), FindingKind::NoDestination { .. }));
    assert!(matches!(refused(&house.folder().join("drives"), &new), FindingKind::TargetThere { .. }));
    assert!(matches!(refused(Path::new("/never/seen/before"), &new), FindingKind::NothingLeadsThere { .. }));
    let plan = planned(&house, &old, &new);
    fs::create_dir_all(old.join("quillgate")).unwrap();
    assert!(matches!(refused(&old, &new), FindingKind::TargetThere { .. }), "another drive is there now");
    fs::remove_dir_all(&old).unwrap();
    // A record that changes between the plan and the act: nothing is half done.
    let rooms = house.home().join(".config/quillgate/rooms.json");
    let text = fs::read_to_string(&rooms).unwrap();
    fs::write(&rooms, text.replace("cellar/quillgate", "cellar/quillgate2")).unwrap();
    let before = house.records();
    let result = house.haul(&plan, None);
    assert!(matches!(result, Err(HaulError::Edit(_))), "{result:?}");
    let site = house.site();
    let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, unfinished.unwrap().id, &|_| {}, &Control::default()).unwrap();
    same(&before, &house.records(), "given up");
}

#[test]
fn re_anchoring_killed_at_any_act_leads_all_records_to_one_of_both_paths() {
    let house = House::new();
    let (old, new) = mount_elsewhere(&house, "drives/cellar", "mnt/keller");
    crate::adopting::killed_at_many_acts(&house, 2, &|| planned(&house, &old, &new), &|when| {
        for (launcher, game) in ON_CELLAR {
            assert!(house.judge(launcher, game).content(), "{when}: {game}");
        }
    });
}
