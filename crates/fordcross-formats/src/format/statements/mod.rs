//! Text of statements: command scripts, block text, rows without a header, keys with values.
//!
//! No two programs write them alike, so a profile declares the [`Grammar`]: what parts words, what ends a
//! statement, how blocks nest, and the shape of each statement. By its shape a statement is read into a branch
//! or a value, and written from it.

mod codec;
mod declare;
mod edit;
mod facts;
mod read;
mod scan;
mod shape;
#[cfg(test)]
mod tests;
mod words;
mod write;

pub(super) use codec::TRAITS;

use super::codec::Includes;
use shape::{Part, StatementShape, is_choice};

/// How a platform writes its statements.
#[derive(Clone, Debug, PartialEq, Eq)]
#[expect(clippy::struct_excessive_bools, reason = "each is a manner of its own, as a profile declares it")]
struct Grammar {
    /// What a comment begins with.
    comments: Vec<String>,
    /// A comment may be behind a statement.
    trailing_comments: bool,
    /// What a line ends with when the statement goes on in the next one.
    continues: Option<char>,
    /// What a word with blanks in it may be in.
    quotes: Vec<char>,
    /// How a quote is inside quotes.
    escape: Escape,
    /// Quotes are part of what is said: a word with them means something else.
    keeps_quotes: bool,
    /// Characters that are words of their own.
    marks: Vec<char>,
    /// Characters beside letters and digits that a word has without quotes.
    plain: String,
    /// Numbers need no quotes, whatever is in them.
    bare_numbers: bool,
    /// Words of the language are read in capitals, too.
    any_case: bool,
    /// What ends a statement beside the end of its line.
    end: Option<char>,
    /// A statement ends with that and nothing else.
    end_needed: bool,
    /// How statements are inside others.
    nesting: Nesting,
    /// What is written before each line of a block, once a level.
    indent: String,
    /// The statements: the first whose shape fits is the one.
    statements: Vec<Statement>,
}

/// How a quote is inside quotes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Escape {
    /// Not at all.
    None,
    /// Twice.
    Doubled,
    /// Behind a backslash, which itself is doubled.
    Backslash,
    /// Both are read; doubled is written.
    Both,
}

impl Escape {
    const ALL: [(&'static str, Self); 4] = [
        ("none", Self::None),
        ("doubled", Self::Doubled),
        ("backslash", Self::Backslash),
        ("both", Self::Both),
    ];

    fn doubles(self) -> bool {
        matches!(self, Self::Doubled | Self::Both)
    }

    fn slashes(self) -> bool {
        matches!(self, Self::Backslash | Self::Both)
    }
}

/// How statements are inside others.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Nesting {
    /// None does.
    Flat,
    /// In braces.
    Braces,
    /// Further in than the statement that holds them.
    Indent,
    /// Up to a closing word.
    Words(String),
    /// Up to the next statement that is at the top.
    UntilNext,
}

/// A statement that the platform has.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Statement {
    shape: StatementShape,
    /// The path of what it makes, from the block that it is in.
    path: Vec<PathPart>,
    /// The blocks that it is in; `None` for the top, `*` for any.
    within: Vec<String>,
    /// Other statements are in it.
    opens: bool,
    /// The line that ends the text that follows it.
    body_until: Option<String>,
    /// The value that it stands for, where it has none in it.
    value: Option<String>,
    /// Quotes that its values may be in, where quotes mean nothing elsewhere.
    unquote: Option<char>,
    /// It names files whose statements are in its place.
    includes: Option<Includes>,
    /// The capture that is a text of pairs.
    inside: Option<Inside>,
}

/// A text in a statement that is itself pairs of a name and a value, such as a connection string. They are
/// settings of what the statement makes.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Inside {
    /// The capture.
    of: String,
    /// One pair, as a repeated group.
    shape: StatementShape,
    /// How its words are parted and quoted.
    grammar: Grammar,
}

/// One step of the path that a statement makes.
#[derive(Clone, Debug, PartialEq, Eq)]
enum PathPart {
    Name(String),
    Capture(String),
}

impl PathPart {
    /// The name itself, or that of the capture.
    fn text(&self) -> &str {
        match self {
            Self::Name(text) | Self::Capture(text) => text,
        }
    }
}

/// The capture that is the value of what a statement makes.
const VALUE: &str = "value";
/// What the text that follows a statement is called.
const BODY: &str = "body";
/// What the rest of a statement that no shape fits is called, if it opens a block.
const WORDS: &str = "words";

impl Default for Grammar {
    fn default() -> Self {
        Self {
            comments: vec!["#".into()],
            trailing_comments: false,
            continues: None,
            quotes: Vec::new(),
            escape: Escape::None,
            keeps_quotes: false,
            marks: Vec::new(),
            plain: "_-./:@%+*,".into(),
            bare_numbers: false,
            any_case: false,
            end: None,
            end_needed: false,
            nesting: Nesting::Flat,
            indent: "  ".into(),
            statements: Vec::new(),
        }
    }
}

impl Grammar {
    /// The paths of statements that include files, where they have names, with what they include.
    fn including(&self) -> impl Iterator<Item = (Vec<String>, &Includes)> + '_ {
        self.statements.iter().filter_map(|statement| {
            let includes = statement.includes.as_ref()?;
            let names = statement.path.iter().map(|step| match step {
                PathPart::Name(name) => Some(name.clone()),
                PathPart::Capture(_) => None,
            });
            Some((names.collect::<Option<_>>()?, includes))
        })
    }

    /// A value without the quotes that values keep.
    fn bare<'v>(&self, value: &'v str) -> &'v str {
        let bare = |quote: &char| value.strip_prefix(*quote)?.strip_suffix(*quote);
        let kept = Some(&self.quotes).filter(|_| self.keeps_quotes);
        kept.into_iter().flatten().find_map(bare).unwrap_or(value)
    }
}

impl Statement {
    /// Whether it makes a value and no branch.
    fn makes_value(&self) -> bool {
        self.value.is_some() || self.shape.has(VALUE)
    }

    /// Whether its shape has a step of the path where that name can be.
    fn may_be(&self, step: &PathPart, name: &str) -> bool {
        let PathPart::Capture(capture) = step else { return true };
        self.shape.parts.iter().all(|part| match part {
            Part::Capture(known, choice) if known == capture && !choice.is_empty() => is_choice(choice, name),
            _ => true,
        })
    }

    /// Whether it can be in a block of that name; the top has none.
    fn stands_in(&self, block: Option<&str>) -> bool {
        match block {
            None => self.within.is_empty() || self.within.iter().any(|within| within == "*"),
            Some(block) => self.within.iter().any(|within| within == block || within == "*"),
        }
    }
}
