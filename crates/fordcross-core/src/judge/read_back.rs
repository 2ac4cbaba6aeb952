//! Reading the result back as the receiving platform would, in step with the tree that it was written
//! from: every name and value must be the same, be what the receiving profile declares, and have
//! somebody in the ledger who stands for it.

use super::facts::Difference;
use super::shown::{Problem, Shown};
use super::{Gone, Judge, Lost};
use crate::container::Member;
use crate::finding::{Finding, Findings, Suggestion};
use crate::format::EmptyBranch;
use crate::format::bundle::read_bundle;
use crate::ids::EntryId;
use crate::language::profile::{Model, Profile};
use crate::language::typing::TypeId;
use crate::ledger::Ledger;
use crate::opening::{self, Opening};
use crate::scan::automaton::{Automaton, Symbols};
use crate::scan::locator::{Labeler, Trail};
use crate::text::charset::Charset;
use crate::text::source::{Source, Span};
use crate::text::value_cache::ValueCache;
use crate::tree::{Kind, NodeId, Sink, Text, Tree};
use rustc_hash::FxHashMap;

/// The most differences that are listed: each is a mistake of ours or of a rule.
const MAX_DIFFERENCES: usize = 20;

/// What messages call the result.
const NAME: &str = "the result";

/// What must be read.
#[derive(Clone, Copy)]
pub(crate) struct Expected<'e> {
    pub(crate) tree: &'e Tree<'e>,
    pub(crate) ledger: &'e Ledger,
    pub(crate) profile: &'e Profile,
    pub(crate) model: Option<&'e Model>,
    /// Nodes that are the base's own: they are as the unit wrote them, whatever that is.
    pub(crate) kept: &'e [bool],
}

/// What reading the result back gave.
pub(crate) struct ReadBack {
    /// Where it is not what the ledger says.
    pub(crate) differences: Findings,
    /// The nodes that differ; of a result that cannot be read at all, and of what was not written, there is none.
    pub(crate) nodes: Vec<NodeId>,
}

impl ReadBack {
    /// Whether the result must not be handed out.
    pub(crate) fn blocks(&self) -> bool {
        !self.differences.is_empty()
    }

    fn only(finding: Finding) -> Self {
        Self { differences: vec![finding], nodes: Vec::new() }
    }
}

pub(crate) fn read_back(
    files: &[Member],
    charset: Charset,
    expected: &Expected<'_>,
    automaton: &mut Automaton,
) -> ReadBack {
    let Expected { tree, ledger, profile, .. } = *expected;
    let said = Some(charset).filter(|charset| !charset.is_utf8());
    let opening = Opening { charset: said, ..Opening::default() };
    let opened = match (profile.container(), files) {
        (None, [one]) if charset != Charset::UTF_8 => Some(opening::open(NAME, one.bytes.clone(), &opening)),
        (None, _) => None,
        (Some(_), [one]) if one.path.is_empty() => Some(opening::open(NAME, one.bytes.clone(), &opening)),
        (Some(_), files) => Some(opening::open_folder(NAME, files.to_vec(), &opening)),
    };
    let opened = match opened.transpose() {
        Ok(opened) => opened,
        Err(finding) => return ReadBack::only(*finding),
    };
    let text = match (&opened, files) {
        (Some(opened), _) => Ok(opened.text.as_str()),
        (None, [file, ..]) => std::str::from_utf8(&file.bytes),
        (None, []) => Ok(""),
    };
    let Ok(text) = text else {
        return ReadBack::only(Finding::new(Difference::NotUtf8));
    };
    let mut accounted = vec![false; tree.len()];
    for node in
        ledger.landings.iter().map(|landing| landing.node).chain(ledger.origins.iter().map(|row| row.node))
    {
        accounted[node.index()] = true;
    }
    let pieces = opened.as_ref().map_or(&[][..], |opened| &opened.pieces);
    let source = Source { name: NAME, text, pieces, folders: &[], max_nodes: tree.max_nodes(), trace: None };
    let mut comparison = Comparison {
        wanted: expected,
        text,
        tree,
        accounted,
        trail: Trail::new(tree.root(), automaton),
        automaton,
        symbols: Symbols::default(),
        open: Vec::new(),
        expected: Some(tree.root()),
        problems: Vec::new(),
        types: FxHashMap::default(),
        read_to: 0,
        fine: ValueCache::new(),
    };
    // A base spells names as its unit does, and so does what was not touched in it.
    let of_base = !expected.kept.is_empty() && !profile.names.is_plain();
    let events = if of_base { None } else { profile.dialect.read_events(source, &mut comparison) };
    let whole = || -> Result<Tree<'_>, Findings> {
        if profile.format().is_several() {
            return read_bundle(source, &profile.members, None);
        }
        profile.dialect.read(source).map_err(|finding| vec![*finding])
    };
    let read = match events {
        Some(read) => read.map_err(|finding| vec![*finding]).map(|()| {
            // A tree of it is made for the rules alone.
            let is_judged = !profile.rules.is_empty();
            is_judged.then(|| whole().ok()).flatten()
        }),
        None => whole().map(|mut tree| {
            if of_base {
                profile.respell(&mut tree);
            }
            replay(&tree, &mut comparison);
            Some(tree)
        }),
    };
    let read = match read {
        Ok(read) => read,
        Err(differences) => return ReadBack { differences, nodes: Vec::new() },
    };
    if comparison.next_heard().is_some() {
        comparison.problem(NodeId::DOCUMENT, Problem::Said(Difference::EndsEarly));
    }
    let problems = std::mem::take(&mut comparison.problems);
    let nodes = problems.iter().map(|(node, _)| *node).filter(|node| *node != NodeId::DOCUMENT).collect();
    let shown = Shown::new((tree, profile), source, problems.is_empty());
    let mut labels = Labeler::new(tree, &profile.schema, None, comparison.automaton);
    let mut differences: Findings = problems
        .into_iter()
        .map(|(node, problem)| {
            let ty = comparison.types.get(&node).copied().flatten();
            let mut finding = Finding::new(shown.difference(node, ty, problem));
            finding.locator = Some(labels.label(node, comparison.automaton).to_owned());
            finding
        })
        .collect();
    differences.extend(read.and_then(|read| judged_otherwise(expected, &read, comparison.automaton)));
    ReadBack { differences, nodes }
}

/// What was judged must be judged the same when it is read back: what is written may mean something else than what was to
/// be written, by its order for one.
fn judged_otherwise(expected: &Expected<'_>, read: &Tree<'_>, automaton: &mut Automaton) -> Option<Finding> {
    let Expected { tree, profile, model, .. } = *expected;
    if profile.rules.is_empty() {
        return None;
    }
    let mut codes = |tree: &Tree<'_>| {
        let judge = Judge::new(tree, profile, model, automaton);
        let breaches = judge.round(&Gone::default(), &Lost::default());
        let mut codes: Vec<String> = breaches.iter().map(|breached| breached.code(profile)).collect();
        codes.sort_unstable();
        codes
    };
    let (wanted, found) = (codes(tree), codes(read));
    if wanted == found {
        return None;
    }
    let only = found.iter().find(|code| !wanted.contains(code)).or_else(|| found.first());
    let platform = profile.title.clone();
    Some(Finding::new(match only {
        Some(code) => Difference::OtherBreach { platform, code: code.clone() },
        None => Difference::OtherBreaches { platform },
    }))
}

/// Hands the nodes of a document on as a reader of events would.
fn replay(tree: &Tree<'_>, sink: &mut Comparison<'_>) {
    let mut open: Vec<NodeId> = Vec::new();
    let mut next = Some(tree.root());
    while let Some(node) = next {
        next = tree.following(node);
        while open.last().is_some_and(|&last| node >= tree.subtree_end(last)) {
            open.pop();
            sink.close(0);
        }
        let span = tree.span(node);
        match tree.kind(node) {
            Kind::Comment | Kind::Instruction => {}
            // An element with attributes and nothing in it was written from one without text.
            Kind::OwnText if tree.value(node).is_empty() => {}
            kind if kind.is_branch() => {
                sink.open(kind, tree.name(node), span.start as usize);
                open.push(node);
            }
            kind => sink.leaf(kind, tree.name(node), span, Text::Decoded(tree.value(node))),
        }
    }
    open.into_iter().for_each(|_| sink.close(0));
}

struct Comparison<'c> {
    wanted: &'c Expected<'c>,
    text: &'c str,
    tree: &'c Tree<'c>,
    accounted: Vec<bool>,
    trail: Trail,
    automaton: &'c mut Automaton,
    symbols: Symbols,
    open: Vec<NodeId>,
    expected: Option<NodeId>,
    problems: Vec<(NodeId, Problem)>,
    /// The types of settings that differ.
    types: FxHashMap<NodeId, Option<TypeId>>,
    /// How far the text was read.
    read_to: u32,
    /// Values that a type can be.
    fine: ValueCache<'c, ()>,
}

impl<'c> Comparison<'c> {
    fn problem(&mut self, node: NodeId, problem: Problem) {
        if self.problems.len() < MAX_DIFFERENCES {
            if node != NodeId::DOCUMENT && self.tree.kind(node).is_value() {
                let ty = self.setting_type(node);
                self.types.insert(node, ty);
            }
            self.problems.push((node, problem));
        }
    }

    fn differs(&mut self, node: NodeId, difference: Difference) {
        self.problem(node, Problem::Said(difference));
    }

    /// The node that must come now, if kind and name are right.
    fn meet(&mut self, kind: Kind, name: &str, found: &dyn Fn() -> String) -> Option<NodeId> {
        let Some(mut node) = self.expected else {
            if self.problems.is_empty() {
                self.problem(NodeId::DOCUMENT, Problem::More(found(), self.read_to));
            }
            return None;
        };
        while self.is_silent(node) {
            node = self.tree.next_sibling(node)?;
        }
        let same_name = self.open.is_empty() || self.tree.is_entry(node) || self.tree.name(node) == name;
        // In XML and INI a text is a text, whatever the type: the file has nothing else.
        let traits = self.wanted.profile.dialect_at(self.tree, node).format().traits();
        let bare_as_text = !traits.tells_bare && kind == Kind::Text;
        let wanted = self.tree.kind(node);
        let same_kind = wanted == kind || bare_as_text && wanted == Kind::Bare;
        if !same_kind || !same_name {
            self.problem(node, Problem::Other(found(), self.read_to));
            self.expected = None;
            return None;
        }
        Some(node)
    }

    /// Whether an empty cell of that column is there only because each row of a table has all columns.
    fn is_no_cell(&mut self, name: &str) -> bool {
        let Some(&row) = self.open.last() else { return false };
        let traits = self.wanted.profile.dialect_at(self.tree, row).format().traits();
        traits.is_rectangular && self.next_heard().is_none_or(|node| self.tree.name(node) != name)
    }

    /// Whether nothing is heard of the node when the result is read: see [`replay`].
    fn is_silent(&self, node: NodeId) -> bool {
        match self.tree.kind(node) {
            Kind::OwnText => self.tree.value(node).is_empty(),
            Kind::Comment | Kind::Instruction => true,
            _ => false,
        }
    }

    /// The next node that must come in the open branch.
    fn next_heard(&mut self) -> Option<NodeId> {
        while let Some(silent) = self.expected.filter(|&node| self.is_silent(node)) {
            self.expected = self.tree.next_sibling(silent);
        }
        self.expected
    }

    fn entry(&mut self, node: NodeId) -> Option<EntryId> {
        let state = if self.open.is_empty() {
            self.automaton.start()
        } else {
            self.trail.truncate(self.open.len());
            self.trail.enter(node, self.tree, self.automaton, &mut self.symbols)
        };
        self.automaton.accepted(self.automaton.accept_of(state)).entry
    }

    /// The type that the receiving profile declares for a setting.
    fn setting_type(&mut self, node: NodeId) -> Option<TypeId> {
        let entry = self.entry(node)?;
        self.wanted.profile.schema[entry].what.setting()
    }

    fn check_value(&mut self, node: NodeId) {
        let value = self.tree.value(node);
        let new = self.wanted.profile;
        let Some(kind) = self.setting_type(node) else {
            return self.differs(node, Difference::Undeclared);
        };
        if self.fine.find(kind.0.into(), value).is_some() {
            return;
        }
        match new.types.read(kind, value) {
            Ok(read) => {
                let Some(model) = self.wanted.model else {
                    return self.fine.keep(kind.0.into(), value, ());
                };
                let mut unknown = None;
                read.ports(&mut |name| {
                    if !model.ports.iter().any(|port| port.name == name) {
                        unknown = Some(name.to_owned());
                    }
                });
                let Some(name) = unknown else { return self.fine.keep(kind.0.into(), value, ()) };
                let known: Vec<&str> = model.ports.iter().map(|port| port.name.as_str()).collect();
                let (instead, model) = (Suggestion::among(&name, known), model.title.clone());
                self.differs(node, Difference::NoSuchPort { name, model, instead });
            }
            Err(misread) => self.differs(node, Difference::OtherType { expected: misread.expected }),
        }
    }
}

impl Sink for Comparison<'_> {
    fn open(&mut self, kind: Kind, name: &str, at: usize) {
        self.read_to = at as u32;
        let node = self.meet(kind, name, &|| format!("{name}/"));
        if let Some(node) = node {
            self.entry(node);
            self.expected = self.tree.first_child(node);
        }
        self.open.push(node.unwrap_or(NodeId::DOCUMENT));
    }

    fn leaf(&mut self, kind: Kind, name: &str, span: Span, value: Text<'_>) {
        // An object without anything in it is an empty element in XML.
        let empty_object = self.expected.is_some_and(|node| {
            self.tree.kind(node) == Kind::Map
                && self.wanted.profile.dialect_at(self.tree, node).format().traits().empty_branch
                    == EmptyBranch::Value
        });
        if empty_object && matches!(value, Text::Decoded("")) {
            self.open(Kind::Map, name, span.start as usize);
            self.close(span.end as usize);
            return;
        }
        let value = match value {
            Text::Borrowed(span) => &self.text[span.range()],
            Text::Decoded(text) => text,
        };
        if value.is_empty() && self.is_no_cell(name) {
            return;
        }
        self.read_to = span.start;
        let Some(node) = self.meet(kind, name, &|| format!("{name} = {value}")) else { return };
        if self.tree.value(node) != value {
            self.problem(node, Problem::OtherValue(value.to_owned(), span.start));
        } else if !self.accounted[node.index()] {
            self.differs(node, Difference::Unaccounted);
        } else if self.wanted.kept.get(node.index()) != Some(&true) {
            self.check_value(node);
        } else {
            self.entry(node);
        }
        self.expected = self.tree.next_sibling(node);
    }

    fn close(&mut self, _: usize) {
        let node = self.open.pop().unwrap_or(NodeId::DOCUMENT);
        if let Some(missing) = self.next_heard() {
            self.problem(missing, Problem::Missing(self.read_to));
        }
        self.expected = if node == NodeId::DOCUMENT { None } else { self.tree.next_sibling(node) };
    }
}
