//! A launcher of which nothing is known but what it keeps in the registry: learned from its games, and moved by what was learned.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use deft_barge_core::trace::{trace, usual_places};

use crate::world::{Kept, declared, fill, said};

const GAMES: [&str; 3] = ["Fen", "Moor & Two", "Öd"];

#[test]
fn what_a_launcher_keeps_in_the_registry_is_learned_and_moved_and_comes_back() {
    let (_folder, top) = declared(&["swift", "newhold"]);
    let kept = Kept::of("Skua", &top);
    let place = |drive: &str, game: &str| top.join("drives").join(drive).join("skua").join(game);
    kept.set("", "Version", 1, "4.1");
    for (n, game) in GAMES.into_iter().enumerate() {
        let at = place("swift", game);
        fs::create_dir_all(at.join("bin")).unwrap();
        fs::write(at.join("bin").join("go.exe"), format!("MZ {n}")).unwrap();
        fs::write(at.join("data.pak"), vec![n as u8; 200_000 + n]).unwrap();
        let below = format!("\\Games\\{}", 1000 + n);
        kept.set(&below, "Title", 1, game);
        kept.set(&below, "Path", 1, at.to_str().unwrap());
        kept.set(&below, "Start", 2, &format!("\"{}\" -w", at.join("bin").join("go.exe").to_str().unwrap()));
        kept.set(&below, "Bytes", 4, &(200_004 + n).to_string());
    }
    let before = kept.all();
    let site = Site::of_world(&top).unwrap();

    let game = place("swift", GAMES[1]);
    let found = trace(&site, &game, &usual_places(&site, &game), &|_| {});
    assert!(found.finds.iter().any(|find| find.record.text.contains("Moor & Two")), "{:?}", found.finds);

    let learned = learn(&site, &[], &[], &|_| {}).launchers;
    let [launcher] = learned.as_slice() else { panic!("{learned:?}") };
    assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{}", launcher.profile);
    assert!(launcher.profile.contains("{registry}/HKEY_CURRENT_USER/Software/Skua"), "{}", launcher.profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("skua.toml"), &launcher.profile).unwrap();
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for one in found.games.iter().filter(|one| one.found.install == game) {
        draft.send(one.id.clone(), Destination::Drive("newhold".into()));
    }
    let plan = plan_of(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let id = haul.id();
    let end = haul.run(&|_| {}, &Control::default()).unwrap();
    assert!(!end.differs(), "{end:?}");
    let (old, new) = (game.to_str().unwrap(), place("newhold", GAMES[1]));
    let moved: Vec<String> = said(&before).iter().map(|line| line.replace(old, new.to_str().unwrap())).collect();
    assert_eq!(kept.said(), moved);
    assert!(Path::new(&new).join("data.pak").exists());
    undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    assert_eq!(kept.all(), before);
    assert!(!PathBuf::from(&new).exists());
}

#[test]
fn a_new_library_is_a_key_as_its_launcher_would_have_written_it_and_is_gone_when_the_haul_is_undone() {
    let (_folder, top) = declared(&["swift", "cellar", "newhold"]);
    let kept = Kept::of("Skua", &top);
    let library = |drive: &str| top.join("drives").join(drive).join("skua");
    for (n, drive) in ["swift", "cellar"].into_iter().enumerate() {
        kept.set(&format!("\\Shelves\\{}", n + 1), "At", 1, library(drive).to_str().unwrap());
    }
    // What comes behind it in the registry's own order, so that a new key stands between others.
    kept.set("\\Zones", "On", 4, "1");
    let drives = ["swift", "cellar", "swift"];
    for (n, game) in GAMES.into_iter().enumerate() {
        let at = library(drives[n]).join(game);
        fill(&at, &[("bin/go.exe", 0), ("data.pak", 200_000 + n)]);
        fs::write(at.join("bin").join("go.exe"), format!("MZ {n}")).unwrap();
        let below = format!("\\Games\\k{n}");
        kept.set(&below, "Title", 1, game);
        kept.set(&below, "At", 1, at.to_str().unwrap());
    }
    let before = kept.all();
    let site = Site::of_world(&top).unwrap();
    let learned = learn(&site, &[], &[], &|_| {}).launchers;
    let [launcher] = learned.as_slice() else { panic!("{learned:?}") };
    assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{}", launcher.profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("skua.toml"), &launcher.profile).unwrap();
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for one in found.games.iter().filter(|one| one.found.title == GAMES[2]) {
        draft.send(one.id.clone(), Destination::Drive("newhold".into()));
    }
    let plan = plan_of(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}\n{}", plan.findings, launcher.profile);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let id = haul.id();
    haul.run(&|_| {}, &Control::default()).unwrap();
    let (now, at) = (kept.said(), library("newhold"));
    let says = |key: &str, path: &Path| format!("{key:?} \"At\" {}", path.display());
    assert!(now.contains(&says("Shelves\\3", &at)), "{now:#?}\n{}", launcher.profile);
    assert!(now.contains(&says("Games\\k2", &at.join(GAMES[2]))), "{now:#?}");
    assert_eq!(now.len(), said(&before).len() + 1, "{now:#?}");
    undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    assert_eq!(kept.all(), before);
}
