//! What nodes are called, and what is around them.

use crate::judge::Judge;
use crate::language::profile::What;
use crate::scan::surroundings::Scope;
use crate::tree::NodeId;
use crate::tree::pattern::Pattern;

impl Judge<'_, '_> {
    /// The first key of the objects of a pattern, if settings tell them apart.
    pub(in crate::judge) fn key_of(&self, pattern: &Pattern) -> Option<&str> {
        self.profile.schema.entries.iter().find_map(|entry| match &entry.what {
            What::Object { keys, .. } if entry.pattern.covers(pattern) => keys.first().map(String::as_str),
            _ => None,
        })
    }

    /// What an object is called: its first key, or the name of its node.
    pub(in crate::judge) fn name_of(&self, node: NodeId, key: Option<&str>) -> &str {
        if self.tree.kind(node).is_value() {
            return self.tree.value(node).trim_ascii();
        }
        let key = key.and_then(|key| self.tree.child(node, key));
        key.map_or(self.tree.name(node), |key| self.tree.value(key).trim_ascii())
    }

    /// The nearest node around one, or itself, that a pattern leads to.
    pub(in crate::judge) fn ancestor(&self, node: NodeId, pattern: &Pattern) -> Option<NodeId> {
        let mut at = node;
        while at != NodeId::DOCUMENT {
            if pattern.fits(&self.names_on_way(at)) {
                return Some(at);
            }
            at = self.tree.parent(at);
        }
        None
    }

    pub(in crate::judge) fn names_on_way(&self, node: NodeId) -> Vec<&str> {
        self.tree.names_on_way(node)
    }

    /// Whether two nodes are the same thing said in two places of one object.
    pub(in crate::judge) fn same_place(&self, one: NodeId, other: NodeId) -> bool {
        self.tree.parent(one) == self.tree.parent(other)
            && !self.tree.is_entry(one)
            && self.tree.kind(one).is_branch()
    }

    /// Whether an object keeps somebody out.
    pub(in crate::judge) fn restricts(&self, node: NodeId, scope: &Scope<'_, '_>) -> bool {
        let names = self.names_on_way(node);
        let rules = self.profile.rules.objects.iter().filter(|rule| rule.restricts_if.is_some());
        rules.filter(|rule| rule.head.pattern.fits(&names)).any(|rule| {
            let around = Scope { pattern: Some(&rule.head.pattern), seen: None, ..*scope };
            rule.restricts_if.as_ref().is_some_and(|when| when.holds(&around))
        })
    }
}
