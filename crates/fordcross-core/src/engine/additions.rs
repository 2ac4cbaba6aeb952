//! What stands for itself in a crossing: additions, requirements, steps of the work and notices.

use super::instance::Slots;
use super::outcome::Engine;
use crate::finding::{Code, DeclaredText};
use crate::ids::PlaceId;
use crate::language::crossing::{Action, Rule, RuleId, Target};
use crate::language::expression::Expression;
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, OriginRow};
use crate::scan::inventory::RowKind;
use crate::tree::NodeId;
use smallvec::smallvec;
use std::sync::Arc;

impl<'i> Engine<'_, 'i, '_> {
    /// Requirements, steps of the work and notices, judged by the whole old side.
    pub(super) fn evaluate_requirements(&mut self) {
        let crossing = &self.program.step.leg.crossing;
        let mut notes = Vec::new();
        let mut work = Vec::new();
        {
            let here = self.matcher.whole();
            let holds = |expression: &Expression| expression.holds(&here);
            for requirement in crossing.requirements.iter().filter(|requirement| !holds(&requirement.that)) {
                notes.push((
                    requirement.at.line,
                    DeclaredText::new(Code::RequirementUnmet, requirement.why.as_str()),
                ));
            }
            for step in crossing.steps.iter().filter(|step| step.when.as_ref().is_none_or(holds)) {
                work.push((step.phase, step.text.clone()));
            }
            for notice in crossing.notices.iter().filter(|notice| notice.when.as_ref().is_none_or(holds)) {
                notes.push((notice.at.line, DeclaredText::new(Code::Notice, notice.text.as_str())));
            }
        }
        for (line, text) in notes {
            self.note(None, Some(line), Arc::new(text));
        }
        self.work = work;
    }

    /// What the crossing adds, and what it makes of what it only reads, once for each scope of its place that was placed.
    pub(super) fn add_all(&mut self) {
        let crossing = &self.program.step.leg.crossing;
        for (number, rule) in crossing.rules.iter().enumerate() {
            let targets = match &rule.action {
                Action::Add(targets) | Action::Pin(targets) => targets,
                Action::Move(targets) if rule.clauses.is_empty() => targets,
                _ => continue,
            };
            let scopes = match rule.place {
                Some(place) => self.matcher.scopes(place),
                None => [self.program.root].into(),
            };
            for &scope in scopes
                .iter()
                .filter(|&&scope| rule.place.is_none_or(|place| self.was_placed(place, scope)))
                .collect::<Vec<_>>()
            {
                match rule.action {
                    Action::Move(_) => {
                        self.move_read((RuleId::new(number), rule), targets, rule.place, scope);
                    }
                    _ => self.add((RuleId::new(number), rule), targets, scope),
                }
            }
        }
    }

    /// Whether an object was taken by its place, and not by the map or an earlier rule.
    pub(super) fn was_placed(&self, place: PlaceId, scope: NodeId) -> bool {
        let at = self.program.reading.rows.partition_point(|row| row.node < scope);
        let row =
            self.program.reading.rows.get(at).filter(|row| row.node == scope && row.kind == RowKind::Object);
        match (row, self.decided.get(at).and_then(Option::as_ref)) {
            (Some(_), Some(decision)) => match decision.by {
                DecidedBy::Rule(rule) => {
                    // A place that leads on from where the object went adds to it, whichever place took it.
                    let leads_on = self.program.step.leg.crossing.places[place.index()].start.is_some();
                    let rule = self.program.rule(rule);
                    let is_its = rule.is_place(place) || leads_on && matches!(rule.action, Action::Place);
                    is_its && decision.fate != Fate::ByHand
                }
                _ => false,
            },
            _ => true,
        }
    }

    fn add(&mut self, (rule_id, rule): (RuleId, &'i Rule), targets: &'i [Target], scope: NodeId) {
        let mut slots: Slots<'i> = smallvec![None; rule.slots];
        // Most conditions can be looked at before the captures of the place are.
        let asks_around = rule.when.as_ref().filter(|when| when.only_asks_around());
        if asks_around.is_some_and(|when| !when.holds(&self.matcher.here(rule, &slots, scope, 0))) {
            return;
        }
        let mut index = 0;
        if let Some(instance) = rule.place.and_then(|place| self.matcher.instance(place, scope)) {
            slots[..instance.slots.len()].copy_from_slice(&instance.slots);
            index = instance.index;
        }
        if rule.when.as_ref().is_some_and(|when| !when.holds(&self.matcher.here(rule, &slots, scope, index)))
        {
            return;
        }
        if let Action::Pin(_) = rule.action {
            self.pending.applied.push((self.program.step.number, rule_id));
            let instance = rule.place.and_then(|place| self.matcher.instance(place, scope));
            return self.pin_stated((rule, targets), instance.as_deref(), &slots);
        }
        match self.write(rule, targets, &slots, scope, &[]) {
            Ok(written) => {
                for leaf in written {
                    // What two rules add alike is there once.
                    if !self.pending.added.insert(leaf.node) {
                        continue;
                    }
                    let from = format!("{}:{}", self.program.step.leg.crossing.file, rule.at.line);
                    self.origins.push(OriginRow { node: leaf.node, origin: Origin::Added, rule: from });
                }
            }
            Err(failure) => self.note(None, Some(rule.at.line), failure.fact),
        }
    }
}
