//! What holds where a setting is not given.

use super::facts::ProfileFact;
use super::keys::release_index;
use super::rules::RawRules;
use super::schema::Schema;
use super::{InForce, Release};
use crate::declaration::{Section, Word, as_word, as_words};
use crate::language::expression::Expression;
use crate::language::typing::{TypeId, Types};
use crate::tree::pattern::Pattern;
use std::sync::Arc;

/// `default = [["false", "!given('parameters')"], ["true"]]`: the first whose condition holds, seen from the object.
pub(super) fn read_defaults_if(
    section: &Section<'_, '_>,
    value: &toml::Spanned<toml::de::DeValue<'_>>,
    pattern: &Pattern,
    raw: &mut RawRules,
) -> Vec<(String, Option<Arc<Expression>>)> {
    let mut defaults = Vec::new();
    for item in value.get_ref().as_array().into_iter().flatten() {
        let words: Vec<Word<'_>> = as_words(item).unwrap_or_default();
        match words.as_slice() {
            [value] => defaults.push((value.text.to_owned(), None)),
            // Which object it is of is known once all are.
            [value, when] => {
                let above =
                    Pattern { steps: pattern.steps[..pattern.steps.len().saturating_sub(1)].to_vec() };
                let expression = raw.default_condition(*when, above);
                defaults.push((value.text.to_owned(), Some(expression)));
            }
            _ => {
                section.report().add(item.span().into(), ProfileFact::ValueCase);
            }
        }
    }
    defaults
}

/// `[in-force]`: what holds where a setting is not given, for checks alone.
pub(super) fn read_in_force(
    root: &Section<'_, '_>,
    types: &Types,
    releases: &[Release],
    schema: &Schema,
    raw: &RawRules,
) -> Vec<InForce> {
    let Some(section) = root.section("in-force") else { return Vec::new() };
    let mut all = Vec::new();
    for (text, key, value) in section.members_below() {
        let path = if text == key.text { key } else { Word { text: &text, ..key } };
        let Some(pattern) = raw.pattern(&section, path) else { continue };
        let entry = schema
            .entries
            .iter()
            .find(|entry| pattern.covers(&entry.pattern) || entry.pattern.covers(&pattern));
        let Some(kind) = entry.and_then(|entry| entry.what.setting()) else {
            section.report().add(path.span, ProfileFact::NoSetting { path: path.text.to_owned() });
            continue;
        };
        let values = read_values(&section, value, Some(kind), types, releases);
        all.push(InForce { pattern, values });
    }
    all
}

/// `default = "…"`, or `default = { "4.1" = "…", "4.6" = "…" }` where it changed.
pub(super) fn read_defaults(
    section: &Section<'_, '_>,
    ty: Option<TypeId>,
    types: &Types,
    releases: &[Release],
) -> Vec<(usize, String)> {
    let Some(value) = section.raw("default") else { return Vec::new() };
    read_values(section, value, ty, types, releases)
}

/// A value, or a table of releases with the values that hold from them on.
pub(super) fn read_values(
    section: &Section<'_, '_>,
    value: &toml::Spanned<toml::de::DeValue<'_>>,
    ty: Option<TypeId>,
    types: &Types,
    releases: &[Release],
) -> Vec<(usize, String)> {
    let mut words = Vec::new();
    if let Some(word) = as_word(value) {
        words.push((0, word));
    } else if let Some(table) = section.as_section(value) {
        for (release, value) in table.members() {
            match (release_index(section, release, releases), as_word(value)) {
                (Some(index), Some(word)) => words.push((index, word)),
                (_, None) => {
                    section.report().add(value.span().into(), ProfileFact::StringExpected);
                }
                (None, _) => {}
            }
        }
    } else {
        section.report().add(value.span().into(), ProfileFact::DefaultExpected);
    }
    for (_, word) in &words {
        if let Some(Err(misread)) = ty.map(|ty| types.read(ty, word.text)) {
            section.report().add(word.span, ProfileFact::DefaultType { expected: misread.expected.clone() });
        }
    }
    let mut defaults: Vec<(usize, String)> =
        words.into_iter().map(|(index, word)| (index, word.text.to_owned())).collect();
    defaults.sort_by_key(|(index, _)| *index);
    defaults
}
