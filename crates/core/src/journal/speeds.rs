//! What the journal knows beside its hauls: speeds of drives, and which hauls wait for a yes. Older journals know nothing of it.

use std::collections::HashMap;

use rusqlite::Row;

use super::error::Journaled;
use super::query::{Reader, at};
use super::schema::is_of_version_4;
use crate::item::Trial;
use crate::site::{DriveSpeed, Run, Speeds};

impl Reader {
    pub(crate) fn trials(&self) -> Journaled<HashMap<i64, Trial>> {
        let read = || {
            let db = self.db();
            if !is_of_version_4(&db)? {
                return Ok(HashMap::new());
            }
            let mut rows = db.prepare_cached("select haul, agreed from trial")?;
            let trial = |row: &Row<'_>| {
                let agreed: bool = row.get(1)?;
                Ok((row.get(0)?, if agreed { Trial::Agreed } else { Trial::Waits }))
            };
            rows.query_map([], trial)?.collect::<rusqlite::Result<HashMap<_, _>>>()
        };
        read().map_err(at(&self.path))
    }

    /// What is known of the speeds of drives.
    pub(crate) fn speeds(&self) -> Journaled<Speeds> {
        /// Runs that are looked at; older ones say little of today's drives.
        const NEWEST: i64 = 200;
        let read = || {
            let db = self.db();
            let mut speeds = Speeds::default();
            if !is_of_version_4(&db)? {
                return Ok(speeds);
            }
            let mut rows = db.prepare_cached("select drive, read, write, file from probe")?;
            let probe = |row: &Row<'_>| {
                Ok((row.get(0)?, DriveSpeed { read: row.get(1)?, write: row.get(2)?, per_file: row.get(3)? }))
            };
            speeds.probes = rows.query_map([], probe)?.collect::<rusqlite::Result<HashMap<_, _>>>()?;
            let sql = "select source, target, bytes, files, seconds from run order by id desc limit ?1";
            let mut rows = db.prepare_cached(sql)?;
            let run = |row: &Row<'_>| {
                let (bytes, files): (i64, i64) = (row.get(2)?, row.get(3)?);
                let (from, to, seconds) = (row.get(0)?, row.get(1)?, row.get(4)?);
                Ok(Run { from, to, bytes: bytes.cast_unsigned(), files: files.cast_unsigned(), seconds })
            };
            speeds.runs = rows.query_map([NEWEST], run)?.collect::<rusqlite::Result<Vec<_>>>()?;
            Ok(speeds)
        };
        read().map_err(at(&self.path))
    }
}
