//! The directories of a person: the registry says where they are, and one that goes to another drive is looked for there from then on.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::{Places, Site, real_path};
use deft_barge_core::survey::{Way, survey};
use deft_barge_windows::{Hive, Value, delete_value, read_below, set_value};

use crate::letters::{in_letters, launcher_in};
use crate::world::{fill, text, tree};

const DIRECTORIES: &str = r"Software\Microsoft\Windows\CurrentVersion\Explorer\User Shell Folders";

/// A value of the person's own; what it said before is back when its test ends.
struct Said(&'static str, Option<Value>);

impl Drop for Said {
    fn drop(&mut self) {
        let _ = match &self.1 {
            Some(value) => set_value(Hive::User, OsStr::new(DIRECTORIES), value),
            None => delete_value(Hive::User, OsStr::new(DIRECTORIES), OsStr::new(self.0)),
        };
    }
}

fn now(name: &str) -> Option<Value> {
    let keys = read_below(Hive::User, OsStr::new(DIRECTORIES)).unwrap_or_default();
    keys.into_iter().find(|key| key.below.is_empty())?.values.into_iter().find(|value| value.name == name)
}

#[test]
fn documents_go_to_another_drive_where_the_registry_says_that_they_are_and_come_back() {
    let Some((letter, _)) = in_letters().into_iter().next() else { return };
    let (_folder, home) = launcher_in("Fen & Moor");
    let _before = Said("Personal", now("Personal"));
    let expanded: Vec<u8> = "%USERPROFILE%\\Documents".encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
    let first = Value { name: "Personal".into(), kind: 2, data: expanded };
    set_value(Hive::User, OsStr::new(DIRECTORIES), &first).unwrap();
    let documents = home.join("Documents");
    fill(&documents, &[("My Games/Fen & Moor/one.sav", 4000), ("letter.txt", 12)]);
    let bytes = tree(&documents);

    let site = Site::of_system(Places::usual(&home)).unwrap();
    let found = survey(&site, Vec::new(), &|_| {});
    let all: Vec<(&Path, &[Way])> = found.user_data.iter().map(|data| (data.path.as_path(), &data.ways[..])).collect();
    let data = found.user_data.iter().find(|data| data.path == documents).unwrap_or_else(|| panic!("{all:?}"));
    assert!(data.ways.contains(&Way::Directory), "{all:?}");
    let top = PathBuf::from(format!("{letter}:\\"));
    let drive = site.drives.iter().find(|drive| top.starts_with(&drive.root)).unwrap();
    let mut draft = Draft::default();
    draft.send_by(data.id.clone(), Destination::Drive(drive.name.clone()), Some(Way::Directory));
    let plan = plan_of(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
    let there = plan.items[0].to.clone();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let id = haul.id();
    let end = haul.run(&|_| {}, &Control::default()).unwrap();
    assert!(!end.differs(), "{end:?}");
    let says = now("Personal").unwrap();
    assert_eq!((real_path(Path::new(&text(&says))), says.kind), (real_path(&there), 2));
    assert!(there.starts_with(&top) && tree(&there) == bytes, "{}", there.display());
    undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    assert_eq!((now("Personal").unwrap(), tree(&documents), there.exists()), (first, bytes, false));
}
