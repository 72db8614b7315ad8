//! Launchers that nobody has described, learned from their games: a generator writes launchers of many shapes, each is learned, its games
//! are moved and moved back, and what its files say is compared with what the generator would have written for the new place.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::launcher::{FoundGame, Profile, load_profiles, read_launchers};
use deft_barge_core::learn::{Doubt, learn};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::record::Side;
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::house::House;
use crate::port::folder_in_memory;

/// Where the sound records of a game stand.
fn places(game: &FoundGame) -> BTreeSet<(PathBuf, String, Vec<String>, bool)> {
    let sound = game.records.iter().filter(|record| record.sound);
    let place = |location: &str| format!("{}{}", game.entry.location, location.trim_start_matches('$'));
    sound
        .map(|record| {
            let at = if record.in_entry { place(&record.location) } else { record.location.clone() };
            let inside = record.inside.iter().map(|hop| hop.location.clone()).collect();
            (record.file.clone(), at, inside, record.side == Side::Key)
        })
        .collect()
}

#[test]
fn stand_ins_are_learned_from_nothing_and_know_what_their_written_profiles_know() {
    let house = House::new();
    let site = house.site();
    let (written, _) = load_profiles(&site.profile_folder());
    let learned = learn(&site, &[], &[], &|_| {});
    let mut known = 0;
    for found in read_launchers(&site, &written) {
        let Some(launcher) = learned.launchers.iter().find(|launcher| launcher.name == found.profile.name) else {
            continue;
        };
        assert_eq!(launcher.doubt, None, "{}", launcher.name);
        let profile = Profile::parse(&launcher.profile, Path::new("learned.toml")).unwrap();
        let own = read_launchers(&site, std::slice::from_ref(&profile)).pop().unwrap();
        assert_eq!(own.games.len(), found.games.len(), "{}", launcher.name);
        for game in &found.games {
            let same = own.games.iter().find(|own| own.install == game.install).unwrap();
            assert!(places(same).is_superset(&places(game)), "{}\n{}", game.title, launcher.profile);
            assert_eq!((same.claim, same.last_run), (game.claim, game.last_run), "{}", game.title);
        }
        known += 1;
    }
    // Two of the others have one game here, or keep their lists with the games.
    assert_eq!(known, 4, "{:?}", learned.launchers.iter().map(|one| &one.name).collect::<Vec<_>>());
    assert!(learned.launchers.iter().all(|launcher| launcher.doubt.is_none() || launcher.games.len() < 2));
}

/// Numbers that a seed gives.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((mixed ^ (mixed >> 31)) >> 33) as usize % n
    }

    fn one<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[self.below(of.len())]
    }

    fn coin(&mut self) -> bool {
        self.below(2) == 0
    }
}

const FOLDERS: [&str; 10] = [
    "Fen",
    "Fen Two",
    "Moor's End",
    "A & B 50% #1",
    "海 Fen",
    "Öd land",
    "gull-parade",
    "Nine_Tins",
    "Slow River",
    "o",
];

#[derive(Clone, Debug)]
struct MadeGame {
    id: String,
    title: String,
    folder: String,
    root: String,
    bytes: u64,
    ran: u64,
}

impl MadeGame {
    fn path(&self) -> String {
        format!("{}/{}", self.root, self.folder)
    }
}

/// How a made-up launcher writes.
#[derive(Clone, Debug)]
struct Style {
    format: &'static str,
    /// What its entries call the path, the id and so on.
    words: [&'static str; 6],
    /// Root and folder apart.
    split: bool,
    /// What else an entry says: the program's whole path, a command line, a file URI, a document in a text.
    more: Vec<&'static str>,
    keyed: bool,
    depth: usize,
    extras: Vec<&'static str>,
    /// What a list of libraries counts.
    counters: &'static str,
}

fn style(dice: &mut Dice) -> Style {
    let format = dice.one(&[
        "json",
        "json",
        "yaml",
        "toml",
        "ini",
        "xml",
        "elements",
        "nested",
        "blocks",
        "lines",
        "sqlite",
        "each.json",
        "each.ini",
        "each.xml",
        "each.nested",
    ]);
    let words = [
        dice.one(&["path", "where", "dir", "installdir", "q7"]),
        dice.one(&["id", "code", "uid", "name2"]),
        dice.one(&["title", "label", "caption", "shown"]),
        dice.one(&["size", "weight", "b"]),
        dice.one(&["ran", "last", "t"]),
        dice.one(&["root", "base", "lib"]),
    ];
    let all = ["program", "command", "uri", "document"];
    let more = all.into_iter().filter(|_| dice.below(3) == 0).collect();
    let all = ["recent", "meta", "keys", "log", "backup", "settings", "cache", "libraries"];
    let extras = all.into_iter().filter(|_| dice.coin()).collect();
    Style {
        format,
        words,
        split: dice.below(4) == 0,
        more,
        keyed: dice.coin(),
        depth: dice.below(3),
        extras,
        counters: dice.one(&["", "", "count", "map"]),
    }
}

/// The fields of an entry.
fn fields(style: &Style, game: &MadeGame) -> Vec<(String, String)> {
    let [path, id, title, size, ran, root] = style.words.map(str::to_string);
    let mut all = vec![(id, game.id.clone()), (title, game.title.clone())];
    if style.split {
        all.extend([(root, game.root.clone()), (path, game.folder.clone())]);
    } else {
        all.push((path, game.path()));
    }
    all.extend([(size, game.bytes.to_string()), (ran, game.ran.to_string())]);
    for more in &style.more {
        let text = match *more {
            "program" => format!("{}/bin/go", game.path()),
            "command" => format!("\"{}/bin/go\" --full", game.path()),
            "uri" => format!("file://{}", uri(&game.path())),
            _ => serde_json::json!({"v": 1, "in": game.path()}).to_string(),
        };
        all.push((format!("x_{more}"), text));
    }
    all
}

fn uri(path: &str) -> String {
    let one = |b: u8| {
        if b.is_ascii_alphanumeric() || b"/-._~".contains(&b) { char::from(b).to_string() } else { format!("%{b:02X}") }
    };
    path.bytes().map(one).collect()
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn json_entry(fields: &[(String, String)]) -> serde_json::Value {
    let value = |(key, text): &(String, String)| {
        let number = key != "id" && text.bytes().all(|b| b.is_ascii_digit()) && !text.is_empty();
        (key.clone(), if number { text.parse::<u64>().unwrap().into() } else { serde_json::Value::from(text.clone()) })
    };
    fields.iter().map(value).collect::<serde_json::Map<_, _>>().into()
}

/// What all files of the launcher say of these games; `None` for a text of a database.
fn files(style: &Style, games: &[MadeGame], home: &Path) -> BTreeMap<PathBuf, String> {
    let mut out = BTreeMap::new();
    let entries: Vec<Vec<(String, String)>> = games.iter().map(|game| fields(style, game)).collect();
    let list = |name: &str| home.join(name);
    match style.format {
        "json" => {
            let mut value: serde_json::Value = if style.keyed {
                games
                    .iter()
                    .zip(&entries)
                    .map(|(game, entry)| (game.id.clone(), json_entry(entry)))
                    .collect::<serde_json::Map<_, _>>()
                    .into()
            } else {
                entries.iter().map(|entry| json_entry(entry)).collect()
            };
            for _ in 0..style.depth {
                value = serde_json::json!({"version": 3, "games": value});
            }
            out.insert(list("games.json"), serde_json::to_string_pretty(&value).unwrap() + "\n");
        }
        "yaml" => {
            let mut text = String::from("version: 2\ngames:\n");
            for entry in &entries {
                for (n, (key, value)) in entry.iter().enumerate() {
                    writeln!(text, "  {} {key}: {}", if n == 0 { "-" } else { " " }, quoted(value)).unwrap();
                }
            }
            out.insert(list("games.yaml"), text);
        }
        "toml" => {
            let mut text = String::from("version = 2\n");
            for entry in &entries {
                text.push_str("\n[[game]]\n");
                for (key, value) in entry {
                    writeln!(text, "{key} = {}", quoted(value)).unwrap();
                }
            }
            out.insert(list("games.toml"), text);
        }
        "ini" => {
            let mut text = String::from("[general]\nversion=2\n");
            for (game, entry) in games.iter().zip(&entries) {
                write!(text, "\n[game {}]\n", game.id).unwrap();
                for (key, value) in entry {
                    writeln!(text, "{key}={value}").unwrap();
                }
            }
            out.insert(list("games.ini"), text);
        }
        "xml" => {
            let mut text = String::from("<?xml version=\"1.0\"?>\n<all>\n  <option name=\"x\"/>\n");
            for entry in &entries {
                let all: Vec<String> = entry.iter().map(|(key, value)| format!("{key}=\"{}\"", xml(value))).collect();
                writeln!(text, "  <game {}/>", all.join(" ")).unwrap();
            }
            out.insert(list("games.xml"), text + "</all>\n");
        }
        "elements" => {
            let mut text = String::from("<all>\n");
            for entry in &entries {
                text.push_str("  <game>\n");
                for (key, value) in entry {
                    writeln!(text, "    <{key}>{}</{key}>", xml(value)).unwrap();
                }
                text.push_str("  </game>\n");
            }
            out.insert(list("games.xml"), text + "</all>\n");
        }
        "nested" => {
            let mut text = String::from("\"games\"\n{\n");
            for (game, entry) in games.iter().zip(&entries) {
                write!(text, "\t\"{}\"\n\t{{\n", game.id).unwrap();
                for (key, value) in entry {
                    writeln!(text, "\t\t\"{key}\"\t\t{}", quoted(value)).unwrap();
                }
                text.push_str("\t}\n");
            }
            out.insert(list("games.dat"), text + "}\n");
        }
        "blocks" => {
            let mut text = String::from("# games\nversion = 2;\n");
            for entry in &entries {
                text.push_str("game {\n");
                for (key, value) in entry {
                    writeln!(text, "  {key} = {};", quoted(value)).unwrap();
                }
                text.push_str("}\n");
            }
            out.insert(list("games.conf"), text);
        }
        "lines" => {
            let text: String = entries.iter().map(|entry| format!("{}\n", json_entry(entry))).collect();
            out.insert(list("games.jsonl"), text);
        }
        "sqlite" => {
            let text: String = entries.iter().map(|entry| format!("{}\n", json_entry(entry))).collect();
            out.insert(list("games.sqlite"), text);
        }
        each => {
            let end = each.strip_prefix("each.").unwrap();
            for (game, entry) in games.iter().zip(&entries) {
                let text = match end {
                    "json" => serde_json::to_string_pretty(&json_entry(entry)).unwrap(),
                    "ini" => entry
                        .iter()
                        .fold(String::from("[game]\n"), |text, (key, value)| format!("{text}{key}={value}\n")),
                    "xml" => {
                        let all: Vec<String> =
                            entry.iter().map(|(key, value)| format!("<{key}>{}</{key}>", xml(value))).collect();
                        format!("<game>{}</game>\n", all.join("\n"))
                    }
                    _ => {
                        let all: Vec<String> =
                            entry.iter().map(|(key, value)| format!("\t\"{key}\"\t{}\n", quoted(value))).collect();
                        format!("\"game\"\n{{\n{}}}\n", all.concat())
                    }
                };
                out.insert(home.join(format!("installed/app_{}.{end}", game.id)), text);
            }
        }
    }
    for extra in &style.extras {
        extra_files(extra, games, home, &mut out);
    }
    out
}

/// The list of libraries: where games may lie. Its own file, in the launcher's folder.
fn libraries(style: &Style, games: &[MadeGame]) -> Option<Vec<serde_json::Value>> {
    let mut roots: Vec<&str> = games.iter().map(|game| game.root.as_str()).collect();
    roots.sort_unstable();
    roots.dedup();
    let entry = |(n, root): (usize, &&str)| {
        let mut entry = serde_json::json!({"at": root, "label": format!("Shelf {n}"), "watch": true});
        match style.counters {
            "count" => entry["games"] = games.iter().filter(|game| game.root == **root).count().into(),
            "map" => {
                let here = games.iter().filter(|game| game.root == **root);
                let all: serde_json::Map<_, _> = here.map(|game| (game.id.clone(), game.bytes.into())).collect();
                entry["apps"] = all.into();
            }
            _ => {}
        }
        entry
    };
    style.extras.contains(&"libraries").then(|| roots.iter().enumerate().map(entry).collect())
}

fn extra_files(extra: &str, games: &[MadeGame], home: &Path, out: &mut BTreeMap<PathBuf, String>) {
    let paths: Vec<String> = games.iter().map(MadeGame::path).collect();
    match extra {
        "recent" => drop(out.insert(home.join("recent.json"), serde_json::json!({"starts": &paths[..2]}).to_string())),
        "meta" => {
            for game in games {
                let text = serde_json::json!({"for": game.id, "folder": game.path(), "art": "none"}).to_string();
                out.insert(home.join(format!("meta/{}.json", game.id)), text);
            }
        }
        "keys" => {
            let all: serde_json::Map<_, _> = games.iter().map(|game| (game.path(), game.bytes.into())).collect();
            out.insert(home.join("sizes.json"), serde_json::Value::from(all).to_string());
        }
        // What was: it says the old place for ever.
        "log" => {
            let line = |game: &MadeGame| {
                format!("2026-03-0{} 12:00:01 installed {}/{}\n", 1 + game.bytes % 9, "/old", game.folder)
            };
            out.insert(home.join("kite.log"), games.iter().map(line).collect::<String>().repeat(3));
        }
        _ => {}
    }
}

/// What lies beside and stays whatever happens.
fn staying(
    style: &Style,
    games: &[MadeGame],
    home: &Path,
    before: &BTreeMap<PathBuf, String>,
) -> BTreeMap<PathBuf, String> {
    let mut out = BTreeMap::new();
    if style.extras.contains(&"backup")
        && let Some((file, text)) = before.iter().find(|(file, _)| {
            file.file_name().is_some_and(|name| name.to_string_lossy().starts_with("games."))
                && !file.ends_with("games.sqlite")
        })
    {
        out.insert(PathBuf::from(format!("{}.bak", file.display())), text.clone());
    }
    if style.extras.contains(&"settings") {
        let text = serde_json::json!({"new games": games[0].root, "theme": "dark"}).to_string();
        out.insert(home.join("settings.json"), text);
    }
    if style.extras.contains(&"cache") {
        let text = serde_json::json!({"seen": games.iter().map(MadeGame::path).collect::<Vec<_>>()}).to_string();
        out.insert(home.join("cache/list.json"), text);
    }
    out
}

struct MadeWorld {
    folder: tempfile::TempDir,
    style: Style,
    games: Vec<MadeGame>,
}

impl MadeWorld {
    fn new(seed: u64) -> Self {
        let mut dice = Dice(seed.wrapping_mul(7919) + 17);
        let style = style(&mut dice);
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        let mut world = String::from("format = 1\nseed = 1\nhome = \"home\"\n");
        for (tag, name) in [(1, "swift"), (2, "newhold")] {
            write!(world, "[[drives]]\ntag = {tag}\nname = \"{name}\"\nroot = \"drives/{name}\"\ncapacity = 900000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n").unwrap();
            fs::create_dir_all(top.join("drives").join(name)).unwrap();
        }
        fs::create_dir_all(top.join("home")).unwrap();
        fs::write(top.join("world.toml"), world).unwrap();
        let roots = [top.join("drives/swift/stuff"), top.join("drives/swift/more games")];
        let numbers = dice.coin();
        let count = 2 + dice.below(5);
        let first = dice.below(FOLDERS.len());
        let games = (0..count).map(|n| {
            let folder = FOLDERS[(first + n) % FOLDERS.len()].to_string();
            let id = if numbers { format!("{}", 1000 + n * 37) } else { format!("k{}-x{n}", n * 3) };
            let title = if dice.coin() { folder.clone() } else { format!("{folder}: the game") };
            let root = roots[if dice.below(3) == 0 { 1 } else { 0 }].to_str().unwrap().to_string();
            let bytes = 70_000 + 1000 * n as u64;
            MadeGame { id, title, folder, root, bytes, ran: 1_700_000_000 + 86_400 * n as u64 }
        });
        let games: Vec<MadeGame> = games.collect();
        for game in &games {
            let path = PathBuf::from(game.path());
            fs::create_dir_all(path.join("bin")).unwrap();
            fs::create_dir_all(path.join("data")).unwrap();
            fs::write(path.join("bin/go"), format!("#!/bin/sh\n# {}\n", game.id)).unwrap();
            let rest = game.bytes as usize - fs::metadata(path.join("bin/go")).unwrap().len() as usize;
            fs::write(path.join("data/all.pak"), vec![game.id.len() as u8; rest]).unwrap();
        }
        let world = Self { folder, style, games };
        if let Some(all) = libraries(&world.style, &world.games) {
            fs::create_dir_all(world.home()).unwrap();
            fs::write(world.home().join("shelves.json"), serde_json::json!({"v": 1, "shelves": all}).to_string())
                .unwrap();
        }
        let all = world.files(&world.games);
        for (file, text) in all.iter().chain(&staying(&world.style, &world.games, &world.home(), &all)) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            if file.extension().is_some_and(|end| end == "sqlite") {
                make_database(file, text)
            } else {
                fs::write(file, text).unwrap()
            }
        }
        world
    }

    fn top(&self) -> PathBuf {
        self.folder.path().canonicalize().unwrap()
    }

    fn home(&self) -> PathBuf {
        self.top().join("home/.config/copper-kite")
    }

    fn site(&self) -> Site {
        Site::of_world(&self.top()).unwrap()
    }

    fn files(&self, games: &[MadeGame]) -> BTreeMap<PathBuf, String> {
        files(&self.style, games, &self.home())
    }

    /// Says what differs from what the launcher would have written for these games.
    fn judge(&self, games: &[MadeGame]) -> Result<(), String> {
        let original = self.files(&self.games);
        let stays = staying(&self.style, &self.games, &self.home(), &original);
        for (file, wanted) in self.files(games).iter().chain(&stays) {
            let now = if file.extension().is_some_and(|end| end == "sqlite") {
                said_by_database(file)
            } else {
                fs::read_to_string(file).map_err(|error| format!("{}: {error}", file.display()))?
            };
            if now != *wanted {
                return Err(format!("{}\n{now}\nnot\n{wanted}", file.display()));
            }
        }
        self.judge_libraries(games)
    }
}

impl MadeWorld {
    /// Every game lies in a library that is listed once, what was listed is listed as before, and what is counted is true.
    fn judge_libraries(&self, games: &[MadeGame]) -> Result<(), String> {
        let Some(before) = libraries(&self.style, &self.games) else { return Ok(()) };
        let text = fs::read_to_string(self.home().join("shelves.json")).unwrap();
        let now: serde_json::Value = serde_json::from_str(&text).map_err(|error| format!("{error}: {text}"))?;
        let now = now["shelves"].as_array().unwrap().clone();
        for game in games {
            let here: Vec<_> = now.iter().filter(|entry| entry["at"] == game.root.as_str()).collect();
            let [entry] = here.as_slice() else { return Err(format!("{} is not listed once: {text}", game.root)) };
            if self.style.counters == "count" {
                let count = games.iter().filter(|other| other.root == game.root).count();
                if entry["games"] != count {
                    return Err(format!("{} is said to hold {}: {text}", game.root, entry["games"]));
                }
            }
            if self.style.counters == "map" && entry["apps"].get(&game.id).is_none() {
                return Err(format!("{} is not said to hold {}: {text}", game.root, game.id));
            }
        }
        let plain = self.style.counters.is_empty();
        if plain && before.iter().any(|entry| !now.contains(entry)) {
            return Err(format!("another library changed: {text}"));
        }
        Ok(())
    }
}

fn make_database(file: &Path, text: &str) {
    let db = rusqlite::Connection::open(file).unwrap();
    for (n, line) in text.lines().enumerate() {
        let entry: serde_json::Map<String, serde_json::Value> = serde_json::from_str(line).unwrap();
        if n == 0 {
            let columns: Vec<&str> = entry.keys().map(String::as_str).collect();
            db.execute(
                &format!(
                    "create table games (nr integer primary key, {})",
                    columns.iter().map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ")
                ),
                (),
            )
            .unwrap();
        }
        let texts: Vec<rusqlite::types::Value> = entry
            .values()
            .map(|value| {
                value.as_u64().map_or_else(|| value.as_str().unwrap().to_string().into(), |n| (n as i64).into())
            })
            .collect();
        let marks = vec!["?"; texts.len()].join(", ");
        let sql = format!(
            "insert into games ({}) values ({marks})",
            entry.keys().map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ")
        );
        db.execute(&sql, rusqlite::params_from_iter(texts)).unwrap();
    }
}

fn said_by_database(file: &Path) -> String {
    let db = rusqlite::Connection::open(file).unwrap();
    let mut rows = db.prepare("select * from games order by nr").unwrap();
    let names: Vec<String> = rows.column_names().skip(1).map(ToString::to_string).collect();
    let mut out = String::new();
    let mut all = rows.query(()).unwrap();
    while let Some(row) = all.next().unwrap() {
        let value = |n: usize| match row.get_ref(n).unwrap() {
            rusqlite::types::ValueRef::Integer(n) => serde_json::Value::from(n),
            other => other.as_str().unwrap().into(),
        };
        let entry: serde_json::Map<String, serde_json::Value> =
            names.iter().enumerate().map(|(n, name)| (name.clone(), value(n + 1))).collect();
        writeln!(out, "{}", serde_json::Value::from(entry)).unwrap();
    }
    out
}

/// What became of a made-up launcher.
#[derive(Debug, PartialEq, Eq)]
enum Outcome {
    Learned,
    Asked,
    Refused(Doubt),
    NotSeen,
}

fn try_seed(seed: u64) -> Outcome {
    let world = MadeWorld::new(seed);
    let site = world.site();
    let learned = learn(&site, &[], &[], &|_| {});
    let what = format!("seed {seed}: {:?}", world.style);
    assert!(learned.launchers.len() < 2, "{what}: {:?}", learned.launchers);
    let Some(launcher) = learned.launchers.into_iter().next() else { return Outcome::NotSeen };
    world.judge(&world.games).unwrap_or_else(|why| panic!("{what}: learning changed {why}"));
    if let Some(doubt) = launcher.doubt {
        return Outcome::Refused(doubt);
    }
    let what = format!("{what}\n{}", launcher.profile);
    assert_eq!(launcher.games.len(), world.games.len(), "{what}");
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join(format!("{}.toml", launcher.id)), &launcher.profile).unwrap();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let (mut now, mut nth) = (world.games.clone(), 0);
    for n in 0..world.games.len() {
        let found = survey(&site, Vec::new(), &|_| {});
        let old = PathBuf::from(now[n].path());
        let game =
            found.games.iter().find(|game| game.found.install == old).unwrap_or_else(|| panic!("{what}: {old:?}"));
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let plan = plan(&site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{what}: {:?}", plan.findings);
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        nth += 1;
        let before = now.clone();
        now[n].root = plan.items[0].to.parent().unwrap().to_str().unwrap().into();
        assert_eq!(plan.items[0].to.file_name().unwrap().to_str().unwrap(), now[n].folder);
        world.judge(&now).unwrap_or_else(|why| panic!("{what}\n{} moved: {why}", now[n].title));
        if n % 2 == 0 {
            undo_haul(&site, &journal, HaulId(nth), &|_| {}, &Control::default()).unwrap();
            nth += 1;
            now = before;
            world.judge(&now).unwrap_or_else(|why| panic!("{what}\n{} undone: {why}", now[n].title));
        }
    }
    if launcher.questions.is_empty() { Outcome::Learned } else { Outcome::Asked }
}

/// Seeds of a daily run, and of all.
fn seeds() -> u64 {
    if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() { 300 } else { 40 }
}

#[test]
fn launchers_of_many_shapes_are_learned_moved_by_and_never_wrong() {
    let mut outcomes: BTreeMap<String, Vec<u64>> = BTreeMap::new();
    let mut wrong = Vec::new();
    for seed in 0..seeds() {
        let tried = std::panic::catch_unwind(|| try_seed(seed));
        let name = match tried {
            Ok(Outcome::Refused(doubt)) => format!("refused: {doubt:?}"),
            Ok(other) => format!("{other:?}"),
            Err(why) => {
                let text = why.downcast_ref::<String>().cloned().unwrap_or_default();
                wrong.push(format!("seed {seed}: {text}"));
                continue;
            }
        };
        outcomes.entry(name).or_default().push(seed);
    }
    let learned =
        outcomes.iter().filter(|(name, _)| ["Learned", "Asked"].contains(&name.as_str())).map(|(_, all)| all.len());
    let learned: usize = learned.sum();
    println!("{learned} of {} learned: {outcomes:#?}", seeds());
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
    // What counts the games of each library is refused; of the others nearly all are learned.
    let counted =
        outcomes.iter().filter(|(name, _)| name.contains("Counters")).map(|(_, all)| all.len()).sum::<usize>();
    assert!((learned + counted) as u64 * 100 >= seeds() * 93 && learned as u64 * 10 >= seeds() * 6, "{outcomes:#?}");
}
