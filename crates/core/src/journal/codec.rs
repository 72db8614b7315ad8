//! Rows of the journal, to values and back.

use super::rows::{Attribute, FileEntry, There, UnreadableStretch};
use crate::platform::name_of;

use crate::checksums::{Entry, EntryKind, ItemPath};
use crate::item::PlannedItem;
use crate::launcher::Origin;
use std::path::PathBuf;

use crate::bytes::HaulId;
use rusqlite::Row;

fn joined(s: i64, ns: i64) -> i128 {
    i128::from(s) * 1_000_000_000 + i128::from(ns)
}

/// Numbers as a document that the database reads as a table.
pub(crate) fn numbers(of: &[HaulId]) -> String {
    serde_json::json!(of.iter().map(|id| id.0).collect::<Vec<_>>()).to_string()
}

/// The condition that a column is one of these; every row fits if there are none given.
pub(crate) fn among(column: &str, only: Option<&str>) -> String {
    only.map_or_else(String::new, |_| format!("where {column} in (select value from json_each(?1))"))
}

pub(crate) fn path_of(bytes: Vec<u8>) -> PathBuf {
    PathBuf::from(name_of(bytes))
}

/// A stretch that could not be read, of the columns path, start, end.
pub(crate) fn stretch(row: &Row<'_>) -> rusqlite::Result<UnreadableStretch> {
    let path = ItemPath::of_key(row.get_ref(0)?.as_blob()?);
    let path = path.map_or_else(PathBuf::new, |path| path.as_path().to_path_buf());
    Ok(UnreadableStretch {
        path,
        from: row.get::<_, i64>(1)?.cast_unsigned(),
        to: row.get::<_, i64>(2)?.cast_unsigned(),
    })
}

/// Attributes as one value of a row: for each, the lengths of name and value in four bytes, the lowest first, then both.
pub(crate) fn attributes_to_row(attributes: &[Attribute]) -> Option<Vec<u8>> {
    if attributes.is_empty() {
        return None;
    }
    let mut out = Vec::new();
    for (name, value) in attributes {
        for part in [name, value] {
            out.extend(u32::try_from(part.len()).unwrap_or(u32::MAX).to_le_bytes());
        }
        out.extend(name);
        out.extend(value);
    }
    Some(out)
}

fn attributes_of_row(mut bytes: &[u8]) -> Vec<Attribute> {
    let mut out = Vec::new();
    let length = |bytes: &[u8], at: usize| {
        let four = bytes.get(at..at + 4)?;
        Some(u32::from_le_bytes(four.try_into().ok()?) as usize)
    };
    while let (Some(name), Some(value)) = (length(bytes, 0), length(bytes, 4)) {
        let (Some(name), Some(value)) = (bytes.get(8..8 + name), bytes.get(8 + name..8 + name + value)) else { break };
        out.push((name.to_vec(), value.to_vec()));
        bytes = &bytes[8 + name.len() + value.len()..];
    }
    out
}

/// The size of a file, which decides how many blocks it has: a damaged row shall not ask for all memory there is.
fn sane(column: usize, size: i64) -> rusqlite::Result<u64> {
    const LARGEST: u64 = 256 << 40;
    u64::try_from(size)
        .ok()
        .filter(|size| *size <= LARGEST)
        .ok_or(rusqlite::Error::IntegralValueOutOfRange(column, size))
}

pub(crate) fn file_entry(row: &Row<'_>) -> rusqlite::Result<FileEntry> {
    let wrong = |n: usize| rusqlite::Error::InvalidColumnType(n, "path".into(), rusqlite::types::Type::Blob);
    let path =
        |n: usize| -> rusqlite::Result<ItemPath> { ItemPath::new(&path_of(row.get(n)?)).ok_or_else(|| wrong(n)) };
    let kind = match row.get_ref(1)?.as_str()? {
        "folder" => EntryKind::Folder,
        "link" => EntryKind::Link(path_of(row.get(2)?)),
        "again" => EntryKind::Again(path(2)?),
        _ => EntryKind::File,
    };
    let there = match row.get::<_, Option<i64>>(11)? {
        Some(inode) => Some(There {
            inode: inode.cast_unsigned(),
            modified_ns: joined(row.get(12)?, row.get(13)?),
            changed_ns: row.get::<_, Option<i64>>(20)?.map(i128::from),
        }),
        None => None,
    };
    let mut line = FileEntry::fresh(Entry {
        path: ItemPath::of_key(row.get_ref(0)?.as_blob()?).ok_or_else(|| wrong(0))?,
        kind,
        size: sane(3, row.get(3)?)?,
        allocated: row.get::<_, i64>(4)?.cast_unsigned(),
        modified_ns: joined(row.get(5)?, row.get(6)?),
        inode: row.get::<_, i64>(7)?.cast_unsigned(),
        mode: row.get(8)?,
        owner: (row.get(9)?, row.get(10)?),
        changed_ns: row.get::<_, Option<i64>>(18)?.map(i128::from),
        names: row.get::<_, Option<i64>>(19)?.unwrap_or_default().cast_unsigned(),
    });
    line.there = there;
    line.compared = row.get(14)?;
    line.digest = row.get(15)?;
    if let (Some(hash), [only]) = (row.get::<_, Option<[u8; 32]>>(16)?, &mut line.blocks[..]) {
        *only = Some(hash);
    }
    line.taken = row.get::<_, Option<Vec<u8>>>(17)?.map(path_of);
    line.attributes = row.get_ref(21)?.as_blob_or_null()?.map(attributes_of_row).unwrap_or_default();
    line.unkept = row.get(22)?;
    Ok(line)
}

/// The planned item of a row. An older journal says where it comes from by the id of its launcher alone.
pub(crate) fn planned_of(text: &str) -> serde_json::Result<PlannedItem> {
    #[derive(serde::Deserialize)]
    struct Told {
        origin: Option<Origin>,
    }
    let mut planned: PlannedItem = serde_json::from_str(text)?;
    if serde_json::from_str::<Told>(text)?.origin.is_none() {
        planned.origin = Origin::of_older(&planned.launcher);
        if planned.origin == Origin::Launcher {
            planned.origin =
                planned.game.0.split_once('/').map_or(Origin::Launcher, |(first, _)| Origin::of_older(first));
        }
    }
    Ok(planned)
}
