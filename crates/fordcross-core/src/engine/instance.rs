//! Objects, and other scopes, that places take.

use super::capture::{Capture, Failure};
use crate::ids::RowId;
use crate::language::crossing::{ClauseId, RuleId};
use crate::ledger::fate::Fate;
use crate::tree::NodeId;
use smallvec::SmallVec;
use std::borrow::Cow;
use std::cell::Cell;

/// The steps of a place's target, each with what became of the capture in it.
pub(super) type Names<'i> = SmallVec<[(Cow<'i, str>, Fate); 3]>;

/// One object, or other scope, that a place takes.
pub(super) struct Instance<'i> {
    pub(super) scope: NodeId,
    /// One past its last node.
    pub(super) end: NodeId,
    /// The place's captures.
    pub(super) slots: Slots<'i>,
    /// Its place among its like, from 1.
    pub(super) index: usize,
    /// Where it goes; made when something lands there.
    pub(super) target: Cell<Option<NodeId>>,
    pub(super) names: Result<Names<'i>, Failure>,
}

/// The rows that clauses of rules of several settings could take, within one scope.
#[derive(Debug)]
pub(super) struct Parts {
    pub(super) scope: NodeId,
    /// Rule, clause and row, in that order.
    pub(super) rows: SmallVec<[(RuleId, ClauseId, RowId); 16]>,
}

impl Parts {
    /// Those that one clause of a rule could take.
    pub(super) fn of(&self, rule: RuleId, clause: ClauseId) -> &[(RuleId, ClauseId, RowId)] {
        let from = self.rows.partition_point(|part| (part.0, part.1) < (rule, clause));
        let rest = &self.rows[from..];
        &rest[..rest.partition_point(|part| (part.0, part.1) == (rule, clause))]
    }
}

/// The captures of a rule, or of its place alone.
pub(super) type Slots<'i> = SmallVec<[Option<Capture<'i>>; 6]>;
