//! Locators: how people and reports name a place in a configuration.
//!
//! `links/link[p1]/mtu`, `filter/rule[#3]/do`, `leases/00:00:5e:00:53:07/address`. Keys are in
//! brackets with commas between them, entries that only their order tells apart as `#n`. A name or
//! key that holds one of `/ [ ] , " * # =`, white space or a control character, or is empty, is
//! quoted, with `\` before `"` and `\` and `\u{…}` for control characters. A locator is a label:
//! two nodes may share one, and the second of two objects with the same key has `#2` behind it.

use crate::ids::EntryId;
use crate::language::profile::{Schema, What};
use crate::scan::automaton::{Automaton, State, Symbols};
use crate::text::json_string::write_string;
use crate::tree::{Kind, Name, NodeId, Tree};
use std::fmt::Write as _;

/// Bytes that never make quotes necessary: those of most names.
const PLAIN: [bool; 256] = {
    let mut plain = [false; 256];
    let mut byte = 0;
    while byte < 128 {
        let other = matches!(byte as u8, b'-' | b'_' | b'.' | b':');
        plain[byte] = (byte as u8).is_ascii_alphanumeric() || other;
        byte += 1;
    }
    plain
};

/// Appends a name or key, quoted where it must be. Returns whether it was.
pub(crate) fn push_quoted(text: &str, out: &mut String) -> bool {
    if !text.is_empty() && text.bytes().all(|byte| PLAIN[usize::from(byte)]) {
        out.push_str(text);
        return false;
    }
    let special = |c: char| {
        matches!(c, '/' | '[' | ']' | ',' | '"' | '\\' | '*' | '#' | '=')
            || c.is_whitespace()
            || c.is_control()
    };
    if !text.is_empty() && !text.contains(special) {
        out.push_str(text);
        return false;
    }
    out.push('"');
    for c in text.chars() {
        match c {
            '"' | '\\' => {
                out.push('\\');
                out.push(c);
            }
            c if c.is_control() => {
                let _ = write!(out, "\\u{{{:x}}}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out.push('"');
    true
}

/// Places among like siblings, for locators.
#[derive(Debug, Default)]
pub(crate) struct Ordinals {
    /// A bit a node, since most have none.
    known: Vec<u64>,
    /// In the order of nodes.
    places: Vec<(NodeId, u32)>,
}

impl Ordinals {
    pub(crate) fn of(&self, node: NodeId) -> Option<u32> {
        let bits = self.known.get(node.index() / 64)?;
        if bits >> (node.index() % 64) & 1 == 0 {
            return None;
        }
        let at = self.places.binary_search_by_key(&node, |&(known, _)| known).ok()?;
        Some(self.places[at].1)
    }

    /// Notes which one a node is among its like, from 1. Must be called in the order of nodes.
    pub(crate) fn add(&mut self, node: NodeId, ordinal: u32) {
        let word = node.index() / 64;
        if self.known.len() <= word {
            self.known.resize(word + 1, 0);
        }
        self.known[word] |= 1 << (node.index() % 64);
        self.places.push((node, ordinal));
    }
}

/// A way down the tree with the automaton's states, renewed when the automaton forgets them.
#[derive(Clone, Debug)]
pub(crate) struct Trail {
    levels: Vec<(NodeId, State)>,
    generation: u32,
}

impl Trail {
    /// At the outermost element or value.
    pub(crate) fn new(root: NodeId, automaton: &Automaton) -> Self {
        Self { levels: vec![(root, automaton.start())], generation: automaton.generation() }
    }

    pub(crate) fn node(&self, level: usize) -> NodeId {
        self.levels[level].0
    }

    /// The level of a node, sought from below.
    fn level_of(&self, node: NodeId) -> Option<usize> {
        self.levels.iter().rposition(|&(known, _)| known == node)
    }

    /// Goes back up to `depth` levels.
    pub(crate) fn truncate(&mut self, depth: usize) {
        self.levels.truncate(depth);
    }

    /// Goes down to a child of the last node.
    pub(crate) fn enter(
        &mut self,
        node: NodeId,
        tree: &Tree<'_>,
        automaton: &mut Automaton,
        symbols: &mut Symbols,
    ) -> State {
        if self.generation != automaton.generation() {
            self.renew(tree, automaton, symbols);
        }
        let above = self.levels.last().map_or(automaton.start(), |&(_, state)| state);
        let state = if tree.is_transparent(node) {
            above
        } else {
            automaton.step(above, tree.name_id(node), tree, symbols)
        };
        self.levels.push((node, state));
        state
    }

    /// The state of the last node.
    pub(crate) fn last(&mut self, tree: &Tree<'_>, automaton: &mut Automaton) -> State {
        if self.generation != automaton.generation() {
            self.renew(tree, automaton, &mut Symbols::default());
        }
        self.levels.last().map_or(automaton.start(), |&(_, state)| state)
    }

    fn renew(&mut self, tree: &Tree<'_>, automaton: &mut Automaton, symbols: &mut Symbols) {
        // A build during the renewal may forget once more; the states of one way always fit.
        while self.generation != automaton.generation() {
            self.generation = automaton.generation();
            let mut above = automaton.start();
            for (level, (node, state)) in self.levels.iter_mut().enumerate() {
                if level > 0 && !tree.is_transparent(*node) {
                    above = automaton.step(above, tree.name_id(*node), tree, symbols);
                }
                *state = above;
            }
        }
    }
}

/// Makes locators for nodes of one tree. Quick for nodes near the one asked for before.
#[derive(Clone, Debug)]
pub(crate) struct Labeler<'t, 'a> {
    tree: &'t Tree<'a>,
    schema: &'t Schema,
    ordinals: Option<&'t Ordinals>,
    symbols: Symbols,
    trail: Trail,
    /// What the label was at each level of the trail.
    levels: Vec<Level>,
    label: String,
    /// Whether something in the label is quoted.
    quoted: bool,
    /// The value that was labelled last, which has no level of its own; none after another node.
    value: Option<NodeId>,
    way: Vec<NodeId>,
    steps: Steps,
}

/// The steps of names, each with `/` before it, made when first needed.
#[derive(Clone, Debug, Default)]
struct Steps {
    text: String,
    /// Where each is in the text, and whether it is quoted; empty for what was not made yet.
    known: Vec<(u32, u32, bool)>,
}

impl Steps {
    fn of(&mut self, tree: &Tree<'_>, name: Name) -> (&str, bool) {
        if name.index() >= self.known.len() {
            self.known.resize(name.index() + 1, (0, 0, false));
        }
        let known = &mut self.known[name.index()];
        if known.0 == known.1 {
            known.0 = self.text.len() as u32;
            self.text.push('/');
            known.2 = push_quoted(tree.name_text(name), &mut self.text);
            known.1 = self.text.len() as u32;
        }
        (&self.text[known.0 as usize..known.1 as usize], known.2)
    }
}

#[derive(Clone, Copy, Debug)]
struct Level {
    length: usize,
    quoted: bool,
    /// What is below is in place of a secret: it is not named.
    hides: bool,
}

/// What is in a locator for a name that may be a secret.
const HIDDEN: &str = "(hidden)";

impl<'t, 'a> Labeler<'t, 'a> {
    pub(crate) fn new(
        tree: &'t Tree<'a>,
        schema: &'t Schema,
        ordinals: Option<&'t Ordinals>,
        automaton: &Automaton,
    ) -> Self {
        Self {
            tree,
            schema,
            ordinals,
            symbols: Symbols::default(),
            trail: Trail::new(tree.root(), automaton),
            levels: vec![Level { length: 0, quoted: false, hides: false }],
            label: String::new(),
            quoted: false,
            value: None,
            way: Vec::new(),
            steps: Steps::default(),
        }
    }

    /// The locator of a node; `/` for the outermost one and its own text.
    pub(crate) fn label(&mut self, node: NodeId, automaton: &mut Automaton) -> &str {
        if self.enter_holder(node, automaton) {
            self.push_step(node, None);
        }
        if self.label.is_empty() { "/" } else { &self.label }
    }

    /// Appends the locator of a node as a JSON string.
    pub(crate) fn write_label(&mut self, node: NodeId, automaton: &mut Automaton, out: &mut Vec<u8>) {
        let is_value = self.enter_holder(node, automaton);
        let no_ordinal = self.ordinals.is_none_or(|ordinals| ordinals.of(node).is_none());
        if is_value && !self.quoted && no_ordinal && !self.label.is_empty() && !self.hides() {
            let (step, quoted) = self.steps.of(self.tree, self.tree.name_id(node));
            if !quoted {
                out.push(b'"');
                out.extend_from_slice(self.label.as_bytes());
                out.extend_from_slice(step.as_bytes());
                out.push(b'"');
                return;
            }
        }
        if is_value {
            self.push_step(node, None);
        }
        let label = if self.label.is_empty() { "/" } else { &self.label };
        if self.quoted {
            write_string(label, out);
        } else {
            // What needs no quotes in a locator needs no escapes in a string either.
            out.push(b'"');
            out.extend_from_slice(label.as_bytes());
            out.push(b'"');
        }
    }

    /// Makes the holder of a value the last node of the trail, and of what is no value the node itself; says
    /// whether it is a value. Most nodes are, and hold nothing that would be asked for next: they need no level.
    fn enter_holder(&mut self, node: NodeId, automaton: &mut Automaton) -> bool {
        let holder = self.tree.parent(node);
        let kind = self.tree.kind(node);
        let is_value = kind.is_value()
            && kind != Kind::OwnText
            && self.tree.kind(holder) == Kind::Map
            && node != self.trail.node(0);
        self.enter(if is_value { holder } else { node }, automaton);
        self.value = is_value.then_some(node);
        is_value
    }

    /// Makes a node the last one of the trail.
    fn enter(&mut self, node: NodeId, automaton: &mut Automaton) {
        let Level { length, quoted, .. } = self.levels[self.levels.len() - 1];
        if self.trail.node(self.levels.len() - 1) == node {
            self.label.truncate(length);
            self.quoted = quoted;
            return;
        }
        self.way.clear();
        // Up to the nearest node that is on the trail.
        let mut at = node;
        let shared = loop {
            if let Some(level) = self.trail.level_of(at) {
                break level;
            }
            if at == NodeId::DOCUMENT {
                break 0;
            }
            self.way.push(at);
            at = self.tree.parent(at);
        };
        self.trail.truncate(shared + 1);
        self.levels.truncate(shared + 1);
        let Level { length, quoted, .. } = self.levels[shared];
        self.label.truncate(length);
        self.quoted = quoted;
        for index in (0..self.way.len()).rev() {
            let node = self.way[index];
            let state = self.trail.enter(node, self.tree, automaton, &mut self.symbols);
            let entry = automaton.accepted(automaton.accept_of(state)).entry;
            self.push_step(node, entry);
            let hides = self.hides() || entry.is_some_and(|entry| self.schema[entry].is_secret);
            self.levels.push(Level { length: self.label.len(), quoted: self.quoted, hides });
        }
    }

    /// What the schema declares for the node that was labelled last.
    pub(crate) fn entry(&mut self, automaton: &mut Automaton) -> Option<EntryId> {
        let above = self.trail.last(self.tree, automaton);
        let state = match self.value {
            Some(value) => automaton.step(above, self.tree.name_id(value), self.tree, &mut self.symbols),
            None => above,
        };
        automaton.accepted(automaton.accept_of(state)).entry
    }

    /// Whether what is below the last level is not named.
    fn hides(&self) -> bool {
        self.levels.last().is_some_and(|level| level.hides)
    }

    fn push_step(&mut self, node: NodeId, entry: Option<EntryId>) {
        let is_entry = self.tree.is_entry(node);
        if self.tree.kind(node) == Kind::OwnText {
            return;
        }
        if !is_entry {
            if !self.label.is_empty() {
                self.label.push('/');
            }
            if self.hides() {
                return self.label.push_str(HIDDEN);
            }
            self.quoted |= push_quoted(self.tree.name(node), &mut self.label);
            if self.tree.kind(node) == Kind::List {
                return;
            }
        }
        let keys = match entry.map(|entry| &self.schema[entry].what) {
            Some(What::Object { keys, .. }) => keys.as_slice(),
            _ => &[],
        };
        let has_keys = !keys.is_empty() && keys.iter().all(|key| self.tree.child(node, key).is_some());
        let ordinal = match self.ordinals {
            Some(ordinals) => ordinals.of(node),
            None => is_entry.then(|| self.tree.name_id(node).0),
        };
        if has_keys {
            self.label.push('[');
            for (index, key) in keys.iter().enumerate() {
                if index > 0 {
                    self.label.push(',');
                }
                let value = self.tree.child(node, key).map_or("", |key| self.tree.value(key));
                self.quoted |= push_quoted(value.trim_ascii(), &mut self.label);
            }
            self.label.push(']');
            if let Some(again) = ordinal.filter(|&again| self.ordinals.is_some() && again > 1) {
                let _ = write!(self.label, "#{again}");
            }
        } else if let Some(ordinal) = ordinal {
            let _ = write!(self.label, "[#{ordinal}]");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("mtu", "mtu")]
    #[case("00-00-5e-00-53-07", "00-00-5e-00-53-07")]
    #[case("192.0.2.0/24", "\"192.0.2.0/24\"")]
    #[case("", "\"\"")]
    #[case("a \"b\"\n", "\"a \\\"b\\\"\\u{a}\"")]
    #[case("#3", "\"#3\"")]
    fn quotes_what_could_be_misread(#[case] text: &str, #[case] expected: &str) {
        let mut out = String::new();
        push_quoted(text, &mut out);
        assert_eq!(out, expected);
    }
}
