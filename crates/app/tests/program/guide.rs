//! The guide stays true: every command of every errand in `docs/guide.md` is done as it stands, each errand in a fresh world.

use std::process::Command;

use crate::world::{PROGRAM, World};

const GUIDE: &str = include_str!("../../../../docs/guide.md");

/// Words of a command line; quotes hold blanks together.
fn words(line: &str) -> Vec<String> {
    let (mut out, mut word, mut quoted) = (Vec::new(), String::new(), false);
    for c in line.chars() {
        match c {
            '"' => quoted = !quoted,
            ' ' if !quoted => out.extend((!word.is_empty()).then(|| std::mem::take(&mut word))),
            c => word.push(c),
        }
    }
    out.extend((!word.is_empty()).then_some(word));
    out
}

/// The command and the exit code that it should have.
fn command(line: &str) -> Option<(Vec<String>, i32)> {
    let line = line.strip_prefix("    $ deft-barge ")?;
    let (line, code) = line.split_once("# exits ").unwrap_or((line, "0"));
    Some((words(line), code.trim().parse().unwrap()))
}

/// Ends whatever runs in a world.
fn close(world: &World) {
    for process in std::fs::read_dir("/proc").unwrap().flatten() {
        if process.path().join("cwd").read_link().is_ok_and(|place| place.starts_with(world.folder())) {
            Command::new("kill").arg(process.file_name()).status().unwrap();
        }
    }
    std::thread::sleep(std::time::Duration::from_millis(200));
}

#[test]
fn every_errand_of_the_guide_is_done_as_it_stands() {
    let mut done = 0;
    for errand in GUIDE.split("\n## ").skip(1) {
        let world = World::new();
        let title = errand.lines().next().unwrap();
        for (words, code) in errand.lines().filter_map(command) {
            let output = Command::new(PROGRAM)
                .arg("--world")
                .arg(world.folder())
                .args(&words)
                .current_dir(world.folder())
                .stdin(std::process::Stdio::null())
                .output()
                .unwrap();
            let said =
                format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
            assert_eq!(output.status.code(), Some(code), "{title}: {words:?}\n{said}");
            if words[0] == "launch" {
                // The person closes the game again, as the guide says.
                close(&world);
            }
            done += 1;
        }
    }
    assert!(done >= 25, "only {done} commands were found");
}
