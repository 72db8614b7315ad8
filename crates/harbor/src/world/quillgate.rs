//! Quillgate's files in the demo: rooms, ledgers, content lists, remembered starts, and our profile of it.

use std::path::Path;

use serde_json::{Value, json};

use super::bytes::text;
use super::games::{Build, GAMES, write as write_game};
use super::{Result, Scale};
use crate::system::{CONFIG, START, start_of};

/// The profile that tells Deft Barge where Quillgate keeps its records.
pub const PROFILE: &str = include_str!("quillgate.toml");

/// A stretch that the old disk cannot read.
pub(super) struct Unreadable {
    pub(super) drive: &'static str,
    pub(super) file: String,
    pub(super) from: u64,
    pub(super) bytes: u64,
}

/// Writes the games, their rooms and Quillgate's own folder.
pub(super) fn write(drives: &Path, home: &Path, seed: u64, scale: Scale, report: &dyn Fn(usize)) -> Result<Unreadable> {
    let own = home.join(CONFIG).join("quillgate");
    let mut rooms = Vec::new();
    let mut starts = Vec::new();
    for (drive, caption) in [("swift", "Front"), ("cellar", "Cellar"), ("pocket", "Stick")] {
        let room = drives.join(drive).join("quillgate");
        let mut titles = Vec::new();
        let mut holds = 0;
        for build in GAMES.iter().filter(|build| build.drive == drive) {
            let install = room.join(build.folder);
            report(starts.len());
            let parts = write_game(build, &install, seed, scale)?;
            let bytes: u64 = parts.iter().map(|part| part.size).sum();
            let parts: Vec<Value> =
                parts.iter().map(|p| json!({ "path": p.path, "size": p.size, "sha1": p.sha1 })).collect();
            let contents = json!({ "title": build.id, "name": build.title, "start": START, "parts": parts });
            text(&own.join("contents").join(format!("{}.json", build.id)), &pretty(&contents))?;
            holds += build.claim.unwrap_or(bytes);
            titles.push(entry(build, bytes));
            starts.push(json!({ "title": build.id, "program": start_of(&install), "at": build.last }));
        }
        text(&room.join("ledger.json"), &pretty(&json!({ "ledger": 3, "holds": holds, "titles": titles })))?;
        rooms.push(json!({ "folder": room, "caption": caption }));
    }
    text(&own.join("rooms.json"), &pretty(&json!({ "written-by": "Quillgate 4.2", "rooms": rooms })))?;
    text(&own.join("recent.json"), &pretty(&json!({ "starts": starts })))?;
    Ok(Unreadable {
        drive: "cellar",
        file: "quillgate/brass-herons/data/pack01.bin".into(),
        from: scale.of(5_000_000),
        bytes: 4096,
    })
}

fn entry(build: &Build, bytes: u64) -> Value {
    let (have, want) = build.update;
    json!({
        "id": build.id,
        "name": build.title,
        "folder": build.folder,
        "bytes": build.claim.unwrap_or(bytes),
        "start": START,
        "last": build.last,
        "update": { "have": have, "want": want },
        "fixed": build.sealed,
    })
}

pub(super) fn pretty(value: &Value) -> String {
    // Plain values always become text.
    serde_json::to_string_pretty(value).unwrap_or_default() + "\n"
}
