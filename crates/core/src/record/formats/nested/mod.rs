//! Nested text: names and values, blocks in braces, lists in brackets, in the many dialects that programs write.
//!
//! There is no standard for it. What separates a name from its value, what ends a value, which signs begin a comment and whether a
//! backslash escapes in quotes is told by the text itself ([`Dialect`]). A text that does not read as one such dialect is refused.
//! A repeated name is a list; a name with a label before its block (`game "fen" { … }`) is an object of labels.

mod dialect;
mod lists;
mod text;

use std::borrow::Cow;
use std::cell::Cell;
use std::collections::HashMap;
use std::ops::Range;

use crate::record::tree::{Builder, Fault, Key, Kind, Style};
use dialect::{COMMENTS, Dialect};
pub(crate) use text::{decode, encode};

/// How far is looked ahead on a line for what separates a name of several words from its value.
const AHEAD: usize = 256;

/// How far a list is looked into for what parts its values, where they are bare.
const LIST_AHEAD: usize = 4096;

pub(crate) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let mut scanner = Scanner { text, at: 0, dialect: Dialect::of(text), members: 0, line: Cell::new((1, 0)) };
    scanner.blank()?;
    if scanner.peek() == Some(b'{') {
        scanner.container(out, None, None, 0)?;
        scanner.ends();
        scanner.blank()?;
        if scanner.at < text.len() {
            return Err(scanner.fault("there is more behind the end"));
        }
        return Ok(());
    }
    let root = out.add(None, None, Kind::Object, 0..text.len());
    scanner.members(out, root, None, 0)?;
    if scanner.members == 0 {
        return Err(Fault::new(0, "there is no name with a value"));
    }
    Ok(())
}

/// Names of one block, and how each was met.
#[derive(Default)]
struct Names<'t> {
    known: HashMap<Cow<'t, str>, Named>,
}

#[derive(Clone, Copy)]
struct Named {
    node: u32,
    /// Whether it is an object of labels.
    labelled: bool,
}

struct Scanner<'t> {
    text: &'t str,
    at: usize,
    dialect: Dialect,
    /// Names with values that were read.
    members: usize,
    /// Where the line that was last asked for begins to be known, and its end.
    line: Cell<(usize, usize)>,
}

/// A text as it stands: its range and style.
type Token = (Range<usize>, Style);

impl<'t> Scanner<'t> {
    fn peek(&self) -> Option<u8> {
        self.text.as_bytes().get(self.at).copied()
    }

    fn byte(&self, at: usize) -> Option<u8> {
        self.text.as_bytes().get(at).copied()
    }

    fn fault(&self, what: &str) -> Fault {
        Fault::new(self.at, what)
    }

    /// Goes on to the next byte that is no blank, on the same line.
    fn spaces(&mut self) {
        while matches!(self.peek(), Some(b' ' | b'\t')) {
            self.at += 1;
        }
    }

    fn begins_line(&self) -> bool {
        self.text[..self.at]
            .trim_end_matches([' ', '\t'])
            .bytes()
            .last()
            .is_none_or(|byte| byte == b'\n' || byte == b'\r')
    }

    /// Whether a comment begins here. `behind` says that only a comment or an end can stand here.
    fn comment(&self, behind: bool) -> bool {
        let rest = &self.text[self.at..];
        let sign = COMMENTS.iter().position(|sign| rest.starts_with(sign));
        sign.is_some_and(|n| {
            self.dialect.comments.get(n) == Some(&true) && (n < 3 || self.begins_line()) || (behind && n < 3)
        })
    }

    /// The end of the line; of a long one it is looked for once.
    fn line_end(&self, from: usize) -> usize {
        let (start, end) = self.line.get();
        if (start..=end).contains(&from) {
            return end;
        }
        let end = self.text[from..].find('\n').map_or(self.text.len(), |end| from + end);
        self.line.set((from, end));
        end
    }

    /// Goes on over blanks, ends of lines and comments.
    fn blank(&mut self) -> Result<(), Fault> {
        loop {
            while matches!(self.peek(), Some(b' ' | b'\t' | b'\r' | b'\n')) {
                self.at += 1;
            }
            let rest = &self.text[self.at..];
            if rest.starts_with("/*") {
                self.at += rest.find("*/").ok_or_else(|| self.fault("a comment has no end"))? + 2;
            } else if rest.starts_with("--[[") {
                self.at += rest.find("]]").ok_or_else(|| self.fault("a comment has no end"))? + 2;
            } else if self.comment(false) {
                self.at = self.line_end(self.at);
            } else {
                return Ok(());
            }
        }
    }

    /// Goes on over what may stand behind a value.
    fn ends(&mut self) {
        self.spaces();
        while matches!(self.peek(), Some(b';' | b',')) {
            self.at += 1;
            self.spaces();
        }
        if self.comment(true) {
            self.at = self.line_end(self.at);
        }
    }

    /// The members of a block, up to its closing brace or, without one, the end of the text.
    fn members(
        &mut self,
        out: &mut Builder<'_>,
        parent: u32,
        opened: Option<usize>,
        depth: usize,
    ) -> Result<(), Fault> {
        let mut names = Names::default();
        let first_line = opened.map(|at| self.line_end(at));
        loop {
            self.blank()?;
            match self.peek() {
                None if opened.is_none() => return Ok(()),
                None => return Err(self.fault("a block has no end")),
                Some(b'}') if opened.is_some() => return Ok(()),
                Some(b'}' | b']' | b')' | b'{' | b'(') => return Err(self.fault("a name was wanted")),
                Some(b';' | b',') => {
                    self.at += 1;
                    continue;
                }
                Some(_) => {}
            }
            // A block that ends on the line it began on has several members on it.
            let inline = first_line.is_some_and(|end| self.at < end);
            self.member(out, parent, &mut names, inline, depth)?;
            self.ends();
        }
    }

    fn member(
        &mut self,
        out: &mut Builder<'_>,
        parent: u32,
        names: &mut Names<'t>,
        inline: bool,
        depth: usize,
    ) -> Result<(), Fault> {
        let key = self.key(inline)?;
        self.members += 1;
        self.spaces();
        let mut separated = false;
        if let Some(sign @ (b'=' | b':')) = self.peek() {
            // `=>` and `:=` stand for the same.
            self.at += 1;
            if matches!((sign, self.peek()), (b'=', Some(b'>')) | (b':', Some(b'='))) {
                self.at += 1;
            }
            separated = true;
            self.spaces();
        }
        let here = self.at;
        if matches!(self.peek(), None | Some(b'\r' | b'\n')) || self.comment(true) {
            self.blank()?;
            if self.peek() == Some(b'{') || (separated && matches!(self.peek(), Some(b'[' | b'('))) {
                return self.named_container(out, parent, names, key, depth);
            }
            self.at = here;
            return self.leaf(out, parent, names, key, (here..here, Style::Fixed));
        }
        match self.peek() {
            Some(b'{' | b'[' | b'(') => self.named_container(out, parent, names, key, depth),
            Some(b';' | b',' | b'}') => self.leaf(out, parent, names, key, (here..here, Style::Fixed)),
            _ => {
                let value = self.value(separated, inline)?;
                let behind = self.at;
                self.blank()?;
                if !separated && self.peek() == Some(b'{') {
                    return self.labelled(out, parent, names, key, value, depth);
                }
                self.at = behind;
                self.leaf(out, parent, names, key, value)
            }
        }
    }

    /// A name: in quotes, in quotes and brackets, or bare, and then of several words where a separator comes behind them.
    fn key(&mut self, inline: bool) -> Result<Token, Fault> {
        match self.peek() {
            Some(b'"' | b'\'') => self.quoted(),
            Some(b'[') => {
                self.at += 1;
                let key = match self.peek() {
                    Some(b'"' | b'\'') => self.quoted()?,
                    _ => self.word(b"]")?,
                };
                if self.peek() != Some(b']') {
                    return Err(self.fault("the end of a name was wanted"));
                }
                self.at += 1;
                self.spaces();
                if self.peek() != Some(b'=') {
                    return Err(self.fault("a value was wanted"));
                }
                Ok(key)
            }
            _ => {
                let word = self.word(b"={[(;,}\"")?;
                let behind = self.at;
                let rest = &self.text[behind..self.line_end(behind).min(self.text.floor_char_boundary(behind + AHEAD))];
                let stop = rest.find(['"', '{', '}', '[', '(', ';', ',']).unwrap_or(rest.len());
                let sign = self.dialect.separator.filter(|_| !inline);
                let more = sign.and_then(|sign| rest[..stop].find(char::from(sign)));
                match more {
                    Some(cut) if !rest[..cut].trim().is_empty() && !rest.trim_start().starts_with(['=', ':']) => {
                        let end = behind + rest[..cut].trim_end().len();
                        self.at = end;
                        Ok((word.0.start..end, Style::NestedName))
                    }
                    _ => Ok((word.0, Style::NestedName)),
                }
            }
        }
    }

    /// A bare word up to a blank, one of `stops`, or a colon that stands for a separator.
    fn word(&mut self, stops: &[u8]) -> Result<Token, Fault> {
        let start = self.at;
        while let Some(byte) = self.peek() {
            let next = self.byte(self.at + 1);
            let drive = self.at == start + 1 && matches!(next, Some(b'\\' | b'/'));
            let colon = byte == b':' && !drive && stops.contains(&b'=');
            if byte.is_ascii_whitespace() || stops.contains(&byte) || colon {
                break;
            }
            if byte < b' ' {
                return Err(self.fault("a control character stands in a name"));
            }
            self.at += 1;
        }
        if self.at == start {
            return Err(self.fault("a name was wanted"));
        }
        Ok((start..self.at, Style::NestedWord))
    }

    /// A text in quotes, which end on the line they begin on.
    fn quoted(&mut self) -> Result<Token, Fault> {
        let start = self.at;
        let quote = self.peek();
        self.at += 1;
        loop {
            match self.peek() {
                None | Some(b'\n' | b'\r') => return Err(Fault::new(start, "a text has no end on its line")),
                Some(b'\\') if self.dialect.escapes => self.at += 2,
                byte if byte == quote => break,
                _ => self.at += 1,
            }
        }
        self.at += 1;
        if !self.text.is_char_boundary(self.at) || self.at > self.text.len() {
            return Err(Fault::new(start, "a text has no end"));
        }
        Ok((start..self.at, if self.dialect.escapes { Style::NestedQuoted } else { Style::NestedRaw }))
    }

    /// A value: in quotes, or bare to the end of its line, or to what ends it on a line with several.
    fn value(&mut self, separated: bool, inline: bool) -> Result<Token, Fault> {
        let start = self.at;
        if matches!(self.peek(), Some(b'"' | b'\'')) {
            let quoted = self.quoted();
            let apostrophe = self.byte(start) == Some(b'\'');
            match quoted {
                Ok(token) => return Ok(token),
                Err(fault) if !apostrophe => return Err(fault),
                Err(_) => self.at = start,
            }
        }
        let end = if inline { self.inline_end(separated) } else { self.bare_end(separated) };
        let end = start + self.text[start..end].trim_end().len();
        if end == start {
            return Err(self.fault("a value was wanted"));
        }
        self.at = end;
        Ok((start..end, if separated { Style::NestedBare } else { Style::NestedWord }))
    }

    /// Where a bare value ends that has its line to itself.
    fn bare_end(&self, separated: bool) -> usize {
        let line = self.line_end(self.at);
        let mut end = line;
        let rest = &self.text[self.at..line];
        let signs = COMMENTS.iter().zip(self.dialect.comments).take(3);
        for (sign, _) in signs.filter(|(_, used)| *used) {
            let mut all = rest.match_indices(*sign).map(|(at, _)| at);
            if let Some(at) = all.find(|at| rest[..*at].ends_with([' ', '\t'])) {
                end = end.min(self.at + at);
            }
        }
        if let Some(at) = rest.find(" /*") {
            end = end.min(self.at + at);
        }
        let body = self.text[self.at..end].trim_end();
        // `name label {`
        let body = if separated { body } else { body.strip_suffix('{').map_or(body, str::trim_end) };
        let body = body.strip_suffix(" }").map_or(body, str::trim_end);
        let body = match self.dialect.end {
            Some(sign) => body.trim_end_matches(char::from(sign)),
            None => body,
        };
        self.at + body.len()
    }

    /// Where a bare value ends that shares its line with others.
    fn inline_end(&self, separated: bool) -> usize {
        let line = self.line_end(self.at);
        let rest = &self.text[self.at..line];
        let mut ends = rest.char_indices().filter(|(at, c)| match c {
            '}' => true,
            ',' | ';' => rest[at + 1..].chars().next().is_none_or(|next| next.is_whitespace() || next == '}'),
            '{' | ' ' | '\t' => !separated,
            _ => false,
        });
        self.at + ends.next().map_or(rest.len(), |(at, _)| at)
    }

    fn leaf(
        &mut self,
        out: &mut Builder<'_>,
        parent: u32,
        names: &mut Names<'t>,
        key: Token,
        value: Token,
    ) -> Result<(), Fault> {
        let name = decode(key.1, &self.text[key.0.clone()]);
        let span = Some(Key::new(key.0.clone(), key.1));
        let kind = Kind::Leaf(value.1);
        match names.known.get(&name) {
            Some(named) if named.labelled => Err(Fault::new(key.0.start, "a name has labels here and none there")),
            Some(named) => {
                out.listed(named.node);
                out.add(Some(named.node), span, kind, value.0);
                Ok(())
            }
            None => {
                let node = out.add(Some(parent), span, kind, value.0);
                names.known.insert(name, Named { node, labelled: false });
                Ok(())
            }
        }
    }
}
