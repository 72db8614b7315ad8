//! A launcher that writes in a code page, of whose files only the path of one library has letters beyond ASCII: when the last game leaves
//! that library for one with a plain path, nothing in the files tells the page any more. The way back is in it all the same, whether or
//! not the launcher has written since, and whether the originals are still kept.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::port::{declare, folder_in_memory};

const PROFILE: &str = r#"format = 1
id = "petrel"
name = "Petrel"
home = ["{config}/petrel"]

[libraries]
file = "{home}/places.json"
list = "$.places"
path = "$.folder"
default = "none"

[games]
file = "{home}/all.json"
entries = "$.all[*]"
id = "$.code"
title = "$.name"
install = "{library}/{folder}"

[[games.records]]
selector = "$.at"
meaning = "{install}"

[[records]]
file = "{home}/starts/{id}.ini"
as = "ini"
selector = "$.start.program"
meaning = "{install}/{tail}"
"#;

struct World {
    folder: tempfile::TempDir,
    page: &'static encoding_rs::Encoding,
    library: &'static str,
    /// What one file says beside: letters that are too few to tell the page when they are alone.
    note: &'static str,
}

impl World {
    fn at(&self, path: &str) -> PathBuf {
        self.folder.path().canonicalize().unwrap().join(path)
    }

    fn bytes(&self, text: &str) -> Vec<u8> {
        let (bytes, _, lacks) = self.page.encode(text);
        assert!(!lacks, "{text}");
        bytes.into_owned()
    }

    /// What the launcher writes with its game in a library; `runs` is how often it was started.
    fn files(&self, library: &Path, runs: usize) -> [(PathBuf, Vec<u8>); 2] {
        let install = format!("{}/Fen", library.display());
        [
            (
                "all.json",
                format!(
                    "{{\"all\": [{{\"code\": \"7\", \"name\": \"Fen\", \"runs\": {runs}, \"at\": \"{install}\"}}]}}\n"
                ),
            ),
            ("starts/7.ini", format!("[start]\nruns={runs}\nnote={}\nprogram={install}/bin/go\n", self.note)),
        ]
        .map(|(name, text)| (self.at("home/.config/petrel").join(name), self.bytes(&text)))
    }

    fn libraries(&self) -> [PathBuf; 2] {
        [self.at("drives/swift").join(self.library), self.at("drives/newhold/games")]
    }

    fn write(&self, library: &Path, runs: usize) {
        for (file, bytes) in self.files(library, runs) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, bytes).unwrap();
        }
    }

    fn says(&self, library: &Path, runs: usize, when: &str) {
        for (file, bytes) in self.files(library, runs) {
            let now = fs::read(&file).unwrap();
            let shown = String::from_utf8_lossy(&now).into_owned();
            assert!(now == bytes, "{} {when}, {runs} runs: {} says {shown}", self.page.name(), file.display());
        }
    }
}

#[test]
fn the_way_back_of_a_launcher_that_writes_in_a_code_page_is_in_it_whatever_its_files_tell_by_then() {
    let pages = [
        ("windows-1252", "Spiele für uns", ""),
        ("windows-1251", "Игры и миры", ""),
        ("windows-1251", "Долгая дорога и война", "мир"),
        ("koi8-r", "Долгая дорога и война", "мир"),
        ("shift_jis", "海の記憶の本", ""),
        ("euc-kr", "긴 길의 기억", "길"),
    ];
    for (label, library, note) in pages {
        for (written_since, released) in [(false, false), (true, false), (false, true), (true, true)] {
            let when = format!("written since: {written_since}, released: {released}");
            let page = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
            let world = World { folder: folder_in_memory(), page, library, note };
            declare(&world.at(""), &["swift", "newhold"]);
            let [old, new] = world.libraries();
            let game = old.join("Fen");
            for (name, text) in [("bin/go", "#!/bin/sh\n"), ("data.pak", "many bytes")] {
                fs::create_dir_all(game.join(name).parent().unwrap()).unwrap();
                fs::write(game.join(name), text).unwrap();
            }
            fs::create_dir_all(&new).unwrap();
            let places = world.libraries().map(|library| serde_json::json!({ "folder": library }));
            fs::create_dir_all(world.at("home/.config/petrel")).unwrap();
            let places = serde_json::json!({ "places": places }).to_string();
            fs::write(world.at("home/.config/petrel/places.json"), &places).unwrap();
            world.write(&old, 0);
            let site = Site::of_world(&world.at("")).unwrap();
            fs::create_dir_all(site.profile_folder()).unwrap();
            fs::write(site.profile_folder().join("petrel.toml"), PROFILE).unwrap();

            let survey = survey(&site, Vec::new(), &|_| {});
            let found = survey.games.iter().find(|found| found.found.install == game);
            let found = found.unwrap_or_else(|| panic!("{label}: {:?}", survey.problems));
            let mut draft = Draft::default();
            draft.send(found.id.clone(), Destination::Library(new.clone()));
            let plan = plan(&site, &survey, &draft, Policy::Hold);
            assert!(!plan.blocked(), "{label}: {:?}", plan.findings);
            let journal = Journal::open(&site).unwrap().recover().unwrap().0;
            Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
            world.says(&new, 0, "moved");
            assert!(!note.is_empty() || world.files(&new, 0).iter().all(|(_, bytes)| bytes.is_ascii()));
            if released {
                release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
            }
            let runs = if written_since { 3 } else { 0 };
            world.write(&new, runs);
            undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
            world.says(&old, runs, &when);
            assert!(game.join("bin/go").is_file() && !new.join("Fen").exists(), "{label} {when}");
            assert_eq!(fs::read_to_string(world.at("home/.config/petrel/places.json")).unwrap(), places);
        }
    }
}
