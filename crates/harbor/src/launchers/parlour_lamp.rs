//! Parlour Lamp: a row per install in SQLite, with a JSON text in a column that holds the path again;
//! lists with SHA-256 of every piece.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use rusqlite::Connection;
use serde::Deserialize;
use sha2::{Digest, Sha256};

use crate::quillgate::Judgement;
use crate::system::{name_process, start_of, startable};

#[derive(Deserialize)]
struct Extra {
    folder: PathBuf,
    program: PathBuf,
}

#[derive(Deserialize)]
struct List {
    title: Option<String>,
    piece: usize,
    files: Vec<Item>,
}

#[derive(Deserialize)]
struct Item {
    path: PathBuf,
    size: u64,
    pieces: Vec<String>,
}

pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let db = Connection::open(home.join("lamp.db")).map_err(|e| e.to_string())?;
    let sound: String = db.query_row("pragma integrity_check", [], |row| row.get(0)).map_err(|e| e.to_string())?;
    if sound != "ok" {
        return Err(sound);
    }
    let row: (String, String, String) = db
        .query_row("select key, path, extra from lit where key = ?1 or title = ?1", [game], |row| {
            Ok((row.get(0)?, row.get(1)?, row.get(2)?))
        })
        .map_err(|e| e.to_string())?;
    let folder = PathBuf::from(row.1);
    let extra: Extra = serde_json::from_str(&row.2).map_err(|e| e.to_string())?;
    let file = home.join("lists").join(format!("{}.json", row.0));
    let list: List = serde_json::from_str(&super::read(&file)?).map_err(|e| e.to_string())?;
    let (mut right, mut missing, mut wrong, mut download) = (0, 0, 0, 0);
    for item in &list.files {
        match fs::read(folder.join(&item.path)) {
            Err(_) => missing += 1,
            Ok(bytes) if pieces(&bytes, list.piece) == item.pieces => {
                right += 1;
                continue;
            }
            Ok(_) => wrong += 1,
        }
        download += item.size;
    }
    Ok(Judgement {
        id: row.0,
        right,
        missing,
        wrong,
        download,
        could_start: startable(&extra.program),
        starts_lead: extra.folder == folder && extra.program == start_of(&folder),
        folder,
    })
}

/// Takes over a folder as Parlour Lamp does: a row without bytes first, the bytes once the files were looked through.
pub(super) fn light(home: &Path, key: &str, at: &Path, stays: Duration) -> Result<(), String> {
    name_process(c"parlour-lamp").map_err(|e| e.to_string())?;
    std::thread::sleep(stays / 2);
    let db = Connection::open(home.join("lamp.db")).map_err(|e| e.to_string())?;
    let file = home.join("lists").join(format!("{key}.json"));
    let list: List = serde_json::from_str(&super::read(&file)?).map_err(|e| e.to_string())?;
    let extra = serde_json::json!({ "folder": at, "program": start_of(at), "tags": [] });
    let row = "insert or replace into lit values(?1, ?2, ?3, 0, '1.0.7', null, ?4)";
    let title = list.title.clone().unwrap_or_else(|| key.into());
    db.execute(row, (key, title, at.to_string_lossy(), extra.to_string())).map_err(|e| e.to_string())?;
    let there =
        |item: &&Item| fs::read(at.join(&item.path)).is_ok_and(|bytes| pieces(&bytes, list.piece) == item.pieces);
    let bytes: u64 = list.files.iter().filter(there).map(|item| item.size).sum();
    db.execute("update lit set bytes = ?2 where key = ?1", (key, bytes as i64)).map_err(|e| e.to_string())?;
    std::thread::sleep(stays / 2);
    Ok(())
}

/// SHA-256 of every piece, in hexadecimal digits.
pub(crate) fn pieces(bytes: &[u8], piece: usize) -> Vec<String> {
    let hex = |piece: &[u8]| Sha256::digest(piece).iter().map(|byte| format!("{byte:02x}")).collect();
    bytes.chunks(piece).map(hex).collect()
}
