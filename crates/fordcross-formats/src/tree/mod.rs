//! The one tree that every form is read into and written from.
//!
//! An arena of 28 bytes a node, and of 20 where the tree was made and not read. Nodes of a tree that was read are in
//! document order, so a subtree is a range of ids. Values are spans of the input wherever the input spells them as they
//! are; only decoded values (escapes, character references) are kept beside it.
//!
//! Two kinds of node are *transparent*: an entry of a list and an element's own text have no name
//! of their own, and are in paths for the list or element that holds them. So `unit/resolver`
//! speaks of a repeated XML element and of a JSON array alike.

mod build;
mod names;
pub mod pattern;
mod trivia;

pub use build::{Additions, Trivia};
pub use build::{Sink, Text, TreeBuilder};
pub use names::Name;
pub(crate) use names::Names;
pub use trivia::{BLANK_LINE, TRAILING};

use crate::text::source::{MOST_NODES, Source, Span};

/// A node of one tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NodeId(pub u32);

impl NodeId {
    /// The document itself, above the outermost element or value.
    pub const DOCUMENT: Self = Self(0);

    /// Its place among the nodes of its tree, which are numbered from 0, the document.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// What a node is, and so how its value was written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Kind {
    /// An element with attributes or child elements, a JSON object, the document.
    Map,
    /// A JSON array. Its entries are transparent.
    List,
    /// A value as text: a leaf element, a JSON string.
    Text,
    /// A value without quotes: a JSON number, `true`, `false`, `null`.
    Bare,
    /// An attribute.
    Attribute,
    /// The text of an element that also has attributes or child elements. Transparent.
    OwnText,
    /// A comment, with its marks.
    Comment,
    /// A declaration or processing instruction.
    Instruction,
}

const KINDS: [Kind; 8] = [
    Kind::Map,
    Kind::List,
    Kind::Text,
    Kind::Bare,
    Kind::Attribute,
    Kind::OwnText,
    Kind::Comment,
    Kind::Instruction,
];

impl Kind {
    /// Whether nodes of this kind have children.
    pub fn is_branch(self) -> bool {
        matches!(self, Self::Map | Self::List)
    }

    /// Whether nodes of this kind have a name of their own.
    pub fn is_named(self) -> bool {
        !matches!(self, Self::Comment | Self::Instruction | Self::OwnText)
    }

    /// Whether nodes of this kind hold one value that a person could set.
    pub fn is_value(self) -> bool {
        matches!(self, Self::Text | Self::Bare | Self::Attribute | Self::OwnText)
    }
}

/// "No node": the document is nobody's child or sibling.
const NONE: u32 = 0;
const NAME_BITS: u32 = 24;
const NAME_MASK: u32 = (1 << NAME_BITS) - 1;
/// The value of this leaf is in the tree's own text, not in the input.
const DECODED: u32 = 1 << 27;

// Names and places in lists have as many bits as the most nodes take, and one more.
const _: () = assert!(MOST_NODES <= 1 << (NAME_BITS - 1));

/// What a carry takes for each node that it reads, in bytes, with all that it makes of it: measured 500 to 600.
const BYTES_A_NODE: u64 = 640;

/// How many settings and objects a backup can have, to be carried in so many bytes of memory.
pub fn max_nodes_in(memory: u64) -> usize {
    usize::try_from(memory / BYTES_A_NODE).unwrap_or(MOST_NODES).min(MOST_NODES)
}

#[derive(Clone, Copy, Debug)]
struct Node {
    /// Low 24 bits: the name, or for an entry of a list its place, from 1. Then kind and flags.
    head: u32,
    parent: u32,
    next: u32,
    /// Branch: first child. Leaf: where the value starts.
    a: u32,
    /// Branch: last child. Leaf: length of the value.
    b: u32,
}

/// How a node was read; nothing for one that was not.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct AsRead {
    /// Where it was among all nodes, from 1.
    pub rank: u32,
    /// By which of the statements that its format declares, from 1.
    pub statement: u32,
}

/// A configuration as a tree, read from a file or built by a crossing.
#[derive(Debug, Clone)]
pub struct Tree<'a> {
    source: Source<'a>,
    decoded: String,
    names: Names,
    nodes: Vec<Node>,
    /// Where nodes are in the input, up to the last one that is there: a tree that was made has none.
    spans: Vec<Span>,
    /// How nodes were read, where a format can write them in another way, or in another order.
    as_read: Vec<AsRead>,
    /// More was read, or made, than there is room for.
    is_overfull: bool,
    max_nodes: usize,
}

impl<'a> Tree<'a> {
    /// An empty document. `source` is the text that borrowed values are spans of.
    pub fn new(source: Source<'a>) -> Self {
        let document = Node { head: 0, parent: NONE, next: NONE, a: NONE, b: NONE };
        let spans = vec![Span::new(0, source.text.len())];
        Self {
            source,
            decoded: String::new(),
            names: Names::default(),
            nodes: vec![document],
            spans,
            as_read: Vec::new(),
            is_overfull: false,
            max_nodes: source.max_nodes.clamp(1, MOST_NODES),
        }
    }

    /// The text that this tree was read from.
    pub fn source(&self) -> Source<'a> {
        self.source
    }

    /// The most nodes that it can hold, its document among them.
    pub fn max_nodes(&self) -> usize {
        self.max_nodes
    }

    /// Whether more was read than a tree can hold, so that some of it is missing.
    pub fn is_overfull(&self) -> bool {
        self.is_overfull
    }

    /// What is made of a tree of which some is missing has some missing, too.
    pub fn is_made_of(&mut self, from: &Tree<'_>) {
        self.is_overfull |= from.is_overfull;
    }

    /// How many nodes there are, the document among them.
    pub fn len(&self) -> usize {
        self.nodes.len()
    }

    /// Whether there is nothing but the document.
    pub fn is_empty(&self) -> bool {
        self.nodes.len() == 1
    }

    /// All nodes, in the order in which they were made.
    pub fn ids(&self) -> impl Iterator<Item = NodeId> + use<> {
        (0..self.nodes.len() as u32).map(NodeId)
    }

    /// How a node was read, if the tree keeps that.
    pub fn as_read(&self, id: NodeId) -> AsRead {
        self.as_read.get(id.index()).copied().unwrap_or_default()
    }

    /// How many comments there are; empty lines are none.
    pub fn comments(&self) -> usize {
        self.ids().filter(|&node| self.kind(node) == Kind::Comment && self.name(node) != BLANK_LINE).count()
    }

    /// The outermost element or value; the document while there is none.
    pub fn root(&self) -> NodeId {
        self.children(NodeId::DOCUMENT)
            .find(|&child| self.kind(child).is_branch() || self.kind(child).is_value())
            .unwrap_or(NodeId::DOCUMENT)
    }

    /// What the node is.
    pub fn kind(&self, id: NodeId) -> Kind {
        KINDS[(self.nodes[id.index()].head >> NAME_BITS & 7) as usize]
    }

    /// Whether the node is an entry of a list.
    pub fn is_entry(&self, id: NodeId) -> bool {
        self.kind(NodeId(self.nodes[id.index()].parent)) == Kind::List
    }

    /// The names on the way from the top to a node, as patterns go by them.
    pub fn names_on_way(&self, node: NodeId) -> Vec<&str> {
        let mut names = Vec::new();
        let mut at = node;
        while at != self.root() && at != NodeId::DOCUMENT {
            if !self.is_transparent(at) {
                names.push(self.name(at));
            }
            at = self.parent(at);
        }
        names.reverse();
        names
    }

    /// What holds a node, past lists and the element whose own text it is; and what it is called there.
    pub fn holder(&self, node: NodeId) -> (NodeId, &str) {
        let mut at = node;
        while self.is_transparent(at) {
            at = self.parent(at);
        }
        let name = self.name(at);
        at = self.parent(at);
        while self.kind(at) == Kind::List {
            at = self.parent(at);
        }
        (at, name)
    }

    /// Whether the node is in paths for the node that holds it.
    pub fn is_transparent(&self, id: NodeId) -> bool {
        self.kind(id) == Kind::OwnText || self.is_entry(id)
    }

    /// The number of the node's name. An entry of a list has none; this is then its place, from 1.
    pub fn name_id(&self, id: NodeId) -> Name {
        Name(self.nodes[id.index()].head & NAME_MASK)
    }

    /// The node's name; that of the list for its entry, of the element for its own text.
    pub fn name(&self, id: NodeId) -> &str {
        let mut id = id;
        while self.is_transparent(id) {
            id = self.parent(id);
        }
        if id == NodeId::DOCUMENT { "" } else { self.names.get(self.name_id(id)) }
    }

    /// The text of a name.
    pub fn name_text(&self, name: Name) -> &str {
        self.names.get(name)
    }

    /// How many names there are.
    pub fn name_count(&self) -> usize {
        self.names.len()
    }

    /// The node that holds this one; the document holds itself.
    pub fn parent(&self, id: NodeId) -> NodeId {
        NodeId(self.nodes[id.index()].parent)
    }

    /// The next node under the same parent.
    pub fn next_sibling(&self, id: NodeId) -> Option<NodeId> {
        some(self.nodes[id.index()].next)
    }

    /// The first node under this one.
    pub fn first_child(&self, id: NodeId) -> Option<NodeId> {
        if self.kind(id).is_branch() { some(self.nodes[id.index()].a) } else { None }
    }

    /// The nodes under this one, in order.
    pub fn children(&self, id: NodeId) -> impl Iterator<Item = NodeId> + '_ {
        std::iter::successors(self.first_child(id), |&child| self.next_sibling(child))
    }

    /// The child of that name, the first if there are several.
    pub fn child(&self, id: NodeId, name: &str) -> Option<NodeId> {
        let name = self.names.find(name)?;
        self.children(id).find(|&child| {
            self.name_id(child) == name && !matches!(self.kind(child), Kind::OwnText | Kind::Comment)
        })
    }

    /// One past the last node of this node's subtree, for a tree in document order.
    pub fn subtree_end(&self, id: NodeId) -> NodeId {
        let mut at = id.0;
        loop {
            let node = self.nodes[at as usize];
            if node.next != NONE {
                return NodeId(node.next);
            }
            if at == NONE {
                return NodeId(self.nodes.len() as u32);
            }
            at = node.parent;
        }
    }

    /// The node after this one in document order, going into branches.
    pub fn following(&self, id: NodeId) -> Option<NodeId> {
        let next = id.0 + 1;
        ((next as usize) < self.nodes.len()).then_some(NodeId(next))
    }

    /// Where the node is in the input: an element with its tags, a JSON value without its key.
    pub fn span(&self, id: NodeId) -> Span {
        self.spans.get(id.index()).copied().unwrap_or_default()
    }

    /// The value of a leaf, decoded; empty for a branch.
    pub fn value(&self, id: NodeId) -> &str {
        let node = &self.nodes[id.index()];
        if self.kind(id).is_branch() {
            return "";
        }
        let range = node.a as usize..(node.a + node.b) as usize;
        if node.head & DECODED == 0 { &self.source.text[range] } else { &self.decoded[range] }
    }

    /// The value's place in the input, if it is spelled there as it is.
    pub fn value_span(&self, id: NodeId) -> Option<Span> {
        let node = &self.nodes[id.index()];
        (!self.kind(id).is_branch() && node.head & DECODED == 0)
            .then(|| Span { start: node.a, end: node.a + node.b })
    }
}

fn some(id: u32) -> Option<NodeId> {
    (id != NONE).then_some(NodeId(id))
}
