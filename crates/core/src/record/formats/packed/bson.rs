//! BSON (specification 1.1): documents within documents, each saying the length of all it holds.

use super::bytes::{Bytes, number};
use super::{exact_float, float_text, style};
use crate::record::tree::{Builder, Counted, DEEPEST, Fault, Key, Kind, Packed, Style};

pub(super) fn may_begin(start: &[u8], length: u64) -> bool {
    start.get(..4).map(|bytes| number(bytes, true)) == Some(length)
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let root = out.add(None, None, Kind::Object, bytes.span(0..bytes.len()));
    match document(bytes, 0, root, 0, out)? {
        end if end == bytes.len() => Ok(()),
        end => Err(Fault::new(end, "something follows the document")),
    }
}

/// Adds the members of the document that begins here, and says where it ends.
fn document(bytes: &Bytes, at: usize, node: u32, depth: usize, out: &mut Builder<'_>) -> Result<usize, Fault> {
    if depth > DEEPEST {
        return Err(Fault::new(at, "it nests too deep"));
    }
    let end = at.saturating_add(bytes.length(at, 4, true)?);
    if end < at + 5 || bytes.byte(end - 1)? != 0 {
        return Err(Fault::new(at, "a document does not end where it says"));
    }
    out.counted(Counted { at: bytes.span(at..at + 4), counts: bytes.span(at..end), fixed: true });
    let list = out.kind(node) == Kind::List;
    let mut from = at + 4;
    while from < end - 1 {
        let kind = bytes.byte(from)?;
        let (key, value) = (from + 1, cstring(bytes, from + 1)?);
        if std::str::from_utf8(bytes.get(key..value - 1)?).is_err() {
            return Err(Fault::new(key, "a key is no text"));
        }
        let key = (!list).then(|| Key::new(bytes.span(key..value - 1), style(Packed::BsonKey)));
        from = member(bytes, (kind, value), node, key, depth, out)?;
    }
    if from == end - 1 { Ok(end) } else { Err(Fault::new(from, "a value does not end in its document")) }
}

fn member(
    bytes: &Bytes,
    (kind, at): (u8, usize),
    parent: u32,
    key: Option<Key>,
    depth: usize,
    out: &mut Builder<'_>,
) -> Result<usize, Fault> {
    let text = |at: usize| -> Result<(usize, bool), Fault> {
        let length = bytes.length(at, 4, true)?;
        let end = at.saturating_add(4).saturating_add(length);
        match bytes.get(at + 4..end)? {
            [text @ .., 0] => Ok((end, std::str::from_utf8(text).is_ok())),
            _ => Err(Fault::new(at, "a text does not end where it says")),
        }
    };
    let (packed, end) = match kind {
        0x03 | 0x04 => {
            let shape = if kind == 0x03 { Kind::Object } else { Kind::List };
            let node = out.add(Some(parent), key, shape, bytes.span(at..at));
            let end = document(bytes, at, node, depth + 1, out)?;
            out.end(node, bytes.at(end));
            return Ok(end);
        }
        0x01 => (float_text(double(bytes.get(at..at + 8)?)).map(|_| Packed::BsonDouble), at + 8),
        0x02 | 0x0d | 0x0e => {
            let (end, is_text) = text(at)?;
            (is_text.then_some(Packed::BsonText), end)
        }
        0x05 => (None, at.saturating_add(5).saturating_add(bytes.length(at, 4, true)?)),
        0x06 | 0x0a | 0x7f | 0xff => (None, at),
        0x07 => (None, at + 12),
        0x08 => (Some(Packed::BsonWord), at + 1),
        0x09 | 0x11 => (None, at + 8),
        0x0b => (None, cstring(bytes, cstring(bytes, at)?)?),
        0x0c => (None, text(at)?.0 + 12),
        0x0f => (None, at.saturating_add(bytes.length(at, 4, true)?)),
        0x10 => (Some(Packed::BsonInt32), at + 4),
        0x12 => (Some(Packed::BsonInt64), at + 8),
        0x13 => (None, at + 16),
        _ => return Err(Fault::new(at, "a value is of no known kind")),
    };
    bytes.get(at..end)?;
    out.add(Some(parent), key, Kind::Leaf(packed.map_or(Style::Fixed, style)), bytes.span(at..end));
    Ok(end)
}

/// Where a text that a zero ends is over.
fn cstring(bytes: &Bytes, at: usize) -> Result<usize, Fault> {
    let rest = bytes.get(at..bytes.len())?;
    let length = rest.iter().position(|byte| *byte == 0).ok_or_else(|| Fault::new(at, "a text has no end"))?;
    Ok(at + length + 1)
}

fn double(raw: &[u8]) -> f64 {
    raw.try_into().map_or(f64::NAN, f64::from_le_bytes)
}

pub(super) fn read(packed: Packed, raw: &[u8]) -> Option<String> {
    match packed {
        Packed::BsonKey => String::from_utf8(raw.to_vec()).ok(),
        Packed::BsonInt32 => Some(i32::from_le_bytes(raw.try_into().ok()?).to_string()),
        Packed::BsonInt64 => Some(i64::from_le_bytes(raw.try_into().ok()?).to_string()),
        Packed::BsonDouble => float_text(double(raw)),
        Packed::BsonWord => Some(if raw == [0] { "false" } else { "true" }.into()),
        _ => match raw.get(4..)? {
            [text @ .., 0] => String::from_utf8(text.to_vec()).ok(),
            _ => None,
        },
    }
}

pub(super) fn write(packed: Packed, new: &str) -> Option<Vec<u8>> {
    Some(match packed {
        Packed::BsonKey if new.contains('\0') => return None,
        Packed::BsonKey => new.as_bytes().to_vec(),
        Packed::BsonInt32 => new.parse::<i32>().ok()?.to_le_bytes().to_vec(),
        Packed::BsonInt64 => new.parse::<i64>().ok()?.to_le_bytes().to_vec(),
        Packed::BsonDouble => exact_float(new.parse().ok()?)?.to_le_bytes().to_vec(),
        _ => {
            let length = i32::try_from(new.len() + 1).ok()?;
            [&length.to_le_bytes()[..], new.as_bytes(), &[0]].concat()
        }
    })
}
