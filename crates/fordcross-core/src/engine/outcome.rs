//! What applying a crossing makes: the new tree, and a decision about each row. Here it is written, and nowhere else.

use super::capture::Failure;
use super::draft::Draft;
use super::facts::NotCarried;
use super::matcher::{Fit, Matcher};
use super::plain_rule::Evaluated;
use super::program::Program;
use crate::finding::Fact;
use crate::ids::{PlaceId, RowId, StepId};
use crate::language::crossing::RuleId;
use crate::language::phase::Phase;
use crate::language::typing::Loss;
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Decision, Landing, Ledger, Note, OriginRow, Wanted};
use crate::text::source::LineIndex;
use crate::tree::{NodeId, Tree};
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use std::cell::{Cell, OnceCell};
use std::sync::Arc;

/// Numbers of rows; nearly always few.
pub(super) type Rows = SmallVec<[RowId; 4]>;

/// A leaf that a rule wrote, with the rows behind it.
pub(super) struct Written {
    pub(super) node: NodeId,
    pub(super) fate: Fate,
    pub(super) loss: Option<Loss>,
    pub(super) rows: Rows,
}

/// What is settled when all rules have been applied.
#[derive(Default)]
pub(super) struct Pending {
    /// Branches that nothing arrived in, which were taken out.
    pub(super) empty: FxHashSet<NodeId>,
    /// Rules that did not write, with their rows: where they would have is looked for when all objects are there.
    pub(super) unwritten: Vec<(RuleId, Fit)>,
    /// From branches of the old tree to those of the new one that they went to as a whole, by rule.
    pub(super) branches: FxHashMap<(RuleId, NodeId), NodeId>,
    /// What was added.
    pub(super) added: FxHashSet<NodeId>,
    /// Rows that no rule takes.
    pub(super) unruled: Vec<RowId>,
    /// Where what rules read went, by row.
    pub(super) read_by: Vec<(RowId, RuleId, Landing)>,
    /// What rules read and could not write.
    pub(super) read_failures: Vec<(RowId, RuleId, Failure)>,
    /// Rules that were applied though no row was decided by them.
    pub(super) applied: Vec<(StepId, RuleId)>,
}

pub(super) struct Engine<'p, 'i, 'a> {
    pub(super) program: &'p Program<'p, 'i, 'a>,
    pub(super) matcher: Matcher<'p, 'i, 'a>,
    pub(super) draft: Draft<'i, 'a>,
    /// Indexed by [`RowId`]; `None` as long as there is no decision. A row is decided once, in the order of rules and not of rows.
    pub(super) decided: Vec<Option<Decision>>,
    pub(super) landings: Vec<Landing>,
    notes: Vec<Note>,
    pub(super) origins: Vec<OriginRow>,
    pub(super) implied: Vec<OriginRow>,
    /// The default that is being pinned is written in any case.
    pub(super) always_pins: bool,
    /// The branch that all objects of a place are in, once something was written there.
    pub(super) bases: Vec<Option<NodeId>>,
    /// Where the scopes of named places went: from a place and a node of the old tree to one of the new.
    pub(super) targets: FxHashMap<(PlaceId, NodeId), NodeId>,
    pub(super) work: Vec<(Phase, String)>,
    pub(super) lines: OnceCell<LineIndex<'a>>,
    /// The last answer about comments: a branch of the old tree, a comment in it, and what comes after that and the comments behind
    /// it. Comments are asked about in their order, so that the next question mostly begins here.
    pub(super) said_of: Cell<Option<(NodeId, NodeId, Option<NodeId>)>>,
    /// What one row made: one buffer for all rows, as most write some bytes and allocating for each was measurable.
    pub(super) made: Evaluated,
    /// What rows that do not arrive would have written.
    pub(super) wanted: Vec<Wanted>,
    /// Rows that do not arrive, each with a row that is to blame; unsorted until the end.
    pub(super) because: Vec<(RowId, RowId)>,
    pub(super) pending: Pending,
    /// From branches of the old tree to those of the new one that took their place, between releases of one platform.
    pub(super) moved_to: FxHashMap<NodeId, NodeId>,
}

impl<'p, 'i, 'a> Engine<'p, 'i, 'a> {
    /// Nothing decided yet; `made` is the tree to write into.
    pub(super) fn new(program: &'p Program<'p, 'i, 'a>, made: Tree<'a>) -> Self {
        let (matcher, unanswered) = Matcher::new(program);
        let mut engine = Self {
            program,
            matcher,
            draft: Draft::new(made, program.step.new_profile()),
            decided: vec![None; program.reading.rows.len()],
            landings: Vec::new(),
            notes: Vec::new(),
            origins: Vec::new(),
            implied: Vec::new(),
            always_pins: false,
            bases: vec![None; program.step.leg.crossing.places.len()],
            targets: FxHashMap::default(),
            work: Vec::new(),
            lines: OnceCell::new(),
            said_of: Cell::new(None),
            made: Evaluated::default(),
            wanted: Vec::new(),
            because: Vec::new(),
            pending: Pending::default(),
            moved_to: FxHashMap::default(),
        };
        for (line, fact) in unanswered {
            engine.note(None, Some(line), Arc::new(fact));
        }
        engine
    }

    pub(super) fn finish(mut self) -> (Tree<'a>, Ledger) {
        self.notes.sort_by_key(|note| note.row);
        self.because.sort_unstable();
        self.because.dedup_by_key(|(row, _)| *row);
        let nothing = Decision {
            fate: Fate::Unmatched,
            step: self.program.step.number,
            by: DecidedBy::Nothing,
            landings: (0, 0),
        };
        let ledger = Ledger {
            decisions: self
                .decided
                .into_iter()
                .map(|decision| decision.unwrap_or_else(|| nothing.clone()))
                .collect(),
            landings: self.landings,
            origins: self.origins,
            notes: self.notes,
            ports: self.program.excluded.ports.clone(),
            implied: self.implied,
            replaced: Vec::new(),
            work: self.work,
            wanted: self.wanted,
            because: self.because,
            went: Vec::new(),
            applied: self.pending.applied,
        };
        (self.draft.tree, ledger)
    }

    pub(super) fn set(&mut self, row: RowId, fate: Fate, by: DecidedBy, landings: &[Landing]) {
        debug_assert!(self.decided[row.index()].is_none(), "a fate is given once");
        let from = self.landings.len() as u32;
        self.landings.extend_from_slice(landings);
        let fate = landings.iter().map(|landing| landing.fate).max().unwrap_or(fate);
        let landings = (from, self.landings.len() as u32);
        self.decided[row.index()] = Some(Decision { fate, step: self.program.step.number, by, landings });
    }

    /// Where a row landed first.
    pub(super) fn first_landing(&self, row: RowId) -> Option<NodeId> {
        let (from, to) = self.decided[row.index()].as_ref()?.landings;
        self.landings[from as usize..to as usize].first().map(|landing| landing.node)
    }

    /// Something to say about a row, or about the whole; `line` is that of the rule.
    pub(super) fn note(&mut self, row: Option<RowId>, line: Option<u32>, fact: Arc<dyn Fact>) {
        self.notes.push(Note { row, step: self.program.step.number, line, fact });
    }

    pub(super) fn fail(&mut self, row: RowId, by: DecidedBy, failure: &Failure) {
        self.set(row, Fate::ByHand, by, &[]);
        self.because.extend(failure.because.map(|because| (row, because)));
        let line = if let DecidedBy::Rule(rule) = by { Some(self.program.rule(rule).at.line) } else { None };
        self.note(Some(row), line, Arc::new(NotCarried(failure.fact.clone())));
    }

    pub(super) fn note_loss(&mut self, row: RowId, line: Option<u32>, loss: &Loss) {
        self.note(Some(row), line, Arc::new(loss.clone()));
    }

    /// Notes that a rule did not write what it would have, for rows that do not arrive.
    pub(super) fn want(&mut self, rule: RuleId, fit: &Fit) {
        if !self.program.step.new_profile().rules.is_empty() {
            self.pending.unwritten.push((rule, fit.clone()));
        }
    }
}
