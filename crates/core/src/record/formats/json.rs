//! JSON (RFC 8259), and JSON with comments, commas behind the last entry, keys without quotes and texts in single ones (JSON5).

use std::borrow::Cow;

use serde_json::Value;

use super::super::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};

/// What is allowed beside plain JSON.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Extras {
    None,
    CommentsAndCommas,
}

struct JsonScanner<'t> {
    text: &'t str,
    at: usize,
    extras: Extras,
}

pub(crate) fn scan(text: &str, extras: Extras, out: &mut Builder<'_>) -> Result<(), Fault> {
    scan_below(text, extras, None, out)
}

/// Adds a list of all documents of a text, and their nodes.
pub(crate) fn scan_lines(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let root = out.add(None, None, Kind::List, 0..text.len());
    scan_below(text, Extras::None, Some(root), out)
}

/// `list` is what takes all documents, where there may be several.
fn scan_below(text: &str, extras: Extras, list: Option<u32>, out: &mut Builder<'_>) -> Result<(), Fault> {
    let mut s = JsonScanner { text, at: 0, extras };
    let mut open: Vec<(u32, bool)> = Vec::new();
    s.blank()?;
    if s.peek().is_none() {
        return Err(Fault::new(0, "the file is empty"));
    }
    let mut key = None;
    loop {
        let parent = open.last().map(|(id, _)| *id).or(list);
        let start = s.at;
        let opened = if let Some(byte @ (b'{' | b'[')) = s.peek() {
            if open.len() >= DEEPEST {
                return Err(Fault::new(start, format!("nested deeper than {DEEPEST}")));
            }
            s.at += 1;
            let object = byte == b'{';
            let kind = if object { Kind::Object } else { Kind::List };
            open.push((out.add(parent, key.take(), kind, start..start), object));
            true
        } else {
            let style = s.scalar()?;
            out.add(parent, key.take(), Kind::Leaf(style), start..s.at);
            false
        };
        match s.behind_a_value(&mut open, opened, out)? {
            Behind::End if list.is_none() => {
                return if s.at == text.len() { Ok(()) } else { Err(s.fault("there is more behind the end")) };
            }
            Behind::End if s.at == text.len() => return Ok(()),
            Behind::End => {}
            Behind::Next(next) => key = next,
        }
    }
}

/// What stands behind a value.
enum Behind {
    /// Another one, with its key in an object.
    Next(Option<Key>),
    /// No list is open any more.
    End,
}

impl JsonScanner<'_> {
    /// Goes over what stands behind a value: commas, closing brackets, and the key of the next; `fresh` behind an opening bracket.
    fn behind_a_value(
        &mut self,
        open: &mut Vec<(u32, bool)>,
        mut fresh: bool,
        out: &mut Builder<'_>,
    ) -> Result<Behind, Fault> {
        loop {
            self.blank()?;
            let Some((id, object)) = open.last().copied() else { return Ok(Behind::End) };
            let closing = if object { b'}' } else { b']' };
            if self.peek() == Some(closing) {
                self.at += 1;
                out.end(id, self.at);
                open.pop();
                fresh = false;
                continue;
            }
            if !fresh {
                if self.peek() != Some(b',') {
                    return Err(self.fault("a comma or the end of the list was wanted"));
                }
                self.at += 1;
                self.blank()?;
                if self.peek() == Some(closing) {
                    if self.extras == Extras::None {
                        return Err(self.fault("a comma stands behind the last entry"));
                    }
                    continue;
                }
            }
            return Ok(Behind::Next(if object { Some(self.key_and_colon()?) } else { None }));
        }
    }

    fn key_and_colon(&mut self) -> Result<Key, Fault> {
        let start = self.at;
        let style = self.key()?;
        let key = Key::new(start..self.at, style);
        self.blank()?;
        if self.peek() != Some(b':') {
            return Err(self.fault("a colon was wanted"));
        }
        self.at += 1;
        self.blank()?;
        Ok(key)
    }

    fn peek(&self) -> Option<u8> {
        self.text.as_bytes().get(self.at).copied()
    }

    fn fault(&self, what: &str) -> Fault {
        Fault::new(self.at, what)
    }

    fn blank(&mut self) -> Result<(), Fault> {
        let bytes = self.text.as_bytes();
        loop {
            while matches!(self.peek(), Some(b' ' | b'\t' | b'\r' | b'\n')) {
                self.at += 1;
            }
            if self.extras == Extras::None || self.peek() != Some(b'/') {
                return Ok(());
            }
            let rest = &self.text[self.at..];
            match bytes.get(self.at + 1) {
                Some(b'/') => self.at += rest.find('\n').unwrap_or(rest.len()),
                Some(b'*') => self.at += rest[2..].find("*/").ok_or_else(|| self.fault("a comment has no end"))? + 4,
                _ => return Ok(()),
            }
        }
    }

    fn scalar(&mut self) -> Result<Style, Fault> {
        let start = self.at;
        match self.peek() {
            Some(b'"') => {
                self.text()?;
                return Ok(Style::JsonText);
            }
            Some(b'\'') if self.extras == Extras::CommentsAndCommas => {
                self.single()?;
                return Ok(Style::JsonSingle);
            }
            _ => {}
        }
        let bytes = self.text.as_bytes();
        let part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'+' | b'-' | b'.');
        self.at += bytes.iter().skip(start).take_while(|b| part(b)).count();
        match &self.text[start..self.at] {
            "true" | "false" | "null" => Ok(Style::JsonWord),
            number if serde_json::from_str::<Value>(number).is_ok_and(|v| v.is_number()) => Ok(Style::JsonNumber),
            number if self.extras == Extras::CommentsAndCommas && is_odd_number(number) => Ok(Style::Fixed),
            _ => Err(Fault::new(start, "a value was wanted")),
        }
    }

    /// Goes behind a key.
    fn key(&mut self) -> Result<Style, Fault> {
        let extras = self.extras == Extras::CommentsAndCommas;
        match self.peek() {
            Some(b'"') => {
                self.text()?;
                Ok(Style::JsonText)
            }
            Some(b'\'') if extras => {
                self.single()?;
                Ok(Style::JsonSingle)
            }
            _ => {
                let rest = self.text.get(self.at..).unwrap_or_default();
                let length = name_length(rest);
                if !extras || length == 0 {
                    return Err(self.fault("a key in quotes was wanted"));
                }
                self.at += length;
                Ok(Style::JsonName)
            }
        }
    }

    /// Goes behind a text in single quotes.
    fn single(&mut self) -> Result<(), Fault> {
        let start = self.at;
        let bytes = self.text.as_bytes();
        self.at += 1;
        loop {
            match bytes.get(self.at) {
                None | Some(b'\n') => return Err(Fault::new(start, "a text has no closing quote")),
                Some(b'\'') => break,
                Some(b'\\') => self.at += 2,
                Some(_) => self.at += 1,
            }
        }
        self.at += 1;
        match self.text.get(start..self.at).and_then(single) {
            Some(_) => Ok(()),
            None => Err(Fault::new(start, "a text holds an escape that is none")),
        }
    }

    /// Goes behind a text in quotes.
    fn text(&mut self) -> Result<(), Fault> {
        let start = self.at;
        let bytes = self.text.as_bytes();
        let mut escaped = false;
        self.at += 1;
        loop {
            match bytes.get(self.at) {
                None => return Err(Fault::new(start, "a text has no closing quote")),
                Some(b'"') => break,
                Some(b'\\') => {
                    escaped = true;
                    self.at += 2;
                }
                Some(b) if *b < b' ' => return Err(self.fault("a control character stands in a text")),
                Some(_) => self.at += 1,
            }
        }
        self.at += 1;
        if escaped && serde_json::from_str::<String>(self.text.get(start..self.at).unwrap_or_default()).is_err() {
            return Err(Fault::new(start, "a text holds an escape that is none"));
        }
        Ok(())
    }
}

/// Bytes of a name without quotes (JSON5: an identifier of ECMAScript, here without escapes).
fn name_length(text: &str) -> usize {
    let begins = text.starts_with(|c: char| c.is_alphabetic() || matches!(c, '_' | '$'));
    let part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$');
    if begins { text.find(|c| !part(c)).unwrap_or(text.len()) } else { 0 }
}

/// A number that only JSON5 has.
fn is_odd_number(text: &str) -> bool {
    let text = text.strip_prefix(['+', '-']).unwrap_or(text);
    let hex = text.strip_prefix("0x").or_else(|| text.strip_prefix("0X"));
    let is_hex = hex.is_some_and(|hex| !hex.is_empty() && hex.bytes().all(|b| b.is_ascii_hexdigit()));
    let plain = text.starts_with(|c: char| c.is_ascii_digit() || c == '.') && text.parse::<f64>().is_ok();
    is_hex || plain || matches!(text, "Infinity" | "NaN")
}

/// What a text in single quotes says.
fn single(raw: &str) -> Option<String> {
    let inner = raw.strip_prefix('\'')?.strip_suffix('\'')?;
    // The same in double quotes: only the quotes themselves are escaped otherwise.
    let mut text = String::from("\"");
    let mut signs = inner.chars();
    while let Some(c) = signs.next() {
        match c {
            '"' => text.push_str("\\\""),
            '\\' => match signs.next()? {
                '\'' => text.push('\''),
                other => text.extend(['\\', other]),
            },
            other => text.push(other),
        }
    }
    text.push('"');
    serde_json::from_str(&text).ok()
}

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    match style {
        Style::JsonText if raw.contains('\\') => {
            serde_json::from_str::<String>(raw).map_or(Cow::Borrowed(raw), Cow::Owned)
        }
        Style::JsonSingle => single(raw).map_or(Cow::Borrowed(raw), Cow::Owned),
        Style::JsonText => Cow::Borrowed(raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw)),
        _ => Cow::Borrowed(raw),
    }
}

pub(crate) fn encode(style: Style, new: &str, raw: &str) -> Option<String> {
    match style {
        Style::JsonSingle => {
            let text = quoted(new, raw);
            let inner = text.strip_prefix('"')?.strip_suffix('"')?.replace("\\\"", "\"").replace('\'', "\\'");
            Some(format!("'{inner}'"))
        }
        Style::JsonName if name_length(new) == new.len() && !new.is_empty() => Some(new.into()),
        Style::JsonText | Style::JsonName => Some(quoted(new, raw)),
        _ => serde_json::from_str::<Value>(new).is_ok_and(|v| v.is_number()).then(|| new.to_string()),
    }
}

/// Writes a text with the habits of the one it replaces: a writer that escapes slashes goes on doing so.
pub(crate) fn quoted(new: &str, old: &str) -> String {
    let text = Value::String(new.into()).to_string();
    if old.contains("\\/") { text.replace('/', "\\/") } else { text }
}
