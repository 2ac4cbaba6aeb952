//! Texts in a statement that are themselves pairs of a name and a value, such as a connection string. The pairs are settings of
//! what the statement makes.

use super::facts::{GrammarFact, ShapeFact};
use super::scan::{Scanner, Word};
use super::shape::{Half, StatementShape, Words};
use super::wording::read_words;
use super::{End, Grammar, Part};
use crate::declaration::{Section, as_word};
use crate::text::source::Source;
use std::collections::HashMap;
use std::sync::Arc;

/// What is between the pairs of a text, and how they are written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Pairs {
    /// One pair, as a repeated part.
    pub(super) shape: StatementShape,
    /// How its words are separated and quoted.
    pub(super) grammar: Grammar,
}

/// The types of a profile that are texts of pairs, by their names.
#[derive(Debug, Default)]
pub struct PairTypes(HashMap<String, Arc<Pairs>>);

impl PairTypes {
    /// The word for such a type in a profile.
    pub const WORD: &'static str = "pairs";

    /// Reads those types of `[type]` that are texts of pairs.
    pub fn read(root: &Section<'_, '_>) -> Self {
        let mut types = Self::default();
        let Some(section) = root.section("type") else { return types };
        for (name, value) in section.members() {
            let Some(declaration) = section.as_section(value).filter(Self::is_one) else { continue };
            if let Some(pairs) = read_pairs(&declaration) {
                types.0.insert(name.text.to_owned(), pairs.into());
            }
            declaration.finish();
        }
        types
    }

    /// Whether the declaration of a type is one of a text of pairs.
    pub fn is_one(declaration: &Section<'_, '_>) -> bool {
        declaration.raw("type").and_then(as_word).is_some_and(|word| word.text == Self::WORD)
    }

    pub(super) fn get(&self, name: &str) -> Option<&Arc<Pairs>> {
        self.0.get(name)
    }

    pub(super) fn names(&self) -> Vec<&str> {
        let mut names: Vec<&str> = self.0.keys().map(String::as_str).collect();
        names.sort_unstable();
        names
    }
}

/// `{ type = "pairs", pair = "{name}={value}" }`
fn read_pairs(section: &Section<'_, '_>) -> Option<Pairs> {
    let mut grammar = Grammar { comments: Vec::new(), end: End::LINE, ..Grammar::default() };
    read_words(section, &mut grammar);
    let pair = section.need_word("pair")?;
    let group = pair.text.replace("{name}", "{pair.key}").replace("{value}", "{pair.value}");
    let parsed = StatementShape::parse(&format!("({group})+?"), &grammar.punctuation, &[]);
    match parsed {
        Ok((shape, _)) if shape.names() == ["pair"] => Some(Pairs { shape, grammar }),
        parsed => {
            let shape = parsed.err().unwrap_or(ShapeFact::NoPair);
            section.report().add(pair.span, GrammarFact::Pairs { shape });
            None
        }
    }
}

impl Pairs {
    /// Whether a text is pairs and nothing else.
    pub(super) fn fits(&self, text: &str) -> bool {
        self.words(text).is_some_and(|words| {
            let word = |index: usize| (words[index].text.as_ref(), words[index].kind);
            self.shape.fit(&Words { count: words.len(), word: &word, any_case: false }).is_some()
        }) && self.of(text).iter().all(|(name, _)| is_plain_name(&name.text))
    }

    /// The pairs of a text: names and values, with their places in it.
    pub(super) fn of<'t>(&self, text: &'t str) -> Vec<(Word<'t>, Word<'t>)> {
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
            let read = scan.words(at, text.len(), &[]).ok()?;
            words.extend(read.words);
            at = read.after.max(at + 1);
        }
        (!words.is_empty()).then_some(words)
    }
}

/// A word that can be a name, and not something with a password in it that happens to have the mark behind it.
fn is_plain_name(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.'))
}
