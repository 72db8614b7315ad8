//! Launchers that write paths as Windows does: learned, their games moved, released and brought back.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::world::{declared, literal};

const GAMES: [&str; 3] = ["Fen", "Moor Two", "Öd & Co"];

/// How a launcher writes its list: what it is called, and what it says of games at these paths.
type Writes = (&'static str, &'static str, fn(&[String]) -> String);

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

const WAYS: [Writes; 4] = [
    ("JSON with backslashes", "games.json", |paths| {
        let entry =
            |n: usize| format!("{{\"id\": \"k{n}\", \"title\": {}, \"at\": {}}}", json(GAMES[n]), json(&paths[n]));
        let all: Vec<String> = (0..GAMES.len()).map(entry).collect();
        format!("{{\"version\": 2, \"games\": [\n  {}\n]}}\n", all.join(",\n  "))
    }),
    ("JSON with slashes", "list.json", |paths| {
        let entry = |n: usize| {
            let path = paths[n].replace('\\', "/");
            format!("{{\"id\": \"k{n}\", \"title\": {}, \"at\": {}}}", json(GAMES[n]), json(&path))
        };
        let all: Vec<String> = (0..GAMES.len()).map(entry).collect();
        format!("[{}]\n", all.join(", "))
    }),
    ("INI", "games.ini", |paths| {
        let section = |n: usize| format!("[game{n}]\r\ntitle={}\r\nfolder={}\r\n", GAMES[n], paths[n]);
        (0..GAMES.len()).map(section).collect::<Vec<_>>().join("\r\n")
    }),
    ("XML", "games.xml", |paths| {
        let escaped = |text: &str| text.replace('&', "&amp;");
        let entry = |n: usize| {
            format!("  <game id=\"k{n}\" title=\"{}\" path=\"{}\"/>\n", escaped(GAMES[n]), escaped(&paths[n]))
        };
        format!("<games>\n{}</games>\n", (0..GAMES.len()).map(entry).collect::<String>())
    }),
];

/// Files of the game that moves, with names by which usual paths lead to devices.
const ODD: [&str; 3] = ["nul", "con.txt", "aux/lpt1.cfg"];

/// What the odd files at a place hold.
fn odd_at(place: &str) -> Vec<String> {
    let read = |name: &&str| fs::read_to_string(literal(&Path::new(place).join(name))).unwrap_or_default();
    ODD.iter().map(read).collect()
}

struct World {
    top: PathBuf,
    file: PathBuf,
    writes: fn(&[String]) -> String,
    _folder: tempfile::TempDir,
}

impl World {
    fn new((_, name, writes): Writes) -> Self {
        let (folder, top) = declared(&["swift", "newhold"]);
        let file = top.join("home").join(".local").join("share").join("petrel").join(name);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        let world = Self { top, file, writes, _folder: folder };
        for (n, path) in world.paths(&[]).iter().map(Path::new).enumerate() {
            fs::create_dir_all(path.join("bin")).unwrap();
            fs::write(path.join("bin").join("go.exe"), format!("MZ program {n}")).unwrap();
            fs::write(path.join("data.pak"), vec![n as u8; 5_000_000 + n]).unwrap();
        }
        let moves = PathBuf::from(&world.paths(&[])[1]);
        fs::create_dir(literal(&moves.join("aux"))).unwrap();
        for name in ODD {
            fs::write(literal(&moves.join(name)), name).unwrap();
        }
        fs::write(&world.file, world.says(&[])).unwrap();
        world
    }

    fn paths(&self, moved: &[usize]) -> Vec<String> {
        let drive = |n: usize| if moved.contains(&n) { "newhold" } else { "swift" };
        let path = |n: usize| self.top.join("drives").join(drive(n)).join("games").join(GAMES[n]);
        (0..GAMES.len()).map(|n| path(n).to_str().unwrap().to_string()).collect()
    }

    fn says(&self, moved: &[usize]) -> String {
        (self.writes)(&self.paths(moved))
    }
}

#[test]
fn games_are_learned_moved_released_and_brought_back_by_records_with_drive_letters() {
    for way in WAYS {
        let world = World::new(way);
        let site = Site::of_world(&world.top).unwrap();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{}: {learned:?}", way.0) };
        assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{}\n{}", way.0, launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        for game in &found.games {
            if game.found.install.ends_with(GAMES[1]) {
                draft.send(game.id.clone(), Destination::Drive("newhold".into()));
            }
        }
        let plan = plan_of(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked() && plan.items.len() == 1, "{}: {:?}", way.0, plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
        let end = haul.run(&|_| {}, &Control::default()).unwrap();
        assert!(!end.differs(), "{}: {end:?}", way.0);
        let now = world.paths(&[1]);
        assert_eq!(fs::read_to_string(&world.file).unwrap(), world.says(&[1]), "{}", way.0);
        assert_eq!(fs::read(Path::new(&now[1]).join("data.pak")).unwrap(), vec![1; 5_000_001]);
        assert_eq!(odd_at(&now[1]), ODD, "{}", way.0);
        assert!(Path::new(&world.paths(&[])[1]).exists(), "the originals are kept");
        let id = journal.hauls().unwrap().last().unwrap().id;
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert_eq!(fs::read_to_string(&world.file).unwrap(), world.says(&[]), "{}, undone", way.0);
        assert!(!Path::new(&now[1]).exists());
        assert_eq!(fs::read(Path::new(&world.paths(&[])[1]).join("data.pak")).unwrap(), vec![1; 5_000_001]);
        assert_eq!(odd_at(&world.paths(&[])[1]), ODD, "{}", way.0);
        // Once more, and the originals go.
        let found = survey(&site, Vec::new(), &|_| {});
        let plan = plan_of(&site, &found, &draft, Policy::Hold);
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let id = journal.hauls().unwrap().iter().map(|haul| haul.id).max().unwrap();
        let removed = release_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert!(removed.left.is_empty(), "{}: {:?}", way.0, removed.left);
        assert!(!Path::new(&world.paths(&[])[1]).exists(), "{}", way.0);
        assert_eq!(fs::read(Path::new(&now[1]).join("data.pak")).unwrap(), vec![1; 5_000_001]);
        assert_eq!(odd_at(&now[1]), ODD, "{}, released", way.0);
        assert_eq!(fs::read_to_string(&world.file).unwrap(), world.says(&[1]), "{}, released", way.0);
    }
}
