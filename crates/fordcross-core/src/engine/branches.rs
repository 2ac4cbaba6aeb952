//! Branches that go as a whole: what is below one path of the old side goes to the same paths below another of the new side.

use super::capture::{Capture, Failure};
use super::draft::Conflict;
use super::fire::path;
use super::instance::Slots;
use super::outcome::Engine;
use super::program::Program;
use super::render::Renderer;
use crate::ids::{EntryId, RowId};
use crate::language::crossing::{Action, Rule, RuleId, Target, TargetName, TargetStep};
use crate::language::profile::{Lookup, PathStep, What};
use crate::ledger::DecidedBy;
use crate::ledger::Landing;
use crate::ledger::fate::Fate;
use crate::scan::inventory::{Omitted, Row, RowKind};
use crate::tree::pattern::Step;
use crate::tree::{Kind, NodeId, Text, Tree};
use smallvec::smallvec;

/// What a row of a branch is on the new side.
#[derive(Clone, Copy)]
pub(super) enum Twin {
    Object { is_entry: bool },
    Setting(EntryId),
}

impl Program<'_, '_, '_> {
    /// What is at the path of the new side that a rule takes a row to as part of its branch, if anything is.
    pub(super) fn branch_twin(&self, rule: &Rule, row: Row) -> Option<Twin> {
        let names = self.tree.names_on_way(row.node);
        match (row.kind, self.twin_of(rule, &names, (row.kind == RowKind::Object).then_some(row.node))?) {
            (RowKind::Object, twin @ Twin::Object { .. }) | (RowKind::Setting, twin @ Twin::Setting(_)) => {
                Some(twin)
            }
            _ => None,
        }
    }

    /// What is on the new side for a path of the old one, of a branch or of a setting.
    fn twin_of(&self, rule: &Rule, names: &[&str], branch: Option<NodeId>) -> Option<Twin> {
        let Action::Branch(target) = &rule.action else { return None };
        let depth = depth_of(rule);
        let below = names.get(depth..)?;
        let places = &self.step.leg.crossing.places;
        let top: [Vec<TargetStep>; 1] = [Vec::new()];
        let ways: Vec<&[TargetStep]> = match (&target.start, rule.place) {
            (Some(start), _) => {
                start.places.iter().flat_map(|place| &places[place.index()].ways).map(Vec::as_slice).collect()
            }
            (None, Some(place)) if !target.top => {
                places[place.index()].ways.iter().map(Vec::as_slice).collect()
            }
            _ => top.iter().map(Vec::as_slice).collect(),
        };
        let schema = &self.step.new_profile().schema;
        ways.into_iter().find_map(|way| {
            let steps = way.iter().chain(&target.base).map(|step| match &step.name {
                TargetName::Literal(name) => PathStep::Name(name),
                TargetName::Made { .. } => PathStep::Any,
            });
            let steps: Vec<PathStep<'_>> =
                steps.chain(below.iter().map(|name| PathStep::Name(name))).collect();
            match schema.find(&steps) {
                Lookup::Declared(entry) if schema[entry].what.is_object() => {
                    // Only what nothing in its path tells apart is an entry beside others.
                    let is_entry = matches!(&schema[entry].what, What::Object { many: true, name: None, .. });
                    Some(Twin::Object { is_entry })
                }
                Lookup::Declared(entry) => match branch {
                    // Below `**` are branches, too; those of one name stay several.
                    Some(node) if schema[entry].pattern.steps.last() == Some(&Step::Below) => {
                        Some(Twin::Object { is_entry: self.reading.ordinals.of(node).is_some() })
                    }
                    _ => Some(Twin::Setting(entry)),
                },
                Lookup::Above => Some(Twin::Object { is_entry: false }),
                Lookup::Unknown { .. } => None,
            }
        })
    }
}

/// How many steps lead to the branch that a rule moves.
fn depth_of(rule: &Rule) -> usize {
    rule.clauses.first().map_or(0, |clause| clause.pattern.steps.len().saturating_sub(1))
}

/// What holds a node: of an entry what holds its list.
pub(super) fn holder(tree: &Tree<'_>, node: NodeId) -> NodeId {
    let parent = tree.parent(node);
    if tree.kind(parent) == Kind::List { tree.parent(parent) } else { parent }
}

impl<'i> Engine<'_, 'i, '_> {
    /// Takes a row to where the branch that it is in goes.
    pub(super) fn move_branch(&mut self, rule_id: RuleId, rule: &'i Rule, target: &'i Target, index: RowId) {
        let by = DecidedBy::Rule(rule_id);
        let row = self.program.row(index);
        let Some(twin) = self.program.branch_twin(rule, row) else { return };
        // The empty text of an object goes with it.
        let tree = self.program.tree;
        if tree.kind(row.node) == Kind::OwnText && tree.value(row.node).trim_ascii().is_empty() {
            return self.set(index, Fate::Moot, by, &[]);
        }
        let done = match twin {
            Twin::Object { .. } => {
                self.branch_node((rule_id, rule), target, row.node).map(|node| (node, Fate::Carried))
            }
            Twin::Setting(entry) => self.move_leaf((rule_id, rule), target, index, entry),
        };
        match done {
            Ok((node, fate)) => self.set(index, fate, by, &[Landing { node, fate }]),
            Err(failure) => {
                self.fail(index, by, &failure);
                self.want(rule_id, &smallvec![Some(index)]);
            }
        }
    }

    fn move_leaf(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        target: &'i Target,
        index: RowId,
        entry: EntryId,
    ) -> Result<(NodeId, Fate), Failure> {
        let (tree, new) = (self.program.tree, self.program.step.new_profile());
        let row = self.program.row(index);
        let capture = Capture {
            row: Some(index),
            text: tree.value(row.node),
            ty: self.program.type_of(index),
            whole: true,
            of: self.program.mapped_entry(row),
        };
        let ty = new.schema[entry].what.setting().ok_or_else(Failure::conflict)?;
        let prepared = self.program.step.convert(&capture, ty, Some(entry))?;
        let at = self.branch_node((rule_id, rule), target, holder(tree, row.node))?;
        let kind = if new.is_attribute(entry) { Kind::Attribute } else { prepared.kind };
        let name = tree.name(row.node);
        let span = tree.value_span(row.node).filter(|_| prepared.fate == Fate::Carried);
        let value = span.map_or(Text::Decoded(&prepared.text), Text::Borrowed);
        let is_list = new.schema[entry].what.is_list();
        let node = if is_list {
            self.draft.entry(at, name, kind).inspect(|&leaf| self.draft.set_value(leaf, value))
        } else {
            self.draft.leaf(at, name, kind, value)
        };
        let node = node.map_err(|Conflict| Failure::conflict())?;
        if let Some(loss) = &prepared.loss {
            self.note_loss(index, Some(rule.at.line), loss);
        }
        Ok((node, prepared.fate))
    }

    /// The branch of the new tree that a node of a branch of the old one goes to, made if it is not there.
    fn branch_node(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        target: &'i Target,
        node: NodeId,
    ) -> Result<NodeId, Failure> {
        if let Some(&known) = self.pending.branches.get(&(rule_id, node)) {
            return Ok(known);
        }
        let tree = self.program.tree;
        let conflict = |Conflict| Failure::conflict();
        let made = if tree.names_on_way(node).len() <= depth_of(rule) {
            self.branch_target(rule, target, node)?
        } else {
            let at = self.branch_node((rule_id, rule), target, holder(tree, node))?;
            let names = tree.names_on_way(node);
            if let Some(Twin::Object { is_entry: true }) = self.program.twin_of(rule, &names, Some(node)) {
                self.draft.entry(at, tree.name(node), Kind::Map).map_err(conflict)?
            } else {
                self.draft.branch(at, tree.name(node), Kind::Map).map_err(conflict)?
            }
        };
        self.pending.branches.insert((rule_id, node), made);
        Ok(made)
    }

    /// Where the branch itself goes.
    fn branch_target(&mut self, rule: &'i Rule, target: &'i Target, node: NodeId) -> Result<NodeId, Failure> {
        let row = self.program.reading.row_of(node);
        let fit = smallvec![row];
        let slots = match row {
            Some(_) => self.matcher.bind_all(rule, &fit).0,
            None => Slots::from_elem(None, rule.slots),
        };
        let instance = rule.place.and_then(|place| Some((self.matcher.instance(place, node)?, place)));
        let start = match (&target.start, &instance) {
            (Some(start), _) => self.start(start, &slots, node)?,
            (None, Some((instance, place))) if !target.top => self.target_of(instance, *place)?,
            _ => self.draft.root(),
        };
        let (scope, index) = instance
            .as_ref()
            .map_or((self.program.root, 0), |(instance, _)| (instance.scope, instance.index));
        let steps = {
            let hand = Renderer::new(self.matcher.here(rule, &slots, scope, index), &self.matcher.look_ups);
            path(&hand, &target.base)?
        };
        let made = steps.iter().try_fold(start, |at, (name, append)| {
            if *append {
                self.draft.entry(at, name, Kind::Map)
            } else {
                self.draft.branch(at, name, Kind::Map)
            }
        });
        made.map_err(|Conflict| Failure::conflict())
    }

    /// Writes an old default out in a branch that goes as a whole, where the new default is another.
    pub(super) fn pin_in_branch(
        &mut self,
        (rule_id, rule): (RuleId, &'i Rule),
        target: &'i Target,
        omitted: Omitted,
        capture: &Capture<'i>,
    ) {
        let (old, new) = (self.program.step.old(), self.program.step.new_profile());
        let Some(Step::Names(last)) = old.schema[omitted.entry].pattern.steps.last() else {
            return;
        };
        let mut names = self.program.tree.names_on_way(omitted.holder);
        names.push(&last[0]);
        let Some(Twin::Setting(entry)) = self.program.twin_of(rule, &names, None) else {
            return;
        };
        let what = &new.schema[entry].what;
        let (Some(ty), default) = (what.setting(), what.default_at(new.release)) else { return };
        if default.is_none() && !self.pins_unknown() {
            return;
        }
        let Ok(prepared) = self.program.step.convert(capture, ty, Some(entry)) else { return };
        let implied = !self.always_pins && new.types.mean_the_same(ty, default, &prepared.text);
        if implied && !self.program.step.into_base || !self.may_pin(entry, &prepared.text) {
            return;
        }
        let Ok(at) = self.branch_node((rule_id, rule), target, omitted.holder) else { return };
        if self.draft.has(at, &last[0]) {
            return;
        }
        let kind = if new.is_attribute(entry) { Kind::Attribute } else { prepared.kind };
        if let Ok(node) = self.draft.leaf(at, &last[0], kind, Text::Decoded(&prepared.text)) {
            let from = format!("{}:{}", self.program.step.leg.crossing.file, rule.at.line);
            self.pinned(node, from, implied);
        }
    }
}
