//! How fast records are read and rewritten. Plain figures, each beside one of the same run to compare with.
#![expect(clippy::unwrap_used, clippy::print_stdout, clippy::disallowed_methods, reason = "a program that measures")]

use std::hint::black_box;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

use deft_barge_core::launcher::{load_profiles, read_launchers};
use deft_barge_core::record::{Document, Format, Side};
use deft_barge_core::site::Site;
use deft_barge_harbor::world::{self, Scale};

/// The fastest of some runs.
fn best(runs: usize, mut act: impl FnMut()) -> Duration {
    let one = |_| {
        let begun = Instant::now();
        act();
        begun.elapsed()
    };
    (0..runs).map(one).min().unwrap_or_default()
}

/// A document of about 50 MB, and the leaf that is rewritten.
fn large(format: Format) -> (String, String) {
    let mut text = String::new();
    if format == Format::Json {
        text.push_str("{\n  \"games\": [\n");
        let mut n = 0;
        while text.len() < 50_000_000 {
            text.push_str(&format!("    {{\"id\": \"g{n}\", \"title\": \"A game of some name {n}\", \"at\": \"/mnt/somewhere/games/g{n}\", \"bytes\": {n}}},\n"));
            n += 1;
        }
        text.truncate(text.len() - 2);
        text.push_str("\n  ]\n}\n");
        return (text, format!("$.games[{}].at", n / 2));
    }
    text.push_str("WINE REGISTRY Version 2\n\n");
    let mut n = 0;
    while text.len() < 50_000_000 {
        text.push_str(&format!("[Software\\\\Maker\\\\Game {n}] 1700000000\n#time=1da1b2c3d4e5f60\n\"Folder\"=\"Z:\\\\mnt\\\\somewhere\\\\games\\\\g{n}\"\n\"Size\"=dword:{n:08x}\n\n"));
        n += 1;
    }
    (text, format!("$['Software\\\\Maker\\\\Game {}'].Folder", n / 2))
}

fn peak_memory() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|line| line.starts_with("VmHWM:")).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|n| n.parse::<u64>().ok()).unwrap_or_default() * 1024
}

/// One edit in a process of its own, so that its memory can be measured.
fn edit(format: Format, file: &Path, place: &str) {
    let before = peak_memory();
    let begun = Instant::now();
    let bytes = std::fs::read(file).unwrap();
    let size = bytes.len() as u64;
    let document = Document::parse(bytes, format).unwrap();
    let place = document.find_one(place).unwrap();
    let edited = document.replace(&place, Side::Value, "Z:\\srv\\another place", None).unwrap();
    let took = begun.elapsed();
    let memory = peak_memory() - before;
    println!(
        "edit of a {} MB {format:?} file: {:.2} s, {:.1} times its size in memory",
        size / 1_000_000,
        took.as_secs_f64(),
        memory as f64 / size as f64
    );
    black_box(edited);
}

fn survey() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().join("w");
    world::make(&top, 7, Scale::SMALL).unwrap();
    let profiles = top.join("home/.config/deft-barge/profiles");
    std::fs::remove_dir_all(&profiles).unwrap();
    std::fs::create_dir_all(&profiles).unwrap();
    // Twelve launchers with 42 games each, six that keep rooms and ledgers and six with one file for all.
    for n in 0..12 {
        let home = top.join(format!("home/.config/l{n}"));
        std::fs::create_dir_all(&home).unwrap();
        let library = top.join(format!("drives/newhold/l{n}"));
        let entry = |g: usize| {
            let at = library.join(format!("game {g}"));
            std::fs::create_dir_all(&at).unwrap();
            serde_json::json!({"id": format!("g{g}"), "name": format!("Game {g}"), "folder": format!("game {g}"), "at": at, "bytes": 1, "start": "go", "last": "2026-01-01T00:00:00Z"})
        };
        let titles: Vec<_> = (0..42).map(entry).collect();
        let starts: Vec<_> = (0..42)
            .map(|g| serde_json::json!({"title": format!("g{g}"), "program": library.join(format!("game {g}/go"))}))
            .collect();
        let profile = if n % 2 == 0 {
            std::fs::write(library.join("ledger.json"), serde_json::json!({"titles": titles}).to_string()).unwrap();
            std::fs::write(home.join("rooms.json"), serde_json::json!({"rooms": [{"folder": library}]}).to_string())
                .unwrap();
            std::fs::write(home.join("recent.json"), serde_json::json!({"starts": starts}).to_string()).unwrap();
            world::PROFILE
                .replace("id = \"quillgate\"", &format!("id = \"l{n}\""))
                .replace("config}/quillgate", &format!("config}}/l{n}"))
        } else {
            std::fs::write(home.join("all.json"), serde_json::json!({"games": titles, "starts": starts}).to_string())
                .unwrap();
            format!(
                "format = 1\nid = \"l{n}\"\nname = \"L{n}\"\nhome = [\"{{config}}/l{n}\"]\n[games]\nfile = \"{{home}}/all.json\"\nlist = \"$.games\"\nid = \"$.id\"\ntitle = \"$.name\"\ninstall = \"{{install}}\"\n[[games.records]]\nselector = \"$.at\"\nmeaning = \"{{install}}\"\n[[records]]\nfile = \"{{home}}/all.json\"\nselector = \"$.starts[?@.title == '{{id}}'].program\"\nmeaning = \"{{install}}/{{tail}}\"\n"
            )
        };
        std::fs::write(profiles.join(format!("l{n}.toml")), profile).unwrap();
    }
    let site = Site::of_world(&top).unwrap();
    let (profiles, errors) = load_profiles(&site.profile_folder());
    assert!(errors.is_empty(), "{errors:?}");
    let found = read_launchers(&site, &profiles);
    let games: usize = found.iter().map(|found| found.games.len()).sum();
    let records: usize = found.iter().flat_map(|found| &found.games).map(|game| game.records.len()).sum();
    let ours = best(7, || drop(black_box(read_launchers(&site, &profiles))));
    println!(
        "records of {} launchers with {games} games, {records} records: {:.1} ms",
        found.len(),
        ours.as_secs_f64() * 1e3
    );
}

fn main() {
    let words: Vec<String> = std::env::args().collect();
    if let [_, act, format, file, place] = words.as_slice()
        && act == "edit"
    {
        return edit(if format == "json" { Format::Json } else { Format::Hive }, Path::new(file), place);
    }
    survey();
    let folder = tempfile::tempdir().unwrap();
    for (name, format) in [("json", Format::Json), ("hive", Format::Hive)] {
        let (text, place) = large(format);
        let file = folder.path().join(name);
        std::fs::write(&file, &text).unwrap();
        let plain = best(1, || {
            if format == Format::Json {
                let value: serde_json::Value = serde_json::from_str(&text).unwrap();
                drop(black_box(serde_json::to_string_pretty(&value).unwrap()));
            } else {
                drop(black_box(text.lines().map(|line| format!("{line}\n")).collect::<String>()));
            }
        });
        drop(text);
        let me = std::env::current_exe().unwrap();
        Command::new(me).args(["edit", name]).arg(&file).arg(&place).status().unwrap();
        println!("  beside it, reading and writing it the plain way: {:.2} s", plain.as_secs_f64());
    }
}
