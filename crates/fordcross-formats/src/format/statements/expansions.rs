//! Expansions such as `${prefix}`: what is between their signs is part of a word, whatever it is.

use super::Grammar;
use super::facts::GrammarFact;
use crate::declaration::{Section, as_words};
use std::borrow::Cow;

/// What an expansion begins and ends with. What is opened inside by the last character of its beginning is closed first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Expansion {
    pub(super) open: String,
    pub(super) close: char,
}

/// `[["${", "}"]]`
pub(super) fn read_expansions(section: &Section<'_, '_>) -> Vec<Expansion> {
    let Some(value) = section.raw("expansions") else { return Vec::new() };
    let list = value.get_ref().as_array();
    if list.is_none() {
        section.report().add(value.span().into(), GrammarFact::NoExpansion);
    }
    let one = |item| {
        let words = as_words(item).unwrap_or_default();
        let read = match words.as_slice() {
            [open, close] => {
                let mut signs = close.text.chars();
                signs.next().filter(|sign| signs.next().is_none() && !open.text.ends_with(*sign))
            }
            _ => None,
        };
        let read = read.filter(|_| words[0].text.chars().count() > 1);
        if read.is_none() {
            section.report().add(item.span().into(), GrammarFact::NoExpansion);
        }
        Some(Expansion { open: words.first()?.text.to_owned(), close: read? })
    };
    list.into_iter().flatten().filter_map(one).collect()
}

impl Grammar {
    /// The expansion that a text begins with, and how long it is, if it is closed on its line.
    pub(super) fn expansion_in(&self, text: &str) -> Option<(&Expansion, Option<usize>)> {
        let expansion = self.expansions.iter().find(|expansion| text.starts_with(&expansion.open))?;
        let opens = expansion.open.chars().next_back();
        let from = expansion.open.len();
        let mut depth = 1_usize;
        for (at, c) in text[from..].char_indices().take_while(|(_, c)| *c != '\n') {
            if c == expansion.close {
                depth -= 1;
            } else if Some(c) == opens {
                depth += 1;
            }
            if depth == 0 {
                return Some((expansion, Some(from + at + c.len_utf8())));
            }
        }
        Some((expansion, None))
    }

    /// A text with a letter for each expansion: what in it are signs of the grammar.
    pub(super) fn without_expansions<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if !self.expansions.iter().any(|expansion| text.contains(&expansion.open)) {
            return Cow::Borrowed(text);
        }
        let (mut out, mut at) = (String::new(), 0);
        while let Some(c) = text[at..].chars().next() {
            if let Some((_, Some(length))) = self.expansion_in(&text[at..]) {
                out.push('x');
                at += length;
            } else {
                out.push(c);
                at += c.len_utf8();
            }
        }
        Cow::Owned(out)
    }
}
