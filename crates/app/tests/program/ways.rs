//! Whole errands in other ways than by the usual keys in a usual window: with the mouse alone, in the smallest window without colours,
//! out of order, and with a drive that goes while its haul runs.

use std::fs;

use crate::screen::Screen;
use crate::world::{World, tree};

#[test]
fn a_game_is_hauled_released_and_another_undone_with_the_mouse_alone() {
    let world = World::new();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    screen.drag("Saltflat Rally", "newhold");
    screen.wait_for("1 game on this haul");
    screen.click("enter haul");
    screen.wait_for("ready; S starts it");
    screen.click("S start");
    screen.wait_for("Haul 1: originals kept");
    screen.click("o release");
    let asked = screen.wait_for("of originals");
    assert!(asked.contains("Delete") && asked.contains("Saltflat Rally"), "{asked}");
    screen.click("y yes");
    screen.wait_for("Haul 1: released");
    assert!(world.judge("Saltflat Rally").content() && !world.old_place().exists());

    screen.click("Drives");
    screen.wait_for("on newhold");
    screen.click("1  swift");
    screen.wait_for("on swift");
    screen.drag("Moss & Meridian", "newhold");
    screen.wait_for("1 game on this haul");
    screen.click("enter haul");
    screen.wait_for("items, in this order");
    screen.wait_until(|text| text.contains("ready; S starts it") || text.contains("a accept"));
    if screen.text().contains("a accept") {
        screen.click("a accept");
    }
    screen.wait_for("ready; S starts it");
    screen.click("S start");
    screen.wait_for("Haul 2: originals kept");
    screen.click("Log");
    screen.wait_for("undoes it");
    screen.click("u undo");
    screen.wait_for("Undo haul 2");
    screen.click("y yes");
    screen.wait_for("Haul 2 is undone");
    assert!(world.judge("Moss & Meridian").content());
    assert!(world.at("drives/swift/quillgate/Moss & Meridian").exists());
    // A sheet, and what it is closed by.
    screen.click("? keys");
    screen.wait_for("Keys of ");
    screen.click("esc");
    screen.wait_until(|text| !text.contains("Keys of "));
}

#[test]
fn the_smallest_window_without_colours_is_enough_for_a_whole_haul_of_many_games() {
    let world = World::new();
    let Some(screen) = Screen::open_with("env NO_COLOR=1", &world, 80, 24) else { return };
    screen.first_frame();
    let no_colour = |view: &str| {
        let styles = screen.with_styles();
        let codes = styles.split('\u{1b}').skip(1).filter_map(|rest| rest.strip_prefix('[')?.split_once('m'));
        for (code, _) in codes {
            let coloured = code
                .split([';', ':'])
                .any(|n| n.parse::<u8>().is_ok_and(|n| (30..=49).contains(&n) && n != 39 && n != 49 || n >= 90));
            assert!(!coloured, "{view}: {code:?}\n{styles}");
        }
    };
    no_colour("Drives");
    // All games of the drive at once: their findings do not fit on the screen, and all of them can be read.
    screen.keys(&["*", "4"]);
    screen.wait_for("sent to newhold");
    screen.keys(&["Enter"]);
    screen.wait_for("asked of you");
    // One of them needs a drive letter, which is made on request.
    screen.wait_for("blocked");
    screen.keys(&[","]);
    screen.wait_for("to accept with");
    no_colour("Haul");
    let plan = world.json(
        &[
            "plan",
            "saltflat",
            "orchard",
            "moss",
            "pale",
            "ministry",
            "gull",
            "paper",
            "underhill",
            "--make-letters",
            "--to",
            "newhold",
        ],
        0,
    );
    let findings = plan["findings"].as_array().unwrap();
    assert!(findings.len() >= 12, "{} findings", findings.len());
    let mut seen = screen.text();
    for _ in 0..12 {
        screen.keys(&["PageDown"]);
        seen.push_str(&screen.drawn_text());
    }
    let plain = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
    for title in ["Saltflat Rally", "Underhill Threshers", "Gull Parliament", "Paper Estuary"] {
        assert!(plain(&seen).contains(title), "{title}\n{seen}");
    }
    screen.keys(&["a", "S"]);
    screen.wait_until(|text| text.contains("Haul 1: originals kept"));
    no_colour("Proof");
    for (key, wanted) in
        [("L", "kept"), ("E", "Menu entries"), ("F", "unlisted"), ("R", "Haul 1"), ("?", "Keys of"), (":", "Do what?")]
    {
        screen.keys(&[key]);
        screen.wait_for(wanted);
        no_colour(wanted);
        if matches!(key, "?" | ":") {
            screen.keys(&["Escape"]);
            screen.wait_until(|text| !text.contains(wanted));
        }
    }
    screen.keys(&["L", "u"]);
    screen.wait_for("Undo haul 1");
    screen.keys(&["y"]);
    screen.wait_for("Haul 1 is undone");
    for game in ["Saltflat Rally", "Orchard of Nine Bells", "Moss & Meridian"] {
        assert!(world.judge(game).content(), "{game}");
    }
    assert!(world.old_place().exists() && !world.new_place().exists());
}

#[test]
fn hauls_are_undone_out_of_order_from_the_log() {
    let world = World::new();
    for game in ["saltflat", "moss", "pale signal"] {
        world.expect(&["haul", game, "--to", "newhold", "--yes"], 0);
    }
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.first_frame();
    // The oldest first, then the newest; the one between stays.
    for (haul, game) in [(1, "Saltflat Rally"), (3, "Pale Signal")] {
        screen.keys(&["L"]);
        screen.wait_for("of originals are kept");
        screen.keys(&["Home"]);
        for _ in 0..8 {
            if screen.drawn_text().contains(&format!("Haul {haul}, ")) {
                break;
            }
            screen.keys(&["Down"]);
        }
        screen.keys(&["u"]);
        let asked = screen.wait_for(&format!("Undo haul {haul} "));
        assert!(asked.contains(game), "{asked}");
        screen.keys(&["y"]);
        screen.wait_until(|_| {
            let log = world.json(&["log"], 0);
            let row = log["hauls"].as_array().unwrap().iter().find(|row| row["id"] == haul).unwrap().clone();
            row["items"][0]["stage"]["stage"] == "undone"
        });
        screen.wait_until(|text| !text.contains("Running ▸"));
    }
    assert!(world.judge("Saltflat Rally").content() && world.judge("Moss & Meridian").content());
    assert!(world.old_place().exists() && !world.new_place().exists());
    assert!(world.at("drives/newhold/quillgate/Moss & Meridian").exists());
    assert!(world.at("drives/swift/lamp/pale-signal").exists());
}

#[test]
fn a_drive_that_goes_while_its_haul_runs_is_told_and_the_haul_goes_on_when_it_is_back() {
    let world = World::slow();
    let Some(screen) = Screen::open(&world, 160, 47) else { return };
    screen.start_slowly();
    let before = tree(&world.old_place());
    let (newhold, away) = (world.at("drives/newhold"), world.at("drives/unplugged"));
    fs::rename(&newhold, &away).unwrap();
    let shown = screen.wait_for("is unfinished");
    assert!(shown.contains("Every original is complete"), "{shown}");
    assert!(shown.contains("newhold"), "it is said which drive: {shown}");
    // To go on without it says so again, and changes nothing.
    screen.keys(&["y"]);
    screen.wait_for("newhold");
    assert_eq!(tree(&world.old_place()), before);
    assert!(world.judge("Saltflat Rally").content());
    if newhold.exists() {
        fs::remove_dir_all(&newhold).unwrap();
    }
    fs::rename(&away, &newhold).unwrap();
    screen.keys(&["y"]);
    screen.wait_for("of originals are kept");
    assert_eq!(tree(&world.new_place()), before);
    assert!(world.judge("Saltflat Rally").content());
}
