//! Undos in a world that has gone on.

use super::*;

/// Fails what comes after an item was proved.
#[derive(Debug, Default)]
pub(super) struct DiesOnceAsked(AtomicBool);

impl Gate for DiesOnceAsked {
    fn before(&self, _: &Act<'_>) -> std::io::Result<()> {
        if self.0.load(Ordering::SeqCst) { Err(std::io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn an_undo_that_ended_before_its_own_release_keeps_the_originals_from_the_first_hauls_release() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let gate = Arc::new(DiesOnceAsked::default());
    let (mut site, books) = (port.site(), journal(&port));
    site.disk = site.disk.and_gate(gate.clone());
    let die = |event: HaulEvent| {
        if matches!(event, HaulEvent::Proved { .. }) {
            gate.0.store(true, Ordering::SeqCst);
        }
    };
    assert!(undo_haul(&site, &books, HaulId(1), &die, &Control::default()).is_err());
    drop(books);
    assert!(port.content() && port.old_place().exists() && port.new_place().exists());
    let before = tree(&port.old_place());
    assert!(release(&port, 1).is_err(), "these originals are what the records lead to");
    assert_eq!(tree(&port.old_place()), before);
    assert!(port.resume().unwrap() && port.content() && !port.new_place().exists());
}

#[test]
fn an_undo_that_is_undone_leaves_the_kept_originals_kept() {
    let port = Port::new();
    let whole = port.game(&port.old_place());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let stop = Control::default();
    let (site, books) = (port.site(), journal(&port));
    let back = undo_haul(&site, &books, HaulId(1), &at_stage("records-updated", &stop), &stop);
    assert!(matches!(back, Err(HaulError::Paused)), "{back:?}");
    drop(books);
    undo(&port, 2).unwrap();
    assert!(port.content());
    assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "the originals are kept");
    assert_eq!(differing(&port.game(&port.new_place()), &whole), NONE);
    assert!(matches!(stage(&port, 1), Stage::Proved { holds: true }) && row(&port, 1).items[0].holds_originals());
    // And the first haul can be released or undone as before.
    release(&port, 1).unwrap();
    assert!(port.content() && !port.old_place().exists());
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn a_launcher_that_writes_its_old_list_after_the_haul_has_its_records_updated_again() {
    let port = Port::new();
    let records = port.records();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    write_back(&port, &records);
    let elsewhere = |kind: &FindingKind| matches!(kind, FindingKind::RecordsElsewhere { .. });
    assert!(refused(release(&port, 1), elsewhere) && port.old_place().exists());
    let (site, books) = (port.site(), journal(&port));
    assert_eq!(astray(&site, &books, None).unwrap(), Some(HaulId(1)));
    Haul::of(&site, &books, HaulId(1)).unwrap().lead_again(&|_| {}, &Control::default()).unwrap();
    assert_eq!(astray(&site, &books, None).unwrap(), None);
    drop(books);
    assert!(port.content());
    release(&port, 1).unwrap();
    assert!(port.content() && !port.old_place().exists());
    // After the release as well: nothing is there where the old list leads.
    write_back(&port, &records);
    assert!(!port.content());
    let (site, books) = (port.site(), journal(&port));
    assert_eq!(astray(&site, &books, Some(1)).unwrap(), Some(HaulId(1)));
    Haul::of(&site, &books, HaulId(1)).unwrap().lead_again(&|_| {}, &Control::default()).unwrap();
    drop(books);
    assert!(port.content());
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn lists_that_a_launcher_has_edited_are_undone_and_hauled_all_the_same() {
    /// What a launcher may do to its list between two acts of ours.
    type Edit = fn(&mut Vec<serde_json::Value>);
    let edits: [(&str, Edit); 5] = [
        ("added before", |titles| titles.insert(0, other("n1"))),
        ("added after", |titles| titles.push(other("n2"))),
        ("removed", |titles| titles.retain(|title| title["id"] != "g2")),
        ("sorted", |titles| titles.reverse()),
        ("more in each", |titles| titles.iter_mut().for_each(|title| title["hours"] = 7.into())),
    ];
    for (what, edit) in edits {
        for released in [false, true] {
            // After the haul.
            let port = Port::new();
            let whole = port.game(&port.old_place());
            port.haul(None, to_newhold(), if released { Policy::Release } else { Policy::Hold }).unwrap();
            for drive in ["swift", "newhold"] {
                change_list(&port, drive, edit);
            }
            undo(&port, 1).unwrap_or_else(|error| panic!("{what}, released {released}: {error:?}"));
            assert!(port.content() && !port.new_place().exists(), "{what}, released {released}");
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{what}");
        }
        // During the copy, and after a crash among the record files.
        for word in ["copying", "verified", "placed", "updating-records"] {
            let port = Port::new();
            left_at(&port, word, Policy::Hold);
            change_list(&port, "swift", edit);
            resume(&port, 1).unwrap_or_else(|error| panic!("{what} at {word}: {error:?}"));
            assert!(port.content() && port.new_place().exists(), "{what} at {word}");
            undo(&port, 1).unwrap_or_else(|error| panic!("{what} at {word}, undone: {error:?}"));
            assert!(port.content() && !port.new_place().exists(), "{what} at {word}");
        }
    }
}

pub(super) fn other(id: &str) -> serde_json::Value {
    serde_json::json!({"id": id, "name": "New", "folder": "other", "bytes": 1, "start": "go"})
}

pub(super) fn change_list(port: &Port, drive: &str, edit: fn(&mut Vec<serde_json::Value>)) {
    let file = port.at(&format!("drives/{drive}/quillgate/ledger.json"));
    let Ok(text) = fs::read_to_string(&file) else { return };
    let mut ledger: serde_json::Value = serde_json::from_str(&text).unwrap();
    edit(ledger["titles"].as_array_mut().unwrap());
    fs::write(file, serde_json::to_string(&ledger).unwrap()).unwrap();
}

#[test]
fn a_game_that_its_launcher_lists_no_more_goes_back_by_its_files() {
    let port = Port::new();
    let whole = port.game(&port.old_place());
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    change_list(&port, "newhold", Vec::clear);
    let plan = undo_plan(&port.site(), &row(&port, 1));
    assert!(
        !plan.blocked() && plan.findings.iter().any(|f| matches!(f.kind, FindingKind::NothingToUpdate { .. })),
        "{plan:?}"
    );
    undo(&port, 1).unwrap();
    assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
    assert!(!port.new_place().exists());
}

#[test]
fn a_game_that_differed_from_its_list_before_is_hauled_released_and_undone() {
    for policy in [Policy::Hold, Policy::Release] {
        let port = Port::new();
        fs::write(port.old_place().join("data/small"), "a mod").unwrap();
        fs::remove_file(port.old_place().join("data/ä 日")).unwrap();
        let whole = port.game(&port.old_place());
        let end = port.haul(None, to_newhold(), policy).unwrap();
        let proof = end.items[0].proof.clone().unwrap();
        assert!(proof.holds() && proof.before > Bytes::ZERO, "{proof:?}");
        assert_eq!(port.old_place().exists(), policy == Policy::Hold);
        undo(&port, 1).unwrap();
        assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
        // And an unfinished one does not stand in the way of others.
        left_at(&port, "placed", Policy::Hold);
        undo(&port, 3).unwrap();
        assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE);
    }
}

#[test]
fn originals_whose_folder_is_a_link_now_are_left_and_the_haul_ends() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let moved = port.at("drives/swift/moved by hand");
    fs::rename(port.old_place(), &moved).unwrap();
    symlink(&moved, port.old_place()).unwrap();
    let removed = release(&port, 1).unwrap();
    assert_eq!(removed.left.len(), 1);
    assert!(moved.join("data/pack").exists() && port.content());
    assert!(matches!(stage(&port, 1), Stage::Released { left: 1 }));
    // And when the link leads to the very copy, that is told.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::remove_dir_all(port.old_place()).unwrap();
    symlink(port.new_place(), port.old_place()).unwrap();
    let one = |kind: &FindingKind| matches!(kind, FindingKind::SameFolder { .. } | FindingKind::StillListed { .. });
    assert!(refused(release(&port, 1), one) && port.content());
}

#[test]
fn saves_that_were_written_into_the_copy_are_told_before_and_never_stand_in_the_way() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("save 1"), "mine").unwrap();
    fs::write(port.new_place().join("hole"), "new settings").unwrap();
    let plan = undo_plan(&port.site(), &row(&port, 1));
    let told = |f: &deft_barge_core::item::Finding| matches!(&f.kind, FindingKind::NewerInCopy { count: 2, path } if path.starts_with(&*port.new_place().to_string_lossy()));
    assert!(!plan.blocked() && plan.findings.iter().any(told), "{:?}", plan.findings);
    undo(&port, 1).unwrap();
    assert!(port.content() && !port.new_place().exists());
    let left = History::remains(&port.site(), HaulId(2)).unwrap();
    let left: Vec<PathBuf> = left[0].1.iter().map(|left| left.path.clone()).collect();
    assert_eq!(left.len(), 2);
    assert!(left.iter().all(|path| path.exists()), "each is named by where it is: {left:?}");
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    assert!(port.content(), "the next haul goes to the same place");
    // Taken along: the copy as it is now is hauled back.
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    fs::write(port.new_place().join("save 1"), "mine").unwrap();
    fs::write(port.new_place().join("hole"), "new settings").unwrap();
    release(&port, 1).unwrap();
    undo(&port, 1).unwrap();
    assert_eq!(fs::read(port.old_place().join("save 1")).unwrap(), b"mine");
    assert_eq!(fs::read(port.old_place().join("hole")).unwrap(), b"new settings");
    assert!(port.content() && !port.new_place().exists());
}

#[test]
fn an_older_haul_is_released_after_a_newer_one_was_undone() {
    for released in [false, true] {
        let port = Port::new();
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        port.write("drives/newhold/second/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
        port.write("drives/swift/third/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
        let rooms = fs::read_to_string(port.at("home/.config/quillgate/rooms.json")).unwrap();
        let third = port.at("drives/swift/third");
        let room = format!("[ {{ \"folder\": {third:?} }},");
        port.write("home/.config/quillgate/rooms.json", rooms.replacen('[', &room, 1).as_bytes());
        port.haul(
            None,
            deft_barge_core::plan::Destination::Library(third),
            if released { Policy::Release } else { Policy::Hold },
        )
        .unwrap();
        undo(&port, 2).unwrap();
        assert!(port.content() && port.new_place().exists());
        assert!(release(&port, 1).unwrap().left.is_empty(), "released {released}");
        assert!(port.content() && !port.old_place().exists());
    }
}

#[test]
fn originals_that_another_entry_still_leads_to_stay() {
    let port = Port::new();
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    // A second launcher that nobody has told of the haul.
    port.second_launcher("swift");
    change_list(&port, "swift", |titles| {
        let entry =
            serde_json::json!({"id": "g1", "name": "Regatta", "folder": "regatta", "bytes": 1, "start": "bin/go"});
        titles.push(entry);
    });
    let listed =
        |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. } | FindingKind::RecordsElsewhere { .. });
    let result = release(&port, 1);
    assert!(refused(result, listed) && port.old_place().join("data/pack").exists());
}

#[test]
fn an_undo_takes_the_folders_away_that_its_haul_had_made() {
    let port = Port::new();
    let before = tree(&port.at("drives"));
    port.haul(None, to_newhold(), Policy::Release).unwrap();
    undo(&port, 1).unwrap();
    let after = tree(&port.at("drives"));
    let names = |tree: &crate::port::Tree| tree.keys().cloned().collect::<Vec<_>>();
    assert_eq!(names(&after), names(&before));
}
