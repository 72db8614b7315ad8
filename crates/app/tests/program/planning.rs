//! Planning from the command line: orders, suggestions, drafts in files, drives that are not there, a trial, a probe.

use std::fs;

use crate::screen::Screen;
use crate::world::World;

/// Leaves just so many bytes free on a drive.
pub fn fill(world: &World, drive: &str, free: u64) {
    let survey = world.json(&["survey"], 0);
    let state = survey["drives"].as_array().unwrap().iter().find(|state| state["name"] == drive).unwrap();
    let used = state["used"].as_u64().unwrap();
    let text = fs::read_to_string(world.at("world.toml")).unwrap();
    let (head, rest) = text.split_at(text.find(&format!("name = \"{drive}\"")).unwrap());
    let at = rest.find("capacity = ").unwrap();
    let end = at + rest[at..].find('\n').unwrap();
    let text = format!("{head}{}reserve = 0\ncapacity = {}{}", &rest[..at], used + free, &rest[end..]);
    fs::write(world.at("world.toml"), text).unwrap();
}

fn titles(list: &serde_json::Value) -> Vec<&str> {
    list.as_array().unwrap().iter().map(|row| row["title"].as_str().unwrap()).collect()
}

#[test]
fn what_fits_only_in_the_right_order_is_planned_in_it_and_hauled() {
    let world = World::on_disk();
    fill(&world, "swift", 30_000);
    let words = ["tidewright=swift", "pale signal=cellar"];
    let plan = world.json(&[&["plan"], &words[..]].concat(), 0);
    assert_eq!(titles(&plan["items"]), ["Pale Signal", "Tidewright"], "not in the order in which they were named");
    assert_eq!(plan["items"][0]["policy"], "release");
    assert_eq!(plan["items"][1]["after"][0], 0);
    let must = plan["findings"].as_array().unwrap().iter().find(|finding| finding["kind"] == "must-release").unwrap();
    assert_eq!((&must["severity"], &must["title"]), (&"warning".into(), &"Pale Signal".into()));
    // Bytes in use never go above what each drive holds.
    for (n, load) in plan["loads"].as_array().unwrap().iter().enumerate() {
        let most = plan["steps"].as_array().unwrap().iter().map(|step| step["used"][n].as_u64().unwrap()).max();
        assert!(most.unwrap() <= load["capacity"].as_u64().unwrap(), "{load}");
    }
    assert!(plan["timing"]["whole"]["high"]["secs"].is_number());
    let text = world.expect(&[&["plan"], &words[..]].concat(), 0);
    assert!(text.contains("delete the originals at once") && text.contains("when Pale Signal is off swift"), "{text}");
    // A script has to agree to originals that go at once.
    world.expect(&[&["haul"], &words[..]].concat(), 3);
    let haul = world.json(&[&["haul"], &words[..], &["--yes"]].concat(), 0);
    assert_eq!(haul["items"][0]["stage"]["stage"], "released");
    assert_eq!(haul["items"][1]["stage"]["stage"], "proved");
    let before = world.all();
    world.expect(&["undo", "1", "--yes"], 0);
    assert_ne!(world.all(), before);
    let survey = world.json(&["survey"], 0);
    let lies = |title: &str| {
        let games = survey["games"].as_array().unwrap();
        games.iter().find(|game| game["title"] == title).unwrap()["drive"].as_str().unwrap().to_string()
    };
    assert_eq!((lies("Pale Signal"), lies("Tidewright")), ("swift".to_string(), "cellar".to_string()));
}

#[test]
fn where_nothing_fits_it_is_said_what_lacks_and_what_would_help() {
    let world = World::on_disk();
    for drive in ["swift", "cellar", "newhold", "pocket"] {
        fill(&world, drive, 20_000);
    }
    let text = world.expect(&["plan", "tidewright=swift", "pale signal=cellar"], 3);
    assert!(text.contains("no order fits everything"), "{text}");
    assert!(text.contains("everything would fit with"), "{text}");
}

#[test]
fn a_suggestion_is_saved_changed_planned_and_refused_when_the_world_has_changed() {
    let world = World::new();
    let file = world.at("room.toml");
    let shown = file.to_string_lossy().into_owned();
    let before = world.all();
    let suggestion = world.json(&["suggest", "free", "swift", "1MB", "--save", &shown], 0);
    assert_eq!(suggestion["misses"].as_array().unwrap().len(), 0, "{suggestion}");
    assert_eq!(suggestion["lines"].as_array().unwrap().len(), 1, "one game is enough");
    assert!(suggestion["lines"][0]["why"][0]["bytes"].as_u64().unwrap() >= 1_000_000);
    let mut now = world.all();
    now.remove(std::path::Path::new("room.toml"));
    assert_eq!(now, before, "nothing else is written");
    let again = world.expect(&["suggest", "free", "swift", "1MB", "--save", &shown], 2);
    assert!(again.contains("exists already"), "{again}");
    let plan = world.json(&["plan", "--from", &shown], 0);
    assert_eq!(titles(&plan["items"]), titles(&suggestion["lines"]));
    world.expect(&["haul", "--from", &shown, "--yes"], 0);
    // It lies elsewhere by now.
    let refused = world.expect(&["plan", "--from", &shown], 3);
    assert!(refused.contains("no longer matches this PC") && refused.contains(" and is in "), "{refused}");
    fs::write(&file, "format = 1\ncolour = 3\n").unwrap();
    let refused = world.expect(&["haul", "--from", &shown], 2);
    assert!(refused.contains("line 2"), "{refused}");
    assert!(world.expect(&["suggest", "empty", "pocket"], 0).contains("can't be moved"), "locked games stay");
    world.expect(&["suggest", "played", "newhold"], 0);
    world.expect(&["suggest", "reserves"], 0);
    world.expect(&["suggest", "free", "swift", "some"], 2);
}

#[test]
fn a_drive_that_is_not_there_is_planned_for_and_taken_when_it_is() {
    let world = World::new();
    let file = world.at("later.toml");
    let shown = file.to_string_lossy().into_owned();
    let words = ["plan", "pale signal", "--to", "crate", "--what-if", "crate:2GB:ssd:ext4", "--save", &shown];
    let plan = world.json(&words, 3);
    let kinds: Vec<&str> =
        plan["findings"].as_array().unwrap().iter().map(|finding| finding["kind"].as_str().unwrap()).collect();
    let stops = plan["findings"].as_array().unwrap().iter().filter(|finding| finding["severity"] == "blocker").count();
    assert!(kinds.contains(&"not-there-yet") && stops == 1, "{kinds:?}");
    let load = plan["loads"].as_array().unwrap().iter().find(|load| load["drive"] == "crate").unwrap();
    assert!(load["after"].as_u64().unwrap() > 0);
    assert!(plan["timing"]["items"][0]["slowest"].is_object());
    // Somebody plugs it in.
    fs::create_dir(world.at("drives/crate")).unwrap();
    let drive = "\n[[drives]]\nname = \"crate\"\nroot = \"drives/crate\"\ncapacity = 2000000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n";
    let text = fs::read_to_string(world.at("world.toml")).unwrap();
    fs::write(world.at("world.toml"), text + drive).unwrap();
    world.expect(&["haul", "--from", &shown, "--yes"], 0);
    let survey = world.json(&["survey"], 0);
    let game = survey["games"].as_array().unwrap().iter().find(|game| game["title"] == "Pale Signal").unwrap();
    assert_eq!(game["drive"], "crate");
}

#[test]
fn the_smallest_game_is_tried_and_a_resume_wants_a_yes() {
    let world = World::new();
    let words = ["haul", "saltflat", "orchard", "moss", "--to", "newhold", "--try-first", "--yes"];
    let text = world.expect(&words, 0);
    assert!(text.contains("has moved its first game and waits"), "{text}");
    let row = world.json(&["log"], 0)["hauls"][0].clone();
    assert_eq!(row["trial"], "waits");
    let stages: Vec<&str> =
        row["items"].as_array().unwrap().iter().map(|item| item["stage"]["stage"].as_str().unwrap()).collect();
    assert_eq!(stages, ["proved", "planned", "planned"]);
    let refused = world.expect(&["resume"], 5);
    assert!(refused.contains("waits for your yes"), "{refused}");
    world.expect(&["resume", "--yes"], 0);
    let row = world.json(&["log"], 0)["hauls"][0].clone();
    assert!(row["items"].as_array().unwrap().iter().all(|item| item["stage"]["stage"] == "proved"));
}

#[test]
fn a_probe_measures_a_drive_keeps_it_for_plans_and_leaves_nothing() {
    let world = World::new();
    let before = world.all();
    let kind = |plan: &serde_json::Value| plan["timing"]["items"][0]["basis"].as_str().unwrap().to_string();
    assert_eq!(kind(&world.json(&["plan", "saltflat", "--to", "newhold"], 0)), "kind");
    for drive in ["swift", "4"] {
        // The small world's drives are small: some have no room to be measured.
        fill(&world, if drive == "4" { "newhold" } else { drive }, 200_000_000);
    }
    let probe = world.json(&["probe", "newhold"], 0);
    assert!(probe["pace"]["write"].as_f64().unwrap() > 0.0);
    world.expect(&["probe", "swift"], 0);
    assert_eq!(kind(&world.json(&["plan", "saltflat", "--to", "newhold"], 0)), "probe");
    let mut after = world.all();
    after.insert("world.toml".into(), before[std::path::Path::new("world.toml")].clone());
    assert!(after == before, "what was written is gone");
    world.expect(&["probe", "nowhere"], 2);
}

#[test]
fn a_misspelt_game_drive_or_launcher_is_answered_with_what_was_meant() {
    let world = World::new();
    let told = |words: &[&str]| world.expect(words, 2);
    let game = told(&["plan", "saltflt", "--to", "newhold"]);
    assert!(game.contains("No game is called \"saltflt\"") && game.contains("Did you mean Saltflat Rally?"), "{game}");
    for words in [
        ["plan", "saltflat", "--to", "newhld"].as_slice(),
        &["suggest", "empty", "newhld"],
        &["probe", "newhld"],
        &["chart", "games", "newhld", "--out", "/nowhere.svg"],
        &["pack", "make", "wickerbox", "--to", "newhld"],
        &["import", "/nowhere", "--to", "newhld"],
        &["library", "new", "quillgate", "newhld"],
    ] {
        let text = told(words);
        assert!(text.contains("Did you mean newhold?"), "{words:?}: {text}");
    }
    let launcher = told(&["library", "default", "quilgate", "swift"]);
    assert!(launcher.contains("Did you mean Quillgate?"), "{launcher}");
    let none = told(&["plan", "saltflat", "--to", "umbrella"]);
    assert!(none.contains("You have: swift, cellar"), "{none}");
}

#[test]
fn a_probe_asks_before_it_writes() {
    let world = World::new();
    let Some(screen) = Screen::run("", &world, "probe swift", 100, 30) else { return };
    screen.wait_for("writes up to 256 MB to it and deletes them again");
    screen.keys(&["n", "Enter"]);
    let shown = screen.wait_for("left with 3");
    assert!(shown.contains("nothing changed"), "{shown}");
}

/// A drive is named by the folder where it is mounted too, and a library by any way to it.
#[test]
fn a_destination_is_a_name_or_a_folder_however_that_is_typed() {
    let world = World::new();
    let drives = world.folder().join("drives");
    std::os::unix::fs::symlink(&drives, world.folder().join("by-link")).unwrap();
    let folder = |path: &str| world.folder().join(path).to_str().unwrap().to_string();
    let planned_with = |to: &str, code| world.json(&["plan", "saltflat", "--to", to], code)["items"][0]["to"].clone();
    let planned = |to: &str| planned_with(to, 0);
    let wanted = planned("newhold");
    assert!(wanted.is_string(), "{wanted}");
    for to in ["drives/newhold", "drives/newhold/", "drives/../drives/newhold", "by-link/newhold"] {
        assert_eq!(planned(&folder(to)), wanted, "{to}");
    }
    let here = std::env::current_dir().unwrap();
    let up = "../".repeat(here.components().count() - 1);
    assert_eq!(planned(&format!("{up}{}", &folder("drives/newhold")[1..])), wanted);
    let mut there = world.command(&["plan", "saltflat", "--to", ".", "--json"]);
    let there = there.current_dir(folder("drives/newhold")).output().unwrap();
    let there: serde_json::Value = serde_json::from_slice(&there.stdout).unwrap();
    assert_eq!(there["items"][0]["to"], wanted, "{there}");
    world.expect(&["suggest", "empty", &folder("by-link/newhold")], 0);
    let library = world.json(&["survey"], 0)["launchers"].as_array().unwrap().iter().find_map(|launcher| {
        let all = launcher["libraries"].as_array()?.iter();
        all.map(|library| library["path"].as_str().unwrap().to_string()).find(|path| path.contains("/cellar/quillgate"))
    });
    let library = library.unwrap();
    // There it lacks room.
    let wanted = planned_with(&library, 3);
    assert!(wanted.as_str().unwrap().starts_with(&library), "{wanted}");
    for to in [format!("{library}/"), library.replacen("/drives/", "/by-link/", 1)] {
        assert_eq!(planned_with(&to, 3), wanted, "{to}");
    }
    // A folder that no launcher lists is no game, and can be moved all the same.
    std::fs::create_dir_all(folder("drives/swift/by itself")).unwrap();
    let told = world.expect(&["plan", &folder("drives/swift/by itself/"), "--to", "newhold"], 2);
    assert!(told.contains("No launcher lists") && told.contains("haul --traced '"), "{told}");
    // Of one that is not there nobody says where it is: its drive may be away.
    let told = world.expect(&["plan", "saltflat", "--to", &folder("drives/newhold/nowhere")], 2);
    assert!(told.contains("No drive or library is called") && told.contains("You have: swift"), "{told}");
    // A folder that is neither is told what it is on.
    std::fs::create_dir_all(folder("drives/newhold/stuff")).unwrap();
    let told = world.expect(&["plan", "saltflat", "--to", &folder("drives/newhold/stuff")], 2);
    assert!(told.contains("is no library of a launcher") && told.contains("--to newhold"), "{told}");
}

#[test]
fn what_a_haul_keeps_at_the_target_is_named_with_both_ways_on() {
    for (way, then) in [("undo", "newhold"), ("release", "swift")] {
        let world = World::new();
        world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
        // The way back by a haul of its own: its originals are where the game is to go.
        let refused = world.expect(&["plan", "saltflat", "--to", "swift"], 3);
        assert!(refused.contains("haul 1 keeps") && refused.contains(&format!("deft-barge {way} 1")), "{refused}");
        world.expect(&[way, "1", "--yes"], 0);
        world.expect(&["plan", "saltflat", "--to", then], 0);
    }
}
