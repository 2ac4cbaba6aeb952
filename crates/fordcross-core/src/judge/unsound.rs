//! The rules of the platform that a backup is from, judged on the backup itself.
//!
//! A unit that worked cannot have broken what it refuses; what it took and ignored says nothing.

use super::facts::UnsoundFact;
use super::settle::Lost;
use super::{Gone, Judge, Part};
use crate::finding::{Count, Finding, Findings, Location, Severity};
use crate::language::profile::{Breach, Model, OldMeaning, Profile};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::joining::Joined;
use crate::scan::locator::Labeler;
use crate::scan::surroundings::Seen;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// What the old unit did with settings that break one of its rules.
#[derive(Debug, Default)]
pub(crate) struct Overruled {
    /// What it ignored, with the line of the rule that says so.
    pub(crate) ignored: FxHashMap<NodeId, u32>,
    /// What it would have refused, one for each code: nodes, the first of them in order.
    refused: Vec<(String, u32, Vec<NodeId>)>,
    /// What it took and did not do, by code and line of the rule: how often.
    without_effect: FxHashMap<(String, String), usize>,
}

/// Judges a backup by the rules of its own platform, which has joined what it has in pieces.
pub(crate) fn unsound(
    tree: &Tree<'_>,
    joined: Option<&Joined<'_>>,
    profile: &Profile,
    model: Option<&Model>,
    automaton: &mut Automaton,
) -> Overruled {
    let Some(joined) = joined else { return judged(tree, profile, model, automaton) };
    let mut overruled = judged(&joined.tree, profile, model, automaton);
    overruled.ignored =
        overruled.ignored.into_iter().map(|(node, line)| (joined.old_id(node), line)).collect();
    for node in overruled.refused.iter_mut().flat_map(|(.., nodes)| nodes) {
        *node = joined.old_id(*node);
    }
    overruled
}

fn judged(tree: &Tree<'_>, profile: &Profile, model: Option<&Model>, automaton: &mut Automaton) -> Overruled {
    let mut overruled = Overruled::default();
    if profile.rules.is_empty() {
        return overruled;
    }
    let judge = Judge::new(tree, profile, model, automaton);
    for breached in judge.round(&Gone::default(), &Lost::default()) {
        let head = profile.rules.head(breached.rule);
        let group = match &breached.part {
            Part::AtMostOne(group) => {
                let paths = group.iter().flat_map(|path| judge.at(breached.node, &head.pattern, path));
                paths.collect::<Vec<_>>()
            }
            _ => Vec::new(),
        };
        match head.old {
            OldMeaning::Taken => {}
            OldMeaning::Ignored => {
                for node in &breached.takes {
                    judge.each_below(*node, &mut |node| {
                        overruled.ignored.insert(node, head.line);
                    });
                }
            }
            OldMeaning::Last => {
                let last = group.iter().max().copied();
                for node in group.into_iter().filter(|node| Some(*node) != last) {
                    overruled.ignored.insert(node, head.line);
                }
            }
            OldMeaning::Refused => {
                let code = breached.code(profile);
                // What only has no effect is nothing to be said of a backup.
                if breached.breach < Breach::Goes {
                    let rule = format!("{}:{}", profile.file, head.line);
                    *overruled.without_effect.entry((code, rule)).or_default() += 1;
                    continue;
                }
                let node = breached.seen.iter().find_map(|seen| match seen {
                    Seen::There(node) => Some(*node),
                    Seen::Missing(..) => None,
                });
                let node = node.unwrap_or(breached.node);
                match overruled.refused.iter_mut().find(|(known, ..)| *known == code) {
                    Some((.., nodes)) => nodes.push(node),
                    None => overruled.refused.push((code, head.line, vec![node])),
                }
            }
        }
    }
    overruled
}

impl Overruled {
    /// What a platform takes and ignores it ignored before, too: within a platform that is a note.
    pub(crate) fn lower_what_was_so_before(&self, findings: &mut Findings) {
        for finding in findings.iter_mut().filter(|finding| finding.severity == Severity::Warning) {
            let Some(rule) = &finding.rule else { continue };
            let before = self.without_effect.get(&(finding.code_name().to_owned(), rule.clone()));
            if before.is_some_and(|before| finding.count <= *before) {
                finding.severity = Severity::Note;
                finding.was_in_backup = true;
            }
        }
    }

    /// That the backup breaks rules of its own platform, at the places: it was edited, or is torn, or the profile is wrong.
    pub(crate) fn findings(
        &self,
        backup: &Backup<'_>,
        profile: &Profile,
        labels: &mut Labeler<'_, '_>,
        automaton: &mut Automaton,
    ) -> Findings {
        let lines = backup.lines();
        let reported = self.refused.iter().map(|(code, line, nodes)| {
            let mut finding = Finding::new(UnsoundFact::Breaks {
                platform: profile.title.clone(),
                rule: code.clone(),
                places: Count(nodes.len(), "place"),
            });
            finding.rule = Some(format!("{}:{line}", profile.file));
            finding.location = Some(Location::indexed(&lines, backup.tree.span(nodes[0])));
            finding.locator = Some(labels.label(nodes[0], automaton).to_owned());
            finding
        });
        reported.collect()
    }
}

impl Judge<'_, '_> {
    /// The nodes at a path of an object.
    fn at(&self, node: NodeId, pattern: &crate::tree::pattern::Pattern, path: &str) -> Vec<NodeId> {
        let evaluator = crate::language::expression::Evaluator::new();
        let scope = crate::scan::surroundings::Scope {
            tree: self.tree,
            profile: self.profile,
            inheritance: None,
            node,
            pattern: Some(pattern),
            evaluator: &evaluator,
            gone: None,
            seen: None,
        };
        scope.find(path)
    }

    fn each_below(&self, node: NodeId, each: &mut dyn FnMut(NodeId)) {
        each(node);
        let mut work: Vec<NodeId> = self.tree.children(node).collect();
        while let Some(node) = work.pop() {
            each(node);
            work.extend(self.tree.children(node));
        }
    }
}
