//! What everything that a map can give new names has in common.

use super::entry::{EntryNumber, Except, Reported};
use super::left_over::Word;
use super::proposal::{Grounds, Proposal};
use super::seen::{Seen, UsedName};
use super::sides::{MapSides, MapUse};
use super::{LeftOver, MapKind};
use crate::declaration::Section;
use crate::finding::Findings;
use crate::language::typing::Value;
use crate::recognise::backup::Backup;
use crate::text::source::LineIndex;
use crate::tree::pattern::Pattern;
use std::any::Any;
use std::fmt;
use std::sync::Arc;

/// What the table of a kind is read with.
pub(crate) struct Reading<'r, 's> {
    pub(super) sides: &'r MapSides<'r>,
    pub(super) purpose: MapUse,
    pub(super) lines: &'r LineIndex<'s>,
    /// The number of the next entry that can be exempt.
    pub(super) next: EntryNumber,
}

impl Reading<'_, '_> {
    /// A number of its own.
    pub(super) fn number(&mut self) -> EntryNumber {
        let number = self.next;
        self.next.0 += 1;
        number
    }
}

/// The names of one kind that a map gives, and the names of that kind that a backup has.
pub(crate) trait Mapped: fmt::Debug + Send + Sync {
    /// The kind.
    fn kind(&self) -> MapKind;

    /// The map file's table.
    fn table(&self) -> &'static str;

    /// Reads the entries of the table. Everything wrong with them is reported at its place.
    fn read(&mut self, section: &Section<'_, '_>, with: &mut Reading<'_, '_>);

    /// Takes in what was proposed when the file was written, for kinds that have proposals.
    fn read_proposed(&mut self, section: &Section<'_, '_>) {
        let _ = section;
    }

    /// Whether nothing has another name.
    fn renames_nothing(&self) -> bool;

    /// The names that a backup has, for a person to map; kinds whose names are all proposed list none.
    fn used(&self, seen: &Seen<'_>) -> Vec<UsedName> {
        let _ = seen;
        Vec::new()
    }

    /// What the list of used names is headed with: what a person gives them.
    fn invitation(&self) -> &'static str {
        ""
    }

    /// Entries that nothing in the backup is meant by.
    fn unused(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let _ = seen;
        Vec::new()
    }

    /// Two names of the backup that become one, or one that becomes what another is.
    fn collisions(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let _ = seen;
        Vec::new()
    }

    /// Names of the backup that leave what held them, or fall into what did not.
    fn displaced(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let _ = seen;
        Vec::new()
    }

    /// Proposes new names for names of the backup, with a reason each, for kinds that can; what a person gave is among them. In the
    /// order of the backup's names. Findings do not stop the proposal.
    fn propose(&self, on: &Grounds<'_>, backup: &Backup<'_>) -> (Vec<Proposal>, Findings) {
        let _ = (on, backup);
        (Vec::new(), Findings::new())
    }

    /// The kind with what was proposed of it; `None` for a kind without proposals.
    fn with_proposals(&self, proposals: &[Proposal]) -> Option<Arc<dyn Mapped>> {
        let _ = proposals;
        None
    }

    /// Puts what the map says into the place of a single value. Returns whether anything changed.
    fn apply<'m>(&'m self, value: &mut Value<'m>, except: Except<'_>) -> bool;

    /// The line of the map file that has a say in a single value.
    fn line_of(&self, value: &Value<'_>) -> Option<u32>;

    /// The entries with settings that they are not for.
    fn exceptions(&self) -> Vec<(EntryNumber, &[Pattern])> {
        Vec::new()
    }

    /// Old names that are in a word of a free text.
    fn left_over(&self, word: &Word<'_>, found: &mut Vec<LeftOver>);

    /// The kind itself, for what only one of them is asked.
    fn as_any(&self) -> &dyn Any;
}
