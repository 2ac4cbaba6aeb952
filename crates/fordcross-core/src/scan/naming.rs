//! What entries of the branches of an object name of one another, and where these are: for a platform that wants what is
//! named to be before what names it.

use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::FxHashMap;

/// Where an entry is: the number of its branch in the object, and its own in that.
pub(crate) type EntryPlace = (usize, usize);

/// The branches of an object with their entries.
pub(crate) struct Branches<'t> {
    pub(crate) nodes: Vec<NodeId>,
    /// The entries of each.
    pub(crate) entries: Vec<Vec<NodeId>>,
    /// The names of these.
    pub(crate) names: Vec<Vec<&'t str>>,
    places: FxHashMap<&'t str, EntryPlace>,
}

impl<'t> Branches<'t> {
    pub(crate) fn new(tree: &'t Tree<'_>, object: NodeId) -> Self {
        let nodes: Vec<NodeId> =
            named_children(tree, object).filter(|&node| tree.kind(node) == Kind::Map).collect();
        let mut places = FxHashMap::default();
        let entries: Vec<Vec<NodeId>> =
            nodes.iter().map(|&branch| named_children(tree, branch).collect()).collect();
        let names_of = |entries: &Vec<NodeId>| entries.iter().map(|&entry| tree.name(entry)).collect();
        let names: Vec<Vec<&str>> = entries.iter().map(names_of).collect();
        for (number, names) in names.iter().enumerate() {
            for (own, &name) in names.iter().enumerate() {
                places.entry(name).or_insert((number, own));
            }
        }
        Self { nodes, entries, names, places }
    }

    /// Each entry that names another by one of these settings, each as `[branch, *, …]`, with that other.
    pub(crate) fn namings(&self, tree: &Tree<'_>, settings: &[Vec<String>]) -> Vec<(EntryPlace, EntryPlace)> {
        let mut found = Vec::new();
        for path in settings {
            let (Some(first), Some(below)) = (path.first(), path.get(2..)) else { continue };
            let is_of_path = |&branch: &NodeId| first.split('|').any(|name| name == tree.name(branch));
            for (number, _) in self.nodes.iter().enumerate().filter(|(_, branch)| is_of_path(branch)) {
                for (own, &entry) in self.entries[number].iter().enumerate() {
                    let named = values_at(tree, entry, below).filter_map(|value| self.places.get(value));
                    found.extend(named.map(|&named| ((number, own), named)));
                }
            }
        }
        found
    }
}

pub(crate) fn named_children<'t>(tree: &'t Tree<'_>, node: NodeId) -> impl Iterator<Item = NodeId> + 't {
    tree.children(node).filter(|&child| tree.kind(child).is_named())
}

/// The values at a path below a node; a list stands for its entries.
fn values_at<'t>(tree: &'t Tree<'_>, node: NodeId, path: &[String]) -> impl Iterator<Item = &'t str> {
    let mut found = vec![node];
    for name in path {
        let below = found.iter().flat_map(|&node| named_children(tree, node));
        found = below.filter(|&child| name == "*" || tree.name(child) == name).collect();
    }
    let entries = found.into_iter().flat_map(|node| match tree.kind(node) {
        Kind::List => tree.children(node).collect(),
        _ => vec![node],
    });
    entries.filter(|&node| tree.kind(node).is_value()).map(|node| tree.value(node))
}
