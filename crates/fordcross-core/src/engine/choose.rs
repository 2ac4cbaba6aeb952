//! Which rule takes a row.

use super::matcher::{Fit, Matcher};
use crate::ids::{RowId, SlotId};
use crate::language::crossing::{Action, Rule};
use crate::language::crossing::{ClauseId, RuleId};
use crate::ledger::Decision;
use smallvec::smallvec;

impl<'i> Matcher<'_, 'i, '_> {
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
            let fit: Fit = smallvec![Some(index)];
            return self.holds(rule, &fit).then_some(fit);
        }
        let parts = self.parts(rule.place, row.node);
        let mut fit: Fit = smallvec![None; rule.clauses.len()];
        fit[clause.index()] = Some(index);
        for (number, other) in rule.clauses.iter().enumerate().filter(|(number, _)| *number != clause.index())
        {
            for &(_, _, candidate) in parts.of(rule_id, ClauseId::new(number)) {
                if self.is_free_for(candidate, rule_id, decided)
                    && !fit.contains(&Some(candidate))
                    && self.program.clause_fits(candidate, other, &rule.action)
                {
                    fit[number] = Some(candidate);
                    if !rule.is_bound_twice || self.bind_all(rule, &fit).1 {
                        break;
                    }
                    fit[number] = None;
                }
            }
            if fit[number].is_none() && !other.optional {
                return None;
            }
        }
        (Self::fields_have_their_parts(rule, &fit) && self.holds(rule, &fit)).then_some(fit)
    }

    /// Whether the rule's condition holds. One without a value does not.
    fn holds(&mut self, rule: &'i Rule, fit: &Fit) -> bool {
        if rule.when.is_none() && !rule.is_bound_twice {
            return true;
        }
        let (slots, same) = self.bind_all(rule, fit);
        let Some(when) = rule.when.as_ref().filter(|_| same) else { return same };
        let scope = match (rule.place, fit.iter().flatten().next()) {
            (Some(place), Some(&row)) => self.program.scope_of(
                self.program.row(row).node,
                self.program.step.leg.crossing.places[place.index()].depth,
            ),
            _ => self.program.root,
        };
        let index = self.index_of(rule.place, scope);
        when.holds(&self.here(rule, &slots, scope, index))
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
