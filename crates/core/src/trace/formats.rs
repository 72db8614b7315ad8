//! What a file may be read as, by its name and by what it begins with.

use super::left::has_controls;
use crate::platform::{self, Look};
use crate::record::Encoding;
use crate::record::Format;
use crate::record::Shape;
use crate::record::packed_format_of;
use crate::record::packed_is_like_text;
use crate::record::packed_may_begin;
use std::path::Path;

/// Bytes by which a file is told to be text or not.
const START: usize = 4096;

pub(super) fn start_of(file: &Path) -> Vec<u8> {
    use std::io::Read;
    let mut start = vec![0; START];
    let count = platform::open(file).and_then(|mut open| open.read(&mut start)).unwrap_or(0);
    start.truncate(count);
    start
}

pub(super) fn is_binary(file: &Path) -> bool {
    let start = start_of(file);
    let whole = start.len() < START;
    // The last character of what was read may be cut in two.
    let is_text = |cut: usize| Encoding::read(start[..start.len() - cut].to_vec()).is_ok();
    let cuts = if whole { 1 } else { 4.min(start.len() + 1) };
    !(0..cuts).any(is_text)
}

/// Bytes of the largest file that is looked at for a format of bytes.
const LARGEST_PACKED: u64 = 16 << 20;

/// The format of bytes that a file is in, of which `start` are the first ones.
fn packed_format(file: &Path, start: &[u8], is_text: bool) -> Option<Format> {
    if start.is_empty() || (is_text && !has_controls(start) && !packed_is_like_text(start)) {
        return None;
    }
    let length = file.look_meta().ok()?.size;
    if length > LARGEST_PACKED || !packed_may_begin(start, length) {
        return None;
    }
    packed_format_of(&platform::read(file).ok()?)
}

pub(super) fn is_packed(shape: Shape) -> bool {
    shape.format().is_some_and(Format::is_packed)
}

/// What a file may be, the likeliest first: by how it begins, then by its name, at last a list of lines.
pub(crate) fn shapes(file: &Path) -> Vec<Shape> {
    shapes_tried(file).0
}

/// The same, and which of them is only tried: a list in brackets may be the head of a section as well.
pub(super) fn shapes_tried(file: &Path) -> (Vec<Shape>, Option<Shape>) {
    let start = start_of(file);
    if start.starts_with(b"SQLite format 3\0") {
        return (vec![Shape::Sqlite], None);
    }
    let text = (0..4.min(start.len() + 1)).find_map(|cut| Encoding::read(start[..start.len() - cut].to_vec()).ok());
    if let Some(packed) = packed_format(file, &start, text.is_some()) {
        return (vec![Shape::Text(packed)], None);
    }
    let text = text.map_or_else(String::new, |(_, text)| text);
    let begun = text.trim_start();
    let mut all = Vec::new();
    let mut tried = None;
    let by_name = Format::of_name(file);
    // A document in the last column of a row opens no block.
    let nested = Format::looks_nested(begun) && !is_all_rows(begun);
    if begun.starts_with("WINE REGISTRY") || begun.starts_with("Windows Registry") || begun.starts_with("REGEDIT4") {
        all.push(Format::Hive);
    } else if begun.starts_with('<') {
        if begun.contains("<key>") {
            all.push(Format::PropertyList);
            tried = Some(Shape::Text(Format::PropertyList));
        }
        all.push(Format::Xml);
    } else if begun.starts_with("[Desktop Entry]") {
        all.push(Format::Desktop);
    } else if by_name == Format::Json || begun.starts_with('{') {
        all.extend([Format::Jsonc, Format::JsonLines, Format::Nested]);
    } else if begun.starts_with('[') {
        all.push(Format::Jsonc);
        tried = Some(Shape::Text(Format::Jsonc));
    }
    // An ending that many formats have says less than what stands there.
    if nested && matches!(by_name, Format::Ini | Format::Lines) {
        all.push(Format::Nested);
    }
    if !matches!(by_name, Format::Lines | Format::Json) {
        all.push(by_name);
    } else if tried.is_none() && all.is_empty() && looks_like_rows(begun) {
        all.push(Format::Table);
        tried = Some(Shape::Text(Format::Table));
    }
    let named = |line: &str| {
        line.split_once(": ").is_some_and(|(name, value)| !name.contains(['/', '\\', ' ']) && !value.trim().is_empty())
    };
    let keyed = |line: &&str| line.trim_start().starts_with('[') || line.contains('=') || named(line);
    if begun.lines().take(20).filter(keyed).count() * 2 > begun.lines().take(20).count() {
        all.push(Format::Ini);
    }
    all.push(Format::Lines);
    let mut seen = Vec::new();
    all.retain(|format| {
        !seen.contains(format) && {
            seen.push(*format);
            true
        }
    });
    (all.into_iter().map(Shape::Text).collect(), tried)
}

/// Whether each of several lines has as many separators of a kind as the first, and more than one; the last may be cut.
fn is_all_rows(begun: &str) -> bool {
    let lines: Vec<&str> = begun.lines().filter(|line| !line.trim().is_empty()).collect();
    let whole = lines.get(..lines.len().saturating_sub(usize::from(!begun.ends_with('\n')))).unwrap_or_default();
    let alike = |sign: char| {
        let mut counts = whole.iter().map(|line| line.matches(sign).count());
        counts.next().is_some_and(|first| first > 1 && counts.all(|count| count == first))
    };
    whole.len() > 2 && ['\t', ';', '|', ','].into_iter().any(alike)
}

/// Whether the first lines have as many separators of a kind as one another, and more than one.
fn looks_like_rows(begun: &str) -> bool {
    let lines: Vec<&str> = begun.lines().filter(|line| !line.starts_with('#')).take(3).collect();
    lines.len() > 1
        && ['\t', ';', '|', ','].into_iter().any(|sign| {
            let count = |line: &&str| line.matches(sign).count();
            lines
                .first()
                .is_some_and(|first| count(first) > 1 && first.chars().next().is_some_and(char::is_alphanumeric))
                && lines.iter().all(|line| line.contains('"') || count(line) == count(&lines[0]))
        })
}

/// Whether a file that reads as one is one: the others take nearly any text.
pub(super) fn is_strict(shape: Shape) -> bool {
    is_packed(shape)
        || matches!(
            shape,
            Shape::Text(
                Format::Json
                    | Format::Jsonc
                    | Format::JsonLines
                    | Format::Xml
                    | Format::Toml
                    | Format::Hive
                    | Format::Nested
            )
        )
}
