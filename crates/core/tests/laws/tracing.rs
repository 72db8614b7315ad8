//! The trace: what a launcher nobody has described keeps written down is found, drafted, and moved without a profile.

mod named;
mod spellings;

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, prove_haul, undo_haul};
use deft_barge_core::item::{FindingKind, LooseFolders, Policy, Residue, Severity};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::launcher::WhyStaying;
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::record::{Content, Edit, Files, Mood};
use deft_barge_core::survey::{GameId, add_to_survey, survey};
use deft_barge_core::trace::usual_places;
use deft_barge_core::trace::{ChoiceFault, Sure, Trace, trace};
use deft_barge_harbor::launchers::Launcher;

use crate::house::{GAMES, House, same};
use crate::packers::{PACKED, packed};
use crate::port::haul_as;

const PLACES: [(&str, Launcher, &str, usize); 7] = [
    ("drives/cellar/ninepin/hexwood", Launcher::Ninepin, "np-03", 3),
    ("drives/swift/ninepin/Underhill Threshers", Launcher::Ninepin, "np-08", 3),
    ("drives/swift/lamp/pale-signal", Launcher::ParlourLamp, "pale-signal", 3),
    ("drives/cellar/fathom/quiet foundry", Launcher::FathomRow, "fr-21", 2),
    ("drives/swift/tolliver/gull-parliament", Launcher::Tolliver, "tv-11", 3),
    ("drives/swift/quillgate/saltflat-rally", Launcher::Quillgate, "qg-0107", 2),
    ("drives/cellar/quillgate/night-ferry", Launcher::Quillgate, "qg-0095", 2),
];

fn traced(house: &House, path: &Path) -> Trace {
    let site = house.site();
    trace(&site, path, &usual_places(&site, path), &|_| {})
}

fn planned(house: &House, trace: &Trace, to: &str) -> Plan {
    let site = house.site();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, trace);
    let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
    draft.send(id, Destination::Drive(to.into()));
    plan(&site, &survey, &draft, Policy::Hold)
}

#[test]
fn every_record_of_every_launcher_is_found_without_a_profile() {
    let house = House::new();
    let profiles = house.home().join(".config/deft-barge/profiles");
    fs::remove_dir_all(profiles).unwrap();
    for (place, _, id, least) in PLACES {
        let path = house.folder().join(place);
        let trace = traced(&house, &path);
        let shown: Vec<_> =
            trace.finds.iter().map(|f| (&f.record.file, &f.record.location, &f.record.text, f.sure)).collect();
        assert!(trace.finds.len() >= least, "{id}: {shown:#?}");
        assert!(trace.problems.is_empty(), "{id}: {:?}", trace.problems);
        for find in trace.sure() {
            assert!(find.record.spelling.is_empty() != find.record.meaning.base().is_some(), "{find:?}");
        }
    }
}

#[test]
fn a_folder_is_hauled_and_returned_by_its_trace_alone() {
    let house = House::new();
    fs::remove_dir_all(house.home().join(".config/deft-barge/profiles")).unwrap();
    let before = house.records();
    for (place, launcher, id, _) in &PLACES[..4] {
        let path = house.folder().join(place);
        let trace = traced(&house, &path);
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{id}: {:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let history = History::of(&house.site()).unwrap();
        let proof = history.haul(haul).unwrap().items[0].proof.clone().unwrap();
        assert!(proof.records_lead_here && proof.differ == 0 && proof.missing == 0, "{id}: {proof:?}");
        let judged = launcher.judge(&launcher.home(&house.home()), id).unwrap();
        assert!(
            judged.content() && judged.folder.starts_with(house.folder().join("drives/newhold")),
            "{id}: {judged:?}"
        );
        house.give_back(haul);
        assert!(launcher.judge(&launcher.home(&house.home()), id).unwrap().content(), "{id}");
        same(&before, &house.records(), id);
    }
}

#[test]
fn a_traced_haul_whose_records_changed_afterwards_does_not_hold_its_proof() {
    let house = House::new();
    let path = house.folder().join("drives/swift/lamp/pale-signal");
    let trace = traced(&house, &path);
    let plan = planned(&house, &trace, "newhold");
    let haul = house.haul(&plan, None).unwrap();
    let db = rusqlite::Connection::open(house.home().join(".local/share/parlour-lamp/lamp.db")).unwrap();
    db.execute("update lit set path = '/elsewhere' where key = 'pale-signal'", []).unwrap();
    drop(db);
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let items = journal.haul(haul).unwrap().unwrap().items;
    let proofs = deft_barge_core::haul::prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
    assert!(!proofs[0].1.records_lead_here);
    assert!(Haul::begin(&site, &journal, &plan).is_ok_and(|mut haul| haul.run(&|_| {}, &Control::default()).is_err()));
}

/// A person leaves out a place and takes in another, by number; what cannot be followed changes nothing.
#[test]
fn places_are_left_out_and_taken_as_a_person_chooses() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen Moor");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    let old = at.to_str().unwrap().to_string();
    let home = house.home().join(".config/kite");
    fs::create_dir_all(&home).unwrap();
    let text = format!("{{\"one\": \"{old}\", \"two\": \"{old}/go\"}}");
    for name in ["list.json", "list.json.bak", "run.log"] {
        fs::write(home.join(name), &text).unwrap();
    }
    fs::write(home.join("packed"), format!("{old}\0\u{1}")).unwrap();
    let trace = traced(&house, &at);
    let number = |file: &str, place: &str| {
        let is = |find: &deft_barge_core::trace::Find| {
            find.record.file == home.join(file) && (place.is_empty() || find.record.location.contains(place))
        };
        trace.finds.iter().position(is).unwrap() + 1
    };
    let (left, taken, packed) = (number("list.json", "two"), number("list.json.bak", "one"), number("packed", ""));
    for (leave, take, fault) in [
        (vec![left, 99], vec![taken], ChoiceFault::NoSuch(99)),
        (vec![0], vec![], ChoiceFault::NoSuch(0)),
        (vec![left], vec![packed], ChoiceFault::CannotBeRewritten(packed)),
    ] {
        let mut other = trace.clone();
        assert_eq!(other.choose(&leave, &take), Err(fault));
        let same = other.finds.iter().zip(&trace.finds).all(|(one, two)| one.sure == two.sure);
        assert!(same, "nothing is changed by {leave:?} and {take:?}");
    }
    let mut chosen = trace.clone();
    assert_eq!(chosen.choose(&[left], &[taken]), Ok(()));
    let plan = planned(&house, &chosen, "newhold");
    let stays = plan.findings.iter().any(|finding| {
        matches!(&finding.kind, FindingKind::FilesStay(staying) if staying.why == WhyStaying::Chosen && staying.files == [home.join("list.json")])
    });
    assert!(stays, "{:?}", plan.findings);
    let site = house.site();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let new = plan.items[0].to.to_str().unwrap();
    let first = text.replacen(&old, new, 1);
    for (name, wanted) in [("list.json", &first), ("list.json.bak", &first), ("run.log", &text)] {
        assert_eq!(&fs::read_to_string(home.join(name)).unwrap(), wanted, "{name}");
    }
    // The proof says that a place still points to the old folder.
    let proof = journal.haul(HaulId(1)).unwrap().unwrap().items[0].proof.clone().unwrap();
    assert!(proof.residue.is_some_and(|residue| residue.places > 0));
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    for name in ["list.json", "list.json.bak", "run.log"] {
        assert_eq!(fs::read_to_string(home.join(name)).unwrap(), text, "{name}");
    }
}

/// A folder that no record points to is not moved as if it were a game; a person can say that it is to go all the same.
#[test]
fn a_folder_that_nothing_points_to_goes_only_when_a_person_says_so() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Zephyr Nine");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    // The name alone, which may be anything's.
    let folder = house.home().join(".config/kite");
    fs::create_dir_all(&folder).unwrap();
    fs::write(folder.join("notes.json"), "{\"title\": \"Zephyr Nine\"}").unwrap();
    let trace = traced(&house, &at);
    let refused = planned(&house, &trace, "newhold");
    let tells = |plan: &Plan, kind: &dyn Fn(&FindingKind) -> bool| plan.findings.iter().any(|f| kind(&f.kind));
    assert!(
        refused.blocked() && tells(&refused, &|kind| matches!(kind, FindingKind::NothingTells { path } if *path == at))
    );
    let site = house.site();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, &trace);
    let mut draft = Draft { loose: LooseFolders::Move, ..Draft::default() };
    draft.send(id, Destination::Drive("newhold".into()));
    let loose = plan(&site, &survey, &draft, Policy::Hold);
    assert!(
        !loose.blocked() && tells(&loose, &|kind| matches!(kind, FindingKind::LooseFolder { .. })),
        "{:?}",
        loose.findings
    );
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &loose).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert!(loose.items[0].to.join("go").is_file());
    drop(journal);
    // With one record that is certain nothing has to be said.
    fs::write(folder.join("list.json"), format!("{{\"at\": \"{}\"}}", at.display())).unwrap();
    assert!(!planned(&house, &traced(&house, &at), "cellar").blocked());
}

/// Settings that name a library's folder and a game, and are of no game.
fn shared_settings(name: &str, root: &str) -> Vec<(&'static str, String)> {
    vec![
        ("settings.json", serde_json::json!({"library": root, "last": name}).to_string()),
        ("names.json", serde_json::json!({"x": {"root": root, "a": name, "b": "Other"}, "y": 1}).to_string()),
        (
            "view.json",
            serde_json::json!({"v": {"library": {"path": root}, "current": {"game": name}}, "w": {"x": {"y": 1}}})
                .to_string(),
        ),
        ("settings.ini", format!("library={root}\nlast={name}\n")),
        ("sections.ini", format!("[general]\nsize=3\n[library]\npath={root}\ncurrent={name}\n")),
        ("rooms.json", serde_json::json!([{"path": root, "last": name}, {"path": "/x", "last": "Moor"}]).to_string()),
        ("starts.toml", format!("[games]\npath = '{root}'\nlast = \"{name}\"\n[view]\nlast = \"list\"\n")),
    ]
}

/// The folder above the game and its name, written apart or beside the whole path: both lead to the new place afterwards. What all
/// games of a folder share stays as it is.
#[test]
fn a_root_and_a_name_apart_are_rewritten_together_and_what_other_games_share_stays() {
    for name in ["Fen", "Öd & 'Fen' Two"] {
        let house = House::new();
        let site = house.site();
        let root = house.folder().join("drives/swift/games");
        for game in [name, "Other"] {
            fs::create_dir_all(root.join(game)).unwrap();
            fs::write(root.join(game).join("go"), "go").unwrap();
        }
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(folder.join("one")).unwrap();
        let at = |root: &str| {
            let xml = |text: &str| text.replace('&', "&amp;");
            let entry = |game: &str, root: &str| serde_json::json!({"id": game.len(), "root": root, "folder": game});
            let old = house.folder().join("drives/swift/games").to_str().unwrap().to_string();
            let (n, x) = (name, xml(name));
            [
                ("list.json", serde_json::to_string_pretty(&[entry(n, root), entry("Other", &old)]).unwrap()),
                (
                    "whole.json",
                    serde_json::json!([{"at": format!("{root}/{n}"), "in": root}, {"at": format!("{old}/Other"), "in": old}])
                        .to_string(),
                ),
                (
                    "deep.json",
                    serde_json::json!({"v": 1, "all": {"x": {"place": entry(n, root)}, "y": {"place": entry("Other", &old)}}})
                        .to_string(),
                ),
                (
                    "apart.json",
                    serde_json::json!({"all": [{"place": {"lib": root}, "dir": {"name": n}}, {"place": {"lib": old}, "dir": {"name": "Other"}}]})
                        .to_string(),
                ),
                (
                    "apart.yaml",
                    format!("a:\n  lib: {root}\n  dir:\n    name: \"{n}\"\nb:\n  lib: {old}\n  dir:\n    name: Other\n"),
                ),
                ("named.ini", format!("[general]\nroot={old}\n[{n}]\nroot={root}\nfolder={n}\n")),
                ("keyed.json", serde_json::json!({"a": entry(n, root), "b": entry("Other", &old)}).to_string()),
                ("one/1.json", entry(n, root).to_string()),
                ("one/2.json", entry("Other", &old).to_string()),
                ("list.yaml", format!("- root: {root}\n  folder: \"{n}\"\n- root: {old}\n  folder: Other\n")),
                (
                    "list.toml",
                    format!(
                        "[[game]]\nroot = \"{root}\"\nfolder = \"{n}\"\n[[game]]\nroot = \"{old}\"\nfolder = \"Other\"\n"
                    ),
                ),
                ("list.ini", format!("[1]\nroot={root}\nfolder={n}\n[2]\nroot={old}\nfolder=Other\n")),
                (
                    "parts.xml",
                    format!(
                        "<all><game><root>{root}</root><folder>{x}</folder></game><game><root>{old}</root><folder>Other</folder></game></all>"
                    ),
                ),
                (
                    "given.xml",
                    format!("<all><game root=\"{root}\" folder=\"{x}\"/><game root=\"{old}\" folder=\"Other\"/></all>"),
                ),
            ]
        };
        let shared = |root: &str| shared_settings(name, root);
        let old = root.to_str().unwrap();
        let new = house.folder().join("drives/newhold/games");
        for (file, text) in at(old).iter().chain(&shared(old)) {
            fs::write(folder.join(file), text).unwrap();
        }
        let trace = traced(&house, &root.join(name));
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        assert_eq!(plan.items[0].to, new.join(name));
        for (file, text) in at(new.to_str().unwrap()).iter().chain(&shared(old)) {
            assert_eq!(fs::read_to_string(folder.join(file)).unwrap(), *text, "{name}: {file}");
        }
        // What stays is named.
        let staying: Vec<_> = trace.staying().into_iter().flat_map(|staying| staying.files).collect();
        for (file, _) in shared(old) {
            assert!(staying.contains(&folder.join(file)), "{name}: {file}: {staying:?}");
        }
        undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
        for (file, text) in at(old).iter().chain(&shared(old)) {
            assert_eq!(fs::read_to_string(folder.join(file)).unwrap(), *text, "{name}: {file}, undone");
        }
    }
}

/// Settings that somebody keeps elsewhere, with links at their usual places: the files change, and the links stay links. What a link
/// of the game leads to, what lies outside of the home and the drives, and another game behind a link stay as they are.
#[test]
fn records_behind_links_are_found_and_rewritten_and_the_links_stay() {
    let house = House::new();
    let site = house.site();
    let at = house.folder().join("drives/swift/games/Fen");
    let other = house.folder().join("drives/swift/games/Other");
    for game in [&at, &other] {
        fs::create_dir_all(game).unwrap();
        fs::write(game.join("go"), "go").unwrap();
    }
    let outside = tempfile::tempdir().unwrap();
    let (config, kept) = (house.home().join(".config"), house.home().join("kept"));
    let says = |game: &Path| serde_json::json!({ "at": game }).to_string();
    let link = |to: &Path, at: &Path| std::os::unix::fs::symlink(to, at).unwrap();
    for folder in ["file", "folder/deep", "of the game"] {
        fs::create_dir_all(kept.join(folder)).unwrap();
    }
    fs::create_dir_all(config.join("kite")).unwrap();
    let on_drive = house.folder().join("drives/cellar/settings");
    fs::create_dir_all(&on_drive).unwrap();
    let ours = [kept.join("file/list.json"), kept.join("folder/deep/list.json"), on_drive.join("list.json")];
    let not_ours = [kept.join("of the game/list.json"), outside.path().join("list.json")];
    for file in ours.iter().chain(&not_ours) {
        fs::write(file, says(&at)).unwrap();
    }
    let links = [
        (config.join("kite/list.json"), PathBuf::from("../../kept/file/list.json")),
        (config.join("heron"), kept.join("folder")),
        (config.join("gull"), on_drive.clone()),
        (config.join("kite/away.json"), not_ours[1].clone()),
        (config.join("home"), house.home()),
        (config.join("kite/other"), other.clone()),
        (config.join("kite/round"), config.clone()),
        (at.join("saves"), kept.join("of the game")),
    ];
    for (from, to) in &links {
        link(to, from);
    }
    let trace = traced(&house, &at);
    let found: BTreeSet<&Path> = trace.finds.iter().map(|find| find.record.file.as_path()).collect();
    assert_eq!(found, ours.iter().map(PathBuf::as_path).collect(), "{:?}", trace.problems);
    let followed: BTreeSet<&Path> = trace.followed.iter().map(|followed| followed.link.as_path()).collect();
    assert_eq!(followed, links[..3].iter().map(|(link, _)| link.as_path()).collect());
    let plan = planned(&house, &trace, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let is = |game: &Path, when: &str| {
        for file in &ours {
            assert_eq!(fs::read_to_string(file).unwrap(), says(game), "{when}: {}", file.display());
        }
        for (from, to) in &links[..7] {
            assert_eq!(fs::read_link(from).unwrap(), *to, "{when}");
        }
        for file in &not_ours {
            assert_eq!(fs::read_to_string(file).unwrap(), says(&at), "{when}: {}", file.display());
        }
    };
    is(&plan.items[0].to, "hauled");
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    is(&at, "undone");
}

/// What no record of a profile covers is said before a haul, with its file; what is covered, what says a name alone, logs, and files that
/// another launcher's profile covers are not.
#[test]
fn a_plan_names_the_places_that_no_record_covers() {
    let house = House::new();
    let missed = |house: &House| -> Vec<(usize, Vec<PathBuf>)> {
        let plan = house.plan("parlour-lamp/pale-signal", "newhold", MakeLetters::No);
        let kinds = plan.findings.into_iter().map(|finding| finding.kind);
        let missed = kinds.filter_map(|kind| match kind {
            FindingKind::PlacesMissed { places, files } => Some((places, files)),
            _ => None,
        });
        missed.collect()
    };
    assert_eq!(missed(&house), []);
    let folder = house.home().join(".local/share/parlour-lamp");
    let path = house.folder().join("drives/swift/lamp/pale-signal");
    fs::write(folder.join("lamp.log"), format!("2026-01-01 10:00:00 started {}\n", path.display()).repeat(4)).unwrap();
    fs::write(folder.join("names.json"), serde_json::json!({"last": "pale-signal"}).to_string()).unwrap();
    let beside = serde_json::json!({"at": path.with_file_name("pale-signal-2")});
    fs::write(folder.join("beside.json"), beside.to_string()).unwrap();
    assert_eq!(missed(&house), [], "nothing of that leads there");
    let tools = house.home().join(".config/tools");
    fs::create_dir_all(&tools).unwrap();
    fs::write(
        tools.join("pads.json"),
        serde_json::json!({"pads": [{"for": path}, {"in": path.join("bin")}]}).to_string(),
    )
    .unwrap();
    assert_eq!(missed(&house), [(2, vec![tools.join("pads.json")])]);
    fs::write(
        folder.join("index.dat"),
        [b"\x07\0\x01\x02", path.as_os_str().as_encoded_bytes(), b"\0\xff\x03"].concat(),
    )
    .unwrap();
    // A haul makes no more of it than a plan says, and says it again at its end.
    let plan = house.plan("parlour-lamp/pale-signal", "newhold", MakeLetters::No);
    let haul = house.haul(&plan, None).unwrap();
    assert!(fs::read_to_string(tools.join("pads.json")).unwrap().contains(path.to_str().unwrap()));
    let residue = residues(&house, haul).remove(0);
    assert_eq!((residue.places, residue.files), (2, vec![tools.join("pads.json")]));
    let mentions = ["beside.json", "index.dat", "lamp.log", "names.json"].map(|name| folder.join(name));
    let left: BTreeSet<PathBuf> = residue.left.into_iter().collect();
    assert_eq!(residue.unclear, [mentions[1].clone()]);
    assert!(left.contains(&mentions[2]) && left.contains(&mentions[3]) && !left.contains(&mentions[1]), "{left:?}");
    house.give_back(haul);
    let back = residues(&house, HaulId(haul.0 + 1)).remove(0);
    assert_eq!((back.places, back.files), (0, Vec::new()), "nothing leads to the copy");
}

/// What the hauls of a house found at their end.
fn residues(house: &House, haul: HaulId) -> Vec<Residue> {
    let history = History::of(&house.site()).unwrap();
    let proofs = history.haul(haul).unwrap().items.iter().map(|item| item.proof.clone().unwrap());
    proofs.map(|proof| proof.residue.expect("it was searched")).collect()
}

/// Nothing leads to the old folder of a game whose records are all known, whatever launcher it is of; what a launcher writes later is
/// seen by a later proof.
#[test]
fn a_haul_ends_with_what_still_points_to_the_old_folders() {
    for released in [false, true] {
        let house = House::new();
        let site = house.site();
        let survey = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
        for (game, _) in GAMES {
            draft.send(GameId(game.into()), Destination::Drive("newhold".into()));
        }
        let plan = plan(&site, &survey, &draft, if released { Policy::Release } else { Policy::Hold });
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let found = residues(&house, haul);
        let items = History::of(&site).unwrap().haul(haul).unwrap().items.clone();
        for (item, residue) in items.iter().zip(&found) {
            assert_eq!(
                (residue.places, residue.files.as_slice()),
                (0, [].as_slice()),
                "{}: {residue:?}",
                item.planned.title
            );
            let lists = [&residue.files, &residue.left, &residue.unclear];
            let all: Vec<&PathBuf> = lists.into_iter().flatten().collect();
            let once: BTreeSet<&PathBuf> = all.iter().copied().collect();
            assert_eq!(all.len(), once.len(), "each file is in one list");
            assert!(
                !once
                    .iter()
                    .any(|file| file.starts_with(item.planned.origin()) || file.starts_with(item.planned.place()))
            );
        }
        let late = house.home().join(".config/late.json");
        fs::write(&late, serde_json::json!({"last": items[0].planned.origin()}).to_string()).unwrap();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
        let residue = proofs[0].1.residue.clone().unwrap();
        assert_eq!((residue.places, residue.files), (1, vec![late]));
        assert_eq!(residues(&house, haul)[0].places, 1, "the journal has it as well");
        let rest = proofs[1..].iter().map(|(_, proof)| proof.residue.as_ref().unwrap().places).sum::<u64>();
        assert_eq!(rest, 0);
    }
}
