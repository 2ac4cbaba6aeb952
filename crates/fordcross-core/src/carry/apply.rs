//! The second walk: for each setting and object, the first rule that fits.

use super::Step;
use super::ahead::{Block, with_blocks_made_ahead};
use super::bar::Bars;
use super::draft::{Draft, Taken};
use super::plain::{Made, PlainRule, plain_rules};
use super::remembered::Remembered;
use super::repeats::{Overruled, overruled};
use super::same_line::{SameLine, is_attribute};
use super::scopes::{Instance, Parts};
use super::value::{Networks, leaf_kind};
use crate::finding::Code;
use crate::format::form::{NoFile, OTHER_FILES, without_files};
use crate::format::shape::Captured;
use crate::language::crossing::{Action, Clause, Field, Rule};
use crate::language::expression::{Evaluator, Operand};
use crate::language::phase::Phase;
use crate::language::profile::FileForm;
use crate::language::profile::{Fact, Lookup, PathStep};
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, Decision, Landing, Ledger, Note, OriginRow, Wanted};
use crate::mapping::{NO_ENTRY, PortTarget};
use crate::scan::automaton::Automaton;
use crate::scan::reading::{Reading, Row, RowKind};
use crate::text::source::LineIndex;
use crate::tree::{Beside, Kind, NodeId, Text, Tree};
use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};
use std::cell::{Cell, OnceCell};
use std::collections::HashMap;
use std::ops::Range;
use std::rc::Rc;

/// Applies the crossing to a reading.
pub(super) fn apply<'i, 'a>(
    step: &Step<'i, 'a>,
    automaton: &Automaton,
    reading: &Reading,
) -> (Tree<'a>, Beside, Ledger) {
    let new = step.new_profile();
    let bars = Bars::new(step, automaton, reading);
    let mut apply = Apply::new(step, automaton, reading, &bars, reading.rows.len());
    apply.look_around();
    apply.write_header();
    with_blocks_made_ahead(step, automaton, reading, &bars, &mut |index, block| {
        if apply.decided[index as usize].is_none() {
            apply.cursor = index;
            apply.decide(index, block);
        }
    });
    apply.add_all();
    for index in 0..reading.omitted.len() {
        apply.pin(index);
    }
    apply.leave_out_with_ports();
    let old_form = step.old().form;
    let has_comments = (new.form.has_comments() || new.form == FileForm::Several)
        && (new.form == old_form || new.takes_comments);
    let beside = if has_comments { apply.take_comments_along() } else { Beside::default() };
    let (tree, ledger) = apply.finish();
    (tree, beside, ledger)
}

/// The rows that a rule takes: one a clause, none for an optional one that is not there.
pub(super) type Fit = SmallVec<[Option<u32>; 4]>;

/// Numbers of rows; nearly always few.
pub(super) type Rows = SmallVec<[u32; 4]>;

pub(super) struct Apply<'x, 'i, 'a> {
    pub(super) step: Step<'i, 'a>,
    pub(super) tree: &'i Tree<'a>,
    pub(super) root: NodeId,
    pub(super) automaton: &'x Automaton,
    pub(super) reading: &'x Reading,
    pub(super) bars: &'x Bars,
    /// Statements that include files, and none are there.
    without_files: Vec<(NodeId, NoFile)>,
    /// The nodes of the configuration that is not carried.
    pub(super) not_chosen: Range<NodeId>,
    pub(super) draft: Draft<'i, 'a>,
    pub(super) decided: Vec<Option<Decision>>,
    landings: Vec<Landing>,
    notes: Vec<Note>,
    pub(super) origins: Vec<OriginRow>,
    pub(super) implied: Vec<OriginRow>,
    /// The default that is being pinned is written in any case.
    pub(super) always_pins: bool,
    /// The instance that was used last, for each place: rows of one scope stand together.
    pub(super) instances: Vec<Option<Rc<Instance<'i>>>>,
    pub(super) parts: Vec<Option<Rc<Parts>>>,
    /// The scopes of each place in order, gathered when first asked for.
    pub(super) scopes: Vec<Option<Rc<[NodeId]>>>,
    /// Entries that equal objects of a place share, by the values that make them equal.
    pub(super) groups: FxHashMap<(usize, Vec<Option<&'i str>>), NodeId>,
    /// The scopes of each place by their first key.
    pub(super) by_key: Vec<Option<Rc<FxHashMap<String, NodeId>>>>,
    pub(super) look_ups: Vec<Option<Networks>>,
    /// The branch that all objects of a place stand in, once something was written there.
    pub(super) bases: Vec<Option<NodeId>>,
    /// Where the scopes of named places went.
    pub(super) targets: FxHashMap<(usize, NodeId), NodeId>,
    pub(super) facts: HashMap<String, Operand>,
    pub(super) work: Vec<(Phase, String)>,
    /// Whether a rule of the place asks for the place of an object among its like.
    pub(super) counts_objects: Vec<bool>,
    pub(super) evaluator: Evaluator,
    /// The rule that each place itself is.
    pub(super) place_rules: Vec<&'i Rule>,
    pub(super) plain: Rc<[Option<PlainRule<'i>>]>,
    /// What something else in the same place overrules.
    overruled: Vec<Option<Overruled>>,
    /// What the old unit ignored by a rule of its own, with the line of that.
    ignored: &'i FxHashMap<NodeId, u32>,
    /// The row that is being decided.
    pub(super) cursor: u32,
    pub(super) lines: OnceCell<LineIndex<'a>>,
    /// A branch, a comment in it, and what comes after that and the comments behind it.
    pub(super) said_of: Cell<Option<(NodeId, NodeId, Option<NodeId>)>>,
    /// An empty text and what one row made, so that there are not new ones for each value.
    pub(super) scratch: String,
    pub(super) made: Made,
    /// What rows that do not arrive would have written.
    pub(super) wanted: Vec<Wanted>,
    /// Rules that did not write, with their rows: where they would have is looked for when all objects are there.
    pub(super) unwritten: Vec<(&'i Rule, Fit)>,
    /// Rows that do not arrive because of others.
    pub(super) because: Vec<(u32, u32)>,
    /// How values are written as another type, where nothing was lost; no text for one that stays as it is.
    pub(super) converted: Remembered<'i, (Option<Box<str>>, Kind, Fate)>,
    /// Between releases of one line: what stands in both.
    pub(super) same_line: Option<SameLine>,
    /// Where branches of the old tree went, between releases of one line.
    pub(super) counterparts: FxHashMap<NodeId, NodeId>,
}

impl<'x, 'i, 'a> Apply<'x, 'i, 'a> {
    /// Nothing decided yet, of so many rows.
    pub(super) fn new(
        step: &Step<'i, 'a>,
        automaton: &'x Automaton,
        reading: &'x Reading,
        bars: &'x Bars,
        rows: usize,
    ) -> Self {
        let (crossing, new) = (&step.leg.crossing, step.new_profile());
        let places = crossing.places.len();
        let mut tree = Tree::new(step.tree.source());
        tree.is_made_of(step.tree);
        let plain = plain_rules(crossing, new, &mut tree);
        let mut apply = Self {
            step: *step,
            tree: step.tree,
            root: step.tree.root(),
            automaton,
            reading,
            draft: Draft::new(tree, new),
            decided: vec![None; rows],
            landings: Vec::new(),
            notes: Vec::new(),
            origins: Vec::new(),
            implied: Vec::new(),
            always_pins: false,
            instances: vec![None; places],
            parts: vec![None; places + 1],
            bars,
            scopes: vec![None; places],
            groups: FxHashMap::default(),
            by_key: vec![None; places],
            look_ups: vec![None; crossing.look_ups.len()],
            bases: vec![None; places],
            targets: FxHashMap::default(),
            facts: HashMap::new(),
            work: Vec::new(),
            counts_objects: (0..places).map(|place| crossing.counts_objects(place)).collect(),
            evaluator: Evaluator::new(),
            place_rules: (0..places).map(|place| crossing.place_rule(place)).collect(),
            plain,
            not_chosen: step
                .not_chosen
                .map_or(NodeId::DOCUMENT..NodeId::DOCUMENT, |node| node..step.tree.subtree_end(node)),
            without_files: without_files(step.tree, &step.old().members),
            overruled: overruled(step.tree, step.old(), automaton, reading),
            ignored: step.ignored,
            cursor: 0,
            lines: OnceCell::new(),
            said_of: Cell::new(None),
            scratch: String::new(),
            made: Made::default(),
            wanted: Vec::new(),
            unwritten: Vec::new(),
            because: Vec::new(),
            converted: Remembered::new(),
            same_line: (step.old().line == new.line).then(|| SameLine::new(step.old(), new)),
            counterparts: FxHashMap::default(),
        };
        apply.ask();
        apply
    }

    pub(super) fn rule(&self, rule: u32) -> &'i Rule {
        &self.step.leg.crossing.rules[rule as usize]
    }

    pub(super) fn row(&self, index: u32) -> Row {
        self.reading.rows[index as usize]
    }

    fn finish(mut self) -> (Tree<'a>, Ledger) {
        self.find_wanted();
        self.notes.sort_by_key(|note| note.row);
        self.because.sort_unstable();
        self.because.dedup_by_key(|(row, _)| *row);
        let nothing = Decision {
            fate: Fate::Unmatched,
            step: self.step.number,
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
            ports: self.bars.ports.clone(),
            implied: self.implied,
            replaced: Vec::new(),
            work: self.work,
            wanted: self.wanted,
            because: self.because,
            went: Vec::new(),
            applied: Vec::new(),
        };
        (self.draft.tree, ledger)
    }

    /// The new file says itself for which release and model it is.
    fn write_header(&mut self) {
        let new = self.step.new_profile();
        for (fact, value) in
            [(&new.facts.release, Some(new.release_name())), (&new.facts.model, self.step.model)]
        {
            if let (Some(fact), Some(value)) = (fact, value) {
                self.write_fact(fact, value);
            }
        }
    }

    fn write_fact(&mut self, fact: &'i Fact, value: &str) {
        let new = self.step.new_profile();
        if new.members.files.iter().any(|member| !member.written && member.is_at(&fact.path.join("/"))) {
            return;
        }
        let steps: Vec<PathStep<'_>> = fact.path.iter().map(|name| PathStep::Name(name)).collect();
        let entry = match new.schema.find(&steps) {
            Lookup::Declared(entry) => Some(entry),
            _ => None,
        };
        let kind = entry.and_then(|entry| new.schema.entries[entry as usize].what.setting());
        let form = kind.map_or(Kind::Text, |kind| leaf_kind(&new.types.get(kind).form, value));
        let form = if entry.is_some_and(|entry| is_attribute(new, entry)) { Kind::Attribute } else { form };
        let Some((last, above)) = fact.path.split_last() else { return };
        let mut at = self.draft.root();
        for name in above {
            match self.draft.branch(at, name, Kind::Map) {
                Ok(branch) => at = branch,
                Err(Taken) => return,
            }
        }
        if let Ok(node) = self.draft.leaf(at, last, form, Text::Decoded(value)) {
            self.origins.push(OriginRow { node, origin: Origin::Added, rule: new.rule_at(fact.declared) });
        }
    }

    fn decide(&mut self, index: u32, mut ahead: Option<&Block>) {
        let row = self.row(index);
        if self.not_chosen.contains(&row.node) {
            return self.set(index, Fate::LeftOut, DecidedBy::NotChosen, &[]);
        }
        let without = self.without_files.binary_search_by_key(&row.node, |(node, _)| *node);
        let without = without.ok().map(|at| self.without_files[at].1);
        if let Some(no_file) = without {
            if let Some((code, help)) = no_file.told() {
                self.note(Some(index), None, code, no_file.why(), Some(help));
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
        match self.overruled.get(index as usize).copied().flatten() {
            Some(Overruled::ByAnother) => return self.set(index, Fate::Moot, DecidedBy::Repeats, &[]),
            Some(Overruled::Refused) => {
                self.set(index, Fate::ByHand, DecidedBy::Repeats, &[]);
                let what = "it is given again in the same place, and the line has it once";
                let help =
                    "find out which of them holds on the old unit, and set that by hand if it is this one";
                return self.note(Some(index), None, Code::GivenTwice, what, Some(help));
            }
            None => {}
        }
        if let Some(line) = self.ignored.get(&row.node) {
            return self.set(index, Fate::Moot, DecidedBy::Ignored(*line), &[]);
        }
        if let Some(port) = self.bars.of_row_in_object(&row) {
            return self.bar(index, port);
        }
        let barred = self.bars.of(index, &row);
        let (automaton, plain) = (self.automaton, Rc::clone(&self.plain));
        for &(rule, clause) in &automaton.accepted(row.accept).clauses {
            if let Some(plain) = plain[rule as usize].as_ref().filter(|_| barred.is_none()) {
                let fires = match ahead.take().and_then(|block| block.of(index)) {
                    Some((fits, made)) => self.finish_plain(index, row, plain, fits, made),
                    None => row.kind == RowKind::Setting && self.fire_plain(index, row, plain),
                };
                if fires {
                    return;
                }
            } else if let Some(fit) = self.fit(index, rule, clause) {
                // What goes with a port that is left goes together; what is not written needs none.
                let port = fit.iter().flatten().find_map(|&row| self.bars.of(row, &self.row(row)));
                match port.filter(|_| matches!(self.rule(rule).action, Action::Move(_) | Action::Place)) {
                    Some(port) => {
                        self.want(self.rule(rule), &fit);
                        fit.iter().flatten().for_each(|&row| self.bar(row, port));
                    }
                    None => self.fire(rule, &fit),
                }
                return;
            }
            // What was made ahead is by the first rule.
            ahead = None;
        }
        if let Some(port) = barred {
            self.want_within_line(index, row);
            return self.bar(index, port);
        }
        if self.carry_within_line(index, row) {
            return;
        }
        if let Some(no_file) = without {
            return self.set(index, Fate::Moot, DecidedBy::NothingIncluded(no_file), &[]);
        }
        if self.is_leftover(row.node) {
            return self.set(index, Fate::Moot, DecidedBy::Leftover, &[]);
        }
        self.set(index, Fate::Unmatched, DecidedBy::Nothing, &[]);
        let what = match row.kind {
            RowKind::Setting => "no rule speaks of this setting",
            RowKind::Object => "no rule speaks of this object",
        };
        let help = "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        self.note(Some(index), None, Code::NoRule, what, Some(help));
    }

    /// Whether a setting is a file that an editor or a package left behind.
    fn is_leftover(&self, node: NodeId) -> bool {
        let holder = self.tree.parent(node);
        holder != NodeId::DOCUMENT
            && self.tree.parent(holder) == self.tree.root()
            && self.tree.name(holder) == OTHER_FILES
            && self.step.old().members.is_leftover(self.tree.name(node))
    }

    /// A row goes with a port that the map leaves, or leaves open.
    fn bar(&mut self, row: u32, port: u32) {
        let target = self.step.mapping.map(|mapping| mapping.port(&self.bars.ports[port as usize]));
        let fate = if target == Some(&PortTarget::Leave) { Fate::LeftOut } else { Fate::ByHand };
        self.set(row, fate, DecidedBy::Map(port), &[]);
    }

    /// The declaration of a row, if the map has a say in what it holds.
    pub(super) fn mapped_entry(&self, row: Row) -> Option<u16> {
        let entry = self.automaton.accepted(row.accept).entry;
        match entry {
            Some(entry) => {
                let what = &self.step.old().schema.entries[usize::from(entry)].what;
                what.is_mapped().then_some(entry)
            }
            None => Some(NO_ENTRY),
        }
    }

    /// Whether a row's value is, or holds, something that the map speaks of.
    pub(super) fn can_be_mapped(&self, row: u32) -> bool {
        let kind = self.type_of(row);
        kind.is_some_and(|kind| self.step.old().types.can_be_mapped(kind))
    }

    pub(super) fn set(&mut self, row: u32, fate: Fate, by: DecidedBy, landings: &[Landing]) {
        debug_assert!(self.decided[row as usize].is_none(), "a fate is given once");
        let from = self.landings.len() as u32;
        self.landings.extend_from_slice(landings);
        let fate = landings.iter().map(|landing| landing.fate).max().unwrap_or(fate);
        let landings = (from, self.landings.len() as u32);
        self.decided[row as usize] = Some(Decision { fate, step: self.step.number, by, landings });
    }

    /// Where a row landed first.
    pub(super) fn first_landing(&self, row: usize) -> Option<NodeId> {
        let (from, to) = self.decided[row].as_ref()?.landings;
        self.landings[from as usize..to as usize].first().map(|landing| landing.node)
    }

    /// Something to say about a row, or about the whole; `line` is that of the rule.
    pub(super) fn note(
        &mut self,
        row: Option<u32>,
        line: Option<u32>,
        code: Code,
        message: &str,
        help: Option<&str>,
    ) {
        self.notes.push(Note {
            row,
            step: self.step.number,
            line,
            code,
            message: message.into(),
            help: help.map(Into::into),
        });
    }

    // Which rule fits

    /// Whether the rule takes the row as that clause, and what else it then takes.
    fn fit(&mut self, index: u32, rule_id: u32, clause: u8) -> Option<Fit> {
        let row = self.row(index);
        let rule = self.rule(rule_id);
        if let Some(place) = rule.place {
            let instance = self.instance(place, row.node)?;
            if let Action::Place = rule.action {
                return self.place_fits(index, clause, rule, &instance).then(|| smallvec![Some(index)]);
            }
        }
        if !self.clause_fits(index, &rule.clauses[clause as usize], &rule.action) {
            return None;
        }
        if rule.clauses.len() == 1 {
            let fit: Fit = smallvec![Some(index)];
            return self.holds(rule, &fit).then_some(fit);
        }
        let parts = self.parts(rule.place, row.node);
        let mut fit = Fit::new();
        for (other, number) in rule.clauses.iter().zip(0..) {
            if number == clause {
                fit.push(Some(index));
                continue;
            }
            let mut found = None;
            for &(_, _, candidate) in parts.of(rule_id, number) {
                if self.is_free_for(candidate, rule_id)
                    && !fit.contains(&Some(candidate))
                    && candidate != index
                    && self.clause_fits(candidate, other, &rule.action)
                {
                    found = Some(candidate);
                    break;
                }
            }
            if found.is_none() && !other.optional {
                return None;
            }
            fit.push(found);
        }
        (Self::fields_have_their_parts(rule, &fit) && self.holds(rule, &fit)).then_some(fit)
    }

    /// Whether the rule's condition holds. One without a value does not.
    fn holds(&mut self, rule: &'i Rule, fit: &Fit) -> bool {
        let Some(when) = &rule.when else { return true };
        let slots = self.bind(rule, fit);
        let scope = match (rule.place, fit.iter().flatten().next()) {
            (Some(place), Some(&row)) => {
                self.scope_of(self.row(row).node, self.step.leg.crossing.places[place].depth)
            }
            _ => self.root,
        };
        let index = self.index_of(rule.place, scope);
        when.holds(&self.here(rule, &slots, scope, index))
    }

    /// No fate yet, and no earlier rule that takes it.
    fn is_free_for(&mut self, index: u32, rule: u32) -> bool {
        let row = self.row(index);
        if self.decided[index as usize].is_some() || self.bars.of_row_in_object(&row).is_some() {
            return false;
        }
        let automaton = self.automaton;
        let earlier = automaton.accepted(row.accept).clauses.iter().take_while(|&&(other, _)| other < rule);
        for &(other, clause) in earlier {
            if self.fit(index, other, clause).is_some() {
                return false;
            }
        }
        true
    }

    fn place_fits(&self, index: u32, clause: u8, rule: &Rule, instance: &Instance<'_>) -> bool {
        let row = self.row(index);
        if clause == 0 {
            // An object's own text says nothing if there is none.
            return row.kind == RowKind::Object || self.tree.value(row.node).trim().is_empty();
        }
        let slot = rule.clauses[clause as usize].slot;
        slot.and_then(|slot| instance.slots[slot].as_ref()).is_some_and(|bound| bound.row == Some(index))
    }

    fn clause_fits(&self, index: u32, clause: &Clause, action: &Action) -> bool {
        let row = self.row(index);
        match (&clause.shape, row.kind) {
            // The empty text of an object that is a leaf of the tree goes with it.
            (None, RowKind::Setting) if clause.presence => {
                self.reading.row_of(row.node).is_some_and(|first| first != index as usize)
                    && self.tree.value(row.node).trim_ascii().is_empty()
            }
            (None, RowKind::Setting) => true,
            // Only a setting has a value to move or to look at.
            (None, RowKind::Object) => clause.presence || !matches!(action, Action::Move(_)),
            (Some(_), RowKind::Object) => false,
            (Some(shape), RowKind::Setting) => self.read_shape(row, shape).is_some(),
        }
    }

    pub(super) fn read_shape(
        &self,
        row: Row,
        shape: &crate::language::crossing::ClauseShape,
    ) -> Option<Captured> {
        let text = self.tree.value(row.node);
        let types = &self.step.old().types;
        let mut fits =
            |index: usize, part: &str| shape.types[index].is_none_or(|kind| types.read(kind, part).is_ok());
        shape.shape.read(text, &mut fits)
    }

    /// A field whose captures are all missing is left away; one with only some cannot be written.
    fn fields_have_their_parts(rule: &Rule, fit: &Fit) -> bool {
        let Action::Move(targets) = &rule.action else { return true };
        if fit.iter().all(Option::is_some) {
            return true;
        }
        let missing: Vec<usize> = rule
            .clauses
            .iter()
            .zip(fit)
            .filter(|(_, row)| row.is_none())
            .flat_map(|(clause, _)| clause.shape.iter().flat_map(|shape| shape.slots.iter().copied()))
            .collect();
        targets.iter().flat_map(|target| &target.fields).all(|field| {
            let slots: Vec<usize> = field_slots(field).collect();
            let absent = slots.iter().filter(|slot| missing.contains(slot)).count();
            absent == 0 || absent == slots.len()
        })
    }
}

/// The slots that a field draws on.
pub(super) fn field_slots(field: &Field) -> impl Iterator<Item = usize> + '_ {
    use crate::language::crossing::Piece;
    field.template.iter().filter_map(|piece| match piece {
        Piece::Slot { slot, .. } | Piece::AsIs { slot } | Piece::LookUp { slot, .. } => Some(*slot),
        Piece::Literal(_) | Piece::Index | Piece::Kind { .. } | Piece::Expression(_) => None,
    })
}
