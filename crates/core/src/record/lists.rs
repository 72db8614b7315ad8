//! Entries that come into a list and leave it, in the layout of that list.
//!
//! Law: the same as an edit's: the document that comes out is read again and must say what was meant.

mod elements;
mod json;
mod sections;

use std::ops::Range;

use serde_json::Value;

use super::document::{Document, Spans};
use super::fault::DocumentError;
use super::place::{Place, Side, Step};
use crate::record::formats::Format;

/// What an element of TOML is called while it is read by itself.
const ALONE: &str = "element";

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
            Format::Xml if key.is_none() => self.append_element(list, raw, None),
            _ if key.is_none() && self.is_of_sections(list) => self.append_section(list, raw.trim()),
            // The last values of a row may be nothing between tabulators.
            Format::Table if key.is_none() => {
                let (key, value) = self.read_entry(list, raw)?;
                self.append_member(list, (key, value, raw.trim_matches(['\r', '\n'])), None)
            }
            Format::Nested | Format::Yaml | Format::Toml | Format::Ini | Format::Lines | Format::PropertyList
                if key.is_none() =>
            {
                let (key, value) = self.read_entry(list, raw)?;
                self.append_member(list, (key, value, raw.trim()), None)
            }
            _ => Err(DocumentError::WrongKind { place: list.to_string() }),
        }
    }

    /// Puts an entry just as it stands in another list behind the last one of a list.
    pub(crate) fn append_like(&self, list: &Place, (from, nth): (&Place, usize)) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: from.to_string() };
        let (_, spans) = self.trimmed_spans(from).ok_or_else(wrong)?;
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
            Format::Xml => self.append_element(list, &self.text()[start..end], Some(blank_before(self.text(), start))),
            _ => {
                let value = place.of(self.value()).cloned().ok_or_else(wrong)?;
                // The first of an empty list is laid out as the first of this one.
                self.append_member(list, (key, value, &self.text()[start..end]), spans.first().copied())
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
        if self.format() == Format::Table {
            return self.read_row(list, raw).map(|row| (None, row));
        }
        // The first line of an entry stands behind the sign of its list, the others below it.
        let indent = text.lines().skip(1).map(|line| line.len() - line.trim_start().len()).min();
        let text = match (self.format(), indent) {
            (Format::Yaml, Some(indent)) if !keyed => format!("{}{text}", " ".repeat(indent)),
            _ => text,
        };
        // An element of TOML's brackets is no document by itself, and a table of a list says the list in its head.
        let (is_toml, is_table) = (self.format() == Format::Toml, text.starts_with("[["));
        let text = if is_toml && !keyed && !is_table { format!("{ALONE} = {text}") } else { text };
        let text = match self.format() {
            Format::PropertyList if keyed => format!("<plist><dict>{text}</dict></plist>"),
            Format::PropertyList => format!("<plist><dict><key>{ALONE}</key>{text}</dict></plist>"),
            _ => text,
        };
        let in_no_section = self.format() == Format::Ini && !text.starts_with('[');
        // An entry of one of several documents, or one of these, is a document of its own.
        let format = if self.format() == Format::JsonLines { Format::Json } else { self.format() };
        let read = Self::parse(text.into_bytes(), format).map_err(|_| wrong())?;
        if self.format() == Format::PropertyList && !keyed {
            return Ok((None, read.value().get(ALONE).ok_or_else(wrong)?.clone()));
        }
        if is_toml && !keyed {
            let at = if is_table { list.clone() } else { Place(vec![Step::Name(ALONE.into())]) };
            let value = at.of(read.value()).ok_or_else(wrong)?;
            let value = if is_table { value.get(0).ok_or_else(wrong)? } else { value };
            return Ok((None, value.clone()));
        }
        let members = if in_no_section { read.value().get("") } else { Some(read.value()) };
        if !keyed && self.format() != Format::Xml {
            return Ok((None, read.value().clone()));
        }
        match members.and_then(Value::as_object).map(|members| members.iter().collect::<Vec<_>>()).as_deref() {
            Some([(name, value)]) => Ok((Some((*name).clone()), (*value).clone())),
            _ => Err(wrong()),
        }
    }

    /// A row of a table, below its heading and the rows that there are.
    fn read_row(&self, list: &Place, raw: &str) -> Result<Value, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (_, rows) = self.child_spans(list).ok_or_else(wrong)?;
        let (_, end) = rows.last().ok_or_else(wrong)?;
        let text = format!("{}\n{}", &self.text()[..*end], raw.trim_matches(['\r', '\n']));
        let read = Self::parse(text.into_bytes(), Format::Table).map_err(|_| wrong())?;
        let all = list.of(read.value()).and_then(Value::as_array).ok_or_else(wrong)?;
        all.last().filter(|_| all.len() == rows.len() + 1).cloned().ok_or_else(wrong)
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
        let in_brackets = match self.format() {
            Format::Yaml => text[span.start..].starts_with(['[', '{']),
            // The first of a line has no sign before it that shows how others are parted.
            Format::Toml => {
                text[span.start..].starts_with('[') && children.len() == 1 && !text[span.clone()].contains('\n')
            }
            _ => false,
        };
        match (children.as_slice(), like) {
            ([.., last], _) if in_brackets => self.with(last.1..last.1, &format!(", {written}"), &meant, list),
            ([.., _], _) => self.append_behind(list, &children, written, &meant),
            ([], like) if self.format() == Format::PropertyList => {
                self.append_first_element(list, written, like.map(|(start, _)| blank_before(text, start)), &meant)
            }
            ([], like) => self.append_first(list, span, (written, like), &meant),
        }
    }

    /// Puts an entry behind the last one of a list, laid out as that is.
    fn append_behind(
        &self,
        list: &Place,
        children: &[(usize, usize)],
        written: &str,
        meant: &Value,
    ) -> Result<Vec<u8>, DocumentError> {
        let last = children.last().ok_or_else(|| DocumentError::WrongKind { place: list.to_string() })?;
        let text = self.text();
        let before = children.len().checked_sub(2).and_then(|n| children.get(n)).map(|before| &text[before.1..last.0]);
        let sign = before.map_or_else(|| self.sign_behind(last.1), |gap| sign_of(gap));
        let blank = match self.format() {
            Format::Yaml | Format::Lines => {
                // An entry has a line of its own, with the sign of the list before it.
                let line = text[..last.0].rfind('\n').map_or(0, |n| n + 1);
                format!("\n{}", &text[line..last.0])
            }
            // The first thing of a file has no line above it.
            Format::Toml if last.0 == 0 && written.starts_with("[[") => "\n\n".to_string(),
            _ => self.blank_before(last.0).to_string(),
        };
        // What stands behind the last one on its line, a sign or a comment, is that one's.
        let (tail, own_sign) = (self.tail(last.1).filter(|_| blank.contains('\n')), self.sign_behind(last.1));
        let Some(tail) = tail else {
            return self.with(last.1..last.1, &format!("{sign}{blank}{written}"), meant, list);
        };
        let sign = if own_sign.is_empty() { sign } else { "" };
        let blank = if blank.contains("\r\n") || !text[last.1..].starts_with('\r') {
            blank
        } else {
            blank.replace('\n', "\r\n")
        };
        let new = format!("{sign}{tail}{blank}{written}{own_sign}");
        self.with(last.1..last.1 + tail.len(), &new, meant, list)
    }

    /// Puts the first entry into an empty list, laid out as one of another list is.
    fn append_first(
        &self,
        list: &Place,
        span: Range<usize>,
        (written, like): (&str, Option<(usize, usize)>),
        meant: &Value,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let text = self.text();
        let empty = span.len() >= 2 && text[span.start + 1..span.end - 1].trim().is_empty();
        if !empty {
            return Err(wrong());
        }
        if self.format() == Format::Yaml
            && let Some((new, from)) = self.first_of_block(span.start, written, like)
        {
            return self.with(from..span.end, &new, meant, list);
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
        self.with(at..at, &format!("{blank}{written}{sign}{end}"), meant, list)
    }

    /// The first entry of an empty list of YAML, on lines of its own as another list has them, and where it begins; `None` where that
    /// one is written on a line.
    fn first_of_block(&self, at: usize, written: &str, like: Option<(usize, usize)>) -> Option<(String, usize)> {
        let (text, (start, _)) = (self.text(), like?);
        let line = text[..start].rfind('\n').map_or(0, |n| n + 1);
        let sign = text[line..start].trim_matches([' ', '-']).is_empty().then(|| &text[line..start])?;
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        Some((format!("{end}{sign}{}", written.trim_end()), text[..at].trim_end_matches(' ').len()))
    }

    /// The sign that stands behind an entry, if one does; of a row it is part of that.
    fn sign_behind(&self, end: usize) -> &'static str {
        if self.format() == Format::Table { "" } else { sign_of(&self.text()[end..]) }
    }

    /// The blanks that stand before an entry, line ends among them; of a row these alone.
    fn blank_before(&self, at: usize) -> &str {
        let blank = blank_before(self.text(), at);
        let line = || &blank[blank.trim_end_matches(['\r', '\n']).len()..];
        if self.format() == Format::Table { line() } else { blank }
    }

    /// What stands behind an entry on its last line, if that is no more than a sign and a comment.
    fn tail(&self, end: usize) -> Option<&str> {
        let rest = &self.text()[end..];
        let line = &rest[..rest.find(['\r', '\n']).unwrap_or(rest.len())];
        let behind = line.trim_start_matches([' ', '\t']).trim_start_matches([';', ',']).trim();
        let comment = ["#", "//", "--", ";"].into_iter().any(|sign| behind.starts_with(sign));
        (behind.is_empty() || comment).then_some(line)
    }

    /// The spans of entries without the end of their last line, and without lines behind them that say nothing.
    pub(crate) fn trimmed_spans(&self, list: &Place) -> Option<(Range<usize>, Spans)> {
        let (span, children) = self.child_spans(list)?;
        match self.format() {
            Format::Table => return Some((span, children)),
            Format::PropertyList => {
                let around = |own: (usize, usize)| around_element(self.text(), own);
                return Some((span, children.into_iter().map(around).collect::<Option<_>>()?));
            }
            _ => {}
        }
        let comments = matches!(self.format(), Format::Yaml | Format::Toml);
        let end = |(start, end): (usize, usize)| {
            let mut own = self.text()[start..end].trim_end();
            while comments
                && let Some((before, last)) = own.rsplit_once('\n')
                && last.trim_start().starts_with('#')
            {
                own = before.trim_end();
            }
            (start, start + own.len())
        };
        Some((span, children.into_iter().map(end).collect()))
    }

    /// Where an entry begins with the sign of its list and the blanks before it, up to the line above.
    fn start_of(&self, own: usize) -> usize {
        let text = self.text();
        let line = text[..own].rfind('\n').map_or(0, |n| n + 1);
        let signed = self.format() == Format::Yaml && text[line..own].trim_matches([' ', '\t', '-']).is_empty();
        let at = if signed { line } else { own };
        at - self.blank_before(at).len()
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
        if self.format() == Format::Yaml && children.len() == 1 {
            // On lines of its own an empty list would be no list.
            let brackets = if matches!(list.of(&meant), Some(Value::Array(_))) { "[]" } else { "{}" };
            let before = text[..own.0].trim_end_matches(['-', ' ']);
            let blank = before.trim_end();
            if before.len() > blank.len() && (before.ends_with('\n') || before.is_empty()) && blank.ends_with(':') {
                return self.with(blank.len()..own.1, &format!(" {brackets}"), &meant, list);
            }
        }
        let sign = |c: char| matches!(c, ';' | ',') || (c == '-' && self.format() == Format::Yaml);
        let blank = |gap: &str| gap.trim_matches(|c: char| c.is_whitespace() || sign(c)).is_empty();
        let own_sign =
            own.1 + text[own.1..].find([';', ',']).filter(|_| !self.sign_behind(own.1).is_empty()).map_or(0, |n| n + 1);
        let (next, above) = (children.get(1), nth.checked_sub(1).and_then(|above| children.get(above)));
        let cut = match nth {
            0 if next.is_some_and(|next| blank(&text[own.1..next.0])) => own.0..next.map_or(own.1, |next| next.0),
            _ if above.is_some_and(|above| blank(&text[above.1..own.0])) => above.map_or(own.0, |above| above.1)..own.1,
            // A comment between them stays; one on its own line goes with it.
            _ => self.start_of(own.0)..self.tail(own.1).map_or(own_sign, |tail| own.1 + tail.len()),
        };
        self.with(cut, "", &meant, list)
    }

    /// Takes one entry out of a list and gives the new document.
    ///
    /// # Errors
    /// [`DocumentError::WrongKind`] of what is no list, or of an entry that can't be taken out of it.
    pub fn remove(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        match self.format() {
            Format::Json | Format::Jsonc | Format::JsonLines => self.remove_json(list, nth),
            Format::Xml => self.remove_element(list, nth),
            _ if self.is_of_sections(list) => self.remove_section(list, nth),
            Format::Nested
            | Format::Yaml
            | Format::Toml
            | Format::Ini
            | Format::Lines
            | Format::Table
            | Format::PropertyList => self.remove_member(list, nth),
            _ => Err(DocumentError::WrongKind { place: list.to_string() }),
        }
    }

    /// Puts one entry of a list at another number and gives the new document.
    ///
    /// # Errors
    /// [`DocumentError::WrongKind`] of what is no list, or of a number that it doesn't have.
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
        let start = children.first().ok_or_else(wrong)?.0;
        let mut from = start;
        for (slot, entry) in children.iter().zip(order) {
            out.push_str(&text[from..slot.0]);
            out.push_str(&text[entry.0..entry.1]);
            from = slot.1;
        }
        self.with(start..from, &out, &meant, list)
    }

    /// The text of the value that a JSONPath finds below a place, if it finds one.
    ///
    /// # Errors
    /// [`DocumentError::Selector`] of what is no JSONPath.
    pub fn below(&self, place: &Place, selector: &str) -> Result<Option<String>, DocumentError> {
        let whole = format!("{place}{}", selector.strip_prefix('$').unwrap_or(selector));
        Ok(self.find(&whole)?.first().and_then(|place| self.leaf(place, Side::Value)))
    }
}

/// An element of a property list with its tags and the key before it, by the texts in them; `None` where that can't be seen.
fn around_element(text: &str, (start, end): (usize, usize)) -> Option<(usize, usize)> {
    if text[start..end].starts_with('<') && !text[start..end].starts_with("<!") {
        return Some((start, end));
    }
    // The text of a key or of a value begins behind its tag; what has no text begins behind its only one.
    let head = text[..start].rfind('<')?;
    let is_only = text[..start].ends_with("/>") && start == end;
    let is_whole = text[..end].ends_with('>') && !text[start..end].ends_with("]]>") && start < end;
    let tail = if is_only || is_whole { 0 } else { text[end..].strip_prefix("</")?.find('>')? + 3 };
    Some((head, end + tail))
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

#[cfg(test)]
mod tests;
