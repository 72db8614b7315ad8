//! Rows of values between separators (RFC 4180 for commas; semicolons, tabulators and bars alike): with a heading each row is an object.
//!
//! Law: only a text all of whose rows have as many values is taken for one. The separator is the one that gives the most of them.

use std::borrow::Cow;
use std::collections::HashSet;
use std::ops::Range;

use super::super::tree::{Builder, Fault, Key, Kind, Style};

const SEPARATORS: [u8; 4] = [b'\t', b';', b'|', b','];

/// One value, without the blanks around it; in quotes with them.
type Value = (Range<usize>, bool);

/// The rows of a text, and the separator.
fn rows(text: &str) -> Option<(Vec<Vec<Value>>, u8)> {
    let read = |separator: u8| {
        let rows = rows_by(text, separator)?;
        let width = rows.first()?.len();
        (width > 1 && rows.len() > 1 && rows.iter().all(|row| row.len() == width)).then_some((rows, separator))
    };
    SEPARATORS.into_iter().filter_map(read).max_by_key(|(rows, _)| rows.first().map_or(0, Vec::len))
}

fn rows_by(text: &str, separator: u8) -> Option<Vec<Vec<Value>>> {
    let bytes = text.as_bytes();
    let (mut rows, mut row, mut at) = (Vec::new(), Vec::new(), 0);
    while at < bytes.len() {
        if row.is_empty() && matches!(bytes.get(at), Some(b'#' | b'\n' | b'\r')) {
            at += bytes.iter().skip(at).position(|byte| *byte == b'\n').map_or(bytes.len() - at, |n| n + 1);
            continue;
        }
        let ends = |byte: &u8| *byte == separator || matches!(byte, b'\n' | b'\r');
        let closed = behind_quote(bytes, at).filter(|end| bytes.get(*end).is_none_or(ends));
        // Writers of tabulators and bars know no quotes as a rule: one that is not closed at the end of its value is a sign of that.
        if closed.is_none() && bytes.get(at) == Some(&b'"') && matches!(separator, b',' | b';') {
            return None;
        }
        let quoted = closed.is_some();
        let bare = || bytes.get(at..).and_then(|rest| rest.iter().position(ends)).map_or(bytes.len(), |n| at + n);
        let end = closed.unwrap_or_else(bare);
        row.push((at..end, quoted));
        at = end;
        match bytes.get(at) {
            Some(byte) if *byte == separator => {
                at += 1;
                // Nothing behind the last separator is a value, too.
                if matches!(bytes.get(at), None | Some(b'\n' | b'\r')) {
                    row.push((at..at, false));
                }
            }
            Some(b'\r' | b'\n') | None => {}
            _ => return None,
        }
        if matches!(bytes.get(at), Some(b'\r' | b'\n') | None) {
            at += usize::from(bytes.get(at) == Some(&b'\r'));
            at += usize::from(bytes.get(at) == Some(&b'\n'));
            rows.push(std::mem::take(&mut row));
        }
    }
    Some(rows)
}

/// Where a value in quotes that begins here ends.
fn behind_quote(bytes: &[u8], at: usize) -> Option<usize> {
    let mut end = at + 1;
    bytes.get(at).filter(|byte| **byte == b'"')?;
    loop {
        end += bytes.get(end..)?.iter().position(|byte| *byte == b'"')?;
        if bytes.get(end + 1) != Some(&b'"') {
            return Some(end + 1);
        }
        end += 2;
    }
}

fn style_of(quoted: bool, separator: u8) -> Style {
    if quoted { Style::TableQuoted } else { Style::TableBare(separator) }
}

/// Whether the first row names the values of the others.
fn is_heading(text: &str, row: &[Value]) -> bool {
    let names: Vec<Cow<'_, str>> = row
        .iter()
        .map(|(span, quoted)| decode(style_of(*quoted, b','), text.get(span.clone()).unwrap_or_default()))
        .collect();
    let is_name = |name: &Cow<'_, str>| {
        let begins = name.trim().starts_with(|c: char| c.is_alphabetic() || c == '_');
        begins && !name.contains(['/', '\\'])
    };
    names.iter().all(is_name) && names.iter().collect::<HashSet<_>>().len() == names.len()
}

pub(super) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let (rows, separator) =
        rows(text).ok_or_else(|| Fault::new(0, "its rows don't have as many values as one another"))?;
    let root = out.add(None, None, Kind::List, 0..text.len());
    let heading = rows.first().filter(|row| is_heading(text, row)).cloned();
    for row in rows.iter().skip(usize::from(heading.is_some())) {
        let span = row.first().map_or(0, |(span, _)| span.start)..row.last().map_or(0, |(span, _)| span.end);
        let kind = if heading.is_some() { Kind::Object } else { Kind::List };
        let node = out.add(Some(root), None, kind, span);
        for (n, (span, quoted)) in row.iter().enumerate() {
            let name = heading.as_ref().and_then(|heading| heading.get(n));
            let key = name.map(|(span, quoted)| Key::new(span.clone(), Style::TableName(*quoted)));
            out.add(Some(node), key, Kind::Leaf(style_of(*quoted, separator)), span.clone());
        }
    }
    Ok(())
}

pub(super) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    match style {
        Style::TableQuoted | Style::TableName(true) => {
            let inner = raw.strip_prefix('"').and_then(|raw| raw.strip_suffix('"')).unwrap_or(raw);
            if inner.contains('"') { Cow::Owned(inner.replace("\"\"", "\"")) } else { Cow::Borrowed(inner) }
        }
        Style::TableName(false) => Cow::Borrowed(raw.trim()),
        _ => Cow::Borrowed(raw),
    }
}

pub(super) fn encode(style: Style, new: &str) -> Option<String> {
    let quoted = || format!("\"{}\"", new.replace('"', "\"\""));
    match style {
        Style::TableQuoted => Some(quoted()),
        Style::TableBare(separator) => {
            let knows_quotes = matches!(separator, b',' | b';');
            let special = new.contains(char::from(separator))
                || new.contains(['\n', '\r'])
                || new.starts_with('#')
                || (new.starts_with('"') && knows_quotes);
            match (special, separator) {
                (false, _) => Some(new.into()),
                // Readers of tabulators and bars know no quotes as a rule.
                (true, b',' | b';') => Some(quoted()),
                (true, _) => None,
            }
        }
        _ => None,
    }
}
