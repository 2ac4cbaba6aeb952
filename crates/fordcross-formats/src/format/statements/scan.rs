//! Parting statements into words.

use super::facts::StatementFact;
use super::shape::{Half, WordKind, Words};
use super::{Grammar, Inside, Nesting, Part};
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use std::borrow::Cow;

/// A word of a statement.
#[derive(Clone, Debug)]
pub(super) struct Word<'a> {
    pub(super) span: Span,
    pub(super) text: Cow<'a, str>,
    pub(super) kind: WordKind,
}

/// What a statement ended with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum End {
    Line,
    Mark,
    Opened,
    Closed,
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

    pub(super) fn comment_at(&self, text: &str) -> Option<usize> {
        let is = |mark: &String| text.starts_with(mark.as_str());
        self.grammar.comments.iter().any(is).then(|| {
            let line = text.find('\n').unwrap_or(text.len());
            text[..line].trim_end().len()
        })
    }

    /// The words of the statement that begins at `at`, where it ends, and how. What is behind it on its
    /// line as a comment is a statement of its own for the next call.
    pub(super) fn words(&self, at: usize, end: usize) -> Result<(Vec<Word<'a>>, usize, End), Box<Finding>> {
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
                // What is before it ends with it; it is read again when that is done with.
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
                if words.len() == MAX_WORDS {
                    return Err(self.wrong(word.span, StatementFact::Words { most: MAX_WORDS }));
                }
                words.push(word);
                at = after;
            }
        }
    }

    pub(super) fn word(&self, start: usize, end: usize) -> Result<(Word<'a>, usize), Box<Finding>> {
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
    pub(super) fn quoted(
        &self,
        start: usize,
        quote: char,
        end: usize,
    ) -> Result<(String, usize), Box<Finding>> {
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
        Err(self.wrong(span, StatementFact::QuotesOpen))
    }
}

impl Inside {
    /// Whether a text is pairs and nothing else.
    pub(super) fn has_pairs(&self, text: &str) -> bool {
        self.words(text).is_some_and(|words| {
            let word = |index: usize| (words[index].text.as_ref(), words[index].kind);
            self.shape.fit(&Words { count: words.len(), word: &word, any_case: false }).is_some()
        }) && self.pairs(text).iter().all(|(name, _)| is_plain_name(&name.text))
    }

    /// The pairs of a text: names and values, with their places in it.
    pub(super) fn pairs<'t>(&self, text: &'t str) -> Vec<(Word<'t>, Word<'t>)> {
        let Some(words) = self.words(text) else { return Vec::new() };
        let word = |index: usize| (words[index].text.as_ref(), words[index].kind);
        let Some(taken) = self.shape.fit(&Words { count: words.len(), word: &word, any_case: false }) else {
            return Vec::new();
        };
        let of = |half: Half| {
            let is = move |part: &Part| matches!(part, Part::Pair(_, own, _) if *own == half);
            taken.iter().filter(move |(part, _)| is(part)).map(|(_, range)| range.start)
        };
        of(Half::Key)
            .zip(of(Half::Value))
            .map(|(key, value)| (words[key].clone(), words[value].clone()))
            .collect()
    }

    fn words<'t>(&self, text: &'t str) -> Option<Vec<Word<'t>>> {
        let scan = Scanner { source: Source::new("", text), grammar: &self.grammar };
        let (mut words, mut at) = (Vec::new(), 0);
        while at < text.len() {
            let (more, after, _) = scan.words(at, text.len()).ok()?;
            words.extend(more);
            at = after.max(at + 1);
        }
        (!words.is_empty()).then_some(words)
    }
}

/// A word that can be a name, and not something with a password in it that happens to have the mark behind it.
fn is_plain_name(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.'))
}

fn ends_line(text: &str) -> bool {
    text.trim_start_matches([' ', '\t', '\r']).starts_with('\n') || text.trim().is_empty()
}
