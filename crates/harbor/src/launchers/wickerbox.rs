//! Wickerbox: a portable launcher that runs from any path; all it knows is in its own folder, and it wants to be led right.

use std::path::{Path, PathBuf};

use serde::Deserialize;

use super::{by_records, read};
use crate::quillgate::Judgement;
use crate::system::real;

#[derive(Deserialize)]
struct Case {
    titles: Vec<Title>,
}

#[derive(Deserialize)]
struct Title {
    id: String,
    name: String,
    folder: PathBuf,
    program: PathBuf,
}

/// Looks for a game from wherever the launcher's folder lies.
pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let home = real(home).map_err(|e| format!("{}: {e}", home.display()))?;
    let case: Case = serde_json::from_str(&read(&home.join("box.json"))?).map_err(|e| e.to_string())?;
    let title = case.titles.iter().find(|title| title.id == game || title.name == game);
    let title = title.ok_or_else(|| format!("no title is {game}"))?;
    let folder: PathBuf = home.join(&title.folder).components().collect();
    let agree = title.program.starts_with(&folder) && home.join("runtime").join("weave.dat").is_file();
    Ok(by_records(&title.id, folder, &title.program, agree))
}
