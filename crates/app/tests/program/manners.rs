//! Manners of a terminal program: completions that know the games, manual pages, a settings file to begin with.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

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
}

/// What a shell offers after it has read its completions, one to a line; `None` if that shell is not there.
fn asked(world: &World, shell: &str, script: &str) -> Option<Vec<String>> {
    let path = Path::new(PROGRAM).parent().unwrap().to_string_lossy().into_owned();
    let path = format!("{path}:{}", std::env::var("PATH").unwrap());
    let output = Command::new(shell)
        .args(["-c", script])
        .env("PATH", path)
        .env("HOME", world.at("home"))
        .env_remove("XDG_STATE_HOME")
        .env_remove("XDG_CONFIG_HOME")
        .output();
    let Ok(output) = output else {
        eprintln!("\n!!! NOT RUN: what {shell} makes of its completions !!!\n");
        return None;
    };
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success() && said.is_empty(), "{shell}: {said}");
    Some(String::from_utf8_lossy(&output.stdout).lines().map(str::to_string).collect())
}

#[test]
fn each_shell_offers_games_and_drives_in_its_own_spelling() {
    let world = World::new();
    world.expect(&["survey"], 0);
    let files: Vec<String> = ["bash", "zsh", "fish"]
        .map(|shell| {
            let file = world.at(&format!("completions.{shell}"));
            fs::write(&file, world.expect(&["completions", shell], 0)).unwrap();
            file.to_string_lossy().into_owned()
        })
        .into();
    // Bash: what is set for a word that is being completed; a title is one word, whatever is in it.
    let bash = |words: &str, at: usize, word: &str| {
        let script = format!(
            "source '{}'; COMP_WORDS=({words}); COMP_CWORD={at}; COMP_TYPE=9; \
             $(complete -p deft-barge | sed 's/.*-F \\([^ ]*\\).*/\\1/') deft-barge '{word}' x 2>/dev/null; \
             printf '%s\\n' \"${{COMPREPLY[@]}}\"",
            files[0]
        );
        asked(&world, "bash", &script)
    };
    if let Some(offered) = bash("deft-barge plan Salt", 2, "Salt") {
        assert_eq!(offered, ["Saltflat\\ Rally"]);
        assert_eq!(bash("deft-barge plan Saltflat\\\\\\ R", 2, "Saltflat\\ R").unwrap(), ["Saltflat\\ Rally"]);
        assert_eq!(bash("deft-barge plan '\"Salt'", 2, "Salt").unwrap(), ["Saltflat Rally"], "within quotes");
        assert_eq!(bash("deft-barge plan Moss --to n", 4, "n").unwrap(), ["newhold"]);
    }
    // Zsh: its own function that lists is replaced, so that it can be asked without a terminal.
    let zsh = format!(
        "compdef() {{ true }}; _describe() {{ local last=${{@[-1]}}; print -l -- ${{(P)last}} }}; source '{}'; \
         words=(deft-barge plan Salt); CURRENT=3; _clap_dynamic_completer_deft_barge",
        files[1]
    );
    if let Some(offered) = asked(&world, "zsh", &zsh) {
        assert_eq!(offered.iter().map(|line| line.split(':').next().unwrap()).collect::<Vec<_>>(), ["Saltflat Rally"]);
    }
    let fish =
        format!("source '{}'; complete -C 'deft-barge plan Salt'; complete -C 'deft-barge plan Moss --to n'", files[2]);
    if let Some(offered) = asked(&world, "fish", &fish) {
        let words: Vec<&str> = offered.iter().map(|line| line.split('\t').next().unwrap()).collect();
        assert_eq!(words, ["Saltflat Rally", "newhold"]);
    }
    // PowerShell is not there to be asked where this is tested: it is offered titles in quotes, and the title itself only to be read.
    let script = world.expect(&["completions", "powershell"], 0);
    assert!(
        script.contains("EscapeSingleQuotedStringContent($cmd)") && script.contains("::new($word, $cmd,"),
        "{script}"
    );
    assert!(!script.contains("::new($cmd,"), "{script}");
}

#[test]
fn traces_go_into_a_file_where_they_are_asked_for_and_never_onto_the_screen() {
    let world = World::new();
    let file = world.at("home/.local/state/deft-barge/diagnostics.log");
    world.expect(&["survey"], 0);
    assert!(!file.exists(), "nothing is written that was not asked for");
    let run = |level: &str, words: &[&str]| world.command(words).env("DEFT_BARGE_LOG", level).output().unwrap();
    let said = run("info", &["haul", "pale signal", "--to", "newhold", "--yes", "--json"]);
    assert!(said.status.success());
    serde_json::from_slice::<serde_json::Value>(&said.stdout).expect("a document and nothing else");
    let text = fs::read_to_string(&file).unwrap();
    for part in ["INFO", "surveyed games=", "stage=\"records-updated\"", "proved", "title=\"Pale Signal\""] {
        assert!(text.contains(part), "{part}\n{text}");
    }
    assert!(!text.contains('\u{1b}') && !text.contains("TRACE"), "{text}");
    run("deft_barge_core::disk=trace", &["undo", "--yes"]);
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains("TRACE") && text.contains("act=Remove"), "it goes on in the same file");
    for level in ["deft_barge=loud", "loud", "info,loud"] {
        let wrong = run(level, &["survey"]);
        let said = String::from_utf8_lossy(&wrong.stderr);
        assert!(wrong.status.code() == Some(2) && said.contains("says no levels"), "{level}: {said}");
    }
}

#[test]
fn into_a_pipe_goes_plain_text_and_no_progress() {
    let world = World::new();
    for (name, value) in [("NO_COLOR", "1"), ("TERM", "xterm-256color")] {
        for words in [&["survey"][..], &["plan", "saltflat", "--to", "newhold"], &["--help"], &["log"], &["cleanup"]] {
            let output = world.command(words).env(name, value).output().unwrap();
            let said = [output.stdout, output.stderr].concat();
            assert!(!said.contains(&0x1b) && !said.contains(&b'\r'), "{words:?} with {name}");
        }
    }
    let output = world.command(&["survey"]).output().unwrap();
    assert!(output.stderr.is_empty(), "{}", String::from_utf8_lossy(&output.stderr));
    // A reader that has had enough ends it, with nothing said of it.
    let line = format!("'{PROGRAM}' --world '{}' survey | head -n 1", world.folder().display());
    let output = Command::new("bash").args(["-o", "pipefail", "-c", &line]).output().unwrap();
    assert!(output.stderr.is_empty(), "{}", String::from_utf8_lossy(&output.stderr));
}

/// Where the output goes can be full, or closed before its end: the work is done all the same, and what can't be said is no crash.
#[test]
fn output_that_nobody_takes_stops_no_work_and_ends_with_an_exit_code_of_ours() {
    let full = || Stdio::from(fs::File::options().write(true).open("/dev/full").unwrap());
    // A reader that is gone by the time of the first word.
    let gone = || {
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        Stdio::from(writer)
    };
    type Place<'p> = &'p dyn Fn() -> Stdio;
    let places: [(Place<'_>, Place<'_>); 5] =
        [(&full, &Stdio::null), (&Stdio::null, &full), (&full, &full), (&gone, &gone), (&full, &gone)];
    let all: [&[&str]; 9] = [
        &["survey"],
        &["survey", "--json"],
        &["plan", "saltflat", "--to", "newhold"],
        &["plan", "nothing", "--to", "newhold", "--json"],
        &["haul", "saltflat", "--to", "newhold", "--yes"],
        &["undo", "--yes", "--json"],
        &["log"],
        &["trace", "drives/swift"],
        &["nonsense"],
    ];
    let world = World::new();
    for (out, err) in places {
        for words in all {
            let status = world.command(words).stdout(out()).stderr(err()).status().unwrap();
            assert!(status.code().is_some_and(|code| code < 10), "{words:?}: {status}");
            match words[0] {
                "haul" => assert!(world.new_place().exists(), "{words:?}: {status}"),
                "undo" => assert!(world.old_place().exists() && !world.new_place().exists(), "{words:?}: {status}"),
                _ => {}
            }
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
    assert!(world.expect(&["settings", "check"], 0).contains("exist"));
    world.expect(&["settings", "write"], 0);
    let text = fs::read_to_string(&file).unwrap();
    assert!(text.contains("# mark = [\"space\"]") && text.contains("# theme = \"dark\""), "{text}");
    assert!(world.expect(&["settings", "check"], 0).contains("is OK"));
    assert!(world.expect(&["settings", "write"], 2).contains("exists already"));
    assert_eq!(fs::read_to_string(&file).unwrap(), text);
    fs::write(&file, "bell = true\n[keys]\nmark = \"hyper-x\"\n").unwrap();
    assert!(world.expect(&["settings", "check"], 2).contains("line 3: \"hyper-x\" isn't a key"));
}

#[test]
fn a_journal_is_checked_and_made_small_and_a_damaged_or_newer_one_is_told_and_not_written() {
    let world = World::new();
    assert!(world.expect(&["journal", "check"], 0).contains("No journal yet"));
    world.expect(&["haul", "saltflat", "--to", "newhold", "--yes"], 0);
    let told = world.json(&["journal", "check"], 0);
    let state = &told["journal"];
    assert_eq!(
        (&state["hauls"], &state["items"], state["problems"].as_array().unwrap().len()),
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
    assert!(world.expect(&["journal", "check"], 0).contains("No problems."));
}
