//! What of a base is to be written otherwise than it was read.

use crate::tree::NodeId;
use rustc_hash::FxHashSet;

/// What is to be written otherwise than it was read. All are nodes of the base.
#[derive(Debug, Default)]
pub(super) struct Changes {
    /// Leaves with another value.
    pub(super) values: FxHashSet<NodeId>,
    /// Nodes that are another altogether.
    pub(super) whole: FxHashSet<NodeId>,
    /// Branches with something new behind what they held.
    pub(super) grown: FxHashSet<NodeId>,
    /// Elements that are gone.
    pub(super) gone: FxHashSet<NodeId>,
}

impl Changes {
    /// All nodes that something was changed at.
    pub(super) fn nodes(&self) -> impl Iterator<Item = NodeId> + '_ {
        [&self.values, &self.whole, &self.grown, &self.gone].into_iter().flatten().copied()
    }
}
