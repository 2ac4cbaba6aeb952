//! What a crossing is numbered by. Each is an index into one list of the crossing, or of one rule of it, and into no other.

/// A rule, by its place in [`super::Crossing::rules`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct RuleId(u32);

impl RuleId {
    pub(crate) fn new(index: usize) -> Self {
        Self(index as u32)
    }

    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// A clause, by its place among those of its rule.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct ClauseId(u8);

impl ClauseId {
    /// The first one of a rule: for a place it is the object itself.
    pub(crate) const FIRST: Self = Self(0);

    pub(crate) fn new(index: usize) -> Self {
        debug_assert!(u8::try_from(index).is_ok(), "no rule has so many clauses");
        Self(index as u8)
    }

    pub(crate) fn index(self) -> usize {
        usize::from(self.0)
    }
}
