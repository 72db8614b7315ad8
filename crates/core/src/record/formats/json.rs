//! JSON (RFC 8259), and JSON with comments and commas behind the last entry.

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
        // Behind a value: commas, closing brackets, and at last the end of the text.
        let mut fresh = opened;
        loop {
            s.blank()?;
            let Some((id, object)) = open.last().copied() else {
                if s.at == text.len() {
                    return Ok(());
                }
                if list.is_none() {
                    return Err(s.fault("there is more behind the end"));
                }
                break;
            };
            let closing = if object { b'}' } else { b']' };
            if s.peek() == Some(closing) {
                s.at += 1;
                out.end(id, s.at);
                open.pop();
                fresh = false;
                continue;
            }
            if !fresh {
                if s.peek() != Some(b',') {
                    return Err(s.fault("a comma or the end of the list was wanted"));
                }
                s.at += 1;
                s.blank()?;
                if s.peek() == Some(closing) {
                    if extras == Extras::None {
                        return Err(s.fault("a comma stands behind the last entry"));
                    }
                    continue;
                }
            }
            if object {
                let start = s.at;
                if s.peek() != Some(b'"') {
                    return Err(s.fault("a key in quotes was wanted"));
                }
                s.text()?;
                key = Some(Key::new(start..s.at, Style::JsonText));
                s.blank()?;
                if s.peek() != Some(b':') {
                    return Err(s.fault("a colon was wanted"));
                }
                s.at += 1;
                s.blank()?;
            }
            break;
        }
    }
}

impl JsonScanner<'_> {
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
        if self.peek() == Some(b'"') {
            self.text()?;
            return Ok(Style::JsonText);
        }
        let bytes = self.text.as_bytes();
        let part = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'+' | b'-' | b'.');
        self.at += bytes[start..].iter().take_while(|b| part(b)).count();
        match &self.text[start..self.at] {
            "true" | "false" | "null" => Ok(Style::JsonWord),
            number if serde_json::from_str::<Value>(number).is_ok_and(|v| v.is_number()) => Ok(Style::JsonNumber),
            _ => Err(Fault::new(start, "a value was wanted")),
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

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    match style {
        Style::JsonText if raw.contains('\\') => {
            serde_json::from_str::<String>(raw).map_or(Cow::Borrowed(raw), Cow::Owned)
        }
        Style::JsonText => Cow::Borrowed(raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw)),
        _ => Cow::Borrowed(raw),
    }
}

pub(crate) fn encode(style: Style, new: &str, raw: &str) -> Option<String> {
    match style {
        Style::JsonText => Some(quoted(new, raw)),
        _ => serde_json::from_str::<Value>(new).is_ok_and(|v| v.is_number()).then(|| new.to_string()),
    }
}

/// Writes a text with the habits of the one it replaces: a writer that escapes slashes goes on doing so.
pub(crate) fn quoted(new: &str, old: &str) -> String {
    let text = Value::String(new.into()).to_string();
    if old.contains("\\/") { text.replace('/', "\\/") } else { text }
}
