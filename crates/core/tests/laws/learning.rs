//! Launchers that nobody has described, learned from their games: a generator writes launchers of many shapes, each is learned, its games
//! are moved and moved back, and what its files say is compared with what the generator would have written for the new place.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::haul::{Control, Haul, prove_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Policy};
use deft_barge_core::journal::Journal;
use deft_barge_core::launcher::{
    ContentList, DigestKind, FoundGame, FoundLauncher, Profile, load_profiles, read_launchers,
};
use deft_barge_core::learn::{Doubt, Known, learn, rehearse};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::record::Side;
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::house::House;
use crate::made_launchers::MadeWorld;
use crate::port::{declare, folder_in_memory};

/// Where the sound records of a game stand.
fn places(game: &FoundGame) -> BTreeSet<(PathBuf, String, bool)> {
    let sound = game.records.iter().filter(|record| record.sound);
    let place = |location: &str| format!("{}{}", game.entry.location, location.trim_start_matches('$'));
    sound
        .map(|record| {
            let at = if record.in_entry { place(&record.location) } else { record.location.clone() };
            // The document in a cell may be gone into by the selector, or as a document.
            let at = record.inside.iter().fold(at, |at, hop| at + hop.location.trim_start_matches('$'));
            (record.file.clone(), at, record.side == Side::Key)
        })
        .collect()
}

#[test]
fn stand_ins_are_learned_from_nothing_and_know_what_their_written_profiles_know() {
    let house = House::new();
    let site = house.site();
    let (written, _) = load_profiles(&site.profile_folder());
    let learned = learn(&site, &[], &[], &|_| {});
    let mut known = 0;
    for found in read_launchers(&site, &written) {
        let Some(launcher) = learned.launchers.iter().find(|launcher| launcher.name == found.profile.name) else {
            continue;
        };
        // Of one game alone nobody knows what would be another one's.
        if found.games.len() == 1 && launcher.doubt == Some(Doubt::OneGame) {
            continue;
        }
        assert_eq!(launcher.doubt, None, "{}", launcher.name);
        let profile = Profile::parse(&launcher.profile, Path::new("learned.toml")).unwrap();
        let own = read_launchers(&site, std::slice::from_ref(&profile)).pop().unwrap();
        assert_eq!(own.games.len(), found.games.len(), "{}", launcher.name);
        for game in &found.games {
            let same = own.games.iter().find(|own| own.install == game.install).unwrap();
            assert!(places(same).is_superset(&places(game)), "{}\n{}", game.title, launcher.profile);
            assert_eq!((same.claim, same.last_run), (game.claim, game.last_run), "{}", game.title);
            let listed = |found: &FoundLauncher, game: &FoundGame| {
                let list = ContentList::read(&found.profile, &found.values_of(&site, &game.id, &game.install));
                list.unwrap().map(|list| (list.kind, list.listed_files))
            };
            let (own, written) = (listed(&own, same), listed(&found, game));
            // How large pieces are is told by a file of several.
            if own.is_some() || !matches!(written, Some((DigestKind::Sha256Pieces(_), _))) {
                assert_eq!(own, written, "{}\n{}", game.title, launcher.profile);
            }
        }
        known += 1;
    }
    // The other has one game here.
    assert_eq!(known, 5, "{:?}", learned.launchers.iter().map(|one| &one.name).collect::<Vec<_>>());
    assert!(learned.launchers.iter().all(|launcher| launcher.doubt.is_none() || launcher.games.len() < 2));
}

/// What became of a made-up launcher.
#[derive(Debug, PartialEq, Eq)]
enum Outcome {
    Learned,
    Asked,
    Refused(Doubt),
    NotSeen,
}

fn try_seed(seed: u64) -> Outcome {
    let world = MadeWorld::new(seed);
    let site = world.site();
    let learned = learn(&site, &[], &[], &|_| {});
    let what = format!("seed {seed}: {:?}", world.style);
    assert!(learned.launchers.len() < 2, "{what}: {:?}", learned.launchers);
    let Some(launcher) = learned.launchers.into_iter().next() else { return Outcome::NotSeen };
    world.judge(&world.games).unwrap_or_else(|why| panic!("{what}: learning changed {why}"));
    if let Some(doubt) = launcher.doubt {
        if std::env::var_os("DEFT_BARGE_SEED").is_some() {
            println!("{}", launcher.profile);
        }
        return Outcome::Refused(doubt);
    }
    let what = format!("{what}\n{}", launcher.profile);
    assert_eq!(launcher.content_lists, !world.style.contents.is_empty(), "{what}");
    assert_eq!(launcher.games.len(), world.games.len(), "{what}");
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join(format!("{}.toml", launcher.id)), &launcher.profile).unwrap();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let (mut now, mut nth) = (world.games.clone(), 0);
    for n in 0..world.games.len() {
        let found = survey(&site, Vec::new(), &|_| {});
        let old = PathBuf::from(now[n].path());
        let game = found
            .games
            .iter()
            .find(|game| game.found.install == old)
            .unwrap_or_else(|| panic!("{what}: {}", old.display()));
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{what}: {:?}", plan.findings);
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let wanted = launcher.content_lists.then_some(0);
        let proof = journal.haul(HaulId(nth + 1)).unwrap().unwrap().items[0].proof.clone().unwrap();
        assert_eq!(proof.to_download.map(Bytes::count), wanted, "{what}");
        assert_eq!(proof.residue.map(|residue| residue.places), Some(0), "{what}");
        nth += 1;
        let before = now.clone();
        now[n].root = plan.items[0].to.parent().unwrap().to_str().unwrap().into();
        assert_eq!(plan.items[0].to.file_name().unwrap().to_str().unwrap(), now[n].folder);
        world.judge(&now).unwrap_or_else(|why| panic!("{what}\n{} moved: {why}", now[n].title));
        if n % 2 == 0 {
            undo_haul(&site, &journal, HaulId(nth), &|_| {}, &Control::default()).unwrap();
            nth += 1;
            now = before;
            world.judge(&now).unwrap_or_else(|why| panic!("{what}\n{} undone: {why}", now[n].title));
        }
    }
    if launcher.questions.is_empty() { Outcome::Learned } else { Outcome::Asked }
}

/// Seeds of a daily run, and of all.
fn seeds() -> u64 {
    if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() { 300 } else { 40 }
}

#[test]
fn launchers_of_many_shapes_are_learned_moved_by_and_never_wrong() {
    let mut outcomes: BTreeMap<String, Vec<u64>> = BTreeMap::new();
    let mut wrong = Vec::new();
    let only: Option<u64> = std::env::var("DEFT_BARGE_SEED").ok().and_then(|seed| seed.parse().ok());
    let wanted = only.map_or(0..seeds(), |seed| seed..seed + 1);
    for seed in wanted {
        let tried = std::panic::catch_unwind(|| try_seed(seed));
        let name = match tried {
            Ok(Outcome::Refused(doubt)) => {
                let world = MadeWorld::new(seed);
                println!("seed {seed}: {:?}", world.style);
                if only.is_some() {
                    world.print();
                }
                format!("refused: {doubt:?}")
            }
            Ok(other) => format!("{other:?}"),
            Err(why) => {
                let text = why.downcast_ref::<String>().cloned().unwrap_or_default();
                wrong.push(format!("seed {seed}: {text}"));
                continue;
            }
        };
        outcomes.entry(name).or_default().push(seed);
    }
    let learned =
        outcomes.iter().filter(|(name, _)| ["Learned", "Asked"].contains(&name.as_str())).map(|(_, all)| all.len());
    let learned: usize = learned.sum();
    println!("{learned} of {} learned: {outcomes:#?}", seeds());
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
    if only.is_some() {
        return;
    }
    // What counts the games of each library is refused; of the others nearly all are learned.
    let counted =
        outcomes.iter().filter(|(name, _)| name.contains("Counters")).map(|(_, all)| all.len()).sum::<usize>();
    assert!((learned + counted) as u64 * 100 >= seeds() * 93 && learned as u64 * 10 >= seeds() * 6, "{outcomes:#?}");
}

#[test]
fn a_learned_content_list_tells_what_would_be_downloaded_of_damaged_and_missing_files() {
    // One with sizes, and one without.
    for (seed, sized) in [(1, true), (6, false)] {
        let world = MadeWorld::new(seed);
        let site = world.site();
        let launcher = learn(&site, &[], &[], &|_| {}).launchers.remove(0);
        assert!(launcher.doubt.is_none() && launcher.content_lists, "{launcher:#?}");
        assert_eq!(launcher.profile.contains("\nsize = "), sized, "{}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("learned.toml"), &launcher.profile).unwrap();
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        draft.send(found.games[0].id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.findings.iter().any(|finding| matches!(finding.kind, FindingKind::NoContentList { .. })));
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let end = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let pak = plan.items[0].to.join("data/all.pak");
        let length = fs::metadata(&pak).unwrap().len();
        let proved = || prove_haul(&site, &journal, &end.items, &|_| {}, &Control::default()).unwrap().remove(0).1;
        assert_eq!(proved().to_download, Some(Bytes::new(0)));
        let mut bytes = fs::read(&pak).unwrap();
        bytes[100] ^= 1;
        fs::write(&pak, &bytes).unwrap();
        let proof = proved();
        assert_eq!((proof.to_download, proof.differ, proof.holds()), (Some(Bytes::new(length)), 1, false));
        fs::remove_file(&pak).unwrap();
        let proof = proved();
        assert_eq!((proof.to_download, proof.missing, proof.holds()), (Some(Bytes::new(length)), 1, false));
    }
}

/// A world with games in `drives/swift/g`, and a place for the files of launchers.
fn world_of(names: &[String]) -> (tempfile::TempDir, Site, PathBuf) {
    let folder = folder_in_memory();
    let top = folder.path().canonicalize().unwrap();
    fs::create_dir_all(top.join("home/.config/kite")).unwrap();
    for name in names {
        let game = top.join("drives/swift/g").join(name);
        fs::create_dir_all(&game).unwrap();
        fs::write(game.join("start"), "#!/bin/sh\n").unwrap();
        fs::write(game.join("data.pak"), [7; 100]).unwrap();
    }
    declare(&top, &["swift", "newhold"]);
    let site = Site::of_world(&top).unwrap();
    (folder, site, top)
}

fn entry(top: &Path, name: &str, nr: usize) -> serde_json::Value {
    serde_json::json!({"nr": format!("a-{nr}"), "called": name, "at": top.join("drives/swift/g").join(name)})
}

#[test]
fn one_game_is_not_enough_and_entries_of_games_that_are_elsewhere_are_examples() {
    let (_folder, site, top) = world_of(&["Fen".into()]);
    let list = top.join("home/.config/kite/list.json");
    fs::write(&list, serde_json::json!([entry(&top, "Fen", 1)]).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers[0].doubt, Some(Doubt::OneGame));
    let away = serde_json::json!({"nr": "a-9", "called": "Moor", "at": "/media/other/games/Moor"});
    fs::write(&list, serde_json::json!([entry(&top, "Fen", 1), away]).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let launcher = &learned.launchers[0];
    assert_eq!((launcher.doubt.as_ref(), launcher.games.len(), launcher.rehearsed), (None, 1, 1), "{launcher:#?}");
}

#[test]
fn two_launchers_that_list_the_same_games_are_both_right_after_a_haul() {
    let names = ["Fen".to_string(), "Moor".to_string(), "Tarn".to_string()];
    let (_folder, site, top) = world_of(&names);
    let other = top.join("home/.local/share/gull");
    fs::create_dir_all(&other).unwrap();
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"v": 2, "all": list}).to_string()).unwrap();
    let ini = |path: &Path, nr: usize| format!("[g{nr}]\nfolder={}\nshown=G {nr}\n", path.display());
    let all: String =
        names.iter().enumerate().map(|(nr, name)| ini(&top.join("drives/swift/g").join(name), nr)).collect();
    fs::write(other.join("games.ini"), &all).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers.len(), 2, "{:?}", learned.launchers);
    fs::create_dir_all(site.profile_folder()).unwrap();
    for launcher in &learned.launchers {
        assert_eq!((launcher.doubt.as_ref(), launcher.games.len()), (None, 3), "{}", launcher.name);
        fs::write(site.profile_folder().join(format!("{}.toml", launcher.id)), &launcher.profile).unwrap();
    }
    let found = survey(&site, Vec::new(), &|_| {});
    let old = top.join("drives/swift/g/Moor");
    for game in found.games.iter().filter(|game| game.found.install == old) {
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let new = plan.items[0].to.to_str().unwrap().to_string();
        let said = fs::read_to_string(other.join("games.ini")).unwrap();
        assert_eq!(said, all.replace(old.to_str().unwrap(), &new), "{}", game.id.0);
        let said = fs::read_to_string(top.join("home/.config/kite/list.json")).unwrap();
        assert!(said.contains(&new) && !said.contains(old.to_str().unwrap()), "{said}");
        let haul = journal.hauls().unwrap().iter().map(|haul| haul.id).max().unwrap();
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
        assert_eq!(fs::read_to_string(other.join("games.ini")).unwrap(), all);
    }
}

#[test]
fn a_list_of_libraries_alone_is_said_and_folders_of_somebodys_work_are_no_games() {
    let (_folder, site, top) = world_of(&["Fen".into(), "Moor".into()]);
    let libraries = serde_json::json!({"rooms": [{"folder": top.join("drives/swift/g")}]});
    fs::write(top.join("home/.config/kite/rooms.json"), libraries.to_string()).unwrap();
    let work = top.join("home/.config/writer");
    fs::create_dir_all(&work).unwrap();
    let folders = ["one", "two"].map(|name| top.join("home/work").join(name));
    for folder in &folders {
        fs::create_dir_all(folder.join(".git")).unwrap();
        fs::write(folder.join("build"), "#!/bin/sh\n").unwrap();
    }
    let recent = serde_json::json!({"recent": folders.iter().map(|at| serde_json::json!({"at": at, "n": at.file_name().unwrap().to_str()})).collect::<Vec<_>>()});
    fs::write(work.join("recent.json"), recent.to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let all: Vec<_> =
        learned.launchers.iter().map(|one| (one.name.as_str(), one.libraries, one.doubt.clone())).collect();
    assert_eq!(all, [("Kite", 1, Some(Doubt::NoList))]);
}

#[test]
fn two_thousand_games_of_one_list_are_learned() {
    let names: Vec<String> = (0..2000).map(|n| format!("Game {n}")).collect();
    let (_folder, site, top) = world_of(&names);
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"v": 2, "all": list}).to_string()).unwrap();
    let started = std::time::Instant::now();
    let learned = learn(&site, &[], &[], &|_| {});
    println!("{:?}", started.elapsed());
    let launcher = &learned.launchers[0];
    assert_eq!((launcher.doubt.as_ref(), launcher.games.len()), (None, 2000));
}

/// A written profile that forgets a record, or takes another game's for its own, is found out by a rehearsal.
#[test]
fn a_rehearsal_finds_what_a_profile_would_leave_behind_or_take_from_another_game() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let list: Vec<_> = names
        .iter()
        .enumerate()
        .map(|(nr, name)| {
            let mut entry = entry(&top, name, nr);
            entry["run"] = format!("{}/start", entry["at"].as_str().unwrap()).into();
            entry["lib"] = top.join("drives/swift/g").to_str().unwrap().into();
            entry
        })
        .collect();
    let file = top.join("home/.config/kite/list.json");
    fs::write(&file, serde_json::json!({"all": list}).to_string()).unwrap();
    let profile = |records: &[(&str, &str)]| {
        let head = "format = 1\nid = \"kite\"\nname = \"Kite\"\nhome = [\"{config}/kite\"]\n[games]\nfile = \"{home}/list.json\"\nlist = \"$.all\"\nid = \"$.nr\"\ninstall = \"{install}\"\n";
        let records = records.iter().map(|(selector, meaning)| {
            format!("[[games.records]]\nselector = \"{selector}\"\nmeaning = \"{meaning}\"\n")
        });
        Profile::parse(&(head.to_string() + &records.collect::<String>()), Path::new("kite.toml")).unwrap()
    };
    let whole = [("$.at", "{install}"), ("$.run", "{install}/{tail}"), ("$.lib", "{parent}")];
    let sound = rehearse(&site, &profile(&whole));
    assert_eq!((sound.moves, sound.doubt), (2, None));
    let forgets = rehearse(&site, &profile(&whole[..1]));
    assert!(matches!(&forgets.doubt, Some(Doubt::Missed { location, .. }) if location.contains("run")), "{forgets:?}");
    let before = fs::read_to_string(&file).unwrap();
    assert!(before.contains("drives/swift/g/Fen"), "nothing was written: {before}");
    // A launcher that keeps a checksum of its list would refuse what a haul has written.
    let sum = file.with_extension("sum");
    fs::write(&sum, format!("crc32 {:08x}\n", crc32fast::hash(before.as_bytes()))).unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, Some(Doubt::Checksum(sum.clone())));
    fs::write(&sum, "crc32 00000000\n").unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, None);
    // What is called one may be of something else.
    let called = serde_json::json!({"checksum": "0badcafe", "all": list});
    fs::write(&file, called.to_string()).unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, None);
}

/// Launchers whose files lie and name things in ways of their own, each learned, moved by, and judged to the byte.
#[test]
fn files_of_a_launcher_are_learned_wherever_they_lie_and_however_they_name_a_game() {
    type Files = Vec<(PathBuf, String)>;
    type Write = fn(&Path, &Path, usize, &str, &Path) -> Files;
    // What is written of a game: the world, the launcher's folder, number, name, folder.
    let shapes: [(&str, Write); 4] = [
        ("home/.local/share/kite", |_, home, nr, name, at| {
            let text = serde_json::json!({"name": name, "where": at}).to_string();
            vec![(home.join(format!("titles/t{nr}77/info.json")), text)]
        }),
        ("drives/swift/Kite", |_, home, nr, name, at| {
            vec![(home.join(format!("berths/of-{nr}.ini")), format!("[berth]\nname={name}\ndir={}\n", at.display()))]
        }),
        ("home/.config/kite", |_, home, nr, name, at| {
            let main = serde_json::json!({"nr": 100 + nr, "name": name, "dir": at}).to_string();
            let parts = serde_json::json!({"of": 100 + nr, "root": at.parent(), "folder": name}).to_string();
            vec![(home.join("list.jsonl"), main + "\n"), (home.join("parts.jsonl"), parts + "\n")]
        }),
        ("home/.kite", |_, home, nr, name, at| {
            let line = format!("game \"g{nr}\" {{\n  title = \"{name}\"\n  at = \"{}\"\n}}\n", at.display());
            let more = format!("more \"m{nr}\" {{\n  of = \"{}\"\n}}\n", at.display());
            vec![(home.join("games.conf"), line), (home.join("more.conf"), more)]
        }),
    ];
    let names = ["Fen".to_string(), "Moor Two".to_string(), "Tarn".to_string()];
    for (folder, write) in shapes {
        let (_folder, site, top) = world_of(&names);
        let home = top.join(folder);
        let say = |places: &[PathBuf]| -> BTreeMap<PathBuf, String> {
            let mut all = BTreeMap::<PathBuf, String>::new();
            for (nr, (name, at)) in names.iter().zip(places).enumerate() {
                for (file, text) in write(&top, &home, nr, name, at) {
                    all.entry(file).or_default().push_str(&text);
                }
            }
            all
        };
        let mut places: Vec<PathBuf> = names.iter().map(|name| top.join("drives/swift/g").join(name)).collect();
        for (file, text) in say(&places) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        }
        let learned = learn(&site, &[], &[], &|_| {});
        let [launcher] = learned.launchers.as_slice() else { panic!("{folder}: {:?}", learned.launchers) };
        assert_eq!((launcher.doubt.as_ref(), launcher.games.len()), (None, 3), "{folder}: {}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("kite.toml"), &launcher.profile).unwrap();
        let found = survey(&site, Vec::new(), &|_| {});
        let game = found.games.iter().find(|game| game.found.install == places[1]).unwrap();
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{folder}: {:?}", plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let before = say(&places);
        places[1] = plan.items[0].to.clone();
        for (file, text) in say(&places) {
            assert_eq!(fs::read_to_string(&file).unwrap(), text, "{folder}: {}\n{}", file.display(), launcher.profile);
        }
        undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
        for (file, text) in before {
            assert_eq!(fs::read_to_string(&file).unwrap(), text, "{folder}: {}, undone", file.display());
        }
    }
}

#[test]
fn a_file_that_names_games_and_is_not_understood_is_the_reason_why_a_launcher_is_not_learned() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    let home = top.join("home/.config/kite");
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let at = top.join("drives/swift/g/Fen");
    fs::write(home.join("thumbs.bin"), [b"\0\x01".as_slice(), at.to_str().unwrap().as_bytes(), b"\0"].concat())
        .unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers[0].doubt, Some(Doubt::NotUnderstood(home.join("thumbs.bin"))));
}

/// An entry of an addition leads to its game's folder as well: both go.
#[test]
fn two_entries_of_one_folder_go_together() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let mut list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    let mut more = entry(&top, "Fen", 9);
    more["called"] = "Fen: more of it".into();
    list.push(more);
    let file = top.join("home/.config/kite/list.json");
    let text = serde_json::json!({"all": list}).to_string();
    fs::write(&file, &text).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers[0].doubt, None, "{}", learned.launchers[0].profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("kite.toml"), &learned.launchers[0].profile).unwrap();
    let found = survey(&site, Vec::new(), &|_| {});
    let old = top.join("drives/swift/g/Fen");
    let game = found.games.iter().find(|game| game.found.install == old).unwrap();
    let mut draft = Draft::default();
    draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    let plan = plan(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let new = plan.items[0].to.to_str().unwrap();
    assert_eq!(fs::read_to_string(&file).unwrap(), text.replace(old.to_str().unwrap(), new));
}

/// Launchers whose files have one name, and lie beside one another, are launchers of their own.
#[test]
fn files_of_one_name_in_the_folders_of_several_launchers_are_not_one_launchers() {
    for games in [1, 3] {
        let names: Vec<String> = (0..3 * games).map(|n| format!("Game {n}")).collect();
        let (_folder, site, top) = world_of(&names);
        for (nth, some) in names.chunks(games).enumerate() {
            let home = top.join(format!("home/.config/launcher{nth}"));
            fs::create_dir_all(&home).unwrap();
            let list: Vec<_> = some.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
            fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        }
        let learned = learn(&site, &[], &[], &|_| {});
        let doubts: Vec<_> = learned.launchers.iter().map(|one| (one.games.len(), one.doubt.clone())).collect();
        let doubt = (games == 1).then_some(Doubt::OneGame);
        assert_eq!(doubts, vec![(games, doubt); 3], "{:?}", learned.launchers);
    }
}

/// Where a list may be that of the libraries and does not show how it grows, nothing is learned that would leave a library out.
#[test]
fn libraries_that_are_not_sure_are_a_reason_not_to_learn() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let home = top.join("home/.config/kite");
    let mut list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let root = top.join("drives/swift/g");
    let doubt = || learn(&site, &[], &[], &|_| {}).launchers[0].doubt.clone();
    fs::write(home.join("settings.json"), serde_json::json!({"view": {"last": root}}).to_string()).unwrap();
    assert_eq!(doubt(), None, "a setting is no list");
    // One library, under a key.
    let one = |key: &str| {
        let one = serde_json::json!({"libraries": {key: {"path": root, "caption": "x"}}});
        fs::write(home.join("roots.json"), one.to_string()).unwrap();
    };
    one("0");
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!((learned.launchers[0].doubt.as_ref(), learned.launchers[0].libraries), (None, 1), "a number numbers");
    one("main");
    assert_eq!(doubt(), Some(Doubt::NotClear(home.join("roots.json"))));
    // A list that holds some of the games.
    let away = top.join("drives/swift/away/Tarn");
    fs::create_dir_all(&away).unwrap();
    fs::write(away.join("start"), "#!/bin/sh\n").unwrap();
    list.push(serde_json::json!({"nr": "a-7", "called": "Tarn", "at": away}));
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let some = serde_json::json!({"libraries": [{"path": root, "caption": "x"}]});
    fs::write(home.join("roots.json"), some.to_string()).unwrap();
    assert_eq!(doubt(), Some(Doubt::NotClear(home.join("roots.json"))));
}

/// Moves the game of this title with the profile of the one launcher that is learned; gives where it went.
fn moved_by_what_is_learned(site: &Site, title: &str) -> PathBuf {
    let learned = learn(site, &[], &[], &|_| {});
    let launcher = &learned.launchers[0];
    assert_eq!(launcher.doubt, None, "{}", launcher.profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join(format!("{}.toml", launcher.id)), &launcher.profile).unwrap();
    let found = survey(site, Vec::new(), &|_| {});
    let game = found.games.iter().find(|game| game.found.title == title).unwrap();
    let mut draft = Draft::default();
    draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    let plan = plan(site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}\n{}", plan.findings, launcher.profile);
    let journal = Journal::open(site).unwrap().recover().unwrap().0;
    Haul::begin(site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    plan.items[0].to.clone()
}

#[test]
fn which_library_a_game_is_in_is_a_record_wherever_it_stands_beside_its_id() {
    let names = ["Fen", "Moor Two", "gull"].map(str::to_string);
    type Text = fn(&Path, usize) -> serde_json::Value;
    let shapes: [(&str, Text); 3] = [
        ("in.json", |root, _| serde_json::json!({"a-0": root, "a-1": root, "a-2": root})),
        ("in.json", |root, _| {
            let one = |n: usize| serde_json::json!({"of": format!("a-{n}"), "shelf": root});
            serde_json::json!({"all": [one(0), one(1), one(2)]})
        }),
        ("in/a-%.json", |root, n| serde_json::json!({"shelf": root, "n": n + 500})),
    ];
    for (file, text) in shapes {
        let (_folder, site, top) = world_of(&names);
        let (home, root) = (top.join("home/.config/kite"), top.join("drives/swift/g"));
        let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
        fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        fs::create_dir_all(home.join("in")).unwrap();
        let at = |n: usize| home.join(file.replace('%', &n.to_string()));
        for n in 0..3 {
            fs::write(at(n), text(&root, n).to_string()).unwrap();
        }
        let to = moved_by_what_is_learned(&site, "Moor Two");
        let (old, new) = (root.to_str().unwrap(), to.parent().unwrap().to_str().unwrap());
        for n in 0..3 {
            let was = text(&root, n).to_string();
            let wanted = if file.contains('%') {
                if n == 1 { was.replace(old, new) } else { was }
            } else {
                // The second of them.
                let at = was.match_indices(old).nth(1).unwrap().0;
                format!("{}{new}{}", &was[..at], &was[at + old.len()..])
            };
            assert_eq!(fs::read_to_string(at(n)).unwrap(), wanted, "{file}");
        }
    }
}

#[test]
fn what_ties_games_to_libraries_and_cannot_be_kept_true_is_a_reason_not_to_learn() {
    let names = ["Fen", "Moor Two", "gull", "Tarn"].map(str::to_string);
    let index = |roots: [&Path; 2], more: [serde_json::Value; 2]| {
        let [one, two] = more;
        serde_json::json!({"shelves": [{"at": roots[0], "x": one}, {"at": roots[1], "x": two}]}).to_string()
    };
    let json = |of: [&str; 2]| of.map(serde_json::Value::from);
    type Case = (&'static str, [serde_json::Value; 2], fn(usize) -> serde_json::Value);
    let cases: [Case; 6] = [
        ("ids in a text", json(["a-0,a-2", "a-1,a-3"]), |_| 0.into()),
        ("ids in words", json(["a-0 a-2", "a-1 a-3"]), |_| 0.into()),
        ("names of folders", json(["Fen; gull", "Moor Two; Tarn"]), |_| 0.into()),
        ("a number of the library", [serde_json::json!(4), serde_json::json!(9)], |n| [4, 9][n % 2].into()),
        ("a name of the library", json(["main", "other"]), |n| ["main", "other"][n % 2].into()),
        ("which one of them", json(["p", "p"]), |n| (n % 2).into()),
    ];
    for (what, more, of) in cases {
        let (_folder, site, top) = world_of(&names);
        let (home, root, second) =
            (top.join("home/.config/kite"), top.join("drives/swift/g"), top.join("drives/swift/h"));
        fs::create_dir_all(&second).unwrap();
        let mut list = Vec::new();
        for (nr, name) in names.iter().enumerate() {
            let mut one = entry(&top, name, nr);
            if nr % 2 == 1 {
                fs::rename(root.join(name), second.join(name)).unwrap();
                one["at"] = second.join(name).to_str().unwrap().into();
            }
            one["of"] = of(nr);
            list.push(one);
        }
        fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        fs::write(home.join("shelves.json"), index([&root, &second], more)).unwrap();
        let learned = learn(&site, &[], &[], &|_| {});
        let doubt = &learned.launchers[0].doubt;
        // What refers to the library by more than one sign is kept true; one sign may be anything of so few games.
        if what.contains("a name of the library") {
            assert_eq!(*doubt, None, "{what}");
            assert!(learned.launchers[0].profile.contains("{library-id}"), "{what}");
            continue;
        }
        if what.contains("a number of the library") || what == "which one of them" {
            let asked = learned.launchers[0].questions.first().map(|question| question.about);
            assert_eq!((doubt, asked), (&None, Some(Known::Library)), "{what}");
            continue;
        }
        assert!(matches!(doubt, Some(Doubt::Counters(_) | Doubt::NotClear(_))), "{what}: {doubt:?}");
    }
    // Which game is where, by a folder that is neither above them nor a library.
    let (_folder, site, top) = world_of(&names);
    let home = top.join("home/.config/kite");
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let above = top.join("drives/swift");
    fs::write(home.join("in.json"), serde_json::json!({"a-0": above, "a-1": above, "a-2": above}).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert!(learned.launchers[0].doubt.is_none(), "the top of a drive is no folder of games");
}

#[test]
fn files_that_lie_with_the_games_and_would_stay_behind_are_a_reason_not_to_learn() {
    let names = ["Fen", "Moor Two", "gull"].map(str::to_string);
    let learned = |deep: &str, write: &dyn Fn(&Path, &str)| {
        let (_folder, site, top) = world_of(&names);
        let (from, shelf) = (top.join("drives/swift/g"), top.join("drives/swift").join(deep));
        fs::create_dir_all(shelf.parent().unwrap()).unwrap();
        fs::rename(&from, &shelf).unwrap();
        let one = |(nr, name): (usize, &String)| serde_json::json!({"nr": format!("a-{nr}"), "called": name, "at": shelf.join(name)});
        let list: Vec<_> = names.iter().enumerate().map(one).collect();
        fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        for name in &names {
            write(&shelf, name);
        }
        learn(&site, &[], &[], &|_| {}).launchers[0].doubt.clone()
    };
    for deep in ["h", "far/below/all/of/it"] {
        assert_eq!(learned(deep, &|_, _| {}), None, "{deep}");
        let note = |shelf: &Path, name: &str, file: &str, bytes: &[u8]| {
            fs::create_dir_all(shelf.join("notes")).unwrap();
            fs::write(shelf.join("notes").join(file.replace('%', name)), bytes).unwrap();
        };
        let by_name = learned(deep, &|shelf, name| {
            note(shelf, name, "%.json", serde_json::json!({"in": name, "v": 1}).to_string().as_bytes());
        });
        assert_eq!(by_name, Some(Doubt::Beside), "{deep}");
        let binary = learned(deep, &|shelf, name| {
            note(
                shelf,
                name,
                "of %.bin",
                &[&[0, 1, 2, 7][..], shelf.join(name).as_os_str().as_encoded_bytes(), &[0, 9]].concat(),
            );
        });
        assert!(matches!(binary, Some(Doubt::Beside | Doubt::NotUnderstood(_))), "{deep}: {binary:?}");
        // What lists a game's files by its id is that game's, though it says no name.
        let sums = |which: &[usize]| {
            learned(deep, &|shelf, name| {
                let nr = names.iter().position(|other| other == name).unwrap();
                fs::write(shelf.join(name).join("data.pak"), name.repeat(50)).unwrap();
                if !which.contains(&nr) {
                    return;
                }
                let sum = |file: &str| blake3::hash(&fs::read(shelf.join(name).join(file)).unwrap()).to_hex();
                let text = format!("{}  start\n{}  data.pak\n", sum("start"), sum("data.pak"));
                note(shelf, name, &format!("a-{nr}.sums"), text.as_bytes());
            })
        };
        assert_eq!(sums(&[0, 1, 2]), Some(Doubt::Beside), "{deep}");
        assert_eq!(sums(&[0, 2]), Some(Doubt::Beside), "{deep}: two of three");
        assert_eq!(sums(&[1]), None, "{deep}: somebody's own");
        // What says nothing of a game may lie there.
        assert_eq!(learned(deep, &|shelf, name| note(shelf, name, "%.txt", b"read me")), None, "{deep}");
    }
}

#[test]
fn games_in_the_persons_own_folder_do_not_make_all_that_lies_there_theirs() {
    let names = ["Fen", "Moor Two"].map(str::to_string);
    let (_folder, site, top) = world_of(&names);
    let mut list = Vec::new();
    for (nr, name) in names.iter().enumerate() {
        fs::rename(top.join("drives/swift/g").join(name), top.join("home").join(name)).unwrap();
        list.push(serde_json::json!({"nr": format!("a-{nr}"), "called": name, "at": top.join("home").join(name)}));
    }
    fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    fs::create_dir_all(top.join("home/.config/other")).unwrap();
    fs::write(top.join("home/.config/other/seen.json"), serde_json::json!({"name": "Fen"}).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let kite = learned.launchers.iter().find(|one| one.name == "Kite").unwrap();
    assert_eq!(kite.doubt, None);
}
