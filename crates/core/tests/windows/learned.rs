//! Launchers of other habits: a file for each game, a folder for each, paths in small letters; learned, moved, and brought back.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::world::declared;

const GAMES: [&str; 3] = ["Fen", "Moor Two", "Öd & Co"];

/// What a launcher is called by here, and the files that it writes in its own folder for games at these paths.
type Habit = (&'static str, fn(&[String]) -> Vec<(String, String)>);

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn entry(n: usize, path: &str) -> String {
    let program = format!("{path}\\bin\\go.exe");
    format!("{{\"id\": \"k{n}\", \"title\": {}, \"at\": {}, \"go\": {}}}\n", json(GAMES[n]), json(path), json(&program))
}

const HABITS: [Habit; 4] = [
    ("a file for each", |paths| (0..GAMES.len()).map(|n| (format!("games/k{n}.json"), entry(n, &paths[n]))).collect()),
    ("a folder for each", |paths| {
        (0..GAMES.len()).map(|n| (format!("games/k{n}/about.json"), entry(n, &paths[n]))).collect()
    }),
    ("small letters", |paths| {
        let all: Vec<String> = (0..GAMES.len()).map(|n| entry(n, &paths[n].to_lowercase())).collect();
        vec![("list.json".into(), format!("[{}]\n", all.join(", ")))]
    }),
    ("a list and starts beside it", |paths| {
        let all: Vec<String> = (0..GAMES.len()).map(|n| entry(n, &paths[n])).collect();
        let starts: Vec<String> =
            paths.iter().enumerate().map(|(n, path)| format!("start{n}={path}\\bin\\go.exe\r\n")).collect();
        vec![
            ("data/list.json".into(), format!("[{}]\n", all.join(", "))),
            ("data/starts.ini".into(), format!("[starts]\r\n{}", starts.concat())),
        ]
    }),
];

struct World {
    top: PathBuf,
    writes: fn(&[String]) -> Vec<(String, String)>,
    _folder: tempfile::TempDir,
}

impl World {
    fn new(writes: fn(&[String]) -> Vec<(String, String)>) -> Self {
        let (folder, top) = declared(&["swift", "newhold"]);
        let world = Self { top, writes, _folder: folder };
        for (n, path) in world.paths(&[]).iter().map(Path::new).enumerate() {
            fs::create_dir_all(path.join("bin")).unwrap();
            fs::write(path.join("bin").join("go.exe"), format!("MZ program {n}")).unwrap();
            fs::write(path.join("data.pak"), vec![n as u8; 300_000 + n]).unwrap();
        }
        for (file, text) in world.says(&[]) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        }
        world
    }

    fn paths(&self, moved: &[usize]) -> Vec<String> {
        let drive = |n: usize| if moved.contains(&n) { "newhold" } else { "swift" };
        let path = |n: usize| self.top.join("drives").join(drive(n)).join("games").join(GAMES[n]);
        (0..GAMES.len()).map(|n| path(n).to_str().unwrap().to_string()).collect()
    }

    /// The files, with what they are to say.
    fn says(&self, moved: &[usize]) -> Vec<(PathBuf, String)> {
        let own = ["home", "AppData", "Local", "petrel"].iter().fold(self.top.clone(), |at, name| at.join(name));
        let at = |name: &str| name.split('/').fold(own.clone(), |at, name| at.join(name));
        (self.writes)(&self.paths(moved)).into_iter().map(|(name, text)| (at(&name), text)).collect()
    }

    fn now(&self) -> Vec<(PathBuf, String)> {
        self.says(&[]).into_iter().map(|(file, _)| (file.clone(), fs::read_to_string(file).unwrap())).collect()
    }
}

#[test]
fn launchers_of_other_habits_are_learned_and_their_games_moved_and_brought_back() {
    for (habit, writes) in HABITS {
        let world = World::new(writes);
        let site = Site::of_world(&world.top).unwrap();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{habit}: {learned:?}") };
        assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{habit}\n{}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        for game in
            found.games.iter().filter(|game| game.found.install.ends_with(GAMES[1]) || game.found.title == GAMES[1])
        {
            draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        }
        let plan = plan_of(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked() && plan.items.len() == 1, "{habit}: {:?}\n{}", plan.findings, launcher.profile);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
        let id = haul.id();
        let end = haul.run(&|_| {}, &Control::default()).unwrap();
        assert!(!end.differs(), "{habit}: {end:?}");
        let pairs = |all: Vec<(PathBuf, String)>| all.into_iter().map(|(_, text)| text).collect::<Vec<_>>();
        // In what order a program writes its names is its own affair; their letters are those that stood there.
        let (now, wanted) = (pairs(world.now()), pairs(world.says(&[1])));
        assert_eq!(now.join("\n").to_lowercase(), wanted.join("\n").to_lowercase(), "{habit}");
        if habit != "small letters" {
            assert_eq!(now, wanted, "{habit}");
        }
        assert_eq!(fs::read(Path::new(&world.paths(&[1])[1]).join("data.pak")).unwrap(), vec![1; 300_001]);
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert_eq!(world.now(), world.says(&[]), "{habit}, undone");
    }
}
