//! Reading the result back as the receiving line would, in step with the tree that it was written
//! from: every name and value must be the same, be what the receiving profile declares, and have
//! somebody in the ledger who stands for it.

use super::CarryInput;
use crate::automaton::{Automaton, Symbols};
use crate::finding::{Code, Finding, Findings, did_you_mean};
use crate::json::read_json;
use crate::ledger::Ledger;
use crate::locator::{Labeler, Trail};
use crate::profile::What;
use crate::source::{Source, Span};
use crate::tree::{Kind, NodeId, Sink, Text, Tree};

/// The most differences that are told one by one: each is a mistake of ours or of a rule.
const MOST: usize = 20;

pub(super) fn read_back(
    bytes: &[u8],
    input: &CarryInput<'_, '_>,
    tree: &Tree<'_>,
    ledger: &Ledger,
    automaton: &mut Automaton,
) -> Findings {
    let Ok(text) = std::str::from_utf8(bytes) else {
        return vec![Finding::new(Code::ResultDiffers, "the result is not UTF-8 text")];
    };
    let mut accounted = vec![false; tree.len()];
    for node in
        ledger.landings.iter().map(|landing| landing.node).chain(ledger.origins.iter().map(|row| row.node))
    {
        accounted[node.index()] = true;
    }
    let source = Source { name: "the result", text };
    let mut comparison = Comparison {
        input,
        text,
        tree,
        accounted,
        trail: Trail::new(tree.root(), automaton),
        automaton,
        symbols: Symbols::default(),
        open: Vec::new(),
        expected: Some(tree.root()),
        problems: Vec::new(),
    };
    if let Err(finding) = read_json(source, &mut comparison) {
        return vec![*finding];
    }
    if comparison.expected.is_some() {
        comparison.problems.push((NodeId::DOCUMENT, "the result ends before all was written".into(), None));
    }
    let problems = std::mem::take(&mut comparison.problems);
    let mut labels = Labeler::new(tree, &input.new.schema, None, comparison.automaton);
    problems
        .into_iter()
        .map(|(node, message, help)| {
            let mut finding = Finding::new(Code::ResultDiffers, message);
            finding.locator = Some(labels.label(node, comparison.automaton).to_owned());
            finding.help = help;
            finding
        })
        .collect()
}

struct Comparison<'c, 'i, 'a> {
    input: &'c CarryInput<'i, 'a>,
    text: &'c str,
    tree: &'c Tree<'a>,
    accounted: Vec<bool>,
    trail: Trail,
    automaton: &'c mut Automaton,
    symbols: Symbols,
    open: Vec<NodeId>,
    expected: Option<NodeId>,
    problems: Vec<(NodeId, String, Option<String>)>,
}

impl Comparison<'_, '_, '_> {
    fn problem(&mut self, node: NodeId, message: impl Into<String>, help: Option<String>) {
        if self.problems.len() < MOST {
            self.problems.push((node, message.into(), help));
        }
    }

    /// The node that must come now, if kind and name are right.
    fn meet(&mut self, kind: Kind, name: &str) -> Option<NodeId> {
        let node = self.expected?;
        let same_name = self.open.is_empty() || self.tree.is_entry(node) || self.tree.name(node) == name;
        if self.tree.kind(node) != kind || !same_name {
            self.problem(node, "the result has something else here", None);
            self.expected = None;
            return None;
        }
        Some(node)
    }

    fn entry(&mut self, node: NodeId) -> Option<u16> {
        let state = if self.open.is_empty() {
            self.automaton.start()
        } else {
            self.trail.truncate(self.open.len());
            self.trail.enter(node, self.tree, self.automaton, &mut self.symbols)
        };
        self.automaton.accepted(self.automaton.accept_of(state)).entry
    }

    fn check_value(&mut self, node: NodeId, value: &str) {
        let new = self.input.new;
        let entry = self.entry(node).map(|entry| &new.schema.entries[entry as usize].what);
        let Some(kind) = entry.and_then(What::setting) else {
            return self.problem(node, "the receiving profile knows no such setting", None);
        };
        match new.types.read(kind, value) {
            Ok(read) => {
                let Some(model) = self.input.model else { return };
                let mut unknown = None;
                read.ports(&mut |name| {
                    if !model.ports.iter().any(|port| port.name == name) {
                        unknown = Some(name.to_owned());
                    }
                });
                if let Some(name) = unknown {
                    let help = did_you_mean(
                        &name,
                        model.ports.iter().map(|port| port.name.as_str()).collect::<Vec<_>>(),
                    );
                    self.problem(
                        node,
                        format!("it names a port `{name}`, which {} does not have", model.title),
                        Some(help),
                    );
                }
            }
            Err(misread) => self.problem(node, format!("the value is not {}", misread.expected), None),
        }
    }
}

impl Sink for Comparison<'_, '_, '_> {
    fn open(&mut self, kind: Kind, name: &str, _: usize) {
        let node = self.meet(kind, name);
        if let Some(node) = node {
            self.entry(node);
            self.expected = self.tree.first_child(node);
        }
        self.open.push(node.unwrap_or(NodeId::DOCUMENT));
    }

    fn leaf(&mut self, kind: Kind, name: &str, _: Span, value: Text<'_>) {
        let Some(node) = self.meet(kind, name) else { return };
        let value = match value {
            Text::Borrowed(span) => &self.text[span.range()],
            Text::Decoded(text) => text,
        };
        if self.tree.value(node) != value {
            self.problem(node, "the value does not read back as it was written", None);
        } else if !self.accounted[node.index()] {
            self.problem(node, "nothing in the ledger stands behind this", None);
        } else {
            self.check_value(node, value);
        }
        self.expected = self.tree.next_sibling(node);
    }

    fn close(&mut self, _: usize) {
        let node = self.open.pop().unwrap_or(NodeId::DOCUMENT);
        if let Some(missing) = self.expected {
            self.problem(missing, "this is missing from the result", None);
        }
        self.expected = if node == NodeId::DOCUMENT { None } else { self.tree.next_sibling(node) };
    }
}
