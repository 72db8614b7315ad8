//! The interface as a person drives it: in tmux, from the first frame to the proof.

use std::process::Command;
use std::thread;
use std::time::{Duration, Instant};

use crate::screen::Screen;
use crate::world::{PROGRAM, World, tree};

#[test]
fn a_person_hauls_a_game_from_the_first_frame_to_the_proof_and_lets_go() {
    let world = World::new();
    let game = tree(&world.old_place());
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    let first = screen.first_frame();
    for word in ["swift", "cellar", "pocket", "newhold", "Quillgate", "on disk"] {
        assert!(first.contains(word), "{word}\n{first}");
    }
    screen.keys(&["4"]);
    let sent = screen.wait_for("1 game on this haul");
    assert!(sent.contains("→ 4") && sent.contains("after this haul"), "{sent}");
    screen.keys(&["Enter"]);
    let plan = screen.wait_for("ready; S starts it");
    for word in ["swift > newhold", "deleted for good    nothing", "is rewritten", "gets a new library"] {
        assert!(plan.contains(word), "{word}\n{plan}");
    }
    screen.keys(&["Tab"]);
    let records = screen.wait_for("the entry is added");
    assert!(records.contains("the entry is removed"), "{records}");
    assert!(!world.new_place().exists(), "nothing touches a disk before the start");
    screen.keys(&["S"]);
    let end = screen.wait_for("releases them");
    for word in ["0 differ", "0 missing", "0 extra", "0 B to download", "every byte was read back"] {
        assert!(end.contains(word), "{word}\n{end}");
    }
    assert_eq!((tree(&world.new_place()), tree(&world.old_place())), (game.clone(), game.clone()));
    assert!(world.judge("Saltflat Rally").content());
    screen.keys(&["o"]);
    screen.wait_for("y yes");
    screen.keys(&["n"]);
    assert!(world.old_place().exists());
    screen.keys(&["o", "y"]);
    screen.wait_for("freed ");
    assert!(!world.old_place().exists());
    screen.keys(&["?"]);
    screen.wait_for("undo the haul");
    screen.keys(&["Escape"]);
    screen.wait_for("Nothing is running.");
    thread::sleep(Duration::from_millis(300));
    screen.keys(&["q"]);
    screen.wait_for("left with 0");
}

#[test]
fn a_person_whose_launchers_nobody_has_described_has_them_learned_and_hauls_a_game() {
    let world = World::new();
    for profile in std::fs::read_dir(world.at("home/.config/deft-barge/profiles")).unwrap().flatten() {
        std::fs::remove_file(profile.path()).unwrap();
    }
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.wait_for("No launchers known on this machine yet.");
    screen.keys(&["n"]);
    let told = screen.wait_for("Parlour Lamp: 2 games");
    assert!(told.contains("saved as") && !told.contains("$["), "{told}");
    screen.keys(&["Escape"]);
    let drives = screen.wait_for("Gull Parliament");
    assert!(drives.contains("Tolliver") && drives.contains("Ninepin"), "{drives}");
    screen.keys(&["Down", "4"]);
    screen.wait_for("1 game on this haul");
    screen.keys(&["Enter"]);
    // Its content lists were learned as well: there is nothing to accept.
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    let end = screen.wait_for("releases them");
    for word in ["0 differ", "0 missing", "0 B to download", "0 still point back"] {
        assert!(end.contains(word), "{word}\n{end}");
    }
}

#[test]
fn a_haul_that_fits_only_in_one_order_is_made_from_the_drawing_and_goes_in_that_order() {
    let world = World::new();
    crate::planning::fill(&world, "swift", 400_000);
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    // The largest game of cellar is to come to swift, which has no room for it.
    screen.keys(&["Tab"]);
    screen.wait_for("on cellar");
    screen.keys(&["1"]);
    screen.wait_for("lacks");
    // The largest one of swift is to leave it: now it fits, though it was named last.
    screen.keys(&["BTab"]);
    screen.wait_for("on swift");
    screen.keys(&["4", "w"]);
    screen.wait_for("Save this draft as");
    screen.keys(&["s", "w", "a", "p", "Enter"]);
    screen.wait_for("Saved.");
    let plan = world.json(&["plan", "--from", "swap"], 0);
    assert_eq!(plan["items"].as_array().unwrap().len(), 2, "the command line finds it by its name");
    screen.keys(&["0", "O"]);
    screen.wait_for("2 games to");
    screen.keys(&["s", "w", "a", "p", "Enter"]);
    screen.wait_for("Opened: 2 games");
    screen.keys(&["Enter"]);
    let text = screen.wait_for("originals deleted at once");
    assert!(text.find("Saltflat Rally") < text.find("Glasswing Regatta"), "{text}");
    assert!(text.contains("when Saltflat Rally is off swift"), "{text}");
    screen.keys(&["S"]);
    screen.wait_for("Read the warnings first");
    screen.keys(&["a", "S"]);
    // What goes at once is asked for by the word, with bytes and titles.
    let asked = screen.wait_for("of originals during the haul (Saltflat Rally)");
    assert!(asked.contains("Delete "), "{asked}");
    screen.keys(&["y"]);
    screen.wait_for("of originals are kept");
    let survey = world.json(&["survey"], 0);
    let games = survey["games"].as_array().unwrap();
    let lies = |title: &str| games.iter().find(|game| game["title"] == title).unwrap()["drive"].clone();
    assert_eq!((lies("Saltflat Rally"), lies("Glasswing Regatta")), ("newhold".into(), "swift".into()));
}

#[test]
fn a_trial_waits_for_a_yes_before_the_others_go() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["4", "Down", "Down", "4", "Enter"]);
    screen.wait_for("items, in this order");
    screen.keys(&["Z"]);
    screen.wait_for("waits for your yes");
    screen.keys(&["a", "S"]);
    screen.wait_for("has moved its first game and waits for you");
    screen.keys(&["y"]);
    screen.wait_for("Continue with the other 1?");
    screen.keys(&["n"]);
    screen.wait_for("y continues with the others");
    screen.keys(&["y", "y"]);
    screen.wait_for("releases them");
    let items = world.json(&["log"], 0)["hauls"][0]["items"].clone();
    assert!(items.as_array().unwrap().iter().all(|item| item["stage"]["stage"] == "proved"), "{items}");
}

#[test]
fn it_works_in_a_small_window_says_so_in_a_smaller_one_and_finds_its_size_again() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 80, 24) else { return };
    screen.first_frame();
    screen.keys(&["4"]);
    screen.wait_for("after this haul");
    screen.tmux(&["resize-window", "-x", "60", "-y", "15"]);
    screen.wait_for("needs a window of 80 x 24");
    screen.tmux(&["resize-window", "-x", "100", "-y", "30"]);
    screen.wait_for("after this haul");
    screen.keys(&["Enter"]);
    screen.wait_for("ready; S starts it");
    screen.keys(&["Escape"]);
    screen.wait_for("→ 4");
}

#[test]
fn the_terminal_is_given_back_after_a_signal_and_after_ctrl_z() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    screen.first_frame();
    let pane = screen.tmux(&["list-panes", "-F", "#{pane_pid}"]);
    let shell = String::from_utf8_lossy(&pane.stdout).trim().to_string();
    let found = Command::new("pgrep").args(["-P", &shell]).output().unwrap();
    let program = String::from_utf8_lossy(&found.stdout).trim().to_string();
    let state = || std::fs::read_to_string(format!("/proc/{program}/stat")).unwrap_or_default();
    let alternate = || {
        String::from_utf8_lossy(&screen.tmux(&["display-message", "-p", "#{alternate_on}"]).stdout).trim().to_string()
    };
    assert_eq!(alternate(), "1");
    screen.keys(&["C-z"]);
    let begun = Instant::now();
    while !state().contains(") T ") && begun.elapsed() < Duration::from_secs(10) {
        thread::sleep(Duration::from_millis(20));
    }
    assert!(state().contains(") T "), "Ctrl-Z stops it: {}", state());
    while alternate() != "0" {
        assert!(begun.elapsed() < Duration::from_secs(20), "the terminal is given back meanwhile");
        thread::sleep(Duration::from_millis(20));
    }
    Command::new("kill").args(["-CONT", &program]).status().unwrap();
    screen.first_frame();
    assert_eq!(alternate(), "1");
    Command::new("kill").args(["-TERM", &program]).status().unwrap();
    screen.wait_for("left with 5");
    assert_eq!(alternate(), "0");
}

#[test]
fn an_interface_whose_terminal_goes_away_without_a_signal_ends() {
    let world = World::new();
    // A terminal tells its end to the session that calls it its own, which this one doesn't.
    let Some(screen) = Screen::open_with("setsid -w", &world, 100, 30) else { return };
    screen.first_frame();
    let word = world.folder().display().to_string();
    let runs = || {
        let found = Command::new("pgrep").args(["-f", &word]).output().unwrap();
        !found.stdout.is_empty()
    };
    assert!(runs());
    drop(screen);
    let begun = Instant::now();
    while runs() {
        assert!(begun.elapsed() < Duration::from_secs(30), "it goes on, and nobody can see it");
        thread::sleep(Duration::from_millis(50));
    }
}

#[test]
fn a_panic_gives_the_terminal_back_and_says_what_went_wrong() {
    let world = World::new();
    let Some(screen) = Screen::open_with("DEFT_BARGE_PANIC=1", &world, 100, 30) else { return };
    let text = screen.wait_for("left with 1");
    assert!(text.contains("asked to panic"), "{text}");
    let alternate = screen.tmux(&["display-message", "-p", "#{alternate_on}"]);
    assert_eq!(String::from_utf8_lossy(&alternate.stdout).trim(), "0");
}

#[test]
fn a_haul_is_cancelled_and_a_running_launcher_is_a_stop_that_goes_away_by_itself() {
    let world = World::new();
    let before = world.all();
    let Some(screen) = Screen::open(&world, 120, 36) else { return };
    screen.first_frame();
    let mut launcher = Command::new(PROGRAM)
        .args(["stand-in", "--home"])
        .arg(world.launcher())
        .arg("run")
        .stdout(std::process::Stdio::null())
        .spawn()
        .unwrap();
    thread::sleep(Duration::from_millis(300));
    screen.keys(&["4", "Enter"]);
    screen.wait_for("Quillgate is running");
    screen.keys(&["S"]);
    screen.wait_for("Blocked: see the first line");
    Command::new("kill").arg(launcher.id().to_string()).status().unwrap();
    launcher.wait().unwrap();
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    thread::sleep(Duration::from_millis(60));
    // Either it is still running and is cancelled, or it has ended and is undone.
    screen.keys(&["x"]);
    thread::sleep(Duration::from_millis(300));
    if !screen.text().contains("undo what it did so far") {
        screen.wait_for("releases them");
        screen.keys(&["u"]);
        screen.wait_for("Undo haul");
    }
    screen.keys(&["y"]);
    let begun = Instant::now();
    while world.new_place().exists() || world.all() != before {
        assert!(begun.elapsed() < Duration::from_secs(30), "{}", screen.text());
        thread::sleep(Duration::from_millis(100));
    }
    assert!(world.judge("Saltflat Rally").content());
}

#[test]
fn a_person_adopts_a_stray_sets_another_aside_and_sends_user_data_from_the_interface() {
    let world = World::new();
    let mods = world.at("home/.local/share/pale-signal/mods");
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["F"]);
    screen.wait_for("unlisted");
    screen.keys(&["Down"]);
    screen.wait_for("Harbour of Small Hours");
    screen.keys(&["I"]);
    screen.wait_for("the entry is added");
    screen.keys(&["S"]);
    screen.wait_for("Haul 1: done");
    assert!(world.judge("Harbour of Small Hours").content());
    // It is a game now; the old copy of another one is let go only where it is the same: the disk cannot read that one.
    screen.keys(&["F"]);
    screen.wait_for("old copy");
    assert!(!screen.text().contains("small-hours"));
    screen.keys(&["Down"]);
    screen.wait_for("An old copy of");
    screen.keys(&["Q"]);
    screen.wait_for("quarantine; keep");
    screen.keys(&["a"]);
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    screen.wait_for("Haul 2: originals kept");
    let old = world.at("drives/pocket/old games/brass-herons");
    assert!(!old.exists());
    screen.keys(&["u"]);
    screen.wait_for("Undo haul 2");
    screen.keys(&["y"]);
    screen.wait_for("Haul 2 is undone");
    assert!(old.is_dir());
    // User data goes behind a link.
    screen.keys(&["D"]);
    screen.wait_for("on swift");
    screen.go_to("pale");
    screen.wait_for("lamp/pale-signal");
    screen.keys(&["i", "4"]);
    screen.wait_for("newhold, behind a link");
    screen.keys(&["Enter"]);
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    screen.wait_for("Haul 4: originals kept");
    assert_eq!(std::fs::read_link(&mods).unwrap(), world.at("drives/newhold/user-data/pale-signal/mods"));
    screen.keys(&["q"]);
    screen.wait_for("left with 0");
}
