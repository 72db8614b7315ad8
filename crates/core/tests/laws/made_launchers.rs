//! Made-up launchers: what each writes is told by a seed, and a judge that knows what it would write for games elsewhere.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::site::Site;

use crate::packers::{PACKED, packed};
use crate::port::{declare, folder_in_memory};

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

/// The fields of an entry.
fn fields(style: &Style, game: &MadeGame) -> Entry {
    let [path, id, title, size, ran, root] = style.words.map(str::to_string);
    let mut all = vec![(id, game.id.clone()), (title, game.title.clone())];
    if style.split && style.format.starts_with("kept.") {
        all.push((path, game.folder.clone()));
    } else if style.split {
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

/// What all files of the launcher say of these games.
fn files(style: &Style, games: &[MadeGame], home: &Path) -> BTreeMap<PathBuf, String> {
    let mut out = BTreeMap::new();
    let mut entries: Vec<Entry> = games.iter().map(|game| fields(style, game)).collect();
    let mut games = games.to_vec();
    if !style.uninstalled.is_empty() {
        let known = MadeGame {
            id: "zz-9".into(),
            title: "Not here".into(),
            folder: String::new(),
            root: String::new(),
            bytes: 0,
            ran: 0,
        };
        entries.push(uninstalled(style, &known));
        games.push(known);
    }
    let (games, installed) = (games.as_slice(), games.len() - usize::from(!style.uninstalled.is_empty()));
    if style.format == "kept.ledger" {
        let installed = games[..installed].iter().zip(&entries);
        let mut ledgers: BTreeMap<PathBuf, Vec<(&MadeGame, &Entry)>> = BTreeMap::new();
        for (game, entry) in installed {
            let shelf = PathBuf::from(shelf_of(style, &game.root));
            ledgers.entry(shelf.join("ledger.json")).or_default().push((game, entry));
        }
        for (file, all) in ledgers {
            let sum: u64 = all.iter().map(|(game, _)| game.bytes).sum();
            let all: Vec<_> = all.iter().map(|(_, entry)| json_entry(entry)).collect();
            let value = serde_json::json!({"ledger": 77, "holds": sum, "all": all});
            out.insert(file, serde_json::to_string_pretty(&value).unwrap() + "\n");
        }
    } else if let Some(end) = style.format.strip_prefix("kept.") {
        for (game, entry) in games[..installed].iter().zip(&entries) {
            let shelf = PathBuf::from(shelf_of(style, &game.root));
            out.insert(shelf.join(format!("notes/of-{}.{end}", game.id)), one_file(end, entry));
        }
    } else if let Some(end) = style.format.strip_prefix("each.") {
        for (game, entry) in games.iter().zip(&entries) {
            out.insert(home.join(format!("by game/of-{}.{end}", game.id)), one_file(end, entry));
        }
    } else {
        let (name, text) = match style.format {
            "json" => ("games.json", json_list(style, games, &entries)),
            "xml" | "elements" => ("games.xml", xml_list(style.format, &entries)),
            "nested" | "blocks" => ("games.dat", nested_list(style.format, games, &entries)),
            "sqlite" => ("games.sqlite", lines_list(&entries)),
            "lines" => ("games.jsonl", lines_list(&entries)),
            "csv" => ("games.csv", rows_list(',', &entries)),
            "tsv" => ("games.txt", rows_list('\t', &entries)),
            "json5" => ("games.json5", json5_list(&entries)),
            "plist" => (
                "games.plist",
                format!(
                    "<plist version=\"1.0\">\n<array>{}\n</array>\n</plist>\n",
                    entries.iter().map(dictionary).collect::<String>()
                ),
            ),
            "msgpack" => ("games.bin", json_list(style, games, &entries)),
            "cbor" => ("games.cbor", json_list(style, games, &entries)),
            packed if PACKED.contains(&packed) => {
                let text = json_list(&Style { keyed: style.keyed && packed != "pb", ..style.clone() }, games, &entries);
                let value: serde_json::Value = serde_json::from_str(&text).unwrap();
                let value = if value.is_array() { serde_json::json!({"v": 2, "games": value}) } else { value };
                (
                    if packed == "pb" {
                        "games.pb"
                    } else if packed == "bson" {
                        "games.bson"
                    } else {
                        "games.torrent"
                    },
                    value.to_string(),
                )
            }
            other => plain_list(other, games, &entries),
        };
        out.insert(home.join(name), text);
    }
    for extra in &style.extras {
        extra_files(extra, &games[..installed], home, &mut out);
    }
    out
}

/// The entry of a game that is not installed.
fn uninstalled(style: &Style, game: &MadeGame) -> Entry {
    let [path, .., root] = style.words;
    let mut all = fields(style, game);
    all.retain(|(key, _)| !key.starts_with("x_") && (style.uninstalled != "absent" || (key != path && key != root)));
    for (key, text) in &mut all {
        if key == path || key == root {
            text.clear();
        }
    }
    all
}

type Entry = Vec<(String, String)>;

fn json_list(style: &Style, games: &[MadeGame], entries: &[Entry]) -> String {
    let mut value: serde_json::Value = if style.keyed {
        let keyed = games.iter().zip(entries).map(|(game, entry)| (game.id.clone(), json_entry(entry)));
        keyed.collect::<serde_json::Map<_, _>>().into()
    } else {
        entries.iter().map(|entry| json_entry(entry)).collect()
    };
    for _ in 0..style.depth {
        value = serde_json::json!({"version": 3, "games": value});
    }
    serde_json::to_string_pretty(&value).unwrap() + "\n"
}

fn lines_list(entries: &[Entry]) -> String {
    entries.iter().map(|entry| format!("{}\n", json_entry(entry))).collect()
}

/// Rows with a heading; what has a separator or a quote in it stands in quotes.
fn rows_list(separator: char, entries: &[Entry]) -> String {
    // What an entry has not is empty.
    let names: Vec<&String> = entries[0].iter().map(|(key, _)| key).collect();
    let row = |all: &mut dyn Iterator<Item = String>| all.collect::<Vec<_>>().join(&separator.to_string()) + "\n";
    let value = |text: &str| {
        let quoted = text.contains([separator, '"']) && separator != '\t';
        if quoted { format!("\"{}\"", text.replace('"', "\"\"")) } else { text.to_string() }
    };
    let mut text = row(&mut names.iter().map(|name| (*name).clone()));
    for entry in entries {
        let of = |name: &&String| entry.iter().find(|(key, _)| key == *name).map_or("", |(_, text)| text);
        text.push_str(&row(&mut names.iter().map(|name| value(of(name)))));
    }
    text
}

fn json5_list(entries: &[Entry]) -> String {
    let text = |text: &str| format!("'{}'", text.replace('\\', "\\\\").replace('\'', "\\'"));
    let mut out = String::from("// games\n[\n");
    for entry in entries {
        let all: Vec<String> = entry.iter().map(|(key, value)| format!("{key}: {}", text(value))).collect();
        writeln!(out, "  {{ {} }},", all.join(", ")).unwrap();
    }
    out + "]\n"
}

/// A property list's dictionary.
fn dictionary(entry: &Entry) -> String {
    let member = |(key, value): &(String, String)| format!("\n\t<key>{key}</key>\n\t<string>{}</string>", xml(value));
    format!("\n<dict>{}\n</dict>", entry.iter().map(member).collect::<String>())
}

fn plain_list(format: &str, games: &[MadeGame], entries: &[Entry]) -> (&'static str, String) {
    let (name, mut text) = match format {
        "yaml" => ("games.yaml", String::from("version: 2\ngames:\n")),
        "toml" => ("games.toml", String::from("version = 2\n")),
        _ => ("games.ini", String::from("[general]\nversion=2\n")),
    };
    for (game, entry) in games.iter().zip(entries) {
        match format {
            "toml" => text.push_str("\n[[game]]\n"),
            "ini" => write!(text, "\n[game {}]\n", game.id).unwrap(),
            _ => {}
        }
        for (n, (key, value)) in entry.iter().enumerate() {
            match format {
                "yaml" => writeln!(text, "  {} {key}: {}", if n == 0 { "-" } else { " " }, quoted(value)).unwrap(),
                "toml" => writeln!(text, "{key} = {}", quoted(value)).unwrap(),
                _ => writeln!(text, "{key}={value}").unwrap(),
            }
        }
    }
    (name, text)
}

fn xml_list(format: &str, entries: &[Entry]) -> String {
    let mut text = String::from("<?xml version=\"1.0\"?>\n<all>\n  <option name=\"x\"/>\n");
    for entry in entries {
        if format == "xml" {
            let all: Vec<String> = entry.iter().map(|(key, value)| format!("{key}=\"{}\"", xml(value))).collect();
            writeln!(text, "  <game {}/>", all.join(" ")).unwrap();
        } else {
            writeln!(text, "  <game>\n    {}\n  </game>", elements(entry)).unwrap();
        }
    }
    text + "</all>\n"
}

fn elements(entry: &Entry) -> String {
    let all: Vec<String> = entry.iter().map(|(key, value)| format!("<{key}>{}</{key}>", xml(value))).collect();
    all.join("\n    ")
}

fn nested_list(format: &str, games: &[MadeGame], entries: &[Entry]) -> String {
    let blocks = format == "blocks";
    let mut text = String::from(if blocks { "# games\nversion = 2;\n" } else { "\"games\"\n{\n" });
    for (game, entry) in games.iter().zip(entries) {
        if blocks {
            text.push_str("game {\n");
        } else {
            write!(text, "\t\"{}\"\n\t{{\n", game.id).unwrap();
        }
        for (key, value) in entry {
            if blocks {
                writeln!(text, "  {key} = {};", quoted(value)).unwrap();
            } else {
                writeln!(text, "\t\t\"{key}\" {}", quoted(value)).unwrap();
            }
        }
        text.push_str(if blocks { "}\n" } else { "\t}\n" });
    }
    text + if blocks { "" } else { "}\n" }
}

/// A file of one game.
fn one_file(end: &str, entry: &Entry) -> String {
    match end {
        "json" | "msgpack" | "cbor" | "pb" => serde_json::to_string_pretty(&json_entry(entry)).unwrap(),
        "ini" => entry.iter().fold(String::from("[game]\n"), |text, (key, value)| format!("{text}{key}={value}\n")),
        "xml" => format!("<game>{}</game>\n", elements(entry)),
        "plist" => format!("<?xml version=\"1.0\"?>\n<plist version=\"1.0\">{}\n</plist>\n", dictionary(entry)),
        _ => {
            let all: String = entry.iter().map(|(key, value)| format!("\t\"{key}\"\t{}\n", quoted(value))).collect();
            format!("\"game\"\n{{\n{all}}}\n")
        }
    }
}

/// The folder that a library's entry says, of the folder in which its games lie.
fn shelf_of<'a>(style: &Style, root: &'a str) -> &'a str {
    if style.deep { root.strip_suffix("/rows").unwrap_or(root) } else { root }
}

/// What the list of libraries says of the games in one of them.
fn counted(style: &Style, here: &[&MadeGame]) -> Vec<(&'static str, serde_json::Value)> {
    if matches!(style.shelves, "yaml" | "lines") {
        return Vec::new();
    }
    let number = |n: u64| if style.shelves == "nested" { serde_json::Value::from(n.to_string()) } else { n.into() };
    let map = || {
        let all: serde_json::Map<_, _> = here.iter().map(|game| (game.id.clone(), number(game.bytes))).collect();
        ("within", all.into())
    };
    let sum = here.iter().map(|game| game.bytes).sum();
    match style.counters {
        "count" => vec![("games", number(here.len() as u64))],
        "map" => vec![map()],
        "sum" => vec![("total", number(sum)), map()],
        // Nested text has no lists.
        "ids" if style.shelves != "nested" => vec![("has", here.iter().map(|game| game.id.clone()).collect())],
        "objects" if style.shelves != "nested" => {
            vec![("has", here.iter().map(|game| serde_json::json!({"of": game.id, "since": 7})).collect())]
        }
        _ => Vec::new(),
    }
}

/// The list of libraries: where games may lie. Its own file, in the launcher's folder.
fn libraries(style: &Style, games: &[MadeGame]) -> Option<Vec<serde_json::Value>> {
    let mut roots: Vec<&str> = games.iter().map(|game| game.root.as_str()).collect();
    roots.extend(style.empty.as_deref());
    roots.sort_unstable();
    roots.dedup();
    let entry = |(n, root): (usize, &&str)| {
        let mut entry =
            serde_json::json!({"at": shelf_of(style, root), "caption": format!("Shelf {n}"), "watch": "yes"});
        let here: Vec<&MadeGame> = games.iter().filter(|game| game.root == **root).collect();
        for (name, value) in counted(style, &here) {
            entry[name] = value;
        }
        entry
    };
    style.extras.contains(&"libraries").then(|| roots.iter().enumerate().map(entry).collect())
}

/// The file of the libraries.
fn libraries_text(style: &Style, all: Vec<serde_json::Value>) -> String {
    let keyed: serde_json::Map<_, _> =
        all.iter().enumerate().map(|(n, entry)| (n.to_string(), entry.clone())).collect();
    match style.shelves {
        "json" => serde_json::json!({"v": 1, "shelves": all}).to_string(),
        "lines" => all.iter().map(|entry| format!("{}\n", entry["at"].as_str().unwrap())).collect(),
        "yaml" => {
            let entry = |entry: &serde_json::Value| {
                format!(
                    "  - at: '{}'\n    caption: {}\n    watch: yes\n",
                    entry["at"].as_str().unwrap(),
                    entry["caption"]
                )
            };
            format!("version: 4\nshelves:\n{}", all.iter().map(entry).collect::<String>())
        }
        "keyed" => serde_json::to_string_pretty(&serde_json::json!({"v": 1, "shelves": keyed})).unwrap(),
        _ => {
            let mut text = String::new();
            nested_members(&serde_json::json!({ "shelves": keyed }), 0, &mut text);
            text
        }
    }
}

fn nested_members(value: &serde_json::Value, depth: usize, text: &mut String) {
    let indent = "\t".repeat(depth);
    for (name, value) in value.as_object().unwrap() {
        if let Some(says) = value.as_str() {
            writeln!(text, "{indent}\"{name}\" {}", quoted(says)).unwrap();
        } else {
            write!(text, "{indent}\"{name}\"\n{indent}{{\n").unwrap();
            nested_members(value, depth + 1, text);
            writeln!(text, "{indent}}}").unwrap();
        }
    }
}

/// Reads what `libraries_text` writes as YAML or lines.
fn plain_read(text: &str) -> Result<serde_json::Value, String> {
    let mut all: Vec<serde_json::Value> = Vec::new();
    for line in text.lines().filter(|line| !matches!(*line, "version: 4" | "shelves:")) {
        let bad = || format!("{line:?} is laid out otherwise");
        if line.starts_with('/') {
            all.push(serde_json::json!({"at": line}));
        } else if let Some(at) = line.strip_prefix("  - at: '").and_then(|rest| rest.strip_suffix('\'')) {
            all.push(serde_json::json!({"at": at}));
        } else {
            let (name, value) = line.strip_prefix("    ").and_then(|rest| rest.split_once(": ")).ok_or_else(bad)?;
            all.last_mut().ok_or_else(bad)?[name] = value.trim_matches('"').into();
        }
    }
    Ok(serde_json::json!({ "shelves": all }))
}

/// Reads what [`nested_members`] writes, laid out as it writes it.
fn nested_read(
    lines: &mut std::iter::Peekable<std::str::Lines<'_>>,
    depth: usize,
) -> Result<serde_json::Value, String> {
    let indent = "\t".repeat(depth);
    let mut all = serde_json::Map::new();
    while let Some(line) = lines.next_if(|line| line.trim() != "}") {
        let bad = || format!("{line:?} is laid out otherwise");
        let rest = line.strip_prefix(&indent).filter(|rest| rest.starts_with('"')).ok_or_else(bad)?;
        let end = rest.find("\" ").map_or(rest.len(), |at| at + 1);
        let (name, value) = (&rest[..end], rest[end..].trim_start());
        let value = if value.is_empty() {
            lines.next().filter(|line| *line == format!("{indent}{{")).ok_or_else(bad)?;
            let inner = nested_read(lines, depth + 1)?;
            lines.next().filter(|line| *line == format!("{indent}}}")).ok_or_else(bad)?;
            inner
        } else {
            serde_json::from_str(value).map_err(|_| bad())?
        };
        all.insert(serde_json::from_str(name).map_err(|_| bad())?, value);
    }
    Ok(all.into())
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

/// Ways to write what a game consists of: in the launcher's folder, or in the game.
const CONTENTS: [&str; 14] = [
    "",
    "array",
    "keyed",
    "rows",
    "xml",
    "yaml",
    "sums",
    "named sums",
    "sums in the game",
    "sums behind",
    "sums below the folder",
    "array in the game",
    "table",
    "pieces",
];

impl MadeWorld {
    /// The content lists of the games, by file.
    fn content_lists(&self) -> BTreeMap<PathBuf, String> {
        use sha1::Digest as _;
        let hex = |bytes: &[u8]| bytes.iter().map(|byte| format!("{byte:02x}")).collect::<String>();
        let mut out = BTreeMap::new();
        for game in &self.games {
            let at = PathBuf::from(game.path());
            let files = ["bin/go", "data/all.pak"].map(|path| (path, fs::read(at.join(path)).unwrap()));
            let (own, lists) = (at.join("bin/parts.lst"), self.home().join("parts"));
            let object = |path: &str, bytes: &[u8]| serde_json::json!({"name": path, "len": bytes.len(), "sum": hex(&sha1::Sha1::digest(bytes))});
            let lines = |line: &dyn Fn(&str, &[u8]) -> String| -> String {
                files.iter().map(|(path, bytes)| format!("{}\n", line(path, bytes))).collect()
            };
            let md5 = |bytes: &[u8]| hex(&md5::Md5::digest(bytes));
            let (file, text) = match self.style.contents {
                "array" | "array in the game" => {
                    let all: Vec<_> = files.iter().map(|(path, bytes)| object(path, bytes)).collect();
                    let text = serde_json::json!({"v": 3, "parts": all}).to_string();
                    if self.style.contents == "array" {
                        (lists.join(format!("{}.json", game.id)), text)
                    } else {
                        (at.join("parts.json"), text)
                    }
                }
                "pieces" => {
                    let one = |(path, bytes): &(&str, Vec<u8>)| {
                        let pieces: Vec<_> =
                            bytes.chunks(16_384).map(|piece| hex(&sha2::Sha256::digest(piece))).collect();
                        serde_json::json!({"name": path, "len": bytes.len(), "pieces": pieces})
                    };
                    let all: Vec<_> = files.iter().map(one).collect();
                    (lists.join(format!("{}.json", game.id)), serde_json::json!({"parts": all}).to_string())
                }
                "keyed" => {
                    let all: serde_json::Map<String, serde_json::Value> = files
                        .iter()
                        .map(|(path, bytes)| {
                            (path.replace('/', "\\"), serde_json::json!(hex(blake3::hash(bytes).as_bytes())))
                        })
                        .collect();
                    (lists.join(&game.id).join("list.json"), serde_json::json!({"parts": all}).to_string())
                }
                "rows" => {
                    let all: Vec<_> = files
                        .iter()
                        .map(|(path, bytes)| {
                            serde_json::json!([format!("./{path}"), hex(&sha2::Sha256::digest(bytes)), bytes.len()])
                        })
                        .collect();
                    (lists.join(format!("{}.json", game.id)), serde_json::json!(all).to_string())
                }
                "xml" => {
                    let all = lines(&|path, bytes| {
                        format!("<part at=\"{path}\" len=\"{}\" sum=\"{}\"/>", bytes.len(), md5(bytes))
                    });
                    (lists.join(format!("p_{}.xml", game.id)), format!("<parts>\n{all}</parts>\n"))
                }
                "yaml" => {
                    let all =
                        lines(&|path, bytes| format!("- at: {path}\n  sum: '{}'", hex(&sha1::Sha1::digest(bytes))));
                    (lists.join(format!("{}.yaml", game.id)), format!("parts:\n{all}"))
                }
                "sums" => {
                    (lists.join(format!("{}.lst", game.id)), lines(&|path, bytes| format!("{}  {path}", md5(bytes))))
                }
                "sums below the folder" => (
                    lists.join(format!("{}.lst", game.id)),
                    lines(&|path, bytes| format!("{} *./{}/{path}", md5(bytes), game.folder)),
                ),
                "table" => {
                    let rows = lines(&|path, bytes| {
                        format!("\"{}\",{},{}", path.replace('/', "\\"), bytes.len(), hex(&sha1::Sha1::digest(bytes)))
                    });
                    (lists.join(format!("{}.csv", game.id)), format!("path,bytes,sum\n{rows}"))
                }
                "named sums" => (
                    lists.join(format!("{}.lst", game.id)),
                    lines(&|path, bytes| format!("MD5 ({path}) = {}", md5(bytes))),
                ),
                "sums in the game" => (
                    own,
                    lines(&|path, bytes| format!("{} {} *{path}", hex(&sha2::Sha256::digest(bytes)), bytes.len())),
                ),
                "sums behind" => (
                    lists.join(format!("{}.lst", game.id)),
                    format!("; by hand\n{}", lines(&|path, bytes| format!("{path} {:08X}", crc32fast::hash(bytes)))),
                ),
                _ => continue,
            };
            out.insert(file, text);
        }
        out
    }

    /// Every game lies in a library that is listed once, what was listed is listed as before, and what is counted is true.
    fn judge_libraries(&self, games: &[MadeGame]) -> Result<(), String> {
        let style = &self.style;
        let Some(before) = libraries(style, &self.games) else { return Ok(()) };
        let text = fs::read_to_string(self.shelves()).unwrap();
        let now = if style.shelves == "nested" {
            nested_read(&mut text.lines().peekable(), 0).map_err(|error| format!("{error}: {text}"))?
        } else if matches!(style.shelves, "yaml" | "lines") {
            plain_read(&text).map_err(|error| format!("{error}: {text}"))?
        } else {
            serde_json::from_str(&text).map_err(|error| format!("{error}: {text}"))?
        };
        let now: Vec<serde_json::Value> = match &now["shelves"] {
            serde_json::Value::Array(all) => all.clone(),
            all => {
                let all = all.as_object().ok_or_else(|| text.clone())?;
                if !all.keys().enumerate().all(|(n, key)| *key == n.to_string()) {
                    return Err(format!("the numbers of libraries are wrong: {text}"));
                }
                all.values().cloned().collect()
            }
        };
        for game in games {
            let at = shelf_of(style, &game.root);
            if now.iter().filter(|entry| entry["at"] == at).count() != 1 {
                return Err(format!("{at} is not listed once: {text}"));
            }
        }
        for entry in &now {
            let here: Vec<&MadeGame> = games.iter().filter(|game| entry["at"] == shelf_of(style, &game.root)).collect();
            for (name, wanted) in counted(style, &here) {
                let same = match (&entry[name], &wanted) {
                    (serde_json::Value::Array(says), serde_json::Value::Array(wanted)) => {
                        says.len() == wanted.len() && wanted.iter().all(|one| says.contains(one))
                    }
                    (says, wanted) => says == wanted,
                };
                if !same {
                    return Err(format!("{}: {name} is {}, not {wanted}: {text}", entry["at"], entry[name]));
                }
            }
        }
        let rest = |entry: &serde_json::Value| {
            let more = if style.shelves == "lines" { [""; 2] } else { ["caption", "watch"] };
            [entry["at"].clone(), entry[more[0]].clone(), entry[more[1]].clone()]
        };
        if !before.iter().zip(&now).all(|(before, now)| rest(before) == rest(now)) {
            return Err(format!("another library changed: {text}"));
        }
        Ok(())
    }
}

/// The format of bytes that a file is written in.
fn is_packed(file: &Path) -> Option<&str> {
    let name = file.file_name()?.to_str()?;
    let name = name.strip_suffix(".bak").unwrap_or(name);
    let end = if name == "games.bin" { "msgpack" } else { name.rsplit_once('.')?.1 };
    PACKED.contains(&end).then_some(end)
}

/// What a file holds whose text, or whose values as JSON, are these.
fn as_written(file: &Path, text: &str) -> Vec<u8> {
    match is_packed(file) {
        Some(end) => packed(end, &serde_json::from_str(text).unwrap()),
        None => text.as_bytes().to_vec(),
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
            rusqlite::types::ValueRef::Null => None,
            rusqlite::types::ValueRef::Integer(n) => Some(serde_json::Value::from(n)),
            other => Some(other.as_str().unwrap().into()),
        };
        let entry: serde_json::Map<String, serde_json::Value> =
            names.iter().enumerate().filter_map(|(n, name)| Some((name.clone(), value(n + 1)?))).collect();
        writeln!(out, "{}", serde_json::Value::from(entry)).unwrap();
    }
    out
}
