//! Words as they are written: in quotes where they need them, and as far apart as they were read.

use super::blocks::Delimiters;
use super::{Escape, Grammar, Statement};
use crate::tree::{NodeId, Tree};

/// Whether the text of a block can be written so that it reads back to itself.
pub(super) fn holds_body(grammar: &Grammar, text: &str) -> bool {
    grammar.blocks.iter().filter(|block| block.holds_text).any(|block| match &block.delimiters {
        Delimiters::Signs { open, close, .. } => {
            let whole = format!("{text}{close}");
            grammar.balanced(&whole, (*open, *close)) == Some(text.len())
        }
        Delimiters::Words { close, .. } => {
            !text.lines().any(|line| close.read(line.trim(), &mut |_, _| true).is_some())
        }
        _ => false,
    })
}

/// Whether a statement that is kept as it is can be written so that it reads back to itself.
pub(super) fn holds_kept(grammar: &Grammar, text: &str) -> bool {
    !text.trim().is_empty()
        && grammar.signs().all(|(open, close)| {
            let whole = format!("{text}{close}");
            grammar.balanced(&whole, (open, close)) == Some(text.len())
        })
}

/// Whether a value can be written so that it reads back to itself.
pub(super) fn holds_value(grammar: &Grammar, text: &str) -> bool {
    if text.contains(['\n', '\r']) {
        return false;
    }
    if text.is_empty() && grammar.statements.iter().any(Statement::may_lack_value) {
        return true;
    }
    if !grammar.needs_quotes(text) {
        return !grammar.is_opener(text);
    }
    if grammar.quotes_matter || grammar.quotes.is_empty() {
        // As it is it must be words and nothing else.
        return text.trim() == text
            && !text.is_empty()
            && !grammar.ends_early(text)
            && grammar.quotes_close(text);
    }
    grammar.escape != Escape::None || !grammar.quotes.iter().all(|quote| text.contains(*quote))
}

impl Grammar {
    /// Whether all that is in quotes in a text ends in it.
    fn quotes_close(&self, text: &str) -> bool {
        let mut at = 0;
        while let Some(c) = text[at..].chars().next() {
            at += match self.expansion_in(&text[at..]) {
                Some((_, Some(length))) => length,
                _ if !self.quotes.contains(&c) => c.len_utf8(),
                _ => match self.quoted_length(&text[at..], c) {
                    length if length > c.len_utf8() => length,
                    _ => return false,
                },
            };
        }
        true
    }

    /// Whether something in a text without quotes would end the statement.
    fn ends_early(&self, text: &str) -> bool {
        let text = &*self.without_expansions(text);
        self.end.sign.is_some_and(|end| text.contains(end))
            || self.signs().any(|(open, close)| text.contains([open, close]))
            || self.is_opener(text.rsplit(char::is_whitespace).next().unwrap_or_default())
            || self.has_comment(text)
            || self.continuation.is_some_and(|continuation| text.ends_with(continuation))
            || text.contains(['\n', '\r'])
    }
}

/// How the words of a tree are written.
#[derive(Clone, Copy)]
pub(super) struct Spelling<'w, 'a> {
    pub(super) tree: &'w Tree<'a>,
    pub(super) grammar: &'w Grammar,
}

impl<'w> Spelling<'w, '_> {
    /// All that is before a value in the text that it was read from, if it is spelled there.
    pub(super) fn before(self, leaf: NodeId) -> Option<&'w str> {
        let span = self.tree.value_span(leaf)?;
        Some(&self.tree.source().text[..span.start as usize])
    }

    /// Words as they are, or in quotes if they would not be read as what they are.
    pub(super) fn rest(self, text: &str) -> String {
        let grammar = self.grammar;
        let is_words = text.trim() == text && !text.is_empty() && !grammar.ends_early(text);
        let quotes = text.contains(grammar.quotes.as_slice()) && !grammar.quotes_matter;
        if grammar.quotes.is_empty() || is_words && !quotes { text.to_owned() } else { self.quoted(text) }
    }

    /// The word of a value: in the quotes that it was in, or else in some if it needs them.
    pub(super) fn leaf(self, leaf: NodeId) -> String {
        let text = self.tree.value(leaf);
        let stood_in = self.tree.value_span(leaf).and_then(|span| {
            let source = self.tree.source().text;
            let quote = source[..span.start as usize].chars().next_back()?;
            let closed = source[span.end as usize..].starts_with(quote);
            let plain = !text.contains([quote, '\\', '\n']);
            (closed && plain && self.grammar.quotes.contains(&quote) && !self.grammar.quotes_matter)
                .then_some(quote)
        });
        stood_in.map_or_else(|| self.quoted(text), |quote| format!("{quote}{text}{quote}"))
    }

    pub(super) fn quoted(self, text: &str) -> String {
        let grammar = self.grammar;
        let usable = |quote: &&char| grammar.escape != Escape::None || !text.contains(**quote);
        if grammar.quotes_matter || !grammar.needs_quotes(text) {
            return text.to_owned();
        }
        let Some(quote) = grammar.quotes.iter().find(usable) else { return text.to_owned() };
        let mut out = String::from(*quote);
        for c in text.chars() {
            match c {
                '\n' if grammar.escape.is_as_in_c() => out.push_str("\\n"),
                '\\' if grammar.escape.slashes() => out.push_str("\\\\"),
                c if c == *quote && grammar.escape.doubles() => out.extend([c, c]),
                c if c == *quote => out.extend(['\\', c]),
                c => out.push(c),
            }
        }
        out.push(*quote);
        out
    }
}

/// A line of words.
#[derive(Default)]
pub(super) struct Line {
    pub(super) out: Vec<u8>,
    /// The next word follows without a blank.
    pub(super) glued: bool,
    /// The captures that have a word in it.
    pub(super) said: Vec<String>,
    /// Where the last word begins.
    last: usize,
}

impl Line {
    pub(super) fn word(&mut self, word: &str) {
        self.word_after(word, None);
    }

    /// A word that may have been read behind the last one: then it is as far from it as it was there, so that
    /// columns stay columns.
    pub(super) fn word_after(&mut self, word: &str, before: Option<&str>) {
        let quote = word.chars().next().filter(|c| matches!(c, '"' | '\''));
        let before =
            before.map(|before| quote.and_then(|quote| before.strip_suffix(quote)).unwrap_or(before));
        let gap = before.and_then(|before| {
            let said = before.trim_end_matches([' ', '\t']);
            let gap = &before[said.len()..];
            (!gap.is_empty() && said.as_bytes().ends_with(&self.out[self.last..])).then_some(gap)
        });
        if !self.out.is_empty() && !self.glued {
            self.out.extend_from_slice(gap.unwrap_or(" ").as_bytes());
        }
        self.glued = false;
        self.last = self.out.len();
        self.out.extend_from_slice(word.as_bytes());
    }
}
