//! The registry as records: a key that a program has for itself is a file, with the text of an export, and its path is
//! `\\.\registry\` with the key's name behind it. Of the names between, what a path cannot hold is written as `%` and two digits.
//!
//! Law: a value is written only where it says what was read just before; each write is flushed. Several values are no one step: after a
//! crash some say the old place and some the new one, and what goes on from there changes the others.

use std::ffi::OsString;
use std::io;
use std::path::{Component, Path, PathBuf, Prefix};

use deft_barge_windows::{
    Hive, Value, delete_key, delete_value, flush_key, make_key, may_write_key, read_below, set_value, subkeys,
};

use crate::platform::registry::{RegistryAct, RegistryValue, is_in_text, registry_acts, registry_text, says_path};

/// Where the registry stands among paths.
pub(crate) const REGISTRY: Option<&str> = Some(TOP);

const TOP: &str = r"\\.\registry";

/// The hives by the names that they have in paths and texts.
const HIVES: [(&str, Hive); 2] = [("HKEY_CURRENT_USER", Hive::User), ("HKEY_LOCAL_MACHINE", Hive::Machine)];

/// Where programs keep what they know, in either hive; those of 32 bits have a place of their own in that of the machine.
const OF_PROGRAMS: [(usize, &str); 3] = [(0, "Software"), (1, "Software"), (1, "Software\\WOW6432Node")];

/// What lies there and is the system's own, or is another place of this list.
const OF_SYSTEM: [&str; 5] = ["classes", "microsoft", "policies", "wow6432node", "clients"];

/// What the system keeps there about programs: what is installed, and where programs of a name are.
const ABOUT_PROGRAMS: [&str; 2] =
    [r"Microsoft\Windows\CurrentVersion\Uninstall", r"Microsoft\Windows\CurrentVersion\App Paths"];

/// Whether a path names a key of the registry.
pub(crate) fn is_in_registry(path: &Path) -> bool {
    below_top(path).is_some()
}

/// The names of a path below the top of the registry.
fn below_top(path: &Path) -> Option<impl Iterator<Item = Component<'_>>> {
    let mut parts = path.components();
    let Some(Component::Prefix(prefix)) = parts.next() else { return None };
    let Prefix::DeviceNS(name) = prefix.kind() else { return None };
    name.eq_ignore_ascii_case("registry").then_some(parts)
}

/// The key that a path names.
fn key_of(path: &Path) -> io::Result<(&'static str, Hive, String)> {
    let none = || io::Error::from(io::ErrorKind::NotFound);
    let mut names = below_top(path).ok_or_else(none)?.filter_map(|part| match part {
        Component::Normal(name) => Some(unescaped(&name.to_string_lossy())),
        _ => None,
    });
    let first = names.next().ok_or_else(none)?;
    let (name, hive) = HIVES.into_iter().find(|(name, _)| first.eq_ignore_ascii_case(name)).ok_or_else(none)?;
    let key = names.collect::<Vec<_>>().join("\\");
    // A whole hive is no file.
    if key.is_empty() { Err(none()) } else { Ok((name, hive, key)) }
}

fn path_of(hive: &str, key: &str) -> PathBuf {
    key.split('\\').fold(Path::new(TOP).join(hive), |path, name| path.join(escaped(name)))
}

/// A key's name as a name of a path.
fn escaped(name: &str) -> String {
    let only_dots = name.chars().all(|c| c == '.');
    let part = |c: char| match c {
        '%' | '/' | ':' => format!("%{:02x}", u32::from(c)),
        '.' if only_dots => "%2e".into(),
        c => c.to_string(),
    };
    name.chars().map(part).collect()
}

fn unescaped(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    let mut rest = name;
    while let Some((before, behind)) = rest.split_once('%') {
        out.push_str(before);
        let digits = behind.get(..2).and_then(|digits| u8::from_str_radix(digits, 16).ok());
        let byte = digits.filter(u8::is_ascii);
        out.push(byte.map_or('%', char::from));
        rest = if byte.is_some() { behind.get(2..).unwrap_or_default() } else { behind };
    }
    out + rest
}

/// A key's name as the system spells it: letters of either case are the same there.
fn as_spelt(hive: Hive, key: &str) -> String {
    let mut out = String::new();
    for name in key.split('\\') {
        let all = subkeys(hive, out.as_ref()).unwrap_or_default();
        let own = all.into_iter().filter_map(|own| own.into_string().ok()).find(|own| alike(own, name));
        if !out.is_empty() {
            out.push('\\');
        }
        out.push_str(own.as_deref().unwrap_or(name));
    }
    out
}

fn alike(one: &str, other: &str) -> bool {
    one == other || one.to_lowercase() == other.to_lowercase()
}

/// The path of the key that holds this one as a record file: that of the program that it belongs to, however its letters are written.
/// What is below it is the same in the text of either.
pub(crate) fn real_key(path: &Path) -> PathBuf {
    let Ok((name, hive, key)) = key_of(path) else { return path.into() };
    let mut depth = None;
    for (nth, place) in OF_PROGRAMS {
        let is_of = HIVES.get(nth).is_some_and(|(other, _)| *other == name);
        let Some(below) = is_of.then(|| after(&key, place)).flatten() else { continue };
        let about = ABOUT_PROGRAMS.iter().find(|about| alike(below, about) || after(below, about).is_some());
        let first = below.split('\\').next().unwrap_or_default();
        let names = |text: &str| text.split('\\').count();
        depth = match about {
            Some(about) => Some(names(place) + names(about)),
            None if OF_SYSTEM.contains(&first.to_lowercase().as_str()) => depth,
            None => Some(names(place) + 1),
        };
    }
    let names: Vec<&str> = key.split('\\').collect();
    let key = names.get(..depth.unwrap_or(names.len())).map_or_else(|| key.clone(), |names| names.join("\\"));
    path_of(name, &as_spelt(hive, &key))
}

/// What stands behind a key's name and a separator.
fn after<'a>(key: &'a str, above: &str) -> Option<&'a str> {
    let rest = key.get(above.len()..)?.strip_prefix('\\')?;
    alike(key.get(..above.len())?, above).then_some(rest)
}

/// Finds out whether a key is there.
///
/// # Errors
/// [`io::ErrorKind::NotFound`], and what else the system says.
pub(crate) fn is_key_there(path: &Path) -> io::Result<()> {
    let (_, hive, key) = key_of(path)?;
    subkeys(hive, key.as_ref()).map(drop)
}

/// The text of a key and of all below it.
///
/// # Errors
/// [`io::ErrorKind::NotFound`], and what else the system says.
pub(crate) fn read_registry(path: &Path) -> io::Result<Vec<u8>> {
    let (name, hive, key) = key_of(path)?;
    let all = read_below(hive, key.as_ref())?;
    let key = as_spelt(hive, &key);
    let keys = all.into_iter().filter_map(|one| {
        // A name that is no text stands in no text; it stays as it is.
        let below = one.below.to_str()?;
        let whole = if below.is_empty() { format!("{name}\\{key}") } else { format!("{name}\\{key}\\{below}") };
        let value = |value: Value| {
            let name = value.name.into_string().ok()?;
            Some(RegistryValue { name, kind: value.kind, data: value.data })
        };
        Some((whole, one.values.into_iter().filter_map(value).collect()))
    });
    Ok(registry_text(keys.collect()).into_bytes())
}

/// Has a key say what the second text says, where it says what the first one does now.
///
/// # Errors
/// What the system says; [`io::ErrorKind::InvalidData`] for a text that is no export.
pub(crate) fn write_registry(path: &Path, before: &[u8], after: &[u8]) -> io::Result<()> {
    let (_, hive, key) = key_of(path)?;
    let text = |bytes| std::str::from_utf8(bytes).map_err(|_| io::Error::from(io::ErrorKind::InvalidData));
    for act in registry_acts(text(before)?, text(after)?)? {
        match act {
            RegistryAct::Make(key) => make_key(hive, below_hive(&key).as_ref())?,
            RegistryAct::Set(key, RegistryValue { name, kind, data }) => {
                set_value(hive, below_hive(&key).as_ref(), &Value { name: name.into(), kind, data })?;
            }
            RegistryAct::Unset(key, name) => not_there(delete_value(hive, below_hive(&key).as_ref(), name.as_ref()))?,
            RegistryAct::Remove(key) => {
                let key = below_hive(&key);
                if holds_more(hive, &key)? {
                    return Err(io::ErrorKind::DirectoryNotEmpty.into());
                }
                not_there(delete_key(hive, key.as_ref()))?;
            }
        }
    }
    // What was removed is flushed with what it was in.
    let above = key.rsplit_once('\\').map_or("", |(above, _)| above);
    flush_key(hive, key.as_ref()).or_else(|_| flush_key(hive, above.as_ref()))
}

/// Whether a key has values still, whose names no text can hold: with it they would go. One that can't be read may have some.
fn holds_more(hive: Hive, key: &OsString) -> io::Result<bool> {
    let keys = match read_below(hive, key.as_ref()) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
        read => read?,
    };
    Ok(keys.first().is_some_and(|own| own.values.iter().any(|value| !is_in_text(&value.name))))
}

/// What is gone already was to go.
fn not_there(done: io::Result<()>) -> io::Result<()> {
    match done {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        done => done,
    }
}

fn below_hive(key: &str) -> OsString {
    key.split_once('\\').map_or(key, |(_, below)| below).into()
}

/// Whether a path names a key that belongs to the machine.
pub(crate) fn is_of_machine(path: &Path) -> bool {
    key_of(path).is_ok_and(|(_, hive, _)| hive == Hive::Machine)
}

/// Whether this person may write to a key, or make it.
pub(crate) fn may_write_registry(path: &Path) -> bool {
    let Ok((_, hive, key)) = key_of(path) else { return false };
    let mut above = Some(key.as_str());
    while let Some(key) = above {
        if read_one(hive, key) {
            return may_write_key(hive, key.as_ref());
        }
        above = key.rsplit_once('\\').map(|(above, _)| above);
    }
    may_write_key(hive, "".as_ref())
}

fn read_one(hive: Hive, key: &str) -> bool {
    subkeys(hive, key.as_ref()).is_ok()
}

/// The keys in which programs keep what they know, each with all below it; of a declared world only those that lead into its folder, for the
/// registry is the person's own.
pub(crate) fn keys_of_programs(within: Option<&Path>) -> Vec<PathBuf> {
    let mut all = Vec::new();
    for (nth, place) in OF_PROGRAMS {
        let Some((name, hive)) = HIVES.get(nth) else { continue };
        let programs = subkeys(*hive, place.as_ref()).unwrap_or_default();
        let own = |program: &String| OF_SYSTEM.contains(&program.to_lowercase().as_str());
        let programs = programs.into_iter().filter_map(|program| program.into_string().ok());
        let about = ABOUT_PROGRAMS.map(String::from);
        let about = about.into_iter().filter(|about| read_one(*hive, &format!("{place}\\{about}")));
        let keys = programs.filter(|program| !own(program)).chain(about);
        let place = as_spelt(*hive, place);
        all.extend(keys.map(|key| path_of(name, &as_spelt(*hive, &format!("{place}\\{key}")))));
    }
    if let Some(world) = within {
        let world = world.to_string_lossy();
        let leads =
            |key: &PathBuf| read_registry(key).is_ok_and(|text| says_path(&String::from_utf8_lossy(&text), &world));
        all.retain(leads);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_key_has_a_path_of_its_own_and_comes_back_from_it() {
        for key in
            [r"Software\A", r"Software\A\B & C", r"Software\..\x", r"Software\a/b", r"Software\50%\%2f", r"S\.\é"]
        {
            let path = path_of("HKEY_CURRENT_USER", key);
            assert!(is_in_registry(&path) && path.is_absolute(), "{}", path.display());
            assert_eq!(key_of(&path).unwrap().2, key, "{}", path.display());
            assert_eq!(path.components().count(), 3 + key.matches('\\').count() + 1, "{}", path.display());
        }
        assert!(!is_in_registry(Path::new(r"C:\registry\HKEY_CURRENT_USER\Software")));
        assert!(key_of(Path::new(r"\\.\registry\HKEY_CURRENT_USER")).is_err());
        let written = PathBuf::from(format!("{TOP}/HKEY_CURRENT_USER/Software/A & B"));
        assert_eq!(key_of(&written).unwrap().2, r"Software\A & B");
    }

    #[test]
    fn a_key_goes_with_the_values_of_its_text_and_stays_with_any_other() {
        let name = format!(r"Software\Deft Barge {}", std::process::id());
        let key = OsString::from(format!(r"{name}\below"));
        let path = path_of("HKEY_CURRENT_USER", &name);
        let value = |name: &str| Value { name: name.into(), kind: 1, data: b"x\0\0\0".to_vec() };
        let removed = |extra: Option<&str>| {
            make_key(Hive::User, name.as_ref()).unwrap();
            let before = read_registry(&path).unwrap();
            make_key(Hive::User, &key).unwrap();
            for name in ["At"].into_iter().chain(extra) {
                set_value(Hive::User, &key, &value(name)).unwrap();
            }
            let now = read_registry(&path).unwrap();
            let done = write_registry(&path, &now, &before).map_err(|error| error.kind());
            let left = read_below(Hive::User, &key).map(|keys| keys[0].values.len()).map_err(|error| error.kind());
            not_there(delete_key(Hive::User, &key)).unwrap();
            delete_key(Hive::User, name.as_ref()).unwrap();
            (done, left)
        };
        assert_eq!(removed(None), (Ok(()), Err(io::ErrorKind::NotFound)));
        assert_eq!(removed(Some("two\nlines")), (Err(io::ErrorKind::DirectoryNotEmpty), Ok(2)));
    }
}
