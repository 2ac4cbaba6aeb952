//! Reading statements, word by word.

use super::shape::{Half, WordKind};
use super::{BODY, Grammar, Nesting, Part, PathPart, Statement, VALUE, WORDS};
use crate::finding::{Code, Finding};
use crate::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::ops::Range;

/// How deep blocks may be nested.
const MAX_DEPTH: usize = 512;
/// How deep files may include one another.
const MAX_INCLUDES: usize = 16;

/// Which places of the text the files of a name have, seen from the file that includes them.
pub(crate) type Included<'i> = dyn Fn(&str, Span) -> Vec<Span> + 'i;

/// Reads the statements of one file, at `span`, into `top`.
///
/// # Errors
/// The first block that is not closed, closing that closes nothing, quote that is not closed, or
/// statement that lacks its end.
pub(crate) fn read_into<'a>(
    tree: &mut Tree<'a>,
    top: NodeId,
    span: Span,
    grammar: &Grammar,
    included: &Included<'_>,
) -> Result<(), Box<Finding>> {
    let mut reader = Reader {
        source: tree.source(),
        grammar,
        included,
        tree,
        blocks: vec![Block { node: top, name: None, indent: 0, open: span }],
        made: FxHashMap::default(),
        including: Vec::new(),
    };
    reader.file(span)?;
    reader.end_blocks(1, span.end as usize);
    Ok(())
}

/// A block that statements stand in.
struct Block {
    node: NodeId,
    name: Option<String>,
    /// How far in the statement stands that opened it.
    indent: usize,
    /// Where it was opened.
    open: Span,
}

/// A word of a statement.
#[derive(Debug)]
struct Word<'a> {
    span: Span,
    text: Cow<'a, str>,
    kind: WordKind,
}

/// What a statement ended with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum End {
    Line,
    Mark,
    Opened,
    Closed,
}

struct Reader<'r, 'a> {
    source: Source<'a>,
    grammar: &'r Grammar,
    included: &'r Included<'r>,
    tree: &'r mut Tree<'a>,
    blocks: Vec<Block>,
    /// Branches that statements share, by what holds them and their name.
    made: FxHashMap<(NodeId, String), NodeId>,
    including: Vec<Span>,
}

impl<'a> Reader<'_, 'a> {
    /// The line itself is not shown: it may hold a secret.
    fn wrong(&self, span: Span, message: &str, help: &str) -> Box<Finding> {
        Box::new(Finding::new(Code::StatementMalformed, message.to_owned()).at(self.source, span).help(help))
    }

    fn file(&mut self, span: Span) -> Result<(), Box<Finding>> {
        let depth = self.blocks.len();
        let (mut at, end) = (span.start as usize, span.end as usize);
        while at < end {
            at = self.statement(at, end)?;
        }
        if matches!(self.grammar.nesting, Nesting::Braces | Nesting::Words(_))
            && let Some(open) = self.blocks.get(depth)
        {
            return Err(self.wrong(
                open.open,
                "a block that is not closed",
                "close it; if the file is cut off, fetch it again",
            ));
        }
        Ok(())
    }

    /// Reads what begins at `at`; says where the next begins.
    fn statement(&mut self, at: usize, end: usize) -> Result<usize, Box<Finding>> {
        let text = &self.source.text[..end];
        let lead = text[at..].len() - text[at..].trim_start().len();
        let line_start = text[..at + lead].rfind('\n').map_or(0, |newline| newline + 1);
        let at = at + lead;
        if at == end {
            return Ok(end);
        }
        if let Some(length) = self.comment_at(&text[at..]) {
            self.comment(Span::new(at, at + length));
            return Ok(at + length);
        }
        let indent = at - line_start.min(at);
        let (words, after, how) = self.words(at, end)?;
        if words.is_empty() {
            return match how {
                End::Closed => {
                    self.close_brace(Span::new(after - 1, after))?;
                    Ok(after)
                }
                End::Opened => Err(self.wrong(
                    Span::new(after - 1, after),
                    "a block without anything that opens it",
                    "say before `{` what it is",
                )),
                _ => Ok(after),
            };
        }
        let whole =
            Span::new(words[0].span.start as usize, words.last().map_or(at, |word| word.span.end as usize));
        if self.grammar.end_needed && matches!(how, End::Line | End::Closed) {
            let end = self.grammar.end.unwrap_or(';');
            return Err(self.wrong(
                whole,
                &format!("a statement without `{end}` at its end"),
                "end it; if the file is cut off, fetch it again",
            ));
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
                let message = format!("`{close}` closes nothing");
                return Err(self.wrong(whole, &message, "take it out, or open what it closes"));
            }
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
            return Err(self.wrong(span, "`}` closes nothing", "take it out, or open what it closes"));
        }
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

    fn comment_at(&self, text: &str) -> Option<usize> {
        let is = |mark: &String| text.starts_with(mark.as_str());
        self.grammar.comments.iter().any(is).then(|| {
            let line = text.find('\n').unwrap_or(text.len());
            text[..line].trim_end().len()
        })
    }

    fn comment(&mut self, span: Span) {
        let holder = self.blocks[self.blocks.len() - 1].node;
        let comment = self.tree.push(holder, Kind::Comment, "", span);
        self.tree.set_value(comment, Text::Borrowed(span));
    }

    /// The words of the statement that begins at `at`, where it ends, and how. What stands behind it on its
    /// line as a comment is a statement of its own for the next call.
    fn words(&self, at: usize, end: usize) -> Result<(Vec<Word<'a>>, usize, End), Box<Finding>> {
        let grammar = self.grammar;
        let text = &self.source.text[..end];
        let braces = grammar.nesting == Nesting::Braces;
        let mut words: Vec<Word<'a>> = Vec::new();
        let mut at = at;
        loop {
            let Some(c) = text[at..].chars().next() else { return Ok((words, at, End::Line)) };
            if c == '\n' {
                if grammar.end_needed && !words.is_empty() {
                    at += 1;
                    continue;
                }
                return Ok((words, at + 1, End::Line));
            }
            if c.is_whitespace() {
                at += c.len_utf8();
            } else if grammar.continues == Some(c) && ends_line(&text[at + c.len_utf8()..]) {
                at += text[at..].find('\n').map_or(text.len() - at, |newline| newline + 1);
            } else if grammar.end == Some(c) {
                return Ok((words, at + c.len_utf8(), End::Mark));
            } else if braces && c == '{' {
                return Ok((words, at + 1, End::Opened));
            } else if braces && c == '}' {
                // What stands before it ends with it; it is read again when that is done with.
                return Ok(if words.is_empty() {
                    (words, at + 1, End::Closed)
                } else {
                    (words, at, End::Line)
                });
            } else if grammar.trailing_comments && !words.is_empty() && self.comment_at(&text[at..]).is_some()
            {
                if grammar.end_needed {
                    at += self.comment_at(&text[at..]).unwrap_or(0);
                    continue;
                }
                return Ok((words, at, End::Line));
            } else {
                let (word, after) = self.word(at, end)?;
                words.push(word);
                at = after;
            }
        }
    }

    fn word(&self, start: usize, end: usize) -> Result<(Word<'a>, usize), Box<Finding>> {
        let grammar = self.grammar;
        let text: &'a str = &self.source.text[..end];
        let first = text[start..].chars().next().unwrap_or(' ');
        if grammar.marks.contains(&first) {
            let span = Span::new(start, start + first.len_utf8());
            return Ok((
                Word { span, text: Cow::Borrowed(&text[span.range()]), kind: WordKind::Mark },
                span.end as usize,
            ));
        }
        let mut at = start;
        let mut quoted = false;
        let mut decoded: Option<String> = None;
        while let Some(c) = text[at..].chars().next() {
            if grammar.quotes.contains(&c) {
                let (inner, after) = self.quoted(at, c, end)?;
                quoted = true;
                if !grammar.keeps_quotes {
                    decoded.get_or_insert_with(|| text[start..at].to_owned()).push_str(&inner);
                }
                at = after;
                continue;
            }
            let braces = grammar.nesting == Nesting::Braces && matches!(c, '{' | '}');
            let comment = grammar.trailing_comments && at > start && self.comment_at(&text[at..]).is_some();
            let continues = grammar.continues == Some(c) && ends_line(&text[at + c.len_utf8()..]);
            if c.is_whitespace()
                || grammar.end == Some(c)
                || grammar.marks.contains(&c)
                || braces
                || comment
                || continues
            {
                break;
            }
            if let Some(decoded) = &mut decoded {
                decoded.push(c);
            }
            at += c.len_utf8();
        }
        let span = Span::new(start, at);
        let text = decoded.map_or(Cow::Borrowed(&text[span.range()]), Cow::Owned);
        let kind = if quoted { WordKind::Quoted } else { WordKind::Plain };
        Ok((Word { span, text, kind }, at))
    }

    /// The text in quotes at `start`, and where it ends.
    fn quoted(&self, start: usize, quote: char, end: usize) -> Result<(String, usize), Box<Finding>> {
        let escape = self.grammar.escape;
        let text = &self.source.text[..end];
        let mut inner = String::new();
        let mut chars = text[start + quote.len_utf8()..].char_indices().peekable();
        while let Some((offset, c)) = chars.next() {
            let after = start + quote.len_utf8() + offset + c.len_utf8();
            match c {
                '\\' if escape.slashes() => match chars.next() {
                    Some((_, 'n')) => inner.push('\n'),
                    Some((_, 't')) => inner.push('\t'),
                    Some((_, other)) => inner.push(other),
                    None => break,
                },
                c if c == quote => match chars.peek() {
                    Some((_, next)) if *next == quote && escape.doubles() => {
                        chars.next();
                        inner.push(quote);
                    }
                    _ => return Ok((inner, after)),
                },
                '\n' if !self.grammar.end_needed => break,
                c => inner.push(c),
            }
        }
        let span = Span::new(start, start + quote.len_utf8());
        Err(self.wrong(span, "quotes that are not closed", "close them on the same line"))
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
                self.end_blocks(1, whole.start as usize);
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
        let mut node = self.blocks[self.blocks.len() - 1].node;
        for (index, step) in statement.path.iter().enumerate() {
            let name = match step {
                PathPart::Name(name) => name.clone(),
                PathPart::Capture(name) => {
                    text_of(name).map_or_else(String::new, |range| words[range.start].text.to_string())
                }
            };
            let is_last = index + 1 == statement.path.len();
            if is_last && statement.makes_value() {
                let leaf = self.tree.push(node, Kind::Text, &name, whole);
                match (&statement.value, text_of(VALUE)) {
                    (Some(value), _) => self.tree.set_value(leaf, Text::Decoded(value)),
                    (None, Some(range)) => self.set_words(leaf, words, range, statement.shape.parts.last()),
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
        if let Some(name) = &statement.includes {
            let range = text_of(name);
            let pattern = range.map(|range| words[range.start].text.to_string()).unwrap_or_default();
            self.include(&pattern, whole)?;
        }
        if statement.opens && (brace || grammar.nesting != Nesting::Braces) {
            let name = self.tree.name(node).to_owned();
            self.open(node, name, indent, whole)?;
        }
        Ok(after)
    }

    fn open(&mut self, node: NodeId, name: String, indent: usize, open: Span) -> Result<(), Box<Finding>> {
        if self.blocks.len() > MAX_DEPTH {
            let message = format!("blocks are nested deeper than {MAX_DEPTH} levels");
            return Err(Box::new(
                Finding::new(Code::TooLarge, message)
                    .at(self.source, open)
                    .help("no configuration is so deep; look at where the file comes from"),
            ));
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
        self.grammar
            .statements
            .iter()
            .filter(stands)
            .find_map(|statement| Some((statement, statement.shape.fit(words.len(), &word)?)))
    }

    /// Gives a leaf the text of some words: of one its meaning, of several how they stand there.
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

    fn set_word(&mut self, leaf: NodeId, word: &Word<'a>) {
        match &word.text {
            Cow::Borrowed(_) => self.tree.set_value(leaf, Text::Borrowed(word.span)),
            Cow::Owned(text) => {
                // Between the quotes it may stand just so.
                let inner = Span::new(word.span.start as usize + 1, (word.span.end as usize).max(2) - 1);
                let same = inner.start <= inner.end && self.source.text.get(inner.range()) == Some(text);
                let value = if same { Text::Borrowed(inner) } else { Text::Decoded(text) };
                self.tree.set_value(leaf, value);
            }
        }
    }

    /// What a statement captured, as values of the branch that it makes.
    fn captures(
        &mut self,
        node: NodeId,
        words: &[Word<'a>],
        taken: &[(Part, Range<usize>)],
        statement: &Statement,
    ) {
        let in_path = |name: &str| {
            statement.path.iter().any(|step| matches!(step, PathPart::Capture(known) if known == name))
        };
        let mut key: Option<String> = None;
        for (part, range) in taken {
            match part {
                Part::Word(_) | Part::Glue | Part::Optional(_) | Part::Repeated(_) => {}
                Part::Capture(name, _) | Part::Rest(name) => {
                    if !in_path(name) {
                        let span = words_span(words, range);
                        let leaf = self.tree.push(node, Kind::Text, name, span);
                        self.set_words(leaf, words, range.clone(), Some(part));
                    }
                }
                Part::Several(name) => {
                    for word in &words[range.clone()] {
                        let leaf = self.tree.push(node, Kind::Text, name, word.span);
                        self.set_word(leaf, word);
                    }
                }
                Part::List(name) => self.list(node, name, &words[range.start]),
                Part::Pair(_, Half::Key) => key = Some(words[range.start].text.to_string()),
                Part::Pair(name, Half::Value) => {
                    let at = self.made.get(&(node, name.clone())).copied().unwrap_or_else(|| {
                        let made = self.tree.push(node, Kind::Map, name, words[range.start].span);
                        self.made.insert((node, name.clone()), made);
                        made
                    });
                    let word = &words[range.start];
                    let leaf = self.tree.push(at, Kind::Text, key.as_deref().unwrap_or_default(), word.span);
                    self.set_word(leaf, word);
                    self.tree.set_end(at, word.span.end as usize);
                }
            }
        }
    }

    /// A word with commas: each part of it is a value.
    fn list(&mut self, node: NodeId, name: &str, word: &Word<'a>) {
        let raw = &self.source.text[word.span.range()];
        if word.kind == WordKind::Quoted && !self.grammar.keeps_quotes {
            let leaf = self.tree.push(node, Kind::Text, name, word.span);
            return self.set_word(leaf, word);
        }
        let mut at = word.span.start as usize;
        for part in raw.split(',') {
            let span = Span::new(at, at + part.len());
            let leaf = self.tree.push(node, Kind::Text, name, span);
            self.tree.set_value(leaf, Text::Borrowed(span));
            at += part.len() + 1;
        }
    }

    /// A statement that no shape fits: its first word is its name.
    fn make_unknown(
        &mut self,
        words: &[Word<'a>],
        whole: Span,
        indent: usize,
        brace: bool,
        after: usize,
    ) -> Result<usize, Box<Finding>> {
        let holder = self.blocks[self.blocks.len() - 1].node;
        let name = words[0].text.to_string();
        if !brace {
            let leaf = self.tree.push(holder, Kind::Text, &name, whole);
            if words.len() > 1 {
                self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
            } else {
                self.tree.set_value(leaf, Text::Decoded(""));
            }
            return Ok(after);
        }
        let branch = self.tree.push(holder, Kind::Map, &name, whole);
        if words.len() > 1 {
            let leaf = self.tree.push(branch, Kind::Text, WORDS, words_span(words, &(1..words.len())));
            self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
        }
        self.open(branch, name, indent, whole)?;
        Ok(after)
    }

    /// The lines up to the one that ends the text, as one value.
    fn body(
        &mut self,
        node: NodeId,
        whole: Span,
        until: &str,
        after: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let text = &self.source.text[..end];
        let mut at = after;
        for line in text[after..].split_inclusive('\n') {
            let next = at + line.len();
            if line.trim() == until {
                // The line end before the last line is none of the text.
                let span = Span::new(after.min(at), at);
                let inner = self.source.text[span.range()].trim_end_matches(['\n', '\r']).len();
                let span = Span::new(after, after + inner);
                let leaf = self.tree.push(node, Kind::Text, BODY, span);
                self.tree.set_value(leaf, Text::Borrowed(span));
                self.tree.set_end(node, at + line.trim_end().len());
                return Ok(next);
            }
            at = next;
        }
        Err(self.wrong(
            whole,
            &format!("the text behind it is not ended by `{until}`"),
            "if the file is cut off, fetch it again",
        ))
    }

    fn include(&mut self, pattern: &str, whole: Span) -> Result<(), Box<Finding>> {
        let files = (self.included)(pattern, whole);
        if files.is_empty() {
            return Ok(());
        }
        if self.including.len() >= MAX_INCLUDES || files.iter().any(|file| self.including.contains(file)) {
            return Err(self.wrong(
                whole,
                "files include one another in a circle, or too deep",
                "take one of these statements out",
            ));
        }
        for file in files {
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

fn ends_line(text: &str) -> bool {
    text.trim_start_matches([' ', '\t', '\r']).starts_with('\n') || text.trim().is_empty()
}
