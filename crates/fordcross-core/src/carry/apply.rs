//! The second walk: for each setting and object, the first rule that fits.

use super::CarryInput;
use super::bar::Bars;
use super::draft::{Draft, Taken};
use super::value::{Bound, Failure, Prepared, leaf_kind};
use crate::automaton::Automaton;
use crate::crossing::{Action, Clause, KeyTest, Rule, Target, TargetStep};
use crate::fate::{Fate, Origin};
use crate::finding::Code;
use crate::ledger::{DecidedBy, Decision, Landing, Ledger, Note, OriginRow};
use crate::mapping::PortTarget;
use crate::profile::{Fact, Lookup, PathStep, What};
use crate::reading::{Reading, Row, RowKind};
use crate::tree::{Kind, NodeId, Text, Tree};
use crate::typing::TypeId;
use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::rc::Rc;

/// Applies the crossing to a reading.
pub(super) fn apply<'i, 'a>(
    input: &CarryInput<'i, 'a>,
    automaton: &Automaton,
    reading: &Reading,
) -> (Tree<'a>, Ledger) {
    let bars = Bars::new(input, automaton, reading);
    let places = input.crossing.places.len();
    let mut apply = Apply {
        input: *input,
        tree: &input.backup.tree,
        root: input.backup.tree.root(),
        automaton,
        reading,
        draft: Draft::new(Tree::new(input.backup.tree.source())),
        decided: vec![None; reading.rows.len()],
        landings: Vec::new(),
        notes: Vec::new(),
        origins: Vec::new(),
        instances: vec![None; places],
        parts: vec![None; places + 1],
        bars,
    };
    apply.write_header();
    for index in 0..reading.rows.len() as u32 {
        if apply.decided[index as usize].is_none() {
            apply.decide(index);
        }
    }
    apply.finish()
}

/// One object, or other scope, that a place takes.
struct Instance<'i> {
    scope: NodeId,
    /// The place's captures.
    slots: Vec<Option<Bound<'i>>>,
    /// Where it goes; made when something lands there.
    target: std::cell::Cell<Option<NodeId>>,
    names: Result<Vec<(Cow<'i, str>, Fate)>, Failure>,
}

/// The rows that clauses of rules of several settings could take, within one scope.
type Parts = FxHashMap<(u32, u8), Vec<u32>>;

/// The rows that a rule takes: one a clause, none for an optional one that is not there.
type Fit = Vec<Option<u32>>;

struct Apply<'x, 'i, 'a> {
    input: CarryInput<'i, 'a>,
    tree: &'i Tree<'a>,
    root: NodeId,
    automaton: &'x Automaton,
    reading: &'x Reading,
    bars: Bars,
    draft: Draft<'a>,
    decided: Vec<Option<Decision>>,
    landings: Vec<Landing>,
    notes: Vec<Note>,
    origins: Vec<OriginRow>,
    /// The instance that was used last, for each place: rows of one scope stand together.
    instances: Vec<Option<Rc<Instance<'i>>>>,
    parts: Vec<Option<(NodeId, Rc<Parts>)>>,
}

impl<'i, 'a> Apply<'_, 'i, 'a> {
    fn rule(&self, rule: u32) -> &'i Rule {
        &self.input.crossing.rules[rule as usize]
    }

    fn row(&self, index: u32) -> Row {
        self.reading.rows[index as usize]
    }

    fn finish(mut self) -> (Tree<'a>, Ledger) {
        self.notes.sort_by_key(|note| note.row);
        let nothing = Decision { fate: Fate::Unmatched, by: DecidedBy::Nothing, landings: (0, 0) };
        let ledger = Ledger {
            decisions: self
                .decided
                .into_iter()
                .map(|decision| decision.unwrap_or_else(|| nothing.clone()))
                .collect(),
            landings: self.landings,
            origins: self.origins,
            notes: self.notes,
            ports: self.bars.ports,
        };
        (self.draft.tree, ledger)
    }

    /// The new file says itself for which release and model it is.
    fn write_header(&mut self) {
        let facts = &self.input.new.facts;
        let model = self.input.model.map(|model| model.name.as_str());
        for (fact, value) in [(&facts.release, Some(self.input.release)), (&facts.model, model)] {
            if let (Some(fact), Some(value)) = (fact, value) {
                self.write_fact(fact, value);
            }
        }
    }

    fn write_fact(&mut self, fact: &'i Fact, value: &str) {
        let new = self.input.new;
        let steps: Vec<PathStep<'_>> = fact.path.iter().map(|name| PathStep::Name(name)).collect();
        let kind = match new.schema.find(&steps) {
            Lookup::Declared(entry) => new.schema.entries[entry as usize].what.setting(),
            _ => None,
        };
        let form = kind.map_or(Kind::Text, |kind| leaf_kind(&new.types.get(kind).form, value));
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

    fn decide(&mut self, index: u32) {
        let row = self.row(index);
        if let Some(port) = self.bars.of(index, &row) {
            let left = *self.input.mapping.port(&self.bars.ports[port as usize]) == PortTarget::Leave;
            let fate = if left { Fate::LeftOut } else { Fate::ByHand };
            self.set(index, fate, DecidedBy::Map(port), &[]);
            return;
        }
        let candidates = &self.automaton.accepted(row.accept).clauses;
        for &(rule, clause) in candidates {
            if let Some(fit) = self.fit(index, rule, clause) {
                self.fire(rule, &fit);
                return;
            }
        }
        self.set(index, Fate::Unmatched, DecidedBy::Nothing, &[]);
        let what = match row.kind {
            RowKind::Setting => "no rule speaks of this setting",
            RowKind::Object => "no rule speaks of this object",
        };
        let help = "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        self.note(index, Code::NoRule, what, Some(help));
    }

    fn set(&mut self, row: u32, fate: Fate, by: DecidedBy, landings: &[Landing]) {
        debug_assert!(self.decided[row as usize].is_none(), "a fate is given once");
        let from = self.landings.len() as u32;
        self.landings.extend_from_slice(landings);
        let fate = landings.iter().map(|landing| landing.fate).max().unwrap_or(fate);
        self.decided[row as usize] =
            Some(Decision { fate, by, landings: (from, self.landings.len() as u32) });
    }

    fn note(&mut self, row: u32, code: Code, message: &str, help: Option<&str>) {
        self.notes.push(Note { row, code, message: message.into(), help: help.map(Into::into) });
    }

    // Which rule fits

    /// Whether the rule takes the row as that clause, and what else it then takes.
    fn fit(&mut self, index: u32, rule_id: u32, clause: u8) -> Option<Fit> {
        let row = self.row(index);
        let rule = self.rule(rule_id);
        if let Some(place) = rule.place {
            let instance = self.instance(place, row.node)?;
            if let Action::Place = rule.action {
                return self.place_fits(index, clause, rule, &instance).then(|| vec![Some(index)]);
            }
        }
        if !self.clause_fits(index, &rule.clauses[clause as usize], &rule.action) {
            return None;
        }
        if rule.clauses.len() == 1 {
            return Some(vec![Some(index)]);
        }
        let parts = self.parts(rule.place, row.node);
        let mut fit: Fit = Vec::with_capacity(rule.clauses.len());
        for (other, number) in rule.clauses.iter().zip(0..) {
            if number == clause {
                fit.push(Some(index));
                continue;
            }
            let mut found = None;
            for &candidate in parts.get(&(rule_id, number)).map_or(&[][..], Vec::as_slice) {
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
        Self::fields_have_their_parts(rule, &fit).then_some(fit)
    }

    /// No fate yet, and no earlier rule that takes it.
    fn is_free_for(&mut self, index: u32, rule: u32) -> bool {
        let row = self.row(index);
        if self.decided[index as usize].is_some() || self.bars.of(index, &row).is_some() {
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
        slot.and_then(|slot| instance.slots[slot].as_ref()).is_some_and(|bound| bound.row == index)
    }

    fn clause_fits(&self, index: u32, clause: &Clause, action: &Action) -> bool {
        let row = self.row(index);
        match (&clause.shape, row.kind) {
            (None, RowKind::Setting) => true,
            // Only a setting has a value to move or to look at.
            (None, RowKind::Object) => !matches!(action, Action::Move(_)),
            (Some(_), RowKind::Object) => false,
            (Some(shape), RowKind::Setting) => self.read_shape(row, shape).is_some(),
        }
    }

    fn read_shape(
        &self,
        row: Row,
        shape: &crate::crossing::ClauseShape,
    ) -> Option<Vec<std::ops::Range<usize>>> {
        let text = self.tree.value(row.node);
        let types = &self.input.old.types;
        let mut fits =
            |index: usize, part: &str| shape.types[index].is_none_or(|kind| types.read(kind, part).is_ok());
        shape.shape.read(text, &mut fits)
    }

    /// A field whose captures are all missing is left away; one with only some cannot be written.
    fn fields_have_their_parts(rule: &Rule, fit: &Fit) -> bool {
        let Action::Move(targets) = &rule.action else { return true };
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

    // Scopes

    fn scope_of(&self, node: NodeId, depth: usize) -> NodeId {
        let mut level = 0;
        let mut at = node;
        while at != self.root && at != NodeId::DOCUMENT {
            level += usize::from(!self.tree.is_transparent(at));
            at = self.tree.parent(at);
        }
        at = node;
        while level > depth || self.tree.kind(at) == Kind::OwnText {
            level -= usize::from(!self.tree.is_transparent(at));
            at = self.tree.parent(at);
        }
        at
    }

    fn instance(&mut self, place: usize, node: NodeId) -> Option<Rc<Instance<'i>>> {
        let declared = &self.input.crossing.places[place];
        let scope = self.scope_of(node, declared.depth);
        if let Some(instance) = &self.instances[place]
            && instance.scope == scope
        {
            return Some(instance.clone());
        }
        let slots = self.key_slots(&declared.keys, scope)?;
        let names = declared.target.iter().map(|step| self.input.name(step, &slots)).collect();
        let instance = Rc::new(Instance { scope, slots, target: std::cell::Cell::default(), names });
        self.instances[place] = Some(instance.clone());
        Some(instance)
    }

    /// The captures of an object's keys, if the keys are as the place asks.
    fn key_slots(&self, tests: &[KeyTest], scope: NodeId) -> Option<Vec<Option<Bound<'i>>>> {
        if tests.is_empty() {
            return Some(Vec::new());
        }
        let rows = self.reading.rows_below(scope, self.tree);
        let object = self.reading.rows.get(rows.start)?;
        let entry = self.automaton.accepted(object.accept).entry?;
        let What::Object { keys, name, .. } = &self.input.old.schema.entries[entry as usize].what else {
            return None;
        };
        let mut values: Vec<Option<Bound<'i>>> = Vec::new();
        if let Some(kind) = name {
            let row = rows.start as u32;
            values.push(Some(Bound { row, text: self.tree.name(scope), kind: Some(*kind), whole: true }));
        }
        for key in keys {
            values.push(self.tree.child(scope, key).and_then(|node| self.bind_whole(node, rows.clone())));
        }
        let mut slots = Vec::new();
        for (test, value) in tests.iter().zip(values) {
            match test {
                KeyTest::Capture(_) => slots.push(value),
                KeyTest::Literal(text) => {
                    value.filter(|bound| bound.text.trim_ascii() == text)?;
                }
                KeyTest::Any => {}
            }
        }
        Some(slots)
    }

    fn bind_whole(&self, node: NodeId, within: std::ops::Range<usize>) -> Option<Bound<'i>> {
        let offset = self.reading.rows[within.clone()].iter().position(|row| row.node == node)?;
        let index = (within.start + offset) as u32;
        let kind = self.type_of(index);
        Some(Bound { row: index, text: self.tree.value(node), kind, whole: true })
    }

    fn type_of(&self, index: u32) -> Option<TypeId> {
        self.row(index).type_id(self.input.old, self.automaton)
    }

    fn parts(&mut self, place: Option<usize>, node: NodeId) -> Rc<Parts> {
        let scope = match place {
            Some(place) => self.scope_of(node, self.input.crossing.places[place].depth),
            None => self.root,
        };
        let cell = place.map_or(self.parts.len() - 1, |place| place);
        if let Some((known, parts)) = &self.parts[cell]
            && *known == scope
        {
            return parts.clone();
        }
        let mut parts = Parts::default();
        for index in self.reading.rows_below(scope, self.tree) {
            for &(rule, clause) in &self.automaton.accepted(self.reading.rows[index].accept).clauses {
                let declared = self.rule(rule);
                if declared.place == place
                    && declared.clauses.len() > 1
                    && !matches!(declared.action, Action::Place)
                {
                    parts.entry((rule, clause)).or_default().push(index as u32);
                }
            }
        }
        let parts = Rc::new(parts);
        self.parts[cell] = Some((scope, parts.clone()));
        parts
    }

    // What a rule does

    fn fire(&mut self, rule_id: u32, fit: &Fit) {
        let rule = self.rule(rule_id);
        let rows: Vec<u32> = fit.iter().flatten().copied().collect();
        let by = DecidedBy::Rule(rule_id);
        match &rule.action {
            Action::Place => self.place(rule_id, rule, rows[0]),
            Action::Move(targets) => self.move_rows(rule_id, rule, targets, fit),
            Action::Drop { why } => {
                for row in rows {
                    self.set(row, Fate::Dropped, by, &[]);
                    self.note(row, Code::Dropped, why, None);
                }
            }
            Action::ByHand { instruction } => {
                for row in rows {
                    self.set(row, Fate::ByHand, by, &[]);
                    self.note(row, Code::ByHand, instruction, None);
                }
            }
            Action::Moot { .. } => rows.into_iter().for_each(|row| self.set(row, Fate::Moot, by, &[])),
        }
    }

    /// The object or one of its keys goes where the place says.
    fn place(&mut self, rule_id: u32, rule: &'i Rule, index: u32) {
        let by = DecidedBy::Rule(rule_id);
        let row = self.row(index);
        let Some(instance) = rule.place.and_then(|place| self.instance(place, row.node)) else { return };
        let is_key =
            row.kind == RowKind::Setting && instance.slots.iter().flatten().any(|bound| bound.row == index);
        if row.kind == RowKind::Setting && !is_key {
            self.set(index, Fate::Moot, by, &[]);
            return;
        }
        match self.target_of(&instance, rule) {
            Ok(node) => {
                let fate = instance.names.as_ref().map_or(Fate::Carried, |names| {
                    names.iter().map(|(_, fate)| *fate).max().unwrap_or(Fate::Carried)
                });
                self.set(index, fate, by, &[Landing { node, fate }]);
            }
            Err(failure) => self.fail(index, by, &failure),
        }
    }

    fn fail(&mut self, row: u32, by: DecidedBy, failure: &Failure) {
        self.set(row, Fate::ByHand, by, &[]);
        self.note(row, failure.code, &failure.message, Some("set it on the new unit by hand"));
    }

    /// The node that the place's settings stand in, made when first asked for.
    fn target_of(&mut self, instance: &Instance<'i>, rule: &Rule) -> Result<NodeId, Failure> {
        if let Some(node) = instance.target.get() {
            return Ok(node);
        }
        let Some(place) = rule.place else { return Ok(self.draft.root()) };
        let names = instance.names.as_ref().map_err(|failure| Failure {
            code: failure.code,
            message: format!("its object has no place on the new unit: {}", failure.message),
        })?;
        let names: Vec<(Cow<'i, str>, bool)> = names
            .iter()
            .zip(&self.input.crossing.places[place].target)
            .map(|((name, _), step)| (name.clone(), step.append))
            .collect();
        let node = self.go(self.draft.root(), &names).map_err(|Taken| taken())?;
        instance.target.set(Some(node));
        Ok(node)
    }

    fn go(&mut self, from: NodeId, names: &[(Cow<'i, str>, bool)]) -> Result<NodeId, Taken> {
        names.iter().try_fold(from, |at, (name, append)| {
            if *append {
                self.draft.entry(at, name, Kind::Map)
            } else {
                self.draft.branch(at, name, Kind::Map)
            }
        })
    }

    fn move_rows(&mut self, rule_id: u32, rule: &'i Rule, targets: &'i [Target], fit: &Fit) {
        let by = DecidedBy::Rule(rule_id);
        let rows: Vec<u32> = fit.iter().flatten().copied().collect();
        let slots = self.bind(rule, fit);
        match self.write(rule, targets, &slots, &rows) {
            Ok(written) => {
                let several = rows.len() > 1 || written.len() > 1;
                for &row in &rows {
                    // A setting that only chose the rule stands behind all that the rule wrote.
                    let chose = !written.iter().any(|landing| landing.rows.contains(&row));
                    let mut landings: Vec<Landing> = Vec::new();
                    for landing in written.iter().filter(|landing| chose || landing.rows.contains(&row)) {
                        let fate = if several { landing.fate.max(Fate::Folded) } else { landing.fate };
                        landings.push(Landing { node: landing.node, fate });
                        if let Some(loss) = &landing.loss {
                            self.note(
                                row,
                                Code::ValueApproximated,
                                loss,
                                Some("check whether the new value will do"),
                            );
                        }
                    }
                    self.set(row, Fate::Moot, by, &landings);
                }
            }
            Err(failure) => rows.into_iter().for_each(|row| self.fail(row, by, &failure)),
        }
    }

    fn bind(&mut self, rule: &'i Rule, fit: &Fit) -> Vec<Option<Bound<'i>>> {
        let mut slots = vec![None; rule.slots];
        let first = fit.iter().flatten().next().copied();
        if let (Some(place), Some(first)) = (rule.place, first)
            && let Some(instance) = self.instance(place, self.row(first).node)
        {
            slots[..instance.slots.len()].copy_from_slice(&instance.slots);
        }
        for (clause, row) in rule.clauses.iter().zip(fit) {
            let Some(index) = *row else { continue };
            let row = self.row(index);
            let kind = self.type_of(index);
            let text = self.tree.value(row.node);
            if let Some(slot) = clause.slot {
                slots[slot] = Some(Bound { row: index, text, kind, whole: true });
            }
            let Some(shape) = &clause.shape else { continue };
            let Some(found) = self.read_shape(row, shape) else { continue };
            let alone = shape.shape.as_capture().is_some();
            for ((slot, range), declared) in shape.slots.iter().zip(found).zip(&shape.types) {
                let kind = declared.or(if alone { kind } else { None });
                slots[*slot] = Some(Bound { row: index, text: &text[range], kind, whole: alone });
            }
        }
        slots
    }

    /// Writes all that a rule says, or nothing of it.
    fn write(
        &mut self,
        rule: &'i Rule,
        targets: &'i [Target],
        slots: &[Option<Bound<'i>>],
        rows: &[u32],
    ) -> Result<Vec<Written>, Failure> {
        let mut ready = Vec::new();
        for target in targets {
            let base = self.names(&target.base, slots)?;
            let mut fields = Vec::new();
            for field in &target.fields {
                let used: Vec<usize> = field_slots(field).collect();
                if !used.is_empty() && used.iter().all(|&slot| slots[slot].is_none()) {
                    continue;
                }
                let prepared = self.input.prepare(field, slots)?;
                let mut from: Vec<u32> =
                    used.iter().filter_map(|&slot| slots[slot].map(|bound| bound.row)).collect();
                from.retain(|row| rows.contains(row));
                fields.push((self.names(&field.path, slots)?, prepared, from));
            }
            ready.push((base, fields));
        }
        let at = match rule.place {
            Some(place) => {
                let node = self.row(rows[0]).node;
                match self.instance(place, node) {
                    Some(instance) => self.target_of(&instance, rule)?,
                    None => self.draft.root(),
                }
            }
            None => self.draft.root(),
        };
        let mut written = Vec::new();
        for (base, fields) in ready {
            let at = self.go(at, &base).map_err(|Taken| taken())?;
            for (path, prepared, from) in fields {
                let node = self.write_leaf(at, &path, &prepared).map_err(|Taken| taken())?;
                let from = if from.is_empty() { rows.to_vec() } else { from };
                written.push(Written { node, fate: prepared.fate, loss: prepared.loss, rows: from });
            }
        }
        Ok(written)
    }

    fn names(
        &self,
        steps: &'i [TargetStep],
        slots: &[Option<Bound<'i>>],
    ) -> Result<Vec<(Cow<'i, str>, bool)>, Failure> {
        steps.iter().map(|step| Ok((self.input.name(step, slots)?.0, step.append))).collect()
    }

    fn write_leaf(
        &mut self,
        from: NodeId,
        path: &[(Cow<'i, str>, bool)],
        prepared: &Prepared<'_>,
    ) -> Result<NodeId, Taken> {
        let Some(((last, append), above)) = path.split_last() else { return Err(Taken) };
        let at = self.go(from, above)?;
        let value = Text::Decoded(&prepared.text);
        if *append {
            self.draft.leaf_entry(at, last, prepared.kind, value)
        } else {
            self.draft.leaf(at, last, prepared.kind, value)
        }
    }
}

/// A leaf that a rule wrote, with the rows behind it.
struct Written {
    node: NodeId,
    fate: Fate,
    loss: Option<String>,
    rows: Vec<u32>,
}

fn taken() -> Failure {
    Failure { code: Code::PlaceTaken, message: "its place on the new unit is taken by another value".into() }
}

fn field_slots(field: &crate::crossing::Field) -> impl Iterator<Item = usize> + '_ {
    field.template.iter().filter_map(|piece| match piece {
        crate::crossing::Piece::Slot { slot, .. } => Some(*slot),
        crate::crossing::Piece::Literal(_) => None,
    })
}
