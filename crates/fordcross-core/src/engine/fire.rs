//! What a rule does once it fits.

use super::capture::{Capture, Failure, Prepared};
use super::choose::{Fits, rows_of};
use super::draft::Conflict;
use super::facts::{FailureFact, ObjectNotCarried};
use super::instance::Instance;
use super::outcome::{Engine, Rows, Written};
use super::render::Renderer;
use crate::finding::{Code, DeclaredText, OneOf};
use crate::ids::{PlaceId, RowId, SlotId};
use crate::language::crossing::RuleId;
use crate::language::crossing::{Action, Field, Rule, Start, Target, TargetName, TargetStep};
use crate::language::expression::Operand;
use crate::language::profile::{Lookup, PathStep};
use crate::language::typing::Loss;
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Landing, Wanted};
use crate::scan::inventory::RowKind;
use crate::tree::{Kind, NodeId, Text};
use smallvec::SmallVec;
use std::borrow::Cow;
use std::sync::Arc;

/// Steps into the new tree, each with whether it is a new entry of a list.
pub(super) type Path<'i> = SmallVec<[(Cow<'i, str>, bool); 3]>;

/// What one target of a rule is to write.
struct Ready<'i> {
    top: bool,
    start: Option<Start>,
    base: Path<'i>,
    objects: Vec<Path<'i>>,
    /// Each field with its path and the rows behind it.
    fields: SmallVec<[(Path<'i>, Prepared, Rows); 1]>,
}

impl<'i> Engine<'_, 'i, '_> {
    pub(super) fn fire(&mut self, rule_id: RuleId, fits: &Fits) {
        let rule = self.program.rule(rule_id);
        let rows = rows_of(fits);
        let by = DecidedBy::Rule(rule_id);
        let line = Some(rule.at.line);
        let said = match &rule.action {
            Action::Place => return self.place(rule_id, rule, rows[0]),
            Action::Move(targets) => return self.move_rows(rule_id, rule, targets, fits),
            Action::Branch(target) => return self.move_branch(rule_id, rule, target, rows[0]),
            Action::Drop { why } => Some((Fate::Dropped, DeclaredText::new(Code::Dropped, why.as_str()))),
            Action::ByHand { instruction } => {
                Some((Fate::ByHand, DeclaredText::new(Code::ByHand, instruction.as_str())))
            }
            Action::Moot { .. } => None,
            // Speaks of no setting, so none leads here.
            Action::Add(_) | Action::Pin(_) => return,
        };
        for row in rows {
            self.set(row, said.as_ref().map_or(Fate::Moot, |(fate, _)| *fate), by, &[]);
            if let Some((_, text)) = &said {
                self.note(Some(row), line, Arc::new(text.clone()));
            }
        }
    }

    /// The object or one of its keys goes where the place says.
    fn place(&mut self, rule_id: RuleId, rule: &'i Rule, index: RowId) {
        let by = DecidedBy::Rule(rule_id);
        let row = self.program.row(index);
        let Some(place) = rule.place else { return };
        let Some(instance) = self.matcher.instance(place, row.node) else { return };
        let is_key = row.kind == RowKind::Setting
            && instance.slots.iter().flatten().any(|capture| capture.row == Some(index));
        if row.kind == RowKind::Setting && !is_key {
            self.set(index, Fate::Moot, by, &[]);
            return;
        }
        match self.target_of(&instance, place) {
            Ok(node) => {
                let fate = instance.names.as_ref().map_or(Fate::Carried, |names| {
                    names.iter().map(|(_, fate)| *fate).max().unwrap_or(Fate::Carried)
                });
                self.set(index, fate, by, &[Landing { node, fate }]);
                if fate == Fate::Approximated {
                    let changed =
                        instance.names.iter().flatten().filter(|(_, fate)| *fate == Fate::Approximated);
                    let names = OneOf::of(changed.map(|(name, _)| name.as_ref()));
                    self.note_loss(index, Some(rule.at.line), &Loss::Renamed { names });
                }
            }
            Err(failure) => {
                self.fail(index, by, &failure);
                self.want_object(place, index);
            }
        }
    }

    /// Notes where an object would have been that has no place, as far as all of its kind go there.
    fn want_object(&mut self, place: PlaceId, row: RowId) {
        let place = &self.program.step.leg.crossing.places[place.index()];
        let names = place.target.iter().map(|step| match &step.name {
            TargetName::Literal(name) => name.as_str(),
            TargetName::Made { .. } => "*",
        });
        if place.start.is_none() && !self.program.step.new_profile().rules.is_empty() {
            let path = names.collect::<Vec<_>>().join("/");
            self.wanted.push(Wanted { node: self.draft.root(), path: path.into(), row });
        }
    }

    /// The node that the settings of a place's scope are in, made when first asked for.
    pub(super) fn target_of(&mut self, instance: &Instance<'i>, place: PlaceId) -> Result<NodeId, Failure> {
        if let Some(node) =
            instance.target.get().or_else(|| self.targets.get(&(place, instance.scope)).copied())
        {
            return Ok(node);
        }
        let names = instance
            .names
            .as_ref()
            .map_err(|failure| Failure::new(ObjectNotCarried(failure.fact.clone())))?;
        let declared = &self.program.step.leg.crossing.places[place.index()];
        let steps = &declared.target;
        let mut ways = names.iter().zip(steps).map(|((name, _), step)| (name.as_ref(), step.append));
        let from = match &declared.start {
            Some(start) => self.start(start, &instance.slots, instance.scope)?,
            None => self
                .base_of(place, ways.by_ref().take(declared.common_steps()))
                .map_err(|Conflict| Failure::conflict())?,
        };
        let node = self.go(from, ways).map_err(|Conflict| Failure::conflict())?;
        instance.target.set(Some(node));
        // A place may be come back to when others of its kind were made: from a rule elsewhere, to add
        // something, to pin a default. A new entry of a list is not found again by its name.
        if steps.iter().any(|step| step.append) {
            self.targets.insert((place, instance.scope), node);
        }
        // What no rule of the place speaks of follows its object within one platform.
        if self.program.same_platform.is_some() {
            self.moved_to.insert(instance.scope, node);
        }
        Ok(node)
    }

    /// The branch that all objects of a place are in, by the way to it from the top.
    pub(super) fn base_of<'n>(
        &mut self,
        place: PlaceId,
        way: impl Iterator<Item = (&'n str, bool)>,
    ) -> Result<NodeId, Conflict> {
        if let Some(base) = self.bases[place.index()] {
            way.for_each(drop);
            return Ok(base);
        }
        let base = self.go(self.draft.root(), way)?;
        self.bases[place.index()] = Some(base);
        Ok(base)
    }

    fn go<'n>(
        &mut self,
        from: NodeId,
        mut way: impl Iterator<Item = (&'n str, bool)>,
    ) -> Result<NodeId, Conflict> {
        way.try_fold(from, |at, (name, append)| {
            if append {
                self.draft.entry(at, name, Kind::Map)
            } else {
                self.draft.branch(at, name, Kind::Map)
            }
        })
    }

    /// Writes all that a rule says, or nothing of it. `node` is in the rule's scope.
    pub(super) fn write(
        &mut self,
        rule: &'i Rule,
        targets: &'i [Target],
        slots: &[Option<Capture<'i>>],
        node: NodeId,
        rows: &[RowId],
    ) -> Result<SmallVec<[Written; 2]>, Failure> {
        let instance = rule.place.and_then(|place| self.matcher.instance(place, node));
        let ready = self.ready(rule, targets, slots, instance.as_deref(), rows)?;
        let home = match (&instance, rule.place) {
            (Some(instance), Some(place)) => self.target_of(instance, place)?,
            _ => self.draft.root(),
        };
        let mut starts: SmallVec<[NodeId; 2]> = SmallVec::new();
        for target in &ready {
            starts.push(match &target.start {
                Some(start) => self.start(start, slots, node)?,
                None if target.top => self.draft.root(),
                None => home,
            });
        }
        for ((target, Ready { base, fields, .. }), &start) in targets.iter().zip(&ready).zip(&starts) {
            let places = &self.program.step.leg.crossing.places;
            let place = match &target.start {
                Some(start) if start.places.len() > 1 => None,
                Some(start) => start.places.first().copied(),
                None => rule.place,
            };
            let is_by_kind = match place {
                Some(place) => !target.top && places[place.index()].is_by_kind(),
                None => target.start.is_some(),
            };
            if is_by_kind || target.base.iter().any(TargetStep::is_by_kind) {
                fields.iter().try_for_each(|(path, ..)| self.is_known(start, base, path))?;
            }
        }
        for (Ready { base, fields, .. }, &start) in ready.iter().zip(&starts) {
            for (path, prepared, _) in fields {
                let names = steps_of(base).chain(steps_of(path));
                if self.draft.would_be_taken(start, names, &prepared.text) {
                    return Err(Failure::conflict());
                }
            }
        }
        let mut written = SmallVec::new();
        for (Ready { base, fields, objects, .. }, start) in ready.into_iter().zip(starts) {
            let at = self.go(start, steps_of(&base)).map_err(|Conflict| Failure::conflict())?;
            for object in objects {
                let node = self.go(at, steps_of(&object)).map_err(|Conflict| Failure::conflict())?;
                written.push(Written { node, fate: Fate::Recast, loss: None, rows: Rows::from_slice(rows) });
            }
            for (path, prepared, from) in fields {
                let node = self.write_leaf(at, &path, &prepared).map_err(|Conflict| Failure::conflict())?;
                written.push(Written { node, fate: prepared.fate, loss: prepared.loss, rows: from });
            }
        }
        Ok(written)
    }

    /// Where the kind of an object decides its place, not all that one may have is known for another.
    fn is_known(&self, start: NodeId, base: &Path<'i>, path: &Path<'i>) -> Result<(), Failure> {
        let tree = &self.draft.tree;
        let mut names: Vec<&str> = Vec::new();
        let mut at = start;
        while at != self.draft.root() {
            // The entries of a list have no name of their own.
            if tree.kind(tree.parent(at)) != Kind::List {
                names.push(tree.name(at));
            }
            at = tree.parent(at);
        }
        names.reverse();
        names.extend(base.iter().chain(path).map(|(name, _)| name.as_ref()));
        let steps: Vec<PathStep<'_>> = names.iter().map(|name| PathStep::Name(name)).collect();
        match self.program.step.new_profile().schema.find(&steps) {
            Lookup::Declared(_) => Ok(()),
            _ => Err(Failure::new(FailureFact::NoPlace { path: names.join("/") })),
        }
    }

    /// Where an object of another place went. `node` is in the scope that asks.
    pub(super) fn start(
        &mut self,
        start: &Start,
        slots: &[Option<Capture<'i>>],
        node: NodeId,
    ) -> Result<NodeId, Failure> {
        let found = self.matcher.started(start, slots, node);
        let (instance, place) = found.ok_or_else(|| Failure::new(FailureFact::NoObject))?;
        self.target_of(&instance, place)
    }

    /// All that a rule would write, made before anything is written.
    fn ready(
        &mut self,
        rule: &'i Rule,
        targets: &'i [Target],
        slots: &[Option<Capture<'i>>],
        instance: Option<&Instance<'i>>,
        rows: &[RowId],
    ) -> Result<SmallVec<[Ready<'i>; 1]>, Failure> {
        if !self.matcher.look_ups.is_empty() {
            self.matcher.ready_look_ups(targets);
        }
        let (scope, index) =
            instance.map_or((self.program.root, 0), |instance| (instance.scope, instance.index));
        let hand = Renderer::new(self.matcher.here(rule, slots, scope, index), &self.matcher.look_ups);
        let mut ready = SmallVec::new();
        for target in targets {
            let base = path(&hand, &target.base)?;
            let mut fields = SmallVec::new();
            for field in &target.fields {
                if field.is_left_out(|slot| slots[slot.index()].is_none()) {
                    continue;
                }
                let used: SmallVec<[SlotId; 4]> = field.slots().collect();
                let Some(prepared) = hand.prepare(field, String::new())? else { continue };
                if field.at_least && self.is_enough_there(field, &prepared.text) {
                    continue;
                }
                let mut from: Rows = used
                    .iter()
                    .filter_map(|&slot| slots[slot.index()].and_then(|capture| capture.row))
                    .collect();
                from.retain(|row| rows.contains(row));
                let from = if from.is_empty() { Rows::from_slice(rows) } else { from };
                fields.push((path(&hand, &field.path)?, prepared, from));
            }
            let objects =
                target.objects.iter().map(|object| path(&hand, object)).collect::<Result<_, _>>()?;
            ready.push(Ready { top: target.top, start: target.start.clone(), base, fields, objects });
        }
        Ok(ready)
    }

    /// Whether what holds for a setting of the new side, where nothing is said, is not less than a value.
    fn is_enough_there(&self, field: &Field, value: &str) -> bool {
        let profile = self.program.step.new_profile();
        let entry = &profile.schema[field.entry];
        let holds = entry.what.default_at(profile.release).or_else(|| profile.in_force(entry));
        let number = |text: &str| match Operand::from_value(&profile.types.read(field.ty, text).ok()?) {
            Operand::Integer(number) => Some(number),
            _ => None,
        };
        holds.and_then(number).zip(number(value)).is_some_and(|(holds, value)| holds >= value)
    }

    pub(super) fn write_leaf(
        &mut self,
        from: NodeId,
        path: &[(Cow<'i, str>, bool)],
        prepared: &Prepared,
    ) -> Result<NodeId, Conflict> {
        let Some(((last, append), above)) = path.split_last() else { return Err(Conflict) };
        let at = self.go(from, steps_of(above))?;
        let value = prepared.span.map_or(Text::Decoded(&prepared.text), Text::Borrowed);
        if *append {
            let leaf = self.draft.entry(at, last, prepared.kind)?;
            self.draft.set_value(leaf, value);
            Ok(leaf)
        } else {
            self.draft.leaf(at, last, prepared.kind, value)
        }
    }
}

fn steps_of<'n>(path: &'n [(Cow<'_, str>, bool)]) -> impl Iterator<Item = (&'n str, bool)> {
    path.iter().map(|(name, append)| (name.as_ref(), *append))
}

/// The names of the steps of a path.
pub(super) fn path<'i, 'a: 'i>(
    hand: &Renderer<'_, 'i, 'a>,
    steps: &'i [TargetStep],
) -> Result<Path<'i>, Failure> {
    steps.iter().map(|step| Ok((hand.name(step)?.0, step.append))).collect()
}
