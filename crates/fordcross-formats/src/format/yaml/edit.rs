//! A base in YAML with its changes: lines that nothing was changed in are copied.
//!
//! Each member of a block mapping has the lines from behind the member before it to the end of its own last
//! one, comments above it included. A mapping or list that is written in brackets, or begins behind a dash, is
//! written anew as a whole if anything in it changed.

use super::write::{write_member, write_value};
use crate::format::edit::{Changes, File, with_line_ends_of};
use crate::text::source::Span;
use crate::tree::{Kind, NodeId, Tree};

/// The file with the changes in it.
pub(super) fn edited(file: &File<'_>) -> Vec<u8> {
    let File { changes, base, tree, touched, top, span, .. } = *file;
    let text = file.text();
    let mut writer = Writer { changes, base, tree, text, touched, out: Vec::new() };
    let at = writer.mapping(top, span.start as usize);
    writer.copy(at, text.len());
    writer.out
}

struct Writer<'w> {
    changes: &'w Changes,
    base: &'w Tree<'w>,
    tree: &'w Tree<'w>,
    text: &'w str,
    /// Nodes in which something changed.
    touched: &'w [bool],
    out: Vec<u8>,
}

impl<'w> Writer<'w> {
    fn copy(&mut self, from: usize, to: usize) {
        self.out.extend_from_slice(&self.text.as_bytes()[from.min(to)..to]);
    }

    fn end_line(&mut self) {
        if !self.out.is_empty() && !self.out.ends_with(b"\n") {
            self.out.push(b'\n');
        }
    }

    /// Writes the members of a mapping whose lines begin at `from`; says where what follows them begins.
    fn mapping(&mut self, node: NodeId, from: usize) -> usize {
        let (base, tree) = (self.base, self.tree);
        let mut at = from;
        let mut margin = "";
        for child in base.children(node).filter(|&child| base.kind(child) != Kind::Comment) {
            let end = self.line_end(self.content_end(child));
            let head = self.head_of(at, end);
            margin = self.margin_of(head);
            if !self.touched[child.index()] {
                self.copy(at, end);
            } else if !self.changes.gone.contains(&child) {
                self.copy(at, head);
                self.changed(child, head, end, margin);
            }
            at = end;
        }
        for child in tree.children(node).filter(|&child| child.index() >= base.len()) {
            self.end_line();
            self.member(child, margin);
        }
        at
    }

    /// A member of which something changed: its lines begin at `head`.
    fn changed(&mut self, node: NodeId, head: usize, end: usize, margin: &str) {
        let span = self.base.span(node);
        let changes = self.changes;
        let same_platform = |span: Span| !self.text[span.range()].contains('\n');
        if changes.values.contains(&node)
            && !changes.whole.contains(&node)
            && same_platform(span)
            && !span.range().is_empty()
        {
            // What is around the value stays, a comment behind it too.
            let (start, stop) = (span.start as usize, span.end as usize);
            self.copy(head, start);
            let mut value = Vec::new();
            write_value(self.tree, node, &mut value);
            self.out.extend_from_slice(&value);
            self.copy(stop, end);
            return;
        }
        let is_block = self.base.kind(node) == Kind::Map
            && self.begins_its_line(span.start as usize)
            && span.start as usize > head;
        if is_block && !changes.whole.contains(&node) && self.base.first_child(node).is_some() {
            let first = self.line_start(span.start as usize);
            self.copy(head, first);
            let at = self.mapping(node, first);
            self.copy(at, end);
            return;
        }
        self.end_line();
        // A comment behind it has no place any more on its line.
        let behind = self.text[self.content_end(node)..end].trim();
        if behind.starts_with('#') {
            self.out.extend_from_slice(format!("{margin}{behind}\n").as_bytes());
        }
        self.member(node, margin);
    }

    /// Writes a member anew, each of its lines as far in as its like.
    fn member(&mut self, node: NodeId, margin: &str) {
        let mut lines = Vec::new();
        write_member(self.tree, node, &mut lines);
        for line in with_line_ends_of(self.text, lines).split_inclusive(|byte| *byte == b'\n') {
            self.out.extend_from_slice(margin.as_bytes());
            self.out.extend_from_slice(line);
        }
    }

    /// Where the last thing that is said at or below a node ends.
    fn content_end(&self, node: NodeId) -> usize {
        let mut at = node;
        loop {
            let span = self.base.span(at);
            let is_block =
                self.base.kind(at).is_branch() && !self.text[span.start as usize..].starts_with(['{', '[']);
            let last = self.base.children(at).filter(|&child| self.base.kind(child) != Kind::Comment).last();
            match last.filter(|_| is_block) {
                Some(last) => at = last,
                None => {
                    let said = &self.text[..span.end as usize];
                    return said.trim_end().len().max(span.start as usize);
                }
            }
        }
    }

    /// Where the line of a member's key begins, between what is before it and its end: behind empty lines and
    /// comments.
    fn head_of(&self, from: usize, end: usize) -> usize {
        let mut at = from;
        for line in self.text[from..end].split_inclusive('\n') {
            let bare = line.trim();
            if !bare.is_empty() && !bare.starts_with('#') && bare != "---" && !bare.starts_with('%') {
                break;
            }
            at += line.len();
        }
        at
    }

    fn line_end(&self, at: usize) -> usize {
        self.text[at..].find('\n').map_or(self.text.len(), |end| at + end + 1)
    }

    fn line_start(&self, at: usize) -> usize {
        self.text[..at].rfind('\n').map_or(0, |end| end + 1)
    }

    fn begins_its_line(&self, at: usize) -> bool {
        self.text[self.line_start(at)..at].trim().is_empty()
    }

    fn margin_of(&self, at: usize) -> &'w str {
        let line = &self.text[at..];
        &line[..line.len() - line.trim_start_matches(' ').len()]
    }
}
