//! What the journal holds, read: hauls, items, checksums and the log. Reading takes no lock and changes nothing.

#![expect(clippy::missing_errors_doc, reason = "each fails as the database does")]

use super::codec::{among, file_entry, numbers, path_of, planned_of, stretch};
use super::error::VERSION;
use super::error::{JournalError, Journaled};
use super::rows::LogLine;
use super::rows::{Event, EventKind, FileEntry, HaulRow, ItemRow, Sums, UnreadableStretch};
use super::schema::{GAME, bring_up, is_of_version_3, is_of_version_6};
use crate::checksums::ItemPath;
use crate::item::{Left, Stage, WhyLeft};

use crate::site::{Site, Speeds};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use jiff::Timestamp;
use rayon::prelude::*;
use rusqlite::{Connection, OpenFlags, Row, ToSql, params, params_from_iter};
use serde::Serialize;

use crate::bytes::{Bytes, HaulId, ItemId};
use crate::survey::{GameId, Held};

/// Hauls that were read whole, and what the log tells of them.
type Whole = (Vec<HaulRow>, Vec<Event>);

/// What the journal tells to somebody who only looks.
#[derive(Clone, Debug, Default, Serialize)]
pub struct History {
    /// Every haul as a line shows it, newest first.
    #[serde(skip)]
    pub lines: Vec<LogLine>,
    /// Hauls with all that is known of them, newest first: every one, or those that [`History::recent`] reads.
    pub hauls: Vec<HaulRow>,
    /// The log, newest first.
    pub events: Vec<Event>,
    /// What is known of the speeds of drives.
    pub speeds: Speeds,
}

impl History {
    /// Reads the journal of a site without taking its lock; a site without one has an empty history. Every haul is read whole.
    pub fn of(site: &Site) -> Journaled<Self> {
        Self::read(site, &|reader, _| Ok((reader.hauls()?, reader.events(None)?)))
    }

    /// Reads a line of every haul, and whole only those that are under way, hold originals or owe something, and the newest ones:
    /// quick however long the log is.
    pub fn recent(site: &Site) -> Journaled<Self> {
        /// Hauls that are read whole whatever they are.
        const NEWEST: usize = 20;
        Self::with(site, &|lines| lines.iter().take(NEWEST).map(|line| line.id).collect())
    }

    /// Does the same with other hauls than the newest ones: `chosen` names them.
    pub fn with(site: &Site, chosen: &dyn Fn(&[LogLine]) -> Vec<HaulId>) -> Journaled<Self> {
        Self::read(site, &|reader, lines| {
            let mut wanted = reader.live()?.0;
            wanted.extend(chosen(lines));
            let hauls = reader.some_hauls(Some(&wanted))?;
            // What no haul has done stands under none.
            wanted.push(HaulId(0));
            Ok((hauls, reader.events(Some(&wanted))?))
        })
    }

    /// Reads one haul whole, with what the log tells of it; `None` if there is none of this number.
    pub fn one(site: &Site, id: HaulId) -> Journaled<Option<(HaulRow, Vec<Event>)>> {
        let Some(reader) = reader(site)? else { return Ok(None) };
        let Some(haul) = reader.haul(id)? else { return Ok(None) };
        Ok(Some((haul, reader.events(Some(&[id]))?)))
    }

    /// When the originals of items were let go, as the log tells it.
    pub fn released(site: &Site) -> Journaled<BTreeMap<ItemId, Timestamp>> {
        reader(site)?.map_or_else(|| Ok(BTreeMap::new()), |reader| reader.released())
    }

    /// What removals of a haul had to leave, by the titles of its items.
    pub fn remains(site: &Site, id: HaulId) -> Journaled<Vec<(String, Vec<Left>)>> {
        let Some(reader) = reader(site)? else { return Ok(Vec::new()) };
        let Some(haul) = reader.haul(id)? else { return Ok(Vec::new()) };
        let mut all = Vec::new();
        for item in haul.items {
            let left = reader.remains(item.id)?;
            if !left.is_empty() {
                all.push((item.planned.title, left));
            }
        }
        Ok(all)
    }

    /// Adds a haul that was read alone, in its place; instead of what is there of it.
    pub fn add(&mut self, haul: HaulRow, events: Vec<Event>) {
        self.events.retain(|event| event.haul != haul.id);
        self.events.extend(events);
        let at = self.hauls.partition_point(|other| other.id > haul.id);
        if self.hauls.get(at).is_some_and(|other| other.id == haul.id) {
            self.hauls[at] = haul;
        } else {
            self.hauls.insert(at, haul);
        }
    }

    fn read(site: &Site, rest: &dyn Fn(&Reader, &[LogLine]) -> Journaled<Whole>) -> Journaled<Self> {
        let Some(reader) = reader(site)? else { return Ok(Self::default()) };
        let version = reader.version()?;
        if version == 0 {
            // The program that was making it was killed, or has not got that far: nothing is written in it.
            return Ok(Self::default());
        }
        // What versions 2 and 3 changed is not looked at here; an older journal is brought up when it is opened to write.
        if version > VERSION {
            reader.check_version()?;
        }
        let lines = reader.lines()?;
        let (hauls, events) = rest(&reader, &lines)?;
        Ok(Self { lines, hauls, events, speeds: reader.speeds()? })
    }

    /// Originals that are still held, as a survey shows them.
    pub fn held(&self, site: &Site) -> Vec<Held> {
        let all = || self.hauls.iter().flat_map(|haul| &haul.items);
        // Originals that a return has taken up again are nobody's kept originals any more.
        let leads_back = |stage: &Stage| *stage == Stage::UpdatingRecords || stage.records_are_updated();
        let taken_up: HashSet<ItemId> =
            all().filter(|back| leads_back(&back.stage)).filter_map(|back| back.takes_back).collect();
        let items = all().filter(|item| item.holds_originals() && !taken_up.contains(&item.id));
        let held = |item: &ItemRow| Held {
            haul: item.haul,
            game: item.planned.game.clone(),
            title: item.planned.title.clone(),
            path: item.held_at().into(),
            drive: site.drive_of(item.held_at()).map(|drive| drive.name.clone()),
            bytes: item.planned.size.on_disk,
        };
        items.map(held).collect()
    }

    /// The haul of this number, if it was read whole.
    pub fn haul(&self, id: HaulId) -> Option<&HaulRow> {
        self.hauls.iter().find(|haul| haul.id == id)
    }

    /// The line of the haul of this number.
    pub fn line(&self, id: HaulId) -> Option<&LogLine> {
        self.lines.binary_search_by(|line| id.cmp(&line.id)).ok().map(|at| &self.lines[at])
    }

    /// The haul that is under way, if there is one.
    pub fn unfinished(&self) -> Option<&HaulRow> {
        self.hauls.iter().find(|haul| haul.unfinished())
    }
}

/// Opens the journal of a site to look at it alone, without its lock; `None` if there is none.
pub(crate) fn reader(site: &Site) -> Journaled<Option<Reader>> {
    let path = database(site);
    if !path.exists() {
        return Ok(None);
    }
    let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let reader = Connection::open_with_flags(&path, flags).and_then(|db| {
        db.busy_timeout(Duration::from_secs(5))?;
        db.pragma_update(None, "query_only", true)?;
        Ok(db)
    });
    Ok(Some(Reader::of(reader.map_err(at(&path))?, path)))
}

pub(crate) fn database(site: &Site) -> PathBuf {
    site.state_folder().join("journal.db")
}

pub(crate) fn at(path: &Path) -> impl Fn(rusqlite::Error) -> JournalError + '_ {
    move |source| {
        let path = path.into();
        if source.sqlite_error_code() == Some(rusqlite::ErrorCode::DiskFull) {
            return JournalError::Full { path };
        }
        JournalError::Database { path, source }
    }
}

#[derive(Debug)]
pub(crate) struct Reader {
    db: Mutex<Connection>,
    pub(crate) path: PathBuf,
}

/// Columns of checksums line, in the order of [`file_entry`].
const LINE: &str = "path, kind, target, size, allocated, modified_s, modified_ns, inode, mode, user, grp,
  there_inode, there_s, there_ns, compared, digest, hash, taken";

/// Columns that version 6 brought.
const NEWER: &str = "changed, names, there_changed, attributes, unkept";
const NEWER_OF_OLDER: &str = "null, null, null, null, null";

/// Lines of checksums that are read at a time.
const PAGE: usize = 1000;

impl Reader {
    pub(crate) fn of(db: Connection, path: PathBuf) -> Self {
        Self { db: Mutex::new(db), path }
    }

    pub(crate) fn db(&self) -> MutexGuard<'_, Connection> {
        self.db.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn version(&self) -> Journaled<i64> {
        self.db().pragma_query_value(None, "user_version", |row| row.get(0)).map_err(at(&self.path))
    }

    pub(crate) fn prepare(&self) -> Journaled<()> {
        let db = self.db();
        let set = || {
            db.busy_timeout(Duration::from_secs(5))?;
            db.pragma_update(None, "journal_mode", "WAL")?;
            db.pragma_update(None, "synchronous", "FULL")?;
            db.pragma_update(None, "foreign_keys", true)?;
            // A checkpoint flushes twice: with 64 MB between them that is nothing beside a haul's own writing.
            db.pragma_update(None, "wal_autocheckpoint", 16_000)?;
            // What is forgotten is overwritten in the file as well.
            db.pragma_update(None, "secure_delete", true)?;
            bring_up(&db)
        };
        set().map_err(at(&self.path))?;
        drop(db);
        self.check_version()
    }

    fn check_version(&self) -> Journaled<()> {
        let found = self.version()?;
        if found == VERSION { Ok(()) } else { Err(JournalError::Version { path: self.path.clone(), found }) }
    }

    pub(crate) fn row_error(&self, what: impl ToString) -> JournalError {
        JournalError::Row { path: self.path.clone(), what: what.to_string() }
    }

    /// All hauls, newest first.
    pub(crate) fn hauls(&self) -> Journaled<Vec<HaulRow>> {
        self.some_hauls(None)
    }

    /// The haul of this number alone.
    pub(crate) fn haul(&self, id: HaulId) -> Journaled<Option<HaulRow>> {
        Ok(self.some_hauls(Some(&[id]))?.pop())
    }

    /// The item of this number alone.
    pub(crate) fn item(&self, id: ItemId) -> Journaled<Option<ItemRow>> {
        Ok(self.items_where("id = ?1", Some(&id.0))?.pop())
    }

    /// The items of a game, those of the newest haul first, each haul's in their order.
    pub(crate) fn items_of(&self, game: &GameId) -> Journaled<Vec<ItemRow>> {
        let mut items = self.items_where(&format!("{GAME} = ?1"), Some(&game.0))?;
        items.sort_by_key(|item| std::cmp::Reverse(item.haul));
        Ok(items)
    }

    /// The items that take up again what this one holds.
    pub(crate) fn items_taking_back(&self, item: ItemId) -> Journaled<Vec<ItemRow>> {
        self.items_where("takes_back = ?1", Some(&item.0))
    }

    /// Items that were brought before this one, and undone after it.
    pub(crate) fn items_undone_around(&self, item: ItemId) -> Journaled<Vec<ItemRow>> {
        let undone = "json_extract(stage, '$.stage') in ('undone', 'returned')";
        let which = format!("id < ?1 and {undone} and id in (select takes_back from lot where id > ?1)");
        self.items_where(&which, Some(&item.0))
    }

    /// Reads hauls with their items, all or these: a query for each table, however many hauls there are, and the rows by all cores.
    /// Newest first.
    pub(crate) fn some_hauls(&self, only: Option<&[HaulId]>) -> Journaled<Vec<HaulRow>> {
        let only = only.map(numbers);
        let only = only.as_deref();
        let heads = || {
            let db = self.db();
            let sql = format!("select id, made, policy, returns from haul {} order by id desc", among("id", only));
            let mut rows = db.prepare_cached(&sql)?;
            let head = |row: &Row<'_>| {
                Ok((
                    row.get::<_, i64>(0)?,
                    row.get::<_, String>(1)?,
                    row.get::<_, String>(2)?,
                    row.get::<_, Option<i64>>(3)?,
                ))
            };
            rows.query_map(params_from_iter(only), head)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let heads = heads().map_err(at(&self.path))?;
        let mut items = self.items(only)?;
        let trials = self.trials()?;
        let mut hauls = Vec::with_capacity(heads.len());
        for (id, made, policy, returns) in heads {
            hauls.push(HaulRow {
                id: HaulId(id),
                made: made.parse().map_err(|e| self.row_error(e))?,
                policy: serde_json::from_str(&policy).map_err(|e| self.row_error(e))?,
                returns: returns.map(HaulId),
                trial: trials.get(&id).copied().unwrap_or_default(),
                items: items.remove(&id).unwrap_or_default(),
            });
        }
        Ok(hauls)
    }

    /// Items by the number of their haul, each haul's in their order.
    fn items(&self, only: Option<&str>) -> Journaled<HashMap<i64, Vec<ItemRow>>> {
        let among = among("haul", only);
        let which = among.strip_prefix("where ").unwrap_or("true");
        let only = only.as_ref().map(|only| only as &dyn ToSql);
        let mut items: HashMap<i64, Vec<ItemRow>> = HashMap::new();
        for item in self.items_where(which, only)? {
            items.entry(item.haul.0).or_default().push(item);
        }
        Ok(items)
    }

    /// The items that a condition holds for, in their order.
    fn items_where(&self, which: &str, only: Option<&dyn ToSql>) -> Journaled<Vec<ItemRow>> {
        type Raw = (i64, i64, String, String, Option<String>, Option<i64>, Option<String>);
        let raw = || {
            let sql =
                format!("select id, haul, planned, stage, proof, takes_back, error from lot where {which} order by id");
            let db = self.db();
            let mut rows = db.prepare_cached(&sql)?;
            let raw = |row: &Row<'_>| -> rusqlite::Result<Raw> {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?, row.get(5)?, row.get(6)?))
            };
            rows.query_map(params_from_iter(only), raw)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let raw = raw().map_err(at(&self.path))?;
        let (unreadable, taken) = (self.all_unreadable()?, self.all_taken()?);
        let item = |(id, haul, planned, stage, proof, takes_back, error): Raw| {
            Ok(ItemRow {
                id: ItemId(id),
                haul: HaulId(haul),
                planned: planned_of(&planned).map_err(|e| self.row_error(e))?,
                stage: serde_json::from_str(&stage).map_err(|e| self.row_error(e))?,
                proof: proof.map(|p| serde_json::from_str(&p)).transpose().map_err(|e| self.row_error(e))?,
                takes_back: takes_back.map(ItemId),
                error,
                unreadable: unreadable.get(&id).cloned().unwrap_or_default(),
                taken: taken.get(&id).copied().unwrap_or(0),
            })
        };
        raw.into_par_iter().map(item).collect()
    }

    /// How many files of each item were taken from another copy.
    fn all_taken(&self) -> Journaled<HashMap<i64, u64>> {
        let count = || {
            let db = self.db();
            if !is_of_version_3(&db)? {
                return Ok(HashMap::new());
            }
            let sql = "select lot, count(*) from entry where taken is not null group by lot";
            let mut rows = db.prepare_cached(sql)?;
            rows.query_map([], |row| Ok((row.get(0)?, row.get::<_, i64>(1)?.cast_unsigned())))?.collect()
        };
        count().map_err(at(&self.path))
    }

    fn all_unreadable(&self) -> Journaled<HashMap<i64, Vec<UnreadableStretch>>> {
        let read = || {
            let db = self.db();
            let mut all: HashMap<i64, Vec<UnreadableStretch>> = HashMap::new();
            if !is_of_version_3(&db)? {
                return Ok(all);
            }
            let mut rows =
                db.prepare_cached("select path, start, end, lot from unreadable order by lot, path, start")?;
            for row in rows.query_map([], |row| Ok((row.get::<_, i64>(3)?, stretch(row)?)))? {
                let (item, stretch) = row?;
                all.entry(item).or_default().push(stretch);
            }
            Ok(all)
        };
        read().map_err(at(&self.path))
    }

    pub(crate) fn unreadable(&self, item: ItemId) -> Journaled<Vec<UnreadableStretch>> {
        let read = || {
            let db = self.db();
            if !is_of_version_3(&db)? {
                return Ok(Vec::new());
            }
            let mut rows =
                db.prepare_cached("select path, start, end from unreadable where lot = ?1 order by path, start")?;
            rows.query_map([item.0], stretch)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        read().map_err(at(&self.path))
    }

    /// What the log tells, newest first: of some hauls, or else the newest thousand lines.
    fn events(&self, only: Option<&[HaulId]>) -> Journaled<Vec<Event>> {
        let raw = || {
            let db = self.db();
            let only = only.map(numbers);
            let which = among("haul", only.as_deref());
            let sql = format!("select at, haul, lot, word, detail from event {which} order by id desc limit 1000");
            let mut rows = db.prepare_cached(&sql)?;
            let event = |row: &Row<'_>| {
                Ok(Event {
                    at: row.get::<_, String>(0)?.parse().unwrap_or(Timestamp::UNIX_EPOCH),
                    haul: HaulId(row.get(1)?),
                    item: row.get::<_, Option<i64>>(2)?.map(ItemId),
                    word: EventKind::of_word(row.get_ref(3)?.as_str()?),
                    detail: row.get(4)?,
                })
            };
            rows.query_map(params_from_iter(only.as_deref()), event)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        raw().map_err(at(&self.path))
    }

    /// Some lines of checksums: those behind `after` in the order of a walk, or before it if `back`; `only` names a kind.
    pub(crate) fn page(
        &self,
        item: ItemId,
        after: Option<&[u8]>,
        back: bool,
        only: Option<&str>,
    ) -> Journaled<Vec<FileEntry>> {
        let (than, order) = if back { ("<", "desc") } else { (">", "asc") };
        let first = if after.is_some() { format!("and path {than} ?2") } else { "and ?2 is null".into() };
        let kind = if only.is_some() { "and kind = ?3" } else { "and ?3 is null" };
        let read = || {
            let db = self.db();
            let newer = if is_of_version_6(&db)? { NEWER } else { NEWER_OF_OLDER };
            let sql = format!(
                "select {LINE}, {newer} from entry where lot = ?1 {first} {kind} order by path {order} limit {PAGE}"
            );
            let mut rows = db.prepare_cached(&sql)?;
            let lines = rows.query_map(params![item.0, after, only], file_entry)?;
            let mut lines = lines.collect::<rusqlite::Result<Vec<FileEntry>>>()?;
            let mut blocks = db.prepare_cached("select nth, hash from block where lot = ?1 and path = ?2")?;
            for line in lines.iter_mut().filter(|line| line.blocks.len() > 1) {
                let mut rows = blocks.query(params![item.0, line.entry.path.key()])?;
                while let Some(row) = rows.next()? {
                    let (nth, hash): (i64, Vec<u8>) = (row.get(0)?, row.get(1)?);
                    let slot = usize::try_from(nth).ok().and_then(|nth| line.blocks.get_mut(nth));
                    if let (Some(slot), Ok(hash)) = (slot, hash.try_into()) {
                        *slot = Some(hash);
                    }
                }
            }
            Ok(lines)
        };
        read().map_err(at(&self.path))
    }

    /// What removals of an item had to leave.
    fn remains(&self, item: ItemId) -> Journaled<Vec<Left>> {
        let read = || {
            let db = self.db();
            if !is_of_version_6(&db)? {
                return Ok(Vec::new());
            }
            let mut rows = db.prepare_cached("select path, bytes, why from remains where lot = ?1 order by path")?;
            let left = |row: &Row<'_>| {
                let why = WhyLeft::of_word(row.get_ref(2)?.as_str()?).unwrap_or(WhyLeft::Unknown);
                Ok(Left { path: path_of(row.get(0)?), bytes: Bytes::new(row.get::<_, i64>(1)?.cast_unsigned()), why })
            };
            rows.query_map([item.0], left)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        read().map_err(at(&self.path))
    }

    /// The line of one path.
    pub(crate) fn entry(&self, item: ItemId, path: &ItemPath) -> Journaled<Option<FileEntry>> {
        // The line before the next key is the one itself.
        let key = path.key();
        let mut behind = key.clone();
        behind.push(0);
        let found = self.page(item, Some(&behind), true, None)?.into_iter().next();
        Ok(found.filter(|line| line.entry.path.key() == key))
    }

    /// Adds checksums up.
    pub(crate) fn sums(&self, item: ItemId) -> Journaled<Sums> {
        let sql = "select count(*), coalesce(sum(kind = 'file'), 0), coalesce(sum(size), 0),
          coalesce(sum(kind = 'file' and compared), 0), coalesce(sum(size * (kind = 'file' and compared)), 0)
          from entry where lot = ?1";
        let sums = |row: &Row<'_>| {
            let n = |at| row.get::<_, i64>(at).map(i64::cast_unsigned);
            Ok(Sums { lines: n(0)?, files: n(1)?, bytes: n(2)?, same: n(3)?, same_bytes: n(4)? })
        };
        self.db().query_row(sql, [item.0], sums).map_err(at(&self.path))
    }
}
