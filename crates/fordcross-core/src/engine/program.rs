//! A crossing made ready for one backup: all that does not change while it is applied. Threads share it.

use super::capture::Capture;
use super::excluded_ports::ExcludedPorts;
use super::instance::{Instance, Slots};
use super::plain_rule::{PlainRule, plain_rules};
use super::repeats::{Overruled, overruled};
use super::same_path::SamePlatform;
use super::step::Step;
use crate::format::bundle::{NoFile, OTHER_FILES, without_files};
use crate::ids::{EntryId, PlaceId, RowId};
use crate::language::crossing::{Action, Clause, ClauseShape, Rule};
use crate::language::crossing::{ClauseId, RuleId};
use crate::language::expression::Operand;
use crate::language::typing::{TypeId, Value};
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, Row, RowKind};
use crate::text::shape::Captured;
use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::FxHashMap;
use std::ops::Range;

/// Immutable, and made once a step: what `new` computes from backup, profiles, crossing and map. Nodes are those of the old tree,
/// rows those of `reading`.
pub(super) struct Program<'x, 'i, 'a> {
    pub(super) step: Step<'i, 'a>,
    /// The old tree.
    pub(super) tree: &'i Tree<'a>,
    pub(super) root: NodeId,
    /// Of the old profile, with the rules of the crossing; `reading` was made with it.
    pub(super) automaton: &'x Automaton,
    pub(super) reading: &'x Inventory,
    pub(super) excluded: ExcludedPorts,
    /// Statements that include files, and none are there, sorted by node: they are looked for by bisection.
    pub(super) without_files: Vec<(NodeId, NoFile)>,
    /// The nodes of the configuration that is not carried: half open, empty where there is one configuration.
    pub(super) not_chosen: Range<NodeId>,
    /// Whether a rule of the place asks for the ordinal of an object among its like; indexed by [`PlaceId`].
    pub(super) counts_objects: Vec<bool>,
    /// The rule that a place itself is; indexed by [`PlaceId`].
    pub(super) place_rules: Vec<&'i Rule>,
    /// The rules that take one setting and write it without asking anything, compiled; indexed by [`RuleId`], `None` for others.
    pub(super) plain: Vec<Option<PlainRule<'i>>>,
    /// What overrules a row in its own place; indexed by [`RowId`], or empty where no declaration of the platform decides of it.
    pub(super) overruled: Vec<Option<Overruled>>,
    /// What the old unit ignored by a rule of its own, with the line of that.
    pub(super) ignored: &'i FxHashMap<NodeId, u32>,
    /// Between releases of one platform: what is in both.
    pub(super) same_platform: Option<SamePlatform>,
}

impl<'x, 'i, 'a> Program<'x, 'i, 'a> {
    /// Names that plain rules write become names of `made`, the tree that they are written into.
    pub(super) fn new(
        step: &Step<'i, 'a>,
        automaton: &'x Automaton,
        reading: &'x Inventory,
        made: &mut Tree<'a>,
    ) -> Self {
        let (crossing, old, new) = (&step.leg.crossing, step.old(), step.new_profile());
        let places = 0..crossing.places.len();
        let nowhere = NodeId::DOCUMENT..NodeId::DOCUMENT;
        Self {
            step: *step,
            tree: step.tree,
            root: step.tree.root(),
            automaton,
            reading,
            excluded: ExcludedPorts::new(step, automaton, reading),
            without_files: without_files(step.tree, &old.members),
            not_chosen: step.not_chosen.map_or(nowhere, |node| node..step.tree.subtree_end(node)),
            counts_objects: places
                .clone()
                .map(PlaceId::new)
                .map(|place| crossing.counts_objects(place))
                .collect(),
            place_rules: places.map(PlaceId::new).map(|place| crossing.place_rule(place)).collect(),
            plain: plain_rules(crossing, new, made),
            overruled: overruled(step.tree, old, automaton, reading),
            ignored: step.ignored,
            same_platform: (old.platform == new.platform).then(|| SamePlatform::new(old, new)),
        }
    }

    pub(super) fn rule(&self, rule: RuleId) -> &'i Rule {
        &self.step.leg.crossing.rules[rule.index()]
    }

    pub(super) fn row(&self, index: RowId) -> Row {
        self.reading.rows[index.index()]
    }

    /// The declaration of a row, if the map has a say in what it holds.
    pub(super) fn mapped_entry(&self, row: Row) -> Option<EntryId> {
        let entry = self.automaton.accepted(row.accept).entry;
        match entry {
            Some(entry) => {
                let what = &self.step.old().schema[entry].what;
                what.is_mapped().then_some(entry)
            }
            None => Some(EntryId::NONE),
        }
    }

    /// Whether a row's value is, or holds, something that the map speaks of.
    pub(super) fn can_be_mapped(&self, row: RowId) -> bool {
        let kind = self.type_of(row);
        kind.is_some_and(|kind| self.step.old().types.can_be_mapped(kind))
    }

    /// Puts what a shape captures of a text into the slots of its captures. Returns whether the text has the shape, and what is
    /// captured twice is the same both times.
    pub(super) fn bind_shape(&self, shape: &ClauseShape, of: Capture<'i>, slots: &mut Slots<'i>) -> bool {
        let Some(found) = self.read_shape(of.text, shape) else { return false };
        let alone = shape.shape.as_capture().is_some();
        let mut same = true;
        for ((slot, range), declared) in shape.slots.iter().zip(found).zip(&shape.types) {
            let Some(range) = range else { continue };
            let ty = declared.or(if alone { of.ty } else { None });
            let whole = of.whole && (alone || range == (0..of.text.len()));
            let capture = Capture { text: &of.text[range], ty, whole, ..of };
            same &= slots[slot.index()].is_none_or(|before| self.is_same(&before, &capture));
            slots[slot.index()] = Some(capture);
        }
        same
    }

    /// Whether two captures say the same.
    pub(super) fn is_same(&self, one: &Capture<'_>, other: &Capture<'_>) -> bool {
        let types = &self.step.old().types;
        let read = |ty: Option<TypeId>, text| types.read(ty?, text).ok();
        if one.text.trim_ascii() == other.text.trim_ascii() {
            return true;
        }
        let (Some(one), Some(other)) = (read(one.ty, one.text), read(other.ty, other.text)) else {
            return false;
        };
        // As expressions see them, unless that is less than there is: an expression has whole seconds.
        let seen = |value: &Value<'_>| match value {
            Value::Quantity(..) => Operand::Nothing,
            value => Operand::from_value(value),
        };
        one == other || seen(&one) != Operand::Nothing && seen(&one) == seen(&other)
    }

    /// Whether the names on the way to a row are as a clause asks.
    fn names_fit(&self, row: Row, clause: &Clause) -> bool {
        clause.names.iter().all(|name| {
            let text = self.tree.name(self.scope_of(row.node, name.depth));
            self.read_shape(text, &name.shape).is_some()
        }) && clause
            .numbers
            .iter()
            .all(|&(depth, number)| self.number_of(self.scope_of(row.node, depth)) == number)
    }

    /// Which of its like a node is, from 1.
    fn number_of(&self, node: NodeId) -> usize {
        let parent = self.tree.parent(node);
        let in_list = self.tree.kind(parent) == Kind::List;
        let like = |&other: &NodeId| match self.tree.kind(other) {
            Kind::Comment => false,
            _ => in_list || self.tree.name_id(other) == self.tree.name_id(node),
        };
        self.tree.children(parent).filter(like).take_while(|&other| other != node).count() + 1
    }

    pub(super) fn read_shape(&self, text: &str, shape: &ClauseShape) -> Option<Captured> {
        let types = &self.step.old().types;
        let mut fits =
            |index: usize, part: &str| shape.types[index].is_none_or(|kind| types.read(kind, part).is_ok());
        shape.shape.read(text, &mut fits)
    }

    /// Whether a setting is a file that an editor or a package left behind.
    pub(super) fn is_leftover(&self, node: NodeId) -> bool {
        let holder = self.tree.parent(node);
        holder != NodeId::DOCUMENT
            && self.tree.parent(holder) == self.tree.root()
            && self.tree.name(holder) == OTHER_FILES
            && self.step.old().members.is_leftover(self.tree.name(node))
    }

    pub(super) fn clause_fits(&self, index: RowId, clause: &Clause, action: &Action) -> bool {
        let row = self.row(index);
        if !self.names_fit(row, clause) {
            return false;
        }
        match (&clause.shape, row.kind) {
            // The empty text of an object that is a leaf of the tree goes with it.
            (None, RowKind::Setting) if clause.presence => {
                self.reading.row_of(row.node).is_some_and(|first| first != index)
                    && self.tree.value(row.node).trim_ascii().is_empty()
            }
            (None, RowKind::Setting) => true,
            // Only a setting has a value to move or to look at.
            (None, RowKind::Object) => clause.presence || !matches!(action, Action::Move(_)),
            (Some(_), RowKind::Object) => false,
            (Some(shape), RowKind::Setting) => self.read_shape(self.tree.value(row.node), shape).is_some(),
        }
    }

    pub(super) fn place_fits(
        &self,
        index: RowId,
        clause: ClauseId,
        rule: &Rule,
        instance: &Instance<'_>,
    ) -> bool {
        let row = self.row(index);
        // A place that does not say where its objects go takes none.
        if rule.place.is_some_and(|place| !self.step.leg.crossing.places[place.index()].takes) {
            return false;
        }
        if clause == ClauseId::FIRST {
            // An object's own text says nothing if there is none.
            return row.kind == RowKind::Object || self.tree.value(row.node).trim().is_empty();
        }
        let slot = rule.clauses[clause.index()].slot;
        slot.and_then(|slot| instance.slots[slot.index()].as_ref())
            .is_some_and(|capture| capture.row == Some(index))
    }

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

    /// The rule that a place itself is.
    pub(super) fn place_rule(&self, place: PlaceId) -> &'i Rule {
        self.place_rules[place.index()]
    }

    pub(super) fn type_of(&self, index: RowId) -> Option<TypeId> {
        self.row(index).type_id(self.step.old(), self.automaton)
    }

    /// The first row of a scope that the map takes out, with what it writes together with others.
    pub(super) fn barred_in(&self, scope: NodeId) -> Option<RowId> {
        if self.excluded.is_empty() {
            return None;
        }
        let mut rows = self.reading.rows_below(scope, self.tree);
        rows.find(|&row| self.excluded.of(row, &self.row(row)).is_some())
    }

    /// The captures of one clause from the value of a setting. Returns whether it has the shape.
    pub(super) fn bind_clause(
        &self,
        clause: &'i Clause,
        row: Row,
        capture: Capture<'i>,
        slots: &mut Slots<'i>,
    ) -> bool {
        if let Some(slot) = clause.slot {
            slots[slot.index()] = Some(capture);
        }
        let mut same = true;
        for name in &clause.names {
            let text = self.tree.name(self.scope_of(row.node, name.depth));
            let of = Capture { text, ty: name.ty, of: Some(EntryId::NONE), ..capture };
            same &= self.bind_shape(&name.shape, of, slots);
        }
        let Some(shape) = &clause.shape else { return same };
        self.bind_shape(shape, capture, slots) && same
    }
}
