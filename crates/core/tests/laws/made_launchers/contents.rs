//! The content lists and databases of made launchers.

use super::*;

/// Ways to write what a game consists of: in the launcher's folder, or in the game.
pub(super) const CONTENTS: [&str; 14] = [
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
    pub(super) fn content_lists(&self) -> BTreeMap<PathBuf, String> {
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
    pub(super) fn judge_libraries(&self, games: &[MadeGame]) -> Result<(), String> {
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
pub(super) fn is_packed(file: &Path) -> Option<&str> {
    let name = file.file_name()?.to_str()?;
    let name = name.strip_suffix(".bak").unwrap_or(name);
    let end = if name == "games.bin" { "msgpack" } else { name.rsplit_once('.')?.1 };
    PACKED.contains(&end).then_some(end)
}

/// What a file holds whose text, or whose values as JSON, are these.
pub(super) fn as_written(file: &Path, text: &str) -> Vec<u8> {
    match is_packed(file) {
        Some(end) => packed(end, &serde_json::from_str(text).unwrap()),
        None => text.as_bytes().to_vec(),
    }
}

pub(super) fn make_database(file: &Path, text: &str) {
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

pub(super) fn said_by_database(file: &Path) -> String {
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
