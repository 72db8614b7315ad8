//! A text file of any format as leaves with spans, selected by JSONPath (RFC 9535) and edited by span.
//!
//! Law: every edit is spliced, read again, and its shape compared with the one before; an edit that
//! would change anything else, or that would not read back as what was meant, is refused.

mod writing;

use crate::record::formats::Format;
use std::borrow::Cow;
use std::cell::{OnceCell, RefCell};
use std::collections::HashMap;
use std::ops::Range;

use std::rc::Rc;

use serde_json::Value;

use super::encoding::{Encoding, bytes_of, text_of};
use super::fault::{DocumentError, LARGEST};
use super::formats;
use super::former_page::FormerPage;
use super::opened::{Opened, format_within};
use super::place::{Place, Side, Step, read_steps};
use super::selectors::find_in;
use super::tree::{Builder, Fault, Kind, Node, Style, Tree};

/// Bytes of the largest file whose texts are looked at for documents.
const LARGEST_OPENED: usize = 32 << 20;

/// What a text says that is a document of a format.
pub(crate) fn value_within(text: &str, format: Format) -> Option<Value> {
    Document::parse(text.as_bytes().to_vec(), format).ok().map(|document| document.value().clone())
}

/// A text file with its leaves.
#[derive(Debug)]
pub struct Document {
    format: Format,
    encoding: Encoding,
    former: Option<FormerPage>,
    text: String,
    tree: Tree,
    value: OnceCell<Value>,
    /// The children of large nodes, so that one is found without going through all.
    large: RefCell<HashMap<u32, Rc<Large>>>,
    /// Entries of lists by what a filter asks of them.
    filtered: RefCell<HashMap<(String, String), Rc<ByText>>>,
    /// The same with the documents in its texts opened, where there are any.
    opened: OnceCell<Option<Opened>>,
    /// Where lines end, once a line was asked for.
    line_ends: OnceCell<Vec<usize>>,
}

/// What a value is to say.
#[derive(Clone, Debug)]
pub(crate) struct NewValue {
    pub place: Place,
    pub new: String,
    /// How that was written here before, if it was.
    pub written: Option<String>,
}

/// Numbers of the entries of a list, by what one text of each says.
type ByText = HashMap<String, Vec<usize>>;

/// The children of a large node.
#[derive(Debug)]
enum Large {
    List(Vec<u32>),
    Object(HashMap<String, u32>),
}

/// Children that are gone through one by one; of a node with more, all are kept.
const FEW: usize = 24;

/// A key or value that holds text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leaf<'a> {
    /// Where it stands.
    pub place: Place,
    /// Key or value.
    pub side: Side,
    /// Byte range in [`Document::text`].
    pub span: Range<usize>,
    /// What it says.
    pub text: Cow<'a, str>,
}

/// What is told of every leaf in turn: where it stands, its bytes, and what it says.
type Look<'l, 'a> = &'l mut dyn FnMut(&Place, Side, Range<usize>, Cow<'a, str>);

impl Document {
    /// Reads a file.
    ///
    /// # Errors
    /// [`DocumentError::Syntax`] with line and column, also where the bytes are no text; [`DocumentError::TooLarge`].
    pub fn parse(bytes: Vec<u8>, format: Format) -> Result<Self, DocumentError> {
        Self::parse_after(bytes, format, None)
    }

    /// Reads a file that was changed since it was read in a code page: what tells its page no more is read, and written, in that.
    ///
    /// # Errors
    /// The same.
    pub fn parse_after(bytes: Vec<u8>, format: Format, former: Option<&FormerPage>) -> Result<Self, DocumentError> {
        if bytes.len() > LARGEST {
            return Err(DocumentError::TooLarge { size: bytes.len() });
        }
        let (encoding, text) = if format.is_packed() {
            (Encoding::Bytes, text_of(&bytes))
        } else {
            Encoding::read_after(bytes, former.map(|former| former.page)).map_err(|fault| DocumentError::Syntax {
                line: 1,
                column: fault.valid + 1,
                what: format!("these bytes are no text (byte {})", fault.valid),
            })?
        };
        // A word that names a page says nothing in a format that is Unicode whatever it says.
        let is_unicode = text.is_ascii() && former.is_none() && format.is_unicode();
        let encoding = if encoding.is_page() && is_unicode { Encoding::Utf8 } else { encoding };
        let tree = scanned(&text, format).map_err(|fault| position(&text, format, fault))?;
        Ok(Self {
            format,
            encoding,
            former: former.filter(|former| former.page == encoding).cloned(),
            text,
            tree,
            value: OnceCell::new(),
            large: RefCell::default(),
            filtered: RefCell::default(),
            opened: OnceCell::new(),
            line_ends: OnceCell::new(),
        })
    }

    /// The code page that its text is in, if it is in one.
    pub fn page(&self) -> Option<FormerPage> {
        FormerPage::of_text(self.encoding, &self.text)
    }

    /// Its format.
    pub fn format(&self) -> Format {
        self.format
    }

    /// The whole text, decoded, without a byte-order mark.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The document as a plain value: text, numbers and words where the format knows them, else text.
    pub fn value(&self) -> &Value {
        self.value.get_or_init(|| self.value_of(0))
    }

    fn value_of(&self, node: u32) -> Value {
        match self.tree.node(node).kind {
            Kind::Object => {
                let members = self.tree.children(node).map(|child| (self.key_text(child).into_owned(), child));
                Value::Object(members.map(|(key, child)| (key, self.value_of(child))).collect())
            }
            Kind::List => self.tree.children(node).map(|child| self.value_of(child)).collect(),
            Kind::Leaf(style) => formats::value(style, &self.text[self.tree.node(node).span()]),
        }
    }

    /// What it says with the documents in its texts opened; `None` if there are none.
    pub(crate) fn opened(&self) -> Option<&Opened> {
        self.opened
            .get_or_init(|| self.may_hold_documents().then(|| Opened::of(self.value(), &value_within)).flatten())
            .as_ref()
    }

    /// Whether any text may be a document: looked at as it is written, so that most texts need not be decoded for it. In a file as large
    /// as none that holds documents nobody looks.
    fn may_hold_documents(&self) -> bool {
        let may = |text: &str| {
            let closes = |open: char, close: char| text.contains(open) && text.contains(close);
            // In XML what opens an element is escaped.
            closes('{', '}')
                || closes('[', ']')
                || text.contains("</")
                || text.contains("&lt;")
                || text.contains("\\u003")
        };
        let is_one = |node: &Node| match node.kind {
            Kind::Leaf(style) => {
                let written = &self.text[node.span()];
                may(written) && format_within(&formats::decode(style, written)).is_some()
            }
            Kind::Object | Kind::List => false,
        };
        self.text.len() <= LARGEST_OPENED && self.tree.nodes.iter().any(is_one)
    }

    /// The value at a place, made anew unless that of the whole document is at hand.
    pub(crate) fn value_at(&self, place: &Place) -> Option<Cow<'_, Value>> {
        match self.value.get() {
            Some(whole) => place.of(whole).map(Cow::Borrowed),
            None => self.node(place).map(|node| Cow::Owned(self.value_of(node))),
        }
    }

    /// The same of a list, if it has no more than so many elements.
    pub(crate) fn short_list_at(&self, place: &Place, most: usize) -> Option<Value> {
        let node = self.node(place).filter(|node| self.tree.children(*node).nth(most).is_none())?;
        (self.tree.node(node).kind == Kind::List).then(|| self.value_of(node))
    }

    /// Whether something stands at a place.
    pub(crate) fn has(&self, place: &Place) -> bool {
        self.node(place).is_some()
    }

    fn has_key(&self, node: u32, name: &str) -> bool {
        let says = self.tree.node(node);
        // A large registry has hundreds of thousands of keys: most are told apart without decoding them.
        let may = says.key_style.is_none_or(|style| formats::may_say(style, &self.text[says.key()], name));
        may && self.key_text(node) == name
    }

    fn key_text(&self, node: u32) -> Cow<'_, str> {
        let node = self.tree.node(node);
        node.key_style.map_or(Cow::Borrowed(""), |style| formats::decode(style, &self.text[node.key()]))
    }

    /// Finds all places that a JSONPath selects.
    ///
    /// # Errors
    /// [`DocumentError::Selector`] of what is no JSONPath, or of one that would take too long.
    pub fn find(&self, selector: &str) -> Result<Vec<Place>, DocumentError> {
        if let Some(place) = Place::read(selector) {
            return Ok(self.node(&place).map(|_| place).into_iter().collect());
        }
        if let Some(found) = self.find_by_text(selector).or_else(|| self.find_all(selector)) {
            return Ok(found);
        }
        find_in(self.value(), selector)
    }

    /// Finds the one place that a JSONPath selects.
    ///
    /// # Errors
    /// The same, and [`DocumentError::NotOne`] of none or several.
    pub fn find_one(&self, selector: &str) -> Result<Place, DocumentError> {
        let mut places = self.find(selector)?;
        match places.len() {
            1 => Ok(places.remove(0)),
            found => Err(DocumentError::NotOne { selector: selector.into(), found }),
        }
    }

    /// The text of the value at a place, just as it is written.
    pub fn raw(&self, place: &Place) -> Option<&str> {
        self.node(place).map(|node| &self.text[self.tree.node(node).span()])
    }

    /// At how many places a key is written: a section may go on further down.
    pub(crate) fn times_written(&self, place: &Place) -> usize {
        self.node(place).map_or(0, |node| self.tree.key_spans(node).len())
    }

    /// The text of a key or value just as it is written.
    pub fn written(&self, place: &Place, side: Side) -> Option<&str> {
        let node = self.tree.node(self.node(place)?);
        Some(&self.text[if side == Side::Key { node.key() } else { node.span() }])
    }

    #[cfg(test)]
    pub(crate) fn written_span(&self, place: &Place, side: Side) -> Option<Range<usize>> {
        let node = self.tree.node(self.node(place)?);
        Some(if side == Side::Key { node.key() } else { node.span() })
    }

    #[cfg(test)]
    pub(crate) fn places_of_key(&self, place: &Place, side: Side) -> usize {
        if side == Side::Value { 1 } else { self.node(place).map_or(0, |node| self.tree.key_spans(node).len()) }
    }

    /// The text of a key, or of a text or number value, decoded.
    pub fn leaf(&self, place: &Place, side: Side) -> Option<String> {
        let node = self.node(place)?;
        self.leaf_of(node, side).map(Cow::into_owned)
    }

    fn leaf_of(&self, node: u32, side: Side) -> Option<Cow<'_, str>> {
        let says = self.tree.node(node);
        match (side, says.kind) {
            (Side::Key, _) => says.key_style.map(|_| self.key_text(node)),
            (Side::Value, Kind::Leaf(style)) if style.is_word() => None,
            (Side::Value, Kind::Leaf(style)) => Some(formats::decode(style, &self.text[says.span()])),
            (Side::Value, _) => None,
        }
    }

    /// The places of the elements or members of a list.
    pub fn children(&self, list: &Place) -> Option<Vec<Place>> {
        let node = self.node(list)?;
        match self.tree.node(node).kind {
            Kind::List => Some((0..self.tree.children(node).count()).map(|n| list.child(Step::Index(n))).collect()),
            Kind::Object => {
                let name = |child| Step::Name(self.key_text(child).into_owned());
                let mut all: Vec<Place> = self.tree.children(node).map(|child| list.child(name(child))).collect();
                let mut seen = std::collections::HashSet::new();
                all.retain(|place| seen.insert(place.clone()));
                Some(all)
            }
            Kind::Leaf(_) => None,
        }
    }

    /// Calls `look` for every key and value that holds text, in no particular order.
    pub fn leaves<'a>(&'a self, look: &mut dyn FnMut(Leaf<'a>)) {
        self.each_leaf(&mut |place, side, span, text| look(Leaf { place: place.clone(), side, span, text }));
    }

    /// The same without a place of its own for each: a large file has a million of them.
    pub(crate) fn each_leaf<'a>(&'a self, look: Look<'_, 'a>) {
        self.leaves_below(0, &mut Place::default(), look);
    }

    fn leaves_below<'a>(&'a self, node: u32, place: &mut Place, look: Look<'_, 'a>) {
        let says = self.tree.node(node);
        for side in [Side::Key, Side::Value] {
            // An element of a list of equal keys has its list's key: one leaf is enough.
            let own_key = matches!(place.0.last(), Some(Step::Name(_)));
            let fixed = says.key_style.is_some_and(Style::is_given_key);
            if side == Side::Key && (!own_key || fixed) {
                continue;
            }
            if let Some(text) = self.leaf_of(node, side) {
                let span = if side == Side::Key { says.key() } else { says.span() };
                look(place, side, span, text);
            }
        }
        let list = says.kind == Kind::List;
        for (n, child) in self.tree.children(node).enumerate() {
            place.0.push(if list { Step::Index(n) } else { Step::Name(self.key_text(child).into_owned()) });
            self.leaves_below(child, place, look);
            place.0.pop();
        }
    }

    /// The bytes of the whole document.
    pub fn bytes(&self) -> Vec<u8> {
        self.encoding.write(&[&self.text])
    }

    /// The bytes of all values that are not read, with a zero between two of them.
    pub(crate) fn unread_bytes(&self) -> Vec<u8> {
        let unread = self.tree.nodes.iter().filter(|node| matches!(node.kind, Kind::Leaf(Style::Fixed)));
        let texts: Vec<&str> = unread.map(|node| &self.text[node.span()]).collect();
        bytes_of(&texts.join("\0"))
    }

    /// Line of a place, from 1.
    pub fn line(&self, place: &Place) -> usize {
        let start = self.node(place).map_or(0, |node| self.tree.node(node).span().start);
        let ends = self.line_ends.get_or_init(|| self.text.match_indices('\n').map(|(at, _)| at).collect());
        ends.partition_point(|end| *end < start) + 1
    }

    /// The spans of the children of a node, with their keys where they have them.
    pub(crate) fn child_spans(&self, list: &Place) -> Option<(Range<usize>, Spans)> {
        let node = self.node(list)?;
        let object = self.tree.node(node).kind == Kind::Object;
        let span = |child: u32| {
            let child = self.tree.node(child);
            (if object { child.key().start } else { child.span().start }, child.span().end)
        };
        Some((self.tree.node(node).span(), self.tree.children(node).map(span).collect()))
    }

    /// The children of a node, if there are more than a few.
    fn large(&self, node: u32) -> Option<Rc<Large>> {
        if let Some(known) = self.large.borrow().get(&node) {
            return Some(Rc::clone(known));
        }
        self.tree.children(node).nth(FEW)?;
        let large = Rc::new(match self.tree.node(node).kind {
            Kind::Object => Large::Object(
                self.tree.children(node).map(|child| (self.key_text(child).into_owned(), child)).collect(),
            ),
            _ => Large::List(self.tree.children(node).collect()),
        });
        self.large.borrow_mut().insert(node, Rc::clone(&large));
        Some(large)
    }

    /// The places that a selector finds which asks the entries of one list for one text, as `$.list[?@.key == 'text'].more` does: each
    /// list is gone through once, however many texts are asked for. `None` of any other selector.
    fn find_by_text(&self, selector: &str) -> Option<Vec<Place>> {
        let (list, rest) = selector.split_once("[?@")?;
        let (key, rest) = rest.split_once("==")?;
        let rest = rest.trim_start();
        let quote = rest.chars().next().filter(|c| matches!(c, '\'' | '"'))?;
        let (text, more) = rest[1..].split_once(quote)?;
        let more = more.trim_start().strip_prefix(']')?;
        if text.contains('\\') {
            return None;
        }
        let (list, key, more) = (Place::read(list)?, format!("${}", key.trim_end()), Place::read(&format!("${more}"))?);
        let key = Place::read(&key)?;
        let at = (list.to_string(), key.to_string());
        let known = self.filtered.borrow().get(&at).map(Rc::clone);
        let known = known.unwrap_or_else(|| {
            let mut by_text = ByText::new();
            for (nth, entry) in self.children(&list).unwrap_or_default().into_iter().enumerate() {
                let mut whole = entry;
                whole.0.extend(key.0.iter().cloned());
                let value = self.node(&whole).map(|node| self.value_of(node));
                if let Some(Value::String(says)) = value {
                    by_text.entry(says).or_default().push(nth);
                }
            }
            let by_text = Rc::new(by_text);
            self.filtered.borrow_mut().insert(at, Rc::clone(&by_text));
            by_text
        });
        let entries = self.children_at(&list, known.get(text).map(Vec::as_slice).unwrap_or_default());
        let found = entries.into_iter().map(|mut entry| {
            entry.0.extend(more.0.iter().cloned());
            entry
        });
        Some(found.filter(|place| self.node(place).is_some()).collect())
    }

    /// The places that a selector of steps finds of which some are any: no value of a large document is made for it. `None` of any other
    /// selector.
    fn find_all(&self, selector: &str) -> Option<Vec<Place>> {
        let mut found = vec![Place::default()];
        for step in read_steps(selector)? {
            found = match step {
                Some(step) => found.into_iter().map(|place| place.child(step.clone())).collect(),
                None => found.iter().flat_map(|place| self.children(place).unwrap_or_default()).collect(),
            };
        }
        found.retain(|place| self.node(place).is_some());
        Some(found)
    }

    /// Some children of a list or object, by their numbers.
    fn children_at(&self, list: &Place, numbers: &[usize]) -> Vec<Place> {
        let Some(node) = self.node(list) else { return Vec::new() };
        if self.tree.node(node).kind == Kind::List {
            return numbers.iter().map(|nth| list.child(Step::Index(*nth))).collect();
        }
        let all = self.children(list).unwrap_or_default();
        numbers.iter().filter_map(|nth| all.get(*nth).cloned()).collect()
    }

    fn node(&self, place: &Place) -> Option<u32> {
        place.0.iter().try_fold(0, |node, step| match (self.tree.nodes.get(node as usize)?.kind, step) {
            // Of a key that stands twice, readers take the last value.
            (Kind::Object, Step::Name(name)) => match self.large(node).as_deref() {
                Some(Large::Object(all)) => all.get(name).copied(),
                _ => self.tree.children(node).filter(|child| self.has_key(*child, name)).last(),
            },
            (Kind::List, Step::Index(n)) if *n < FEW => self.tree.children(node).nth(*n),
            (Kind::List, Step::Index(n)) => match self.large(node).as_deref() {
                Some(Large::List(all)) => all.get(*n).copied(),
                _ => None,
            },
            _ => None,
        })
    }
}

/// Where entries begin and end.
pub(crate) type Spans = Vec<(usize, usize)>;

fn scanned(text: &str, format: Format) -> Result<Tree, Fault> {
    let mut builder = Builder::for_text(text.len());
    formats::scan(text, format, &mut builder)?;
    Ok(builder.done())
}

fn position(text: &str, format: Format, fault: Fault) -> DocumentError {
    if format.is_packed() {
        let byte = text[..text.floor_char_boundary(fault.at.min(text.len()))].chars().count();
        return DocumentError::Packed { byte, what: fault.what };
    }
    let at = text.floor_char_boundary(fault.at.min(text.len()));
    let before = &text[..at];
    let line = before.matches('\n').count() + 1;
    let column = before.chars().rev().take_while(|c| *c != '\n').count() + 1;
    DocumentError::Syntax { line, column, what: fault.what }
}
