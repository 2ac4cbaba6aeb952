//! What the map takes out: what names a port that is left or still open.
//!
//! An object that is called after such a port goes as a whole. What else names it loses just that, and what it loses
//! with it: the rules of the receiving platform say which objects cannot be without. Where nothing says so the object goes
//! as a whole: a filter rule without its port would be another, and often a wider one.

use super::step::Step;
use crate::ids::{PortId, RowId};
use crate::language::crossing::{Action, Field};
use crate::language::profile::{Profile, What};
use crate::mapping::{Destination, each_naming_row};
use crate::scan::automaton::{AcceptId, Automaton};
use crate::scan::inventory::{Inventory, ObjectId, Row, RowKind};
use crate::tree::Tree;
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;

/// What is taken out, by the number of the port in `ports`.
pub(super) struct ExcludedPorts {
    pub(super) ports: Vec<String>,
    numbers: FxHashMap<String, PortId>,
    objects: Vec<Option<PortId>>,
    /// Settings that go, and not their objects.
    rows: FxHashMap<RowId, PortId>,
}

impl ExcludedPorts {
    pub(super) fn new(step: &Step<'_, '_>, automaton: &Automaton, reading: &Inventory) -> Self {
        let mut excluded = Self {
            ports: Vec::new(),
            numbers: FxHashMap::default(),
            objects: vec![None; reading.objects.len()],
            rows: FxHashMap::default(),
        };
        let Some(mapping) = step.mapping else { return excluded };
        let mut goes_alone: FxHashMap<AcceptId, bool> = FxHashMap::default();
        each_naming_row(step.tree, step.old(), automaton, reading, &mut |index, row, ports| {
            for name in ports.iter().filter(|name| !matches!(mapping.port(name), Destination::New(_))) {
                let port = excluded.number(name);
                let alone = row.kind == RowKind::Setting
                    && *goes_alone.entry(row.accept).or_insert_with(|| goes_alone_at(step, automaton, row))
                    && !is_key(step.tree, step.old(), automaton, reading, &row);
                match row.object.filter(|_| !alone) {
                    Some(object) => {
                        excluded.objects[object.index()].get_or_insert(port);
                    }
                    None => {
                        excluded.rows.entry(index).or_insert(port);
                    }
                }
            }
        });
        // Objects are after those that hold them.
        for index in 0..reading.objects.len() {
            if let Some(holder) = reading.objects[index].holder
                && excluded.objects[index].is_none()
            {
                excluded.objects[index] = excluded.objects[holder.index()];
            }
        }
        excluded
    }

    fn number(&mut self, name: &str) -> PortId {
        if let Some(&known) = self.numbers.get(name) {
            return known;
        }
        let number = PortId::new(self.ports.len());
        self.ports.push(name.to_owned());
        self.numbers.insert(name.to_owned(), number);
        number
    }

    pub(super) fn is_empty(&self) -> bool {
        self.ports.is_empty()
    }

    /// The port that takes an object out.
    pub(super) fn of_object(&self, object: ObjectId) -> Option<PortId> {
        self.objects[object.index()]
    }

    /// The port that takes this row out with its object.
    pub(super) fn of_row_in_object(&self, row: &Row) -> Option<PortId> {
        row.object.and_then(|object| self.of_object(object))
    }

    /// The port that takes this row out.
    pub(super) fn of(&self, index: RowId, row: &Row) -> Option<PortId> {
        self.of_row_in_object(row).or_else(|| self.rows.get(&index).copied())
    }
}

/// Whether a setting is what its object is told apart by.
fn is_key(tree: &Tree<'_>, profile: &Profile, automaton: &Automaton, reading: &Inventory, row: &Row) -> bool {
    let parent = tree.parent(row.node);
    let Some(object) = reading.row_of(parent).map(|row| reading.rows[row.index()]) else { return false };
    let entry = automaton.accepted(object.accept).entry;
    entry.is_some_and(|entry| match &profile.schema[entry].what {
        What::Object { keys, .. } => keys.iter().any(|key| key == tree.name(row.node)),
        What::Setting { .. } => false,
    })
}

/// Whether the rules of the receiving platform say what becomes of objects that lose what a row would have written.
fn goes_alone_at(step: &Step<'_, '_>, automaton: &Automaton, row: Row) -> bool {
    let new = step.new_profile();
    if new.rules.is_empty() {
        return false;
    }
    let accepted = automaton.accepted(row.accept);
    let rules = accepted.clauses.iter().map(|&(rule, _)| &step.leg.crossing.rules[rule.index()]);
    let moves = rules.filter_map(|rule| match &rule.action {
        Action::Move(targets) => Some(targets.iter().flat_map(|target| &target.fields)),
        _ => None,
    });
    let said_of = |field: &Field| is_said_of(new, &new.schema[field.entry].pattern);
    let mut any = false;
    for fields in moves {
        any = true;
        // What only has a name made of the port is as good as a key.
        for field in fields {
            if !said_of(field) {
                return false;
            }
        }
    }
    // Within a platform what is in both is carried without a rule.
    let twin = || {
        let entry = accepted.entry?;
        let pattern = &step.old().schema[entry].pattern;
        let found = new.schema.same(pattern)?;
        Some(&new.schema[found].pattern)
    };
    any || step.old().platform == new.platform && twin().is_some_and(|pattern| is_said_of(new, pattern))
}

/// Whether a rule says what its object is without a setting: it is one of several, or the object has to have it, or
/// is narrowed by it, or a rule says what narrows the object and this does not.
fn is_said_of(new: &Profile, pattern: &Pattern) -> bool {
    let entry = new.schema.same(pattern).map(|entry| &new.schema[entry].what);
    if entry.is_some_and(What::is_list) {
        return true;
    }
    let around = |rule: &&crate::language::profile::ObjectRule| {
        rule.head.pattern.steps.len() < pattern.steps.len() && rule.head.pattern.is_around(pattern)
    };
    new.rules.objects.iter().filter(around).any(|rule| {
        let below = &pattern.steps[rule.head.pattern.steps.len()..];
        let path = Pattern { steps: below.to_vec() }.to_string();
        rule.narrows.is_some() || rule.required.iter().any(|required| required.path == path)
    })
}
