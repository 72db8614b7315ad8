//! The demo, as somebody starts it who has the program alone; and what every command does there.

use std::process::{Command, Stdio};

use deft_barge_harbor::launchers::Launcher;

use crate::world::{PROGRAM, World, tree};

#[test]
fn the_demo_ends_well_without_anybody() {
    let folder = tempfile::tempdir().unwrap();
    let mut command = Command::new(PROGRAM);
    command.args(["demo", "--unattended", "--dir"]).arg(folder.path().join("a world"));
    let output = command.stdin(Stdio::null()).output().unwrap();
    let (out, err) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    assert_eq!(output.status.code(), Some(0), "{out}\n{err}");
    assert!(out.contains("0 B to download") && out.contains("Saltflat Rally is on newhold"), "{out}");
    deft_barge_harbor::world::remove(&folder.path().join("a world")).unwrap();
}

#[test]
fn what_else_a_person_does_works_here_as_well() {
    let world = World::new();
    // A probe wants more room than a small world has.
    let file = world.at("world.toml");
    let text = std::fs::read_to_string(&file).unwrap();
    assert!(text.contains("capacity = 14800000"), "{text}");
    std::fs::write(&file, text.replace("capacity = 14800000", "capacity = 640000000")).unwrap();
    for words in [
        &["probe", "newhold", "--yes"][..],
        &["audit", "Moss & Meridian"],
        &["suggest", "free", "swift", "1MB"],
        &["cleanup"],
        &["learn"],
        &["profile", "check"],
        &["completions", "powershell"],
        &["settings", "write"],
        &["settings", "check"],
        &["log"],
    ] {
        let output = world.run(words);
        let said = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert!(matches!(output.status.code(), Some(0 | 4)), "{words:?}: {:?}\n{said}", output.status.code());
    }
    let place = world.judge(Launcher::Quillgate, "Saltflat Rally").folder;
    let found = world.expect(&["trace", place.to_str().unwrap()], 0);
    assert!(found.contains("recent.json"), "{found}");
    let drawn = world.at("games.svg");
    world.expect(&["chart", "games", "1", "--out", drawn.to_str().unwrap()], 0);
    assert!(drawn.is_file());
}

#[test]
fn a_game_of_every_launcher_moves_and_comes_back_and_its_launcher_is_content() {
    let games = [
        (Launcher::Quillgate, "Saltflat Rally", "newhold"),
        (Launcher::Ninepin, "Hexwood Couriers", "newhold"),
        (Launcher::ParlourLamp, "Pale Signal", "newhold"),
        (Launcher::FathomRow, "The Quiet Foundry", "newhold"),
        (Launcher::Tolliver, "Gull Parliament", "newhold"),
    ];
    let world = World::new();
    let survey = world.json(&["survey"], 0);
    for (launcher, title, drive) in games {
        let before = world.judge(launcher, title);
        assert!(before.content(), "{launcher:?}: {before:?}\n{survey:#}");
        let bytes = tree(&before.folder);
        world.expect(&["haul", title, "--to", drive, "--yes"], 0);
        let moved = world.judge(launcher, title);
        assert!(moved.content() && moved.folder.starts_with(world.at("drives/newhold")), "{moved:?}");
        assert_eq!(tree(&moved.folder).len(), bytes.len(), "{launcher:?}");
        world.expect(&["undo", "--yes"], 0);
        let back = world.judge(launcher, title);
        assert!(back.content(), "{launcher:?}: {back:?}");
        assert_eq!((&back.folder, tree(&back.folder)), (&before.folder, bytes), "{launcher:?}");
    }
}
