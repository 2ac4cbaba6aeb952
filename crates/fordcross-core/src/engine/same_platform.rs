//! Between releases of one platform: what is in both is carried without a rule. And for all
//! crossings: defaults that differ are written out.

use super::capture::{Capture, Failure, Prepared};
use super::draft::Conflict;
use super::fire::path;
use super::instance::{Instance, Slots};
use super::outcome::Engine;
use super::render::Renderer;
use super::step::PinnedDefaults;
use crate::ids::{EntryId, RowId};
use crate::language::crossing::{Action, Field, Piece, Pins, Rule, RuleId, Target};
use crate::language::expression::{Evaluator, Expression};
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::{Form, TypeId};
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, Landing, OriginRow, Wanted};
use crate::scan::inventory::{Omitted, Row, RowKind};
use crate::scan::surroundings::Scope;
use crate::tree::{Kind, NodeId, Text};
use smallvec::smallvec;
use std::sync::Arc;

impl<'i> Engine<'_, 'i, '_> {
    /// Carries a row to the same place of the new release, if that has it.
    pub(super) fn carry_within_line(&mut self, index: RowId, row: Row) -> bool {
        let Some(same_platform) = &self.program.same_platform else { return false };
        let entry = self.program.automaton.accepted(row.accept).entry;
        let is_declared = |entry: EntryId| self.program.step.old().schema[entry].what.is_object();
        if row.kind == RowKind::Object && !entry.is_some_and(is_declared) {
            return self.carry_empty_branch(index, row);
        }
        let Some(entry) = entry else { return false };
        if same_platform.is_header(self.program.tree, row.node) {
            self.set(index, Fate::Moot, DecidedBy::Header, &[]);
            return true;
        }
        let Some(twin) = same_platform.same_path[entry.index()] else { return false };
        let new = self.program.step.new_profile();
        match (row.kind, new.schema[twin].what.setting()) {
            (RowKind::Object, None) => {
                self.carry_branch(index, row);
                true
            }
            (RowKind::Setting, Some(kind)) => {
                let old_kind = row.type_id(self.program.step.old(), self.program.automaton);
                let of = self.program.mapped_entry(row);
                let text = self.program.tree.value(row.node);
                let capture = Capture { row: Some(index), text, ty: old_kind, whole: true, of };
                self.carry_setting(index, row, &capture, (kind, twin));
                true
            }
            _ => false,
        }
    }

    fn carry_branch(&mut self, index: RowId, row: Row) {
        let node = self.moved_to_of(row.node);
        let changed = self.draft.tree.name(node) != self.program.tree.name(row.node);
        let fate = if changed { Fate::Remapped } else { Fate::Carried };
        self.set(index, fate, DecidedBy::SamePlatform, &[Landing { node, fate }]);
    }

    /// Carries a branch that is no object and has nothing in it, where the new release knows something at its place.
    fn carry_empty_branch(&mut self, index: RowId, row: Row) -> bool {
        let is_known = self.is_known_there(row.node);
        if is_known {
            self.carry_branch(index, row);
        }
        is_known
    }

    /// Branches without anything in them that say nothing stay within a platform, in what was carried.
    pub(super) fn carry_silent_branches(&mut self) {
        if self.program.same_platform.is_none() {
            return;
        }
        let tree = self.program.tree;
        for &node in &self.program.reading.empty {
            let above = std::iter::successors(Some(tree.parent(node)), |&at| Some(tree.parent(at)));
            let mut around = above.take_while(|&at| at != self.program.root && at != NodeId::DOCUMENT);
            let object = around.find_map(|at| self.program.reading.row_of(at));
            let arrived = |row: RowId| {
                let decided = self.decided[row.index()].as_ref();
                decided.is_some_and(|decision| decision.landings.0 < decision.landings.1)
            };
            if object.is_none_or(arrived) && self.is_known_there(node) {
                self.moved_to_of(node);
            }
        }
    }

    /// Whether the new release knows something at the place of a node.
    fn is_known_there(&self, node: NodeId) -> bool {
        let names = self.program.tree.names_on_way(node);
        let steps: Vec<PathStep<'_>> = names.into_iter().map(PathStep::Name).collect();
        !matches!(self.program.step.new_profile().schema.find(&steps), Lookup::Unknown { .. })
    }

    fn carry_setting(
        &mut self,
        index: RowId,
        row: Row,
        capture: &Capture<'i>,
        (kind, to): (TypeId, EntryId),
    ) {
        let prepared = match self.program.step.convert(capture, kind, Some(to)) {
            Ok(prepared) => self.as_it_was(prepared, capture, kind, Some(to)),
            Err(failure) => {
                self.fail(index, DecidedBy::SamePlatform, &failure);
                return self.want_within_platform(index, row);
            }
        };
        let parent = self.moved_to_of(self.program.tree.parent(row.node));
        // What is spelled as before is not copied, and keeps the quotes that it was in.
        let value = match self.program.tree.value_span(row.node) {
            Some(span) if prepared.text == capture.text => Text::Borrowed(span),
            _ => Text::Decoded(&prepared.text),
        };
        // The way it was written stays, unless the new type is written otherwise.
        let old_kind = self.program.tree.kind(row.node);
        // Nothing at all stays that: it is no text that says so.
        let is_nothing = old_kind == Kind::Bare && matches!(capture.text, "null" | "~" | "");
        let can_differ = matches!(old_kind, Kind::Text | Kind::Bare) && !is_nothing;
        let leaf_kind =
            if can_differ && self.draft.traits_at(parent).tells_bare { prepared.kind } else { old_kind };
        let name = self.program.tree.name(row.node);
        let ordinal = self.program.reading.ordinals.of(row.node);
        let written = if self.program.tree.is_transparent(row.node) || ordinal.is_some() {
            let leaf = self.draft.like(parent, leaf_kind, if old_kind == Kind::OwnText { "" } else { name });
            self.draft.set_value(leaf, value);
            Ok(leaf)
        } else {
            self.draft.leaf(parent, name, leaf_kind, value)
        };
        match written {
            Ok(node) => {
                self.draft.tree.set_as_read(node, self.program.tree.as_read(row.node));
                let landing = Landing { node, fate: prepared.fate };
                self.set(index, prepared.fate, DecidedBy::SamePlatform, &[landing]);
                if let Some(loss) = &prepared.loss {
                    self.note_loss(index, None, loss);
                }
            }
            Err(Conflict) => self.fail(index, DecidedBy::SamePlatform, &Failure::conflict()),
        }
    }

    /// Notes where a row would have gone that does not arrive.
    pub(super) fn want_within_platform(&mut self, index: RowId, row: Row) {
        if self.program.same_platform.is_none()
            || self.program.step.new_profile().rules.is_empty()
            || row.kind == RowKind::Object
        {
            return;
        }
        let mut holder = self.program.tree.parent(row.node);
        while self.program.tree.is_transparent(row.node) && self.program.tree.kind(holder) == Kind::List {
            holder = self.program.tree.parent(holder);
        }
        let node = self.moved_to_of(holder);
        self.wanted.push(Wanted { node, path: self.program.tree.name(row.node).into(), row: index });
    }

    /// A value that only would be spelled otherwise stays as it was, where both releases read it alike.
    fn as_it_was(
        &self,
        mut prepared: Prepared,
        capture: &Capture<'i>,
        ty: TypeId,
        to: Option<EntryId>,
    ) -> Prepared {
        let old = capture.ty.map(|old| &self.program.step.old().types.get(old).form);
        let alike = match (old, &self.program.step.new_profile().types.get(ty).form) {
            (Some(Form::Quantity(old)), Form::Quantity(new)) => old.reads_like(new, capture.text),
            (old, new) => old == Some(new),
        };
        if alike
            && prepared.fate == Fate::Recast
            && self.program.step.new_profile().why_not(capture.text, to).is_none()
        {
            capture.text.clone_into(&mut prepared.text);
            prepared.fate = Fate::Carried;
        }
        prepared
    }

    /// The branch of the new tree that a branch of the old one went to, made if it is not there.
    fn moved_to_of(&mut self, node: NodeId) -> NodeId {
        if node == self.program.root {
            return self.draft.root();
        }
        if let Some(&known) = self.moved_to.get(&node) {
            return known;
        }
        let parent = self.moved_to_of(self.program.tree.parent(node));
        let name = self.program.tree.name(node);
        let kind =
            if self.program.tree.kind(node).is_branch() { self.program.tree.kind(node) } else { Kind::Map };
        let is_one_of_many = self.program.tree.is_entry(node)
            || self.program.reading.ordinals.of(node).is_some()
            || self.is_one_of_several(node);
        let made = match (is_one_of_many, kind) {
            (false, kind) => match self.draft.branch(parent, name, kind) {
                Ok(branch) => branch,
                Err(Conflict) => self.draft.like(parent, kind, name),
            },
            (true, kind) => {
                let name = self.renamed(node).unwrap_or_else(|| name.to_owned());
                self.draft.like(parent, kind, &name)
            }
        };
        if self.draft.tree.as_read(made).rank == 0 {
            self.draft.tree.set_as_read(made, self.program.tree.as_read(node));
        }
        self.moved_to.insert(node, made);
        made
    }

    /// Whether there may be several such objects beside it.
    fn is_one_of_several(&self, node: NodeId) -> bool {
        let row = self.program.reading.row_of(node).map(|row| self.program.row(row));
        let Some(row) = row.filter(|row| row.kind == RowKind::Object) else { return false };
        let entry = self.program.automaton.accepted(row.accept).entry;
        entry.is_some_and(|entry| {
            matches!(self.program.step.old().schema[entry].what, What::Object { many: true, .. })
        })
    }

    /// The new name of an object whose name is its key, if the map changes it.
    fn renamed(&self, node: NodeId) -> Option<String> {
        let at = self.program.reading.rows.partition_point(|row| row.node < node);
        let row = self.program.reading.rows.get(at)?;
        let entry = self.program.automaton.accepted(row.accept).entry?;
        let What::Object { name: Some(kind), .. } = self.program.step.old().schema[entry].what else {
            return None;
        };
        let capture = Capture {
            row: None,
            text: self.program.tree.name(node),
            ty: Some(kind),
            whole: true,
            of: Some(entry),
        };
        self.program.step.convert(&capture, kind, None).ok().map(|prepared| prepared.text)
    }

    /// Writes the old default of a setting that is not given, where the new default is another.
    pub(super) fn pin(&mut self, index: usize) {
        let omitted = self.program.reading.omitted[index];
        if omitted.object.is_some_and(|object| self.program.excluded.of_object(object).is_some()) {
            return;
        }
        let old = self.program.step.old();
        let entry = &old.schema[omitted.entry];
        let (Some(kind), Some(default)) = (entry.what.setting(), entry.what.default_at(old.release)) else {
            return;
        };
        // What is inherited holds, not the default.
        if let (Some(inheritance), Some(crate::tree::pattern::Step::Names(names))) =
            (self.program.step.inheritance, entry.pattern.steps.last())
            && inheritance.inherited(self.program.tree, omitted.holder, &names[0]).is_some()
        {
            return;
        }
        // A default is the same on every unit: the map has no say in it.
        let capture = Capture { row: None, text: default, ty: Some(kind), whole: true, of: None };
        let automaton = self.program.automaton;
        self.always_pins =
            self.program.step.leg.crossing.always_pinned.iter().any(|p| p.covers(&entry.pattern));
        if self.program.step.leg.crossing.pins == Pins::None && !self.always_pins {
            return;
        }
        for &(rule, _) in &automaton.accepted(omitted.accept).clauses {
            if self.rule_speaks_of_default(rule, &capture) {
                return self.pin_by_rule(rule, omitted, &capture);
            }
        }
        self.pin_within_line(omitted, &capture);
    }

    /// The first rule that would have taken the setting had it been given with its default.
    fn rule_speaks_of_default(&self, rule: RuleId, capture: &Capture<'i>) -> bool {
        let rule = self.program.rule(rule);
        let ([clause], []) = (rule.clauses.as_slice(), rule.reads.as_slice()) else { return false };
        match (&clause.shape, &rule.action) {
            (_, Action::Place) => false,
            (None, _) => true,
            (Some(shape), _) => self.program.read_shape(capture.text, shape).is_some(),
        }
    }

    fn pin_by_rule(&mut self, rule_id: RuleId, omitted: Omitted, capture: &Capture<'i>) {
        let rule = self.program.rule(rule_id);
        if let Action::Branch(target) = &rule.action {
            return self.pin_in_branch((rule_id, rule), target, omitted, capture);
        }
        let Action::Move(targets) = &rule.action else { return };
        let instance = rule.place.and_then(|place| self.matcher.instance(place, omitted.holder));
        let mut slots: Slots<'i> = smallvec![None; rule.slots];
        if let Some(instance) = &instance {
            slots[..instance.slots.len()].copy_from_slice(&instance.slots);
        }
        let clause = &rule.clauses[0];
        if let Some(slot) = clause.slot {
            slots[slot.index()] = Some(*capture);
        }
        if let Some(shape) = &clause.shape
            && !self.program.bind_shape(shape, *capture, &mut slots)
        {
            return;
        }
        self.pin_fields((rule, targets), instance.as_deref(), &slots, |field| {
            field.template.iter().any(
                |piece| matches!(piece, Piece::Slot { slot, .. } if slots[slot.index()].is_some_and(|capture| capture.row.is_none())),
            )
        });
    }

    /// Writes what holds on the old side by what its crossing says.
    pub(super) fn pin_stated(
        &mut self,
        rule: (&'i Rule, &'i [Target]),
        instance: Option<&Instance<'i>>,
        slots: &[Option<Capture<'i>>],
    ) {
        self.pin_fields(rule, instance, slots, |_| true);
    }

    fn pin_fields(
        &mut self,
        (rule, targets): (&'i Rule, &'i [Target]),
        instance: Option<&Instance<'i>>,
        slots: &[Option<Capture<'i>>],
        is_default: impl Fn(&Field) -> bool,
    ) {
        let Ok(at) = (match (instance, rule.place) {
            (Some(instance), Some(place)) => self.target_of(instance, place),
            _ => Ok(self.draft.root()),
        }) else {
            return;
        };
        for target in targets.iter().filter(|target| target.base.is_empty() && target.start.is_none()) {
            for field in target.fields.iter().filter(|field| is_default(field)) {
                // What cannot be pinned has no setting of the backup behind it, so none is lost.
                let _ = self.pin_field(rule, instance, at, field, slots);
            }
        }
    }

    fn pin_field(
        &mut self,
        rule: &'i Rule,
        instance: Option<&Instance<'i>>,
        at: NodeId,
        field: &'i Field,
        slots: &[Option<Capture<'i>>],
    ) -> Result<(), Failure> {
        let new = self.program.step.new_profile();
        let default = self.new_default(field, at);
        let is_stated = matches!(rule.action, Action::Pin(_));
        if default.is_none() && !is_stated && !self.pins_unknown() {
            return Ok(());
        }
        let (scope, index) =
            instance.map_or((self.program.root, 0), |instance| (instance.scope, instance.index));
        let hand = Renderer::new(self.matcher.here(rule, slots, scope, index), &self.matcher.look_ups);
        let Some(prepared) = hand.prepare(field, String::new())? else { return Ok(()) };
        let implied = !self.always_pins && new.types.mean_the_same(field.ty, default, &prepared.text);
        let is_out = implied && !self.program.step.into_base || !self.may_pin(field.entry, &prepared.text);
        if is_out || field.path.iter().any(|step| step.append) {
            return Ok(());
        }
        let names = path(&hand, &field.path)?;
        if let Ok(node) = self.write_leaf(at, &names, &prepared) {
            let rule = format!("{}:{}", self.program.step.leg.crossing.file, rule.at.line);
            self.pinned(node, rule, implied);
        }
        Ok(())
    }

    /// What holds on the new side where a setting of an object is not written; `at` is where its rule writes.
    fn new_default(&self, field: &'i Field, at: NodeId) -> Option<&'i str> {
        let new = self.program.step.new_profile();
        let entry = &new.schema[field.entry];
        let What::Setting { defaults_if, .. } = &entry.what else { return None };
        if defaults_if.is_empty() {
            return entry.what.default_at(new.release);
        }
        // Conditions are seen from the object around.
        let objects = new.schema.entries.iter().filter(|object| object.what.is_object());
        let object = objects
            .filter(|object| {
                let steps = &object.pattern.steps;
                steps.len() < entry.pattern.steps.len() && entry.pattern.starts_with(&object.pattern)
            })
            .max_by_key(|object| object.pattern.steps.len())?;
        let below = entry.pattern.steps.len() - object.pattern.steps.len();
        let mut node = at;
        for _ in 0..below.saturating_sub(field.path.len()) {
            node = self.draft.tree.parent(node);
        }
        let evaluator = Evaluator::new();
        let scope = Scope {
            tree: &self.draft.tree,
            profile: new,
            inheritance: None,
            node,
            pattern: Some(&object.pattern),
            evaluator: &evaluator,
            gone: None,
            seen: None,
        };
        let holds = |when: &Option<Arc<Expression>>| when.as_ref().is_none_or(|when| when.holds(&scope));
        defaults_if.iter().find(|(_, when)| holds(when)).map(|(value, _)| value.as_str())
    }

    fn pin_within_line(&mut self, omitted: Omitted, capture: &Capture<'i>) {
        let Some(same_platform) = &self.program.same_platform else { return };
        let Some(twin) = same_platform.same_path[omitted.entry.index()] else { return };
        let new = self.program.step.new_profile();
        let what = &new.schema[twin].what;
        let (Some(kind), default) = (what.setting(), what.default_at(new.release)) else { return };
        if default.is_none() && !self.pins_unknown() {
            return;
        }
        let Ok(prepared) = self.program.step.convert(capture, kind, Some(twin)) else { return };
        let implied = !self.always_pins && new.types.mean_the_same(kind, default, &prepared.text);
        if implied && !self.program.step.into_base || !self.may_pin(twin, &prepared.text) {
            return;
        }
        let crate::tree::pattern::Step::Names(names) =
            &new.schema[twin].pattern.steps[new.schema[twin].pattern.steps.len() - 1]
        else {
            return;
        };
        let parent = self.moved_to_of(omitted.holder);
        let kind = if new.is_attribute(twin) { Kind::Attribute } else { prepared.kind };
        // A rule wrote there: then that holds.
        if self.draft.has(parent, &names[0]) {
            return;
        }
        if let Ok(node) = self.draft.leaf(parent, &names[0], kind, Text::Decoded(&prepared.text)) {
            self.pinned(node, new.file.clone(), implied);
        }
    }

    /// Whether an old default is written out where the new profile knows none.
    pub(super) fn pins_unknown(&self) -> bool {
        self.always_pins || self.program.step.leg.crossing.pins == Pins::All
    }

    /// Whether a person wants this old default written out.
    pub(super) fn may_pin(&self, entry: EntryId, value: &str) -> bool {
        match self.program.step.pins {
            PinnedDefaults::All => true,
            PinnedDefaults::Safe => !self.program.step.new_profile().weakens(entry, value),
            PinnedDefaults::None => false,
        }
    }

    pub(super) fn pinned(&mut self, node: NodeId, rule: String, implied: bool) {
        let rows = if implied { &mut self.implied } else { &mut self.origins };
        rows.push(OriginRow { node, origin: Origin::Pinned, rule });
    }
}
