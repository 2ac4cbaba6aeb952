//! What a person should know of a base beyond what was carried into it.

use super::base::Based;
use crate::automaton::Automaton;
use crate::backup::Backup;
use crate::finding::{Code, Finding, Findings, Place, count};
use crate::locator::Labeler;
use crate::profile::{Admits, Profile, What};
use crate::reading::RowKind;
use crate::tree::NodeId;

/// Whom and what the base lets in though the backup says nothing of it, and how much else it has.
pub(super) fn findings(
    base: &Backup<'_>,
    based: &Based,
    profile: &Profile,
    automaton: &mut Automaton,
) -> Findings {
    let tree = &base.tree;
    let lines = base.lines();
    let reading = &based.reading;
    let mut labels = Labeler::new(tree, &profile.schema, Some(&reading.ordinals), automaton);
    let mut findings = based.findings.clone();
    for row in reading.rows.iter().filter(|row| row.kind == RowKind::Object && !based.met[row.node.index()]) {
        let Some(entry) = automaton.accepted(row.accept).entry else { continue };
        let What::Object { signs, .. } = &profile.schema.entries[entry as usize].what else { continue };
        let Some(admits) = &signs.admits else { continue };
        if !lets_in(base, row.node, admits) {
            continue;
        }
        let message = format!("the base has {} of which the backup says nothing", admits.what);
        let mut finding = Finding::new(Code::BaseAdmits, message)
            .help("it stays as it is; remove it on the new unit if it should not be there");
        finding.place = Some(Place::indexed(&lines, tree.span(row.node)));
        finding.locator = Some(labels.label(row.node, automaton).to_owned());
        findings.push(finding);
    }
    if based.kept_settings > 0 {
        let message = format!(
            "the base has {} of which the backup says nothing; they stay",
            count(based.kept_settings, "setting")
        );
        findings.push(
            Finding::new(Code::BaseBeyond, message).help("`fordcross ledger DIR --fate base` lists them"),
        );
    }
    findings
}

fn lets_in(base: &Backup<'_>, node: NodeId, admits: &Admits) -> bool {
    admits.only_if.as_ref().is_none_or(|(setting, values)| {
        base.tree
            .child(node, setting)
            .is_some_and(|found| values.iter().any(|value| value == base.tree.value(found).trim_ascii()))
    })
}
