//! Which rule takes a row.

use super::capture::Capture;
use super::instance::Slots;
use super::matcher::{Fit, Matcher};
use super::outcome::Rows;
use super::reading::Reading;
use crate::ids::{RowId, SlotId};
use crate::language::crossing::{Action, Clause, Rule};
use crate::language::crossing::{ClauseId, RuleId};
use crate::language::typing::{Value, plain_text};
use crate::ledger::Decision;
use crate::tree::NodeId;
use smallvec::{SmallVec, smallvec};
use std::rc::Rc;

/// All that a rule takes at once: a list goes entry by entry, and what is there once with each.
pub(super) type Fits = SmallVec<[Fit; 1]>;

/// The rows of all that a rule takes at once, each one time.
pub(super) fn rows_of(fits: &Fits) -> Rows {
    let mut rows = Rows::new();
    for &row in fits.iter().flatten().flatten() {
        if !rows.contains(&row) {
            rows.push(row);
        }
    }
    rows
}

impl<'i> Matcher<'_, 'i, '_> {
    /// What the rule takes if it takes the row as that clause; nothing if it does not.
    pub(super) fn fits(
        &mut self,
        index: RowId,
        (rule_id, clause): (RuleId, ClauseId),
        decided: &[Option<Decision>],
    ) -> Fits {
        let rule = self.program.rule(rule_id);
        let Some(fit) = self.fit(index, (rule_id, clause), decided) else { return Fits::new() };
        let Some(depth) = deepest(rule) else { return smallvec![fit] };
        let node = self.program.row(index).node;
        let own = self.anchor(rule, clause, depth, node);
        let mut fits = Fits::new();
        for anchor in self.anchors(rule_id, rule, depth, node).iter() {
            if Some(*anchor) == own {
                fits.push(fit.clone());
            } else if let Some(fit) = self.fit_at((rule_id, rule), Some((depth, *anchor)), node, decided) {
                fits.push(fit);
            }
        }
        // Where the list is not there at all.
        if fits.is_empty() { smallvec![fit] } else { fits }
    }

    /// Whether the rule takes the row as that clause, and what else it then takes.
    pub(super) fn fit(
        &mut self,
        index: RowId,
        (rule_id, clause): (RuleId, ClauseId),
        decided: &[Option<Decision>],
    ) -> Option<Fit> {
        let row = self.program.row(index);
        let rule = self.program.rule(rule_id);
        if let Some(place) = rule.place {
            let instance = self.instance(place, row.node)?;
            if let Action::Place = rule.action {
                return self
                    .program
                    .place_fits(index, clause, rule, &instance)
                    .then(|| smallvec![Some(index)]);
            }
        }
        if !self.program.clause_fits(index, &rule.clauses[clause.index()], &rule.action) {
            return None;
        }
        if rule.clauses.len() == 1 {
            if matches!(rule.action, Action::Branch(_)) && self.program.branch_twin(rule, row).is_none() {
                return None;
            }
            let fit: Fit = smallvec![Some(index)];
            return self.holds(rule, &fit).then_some(fit);
        }
        let taking = |fit: &Fit| fit[clause.index()] == Some(index);
        let Some(depth) = deepest(rule) else {
            return self.complete((rule_id, rule), None, (row.node, Some((clause, index))), decided);
        };
        if let Some(own) = self.anchor(rule, clause, depth, row.node) {
            let at = Some((depth, own));
            return self.complete((rule_id, rule), at, (row.node, Some((clause, index))), decided);
        }
        let anchors = self.anchors(rule_id, rule, depth, row.node);
        let mut fits = anchors
            .iter()
            .filter_map(|&anchor| {
                self.complete(
                    (rule_id, rule),
                    Some((depth, anchor)),
                    (row.node, Some((clause, index))),
                    decided,
                )
            })
            .filter(taking);
        if let Some(fit) = fits.next() {
            return Some(fit);
        }
        drop(fits);
        if !anchors.is_empty() {
            return None;
        }
        self.complete((rule_id, rule), None, (row.node, Some((clause, index))), decided)
    }

    /// What a rule takes at one entry of its list.
    fn fit_at(
        &mut self,
        rule: (RuleId, &'i Rule),
        at: Option<(usize, NodeId)>,
        node: NodeId,
        decided: &[Option<Decision>],
    ) -> Option<Fit> {
        self.complete(rule, at, (node, None), decided)
    }

    /// A row for each clause: of those of the list that of the entry, of the others the first that is free.
    fn complete(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        at: Option<(usize, NodeId)>,
        (node, given): (NodeId, Option<(ClauseId, RowId)>),
        decided: &[Option<Decision>],
    ) -> Option<Fit> {
        let parts = self.parts(rule.place, node);
        let mut fit: Fit = smallvec![None; rule.clauses.len()];
        if let Some((clause, index)) = given {
            fit[clause.index()] = Some(index);
        }
        for (number, clause) in rule.clauses.iter().enumerate() {
            if fit[number].is_some() {
                continue;
            }
            let entry = at.and_then(|(depth, anchor)| self.own_entry(rule, clause, depth, anchor));
            for &(_, _, candidate) in parts.of(rule_id, ClauseId::new(number)) {
                let is_there = match entry {
                    Some((depth, entry)) => {
                        self.program.scope_of(self.program.row(candidate).node, depth) == entry
                    }
                    None => true,
                };
                if is_there
                    && self.is_free_for(candidate, rule_id, decided)
                    && !fit.contains(&Some(candidate))
                    && self.program.clause_fits(candidate, clause, &rule.action)
                {
                    fit[number] = Some(candidate);
                    if !rule.is_bound_twice || self.bind_all(rule, &fit).1 {
                        break;
                    }
                    fit[number] = None;
                }
            }
            if fit[number].is_none() && !clause.optional {
                return None;
            }
        }
        let has_any = fit.iter().any(Option::is_some);
        (has_any && Self::fields_have_their_parts(rule, &fit) && self.holds(rule, &fit)).then_some(fit)
    }

    /// The entry that a row of a clause is in, if the clause is of the deepest list of its rule.
    fn anchor(&self, rule: &Rule, clause: ClauseId, depth: usize, node: NodeId) -> Option<NodeId> {
        let clause = &rule.clauses[clause.index()];
        (clause.several == Some(depth) && is_of_list(rule, clause, depth))
            .then(|| self.program.scope_of(node, depth))
    }

    /// The entry that a clause has to go in step with at an entry of the deepest list, and how many steps lead there.
    fn own_entry(
        &self,
        rule: &Rule,
        clause: &Clause,
        depth: usize,
        anchor: NodeId,
    ) -> Option<(usize, NodeId)> {
        let own = clause.several.filter(|own| *own <= depth && is_of_list(rule, clause, *own))?;
        Some((own, self.program.scope_of(anchor, own)))
    }

    /// The entries of the deepest list of a rule in the scope of a node, in the order of the backup.
    fn anchors(&mut self, rule_id: RuleId, rule: &'i Rule, depth: usize, node: NodeId) -> Rc<[NodeId]> {
        let parts = self.parts(rule.place, node);
        let mut anchors: Vec<NodeId> = Vec::new();
        for (number, clause) in rule.clauses.iter().enumerate() {
            if clause.several != Some(depth) || !is_of_list(rule, clause, depth) {
                continue;
            }
            let rows = parts.of(rule_id, ClauseId::new(number)).iter();
            let nodes = rows.map(|&(_, _, row)| self.program.scope_of(self.program.row(row).node, depth));
            anchors.extend(nodes);
        }
        anchors.sort_unstable();
        anchors.dedup();
        anchors.into()
    }

    /// Whether the rule's condition holds, what it reads is there, and its tables have what it puts through them.
    /// A condition without a value does not hold.
    fn holds(&mut self, rule: &'i Rule, fit: &Fit) -> bool {
        if rule.when.is_none() && !rule.is_bound_twice && rule.reads.is_empty() && !rule.asks_tables {
            return true;
        }
        let (slots, same) = self.bind_all(rule, fit);
        let Some(&row) = fit.iter().flatten().next().filter(|_| same) else { return false };
        let node = self.program.row(row).node;
        !self.fulfilled(rule, slots, node).is_empty()
    }

    /// What a rule that takes those rows captures: once for each way to fulfil what it reads.
    pub(super) fn bind(&mut self, rule: &'i Rule, fit: &Fit) -> Vec<Reading<'i>> {
        let (slots, _) = self.bind_all(rule, fit);
        match fit.iter().flatten().next() {
            Some(&row) => self.fulfilled(rule, slots, self.program.row(row).node),
            None => Vec::new(),
        }
    }

    /// Each way to fulfil what a rule reads with which its condition holds.
    pub(super) fn fulfilled(&mut self, rule: &'i Rule, slots: Slots<'i>, node: NodeId) -> Vec<Reading<'i>> {
        let scope = match rule.place {
            Some(place) => {
                self.program.scope_of(node, self.program.step.leg.crossing.places[place.index()].depth)
            }
            None => self.program.root,
        };
        let index = self.index_of(rule.place, scope);
        let mut readings = self.readings(rule, slots, (node, scope));
        readings.retain(|reading| {
            let here = self.here(rule, &reading.slots, scope, index);
            rule.when.as_ref().is_none_or(|when| when.holds(&here)) && self.tables_have(rule, &reading.slots)
        });
        readings
    }

    /// Whether the tables of a rule have what is put through them.
    pub(super) fn tables_have(&self, rule: &Rule, slots: &[Option<Capture<'i>>]) -> bool {
        !rule.asks_tables || self.lacking(rule, slots).is_none()
    }

    /// A value that a table of a rule lacks.
    pub(super) fn lacking(&self, rule: &Rule, slots: &[Option<Capture<'i>>]) -> Option<String> {
        rule.tables().into_iter().find_map(|(slot, table)| {
            let read = self.program.step.read_as_is(slots[slot.index()].as_ref()?).ok()?;
            if matches!(read.value, Value::Secret(..)) {
                return None;
            }
            let text = plain_text(&read.value);
            table.get(&text).is_none().then(|| text.into_owned())
        })
    }

    /// No fate yet, and no earlier rule that takes it.
    fn is_free_for(&mut self, index: RowId, rule: RuleId, decided: &[Option<Decision>]) -> bool {
        let row = self.program.row(index);
        if decided[index.index()].is_some() || self.program.excluded.of_row_in_object(&row).is_some() {
            return false;
        }
        let automaton = self.program.automaton;
        let earlier = automaton.accepted(row.accept).clauses.iter().take_while(|&&(other, _)| other < rule);
        for &(other, clause) in earlier {
            if self.fit(index, (other, clause), decided).is_some() {
                return false;
            }
        }
        true
    }

    /// A field whose captures are all missing is left away; one with only some cannot be written.
    fn fields_have_their_parts(rule: &Rule, fit: &Fit) -> bool {
        let Action::Move(targets) = &rule.action else { return true };
        if fit.iter().all(Option::is_some) {
            return true;
        }
        let missing: Vec<SlotId> = rule
            .clauses
            .iter()
            .zip(fit)
            .filter(|(_, row)| row.is_none())
            .flat_map(|(clause, _)| clause.shape.iter().flat_map(|shape| shape.slots.iter().copied()))
            .collect();
        targets.iter().flat_map(|target| &target.fields).all(|field| {
            let slots: Vec<SlotId> = field.needed_slots().collect();
            let absent = slots.iter().filter(|slot| missing.contains(slot)).count();
            absent == 0 || absent == slots.len()
        })
    }
}

/// How many steps lead to the deepest list of a rule; none where all its clauses are of one thing.
fn deepest(rule: &Rule) -> Option<usize> {
    rule.clauses.iter().filter_map(|clause| clause.several).max()
}

/// Whether a clause is of the deepest list of its rule, or of one around that.
fn is_of_list(rule: &Rule, clause: &Clause, depth: usize) -> bool {
    let deepest = deepest(rule);
    let mut leads = rule.clauses.iter().filter(|clause| clause.several == deepest);
    leads.next().is_some_and(|lead| lead.pattern.steps.get(..depth) == clause.pattern.steps.get(..depth))
}
