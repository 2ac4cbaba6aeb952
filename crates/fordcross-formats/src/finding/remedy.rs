//! What to do about a finding: in words, with what a person can say to the program named by what it is. How it is said (an
//! option, a variable, a field of a form) is for the caller to word.

use std::borrow::Cow;

/// What a person can say to the program.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Choice {
    /// The answer to what a crossing asks: the fact.
    Answer(String),
    /// The rows of a ledger that are of a base.
    BaseRows,
    /// The character set of a backup, or this one of them.
    Charset(Option<&'static str>),
    /// Which of two configurations is carried.
    Configuration,
    /// How much memory may be used.
    MaxMemory,
    /// How much may be unpacked.
    MaxUnpacked,
    /// The passphrase of an encrypted backup, in all ways that it can be given.
    Passphrase,
    /// A folder of further profiles and crossings.
    Profiles,
    /// The release that a backup is read as.
    From,
    /// That old defaults are written out only as far as they do not weaken.
    PinSafe,
}

/// A piece of a remedy.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RemedyPart {
    /// Words.
    Text(Cow<'static, str>),
    /// Something to say.
    Choice(Choice),
}

/// What to do about a finding.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Remedy {
    parts: Vec<RemedyPart>,
}

impl Remedy {
    /// With words behind it.
    #[must_use]
    pub fn text(mut self, text: impl Into<Cow<'static, str>>) -> Self {
        self.parts.push(RemedyPart::Text(text.into()));
        self
    }

    /// With something to say behind it.
    #[must_use]
    pub fn choice(mut self, choice: Choice) -> Self {
        self.parts.push(RemedyPart::Choice(choice));
        self
    }

    /// Its pieces, in their order: together they are the sentence.
    pub fn parts(&self) -> &[RemedyPart] {
        &self.parts
    }
}

impl From<&str> for Remedy {
    fn from(text: &str) -> Self {
        Self::default().text(text.to_owned())
    }
}

impl From<String> for Remedy {
    fn from(text: String) -> Self {
        Self::default().text(text)
    }
}
