//! The law of the journal's rows: whatever a cell says, the journal is read or refused, and brought up as a whole or not at all.

use std::cell::RefCell;
use std::path::Path;

use deft_barge_core::haul::{listed_entries, undo_plan};
use deft_barge_core::journal::{History, Journal, Telemetry, check_journal};
use deft_barge_core::site::Site;
use rusqlite::Connection;
use rusqlite::types::Value;
use tempfile::TempDir;

use super::chosen;

/// Journals as older versions wrote them; the last one is brought up before it is changed.
const JOURNALS: [&str; 7] = [
    include_str!("../../core/src/journal/version2.sql"),
    include_str!("../../core/src/journal/version3.sql"),
    include_str!("../../core/src/journal/version4.sql"),
    include_str!("../../core/src/journal/version5.sql"),
    include_str!("../../core/src/journal/version6.sql"),
    include_str!("../../core/src/journal/version7.sql"),
    include_str!("../../core/src/journal/version7.sql"),
];

const WORLD: &str = "format = 1\nhome = \"home\"\n[[drives]]\nname = \"one\"\nroot = \"one\"\ncapacity = 1000\nkind = \"ssd\"\n\
    file-system = \"ext4\"\n";

/// A world without games, and its journals as they are before anybody changes them.
struct World {
    _folder: TempDir,
    site: Site,
    journals: Vec<Vec<u8>>,
}

impl World {
    fn new() -> Self {
        // In memory, where there is such a place: the fuzzer makes a journal some hundred times a second.
        let folder = tempfile::tempdir_in("/dev/shm").or_else(|_| tempfile::tempdir()).expect("a folder can be made");
        for name in ["home", "one"] {
            std::fs::create_dir_all(folder.path().join(name)).expect("a folder can be made");
        }
        std::fs::write(folder.path().join("world.toml"), WORLD).expect("a file can be written");
        let site = Site::of_world(folder.path()).expect("the world is sound");
        std::fs::create_dir_all(site.state_folder()).expect("a folder can be made");
        let mut journals = Vec::new();
        for (n, sql) in JOURNALS.iter().enumerate() {
            clear(&site);
            let db = Connection::open(file(&site)).expect("a journal can be made");
            db.execute_batch(sql).expect("the tables are sound");
            drop(db);
            if n + 1 == JOURNALS.len() {
                Journal::open(&site).expect("it can be brought up");
            }
            let db = Connection::open(file(&site)).expect("it is there");
            db.execute_batch("pragma wal_checkpoint(truncate)").expect("it is nobody's");
            drop(db);
            journals.push(std::fs::read(file(&site)).expect("it is there"));
        }
        Self { _folder: folder, site, journals }
    }
}

fn file(site: &Site) -> std::path::PathBuf {
    site.state_folder().join("journal.db")
}

fn clear(site: &Site) {
    for end in ["", "-wal", "-shm", "-journal"] {
        let mut path = file(site).into_os_string();
        path.push(end);
        let _ = std::fs::remove_file(Path::new(&path));
    }
}

/// A version, and then cells: table, row, column, kind, length, value.
pub fn rows(data: &[u8]) {
    thread_local! {
        static WORLD: RefCell<Option<World>> = const { RefCell::new(None) };
    }
    WORLD.with_borrow_mut(|world| {
        let world = world.get_or_insert_with(World::new);
        let (which, rest) = chosen(data);
        clear(&world.site);
        std::fs::write(file(&world.site), &world.journals[which % JOURNALS.len()]).expect("a file can be written");
        let db = Connection::open(file(&world.site)).expect("it is a journal");
        change(&db, rest);
        let before = version(&db);
        drop(db);
        read_all(&world.site);
        let opened = Journal::open(&world.site).map(|journal| {
            let Ok((journal, _)) = journal.recover() else { return };
            for haul in journal.live().unwrap_or_default() {
                let _ = undo_plan(&world.site, &haul);
            }
            for item in journal.hauls().unwrap_or_default().into_iter().flat_map(|haul| haul.items) {
                let _ = journal.lines(item.id).take_while(Result::is_ok).count();
                let _ = (journal.changes(item.id), journal.unreadable(item.id), journal.items_of(&item.planned.game));
            }
        });
        let db = Connection::open(file(&world.site)).expect("it is still a journal");
        if opened.is_err() {
            assert_eq!(version(&db), before, "it was brought up by half: {:?}", opened.err());
        }
        drop(db);
        read_all(&world.site);
    });
}

fn version(db: &Connection) -> i64 {
    db.pragma_query_value(None, "user_version", |row| row.get(0)).unwrap_or(-1)
}

/// What is read without taking the journal.
fn read_all(site: &Site) {
    let _ = (check_journal(site), History::recent(site), History::released(site));
    let Ok(history) = History::with(site, &|lines| lines.iter().map(|line| line.id).collect()) else { return };
    let _ = history.held(site);
    let _ = history.search("x a").count();
    let ids: Vec<_> = history.lines.iter().map(|line| line.id).collect();
    for id in ids {
        let _ = (Telemetry::of(site, id), Telemetry::last_limit(site, id), History::remains(site, id));
        for item in history.haul(id).into_iter().flat_map(|haul| &haul.items) {
            let _ = listed_entries(site, item);
        }
    }
}

/// Changes cells as the bytes say; what a table does not take stays.
fn change(db: &Connection, mut data: &[u8]) {
    let tables = names(db, "select name from sqlite_schema where type = 'table' order by name");
    let _ = db.execute_batch("pragma foreign_keys = off");
    while let [table, row, column, kind, length, rest @ ..] = data {
        let (value, after) = rest.split_at(rest.len().min(usize::from(*length) * 4));
        data = after;
        let Some(table) = tables.get(usize::from(*table) % tables.len().max(1)) else { return };
        let columns = names(db, &format!("select name from pragma_table_info('{table}') order by cid"));
        let Some(column) = columns.get(usize::from(*column) % columns.len().max(1)) else { continue };
        let text = || String::from_utf8_lossy(value).into_owned();
        let value = match kind % 6 {
            0 => Value::Null,
            1 => Value::Integer(i64::from_le_bytes(std::array::from_fn(|n| value.get(n).copied().unwrap_or(0)))),
            2 => Value::Real(text().parse().unwrap_or(f64::MAX)),
            3 => Value::Blob(value.to_vec()),
            _ => Value::Text(text()),
        };
        let key = format!("select {0} from {table} order by 1 limit 1 offset {1}", columns[0], row % 4);
        let Ok(first) = db.query_row(&key, [], |row| row.get::<_, Value>(0)) else { continue };
        let sql = format!("update or ignore {table} set {column} = ?1 where {} is ?2", columns[0]);
        let _ = db.execute(&sql, rusqlite::params![value, first]);
    }
}

fn names(db: &Connection, sql: &str) -> Vec<String> {
    let read = || -> rusqlite::Result<Vec<String>> { db.prepare(sql)?.query_map([], |row| row.get(0))?.collect() };
    read().unwrap_or_default()
}
