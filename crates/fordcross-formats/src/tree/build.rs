//! Building a tree: node by node, or from a reader's events.

use super::{AsRead, DECODED, Kind, NAME_BITS, NAME_MASK, NONE, Name, Node, NodeId, Tree};
use crate::text::source::Span;
use rustc_hash::{FxHashMap, FxHashSet};

/// A value as a reader hands it on.
#[derive(Clone, Copy, Debug)]
pub enum Text<'t> {
    /// Spelled in the input just so.
    Borrowed(Span),
    /// Decoded by the reader.
    Decoded(&'t str),
}

/// What takes the events of a reader: a tree being built, or a comparison that needs no tree.
pub trait Sink {
    /// A branch begins. `name` is empty for an entry of a list and for the outermost value.
    fn open(&mut self, kind: Kind, name: &str, start: usize);
    /// A leaf.
    fn leaf(&mut self, kind: Kind, name: &str, span: Span, value: Text<'_>);
    /// The branch that was opened last ends.
    fn close(&mut self, end: usize);
}

impl<S: Sink + ?Sized> Sink for &mut S {
    fn open(&mut self, kind: Kind, name: &str, start: usize) {
        (**self).open(kind, name, start);
    }

    fn leaf(&mut self, kind: Kind, name: &str, span: Span, value: Text<'_>) {
        (**self).leaf(kind, name, span, value);
    }

    fn close(&mut self, end: usize) {
        (**self).close(end);
    }
}

/// A [`Sink`] that builds a [`Tree`].
#[derive(Debug)]
pub struct TreeBuilder<'a> {
    tree: Tree<'a>,
    open: NodeId,
}

impl<'a> TreeBuilder<'a> {
    /// Starts on an empty tree.
    pub fn new(tree: Tree<'a>) -> Self {
        Self { tree, open: NodeId::DOCUMENT }
    }

    /// The tree that was built.
    pub fn finish(self) -> Tree<'a> {
        self.tree
    }
}

impl Sink for TreeBuilder<'_> {
    fn open(&mut self, kind: Kind, name: &str, start: usize) {
        self.open = self.tree.push(self.open, kind, name, Span::new(start, start));
    }

    fn leaf(&mut self, kind: Kind, name: &str, span: Span, value: Text<'_>) {
        let id = self.tree.push(self.open, kind, name, span);
        self.tree.set_value(id, value);
    }

    fn close(&mut self, end: usize) {
        self.tree.set_end(self.open, end);
        self.open = self.tree.parent(self.open);
    }
}

/// Nodes that were made after their siblings and belong beside one of them.
#[derive(Debug, Default)]
pub struct Trivia {
    /// Those that belong before a node, in their order.
    pub before: FxHashMap<NodeId, Vec<NodeId>>,
    /// Those that belong behind a node, in their order.
    pub after: FxHashMap<NodeId, Vec<NodeId>>,
    /// All of them.
    pub placed: FxHashSet<NodeId>,
}

/// What a branch is given of other branches.
#[derive(Debug, Default)]
pub struct Additions {
    /// Copied in front of what the branch has.
    pub first: Vec<NodeId>,
    /// Copied behind it.
    pub last: Vec<NodeId>,
    /// Moved behind what the branch has, with what they are given themselves.
    pub moved: Vec<NodeId>,
}

impl<'a> Tree<'a> {
    /// Adds a node as the last child of `parent`. An entry of a list is given its place as its name.
    pub fn push(&mut self, parent: NodeId, kind: Kind, name: &str, span: Span) -> NodeId {
        let name = self.names.intern(name);
        self.push_named(parent, kind, self.next_name(parent, name), span)
    }

    /// The name of a further child: that of an entry of a list is its place.
    fn next_name(&self, parent: NodeId, name: Name) -> Name {
        if self.kind(parent) != Kind::List {
            return name;
        }
        let last = self.nodes[parent.index()].b;
        Name(if last == NONE { 1 } else { (self.nodes[last as usize].head & NAME_MASK) + 1 })
    }

    /// The same with a name that the tree knows already.
    pub fn push_named(&mut self, parent: NodeId, kind: Kind, name: Name, span: Span) -> NodeId {
        if self.nodes.len() >= self.max_nodes {
            return self.beyond(parent);
        }
        let id = self.nodes.len() as u32;
        self.nodes.push(Node {
            head: name.0 | (kind as u32) << NAME_BITS,
            parent: parent.0,
            next: NONE,
            a: NONE,
            b: NONE,
        });
        if span != Span::default() {
            self.spans.resize(id as usize, Span::default());
            self.spans.push(span);
        }
        let holder = &mut self.nodes[parent.index()];
        let last = holder.b;
        holder.b = id;
        if last == NONE {
            holder.a = id;
        } else {
            self.nodes[last as usize].next = id;
        }
        NodeId(id)
    }

    /// A node for all that a tree has no room for. It is nowhere, so that whoever reads on does no harm: what was read
    /// is refused in the end.
    fn beyond(&mut self, parent: NodeId) -> NodeId {
        self.is_overfull = true;
        if self.nodes.len() == self.max_nodes {
            let head = (Kind::Map as u32) << NAME_BITS;
            self.nodes.push(Node { head, parent: parent.0, next: NONE, a: NONE, b: NONE });
        }
        NodeId(self.max_nodes as u32)
    }

    /// The id of a name in this tree.
    pub fn intern(&mut self, name: &str) -> Name {
        self.names.intern(name)
    }

    /// The number of a name, if any node was ever called that.
    pub fn find_name(&self, name: &str) -> Option<Name> {
        self.names.find(name)
    }

    /// Gives a leaf its value.
    pub fn set_value(&mut self, id: NodeId, value: Text<'_>) {
        if id.index() == self.max_nodes {
            return;
        }
        let node = &mut self.nodes[id.index()];
        match value {
            Text::Borrowed(span) => {
                node.head &= !DECODED;
                (node.a, node.b) = (span.start, span.end - span.start);
            }
            Text::Decoded(text) => {
                node.head |= DECODED;
                (node.a, node.b) = (self.decoded.len() as u32, text.len() as u32);
                self.decoded.push_str(text);
            }
        }
    }

    /// Gives a node another name.
    pub fn rename(&mut self, id: NodeId, name: &str) {
        let name = self.names.intern(name);
        let node = &mut self.nodes[id.index()];
        node.head = node.head & !NAME_MASK | name.0;
    }

    /// Puts the children of a branch into an order of names; those that it does not name stay behind the
    /// others, in the order that they have.
    pub fn arrange(&mut self, parent: NodeId, order: &[String]) {
        let mut children: Vec<NodeId> = self.children(parent).collect();
        let places: FxHashMap<Name, usize> = order
            .iter()
            .enumerate()
            .filter_map(|(place, name)| Some((self.names.find(name)?, place)))
            .collect();
        let place = |id: &NodeId| places.get(&self.name_id(*id)).copied().unwrap_or(order.len());
        children.sort_by_key(place);
        self.link(parent, &children);
    }

    /// Puts the values among the children of a branch before the others.
    pub fn leaves_first(&mut self, parent: NodeId) {
        let mut children: Vec<NodeId> = self.children(parent).collect();
        children.sort_by_key(|child| !self.kind(*child).is_value());
        self.link(parent, &children);
    }

    /// Makes these, which are children of it already, all the children of a branch.
    fn link(&mut self, parent: NodeId, children: &[NodeId]) {
        let holder = &mut self.nodes[parent.index()];
        holder.a = children.first().map_or(NONE, |first| first.0);
        holder.b = children.last().map_or(NONE, |last| last.0);
        let is_list = self.kind(parent) == Kind::List;
        for (index, child) in children.iter().enumerate() {
            // The entries of a list have no names but their places.
            if is_list {
                let head = &mut self.nodes[child.index()].head;
                *head = *head & !NAME_MASK | (index as u32 + 1).min(NAME_MASK);
            }
            self.nodes[child.index()].next = children.get(index + 1).map_or(NONE, |next| next.0);
        }
    }

    /// Says where a node ends in the text: the byte behind it.
    pub fn set_end(&mut self, id: NodeId, end: usize) {
        if self.spans.len() <= id.index() {
            self.spans.resize(id.index() + 1, Span::default());
        }
        self.spans[id.index()].end = end as u32;
    }

    /// Turns a branch without children into a leaf: an element that proved to hold only text.
    pub fn make_leaf(&mut self, id: NodeId, value: Text<'_>) {
        if id.index() == self.max_nodes {
            return;
        }
        let node = &mut self.nodes[id.index()];
        debug_assert_eq!(node.a, NONE, "only an empty branch becomes a leaf");
        node.head = node.head & !(7 << NAME_BITS) | (Kind::Text as u32) << NAME_BITS;
        self.set_value(id, value);
    }

    /// Empties a node and makes it one of that kind, in its place among its siblings.
    pub fn reset(&mut self, id: NodeId, kind: Kind) {
        if id.index() == self.max_nodes {
            return;
        }
        let node = &mut self.nodes[id.index()];
        node.head = node.head & NAME_MASK | (kind as u32) << NAME_BITS;
        (node.a, node.b) = (NONE, NONE);
    }

    /// Takes the children that `gone` says out of a branch.
    pub fn unlink(&mut self, parent: NodeId, gone: impl Fn(NodeId) -> bool) {
        let kept: Vec<NodeId> = self.children(parent).filter(|&child| !gone(child)).collect();
        self.link(parent, &kept);
    }

    /// Whether a node is another one or is below it, even where that was taken out.
    pub fn is_within(&self, node: NodeId, holder: NodeId) -> bool {
        let mut at = node;
        while at != holder && at != NodeId::DOCUMENT {
            at = self.parent(at);
        }
        at == holder
    }

    /// Copies a node of another tree with all below it that is `wanted` as the last child of `parent`; `made` is called for
    /// of each old and new node.
    pub fn graft(
        &mut self,
        parent: NodeId,
        from: &Tree<'_>,
        top: NodeId,
        wanted: &dyn Fn(NodeId) -> bool,
        made: &mut dyn FnMut(NodeId, NodeId),
    ) -> NodeId {
        let mut first = None;
        let mut work = vec![(parent, top)];
        while let Some((parent, node)) = work.pop() {
            let new = self.push(parent, from.kind(node), from.name(node), Span::default());
            if !from.kind(node).is_branch() {
                self.set_value(new, Text::Decoded(from.value(node)));
            }
            made(node, new);
            first.get_or_insert(new);
            let below = work.len();
            work.extend(from.children(node).filter(|&child| wanted(child)).map(|child| (new, child)));
            work[below..].reverse();
        }
        first.unwrap_or(parent)
    }

    /// Copies another tree, which was read from a part of the same text, as the last child of `parent`, with a
    /// name; `by` is where that part begins. What was spelled in the text still is.
    pub fn adopt(&mut self, parent: NodeId, name: &str, from: &Tree<'_>, by: u32) {
        self.is_made_of(from);
        let mut work = vec![(parent, from.root())];
        let top = from.root();
        while let Some((parent, node)) = work.pop() {
            let span = from.span(node).shifted(by as usize);
            let name = if node == top { name } else { from.name(node) };
            let new = self.push(parent, from.kind(node), name, span);
            if !from.kind(node).is_branch() {
                match from.value_span(node) {
                    Some(value) => self.set_value(new, Text::Borrowed(value.shifted(by as usize))),
                    None => self.set_value(new, Text::Decoded(from.value(node))),
                }
            }
            let below = work.len();
            work.extend(from.children(node).map(|child| (new, child)));
            if node == top {
                // Comments and declarations beside the outermost element belong to the file, too; beside a single
                // value they are beside it.
                let holder = if from.kind(top).is_branch() { new } else { parent };
                let beside = from.children(NodeId::DOCUMENT).filter(|&child| child != top);
                work.extend(beside.map(|child| (holder, child)));
            }
            work[below..].reverse();
        }
    }

    /// The same tree with its nodes in document order, attributes first and own text last, and the new id of each node.
    pub fn in_document_order(&self, beside: &Trivia) -> (Tree<'a>, Vec<NodeId>) {
        let mut ordered = Tree::new(self.source);
        ordered.is_made_of(self);
        ordered.decoded.clone_from(&self.decoded);
        ordered.names.clone_from(&self.names);
        let mut new_ids = vec![NodeId::DOCUMENT; self.nodes.len()];
        let mut stack: Vec<NodeId> = Vec::new();
        let push_children = |id: NodeId, stack: &mut Vec<NodeId>| {
            let start = stack.len();
            let rank = |id: NodeId| match self.kind(id) {
                Kind::Attribute => 0,
                Kind::OwnText => 2,
                _ => 1,
            };
            for wanted in 0..3 {
                for child in self.children(id).filter(|&child| rank(child) == wanted) {
                    if beside.placed.contains(&child) {
                        continue;
                    }
                    stack.extend(beside.before.get(&child).into_iter().flatten());
                    stack.push(child);
                    stack.extend(beside.after.get(&child).into_iter().flatten());
                }
            }
            stack[start..].reverse();
        };
        push_children(NodeId::DOCUMENT, &mut stack);
        while let Some(id) = stack.pop() {
            let node = self.nodes[id.index()];
            let parent = new_ids[node.parent as usize];
            let name = Name(node.head & NAME_MASK);
            let new = ordered.push_named(parent, self.kind(id), name, self.span(id));
            if !self.kind(id).is_branch() {
                let made = &mut ordered.nodes[new.index()];
                made.head |= node.head & DECODED;
                (made.a, made.b) = (node.a, node.b);
            }
            ordered.set_as_read(new, self.as_read(id));
            new_ids[id.index()] = new;
            push_children(id, &mut stack);
        }
        (ordered, new_ids)
    }

    /// The same tree with other nodes of it in branches, with all below them, and the old node of each new one with
    /// whether it is a copy. An empty leaf that is given something becomes a branch. What is `gone` is left out; of
    /// what is below it only what is moved stays.
    pub fn rearranged(
        &self,
        additions: &FxHashMap<NodeId, Additions>,
        gone: &FxHashSet<NodeId>,
    ) -> (Tree<'a>, Vec<(NodeId, bool)>) {
        let mut made = Tree::new(self.source);
        made.is_made_of(self);
        made.decoded.clone_from(&self.decoded);
        made.names.clone_from(&self.names);
        let mut old_ids = vec![(NodeId::DOCUMENT, false)];
        // Each with its new parent, and whether it is a copy, to which nothing is added.
        let mut stack: Vec<(NodeId, NodeId, bool)> = Vec::new();
        let push_children =
            |old: NodeId, new: NodeId, copy: bool, stack: &mut Vec<(NodeId, NodeId, bool)>| {
                let start = stack.len();
                let added = additions.get(&old).filter(|_| !copy);
                let copies = |nodes: &[NodeId]| nodes.iter().map(|&node| (node, true)).collect::<Vec<_>>();
                let mut all = added.map_or_else(Vec::new, |added| copies(&added.first));
                all.extend(self.children(old).map(|child| (child, copy)));
                all.extend(added.map_or_else(Vec::new, |added| copies(&added.last)));
                all.extend(added.into_iter().flat_map(|added| &added.moved).map(|&node| (node, false)));
                all.retain(|(id, _)| !gone.contains(id));
                let rank = |id: NodeId| match self.kind(id) {
                    Kind::Attribute => 0,
                    Kind::OwnText => 2,
                    _ => 1,
                };
                for wanted in 0..3 {
                    stack.extend(
                        all.iter().filter(|(id, _)| rank(*id) == wanted).map(|&(id, copy)| (id, new, copy)),
                    );
                }
                stack[start..].reverse();
            };
        push_children(NodeId::DOCUMENT, NodeId::DOCUMENT, false, &mut stack);
        while let Some((id, parent, copy)) = stack.pop() {
            let node = self.nodes[id.index()];
            let grows = !copy && additions.contains_key(&id) && !self.kind(id).is_branch();
            let kind = if grows { Kind::Map } else { self.kind(id) };
            let new = made.push_named(
                parent,
                kind,
                made.next_name(parent, Name(node.head & NAME_MASK)),
                self.span(id),
            );
            if !kind.is_branch() {
                let leaf = &mut made.nodes[new.index()];
                leaf.head |= node.head & DECODED;
                (leaf.a, leaf.b) = (node.a, node.b);
            }
            made.set_as_read(new, self.as_read(id));
            old_ids.push((id, copy));
            push_children(id, new, copy, &mut stack);
        }
        (made, old_ids)
    }

    /// Keeps the order in which nodes were made, whatever order they are brought into, in a tree that keeps how any was read.
    pub fn keep_order(&mut self) {
        if self.as_read.is_empty() {
            return;
        }
        self.as_read.resize(self.nodes.len(), AsRead::default());
        for (read, rank) in self.as_read.iter_mut().zip(0..) {
            read.rank = rank;
        }
    }

    /// Says how a node was read.
    pub fn set_as_read(&mut self, id: NodeId, read: AsRead) {
        if read != AsRead::default() {
            self.as_read.resize(self.as_read.len().max(id.index() + 1), AsRead::default());
            self.as_read[id.index()] = read;
        }
    }

    /// Whether the branch has no children yet.
    pub fn is_childless(&self, id: NodeId) -> bool {
        self.nodes[id.index()].a == NONE
    }
}
