//! Manners of a terminal program: completions that know the games, manual pages, a settings file to begin with.

use std::fs;
use std::process::Command;

use crate::world::{PROGRAM, World};

/// What the program offers for the word that is being typed, as a shell asks for it.
fn offered(world: &World, words: &[&str]) -> Vec<String> {
    let output = Command::new(PROGRAM)
        .env("COMPLETE", "bash")
        .env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string())
        .env("_CLAP_IFS", "\n")
        .env("HOME", world.at("home"))
        .env_remove("XDG_STATE_HOME")
        .arg("--")
        .args(words)
        .output()
        .unwrap();
    String::from_utf8_lossy(&output.stdout).lines().map(|line| line.trim_end().to_string()).collect()
}

#[test]
fn completions_offer_commands_and_what_the_last_survey_has_seen() {
    let world = World::new();
    assert!(
        offered(&world, &["deft-barge", "haul", ""]).iter().all(|word| word.starts_with('-')),
        "nothing is known yet"
    );
    world.expect(&["survey"], 0);
    let games = offered(&world, &["deft-barge", "haul", ""]);
    assert!(
        games.contains(&"Saltflat Rally".to_string()) && games.contains(&"Moss & Meridian".to_string()),
        "{games:?}"
    );
    assert_eq!(offered(&world, &["deft-barge", "plan", "Salt"]), ["Saltflat Rally"]);
    let drives = offered(&world, &["deft-barge", "haul", "Saltflat Rally", "--to", ""]);
    assert_eq!(drives, ["swift", "cellar", "pocket", "newhold"]);
    assert_eq!(offered(&world, &["deft-barge", "surv"]), ["survey"]);
    // What a shell gets to know is sound for it.
    for (shell, check) in [("bash", "bash"), ("zsh", "zsh"), ("fish", "fish")] {
        let script = world.expect(&["completions", shell], 0);
        assert!(script.contains("deft-barge") && script.contains("COMPLETE"), "{script}");
        let file = world.at(&format!("completions.{shell}"));
        fs::write(&file, &script).unwrap();
        match Command::new(check).arg("-n").arg(&file).status() {
            Ok(status) => assert!(status.success(), "{shell} does not read it:\n{script}"),
            Err(_) => eprintln!("\n!!! NOT RUN: what {shell} makes of its completions !!!\n"),
        }
    }
}

#[test]
fn the_manual_has_a_page_for_every_command_made_of_what_help_says() {
    let world = World::new();
    let page = world.expect(&["man"], 0);
    assert!(page.contains(".TH deft-barge 1") && page.contains("deft\\-barge release"), "{page}");
    let folder = world.at("man");
    world.expect(&["man", "--dir", &folder.to_string_lossy()], 0);
    let help = world.expect(&["--help"], 0);
    assert!(help.contains("Examples:") && help.contains("source <(deft-barge completions bash)"), "{help}");
    let named = help.lines().skip_while(|line| *line != "Commands:").skip(1).take_while(|line| !line.is_empty());
    let commands: Vec<&str> = named
        .filter(|line| line.starts_with("  ") && !line.starts_with("   "))
        .map(|line| line.split_whitespace().next().unwrap())
        .collect();
    assert!(commands.len() > 20, "{commands:?}");
    for command in commands.iter().filter(|command| **command != "help") {
        let page = folder.join(format!("deft-barge-{command}.1"));
        assert!(page.is_file(), "{}", page.display());
    }
}

#[test]
fn a_settings_file_is_written_on_request_and_checked_with_line_numbers() {
    let world = World::new();
    let file = world.at("home/.config/deft-barge/settings.toml");
    assert!(world.expect(&["settings", "check"], 0).contains("is not there"));
    world.expect(&["settings", "write"], 0);
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains("# mark = [\"space\"]") && text.contains("# theme = \"dark\""), "{text}");
    assert!(world.expect(&["settings", "check"], 0).contains("is sound"));
    assert!(world.expect(&["settings", "write"], 2).contains("is there already"));
    assert_eq!(fs::read_to_string(&file).unwrap(), text);
    fs::write(&file, "bell = true\n[keys]\nmark = \"hyper-x\"\n").unwrap();
    assert!(world.expect(&["settings", "check"], 2).contains("line 3: \"hyper-x\" is no key"));
}

#[test]
fn a_journal_is_checked_and_made_small_and_a_damaged_or_newer_one_is_told_and_not_written() {
    let world = World::new();
    assert!(world.expect(&["journal", "check"], 0).contains("no journal yet"));
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let told = world.json(&["journal", "check"], 0);
    let state = &told["journal"];
    assert_eq!(
        (&state["hauls"], &state["lots"], state["problems"].as_array().unwrap().len()),
        (&1.into(), &1.into(), 0)
    );
    assert!(state["entries"].as_u64().unwrap() > 50, "{state}");
    let log = world.json(&["log"], 0);
    let sizes = world.json(&["journal", "compact"], 0);
    assert!(sizes["after"].as_u64().unwrap() > 0, "{sizes}");
    assert_eq!(world.json(&["log"], 0), log, "no row is another one");
    let file = world.at("home/.local/state/deft-barge/journal.db");
    let whole = fs::read(&file).unwrap();
    // A page in the middle is another one; a row says nothing that a row can say; a later program has made it.
    let middle = whole.len() / 2 / 4096 * 4096;
    let mut torn = whole.clone();
    torn[middle..middle + 4096].fill(0xa5);
    let edited = |sql: &str| {
        let db = rusqlite::Connection::open(&file).unwrap();
        db.execute_batch(sql).unwrap();
        db.query_row("pragma wal_checkpoint(truncate)", [], |_| Ok(())).unwrap();
        drop(db);
        let bytes = fs::read(&file).unwrap();
        fs::write(&file, &whole).unwrap();
        bytes
    };
    let odd = edited("update lot set stage = '{}'");
    let newer = edited("pragma user_version = 99");
    for (what, bytes) in
        [("torn", torn), ("odd", odd), ("newer", newer), ("no database", b"not a database at all".repeat(300))]
    {
        fs::write(&file, &bytes).unwrap();
        let output = world.run(&["journal", "check"]);
        let said = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert!(matches!(output.status.code(), Some(3 | 4)), "{what}: {said}");
        assert!(said.contains("problem") || said.contains("journal.db"), "{what}: {said}");
        if what != "torn" {
            // A torn page may hold nothing that a haul reads; all others refuse one.
            let refused = world.run(&["haul", "moss", "--to", "newhold", "--yes"]);
            assert_eq!(refused.status.code(), Some(3), "{what}: {}", String::from_utf8_lossy(&refused.stderr));
        }
        assert!(fs::read(&file).unwrap() == bytes, "{what}: nothing was written");
    }
    fs::write(&file, &whole).unwrap();
    assert!(world.expect(&["journal", "check"], 0).contains("All of it is sound."));
}
