//! Launchers that write what they know in many shapes: each is learned, its games are moved alone and together and brought back, and after
//! each step its files say, byte for byte, what it would have written itself.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, undo_haul};
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::site::Site;

use crate::port::{declare, folder_in_memory, haul_folders};

/// A game as its launcher knows it, and where it is.
struct Game {
    code: &'static str,
    title: &'static str,
    folder: &'static str,
    /// The program, below the folder.
    program: &'static str,
    library: PathBuf,
}

impl Game {
    fn path(&self) -> String {
        self.library.join(self.folder).to_str().unwrap().to_string()
    }

    fn bytes(&self) -> usize {
        4000 + self.folder.len() + PROGRAM.len()
    }
}

const PROGRAM: &str = "#!/bin/sh\n";

/// What a launcher writes: names of files in its own folder and what they say; of a database its statements.
type Written = Vec<(&'static str, String)>;
type Writer = fn(&[Game], &[PathBuf; 2]) -> Written;

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn sql(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

fn each(games: &[Game], between: &str, one: impl Fn(usize, &Game) -> String) -> String {
    games.iter().enumerate().map(|(n, game)| one(n, game)).collect::<Vec<_>>().join(between)
}

/// A text with an entry for each game in brackets.
fn entries(games: &[Game], one: impl Fn(usize, &Game) -> String) -> String {
    format!("[\n  {}\n]\n", each(games, ",\n  ", one))
}

const SHAPES: [(&str, Writer); 22] = [
    ("the program alone", |games, _| {
        // What is no game stands there as well, and what is not there any more.
        let others =
            "{\"name\": \"Tool\", \"run\": \"/usr/bin/env\"},\n  {\"name\": \"Gone\", \"run\": \"/mnt/gone/Gone/go\"}";
        let one = |_, game: &Game| {
            format!(
                "{{\"name\": {}, \"run\": {}}}",
                json(game.title),
                json(&format!("{}/{}", game.path(), game.program))
            )
        };
        vec![("all.json", entries(games, one).replace("\n]", &format!(",\n  {others}\n]")))]
    }),
    ("a folder within the game", |games, _| {
        let one = |_, game: &Game| {
            format!("{{\"code\": \"{}\", \"data\": {}}}", game.code, json(&format!("{}/data", game.path())))
        };
        vec![("all.json", entries(games, one))]
    }),
    ("a command line", |games, _| {
        let one = |_, game: &Game| {
            let line = format!("env A=1 \"{0}/{1}\" --data=\"{0}/data\"", game.path(), game.program);
            format!("{{\"code\": \"{}\", \"start\": {}}}", game.code, json(&line))
        };
        vec![("all.json", entries(games, one))]
    }),
    ("a program and its arguments", |games, _| {
        let one = |_, game: &Game| {
            let (program, data) = (format!("{}/{}", game.path(), game.program), format!("{}/data", game.path()));
            format!("{{\"code\": \"{}\", \"start\": [{}, \"--full\", {}]}}", game.code, json(&program), json(&data))
        };
        vec![("all.json", entries(games, one))]
    }),
    ("a file with the program for each", |games, _| {
        let file = |game: &Game| -> &'static str {
            ["fen.ini", "moor.ini", "oed.ini", "tarn.ini"].into_iter().find(|name| name.starts_with(game.code)).unwrap()
        };
        let text = |game: &Game| format!("[game]\nname={}\nprogram={}/{}\n", game.title, game.path(), game.program);
        games.iter().map(|game| (file(game), text(game))).collect()
    }),
    ("lines of paths", |games, _| vec![("all.txt", each(games, "", |_, game| format!("{}\n", game.path())))]),
    ("lines of names and paths", |games, _| {
        vec![("all.txt", each(games, "", |_, game| format!("{}: {}\n", game.code, game.path())))]
    }),
    ("lines between bars", |games, _| {
        let one = |n, game: &Game| format!("{n}|{}|{}|{}\n", game.code, game.path(), game.bytes());
        vec![("all.txt", each(games, "", one))]
    }),
    ("rows of values", |games, _| {
        let one = |n, game: &Game| format!("[{n}, {}, {}, true]", json(game.title), json(&game.path()));
        vec![("all.json", entries(games, one))]
    }),
    ("attributes with names", |games, _| {
        let set = |name: &str, value: &str| format!("    <set k=\"{name}\" v=\"{}\"/>\n", xml(value));
        let one = |n: usize, game: &Game| {
            let cover = if n.is_multiple_of(2) { set("cover", "none") } else { String::new() };
            let lines =
                [set("code", game.code), cover, set("at", &game.path()), set("bytes", &game.bytes().to_string())];
            format!("  <game>\n{}  </game>\n", lines.concat())
        };
        vec![("all.xml", format!("<games>\n{}</games>\n", each(games, "", one)))]
    }),
    ("texts with names", |games, _| {
        let one = |_, game: &Game| {
            let set = |name: &str, value: &str| format!("<prop name=\"{name}\">{}</prop>", xml(value));
            format!("  <game>{}{}</game>\n", set("title", game.title), set("folder", &game.path()))
        };
        vec![("all.xml", format!("<games>\n{}</games>\n", each(games, "", one)))]
    }),
    ("names and texts in elements of their own", |games, _| {
        let one = |_, game: &Game| {
            let set = |name: &str, value: &str| {
                format!("    <entry><name>{name}</name><text>{}</text></entry>\n", xml(value))
            };
            format!("  <game>\n{}{}  </game>\n", set("code", game.code), set("at", &game.path()))
        };
        vec![("all.xml", format!("<games>\n{}</games>\n", each(games, "", one)))]
    }),
    ("objects with names", |games, _| {
        let one = |_, game: &Game| {
            let set = |name: &str, value: &str| format!("{{\"name\": \"{name}\", \"value\": {}}}", json(value));
            format!("{{\"props\": [{}, {}]}}", set("code", game.code), set("at", &game.path()))
        };
        vec![("all.json", entries(games, one))]
    }),
    ("a path that is its row's key", |games, _| {
        let rows = each(games, "", |n, game| format!("insert into p values ({}, {n});", sql(&game.path())));
        let more =
            each(games, "", |_, game| format!("insert into g values ({}, {});", sql(game.code), sql(&game.path())));
        let tables = "create table p (at text primary key, seen int) without rowid;
            create table g (code text primary key, at text references p (at) on update cascade);";
        vec![("all.db", format!("{tables}{rows}{more}"))]
    }),
    ("a path that is part of its row's key", |games, _| {
        let one = |n, game: &Game| format!("insert into g values ({}, {}, {n});", sql("me"), sql(&game.path()));
        let more = |_, game: &Game| format!("insert into n values ({}, {});", sql(game.code), sql(&game.path()));
        let tables = "create table g (who text, at text, n int, primary key (who, at));
            create table n (code text primary key, at text);";
        vec![("all.db", format!("{tables}{}{}", each(games, "", one), each(games, "", more)))]
    }),
    ("bytes by game, and their sum", |games, libraries| {
        let own = |game: &Game| format!("\"{}\": {}", game.code, game.bytes());
        vec![("at.json", of_codes(games)), ("sums.json", of_libraries(games, libraries, ["{", "}"], &own))]
    }),
    ("bytes in an object by game, and their sum", |games, libraries| {
        let own = |game: &Game| format!("\"{}\": {{\"since\": 7, \"bytes\": {}}}", game.code, game.bytes());
        vec![("at.json", of_codes(games)), ("sums.json", of_libraries(games, libraries, ["{", "}"], &own))]
    }),
    ("bytes in a list of games, and their sum", |games, libraries| {
        let own = |game: &Game| format!("{{\"code\": \"{}\", \"bytes\": {}}}", game.code, game.bytes());
        vec![("at.json", of_codes(games)), ("sums.json", of_libraries(games, libraries, ["[", "]"], &own))]
    }),
    ("a document without blanks", |games, libraries| {
        let own = |game: &Game| format!("\"{}\": {}", game.code, game.bytes());
        let sums = of_libraries(games, libraries, ["{", "}"], &own).replace("\": ", "\":").replace(", ", ",");
        vec![("at.json", of_codes(games)), ("sums.json", sums)]
    }),
    ("a table with a heading", |games, _| {
        let quoted = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
        let one = |_, game: &Game| format!("{},{},{}\n", game.code, quoted(game.title), quoted(&game.path()));
        vec![("all.csv", format!("code,title,at\n{}", each(games, "", one)))]
    }),
    ("plain scalars of YAML", |games, _| {
        let one =
            |_, game: &Game| format!("  {}:\n    title: {}\n    at: {}\n", game.code, json(game.title), game.path());
        vec![("all.yml", format!("games:\n{}", each(games, "", one)))]
    }),
    ("places at a heading each", |games, _| {
        let one = |n, game: &Game| format!("{n}\\code={}\n{n}\\at={}\n", game.code, game.path());
        vec![("all.conf", format!("[games]\n{}size=4\n", each(games, "", one)))]
    }),
];

fn of_codes(games: &[Game]) -> String {
    let one = |_, game: &Game| {
        format!("\"{}\": {{\"title\": {}, \"at\": {}}}", game.code, json(game.title), json(&game.path()))
    };
    format!("{{\n  {}\n}}\n", each(games, ",\n  ", one))
}

/// What libraries say of the games in each, in the order in which these came, with the sum of their bytes.
fn of_libraries(
    games: &[Game],
    libraries: &[PathBuf; 2],
    brackets: [&str; 2],
    own: &dyn Fn(&Game) -> String,
) -> String {
    let library = |library: &PathBuf| {
        let here: Vec<&Game> = games.iter().filter(|game| game.library == *library).collect();
        let all: Vec<String> = here.iter().map(|game| own(game)).collect();
        let sum: usize = here.iter().map(|game| game.bytes()).sum();
        let [open, close] = brackets;
        format!(
            "{{\"at\": {}, \"games\": {open}{}{close}, \"sum\": {sum}}}",
            json(library.to_str().unwrap()),
            all.join(", ")
        )
    };
    let all: Vec<String> = libraries.iter().map(library).collect();
    format!("{{\"libraries\": [{}]}}", all.join(", "))
}

/// Code, title, folder, program.
const PLAIN: [(&str, &str, &str, &str); 4] = [
    ("fen", "Fen", "Fen", "go"),
    ("moor", "Moor Two: Return", "moor-two", "bin/go"),
    ("oed", "Oedland", "Fen Two", "bin/x64/oed"),
    ("tarn", "Tarn", "tarn", "go"),
];

const ODD: [(&str, &str, &str, &str); 4] = [
    ("fen", "King's & Co", "King's & Co", "go"),
    ("moor", "100% Moor", "100% Moor", "bin/go"),
    ("oed", "Öd \"land\"", "Öd land", "bin/x64/oed"),
    ("tarn", "日本の庭, [2] {x};", "日本の庭, [2] {x};", "go"),
];

struct World {
    top: PathBuf,
    libraries: [PathBuf; 2],
    writer: Writer,
    site: Site,
    journal: Journal,
    profile: String,
    _folder: tempfile::TempDir,
}

impl World {
    /// A launcher that is learned while some of its games, by number, are in the second library.
    fn new(
        what: &str,
        writer: Writer,
        names: &[(&'static str, &'static str, &'static str, &'static str); 4],
        moved: &[usize],
    ) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let libraries = ["swift/games", "newhold/games"].map(|path| top.join("drives").join(path));
        for game in games(names, &libraries, moved) {
            let at = PathBuf::from(game.path());
            fs::create_dir_all(at.join(game.program).parent().unwrap()).unwrap();
            fs::create_dir_all(at.join("data")).unwrap();
            fs::write(at.join(game.program), PROGRAM).unwrap();
            fs::write(at.join("data/all.pak"), vec![7; 4000 + game.folder.len()]).unwrap();
        }
        fs::create_dir_all(&libraries[1]).unwrap();
        let home = top.join("home/.local/share/petrel");
        fs::create_dir_all(&home).unwrap();
        for (file, text) in writer(&games(names, &libraries, moved), &libraries) {
            write(&home.join(file), &text);
        }
        let site = Site::of_world(&top).unwrap();
        let learned = learn(&site, &[], &[], &|_| {}).launchers;
        let [launcher] = learned.as_slice() else { panic!("{what}: {learned:?}") };
        assert_eq!((&launcher.doubt, launcher.games.len()), (&None, names.len()), "{what}\n{}", launcher.profile);
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Self { top, libraries, writer, site, journal, profile: launcher.profile.clone(), _folder: folder }
    }

    fn haul(&self, games: &[&Game]) -> HaulId {
        let folders: Vec<PathBuf> = games.iter().map(|game| self.libraries[0].join(game.folder)).collect();
        haul_folders(&self.site, &self.journal, &folders, "newhold", &self.profile)
    }

    fn undo(&self, haul: HaulId) {
        undo_haul(&self.site, &self.journal, haul, &|_| {}, &Control::default()).unwrap();
    }

    /// Compares what the files say with what their launcher would write for these games.
    fn judge(&self, when: &str, games: &[Game]) {
        for (file, text) in (self.writer)(games, &self.libraries) {
            let at = self.top.join("home/.local/share/petrel").join(file);
            if is_database(&at) {
                let wanted = self.top.join("wanted.db");
                write(&wanted, &text);
                assert_eq!(tables(&at), tables(&wanted), "{when}\n{}", self.profile);
                fs::remove_file(&wanted).unwrap();
            } else {
                assert_eq!(fs::read_to_string(&at).unwrap(), text, "{when}\n{}", self.profile);
            }
        }
    }
}

fn is_database(file: &Path) -> bool {
    file.extension().is_some_and(|end| end == "db")
}

fn write(file: &Path, text: &str) {
    if is_database(file) {
        rusqlite::Connection::open(file).unwrap().execute_batch(text).unwrap();
    } else {
        fs::write(file, text).unwrap();
    }
}

/// All rows of all tables, as text, sorted.
fn tables(file: &Path) -> Vec<String> {
    let db = rusqlite::Connection::open(file).unwrap();
    let names = |sql: &str| -> Vec<String> {
        db.prepare(sql).unwrap().query_map((), |row| row.get(0)).unwrap().map(Result::unwrap).collect()
    };
    let mut all = Vec::new();
    for table in names("select name from sqlite_schema where type = 'table'") {
        let columns = names(&format!("select name from pragma_table_info('{table}')"));
        let row = columns.iter().map(|column| format!("quote(\"{column}\")")).collect::<Vec<_>>().join(" || ' ' || ");
        all.extend(names(&format!("select '{table} ' || {row} from \"{table}\"")));
    }
    all.sort();
    all
}

/// The games, those that were moved (by number, in their order) last and in the second library.
fn games(
    names: &[(&'static str, &'static str, &'static str, &'static str); 4],
    libraries: &[PathBuf; 2],
    moved: &[usize],
) -> Vec<Game> {
    let game = |n: usize, (code, title, folder, program): (&'static str, &'static str, &'static str, &'static str)| {
        Game { code, title, folder, program, library: libraries[usize::from(moved.contains(&n))].clone() }
    };
    names.iter().enumerate().map(|(n, one)| game(n, *one)).collect()
}

#[test]
fn what_a_launcher_writes_in_any_shape_is_what_it_would_write_after_each_move_and_each_undo() {
    let full = std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some();
    let (names, moves): (&[_], &[&[usize]]) =
        if full { (&[PLAIN, ODD], &[&[0], &[1, 2], &[3]]) } else { (&[ODD], &[&[0], &[1, 3]]) };
    for (what, writer) in SHAPES {
        for names in names {
            let world = World::new(what, writer, names, &[]);
            let all = games(names, &world.libraries, &[]);
            for moved in moves {
                let haul = world.haul(&moved.iter().map(|n| &all[*n]).collect::<Vec<_>>());
                world.judge(&format!("{what}, {moved:?} moved"), &games(names, &world.libraries, moved));
                world.undo(haul);
                world.judge(&format!("{what}, {moved:?} undone"), &all);
            }
        }
    }
}

/// A drive with one game so far has it in a folder of the same name as the others have theirs: that is how its folder is known.
#[test]
fn a_game_alone_on_its_drive_is_known_by_what_lies_in_it() {
    for (what, writer) in SHAPES.into_iter().take(5) {
        let world = World::new(what, writer, &PLAIN, &[2]);
        let all = games(&PLAIN, &world.libraries, &[2]);
        let haul = world.haul(&[&all[0]]);
        world.judge(&format!("{what}, moved"), &games(&PLAIN, &world.libraries, &[0, 2]));
        world.undo(haul);
        world.judge(&format!("{what}, undone"), &all);
    }
}
