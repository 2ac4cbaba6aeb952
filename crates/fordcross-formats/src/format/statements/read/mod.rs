//! Reading statements, word by word.

mod make;

use super::facts::StatementFact;
use super::scan::{End, Scanner, Word};
use super::shape::{Half, WordKind, Words};
use super::{BODY, Grammar, Inside, Nesting, Part, PathPart, Statement, VALUE, WORDS};
use crate::finding::Finding;
use crate::format::codec::Included;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::ops::Range;

/// How deep blocks may be nested.
const MAX_DEPTH: usize = 512;
/// How deep files may include one another.
const MAX_INCLUDES: usize = 16;
/// How often all that a backup has may be read over by includes, and how many bytes beyond that.
const TIMES_INCLUDED: usize = 16;
const MOST_INCLUDED: usize = 1 << 16;

/// Reads the statements of one file, at `span`, into `top`.
///
/// # Errors
/// The first block that is not closed, closing that closes nothing, quote that is not closed, or
/// statement that lacks its end.
pub(super) fn read_into<'a>(
    tree: &mut Tree<'a>,
    top: NodeId,
    span: Span,
    grammar: &Grammar,
    included: &Included<'_>,
) -> Result<(), Box<Finding>> {
    let source = tree.source();
    let mut reader = Reader {
        source,
        grammar,
        scan: Scanner { source, grammar },
        included,
        tree,
        blocks: vec![Block { node: top, name: None, indent: 0, open: span }],
        made: FxHashMap::default(),
        line: (0, 0),
        including: Vec::new(),
        included_bytes: 0,
        comments: Vec::new(),
    };
    reader.file(span)?;
    reader.end_blocks(1, span.end as usize);
    reader.add_comments(top);
    Ok(())
}

/// A block that statements are in.
struct Block {
    node: NodeId,
    name: Option<String>,
    /// How far in the statement is that opened it.
    indent: usize,
    /// Where it was opened.
    open: Span,
}

struct Reader<'r, 'a> {
    source: Source<'a>,
    grammar: &'r Grammar,
    scan: Scanner<'r, 'a>,
    included: &'r Included<'r>,
    tree: &'r mut Tree<'a>,
    blocks: Vec<Block>,
    /// Branches that statements share, by what holds them and their name.
    made: FxHashMap<(NodeId, String), NodeId>,
    /// A place that was looked at, and where its line begins.
    line: (usize, usize),
    including: Vec<Span>,
    /// How much was read of files that are in place of statements.
    included_bytes: usize,
    /// Comments before a statement: they go where that makes something new.
    comments: Vec<Span>,
}

impl<'a> Reader<'_, 'a> {
    fn file(&mut self, span: Span) -> Result<(), Box<Finding>> {
        let depth = self.blocks.len();
        let (mut at, end) = (span.start as usize, span.end as usize);
        while at < end {
            at = self.statement(at, end)?;
        }
        if matches!(self.grammar.nesting, Nesting::Braces | Nesting::Words(_))
            && let Some(open) = self.blocks.get(depth)
        {
            return Err(self.scan.wrong(open.open, StatementFact::BlockOpen));
        }
        Ok(())
    }

    /// Where the line of a place begins. Places come one after the other, so what was looked at is not again.
    fn line_start(&mut self, at: usize) -> usize {
        let (seen, known) = if self.line.0 <= at { self.line } else { (0, 0) };
        let start = self.source.text[seen..at].rfind('\n').map_or(known, |newline| seen + newline + 1);
        self.line = (at, start);
        start
    }

    /// Reads what begins at `at`; says where the next begins.
    fn statement(&mut self, at: usize, end: usize) -> Result<usize, Box<Finding>> {
        let text = &self.source.text[..end];
        let lead = text[at..].len() - text[at..].trim_start().len();
        let at = at + lead;
        let line_start = self.line_start(at);
        if at == end {
            return Ok(end);
        }
        if let Some(length) = self.scan.comment_at(&text[at..]) {
            self.comment(Span::new(at, at + length));
            return Ok(at + length);
        }
        let indent = at - line_start.min(at);
        let (words, after, how) = self.scan.words(at, end)?;
        if words.is_empty() {
            return match how {
                End::Closed => {
                    self.close_brace(Span::new(after - 1, after))?;
                    Ok(after)
                }
                End::Opened => {
                    Err(self.scan.wrong(Span::new(after - 1, after), StatementFact::BlockNameless))
                }
                _ => Ok(after),
            };
        }
        let whole =
            Span::new(words[0].span.start as usize, words.last().map_or(at, |word| word.span.end as usize));
        if self.grammar.end_needed && matches!(how, End::Line | End::Closed) {
            let end = self.grammar.end.unwrap_or(';');
            return Err(self.scan.wrong(whole, StatementFact::Unended { end }));
        }
        if self.grammar.nesting == Nesting::Indent {
            let keep = self.blocks.iter().skip(1).take_while(|block| indent > block.indent).count() + 1;
            self.end_blocks(keep, at);
        }
        if let Nesting::Words(close) = &self.grammar.nesting
            && words.len() == 1
            && words[0].text == close.as_str()
        {
            if self.blocks.len() == 1 {
                let fact = StatementFact::ClosesNothing { close: close.clone() };
                return Err(self.scan.wrong(whole, fact));
            }
            self.add_comments(self.blocks[self.blocks.len() - 1].node);
            let keep = self.blocks.len() - 1;
            self.end_blocks(keep, after);
            return Ok(after);
        }
        let after = self.make(&words, whole, indent, how == End::Opened, after, end)?;
        if how == End::Closed {
            self.close_brace(Span::new(after - 1, after))?;
        }
        Ok(after)
    }

    fn close_brace(&mut self, span: Span) -> Result<(), Box<Finding>> {
        if self.blocks.len() == 1
            || self
                .including
                .last()
                .is_some_and(|file| self.blocks[self.blocks.len() - 1].open.start < file.start)
        {
            return Err(self.scan.wrong(span, StatementFact::ClosesNothing { close: "}".to_owned() }));
        }
        self.add_comments(self.blocks[self.blocks.len() - 1].node);
        let keep = self.blocks.len() - 1;
        self.end_blocks(keep, span.end as usize);
        Ok(())
    }

    /// Ends all blocks but the first so many; what they hold ends before `at`.
    fn end_blocks(&mut self, keep: usize, at: usize) {
        while self.blocks.len() > keep.max(1) {
            let Some(block) = self.blocks.pop() else { break };
            let end = self.source.text[..at].trim_end().len().max(block.open.end as usize);
            self.tree.set_end(block.node, end);
        }
    }

    fn comment(&mut self, span: Span) {
        self.comments.push(span);
        let before = &self.source.text[..span.start as usize];
        if !before.rsplit('\n').next().unwrap_or("").trim().is_empty() {
            // Behind a statement it is said of that.
            self.add_comments(self.blocks[self.blocks.len() - 1].node);
        }
    }

    fn add_comments(&mut self, holder: NodeId) {
        for span in std::mem::take(&mut self.comments) {
            let comment = self.tree.push(holder, Kind::Comment, "", span);
            self.tree.set_value(comment, Text::Borrowed(span));
        }
    }

    /// Makes what a statement stands for; says where the next one begins.
    fn make(
        &mut self,
        words: &[Word<'a>],
        whole: Span,
        indent: usize,
        brace: bool,
        after: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let grammar = self.grammar;
        if grammar.nesting == Nesting::UntilNext && self.blocks.len() > 1 {
            let at_top = |statement: &&Statement| statement.stands_in(None);
            if self.fitting(words, at_top).is_some() {
                // Comments before it are said of it.
                let first = self.comments.first().map_or(whole.start, |comment| comment.start);
                self.end_blocks(1, first as usize);
            }
        }
        let block = self.blocks[self.blocks.len() - 1].name.clone();
        let stands =
            |statement: &&Statement| statement.stands_in(block.as_deref()) && (!brace || statement.opens);
        let Some((statement, taken)) = self.fitting(words, stands) else {
            return self.make_unknown(words, whole, indent, brace, after);
        };
        let statement = statement.clone();
        let taken: Vec<(Part, Range<usize>)> = taken.into_iter().map(|(p, r)| (p.clone(), r)).collect();
        let text_of = |name: &str| {
            taken.iter().find_map(|(part, range)| match part {
                Part::Capture(known, _) | Part::Rest(known) if known == name => Some(range.clone()),
                _ => None,
            })
        };
        // The files that are in its place: it is then structure, and no setting.
        let files = statement.includes.as_ref().map(|includes| -> Result<_, Box<Finding>> {
            let range = text_of(&includes.of);
            let said = range.map(|range| words[range.start].text.as_ref()).unwrap_or_default();
            // Where quotes are kept, those around a path are no part of it.
            let pattern = grammar.bare(said).to_owned();
            let files = (self.included)(&pattern, whole, includes)?;
            Ok((pattern, files))
        });
        let files = files.transpose()?.filter(|(_, files)| !files.is_empty());
        let mut node = self.blocks[self.blocks.len() - 1].node;
        if let Some((pattern, files)) = files {
            self.add_comments(node);
            let name = statement.path.last().map_or("", PathPart::text);
            let included = self.tree.push(node, Kind::Instruction, name, whole);
            self.tree.set_value(included, Text::Decoded(&pattern));
            self.include(&files, whole)?;
            return Ok(after);
        }
        for (index, step) in statement.path.iter().enumerate() {
            let name = match step {
                PathPart::Name(name) => name.clone(),
                PathPart::Capture(name) => {
                    text_of(name).map_or_else(String::new, |range| words[range.start].text.to_string())
                }
            };
            let is_last = index + 1 == statement.path.len();
            if is_last || !self.made.contains_key(&(node, name.clone())) {
                self.add_comments(node);
            }
            if is_last && statement.makes_value() {
                let leaf = self.tree.push(node, Kind::Text, &name, whole);
                match (&statement.value, text_of(VALUE)) {
                    (Some(value), _) => self.tree.set_value(leaf, Text::Decoded(value)),
                    (None, Some(range)) => {
                        self.set_words(leaf, words, range, statement.shape.parts.last());
                        self.unquote(leaf, &statement);
                    }
                    (None, None) => {}
                }
                node = leaf;
            } else if is_last {
                node = self.tree.push(node, Kind::Map, &name, whole);
            } else {
                let key = (node, name);
                node = match self.made.get(&key) {
                    Some(&known) => {
                        self.tree.set_end(known, whole.end as usize);
                        known
                    }
                    None => {
                        let made = self.tree.push(node, Kind::Map, &key.1, whole);
                        self.made.insert(key, made);
                        made
                    }
                };
            }
        }
        if !statement.makes_value() {
            self.captures(node, words, &taken, &statement);
        }
        let mut after = after;
        if let Some(until) = &statement.body_until {
            after = self.body(node, whole, until, after, end)?;
        }
        if statement.opens && (brace || grammar.nesting != Nesting::Braces) {
            let name = self.tree.name(node).to_owned();
            self.open(node, name, indent, whole)?;
        }
        Ok(after)
    }

    fn open(&mut self, node: NodeId, name: String, indent: usize, open: Span) -> Result<(), Box<Finding>> {
        if self.blocks.len() > MAX_DEPTH {
            return Err(self.scan.wrong(open, StatementFact::TooDeep { most: MAX_DEPTH }));
        }
        self.blocks.push(Block { node, name: Some(name), indent, open });
        Ok(())
    }

    fn fitting<'g>(
        &'g self,
        words: &'g [Word<'a>],
        stands: impl Fn(&&'g Statement) -> bool,
    ) -> Option<(&'g Statement, super::shape::Taken<'g>)> {
        let word = |index: usize| (words[index].text.as_ref(), words[index].kind);
        self.grammar.statements.iter().filter(stands).find_map(|statement| {
            let words_of = Words { count: words.len(), word: &word, any_case: self.grammar.any_case };
            let taken = statement.shape.fit(&words_of)?;
            let fits = statement.inside.as_ref().is_none_or(|inside| {
                let text = taken.iter().find_map(|(part, range)| part.captures(&inside.of).then_some(range));
                text.is_some_and(|range| inside.has_pairs(&words[range.start].text))
            });
            fits.then_some((statement, taken))
        })
    }

    /// Gives a leaf the text of some words: of one its meaning, of several how they are there.
    fn set_words(&mut self, leaf: NodeId, words: &[Word<'a>], range: Range<usize>, part: Option<&Part>) {
        let as_is = range.len() > 1 || matches!(part, Some(Part::Rest(_)));
        if !as_is {
            return self.set_word(leaf, &words[range.start]);
        }
        // A rest that is one word in quotes means what is in them.
        if range.len() == 1 && words[range.start].kind == WordKind::Quoted && !self.grammar.keeps_quotes {
            return self.set_word(leaf, &words[range.start]);
        }
        let span = Span::new(words[range.start].span.start as usize, words[range.end - 1].span.end as usize);
        let raw = &self.source.text[span.range()];
        match self.grammar.continues.filter(|_| raw.contains('\n')) {
            Some(continues) => {
                let lines = raw.lines().map(|line| line.trim_end().trim_end_matches(continues).trim());
                let joined: Vec<&str> = lines.filter(|line| !line.is_empty()).collect();
                self.tree.set_value(leaf, Text::Decoded(&joined.join(" ")));
            }
            None if raw.contains('\n') => {
                let lines: Vec<&str> = raw.lines().map(str::trim).collect();
                self.tree.set_value(leaf, Text::Decoded(&lines.join(" ")));
            }
            None => self.tree.set_value(leaf, Text::Borrowed(span)),
        }
    }

    /// Takes the quotes off that the value of a statement may be in.
    fn unquote(&mut self, leaf: NodeId, statement: &Statement) {
        let value = self.tree.value(leaf);
        let bare = |quote: char| value.strip_prefix(quote)?.strip_suffix(quote).map(str::len);
        if let Some(length) = statement.unquote.and_then(bare)
            && let Some(span) = self.tree.value_span(leaf)
        {
            let start = span.start as usize + 1;
            self.tree.set_value(leaf, Text::Borrowed(Span::new(start, start + length)));
        }
    }

    fn set_word(&mut self, leaf: NodeId, word: &Word<'a>) {
        match &word.text {
            Cow::Borrowed(_) => self.tree.set_value(leaf, Text::Borrowed(word.span)),
            Cow::Owned(text) => {
                // Between the quotes it may be just so.
                let inner = Span::new(word.span.start as usize + 1, (word.span.end as usize).max(2) - 1);
                let same = inner.start <= inner.end && self.source.text.get(inner.range()) == Some(text);
                let value = if same { Text::Borrowed(inner) } else { Text::Decoded(text) };
                self.tree.set_value(leaf, value);
            }
        }
    }

    fn include(&mut self, files: &[Span], whole: Span) -> Result<(), Box<Finding>> {
        if self.including.len() >= MAX_INCLUDES || files.iter().any(|file| self.including.contains(file)) {
            return Err(self.scan.wrong(whole, StatementFact::IncludeCircle));
        }
        for &file in files {
            // What is included twice is read twice, and so is what that includes.
            self.included_bytes += file.range().len();
            if self.included_bytes > MOST_INCLUDED + TIMES_INCLUDED * self.source.text.len() {
                return Err(self.scan.wrong(whole, StatementFact::IncludeSize { times: TIMES_INCLUDED }));
            }
            self.including.push(file);
            self.file(file)?;
            self.including.pop();
        }
        Ok(())
    }
}

fn words_span(words: &[Word<'_>], range: &Range<usize>) -> Span {
    Span::new(words[range.start].span.start as usize, words[range.end - 1].span.end as usize)
}
