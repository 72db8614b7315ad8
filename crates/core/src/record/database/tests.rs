use super::*;
use crate::platform::Abilities;

fn cell(key: &str, column: &str, text: &str) -> Cell {
    Cell { table: "in stalls".into(), key: key.into(), column: column.into(), text: text.into() }
}

fn made(folder: &Path, mode: &str) -> PathBuf {
    // What a name may not have here is left out.
    let forbidden = Abilities::of_file_system("ext4").forbidden;
    let file = folder.join(format!("ä ?#%{mode}.db").replace(|c| forbidden.contains(c), ""));
    let db = Connection::open(&file).unwrap();
    db.pragma_update(None, "journal_mode", mode).unwrap();
    db.execute_batch(
        "create table \"in stalls\"(key text primary key, path text, bytes integer, extra text, raw blob);
         insert into \"in stalls\" values('one', '/a/one', 12, '{\"p\": \"/a/one\"}', x'00'), ('two', '/a/two', 3, null, null);
         create table pairs(a int, b text, c text, primary key(a, b)) without rowid;
         insert into pairs values(1, 'x', '/p');
         create table loose(c); insert into loose values('/l');
         create view seen as select * from loose;",
    )
    .unwrap();
    file
}

#[test]
fn cells_are_read_and_changed_all_or_none_in_either_mode() {
    let folder = tempfile::tempdir().unwrap();
    for mode in ["delete", "wal"] {
        let file = made(folder.path(), mode);
        let value = read(&file).unwrap();
        assert_eq!(value["in stalls"]["one"]["path"], "/a/one");
        assert_eq!(value["pairs"]["[\"1\",\"x\"]"]["c"], "/p");
        assert_eq!(value["loose"]["1"]["c"], "/l");
        assert_eq!(value["in stalls"]["one"]["raw"], Value::Null);
        let before = [cell("one", "path", "/a/one"), cell("one", "bytes", "12")];
        let after = [cell("one", "path", "/b/one"), cell("one", "bytes", "15")];
        write_cells(&file, &before, &after).unwrap();
        assert_eq!(read_cells(&file, &before).unwrap(), after);
        assert_eq!(read(&file).unwrap()["in stalls"]["one"]["bytes"], 15, "a number stays one");
        let wrong = [cell("two", "path", "/a/two"), cell("one", "path", "/a/one")];
        let error = write_cells(&file, &wrong, &after).unwrap_err();
        assert!(matches!(error, DatabaseError::Changed { .. }), "{error}");
        assert_eq!(read(&file).unwrap()["in stalls"]["two"]["path"], "/a/two", "none was changed");
        let now: String = Connection::open(&file).unwrap().query_row("pragma journal_mode", [], |r| r.get(0)).unwrap();
        assert_eq!(now, mode);
    }
}

#[test]
fn looking_leaves_no_trace_and_sees_what_waits_in_the_journal() {
    let folder = tempfile::tempdir().unwrap();
    let file = made(folder.path(), "wal");
    let names = || {
        let mut all: Vec<_> = std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
        all.sort();
        all
    };
    let before = (names(), std::fs::read(&file).unwrap(), file.metadata().unwrap().modified().unwrap());
    read(&file).unwrap();
    assert_eq!(before, (names(), std::fs::read(&file).unwrap(), file.metadata().unwrap().modified().unwrap()));
    // A program that is running has written, and not yet into the file itself.
    let other = Connection::open(&file).unwrap();
    other.execute("update \"in stalls\" set path = '/new' where key = 'one'", []).unwrap();
    assert_eq!(read(&file).unwrap()["in stalls"]["one"]["path"], "/new");
}

#[test]
fn a_look_at_what_waits_is_nobody_elses_leaves_nothing_and_is_stopped_by_nothing_that_was_left() {
    let folder = tempfile::tempdir().unwrap();
    let file = made(folder.path(), "wal");
    let other = Connection::open(&file).unwrap();
    other.execute("update \"in stalls\" set path = '/new' where key = 'one'", []).unwrap();
    let locked = |path: &Path, on| {
        let mut rights = path.metadata().unwrap().permissions();
        rights.set_readonly(on);
        std::fs::set_permissions(path, rights).unwrap();
    };
    // What a program of the same number left when it was killed.
    let left: Vec<PathBuf> = (0..500)
        .map(|n| std::env::temp_dir().join(format!("deft-barge-{}-{n}", std::process::id())))
        .filter(|path| std::fs::create_dir(path).is_ok())
        .collect();
    locked(&file, true);
    let seen = looking(&file);
    locked(&file, false);
    for path in left {
        std::fs::remove_dir(path).unwrap();
    }
    let seen = seen.unwrap();
    let path: String =
        seen.query_row("select path from \"in stalls\" where key = 'one'", [], |row| row.get(0)).unwrap();
    assert_eq!(path, "/new");
    let copy = Path::new(seen.path().unwrap()).parent().unwrap().to_path_buf();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        assert_eq!(copy.metadata().unwrap().permissions().mode() & 0o777, 0o700);
    }
    drop(seen);
    assert!(!copy.exists());
}

#[test]
fn a_database_that_is_held_is_refused_in_either_mode_and_stays_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    for mode in ["delete", "wal"] {
        let file = made(folder.path(), mode);
        assert!(!is_held(&file), "{mode}");
        let other = Connection::open(&file).unwrap();
        other.execute_batch("begin immediate; update \"in stalls\" set bytes = 1").unwrap();
        let (before, after) = ([cell("one", "path", "/a/one")], [cell("one", "path", "/b")]);
        let error = write_cells(&file, &before, &after).unwrap_err();
        assert!(matches!(error, DatabaseError::Locked { .. }), "{mode}: {error}");
        other.execute_batch("rollback").unwrap();
        write_cells(&file, &before, &after).unwrap();
    }
}

#[test]
fn full_text_tables_and_what_they_keep_for_themselves_are_no_records() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let db = Connection::open(&file).unwrap();
    db.execute_batch(
        "create table plain(id text primary key, at text); insert into plain values('g', '/a');
         create virtual table notes using fts3(body, place); insert into notes values('lies in /a', '/a');",
    )
    .unwrap();
    // A module that is not known here: its tables are known by their names.
    db.execute_batch(
        "create table odd_content(c text); insert into odd_content values('/a');
         pragma writable_schema = on;
         insert into sqlite_schema values('table', 'odd', 'odd', 0, 'create virtual table odd using nobody_knows(c)');",
    )
    .unwrap();
    drop(db);
    let value = read(&file).unwrap();
    let tables: Vec<&String> = value.as_object().unwrap().keys().collect();
    assert_eq!(tables, ["plain"]);
}

#[test]
fn a_path_that_is_the_key_of_its_row_changes_with_all_that_follows_it_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let db = Connection::open(&file).unwrap();
    db.execute_batch(
        "create table lies(at text primary key, note text);
         create table plays(id integer primary key, at text references lies(at) on update cascade);
         create table pair(host text, at text, note text, primary key(host, at));
         insert into lies values('/a/x', 'in /a/x'), ('/a/y', 'other');
         insert into plays values(1, '/a/x'), (2, '/a/y');
         insert into pair values('me', '/a/x', 'here');",
    )
    .unwrap();
    drop(db);
    let was = read(&file).unwrap();
    let cell = |table: &str, key: &str, column: &str, text: &str| Cell {
        table: table.into(),
        key: key.into(),
        column: column.into(),
        text: text.into(),
    };
    let old = [
        cell("lies", "/a/x", "at", "/a/x"),
        cell("lies", "/a/x", "note", "in /a/x"),
        cell("plays", "1", "at", "/a/x"),
        cell("pair", "[\"me\",\"/a/x\"]", "at", "/a/x"),
    ];
    assert_eq!(key_after(&file, &old[0], "/b/x").unwrap(), "/b/x");
    assert_eq!(key_after(&file, &old[1], "in /b/x").unwrap(), "/a/x", "no part of the key");
    let new = [
        cell("lies", "/b/x", "at", "/b/x"),
        cell("lies", "/b/x", "note", "in /b/x"),
        cell("plays", "1", "at", "/b/x"),
        cell("pair", &key_after(&file, &old[3], "/b/x").unwrap(), "at", "/b/x"),
    ];
    assert!(rehearse(&file, &old, &new).unwrap());
    assert_eq!(read(&file).unwrap(), was, "a rehearsal changes nothing");
    write_cells(&file, &old, &new).unwrap();
    assert_eq!(read_cells(&file, &new).unwrap(), new);
    assert_eq!(read(&file).unwrap()["plays"]["2"]["at"], "/a/y");
    write_cells(&file, &new, &old).unwrap();
    assert_eq!(read(&file).unwrap(), was);
}

#[test]
fn what_a_database_does_by_itself_when_a_record_changes_is_found_before_a_haul() {
    let folder = tempfile::tempdir().unwrap();
    let made = |name: &str, sql: &str| {
        let file = folder.path().join(name);
        let db = Connection::open(&file).unwrap();
        db.execute_batch("create table t(id text primary key, at text); insert into t values('g', '/a');").unwrap();
        db.execute_batch(sql).unwrap();
        file
    };
    let cell = |text: &str| [Cell { table: "t".into(), key: "g".into(), column: "at".into(), text: text.into() }];
    let tried = |file: &Path| rehearse(file, &cell("/a"), &cell("/b"));
    assert!(tried(&made("plain.db", "")).unwrap());
    let counts = "create table n(c int); insert into n values(0);
        create trigger c after update on t begin update n set c = c + 1; end;";
    assert!(!tried(&made("counts.db", counts)).unwrap(), "it cannot be taken back");
    let refuses = "create trigger c before update on t begin select raise(abort, 'no'); end;";
    assert!(tried(&made("refuses.db", refuses)).is_err());
    let writes_itself = "create trigger c after update on t begin update t set at = '/c' where id = new.id; end;";
    assert!(!tried(&made("own.db", writes_itself)).is_ok_and(|sound| sound));
    let endless = "create table z(x); create trigger c after update on t begin
        insert into z with recursive r(i) as (select 1 union all select i + 1 from r) select i from r where i < 0; end;";
    let begun = Instant::now();
    assert!(tried(&made("endless.db", endless)).is_err());
    assert!(begun.elapsed() < Duration::from_secs(30), "a trigger without an end is stopped");
}

#[test]
fn a_row_comes_before_what_refers_to_it_goes_after_that_and_leaves_no_trace() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let db = Connection::open(&file).unwrap();
    db.execute_batch(
        "pragma foreign_keys = on;
         create table shelves(nr integer primary key autoincrement, at text not null unique, note text, raw blob);
         create table plays(id text primary key, shelf integer references shelves(nr));
         create table loose(at text);
         insert into shelves(at, note) values('/a', 'first'); insert into plays values('g', 1);
         insert into loose values('/a');",
    )
    .unwrap();
    drop(db);
    let dump = || {
        let db = Connection::open(&file).unwrap();
        let seq: i64 = db.query_row("select seq from sqlite_sequence", [], |row| row.get(0)).unwrap();
        (read(&file).unwrap(), seq)
    };
    let was = dump();
    let row = |text: &str| serde_json::from_str::<Map<String, Value>>(text).unwrap();
    let shelf = row(r#"{"nr": 2, "at": "/b \"ü\"", "note": null, "raw": null}"#);
    let plays = |text: &str| Cell { table: "plays".into(), key: "g".into(), column: "shelf".into(), text: text.into() };
    let loose = row("{\"at\": \"/b\"}");
    let before = [plays("1"), row_cell("shelves", "2", None), row_cell("loose", "2", None)];
    let after = [plays("2"), row_cell("shelves", "2", Some(&shelf)), row_cell("loose", "2", Some(&loose))];
    assert!(rehearse(&file, &before, &after).unwrap());
    assert_eq!(read_cells(&file, &after).unwrap(), before, "nothing has changed so far");
    write_cells(&file, &before, &after).unwrap();
    assert_eq!(read_cells(&file, &before).unwrap(), after);
    // One that is there already is not put in again, and one that says something else is not taken out.
    assert!(matches!(write_cells(&file, &before[1..], &after[1..]), Err(DatabaseError::Changed { .. })));
    let other = row("{\"nr\": 2, \"at\": \"/c\", \"note\": null, \"raw\": null}");
    let wrong = [row_cell("shelves", "2", Some(&other))];
    assert!(matches!(write_cells(&file, &wrong, &before[1..2]), Err(DatabaseError::Changed { .. })));
    write_cells(&file, &after, &before).unwrap();
    assert_eq!(dump(), was);
}

#[test]
fn what_is_no_database_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    assert!(matches!(read(&file), Err(DatabaseError::Absent { .. })));
    std::fs::write(&file, "SQLite format 3\0 and nothing else").unwrap();
    assert!(matches!(read(&file), Err(DatabaseError::Broken { .. })));
}
