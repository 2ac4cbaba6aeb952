//! The new tree while rules write into it: places are found again by name, and a place that is
//! taken is never overwritten.

use crate::source::Span;
use crate::tree::{Kind, Name, NodeId, Text, Tree};
use rustc_hash::FxHashMap;

/// Past so many children a parent's names are hashed.
const FEW: usize = 16;

/// The place is taken by something else.
#[derive(Debug)]
pub(super) struct Taken;

pub(super) struct Draft<'a> {
    pub(super) tree: Tree<'a>,
    root: NodeId,
    wide: FxHashMap<NodeId, FxHashMap<Name, NodeId>>,
}

impl<'a> Draft<'a> {
    pub(super) fn new(mut tree: Tree<'a>) -> Self {
        let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::default());
        Self { tree, root, wide: FxHashMap::default() }
    }

    pub(super) fn root(&self) -> NodeId {
        self.root
    }

    fn find(&mut self, parent: NodeId, name: Name) -> Option<NodeId> {
        if let Some(names) = self.wide.get(&parent) {
            return names.get(&name).copied();
        }
        let mut seen = 0;
        for child in self.tree.children(parent) {
            if self.tree.name_id(child) == name {
                return Some(child);
            }
            seen += 1;
        }
        if seen > FEW {
            let names = self.tree.children(parent).map(|child| (self.tree.name_id(child), child)).collect();
            self.wide.insert(parent, names);
        }
        None
    }

    fn push(&mut self, parent: NodeId, kind: Kind, name: Name) -> NodeId {
        let id = self.tree.push_named(parent, kind, name, Span::default());
        if let Some(names) = self.wide.get_mut(&parent) {
            names.insert(name, id);
        }
        id
    }

    /// The branch of that name, made if it is not there.
    pub(super) fn branch(&mut self, parent: NodeId, name: &str, kind: Kind) -> Result<NodeId, Taken> {
        let name = self.tree.intern(name);
        match self.find(parent, name) {
            Some(found) if self.tree.kind(found) == kind => Ok(found),
            Some(_) => Err(Taken),
            None => Ok(self.push(parent, kind, name)),
        }
    }

    /// A new entry of the list of that name.
    pub(super) fn entry(&mut self, parent: NodeId, name: &str, kind: Kind) -> Result<NodeId, Taken> {
        let list = self.branch(parent, name, Kind::List)?;
        Ok(self.tree.push(list, kind, "", Span::default()))
    }

    /// A leaf of that name. One that is there with the same value is as good as new.
    pub(super) fn leaf(
        &mut self,
        parent: NodeId,
        name: &str,
        kind: Kind,
        value: Text<'_>,
    ) -> Result<NodeId, Taken> {
        let name = self.tree.intern(name);
        match self.find(parent, name) {
            Some(found) => {
                let text = match value {
                    Text::Borrowed(span) => &self.tree.source().text[span.range()],
                    Text::Decoded(text) => text,
                };
                if self.tree.kind(found) == kind && self.tree.value(found) == text {
                    Ok(found)
                } else {
                    Err(Taken)
                }
            }
            None => {
                let id = self.push(parent, kind, name);
                self.tree.set_value(id, value);
                Ok(id)
            }
        }
    }

    /// A leaf as a new entry of the list of that name.
    pub(super) fn leaf_entry(
        &mut self,
        parent: NodeId,
        name: &str,
        kind: Kind,
        value: Text<'_>,
    ) -> Result<NodeId, Taken> {
        let id = self.entry(parent, name, kind)?;
        self.tree.set_value(id, value);
        Ok(id)
    }
}
