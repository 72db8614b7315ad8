//! A launcher that keeps a file of each game in its library, and a list of libraries that says which games each has: both go with a game.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::PathBuf;
use std::sync::Arc;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::Gate;
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::acts::{KilledAtRecords, both_ways, every_fault};
use crate::port::{declare, folder_in_memory};

const PROFILE: &str = r#"format = 1
id = "gannet"
name = "Gannet"
home = ["{config}/gannet"]

[libraries]
file = "{home}/shelves.dat"
as = "nested"
list = "$.shelves"
path = "$.at"
default = "none"
new = "{drive}/shelf"
new-entry = "\"{nr}\"\n\t{\n\t\t\"at\" \"{library}\"\n\t\t\"count\" \"0\"\n\t\t\"has\"\n\t\t{\n\t\t}\n\t}"

[[libraries.holds]]
selector = "$.has"
says = "games"

[[libraries.holds]]
selector = "$.count"
says = "count"

[games]
file = "{library}/notes/of-{id}.dat"
as = "nested"
entries = "$.berth"
travels = true
title = "$.name"
claim = "$.size"
install = "{library}/rows/{folder}"

[[games.records]]
selector = "$.dir"
meaning = "{folder}"

[[games.records]]
selector = "$.launch"
within = "command"
meaning = "{install}/{tail}"
"#;

/// Id, title, folder, bytes of what is in it, and the drive it is on.
type Listed = (&'static str, &'static str, &'static str, usize, &'static str);

const GAMES: [Listed; 3] = [
    ("7", "Fen & Far", "Fen & Far", 5000, "swift"),
    ("19", "Fen", "fen", 6000, "swift"),
    ("205", "Öd", "Öd 2", 7000, "swift"),
];

struct World {
    folder: tempfile::TempDir,
}

impl World {
    fn new() -> Self {
        let world = Self { folder: folder_in_memory() };
        let top = world.top();
        declare(&top, &["swift", "newhold"]);
        fs::create_dir_all(top.join("home/.config/gannet")).unwrap();
        for (_, _, folder, size, drive) in GAMES {
            let game = top.join("drives").join(drive).join("shelf/rows").join(folder);
            fs::create_dir_all(game.join("bin")).unwrap();
            fs::write(game.join("bin/go"), "#!/bin/sh\n").unwrap();
            fs::write(game.join("data.pak"), vec![3; size - 10]).unwrap();
        }
        for (file, text) in world.files(&GAMES) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        }
        let site = world.site(None);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("gannet.toml"), PROFILE).unwrap();
        world
    }

    fn top(&self) -> PathBuf {
        self.folder.path().canonicalize().unwrap()
    }

    fn site(&self, gate: Option<Arc<dyn Gate>>) -> Site {
        let mut site = Site::of_world(&self.top()).unwrap();
        if let Some(gate) = gate {
            site.disk = site.disk.and_gate(gate);
        }
        site
    }

    /// What the launcher has written when its games lie on these drives.
    fn files(&self, games: &[Listed]) -> BTreeMap<PathBuf, String> {
        let mut out = BTreeMap::new();
        let mut index = String::from("\"shelves\"\n{\n");
        let drives: Vec<&str> = ["swift", "newhold"]
            .into_iter()
            .filter(|drive| *drive == "swift" || games.iter().any(|game| game.4 == *drive))
            .collect();
        for (nr, drive) in drives.into_iter().enumerate() {
            let shelf = self.top().join("drives").join(drive).join("shelf");
            let here: Vec<&Listed> = games.iter().filter(|game| game.4 == drive).collect();
            write!(
                index,
                "\t\"{nr}\"\n\t{{\n\t\t\"at\" \"{}\"\n\t\t\"count\" \"{}\"\n\t\t\"has\"\n\t\t{{\n",
                shelf.display(),
                here.len()
            )
            .unwrap();
            for (id, title, folder, size, _) in here {
                writeln!(index, "\t\t\t\"{id}\" \"{size}\"").unwrap();
                let launch = format!("'{}/rows/{folder}/bin/go' --full", shelf.display());
                let text = format!(
                    "\"berth\"\n{{\n\t\"id\"\t\"{id}\"\n\t\"name\"\t\"{title}\"\n\t\"dir\"\t\"{folder}\"\n\t\"size\"\t\"{size}\"\n\t\"launch\"\t\"{launch}\"\n}}\n"
                );
                out.insert(shelf.join(format!("notes/of-{id}.dat")), text);
            }
            index.push_str("\t\t}\n\t}\n");
        }
        index.push_str("}\n");
        out.insert(self.top().join("home/.config/gannet/shelves.dat"), index);
        out
    }

    /// All that the launcher has written now.
    fn written(&self) -> BTreeMap<PathBuf, String> {
        let mut out = BTreeMap::new();
        let mut folders = vec![self.top().join("home/.config/gannet")];
        folders.extend(["swift", "newhold"].map(|drive| self.top().join("drives").join(drive).join("shelf/notes")));
        for entry in folders.iter().filter_map(|folder| fs::read_dir(folder).ok()).flatten().flatten() {
            out.insert(entry.path(), fs::read_to_string(entry.path()).unwrap());
        }
        out
    }

    /// Lines of each file in any order: what goes and comes back stands behind the others.
    fn judge(&self, games: &[Listed], when: &str) {
        let sorted = |files: BTreeMap<PathBuf, String>| -> BTreeMap<PathBuf, Vec<String>> {
            let lines = |text: String| {
                let mut lines: Vec<String> = text.lines().map(str::to_string).collect();
                lines.sort();
                lines
            };
            files.into_iter().map(|(file, text)| (file, lines(text))).collect()
        };
        assert_eq!(sorted(self.written()), sorted(self.files(games)), "{when}");
        for (_, title, folder, size, drive) in games {
            let game = self.top().join("drives").join(drive).join("shelf/rows").join(folder);
            assert_eq!(fs::read(game.join("data.pak")).unwrap().len(), size - 10, "{when}: {title}");
        }
    }

    fn plan(&self, nth: usize) -> Plan {
        let site = self.site(None);
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        let id = GAMES[nth].0;
        let game = found.games.iter().find(|game| game.found.id == id).unwrap();
        assert_eq!(game.found.fault, None);
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{:?}", plan.findings);
        plan
    }

    fn haul(&self, plan: &Plan, gate: Option<Arc<dyn Gate>>) -> Result<HaulId, String> {
        let site = self.site(gate);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let mut haul = Haul::begin(&site, &journal, plan).map_err(|e| e.to_string())?;
        let id = haul.id();
        haul.run(&|_| {}, &Control::default()).map_err(|e| e.to_string())?;
        Ok(id)
    }

    fn undo(&self, haul: HaulId) {
        let site = self.site(None);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    }
}

fn on(drives: [&'static str; 3]) -> Vec<Listed> {
    GAMES.iter().zip(drives).map(|(game, drive)| (game.0, game.1, game.2, game.3, drive)).collect()
}

#[test]
fn a_games_own_file_and_what_its_library_says_of_it_go_with_it_and_come_back_in_any_order() {
    let world = World::new();
    let first = world.haul(&world.plan(0), None).unwrap();
    world.judge(&on(["newhold", "swift", "swift"]), "the first to a new library");
    let second = world.haul(&world.plan(2), None).unwrap();
    world.judge(&on(["newhold", "swift", "newhold"]), "a second to the same");
    world.undo(first);
    world.judge(&on(["swift", "swift", "newhold"]), "the first is back");
    let site = world.site(None);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let removed = release_haul(&site, &journal, second, &|_| {}, &Control::default()).unwrap();
    assert_eq!(removed.left, []);
    drop(journal);
    world.undo(second);
    world.judge(&GAMES, "and the second, whose originals were gone: the last one takes the library away");
}

#[test]
fn several_games_go_to_one_new_library_in_one_haul_and_it_is_listed_once() {
    let world = World::new();
    let before = world.written();
    let site = world.site(None);
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for game in &found.games {
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    }
    let plan = plan(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    assert_eq!(plan.items.len(), 3);
    let haul = world.haul(&plan, None).unwrap();
    world.judge(&on(["newhold", "newhold", "newhold"]), "all three");
    world.undo(haul);
    let lines = |files: &BTreeMap<PathBuf, String>| -> BTreeMap<PathBuf, Vec<String>> {
        let sorted = |text: &String| {
            let mut lines: Vec<String> = text.lines().map(str::to_string).collect();
            lines.sort();
            lines
        };
        files.iter().map(|(file, text)| (file.clone(), sorted(text))).collect()
    };
    assert_eq!(lines(&world.written()), lines(&before));
    assert!(!world.top().join("drives/newhold/shelf").exists());
}

/// Whether a path is that of a record.
fn is_record(path: &str) -> bool {
    path.contains("/.config/gannet") || path.contains("/notes")
}

#[test]
fn killed_at_any_act_on_them_all_of_it_is_there_or_here_at_the_next_start() {
    let world = World::new();
    let before = world.written();
    let count = KilledAtRecords::new(is_record, usize::MAX);
    let haul = world.haul(&world.plan(1), Some(count.clone())).unwrap();
    world.undo(haul);
    assert_eq!(world.written(), before, "an undo gives the same bytes");
    let acts = count.acts();
    assert!(acts > 10, "{acts}");
    let step = if every_fault() { 1 } else { 3 };
    for (n, resumes) in both_ways((0..acts).step_by(step)) {
        let when = format!("act {n} of {acts}, resumed: {resumes}");
        let gate = KilledAtRecords::new(is_record, n);
        world.haul(&world.plan(1), Some(gate)).expect_err(&when);
        let site = world.site(None);
        let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
        let haul = unfinished.unwrap_or_else(|| panic!("{when}: nothing is left to do")).id;
        if resumes {
            Haul::of(&site, &journal, haul).unwrap().run(&|_| {}, &Control::default()).unwrap();
            world.judge(&on(["swift", "newhold", "swift"]), &when);
        }
        drop(journal);
        world.undo(haul);
        assert_eq!(world.written(), before, "{when}");
        assert!(!world.top().join("drives/newhold/shelf").exists(), "{when}");
    }
}

#[test]
fn a_file_that_the_other_library_has_already_or_that_is_gone_stops_a_haul_before_it_begins() {
    let world = World::new();
    let taken = world.top().join("drives/newhold/shelf/notes");
    fs::create_dir_all(&taken).unwrap();
    fs::write(taken.join("of-7.dat"), "x").unwrap();
    let site = world.site(None);
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    draft.send(
        found.games.iter().find(|game| game.found.id == "7").unwrap().id.clone(),
        Destination::Drive("newhold".into()),
    );
    assert!(plan(&site, &found, &draft, Policy::Hold).blocked());
    assert_eq!(fs::read_to_string(taken.join("of-7.dat")).unwrap(), "x");
}
