//! Commands as people and scripts give them: what they do, say, and exit with.

mod busy;

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

use crate::screen::Screen;
use crate::world::{PROGRAM, World, tree};

/// The one of a list that has this id.
fn one<'a>(list: &'a serde_json::Value, id: &str) -> &'a serde_json::Value {
    list.as_array().unwrap().iter().find(|entry| entry["id"] == id).unwrap()
}

#[test]
fn a_haul_goes_from_survey_to_release_and_back() {
    let world = World::new();
    let before = world.all();
    let game = tree(&world.old_place());
    let survey = world.json(&["survey"], 0);
    assert_eq!(survey["drives"].as_array().unwrap().len(), 4);
    assert_eq!(survey["games"].as_array().unwrap().len(), 18);
    assert_eq!(
        (&one(&survey["games"], "quillgate/qg-0107")["title"], &one(&survey["games"], "quillgate/qg-0107")["own_id"]),
        (&"Saltflat Rally".into(), &"qg-0107".into())
    );
    assert!(one(&survey["launchers"], "quillgate")["libraries"][0]["default"].as_bool().unwrap());
    let plan = world.json(&["plan", "saltflat", "--to", "newhold"], 0);
    assert_eq!(plan["items"][0]["mode"], "copy");
    assert_eq!(world.all(), before, "looking and planning write nothing");

    let haul = world.json(&["haul", "saltflat", "--to", "4"], 0);
    assert_eq!(haul["items"][0]["stage"]["stage"], "proved");
    assert_eq!(haul["items"][0]["proof"]["to_download"], 0);
    assert_eq!((tree(&world.old_place()), tree(&world.new_place())), (game.clone(), game.clone()));
    assert!(world.judge("Saltflat Rally").content());
    let held = world.json(&["survey"], 0)["kept"].clone();
    assert_eq!(held[0]["title"], "Saltflat Rally");
    world.expect(&["verify", "saltflat"], 0);

    let released = world.json(&["release"], 0);
    assert!(released["bytes"].as_u64().unwrap() > 1_000_000);
    assert!(!world.old_place().exists());
    assert!(world.judge("Saltflat Rally").content());
    let back = world.expect(&["undo", "1"], 0);
    assert!(back.contains("Haul 1 is undone"), "{back}");
    assert_eq!(tree(&world.old_place()), game);
    assert!(world.judge("Saltflat Rally").content());
    assert!(world.all() == before, "everything is as it was, to the byte");
    let log = world.json(&["log"], 0);
    assert_eq!(log["hauls"].as_array().unwrap().len(), 2);
    assert_eq!(log["hauls"][1]["items"][0]["stage"]["stage"], "undone");
}

#[test]
fn a_rename_on_one_drive_copies_nothing_and_is_proved() {
    let world = World::new();
    let second = world.at("drives/swift/second");
    fs::create_dir(&second).unwrap();
    fs::write(second.join("ledger.json"), "{ \"ledger\": 3, \"titles\": [] }").unwrap();
    let room = format!("\"rooms\": [ {{ \"folder\": {second:?} }},");
    world.replace_in("home/.config/quillgate/rooms.json", "\"rooms\": [", &room);
    let game = tree(&world.old_place());
    let haul = world.json(&["haul", "saltflat", "--to", second.to_str().unwrap()], 0);
    assert_eq!(haul["items"][0]["planned"]["mode"], "rename");
    assert_eq!(tree(&second.join("saltflat-rally")), game);
    assert!(world.judge("Saltflat Rally").content());
    world.expect(&["undo"], 0);
    assert_eq!(tree(&world.old_place()), game);
    assert!(world.judge("Saltflat Rally").content());
}

#[test]
fn what_stands_in_the_way_is_refused_with_nothing_changed() {
    let world = World::new();
    let before = world.all();
    // Links and names that a stick cannot hold; a sealed game; a game that is there already; a waiting update.
    let cannot = world.json(&["plan", "saltflat", "--to", "pocket"], 3);
    let kinds: Vec<&str> = cannot["findings"].as_array().unwrap().iter().map(|f| f["kind"].as_str().unwrap()).collect();
    assert!(kinds.contains(&"cannot-hold") && cannot["stopped"].as_bool().unwrap(), "{kinds:?}");
    assert!(world.expect(&["haul", "copper", "--to", "newhold", "--yes"], 3).contains("it is locked"));
    world.expect(&["haul", "saltflat", "--to", "swift", "--yes"], 3);
    assert!(world.expect(&["haul", "orchard", "--to", "newhold"], 3).contains("accept them with --yes"));
    world.expect(&["haul", "no such game", "--to", "newhold"], 2);
    world.expect(&["haul", "saltflat", "--to", "no such drive"], 2);
    world.expect(&["haul", "saltflat"], 2);
    world.expect(&["resume"], 2);
    world.expect(&["release"], 2);
    assert_eq!(world.all(), before);
    world.expect(&["haul", "orchard", "--to", "newhold", "--yes"], 0);
    assert!(world.judge("Orchard of Nine Bells").content());
}

#[test]
fn room_is_counted_with_the_reserve() {
    let world = World::new();
    let toml = fs::read_to_string(world.at("world.toml")).unwrap();
    let at = toml.find("\"newhold\"").unwrap();
    let capacity = toml[at..].find("capacity = ").unwrap() + at;
    let end = toml[capacity..].find('\n').unwrap() + capacity;
    fs::write(world.at("world.toml"), format!("{}capacity = 2500000{}", &toml[..capacity], &toml[end..])).unwrap();
    let refused = world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 3);
    assert!(refused.contains("newhold needs"), "{refused}");
    assert!(!world.new_place().exists());
}

#[test]
fn an_unreadable_block_leaves_originals_and_records_and_can_be_returned() {
    let world = World::new();
    let before = world.all();
    let failed = world.expect(&["haul", "brass", "--to", "newhold", "--yes"], 1);
    assert!(failed.contains("pack01.bin, bytes 98304 to 106496"), "{failed}");
    assert!(world.expect(&["log"], 0).contains("unread  data/pack01.bin, bytes 98304 to 106496"));
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 3);
    assert!(world.expect(&["survey"], 0).contains("haul 1 is unfinished: Brass Herons copying"));
    world.expect(&["undo"], 0);
    assert_eq!(world.all(), before);
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
}

#[test]
fn a_game_that_cannot_be_read_is_given_up_and_the_others_of_its_haul_stay_moved() {
    let world = World::new();
    let brass = tree(&world.at("drives/cellar/quillgate/brass-herons"));
    world.expect(&["haul", "brass", "saltflat", "--to", "newhold", "--yes"], 1);
    assert!(world.judge("Saltflat Rally").content() && world.new_place().exists(), "the rest of the haul goes on");
    let given_up = world.json(&["undo", "--rest"], 0);
    assert_eq!(given_up["cancelled"][0], "Brass Herons");
    assert!(world.new_place().exists() && !world.at("drives/newhold/quillgate/brass-herons").exists());
    assert!(tree(&world.at("drives/cellar/quillgate/brass-herons")) == brass);
    assert!(world.judge("Brass Herons").content());
    world.expect(&["undo", "--rest"], 2);
    world.expect(&["release"], 0);
    assert!(world.judge("Saltflat Rally").content() && !world.old_place().exists());
}

#[test]
fn a_changed_byte_in_the_copy_is_a_difference() {
    let world = World::new();
    world.expect(&["haul", "saltflat", "--to", "newhold"], 0);
    let pack = world.new_place().join("data/pack00.bin");
    let mut bytes = fs::read(&pack).unwrap();
    bytes[1000] ^= 1;
    fs::write(&pack, bytes).unwrap();
    let proof = world.json(&["verify"], 4);
    assert_eq!(proof["proofs"][0]["proof"]["differences"][0]["path"], "data/pack00.bin");
    assert!(!world.judge("Saltflat Rally").content());
    world.expect(&["release"], 3);
    assert!(world.old_place().exists());
    // The changed file of the copy is nobody's original: it stays where it is, and is said.
    world.expect(&["undo"], 0);
    assert!(world.judge("Saltflat Rally").content());
    let left = world.at("drives/newhold/quillgate/saltflat-rally.left-by-haul-2/data/pack00.bin");
    assert!(!pack.exists() && left.exists(), "out of the way of the next haul");
    world.expect(&["haul", "saltflat", "--to", "newhold"], 0);
}

#[test]
fn broken_files_are_named_with_their_line_and_the_rest_of_the_survey_works() {
    let world = World::new();
    fs::write(world.at("home/.config/deft-barge/profiles/another.toml"), "format = 1\nid = \n").unwrap();
    fs::write(world.at("drives/cellar/quillgate/ledger.json"), "{\n \"titles\": [,]\n}").unwrap();
    let survey = world.json(&["survey"], 0);
    assert_eq!(survey["games"].as_array().unwrap().len(), 15);
    let profile = &survey["problems"][0];
    assert!(profile["file"].as_str().unwrap().ends_with("another.toml") && profile["line"] == 2, "{profile}");
    let ledger = &one(&survey["launchers"], "quillgate")["problems"][0];
    assert!(
        ledger["file"].as_str().unwrap().ends_with("cellar/quillgate/ledger.json") && ledger["line"] == 2,
        "{ledger}"
    );
    world.expect(&["haul", "saltflat", "--to", "newhold"], 0);

    let state = world.at("home/.local/state/deft-barge/journal.db");
    for file in [state.clone(), state.with_extension("db-wal"), state.with_extension("db-shm")] {
        let _ = fs::remove_file(file);
    }
    fs::write(&state, "this is no database, and was never one; it is long enough to be looked at").unwrap();
    let before = world.all();
    let out = world.expect(&["survey"], 3);
    assert!(out.contains("Lantern Cartographers") && out.contains("journal.db"), "{out}");
    world.expect(&["haul", "lantern", "--to", "newhold", "--yes"], 3);
    assert_eq!(world.all(), before);

    fs::write(world.at("world.toml"), "format = 1\nhome = 3\n").unwrap();
    let out = world.expect(&["survey"], 2);
    assert!(out.contains("world.toml") && out.contains("line 2"), "{out}");
}

#[test]
fn a_manifest_that_points_at_the_wrong_place_is_a_stop() {
    for (folder, said) in [
        ("/", ""),
        (".", "drive's top folder"),
        ("..", ".."),
        ("../../../home", ".."),
        ("gone", "doesn't exist"),
        ("out", "points to"),
    ] {
        let world = World::new();
        std::os::unix::fs::symlink(world.at("home"), world.at("drives/swift/quillgate/out")).unwrap();
        world.replace_in(
            "drives/swift/quillgate/ledger.json",
            "\"folder\": \"saltflat-rally\"",
            &format!("\"folder\": {folder:?}"),
        );
        let before = world.all();
        let out = world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 3);
        assert!(out.contains("can't be its folder") && out.contains(said), "{folder}: {out}");
        assert_eq!(world.all(), before, "{folder}");
    }
}

#[test]
fn escape_sequences_in_a_title_never_reach_the_terminal() {
    let world = World::new();
    world.replace_in("drives/swift/quillgate/ledger.json", "Saltflat Rally", r"Salt\u001b[2Jflat\u009b31m\u0007");
    for words in
        [&["survey"][..], &["plan", "qg-0107", "--to", "newhold"], &["haul", "qg-0107", "--to", "newhold"], &["log"]]
    {
        let output = world.run(words);
        let all = [output.stdout, output.stderr].concat();
        let text = String::from_utf8(all).unwrap();
        assert!(text.contains("Salt␛[2Jflat"), "{words:?}: {text}");
        assert!(!text.contains(['\u{1b}', '\u{9b}', '\u{7}']), "{words:?}");
    }
}

#[test]
fn one_program_at_a_time_and_a_world_that_is_not_there() {
    let world = World::new();
    world.expect(&["log"], 0);
    fs::create_dir_all(world.at("home/.local/state/deft-barge")).unwrap();
    let lock = fs::File::create(world.at("home/.local/state/deft-barge/lock")).unwrap();
    lock.lock().unwrap();
    assert!(world.expect(&["haul", "saltflat", "--to", "newhold"], 3).contains("nother Deft Barge"));
    drop(lock);
    let output = Command::new(PROGRAM).args(["--world", "/no/such/world", "survey"]).output().unwrap();
    assert_eq!(output.status.code(), Some(2));
    let output = Command::new(PROGRAM).arg("--world").arg(world.folder()).stdin(Stdio::null()).output().unwrap();
    assert_eq!(output.status.code(), Some(2), "the interface needs a terminal");
}

#[test]
fn the_demo_without_a_terminal_ends_well() {
    let _turn = World::new();
    let folder = tempfile::tempdir().unwrap();
    let output = Command::new(PROGRAM)
        .args(["demo", "--unattended", "--json", "--dir"])
        .arg(folder.path().join("w"))
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    let summary: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(summary["to_download"], 0);
    let output = Command::new(PROGRAM).args(["demo", "--unattended", "--dir"]).arg(folder.path()).output().unwrap();
    assert_eq!(output.status.code(), Some(2), "a folder that is no world is left alone");
    assert!(folder.path().join("w").exists());
    // It explains itself in five lines, and what they say can be copied, whatever the folder is called.
    let place = folder.path().join("my world's");
    std::fs::rename(folder.path().join("w"), &place).unwrap();
    let output = Command::new(PROGRAM).arg("demo").arg("--dir").arg(&place).stdin(Stdio::null()).output().unwrap();
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    assert_eq!((output.status.code(), text.lines().count()), (Some(0), 5), "{text}");
    let open = text.lines().find_map(|line| line.trim().strip_prefix("open it again")).unwrap().trim();
    let words = open.replacen("deft-barge", PROGRAM, 1) + " survey --json";
    let output = Command::new("sh").arg("-c").arg(&words).output().unwrap();
    assert_eq!(output.status.code(), Some(0), "{words}");
}

#[test]
fn a_path_is_traced_checked_and_moved_from_the_command_line() {
    let world = World::new();
    let game = world.at("drives/swift/lamp/pale-signal");
    let path = game.to_str().unwrap();
    let before = world.all();
    let out = world.expect(&["trace", path], 0);
    assert!(out.contains("lamp.db") && out.contains("$['program']") && out.contains("certain"), "{out}");
    assert!(out.contains("\n  1  "), "places have numbers: {out}");
    let trace = world.json(&["trace", path, "--in", world.at("home").to_str().unwrap()], 0);
    assert!(trace["finds"].as_array().unwrap().len() >= 3, "{trace}");
    assert_eq!(world.all(), before, "looking writes nothing");
    world.expect(&["trace", path, "--in", "/no/such/folder"], 2);

    let check = world.json(&["profile", "check", "--rehearse"], 0);
    assert_eq!(check["sound"], true);
    let rehearsals: Vec<&serde_json::Value> =
        check["profiles"].as_array().unwrap().iter().map(|profile| &profile["rehearsal"]).collect();
    assert!(rehearsals.iter().all(|one| one["doubt"].is_null() && one["moves"].as_u64() > Some(0)), "{check}");
    let profile = world.at("home/.config/deft-barge/profiles/parlour-lamp.toml");
    let text = fs::read_to_string(&profile).unwrap();
    fs::write(&profile, text.replace("$.program", "$.start")).unwrap();
    let out = world.expect(&["profile", "check", "parlour-lamp"], 4);
    assert!(out.contains("WRONG") && out.contains("no entry has it"), "{out}");
    world.expect(&["profile", "check", "no-such-profile"], 2);
    // One that is there and can't be read is told as that, with its line.
    let broken = world.at("home/.config/deft-barge/profiles/kite.toml");
    fs::write(&broken, "format = 1\nid = \"kite\"\nname =\n").unwrap();
    let told = world.expect(&["profile", "check", "kite"], 2);
    assert!(told.contains("kite.toml") && told.contains("line 3") && !told.contains("no profile"), "{told}");
    fs::remove_file(broken).unwrap();

    let told = world.expect(&["haul", "--traced", path, "--to", "newhold", "--yes"], 2);
    assert!(told.contains("Leave out --traced"), "{told}");
    // A game may be named by its folder.
    let plan = world.json(&["plan", path, "--to", "newhold"], 0);
    assert_eq!(plan["items"][0]["title"], "Pale Signal", "{plan}");
    // So may one that two launchers list in the same folder.
    let twin = world.at("home/.config/deft-barge/profiles/twin.toml");
    fs::write(&twin, text.replace("id = \"parlour-lamp\"", "id = \"twin\"")).unwrap();
    let plan = world.json(&["plan", path, "--to", "newhold"], 0);
    assert_eq!(plan["items"].as_array().unwrap().len(), 1, "{plan}");
    fs::remove_file(twin).unwrap();
    fs::remove_file(&profile).unwrap();
    let told = world.expect(&["plan", "--traced", path, "--to", "newhold", "--leave", "999"], 2);
    assert!(told.contains("No place has the number 999") && told.contains("deft-barge trace"), "{told}");
    let told = world.expect(&["plan", "--traced", path, "--to", "newhold", "--leave", "1"], 0);
    assert!(told.contains("that you chose to leave"), "{told}");
    world.expect(&["plan", "pale", "--to", "newhold", "--leave", "1"], 2);
    world.expect(&["haul", "--traced", path, "--to", "newhold", "--yes"], 0);
    let home = world.at("home/.local/share/parlour-lamp");
    let check = ["stand-in", "parlour-lamp", "--home", home.to_str().unwrap(), "check", "pale-signal"];
    assert!(Command::new(PROGRAM).args(check).status().unwrap().success());
    world.expect(&["undo"], 0);
    assert!(Command::new(PROGRAM).args(check).status().unwrap().success());
    assert!(game.is_dir());
}

#[test]
fn launchers_are_learned_from_the_command_line_and_their_games_move_and_come_back() {
    let world = World::new();
    let profiles = world.at("home/.config/deft-barge/profiles");
    // All are known: nothing is written.
    let before = world.all();
    let out = world.expect(&["learn", world.at("drives/swift/ninepin").to_str().unwrap()], 0);
    assert!(out.contains("Ninepin: 2 games, known already"), "{out}");
    assert_eq!(world.all(), before, "nothing was to be learned");
    for profile in fs::read_dir(&profiles).unwrap().flatten() {
        fs::remove_file(profile.path()).unwrap();
    }
    world.expect(&["learn", "/no/such/folder"], 2);
    let one = world.json(&["learn", "--yes", world.at("drives/swift/tolliver/gull-parliament").to_str().unwrap()], 0);
    assert_eq!(one["launchers"].as_array().unwrap().len(), 1, "{one}");
    assert_eq!(
        (&one["launchers"][0]["id"], &one["launchers"][0]["doubt"]),
        (&"tolliver".into(), &serde_json::Value::Null),
        "{one}"
    );
    assert!(one["launchers"][0]["saved"].as_str().unwrap().ends_with("profiles/tolliver.toml"), "{one}");
    // One of them has a single game so far, of which nothing can be learned.
    let out = world.expect(&["learn", "--yes"], 4);
    for word in [
        "Wickerbox: 1 game on pocket",
        // It keeps its lists with its games.
        "Quillgate: 8 games on cellar, pocket and swift",
        "Ninepin: 2 games on cellar and swift",
        "moves rehearsed and undone",
        "none left behind",
        "saved as",
        "Tolliver: 2 games, known",
    ] {
        assert!(out.contains(word), "{word}\n{out}");
    }
    assert_eq!(world.json(&["profile", "check"], 0)["sound"], true);
    let again = world.all();
    world.expect(&["learn"], 4);
    assert_eq!(world.all(), again, "a profile that is there is not written again");
    for (title, launcher, id, home) in [
        ("Gull Parliament", "tolliver", "tv-11", "home/.config/tolliver"),
        ("Underhill Threshers", "ninepin", "np-08", "home/.config/ninepin"),
        ("Saltflat Rally", "quillgate", "qg-0107", "home/.config/quillgate"),
        ("Pale Signal", "parlour-lamp", "pale-signal", "home/.local/share/parlour-lamp"),
    ] {
        let home = world.at(home);
        let check = ["stand-in", launcher, "--home", home.to_str().unwrap(), "check", id];
        world.expect(&["haul", title, "--to", "newhold", "--yes", "--make-letters"], 0);
        assert!(Command::new(PROGRAM).args(check).status().unwrap().success(), "{title}");
        world.expect(&["undo"], 0);
        assert!(Command::new(PROGRAM).args(check).status().unwrap().success(), "{title}, undone");
    }
}

#[test]
fn a_library_is_made_and_chosen_and_both_are_returned() {
    let world = World::new();
    world.expect(&["library", "new", "Tolliver", "newhold"], 0);
    world.expect(&["library", "default", "tolliver", "newhold"], 0);
    let survey = world.json(&["survey"], 0);
    let libraries = one(&survey["launchers"], "tolliver")["libraries"].as_array().unwrap().clone();
    assert!(libraries.iter().any(|l| l["drive"] == "newhold" && l["default"] == true), "{libraries:?}");
    world.expect(&["library", "default", "tolliver", "newhold"], 3);
    world.expect(&["library", "new", "nobody", "newhold"], 2);
    world.expect(&["undo", "2"], 0);
    world.expect(&["undo", "1"], 0);
    assert!(!world.at("drives/newhold/tolliver").exists());
}

#[test]
fn drawings_go_into_files_that_are_not_overwritten_unless_that_is_told() {
    let world = World::new();
    let out = |name: &str| world.at(name).to_string_lossy().into_owned();
    assert!(world.expect(&["chart", "rate", "--out", &out("rate.svg")], 2).contains("No hauls yet"));
    world.expect(&["haul", "moss", "--to", "newhold", "--yes"], 0);
    assert!(
        world.expect(&["chart", "timeline", "9", "--out", &out("rate.svg")], 2).contains("No haul has the number 9")
    );
    for (what, name) in [
        (&["chart", "timeline"][..], "timeline.svg"),
        (&["chart", "rate", "1"], "rate.pdf"),
        (&["chart", "drives"], "drives.svg"),
        (&["chart", "plan", "saltflat", "--to", "newhold"], "plan.pdf"),
        (&["chart", "loads", "saltflat", "--to", "newhold"], "loads.svg"),
        (&["chart", "order", "saltflat", "--to", "newhold"], "order.pdf"),
        (&["chart", "games", "1"], "games.svg"),
        (&["chart", "history"], "history.pdf"),
    ] {
        let file = out(name);
        let words = [what, &["--out", &file]].concat();
        assert!(world.expect(&words, 0).contains(&file), "{name}");
        let bytes = fs::read(&file).unwrap();
        let sound = if name.ends_with("pdf") { bytes.starts_with(b"%PDF-") } else { bytes.starts_with(b"<svg") };
        assert!(sound, "{name}");
        assert!(world.expect(&words, 2).contains("exists already"));
        world.expect(&[&words[..], &["--overwrite"]].concat(), 0);
    }
    assert!(world.expect(&["chart", "drives", "--out", &out("drives.png")], 2).contains(".svg or .pdf"));
    world.expect(&["chart", "games", "nowhere", "--out", &out("none.svg")], 2);
    assert!(!world.at("none.svg").exists() && !world.new_place().exists(), "nothing was hauled");
    // The text of a PDF is text, in a font that is embedded.
    if std::process::Command::new("pdftotext").arg("-v").output().is_err() {
        eprintln!("\n!!! NOT RUN: what poppler reads in a PDF needs poppler-utils !!!\n");
        return;
    }
    let read = |program: &str, words: &[&str]| {
        let output = std::process::Command::new(program).args(words).output().unwrap();
        String::from_utf8_lossy(&output.stdout).into_owned()
    };
    let text = read("pdftotext", &["-layout", &out("plan.pdf"), "-"]);
    for word in ["Load plan: 1 item", "Saltflat Rally", "swift > newhold", "after this haul"] {
        assert!(text.contains(word), "{word}\n{text}");
    }
    let fonts = read("pdffonts", &[&out("plan.pdf")]);
    assert!(
        fonts.lines().filter(|line| line.contains("DejaVuSans") && line.contains("yes yes")).count() == 2,
        "{fonts}"
    );
}

#[test]
fn progress_keeps_to_one_line_however_narrow_the_terminal_is() {
    let world = World::new();
    for columns in [30, 90] {
        let words = "haul 'Saltflat Rally' --to newhold --yes --limit 1";
        let Some(screen) = Screen::run("", &world, words, columns, 16) else { return };
        let shown = screen.wait_until(|shown| shown.contains("% Saltflat"));
        assert_eq!(shown.matches("% Saltflat").count(), 1, "{shown}");
        screen.wait_for("left with 0");
        let all = screen.tmux(&["capture-pane", "-p", "-S", "-500"]);
        let all = String::from_utf8_lossy(&all.stdout).into_owned();
        assert!(!all.contains("% Saltflat") && all.contains("is being "), "{all}");
        world.expect(&["undo", "--yes"], 0);
    }
}

#[test]
fn documents_are_asked_for_and_given_also_where_arguments_are_wrong() {
    let world = World::new();
    let nowhere = world.folder().join("drives/swift/nowhere");
    let nowhere = nowhere.to_str().unwrap();
    let home = world.folder().join("home");
    for words in [
        &["plan", "--nope"][..],
        &["nope"],
        &["settings"],
        &["haul", "--limit", "many"],
        &["trace", nowhere, "--in", home.to_str().unwrap()],
    ] {
        let document = world.json(words, 2);
        assert_eq!((&document["kind"], &document["error"]), (&"error".into(), &"usage".into()), "{words:?}");
        assert!(
            document["what"].as_str().is_some_and(|what| !what.is_empty() && !what.starts_with("error")),
            "{document}"
        );
    }
    assert_eq!(world.json(&["settings", "check"], 0)["there"], false);
    assert_eq!(world.json(&["settings", "write"], 0)["sound"], true);
    // Behind two dashes it is a word like any other.
    let said = world.expect(&["plan", "--nope", "--", "--json"], 2);
    assert!(said.starts_with("error:"), "{said}");
}
