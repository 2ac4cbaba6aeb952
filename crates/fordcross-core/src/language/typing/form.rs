//! The forms that a type can have.

use super::characters::Limits;
use super::commands::ShownCommands;
use super::quantity::Quantity;
use super::{Secret, TypeId};
use crate::text::shape::Shape;

/// What a type's values are and how they are written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    Text(Limits),
    Integer {
        min: i64,
        max: i64,
        /// `0x` in front of a number means hexadecimal and `0` octal.
        prefixes: bool,
    },
    Boolean {
        on: Vec<String>,
        off: Vec<String>,
        any_case: bool,
    },
    Choice {
        /// Each choice with its spellings, the one that is written first.
        values: Vec<Vec<String>>,
        any_case: bool,
    },
    Quantity(Quantity),
    Address {
        family: Family,
    },
    Network {
        family: Family,
    },
    PrefixLength {
        written: PrefixNotation,
    },
    Mac {
        separator: char,
        upper: bool,
    },
    Port,
    HostName,
    /// A host name or an address.
    Host,
    /// The name of an object of this profile.
    Name {
        limits: Limits,
        /// The path of the objects that it names one of, where that is checked.
        of: Option<Vec<String>>,
    },
    /// A place in a file system.
    Path,
    /// A command line, in which a password may be: it is shown only on request, or where its commands take none.
    Command(ShownCommands),
    /// The name of a release.
    Release,
    Certificate,
    Date,
    Secret(Secret),
    /// Several values of one type in one text.
    List {
        of: TypeId,
        /// What is written between them; white space around it says nothing.
        separator: String,
    },
    /// The first fitting alternative reads; one with the same captures writes.
    Shaped(Vec<Alternative>),
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Alternative {
    pub(crate) shape: Shape,
    /// The type of each capture, in order.
    pub(crate) types: Vec<TypeId>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Family {
    Any,
    V4,
    V6,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PrefixNotation {
    /// `255.255.255.0`
    Mask,
    /// `24`
    Length,
}
