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

/// The letters that lead to mounted file systems, each with its file system's name; none where nobody has mounted any, which is said.
pub fn in_letters() -> Vec<(String, String)> {
    let Some(letters) = std::env::var_os("DEFT_BARGE_LETTERS") else {
        #[expect(clippy::print_stderr, reason = "who has mounted nothing is to see that it did not run")]
        {
            eprintln!("\n!!! NOT RUN: what goes between really mounted drives; DEFT_BARGE_LETTERS names none !!!\n");
        }
        assert!(std::env::var_os("CI").is_none(), "this test has to run under CI");
        return Vec::new();
    };
    let one = |word: &str| word.split_once('=').map(|(letter, name)| (letter.to_string(), name.to_string()));
    letters.to_str().unwrap().split_whitespace().filter_map(one).collect()
}

/// A home with a launcher in it, which has one game there.
pub fn launcher_in(game: &str) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let home = real_path(folder.path());
    let places = Places::usual(&home);
    let (profiles, own) = (places.config.join("deft-barge").join("profiles"), places.data.join("petrel"));
    fs::create_dir_all(&profiles).unwrap();
    fs::create_dir_all(&own).unwrap();
    fs::write(profiles.join("petrel.toml"), PROFILE).unwrap();
    let at = home.join("games").join(game);
    fill(&at, &[("bin/go.exe", 900), ("data/a.pak", 5_000_000), ("data/Straße/b.pak", 5000), ("none", 0)]);
    fs::write(own.join("games.json"), says(&at)).unwrap();
    (folder, home)
}

/// What the launcher's list says of its game.
fn says(at: &Path) -> String {
    let id = at.file_name().unwrap().to_string_lossy();
    format!("[{{\"id\": \"{id}\", \"at\": {}}}]\n", serde_json::Value::from(at.to_str().unwrap()))
}

#[test]
fn a_game_goes_to_every_file_system_and_back_by_its_letter() {
    for (letter, file_system) in in_letters() {
        let there = PathBuf::from(format!("{letter}:\\")).join("games").join("Fen & Moor");
        // From a letter to the drive of the person and back; the first time it is where it came from.
        let (_folder, home) = launcher_in("Fen & Moor");
        let places = Places::usual(&home);
        let (first, list) = (home.join("games").join("Fen & Moor"), places.data.join("petrel").join("games.json"));
        let game = tree(&first);
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
