//! Linux, where the world was first.

use std::ffi::CStr;
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::{FileExt, PermissionsExt, symlink};
use std::path::{Path, PathBuf};

use super::Berth;

/// Where programs keep settings, below a home.
pub const CONFIG: &str = ".config";

/// Where programs keep data, below a home.
pub const DATA: &str = ".local/share";

/// Whether menus are made of desktop entries.
pub(crate) const DESKTOP_ENTRIES: bool = true;

/// Whether files may have any name.
pub(crate) const ANY_NAME: bool = true;

/// The program that starts a game, below its folder.
pub const START: &str = "bin/start";

/// What that program is.
pub(crate) fn program(title: &str) -> String {
    format!("#!/bin/sh\necho \"{title} starts\"\nsleep 1\nexit 0\n")
}

pub(crate) fn make_startable(program: &Path) -> io::Result<()> {
    fs::set_permissions(program, fs::Permissions::from_mode(0o755))
}

pub(crate) fn startable(program: &Path) -> bool {
    fs::metadata(program).is_ok_and(|meta| meta.is_file() && meta.permissions().mode() & 0o100 != 0)
}

/// Makes a link that says `target`.
pub(crate) fn link(target: &Path, at: &Path) -> io::Result<()> {
    symlink(target, at)
}

/// A path with its links followed.
pub(crate) fn real(path: &Path) -> io::Result<PathBuf> {
    path.canonicalize()
}

pub(crate) fn write_at(file: &File, bytes: &[u8], at: u64) -> io::Result<()> {
    file.write_all_at(bytes, at)
}

/// Gives this process the name of a launcher, however it was started.
pub(crate) fn name_process(name: &CStr) -> io::Result<()> {
    Ok(rustix::thread::set_name(name)?)
}

/// Hears from now on that this process is told to end; what it gives waits for that.
pub(crate) fn hear_end() -> io::Result<impl FnOnce()> {
    let mut signals = signal_hook::iterator::Signals::new([signal_hook::consts::SIGTERM, signal_hook::consts::SIGINT])?;
    Ok(move || {
        signals.forever().next();
    })
}

/// The path as it is written.
pub(crate) fn written(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// A drive of the world as a layer writes it.
pub(crate) fn lettered(letter: char, _drive: &Path) -> String {
    format!("{letter}:")
}

/// Follows a path with a drive letter of a layer, the simple way: the letters of names must be right.
pub(crate) fn letters(layer: &Path, written: &str) -> Result<PathBuf, String> {
    let (letter, rest) = written.split_once(':').ok_or_else(|| format!("{written:?} has no drive letter"))?;
    let link = layer.join("dosdevices").join(format!("{}:", letter.to_lowercase()));
    let target = fs::read_link(&link).map_err(|e| format!("{}: {e}", link.display()))?;
    Ok(link.parent().unwrap_or(layer).join(target).join(rest.replace('\\', "/").trim_matches('/')))
}

/// Makes a layer with letters for some folders, beside its own drive.
pub(crate) fn make_letters(layer: &Path, letters: &[(&str, PathBuf)]) -> io::Result<()> {
    let folder = layer.join("dosdevices");
    fs::create_dir_all(layer.join("drive_c"))?;
    fs::create_dir_all(&folder)?;
    symlink("../drive_c", folder.join("c:"))?;
    letters.iter().try_for_each(|(letter, target)| symlink(target, folder.join(format!("{letter}:"))))
}

/// What the profile of Fathom Row says here.
pub(crate) fn fathom_profile(text: &str, _home: &Path) -> String {
    text.into()
}

fn hive_of(home: &Path) -> PathBuf {
    home.join(CONFIG).join("fathom-row/layer/user.reg")
}

/// Writes what Fathom Row knows into the registry of its layer.
pub(crate) fn write_berths(home: &Path, berths: &[Berth]) -> io::Result<()> {
    let mut hive = String::from(
        "WINE REGISTRY Version 2\n;; All keys relative to \\\\User\\\\S-1-5-21-0-0-0-1000\n\n#arch=win64\n",
    );
    hive.push_str("\n[Software\\\\Drift \\x26 Daughters] 1767000000\n#time=1dc2a3b4c5d6e70\n@=\"Undertow Bay\"\n\"Rows\"=dword:00000002\n");
    for berth in berths {
        let path = |text: &str| format!("Z:{text}").replace('/', "\\\\");
        hive.push_str(&format!(
            "\n[Software\\\\Drift \\x26 Daughters\\\\Undertow\\\\{}] 1767000001\n#time=1dc2a3b4c5d6e71\n\"Code\"=\"{0}\"\n\"Title\"=\"{}\"\n\"Berth\"=\"{}\"\n\"Program\"=str(2):\"{}\"\n\"Bytes\"=dword:{:08x}\n",
            berth.code, berth.title, path(&berth.folder), path(&berth.program), berth.bytes
        ));
    }
    fs::write(hive_of(home), hive)
}

/// The text of a value, unescaped: only what this hive holds.
fn value(line: &str, name: &str) -> Option<String> {
    let rest = line.strip_prefix(&format!("\"{name}\"="))?;
    let rest = rest.strip_prefix("str(2):").unwrap_or(rest);
    Some(rest.strip_prefix('"')?.strip_suffix('"')?.replace("\\\\", "\\"))
}

/// Reads it.
pub(crate) fn read_berths(home: &Path) -> Result<Vec<Berth>, String> {
    let file = hive_of(home);
    let hive = fs::read_to_string(&file).map_err(|e| format!("{}: {e}", file.display()))?;
    let mut all = Vec::new();
    for section in hive.split("\n[").skip(1) {
        let find = |name: &str| section.lines().find_map(|line| value(line, name));
        if let (Some(code), Some(title), Some(folder), Some(program)) =
            (find("Code"), find("Title"), find("Berth"), find("Program"))
        {
            all.push(Berth { code, title, folder, program, bytes: 0 });
        }
    }
    Ok(all)
}

/// Writes remembered places back, as they were written.
pub(crate) fn write_back(home: &Path, remembered: &[Berth]) -> Result<(), String> {
    let file = hive_of(home);
    let now = fs::read_to_string(&file).map_err(|e| format!("{}: {e}", file.display()))?;
    let escaped = |text: &str| text.replace('\\', "\\\\");
    let mut code = String::new();
    let back = now.lines().map(|line| {
        code = value(line, "Code").unwrap_or_else(|| code.clone());
        let berth = remembered.iter().find(|berth| berth.code == code);
        match berth {
            Some(berth) if line.starts_with("\"Berth\"=") => format!("\"Berth\"=\"{}\"\n", escaped(&berth.folder)),
            Some(berth) if line.starts_with("\"Program\"=") => {
                format!("\"Program\"=str(2):\"{}\"\n", escaped(&berth.program))
            }
            _ => format!("{line}\n"),
        }
    });
    fs::write(&file, back.collect::<String>()).map_err(|e| e.to_string())
}

/// They lie in the world, and go with it.
#[expect(clippy::unnecessary_wraps, reason = "on another system it can fail")]
pub(crate) fn forget_berths(_home: &Path) -> io::Result<()> {
    Ok(())
}

/// Opens a file as programs do that hold it.
pub(crate) fn hold(file: &Path) -> io::Result<File> {
    File::open(file)
}
