//! The journal and the log: one SQLite database in the state folder. Format: `docs/formats.md`, "Journal".
//!
//! Law: a stage is durable before the next act begins (commit with a full flush); block hashes are
//! hints, committed without one, since comparing never trusts them. One program at a time holds the lock.

use std::fs::{self, File, TryLockError};
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use rusqlite::{Connection, Row, params};
use serde::Serialize;
use thiserror::Error;

use super::history::{HaulRow, LotRow, Reader, TallyEntry, There, at, database, path_of};
use super::prove::Proof;
use super::stage::Stage;
use crate::bytes::{HaulId, LotId};
use crate::plan::{PlannedLot, Policy};
use crate::record::{Content, FileChange};
use crate::site::Site;
use crate::tally::{BlockHash, EntryKind, LotPath};

pub(super) const VERSION: i64 = 2;

pub(super) const TABLES: &str = "
create table haul(id integer primary key, made text not null, policy text not null, returns integer references haul(id));
create table lot(id integer primary key, haul integer not null references haul(id), planned text not null,
  stage text not null, proof text, takes_back integer references lot(id), error text);
create table entry(lot integer not null references lot(id), path blob not null, kind text not null, target blob,
  size integer not null, allocated integer not null, modified_s integer not null, modified_ns integer not null,
  inode integer not null, mode integer not null, user integer not null, grp integer not null,
  there_inode integer, there_s integer, there_ns integer, compared integer not null default 0, digest blob,
  primary key(lot, path)) without rowid;
create table block(lot integer not null references lot(id), path blob not null, nth integer not null,
  hash blob not null, primary key(lot, path, nth)) without rowid;
create table change(lot integer not null references lot(id), nth integer not null, file blob not null,
  before blob, after blob, primary key(lot, nth)) without rowid;
create table event(id integer primary key, at text not null, haul integer not null, lot integer, word text not null, detail text not null);
";

/// Why the journal cannot be used.
#[derive(Debug, Error)]
pub enum JournalError {
    /// The state folder or its lock cannot be made.
    #[error("cannot make {path}")]
    Folder {
        /// The folder or lock.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// Another program works with this state folder.
    #[error("another deft-barge holds {path}")]
    Locked {
        /// The lock.
        path: PathBuf,
    },
    /// The database cannot be read or written.
    #[error("{path}: {source}")]
    Database {
        /// The database.
        path: PathBuf,
        /// What SQLite said.
        source: rusqlite::Error,
    },
    /// The database was made by another version.
    #[error("{path} has format {found}; this program reads {VERSION}")]
    Version {
        /// The database.
        path: PathBuf,
        /// Its format.
        found: i64,
    },
    /// A row does not hold what it should.
    #[error("{path}: {what}")]
    Row {
        /// The database.
        path: PathBuf,
        /// The fault.
        what: String,
    },
}

type Result<T> = std::result::Result<T, JournalError>;

/// A journal that was opened, before anybody has looked at what a crash may have left.
#[derive(Debug)]
pub struct UnrecoveredJournal(Journal);

impl UnrecoveredJournal {
    /// Gives the journal, and the haul that was under way when the last program ended.
    pub fn recover(self) -> Result<(Journal, Option<HaulRow>)> {
        let unfinished = self.0.hauls()?.into_iter().find(HaulRow::unfinished);
        Ok((self.0, unfinished))
    }
}

/// The journal, held by this program alone.
#[derive(Debug)]
pub struct Journal {
    reader: Reader,
    _lock: File,
}

impl Journal {
    /// Opens the journal of a site, makes it if there is none, and takes its lock.
    ///
    /// # Errors
    /// [`JournalError::Locked`] if another program works here.
    #[expect(
        clippy::disallowed_methods,
        reason = "the state folder holds no games, and must be there before any of it"
    )]
    pub fn open(site: &Site) -> Result<UnrecoveredJournal> {
        let folder = site.state_folder();
        let make = |path: &Path, source| JournalError::Folder { path: path.into(), source };
        fs::create_dir_all(&folder).map_err(|e| make(&folder, e))?;
        let lock_path = folder.join("lock");
        let lock = File::create(&lock_path).map_err(|e| make(&lock_path, e))?;
        match lock.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => return Err(JournalError::Locked { path: lock_path }),
            Err(TryLockError::Error(e)) => return Err(make(&lock_path, e)),
        }
        let path = database(site);
        let reader = Reader { db: Connection::open(&path).map_err(at(&path))?, path };
        reader.prepare()?;
        File::open(&folder).and_then(|folder| folder.sync_all()).map_err(|e| make(&folder, e))?;
        Ok(UnrecoveredJournal(Self { reader, _lock: lock }))
    }

    fn db(&self) -> &Connection {
        &self.reader.db
    }

    fn err(&self) -> impl Fn(rusqlite::Error) -> JournalError + '_ {
        at(&self.reader.path)
    }

    /// All hauls, newest first.
    pub fn hauls(&self) -> Result<Vec<HaulRow>> {
        self.reader.hauls()
    }

    /// One haul.
    pub fn haul(&self, id: HaulId) -> Result<Option<HaulRow>> {
        Ok(self.hauls()?.into_iter().find(|haul| haul.id == id))
    }

    /// The lot of this number.
    pub fn lot(&self, id: LotId) -> Result<Option<LotRow>> {
        Ok(self.hauls()?.into_iter().flat_map(|haul| haul.lots).find(|lot| lot.id == id))
    }

    /// Writes down a new haul; its lots are planned. `takes_back` names the earlier lot of each, if any.
    pub fn begin(
        &self,
        lots: &[(PlannedLot, Option<LotId>)],
        policy: Policy,
        returns: Option<HaulId>,
    ) -> Result<HaulId> {
        let write = || {
            let db = self.db().unchecked_transaction()?;
            db.execute(
                "insert into haul(made, policy, returns) values(?1, ?2, ?3)",
                params![Timestamp::now().to_string(), json(&policy), returns.map(|h| h.0)],
            )?;
            let haul = db.last_insert_rowid();
            for (planned, takes_back) in lots {
                db.execute(
                    "insert into lot(haul, planned, stage, takes_back) values(?1, ?2, ?3, ?4)",
                    params![haul, json(planned), json(&Stage::Planned), takes_back.map(|l| l.0)],
                )?;
            }
            db.commit()?;
            Ok(HaulId(haul))
        };
        let id = write().map_err(self.err())?;
        self.say(id, None, "begun", "")?;
        Ok(id)
    }

    /// Writes down where a lot stands; durable when this returns.
    pub fn set_stage(&self, lot: LotId, stage: &Stage) -> Result<()> {
        let sql = "update lot set stage = ?2, error = null where id = ?1";
        self.db().execute(sql, params![lot.0, json(stage)]).map(drop).map_err(self.err())
    }

    /// Writes down why a lot stopped.
    pub fn set_error(&self, lot: LotId, why: &str) -> Result<()> {
        self.db().execute("update lot set error = ?2 where id = ?1", params![lot.0, why]).map(drop).map_err(self.err())
    }

    /// Writes down a lot's proof and that it was made.
    pub fn set_proof(&self, lot: LotId, proof: &Proof, stage: &Stage) -> Result<()> {
        let sql = "update lot set proof = ?2, stage = ?3, error = null where id = ?1";
        self.db().execute(sql, params![lot.0, json(proof), json(stage)]).map(drop).map_err(self.err())
    }

    /// Adds a line to the log.
    pub fn say(&self, haul: HaulId, lot: Option<LotId>, word: &str, detail: &str) -> Result<()> {
        let sql = "insert into event(at, haul, lot, word, detail) values(?1, ?2, ?3, ?4, ?5)";
        let row = params![Timestamp::now().to_string(), haul.0, lot.map(|l| l.0), word, detail];
        self.db().execute(sql, row).map(drop).map_err(self.err())
    }

    /// Writes tally lines, each with all that is known of it; lines of the same path are replaced.
    pub fn put_entries(&self, lot: LotId, entries: &[TallyEntry]) -> Result<()> {
        let write = || {
            let db = self.db().unchecked_transaction()?;
            for line in entries {
                db.prepare_cached("delete from block where lot = ?1 and path = ?2")?
                    .execute(params![lot.0, line.entry.path.bytes()])?;
                put_entry(&db, lot, line)?;
                for (nth, hash) in line.blocks.iter().enumerate() {
                    if let Some(hash) = hash {
                        put_block(&db, lot, &line.entry.path, nth as u64, hash)?;
                    }
                }
            }
            db.commit()
        };
        write().map_err(self.err())
    }

    /// Takes tally lines away.
    pub fn drop_entries(&self, lot: LotId, paths: &[LotPath]) -> Result<()> {
        let write = || {
            let db = self.db().unchecked_transaction()?;
            for path in paths {
                for table in ["block", "entry"] {
                    db.execute(
                        &format!("delete from {table} where lot = ?1 and path = ?2"),
                        params![lot.0, path.bytes()],
                    )?;
                }
            }
            db.commit()
        };
        write().map_err(self.err())
    }

    /// Writes down block hashes and finished files, as hints: durable with the next stage at the latest.
    pub(super) fn put_hints(
        &self,
        lot: LotId,
        blocks: &[(LotPath, u64, BlockHash)],
        compared: &[(LotPath, There, Option<Vec<u8>>)],
    ) -> Result<()> {
        let write = || {
            self.db().pragma_update(None, "synchronous", "NORMAL")?;
            let db = self.db().unchecked_transaction()?;
            for (path, nth, hash) in blocks {
                put_block(&db, lot, path, *nth, hash)?;
            }
            for (path, there, digest) in compared {
                let sql = "update entry set compared = 1, there_inode = ?3, there_s = ?4, there_ns = ?5, digest = ?6 where lot = ?1 and path = ?2";
                let (s, ns) = split(there.modified_ns);
                db.prepare_cached(sql)?.execute(params![lot.0, path.bytes(), there.inode as i64, s, ns, digest])?;
            }
            db.commit()?;
            self.db().pragma_update(None, "synchronous", "FULL")
        };
        write().map_err(self.err())
    }

    /// The tally of a lot, in the order of paths, folders before what is in them.
    pub fn tally(&self, lot: LotId) -> Result<Vec<TallyEntry>> {
        self.reader.tally(lot)
    }

    /// Writes down the bytes of record files before and after, and that they are being replaced.
    pub fn put_changes(&self, lot: LotId, changes: &[FileChange], stage: &Stage) -> Result<()> {
        let write = || {
            let db = self.db().unchecked_transaction()?;
            db.execute("delete from change where lot = ?1", params![lot.0])?;
            for (nth, change) in changes.iter().enumerate() {
                let file = change.file.as_os_str().as_bytes();
                let row = params![lot.0, nth as i64, file, change.before.to_row(), change.after.to_row()];
                db.execute("insert into change(lot, nth, file, before, after) values(?1, ?2, ?3, ?4, ?5)", row)?;
            }
            db.execute("update lot set stage = ?2 where id = ?1", params![lot.0, json(stage)])?;
            db.commit()
        };
        write().map_err(self.err())
    }

    /// The bytes of a lot's record files before and after its repoint.
    pub fn changes(&self, lot: LotId) -> Result<Vec<FileChange>> {
        let read = || {
            let mut rows = self.db().prepare("select file, before, after from change where lot = ?1 order by nth")?;
            let change = |row: &Row<'_>| {
                Ok((row.get::<_, Vec<u8>>(0)?, row.get::<_, Option<Vec<u8>>>(1)?, row.get::<_, Option<Vec<u8>>>(2)?))
            };
            rows.query_map([lot.0], change)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let mut changes = Vec::new();
        for (file, before, after) in read().map_err(self.err())? {
            let content = |row: Option<Vec<u8>>| {
                Content::of_row(row.as_deref())
                    .ok_or_else(|| self.reader.row_error("a change is neither bytes, link nor cells"))
            };
            changes.push(FileChange { file: path_of(file), before: content(before)?, after: content(after)? });
        }
        Ok(changes)
    }
}

fn put_entry(db: &Connection, lot: LotId, line: &TallyEntry) -> rusqlite::Result<()> {
    let entry = &line.entry;
    let (kind, target): (&str, Option<&[u8]>) = match &entry.kind {
        EntryKind::Folder => ("folder", None),
        EntryKind::File => ("file", None),
        EntryKind::Link(target) => ("link", Some(target.as_os_str().as_bytes())),
        EntryKind::Again(of) => ("again", Some(of.bytes())),
    };
    let (s, ns) = split(entry.modified_ns);
    let there = line.there.map(|there| (there.inode as i64, split(there.modified_ns)));
    let sql =
        "insert or replace into entry(lot, path, kind, target, size, allocated, modified_s, modified_ns, inode, mode,
      user, grp, there_inode, there_s, there_ns, compared, digest)
      values(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17)";
    db.prepare_cached(sql)?.execute(params![
        lot.0,
        entry.path.bytes(),
        kind,
        target,
        entry.size as i64,
        entry.allocated as i64,
        s,
        ns,
        entry.inode as i64,
        entry.mode,
        entry.owner.0,
        entry.owner.1,
        there.map(|t| t.0),
        there.map(|t| t.1.0),
        there.map(|t| t.1.1),
        line.compared,
        line.digest,
    ])?;
    Ok(())
}

fn put_block(db: &Connection, lot: LotId, path: &LotPath, nth: u64, hash: &BlockHash) -> rusqlite::Result<()> {
    let sql = "insert or replace into block(lot, path, nth, hash) values(?1, ?2, ?3, ?4)";
    db.prepare_cached(sql)?.execute(params![lot.0, path.bytes(), nth as i64, hash]).map(drop)
}

fn split(ns: i128) -> (i64, i64) {
    (ns.div_euclid(1_000_000_000) as i64, ns.rem_euclid(1_000_000_000) as i64)
}

fn json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("plans and stages hold text and numbers only")
}
