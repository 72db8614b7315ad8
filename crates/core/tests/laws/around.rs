//! Everything around the games: user data goes in each of its ways and comes back, shortcuts and links go with their
//! game, and what could be dangerous is shown and never followed.

mod settings;

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::os::unix::fs::{MetadataExt, symlink};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Policy, Stage};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::launcher::PlaceFault;
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::survey::{Survey, UserData, Way, survey};
use deft_barge_harbor::launchers::{Launcher, saves_of};

use crate::acts::both_ways;
use crate::house::{House, same};

fn surveyed(house: &House) -> Survey {
    let site = house.site();
    let held = History::of(&site).unwrap().held(&site);
    survey(&site, held, &|_| {})
}

fn data<'a>(survey: &'a Survey, title: &str) -> &'a UserData {
    survey
        .user_data
        .iter()
        .find(|data| data.title == title)
        .unwrap_or_else(|| panic!("{title}: {:#?}", survey.user_data))
}

fn planned(house: &House, what: &str, to: &str, way: Option<Way>) -> Plan {
    let survey = surveyed(house);
    let id = match survey.find_games(what).first() {
        Some(game) => game.id.clone(),
        None => data(&survey, what).id.clone(),
    };
    let mut draft = Draft::default();
    draft.send_by(id, Destination::Drive(to.into()), way);
    plan(&house.site(), &survey, &draft, Policy::Hold)
}

fn release(house: &House, haul: HaulId) {
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let removed = release_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    assert_eq!(removed.left, []);
}

/// Bytes and times of the files below a folder, through a link in its place.
pub fn files(root: &Path) -> BTreeMap<PathBuf, (i64, Vec<u8>)> {
    let (root, mut out) = (root.canonicalize().unwrap(), BTreeMap::new());
    let mut waiting = vec![root.clone()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(folder).unwrap().flatten() {
            let (path, meta) = (entry.path(), entry.metadata().unwrap());
            if meta.is_dir() {
                waiting.push(path);
            } else if meta.is_file() {
                out.insert(path.strip_prefix(&root).unwrap().into(), (meta.mtime(), fs::read(&path).unwrap()));
            }
        }
    }
    out
}

fn is_folder(path: &Path) -> bool {
    path.symlink_metadata().unwrap().is_dir()
}

#[test]
fn user_data_is_known_with_its_size_its_ways_and_what_it_lies_behind() {
    let house = House::new();
    let survey = surveyed(&house);
    let mods = data(&survey, "Pale Signal: mods");
    let game = survey.game(mods.game.as_ref().unwrap()).unwrap();
    assert_eq!(mods.ways, [Way::Link]);
    let larger = house.home().join(".local/share/pale-signal/mods");
    assert_eq!(mods.path, larger);
    assert!(mods.size.files == 2 && game.found.title == "Pale Signal");
    let orchard = data(&survey, "Orchard of Nine Bells: saves");
    assert_eq!(orchard.ways, [Way::Setting, Way::Link]);
    assert!(orchard.setting.as_ref().unwrap().ends_with(".config/orchard/settings.toml"));
    let linked = data(&survey, "Paper Estuary: saves");
    assert_eq!(linked.link.as_deref(), Some(house.folder().join("drives/cellar/saves/paper-estuary").as_path()));
    assert_eq!(linked.drive.as_deref(), Some("cellar"));
    assert_eq!(data(&survey, "Documents (user directory)").ways, [Way::Directory, Way::Link]);
    assert_eq!(data(&survey, "Saltflat Rally: saves").size.files, 2);
    // A game does not hide what of it lies elsewhere.
    let plan = planned(&house, "Pale Signal", "newhold", None);
    assert!(
        plan.findings
            .iter()
            .any(|f| matches!(&f.kind, FindingKind::DataStays { what, .. } if what == "Pale Signal: mods"))
    );
}

#[test]
fn each_way_brings_the_same_bytes_and_a_return_brings_all_back_before_and_after_the_release() {
    let house = House::new();
    let home = house.home();
    // On the drive that it goes to, it is renamed.
    let maps = house.folder().join("drives/swift/maps");
    fs::create_dir_all(maps.join("north")).unwrap();
    fs::write(maps.join("north/pole.map"), "white").unwrap();
    fs::write(
        home.join(".config/deft-barge/user-data.toml"),
        format!(
            "format = 1\n[[user-data]]\ngame = \"quillgate/qg-0131\"\nkind = \"content\"\npath = \"{}\"\n",
            maps.display()
        ),
    )
    .unwrap();
    let before = house.records();
    let cases = [
        ("Moss & Meridian: custom content", Way::Link, "swift", maps.clone()),
        ("Moss & Meridian: custom content", Way::Link, "pocket", maps),
        ("Pale Signal: mods", Way::Link, "newhold", home.join(".local/share/pale-signal/mods")),
        ("Saltflat Rally: saves", Way::Link, "cellar", home.join("Documents/My Games/Saltflat Rally")),
        ("Orchard of Nine Bells: saves", Way::Link, "newhold", home.join(".local/share/orchard-saves")),
        ("Orchard of Nine Bells: saves", Way::Setting, "pocket", home.join(".local/share/orchard-saves")),
        ("Documents (user directory)", Way::Directory, "newhold", home.join("Documents")),
        // From one outside drive to another: the link is retargeted together with what lies behind it.
        ("Paper Estuary: saves", Way::Link, "newhold", home.join(".local/share/paper-estuary")),
    ];
    for (what, way, to, place) in &cases {
        let bytes = files(place);
        for released in [false, true] {
            let when = format!("{what} {way:?}, released: {released}");
            let was_link = place.is_symlink();
            let plan = planned(&house, what, to, Some(*way));
            assert!(!plan.blocked(), "{when}: {:?}", plan.findings);
            let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
            let there = &plan.items[0].to;
            assert!(there.starts_with(house.folder().join("drives").join(to)), "{when}");
            assert!(files(there) == bytes, "{when}");
            if *way == Way::Link {
                assert_eq!(fs::read_link(place).unwrap(), *there, "{when}");
            }
            if *what == "Orchard of Nine Bells: saves" {
                assert_eq!(saves_of(&home, "orchard").unwrap(), ["bells.sav"], "{when}");
            }
            let survey = surveyed(&house);
            if *way != Way::Directory {
                let now = data(&survey, what);
                assert_eq!((now.drive.as_deref(), &now.place), (Some(*to), there), "{when}");
            }
            let renamed = plan.items[0].mode == deft_barge_core::item::Strategy::Rename;
            assert_eq!(survey.held.len(), usize::from(!renamed), "{when}");
            if released {
                if !renamed {
                    release(&house, haul);
                }
                assert!(!plan.items[0].from.exists(), "{when}");
                assert_eq!(renamed, *to == "swift", "{when}");
                assert!(files(there) == bytes, "{when}: what is left is the copy");
            }
            house.give_back(haul);
            assert!(files(place) == bytes, "{when}: returned");
            assert_eq!(place.is_symlink(), was_link, "{when}");
            assert!(!there.exists(), "{when}");
            same(&before, &house.records(), &when);
        }
    }
}

#[test]
fn user_data_in_a_directory_that_goes_as_well_is_a_stop() {
    let house = House::new();
    let survey = surveyed(&house);
    let mut draft = Draft::default();
    for title in ["Documents (user directory)", "Saltflat Rally: saves"] {
        draft.send(data(&survey, title).id.clone(), Destination::Drive("newhold".into()));
    }
    let plan = plan(&house.site(), &survey, &draft, Policy::Hold);
    assert!(plan.blocked() && plan.findings.iter().any(|f| matches!(f.kind, FindingKind::SharesFolder { .. })));
}

/// Fails every act from the n-th on, as if the program had been killed there.
#[derive(Debug)]
pub struct Killed {
    pub acts: AtomicUsize,
    pub from: usize,
}

impl Gate for Killed {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        if act.only_reads() {
            return Ok(());
        }
        let nth = self.acts.fetch_add(1, Ordering::SeqCst);
        if nth >= self.from { Err(io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn killed_at_any_act_the_old_place_leads_to_all_of_it_and_the_haul_resumes_or_returns() {
    let house = House::new();
    let place = house.home().join(".local/share/pale-signal/mods");
    let (bytes, before) = (files(&place), house.records());
    let mut kills = 0;
    for (from, resumes) in both_ways(0..) {
        let plan = planned(&house, "Pale Signal: mods", "newhold", None);
        let gate = Arc::new(Killed { acts: AtomicUsize::new(0), from });
        let result = house.haul(&plan, Some(gate));
        assert!(files(&place) == bytes, "killed at act {from}");
        let site = house.site();
        let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
        let id = journal.hauls().unwrap()[0].id;
        if result.is_err() && resumes {
            Haul::of(&site, &journal, id).unwrap().run(&|_| {}, &Control::default()).unwrap();
            assert!(files(&place) == bytes && place.is_symlink(), "resumed after act {from}");
        }
        assert!(unfinished.is_some() || result.is_ok(), "act {from}");
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap_or_else(|e| panic!("act {from}: {e}"));
        drop(journal);
        assert!(is_folder(&place) && files(&place) == bytes, "returned after act {from}");
        same(&before, &house.records(), &format!("act {from}"));
        if result.is_ok() {
            break;
        }
        kills += 1;
    }
    assert!(kills > 15, "{kills}");
}

#[test]
fn a_return_that_is_killed_at_any_act_ends_with_the_folder_at_its_old_place() {
    let house = House::new();
    let mods = house.home().join(".local/share/pale-signal/mods");
    let game = house.folder().join("drives/swift/lamp/pale-signal");
    for (what, way, place) in [("Pale Signal: mods", None, &mods), ("Pale Signal", Some(Way::Link), &game)] {
        let (bytes, before) = (files(place), house.records());
        // A game has many more acts; each third of them is tried.
        for from in (0..).step_by(if way.is_some() { 3 } else { 1 }) {
            let plan = planned(&house, what, "newhold", way);
            let haul = house.haul(&plan, None).unwrap();
            let mut site = house.site();
            site.disk = site.disk.and_gate(Arc::new(Killed { acts: AtomicUsize::new(0), from }));
            let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
            let result = undo_haul(&site, &journal, haul, &|_| {}, &Control::default());
            drop(journal);
            assert!(files(place) == bytes, "{what}: killed at act {from}");
            let site = house.site();
            let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
            assert!(result.is_ok() || unfinished.is_some(), "{what}: act {from}");
            if let Some(row) = unfinished {
                Haul::of(&site, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
            }
            let old = journal.haul(haul).unwrap().unwrap();
            assert_eq!(old.items[0].stage, Stage::Undone, "{what}: act {from}");
            assert!(is_folder(place) && files(place) == bytes, "{what}: act {from}");
            assert!(!plan.items[0].to.exists(), "{what}: act {from}: the copy is let go of");
            drop(journal);
            same(&before, &house.records(), &format!("{what}: act {from}"));
            assert!(house.judge(Launcher::ParlourLamp, "parlour-lamp/pale-signal").content());
            if result.is_ok() {
                assert!(from > 3, "{from}");
                break;
            }
        }
    }
}

#[test]
fn a_game_leaves_a_link_only_when_asked_and_never_instead_of_its_records() {
    let house = House::new();
    let before = house.records();
    let old = house.folder().join("drives/swift/lamp/pale-signal");
    for way in [None, Some(Way::Link)] {
        let plan = planned(&house, "Pale Signal", "newhold", way);
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let judged = house.judge(Launcher::ParlourLamp, "parlour-lamp/pale-signal");
        assert!(judged.content() && judged.folder == plan.items[0].to, "{judged:?}");
        assert_eq!(old.is_symlink(), way.is_some());
        release(&house, haul);
        assert_eq!(fs::read_link(&old).ok(), way.map(|_| plan.items[0].to.clone()));
        assert!(house.judge(Launcher::ParlourLamp, "parlour-lamp/pale-signal").content());
        house.give_back(haul);
        assert!(!plan.items[0].to.exists(), "the copy is let go of");
        assert!(is_folder(&old) && house.judge(Launcher::ParlourLamp, "parlour-lamp/pale-signal").content());
        same(&before, &house.records(), "returned");
    }
    // A drive without links holds none.
    let plan = planned(&house, "Lantern Cartographers", "newhold", Some(Way::Link));
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::NoLinkThere { .. })));
    assert!(plan.blocked());
}

#[test]
fn shortcuts_and_links_go_with_their_game_and_relative_links_stay_relative() {
    let house = House::new();
    let home = house.home();
    let before = house.records();
    let survey = surveyed(&house);
    let of = |title: &str| {
        let id = &survey.find_games(title)[0].id;
        survey.shortcuts.iter().filter(|shortcut| shortcut.game == *id).count()
    };
    assert_eq!([of("Saltflat Rally"), of("Ministry of Small Weather"), of("Pale Signal")], [1, 1, 0]);
    let plan = planned(&house, "Saltflat Rally", "newhold", None);
    let haul = house.haul(&plan, None).unwrap();
    let entry = fs::read_to_string(home.join("Desktop/Saltflat Rally.desktop")).unwrap();
    let there = house.folder().join("drives/newhold/quillgate/saltflat-rally");
    assert_eq!(entry.matches(there.to_str().unwrap()).count(), 3, "{entry}");
    assert!(entry.contains(&format!("Exec=\"{}/bin/start\" --window", there.display())));
    let link = fs::read_link(home.join("Documents/rally-files")).unwrap();
    assert_eq!(link, Path::new("../../drives/newhold/quillgate/saltflat-rally/data"));
    house.give_back(haul);
    same(&before, &house.records(), "returned");
}

#[test]
fn what_could_be_dangerous_is_shown_and_never_followed() {
    let house = House::new();
    let home = house.home();
    symlink(home.join("b"), home.join("a")).unwrap();
    symlink(home.join("a"), home.join("b")).unwrap();
    symlink(home.join("nowhere"), home.join("gone")).unwrap();
    symlink("/", home.join("all")).unwrap();
    let game = "quillgate/qg-0107";
    let mut list = String::from("format = 1\n");
    let drive = house.folder().join("drives/swift");
    let inside = drive.join("quillgate/saltflat-rally/data");
    let places =
        [home.join("a"), home.join("gone"), home.clone(), home.join("all"), "/usr/share".into(), drive, inside];
    for place in &places {
        list.push_str(&format!("[[user-data]]\ngame = \"{game}\"\nkind = \"mods\"\npath = \"{}\"\n", place.display()));
    }
    fs::write(home.join(".config/deft-barge/user-data.toml"), list).unwrap();
    let hostile = "[Desktop Entry]\nName=x\u{1b}[31m\nExec=sh -c \"touch $HOME/run; saltflat-rally `id`\" ;rm -rf $HOME/saltflat-rally\nPath=/saltflat-rally/../..\n";
    fs::write(home.join("Desktop/saltflat hostile.desktop"), hostile).unwrap();
    symlink(home.join("Desktop/loop.desktop"), home.join("Desktop/loop.desktop")).unwrap();
    let survey = surveyed(&house);
    let mut faults = Vec::new();
    for place in &places {
        let seen = survey.user_data.iter().find(|data| data.path == *place);
        faults.push(seen.and_then(|data| data.fault.clone()));
        assert!(seen.is_none_or(|data| data.ways.is_empty() && data.size.files == 0), "{}", place.display());
    }
    assert_eq!(faults[0], Some(PlaceFault::Loop));
    assert_eq!(faults[1], Some(PlaceFault::Missing));
    assert_eq!(faults[2], Some(PlaceFault::TooHigh));
    assert_eq!(faults[4..5], [Some(PlaceFault::System)]);
    assert!(faults[5].is_some() || faults[3].is_some(), "{faults:?}");
    assert!(!home.join("run").exists());
    let before = fs::read_to_string(home.join("Desktop/saltflat hostile.desktop")).unwrap();
    let plan = planned(&house, "Saltflat Rally", "newhold", None);
    let haul = house.haul(&plan, None).unwrap();
    assert_eq!(fs::read_to_string(home.join("Desktop/saltflat hostile.desktop")).unwrap(), before);
    house.give_back(haul);
}
