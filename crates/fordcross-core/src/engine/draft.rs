//! The new tree while rules write into it: places are found again by name, and a place that is
//! taken is never overwritten.

use crate::format::Traits;
use crate::language::profile::Profile;
use crate::text::source::Span;
use crate::tree::{Kind, Name, NodeId, Text, Tree};
use rustc_hash::{FxHashMap, FxHashSet};

/// Past so many children a parent's names are hashed.
const LINEAR_SEARCH_LIMIT: usize = 16;

/// The place is taken by something else.
#[derive(Debug)]
pub(super) struct Conflict;

pub(super) struct Draft<'i, 'a> {
    pub(super) tree: Tree<'a>,
    root: NodeId,
    profile: &'i Profile,
    wide: FxHashMap<NodeId, FxHashMap<Name, NodeId>>,
    /// The parent that was last asked about, and the names below it, each as one bit that others may share: most
    /// settings are written one after the other into one object, and none of them is there yet.
    recent: (NodeId, u64),
}

fn bit_of(name: Name) -> u64 {
    1 << (name.index() % 64)
}

impl<'i, 'a> Draft<'i, 'a> {
    /// An empty configuration of the platform that a profile describes.
    pub(super) fn new(mut tree: Tree<'a>, profile: &'i Profile) -> Self {
        let name = profile.dialect.root_name(&profile.recognition.marker);
        let root = tree.push(NodeId::DOCUMENT, Kind::Map, name, Span::default());
        Self { tree, root, profile, wide: FxHashMap::default(), recent: (NodeId::DOCUMENT, u64::MAX) }
    }

    pub(super) fn root(&self) -> NodeId {
        self.root
    }

    /// What all files have in common that are of the format of the one that a branch is in.
    pub(super) fn traits_at(&self, node: NodeId) -> &'static Traits {
        self.profile.dialect_at(&self.tree, node).format().traits()
    }

    fn find(&mut self, parent: NodeId, name: Name) -> Option<NodeId> {
        if self.recent.0 == parent && self.recent.1 & bit_of(name) == 0 {
            return None;
        }
        if let Some(names) = self.wide.get(&parent) {
            return names.get(&name).copied();
        }
        let (mut seen, mut names) = (0, 0);
        for child in self.tree.children(parent) {
            if self.tree.name_id(child) == name && self.tree.kind(child) != Kind::OwnText {
                return Some(child);
            }
            seen += 1;
            names |= bit_of(self.tree.name_id(child));
        }
        self.recent = (parent, names);
        if seen > LINEAR_SEARCH_LIMIT {
            let mut names = FxHashMap::default();
            for child in self.tree.children(parent) {
                // The first of several stands for the name, as above.
                names.entry(self.tree.name_id(child)).or_insert(child);
            }
            self.wide.insert(parent, names);
        }
        None
    }

    fn push(&mut self, parent: NodeId, kind: Kind, name: Name) -> NodeId {
        let id = self.tree.push_named(parent, kind, name, Span::default());
        if self.recent.0 == parent {
            self.recent.1 |= bit_of(name);
        }
        if let Some(names) = self.wide.get_mut(&parent) {
            names.entry(name).or_insert(id);
        }
        id
    }

    /// The branch of that name, made if it is not there.
    pub(super) fn branch(&mut self, parent: NodeId, name: &str, kind: Kind) -> Result<NodeId, Conflict> {
        let name = self.tree.intern(name);
        match self.find(parent, name) {
            Some(found) if self.tree.kind(found) == kind => Ok(found),
            Some(_) => Err(Conflict),
            None => Ok(self.push(parent, kind, name)),
        }
    }

    /// One more of that name: an entry of a list, or an element beside its like.
    pub(super) fn entry(&mut self, parent: NodeId, name: &str, kind: Kind) -> Result<NodeId, Conflict> {
        if self.traits_at(parent).has_lists {
            let list = self.branch(parent, name, Kind::List)?;
            return Ok(self.tree.push(list, kind, "", Span::default()));
        }
        let name = self.tree.intern(name);
        Ok(self.push(parent, kind, name))
    }

    /// A branch like one of an old tree, with nothing in it yet.
    pub(super) fn like(&mut self, parent: NodeId, kind: Kind, name: &str) -> NodeId {
        if self.tree.kind(parent) == Kind::List {
            return self.tree.push(parent, kind, "", Span::default());
        }
        let name = self.tree.intern(name);
        self.push(parent, kind, name)
    }

    /// Gives a leaf made by [`Self::entry`] or [`Self::like`] its value.
    pub(super) fn set_value(&mut self, leaf: NodeId, value: Text<'_>) {
        self.tree.set_value(leaf, value);
    }

    /// A leaf of that name. One that is there with the same value is as good as new.
    pub(super) fn leaf(
        &mut self,
        parent: NodeId,
        name: &str,
        kind: Kind,
        value: Text<'_>,
    ) -> Result<NodeId, Conflict> {
        let name = self.tree.intern(name);
        self.named_leaf(parent, name, kind, value)
    }

    /// The same for a name that the tree knows already.
    pub(super) fn named_leaf(
        &mut self,
        parent: NodeId,
        name: Name,
        kind: Kind,
        value: Text<'_>,
    ) -> Result<NodeId, Conflict> {
        if let Some(found) = self.find(parent, name) {
            let text = match value {
                Text::Borrowed(span) => &self.tree.source().text[span.range()],
                Text::Decoded(text) => text,
            };
            let same = self.tree.kind(found).is_value() && self.tree.value(found) == text;
            return if same { Ok(found) } else { Err(Conflict) };
        }
        let id = self.push(parent, kind, name);
        self.tree.set_value(id, value);
        Ok(id)
    }

    /// Whether a text cannot be written at the end of a path, because something else is there or on the way.
    pub(super) fn would_be_taken<'n>(
        &mut self,
        start: NodeId,
        path: impl Iterator<Item = (&'n str, bool)>,
        text: &str,
    ) -> bool {
        let mut at = start;
        let mut path = path.peekable();
        while let Some((name, append)) = path.next() {
            // A new entry of a list has nothing in it.
            if append {
                return false;
            }
            let Some(name) = self.tree.find_name(name) else { return false };
            if path.peek().is_none() {
                return self.is_taken(at, name, text);
            }
            match self.find(at, name) {
                Some(found) if self.tree.kind(found) == Kind::Map => at = found,
                Some(_) => return true,
                None => return false,
            }
        }
        false
    }

    /// Whether something else than that text is at a place.
    pub(super) fn is_taken(&mut self, parent: NodeId, name: Name, text: &str) -> bool {
        self.find(parent, name)
            .is_some_and(|found| !self.tree.kind(found).is_value() || self.tree.value(found) != text)
    }

    /// Takes a branch out again, with the list that would be empty without it.
    pub(super) fn withdraw(&mut self, node: NodeId) {
        let parent = self.tree.parent(node);
        self.tree.unlink(parent, |child| child == node);
        if let Some(names) = self.wide.get_mut(&parent) {
            names.retain(|_, known| *known != node);
        }
        if self.tree.kind(parent) == Kind::List && self.tree.first_child(parent).is_none() {
            self.withdraw(parent);
        }
    }

    /// Takes nodes out, with lists that would be empty without them.
    pub(super) fn withdraw_all(&mut self, gone: &FxHashSet<NodeId>) {
        let parents: FxHashSet<NodeId> = gone.iter().map(|&node| self.tree.parent(node)).collect();
        let mut empty = FxHashSet::default();
        for parent in parents {
            self.tree.unlink(parent, |child| gone.contains(&child));
            if let Some(names) = self.wide.get_mut(&parent) {
                names.retain(|_, known| !gone.contains(known));
            }
            if self.tree.kind(parent) == Kind::List && self.tree.first_child(parent).is_none() {
                empty.insert(parent);
            }
        }
        if !empty.is_empty() {
            self.withdraw_all(&empty);
        }
    }

    /// Whether something of that name is there.
    pub(super) fn has(&mut self, parent: NodeId, name: &str) -> bool {
        let name = self.tree.intern(name);
        self.find(parent, name).is_some()
    }
}
