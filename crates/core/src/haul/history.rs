//! What the journal holds, read: hauls, lots, tallies and the log. Reading takes no lock and changes nothing.

use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use rusqlite::{Connection, OpenFlags, OptionalExtension, Row};
use serde::Serialize;

use super::journal::{JournalError, TABLES, VERSION};
use super::prove::Proof;
use super::stage::Stage;
use crate::bytes::{HaulId, LotId};
use crate::plan::{Mode, PlannedLot, Policy};
use crate::site::Site;
use crate::survey::Held;
use crate::tally::{BlockHash, Entry, EntryKind, LotPath};

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
        matches!(self.planned.mode, Mode::Copy | Mode::TakeBack)
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
        // What version 2 changed is not looked at here; a journal of version 1 is brought up when it is opened to write.
        if version != 1 {
            reader.check_version()?;
        }
        Ok(Self { hauls: reader.hauls()?, events: reader.events()? })
    }

    /// Originals that are still held, as a survey shows them.
    pub fn held(&self, site: &Site) -> Vec<Held> {
        let all = || self.hauls.iter().flat_map(|haul| &haul.lots);
        // Originals that a return has taken up again are nobody's held originals any more.
        let leads_back = |stage: &Stage| *stage == Stage::Repointing || stage.is_repointed();
        let taken_up = |lot: &LotRow| all().any(|back| back.takes_back == Some(lot.id) && leads_back(&back.stage));
        let lots = all().filter(|lot| lot.holds_originals() && !taken_up(lot));
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

pub(super) fn database(site: &Site) -> PathBuf {
    site.state_folder().join("journal.db")
}

pub(super) fn at(path: &Path) -> impl Fn(rusqlite::Error) -> JournalError + '_ {
    move |source| JournalError::Database { path: path.into(), source }
}

#[derive(Debug)]
pub(super) struct Reader {
    pub(super) db: Connection,
    pub(super) path: PathBuf,
}

fn joined(s: i64, ns: i64) -> i128 {
    i128::from(s) * 1_000_000_000 + i128::from(ns)
}

pub(super) fn path_of(bytes: Vec<u8>) -> PathBuf {
    PathBuf::from(std::ffi::OsString::from_vec(bytes))
}

impl Reader {
    pub(super) fn prepare(&self) -> Result<()> {
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
            if version == 1 {
                // Version 1 knew files alone: their bytes get the letter that says so.
                let db = self.db.unchecked_transaction()?;
                db.execute_batch(
                    "update change set before = cast(x'62' || before as blob) where before is not null;
                     update change set after = cast(x'62' || after as blob) where after is not null;",
                )?;
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

    pub(super) fn row_error(&self, what: impl ToString) -> JournalError {
        JournalError::Row { path: self.path.clone(), what: what.to_string() }
    }

    pub(super) fn hauls(&self) -> Result<Vec<HaulRow>> {
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

    pub(super) fn tally(&self, lot: LotId) -> Result<Vec<TallyEntry>> {
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
