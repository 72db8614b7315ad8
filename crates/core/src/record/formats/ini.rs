//! Files of lines: INI, desktop entries, the assignments of the user directories file, plain lines.
//!
//! There is no standard for INI: a comment begins a line with `;` or `#`, `=` parts key from value, and
//! so does `:` before a blank; quotes around a whole value are not part of it, and nothing is escaped.
//! Desktop entries escape with a backslash (Desktop Entry Specification, "Possible value types").

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use super::super::place::Side;
use super::super::tree::{Builder, Key, Kind, Style};

#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Dialect {
    Ini,
    Desktop,
}

const BLANK: [char; 2] = [' ', '\t'];

/// The lines of a text without their ends, each with the byte it starts at.
pub(crate) fn lines(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut at = 0;
    text.split_inclusive('\n').map(move |line| {
        let start = at;
        at += line.len();
        let bare = line.strip_suffix('\n').map_or(line, |bare| bare.strip_suffix('\r').unwrap_or(bare));
        (start, bare)
    })
}

/// The part of a line without blanks around it, as a range of the text.
fn trimmed(start: usize, part: &str) -> Range<usize> {
    let left = part.len() - part.trim_start_matches(BLANK).len();
    let body = part.trim_matches(BLANK).len();
    start + left..start + left + body
}

pub(crate) fn scan(text: &str, dialect: Dialect, out: &mut Builder<'_>) {
    let root = out.add(None, None, Kind::Object, 0..text.len());
    let mut sections: HashMap<&str, u32> = HashMap::new();
    let mut keys: HashMap<(u32, &str), u32> = HashMap::new();
    let mut section = None;
    for (start, line) in lines(text) {
        let whole = trimmed(start, line);
        let body = &text[whole.clone()];
        if body.is_empty() || body.starts_with(['#', ';']) {
            continue;
        }
        if let Some(inner) = body.strip_prefix('[') {
            let Some(end) = inner.rfind(']') else { continue };
            let span = whole.start + 1..whole.start + 1 + end;
            let name = &text[span.clone()];
            if let Some(id) = sections.get(name) {
                out.again(*id, &span);
                section = Some(*id);
            } else {
                let id = out.add(Some(root), Some(Key::new(span, Style::IniBare)), Kind::Object, whole);
                sections.insert(name, id);
                section = Some(id);
            }
            continue;
        }
        let Some(cut) = delimiter(line, dialect) else { continue };
        let key = trimmed(start, &line[..cut]);
        if key.is_empty() {
            continue;
        }
        let after = start + cut + 1;
        let mut value = trimmed(after, &line[cut + 1..]);
        if dialect == Dialect::Desktop {
            // Blanks behind a value are part of it.
            value.end = start + line.len();
            value.start = value.start.min(value.end);
        }
        let parent = *section.get_or_insert_with(|| {
            let key = Key::new(0..0, Style::Given(0));
            let id = out.add(Some(root), Some(key), Kind::Object, 0..0);
            sections.insert("", id);
            id
        });
        let says = &text[value.clone()];
        let style = match dialect {
            Dialect::Desktop => Style::Desktop,
            Dialect::Ini if says.len() > 1 && says.starts_with('"') && says.ends_with('"') => Style::IniQuoted,
            Dialect::Ini => Style::IniBare,
        };
        let name = &text[key.clone()];
        let key = Some(Key::new(key, Style::IniBare));
        if let Some(first) = keys.get(&(parent, name)) {
            out.listed(*first);
            out.add(Some(*first), key, Kind::Leaf(style), value);
        } else {
            let id = out.add(Some(parent), key, Kind::Leaf(style), value);
            keys.insert((parent, name), id);
        }
    }
}

fn delimiter(line: &str, dialect: Dialect) -> Option<usize> {
    let parts = |(at, c): (usize, char)| match c {
        '=' => true,
        ':' => dialect == Dialect::Ini && line[at + 1..].chars().next().is_none_or(|c| BLANK.contains(&c)),
        _ => false,
    };
    line.char_indices().find(|found| parts(*found)).map(|(at, _)| at)
}

pub(crate) fn scan_assignments(text: &str, out: &mut Builder<'_>) {
    let root = out.add(None, None, Kind::Object, 0..text.len());
    for (start, line) in lines(text) {
        let whole = trimmed(start, line);
        let body = &text[whole.clone()];
        let name = body.bytes().take_while(|b| b.is_ascii_alphanumeric() || *b == b'_').count();
        if name == 0 || body.starts_with(|c: char| c.is_ascii_digit()) || body.as_bytes().get(name) != Some(&b'=') {
            continue;
        }
        let key = whole.start..whole.start + name;
        let value = key.end + 1..whole.end;
        let says = &text[value.clone()];
        let style = match says.as_bytes() {
            [b'"', inner @ .., b'"'] if closed(inner) => Style::ShellDouble,
            [b'\'', inner @ .., b'\''] if !inner.contains(&b'\'') => Style::ShellSingle,
            bare if !bare.is_empty() && bare.iter().all(|b| plain_in_shell(*b) || *b == b'$') => Style::ShellBare,
            _ => continue,
        };
        out.add(Some(root), Some(Key::new(key, Style::ShellBare)), Kind::Leaf(style), value);
    }
}

/// Whether no quote within a double-quoted text ends it before its end.
fn closed(inner: &[u8]) -> bool {
    let mut bytes = inner.iter();
    while let Some(byte) = bytes.next() {
        match byte {
            b'"' => return false,
            b'\\' if bytes.next().is_none() => return false,
            _ => {}
        }
    }
    true
}

fn plain_in_shell(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"/._-+:,@%=".contains(&byte) || !byte.is_ascii()
}

pub(crate) fn scan_lines(text: &str, out: &mut Builder<'_>) {
    let root = out.add(None, None, Kind::List, 0..text.len());
    for (start, line) in lines(text) {
        out.add(Some(root), None, Kind::Leaf(Style::Line), start..start + line.len());
    }
}

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    let inner = || raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw);
    match style {
        Style::IniQuoted | Style::ShellSingle => Cow::Borrowed(inner()),
        Style::Desktop if raw.contains('\\') => unescaped(raw, |c| match c {
            's' => Some(' '),
            'n' => Some('\n'),
            't' => Some('\t'),
            'r' => Some('\r'),
            '\\' => Some('\\'),
            _ => None,
        }),
        Style::ShellDouble => unescaped(inner(), |c| matches!(c, '$' | '`' | '"' | '\\').then_some(c)),
        _ => Cow::Borrowed(raw),
    }
}

/// Takes escapes out of a text; a backslash before anything else stays.
fn unescaped(raw: &str, escape: impl Fn(char) -> Option<char>) -> Cow<'_, str> {
    if !raw.contains('\\') {
        return Cow::Borrowed(raw);
    }
    let mut out = String::with_capacity(raw.len());
    let mut chars = raw.chars().peekable();
    while let Some(c) = chars.next() {
        match chars.peek().copied().and_then(&escape) {
            Some(meant) if c == '\\' => {
                out.push(meant);
                chars.next();
            }
            _ => out.push(c),
        }
    }
    Cow::Owned(out)
}

pub(crate) fn encode(style: Style, side: Side, new: &str) -> Option<String> {
    if new.contains(['\n', '\r']) && !matches!(style, Style::Desktop) {
        return None;
    }
    match (style, side) {
        (Style::Desktop, _) => {
            let mut out = String::with_capacity(new.len());
            for (n, c) in new.chars().enumerate() {
                match c {
                    '\\' => out.push_str("\\\\"),
                    '\n' => out.push_str("\\n"),
                    '\t' => out.push_str("\\t"),
                    '\r' => out.push_str("\\r"),
                    ' ' if n == 0 => out.push_str("\\s"),
                    c => out.push(c),
                }
            }
            Some(out)
        }
        (Style::IniQuoted, _) => Some(format!("\"{new}\"")),
        (Style::ShellBare, Side::Key) => {
            let fits = new.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_');
            (fits && !new.is_empty()).then(|| new.to_string())
        }
        (Style::ShellSingle, _) if !new.contains('\'') => Some(format!("'{new}'")),
        (Style::ShellBare, _) if !new.is_empty() && new.bytes().all(plain_in_shell) => Some(new.to_string()),
        (Style::ShellDouble | Style::ShellSingle | Style::ShellBare, _) => {
            let mut out = String::from("\"");
            for (at, c) in new.char_indices() {
                let home = new[at..].starts_with("$HOME") || new[at..].starts_with("${HOME}");
                if matches!(c, '`' | '"' | '\\') || (c == '$' && !home) {
                    out.push('\\');
                }
                out.push(c);
            }
            out.push('"');
            Some(out)
        }
        _ => Some(new.to_string()),
    }
}
