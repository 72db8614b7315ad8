//! Fathom Row: the registry of a compatibility layer, under the maker's name; a helper that remembers its values.

use std::fs;
use std::path::Path;

use super::{by_records, letters, read};
use crate::quillgate::Judgement;

/// The values of one key of the hive.
struct Berth {
    code: String,
    title: String,
    folder: String,
    program: String,
}

/// The text of a value, unescaped: only what this hive holds.
fn value(line: &str, name: &str) -> Option<String> {
    let rest = line.strip_prefix(&format!("\"{name}\"="))?;
    let rest = rest.strip_prefix("str(2):").unwrap_or(rest);
    Some(rest.strip_prefix('"')?.strip_suffix('"')?.replace("\\\\", "\\"))
}

fn berths(hive: &str) -> Vec<Berth> {
    let mut all = Vec::new();
    for section in hive.split("\n[").skip(1) {
        let find = |name: &str| section.lines().find_map(|line| value(line, name));
        if let (Some(code), Some(title), Some(folder), Some(program)) =
            (find("Code"), find("Title"), find("Berth"), find("Program"))
        {
            all.push(Berth { code, title, folder, program });
        }
    }
    all
}

pub(super) fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let hive = read(&home.join("layer/user.reg"))?;
    let all = berths(&hive);
    let berth = all.iter().find(|berth| berth.code == game || berth.title == game);
    let berth = berth.ok_or_else(|| format!("no berth is {game}"))?;
    let layer = home.join("layer");
    let folder = letters(&layer, &berth.folder)?;
    let program = letters(&layer, &berth.program)?;
    let agree = program == folder.join("bin/start") && !berth.folder.contains('/');
    Ok(by_records(&berth.code, folder, &program, agree))
}

/// The helper: remembers its values, waits to be ended, and writes them back.
pub(super) fn help(home: &Path) -> Result<(), String> {
    rustix::thread::set_name(c"fathomd").map_err(|e| e.to_string())?;
    let file = home.join("layer/user.reg");
    let remembered = read(&file)?;
    println!("Fathom Row's helper is up (process {}). It writes its values back when it ends.", std::process::id());
    let mut signals = signal_hook::iterator::Signals::new([signal_hook::consts::SIGTERM, signal_hook::consts::SIGINT])
        .map_err(|e| e.to_string())?;
    signals.forever().next();
    let own = |line: &str| line.starts_with("\"Berth\"=") || line.starts_with("\"Program\"=");
    let mut old = remembered.lines().filter(|line| own(line));
    let now = read(&file)?;
    let back = now.lines().map(|line| if own(line) { old.next().unwrap_or(line) } else { line });
    fs::write(&file, back.map(|line| format!("{line}\n")).collect::<String>()).map_err(|e| e.to_string())
}
