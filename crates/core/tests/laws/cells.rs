//! Databases in whose cells JSON documents stand: lists and entries within them are learned, moved by, and undone; every other cell, and
//! every other sign of theirs, stays.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::port::{declare, folder_in_memory};

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

#[test]
fn games_in_the_documents_of_a_databases_cells_are_learned_moved_and_brought_back() {
    for (way, plain) in WAYS.into_iter().flat_map(|way| [(way, true), (way, false)]) {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let at = |drive: &str, n: usize| top.join("drives").join(drive).join("games").join(GAMES[n].1);
        let text = |path: &PathBuf| path.to_str().unwrap().to_string();
        for n in 0..GAMES.len() {
            fs::create_dir_all(at("swift", n).join("bin")).unwrap();
            fs::write(at("swift", n).join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
            fs::write(at("swift", n).join("data.pak"), vec![n as u8; 9000 + n]).unwrap();
        }
        let mut paths: Vec<String> = (0..GAMES.len()).map(|n| text(&at("swift", n))).collect();
        let file = top.join("home/.local/share/petrel/state.db");
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        let db = rusqlite::Connection::open(&file).unwrap();
        db.execute("create table state (key text primary key, value text, other integer)", ()).unwrap();
        for row in rows(way, &paths, plain) {
            db.execute("insert into state values (?, ?, ?)", row).unwrap();
        }
        drop(db);
        let site = Site::of_world(&top).unwrap();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{way}: {learned:?}") };
        assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{way}\n{}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        for games in [vec![0], vec![1, 2], vec![3]] {
            let found = survey(&site, Vec::new(), &|_| {});
            let before = paths.clone();
            let mut draft = Draft::default();
            for n in games {
                let game = found.games.iter().find(|game| text(&game.found.install) == paths[n]).unwrap();
                assert_eq!(game.found.title, GAMES[n].2, "{way}\n{}", launcher.profile);
                draft.send(game.id.clone(), Destination::Drive("newhold".into()));
                paths[n] = text(&at("newhold", n));
            }
            let plan = plan(&site, &found, &draft, Policy::Hold);
            assert!(!plan.blocked(), "{way}: {:?}\n{}", plan.findings, launcher.profile);
            let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
            let id = haul.id();
            haul.run(&|_| {}, &Control::default()).unwrap();
            assert_eq!(said_by(&file), rows(way, &paths, plain), "{way}, plain {plain}\n{}", launcher.profile);
            undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
            paths = before;
            assert_eq!(said_by(&file), rows(way, &paths, plain), "{way}, plain {plain}, undone");
        }
    }
}
