//! The sqlite3 program reads what we wrote, and holds a database that we then refuse.

use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Command, Stdio};

use deft_barge_core::record::{Cell, DatabaseError, is_held, write_cells};

fn sqlite3(file: &Path, sql: &str) -> Option<String> {
    let output = Command::new("sqlite3").arg(file).arg(sql).output().ok()?;
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    Some(String::from_utf8(output.stdout).unwrap())
}

fn cell(text: &str) -> Cell {
    Cell { table: "g".into(), key: "one".into(), column: "path".into(), text: text.into() }
}

#[test]
fn the_sqlite3_program_reads_what_we_wrote_in_either_mode() {
    let folder = tempfile::tempdir().unwrap();
    for mode in ["delete", "wal"] {
        let file = folder.path().join(format!("{mode}.db"));
        let make = format!(
            "pragma journal_mode={mode}; create table g(id text primary key, path text, n int); insert into g values('one', '/a', 7);"
        );
        if sqlite3(&file, &make).is_none() {
            return super::missing("sqlite3");
        }
        write_cells(&file, &[cell("/a")], &[cell("/neu/ä \"b\"")]).unwrap();
        let said =
            sqlite3(&file, "select path, n, typeof(n) from g; pragma integrity_check; pragma journal_mode;").unwrap();
        assert_eq!(said, format!("/neu/ä \"b\"|7|integer\nok\n{mode}\n"));
    }
}

#[test]
fn a_database_that_another_program_holds_is_seen_and_refused_and_stays_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    for mode in ["delete", "wal"] {
        let file = folder.path().join(format!("{mode}.db"));
        let make = format!(
            "pragma journal_mode={mode}; create table g(id text primary key, path text); insert into g values('one', '/a');"
        );
        if sqlite3(&file, &make).is_none() {
            return super::missing("sqlite3");
        }
        assert!(!is_held(&file), "{mode}");
        let mut other =
            Command::new("sqlite3").arg(&file).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
        let mut input = other.stdin.take().unwrap();
        writeln!(input, "begin immediate; update g set path = '/held'; select 'holds';").unwrap();
        let mut output = BufReader::new(other.stdout.take().unwrap());
        let mut line = String::new();
        output.read_line(&mut line).unwrap();
        assert!(is_held(&file), "{mode}");
        let error = write_cells(&file, &[cell("/a")], &[cell("/b")]).unwrap_err();
        assert!(matches!(error, DatabaseError::Locked { .. }), "{mode}: {error}");
        assert!(error.to_string().contains("close it"), "{error}");
        writeln!(input, "rollback;").unwrap();
        drop(input);
        other.wait().unwrap();
        assert!(!is_held(&file), "{mode}");
        assert_eq!(sqlite3(&file, "select path from g").unwrap(), "/a\n");
        write_cells(&file, &[cell("/a")], &[cell("/b")]).unwrap();
    }
}
