//! Checks that look at the rules of a crossing together.

use super::facts::{CrossingFact, Unspoken};
use super::{Action, Place, Rule, TargetName, TargetStep};
use crate::declaration::Report;
use crate::ids::{EntryId, PlaceId};
use crate::language::profile::Profile;
use crate::text::source::Span;
use crate::tree::pattern::Pattern;
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
    let mut writers: Vec<(Option<PlaceId>, String, &Rule)> = Vec::new();
    for (span, rule) in rules {
        let Action::Move(targets) = &rule.action else { continue };
        if rule.when.is_some() {
            continue;
        }
        for target in targets.iter().filter(|target| target.start.is_none()) {
            for field in &target.fields {
                let Some(path) = literal(&target.base, &field.path) else { continue };
                let first = |rule: &Rule| rule.clauses.first().map(|clause| clause.pattern.clone());
                let other = writers.iter().find(|(place, written, other)| {
                    *place == rule.place && *written == path && first(other) != first(rule)
                });
                if let Some((.., other)) = other {
                    report.add(
                        *span,
                        CrossingFact::ConflictingRules { line: other.at.line, path: path.clone() },
                    );
                }
                writers.push((rule.place, path, rule));
            }
        }
    }
}

/// Tells of settings that the new release of a platform has and the old one has not, of which no rule speaks: an old setting
/// may be behind one, that now asks for its own.
pub(super) fn check_unspoken(
    report: &Report<'_>,
    span: Span,
    (old, new): (&Profile, &Profile),
    rules: &[(Span, Rule)],
    fresh: &[Pattern],
) {
    if old.platform != new.platform {
        return;
    }
    let written: FxHashSet<EntryId> = rules
        .iter()
        .flat_map(|(_, rule)| match &rule.action {
            Action::Move(targets) | Action::Add(targets) => targets.as_slice(),
            _ => &[],
        })
        .flat_map(|target| target.fields.iter().map(|field| field.entry))
        .collect();
    let is_new = |releases: (usize, usize)| releases.0 > old.release && releases.0 <= new.release;
    let entries = new.schema.entries.iter().zip((0..new.schema.entries.len()).map(EntryId::new));
    let unspoken: Vec<String> = entries
        .filter(|(entry, number)| {
            let had = || old.schema.entries.iter().any(|known| known.pattern == entry.pattern);
            let spoken = || fresh.iter().any(|pattern| pattern.covers(&entry.pattern));
            entry.what.setting().is_some()
                && is_new(entry.releases)
                && !written.contains(number)
                && !spoken()
                && !had()
        })
        .map(|(entry, _)| entry.pattern.to_string())
        .collect();
    if unspoken.is_empty() {
        return;
    }
    let release = new.release_name().to_owned();
    report.add(span, CrossingFact::NewUnspoken { release, settings: Unspoken(unspoken) });
}

/// A path of plain names, without new entries of lists.
fn literal(base: &[TargetStep], path: &[TargetStep]) -> Option<String> {
    let names = base.iter().chain(path).map(|step| match &step.name {
        TargetName::Literal(name) if !step.append => Some(name.as_str()),
        _ => None,
    });
    Some(names.collect::<Option<Vec<_>>>()?.join("/"))
}
