//! What findings say, as data: a type for each room, declared as one table of facts with their codes, words and remedies.
//!
//! The words are beside the data, and not where something is found: a table is read, reworded and translated as a whole. How a
//! remedy's choices are said (an option, a field of a form) is the caller's, see [`Remedy`].

use super::{Code, Remedy};
use std::fmt;
use std::sync::Arc;

/// What a finding says. Its `Display` is the sentence: lower case, no full stop, the user's own words in backticks. It never
/// holds the value of a secret, nor that of a setting without a type.
pub trait Fact: fmt::Display + fmt::Debug + Send + Sync {
    /// What kind of finding it makes.
    fn code(&self) -> Code;

    /// The code as people and programs know it.
    fn name(&self) -> &str {
        self.code().name()
    }

    /// What to do about it.
    fn remedy(&self) -> Option<Remedy> {
        None
    }
}

/// What a profile or a crossing says in its own words: the one kind of fact whose sentence is not the program's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeclaredText {
    code: Code,
    name: Option<Arc<str>>,
    text: Arc<str>,
    remedy: Option<Remedy>,
}

impl DeclaredText {
    /// A declared sentence, under a code of ours.
    pub fn new(code: Code, text: impl Into<Arc<str>>) -> Self {
        Self { code, name: None, text: text.into(), remedy: None }
    }

    /// With the code that the profile gave it, the platform in front: `osier/lease-outside-subnet`.
    #[must_use]
    pub fn named(mut self, name: impl Into<Arc<str>>) -> Self {
        self.name = Some(name.into());
        self
    }

    /// With what to do about it.
    #[must_use]
    pub fn remedy(mut self, remedy: impl Into<Remedy>) -> Self {
        self.remedy = Some(remedy.into());
        self
    }
}

impl fmt::Display for DeclaredText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl Fact for DeclaredText {
    fn code(&self) -> Code {
        self.code
    }

    fn name(&self) -> &str {
        self.name.as_deref().unwrap_or_else(|| self.code.name())
    }

    fn remedy(&self) -> Option<Remedy> {
        self.remedy.clone()
    }
}

/// Declares a room's facts: a variant each with its fields, its code, its sentence, and what to do about it.
///
/// Sentence and `help` are format strings over the fields. A remedy with more than words is given by `remedy` instead: an
/// expression over references to the fields, a [`Remedy`] or an `Option` of one.
///
/// ```
/// use fordcross_formats::finding::facts;
/// facts! {
///     /// What is wrong with a basket.
///     enum BasketFact {
///         Full { most: usize } => TooLarge, "the basket holds more than {most} apples", help: "take {most} at most";
///         Empty => NotText, "the basket is empty";
///     }
/// }
/// assert_eq!(BasketFact::Full { most: 3 }.to_string(), "the basket holds more than 3 apples");
/// ```
#[macro_export]
macro_rules! facts {
    ($(#[$about:meta])* $visibility:vis enum $name:ident { $(
        $variant:ident $({ $($field:ident: $type:ty),* $(,)? })? => $code:ident, $text:literal
        $(, help: $help:literal)? $(, remedy: $remedy:expr)?;
    )* }) => {
        $(#[$about])*
        #[derive(Clone, Debug, PartialEq, Eq)]
        #[allow(missing_docs, reason = "the sentence says what each field is")]
        $visibility enum $name { $( #[doc = $text] $variant $({ $($field: $type),* })?, )* }

        impl ::std::fmt::Display for $name {
            #[allow(unused_variables, reason = "a field may stand in the remedy only")]
            fn fmt(&self, f: &mut ::std::fmt::Formatter<'_>) -> ::std::fmt::Result {
                match self { $( Self::$variant $({ $($field),* })? => ::std::write!(f, $text), )* }
            }
        }

        impl $crate::finding::Fact for $name {
            fn code(&self) -> $crate::finding::Code {
                match self { $( Self::$variant { .. } => $crate::finding::Code::$code, )* }
            }

            #[allow(unused_variables, reason = "a field may stand in the sentence only")]
            fn remedy(&self) -> ::std::option::Option<$crate::finding::Remedy> {
                match self { $( Self::$variant $({ $($field),* })? => {
                    $( return Some(::std::format!($help).into()); )?
                    $( return ::std::option::Option::from($remedy); )?
                    #[allow(unreachable_code, reason = "reached where there is no remedy")]
                    None
                } )* }
            }
        }
    };
}
