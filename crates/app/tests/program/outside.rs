//! What comes from outside while a haul is under way or its originals are kept: a drive that is lost, a pause, a signal, a window that is
//! too small, another program that hauls as well.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::screen::{Screen, one_is_cancelled_alone};
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
    assert!(now.contains("newhold isn't connected") && now.contains("deft-barge undo 1 --leave"), "{now}");
    let said = world.expect(&["undo", "--yes"], 3);
    assert!(!said.contains("no longer lists it"), "{said}");
    assert!(said.contains("undo 1 --leave"), "{said}");
    let said = world.expect(&["undo", "--leave", "--yes"], 0);
    assert!(said.contains("Haul 1 is undone.") && said.contains("its drive isn't connected"), "{said}");
    assert!(said.contains("ledger.json") && said.contains("is in"), "{said}");
    assert!(world.judge("Saltflat Rally").content());
    assert_eq!(tree(&world.old_place()), game);
    assert!(lost.join("quillgate/saltflat-rally").is_dir());
    // What can be undone no further says so, and what is not undone is not called so.
    world.expect(&["undo", "--yes"], 2);
}

/// Waits until a haul of the command line copies, and so long after that; then sends it a signal, which pauses it. Gives what it said.
pub fn interrupted(world: &World, words: &[&str], signal: &str, after: Duration) -> String {
    let piped = std::process::Stdio::piped;
    let mut child = world.command(words).stdout(piped()).stderr(piped()).spawn().unwrap();
    let staged = || {
        let folder = fs::read_dir(world.at("drives/newhold/quillgate"));
        folder.is_ok_and(|mut all| all.any(|one| one.unwrap().file_name().to_string_lossy().contains("copy")))
    };
    // Before it listens to SIGHUP, SIGINT and SIGTERM, each of them ends it at once.
    let (process, all) = (child.id(), 1 << 0 | 1 << 1 | 1 << 14);
    let listens = || {
        let status = fs::read_to_string(format!("/proc/{process}/status")).unwrap_or_default();
        let caught = status.lines().find_map(|line| line.strip_prefix("SigCgt:"));
        caught.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).is_some_and(|mask| mask & all == all)
    };
    while child.try_wait().unwrap().is_none() && (!staged() || !listens()) {
        thread::sleep(Duration::from_millis(5));
    }
    thread::sleep(after);
    Command::new("kill").args([signal, &process.to_string()]).status().unwrap();
    let ended = child.wait_with_output().unwrap();
    assert_eq!(ended.status.code(), Some(5), "{signal}, {after:?}: paused by a signal is told by the exit code");
    [ended.stdout, ended.stderr].map(|said| String::from_utf8_lossy(&said).into_owned()).concat()
}

#[test]
fn a_limit_outlives_a_pause_and_one_item_of_a_resumed_haul_can_be_given_up() {
    let world = World::slow();
    interrupted(
        &world,
        &["haul", "saltflat", "moss", "--to", "newhold", "--yes", "--limit", "1"],
        "-TERM",
        Duration::ZERO,
    );
    let said = interrupted(&world, &["resume"], "-TERM", Duration::ZERO);
    assert!(said.contains("at most 1.0 MB/s, as before"), "{said}");
    let said = interrupted(&world, &["resume", "--limit", "2"], "-TERM", Duration::ZERO);
    assert!(!said.contains("as before"), "{said}");
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.wait_for("is unfinished");
    screen.keys(&["R", "y"]);
    screen.wait_for("2.0 MB/s at most");
    screen.wait_for("MB/s, mean");
    one_is_cancelled_alone(&world, &screen);
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
    screen.wait_for("kept");
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
    screen.wait_for("releases them");
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
    assert_eq!(of(2)["items"][0]["stage"]["stage"], "proved", "{log}");
}

/// Puts something that is no file in the place of a file; `false` where the system makes none.
fn put_in_place(path: &Path, kind: &str) {
    let _ = fs::remove_file(path);
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    match kind {
        "socket" => drop(std::os::unix::net::UnixListener::bind_addr(
            &std::os::unix::net::SocketAddr::from_pathname(path).unwrap(),
        )),
        "folder" => fs::create_dir(path).unwrap(),
        "device" => {
            assert!(Command::new("ln").args(["-s", "/dev/zero"]).arg(path).status().unwrap().success());
        }
        _ => assert!(Command::new("mkfifo").arg(path).status().unwrap().success()),
    }
}

/// Runs a command that must end by itself.
fn ends(world: &World, words: &[&str], what: &str) -> (i32, String) {
    let mut child = world.command(words).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let begun = Instant::now();
    while child.try_wait().unwrap().is_none() {
        if begun.elapsed() > Duration::from_secs(40) {
            child.kill().unwrap();
            panic!("{words:?} hangs: {what}");
        }
        thread::sleep(Duration::from_millis(10));
    }
    let output = child.wait_with_output().unwrap();
    let text = [output.stdout, output.stderr].map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).concat();
    assert!(!text.contains("panicked"), "{words:?}, {what}: {text}");
    (output.status.code().unwrap_or(-1), text)
}

#[test]
fn what_is_no_file_is_refused_by_its_kind_wherever_a_file_is_expected() {
    let home = "home/.config/quillgate";
    let ours = "home/.config/deft-barge";
    let state = "home/.local/state/deft-barge";
    let places = [
        format!("{home}/rooms.json"),
        format!("{home}/recent.json"),
        format!("{home}/contents/qg-0107.json"),
        "drives/swift/quillgate/ledger.json".into(),
        "drives/swift/quillgate/saltflat-rally/extra".into(),
        format!("{ours}/profiles/odd.toml"),
        format!("{ours}/settings.toml"),
        format!("{ours}/user-data.toml"),
        format!("{state}/drives.json"),
        format!("{state}/names.json"),
        format!("{state}/lock"),
        format!("{state}/journal.db"),
        "home/.local/share/applications/odd.desktop".into(),
        "world.toml".into(),
    ];
    for (n, place) in places.iter().enumerate() {
        for kind in ["pipe", "socket", "folder", "device"] {
            // All of them for a pipe, which hangs whoever opens it; of the others some for each place.
            if kind != "pipe" && (n + kind.len()) % 3 != 0 {
                continue;
            }
            let world = World::new();
            put_in_place(&world.at(place), kind);
            let what = format!("{kind} as {place}");
            let old = world.old_place();
            let old = old.to_str().unwrap();
            let all = [
                &["survey"][..],
                &["haul", "Saltflat Rally", "--to", "newhold", "--yes"],
                &["trace", old],
                &["undo", "--yes"],
            ];
            // What a command reads beside a survey is looked at by that command.
            let own: &[&[&str]] = match () {
                () if place.contains("profiles/") => &[&["profile", "check"]],
                () if place.ends_with("settings.toml") => &[&["settings", "check"]],
                () if place.contains("state/") => &[&["log"], &["cleanup"]],
                () => &[],
            };
            let usual = if kind == "pipe" { all.len() } else { 2 };
            for words in all[..usual].iter().chain(own) {
                ends(&world, words, &what);
            }
            // Whatever came of it, the game is whole at one of both places.
            let whole = |place: &Path| place.join("bin").is_dir() || tree(place).len() > 3;
            assert!(whole(&world.old_place()) || whole(&world.new_place()), "{what}");
        }
    }
    let world = World::new();
    let odd = world.at("odd.toml");
    for kind in ["pipe", "socket", "folder", "device"] {
        let _ = fs::remove_dir(&odd);
        put_in_place(&odd, kind);
        for words in [&["plan", "--from", odd.to_str().unwrap()][..], &["profile", "check", odd.to_str().unwrap()]] {
            let (code, said) = ends(&world, words, kind);
            assert_eq!(code, 2, "{kind}, {words:?}: {said}");
        }
    }
}
