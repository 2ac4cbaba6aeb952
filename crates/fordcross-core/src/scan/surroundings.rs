//! What expressions see of a tree under its profile: what is given, what holds, what is named, seen from one object.

use crate::ids::EntryId;
use crate::language::expression::{
    AskedStep, Evaluator, Expression, Operand, OperandKind, Surroundings, alternatives, asked_steps, kind_of,
};
use crate::language::profile::{Entry, Lookup, PathStep, Profile, Repeats, What};
use crate::language::typing::{TypeId, Value};
use crate::scan::inheritance::Inheritance;
use crate::scan::inventory::{Row, RowKind, Scan};
use crate::scan::naming::{Branches, EntryPlace};
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::RefCell;
use std::sync::Arc;

/// One object of a tree, or the whole, with what is around it.
#[derive(Clone, Copy)]
pub(crate) struct Scope<'v, 'a> {
    pub(crate) tree: &'v Tree<'a>,
    pub(crate) profile: &'v Profile,
    /// What objects of the tree inherit, where that is kept.
    pub(crate) inheritance: Option<&'v Inheritance>,
    pub(crate) node: NodeId,
    /// The pattern of the object; `None` for the whole.
    pub(crate) pattern: Option<&'v Pattern>,
    pub(crate) evaluator: &'v Evaluator,
    /// What was taken out: it is not seen, nor what is below it.
    pub(crate) gone: Option<&'v FxHashSet<NodeId>>,
    /// Takes down what was seen, where that is wanted.
    pub(crate) seen: Option<&'v RefCell<Vec<Seen>>>,
}

/// So many at a path from the top can each be to blame.
const BLAMED_LIMIT: usize = 2;

/// What an expression saw.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Seen {
    /// This.
    There(NodeId),
    /// That nothing is at a path from an object.
    Missing(NodeId, String),
}

impl<'v> Scope<'v, '_> {
    /// The nodes at a path. A list stands for its entries.
    pub(crate) fn find(&self, path: &str) -> Vec<NodeId> {
        let found = self.walk(path);
        if let Some(seen) = self.seen {
            let mut seen = seen.borrow_mut();
            if found.is_empty() {
                seen.push(Seen::Missing(self.node, path.to_owned()));
            }
            // What is gathered from everywhere is nobody's fault.
            if !path.starts_with('/') || found.len() <= BLAMED_LIMIT {
                seen.extend(found.iter().map(|node| Seen::There(*node)));
            }
        }
        found
    }

    fn walk(&self, path: &str) -> Vec<NodeId> {
        let tree = self.tree;
        // Most ask for a setting of the object itself.
        if !path.contains(['/', '*', '.', '|', '>']) {
            let named = |&child: &NodeId| tree.kind(child).is_named() && tree.name(child) == path;
            let mut found = Vec::new();
            self.entries(tree.children(self.node).filter(named), &mut found);
            return found;
        }
        let (mut nodes, path) = match path.strip_prefix('/') {
            Some(path) => (vec![tree.root()], path),
            None => (vec![self.node], path),
        };
        for step in asked_steps(path) {
            let mut next = Vec::new();
            match step {
                AskedStep::Up => {
                    next.extend(nodes.iter().map(|&node| self.above(node)));
                    next.dedup();
                }
                AskedStep::Follow => next.extend(nodes.iter().filter_map(|&node| self.named_at(node))),
                step => {
                    for &node in &nodes {
                        let fits =
                            |&child: &NodeId| tree.kind(child).is_named() && step.fits(tree.name(child));
                        self.entries(tree.children(node).filter(fits), &mut next);
                    }
                }
            }
            nodes = next;
        }
        nodes
    }

    /// A list stands for its entries; what was taken out is not there.
    fn entries(&self, nodes: impl Iterator<Item = NodeId>, found: &mut Vec<NodeId>) {
        let is_there = |node: &NodeId| self.gone.is_none_or(|gone| !gone.contains(node));
        for node in nodes.filter(is_there) {
            match self.tree.kind(node) {
                Kind::List => found.extend(self.tree.children(node).filter(is_there)),
                _ => found.push(node),
            }
        }
    }

    /// What holds a node: of an entry what holds its list.
    fn above(&self, node: NodeId) -> NodeId {
        let parent = self.tree.parent(node);
        if self.tree.kind(parent) == Kind::List { self.tree.parent(parent) } else { parent }
    }

    /// The object that a setting names.
    fn named_at(&self, node: NodeId) -> Option<NodeId> {
        let names = self.tree.names_on_way(node);
        let mut rules = self.profile.rules.settings.iter();
        let of = rules.find(|rule| rule.head.pattern.fits(&names))?.refers_to.as_ref()?.objects()?;
        let name = self.tree.value(node).trim_ascii();
        // Names from the top are few beside what asks for them, and gathered once.
        let path = of.to_string();
        self.evaluator.named_node(&path, name, || {
            let nodes = of.nodes_in(self.tree).into_iter();
            let is_there = |node: &NodeId| self.gone.is_none_or(|gone| !gone.contains(node));
            nodes.filter(is_there).map(|node| (self.tree.name(node).to_owned(), node)).collect()
        })
    }

    /// The texts of the settings of a path.
    fn values_of(&self, path: &str) -> impl Iterator<Item = &'v str> {
        let tree = self.tree;
        let found = self.find(path).into_iter().filter(|&node| tree.kind(node).is_value());
        found.map(|node| tree.value(node).trim_ascii())
    }

    /// Whether a path is that of a text.
    pub(crate) fn is_of_text(&self, path: &str) -> bool {
        let ty = self.entry(path).and_then(|entry| self.profile.schema[entry].what.setting());
        ty.is_some() && kind_of(&self.profile.types, ty) == OperandKind::Text
    }

    fn entry(&self, path: &str) -> Option<EntryId> {
        // Patterns are those of the crossing and the profile, and stay where they are.
        let place = self.pattern.map_or(0, |pattern| std::ptr::from_ref(pattern).addr());
        self.evaluator.declared(place, path, || self.profile.declared_at(self.pattern, path))
    }

    /// What a value is to an expression, by its type.
    pub(crate) fn operand(&self, ty: Option<TypeId>, text: &str) -> Operand {
        match ty {
            Some(ty) => match self.profile.types.read(ty, text) {
                // What has several parts is seen as it is there.
                Ok(Value::Parts(_) | Value::List(_)) => Operand::Text(text.trim_ascii().to_owned()),
                Ok(value) => Operand::from_value(&value),
                Err(_) => Operand::Nothing,
            },
            None => Operand::Text(text.to_owned()),
        }
    }

    /// The kind of the current object, or of the nearest around it that has kinds: the first whose
    /// condition holds.
    pub(crate) fn object_kind(&self) -> Option<&'v str> {
        let pattern = self.pattern?;
        let schema = &self.profile.schema;
        // No path is of an object itself.
        let entry = self.evaluator.declared(std::ptr::from_ref(pattern).addr(), "", || {
            let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
            let has_kinds = |entry: EntryId| match &schema[entry].what {
                What::Object { kinds, .. } => !kinds.is_empty(),
                What::Setting { .. } => false,
            };
            (1..=steps.len()).rev().find_map(|length| match schema.find(&steps[..length]) {
                Lookup::Declared(entry) if has_kinds(entry) => Some(entry),
                _ => None,
            })
        })?;
        let declared = &schema[entry];
        let What::Object { kinds, .. } = &declared.what else { return None };
        let tree = self.tree;
        let mut object = self.node;
        for _ in declared.pattern.steps.len()..pattern.steps.len() {
            // An entry stands for its list; what holds that can be an entry itself.
            while tree.is_transparent(object) {
                object = tree.parent(object);
            }
            object = tree.parent(object);
        }
        let kind = self.evaluator.kind_of(object, entry, || {
            let bare = Scope { node: object, pattern: Some(&declared.pattern), ..*self };
            let holds = |(_, expression): &(String, Arc<Expression>)| expression.holds(&bare);
            kinds.iter().position(holds)
        })?;
        Some(&kinds[kind].0)
    }

    /// The default by the conditions of a setting, seen from the current object.
    pub(crate) fn default_if<'d>(&self, declared: &'d Entry) -> Option<&'d str> {
        let What::Setting { defaults_if, .. } = &declared.what else { return None };
        let holds = |when: &Option<Arc<Expression>>| when.as_ref().is_none_or(|when| when.holds(self));
        defaults_if.iter().find(|(_, when)| holds(when)).map(|(value, _)| value.as_str())
    }

    /// The name of the current object: its first key, if it has keys, or else that of its node.
    pub(crate) fn own_name(&self) -> &'v str {
        self.tree.name(self.node)
    }

    /// Whether a setting that decides is in force elsewhere than where the path leads.
    fn overriding(&self, path: &str) -> Option<NodeId> {
        let absolute = path.strip_prefix('/').or(if self.pattern.is_none() { Some(path) } else { None })?;
        let other = self.profile.meaning.overrides.iter().find_map(|(over, under)| {
            Some(format!("/{over}/{}", absolute.strip_prefix(under.as_str())?.strip_prefix('/')?))
        })?;
        self.find(&other).last().copied()
    }
}

/// The kind of each object of a tree that has kinds, with its row, in the order of rows.
pub(crate) fn kinds_of_objects(tree: &Tree<'_>, profile: &Profile, walk: &Scan) -> Vec<(Row, String)> {
    let evaluator = Evaluator::new();
    let kind_of = |row: &Row| {
        let entry = &profile.schema[walk.automaton.accepted(row.accept).entry?];
        match &entry.what {
            What::Object { kinds, .. } if !kinds.is_empty() => {}
            _ => return None,
        }
        let scope = Scope {
            tree,
            profile,
            inheritance: None,
            node: row.node,
            pattern: Some(&entry.pattern),
            evaluator: &evaluator,
            gone: None,
            seen: None,
        };
        Some((*row, scope.object_kind()?.to_owned()))
    };
    walk.reading.rows.iter().filter(|row| row.kind == RowKind::Object).filter_map(kind_of).collect()
}

impl Surroundings for Scope<'_, '_> {
    fn variable(&self, name: &str) -> Option<Operand> {
        match name {
            "kind" => {
                Some(self.object_kind().map_or(Operand::Nothing, |kind| Operand::Text(kind.to_owned())))
            }
            "name" => Some(Operand::Text(self.own_name().to_owned())),
            _ => None,
        }
    }

    fn count(&self, path: &str) -> usize {
        if path.starts_with('/') && self.seen.is_none() {
            return self.evaluator.count_at(path, || self.find(path).len());
        }
        self.find(path).len()
    }

    fn effective(&self, path: &str) -> Operand {
        let Some(entry) = self.entry(path) else { return Operand::Nothing };
        let declared = &self.profile.schema[entry];
        let what = &declared.what;
        let tree = self.tree;
        let inherited = || self.inheritance?.inherited(tree, self.node, path);
        let found = self.find(path);
        let holds = if what.repeats() == Repeats::Last { found.last() } else { found.first() };
        let given = self.overriding(path).or_else(|| holds.copied()).or_else(inherited).map(|node| {
            let own = tree.children(node).find(|&child| tree.kind(child) == Kind::OwnText);
            tree.value(own.unwrap_or(node))
        });
        let given =
            given.or_else(|| what.default_at(self.profile.release)).or_else(|| self.default_if(declared));
        let Some(text) = given.or_else(|| self.profile.in_force(declared)) else { return Operand::Nothing };
        self.operand(what.setting(), text)
    }

    fn names(&self, path: &str) -> Vec<String> {
        self.find(path).into_iter().map(|node| self.tree.name(node).to_owned()).collect()
    }

    fn values(&self, path: &str) -> Vec<String> {
        let Some(entry) = self.entry(path) else { return Vec::new() };
        let kind = self.profile.schema[entry].what.setting();
        let seen = |text| match self.operand(kind, text) {
            Operand::Text(text) => Some(text),
            Operand::Integer(number) => Some(number.to_string()),
            _ => None,
        };
        self.values_of(path).filter_map(seen).collect()
    }

    fn named_by(&self, path: &str) -> bool {
        let name = self.own_name();
        if path.starts_with('/') && self.seen.is_none() {
            let values = || self.values_of(path).map(str::to_owned).collect();
            return self.evaluator.is_value_at(path, name, values);
        }
        self.values_of(path).any(|value| value == name)
    }

    fn standing(&self, path: &str) -> Vec<String> {
        let tree = self.tree;
        let text = |node: NodeId| match tree.kind(node) {
            kind if kind.is_value() => Some(tree.value(node).trim_ascii().to_owned()),
            // The entry of a list is called as the list is.
            _ if tree.is_entry(node) => None,
            _ => Some(tree.name(node).to_owned()),
        };
        self.find(path).into_iter().filter_map(text).collect()
    }

    fn same(&self, one: &str, other: &str) -> bool {
        let said = |path: &str| {
            let mut said: Vec<(Vec<&str>, &str)> = Vec::new();
            for top in self.find(path) {
                let mut work = vec![(top, Vec::new())];
                while let Some((node, names)) = work.pop() {
                    if self.tree.kind(node).is_value() {
                        said.push((names, self.tree.value(node).trim_ascii()));
                        continue;
                    }
                    for child in self.tree.children(node) {
                        let below = names.iter().copied().chain([self.tree.name(child)]).collect();
                        work.push((child, below));
                    }
                }
            }
            said.sort_unstable();
            said
        };
        said(one) == said(other)
    }

    fn circle(&self, paths: &[String]) -> bool {
        let Some(pattern) = self.pattern else { return false };
        let question = format!("{pattern} {}", paths.join(","));
        self.evaluator.is_in_circle(&question, self.node, || self.circles(pattern, paths))
    }

    fn named_late(&self, paths: &[String]) -> bool {
        let branches = Branches::new(self.tree, self.node);
        let paths: Vec<Vec<String>> =
            paths.iter().map(|path| path.split('/').map(str::to_owned).collect()).collect();
        let is_there = |(branch, own): EntryPlace| {
            self.gone.is_none_or(|gone| !gone.contains(&branches.entries[branch][own]))
        };
        let namings = branches.namings(self.tree, &paths);
        namings.into_iter().any(|(naming, named)| named > naming && is_there(naming) && is_there(named))
    }

    fn evaluator(&self) -> &Evaluator {
        self.evaluator
    }

    fn since(&self, release: &str) -> bool {
        self.profile.release(release).is_ok_and(|index| self.profile.release >= index)
    }
}

impl Scope<'_, '_> {
    /// The objects of a pattern that lead back to themselves over settings that name others of them.
    fn circles(&self, pattern: &Pattern, paths: &[String]) -> FxHashSet<NodeId> {
        let is_there = |node: &NodeId| self.gone.is_none_or(|gone| !gone.contains(node));
        let objects: Vec<NodeId> = pattern.nodes_in(self.tree).into_iter().filter(is_there).collect();
        let numbers: FxHashMap<&str, u32> =
            objects.iter().zip(0..).map(|(&node, number)| (self.tree.name(node), number)).collect();
        let mut graph: petgraph::Graph<NodeId, (), petgraph::Directed, u32> = petgraph::Graph::new();
        for &node in &objects {
            graph.add_node(node);
        }
        let mut circles = FxHashSet::default();
        for (&object, from) in objects.iter().zip(0_u32..) {
            let around = Scope { node: object, seen: None, ..*self };
            for name in paths.iter().flat_map(|path| around.values_of(path)) {
                let Some(&to) = numbers.get(name) else { continue };
                if to == from {
                    circles.insert(object);
                }
                graph.add_edge(from.into(), to.into(), ());
            }
        }
        // Of those that are known, this one does not recurse: a chain of interfaces can be as long as the file.
        for group in petgraph::algo::kosaraju_scc(&graph).into_iter().filter(|group| group.len() > 1) {
            circles.extend(group.into_iter().map(|index| graph[index]));
        }
        circles
    }
}

impl Profile {
    /// What the profile declares at a path of an expression, seen from objects of a pattern.
    pub(crate) fn declared_at(&self, above: Option<&Pattern>, path: &str) -> Option<EntryId> {
        let (from, path) = match path.rsplit_once("->") {
            // What the value names is there.
            Some((reference, rest)) => (self.referred_at(above, reference)?, rest),
            None => {
                let above = above.filter(|_| !path.starts_with('/'));
                (above.map_or_else(Vec::new, |above| above.steps.clone()), path.trim_start_matches('/'))
            }
        };
        let declared = |path: &String| match self.schema.find(&PathStep::from_here(&from, path)) {
            Lookup::Declared(entry) => Some(entry),
            _ => None,
        };
        alternatives(path).iter().find_map(declared)
    }

    /// The steps of the objects that a setting of a path names.
    fn referred_at(&self, above: Option<&Pattern>, path: &str) -> Option<Vec<Step>> {
        let entry = self.declared_at(above, path)?;
        let pattern = &self.schema[entry].pattern;
        Some(self.rules.refers_to(pattern)?.objects()?.steps.clone())
    }
}
