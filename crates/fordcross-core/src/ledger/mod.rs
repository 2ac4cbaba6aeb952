//! The ledger: one row for each setting and object of the backup with its one fate, and one for each
//! setting of the result that none of the backup is behind.
//!
//! Rows are ids until they are written. Every report and the exit status are functions of it.
//!
//! Id spaces: a `RowId` counts the rows of the inventory of the backup (of a flat tree while inheritance is applied; `Folded` leads
//! back), a `NodeId` is one of the new tree unless its field says otherwise, and follows that tree's renumbering.

pub mod fate;

use crate::finding::Fact;
use crate::format::bundle::NoFile;
use crate::ids::{PortId, RowId, StepId, WentId};
use crate::language::crossing::RuleId;
use crate::language::phase::Phase;
use crate::ledger::fate::{Fate, Origin};
use crate::tree::NodeId;
use std::sync::Arc;

/// What was decided about one row of the reading.
#[derive(Clone, Debug)]
pub(crate) struct Decision {
    pub(crate) fate: Fate,
    /// The step of the course that decided.
    pub(crate) step: StepId,
    pub(crate) by: DecidedBy,
    /// The row's landings: a half-open range of [`Ledger::landings`], empty for a row that went nowhere.
    pub(crate) landings: (u32, u32),
}

/// What decided a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum DecidedBy {
    /// A rule of the crossing.
    Rule(RuleId),
    /// The map, by what it says of the port of this number in [`Ledger::ports`].
    Map(PortId),
    /// That the setting is in both releases of one platform.
    SamePlatform,
    /// That the new file says itself for which release and model it is.
    Header,
    /// That it is only there to be inherited from, or to say from what.
    Inheritance,
    /// That it is given again in the same place, and not all of these hold.
    Repeats,
    /// That it is in the one of two configurations that is not carried.
    NotChosen,
    /// That it is a file that an editor or a package left behind.
    Leftover,
    /// That it includes files, and there are none.
    NothingIncluded(NoFile),
    /// What it wrote broke a rule of the receiving platform and went: the number in [`Ledger::went`].
    RuleBroken(WentId),
    /// The old unit took it and did nothing with it, by the rule at this line of its profile.
    Ignored(u32),
    /// That there is nothing that speaks of it.
    Nothing,
}

/// Where a setting or object went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Landing {
    /// The node of the new tree; [`NodeId::DOCUMENT`] once it was taken out again.
    pub(crate) node: NodeId,
    /// That of this landing; the row has the gravest of its landings'.
    pub(crate) fate: Fate,
}

/// What became of a setting of the base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum BaseOutcome {
    /// It has another value now.
    Overwritten,
    /// What held it was replaced.
    Removed,
}

impl BaseOutcome {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Overwritten => "overwritten",
            Self::Removed => "removed",
        }
    }
}

/// A row of the result that no setting of the backup is behind.
#[derive(Clone, Debug)]
pub(crate) struct OriginRow {
    /// The setting of the new tree.
    pub(crate) node: NodeId,
    pub(crate) origin: Origin,
    /// File and line of what wrote it.
    pub(crate) rule: String,
}

/// What there is to say about a row beyond its fate.
#[derive(Clone, Debug)]
pub(crate) struct Note {
    /// `None` for what holds of the whole, and for what a crossing added itself.
    pub(crate) row: Option<RowId>,
    /// The step of the course.
    pub(crate) step: StepId,
    /// The line of the rule in the crossing of that step, from 1; `None` where no rule is behind it.
    pub(crate) line: Option<u32>,
    /// What it says; never with the value of a secret or an untyped setting in it.
    pub(crate) fact: Arc<dyn Fact>,
}

/// A place that a rule would have written to, had the row arrived.
#[derive(Clone, Debug)]
pub(crate) struct Wanted {
    /// The object of the new tree.
    pub(crate) node: NodeId,
    /// Where in it, as a path.
    pub(crate) path: Box<str>,
    pub(crate) row: RowId,
}

/// What went because a rule of the receiving platform was broken.
#[derive(Clone, Debug)]
pub(crate) struct WentFor {
    /// The rule, as file and line.
    pub(crate) rule: String,
    pub(crate) why: String,
}

/// All decisions of one carry.
#[derive(Clone, Debug, Default)]
pub struct Ledger {
    /// One for each row of the inventory, indexed by [`RowId`].
    pub(crate) decisions: Vec<Decision>,
    /// Those of one row are next to each other; rows in the order in which they were decided, which is not that of the backup.
    pub(crate) landings: Vec<Landing>,
    /// In the order in which they were written.
    pub(crate) origins: Vec<OriginRow>,
    /// In the order of rows; those without one first.
    pub(crate) notes: Vec<Note>,
    /// The ports that the map left or left open, indexed by [`PortId`].
    pub(crate) ports: Vec<String>,
    /// Old defaults that are also the new ones, where a base could say otherwise.
    pub(crate) implied: Vec<OriginRow>,
    /// Settings of the base that are not what they were.
    pub(crate) replaced: Vec<(NodeId, BaseOutcome)>,
    /// Steps of the work around the import, in the order of the course and within a crossing in that of its file.
    pub(crate) work: Vec<(Phase, String)>,
    /// What rows that did not arrive would have written, in the order of the rules that would have.
    pub(crate) wanted: Vec<Wanted>,
    /// Rows that did not arrive, each with a row that is to blame: sorted, the first of several of one row alone.
    pub(crate) because: Vec<(RowId, RowId)>,
    /// Indexed by [`WentId`].
    pub(crate) went: Vec<WentFor>,
    /// Rules whose result went, by the step of the course: they were applied all the same.
    pub(crate) applied: Vec<(StepId, RuleId)>,
}

impl Ledger {
    /// Follows the new tree's nodes to their new ids, which are indexed by the old ones. No node may be gone: see
    /// [`Ledger::follow`].
    pub(crate) fn renumber(&mut self, new_ids: &[NodeId]) {
        for landing in &mut self.landings {
            landing.node = new_ids[landing.node.index()];
        }
        for row in self.origins.iter_mut().chain(&mut self.implied) {
            row.node = new_ids[row.node.index()];
        }
        for wanted in &mut self.wanted {
            wanted.node = new_ids[wanted.node.index()];
        }
    }

    /// Where a row landed.
    pub(crate) fn landings_of(&self, decision: &Decision) -> &[Landing] {
        &self.landings[decision.landings.0 as usize..decision.landings.1 as usize]
    }

    /// The same where nodes may be gone: `places` has `None` for these, and their landings become [`NodeId::DOCUMENT`].
    pub(crate) fn follow(&mut self, places: &[Option<NodeId>]) {
        let at = |node: NodeId| places.get(node.index()).copied().flatten().unwrap_or(NodeId::DOCUMENT);
        for landing in &mut self.landings {
            landing.node = at(landing.node);
        }
        for row in &mut self.origins {
            row.node = at(row.node);
        }
        for wanted in &mut self.wanted {
            wanted.node = at(wanted.node);
        }
    }

    /// How many rows have a place in the backup.
    pub fn len(&self) -> usize {
        self.decisions.len()
    }

    /// Whether the backup held nothing.
    pub fn is_empty(&self) -> bool {
        self.decisions.is_empty()
    }
}
