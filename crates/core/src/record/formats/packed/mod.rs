//! Formats of bytes that describe themselves: every text says its kind and its length before it.
//!
//! Law: a file is taken for one of them only if all its bytes are of the format, to the last one. What is written keeps the kind and,
//! where its value fits, the width of what stood there; lengths around it are kept true by the document.
//!
//! A document is text, so each byte stands for the character of its number (U+0000 to U+00FF) here.

mod bencode;
mod binary_list;
mod bson;
mod bytes;
mod cbor;
mod message_pack;
mod protobuf;
mod shell_link;
mod varint;

use std::borrow::Cow;

use serde_json::Value;

use self::bytes::Bytes;
use super::Format;
use crate::record::encoding::{bytes_of, text_of};
use crate::record::tree::{Builder, DEEPEST, Fault, Key, Kind, Packed, Style};

/// Where a value goes: below a node, under a key, and how deep.
#[derive(Clone, Debug, Default)]
struct Slot {
    parent: Option<u32>,
    key: Option<Key>,
    depth: usize,
}

impl Slot {
    /// The slot of a value within the one that is added as `parent`.
    fn below(&self, parent: u32, key: Option<Key>) -> Self {
        Self { parent: Some(parent), key, depth: self.depth + 1 }
    }

    /// Refuses what nests deeper than any file of a launcher does.
    fn shallow(&self, at: usize) -> Result<(), Fault> {
        if self.depth > DEEPEST { Err(Fault::new(at, "it nests too deep")) } else { Ok(()) }
    }
}

/// Adds the nodes of bytes, the root first.
pub(super) fn scan(text: &str, format: Format, out: &mut Builder<'_>) -> Result<(), Fault> {
    let bytes = Bytes::new(text);
    let scanned = match format {
        Format::Cbor => cbor::scan(&bytes, out),
        Format::Bencode => bencode::scan(&bytes, out),
        Format::Bson => bson::scan(&bytes, out),
        Format::Protobuf => protobuf::scan(&bytes, out),
        Format::BinaryPropertyList => binary_list::scan(&bytes, out),
        Format::ShellLink => shell_link::scan(&bytes, out),
        _ => message_pack::scan(&bytes, out),
    };
    scanned.map_err(|fault| Fault { at: bytes.at(fault.at), ..fault })
}

/// The packed formats that a file of this length may be in, by its first bytes: what is none is not read any further.
/// Adds one value, or a list of several that follow each other, each of which holds others.
fn one_or_many(
    bytes: &Bytes,
    out: &mut Builder<'_>,
    value: fn(&Bytes, usize, Slot, &mut Builder<'_>) -> Result<usize, Fault>,
    holds_others: &dyn Fn(usize) -> Result<bool, Fault>,
) -> Result<(), Fault> {
    let mut probe = Builder::default();
    if value(bytes, 0, Slot::default(), &mut probe)? == bytes.len() {
        return value(bytes, 0, Slot::default(), out).map(drop);
    }
    let root = out.add(None, None, Kind::List, bytes.span(0..bytes.len()));
    let mut at = 0;
    while at < bytes.len() {
        if !holds_others(at)? {
            return Err(Fault::new(at, "something follows the last value"));
        }
        at = value(bytes, at, Slot::default().below(root, None), out)?;
    }
    Ok(())
}

fn begun(start: &[u8], length: u64) -> impl Iterator<Item = Format> {
    let begins = move |format: &Format| match format {
        Format::MessagePack => message_pack::may_begin(start),
        Format::Cbor => cbor::may_begin(start),
        Format::Bencode => bencode::may_begin(start),
        Format::Bson => bson::may_begin(start, length),
        Format::Protobuf => protobuf::may_begin(start, length),
        Format::BinaryPropertyList => binary_list::may_begin(start),
        Format::ShellLink => shell_link::may_begin(start),
        _ => false,
    };
    Format::PACKED.into_iter().filter(begins)
}

/// Whether a file of this length may be in a packed format, by its first bytes.
pub(crate) fn packed_may_begin(start: &[u8], length: u64) -> bool {
    begun(start, length).next().is_some()
}

/// The packed format that all of these bytes are in, if they are in just one.
pub(crate) fn packed_format_of(bytes: &[u8]) -> Option<Format> {
    let may: Vec<Format> = begun(bytes, bytes.len() as u64).collect();
    if may.is_empty() {
        return None;
    }
    let text = text_of(bytes);
    let reads = |format: &Format| {
        let mut builder = Builder::for_text(text.len());
        scan(&text, *format, &mut builder).is_ok() && builder.has_text()
    };
    let reads: Vec<Format> = may.into_iter().filter(reads).collect();
    // Many bytes are a protocol buffer by chance; what says its kind for every value is not.
    match reads.as_slice() {
        [one] | [one, Format::Protobuf] => Some(*one),
        _ => None,
    }
}

/// Whether bytes that are text may begin one of these formats.
pub(crate) fn packed_is_like_text(start: &[u8]) -> bool {
    bencode::may_begin(start)
}

fn read(packed: Packed, raw: &[u8]) -> Option<String> {
    match packed {
        Packed::MessageText | Packed::MessageNumber | Packed::MessageWord => message_pack::read(raw),
        Packed::CborText | Packed::CborNumber | Packed::CborWord => cbor::read(raw),
        Packed::BencodeText | Packed::BencodeKey | Packed::BencodeNumber => bencode::read(raw),
        Packed::BsonText
        | Packed::BsonKey
        | Packed::BsonInt32
        | Packed::BsonInt64
        | Packed::BsonDouble
        | Packed::BsonWord => bson::read(packed, raw),
        Packed::ProtobufText | Packed::ProtobufNumber | Packed::ProtobufField => protobuf::read(packed, raw),
        Packed::ListText | Packed::ListKey | Packed::ListNumber | Packed::ListWord => binary_list::read(raw),
        Packed::Shell(shell) => shell_link::read(shell, raw),
    }
}

fn write(packed: Packed, new: &str, old: &[u8]) -> Option<Vec<u8>> {
    match packed {
        Packed::MessageText => message_pack::write_text(new, old),
        Packed::MessageNumber => message_pack::write_number(new, old),
        Packed::CborText => cbor::write_text(new, old),
        Packed::CborNumber => cbor::write_number(new, old),
        Packed::BencodeText | Packed::BencodeNumber => bencode::write(new, old),
        Packed::BsonText | Packed::BsonKey | Packed::BsonInt32 | Packed::BsonInt64 | Packed::BsonDouble => {
            bson::write(packed, new)
        }
        Packed::ProtobufText | Packed::ProtobufNumber => protobuf::write(packed, new, old),
        Packed::ListText | Packed::ListNumber => binary_list::write(packed, new, old),
        Packed::Shell(shell) => shell_link::write(shell, new, old),
        // Readers may rely on the order of keys in bencode; a field of a protocol buffer is its number.
        Packed::BencodeKey
        | Packed::MessageWord
        | Packed::CborWord
        | Packed::BsonWord
        | Packed::ProtobufField
        | Packed::ListKey
        | Packed::ListWord => None,
    }
}

/// A length as it is written where `old` stood, in four bytes or as a varint.
pub(crate) fn length_as(old: &str, count: u64, fixed: bool) -> String {
    let bytes = if fixed {
        u32::try_from(count).unwrap_or(u32::MAX).to_le_bytes().to_vec()
    } else {
        varint::width_kept(count, &bytes_of(old))
    };
    text_of(&bytes)
}

/// A table at the end of a file, in place of `old`, that says where things stand: it stands at `table` itself.
pub(crate) fn table_as(old: &str, table: usize, targets: &[usize]) -> Option<String> {
    binary_list::table(&bytes_of(old), table, targets).map(|bytes| text_of(&bytes))
}

pub(super) fn decode(packed: Packed, raw: &str) -> Cow<'_, str> {
    read(packed, &bytes_of(raw)).map_or(Cow::Borrowed(raw), Cow::Owned)
}

pub(super) fn encode(packed: Packed, new: &str, raw: &str) -> Option<String> {
    write(packed, new, &bytes_of(raw)).map(|bytes| text_of(&bytes))
}

pub(super) fn value(packed: Packed, raw: &str) -> Value {
    let text = decode(packed, raw);
    if packed.is_number() || packed.is_word() {
        return serde_json::from_str(&text).unwrap_or(Value::Null);
    }
    Value::String(text.into_owned())
}

/// A style of packed text, for the scanners.
const fn style(packed: Packed) -> Style {
    Style::Packed(packed)
}

/// The text of a number with a fraction: without one where it is whole, as the same number of another kind.
fn float_text(number: f64) -> Option<String> {
    /// Up to here every whole number is told from the next one.
    const WHOLE: f64 = 9_007_199_254_740_992.0;
    if !number.is_finite() {
        return None;
    }
    Some(if number.fract() == 0.0 && number.abs() < WHOLE { format!("{number:.0}") } else { number.to_string() })
}

#[expect(clippy::cast_possible_truncation, reason = "whether it is cut is what is asked")]
/// A whole number as one with a fraction, if it is exactly that.
fn exact_float(number: i128) -> Option<f64> {
    let float = number as f64;
    (float as i128 == number && number.unsigned_abs() < 1 << 53).then_some(float)
}

/// The short float that is this number, if there is one.
#[expect(clippy::cast_possible_truncation, reason = "whether it is cut is what is asked")]
fn exact_short_float(number: i128) -> Option<f32> {
    let float = exact_float(number)? as f32;
    (float as i128 == number).then_some(float)
}

#[cfg(test)]
mod tests;
