//! What comes from outside while a haul is under way or its originals are kept: a drive that is lost, a pause, a signal, a window that is
//! too small, another program that hauls as well.

use std::fs;
use std::process::Command;
use std::thread;
use std::time::Duration;

use crate::screen::Screen;
use crate::world::{World, tree};

#[test]
fn with_the_drive_of_the_copy_lost_the_kept_originals_are_played_again() {
    let world = World::new();
    let game = tree(&world.old_place());
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let now = world.expect(&["log"], 0);
    assert!(now.contains("now     delete the originals with: deft-barge release 1, or undo it with"), "{now}");
    let (at, lost) = (world.at("drives/newhold"), world.at("lost"));
    fs::rename(&at, &lost).unwrap();
    fs::create_dir(&at).unwrap();
    let now = world.expect(&["log"], 0);
    assert!(now.contains("newhold isn't connected") && now.contains("deft-barge return 1 --leave"), "{now}");
    let said = world.expect(&["return", "--yes"], 3);
    assert!(!said.contains("no longer lists it"), "{said}");
    assert!(said.contains("return 1 --leave"), "{said}");
    let said = world.expect(&["return", "--leave", "--yes"], 0);
    assert!(said.contains("Haul 1 is undone.") && said.contains("its drive isn't connected"), "{said}");
    assert!(said.contains("ledger.json") && said.contains("is in"), "{said}");
    assert!(world.judge("Saltflat Rally").content());
    assert_eq!(tree(&world.old_place()), game);
    assert!(lost.join("quillgate/saltflat-rally").is_dir());
    // What can be undone no further says so, and what is not undone is not called so.
    world.expect(&["return", "--yes"], 2);
}

/// Waits until a haul of the command line copies, and interrupts it; gives what it said.
fn interrupted(world: &World, words: &[&str]) -> String {
    let piped = std::process::Stdio::piped;
    let child = world.command(words).stdout(piped()).stderr(piped()).spawn().unwrap();
    let staged = || {
        let folder = fs::read_dir(world.at("drives/newhold/quillgate"));
        folder.is_ok_and(|mut all| all.any(|one| one.unwrap().file_name().to_string_lossy().contains("copy")))
    };
    while !staged() {
        thread::sleep(Duration::from_millis(20));
    }
    // A pulse is kept every second.
    thread::sleep(Duration::from_millis(1500));
    Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
    let ended = child.wait_with_output().unwrap();
    assert_eq!(ended.status.code(), Some(5), "paused by a signal is told by the exit code");
    String::from_utf8_lossy(&ended.stdout).into_owned()
}

#[test]
fn a_limit_outlives_a_pause_and_one_lot_of_a_resumed_haul_can_be_given_up() {
    let world = World::slow();
    interrupted(&world, &["haul", "saltflat", "moss", "--to", "newhold", "--yes", "--limit", "1"]);
    let said = interrupted(&world, &["resume"]);
    assert!(said.contains("1.0 MB/s at most, as before"), "{said}");
    let said = interrupted(&world, &["resume", "--limit", "2"]);
    assert!(!said.contains("as before"), "{said}");
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.wait_for("was under way and is not at its end");
    screen.keys(&["R", "g"]);
    screen.wait_for("2.0 MB/s at most");
    screen.wait_for("MB/s, mean");
    screen.keys(&["x"]);
    let asked = screen.wait_for("alone? What was copied of it goes");
    screen.keys(&["y"]);
    screen.wait_for("of originals are held");
    let log = world.json(&["log"], 0);
    let lots = log["hauls"][0]["lots"].as_array().unwrap();
    let stages: Vec<_> = lots.iter().map(|lot| lot["stage"]["stage"].as_str().unwrap()).collect();
    assert!(stages.contains(&"given-up") && stages.contains(&"proved"), "{stages:?}\n{asked}");
}

#[test]
fn every_signal_that_ends_a_program_gives_the_terminal_back_and_is_told_by_the_exit_code() {
    for signal in ["INT", "QUIT", "TERM"] {
        let world = World::new();
        let Some(screen) = Screen::open(&world, 100, 30) else { return };
        screen.first_frame();
        let of = |what: &str| {
            let said = screen.tmux(&["display-message", "-p", what]);
            String::from_utf8_lossy(&said.stdout).trim().to_string()
        };
        let (shell, terminal) = (of("#{pane_pid}"), of("#{pane_tty}"));
        let child = Command::new("pgrep").args(["-P", &shell]).output().unwrap();
        let child = String::from_utf8_lossy(&child.stdout).trim().to_string();
        Command::new("kill").args([&format!("-{signal}"), &child]).status().unwrap();
        screen.wait_for("left with 5");
        let modes = Command::new("stty").args(["-F", &terminal, "-a"]).output().unwrap();
        let modes = String::from_utf8_lossy(&modes.stdout).into_owned();
        assert!(modes.contains(" icanon") && modes.contains(" echo "), "{signal}: {modes}");
        assert_eq!(of("#{alternate_on}"), "0", "{signal}");
    }
}

#[test]
fn keys_do_nothing_in_a_window_that_is_too_small_to_show_what_they_do() {
    let world = World::new();
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let Some(screen) = Screen::open(&world, 100, 30) else { return };
    screen.first_frame();
    screen.keys(&["L"]);
    screen.wait_for("held");
    screen.tmux(&["set-option", "window-size", "manual"]);
    screen.tmux(&["resize-window", "-x", "30", "-y", "8"]);
    screen.wait_until(|text| text.lines().all(|line| line.chars().count() <= 30));
    for keys in [["o", "y"], ["u", "y"], ["S", "y"]] {
        screen.keys(&keys);
    }
    thread::sleep(Duration::from_millis(500));
    assert!(world.old_place().exists() && world.new_place().exists());
    assert_eq!(world.json(&["log"], 0)["hauls"].as_array().unwrap().len(), 1);
    screen.tmux(&["resize-window", "-x", "100", "-y", "30"]);
    screen.wait_for("Saltflat");
    // A question that was asked is not answered unseen either.
    screen.keys(&["o"]);
    screen.wait_for("elete");
    screen.tmux(&["resize-window", "-x", "30", "-y", "8"]);
    screen.wait_until(|text| !text.contains("elete"));
    screen.keys(&["y"]);
    thread::sleep(Duration::from_millis(500));
    assert!(world.old_place().exists());
}

#[test]
fn undo_in_running_means_the_haul_that_is_shown_and_a_draft_ends_with_its_haul() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.keys(&["4", "Enter"]);
    screen.wait_for("ready; S starts it");
    screen.keys(&["S"]);
    screen.wait_for("lets go of them");
    screen.keys(&["D"]);
    screen.wait_until(|text| text.contains("on disk") && !text.contains("on this haul"));
    // A later haul of another program is not what Running shows.
    world.expect(&["haul", "moss", "--to", "newhold", "--yes"], 0);
    screen.keys(&["R", "u"]);
    let asked = screen.wait_for("y yes");
    assert!(asked.contains("Saltflat"), "{asked}");
    screen.keys(&["y"]);
    screen.wait_until(|_| world.old_place().exists() && !world.new_place().exists());
    let log = world.json(&["log"], 0);
    let of = |id: u64| log["hauls"].as_array().unwrap().iter().find(|haul| haul["id"] == id).unwrap().clone();
    assert_eq!(of(2)["lots"][0]["stage"]["stage"], "proved", "{log}");
}
