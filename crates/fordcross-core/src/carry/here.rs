//! What expressions see: the captures of the rule, and what stands around it on the old side.

use super::Step;
use super::value::Bound;
use crate::expression::{Evaluator, Expression, Operand, Surroundings};
use crate::pattern::Pattern;
use crate::profile::{Lookup, PathStep, Repeats, What};
use crate::tree::{Kind, NodeId, Tree};
use crate::typing::Value;
use std::collections::HashMap;
use std::sync::Arc;

/// The surroundings of one object, or other scope, of the old side.
pub(super) struct Here<'h, 'i, 'a> {
    pub(super) step: &'h Step<'i, 'a>,
    pub(super) scope: NodeId,
    /// The pattern of the scope; none for the whole configuration.
    pub(super) pattern: Option<&'h Pattern>,
    pub(super) slots: &'h [Option<Bound<'i>>],
    pub(super) names: &'h [String],
    /// The place of the object among its like, from 1.
    pub(super) index: usize,
    pub(super) facts: &'h HashMap<String, Operand>,
    pub(super) evaluator: &'h Evaluator,
}

impl Here<'_, '_, '_> {
    /// The texts of the settings of a path.
    fn values_of(&self, path: &str) -> impl Iterator<Item = &str> {
        let tree = self.step.tree;
        let found = self.find(path).into_iter().filter(|&node| tree.kind(node).is_value());
        found.map(|node| tree.value(node).trim_ascii())
    }

    fn find(&self, path: &str) -> Vec<NodeId> {
        let tree = self.step.tree;
        // Most ask for a setting of the object itself.
        if !path.contains(['/', '*', '.']) {
            let named = |&child: &NodeId| tree.kind(child).is_named() && tree.name(child) == path;
            return Self::entries(tree, tree.children(self.scope).filter(named));
        }
        let (mut nodes, path) = match path.strip_prefix('/') {
            Some(path) => (vec![tree.root()], path),
            None => (vec![self.scope], path),
        };
        for name in path.split('/') {
            if name == ".." {
                nodes = nodes.iter().map(|&node| tree.parent(node)).collect();
                nodes.dedup();
                continue;
            }
            let named =
                |&child: &NodeId| tree.kind(child).is_named() && (name == "*" || tree.name(child) == name);
            nodes = nodes.iter().flat_map(|&node| tree.children(node)).filter(named).collect();
        }
        Self::entries(tree, nodes.into_iter())
    }

    /// A list stands for its entries.
    fn entries(tree: &Tree<'_>, nodes: impl Iterator<Item = NodeId>) -> Vec<NodeId> {
        let mut found = Vec::new();
        for node in nodes {
            match tree.kind(node) {
                Kind::List => found.extend(tree.children(node)),
                _ => found.push(node),
            }
        }
        found
    }

    fn entry(&self, path: &str) -> Option<u16> {
        // Patterns are those of the crossing and the profile, and stay where they are.
        let place = self.pattern.map_or(0, |pattern| std::ptr::from_ref(pattern).addr());
        self.evaluator.declared(place, path, || {
            let absolute = path.strip_prefix('/');
            let above = self.pattern.filter(|_| absolute.is_none()).map_or(&[][..], |pattern| &pattern.steps);
            let steps = PathStep::from_here(above, absolute.unwrap_or(path));
            match self.step.old().schema.find(&steps) {
                Lookup::Declared(entry) => Some(entry),
                _ => None,
            }
        })
    }

    /// The kind of the object that is stood in, or of the nearest around it that has kinds: the first whose
    /// condition holds.
    pub(super) fn object_kind(&self) -> Option<&str> {
        let pattern = self.pattern?;
        // No path is of an object itself.
        let entry = self.evaluator.declared(std::ptr::from_ref(pattern).addr(), "", || {
            let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
            let has_kinds = |entry: u16| match &self.step.old().schema.entries[usize::from(entry)].what {
                What::Object { kinds, .. } => !kinds.is_empty(),
                What::Setting { .. } => false,
            };
            (1..=steps.len()).rev().find_map(|length| match self.step.old().schema.find(&steps[..length]) {
                Lookup::Declared(entry) if has_kinds(entry) => Some(entry),
                _ => None,
            })
        })?;
        let declared = &self.step.old().schema.entries[usize::from(entry)];
        let What::Object { kinds, .. } = &declared.what else { return None };
        let tree = self.step.tree;
        let mut object = self.scope;
        for _ in declared.pattern.steps.len()..pattern.steps.len() {
            // An entry stands for its list; what holds that can be an entry itself.
            while tree.is_transparent(object) {
                object = tree.parent(object);
            }
            object = tree.parent(object);
        }
        let kind = self.evaluator.kind_of(object, entry, || {
            // Conditions of kinds see no captures: they are the profile's.
            let bare =
                Here { scope: object, pattern: Some(&declared.pattern), slots: &[], names: &[], ..*self };
            let holds = |(_, expression): &(String, Arc<Expression>)| expression.holds(&bare);
            kinds.iter().position(holds)
        })?;
        Some(&kinds[kind].0)
    }

    fn operand(&self, bound: &Bound<'_>) -> Operand {
        match bound.kind {
            Some(kind) => match self.step.old().types.read(kind, bound.text) {
                // What has several parts is seen as it stands there.
                Ok(Value::Parts(_) | Value::List(_)) => Operand::Text(bound.text.trim_ascii().to_owned()),
                Ok(value) => Operand::from_value(&value),
                Err(_) => Operand::Nothing,
            },
            None => Operand::Text(bound.text.to_owned()),
        }
    }
}

impl Surroundings for Here<'_, '_, '_> {
    fn variable(&self, name: &str) -> Option<Operand> {
        if let Some(slot) = self.names.iter().position(|known| known == name) {
            return Some(self.slots[slot].as_ref().map_or(Operand::Nothing, |bound| self.operand(bound)));
        }
        if name == "kind" {
            return Some(self.object_kind().map_or(Operand::Nothing, |kind| Operand::Text(kind.to_owned())));
        }
        if name == "name" {
            return Some(Operand::Text(self.step.tree.name(self.scope).to_owned()));
        }
        if name == "index" {
            return Some(Operand::Integer(i64::try_from(self.index).unwrap_or(i64::MAX)));
        }
        self.facts.get(name).cloned()
    }

    fn count(&self, path: &str) -> usize {
        if path.starts_with('/') {
            return self.evaluator.count_at(path, || self.find(path).len());
        }
        self.find(path).len()
    }

    fn effective(&self, path: &str) -> Operand {
        let Some(entry) = self.entry(path) else { return Operand::Nothing };
        let old = self.step.old();
        let what = &old.schema.entries[entry as usize].what;
        let tree = self.step.tree;
        let inherited = || self.step.inheritance?.inherited(tree, self.scope, path);
        let found = self.find(path);
        let holds = if what.repeats() == Repeats::Last { found.last() } else { found.first() };
        let given = holds.copied().or_else(inherited).map(|node| {
            let own = tree.children(node).find(|&child| tree.kind(child) == Kind::OwnText);
            tree.value(own.unwrap_or(node))
        });
        let Some(text) = given.or_else(|| what.default_at(old.release)) else { return Operand::Nothing };
        self.operand(&Bound { row: None, text, kind: what.setting(), whole: true })
    }

    fn names(&self, path: &str) -> Vec<String> {
        self.find(path).into_iter().map(|node| self.step.tree.name(node).to_owned()).collect()
    }

    fn values(&self, path: &str) -> Vec<String> {
        let Some(entry) = self.entry(path) else { return Vec::new() };
        let kind = self.step.old().schema.entries[usize::from(entry)].what.setting();
        let seen = |text| match self.operand(&Bound { row: None, text, kind, whole: true }) {
            Operand::Text(text) => Some(text),
            Operand::Integer(number) => Some(number.to_string()),
            _ => None,
        };
        self.values_of(path).filter_map(seen).collect()
    }

    fn named_by(&self, path: &str) -> bool {
        let name = self.step.tree.name(self.scope);
        if path.starts_with('/') {
            let values = || self.values_of(path).map(str::to_owned).collect();
            return self.evaluator.is_value_at(path, name, values);
        }
        self.values_of(path).any(|value| value == name)
    }

    fn evaluator(&self) -> &Evaluator {
        self.evaluator
    }

    fn since(&self, release: &str) -> bool {
        let old = self.step.old();
        old.release(release).is_ok_and(|index| old.release >= index)
    }
}
