//! XML in which a value stands behind its key: `<dict><key>at</key><string>/g</string></dict>`, and lists are `<array>`s.
//!
//! Law: only what is all of that kind is taken for it; an element with an attribute below the root, or a text beside elements, is not.

use std::ops::Range;

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};

use super::super::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};
use super::xml::{checked, next_event};

/// An element that is open.
struct Open {
    name: String,
    /// Its node, if it is a dictionary or a list, or the root.
    node: Option<u32>,
    /// The key that the next value stands behind.
    key: Option<Key>,
    /// Where its text stands, if it has any.
    text: Option<(Range<usize>, Style)>,
    /// Where what it holds begins.
    inner: usize,
}

struct ListScanner<'t, 'b, 'k> {
    text: &'t str,
    out: &'b mut Builder<'k>,
    open: Vec<Open>,
    dictionaries: usize,
}

pub(super) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let root = out.add(None, None, Kind::List, 0..text.len());
    let mut s = ListScanner { text, out, open: Vec::new(), dictionaries: 0 };
    let mut reader = Reader::from_str(text);
    reader.config_mut().allow_unmatched_ends = false;
    let mut roots = 0;
    loop {
        let (event, span) = next_event(&mut reader)?;
        match event {
            Event::Start(tag) => {
                if s.open.is_empty() {
                    roots += 1;
                    s.open.push(Open {
                        name: tag.name().as_ref().to_string(),
                        node: Some(root),
                        key: None,
                        text: None,
                        inner: span.end,
                    });
                } else {
                    s.start(&tag, &span)?;
                }
            }
            Event::Empty(tag) => {
                s.start(&tag, &span)?;
                s.end(span.end, true)?;
            }
            Event::End(_) => s.end(span.end, false)?,
            Event::Text(_) | Event::GeneralRef(_) => s.run(&span, Style::XmlText)?,
            Event::CData(_) => s.run(&span, Style::XmlCdata)?,
            Event::Eof => break,
            _ => {}
        }
    }
    if !s.open.is_empty() || roots != 1 || s.dictionaries == 0 {
        return Err(Fault::new(0, "no value stands behind a key in it"));
    }
    out.hoist();
    Ok(())
}

impl ListScanner<'_, '_, '_> {
    fn start(&mut self, tag: &BytesStart<'_>, span: &Range<usize>) -> Result<(), Fault> {
        let fault = |what: &str| Fault::new(span.start, what);
        if self.open.len() > DEEPEST {
            return Err(fault("it nests too deep"));
        }
        if tag.attributes().next().is_some() {
            return Err(fault("an element has an attribute"));
        }
        let name = tag.name().as_ref().to_string();
        let Some(above) = self.open.last_mut() else { return Err(fault("an element stands outside of the root")) };
        let Some(parent) = above.node else { return Err(fault("an element stands in a text")) };
        let is_key = name == "key";
        if above.name == "dict" && is_key == above.key.is_some() {
            return Err(fault(if is_key { "a key stands behind a key" } else { "a value has no key" }));
        }
        let node = match name.as_str() {
            "dict" | "array" => {
                self.dictionaries += usize::from(name == "dict");
                let kind = if name == "dict" { Kind::Object } else { Kind::List };
                Some(self.out.add(Some(parent), above.key.take(), kind, span.clone()))
            }
            _ => None,
        };
        self.open.push(Open { name, node, key: None, text: None, inner: span.end });
        Ok(())
    }

    /// A text, or a part of one.
    fn run(&mut self, span: &Range<usize>, style: Style) -> Result<(), Fault> {
        let says = self.text.get(span.clone()).unwrap_or_default();
        let Some(open) = self.open.last_mut() else {
            let blank = says.trim().is_empty();
            return if blank { Ok(()) } else { Err(Fault::new(span.start, "text stands outside of the root")) };
        };
        if open.node.is_some() {
            let blank = says.trim().is_empty();
            return if blank { Ok(()) } else { Err(Fault::new(span.start, "a text stands beside elements")) };
        }
        match &mut open.text {
            None => open.text = Some((span.clone(), style)),
            // Text and references follow one another; a comment or another kind of text between them is left alone.
            Some((run, known)) if run.end == span.start && *known == Style::XmlText && style == Style::XmlText => {
                run.end = span.end;
            }
            Some((_, known)) => *known = Style::Fixed,
        }
        Ok(())
    }

    fn end(&mut self, end: usize, empty: bool) -> Result<(), Fault> {
        let Some(open) = self.open.pop() else { return Err(Fault::new(end, "an end without a beginning")) };
        if let Some(node) = open.node {
            if open.key.is_some() {
                return Err(Fault::new(end, "a key has no value"));
            }
            if !self.open.is_empty() {
                self.out.end(node, end);
            }
            return Ok(());
        }
        let (span, style) =
            open.text.unwrap_or((open.inner..open.inner, if empty { Style::Fixed } else { Style::XmlText }));
        if style == Style::XmlText {
            checked(self.text.get(span.clone()).unwrap_or_default(), span.start)?;
        }
        let Some(above) = self.open.last_mut() else { return Ok(()) };
        if open.name == "key" && above.name == "dict" {
            above.key = Some(Key::new(span, style));
            return Ok(());
        }
        let (parent, key) = (above.node, above.key.take());
        self.out.add(parent, key, Kind::Leaf(style), span);
        Ok(())
    }
}
