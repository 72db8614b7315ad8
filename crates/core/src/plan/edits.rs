//! The edits that repoint a game, and how they look before they are made.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::launcher::{Found, FoundGame, Record};
use crate::record::{Edit, Rewrite, Values};
use crate::site::Site;

/// How a record file changes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PreviewKind {
    /// A key or value says another text.
    Replaced,
    /// An entry leaves.
    Leaves,
    /// An entry arrives.
    Arrives,
    /// A library becomes known.
    LibraryKnown,
    /// A file is made.
    FileMade,
}

/// One change of a record file, as it would be.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Preview {
    /// The file.
    pub file: PathBuf,
    /// The place in it.
    pub location: String,
    /// How it changes.
    pub kind: PreviewKind,
    /// Text before; empty where there was none.
    pub before: String,
    /// Text after; empty where there is none.
    pub after: String,
}

/// Where a game goes, in the words of its launcher.
pub(super) struct Target<'a> {
    pub install: &'a Path,
    pub library: Option<&'a Path>,
    pub new_library: bool,
}

/// Makes the edits that repoint `game` to `target`.
///
/// # Errors
/// A sentence that says which template could not be filled.
pub(super) fn edits(site: &Site, found: &Found, game: &FoundGame, target: &Target<'_>) -> Result<Vec<Edit>, String> {
    let text = |path: &Path| path.to_str().map(str::to_string).ok_or(format!("{} is not text", path.display()));
    let mut values = found
        .values(site)
        .with("id", &game.id)
        .with("folder", &game.folder)
        .with("install", text(target.install)?)
        .with("parent", text(target.install.parent().unwrap_or(Path::new("/")))?);
    if let Some(library) = target.library {
        values = values.with("library", text(library)?);
    }
    let mut edits = Vec::new();
    let games = &found.profile.games;
    let list_file = games.file.fill(&values).map(PathBuf::from).map_err(|e| e.to_string())?;
    if target.new_library
        && let Some(library) = target.library
    {
        edits.push(register(site, found, library, &list_file)?);
    }
    let travels = game.entry.travels && list_file != game.entry.file;
    let mut rewrites = Vec::new();
    for record in &game.records {
        let Some(mut rewrite) = rewrite(record, &values)? else { continue };
        if record.in_entry && travels {
            rewrites.push(rewrite);
            continue;
        }
        if record.in_entry {
            rewrite.location = format!("{}{}", game.entry.location, rewrite.location.trim_start_matches('$'));
        }
        edits.push(Edit::Replace { file: record.file.clone(), rewrite });
    }
    if travels {
        edits.push(Edit::Travel {
            from: game.entry.file.clone(),
            to: list_file,
            list: game.entry.list.clone(),
            id_at: game.entry.id_at.clone(),
            id: game.id.clone(),
            rewrites,
        });
    }
    Ok(edits)
}

fn register(site: &Site, found: &Found, library: &Path, list_file: &Path) -> Result<Edit, String> {
    let libraries = &found.profile.libraries;
    let file = libraries.file.fill(&found.values(site)).map_err(|e| e.to_string())?;
    let entry = libraries.new_entry.as_ref().ok_or("the profile says no entry for a new library")?;
    let path = serde_json::Value::String(library.to_string_lossy().into_owned()).to_string();
    let entry = entry.replace("{library}", &path[1..path.len() - 1]);
    let made = libraries.new_file.as_ref().map(|text| (list_file.to_path_buf(), text.clone()));
    Ok(Edit::Register { file: file.into(), list: libraries.list.clone(), entry, made })
}

fn rewrite(record: &Record, values: &Values) -> Result<Option<Rewrite>, String> {
    let values = match &record.tail {
        Some(tail) => values.clone().with("tail", tail),
        None => values.clone(),
    };
    let mut new = record.meaning.fill(&values).map_err(|e| e.to_string())?;
    if record.text.len() > 1 && record.text.ends_with('/') {
        new.push('/');
    }
    let rewrite = Rewrite { location: record.location.clone(), side: record.side, old: record.text.clone(), new };
    Ok((rewrite.old != rewrite.new).then_some(rewrite))
}

/// Shows edits as they would be made now. What cannot be read is shown without its text; a finding says why.
pub(super) fn previews(edits: &[Edit]) -> Vec<Preview> {
    let mut out = Vec::new();
    for edit in edits {
        match edit {
            Edit::Replace { file, rewrite } => out.push(Preview {
                file: file.clone(),
                location: rewrite.location.clone(),
                kind: PreviewKind::Replaced,
                before: rewrite.old.clone(),
                after: rewrite.new.clone(),
            }),
            Edit::Travel { from, to, list, id_at, id, rewrites } => {
                let before = edit.entry_text().unwrap_or_default();
                let after = rewrites.iter().fold(before.clone(), |text, rewrite| {
                    let [old, new] =
                        [&rewrite.old, &rewrite.new].map(|t| serde_json::Value::from(t.as_str()).to_string());
                    text.replacen(&old, &new, 1)
                });
                let key = id_at.as_deref().unwrap_or("key");
                let location = format!("{list} {key} = {id}");
                out.push(Preview {
                    file: to.clone(),
                    location: location.clone(),
                    kind: PreviewKind::Arrives,
                    before: String::new(),
                    after,
                });
                out.push(Preview {
                    file: from.clone(),
                    location,
                    kind: PreviewKind::Leaves,
                    before,
                    after: String::new(),
                });
            }
            Edit::Register { file, list, entry, made } => {
                let made = made.iter().map(|(file, text)| (file, PreviewKind::FileMade, "$", text));
                for (file, kind, location, text) in
                    made.chain([(file, PreviewKind::LibraryKnown, list.as_str(), entry)])
                {
                    let (before, after) = (String::new(), text.clone());
                    out.push(Preview { file: file.clone(), location: location.into(), kind, before, after });
                }
            }
            Edit::Unregister { .. } => {}
        }
    }
    out
}
