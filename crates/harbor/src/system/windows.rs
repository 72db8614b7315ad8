//! Windows, by the standard library and the calls that it has not.

use std::ffi::CStr;
use std::fs::{self, File};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::io;
use std::os::windows::fs::{FileExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::mpsc::channel;

use deft_barge_windows::{Hive, Value, delete_key, hear_ends, read_below, set_value};

use super::Berth;

/// Where programs keep settings, below a home.
pub const CONFIG: &str = "AppData/Roaming";

/// Where programs keep data, below a home.
pub const DATA: &str = "AppData/Local";

/// Whether menus are made of desktop entries.
pub(crate) const DESKTOP_ENTRIES: bool = false;

/// Whether files may have any name.
pub(crate) const ANY_NAME: bool = false;

/// The program that starts a game, below its folder.
pub const START: &str = "bin/start.cmd";

/// What that program is.
pub(crate) fn program(title: &str) -> String {
    format!("@echo off\r\necho {} starts\r\nexit /b 0\r\n", title.replace('&', "^&"))
}

pub(crate) fn make_startable(_program: &Path) -> io::Result<()> {
    Ok(())
}

pub(crate) fn startable(program: &Path) -> bool {
    program.extension().is_some_and(|end| end == "cmd" || end == "exe") && program.is_file()
}

/// Makes what leads to a place without any right: a junction to a folder, a second name of a file. Where the file system has neither, the
/// world has no link there.
pub(crate) fn link(target: &Path, at: &Path) -> io::Result<()> {
    let target = at.parent().unwrap_or(at).join(target);
    if target.is_file() {
        return fs::hard_link(target, at);
    }
    match junction::create(&target, at) {
        Err(_) => fs::remove_dir(at).or(Ok(())),
        done => done,
    }
}

/// A path with its links followed, as people write it.
pub(crate) fn real(path: &Path) -> io::Result<PathBuf> {
    let real = path.canonicalize()?;
    let text = real.to_string_lossy();
    let plain = text.strip_prefix(r"\\?\").filter(|rest| rest.as_bytes().get(1) == Some(&b':'));
    Ok(plain.map_or_else(|| real.clone(), PathBuf::from))
}

/// The path as it is written with separators of this system alone.
pub(crate) fn written(path: &Path) -> String {
    path.to_string_lossy().replace('/', "\\")
}

pub(crate) fn write_at(file: &File, bytes: &[u8], at: u64) -> io::Result<()> {
    let written = file.seek_write(bytes, at)?;
    if written == bytes.len() { Ok(()) } else { Err(io::ErrorKind::WriteZero.into()) }
}

/// The name of a process is that of its program's file.
pub(crate) fn name_process(_name: &CStr) -> io::Result<()> {
    Ok(())
}

/// Hears from now on that this process is told to end; what it gives waits for that.
pub(crate) fn hear_end() -> io::Result<impl FnOnce()> {
    let (tell, told) = channel();
    hear_ends(move || {
        // Nobody waits any more where nobody hears it.
        tell.send(()).unwrap_or(());
    })?;
    Ok(move || told.recv().unwrap_or(()))
}

/// The letter of a drive of the world is that of the system's own drive which it lies on.
pub(crate) fn lettered(_letter: char, drive: &Path) -> String {
    written(drive)
}

/// Follows a path with a drive letter: the system does.
pub(crate) fn letters(_layer: &Path, text: &str) -> Result<PathBuf, String> {
    if text.as_bytes().get(1) != Some(&b':') {
        return Err(format!("{text:?} has no drive letter"));
    }
    Ok(text.trim_end_matches(['/', '\\']).into())
}

/// There is no layer that would have letters of its own.
pub(crate) fn make_letters(_layer: &Path, _letters: &[(&str, PathBuf)]) -> io::Result<()> {
    Ok(())
}

/// The key of Fathom Row in the registry: one for each world.
fn key(home: &Path) -> String {
    let mut hash = DefaultHasher::new();
    written(home).to_lowercase().hash(&mut hash);
    format!("Software\\Drift & Daughters\\Undertow {:08x}", hash.finish() & 0xffff_ffff)
}

/// What the profile of Fathom Row says here.
pub(crate) fn fathom_profile(text: &str, home: &Path) -> String {
    let file = format!("{{registry}}/HKEY_CURRENT_USER/{}", key(home).replace('\\', "/"));
    text.replace("prefixes = [\"{home}/layer\"]\n", "").replace("{home}/layer/user.reg", &file)
}

fn text(name: &str, kind: u32, text: &str) -> Value {
    let units = text.encode_utf16().chain([0]);
    Value { name: name.into(), kind, data: units.flat_map(u16::to_le_bytes).collect() }
}

fn said(value: &Value) -> String {
    let (pairs, _) = value.data.as_chunks::<2>();
    let units: Vec<u16> = pairs.iter().map(|pair| u16::from_le_bytes(*pair)).take_while(|unit| *unit != 0).collect();
    String::from_utf16_lossy(&units)
}

/// Writes what Fathom Row knows into the registry.
pub(crate) fn write_berths(home: &Path, berths: &[Berth]) -> io::Result<()> {
    let top = key(home);
    set_value(Hive::User, top.as_ref(), &text("", 1, "Undertow Bay"))?;
    for berth in berths {
        let key = format!("{top}\\{}", berth.code);
        let bytes = u32::try_from(berth.bytes).unwrap_or(u32::MAX).to_le_bytes().to_vec();
        for value in [
            text("Code", 1, &berth.code),
            text("Title", 1, &berth.title),
            text("Berth", 1, &berth.folder),
            text("Program", 2, &berth.program),
            Value { name: "Bytes".into(), kind: 4, data: bytes },
        ] {
            set_value(Hive::User, key.as_ref(), &value)?;
        }
    }
    Ok(())
}

/// Reads it.
pub(crate) fn read_berths(home: &Path) -> Result<Vec<Berth>, String> {
    let keys = read_below(Hive::User, key(home).as_ref()).map_err(|e| format!("the registry: {e}"))?;
    let berth = |values: &[Value]| {
        let find = |name: &str, kind: u32| {
            values
                .iter()
                .find(|value| value.name == name && value.kind == kind)
                .map(said)
                .filter(|text| !text.is_empty())
        };
        Some(Berth {
            code: find("Code", 1)?,
            title: find("Title", 1)?,
            folder: find("Berth", 1)?,
            program: find("Program", 2)?,
            bytes: 0,
        })
    };
    Ok(keys.iter().filter_map(|key| berth(&key.values)).collect())
}

/// Writes remembered places back.
pub(crate) fn write_back(home: &Path, remembered: &[Berth]) -> Result<(), String> {
    for berth in remembered {
        let key = format!("{}\\{}", key(home), berth.code);
        for value in [text("Berth", 1, &berth.folder), text("Program", 2, &berth.program)] {
            set_value(Hive::User, key.as_ref(), &value).map_err(|e| e.to_string())?;
        }
    }
    Ok(())
}

/// Removes what Fathom Row knows of a world.
pub(crate) fn forget_berths(home: &Path) -> io::Result<()> {
    let top = key(home);
    let keys = match read_below(Hive::User, top.as_ref()) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        read => read?,
    };
    for key in keys.iter().rev() {
        let below = key.below.to_string_lossy();
        let path = if below.is_empty() { top.clone() } else { format!("{top}\\{below}") };
        delete_key(Hive::User, path.as_ref())?;
    }
    // The maker's own key, unless another world is in it.
    delete_key(Hive::User, "Software\\Drift & Daughters".as_ref()).or(Ok(()))
}

/// Opens a file as programs do that hold it: others may read it, and no more.
pub(crate) fn hold(file: &Path) -> io::Result<File> {
    /// `FILE_SHARE_READ`.
    const READ: u32 = 1;
    File::options().read(true).share_mode(READ).open(file)
}
