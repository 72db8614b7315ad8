//! The shape of a document: nodes with spans into its text, 28 bytes each, whatever its format.
//!
//! Law: every leaf that can be rewritten has a span of its own; two documents have the same shape if
//! their nodes are the same apart from where they stand.

use std::ops::Range;

/// How deep a document may be nested. Launchers' files are shallow; deeper ones are refused, not followed.
pub(super) const DEEPEST: usize = 256;

/// What a node is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    Object,
    List,
    Leaf(Style),
}

/// How the text of a leaf or key is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Style {
    /// It cannot be rewritten and says nothing: an alias, a value that is not there.
    Fixed,
    /// A name that only the reader gives, with no bytes of its own: it is the static text of this number.
    Given(u8),
    JsonText,
    JsonNumber,
    JsonWord,
    YamlPlain,
    YamlSingle,
    YamlDouble,
    YamlBlock,
    TomlBasic,
    TomlLiteral,
    TomlLongBasic,
    TomlLongLiteral,
    TomlBare,
    TomlBareKey,
    IniBare,
    IniQuoted,
    Desktop,
    ShellDouble,
    ShellSingle,
    ShellBare,
    XmlAttribute(u8),
    XmlText,
    XmlCdata,
    XmlName,
    XmlAttributeName,
    HiveText,
    HiveExport,
    HivePart,
    HiveHex,
    HiveHexPart,
    HiveNumber,
    HivePath,
    HiveExportPath,
    Line,
}

/// The names that readers give: [`Style::Given`] holds a number of this list.
pub(super) const GIVEN: [&str; 5] = ["", "#text", "?", "*", "@"];

pub(super) const NONE: u32 = u32::MAX;

/// A node. Its children hang on `first` and each other's `next`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Node {
    key: (u32, u32),
    span: (u32, u32),
    pub first: u32,
    pub next: u32,
    pub kind: Kind,
    pub key_style: Option<Style>,
}

impl Node {
    pub fn span(&self) -> Range<usize> {
        self.span.0 as usize..self.span.1 as usize
    }

    pub fn key(&self) -> Range<usize> {
        self.key.0 as usize..self.key.1 as usize
    }

    /// The same node, had `by` bytes been put in at `at`, and its own span been changed.
    fn moved(self, at: usize, by: isize) -> Self {
        let moved = |n: u32| if n as usize >= at { (n as isize + by) as u32 } else { n };
        let pair = |(a, b): (u32, u32)| (moved(a), moved(b));
        Self { key: pair(self.key), span: pair(self.span), ..self }
    }
}

/// What a scanner says of a text that is not in its format.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Fault {
    /// Byte at which it was seen.
    pub at: usize,
    pub what: String,
}

impl Fault {
    pub fn new(at: usize, what: impl Into<String>) -> Self {
        Self { at, what: what.into() }
    }
}

/// A key as a scanner sees it.
#[derive(Clone, Debug)]
pub(super) struct Key {
    pub span: Range<usize>,
    pub style: Style,
}

impl Key {
    pub fn new(span: Range<usize>, style: Style) -> Self {
        Self { span, style }
    }
}

/// The nodes of a document, the root first.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Tree {
    pub nodes: Vec<Node>,
    /// Further places where the key of a node is written.
    pub more_keys: Vec<(u32, (u32, u32))>,
}

/// Builds a tree: nodes are added below any node that is there.
#[derive(Debug, Default)]
pub(super) struct Builder {
    tree: Tree,
    last: Vec<u32>,
}

fn pair(range: &Range<usize>) -> (u32, u32) {
    (range.start as u32, range.end as u32)
}

impl Builder {
    /// Adds a node behind the last child of `parent`; without one it is the root.
    pub fn add(&mut self, parent: Option<u32>, key: Option<Key>, kind: Kind, span: Range<usize>) -> u32 {
        let id = self.tree.nodes.len() as u32;
        let key_style = key.as_ref().map(|key| key.style);
        let key = key.map_or((0, 0), |key| pair(&key.span));
        self.tree.nodes.push(Node { key, span: pair(&span), first: NONE, next: NONE, kind, key_style });
        self.last.push(NONE);
        if let Some(parent) = parent {
            let last = std::mem::replace(&mut self.last[parent as usize], id);
            match last {
                NONE => self.tree.nodes[parent as usize].first = id,
                last => self.tree.nodes[last as usize].next = id,
            }
        }
        id
    }

    pub fn end(&mut self, node: u32, at: usize) {
        self.tree.nodes[node as usize].span.1 = at as u32;
    }

    pub fn kind(&self, node: u32) -> Kind {
        self.tree.nodes[node as usize].kind
    }

    /// Says that the key of `node` is written at `span` as well.
    pub fn again(&mut self, node: u32, span: &Range<usize>) {
        self.tree.more_keys.push((node, pair(span)));
    }

    /// Makes a leaf the first element of a list that stands in its place, for a key that comes again.
    pub fn listed(&mut self, node: u32) {
        if self.kind(node) == Kind::List {
            return;
        }
        let old = self.tree.nodes[node as usize];
        let item = self.tree.nodes.len() as u32;
        self.tree.nodes.push(Node { next: NONE, ..old });
        self.last.push(self.last[node as usize]);
        self.tree.nodes[node as usize] = Node { kind: Kind::List, first: item, ..old };
        self.last[node as usize] = item;
    }

    /// Puts the only child of the root in its place.
    pub fn hoist(&mut self) {
        let root = self.tree.nodes[0];
        if root.first != NONE && self.tree.nodes[root.first as usize].next == NONE {
            let child = self.tree.nodes[root.first as usize];
            self.tree.nodes[0] = Node { next: NONE, ..child };
        }
    }

    pub fn done(self) -> Tree {
        self.tree
    }
}

impl Tree {
    /// The children of a node, in their order.
    pub fn children(&self, node: u32) -> impl Iterator<Item = u32> + '_ {
        let first = Some(self.nodes[node as usize].first).filter(|n| *n != NONE);
        std::iter::successors(first, |n| Some(self.nodes[*n as usize].next).filter(|n| *n != NONE))
    }

    /// Every place where the key of a node is written, in their order.
    pub fn key_spans(&self, node: u32) -> Vec<Range<usize>> {
        let more = self.more_keys.iter().filter(|(of, _)| *of == node).map(|(_, (a, b))| *a as usize..*b as usize);
        let mut all: Vec<_> = std::iter::once(self.nodes[node as usize].key()).chain(more).collect();
        all.sort_unstable_by_key(|span| span.start);
        all
    }

    /// Whether `other` is this tree after `spans` (in their order) were each replaced by `length` bytes,
    /// and only `node` may be written in another style.
    pub fn same_after(&self, other: &Self, spans: &[Range<usize>], length: usize, node: u32) -> bool {
        let shifted = |mut mine: Node| {
            for span in spans.iter().rev() {
                mine = mine.moved(span.end.max(span.start + 1), length as isize - span.len() as isize);
            }
            mine
        };
        let same = |(n, (mine, theirs)): (usize, (&Node, &Node))| {
            let mut mine = shifted(*mine);
            // An empty span that was filled ends where nothing was moved yet.
            if n as u32 == node {
                mine =
                    Node { kind: theirs.kind, key_style: theirs.key_style, key: theirs.key, span: theirs.span, ..mine };
            } else if spans.iter().any(Range::is_empty) {
                mine = Node { key: theirs.key, span: theirs.span, ..mine };
            }
            mine == *theirs
        };
        self.nodes.len() == other.nodes.len()
            && self.more_keys.len() == other.more_keys.len()
            && self.nodes.iter().zip(&other.nodes).enumerate().all(same)
    }
}
