//! What rules read and do not take: the value that holds, given, inherited or default.

use super::capture::Capture;
use super::instance::Slots;
use super::matcher::Matcher;
use crate::ids::{EntryId, RowId};
use crate::language::crossing::{KeyTest, Read, ReadFrom, ReadSetting, ReadStep, Rule};
use crate::scan::inventory::RowKind;
use crate::tree::pattern::Step;
use crate::tree::{Kind, NodeId};
use smallvec::{SmallVec, smallvec};

/// What one way to fulfil all that a rule reads captures, with the rows that were read; defaults have none.
#[derive(Clone)]
pub(super) struct Reading<'i> {
    pub(super) slots: Slots<'i>,
    pub(super) rows: SmallVec<[RowId; 2]>,
}

impl<'i> Matcher<'_, 'i, '_> {
    /// Each way to fulfil what a rule reads, in the order of the backup. `node` is in the scope.
    pub(super) fn readings(
        &mut self,
        rule: &'i Rule,
        slots: Slots<'i>,
        (node, scope): (NodeId, NodeId),
    ) -> Vec<Reading<'i>> {
        let mut all = vec![Reading { slots, rows: SmallVec::new() }];
        for read in &rule.reads {
            let before = std::mem::take(&mut all);
            for reading in before {
                let Some(from) = self.read_from(read, &reading.slots, (node, scope)) else { continue };
                self.read(read, rule, (from, scope), &reading, &mut all);
            }
        }
        all
    }

    fn read_from(
        &mut self,
        read: &Read,
        slots: &[Option<Capture<'i>>],
        (node, scope): (NodeId, NodeId),
    ) -> Option<NodeId> {
        match &read.from {
            ReadFrom::Top => Some(self.program.root),
            ReadFrom::Here(levels) => Some((0..*levels).fold(scope, |at, _| self.around_of(at))),
            ReadFrom::Place(start) => self.started(start, slots, node).map(|(instance, _)| instance.scope),
        }
    }

    /// What holds a node: of an entry what holds its list.
    fn around_of(&self, node: NodeId) -> NodeId {
        let mut parent = self.program.tree.parent(node);
        while self.program.tree.is_transparent(parent) || self.program.tree.kind(parent) == Kind::List {
            parent = self.program.tree.parent(parent);
        }
        parent
    }

    fn read(
        &self,
        read: &'i Read,
        rule: &'i Rule,
        (from, scope): (NodeId, NodeId),
        reading: &Reading<'i>,
        all: &mut Vec<Reading<'i>>,
    ) {
        let mut objects = vec![(from, reading.clone())];
        self.walk(&read.object, &mut objects);
        for (object, reading) in objects {
            let mut found = vec![reading];
            let mut is_there = false;
            for setting in &read.settings {
                let mut next = Vec::new();
                for reading in &found {
                    let before = next.len();
                    self.read_setting((read, setting), rule, (object, scope), reading, &mut next);
                    is_there |= next.len() > before;
                    if next.len() == before && setting.optional {
                        next.push(reading.clone());
                    }
                }
                found = next;
            }
            if is_there || read.settings.iter().any(|setting| !setting.optional) || read.settings.len() == 1 {
                all.append(&mut found);
            }
        }
    }

    fn read_setting(
        &self,
        (read, setting): (&'i Read, &'i ReadSetting),
        rule: &'i Rule,
        (object, scope): (NodeId, NodeId),
        reading: &Reading<'i>,
        all: &mut Vec<Reading<'i>>,
    ) {
        let mut nodes = vec![(object, reading.clone())];
        self.walk(&setting.path, &mut nodes);
        if setting.presence {
            let is_branch = |(node, _): &(NodeId, Reading<'i>)| !self.program.tree.kind(*node).is_value();
            for (node, mut reading) in nodes.into_iter().filter(is_branch) {
                reading.rows.extend(self.program.reading.row_of(node));
                all.push(reading);
            }
            return;
        }
        let mut given = Vec::new();
        for (node, reading) in nodes {
            let tree = self.program.tree;
            let own = tree.children(node).find(|&child| tree.kind(child) == Kind::OwnText);
            let node = own.unwrap_or(node);
            if tree.kind(node).is_value() || own.is_some() {
                given.push((node, reading));
            }
        }
        if given.is_empty() && (read.object.is_empty() || !setting.path.is_empty()) {
            if let Some(node) = self.inherited(&setting.path, object) {
                given.push((node, reading.clone()));
            } else {
                let capture = self.default_of((read, setting), rule, scope);
                return self.bind_read(setting, capture, reading, all);
            }
        }
        for (node, reading) in given {
            let row = self.setting_row(node);
            let capture = Capture {
                row,
                text: self.program.tree.value(node),
                ty: row.and_then(|row| self.program.type_of(row)),
                whole: true,
                of: row.map_or(Some(EntryId::NONE), |row| self.program.mapped_entry(self.program.row(row))),
            };
            self.bind_read(setting, Some(capture), &reading, all);
        }
    }

    /// What an object has of a setting from others, where that is kept.
    fn inherited(&self, path: &[ReadStep], object: NodeId) -> Option<NodeId> {
        let [ReadStep { step: Step::Names(names), .. }] = path else { return None };
        self.program.step.inheritance?.inherited(self.program.tree, object, names.first()?)
    }

    /// The default of a setting that is not given.
    fn default_of(
        &self,
        (read, setting): (&Read, &ReadSetting),
        rule: &'i Rule,
        scope: NodeId,
    ) -> Option<Capture<'i>> {
        if read.object.is_empty() && !read.is_of_one_path() {
            return None;
        }
        let old = self.program.step.old();
        let entry = &old.schema[setting.entry?];
        let by_condition = || {
            let slots: Slots<'i> = smallvec![None; rule.slots];
            self.here(rule, &slots, scope, 0).default_if(entry)
        };
        let text =
            entry.what.default_at(old.release).or_else(by_condition).or_else(|| old.in_force(entry))?;
        Some(Capture { row: None, text, ty: entry.what.setting(), whole: true, of: None })
    }

    /// Takes down what a setting that is read captures, if it has the shape.
    fn bind_read(
        &self,
        setting: &'i ReadSetting,
        capture: Option<Capture<'i>>,
        reading: &Reading<'i>,
        all: &mut Vec<Reading<'i>>,
    ) {
        let Some(capture) = capture else { return };
        let mut reading = reading.clone();
        reading.rows.extend(capture.row);
        let before = reading.slots.clone();
        if let Some(slot) = setting.slot {
            reading.slots[slot.index()] = Some(capture);
        }
        let shape = setting.shape.as_ref();
        if shape.is_none_or(|shape| self.program.bind_shape(shape, capture, &mut reading.slots)) {
            // What is captured elsewhere as well is from there.
            for (slot, before) in reading.slots.iter_mut().zip(before) {
                *slot = before.or(*slot);
            }
            all.push(reading);
        }
    }

    fn setting_row(&self, node: NodeId) -> Option<RowId> {
        let first = self.program.reading.row_of(node)?;
        let rows = RowId::all(self.program.reading.rows.len()).skip(first.index());
        let mut of_node = rows.take_while(|&row| self.program.row(row).node == node);
        of_node.find(|&row| self.program.row(row).kind == RowKind::Setting)
    }

    /// Goes on from nodes by the steps of a path.
    fn walk(&self, steps: &'i [ReadStep], nodes: &mut Vec<(NodeId, Reading<'i>)>) {
        for step in steps {
            let before = std::mem::take(nodes);
            for (node, reading) in before {
                let tree = self.program.tree;
                let named = tree.children(node).filter(|&child| tree.kind(child).is_named());
                let named = named.filter(|&child| step.step.names(tree.name(child)));
                let entries = named.flat_map(|child| match tree.kind(child) {
                    Kind::List => {
                        tree.children(child).filter(|&entry| tree.kind(entry) != Kind::Comment).collect()
                    }
                    _ => vec![child],
                });
                for (number, entry) in (1..).zip(entries) {
                    if step.number.is_some_and(|wanted| wanted != number) {
                        continue;
                    }
                    let mut reading = reading.clone();
                    if self.is_as_asked(step, entry, &mut reading.slots) {
                        nodes.push((entry, reading));
                    }
                }
            }
        }
    }

    /// Whether name and keys of a node are as a step asks; what they capture is taken down.
    fn is_as_asked(&self, step: &'i ReadStep, node: NodeId, slots: &mut Slots<'i>) -> bool {
        let tree = self.program.tree;
        let plain = |text, ty| Capture { row: None, text, ty, whole: true, of: Some(EntryId::NONE) };
        if let Some((shape, ty)) = &step.name
            && !self.program.bind_shape(shape, plain(tree.name(node), *ty), slots)
        {
            return false;
        }
        step.keys.iter().zip(&step.key_names).all(|(test, key)| {
            let value = tree.child(node, key);
            let row = value.and_then(|value| self.setting_row(value));
            let ty = row.and_then(|row| self.program.type_of(row));
            let capture = value.map(|value| plain(tree.value(value), ty));
            match (test, capture) {
                // A name that is bound already must be the same.
                (KeyTest::Capture(slot), Some(capture)) => match &slots[slot.index()] {
                    Some(before) => self.program.is_same(before, &capture),
                    None => {
                        slots[slot.index()] = Some(capture);
                        true
                    }
                },
                (test, capture) => self.test(test, capture, slots).is_some(),
            }
        })
    }
}
