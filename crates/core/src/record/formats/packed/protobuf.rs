//! Protocol buffers as they are on the wire (Protocol Buffers, "Encoding"), without their schema: fields have numbers. What holds messages
//! is a list of them, and so is what comes more than once in a message: `$['1'][0]['2']`.
//!
//! What a length stands before may be a text, a message, or bytes. Which one it is, is told for all that stands in one field together: all
//! of them have to be text, or all of them messages that fit exactly. What may be either is left as bytes.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use super::bytes::Bytes;
use super::{style, varint};
use crate::record::tree::{Builder, Counted, Fault, Key, Kind, Packed, Style};

/// How deep messages are looked for in messages.
const DEEPEST: usize = 32;

/// The largest number of a field that is taken for one: what is no protocol buffer soon has a larger one.
const LARGEST_FIELD: u64 = 2047;

/// Bytes of the longest number of a field and the length behind it.
const LONGEST_HEAD: usize = 20;

pub(super) fn may_begin(start: &[u8], length: u64) -> bool {
    // The first field has a small number. What stands behind it may end beyond what is there of the file.
    let begins = matches!(start.first(), Some(byte) if *byte >= 8 && *byte < 0x80);
    let mut at = 0;
    while begins && at + LONGEST_HEAD <= start.len() {
        match field(start, at) {
            Ok(field) => at = field.end,
            Err(_) => return counted_end(start, at).is_some_and(|end| end > start.len() && end as u64 <= length),
        }
    }
    begins && length >= 8 && (at > 0 || start.len() < LONGEST_HEAD)
}

/// Where a field with a length ends, were there no more of it.
fn counted_end(bytes: &[u8], at: usize) -> Option<usize> {
    let (tag, behind) = varint::read(bytes, at).ok()?;
    let (length, from) = varint::read(bytes, behind).ok()?;
    (tag & 7 == 2 && (1..=LARGEST_FIELD).contains(&(tag >> 3)))
        .then(|| from.checked_add(usize::try_from(length).ok()?))?
}

/// A field as it stands on the wire.
struct Field {
    number: u64,
    /// Where its number and kind stand.
    tag: Range<usize>,
    value: Value,
    end: usize,
}

enum Value {
    Number,
    Fixed,
    Counted(Range<usize>),
}

fn field(bytes: &[u8], at: usize) -> Result<Field, Fault> {
    let short = || Fault::new(at, "the bytes end in the middle of a field");
    let (tag, behind) = varint::read(bytes, at)?;
    let number = tag >> 3;
    if number == 0 || number > LARGEST_FIELD {
        return Err(Fault::new(at, "a field has no number"));
    }
    let (value, end) = match tag & 7 {
        0 => (Value::Number, varint::read(bytes, behind)?.1),
        1 => (Value::Fixed, behind + 8),
        2 => {
            let (length, from) = varint::read(bytes, behind)?;
            let end = usize::try_from(length).ok().and_then(|length| from.checked_add(length)).ok_or_else(short)?;
            (Value::Counted(from..end), end)
        }
        5 => (Value::Fixed, behind + 4),
        _ => return Err(Fault::new(at, "a field is of no known kind")),
    };
    if end > bytes.len() { Err(short()) } else { Ok(Field { number, tag: at..behind, value, end }) }
}

/// The fields of a message, if they are all of it.
fn fields(bytes: &[u8], message: &Range<usize>) -> Result<Vec<Field>, Fault> {
    let own = bytes.get(..message.end).unwrap_or_default();
    let mut all = Vec::new();
    let mut at = message.start;
    while at < message.end {
        let field = field(own, at)?;
        at = field.end;
        all.push(field);
    }
    Ok(all)
}

/// What stands in a field, in all messages of one kind.
#[derive(Default)]
struct Schema {
    /// Where lengths stand before it.
    counted: Counts,
    /// Whether it comes more than once in one of them.
    repeated: bool,
}

/// What stands behind the lengths of a field.
#[derive(Default)]
enum Counts {
    Text,
    Message(Fields),
    #[default]
    Bytes,
}

/// Fields by their number.
type Fields = BTreeMap<u64, Schema>;

impl Schema {
    fn is_list(&self) -> bool {
        self.repeated || matches!(self.counted, Counts::Message(_))
    }
}

/// What the fields of these messages are, which are all of one kind.
fn schema(bytes: &[u8], messages: &[Range<usize>], depth: usize) -> Fields {
    let mut all = Fields::new();
    let mut counted: BTreeMap<u64, Vec<Range<usize>>> = BTreeMap::new();
    for message in messages {
        let mut seen = BTreeSet::new();
        for field in fields(bytes, message).unwrap_or_default() {
            let again = !seen.insert(field.number);
            all.entry(field.number).or_default().repeated |= again;
            if let Value::Counted(range) = field.value {
                counted.entry(field.number).or_default().push(range);
            }
        }
    }
    for (number, ranges) in counted {
        all.entry(number).or_default().counted = kind_of(bytes, &ranges, depth);
    }
    all
}

fn kind_of(bytes: &[u8], all: &[Range<usize>], depth: usize) -> Counts {
    let said: Vec<&Range<usize>> = all.iter().filter(|range| !range.is_empty()).collect();
    let texts = said.iter().all(|range| bytes.get((*range).clone()).is_some_and(is_text));
    let read: Vec<Vec<Field>> = said.iter().map_while(|range| fields(bytes, range).ok()).collect();
    let messages = depth < DEEPEST && !said.is_empty() && read.len() == said.len();
    match (texts, messages) {
        (true, false) => Counts::Text,
        (true, true) => {
            // No text begins with the end of a line, and hardly one is a chain of fields that ends where it does.
            let begins = said.iter().all(|range| bytes.get(range.start).is_some_and(|byte| *byte < b' '));
            let nests = read.iter().flatten().any(|field| matches!(field.value, Value::Counted(_)));
            match (begins, nests) {
                (true, _) => Counts::Message(schema(bytes, all, depth + 1)),
                (false, true) => Counts::Bytes,
                (false, false) => Counts::Text,
            }
        }
        (false, true) => Counts::Message(schema(bytes, all, depth + 1)),
        (false, false) => Counts::Bytes,
    }
}

fn is_text(bytes: &[u8]) -> bool {
    std::str::from_utf8(bytes)
        .is_ok_and(|text| !text.chars().any(|c| c.is_control() && !matches!(c, '\t' | '\n' | '\r')))
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let all = bytes.get(0..bytes.len())?;
    let whole = 0..bytes.len();
    fields(all, &whole)?;
    let schema = schema(all, std::slice::from_ref(&whole), 0);
    let root = out.add(None, None, Kind::Object, bytes.span(whole.clone()));
    message((bytes, all), &whole, root, &schema, out)
}

/// Adds the fields of a message below its node: a list for each number.
fn message(
    (bytes, all): (&Bytes, &[u8]),
    range: &Range<usize>,
    node: u32,
    schema: &Fields,
    out: &mut Builder<'_>,
) -> Result<(), Fault> {
    let mut lists: BTreeMap<u64, u32> = BTreeMap::new();
    for field in fields(all, range)? {
        let known = schema.get(&field.number);
        let key = || Key::new(bytes.span(field.tag.clone()), style(Packed::ProtobufField));
        let own = bytes.span(field.tag.end..field.end);
        let (parent, own_key) = if known.is_some_and(Schema::is_list) {
            let list = || out.add(Some(node), Some(key()), Kind::List, own.clone());
            (*lists.entry(field.number).or_insert_with(list), None)
        } else {
            (node, Some(key()))
        };
        let style = match (&field.value, known.map(|known| &known.counted)) {
            (Value::Number, _) => style(Packed::ProtobufNumber),
            (Value::Counted(_), Some(Counts::Text)) => style(Packed::ProtobufText),
            (Value::Counted(range), Some(Counts::Message(schema))) => {
                let node = out.add(Some(parent), own_key, Kind::Object, bytes.span(range.clone()));
                let at = bytes.span(field.tag.end..range.start);
                out.counted(Counted { at, counts: bytes.span(range.clone()), fixed: false });
                message((bytes, all), range, node, schema, out)?;
                continue;
            }
            _ => Style::Fixed,
        };
        out.add(Some(parent), own_key, Kind::Leaf(style), own);
    }
    Ok(())
}

pub(super) fn read(packed: Packed, raw: &[u8]) -> Option<String> {
    let (number, behind) = varint::read(raw, 0).ok()?;
    match packed {
        Packed::ProtobufField => Some((number >> 3).to_string()),
        Packed::ProtobufNumber => Some(number.to_string()),
        _ => String::from_utf8(raw.get(behind..)?.to_vec()).ok(),
    }
}

pub(super) fn write(packed: Packed, new: &str, old: &[u8]) -> Option<Vec<u8>> {
    let (_, behind) = varint::read(old, 0).ok()?;
    let stood = old.get(..behind)?;
    if packed == Packed::ProtobufNumber {
        return Some(varint::width_kept(new.parse().ok()?, stood));
    }
    Some([&varint::width_kept(new.len() as u64, stood), new.as_bytes()].concat())
}
