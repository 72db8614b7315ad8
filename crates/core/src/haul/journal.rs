//! The journal and the log: one SQLite database in the state folder. Format: `docs/formats.md`, "Journal".
//!
//! Law: a stage is durable before the next act begins (commit with a full flush); block hashes are
//! hints, committed without one, since comparing never trusts them. One program at a time holds the lock.

use std::fs::{self, File, TryLockError};
use std::io;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use rusqlite::{Connection, OpenFlags, OptionalExtension, Row, params};
use serde::Serialize;
use thiserror::Error;

use super::prove::Proof;
use super::stage::Stage;
use crate::bytes::{HaulId, LotId};
use crate::plan::{Mode, PlannedLot, Policy};
use crate::record::FileChange;
use crate::site::Site;
use crate::survey::Held;
use crate::tally::{BlockHash, Entry, EntryKind, LotPath};

const VERSION: i64 = 1;

const TABLES: &str = "
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

/// What was seen of a finished copy: its own inode and time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct There {
    /// Inode of the copy.
    pub inode: u64,
    /// Time of its last change, nanoseconds since 1970.
    pub modified_ns: i128,
}

/// A line of a lot's tally.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TallyEntry {
    /// The original as it was walked.
    pub entry: Entry,
    /// The copy, once it is there.
    pub there: Option<There>,
    /// Whether it was read back and is the same.
    pub compared: bool,
    /// The content list's hash, where the list has this file.
    pub digest: Option<Vec<u8>>,
    /// Hash of each block that was read from the original.
    pub blocks: Vec<Option<BlockHash>>,
}

/// A lot as the journal has it.
#[derive(Clone, Debug, Serialize)]
pub struct LotRow {
    /// Its number.
    pub id: LotId,
    /// Its haul.
    pub haul: HaulId,
    /// The plan for it.
    pub planned: PlannedLot,
    /// Where it stands.
    pub stage: Stage,
    /// Its proof.
    pub proof: Option<Proof>,
    /// The lot of an earlier haul that it takes back.
    pub takes_back: Option<LotId>,
    /// Why it stopped, if it did.
    pub error: Option<String>,
}

impl LotRow {
    /// Whether it still holds originals: compared and repointed, and not yet released.
    pub fn holds_originals(&self) -> bool {
        self.planned.mode != Mode::Rename
            && matches!(self.stage, Stage::Repointed | Stage::Proved { .. } | Stage::Releasing)
    }
}

/// A haul as the journal has it.
#[derive(Clone, Debug, Serialize)]
pub struct HaulRow {
    /// Its number.
    pub id: HaulId,
    /// When it was begun.
    pub made: Timestamp,
    /// When originals are released.
    pub policy: Policy,
    /// The haul that it returns.
    pub returns: Option<HaulId>,
    /// Its lots.
    pub lots: Vec<LotRow>,
}

impl HaulRow {
    /// Whether some lot is under way.
    pub fn unfinished(&self) -> bool {
        self.lots.iter().any(|lot| !lot.stage.at_rest())
    }
}

/// A line of the log.
#[derive(Clone, Debug, Serialize)]
pub struct Event {
    /// When.
    pub at: Timestamp,
    /// The haul.
    pub haul: HaulId,
    /// The lot.
    pub lot: Option<LotId>,
    /// What happened, in one word.
    pub word: String,
    /// More of it: a title or a reason.
    pub detail: String,
}

/// What the journal tells to somebody who only looks.
#[derive(Clone, Debug, Default, Serialize)]
pub struct History {
    /// Hauls, newest first.
    pub hauls: Vec<HaulRow>,
    /// The log, newest first.
    pub events: Vec<Event>,
}

impl History {
    /// Reads the journal of a site without taking its lock; a site without one has an empty history.
    pub fn of(site: &Site) -> Result<Self> {
        let path = database(site);
        if !path.exists() {
            return Ok(Self::default());
        }
        let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let reader = Connection::open_with_flags(&path, flags).and_then(|db| {
            db.busy_timeout(Duration::from_secs(5))?;
            db.pragma_update(None, "query_only", true)?;
            Ok(db)
        });
        let reader = Reader { db: reader.map_err(at(&path))?, path };
        let version: i64 =
            reader.db.pragma_query_value(None, "user_version", |row| row.get(0)).map_err(at(&reader.path))?;
        if version == 0 {
            // The program that was making it was killed, or has not got that far: nothing is written in it.
            return Ok(Self::default());
        }
        reader.check_version()?;
        Ok(Self { hauls: reader.hauls()?, events: reader.events()? })
    }

    /// Originals that are still held, as a survey shows them.
    pub fn held(&self, site: &Site) -> Vec<Held> {
        let lots = self.hauls.iter().flat_map(|haul| &haul.lots).filter(|lot| lot.holds_originals());
        let held = |lot: &LotRow| Held {
            haul: lot.haul,
            title: lot.planned.title.clone(),
            path: lot.planned.from.clone(),
            drive: site.drive_of(&lot.planned.from).map(|drive| drive.name.clone()),
            bytes: lot.planned.size.on_disk,
        };
        lots.map(held).collect()
    }

    /// The haul of this number.
    pub fn haul(&self, id: HaulId) -> Option<&HaulRow> {
        self.hauls.iter().find(|haul| haul.id == id)
    }

    /// The haul that is under way, if there is one.
    pub fn unfinished(&self) -> Option<&HaulRow> {
        self.hauls.iter().find(|haul| haul.unfinished())
    }
}

fn database(site: &Site) -> PathBuf {
    site.state_folder().join("journal.db")
}

fn at(path: &Path) -> impl Fn(rusqlite::Error) -> JournalError + '_ {
    move |source| JournalError::Database { path: path.into(), source }
}

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

#[derive(Debug)]
struct Reader {
    db: Connection,
    path: PathBuf,
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
                let row = params![lot.0, nth as i64, file, change.before, change.after];
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
            let change =
                |row: &Row<'_>| Ok(FileChange { file: path_of(row.get(0)?), before: row.get(1)?, after: row.get(2)? });
            rows.query_map([lot.0], change)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        read().map_err(self.err())
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

fn joined(s: i64, ns: i64) -> i128 {
    i128::from(s) * 1_000_000_000 + i128::from(ns)
}

fn path_of(bytes: Vec<u8>) -> PathBuf {
    PathBuf::from(std::ffi::OsString::from_vec(bytes))
}

fn json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("plans and stages hold text and numbers only")
}

impl Reader {
    fn prepare(&self) -> Result<()> {
        let set = || {
            self.db.busy_timeout(Duration::from_secs(5))?;
            self.db.pragma_update(None, "journal_mode", "WAL")?;
            self.db.pragma_update(None, "synchronous", "FULL")?;
            self.db.pragma_update(None, "foreign_keys", true)?;
            let version: i64 = self.db.pragma_query_value(None, "user_version", |row| row.get(0))?;
            if version == 0 {
                let db = self.db.unchecked_transaction()?;
                db.execute_batch(TABLES)?;
                db.pragma_update(None, "user_version", VERSION)?;
                db.commit()?;
            }
            Ok(())
        };
        set().map_err(at(&self.path))?;
        self.check_version()
    }

    fn check_version(&self) -> Result<()> {
        let found: i64 = self.db.pragma_query_value(None, "user_version", |row| row.get(0)).map_err(at(&self.path))?;
        if found == VERSION { Ok(()) } else { Err(JournalError::Version { path: self.path.clone(), found }) }
    }

    fn row_error(&self, what: impl ToString) -> JournalError {
        JournalError::Row { path: self.path.clone(), what: what.to_string() }
    }

    fn hauls(&self) -> Result<Vec<HaulRow>> {
        let heads = || {
            let mut rows = self.db.prepare("select id, made, policy, returns from haul order by id desc")?;
            let head = |row: &Row<'_>| {
                Ok((
                    row.get::<_, i64>(0)?,
                    row.get::<_, String>(1)?,
                    row.get::<_, String>(2)?,
                    row.get::<_, Option<i64>>(3)?,
                ))
            };
            rows.query_map([], head)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let mut hauls = Vec::new();
        for (id, made, policy, returns) in heads().map_err(at(&self.path))? {
            hauls.push(HaulRow {
                id: HaulId(id),
                made: made.parse().map_err(|e| self.row_error(e))?,
                policy: serde_json::from_str(&policy).map_err(|e| self.row_error(e))?,
                returns: returns.map(HaulId),
                lots: self.lots(HaulId(id))?,
            });
        }
        Ok(hauls)
    }

    fn lots(&self, haul: HaulId) -> Result<Vec<LotRow>> {
        type Raw = (i64, String, String, Option<String>, Option<i64>, Option<String>);
        let raw = || {
            let sql = "select id, planned, stage, proof, takes_back, error from lot where haul = ?1 order by id";
            let mut rows = self.db.prepare_cached(sql)?;
            let raw = |row: &Row<'_>| -> rusqlite::Result<Raw> {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?, row.get(5)?))
            };
            rows.query_map([haul.0], raw)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let lot = |(id, planned, stage, proof, takes_back, error): Raw| {
            Ok(LotRow {
                id: LotId(id),
                haul,
                planned: serde_json::from_str(&planned).map_err(|e| self.row_error(e))?,
                stage: serde_json::from_str(&stage).map_err(|e| self.row_error(e))?,
                proof: proof.map(|p| serde_json::from_str(&p)).transpose().map_err(|e| self.row_error(e))?,
                takes_back: takes_back.map(LotId),
                error,
            })
        };
        raw().map_err(at(&self.path))?.into_iter().map(lot).collect()
    }

    fn events(&self) -> Result<Vec<Event>> {
        let raw = || {
            let mut rows =
                self.db.prepare("select at, haul, lot, word, detail from event order by id desc limit 1000")?;
            let event = |row: &Row<'_>| {
                Ok(Event {
                    at: row.get::<_, String>(0)?.parse().unwrap_or(Timestamp::UNIX_EPOCH),
                    haul: HaulId(row.get(1)?),
                    lot: row.get::<_, Option<i64>>(2)?.map(LotId),
                    word: row.get(3)?,
                    detail: row.get(4)?,
                })
            };
            rows.query_map([], event)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        raw().map_err(at(&self.path))
    }

    fn tally(&self, lot: LotId) -> Result<Vec<TallyEntry>> {
        let raw = || {
            let sql = "select path, kind, target, size, allocated, modified_s, modified_ns, inode, mode, user, grp,
              there_inode, there_s, there_ns, compared, digest from entry where lot = ?1";
            let mut rows = self.db.prepare(sql)?;
            let mut lines = rows.query_map([lot.0], tally_entry)?.collect::<rusqlite::Result<Vec<TallyEntry>>>()?;
            lines.sort_by(|a, b| a.entry.path.as_path().cmp(b.entry.path.as_path()));
            let mut blocks = self.db.prepare("select path, nth, hash from block where lot = ?1")?;
            let mut rows = blocks.query([lot.0])?;
            while let Some(row) = rows.next()? {
                let path = path_of(row.get(0)?);
                let (nth, hash): (i64, Vec<u8>) = (row.get(1)?, row.get(2)?);
                let line = lines.binary_search_by(|line| line.entry.path.as_path().cmp(path.as_path()));
                let slot = line.ok().and_then(|at| lines[at].blocks.get_mut(nth as usize));
                if let (Some(slot), Ok(hash)) = (slot, hash.try_into()) {
                    *slot = Some(hash);
                }
            }
            Ok(lines)
        };
        raw().map_err(at(&self.path))
    }
}

fn tally_entry(row: &Row<'_>) -> rusqlite::Result<TallyEntry> {
    let path = |n: usize| -> rusqlite::Result<LotPath> {
        let wrong = rusqlite::Error::InvalidColumnType(n, "path".into(), rusqlite::types::Type::Blob);
        LotPath::new(&path_of(row.get(n)?)).ok_or(wrong)
    };
    let kind = match row.get::<_, String>(1)?.as_str() {
        "folder" => EntryKind::Folder,
        "link" => EntryKind::Link(path_of(row.get(2)?)),
        "again" => EntryKind::Again(path(2)?),
        _ => EntryKind::File,
    };
    let size = row.get::<_, i64>(3)? as u64;
    let blocks = if kind == EntryKind::File { crate::tally::block_count(size) } else { 0 };
    let there_inode: Option<i64> = row.get(11).optional()?.flatten();
    let there = match there_inode {
        Some(inode) => Some(There { inode: inode as u64, modified_ns: joined(row.get(12)?, row.get(13)?) }),
        None => None,
    };
    Ok(TallyEntry {
        entry: Entry {
            path: path(0)?,
            kind,
            size,
            allocated: row.get::<_, i64>(4)? as u64,
            modified_ns: joined(row.get(5)?, row.get(6)?),
            inode: row.get::<_, i64>(7)? as u64,
            mode: row.get(8)?,
            owner: (row.get(9)?, row.get(10)?),
        },
        there,
        compared: row.get(14)?,
        digest: row.get(15)?,
        blocks: vec![None; blocks as usize],
    })
}
