//! Launchers that say of each game the way down to it from a folder above, through folders between, or the way there from their own file: their
//! games are learned, moved as deep into the other library, or the folder above is written anew beside an unchanged way; every other sign
//! stays, and all comes back.

use std::cell::RefCell;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{add_to_survey, survey};
use deft_barge_core::trace::{Sure, trace, usual_places};

use crate::port::{declare, folder_in_memory, haul_folders};

/// Code, number, title, way down.
const GAMES: [(&str, u32, &str, &str); 5] = [
    ("fen", 7741, "Fen: First", "rpg/Fen"),
    ("moor2", 903, "Moor Two", "moor's-two"),
    ("oed", 1200, "Öd & Co", "sim/old ones/Öd & land"),
    ("fentwo", 5512, "Fen Two", "rpg/Fen Two"),
    ("gull", 88, "Gull", "sim/gull"),
];

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;").replace('\'', "&apos;")
}

/// What a launcher says whose libraries are these, with the library of each game: files and what they hold.
type Writer = fn(&World, &[usize]) -> Vec<(PathBuf, String)>;

fn all(world: &World, of: &[usize], one: impl Fn(usize, usize) -> String) -> Vec<String> {
    assert_eq!(of.len(), GAMES.len(), "{:?}", world.libraries);
    of.iter().enumerate().map(|(n, library)| one(n, *library)).collect()
}

/// What it is called, whether an entry says the folder above itself, and what is written.
const SHAPES: [(&str, bool, Writer); 12] = [
    ("JSON, the library by its number", false, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            format!("{{\"code\":{},\"title\":{},\"lib\":{},\"dir\":{}}}", json(code), json(title), at + 1, json(way))
        };
        let library = |n: usize| format!("{{\"id\":{},\"path\":{}}}", n + 1, json(&world.library(n)));
        let games = all(world, of, game).join(",\n");
        let text = format!("{{\"libs\":[{},{}],\n\"games\":[{games}]}}\n", library(0), library(1));
        vec![(world.home.join("g.json"), text)]
    }),
    ("XML, the library by its name", false, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            let store = ["main", "spare"][at];
            format!("  <app code=\"{code}\" store=\"{store}\" dir=\"{}\">{}</app>\n", xml(way), xml(title))
        };
        let store =
            |n: usize| format!("  <store name=\"{}\" path=\"{}\"/>\n", ["main", "spare"][n], xml(&world.library(n)));
        let games = all(world, of, game).concat();
        vec![(world.home.join("g.xml"), format!("<petrel>\n{}{}{games}</petrel>\n", store(0), store(1)))]
    }),
    ("YAML, the library's path", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            let root = world.library(at);
            format!("- code: {code}\n  title: {}\n  root: {}\n  dir: {}\n", json(title), json(&root), json(way))
        };
        vec![(world.home.join("g.yml"), all(world, of, game).concat())]
    }),
    ("JSON by code, the library's path and its program", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            let (root, program) = (json(&world.library(at)), json(&format!("{way}/bin/go")));
            let title = json(title);
            format!("{}:{{\"title\":{title},\"root\":{root},\"dir\":{},\"run\":{program}}}", json(code), json(way))
        };
        vec![(world.home.join("g.json"), format!("{{{}}}\n", all(world, of, game).join(",\n ")))]
    }),
    ("TOML for each, from the top of the drive", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            let (top, way) = (world.drive(at), format!("petrel games/{way}"));
            format!("code = \"{code}\"\ntitle = {}\nvolume = {}\npath = {}\n", json(title), json(&top), json(&way))
        };
        let texts = all(world, of, game);
        let file = |n: usize| world.home.join(format!("games/{}.toml", GAMES[n].1));
        texts.into_iter().enumerate().map(|(n, text)| (file(n), text)).collect()
    }),
    ("INI, the library's path", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            format!("[{code}]\nname={title}\nbase={}\nfolder={way}\n\n", world.library(at))
        };
        vec![(world.home.join("g.ini"), all(world, of, game).concat())]
    }),
    ("nested text, the library by its number", false, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            let (title, way) = (json(title), json(way));
            format!("\t\"{code}\"\n\t{{\n\t\t\"title\"\t{title}\n\t\t\"lib\"\t\"{at}0\"\n\t\t\"dir\"\t{way}\n\t}}\n")
        };
        let library = |n: usize| format!("\t\t\"{n}0\"\t{}\n", json(&world.library(n)));
        let games = all(world, of, game).concat();
        let libraries = format!("\t\"libs\"\n\t{{\n{}{}\t}}\n", library(0), library(1));
        vec![(world.home.join("g.dat"), format!("\"petrel\"\n{{\n{libraries}{games}}}\n"))]
    }),
    ("a file for each in its library", false, |world, of| {
        let game = |n: usize, _: usize| {
            let (code, _, title, way) = GAMES[n];
            format!("code={code}\ntitle={title}\nfolder={way}\n")
        };
        let texts = all(world, of, game).into_iter().enumerate();
        let file = |n: usize| Path::new(&world.library(of[n])).join(format!("{}.mf", GAMES[n].1));
        let list = format!("[{}, {}]\n", json(&world.library(0)), json(&world.library(1)));
        texts.map(|(n, text)| (file(n), text)).chain([(world.home.join("l.json"), list)]).collect()
    }),
    ("a document in a text, the library by its number", false, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, way) = GAMES[n];
            format!("{{\"code\":{},\"title\":{},\"lib\":\"s{at}\",\"dir\":{}}}", json(code), json(title), json(way))
        };
        let library = |n: usize| format!("{{\"id\":\"s{n}\",\"path\":{}}}", json(&world.library(n)));
        let games = all(world, of, game).join(",");
        let inner = format!("{{\"libs\":[{},{}],\"games\":[{games}]}}", library(0), library(1));
        vec![(world.home.join("g.json"), format!("{{\"v\":2,\"state\":{}}}\n", json(&inner)))]
    }),
    ("JSON, from the file's own folder", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, _) = GAMES[n];
            let (title, way) = (json(title), json(&world.climb(n, at, 4)));
            format!("{{\"code\":{},\"title\":{title},\"at\":{way}}}", json(code))
        };
        vec![(world.home.join("g.json"), format!("[{}]\n", all(world, of, game).join(",\n")))]
    }),
    ("XML, from the file's own folder, and its program", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, _) = GAMES[n];
            let (title, way) = (xml(title), xml(&world.climb(n, at, 4)));
            format!("<app code=\"{code}\"><name>{title}</name><at>{way}</at><run>{way}/bin/go</run></app>\n")
        };
        vec![(world.home.join("g.xml"), format!("<all>\n{}</all>\n", all(world, of, game).concat()))]
    }),
    ("a file for each, from its own folder", true, |world, of| {
        let game = |n: usize, at: usize| {
            let (code, _, title, _) = GAMES[n];
            format!("code: {code}\ntitle: {}\nat: {}\n", json(title), json(&world.climb(n, at, 5)))
        };
        let texts = all(world, of, game).into_iter().enumerate();
        texts.map(|(n, text)| (world.home.join(format!("games/{}.yaml", GAMES[n].1)), text)).collect()
    }),
];

struct World {
    top: PathBuf,
    home: PathBuf,
    libraries: [String; 2],
    /// Where games went that no library is told of.
    went: RefCell<HashMap<usize, PathBuf>>,
    _folder: tempfile::TempDir,
}

impl World {
    fn new(write: Writer) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let library = |drive: &str| top.join("drives").join(drive).join("petrel games").to_str().unwrap().to_string();
        let libraries = [library("swift"), library("newhold")];
        let home = top.join("home/.local/share/petrel");
        let world = Self { top, home, libraries, went: RefCell::default(), _folder: folder };
        fs::create_dir_all(world.library(1)).unwrap();
        for n in 0..GAMES.len() {
            let at = world.game(n, 0);
            fs::create_dir_all(at.join("bin")).unwrap();
            fs::write(at.join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
            fs::write(at.join("data.pak"), vec![n as u8; 9000 + n]).unwrap();
        }
        for (file, text) in write(&world, &[0; GAMES.len()]) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        }
        world
    }

    fn library(&self, nth: usize) -> String {
        self.libraries[nth].clone()
    }

    fn drive(&self, nth: usize) -> String {
        Path::new(&self.libraries[nth]).parent().unwrap().to_str().unwrap().to_string()
    }

    fn game(&self, nth: usize, library: usize) -> PathBuf {
        let went = self.went.borrow().get(&nth).cloned().filter(|_| library == 1);
        went.unwrap_or_else(|| Path::new(&self.libraries[library]).join(GAMES[nth].3))
    }

    /// Notes where a haul has brought games whose entries name no folder above.
    fn follow(&self, what: &str, journal: &Journal, haul: HaulId) {
        if what.contains("own folder") {
            let items = journal.haul(haul).unwrap().unwrap().items;
            let nth = |from: &Path| (0..GAMES.len()).find(|n| self.game(*n, 0) == from).unwrap();
            let went = items.iter().map(|item| (nth(&item.planned.from), item.planned.to.clone()));
            *self.went.borrow_mut() = went.collect();
        }
    }

    /// The path to a game from a folder so many below the top.
    fn climb(&self, nth: usize, library: usize, from: usize) -> String {
        let below = self.game(nth, library).strip_prefix(&self.top).unwrap().to_str().unwrap().to_string();
        format!("{}{below}", "../".repeat(from))
    }

    /// Whether all files say what the launcher would say of games that lie in these libraries.
    fn judge(&self, write: Writer, moved: &[usize], what: &str) {
        let of: Vec<usize> = (0..GAMES.len()).map(|n| usize::from(moved.contains(&n))).collect();
        for (file, text) in write(self, &of) {
            let says = fs::read_to_string(&file).unwrap_or_default();
            assert_eq!(says, text, "{what}: {}", file.display());
        }
        for n in 0..GAMES.len() {
            assert!(self.game(n, of[n]).join("bin/go").exists(), "{what}: {}", GAMES[n].2);
        }
    }

    fn journal(&self) -> (Site, Journal) {
        let site = Site::of_world(&self.top).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        (site, journal)
    }
}

/// Runs every shape and tells which of them were wrong.
fn each_shape(only_with_roots: bool, tried: impl Fn(&str, Writer) + std::panic::RefUnwindSafe) {
    let shapes = SHAPES.iter().filter(|(_, root, _)| *root || !only_with_roots);
    let wrong: Vec<&str> = shapes
        .filter(|(what, _, write)| std::panic::catch_unwind(|| tried(what, *write)).is_err())
        .map(|(what, ..)| *what)
        .collect();
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn ways_down_to_games_are_learned_and_stay_while_the_folder_above_changes() {
    each_shape(false, |what, write| {
        let world = World::new(write);
        let (site, journal) = world.journal();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{what}: {learned:?}") };
        assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{what}\n{}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        for games in [vec![0], vec![2, 3], vec![1], vec![4]] {
            let folders: Vec<PathBuf> = games.iter().map(|n| world.game(*n, 0)).collect();
            let haul = haul_folders(&site, &journal, &folders, "newhold", &launcher.profile);
            world.follow(what, &journal, haul);
            world.judge(write, &games, what);
            undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
            world.judge(write, &[], &format!("{what}, undone"));
        }
    });
}

#[test]
fn a_traced_game_goes_with_the_folder_from_which_its_entry_says_the_way() {
    each_shape(true, |what, write| {
        let world = World::new(write);
        let (site, journal) = world.journal();
        for n in 0..GAMES.len() {
            let path = world.game(n, 0);
            let trace = trace(&site, &path, &usual_places(&site, &path), &|_| {});
            let mut found = survey(&site, Vec::new(), &|_| {});
            let id = add_to_survey(&site, &mut found, &trace);
            let mut draft = Draft::default();
            draft.send(id, Destination::Drive("newhold".into()));
            let plan = plan(&site, &found, &draft, Policy::Hold);
            assert!(!plan.blocked(), "{what}: {:?}\n{:#?}", plan.findings, trace.finds);
            let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
            let id = haul.id();
            haul.run(&|_| {}, &Control::default()).unwrap();
            world.follow(what, &journal, id);
            world.judge(write, &[n], what);
            undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
            world.judge(write, &[], &format!("{what}, undone"));
        }
    });
}

/// Two files that start at different folders above: only one of these can go with the game, and the other file is named.
#[test]
fn ways_from_two_folders_above_are_not_both_rewritten_and_what_an_entry_says_beside_is() {
    let world = World::new(|world, of| {
        let (library, drive) = (world.library(of[0]), world.drive(of[0]));
        let entry = |root: &str, way: &str| format!("\"root\":{},\"dir\":{}", json(root), json(way));
        let beside = |at: &str, name: &str| format!("\"parent\":{},\"folder\":\"{name}\"", json(&format!("{at}/rpg")));
        // What the other game says stays.
        let lies = world.library(0);
        let [fen, two] = [(&library, "Fen"), (&lies, "Fen Two")]
            .map(|(at, name)| format!("{{{},{}}}", entry(at, &format!("rpg/{name}")), beside(at, name)));
        let one = format!("[{fen},{two}]\n");
        let [fen, moor] = ["rpg/Fen", "moor's-two"].map(|way| entry(&drive, &format!("petrel games/{way}")));
        let other = format!("[{{{fen}}},{{{moor}}}]\n");
        vec![(world.home.join("a.json"), one), (world.home.join("b.json"), other)]
    });
    let [was, said] = ["a.json", "b.json"].map(|file| fs::read_to_string(world.home.join(file)).unwrap());
    let (site, journal) = world.journal();
    let path = world.game(0, 0);
    let trace = trace(&site, &path, &usual_places(&site, &path), &|_| {});
    let sure: Vec<(&str, Sure)> = trace
        .finds
        .iter()
        .filter(|find| find.record.file.ends_with("b.json"))
        .map(|find| (find.record.location.as_str(), find.sure))
        .collect();
    assert_eq!(sure, [("$[0]['dir']", Sure::Unreadable), ("$[0]['root']", Sure::Unreadable)]);
    let mut found = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut found, &trace);
    let mut draft = Draft::default();
    draft.send(id, Destination::Drive("newhold".into()));
    let plan = plan(&site, &found, &draft, Policy::Hold);
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let [old, new] = [0, 1].map(|nth| world.library(nth));
    let (fen, rest) = was.split_once("},").unwrap();
    let wanted = format!("{}}},{rest}", fen.replace(&old, &new));
    assert_eq!(fs::read_to_string(world.home.join("a.json")).unwrap(), wanted);
    assert_eq!(fs::read_to_string(world.home.join("b.json")).unwrap(), said);
    assert!(world.game(0, 1).join("bin/go").exists());
}

/// A game that isn't installed beside a folder that nobody lists is no sign; an entry that says such a folder in a way that isn't read is.
#[test]
fn a_list_that_speaks_of_folders_in_a_way_that_is_not_read_is_not_learned_from_the_rest() {
    let learned = |stray: &str, said: &str| {
        let world = World::new(SHAPES[0].2);
        let file = world.home.join("g.json");
        let more = format!("\"games\":[{{\"code\":\"more\",\"title\":\"More\",\"lib\":1,\"dir\":{}}},\n", json(said));
        let text = fs::read_to_string(&file).unwrap().replace("\"games\":[", &more);
        fs::write(&file, text).unwrap();
        let stray = Path::new(&world.library(0)).join(stray);
        fs::create_dir_all(stray.join("bin")).unwrap();
        fs::write(stray.join("bin/go"), "#!/bin/sh\n").unwrap();
        fs::write(stray.join("data.pak"), [7; 5000]).unwrap();
        let (site, _) = world.journal();
        learn(&site, &[], &[], &|_| {})
            .launchers
            .iter()
            .any(|one| one.doubt.is_none() && one.games.len() >= GAMES.len())
    };
    assert!(learned("old mods", "Elsewhere"));
    assert!(!learned("Slow River", "Slow%20River"));
    assert!(!learned("Slow River", "/Slow River/bin/go"));
}
