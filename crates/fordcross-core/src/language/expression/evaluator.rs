//! Answers that are kept: what expressions ask again and again.

use super::names::Names;
use super::networks::{self, Networks, Shelf};
use super::{Operand, Surroundings, functions, parse_network, to_cel};
use crate::ids::EntryId;
use crate::tree::NodeId;
use cel::Context;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::RefCell;
use std::sync::Arc;

/// What expressions need that does not depend on the place: the functions, which cost more to make than to
/// evaluate, and what is at paths from the top, which each of many objects may ask about.
pub(crate) struct Evaluator {
    pub(super) context: Context<'static, 'static>,
    /// By path, the names of what is there.
    names: RefCell<FxHashMap<String, Names>>,
    /// By path, the values that settings there have, in their order.
    lists: RefCell<FxHashMap<String, cel::Value>>,
    /// By path, how much is there.
    counts: RefCell<FxHashMap<String, usize>>,
    /// The kinds of objects, as numbers of their declaration.
    kinds: RefCell<FxHashMap<(NodeId, EntryId), Option<usize>>>,
    /// By path, the values that settings there have.
    values: RefCell<FxHashMap<String, FxHashSet<String>>>,
    /// The networks at paths, as the functions that look for them know them: by number.
    pub(super) networks: Shelf,
    /// By paths from the top, the numbers of their networks.
    shelved: RefCell<FxHashMap<String, i64>>,
    /// By the path of objects, these by their names.
    named_nodes: RefCell<FxHashMap<String, FxHashMap<String, NodeId>>>,
    /// By the object's declaration and the paths, the objects that lead back to themselves.
    circles: RefCell<FxHashMap<String, FxHashSet<NodeId>>>,
    /// By the current place, as a number of its own, and the path from there: what the profile declares.
    declared: RefCell<FxHashMap<usize, FxHashMap<String, Option<EntryId>>>>,
}

impl Evaluator {
    /// For one tree.
    pub(crate) fn new() -> Self {
        let mut context = Context::default();
        functions::add(&mut context);
        let networks = Shelf::default();
        networks::add(&mut context, &networks);
        Self {
            context,
            networks,
            shelved: RefCell::default(),
            named_nodes: RefCell::default(),
            circles: RefCell::default(),
            names: RefCell::default(),
            lists: RefCell::default(),
            counts: RefCell::default(),
            kinds: RefCell::default(),
            values: RefCell::default(),
            declared: RefCell::default(),
        }
    }

    /// What the profile declares at a path from a pattern, looked up once. The pattern is known by its address.
    pub(crate) fn declared(
        &self,
        pattern: usize,
        path: &str,
        look_up: impl FnOnce() -> Option<EntryId>,
    ) -> Option<EntryId> {
        if let Some(&known) = self.declared.borrow().get(&pattern).and_then(|paths| paths.get(path)) {
            return known;
        }
        let found = look_up();
        self.declared.borrow_mut().entry(pattern).or_default().insert(path.to_owned(), found);
        found
    }

    /// How much is at a path from the top, counted once.
    pub(crate) fn count_at(&self, path: &str, count: impl FnOnce() -> usize) -> usize {
        if let Some(&known) = self.counts.borrow().get(path) {
            return known;
        }
        let counted = count();
        self.counts.borrow_mut().insert(path.to_owned(), counted);
        counted
    }

    /// The kind of an object of a declaration, found once; its condition may ask for those of others.
    pub(crate) fn kind_of(
        &self,
        object: NodeId,
        entry: EntryId,
        find: impl FnOnce() -> Option<usize>,
    ) -> Option<usize> {
        if let Some(&known) = self.kinds.borrow().get(&(object, entry)) {
            return known;
        }
        let found = find();
        self.kinds.borrow_mut().insert((object, entry), found);
        found
    }

    /// Whether a value is among those at a path from the top.
    pub(crate) fn is_value_at(
        &self,
        path: &str,
        value: &str,
        all: impl FnOnce() -> FxHashSet<String>,
    ) -> bool {
        if let Some(known) = self.values.borrow().get(path) {
            return known.contains(value);
        }
        let all = all();
        let is_among = all.contains(value);
        self.values.borrow_mut().insert(path.to_owned(), all);
        is_among
    }

    /// The object of a name among those at a path from the top, which are gathered once.
    pub(crate) fn named_node(
        &self,
        path: &str,
        name: &str,
        all: impl FnOnce() -> FxHashMap<String, NodeId>,
    ) -> Option<NodeId> {
        if let Some(known) = self.named_nodes.borrow().get(path) {
            return known.get(name).copied();
        }
        let all = all();
        let found = all.get(name).copied();
        self.named_nodes.borrow_mut().insert(path.to_owned(), all);
        found
    }

    /// The objects that lead back to themselves by some paths, found once.
    pub(crate) fn is_in_circle(
        &self,
        question: &str,
        object: NodeId,
        find: impl FnOnce() -> FxHashSet<NodeId>,
    ) -> bool {
        if let Some(known) = self.circles.borrow().get(question) {
            return known.contains(&object);
        }
        let found = find();
        let is_among = found.contains(&object);
        self.circles.borrow_mut().insert(question.to_owned(), found);
        is_among
    }

    /// The number of the networks at some paths. Those from the top are gathered once.
    pub(super) fn networks_at(&self, paths: &[String], here: &dyn Surroundings) -> i64 {
        let gather = || {
            let standing = paths.iter().flat_map(|path| here.standing(path));
            Networks::new(standing.filter_map(|text| parse_network(&text)))
        };
        if paths.iter().any(|path| !path.starts_with('/')) {
            return self.networks.put(gather());
        }
        *self.shelved.borrow_mut().entry(paths.join(",")).or_insert_with(|| self.networks.keep(gather()))
    }

    pub(super) fn values_at(&self, path: &str, here: &dyn Surroundings) -> cel::Value {
        let list = || here.values(path).into_iter().map(|value| to_cel(Operand::Text(value))).collect();
        let make = || cel::Value::List(Arc::new(list()));
        if !path.starts_with('/') {
            return make();
        }
        self.lists.borrow_mut().entry(path.to_owned()).or_insert_with(make).clone()
    }

    pub(super) fn names_at(&self, path: &str, here: &dyn Surroundings) -> Names {
        let make = || Names(Arc::new(here.names(path).into_iter().collect()));
        if !path.starts_with('/') {
            return make();
        }
        if let Some(known) = self.names.borrow().get(path) {
            return known.clone();
        }
        let made = make();
        self.names.borrow_mut().insert(path.to_owned(), made.clone());
        made
    }
}
