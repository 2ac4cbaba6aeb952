//! Which statements a branch is written with, and in which order.

use super::{BlockId, Kind, NodeId, Statement, StatementId, Writer};

/// Something that is written in a block.
pub(super) struct Item {
    /// What it makes, with all that leads there from the block.
    pub(super) path: Vec<NodeId>,
    pub(super) how: How,
    rank: u32,
}

/// How it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum How {
    Comment,
    Statement(StatementId),
    /// By no statement of the grammar.
    Unknown,
}

impl Item {
    pub(super) fn node(&self) -> NodeId {
        self.path.last().copied().unwrap_or(NodeId::DOCUMENT)
    }

    pub(super) fn is_comment(&self) -> bool {
        self.how == How::Comment
    }
}

impl Writer<'_, '_> {
    /// What nodes are written with. What was read is in the order in which it was there, whatever branches it made; what was
    /// not is behind what is before it.
    pub(super) fn in_order(&self, nodes: &[NodeId], block: Option<BlockId>) -> Vec<Item> {
        let mut items = Vec::with_capacity(nodes.len());
        self.gather(nodes, &[], block, &mut items);
        if items.iter().all(|item| item.rank == 0) {
            return items;
        }
        // A comment is said of what is behind it.
        let mut next = u32::MAX;
        for item in items.iter_mut().rev() {
            if item.is_comment() && item.rank == 0 {
                item.rank = next;
            } else if item.rank > 0 {
                next = item.rank;
            }
        }
        let mut before = 0;
        for item in &mut items {
            if item.rank == 0 {
                item.rank = before;
            }
            before = item.rank;
        }
        items.sort_by_key(|item| item.rank);
        items
    }

    fn gather(&self, nodes: &[NodeId], path: &[NodeId], block: Option<BlockId>, items: &mut Vec<Item>) {
        for &node in nodes {
            let mut path = path.to_vec();
            path.push(node);
            let is_branch = self.tree.kind(node).is_branch();
            let how = match self.tree.kind(node) {
                Kind::Instruction => continue,
                Kind::Comment => How::Comment,
                _ if self.is_kept(&path, block) => How::Unknown,
                _ => match self.statement_for(&path, block) {
                    Some(id) if !self.is_parted(id, node, &path, block) => How::Statement(id),
                    None if !is_branch || !self.is_shared(&path, block) => How::Unknown,
                    _ => {
                        let inner: Vec<NodeId> = self.tree.children(node).collect();
                        self.gather(&inner, &path, block, items);
                        continue;
                    }
                },
            };
            items.push(Item { path, how, rank: self.tree.as_read(node).rank });
        }
    }

    /// Whether what is written for an item opens a block.
    pub(super) fn opens(&self, item: &Item) -> bool {
        let How::Statement(id) = item.how else { return false };
        item.path.len() == 1
            && self.tree.kind(item.node()).is_branch()
            && self.grammar.statement(id).block.is_some()
    }

    /// Whether all that is in a branch has statements of this block that were read so, or are before the one for the branch
    /// itself.
    fn is_parted(&self, id: StatementId, node: NodeId, path: &[NodeId], block: Option<BlockId>) -> bool {
        if !self.tree.kind(node).is_branch() || self.read_by(node) == Some(id) || !self.is_shared(path, block)
        {
            return false;
        }
        let is_before = |other: StatementId| {
            self.find(block, &mut |known| (known == other || known == id).then_some(known)) == Some(other)
        };
        let mut children =
            self.tree.children(node).filter(|&child| self.tree.kind(child) != Kind::Comment).peekable();
        children.peek().is_some()
            && children.all(|child| {
                let path: Vec<NodeId> = path.iter().copied().chain([child]).collect();
                let said = self.statement_for(&path, block).filter(|&other| other != id);
                said.is_some_and(|other| self.read_by(child) == Some(other) || is_before(other))
                    || self.is_parted(id, child, &path, block)
            })
    }

    /// The statement that a node was read by, where that is known.
    pub(super) fn read_by(&self, node: NodeId) -> Option<StatementId> {
        let number = self.tree.as_read(node).statement.checked_sub(1)? as usize;
        (number < self.grammar.statements.len()).then_some(StatementId(number))
    }

    /// Whether statements of a block with a longer path begin like this one.
    fn is_shared(&self, path: &[NodeId], block: Option<BlockId>) -> bool {
        let names: Vec<&str> = path.iter().map(|&node| self.tree.name(node)).collect();
        let begins = |statement: &Statement| {
            statement.path.len() > names.len()
                && statement.path.iter().zip(&names).all(|(step, name)| match step.as_literal() {
                    Some(literal) => literal == *name,
                    None => step.read(name, &mut |_, _| true).is_some(),
                })
        };
        self.find(block, &mut |id| begins(self.grammar.statement(id)).then_some(())).is_some()
    }
}
