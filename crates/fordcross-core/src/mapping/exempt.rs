//! Settings that entries of a map have no say in.

use super::entry::{EntryNumber, Except};
use crate::ids::EntryId;
use crate::language::profile::Profile;
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;

/// The entries that have no say in settings, by the declarations of these on either side.
#[derive(Clone, Debug, Default)]
pub(crate) struct Exempt {
    old: FxHashMap<EntryId, Vec<EntryNumber>>,
    /// By both declarations.
    both: FxHashMap<(EntryId, EntryId), Vec<EntryNumber>>,
    new: FxHashMap<EntryId, Vec<EntryNumber>>,
}

impl Exempt {
    /// What entries say of the settings of two profiles that they are not for.
    pub(super) fn new<'e>(
        exceptions: impl Iterator<Item = (EntryNumber, &'e [Pattern])>,
        old: &Profile,
        new: &Profile,
    ) -> Self {
        let mut exempt = Self::default();
        for (number, except) in exceptions {
            for (profile, side) in [(old, &mut exempt.old), (new, &mut exempt.new)] {
                for (index, entry) in profile.schema.entries.iter().enumerate() {
                    if except.iter().any(|pattern| pattern.covers(&entry.pattern)) {
                        side.entry(EntryId::new(index)).or_default().push(number);
                    }
                }
            }
        }
        for (&old, ours) in &exempt.old {
            for (&new, theirs) in &exempt.new {
                exempt.both.insert((old, new), ours.iter().chain(theirs).copied().collect());
            }
        }
        exempt
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.old.is_empty() && self.new.is_empty()
    }

    pub(crate) fn of(&self, old: EntryId, new: Option<EntryId>) -> Except<'_> {
        if self.is_empty() {
            return &[];
        }
        let both = new.and_then(|new| self.both.get(&(old, new)));
        let either = || self.old.get(&old).or_else(|| self.new.get(&new?));
        both.or_else(either).map_or(&[], Vec::as_slice)
    }
}
