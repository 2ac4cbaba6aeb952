//! Rules that move: what they take and what they read, and where that goes.

use super::capture::Failure;
use super::choose::{Fits, rows_of};
use super::matcher::Fit;
use super::outcome::{Engine, Rows, Written};
use super::reading::Reading;
use crate::ids::{PlaceId, RowId};
use crate::language::crossing::{Rule, RuleId, Target};
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, Decision, Landing, OriginRow};
use crate::scan::inventory::RowKind;
use crate::tree::NodeId;
use smallvec::SmallVec;

/// What became of one fit of a rule.
type Done = Result<SmallVec<[Written; 2]>, Failure>;

impl<'i> Engine<'_, 'i, '_> {
    pub(super) fn move_rows(&mut self, rule_id: RuleId, rule: &'i Rule, targets: &'i [Target], fits: &Fits) {
        let by = DecidedBy::Rule(rule_id);
        // An object's own empty text, after the object itself.
        if let ([clause], [fit]) = (rule.clauses.as_slice(), fits.as_slice())
            && let &[Some(row)] = fit.as_slice()
            && clause.presence
            && self.program.row(row).kind == RowKind::Setting
        {
            return self.set(row, Fate::Moot, by, &[]);
        }
        let mut done: SmallVec<[(usize, Done); 1]> = SmallVec::new();
        for (number, fit) in fits.iter().enumerate() {
            for reading in self.matcher.bind(rule, fit) {
                done.push((number, self.move_fit(rule_id, rule, targets, fit, &reading)));
            }
        }
        for row in rows_of(fits) {
            let of_row: SmallVec<[&Done; 1]> = done
                .iter()
                .filter(|(number, _)| fits[*number].contains(&Some(row)))
                .map(|(_, done)| done)
                .collect();
            match of_row.iter().find_map(|done| done.as_ref().err()) {
                Some(failure) => self.fail(row, by, failure),
                None => {
                    let written: Vec<&Written> = of_row.into_iter().flatten().flatten().collect();
                    self.settle_moved((rule_id, rule), row, fits, &written);
                }
            }
        }
    }

    /// Writes what a rule makes of one fit, or nothing of it.
    fn move_fit(
        &mut self,
        rule_id: RuleId,
        rule: &'i Rule,
        targets: &'i [Target],
        fit: &Fit,
        reading: &Reading<'i>,
    ) -> Done {
        let taken: Rows = fit.iter().flatten().copied().collect();
        let node = self.program.row(taken[0]).node;
        let behind: Rows = taken.iter().chain(&reading.rows).copied().collect();
        let done = self.write(rule, targets, &reading.slots, node, &behind);
        match &done {
            Ok(written) => self.note_read(rule_id, &reading.rows, written),
            Err(_) => self.want(rule_id, fit),
        }
        done
    }

    /// Where a row that was moved is now, and so its fate.
    fn settle_moved(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        row: RowId,
        fits: &Fits,
        written: &[&Written],
    ) {
        let mut of_row = fits.iter().filter(|fit| fit.contains(&Some(row)));
        let takes_several = of_row.any(|fit| fit.iter().flatten().count() > 1);
        let several = takes_several || written.len() > 1;
        let mapped = self.program.can_be_mapped(row);
        let is_of = |landing: &&&Written| landing.rows.contains(&row);
        let remapped = mapped && written.iter().filter(is_of).any(|landing| landing.fate == Fate::Remapped);
        // A setting that only chose the rule is behind all that the rule wrote.
        let chose = !written.iter().any(|landing| landing.rows.contains(&row));
        let mut landings: SmallVec<[Landing; 4]> = SmallVec::new();
        for landing in written.iter().filter(|landing| chose || is_of(landing)) {
            // What was replaced by the map in one of them was in all; what is beside it was not.
            let fate = match landing.fate {
                fate if fate > Fate::Folded => fate,
                _ if remapped => Fate::Remapped,
                Fate::Remapped if !mapped => Fate::Folded,
                fate if several || chose || landing.rows.len() > 1 => fate.max(Fate::Folded),
                fate => fate,
            };
            landings.push(Landing { node: landing.node, fate });
            if let Some(loss) = &landing.loss {
                self.note_loss(row, Some(rule.at.line), loss);
            }
        }
        self.set(row, Fate::Moot, DecidedBy::Rule(rule_id), &landings);
    }

    /// Takes down where what a rule read went.
    fn note_read(&mut self, rule: RuleId, rows: &[RowId], written: &[Written]) {
        for &row in rows {
            let chose = !written.iter().any(|landing| landing.rows.contains(&row));
            for landing in written.iter().filter(|landing| chose || landing.rows.contains(&row)) {
                let fate = match landing.fate {
                    Fate::Remapped if self.program.can_be_mapped(row) => Fate::Remapped,
                    Fate::Remapped => Fate::Folded,
                    fate => fate.max(Fate::Folded),
                };
                self.pending.read_by.push((row, rule, Landing { node: landing.node, fate }));
            }
        }
    }

    /// Applies a rule that only reads to an object that its place took, or to the whole.
    pub(super) fn move_read(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        targets: &'i [Target],
        place: Option<PlaceId>,
        scope: NodeId,
    ) {
        let mut slots = super::instance::Slots::from_elem(None, rule.slots);
        if let Some(instance) = place.and_then(|place| self.matcher.instance(place, scope)) {
            slots[..instance.slots.len()].copy_from_slice(&instance.slots);
        }
        for reading in self.matcher.fulfilled(rule, slots, scope) {
            self.pending.applied.push((self.program.step.number, rule_id));
            match self.write(rule, targets, &reading.slots, scope, &reading.rows) {
                Ok(written) if reading.rows.is_empty() => {
                    let from = format!("{}:{}", self.program.step.leg.crossing.file, rule.at.line);
                    let origin = |written: Written| OriginRow {
                        node: written.node,
                        origin: Origin::Pinned,
                        rule: from.clone(),
                    };
                    self.origins.extend(written.into_iter().map(origin));
                }
                Ok(written) => self.note_read(rule_id, &reading.rows, &written),
                Err(failure) if reading.rows.is_empty() => self.note(None, Some(rule.at.line), failure.fact),
                Err(failure) => {
                    let failed = |&row| (row, rule_id, failure.clone());
                    self.pending.read_failures.extend(reading.rows.iter().map(failed));
                }
            }
        }
    }

    /// Gives what was read its fate: it went where all who read it wrote, besides where a rule that took it did.
    pub(super) fn settle_readings(&mut self) {
        let mut failures = std::mem::take(&mut self.pending.read_failures);
        failures.sort_by_key(|(row, ..)| *row);
        for (row, rule, failure) in failures {
            if self.decided[row.index()].is_none() {
                self.fail(row, DecidedBy::Rule(rule), &failure);
            } else {
                self.note(Some(row), Some(self.program.rule(rule).at.line), failure.fact);
            }
        }
        let mut read_by = std::mem::take(&mut self.pending.read_by);
        read_by.sort_by_key(|(row, ..)| *row);
        for of_row in read_by.chunk_by(|one, next| one.0 == next.0) {
            let (row, rule, _) = of_row[0];
            let mut landings: Vec<Landing> = Vec::new();
            self.pending.applied.extend(of_row.iter().map(|&(_, rule, _)| (self.program.step.number, rule)));
            let by = match &self.decided[row.index()] {
                None => DecidedBy::Rule(rule),
                Some(Decision { fate, landings: (from, to), by, .. }) => {
                    // What a person has to see to stays so.
                    if *fate > Fate::Folded && !matches!(fate, Fate::Moot | Fate::Approximated) {
                        continue;
                    }
                    landings.extend(&self.landings[*from as usize..*to as usize]);
                    if *fate == Fate::Moot { DecidedBy::Rule(rule) } else { *by }
                }
            };
            for &(_, _, landing) in of_row {
                if !landings.iter().any(|known| known.node == landing.node) {
                    landings.push(landing);
                }
            }
            self.decided[row.index()] = None;
            self.set(row, Fate::Folded, by, &landings);
        }
    }
}
