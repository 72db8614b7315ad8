//! JSON (RFC 8259) with the byte span of every key and value, selected by JSONPath (RFC 9535).
//!
//! Law: every edit is spliced, read again, and compared with what was meant; anything else that
//! differs refuses the edit. A byte-order mark stays where it is.

use std::fmt;
use std::fmt::Write as _;
use std::ops::Range;

use jsonc_parser::ast::{ObjectPropName, Value as Ast};
use jsonc_parser::common::Ranged;
use jsonc_parser::{CollectOptions, CommentCollectionStrategy, ParseOptions};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use serde_json_path::{JsonPath, PathElement};
use thiserror::Error;

/// Whether a record is an object's key or a value.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Side {
    /// The key itself.
    Key,
    /// The value.
    #[default]
    Value,
}

/// One step from a node to its child.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// Into the member of this name.
    Name(String),
    /// Into the element of this number, from 0.
    Index(usize),
}

/// The way from the root to a node; shown as a normalized path of RFC 9535, 2.7.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Place(pub Vec<Step>);

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_char('$')?;
        for step in &self.0 {
            match step {
                Step::Index(n) => write!(f, "[{n}]")?,
                Step::Name(name) => {
                    f.write_str("['")?;
                    for c in name.chars() {
                        match c {
                            '\'' => f.write_str("\\'")?,
                            '\\' => f.write_str("\\\\")?,
                            '\n' => f.write_str("\\n")?,
                            '\r' => f.write_str("\\r")?,
                            '\t' => f.write_str("\\t")?,
                            '\u{8}' => f.write_str("\\b")?,
                            '\u{c}' => f.write_str("\\f")?,
                            c if c < ' ' => write!(f, "\\u{:04x}", u32::from(c))?,
                            c => f.write_char(c)?,
                        }
                    }
                    f.write_str("']")?;
                }
            }
        }
        Ok(())
    }
}

impl Place {
    /// The place of a child.
    #[must_use]
    pub fn child(&self, step: Step) -> Self {
        let mut steps = self.0.clone();
        steps.push(step);
        Self(steps)
    }
}

/// Why a JSON document was not read or not changed.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum JsonError {
    /// The text is not JSON.
    #[error("line {line}, column {column}: {what}")]
    Syntax {
        /// Line, from 1.
        line: usize,
        /// Column, from 1.
        column: usize,
        /// The fault.
        what: String,
    },
    /// The selector is not JSONPath.
    #[error("{selector} is not a JSONPath: {what}")]
    Selector {
        /// The selector.
        selector: String,
        /// The fault.
        what: String,
    },
    /// A selector that must find one node found another number of them.
    #[error("{selector} finds {found} places where one is wanted")]
    NotOne {
        /// The selector.
        selector: String,
        /// How many it finds.
        found: usize,
    },
    /// The place holds no text or number, or is not the kind of list it must be.
    #[error("{place} is not what an edit can change there")]
    WrongKind {
        /// The place.
        place: String,
    },
    /// Another member has the new key already.
    #[error("{place}: the key {key:?} is there already")]
    Collision {
        /// The object.
        place: String,
        /// The key.
        key: String,
    },
    /// The edited text does not read as what was meant; nothing was changed.
    #[error("the edit at {place} would change more than it should")]
    Unfaithful {
        /// The place.
        place: String,
    },
}

#[derive(Clone, Debug)]
enum Kind {
    Object(Vec<(String, Range<usize>, Node)>),
    Array(Vec<Node>),
    Text,
    Other,
}

#[derive(Clone, Debug)]
struct Node {
    span: Range<usize>,
    kind: Kind,
}

/// A JSON document with its spans.
#[derive(Clone, Debug)]
pub struct Json {
    mark: bool,
    text: String,
    root: Node,
    value: Value,
}

const MARK: &[u8] = b"\xef\xbb\xbf";

impl Json {
    /// Reads a document: UTF-8, with or without a byte-order mark.
    ///
    /// # Errors
    /// [`JsonError::Syntax`] with line and column.
    pub fn parse(bytes: &[u8]) -> Result<Self, JsonError> {
        let mark = bytes.starts_with(MARK);
        let body = if mark { &bytes[MARK.len()..] } else { bytes };
        let text = std::str::from_utf8(body).map_err(|error| {
            let what = "the text is not UTF-8".to_string();
            position(&body[..error.valid_up_to()], what)
        })?;
        let comments = CollectOptions { comments: CommentCollectionStrategy::Off, tokens: false };
        let options = ParseOptions {
            allow_comments: false,
            allow_loose_object_property_names: false,
            allow_trailing_commas: false,
            allow_missing_commas: false,
            allow_single_quoted_strings: false,
            allow_hexadecimal_numbers: false,
            allow_unary_plus_numbers: false,
            allow_bare_decimal_point_numbers: false,
            allow_non_finite_numbers: false,
            allow_extended_string_escapes: false,
        };
        let parsed = jsonc_parser::parse_to_ast(text, &comments, &options)
            .map_err(|error| position(&body[..error.range().start.min(body.len())], error.kind().to_string()))?;
        let Some(ast) = parsed.value else {
            return Err(position(b"", "the file is empty".into()));
        };
        let value = serde_json::from_str(text).map_err(|error| JsonError::Syntax {
            line: error.line(),
            column: error.column(),
            what: error.to_string().split(" at line").next().unwrap_or_default().into(),
        })?;
        let root = node(&ast);
        Ok(Self { mark, text: text.to_string(), root, value })
    }

    /// The document as a plain value.
    pub fn value(&self) -> &Value {
        &self.value
    }

    /// Finds all places that a JSONPath selects.
    pub fn find(&self, selector: &str) -> Result<Vec<Place>, JsonError> {
        let path = JsonPath::parse(selector)
            .map_err(|e| JsonError::Selector { selector: selector.into(), what: e.to_string() })?;
        let located = path.query_located(&self.value);
        Ok(located
            .locations()
            .map(|location| {
                let step = |element: &PathElement<'_>| match element {
                    PathElement::Name(name) => Step::Name((*name).to_string()),
                    PathElement::Index(n) => Step::Index(*n),
                };
                Place(location.iter().map(step).collect())
            })
            .collect())
    }

    /// Finds the one place that a JSONPath selects.
    pub fn find_one(&self, selector: &str) -> Result<Place, JsonError> {
        let mut places = self.find(selector)?;
        match places.len() {
            1 => Ok(places.remove(0)),
            found => Err(JsonError::NotOne { selector: selector.into(), found }),
        }
    }

    /// The raw bytes of the value at a place, as text.
    pub fn raw(&self, place: &Place) -> Option<&str> {
        self.node(place).map(|node| &self.text[node.span.clone()])
    }

    /// The text of a key, or of a string or number value, decoded.
    pub fn leaf(&self, place: &Place, side: Side) -> Option<String> {
        match side {
            Side::Key => match place.0.last()? {
                Step::Name(name) => self.node(place).map(|_| name.clone()),
                Step::Index(_) => None,
            },
            Side::Value => match self.at(place)? {
                Value::String(text) => Some(text.clone()),
                Value::Number(_) => self.raw(place).map(str::to_string),
                _ => None,
            },
        }
    }

    /// The value at a place.
    pub fn at(&self, place: &Place) -> Option<&Value> {
        place.0.iter().try_fold(&self.value, |value, step| match step {
            Step::Name(name) => value.get(name),
            Step::Index(n) => value.get(n),
        })
    }

    /// The places of the elements or members of a list.
    pub fn children(&self, list: &Place) -> Option<Vec<Place>> {
        match self.at(list)? {
            Value::Array(all) => Some((0..all.len()).map(|n| list.child(Step::Index(n))).collect()),
            Value::Object(all) => Some(all.keys().map(|name| list.child(Step::Name(name.clone()))).collect()),
            _ => None,
        }
    }

    /// The bytes of the whole document.
    pub fn bytes(&self) -> Vec<u8> {
        self.spliced(0..0, "")
    }

    /// Line of a place, from 1.
    pub fn line(&self, place: &Place) -> usize {
        let start = self.node(place).map_or(0, |node| node.span.start);
        self.text[..start].matches('\n').count() + 1
    }

    /// Replaces the text of one key or value and gives the new document.
    ///
    /// # Errors
    /// [`JsonError::WrongKind`], [`JsonError::Collision`], [`JsonError::Unfaithful`].
    pub fn replace(&self, place: &Place, side: Side, new: &str) -> Result<Vec<u8>, JsonError> {
        let wrong = || JsonError::WrongKind { place: place.to_string() };
        let node = self.node(place).ok_or_else(wrong)?;
        let mut meant = self.value.clone();
        let (span, written) = match side {
            Side::Value => {
                let target = pointed(&mut meant, &place.0).ok_or_else(wrong)?;
                let written = match node.kind {
                    Kind::Text => {
                        *target = Value::String(new.into());
                        quoted(new, &self.text[node.span.clone()])
                    }
                    Kind::Other if target.is_number() => {
                        *target = serde_json::from_str(new).map_err(|_| wrong())?;
                        new.to_string()
                    }
                    _ => return Err(wrong()),
                };
                (node.span.clone(), written)
            }
            Side::Key => {
                let (Some(Step::Name(old)), list) = (place.0.last(), &place.0[..place.0.len() - 1]) else {
                    return Err(wrong());
                };
                let object = pointed(&mut meant, list).and_then(Value::as_object_mut).ok_or_else(wrong)?;
                if new != old && object.contains_key(new) {
                    let place = Place(list.to_vec()).to_string();
                    return Err(JsonError::Collision { place, key: new.into() });
                }
                let renamed = std::mem::take(object);
                let name = |key: String| if key == *old { new.to_string() } else { key };
                *object = renamed.into_iter().map(|(key, value)| (name(key), value)).collect();
                let span = self.key_span(place).ok_or_else(wrong)?;
                let written = quoted(new, &self.text[span.clone()]);
                (span, written)
            }
        };
        self.faithful(self.spliced(span, &written), &meant, place)
    }

    /// Puts `raw` into a list behind its last entry and gives the new document; `key` for an object.
    pub fn append(&self, list: &Place, key: Option<&str>, raw: &str) -> Result<Vec<u8>, JsonError> {
        let wrong = || JsonError::WrongKind { place: list.to_string() };
        let node = self.node(list).ok_or_else(wrong)?;
        let mut meant = self.value.clone();
        let value: Value = serde_json::from_str(raw).map_err(|_| wrong())?;
        let (starts, written) = match (&node.kind, key, pointed(&mut meant, &list.0).ok_or_else(wrong)?) {
            (Kind::Array(all), None, Value::Array(target)) => {
                target.push(value);
                (all.iter().map(|n| (n.span.start, n.span.end)).collect::<Vec<_>>(), raw.to_string())
            }
            (Kind::Object(all), Some(key), Value::Object(target)) => {
                if target.contains_key(key) {
                    return Err(JsonError::Collision { place: list.to_string(), key: key.into() });
                }
                target.insert(key.into(), value);
                let spans = all.iter().map(|(_, k, n)| (k.start, n.span.end)).collect();
                (spans, format!("{}: {raw}", quoted(key, "")))
            }
            _ => return Err(wrong()),
        };
        let bytes = match starts.as_slice() {
            [] => {
                let around =
                    self.text[node.span.clone()].chars().next().map_or("[]", |c| if c == '{' { "{}" } else { "[]" });
                let (open, close) = around.split_at(1);
                self.spliced(node.span.clone(), &self.laid_out(node.span.start, open, &written, close))
            }
            [.., last] => {
                let before = starts.len().checked_sub(2).map_or(node.span.start + 1, |n| starts[n].1);
                let gap = self.text[before..last.0].trim_start_matches(|c: char| c.is_ascii_whitespace());
                let gap =
                    if starts.len() > 1 { gap.strip_prefix(',').unwrap_or(gap) } else { &self.text[before..last.0] };
                self.spliced(last.1..last.1, &format!(",{gap}{written}"))
            }
        };
        self.faithful(bytes, &meant, list)
    }

    /// Takes one entry out of a list and gives the new document.
    pub fn remove(&self, list: &Place, nth: usize) -> Result<Vec<u8>, JsonError> {
        let wrong = || JsonError::WrongKind { place: list.to_string() };
        let node = self.node(list).ok_or_else(wrong)?;
        let mut meant = self.value.clone();
        let target = pointed(&mut meant, &list.0).ok_or_else(wrong)?;
        let spans: Vec<(usize, usize)> = match (&node.kind, target) {
            (Kind::Array(all), Value::Array(target)) if nth < all.len() => {
                target.remove(nth);
                all.iter().map(|n| (n.span.start, n.span.end)).collect()
            }
            (Kind::Object(all), Value::Object(target)) if nth < all.len() => {
                target.shift_remove(&all[nth].0);
                all.iter().map(|(_, k, n)| (k.start, n.span.end)).collect()
            }
            _ => return Err(wrong()),
        };
        let cut = match (nth, spans.len()) {
            (_, 1) => node.span.start + 1..node.span.end - 1,
            (0, _) => spans[0].0..spans[1].0,
            _ => spans[nth - 1].1..spans[nth].1,
        };
        self.faithful(self.spliced(cut, ""), &meant, list)
    }

    /// Lays out the first entry of a list as the document around it is laid out.
    fn laid_out(&self, at: usize, open: &str, entry: &str, close: &str) -> String {
        if !self.text.contains('\n') {
            return format!("{open}{entry}{close}");
        }
        let line = self.text[..at].rfind('\n').map_or(0, |n| n + 1);
        let indent: String = self.text[line..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
        let end = if self.text.contains("\r\n") { "\r\n" } else { "\n" };
        let step = if indent.contains('\t') { "\t" } else { "  " };
        format!("{open}{end}{indent}{step}{entry}{end}{indent}{close}")
    }

    fn spliced(&self, span: Range<usize>, new: &str) -> Vec<u8> {
        let mut out = if self.mark { MARK.to_vec() } else { Vec::new() };
        out.extend_from_slice(&self.text.as_bytes()[..span.start]);
        out.extend_from_slice(new.as_bytes());
        out.extend_from_slice(&self.text.as_bytes()[span.end..]);
        out
    }

    fn faithful(&self, bytes: Vec<u8>, meant: &Value, place: &Place) -> Result<Vec<u8>, JsonError> {
        match Self::parse(&bytes) {
            Ok(now) if now.value == *meant => Ok(bytes),
            _ => Err(JsonError::Unfaithful { place: place.to_string() }),
        }
    }

    fn node(&self, place: &Place) -> Option<&Node> {
        place.0.iter().try_fold(&self.root, |node, step| match (&node.kind, step) {
            // Of a key that stands twice, readers take the last value.
            (Kind::Object(all), Step::Name(name)) => {
                all.iter().rev().find(|(key, ..)| key == name).map(|(_, _, node)| node)
            }
            (Kind::Array(all), Step::Index(n)) => all.get(*n),
            _ => None,
        })
    }

    fn key_span(&self, place: &Place) -> Option<Range<usize>> {
        let (last, list) = place.0.split_last()?;
        match (&self.node(&Place(list.to_vec()))?.kind, last) {
            (Kind::Object(all), Step::Name(name)) => {
                all.iter().rev().find(|(key, ..)| key == name).map(|(_, span, _)| span.clone())
            }
            _ => None,
        }
    }
}

fn position(before: &[u8], what: String) -> JsonError {
    let line = before.split(|b| *b == b'\n').count();
    let column = before.iter().rev().take_while(|b| **b != b'\n').count() + 1;
    JsonError::Syntax { line, column, what }
}

fn node(ast: &Ast<'_>) -> Node {
    let range = ast.range();
    let kind = match ast {
        Ast::Object(object) => Kind::Object(
            object
                .properties
                .iter()
                .map(|property| {
                    let (name, span) = match &property.name {
                        ObjectPropName::String(text) => (text.value.to_string(), text.range),
                        ObjectPropName::Word(word) => (word.value.to_string(), word.range),
                    };
                    (name, span.start..span.end, node(&property.value))
                })
                .collect(),
        ),
        Ast::Array(array) => Kind::Array(array.elements.iter().map(node).collect()),
        Ast::StringLit(_) => Kind::Text,
        _ => Kind::Other,
    };
    Node { span: range.start..range.end, kind }
}

fn pointed<'a>(value: &'a mut Value, steps: &[Step]) -> Option<&'a mut Value> {
    steps.iter().try_fold(value, |value, step| match step {
        Step::Name(name) => value.get_mut(name),
        Step::Index(n) => value.get_mut(n),
    })
}

/// Writes a string with the habits of the one it replaces: a writer that escapes slashes goes on doing so.
fn quoted(new: &str, old: &str) -> String {
    let text = Value::String(new.into()).to_string();
    if old.contains("\\/") { text.replace('/', "\\/") } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const UGLY: &str = "{\r\n\t\"a\\/b\" : [ 1,2.50 ,\"x\\/y\" ],\n  \"käse\": {\"q\\\"\": \"\\u00e4\", \"d\":1,\"d\":\"z\"},\n \"e\":[],\"o\":{ }}\n\n";

    fn ugly() -> Json {
        Json::parse(UGLY.as_bytes()).unwrap()
    }

    #[test]
    fn faults_are_given_with_line_and_column() {
        for (text, line, column) in [("{\n  \"a\": }", 2, 8), ("", 1, 1), ("[1,]", 1, 4), ("{} {}", 1, 4)] {
            match Json::parse(text.as_bytes()) {
                Err(JsonError::Syntax { line: l, column: c, .. }) => assert_eq!(l, line, "{text} column {c}/{column}"),
                other => panic!("{text}: {other:?}"),
            }
        }
        assert!(Json::parse(b"\"\xff\"").is_err());
        assert!(Json::parse("[".repeat(100_000).as_bytes()).is_err());
    }

    #[test]
    fn leaves_are_read_decoded_and_edits_keep_the_writers_habits() {
        let json = ugly();
        let place = json.find_one("$['a/b'][2]").unwrap();
        assert_eq!(json.leaf(&place, Side::Value).as_deref(), Some("x/y"));
        let new = json.replace(&place, Side::Value, "/new/place").unwrap();
        assert!(String::from_utf8(new).unwrap().contains(r#"2.50 ,"\/new\/place" ]"#));
        let number = json.find_one("$['a/b'][1]").unwrap();
        assert_eq!(json.leaf(&number, Side::Value).as_deref(), Some("2.50"));
        assert!(json.replace(&number, Side::Value, "many").is_err());
    }

    #[test]
    fn a_key_keeps_its_place_and_refuses_a_collision() {
        let json = ugly();
        let place = json.find_one("$['a/b']").unwrap();
        let new = json.replace(&place, Side::Key, "c/d").unwrap();
        assert!(String::from_utf8(new).unwrap().starts_with("{\r\n\t\"c\\/d\" : [ 1"));
        assert!(matches!(json.replace(&place, Side::Key, "e"), Err(JsonError::Collision { .. })));
    }

    #[test]
    fn entries_come_and_go_in_the_layout_of_their_list() {
        let text = "{\n  \"all\": [\n    {\"id\": 1},\n    {\"id\": 2}\n  ]\n}\n";
        let json = Json::parse(text.as_bytes()).unwrap();
        let list = json.find_one("$.all").unwrap();
        let more = json.append(&list, None, "{\"id\": 3}").unwrap();
        assert_eq!(
            String::from_utf8(more.clone()).unwrap(),
            "{\n  \"all\": [\n    {\"id\": 1},\n    {\"id\": 2},\n    {\"id\": 3}\n  ]\n}\n"
        );
        let back = Json::parse(&more).unwrap().remove(&list, 2).unwrap();
        assert_eq!(String::from_utf8(back).unwrap(), text);
        let mut now = json.bytes();
        for _ in 0..2 {
            now = Json::parse(&now).unwrap().remove(&list, 0).unwrap();
        }
        assert_eq!(String::from_utf8(now.clone()).unwrap(), "{\n  \"all\": []\n}\n");
        let first = Json::parse(&now).unwrap().append(&list, None, "{\"id\": 9}").unwrap();
        assert_eq!(String::from_utf8(first).unwrap(), "{\n  \"all\": [\n    {\"id\": 9}\n  ]\n}\n");
        let object = ugly().find_one("$['käse']").unwrap();
        let keyed = ugly().append(&object, Some("n\"w"), "[]").unwrap();
        assert!(String::from_utf8(keyed).unwrap().contains("\"d\":\"z\",\"n\\\"w\": []}"));
    }

    proptest! {
        #[test]
        fn any_text_goes_in_and_only_its_span_changes(new in "\\PC*|[\\x00-\\x1f\"\\\\/äß日🚢]*", nth in 0_usize..4, mark: bool) {
            let selectors = ["$['a/b'][2]", "$['käse']['q\"']", "$['käse'].d", "$['käse']"];
            let side = if nth == 3 { Side::Key } else { Side::Value };
            let bytes = if mark { [MARK, UGLY.as_bytes()].concat() } else { UGLY.as_bytes().to_vec() };
            let json = Json::parse(&bytes).unwrap();
            let place = json.find_one(selectors[nth]).unwrap();
            let old = json.leaf(&place, side).unwrap();
            let span = match side { Side::Key => json.key_span(&place).unwrap(), Side::Value => json.node(&place).unwrap().span.clone() };
            let shift = if mark { MARK.len() } else { 0 };
            if side == Side::Key && ["a/b", "e", "o"].contains(&new.as_str()) { return Ok(()); }
            let edited = json.replace(&place, side, &new).unwrap();
            prop_assert_eq!(&edited[..span.start + shift], &bytes[..span.start + shift]);
            prop_assert!(edited.ends_with(&bytes[span.end + shift..]));
            let again = Json::parse(&edited).unwrap();
            let mut there = place.clone();
            if side == Side::Key { there.0 = vec![Step::Name(new.clone())]; }
            prop_assert_eq!(again.leaf(&there, side), Some(new));
            let back = Json::parse(&again.replace(&there, side, &old).unwrap()).unwrap();
            prop_assert_eq!(back.value(), json.value());
        }

        #[test]
        fn no_text_makes_the_reader_panic(text in "[\\[\\]{}:,\"\\\\a1 \\n]{0,60}") {
            let _ = Json::parse(text.as_bytes());
        }

        #[test]
        fn places_are_jsonpaths_that_lead_back(name in "\\PC*|[\\x00-\\x1f'\\\\\"]*") {
            let text = serde_json::to_vec(&serde_json::json!({ &name: [0, "x"] })).unwrap();
            let json = Json::parse(&text).unwrap();
            let place = Place(vec![Step::Name(name), Step::Index(1)]);
            prop_assert_eq!(json.find_one(&place.to_string()).unwrap(), place);
        }
    }
}
