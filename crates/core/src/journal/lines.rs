//! The log as lines: of every haul what a list shows, however many there are; no plan and no checksums are read for it.
//!
//! The index `listed` of the journal holds all of it.

use super::rows::{ItemLine, LogLine};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use jiff::Timestamp;
use rusqlite::{Connection, Row};
use serde::Deserialize;
use serde::de::value::BorrowedStrDeserializer;

use super::error::Journaled;
use super::query::{History, Reader, at};

use super::schema::{LIVE, is_of_version_5};
use crate::bytes::{Bytes, HaulId, ItemId};
use crate::item::Stage;

impl Reader {
    /// Numbers of the hauls that are under way, hold originals or owe something, of some more, and of the newest one.
    pub(crate) fn live(&self) -> Journaled<(Vec<HaulId>, Option<HaulId>)> {
        let read = || {
            let db = self.db();
            // What an item takes back may not be said to be returned yet.
            let sql = format!(
                "select distinct haul from lot where {LIVE} union
                 select back.haul from lot as back join lot as old on back.takes_back = old.id
                   where json_extract(old.stage, '$.stage') not in ('undone', 'returned') union
                 select old.haul from lot as back join lot as old on back.takes_back = old.id
                   where json_extract(old.stage, '$.stage') not in ('undone', 'returned')"
            );
            let mut rows = db.prepare_cached(&sql)?;
            let live = rows.query_map([], |row| row.get(0).map(HaulId))?.collect::<rusqlite::Result<_>>()?;
            let newest = db.query_row("select max(id) from haul", [], |row| row.get::<_, Option<i64>>(0))?;
            Ok((live, newest.map(HaulId)))
        };
        read().map_err(at(&self.path))
    }

    /// When the originals of items were let go, as the log tells it.
    pub(crate) fn released(&self) -> Journaled<BTreeMap<ItemId, Timestamp>> {
        let read = || moments(&self.db(), "select lot, at from event where word = 'released' and lot is not null");
        let read = read().map_err(at(&self.path))?;
        Ok(read.into_iter().map(|(item, at)| (ItemId(item), at)).collect())
    }

    /// All lines, newest first.
    pub(crate) fn lines(&self) -> Journaled<Vec<LogLine>> {
        let db = self.db();
        let mut items = self.item_lines(&db)?;
        let read = || {
            let proved = moments(&db, "select haul, at from event where word = 'proved'")?;
            let mut rows = db.prepare_cached("select id, made, policy, returns from haul order by id desc")?;
            let head = |row: &Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?));
            Ok((rows.query_map([], head)?.collect::<rusqlite::Result<Vec<LineHead>>>()?, proved))
        };
        let (heads, proved) = read().map_err(at(&self.path))?;
        let line = |(id, made, policy, returns): LineHead| {
            let mut items = items.remove(&id).unwrap_or_default();
            items.sort_unstable_by_key(|item| item.id);
            Ok(LogLine {
                id: HaulId(id),
                made: made.parse().map_err(|e| self.row_error(e))?,
                policy: serde_json::from_str(&policy).map_err(|e| self.row_error(e))?,
                returns: returns.map(HaulId),
                proved: proved.get(&id).copied(),
                items,
            })
        };
        heads.into_iter().map(line).collect()
    }

    /// The items of all lines, by the numbers of their hauls.
    fn item_lines(&self, db: &Connection) -> Journaled<HashMap<i64, Vec<ItemLine>>> {
        let err = at(&self.path);
        let by = if is_of_version_5(db).map_err(&err)? { "indexed by listed" } else { "" };
        let sql = format!(
            "select haul, id, stage, takes_back, json_extract(planned, '$.title'), json_extract(planned, '$.from_drive'),
               json_extract(planned, '$.to_drive'), json_extract(planned, '$.size.on_disk'), json_extract(planned, '$.mode'),
               json_extract(planned, '$.keeps'), json_extract(planned, '$.policy') from lot {by}"
        );
        let mut rows = db.prepare_cached(&sql).map_err(&err)?;
        let mut rows = rows.query([]).map_err(&err)?;
        let (mut items, mut known) = (HashMap::<i64, Vec<ItemLine>>::new(), KnownTexts::default());
        while let Some(row) = rows.next().map_err(&err)? {
            let (haul, item) = known.item_line(row).map_err(|what| self.row_error(what))?;
            items.entry(haul).or_default().push(item);
        }
        Ok(items)
    }
}

type LineHead = (i64, String, String, Option<i64>);

/// Texts that come again and again, and what they mean.
#[derive(Default)]
struct KnownTexts {
    stages: HashMap<String, Stage>,
    drives: HashMap<String, Arc<str>>,
}

impl KnownTexts {
    fn drive(&mut self, name: &str) -> Arc<str> {
        if let Some(known) = self.drives.get(name) {
            return Arc::clone(known);
        }
        let fresh: Arc<str> = name.into();
        self.drives.insert(name.into(), Arc::clone(&fresh));
        fresh
    }

    fn stage(&mut self, text: &str) -> serde_json::Result<Stage> {
        if let Some(known) = self.stages.get(text) {
            return Ok(known.clone());
        }
        let fresh: Stage = serde_json::from_str(text)?;
        self.stages.insert(text.into(), fresh.clone());
        Ok(fresh)
    }

    /// A row of the query for items: its haul, and the item. The fault says what is wrong with the row.
    fn item_line(&mut self, row: &Row<'_>) -> std::result::Result<(i64, ItemLine), String> {
        let said = |error: rusqlite::Error| error.to_string();
        let text =
            |n: usize| row.get_ref(n).map_err(said).and_then(|value| value.as_str_or_null().map_err(|e| e.to_string()));
        let id: i64 = row.get(1).map_err(said)?;
        let lacks = |what: &str| format!("the plan of item {id} has no {what}");
        let from_drive = text(5)?.map(|name| self.drive(name));
        let item = ItemLine {
            id: ItemId(id),
            title: text(4)?.ok_or_else(|| lacks("title"))?.into(),
            from_drive,
            to_drive: self.drive(text(6)?.ok_or_else(|| lacks("drive"))?),
            on_disk: Bytes::new(
                row.get::<_, Option<i64>>(7).map_err(said)?.ok_or_else(|| lacks("size"))?.cast_unsigned(),
            ),
            mode: meaning(text(8)?.ok_or_else(|| lacks("mode"))?)?,
            policy: text(10)?.map(meaning).transpose()?.unwrap_or_default(),
            keeps: row.get::<_, Option<bool>>(9).map_err(said)?.unwrap_or(false),
            stage: self.stage(text(2)?.unwrap_or_default()).map_err(|e| e.to_string())?,
            takes_back: row.get::<_, Option<i64>>(3).map_err(said)?.map(ItemId),
        };
        Ok((row.get(0).map_err(said)?, item))
    }
}

/// What a word of a plan means.
fn meaning<'a, T: Deserialize<'a>>(word: &'a str) -> std::result::Result<T, String> {
    let word: BorrowedStrDeserializer<'_, serde::de::value::Error> = BorrowedStrDeserializer::new(word);
    T::deserialize(word).map_err(|error| error.to_string())
}

/// The last moment for each number. One that does not read is left out: it is no reason to show nothing.
fn moments(db: &Connection, sql: &str) -> rusqlite::Result<HashMap<i64, Timestamp>> {
    let mut rows = db.prepare_cached(sql)?;
    let mut rows = rows.query([])?;
    let mut all = HashMap::new();
    while let Some(row) = rows.next()? {
        if let Ok(at) = row.get_ref(1)?.as_str()?.parse::<Timestamp>() {
            let last = all.entry(row.get(0)?).or_insert(at);
            *last = at.max(*last);
        }
    }
    Ok(all)
}

/// The lines that fit what is searched for: see [`LogLine::fits`].
pub fn search_lines<'a>(lines: &'a [LogLine], text: &str) -> impl Iterator<Item = &'a LogLine> + use<'a> {
    let words: Vec<String> = text.split_whitespace().map(str::to_lowercase).collect();
    lines.iter().filter(move |line| line.fits(&words))
}

impl History {
    /// The lines that fit what is searched for, newest first: see [`LogLine::fits`].
    pub fn search(&self, text: &str) -> impl Iterator<Item = &LogLine> {
        search_lines(&self.lines, text)
    }
}
