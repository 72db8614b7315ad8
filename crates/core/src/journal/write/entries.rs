//! The files of an item: their checksums, what was seen of them, and the changes of records.

#![expect(clippy::missing_errors_doc, reason = "each fails as the database does, and then nothing of it is written")]

use super::super::codec::{attributes_to_row, path_of};
use super::super::error::Journaled;
use super::super::query::{Reader, at};
use super::super::rows::{Attribute, FileEntry, There};
use super::super::rows::{Came, put_mark};
use super::{Journal, json};
use crate::bytes::ItemId;
use crate::checksums::{BlockHash, EntryKind, ItemPath};
use crate::item::{Left, Stage};
use crate::platform::NameBytes;
use crate::record::{Content, FileChange};
use rusqlite::{Connection, Row, params};

impl Journal {
    /// Writes checksums lines, each with all that is known of it; lines of the same path are replaced.
    pub fn put_entries(&self, item: ItemId, entries: &[FileEntry]) -> Journaled<()> {
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            for line in entries {
                put_entry(&db, item, line)?;
                if line.blocks.len() > 1 {
                    db.prepare_cached("delete from block where lot = ?1 and path = ?2")?
                        .execute(params![item.0, line.entry.path.key()])?;
                    for (nth, hash) in line.blocks.iter().enumerate() {
                        if let Some(hash) = hash {
                            put_block(&db, item, &line.entry.path, nth as u64, hash)?;
                        }
                    }
                }
            }
            db.commit()
        };
        write().map_err(self.err())
    }

    /// Takes checksums lines away.
    pub fn drop_entries(&self, item: ItemId, paths: &[ItemPath]) -> Journaled<()> {
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            for path in paths {
                for table in ["block", "unreadable", "entry"] {
                    db.execute(
                        &format!("delete from {table} where lot = ?1 and path = ?2"),
                        params![item.0, path.key()],
                    )?;
                }
            }
            db.commit()
        };
        write().map_err(self.err())
    }

    /// Writes down what was found out of files, as hints: durable with the next stage at the latest.
    pub(crate) fn put_hints(&self, item: ItemId, hints: &[Hint]) -> Journaled<()> {
        self.lightly(|db| {
            for hint in hints {
                match hint {
                    Hint::Block { path, nth: 0, hash, of: 1 } => {
                        let sql = "update entry set hash = ?3 where lot = ?1 and path = ?2";
                        db.prepare_cached(sql)?.execute(params![item.0, path.key(), hash])?;
                    }
                    Hint::Block { path, nth, hash, .. } => put_block(db, item, path, *nth, hash)?,
                    Hint::Forget { path, nth } => {
                        // A small file has its hash in its line.
                        let sql = "update entry set hash = null, compared = 0 where lot = ?1 and path = ?2";
                        db.prepare_cached(sql)?.execute(params![item.0, path.key()])?;
                        let sql = "delete from block where lot = ?1 and path = ?2 and nth = ?3";
                        db.prepare_cached(sql)?.execute(params![item.0, path.key(), nth.cast_signed()])?;
                    }
                    Hint::Same { path, there, digest, hash, beside } => {
                        let sql =
                            "update entry set compared = 1, there_inode = ?3, there_s = ?4, there_ns = ?5, digest = ?6,
                          hash = coalesce(?7, hash), there_changed = ?8, attributes = ?9, unkept = ?10
                          where lot = ?1 and path = ?2";
                        let (s, ns) = split(there.modified_ns);
                        let row = params![
                            item.0,
                            path.key(),
                            there.inode.cast_signed(),
                            s,
                            ns,
                            digest,
                            hash,
                            there.changed_ns.and_then(|ns| i64::try_from(ns).ok()),
                            attributes_to_row(&beside.attributes),
                            beside.unkept
                        ];
                        db.prepare_cached(sql)?.execute(row)?;
                    }
                    Hint::Unreadable { path, from, to } => {
                        let sql = "insert or replace into unreadable(lot, path, start, end) values(?1, ?2, ?3, ?4)";
                        db.prepare_cached(sql)?.execute(params![
                            item.0,
                            path.key(),
                            from.cast_signed(),
                            to.cast_signed()
                        ])?;
                    }
                }
            }
            Ok(())
        })
    }

    /// The checksums of an item, in the order of a walk, read some lines at a time.
    pub fn lines(&self, item: ItemId) -> Lines<'_> {
        Lines {
            reader: &self.reader,
            item,
            page: Vec::new().into_iter(),
            last: None,
            over: false,
            back: false,
            only: None,
        }
    }

    /// Writes down the bytes of record files before and after, and that they are being replaced.
    pub fn put_changes(&self, item: ItemId, changes: &[FileChange], stage: &Stage) -> Journaled<()> {
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            db.execute("delete from change where lot = ?1", params![item.0])?;
            for (nth, change) in changes.iter().enumerate() {
                let file = change.file.name_bytes();
                let row =
                    params![item.0, nth.cast_signed() as i64, file, change.before.to_row(), change.after.to_row()];
                db.execute("insert into change(lot, nth, file, before, after) values(?1, ?2, ?3, ?4, ?5)", row)?;
            }
            db.execute("update lot set stage = ?2 where id = ?1", params![item.0, json(stage)])?;
            put_mark(&db, item, Came::To(stage.kind()))?;
            db.commit()
        };
        self.written(write)
    }

    /// Writes down what a removal had to leave, instead of what an earlier one did.
    pub(crate) fn put_remains(&self, item: ItemId, left: &[Left]) -> Journaled<()> {
        /// Names that are kept of one item; their number is in its stage.
        const MOST: usize = 1000;
        let write = || {
            let db = self.db();
            let db = db.unchecked_transaction()?;
            db.execute("delete from remains where lot = ?1", [item.0])?;
            for left in left.iter().take(MOST) {
                let row = params![item.0, left.path.name_bytes(), left.bytes.count().cast_signed(), left.why.word()];
                db.execute("insert or replace into remains values(?1, ?2, ?3, ?4)", row)?;
            }
            db.commit()
        };
        write().map_err(self.err())
    }

    /// The bytes of an item's record files before and after its repoint.
    pub fn changes(&self, item: ItemId) -> Journaled<Vec<FileChange>> {
        self.reader.changes(item)
    }

    /// The lines of one kind, by its word.
    pub(crate) fn lines_of(&self, item: ItemId, kind: &'static str) -> Lines<'_> {
        Lines { only: Some(kind), ..self.lines(item) }
    }

    /// The folders of an item, those that are deepest first.
    pub(crate) fn folders_back(&self, item: ItemId) -> Lines<'_> {
        Lines { back: true, only: Some("folder"), ..self.lines(item) }
    }
}

impl Reader {
    /// The bytes of an item's record files before and after its repoint.
    pub(crate) fn changes(&self, item: ItemId) -> Journaled<Vec<FileChange>> {
        let read = || {
            let db = self.db();
            let mut rows = db.prepare("select file, before, after from change where lot = ?1 order by nth")?;
            let change = |row: &Row<'_>| {
                Ok((row.get::<_, Vec<u8>>(0)?, row.get::<_, Option<Vec<u8>>>(1)?, row.get::<_, Option<Vec<u8>>>(2)?))
            };
            rows.query_map([item.0], change)?.collect::<rusqlite::Result<Vec<_>>>()
        };
        let mut changes = Vec::new();
        for (file, before, after) in read().map_err(at(&self.path))? {
            let content = |row: Option<Vec<u8>>| {
                Content::of_row(row.as_deref())
                    .ok_or_else(|| self.row_error("a change is neither bytes, link nor cells"))
            };
            changes.push(FileChange { file: path_of(file), before: content(before)?, after: content(after)? });
        }
        Ok(changes)
    }
}

/// Something that was found out of a file, to be written down.
#[derive(Clone, Debug)]
pub(crate) enum Hint {
    /// The hash of one of its `of` blocks, as it was read from the original.
    Block { path: ItemPath, nth: u64, hash: BlockHash, of: u64 },
    /// The hash of one of its blocks isn't that of what the original holds.
    Forget { path: ItemPath, nth: u64 },
    /// It was read back and is the same.
    Same { path: ItemPath, there: There, digest: Option<Vec<u8>>, hash: Option<BlockHash>, beside: Beside },
    /// These bytes of the original cannot be read.
    Unreadable { path: ItemPath, from: u64, to: u64 },
}

/// What stands beside the bytes of a file: what the original has, and what of it the copy did not take.
#[derive(Clone, Debug, Default)]
pub(crate) struct Beside {
    pub(crate) attributes: Vec<Attribute>,
    pub(crate) unkept: Option<String>,
}

/// The lines of checksums, a page at a time: lines that were passed may be changed meanwhile.
#[derive(Debug)]
pub struct Lines<'a> {
    pub(super) reader: &'a Reader,
    pub(super) item: ItemId,
    pub(super) page: std::vec::IntoIter<FileEntry>,
    pub(super) last: Option<Vec<u8>>,
    pub(super) over: bool,
    pub(super) back: bool,
    pub(super) only: Option<&'static str>,
}

impl Iterator for Lines<'_> {
    type Item = Journaled<FileEntry>;

    fn next(&mut self) -> Option<Self::Item> {
        if let Some(line) = self.page.next() {
            return Some(Ok(line));
        }
        if self.over {
            return None;
        }
        let page = match self.reader.page(self.item, self.last.as_deref(), self.back, self.only) {
            Ok(page) => page,
            Err(error) => {
                self.over = true;
                return Some(Err(error));
            }
        };
        self.last = page.last().map(|line| line.entry.path.key());
        self.over = page.is_empty();
        self.page = page.into_iter();
        self.page.next().map(Ok)
    }
}

fn put_entry(db: &Connection, item: ItemId, line: &FileEntry) -> rusqlite::Result<()> {
    let entry = &line.entry;
    let (kind, target): (&str, Option<&[u8]>) = match &entry.kind {
        EntryKind::Folder => ("folder", None),
        EntryKind::File => ("file", None),
        EntryKind::Link(target) => ("link", Some(target.name_bytes())),
        EntryKind::Again(of) => ("again", Some(of.bytes())),
    };
    let (s, ns) = split(entry.modified_ns);
    let there = line.there.map(|there| (there.inode.cast_signed(), split(there.modified_ns), there.changed_ns));
    let hash = if let [only] = &line.blocks[..] { *only } else { None };
    let sql =
        "insert or replace into entry(lot, path, kind, target, size, allocated, modified_s, modified_ns, inode, mode,
      user, grp, there_inode, there_s, there_ns, compared, digest, hash, taken, changed, names, there_changed, attributes, unkept)
      values(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17, ?18, ?19, ?20, ?21, ?22, ?23, ?24)";
    db.prepare_cached(sql)?.execute(params![
        item.0,
        entry.path.key(),
        kind,
        target,
        entry.size.cast_signed(),
        entry.allocated.cast_signed(),
        s,
        ns,
        entry.inode.cast_signed(),
        entry.mode,
        entry.owner.0,
        entry.owner.1,
        there.map(|t| t.0),
        there.map(|t| t.1.0),
        there.map(|t| t.1.1),
        line.compared,
        line.digest,
        hash,
        line.taken.as_ref().map(|path| path.name_bytes()),
        entry.changed_ns.and_then(|ns| i64::try_from(ns).ok()),
        entry.names.cast_signed(),
        there.and_then(|t| t.2).and_then(|ns| i64::try_from(ns).ok()),
        attributes_to_row(&line.attributes),
        line.unkept,
    ])?;
    Ok(())
}

fn put_block(db: &Connection, item: ItemId, path: &ItemPath, nth: u64, hash: &BlockHash) -> rusqlite::Result<()> {
    let sql = "insert or replace into block(lot, path, nth, hash) values(?1, ?2, ?3, ?4)";
    db.prepare_cached(sql)?.execute(params![item.0, path.key(), nth.cast_signed(), hash]).map(drop)
}

fn split(ns: i128) -> (i64, i64) {
    {
        let part = |part: i128| i64::try_from(part).unwrap_or_default();
        (part(ns.div_euclid(1_000_000_000)), part(ns.rem_euclid(1_000_000_000)))
    }
}
