//! Made-up launchers: what each writes is told by a seed, and a judge that knows what it would write for games elsewhere.

mod contents;
mod text;

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::site::Site;

use crate::packers::{PACKED, packed};
use crate::port::{declare, folder_in_memory};
use contents::*;
use text::*;

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

const FOLDERS: [&str; 12] = [
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
    "Kite 🪁 Two",
    "O\u{308}d land",
];

#[derive(Clone, Debug)]
pub struct MadeGame {
    id: String,
    pub title: String,
    pub folder: String,
    pub root: String,
    bytes: u64,
    ran: u64,
}

impl MadeGame {
    pub fn path(&self) -> String {
        format!("{}/{}", self.root, self.folder)
    }
}

/// How a made-up launcher writes.
#[derive(Clone, Debug)]
pub struct Style {
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
    /// What a game that is not installed has for its path: nothing, an empty text, or no such member; or there is none of them.
    uninstalled: &'static str,
    /// What a list of libraries counts.
    counters: &'static str,
    /// How it is written.
    shelves: &'static str,
    /// Whether games lie in a folder of each library.
    deep: bool,
    /// Whether a library is listed that has no games, and where it is.
    empty: Option<String>,
    /// How its content lists are written; empty if it has none.
    pub contents: &'static str,
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
        "kept.json",
        "kept.nested",
        "kept.xml",
        "kept.ledger",
        "msgpack",
        "cbor",
        "bson",
        "torrent",
        "pb",
        "each.msgpack",
        "each.pb",
        "kept.cbor",
        "csv",
        "tsv",
        "json5",
        "plist",
        "each.plist",
    ]);
    let words = [
        dice.one(&["path", "where", "dir", "seat", "q7"]),
        dice.one(&["id", "code", "uid", "name2"]),
        dice.one(&["title", "heading", "caption", "shown"]),
        dice.one(&["size", "weight", "b"]),
        dice.one(&["ran", "last", "t"]),
        dice.one(&["root", "base", "lib"]),
    ];
    let all = ["program", "command", "uri", "document"];
    let more = all.into_iter().filter(|_| dice.below(3) == 0).collect();
    let all = ["recent", "meta", "keys", "log", "backup", "settings", "cache", "libraries", "scripts"];
    let kept = format.starts_with("kept.");
    let mut extras: Vec<&str> = all.into_iter().filter(|_| dice.coin()).collect();
    if kept && !extras.contains(&"libraries") {
        extras.push("libraries");
    }
    Style {
        format,
        words,
        split: dice.below(if kept { 2 } else { 4 }) == 0,
        more,
        keyed: dice.coin(),
        depth: dice.below(3),
        extras,
        counters: dice.one(&["", "", "count", "map", "ids", "objects", "sum"]),
        shelves: dice.one(&["json", "json", "keyed", "nested", "yaml", "lines"]),
        deep: dice.below(3) == 0,
        empty: (dice.below(3) == 0).then(String::new),
        contents: "",
        uninstalled: dice.one(&["", "", "empty", "absent", "null"]),
    }
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
        "scripts" => {
            for game in games {
                let quoted = game.path().replace('\'', "'\\''");
                let text = format!("#!/bin/sh\n# {}\ncd '{quoted}' && exec ./bin/go \"$@\"\n", game.id);
                out.insert(home.join(format!("run/{}.sh", game.id)), text);
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

/// How a launcher may write otherwise from some day on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// The path is called otherwise in each entry.
    PathCalledOtherwise,
    /// Each entry says a path more.
    AnotherPath,
}

pub struct MadeWorld {
    folder: tempfile::TempDir,
    pub style: Style,
    pub games: Vec<MadeGame>,
}

impl MadeWorld {
    pub fn new(seed: u64) -> Self {
        let mut dice = Dice(seed.wrapping_mul(7919) + 17);
        let mut style = style(&mut dice);
        style.contents = CONTENTS[seed as usize % CONTENTS.len()];
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let roots = [top.join("drives/swift/stuff"), top.join("drives/swift/more games")];
        // Where the games come from, or where they go.
        let none = top.join(if seed.is_multiple_of(2) { "drives/swift/later" } else { "drives/newhold/later" });
        if let Some(empty) = &mut style.empty {
            fs::create_dir_all(&none).unwrap();
            none.to_str().unwrap().clone_into(empty);
        }
        let numbers = dice.coin();
        let count = 2 + dice.below(5);
        let first = dice.below(FOLDERS.len());
        let games = (0..count).map(|n| {
            let folder = FOLDERS[(first + n) % FOLDERS.len()].to_string();
            let id = if numbers { format!("{}", 1000 + n * 37) } else { format!("k{}-x{n}", n * 3) };
            let title = if dice.coin() { folder.clone() } else { format!("{folder}: the game") };
            let mut root = roots[usize::from(dice.below(3) == 0)].to_str().unwrap().to_string();
            if style.deep {
                root.push_str("/rows");
            }
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
            fs::write(world.shelves(), libraries_text(&world.style, all)).unwrap();
        }
        for (file, text) in world.content_lists() {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, text).unwrap();
        }
        world.write_files();
        world
    }

    fn write_files(&self) {
        let all = self.files(&self.games);
        for (file, text) in all.iter().chain(&staying(&self.style, &self.games, &self.home(), &all)) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            if file.extension().is_some_and(|end| end == "sqlite") {
                let _ = fs::remove_file(file);
                make_database(file, text);
            } else {
                fs::write(file, as_written(file, text)).unwrap();
            }
        }
    }

    /// Has the launcher itself move a game to a folder of games, and write that down.
    pub fn launcher_moves(&mut self, game: usize, root: &Path) {
        let before = self.files(&self.games);
        let from = PathBuf::from(self.games[game].path());
        root.to_str().unwrap().clone_into(&mut self.games[game].root);
        let to = PathBuf::from(self.games[game].path());
        fs::create_dir_all(root).unwrap();
        fs::rename(from, to).unwrap();
        let after = self.files(&self.games);
        for file in before.keys().filter(|file| !after.contains_key(*file)) {
            fs::remove_file(file).unwrap();
        }
        if let Some(all) = libraries(&self.style, &self.games) {
            fs::write(self.shelves(), libraries_text(&self.style, all)).unwrap();
        }
        self.write_files();
    }

    /// Has the launcher write otherwise; `false` where nothing would tell that, since what it writes has no names.
    pub fn change(&mut self, change: Change) -> bool {
        if self.style.format.contains("pb") {
            return false;
        }
        match change {
            Change::PathCalledOtherwise => self.style.words[0] = "lies_at",
            Change::AnotherPath => {
                let Some(more) = ["program", "uri", "document"].into_iter().find(|one| !self.style.more.contains(one))
                else {
                    return false;
                };
                self.style.more.push(more);
            }
        }
        self.write_files();
        true
    }

    /// Shows all that the launcher has written.
    pub fn print(&self) {
        for (file, text) in self.files(&self.games) {
            println!("{}\n{text}", file.display());
        }
        if let Ok(text) = fs::read_to_string(self.shelves()) {
            println!("{text}");
        }
    }

    fn top(&self) -> PathBuf {
        self.folder.path().canonicalize().unwrap()
    }

    fn shelves(&self) -> PathBuf {
        self.home().join(match self.style.shelves {
            "nested" => "shelves.dat",
            "yaml" => "shelves.yaml",
            "lines" => "shelves.txt",
            _ => "shelves.json",
        })
    }

    pub fn home(&self) -> PathBuf {
        self.top().join("home/.config/copper-kite")
    }

    pub fn site(&self) -> Site {
        Site::of_world(&self.top()).unwrap()
    }

    fn files(&self, games: &[MadeGame]) -> BTreeMap<PathBuf, String> {
        files(&self.style, games, &self.home())
    }

    /// Says what differs from what the launcher would have written for these games.
    pub fn judge(&self, games: &[MadeGame]) -> Result<(), String> {
        let original = self.files(&self.games);
        let stays = staying(&self.style, &self.games, &self.home(), &original);
        for (file, wanted) in self.files(games).iter().chain(&stays) {
            if is_packed(file).is_some() {
                let now = fs::read(file).map_err(|error| format!("{}: {error}", file.display()))?;
                if now != as_written(file, wanted) {
                    let (now, wanted) = (String::from_utf8_lossy(&now), as_written(file, wanted));
                    return Err(format!("{}\n{now}\nnot\n{}", file.display(), String::from_utf8_lossy(&wanted)));
                }
                continue;
            }
            let now = if file.extension().is_some_and(|end| end == "sqlite") {
                said_by_database(file)
            } else {
                fs::read_to_string(file).map_err(|error| format!("{}: {error}", file.display()))?
            };
            if file.ends_with("ledger.json") {
                let read = |text: &str| -> Result<serde_json::Value, String> {
                    let mut value: serde_json::Value =
                        serde_json::from_str(text).map_err(|error| format!("{error}: {text}"))?;
                    let all = value["all"].as_array_mut().ok_or("no list")?;
                    all.sort_by_key(ToString::to_string);
                    Ok(value)
                };
                if read(&now)? != read(wanted)? {
                    return Err(format!("{}\n{now}\nnot\n{wanted}", file.display()));
                }
                continue;
            }
            if now != *wanted {
                return Err(format!("{}\n{now}\nnot\n{wanted}", file.display()));
            }
        }
        let wanted = self.files(games);
        for shelf in ["swift/stuff", "swift/more games", "newhold/stuff", "newhold/more games"] {
            let shelf = self.top().join("drives").join(shelf);
            let ledger = shelf.join("ledger.json");
            if let (false, Ok(text)) = (wanted.contains_key(&ledger), fs::read_to_string(&ledger)) {
                let value: serde_json::Value =
                    serde_json::from_str(&text).map_err(|error| format!("{error}: {text}"))?;
                if value["holds"] != 0 || value["all"].as_array().is_none_or(|all| !all.is_empty()) {
                    return Err(format!("{}: {text}", ledger.display()));
                }
            }
            let notes = shelf.join("notes");
            for entry in fs::read_dir(notes).into_iter().flatten().flatten() {
                if !wanted.contains_key(&entry.path()) {
                    return Err(format!("{} was left", entry.path().display()));
                }
            }
        }
        self.judge_libraries(games)
    }
}
