//! What a person should know of a base beyond what was carried into it.

use super::Based;
use super::facts::BaseFact;
use crate::finding::{Count, Finding, Findings, Location};
use crate::ids::{RowId, StepId};
use crate::language::crossing::Crossing;
use crate::language::profile::{Admits, Profile, What};
use crate::ledger::{BaseOutcome, Ledger, Note};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::RowKind;
use crate::scan::locator::Labeler;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;
use std::sync::Arc;

/// Whom and what the base lets in though the backup says nothing of it, and how much else it has.
pub(crate) fn findings(
    base: &Backup<'_>,
    based: &Based,
    profile: &Profile,
    (crossing, replaced): (&Crossing, &[(NodeId, BaseOutcome)]),
    automaton: &mut Automaton,
) -> Findings {
    let tree = &base.tree;
    let lines = base.lines();
    let reading = &based.reading;
    let mut labels = Labeler::new(tree, &profile.schema, Some(&reading.ordinals), automaton);
    let mut findings = based.findings.clone();
    for row in reading.rows.iter().filter(|row| row.kind == RowKind::Object && !based.met[row.node.index()]) {
        let Some(entry) = automaton.accepted(row.accept).entry else { continue };
        let What::Object { traits, .. } = &profile.schema[entry].what else { continue };
        let Some(admits) = &traits.admits else { continue };
        if !lets_in(base, row.node, admits) {
            continue;
        }
        let mut finding = Finding::new(BaseFact::Admits { what: admits.what.clone() });
        finding.location = Some(Location::indexed(&lines, tree.span(row.node)));
        finding.locator = Some(labels.label(row.node, automaton).to_owned());
        findings.push(finding);
    }
    findings.extend(numbers_taken(base, based, (crossing, replaced), &mut labels, automaton));
    if based.kept_settings > 0 {
        let settings = Count(based.kept_settings, "setting");
        findings.push(Finding::new(BaseFact::Beyond { settings }));
    }
    findings
}

/// Objects of the base that what was made was put into because a number gave both the same name.
fn numbers_taken(
    base: &Backup<'_>,
    based: &Based,
    (crossing, replaced): (&Crossing, &[(NodeId, BaseOutcome)]),
    labels: &mut Labeler<'_, '_>,
    automaton: &mut Automaton,
) -> Findings {
    let numbered = crossing.numbered();
    let tree = &base.tree;
    let outcome =
        |node: &NodeId| replaced.binary_search_by_key(node, |&(node, _)| node).ok().map(|at| replaced[at].1);
    let mut findings = Findings::new();
    if numbered.is_empty() {
        return findings;
    }
    for row in
        based.reading.rows.iter().filter(|row| row.kind == RowKind::Object && based.met[row.node.index()])
    {
        let names = tree.names_on_way(row.node);
        let is_so = |way: &Vec<Option<String>>| {
            let alike =
                |(step, name): (&Option<String>, &&str)| step.as_ref().is_none_or(|step| step == name);
            way.len() == names.len() && way.iter().zip(&names).all(alike)
        };
        if !numbered.iter().any(is_so) {
            continue;
        }
        let below = (row.node.0..tree.subtree_end(row.node).0).map(NodeId);
        let mut values = below.filter(|&node| tree.kind(node).is_value());
        // What has the same in it is the same, or nobody can tell.
        if values.any(|node| !based.met[node.index()] || outcome(&node) == Some(BaseOutcome::Overwritten)) {
            let label = labels.label(row.node, automaton).to_owned();
            let mut finding = Finding::new(BaseFact::NumberTaken { label: label.clone() });
            finding.location = Some(Location::indexed(&base.lines(), tree.span(row.node)));
            finding.locator = Some(label);
            findings.push(finding);
        }
    }
    findings
}

/// What the base says in a file that counts before the one that a setting was written to, and otherwise: for each
/// such row a note.
pub(crate) fn overridden(
    tree: &Tree<'_>,
    based: &Based,
    profile: &Profile,
    ledger: &Ledger,
    step: StepId,
    automaton: &mut Automaton,
) -> Vec<Note> {
    let is_own = |node: NodeId| based.kept.get(node.index()).copied().unwrap_or(false);
    let mut over_of: FxHashMap<NodeId, NodeId> = FxHashMap::default();
    for (over, under) in &profile.meaning.overrides {
        let file = |name: &str| tree.child(tree.root(), name);
        let (Some(over), Some(under)) = (file(over), file(under)) else { continue };
        let values = (over.0..tree.subtree_end(over).0).map(NodeId);
        for node in values.filter(|&node| tree.kind(node).is_value() && is_own(node)) {
            let way = tree.names_on_way(node);
            // The first is the file itself.
            let below = way.iter().skip(1).try_fold(under, |at, name| tree.child(at, name));
            if let Some(below) = below.filter(|&below| !is_own(below)) {
                over_of.insert(below, node);
            }
        }
    }
    if over_of.is_empty() {
        return Vec::new();
    }
    let mut labels = Labeler::new(tree, &profile.schema, None, automaton);
    let mut notes = Vec::new();
    for (decision, row) in ledger.decisions.iter().zip(0..) {
        let landings = &ledger.landings[decision.landings.0 as usize..decision.landings.1 as usize];
        for landing in landings {
            let Some(&over) = over_of.get(&landing.node) else { continue };
            let label = labels.label(over, automaton).to_owned();
            let kind = labels.entry(automaton).and_then(|entry| profile.schema[entry].what.setting());
            let (one, other) = (tree.value(landing.node), tree.value(over));
            if one == other || kind.is_some_and(|kind| profile.types.mean_the_same(kind, Some(one), other)) {
                continue;
            }
            notes.push(Note {
                row: Some(RowId::new(row)),
                step,
                line: None,
                fact: Arc::new(BaseFact::Overrides { label }),
            });
        }
    }
    notes
}

fn lets_in(base: &Backup<'_>, node: NodeId, admits: &Admits) -> bool {
    admits.only_if.as_ref().is_none_or(|(setting, values)| {
        base.tree
            .child(node, setting)
            .is_some_and(|found| values.iter().any(|value| value == base.tree.value(found).trim_ascii()))
    })
}
