//! Bencode: `5:texts`, `i7e`, `l…e`, `d…e`. Keys keep their texts, for readers look for them in their order.

use super::bytes::Bytes;
use super::{Slot, style};
use crate::record::tree::{Builder, Fault, Key, Kind, Packed, Style};

pub(super) fn may_begin(bytes: &[u8]) -> bool {
    matches!(bytes, [b'd', b'0'..=b'9', ..] | [b'l', b'0'..=b'9' | b'd' | b'l' | b'i', ..])
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let end = value(bytes, 0, Slot::default(), out)?;
    // Some end the file as a line.
    match bytes.get(end..bytes.len())? {
        b"" | b"\n" | b"\r\n" => Ok(()),
        _ => Err(Fault::new(end, "something follows the last value")),
    }
}

fn value(bytes: &Bytes, at: usize, slot: Slot, out: &mut Builder<'_>) -> Result<usize, Fault> {
    slot.shallow(at)?;
    match bytes.byte(at)? {
        kind @ (b'd' | b'l') => {
            let shape = if kind == b'd' { Kind::Object } else { Kind::List };
            let node = out.add(slot.parent, slot.key.clone(), shape, bytes.span(at..at + 1));
            let mut end = at + 1;
            while bytes.byte(end)? != b'e' {
                let key = if kind == b'd' {
                    let (behind, is_text) = text(bytes, end)?;
                    if !is_text {
                        return Err(Fault::new(end, "a key is no text"));
                    }
                    let key = Key::new(bytes.span(end..behind), style(Packed::BencodeKey));
                    end = behind;
                    Some(key)
                } else {
                    None
                };
                end = value(bytes, end, slot.below(node, key), out)?;
            }
            out.end(node, bytes.at(end + 1));
            Ok(end + 1)
        }
        b'i' => {
            let rest = bytes.get(at + 1..bytes.len().min(at + 24))?;
            let length = rest.iter().position(|byte| *byte == b'e');
            let number = length.and_then(|length| std::str::from_utf8(rest.get(..length)?).ok());
            let Some(number) = number.filter(|text| text.parse::<i64>().is_ok()) else {
                return Err(Fault::new(at, "a number is none"));
            };
            let end = at + 1 + number.len() + 1;
            out.add(slot.parent, slot.key, Kind::Leaf(style(Packed::BencodeNumber)), bytes.span(at..end));
            Ok(end)
        }
        _ => {
            let (end, is_text) = text(bytes, at)?;
            let kind = Kind::Leaf(if is_text { style(Packed::BencodeText) } else { Style::Fixed });
            out.add(slot.parent, slot.key, kind, bytes.span(at..end));
            Ok(end)
        }
    }
}

/// Where a text ends, and whether it is text.
fn text(bytes: &Bytes, at: usize) -> Result<(usize, bool), Fault> {
    let rest = bytes.get(at..bytes.len().min(at + 20))?;
    let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
    let length = rest.get(..digits).and_then(|digits| std::str::from_utf8(digits).ok()?.parse::<usize>().ok());
    match (length, rest.get(digits)) {
        (Some(length), Some(b':')) => {
            let start = at + digits + 1;
            let end = start.saturating_add(length);
            Ok((end, std::str::from_utf8(bytes.get(start..end)?).is_ok()))
        }
        _ => Err(Fault::new(at, "a text has no length")),
    }
}

pub(super) fn read(raw: &[u8]) -> Option<String> {
    let text = if let [b'i', number @ .., b'e'] = raw {
        number
    } else {
        raw.get(raw.iter().position(|byte| *byte == b':')? + 1..)?
    };
    String::from_utf8(text.to_vec()).ok()
}

pub(super) fn write(new: &str, old: &[u8]) -> Option<Vec<u8>> {
    if old.first() == Some(&b'i') {
        return Some(format!("i{}e", new.parse::<i64>().ok()?).into_bytes());
    }
    Some(format!("{}:{new}", new.len()).into_bytes())
}
