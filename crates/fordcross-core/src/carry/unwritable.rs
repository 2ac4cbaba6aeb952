//! Settings that the target's format cannot say so that they read back: they are left to a person, and the rest is written.

use super::Carried;
use super::facts::CarryFact;
use super::output::write_and_read_back;
use crate::account::StepMade;
use crate::finding::{Finding, Findings, Location};
use crate::ids::{RowId, StepId};
use crate::judge::read_back::{Expected, ReadBack};
use crate::judge::{Gone, Judge, Lost};
use crate::language::texts::Texts;
use crate::ledger::fate::Fate;
use crate::ledger::{Landing, Ledger, Note};
use crate::scan::inventory::automaton_of;
use crate::scan::locator::Labeler;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashSet;
use std::sync::Arc;

/// How often it is tried to write without something.
const MOST_TRIALS: usize = 24;

/// How many settings at most are left out: beyond that something else is wrong.
const MOST_LEFT: usize = 8;

/// What a result is written of, to be tried.
pub(super) struct Trials<'t> {
    pub(super) texts: &'t Texts<'t>,
    pub(super) expected: Expected<'t>,
    left: usize,
}

impl<'t> Trials<'t> {
    pub(super) fn new(texts: &'t Texts<'t>, expected: Expected<'t>) -> Self {
        Self { texts, expected, left: MOST_TRIALS }
    }

    /// The fewest nodes without which the result reads back as it was written, and keeps the rules that it kept; none if
    /// that was not found.
    pub(super) fn culprits(mut self, reported: &ReadBack) -> Option<FxHashSet<NodeId>> {
        let tree = self.expected.tree;
        let mut without: FxHashSet<NodeId> = FxHashSet::default();
        let mut nodes = reported.nodes.clone();
        if nodes.is_empty() {
            // It cannot be read at all: a word of plain letters is not the cause.
            let is_plain = |c: char| c.is_alphanumeric() || "._-/:".contains(c);
            let is_odd = |&node: &NodeId| match tree.kind(node) {
                kind if kind.is_value() => !tree.value(node).chars().all(is_plain),
                kind if kind.is_branch() => {
                    tree.first_child(node).is_none() || !tree.name(node).chars().all(is_plain)
                }
                _ => false,
            };
            return self.one_of(tree.ids().filter(is_odd).collect());
        }
        while let Some(&node) = nodes.first() {
            if without.len() == MOST_LEFT {
                return None;
            }
            let candidates = candidates(tree, node);
            let mut better = None;
            for candidate in candidates {
                let mut trial = without.clone();
                trial.insert(candidate);
                let after = self.try_without(&trial)?;
                if after.differences.is_empty() || !after.nodes.is_empty() && !after.nodes.contains(&node) {
                    better = Some((trial, after));
                    break;
                }
            }
            let (trial, after) = better?;
            without = trial;
            if after.differences.is_empty() {
                return self.fewest(without).filter(|without| self.keeps_rules(without));
            }
            nodes = after.nodes;
        }
        None
    }

    /// The one of these without which all is well, by halves.
    fn one_of(&mut self, mut candidates: Vec<NodeId>) -> Option<FxHashSet<NodeId>> {
        let set = |nodes: &[NodeId]| nodes.iter().copied().collect::<FxHashSet<_>>();
        let mut is_well = |nodes: &[NodeId]| Some(self.try_without(&set(nodes))?.differences.is_empty());
        if candidates.is_empty() || !is_well(&candidates)? {
            return None;
        }
        while candidates.len() > 1 {
            let rest = candidates.split_off(candidates.len() / 2);
            if !is_well(&candidates)? {
                if !is_well(&rest)? {
                    return None;
                }
                candidates = rest;
            }
        }
        let found = set(&candidates);
        self.keeps_rules(&found).then_some(found)
    }

    /// Puts back what need not be left out.
    fn fewest(&mut self, mut without: FxHashSet<NodeId>) -> Option<FxHashSet<NodeId>> {
        for node in without.clone() {
            if without.len() == 1 {
                break;
            }
            let mut fewer = without.clone();
            fewer.remove(&node);
            if self.try_without(&fewer)?.differences.is_empty() {
                without = fewer;
            }
        }
        Some(without)
    }

    fn try_without(&mut self, without: &FxHashSet<NodeId>) -> Option<ReadBack> {
        self.left = self.left.checked_sub(1)?;
        let tree = cut(self.expected.tree, without);
        let expected = Expected { tree: &tree, ..self.expected };
        Some(write_and_read_back(self.texts, &expected).1)
    }

    /// Whether a result without some nodes breaks no rule of its platform that the whole one kept.
    fn keeps_rules(&self, without: &FxHashSet<NodeId>) -> bool {
        let Expected { tree, profile, model, .. } = self.expected;
        if profile.rules.is_empty() {
            return true;
        }
        let codes = |tree: &Tree<'_>| -> Vec<String> {
            let mut automaton = automaton_of(profile, None);
            let judge = Judge::new(tree, profile, model, &mut automaton);
            let breaches = judge.round(&Gone::default(), &Lost::default());
            breaches.iter().map(|breached| breached.code(profile)).collect()
        };
        let (before, after) = (codes(tree), codes(&cut(tree, without)));
        after.iter().all(|code| before.contains(code))
    }
}

fn cut<'a>(tree: &Tree<'a>, without: &FxHashSet<NodeId>) -> Tree<'a> {
    let mut cut = tree.clone();
    for &node in without {
        cut.unlink(tree.parent(node), |child| child == node);
    }
    cut
}

/// What could be the cause of a difference at a node: itself, what was written before it, what it is in.
fn candidates(tree: &Tree<'_>, node: NodeId) -> Vec<NodeId> {
    let mut all = vec![node];
    let parent = tree.parent(node);
    all.extend(tree.children(parent).take_while(|&child| child != node).last());
    if parent != tree.root() && parent != NodeId::DOCUMENT {
        all.push(parent);
        let before = tree.children(tree.parent(parent)).take_while(|&child| child != parent);
        all.extend(before.last());
    }
    all
}

impl Carried<'_, '_> {
    /// Takes what cannot be written out of the result, and leaves it to a person.
    pub(super) fn leave(&mut self, without: &FxHashSet<NodeId>) -> Findings {
        let Some(tree) = self.trees.last_mut() else { return Findings::new() };
        let is_gone = |node: NodeId| without.iter().any(|&gone| tree.is_within(node, gone));
        let rows = settle(&mut self.ledger, &is_gone);
        for &node in without {
            let parent = tree.parent(node);
            tree.unlink(parent, |child| child == node);
        }
        let step = StepId::new(self.steps.len() - 1);
        let note =
            |&row: &RowId| Note { row: Some(row), step, line: None, fact: Arc::new(CarryFact::Unwritable) };
        self.ledger.notes.extend(rows.iter().map(note));
        self.ledger.notes.sort_by_key(|note| note.row);
        let backup = &self.input.backup.tree;
        let lines = self.input.backup.lines();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let schema = &self.input.course[0].old.schema;
        let mut labels = Labeler::new(backup, schema, Some(&reading.ordinals), automaton);
        let finding = |row: RowId| {
            let node = reading.row(row).node;
            let mut finding = Finding::new(CarryFact::Unwritable);
            finding.location = Some(Location::indexed(&lines, backup.span(node)));
            finding.locator = Some(labels.label(node, automaton).to_owned());
            finding
        };
        rows.into_iter().map(finding).collect()
    }
}

/// Gives the rows that landed in what is gone their fate.
fn settle(ledger: &mut Ledger, is_gone: &dyn Fn(NodeId) -> bool) -> Vec<RowId> {
    let mut rows = Vec::new();
    for (decision, row) in ledger.decisions.iter_mut().zip(RowId::all(usize::MAX)) {
        let (from, to) = decision.landings;
        let landings = &mut ledger.landings[from as usize..to as usize];
        let mut kept = 0;
        for number in 0..landings.len() {
            let landing: Landing = landings[number];
            if !is_gone(landing.node) {
                landings[kept] = landing;
                kept += 1;
            }
        }
        if kept < landings.len() {
            decision.landings.1 = from + kept as u32;
            decision.fate = Fate::ByHand;
            rows.push(row);
        }
    }
    ledger.origins.retain(|row| !is_gone(row.node));
    ledger.implied.retain(|row| !is_gone(row.node));
    rows
}
