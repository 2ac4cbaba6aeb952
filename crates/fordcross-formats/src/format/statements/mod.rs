//! Text of statements: command scripts, block text, rows without a header, keys with values.
//!
//! No two programs write them alike, so a profile declares the [`Grammar`]: what separates words, what ends a statement, which
//! blocks there are, how each opens and closes and what it holds, and the shape of each statement in it. By its shape a
//! statement is read into a branch or a value, and written from it.

mod blocks;
mod check;
mod codec;
mod comments;
mod declare;
mod edit;
mod expansions;
mod facts;
mod pairs;
mod read;
mod scan;
mod shape;
#[cfg(test)]
mod tests;
mod wording;
mod words;
mod write;

pub(super) use codec::TRAITS;
pub use pairs::PairTypes;

use super::codec::Includes;
use crate::text::shape::Shape;
use blocks::{Block, BlockId};
use comments::{CommentSign, Trailing};
use expansions::Expansion;
use pairs::Pairs;
use shape::{Part, StatementShape, is_choice};
use std::sync::Arc;

/// How a platform writes its statements.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Grammar {
    /// What comments begin with, and those in pairs end with.
    comments: Vec<CommentSign>,
    /// Where else than on lines of their own they can be.
    trailing: Trailing,
    /// What a line ends with when the statement goes on in the next one.
    continuation: Option<char>,
    /// The release from which on that holds at the end of comments, too.
    comments_continue: Option<String>,
    /// What a word with blanks in it may be in.
    quotes: Vec<char>,
    /// How a quote is inside quotes.
    escape: Escape,
    /// Quotes are part of what is said: a word with them means something else.
    quotes_matter: bool,
    /// Characters that are words of their own.
    punctuation: Vec<char>,
    /// What is part of a word whatever is in it.
    expansions: Vec<Expansion>,
    /// Characters beside letters and digits that a word has without quotes.
    word_characters: String,
    /// Numbers need no quotes, whatever is in them.
    unquoted_numbers: bool,
    /// Words of the language are read in capitals, too.
    any_case: bool,
    /// What ends a statement.
    end: End,
    /// What is written before each line of a block, once a level.
    indent: String,
    /// The blocks; the first is where a file begins.
    blocks: Vec<Block>,
    /// The statements of all blocks, in the order of the profile.
    statements: Vec<Statement>,
}

/// What ends a statement.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct End {
    /// The end of its line.
    line: bool,
    /// This sign.
    sign: Option<char>,
    /// We write the sign.
    is_written: bool,
}

impl End {
    const LINE: Self = Self { line: true, sign: None, is_written: false };

    /// The sign, where we write it.
    fn written(self) -> Option<char> {
        self.sign.filter(|_| self.is_written)
    }
}

/// How a quote is inside quotes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Escape {
    /// Not at all.
    None,
    /// Twice.
    Doubled,
    /// Behind a backslash, which itself is doubled; other characters behind one are what they are in C.
    Backslash,
    /// Behind a backslash, which takes any character behind it as it is.
    Character,
    /// Both are read; doubled is written.
    Both,
}

impl Escape {
    const ALL: [(&'static str, Self); 5] = [
        ("none", Self::None),
        ("doubled", Self::Doubled),
        ("backslash", Self::Backslash),
        ("character", Self::Character),
        ("both", Self::Both),
    ];

    fn doubles(self) -> bool {
        matches!(self, Self::Doubled | Self::Both)
    }

    fn slashes(self) -> bool {
        self.is_as_in_c() || self == Self::Character
    }

    /// `\n` is the end of a line, and `\045` a percent sign.
    fn is_as_in_c(self) -> bool {
        matches!(self, Self::Backslash | Self::Both)
    }
}

/// A statement that the platform has.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Statement {
    shape: StatementShape,
    /// The shape as the profile has it.
    text: String,
    /// The path of what it makes, from the block that it is in: names, in which captures may be.
    path: Vec<Shape>,
    /// The value that it stands for, where it has none in it.
    value: Option<String>,
    /// The block that it opens.
    block: Option<BlockId>,
    /// Quotes that its values may be in, where quotes mean nothing elsewhere.
    unquote: Option<char>,
    /// It names files whose statements are in its place.
    includes: Option<Includes>,
    /// The captures that are texts of pairs.
    pairs: Vec<(String, Arc<Pairs>)>,
}

/// The capture that is the value of what a statement makes.
const VALUE: &str = "value";
/// What the text of a block is called.
const BODY: &str = "body";
/// What a statement is called that no shape fits, where it is kept as it is.
const UNKNOWN: &str = "unknown";
/// What the rest of a statement that no shape fits is called, if it opens a block.
const WORDS: &str = "words";

impl Default for Grammar {
    fn default() -> Self {
        Self {
            comments: vec![CommentSign { open: "#".into(), close: None }],
            trailing: Trailing::Anywhere,
            continuation: None,
            comments_continue: None,
            quotes: Vec::new(),
            escape: Escape::None,
            quotes_matter: false,
            punctuation: Vec::new(),
            expansions: Vec::new(),
            word_characters: "_-./:@%+*,".into(),
            unquoted_numbers: false,
            any_case: false,
            end: End::LINE,
            indent: "  ".into(),
            blocks: vec![Block::top()],
            statements: Vec::new(),
        }
    }
}

impl Grammar {
    /// The paths of statements that include files, where they have names, with what they include.
    fn including(&self) -> impl Iterator<Item = (Vec<String>, &Includes)> + '_ {
        self.statements.iter().filter_map(|statement| {
            let includes = statement.includes.as_ref()?;
            let names = statement.path.iter().map(|step| step.as_literal().map(str::to_owned));
            Some((names.collect::<Option<_>>()?, includes))
        })
    }

    /// A value without the quotes that values keep.
    fn bare<'v>(&self, value: &'v str) -> &'v str {
        let bare = |quote: &char| value.strip_prefix(*quote)?.strip_suffix(*quote);
        let kept = Some(&self.quotes).filter(|_| self.quotes_matter);
        kept.into_iter().flatten().find_map(bare).unwrap_or(value)
    }
}

/// Whether what is left of a statement can be the last of some parts.
fn ends_in_rest(parts: &[Part]) -> bool {
    match parts.last() {
        Some(Part::Rest(_)) => true,
        Some(Part::Optional(inner)) => ends_in_rest(inner),
        Some(Part::Choice(ways)) => ways.iter().any(|way| ends_in_rest(way)),
        _ => false,
    }
}

impl Statement {
    /// Whether it makes a value and no branch.
    fn makes_value(&self) -> bool {
        self.value.is_some() || self.shape.has(VALUE)
    }

    /// Whether it can be said without a value, which then is the empty text.
    fn may_lack_value(&self) -> bool {
        let is_value =
            |part: &Part| part.captures(VALUE) || matches!(part, Part::Rest(name) if name == VALUE);
        let may_lack = |part: &Part| matches!(part, Part::Optional(inner) if inner.iter().any(is_value));
        self.shape.parts.iter().any(may_lack)
    }

    /// Whether a step of its path captures that.
    fn has_in_path(&self, name: &str) -> bool {
        self.path.iter().any(|step| step.captures().any(|known| known == name))
    }

    /// What the names on a path are for its captures, if they can be those of its path.
    fn names<'n>(&self, path: &[&'n str]) -> Option<Vec<(&str, &'n str)>> {
        if path.len() != self.path.len() {
            return None;
        }
        let mut captured: Vec<(&str, &str)> = Vec::new();
        for (step, name) in self.path.iter().zip(path) {
            if let Some(literal) = step.as_literal() {
                if literal != *name {
                    return None;
                }
                continue;
            }
            let found = step.read(name, &mut |_, _| true)?;
            for (known, range) in step.captures().zip(found) {
                captured.push((known, &name[range?]));
            }
        }
        captured.iter().all(|(capture, text)| self.may_be(capture, text)).then_some(captured)
    }

    /// Whether its shape has a capture where that word can be.
    fn may_be(&self, capture: &str, word: &str) -> bool {
        self.shape.parts.iter().all(|part| match part {
            Part::Capture(known, choice) if known == capture && !choice.is_empty() => is_choice(choice, word),
            _ => true,
        })
    }

    /// The pairs of a capture.
    fn pairs_of(&self, capture: &str) -> Option<&Arc<Pairs>> {
        self.pairs.iter().find(|(name, _)| name == capture).map(|(_, pairs)| pairs)
    }

    /// Whether it begins with a word of the language.
    fn begins_with_word(&self) -> bool {
        matches!(self.shape.parts.first(), Some(Part::Word(word)) if word.as_literal().is_some())
    }

    /// Whether it begins with a word of the language and takes all that is left: what is before a block then goes up to
    /// where that opens.
    fn is_head(&self) -> bool {
        let parts = &self.shape.parts;
        matches!(parts.first(), Some(Part::Word(_))) && ends_in_rest(parts)
    }
}
