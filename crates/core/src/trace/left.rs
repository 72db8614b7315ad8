//! Files that say a path and are left as they are: those that say what was (logs, backups, caches), and those that count the bytes of
//! what they say, in which another path would be another length.
//!
//! Law: what is left is named, and never rewritten by itself.

use std::path::{Path, PathBuf};
use std::sync::LazyLock;

use regex::Regex;
use regex::bytes::Regex as ByteRegex;

use super::find::Sure;
use crate::platform::Look;
use crate::record::Encoding;

fn regex(text: &str) -> Regex {
    Regex::new(text).expect("the pattern is sound")
}

/// Endings of names that a backup has.
static BACKUP: LazyLock<Regex> = LazyLock::new(|| {
    regex(r"(?i)(~|\.(bak|old|orig|backup|bkp|prev)([-_.]?\d+)?)$|^#.*#$|[-_. ](backup|bak|old)(\.[a-z0-9]+)?$")
});

/// What a copy's name has more than the name of what it is a copy of: a number, a date, a word.
static COPY: LazyLock<Regex> = LazyLock::new(|| {
    regex(
        r"(?i)(\.\d{1,3}$)|([-_. ]*(19|20)\d\d[-_.]?[01]\d[-_.]?[0-3]\d([-_.t ]?\d\d[-_.:h]?\d\d([-_.:m]?\d\d)?)?)|( ?\(\d{1,3}\))|([-_. ]+copy( ?\d+)?)|(^copy of )",
    )
});

/// Folders of what was, by the word for it.
const FOLDERS: [(Sure, &[&str]); 3] = [
    (Sure::Log, &["log", "logs", "crash", "crashes", "dumps"]),
    (Sure::Backup, &["backup", "backups", "bak", "old"]),
    (Sure::Cache, &["cache", "caches", ".cache", "tmp", "temp"]),
];

/// What a line of a log begins with: a date, a time of day, or seconds since the start.
static STAMP: LazyLock<Regex> = LazyLock::new(|| {
    regex(
        r"^[\[(<]?(\d{4}[-/.]\d\d[-/.]\d\d|\d\d[-/.]\d\d[-/.]\d{2,4}|(mon|tue|wed|thu|fri|sat|sun|[A-Za-z][a-z]{2}) ?[A-Za-z0-9 ]* \d\d:\d\d|\d\d:\d\d:\d\d|\[? *\d+\.\d{3,6}\])",
    )
});

/// What a file says that was, by its name, its folders below the place that is searched, and its lines; `None` if it says what is.
pub(crate) fn history_of(file: &Path, places: &[PathBuf], start: &str) -> Option<Sure> {
    let name = file.file_name()?.to_string_lossy().into_owned();
    let low = name.to_lowercase();
    let end = Path::new(&low).extension().unwrap_or_default();
    if end == "log" || low.contains(".log.") || low.contains(".log-") {
        return Some(Sure::Log);
    }
    if BACKUP.is_match(&name) || is_copy(file, &name) {
        return Some(Sure::Backup);
    }
    if end == "cache" || end == "tmp" {
        return Some(Sure::Cache);
    }
    let place = places.iter().filter(|place| file.starts_with(place)).max_by_key(|place| place.as_os_str().len());
    // What the folders above are called says nothing of the file.
    let below = place.and_then(|place| file.strip_prefix(place).ok()).unwrap_or(Path::new(""));
    for folder in below.parent().into_iter().flat_map(Path::components) {
        let folder = folder.as_os_str().to_string_lossy().to_lowercase();
        let known = FOLDERS.iter().find(|(_, words)| words.contains(&folder.as_str()));
        if let Some((sure, _)) = known {
            return Some(*sure);
        }
        if folder.ends_with("cache") {
            return Some(Sure::Cache);
        }
    }
    is_stamped(start).then_some(Sure::Log)
}

/// Whether a file beside it has its name without what a copy's name has more.
fn is_copy(file: &Path, name: &str) -> bool {
    COPY.find_iter(name).any(|more| {
        let without = format!("{}{}", &name[..more.start()], &name[more.end()..]);
        without != name
            && !without.is_empty()
            && !without.starts_with('.')
            && file.with_file_name(without).look_exists()
    })
}

/// Whether most lines begin with a moment.
fn is_stamped(start: &str) -> bool {
    /// Lines that are looked at, and how many it takes.
    const MOST: usize = 60;
    const FEWEST: usize = 3;
    let lines: Vec<&str> = start.lines().filter(|line| !line.trim().is_empty()).take(MOST).collect();
    let stamped = lines.iter().filter(|line| STAMP.is_match(line)).count();
    stamped >= FEWEST && stamped * 2 > lines.len()
}

/// Whether bytes are no text although they may begin like one: with control characters that no text has.
pub(crate) fn has_controls(bytes: &[u8]) -> bool {
    let wide = Encoding::is_wide(bytes);
    // Tabulator, line ends, form feed, and the escape of colours.
    let text = |byte: &u8| *byte >= b' ' || matches!(byte, b'\t' | b'\n' | b'\r' | 0x0c | 0x1b);
    !wide && !bytes.iter().all(text)
}

/// A number of bytes and a sign behind it, as what counts its texts writes them.
static COUNTED: LazyLock<ByteRegex> =
    LazyLock::new(|| ByteRegex::new(r#"(\d{1,8})(:\\?"|:|\{")"#).expect("the pattern is sound"));

/// Bytes of the longest text that is counted: what holds more holds counted texts of its own.
const LONGEST: usize = 65_536;

/// Whether a place where `word` stands is within a text whose bytes are counted before it.
pub(crate) fn is_counted(bytes: &[u8], word: &[u8]) -> bool {
    if word.is_empty() || !bytes.windows(word.len()).any(|some| some == word) {
        return false;
    }
    // A list or a dictionary whose texts have no quotes: what follows a text is the next one, or the end.
    let bare = bytes.len() > 2
        && matches!(bytes[0], b'd' | b'l')
        && (bytes[1].is_ascii_digit() || matches!(bytes[1], b'd' | b'l'));
    COUNTED.captures_iter(bytes).any(|found| {
        let (all, number) =
            (found.get(0).map_or(0..0, |all| all.range()), found.get(1).map_or(&b""[..], |n| n.as_bytes()));
        let count: usize = std::str::from_utf8(number).ok().and_then(|n| n.parse().ok()).unwrap_or(0);
        if count > LONGEST {
            return false;
        }
        let end = all.end + count;
        let Some(text) = bytes.get(all.end..end) else { return false };
        let quoted = bytes[all.start..all.end].ends_with(b"\"");
        let ends = match bytes.get(end) {
            Some(b'"' | b'\\') => quoted,
            Some(b',') => !quoted,
            Some(b'0'..=b'9' | b'd' | b'l' | b'i' | b'e') | None => bare && !quoted,
            _ => false,
        };
        ends && text.windows(word.len()).any(|some| some == word)
    })
}

/// Whether all bytes are a chain of fields that say their length, and one of them is a path that holds `word`: texts behind a byte of
/// length, or the fields of a protocol buffer. Of such a file the length may look like a sign of the text.
///
/// Many a text is a chain by chance, for each of its signs may be a length; of a path in it both ends would have to be one as well.
pub(crate) fn is_chained(bytes: &[u8], word: &[u8]) -> bool {
    let holds = |text: &[u8]| !word.is_empty() && text.windows(word.len()).any(|some| some == word);
    let is_it = |text: &[u8]| {
        let begins = matches!(text, [b'/' | b'\\' | b'~', ..] | [_, b':', ..]);
        // No path has ends of lines; a quote or a tag's bracket is a text's own far more often than a name's.
        begins && holds(text) && !text.iter().any(|byte| matches!(byte, b'\n' | b'\r' | b'"' | b'<' | b'>'))
    };
    holds(bytes) && (is_chain_of(bytes, &is_it, short_text, 0) || is_chain_of(bytes, &is_it, wire_field, NESTED))
}

/// How deep fields are looked for in fields.
const NESTED: usize = 8;

/// A field: what it holds, if that is a text or fields, and what follows it.
type Field<'a> = (Option<&'a [u8]>, &'a [u8]);

fn is_chain_of<'a>(
    bytes: &'a [u8],
    is_it: &dyn Fn(&[u8]) -> bool,
    next: fn(&'a [u8]) -> Option<Field<'a>>,
    depth: usize,
) -> bool {
    let (mut rest, mut found) = (bytes, false);
    while !rest.is_empty() {
        let Some((text, behind)) = next(rest) else { return false };
        let within = |text: &'a [u8]| depth > 0 && is_chain_of(text, is_it, next, depth - 1);
        found |= text.is_some_and(|text| is_it(text) || within(text));
        rest = behind;
    }
    found
}

/// A text behind one byte that says its length.
fn short_text(bytes: &[u8]) -> Option<Field<'_>> {
    let (length, rest) = bytes.split_first()?;
    let (text, rest) = rest.split_at_checked(usize::from(*length))?;
    Some((Some(text), rest))
}

/// A field of a protocol buffer (Protocol Buffers, "Encoding": tag, then a number, some bytes, or bytes behind their length).
fn wire_field(bytes: &[u8]) -> Option<Field<'_>> {
    let (tag, rest) = wire_number(bytes)?;
    if tag >> 3 == 0 {
        return None;
    }
    match tag & 7 {
        0 => Some((None, wire_number(rest)?.1)),
        1 => Some((None, rest.get(8..)?)),
        2 => {
            let (length, rest) = wire_number(rest)?;
            let (text, rest) = rest.split_at_checked(usize::try_from(length).ok()?)?;
            Some((Some(text), rest))
        }
        5 => Some((None, rest.get(4..)?)),
        _ => None,
    }
}

/// A number of seven bits a byte, the lowest first.
fn wire_number(bytes: &[u8]) -> Option<(u64, &[u8])> {
    let end = bytes.iter().take(10).position(|byte| byte & 0x80 == 0)?;
    let number = bytes[..=end].iter().rev().fold(0_u64, |sum, byte| (sum << 7) | u64::from(byte & 0x7f));
    Some((number, &bytes[end + 1..]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_is_told_from_what_is_by_name_folder_and_lines() {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().join("backup/games");
        for name in ["list.json", "own/list.json"] {
            let at = top.join(name);
            std::fs::create_dir_all(at.parent().unwrap()).unwrap();
            std::fs::write(at, "").unwrap();
        }
        let places = [top.clone()];
        let of = |name: &str| history_of(&top.join(name), &places, "{\"a\": 1}");
        for name in [
            "list.json.bak",
            "list.json~",
            "list.old",
            "list.json.orig",
            "list.json.1",
            "list-2026-01-02.json",
            "list.json.20260102-1530",
            "list (2).json",
            "list - Copy.json",
            "copy of list.json",
            "own/list_backup.json",
            "own/backups/x.json",
            "list.bak2",
        ] {
            assert_eq!(of(name), Some(Sure::Backup), "{name}");
        }
        for name in ["run.log", "run.log.3", "own/logs/today.txt", "Crashes/1.txt"] {
            assert_eq!(of(name), Some(Sure::Log), "{name}");
        }
        for name in ["own/GPUCache/x.json", "cache/list.json", "x.tmp"] {
            assert_eq!(of(name), Some(Sure::Cache), "{name}");
        }
        // The place that is searched may be called anything; a number or date alone makes no copy.
        for name in [
            "list.json",
            "own/list.json",
            "game.2",
            "fen-2026-01-02.json",
            "logbook.json",
            "catalogue.json",
            "older.json",
        ] {
            assert_eq!(of(name), None, "{name}");
        }
        let log = "2026-01-02 10:00:00 start\n2026-01-02 10:00:01 /g/Fen\n[12:00:01] x\n  at y\n";
        assert_eq!(history_of(&top.join("history"), &places, log), Some(Sure::Log));
        assert_eq!(history_of(&top.join("history"), &places, "/g/Fen\n/g/Moor\n/g/2026\n"), None);
    }

    #[test]
    fn texts_whose_bytes_are_counted_are_found_and_others_are_not() {
        let word = b"Fen Moor";
        for text in [
            "a:1:{s:4:\"path\";s:11:\"/g/Fen Moor\";}",
            "{\"x\": \"s:11:\\\"/g/Fen Moor\\\";\"}",
            "4:path,11:/g/Fen Moor,",
            "d4:path11:/g/Fen Moore",
            "ld4:path11:/g/Fen Mooree",
            "x 15:/g/Fen Moor/bin,y",
        ] {
            assert!(is_counted(text.as_bytes(), word), "{text}");
        }
        for text in [
            "{\"id\": 11, \"path\": \"/g/Fen Moor\"}",
            "12:30:45 /g/Fen Moor",
            "port = 80:/g/Fen Moor",
            "path = /g/Fen Moor, 2:x,",
            "11:/g/Fen Moor",
        ] {
            assert!(!is_counted(text.as_bytes(), word), "{text}");
        }
        assert!(
            has_controls(b"/g/x\n\0more") && has_controls(b"a\x01b") && !has_controls("/g/ö\t\r\n\x1b[0m".as_bytes())
        );
    }

    #[test]
    fn files_that_are_fields_with_their_lengths_are_told_from_texts_whatever_the_length_looks_like() {
        for length in 12..=200_usize {
            let path = format!("/g/{}/Fen", "x".repeat(length - 7));
            let (text, size) = (path.as_bytes(), length as u8);
            let wire = |length: usize| if length < 128 { vec![length as u8] } else { vec![length as u8 | 0x80, 1] };
            let varint = wire(length);
            let inner = [&b"\x08\x01\x0a"[..], &varint, text].concat();
            let chains = [
                [&b"\x0a"[..], &varint, text].concat(),
                [&b"\x08\x07\x22"[..], &varint, text, b"\x28\x01"].concat(),
                [&[4][..], b"path", &[size], text].concat(),
                [&[0x12][..], &wire(inner.len()), &inner].concat(),
            ];
            for chain in chains {
                assert!(is_chained(&chain, b"Fen"), "{length}: {chain:?}");
            }
            for sentence in
                [format!("{path}\n"), format!("path={path}\nsize=1\n"), format!("\n{path}\n"), format!("7|{path}|1\n")]
            {
                assert!(!is_chained(sentence.as_bytes(), b"Fen"), "{length}: {sentence}");
            }
        }
    }

    /// Each sign of a text may be a length, so a few texts in many are chains by chance: that a path in it would be one as well is rarer.
    #[test]
    fn texts_of_one_line_are_no_chains_by_chance() {
        let mut state = 7_u64;
        let mut letter = || {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            char::from(b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"[(state >> 33) as usize % 62])
        };
        for n in 0..20_000 {
            let root: String =
                "/m/".chars().chain((0..n % 40).map(|_| letter())).chain("/drives/swift/games".chars()).collect();
            for text in [
                format!(
                    "<all><game><root>{root}</root><folder>Fen</folder></game><game><root>{root}</root><folder>Moor</folder></game></all>"
                ),
                format!("<all><game at='{root}/Fen'/><game at='{root}/Moor'/></all>"),
                format!("{{\"games\":[{{\"at\":\"{root}/Fen\"}},{{\"at\":\"{root}/Moor\"}}]}}"),
                format!("7|{root}/Fen|900"),
                format!("path={root}/Fen"),
            ] {
                assert!(!is_chained(text.as_bytes(), b"Fen"), "{text}");
            }
        }
    }
}
