//! How made launchers write.

use super::*;

/// The fields of an entry.
pub(super) fn fields(style: &Style, game: &MadeGame) -> Entry {
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

pub(super) fn uri(path: &str) -> String {
    let one = |b: u8| {
        if b.is_ascii_alphanumeric() || b"/-._~".contains(&b) { char::from(b).to_string() } else { format!("%{b:02X}") }
    };
    path.bytes().map(one).collect()
}

pub(super) fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

pub(super) fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

pub(super) fn json_entry(fields: &[(String, String)]) -> serde_json::Value {
    let value = |(key, text): &(String, String)| {
        let number = key != "id" && text.bytes().all(|b| b.is_ascii_digit()) && !text.is_empty();
        (key.clone(), if number { text.parse::<u64>().unwrap().into() } else { serde_json::Value::from(text.clone()) })
    };
    fields.iter().map(value).collect::<serde_json::Map<_, _>>().into()
}

/// What all files of the launcher say of these games.
pub(super) fn files(style: &Style, games: &[MadeGame], home: &Path) -> BTreeMap<PathBuf, String> {
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
pub(super) fn uninstalled(style: &Style, game: &MadeGame) -> Entry {
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

pub(super) type Entry = Vec<(String, String)>;

pub(super) fn json_list(style: &Style, games: &[MadeGame], entries: &[Entry]) -> String {
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

pub(super) fn lines_list(entries: &[Entry]) -> String {
    entries.iter().map(|entry| format!("{}\n", json_entry(entry))).collect()
}

/// Rows with a heading; what has a separator or a quote in it stands in quotes.
pub(super) fn rows_list(separator: char, entries: &[Entry]) -> String {
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

pub(super) fn json5_list(entries: &[Entry]) -> String {
    let text = |text: &str| format!("'{}'", text.replace('\\', "\\\\").replace('\'', "\\'"));
    let mut out = String::from("// games\n[\n");
    for entry in entries {
        let all: Vec<String> = entry.iter().map(|(key, value)| format!("{key}: {}", text(value))).collect();
        writeln!(out, "  {{ {} }},", all.join(", ")).unwrap();
    }
    out + "]\n"
}

/// A property list's dictionary.
pub(super) fn dictionary(entry: &Entry) -> String {
    let member = |(key, value): &(String, String)| format!("\n\t<key>{key}</key>\n\t<string>{}</string>", xml(value));
    format!("\n<dict>{}\n</dict>", entry.iter().map(member).collect::<String>())
}

pub(super) fn plain_list(format: &str, games: &[MadeGame], entries: &[Entry]) -> (&'static str, String) {
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

pub(super) fn xml_list(format: &str, entries: &[Entry]) -> String {
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

pub(super) fn elements(entry: &Entry) -> String {
    let all: Vec<String> = entry.iter().map(|(key, value)| format!("<{key}>{}</{key}>", xml(value))).collect();
    all.join("\n    ")
}

pub(super) fn nested_list(format: &str, games: &[MadeGame], entries: &[Entry]) -> String {
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
pub(super) fn one_file(end: &str, entry: &Entry) -> String {
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
pub(super) fn shelf_of<'a>(style: &Style, root: &'a str) -> &'a str {
    if style.deep { root.strip_suffix("/rows").unwrap_or(root) } else { root }
}

/// What the list of libraries says of the games in one of them.
pub(super) fn counted(style: &Style, here: &[&MadeGame]) -> Vec<(&'static str, serde_json::Value)> {
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
pub(super) fn libraries(style: &Style, games: &[MadeGame]) -> Option<Vec<serde_json::Value>> {
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
pub(super) fn libraries_text(style: &Style, all: Vec<serde_json::Value>) -> String {
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

pub(super) fn nested_members(value: &serde_json::Value, depth: usize, text: &mut String) {
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
pub(super) fn plain_read(text: &str) -> Result<serde_json::Value, String> {
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
pub(super) fn nested_read(
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
