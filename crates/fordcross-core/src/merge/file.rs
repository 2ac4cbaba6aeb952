//! One file of a base.

use super::changes::Changes;
use crate::format::form::Writing;
use crate::text::source::Span;
use crate::tree::{NodeId, Tree};

/// One file of a base, and what the rewriting of it depends on.
#[derive(Clone, Copy)]
pub(super) struct File<'f> {
    pub(super) changes: &'f Changes,
    pub(super) base: &'f Tree<'f>,
    /// The base's tree with the changes made, in which its nodes have the ids that they have in the base.
    pub(super) tree: &'f Tree<'f>,
    /// Nodes of the base in which something changed.
    pub(super) touched: &'f [bool],
    pub(super) writing: &'f Writing,
    /// What is below this node stands in that span.
    pub(super) top: NodeId,
    pub(super) span: Span,
}

impl<'f> File<'f> {
    /// The text of the base up to the end of the file, so that places in the base are places in it.
    pub(super) fn text(&self) -> &'f str {
        &self.base.source().text[..self.span.end as usize]
    }
}
