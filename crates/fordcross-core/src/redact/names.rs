//! Names of objects that are no values: keys of JSON and YAML, headings of INI, words of statements, elements of XML,
//! names of files.

use super::Hider;
use crate::tree::NodeId;

impl Hider<'_, '_> {
    /// Hides the name of an object where it is spelled. Returns whether it was found.
    pub(super) fn hide_name(&mut self, node: NodeId) -> bool {
        let name = self.tree.name(node);
        if name.trim().is_empty() {
            return false;
        }
        if self.profile.members.is_file(self.tree, node) {
            return self.hide_file(node, name);
        }
        self.hide_spelled(node, "name")
    }

    fn hide_spelled(&mut self, node: NodeId, word: &str) -> bool {
        let name = self.tree.name(node);
        let places = self.profile.dialect_at(self.tree, node).name_spans(self.tree, node);
        if places.is_empty() {
            return false;
        }
        let new = self.instead_of(name, word);
        self.edits.extend(places.into_iter().map(|place| (place, new.clone())));
        true
    }

    /// Hides what is named in place of a secret: a branch is where its value should.
    pub(super) fn hide_names_within(&mut self, node: NodeId, word: &str) {
        let mut way = Vec::new();
        let mut at = node;
        while at != self.tree.root() && at != NodeId::DOCUMENT && !self.is_secret(at) {
            way.push(at);
            at = self.tree.parent(at);
        }
        if at == self.tree.root() || at == NodeId::DOCUMENT {
            return;
        }
        for node in way.into_iter().filter(|&node| !self.tree.is_transparent(node)) {
            if self.within.insert(node) {
                self.hide_spelled(node, word);
            }
        }
    }

    /// Whether a branch is where a secret should.
    fn is_secret(&mut self, node: NodeId) -> bool {
        if let Some(&known) = self.secret_branches.get(&node) {
            return known;
        }
        let way = self.tree.names_on_way(node);
        let mut secret = self.profile.schema.entries.iter().filter(|entry| entry.is_secret);
        let found = secret.any(|entry| entry.pattern.fits(&way));
        self.secret_branches.insert(node, found);
        found
    }

    /// Gives the file that an object is another path.
    fn hide_file(&mut self, node: NodeId, name: &str) -> bool {
        let above =
            |node: &NodeId| Some(self.tree.parent(*node)).filter(|&parent| parent != NodeId::DOCUMENT);
        let above = std::iter::successors(Some(node), above).take_while(|&node| node != self.tree.root());
        let mut place: Vec<&str> = above.map(|node| self.tree.name(node)).collect();
        place.reverse();
        let Some(member) = self.profile.members.of_node(self.tree, node) else { return false };
        let Some(old) = member.path_of(&place) else { return false };
        let new = self.instead_of(name, "name");
        if let Some(last) = place.last_mut() {
            *last = &new;
        }
        let Some(path) = member.path_of(&place) else { return false };
        self.paths.insert(old, path);
        true
    }
}
