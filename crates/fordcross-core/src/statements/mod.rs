//! Text of statements: command scripts, block text, rows without a header, keys with values.
//!
//! No two programs write them alike, so a profile declares the [`Grammar`]: what parts words, what ends a
//! statement, how blocks nest, and the shape of each statement. By its shape a statement is read into a branch
//! or a value, and written from it.

mod read;
mod shape;
#[cfg(test)]
mod tests;
mod write;

pub(crate) use read::{Included, read_into};
pub(crate) use shape::{Part, StatementShape};
pub(crate) use write::{holds_value, write_statements};

/// How a line writes its statements.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Grammar {
    /// What a comment begins with.
    pub(crate) comments: Vec<String>,
    /// A comment may stand behind a statement.
    pub(crate) trailing_comments: bool,
    /// What a line ends with when the statement goes on in the next one.
    pub(crate) continues: Option<char>,
    /// What a word with blanks in it may stand in.
    pub(crate) quotes: Vec<char>,
    /// How a quote stands inside quotes.
    pub(crate) escape: Escape,
    /// Quotes are part of what is said: a word with them means something else.
    pub(crate) keeps_quotes: bool,
    /// Characters that are words of their own.
    pub(crate) marks: Vec<char>,
    /// Characters beside letters and digits that a word has without quotes.
    pub(crate) plain: String,
    /// What ends a statement beside the end of its line.
    pub(crate) end: Option<char>,
    /// A statement ends with that and nothing else.
    pub(crate) end_needed: bool,
    /// How statements stand inside others.
    pub(crate) nesting: Nesting,
    /// What is written before each line of a block, once a level.
    pub(crate) indent: String,
    /// The statements: the first whose shape fits is the one.
    pub(crate) statements: Vec<Statement>,
}

/// How a quote stands inside quotes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Escape {
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
    pub(crate) const ALL: [(&'static str, Self); 4] = [
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

/// How statements stand inside others.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Nesting {
    /// None does.
    Flat,
    /// In braces.
    Braces,
    /// Further in than the statement that holds them.
    Indent,
    /// Up to a closing word.
    Words(String),
    /// Up to the next statement that stands at the top.
    UntilNext,
}

/// A statement that the line has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Statement {
    pub(crate) shape: StatementShape,
    /// The path of what it makes, from the block that it stands in.
    pub(crate) path: Vec<PathPart>,
    /// The blocks that it stands in; none for the top, `*` for any.
    pub(crate) within: Vec<String>,
    /// Other statements stand in it.
    pub(crate) opens: bool,
    /// The line that ends the text that follows it.
    pub(crate) body_until: Option<String>,
    /// The value that it stands for, where it has none in it.
    pub(crate) value: Option<String>,
    /// The capture that names files whose statements stand in its place.
    pub(crate) includes: Option<String>,
}

/// One step of the path that a statement makes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum PathPart {
    Name(String),
    Capture(String),
}

/// The capture that is the value of what a statement makes.
pub(crate) const VALUE: &str = "value";
/// What the text that follows a statement is called.
pub(crate) const BODY: &str = "body";
/// What the rest of a statement that no shape fits is called, if it opens a block.
pub(crate) const WORDS: &str = "words";

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
            end: None,
            end_needed: false,
            nesting: Nesting::Flat,
            indent: "  ".into(),
            statements: Vec::new(),
        }
    }
}

impl Statement {
    /// Whether it makes a value and no branch.
    pub(crate) fn makes_value(&self) -> bool {
        self.value.is_some() || self.shape.has(VALUE)
    }

    /// Whether it can stand in a block of that name; the top has none.
    pub(crate) fn stands_in(&self, block: Option<&str>) -> bool {
        match block {
            None => self.within.is_empty() || self.within.iter().any(|within| within == "*"),
            Some(block) => self.within.iter().any(|within| within == block || within == "*"),
        }
    }
}
