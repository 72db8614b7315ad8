//! Launchers that run, and files that are open.

use super::*;

#[test]
fn a_running_launcher_is_seen_and_moving_under_it_would_have_broken_the_game() {
    let world = World::new();
    let mut launcher = started(&world);
    let refused = world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 3);
    assert!(refused.contains(&format!("Quillgate is running (process {})", launcher.id())), "{refused}");
    assert!(one(&world.json(&["survey"], 0)["launchers"], "quillgate")["running"][0]["pid"] == launcher.id());
    // What the launcher would have done to a haul that did not wait: it writes back what it remembers.
    let ledger = world.at("drives/swift/quillgate/ledger.json");
    let remembered = fs::read(&ledger).unwrap();
    fs::write(&ledger, "{ \"ledger\": 3, \"titles\": [] }").unwrap();
    Command::new("kill").arg(launcher.id().to_string()).status().unwrap();
    launcher.wait().unwrap();
    assert_eq!(fs::read(&ledger).unwrap(), remembered);
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
}

/// The stand-in launcher, running.
fn started(world: &World) -> std::process::Child {
    let mut launcher = Command::new(PROGRAM)
        .args(["stand-in", "--home"])
        .arg(world.launcher())
        .arg("run")
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    BufReader::new(launcher.stdout.take().unwrap()).read_line(&mut String::new()).unwrap();
    launcher
}

#[test]
fn a_launcher_that_is_started_under_the_copy_is_waited_for_and_what_it_changes_is_copied() {
    let world = World::new();
    let mut haul = world
        .command(&["haul", "saltflat", "--to", "newhold", "--yes", "--limit", "2"])
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = BufReader::new(haul.stderr.take().unwrap()).lines().map(Result::unwrap);
    assert!(said.any(|line| line.contains("being copied")));
    let mut launcher = started(&world);
    let waits = said.find(|line| line.contains("waiting until")).unwrap();
    assert!(waits.contains("Saltflat Rally"), "{waits}");
    assert_eq!(world.judge("Saltflat Rally").folder, world.old_place(), "no record has changed");
    assert!(!world.new_place().exists(), "nothing stands where a launcher might look");
    // While it is waited for, the launcher adds a file to the game.
    fs::write(world.old_place().join("data/added"), "new").unwrap();
    launcher.kill().unwrap();
    launcher.wait().unwrap();
    let rest: Vec<String> = said.collect();
    assert!(haul.wait().unwrap().success(), "{rest:?}");
    assert_eq!(fs::read(world.new_place().join("data/added")).unwrap(), b"new");
    assert!(world.judge("Saltflat Rally").content());
}

#[test]
fn originals_stay_while_the_launcher_runs_and_while_one_of_them_is_open() {
    let world = World::new();
    world.expect(&["haul", "saltflat", "--to", "newhold"], 0);
    let mut launcher = started(&world);
    let open = fs::File::open(world.old_place().join("data/pack00.bin")).unwrap();
    let mut holder = Command::new("sleep").arg("60").stdin(open).spawn().unwrap();
    let refused = world.expect(&["release"], 3);
    holder.kill().unwrap();
    holder.wait().unwrap();
    assert!(refused.contains("sleep (process"), "{refused}");
    let refused = world.run(&["release"]);
    Command::new("kill").arg(launcher.id().to_string()).status().unwrap();
    launcher.wait().unwrap();
    let told = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(refused.status.code() == Some(3) && told.contains("Quillgate is running"), "{told}");
    assert!(world.old_place().join("bin/start").exists());
    world.expect(&["release"], 0);
    assert!(world.judge("Saltflat Rally").content(), "what it writes back is what the haul wrote");
}

#[test]
fn a_helper_that_would_write_its_values_back_is_a_stop_and_would_have_broken_the_game() {
    let world = World::new();
    let home = world.at("home/.config/fathom-row");
    let mut helper = Command::new(PROGRAM)
        .args(["stand-in", "fathom-row", "--home"])
        .arg(&home)
        .arg("helper")
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    BufReader::new(helper.stdout.take().unwrap()).read_line(&mut String::new()).unwrap();
    let out = world.expect(&["haul", "foundry", "--to", "newhold", "--yes"], 3);
    assert!(out.contains("Fathom Row is running"), "{out}");
    // What it remembers comes back when it ends, and nothing else.
    let hive = home.join("layer/user.reg");
    let text = fs::read_to_string(&hive).unwrap();
    let moved = text.replace("cellar", "elsewhere").replace("dword:00000002", "dword:00000003");
    fs::write(&hive, moved).unwrap();
    Command::new("kill").arg(helper.id().to_string()).status().unwrap();
    helper.wait().unwrap();
    assert_eq!(fs::read_to_string(&hive).unwrap(), text.replace("dword:00000002", "dword:00000003"));
    world.expect(&["haul", "foundry", "--to", "newhold", "--yes"], 0);
    let check = ["stand-in", "fathom-row", "--home", home.to_str().unwrap(), "check", "fr-21"];
    assert!(Command::new(PROGRAM).args(check).status().unwrap().success());
}
