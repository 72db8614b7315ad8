//! Whole errands as people do them, in the interface alone, from the first frame to the end.

use std::fs;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use serde_json::json;

use crate::screen::{Screen, one_is_cancelled_alone};
use crate::world::{PROGRAM, World, tree};

#[test]
fn room_is_made_on_the_small_drive_and_the_game_is_played_from_its_new_place() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["M"]);
    screen.wait_for("How much space to free here?");
    screen.type_in("1MB");
    screen.keys(&["Enter"]);
    screen.wait_for("Suggested:");
    screen.keys(&["Enter"]);
    screen.wait_for("items, in this order");
    screen.keys(&["a", "S"]);
    screen.wait_for("of originals are kept");
    // The four zeros, large, and the game from there.
    screen.keys(&["P"]);
    let proof = screen.wait_for("It is the same");
    assert!(proof.contains("▀▀▀") && proof.contains("to download"), "{proof}");
    screen.keys(&["p"]);
    screen.wait_for("came up");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("esc closes"));
    // What is played is not released: the game is closed first.
    end_programs_of(&world);
    screen.keys(&["L"]);
    screen.wait_for("kept  ");
    screen.keys(&["o"]);
    screen.wait_for("can be moved back.");
    screen.keys(&["y"]);
    screen.wait_for("freed ");
    let log = world.json(&["log"], 0);
    let items = log["hauls"][0]["items"].as_array().unwrap();
    assert!(items.iter().all(|item| item["stage"]["stage"] == "released"), "{log}");
}

/// Closes the programs that were started from a world's drives.
fn end_programs_of(world: &World) {
    let drives = world.at("drives");
    for entry in std::fs::read_dir("/proc").unwrap().flatten() {
        let below =
            |link: &str| std::fs::read_link(entry.path().join(link)).is_ok_and(|path| path.starts_with(&drives));
        if below("cwd") || below("exe") {
            let pid = entry.file_name().into_string().unwrap();
            std::process::Command::new("kill").args(["-9", &pid]).status().unwrap();
        }
    }
}

#[test]
fn the_dying_disk_is_emptied_and_one_game_is_repaired_from_the_old_copy() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["Tab"]);
    screen.wait_for("on cellar");
    screen.keys(&["e"]);
    screen.wait_for("Suggested:");
    screen.keys(&["Enter"]);
    // What is planned first needs drive letters, and says so; the line goes away when they are to be made.
    screen.wait_for("blocker   Hexwood Couriers");
    screen.keys(&[","]);
    screen.wait_for("will be made, as the link");
    screen.keys(&["a", "S"]);
    screen.wait_for("cannot be read: data/pack01.bin");
    // A picture of the screen may be taken while it is drawn: what stands further down is waited for by itself.
    screen.wait_for("m repairs an unreadable file from another copy");
    screen.keys(&["m"]);
    screen.wait_for("old games/brass-herons/data/pack01.bin");
    screen.keys(&["Enter"]);
    screen.wait_for("will be copied from");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("esc closes"));
    thread::sleep(Duration::from_millis(300));
    screen.keys(&["y"]);
    screen.wait_for("of originals are kept");
    let survey = world.json(&["survey"], 0);
    let games = survey["games"].as_array().unwrap();
    let left: Vec<_> = games.iter().filter(|game| game["drive"] == "cellar").collect();
    assert!(left.is_empty(), "{left:?}");
    for game in ["Brass Herons", "Glasswing Regatta", "Night Ferry to Oslow"] {
        assert!(world.judge(game).content(), "{game}");
    }
}

#[test]
fn a_held_haul_is_released_and_another_returned_from_the_log() {
    let world = World::new();
    let old = world.at("drives/swift/lamp/pale-signal");
    let before = tree(&old);
    world.expect(&["haul", "pale signal", "--to", "newhold", "--yes"], 0);
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let Some(screen) = Screen::open(&world, 120, 36) else { return };
    screen.wait_for("on disk");
    screen.keys(&["L"]);
    let log = screen.wait_for("kept  ");
    assert!(log.find("kept  ") < log.find("haul 1").or(log.find("Haul 1")), "{log}");
    // The older haul stands at the end, and what is done means that one.
    screen.keys(&["End"]);
    screen.wait_for("Haul 1");
    screen.keys(&["u"]);
    screen.wait_for("Undo haul 1 (Pale Signal)?");
    screen.keys(&["y"]);
    screen.wait_for("Haul 1 is undone");
    assert_eq!(tree(&old), before);
    screen.keys(&["L"]);
    screen.wait_for("undo of 1");
    screen.keys(&["Home"]);
    screen.wait_for("Haul 2");
    screen.keys(&["o"]);
    screen.wait_for("Delete ");
    screen.keys(&["y"]);
    screen.wait_for("freed ");
    assert!(!world.old_place().exists() && world.new_place().is_dir());
    assert!(world.judge("Saltflat Rally").content());
}

#[test]
fn a_drive_that_has_another_path_is_re_anchored() {
    let world = World::new();
    world.expect(&["survey"], 0);
    fs::rename(world.at("drives/cellar"), world.at("keller")).unwrap();
    world.replace_in("world.toml", "\"drives/cellar\"", "\"keller\"");
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["F"]);
    screen.wait_for("moved drive");
    screen.keys(&["="]);
    screen.wait_for("records only");
    screen.keys(&["a", "S"]);
    screen.wait_for("Haul 1: released");
    for game in ["Brass Herons", "Glasswing Regatta", "Night Ferry to Oslow"] {
        assert!(world.judge(game).content(), "{game}");
    }
}

#[test]
fn an_unknown_launcher_is_learned_and_its_game_moved() {
    let world = World::new();
    fs::remove_file(world.at("home/.config/deft-barge/profiles/parlour-lamp.toml")).unwrap();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.wait_for("on disk");
    screen.wait_for("Saltflat");
    let old = world.at("drives/swift/lamp/pale-signal");
    let files = tree(&old);
    assert!(!screen.text().contains("Pale Signal"));
    screen.keys(&["E", "n"]);
    let learned = screen.wait_for("saved as");
    assert!(learned.contains("Parlour Lamp: 2 games") && learned.contains("none left behind"), "{learned}");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("saved as"));
    thread::sleep(Duration::from_millis(500));
    screen.go_to("pale");
    screen.wait_for("Parlour Lamp");
    screen.keys(&["4", "Enter"]);
    screen.wait_for("items, in this order");
    let plan = screen.wait_until(|text| text.contains("ready; S starts it") || text.contains("to accept with"));
    assert!(plan.contains("Pale Signal"), "{plan}");
    screen.keys(&["a", "S"]);
    screen.wait_for("of originals are kept");
    let survey = world.json(&["survey"], 0);
    let game = survey["games"].as_array().unwrap().iter().find(|game| game["title"] == "Pale Signal").unwrap();
    assert_eq!((&game["drive"], &game["launcher"]), (&"newhold".into(), &"parlour-lamp".into()), "{game}");
    assert_eq!(tree(Path::new(game["install"].as_str().unwrap())), files);
}

/// A launcher whose games say their library by a number, all of them the same one: whether that is what it says is asked, and answered by one key.
#[test]
fn what_is_not_sure_of_a_launcher_is_asked_and_answered_by_a_key() {
    let world = World::new();
    let [swift, newhold] = ["drives/swift/kites", "drives/newhold/kites"].map(|path| world.at(path));
    fs::create_dir_all(&newhold).unwrap();
    for name in ["Amber Fen", "Long Tarn"] {
        fs::create_dir_all(swift.join(name).join("bin")).unwrap();
        fs::write(swift.join(name).join("bin/go"), "#!/bin/sh\n").unwrap();
        fs::write(swift.join(name).join("data.pak"), vec![7; 9000]).unwrap();
    }
    let list = serde_json::json!({
        "shelves": [{"nr": 1, "at": swift}, {"nr": 2, "at": newhold}],
        "games": [
            {"name": "Amber Fen", "folder": "Amber Fen", "on": 1},
            {"name": "Long Tarn: Return", "folder": "Long Tarn", "on": 1},
        ],
    });
    let file = world.at("home/.config/copper-kite/list.json");
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    fs::write(&file, serde_json::to_string_pretty(&list).unwrap()).unwrap();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.wait_for("on disk");
    screen.keys(&["E", "n"]);
    let asked = screen.wait_for("does this say which library a game is in?");
    assert!(asked.contains("1  on 1: ") && asked.contains("2  no, nothing here says it"), "{asked}");
    screen.wait_for("1   2   answers");
    screen.keys(&["1"]);
    screen.wait_for("copper-kite.toml");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("saved as"));
    // How sure it is stands beside the launcher.
    screen.wait_for("Copper Kite");
    screen.keys(&["Home"]);
    assert!(screen.wait_for("from 2 games: 2 moves rehearsed").contains("1 thing was asked"));
    thread::sleep(Duration::from_millis(500));
    screen.go_to("amber");
    screen.keys(&["4", "Enter"]);
    screen.wait_until(|text| text.contains("ready; S starts it") || text.contains("to accept with"));
    screen.keys(&["a", "S"]);
    screen.wait_for("of originals are kept");
    let now: serde_json::Value = serde_json::from_str(&fs::read_to_string(&file).unwrap()).unwrap();
    let mut wanted = list;
    wanted["games"][0]["on"] = 2.into();
    assert_eq!(now, wanted);
    assert!(newhold.join("Amber Fen/data.pak").exists());
}

#[test]
fn a_haul_that_was_left_running_goes_on_and_is_found_again() {
    let world = World::slow();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.start_slowly();
    screen.keys(&["C-c"]);
    screen.wait_for("w quit, it continues");
    screen.keys(&["w"]);
    screen.wait_for("left with 0");
    // Nobody can begin anything else meanwhile.
    let refused = world.expect(&["haul", "pale signal", "--to", "newhold", "--yes"], 3);
    assert!(refused.contains("another Deft Barge") || refused.contains("is unfinished"), "{refused}");
    let Some(again) = Screen::open(&world, 120, 36) else { return };
    let shown = again.wait_for("This haul keeps running");
    assert!(shown.contains("Saltflat Rally"), "{shown}");
    again.wait_for("copy ");
    // It is slowed and paused from here as from where it was begun.
    again.keys(&["z"]);
    again.wait_for("is unfinished");
    again.keys(&["y"]);
    again.wait_for("of originals are kept");
    assert_eq!(tree(&world.new_place()), tree(&world.old_place()));
    assert!(world.judge("Saltflat Rally").content());
}

#[test]
fn one_item_is_cancelled_alone_and_the_others_go_on() {
    let world = World::slow();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["R", "<", "<", "<"]);
    screen.wait_for("at most 1 MB/s");
    screen.keys(&["D", "4"]);
    screen.go_to("moss");
    screen.keys(&["4", "Enter"]);
    screen.wait_for("items, in this order");
    screen.wait_until(|text| text.contains("ready; S starts it") || text.contains("to accept with"));
    screen.keys(&["a", "S"]);
    screen.wait_for("MB/s, mean");
    one_is_cancelled_alone(&world, &screen);
}

#[test]
fn a_closed_terminal_pauses_and_the_bell_rings_at_the_end() {
    let world = World::slow();
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    screen.first_frame();
    screen.keys(&["R", "<", "<", "<", "!"]);
    screen.wait_for("Bell when it is done: yes");
    screen.keys(&["D", "4", "Enter"]);
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    screen.wait_for("MB/s, mean");
    // The terminal goes away: what ran in it is paused, and nothing is lost.
    screen.tmux(&["kill-session"]);
    let begun = Instant::now();
    let stage = loop {
        let free = Command::new("flock")
            .args(["-n", &world.at("home/.local/state/deft-barge/lock").to_string_lossy(), "true"])
            .status()
            .is_ok_and(|status| status.success());
        if free {
            break world.json(&["log"], 0)["hauls"][0]["items"][0]["stage"]["stage"].clone();
        }
        assert!(begun.elapsed() < Duration::from_secs(20), "it still runs");
        thread::sleep(Duration::from_millis(100));
    };
    assert_eq!(stage, "copying");
    let Some(again) = Screen::open(&world, 100, 30) else { return };
    again.wait_for("is unfinished");
    again.keys(&["!"]);
    again.wait_for("Bell when it is done: yes");
    again.keys(&["y"]);
    again.wait_for("of originals are kept");
    let title = again.tmux(&["display-message", "-p", "#{pane_title}"]);
    assert_eq!(String::from_utf8_lossy(&title.stdout).trim(), "Deft Barge: done");
}

#[test]
fn keys_are_remapped_in_the_settings_file_and_a_fault_in_it_is_said_with_its_line() {
    let world = World::new();
    let file = world.at("home/.config/deft-barge/settings.toml");
    fs::write(&file, "theme = \"light\"\n[keys]\nrecords = [\"(\"]\nhelp = \"ctrl-e\"\n").unwrap();
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    let first = screen.wait_for("( Records");
    assert!(first.contains("ctrl-e keys"), "{first}");
    screen.keys(&["("]);
    screen.wait_for("records of");
    screen.keys(&["C-e"]);
    screen.wait_for("Keys of Records");
    fs::write(&file, "[keys]\nmark = \"z\"\ndance = \"d\"\n").unwrap();
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    screen.wait_for("is called \"dance\"");
}

#[test]
fn a_machine_without_profiles_shows_what_was_looked_for_and_leads_into_the_demo() {
    let world = World::new();
    fs::remove_dir_all(world.at("home/.config/deft-barge/profiles")).unwrap();
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    let first = screen.wait_for("These folders look like games");
    assert!(first.contains("No launchers known") && first.contains("saltflat-rally"), "{first}");
    screen.keys(&["t"]);
    screen.wait_for("Trace which path?");
    screen.keys(&["Enter"]);
    screen.wait_for("can be rewritten");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("esc closes"));
    screen.keys(&[":"]);
    screen.type_in("demo world");
    screen.keys(&["Enter"]);
    screen.wait_for("open it?");
    screen.keys(&["y"]);
    screen.wait_for("18 games");
    assert!(world.at("home/.local/share/deft-barge/beacon-house/world.toml").is_file());
}

/// A launcher of one game, which its file says at this place.
fn kite(world: &World, games: &[(&str, &str)]) {
    let home = world.at("home/.config/copper-kite");
    fs::create_dir_all(&home).unwrap();
    let one = |(name, drive): &(&str, &str)| json!({"code": format!("ck-{name}"), "at": world.at(&format!("drives/{drive}/kite/{name}"))});
    let text = json!({"kept": games.iter().map(one).collect::<Vec<_>>()}).to_string();
    fs::write(home.join("kept.json"), text).unwrap();
}

fn kite_installs(world: &World, name: &str) {
    let game = world.at(&format!("drives/swift/kite/{name}"));
    fs::create_dir_all(&game).unwrap();
    fs::write(game.join("start"), "#!/bin/sh\n").unwrap();
    fs::write(game.join("all.pak"), [7; 5000]).unwrap();
}

#[test]
fn a_launcher_of_one_game_is_watched_while_it_installs_another_and_then_moves_one() {
    let world = World::new();
    kite_installs(&world, "reed");
    kite(&world, &[("reed", "swift")]);
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    screen.wait_for("on disk");
    screen.keys(&["E", "n"]);
    screen.wait_for("one game alone");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("one game alone"));
    screen.keys(&["C-n"]);
    screen.wait_for("nothing has changed yet");
    kite_installs(&world, "rush");
    kite(&world, &[("reed", "swift"), ("rush", "swift")]);
    let learned = screen.wait_for("saved as");
    assert!(learned.contains("Copper Kite installed") && learned.contains("Copper Kite: 2 games"), "{learned}");
    screen.keys(&["Escape"]);
    screen.wait_until(|text| !text.contains("saved as"));
    // Its profile is judged by what it does itself.
    screen.keys(&["C-n"]);
    screen.wait_for("nothing has changed yet");
    fs::create_dir_all(world.at("drives/newhold/kite")).unwrap();
    fs::rename(world.at("drives/swift/kite/rush"), world.at("drives/newhold/kite/rush")).unwrap();
    kite(&world, &[("reed", "swift"), ("rush", "newhold")]);
    let judged = screen.wait_for("all the same");
    assert!(judged.contains("Copper Kite moved"), "{judged}");
}

#[test]
fn watching_ends_with_a_signal_and_writes_nothing() {
    let world = World::new();
    let before = world.all();
    let mut child = Command::new(PROGRAM);
    child.arg("--world").arg(world.at("")).args(["learn", "--watch"]).stdout(Stdio::piped());
    let mut child = child.stderr(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
    assert!(line.starts_with("Watching"), "{line}");
    rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::INT).unwrap();
    let out = child.wait_with_output().unwrap();
    assert_eq!(out.status.code(), Some(5), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(String::from_utf8_lossy(&out.stderr).contains("No profile was saved"));
    assert_eq!(world.all(), before);
}

#[test]
fn a_launcher_that_has_changed_is_blocked_learned_again_and_can_be_traced_meanwhile() {
    let world = World::new();
    let profiles = world.at("home/.config/deft-barge/profiles");
    for name in ["reed", "rush", "sedge"] {
        kite_installs(&world, name);
    }
    let all = [("reed", "swift"), ("rush", "swift"), ("sedge", "swift")];
    kite(&world, &all);
    let reed = world.at("drives/swift/kite/reed");
    world.expect(&["learn", reed.to_str().unwrap()], 0);
    let list = world.at("home/.config/copper-kite/kept.json");
    let hash = |text: String| text.replace("\"at\"", "\"hash\":7,\"at\"");
    fs::write(&list, hash(fs::read_to_string(&list).unwrap())).unwrap();
    let refused = world.expect(&["plan", "reed", "--to", "newhold"], 3);
    assert!(refused.contains("now contains hash"), "{refused}");
    // Whoever cannot wait for it goes by a trace.
    world.expect(&["haul", "--traced", reed.to_str().unwrap(), "--to", "newhold", "--yes"], 0);
    assert!(fs::read_to_string(&list).unwrap().contains("drives/newhold/"), "its record was rewritten");
    world.expect(&["undo", "--yes"], 0);
    for (kept, count) in [("copper-kite.toml.before", 1), ("copper-kite.toml.before-2", 2)] {
        let old = fs::read(profiles.join("copper-kite.toml")).unwrap();
        let told = world.expect(&["learn", reed.to_str().unwrap()], 0);
        assert!(told.contains(kept), "{told}");
        assert_eq!(fs::read(profiles.join(kept)).unwrap(), old, "time {count}");
        let more = format!("\"sum{count}\":1,\"hash\"");
        fs::write(&list, fs::read_to_string(&list).unwrap().replace("\"hash\"", &more)).unwrap();
    }
}
