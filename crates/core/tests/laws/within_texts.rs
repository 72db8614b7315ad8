//! Files whose texts are documents of their own: the list of games within one is learned, moved by, and brought back; every other sign of the
//! file stays as it is.

use std::fs;
use std::path::PathBuf;

use deft_barge_core::haul::{Control, undo_haul};

use crate::port::{LearnedWorld as World, haul_folders, path_on};

/// Code, folder, title.
const GAMES: [(&str, &str, &str); 4] = [
    ("fen", "Fen", "Fen: First"),
    ("moor2", "moor's-two", "Moor Two: Return"),
    ("oed", "Öd & land", "Öd & Co"),
    ("fentwo", "Fen Two", "Fen Two"),
];

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;").replace('\'', "&apos;")
}

type Inner = fn(&[String]) -> String;

fn members(paths: &[String], one: impl Fn(&str, &str, &str) -> String) -> Vec<String> {
    GAMES.iter().zip(paths).map(|((code, _, title), path)| one(code, title, path)).collect()
}

const INNER: [(&str, Inner); 6] = [
    ("a list", |paths| {
        let one = |code: &str, title: &str, path: &str| {
            format!("{{\"code\":{},\"title\":{},\"at\":{}}}", json(code), json(title), json(path))
        };
        format!("{{\"v\":3,\"games\":[{}]}}", members(paths, one).join(","))
    }),
    ("a bare list", |paths| {
        let one = |code: &str, title: &str, path: &str| format!("[{}, {}, {}]", json(code), json(title), json(path));
        format!("[{}]", members(paths, one).join(", "))
    }),
    ("by code", |paths| {
        let one = |code: &str, title: &str, path: &str| {
            format!("{}:{{\"title\":{},\"at\":{}}}", json(code), json(title), json(path))
        };
        format!("{{{}}}", members(paths, one).join(","))
    }),
    ("by path", |paths| {
        let one = |code: &str, title: &str, path: &str| {
            format!("{}:{{\"title\":{},\"code\":{}}}", json(path), json(title), json(code))
        };
        format!("{{{}}}", members(paths, one).join(","))
    }),
    ("XML", |paths| {
        let one = |code: &str, title: &str, path: &str| {
            format!("<g code=\"{}\" at=\"{}\">{}</g>", xml(code), xml(path), xml(title))
        };
        format!("<all>{}</all>", members(paths, one).concat())
    }),
    ("a document in a document", |paths| {
        let one = |code: &str, title: &str, path: &str| {
            format!("{{\"code\":{},\"title\":{},\"at\":{}}}", json(code), json(title), json(path))
        };
        let inner = format!("[{}]", members(paths, one).join(","));
        format!("{{\"state\":{},\"n\":1}}", json(&inner))
    }),
];

type Outer = fn(&str) -> String;

/// How the file has that text, and its name.
const OUTER: [(&str, &str, Outer); 8] = [
    ("JSON", "s.json", |text| format!("{{\n  \"theme\": \"{{}}\",\n  \"store\": {},\n  \"n\": 7\n}}\n", json(text))),
    ("JSON, a list", "s.json", |text| {
        format!("[1, {{\"k\": \"games\", \"v\": {}}}, {{\"k\": \"x\", \"v\": \"[1]\"}}]", json(text))
    }),
    ("XML, text", "s.xml", |text| {
        format!(
            "<?xml version=\"1.0\"?>\n<map>\n  <string name=\"games\">{}</string>\n  <int name=\"n\">2</int>\n</map>\n",
            xml(text)
        )
    }),
    ("XML, attribute", "s.xml", |text| {
        format!("<map>\n  <pref key=\"games\" value=\"{}\"/>\n  <pref key=\"n\" value=\"2\"/>\n</map>\n", xml(text))
    }),
    ("INI", "s.ini", |text| format!("[view]\nmode=2\n[store]\ngames={text}\nlast=1\n")),
    ("YAML", "s.yml", |text| format!("mode: 2\ngames: '{}'\nlast: 1\n", text.replace('\'', "''"))),
    ("TOML", "s.toml", |text| format!("mode = 2\ngames = {}\n", json(text))),
    ("JSON lines", "s.jsonl", |text| {
        format!("{{\"k\":\"mode\",\"v\":\"2\"}}\n{{\"k\":\"games\",\"v\":{}}}\n", json(text))
    }),
];

impl World {
    fn of_text(what: &str, file: &str, writes: &dyn Fn(&[String]) -> String) -> Self {
        Self::learned(what, file, &GAMES.map(|game| game.1), &|file, paths| fs::write(file, writes(paths)).unwrap())
    }

    fn paths(&self, moved: &[usize]) -> Vec<String> {
        let drive = |n: usize| if moved.contains(&n) { "newhold" } else { "swift" };
        (0..GAMES.len()).map(|n| path_on(&self.top, drive(n), GAMES[n].1)).collect()
    }
}

#[test]
fn games_in_the_documents_of_a_files_texts_are_learned_moved_and_brought_back() {
    let mut wrong = Vec::new();
    // Each with two of the others a day, and with all of them in the full run.
    let full = std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some();
    for (at, (outer, file, write)) in OUTER.into_iter().enumerate() {
        let inner = INNER.into_iter().enumerate().filter(|(n, _)| full || n % 3 == at % 3);
        for (inner, text) in inner.map(|(_, inner)| inner) {
            let what = format!("{inner} in {outer}");
            let writes = |paths: &[String]| write(&text(paths));
            let tried = std::panic::catch_unwind(|| {
                let world = World::of_text(&what, file, &writes);
                for games in [vec![0], vec![1, 2], vec![3]] {
                    let folders: Vec<PathBuf> =
                        games.iter().map(|n| path_on(&world.top, "swift", GAMES[*n].1).into()).collect();
                    let haul = haul_folders(&world.site, &world.journal, &folders, "newhold", &world.profile);
                    let says = || fs::read_to_string(&world.file).unwrap();
                    assert_eq!(says(), writes(&world.paths(&games)), "{what}\n{}", world.profile);
                    undo_haul(&world.site, &world.journal, haul, &|_| {}, &Control::default()).unwrap();
                    assert_eq!(says(), writes(&world.paths(&[])), "{what}, undone");
                }
            });
            wrong.extend(tried.err().map(|_| what));
        }
    }
    assert!(wrong.is_empty(), "{}: {wrong:#?}", wrong.len());
}
