//! What a section says of words: how they are separated and quoted.

use super::facts::GrammarFact;
use super::{Escape, Grammar};
use crate::declaration::{Section, Word, separator};

/// One character of any kind.
pub(super) fn any_one(section: &Section<'_, '_>, word: Word<'_>) -> Option<char> {
    let mut chars = word.text.chars();
    let only = chars.next().filter(|_| chars.next().is_none());
    if only.is_none() {
        section.report().add(word.span, GrammarFact::NoCharacter);
    }
    only
}

/// How words are separated and quoted.
pub(super) fn read_words(section: &Section<'_, '_>, grammar: &mut Grammar) {
    grammar.quotes = section.words("quotes").into_iter().filter_map(|word| any_one(section, word)).collect();
    grammar.escape = section.pick_given("escape", &Escape::ALL).unwrap_or(grammar.escape);
    let punctuation = section.words("punctuation");
    grammar.punctuation = punctuation.iter().filter_map(|word| separator(section, *word)).collect();
    if let Some(characters) = section.word("word-characters") {
        characters.text.clone_into(&mut grammar.word_characters);
        for word in punctuation.iter().filter(|word| characters.text.contains(word.text)) {
            let sign = word.text.to_owned();
            section.report().add(word.span, GrammarFact::PunctuationInWords { sign });
        }
    }
    grammar.word_characters.retain(|c| !grammar.punctuation.contains(&c));
    grammar.unquoted_numbers = section.boolean("unquoted-numbers").unwrap_or(false);
}
