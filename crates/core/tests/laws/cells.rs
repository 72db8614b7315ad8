//! Databases in whose cells JSON documents stand: lists and entries within them are learned, moved by, and undone; every other cell, and
//! every other sign of theirs, stays.

use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, undo_haul};
use deft_barge_core::survey::survey;

use crate::port::{LearnedWorld as World, haul_folders, path_on};

/// Code, folder, title.
const GAMES: [(&str, &str, &str); 4] = [
    ("fen", "Fen", "Fen"),
    ("moor-two", "moor-two", "Moor Two: Return"),
    ("oed", "Öd \"land\"", "Öd & Co"),
    ("fentwo", "Fen Two", "Fen Two"),
];

/// Where the entries stand.
const WAYS: [&str; 6] = ["row", "list", "array", "members", "row-each", "deep"];

/// A text of JSON; some writers escape all that is not plain.
fn json(text: &str, plain: bool) -> String {
    let quoted = serde_json::Value::from(text).to_string();
    if !plain {
        return quoted;
    }
    let mut units = [0; 2];
    quoted
        .chars()
        .map(|c| {
            if c.is_ascii() {
                return c.to_string();
            }
            c.encode_utf16(&mut units).iter().map(|unit| format!("\\u{unit:04x}")).collect()
        })
        .collect()
}

/// The rows of the table: key, what a column says, and another one.
fn rows(way: &str, paths: &[String], plain: bool) -> Vec<(String, String, i64)> {
    let entry = |n: usize, id: bool| {
        let (code, _, title) = GAMES[n];
        let id = if id { format!("\"code\": {}, ", json(code, plain)) } else { String::new() };
        let (title, path) = (json(title, plain), json(&paths[n], plain));
        format!("{{ {id}\"title\": {title}, \"at\":{path},\"size\" : {} }}", size(n))
    };
    let all = |id: bool| (0..GAMES.len()).map(|n| entry(n, id)).collect::<Vec<_>>().join(",\n ");
    let mut rows = vec![("theme".to_string(), "{\"dark\": true, \"since\": [1, 2]}".to_string(), 7)];
    match way {
        "row" => rows = (0..GAMES.len()).map(|n| (GAMES[n].0.into(), entry(n, false), n as i64)).collect(),
        "row-each" => rows.extend((0..GAMES.len()).map(|n| (format!("game:{}", GAMES[n].0), entry(n, false), 0))),
        "list" => rows.push(("games".into(), format!("{{\"version\": 3, \"games\": [{}]}}", all(true)), 0)),
        "array" => rows.push(("games".into(), format!("[ {} ]", all(true)), 0)),
        "members" => {
            let member = |n: usize| format!("{}: {}", json(GAMES[n].0, plain), entry(n, false));
            let members: Vec<String> = (0..GAMES.len()).map(member).collect();
            rows.push(("games".into(), format!("{{{}}}", members.join(", ")), 0));
        }
        _ => rows.push(("state".into(), format!("{{\"a\": {{\"b\": {{\"c\": [{}]}}}}}}", all(true)), 0)),
    }
    rows
}

fn size(n: usize) -> usize {
    9000 + n + format!("#!/bin/sh\n# {n}\n").len()
}

fn said_by(file: &Path) -> Vec<(String, String, i64)> {
    let db = rusqlite::Connection::open(file).unwrap();
    let mut all = db.prepare("select key, value, other from state order by rowid").unwrap();
    all.query_map((), |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?))).unwrap().map(Result::unwrap).collect()
}

impl World {
    fn of_way(way: &str, plain: bool) -> Self {
        Self::learned(way, "state.db", &GAMES.map(|game| game.1), &|file, paths| {
            let db = rusqlite::Connection::open(file).unwrap();
            db.execute("create table state (key text primary key, value text, other integer)", ()).unwrap();
            for row in rows(way, paths, plain) {
                db.execute("insert into state values (?, ?, ?)", row).unwrap();
            }
        })
    }

    /// Hauls games from where they are to the other drive.
    fn haul(&self, games: &[usize]) -> HaulId {
        let found = survey(&self.site, Vec::new(), &|_| {});
        let folders: Vec<PathBuf> = games.iter().map(|n| path_on(&self.top, "swift", GAMES[*n].1).into()).collect();
        for (n, folder) in games.iter().zip(&folders) {
            let game = found.games.iter().find(|game| game.found.install == *folder).unwrap();
            assert_eq!(game.found.title, GAMES[*n].2, "{}", self.profile);
        }
        haul_folders(&self.site, &self.journal, &folders, "newhold", &self.profile)
    }

    fn undo(&self, haul: HaulId) {
        undo_haul(&self.site, &self.journal, haul, &|_| {}, &Control::default()).unwrap();
    }
}

#[test]
fn games_in_the_documents_of_a_databases_cells_are_learned_moved_and_brought_back() {
    for (way, plain) in WAYS.into_iter().flat_map(|way| [(way, true), (way, false)]) {
        let world = World::of_way(way, plain);
        for games in [vec![0], vec![1, 2], vec![3]] {
            let says = |moved: &[usize]| {
                let drive = |n: usize| if moved.contains(&n) { "newhold" } else { "swift" };
                let paths: Vec<String> = (0..GAMES.len()).map(|n| path_on(&world.top, drive(n), GAMES[n].1)).collect();
                rows(way, &paths, plain)
            };
            let haul = world.haul(&games);
            assert_eq!(said_by(&world.file), says(&games), "{way}, plain {plain}\n{}", world.profile);
            world.undo(haul);
            assert_eq!(said_by(&world.file), says(&[]), "{way}, plain {plain}, undone");
        }
    }
}

/// A launcher writes its list again once it was started: games come and go in it, and others stand elsewhere then.
#[test]
fn a_haul_is_undone_in_a_cells_list_that_its_launcher_wrote_since() {
    for way in ["list", "array", "deep"] {
        let world = World::of_way(way, false);
        let haul = world.haul(&[2]);
        let db = rusqlite::Connection::open(&world.file).unwrap();
        let key = if way == "deep" { "state" } else { "games" };
        let says =
            || -> String { db.query_row("select value from state where key = ?", [key], |row| row.get(0)).unwrap() };
        // The first game is gone from the list.
        let now = says();
        let entry = |n: usize| now.find(&format!("{{ \"code\": \"{}\"", GAMES[n].0)).unwrap();
        let without = format!("{}{}", &now[..entry(0)], &now[entry(1)..]);
        db.execute("update state set value = ? where key = ?", [&without, key]).unwrap();
        world.undo(haul);
        let [new, old] = ["newhold", "swift"].map(|drive| json(&path_on(&world.top, drive, GAMES[2].1), false));
        assert!(without.contains(&new), "{way}");
        assert_eq!(says(), without.replace(&new, &old), "{way}");
    }
}
