//! Entries of a map.

use crate::finding::Finding;
use crate::ids::RowId;
use crate::tree::pattern::Pattern;

/// An entry of a map, by its number among all that can be exempt.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct EntryNumber(pub(super) u16);

/// The entries that have no say in a value.
pub(crate) type Except<'e> = &'e [EntryNumber];

/// What has a new name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Renamed<T> {
    pub(super) old: T,
    pub(super) new: T,
    pub(super) number: EntryNumber,
    /// The line of the map file.
    pub(super) line: u32,
    /// Settings of either side that it is not for.
    pub(super) except: Vec<Pattern>,
}

/// A finding, and the rows of the backup that it is about, the first of them where it is.
pub(super) type Reported = (Finding, Vec<RowId>);
