//! What comes between a copy and its place.

use super::*;

/// Fails the renaming of a copy to its place, and everything after it.
#[derive(Debug, Default)]
struct StopsBeforeItsPlace(std::sync::atomic::AtomicBool);

impl deft_barge_core::disk::Gate for StopsBeforeItsPlace {
    fn before(&self, act: &deft_barge_core::disk::Act<'_>) -> std::io::Result<()> {
        use std::sync::atomic::Ordering::SeqCst;
        if matches!(act, deft_barge_core::disk::Act::Rename { .. }) {
            self.0.store(true, SeqCst);
        }
        if self.0.load(SeqCst) { Err(std::io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn a_compared_copy_that_vanishes_before_the_repoint_is_never_led_to() {
    let port = Port::new();
    let gate = std::sync::Arc::new(StopsBeforeItsPlace::default());
    port.haul(Some(port.site().disk.and_gate(gate)), to_newhold(), Policy::Hold).unwrap_err();
    // All of it was compared, and then somebody takes the folder away, or one file of it.
    let staging = port.at("drives/newhold/quillgate").join(port.litter()[0].file_name().unwrap());
    assert!(staging.join("data/pack").exists());
    for gone in ["data/pack", ""] {
        let path = staging.join(gone);
        if gone.is_empty() { fs::remove_dir_all(&path).unwrap() } else { fs::remove_file(&path).unwrap() }
    }
    assert!(port.resume().unwrap());
    assert!(port.content() && port.game(&port.new_place()) == port.game(&port.old_place()));
    assert!(port.litter().is_empty());

    let port = Port::new();
    let before = port.records();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let stop = Control::default();
    let halt = |event: deft_barge_core::haul::HaulEvent| {
        if matches!(
            event,
            deft_barge_core::haul::HaulEvent::Stage { stage: deft_barge_core::item::StageKind::Placed, .. }
        ) {
            stop.ask();
        }
    };
    let paused = Haul::begin(&site, &journal, &plan).unwrap().run(&halt, &stop);
    assert!(matches!(paused, Err(HaulError::Paused)));
    fs::remove_file(port.new_place().join("data/pack")).unwrap();
    drop(journal);
    assert!(matches!(port.resume(), Err(HaulError::Changed { .. })));
    assert!(port.records() == before && port.content());
}

#[test]
fn a_rename_that_is_given_up_leaves_a_link_of_somebody_else() {
    let port = Port::new();
    let second = port.at("drives/swift/second");
    port.write("drives/swift/second/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
    let rooms = serde_json::json!({"rooms": [{"folder": port.at("drives/swift/quillgate")}, {"folder": second}]});
    port.write("home/.config/quillgate/rooms.json", rooms.to_string().as_bytes());
    let site = port.site();
    let plan = port.plan(&site, deft_barge_core::plan::Destination::Library(second.clone()), Policy::Hold);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    std::os::unix::fs::symlink(port.at("drives/newhold/keep"), second.join("regatta")).unwrap();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let error = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap_err();
    assert!(matches!(error, HaulError::NotOurs { .. }), "{error:?}");
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::read_link(second.join("regatta")).unwrap(), port.at("drives/newhold/keep"));
    assert!(port.content() && port.old_place().join("data/pack").exists());
}
