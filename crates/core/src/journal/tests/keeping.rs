//! What is kept of hauls, and who may hold it.

use super::*;

#[test]
fn how_a_haul_went_is_kept_with_its_stops() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let haul = journal.begin(&[(planned("one"), None), (planned("two"), None)], Policy::Hold, None).unwrap();
    let items: Vec<ItemId> = journal.haul(haul).unwrap().unwrap().items.iter().map(|item| item.id).collect();
    journal.set_stage(items[1], &Stage::Copying { staging: "/s".into() }).unwrap();
    journal.set_error(items[1], "no room").unwrap();
    journal.mark(items[1], Came::Resumed).unwrap();
    journal.put_changes(items[1], &[], &Stage::UpdatingRecords).unwrap();
    journal.set_proof(items[1], &Proof::default(), &Stage::Proved { holds: true }).unwrap();
    let mut progress = crate::item::Progress::begun(items[0], "one", 100, 1);
    progress.copy.done = Bytes::new(60);
    progress.unreadable = Bytes::new(3);
    assert_eq!(journal.next_pulse(items[0]).unwrap(), 0);
    for nth in 0..2500 {
        journal.put_pulse(nth, &progress, (nth > 2000).then_some(Bytes::new(9))).unwrap();
    }
    assert_eq!(journal.next_pulse(items[0]).unwrap(), 2497, "behind the last one that is kept");
    let passage = crate::journal::Telemetry::of(&site(folder.path()), haul).unwrap();
    let words: Vec<&str> = passage.marks.iter().map(|mark| mark.came.word()).collect();
    assert_eq!(words, ["copying", "stopped", "resumed", "updating-records", "proved"]);
    assert!(passage.marks.iter().all(|mark| mark.item == items[1]) && passage.marks.is_sorted_by_key(|mark| mark.at));
    assert_eq!(passage.pulses.len(), 625, "every fourth of 2500");
    assert_eq!((passage.pulses[0].limit, passage.pulses[624].limit), (None, Some(Bytes::new(9))));
    let last = &passage.pulses[624];
    assert_eq!((last.copied.count(), last.compared.count(), last.unreadable.count()), (60, 0, 3));
}

#[test]
fn a_limit_is_kept_before_anything_is_copied_and_as_often_as_it_changes() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let haul = journal.begin(&[(planned("one"), None), (planned("two"), None)], Policy::Hold, None).unwrap();
    let items: Vec<ItemId> = journal.haul(haul).unwrap().unwrap().items.iter().map(|item| item.id).collect();
    let last = || crate::journal::Telemetry::last_limit(&site(folder.path()), haul).unwrap();
    assert_eq!(last(), None);
    journal.keep_limit(haul, Some(Bytes::new(5))).unwrap();
    assert_eq!(last(), Some(Bytes::new(5)));
    let mut progress = crate::item::Progress::begun(items[0], "one", 100, 1);
    progress.copy.done = Bytes::new(60);
    // At every number of moments, also where few of them are kept.
    for nth in 1..2100 {
        journal.put_pulse(nth, &progress, Some(Bytes::new(7))).unwrap();
        if !(3..=2090).contains(&nth) {
            for limit in [None, Some(Bytes::new(nth))] {
                journal.keep_limit(haul, limit).unwrap();
                assert_eq!(last(), limit, "at {nth}");
            }
        }
    }
    let passage = crate::journal::Telemetry::of(&site(folder.path()), haul).unwrap();
    assert!(passage.pulses.is_sorted_by_key(|pulse| pulse.copied), "it says nothing else than what was");
    // What is copied by then has no use for one.
    journal.set_stage(items[0], &Stage::Copying { staging: "/s".into() }).unwrap();
    journal.set_stage(items[0], &Stage::Verified { staging: "/s".into() }).unwrap();
    journal.keep_limit(haul, Some(Bytes::new(3))).unwrap();
    let passage = crate::journal::Telemetry::of(&site(folder.path()), haul).unwrap();
    assert_eq!(passage.pulses.iter().filter(|pulse| pulse.item == items[1]).count(), 1);
    assert_eq!(last(), Some(Bytes::new(3)));
}

#[test]
fn stages_changes_and_the_log_outlive_the_program() {
    let folder = tempfile::tempdir().unwrap();
    let change = FileChange { file: "/r/x".into(), before: Content::Absent, after: Content::Bytes(vec![0, 255]) };
    {
        let journal = open(folder.path());
        let haul = journal.begin(&[(planned("one"), None), (planned("two"), None)], Policy::Release, None).unwrap();
        let items = journal.haul(haul).unwrap().unwrap().items;
        journal.put_changes(items[0].id, std::slice::from_ref(&change), &Stage::UpdatingRecords).unwrap();
        journal.set_error(items[1].id, "why").unwrap();
        let back = journal.begin(&[(planned("back"), Some(items[0].id))], Policy::Hold, Some(haul)).unwrap();
        assert_eq!((haul, back), (HaulId(1), HaulId(2)));
    }
    let (journal, unfinished) = Journal::open(&site(folder.path())).unwrap().recover().unwrap();
    let rows = journal.hauls().unwrap();
    assert_eq!((rows[0].returns, rows[0].items[0].takes_back), (Some(HaulId(1)), Some(rows[1].items[0].id)));
    assert_eq!((rows[1].policy, &rows[1].items[0].stage), (Policy::Release, &Stage::UpdatingRecords));
    assert_eq!(rows[1].items[1].error.as_deref(), Some("why"));
    assert_eq!(journal.changes(rows[1].items[0].id).unwrap(), vec![change]);
    assert_eq!(unfinished.map(|row| row.id), Some(HaulId(2)));
    let history = History::of(&site(folder.path())).unwrap();
    assert_eq!(history.events.len(), 2, "looking takes no lock");
    assert!(history.held(&site(folder.path())).is_empty());
}

#[test]
fn a_start_finds_what_is_owed_however_many_hauls_rest() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let rest = Stage::Released { left: 0 };
    let haul = |title: &str, policy, back: Option<(HaulId, ItemId)>, stage: &Stage| {
        let id =
            journal.begin(&[(planned(title), back.map(|(_, item)| item))], policy, back.map(|(of, _)| of)).unwrap();
        let item = journal.haul(id).unwrap().unwrap().items[0].id;
        journal.set_stage(item, stage).unwrap();
        (id, item)
    };
    let old = haul("old", Policy::Hold, None, &rest);
    let back = haul("back", Policy::Release, Some(old), &rest);
    for n in 0..40 {
        haul(&n.to_string(), Policy::Hold, None, &rest);
    }
    let held = haul("held", Policy::Hold, None, &Stage::Proved { holds: true });
    for n in 0..40 {
        haul(&n.to_string(), Policy::Hold, None, &rest);
    }
    // What the return has brought back is not said to be returned yet: it is taken up again, and only then.
    drop(journal);
    let (journal, owed) = Journal::open(&site(folder.path())).unwrap().recover().unwrap();
    assert_eq!(owed.map(|row| row.id), Some(back.0));
    let recent = History::recent(&site(folder.path())).unwrap();
    assert!(recent.haul(old.0).is_some() && recent.haul(held.0).is_some() && recent.haul(HaulId(10)).is_none());
    assert_eq!((recent.lines.len(), recent.held(&site(folder.path())).len()), (83, 1));
    journal.set_stage(old.1, &Stage::Undone).unwrap();
    drop(journal);
    let (journal, owed) = Journal::open(&site(folder.path())).unwrap().recover().unwrap();
    assert!(owed.is_none());
    let live: Vec<HaulId> = journal.live().unwrap().iter().map(|row| row.id).collect();
    assert_eq!(live, [held.0]);
}

#[test]
fn a_journal_of_another_version_or_one_that_is_none_is_refused_and_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    assert!(History::of(&site(folder.path())).unwrap().hauls.is_empty(), "none is made by looking");
    assert!(!site(folder.path()).state_folder().exists());
    drop(open(folder.path()));
    let path = site(folder.path()).state_folder().join("journal.db");
    let db = rusqlite::Connection::open(&path).unwrap();
    db.pragma_update(None, "user_version", 99).unwrap();
    drop(db);
    assert!(matches!(History::of(&site(folder.path())), Err(JournalError::Version { found: 99, .. })));
    assert!(matches!(Journal::open(&site(folder.path())), Err(JournalError::Version { found: 99, .. })));
    let text = [b"not a database".as_slice(), &[b' '; 4096]].concat();
    for name in ["journal.db-wal", "journal.db-shm"] {
        let _ = std::fs::remove_file(path.with_file_name(name));
    }
    std::fs::write(&path, &text).unwrap();
    assert!(matches!(History::of(&site(folder.path())), Err(JournalError::Database { .. })));
    assert!(matches!(Journal::open(&site(folder.path())), Err(JournalError::Database { .. })));
    assert_eq!(std::fs::read(&path).unwrap(), text);
}

#[test]
fn one_program_holds_the_journal() {
    let folder = tempfile::tempdir().unwrap();
    let first = Journal::open(&site(folder.path())).unwrap();
    assert!(matches!(Journal::open(&site(folder.path())), Err(JournalError::Locked { .. })));
    drop(first);
    Journal::open(&site(folder.path())).unwrap();
}
