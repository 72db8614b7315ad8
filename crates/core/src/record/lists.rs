//! Entries that come into a list and leave it, in the layout of that list: JSON and XML.
//!
//! Law: the same as an edit's: the document that comes out is read again and must say what was meant.

use serde_json::Value;

use super::document::{Document, DocumentError};
use super::formats::json_quoted;
use super::place::{Place, Side, Step};
use crate::record::formats::Format;

impl Document {
    /// Puts `raw` into a list behind its last entry and gives the new document; `key` for an object.
    ///
    /// # Errors
    /// [`DocumentError::WrongKind`] also for a format whose lists cannot grow here.
    pub fn append(&self, list: &Place, key: Option<&str>, raw: &str) -> Result<Vec<u8>, DocumentError> {
        match self.format() {
            Format::Json | Format::Jsonc | Format::JsonLines => self.append_json(list, key, raw),
            Format::Xml if key.is_none() => self.append_element(list, raw),
            _ => Err(DocumentError::WrongKind { place: list.to_string() }),
        }
    }

    /// Takes one entry out of a list and gives the new document.
    pub fn remove(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        match self.format() {
            Format::Json | Format::Jsonc | Format::JsonLines => self.remove_json(list, nth),
            Format::Xml => self.remove_element(list, nth),
            _ => Err(DocumentError::WrongKind { place: list.to_string() }),
        }
    }

    /// Puts one entry of a list at another number and gives the new document.
    pub fn put_at(&self, list: &Place, nth: usize, to: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        if nth >= children.len() || to >= children.len() {
            return Err(wrong());
        }
        let mut meant = self.value().clone();
        let array = list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?;
        let entry = array.remove(nth);
        array.insert(to, entry);
        let mut order = children.clone();
        let entry = order.remove(nth);
        order.insert(to, entry);
        // All entries keep the gaps between them; only what stands in them changes.
        let text = self.text();
        let mut out = String::new();
        let start = children[0].0;
        let mut from = start;
        for (slot, entry) in children.iter().zip(order) {
            out.push_str(&text[from..slot.0]);
            out.push_str(&text[entry.0..entry.1]);
            from = slot.1;
        }
        self.with(start..from, &out, &meant, list)
    }

    fn append_json(&self, list: &Place, key: Option<&str>, raw: &str) -> Result<Vec<u8>, DocumentError> {
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
                (format!("{}: {raw}", json_quoted(key, "")), ("{", "}"))
            }
            _ => return Err(wrong()),
        };
        let text = self.text();
        // Documents one after the other have no brackets around them and no commas between.
        let comma = if self.is_of_documents(list) { "" } else { "," };
        match children.as_slice() {
            [] if comma.is_empty() => Err(wrong()),
            [] => self.with(span.clone(), &self.laid_out(span.start, braces.0, &written, braces.1), &meant, list),
            [.., last] => {
                let before = children.len().checked_sub(2).map_or(span.start + 1, |n| children[n].1);
                let gap = if comma.is_empty() && children.len() == 1 { "\n" } else { &text[before..last.0] };
                let gap = if children.len() > 1 { gap.trim_start().strip_prefix(',').unwrap_or(gap) } else { gap };
                // A comment in the gap belongs to the entry behind it.
                let gap = if gap.contains('/') { &gap[gap.trim_end().len()..] } else { gap };
                self.with(last.1..last.1, &format!("{comma}{gap}{written}"), &meant, list)
            }
        }
    }

    /// Whether a list is that of all documents of a text.
    fn is_of_documents(&self, list: &Place) -> bool {
        self.format() == Format::JsonLines && list.0.is_empty()
    }

    fn remove_json(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
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
        let cut = match (nth, children.len()) {
            // A file of no document is none.
            (_, 1) if self.is_of_documents(list) => return Err(wrong()),
            (_, 1) => span.start + 1..span.end - 1,
            (0, _) => children[0].0..children[1].0,
            _ => children[nth - 1].1..children[nth].1,
        };
        let blank = children.len() > 1 || text[cut.clone()].trim().len() == children[0].1 - children[0].0;
        self.with(if blank { cut } else { children[0].0..children[0].1 }, "", &meant, list)
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
        let step = if indent.contains('\t') { "\t" } else { "  " };
        format!("{open}{end}{indent}{step}{entry}{end}{indent}{close}")
    }

    /// An element comes behind the last one of its name, on a line of its own if that one has one.
    fn append_element(&self, list: &Place, raw: &str) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let entry = Self::parse(raw.trim().as_bytes().to_vec(), Format::Xml).map_err(|_| wrong())?;
        let Some(Step::Name(name)) = list.0.last() else { return Err(wrong()) };
        let value = entry.value().get(name).cloned().ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?.push(value);
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        let last = children.last().ok_or_else(wrong)?;
        let before = &self.text()[..last.0];
        let gap = &before[before.trim_end_matches([' ', '\t', '\r', '\n']).len()..];
        self.with(last.1..last.1, &format!("{gap}{}", raw.trim()), &meant, list)
    }

    fn remove_element(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        let element = children.get(nth).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        let target = list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?;
        target.remove(nth);
        if target.is_empty() {
            let (last, above) = list.0.split_last().ok_or_else(wrong)?;
            let Step::Name(name) = last else { return Err(wrong()) };
            let above = Place(above.to_vec());
            above.of_mut(&mut meant).and_then(Value::as_object_mut).ok_or_else(wrong)?.shift_remove(name);
        }
        let before = &self.text()[..element.0];
        let from = before.trim_end_matches([' ', '\t', '\r', '\n']).len();
        self.with(from..element.1, "", &meant, list)
    }

    /// The text of the value that a JSONPath finds below a place, if it finds one.
    pub fn below(&self, place: &Place, selector: &str) -> Result<Option<String>, DocumentError> {
        let whole = format!("{place}{}", selector.strip_prefix('$').unwrap_or(selector));
        Ok(self.find(&whole)?.first().and_then(|place| self.leaf(place, Side::Value)))
    }
}
