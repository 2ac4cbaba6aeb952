//! `[setting]`: the settings that a profile declares.

use super::Release;
use super::defaults::{read_defaults, read_defaults_if};
use super::facts::ProfileFact;
use super::keys::{read_duplicates, read_range_in, read_roles};
use super::names::NameRules;
use super::paths::{DeclaredPath, HowMany};
use super::rules::{RawRules, read_setting_rule};
use super::schema::{Entry, Repeats, Role, Schema, What};
use crate::declaration::{Section, Word};
use crate::language::expression::Expression;
use crate::language::typing::{RawTypes, declare_type, type_at};
use crate::text::source::LineIndex;
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;
use std::sync::Arc;
pub(super) fn read_settings(
    root: &Section<'_, '_>,
    types: &mut RawTypes,
    schema: &mut Schema,
    releases: &[Release],
    names: &mut NameRules,
    lines: &LineIndex<'_>,
    raw: &mut RawRules,
) {
    let Some(section) = root.need_section("setting") else { return };
    // Where the declarations of each pattern are in the schema: mostly one.
    let mut declared: FxHashMap<Pattern, Vec<usize>> = FxHashMap::default();
    for (index, entry) in schema.entries.iter().enumerate() {
        declared.entry(entry.pattern.clone()).or_default().push(index);
    }
    for (text, key, value) in section.members_below() {
        let word = if text == key.text { key } else { Word { text: &text, ..key } };
        let Some(DeclaredPath { pattern, how_many, .. }) = raw.declared_path(&section, word) else {
            continue;
        };
        let is_list = match how_many {
            HowMany::Once => false,
            HowMany::Several => true,
            HowMany::Ordered { .. } | HowMany::Keyed { .. } | HowMany::Named { .. } => {
                section.report().add(key.span, ProfileFact::SettingWithKey);
                continue;
            }
        };
        // A list of declarations is for a setting that changed from one release to another.
        let declarations: Vec<_> = match value.get_ref().as_array() {
            Some(array) => array.iter().collect(),
            None => vec![value],
        };
        for declaration in declarations {
            let around = releases_around(&pattern, schema).unwrap_or((0, releases.len().saturating_sub(1)));
            let read = read_setting(
                &section,
                declaration,
                types,
                releases,
                (&pattern, lines, raw),
                (is_list, around),
            );
            if let Some(Declared { what, range, aliases, roles }) = read {
                names.alias(&pattern, aliases);
                let alike = declared.entry(pattern.clone()).or_default();
                let twice = alike
                    .iter()
                    .map(|&index| &schema.entries[index])
                    .any(|entry| entry.releases.0 <= range.1 && range.0 <= entry.releases.1);
                alike.push(schema.entries.len());
                if twice {
                    section.report().add(key.span, ProfileFact::DeclaredTwice { key: key.text.to_owned() });
                }
                schema.entries.push(Entry {
                    pattern: pattern.clone(),
                    what,
                    releases: range,
                    roles,
                    is_secret: false,
                });
            }
        }
    }
}

/// The releases that have the object that something is in.
fn releases_around(pattern: &Pattern, schema: &Schema) -> Option<(usize, usize)> {
    let around = |entry: &&Entry| {
        entry.what.is_object()
            && entry.pattern.steps.len() < pattern.steps.len()
            && entry.pattern.is_around(pattern)
    };
    let mut around = schema.entries.iter().filter(around);
    let first = around.next()?;
    let inner =
        around.fold(
            first,
            |inner, entry| {
                if entry.pattern.steps.len() > inner.pattern.steps.len() { entry } else { inner }
            },
        );
    Some(inner.releases)
}

/// A setting as it was declared.
struct Declared {
    what: What,
    range: (usize, usize),
    aliases: Vec<String>,
    roles: Vec<(Role, Option<Arc<Expression>>)>,
}

fn read_setting(
    section: &Section<'_, '_>,
    value: &toml::Spanned<toml::de::DeValue<'_>>,
    types: &mut RawTypes,
    releases: &[Release],
    (pattern, lines, raw): (&Pattern, &LineIndex<'_>, &mut RawRules),
    (is_list, around): (bool, (usize, usize)),
) -> Option<Declared> {
    let listed = if is_list { Repeats::All } else { Repeats::No };
    if value.get_ref().is_str() {
        let ty = type_at(section, value, types)?;
        let range = around;
        let what = What::Setting {
            ty,
            repeats: listed,
            attribute: false,
            identity: false,
            defaults: Vec::new(),
            defaults_if: Vec::new(),
            weakens: Vec::new(),
            mapped: true,
        };
        return Some(Declared { what, range, aliases: Vec::new(), roles: Vec::new() });
    }
    let Some(declaration) = section.as_section(value) else {
        section.report().add(value.span().into(), ProfileFact::TypeExpected);
        return None;
    };
    let ty = declare_type(&declaration, types);
    let duplicates = read_duplicates(&declaration, &Repeats::OF_SETTINGS);
    if is_list && duplicates != Repeats::No {
        declaration.report().add(declaration.span(), ProfileFact::DuplicatesOfList);
    }
    let repeats = if is_list { Repeats::All } else { duplicates };
    let aliases = declaration.words("aliases").into_iter().map(|word| word.text.to_owned()).collect();
    let identity = declaration.boolean("unit-identity").unwrap_or(false);
    let range = read_range_in(&declaration, releases, around);
    let mapped = declaration.boolean("mapped").unwrap_or(true);
    let weakens = declaration.words("weakens").into_iter().map(|word| word.text.to_owned()).collect();
    let roles = read_roles(&declaration);
    let identity = identity || roles.iter().any(|(role, when)| *role == Role::Identity && when.is_none());
    let above = Pattern { steps: pattern.steps[..pattern.steps.len().saturating_sub(1)].to_vec() };
    let roles = raw.roles(roles, &above);
    read_setting_rule(&declaration, pattern, range, lines, raw);
    let (defaults, defaults_if) = match declaration.raw("default") {
        Some(value) if value.get_ref().is_array() => {
            (Vec::new(), read_defaults_if(&declaration, value, pattern, raw))
        }
        _ => (read_defaults(&declaration, ty, &types.types, releases), Vec::new()),
    };
    declaration.finish();
    let what = What::Setting {
        ty: ty?,
        repeats,
        attribute: false,
        identity,
        defaults,
        defaults_if,
        weakens,
        mapped,
    };
    Some(Declared { what, range, aliases, roles })
}
