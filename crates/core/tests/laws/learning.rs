//! Launchers that nobody has described, learned from their games: a generator writes launchers of many shapes, each is learned, its games
//! are moved and moved back, and what its files say is compared with what the generator would have written for the new place.

mod refused;

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
use crate::port::{declare, folder_in_memory, haul_one, undo_newest};

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
        let new = haul_one(&site, &found, &game.id, "one of three").to_str().unwrap().to_string();
        let said = fs::read_to_string(other.join("games.ini")).unwrap();
        assert_eq!(said, all.replace(old.to_str().unwrap(), &new), "{}", game.id.0);
        let said = fs::read_to_string(top.join("home/.config/kite/list.json")).unwrap();
        assert!(said.contains(&new) && !said.contains(old.to_str().unwrap()), "{said}");
        undo_newest(&site);
        assert_eq!(fs::read_to_string(other.join("games.ini")).unwrap(), all);
    }
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
        let to = haul_one(&site, &found, &game.id, folder);
        let before = say(&places);
        places[1] = to;
        for (file, text) in say(&places) {
            assert_eq!(fs::read_to_string(&file).unwrap(), text, "{folder}: {}\n{}", file.display(), launcher.profile);
        }
        undo_newest(&site);
        for (file, text) in before {
            assert_eq!(fs::read_to_string(&file).unwrap(), text, "{folder}: {}, undone", file.display());
        }
    }
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
