//! MessagePack (its specification of 2013-2017: str, bin and ext families). Several values one after the other are a list.

use super::bytes::{Bytes, number};
use super::{Slot, exact_float, exact_short_float, float_text, one_or_many, style};
use crate::record::tree::{Builder, Fault, Key, Kind, Packed, Style};

pub(super) fn may_begin(start: &[u8]) -> bool {
    // A list or a map, and in it what holds more: a text, a list, a map, or one of these behind a number.
    let holds = |byte: Option<&u8>| matches!(byte, Some(0x80..=0xbf | 0xd9..=0xdf));
    let (is_map, head) = match start.first() {
        Some(0x80 | 0x90) => return true,
        Some(0x81..=0x8f) => (true, 1),
        Some(0x91..=0x9f) => (false, 1),
        Some(0xdc | 0xdd) => (false, 3 + 2 * usize::from(start.first() == Some(&0xdd))),
        Some(0xde | 0xdf) => (true, 3 + 2 * usize::from(start.first() == Some(&0xdf))),
        _ => return false,
    };
    let number = match start.get(head) {
        Some(0x00..=0x7f | 0xe0..=0xff) => 1,
        Some(code @ 0xcc..=0xd3) => 1 + (1 << (code & 3)),
        _ => 0,
    };
    holds(start.get(head)) || (is_map && number > 0 && holds(start.get(head + number)))
}

/// What a byte begins.
enum Head {
    Number { width: usize },
    Float { width: usize },
    Word,
    Nil,
    Text { head: usize, length: usize },
    Raw { head: usize, length: usize },
    List { head: usize, count: usize },
    Map { head: usize, count: usize },
}

fn head(bytes: &Bytes, at: usize) -> Result<Head, Fault> {
    let wide = |width| bytes.length(at + 1, width, false);
    Ok(match bytes.byte(at)? {
        0x00..=0x7f | 0xe0..=0xff => Head::Number { width: 0 },
        code @ 0x80..=0x8f => Head::Map { head: 1, count: usize::from(code & 0x0f) },
        code @ 0x90..=0x9f => Head::List { head: 1, count: usize::from(code & 0x0f) },
        code @ 0xa0..=0xbf => Head::Text { head: 1, length: usize::from(code & 0x1f) },
        0xc0 => Head::Nil,
        0xc1 => return Err(Fault::new(at, "a byte that begins no value")),
        0xc2 | 0xc3 => Head::Word,
        code @ 0xc4..=0xc6 => {
            let width = 1 << (code - 0xc4);
            Head::Text { head: 1 + width, length: wide(width)? }
        }
        code @ 0xc7..=0xc9 => {
            let width = 1 << (code - 0xc7);
            Head::Raw { head: 2 + width, length: wide(width)? }
        }
        0xca => Head::Float { width: 4 },
        0xcb => Head::Float { width: 8 },
        code @ 0xcc..=0xcf => Head::Number { width: 1 << (code - 0xcc) },
        code @ 0xd0..=0xd3 => Head::Number { width: 1 << (code - 0xd0) },
        code @ 0xd4..=0xd8 => Head::Raw { head: 2, length: 1 << (code - 0xd4) },
        code @ 0xd9..=0xdb => {
            let width = 1 << (code - 0xd9);
            Head::Text { head: 1 + width, length: wide(width)? }
        }
        code @ 0xdc..=0xdd => {
            let width = 2 << (code - 0xdc);
            Head::List { head: 1 + width, count: wide(width)? }
        }
        code @ 0xde..=0xdf => {
            let width = 2 << (code - 0xde);
            Head::Map { head: 1 + width, count: wide(width)? }
        }
    })
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let holds_others = |at| Ok(matches!(head(bytes, at)?, Head::Map { .. } | Head::List { .. }));
    one_or_many(bytes, out, value, &holds_others)
}

/// Adds the value that begins here, and says where it ends.
fn value(bytes: &Bytes, at: usize, slot: Slot, out: &mut Builder<'_>) -> Result<usize, Fault> {
    slot.shallow(at)?;
    let (kind, end, count, keyed) = match head(bytes, at)? {
        Head::Number { width } => (Kind::Leaf(style(Packed::MessageNumber)), at + 1 + width, 0, false),
        Head::Float { width } => {
            let end = at + 1 + width;
            let whole = float(bytes.get(at + 1..end)?).is_some();
            (Kind::Leaf(if whole { style(Packed::MessageNumber) } else { Style::Fixed }), end, 0, false)
        }
        Head::Word => (Kind::Leaf(style(Packed::MessageWord)), at + 1, 0, false),
        Head::Nil => (Kind::Leaf(Style::Fixed), at + 1, 0, false),
        Head::Text { head, length } => {
            let end = at + head + length;
            let is_text = std::str::from_utf8(bytes.get(at + head..end)?).is_ok();
            (Kind::Leaf(if is_text { style(Packed::MessageText) } else { Style::Fixed }), end, 0, false)
        }
        Head::Raw { head, length } => (Kind::Leaf(Style::Fixed), at + head + length, 0, false),
        Head::List { head, count } => (Kind::List, at + head, count, false),
        Head::Map { head, count } => (Kind::Object, at + head, count, true),
    };
    bytes.get(at..end)?;
    let node = out.add(slot.parent, slot.key.clone(), kind, bytes.span(at..end));
    let mut end = end;
    for _ in 0..count {
        let key = if keyed { Some(key_at(bytes, &mut end)?) } else { None };
        end = value(bytes, end, slot.below(node, key), out)?;
    }
    if !matches!(kind, Kind::Leaf(_)) {
        out.end(node, bytes.at(end));
    }
    Ok(end)
}

/// The key that begins at `end`, which stands behind it afterwards.
fn key_at(bytes: &Bytes, end: &mut usize) -> Result<Key, Fault> {
    let at = *end;
    let (packed, behind) = match head(bytes, at)? {
        Head::Number { width } => (Packed::MessageNumber, at + 1 + width),
        Head::Text { head, length } if std::str::from_utf8(bytes.get(at + head..at + head + length)?).is_ok() => {
            (Packed::MessageText, at + head + length)
        }
        _ => return Err(Fault::new(at, "a key is neither text nor a number")),
    };
    bytes.get(at..behind)?;
    *end = behind;
    Ok(Key::new(bytes.span(at..behind), style(packed)))
}

fn float(bytes: &[u8]) -> Option<String> {
    match bytes.len() {
        4 => float_text(f32::from_be_bytes(bytes.try_into().ok()?).into()),
        _ => float_text(f64::from_be_bytes(bytes.try_into().ok()?)),
    }
}

fn whole(raw: &[u8]) -> Option<i128> {
    let (code, rest) = raw.split_first()?;
    Some(match code {
        0x00..=0x7f => i128::from(*code),
        0xe0..=0xff => i128::from(code.cast_signed()),
        0xcc..=0xcf => i128::from(number(rest, false)),
        0xd0..=0xd3 => {
            let bits = 64 - 8 * u32::try_from(rest.len()).ok()?;
            i128::from((number(rest, false) << bits).cast_signed() >> bits)
        }
        _ => return None,
    })
}

pub(super) fn read(raw: &[u8]) -> Option<String> {
    let (code, rest) = raw.split_first()?;
    let text = |width: usize| String::from_utf8(rest.get(width..)?.to_vec()).ok();
    match code {
        0xa0..=0xbf => text(0),
        0xc2 => Some("false".into()),
        0xc3 => Some("true".into()),
        0xc4 | 0xd9 => text(1),
        0xc5 | 0xda => text(2),
        0xc6 | 0xdb => text(4),
        0xca | 0xcb => float(rest),
        _ => whole(raw).map(|number| number.to_string()),
    }
}

/// The codes of texts and of bytes, by the bytes of their length.
const TEXT: [(u8, usize); 3] = [(0xd9, 1), (0xda, 2), (0xdb, 4)];
const RAW: [(u8, usize); 3] = [(0xc4, 1), (0xc5, 2), (0xc6, 4)];

pub(super) fn write_text(new: &str, old: &[u8]) -> Option<Vec<u8>> {
    let code = *old.first()?;
    let is_raw = (0xc4..=0xc6).contains(&code);
    let family = if is_raw { RAW } else { TEXT };
    let fits = |length: usize, width: usize| length < 1 << (8 * width);
    let least = |length: usize| {
        if !is_raw && length < 32 {
            return Some((0xa0 | u8::try_from(length).ok()?, 0));
        }
        family.into_iter().find(|(_, width)| fits(length, *width))
    };
    let stood = family.into_iter().find(|(family, _)| *family == code);
    let length_before = old.len() - 1 - stood.map_or(0, |(_, width)| width);
    // Who wrote a length in more bytes than it takes does so always.
    let wider = stood.filter(|stood| least(length_before) != Some(*stood) && fits(new.len(), stood.1));
    let (code, width) = wider.or_else(|| least(new.len()))?;
    let length = u32::try_from(new.len()).ok()?.to_be_bytes();
    Some([&[code], length.get(4 - width..)?, new.as_bytes()].concat())
}

fn least(number: i128) -> Option<Vec<u8>> {
    Some(match number {
        -32..=0x7f => vec![number.to_le_bytes()[0]],
        0x80..=0xff => vec![0xcc, u8::try_from(number).ok()?],
        0x100..=0xffff => [&[0xcd][..], &u16::try_from(number).ok()?.to_be_bytes()].concat(),
        0x1_0000..=0xffff_ffff => [&[0xce][..], &u32::try_from(number).ok()?.to_be_bytes()].concat(),
        0x1_0000_0000.. => [&[0xcf][..], &u64::try_from(number).ok()?.to_be_bytes()].concat(),
        _ => signed(number, 1)?,
    })
}

/// In the smallest kind with a sign of at least this width.
fn signed(number: i128, width: usize) -> Option<Vec<u8>> {
    let fits = |width: &usize| (-(1_i128 << (8 * width - 1))..1_i128 << (8 * width - 1)).contains(&number);
    let width = [1, 2, 4, 8].into_iter().filter(|wide| *wide >= width).find(fits)?;
    let code = 0xd0 + u8::try_from(width.trailing_zeros()).ok()?;
    Some([&[code][..], number.to_be_bytes().get(16 - width..)?].concat())
}

pub(super) fn write_number(new: &str, old: &[u8]) -> Option<Vec<u8>> {
    let number: i128 = new.parse().ok()?;
    let code = *old.first()?;
    match code {
        0xca => {
            let float = exact_short_float(number)?;
            Some([&[code][..], &float.to_be_bytes()].concat())
        }
        0xcb => Some([&[code][..], &exact_float(number)?.to_be_bytes()].concat()),
        0xd0..=0xd3 if whole(old)? >= 0 => signed(number, old.len() - 1),
        0xcc..=0xcf if least(whole(old)?)?.as_slice() != old => {
            let width = old.len() - 1;
            let number = u64::try_from(number).ok()?;
            let fits = width == 8 || number < 1 << (8 * width);
            if fits {
                Some([&[code][..], number.to_be_bytes().get(8 - width..)?].concat())
            } else {
                least(number.into())
            }
        }
        _ => least(number),
    }
}
