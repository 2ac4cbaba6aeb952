//! Reading statements, word by word.

mod make;
mod open;

use super::blocks::{Block as Declared, BlockId, Delimiters, StatementId, TOP, Unknown};
use super::facts::StatementFact;
use super::scan::{Ended, Scanned, Scanner, Word};
use super::shape::{Half, Taken, WordKind, Words};
use super::{BODY, Grammar, Part, Statement, UNKNOWN, VALUE, WORDS};
use crate::finding::Finding;
use crate::format::codec::Included;
use crate::text::shape::Shape;
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
        blocks: vec![Block { node: top, id: Some(TOP), closes: Closes::Never, indent: 0, open: span }],
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
    /// What the profile says of it; nothing, where a statement opened it that no shape fits.
    id: Option<BlockId>,
    closes: Closes,
    /// How far in the statement is that opened it.
    indent: usize,
    /// Where it was opened.
    open: Span,
}

/// What closes a block.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Closes {
    /// Nothing but the end of the file.
    Never,
    /// A sign, and what must be behind it.
    Sign(char, String),
    /// A statement that is this word.
    Word(String),
    /// One that is no further in.
    Indent,
    /// One of the block around.
    NextSection,
}

/// Which statement takes words, what each of its parts took, and the block that it is in, by its place among those open.
type Found<'g> = (usize, StatementId, Taken<'g>);

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

impl<'r, 'a> Reader<'r, 'a> {
    fn file(&mut self, span: Span) -> Result<(), Box<Finding>> {
        let depth = self.blocks.len();
        let (mut at, end) = (span.start as usize, span.end as usize);
        while at < end {
            at = self.statement(at, end)?;
        }
        let is_open = |block: &&Block| matches!(block.closes, Closes::Sign(..) | Closes::Word(_));
        if let Some(open) = self.blocks.iter().skip(depth).find(is_open) {
            return Err(self.scan.wrong(open.open, StatementFact::BlockOpen));
        }
        Ok(())
    }

    fn innermost(&self) -> &Block {
        &self.blocks[self.blocks.len() - 1]
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
        if let Some(length) = self.grammar.comment_at(text, at) {
            self.comment(Span::new(at, at + length))?;
            return Ok(at + length);
        }
        let indent = at - line_start.min(at);
        let openers = self.openers();
        let mut read = self.scan.words(at, end, &openers)?;
        if read.words.is_empty() {
            let span = Span::new(read.after - 1, read.after);
            return match read.how {
                Ended::Closed(sign) => self.close_sign(sign, span, end),
                Ended::Opened(_) => Err(self.scan.wrong(span, StatementFact::BlockNameless)),
                _ => Ok(read.after),
            };
        }
        if self.innermost().closes == Closes::Indent {
            let is_in = |block: &&Block| block.closes != Closes::Indent || indent > block.indent;
            let keep = self.blocks.iter().skip(1).take_while(is_in).count() + 1;
            self.end_blocks(keep, at);
        }
        if matches!(read.how, Ended::OpenedByWord(_)) && self.find(&read.words, read.how).is_none() {
            // Where no statement opens a block so, it is a word like any other.
            read = self.scan.words(at, end, &[])?;
        }
        let whole = whole_of(&read.words);
        if let [only] = read.words.as_slice()
            && let Some(after) = self.close_word(only, read.after)?
        {
            return Ok(after);
        }
        for comment in &read.comments {
            self.check_comment(*comment)?;
        }
        self.make(&read, whole, indent, end)
    }

    /// The blocks that a word may open here.
    fn openers(&self) -> Vec<(BlockId, &'r Shape)> {
        let grammar = self.grammar;
        let Some(id) = self.innermost().id else { return Vec::new() };
        if !grammar.opens_by_word() {
            return Vec::new();
        }
        let opened = grammar.statements_of(id).into_iter().filter_map(|id| grammar.statement(id).block);
        let by_word = opened.filter_map(|block| match &grammar.block(block).delimiters {
            Delimiters::Words { open: Some(open), .. } => Some((block, open)),
            _ => None,
        });
        by_word.collect()
    }

    /// Closes the block that a sign closes; says where what is behind it begins.
    fn close_sign(&mut self, sign: char, span: Span, end: usize) -> Result<usize, Box<Finding>> {
        let is_in_file =
            |block: &Block| self.including.last().is_none_or(|file| block.open.start >= file.start);
        // What has no closing of its own ends with what is around it.
        let ends_with = |block: &Block| matches!(block.closes, Closes::Indent | Closes::NextSection);
        let open = self.blocks.iter().rposition(|block| !ends_with(block)).unwrap_or(0);
        let block = &self.blocks[open];
        let behind = match &block.closes {
            Closes::Sign(close, behind) if *close == sign && is_in_file(block) => behind.clone(),
            _ => {
                let fact = StatementFact::ClosesNothing { close: sign.to_string() };
                return Err(self.scan.wrong(span, fact));
            }
        };
        let mut after = span.end as usize;
        if !behind.is_empty() {
            let rest = &self.source.text[after..end];
            let blanks = rest.len() - rest.trim_start().len();
            if !rest[blanks..].starts_with(behind.as_str()) {
                return Err(self.scan.wrong(span, StatementFact::BehindMissing { sign: behind }));
            }
            after += blanks + behind.len();
        }
        self.add_comments(self.innermost().node);
        self.end_blocks(open, after);
        Ok(after)
    }

    /// Closes the block that a word closes, if it is that one.
    fn close_word(&mut self, word: &Word<'a>, after: usize) -> Result<Option<usize>, Box<Finding>> {
        let is_it = |closes: &Closes| matches!(closes, Closes::Word(close) if *close == word.text);
        let ends_with = |block: &Block| matches!(block.closes, Closes::Indent | Closes::NextSection);
        let open = self.blocks.iter().rposition(|block| !ends_with(block)).unwrap_or(0);
        if is_it(&self.blocks[open].closes) {
            self.add_comments(self.innermost().node);
            self.end_blocks(open, after);
            return Ok(Some(after));
        }
        let closes_some = |block: &Declared| match &block.delimiters {
            Delimiters::Words { close, .. } => close.as_literal() == Some(&*word.text) && !block.holds_text,
            _ => false,
        };
        if self.grammar.blocks.iter().any(closes_some) {
            let fact = StatementFact::ClosesNothing { close: word.text.to_string() };
            return Err(self.scan.wrong(word.span, fact));
        }
        Ok(None)
    }

    /// Ends all blocks but the first so many; what they hold ends before `at`.
    fn end_blocks(&mut self, keep: usize, at: usize) {
        while self.blocks.len() > keep.max(1) {
            let Some(block) = self.blocks.pop() else { break };
            let end = self.source.text[..at].trim_end().len().max(block.open.end as usize);
            self.tree.set_end(block.node, end);
        }
    }

    /// A comment in a pair must be closed.
    fn check_comment(&self, span: Span) -> Result<(), Box<Finding>> {
        let text = &self.source.text[span.range()];
        let sign = self.grammar.comments.iter().find(|sign| text.starts_with(sign.open.as_str()));
        match sign.and_then(|sign| sign.close.as_deref().map(|close| (sign.open.len(), close))) {
            Some((from, close)) if text.len() < from + close.len() || !text.ends_with(close) => {
                let start = span.start as usize;
                let fact = StatementFact::CommentOpen { close: close.to_owned() };
                Err(self.scan.wrong(Span::new(start, start + from), fact))
            }
            _ => Ok(()),
        }
    }

    fn comment(&mut self, span: Span) -> Result<(), Box<Finding>> {
        self.check_comment(span)?;
        self.comments.push(span);
        let before = &self.source.text[..span.start as usize];
        if !before.rsplit('\n').next().unwrap_or("").trim().is_empty() {
            // Behind a statement it is said of that.
            self.add_comments(self.blocks[self.blocks.len() - 1].node);
        }
        Ok(())
    }

    fn add_comments(&mut self, holder: NodeId) {
        for span in std::mem::take(&mut self.comments) {
            let comment = self.tree.push(holder, Kind::Comment, "", span);
            self.tree.set_value(comment, Text::Borrowed(span));
        }
    }

    /// The statement that takes words, in the innermost block or, where that ends with the next section, in those around.
    fn find(&self, words: &[Word<'a>], how: Ended) -> Option<Found<'r>> {
        self.find_at(self.blocks.len() - 1, words, how)
    }

    fn find_at(&self, level: usize, words: &[Word<'a>], how: Ended) -> Option<Found<'r>> {
        let block = &self.blocks[level];
        let grammar = self.grammar;
        let mut around = || {
            let goes_out = block.closes == Closes::NextSection && level > 0;
            if goes_out { self.find_at(level - 1, words, how) } else { None }
        };
        grammar.find(block.id?, &mut around, &mut |id| {
            let statement = grammar.statement(id);
            if !opens_as(grammar, statement, how) {
                return None;
            }
            let words = if matches!(how, Ended::OpenedByWord(_)) { &words[..words.len() - 1] } else { words };
            let taken = fitting(grammar, statement, words)?;
            // What is called like what is kept as it is could not be told from it.
            let is_reserved =
                grammar.block(block.id?).unknown == Unknown::Keep && makes_unknown(statement, &taken, words);
            (!is_reserved).then_some((level, id, taken))
        })
    }

    /// Gives a leaf the text of some words: of one its meaning, of several how they are there.
    fn set_words(&mut self, leaf: NodeId, words: &[Word<'a>], range: Range<usize>, part: Option<&Part>) {
        let as_is = range.len() > 1 || matches!(part, Some(Part::Rest(_)));
        if !as_is {
            return self.set_word(leaf, &words[range.start]);
        }
        // A rest that is one word in quotes means what is in them.
        if range.len() == 1 && words[range.start].kind == WordKind::Quoted && !self.grammar.quotes_matter {
            return self.set_word(leaf, &words[range.start]);
        }
        let span = Span::new(words[range.start].span.start as usize, words[range.end - 1].span.end as usize);
        let raw = &self.source.text[span.range()];
        match self.grammar.continuation.filter(|_| raw.contains('\n')) {
            Some(continuation) => {
                let lines = raw.lines().map(|line| line.trim_end().trim_end_matches(continuation).trim());
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

/// Whether a statement opens a block just as what was read does.
fn opens_as(grammar: &Grammar, statement: &Statement, how: Ended) -> bool {
    match (statement.block.map(|block| (block, &grammar.block(block).delimiters)), how) {
        (Some((_, Delimiters::Signs { open, .. })), Ended::Opened(sign)) => *open == sign,
        (Some((block, Delimiters::Words { open: Some(_), .. })), Ended::OpenedByWord(opened)) => {
            block == opened
        }
        (Some((_, Delimiters::Signs { .. } | Delimiters::Words { open: Some(_), .. })), _)
        | (_, Ended::Opened(_) | Ended::OpenedByWord(_)) => false,
        _ => true,
    }
}

/// What the parts of a statement take of words, if it fits.
fn fitting<'g>(grammar: &'g Grammar, statement: &'g Statement, words: &[Word<'_>]) -> Option<Taken<'g>> {
    let word = |index: usize| (words[index].text.as_ref(), words[index].kind);
    let words_of = Words { count: words.len(), word: &word, any_case: grammar.any_case };
    let taken = statement.shape.fit(&words_of)?;
    let has_pairs = statement.pairs.iter().all(|(name, pairs)| {
        let text = taken.iter().find_map(|(part, range)| part.captures(name).then_some(range));
        text.is_none_or(|range| pairs.fits(&words[range.start].text))
    });
    has_pairs.then_some(taken)
}

/// Whether what a statement makes would be called like one that is kept as it is.
fn makes_unknown(statement: &Statement, taken: &Taken<'_>, words: &[Word<'_>]) -> bool {
    let [only] = statement.path.as_slice() else { return false };
    let Some(capture) = only.as_capture() else { return only.as_literal() == Some(UNKNOWN) };
    let range = taken.iter().find_map(|(part, range)| part.captures(capture).then_some(range));
    range.is_some_and(|range| words[range.start].text == UNKNOWN)
}

fn whole_of(words: &[Word<'_>]) -> Span {
    let end = words.last().map_or(0, |word| word.span.end as usize);
    Span::new(words.first().map_or(end, |word| word.span.start as usize), end)
}

fn words_span(words: &[Word<'_>], range: &Range<usize>) -> Span {
    Span::new(words[range.start].span.start as usize, words[range.end - 1].span.end as usize)
}
