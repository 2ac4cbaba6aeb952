//! Writing a base with its changes: what was not touched is written in the bytes that it was read in.

use super::changes::Changes;
use super::file::File;
use crate::format::form::write_text;
use crate::format::ini::{Dialect, write_lines, write_value};
use crate::format::json::{write_string, write_subtree};
use crate::format::layout::Layout;
use crate::format::xml::{escape, write_element};
use crate::language::profile::FileForm;
use crate::text::source::Span;
use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::FxHashSet;

/// A piece of the base and what stands there now.
pub(super) type Edit = (Span, Vec<u8>);

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

struct Rewriter<'r> {
    base: &'r Tree<'r>,
    tree: &'r Tree<'r>,
    /// What is the whole file.
    top: NodeId,
    /// Up to the end of the file.
    text: &'r str,
    level: String,
    ini: &'r Dialect,
}

impl Changes {
    /// A file with the changes in it, in a form whose pieces can be edited one by one.
    pub(super) fn edit(file: &File<'_>) -> Vec<u8> {
        let File { changes, base, tree, writing, top, span, .. } = *file;
        let own = |nodes: &FxHashSet<NodeId>| -> FxHashSet<NodeId> {
            let end = base.subtree_end(top);
            nodes.iter().copied().filter(|&node| node >= top && node < end).collect()
        };
        let mut own = Self {
            values: own(&changes.values),
            whole: own(&changes.whole),
            grown: own(&changes.grown),
            gone: own(&changes.gone),
        };
        let text = file.text();
        let level = level_of(base, top, text);
        let rewriter = Rewriter { base, tree, top, text, level, ini: &writing.ini };
        // A branch that has nothing of its own left says nothing of how its like are written.
        let (grown, whole): (Vec<NodeId>, Vec<NodeId>) = own
            .grown
            .iter()
            .partition(|&&node| rewriter.last_own(node).is_some() || Self::only_attributes(tree, node));
        own.whole.extend(whole);
        if own.whole.contains(&top) {
            let mut out = Vec::new();
            write_text(tree, top, writing, &mut out);
            return out;
        }
        let form = writing.form;
        let mut edits: Vec<Edit> = Vec::new();
        for &node in &own.whole {
            if !own.is_inside_changed(tree, node) {
                edits.push((base.span(node), rewriter.anew(node, form)));
            }
        }
        for &node in own.values.iter().filter(|node| !own.whole.contains(node)) {
            if !own.is_inside_changed(tree, node) {
                edits.push(rewriter.value(node, form));
            }
        }
        for node in grown.into_iter().filter(|node| !own.whole.contains(node)) {
            if !own.is_inside_changed(tree, node) {
                match form {
                    FileForm::Json => edits.push(rewriter.grown_json(node)),
                    FileForm::Xml => edits.extend(rewriter.grown_xml(node)),
                    _ => edits.extend(rewriter.grown_ini(node)),
                }
            }
        }
        for &node in &own.gone {
            if !own.is_inside_changed(tree, node) {
                let start = text[..base.span(node).start as usize].trim_end().len();
                edits.push((Span::new(start, base.span(node).end as usize), Vec::new()));
            }
        }
        let own = &text[span.range()];
        let edits = edits.into_iter().map(|(span, new)| (span, with_line_ends_of(own, new)));
        apply(text, span, edits.collect())
    }

    /// Whether only attributes were added to an element, which goes without touching what it holds.
    fn only_attributes(tree: &Tree<'_>, node: NodeId) -> bool {
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
        // What stands beside the outermost element of a file is in its branch, and not in the element.
        let span = self.base.span(node);
        let is_inside = |child: NodeId| self.base.span(child).start >= span.start;
        children.into_iter().rev().find(|&child| {
            !is_new(self.tree, child)
                && !matches!(self.tree.kind(child), Kind::Attribute | Kind::OwnText)
                && is_inside(child)
                && self.base.span(child).end <= span.end
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
            let at = if own.is_none() && node == self.top { Some(at) } else { line };
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
