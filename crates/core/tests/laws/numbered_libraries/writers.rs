//! How such launchers write.

use super::*;

pub(super) fn text(value: impl Into<serde_json::Value>) -> String {
    value.into().to_string()
}

pub(super) fn path_text(path: &Path) -> String {
    text(path.to_str().unwrap())
}

pub(super) fn json_shelves(libraries: &[(i64, PathBuf)]) -> String {
    let one = |(nr, at): &(i64, PathBuf)| format!("    {{\"nr\": {nr}, \"at\": {}}}", path_text(at));
    libraries.iter().map(one).collect::<Vec<_>>().join(",\n")
}

/// Games that name their library by its number.
pub(super) fn json_games(libraries: &[(i64, PathBuf)], of: &[usize]) -> String {
    let game = |(n, at): (usize, &usize)| {
        let (title, nr) = (text(GAMES[n]), libraries[*at].0);
        format!("    {{\"id\": \"k{n}\", \"title\": {title}, \"shelf\": {nr}, \"folder\": {title}}}")
    };
    of.iter().enumerate().map(game).collect::<Vec<_>>().join(",\n")
}

/// Games that say their whole path.
pub(super) fn json_games_by_path(libraries: &[(i64, PathBuf)], of: &[usize]) -> String {
    let game = |(n, at): (usize, &usize)| {
        let place = path_text(&libraries[*at].1.join(GAMES[n]));
        format!("    {{\"id\": \"k{n}\", \"title\": {}, \"at\": {place}}}", text(GAMES[n]))
    };
    of.iter().enumerate().map(game).collect::<Vec<_>>().join(",\n")
}

pub(super) fn json_paths(libraries: &[(i64, PathBuf)]) -> String {
    let shelf = |(_, at): &(i64, PathBuf)| format!("    {{\"at\": {}}}", path_text(at));
    libraries.iter().map(shelf).collect::<Vec<_>>().join(",\n")
}

/// As a launcher in a compatibility layer says it.
pub(super) fn by_letter(path: &Path) -> String {
    format!("Z:{}", path.to_str().unwrap().replace('/', "\\"))
}

pub(super) fn as_uri(path: &Path) -> String {
    format!("file://{}", path.to_str().unwrap().replace('&', "%26").replace(' ', "%20"))
}

pub(super) fn put_all(home: &Path, shelves: &str, games: &str) {
    let all = format!("{{\n  \"shelves\": [\n{shelves}\n  ],\n  \"owned\": [\n{games}\n  ]\n}}\n");
    put(home, "all.json", &all);
}

pub(super) fn put_both(home: &Path, shelves: &str, games: &str) {
    put(home, "shelves.json", &format!("{{\n  \"shelves\": [\n{shelves}\n  ]\n}}\n"));
    put(home, "games.json", &format!("{{\n  \"owned\": [\n{games}\n  ]\n}}\n"));
}

pub(super) fn put(home: &Path, name: &str, text: &str) {
    fs::create_dir_all(home).unwrap();
    fs::write(home.join(name), text).unwrap();
}

pub(super) fn database(home: &Path, tables: &str) -> Connection {
    fs::create_dir_all(home).unwrap();
    let file = home.join("k.db");
    let _ = fs::remove_file(&file);
    let db = Connection::open(file).unwrap();
    db.execute_batch(tables).unwrap();
    db
}

/// Fills both tables: `columns` of a library and of a game, with 1 for its number (or the key of a game), 2 for its path (or title), 3 for
/// the number of a game's library.
pub(super) fn fill(db: &Connection, libraries: &[(i64, PathBuf)], of: &[usize], [shelf, game]: [&str; 2]) {
    for (nr, at) in libraries {
        db.execute(&format!("insert into shelves values({shelf})"), (nr, at.to_str().unwrap())).unwrap();
    }
    for (n, at) in of.iter().enumerate() {
        let row = (format!("k{n}"), GAMES[n], libraries[*at].0);
        db.execute(&format!("insert into games values({game})"), row).unwrap();
    }
}

pub(super) const SHAPES: [Shape; 26] = [
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
