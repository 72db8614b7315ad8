//! Games as they lie on disk, in whatever folders: what a launcher lists are games, and not their parts, nor the folders that they lie in.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::acts::every_fault;
use crate::port::{declare, folder_in_memory};

const NAMES: [&str; 3] = ["Fen", "Moor Two", "gull"];

/// Files of a game by their path, `%` for its name; those that begin with `!` are programs.
const LAYOUTS: [(&str, &[&str]); 10] = [
    ("all on top", &["!start", "data.pak"]),
    ("one program in a folder", &["bin/!go", "data/all.pak"]),
    ("programs and parts in a folder", &["bin/!go", "bin/engine.so", "data/all.pak"]),
    ("two folders with programs", &["bin/!go", "bin/engine.so", "tools/!edit", "tools/read.me", "data/all.pak"]),
    ("a folder called as the game", &["%/!go", "%/engine.so", "data/all.pak"]),
    ("an installer of parts", &["!go", "parts/!first", "parts/first.txt", "data/all.pak"]),
    ("programs deep", &["app/x/!go", "app/x/engine.so", "app/all.pak", "maps/one.map"]),
    ("data without a folder", &["bin/!go", "bin/engine.so", "all.pak"]),
    (
        "an engine and a project",
        &["Engine/!run", "Engine/lib.so", "%Game/Binaries/!go", "%Game/Binaries/x.so", "%Game/Content/a.pak"],
    ),
    ("a collection", &["first/!go", "first/a.pak", "second/!go", "second/a.pak"]),
];

struct World {
    _folder: tempfile::TempDir,
    top: PathBuf,
}

impl World {
    fn new(layout: &[&str], shelves: &[&str]) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let world = Self { _folder: folder, top };
        for (nth, name) in NAMES.iter().enumerate() {
            let game = world.game(nth, shelves);
            for file in layout {
                let at = game.join(file.replace('%', name).replace('!', ""));
                fs::create_dir_all(at.parent().unwrap()).unwrap();
                let text =
                    if file.contains('!') { "#!/bin/sh\n".to_string() } else { format!("{name} {file}").repeat(50) };
                fs::write(at, text).unwrap();
            }
        }
        fs::create_dir_all(world.home()).unwrap();
        world
    }

    fn home(&self) -> PathBuf {
        self.top.join("home/.config/kite")
    }

    fn game(&self, nth: usize, shelves: &[&str]) -> PathBuf {
        self.top.join("drives/swift").join(shelves[nth % shelves.len()]).join(NAMES[nth])
    }

    fn site(&self) -> Site {
        Site::of_world(&self.top).unwrap()
    }
}

fn said(value: &serde_json::Value) -> String {
    format!("{value:#}")
}

/// The folder of a game's first program.
fn program_folder(game: &Path, name: &str, layout: &[&str]) -> PathBuf {
    let program = layout.iter().find(|file| file.contains('!')).unwrap();
    game.join(program.replace('%', name).replace('!', "")).parent().unwrap().to_path_buf()
}

#[test]
fn games_are_told_from_their_parts_and_from_libraries() {
    let shelves = [&["lib"][..], &["lib", "more", "third"], &["lib/rows", "more/rows", "third/rows"]];
    let lists = ["paths", "paths, working folders", "paths, data folders", "paths, libraries"];
    for (nth, (what, layout)) in LAYOUTS.into_iter().enumerate() {
        for (row, shelves) in shelves.into_iter().enumerate() {
            for (column, lists) in lists.into_iter().enumerate() {
                // Every layout with some of the others each day.
                if !every_fault() && (nth + row + column) % 3 != 0 {
                    continue;
                }
                let what = format!("{what}, {shelves:?}, {lists}");
                let world = World::new(layout, shelves);
                let at = |nth: usize| world.game(nth, shelves);
                let all: Vec<_> = (0..3)
                    .map(|nth| serde_json::json!({"id": format!("k-{nth}"), "shown": NAMES[nth], "at": at(nth)}))
                    .collect();
                fs::write(world.home().join("games.json"), said(&serde_json::json!({"games": all}))).unwrap();
                let other = |nth: usize| match lists {
                    "paths, working folders" => Some(program_folder(&at(nth), NAMES[nth], layout)),
                    "paths, data folders" => Some(at(nth).join("data")),
                    _ => None,
                };
                let cwd: Vec<_> = (0..3)
                    .filter_map(|nth| Some(serde_json::json!({"of": format!("k-{nth}"), "cwd": other(nth)?})))
                    .collect();
                if !cwd.is_empty() {
                    fs::write(world.home().join("starts.json"), said(&serde_json::json!(cwd))).unwrap();
                }
                if lists.ends_with("libraries") {
                    let shelves: Vec<_> = shelves.iter().map(|shelf| serde_json::json!({"in": world.top.join("drives/swift").join(shelf.split('/').next().unwrap())})).collect();
                    fs::write(world.home().join("shelves.json"), said(&serde_json::json!({"shelves": shelves})))
                        .unwrap();
                }
                let site = world.site();
                let learned = learn(&site, &[], &[], &|_| {});
                assert_eq!(learned.launchers.len(), 1, "{what}: {:#?}", learned.launchers);
                let launcher = &learned.launchers[0];
                let games: Vec<&Path> = launcher.games.iter().map(|game| game.install.as_path()).collect();
                assert_eq!(launcher.doubt, None, "{what}: {}", launcher.profile);
                assert_eq!(games, (0..3).map(at).collect::<Vec<_>>(), "{what}: {}", launcher.profile);
                fs::create_dir_all(site.profile_folder()).unwrap();
                fs::write(site.profile_folder().join("kite.toml"), &launcher.profile).unwrap();
                let found = survey(&site, Vec::new(), &|_| {});
                let game = found.games.iter().find(|game| game.found.install == at(1)).unwrap();
                let mut draft = Draft::default();
                draft.send(game.id.clone(), Destination::Drive("newhold".into()));
                let plan = plan(&site, &found, &draft, Policy::Release);
                assert!(!plan.blocked(), "{what}: {:?}", plan.findings);
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let end = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
                let proof = end.items[0].proof.clone().unwrap();
                assert!(proof.holds(), "{what}");
                assert_eq!(proof.residue.unwrap().places, 0, "{what}");
                for file in ["games.json", "starts.json"] {
                    let text = fs::read_to_string(world.home().join(file)).unwrap_or_default();
                    assert!(!text.contains(at(1).to_str().unwrap()), "{what}: {text}");
                    assert!(text.is_empty() || text.contains(at(0).to_str().unwrap()), "{what}: {text}");
                }
            }
        }
    }
}
