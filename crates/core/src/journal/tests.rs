//! The journal on its own: what is written comes back, and what it does not understand it refuses.

mod keeping;

use std::path::{Path, PathBuf};

use super::query::database;
use super::*;
use crate::bytes::{Bytes, HaulId, ItemId};
use crate::checksums::{Entry, EntryKind, ItemPath};
use crate::disk::Disk;
use crate::item::{Left, PlannedItem, Policy, Proof, Stage, StageKind, Strategy, Trial, WhyLeft};
use crate::journal::Hint;
use crate::launcher::Origin;
use crate::platform::name_of;
use crate::record::{Content, Edit, FileChange, Following, Format, HeldPart, LibrarySays, Rewrite};
use crate::site::{DriveSpeed, Run, Speeds};
use crate::site::{Places, Site};
use crate::survey::GameId;

/// A name that is no text: on Linux bytes that are no UTF-8, on Windows a surrogate that stands alone.
const ODD: &[u8] = b"odd\xed\xa0\x80 name";

fn site(folder: &Path) -> Site {
    Site {
        drives: Vec::new(),
        places: Places::usual(folder),
        processes: "/proc".into(),
        disk: Disk::default(),
        world: None,
        known: Vec::new(),
    }
}

fn planned(title: &str) -> PlannedItem {
    let of_game = (Origin::Launcher, GameId("quay/1".into()));
    PlannedItem {
        launcher: "quay".into(),
        launcher_name: "Quay".into(),
        from_drive: Some("a".into()),
        to_drive: "b".into(),
        ..PlannedItem::bare(of_game, title.into(), Strategy::Copy, "/a/x".into(), "/b/x".into())
    }
}

fn entry(path: &[u8], kind: EntryKind, size: u64) -> FileEntry {
    let blocks = if kind == EntryKind::File { crate::checksums::block_count(size) } else { 0 };
    FileEntry {
        entry: Entry {
            path: ItemPath::new(Path::new(&name_of(path.to_vec()))).unwrap(),
            kind,
            size,
            allocated: size,
            modified_ns: -5_000_000_001,
            inode: u64::MAX - 3,
            mode: 0o4755,
            owner: (u32::MAX, 7),
            changed_ns: Some(-3),
            names: 2,
        },
        there: None,
        compared: false,
        digest: None,
        blocks: vec![None; blocks as usize],
        taken: None,
        attributes: vec![(b"user.a".to_vec(), b"\0b".to_vec()), (b"user.c".to_vec(), Vec::new())],
        unkept: Some("owner".into()),
    }
}

fn open(folder: &Path) -> Journal {
    Journal::open(&site(folder)).unwrap().recover().unwrap().0
}

#[test]
fn a_checksums_comes_back_as_it_was_written() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let haul = journal.begin(&[(planned("x"), None)], Policy::Hold, None).unwrap();
    let item = journal.haul(haul).unwrap().unwrap().items[0].id;
    let mut file = entry(ODD, EntryKind::File, 9 << 20);
    file.blocks[1] = Some([7; 32]);
    file.there = Some(There { inode: 5, modified_ns: 1_700_000_000_123_456_789, changed_ns: Some(7) });
    file.digest = Some(vec![1, 2]);
    let lines = vec![
        entry(b"", EntryKind::Folder, 0),
        entry(b"again", EntryKind::Again(ItemPath::new(Path::new("b")).unwrap()), 0),
        entry(b"b", EntryKind::File, 0),
        entry(b"link", EntryKind::Link(PathBuf::from(name_of(b"../\xed\xb0\x80".to_vec()))), 0),
        file,
    ];
    journal.put_entries(item, &lines).unwrap();
    let checksums = || journal.lines(item).map(Result::unwrap).collect::<Vec<_>>();
    assert_eq!(checksums(), lines);
    let sums = journal.sums(item).unwrap();
    assert_eq!((sums.lines, sums.files, sums.bytes, sums.same), (5, 2, 9 << 20, 0));
    assert_eq!(journal.line(item, &lines[1].entry.path).unwrap().as_ref(), Some(&lines[1]));
    assert_eq!(journal.line(item, &ItemPath::new(Path::new("agaim")).unwrap()).unwrap(), None);
    let path = |n: usize| lines[n].entry.path.clone();
    let same =
        |path, there, hash| Hint::Same { path, there, digest: None, hash, beside: crate::journal::Beside::default() };
    let hints = [
        Hint::Block { path: path(4), nth: 0, hash: [9; 32], of: 3 },
        Hint::Block { path: path(2), nth: 0, hash: [8; 32], of: 1 },
        same(path(2), There { inode: 1, modified_ns: -1, changed_ns: None }, None),
        Hint::Unreadable { path: path(4), from: 4096, to: 8192 },
    ];
    journal.put_hints(item, &hints).unwrap();
    let now = checksums();
    assert_eq!(now[4].blocks, vec![Some([9; 32]), Some([7; 32]), None]);
    assert!(now[2].compared && now[2].there == Some(There { inode: 1, modified_ns: -1, changed_ns: None }));
    assert_eq!(now[2].blocks, vec![Some([8; 32])], "a later hint without the hash leaves it");
    let bad = journal.unreadable(item).unwrap();
    assert_eq!(bad, vec![UnreadableStretch { path: path(4).as_path().into(), from: 4096, to: 8192 }]);
    journal.drop_entries(item, &[path(4)]).unwrap();
    assert_eq!((checksums().len(), journal.unreadable(item).unwrap().len()), (4, 0));
}

#[test]
fn a_row_with_a_size_that_no_file_has_is_an_error_and_takes_no_memory() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let haul = journal.begin(&[(planned("x"), None)], Policy::Hold, None).unwrap();
    let item = journal.haul(haul).unwrap().unwrap().items[0].id;
    journal.put_entries(item, &[entry(b"b", EntryKind::File, 5)]).unwrap();
    for size in [-1, i64::MIN, i64::MAX, 1 << 50] {
        let file = rusqlite::Connection::open(journal.database()).unwrap();
        file.execute("update entry set size = ?1", [size]).unwrap();
        drop(file);
        assert!(journal.lines(item).any(|line| line.is_err()), "{size}");
    }
}

#[test]
fn lines_come_in_the_order_of_a_walk_by_pages_and_back_and_may_change_meanwhile() {
    let folder = tempfile::tempdir().unwrap();
    let journal = open(folder.path());
    let haul = journal.begin(&[(planned("x"), None)], Policy::Hold, None).unwrap();
    let item = journal.haul(haul).unwrap().unwrap().items[0].id;
    let mut lines = vec![entry(b"", EntryKind::Folder, 0)];
    for n in 0..700 {
        lines.push(entry(format!("d{n}").as_bytes(), EntryKind::Folder, 0));
        lines.push(entry(format!("d{n}/x").as_bytes(), EntryKind::File, 1));
        lines.push(entry(format!("d{n}.a").as_bytes(), EntryKind::File, 1));
    }
    journal.put_entries(item, &lines).unwrap();
    lines.sort_by(|a, b| a.entry.path.as_path().cmp(b.entry.path.as_path()));
    let mut seen = Vec::new();
    for line in journal.lines(item) {
        let line = line.unwrap();
        if line.entry.kind == EntryKind::File {
            let hash = [Hint::Block { path: line.entry.path.clone(), nth: 0, hash: [1; 32], of: 1 }];
            journal.put_hints(item, &hash).unwrap();
        }
        seen.push(line.entry.path);
    }
    assert_eq!(seen, lines.iter().map(|line| line.entry.path.clone()).collect::<Vec<_>>());
    let back: Vec<ItemPath> = journal.folders_back(item).map(|line| line.unwrap().entry.path).collect();
    assert_eq!((back.len(), back.last().map(ItemPath::bytes)), (701, Some(&b""[..])));
    assert!(back.iter().zip(&back[1..]).all(|(one, next)| one.key() > next.key()));
}

#[test]
fn a_journal_of_the_second_version_is_brought_up_with_its_paths_and_hashes() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    // Made by the program as it was then: an item with a small file, a large one and a folder with a name like a file's.
    db.execute_batch(include_str!("version2.sql")).unwrap();
    drop(db);
    assert_eq!(History::of(&site(folder.path())).unwrap().hauls.len(), 1, "looking does not change it");
    let journal = open(folder.path());
    let item = journal.hauls().unwrap()[0].items[0].id;
    let lines: Vec<FileEntry> = journal.lines(item).map(Result::unwrap).collect();
    let paths: Vec<&Path> = lines.iter().map(|line| line.entry.path.as_path()).collect();
    assert_eq!(paths, ["", "d", "d/small", "d.x", "large"].map(Path::new));
    assert_eq!(lines[2].blocks, vec![Some([0xaa; 32])]);
    assert_eq!(lines[4].blocks, vec![None, Some([0xbb; 32])]);
    assert!(lines[2].compared && lines[2].there.is_some());
    drop((lines, journal));
    assert_eq!(open(folder.path()).lines(item).count(), 5, "once");
}

#[test]
fn a_journal_of_the_third_version_is_brought_up_and_then_knows_speeds_and_trials() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version3.sql")).unwrap();
    drop(db);
    let looked = History::of(&site(folder.path())).unwrap();
    assert_eq!((looked.hauls.len(), looked.hauls[0].trial, &looked.speeds), (1, Trial::None, &Speeds::default()));
    let journal = open(folder.path());
    let haul = journal.hauls().unwrap()[0].clone();
    let lines: Vec<FileEntry> = journal.lines(haul.items[0].id).map(Result::unwrap).collect();
    assert_eq!(lines[1].entry.path.as_path(), Path::new("d/x"));
    let pace = DriveSpeed { read: 2e8, write: 1e8, per_file: 0.001 };
    journal.put_probe("slow", &DriveSpeed { read: 1.0, ..pace }).unwrap();
    journal.put_probe("slow", &pace).unwrap();
    let run = |seconds| Run { from: "a".into(), to: "slow".into(), bytes: 7, files: 2, seconds };
    journal.put_run(&run(1.5)).unwrap();
    journal.put_run(&run(2.5)).unwrap();
    journal.set_trial(haul.id, Trial::Waits).unwrap();
    drop(journal);
    let looked = History::of(&site(folder.path())).unwrap();
    assert_eq!(looked.speeds.probes["slow"], pace, "the newer probe counts");
    assert_eq!(looked.speeds.runs, [run(2.5), run(1.5)], "the newest first");
    assert_eq!(looked.hauls[0].trial, Trial::Waits);
    let journal = open(folder.path());
    journal.set_trial(haul.id, Trial::Agreed).unwrap();
    assert_eq!(journal.hauls().unwrap()[0].trial, Trial::Agreed);
}

#[test]
fn a_journal_of_the_fourth_version_is_brought_up_and_shows_the_same_lines_before_and_after() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version4.sql")).unwrap();
    drop(db);
    let before = History::recent(&site(folder.path())).unwrap();
    let lines = &before.lines;
    assert_eq!(lines.iter().map(|line| line.id.0).collect::<Vec<_>>(), [2, 1]);
    assert_eq!((lines[0].bytes(), lines[0].items[0].from_drive.as_deref()), (Bytes::new(77), None));
    assert_eq!(lines[0].proved, Some("2026-11-20T11:05:00Z".parse().unwrap()));
    let released = History::released(&site(folder.path())).unwrap();
    assert_eq!(released[&ItemId(2)], "2026-11-20T11:06:00Z".parse().unwrap());
    assert_eq!(
        crate::journal::Telemetry::of(&site(folder.path()), HaulId(1)).unwrap(),
        crate::journal::Telemetry::default()
    );
    let journal = open(folder.path());
    let item = journal.hauls().unwrap()[1].items[0].clone();
    let next = item.stage.clone().to(Stage::Placed).unwrap();
    assert_eq!(History::recent(&site(folder.path())).unwrap().lines, *lines, "brought up, they are the same");
    journal.set_stage(item.id, &next).unwrap();
    drop(journal);
    let after = History::recent(&site(folder.path())).unwrap();
    assert_eq!((&after.speeds, after.hauls.len()), (&before.speeds, 2));
    assert_eq!(after.lines[1].items[0].stage, Stage::Placed);
    let passage = crate::journal::Telemetry::of(&site(folder.path()), HaulId(1)).unwrap();
    assert_eq!(passage.marks.iter().map(|mark| mark.came.word()).collect::<Vec<_>>(), ["placed"]);
    // A search hears titles, drives, days and numbers.
    let found = |text: &str| after.search(text).map(|line| line.id.0).collect::<Vec<_>>();
    assert_eq!(
        (found("öland"), found("X b"), found("2026-11-20"), found("2 A")),
        (vec![2], vec![1], vec![2, 1], vec![2])
    );
    assert_eq!((found("nothing"), found("")), (Vec::new(), vec![2, 1]));
}

#[test]
fn a_journal_of_the_fifth_version_is_brought_up_and_compares_nothing_that_it_did_not_keep() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version5.sql")).unwrap();
    drop(db);
    let before = History::recent(&site(folder.path())).unwrap();
    assert_eq!(before.hauls.len(), 2, "looking does not need the new columns");
    assert!(History::remains(&site(folder.path()), HaulId(1)).unwrap().is_empty());
    let journal = open(folder.path());
    assert_eq!(History::recent(&site(folder.path())).unwrap().lines, before.lines);
    let item = journal.hauls().unwrap()[1].items[0].clone();
    assert!(item.planned.from_place.is_none() && item.planned.to_place.is_none());
    let lines: Vec<FileEntry> = journal.lines(item.id).map(Result::unwrap).collect();
    assert!(lines.iter().all(|line| line.entry.changed_ns.is_none() && line.attributes.is_empty()), "{lines:?}");
    let left = Left { path: "a".into(), bytes: Bytes::new(5), why: WhyLeft::ReadOnly };
    journal.put_remains(item.id, std::slice::from_ref(&left)).unwrap();
    journal.put_made(item.id, Path::new("/b")).unwrap();
    journal.put_made(item.id, Path::new("/b/c")).unwrap();
    assert_eq!(journal.made(item.id).unwrap(), [Path::new("/b/c"), Path::new("/b")], "the deepest first");
    drop(journal);
    let remains = History::remains(&site(folder.path()), item.haul).unwrap();
    assert_eq!(remains, [(item.planned.title.clone(), vec![left])]);
}

#[test]
fn a_journal_of_the_seventh_version_says_the_same_in_the_words_of_the_eighth() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version7.sql")).unwrap();
    drop(db);
    let told = || {
        let history = History::of(&site(folder.path())).unwrap();
        let passage = Telemetry::of(&site(folder.path()), HaulId(3)).unwrap();
        let items: Vec<_> = history.hauls[0]
            .items
            .iter()
            .map(|item| (item.planned.mode, item.planned.origin, item.stage.kind()))
            .collect();
        let came: Vec<Came> = passage.marks.iter().map(|mark| mark.came).collect();
        let kinds: Vec<EventKind> = history.events.iter().filter(|e| e.haul == HaulId(3)).map(|e| e.word).collect();
        (items, came, kinds, history.lines)
    };
    let before = told();
    assert_eq!(
        before.0,
        [
            (Strategy::Import, Origin::Launcher, StageKind::RecordsUpdated),
            (Strategy::Duplicate, Origin::Cleanup, StageKind::UpdatingRecords),
            (Strategy::Quarantine, Origin::Cleanup, StageKind::Cancelling),
            (Strategy::Copy, Origin::Traced, StageKind::Cancelled),
            (Strategy::Rename, Origin::UserData, StageKind::Undone),
            (Strategy::Records, Origin::Remap, StageKind::Proved),
        ]
    );
    let reached = [StageKind::Verified, StageKind::UpdatingRecords, StageKind::RecordsUpdated].map(Came::To);
    let ended = [StageKind::Cancelling, StageKind::Cancelled, StageKind::Undone].map(Came::To);
    assert_eq!(before.1, [&reached[..], &[Came::Paused, Came::Resumed], &ended[..]].concat());
    use EventKind::{Cancelled, Launched, Left, Repaired, Undone, UpdatedAgain};
    assert_eq!(before.2, [Left, Repaired, Launched, UpdatedAgain, Cancelled, Undone], "the newest first");
    drop(open(folder.path()));
    assert_eq!(told(), before, "brought up, it says the same");
    let db = rusqlite::Connection::open(&file).unwrap();
    let old = "select count(*) from lot where stage like '%repoint%' or stage like '%giv%' or stage like '%returned%' or planned like '%adopt%'
      or planned like '%spare%' or planned like '%set-aside%' or json_extract(planned, '$.origin') is null";
    assert_eq!(db.query_row(old, [], |row| row.get::<_, i64>(0)).unwrap(), 0, "and none of the old words is left");
}

#[test]
fn a_journal_of_the_eighth_version_is_brought_up_and_plans_may_hold_what_goes_with_a_game() {
    let folder = tempfile::tempdir().unwrap();
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version8.sql")).unwrap();
    drop(db);
    let told = || {
        let history = History::of(&site(folder.path())).unwrap();
        let items = history.hauls.iter().flat_map(|haul| &haul.items);
        let items: Vec<_> = items.map(|item| (item.planned.clone(), item.stage.clone())).collect();
        (items, history.lines)
    };
    let before = told();
    assert_eq!(before.0.len(), 8);
    let journal = open(folder.path());
    assert_eq!(told(), before, "brought up, it says the same");
    let part = HeldPart { selector: "$.has".into(), says: LibrarySays::Games, id: Some("$.of".into()), bytes: None };
    let edits = vec![
        Edit::Follow(Following {
            file: "/r/shelves".into(),
            format: Format::Nested,
            list: "$.all".into(),
            path: "$.at".into(),
            from: "/a".into(),
            to: "/b".into(),
            id: "7".into(),
            bytes: 9,
            parts: vec![part],
            rewrites: vec![Rewrite::of_value("$.at", "/a/7", "/b/7")],
        }),
        Edit::Relocate {
            from: "/a/7".into(),
            to: "/b/7".into(),
            format: Format::Json,
            rewrites: vec![Rewrite::of_value("$.at", "/a/x", "/b/x")],
        },
    ];
    let haul = journal.begin(&[(PlannedItem { edits: edits.clone(), ..planned("new") }, None)], Policy::Hold, None);
    let read = journal.haul(haul.unwrap()).unwrap().unwrap();
    assert_eq!(read.items[0].planned.edits, edits);
    let db = rusqlite::Connection::open(&file).unwrap();
    assert_eq!(db.pragma_query_value(None, "user_version", |row| row.get::<_, i64>(0)).unwrap(), 9);
}

/// The file of a journal as an older version of this program left it.
fn of_the_sixth_version(folder: &Path) -> PathBuf {
    let file = database(&site(folder));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version6.sql")).unwrap();
    file
}

#[test]
fn what_record_files_held_is_forgotten_once_a_haul_is_over_and_can_be_read_nowhere_any_more() {
    let folder = tempfile::tempdir().unwrap();
    let file = of_the_sixth_version(folder.path());
    let journal = open(folder.path());
    let text = "{\"token\": \"5417\", \"at\": \"/a/y\"}";
    let over = journal.changes(ItemId(2)).unwrap();
    let was = over[0].before.made_of(&Content::Bytes(text.into()));
    assert_eq!(was, Some(Content::Bytes(text.replace("/a/y", "/b/y").into())), "an undo has the very bytes");
    assert_eq!(over[0].before.made_of(&Content::Bytes(text.replace('5', "6").into())), None);
    assert_eq!(over[0].after, Content::Known(text.len() as u64, blake3::hash(text.as_bytes())));
    assert_eq!(over[1].after, Content::Link("/a/y".into()), "where a link led is a path");
    // One that is under way keeps them, for a resume or an undo.
    let open_still = journal.changes(ItemId(1)).unwrap();
    assert!(matches!(&open_still[0].before, Content::Bytes(bytes) if bytes.ends_with(b"/a/x\"}")));
    journal.set_stage(ItemId(1), &Stage::UpdatingRecords).unwrap();
    assert!(matches!(journal.changes(ItemId(1)).unwrap()[0].before, Content::Bytes(_)));
    journal.set_stage(ItemId(1), &Stage::Undone).unwrap();
    assert!(matches!(journal.changes(ItemId(1)).unwrap()[0].before, Content::Patched(..)));
    let items = journal.items_of(&GameId("quay/2".into())).unwrap();
    assert_eq!(items.iter().map(|item| item.id).collect::<Vec<_>>(), [ItemId(2)]);
    drop(journal);
    for entry in std::fs::read_dir(file.parent().unwrap()).unwrap().flatten() {
        let bytes = std::fs::read(entry.path()).unwrap();
        // Times and numbers may have the digits by chance.
        assert!(!bytes.windows(8).any(|some| some == b"\": \"5417"), "{:?}", entry.path());
    }
}

#[test]
#[cfg(unix)]
fn a_journal_that_others_could_read_is_its_persons_alone_once_it_is_opened() {
    use std::fs::{Permissions, set_permissions};
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let file = of_the_sixth_version(folder.path());
    let state = file.parent().unwrap();
    set_permissions(&file, Permissions::from_mode(0o644)).unwrap();
    set_permissions(state, Permissions::from_mode(0o755)).unwrap();
    drop(open(folder.path()));
    let mode = |path: &Path| path.metadata().unwrap().permissions().mode() & 0o777;
    for entry in std::fs::read_dir(state).unwrap().flatten() {
        assert_eq!(mode(&entry.path()), 0o600, "{:?}", entry.path());
    }
    assert_eq!(mode(state), 0o700);
}

#[test]
fn a_journal_of_the_first_version_is_read_and_brought_up() {
    let folder = tempfile::tempdir().unwrap();
    let item = crate::bytes::ItemId(1);
    let file = database(&site(folder.path()));
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    // The first version kept bytes as such; its tables were those of the second.
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(include_str!("version2.sql")).unwrap();
    db.execute("insert into change values(?1, 0, cast('/r/x' as blob), null, x'620062')", [item.0]).unwrap();
    db.execute("insert into change values(?1, 1, cast('/r/y' as blob), x'', x'6c')", [item.0]).unwrap();
    db.pragma_update(None, "user_version", 1).unwrap();
    drop(db);
    assert_eq!(History::of(&site(folder.path())).unwrap().hauls.len(), 1, "looking does not change it");
    let journal = open(folder.path());
    let change = |file: &str, before, after| FileChange { file: file.into(), before, after };
    let wanted = vec![
        change("/r/x", Content::Absent, Content::Bytes(b"b\0b".to_vec())),
        change("/r/y", Content::Bytes(Vec::new()), Content::Bytes(b"l".to_vec())),
    ];
    assert_eq!(journal.changes(item).unwrap(), wanted);
    drop(journal);
    assert_eq!(open(folder.path()).changes(item).unwrap(), wanted, "once");
}
