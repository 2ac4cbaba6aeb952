//! Names that a platform takes for the same: `_` and `-`, letter case, older names.
//!
//! A tree is respelled as the profile spells them before anything else looks at it, so that nothing else
//! has to know.

use super::Profile;
use super::schema::Schema;
use crate::declaration::Section;
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// Which names are the same.
#[derive(Clone, Debug, Default)]
pub(crate) struct NameRules {
    /// Characters that stand for each other.
    alike: String,
    any_case: bool,
    /// Other names of what is at a path: older ones, shorter ones.
    aliases: Vec<(Pattern, Vec<String>)>,
}

impl NameRules {
    /// `equivalent-characters = "-_"` and `case-insensitive = true`.
    pub(super) fn read(&mut self, head: &Section<'_, '_>) {
        self.alike = head.word("equivalent-characters").map(|word| word.text.to_owned()).unwrap_or_default();
        self.any_case = head.boolean("case-insensitive").unwrap_or_default();
    }

    pub(super) fn alias(&mut self, pattern: &Pattern, names: Vec<String>) {
        if !names.is_empty() {
            self.aliases.push((pattern.clone(), names));
        }
    }

    /// Whether every name is only itself.
    pub(crate) fn is_plain(&self) -> bool {
        self.alike.is_empty() && !self.any_case && self.aliases.is_empty()
    }

    /// What all names have in common that are the same.
    fn common(&self, name: &str) -> String {
        let first = self.alike.chars().next();
        let spelled = name.chars().map(|c| first.filter(|_| self.alike.contains(c)).unwrap_or(c));
        if self.any_case { spelled.flat_map(char::to_lowercase).collect() } else { spelled.collect() }
    }
}

impl Profile {
    /// Spells the names of a tree as the profile does.
    pub(crate) fn respell(&self, tree: &mut Tree<'_>) {
        if self.names.is_plain() {
            return;
        }
        let mut spellings: FxHashMap<String, Vec<&str>> = FxHashMap::default();
        for step in self.schema.entries.iter().flat_map(|entry| &entry.pattern.steps) {
            let Step::Names(names) = step else { continue };
            for name in names {
                let known = spellings.entry(self.names.common(name)).or_default();
                if !known.contains(&name.as_str()) {
                    known.push(name);
                }
            }
        }
        // Those above come first, so that paths are spelled right by then.
        let root = tree.root();
        for node in tree.ids().skip(1).filter(|node| *node != root) {
            if tree.is_transparent(node) || !tree.kind(node).is_named() {
                continue;
            }
            let name = tree.name(node);
            let path = path_to(tree, node);
            let above: Vec<&str> = path.iter().map(|&at| tree.name(at)).collect();
            if spells(&self.schema, &above, name) {
                continue;
            }
            let alike = spellings.get(&self.names.common(name)).into_iter().flatten().copied();
            let spelled = alike
                .chain(self.names.aliases.iter().filter_map(|(pattern, names)| {
                    let fits = names.iter().any(|alias| self.names.common(alias) == self.names.common(name));
                    match pattern.steps.last() {
                        Some(Step::Names(real)) if fits => real.first().map(String::as_str),
                        _ => None,
                    }
                }))
                .find(|spelling| spells(&self.schema, &above, spelling));
            if let Some(spelled) = spelled {
                tree.rename(node, spelled);
            }
        }
    }
}

/// What is above a node, the outermost first, without the root.
fn path_to(tree: &Tree<'_>, node: NodeId) -> Vec<NodeId> {
    let mut path = Vec::new();
    let mut at = tree.parent(node);
    while at != tree.root() && at != NodeId::DOCUMENT {
        if !tree.is_transparent(at) {
            path.push(at);
        }
        at = tree.parent(at);
    }
    path.reverse();
    path
}

/// Whether a declaration spells a name just so below a path.
fn spells(schema: &Schema, above: &[&str], name: &str) -> bool {
    schema.entries.iter().any(|entry| {
        let steps = &entry.pattern.steps;
        let fits = |step: &Step, name: &str| match step {
            Step::Names(names) => names.iter().any(|known| known == name),
            Step::Any | Step::Below => true,
        };
        steps.len() > above.len()
            && steps.iter().zip(above).all(|(step, name)| fits(step, name))
            && matches!(&steps[above.len()], Step::Names(names) if names.iter().any(|known| known == name))
    })
}
