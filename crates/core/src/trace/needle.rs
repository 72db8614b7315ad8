//! The needle: something of a folder's name that stays in every spelling and encoding, and is found fast.
//!
//! Law: a file that holds the path in a spelling that is read here holds the needle. The longest run of
//! ASCII letters and digits survives percent signs, escapes, drive letters and slashes as it is; in
//! UTF-16 there are zeros between, in a registry's hexadecimal texts it is digits.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::io::{self, Read};
use std::path::Path;
use std::sync::LazyLock;

use aho_corasick::{AhoCorasick, AhoCorasickBuilder};
use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use regex::bytes::Regex;

use crate::platform;
use crate::record::CODE_PAGES;
use crate::record::Encoding;
use crate::record::WRITTEN_BOUNDS;

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

/// What of a path that ends in a name stays the same in base64 (RFC 4648) wherever it stands in what is encoded, in either alphabet; nothing of a name of one or two letters.
fn in_base64(name: &str) -> Vec<String> {
    /// Signs of the shortest part that is hardly a chance.
    const FEWEST: usize = 4;
    let mut all = Vec::new();
    // Three bytes are four signs; what stands before the name has a part in the first signs of it, and what follows in the last one.
    for (before, skip) in [("", 0), ("-", 2), ("--", 3)] {
        for end in [format!("{before}/{name}"), format!("{before}\\{name}")] {
            for encoded in [STANDARD_NO_PAD.encode(&end), URL_SAFE_NO_PAD.encode(&end)] {
                let part = encoded.get(skip..end.len() * 4 / 3).unwrap_or_default().to_string();
                if part.len() >= FEWEST && !all.contains(&part) {
                    all.push(part);
                }
            }
        }
    }
    all
}

/// A pattern for a name of which each character may be written in a way of its own: writers escape what they must, and leave the rest.
fn in_any_way(name: &str) -> String {
    // In UTF-16 there is a zero between two characters of ASCII, or before the first one of them; in UTF-32 there are three.
    name.chars().map(|c| format!("(?:{})", ways_of(c).join("|"))).collect::<Vec<_>>().join("\\x00{0,3}")
}

/// The patterns for one character: as it is (UTF-8, UTF-16, a code page of the west), in either case, and as an escape.
fn ways_of(c: char) -> Vec<String> {
    // Literal text, also where each of its letters takes two bytes.
    let text = |text: &str| text.bytes().map(|b| escaped(&[b])).collect::<Vec<_>>().join("\\x00?");
    let number = |before: &str, digits: &str, behind: &str| {
        format!(
            "{}\\x00?(?:0\\x00?)*{}{}{}",
            text(before),
            text(digits),
            if behind.is_empty() { "" } else { "\\x00?" },
            text(behind)
        )
    };
    let mut cases: Vec<char> = [c].into_iter().chain(c.to_lowercase()).chain(c.to_uppercase()).collect();
    // What ASCII has in two cases is folded by the pattern; the upper case of some letters is more than one.
    cases.retain(|other| {
        *other == c || (!c.is_ascii() && c.to_lowercase().count() == 1 && c.to_uppercase().count() == 1)
    });
    cases.dedup();
    let mut ways = Vec::new();
    for c in cases {
        let code = u32::from(c);
        let (mut utf8, mut utf16) = ([0; 4], [0; 2]);
        let bytes = c.encode_utf8(&mut utf8).as_bytes();
        let units = &*c.encode_utf16(&mut utf16);
        ways.push(escaped(bytes));
        if !c.is_ascii() {
            ways.push(escaped(&units.iter().flat_map(|unit| unit.to_le_bytes()).collect::<Vec<_>>()));
            ways.push(escaped(&units.iter().flat_map(|unit| unit.to_be_bytes()).collect::<Vec<_>>()));
            ways.extend(u8::try_from(code).ok().map(|byte| escaped(&[byte])));
            // In UTF-32 what is two units in UTF-16 is one number.
            if units.len() > 1 {
                ways.extend([escaped(&code.to_le_bytes()), escaped(&code.to_be_bytes())]);
            }
        }
        if c.is_ascii_alphanumeric() {
            continue;
        }
        let all_units = |sign: &str| {
            units.iter().map(|unit| number(sign, &format!("{unit:x}"), "")).collect::<Vec<_>>().join("\\x00?")
        };
        let all_bytes = |one: &dyn Fn(u8) -> String| text(&bytes.iter().map(|byte| one(*byte)).collect::<String>());
        ways.extend([all_units("\\u"), all_units("\\x"), number("\\U", &format!("{code:x}"), "")]);
        ways.extend([number("\\u{", &format!("{code:x}"), "}"), number("\\x{", &format!("{code:x}"), "}")]);
        ways.extend([number("&#", &code.to_string(), ";"), number("&#x", &format!("{code:x}"), ";")]);
        ways.extend([
            all_bytes(&|b| format!("%{b:02x}")),
            all_bytes(&|b| format!("\\x{b:02x}")),
            all_bytes(&|b| format!("\\{b:03o}")),
        ]);
        if c.is_ascii() {
            // A word of a shell, a sign that is written twice, and the blank of a form.
            ways.extend([text(&format!("\\{c}")), text(&format!("\\\\{c}")), text(&format!("{c}{c}"))]);
        }
        ways.extend(named(c).iter().map(|named| text(named)));
    }
    ways
}

/// Names that formats have for a letter.
fn named(c: char) -> &'static [&'static str] {
    match c {
        ' ' => &["+", "\\s"][..],
        '&' => &["&amp;"],
        '<' => &["&lt;"],
        '>' => &["&gt;"],
        '"' => &["&quot;"],
        '\'' => &["&apos;"],
        '\u{a0}' => &["\\_"],
        _ => &[],
    }
}

impl Needle {
    pub(crate) fn new(name: &str) -> Self {
        let run = run(name);
        let (mut fast, digits) = if run.len() >= 2 {
            let wide: String = run.bytes().map(|b| format!("{}\\x00", char::from(b))).collect();
            let wide = wide.strip_suffix("\\x00").unwrap_or(&wide).to_string();
            let widest = run.bytes().map(|b| char::from(b).to_string()).collect::<Vec<_>>().join("\\x00{3}");
            (vec![run.to_string(), wide, widest], in_digits(&run.encode_utf16().collect::<Vec<_>>(), true))
        } else {
            // Nothing of the name is plain for sure: each of its characters may be written in each of the known ways.
            let in_pages = in_code_pages(name).into_iter().map(|bytes| format!("(?-i:{})", escaped(&bytes)));
            (
                [in_any_way(name)].into_iter().chain(in_pages).collect(),
                in_digits(&name.encode_utf16().collect::<Vec<_>>(), true),
            )
        };
        fast.extend(in_base64(name).iter().map(|part| format!("(?-i:{})", escaped(part.as_bytes()))));
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
        let mut kind = None;
        loop {
            let count = open.read(&mut buffer[kept..])?;
            if count == 0 {
                return Ok(false);
            }
            let here = &buffer[..kept + count];
            let (is_hive, is_wide) = *kind.get_or_insert_with(|| (is_hive(here), is_marked_wide(here)));
            let needle = if is_hive { &self.hive } else { &self.fast };
            // Digits of a registry are found once the zeros between them are gone.
            if needle.is_match(here) || (is_hive && is_wide && needle.is_match(&without_zeros(here))) {
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

// One character that is no letter or digit, or an escape that stands for one (percent signs, \\u, \\x, octal, entities).
const ONE: &str = r"(?:[^0-9A-Za-z]|%[0-9A-Fa-f]{2}|\\(?:u[0-9A-Fa-f]{4}|U[0-9A-Fa-f]{8}|x[0-9A-Fa-f]{1,4}|[ux]\{[0-9A-Fa-f]{1,8}\}|[0-7]{3}|s)|&\#?[0-9A-Za-z]{1,8};)";

/// A separator of paths, as writers have it, or the end of a count of bytes.
const PATH: &str =
    r"(?:[/\\]|%2[Ff]|%5[Cc]|\\u00(?:2[Ff]|5[Cc])|\\x(?:2[Ff]|5[Cc])|&\#(?:47|92|x2[Ff]|x5[Cc]);|[0-9]:)";

/// A pattern for a name of which each character is written as it is or as an escape.
fn narrow(name: &str) -> String {
    let mut narrow = String::new();
    for c in name.chars() {
        if c.is_ascii_alphanumeric() {
            narrow.push(c);
        } else if c.is_ascii() {
            // Words of a shell have a backslash before it, or two; some signs are written twice.
            let twice = match c {
                // Quotes that end, one by itself, and quotes that begin again.
                '\'' => r#"|''|'\\''|'"'"'"#.to_string(),
                '%' | '$' | '"' | '\\' => format!("|{}", escaped(&[c as u8; 2])),
                _ => String::new(),
            };
            narrow.push_str(&format!(r"(?:\\{{0,2}}{ONE}{twice})"));
        } else {
            // Of a letter beyond ASCII there are up to four bytes, or as many escapes.
            narrow.push_str(&format!("{ONE}{{1,{}}}", c.len_utf8()));
        }
    }
    narrow
}

/// The same in UTF-16.
fn wide(name: &str) -> String {
    let one = |c: char| {
        if c.is_ascii_alphanumeric() { format!("{c}\\x00") } else { format!("(?s-u:.){{{}}}", c.len_utf16() * 2) }
    };
    name.chars().map(one).collect()
}

/// A pattern that a name too long for one matches everywhere: nothing that holds it is silent.
fn or_anything(pattern: &str) -> Regex {
    Regex::new(pattern).unwrap_or_else(|_| anything())
}

/// What may stand behind the end of a path, beside what is written beyond ASCII.
const END: &str = r#"$|[/\\"'`<>|;&?#)\]}\r\n\t*]|->|%2[Ff]|%5[Cc]|%2[26]"#;

/// A name beyond ASCII in the bytes of each code page that has all its signs.
fn in_code_pages(name: &str) -> Vec<Vec<u8>> {
    let pages = CODE_PAGES.iter().filter(|_| !name.is_ascii());
    let mut all: Vec<Vec<u8>> = pages.filter_map(|page| page.encoded(name)).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// A name at the end of a path, or within one, in the bytes of any code page; `None` of a name that is ASCII, or that none has.
#[derive(Debug)]
pub(crate) struct NameInPages(Regex);

impl NameInPages {
    pub(crate) fn new(name: &str) -> Option<Self> {
        let names: Vec<String> = in_code_pages(name).iter().map(|bytes| escaped(bytes)).collect();
        let pattern = format!("(?-u)[/\\\\](?:{})(?:{END})", names.join("|"));
        Regex::new(&pattern).ok().filter(|_| !names.is_empty()).map(Self)
    }

    pub(crate) fn is_in(&self, bytes: &[u8]) -> bool {
        self.0.is_match(bytes)
    }
}

/// A folder's path by its last two names, however it is spelled and wherever it begins.
#[derive(Debug)]
pub(crate) struct PathEnd(Regex);

impl PathEnd {
    pub(crate) fn new(path: &Path) -> Self {
        let name = |path: &Path| path.file_name().map(|name| narrow(&name.to_string_lossy()));
        let above = path.parent().and_then(name).map_or_else(String::new, |above| format!("{PATH}{above}"));
        // A separator may be escaped itself.
        let end = name(path).unwrap_or_default();
        let written = WRITTEN_BOUNDS.map(|c| escaped(c.encode_utf8(&mut [0; 4]).as_bytes())).join("|");
        Self(or_anything(&format!("(?i-u){above}{PATH}{{1,4}}{end}(?:{END}|{written})")))
    }

    /// Whether a text holds it.
    pub(crate) fn is_in(&self, text: &str) -> bool {
        self.0.is_match(text.as_bytes())
    }
}

/// What the words of a text say that are base64 (RFC 4648), in either alphabet, with or without signs that fill them up.
pub(crate) fn said_in_base64(text: &str) -> impl Iterator<Item = String> + '_ {
    /// Signs of the shortest word that may say a path.
    const FEWEST: usize = 12;
    let is_sign = |c: char| c.is_ascii_alphanumeric() || matches!(c, '+' | '/' | '-' | '_');
    let text = if text.len() < FEWEST { "" } else { text };
    let words = text.split(move |c| !is_sign(c)).filter(|word| word.len() >= FEWEST);
    words.filter_map(|word| {
        let bytes = STANDARD_NO_PAD.decode(word).or_else(|_| URL_SAFE_NO_PAD.decode(word)).ok()?;
        String::from_utf8(bytes).ok()
    })
}

/// The whole name, as a name of its own: not the run alone, and not within another word.
#[derive(Debug)]
pub(crate) struct WholeName(Regex);

impl WholeName {
    pub(crate) fn new(name: &str) -> Self {
        // Behind a separator of paths, or a count of bytes, the name begins for sure; what follows it may be anything there. Elsewhere it
        // must end as well, or it is a part of another word.
        let begins = name.starts_with(|c: char| c.is_ascii_alphanumeric());
        let ends = name.ends_with(|c: char| c.is_ascii_alphanumeric());
        let before = if begins { format!("(?:^|{ONE})") } else { String::new() };
        let behind = if ends { "(?:$|[^0-9A-Za-z])" } else { "" };
        let (wide_before, wide_behind) = (
            if begins { r"(?:^|[^0-9A-Za-z]\x00|[^\x00])" } else { "" },
            if ends { r"(?:$|[^0-9A-Za-z]|[0-9A-Za-z][^\x00])" } else { "" },
        );
        let (narrow, wide) = (narrow(name), wide(name));
        let pattern = format!(
            r"(?i-u)(?:{PATH}{narrow}|{before}{narrow}{behind}|[/\\]\x00{wide}|{wide_before}{wide}{wide_behind})"
        );
        Self(or_anything(&pattern))
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
            let encoded = in_base64(name).into_iter().map(|part| part.to_ascii_lowercase());
            for run in encoded.chain([run]) {
                let at = *known.entry(run).or_insert_with(|| {
                    of.push(Vec::new());
                    of.len() - 1
                });
                of[at].push(nth);
            }
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
        self.found(text.as_bytes(), |needle| needle.is_in(text))
    }

    /// The same of a file with these bytes, in whatever encoding.
    pub(crate) fn in_bytes(&self, bytes: Vec<u8>) -> Vec<usize> {
        // What is looked for first is ASCII, which all encodings of texts share once the zeros of the wide ones are gone.
        let mut narrow = without_zeros(&bytes).into_owned();
        let is_hive = is_hive(&bytes);
        if is_hive {
            narrow.extend(said_in_digits(&narrow));
        }
        if self.others.is_empty() {
            return self.found(&narrow, |_| false);
        }
        // Bytes that are no text are read as if they were.
        let text = Encoding::read(bytes).map_or_else(|_| String::from_utf8_lossy(&narrow).into_owned(), |read| read.1);
        self.found(&narrow, |needle| needle.is_in(&text) || (is_hive && needle.hive.is_match(&narrow)))
    }

    /// Names whose letters are in these bytes, and of those without such letters the ones that hold.
    fn found(&self, narrow: &[u8], holds: impl Fn(&Needle) -> bool) -> Vec<usize> {
        let mut seen = HashSet::new();
        let runs = self.runs.find_overlapping_iter(narrow).map(|found| found.pattern().as_usize());
        let mut all: Vec<usize> =
            runs.filter(|at| seen.insert(*at)).flat_map(|at| self.of[at].iter().copied()).collect();
        all.extend(self.others.iter().filter(|(_, needle)| holds(needle)).map(|(nth, _)| *nth));
        all.sort_unstable();
        all
    }
}

/// Bytes without those that are zero: ASCII of two or four bytes a sign is ASCII then.
fn without_zeros(bytes: &[u8]) -> Cow<'_, [u8]> {
    if bytes.contains(&0) {
        bytes.iter().copied().filter(|byte| *byte != 0).collect::<Vec<u8>>().into()
    } else {
        bytes.into()
    }
}

/// What the values of a registry say that are written as hexadecimal digits, without the zeros of its two bytes a sign.
fn said_in_digits(registry: &[u8]) -> Vec<u8> {
    #[expect(clippy::expect_used, reason = "a constant pattern")]
    static DIGITS: LazyLock<Regex> = LazyLock::new(|| {
        Regex::new("(?i-u)[0-9a-f]{2}(?:,(?:\\\\\\r?\\n[ \\t]*)?[0-9a-f]{2}){3,}").expect("the pattern is sound")
    });
    let digit = |byte: &u8| char::from(*byte).to_digit(16);
    let mut said = Vec::new();
    for value in DIGITS.find_iter(registry) {
        let digits: Vec<u32> = value.as_bytes().iter().filter_map(digit).collect();
        said.push(b'\n');
        said.extend(
            digits
                .as_chunks::<2>()
                .0
                .iter()
                .filter_map(|[high, low]| u8::try_from(high * 16 + low).ok())
                .filter(|byte| *byte != 0),
        );
    }
    said
}

fn is_marked_wide(start: &[u8]) -> bool {
    start.starts_with(b"\xff\xfe") || start.starts_with(b"\xfe\xff")
}

fn is_hive(start: &[u8]) -> bool {
    let start = &start[..start.len().min(64)];
    is_marked_wide(start)
        || [&b"WINE REGISTRY"[..], b"Windows Registry", b"REGEDIT4", b"\xef\xbb\xbf"]
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
mod tests;
