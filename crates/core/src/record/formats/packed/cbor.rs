//! CBOR (RFC 8949): a tag before a value is no part of it; several values one after the other (RFC 8742) are a list.

use super::bytes::{Bytes, number};
use super::{Slot, exact_float, exact_short_float, float_text, one_or_many, style};
use crate::record::tree::{Builder, Fault, Key, Kind, Packed, Style};

pub(super) fn may_begin(start: &[u8]) -> bool {
    // The tag that only says what this is may stand before it.
    let start = start.strip_prefix(&[0xd9, 0xd9, 0xf7]).unwrap_or(start);
    let head = match start.first() {
        Some(0x80 | 0xa0) => return true,
        Some(0x81..=0x97 | 0xa1..=0xb7 | 0x9f | 0xbf) => 1,
        Some(byte @ (0x98..=0x9b | 0xb8..=0xbb)) => 1 + (1 << (byte & 3)),
        _ => return false,
    };
    // In it stands what holds more: a text, a list, a map, or one of these behind a number.
    let holds = |byte: Option<&u8>| matches!(byte, Some(0x60..=0xdb));
    let number = match start.get(head) {
        Some(0x00..=0x17 | 0x20..=0x37) => 1,
        Some(byte @ (0x18..=0x1b | 0x38..=0x3b)) => 1 + (1 << (byte & 3)),
        _ => 0,
    };
    holds(start.get(head)) || (start.first() >= Some(&0xa0) && number > 0 && holds(start.get(head + number)))
}

/// Major types (RFC 8949, 3.1).
const UNSIGNED: u8 = 0;
const NEGATIVE: u8 = 1;
const BYTES: u8 = 2;
const TEXT: u8 = 3;
const LIST: u8 = 4;
const MAP: u8 = 5;
const TAG: u8 = 6;

/// The end of what has no length.
const BREAK: u8 = 0xff;

/// Major type, argument (none for what has no length), and where it ends.
fn head(bytes: &Bytes, at: usize) -> Result<(u8, Option<usize>, usize), Fault> {
    let first = bytes.byte(at)?;
    let (major, info) = (first >> 5, first & 0x1f);
    Ok(match info {
        0..=23 => (major, Some(usize::from(info)), at + 1),
        24..=27 => {
            let width = 1 << (info - 24);
            let argument = if matches!(major, UNSIGNED | NEGATIVE | 7) {
                bytes.get(at + 1..at + 1 + width)?;
                0
            } else {
                bytes.length(at + 1, width, false)?
            };
            (major, Some(argument), at + 1 + width)
        }
        31 if matches!(major, BYTES..=MAP) => (major, None, at + 1),
        _ => return Err(Fault::new(at, "a byte that begins no value")),
    })
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let holds_others = |at| Ok(matches!(bytes.byte(at)? >> 5, LIST | MAP));
    one_or_many(bytes, out, value, &holds_others)
}

/// Adds the value that begins here, and says where it ends.
fn value(bytes: &Bytes, at: usize, slot: Slot, out: &mut Builder<'_>) -> Result<usize, Fault> {
    slot.shallow(at)?;
    let (major, argument, behind) = head(bytes, at)?;
    match major {
        TAG => value(bytes, behind, Slot { depth: slot.depth + 1, ..slot }, out),
        LIST | MAP => {
            let kind = if major == LIST { Kind::List } else { Kind::Object };
            let node = out.add(slot.parent, slot.key.clone(), kind, bytes.span(at..behind));
            let (mut end, mut nth) = (behind, 0);
            loop {
                match argument {
                    Some(count) if nth >= count => break,
                    None if bytes.byte(end)? == BREAK => {
                        end += 1;
                        break;
                    }
                    _ => {}
                }
                let key = if major == MAP { Some(key_at(bytes, &mut end)?) } else { None };
                end = value(bytes, end, slot.below(node, key), out)?;
                nth += 1;
            }
            out.end(node, bytes.at(end));
            Ok(end)
        }
        _ => {
            let (style, end) = leaf(bytes, at)?;
            out.add(slot.parent, slot.key, Kind::Leaf(style), bytes.span(at..end));
            Ok(end)
        }
    }
}

/// How the leaf that begins here is written, and where it ends.
fn leaf(bytes: &Bytes, at: usize) -> Result<(Style, usize), Fault> {
    let (major, argument, behind) = head(bytes, at)?;
    Ok(match (major, argument) {
        (UNSIGNED | NEGATIVE, _) => (style(Packed::CborNumber), behind),
        (BYTES | TEXT, Some(length)) => {
            let end = behind.saturating_add(length);
            let is_text = std::str::from_utf8(bytes.get(behind..end)?).is_ok();
            (if is_text { style(Packed::CborText) } else { Style::Fixed }, end)
        }
        (BYTES | TEXT, None) => {
            let mut end = behind;
            while bytes.byte(end)? != BREAK {
                match head(bytes, end)? {
                    (piece, Some(length), behind) if piece == major => end = behind.saturating_add(length),
                    _ => return Err(Fault::new(end, "a piece of a text is none")),
                }
            }
            let is_text = read(bytes.get(at..end + 1)?).is_some();
            (if is_text { style(Packed::CborText) } else { Style::Fixed }, end + 1)
        }
        _ => match bytes.byte(at)? {
            0xf4 | 0xf5 => (style(Packed::CborWord), behind),
            0xf9..=0xfb if read(bytes.get(at..behind)?).is_some() => (style(Packed::CborNumber), behind),
            _ => (Style::Fixed, behind),
        },
    })
}

/// The key that begins at `end`, which stands behind it afterwards.
fn key_at(bytes: &Bytes, end: &mut usize) -> Result<Key, Fault> {
    let at = *end;
    match leaf(bytes, at)? {
        (style @ Style::Packed(Packed::CborText | Packed::CborNumber), behind) => {
            *end = behind;
            Ok(Key::new(bytes.span(at..behind), style))
        }
        _ => Err(Fault::new(at, "a key is neither text nor a number")),
    }
}

/// A number with a fraction in two bytes (RFC 8949, appendix D).
fn half(bits: u16) -> f64 {
    let (exponent, fraction) = (i32::from(bits >> 10 & 0x1f), f64::from(bits & 0x3ff));
    let size = match exponent {
        0 => fraction * 2_f64.powi(-24),
        31 => f64::NAN,
        _ => (fraction + 1024.0) * 2_f64.powi(exponent - 25),
    };
    if bits & 0x8000 == 0 { size } else { -size }
}

/// Major type, argument, and the bytes behind them.
fn split(raw: &[u8]) -> Option<(u8, u64, &[u8])> {
    let (first, rest) = raw.split_first()?;
    let info = first & 0x1f;
    if info < 24 {
        return Some((first >> 5, u64::from(info), rest));
    }
    let (argument, rest) = rest.split_at_checked(1 << info.checked_sub(24).filter(|n| *n < 4)?)?;
    Some((first >> 5, number(argument, false), rest))
}

pub(super) fn read(raw: &[u8]) -> Option<String> {
    match raw {
        [0x5f | 0x7f, pieces @ .., BREAK] => {
            let (mut text, mut rest) = (Vec::new(), pieces);
            while !rest.is_empty() {
                let (_, length, behind) = split(rest)?;
                let (piece, behind) = behind.split_at_checked(usize::try_from(length).ok()?)?;
                text.extend_from_slice(piece);
                rest = behind;
            }
            return String::from_utf8(text).ok();
        }
        [0xf4] => return Some("false".into()),
        [0xf5] => return Some("true".into()),
        [0xf9, a, b] => return float_text(half(u16::from_be_bytes([*a, *b]))),
        [0xfa, a, b, c, d] => return float_text(f32::from_be_bytes([*a, *b, *c, *d]).into()),
        [0xfb, rest @ ..] => return float_text(f64::from_be_bytes(rest.try_into().ok()?)),
        _ => {}
    }
    match split(raw)? {
        (UNSIGNED, number, _) => Some(number.to_string()),
        (NEGATIVE, number, _) => Some((-1 - i128::from(number)).to_string()),
        (BYTES | TEXT, _, text) => String::from_utf8(text.to_vec()).ok(),
        _ => None,
    }
}

/// Type and argument, in as many bytes as stood there if those were more than were needed.
fn written(major: u8, argument: u64, old: Option<(u8, u64)>) -> Vec<u8> {
    let least = |number: u64| match number {
        0..=23 => u8::try_from(number).unwrap_or_default(),
        24..=0xff => 24,
        0x100..=0xffff => 25,
        0x1_0000..=0xffff_ffff => 26,
        _ => 27,
    };
    let kept = old.map(|(info, number)| (info, least(number))).filter(|(info, needed)| *info >= 24 && info > needed);
    let info = least(argument);
    let info = kept.map_or(info, |(kept, _)| if info < 24 { kept } else { info.max(kept) });
    let width = if info < 24 { 0 } else { 1 << (info - 24) };
    std::iter::once(major << 5 | info).chain(argument.to_be_bytes().into_iter().skip(8 - width)).collect()
}

/// What the first byte says of the argument's width, and the argument.
fn stood(old: &[u8]) -> Option<(u8, u64)> {
    let (_, number, _) = split(old)?;
    Some((old.first()? & 0x1f, number))
}

pub(super) fn write_text(new: &str, old: &[u8]) -> Option<Vec<u8>> {
    let head = written(*old.first()? >> 5, new.len() as u64, stood(old));
    Some([&head, new.as_bytes()].concat())
}

pub(super) fn write_number(new: &str, old: &[u8]) -> Option<Vec<u8>> {
    let number: i128 = new.parse().ok()?;
    match *old.first()? {
        0xf9 | 0xfb => Some([&[0xfb][..], &exact_float(number)?.to_be_bytes()].concat()),
        0xfa => {
            let float = exact_short_float(number)?;
            Some([&[0xfa][..], &float.to_be_bytes()].concat())
        }
        _ if number < 0 => Some(written(NEGATIVE, u64::try_from(-1 - number).ok()?, stood(old))),
        _ => Some(written(UNSIGNED, u64::try_from(number).ok()?, stood(old))),
    }
}
