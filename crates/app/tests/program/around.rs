//! Everything around the games from the command line: each command as a person or a script calls it.

use std::fs;
use std::process::{Command, Stdio};
use std::thread;
use std::time::Duration;

use crate::world::{PROGRAM, World, tree};

#[test]
fn user_data_is_listed_added_sent_and_comes_back() {
    let world = World::new();
    let before = world.all();
    let all = world.json(&["data", "list"], 0);
    assert_eq!(all["user_data"].as_array().unwrap().len(), 5);
    assert!(all["shortcuts"].as_array().unwrap().len() == 2 && all["links"].as_array().unwrap().len() == 3);
    let extra = world.at("drives/cellar/paper-maps");
    fs::create_dir_all(&extra).unwrap();
    fs::write(extra.join("island.map"), "north is up").unwrap();
    let extra = extra.to_str().unwrap();
    world.expect(&["data", "add", "paper estuary", "/nowhere/at/all"], 2);
    let added = world.json(&["data", "add", "paper estuary", extra, "--kind", "content"], 0);
    assert_eq!(added["seen"]["title"], "Paper Estuary: custom content");
    // NTFS holds links, so it can go; the home itself never can.
    let home = world.at("home");
    world.json(&["data", "add", "paper estuary", home.to_str().unwrap()], 0);
    let text = world.expect(&["data", "list"], 0);
    assert!(text.contains("can't go: it is a drive's top folder, your home"), "{text}");
    let plan = world.json(&["plan", "paper estuary: custom content", "--to", "newhold"], 0);
    assert_eq!(plan["findings"][0]["kind"], "data-by-link");
    world.expect(&["haul", "paper estuary: custom content", "--to", "newhold", "--yes"], 0);
    assert!(fs::symlink_metadata(extra).unwrap().is_symlink());
    assert_eq!(fs::read_to_string(format!("{extra}/island.map")).unwrap(), "north is up");
    world.expect(&["undo"], 0);
    world.expect(&["data", "forget", extra], 0);
    world.expect(&["data", "forget", extra], 2);
    world.expect(&["data", "forget", home.to_str().unwrap()], 0);
    fs::remove_dir_all(extra).unwrap();
    fs::remove_file(world.at("home/.config/deft-barge/user-data.toml")).unwrap();
    // A game with all that is its own, a link left at its place.
    let wish = ["haul", "pale signal", "--to", "newhold", "--with-data", "--leave-link", "--yes"];
    world.expect(&wish, 0);
    let old = world.at("drives/swift/lamp/pale-signal");
    assert!(old.is_symlink() && world.at("home/.local/share/pale-signal/mods").is_symlink());
    world.expect(&["haul", "saltflat", "--to", "newhold", "--by", "directory", "--yes"], 0);
    for _ in 0..2 {
        world.expect(&["undo"], 0);
    }
    // Folders that hauls made on the way are gone as well.
    assert!(!world.at("drives/newhold/lamp").exists());
    let now = world.all();
    let more: Vec<_> = now.keys().filter(|path| !before.contains_key(*path)).collect();
    assert!(now == before, "{more:?}");
}

#[test]
fn finds_are_shown_acted_on_and_returned_and_a_stray_is_adopted() {
    let world = World::new();
    let before = world.all();
    let finds = world.json(&["cleanup"], 0);
    let kinds: Vec<&str> =
        finds["cleanup"].as_array().unwrap().iter().map(|find| find["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["broken-link", "unlisted", "old-copy"]);
    let herons = world.at("drives/pocket/old games/brass-herons");
    let herons = herons.to_str().unwrap();
    let plan = world.json(&["cleanup", "release", herons, "--plan"], 0);
    assert_eq!(plan["items"][0]["mode"], "duplicate");
    // The disk cannot read the game that stays: nothing is let go of.
    world.expect(&["cleanup", "release", herons, "--yes"], 4);
    world.expect(&["release"], 2);
    world.expect(&["cleanup", "forget", herons], 2);
    world.expect(&["cleanup", "quarantine", "/nowhere"], 2);
    world.expect(&["cleanup", "quarantine", herons], 3);
    world.expect(&["cleanup", "quarantine", herons, "--yes"], 0);
    assert!(!std::path::Path::new(herons).exists());
    world.expect(&["undo"], 0);
    let link = world.at("home/.local/share/old-harbour");
    world.expect(&["cleanup", "remove-link", link.to_str().unwrap()], 0);
    assert!(fs::symlink_metadata(&link).is_err());
    world.expect(&["undo"], 0);
    let stray = world.at("drives/cellar/quillgate/small-hours");
    let stray = stray.to_str().unwrap();
    world.expect(&["import", herons], 2);
    let plan = world.json(&["import", stray, "--plan"], 0);
    assert_eq!(plan["items"][0]["title"], "Harbour of Small Hours");
    world.expect(&["import", stray, "--to", "newhold", "--yes"], 0);
    assert!(world.judge("Harbour of Small Hours").content());
    world.expect(&["undo"], 0);
    world.expect(&["import", stray], 0);
    assert!(world.judge("Harbour of Small Hours").content());
    world.expect(&["undo"], 0);
    // The first let-go held nothing that could go; it is returned as well.
    world.expect(&["undo", "1"], 0);
    assert!(world.all() == before);
}

#[test]
fn a_guided_adoption_watches_what_the_launcher_makes_of_the_files() {
    let world = World::new();
    let lamp = world.at("home/.local/share/parlour-lamp");
    let db = rusqlite::Connection::open(lamp.join("lamp.db")).unwrap();
    db.execute("delete from lit where key = 'tidewright'", []).unwrap();
    drop(db);
    let stray = world.at("drives/newhold/downloads/Tidewright");
    fs::create_dir_all(stray.parent().unwrap()).unwrap();
    fs::rename(world.at("drives/cellar/lamp/Tidewright"), &stray).unwrap();
    world.expect(&["import", stray.to_str().unwrap(), "--yes"], 3);
    let guide = world.json(&["import", stray.to_str().unwrap(), "--guided", "--plan"], 0);
    assert_eq!(guide["steps"].as_array().unwrap().len(), 3);
    let place = world.at("drives/newhold/lamp/Tidewright");
    let mut act = Command::new(PROGRAM)
        .args(["--world", world.folder().to_str().unwrap(), "--json", "import", stray.to_str().unwrap(), "--guided"])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    for _ in 0..300 {
        thread::sleep(Duration::from_millis(50));
        if place.is_dir() {
            break;
        }
    }
    thread::sleep(Duration::from_millis(400));
    assert!(act.try_wait().unwrap().is_none(), "it waits for the person");
    let stand_in =
        ["stand-in", "parlour-lamp", "--home", lamp.to_str().unwrap(), "light", "tidewright", "--stays", "900", "--at"];
    Command::new(PROGRAM).args(stand_in).arg(&place).status().unwrap();
    let ended = act.wait_with_output().unwrap();
    assert!(ended.status.success(), "{ended:?}");
    world.expect(&["verify", "parlour-lamp/tidewright"], 0);
}

#[test]
fn a_drive_under_another_path_is_found_and_re_anchored() {
    let world = World::new();
    world.json(&["survey"], 0);
    assert!(world.expect(&["remap"], 0).contains("No drive has moved"));
    let (old, new) = (world.at("drives/cellar"), world.at("keller"));
    fs::rename(&old, &new).unwrap();
    let file = world.at("world.toml");
    let text = fs::read_to_string(&file).unwrap();
    fs::write(&file, text.replace("root = \"drives/cellar\"", "root = \"keller\"")).unwrap();
    let found = world.json(&["remap"], 0);
    assert_eq!(found["moved_drives"][0]["drive"], "cellar");
    let text = world.expect(&["survey"], 0);
    assert!(text.contains("remap it"), "{text}");
    let (old, new) = (old.to_str().unwrap(), new.to_str().unwrap());
    world.expect(&["remap", new, old], 3);
    let plan = world.json(&["remap", old, new, "--plan"], 0);
    assert!(plan["items"][0]["previews"].as_array().unwrap().len() > 8);
    world.expect(&["remap", old, new, "--yes"], 0);
    assert!(world.judge("Glasswing Regatta").content());
    assert!(world.expect(&["remap"], 0).contains("No drive has moved"));
    world.expect(&["undo"], 0);
    assert!(world.expect(&["remap"], 0).contains("keller"));
}

#[test]
fn a_game_is_audited_repaired_and_started_and_the_log_says_so() {
    let world = World::new();
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let game = tree(&world.new_place());
    world.expect(&["audit"], 0);
    let pack = world.new_place().join("data/pack02.bin");
    let time = fs::metadata(&pack).unwrap().modified().unwrap();
    let mut bytes = fs::read(&pack).unwrap();
    bytes[5] ^= 1;
    fs::write(&pack, &bytes).unwrap();
    fs::File::options().write(true).open(&pack).unwrap().set_modified(time).unwrap();
    let found = world.json(&["audit", "newhold"], 4);
    assert_eq!(found["games"][0]["findings"][0]["fate"], "damaged");
    world.expect(&["audit", "saltflat", "--repair"], 0);
    assert!(tree(&world.new_place()) == game);
    world.expect(&["audit", "nothing like it"], 2);
    assert!(world.expect(&["audit", "glasswing"], 0).contains("no checksums yet"));
    world.expect(&["audit", "--keep", "glasswing"], 0);
    assert!(world.expect(&["audit", "glasswing"], 0).contains("damaged 0"));
    let text = world.expect(&["launch", "saltflat"], 0);
    assert!(text.contains("came up"), "{text}");
    world.expect(&["launch", "pale signal"], 3);
    world.expect(&["launch", "pale signal", "--program", "bin/start"], 0);
    let log = world.expect(&["log"], 0);
    for part in ["launched", "repaired", "pack02.bin", "Saltflat Rally: process"] {
        assert!(log.contains(part), "{part}: {log}");
    }
}

#[test]
fn a_portable_launcher_is_packed_and_checked() {
    let world = World::new();
    let before = world.all();
    world.expect(&["pack", "make", "no such launcher"], 2);
    world.expect(&["pack", "make", "quillgate", "--to", "newhold", "--yes"], 2);
    world.expect(&["pack", "make", "wickerbox", "--to", "newhold", "--plan"], 0);
    assert!(world.all() == before);
    world.expect(&["pack", "make", "wickerbox", "--to", "newhold", "--yes"], 0);
    let folder = world.at("drives/newhold/carried/wickerbox");
    let check = world.json(&["pack", "check", folder.to_str().unwrap()], 4);
    assert_eq!((check["moved"].as_bool(), check["needs"].as_array().unwrap().len()), (Some(false), 3));
    let text = world.expect(&["pack", "check", folder.to_str().unwrap()], 4);
    assert!(text.contains("its installer is in") && text.contains("Weave player"), "{text}");
    world.expect(&["pack", "check", world.at("drives/swift").to_str().unwrap()], 2);
    world.expect(&["undo"], 0);
    world.expect(&["undo"], 0);
    let packed = world.json(&["pack", "make", "wickerbox", "--to", "newhold", "--yes"], 0);
    assert_eq!((packed["hauls"].as_array().unwrap().len(), packed["files"].as_u64()), (2, Some(9)));
    world.expect(&["undo"], 0);
    world.expect(&["undo"], 0);
    // Installers that somebody may have used meanwhile stay.
    fs::remove_dir_all(world.at("drives/newhold/carried")).unwrap();
    assert!(world.all() == before);
}
