//! Checks that look at the rules of a crossing together.

use super::facts::{CrossingFact, Uncovered};
use super::template::known_steps;
use super::{Action, Field, Piece, Place, Rule, TargetName, TargetStep};
use crate::declaration::Report;
use crate::ids::{EntryId, PlaceId};
use crate::language::profile::{Lookup, PathStep, Profile};
use crate::text::source::Span;
use crate::tree::pattern::{Pattern, Step};
use rustc_hash::FxHashSet;

/// Reports each rule that an earlier one leaves nothing for.
pub(super) fn check_hidden(report: &Report<'_>, rules: &[(Span, Rule)], places: &[Place]) {
    for (index, (span, rule)) in rules.iter().enumerate() {
        let Some(needed) = rule.clauses.first() else { continue };
        let hider = rules[..index].iter().find(|(_, earlier)| earlier.takes_all_of(&needed.pattern, places));
        if let Some((_, hider)) = hider {
            report.add(*span, CrossingFact::RuleHidden { line: hider.at.line });
        }
    }
}

/// Tells of two rules of one place that write the same setting, though nothing keeps both from being
/// applied: neither has a condition, and they speak of different settings.
pub(super) fn check_contested(report: &Report<'_>, rules: &[(Span, Rule)]) {
    let mut writers: Vec<(Option<PlaceId>, String, &Rule, &Field)> = Vec::new();
    for (span, rule) in rules {
        let Action::Move(targets) = &rule.action else { continue };
        if rule.when.is_some() {
            continue;
        }
        for target in targets.iter().filter(|target| target.start.is_none()) {
            for field in &target.fields {
                let Some(path) = literal(&target.base, &field.path) else { continue };
                let first = |rule: &Rule| rule.clauses.first().map(|clause| clause.pattern.clone());
                // What is the same in any case contests nothing.
                let is_same = |other: &Field| match (field.template.as_slice(), other.template.as_slice()) {
                    ([Piece::Literal(one)], [Piece::Literal(other)]) => one == other,
                    _ => false,
                };
                let other = writers.iter().find(|(place, written, other, its)| {
                    *place == rule.place && *written == path && first(other) != first(rule) && !is_same(its)
                });
                if let Some((_, _, other, _)) = other {
                    report.add(
                        *span,
                        CrossingFact::ConflictingRules { line: other.at.line, path: path.clone() },
                    );
                }
                writers.push((rule.place, path, rule, field));
            }
        }
    }
}

/// Tells of settings that the new release of a platform has and the old one has not, of which no rule speaks: an old setting
/// may be behind one, that now asks for its own.
pub(super) fn check_uncovered(
    report: &Report<'_>,
    span: Span,
    (old, new): (&Profile, &Profile),
    (rules, places): (&[(Span, Rule)], &[Place]),
    fresh: &[Pattern],
) {
    if old.platform != new.platform {
        return;
    }
    let written: FxHashSet<EntryId> = rules
        .iter()
        .flat_map(|(_, rule)| match &rule.action {
            Action::Move(targets) | Action::Add(targets) | Action::Pin(targets) => targets.as_slice(),
            _ => &[],
        })
        .flat_map(|target| target.fields.iter().map(|field| field.entry))
        .collect();
    let is_new = |releases: (usize, usize)| releases.0 > old.release && releases.0 <= new.release;
    let entries = new.schema.entries.iter().zip((0..new.schema.entries.len()).map(EntryId::new));
    let uncovered: Vec<String> = entries
        .filter(|(entry, number)| {
            let had = || old.schema.entries.iter().any(|known| known.pattern == entry.pattern);
            let is_listed = |one: &Pattern| fresh.iter().any(|pattern| pattern.covers(one));
            let spoken = || each_alone(&entry.pattern).iter().all(is_listed);
            entry.what.setting().is_some()
                && is_new(entry.releases)
                && !written.contains(number)
                && !rules.iter().any(|(_, rule)| is_in_branch(rule, places, old, &entry.pattern))
                && !spoken()
                && !had()
        })
        .map(|(entry, _)| entry.pattern.to_string())
        .collect();
    if uncovered.is_empty() {
        return;
    }
    let release = new.release_name().to_owned();
    report.add(span, CrossingFact::NewUncovered { release, settings: Uncovered(uncovered) });
}

/// The patterns of single names that one stands for.
fn each_alone(pattern: &Pattern) -> Vec<Pattern> {
    let mut all = vec![Pattern::default()];
    for step in &pattern.steps {
        let alone = match step {
            Step::Names(names) => names.iter().map(|name| Step::Names(vec![name.clone()])).collect(),
            step => vec![step.clone()],
        };
        all = all
            .iter()
            .flat_map(|above| alone.iter().map(|step| above.join(std::slice::from_ref(step))))
            .collect();
    }
    all
}

/// Whether a rule that moves a branch writes what is at a path of the new side: the old side has the same below the branch.
fn is_in_branch(rule: &Rule, places: &[Place], old: &Profile, path: &Pattern) -> bool {
    let (Action::Branch(target), [clause]) = (&rule.action, rule.clauses.as_slice()) else { return false };
    let top: [Vec<TargetStep>; 1] = [Vec::new()];
    let ways = match (&target.start, rule.place) {
        (None, Some(place)) if !target.top => places[place.index()].ways.as_slice(),
        (None, _) => top.as_slice(),
        (Some(start), _) => {
            start.places.first().map_or(&[][..], |place| places[place.index()].ways.as_slice())
        }
    };
    let above = &clause.pattern.steps[..clause.pattern.steps.len() - 1];
    ways.iter().any(|way| {
        let to: Vec<PathStep<'_>> = known_steps(way).chain(known_steps(&target.base)).collect();
        let Some((head, rest)) = path.steps.split_at_checked(to.len()) else { return false };
        let fits = |(step, to): (&Step, &PathStep<'_>)| match to {
            PathStep::Name(name) => step.names(name),
            _ => true,
        };
        let before: Vec<PathStep<'_>> = above.iter().chain(rest).map(PathStep::from).collect();
        head.iter().zip(&to).all(fits) && matches!(old.schema.find(&before), Lookup::Declared(_))
    })
}

/// A path of plain names, without new entries of lists.
fn literal(base: &[TargetStep], path: &[TargetStep]) -> Option<String> {
    let names = base.iter().chain(path).map(|step| match &step.name {
        TargetName::Literal(name) if !step.append => Some(name.as_str()),
        _ => None,
    });
    Some(names.collect::<Option<Vec<_>>>()?.join("/"))
}
