//! The shape of a document: nodes with spans into its text, 28 bytes each, whatever its format.
//!
//! Law: every leaf that can be rewritten has a span of its own; two documents have the same shape if
//! their nodes are the same apart from where they stand.

use std::ops::Range;

/// How deep a document may be nested. Launchers' files are shallow; deeper ones are refused, not followed.
pub(crate) const DEEPEST: usize = 256;

/// What a node is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Object,
    List,
    Leaf(Style),
}

/// How the text of a leaf or key is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Style {
    /// It cannot be rewritten and says nothing: an alias, a value that is not there.
    Fixed,
    /// A name that only the reader gives, with no bytes of its own: it is the static text of this number.
    Given(u8),
    JsonText,
    /// In single quotes.
    JsonSingle,
    /// A key without quotes.
    JsonName,
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
    NestedQuoted,
    NestedRaw,
    NestedBare,
    NestedWord,
    NestedName,
    TableQuoted,
    /// Between separators of this kind.
    TableBare(u8),
    /// In the heading; whether in quotes.
    TableName(bool),
    /// In a format of bytes.
    Packed(Packed),
}

/// How a text, number or word is written in a format of bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Packed {
    MessageText,
    MessageNumber,
    MessageWord,
    CborText,
    CborNumber,
    CborWord,
    BencodeText,
    BencodeKey,
    BencodeNumber,
    BsonText,
    BsonKey,
    BsonInt32,
    BsonInt64,
    BsonDouble,
    BsonWord,
    ProtobufText,
    ProtobufNumber,
    ProtobufField,
    ListText,
    ListKey,
    ListNumber,
    ListWord,
    Shell(Shell),
}

/// How a text is written in a shell link: in the code page, or in UTF-16.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shell {
    /// The items from the desktop down to a file.
    Items,
    Text,
    TextWide,
    /// Behind the number of its characters.
    Counted,
    CountedWide,
    /// In a field of a fixed size, with zeros behind it.
    Field,
    FieldWide,
}

impl Packed {
    /// Whether it is true, false, or something else that is no text and no number.
    pub fn is_word(self) -> bool {
        matches!(self, Self::MessageWord | Self::CborWord | Self::BsonWord | Self::ListWord)
    }

    /// Whether it is a text that a launcher wrote.
    pub fn is_text(self) -> bool {
        !self.is_word() && !self.is_number() && self != Self::ProtobufField
    }

    /// Whether it is a number.
    pub fn is_number(self) -> bool {
        matches!(
            self,
            Self::MessageNumber
                | Self::CborNumber
                | Self::BencodeNumber
                | Self::BsonInt32
                | Self::BsonInt64
                | Self::BsonDouble
                | Self::ProtobufNumber
                | Self::ListNumber
        )
    }
}

impl Style {
    /// Whether a key of this style is given by its format, and nothing that a launcher chose.
    pub fn is_given_key(self) -> bool {
        matches!(
            self,
            Self::Given(_)
                | Self::XmlName
                | Self::XmlAttributeName
                | Self::TableName(_)
                | Self::Packed(Packed::ProtobufField)
        )
    }

    /// Whether a value of this style is neither a text nor a number.
    pub fn is_word(self) -> bool {
        match self {
            Self::Fixed | Self::Given(_) | Self::JsonWord => true,
            Self::Packed(packed) => packed.is_word(),
            _ => false,
        }
    }
}

/// The names that readers give: [`Style::Given`] holds a number of this list.
pub(crate) const GIVEN: [&str; 20] = [
    "",
    "#text",
    "?",
    "*",
    "@",
    // Of shell links.
    "items",
    "base_path",
    "path_suffix",
    "base_path_unicode",
    "path_suffix_unicode",
    "name",
    "relative_path",
    "working_dir",
    "arguments",
    "icon_location",
    "target_variable",
    "target_variable_unicode",
    "icon_variable",
    "icon_variable_unicode",
    "more",
];

pub(crate) const NONE: u32 = u32::MAX;

/// A node. Its children hang on `first` and each other's `next`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Node {
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
pub(crate) struct Fault {
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
pub(crate) struct Key {
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
pub(crate) struct Tree {
    pub nodes: Vec<Node>,
    /// Further places where the key of a node is written.
    pub more_keys: Vec<(u32, (u32, u32))>,
    /// Lengths that stand before what they count, the outer ones first.
    pub counted: Vec<Counted>,
    /// Where a table at the end says that things stand.
    pub table: Option<Table>,
}

/// A table at the end of a file of where things stand in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Table {
    /// The table, and all that follows it.
    pub at: Range<usize>,
    /// Where the things stand, in the order of the table.
    pub targets: Vec<usize>,
}

/// A length that stands before more than one text, in a format of bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Counted {
    /// Where it stands.
    pub at: Range<usize>,
    /// What it counts.
    pub counts: Range<usize>,
    /// Whether it is four bytes, the low one first, or as many of seven bits as it takes.
    pub fixed: bool,
}

/// Builds a tree: nodes are added below any node that is there. Or looks whether the tree would be one that is known.
#[derive(Debug, Default)]
pub(crate) struct Builder<'k> {
    tree: Tree,
    last: Vec<u32>,
    known: Option<KnownNode<'k>>,
}

/// A tree as it should be after an edit, node by node: a second tree of a large file would not fit beside the first.
#[derive(Debug)]
struct KnownNode<'k> {
    tree: &'k Tree,
    edit: TreeEdit<'k>,
    more_keys: usize,
    same: bool,
    edited: Option<Node>,
}

/// Where a text was changed: `spans` in their order, each now `length` bytes long, of the node `node`.
#[derive(Clone, Copy, Debug)]
pub(crate) struct TreeEdit<'k> {
    pub spans: &'k [Range<usize>],
    pub length: usize,
    pub node: u32,
}

impl TreeEdit<'_> {
    fn shifted(&self, mut node: Node) -> Node {
        for span in self.spans.iter().rev() {
            node = node.moved(span.end.max(span.start + 1), self.length as isize - span.len() as isize);
        }
        node
    }

    fn has_empty_span(&self) -> bool {
        self.spans.iter().any(Range::is_empty)
    }
}

fn pair(range: &Range<usize>) -> (u32, u32) {
    (range.start as u32, range.end as u32)
}

impl<'k> Builder<'k> {
    /// A builder for a text of this length. Room that is not used costs nothing.
    pub fn for_text(length: usize) -> Self {
        let nodes = Vec::with_capacity(length / 8 + 16);
        Self { tree: Tree { nodes, ..Tree::default() }, last: Vec::with_capacity(length / 8 + 16), known: None }
    }

    /// Looks whether a text that was edited has the shape of `tree` but for the edit. Only for scanners that never turn
    /// a node into another one.
    pub fn like(tree: &'k Tree, edit: TreeEdit<'k>) -> Self {
        let known = KnownNode { tree, edit, more_keys: 0, same: true, edited: None };
        Self { tree: Tree::default(), last: Vec::with_capacity(tree.nodes.len()), known: Some(known) }
    }

    /// The edited node as it is now, if all others are as they were.
    pub fn edited(self) -> Option<Node> {
        let known = self.known?;
        let all = self.last.len() == known.tree.nodes.len() && known.more_keys == known.tree.more_keys.len();
        known.edited.filter(|_| known.same && all)
    }

    /// Adds a node behind the last child of `parent`; without one it is the root.
    pub fn add(&mut self, parent: Option<u32>, key: Option<Key>, kind: Kind, span: Range<usize>) -> u32 {
        let id = self.last.len() as u32;
        let key_style = key.as_ref().map(|key| key.style);
        let key = key.map_or((0, 0), |key| pair(&key.span));
        let node = Node { key, span: pair(&span), first: NONE, next: NONE, kind, key_style };
        self.last.push(NONE);
        let last = parent.map(|parent| std::mem::replace(&mut self.last[parent as usize], id));
        if let Some(known) = &mut self.known {
            known.same = known.same && known.is_next(id, parent.zip(last), node);
            return id;
        }
        self.tree.nodes.push(node);
        if let (Some(parent), Some(last)) = (parent, last) {
            match last {
                NONE => self.tree.nodes[parent as usize].first = id,
                last => self.tree.nodes[last as usize].next = id,
            }
        }
        id
    }

    pub fn end(&mut self, node: u32, at: usize) {
        if let Some(known) = &mut self.known {
            let there = known.tree.nodes.get(node as usize).map(|old| known.edit.shifted(*old).span.1 as usize);
            known.same = known.same && (there == Some(at) || known.edit.has_empty_span());
            return;
        }
        self.tree.nodes[node as usize].span.1 = at as u32;
    }

    pub fn kind(&self, node: u32) -> Kind {
        self.tree.nodes[node as usize].kind
    }

    /// Says that the key of `node` is written at `span` as well.
    pub fn again(&mut self, node: u32, span: &Range<usize>) {
        if let Some(known) = &mut self.known {
            known.more_keys += 1;
            return;
        }
        self.tree.more_keys.push((node, pair(span)));
    }

    /// Says that a length stands before what it counts.
    pub fn counted(&mut self, counted: Counted) {
        self.tree.counted.push(counted);
    }

    /// Says that a table at the end names places.
    pub fn table(&mut self, table: Table) {
        self.tree.table = Some(table);
    }

    /// Whether a text of a few bytes was packed.
    pub fn has_text(&self) -> bool {
        /// Bytes of the shortest text with its length that is taken for one.
        const FEW: usize = 4;
        let is_text = |style: Style| matches!(style, Style::Packed(packed) if packed.is_text());
        self.tree.nodes.iter().any(|node| {
            let value = matches!(node.kind, Kind::Leaf(style) if is_text(style)) && node.span().len() >= FEW;
            value || (node.key_style.is_some_and(is_text) && node.key().len() >= FEW)
        })
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

    pub fn done(mut self) -> Tree {
        self.tree.nodes.shrink_to_fit();
        self.tree
    }
}

impl KnownNode<'_> {
    /// Whether a node that is added is the one that should come next. The ends of containers come later.
    fn is_next(&mut self, id: u32, at: Option<(u32, u32)>, node: Node) -> bool {
        let Some(old) = self.tree.nodes.get(id as usize) else { return false };
        let linked = match at {
            None => id == 0,
            Some((parent, NONE)) => self.tree.nodes[parent as usize].first == id,
            Some((_, last)) => self.tree.nodes[last as usize].next == id,
        };
        if id == self.edit.node {
            self.edited = Some(node);
            return linked;
        }
        let old = self.edit.shifted(*old);
        let span = self.edit.has_empty_span()
            || (node.key == old.key
                && node.span.0 == old.span.0
                && (node.span.1 == old.span.1 || (node.span.0 == node.span.1 && !matches!(node.kind, Kind::Leaf(_)))));
        linked && span && node.kind == old.kind && node.key_style == old.key_style
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

    /// Whether `other` is this tree after an edit, and only the edited node may be written in another style.
    pub fn same_after(&self, other: &Self, edit: TreeEdit<'_>) -> bool {
        let same = |(n, (mine, theirs)): (usize, (&Node, &Node))| {
            let mut mine = edit.shifted(*mine);
            if n as u32 == edit.node {
                mine =
                    Node { kind: theirs.kind, key_style: theirs.key_style, key: theirs.key, span: theirs.span, ..mine };
            } else if edit.has_empty_span() {
                // An empty span that was filled ends where nothing was moved yet.
                mine = Node { key: theirs.key, span: theirs.span, ..mine };
            }
            mine == *theirs
        };
        self.nodes.len() == other.nodes.len()
            && self.more_keys.len() == other.more_keys.len()
            && self.nodes.iter().zip(&other.nodes).enumerate().all(same)
    }
}

#[cfg(test)]
mod tests;
