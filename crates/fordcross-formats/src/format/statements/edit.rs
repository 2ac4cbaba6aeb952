//! Statements of a base with their changes: lines that nothing was changed in are copied.
//!
//! The statements of the base are in the order of their file, whatever branches of the tree they make. New
//! ones are behind the one that is before them in their block or branch, and else at the end of the file. A
//! statement of which something changed is written anew in its place; of one with a value only that value.

use super::Grammar;
use super::write::{Said, statements_of, write_statement, write_word};
use crate::format::edit::{File, with_line_ends_of};
use crate::text::source::{Piece, Span};
use crate::tree::NodeId;
use rustc_hash::{FxHashMap, FxHashSet};

/// The file with the changes in it, and the files that it includes, each with its place.
pub(super) fn edited(file: &File<'_>, grammar: &Grammar) -> Vec<(Span, Vec<u8>)> {
    let pieces = file.base.source().pieces;
    let old = statements_of(file.base, file.top, grammar);
    let new = statements_of(file.tree, file.top, grammar);
    let is_there: FxHashSet<NodeId> = new.iter().map(Said::node).collect();
    let mut writer = Writer {
        file,
        grammar,
        text: "",
        behind: FxHashMap::default(),
        statement_of: old.iter().enumerate().map(|(index, said)| (said.node(), index)).collect(),
        is_there,
        old: &old,
        new: &new,
        out: Vec::new(),
    };
    writer.find_places(file.base.len());
    let included = |piece: &&Piece| {
        piece.span != file.span && old.iter().any(|said| is_in(file.base.span(said.node()), piece.span))
    };
    let spans = std::iter::once(file.span).chain(pieces.iter().filter(included).map(|piece| piece.span));
    spans.map(|span| (span, writer.piece(span, span == file.span))).collect()
}

fn ends_with_empty_line(out: &[u8]) -> bool {
    out.ends_with(b"\n\n") || out.ends_with(b"\n\r\n")
}

fn is_in(inner: Span, outer: Span) -> bool {
    inner.start >= outer.start && inner.end <= outer.end
}

struct Writer<'w> {
    file: &'w File<'w>,
    grammar: &'w Grammar,
    /// Up to the end of the file that is being written.
    text: &'w str,
    old: &'w [Said],
    new: &'w [Said],
    /// The statements of the base by what they make.
    statement_of: FxHashMap<NodeId, usize>,
    /// What is still made.
    is_there: FxHashSet<NodeId>,
    /// New statements by the one of the base that they are behind; at the end of their block, if there is none.
    behind: FxHashMap<(Option<NodeId>, Option<NodeId>), Vec<usize>>,
    out: Vec<u8>,
}

impl Writer<'_> {
    /// Finds for each new statement the one of the base in the same block that it is behind.
    fn find_places(&mut self, base_len: usize) {
        let mut last: FxHashMap<Option<NodeId>, NodeId> = FxHashMap::default();
        for (index, said) in self.new.iter().enumerate() {
            let block = said.inside.map(|inside| self.new[inside].node());
            if said.node().index() < base_len {
                last.insert(block, said.node());
            } else if block.is_none_or(|block| block.index() < base_len) {
                // What is no part of a block or branch that is there is at the end of the file.
                let is_part = block.is_some() || said.path[0].index() < base_len;
                // What a statement of the base was, several may be now: they are where it was.
                let instead = said.path.iter().find(|node| self.statement_of.contains_key(node)).copied();
                let before = instead.or_else(|| last.get(&block).copied().filter(|_| is_part));
                self.behind.entry((block, before)).or_default().push(index);
            }
        }
    }

    fn piece(&mut self, span: Span, is_main: bool) -> Vec<u8> {
        self.text = &self.file.base.source().text[..span.end as usize];
        let within = |index: &usize| is_in(self.span(*index), span);
        let mut own: Vec<usize> = (0..self.old.len()).filter(within).collect();
        own.retain(|&index| self.old[index].inside.is_none_or(|block| !is_in(self.span(block), span)));
        own.sort_by_key(|&index| self.span(index));
        self.out = Vec::with_capacity(span.range().len());
        let at = self.level(&own, span.start as usize);
        self.copy(at, span.end as usize);
        if is_main && let Some(new) = self.behind.remove(&(None, None)) {
            // A comment at the end is not said of them.
            let last =
                self.text[span.range()].trim_end().rsplit('\n').next().unwrap_or_default().trim_start();
            if self.grammar.is_comment(last) {
                let ends_line = self.out.ends_with(b"\n");
                let empty = if ends_line { "\n" } else { "\n\n" };
                self.out.append(&mut with_line_ends_of(self.text, empty.into()));
            }
            self.write_new(&new);
        }
        std::mem::take(&mut self.out)
    }

    fn span(&self, index: usize) -> Span {
        self.file.base.span(self.old[index].node())
    }

    fn copy(&mut self, from: usize, to: usize) {
        self.out.extend_from_slice(&self.text.as_bytes()[from.min(to)..to]);
    }

    fn line_end(&self, at: usize) -> usize {
        self.text[at..].find('\n').map_or(self.text.len(), |end| at + end + 1)
    }

    /// Writes statements of the base that are side by side, with what is between them; says where what follows
    /// them begins.
    fn level(&mut self, own: &[usize], from: usize) -> usize {
        let mut at = from;
        for (place, &index) in own.iter().enumerate() {
            let (start, end) = (self.span(index).start as usize, self.span(index).end as usize);
            let node = self.old[index].node();
            if !self.is_there.contains(&node) {
                let line = self.text[..start].rfind('\n').map_or(0, |newline| newline + 1);
                let is_first = self.text[line.max(at)..start].trim().is_empty();
                self.copy(at, if is_first { line.max(at) } else { start });
                at = if is_first && self.is_last_on_line(end) { self.line_end(end) } else { end };
            } else if self.file.touched[node.index()] {
                self.copy(at, start);
                self.changed(index);
                at = end;
            } else {
                self.copy(at, end);
                at = end;
            }
            let block = self.old[index].inside.map(|inside| self.old[inside].node());
            if let Some(new) = self.behind.remove(&(block, Some(node))) {
                // Another one may be on the same line.
                let next = own.get(place + 1).map_or(self.text.len(), |&next| self.span(next).start as usize);
                let begins_line = at == 0 || self.text[..at].ends_with('\n');
                let line = if begins_line { at } else { self.line_end(at).min(next.max(at)) };
                self.copy(at, line);
                at = line;
                self.write_new(&new);
            }
        }
        at
    }

    /// Whether nothing but what ends a statement, or a comment, is behind it on its line.
    fn is_last_on_line(&self, end: usize) -> bool {
        let grammar = self.grammar;
        let rest = self.text[end..self.line_end(end)].trim_start();
        let rest = grammar.end.sign.and_then(|sign| rest.strip_prefix(sign)).unwrap_or(rest).trim();
        rest.is_empty() || grammar.is_comment(rest)
    }

    /// Writes statements that the base has not, each on lines of its own.
    fn write_new(&mut self, new: &[usize]) {
        for &index in new {
            let said = &self.new[index];
            let mut lines = Vec::new();
            if !self.out.is_empty() && !self.out.ends_with(b"\n") {
                lines.push(b'\n');
            }
            if said.opens && said.depth == 0 && !self.out.is_empty() && !ends_with_empty_line(&self.out) {
                lines.push(b'\n');
            }
            write_statement(self.file.tree, said, self.grammar, &mut lines);
            self.out.append(&mut with_line_ends_of(self.text, lines));
        }
    }

    /// A statement of which something changed, without what is around it.
    fn changed(&mut self, index: usize) {
        let said = &self.old[index];
        let (node, span) = (said.node(), self.span(index));
        let changes = self.file.changes;
        if changes.values.contains(&node) && !changes.whole.contains(&node) {
            if let Some((place, new)) = self.value(said) {
                self.copy(span.start as usize, place.start as usize);
                self.out.extend_from_slice(&new);
                self.copy(place.end as usize, span.end as usize);
                return;
            }
        } else if said.opens && !self.head_changed(index) && self.can_grow(index) {
            let mut own: Vec<usize> =
                (0..self.old.len()).filter(|&inner| self.old[inner].inside == Some(index)).collect();
            own.retain(|&inner| is_in(self.span(inner), span));
            own.sort_by_key(|&inner| self.span(inner));
            let mut at = self.level(&own, span.start as usize);
            if let Some(new) = self.behind.remove(&(Some(node), None)) {
                let line = self.line_end(at);
                self.copy(at, line);
                at = line;
                self.write_new(&new);
            }
            self.copy(at, span.end as usize);
            return;
        }
        let mut lines = Vec::new();
        write_statement(self.file.tree, said, self.grammar, &mut lines);
        let text = String::from_utf8_lossy(&lines);
        let mut text = text.trim();
        // The mark at its end is none of it, and is still there.
        if !said.opens
            && let Some(sign) = self.grammar.end.written()
        {
            text = text.strip_suffix(sign).unwrap_or(text);
        }
        self.out.extend_from_slice(text.as_bytes());
        // What it holds was written with it.
        self.behind.retain(|&(block, _), _| block != Some(node));
    }

    /// Where the value of a statement is, with its quotes, and what is there now.
    fn value(&self, said: &Said) -> Option<(Span, Vec<u8>)> {
        let spelled = self.file.base.value_span(said.node())?;
        let grammar = self.grammar;
        let before = self.text[..spelled.start as usize].chars().next_back();
        let quote = before.filter(|&quote| {
            let known =
                grammar.quotes.contains(&quote) || grammar.quotes.is_empty() && matches!(quote, '"' | '\'');
            known && self.text[spelled.end as usize..].starts_with(quote)
        });
        let value = self.file.tree.value(said.node());
        // What was read as a value of its own is apart from what is before it.
        let start = spelled.start as usize - usize::from(quote.is_some());
        let apart = self.text[..start].chars().next_back();
        if !apart.is_none_or(|c| c.is_whitespace() || grammar.punctuation.contains(&c)) {
            return None;
        }
        let mut new = Vec::new();
        let Some(quote) = quote else {
            write_word(self.file.tree, said, grammar, &mut new);
            return (!spelled.range().is_empty()).then_some((spelled, new));
        };
        // In the quotes that it was in, if it can.
        if value.contains([quote, '\\', '\n']) {
            write_word(self.file.tree, said, grammar, &mut new);
            return Some((Span::new(spelled.start as usize - 1, spelled.end as usize + 1), new));
        }
        Some((spelled, value.as_bytes().to_vec()))
    }

    /// Whether something changed in a block that is in no statement inside it.
    fn head_changed(&self, index: usize) -> bool {
        let node = self.old[index].node();
        let (file, changes) = (self.file, self.file.changes);
        let is_within = |changed: &NodeId| file.tree.is_within(*changed, node);
        if changes.whole.contains(&node) {
            return true;
        }
        let is_said = |changed: NodeId| {
            let mut at = changed;
            while at != node && at != NodeId::DOCUMENT {
                if self.statement_of.contains_key(&at) || self.is_there.contains(&at) {
                    return true;
                }
                at = file.tree.parent(at);
            }
            false
        };
        let changed = changes.values.iter().chain(&changes.whole).filter(|changed| is_within(changed));
        changed.copied().any(|changed| !is_said(changed))
            || changes.grown.iter().filter(|grown| is_within(grown)).any(|&grown| {
                let new = file.tree.children(grown).filter(|child| child.index() >= file.base.len());
                // A branch that several statements share is said by what is below it.
                let below =
                    |child: NodeId| self.new.iter().any(|said| file.tree.is_within(said.node(), child));
                new.into_iter().any(|child| !is_said(child) && !below(child))
            })
    }

    /// Whether lines can be put into a block: it has lines of its own before it is closed.
    fn can_grow(&self, index: usize) -> bool {
        let node = self.old[index].node();
        let grows = self.behind.keys().any(|&(block, _)| block == Some(node));
        let Some(close) = self.old[index].closes.as_deref() else { return true };
        let close = close.get(..1).filter(|first| !first.starts_with(char::is_alphanumeric)).unwrap_or(close);
        let span = self.span(index);
        let Some(closes_at) = self.text[span.range()].rfind(close).filter(|_| grows) else { return !grows };
        let closes_at = span.start as usize + closes_at;
        let lines = self.text[span.start as usize..closes_at].trim_end_matches([' ', '\t']);
        let head =
            self.text[span.start as usize..self.line_end(span.start as usize).min(closes_at)].trim_end();
        let opens_by_sign =
            self.grammar.signs().any(|(open, other)| close == other.to_string() && !head.contains(open));
        lines.ends_with('\n') && !opens_by_sign
    }
}
