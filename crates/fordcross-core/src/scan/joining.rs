//! Objects that a backup gives in several pieces, where their platform reads these as one.
//!
//! Kinds, conditions and rules see the whole of such an object, never a piece of it. What became of each setting of the
//! joined tree is so said of the same setting of the backup, at its own place.

use super::automaton::Automaton;
use super::inventory::{Inventory, Row, RowKind};
use crate::ids::{EntryId, RowId};
use crate::language::profile::{Profile, Repeats, What};
use crate::ledger::fate::Fate;
use crate::ledger::{Decision, Landing, Ledger};
use crate::tree::{Additions, Kind, Name, NodeId, Tree};
use rustc_hash::{FxHashMap, FxHashSet};

/// A tree without second pieces of objects.
pub(crate) struct Joined<'a> {
    pub(crate) tree: Tree<'a>,
    /// For each of its nodes that of the tree that it was made from.
    old_ids: Vec<NodeId>,
    pieces: Pieces,
}

/// Which nodes are pieces of which.
#[derive(Default)]
struct Pieces {
    /// What is there twice, with the first of its like. The first is none itself.
    first_of: FxHashMap<NodeId, NodeId>,
    moved: FxHashMap<NodeId, Additions>,
    /// First pieces whose children are known.
    met: FxHashSet<NodeId>,
    /// The only child of a name that a first piece has by now; `None` where there are several.
    children: FxHashMap<(NodeId, Name), Option<NodeId>>,
}

impl<'a> Joined<'a> {
    /// `None` where no object is in pieces.
    pub(crate) fn of(
        tree: &Tree<'a>,
        profile: &Profile,
        automaton: &Automaton,
        reading: &Inventory,
    ) -> Option<Self> {
        let pieces = Pieces::of(tree, profile, automaton, reading)?;
        let gone: FxHashSet<NodeId> = pieces.first_of.keys().copied().collect();
        let (tree, old_ids) = tree.rearranged(&pieces.moved, &gone);
        Some(Self { tree, old_ids: old_ids.into_iter().map(|(old, _)| old).collect(), pieces })
    }

    /// The node of the tree that it was made from.
    pub(crate) fn old_id(&self, node: NodeId) -> NodeId {
        self.old_ids[node.index()]
    }

    /// What is said of nodes of the tree that it was made from, said of its own.
    pub(crate) fn follow<T: Clone>(&self, said: &FxHashMap<NodeId, T>) -> FxHashMap<NodeId, T> {
        if said.is_empty() {
            return FxHashMap::default();
        }
        let own = self.old_ids.iter().zip(self.tree.ids());
        own.filter_map(|(old, node)| Some((node, said.get(old)?.clone()))).collect()
    }

    /// Its node for one of the tree that it was made from.
    pub(crate) fn new_id(&self, old: NodeId) -> Option<NodeId> {
        self.old_ids.iter().zip(self.tree.ids()).find(|(known, _)| **known == old).map(|(_, node)| node)
    }

    /// Turns its ledger into one of the tree that it was made from. What is there once for several has the fate of the
    /// one that stayed, and is at best folded into it.
    pub(crate) fn unfold(&self, ledger: &mut Ledger, own: &Inventory, original: &Inventory) {
        let key = |node: NodeId, row: &Row| (node, row.kind == RowKind::Object);
        let index: FxHashMap<(NodeId, bool), RowId> =
            own.numbered().map(|(id, row)| (key(self.old_id(row.node), row), id)).collect();
        let mut old_row = vec![None; own.rows.len()];
        let mut decisions = Vec::with_capacity(original.rows.len());
        let mut landings: Vec<Landing> = Vec::with_capacity(ledger.landings.len());
        for (id, row) in original.numbered() {
            let first = self.pieces.first_of.get(&row.node);
            let joined = index[&key(first.copied().unwrap_or(row.node), row)];
            if first.is_none() {
                old_row[joined.index()] = Some(id);
            }
            let decision = &ledger.decisions[joined.index()];
            let at_best = |fate: Fate| if first.is_some() { fate.max(Fate::Folded) } else { fate };
            let from = landings.len() as u32;
            let landed = ledger.landings_of(decision).iter();
            landings.extend(landed.map(|landing| Landing { fate: at_best(landing.fate), ..*landing }));
            decisions.push(Decision {
                fate: at_best(decision.fate),
                landings: (from, landings.len() as u32),
                ..decision.clone()
            });
        }
        let old = |row: RowId| old_row[row.index()].unwrap_or(row);
        for note in &mut ledger.notes {
            note.row = note.row.map(old);
        }
        ledger.notes.sort_by_key(|note| note.row);
        for wanted in &mut ledger.wanted {
            wanted.row = old(wanted.row);
        }
        for (row, because) in &mut ledger.because {
            (*row, *because) = (old(*row), old(*because));
        }
        ledger.because.sort_unstable();
        ledger.decisions = decisions;
        ledger.landings = landings;
    }
}

impl Pieces {
    fn of(tree: &Tree<'_>, profile: &Profile, automaton: &Automaton, reading: &Inventory) -> Option<Self> {
        let joins = |what: &What| what.is_object() && what.repeats() == Repeats::Merge;
        if !profile.schema.entries.iter().any(|entry| joins(&entry.what)) {
            return None;
        }
        let objects = reading.rows.iter().filter(|row| row.kind == RowKind::Object);
        let objects: FxHashSet<NodeId> = objects.map(|row| row.node).collect();
        let mut pieces = Self::default();
        let mut places: FxHashMap<(NodeId, EntryId, Vec<&str>), NodeId> = FxHashMap::default();
        for row in reading.rows.iter().filter(|row| row.kind == RowKind::Object) {
            let Some(entry) = automaton.accepted(row.accept).entry else { continue };
            let what = &profile.schema[entry].what;
            let What::Object { keys, name, many, .. } = what else { continue };
            let is_value = !tree.kind(row.node).is_branch() && !tree.value(row.node).trim_ascii().is_empty();
            if !joins(what) || is_value || *many && keys.is_empty() && name.is_none() {
                continue;
            }
            let key = |key: &String| tree.child(row.node, key).map(|at| tree.value(at).trim_ascii());
            let Some(mut key) = keys.iter().map(key).collect::<Option<Vec<&str>>>() else { continue };
            let (holder, name) = tree.holder(row.node);
            key.push(name);
            let holder = pieces.first_of.get(&holder).copied().unwrap_or(holder);
            let first = *places.entry((holder, entry, key)).or_insert(row.node);
            if first != row.node {
                pieces.join(tree, (first, row.node), keys, &objects);
            }
        }
        (!pieces.first_of.is_empty()).then_some(pieces)
    }

    /// Gives what is in a second piece to the first. Branches between objects and their settings are pieces, too, and so
    /// are lists; of keys the first stays.
    fn join(
        &mut self,
        tree: &Tree<'_>,
        (first, second): (NodeId, NodeId),
        keys: &[String],
        objects: &FxHashSet<NodeId>,
    ) {
        let mut work = vec![(first, second, false)];
        while let Some((first, second, is_key)) = work.pop() {
            self.first_of.insert(second, first);
            self.meet(tree, first);
            let mut often: FxHashMap<Name, usize> = FxHashMap::default();
            tree.children(second).for_each(|child| *often.entry(tree.name_id(child)).or_default() += 1);
            for child in tree.children(second) {
                let name = tree.name_id(child);
                let is_key = is_key || keys.iter().any(|key| key == tree.name(child));
                let is_between = |node: NodeId| {
                    matches!(tree.kind(node), Kind::Map | Kind::List) && !objects.contains(&node)
                };
                let is_piece = |mine: NodeId| {
                    let alike = tree.kind(mine) == tree.kind(child) && often[&name] == 1;
                    is_key || alike && is_between(mine) && is_between(child)
                };
                let mine = self.children.get(&(first, name)).copied().flatten();
                match mine.filter(|mine| tree.kind(first) != Kind::List && is_piece(*mine)) {
                    Some(mine) => work.push((mine, child, is_key)),
                    None => {
                        self.moved.entry(first).or_default().moved.push(child);
                        let mine = self.children.entry((first, name));
                        mine.and_modify(|mine| *mine = None).or_insert(Some(child));
                    }
                }
            }
        }
    }

    /// Notes what a first piece has.
    fn meet(&mut self, tree: &Tree<'_>, first: NodeId) {
        if self.met.insert(first) {
            for child in tree.children(first) {
                let mine = self.children.entry((first, tree.name_id(child)));
                mine.and_modify(|mine| *mine = None).or_insert(Some(child));
            }
        }
    }
}
