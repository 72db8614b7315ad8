//! The journal looked after: whether its database is whole, and its file made as small as what is in it.
//!
//! Law: a check writes nothing; a compaction changes no row, and a crash in it leaves the database as it was.

use crate::platform;
use std::path::Path;

use rusqlite::Connection;
use serde::Serialize;

use super::error::JournalError;
use super::error::VERSION;
use super::query::{at, database, reader};
use super::write::Journal;
use crate::bytes::Bytes;
use crate::site::Site;

/// Faults of the database that are told.
const MOST: usize = 100;

/// What a check of the journal found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct JournalState {
    /// Version of its tables.
    pub version: i64,
    /// Bytes of its file.
    pub bytes: Bytes,
    /// Hauls, items, lines of checksums, lines of the log.
    pub hauls: u64,
    /// Items of them.
    pub items: u64,
    /// Lines of their checksums.
    pub entries: u64,
    /// Lines of the log.
    pub events: u64,
    /// What is wrong, in the words of the database or of the reading; empty if all of it is sound.
    pub problems: Vec<String>,
}

/// Reads the whole journal and says whether it is sound; `None` if there is none. Nothing is written.
///
/// # Errors
/// [`JournalError`] if it is no database, or cannot be opened.
pub fn check_journal(site: &Site) -> Result<Option<JournalState>, JournalError> {
    let Some(reader) = reader(site)? else { return Ok(None) };
    let path = database(site);
    let mut state = looked_at(&reader.db(), &path)?;
    if state.version > VERSION {
        state.problems.push(format!("its version is {}; this program reads {VERSION}", state.version));
    } else if state.version > 0 && state.problems.is_empty() {
        // Each row has to say what rows of its table say.
        state.problems.extend(reader.hauls().err().map(|error| error.to_string()));
    }
    Ok(Some(state))
}

fn looked_at(db: &Connection, path: &Path) -> Result<JournalState, JournalError> {
    let look = || {
        let version: i64 = db.pragma_query_value(None, "user_version", |row| row.get(0))?;
        let mut problems: Vec<String> = Vec::new();
        let mut rows = db.prepare(&format!("pragma integrity_check({MOST})"))?;
        for line in rows.query_map([], |row| row.get::<_, String>(0))? {
            problems.extend(Some(line?).filter(|line| line != "ok"));
        }
        let mut rows = db.prepare("pragma foreign_key_check")?;
        let orphan = |row: &rusqlite::Row<'_>| {
            let (table, parent): (String, String) = (row.get(0)?, row.get(2)?);
            Ok(format!("a row of {table} belongs to none of {parent}"))
        };
        for line in rows.query_map([], orphan)?.take(MOST) {
            problems.push(line?);
        }
        let count = |table: &str| -> rusqlite::Result<u64> {
            let known =
                db.prepare("select 1 from sqlite_schema where type = 'table' and name = ?1")?.exists([table])?;
            if !known {
                return Ok(0);
            }
            db.query_row(&format!("select count(*) from {table}"), [], |row| row.get::<_, i64>(0))
                .map(i64::cast_unsigned)
        };
        Ok(JournalState {
            version,
            bytes: size_of(path),
            hauls: count("haul")?,
            items: count("lot")?,
            entries: count("entry")?,
            events: count("event")?,
            problems,
        })
    };
    look().map_err(at(path))
}

fn size_of(path: &Path) -> Bytes {
    Bytes::new(platform::look_behind(path).map_or(0, |meta| meta.size))
}

impl Journal {
    /// Makes the database's file as small as what is in it; gives its size before and after.
    ///
    /// # Errors
    /// [`JournalError::Database`], with every row as it was; most likely the drive has not as much room again as the file takes.
    pub fn compact(&self) -> Result<(Bytes, Bytes), JournalError> {
        let path = self.database();
        let before = size_of(path);
        let db = self.connection();
        let work = || {
            db.query_row("pragma wal_checkpoint(truncate)", [], |_| Ok(()))?;
            db.execute_batch("vacuum")?;
            db.query_row("pragma wal_checkpoint(truncate)", [], |_| Ok(()))
        };
        work().map_err(at(path))?;
        Ok((before, size_of(path)))
    }
}
