//! Findings of a conversion, with their places in the backup.

use super::facts::{CarryFact, OldName, OldNames};
use super::{Carried, CarryInput};
use crate::account::StepMade;
use crate::finding::{Code, Count, Finding, Findings, Location};
use crate::ids::RowId;
use crate::judge::limits;
use crate::ledger::DecidedBy;
use crate::ledger::fate::Origin;
use crate::mapping::{Destination, LeftOver, Proposal};
use crate::redact::mark_in;
use crate::scan::inventory::RowKind;
use crate::scan::locator::Labeler;
use crate::scan::secrets::Secrets;
use crate::tree::NodeId;
use rustc_hash::FxHashMap;

impl Carried<'_, '_> {
    /// What the result has beyond what the receiving platform and model take.
    pub(super) fn beyond_limits(&mut self) -> Findings {
        let new = &self.input.course[self.input.course.len() - 1].new;
        let Some(result) = self.trees.last() else { return Findings::new() };
        let too_long = limits::names_too_long(result, new);
        let beyond =
            self.input.model.map_or_else(Findings::new, |model| limits::too_many(result, model, new));
        if too_long.is_empty() {
            return beyond;
        }
        // The first row of the backup that lands at each node.
        let mut rows: FxHashMap<NodeId, usize> = FxHashMap::default();
        for (row, decision) in self.ledger.decisions.iter().enumerate() {
            for landing in &self.ledger.landings[decision.landings.0 as usize..decision.landings.1 as usize] {
                rows.entry(landing.node).or_insert(row);
            }
        }
        let tree = &self.input.backup.tree;
        let lines = self.input.backup.lines();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let schema = &self.input.course[0].old.schema;
        let mut labels = Labeler::new(tree, schema, Some(&reading.ordinals), automaton);
        let place = |(node, mut finding): (NodeId, Finding)| {
            if let Some(&row) = rows.get(&node) {
                let node = reading.rows[row].node;
                finding.location = Some(Location::indexed(&lines, tree.span(node)));
                finding.locator = Some(labels.label(node, automaton).to_owned());
            }
            finding
        };
        too_long.into_iter().map(place).chain(beyond).collect()
    }

    /// Old defaults in the result that weaken the new system, as far as its profile tells.
    pub(super) fn weakening_pins(&mut self) -> Findings {
        let new = &self.input.course[self.input.course.len() - 1].new;
        let Some(tree) = self.trees.last() else { return Findings::new() };
        let mut labels = Labeler::new(tree, &new.schema, None, &self.new_automaton);
        let pinned = self.ledger.origins.iter().filter(|row| row.origin == Origin::Pinned);
        let weakening = pinned.filter_map(|row| {
            let label = labels.label(row.node, &mut self.new_automaton).to_owned();
            let entry = labels.entry(&mut self.new_automaton)?;
            let value = tree.value(row.node);
            let mut finding = new.weakens(entry, value).then(|| {
                Finding::new(CarryFact::Weakening { label: label.clone(), value: value.to_owned() })
            })?;
            finding.locator = Some(label);
            Some(finding)
        });
        weakening.collect()
    }

    /// That the backup is a copy whose secrets are hidden.
    pub(super) fn redacted_copy(&self) -> Option<Finding> {
        let StepMade { automaton, reading, .. } = &self.steps[0];
        let tree = &self.input.backup.tree;
        let node = mark_in(tree, self.old(), automaton, reading)?;
        let mut labels = Labeler::new(tree, &self.old().schema, Some(&reading.ordinals), automaton);
        let mut finding = Finding::new(CarryFact::RedactedCopy);
        finding.location = Some(Location::indexed(&self.input.backup.lines(), tree.span(node)));
        finding.locator = Some(labels.label(node, &mut automaton.clone()).to_owned());
        Some(finding)
    }

    /// The rows that are carried with old names in a free text or in a value that is kept whole, and those names; and whether the text may
    /// be shown.
    fn old_names_left(&self) -> Vec<(RowId, Vec<LeftOver>, bool)> {
        if self.input.mapping.renames_nothing() {
            return Vec::new();
        }
        let types = &self.old().types;
        let StepMade { automaton, reading, .. } = &self.steps[0];
        let rows = reading.numbered().zip(&self.ledger.decisions);
        let left = rows.filter_map(|((index, row), decision)| {
            let lands = decision.landings.0 < decision.landings.1;
            let kind = row.type_id(self.old(), automaton);
            let is_kept_whole =
                |kind| types.is_free_text(kind) || types.is_secret(kind) || types.is_host(kind);
            if row.kind != RowKind::Setting || !lands || kind.is_some_and(|kind| !is_kept_whole(kind)) {
                return None;
            }
            let mut names = self.input.mapping.old_names_in(self.input.backup.tree.value(row.node));
            if names.is_empty() {
                return None;
            }
            // A rule may have taken the text apart, and have mapped what it found.
            let tree = self.trees.last()?;
            let landings = &self.ledger.landings[decision.landings.0 as usize..decision.landings.1 as usize];
            let written: Vec<LeftOver> = landings
                .iter()
                .filter(|landing| tree.kind(landing.node).is_value())
                .flat_map(|landing| self.input.mapping.old_names_in(tree.value(landing.node)))
                .collect();
            names.retain(|name| written.contains(name));
            let shown = kind.is_some_and(|kind| types.is_open(kind));
            (!names.is_empty()).then_some((index, names, shown))
        });
        left.collect()
    }

    /// What a person has to set, or loses, as far as it may be shown: without it one would look each up in the backup.
    fn open_values(&self) -> FxHashMap<RowId, String> {
        let StepMade { automaton, reading, .. } = &self.steps[0];
        let (tree, profile) = (&self.input.backup.tree, self.old());
        let open = self.ledger.notes.iter().filter_map(|note| {
            let row = note.row.filter(|_| matches!(note.fact.code(), Code::ByHand | Code::Dropped))?;
            let shown = reading.row(row);
            let value = tree.value(shown.node);
            let kind = shown.type_id(profile, automaton).filter(|_| shown.kind == RowKind::Setting);
            kind.is_some_and(|kind| profile.types.shows(kind, value)).then_some((row, value))
        });
        let open: Vec<(RowId, &str)> = open.filter(|(_, value)| !value.is_empty()).collect();
        if open.is_empty() {
            return FxHashMap::default();
        }
        let secrets = Secrets::of(&[(tree, profile, automaton, reading)]);
        open.into_iter().map(|(row, value)| (row, secrets.hidden_in(value).into_owned())).collect()
    }

    /// What the ports, the texts and the rules of a carry gave cause to say, in the order of the backup.
    pub(super) fn gather_findings(&mut self) -> Findings {
        let left = self.old_names_left();
        let tree = &self.input.backup.tree;
        let lines = self.input.backup.lines();
        let values = self.open_values();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let mut labels =
            Labeler::new(tree, &self.input.course[0].old.schema, Some(&reading.ordinals), automaton);
        let mut findings = Vec::new();
        let mut place = |finding: &mut Finding, row: RowId| {
            let node = reading.row(row).node;
            finding.location = Some(Location::indexed(&lines, tree.span(node)));
            finding.locator = Some(labels.label(node, automaton).to_owned());
        };
        // For each port the first row that it takes out, and how many settings.
        let mut taken: Vec<Option<(RowId, usize)>> = vec![None; self.ledger.ports.len()];
        for (row, decision) in RowId::all(self.ledger.len()).zip(&self.ledger.decisions) {
            if let DecidedBy::Map(port) = decision.by {
                let (_, settings) = taken[port.index()].get_or_insert((row, 0));
                *settings += usize::from(reading.row(row).kind == RowKind::Setting);
            }
        }
        let why: FxHashMap<&str, &Proposal> =
            self.input.proposals.iter().map(|proposal| (&*proposal.old, proposal)).collect();
        for (name, taken) in self.ledger.ports.iter().zip(taken) {
            let Some((first, settings)) = taken else { continue };
            let mut finding = port_finding(&self.input, name, settings, why.get(name.as_str()).copied());
            place(&mut finding, first);
            findings.push(finding);
        }
        for (row, names, shown) in left {
            // What is no open value is not shown, not even a part of it.
            let old_name = |name: LeftOver| OldName {
                found: (shown && name.found != name.entry).then(|| name.found.clone()),
                entry: name.entry,
            };
            let names = OldNames(names.into_iter().map(old_name).collect());
            let mut finding = Finding::new(CarryFact::OldNames { names });
            place(&mut finding, row);
            findings.push(finding);
        }
        for note in &self.ledger.notes {
            let mut finding = Finding::shared(note.fact.clone());
            if let Some(line) = note.line {
                let crossing = &self.input.course[note.step.index()].crossing;
                finding.rule = Some(format!("{}:{line}", crossing.file));
            }
            if let Some(row) = note.row {
                place(&mut finding, row);
                finding.value = values.get(&row).cloned();
            }
            findings.push(finding);
        }
        findings
    }
}

fn port_finding(
    input: &CarryInput<'_, '_>,
    name: &str,
    settings: usize,
    proposal: Option<&Proposal>,
) -> Finding {
    if *input.mapping.port(name) == Destination::Leave {
        let settings = Count(settings, "setting");
        return Finding::new(CarryFact::PortLeft { port: name.to_owned(), settings });
    }
    let why = proposal.map_or("not in the map", |proposal| &proposal.why);
    // As many as `map` says: what hangs on it.
    let settings = proposal.map_or(settings, |proposal| proposal.settings);
    let (port, why) = (name.to_owned(), why.to_owned());
    Finding::new(CarryFact::PortOpen { port, settings: Count(settings, "setting"), why })
}
