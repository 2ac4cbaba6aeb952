//! Writing a file of a base with its changes: what was not touched is written in the bytes that it was read in.

use super::layout::Layout;
use crate::text::source::Span;
use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::FxHashSet;

/// What of a base is to be written otherwise than it was read. All are nodes of the base.
#[derive(Debug, Default)]
pub struct Changes {
    /// Leaves with another value.
    pub values: FxHashSet<NodeId>,
    /// Nodes that are another altogether.
    pub whole: FxHashSet<NodeId>,
    /// Branches with something new behind what they held.
    pub grown: FxHashSet<NodeId>,
    /// Elements that are gone.
    pub gone: FxHashSet<NodeId>,
}

impl Changes {
    /// All nodes that something was changed at, in no order.
    pub fn nodes(&self) -> impl Iterator<Item = NodeId> + '_ {
        [&self.values, &self.whole, &self.grown, &self.gone].into_iter().flatten().copied()
    }

    /// Whether something above the node is written whole.
    fn is_inside_changed(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        let mut at = node;
        while at != NodeId::DOCUMENT {
            at = tree.parent(at);
            if self.whole.contains(&at) || self.gone.contains(&at) {
                return true;
            }
        }
        false
    }
}

/// One file of a base, and what its editing depends on.
#[derive(Clone, Copy)]
pub struct File<'f> {
    /// What is to be written otherwise than it was read.
    pub changes: &'f Changes,
    /// The base's tree, as it was read.
    pub base: &'f Tree<'f>,
    /// The base's tree with the changes made, in which its nodes have the ids that they have in the base.
    pub tree: &'f Tree<'f>,
    /// For each node of the base, by its id, whether something changed in it.
    pub touched: &'f [bool],
    /// What is below this node is in that span.
    pub top: NodeId,
    /// Its place in the text of the base.
    pub span: Span,
}

impl<'f> File<'f> {
    /// The text of the base up to the end of the file, so that places in the base are places in it.
    pub(super) fn text(&self) -> &'f str {
        &self.base.source().text[..self.span.end as usize]
    }
}

/// A piece of the base and what is there now.
pub(super) type Edit = (Span, Vec<u8>);

/// How the pieces of a file are written, in a format whose pieces can be edited one by one.
pub(super) trait Pieces {
    /// A node as if the file had none there.
    fn anew(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<u8>;

    /// A leaf with another value.
    fn value(&self, at: &Rewriter<'_>, node: NodeId) -> Edit;

    /// A branch with something new.
    fn grown(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<Edit>;
}

/// New lines as the lines of a text end.
pub(super) fn with_line_ends_of(text: &str, new: Vec<u8>) -> Vec<u8> {
    if !text.contains("\r\n") {
        return new;
    }
    let mut out = Vec::with_capacity(new.len());
    for byte in new {
        if byte == b'\n' && out.last() != Some(&b'\r') {
            out.push(b'\r');
        }
        out.push(byte);
    }
    out
}

/// A part of a text with edits in it.
pub(super) fn apply(text: &str, span: Span, mut edits: Vec<Edit>) -> Vec<u8> {
    edits.sort_by_key(|(span, _)| *span);
    let mut out = Vec::with_capacity(span.range().len());
    let mut at = span.start as usize;
    for (span, new) in edits {
        out.extend_from_slice(&text.as_bytes()[at..span.start as usize]);
        out.extend_from_slice(&new);
        at = span.end as usize;
    }
    out.extend_from_slice(&text.as_bytes()[at..span.end as usize]);
    out
}

/// What the pieces of a file are edited in.
pub(super) struct Rewriter<'r> {
    pub(super) base: &'r Tree<'r>,
    /// The base's tree with the changes made.
    pub(super) tree: &'r Tree<'r>,
    /// What is the whole file.
    pub(super) top: NodeId,
    /// Up to the end of the file.
    pub(super) text: &'r str,
    /// What each level is further in.
    level: String,
}

/// A file with the changes in it; `written` is all of it as it would be written without a base.
pub(super) fn edit_pieces(
    file: &File<'_>,
    pieces: &impl Pieces,
    written: impl FnOnce() -> Vec<u8>,
) -> Vec<u8> {
    let File { changes, base, tree, top, span, .. } = *file;
    let own = |nodes: &FxHashSet<NodeId>| -> FxHashSet<NodeId> {
        let end = base.subtree_end(top);
        nodes.iter().copied().filter(|&node| node >= top && node < end).collect()
    };
    let mut own = Changes {
        values: own(&changes.values),
        whole: own(&changes.whole),
        grown: own(&changes.grown),
        gone: own(&changes.gone),
    };
    let text = file.text();
    let level = level_of(base, top, text);
    let rewriter = Rewriter { base, tree, top, text, level };
    // A branch that has nothing of its own left says nothing of how its like are written.
    let (grown, whole): (Vec<NodeId>, Vec<NodeId>) = own
        .grown
        .iter()
        .partition(|&&node| rewriter.last_own(node).is_some() || has_only_new_attributes(tree, node));
    own.whole.extend(whole);
    if own.whole.contains(&top) {
        return written();
    }
    let stays = |node: &&NodeId| !own.is_inside_changed(tree, **node);
    let is_part = |node: &&NodeId| !own.whole.contains(*node);
    let mut edits: Vec<Edit> = Vec::new();
    edits.extend(own.whole.iter().filter(stays).map(|&node| (base.span(node), pieces.anew(&rewriter, node))));
    edits.extend(own.values.iter().filter(is_part).filter(stays).map(|&node| pieces.value(&rewriter, node)));
    edits.extend(grown.iter().filter(is_part).filter(stays).flat_map(|&node| pieces.grown(&rewriter, node)));
    edits.extend(own.gone.iter().filter(stays).map(|&node| {
        let start = text[..base.span(node).start as usize].trim_end().len();
        (Span::new(start, base.span(node).end as usize), Vec::new())
    }));
    let own = &text[span.range()];
    let edits = edits.into_iter().map(|(span, new)| (span, with_line_ends_of(own, new)));
    apply(text, span, edits.collect())
}

/// Whether only attributes were added to an element, which goes without touching what it holds.
fn has_only_new_attributes(tree: &Tree<'_>, node: NodeId) -> bool {
    tree.children(node).filter(|&child| is_new(tree, child)).all(|child| tree.kind(child) == Kind::Attribute)
}

/// Nodes that were grafted have no place in any file.
pub(super) fn is_new(tree: &Tree<'_>, node: NodeId) -> bool {
    tree.span(node) == Span::default()
}

/// How the file indents a level: as its outermost branch does.
fn level_of(base: &Tree<'_>, top: NodeId, text: &str) -> String {
    let first = base.children(top).find(|&child| base.kind(child) != Kind::Attribute);
    let margin = first.map(|first| margin_of(text, base.span(first).start));
    margin.filter(|margin| !margin.is_empty()).unwrap_or("  ").to_owned()
}

/// The white space that the line of an offset begins with.
fn margin_of(text: &str, offset: u32) -> &str {
    let before = &text[..offset as usize];
    let line = &text[before.rfind('\n').map_or(0, |at| at + 1)..];
    &line[..line.len() - line.trim_start_matches([' ', '\t']).len()]
}

impl Rewriter<'_> {
    pub(super) fn layout(&self, offset: u32) -> Layout<'_> {
        Layout::Lines { margin: margin_of(self.text, offset), level: &self.level }
    }

    /// The layout of what comes behind white space like this.
    pub(super) fn layout_after<'s>(&'s self, space: &'s str) -> Layout<'s> {
        match space.rfind('\n') {
            Some(at) => Layout::Lines { margin: &space[at + 1..], level: &self.level },
            None => Layout::Inline,
        }
    }

    /// How many bytes of its line are before the key of a value at an offset; 1 at the line's beginning.
    fn column(&self, offset: u32) -> usize {
        let before = &self.text[..offset as usize];
        let line = &before[before.rfind('\n').map_or(0, |at| at + 1)..];
        // Its own key does not count.
        let key = line.trim_end().strip_suffix(':').map_or(line, |rest| {
            let rest = rest.trim_end().trim_end_matches('"');
            &rest[..rest.rfind('"').unwrap_or(0)]
        });
        key.len() + 1
    }

    /// Whether a branch begins on a line of its own, or has its members on lines of theirs: what was on one line
    /// beside others stays on it.
    pub(super) fn is_in_lines(&self, node: NodeId) -> bool {
        let span = self.base.span(node);
        let first = self.base.children(node).find(|&child| self.base.kind(child) != Kind::Attribute);
        match first {
            Some(first) => {
                self.text[span.start as usize..self.base.span(first).start as usize].contains('\n')
            }
            None => margin_of(self.text, span.start).len() + 1 >= self.column(span.start),
        }
    }

    /// The last child that the base has and that is still there, apart from attributes and own text.
    pub(super) fn last_own(&self, node: NodeId) -> Option<NodeId> {
        let children: Vec<NodeId> = self.tree.children(node).collect();
        // What is beside the outermost element of a file is in its branch, and not in the element.
        let span = self.base.span(node);
        let is_inside = |child: NodeId| self.base.span(child).start >= span.start;
        children.into_iter().rev().find(|&child| {
            !is_new(self.tree, child)
                && !matches!(self.tree.kind(child), Kind::Attribute | Kind::OwnText)
                && is_inside(child)
                && self.base.span(child).end <= span.end
        })
    }

    /// The children that were put into it, in their order.
    pub(super) fn new_children(&self, node: NodeId) -> impl Iterator<Item = NodeId> {
        self.tree.children(node).filter(|&child| is_new(self.tree, child))
    }
}
