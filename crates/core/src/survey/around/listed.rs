//! The list of user data that a person keeps.

use crate::launcher::DataKind;
use crate::launcher::Problem;
use crate::platform::{self};
use crate::site::Site;
use crate::survey::GameId;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// User data that the person has listed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ListedData {
    /// The game.
    pub game: GameId,
    /// What it is.
    pub kind: DataKind,
    /// Where it is.
    pub path: PathBuf,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct ListFile {
    format: u32,
    #[serde(default)]
    user_data: Vec<ListedData>,
}

/// The file of the person's list. Format: `docs/formats.md`, "User data".
pub fn list_file(site: &Site) -> PathBuf {
    site.places.config.join("deft-barge/user-data.toml")
}

/// Reads the person's list; a file that is not there is an empty one.
///
/// # Errors
/// What is wrong with the file, with its line.
pub fn read_list(site: &Site) -> Result<Vec<ListedData>, Problem> {
    let file = list_file(site);
    let problem = |what: String| Problem { file: file.clone(), line: None, what };
    let text = match platform::read_to_string(&file) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(problem(error.to_string())),
    };
    let list: ListFile = toml::from_str(&text).map_err(|error| problem(error.to_string()))?;
    if list.format != 1 {
        return Err(problem(format!("format {} is not known here; this program reads 1", list.format)));
    }
    Ok(list.user_data)
}

/// The text of the person's list.
pub fn list_text(listed: &[ListedData]) -> String {
    #[derive(Serialize)]
    #[serde(rename_all = "kebab-case")]
    struct ListFile2<'a> {
        format: u32,
        user_data: &'a [ListedData],
    }
    let body = toml::to_string(&ListFile2 { format: 1, user_data: listed }).unwrap_or_default();
    format!("# User data that you have listed. Written by `deft-barge data`; it may be edited by hand.\n{body}")
}
