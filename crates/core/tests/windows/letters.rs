//! Games between the letters of really mounted file systems: `DEFT_BARGE_LETTERS` says which there are, as in `N=ntfs X=exfat`.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::{Places, Site, real_path};
use deft_barge_core::survey::survey;

use crate::world::{fill, tree};

const PROFILE: &str = r#"
format = 1
id = "petrel"
name = "Petrel"
home = ["{data}/petrel"]

[games]
file = "{home}/games.json"
list = "$"
id = "$.id"
title = "$.id"
place = "{drive}/games"
install = "{install}"

[[games.records]]
selector = "$.at"
meaning = "{install}"
"#;

/// Hauls the one game to a drive; gives the haul.
fn hauled(site: &Site, journal: &Journal, top: &Path) -> deft_barge_core::bytes::HaulId {
    let found = survey(site, Vec::new(), &|_| {});
    let drive = site.drives.iter().find(|drive| top.starts_with(&drive.root));
    let drive = drive.unwrap_or_else(|| panic!("{} is no drive of {:?}", top.display(), site.drives));
    let mut draft = Draft::default();
    draft.send(found.games[0].id.clone(), Destination::Drive(drive.name.clone()));
    let plan = plan_of(site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
    let mut haul = Haul::begin(site, journal, &plan).unwrap();
    let end = haul.run(&|_| {}, &Control::default()).unwrap();
    assert!(!end.differs(), "{end:?}");
    haul.id()
}

#[test]
fn a_game_goes_to_every_file_system_and_back_by_its_letter() {
    let Some(letters) = std::env::var_os("DEFT_BARGE_LETTERS") else {
        #[expect(clippy::print_stderr, reason = "who has mounted nothing is to see that it did not run")]
        {
            eprintln!("\n!!! NOT RUN: games between really mounted drives; DEFT_BARGE_LETTERS names none !!!\n");
        }
        assert!(std::env::var_os("CI").is_none(), "this test has to run under CI");
        return;
    };
    for letter in letters.to_str().unwrap().split_whitespace() {
        let (letter, file_system) = letter.split_once('=').unwrap();
        let folder = tempfile::tempdir().unwrap();
        let home = real_path(folder.path());
        let places = Places::usual(&home);
        let own = places.data.join("petrel");
        fs::create_dir_all(places.config.join("deft-barge").join("profiles")).unwrap();
        fs::create_dir_all(&own).unwrap();
        fs::write(places.config.join("deft-barge").join("profiles").join("petrel.toml"), PROFILE).unwrap();
        let there = PathBuf::from(format!("{letter}:\\")).join("games").join("Fen & Moor");
        // From a letter to the drive of the person and back; the first time it is where it came from.
        let first = home.join("games").join("Fen & Moor");
        fill(&first, &[("bin/go.exe", 900), ("data/a.pak", 5_000_000), ("data/Straße/b.pak", 5000), ("none", 0)]);
        let game = tree(&first);
        let says =
            |at: &Path| format!("[{{\"id\": \"fen\", \"at\": {}}}]\n", serde_json::Value::from(at.to_str().unwrap()));
        let list = own.join("games.json");
        fs::write(&list, says(&first)).unwrap();
        let site = Site::of_system(places).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let said = || fs::read_to_string(&list).unwrap();

        let id = hauled(&site, &journal, &there);
        assert_eq!((said(), tree(&there)), (says(&there), game.clone()), "{file_system}");
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert_eq!(
            (said(), tree(&first), there.exists()),
            (says(&first), game.clone(), false),
            "{file_system}, undone"
        );
        let id = hauled(&site, &journal, &there);
        let removed = release_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert!(removed.left.is_empty() && !first.exists(), "{file_system}: {:?}", removed.left);
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert_eq!(
            (said(), tree(&first), there.exists()),
            (says(&first), game.clone(), false),
            "{file_system}, from there"
        );
    }
}
