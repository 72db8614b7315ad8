//! Ninepin: lanes in a TOML file, starts in a YAML map whose keys are paths, both in drive letters.

use std::collections::BTreeMap;
use std::path::Path;

use serde::Deserialize;

use super::{by_records, read};
use crate::quillgate::Judgement;
use crate::system::{letters, start_of};

#[derive(Deserialize)]
struct Lanes {
    lanes: BTreeMap<String, Lane>,
}

#[derive(Deserialize)]
struct Lane {
    name: String,
    base: String,
    room: String,
}

pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let lanes: Lanes = toml::from_str(&read(&home.join("lanes.toml"))?).map_err(|e| e.to_string())?;
    let found = lanes.lanes.iter().find(|(id, lane)| *id == game || lane.name == game);
    let (id, lane) = found.ok_or_else(|| format!("no lane is {game}"))?;
    if !lane.base.ends_with('/') || lane.base.contains('\\') {
        return Err(format!("the base {:?} is not as Ninepin writes it", lane.base));
    }
    let layer = home.join("layer");
    let folder = letters(&layer, &lane.base)?.join(&lane.room);
    let program = start_of(&folder);
    let mut starts = 0;
    for line in read(&home.join("starts.yaml"))?.lines() {
        let Some((key, rest)) = line.strip_prefix('\'').and_then(|line| line.split_once("': ")) else { continue };
        if rest.contains(&format!("lane: {id},")) {
            starts += 1;
            let wanted = letters(&layer, &key.replace("''", "'"))?;
            if key.contains('/') || wanted.canonicalize().ok() != program.canonicalize().ok() {
                return Ok(by_records(id, folder, &program, false));
            }
        }
    }
    Ok(by_records(id, folder, &program, starts == 1))
}
