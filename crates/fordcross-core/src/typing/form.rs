//! The forms that a type can have.

use super::{Kept, TypeId};
use crate::shape::Shape;

/// What a type's values are and how they are written.
#[derive(Clone, Debug)]
pub(crate) enum Form {
    Text {
        max: Option<usize>,
    },
    Integer {
        min: i64,
        max: i64,
    },
    Boolean {
        on: Vec<String>,
        off: Vec<String>,
    },
    /// Each choice with its spellings, the one that is written first.
    Choice(Vec<Vec<String>>),
    Duration {
        unit: TimeUnit,
        min: u64,
        max: u64,
        never: Option<String>,
    },
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
    Name,
    Certificate,
    Date,
    Secret(Kept),
    /// The first fitting alternative reads; one with the same captures writes.
    Shaped(Vec<Alternative>),
}

#[derive(Clone, Debug)]
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

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum TimeUnit {
    Millisecond,
    Second,
    Minute,
    Hour,
    Day,
}

impl TimeUnit {
    pub(crate) const ALL: [(&'static str, Self); 5] = [
        ("ms", Self::Millisecond),
        ("s", Self::Second),
        ("min", Self::Minute),
        ("h", Self::Hour),
        ("d", Self::Day),
    ];

    pub(crate) fn millis(self) -> u64 {
        match self {
            Self::Millisecond => 1,
            Self::Second => 1_000,
            Self::Minute => 60_000,
            Self::Hour => 3_600_000,
            Self::Day => 86_400_000,
        }
    }

    pub(crate) fn symbol(self) -> &'static str {
        Self::ALL.iter().find(|(_, unit)| *unit == self).map_or("", |(symbol, _)| symbol)
    }

    /// The word for several of it.
    pub(crate) fn plural(self) -> &'static str {
        match self {
            Self::Millisecond => "milliseconds",
            Self::Second => "seconds",
            Self::Minute => "minutes",
            Self::Hour => "hours",
            Self::Day => "days",
        }
    }

    /// The largest unit that holds `millis` without a rest, for people to read.
    pub(crate) fn fitting(millis: u64) -> Self {
        let holds = |unit: &Self| millis > 0 && millis.is_multiple_of(unit.millis());
        Self::ALL.iter().rev().map(|(_, unit)| *unit).find(holds).unwrap_or(Self::Second)
    }
}
