//! How a haul went: when each item came where, how fast its bytes went, and what was forecast of it.
//!
//! A pulse is a hint: the last ones may be lost in a power cut.

use super::rows::{Came, ItemRow, Mark, Sample, put_mark};
use rusqlite::OptionalExtension;
use std::collections::HashMap;
use std::time::Duration;

use jiff::Timestamp;
use rusqlite::{Row, params};

use super::error::Journaled;
use super::query::{Reader, at, reader};
use super::schema::is_of_version_5;
use super::write::Journal;
use crate::bytes::{Bytes, HaulId, ItemId};
use crate::item::{Progress, Stage};
use crate::plan::Timing;
use crate::site::Site;

/// Pulses that are kept of an item: when there are more, every other one goes, and from then on half as many come.
const MOST: u64 = 1000;

/// How a haul went. What older versions of the journal did is not in it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Telemetry {
    /// When items came where, in the order of time.
    pub marks: Vec<Mark>,
    /// How fast it went, item by item in the order of time.
    pub pulses: Vec<Sample>,
    /// From the haul's start until an item was to begin and to end, as the plan had it.
    pub forecast: HashMap<ItemId, (Duration, Duration)>,
}

impl Telemetry {
    /// Reads how a haul went; takes no lock and changes nothing. Empty where there is no journal.
    ///
    /// # Errors
    /// [`super::JournalError`] if the journal cannot be read.
    pub fn of(site: &Site, haul: HaulId) -> Journaled<Self> {
        match reader(site)? {
            Some(reader) => reader.passage(haul),
            None => Ok(Self::default()),
        }
    }

    /// The most bytes per second that a haul was allowed when it last began or was seen to copy; `None` if that was without a limit.
    ///
    /// # Errors
    /// As [`Telemetry::of`].
    pub fn last_limit(site: &Site, haul: HaulId) -> Journaled<Option<Bytes>> {
        let Some(reader) = reader(site)? else { return Ok(None) };
        let read = || {
            let db = reader.db();
            if !is_of_version_5(&db)? {
                return Ok(None);
            }
            let sql = "select most from pulse where lot in (select id from lot where haul = ?1) order by ms desc, lot desc, nth desc limit 1";
            let most = db.query_row(sql, [haul.0], |row| row.get::<_, Option<i64>>(0)).optional()?;
            Ok(most.flatten().map(|most| Bytes::new(most.cast_unsigned())))
        };
        read().map_err(at(&reader.path))
    }
}

impl Reader {
    fn passage(&self, haul: HaulId) -> Journaled<Telemetry> {
        let read = || {
            let db = self.db();
            let mut passage = Telemetry::default();
            if !is_of_version_5(&db)? {
                return Ok(passage);
            }
            let sql = "select lot, at, word from reached where lot in (select id from lot where haul = ?1) order by id";
            let mut rows = db.prepare_cached(sql)?;
            let mark = |row: &Row<'_>| {
                let at: String = row.get(1)?;
                let at = at.parse().unwrap_or(Timestamp::UNIX_EPOCH);
                let came = Came::of_word(row.get_ref(2)?.as_str()?);
                let item = ItemId(row.get(0)?);
                Ok(came.map(|came| Mark { item, at, came }))
            };
            passage.marks = rows
                .query_map([haul.0], mark)?
                .filter_map(rusqlite::Result::transpose)
                .collect::<rusqlite::Result<_>>()?;
            let sql = "select lot, ms, copied, compared, most, unreadable, repaired from pulse
              where lot in (select id from lot where haul = ?1) order by lot, nth";
            let mut rows = db.prepare_cached(sql)?;
            passage.pulses = rows.query_map([haul.0], pulse)?.collect::<rusqlite::Result<_>>()?;
            let sql = "select lot, begins, ends from forecast where lot in (select id from lot where haul = ?1)";
            let mut rows = db.prepare_cached(sql)?;
            let seconds =
                |row: &Row<'_>, n| row.get(n).map(|s: f64| Duration::try_from_secs_f64(s).unwrap_or_default());
            let forecast = |row: &Row<'_>| Ok((ItemId(row.get(0)?), (seconds(row, 1)?, seconds(row, 2)?)));
            passage.forecast = rows.query_map([haul.0], forecast)?.collect::<rusqlite::Result<_>>()?;
            Ok(passage)
        };
        read().map_err(at(&self.path))
    }
}

fn pulse(row: &Row<'_>) -> rusqlite::Result<Sample> {
    let count = |n| row.get::<_, i64>(n).map(i64::cast_unsigned);
    Ok(Sample {
        item: ItemId(row.get(0)?),
        at: Timestamp::from_millisecond(row.get(1)?).unwrap_or(Timestamp::UNIX_EPOCH),
        copied: Bytes::new(count(2)?),
        compared: Bytes::new(count(3)?),
        limit: row.get::<_, Option<i64>>(4)?.map(|most| Bytes::new(most.cast_unsigned())),
        unreadable: Bytes::new(count(5)?),
        repaired: count(6)?,
    })
}

impl Journal {
    /// Says that an item was paused, or goes on.
    pub(crate) fn mark(&self, item: ItemId, came: Came) -> Journaled<()> {
        put_mark(&self.connection(), item, came).map_err(at(self.database()))
    }

    /// Keeps when the items of a haul were to begin and to end.
    pub(crate) fn put_forecast(&self, haul: HaulId, timing: &Timing) -> Journaled<()> {
        let items = self.haul(haul)?.map(|haul| haul.items).unwrap_or_default();
        let write = || {
            let db = self.connection();
            let db = db.unchecked_transaction()?;
            for (item, time) in items.iter().zip(&timing.items) {
                let row = params![item.id.0, time.begins.as_secs_f64(), time.ends.as_secs_f64()];
                db.execute("insert or replace into forecast values(?1, ?2, ?3)", row)?;
            }
            db.commit()
        };
        write().map_err(at(self.database()))
    }

    /// Where a pulse of an item goes on: the number of the next moment.
    pub(crate) fn next_pulse(&self, item: ItemId) -> Journaled<u64> {
        let sql = "select max(nth) from pulse where lot = ?1";
        let last = self.connection().query_row(sql, [item.0], |row| row.get::<_, Option<i64>>(0));
        last.map(|last| last.map_or(0, |last| last.cast_unsigned() + 1)).map_err(at(self.database()))
    }

    /// Keeps the limit that a haul has from now on, before anything of it is copied: it may be paused before that.
    ///
    /// # Errors
    /// [`super::JournalError`] if the journal can't be read or written.
    pub fn keep_limit(&self, haul: HaulId, limit: Option<Bytes>) -> Journaled<()> {
        let items = self.haul(haul)?.map(|haul| haul.items).unwrap_or_default();
        let begins = |item: &&ItemRow| matches!(item.stage, Stage::Planned | Stage::Copying { .. });
        let Some(item) = items.iter().find(begins).map(|item| item.id) else { return Ok(()) };
        let nth = self.next_pulse(item)?;
        let nth = nth.next_multiple_of(step_at(nth)).cast_signed();
        self.lightly(|db| {
            let most = limit.map(|limit| limit.count().cast_signed());
            let row = params![item.0, nth, Timestamp::now().as_millisecond(), most];
            let sql = "insert into pulse select lot, ?2, ?3, copied, compared, ?4, unreadable, repaired from pulse where lot = ?1 \
                       order by nth desc limit 1";
            if db.execute(sql, row)? == 0 {
                db.execute("insert into pulse values(?1, ?2, ?3, 0, 0, ?4, 0, 0)", row)?;
            }
            Ok(())
        })
    }

    /// Keeps how far an item is at its `nth` moment, if that is one of those that are kept.
    pub(crate) fn put_pulse(&self, nth: u64, progress: &Progress, limit: Option<Bytes>) -> Journaled<()> {
        let step = step_at(nth);
        if !nth.is_multiple_of(step) {
            return Ok(());
        }
        let item = progress.item.0;
        self.lightly(|db| {
            if step > step_at(nth.saturating_sub(1)) {
                let sql = "delete from pulse where lot = ?1 and nth % ?2 != 0";
                db.execute(sql, params![item, step.cast_signed()])?;
            }
            let sql = "insert or replace into pulse values(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)";
            let ms = Timestamp::now().as_millisecond();
            let (copied, compared) =
                (progress.copy.done.count().cast_signed(), progress.compare.done.count().cast_signed());
            let (bad, repaired) = (progress.unreadable.count().cast_signed(), progress.repaired.cast_signed());
            let most = limit.map(|limit| limit.count().cast_signed());
            let row = params![item, nth.cast_signed(), ms, copied, compared, most, bad, repaired];
            db.prepare_cached(sql)?.execute(row).map(drop)
        })
    }
}

/// Every how many moments one is kept once `nth` has come.
fn step_at(nth: u64) -> u64 {
    let mut step = 1;
    while nth / step >= MOST {
        step *= 2;
    }
    step
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_many_moments_fewer_are_kept_and_never_more_than_a_thousand() {
        let mut kept = std::collections::BTreeSet::new();
        let mut most = 0;
        for nth in 0..50_000 {
            let step = step_at(nth);
            if step > step_at(u64::max(nth, 1) - 1) {
                kept.retain(|n| n % step == 0);
            }
            if nth % step == 0 {
                kept.insert(nth);
            }
            most = most.max(kept.len() as u64);
        }
        assert!(most <= MOST && kept.len() as u64 > MOST / 2, "{most}, {}", kept.len());
        let steps: Vec<u64> = kept.iter().zip(kept.iter().skip(1)).map(|(a, b)| b - a).collect();
        assert!(steps.iter().all(|step| *step == steps[0]), "as far from one another everywhere");
    }
}
