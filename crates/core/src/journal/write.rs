//! The journal and the log: one SQLite database in the state folder. Format: `docs/formats.md`, "Journal".
//!
//! Law: a stage is durable before the next act begins (commit with a full flush); block hashes are
//! hints, committed without one, since comparing never trusts them. One program at a time holds the lock.

#![expect(clippy::missing_errors_doc, reason = "each fails as the database does, and then nothing of it is written")]

pub(super) mod entries;

use super::codec::path_of;
use super::error::{JournalError, Journaled};
use super::query::{Reader, at, database};
use super::rows::{Came, EventKind, put_mark};
use super::rows::{FileEntry, HaulRow, ItemRow, Sums, UnreadableStretch};
use super::schema::forget_contents;
use crate::bytes::Bytes;
use crate::checksums::ItemPath;
use crate::item::{PlannedItem, Policy, Proof, Residue, Stage, Trial};
use crate::platform;
use crate::platform::NameBytes;
use std::fs::{self, File, TryLockError};
use std::path::{Path, PathBuf};
use std::sync::MutexGuard;
use std::time::Duration;

use jiff::Timestamp;
use rusqlite::{Connection, ErrorCode, Params, params};
use serde::Serialize;

use crate::bytes::{HaulId, ItemId};
use crate::site::{DriveSpeed, Run, Site, Speeds};
use crate::survey::GameId;

/// A journal that was opened, before anybody has looked at what a crash may have left.
#[derive(Debug)]
pub struct UnrecoveredJournal(Journal);

impl UnrecoveredJournal {
    /// Gives the journal, and the haul that was under way when the last program ended; or else the newest one, if it was to
    /// release its originals and has not come to that.
    pub fn recover(self) -> Journaled<(Journal, Option<HaulRow>)> {
        let (live, newest) = self.0.reader.live()?;
        let mut hauls = self.0.reader.some_hauls(Some(&live))?;
        let open = hauls.iter().position(HaulRow::unfinished);
        let open = open
            .or_else(|| hauls.first().is_some_and(|haul| Some(haul.id) == newest && haul.owes_release()).then_some(0));
        // Its items are at rest, and those that they take back do not say so yet.
        let taken = |item: &ItemRow| item.stage.at_rest() && item.stage.records_are_updated();
        let is_left = |old: ItemId| {
            let items = hauls.iter().flat_map(|haul| &haul.items);
            items.filter(|item| item.id == old).any(|item| item.stage.records_are_updated())
        };
        let owes = |haul: &HaulRow| haul.items.iter().any(|item| taken(item) && item.takes_back.is_some_and(is_left));
        let open = open.or_else(|| hauls.iter().position(owes));
        let unfinished = open.map(|at| hauls.swap_remove(at));
        Ok((self.0, unfinished))
    }
}

/// The journal, held by this program alone.
#[derive(Debug)]
pub struct Journal {
    reader: Reader,
    reserve: Reserve,
    _lock: File,
}

impl Journal {
    /// Opens the journal of a site, makes it if there is none, and takes its lock.
    ///
    /// # Errors
    /// [`JournalError::Locked`] if another program works here.
    pub fn open(site: &Site) -> Journaled<UnrecoveredJournal> {
        let folder = site.state_folder();
        let make = |path: &Path, source| JournalError::Folder { path: path.into(), source };
        platform::make_private(&folder).map_err(|e| make(&folder, e))?;
        let lock_path = folder.join("lock");
        let lock = platform::create_private(&lock_path).map_err(|e| make(&lock_path, e))?;
        let mut tries = 10;
        loop {
            match lock.try_lock() {
                Ok(()) => break,
                // A program that is just ending, or a child of it that has not begun yet, holds it for some moments more.
                Err(TryLockError::WouldBlock) if tries > 0 => {
                    tries -= 1;
                    std::thread::sleep(Duration::from_millis(20));
                }
                Err(TryLockError::WouldBlock) => return Err(JournalError::Locked { path: lock_path }),
                Err(TryLockError::Error(e)) => return Err(make(&lock_path, e)),
            }
        }
        let path = database(site);
        // What the database puts beside its file takes over who may read it.
        platform::append_private(&path).map_err(|e| make(&path, e))?;
        let reader = Reader::of(Connection::open(&path).map_err(at(&path))?, path);
        reader.prepare()?;
        platform::flush_folder(&folder).map_err(|e| make(&folder, e))?;
        let reserve = Reserve::keep(&folder);
        Ok(UnrecoveredJournal(Self { reader, reserve, _lock: lock }))
    }

    fn db(&self) -> MutexGuard<'_, Connection> {
        self.reader.db()
    }

    /// Its connection, for what looks after the database itself.
    pub(crate) fn connection(&self) -> MutexGuard<'_, Connection> {
        self.reader.db()
    }

    /// Its file.
    pub(crate) fn database(&self) -> &Path {
        &self.reader.path
    }

    fn err(&self) -> impl Fn(rusqlite::Error) -> JournalError + '_ {
        at(&self.reader.path)
    }

    /// All hauls, newest first.
    pub fn hauls(&self) -> Journaled<Vec<HaulRow>> {
        self.reader.hauls()
    }

    /// The hauls that are under way, hold originals or owe something, newest first: quick however long the log is.
    pub fn live(&self) -> Journaled<Vec<HaulRow>> {
        self.reader.some_hauls(Some(&self.reader.live()?.0))
    }

    /// One haul.
    pub fn haul(&self, id: HaulId) -> Journaled<Option<HaulRow>> {
        self.reader.haul(id)
    }

    /// The items of a game, those of the newest haul first, each haul's in their order.
    pub fn items_of(&self, game: &GameId) -> Journaled<Vec<ItemRow>> {
        self.reader.items_of(game)
    }

    /// The items that take up again what this one holds.
    pub(crate) fn items_taking_back(&self, item: ItemId) -> Journaled<Vec<ItemRow>> {
        self.reader.items_taking_back(item)
    }

    /// Items that were brought before this one, and undone after it.
    pub(crate) fn items_undone_around(&self, item: ItemId) -> Journaled<Vec<ItemRow>> {
        self.reader.items_undone_around(item)
    }

    /// The item of this number.
    pub fn item(&self, id: ItemId) -> Journaled<Option<ItemRow>> {
        self.reader.item(id)
    }

    /// Writes down a new haul; its items are planned. `takes_back` names the earlier item of each, if any.
    pub fn begin(
        &self,
        items: &[(PlannedItem, Option<ItemId>)],
        policy: Policy,
        returns: Option<HaulId>,
    ) -> Journaled<HaulId> {
        self.begin_with(items, policy, returns, Trial::None, &[])
    }

    /// Does the same, and in one act with it says that the items after the first one wait for a yes, if they do, and where items of an
    /// earlier haul stand from then on.
    pub(crate) fn begin_with(
        &self,
        items: &[(PlannedItem, Option<ItemId>)],
        policy: Policy,
        returns: Option<HaulId>,
        trial: Trial,
        settled: &[(ItemId, Stage)],
    ) -> Journaled<HaulId> {
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            db.execute(
                "insert into haul(made, policy, returns) values(?1, ?2, ?3)",
                params![Timestamp::now().to_string(), json(&policy), returns.map(|h| h.0)],
            )?;
            let haul = db.last_insert_rowid();
            for (planned, takes_back) in items {
                db.execute(
                    "insert into lot(haul, planned, stage, takes_back) values(?1, ?2, ?3, ?4)",
                    params![haul, json(planned), json(&Stage::Planned), takes_back.map(|l| l.0)],
                )?;
            }
            for (item, stage) in settled {
                db.execute("update lot set stage = ?2, error = null where id = ?1", params![item.0, json(stage)])?;
                put_mark(&db, *item, Came::To(stage.kind()))?;
            }
            if trial == Trial::Waits && items.len() > 1 {
                db.execute("insert into trial values(?1, 0)", [haul])?;
            }
            db.commit()?;
            Ok(HaulId(haul))
        };
        let id = write().map_err(self.err())?;
        self.say(id, None, EventKind::Begun, "")?;
        Ok(id)
    }

    /// Writes down that the items behind the first one wait for a person's yes, or that it was given.
    pub fn set_trial(&self, haul: HaulId, trial: Trial) -> Journaled<()> {
        let sql = "insert into trial values(?1, ?2) on conflict(haul) do update set agreed = excluded.agreed";
        self.db().execute(sql, params![haul.0, trial == Trial::Agreed]).map(drop).map_err(self.err())
    }

    /// Keeps what a copy with its comparison has reached.
    pub(crate) fn put_run(&self, run: &Run) -> Journaled<()> {
        let sql = "insert into run(at, source, target, bytes, files, seconds) values(?1, ?2, ?3, ?4, ?5, ?6)";
        let at = Timestamp::now().to_string();
        let row = params![at, run.from, run.to, run.bytes.cast_signed(), run.files.cast_signed(), run.seconds];
        self.db().execute(sql, row).map(drop).map_err(self.err())
    }

    /// What is known of the speeds of drives.
    pub fn speeds(&self) -> Journaled<Speeds> {
        self.reader.speeds()
    }

    /// Keeps what a probe of a drive has measured, instead of an earlier one.
    pub fn put_probe(&self, drive: &str, pace: &DriveSpeed) -> Journaled<()> {
        let sql = "insert or replace into probe values(?1, ?2, ?3, ?4, ?5)";
        let row = params![drive, Timestamp::now().to_string(), pace.read, pace.write, pace.per_file];
        self.db().execute(sql, row).map(drop).map_err(self.err())
    }

    /// Writes down where an item stands, and when it came there; durable when this returns.
    pub fn set_stage(&self, item: ItemId, stage: &Stage) -> Journaled<()> {
        let sql = "update lot set stage = ?2, error = null where id = ?1";
        self.change_item(item, Came::To(stage.kind()), sql, params![item.0, json(stage)])
    }

    /// Writes down why an item stopped.
    pub fn set_error(&self, item: ItemId, why: &str) -> Journaled<()> {
        self.change_item(item, Came::Stopped, "update lot set error = ?2 where id = ?1", params![item.0, why])
    }

    /// Writes down an item's proof and that it was made.
    pub fn set_proof(&self, item: ItemId, proof: &Proof, stage: &Stage) -> Journaled<()> {
        let sql = "update lot set proof = ?2, stage = ?3, error = null where id = ?1";
        self.change_item(item, Came::To(stage.kind()), sql, params![item.0, json(proof), json(stage)])
    }

    /// Adds to an item's proof what leads to its old folder still; the item stays at its stage.
    pub(crate) fn add_residue(&self, item: ItemId, residue: &Residue) -> Journaled<()> {
        let sql = "update lot set proof = json_set(proof, '$.residue', json(?2)) where id = ?1 and proof is not null";
        self.written(|| self.db().execute(sql, params![item.0, json(residue)])).map(drop)
    }

    /// Writes what the end of a phase needs. Where the drive has run full meanwhile, the room that was kept for it is used.
    fn written<T>(&self, write: impl Fn() -> rusqlite::Result<T>) -> Journaled<T> {
        match write() {
            Err(error) if error.sqlite_error_code() == Some(ErrorCode::DiskFull) && self.reserve.spend() => write(),
            other => other,
        }
        .map_err(self.err())
    }

    /// Changes an item's row, and says in the same act what it reached.
    fn change_item(&self, item: ItemId, came: Came, sql: &str, row: impl Params + Clone) -> Journaled<()> {
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            db.execute(sql, row.clone())?;
            forget_contents(&db, Some(item.0))?;
            put_mark(&db, item, came)?;
            db.commit()
        };
        self.written(write)
    }

    /// Adds a line to the log.
    pub fn say(&self, haul: HaulId, item: Option<ItemId>, kind: EventKind, detail: &str) -> Journaled<()> {
        let sql = "insert into event(at, haul, lot, word, detail) values(?1, ?2, ?3, ?4, ?5)";
        let at = Timestamp::now().to_string();
        self.written(|| self.db().execute(sql, params![at, haul.0, item.map(|l| l.0), kind.word(), detail]).map(drop))
    }

    /// The connection, where hints are written: they may be lost in a power cut, with what was written after them.
    pub(crate) fn lightly<T>(&self, write: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Journaled<T> {
        let all = self.db();
        let work = || {
            all.pragma_update(None, "synchronous", "NORMAL")?;
            let db = all.unchecked_transaction()?;
            let value = write(&db)?;
            db.commit()?;
            Ok(value)
        };
        // Stages are durable again, whatever became of the hints.
        let (written, full) = (work(), all.pragma_update(None, "synchronous", "FULL"));
        written.and_then(|value| full.map(|()| value)).map_err(self.err())
    }

    /// Forgets what could not be read: it is tried again.
    pub(crate) fn forget_unreadable(&self, item: ItemId) -> Journaled<()> {
        self.db().execute("delete from unreadable where lot = ?1", [item.0]).map(drop).map_err(self.err())
    }

    /// Stretches of an item's originals that could not be read, file by file in the order of a walk.
    pub fn unreadable(&self, item: ItemId) -> Journaled<Vec<UnreadableStretch>> {
        self.reader.unreadable(item)
    }

    /// Writes down that a file's bytes are to be taken from another copy.
    pub(crate) fn set_taken(&self, item: ItemId, path: &ItemPath, from: &Path) -> Journaled<()> {
        let sql = "update entry set taken = ?3 where lot = ?1 and path = ?2";
        let row = params![item.0, path.key(), from.name_bytes()];
        self.db().execute(sql, row).map(drop).map_err(self.err())
    }

    /// Says of a whole checksums that it was read and is the same.
    pub(crate) fn set_all_compared(&self, item: ItemId) -> Journaled<()> {
        self.db().execute("update entry set compared = 1 where lot = ?1", [item.0]).map(drop).map_err(self.err())
    }

    /// The line of one path.
    pub(crate) fn line(&self, item: ItemId, path: &ItemPath) -> Journaled<Option<FileEntry>> {
        self.reader.entry(item, path)
    }

    /// What an item's checksums comes to.
    pub(crate) fn sums(&self, item: ItemId) -> Journaled<Sums> {
        self.reader.sums(item)
    }

    /// Writes down that a folder was made on the way to an item's place.
    pub(crate) fn put_made(&self, item: ItemId, folder: &Path) -> Journaled<()> {
        let sql = "insert or ignore into made values(?1, ?2)";
        self.db().execute(sql, params![item.0, folder.name_bytes()]).map(drop).map_err(self.err())
    }

    /// The folders that were made on the way to an item's place, those that lie deepest first.
    pub(crate) fn made(&self, item: ItemId) -> Journaled<Vec<PathBuf>> {
        let read = || {
            let db = self.db();
            let mut rows = db.prepare_cached("select path from made where lot = ?1 order by length(path) desc")?;
            rows.query_map([item.0], |row| row.get(0).map(path_of))?.collect::<rusqlite::Result<Vec<_>>>()
        };
        read().map_err(self.err())
    }
}

/// Room on the drive of the state folder that is kept for the ends of phases: a haul whose drive runs full in the middle of its
/// records can still write down how far it is.
#[derive(Debug)]
struct Reserve {
    file: PathBuf,
}

impl Reserve {
    /// Bytes: far more than stages, proofs and lines of the log take.
    const BYTES: u64 = 2_000_000;

    /// Takes the room, if that leaves some for others.
    #[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
    fn keep(folder: &Path) -> Self {
        let reserve = Self { file: folder.join("reserve") };
        let free = platform::free_at(folder).map_or(0, Bytes::count);
        if !reserve.file.exists() && free > Self::BYTES * 2 {
            let kept = platform::create_private(&reserve.file).and_then(|file| platform::take_room(&file, Self::BYTES));
            if kept.is_err() {
                #[expect(
                    clippy::let_underscore_must_use,
                    reason = "a file system that keeps no room for a file: then there is none to be had"
                )]
                let _ = fs::remove_file(&reserve.file);
            }
        }
        reserve
    }

    /// Gives the room free; `false` if there was none.
    #[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
    fn spend(&self) -> bool {
        fs::remove_file(&self.file).is_ok()
    }
}

fn json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("plans and stages hold text and numbers only")
}
