//! YAML 1.2. Aliases are not followed: they are leaves that say nothing and cannot be rewritten.

use std::borrow::Cow;
use std::ops::Range;

use saphyr_parser::{Event, Parser, ScalarStyle, Span};
use serde_json::Value;

use super::super::place::Side;
use super::super::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};
use super::double_quotes::escaped_in_double_quotes;

/// Turns places counted in characters into places counted in bytes; near ones are found fast.
struct Cursor<'t> {
    text: &'t str,
    chars: usize,
    bytes: usize,
}

impl Cursor<'_> {
    fn bytes(&mut self, chars: usize) -> usize {
        while self.chars < chars && self.bytes < self.text.len() {
            self.bytes = self.text.ceil_char_boundary(self.bytes + 1);
            self.chars += 1;
        }
        while self.chars > chars {
            self.bytes = self.text.floor_char_boundary(self.bytes - 1);
            self.chars -= 1;
        }
        self.bytes
    }
}

enum Frame {
    List(u32),
    Map(u32, Option<Key>),
    /// A key that is a list or map of its own: nothing in it is a leaf.
    Skipped,
}

struct YamlScanner<'t, 'b, 'k> {
    cursor: Cursor<'t>,
    out: &'b mut Builder<'k>,
    open: Vec<Frame>,
    root: u32,
}

pub(crate) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    // Its reader takes a mark within the text for the beginning of a text.
    let root = out.add(None, None, Kind::List, 0..text.len());
    let mut s = YamlScanner { cursor: Cursor { text, chars: 0, bytes: 0 }, out, open: Vec::new(), root };
    for event in Parser::new_from_str(text) {
        let (event, span) = event.map_err(|e| Fault::new(s.cursor.bytes(e.marker().index()), e.info().to_string()))?;
        s.event(event, span)?;
    }
    s.out.hoist();
    Ok(())
}

impl YamlScanner<'_, '_, '_> {
    fn event(&mut self, event: Event<'_>, span: Span) -> Result<(), Fault> {
        match event {
            Event::Scalar(_, style, _, tag) => {
                let (span, style) = self.tight(span, style)?;
                // What a tag makes of a text is not ours to say; only `!!str` leaves it one.
                let text = tag.as_ref().is_none_or(|tag| tag.is_yaml_core_schema() && tag.suffix == "str");
                let style = if text { style } else { Style::Fixed };
                self.leaf(span, style);
            }
            Event::Alias(_) => {
                let span = self.range(span);
                self.leaf(span, Style::Fixed);
            }
            Event::SequenceStart(..) | Event::MappingStart(..) => {
                let start = self.cursor.bytes(span.start.index());
                if self.open.len() >= DEEPEST {
                    return Err(Fault::new(start, format!("nested deeper than {DEEPEST}")));
                }
                let list = matches!(event, Event::SequenceStart(..));
                let frame = match self.place(Key::new(start..start, Style::Given(2))) {
                    None => Frame::Skipped,
                    Some((parent, key)) => {
                        let kind = if list { Kind::List } else { Kind::Object };
                        let id = self.out.add(Some(parent), key, kind, start..start);
                        if list { Frame::List(id) } else { Frame::Map(id, None) }
                    }
                };
                self.open.push(frame);
            }
            Event::SequenceEnd | Event::MappingEnd => {
                let end = self.cursor.bytes(span.end.index());
                if let Some(Frame::List(id) | Frame::Map(id, _)) = self.open.pop() {
                    self.out.end(id, end);
                }
            }
            _ => {}
        }
        Ok(())
    }

    /// Where the next node goes; `None` if it is a key, which is remembered as `as_key`.
    fn place(&mut self, as_key: Key) -> Option<(u32, Option<Key>)> {
        match self.open.last_mut() {
            None => Some((self.root, None)),
            Some(Frame::List(id)) => Some((*id, None)),
            Some(Frame::Map(id, key)) => {
                if let Some(key) = key.take() {
                    Some((*id, Some(key)))
                } else {
                    *key = Some(as_key);
                    None
                }
            }
            Some(Frame::Skipped) => None,
        }
    }

    fn leaf(&mut self, span: Range<usize>, style: Style) {
        let key_style = if style == Style::Fixed { Style::Given(3) } else { style };
        if let Some((parent, key)) = self.place(Key::new(span.clone(), key_style)) {
            self.out.add(Some(parent), key, Kind::Leaf(style), span);
        }
    }

    fn range(&mut self, span: Span) -> Range<usize> {
        let start = self.cursor.bytes(span.start.index());
        let end = self.cursor.bytes(span.end.index());
        start..end.max(start)
    }

    /// The span of a scalar alone: without tags and anchors before it, blanks and comments behind it.
    fn tight(&mut self, span: Span, style: ScalarStyle) -> Result<(Range<usize>, Style), Fault> {
        let text = self.cursor.text;
        let mut range = self.range(span);
        let start = range.start + properties(&text[range.clone()]);
        range.start = start;
        let raw = &text[start..range.end];
        let lost = || Fault::new(start, "the place of a text is not known");
        match style {
            ScalarStyle::Plain => {
                let body = raw.trim_end_matches([' ', '\t', '\r', '\n']);
                let style = if body.is_empty() { Style::Fixed } else { Style::YamlPlain };
                Ok((start..start + body.len(), style))
            }
            ScalarStyle::SingleQuoted => {
                let end = quote_end(&text[start..], b'\'').ok_or_else(lost)?;
                Ok((start..start + end, Style::YamlSingle))
            }
            ScalarStyle::DoubleQuoted => {
                let end = quote_end(&text[start..], b'"').ok_or_else(lost)?;
                Ok((start..start + end, Style::YamlDouble))
            }
            ScalarStyle::Literal | ScalarStyle::Folded => {
                // The span begins with the block's first line or its sign, as its place has it.
                let body = raw.trim_end_matches([' ', '\t', '\r', '\n']);
                let end = start + body.len();
                match if body.starts_with(['|', '>']) && sign(body).is_some() {
                    Some(start)
                } else {
                    header(text, start)
                } {
                    Some(header) if !body.is_empty() => Ok((header..end, Style::YamlBlock)),
                    _ => Ok((start..start, Style::Fixed)),
                }
            }
        }
    }
}

/// Where the sign of a block scalar stands whose lines begin at `start`.
fn header(text: &str, start: usize) -> Option<usize> {
    let before = text[..start].trim_end_matches([' ', '\t', '\r', '\n']);
    let line = before.rfind('\n').map_or(0, |n| n + 1);
    let signs = before[line..].char_indices().filter(|(_, c)| matches!(c, '|' | '>')).map(|(at, _)| line + at);
    signs.into_iter().find(|at| sign(&before[*at..]).is_some())
}

/// Whether a line holds nothing but the sign of a block, and perhaps a comment.
fn sign(text: &str) -> Option<()> {
    let line = text.lines().next()?;
    let rest =
        line.strip_prefix(['|', '>'])?.trim_start_matches(['+', '-', '1', '2', '3', '4', '5', '6', '7', '8', '9']);
    let blank = rest.trim_start_matches([' ', '\t']);
    (blank.is_empty() || (blank.starts_with('#') && blank.len() < rest.len())).then_some(())
}

/// How far tags, anchors, and what stands between them and the scalar go.
fn properties(raw: &str) -> usize {
    let mut at = 0;
    loop {
        let rest = &raw[at..];
        if rest.starts_with(['&', '!']) {
            at += rest.find([' ', '\t', '\r', '\n']).unwrap_or(rest.len());
        } else if rest.starts_with([' ', '\t', '\r', '\n']) && at > 0 {
            at += rest.len() - rest.trim_start_matches([' ', '\t', '\r', '\n']).len();
        } else if rest.starts_with('#') && at > 0 {
            at += rest.find('\n').unwrap_or(rest.len());
        } else {
            return at;
        }
    }
}

/// How far a quoted text goes that begins here.
fn quote_end(text: &str, quote: u8) -> Option<usize> {
    let bytes = text.as_bytes();
    if bytes.first() != Some(&quote) {
        return None;
    }
    let mut at = 1;
    loop {
        match bytes.get(at)? {
            b'\\' if quote == b'"' => at += 2,
            byte if *byte == quote => {
                if quote == b'\'' && bytes.get(at + 1) == Some(&b'\'') {
                    at += 2;
                } else {
                    return Some(at + 1);
                }
            }
            _ => at += 1,
        }
    }
}

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    let one_line = !raw.contains(['\n', '\r']);
    match style {
        Style::YamlPlain if one_line => Cow::Borrowed(raw),
        Style::YamlSingle if one_line => {
            let inner = raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw);
            if inner.contains("''") { Cow::Owned(inner.replace("''", "'")) } else { Cow::Borrowed(inner) }
        }
        Style::YamlDouble if one_line && !raw.contains('\\') => {
            Cow::Borrowed(raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw))
        }
        _ => {
            // A block ends with the end of its line, which its span leaves out.
            let whole = format!("{raw}\n");
            let scalar = Parser::new_from_str(&whole).find_map(|event| match event {
                Ok((Event::Scalar(text, ..), _)) => Some(text.into_owned()),
                _ => None,
            });
            scalar.map_or(Cow::Borrowed(raw), Cow::Owned)
        }
    }
}

pub(crate) fn encode(style: Style, side: Side, new: &str, raw: &str) -> Option<String> {
    let printable =
        |c: char| !c.is_control() && !matches!(c, '\u{feff}' | '\u{2028}' | '\u{2029}' | '\u{fffe}' | '\u{ffff}');
    let line = new.chars().all(printable);
    match style {
        Style::YamlPlain if line && plain(new, raw) && typed_alike(new, raw, side) => Some(new.to_string()),
        Style::YamlPlain | Style::YamlSingle if line => Some(format!("'{}'", new.replace('\'', "''"))),
        Style::YamlBlock => block(new, raw).or_else(|| Some(double(new))),
        _ => Some(double(new)),
    }
}

/// Whether a text stays a number if it was one, and does not become one if it was none.
fn typed_alike(new: &str, raw: &str, side: Side) -> bool {
    let is_text = |text: &str| matches!(plain_value(text), Value::String(_)) && !ambiguous(text);
    is_text(new) || (side == Side::Value && !is_text(raw) && plain_value(new).is_number())
}

/// Whether readers of some version of YAML take a plain text for a number, a word, a date or a time.
fn ambiguous(text: &str) -> bool {
    const WORDS: [&str; 9] = ["y", "n", "yes", "no", "on", "off", "true", "false", "null"];
    let first = text.trim_start_matches(['+', '-', '.']).chars().next();
    let number = first.is_none_or(|c| c.is_ascii_digit())
        && text.chars().all(|c| c.is_ascii_hexdigit() || "xXoO_.:+-eEtTzZ ".contains(c));
    let special = [".inf", ".nan"].iter().any(|end| text.to_lowercase().ends_with(end));
    number || special || text == "~" || text == "=" || WORDS.contains(&text.to_lowercase().as_str())
}

/// Whether a text can stand without quotes where another does. What holds a sign of flow collections stands in none.
fn plain(new: &str, raw: &str) -> bool {
    const OF_FLOW: [char; 5] = [',', '[', ']', '{', '}'];
    let in_block = raw.contains(OF_FLOW);
    let first = new.chars().next();
    let begins = first.is_some_and(|c| c.is_alphanumeric() || matches!(c, '/' | '.' | '_' | '$' | '\\' | '~'));
    let within = |(at, c): (usize, char)| match c {
        ':' => new[at + 1..].starts_with(['/', '\\']),
        ' ' => at + 1 < new.len() && !new[at + 1..].starts_with(['#', ' ']),
        c if in_block && OF_FLOW.contains(&c) => true,
        c => c.is_alphanumeric() || "-_./\\+()~$@%=&!;^'\"#<>|*`?".contains(c),
    };
    begins && new != "..." && !new.starts_with("---") && new.char_indices().all(within)
}

fn double(new: &str) -> String {
    let never_plain = |c: char| c.is_control() || "\u{feff}\u{2028}\u{2029}\u{fffe}\u{ffff}".contains(c);
    let by_number = |c: char| never_plain(c).then(|| format!("\\u{:04x}", u32::from(c)));
    format!("\"{}\"", escaped_in_double_quotes(new, by_number))
}

/// A literal block with the indentation of the one before; `None` where a block cannot say it.
fn block(new: &str, raw: &str) -> Option<String> {
    let (header, body) = raw.split_once('\n')?;
    let end = if header.ends_with('\r') { "\r\n" } else { "\n" };
    let first = body.lines().find(|line| !line.trim().is_empty())?;
    let indent = &first[..first.len() - first.trim_start_matches(' ').len()];
    let header = header.trim_end_matches('\r');
    let (text, chomp) = match new.strip_suffix('\n') {
        Some(text) => (text, ""),
        None => (new, "-"),
    };
    let simple = matches!(header, "|" | "|-" | ">" | ">-");
    let fits = |line: &str| !line.is_empty() && !line.starts_with([' ', '\t']) && !line.ends_with([' ', '\t']);
    let printable = !text.chars().any(|c| {
        (c.is_control() && c != '\n') || matches!(c, '\u{feff}' | '\u{2028}' | '\u{2029}' | '\u{fffe}' | '\u{ffff}')
    });
    if !simple || !printable || text.is_empty() || !text.split('\n').all(fits) {
        return None;
    }
    // A folded block says the same as a literal one only where it has one line.
    let sign = if header.starts_with('>') && !text.contains('\n') { '>' } else { '|' };
    let lines: String = text.split('\n').map(|line| format!("{end}{indent}{line}")).collect();
    Some(format!("{sign}{chomp}{lines}"))
}

/// What a plain scalar stands for in the core schema (YAML 1.2.2, 10.3).
pub(crate) fn plain_value(text: &str) -> Value {
    match text {
        "~" | "null" | "Null" | "NULL" => Value::Null,
        "true" | "True" | "TRUE" => Value::Bool(true),
        "false" | "False" | "FALSE" => Value::Bool(false),
        // Only numbers on which both versions agree; `1e3` is text for readers of 1.1.
        _ => serde_json::from_str::<Value>(text)
            .ok()
            .filter(|value| value.is_number() && (text.contains('.') || !text.contains(['e', 'E'])))
            .unwrap_or_else(|| Value::String(text.into())),
    }
}
