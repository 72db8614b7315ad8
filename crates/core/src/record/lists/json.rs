//! Entries of lists and objects in JSON.

use super::super::document::Document;
use super::super::fault::DocumentError;
use super::super::formats::json_quoted;
use super::super::place::{Place, Side, Step};
use super::elements::step_of;
use crate::record::formats::Format;
use serde_json::Value;

impl Document {
    /// `like` is the text of a list that the first entry of an empty one is laid out like.
    pub(super) fn append_json(
        &self,
        list: &Place,
        key: Option<&str>,
        raw: &str,
        like: Option<&str>,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (span, children) = self.child_spans(list).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        let one = if self.format() == Format::JsonLines { Format::Json } else { self.format() };
        let value = Self::parse(raw.as_bytes().to_vec(), one).map_err(|_| wrong())?.value().clone();
        let (written, braces) = match (key, list.of_mut(&mut meant).ok_or_else(wrong)?) {
            (None, Value::Array(target)) => {
                target.push(value);
                (raw.to_string(), ("[", "]"))
            }
            (Some(key), Value::Object(target)) => {
                if target.contains_key(key) {
                    return Err(DocumentError::Collision { place: list.to_string(), key: key.into() });
                }
                target.insert(key.into(), value);
                (format!("{}{}{raw}", json_quoted(key, ""), self.colon(list)), ("{", "}"))
            }
            _ => return Err(wrong()),
        };
        let text = self.text();
        // Documents one after the other have no brackets around them and no commas between.
        let comma = if self.is_of_documents(list) { "" } else { "," };
        match children.as_slice() {
            [] if comma.is_empty() => Err(wrong()),
            [] => {
                let on_a_line = like.filter(|like| !like.contains('\n'));
                let first = match on_a_line {
                    Some(like) => {
                        let blank = if like[1..].starts_with(' ') { " " } else { "" };
                        format!("{}{blank}{written}{blank}{}", braces.0, braces.1)
                    }
                    None => self.laid_out(span.start, braces.0, &written, braces.1),
                };
                self.with(span.clone(), &first, &meant, list)
            }
            [.., last] => {
                let before =
                    children.len().checked_sub(2).and_then(|n| children.get(n)).map_or(span.start + 1, |child| child.1);
                let gap = if comma.is_empty() && children.len() == 1 { "\n" } else { &text[before..last.0] };
                let gap = if children.len() > 1 { gap.trim_start().strip_prefix(',').unwrap_or(gap) } else { gap };
                // On one line the first has no sign before it that shows how others are parted.
                let gap = if children.len() == 1 && gap.is_empty() { self.blank_behind_commas(list) } else { gap };
                // A comment in the gap belongs to the entry behind it.
                let gap = if gap.contains('/') { &gap[gap.trim_end().len()..] } else { gap };
                self.with(last.1..last.1, &format!("{comma}{gap}{written}"), &meant, list)
            }
        }
    }

    /// What stands between a key and its value: in an object, else anywhere in this document.
    fn colon(&self, object: &Place) -> String {
        let between = |member: &Place| {
            let (key, value) = (self.written(member, Side::Key)?, self.raw(member)?);
            let at = member.0.split_last().map(|(_, above)| Place(above.to_vec()))?;
            let nth = self.children(&at)?.iter().position(|place| place == member)?;
            let (start, end) = self.child_spans(&at)?.1.get(nth).copied()?;
            let between = self.text()[start..end].strip_prefix(key)?.strip_suffix(value)?;
            between.trim().eq(":").then(|| between.to_string())
        };
        let here = self.children(object).unwrap_or_default().into_iter();
        here.chain(self.some_places()).find_map(|place| between(&place)).unwrap_or_else(|| ": ".into())
    }

    /// The blank behind the commas of this document where they stand within a line; else as behind its colons.
    fn blank_behind_commas(&self, list: &Place) -> &'static str {
        let gap = |other: &Place| {
            let (_, children) = self.child_spans(other)?;
            let [one, other, ..] = children.as_slice() else { return None };
            let gap = &self.text()[one.1..other.0];
            (!gap.contains('\n')).then(|| gap.trim_start().len() > 1)
        };
        let is_blank = self.some_places().iter().find_map(gap);
        if is_blank.unwrap_or_else(|| self.colon(list).ends_with(' ')) { " " } else { "" }
    }

    /// Places from the root down, those of a small document all.
    fn some_places(&self) -> Vec<Place> {
        const MOST: usize = 200;
        let mut all = vec![Place::default()];
        let mut nth = 0;
        while nth < all.len() && all.len() < MOST {
            let children = all.get(nth).and_then(|place| self.children(place)).unwrap_or_default();
            all.extend(children.into_iter().take(MOST));
            nth += 1;
        }
        all
    }

    /// Whether a list is that of all documents of a text.
    fn is_of_documents(&self, list: &Place) -> bool {
        self.format() == Format::JsonLines && list.0.is_empty()
    }

    pub(super) fn remove_json(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (span, children) = self.child_spans(list).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        match list.of_mut(&mut meant).ok_or_else(wrong)? {
            Value::Array(target) if nth < children.len() => drop(target.remove(nth)),
            Value::Object(target) if nth < children.len() => {
                let places = self.children(list).ok_or_else(wrong)?;
                let Some(Step::Name(name)) = places.get(nth).and_then(|place| place.0.last()) else {
                    return Err(wrong());
                };
                target.shift_remove(name);
            }
            _ => return Err(wrong()),
        }
        let text = self.text();
        let first = children.first().ok_or_else(wrong)?;
        let above = nth.checked_sub(1).and_then(|above| children.get(above));
        let cut = match (nth, children.len()) {
            // A file of no document is none.
            (_, 1) if self.is_of_documents(list) => return Err(wrong()),
            (_, 1) => span.start + 1..span.end - 1,
            (0, _) => first.0..children.get(1).ok_or_else(wrong)?.0,
            _ => above.ok_or_else(wrong)?.1..children.get(nth).ok_or_else(wrong)?.1,
        };
        let blank = children.len() > 1 || text[cut.clone()].trim().len() == first.1 - first.0;
        self.with(if blank { cut } else { first.0..first.1 }, "", &meant, list)
    }

    /// Lays out the first entry of a list as the document around it is laid out.
    fn laid_out(&self, at: usize, open: &str, entry: &str, close: &str) -> String {
        let text = self.text();
        if !text.contains('\n') {
            return format!("{open}{entry}{close}");
        }
        let line = text[..at].rfind('\n').map_or(0, |n| n + 1);
        let indent: String = text[line..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let step = step_of(text, &indent);
        format!("{open}{end}{indent}{step}{entry}{end}{indent}{close}")
    }
}
