//! Libraries to which games refer by a number, and rows of databases: a new one gets the next number, several in one haul each their own, what
//! counts their games is kept true; one in which another game lives stays known, and the last one that leaves takes it away.

mod writers;

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, undo_haul, undo_items};
use deft_barge_core::item::{Finding, FindingKind, Policy};
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::{Candidate, Known, learn};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use rusqlite::Connection;

use crate::port::{declare, folder_in_memory};
use writers::*;

const GAMES: [&str; 4] = ["Amber Fen", "Basalt Keep & Söhne", "Cobalt Tor", "O\u{308}de 🪁 Echo"];

/// What a launcher writes down: libraries by their numbers and folders, and of each game the number of its library in that list.
type Writer = fn(&Path, &[(i64, PathBuf)], &[usize]);

/// How such a launcher writes, whether a game says its library by a number, and the first of these.
struct Shape {
    what: &'static str,
    first: i64,
    write: Writer,
}

/// What is in a folder: of databases what their tables hold, of other files their bytes.
fn says(home: &Path) -> Vec<(PathBuf, String)> {
    let mut all: Vec<PathBuf> = fs::read_dir(home).unwrap().map(|entry| entry.unwrap().path()).collect();
    all.sort();
    let one = |file: PathBuf| {
        if file.extension().is_none_or(|end| end != "db") {
            let text = fs::read_to_string(&file).unwrap();
            return (file, text);
        }
        let db = Connection::open(&file).unwrap();
        let mut out = String::new();
        let has_sequence = "select 1 from sqlite_schema where name = 'sqlite_sequence'";
        let has_sequence = db.prepare(has_sequence).unwrap().exists([]).unwrap();
        for table in ["shelves", "games"].into_iter().chain(has_sequence.then_some("sqlite_sequence")) {
            let mut rows = db.prepare(&format!("select * from {table} order by 1")).unwrap();
            let columns = rows.column_count();
            let mut rows = rows.query([]).unwrap();
            while let Some(row) = rows.next().unwrap() {
                let cells = (0..columns).map(|n| format!("{:?}", row.get_ref(n).unwrap()));
                out.push_str(&format!("{table}: {}\n", cells.collect::<Vec<_>>().join(" ")));
            }
        }
        (file, out)
    };
    all.into_iter().map(one).collect()
}

struct World {
    top: PathBuf,
    home: PathBuf,
    shape: &'static Shape,
    _folder: tempfile::TempDir,
}

impl World {
    fn new(shape: &'static Shape) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "third", "newhold", "fourth"]);
        let home = top.join("home/.config/kestrel");
        let layer = top.join("home/.local/share/layer");
        fs::create_dir_all(layer.join("dosdevices")).unwrap();
        fs::create_dir_all(layer.join("drive_c")).unwrap();
        for (letter, to) in [("c:", "../drive_c"), ("z:", "/")] {
            std::os::unix::fs::symlink(to, layer.join("dosdevices").join(letter)).unwrap();
        }
        let world = Self { top, home, shape, _folder: folder };
        for (n, title) in GAMES.iter().enumerate() {
            let at = world.library(n % 2).1.join(title);
            fs::create_dir_all(at.join("bin")).unwrap();
            fs::write(at.join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
            fs::write(at.join("data.pak"), vec![n as u8; 9000 + n]).unwrap();
        }
        (shape.write)(&world.home, &[world.library(0), world.library(1)], &[0, 1, 0, 1]);
        world
    }

    fn library(&self, nth: usize) -> (i64, PathBuf) {
        let drive = ["swift", "third", "newhold", "fourth"][nth];
        (self.shape.first + nth as i64, self.top.join("drives").join(drive).join("kestrel games"))
    }

    /// What the launcher itself would write of these libraries, and of games in them.
    fn wanted(&self, libraries: &[usize], of: &[usize]) -> Vec<(PathBuf, String)> {
        let folder = tempfile::tempdir().unwrap();
        let listed: Vec<(i64, PathBuf)> =
            libraries.iter().enumerate().map(|(n, at)| (self.shape.first + n as i64, self.library(*at).1)).collect();
        (self.shape.write)(folder.path(), &listed, of);
        let there = says(folder.path());
        there.into_iter().map(|(file, text)| (self.home.join(file.file_name().unwrap()), text)).collect()
    }

    fn haul(&self, site: &Site, journal: &Journal, sent: &[(usize, &str)]) -> HaulId {
        let found = survey(site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        for (game, to) in sent {
            let [game] = found.find_games(GAMES[*game])[..] else { panic!("{}", GAMES[*game]) };
            draft.send(game.id.clone(), Destination::Drive((*to).into()));
        }
        let plan = plan(site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{}: {:#?}", self.shape.what, plan.findings);
        let mut haul = Haul::begin(site, journal, &plan).unwrap();
        let end = haul.run(&|_| {}, &Control::default()).unwrap();
        assert!(
            end.items.iter().all(|item| item.proof.as_ref().is_some_and(deft_barge_core::item::Proof::holds)),
            "{}",
            self.shape.what
        );
        haul.id()
    }

    fn journal(&self) -> (Site, Journal) {
        let site = Site::of_world(&self.top).unwrap();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{}: {learned:?}", self.shape.what) };
        assert_eq!(launcher.doubt, None, "{}\n{}", self.shape.what, launcher.profile);
        self.journal_with(&launcher.profile)
    }

    fn journal_with(&self, profile: &str) -> (Site, Journal) {
        let site = Site::of_world(&self.top).unwrap();
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("kestrel.toml"), profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        (site, journal)
    }
}

fn undo_one(site: &Site, journal: &Journal, haul: HaulId, title: &str) {
    let row = journal.haul(haul).unwrap().unwrap();
    let item = row.items.iter().find(|item| item.planned.title == title).unwrap().id;
    undo_items(site, journal, haul, &[item], &|_| {}, &Control::default()).unwrap();
}

#[test]
fn new_libraries_get_the_next_numbers_and_stay_known_while_a_game_lives_in_them() {
    for shape in &SHAPES {
        let world = World::new(shape);
        let was = says(&world.home);
        let (site, journal) = world.journal();
        // Two new libraries in one haul, two games in the first of them.
        let haul = world.haul(&site, &journal, &[(0, "newhold"), (2, "newhold"), (1, "fourth")]);
        let now = says(&world.home);
        let orders = [[0, 1, 2, 3], [0, 1, 3, 2]].map(|order| {
            let of = |library: usize| order.iter().position(|at| *at == library).unwrap();
            world.wanted(&order, &[of(2), of(3), of(2), of(1)])
        });
        assert!(orders.contains(&now), "{}\n{now:#?}\n{orders:#?}", shape.what);
        // One of two games goes back: the library of the other one stays.
        undo_one(&site, &journal, haul, GAMES[0]);
        let found = survey(&site, Vec::new(), &|_| {});
        let place = |title: &str| found.find_games(title)[0].found.install.clone();
        assert_eq!(place(GAMES[0]), world.library(0).1.join(GAMES[0]), "{}", shape.what);
        assert_eq!(place(GAMES[2]), world.library(2).1.join(GAMES[2]), "{}", shape.what);
        assert!(
            found.launchers[0].libraries.iter().any(|library| library.path == world.library(2).1),
            "{}",
            shape.what
        );
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
        assert_eq!(says(&world.home), was, "{}", shape.what);
    }
}

#[test]
fn a_library_that_one_haul_made_known_stays_while_the_game_of_another_lives_in_it() {
    for shape in &SHAPES {
        let world = World::new(shape);
        let (site, journal) = world.journal();
        let before = says(&world.home);
        let first = world.haul(&site, &journal, &[(0, "newhold")]);
        let second = world.haul(&site, &journal, &[(2, "newhold")]);
        undo_haul(&site, &journal, first, &|_| {}, &Control::default()).unwrap();
        let found = survey(&site, Vec::new(), &|_| {});
        let game = found.find_games(GAMES[2])[0];
        assert_eq!(
            (game.found.install.clone(), game.fault()),
            (world.library(2).1.join(GAMES[2]), None),
            "{}",
            shape.what
        );
        assert!(
            found.launchers[0].libraries.iter().any(|library| library.path == world.library(2).1),
            "{}",
            shape.what
        );
        undo_haul(&site, &journal, second, &|_| {}, &Control::default()).unwrap();
        assert_eq!(says(&world.home), before, "{}: the last one that leaves takes it away", shape.what);
    }
}

#[test]
fn a_number_that_the_launcher_has_given_out_since_the_plan_is_not_given_twice() {
    for shape in SHAPES.iter().filter(|shape| shape.what.contains("field") || shape.what.contains("row")) {
        let world = World::new(shape);
        let (site, journal) = world.journal();
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        draft.send(found.find_games(GAMES[0])[0].id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{}: {:#?}", shape.what, plan.findings);
        // The launcher makes a library of its own meanwhile, and gives it that number.
        let other = (shape.first + 2, world.library(3).1);
        fs::create_dir_all(&other.1).unwrap();
        (shape.write)(&world.home, &[world.library(0), world.library(1), other], &[0, 1, 0, 1]);
        let before = says(&world.home);
        if let Ok(mut haul) = Haul::begin(&site, &journal, &plan) {
            let _ = haul.run(&|_| {}, &Control::default());
        }
        let now = says(&world.home);
        // Either nothing changed, or the new library has a number of its own.
        let numbered = world.wanted(&[0, 1, 3, 2], &[3, 1, 0, 1]);
        assert!(now == before || now == numbered, "{}\n{now:#?}", shape.what);
    }
}

/// A number that is that of the games in each library by chance is asked about: what is answered is what follows them.
#[test]
fn a_number_that_may_count_games_is_asked_about_and_each_answer_holds() {
    let shape = SHAPES.iter().find(|shape| shape.what.contains("may be chance")).unwrap();
    let world = World::new(shape);
    let site = Site::of_world(&world.top).unwrap();
    let launcher = learn(&site, &[], &[], &|_| {}).launchers.remove(0);
    assert_eq!(launcher.doubt, None);
    let question = &launcher.questions[0];
    assert_eq!(question.about, Known::Counter);
    let names: Vec<Option<String>> = question.candidates.iter().map(Candidate::name).collect();
    assert_eq!(names, [Some("games".into()), None, Some("version".into())], "what is called a count comes first");
    for (nth, (games, version)) in [(1, 2), (2, 2), (2, 1)].into_iter().enumerate() {
        let mut answered = launcher.clone();
        answered.answer(0, nth);
        assert!(answered.doubt.is_none() && answered.questions.is_empty());
        let world = World::new(shape);
        let (site, journal) = world.journal_with(&answered.profile);
        let haul = world.haul(&site, &journal, &[(0, "third")]);
        let text = fs::read_to_string(world.home.join("all.json")).unwrap();
        let all: serde_json::Value = serde_json::from_str(&text).unwrap();
        let shelf = &all["shelves"][0];
        assert_eq!((shelf["games"].as_i64(), shelf["version"].as_i64()), (Some(games), Some(version)), "answer {nth}");
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    }
}

#[test]
fn a_launcher_that_may_count_its_libraries_or_says_bytes_of_them_is_given_no_new_one() {
    let counted: [(&str, Writer); 6] = [
        ("a registry", |home, libraries, of| {
            let at = |path: &Path| by_letter(path).replace('\\', "\\\\").replace('ö', "\\xf6");
            let many = format!("[Software\\\\K\\\\Shelves] 17\n\"Many\"=dword:{:08x}\n", libraries.len());
            let shelf = |(nr, path): &(i64, PathBuf)| {
                format!("\n[Software\\\\K\\\\Shelves\\\\{nr}] 17\n\"At\"=\"{}\"\n", at(path))
            };
            let game = |(n, nth): (usize, &usize)| {
                let (place, title) = (at(&libraries[*nth].1.join(GAMES[n])), GAMES[n].replace('ö', "\\xf6"));
                format!("\n[Software\\\\K\\\\Games\\\\k{n}] 17\n\"Title\"=\"{title}\"\n\"At\"=\"{place}\"\n")
            };
            let shelves: String = libraries.iter().map(shelf).collect();
            let games: String = of.iter().enumerate().map(game).collect();
            put(home, "user.reg", &format!("WINE REGISTRY Version 2\n\n{many}{shelves}{games}"));
        }),
        ("a database with cells of bytes", |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr integer primary key, at text, seal blob);
                 create table games(id text primary key, title text, shelf integer, folder text);",
            );
            fill(&db, libraries, of, ["?1, ?2, x'00ff'", "?1, ?2, ?3, ?2"]);
        }),
        ("JSON", |home, libraries, of| {
            let shelves = json_paths(libraries);
            put(
                home,
                "shelves.json",
                &format!("{{\n  \"many\": {}, \"shelves\": [\n{shelves}\n  ]\n}}\n", libraries.len()),
            );
            put(home, "games.json", &format!("{{\n  \"owned\": [\n{}\n  ]\n}}\n", json_games_by_path(libraries, of)));
        }),
        ("JSON, the next number", |home, libraries, of| {
            let shelves = json_shelves(libraries);
            let next = libraries.iter().map(|(nr, _)| nr + 1).max().unwrap();
            put(home, "shelves.json", &format!("{{\n  \"upcoming\": {next}, \"shelves\": [\n{shelves}\n  ]\n}}\n"));
            put(home, "games.json", &format!("{{\n  \"owned\": [\n{}\n  ]\n}}\n", json_games(libraries, of)));
        }),
        ("XML", |home, libraries, of| {
            let shelf = |(_, at): &(i64, PathBuf)| format!("  <shelf at=\"{}\"/>\n", at.display());
            let shelves: String = libraries.iter().map(shelf).collect();
            put(home, "shelves.xml", &format!("<shelves many=\"{}\">\n{shelves}</shelves>\n", libraries.len()));
            put(home, "games.json", &format!("{{\n  \"owned\": [\n{}\n  ]\n}}\n", json_games_by_path(libraries, of)));
        }),
        ("INI", |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("\n[shelf {nr}]\nat={}\nname=Mine\n", at.display());
            let shelves: String = libraries.iter().map(shelf).collect();
            let game = |(n, at): (usize, &usize)| {
                let place = libraries[*at].1.join(GAMES[n]);
                format!("\n[game-k{n}]\ntitle={}\nat={}\n", GAMES[n], place.display())
            };
            let games: String = of.iter().enumerate().map(game).collect();
            put(home, "kestrel.ini", &format!("[general]\nmany={}\n{shelves}{games}", libraries.len()));
        }),
    ];
    for (what, write) in counted {
        let shape: &'static Shape = Box::leak(Box::new(Shape { what: "counted", first: 1, write }));
        let world = World::new(shape);
        let (site, _) = world.journal();
        let found = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        draft.send(found.find_games(GAMES[0])[0].id.clone(), Destination::Drive("newhold".into()));
        let refused = plan(&site, &found, &draft, Policy::Hold);
        let none = |finding: &Finding| matches!(finding.kind, FindingKind::NoLibrary { .. });
        assert!(refused.findings.iter().any(none), "{what}: {:#?}", refused.findings);
        // To a library that is there it goes.
        let mut draft = Draft::default();
        draft.send(found.find_games(GAMES[0])[0].id.clone(), Destination::Drive("third".into()));
        assert!(!plan(&site, &found, &draft, Policy::Hold).blocked(), "{what}");
    }
}

/// The bytes of the files in a folder.
fn bytes_in(folder: &Path) -> u64 {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries
        .map(|entry| if entry.path().is_dir() { bytes_in(&entry.path()) } else { entry.metadata().unwrap().len() })
        .sum()
}

#[test]
fn a_launcher_whose_libraries_say_the_bytes_of_games_that_say_none_is_not_learned() {
    let write: Writer = |home, libraries, of| {
        let shelf = |(nth, (_, at)): (usize, &(i64, PathBuf))| {
            let games = (0..of.len()).filter(|n| of[*n] == nth);
            let bytes: u64 = games.map(|n| bytes_in(&at.join(GAMES[n]))).sum();
            format!("    {{\"at\": {}, \"used\": {bytes}}}", path_text(at))
        };
        let shelves: Vec<String> = libraries.iter().enumerate().map(shelf).collect();
        put_both(home, &shelves.join(",\n"), &json_games_by_path(libraries, of));
    };
    let shape: &'static Shape = Box::leak(Box::new(Shape { what: "JSON, by path", first: 1, write }));
    let world = World::new(shape);
    (write)(&world.home, &[world.library(0), world.library(1)], &[0, 1, 0, 1]);
    let text = fs::read_to_string(world.home.join("shelves.json")).unwrap();
    assert!(!text.contains("\"used\": 0"), "{text}");
    let launcher = learn(&Site::of_world(&world.top).unwrap(), &[], &[], &|_| {}).launchers.remove(0);
    assert!(launcher.doubt.is_some(), "{}", launcher.profile);
}
