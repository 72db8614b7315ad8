//! Values and keys written anew, with all else as it was.

use super::super::encoding::Encoding;
use super::super::formats;
use super::super::lengths::with_lengths;
use super::super::place::{Place, Side, Step};
use super::super::tree::{Builder, Kind, Node, TreeEdit, offset};
use super::{Document, DocumentError, NewValue, scanned};
use crate::record::formats::Format;
use serde_json::Value;
use std::collections::HashMap;
use std::ops::Range;

impl Document {
    /// Replaces the text of one key or value and gives the new document.
    ///
    /// `written` is how the text was written here before, if it was: it is taken over if it still says the same.
    ///
    /// # Errors
    /// [`DocumentError::WrongKind`], [`DocumentError::CannotHold`], [`DocumentError::Collision`],
    /// [`DocumentError::Unfaithful`].
    pub fn replace(
        &self,
        place: &Place,
        side: Side,
        new: &str,
        written: Option<&str>,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: place.to_string() };
        let node = self.node(place).ok_or_else(wrong)?;
        let says = self.tree.node(node);
        let (style, spans) = match (side, says.kind) {
            (Side::Value, Kind::Leaf(style)) => (style, vec![says.span()]),
            (Side::Key, _) => (says.key_style.ok_or_else(wrong)?, self.tree.key_spans(node)),
            _ => return Err(wrong()),
        };
        if side == Side::Key {
            self.no_collision(place, new)?;
        }
        let written = written.map(str::to_string);
        let raw = spans.first().and_then(|span| self.text.get(span.clone())).ok_or_else(wrong)?;
        let ways = [written, formats::encode(style, side, new, raw)];
        let holds = |way: &String| self.can_write(way, raw);
        for way in ways.into_iter().flatten().filter(holds) {
            if let Some(bytes) = self.spliced(node, side, new, &spans, &way) {
                return Ok(bytes);
            }
        }
        Err(match formats::encode(style, side, new, raw).filter(holds) {
            None if style.is_word() => wrong(),
            None => DocumentError::CannotHold { place: place.to_string(), new: new.into() },
            Some(_) => DocumentError::Unfaithful { place: place.to_string() },
        })
    }

    /// Replaces the texts of several values at once; `None` if they do not all read back as what is meant, or anything else would not
    /// be as it was. Then each has to be replaced by itself to know why.
    pub(crate) fn replace_all(&self, values: &[NewValue]) -> Option<Vec<u8>> {
        let mut splices = Vec::with_capacity(values.len());
        for value in values {
            let node = self.node(&value.place)?;
            let says = self.tree.node(node);
            let Kind::Leaf(style) = says.kind else { return None };
            let encoded = || formats::encode(style, Side::Value, &value.new, &self.text[says.span()]);
            let way = value.written.clone().or_else(encoded)?;
            if !self.can_write(&way, &self.text[says.span()]) {
                return None;
            }
            splices.push((says.span(), node, way, value.new.as_str()));
        }
        splices.sort_unstable_by_key(|(span, ..)| span.start);
        let meant = splices.iter().map(|(_, node, _, new)| ((*node, Side::Value), *new)).collect();
        // One thing may stand for several values: they can only say the same.
        splices.dedup_by(|next, one| next.0 == one.0 && next.2 == one.2 && self.tree.table.is_some());
        let apart = splices
            .iter()
            .zip(splices.iter().skip(1))
            .all(|((one, ..), (next, ..))| one.end <= next.start && one.start < next.start);
        if !apart {
            return None;
        }
        let pieces = splices.iter().map(|(span, _, way, _)| (span.clone(), way.as_str())).collect();
        self.spliced_all(pieces, &meant)
    }

    /// Puts texts in place of spans, which follow one another, if the document then says what is meant and is else as it was.
    fn spliced_all(&self, pieces: Vec<(Range<usize>, &str)>, meant: &HashMap<(u32, Side), &str>) -> Option<Vec<u8>> {
        let mut text = String::with_capacity(self.text.len());
        let mut from = 0;
        for (span, way) in with_lengths(&self.text, &self.tree, pieces)? {
            text.push_str(&self.text[from..span.start]);
            text.push_str(&way);
            from = span.end;
        }
        text.push_str(&self.text[from..]);
        let tree = scanned(&text, self.format).ok()?;
        let same = |(n, (old, new)): (usize, (&Node, &Node))| {
            let linked = (old.first, old.next, old.key_style) == (new.first, new.next, new.key_style);
            let key = match (meant.get(&(offset(n), Side::Key)), new.key_style) {
                (Some(meant), Some(style)) => formats::decode(style, &text[new.key()]) == *meant,
                _ => self.text[old.key()] == text[new.key()],
            };
            let says = match (meant.get(&(offset(n), Side::Value)), old.kind, new.kind) {
                (Some(meant), Kind::Leaf(_), Kind::Leaf(style)) => formats::decode(style, &text[new.span()]) == *meant,
                (None, Kind::Leaf(old_style), Kind::Leaf(style)) => {
                    old_style == style && self.text[old.span()] == text[new.span()]
                }
                (None, old, new) => old == new,
                _ => false,
            };
            linked && key && says
        };
        let all = self.tree.nodes.len() == tree.nodes.len() && self.tree.more_keys.len() == tree.more_keys.len();
        let sound = all && self.tree.nodes.iter().zip(&tree.nodes).enumerate().all(same);
        if sound { self.encoded(text) } else { None }
    }

    /// Whether the file's encoding has what is written in place of another text: in a code page letters that the text had, or all of a
    /// page that a document declares.
    fn can_write(&self, way: &str, old: &str) -> bool {
        // What stands elsewhere in it was read in that page as well.
        let had = |c| self.former.as_ref().is_some_and(|former| former.letters.contains(c) || self.text.contains(c));
        !self.encoding.is_page()
            || way.chars().all(|c| c.is_ascii() || old.contains(c) || had(c))
            || self.encoding.is_declared_for(&self.text, way)
    }

    /// The bytes of a text that takes this one's place; `None` where they would be read as another: without a mark it is the text itself
    /// that tells its encoding, and what is left of it may tell another.
    fn encoded(&self, text: String) -> Option<Vec<u8>> {
        if self.encoding == Encoding::Utf8 && !text.contains('\0') {
            // Taken as it is, so that a large file is not held twice. What would be read as a mark is none to begin a text with.
            return (!text.starts_with('\u{feff}')).then(|| text.into_bytes());
        }
        let bytes = self.encoding.write(&[&text]);
        let page = Some(self.encoding).filter(|encoding| encoding.is_page());
        let is_told = || Encoding::read_after(bytes.clone(), page).is_ok_and(|(_, read)| read == text);
        (self.format.is_packed() || is_told()).then_some(bytes)
    }

    /// Whether a key or value can be written as another text, as far as can be said without writing it.
    ///
    /// # Errors
    /// As [`Document::replace`].
    pub(crate) fn can_hold(&self, place: &Place, side: Side, new: &str) -> Result<(), DocumentError> {
        let wrong = || DocumentError::WrongKind { place: place.to_string() };
        let says = self.tree.node(self.node(place).ok_or_else(wrong)?);
        let (style, span) = match (side, says.kind) {
            (Side::Value, Kind::Leaf(style)) => (style, says.span()),
            (Side::Key, _) => (says.key_style.ok_or_else(wrong)?, says.key()),
            _ => return Err(wrong()),
        };
        if side == Side::Key {
            self.no_collision(place, new)?;
        }
        match formats::encode(style, side, new, &self.text[span.clone()]) {
            Some(way) if self.can_write(&way, &self.text[span]) => Ok(()),
            _ => Err(DocumentError::CannotHold { place: place.to_string(), new: new.into() }),
        }
    }

    fn no_collision(&self, place: &Place, new: &str) -> Result<(), DocumentError> {
        let (last, list) = place.0.split_last().ok_or(DocumentError::WrongKind { place: place.to_string() })?;
        let Step::Name(old) = last else { return Err(DocumentError::WrongKind { place: place.to_string() }) };
        let list = Place(list.to_vec());
        // A key that stands twice cannot be told from its twin.
        let parent = self.node(&list).into_iter().flat_map(|node| self.tree.children(node));
        if parent.filter(|child| self.key_text(*child) == old.as_str()).count() > 1 {
            return Err(DocumentError::WrongKind { place: place.to_string() });
        }
        if new != old && self.node(&list.child(Step::Name(new.into()))).is_some() {
            return Err(DocumentError::Collision { place: list.to_string(), key: new.into() });
        }
        Ok(())
    }

    /// Puts `way` in place of the spans, if the document then says `new` there and is else as it was.
    fn spliced(&self, node: u32, side: Side, new: &str, spans: &[Range<usize>], way: &str) -> Option<Vec<u8>> {
        if self.format.is_packed() {
            let pieces = spans.iter().map(|span| (span.clone(), way)).collect();
            return self.spliced_all(pieces, &HashMap::from([((node, side), new)]));
        }
        let mut pieces = Vec::new();
        let mut from = 0;
        for span in spans {
            pieces.extend([&self.text[from..span.start], way]);
            from = span.end;
        }
        pieces.push(&self.text[from..]);
        let text = pieces.concat();
        let edit = TreeEdit { spans, length: way.len(), node };
        let after = if matches!(self.format, Format::Json | Format::Jsonc | Format::JsonLines | Format::Hive) {
            let mut builder = Builder::like(&self.tree, edit);
            formats::scan(&text, self.format, &mut builder).ok()?;
            builder.edited()?
        } else {
            let tree = scanned(&text, self.format).ok()?;
            if !self.tree.same_after(&tree, edit) {
                return None;
            }
            *tree.node(node)
        };
        let (style, span) = match (side, after.kind) {
            (Side::Value, Kind::Leaf(style)) => (style, after.span()),
            (Side::Key, _) => (after.key_style?, after.key()),
            _ => return None,
        };
        if formats::decode(style, &text[span]) != new {
            return None;
        }
        self.encoded(text)
    }

    /// The bytes of the document with one range replaced, if it then reads as `meant`.
    pub(crate) fn with(
        &self,
        span: Range<usize>,
        new: &str,
        meant: &Value,
        at: &Place,
    ) -> Result<Vec<u8>, DocumentError> {
        let bytes = self.encoding.write(&[&self.text[..span.start], new, &self.text[span.end..]]);
        let page = self.former.clone().or_else(|| self.page());
        match Self::parse_after(bytes.clone(), self.format, page.as_ref()) {
            Ok(now) if now.value() == meant && self.can_write(new, &self.text) => Ok(bytes),
            _ => Err(DocumentError::Unfaithful { place: at.to_string() }),
        }
    }
}
