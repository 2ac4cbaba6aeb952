//! Writing statements by their shapes.

mod parts;

use super::shape::{Half, WordKind, Words, is_choice};
use super::words::{Line, Spelling};
use super::{BODY, Grammar, Inside, Nesting, Part, PathPart, Statement, VALUE, WORDS};
use crate::tree::{BLANK_LINE, Kind, NodeId, TRAILING, Tree};

/// Appends all statements of a branch, each on a line of its own.
pub(super) fn write_statements(tree: &Tree<'_>, top: NodeId, grammar: &Grammar, out: &mut Vec<u8>) {
    Writer::new(tree, grammar, out).all(top);
}

/// A statement that a tree is written with.
#[derive(Clone, Debug)]
pub(super) struct Said {
    /// What it makes, with all that leads there from the block that it is in.
    pub(super) path: Vec<NodeId>,
    /// What that block is called; none at the top.
    pub(super) block: Option<String>,
    /// How many blocks it is in.
    pub(super) depth: usize,
    /// The block, as its place among all statements.
    pub(super) inside: Option<usize>,
    /// Other statements are in it.
    pub(super) opens: bool,
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
    match writer.statement_for(&said.path, said.block.as_deref()).cloned() {
        Some(statement) => writer.statement(&statement, &said.path, said.depth),
        None => writer.unknown(&said.path, said.block.as_deref(), said.depth),
    }
}

/// Appends the value of a leaf as a word, or as the words that it is where the statement takes the rest.
pub(super) fn write_word(tree: &Tree<'_>, said: &Said, grammar: &Grammar, out: &mut Vec<u8>) {
    let mut unused = Vec::new();
    let writer = Writer::new(tree, grammar, &mut unused);
    let statement = writer.statement_for(&said.path, said.block.as_deref());
    let takes_rest = statement.is_none_or(|statement| {
        statement.shape.parts.iter().any(|part| matches!(part, Part::Rest(name) if name == VALUE))
    });
    let value = tree.value(said.node());
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
        self.below(top, &[], None, 0);
        if let Some(comment) = self.behind.take() {
            self.comment(comment, 0);
        }
    }

    /// Notes a statement; gives back the block that was written until then.
    fn note(&mut self, path: &[NodeId], block: Option<&str>, depth: usize, opens: bool) -> Option<usize> {
        let before = self.inside;
        if let Some(log) = &mut self.log {
            let block = block.map(str::to_owned);
            log.push(Said { path: path.to_vec(), block, depth, inside: before, opens });
            self.inside = Some(log.len() - 1);
        }
        before
    }

    /// Everything in a branch, whose place below the block it is in is `path`.
    fn below(&mut self, branch: NodeId, path: &[NodeId], block: Option<&str>, depth: usize) {
        self.below_but(branch, path, block, depth, &[]);
    }

    /// The same without some of it.
    fn below_but(
        &mut self,
        branch: NodeId,
        path: &[NodeId],
        block: Option<&str>,
        depth: usize,
        skip: &[NodeId],
    ) {
        let children: Vec<NodeId> =
            self.tree.children(branch).filter(|child| !skip.contains(child)).collect();
        for (index, &child) in children.iter().enumerate() {
            let said_of = children[index..].iter().find(|node| self.tree.kind(**node) != Kind::Comment);
            let first_of = index == 0 || self.tree.kind(children[index - 1]) != Kind::Comment;
            let opens = said_of.is_some_and(|&node| self.opens(node, path, block));
            let apart = self.is_gap(child);
            if opens && first_of && !apart && self.out.len() > self.start && !self.out.ends_with(b"{\n") {
                self.out.push(b'\n');
            }
            self.node(child, path, block, depth);
        }
    }

    fn is_gap(&self, node: NodeId) -> bool {
        self.tree.kind(node) == Kind::Comment && self.tree.name(node) == BLANK_LINE
    }

    /// The values of a block that its own statement says.
    fn captured_by(&self, branch: NodeId, head: Option<&Statement>) -> Vec<NodeId> {
        let in_path = |head: &Statement, name: &str| head.path.contains(&PathPart::Capture(name.to_owned()));
        let in_head = |head: &Statement, name: &str| head.shape.has(name) && !in_path(head, name);
        let said = |name: &str| name == BODY || name == WORDS || head.is_some_and(|head| in_head(head, name));
        self.tree.children(branch).filter(|&child| said(self.tree.name(child))).collect()
    }

    fn opens(&self, node: NodeId, path: &[NodeId], block: Option<&str>) -> bool {
        path.is_empty()
            && self.tree.kind(node).is_branch()
            && self
                .statement_for(&[node], block)
                .is_some_and(|statement| statement.opens || statement.body_until.is_some())
    }

    /// The statement that makes what is at a path.
    fn statement_for(&self, path: &[NodeId], block: Option<&str>) -> Option<&Statement> {
        let node = *path.last()?;
        self.grammar.statements.iter().find(|statement| {
            statement.stands_in(block)
                && statement.path.len() == path.len()
                && statement.path.iter().zip(path).all(|(step, &node)| {
                    let name = self.tree.name(node);
                    fits_name(step, name) && statement.may_be(step, name)
                })
                && if self.tree.kind(node).is_branch() {
                    !statement.makes_value() && self.has_what_it_needs(statement, node)
                } else {
                    statement.makes_value()
                        && statement.value.as_deref().is_none_or(|value| value == self.tree.value(node))
                }
        })
    }

    /// Whether a branch has all that the shape of a statement cannot do without, and nothing twice that it has once.
    fn has_what_it_needs(&self, statement: &Statement, branch: NodeId) -> bool {
        let in_path =
            |name: &str| statement.path.iter().any(|step| *step == PathPart::Capture(name.to_owned()));
        let count = |name: &str| {
            self.tree
                .children(branch)
                .filter(|&child| self.tree.name(child) == name && self.tree.kind(child) != Kind::Comment)
                .count()
        };
        statement.shape.parts.iter().all(|part| match part {
            Part::Capture(name, choice) => {
                in_path(name)
                    || statement.inside.as_ref().is_some_and(|inside| inside.of == *name)
                    || count(name) == 1
                        && (choice.is_empty()
                            || self
                                .tree
                                .child(branch, name)
                                .is_some_and(|leaf| is_choice(choice, self.tree.value(leaf))))
            }
            Part::Rest(name) => in_path(name) || count(name) == 1,
            Part::Several(name) | Part::List(name, _) => count(name) > 0,
            _ => true,
        }) && self.tree.children(branch).all(|child| {
            // What it has no place for must be a statement of its own.
            statement.opens
                || statement.shape.has(self.tree.name(child))
                || statement.inside.is_some() && self.tree.kind(child).is_value()
                || self.tree.kind(child) == Kind::Comment
                || self.tree.name(child) == BODY && statement.body_until.is_some()
        })
    }

    fn node(&mut self, node: NodeId, path: &[NodeId], block: Option<&str>, depth: usize) {
        if self.tree.kind(node) == Kind::Instruction {
            return;
        }
        if self.is_gap(node) {
            if self.out.len() > self.start {
                self.out.push(b'\n');
            }
            return;
        }
        if self.tree.kind(node) == Kind::Comment {
            let behind = self.tree.name(node) == TRAILING && self.grammar.trailing_comments;
            if !behind {
                self.comment(node, depth);
            } else if let Some(earlier) = self.behind.replace(node) {
                self.comment(earlier, depth);
            }
            return;
        }
        let mut path = path.to_vec();
        path.push(node);
        match self.statement_for(&path, block).cloned() {
            Some(statement) => {
                let opens = statement.opens && self.tree.kind(node).is_branch();
                let before = self.note(&path, block, depth, opens);
                self.statement(&statement, &path, depth);
                self.inside = before;
            }
            None if self.tree.kind(node).is_branch() && self.is_shared(&path, block) => {
                self.below(node, &path, block, depth);
            }
            None => self.unknown(&path, block, depth),
        }
    }

    /// Whether statements with a longer path begin like this one.
    fn is_shared(&self, path: &[NodeId], block: Option<&str>) -> bool {
        self.grammar.statements.iter().any(|statement| {
            statement.stands_in(block)
                && statement.path.len() > path.len()
                && statement.path.iter().zip(path).all(|(step, &node)| fits_name(step, self.tree.name(node)))
        })
    }

    fn comment(&mut self, node: NodeId, depth: usize) {
        let mark = self.grammar.comments.first().map_or("#", String::as_str);
        for line in self.tree.value(node).lines() {
            self.indent(depth);
            // Where nothing is indented, comments may be, to be below one behind a statement.
            let line = if depth == 0 && self.tree.name(node) != TRAILING { line } else { line.trim_start() };
            if !self.grammar.comments.iter().any(|mark| line.trim_start().starts_with(mark.as_str())) {
                self.out.extend_from_slice(mark.as_bytes());
                self.out.push(b' ');
            }
            self.out.extend_from_slice(line.as_bytes());
            self.out.push(b'\n');
        }
    }

    fn indent(&mut self, depth: usize) {
        (0..depth).for_each(|_| self.out.extend_from_slice(self.grammar.indent.as_bytes()));
    }

    fn statement(&mut self, statement: &Statement, path: &[NodeId], depth: usize) {
        let Some(&node) = path.last() else { return };
        self.indent(depth);
        let mut line = Line::default();
        let in_path = |name: &str| {
            let at = statement.path.iter().position(|step| *step == PathPart::Capture(name.to_owned()))?;
            Some(self.tree.name(path[at]))
        };
        self.parts(statement, &statement.shape.parts, node, &in_path, &mut line);
        let line = line.out;
        self.out.extend_from_slice(&line);
        let is_block = statement.opens && self.tree.kind(node).is_branch();
        if is_block && self.grammar.nesting == Nesting::Braces {
            self.out.extend_from_slice(b" {");
            self.end_line();
        } else {
            if !is_block && self.grammar.end_needed {
                self.out.extend(self.grammar.end.unwrap_or(';').to_string().bytes());
            }
            self.end_line();
        }
        if let (Some(until), Some(body)) = (&statement.body_until, self.tree.child(node, BODY)) {
            self.out.extend_from_slice(self.tree.value(body).as_bytes());
            if !self.tree.value(body).is_empty() {
                self.out.push(b'\n');
            }
            self.out.extend_from_slice(until.as_bytes());
            self.out.push(b'\n');
        }
        if is_block {
            self.block(node, Some(statement), depth);
        }
    }

    /// What is in a block that was opened.
    fn block(&mut self, node: NodeId, head: Option<&Statement>, depth: usize) {
        let name = self.tree.name(node).to_owned();
        let said = self.captured_by(node, head);
        self.below_but(node, &[], Some(&name), depth + 1, &said);
        self.close(depth);
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

    fn close(&mut self, depth: usize) {
        match &self.grammar.nesting {
            Nesting::Braces => {
                self.indent(depth);
                self.out.extend_from_slice(b"}\n");
            }
            Nesting::Words(close) => {
                self.indent(depth);
                self.out.extend_from_slice(close.as_bytes());
                self.out.push(b'\n');
            }
            _ => {}
        }
    }

    /// What no statement of the grammar makes: a name and the rest.
    fn unknown(&mut self, path: &[NodeId], block: Option<&str>, depth: usize) {
        let Some(&node) = path.last() else { return };
        let before = self.note(path, block, depth, self.tree.kind(node).is_branch());
        self.unknown_at(node, depth);
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
            if self.grammar.end_needed {
                line.out.extend(self.grammar.end.unwrap_or(';').to_string().bytes());
            }
            let line = line.out;
            self.out.extend_from_slice(&line);
            self.end_line();
            return;
        }
        if let Some(words) = self.tree.child(node, WORDS) {
            line.word(&self.spelling().rest(self.tree.value(words)));
        }
        let line = line.out;
        self.out.extend_from_slice(&line);
        if self.grammar.nesting == Nesting::Braces {
            self.out.extend_from_slice(b" {");
        }
        self.end_line();
        self.block(node, None, depth);
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

fn fits_name(step: &PathPart, name: &str) -> bool {
    match step {
        PathPart::Name(known) => known == name,
        PathPart::Capture(_) => true,
    }
}
