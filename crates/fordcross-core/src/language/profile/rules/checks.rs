//! Reading `[[check]]`, and checking all that rules say against what the profile declares.

use super::facts::RulesFact;
use super::read::{RawRules, read_breach, read_old, read_wording};
use super::{Breach, Check, Condition, Head, Wording};
use crate::declaration::{Report, Section, Word, as_words};
use crate::ids::EntryId;
use crate::language::expression::{AskedSetting, OperandKind, alternatives};
use crate::language::profile::asked_at;
use crate::language::profile::keys::read_range;
use crate::language::profile::schema::{Entry, Lookup, PathStep, Schema, What};
use crate::language::profile::{InForce, Release};
use crate::language::typing::Types;
use crate::text::source::LineIndex;
use crate::tree::pattern::Pattern;
use std::collections::HashMap;

/// Reads all `[[check]]` of a profile.
pub(crate) fn read_checks(
    root: &Section<'_, '_>,
    releases: &[Release],
    schema: &Schema,
    lines: &LineIndex<'_>,
    raw: &mut RawRules,
) {
    for section in root.sections("check") {
        read_check(&section, releases, schema, lines, raw);
        section.finish();
    }
    for check in &raw.rules.checks {
        if !check.code.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-') {
            root.report().add(root.span(), RulesFact::NoCode { code: check.code.clone() });
        }
    }
}

fn read_check(
    section: &Section<'_, '_>,
    releases: &[Release],
    schema: &Schema,
    lines: &LineIndex<'_>,
    raw: &mut RawRules,
) {
    let at = section.word("at");
    let pattern = match at {
        Some(at) => raw.pattern(section, at),
        None => Some(Pattern::default()),
    };
    let range = read_range(section, releases);
    let breach = read_breach(section);
    let old = read_old(section);
    let noun = section.word("noun").map(|word| word.text.to_owned());
    let line = lines.position(section.span().start).line;
    let about = section.words("about");
    let when = section.word("when");
    let wording = read_wording(section);
    let unique = section.words("unique");
    let cases = read_cases(section);
    let code = section.word("code");
    let that = section.word("that");
    let Some(pattern) = pattern else { return };
    let several = schema.same(&pattern).is_none_or(|entry| match &schema[entry].what {
        What::Object { many, .. } => *many,
        What::Setting { .. } => true,
    });
    let default = if at.is_some() && several { Breach::Goes } else { Breach::Blocks };
    let breach = breach.unwrap_or(default);
    if breach == Breach::Goes && at.is_none() {
        section.report().add(section.span(), RulesFact::WholeCannotGo);
    }
    let head = Head { pattern: pattern.clone(), releases: range, line, breach, old, noun };
    let of_whole = at.is_none();
    let when = when.map(|word| raw.condition(word, &pattern, of_whole));
    let about: Vec<String> = about.into_iter().map(|word| raw.path(word, &pattern)).collect();
    if cases.is_empty() {
        let Some(code) = code else {
            section.need_word("code");
            return;
        };
        let that = match (that, unique.is_empty()) {
            (Some(that), true) => Condition::Holds(raw.condition(that, &pattern, of_whole)),
            (None, false) => {
                Condition::Unique(unique.into_iter().map(|word| raw.path(word, &pattern)).collect())
            }
            _ => {
                section.report().add(section.span(), RulesFact::NoCondition);
                return;
            }
        };
        raw.rules.checks.push(Check {
            head,
            of_whole,
            code: code.text.to_owned(),
            that,
            when,
            about,
            wording,
        });
        return;
    }
    for [code, that, text, remedy] in cases {
        let that = Condition::Holds(raw.condition(that, &pattern, of_whole));
        let said = |word: Word<'_>| (word.text != "-").then(|| word.text.to_owned());
        raw.rules.checks.push(Check {
            head: Head { line: lines.position(code.span.start).line, ..head.clone() },
            of_whole,
            code: code.text.to_owned(),
            that,
            when: when.clone(),
            about: about.clone(),
            wording: Wording { text: said(text), remedy: said(remedy) },
        });
    }
}

/// `cases = [["code", "condition", "what is wrong", "what to do"]]`
fn read_cases<'r>(section: &Section<'r, '_>) -> Vec<[Word<'r>; 4]> {
    let Some(value) = section.raw("cases") else { return Vec::new() };
    let items = value.get_ref().as_array().map(|items| items.iter().collect::<Vec<_>>()).unwrap_or_default();
    if items.is_empty() {
        section.report().add(value.span().into(), RulesFact::CasesExpected);
    }
    let read = |item: &'r toml::Spanned<toml::de::DeValue<'_>>| {
        let four = as_words(item).and_then(|words| <[Word<'r>; 4]>::try_from(words).ok());
        if four.is_none() {
            section.report().add(item.span().into(), RulesFact::FourStrings);
        }
        four
    };
    items.into_iter().filter_map(read).collect()
}

impl RawRules {
    /// Tells what rules ask for that the profile does not know, and conditions that cannot be worked out.
    pub(crate) fn check(&self, report: &Report<'_>, types: &Types, schema: &Schema, in_force: &[InForce]) {
        for (pattern, path, span) in &self.paths {
            check_path(report, pattern, path, *span, schema, self);
        }
        for condition in &self.conditions {
            let around =
                |entry: &&Entry| entry.what.is_object() && entry.pattern.is_around(&condition.pattern);
            let object = schema.entries.iter().filter(around).max_by_key(|entry| entry.pattern.steps.len());
            let pattern = match object.filter(|_| condition.from_object) {
                Some(object) => &object.pattern,
                None => &condition.pattern,
            };
            let variables = HashMap::from([("name", OperandKind::Text), ("kind", OperandKind::Text)]);
            let is_in_force =
                |entry: &Entry| in_force.iter().any(|known| known.pattern.covers(&entry.pattern));
            let asked = |path: &str| {
                // Secrets, and what is asked of the whole, have sentences of their own; else a rule says nothing of an
                // object where it does not know all that it asks for.
                let asked = asked_at((schema, types), &is_in_force, &pattern.steps, path)?;
                (!asked.is_secret).then_some(AskedSetting { has_default: true, ..asked })
            };
            for fact in condition.expression.check(&variables, &asked, OperandKind::Boolean) {
                report.add(condition.span, fact);
            }
            let given: Vec<&str> = condition
                .expression
                .asked()
                .filter(|(asks, _)| *asks == "given")
                .map(|(_, path)| path)
                .collect();
            for (asks, path) in condition.expression.asked().filter(|(asks, _)| *asks != "since") {
                check_path(report, pattern, path, condition.span, schema, self);
                let entry = find(schema, pattern, path, self);
                let Some(entry) = entry.map(|entry| &schema[entry]) else { continue };
                let reads = matches!(asks, "effective" | "values" | "same");
                if reads && entry.what.setting().is_some_and(|kind| types.is_secret(kind)) {
                    report.add(condition.span, RulesFact::SecretAsked { path: path.to_owned() });
                }
                // What is asked of the whole must be known where it is not given.
                let is_known = entry.what.default_at(usize::MAX).is_some()
                    || in_force.iter().any(|known| known.pattern.covers(&entry.pattern));
                if condition.of_whole && asks == "effective" && !is_known && !given.contains(&path) {
                    report.add(condition.span, RulesFact::InForceUnknown { path: path.to_owned() });
                }
            }
        }
        for (pattern, span) in &self.referents {
            let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
            let is_named = match schema.find(&steps) {
                Lookup::Declared(entry) => match &schema[entry].what {
                    What::Object { keys, name, .. } => name.is_some() || keys.len() == 1,
                    What::Setting { .. } => true,
                },
                Lookup::Above => pattern.steps.last() == Some(&crate::tree::pattern::Step::Any),
                Lookup::Unknown { .. } => false,
            };
            if !is_named {
                report.add(*span, RulesFact::NoNamedObjects { pattern: pattern.to_string() });
            }
        }
    }
}

/// What is declared at a path that is seen from objects of a pattern.
fn find(schema: &Schema, pattern: &Pattern, path: &str, raw: &RawRules) -> Option<EntryId> {
    let (above, path) = match path.rsplit_once("->") {
        Some((reference, rest)) => {
            let entry = find(schema, pattern, reference, raw)?;
            let of = raw.rules.refers_to(&schema[entry].pattern)?.objects()?;
            (of.steps.clone(), rest)
        }
        None if path.starts_with('/') => (Vec::new(), path.trim_start_matches('/')),
        None => (pattern.steps.clone(), path),
    };
    alternatives(path).iter().find_map(|path| match schema.find(&PathStep::from_here(&above, path)) {
        Lookup::Declared(entry) => Some(entry),
        _ => None,
    })
}

/// Each path that is asked about must be one that the profile knows, at some release.
fn check_path(
    report: &Report<'_>,
    pattern: &Pattern,
    path: &str,
    span: crate::text::source::Span,
    schema: &Schema,
    raw: &RawRules,
) {
    if path.contains("->") {
        if find(schema, pattern, path, raw).is_none() {
            report.add(span, RulesFact::LeadsToNothing { path: path.to_owned() });
        }
        return;
    }
    let above = if path.starts_with('/') { &[][..] } else { &pattern.steps };
    for path in alternatives(path.trim_start_matches('/')) {
        let steps = PathStep::from_here(above, &path);
        if let Lookup::Unknown { depth, known } = schema.find(&steps) {
            let name = match &steps[depth] {
                PathStep::Name(name) => name,
                _ => path.as_str(),
            };
            report.unknown_path(span, "the profile", name, &known);
        }
    }
}
