//! What goes out in files: checksum lists that the usual programs accept, tables, reports.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::world::World;

fn out(world: &World, name: &str) -> String {
    world.at(name).to_string_lossy().into_owned()
}

/// What a sum program says of a list, from within a folder; `None` if the program is not there.
fn checked(program: &str, list: &str, folder: &Path) -> Option<(bool, String)> {
    let output = Command::new(program).args(["-c", list]).current_dir(folder).output().ok()?;
    let text = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    Some((output.status.success(), text))
}

#[test]
fn checksum_lists_are_accepted_by_the_programs_they_are_for_and_tell_damage() {
    let world = World::new();
    let (b3, sha) = (out(&world, "rally.b3"), out(&world, "rally.sha256"));
    let none = world.expect(&["export", "checksums", "saltflat", "--out", &b3], 2);
    assert!(none.contains("audit --keep"), "{none}");
    // A name that a list has to escape.
    fs::write(world.old_place().join("odd \\ name\nof two lines"), "x").unwrap();
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    for list in [&b3, &sha] {
        world.expect(&["export", "checksums", "saltflat", "--out", list], 0);
        world.expect(&["export", "checksums", "saltflat", "--out", list], 2);
    }
    let files = fs::read_to_string(&sha).unwrap().lines().count();
    assert_eq!(files, fs::read_to_string(&b3).unwrap().lines().count());
    assert!(files > 50, "{files}");
    world.expect(&["export", "checksums", "saltflat", "--out", &out(&world, "rally.md5")], 2);
    let place = world.new_place();
    let mut ran = 0;
    for (program, list) in [("sha256sum", &sha), ("b3sum", &b3)] {
        let Some((fine, text)) = checked(program, list, &place) else {
            eprintln!("\n!!! NOT RUN: what {program} makes of our list !!!\n");
            continue;
        };
        assert!(fine && text.matches(": OK").count() == files, "{program}\n{text}");
        ran += 1;
    }
    assert!(ran > 0, "sha256sum is on every machine");
    // What is damaged since does not stand in a list that is made now, and fails in the one made before.
    let pack = place.join("data/pack00.bin");
    let mut bytes = fs::read(&pack).unwrap();
    bytes[5] ^= 1;
    fs::write(&pack, bytes).unwrap();
    let (fine, text) = checked("sha256sum", &sha, &place).unwrap();
    assert!(!fine && text.contains("data/pack00.bin: FAILED"), "{text}");
    let told = world.expect(&["export", "checksums", "saltflat", "--overwrite", "--out", &sha], 4);
    assert!(told.contains("left out  data/pack00.bin"), "{told}");
    assert!(checked("sha256sum", &sha, &place).unwrap().0);
}

fn count(list: &serde_json::Value) -> usize {
    list.as_array().unwrap().len()
}

#[test]
fn tables_hold_a_line_for_each_thing_with_the_same_figures_as_the_documents() {
    let world = World::new();
    world.expect(&["haul", "saltflat", "moss", "--to", "newhold", "--yes"], 0);
    let survey = world.json(&["survey"], 0);
    for (what, rows) in [
        (&["export", "games"][..], survey["games"].as_array().unwrap().len()),
        (&["export", "plan", "orchard", "--to", "newhold"], 1),
        (&["export", "drives"], survey["drives"].as_array().unwrap().len()),
        (
            &["export", "libraries"],
            survey["launchers"].as_array().unwrap().iter().map(|l| count(&l["libraries"])).sum(),
        ),
        (&["export", "data"], count(&survey["user_data"])),
        (&["export", "records"], survey["games"].as_array().unwrap().iter().map(|game| count(&game["records"])).sum()),
        (&["export", "cleanup"], count(&world.json(&["cleanup"], 0)["cleanup"])),
        (&["export", "proofs"], 2),
        (&["export", "log"], 2),
    ] {
        let name = what[1];
        let (table, document) = (out(&world, &format!("{name}.csv")), out(&world, &format!("{name}.json")));
        world.expect(&[what, &["--out", &table]].concat(), 0);
        world.expect(&[what, &["--out", &document]].concat(), 0);
        let value: serde_json::Value = serde_json::from_str(&fs::read_to_string(&document).unwrap()).unwrap();
        assert_eq!((&value["format"], &value["kind"]), (&3.into(), &name.into()));
        let objects = value["rows"].as_array().unwrap();
        let mut reader = csv::Reader::from_path(&table).unwrap();
        let names = reader.headers().unwrap().clone();
        let records: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
        assert!(rows > 0 && (objects.len(), records.len()) == (rows, rows), "{name}: {rows}, {}", objects.len());
        for (object, record) in objects.iter().zip(&records) {
            assert_eq!(object.as_object().unwrap().len(), names.len(), "{name}");
            for (column, cell) in names.iter().zip(record) {
                let said = match &object[column] {
                    serde_json::Value::Null => String::new(),
                    serde_json::Value::String(text) => text.clone(),
                    other => other.to_string(),
                };
                assert_eq!(cell, said, "{name} {column}");
            }
        }
    }
    let games: serde_json::Value = serde_json::from_str(&fs::read_to_string(world.at("games.json")).unwrap()).unwrap();
    let rally = games["rows"].as_array().unwrap().iter().find(|game| game["title"] == "Saltflat Rally").unwrap();
    let known = survey["games"].as_array().unwrap().iter().find(|game| game["title"] == "Saltflat Rally").unwrap();
    assert_eq!((&rally["on_disk"], &rally["drive"]), (&known["size"]["on_disk"], &"newhold".into()));
    assert!(world.expect(&["export", "log", "--out", &out(&world, "log.xml")], 2).contains(".csv or .json"));
    // A journal that cannot be read keeps nobody from what needs no journal.
    let journal = world.at("home/.local/state/deft-barge/journal.db");
    fs::write(&journal, [b"not a database".as_slice(), &[b' '; 4096]].concat()).unwrap();
    world.expect(&["export", "games", "--overwrite", "--out", &out(&world, "games.csv")], 0);
    world.expect(&["export", "log", "--overwrite", "--out", &out(&world, "log.csv")], 3);
}

/// A report without what differs from run to run: the world's folder, dates, times and rates.
fn steady(text: &str, world: &World) -> String {
    let text = text.replace(&world.folder().to_string_lossy().into_owned(), "WORLD");
    let line = |line: &str| {
        let words: Vec<&str> = line.split(' ').collect();
        let is_date = |word: &str| word.len() == 10 && word.as_bytes()[4] == b'-' && word.as_bytes()[7] == b'-';
        match words.iter().position(|word| is_date(word)) {
            Some(at) => [&words[..at], &["DATE"], &words[at + 3..]].concat().join(" "),
            None if line.starts_with("verified ") => "verified    TIME".into(),
            None => line.to_string(),
        }
    };
    text.lines().map(line).collect::<Vec<_>>().join("\n")
}

#[test]
fn a_report_says_what_moved_what_was_rewritten_and_what_is_held() {
    let world = World::on_disk();
    world.expect(&["haul", "pale signal", "--to", "newhold", "--yes"], 0);
    let told = steady(&world.expect(&["report"], 0), &world);
    let wanted = "
Haul 1: originals kept
begun       DATE
last step   DATE
what        1 item, 118.8 kB, 6 files
kept        118.8 kB of originals, until you release them

Pale Signal
from        swift   WORLD/drives/swift/lamp/pale-signal
to          newhold   WORLD/drives/newhold/lamp/pale-signal
size        118.8 kB on disk, 6 files
begun       DATE
verified    TIME
proved      DATE
stage       proved
proof       differ 0, missing 0, extra 0, to download 0 B   (6 files, 76.7 kB, every byte read back)
records     point here
search      0 places still point to the old folder
            1 file mentions it and was left on purpose (logs, backups, caches, a name alone): WORLD/home/.local/share/parlour-lamp/lists/pale-signal.json
changes     3 records
";
    assert!(told.trim_start().starts_with(wanted.trim_start()), "{told}");
    for part in ["- WORLD/drives/swift/lamp/pale-signal", "+ WORLD/drives/newhold/lamp/pale-signal", "DATE   started"] {
        assert!(told.contains(part), "{part}\n{told}");
    }
    assert!(told.trim_end().ends_with("DATE   proved Pale Signal"), "{told}");
    world.expect(&["report", "7"], 2);
    let (text, pdf) = (out(&world, "report.txt"), out(&world, "report.pdf"));
    world.expect(&["report", "1", "--out", &text], 0);
    assert_eq!(steady(&fs::read_to_string(&text).unwrap(), &world).trim(), told.trim());
    world.expect(&["report", "1", "--out", &pdf], 0);
    assert!(fs::read(&pdf).unwrap().starts_with(b"%PDF-"));
    assert!(world.expect(&["report", "--out", &pdf], 2).contains("exists already"));
    let Ok(read) = Command::new("pdftotext").args(["-layout", &pdf, "-"]).output() else {
        eprintln!("\n!!! NOT RUN: what poppler reads in a report needs poppler-utils !!!\n");
        return;
    };
    let read = String::from_utf8_lossy(&read.stdout);
    for part in [
        "Haul 1: originals kept",
        "page 1 of",
        "every byte read back",
        "What is on newhold",
        "by month",
        "what was done when",
        "how fast it went",
    ] {
        assert!(read.contains(part), "{part}\n{read}");
    }
}
