//! SQLite databases as records: read without a trace, changed cell by cell in one transaction.
//!
//! Law: looking never changes a database, its journal or its mode; a database that somebody holds is
//! refused, never waited for without end; a cell changes only if it still says what was read.

use std::io::{self, Read};
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use rusqlite::types::ValueRef;
use rusqlite::{Connection, ErrorCode, OpenFlags, TransactionBehavior, params};
use serde_json::{Map, Value};
use tempfile::TempDir;

use super::cell::Cell;
use super::database_error::{DatabaseError, LARGEST};
use crate::platform::{self, Look, NameBytes};

/// How long a database may be held by somebody else before it is refused.
const PATIENCE: Duration = Duration::from_secs(2);

type Result<T> = std::result::Result<T, DatabaseError>;

fn fault(file: &Path) -> impl Fn(rusqlite::Error) -> DatabaseError + '_ {
    move |source| match source.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => DatabaseError::Locked { file: file.into() },
        _ => DatabaseError::Broken { file: file.into(), source },
    }
}

/// Whether the file begins as a database does (SQLite file format, 1.3.1).
pub(crate) fn is_database(start: &[u8]) -> bool {
    start.starts_with(b"SQLite format 3\0")
}

fn beside(file: &Path, end: &str) -> PathBuf {
    let mut name = file.as_os_str().to_owned();
    name.push(end);
    name.into()
}

/// A connection that only looks. It ends before the copy that it looks at, if it needs one: not every system removes a file that is open.
struct Looking {
    db: Connection,
    _copy: Option<TempDir>,
}

impl Deref for Looking {
    type Target = Connection;

    fn deref(&self) -> &Connection {
        &self.db
    }
}

fn looking(file: &Path) -> Result<Looking> {
    if !file.look_exists() {
        return Err(DatabaseError::Absent { file: file.into() });
    }
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_URI | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let waiting = |end| beside(file, end).look_meta().is_ok_and(|meta| meta.size > 0);
    // What waits in a journal counts. Opening it in place would write, so a copy is looked at.
    if waiting("-wal") || waiting("-journal") {
        let copy = copied(file)?;
        let db = Connection::open(copy.path().join("copy")).map_err(fault(file))?;
        db.pragma_update(None, "trusted_schema", false).map_err(fault(file))?;
        return Ok(Looking { db, _copy: Some(copy) });
    }
    let name: String = file
        .name_bytes()
        .iter()
        .map(|byte| match byte {
            b'/' | b'-' | b'_' | b'.' => char::from(*byte).to_string(),
            byte if byte.is_ascii_alphanumeric() => char::from(*byte).to_string(),
            byte => format!("%{byte:02X}"),
        })
        .collect();
    let db = Connection::open_with_flags(format!("file:{name}?immutable=1"), flags);
    let db = db.map_err(fault(file))?;
    db.pragma_update(None, "trusted_schema", false).map_err(fault(file))?;
    Ok(Looking { db, _copy: None })
}

/// A database copied together with what waits in its journal, for nobody else to read.
fn copied(file: &Path) -> Result<TempDir> {
    let fault = |source| DatabaseError::Read { file: file.into(), source };
    let folder = tempfile::Builder::new().prefix("deft-barge-").tempdir().map_err(fault)?;
    platform::make_private(folder.path()).map_err(fault)?;
    let _alone = alone();
    for end in ["", "-wal", "-journal"] {
        let mut from = match platform::open_file(&beside(file, end)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            opened => opened.map_err(fault)?,
        };
        // With rights of its own: a copy that can't be written can't be read together with its journal.
        let to = platform::create_private(&folder.path().join(format!("copy{end}")));
        to.and_then(|mut to| io::copy(&mut from, &mut to)).map_err(fault)?;
    }
    Ok(folder)
}

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// The names of the columns of a table, and of those that make its key in their order.
fn columns(db: &Connection, table: &str) -> rusqlite::Result<(Vec<String>, Vec<String>)> {
    let mut rows = db.prepare("select name, pk from pragma_table_info(?1) order by cid")?;
    let all: Vec<(String, i64)> =
        rows.query_map([table], |row| Ok((row.get(0)?, row.get(1)?)))?.collect::<rusqlite::Result<_>>()?;
    let mut key: Vec<(i64, String)> =
        all.iter().filter(|(_, pk)| *pk > 0).map(|(name, pk)| (*pk, name.clone())).collect();
    key.sort();
    Ok((all.into_iter().map(|(name, _)| name).collect(), key.into_iter().map(|(_, name)| name).collect()))
}

/// The place of a cell's column among those of its table's key, if it is one.
fn place_in_key(db: &Connection, cell: &Cell) -> Option<usize> {
    columns(db, &cell.table).ok()?.1.iter().position(|name| *name == cell.column)
}

fn is_key_column(db: &Connection, cell: &Cell) -> bool {
    place_in_key(db, cell).is_some()
}

/// The key that a row has once one of its cells says something else; the same where that cell is no part of the key.
pub(crate) fn key_after(file: &Path, cell: &Cell, new: &str) -> Result<String> {
    let db = looking(file)?;
    let (_, key) = columns(&db, &cell.table).map_err(fault(file))?;
    let Some(nth) = place_in_key(&db, cell) else { return Ok(cell.key.clone()) };
    if key.len() == 1 {
        return Ok(new.into());
    }
    let mut parts: Vec<Value> = serde_json::from_str(&cell.key).unwrap_or_default();
    if let Some(part) = parts.get_mut(nth) {
        *part = new.into();
    }
    Ok(Value::Array(parts).to_string())
}

/// The expression that gives a row's key as text.
fn key_of(key: &[String]) -> String {
    match key {
        [] => "cast(rowid as text)".into(),
        [one] => format!("cast({} as text)", quoted(one)),
        several => {
            let parts: Vec<String> = several.iter().map(|name| format!("cast({} as text)", quoted(name))).collect();
            format!("json_array({})", parts.join(", "))
        }
    }
}

fn plain(value: ValueRef<'_>) -> Value {
    match value {
        ValueRef::Integer(n) => n.into(),
        ValueRef::Real(n) => n.into(),
        ValueRef::Text(text) => std::str::from_utf8(text).map_or(Value::Null, Value::from),
        ValueRef::Null | ValueRef::Blob(_) => Value::Null,
    }
}

/// The tables that hold rows of their own. Virtual tables, and those in which they keep what they make of it (full-text indexes and
/// the like), are their module's affair: a cell that is changed there breaks them.
fn plain_tables(db: &Connection) -> rusqlite::Result<Vec<String>> {
    let list = |sql: &str| -> rusqlite::Result<Vec<String>> {
        db.prepare(sql)?.query_map([], |row| row.get(0))?.collect::<rusqlite::Result<_>>()
    };
    let of = "from pragma_table_list where schema = 'main' and name not like 'sqlite\\_%' escape '\\'";
    let virtual_ones = list(&format!("select name {of} and type = 'virtual'"))?;
    let mut tables = list(&format!("select name {of} and type = 'table' order by name"))?;
    // The tables of a module that is not known here have its table's name in front of theirs.
    let lower = |name: &str| name.to_lowercase();
    tables.retain(|table| !virtual_ones.iter().any(|owner| lower(table).starts_with(&format!("{}_", lower(owner)))));
    Ok(tables)
}

/// Reads all tables as `{table: {key: {column: value}}}`; what is neither text nor a number is null.
pub(crate) fn read(file: &Path) -> Result<Value> {
    let db = looking(file)?;
    let load = || -> rusqlite::Result<Option<Value>> {
        let mut all = Map::new();
        let mut size = 0;
        for table in plain_tables(&db)? {
            let (names, key) = columns(&db, &table)?;
            let list: Vec<String> = names.iter().map(|name| quoted(name)).collect();
            let sql = format!("select {}, {} from {}", key_of(&key), list.join(", "), quoted(&table));
            let mut statement = db.prepare(&sql)?;
            let mut rows = statement.query([])?;
            let mut entries = Map::new();
            while let Some(row) = rows.next()? {
                let key: Option<String> = row.get(0)?;
                let mut entry = Map::new();
                for (n, name) in names.iter().enumerate() {
                    let value = plain(row.get_ref(n + 1)?);
                    size += name.len() + value.as_str().map_or(8, str::len);
                    entry.insert(name.clone(), value);
                }
                if size > LARGEST {
                    return Ok(None);
                }
                // A key that is not there cannot be found again.
                if let Some(key) = key {
                    entries.insert(key, Value::Object(entry));
                }
            }
            all.insert(table, Value::Object(entries));
        }
        Ok(Some(Value::Object(all)))
    };
    load().map_err(fault(file))?.ok_or_else(|| DatabaseError::TooLarge { file: file.into() })
}

/// The names of a table's columns, and of those that make its key.
pub(crate) fn columns_of(file: &Path, table: &str) -> Result<(Vec<String>, Vec<String>)> {
    let db = looking(file)?;
    columns(&db, table).map_err(fault(file))
}

/// Whether a table has a cell of bytes, which are read as nothing here.
pub(crate) fn holds_bytes(file: &Path, table: &str) -> Result<bool> {
    let db = looking(file)?;
    let look = || -> rusqlite::Result<bool> {
        let (names, _) = columns(&db, table)?;
        let are: Vec<String> = names.iter().map(|name| format!("typeof({}) = 'blob'", quoted(name))).collect();
        db.prepare(&format!("select 1 from {} where {}", quoted(table), are.join(" or ")))?.exists([])
    };
    look().map_err(fault(file))
}

/// A row as a cell of its own: a column without a name, which says the whole row as a JSON object, or nothing where there is none.
pub(crate) fn row_cell(table: &str, key: &str, row: Option<&Map<String, Value>>) -> Cell {
    let text = row.map_or_else(String::new, |row| Value::Object(row.clone()).to_string());
    Cell { table: table.into(), key: key.into(), column: String::new(), text }
}

fn is_row(cell: &Cell) -> bool {
    cell.column.is_empty()
}

/// The row of a key as it is now.
fn row_now(db: &Connection, cell: &Cell) -> rusqlite::Result<Cell> {
    let (names, key) = columns(db, &cell.table)?;
    let list: Vec<String> = names.iter().map(|name| quoted(name)).collect();
    let sql = format!("select {} from {} where {} = ?1", list.join(", "), quoted(&cell.table), key_of(&key));
    let mut statement = db.prepare(&sql)?;
    let mut rows = statement.query([&cell.key])?;
    let Some(row) = rows.next()? else { return Ok(row_cell(&cell.table, &cell.key, None)) };
    let mut entry = Map::new();
    for (n, name) in names.iter().enumerate() {
        entry.insert(name.clone(), plain(row.get_ref(n)?));
    }
    Ok(row_cell(&cell.table, &cell.key, Some(&entry)))
}

/// Puts a row in; `false` where one with its key is there, or it cannot be read.
fn insert_row(db: &Connection, cell: &Cell) -> rusqlite::Result<bool> {
    use rusqlite::types::Value as Sql;
    let Ok(Value::Object(row)) = serde_json::from_str(&cell.text) else { return Ok(false) };
    if !row_now(db, cell)?.text.is_empty() {
        return Ok(false);
    }
    let (_, key) = columns(db, &cell.table)?;
    let (mut names, mut values) = (Vec::new(), Vec::new());
    if key.is_empty() {
        names.push("rowid".to_string());
        values.push(cell.key.parse().map_or(Sql::Null, Sql::Integer));
    }
    for (name, value) in &row {
        names.push(quoted(name));
        values.push(match value {
            Value::String(text) => Sql::Text(text.clone()),
            Value::Number(number) => {
                number.as_i64().map_or_else(|| Sql::Real(number.as_f64().unwrap_or(0.0)), Sql::Integer)
            }
            Value::Bool(truth) => Sql::Integer((*truth).into()),
            _ => Sql::Null,
        });
    }
    let marks: Vec<String> = (1..=names.len()).map(|n| format!("?{n}")).collect();
    let sql = format!("insert into {} ({}) values ({})", quoted(&cell.table), names.join(", "), marks.join(", "));
    Ok(db.execute(&sql, rusqlite::params_from_iter(values))? == 1)
}

/// Takes a row out that says what it said; `false` where it does not.
fn delete_row(db: &Connection, cell: &Cell) -> rusqlite::Result<bool> {
    if row_now(db, cell)?.text != cell.text {
        return Ok(false);
    }
    let (_, key) = columns(db, &cell.table)?;
    let sql = format!("delete from {} where {} = ?1", quoted(&cell.table), key_of(&key));
    if db.execute(&sql, [&cell.key])? != 1 {
        return Ok(false);
    }
    // The last number that was given out goes back to that of the last row, where it was this one's (SQLite, "AUTOINCREMENT").
    let counted = "select 1 from sqlite_schema where name = 'sqlite_sequence'";
    if let (Ok(number), true) = (cell.key.parse::<i64>(), db.prepare(counted)?.exists([])?) {
        let last = format!("coalesce((select max(rowid) from {}), 0)", quoted(&cell.table));
        let sql = format!("update sqlite_sequence set seq = {last} where name = ?2 and seq = ?1");
        db.execute(&sql, params![number, cell.table])?;
    }
    Ok(true)
}

/// Reads what these cells say now. A cell that is gone is left out.
pub(crate) fn read_cells(file: &Path, cells: &[Cell]) -> Result<Vec<Cell>> {
    let db = looking(file)?;
    let one = |cell: &Cell| -> rusqlite::Result<Option<Cell>> {
        if is_row(cell) {
            return row_now(&db, cell).map(Some);
        }
        let (names, key) = columns(&db, &cell.table)?;
        if !names.contains(&cell.column) {
            return Ok(None);
        }
        let sql = format!(
            "select cast({} as text) from {} where {} = ?1",
            quoted(&cell.column),
            quoted(&cell.table),
            key_of(&key)
        );
        let mut statement = db.prepare(&sql)?;
        let mut rows = statement.query([&cell.key])?;
        let text: Option<String> = match rows.next()? {
            Some(row) => row.get(0)?,
            None => None,
        };
        Ok(text.map(|text| Cell { text, ..cell.clone() }))
    };
    cells.iter().filter_map(|cell| one(cell).transpose()).collect::<rusqlite::Result<_>>().map_err(fault(file))
}

/// Changes cells from `before` to `after` (the same places in the same order), all or none.
///
/// # Errors
/// [`DatabaseError::Locked`], [`DatabaseError::Changed`]; the database then holds what it held.
pub fn write_cells(file: &Path, before: &[Cell], after: &[Cell]) -> Result<()> {
    /// A trigger that does not come to an end is stopped.
    const LONGEST: Duration = Duration::from_secs(20);
    write_within(file, before, after, LONGEST)
}

/// Tries a change on a copy, there and back, and looks whether all tables say afterwards what they said before: triggers, cascades,
/// keys and collations of its program may not let it.
///
/// # Errors
/// What does not let it be; `None` within if the change cannot be taken back.
pub(crate) fn rehearse(file: &Path, before: &[Cell], after: &[Cell]) -> Result<bool> {
    /// What is larger is not copied for a trial.
    const LARGEST_TRIAL: u64 = 256_000_000;
    const LONGEST: Duration = Duration::from_secs(5);
    if file.look_meta().is_ok_and(|meta| meta.size > LARGEST_TRIAL) {
        return Ok(true);
    }
    let copy = copied(file)?;
    let at = copy.path().join("copy");
    let was = read(&at)?;
    let named = |error| match error {
        DatabaseError::Broken { source, .. } => DatabaseError::Broken { file: file.into(), source },
        DatabaseError::Changed { table, key, column, .. } => {
            DatabaseError::Changed { file: file.into(), table, key, column }
        }
        other => other,
    };
    write_within(&at, before, after, LONGEST).map_err(named)?;
    let says = read_cells(&at, after).map_err(named)? == after;
    write_within(&at, after, before, LONGEST).map_err(named)?;
    Ok(says && read(&at)? == was)
}

/// One at a time in this process: closing a file drops every lock that the process has on it (fcntl(2)), also one that a
/// connection relies on.
static ALONE: Mutex<()> = Mutex::new(());

fn alone() -> MutexGuard<'static, ()> {
    ALONE.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Reads a whole file, or the first bytes if it is a database, without taking the locks away that a connection of ours has on it.
pub(crate) fn whole_file(file: &Path) -> std::io::Result<Vec<u8>> {
    let _alone = alone();
    let mut start = Vec::new();
    platform::open(file)?.take(16).read_to_end(&mut start)?;
    if is_database(&start) { Ok(start) } else { platform::read(file) }
}

fn write_within(file: &Path, before: &[Cell], after: &[Cell], longest: Duration) -> Result<()> {
    let _alone = alone();
    let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let fault = fault(file);
    let mut db = Connection::open_with_flags(file, flags).map_err(&fault)?;
    db.busy_timeout(PATIENCE).map_err(&fault)?;
    // Durable when it returns, also after a power cut; the journal's own mode stays as it is.
    db.pragma_update(None, "synchronous", "EXTRA").map_err(&fault)?;
    let begun = Instant::now();
    db.progress_handler(10_000, Some(move || begun.elapsed() > longest)).map_err(&fault)?;
    let work = db.transaction_with_behavior(TransactionBehavior::Immediate).map_err(&fault)?;
    // What refers to a key follows it, or is changed as well before the end.
    work.pragma_update(None, "defer_foreign_keys", true).map_err(&fault)?;
    // A row is found by its key: what is part of one is changed last.
    let mut pairs: Vec<(&Cell, &Cell)> = before.iter().zip(after).collect();
    // A row comes before what refers to it, and goes after that.
    pairs.sort_by_key(|(old, new)| match (is_row(old), new.text.is_empty()) {
        (true, false) => 0,
        (true, true) => 3,
        (false, _) => 1 + i32::from(old.key != new.key && is_key_column(&work, old)),
    });
    for (old, new) in pairs {
        if is_row(old) {
            let is_done = if new.text.is_empty() { delete_row(&work, old) } else { insert_row(&work, new) };
            if !is_done.map_err(&fault)? {
                let (table, key, column) = (old.table.clone(), old.key.clone(), "the row".to_string());
                return Err(DatabaseError::Changed { file: file.into(), table, key, column });
            }
            continue;
        }
        let (_, key) = columns(&work, &old.table).map_err(&fault)?;
        let column = quoted(&old.column);
        let sql = format!(
            "update {} set {column} = case typeof({column}) when 'integer' then cast(?1 as integer)
               when 'real' then cast(?1 as real) else ?1 end
             where {} = ?2 and cast({column} as text) = ?3",
            quoted(&old.table),
            key_of(&key)
        );
        let count = work.execute(&sql, params![new.text, old.key, old.text]).map_err(&fault)?;
        // One that refers to a key has followed it by itself.
        let follows = || -> rusqlite::Result<bool> {
            let sql = format!(
                "select 1 from {} where {} = ?1 and cast({column} as text) = ?2",
                quoted(&old.table),
                key_of(&key)
            );
            let mut found = work.prepare(&sql)?;
            Ok(found.exists(params![new.key, new.text])? || found.exists(params![old.key, new.text])?)
        };
        if count != 1 && !(count == 0 && follows().map_err(&fault)?) {
            let (table, key, column) = (old.table.clone(), old.key.clone(), old.column.clone());
            return Err(DatabaseError::Changed { file: file.into(), table, key, column });
        }
    }
    work.commit().map_err(&fault)
}

/// Whether another program holds the database just now, so that it could not be changed.
///
/// Looks at the locks of the file (SQLite file format, "Locking"); a program without its own lock is not seen.
/// Closing a file drops the locks that this process has on it, so this is never asked while a connection of ours is open.
pub fn is_held(file: &Path) -> bool {
    let _alone = alone();
    if platform::is_in_registry(file) {
        return false;
    }
    let Ok(open) = platform::open_file(file) else { return false };
    // From the pending byte over the reserved one to the end of the shared ones.
    platform::is_locked(&open, 0x4000_0000, 512)
}

#[cfg(test)]
mod tests;
