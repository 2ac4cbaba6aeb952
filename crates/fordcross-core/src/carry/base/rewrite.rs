//! Writing a base with its changes: what was not touched is written in the bytes that it was read in.

use crate::ini::{Manners, write_lines, write_value};
use crate::json::{write_string, write_subtree};
use crate::layout::Layout;
use crate::profile::FileForm;
use crate::source::Span;
use crate::tree::{Kind, NodeId, Tree};
use crate::xml::{escape, write_element};
use rustc_hash::FxHashSet;

/// What is to be written otherwise than it was read. All are nodes of the base.
#[derive(Debug, Default)]
pub(super) struct Changes {
    /// Leaves with another value.
    pub(super) values: FxHashSet<NodeId>,
    /// Nodes that are another altogether.
    pub(super) whole: FxHashSet<NodeId>,
    /// Branches with something new behind what they held.
    pub(super) grown: FxHashSet<NodeId>,
    /// Elements that are gone.
    pub(super) gone: FxHashSet<NodeId>,
}

/// A piece of the base and what stands there now.
type Edit = (Span, Vec<u8>);

struct Rewriter<'r> {
    base: &'r Tree<'r>,
    tree: &'r Tree<'r>,
    text: &'r str,
    level: String,
    ini: &'r Manners,
}

impl Changes {
    /// The base's text with the changes in it. `tree` is the base's tree with the changes made, in which
    /// its nodes have the ids that they have in the base.
    pub(super) fn write(
        mut self,
        base: &Tree<'_>,
        tree: &Tree<'_>,
        form: FileForm,
        ini: &Manners,
    ) -> Vec<u8> {
        if form == FileForm::Yaml {
            return super::yaml::rewrite(&self, base, tree);
        }
        let text = base.source().text;
        let rewriter = Rewriter { base, tree, text, level: level_of(base, text), ini };
        // A branch that has nothing of its own left says nothing of how its like are written.
        let (grown, whole): (Vec<NodeId>, Vec<NodeId>) = self
            .grown
            .iter()
            .partition(|&&node| rewriter.last_own(node).is_some() || self.only_attributes(tree, node));
        self.whole.extend(whole);
        let mut edits: Vec<Edit> = Vec::new();
        for &node in &self.whole {
            if !self.is_inside_changed(tree, node) {
                edits.push((base.span(node), rewriter.anew(node, form)));
            }
        }
        for &node in self.values.iter().filter(|node| !self.whole.contains(node)) {
            if !self.is_inside_changed(tree, node) {
                edits.push(rewriter.value(node, form));
            }
        }
        for node in grown.into_iter().filter(|node| !self.whole.contains(node)) {
            if !self.is_inside_changed(tree, node) {
                match form {
                    FileForm::Json => edits.push(rewriter.grown_json(node)),
                    FileForm::Xml => edits.extend(rewriter.grown_xml(node)),
                    // Other forms are refused as bases.
                    _ => edits.extend(rewriter.grown_ini(node)),
                }
            }
        }
        for &node in &self.gone {
            if !self.is_inside_changed(tree, node) {
                let start = text[..base.span(node).start as usize].trim_end().len();
                edits.push((Span::new(start, base.span(node).end as usize), Vec::new()));
            }
        }
        edits.sort_by_key(|(span, _)| *span);
        let mut out = Vec::with_capacity(text.len());
        let mut at = 0;
        for (span, new) in edits {
            out.extend_from_slice(&text.as_bytes()[at..span.start as usize]);
            out.extend_from_slice(&new);
            at = span.end as usize;
        }
        out.extend_from_slice(&text.as_bytes()[at..]);
        out
    }

    /// Whether only attributes were added to an element, which goes without touching what it holds.
    fn only_attributes(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        let _ = self;
        tree.children(node)
            .filter(|&child| is_new(tree, child))
            .all(|child| tree.kind(child) == Kind::Attribute)
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

/// Nodes that were grafted have no place in any file.
fn is_new(tree: &Tree<'_>, node: NodeId) -> bool {
    tree.span(node) == Span::default()
}

/// How the file indents a level: as its outermost branch does.
fn level_of(base: &Tree<'_>, text: &str) -> String {
    let first = base.children(base.root()).find(|&child| base.kind(child) != Kind::Attribute);
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
    fn layout(&self, offset: u32) -> Layout<'_> {
        Layout::Lines { margin: margin_of(self.text, offset), level: &self.level }
    }

    /// The layout of what comes behind white space like this.
    fn layout_after<'s>(&'s self, space: &'s str) -> Layout<'s> {
        match space.rfind('\n') {
            Some(at) => Layout::Lines { margin: &space[at + 1..], level: &self.level },
            None => Layout::Inline,
        }
    }

    /// How many bytes of its line stand before the key of a value at an offset; 1 at the line's beginning.
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

    /// A node as if the file had none there.
    fn anew(&self, node: NodeId, form: FileForm) -> Vec<u8> {
        let mut out = Vec::new();
        // What stood on one line beside others stays on it.
        let span = self.base.span(node);
        let first = self.base.children(node).find(|&child| self.base.kind(child) != Kind::Attribute);
        let in_lines = match first {
            Some(first) => {
                self.text[span.start as usize..self.base.span(first).start as usize].contains('\n')
            }
            None => margin_of(self.text, span.start).len() + 1 >= self.column(span.start),
        };
        let layout = if in_lines || form == FileForm::Xml { self.layout(span.start) } else { Layout::Inline };
        match form {
            FileForm::Json => write_subtree(self.tree, node, layout, &mut out),
            FileForm::Xml => write_element(self.tree, node, layout, &mut out),
            _ => {
                write_lines(self.tree, node, self.ini, &mut out);
                out.pop();
            }
        }
        out
    }

    fn value(&self, node: NodeId, form: FileForm) -> Edit {
        let span = self.base.span(node);
        if form == FileForm::Json {
            return (span, self.anew(node, form));
        }
        if form == FileForm::Ini {
            let mut out = Vec::new();
            return match self.base.value_span(node) {
                Some(spelled) => {
                    write_value(self.tree.value(node), self.ini, &mut out);
                    (spelled, out)
                }
                None => (span, self.anew(node, form)),
            };
        }
        let mut out = Vec::new();
        let new = self.tree.value(node);
        if self.tree.kind(node) == Kind::Attribute {
            out.extend_from_slice(self.tree.name(node).as_bytes());
            out.extend_from_slice(b"=\"");
            escape(new, true, &mut out);
            out.push(b'"');
            return (span, out);
        }
        match self.base.value_span(node).filter(|span| span.start < span.end) {
            Some(spelled) => {
                escape(new, false, &mut out);
                (spelled, out)
            }
            // Text in several pieces, or none: the element is written anew.
            None => {
                let element =
                    if self.tree.kind(node) == Kind::OwnText { self.tree.parent(node) } else { node };
                (self.base.span(element), self.anew(element, form))
            }
        }
    }

    /// The last child that the base has and that is still there, apart from attributes and own text.
    fn last_own(&self, node: NodeId) -> Option<NodeId> {
        let children: Vec<NodeId> = self.tree.children(node).collect();
        children.into_iter().rev().find(|&child| {
            !is_new(self.tree, child) && !matches!(self.tree.kind(child), Kind::Attribute | Kind::OwnText)
        })
    }

    fn new_children(&self, node: NodeId) -> impl Iterator<Item = NodeId> {
        self.tree.children(node).filter(|&child| is_new(self.tree, child))
    }

    fn grown_json(&self, node: NodeId) -> Edit {
        let Some(last) = self.last_own(node) else {
            return (self.base.span(node), self.anew(node, FileForm::Json));
        };
        // Between two members stands what stood before the last one.
        let mut before = self.base.children(node).take_while(|&child| child != last);
        let gap_from =
            before.by_ref().last().map_or(self.base.span(node).start + 1, |child| self.base.span(child).end);
        let gap = &self.text[gap_from as usize..self.base.span(last).start as usize];
        let gap = gap.trim_start().strip_prefix(',').unwrap_or(gap);
        let space = &gap[..gap.len() - gap.trim_start().len()];
        // The only one there has nothing before it that tells how two are parted.
        let space = if space.is_empty() && self.base.first_child(node) == Some(last) { " " } else { space };
        let layout = self.layout_after(space);
        let mut out = Vec::new();
        for child in self.new_children(node) {
            out.push(b',');
            out.extend_from_slice(space.as_bytes());
            if self.tree.kind(node) == Kind::Map {
                write_string(self.tree.name(child), &mut out);
                out.extend_from_slice(b": ");
            }
            write_subtree(self.tree, child, layout, &mut out);
        }
        let end = self.base.span(last).end as usize;
        (Span::new(end, end), out)
    }

    fn grown_xml(&self, node: NodeId) -> Vec<Edit> {
        let mut edits = Vec::new();
        let mut attributes = Vec::new();
        for child in self.new_children(node).filter(|&child| self.tree.kind(child) == Kind::Attribute) {
            attributes.push(b' ');
            attributes.extend_from_slice(self.tree.name(child).as_bytes());
            attributes.extend_from_slice(b"=\"");
            escape(self.tree.value(child), true, &mut attributes);
            attributes.push(b'"');
        }
        if !attributes.is_empty() {
            let last =
                self.base.children(node).filter(|&child| self.base.kind(child) == Kind::Attribute).last();
            let end = last.map_or_else(
                || self.base.span(node).start as usize + 1 + self.base.name(node).len(),
                |last| self.base.span(last).end as usize,
            );
            edits.push((Span::new(end, end), attributes));
        }
        if let Some(last) = self.last_own(node) {
            let start = self.base.span(last).start as usize;
            let space = &self.text[self.text[..start].trim_end().len()..start];
            let layout = self.layout_after(space);
            let mut out = Vec::new();
            for child in self.new_children(node).filter(|&child| self.tree.kind(child) != Kind::Attribute) {
                out.extend_from_slice(space.as_bytes());
                write_element(self.tree, child, layout, &mut out);
            }
            let end = self.base.span(last).end as usize;
            edits.push((Span::new(end, end), out));
        }
        edits
    }

    /// Keys go behind the last one of their section, and those without a section before the first one.
    fn grown_ini(&self, node: NodeId) -> Vec<Edit> {
        let mut edits = Vec::new();
        let is_branch = |child: &NodeId| self.tree.kind(*child).is_branch();
        let mut keys = Vec::new();
        for child in self.new_children(node).filter(|child| !is_branch(child)) {
            write_lines(self.tree, child, self.ini, &mut keys);
        }
        if !keys.is_empty() {
            // A comment behind the last key may be said of the section that follows.
            let own = self.base.children(node).filter(|&child| self.base.kind(child).is_value()).last();
            let at = own.map_or(self.base.span(node).start, |last| self.base.span(last).end) as usize;
            let line = self.text[at..].find('\n').map(|end| at + end + 1);
            // A section begins with its heading; the file itself with its first key.
            let at = if own.is_none() && node == self.base.root() { Some(at) } else { line };
            match at {
                Some(at) => edits.push((Span::new(at, at), keys)),
                None => edits
                    .push((Span::new(self.text.len(), self.text.len()), [b"\n", keys.as_slice()].concat())),
            }
        }
        let mut sections = Vec::new();
        for child in self.new_children(node).filter(is_branch) {
            sections.push(b'\n');
            write_lines(self.tree, child, self.ini, &mut sections);
        }
        if !sections.is_empty() {
            let end = self.text.len();
            if !self.text.is_empty() && !self.text.ends_with('\n') {
                sections.insert(0, b'\n');
            }
            edits.push((Span::new(end, end), sections));
        }
        edits
    }
}
