//! The notation of profiles and crossings: paths, shapes, values and both sides of rules are one language.
//!
//! The signs `{ } ( ) | * ;` mean the same everywhere, in paths also `/ [ ]` and the first `=`. What is between backticks is
//! text, two backticks with nothing between them are one. `docs/language.md` has the grammar; a test holds it to the parser.
//!
//! Here it is only parsed. What a sign means in a place, and whether it may be there, is for those who use the parts.

mod facts;
mod parse;
mod paths;
#[cfg(test)]
mod tests;

pub use facts::NotationFact;
pub use parse::is_name;

use std::fmt;
use std::ops::Range;

/// Where something is: bytes of the text that was parsed.
pub type At = Range<usize>;

/// Why a text is none of the notation, and where in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BadNotation {
    /// The bytes of the text that are wrong.
    pub at: At,
    /// What is wrong.
    pub fact: NotationFact,
}

/// A shape or a value.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct Text {
    /// Its parts, in their order.
    pub parts: Vec<Part>,
    /// Where it is.
    pub at: At,
}

/// A part of a text, or of a step of a path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Text that is what it says.
    Plain(Plain),
    /// `{name}`
    Capture(Capture),
    /// `{= …}`: what an expression gives.
    Expression(Expression),
    /// `(…)`
    Group(Group),
    /// `*`: any text.
    Any(At),
    /// `|`: what is before it, or what is behind it.
    Or(At),
}

/// Text that is what it says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Plain {
    /// The text, without backticks.
    pub text: String,
    /// It was between backticks: a blank in it parts no words.
    pub quoted: bool,
    /// Where it is, with its backticks.
    pub at: At,
}

/// `{name}`, and what is said of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Capture {
    /// What the captured text is called.
    pub name: String,
    /// Whether it is one word, several, or the rest.
    pub list: Option<List>,
    /// What it may be, or what becomes of it.
    pub detail: Detail,
    /// `?` is behind it: it may be missing.
    pub optional: bool,
    /// Where it is.
    pub at: At,
}

/// More than one word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum List {
    /// `{x...}`: all that is left, as it is there.
    Rest,
    /// `{x+}`, `{x+,}`: one or more, with this between them; else blanks.
    Words(Option<String>),
}

/// What a capture may be, or what becomes of it.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub enum Detail {
    /// Nothing is said.
    #[default]
    None,
    /// `{x:type}`
    Type(String),
    /// `{x=a|b}`: one of these.
    OneOf(Vec<Word>),
    /// `{x -> table}`: put through a table.
    Map(Map),
}

/// A table that a capture is put through.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Map {
    /// One that is declared elsewhere.
    Named(String),
    /// `old=new, other=new`: written on the spot.
    Rows(Vec<(Word, Word)>),
}

/// A word of a choice or of a table, in which `*` is any text.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct Word {
    /// Its pieces; `None` is any text.
    pub pieces: Vec<Option<String>>,
}

/// `{= …}`
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expression {
    /// The expression.
    pub text: String,
    /// `?` is behind it.
    pub optional: bool,
    /// Where it is.
    pub at: At,
}

/// `(a|b)+?`
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Group {
    /// One of these.
    pub choices: Vec<Text>,
    /// `+`: once or several times.
    pub repeated: bool,
    /// `?`: it may be missing.
    pub optional: bool,
    /// Where it is.
    pub at: At,
}

/// A path of the tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Path {
    /// What it leads on from.
    pub start: Start,
    /// Its steps, from the outermost; none for `.`, and for `@place` alone.
    pub steps: Vec<Step>,
    /// `/` is behind it: the object itself, that it is there.
    pub object: bool,
    /// Where it is.
    pub at: At,
}

/// What a path leads on from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Start {
    /// Where it is written.
    Here,
    /// `/`: the outermost.
    Top,
    /// `../`: so many objects further out.
    Up(usize),
    /// `@place`: where an object went by the place of that name.
    Place {
        /// The name.
        name: String,
        /// `[{k}]`: of which object; else this one, or the nearest around it.
        key: Option<Key>,
        /// Where it is.
        at: At,
    },
}

/// One step of a path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// What it is called.
    pub name: StepName,
    /// What is in brackets behind it.
    pub key: Option<Key>,
    /// Where it is.
    pub at: At,
}

/// What a step is called.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum StepName {
    /// `**`: the thing and all below it.
    Below,
    /// A name of these parts.
    Parts(Vec<Part>),
}

/// `[…]` behind a step.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Key {
    /// `#`: the order counts; on either side of a rule, which one.
    pub ordered: bool,
    /// The keys; none for `[]` and `[#]`.
    pub texts: Vec<Text>,
    /// Where it is, with its brackets.
    pub at: At,
}

/// One clause of a side of a rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Clause {
    /// `&`: it reads, and takes nothing.
    pub reads: bool,
    /// `?`: its setting may be missing.
    pub optional: bool,
    /// What it is about.
    pub path: Path,
    /// What is there.
    pub content: Content,
    /// Where it is.
    pub at: At,
}

/// What a clause says of its path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// Nothing more.
    None,
    /// `= value`
    Value {
        /// `>=`: only where what holds there is less.
        at_least: bool,
        /// The value.
        text: Text,
    },
    /// `(…)`: what is below the path.
    Part(Vec<Clause>),
}

impl Word {
    /// The word itself, if no `*` is in it.
    pub fn as_literal(&self) -> Option<String> {
        self.pieces.iter().cloned().collect()
    }

    /// Whether it stands for any text.
    pub fn is_any(&self) -> bool {
        self.pieces == [None]
    }

    /// Whether a text is this word.
    pub fn fits(&self, text: &str) -> bool {
        fn fits(pieces: &[Option<String>], text: &str) -> bool {
            match pieces {
                [] => text.is_empty(),
                [Some(piece), rest @ ..] => {
                    text.strip_prefix(piece.as_str()).is_some_and(|text| fits(rest, text))
                }
                [None] => true,
                [None, rest @ ..] => text
                    .char_indices()
                    .map(|(at, _)| at)
                    .chain([text.len()])
                    .any(|at| fits(rest, &text[at..])),
            }
        }
        fits(&self.pieces, text)
    }
}

impl fmt::Display for Word {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.pieces.iter().try_for_each(|piece| f.write_str(piece.as_deref().unwrap_or("*")))
    }
}

impl Text {
    /// The text itself, if it is nothing else.
    pub fn as_literal(&self) -> Option<String> {
        literal(&self.parts)
    }
}

/// The text of parts that are nothing but text.
pub fn literal(parts: &[Part]) -> Option<String> {
    let texts = parts.iter().map(|part| match part {
        Part::Plain(plain) => Some(plain.text.as_str()),
        _ => None,
    });
    texts.collect()
}

impl Part {
    /// Where it is.
    pub fn at(&self) -> &At {
        match self {
            Self::Plain(plain) => &plain.at,
            Self::Capture(capture) => &capture.at,
            Self::Expression(expression) => &expression.at,
            Self::Group(group) => &group.at,
            Self::Any(at) | Self::Or(at) => at,
        }
    }
}
