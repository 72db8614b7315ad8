//! The shape of a document: nodes with spans into its text, 28 bytes each, whatever its format.
//!
//! Law: every leaf that can be rewritten has a span of its own; two documents have the same shape if
//! their nodes are the same apart from where they stand.

use std::ops::Range;

pub(crate) use super::style::{GIVEN, Hive, Packed, Shell, Style};

/// How deep a document may be nested. Launchers' files are shallow; deeper ones are refused, not followed.
pub(crate) const DEEPEST: usize = 256;

/// What a node is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Object,
    List,
    Leaf(Style),
}

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
        let moved = |n: u32| if n as usize >= at { offset((n as usize).saturating_add_signed(by)) } else { n };
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
            node = node.moved(span.end.max(span.start + 1), self.length.cast_signed() - span.len().cast_signed());
        }
        node
    }

    fn has_empty_span(&self) -> bool {
        self.spans.iter().any(Range::is_empty)
    }
}

/// A place in a text, or the number of a node. Files of 4 GB are not read as records: they end long before this does.
pub(super) fn offset(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}

fn pair(range: &Range<usize>) -> (u32, u32) {
    (offset(range.start), offset(range.end))
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
        let id = offset(self.last.len());
        let key_style = key.as_ref().map(|key| key.style);
        let key = key.map_or((0, 0), |key| pair(&key.span));
        let node = Node { key, span: pair(&span), first: NONE, next: NONE, kind, key_style };
        self.last.push(NONE);
        let last = parent.and_then(|parent| Some(std::mem::replace(self.last.get_mut(parent as usize)?, id)));
        if let Some(known) = &mut self.known {
            known.same = known.same && known.is_next(id, parent.zip(last), node);
            return id;
        }
        self.tree.nodes.push(node);
        if let (Some(parent), Some(last)) = (parent, last) {
            match last {
                NONE => self.tree.node_mut(parent).first = id,
                last => self.tree.node_mut(last).next = id,
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
        self.tree.node_mut(node).span.1 = offset(at);
    }

    pub fn kind(&self, node: u32) -> Kind {
        self.tree.node(node).kind
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
        let old = *self.tree.node(node);
        let item = offset(self.tree.nodes.len());
        self.tree.nodes.push(Node { next: NONE, ..old });
        self.last.push(self.last.get(node as usize).copied().unwrap_or(NONE));
        *self.tree.node_mut(node) = Node { kind: Kind::List, first: item, ..old };
        if let Some(last) = self.last.get_mut(node as usize) {
            *last = item;
        }
    }

    /// Puts the only child of the root in its place.
    pub fn hoist(&mut self) {
        let root = *self.tree.node(0);
        if root.first != NONE && self.tree.node(root.first).next == NONE {
            let child = *self.tree.node(root.first);
            *self.tree.node_mut(0) = Node { next: NONE, ..child };
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
            Some((parent, NONE)) => self.tree.node(parent).first == id,
            Some((_, last)) => self.tree.node(last).next == id,
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

#[expect(clippy::indexing_slicing, reason = "the numbers of nodes are given out by the builder of this very tree")]
impl Tree {
    /// The node of this number.
    pub fn node(&self, n: u32) -> &Node {
        &self.nodes[n as usize]
    }

    fn node_mut(&mut self, n: u32) -> &mut Node {
        &mut self.nodes[n as usize]
    }
}

impl Tree {
    /// The children of a node, in their order.
    pub fn children(&self, node: u32) -> impl Iterator<Item = u32> + '_ {
        let first = Some(self.node(node).first).filter(|n| *n != NONE);
        std::iter::successors(first, |n| Some(self.node(*n).next).filter(|n| *n != NONE))
    }

    /// Every place where the key of a node is written, in their order.
    pub fn key_spans(&self, node: u32) -> Vec<Range<usize>> {
        let more = self.more_keys.iter().filter(|(of, _)| *of == node).map(|(_, (a, b))| *a as usize..*b as usize);
        let mut all: Vec<_> = std::iter::once(self.node(node).key()).chain(more).collect();
        all.sort_unstable_by_key(|span| span.start);
        all
    }

    /// Whether `other` is this tree after an edit, and only the edited node may be written in another style.
    pub fn same_after(&self, other: &Self, edit: TreeEdit<'_>) -> bool {
        let same = |(n, (mine, theirs)): (usize, (&Node, &Node))| {
            let mut mine = edit.shifted(*mine);
            if offset(n) == edit.node {
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
