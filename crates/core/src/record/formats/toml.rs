//! TOML 1.1. The whole text is read by the `toml` crate first; the events of its parser give the spans.

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use toml_parser::decoder::Encoding;
use toml_parser::parser::{EventReceiver, parse_document};
use toml_parser::{ErrorSink, Source, Span};

use super::super::tree::{Builder, DEEPEST, Fault, Key, Kind, Style};
use super::double_quotes::escaped_in_double_quotes;

#[derive(Clone, Copy, PartialEq, Eq)]
enum TomlKind {
    Table,
    TableEnd,
    ArrayTable,
    InlineOpen,
    InlineClose,
    ArrayOpen,
    ArrayClose,
    Key,
    Scalar,
    Line,
}

#[derive(Default)]
struct Events {
    all: Vec<(TomlKind, Span, Option<Encoding>)>,
    depth: usize,
    deepest: usize,
}

impl Events {
    fn push(&mut self, what: TomlKind, span: Span) {
        self.all.push((what, span, None));
    }

    fn deeper(&mut self, what: TomlKind, span: Span) -> bool {
        self.push(what, span);
        self.depth += 1;
        self.deepest = self.deepest.max(self.depth);
        self.depth < DEEPEST
    }
}

impl EventReceiver for Events {
    fn std_table_open(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.push(TomlKind::Table, span);
    }
    fn std_table_close(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.push(TomlKind::TableEnd, span);
    }
    fn array_table_open(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.push(TomlKind::ArrayTable, span);
    }
    fn array_table_close(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.push(TomlKind::TableEnd, span);
    }
    fn inline_table_open(&mut self, span: Span, _: &mut dyn ErrorSink) -> bool {
        self.deeper(TomlKind::InlineOpen, span)
    }
    fn inline_table_close(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.depth = self.depth.saturating_sub(1);
        self.push(TomlKind::InlineClose, span);
    }
    fn array_open(&mut self, span: Span, _: &mut dyn ErrorSink) -> bool {
        self.deeper(TomlKind::ArrayOpen, span)
    }
    fn array_close(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.depth = self.depth.saturating_sub(1);
        self.push(TomlKind::ArrayClose, span);
    }
    fn simple_key(&mut self, span: Span, encoding: Option<Encoding>, _: &mut dyn ErrorSink) {
        self.all.push((TomlKind::Key, span, encoding));
    }
    fn scalar(&mut self, span: Span, encoding: Option<Encoding>, _: &mut dyn ErrorSink) {
        self.all.push((TomlKind::Scalar, span, encoding));
    }
    fn newline(&mut self, span: Span, _: &mut dyn ErrorSink) {
        self.push(TomlKind::Line, span);
    }
}

fn style(encoding: Option<Encoding>, key: bool) -> Style {
    match encoding {
        Some(Encoding::BasicString) => Style::TomlBasic,
        Some(Encoding::LiteralString) => Style::TomlLiteral,
        Some(Encoding::MlBasicString) => Style::TomlLongBasic,
        Some(Encoding::MlLiteralString) => Style::TomlLongLiteral,
        None if key => Style::TomlBareKey,
        None => Style::TomlBare,
    }
}

struct Tables<'t, 'b, 'k> {
    text: &'t str,
    out: &'b mut Builder<'k>,
    known: HashMap<(u32, String), u32>,
    /// The table that an array of tables holds last.
    newest: HashMap<u32, u32>,
    /// Tables of lists that have not ended, each with the names on the way to it.
    open: Vec<(Vec<String>, u32)>,
}

impl Tables<'_, '_, '_> {
    /// Goes into the table of this name, and makes it if it is not there.
    fn enter(&mut self, table: u32, key: Key) -> u32 {
        let name = decode(key.style, &self.text[key.span.clone()]).into_owned();
        if let Some(id) = self.known.get(&(table, name.clone())) {
            self.out.again(*id, &key.span);
            return self.newest.get(id).copied().unwrap_or(*id);
        }
        let at = key.span.start;
        let id = self.out.add(Some(table), Some(key), Kind::Object, at..at);
        self.known.insert((table, name), id);
        id
    }

    /// Ends the tables of lists that a head does not lie in: what stands behind it is none of theirs.
    fn close(&mut self, path: &[String], at: usize) {
        while let Some((inside, id)) = self.open.pop() {
            if path.len() > inside.len() && path.starts_with(&inside) {
                self.open.push((inside, id));
                return;
            }
            self.out.end(id, at);
        }
    }

    /// Begins the next table of the array of this name, with its head at a byte.
    fn next_of(&mut self, table: u32, key: Key, head: usize) -> u32 {
        let name = decode(key.style, &self.text[key.span.clone()]).into_owned();
        let at = key.span.start;
        let list = if let Some(id) = self.known.get(&(table, name.clone())).copied() {
            self.out.again(id, &key.span);
            id
        } else {
            let id = self.out.add(Some(table), Some(key), Kind::List, at..at);
            self.known.insert((table, name), id);
            id
        };
        let next = self.out.add(Some(list), None, Kind::Object, head..at);
        self.newest.insert(list, next);
        next
    }
}

fn range(span: Span) -> Range<usize> {
    span.start()..span.end()
}

pub(crate) fn scan(text: &str, out: &mut Builder<'_>) -> Result<(), Fault> {
    let source = Source::new(text);
    let tokens = source.lex().into_vec();
    let mut events = Events::default();
    let mut errors = Vec::new();
    parse_document(&tokens, &mut events, &mut errors);
    if events.deepest >= DEEPEST {
        return Err(Fault::new(0, format!("nested deeper than {DEEPEST}")));
    }
    // The parser's events do not say whether a key stands twice or a number is one: the crate above it does.
    if let Err(error) = ::toml::from_str::<::toml::Table>(text) {
        return Err(Fault::new(error.span().map_or(0, |span| span.start), error.message().to_string()));
    }
    let root = out.add(None, None, Kind::Object, 0..text.len());
    let tables = Tables { text, out, known: HashMap::new(), newest: HashMap::new(), open: Vec::new() };
    let mut reading = Reading { tables, root, table: root, open: Vec::new(), keys: Vec::new(), header: None, head: 0 };
    for (what, span, encoding) in events.all {
        reading.take(what, range(span), encoding);
    }
    reading.tables.close(&[], text.len());
    Ok(())
}

/// The parser's events, taken one after another.
struct Reading<'t, 'b, 'k> {
    tables: Tables<'t, 'b, 'k>,
    root: u32,
    /// The table that is written in.
    table: u32,
    /// What values go into: arrays and inline tables that are open.
    open: Vec<(u32, bool)>,
    /// Keys that wait for a value.
    keys: Vec<Key>,
    header: Option<TomlKind>,
    head: usize,
}

impl Reading<'_, '_, '_> {
    fn take(&mut self, what: TomlKind, span: Range<usize>, encoding: Option<Encoding>) {
        match what {
            TomlKind::Table | TomlKind::ArrayTable => (self.header, self.head) = (Some(what), span.start),
            TomlKind::Key => self.keys.push(Key::new(span, style(encoding, true))),
            TomlKind::TableEnd => self.end_header(),
            TomlKind::Scalar | TomlKind::InlineOpen | TomlKind::ArrayOpen => {
                let (parent, key) = match self.open.last() {
                    Some((list, false)) => (*list, None),
                    other => {
                        let holder = other.map_or(self.table, |(id, _)| *id);
                        let last = self.keys.pop();
                        let above = self.keys.drain(..);
                        (above.fold(holder, |table, key| self.tables.enter(table, key)), last)
                    }
                };
                let kind = match what {
                    TomlKind::Scalar => Kind::Leaf(style(encoding, false)),
                    TomlKind::InlineOpen => Kind::Object,
                    _ => Kind::List,
                };
                let id = self.tables.out.add(Some(parent), key, kind, span);
                if what != TomlKind::Scalar {
                    self.open.push((id, what == TomlKind::InlineOpen));
                }
            }
            TomlKind::InlineClose | TomlKind::ArrayClose => {
                if let Some((id, _)) = self.open.pop() {
                    self.tables.out.end(id, span.end);
                }
            }
            TomlKind::Line => {}
        }
    }

    /// Opens the table whose header has been read.
    fn end_header(&mut self) {
        let text = self.tables.text;
        let name = |key: &Key| decode(key.style, &text[key.span.clone()]).into_owned();
        let path: Vec<String> = self.keys.iter().map(name).collect();
        self.tables.close(&path, self.head);
        let Some(last) = self.keys.pop() else { return };
        let above = self.keys.drain(..).fold(self.root, |table, key| self.tables.enter(table, key));
        self.table = if self.header == Some(TomlKind::ArrayTable) {
            let next = self.tables.next_of(above, last, self.head);
            self.tables.open.push((path, next));
            next
        } else {
            self.tables.enter(above, last)
        };
        self.header = None;
    }
}

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    let inner = |n: usize| raw.get(n..raw.len().saturating_sub(n)).unwrap_or(raw);
    match style {
        Style::TomlBasic if !raw.contains('\\') => Cow::Borrowed(inner(1)),
        Style::TomlLiteral => Cow::Borrowed(inner(1)),
        Style::TomlBare | Style::TomlBareKey => Cow::Borrowed(raw),
        _ => {
            let text = ::toml::from_str::<::toml::Table>(&format!("v = {raw}"));
            let value = text.ok().and_then(|mut table| table.remove("v"));
            match value {
                Some(::toml::Value::String(text)) => Cow::Owned(text),
                _ => Cow::Borrowed(raw),
            }
        }
    }
}

pub(crate) fn encode(style: Style, new: &str, raw: &str) -> Option<String> {
    let bare = |new: &str| !new.is_empty() && new.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-' || b == b'_');
    let literal = !new.contains(|c: char| c == '\'' || (c.is_control() && c != '\t'));
    let first_line = |quotes: &str| {
        let rest = raw.strip_prefix(quotes).unwrap_or_default();
        if rest.starts_with("\r\n") {
            "\r\n"
        } else if rest.starts_with('\n') {
            "\n"
        } else {
            ""
        }
    };
    match style {
        Style::TomlBareKey if bare(new) => Some(new.to_string()),
        Style::TomlBare => {
            let number = |text: &str| serde_json::from_str::<serde_json::Value>(text).is_ok_and(|v| v.is_number());
            (number(new) && number(&raw.replace('_', ""))).then(|| new.to_string())
        }
        Style::TomlLiteral if literal => Some(format!("'{new}'")),
        Style::TomlLongLiteral if literal && !new.is_empty() => Some(format!("'''{}{new}'''", first_line("'''"))),
        Style::TomlLongBasic => Some(format!("\"\"\"{}{}\"\"\"", first_line("\"\"\""), escaped(new))),
        _ => Some(format!("\"{}\"", escaped(new))),
    }
}

fn escaped(new: &str) -> String {
    let by_number = |c: char| c.is_control().then(|| format!("\\u{:04X}", u32::from(c)));
    escaped_in_double_quotes(new, by_number)
}
