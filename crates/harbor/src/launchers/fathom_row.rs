//! Fathom Row: the registry, under the maker's name; a helper that remembers its values and holds files of its games open.

use std::fs::File;
use std::path::Path;

use super::by_records;
use crate::quillgate::Judgement;
use crate::system::{hear_end, hold, letters, name_process, read_berths, start_of, write_back};

/// The home of the person, above the launcher's own folder in it.
fn person(home: &Path) -> &Path {
    let levels = Path::new(crate::system::CONFIG).components().count() + 1;
    home.ancestors().nth(levels).unwrap_or(home)
}

pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let all = read_berths(person(home))?;
    let berth = all.iter().find(|berth| berth.code == game || berth.title == game);
    let berth = berth.ok_or_else(|| format!("no berth is {game}"))?;
    let layer = home.join("layer");
    let folder = letters(&layer, &berth.folder)?;
    let program = letters(&layer, &berth.program)?;
    let agree = program == start_of(&folder) && !berth.folder.contains('/');
    Ok(by_records(&berth.code, folder, &program, agree))
}

/// The helper: remembers its values, holds a file of each game, waits to be ended, and writes the values back.
pub(super) fn help(home: &Path) -> Result<(), String> {
    name_process(c"fathomd").map_err(|e| e.to_string())?;
    let wait_for_end = hear_end().map_err(|e| e.to_string())?;
    let remembered = read_berths(person(home))?;
    let pack = |folder: &str| Some(letters(&home.join("layer"), folder).ok()?.join("data").join("pack00.bin"));
    let held: Vec<File> = remembered.iter().filter_map(|berth| hold(&pack(&berth.folder)?).ok()).collect();
    println!(
        "Fathom Row's helper is up (process {}). It holds {} files, and writes its values back when it ends.",
        std::process::id(),
        held.len()
    );
    wait_for_end();
    drop(held);
    write_back(person(home), &remembered)
}
