//! Registry hives as text: those of Windows compatibility layers, and exports (versions 4 and 5).
//!
//! A section is a key of the registry, `"name"=` or `@=` a value. Texts are quoted, `str(2):` may hold
//! variables, `str(7):` holds several; `hex(1):`, `hex(2):` and `hex(7):` hold the same as UTF-16.
//! The line of a section also holds the time of its last change, as do lines with `#`; both stay.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::ops::Range;

use super::super::tree::{Builder, Fault, Hive, Key, Kind, Style};
use super::ini::lines;

/// The escapes of control characters in a hive, from 7 (bell) to 13; 27 is `e`.
const CONTROLS: &str = "abtnvfr";

pub(crate) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let root = out.add(None, None, Kind::Object, 0..text.len());
    let header = text.lines().next().unwrap_or_default();
    let is_export = header.starts_with("Windows Registry Editor") || header.starts_with("REGEDIT4");
    // A part of an export has no such head, and names its key whole.
    let export = is_export || (!header.starts_with("WINE REGISTRY") && text.trim_start().starts_with("[HKEY_"));
    let mut sections: HashMap<&str, u32> = HashMap::new();
    // The names in the section that is open; a section that comes again may say a name again.
    let mut names: HashSet<&str> = HashSet::new();
    let mut section = None;
    let mut all = lines(text).peekable();
    while let Some((start, line)) = all.next() {
        if line.starts_with('[') {
            let Some(close) = line.rfind(']') else { return Err(Fault::new(start, "a key has no closing bracket")) };
            let span = start + 1..start + close;
            let style = if export { Style::Hive(Hive::ExportPath) } else { Style::Hive(Hive::Path) };
            let name = &text[span.clone()];
            names.clear();
            section = Some(if let Some(id) = sections.get(name) {
                out.again(*id, &span);
                *id
            } else {
                let id = out.add(Some(root), Some(Key::new(span, style)), Kind::Object, start..start + line.len());
                sections.insert(name, id);
                id
            });
            continue;
        }
        if !line.starts_with(['"', '@']) {
            continue;
        }
        let Some(section) = section else { return Err(Fault::new(start, "a value stands outside of any key")) };
        let text_style = if export { Style::Hive(Hive::Export) } else { Style::Hive(Hive::Text) };
        let (key, after) = if line.starts_with('@') {
            (Key::new(start..start + 1, Style::Given(4)), start + 1)
        } else {
            let end = closing(text, start).ok_or_else(|| Fault::new(start, "a name has no closing quote"))?;
            (Key::new(start..end, text_style), end)
        };
        let Some(value) = text[after..].strip_prefix('=').map(|_| after + 1) else {
            return Err(Fault::new(after, "an = was wanted"));
        };
        let mut end = start + line.len();
        // Hexadecimal digits go on in the next line behind a backslash.
        if !text[value..].starts_with('"') && !text[value..].starts_with("str(") {
            while text[..end].ends_with('\\') {
                let Some((next, more)) = all.next() else { break };
                end = next + more.len();
            }
        }
        let name = &text[key.span.clone()];
        if !names.insert(name) {
            return Err(Fault::new(start, "a value stands twice in its key"));
        }
        add_value(text, (value, end), section, (key, text_style), out)?;
    }
    Ok(())
}

/// Adds a value with its name: a text, a list of texts, or anything else.
fn add_value(
    text: &str,
    (mut value, end): (usize, usize),
    section: u32,
    (key, style): (Key, Style),
    out: &mut Builder<'_>,
) -> Result<(), Fault> {
    let mut kind = 1;
    let rest = &text[value..end];
    if let Some((number, _)) = rest.strip_prefix("str(").and_then(|rest| rest.split_once("):")) {
        kind = u32::from_str_radix(number, 16).map_err(|_| Fault::new(value, "the type of a text is no number"))?;
        value += "str():".len() + number.len();
    } else if rest.starts_with("str:") {
        value += "str:".len();
    }
    if !text[value..end].starts_with('"') {
        return other(text, value..end, section, key, out).map(drop);
    }
    let close = closing(text, value).filter(|close| *close <= end);
    let close = close.ok_or_else(|| Fault::new(value, "a text has no closing quote"))?;
    if kind == 7 {
        let list = out.add(Some(section), Some(key), Kind::List, value..close);
        for part in parts(&text[value + 1..close - 1], value + 1) {
            out.add(Some(list), None, Kind::Leaf(Style::Hive(Hive::Part)), part);
        }
    } else {
        out.add(Some(section), Some(key), Kind::Leaf(style), value..close);
    }
    Ok(())
}

/// Adds a value that is not a text in quotes.
fn other(text: &str, span: Range<usize>, section: u32, key: Key, out: &mut Builder<'_>) -> Result<u32, Fault> {
    let raw = &text[span.clone()];
    let fixed = |out: &mut Builder<'_>, key| out.add(Some(section), Some(key), Kind::Leaf(Style::Fixed), span.clone());
    if let Some(digits) = raw.strip_prefix("dword:") {
        let start = span.end - digits.len();
        if digits.len() != 8 || u32::from_str_radix(digits, 16).is_err() {
            return Err(Fault::new(start, "a number is not eight hexadecimal digits"));
        }
        return Ok(out.add(Some(section), Some(key), Kind::Leaf(Style::Hive(Hive::Number)), start..span.end));
    }
    let Some((kind, digits)) = raw.strip_prefix("hex(").and_then(|rest| rest.split_once("):")) else {
        return Ok(fixed(out, key));
    };
    let start = span.end - digits.len();
    match kind {
        "1" | "2" if units(digits).is_some_and(|u| ended(&u) && String::from_utf16(&u).is_ok()) => {
            Ok(out.add(Some(section), Some(key), Kind::Leaf(Style::Hive(Hive::Hex)), start..span.end))
        }
        "7" if units(digits).is_some_and(|u| String::from_utf16(&u).is_ok()) => {
            let list = out.add(Some(section), Some(key), Kind::List, span.clone());
            for part in hex_parts(digits, start) {
                out.add(Some(list), None, Kind::Leaf(Style::Hive(Hive::HexPart)), part);
            }
            Ok(list)
        }
        // What is no text stays as it is.
        _ => Ok(fixed(out, key)),
    }
}

fn ended(units: &[u16]) -> bool {
    units.split_last().is_some_and(|(last, before)| *last == 0 && !before.contains(&0))
}

/// Goes behind the closing quote of a text that begins at `start`. A text may go over several lines.
fn closing(text: &str, start: usize) -> Option<usize> {
    let bytes = text.as_bytes();
    let mut at = start + 1;
    loop {
        match bytes.get(at)? {
            b'"' => return Some(at + 1),
            b'\\' => at += 2,
            b'\n' => return None,
            _ => at += 1,
        }
    }
}

/// The parts of a multi-text, which ends each of them with an escaped zero.
fn parts(raw: &str, at: usize) -> impl Iterator<Item = Range<usize>> {
    let bytes = raw.as_bytes();
    let mut ranges = Vec::new();
    let (mut from, mut n) = (0, 0);
    while let Some(byte) = bytes.get(n) {
        if *byte == b'\\' {
            // A digit behind the zero would make it another octal number; writers then use three digits.
            let zero = if raw[n + 1..].starts_with("000") {
                Some(4)
            } else {
                let digit = bytes.get(n + 2).is_some_and(|b| (b'0'..=b'7').contains(b));
                (bytes.get(n + 1) == Some(&b'0') && !digit).then_some(2)
            };
            match zero {
                Some(length) => {
                    ranges.push(at + from..at + n);
                    n += length;
                    from = n;
                }
                None => n += 2,
            }
        } else {
            n += 1;
        }
    }
    if from < bytes.len() {
        ranges.push(at + from..at + bytes.len());
    }
    // The list ends with an empty part of its own.
    ranges.into_iter().filter(|part| !part.is_empty())
}

/// The parts of a multi-text in hexadecimal digits, without their ends.
fn hex_parts(digits: &str, at: usize) -> Vec<Range<usize>> {
    let (mut ranges, mut from, mut last) = (Vec::new(), None, 0);
    let mut bytes = byte_places(digits);
    while let (Some((low, a)), Some((high, b))) = (bytes.next(), bytes.next()) {
        if low == 0 && high == 0 {
            if let Some(from) = from.take() {
                ranges.push(at + from..at + last);
            }
        } else {
            from.get_or_insert(a);
            last = b + 2;
        }
    }
    ranges
}

/// The bytes that hexadecimal digits stand for, each with where its digits begin.
fn byte_places(digits: &str) -> impl Iterator<Item = (u8, usize)> {
    let mut at = 0;
    std::iter::from_fn(move || {
        let rest = digits.get(at..)?;
        let skip = rest.find(|c: char| c.is_ascii_hexdigit())?;
        let byte = u8::from_str_radix(rest.get(skip..skip + 2)?, 16).ok()?;
        let place = at + skip;
        at = place + 2;
        Some((byte, place))
    })
}

/// The UTF-16 units that hexadecimal digits stand for; `None` if something else stands between them.
fn units(digits: &str) -> Option<Vec<u16>> {
    let mut bytes = Vec::new();
    for part in digits.split(',') {
        let part = part.trim_matches(['\\', '\r', '\n', ' ', '\t']);
        if part.is_empty() && digits.trim().is_empty() {
            break;
        }
        bytes.push((part.len() == 2).then(|| u8::from_str_radix(part, 16).ok()).flatten()?);
    }
    let (pairs, rest) = bytes.as_chunks::<2>();
    rest.is_empty().then(|| pairs.iter().map(|pair| u16::from_le_bytes(*pair)).collect())
}

pub(crate) fn decode(style: Hive, raw: &str) -> Cow<'_, str> {
    let inner = || raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw);
    match style {
        Hive::ExportPath => Cow::Borrowed(raw),
        Hive::Text => unescaped(inner()),
        Hive::Part | Hive::Path => unescaped(raw),
        Hive::Export => {
            if raw.contains('\\') {
                Cow::Owned(export_unescaped(inner()))
            } else {
                Cow::Borrowed(inner())
            }
        }
        Hive::Number => {
            u32::from_str_radix(raw, 16).map_or(Cow::Borrowed(raw), |number| Cow::Owned(number.to_string()))
        }
        _ => {
            let mut units = units(raw).unwrap_or_default();
            if units.last() == Some(&0) {
                units.pop();
            }
            Cow::Owned(String::from_utf16_lossy(&units))
        }
    }
}

fn export_unescaped(raw: &str) -> String {
    let mut out = String::with_capacity(raw.len());
    let mut chars = raw.chars();
    while let Some(c) = chars.next() {
        out.push(if c == '\\' { chars.next().unwrap_or('\\') } else { c });
    }
    out
}

fn unescaped(raw: &str) -> Cow<'_, str> {
    if !raw.contains('\\') {
        return Cow::Borrowed(raw);
    }
    let mut units: Vec<u16> = Vec::with_capacity(raw.len());
    let mut chars = raw.chars().peekable();
    let mut pair = [0; 2];
    while let Some(c) = chars.next() {
        if c != '\\' {
            units.extend_from_slice(c.encode_utf16(&mut pair));
            continue;
        }
        let digits = |chars: &mut std::iter::Peekable<std::str::Chars<'_>>, radix: u32, most: usize, mut n: u32| {
            for _ in 0..most {
                let Some(digit) = chars.peek().and_then(|c| c.to_digit(radix)) else { break };
                chars.next();
                n = n * radix + digit;
            }
            u16::try_from(n).unwrap_or(u16::MAX)
        };
        match chars.next() {
            Some('x') if chars.peek().is_some_and(char::is_ascii_hexdigit) => units.push(digits(&mut chars, 16, 4, 0)),
            Some('e') => units.push(27),
            Some(c) if c.is_digit(8) => units.push(digits(&mut chars, 8, 2, c.to_digit(8).unwrap_or_default())),
            Some(c) => match CONTROLS.find(c) {
                Some(n) => units.push(u16::try_from(n + 7).unwrap_or_default()),
                None => units.extend_from_slice(c.encode_utf16(&mut pair)),
            },
            None => units.push(u16::from(b'\\')),
        }
    }
    Cow::Owned(String::from_utf16_lossy(&units))
}

/// Compares what stands behind the last escape of a path, if that is a plain one.
pub(crate) fn may_say(raw: &str, text: &str) -> bool {
    match raw.rfind('\\') {
        None => raw == text,
        // An even number of them is a number of backslashes; of an odd one the last begins another escape.
        Some(at) => {
            let run = raw[..=at].len() - raw[..=at].trim_end_matches('\\').len();
            !run.is_multiple_of(2) || text.ends_with(&raw[at + 1..])
        }
    }
}

/// Writes what the layer's own writer would write: ASCII only.
fn escaped(new: &str, also: &[char]) -> String {
    let mut out = String::with_capacity(new.len() + 8);
    let mut chars = new.chars().peekable();
    while let Some(c) = chars.next() {
        let next_hex = chars.peek().is_some_and(char::is_ascii_hexdigit);
        match c {
            '\\' => out.push_str("\\\\"),
            c if also.contains(&c) => out.extend(['\\', c]),
            c if c.is_ascii_control() => match CONTROLS.chars().nth((c as usize).wrapping_sub(7)) {
                Some(letter) => out.extend(['\\', letter]),
                None if c == '\u{1b}' => out.push_str("\\e"),
                None if c == '\u{7f}' => out.push_str(if next_hex { "\\x007f" } else { "\\x7f" }),
                None if chars.peek().is_some_and(char::is_ascii_digit) => out.push_str(&format!("\\{:03o}", c as u32)),
                None => out.push_str(&format!("\\{:o}", c as u32)),
            },
            c if c.is_ascii() => out.push(c),
            c => {
                let mut pair = [0; 2];
                let units = c.encode_utf16(&mut pair);
                let count = units.len();
                for (n, unit) in units.iter().enumerate() {
                    // Four digits where a digit follows that would else be taken for one of this number's.
                    let four = n + 1 == count && next_hex;
                    out.push_str(&if four { format!("\\x{unit:04x}") } else { format!("\\x{unit:x}") });
                }
            }
        }
    }
    out
}

pub(crate) fn encode(style: Hive, new: &str, raw: &str) -> Option<String> {
    // A zero ends a text in the registry: none can be within.
    if new.contains('\0') && style != Hive::Number {
        return None;
    }
    match style {
        Hive::Text => Some(format!("\"{}\"", escaped(new, &['"']))),
        Hive::Part if !new.is_empty() => Some(escaped(new, &['"'])),
        Hive::Path => Some(escaped(new, &['[', ']'])),
        Hive::ExportPath => (!new.contains(['\n', '\r'])).then(|| new.to_string()),
        Hive::Export => {
            let fits = !new.contains(['\n', '\r']);
            fits.then(|| format!("\"{}\"", new.replace('\\', "\\\\").replace('"', "\\\"")))
        }
        Hive::Number => new.parse::<u32>().ok().map(|number| format!("{number:08x}")),
        Hive::Hex => Some(hex(new, raw, true)),
        Hive::HexPart if !new.is_empty() => Some(hex(new, raw, false)),
        _ => None,
    }
}

/// Digits of UTF-16, in lines as long as those they replace.
fn hex(new: &str, raw: &str, ended: bool) -> String {
    let units = new.encode_utf16().chain(ended.then_some(0));
    let bytes: Vec<String> = units.flat_map(u16::to_le_bytes).map(|byte| format!("{byte:02x}")).collect();
    let Some(first) = raw.find('\\') else { return bytes.join(",") };
    let gap = &raw[first..first + raw[first..].find(|c: char| c.is_ascii_hexdigit()).unwrap_or(1)];
    let lines: Vec<String> = bytes.chunks((first / 3).max(1)).map(|line| line.join(",")).collect();
    lines.join(&format!(",{gap}"))
}
