//! The journal's tables, and how those of older versions are brought up. Format: `docs/formats.md`, "Journal".
//!
//! Law: a journal is brought up in one transaction, so that a crash leaves the old one or the new one.

use super::codec::{path_of, planned_of};
use super::error::VERSION;
use rusqlite::{Connection, params};

use crate::checksums::{BLOCK, ItemPath};
use crate::record::{Content, forgotten};

const TABLES: &str = "
create table haul(id integer primary key, made text not null, policy text not null, returns integer references haul(id));
create table lot(id integer primary key, haul integer not null references haul(id), planned text not null,
  stage text not null, proof text, takes_back integer references lot(id), error text);
create table entry(lot integer not null references lot(id), path blob not null, kind text not null, target blob,
  size integer not null, allocated integer not null, modified_s integer not null, modified_ns integer not null,
  inode integer not null, mode integer not null, user integer not null, grp integer not null,
  there_inode integer, there_s integer, there_ns integer, compared integer not null default 0, digest blob,
  hash blob, taken blob, primary key(lot, path)) without rowid;
create table block(lot integer not null references lot(id), path blob not null, nth integer not null,
  hash blob not null, primary key(lot, path, nth)) without rowid;
create table change(lot integer not null references lot(id), nth integer not null, file blob not null,
  before blob, after blob, primary key(lot, nth)) without rowid;
create table event(id integer primary key, at text not null, haul integer not null, lot integer, word text not null, detail text not null);
";

/// What version 3 brought: stretches of originals that cannot be read.
const UNREADABLE: &str = "
create table unreadable(lot integer not null references lot(id), path blob not null, start integer not null, end integer not null,
  primary key(lot, path, start)) without rowid;
create index taken on entry(lot) where taken is not null;
";

/// What version 4 brought: speeds of drives, and hauls that wait for a yes after their first item.
const SPEEDS: &str = "
create table run(id integer primary key, at text not null, source text not null, target text not null, bytes integer not null,
  files integer not null, seconds real not null);
create table probe(drive text primary key, at text not null, read real not null, write real not null, file real not null) without rowid;
create table trial(haul integer primary key references haul(id), agreed integer not null) without rowid;
";

/// What version 5 brought: how a haul went, and what a line of the log shows without its plan being read.
const PASSAGE: &str = "
create table reached(id integer primary key, lot integer not null references lot(id), at text not null, word text not null);
create index reached_by on reached(lot);
create table pulse(lot integer not null references lot(id), nth integer not null, ms integer not null, copied integer not null,
  compared integer not null, most integer, unreadable integer not null, repaired integer not null, primary key(lot, nth)) without rowid;
create table forecast(lot integer primary key references lot(id), begins real not null, ends real not null);
create index told_of on event(haul);
create index proved on event(haul, at) where word = 'proved';
create index released on event(lot, at) where word = 'released';
create index taking_back on lot(takes_back) where takes_back is not null;
create index listed on lot(haul, stage, takes_back, json_extract(planned, '$.title'), json_extract(planned, '$.from_drive'),
  json_extract(planned, '$.to_drive'), json_extract(planned, '$.size.on_disk'), json_extract(planned, '$.mode'),
  json_extract(planned, '$.keeps'), json_extract(planned, '$.policy'));
";

/// What version 6 brought: times of the last change of status, numbers of names, attributes of originals, what of a file its
/// new drive did not take, and what a removal had to leave.
const IDENTITY: &str = "
alter table entry add column changed integer;
alter table entry add column names integer;
alter table entry add column there_changed integer;
alter table entry add column attributes blob;
alter table entry add column unkept text;
create table made(lot integer not null references lot(id), path blob not null, primary key(lot, path)) without rowid;
create table remains(lot integer not null references lot(id), path blob not null, bytes integer not null, why text not null,
  primary key(lot, path)) without rowid;
";

/// Whether the tables have what version 6 brought.
pub(crate) fn is_of_version_6(db: &Connection) -> rusqlite::Result<bool> {
    db.prepare_cached("select 1 from sqlite_schema where name = 'remains'")?.exists([])
}

/// Of items that are under way, hold originals or owe something, and some more: an index has just these.
pub(crate) const LIVE: &str =
    "json_extract(stage, '$.stage') not in ('released', 'cancelled', 'undone', 'given-up', 'returned')
  and not (json_extract(stage, '$.stage') = 'proved' and json_extract(planned, '$.mode') = 'records')";

/// The game of an item, as the index of items by their game has it.
pub(crate) const GAME: &str = "json_extract(planned, '$.game')";

/// Items that are over: nothing resumes them, and what undoes them makes what was before of what is there since.
const OVER: &str = "json_extract(stage, '$.stage') in ('released', 'cancelled', 'undone')";

/// Forgets the bytes of record files of an item that is over, or of all that are, but for those that its edits took out.
pub(crate) fn forget_contents(db: &Connection, item: Option<i64>) -> rusqlite::Result<()> {
    let which = match item {
        Some(_) => format!("lot = ?1 and exists (select 1 from lot where id = ?1 and {OVER})"),
        None => format!("?1 is null and lot in (select id from lot where {OVER})"),
    };
    let bytes = "(substr(before, 1, 1) = x'62' or substr(after, 1, 1) = x'62')";
    let sql = format!("select lot, nth from change where {which} and {bytes}");
    let mut rows = db.prepare_cached(&sql)?;
    let places = rows.query_map([item], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?)))?;
    for (item, nth) in places.collect::<rusqlite::Result<Vec<_>>>()? {
        let sql = "select before, after from change where lot = ?1 and nth = ?2";
        let (before, after): (Option<Vec<u8>>, Option<Vec<u8>>) =
            db.query_row(sql, [item, nth], |row| Ok((row.get(0)?, row.get(1)?)))?;
        let contents = Content::of_row(before.as_deref()).zip(Content::of_row(after.as_deref()));
        let Some((before, after)) = contents.map(|(before, after)| forgotten(before, after)) else { continue };
        let sql = "update change set before = ?3, after = ?4 where lot = ?1 and nth = ?2";
        db.execute(sql, params![item, nth, before.to_row(), after.to_row()])?;
    }
    Ok(())
}

/// Whether the tables have what version 5 brought.
pub(crate) fn is_of_version_5(db: &Connection) -> rusqlite::Result<bool> {
    db.prepare_cached("select 1 from sqlite_schema where name = 'pulse'")?.exists([])
}

/// Whether the tables have what version 4 brought.
pub(crate) fn is_of_version_4(db: &Connection) -> rusqlite::Result<bool> {
    db.prepare_cached("select 1 from sqlite_schema where name = 'trial'")?.exists([])
}

/// Whether the tables have what version 3 brought: an older journal may not have been brought up yet.
pub(crate) fn is_of_version_3(db: &Connection) -> rusqlite::Result<bool> {
    db.prepare_cached("select 1 from sqlite_schema where name = 'unreadable'")?.exists([])
}

/// Version 8 has other words for stages and ways, says where an item comes from, and knows what is live by those words.
fn use_the_words_of_version_8(db: &Connection) -> rusqlite::Result<()> {
    db.execute_batch("drop index if exists live;")?;
    for (old, new) in [
        ("compared", "verified"),
        ("repointing", "updating-records"),
        ("repointed", "records-updated"),
        ("giving-up", "cancelling"),
        ("given-up", "cancelled"),
        ("returned", "undone"),
    ] {
        let sql = "update lot set stage = json_set(stage, '$.stage', ?2) where json_extract(stage, '$.stage') = ?1";
        db.execute(sql, [old, new])?;
        db.execute("update reached set word = ?2 where word = ?1", [old, new])?;
    }
    for (old, new) in [("adopt", "import"), ("spare", "duplicate"), ("set-aside", "quarantine")] {
        let sql = "update lot set planned = json_set(planned, '$.mode', ?2) where json_extract(planned, '$.mode') = ?1";
        db.execute(sql, [old, new])?;
    }
    let sql = "select id, planned from lot where json_extract(planned, '$.origin') is null";
    let mut rows = db.prepare(sql)?;
    let rows = rows.query_map([], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, String>(1)?)))?;
    for (id, planned) in rows.collect::<rusqlite::Result<Vec<_>>>()? {
        // What cannot be read stays as it is, for whoever looks at the journal.
        let Ok(planned) = planned_of(&planned) else { continue };
        let origin = serde_json::to_value(planned.origin).unwrap_or_default();
        let sql = "update lot set planned = json_set(planned, '$.origin', ?2) where id = ?1";
        db.execute(sql, params![id, origin.as_str()])?;
    }
    for (old, new) in [
        ("returned", "undone"),
        ("given up", "cancelled"),
        ("led again", "updated-again"),
        ("tried", "launched"),
        ("mended", "repaired"),
    ] {
        db.execute("update event set word = ?2 where word = ?1", [old, new])?;
    }
    db.execute_batch(&format!("create index live on lot(haul) where {LIVE};"))
}

/// Makes the tables, or brings those of an older version up.
pub(crate) fn bring_up(db: &Connection) -> rusqlite::Result<()> {
    let version: i64 = db.pragma_query_value(None, "user_version", |row| row.get(0))?;
    if !(0..VERSION).contains(&version) {
        return Ok(());
    }
    let all = db.unchecked_transaction()?;
    if version == 0 {
        all.execute_batch(&format!("{TABLES}{UNREADABLE}"))?;
    }
    if version < 4 {
        all.execute_batch(SPEEDS)?;
    }
    if version == 1 {
        // Version 1 knew files alone: their bytes get the letter that says so.
        all.execute_batch(
            "update change set before = cast(x'62' || before as blob) where before is not null;
             update change set after = cast(x'62' || after as blob) where after is not null;",
        )?;
    }
    if version == 1 || version == 2 {
        use_the_paths_of_version_3(&all)?;
    }
    // Last: it is made of what the older versions' rows are by now.
    if version < 5 {
        all.execute_batch(PASSAGE)?;
    }
    if version < 6 {
        all.execute_batch(IDENTITY)?;
    }
    if version < 7 {
        // Version 7 finds items by their game, and keeps no record file of what is over.
        all.execute_batch(&format!("create index of_game on lot({GAME});"))?;
    }
    if version < 8 {
        use_the_words_of_version_8(&all)?;
    }
    // Version 9 has further edits in its plans: an older program would not read them.
    forget_contents(&all, None)?;
    all.pragma_update(None, "user_version", VERSION)?;
    all.commit()
}

/// Version 2 had paths with slashes, and a row for the only block of a small file.
fn use_the_paths_of_version_3(all: &Connection) -> rusqlite::Result<()> {
    all.execute_batch(&format!(
        "alter table entry add column hash blob; alter table entry add column taken blob; {UNREADABLE}"
    ))?;
    all.execute(
        "update entry set hash = (select hash from block where block.lot = entry.lot and block.path = entry.path and nth = 0)
         where kind = 'file' and size <= ?1",
        [BLOCK.cast_signed()],
    )?;
    all.execute(
        "delete from block where exists (select 1 from entry where entry.lot = block.lot and entry.path = block.path and size <= ?1)",
        [BLOCK.cast_signed()],
    )?;
    for table in ["block", "entry"] {
        let mut rows = all.prepare(&format!("select distinct lot, path from {table} where instr(path, x'2f') > 0"))?;
        let paths = rows.query_map([], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, Vec<u8>>(1)?)))?;
        let paths = paths.collect::<rusqlite::Result<Vec<_>>>()?;
        for (item, path) in paths {
            let key = ItemPath::new(&path_of(path.clone())).map_or_else(|| path.clone(), |path| path.key());
            all.execute(
                &format!("update {table} set path = ?3 where lot = ?1 and path = ?2"),
                params![item, path, key],
            )?;
        }
    }
    Ok(())
}
