//! Binary property lists (version 00): objects that refer to one another by number, a table of where each stands, and at the end how wide
//! those numbers are. An object that stands for several values is read as each of them, and can only be changed as all of them.

use std::ops::Range;

use super::bytes::{Bytes, number};
use super::{Slot, exact_float, float_text, style};
use crate::record::tree::{Builder, Fault, Key, Kind, Packed, Style, Table};

const HEAD: &[u8] = b"bplist00";

/// Bytes of the end: five unused, one of the sort, two widths, and three numbers of eight.
const END: usize = 32;

pub(super) fn may_begin(bytes: &[u8]) -> bool {
    bytes.starts_with(HEAD)
}

struct Objects<'b> {
    bytes: &'b Bytes,
    /// Where each object stands.
    at: Vec<usize>,
    /// Bytes of a reference.
    width: usize,
    /// Nodes that may still be added: what is referred to again and again is not followed for ever.
    left: usize,
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    let length = bytes.len();
    if bytes.get(0..length.min(HEAD.len()))? != HEAD || length < HEAD.len() + END {
        return Err(Fault::new(0, "it is no binary property list"));
    }
    let end = bytes.get(length - END..length)?;
    let wide = |n: usize| end.get(n..n + 8).map_or(u64::MAX, |bytes| number(bytes, false));
    let (offset_width, width) = (usize::from(bytes.byte(length - 26)?), usize::from(bytes.byte(length - 25)?));
    let counts = [wide(8), wide(16), wide(24)].map(|n| usize::try_from(n).unwrap_or(usize::MAX));
    let [count, top, table] = counts;
    let is_table = count.checked_mul(offset_width).and_then(|size| size.checked_add(table)) == Some(length - END);
    if !is_table || !(1..=8).contains(&offset_width) || !(1..=8).contains(&width) {
        return Err(Fault::new(length - END, "its end doesn't fit its objects"));
    }
    let offset = |n: usize| bytes.length(table + n * offset_width, offset_width, false);
    let at = (0..count).map(offset).collect::<Result<Vec<_>, _>>()?;
    if at.iter().any(|at| !(HEAD.len()..table).contains(at)) {
        return Err(Fault::new(table, "an object stands outside of them"));
    }
    let mut objects = Objects { bytes, at, width, left: length.saturating_mul(4) };
    objects.stand_apart(table)?;
    out.table(Table { at: bytes.span(table..length), targets: objects.at.iter().map(|at| bytes.at(*at)).collect() });
    objects.add(top, Slot::default(), out)
}

impl Objects<'_> {
    fn place(&self, object: usize) -> Result<usize, Fault> {
        self.at.get(object).copied().ok_or_else(|| Fault::new(0, "it refers to an object that doesn't exist"))
    }

    /// Length or count of an object, and where what it counts begins.
    fn count(&self, at: usize) -> Result<(usize, usize), Fault> {
        match self.bytes.byte(at)? & 0x0f {
            0x0f => {
                let kind = self.bytes.byte(at + 1)?;
                if kind >> 4 != 1 || kind & 0x0f > 3 {
                    return Err(Fault::new(at, "a length is no number"));
                }
                let width = 1 << (kind & 0x0f);
                Ok((self.bytes.length(at + 2, width, false)?, at + 2 + width))
            }
            count => Ok((usize::from(count), at + 1)),
        }
    }

    fn end(&self, from: usize, count: usize, size: usize) -> Result<usize, Fault> {
        let end = count.checked_mul(size).and_then(|length| length.checked_add(from));
        let end = end.ok_or_else(|| Fault::new(from, "a length is larger than the file"))?;
        self.bytes.get(from..end).map(|_| end)
    }

    fn references(&self, from: usize, count: usize) -> Result<Vec<usize>, Fault> {
        self.end(from, count, self.width)?;
        (0..count).map(|n| self.bytes.length(from + n * self.width, self.width, false)).collect()
    }

    /// That no object stands in another one, or in the table.
    fn stand_apart(&self, table: usize) -> Result<(), Fault> {
        let mut all = self.at.iter().map(|at| Ok((*at, self.extent(*at)?))).collect::<Result<Vec<_>, Fault>>()?;
        all.sort_unstable();
        let ends = all.iter().map(|(at, _)| *at).skip(1).chain([table]);
        match all.iter().zip(ends).find(|((_, end), next)| end > next) {
            Some(((at, _), _)) => Err(Fault::new(*at, "an object stands in another one")),
            None => Ok(()),
        }
    }

    /// Where an object ends.
    fn extent(&self, at: usize) -> Result<usize, Fault> {
        let kind = self.bytes.byte(at)? >> 4;
        if !matches!(kind, 0xa | 0xd) {
            return self.leaf(at).map(|(span, _)| span.end);
        }
        let (count, from) = self.count(at)?;
        self.end(from, count, if kind == 0xd { 2 * self.width } else { self.width })
    }

    /// Where an object ends that holds no others, and how it is written.
    fn leaf(&self, at: usize) -> Result<(Range<usize>, Style), Fault> {
        let kind = self.bytes.byte(at)?;
        let (end, packed) = match (kind >> 4, kind & 0x0f) {
            (0, 8 | 9) => (at + 1, Some(Packed::ListWord)),
            (0, _) => (at + 1, None),
            (1, n @ 0..=3) => (at + 1 + (1 << n), Some(Packed::ListNumber)),
            (1 | 2, n) => (at + 1 + (1 << n.min(5)), (kind >> 4 == 2).then_some(Packed::ListNumber)),
            (3, _) => (at + 9, None),
            (8, n) => (at + 2 + usize::from(n), None),
            (what @ (4..=6), _) => {
                let (count, from) = self.count(at)?;
                let end = self.end(from, count, if what == 6 { 2 } else { 1 })?;
                (end, (what != 4).then_some(Packed::ListText))
            }
            _ => return Err(Fault::new(at, "an object is of no known kind")),
        };
        let raw = self.bytes.get(at..end)?;
        Ok((at..end, packed.filter(|_| read(raw).is_some()).map_or(Style::Fixed, style)))
    }

    fn add(&mut self, object: usize, slot: Slot, out: &mut Builder<'_>) -> Result<(), Fault> {
        let at = self.place(object)?;
        self.left = self.left.checked_sub(1).ok_or_else(|| Fault::new(at, "it refers to itself"))?;
        slot.shallow(at)?;
        match self.bytes.byte(at)? >> 4 {
            0xa => {
                let (count, from) = self.count(at)?;
                let inner = self.references(from, count)?;
                let node = out.add(slot.parent, slot.key.clone(), Kind::List, self.bytes.span(at..from));
                inner.into_iter().try_for_each(|object| self.add(object, slot.below(node, None), out))
            }
            0xd => {
                let (count, from) = self.count(at)?;
                let keys = self.references(from, count)?;
                let values = self.references(from + count * self.width, count)?;
                let node = out.add(slot.parent, slot.key.clone(), Kind::Object, self.bytes.span(at..from));
                for (key, value) in keys.into_iter().zip(values) {
                    let (span, written) = self.leaf(self.place(key)?)?;
                    if written != style(Packed::ListText) {
                        return Err(Fault::new(span.start, "a key is no text"));
                    }
                    // Dictionaries share their keys: one is never written anew.
                    let key = Key::new(self.bytes.span(span), style(Packed::ListKey));
                    self.add(value, slot.below(node, Some(key)), out)?;
                }
                Ok(())
            }
            _ => {
                let (span, style) = self.leaf(at)?;
                out.add(slot.parent, slot.key, Kind::Leaf(style), self.bytes.span(span));
                Ok(())
            }
        }
    }
}

pub(super) fn read(raw: &[u8]) -> Option<String> {
    let kind = *raw.first()?;
    let text = || {
        let skip = if kind & 0x0f == 0x0f { 2 + (1 << (raw.get(1)? & 0x0f)) } else { 1 };
        raw.get(skip..)
    };
    match kind >> 4 {
        0 => Some(if kind == 9 { "true" } else { "false" }.into()),
        1 => {
            // Only eight bytes have a sign.
            let bytes = raw.get(1..)?;
            let value = number(bytes, false);
            Some(if bytes.len() == 8 { value.cast_signed().to_string() } else { value.to_string() })
        }
        2 if raw.len() == 5 => float_text(f32::from_be_bytes(raw.get(1..)?.try_into().ok()?).into()),
        2 => float_text(f64::from_be_bytes(raw.get(1..)?.try_into().ok()?)),
        5 => text().filter(|text| text.is_ascii()).and_then(|text| String::from_utf8(text.to_vec()).ok()),
        _ => {
            let units = text()?.as_chunks().0.iter().map(|pair| u16::from_be_bytes(*pair));
            char::decode_utf16(units).collect::<Result<String, _>>().ok()
        }
    }
}

fn whole(number: i64) -> Vec<u8> {
    let bytes = number.to_be_bytes();
    let width: usize = match number {
        0..=0xff => 1,
        0x100..=0xffff => 2,
        0x1_0000..=0xffff_ffff => 4,
        _ => 8,
    };
    let begins = u8::try_from(0x10 | width.trailing_zeros()).unwrap_or_default();
    std::iter::once(begins).chain(bytes.into_iter().skip(8 - width)).collect()
}

pub(super) fn write(packed: Packed, new: &str, old: &[u8]) -> Option<Vec<u8>> {
    if packed == Packed::ListNumber {
        return match (old.first()? >> 4, old.len()) {
            (1, _) => Some(whole(new.parse().ok()?)),
            (_, 9) => Some([&[*old.first()?][..], &exact_float(new.parse().ok()?)?.to_be_bytes()].concat()),
            _ => None,
        };
    }
    let (kind, count, bytes) = if new.is_ascii() {
        (0x50, new.len(), new.as_bytes().to_vec())
    } else {
        let units: Vec<u16> = new.encode_utf16().collect();
        (0x60, units.len(), units.iter().flat_map(|unit| unit.to_be_bytes()).collect())
    };
    let head = match u8::try_from(count) {
        Ok(few @ ..15) => vec![kind | few],
        _ => [&[kind | 0x0f][..], &whole(i64::try_from(count).ok()?)].concat(),
    };
    Some([head, bytes].concat())
}

/// The table and the end for objects that stand at `targets`, in the place of `old`.
pub(super) fn table(old: &[u8], table: usize, targets: &[usize]) -> Option<Vec<u8>> {
    let end = old.get(old.len().checked_sub(END)?..)?;
    let largest = targets.iter().copied().max().unwrap_or_default().max(table) as u64;
    let needed = (1..=8).find(|width| *width == 8 || largest < 1 << (8 * width))?;
    // Widths that were never needed are a writer's habit.
    let width = needed.max(usize::from(*end.get(6)?).min(8));
    let mut new: Vec<u8> =
        targets.iter().flat_map(|at| (*at as u64).to_be_bytes().into_iter().skip(8 - width)).collect();
    new.extend_from_slice(end.get(..6)?);
    new.push(u8::try_from(width).ok()?);
    new.extend_from_slice(end.get(7..24)?);
    new.extend_from_slice(&(table as u64).to_be_bytes());
    Some(new)
}
