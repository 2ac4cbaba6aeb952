//! Carrying into a base: an export of the receiving unit.
//!
//! What the course made is put into the base's own tree. Objects that have keys are found again by
//! them; a collection whose entries nothing tells apart is replaced, unless the crossing says that
//! new entries stand behind those that are there. All else in the base stays, byte for byte.

mod rewrite;
#[cfg(test)]
mod tests;
mod yaml;

use crate::automaton::{Automaton, Symbols};
use crate::backup::Backup;
use crate::course::Leg;
use crate::crossing::BasePolicy;
use crate::fate::Origin;
use crate::ledger::{Ledger, OriginRow};
use crate::profile::{FileForm, Profile, What};
use crate::reading::Reading;
use crate::source::LineIndex;
use crate::tree::{Beside, Kind, NodeId, Text, Tree};
use rewrite::Changes;
use rustc_hash::{FxHashMap, FxHashSet};

/// What became of a setting of the base.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum BaseOutcome {
    /// It has another value now.
    Overwritten,
    /// What held it was replaced.
    Removed,
}

impl BaseOutcome {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Overwritten => "overwritten",
            Self::Removed => "removed",
        }
    }
}

/// What is known of a base once something was put into it.
#[derive(Debug)]
pub(crate) struct Based {
    /// The whole file, what was not touched in the bytes that it was read in.
    pub(super) bytes: Vec<u8>,
    /// Where each node of the made tree is now.
    pub(super) places: Vec<Option<NodeId>>,
    /// Nodes of the merged tree that are the base's own.
    pub(super) kept: Vec<bool>,
    /// How many settings that are.
    pub(super) kept_settings: usize,
    /// Nodes of the base that were met by something of the made tree, or are gone.
    pub(super) met: Vec<bool>,
    /// The first walk over the base.
    pub(crate) reading: Reading,
}

impl Based {
    /// Puts what was made into a base; the ledger then speaks of the merged tree, and of the base.
    pub(super) fn new<'a>(
        base: &Backup<'a>,
        made: &Tree<'_>,
        ledger: &mut Ledger,
        leg: &Leg,
        automaton: &mut Automaton,
    ) -> (Tree<'a>, Self) {
        let implied: FxHashSet<NodeId> = ledger.implied.iter().map(|row| row.node).collect();
        let wanted = Wanted { made, implied: &implied, profile: &leg.new, policy: &leg.crossing.base };
        let reading = Reading::new(&base.tree, &leg.new, automaton);
        let Merged { tree, bytes, places, kept, met, replaced } = merge(&base.tree, &wanted, automaton);
        let implied = std::mem::take(&mut ledger.implied);
        ledger.origins.extend(implied.into_iter().filter(|row| places[row.node.index()].is_some()));
        ledger.follow(&places);
        let source = base.tree.source();
        let lines = LineIndex::new(source);
        let mut is_kept = vec![false; tree.len()];
        let kept_settings = kept.len();
        for (there, node) in kept {
            is_kept[node.index()] = true;
            let line = lines.position(base.tree.span(there).start).line;
            let rule = format!("{}:{line}", source.name);
            ledger.origins.push(OriginRow { node, origin: Origin::Base, rule });
        }
        ledger.replaced = replaced;
        (tree, Self { bytes, places, kept: is_kept, kept_settings, met, reading })
    }
}

/// A base with what was made in it.
struct Merged<'a> {
    tree: Tree<'a>,
    bytes: Vec<u8>,
    places: Vec<Option<NodeId>>,
    /// Settings of the base that nothing was said of: the node there, and the one in the merged tree.
    kept: Vec<(NodeId, NodeId)>,
    met: Vec<bool>,
    replaced: Vec<(NodeId, BaseOutcome)>,
}

/// What a merge depends on.
struct Wanted<'w> {
    made: &'w Tree<'w>,
    /// Nodes of the made tree that are only needed where the base says otherwise.
    implied: &'w FxHashSet<NodeId>,
    profile: &'w Profile,
    policy: &'w BasePolicy,
}

/// Puts the made tree into the base.
fn merge<'a>(base: &Tree<'a>, wanted: &Wanted<'_>, automaton: &mut Automaton) -> Merged<'a> {
    let mut merge = Merge {
        base,
        tree: base.clone(),
        wanted,
        automaton,
        symbols: Symbols::default(),
        places: vec![None; wanted.made.len()],
        changes: Changes::default(),
        met: vec![false; base.len()],
        replaced: Vec::new(),
        cleared: FxHashSet::default(),
        by_key: FxHashMap::default(),
    };
    merge.run();
    let Merge { mut tree, mut places, changes, met, mut replaced, .. } = merge;
    // As it is written, and read back.
    if wanted.profile.form == FileForm::Ini {
        tree.leaves_first(tree.root());
    }
    let bytes = changes.write(base, &tree, wanted.profile.form, &wanted.profile.writing.ini);
    let (ordered, new_ids) = tree.in_document_order(&Beside::default());
    for place in places.iter_mut().flatten() {
        *place = new_ids[place.index()];
    }
    replaced.sort_unstable_by_key(|&(node, _)| node);
    // Own text that is empty says nothing.
    let silent = |node: NodeId| base.kind(node) == Kind::OwnText && base.value(node).is_empty();
    let kept = (1..base.len() as u32)
        .map(NodeId)
        .filter(|&node| base.kind(node).is_value() && !met[node.index()] && !silent(node))
        .map(|node| (node, new_ids[node.index()]))
        .collect();
    Merged { tree: ordered, bytes, places, kept, met, replaced }
}

struct Merge<'m, 'a> {
    base: &'m Tree<'a>,
    /// The base, on its way to the result. Nodes of the base keep their ids until the end.
    tree: Tree<'a>,
    wanted: &'m Wanted<'m>,
    automaton: &'m mut Automaton,
    symbols: Symbols,
    places: Vec<Option<NodeId>>,
    changes: Changes,
    met: Vec<bool>,
    replaced: Vec<(NodeId, BaseOutcome)>,
    /// Collections of repeated elements that were replaced: the holder and the name.
    cleared: FxHashSet<(NodeId, String)>,
    /// Entries of a collection by their keys, gathered when first asked for.
    by_key: FxHashMap<(NodeId, String), FxHashMap<Vec<String>, NodeId>>,
}

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

impl Merge<'_, '_> {
    fn run(&mut self) {
        let made = self.wanted.made;
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
                // Text is no child that could stand behind others: its element is written anew.
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
        let (kind, there) = (made.kind(child), self.tree.kind(found));
        let empty = |tree: &Tree<'_>, node| tree.first_child(node).is_none() && tree.value(node).is_empty();
        if kind.is_value() && there.is_value() {
            if made.value(child) == self.tree.value(found) && (kind == there || self.stands_side_by_side()) {
                if !self.is_implied(child) {
                    self.meet(child, found);
                }
                return;
            }
            self.replaced.push((found, BaseOutcome::Overwritten));
            self.meet(child, found);
            if !self.stands_side_by_side() {
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

    /// Puts a made node with all below it in the place of one of the base.
    fn replace(&mut self, from: NodeId, to: NodeId) {
        let made = self.wanted.made;
        self.lose_below(to);
        self.tree.reset(to, made.kind(from));
        self.meet(from, to);
        if made.kind(from).is_value() {
            self.tree.set_value(to, Text::Decoded(made.value(from)));
        }
        for child in made.children(from).collect::<Vec<_>>() {
            let places = &mut self.places;
            self.tree.graft(to, made, child, &mut |old, new| places[old.index()] = Some(new));
        }
        self.changes.whole.insert(to);
    }

    fn graft(&mut self, to: NodeId, child: NodeId) {
        let places = &mut self.places;
        self.tree.graft(to, self.wanted.made, child, &mut |old, new| places[old.index()] = Some(new));
        self.changes.grown.insert(to);
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
        let (keys, many) = match self.declared(child) {
            Some(What::Object { keys, name: None, many, .. }) => (keys.clone(), *many),
            Some(what @ What::Setting { .. }) => (Vec::new(), what.is_list()),
            _ => (Vec::new(), false),
        };
        // In JSON a collection is a list or a table, and comes to its turn as such.
        if !self.stands_side_by_side() || !many {
            return self.tree.child(to, &name).map_or(Goes::New, Goes::To);
        }
        let policy =
            self.policy_of(child).unwrap_or(if keys.is_empty() { Policy::Replace } else { Policy::Merge });
        if policy == Policy::Replace {
            self.clear(to, &name);
            return Goes::New;
        }
        self.with_same_keys(child, to, &name, &keys).map_or(Goes::New, Goes::To)
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
            if same_below(made, from, &self.tree, to) {
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
            work.extend(self.wanted.made.children(from).zip(self.tree.children(to)));
        }
    }

    /// Whether the entries of a collection are siblings of one name, as in XML.
    fn stands_side_by_side(&self) -> bool {
        !self.wanted.profile.form.has_lists()
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
        Some(&self.wanted.profile.schema.entries[entry as usize].what)
    }

    /// What the crossing says of the collection at a node of the made tree.
    fn policy_of(&self, node: NodeId) -> Option<Policy> {
        let policy = self.wanted.policy;
        if policy.replace.is_empty() && policy.merge.is_empty() {
            return None;
        }
        let path = self.path(node);
        let names: Vec<&str> = path.iter().map(|&step| self.wanted.made.name(step)).collect();
        let fits = |patterns: &[crate::pattern::Pattern]| patterns.iter().any(|pattern| pattern.fits(&names));
        if fits(&policy.replace) {
            Some(Policy::Replace)
        } else {
            fits(&policy.merge).then_some(Policy::Merge)
        }
    }
}

/// Whether two subtrees have the same names and values in the same order.
fn same_below(left: &Tree<'_>, from: NodeId, right: &Tree<'_>, to: NodeId) -> bool {
    let mut work = vec![(from, to)];
    while let Some((from, to)) = work.pop() {
        let same = left.kind(from) == right.kind(to)
            && (left.is_entry(from) || left.name(from) == right.name(to))
            && left.value(from) == right.value(to)
            && left.children(from).count() == right.children(to).count();
        if !same {
            return false;
        }
        work.extend(left.children(from).zip(right.children(to)));
    }
    true
}
