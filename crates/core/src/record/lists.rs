//! Entries that come into a list and leave it, in the layout of that list.
//!
//! Law: the same as an edit's: the document that comes out is read again and must say what was meant.

use std::ops::Range;

use serde_json::Value;

use super::document::{Document, DocumentError, Spans};
use super::formats::json_quoted;
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
            ([.., last], _) => {
                let before = children.len().checked_sub(2).map(|n| &text[children[n].1..last.0]);
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
                    return self.with(last.1..last.1, &format!("{sign}{blank}{written}"), &meant, list);
                };
                let sign = if own_sign.is_empty() { sign } else { "" };
                let blank = if blank.contains("\r\n") || !text[last.1..].starts_with('\r') {
                    blank
                } else {
                    blank.replace('\n', "\r\n")
                };
                let new = format!("{sign}{tail}{blank}{written}{own_sign}");
                self.with(last.1..last.1 + tail.len(), &new, &meant, list)
            }
            ([], like) if self.format() == Format::PropertyList => {
                self.append_first_element(list, written, like.map(|(start, _)| blank_before(text, start)), &meant)
            }
            ([], like) => {
                let empty = span.len() >= 2 && text[span.start + 1..span.end - 1].trim().is_empty();
                if !empty {
                    return Err(wrong());
                }
                if self.format() == Format::Yaml
                    && let Some((new, from)) = self.first_of_block(span.start, written, like)
                {
                    return self.with(from..span.end, &new, &meant, list);
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
        let cut = match nth {
            0 if children.len() > 1 && blank(&text[own.1..children[1].0]) => own.0..children[1].0,
            n if n > 0 && blank(&text[children[n - 1].1..own.0]) => children[n - 1].1..own.1,
            // A comment between them stays; one on its own line goes with it.
            _ => self.start_of(own.0)..self.tail(own.1).map_or(own_sign, |tail| own.1 + tail.len()),
        };
        self.with(cut, "", &meant, list)
    }

    /// Whether a list is that of all sections of a text.
    pub(crate) fn is_of_sections(&self, list: &Place) -> bool {
        matches!(self.format(), Format::Ini | Format::Hive) && list.0.is_empty()
    }

    /// A section as it is written, from its head to the last line that says something in it.
    pub(crate) fn section(&self, nth: usize) -> Option<&str> {
        let (start, end) = self.sections()?.get(nth).copied()?;
        Some(&self.text()[start..end])
    }

    /// Where sections begin and end; `None` where one stands in two parts.
    fn sections(&self) -> Option<Spans> {
        let (text, root) = (self.text(), Place::default());
        let children = self.children(&root)?;
        let (_, spans) = self.child_spans(&root)?;
        let is_whole = |place: &Place| self.times_written(place) == 1;
        if spans.len() != children.len() || !children.iter().all(is_whole) {
            return None;
        }
        let line = |at: usize| text[..at].rfind('\n').map_or(0, |n| n + 1);
        let starts: Vec<usize> = spans.iter().map(|(start, _)| line(*start)).collect();
        let ends = starts.iter().skip(1).copied().chain([text.len()]);
        // What stands above the next head, or says nothing, is none of its own.
        let own = |(start, end): (usize, usize)| {
            let mut own = text[start..end].trim_end();
            while let Some((before, last)) = own.rsplit_once('\n')
                && last.trim_start().starts_with([';', '#'])
                && !last.trim_start().starts_with("#time=")
            {
                own = before.trim_end();
            }
            (start, start + own.len())
        };
        Some(starts.iter().copied().zip(ends).map(own).collect())
    }

    fn append_section(&self, list: &Place, written: &str) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (key, value) = self.read_entry(list, written)?;
        let (key, sections) = (key.ok_or_else(wrong)?, self.sections().ok_or_else(wrong)?);
        let mut meant = self.value().clone();
        let object = meant.as_object_mut().ok_or_else(wrong)?;
        if object.contains_key(&key) {
            return Err(DocumentError::Collision { place: list.to_string(), key });
        }
        object.insert(key, value);
        let text = self.text();
        let last = sections.last().ok_or_else(wrong)?;
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let before = sections.len().checked_sub(2).map(|nth| &text[sections[nth].1..last.0]);
        let gap = before.filter(|gap| gap.contains('\n') && gap.trim().is_empty());
        let gap = gap.map_or_else(|| end.repeat(2), str::to_string);
        self.with(last.1..last.1, &format!("{gap}{written}"), &meant, list)
    }

    fn remove_section(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let sections = self.sections().ok_or_else(wrong)?;
        let own = sections.get(nth).copied().ok_or_else(wrong)?;
        let children = self.children(list).ok_or_else(wrong)?;
        let Some(Step::Name(name)) = children.get(nth).and_then(|place| place.0.last()) else { return Err(wrong()) };
        let mut meant = self.value().clone();
        meant.as_object_mut().ok_or_else(wrong)?.shift_remove(name);
        let text = self.text();
        let above = nth.checked_sub(1).map(|nth| sections[nth].1).filter(|end| text[*end..own.0].trim().is_empty());
        let cut = match (above, sections.get(nth + 1)) {
            (Some(above), _) => above..own.1,
            (None, Some(next)) if text[own.1..next.0].trim().is_empty() => own.0..next.0,
            (None, _) => own.0..own.1,
        };
        self.with(cut, "", &meant, list)
    }

    /// Takes one entry out of a list and gives the new document.
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
                let before = children.len().checked_sub(2).map_or(span.start + 1, |n| children[n].1);
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
            let children = self.children(&all[nth]).unwrap_or_default();
            all.extend(children.into_iter().take(MOST));
            nth += 1;
        }
        all
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
        let step = step_of(text, &indent);
        format!("{open}{end}{indent}{step}{entry}{end}{indent}{close}")
    }

    /// An element comes behind the last one of its name, on a line of its own if that one has one; the first of its name behind all
    /// others, with these blanks before it.
    fn append_element(&self, list: &Place, raw: &str, blank: Option<&str>) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let entry = Self::parse(raw.trim().as_bytes().to_vec(), Format::Xml).map_err(|_| wrong())?;
        let Some(Step::Name(name)) = list.0.last() else { return Err(wrong()) };
        let value = entry.value().get(name).cloned().ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        if list.of(self.value()).is_none() {
            let above = Place(list.0[..list.0.len() - 1].to_vec());
            let element = above.of_mut(&mut meant).and_then(Value::as_object_mut).ok_or_else(wrong)?;
            element.insert(name.clone(), Value::Array(vec![value]));
            return self.append_first_element(&above, raw.trim(), blank, &meant);
        }
        list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?.push(value);
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        let last = children.last().ok_or_else(wrong)?;
        let before = &self.text()[..last.0];
        let gap = &before[before.trim_end_matches([' ', '\t', '\r', '\n']).len()..];
        self.with(last.1..last.1, &format!("{gap}{}", raw.trim()), &meant, list)
    }

    /// An element in one that has none of its name.
    fn append_first_element(
        &self,
        above: &Place,
        raw: &str,
        blank: Option<&str>,
        meant: &Value,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: above.to_string() };
        let (span, _) = self.child_spans(above).ok_or_else(wrong)?;
        let text = self.text();
        let element = &text[span.clone()];
        let line = text[..span.start].rfind('\n').map_or(0, |n| n + 1);
        let indent: String = text[line..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let step = step_of(text, &indent);
        let blank = match blank {
            Some(blank) => blank.to_string(),
            None if text[line..span.start].trim().is_empty() && text.contains('\n') => format!("{end}{indent}{step}"),
            None => String::new(),
        };
        let behind = if blank.contains('\n') { format!("{end}{indent}") } else { String::new() };
        let head = end_of_tag(element).ok_or_else(wrong)?;
        if element[..head].ends_with('/') {
            let name = element[1..].split([' ', '\t', '\r', '\n', '/', '>']).next().unwrap_or_default();
            let from = element[..head - 1].trim_end().len();
            let new = format!(">{blank}{raw}{behind}</{name}>");
            return self.with(span.start + from..span.end, &new, meant, above);
        }
        let inner = head + 1..element.rfind("</").ok_or_else(wrong)?;
        let said = element[inner.clone()].trim_end();
        let (from, to) = (inner.start + said.len(), if said.is_empty() { inner.end } else { inner.start + said.len() });
        let behind = if said.is_empty() { behind } else { String::new() };
        self.with(span.start + from..span.start + to, &format!("{blank}{raw}{behind}"), meant, above)
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

/// Where the tag ends with which an element begins: what stands in quotes may hold its sign.
fn end_of_tag(element: &str) -> Option<usize> {
    let mut quote = None;
    element.bytes().position(|byte| {
        match quote {
            Some(sign) if sign == byte => quote = None,
            None if matches!(byte, b'"' | b'\'') => quote = Some(byte),
            _ => {}
        }
        byte == b'>' && quote.is_none()
    })
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

/// What a line is indented by beyond one with this indent, as the text has it elsewhere.
fn step_of(text: &str, indent: &str) -> String {
    /// Lines that are looked at.
    const LINES: usize = 2000;
    if indent.contains('\t') || (indent.is_empty() && text.contains("\n\t")) {
        return "\t".into();
    }
    let blanks = text.lines().take(LINES).map(|line| line.len() - line.trim_start_matches(' ').len());
    " ".repeat(blanks.filter(|count| *count > 0).min().unwrap_or(2).min(8))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Texts with two libraries, their format, the list, and a new one.
    const TEXTS: [(&str, Format, &str, &str); 33] = [
        ("{\"all\": [{\"at\": \"/a\"}, {\"at\": \"/b\"}]}", Format::Json, "$.all", "{\"at\": \"/n\"}"),
        ("{\n  \"all\": [\n    {\"at\": \"/a\"}\n  ]\n}\n", Format::Json, "$.all", "{\"at\": \"/n\"}"),
        ("{\"all\": {\"0\": {\"at\": \"/a\"}}}", Format::Json, "$.all", "\"1\": {\"at\": \"/n\"}"),
        ("<r>\n  <l at=\"/a\"/>\n  <l at=\"/b\"/>\n</r>\n", Format::Xml, "$.r.l", "<l at=\"/n\"/>"),
        ("all {\n  0 {\n    at = \"/a\";\n  }\n}\n", Format::Nested, "$.all", "1 {\n    at = \"/n\";\n  }"),
        (
            "all {\n  0 { at = \"/a\"; } # one\n  1 { at = \"/b\"; } # two\n}\n",
            Format::Nested,
            "$.all",
            "2 { at = \"/n\"; }",
        ),
        (
            "\"all\"\n{\n\t\"0\"\n\t{\n\t\t\"at\" \"/a\"\n\t}\n}\n",
            Format::Nested,
            "$.all",
            "\"1\"\n\t{\n\t\t\"at\" \"/n\"\n\t}",
        ),
        ("v: 1\nall:\n  - at: /a\n    n: 1\n  - at: /b\n    n: 2\nz: 3\n", Format::Yaml, "$.all", "at: /n\n    n: 3"),
        (
            "v = 1\n\n[[l]]\nat = \"/a\"\n\n[[l]]\nat = \"/b\"\nn = 2\n\n[z]\nx = 1\n",
            Format::Toml,
            "$.l",
            "[[l]]\nat = \"/n\"",
        ),
        ("[[a.l]]\nat = \"/a\"\n[a.l.in]\nx = 1\n# why\n[z]\nx = 1\n", Format::Toml, "$.a.l", "[[a.l]]\nat = \"/n\""),
        ("v = 1\nall = [\"/a\"]\n", Format::Toml, "$.all", "\"/n\""),
        ("all = [\n  \"/a\",\n  \"/b\", # two\n]\n", Format::Toml, "$.all", "\"/n\""),
        ("all = [{at = \"/a\"}, {at = \"/b\"}]\n", Format::Toml, "$.all", "{at = \"/n\"}"),
        ("[all]\n0 = \"/a\"\n1 = \"/b\"\n\n[z]\nx = 1\n", Format::Toml, "$.all", "2 = \"/n\""),
        ("[all]\n0=/a\n1=/b\n\n[z]\nx=1\n", Format::Ini, "$.all", "2=/n"),
        ("x=0\n[all]\nl0 = /a\n", Format::Ini, "$.all", "l1 = /n"),
        ("[l 1]\nat=/a\n\n# two\n[l 2]\nat=/b\n", Format::Ini, "$", "[l 3]\nat=/n"),
        ("x=1\n[o]\ny = 2\n[l0]\nat = /a\n", Format::Ini, "$", "[l1]\nat = /n"),
        ("[l1]\nat=/a\n; the end\n", Format::Ini, "$", "[l2]\nat=/n"),
        (
            "WINE REGISTRY Version 2\n\n[S\\\\1] 17\n#time=1\n\"at\"=\"/a\"\n\n[S\\\\2] 17\n\"at\"=\"/b\"\n\n",
            Format::Hive,
            "$",
            "[S\\\\3] 17\n\"at\"=\"/n\"",
        ),
        ("all:\n- at: '/a'\n# why\n- at: '/b'\n", Format::Yaml, "$.all", "at: '/n'"),
        ("all:\n  - /a\n  - /b\n", Format::Yaml, "$.all", "/n"),
        ("all:\n  0:\n    at: /a\n  1:\n    at: /b\n", Format::Yaml, "$.all", "2:\n    at: /n"),
        ("/a\n/b\n", Format::Lines, "$", "/n"),
        ("/a", Format::Lines, "$", "/n"),
        ("# where\n/a\n", Format::Lines, "$", "/n"),
        ("nr,at\n1,/a\n2,/b\n", Format::Table, "$", "3,/n"),
        ("nr;at;why\n\"1\";\"/a\";", Format::Table, "$", "\"2\";\"/n\";"),
        ("nr\tat\twhy\n1\t/a\t\n# two\n2\t/b\t\n", Format::Table, "$", "3\t/n\t"),
        ("1|/a\n2|/b\n3|/c\n", Format::Table, "$", "4|/n"),
        (
            "<plist version=\"1.0\">\n<dict>\n  <key>all</key>\n  <array>\n    <string>/a</string>\n    <string/>\n  </array>\n</dict>\n</plist>\n",
            Format::PropertyList,
            "$.all",
            "<string>/n</string>",
        ),
        (
            "<plist><dict><key>all</key><array><dict><key>at</key><string>/a</string></dict></array></dict></plist>",
            Format::PropertyList,
            "$.all",
            "<dict><key>at</key><string>/n</string></dict>",
        ),
        (
            "<plist>\n<dict>\n\t<key>1</key>\n\t<string>/a</string>\n\t<key>2</key>\n\t<string><![CDATA[/b]]></string>\n</dict>\n</plist>\n",
            Format::PropertyList,
            "$",
            "<key>3</key>\n\t<string>/n</string>",
        ),
    ];

    #[test]
    fn an_entry_that_comes_and_goes_leaves_every_other_byte_as_it_is() {
        for (text, format, list, entry) in TEXTS {
            for end in ["\n", "\r\n"].into_iter().take(if text.contains('\n') { 2 } else { 1 }) {
                let (text, entry) = (text.replace('\n', end), entry.replace('\n', end));
                let document = Document::parse(text.clone().into_bytes(), format).unwrap();
                let at = document.find_one(list).unwrap();
                let bytes = document.append(&at, None, &entry).unwrap_or_else(|why| panic!("{text:?}: {why}"));
                let now = Document::parse(bytes, format).unwrap();
                let (before, after) = (document.children(&at).unwrap(), now.children(&at).unwrap());
                assert_eq!(after.len(), before.len() + 1, "{text:?}");
                let same = |place: &Place| place.of(document.value()) == place.of(now.value());
                assert!(before.iter().all(same), "{text:?}");
                assert!(now.text().contains("/n"), "{text:?}");
                for line in text.lines() {
                    let line = line.strip_suffix("</array></dict></plist>").unwrap_or(line);
                    assert!(
                        now.text().contains(line.trim_end_matches([',', ']', '}'])),
                        "{text:?}: {line:?} is gone from {:?}",
                        now.text()
                    );
                }
                assert_eq!(
                    now.text().matches("\r\n").count(),
                    now.text().matches('\n').count() * (end.len() - 1),
                    "{:?}",
                    now.text()
                );
                let back = now.remove(&at, before.len()).unwrap_or_else(|why| panic!("{:?}: {why}", now.text()));
                assert_eq!(String::from_utf8(back).unwrap(), text);
            }
        }
    }

    #[test]
    fn the_last_entry_of_a_list_of_yaml_leaves_brackets_and_comes_back_on_lines_of_its_own() {
        for text in [
            "a:\n  - n: 1\n    g:\n    - x: 1\n      y: 2\n    z: 1\n  - n: 2\n    g:\n    - x: 3\n      y: 4\n    z: 2\n",
            "a:\n  - n: 1\n    g:\n      - one\n  - n: 2\n    g:\n      - two\nend: 1\n",
            "a:\n  - n: 1\n    g:\n      k1:\n        x: 1\n  - n: 2\n    g:\n      k2:\n        x: 2\n",
            "a:\n  - {n: 1, g: [one]}\n  - {n: 2, g: [two]}\n",
        ] {
            for text in [text.to_string(), text.replace('\n', "\r\n")] {
                let document = Document::parse(text.clone().into_bytes(), Format::Yaml).unwrap();
                let [from, to] = [0, 1].map(|n| Place::read(&format!("$['a'][{n}]['g']")).unwrap());
                let both = document.append_like(&to, (&from, 0)).unwrap_or_else(|why| panic!("{text:?}: {why}"));
                let both = Document::parse(both, Format::Yaml).unwrap();
                let moved = Document::parse(both.remove(&from, 0).unwrap(), Format::Yaml).unwrap();
                assert_eq!(moved.children(&from).unwrap().len(), 0, "{}", moved.text());
                assert_eq!(moved.children(&to).unwrap().len(), 2, "{}", moved.text());
                let both = Document::parse(moved.append_like(&from, (&to, 1)).unwrap(), Format::Yaml).unwrap();
                assert_eq!(String::from_utf8(both.remove(&to, 1).unwrap()).unwrap(), text);
            }
        }
    }

    #[test]
    fn an_element_comes_into_one_that_has_none_of_its_name_and_goes_again() {
        for (to, says) in [
            ("<l at=\"/b\"/>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
            ("<l at='/>/b' />", "<l at='/>/b'>\n    <g n=\"1\"/>\n  </l>"),
            ("<l at=\"/b\"></l>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
            ("<l at=\"/b\">\n  </l>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
            ("<l>\n    <at>/b</at>\n  </l>", "<l>\n    <at>/b</at>\n    <g n=\"1\"/>\n  </l>"),
            ("<l><at>/b</at></l>", "<l><at>/b</at>\n    <g n=\"1\"/></l>"),
        ] {
            for end in ["\n", "\r\n"] {
                let text = format!("<r>\n  <l at=\"/a\">\n    <g n=\"1\"/>\n    <g n=\"2\"/>\n  </l>\n  {to}\n</r>\n");
                let document = Document::parse(text.replace('\n', end).into_bytes(), Format::Xml).unwrap();
                let [from, at] = ["$['r']['l'][0]['g']", "$['r']['l'][1]['g']"].map(|at| Place::read(at).unwrap());
                let now = document.append_like(&at, (&from, 0)).unwrap_or_else(|why| panic!("{text}: {why}"));
                let now = Document::parse(now, Format::Xml).unwrap();
                assert_eq!(now.text(), text.replace(to, says).replace('\n', end));
                let back = Document::parse(now.remove(&at, 0).unwrap(), Format::Xml).unwrap();
                assert_eq!(back.value(), document.value(), "{}", back.text());
                assert_eq!(back.text().contains("\r\n"), end == "\r\n");
            }
        }
    }

    #[test]
    fn an_entry_that_leaves_from_anywhere_leaves_the_others_and_what_stands_between_them() {
        for (text, format, list, _) in TEXTS {
            let document = Document::parse(text.as_bytes().to_vec(), format).unwrap();
            let at = document.find_one(list).unwrap();
            let children = document.children(&at).unwrap();
            for nth in 0..children.len() {
                // What has no other entry may be refused; what is made has to be right.
                let Ok(bytes) = document.remove(&at, nth) else {
                    assert_eq!(children.len(), 1, "{text:?}: {nth}");
                    continue;
                };
                let now = Document::parse(bytes, format).unwrap();
                assert_eq!(
                    now.children(&at).map_or(0, |all| all.len()),
                    children.len() - 1,
                    "{text:?}: {:?} {}",
                    now.text(),
                    now.value()
                );
                // Among plain lines a comment is a line like the others.
                for word in ["# why", "z: 3"] {
                    assert_eq!(now.text().contains(word), text.contains(word), "{text:?}: {:?}", now.text());
                }
            }
        }
    }
}
