//! Writing statements by their shapes.

mod block;
mod order;
mod parts;

use super::blocks::{BlockId, Delimiters, StatementId, TOP, Unknown};
use super::comments::Trailing;
use super::pairs::Pairs;
use super::scan::Scanner;
use super::shape::{Half, Taken, WordKind, Words, is_choice};
use super::words::{Line, Spelling};
use super::{BODY, Grammar, Part, Statement, UNKNOWN, VALUE, WORDS};
use crate::text::shape::{Part as NamePart, Shape};
use crate::text::source::Source;
use crate::tree::{BLANK_LINE, Kind, NodeId, TRAILING, Tree};
use order::{How, Item};

/// Appends all statements of a branch, each on a line of its own.
pub(super) fn write_statements(tree: &Tree<'_>, top: NodeId, grammar: &Grammar, out: &mut Vec<u8>) {
    Writer::new(tree, grammar, out).all(top);
}

/// A statement that a tree is written with.
#[derive(Clone, Debug)]
pub(super) struct Said {
    /// What it makes, with all that leads there from the block that it is in.
    pub(super) path: Vec<NodeId>,
    /// What the profile says of that block; nothing, where a statement opened it that no shape fits.
    pub(super) block: Option<BlockId>,
    /// How many blocks it is in.
    pub(super) depth: usize,
    /// The block, as its place among all statements.
    pub(super) inside: Option<usize>,
    /// Other statements are in it.
    pub(super) opens: bool,
    /// What closes it then.
    pub(super) closes: Option<String>,
}

impl Said {
    /// What it makes.
    pub(super) fn node(&self) -> NodeId {
        self.path.last().copied().unwrap_or(NodeId::DOCUMENT)
    }
}

/// All statements that a branch is written with, in their order.
pub(super) fn statements_of(tree: &Tree<'_>, top: NodeId, grammar: &Grammar) -> Vec<Said> {
    let mut unused = Vec::new();
    let mut writer = Writer::new(tree, grammar, &mut unused);
    writer.log = Some(Vec::new());
    writer.all(top);
    writer.log.unwrap_or_default()
}

/// Appends one statement with all that is in it.
pub(super) fn write_statement(tree: &Tree<'_>, said: &Said, grammar: &Grammar, out: &mut Vec<u8>) {
    let mut writer = Writer::new(tree, grammar, out);
    match writer.statement_for(&said.path, said.block) {
        Some(id) => writer.statement(id, &said.path, said.depth),
        None => writer.unknown(&said.path, said.block, said.depth),
    }
}

/// Appends the value of a leaf as a word, or as the words that it is where the statement takes the rest.
pub(super) fn write_word(tree: &Tree<'_>, said: &Said, grammar: &Grammar, out: &mut Vec<u8>) {
    let mut unused = Vec::new();
    let writer = Writer::new(tree, grammar, &mut unused);
    let value = tree.value(said.node());
    if writer.is_kept(&said.path, said.block) {
        return out.extend_from_slice(value.as_bytes());
    }
    let statement = writer.statement_for(&said.path, said.block);
    let takes_rest = statement.is_none_or(|id| {
        let parts = &grammar.statement(id).shape.parts;
        parts.iter().any(|part| matches!(part, Part::Rest(name) if name == VALUE))
    });
    let word = if takes_rest { writer.spelling().rest(value) } else { writer.spelling().quoted(value) };
    out.extend_from_slice(word.as_bytes());
}

pub(super) struct Writer<'w, 'a> {
    pub(super) tree: &'w Tree<'a>,
    pub(super) grammar: &'w Grammar,
    out: &'w mut Vec<u8>,
    start: usize,
    /// The comment that goes behind the next statement, on its line.
    behind: Option<NodeId>,
    /// What was written, if that is asked for, and the block that is being written.
    log: Option<Vec<Said>>,
    inside: Option<usize>,
}

impl<'w, 'a> Writer<'w, 'a> {
    fn new(tree: &'w Tree<'a>, grammar: &'w Grammar, out: &'w mut Vec<u8>) -> Self {
        let start = out.len();
        Self { tree, grammar, out, start, behind: None, log: None, inside: None }
    }

    fn spelling(&self) -> Spelling<'w, 'a> {
        Spelling { tree: self.tree, grammar: self.grammar }
    }

    fn all(&mut self, top: NodeId) {
        self.all_in(top, Some(TOP), 0, &[]);
        if let Some(comment) = self.behind.take() {
            self.comment(comment, 0);
        }
    }

    /// Notes a statement; gives back the block that was written until then.
    fn note(
        &mut self,
        path: &[NodeId],
        block: Option<BlockId>,
        depth: usize,
        (opens, closes): (bool, Option<String>),
    ) -> Option<usize> {
        let before = self.inside;
        if let Some(log) = &mut self.log {
            log.push(Said { path: path.to_vec(), block, depth, inside: before, opens, closes });
            self.inside = Some(log.len() - 1);
        }
        before
    }

    /// Everything in a block or at the top, without some of it.
    fn all_in(&mut self, branch: NodeId, block: Option<BlockId>, depth: usize, skip: &[NodeId]) {
        let children: Vec<NodeId> =
            self.tree.children(branch).filter(|child| !skip.contains(child)).collect();
        let items = self.in_order(&children, block);
        for (index, item) in items.iter().enumerate() {
            let said_of = items[index..].iter().find(|item| !item.is_comment());
            let first_of = index == 0 || !items[index - 1].is_comment();
            let opens = said_of.is_some_and(|item| self.opens(item));
            let apart = self.is_gap(item.node());
            if opens && first_of && !apart && self.out.len() > self.start && !self.out.ends_with(b"{\n") {
                self.out.push(b'\n');
            }
            self.item(item, block, depth);
        }
    }

    fn is_gap(&self, node: NodeId) -> bool {
        self.tree.kind(node) == Kind::Comment && self.tree.name(node) == BLANK_LINE
    }

    /// The statement of a block that makes what is at a path, and is read as what it was written for: the one that it was read
    /// by, else the first.
    fn statement_for(&self, path: &[NodeId], block: Option<BlockId>) -> Option<StatementId> {
        let names: Vec<&str> = path.iter().map(|&node| self.tree.name(node)).collect();
        let fits = |id: StatementId| {
            self.makes(self.grammar.statement(id), path, &names) && self.is_read_as(id, path, block)
        };
        let before = path.last().and_then(|&node| self.read_by(node));
        let is_here =
            |id: &StatementId| self.find(block, &mut |known| (known == *id).then_some(())).is_some();
        before
            .filter(is_here)
            .filter(|&id| fits(id))
            .or_else(|| self.find(block, &mut |id| fits(id).then_some(id)))
    }

    /// The first statement of a block, or of those around where it ends with the next section.
    fn find<T>(&self, block: Option<BlockId>, wanted: &mut dyn FnMut(StatementId) -> Option<T>) -> Option<T> {
        self.grammar.find(block?, &mut || None, wanted)
    }

    /// Whether a statement makes what is at a path.
    fn makes(&self, statement: &Statement, path: &[NodeId], names: &[&str]) -> bool {
        let Some(&node) = path.last() else { return false };
        if statement.names(names).is_none() {
            return false;
        }
        if self.tree.kind(node).is_branch() {
            return !statement.makes_value() && self.has_what_it_needs(statement, node);
        }
        statement.makes_value()
            && statement.value.as_deref().is_none_or(|value| value == self.tree.value(node))
    }

    /// Whether the words that a statement is written with are read as that one, or as one that makes the same.
    fn is_read_as(&self, id: StatementId, path: &[NodeId], block: Option<BlockId>) -> bool {
        let statement = self.grammar.statement(id);
        let before = self.find(block, &mut |other| (other == id).then_some(None).or(Some(Some(other))));
        // The first of its block is read before all others.
        if before == Some(None) {
            return true;
        }
        let line = self.head(statement, path);
        let text = String::from_utf8_lossy(&line);
        let scan = Scanner { source: Source::new("", &text), grammar: self.grammar };
        let Ok(read) = scan.words(0, text.len(), &[]) else { return true };
        // What ends before all of it was read is a head that goes up to its block.
        if read.after < text.len() {
            return true;
        }
        let word = |index: usize| (read.words[index].text.as_ref(), read.words[index].kind);
        let words = Words { count: read.words.len(), word: &word, any_case: self.grammar.any_case };
        let first = self.find(block, &mut |other| {
            let known = self.grammar.statement(other);
            let alike = self.opener(known) == self.opener(statement);
            let fits = alike && known.shape.fit(&words).is_some_and(|taken| pairs_fit(known, &taken, &words));
            fits.then_some(other)
        });
        first.is_some_and(|first| first == id || self.grammar.statement(first) == statement)
    }

    /// Whether a branch has all that the shape of a statement cannot do without, and nothing twice that it has once.
    fn has_what_it_needs(&self, statement: &Statement, branch: NodeId) -> bool {
        let count = |name: &str| {
            self.tree
                .children(branch)
                .filter(|&child| self.tree.name(child) == name && self.tree.kind(child) != Kind::Comment)
                .count()
        };
        let needs = |part: &Part| match part {
            Part::Capture(name, choice) => {
                statement.has_in_path(name)
                    || statement.pairs_of(name).is_some()
                    || count(name) == 1
                        && (choice.is_empty()
                            || self
                                .tree
                                .child(branch, name)
                                .is_some_and(|leaf| is_choice(choice, self.tree.value(leaf))))
            }
            Part::Rest(name) => statement.has_in_path(name) || count(name) == 1,
            Part::Several(name) | Part::List(name, _) => count(name) > 0,
            _ => true,
        };
        let holds_text = statement.block.is_some_and(|block| self.grammar.block(block).holds_text);
        let holds_statements = statement.block.is_some() && !holds_text;
        // What it has no place for must be a statement of its own.
        let has_place = |child: NodeId| {
            let name = self.tree.name(child);
            holds_statements && name != BODY
                || statement.shape.has(name)
                || !statement.pairs.is_empty() && self.tree.kind(child).is_value()
                || self.tree.kind(child) == Kind::Comment
                || holds_text && (name == BODY || self.is_of_opener(statement, name))
        };
        statement.shape.parts.iter().all(needs)
            && (!holds_text || count(BODY) == 1)
            && self.tree.children(branch).all(has_place)
    }

    /// Whether what is at a path is a statement that is kept as the text that it is.
    fn is_kept(&self, path: &[NodeId], block: Option<BlockId>) -> bool {
        let keeps = block.is_some_and(|block| self.grammar.block(block).unknown == Unknown::Keep);
        keeps
            && matches!(path, [only] if self.tree.name(*only) == UNKNOWN && self.tree.kind(*only).is_value())
    }

    fn item(&mut self, item: &Item, block: Option<BlockId>, depth: usize) {
        let node = item.node();
        match item.how {
            How::Comment if self.is_gap(node) => {
                if self.out.len() > self.start {
                    self.out.push(b'\n');
                }
            }
            How::Comment => {
                let behind = self.tree.name(node) == TRAILING && self.grammar.trailing != Trailing::No;
                if !behind {
                    self.comment(node, depth);
                } else if let Some(earlier) = self.behind.replace(node) {
                    self.comment(earlier, depth);
                }
            }
            How::Statement(id) => {
                let statement = self.grammar.statement(id);
                let opens = statement.block.filter(|_| self.tree.kind(node).is_branch());
                let closes = (opens.is_some(), opens.and_then(|block| self.closing(block, node)));
                let before = self.note(&item.path, block, depth, closes);
                self.statement(id, &item.path, depth);
                self.inside = before;
            }
            How::Unknown => self.unknown(&item.path, block, depth),
        }
    }

    fn comment(&mut self, node: NodeId, depth: usize) {
        let sign = self.grammar.comment_sign();
        let value = self.tree.value(node);
        // One in a pair is one piece, however many lines it has.
        if self
            .grammar
            .comments
            .iter()
            .any(|sign| sign.close.is_some() && value.trim_start().starts_with(sign.open.as_str()))
        {
            self.indent(depth);
            self.out.extend_from_slice(value.trim().as_bytes());
            self.out.push(b'\n');
            return;
        }
        for line in value.lines() {
            self.indent(depth);
            // Where nothing is indented, comments may be, to be below one behind a statement.
            let line = if depth == 0 && self.tree.name(node) != TRAILING { line } else { line.trim_start() };
            let is_bare = !self.grammar.is_comment(line.trim_start());
            if is_bare {
                self.out.extend_from_slice(sign.open.as_bytes());
                self.out.push(b' ');
            }
            self.out.extend_from_slice(line.as_bytes());
            if let Some(close) = sign.close.as_ref().filter(|_| is_bare) {
                self.out.push(b' ');
                self.out.extend_from_slice(close.as_bytes());
            }
            self.out.push(b'\n');
        }
    }

    fn indent(&mut self, depth: usize) {
        (0..depth).for_each(|_| self.out.extend_from_slice(self.grammar.indent.as_bytes()));
    }

    /// The words of a statement without the block that it opens.
    fn head(&self, statement: &Statement, path: &[NodeId]) -> Vec<u8> {
        let Some(&node) = path.last() else { return Vec::new() };
        let names: Vec<&str> = path.iter().map(|&node| self.tree.name(node)).collect();
        let captured = statement.names(&names).unwrap_or_default();
        let in_path = |name: &str| captured.iter().find(|(known, _)| *known == name).map(|(_, text)| *text);
        let mut line = Line::default();
        self.parts(statement, &statement.shape.parts, node, &in_path, &mut line);
        line.out
    }

    fn statement(&mut self, id: StatementId, path: &[NodeId], depth: usize) {
        let Some(&node) = path.last() else { return };
        let statement = self.grammar.statement(id);
        self.indent(depth);
        let line = self.head(statement, path);
        self.out.extend_from_slice(&line);
        match statement.block.filter(|_| self.tree.kind(node).is_branch()) {
            Some(block) => self.block(statement, block, node, depth),
            None => {
                self.end_sign();
                self.end_line();
            }
        }
    }

    /// What ends a statement, where it is written.
    fn end_sign(&mut self) {
        self.out.extend(self.grammar.end.written().map(String::from).unwrap_or_default().bytes());
    }

    /// Ends a line, with the comment that is behind it.
    fn end_line(&mut self) {
        if let Some(comment) = self.behind.take() {
            let text = self.tree.value(comment);
            // With the white space it had, so that those below one another stay so.
            let apart = if text.starts_with([' ', '\t']) { "" } else { "  " };
            self.out.extend_from_slice(apart.as_bytes());
            self.out.extend_from_slice(text.as_bytes());
        }
        self.out.push(b'\n');
    }

    /// What no statement of the grammar makes: as it is, or a name and the rest.
    fn unknown(&mut self, path: &[NodeId], block: Option<BlockId>, depth: usize) {
        let Some(&node) = path.last() else { return };
        let is_branch = self.tree.kind(node).is_branch();
        let sign = self.grammar.signs().next().filter(|_| is_branch);
        let closes = (is_branch, sign.map(|(_, close)| close.to_string()));
        let before = self.note(path, block, depth, closes);
        if self.is_kept(path, block) {
            self.indent(depth);
            let text = self.tree.value(node);
            self.out.extend_from_slice(text.as_bytes());
            let ends = |close: char| text.ends_with(close);
            let last = text.rsplit(char::is_whitespace).next().unwrap_or_default();
            if let Some(sign) = self.grammar.end.sign.filter(|_| self.grammar.is_opener(last)) {
                // At the end of its line the word would open a block.
                self.out.extend_from_slice(sign.to_string().as_bytes());
            } else if !self.grammar.signs().any(|(_, close)| ends(close))
                && !self.grammar.end.sign.is_some_and(ends)
            {
                self.end_sign();
            }
            if let Some(continuation) = self.grammar.continuation.filter(|sign| text.ends_with(*sign)) {
                // At the end of its line it would be no part of the text: one more, and an empty line behind it.
                self.out.extend_from_slice(format!("{continuation}\n").as_bytes());
            }
            self.end_line();
        } else {
            self.unknown_at(node, depth);
        }
        self.inside = before;
    }

    fn unknown_at(&mut self, node: NodeId, depth: usize) {
        self.indent(depth);
        let name = self.spelling().quoted(self.tree.name(node));
        let mut line = Line::default();
        line.word(&name);
        if !self.tree.kind(node).is_branch() {
            let value = self.tree.value(node);
            if self.would_be_another(self.tree.name(node), value) {
                line.word(&self.spelling().quoted(value));
            } else if !value.is_empty() {
                line.word(&self.spelling().rest(value));
            }
            let line = line.out;
            self.out.extend_from_slice(&line);
            self.end_sign();
            return self.end_line();
        }
        if let Some(words) = self.tree.child(node, WORDS) {
            line.word(&self.spelling().rest(self.tree.value(words)));
        }
        let line = line.out;
        self.out.extend_from_slice(&line);
        self.unknown_block(node, depth);
    }

    /// Whether a name and the words of a value would be taken for a statement of the grammar.
    fn would_be_another(&self, name: &str, value: &str) -> bool {
        let words: Vec<&str> = std::iter::once(name).chain(value.split_whitespace()).collect();
        let word = |index: usize| (words[index], WordKind::Plain);
        let spoken = Words { count: words.len(), word: &word, any_case: self.grammar.any_case };
        !self.grammar.quotes.is_empty()
            && words.len() > 2
            && self.grammar.statements.iter().any(|known| known.shape.fit(&spoken).is_some())
    }
}

fn pairs_fit(statement: &Statement, taken: &Taken<'_>, words: &Words<'_, '_>) -> bool {
    statement.pairs.iter().all(|(name, pairs)| {
        let range = taken.iter().find_map(|(part, range)| part.captures(name).then_some(range));
        range.is_none_or(|range| pairs.fits((words.word)(range.start).0))
    })
}
