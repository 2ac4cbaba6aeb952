//! What is numbered, by types of their own: a number of one list is an index into that list and into no other.

use std::ops::Range;

/// A type for the numbers of one list, which begin at 0.
macro_rules! ids {
    ($($(#[$about:meta])* $name:ident($number:ty))*) => {$(
        $(#[$about])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub(crate) struct $name($number);

        impl $name {
            /// The number of what is at an index.
            pub(crate) fn new(index: usize) -> Self {
                debug_assert!(<$number>::try_from(index).is_ok(), "no list is so long");
                Self(index as $number)
            }

            /// The index.
            pub(crate) fn index(self) -> usize {
                self.0 as usize
            }
        }
    )*};
}

ids! {
    /// A declaration of a profile, among [`Schema::entries`](crate::language::profile::Schema::entries).
    EntryId(u16)
    /// A rule of a profile for its own configurations, among those of its kind.
    OwnRule(u16)
    /// A section of a profile.
    SectionId(u16)
    /// A rule of a crossing, among its rules.
    RuleId(u32)
    /// A clause of the left side of a rule. The first one of a place is its object itself.
    ClauseId(u8)
    /// A place of a crossing, among its places.
    PlaceId(u16)
    /// What a capture of a rule is bound to, among all that its object and its clauses bind.
    SlotId(u16)
    /// A look-up of a crossing, among its look-ups.
    LookUpId(u16)
    /// A crossing of a course, from the first one.
    StepId(u8)
    /// A setting or object of a backup, in the order of its text.
    RowId(u32)
    /// A port that the map left or left open, among [`Ledger::ports`](crate::ledger::Ledger::ports).
    PortId(u32)
    /// A rule of the receiving platform that something went for, among [`Ledger::went`](crate::ledger::Ledger::went).
    WentId(u32)
}

impl ClauseId {
    /// The first one of a rule.
    pub(crate) const FIRST: Self = Self(0);
}

impl StepId {
    /// The first one, which begins with the backup.
    pub(crate) const FIRST: Self = Self(0);
}

impl EntryId {
    /// In the place of the declaration of a setting that has none.
    pub(crate) const NONE: Self = Self(u16::MAX);
}

impl SectionId {
    /// In the place of the section of what is in none.
    pub(crate) const NONE: Self = Self(u16::MAX);
}

impl RowId {
    /// So many rows, from the first one.
    pub(crate) fn all(count: usize) -> impl Iterator<Item = Self> + Clone {
        Self::range(0..count)
    }

    /// The rows at a range of indices, in their order.
    pub(crate) fn range(range: Range<usize>) -> impl Iterator<Item = Self> + Clone {
        (range.start as u32..range.end as u32).map(Self)
    }
}
