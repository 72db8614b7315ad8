//! A key of a registry as a text, and what a changed text wants of it.
//!
//! The text is that of an export ("Registration Entries", version 5), in an order of its own: the same keys and values give the same
//! bytes. Whoever reads records reads it like any other file of this format; what is written are the values that differ, and no others.
//!
//! Law: every value comes back from its text as it was; what a text cannot hold is left out of it, and stays as it is.

use std::collections::{BTreeMap, BTreeSet};
use std::io;

/// The first line of such a text.
const HEADER: &str = "Windows Registry Editor Version 5.00";

/// Types of values, by "Registry Value Types".
const TEXT: u32 = 1;
const BINARY: u32 = 3;
const NUMBER: u32 = 4;

/// A value of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct RegistryValue {
    /// Its name; empty for the one that has none.
    pub(crate) name: String,
    /// The number of its type.
    pub(crate) kind: u32,
    /// Its bytes.
    pub(crate) data: Vec<u8>,
}

/// What is to be done with a registry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum RegistryAct {
    /// A key is to be there.
    Make(String),
    /// A value of a key is to be this.
    Set(String, RegistryValue),
    /// A value of a key is to be gone.
    Unset(String, String),
    /// A key without keys below it is to be gone.
    Remove(String),
}

/// The text of some keys, each with its whole name and its values.
pub(crate) fn registry_text(mut keys: Vec<(String, Vec<RegistryValue>)>) -> String {
    keys.retain(|(key, _)| is_one_line(key));
    keys.sort_by_cached_key(|(key, _)| (key.to_lowercase(), key.clone()));
    let mut out = String::from(HEADER);
    out.push_str("\r\n");
    for (key, mut values) in keys {
        out.push_str(&format!("\r\n[{key}]\r\n"));
        values.retain(|value| is_one_line(&value.name));
        values.sort_by_cached_key(|value| (value.name.to_lowercase(), value.name.clone()));
        for value in values {
            let name = if value.name.is_empty() { "@".to_string() } else { quoted(&value.name) };
            out.push_str(&format!("{name}={}\r\n", written(value.kind, &value.data)));
        }
    }
    out
}

fn is_one_line(text: &str) -> bool {
    !text.contains(['\r', '\n', '\0'])
}

/// Whether a name stands in such a text at all.
pub(crate) fn is_in_text(name: &std::ffi::OsStr) -> bool {
    name.to_str().is_some_and(is_one_line)
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// The text that is kept in these bytes with one zero at its end and none before; `None` if quotes cannot hold it.
fn text_in(data: &[u8]) -> Option<String> {
    let (pairs, rest) = data.as_chunks::<2>();
    let units: Vec<u16> = pairs.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
    let (last, text) = units.split_last()?;
    let text = String::from_utf16(text).ok()?;
    (rest.is_empty() && *last == 0 && is_one_line(&text)).then_some(text)
}

fn written(kind: u32, data: &[u8]) -> String {
    if kind == TEXT
        && let Some(text) = text_in(data)
    {
        return quoted(&text);
    }
    if kind == NUMBER
        && let Ok(number) = <[u8; 4]>::try_from(data)
    {
        return format!("dword:{:08x}", u32::from_le_bytes(number));
    }
    let digits: Vec<String> = data.iter().map(|byte| format!("{byte:02x}")).collect();
    let kind = if kind == BINARY { "hex".to_string() } else { format!("hex({kind:x})") };
    format!("{kind}:{}", digits.join(","))
}

/// The type and the bytes that a value's text says; `None` if it says none.
fn read_value(text: &str) -> Option<(u32, Vec<u8>)> {
    if let Some(inner) = text.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        let units = unquoted(inner)?.encode_utf16().chain([0]).collect::<Vec<u16>>();
        return Some((TEXT, units.into_iter().flat_map(u16::to_le_bytes).collect()));
    }
    if let Some(digits) = text.strip_prefix("dword:") {
        return Some((NUMBER, u32::from_str_radix(digits, 16).ok()?.to_le_bytes().to_vec()));
    }
    let rest = text.strip_prefix("hex")?;
    let (kind, digits) = match rest.strip_prefix('(') {
        Some(rest) => rest.split_once("):").map(|(kind, digits)| (u32::from_str_radix(kind, 16).ok(), digits))?,
        None => (Some(BINARY), rest.strip_prefix(':')?),
    };
    if digits.is_empty() {
        return Some((kind?, Vec::new()));
    }
    let bytes: Option<Vec<u8>> = digits.split(',').map(|byte| u8::from_str_radix(byte, 16).ok()).collect();
    Some((kind?, bytes?))
}

/// The text within quotes; `None` if it does not end where it should.
fn unquoted(text: &str) -> Option<String> {
    let mut out = String::with_capacity(text.len());
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match c {
            '"' => return None,
            '\\' => out.push(chars.next()?),
            c => out.push(c),
        }
    }
    Some(out)
}

/// Whether such a text says a path, or one below it, whatever the case of its letters: in quotes, or in digits of UTF-16.
pub(crate) fn says_path(text: &str, path: &str) -> bool {
    let digits = |path: &str| -> String {
        path.encode_utf16().flat_map(u16::to_le_bytes).map(|byte| format!("{byte:02x},")).collect()
    };
    // In digits letters of either case are others: the path as the system writes it is looked for, and the one in small letters.
    let low = path.to_lowercase();
    if text.contains(&digits(path)) || text.contains(&digits(&low)) {
        return true;
    }
    let text = text.to_lowercase();
    text.contains(&low.replace('\\', "\\\\")) || text.contains(&low.replace('\\', "/"))
}

/// The text that the registry has once this one was written: in its own order, and each value as the registry's own text has it.
///
/// # Errors
/// [`io::ErrorKind::InvalidData`] for what is no such text.
pub(crate) fn as_registry_says(text: &str) -> io::Result<String> {
    let keys = lines_of(text).ok_or(io::ErrorKind::InvalidData)?;
    let mut all: BTreeMap<String, BTreeMap<String, RegistryValue>> = BTreeMap::new();
    for (key, values) in keys {
        let own = all.entry(key.into()).or_default();
        for (name, value) in values {
            let (kind, data) = read_value(value).ok_or(io::ErrorKind::InvalidData)?;
            own.insert(name.clone(), RegistryValue { name, kind, data });
        }
    }
    Ok(registry_text(all.into_iter().map(|(key, values)| (key, values.into_values().collect())).collect()))
}

/// Keys with their values' names and texts, in the order of the text.
type Lines<'a> = Vec<(&'a str, BTreeMap<String, &'a str>)>;

fn lines_of(text: &str) -> Option<Lines<'_>> {
    let mut keys: Lines<'_> = Vec::new();
    for line in text.lines().skip(1) {
        let line = line.trim_end_matches('\r');
        if let Some(rest) = line.strip_prefix('[') {
            keys.push((rest.get(..rest.rfind(']')?)?, BTreeMap::new()));
            continue;
        }
        if line.trim().is_empty() {
            continue;
        }
        let (name, value) = if let Some(value) = line.strip_prefix("@=") {
            (String::new(), value)
        } else {
            let end = end_of_name(line)?;
            (unquoted(line.get(1..end)?)?, line.get(end + 1..)?.strip_prefix('=')?)
        };
        keys.last_mut()?.1.insert(name, value);
    }
    Some(keys)
}

/// Where the quote stands that ends a name.
fn end_of_name(line: &str) -> Option<usize> {
    let mut escaped = true;
    for (at, c) in line.char_indices() {
        match c {
            '"' if !escaped => return Some(at),
            '\\' => escaped = !escaped,
            // The first quote begins the name.
            _ => escaped = false,
        }
    }
    None
}

/// What is to be done so that what the first text says becomes what the second one says: what comes first, then what goes.
///
/// # Errors
/// [`io::ErrorKind::InvalidData`] if a text is not as [`registry_text`] writes it.
pub(crate) fn registry_acts(before: &str, after: &str) -> io::Result<Vec<RegistryAct>> {
    let read = |text| lines_of(text).ok_or_else(|| io::Error::from(io::ErrorKind::InvalidData));
    let (before, after) = (read(before)?, read(after)?);
    let (mut comes, mut goes) = (Vec::new(), Vec::new());
    let known: BTreeMap<&str, &BTreeMap<String, &str>> = before.iter().map(|(key, values)| (*key, values)).collect();
    for (key, values) in &after {
        let old = known.get(key).map(|values| (*values).clone());
        if old.is_none() {
            comes.push(RegistryAct::Make((*key).into()));
        }
        let old = old.unwrap_or_default();
        for (name, value) in values.iter().filter(|(name, value)| old.get(*name) != Some(value)) {
            let (kind, data) = read_value(value).ok_or(io::ErrorKind::InvalidData)?;
            comes.push(RegistryAct::Set((*key).into(), RegistryValue { name: name.clone(), kind, data }));
        }
        let gone = old.keys().filter(|name| !values.contains_key(*name));
        goes.extend(gone.map(|name| RegistryAct::Unset((*key).into(), name.clone())));
    }
    let kept: BTreeSet<&str> = after.iter().map(|(key, _)| *key).collect();
    let mut removed: Vec<&str> = before.iter().map(|(key, _)| *key).filter(|key| !kept.contains(key)).collect();
    // What lies below goes first.
    removed.sort_by_key(|key| std::cmp::Reverse(key.matches('\\').count()));
    goes.extend(removed.into_iter().map(|key| RegistryAct::Remove(key.into())));
    comes.extend(goes);
    Ok(comes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn units(text: &str) -> Vec<u8> {
        text.encode_utf16().flat_map(u16::to_le_bytes).collect()
    }

    fn value(name: &str, kind: u32, data: Vec<u8>) -> RegistryValue {
        RegistryValue { name: name.into(), kind, data }
    }

    proptest! {
        #[test]
        fn every_value_comes_back_from_its_text(
            names in proptest::collection::btree_set("[^\r\n\0]{0,12}", 0..6),
            kinds in proptest::collection::vec(0_u32..12, 6),
            bytes in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..24), 6),
            texts in proptest::collection::vec("\\PC{0,12}", 6),
        ) {
            let key = "HKEY_CURRENT_USER\\Software\\A [b] \"c\"".to_string();
            let values: Vec<RegistryValue> = names.iter().enumerate().map(|(n, name)| {
                let data = if kinds[n] == 1 { units(&format!("{}\0", texts[n])) } else { bytes[n].clone() };
                value(name, kinds[n], data)
            }).collect();
            let text = registry_text(vec![(key.clone(), values.clone())]);
            let acts = registry_acts(HEADER, &text).unwrap();
            let mut set: Vec<RegistryValue> = acts.iter().filter_map(|act| match act {
                RegistryAct::Set(at, value) => { assert_eq!(*at, key); Some(value.clone()) }
                _ => None,
            }).collect();
            set.sort_by(|a, b| a.name.cmp(&b.name));
            prop_assert_eq!(set, values);
            prop_assert!(registry_acts(&text, &text).unwrap().is_empty());
        }
    }

    #[test]
    fn a_path_is_found_in_quotes_and_in_digits() {
        let path = "C:\\Games\\Fen & Moor";
        for (kind, text) in [
            (1, "C:\\games\\fen & moor\\go.exe\0"),
            (1, "c:/Games/Fen & Moor\0"),
            (2, "c:\\games\\fen & moor\0"),
            (2, "C:\\Games\\Fen & Moor\\x\0"),
        ] {
            let text = registry_text(vec![("HKCU\\M".into(), vec![value("at", kind, units(text))])]);
            assert!(says_path(&text, path), "{text}");
        }
        let other = registry_text(vec![("HKCU\\M".into(), vec![value("at", 1, units("C:\\Games\\Fen\0"))])]);
        assert!(!says_path(&other, path));
    }

    #[test]
    fn what_was_added_anywhere_reads_as_the_registry_will_say_it() {
        let key = |name: &str, values: &[RegistryValue]| (format!("HKCU\\M{name}"), values.to_vec());
        let (a, b) = (value("A", 1, units("x\0")), value("Ä b", 2, units("%Y%\0")));
        let whole = registry_text(vec![key("\\b", &[a.clone(), b]), key("\\a", &[a])]);
        let added = format!(
            "{}\r\n[HKCU\\M\\a]\r\n\"A\"=hex(1):78,00,00,00\r\n",
            registry_text(vec![key("\\b", &[value("Ä b", 2, units("%Y%\0"))])]) + "\"A\"=\"x\"\r\n"
        );
        assert_eq!(as_registry_says(&added).unwrap(), whole);
        assert_eq!(as_registry_says(&whole).unwrap(), whole);
        assert!(as_registry_says("x\r\n[a]\r\n\"b\"=nothing\r\n").is_err());
    }

    #[test]
    fn a_name_that_ends_a_line_stands_in_no_text() {
        for (name, stands) in [("Folder", true), ("", true), ("two\nlines", false), ("a\0b", false)] {
            assert_eq!(is_in_text(name.as_ref()), stands, "{name:?}");
            assert_eq!(
                registry_text(vec![("HKCU".into(), vec![value(name, 4, vec![0; 4])])]).contains("dword"),
                stands
            );
        }
    }

    #[test]
    fn only_what_differs_is_written_and_what_comes_comes_first() {
        let key = |name: &str, values: &[RegistryValue]| (format!("HKCU\\M{name}"), values.to_vec());
        let (same, old, new) = (
            value("Same", 3, vec![1, 2]),
            value("Place", 1, units("C:\\a \"b\"\0")),
            value("Place", 1, units("D:\\a\0")),
        );
        let before = registry_text(vec![
            key("", &[same.clone(), old]),
            key("\\gone", &[]),
            key("\\gone\\below", &[value("x", 4, vec![1, 0, 0, 0])]),
        ]);
        let after = registry_text(vec![key("", &[same, new.clone()]), key("\\come", &[value("", 2, units("%A%\0"))])]);
        let acts = registry_acts(&before, &after).unwrap();
        assert_eq!(
            acts,
            [
                RegistryAct::Set("HKCU\\M".into(), new),
                RegistryAct::Make("HKCU\\M\\come".into()),
                RegistryAct::Set("HKCU\\M\\come".into(), value("", 2, units("%A%\0"))),
                RegistryAct::Remove("HKCU\\M\\gone\\below".into()),
                RegistryAct::Remove("HKCU\\M\\gone".into()),
            ]
        );
        let gone =
            registry_acts(&registry_text(vec![key("", &[value("x", 0, vec![])])]), &registry_text(vec![key("", &[])]));
        assert_eq!(gone.unwrap(), [RegistryAct::Unset("HKCU\\M".into(), "x".into())]);
        assert!(registry_acts(HEADER, "x\r\n\"a\"=1\r\n").is_err());
    }

    #[test]
    fn what_no_line_can_hold_is_left_out_and_stays() {
        let text = registry_text(vec![
            ("HKCU\\M\nx".into(), vec![]),
            ("HKCU\\M".into(), vec![value("a\nb", 1, units("x\0")), value("two", 1, units("a\nb\0"))]),
        ]);
        assert_eq!(text, format!("{HEADER}\r\n\r\n[HKCU\\M]\r\n\"two\"=hex(1):61,00,0a,00,62,00,00,00\r\n"));
    }
}
