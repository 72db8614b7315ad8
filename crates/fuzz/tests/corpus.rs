//! What is kept in `corpus/` is asked of every law with each test run; the fuzzer adds what it finds.

#![allow(clippy::unwrap_used, reason = "a corpus that cannot be read fails the test")]

use std::path::{Path, PathBuf};

use deft_barge_fuzz::LAWS;

fn kept(name: &str) -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(name);
    let entries = std::fs::read_dir(&folder).unwrap_or_else(|error| panic!("{}: {error}", folder.display()));
    let mut files: Vec<PathBuf> = entries.map(|entry| entry.unwrap().path()).collect();
    files.sort();
    files
}

#[test]
fn laws_hold_of_all_that_is_kept() {
    for (name, law) in LAWS {
        let files = kept(name);
        assert!(files.len() > 3, "{name} has no corpus");
        for file in files {
            let data = std::fs::read(&file).unwrap();
            let held = std::panic::catch_unwind(|| law(&data));
            assert!(held.is_ok(), "{}", file.display());
        }
    }
}

#[test]
fn each_law_has_a_target_and_each_target_a_law() {
    let targets = Path::new(env!("CARGO_MANIFEST_DIR")).join("targets/fuzz_targets");
    let mut there: Vec<String> = std::fs::read_dir(targets)
        .unwrap()
        .map(|entry| entry.unwrap().path().file_stem().unwrap().to_string_lossy().into_owned())
        .collect();
    there.sort();
    let laws: Vec<&str> = LAWS.iter().map(|(name, _)| *name).collect();
    assert_eq!(there, laws);
}
