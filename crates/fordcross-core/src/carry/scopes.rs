//! Scopes: the objects and branches that places take, with their keys and where they go.

use super::apply::Apply;
use super::here::Here;
use super::value::{Bound, Failure, Hand, Networks};
use crate::language::crossing::{Action, KeyTest, LevelKeys, Rule};
use crate::language::expression::Operand;
use crate::language::profile::What;
use crate::language::typing::TypeId;
use crate::ledger::fate::Fate;
use crate::scan::automaton::AcceptId;
use crate::scan::reading::RowKind;
use crate::tree::{Kind, NodeId};
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use std::borrow::Cow;
use std::cell::Cell;
use std::rc::Rc;

/// How many rows are looked at one by one before a row is searched for.
const NEAR: usize = 24;

/// The steps of a place's target, each with what became of the capture in it.
type Names<'i> = SmallVec<[(Cow<'i, str>, Fate); 3]>;

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
    /// It shares the place of one that is equal to it.
    pub(super) joined: Cell<bool>,
    pub(super) names: Result<Names<'i>, Failure>,
}

/// The rows that clauses of rules of several settings could take, within one scope.
#[derive(Debug)]
pub(super) struct Parts {
    scope: NodeId,
    /// Rule, clause and row, in that order.
    rows: SmallVec<[(u32, u8, u32); 16]>,
}

impl Parts {
    /// Those that one clause of a rule could take.
    pub(super) fn of(&self, rule: u32, clause: u8) -> &[(u32, u8, u32)] {
        let from = self.rows.partition_point(|part| (part.0, part.1) < (rule, clause));
        let rest = &self.rows[from..];
        &rest[..rest.partition_point(|part| (part.0, part.1) == (rule, clause))]
    }
}

/// The captures of a rule, or of its place alone.
pub(super) type Slots<'i> = SmallVec<[Option<Bound<'i>>; 6]>;

impl<'i, 'a> Apply<'_, 'i, 'a> {
    pub(super) fn scope_of(&self, node: NodeId, depth: usize) -> NodeId {
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

    /// What a place makes of the scope that a node stands in; none if the place does not take it.
    pub(super) fn instance(&mut self, place: usize, node: NodeId) -> Option<Rc<Instance<'i>>> {
        if let Some(instance) = &self.instances[place]
            && (instance.scope..instance.end).contains(&node)
        {
            return Some(instance.clone());
        }
        let declared = &self.step.leg.crossing.places[place];
        let scope = self.scope_of(node, declared.depth);
        let slots = self.key_slots(&declared.keys, scope)?;
        if !self.place_holds(place, &slots, scope) {
            return None;
        }
        let index = self.index_of(Some(place), scope);
        let rule = self.place_rule(place);
        let names = {
            let hand = Hand::new(self.here(rule, &slots, scope, index), &self.look_ups);
            declared.target.iter().map(|step| hand.name(step)).collect()
        };
        let end = self.tree.subtree_end(scope);
        let instance = Rc::new(Instance {
            scope,
            end,
            slots,
            index,
            target: Cell::default(),
            joined: Cell::default(),
            names,
        });
        self.instances[place] = Some(instance.clone());
        Some(instance)
    }

    fn place_holds(&self, place: usize, slots: &[Option<Bound<'i>>], scope: NodeId) -> bool {
        let Some(when) = &self.step.leg.crossing.places[place].when else { return true };
        let here = self.here(self.place_rule(place), slots, scope, 0);
        when.holds(&here)
    }

    /// The rule that a place itself is.
    pub(super) fn place_rule(&self, place: usize) -> &'i Rule {
        self.place_rules[place]
    }

    /// What expressions see in a scope.
    pub(super) fn here<'h>(
        &'h self,
        rule: &'h Rule,
        slots: &'h [Option<Bound<'i>>],
        scope: NodeId,
        index: usize,
    ) -> Here<'h, 'i, 'a> {
        let pattern = rule.place.map(|place| &self.step.leg.crossing.places[place].from);
        Here {
            step: &self.step,
            scope,
            pattern,
            slots,
            names: &rule.names,
            index,
            facts: &self.facts,
            evaluator: &self.evaluator,
        }
    }

    /// The place of a scope among those of its place, from 1; 0 where no rule asks for any.
    pub(super) fn index_of(&mut self, place: Option<usize>, scope: NodeId) -> usize {
        match place {
            Some(place) if self.counts_objects[place] => {
                self.scopes(place).partition_point(|&other| other <= scope)
            }
            _ => 0,
        }
    }

    /// All scopes that a place takes, in the order of the old side.
    pub(super) fn scopes(&mut self, place: usize) -> Rc<[NodeId]> {
        if let Some(known) = &self.scopes[place] {
            return known.clone();
        }
        let declared = &self.step.leg.crossing.places[place];
        let takes = |accept: AcceptId| {
            let clauses = &self.automaton.accepted(accept).clauses;
            clauses.iter().any(|&(rule, clause)| clause == 0 && self.rule(rule).is_place(place))
        };
        let objects = self
            .reading
            .rows
            .iter()
            .filter(|row| row.kind == RowKind::Object)
            .map(|row| (row.node, row.accept));
        let branches = self.reading.branches.iter().copied();
        let mut found: Vec<NodeId> =
            objects.chain(branches).filter(|&(_, accept)| takes(accept)).map(|(node, _)| node).collect();
        if declared.from.steps.is_empty() {
            found.push(self.root);
        }
        found.sort_unstable();
        found.dedup();
        found.retain(|&scope| {
            self.key_slots(&declared.keys, scope).is_some_and(|slots| self.place_holds(place, &slots, scope))
        });
        let scopes: Rc<[NodeId]> = found.into();
        self.scopes[place] = Some(scopes.clone());
        scopes
    }

    /// The scope of a place whose first key is that text.
    pub(super) fn scope_by_key(&mut self, place: usize, key: &str) -> Option<NodeId> {
        if self.by_key[place].is_none() {
            let mut by_key = FxHashMap::default();
            for &scope in self.scopes(place).iter() {
                let keys = &self.step.leg.crossing.places[place].keys;
                if let Some(Some(Some(first))) =
                    self.key_slots(keys, scope).map(|slots| slots.first().copied().flatten()).map(Some)
                {
                    by_key.entry(first.text.trim().to_owned()).or_insert(scope);
                }
            }
            self.by_key[place] = Some(Rc::new(by_key));
        }
        self.by_key[place].as_ref().and_then(|by_key| by_key.get(key.trim()).copied())
    }

    /// Gathers the networks that a look-up searches, once.
    pub(super) fn ready_look_up(&mut self, number: usize) {
        if self.look_ups[number].is_some() {
            return;
        }
        let look_up = &self.step.leg.crossing.look_ups[number];
        let mut networks = Networks::default();
        for &scope in self.scopes(look_up.place).iter() {
            let Some(instance) = self.instance(look_up.place, scope) else { continue };
            let here = self.here(self.place_rule(look_up.place), &instance.slots, scope, instance.index);
            let network = look_up.network.evaluate(&here);
            let found = match (&look_up.gives, &instance.names) {
                (Some(gives), _) => match gives.evaluate(&here) {
                    Ok(Operand::Text(text)) => Some(text),
                    _ => None,
                },
                (None, Ok(names)) => names.last().map(|(name, _)| name.clone().into_owned()),
                (None, Err(_)) => None,
            };
            let Ok(Operand::Text(text)) = network else { continue };
            let Ok(network) = text.parse() else { continue };
            // What the map leaves out is not there to be found.
            match (self.barred_in(scope), found) {
                (Some(row), _) => networks.lost.push((network, row)),
                (None, Some(found)) => networks.found.push((network, found)),
                (None, None) => {}
            }
        }
        self.look_ups[number] = Some(networks);
    }

    /// The first row of a scope that the map takes out, with what it writes together with others.
    fn barred_in(&self, scope: NodeId) -> Option<u32> {
        if self.bars.is_empty() {
            return None;
        }
        let mut rows = self.reading.rows_below(scope, self.tree);
        rows.find(|&row| self.bars.of(row as u32, &self.reading.rows[row]).is_some()).map(|row| row as u32)
    }

    /// The captures of an object's keys, if the keys are as the place asks.
    pub(super) fn key_slots(&self, levels: &'i [LevelKeys], scope: NodeId) -> Option<Slots<'i>> {
        let mut slots = Slots::new();
        for LevelKeys { up, tests } in levels {
            let mut at = scope;
            for _ in 0..*up {
                at = self.tree.parent(at);
                while self.tree.is_transparent(at) || self.tree.kind(at) == Kind::List {
                    at = self.tree.parent(at);
                }
            }
            self.keys_of(tests, at, &mut slots)?;
        }
        Some(slots)
    }

    /// The captures of the keys of one object.
    fn keys_of(&self, tests: &'i [KeyTest], scope: NodeId, slots: &mut Slots<'i>) -> Option<()> {
        let object = self.row_of(scope)?;
        let entry = self.automaton.accepted(self.reading.rows[object].accept).entry?;
        let What::Object { keys, name, .. } = &self.step.old().schema.entries[entry as usize].what else {
            return None;
        };
        let mut values = Slots::new();
        if let Some(kind) = name {
            let row = Some(object as u32);
            let of = Some(entry);
            values.push(Some(Bound { row, text: self.tree.name(scope), kind: Some(*kind), whole: true, of }));
        }
        for key in keys {
            values.push(self.tree.child(scope, key).and_then(|node| self.bind_whole(node, object)));
        }
        for (test, value) in tests.iter().zip(values) {
            match test {
                KeyTest::Capture(_) => slots.push(value),
                KeyTest::Literal(text) => {
                    value.filter(|bound| bound.text.trim_ascii() == text)?;
                }
                KeyTest::Shaped(shape) => {
                    let bound = value?;
                    let text = bound.text.trim_ascii();
                    let types = &self.step.old().types;
                    let mut fits = |index: usize, part: &str| {
                        shape.types[index].is_none_or(|kind| types.read(kind, part).is_ok())
                    };
                    let found = shape.shape.read(text, &mut fits)?;
                    for (range, kind) in found.into_iter().zip(&shape.types) {
                        slots.push(Some(Bound { text: &text[range], kind: *kind, whole: false, ..bound }));
                    }
                }
                KeyTest::Any => {}
            }
        }
        Some(())
    }

    /// A key of an object; its row stands soon after the object's own.
    fn bind_whole(&self, node: NodeId, object: usize) -> Option<Bound<'i>> {
        let near = self.reading.rows[object..].iter().take(NEAR).position(|row| row.node == node);
        let row = match near {
            Some(offset) => object + offset,
            None => self.reading.row_of(node)?,
        };
        let kind = self.type_of(row as u32);
        let of = self.mapped_entry(self.reading.rows[row]);
        Some(Bound { row: Some(row as u32), text: self.tree.value(node), kind, whole: true, of })
    }

    /// The row of an object, sought first before the row that is being decided: it is seldom far.
    fn row_of(&self, node: NodeId) -> Option<usize> {
        let before = &self.reading.rows[..(self.cursor as usize + 1).min(self.reading.rows.len())];
        let near =
            before.iter().rev().take(NEAR).position(|row| row.node == node && row.kind == RowKind::Object);
        near.map(|offset| before.len() - 1 - offset).or_else(|| self.reading.row_of(node))
    }

    pub(super) fn type_of(&self, index: u32) -> Option<TypeId> {
        self.row(index).type_id(self.step.old(), self.automaton)
    }

    pub(super) fn parts(&mut self, place: Option<usize>, node: NodeId) -> Rc<Parts> {
        let scope = match place {
            Some(place) => self.scope_of(node, self.step.leg.crossing.places[place].depth),
            None => self.root,
        };
        let cell = place.map_or(self.parts.len() - 1, |place| place);
        if let Some(parts) = &self.parts[cell]
            && parts.scope == scope
        {
            return parts.clone();
        }
        let mut parts = Parts { scope, rows: SmallVec::new() };
        for index in self.reading.rows_below(scope, self.tree) {
            for &(rule, clause) in &self.automaton.accepted(self.reading.rows[index].accept).clauses {
                let declared = self.rule(rule);
                if declared.place == place
                    && declared.clauses.len() > 1
                    && !matches!(declared.action, Action::Place)
                {
                    parts.rows.push((rule, clause, index as u32));
                }
            }
        }
        parts.rows.sort_unstable();
        let parts = Rc::new(parts);
        self.parts[cell] = Some(parts.clone());
        parts
    }
}
