//! Launchers that change how they write after they were learned: nothing is moved by what was learned before, what changed is said, and
//! learned again they are moved as before.

use std::fs;

use deft_barge_core::haul::{Control, Haul};
use deft_barge_core::item::{FindingKind, Policy};
use deft_barge_core::journal::Journal;
use deft_barge_core::launcher::load_profiles;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, LibraryWish, plan, plan_library};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::made_launchers::{Change, MadeWorld};

fn learn_one(site: &Site, what: &str) -> Option<deft_barge_core::learn::LearnedLauncher> {
    let (profiles, broken) = load_profiles(&site.profile_folder());
    assert!(broken.is_empty(), "{what}: {broken:?}");
    let mut learned = learn(site, &[], &profiles, &|_| {}).launchers;
    assert!(learned.len() < 2, "{what}: {learned:?}");
    learned.pop()
}

fn save(site: &Site, profile: &str) {
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("learned.toml"), profile).unwrap();
}

/// Tries a change; whether the launcher could be learned before and after it.
fn try_change(seed: u64, change: Change) -> (bool, bool) {
    let mut world = MadeWorld::new(seed);
    let site = world.site();
    let what = format!("seed {seed}, {change:?}: {:?}", world.style);
    let Some(launcher) = learn_one(&site, &what).filter(|launcher| launcher.doubt.is_none()) else {
        return (false, false);
    };
    save(&site, &launcher.profile);
    assert!(learn_one(&site, &what).is_none(), "{what}: known, and learned once more\n{}", launcher.profile);
    if !world.change(change) {
        return (false, false);
    }
    let found = survey(&site, Vec::new(), &|_| {});
    let drift = found.launchers[0].drift.clone();
    assert!(drift.is_some(), "{what}: nothing is said\n{}", launcher.profile);
    for game in &found.games {
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        let stops = plan.findings.iter().any(|finding| matches!(finding.kind, FindingKind::LauncherChanged { .. }));
        assert!(stops && plan.blocked(), "{what}: {:?}", plan.findings);
    }
    let wish = LibraryWish::New("newhold".into());
    assert!(plan_library(&site, &found, &launcher.id, &wish).blocked(), "{what}: a library is made known");
    let again = learn_one(&site, &what).unwrap_or_else(|| panic!("{what}: not looked at again, {drift:?}"));
    if again.doubt.is_some() {
        return (true, false);
    }
    assert!(again.again && again.id == launcher.id, "{what}: another launcher, {}", again.id);
    save(&site, &again.profile);
    let found = survey(&site, Vec::new(), &|_| {});
    assert_eq!((&found.launchers[0].drift, found.games.len()), (&None, world.games.len()), "{what}\n{}", again.profile);
    let game = found.games.iter().find(|game| game.found.install.to_str() == Some(&world.games[0].path())).unwrap();
    let mut draft = Draft::default();
    draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    let plan = plan(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{what}: {:?}\n{}", plan.findings, again.profile);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let mut now = world.games.clone();
    now[0].root = plan.items[0].to.parent().unwrap().to_str().unwrap().into();
    world.judge(&now).unwrap_or_else(|why| panic!("{what}\n{}\nmoved: {why}", again.profile));
    (true, true)
}

#[test]
fn a_launcher_that_writes_otherwise_than_learned_is_stopped_and_learned_again() {
    let seeds = if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() { 120 } else { 10 };
    let only: Option<u64> = std::env::var("DEFT_BARGE_SEED").ok().and_then(|seed| seed.parse().ok());
    let (mut tried, mut learned) = (0, 0);
    let mut wrong = Vec::new();
    for seed in only.map_or(0..seeds, |seed| seed..seed + 1) {
        for change in [Change::PathCalledOtherwise, Change::AnotherPath] {
            match std::panic::catch_unwind(|| try_change(seed, change)) {
                Ok((before, after)) => {
                    tried += usize::from(before);
                    learned += usize::from(after);
                }
                Err(why) => wrong.push(why.downcast_ref::<String>().cloned().unwrap_or_default()),
            }
        }
    }
    println!("{learned} of {tried} learned again");
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
    assert!(only.is_some() || (learned * 10 >= tried * 9 && tried as u64 > seeds), "{learned} of {tried}");
}
