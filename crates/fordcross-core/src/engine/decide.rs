//! What becomes of each row: the specification, from top to bottom.

use super::choose::Fits;
use super::draft::Conflict;
use super::facts::RowFact;
use super::outcome::Engine;
use super::prefetch::{Block, with_prefetched_blocks};
use super::program::Program;
use super::render::leaf_kind;
use super::repeats::Overruled;
use super::step::Step;
use crate::format::bundle::NoFile;
use crate::ids::{PortId, RowId};
use crate::language::crossing::{Action, RuleId};
use crate::language::profile::{Fact, Lookup, PathStep};
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, Ledger, OriginRow};
use crate::mapping::Destination;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind};
use crate::tree::{Kind, Text, Tree, Trivia};
use smallvec::{SmallVec, smallvec};
use std::sync::Arc;

/// Applies the crossing to a reading.
pub(crate) fn apply<'i, 'a>(
    step: &Step<'i, 'a>,
    automaton: &Automaton,
    reading: &Inventory,
) -> (Tree<'a>, Trivia, Ledger) {
    let (old, new) = (step.old(), step.new_profile());
    let mut made = Tree::new(step.tree.source());
    made.is_made_of(step.tree);
    let program = Program::new(step, automaton, reading, &mut made);
    let mut engine = Engine::new(&program, made);
    engine.evaluate_requirements();
    engine.write_header();
    with_prefetched_blocks(&program, &mut |index, block| {
        if engine.decided[index.index()].is_none() {
            engine.matcher.cursor = index;
            engine.decide(index, block);
        }
    });
    engine.add_all();
    engine.settle_readings();
    engine.settle_unruled();
    engine.carry_silent_branches();
    engine.merge_all();
    for index in 0..reading.omitted.len() {
        engine.pin(index);
    }
    engine.leave_out_with_ports();
    engine.drop_empty_branches();
    let (old_format, new_format) = (old.format(), new.format());
    let has_comments = (new_format.traits().has_comments || new_format.is_several())
        && (new_format == old_format || new.output.takes_comments);
    let beside = if has_comments { engine.take_comments_along() } else { Trivia::default() };
    engine.find_wanted();
    engine.want_above_empty_branches();
    let (tree, ledger) = engine.finish();
    (tree, beside, ledger)
}

impl<'i> Engine<'_, 'i, '_> {
    /// The new file says itself for which release and model it is.
    fn write_header(&mut self) {
        let new = self.program.step.new_profile();
        for (fact, value) in [
            (&new.recognition.release, Some(new.release_name())),
            (&new.recognition.model, self.program.step.model),
        ] {
            if let (Some(fact), Some(value)) = (fact, value) {
                self.write_fact(fact, value);
            }
        }
    }

    fn write_fact(&mut self, fact: &'i Fact, value: &str) {
        let new = self.program.step.new_profile();
        if new.members.files.iter().any(|member| !member.written && member.is_at(&fact.path.join("/"))) {
            return;
        }
        let steps: Vec<PathStep<'_>> = fact.path.iter().map(|name| PathStep::Name(name)).collect();
        let entry = match new.schema.find(&steps) {
            Lookup::Declared(entry) => Some(entry),
            _ => None,
        };
        let kind = entry.and_then(|entry| new.schema[entry].what.setting());
        let form = kind.map_or(Kind::Text, |kind| leaf_kind(&new.types.get(kind).form, value));
        let form = if entry.is_some_and(|entry| new.is_attribute(entry)) { Kind::Attribute } else { form };
        let Some((last, above)) = fact.path.split_last() else { return };
        let mut at = self.draft.root();
        for name in above {
            match self.draft.branch(at, name, Kind::Map) {
                Ok(branch) => at = branch,
                Err(Conflict) => return,
            }
        }
        if let Ok(node) = self.draft.leaf(at, last, form, Text::Decoded(value)) {
            self.origins.push(OriginRow { node, origin: Origin::Added, rule: new.rule_at(fact.declared) });
        }
    }

    fn decide(&mut self, index: RowId, mut ahead: Option<&Block>) {
        let row = self.program.row(index);
        if self.program.not_chosen.contains(&row.node) {
            return self.set(index, Fate::LeftOut, DecidedBy::NotChosen, &[]);
        }
        let without = self.program.without_files.binary_search_by_key(&row.node, |(node, _)| *node);
        let without = without.ok().map(|at| self.program.without_files[at].1);
        if let Some(no_file) = without {
            if let Some(fact) = no_file.fact() {
                self.note(Some(index), None, Arc::new(fact));
            }
            let fate = match no_file {
                NoFile::Missing => Some(Fate::ByHand),
                NoFile::MayBeMissing | NoFile::FolderEmpty => Some(Fate::Moot),
                NoFile::NothingFits => None,
            };
            if let Some(fate) = fate {
                return self.set(index, fate, DecidedBy::NothingIncluded(no_file), &[]);
            }
        }
        match self.program.overruled.get(index.index()).copied().flatten() {
            Some(Overruled::ByAnother) => return self.set(index, Fate::Moot, DecidedBy::Repeats, &[]),
            Some(Overruled::Refused) => {
                self.set(index, Fate::ByHand, DecidedBy::Repeats, &[]);
                return self.note(Some(index), None, Arc::new(RowFact::GivenTwice));
            }
            None => {}
        }
        if let Some(line) = self.program.ignored.get(&row.node) {
            return self.set(index, Fate::Moot, DecidedBy::Ignored(*line), &[]);
        }
        if let Some(port) = self.program.excluded.of_row_in_object(&row) {
            return self.bar(index, port);
        }
        let barred = self.program.excluded.of(index, &row);
        let (automaton, plain) = (self.program.automaton, &self.program.plain);
        for &(rule, clause) in &automaton.accepted(row.accept).clauses {
            if let Some(plain) = plain[rule.index()].as_ref().filter(|_| barred.is_none()) {
                let fires = match ahead.take().and_then(|block| block.of(index)) {
                    Some((fits, made)) => self.finish_plain(index, row, plain, fits, made),
                    None => row.kind == RowKind::Setting && self.fire_plain(index, row, plain),
                };
                if fires {
                    return;
                }
            } else {
                let fits = self.matcher.fits(index, (rule, clause), &self.decided);
                if !fits.is_empty() {
                    return self.fire_or_bar(rule, &fits);
                }
            }
            // What was made ahead is by the first rule.
            ahead = None;
        }
        if let Some(port) = barred {
            self.want_within_platform(index, row);
            return self.bar(index, port);
        }
        if self.carry_within_line(index, row) {
            return;
        }
        if let Some(no_file) = without {
            return self.set(index, Fate::Moot, DecidedBy::NothingIncluded(no_file), &[]);
        }
        if self.program.is_leftover(row.node) {
            return self.set(index, Fate::Moot, DecidedBy::Leftover, &[]);
        }
        // What is read by a rule is known when all have been applied.
        self.pending.unruled.push(index);
    }

    /// Applies a rule, if nothing that it takes goes with a port that is left: that goes together. What is not written needs no
    /// port.
    fn fire_or_bar(&mut self, rule: RuleId, fits: &Fits) {
        let declared = self.program.rule(rule);
        let writes = matches!(declared.action, Action::Move(_) | Action::Branch(_) | Action::Place);
        let mut open = Fits::new();
        let mut barred: SmallVec<[(RowId, PortId); 2]> = SmallVec::new();
        for fit in fits {
            let of_row = |&row: &RowId| self.program.excluded.of(row, &self.program.row(row));
            match fit.iter().flatten().find_map(of_row).filter(|_| writes) {
                Some(port) => {
                    self.want(rule, fit);
                    barred.extend(fit.iter().flatten().map(|&row| (row, port)));
                }
                None => open.push(fit.clone()),
            }
        }
        if !open.is_empty() {
            self.fire(rule, &open);
        }
        for (row, port) in barred {
            if self.decided[row.index()].is_none() {
                self.bar(row, port);
            }
        }
    }

    /// What no rule takes, and none reads.
    fn settle_unruled(&mut self) {
        for index in std::mem::take(&mut self.pending.unruled) {
            if self.decided[index.index()].is_some() {
                continue;
            }
            self.set(index, Fate::Unmatched, DecidedBy::Nothing, &[]);
            let fact = match (self.program.row(index).kind, self.value_lacking(index)) {
                (_, Some((value, line))) => RowFact::TableLacks { value, line },
                (RowKind::Setting, None) => RowFact::SettingUnruled,
                (RowKind::Object, None) => RowFact::ObjectUnruled,
            };
            self.note(Some(index), None, Arc::new(fact));
        }
    }

    /// A rule that would have taken a row, had its table the value.
    fn value_lacking(&mut self, index: RowId) -> Option<(String, u32)> {
        let automaton = self.program.automaton;
        let clauses = &automaton.accepted(self.program.row(index).accept).clauses;
        clauses.iter().find_map(|&(rule, clause)| {
            let rule = self.program.rule(rule);
            if !rule.asks_tables || rule.clauses.len() > 1 {
                return None;
            }
            let fits = self.program.clause_fits(index, &rule.clauses[clause.index()], &rule.action);
            let (slots, _) = self.matcher.bind_all(rule, &fits.then(|| smallvec![Some(index)])?);
            self.matcher.lacking(rule, &slots).map(|value| (value, rule.at.line))
        })
    }

    /// A row goes with a port that the map leaves, or leaves open.
    fn bar(&mut self, row: RowId, port: PortId) {
        let target =
            self.program.step.mapping.map(|mapping| mapping.port(&self.program.excluded.ports[port.index()]));
        let fate = if target == Some(&Destination::Leave) { Fate::LeftOut } else { Fate::ByHand };
        self.set(row, fate, DecidedBy::Map(port), &[]);
    }
}
