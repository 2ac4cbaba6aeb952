//! The result judged by the rules of its line, before it is written: what breaks one is taken out or blocks.

use super::CarryInput;
use super::facts::CarryFact;
use crate::account::StepMade;
use crate::finding::{Finding, Findings, Location, Site};
use crate::ids::{PortId, RowId, WentId};
use crate::judge::{
    Cause, Causes, Gone, Judge, Judged, Lost, LostBy, LostPart, Settled, Words, judged, settle,
};
use crate::language::profile::{Profile, Role, What};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Ledger, Wanted, WentFor};
use crate::mapping::Destination;
use crate::merge::{Based, is_of_base};
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Row, RowKind};
use crate::scan::locator::Labeler;
use crate::tree::pattern::Pattern;
use crate::tree::{Kind, NodeId, Tree};
use rustc_hash::FxHashMap;

/// How often a base is merged with what is left, at most: each time something went.
const MOST_MERGES: usize = 8;

/// What judging needs of a carry.
pub(super) struct Judging<'s, 'i, 'a> {
    pub(super) input: &'s CarryInput<'i, 'a>,
    pub(super) steps: &'s mut [StepMade],
    pub(super) automaton: &'s mut Automaton,
    pub(super) findings: Findings,
}

impl<'a> Judging<'_, '_, 'a> {
    /// Judges what was made, merged with the base if there is one; takes out of `made` and the ledger what went.
    pub(super) fn run(&mut self, made: &mut Tree<'a>, ledger: &mut Ledger) -> Option<(Tree<'a>, Based)> {
        follow_ports(ledger);
        for _ in 0..MOST_MERGES {
            let Some(base) = self.input.base else {
                let settled = self.settle(made, ledger, &|_| false);
                take_out(made, ledger, &settled.0, &settled.1, &self.last().new);
                self.findings.extend(settled.1.findings);
                self.report_ports(made, ledger);
                return None;
            };
            let mut trial = ledger.clone();
            let leg = self.input.course.last()?;
            let (merged, based) = Based::new(base, made, &mut trial, leg, self.automaton);
            let is_base = is_of_base(&based, merged.len());
            let (settled, judged) = self.settle(&merged, &trial, &|node| is_base[node.index()]);
            if settled.gone.is_empty() {
                *ledger = trial;
                self.findings.extend(judged.findings);
                self.report_ports(&merged, ledger);
                return Some((merged, based));
            }
            // What went has one finding; the others are about what is left.
            let went = judged
                .findings
                .into_iter()
                .filter(|finding| finding.severity == crate::finding::Severity::Warning);
            self.findings.extend(went);
            let back: FxHashMap<NodeId, NodeId> = based
                .places
                .iter()
                .zip(made.ids())
                .filter_map(|(place, node)| Some(((*place)?, node)))
                .collect();
            let in_made = |node: &NodeId| back.get(node).copied();
            let settled = Settled {
                gone: settled.gone.iter().filter_map(in_made).collect(),
                of: settled.of.iter().filter_map(|(node, number)| Some((in_made(node)?, *number))).collect(),
                ..settled
            };
            if settled.gone.is_empty() {
                *ledger = trial;
                return Some((merged, based));
            }
            let judged = Judged { findings: Findings::new(), ..judged };
            take_out(made, ledger, &settled, &judged, &leg.new);
        }
        None
    }

    fn last(&self) -> &crate::language::course::Leg {
        &self.input.course[self.input.course.len() - 1]
    }

    fn settle(
        &mut self,
        tree: &Tree<'_>,
        ledger: &Ledger,
        is_base: &dyn Fn(NodeId) -> bool,
    ) -> (Settled, Judged) {
        let input = self.input;
        let profile = &input.course[input.course.len() - 1].new;
        if profile.rules.is_empty() {
            return (Settled::default(), Judged::default());
        }
        let lost = Lost::new(self.lost_parts(tree, ledger));
        let mut labels_automaton = self.automaton.clone();
        let old = &input.course[0].old;
        let is_expected = |holder: &Pattern| {
            let had = old.platform == profile.platform && !holder.nodes_in(&input.backup.tree).is_empty();
            had || ledger
                .wanted
                .iter()
                .any(|wanted| wanted.node == tree.root() && holder.leads_to(&wanted.path))
        };
        let judge = Judge::new(tree, profile, input.model, self.automaton).expecting(&is_expected);
        let together = |gone: &Gone| fall_together(&judge, ledger, gone);
        let settled = settle(&judge, lost, is_base, &together);
        if settled.went.is_empty() && settled.left.is_empty() {
            return (settled, Judged::default());
        }
        let causes = Causes::new(ledger);
        let backup = &input.backup.tree;
        let lines = input.backup.lines();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let old_profile = &input.course[0].old;
        let types: Vec<_> = reading.rows.iter().map(|row| row.type_id(old_profile, automaton)).collect();
        let mut old = Labeler::new(backup, &input.course[0].old.schema, Some(&reading.ordinals), automaton);
        let rows = &reading.rows;
        let mut place_of_row = |row: RowId| {
            let node = rows[row.index()].node;
            Site {
                location: Some(Location::indexed(&lines, backup.span(node))),
                locator: Some(old.label(node, automaton).to_owned()),
            }
        };
        let mut new = Labeler::new(tree, &profile.schema, None, &labels_automaton);
        let mut label = |node: NodeId| new.label(node, &mut labels_automaton).to_owned();
        let port = |number: PortId| {
            let name = &ledger.ports[number.index()];
            let word = match input.mapping.port(name) {
                Destination::Leave => "\"leave\"",
                _ => "\"?\"",
            };
            (format!("`{name} = {word}`"), Some(input.mapping.rule(name)))
        };
        let entry = |row: RowId| {
            let kind = types[row.index()]?;
            let value = old_profile.types.read(kind, backup.value(rows[row.index()].node)).ok()?;
            input.mapping.entry_of(&value)
        };
        let mut words =
            Words { place_of_row: &mut place_of_row, label: &mut label, port: &port, entry: &entry };
        let judged = judged(&judge, &settled, &causes, &mut words);
        (settled, judged)
    }

    /// What objects of the new tree should have had and have not.
    fn lost_parts(&self, tree: &Tree<'_>, ledger: &Ledger) -> Vec<LostPart> {
        let mut parts = Vec::new();
        for Wanted { node, path, row } in &ledger.wanted {
            if *node == NodeId::DOCUMENT {
                continue;
            }
            // Said of each object on the way.
            let mut at = Some(*node);
            let mut rest: &str = path;
            let by = LostBy::Row(*row);
            let named_nothing = matches!(ledger.decisions[row.index()].by, DecidedBy::Map(_));
            while let Some(node) = at {
                parts.push(LostPart { node, path: Some(rest.to_owned()), by, named_nothing });
                let Some((name, below)) = rest.split_once('/') else { break };
                at = tree.child(node, name).filter(|&child| tree.kind(child) == Kind::Map);
                rest = below;
            }
        }
        // Where it is not known what a row would have been, it is a part of the object that it is in.
        let profile = &self.last().new;
        if !profile.rules.objects.iter().any(|rule| rule.narrows.is_some()) {
            return parts;
        }
        let mut known: Vec<RowId> = ledger.wanted.iter().map(|wanted| wanted.row).collect();
        known.sort_unstable();
        let reading = &self.steps[0].reading;
        let objects = reading.numbered().filter(|(_, row)| row.kind == RowKind::Object);
        let objects: Vec<RowId> = objects.map(|(id, _)| id).collect();
        for (decision, index) in ledger.decisions.iter().zip(RowId::all(ledger.decisions.len())) {
            let is_lost = matches!(decision.fate, Fate::ByHand | Fate::Unmatched)
                || decision.fate == Fate::LeftOut && matches!(decision.by, DecidedBy::Map(_));
            let row: Row = reading.rows[index.index()];
            if !is_lost || row.kind == RowKind::Object || known.binary_search(&index).is_ok() {
                continue;
            }
            let mut object = row.object;
            while let Some(id) = object {
                let landings = ledger.landings_of(&ledger.decisions[objects[id.index()].index()]);
                let named_nothing = matches!(decision.by, DecidedBy::Map(_));
                let by = LostBy::Row(index);
                let part = |node| LostPart { node, path: None, by, named_nothing };
                parts.extend(landings.iter().map(|landing| part(landing.node)));
                if !landings.is_empty() {
                    break;
                }
                object = reading.objects[id.index()].holder;
            }
        }
        parts
    }

    /// What a port took out that is worth a word of its own: the last member of something, and what the unit is
    /// reached by.
    fn report_ports(&mut self, tree: &Tree<'_>, ledger: &Ledger) {
        let mut found = Findings::new();
        let input = self.input;
        let new = &input.course[input.course.len() - 1].new;
        let old = &input.course[0].old;
        let lines = input.backup.lines();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let mut labels = Labeler::new(&input.backup.tree, &old.schema, Some(&reading.ordinals), automaton);
        let mut reported: Vec<(NodeId, &str)> = Vec::new();
        for wanted in &ledger.wanted {
            let DecidedBy::Map(port) = ledger.decisions[wanted.row.index()].by else { continue };
            let names: Vec<&str> = wanted.path.split('/').collect();
            let Some(place) = place_of(tree, wanted.node, &names, new) else { continue };
            if reported.contains(&(wanted.node, &*wanted.path)) || place {
                continue;
            }
            reported.push((wanted.node, &wanted.path));
            let name = &ledger.ports[port.index()];
            let mut finding = Finding::new(CarryFact::LastMember {
                object: tree.name(wanted.node).to_owned(),
                path: wanted.path.to_string(),
                port: name.clone(),
            });
            let node = reading.rows[wanted.row.index()].node;
            finding.location = Some(Location::indexed(&lines, input.backup.tree.span(node)));
            finding.locator = Some(labels.label(node, automaton).to_owned());
            finding.map = Some(input.mapping.rule(name));
            found.push(finding);
        }
        let rows = reading.rows.iter().zip(&ledger.decisions);
        for (row, decision) in rows {
            let because = matches!(decision.by, DecidedBy::Map(_) | DecidedBy::RuleBroken(_));
            if !because || decision.fate < Fate::LeftOut {
                continue;
            }
            let Some(entry) = automaton.accepted(row.accept).entry else { continue };
            let declared = &old.schema[entry];
            let carries =
                [Role::DefaultRoute, Role::ManagementAddress, Role::AdminLogin, Role::ManagementAccess];
            let role = carries.into_iter().find(|role| {
                declared.roles.iter().any(|(known, when)| {
                    known == role
                        && when.as_ref().is_none_or(|when| {
                            let evaluator = crate::language::expression::Evaluator::new();
                            let scope = crate::scan::surroundings::Scope {
                                tree: &input.backup.tree,
                                profile: old,
                                inheritance: None,
                                node: row.node,
                                pattern: Some(&declared.pattern),
                                evaluator: &evaluator,
                                gone: None,
                                seen: None,
                            };
                            when.holds(&scope)
                        })
                })
            });
            let Some(role) = role else { continue };
            let mut finding = Finding::new(CarryFact::NotReached { what: role.about() });
            finding.location = Some(Location::indexed(&lines, input.backup.tree.span(row.node)));
            finding.locator = Some(labels.label(row.node, automaton).to_owned());
            found.push(finding);
        }
        // Before all else of their severity.
        self.findings.splice(0..0, found);
    }
}

/// What did not arrive because something went with a port went with that port.
fn follow_ports(ledger: &mut Ledger) {
    let causes: Vec<(RowId, Cause)> = {
        let causes = Causes::new(ledger);
        ledger.because.iter().map(|&(row, _)| (row, causes.of_row(row))).collect()
    };
    for (row, cause) in causes {
        let Cause::Port(port) = cause else { continue };
        let decision = &mut ledger.decisions[row.index()];
        decision.fate = Fate::LeftOut;
        decision.by = DecidedBy::Map(port);
        ledger.notes.retain(|note| note.row != Some(row));
    }
}

/// Whether something is left of a list that names others; `None` for what is no such list.
fn place_of(tree: &Tree<'_>, node: NodeId, names: &[&str], new: &Profile) -> Option<bool> {
    let mut path = tree.names_on_way(node);
    path.extend(names);
    let entry = new.schema.entries.iter().find(|entry| entry.pattern.fits(&path))?;
    let refers = new.rules.refers_to(&entry.pattern).is_some();
    if !refers || !entry.what.is_list() || !matches!(entry.what, What::Setting { .. }) {
        return None;
    }
    let mut at = node;
    for name in names {
        match tree.child(at, name) {
            Some(child) => at = child,
            None => return Some(false),
        }
    }
    Some(tree.kind(at) != Kind::List || tree.first_child(at).is_some())
}

/// What one application of a rule wrote stands and falls together.
fn fall_together(judge: &Judge<'_, '_>, ledger: &Ledger, gone: &Gone) -> Vec<(NodeId, NodeId)> {
    let mut falls = Vec::new();
    for decision in ledger.decisions.iter().filter(|decision| matches!(decision.by, DecidedBy::Rule(_))) {
        let landings = ledger.landings_of(decision);
        if landings.len() < 2 {
            continue;
        }
        let went = landings.iter().find(|landing| judge.is_gone(landing.node, gone));
        let Some(went) = went else { continue };
        for landing in landings {
            if judge.tree.kind(landing.node).is_value() && !judge.is_gone(landing.node, gone) {
                falls.push((landing.node, went.node));
            }
        }
    }
    falls
}

/// Takes out of a tree and its ledger what went.
fn take_out(made: &mut Tree<'_>, ledger: &mut Ledger, settled: &Settled, judged: &Judged, profile: &Profile) {
    if settled.gone.is_empty() {
        return;
    }
    let first = ledger.went.len();
    ledger
        .went
        .extend(judged.went.iter().map(|went| WentFor { rule: went.rule.clone(), why: went.why.clone() }));
    let went_with = |tree: &Tree<'_>, node: NodeId| {
        let mut at = node;
        while at != NodeId::DOCUMENT {
            if let Some(&number) = settled.of.get(&at) {
                return Some(number);
            }
            at = tree.parent(at);
        }
        None
    };
    let mut landings = Vec::with_capacity(ledger.landings.len());
    for index in 0..ledger.decisions.len() {
        let decision = &ledger.decisions[index];
        let from = landings.len() as u32;
        let mut number = None;
        for landing in ledger.landings_of(decision) {
            match went_with(made, landing.node) {
                Some(went) => number = number.or(Some(went)),
                None => landings.push(*landing),
            }
        }
        let to = landings.len() as u32;
        let decision = &mut ledger.decisions[index];
        decision.landings = (from, to);
        if let Some(number) = number {
            let went = &judged.went[number];
            if let DecidedBy::Rule(rule) = decision.by {
                ledger.applied.push((decision.step, rule));
            }
            decision.fate = decision.fate.max(went.fate);
            decision.by = match went.port {
                Some(port) => DecidedBy::Map(port),
                None => DecidedBy::RuleBroken(WentId::new(first + number)),
            };
        }
    }
    ledger.landings = landings;
    ledger.origins.retain(|row| went_with(made, row.node).is_none());
    ledger.implied.retain(|row| went_with(made, row.node).is_none());
    ledger.wanted.retain(|wanted| went_with(made, wanted.node).is_none());
    for &node in &settled.gone {
        let mut at = node;
        loop {
            let parent = made.parent(at);
            made.unlink(parent, |child| child == at);
            // A branch that only held what went says nothing; an object without anything in it is still there.
            let names = made.names_on_way(parent);
            let is_object = profile
                .schema
                .entries
                .iter()
                .any(|entry| entry.what.is_object() && entry.pattern.fits(&names));
            let is_list = made.kind(parent) == Kind::List;
            if parent == made.root()
                || parent == NodeId::DOCUMENT
                || made.first_child(parent).is_some()
                || is_object && !is_list
            {
                break;
            }
            at = parent;
        }
    }
}
