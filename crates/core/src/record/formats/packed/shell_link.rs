//! Shell links ([MS-SHLLINK]): the shortcuts of a Windows desktop and start menu, also of a compatibility layer's. The path stands in them
//! up to a dozen times: as a list of items from the desktop downwards, as a path of the code page and one of UTF-16, in texts of their own.
//!
//! Law: a list of items is read only if every item is a drive, a folder or a file with its long name; anything else in it is left. What an
//! item of a folder that stays says of it (its times, its short name) stays as well.

use std::ops::Range;

use encoding_rs::WINDOWS_1252;

use super::bytes::{Bytes, number};
use super::style;
use crate::record::tree::{Builder, Counted, Fault, GIVEN, Key, Kind, Packed, Shell, Style};

/// The size of the head, and the class of shell links.
const HEAD: [u8; 20] = [0x4c, 0, 0, 0, 1, 0x14, 2, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46];
const HEAD_SIZE: usize = 0x4c;

/// What the head says that there is.
mod flag {
    pub const ITEMS: u64 = 1;
    pub const INFO: u64 = 1 << 1;
    pub const UNICODE: u64 = 1 << 7;
}

/// Texts of a link, in their order, by the flag that says that there is one.
const TEXTS: [(u64, &str); 5] = [
    (1 << 2, "name"),
    (1 << 3, "relative_path"),
    (1 << 4, "working_dir"),
    (1 << 5, "arguments"),
    (1 << 6, "icon_location"),
];

/// Further blocks: texts with variables in them, for the target and for the icon, and where the items of a folder that is known by its
/// number end.
mod block {
    pub const ENVIRONMENT: u64 = 0xa000_0001;
    pub const SPECIAL_FOLDER: u64 = 0xa000_0005;
    pub const ICON_ENVIRONMENT: u64 = 0xa000_0007;
    pub const KNOWN_FOLDER: u64 = 0xa000_000b;
}

/// Bytes of a text in such a block, in the code page and in UTF-16, and of the block.
const NARROW: usize = 260;
const WIDE: usize = 520;
const ENVIRONMENT_SIZE: usize = 8 + NARROW + WIDE;

pub(super) fn may_begin(start: &[u8]) -> bool {
    start.starts_with(&HEAD)
}

fn given(name: &str) -> Key {
    let nth = GIVEN.iter().position(|known| *known == name).unwrap_or_default();
    Key::new(0..0, Style::Given(u8::try_from(nth).unwrap_or_default()))
}

struct Link<'b, 'o, 'k> {
    bytes: &'b Bytes,
    out: &'o mut Builder<'k>,
    root: u32,
}

pub(super) fn scan(bytes: &Bytes, out: &mut Builder<'_>) -> Result<(), Fault> {
    if bytes.get(0..HEAD_SIZE)?.get(..HEAD.len()) != Some(&HEAD) {
        return Err(Fault::new(0, "it is no shell link"));
    }
    let flags = number(bytes.get(20..24)?, true);
    let root = out.add(None, None, Kind::Object, bytes.span(0..bytes.len()));
    let blocks = blocks_of(bytes, flags)?;
    let mut link = Link { bytes, out, root };
    let mut at = HEAD_SIZE;
    if flags & flag::ITEMS != 0 {
        let end = at + 2 + bytes.length(at, 2, true)?;
        // A folder that its system knows by a number is put in place of the first items, wherever that folder lies by then.
        let by_number = blocks.iter().any(|(kind, _)| matches!(*kind, block::SPECIAL_FOLDER | block::KNOWN_FOLDER));
        let readable = !by_number && items_path(bytes.get(at..end)?).is_some();
        link.leaf("items", at..end, readable.then_some(Shell::Items));
        at = end;
    }
    if flags & flag::INFO != 0 {
        at = link.info(at)?;
    }
    let is_wide = flags & flag::UNICODE != 0;
    for (_, name) in TEXTS.iter().filter(|(flag, _)| flags & flag != 0) {
        let end = at + 2 + bytes.length(at, 2, true)? * if is_wide { 2 } else { 1 };
        link.text(name, at..end, if is_wide { Shell::CountedWide } else { Shell::Counted })?;
        at = end;
    }
    for (kind, span) in blocks {
        let from = span.start + 8;
        let middle = from + NARROW;
        let names = match kind {
            block::ENVIRONMENT => ["target_variable", "target_variable_unicode"],
            block::ICON_ENVIRONMENT => ["icon_variable", "icon_variable_unicode"],
            _ => {
                link.leaf("more", span, None);
                continue;
            }
        };
        if span.len() != ENVIRONMENT_SIZE {
            return Err(Fault::new(span.start, "a block has another size than its kind"));
        }
        link.text(names[0], from..middle, Shell::Field)?;
        link.text(names[1], middle..middle + WIDE, Shell::FieldWide)?;
    }
    Ok(())
}

/// The blocks behind the texts, by their kinds; what follows their end is one more.
fn blocks_of(bytes: &Bytes, flags: u64) -> Result<Vec<(u64, Range<usize>)>, Fault> {
    let mut at = HEAD_SIZE;
    if flags & flag::ITEMS != 0 {
        at += 2 + bytes.length(at, 2, true)?;
    }
    if flags & flag::INFO != 0 {
        at = at.saturating_add(bytes.length(at, 4, true)?);
    }
    let wide = if flags & flag::UNICODE != 0 { 2 } else { 1 };
    for _ in TEXTS.iter().filter(|(flag, _)| flags & flag != 0) {
        at = at.saturating_add(2).saturating_add(bytes.length(at, 2, true)? * wide);
    }
    bytes.get(at..at)?;
    let mut all = Vec::new();
    while at < bytes.len() {
        let size = bytes.length(at, 4, true)?;
        if size < 8 {
            at += 4;
            if size < 4 && at < bytes.len() {
                all.push((0, at..bytes.len()));
            }
            return if size < 4 { Ok(all) } else { Err(Fault::new(at - 4, "a block is shorter than its head")) };
        }
        let end = at.saturating_add(size);
        bytes.get(at..end)?;
        all.push((number(bytes.get(at + 4..at + 8)?, true), at..end));
        at = end;
    }
    // Some writers leave out the end.
    Ok(all)
}

impl Link<'_, '_, '_> {
    fn leaf(&mut self, name: &str, span: Range<usize>, shell: Option<Shell>) {
        let kind = Kind::Leaf(shell.map_or(Style::Fixed, |shell| style(Packed::Shell(shell))));
        self.out.add(Some(self.root), Some(given(name)), kind, self.bytes.span(span));
    }

    fn text(&mut self, name: &str, span: Range<usize>, shell: Shell) -> Result<(), Fault> {
        let is_text = read(shell, self.bytes.get(span.clone())?).is_some();
        self.leaf(name, span, is_text.then_some(shell));
        Ok(())
    }

    /// What the link says of the file's place, and where that ends.
    fn info(&mut self, start: usize) -> Result<usize, Fault> {
        let bytes = self.bytes;
        let end = start.saturating_add(bytes.length(start, 4, true)?);
        let head = bytes.length(start + 4, 4, true)?;
        if end < start + 0x1c || head < 0x1c || start.saturating_add(head) > end {
            return Err(Fault::new(start, "the place of a file doesn't end where it says"));
        }
        bytes.get(start..end)?;
        let is_local = number(bytes.get(start + 8..start + 12)?, true) & 1 != 0;
        self.out.counted(Counted { at: bytes.span(start..start + 4), counts: bytes.span(start..end), fixed: true });
        let has_wide = head >= 0x24;
        let fields = [
            (12, None),
            (16, is_local.then_some(("base_path", Shell::Text))),
            (20, None),
            (24, Some(("path_suffix", Shell::Text))),
            (28, (is_local && has_wide).then_some(("base_path_unicode", Shell::TextWide))),
            (32, has_wide.then_some(("path_suffix_unicode", Shell::TextWide))),
        ];
        for (field, text) in fields.into_iter().filter(|(field, _)| *field < head.min(0x24)) {
            let field = start + field;
            let offset = bytes.length(field, 4, true)?;
            if offset == 0 {
                continue;
            }
            let from = start.saturating_add(offset);
            if from < start + head || from >= end {
                return Err(Fault::new(field, "a part of the place stands outside of it"));
            }
            let counts = bytes.span(start..from);
            self.out.counted(Counted { at: bytes.span(field..field + 4), counts, fixed: true });
            let Some((name, shell)) = text else { continue };
            let is_wide = shell == Shell::TextWide;
            let rest = bytes.get(from..end)?;
            let length = if is_wide {
                rest.as_chunks::<2>().0.iter().position(|unit| *unit == [0, 0]).map(|units| 2 * units)
            } else {
                rest.iter().position(|byte| *byte == 0)
            };
            let length = length.ok_or_else(|| Fault::new(from, "a text has no end"))?;
            self.text(name, from..from + length, shell)?;
        }
        Ok(end)
    }
}

fn wide(bytes: &[u8]) -> Option<String> {
    let (units, []) = bytes.as_chunks() else { return None };
    char::decode_utf16(units.iter().map(|unit| u16::from_le_bytes(*unit))).collect::<Result<_, _>>().ok()
}

fn as_wide(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

/// A text of the code page, of which the link doesn't say which one it is.
fn narrow(bytes: &[u8]) -> String {
    let text = std::str::from_utf8(bytes).map(str::to_string);
    text.unwrap_or_else(|_| WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned())
}

/// The same where `old` stood: what is not ASCII is taken from there, or can't be written.
fn as_narrow(text: &str, old: &[u8]) -> Option<Vec<u8>> {
    if text.is_ascii() || (!old.is_ascii() && std::str::from_utf8(old).is_ok()) {
        return Some(text.as_bytes().to_vec());
    }
    let known = narrow(old);
    let is_known = text.chars().all(|c| c.is_ascii() || known.contains(c));
    let (bytes, _, lost) = WINDOWS_1252.encode(text);
    (is_known && !lost).then(|| bytes.into_owned())
}

/// What stands in a field before its first zero.
fn in_field(bytes: &[u8], is_wide: bool) -> &[u8] {
    let end = if is_wide {
        bytes.as_chunks::<2>().0.iter().position(|unit| *unit == [0, 0]).map(|units| 2 * units)
    } else {
        bytes.iter().position(|byte| *byte == 0)
    };
    bytes.get(..end.unwrap_or(bytes.len())).unwrap_or_default()
}

fn unended(mut text: String) -> String {
    if text.ends_with('\0') {
        text.pop();
    }
    text
}

pub(super) fn read(shell: Shell, raw: &[u8]) -> Option<String> {
    match shell {
        Shell::Items => items_path(raw),
        Shell::Text => Some(narrow(raw)),
        Shell::TextWide => wide(raw),
        Shell::Counted => Some(unended(narrow(raw.get(2..)?))),
        Shell::CountedWide => wide(raw.get(2..)?).map(unended),
        Shell::Field => Some(narrow(in_field(raw, false))),
        Shell::FieldWide => wide(in_field(raw, true)),
    }
}

pub(super) fn write(shell: Shell, new: &str, old: &[u8]) -> Option<Vec<u8>> {
    if new.contains('\0') {
        return None;
    }
    let counted = |mut text: Vec<u8>, width: usize| {
        // Some writers count a zero at the end as well.
        let zero = vec![0; width];
        if old.len() >= 2 + width && old.ends_with(&zero) {
            text.extend(zero);
        }
        let count = u16::try_from(text.len() / width).ok()?;
        Some([&count.to_le_bytes()[..], &text].concat())
    };
    // A field ends with a zero at least.
    let field = |text: Vec<u8>, zero: usize| {
        let room = old.len().checked_sub(text.len())?;
        (room >= zero).then(|| [text, vec![0; room]].concat())
    };
    match shell {
        Shell::Items => items_as(new, old),
        Shell::Text => as_narrow(new, old),
        Shell::TextWide => Some(as_wide(new)),
        Shell::Counted => counted(as_narrow(new, in_field(old.get(2..)?, false))?, 1),
        Shell::CountedWide => counted(as_wide(new), 2),
        Shell::Field => field(as_narrow(new, in_field(old, false))?, 1),
        Shell::FieldWide => field(as_wide(new), 2),
    }
}

/// My computer, where the drives are.
const COMPUTER: [u8; 16] =
    [0xe0, 0x4f, 0xd0, 0x20, 0xea, 0x3a, 0x69, 0x10, 0xa2, 0xd8, 0x08, 0x00, 0x2b, 0x30, 0x30, 0x9d];

/// What marks the long name of a folder or file.
const LONG_NAME: [u8; 4] = [4, 0, 0xef, 0xbe];

#[derive(Debug)]
enum Item {
    Computer,
    Drive(char),
    Entry { name: String, is_folder: bool },
}

/// The items of a list, each with its bytes.
fn items(raw: &[u8]) -> Option<Vec<(Item, &[u8])>> {
    let mut rest = raw.get(2..)?;
    let mut all = Vec::new();
    loop {
        let size = usize::from(u16::from_le_bytes(*rest.first_chunk()?));
        if size == 0 {
            return (rest.len() == 2).then_some(all);
        }
        let (item, more) = rest.split_at_checked(size)?;
        let kind = *item.get(2)?;
        let read = match kind {
            0x1f if item.get(4..20) == Some(&COMPUTER) && all.is_empty() => Item::Computer,
            0x20..=0x2f => match item.get(3..6)? {
                [letter, b':', b'\\' | 0] if letter.is_ascii_alphabetic() => Item::Drive(char::from(*letter)),
                _ => return None,
            },
            0x30..=0x3f => Item::Entry { name: entry_name(item)?, is_folder: kind & 1 != 0 },
            _ => return None,
        };
        all.push((read, item));
        rest = more;
    }
}

/// The long name of a folder or file.
fn entry_name(item: &[u8]) -> Option<String> {
    let extension = usize::from(u16::from_le_bytes(*item.last_chunk()?));
    let extension = item.get(extension..item.len() - 2).filter(|_| extension >= 14)?;
    let version = u16::from_le_bytes(*extension.get(2..4)?.first_chunk()?);
    let at = match (extension.get(4..8)? == LONG_NAME, version) {
        (true, 3..=6) => 20,
        (true, 7) => 38,
        (true, 8) => 42,
        (true, 9) => 46,
        // Compatibility layers leave out what marks it.
        (false, 0) if extension.get(4..8)? == [0; 4] => 20,
        _ => return None,
    };
    let name = wide(in_field(extension.get(at..)?, true))?;
    (!name.is_empty() && !name.contains(['\\', '/', ':'])).then_some(name)
}

/// The path that a list of items leads to.
fn items_path(raw: &[u8]) -> Option<String> {
    let mut items = items(raw)?.into_iter().peekable();
    items.next_if(|(item, _)| matches!(item, Item::Computer));
    let (Item::Drive(letter), _) = items.next()? else { return None };
    let mut path = format!("{letter}:");
    let mut in_folder = true;
    for (item, _) in items {
        let Item::Entry { name, is_folder } = item else { return None };
        // Nothing lies in a file.
        if !std::mem::replace(&mut in_folder, is_folder) {
            return None;
        }
        path.push('\\');
        path.push_str(&name);
    }
    (path.len() > 2).then_some(path)
}

/// The list of items that leads to `path`, where `raw` stood.
fn items_as(path: &str, raw: &[u8]) -> Option<Vec<u8>> {
    let old = items(raw)?;
    let mut names = path.split('\\');
    let letter = match names.next()?.as_bytes() {
        [letter, b':'] if letter.is_ascii_alphabetic() => char::from(*letter),
        _ => return None,
    };
    let names: Vec<&str> = names.collect();
    if names.is_empty() || names.iter().any(|name| name.is_empty() || name.contains(['/', ':'])) {
        return None;
    }
    let is_marked = raw.windows(4).any(|four| four == LONG_NAME);
    let entries: Vec<(&str, &[u8])> = old
        .iter()
        .filter_map(|(item, bytes)| match item {
            Item::Entry { name, .. } => Some((name.as_str(), *bytes)),
            Item::Computer | Item::Drive(_) => None,
        })
        .collect();
    let mut list = Vec::new();
    let mut same_drive = false;
    for (item, bytes) in &old {
        match item {
            Item::Computer => list.extend_from_slice(bytes),
            Item::Drive(old) => {
                same_drive = old.eq_ignore_ascii_case(&letter);
                let mut item = bytes.to_vec();
                if *old != letter {
                    *item.get_mut(3)? = letter as u8;
                }
                list.extend(item);
            }
            Item::Entry { .. } => {}
        }
    }
    // What stays: folders from the drive downwards, and what lies in the folder that moved.
    let alike = |pair: &(&(&str, &[u8]), &&str)| pair.0.0 == *pair.1;
    let before = if same_drive { entries.iter().zip(&names).take_while(alike).count() } else { 0 };
    let behind = entries.iter().skip(before).rev().zip(names.iter().skip(before).rev()).take_while(alike).count();
    let is_folder = |nth: usize| {
        nth + 1 < names.len() || old.last().is_some_and(|(item, _)| matches!(item, Item::Entry { is_folder: true, .. }))
    };
    entries.iter().take(before).for_each(|(_, bytes)| list.extend_from_slice(bytes));
    for (nth, name) in names.iter().enumerate().take(names.len() - behind).skip(before) {
        list.extend(entry(name, is_folder(nth), is_marked)?);
    }
    entries.iter().skip(entries.len() - behind).for_each(|(_, bytes)| list.extend_from_slice(bytes));
    list.extend([0, 0]);
    Some([&u16::try_from(list.len()).ok()?.to_le_bytes()[..], &list].concat())
}

/// The item of a folder or file of which no more is known than its name; whether what has its long name is marked as that.
fn entry(name: &str, is_folder: bool, is_marked: bool) -> Option<Vec<u8>> {
    let (kind, attributes) = if is_folder { (0x31, 0x10) } else { (0x32, 0x20) };
    // Size, date and time of the last change, attributes.
    let mut item = vec![0, 0, kind, 0, 0, 0, 0, 0, 0, 0, 0, 0, attributes, 0];
    item.extend(name.chars().map(|c| if c.is_ascii() { c as u8 } else { b'_' }));
    item.push(0);
    if item.len() % 2 == 1 {
        item.push(0);
    }
    let at = u16::try_from(item.len()).ok()?;
    let long = as_wide(name);
    let size = u16::try_from(20 + long.len() + 2 + 2).ok()?;
    item.extend(size.to_le_bytes());
    // The version and its mark; dates and times of its making and of the last look; 20 as all writers of this version have it; no
    // further name.
    let (version, mark, more) = if is_marked { (3, LONG_NAME, 0x14) } else { (0, [0; 4], 0) };
    item.extend([version, 0]);
    item.extend(mark);
    item.extend([0, 0, 0, 0, 0, 0, 0, 0, more, 0, 0, 0]);
    item.extend(long);
    item.extend([0, 0]);
    item.extend(at.to_le_bytes());
    let length = u16::try_from(item.len()).ok()?.to_le_bytes();
    item.splice(..2, length);
    Some(item)
}
