//! Comments: what they begin and end with, and where they can be.

use super::Grammar;
use super::facts::GrammarFact;
use crate::declaration::{Section, Word, as_word, as_words};
use toml::Spanned;
use toml::de::DeValue;

/// What a comment begins with, and what it ends with if not with its line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct CommentSign {
    pub(super) open: String,
    pub(super) close: Option<String>,
}

/// Where a comment can be that is not at the beginning of its line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Trailing {
    /// Nowhere.
    No,
    /// Behind white space: within a word its sign is part of the word.
    AfterBlank,
    Anywhere,
}

/// `["#", ["/*", "*/"]]`
pub(super) fn read_comments(section: &Section<'_, '_>, value: &Spanned<DeValue<'_>>) -> Vec<CommentSign> {
    let line = |word: Word<'_>| CommentSign { open: word.text.to_owned(), close: None };
    let list = value.get_ref().as_array();
    let one = as_word(value).map(line).into_iter();
    if list.is_none() && one.len() == 0 {
        section.report().add(value.span().into(), GrammarFact::NoComment);
    }
    let several = list.into_iter().flatten().filter_map(|item| {
        let read = as_word(item).map(line).or_else(|| match as_words(item)?.as_slice() {
            [open, close] => {
                Some(CommentSign { open: open.text.to_owned(), close: Some(close.text.to_owned()) })
            }
            _ => None,
        });
        let is_sign = |sign: &CommentSign| !sign.open.is_empty() && sign.close.as_deref() != Some("");
        let read = read.filter(is_sign);
        if read.is_none() {
            section.report().add(item.span().into(), GrammarFact::NoComment);
        }
        read
    });
    one.chain(several).collect()
}

/// `trailing-comments = true`, `false` or `"after-blank"`
pub(super) fn read_trailing(section: &Section<'_, '_>) -> Trailing {
    let Some(value) = section.raw("trailing-comments") else { return Trailing::Anywhere };
    match (value.get_ref().as_bool(), as_word(value).map(|word| word.text)) {
        (Some(true), _) => Trailing::Anywhere,
        (Some(false), _) => Trailing::No,
        (None, Some("after-blank")) => Trailing::AfterBlank,
        _ => {
            section.report().add(value.span().into(), GrammarFact::NoTrailing);
            Trailing::Anywhere
        }
    }
}

impl Grammar {
    /// How long the comment is that is at a place of a text, if one can be there.
    pub(super) fn comment_at(&self, text: &str, at: usize) -> Option<usize> {
        let length = self.comment_in(&text[at..])?;
        let can_be = match self.trailing {
            Trailing::Anywhere => true,
            Trailing::AfterBlank => text[..at].chars().next_back().is_none_or(|c| self.ends_word(c)),
            Trailing::No => {
                text[..at].trim_end_matches([' ', '\t']).chars().next_back().is_none_or(|c| c == '\n')
            }
        };
        can_be.then_some(length)
    }

    /// Whether a comment begins within a word.
    pub(super) fn comment_in_word(&self, text: &str, at: usize) -> bool {
        self.trailing == Trailing::Anywhere && self.comment_in(&text[at..]).is_some()
    }

    /// Whether no word goes on behind a character.
    fn ends_word(&self, c: char) -> bool {
        c.is_whitespace()
            || self.end.sign == Some(c)
            || self.signs().any(|(open, close)| c == open || c == close)
    }

    /// Whether something in a text of one line would be read as a comment.
    pub(super) fn has_comment(&self, text: &str) -> bool {
        self.trailing != Trailing::No
            && text.char_indices().any(|(at, _)| self.comment_at(text, at).is_some())
    }

    /// How long a comment is that a text begins with; none if it begins with none. One in a pair that is not closed goes to the
    /// end.
    fn comment_in(&self, text: &str) -> Option<usize> {
        let sign = self.comments.iter().find(|sign| text.starts_with(sign.open.as_str()))?;
        Some(match &sign.close {
            None => text[..text.find('\n').unwrap_or(text.len())].trim_end().len(),
            Some(close) => {
                let from = sign.open.len();
                text[from..].find(close.as_str()).map_or(text.len(), |at| from + at + close.len())
            }
        })
    }

    /// Whether a line begins with a comment.
    pub(super) fn is_comment(&self, text: &str) -> bool {
        self.comments.iter().any(|sign| text.starts_with(sign.open.as_str()))
    }

    /// What the comments that we write begin with, if any goes to the end of its line.
    pub(super) fn comment_sign(&self) -> &CommentSign {
        const HASH: &CommentSign = &CommentSign { open: String::new(), close: None };
        self.comments.iter().find(|sign| sign.close.is_none()).or(self.comments.first()).unwrap_or(HASH)
    }
}
