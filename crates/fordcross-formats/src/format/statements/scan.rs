//! Parting statements into words.

use super::Escape;
use super::Grammar;
use super::blocks::BlockId;
use super::facts::StatementFact;
use super::shape::WordKind;
use crate::finding::Finding;
use crate::text::shape::Shape;
use crate::text::source::{Source, Span};
use std::borrow::Cow;

/// A word of a statement.
#[derive(Clone, Debug)]
pub(super) struct Word<'a> {
    pub(super) span: Span,
    pub(super) text: Cow<'a, str>,
    pub(super) kind: WordKind,
}

/// The words of a statement, and what is behind them.
#[derive(Debug)]
pub(super) struct Scanned<'a> {
    pub(super) words: Vec<Word<'a>>,
    /// Where what is behind it begins.
    pub(super) after: usize,
    pub(super) how: Ended,
    /// Comments between its words.
    pub(super) comments: Vec<Span>,
}

/// What a statement ended with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Ended {
    Line,
    Sign,
    /// With this sign, which opens a block.
    Opened(char),
    /// With a word that opens a block; it is the last one.
    OpenedByWord(BlockId),
    /// Before this sign, which closes a block; behind it, if nothing else is there.
    Closed(char),
}

/// The most words of a statement: each takes as much memory as a dozen letters.
const MAX_WORDS: usize = 1 << 18;

/// A text with the grammar that it is parted by.
#[derive(Clone, Copy)]
pub(super) struct Scanner<'g, 'a> {
    pub(super) source: Source<'a>,
    pub(super) grammar: &'g Grammar,
}

impl<'a> Scanner<'_, 'a> {
    /// The line itself is not shown: it may hold a secret.
    pub(super) fn wrong(&self, span: Span, fact: StatementFact) -> Box<Finding> {
        Box::new(Finding::new(fact).at(self.source, span))
    }

    /// The words of the statement that begins at `at`, where it ends, and how. What is behind it on its
    /// line as a comment is a statement of its own for the next call. `openers` are the blocks that a word may open here.
    pub(super) fn words(
        &self,
        at: usize,
        end: usize,
        openers: &[(BlockId, &Shape)],
    ) -> Result<Scanned<'a>, Box<Finding>> {
        let grammar = self.grammar;
        let text = &self.source.text[..end];
        let mut read = Scanned { words: Vec::new(), after: at, how: Ended::Line, comments: Vec::new() };
        loop {
            let at = read.after;
            let Some(c) = text[at..].chars().next() else { return Ok(read) };
            let next = at + c.len_utf8();
            let is_sign = grammar.expansion_in(&text[at..]).is_none();
            if c == '\n' {
                read.after = next;
                if grammar.end.line || read.words.is_empty() {
                    return Ok(read);
                }
            } else if c.is_whitespace() {
                read.after = next;
            } else if grammar.continuation == Some(c) && ends_line(&text[next..]) {
                read.after += text[at..].find('\n').map_or(text.len() - at, |newline| newline + 1);
            } else if is_sign && grammar.end.sign == Some(c) {
                return Ok(Scanned { after: next, how: Ended::Sign, ..read });
            } else if is_sign && grammar.closed_by(c).is_some() {
                return Ok(Scanned { after: next, how: Ended::Opened(c), ..read });
            } else if is_sign && grammar.is_closing(c) {
                // What is before it ends with it; it is read again when that is done with.
                let after = if read.words.is_empty() { next } else { at };
                return Ok(Scanned { after, how: Ended::Closed(c), ..read });
            } else if let Some(length) = self.inner_comment(text, &read) {
                let span = Span::new(at, at + length);
                if grammar.end.line && !self.goes_on_behind(&text[..end], span) {
                    return Ok(read);
                }
                read.comments.push(span);
                read.after = span.end as usize;
            } else {
                let (word, after) = self.word(at, end)?;
                if read.words.len() == MAX_WORDS {
                    return Err(self.wrong(word.span, StatementFact::Words { most: MAX_WORDS }));
                }
                let opens = |open: &Shape| {
                    word.kind == WordKind::Plain && open.read(&word.text, &mut |_, _| true).is_some()
                };
                let opener = openers.iter().find(|(_, open)| opens(open));
                read.words.push(word);
                read.after = after;
                if let Some(&(block, _)) = opener
                    && (!grammar.end.line || ends_line(&text[after..]))
                {
                    return Ok(Scanned { how: Ended::OpenedByWord(block), ..read });
                }
            }
        }
    }

    /// How long a comment is that is behind a word of a statement.
    fn inner_comment(&self, text: &str, read: &Scanned<'_>) -> Option<usize> {
        if read.words.is_empty() { None } else { self.grammar.comment_at(text, read.after) }
    }

    /// Whether more of the statement is behind a comment on its line.
    fn goes_on_behind(&self, text: &str, comment: Span) -> bool {
        let is_line = !text[comment.range()].contains('\n');
        let rest = &text[comment.end as usize..];
        let next = text.len() - rest.trim_start_matches([' ', '\t']).len();
        is_line
            && !ends_line(rest)
            && self.grammar.comment_at(text, next).is_none()
            && !text[next..].starts_with(|c| self.grammar.is_closing(c))
    }

    pub(super) fn word(&self, start: usize, end: usize) -> Result<(Word<'a>, usize), Box<Finding>> {
        let grammar = self.grammar;
        let text: &'a str = &self.source.text[..end];
        let first = text[start..].chars().next().unwrap_or(' ');
        if grammar.punctuation.contains(&first) && grammar.expansion_in(&text[start..]).is_none() {
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
            if let Some(length) = self.expansion(at, end)? {
                if let Some(decoded) = &mut decoded {
                    decoded.push_str(&text[at..at + length]);
                }
                at += length;
                continue;
            }
            if grammar.quotes.contains(&c) {
                let (inner, after) = self.quoted(at, c, end)?;
                quoted = true;
                if !grammar.quotes_matter {
                    decoded.get_or_insert_with(|| text[start..at].to_owned()).push_str(&inner);
                }
                at = after;
                continue;
            }
            let is_delimiter = grammar.closed_by(c).is_some() || grammar.is_closing(c);
            let comment = at > start && grammar.comment_in_word(text, at);
            let continues = grammar.continuation == Some(c) && ends_line(&text[at + c.len_utf8()..]);
            if c.is_whitespace()
                || grammar.end.sign == Some(c)
                || grammar.punctuation.contains(&c)
                || is_delimiter
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

    /// How long the expansion is that is there.
    fn expansion(&self, at: usize, end: usize) -> Result<Option<usize>, Box<Finding>> {
        let Some((expansion, length)) = self.grammar.expansion_in(&self.source.text[at..end]) else {
            return Ok(None);
        };
        let span = Span::new(at, at + expansion.open.len());
        let open = || StatementFact::ExpansionOpen { open: expansion.open.clone(), close: expansion.close };
        length.map(Some).ok_or_else(|| self.wrong(span, open()))
    }

    /// The text in quotes at `start`, and where it ends.
    pub(super) fn quoted(
        &self,
        start: usize,
        quote: char,
        end: usize,
    ) -> Result<(String, usize), Box<Finding>> {
        let escape = self.grammar.escape;
        let text = &self.source.text[..end];
        let mut inner = String::new();
        // Bytes that are escaped by their numbers: several can be one character.
        let mut bytes: Vec<u8> = Vec::new();
        let mut chars = text[start + quote.len_utf8()..].char_indices().peekable();
        while let Some((offset, c)) = chars.next() {
            let after = start + quote.len_utf8() + offset + c.len_utf8();
            let octal = if c == '\\' && escape.is_as_in_c() { octal(&text[after..]) } else { None };
            if octal.is_none() && !bytes.is_empty() {
                self.flush(&mut bytes, &mut inner, start)?;
            }
            match c {
                '\\' if octal.is_some() => {
                    let (byte, digits) = octal.unwrap_or_default();
                    bytes.push(byte);
                    for _ in 0..digits {
                        chars.next();
                    }
                }
                '\\' if escape == Escape::Character => match chars.next() {
                    Some((_, next)) => inner.push(next),
                    None => break,
                },
                '\\' if escape.slashes() => match chars.next() {
                    Some((_, 'n')) => inner.push('\n'),
                    Some((_, 't')) => inner.push('\t'),
                    Some((_, 'r')) => inner.push('\r'),
                    Some((_, 'b')) => inner.push('\u{8}'),
                    Some((_, 'f')) => inner.push('\u{c}'),
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
                '\n' if self.grammar.end.line => break,
                c => inner.push(c),
            }
        }
        let span = Span::new(start, start + quote.len_utf8());
        Err(self.wrong(span, StatementFact::QuotesOpen))
    }

    /// Puts bytes that were escaped one by one into a text.
    fn flush(&self, bytes: &mut Vec<u8>, inner: &mut String, start: usize) -> Result<(), Box<Finding>> {
        let text = String::from_utf8(std::mem::take(bytes));
        let text = text.map_err(|_| self.wrong(Span::new(start, start + 1), StatementFact::EscapedBytes))?;
        inner.push_str(&text);
        Ok(())
    }
}

/// A byte by up to three octal digits, and how many these are: `045`.
fn octal(text: &str) -> Option<(u8, usize)> {
    let digits = text.bytes().take(3).take_while(|byte| (b'0'..=b'7').contains(byte)).count();
    // As in C, what is more than a byte loses what is above it.
    let number = u16::from_str_radix(&text[..digits], 8).ok()?;
    Some((number.to_le_bytes()[0], digits))
}

fn ends_line(text: &str) -> bool {
    text.trim_start_matches([' ', '\t', '\r']).starts_with('\n') || text.trim().is_empty()
}
