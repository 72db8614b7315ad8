//! Libraries to which games refer by a number, and rows of databases: a new one gets the next number, several in one haul each their own, what
//! counts their games is kept true; one in which another game lives stays known, and the last one that leaves takes it away.

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

const GAMES: [&str; 4] = ["Amber Fen", "Basalt Keep & Söhne", "Cobalt Tor", "O\u{308}de 🪁 Echo"];

/// What a launcher writes down: libraries by their numbers and folders, and of each game the number of its library in that list.
type Writer = fn(&Path, &[(i64, PathBuf)], &[usize]);

/// How such a launcher writes, whether a game says its library by a number, and the first of these.
struct Shape {
    what: &'static str,
    first: i64,
    write: Writer,
}

fn text(value: impl Into<serde_json::Value>) -> String {
    value.into().to_string()
}

fn path_text(path: &Path) -> String {
    text(path.to_str().unwrap())
}

fn json_shelves(libraries: &[(i64, PathBuf)]) -> String {
    let one = |(nr, at): &(i64, PathBuf)| format!("    {{\"nr\": {nr}, \"at\": {}}}", path_text(at));
    libraries.iter().map(one).collect::<Vec<_>>().join(",\n")
}

/// Games that name their library by its number.
fn json_games(libraries: &[(i64, PathBuf)], of: &[usize]) -> String {
    let game = |(n, at): (usize, &usize)| {
        let (title, nr) = (text(GAMES[n]), libraries[*at].0);
        format!("    {{\"id\": \"k{n}\", \"title\": {title}, \"shelf\": {nr}, \"folder\": {title}}}")
    };
    of.iter().enumerate().map(game).collect::<Vec<_>>().join(",\n")
}

/// Games that say their whole path.
fn json_games_by_path(libraries: &[(i64, PathBuf)], of: &[usize]) -> String {
    let game = |(n, at): (usize, &usize)| {
        let place = path_text(&libraries[*at].1.join(GAMES[n]));
        format!("    {{\"id\": \"k{n}\", \"title\": {}, \"at\": {place}}}", text(GAMES[n]))
    };
    of.iter().enumerate().map(game).collect::<Vec<_>>().join(",\n")
}

fn json_paths(libraries: &[(i64, PathBuf)]) -> String {
    let shelf = |(_, at): &(i64, PathBuf)| format!("    {{\"at\": {}}}", path_text(at));
    libraries.iter().map(shelf).collect::<Vec<_>>().join(",\n")
}

/// As a launcher in a compatibility layer says it.
fn by_letter(path: &Path) -> String {
    format!("Z:{}", path.to_str().unwrap().replace('/', "\\"))
}

fn as_uri(path: &Path) -> String {
    format!("file://{}", path.to_str().unwrap().replace('&', "%26").replace(' ', "%20"))
}

fn put_all(home: &Path, shelves: &str, games: &str) {
    let all = format!("{{\n  \"shelves\": [\n{shelves}\n  ],\n  \"owned\": [\n{games}\n  ]\n}}\n");
    put(home, "all.json", &all);
}

fn put_both(home: &Path, shelves: &str, games: &str) {
    put(home, "shelves.json", &format!("{{\n  \"shelves\": [\n{shelves}\n  ]\n}}\n"));
    put(home, "games.json", &format!("{{\n  \"owned\": [\n{games}\n  ]\n}}\n"));
}

fn put(home: &Path, name: &str, text: &str) {
    fs::create_dir_all(home).unwrap();
    fs::write(home.join(name), text).unwrap();
}

fn database(home: &Path, tables: &str) -> Connection {
    fs::create_dir_all(home).unwrap();
    let file = home.join("k.db");
    let _ = fs::remove_file(&file);
    let db = Connection::open(file).unwrap();
    db.execute_batch(tables).unwrap();
    db
}

/// Fills both tables: `columns` of a library and of a game, with 1 for its number (or the key of a game), 2 for its path (or title), 3 for
/// the number of a game's library.
fn fill(db: &Connection, libraries: &[(i64, PathBuf)], of: &[usize], [shelf, game]: [&str; 2]) {
    for (nr, at) in libraries {
        db.execute(&format!("insert into shelves values({shelf})"), (nr, at.to_str().unwrap())).unwrap();
    }
    for (n, at) in of.iter().enumerate() {
        let row = (format!("k{n}"), GAMES[n], libraries[*at].0);
        db.execute(&format!("insert into games values({game})"), row).unwrap();
    }
}

const SHAPES: [Shape; 26] = [
    Shape {
        what: "JSON, by a field",
        first: 1,
        write: |home, libraries, of| {
            put_both(home, &json_shelves(libraries), &json_games(libraries, of));
        },
    },
    Shape {
        what: "JSON, by its place in the list",
        first: 0,
        write: |home, libraries, of| {
            put_all(home, &json_paths(libraries), &json_games(libraries, of));
        },
    },
    Shape {
        what: "JSON, by path",
        first: 1,
        write: |home, libraries, of| {
            put_both(home, &json_paths(libraries), &json_games_by_path(libraries, of));
        },
    },
    Shape {
        what: "JSON, by letters of a layer",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(_, at): &(i64, PathBuf)| format!("    {{\"at\": {}}}", text(by_letter(at)));
            let game = |(n, at): (usize, &usize)| {
                let place = text(by_letter(&libraries[*at].1.join(GAMES[n])));
                format!("    {{\"id\": \"k{n}\", \"title\": {}, \"at\": {place}}}", text(GAMES[n]))
            };
            let shelves: Vec<String> = libraries.iter().map(shelf).collect();
            let games: Vec<String> = of.iter().enumerate().map(game).collect();
            put_both(home, &shelves.join(",\n"), &games.join(",\n"));
        },
    },
    Shape {
        what: "YAML without quotes, by letters of a layer",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("  - nr: {nr}\n    at: {}\n", by_letter(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (text(GAMES[n]), libraries[*at].0);
                format!("  - id: k{n}\n    title: {title}\n    shelf: {nr}\n    folder: {title}\n")
            };
            let shelves: String = libraries.iter().map(shelf).collect();
            let games: String = of.iter().enumerate().map(game).collect();
            put(home, "k.yaml", &format!("shelves:\n{shelves}games:\n{games}"));
        },
    },
    Shape {
        what: "TOML in single quotes, by letters of a layer, with the sign at the end",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("[[shelf]]\nnr = {nr}\nat = '{}\\'\n\n", by_letter(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (text(GAMES[n]), libraries[*at].0);
                format!("[[game]]\nid = \"k{n}\"\ntitle = {title}\nshelf = {nr}\nfolder = {title}\n\n")
            };
            put(home, "shelves.toml", &libraries.iter().map(shelf).collect::<String>());
            put(home, "games.toml", &of.iter().enumerate().map(game).collect::<String>());
        },
    },
    Shape {
        what: "XML, by addresses",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(_, at): &(i64, PathBuf)| format!("    <shelf at=\"{}\"/>\n", as_uri(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, place) = (GAMES[n].replace('&', "&amp;"), as_uri(&libraries[*at].1.join(GAMES[n])));
                format!("    <game id=\"k{n}\" title=\"{title}\" at=\"{place}\"/>\n")
            };
            let shelves: String = libraries.iter().map(shelf).collect();
            let games: String = of.iter().enumerate().map(game).collect();
            let all = format!("<all>\n  <shelves>\n{shelves}  </shelves>\n  <games>\n{games}  </games>\n</all>\n");
            put(home, "all.xml", &all);
        },
    },
    Shape {
        what: "a database, by letters of a layer",
        first: 1,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr integer primary key, at text not null);
                 create table games(id text primary key, title text, shelf integer, folder text);",
            );
            let spelled: Vec<(i64, PathBuf)> =
                libraries.iter().map(|(nr, at)| (*nr, PathBuf::from(by_letter(at)))).collect();
            fill(&db, &spelled, of, ["?1, ?2", "?1, ?2, ?3, ?2"]);
        },
    },
    Shape {
        what: "JSON, both kinds in one list, games by addresses",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(_, at): &(i64, PathBuf)| format!("  {{\"kind\": \"shelf\", \"at\": {}}}", path_text(at));
            let game = |(n, at): (usize, &usize)| {
                let place = text(as_uri(&libraries[*at].1.join(GAMES[n])));
                let title = text(GAMES[n]);
                format!("  {{\"kind\": \"berth\", \"id\": \"k{n}\", \"title\": {title}, \"at\": {place}}}")
            };
            let mut all: Vec<String> = libraries.iter().take(2).map(shelf).collect();
            all.extend(of.iter().enumerate().map(game));
            all.extend(libraries.iter().skip(2).map(shelf));
            put(home, "all.json", &format!("[\n{}\n]\n", all.join(",\n")));
        },
    },
    Shape {
        what: "INI, sections of games and of libraries by path",
        first: 0,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("[shelf{nr}]\npath={}\nname=Mine\n", at.display());
            let game = |(n, at): (usize, &usize)| {
                let place = libraries[*at].1.join(GAMES[n]);
                format!("[game-k{n}]\ntitle={}\npath={}\n", GAMES[n], place.display())
            };
            let mut all = vec!["[general]\nlanguage=en\nwidth=1280\n".to_string()];
            all.extend(libraries.iter().take(2).map(shelf));
            all.extend(of.iter().enumerate().map(game));
            // A new one comes behind all others.
            all.extend(libraries.iter().skip(2).map(shelf));
            put(home, "kestrel.ini", &all.join("\n"));
        },
    },
    Shape {
        what: "INI, by the number in the names of sections",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("[shelf {nr}]\nat = {}\n", at.display());
            put(home, "shelves.ini", &libraries.iter().map(shelf).collect::<Vec<_>>().join("\n"));
            let games = format!("{{\n  \"owned\": [\n{}\n  ]\n}}\n", json_games_by_path(libraries, of));
            put(home, "games.json", &games);
        },
    },
    Shape {
        what: "a registry, keys of games and of libraries",
        first: 1,
        write: |home, libraries, of| {
            // What is no ASCII is escaped, as such layers do.
            let escaped = |text: &str| text.replace('\\', "\\\\").replace('ö', "\\xf6");
            let at = |path: &Path| escaped(&by_letter(path));
            let shelf = |(nr, path): &(i64, PathBuf)| {
                format!("[Software\\\\Kestrel\\\\Shelves\\\\{nr}] 1700000000\n#time=1d\n\"At\"=\"{}\"\n", at(path))
            };
            let game = |(n, nth): (usize, &usize)| {
                let place = at(&libraries[*nth].1.join(GAMES[n]));
                let key = format!("[Software\\\\Kestrel\\\\Games\\\\k{n}] 1700000000");
                format!("{key}\n\"Title\"=\"{}\"\n\"At\"=\"{place}\"\n", escaped(GAMES[n]))
            };
            // Other programs' keys say any number.
            let others = "[Control Panel\\\\Desktop] 1700000000\n\"Wheel\"=dword:00000002\n\"Rows\"=dword:00000003\n";
            let mut all = vec!["WINE REGISTRY Version 2\n".to_string(), others.to_string()];
            all.extend(libraries.iter().take(2).map(shelf));
            all.extend(of.iter().enumerate().map(game));
            all.extend(libraries.iter().skip(2).map(shelf));
            put(home, "user.reg", &all.join("\n"));
        },
    },
    Shape {
        what: "YAML, by a field",
        first: 0,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("  - nr: {nr}\n    at: {}\n", path_text(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (text(GAMES[n]), libraries[*at].0);
                format!("  - id: k{n}\n    title: {title}\n    shelf: {nr}\n    folder: {title}\n")
            };
            let shelves: String = libraries.iter().map(shelf).collect();
            let games: String = of.iter().enumerate().map(game).collect();
            put(home, "k.yaml", &format!("shelves:\n{shelves}games:\n{games}"));
        },
    },
    Shape {
        what: "TOML, by a field",
        first: 7,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("[[shelf]]\nnr = {nr}\nat = {}\n\n", path_text(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (text(GAMES[n]), libraries[*at].0);
                format!("[[game]]\nid = \"k{n}\"\ntitle = {title}\nshelf = {nr}\nfolder = {title}\n\n")
            };
            put(home, "shelves.toml", &libraries.iter().map(shelf).collect::<String>());
            put(home, "games.toml", &of.iter().enumerate().map(game).collect::<String>());
        },
    },
    Shape {
        what: "a database, by the number of a row",
        first: 1,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr integer primary key autoincrement, at text not null unique);
                 create table games(id text primary key, title text, shelf integer references shelves(nr), folder text);",
            );
            fill(&db, libraries, of, ["?1, ?2", "?1, ?2, ?3, ?2"]);
        },
    },
    Shape {
        what: "a database, by a column beside the path that is the key",
        first: 5,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(at text primary key, nr integer);
                 create table games(id text primary key, title text, shelf integer, folder text);",
            );
            fill(&db, libraries, of, ["?2, ?1", "?1, ?2, ?3, ?2"]);
        },
    },
    Shape {
        what: "XML, by a field of elements in one of their own",
        first: 10,
        write: |home, libraries, of| {
            let escaped = |text: &str| text.replace('&', "&amp;");
            let shelf = |(nr, at): &(i64, PathBuf)| format!("    <shelf nr=\"{nr}\" at=\"{}\"/>\n", at.display());
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (escaped(GAMES[n]), libraries[*at].0);
                format!("    <game id=\"k{n}\" title=\"{title}\" on=\"{nr}\" folder=\"{title}\"/>\n")
            };
            let shelves: String = libraries.iter().map(shelf).collect();
            let games: String = of.iter().enumerate().map(game).collect();
            let all = format!("<all>\n  <shelves>\n{shelves}  </shelves>\n  <games>\n{games}  </games>\n</all>\n");
            put(home, "all.xml", &all);
        },
    },
    Shape {
        what: "JSON, by path, with a count that may be chance",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(n, (_, at)): (usize, &(i64, PathBuf))| {
                let count = of.iter().filter(|at| **at == n).count();
                format!("    {{\"at\": {}, \"games\": {count}, \"version\": 2}}", path_text(at))
            };
            let shelves: Vec<String> = libraries.iter().enumerate().map(shelf).collect();
            put_all(home, &shelves.join(",\n"), &json_games_by_path(libraries, of));
        },
    },
    Shape {
        what: "a database, by the number of a row, with counts and sums",
        first: 1,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr integer primary key, at text, games integer, used integer);
                 create table games(id text primary key, title text, shelf integer, folder text, size integer);",
            );
            let size = |n: usize| 140_001 + 70_010 * n;
            for (nth, (nr, at)) in libraries.iter().enumerate() {
                let here: Vec<usize> = (0..of.len()).filter(|n| of[*n] == nth).collect();
                let used = here.iter().map(|n| size(*n)).sum::<usize>() as i64;
                let row = (nr, at.to_str().unwrap(), here.len() as i64, used);
                db.execute("insert into shelves values(?1, ?2, ?3, ?4)", row).unwrap();
            }
            for (n, at) in of.iter().enumerate() {
                let row = (format!("k{n}"), GAMES[n], libraries[*at].0, size(n) as i64);
                db.execute("insert into games values(?1, ?2, ?3, ?2, ?4)", row).unwrap();
            }
        },
    },
    Shape {
        what: "JSON lines, by a field",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("{{\"nr\": {nr}, \"at\": {}}}\n", path_text(at));
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (text(GAMES[n]), libraries[*at].0);
                format!("{{\"id\": \"k{n}\", \"title\": {title}, \"shelf\": {nr}, \"folder\": {title}}}\n")
            };
            put(home, "shelves.jsonl", &libraries.iter().map(shelf).collect::<String>());
            put(home, "games.jsonl", &of.iter().enumerate().map(game).collect::<String>());
        },
    },
    Shape {
        what: "a database, by a text with a number, a field of its own",
        first: 1,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr text primary key, at text);
                 create table games(id text primary key, title text, shelf text references shelves(nr), folder text);",
            );
            fill(&db, libraries, of, ["'shelf-' || ?1, ?2", "?1, ?2, 'shelf-' || ?3, ?2"]);
        },
    },
    Shape {
        what: "a table, by a field",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(nr, at): &(i64, PathBuf)| format!("{nr},{},yes\n", at.display());
            let game = |(n, at): (usize, &usize)| format!("k{n},{},{},{}\n", GAMES[n], libraries[*at].0, GAMES[n]);
            let (shelves, games): (String, String) =
                (libraries.iter().map(shelf).collect(), of.iter().enumerate().map(game).collect());
            put(home, "shelves.csv", &format!("nr,at,open\n{shelves}"));
            put(home, "games.csv", &format!("id,title,shelf,folder\n{games}"));
        },
    },
    Shape {
        what: "a table between tabulators, by path, with nothing at the ends",
        first: 1,
        write: |home, libraries, of| {
            let shelf = |(_, at): &(i64, PathBuf)| format!("\"{}\"\tgames\t\n", at.display());
            let game = |(n, at): (usize, &usize)| {
                format!("k{n}\t{}\t{}\n", GAMES[n], libraries[*at].1.join(GAMES[n]).display())
            };
            let (shelves, games): (String, String) =
                (libraries.iter().map(shelf).collect(), of.iter().enumerate().map(game).collect());
            put(home, "shelves.tsv", &format!("at\tkind\tnote\n{shelves}"));
            put(home, "games.tsv", &format!("id\ttitle\tat\n{games}"));
        },
    },
    Shape {
        what: "property lists, by a key of a dictionary",
        first: 1,
        write: |home, libraries, of| {
            let list = |inner: &str| format!("<plist version=\"1.0\">\n{inner}\n</plist>\n");
            let escaped = |text: &str| text.replace('&', "&amp;");
            let shelf = |(nr, at): &(i64, PathBuf)| {
                format!(
                    "\t<key>{nr}</key>\n\t<dict>\n\t\t<key>at</key><string>{}</string>\n\t\t<key>open</key><true/>\n\t</dict>\n",
                    at.display()
                )
            };
            let game = |(n, at): (usize, &usize)| {
                let (title, nr) = (escaped(GAMES[n]), libraries[*at].0);
                format!(
                    "\t<key>k{n}</key>\n\t<dict><key>title</key><string>{title}</string><key>shelf</key><integer>{nr}</integer><key>folder</key><string>{title}</string></dict>\n"
                )
            };
            let (shelves, games): (String, String) =
                (libraries.iter().map(shelf).collect(), of.iter().enumerate().map(game).collect());
            put(home, "shelves.plist", &list(&format!("<dict>\n{shelves}</dict>")));
            put(home, "games.plist", &list(&format!("<dict>\n{games}</dict>")));
        },
    },
    Shape {
        what: "a property list, by path, libraries a list of texts",
        first: 1,
        write: |home, libraries, of| {
            let list = |inner: &str| format!("<plist version=\"1.0\">\n<dict>\n{inner}</dict>\n</plist>\n");
            let escaped = |text: &str| text.replace('&', "&amp;");
            let shelf = |(_, at): &(i64, PathBuf)| format!("    <string>{}</string>\n", at.display());
            let game = |(n, at): (usize, &usize)| {
                let place = libraries[*at].1.join(GAMES[n]);
                format!(
                    "    <dict>\n      <key>id</key>\n      <string>k{n}</string>\n      <key>title</key>\n      <string>{}</string>\n      <key>at</key>\n      <string>{}</string>\n    </dict>\n",
                    escaped(GAMES[n]),
                    escaped(place.to_str().unwrap())
                )
            };
            let (shelves, games): (String, String) =
                (libraries.iter().map(shelf).collect(), of.iter().enumerate().map(game).collect());
            put(
                home,
                "all.plist",
                &list(&format!(
                    "  <key>shelves</key>\n  <array>\n{shelves}  </array>\n  <key>owned</key>\n  <array>\n{games}  </array>\n"
                )),
            );
        },
    },
    Shape {
        what: "a database, by path",
        first: 1,
        write: |home, libraries, of| {
            let db = database(
                home,
                "create table shelves(nr integer primary key, at text not null);
                 create table games(id text primary key, title text, at text);",
            );
            for (nr, at) in libraries {
                db.execute("insert into shelves values(?1, ?2)", (nr, at.to_str().unwrap())).unwrap();
            }
            for (n, at) in of.iter().enumerate() {
                let (id, at) = (format!("k{n}"), libraries[*at].1.join(GAMES[n]));
                db.execute("insert into games values(?1, ?2, ?3)", (id, GAMES[n], at.to_str().unwrap())).unwrap();
            }
        },
    },
];

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
