//! Putting the made tree into the base's: what the base has is met, replaced or kept, and what is to be written
//! otherwise is noted.

use super::Wanted;
use crate::format::edit::Changes;
use crate::language::profile::{Repeats, What};
use crate::ledger::BaseOutcome;
use crate::scan::automaton::{Automaton, Symbols};
use crate::tree::{Kind, Name, NodeId, Text, Tree};
use rustc_hash::{FxHashMap, FxHashSet};

pub(super) struct Merge<'m, 'a> {
    base: &'m Tree<'a>,
    /// The base, on its way to the result. Nodes of the base keep their ids until the end.
    pub(super) tree: Tree<'a>,
    wanted: &'m Wanted<'m>,
    automaton: &'m mut Automaton,
    symbols: Symbols,
    pub(super) places: Vec<Option<NodeId>>,
    pub(super) changes: Changes,
    pub(super) met: Vec<bool>,
    pub(super) replaced: Vec<(NodeId, BaseOutcome)>,
    /// Collections of repeated elements, by their made holder and name, with the base's own where it has the same.
    same: FxHashMap<(NodeId, String), Option<Vec<NodeId>>>,
    /// Collections of repeated elements that were replaced: the holder and the name.
    cleared: FxHashSet<(NodeId, String)>,
    /// Entries of a collection by their keys, gathered when first asked for.
    by_key: FxHashMap<(NodeId, String), FxHashMap<Vec<String>, NodeId>>,
    /// What is in large branches, by name: the first and the last of each.
    by_name: FxHashMap<NodeId, FxHashMap<Name, (NodeId, NodeId)>>,
}

/// In branches of fewer children it takes no longer to look at each than to look one up.
const LARGE: usize = 16;

/// Where a node of the made tree goes.
enum Goes {
    /// To what the base has there.
    To(NodeId),
    /// Behind what the base has.
    New,
}

/// What is done with a collection that both sides have.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Policy {
    Merge,
    Replace,
}

impl<'m, 'a> Merge<'m, 'a> {
    pub(super) fn new(base: &'m Tree<'a>, wanted: &'m Wanted<'m>, automaton: &'m mut Automaton) -> Self {
        Self {
            base,
            tree: base.clone(),
            wanted,
            automaton,
            symbols: Symbols::default(),
            places: vec![None; wanted.made.len()],
            changes: Changes::default(),
            met: vec![false; base.len()],
            replaced: Vec::new(),
            same: FxHashMap::default(),
            cleared: FxHashSet::default(),
            by_key: FxHashMap::default(),
            by_name: FxHashMap::default(),
        }
    }

    pub(super) fn run(&mut self) {
        let made = self.wanted.made;
        // An outermost element that holds a text and nothing else holds no settings.
        if made.kind(made.root()) != self.tree.kind(self.tree.root()) {
            return self.replace(made.root(), self.tree.root());
        }
        let mut work = vec![(made.root(), self.tree.root())];
        while let Some((from, to)) = work.pop() {
            self.meet(from, to);
            if made.kind(from) == Kind::List {
                self.merge_list(from, to, &mut work);
                continue;
            }
            for child in made.children(from) {
                if matches!(made.kind(child), Kind::Comment | Kind::Instruction) {
                    continue;
                }
                self.merge_child(child, to, &mut work);
            }
        }
    }

    fn meet(&mut self, from: NodeId, to: NodeId) {
        self.places[from.index()] = Some(to);
        if let Some(met) = self.met.get_mut(to.index()) {
            *met = true;
        }
    }

    /// Whether the made node only matters where the base says otherwise.
    fn is_implied(&self, node: NodeId) -> bool {
        self.wanted.implied.contains(&node)
    }

    fn merge_child(&mut self, child: NodeId, to: NodeId, work: &mut Vec<(NodeId, NodeId)>) {
        let made = self.wanted.made;
        let found = match self.goes(child, to) {
            Goes::To(found) => found,
            Goes::New if self.is_implied(child) => return,
            Goes::New if made.kind(child) == Kind::OwnText => {
                // Text is no child that could be behind others: its element is written anew.
                self.places[child.index()] = Some(to);
                if !made.value(child).is_empty() {
                    self.graft(to, child);
                    self.changes.whole.insert(to);
                }
                return;
            }
            Goes::New => {
                self.graft(to, child);
                return;
            }
        };
        // A text with comments in it is one for all that.
        let found = if made.kind(child).is_value() { self.only_text(found) } else { found };
        let (kind, there) = (made.kind(child), self.tree.kind(found));
        let empty = |tree: &Tree<'_>, node| tree.first_child(node).is_none() && tree.value(node).is_empty();
        if kind.is_value() && there.is_value() {
            let side_by_side = self.stands_side_by_side(to);
            if made.value(child) == self.tree.value(found) && (kind == there || side_by_side) {
                if !self.is_implied(child) {
                    self.meet(child, found);
                }
                return;
            }
            self.replaced.push((found, BaseOutcome::Overwritten));
            self.meet(child, found);
            if !side_by_side {
                self.tree.reset(found, kind);
            }
            self.tree.set_value(found, Text::Decoded(made.value(child)));
            self.changes.values.insert(found);
        } else if kind == there && !(kind == Kind::Map && self.policy_of(child) == Some(Policy::Replace)) {
            work.push((child, found));
        } else if empty(made, child) && empty(&self.tree, found) {
            self.meet(child, found);
        } else {
            self.replace(child, found);
        }
    }

    /// The text of an element that has nothing else in it but comments; the node itself, if it is not one.
    fn only_text(&self, node: NodeId) -> NodeId {
        let mut said = self.tree.children(node).filter(|&child| !is_remark(&self.tree, child));
        match (said.next(), said.next()) {
            (Some(only), None) if self.tree.kind(only) == Kind::OwnText => only,
            _ => node,
        }
    }

    /// Puts a made node with all below it in the place of one of the base.
    fn replace(&mut self, from: NodeId, to: NodeId) {
        let made = self.wanted.made;
        self.lose_below(to);
        self.tree.reset(to, made.kind(from));
        self.by_name.remove(&to);
        self.meet(from, to);
        if made.kind(from).is_value() {
            self.tree.set_value(to, Text::Decoded(made.value(from)));
        }
        for child in made.children(from).collect::<Vec<_>>() {
            self.put(to, child);
        }
        self.changes.whole.insert(to);
    }

    fn graft(&mut self, to: NodeId, child: NodeId) {
        let new = self.put(to, child);
        if let Some(known) = self.by_name.get_mut(&to)
            && self.tree.kind(new).is_named()
        {
            known.entry(self.tree.name_id(new)).or_insert((new, new)).1 = new;
        }
        self.changes.grown.insert(to);
    }

    /// Copies a made node with all below it. Where the base has nothing, a default that both know need not be said.
    fn put(&mut self, to: NodeId, child: NodeId) -> NodeId {
        let (places, implied) = (&mut self.places, self.wanted.implied);
        let mut made = |old: NodeId, new| places[old.index()] = Some(new);
        self.tree.graft(to, self.wanted.made, child, &|node| !implied.contains(&node), &mut made)
    }

    /// Notes that the settings of the base at and below a node are gone.
    fn lose_below(&mut self, node: NodeId) {
        if node.index() >= self.base.len() {
            return;
        }
        let end = self.base.subtree_end(node);
        for lost in (node.0..end.0).map(NodeId) {
            self.met[lost.index()] = true;
            if self.base.kind(lost).is_value() {
                self.replaced.push((lost, BaseOutcome::Removed));
            }
        }
    }

    fn goes(&mut self, child: NodeId, to: NodeId) -> Goes {
        let made = self.wanted.made;
        let name = made.name(child).to_owned();
        if made.kind(child) == Kind::OwnText {
            let own = self.tree.children(to).find(|&node| self.tree.kind(node) == Kind::OwnText);
            return own.map_or(Goes::New, Goes::To);
        }
        let (keys, many, last) = match self.declared(child) {
            Some(What::Object { keys, name: None, many, .. }) => (keys.clone(), *many, false),
            Some(what @ What::Setting { .. }) => {
                (Vec::new(), what.is_list(), what.repeats() == Repeats::Last)
            }
            _ => (Vec::new(), false, false),
        };
        // In JSON a collection is a list or a table, and comes to its turn as such.
        if !self.stands_side_by_side(to) || !many {
            // Of several the one that holds.
            let found = self.children_named(to, &name);
            return found.map_or(Goes::New, |(first, holds)| Goes::To(if last { holds } else { first }));
        }
        let policy =
            self.policy_of(child).unwrap_or(if keys.is_empty() { Policy::Replace } else { Policy::Merge });
        if policy == Policy::Replace {
            if let Some(same) = self.same_collection(child, to, &name) {
                return Goes::To(same);
            }
            self.clear(to, &name);
            return Goes::New;
        }
        self.with_same_keys(child, to, &name, &keys).map_or(Goes::New, Goes::To)
    }

    /// The first and the last child of a name.
    fn children_named(&mut self, holder: NodeId, name: &str) -> Option<(NodeId, NodeId)> {
        let tree = &self.tree;
        let id = tree.find_name(name)?;
        let mut named = tree.children(holder).filter(|&child| tree.kind(child).is_named());
        if let Some(known) = self.by_name.get(&holder) {
            return known.get(&id).copied();
        }
        if tree.children(holder).nth(LARGE).is_none() {
            let mut found = named.filter(|&child| tree.name_id(child) == id);
            let first = found.next()?;
            return Some((first, found.last().unwrap_or(first)));
        }
        let mut known: FxHashMap<Name, (NodeId, NodeId)> = FxHashMap::default();
        for child in named.by_ref() {
            known.entry(tree.name_id(child)).or_insert((child, child)).1 = child;
        }
        let found = known.get(&id).copied();
        self.by_name.insert(holder, known);
        found
    }

    /// The element of the base that is in the place of a made one, where all elements of the name are as the base
    /// has them.
    fn same_collection(&mut self, child: NodeId, holder: NodeId, name: &str) -> Option<NodeId> {
        let made = self.wanted.made;
        let named = |tree: &Tree<'_>, node: NodeId| tree.kind(node).is_named() && tree.name(node) == name;
        let parent = made.parent(child);
        let place = made.children(parent).filter(|&node| named(made, node)).position(|node| node == child)?;
        if let Some(known) = self.same.get(&(parent, name.to_owned())) {
            return known.as_ref().map(|same| same[place]);
        }
        let wanted: Vec<NodeId> = made.children(parent).filter(|&node| named(made, node)).collect();
        let there: Vec<NodeId> = self.tree.children(holder).filter(|&node| named(&self.tree, node)).collect();
        let same = wanted.len() == there.len()
            && wanted.iter().zip(&there).all(|(&from, &to)| self.is_same(from, to));
        let same = same.then_some(there);
        let found = same.as_ref().map(|same| same[place]);
        self.same.insert((parent, name.to_owned()), same);
        found
    }

    /// Whether the base has at a place just what was made, apart from old defaults that are the new ones too.
    fn is_same(&self, from: NodeId, to: NodeId) -> bool {
        same_below(self.wanted.made, from, &self.tree, to, &|node| self.is_implied(node))
    }

    /// Takes the elements of a name out of the base, once.
    fn clear(&mut self, holder: NodeId, name: &str) {
        if !self.cleared.insert((holder, name.to_owned())) {
            return;
        }
        let base = self.base;
        let gone: Vec<NodeId> = self
            .tree
            .children(holder)
            .filter(|node| node.index() < base.len() && self.tree.name(*node) == name)
            .filter(|&node| !matches!(self.tree.kind(node), Kind::Attribute | Kind::OwnText))
            .collect();
        for &node in &gone {
            self.lose_below(node);
        }
        self.by_name.remove(&holder);
        self.tree.unlink(holder, |node| gone.contains(&node));
        self.changes.gone.extend(gone);
    }

    /// The entry of the base that has the keys of a made one.
    fn with_same_keys(
        &mut self,
        entry: NodeId,
        holder: NodeId,
        name: &str,
        keys: &[String],
    ) -> Option<NodeId> {
        let keys_of = |tree: &Tree<'_>, node: NodeId| -> Option<Vec<String>> {
            keys.iter()
                .map(|key| tree.child(node, key).map(|value| tree.value(value).trim_ascii().to_owned()))
                .collect()
        };
        let wanted = keys_of(self.wanted.made, entry).filter(|keys| !keys.is_empty())?;
        let tree = &self.tree;
        let known = self.by_key.entry((holder, name.to_owned())).or_insert_with(|| {
            let like = tree.children(holder).filter(|&node| name.is_empty() || tree.name(node) == name);
            like.filter_map(|node| Some((keys_of(tree, node)?, node))).collect()
        });
        known.get(&wanted).copied()
    }

    fn merge_list(&mut self, from: NodeId, to: NodeId, work: &mut Vec<(NodeId, NodeId)>) {
        let made = self.wanted.made;
        let keys = match self.declared(from) {
            Some(What::Object { keys, .. }) => keys.clone(),
            _ => Vec::new(),
        };
        let policy =
            self.policy_of(from).unwrap_or(if keys.is_empty() { Policy::Replace } else { Policy::Merge });
        if policy == Policy::Replace {
            if self.is_same(from, to) {
                return self.meet_below(from, to);
            }
            return self.replace(from, to);
        }
        for entry in made.children(from) {
            let there = if keys.is_empty() && made.kind(entry).is_value() {
                self.tree.children(to).find(|&node| {
                    self.tree.kind(node).is_value() && self.tree.value(node) == made.value(entry)
                })
            } else {
                self.with_same_keys(entry, to, "", &keys)
            };
            match there {
                Some(there) if made.kind(entry).is_value() => self.meet(entry, there),
                Some(there) => work.push((entry, there)),
                None => self.graft(to, entry),
            }
        }
    }

    /// Notes that two like subtrees stand for each other.
    fn meet_below(&mut self, from: NodeId, to: NodeId) {
        let mut work = vec![(from, to)];
        while let Some((from, to)) = work.pop() {
            self.meet(from, to);
            let heard = |&node: &NodeId| !self.is_implied(node) && !is_remark(self.wanted.made, node);
            let made = self.wanted.made.children(from).filter(heard);
            work.extend(made.zip(self.tree.children(to).filter(|&node| !is_remark(&self.tree, node))));
        }
    }

    /// Whether the entries of a collection are siblings of one name, as in XML.
    fn stands_side_by_side(&self, holder: NodeId) -> bool {
        !self.wanted.profile.dialect_at(&self.tree, holder).format().traits().has_lists
    }

    fn path(&self, node: NodeId) -> Vec<NodeId> {
        let made = self.wanted.made;
        let mut path = Vec::new();
        let mut at = node;
        while at != made.root() && at != NodeId::DOCUMENT {
            if !made.is_transparent(at) {
                path.push(at);
            }
            at = made.parent(at);
        }
        path.reverse();
        path
    }

    /// What the profile declares for a node of the made tree.
    fn declared(&mut self, node: NodeId) -> Option<&What> {
        let mut state = self.automaton.start();
        for step in self.path(node) {
            state = self.automaton.step(
                state,
                self.wanted.made.name_id(step),
                self.wanted.made,
                &mut self.symbols,
            );
        }
        let entry = self.automaton.accepted(self.automaton.accept_of(state)).entry?;
        Some(&self.wanted.profile.schema[entry].what)
    }

    /// What the crossing says of the collection at a node of the made tree.
    fn policy_of(&self, node: NodeId) -> Option<Policy> {
        let policy = self.wanted.policy;
        if policy.replace.is_empty() && policy.merge.is_empty() {
            return None;
        }
        let path = self.path(node);
        let names: Vec<&str> = path.iter().map(|&step| self.wanted.made.name(step)).collect();
        let fits =
            |patterns: &[crate::tree::pattern::Pattern]| patterns.iter().any(|pattern| pattern.fits(&names));
        if fits(&policy.replace) {
            Some(Policy::Replace)
        } else {
            fits(&policy.merge).then_some(Policy::Merge)
        }
    }
}

fn is_remark(tree: &Tree<'_>, node: NodeId) -> bool {
    matches!(tree.kind(node), Kind::Comment | Kind::Instruction)
}

/// Whether two subtrees have the same names and values in the same order; what is `unsaid` on the left counts for
/// nothing.
fn same_below(
    left: &Tree<'_>,
    from: NodeId,
    right: &Tree<'_>,
    to: NodeId,
    unsaid: &dyn Fn(NodeId) -> bool,
) -> bool {
    let mut work = vec![(from, to)];
    while let Some((from, to)) = work.pop() {
        let ours: Vec<NodeId> =
            left.children(from).filter(|&node| !unsaid(node) && !is_remark(left, node)).collect();
        let theirs: Vec<NodeId> = right.children(to).filter(|&node| !is_remark(right, node)).collect();
        let same = left.kind(from) == right.kind(to)
            && (left.is_entry(from) || left.name(from) == right.name(to))
            && left.value(from) == right.value(to)
            && ours.len() == theirs.len();
        if !same {
            return false;
        }
        work.extend(ours.into_iter().zip(theirs));
    }
    true
}
