//! The needle: something of a folder's name that stays in every spelling and encoding, and is found fast.
//!
//! Law: a file that holds the path in a spelling that is read here holds the needle. The longest run of
//! ASCII letters and digits survives percent signs, escapes, drive letters and slashes as it is; in
//! UTF-16 there are zeros between, in a registry's hexadecimal texts it is digits.

use std::collections::{HashMap, HashSet};
use std::io::{self, Read};
use std::path::Path;

use aho_corasick::{AhoCorasick, AhoCorasickBuilder};
use regex::bytes::Regex;

use crate::platform;

/// Bytes that are read at once.
pub(crate) const BUFFER: usize = 1 << 18;

/// Bytes that are looked at again at the seam of two reads: more than any needle has.
const SEAM: usize = 4096;

#[derive(Debug)]
pub(crate) struct Needle {
    fast: Regex,
    hive: Regex,
}

/// The longest run of ASCII letters and digits.
fn run(name: &str) -> &str {
    let runs = name.split(|c: char| !c.is_ascii_alphanumeric());
    runs.max_by_key(|run| run.len()).unwrap_or_default()
}

fn escaped(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("\\x{byte:02x}")).collect()
}

/// Hexadecimal digits with what a registry puts between them.
fn in_digits(units: &[u16], fold: bool) -> String {
    const GAP: &str = ",(?:\\\\\\r?\\n[ \\t]*)?";
    let byte = |byte: u8| format!("{byte:02x}");
    let unit = |unit: &u16| {
        let [low, high] = unit.to_le_bytes();
        let one = |low: u8| format!("{}{GAP}{}", byte(low), byte(high));
        if fold && high == 0 && low.is_ascii_alphabetic() {
            format!("(?:{}|{})", one(low.to_ascii_lowercase()), one(low.to_ascii_uppercase()))
        } else {
            one(low)
        }
    };
    units.iter().map(unit).collect::<Vec<_>>().join(GAP)
}

impl Needle {
    pub(crate) fn new(name: &str) -> Self {
        let run = run(name);
        let (fast, digits) = if run.len() >= 2 {
            let wide: String = run.bytes().map(|b| format!("{}\\x00", char::from(b))).collect();
            let wide = wide.strip_suffix("\\x00").unwrap_or(&wide).to_string();
            (vec![run.to_string(), wide], in_digits(&run.encode_utf16().collect::<Vec<_>>(), true))
        } else {
            // Nothing of the name is plain: every form of it is looked for.
            let units: Vec<u16> = name.encode_utf16().collect();
            let le: Vec<u8> = units.iter().flat_map(|unit| unit.to_le_bytes()).collect();
            let be: Vec<u8> = units.iter().flat_map(|unit| unit.to_be_bytes()).collect();
            let form = |sign: &str, four: bool| -> String {
                let one = |unit: &u16| if four { format!("{unit:04x}") } else { format!("0*{unit:x}") };
                units.iter().map(|unit| format!("{sign}{}", one(unit))).collect()
            };
            let percent: String = name.bytes().map(|byte| format!("(?:{}|%{byte:02x})", escaped(&[byte]))).collect();
            let codes: String =
                name.chars().map(|c| format!("&#(?:{}|x0*{:x});", u32::from(c), u32::from(c))).collect();
            let forms = vec![
                escaped(name.as_bytes()),
                escaped(&le),
                escaped(&be),
                form("\\\\u", true),
                form("\\\\x", false),
                percent,
                codes,
            ];
            (forms, in_digits(&units, false))
        };
        let compiled = |pattern: &str| Regex::new(&format!("(?i-u){pattern}"));
        let fast_pattern = fast.join("|");
        // Built of escaped bytes only, so it always compiles.
        let fast = compiled(&fast_pattern).unwrap_or_else(|_| never());
        let hive = compiled(&format!("{fast_pattern}|{digits}")).unwrap_or_else(|_| never());
        Self { fast, hive }
    }

    /// Whether a text may hold the name.
    pub(crate) fn is_in(&self, text: &str) -> bool {
        self.fast.is_match(text.as_bytes())
    }

    /// Whether a file may hold the name; stops at the first place.
    pub(crate) fn is_in_file(&self, file: &Path, buffer: &mut [u8]) -> io::Result<bool> {
        let mut open = match platform::open(file) {
            Ok(open) => open,
            // It went while we looked.
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
            Err(error) => return Err(error),
        };
        let mut kept = 0;
        let mut needle = None;
        loop {
            let count = open.read(&mut buffer[kept..])?;
            if count == 0 {
                return Ok(false);
            }
            let here = &buffer[..kept + count];
            let needle = *needle.get_or_insert_with(|| if is_hive(here) { &self.hive } else { &self.fast });
            if needle.is_match(here) {
                return Ok(true);
            }
            let seam = SEAM.min(here.len());
            let end = kept + count;
            // A short read is not the end; what may be the beginning of a needle is kept.
            buffer.copy_within(end - seam..end, 0);
            kept = seam;
        }
    }
}

/// The whole name, as a name of its own: not the run alone, and not within another word.
#[derive(Debug)]
pub(crate) struct WholeName(Regex);

impl WholeName {
    pub(crate) fn new(name: &str) -> Self {
        // One character that is no letter or digit, or an escape that stands for one (percent signs, \\u, \\x, octal, entities).
        const ONE: &str =
            r"(?:[^0-9A-Za-z]|%[0-9A-Fa-f]{2}|\\u[0-9A-Fa-f]{4}|\\x[0-9A-Fa-f]{2}|\\[0-7]{3}|&\#?[0-9A-Za-z]{1,8};)";
        let mut narrow = String::new();
        let mut wide = String::new();
        for c in name.chars() {
            if c.is_ascii_alphanumeric() {
                narrow.push(c);
                wide.push_str(&format!("{c}\\x00"));
            } else {
                // Of a letter beyond ASCII there are up to four bytes, or as many escapes.
                narrow.push_str(&format!("{ONE}{{1,{}}}", c.len_utf8()));
                wide.push_str(&format!("(?s-u:.){{{}}}", c.len_utf16() * 2));
            }
        }
        // Behind a separator of paths, or a count of bytes, the name begins for sure; what follows it may be anything there. Elsewhere it
        // must end as well, or it is a part of another word.
        const PATH: &str =
            r"(?:[/\\]|%2[Ff]|%5[Cc]|\\u00(?:2[Ff]|5[Cc])|\\x(?:2[Ff]|5[Cc])|&\#(?:47|92|x2[Ff]|x5[Cc]);|[0-9]:)";
        let begins = name.starts_with(|c: char| c.is_ascii_alphanumeric());
        let ends = name.ends_with(|c: char| c.is_ascii_alphanumeric());
        let before = if begins { format!("(?:^|{ONE})") } else { String::new() };
        let behind = if ends { "(?:$|[^0-9A-Za-z])" } else { "" };
        let (wide_before, wide_behind) = (
            if begins { r"(?:^|[^0-9A-Za-z]\x00|[^\x00])" } else { "" },
            if ends { r"(?:$|[^0-9A-Za-z]|[0-9A-Za-z][^\x00])" } else { "" },
        );
        let pattern = format!(
            r"(?i-u)(?:{PATH}{narrow}|{before}{narrow}{behind}|[/\\]\x00{wide}|{wide_before}{wide}{wide_behind})"
        );
        // A name too long for a pattern is taken to stand everywhere: nothing that holds it is silent.
        Self(Regex::new(&pattern).unwrap_or_else(|_| anything()))
    }

    /// Whether bytes hold it.
    pub(crate) fn is_in(&self, bytes: &[u8]) -> bool {
        self.0.is_match(bytes)
    }

    /// Whether a file of whatever size holds it.
    pub(crate) fn is_in_file(&self, file: &Path) -> io::Result<bool> {
        let mut open = platform::open(file)?;
        let mut buffer = vec![0; BUFFER];
        let mut kept = 0;
        loop {
            let count = open.read(&mut buffer[kept..])?;
            let here = &buffer[..kept + count];
            if count == 0 || self.is_in(here) {
                return Ok(count > 0 || self.is_in(here));
            }
            let (end, seam) = (here.len(), SEAM.min(here.len()));
            buffer.copy_within(end - seam..end, 0);
            kept = seam;
        }
    }
}

/// The names of many folders, looked for at once.
pub(crate) struct Needles {
    runs: AhoCorasick,
    /// Whose name each run is the longest of.
    of: Vec<Vec<usize>>,
    /// Names of which nothing is plain: each is looked for by itself.
    others: Vec<(usize, Needle)>,
}

impl Needles {
    /// Takes the names, and knows them by their numbers from then on; names that are empty are left out.
    pub(crate) fn new<'a>(names: impl Iterator<Item = &'a str>) -> Self {
        let (mut known, mut of, mut others) = (HashMap::new(), Vec::<Vec<usize>>::new(), Vec::new());
        for (nth, name) in names.enumerate().filter(|(_, name)| !name.is_empty()) {
            let run = run(name).to_ascii_lowercase();
            if run.len() < 2 {
                others.push((nth, Needle::new(name)));
                continue;
            }
            let at = *known.entry(run).or_insert_with(|| {
                of.push(Vec::new());
                of.len() - 1
            });
            of[at].push(nth);
        }
        let mut runs = vec![String::new(); of.len()];
        for (run, at) in known {
            runs[at] = run;
        }
        let builder = AhoCorasickBuilder::new().ascii_case_insensitive(true).build(&runs);
        #[expect(clippy::expect_used, reason = "names of folders are far shorter than what the automaton cannot hold")]
        let runs = builder.expect("some short runs of letters");
        Self { runs, of, others }
    }

    /// Numbers of the names that a text may hold, in their order.
    pub(crate) fn in_text(&self, text: &str) -> Vec<usize> {
        let mut seen = HashSet::new();
        let runs = self.runs.find_overlapping_iter(text).map(|found| found.pattern().as_usize());
        let mut all: Vec<usize> =
            runs.filter(|at| seen.insert(*at)).flat_map(|at| self.of[at].iter().copied()).collect();
        all.extend(self.others.iter().filter(|(_, needle)| needle.is_in(text)).map(|(nth, _)| *nth));
        all.sort_unstable();
        all
    }
}

fn is_hive(start: &[u8]) -> bool {
    let start = &start[..start.len().min(64)];
    let wide = start.starts_with(b"\xff\xfe") || start.starts_with(b"\xfe\xff");
    wide || [&b"WINE REGISTRY"[..], b"Windows Registry", b"REGEDIT4", b"\xef\xbb\xbf"]
        .iter()
        .any(|s| start.starts_with(s))
}

fn anything() -> Regex {
    Regex::new("").unwrap_or_else(|_| never())
}

fn never() -> Regex {
    #[expect(clippy::expect_used, reason = "a constant pattern")]
    Regex::new("[^\\s\\S]").expect("the pattern that matches nothing is sound")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_needle_is_in_every_form_of_a_name() {
        for name in ["Pale Signal", "ä-Straße", "日の出", "x"] {
            let needle = Needle::new(name);
            let units: Vec<u16> = name.encode_utf16().collect();
            let json = serde_json::to_string(name).unwrap();
            let ascii: String = name
                .chars()
                .map(|c| if c.is_ascii() { c.to_string() } else { format!("\\u{:04x}", u32::from(c)) })
                .collect();
            let percent: String = name
                .bytes()
                .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
                .collect();
            let registry: String = name
                .chars()
                .map(|c| if c.is_ascii() { c.to_string() } else { format!("\\x{:x}", u32::from(c)) })
                .collect();
            for form in [name.to_string(), json, ascii, percent, registry, name.to_uppercase()] {
                let ascii_only = name.is_ascii() || form != name.to_uppercase();
                assert!(!ascii_only || needle.is_in(&form), "{name}: {form}");
            }
            let wide: Vec<u8> = units.iter().flat_map(|u| u.to_le_bytes()).collect();
            assert!(needle.fast.is_match(&wide), "{name}");
            let wide: Vec<u8> = units.iter().flat_map(|u| u.to_be_bytes()).collect();
            assert!(needle.fast.is_match(&wide), "{name}");
            let digits: Vec<String> = units.iter().flat_map(|u| u.to_le_bytes()).map(|b| format!("{b:02x}")).collect();
            assert!(needle.hive.is_match(digits.join(",").as_bytes()), "{name}");
            assert!(needle.hive.is_match(digits.join(",\\\n  ").as_bytes()), "{name}");
            assert!(!needle.is_in("something else"), "{name}");
        }
    }

    #[test]
    fn a_name_at_the_seam_of_two_reads_is_found() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("f");
        let needle = Needle::new("pale-signal");
        let mut buffer = vec![0; 8192];
        for at in [0, 4000, 8185, 8190, 12_000, 30_000] {
            let mut bytes = vec![b'.'; 40_000];
            bytes[at..at + 11].copy_from_slice(b"pale-signal");
            std::fs::write(&file, &bytes).unwrap();
            assert!(needle.is_in_file(&file, &mut buffer).unwrap(), "{at}");
        }
        std::fs::write(&file, vec![b'.'; 40_000]).unwrap();
        assert!(!needle.is_in_file(&file, &mut buffer).unwrap());
    }
}
