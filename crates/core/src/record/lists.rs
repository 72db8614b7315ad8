//! Entries that come into a list and leave it, in the layout of that list.
//!
//! Law: the same as an edit's: the document that comes out is read again and must say what was meant.

use std::ops::Range;

use serde_json::Value;

use super::document::{Document, DocumentError, Spans};
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
            Format::Json | Format::Jsonc | Format::JsonLines => {
                if key.is_none() && list.of(self.value()).is_some_and(Value::is_object) {
                    let (key, value) = self.read_entry(list, raw)?;
                    let at = raw.find(':').map_or(0, |at| at + 1);
                    let key = key.filter(|key| !key.contains(':'));
                    let sound = serde_json::from_str::<Value>(&raw[at..]).is_ok_and(|read| read == value);
                    let key =
                        key.filter(|_| sound).ok_or_else(|| DocumentError::WrongKind { place: list.to_string() })?;
                    return self.append_json(list, Some(&key), raw[at..].trim(), None);
                }
                self.append_json(list, key, raw, None)
            }
            Format::Xml if key.is_none() => self.append_element(list, raw),
            Format::Nested | Format::Yaml | Format::Toml | Format::Ini | Format::Lines if key.is_none() => {
                let (key, value) = self.read_entry(list, raw)?;
                self.append_member(list, (key, value, raw.trim()), None)
            }
            _ => Err(DocumentError::WrongKind { place: list.to_string() }),
        }
    }

    /// Puts an entry just as it stands in another list behind the last one of a list.
    pub(crate) fn append_like(&self, list: &Place, (from, nth): (&Place, usize)) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: from.to_string() };
        let (_, spans) = self.child_spans(from).ok_or_else(wrong)?;
        let (start, end) = spans.get(nth).copied().ok_or_else(wrong)?;
        let place = self.children(from).and_then(|all| all.get(nth).cloned()).ok_or_else(wrong)?;
        let key = match place.0.last() {
            Some(Step::Name(name)) => Some(name.clone()),
            _ => None,
        };
        match self.format() {
            Format::Json | Format::Jsonc | Format::JsonLines => {
                self.append_json(list, key.as_deref(), self.raw(&place).ok_or_else(wrong)?, self.raw(from))
            }
            Format::Xml => self.append_element(list, &self.text()[start..end]),
            _ => {
                let value = place.of(self.value()).cloned().ok_or_else(wrong)?;
                self.append_member(list, (key, value, &self.text()[start..end]), Some((start, end)))
            }
        }
    }

    /// The key and the value of a new entry that is written as its list has them: in a list with keys the key stands before it.
    pub(crate) fn read_entry(&self, list: &Place, raw: &str) -> Result<(Option<String>, Value), DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let keyed = list.of(self.value()).is_some_and(Value::is_object);
        let is_json = matches!(self.format(), Format::Json | Format::Jsonc | Format::JsonLines);
        let text = if keyed && is_json { format!("{{{raw}}}") } else { raw.trim().to_string() };
        if self.format() == Format::Lines {
            return if text.contains('\n') { Err(wrong()) } else { Ok((None, text.into())) };
        }
        // The first line of an entry stands behind the sign of its list, the others below it.
        let indent = text.lines().skip(1).map(|line| line.len() - line.trim_start().len()).min();
        let text = match (self.format(), indent) {
            (Format::Yaml, Some(indent)) => format!("{}{text}", " ".repeat(indent)),
            _ => text,
        };
        let read = Self::parse(text.into_bytes(), self.format()).map_err(|_| wrong())?;
        if !keyed && self.format() != Format::Xml {
            return Ok((None, read.value().clone()));
        }
        match read.value().as_object().map(|members| members.iter().collect::<Vec<_>>()).as_deref() {
            Some([(name, value)]) => Ok((Some((*name).clone()), (*value).clone())),
            _ => Err(wrong()),
        }
    }

    /// Puts a member or an element into a container of a format that has a line for each: `like` is where one stands in another container
    /// of this document that is laid out alike.
    fn append_member(
        &self,
        list: &Place,
        (key, value, written): (Option<String>, Value, &str),
        like: Option<(usize, usize)>,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (span, children) = self.trimmed_spans(list).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        match (key, list.of_mut(&mut meant).ok_or_else(wrong)?) {
            (Some(key), Value::Object(target)) if target.contains_key(&key) => {
                return Err(DocumentError::Collision { place: list.to_string(), key });
            }
            (Some(key), Value::Object(target)) => drop(target.insert(key, value)),
            (None, Value::Array(target)) => target.push(value),
            _ => return Err(wrong()),
        }
        let text = self.text();
        match (children.as_slice(), like) {
            ([.., last], _) => {
                let before = children.len().checked_sub(2).map(|n| &text[children[n].1..last.0]);
                let sign = before.map_or_else(|| self.sign_behind(last.1), |gap| sign_of(gap));
                let blank = match self.format() {
                    Format::Yaml | Format::Lines => {
                        // An entry has a line of its own, with the sign of the list before it.
                        let line = text[..last.0].rfind('\n').map_or(0, |n| n + 1);
                        format!("\n{}", &text[line..last.0])
                    }
                    _ => blank_before(text, last.0).to_string(),
                };
                let new = format!("{sign}{blank}{written}");
                self.with(last.1..last.1, &new, &meant, list)
            }
            ([], like) => {
                let empty = span.len() >= 2 && text[span.start + 1..span.end - 1].trim().is_empty();
                if !empty {
                    return Err(wrong());
                }
                let (blank, sign) = match like {
                    Some((start, end)) => (blank_before(text, start), self.sign_behind(end)),
                    None => return Err(wrong()),
                };
                let inner = &text[span.start + 1..span.end - 1];
                let end = if blank.contains('\n') && !inner.contains('\n') {
                    let line = text[..span.start].rfind('\n').map_or(0, |n| n + 1);
                    let indent: String = text[line..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
                    format!("{}{indent}", if blank.contains("\r\n") { "\r\n" } else { "\n" })
                } else {
                    String::new()
                };
                let sign = if sign == ";" { sign } else { "" };
                let at = span.start + 1;
                self.with(at..at, &format!("{blank}{written}{sign}{end}"), &meant, list)
            }
        }
    }

    /// The sign that stands behind an entry, if one does.
    fn sign_behind(&self, end: usize) -> &'static str {
        sign_of(&self.text()[end..])
    }

    /// The spans of entries without the end of their last line.
    fn trimmed_spans(&self, list: &Place) -> Option<(Range<usize>, Spans)> {
        let (span, children) = self.child_spans(list)?;
        let end = |(start, end): (usize, usize)| (start, start + self.text()[start..end].trim_end().len());
        Some((span, children.into_iter().map(end).collect()))
    }

    fn remove_member(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (_, children) = self.trimmed_spans(list).ok_or_else(wrong)?;
        let own = children.get(nth).copied().ok_or_else(wrong)?;
        let name = self.children(list).and_then(|all| all.get(nth)?.0.last().cloned()).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        match (list.of_mut(&mut meant).ok_or_else(wrong)?, name) {
            (Value::Object(target), Step::Name(name)) => drop(target.shift_remove(&name)),
            (Value::Array(target), Step::Index(nth)) if nth < target.len() => drop(target.remove(nth)),
            _ => return Err(wrong()),
        }
        let text = self.text();
        let sign = |c: char| matches!(c, ';' | ',') || (c == '-' && self.format() == Format::Yaml);
        let blank = |gap: &str| gap.trim_matches(|c: char| c.is_whitespace() || sign(c)).is_empty();
        let own_sign =
            own.1 + text[own.1..].find([';', ',']).filter(|_| !self.sign_behind(own.1).is_empty()).map_or(0, |n| n + 1);
        let start = own.0 - blank_before(text, own.0).len();
        let cut = match nth {
            _ if children.len() == 1 => start..own_sign,
            0 if blank(&text[own.1..children[1].0]) => own.0..children[1].0,
            n if n > 0 && blank(&text[children[n - 1].1..own.0]) => children[n - 1].1..own.1,
            // A comment between them stays.
            _ => own.0..own_sign,
        };
        self.with(cut, "", &meant, list)
    }

    /// Takes one entry out of a list and gives the new document.
    pub fn remove(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        match self.format() {
            Format::Json | Format::Jsonc | Format::JsonLines => self.remove_json(list, nth),
            Format::Xml => self.remove_element(list, nth),
            Format::Nested | Format::Yaml | Format::Toml | Format::Ini | Format::Lines => self.remove_member(list, nth),
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

    /// `like` is the text of a list that the first entry of an empty one is laid out like.
    fn append_json(
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
                (format!("{}: {raw}", json_quoted(key, "")), ("{", "}"))
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

/// The blanks that stand before a place, line ends among them.
fn blank_before(text: &str, at: usize) -> &str {
    let before = &text[..at];
    &before[before.trim_end_matches([' ', '\t', '\r', '\n']).len()..]
}

/// The sign with which a text between entries begins.
fn sign_of(gap: &str) -> &'static str {
    match gap.trim_start_matches([' ', '\t']).as_bytes().first() {
        Some(b';') => ";",
        Some(b',') => ",",
        _ => "",
    }
}
