//! XML 1.0: elements, attributes, text, CDATA. Entities other than the five that XML has are refused.

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};

use super::super::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};

struct Element {
    node: u32,
    start: usize,
}

struct XmlScanner<'t, 'b, 'k> {
    text: &'t str,
    out: &'b mut Builder<'k>,
    lists: HashMap<(u32, &'t str), u32>,
    open: Vec<Element>,
    /// The run of text and references that has begun.
    run: Option<Range<usize>>,
}

/// What comes next, and where it stands.
pub(super) fn next_event<'t>(reader: &mut Reader<&'t [u8]>) -> Result<(Event<'t>, Range<usize>), Fault> {
    let at = |place: u64| usize::try_from(place).unwrap_or(usize::MAX);
    let start = at(reader.buffer_position());
    let event = reader.read_event().map_err(|e| Fault::new(at(reader.error_position()), e.to_string()))?;
    Ok((event, start..at(reader.buffer_position())))
}

pub(crate) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let root = out.add(None, None, Kind::Object, 0..text.len());
    let mut s =
        XmlScanner { text, out, lists: HashMap::new(), open: vec![Element { node: root, start: 0 }], run: None };
    let mut reader = Reader::from_str(text);
    let config = reader.config_mut();
    config.check_comments = true;
    config.allow_unmatched_ends = false;
    let mut roots = 0;
    loop {
        let (event, span) = next_event(&mut reader)?;
        match event {
            Event::Text(_) | Event::GeneralRef(_) => {
                let run = s.run.get_or_insert(span.clone());
                run.end = span.end;
                continue;
            }
            _ => s.end_run()?,
        }
        match event {
            Event::Start(tag) => {
                roots += usize::from(s.open.len() == 1);
                let node = s.element(&tag, span.clone())?;
                if s.open.len() > DEEPEST {
                    return Err(Fault::new(span.start, format!("nested deeper than {DEEPEST}")));
                }
                s.open.push(Element { node, start: span.start });
            }
            Event::Empty(tag) => {
                roots += usize::from(s.open.len() == 1);
                s.element(&tag, span)?;
            }
            Event::End(_) => {
                let element = s.open.pop().ok_or_else(|| Fault::new(span.start, "an end without a beginning"))?;
                s.out.end(element.node, span.end);
            }
            Event::CData(_) => s.add_text(span, Style::XmlCdata)?,
            Event::Eof => break,
            _ => {}
        }
    }
    if s.open.len() > 1 {
        let start = s.open.last().map_or(0, |element| element.start);
        return Err(Fault::new(start, "an element has no end"));
    }
    if roots != 1 {
        return Err(Fault::new(0, format!("one root element was wanted, not {roots}")));
    }
    Ok(())
}

impl<'t> XmlScanner<'t, '_, '_> {
    fn parent(&self) -> u32 {
        self.open.last().map_or(0, |element| element.node)
    }

    fn within(&self, part: &str) -> Range<usize> {
        let start = (part.as_ptr() as usize).wrapping_sub(self.text.as_ptr() as usize);
        start..start + part.len()
    }

    fn element(&mut self, tag: &BytesStart<'t>, span: Range<usize>) -> Result<u32, Fault> {
        let name = span.start + 1..span.start + 1 + tag.name().as_ref().len();
        let parent = self.parent();
        let text = self.text;
        let says = text.get(name.clone()).ok_or_else(|| Fault::new(span.start, "a name is broken"))?;
        let key = Key::new(name, Style::XmlName);
        // The root is one element and no list.
        let node = if self.open.len() == 1 {
            self.out.add(Some(parent), Some(key), Kind::Object, span.clone())
        } else {
            let out = &mut *self.out;
            let list = *self
                .lists
                .entry((parent, says))
                .or_insert_with(|| out.add(Some(parent), Some(key), Kind::List, span.clone()));
            out.add(Some(list), None, Kind::Object, span.clone())
        };
        for attribute in tag.attributes() {
            let attribute = attribute.map_err(|e| Fault::new(span.start, e.to_string()))?;
            let Cow::Borrowed(value) = attribute.value else {
                return Err(Fault::new(span.start, "an attribute is not as it stands in the file"));
            };
            let (key, value) = (self.within(attribute.key.0), self.within(value));
            let quote = text.as_bytes().get(value.start.wrapping_sub(1)).copied().unwrap_or_default();
            if value.start < span.start || value.end > span.end || !matches!(quote, b'"' | b'\'') {
                return Err(Fault::new(span.start, "an attribute has no quotes"));
            }
            checked(&text[value.clone()], value.start)?;
            let key = Key::new(key, Style::XmlAttributeName);
            self.out.add(Some(node), Some(key), Kind::Leaf(Style::XmlAttribute(quote)), value);
        }
        Ok(node)
    }

    fn end_run(&mut self) -> Result<(), Fault> {
        let Some(run) = self.run.take() else { return Ok(()) };
        let says = &self.text[run.clone()];
        let body = says.trim_matches(BLANK);
        if body.is_empty() {
            return Ok(());
        }
        checked(body, run.start)?;
        let start = run.start + (says.len() - says.trim_start_matches(BLANK).len());
        self.add_text(start..start + body.len(), Style::XmlText)
    }

    fn add_text(&mut self, span: Range<usize>, style: Style) -> Result<(), Fault> {
        if self.open.len() == 1 {
            return Err(Fault::new(span.start, "text stands outside of the root element"));
        }
        let parent = self.parent();
        let key = Some(Key::new(span.start..span.start, Style::Given(1)));
        if let Some(first) = self.lists.get(&(parent, "#text")) {
            self.out.listed(*first);
            self.out.add(Some(*first), key, Kind::Leaf(style), span);
        } else {
            let id = self.out.add(Some(parent), key, Kind::Leaf(style), span);
            self.lists.insert((parent, "#text"), id);
        }
        Ok(())
    }
}

const BLANK: [char; 4] = [' ', '\t', '\r', '\n'];

/// That a text holds no sign and no reference that none may.
pub(super) fn checked(raw: &str, at: usize) -> Result<(), Fault> {
    if raw.contains('<') {
        return Err(Fault::new(at, "a < stands where none may"));
    }
    unescaped(raw).map(drop).ok_or_else(|| Fault::new(at, "an entity is not known"))
}

fn unescaped(raw: &str) -> Option<Cow<'_, str>> {
    if !raw.contains('&') {
        return Some(Cow::Borrowed(raw));
    }
    let mut out = String::with_capacity(raw.len());
    let mut rest = raw;
    while let Some(at) = rest.find('&') {
        out.push_str(&rest[..at]);
        let (name, after) = rest[at + 1..].split_once(';')?;
        out.push(match name {
            "amp" => '&',
            "lt" => '<',
            "gt" => '>',
            "quot" => '"',
            "apos" => '\'',
            number => {
                let number = number.strip_prefix('#')?;
                let code = match number.strip_prefix('x') {
                    Some(hex) => u32::from_str_radix(hex, 16),
                    None => number.parse(),
                };
                char::from_u32(code.ok()?).filter(|c| allowed(*c))?
            }
        });
        rest = after;
    }
    out.push_str(rest);
    Some(Cow::Owned(out))
}

/// Characters of XML 1.0, 2.2.
fn allowed(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\r' | ' '..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
}

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    match style {
        Style::XmlCdata => {
            let inner = raw.strip_prefix("<![CDATA[").and_then(|raw| raw.strip_suffix("]]>"));
            ends_of_lines(Cow::Borrowed(inner.unwrap_or(raw)))
        }
        Style::XmlAttributeName => Cow::Owned(format!("@{raw}")),
        Style::XmlName => Cow::Borrowed(raw),
        Style::XmlAttribute(_) if raw.contains(['\t', '\n', '\r']) => {
            // XML 1.0, 3.3.3: blanks as such are spaces, only references stay what they are.
            let spaced = raw.replace("\r\n", " ").replace(['\t', '\n', '\r'], " ");
            unescaped(&spaced).map_or(Cow::Borrowed(raw), |text| Cow::Owned(text.into_owned()))
        }
        Style::XmlText if raw.contains('\r') => {
            let lines = ends_of_lines(Cow::Borrowed(raw)).into_owned();
            unescaped(&lines).map_or(Cow::Borrowed(raw), |text| Cow::Owned(text.into_owned()))
        }
        _ => unescaped(raw).unwrap_or(Cow::Borrowed(raw)),
    }
}

/// XML 1.0, 2.11: a reader sees every end of a line as a line feed.
fn ends_of_lines(text: Cow<'_, str>) -> Cow<'_, str> {
    if text.contains('\r') { Cow::Owned(text.replace("\r\n", "\n").replace('\r', "\n")) } else { text }
}

pub(crate) fn encode(style: Style, new: &str) -> Option<String> {
    if !new.chars().all(allowed) {
        return None;
    }
    if style == Style::XmlCdata && !new.contains("]]>") && !new.contains('\r') {
        return Some(format!("<![CDATA[{new}]]>"));
    }
    let mut out = String::with_capacity(new.len());
    let last = new.chars().count().saturating_sub(1);
    for (n, c) in new.chars().enumerate() {
        let edge = n == 0 || n == last;
        match (c, style) {
            ('&', _) => out.push_str("&amp;"),
            ('<', _) => out.push_str("&lt;"),
            ('>', Style::XmlText | Style::XmlCdata) => out.push_str("&gt;"),
            ('"', Style::XmlAttribute(b'"')) => out.push_str("&quot;"),
            ('\'', Style::XmlAttribute(b'\'')) => out.push_str("&apos;"),
            ('\t' | '\n', Style::XmlAttribute(_)) | ('\r', _) => out.push_str(&format!("&#{};", u32::from(c))),
            (' ' | '\t' | '\n', Style::XmlText | Style::XmlCdata) if edge => {
                out.push_str(&format!("&#{};", u32::from(c)));
            }
            (c, _) => out.push(c),
        }
    }
    Some(out)
}
