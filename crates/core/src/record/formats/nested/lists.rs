//! Lists, blocks and containers.

use super::text::decode;
use super::{LIST_AHEAD, Named, Names, Scanner, Token};
use crate::record::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};

impl<'t> Scanner<'t> {
    pub(super) fn named_container(
        &mut self,
        out: &mut Builder<'_>,
        parent: u32,
        names: &mut Names<'t>,
        key: Token,
        depth: usize,
    ) -> Result<(), Fault> {
        let name = decode(key.1, &self.text[key.0.clone()]);
        let span = Some(Key::new(key.0.clone(), key.1));
        match names.known.get(&name).copied() {
            Some(named) if named.labelled => Err(Fault::new(key.0.start, "a name has labels here and none there")),
            Some(named) => {
                out.listed(named.node);
                self.container(out, Some(named.node), span, depth)?;
                Ok(())
            }
            None => {
                let node = self.container(out, Some(parent), span, depth)?;
                // What is a list already would take what comes again for its own.
                let named = Named { node, labelled: false };
                if out.kind(node) == Kind::Object {
                    names.known.insert(name, named);
                }
                Ok(())
            }
        }
    }

    pub(super) fn labelled(
        &mut self,
        out: &mut Builder<'_>,
        parent: u32,
        names: &mut Names<'t>,
        key: Token,
        label: Token,
        depth: usize,
    ) -> Result<(), Fault> {
        let name = decode(key.1, &self.text[key.0.clone()]);
        let named = match names.known.get(&name).copied() {
            Some(named) if named.labelled => {
                out.again(named.node, &key.0);
                named
            }
            Some(_) => return Err(Fault::new(key.0.start, "a name has labels here and none there")),
            None => {
                let node = out.add(Some(parent), Some(Key::new(key.0.clone(), key.1)), Kind::Object, label.0.clone());
                let named = Named { node, labelled: true };
                names.known.insert(name, named);
                named
            }
        };
        self.container(out, Some(named.node), Some(Key::new(label.0, label.1)), depth)?;
        Ok(())
    }

    pub(super) fn container(
        &mut self,
        out: &mut Builder<'_>,
        parent: Option<u32>,
        key: Option<Key>,
        depth: usize,
    ) -> Result<u32, Fault> {
        if depth >= DEEPEST {
            return Err(self.fault("it is nested too deep"));
        }
        match self.peek() {
            Some(b'{') if !self.is_list() => self.block(out, parent, key, depth),
            _ => self.list(out, parent, key, depth),
        }
    }

    fn block(
        &mut self,
        out: &mut Builder<'_>,
        parent: Option<u32>,
        key: Option<Key>,
        depth: usize,
    ) -> Result<u32, Fault> {
        let start = self.at;
        let node = out.add(parent, key, Kind::Object, start..start);
        self.at += 1;
        self.members(out, node, Some(start), depth + 1)?;
        self.at += 1;
        out.end(node, self.at);
        Ok(node)
    }

    /// Whether the braces here hold values without names.
    fn is_list(&self) -> bool {
        let mut look =
            Scanner { text: self.text, at: self.at + 1, dialect: self.dialect, members: 0, line: self.line.clone() };
        if look.blank().is_err() {
            return false;
        }
        match look.peek() {
            Some(b'{') => true,
            Some(b'"' | b'\'') => {
                let read = look.quoted().is_ok();
                look.spaces();
                read && matches!(look.peek(), Some(b',' | b'}'))
            }
            _ => false,
        }
    }

    fn list(
        &mut self,
        out: &mut Builder<'_>,
        parent: Option<u32>,
        key: Option<Key>,
        depth: usize,
    ) -> Result<u32, Fault> {
        let start = self.at;
        let close = match self.peek() {
            Some(b'[') => b']',
            Some(b'(') => b')',
            _ => b'}',
        };
        let node = out.add(parent, key, Kind::List, start..start);
        self.at += 1;
        let mut parted = false;
        loop {
            self.blank()?;
            match self.peek() {
                None => return Err(Fault::new(start, "a list has no end")),
                Some(byte) if byte == close => break,
                Some(b',' | b';') => {
                    parted = true;
                    self.at += 1;
                }
                Some(b'{' | b'[' | b'(') => {
                    self.container(out, Some(node), None, depth + 1)?;
                }
                Some(b'"' | b'\'') => {
                    let (span, style) = self.quoted()?;
                    out.add(Some(node), None, Kind::Leaf(style), span);
                }
                Some(b'}' | b']' | b')') => return Err(self.fault("another end was wanted")),
                Some(_) => {
                    let from = self.at;
                    let most = if parted { usize::MAX } else { LIST_AHEAD };
                    let line = self.line_end(from).min(from.saturating_add(most));
                    let rest = &self.text[from..self.text.floor_char_boundary(line)];
                    let end = rest.find([',', ';', char::from(close)]).unwrap_or(rest.len());
                    parted |= rest[end..].starts_with([',', ';']);
                    let end = if parted { end } else { rest[..end].find([' ', '\t']).unwrap_or(end) };
                    let end = from + rest[..end].trim_end().len();
                    if end == from {
                        return Err(self.fault("a value was wanted"));
                    }
                    self.at = end;
                    out.add(Some(node), None, Kind::Leaf(Style::NestedWord), from..end);
                }
            }
        }
        self.at += 1;
        out.end(node, self.at);
        Ok(node)
    }
}
