//! A shell link on the desktop that starts a game: it goes with it, and comes back to the byte; one that nobody understands stays.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::world::declared;

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

/// A link with a path of the code page and two texts in UTF-16, as [MS-SHLLINK] has it.
fn link(program: &Path) -> Vec<u8> {
    let (path, folder) = (program.to_str().unwrap(), program.parent().unwrap().to_str().unwrap());
    let mut out = vec![0x4c, 0, 0, 0, 1, 0x14, 2, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46];
    out.extend(0b1001_0010_u32.to_le_bytes());
    out.resize(0x4c, 0);
    // The volume, the path, and an empty rest of it.
    let volume = [0x11_u32, 3, 0, 0x10].into_iter().flat_map(u32::to_le_bytes).chain([0]).collect::<Vec<u8>>();
    let at = 0x1c + volume.len() as u32;
    let rest = at + path.len() as u32 + 1;
    let head = [rest + 1, 0x1c, 1, 0x1c, at, 0, rest];
    out.extend(head.into_iter().flat_map(u32::to_le_bytes));
    out.extend([volume.as_slice(), path.as_bytes(), &[0, 0]].concat());
    out.extend((folder.encode_utf16().count() as u16).to_le_bytes());
    out.extend(folder.encode_utf16().flat_map(u16::to_le_bytes));
    out.extend([0; 4]);
    out
}

#[test]
fn a_link_on_the_desktop_goes_with_its_game_and_comes_back_to_the_byte() {
    let (_folder, top) = declared(&["swift", "newhold"]);
    let site = Site::of_world(&top).unwrap();
    let place = |drive: &str| top.join("drives").join(drive).join("games").join("Fen Two");
    let program = |drive: &str| place(drive).join("bin").join("go.exe");
    fs::create_dir_all(program("swift").parent().unwrap()).unwrap();
    fs::write(program("swift"), "MZ").unwrap();
    let own = site.places.data.join("petrel");
    fs::create_dir_all(&own).unwrap();
    let at = serde_json::Value::from(place("swift").to_str().unwrap());
    fs::write(own.join("games.json"), format!("[{{\"id\": \"fen\", \"at\": {at}}}]\n")).unwrap();
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("petrel.toml"), PROFILE).unwrap();
    let desktop = site.places.home.join("Desktop");
    fs::create_dir_all(&desktop).unwrap();
    let links: [PathBuf; 2] = ["Fen Two.lnk", "Other.lnk"].map(|name| desktop.join(name));
    let other = [&link(Path::new("C:\\windows\\notepad.exe"))[..0x60], &[9; 30]].concat();
    fs::write(&links[0], link(&program("swift"))).unwrap();
    fs::write(&links[1], &other).unwrap();

    let found = survey(&site, Vec::new(), &|_| {});
    assert!(found.problems.is_empty(), "{:?}", found.problems);
    let mut draft = Draft::default();
    draft.send(found.games[0].id.clone(), Destination::Drive("newhold".into()));
    let plan = plan_of(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let id = haul.id();
    haul.run(&|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::read(&links[0]).unwrap(), link(&program("newhold")));
    assert_eq!(fs::read(&links[1]).unwrap(), other);
    undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::read(&links[0]).unwrap(), link(&program("swift")));
}
