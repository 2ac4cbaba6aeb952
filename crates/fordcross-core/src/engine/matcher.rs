//! Which rule takes what, and what it captures: questions about the backup. Answers are kept, and nothing else changes, so
//! that each thread can have a matcher of its own.

use super::capture::{Capture, Networks};
use super::context::EvalContext;
use super::facts::AskFact;
use super::instance::{Instance, Parts, Slots};
use super::program::Program;
use super::render::{Renderer, fact};
use crate::ids::{LookUpId, PlaceId, RowId};
use crate::language::crossing::ClauseId;
use crate::language::crossing::{
    Action, KeyTest, LevelKeys, Piece, Rule, Start, Target, TargetName, TargetStep,
};
use crate::language::expression::{Evaluator, Operand};
use crate::language::profile::What;
use crate::ledger::fate::Fate;
use crate::scan::automaton::AcceptId;
use crate::scan::inventory::RowKind;
use crate::text::value_cache::ValueCache;
use crate::tree::{Kind, NodeId};
use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};
use std::cell::Cell;
use std::collections::HashMap;
use std::rc::Rc;

/// How many rows are looked at one by one before a row is searched for.
const NEARBY_ROWS: usize = 24;

/// The rows that a rule takes: indexed by [`ClauseId`], `None` for an optional clause that nothing meets.
pub(super) type Fit = SmallVec<[Option<RowId>; 4]>;

pub(super) struct Matcher<'p, 'i, 'a> {
    pub(super) program: &'p Program<'p, 'i, 'a>,
    /// The instance that was used last, for each place: rows of one scope are together.
    instances: Vec<Option<Rc<Instance<'i>>>>,
    /// The rows that clauses could take in the scope that was asked for last; indexed by [`PlaceId`], the last for rules without a place.
    parts: Vec<Option<Rc<Parts>>>,
    /// The scopes of each place in the order of the backup, gathered when first asked for.
    scopes: Vec<Option<Rc<[NodeId]>>>,
    /// The scopes of each place by their first key; of several with the same the first.
    by_key: Vec<Option<Rc<FxHashMap<String, NodeId>>>>,
    /// Indexed by [`LookUpId`]; filled once the objects of the look-up's place are placed.
    pub(super) look_ups: Vec<Option<Networks>>,
    /// What the crossing asks and its constants, by name.
    facts: HashMap<String, Operand>,
    evaluator: Evaluator,
    /// How values are written as another type, where nothing was lost; no text for one that stays as it is.
    pub(super) converted: ValueCache<'i, (Option<Box<str>>, Kind, Fate)>,
    /// An empty text, so that there is not a new one for each value.
    pub(super) scratch: String,
    /// The row that is being decided: what is looked for is near it.
    pub(super) cursor: RowId,
}

impl<'p, 'i, 'a> Matcher<'p, 'i, 'a> {
    /// With what is to be said of facts that were not answered.
    pub(super) fn new(program: &'p Program<'p, 'i, 'a>) -> (Self, Vec<(u32, AskFact)>) {
        let crossing = &program.step.leg.crossing;
        let places = crossing.places.len();
        let mut matcher = Self {
            program,
            instances: vec![None; places],
            parts: vec![None; places + 1],
            scopes: vec![None; places],
            by_key: vec![None; places],
            look_ups: vec![None; crossing.look_ups.len()],
            facts: HashMap::new(),
            evaluator: Evaluator::new(),
            converted: ValueCache::new(),
            scratch: String::new(),
            cursor: RowId::new(0),
        };
        let unanswered = matcher.ask();
        (matcher, unanswered)
    }

    /// Facts that the backup does not hold: what a person answered, or the default.
    fn ask(&mut self) -> Vec<(u32, AskFact)> {
        let step = self.program.step;
        for (name, text) in &step.leg.crossing.constants {
            self.facts.insert(name.clone(), Operand::Text(text.clone()));
        }
        let asks = &step.leg.crossing.asks;
        let asked: Vec<bool> = {
            let here = self.whole();
            asks.iter().map(|ask| ask.when.as_ref().is_none_or(|when| when.holds(&here))).collect()
        };
        let mut unanswered = Vec::new();
        for (ask, asked) in asks.iter().zip(asked) {
            let answer =
                step.answers.iter().find(|(fact, _)| *fact == ask.fact).map(|(_, answer)| answer.as_str());
            let operand = fact(answer.unwrap_or(&ask.default), ask.kind);
            let line = ask.at.line;
            if answer.is_none() && asked {
                let (fact, default, why) = (ask.fact.clone(), ask.default.clone(), ask.why.clone());
                unanswered.push((line, AskFact::Assumed { fact, default, why }));
            } else if answer.is_some() && operand.is_none() {
                let (fact, why) = (ask.fact.clone(), ask.why.clone());
                unanswered.push((line, AskFact::OtherType { fact, why }));
            }
            self.facts.insert(ask.fact.clone(), operand.unwrap_or(Operand::Nothing));
        }
        unanswered
    }

    /// What a place makes of the scope that a node is in, or `None` if the place does not take it.
    pub(super) fn instance(&mut self, place: PlaceId, node: NodeId) -> Option<Rc<Instance<'i>>> {
        if let Some(instance) = &self.instances[place.index()]
            && (instance.scope..instance.end).contains(&node)
        {
            return Some(instance.clone());
        }
        let declared = &self.program.step.leg.crossing.places[place.index()];
        let scope = self.program.scope_of(node, declared.depth);
        let slots = self.key_slots(&declared.keys, self.program.place_rule(place).slots, scope)?;
        if !self.place_holds(place, &slots, scope) {
            return None;
        }
        let index = self.index_of(Some(place), scope);
        let rule = self.program.place_rule(place);
        let names = {
            let hand = Renderer::new(self.here(rule, &slots, scope, index), &self.look_ups);
            declared.target.iter().map(|step| hand.name(step)).collect()
        };
        let end = self.program.tree.subtree_end(scope);
        let instance = Rc::new(Instance { scope, end, slots, index, target: Cell::default(), names });
        self.instances[place.index()] = Some(instance.clone());
        Some(instance)
    }

    pub(super) fn place_holds(&self, place: PlaceId, slots: &[Option<Capture<'i>>], scope: NodeId) -> bool {
        let Some(when) = &self.program.step.leg.crossing.places[place.index()].when else { return true };
        let here = self.here(self.program.place_rule(place), slots, scope, 0);
        when.holds(&here)
    }

    /// What expressions see in a scope.
    pub(super) fn here<'h>(
        &'h self,
        rule: &'h Rule,
        slots: &'h [Option<Capture<'i>>],
        scope: NodeId,
        index: usize,
    ) -> EvalContext<'h, 'i, 'a> {
        let pattern = rule.place.map(|place| &self.program.step.leg.crossing.places[place.index()].from);
        EvalContext {
            step: &self.program.step,
            scope,
            pattern,
            slots,
            names: &rule.names,
            fixed: &rule.fixed,
            index,
            facts: &self.facts,
            evaluator: &self.evaluator,
        }
    }

    /// The place of a scope among those of its place, from 1; 0 where no rule asks for any.
    pub(super) fn index_of(&mut self, place: Option<PlaceId>, scope: NodeId) -> usize {
        match place {
            Some(place) if self.program.counts_objects[place.index()] => {
                self.scopes(place).partition_point(|&other| other <= scope)
            }
            _ => 0,
        }
    }

    /// Where instances went is looked for again.
    pub(super) fn forget_instances(&mut self) {
        self.instances.fill(None);
    }

    /// All scopes that a place takes, in the order of the old side.
    pub(super) fn scopes(&mut self, place: PlaceId) -> Rc<[NodeId]> {
        if let Some(known) = &self.scopes[place.index()] {
            return known.clone();
        }
        let declared = &self.program.step.leg.crossing.places[place.index()];
        let takes = |accept: AcceptId| {
            let clauses = &self.program.automaton.accepted(accept).clauses;
            clauses
                .iter()
                .any(|&(rule, clause)| clause == ClauseId::FIRST && self.program.rule(rule).is_place(place))
        };
        let objects = self
            .program
            .reading
            .rows
            .iter()
            .filter(|row| row.kind == RowKind::Object)
            .map(|row| (row.node, row.accept));
        let branches = self.program.reading.branches.iter().copied();
        let mut found: Vec<NodeId> =
            objects.chain(branches).filter(|&(_, accept)| takes(accept)).map(|(node, _)| node).collect();
        if declared.from.steps.is_empty() {
            found.push(self.program.root);
        }
        found.sort_unstable();
        found.dedup();
        let of_place = self.program.place_rule(place).slots;
        found.retain(|&scope| {
            self.key_slots(&declared.keys, of_place, scope)
                .is_some_and(|slots| self.place_holds(place, &slots, scope))
        });
        let scopes: Rc<[NodeId]> = found.into();
        self.scopes[place.index()] = Some(scopes.clone());
        scopes
    }

    /// The scope of a place whose first key is that text.
    pub(super) fn scope_by_key(&mut self, place: PlaceId, key: &str) -> Option<NodeId> {
        if self.by_key[place.index()].is_none() {
            let mut by_key = FxHashMap::default();
            for &scope in self.scopes(place).iter() {
                let keys = &self.program.step.leg.crossing.places[place.index()].keys;
                let slots = self.key_slots(keys, self.program.place_rule(place).slots, scope);
                if let Some(Some(Some(first))) = slots.map(|slots| slots.first().copied().flatten()).map(Some)
                {
                    by_key.entry(first.text.trim().to_owned()).or_insert(scope);
                }
            }
            self.by_key[place.index()] = Some(Rc::new(by_key));
        }
        self.by_key[place.index()].as_ref().and_then(|by_key| by_key.get(key.trim()).copied())
    }

    /// The object that a path begins at where it leads on from that of a place. `node` is in the scope that asks.
    pub(super) fn started(
        &mut self,
        start: &Start,
        slots: &[Option<Capture<'i>>],
        node: NodeId,
    ) -> Option<(Rc<Instance<'i>>, PlaceId)> {
        for &place in &start.places {
            let found = match start.slot {
                Some(slot) => {
                    let key = slots[slot.index()].as_ref()?.text;
                    self.scope_by_key(place, key).and_then(|scope| self.instance(place, scope))
                }
                None => self.around(place, node),
            };
            if let Some(instance) = found {
                return Some((instance, place));
            }
        }
        None
    }

    /// The object that a place takes and a node is in.
    fn around(&mut self, place: PlaceId, node: NodeId) -> Option<Rc<Instance<'i>>> {
        let known = self.instances[place.index()].as_ref();
        if known.is_none_or(|instance| !(instance.scope..instance.end).contains(&node)) {
            let declared = &self.program.step.leg.crossing.places[place.index()];
            let mut at = self.program.scope_of(node, declared.depth);
            let mut names: Vec<&str> = Vec::new();
            while at != self.program.root && at != NodeId::DOCUMENT {
                if !self.program.tree.is_transparent(at) {
                    names.push(self.program.tree.name(at));
                }
                at = self.program.tree.parent(at);
            }
            names.reverse();
            if !declared.from.fits(&names) {
                return None;
            }
        }
        self.instance(place, node)
    }

    /// Gathers the networks that a look-up searches, once.
    pub(super) fn ready_look_up(&mut self, number: LookUpId) {
        if self.look_ups[number.index()].is_some() {
            return;
        }
        let look_up = &self.program.step.leg.crossing.look_ups[number.index()];
        let mut networks = Networks::default();
        for &scope in self.scopes(look_up.place).iter() {
            let Some(instance) = self.instance(look_up.place, scope) else { continue };
            let here =
                self.here(self.program.place_rule(look_up.place), &instance.slots, scope, instance.index);
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
            match (self.program.barred_in(scope), found) {
                (Some(row), _) => networks.lost.push((network, row)),
                (None, Some(found)) => networks.found.push((network, found)),
                (None, None) => {}
            }
        }
        self.look_ups[number.index()] = Some(networks);
    }

    /// The captures of an object's keys, if the keys are as the place asks.
    pub(super) fn key_slots(
        &self,
        levels: &'i [LevelKeys],
        slots: usize,
        scope: NodeId,
    ) -> Option<Slots<'i>> {
        let mut slots: Slots<'i> = smallvec![None; slots];
        for LevelKeys { up, by_name, tests } in levels {
            let mut at = scope;
            for _ in 0..*up {
                at = self.program.tree.parent(at);
                while self.program.tree.is_transparent(at) || self.program.tree.kind(at) == Kind::List {
                    at = self.program.tree.parent(at);
                }
            }
            match tests.as_slice() {
                [test] if *by_name => self.name_of(test, at, &mut slots)?,
                tests => self.keys_of(tests, at, &mut slots)?,
            }
        }
        Some(slots)
    }

    /// What is captured of the name of an object or branch.
    fn name_of(&self, test: &'i KeyTest, scope: NodeId, slots: &mut Slots<'i>) -> Option<()> {
        let row = self.row_of(scope);
        let entry = row.and_then(|row| self.program.automaton.accepted(self.program.row(row).accept).entry);
        let ty = match entry.map(|entry| &self.program.step.old().schema[entry].what) {
            Some(What::Object { name, .. }) => *name,
            _ => None,
        };
        let text = self.program.tree.name(scope);
        self.test(test, Some(Capture { row, text, ty, whole: true, of: entry }), slots)
    }

    /// Puts what a test captures of a name or key into its slots, if that is as the place asks.
    pub(super) fn test(
        &self,
        test: &'i KeyTest,
        value: Option<Capture<'i>>,
        slots: &mut Slots<'i>,
    ) -> Option<()> {
        match test {
            KeyTest::Capture(slot) => slots[slot.index()] = value,
            KeyTest::Literal(text) => {
                value.filter(|capture| capture.text.trim_ascii() == text)?;
            }
            KeyTest::Shaped(shape) => {
                let capture = value?;
                let capture = Capture { text: capture.text.trim_ascii(), ..capture };
                return self.program.bind_shape(shape, capture, slots).then_some(());
            }
            KeyTest::Any => {}
        }
        Some(())
    }

    /// The captures of the keys of one object.
    fn keys_of(&self, tests: &'i [KeyTest], scope: NodeId, slots: &mut Slots<'i>) -> Option<()> {
        let object = self.row_of(scope)?;
        let entry = self.program.automaton.accepted(self.program.row(object).accept).entry?;
        let What::Object { keys, .. } = &self.program.step.old().schema[entry].what else {
            return None;
        };
        for (test, key) in tests.iter().zip(keys) {
            let value = self.program.tree.child(scope, key).and_then(|node| self.bind_whole(node, object));
            self.test(test, value, slots)?;
        }
        Some(())
    }

    /// A key of an object; its row is soon after the object's own.
    fn bind_whole(&self, node: NodeId, object: RowId) -> Option<Capture<'i>> {
        let behind = &self.program.reading.rows[object.index()..];
        let near = behind.iter().take(NEARBY_ROWS).position(|row| row.node == node);
        let row = match near {
            Some(offset) => RowId::new(object.index() + offset),
            None => self.program.reading.row_of(node)?,
        };
        let ty = self.program.type_of(row);
        let of = self.program.mapped_entry(self.program.row(row));
        Some(Capture { row: Some(row), text: self.program.tree.value(node), ty, whole: true, of })
    }

    /// The row of an object, sought first before the row that is being decided: it is seldom far.
    fn row_of(&self, node: NodeId) -> Option<RowId> {
        let before =
            &self.program.reading.rows[..(self.cursor.index() + 1).min(self.program.reading.rows.len())];
        let near = before
            .iter()
            .rev()
            .take(NEARBY_ROWS)
            .position(|row| row.node == node && row.kind == RowKind::Object);
        near.map(|offset| RowId::new(before.len() - 1 - offset)).or_else(|| self.program.reading.row_of(node))
    }

    pub(super) fn parts(&mut self, place: Option<PlaceId>, node: NodeId) -> Rc<Parts> {
        let scope = match place {
            Some(place) => {
                self.program.scope_of(node, self.program.step.leg.crossing.places[place.index()].depth)
            }
            None => self.program.root,
        };
        let cell = place.map_or(self.parts.len() - 1, PlaceId::index);
        if let Some(parts) = &self.parts[cell]
            && parts.scope == scope
        {
            return parts.clone();
        }
        let mut parts = Parts { scope, rows: SmallVec::new() };
        for index in self.program.reading.rows_below(scope, self.program.tree) {
            for &(rule, clause) in &self.program.automaton.accepted(self.program.row(index).accept).clauses {
                let declared = self.program.rule(rule);
                if declared.place == place
                    && declared.clauses.len() > 1
                    && !matches!(declared.action, Action::Place)
                {
                    parts.rows.push((rule, clause, index));
                }
            }
        }
        parts.rows.sort_unstable();
        let parts = Rc::new(parts);
        self.parts[cell] = Some(parts.clone());
        parts
    }

    /// What a rule captures, and whether what it captures twice is the same both times.
    pub(super) fn bind_all(&mut self, rule: &'i Rule, fit: &Fit) -> (Slots<'i>, bool) {
        let mut slots: Slots<'i> = smallvec![None; rule.slots];
        let first = fit.iter().flatten().next().copied();
        if let (Some(place), Some(first)) = (rule.place, first)
            && let Some(instance) = self.instance(place, self.program.row(first).node)
        {
            slots[..instance.slots.len()].copy_from_slice(&instance.slots);
        }
        let mut same = true;
        for (clause, row) in rule.clauses.iter().zip(fit) {
            let Some(index) = *row else { continue };
            let row = self.program.row(index);
            let (ty, text) = (self.program.type_of(index), self.program.tree.value(row.node));
            let of = self.program.mapped_entry(row);
            let capture = Capture { row: Some(index), text, ty, whole: true, of };
            same &= self.program.bind_clause(clause, row, capture, &mut slots);
        }
        (slots, same)
    }

    pub(super) fn ready_look_ups(&mut self, targets: &[Target]) {
        let in_names = |steps: &[TargetStep]| -> Vec<LookUpId> {
            steps
                .iter()
                .filter_map(|step| match &step.name {
                    TargetName::Made { pieces, .. } => Some(pieces.iter()),
                    TargetName::Literal(_) => None,
                })
                .flatten()
                .filter_map(Piece::look_up)
                .collect()
        };
        let mut needed = Vec::new();
        for target in targets {
            needed.extend(in_names(&target.base));
            for field in &target.fields {
                needed.extend(in_names(&field.path));
                needed.extend(field.template.iter().filter_map(Piece::look_up));
            }
        }
        needed.into_iter().for_each(|number| self.ready_look_up(number));
    }

    /// What expressions see that speak of the whole old side.
    pub(super) fn whole(&self) -> EvalContext<'_, 'i, 'a> {
        EvalContext {
            step: &self.program.step,
            scope: self.program.root,
            pattern: None,
            slots: &[],
            names: &[],
            fixed: &[],
            index: 0,
            facts: &self.facts,
            evaluator: &self.evaluator,
        }
    }
}
