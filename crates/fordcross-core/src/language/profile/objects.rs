//! Objects of a profile: their keys, kinds, and what they inherit from.

use super::Release;
use super::asked::asked_at;
use super::facts::ProfileFact;
use super::keys::{read_duplicates, read_range, read_roles};
use super::names::NameRules;
use super::paths::HowMany;
use super::rules::{RawObjectRule, RawRules, read_object_rule};
use super::schema::{Admits, Entry, Inherits, Lookup, ObjectTraits, PathStep, Repeats, Schema, What, Wins};
use crate::declaration::{Section, Word, as_word};
use crate::finding::Suggestion;
use crate::ids::EntryId;
use crate::language::expression::{Expression, OperandKind};
use crate::language::typing::{RawTypes, Types};
use crate::text::source::{LineIndex, Span};
use crate::tree::pattern::{Pattern, Step};
use std::collections::HashMap;
use std::sync::Arc;

/// What the declaration of an object says, with the number of the object.
type OfObject<'r> = (EntryId, Word<'r>);

/// What declarations of objects say that can be checked only once all settings are known.
#[derive(Default)]
pub(super) struct ToCheck<'r> {
    /// Settings that objects name: keys, and what decides whether they let somebody in.
    settings: Vec<(EntryId, String, Span)>,
    /// Names that an order is made of.
    orders: Vec<OfObject<'r>>,
    /// Settings that name what is before them.
    naming: Vec<OfObject<'r>>,
    /// Conditions of kinds.
    kinds: Vec<(EntryId, Span, Arc<Expression>)>,
    /// Paths of objects that others inherit from, with whether these are found by a name.
    templates: Vec<(EntryId, Word<'r>, bool)>,
    /// Settings that name parents, with whether it is said which of several counts.
    wins: Vec<(EntryId, Word<'r>, bool)>,
}

pub(super) fn read_objects<'r>(
    root: &Section<'r, '_>,
    types: &mut RawTypes,
    schema: &mut Schema,
    releases: &[Release],
    names: &mut NameRules,
    lines: &LineIndex<'_>,
    raw: &mut RawRules,
) -> ToCheck<'r> {
    let mut to_check = ToCheck::default();
    // What only has rules adds to what other tables declare, wherever these are.
    let mut only_rules: Vec<(Pattern, (usize, usize), RawObjectRule<'_>, Section<'_, '_>)> = Vec::new();
    let Some(objects) = root.section("object") else { return to_check };
    let mut declarations = Vec::new();
    for (path, value) in objects.members() {
        // Several, where what holds for them changed from one release to another.
        let list = value.get_ref().as_array();
        let one = list.is_none().then_some(value);
        for value in one.into_iter().chain(list.into_iter().flatten()) {
            match objects.as_section(value) {
                Some(section) => declarations.push((path, section)),
                None => objects.report().add(value.span().into(), ProfileFact::ObjectExpected),
            }
        }
    }
    for (path, section) in declarations {
        let declared = raw.declared_path(&objects, path).filter(|declared| {
            let is_below = declared.pattern.steps.last() == Some(&Step::Below);
            if is_below {
                objects.report().add(path.span, ProfileFact::PathForm);
            }
            !is_below
        });
        let rule = read_object_rule(&section, lines);
        let declares = DECLARES.iter().any(|key| section.has(key));
        let roles = read_roles(&section);
        let (pattern, how_many) = declared.map(|declared| (declared.pattern, declared.how_many)).unzip();
        let is_once = how_many.as_ref().is_none_or(|how_many| *how_many == HowMany::Once);
        let (keys, name) = match how_many {
            Some(HowMany::Keyed { keys } | HowMany::Ordered { keys }) => (keys, None),
            Some(HowMany::Named { ty }) => {
                let name = ty.as_deref().unwrap_or("text");
                (Vec::new(), types.find(&objects, Word { text: name, ..path }))
            }
            _ => (Vec::new(), None),
        };
        let range = read_range(&section, releases);
        let admits = read_admits(&section);
        let disabled_if = read_condition(&section, "disabled-if");
        let (expires, component) = (section.word("expires"), section.word("component"));
        let kinds = read_kinds(&section);
        let makes = section.words("virtual-port-kinds");
        let longest_name = section.integer("max-name-bytes");
        let repeats = read_duplicates(&section, &Repeats::OF_OBJECTS);
        if !is_once && keys.is_empty() && name.is_none() && repeats != Repeats::No {
            section.report().add(section.span(), ProfileFact::DuplicatesOfList);
        }
        let (aliases, order) = (section.words("aliases"), section.words("order"));
        let named_first = section.words("declare-first");
        let many = !is_once;
        if let Some(pattern) = pattern {
            let declares = declares || many;
            if !declares && rule.says_something() {
                only_rules.push((pattern, range, rule, section));
                continue;
            }
            let is_length = |number: i64| usize::try_from(number).ok().filter(|&length| length > 0);
            if let Some((number, span)) = longest_name
                && (name.is_none() || is_length(number).is_none())
            {
                section.report().add(span, ProfileFact::LongestName);
            }
            let makes_port = makes.iter().map(|word| word.text.to_owned()).collect();
            for word in makes {
                if !kinds.iter().any(|(kind, _)| kind == word.text) {
                    let known: Vec<&str> = kinds.iter().map(|(kind, _)| kind.as_str()).collect();
                    section.report().add(
                        word.span,
                        ProfileFact::KindUnknown {
                            kind: word.text.to_owned(),
                            instead: Suggestion::among(word.text, known),
                        },
                    );
                }
            }
            let entry = EntryId::new(schema.entries.len());
            let named = admits.iter().filter_map(|(_, setting)| *setting);
            to_check.settings.extend(named.map(|word| (entry, word.text.to_owned(), word.span)));
            to_check.settings.extend(keys.iter().map(|key| (entry, key.clone(), path.span)));
            let kinds: Vec<(String, Arc<Expression>)> = kinds
                .into_iter()
                .map(|(name, word)| {
                    let expression = raw.expression(word);
                    to_check.kinds.push((entry, word.span, Arc::clone(&expression)));
                    (name, expression)
                })
                .collect();
            let inherits = read_inherits(&section, entry, &mut to_check);
            let admits = admits.map(|(admits, _)| admits);
            let reported = disabled_if.iter().map(|(_, setting)| *setting).chain(expires).chain(component);
            to_check.settings.extend(reported.map(|word| (entry, word.text.to_owned(), word.span)));
            let text = |word: Word<'_>| word.text.to_owned();
            let what = What::Object {
                keys,
                name,
                many,
                kinds,
                traits: Box::new(ObjectTraits {
                    named_first: named_first
                        .iter()
                        .map(|word| word.text.split('/').map(str::to_owned).collect())
                        .collect(),
                    longest_name: longest_name.and_then(|(number, _)| is_length(number)),
                    makes_port,
                    admits,
                    disabled_if: disabled_if.map(|(condition, _)| condition),
                    expires: expires.map(text),
                    component: component.map(text),
                }),
                inherits,
                repeats,
                order: order.iter().map(|word| word.text.to_owned()).collect(),
            };
            names.alias(&pattern, aliases.iter().map(|word| word.text.to_owned()).collect());
            to_check.naming.extend(named_first.iter().map(|&word| (entry, word)));
            to_check.orders.extend(order.iter().map(|&word| (entry, word)));

            if rule.says_something() {
                rule.finish(pattern.clone(), range, many, &section, raw);
            }
            let roles = raw.roles(roles, &pattern);
            schema.entries.push(Entry { pattern, what, releases: range, roles, is_secret: false });
        }
        section.finish();
    }
    for (pattern, range, rule, section) in only_rules {
        let of = schema.entries.iter().find(|entry| entry.what.is_object() && entry.pattern.covers(&pattern));
        let many = matches!(of.map(|entry| &entry.what), Some(What::Object { many: true, .. }));
        if of.is_none() {
            // There is one of it, and it has settings: that is an object.
            let what = What::Object {
                keys: Vec::new(),
                name: None,
                many: false,
                kinds: Vec::new(),
                traits: Box::default(),
                inherits: None,
                repeats: Repeats::No,
                order: Vec::new(),
            };
            schema.entries.push(Entry {
                pattern: pattern.clone(),
                what,
                releases: range,
                roles: Vec::new(),
                is_secret: false,
            });
        }
        rule.finish(pattern, range, many, &section, raw);
        section.finish();
    }
    to_check
}

/// The keys of an object by which it declares objects, and does not only say what must hold for them.
const DECLARES: [&str; 14] = [
    "kind",
    "inherits",
    "order",
    "atomic",
    "declare-first",
    "max-name-bytes",
    "virtual-port-kinds",
    "grants-access",
    "disabled-if",
    "expires",
    "component",
    "duplicates",
    "aliases",
    "role",
];

/// `inherits = { parent = "like" }`, with `among` where what is named is of another kind, or
/// `inherits = { defaults = "links/defaults" }`.
fn read_inherits<'r>(
    section: &Section<'r, '_>,
    entry: EntryId,
    to_check: &mut ToCheck<'r>,
) -> Option<Inherits> {
    let table = section.section("inherits")?;
    let (parent, among, defaults) = (table.word("parent"), table.word("among"), table.word("defaults"));
    if parent.is_none() && defaults.is_none() {
        table.report().add(table.span(), ProfileFact::InheritsFromNone);
    }
    if let (None, Some(among)) = (parent, among) {
        table.report().add(among.span, ProfileFact::OfAlone);
    }
    let lists = table.pick_given("lists", &[("replace", false), ("add", true)]);
    let wins = table.pick_given("wins", &[("first", Wins::First), ("last", Wins::Last)]);
    to_check.wins.extend(parent.map(|word| (entry, word, wins.is_some())));
    table.finish();
    to_check.settings.extend(parent.map(|word| (entry, word.text.to_owned(), word.span)));
    to_check.templates.extend(among.map(|word| (entry, word, true)));
    to_check.templates.extend(defaults.map(|word| (entry, word, false)));
    let path = |word: Word<'_>| word.text.split('/').map(str::to_owned).collect();
    Some(Inherits {
        named_by: parent.map(|word| word.text.to_owned()),
        of: among.map(path),
        adds: lists.unwrap_or(false),
        wins: wins.unwrap_or_default(),
        block: defaults.map(path),
    })
}

/// Of several parents it must be said which one counts; of one there is nothing to say.
fn check_wins(root: &Section<'_, '_>, wins: &[(EntryId, Word<'_>, bool)], schema: &Schema) {
    for &(entry, word, is_said) in wins {
        let pattern = schema[entry].pattern.join(&[Step::Names(vec![word.text.to_owned()])]);
        let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
        let Lookup::Declared(setting) = schema.find(&steps) else { continue };
        match (schema[setting].what.is_list(), is_said) {
            (true, false) => root.report().add(word.span, ProfileFact::WinsMissing),
            (false, true) => root.report().add(word.span, ProfileFact::WinsOfOne),
            _ => {}
        }
    }
}

impl ToCheck<'_> {
    pub(super) fn check(&self, root: &Section<'_, '_>, types: &Types, schema: &Schema) {
        check_settings(root, &self.settings, types, schema);
        check_kinds(root, &self.kinds, (schema, types));
        check_wins(root, &self.wins, schema);
        for (entry, word) in &self.orders {
            check_order(root, &schema[*entry].pattern.steps, &[(word.text.to_owned(), word.span)], schema);
        }
        for &(entry, word) in &self.naming {
            check_naming(root, &schema[entry].pattern.steps, word, schema);
        }
        for &(entry, word, by_name) in &self.templates {
            let wanted = if by_name { Wanted::Named } else { Wanted::Single };
            check_objects_at(root, word.text, word.span, wanted, schema);
            if let Some(way) = leads_back(entry, schema) {
                root.report().add(word.span, ProfileFact::InheritsInCircle { way: way.clone() });
            }
        }
    }
}

/// `declare-first = ["vlans/*/link"]` must lead to settings of what is in branches of the object.
fn check_naming(root: &Section<'_, '_>, above: &[Step], word: Word<'_>, schema: &Schema) {
    let fact = match schema.find(&PathStep::from_here(above, word.text)) {
        Lookup::Unknown { depth, known } => {
            let name = word.text.split('/').nth(depth.saturating_sub(above.len())).unwrap_or(word.text);
            return root.report().unknown_path(word.span, "the profile", name, &known);
        }
        Lookup::Declared(entry) => match &schema[entry].what {
            What::Setting { .. }
                if word.text.split('/').nth(1) == Some("*") && word.text.matches('/').count() > 1 =>
            {
                return;
            }
            What::Setting { .. } => ProfileFact::NamedNotInBranch,
            What::Object { .. } => ProfileFact::NamedIsObject,
        },
        Lookup::Above => ProfileFact::NamedUndeclared,
    };
    root.report().add(word.span, fact);
}

/// The names of an order must be declared where it holds.
pub(super) fn check_order(root: &Section<'_, '_>, above: &[Step], order: &[(String, Span)], schema: &Schema) {
    for (name, span) in order {
        // What one of several has, the order may name.
        let mut steps: Vec<PathStep<'_>> = above
            .iter()
            .map(|step| match step {
                Step::Names(names) if names.len() > 1 => PathStep::OneOf(names),
                step => PathStep::from(step),
            })
            .collect();
        steps.push(PathStep::Name(name));
        if let Lookup::Unknown { known, .. } = schema.find(&steps) {
            root.report().unknown_path(*span, "the profile", name, &known);
        }
    }
}

/// What must be at a path.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Wanted {
    /// Objects that one name or key tells from their like.
    Named,
    /// One object.
    Single,
}

/// Tells if a path does not lead to objects that the profile declares, as they are wanted.
pub(super) fn check_objects_at(
    root: &Section<'_, '_>,
    path: &str,
    span: Span,
    wanted: Wanted,
    schema: &Schema,
) {
    let steps: Vec<PathStep<'_>> = path.split('/').map(PathStep::named).collect();
    let fact = match schema.find(&steps) {
        Lookup::Declared(entry) => match (&schema[entry].what, wanted) {
            (What::Object { keys, name, .. }, Wanted::Named) if name.is_some() || keys.len() == 1 => return,
            (What::Object { many: false, .. }, Wanted::Single) => return,
            (What::Object { .. }, Wanted::Named) => ProfileFact::ObjectsUnnamed,
            (What::Object { .. }, Wanted::Single) => ProfileFact::BlockOfSeveral,
            (What::Setting { .. }, Wanted::Named) => ProfileFact::NamedSetting,
            (What::Setting { .. }, Wanted::Single) => ProfileFact::BlockSetting,
        },
        Lookup::Above if wanted == Wanted::Named => ProfileFact::NamedNoObject,
        Lookup::Above => ProfileFact::BlockNoObject,
        Lookup::Unknown { depth, known } => {
            let name = path.split('/').nth(depth).unwrap_or(path);
            return root.report().unknown_path(span, "the profile", name, &known);
        }
    };
    root.report().add(span, fact);
}

/// The way from a kind of objects over those that it inherits from back to itself, by blocks and `of`.
/// Objects that name others of their own kind are looked at in each backup.
fn leads_back(entry: EntryId, schema: &Schema) -> Option<String> {
    let mut way = vec![entry];
    loop {
        let at = *way.last()?;
        let What::Object { inherits: Some(inherits), .. } = &schema[at].what else { return None };
        let path = inherits.of.as_ref().or(inherits.block.as_ref())?;
        let steps: Vec<PathStep<'_>> = path.iter().map(|name| PathStep::named(name)).collect();
        let Lookup::Declared(next) = schema.find(&steps) else { return None };
        let back = way.contains(&next);
        way.push(next);
        if back {
            let names = way.iter().map(|&entry| format!("`{}`", schema[entry].pattern));
            return (next == entry).then(|| names.collect::<Vec<_>>().join(" → "));
        }
    }
}

/// `kind = { bond = "given('members')", port = "true" }`, in the order of the file.
fn read_kinds<'r>(section: &Section<'r, '_>) -> Vec<(String, Word<'r>)> {
    let Some(table) = section.section("kind") else { return Vec::new() };
    let mut kinds = Vec::new();
    for (name, value) in table.members() {
        match as_word(value) {
            Some(word) => kinds.push((name.text.to_owned(), word)),
            None => {
                section.report().add(value.span().into(), ProfileFact::KindCondition);
            }
        }
    }
    kinds
}

/// The conditions of kinds see only what is in and around their objects.
fn check_kinds(
    root: &Section<'_, '_>,
    kinds: &[(EntryId, Span, Arc<Expression>)],
    (schema, types): (&Schema, &Types),
) {
    for (entry, span, expression) in kinds {
        let variables = HashMap::from([("name", OperandKind::Text)]);
        let asked = |path: &str| asked_at((schema, types), &|_| false, &schema[*entry].pattern.steps, path);
        for fact in expression.check(&variables, &asked, OperandKind::Boolean) {
            root.report().add(*span, fact);
        }
        for path in expression.paths() {
            let absolute = path.strip_prefix('/');
            let above = if absolute.is_some() { &[][..] } else { &schema[*entry].pattern.steps };
            let steps = PathStep::from_here(above, absolute.unwrap_or(path));
            if let Lookup::Unknown { depth, known } = schema.find(&steps) {
                let name = match &steps[depth] {
                    PathStep::Name(name) => name,
                    _ => path,
                };
                root.report().unknown_path(*span, "the profile", name, &known);
            }
        }
    }
}

/// `grants-access = "a user"`, and with it `grants-access-if = "action = permit|pass"`.
fn read_admits<'r>(section: &Section<'r, '_>) -> Option<(Admits, Option<Word<'r>>)> {
    let what = section.word("grants-access");
    let only_if = section.word("grants-access-if");
    if let (None, Some(word)) = (what, only_if) {
        section.report().add(word.span, ProfileFact::AdmitsIfAlone);
    }
    let (only_if, setting) = only_if.and_then(|word| condition_of(section, word)).unzip();
    Some((Admits { what: what?.text.to_owned(), only_if }, setting))
}

/// A setting of an object and the values of it with which something holds.
type Condition = (String, Vec<String>);

fn read_condition<'r>(section: &Section<'r, '_>, key: &'static str) -> Option<(Condition, Word<'r>)> {
    condition_of(section, section.word(key)?)
}

/// `SETTING = VALUE|VALUE`, and the word of the setting.
fn condition_of<'r>(section: &Section<'r, '_>, word: Word<'r>) -> Option<(Condition, Word<'r>)> {
    let Some((setting, values)) = word.text.split_once(" = ") else {
        section.report().add(word.span, ProfileFact::AdmitsValue);
        return None;
    };
    let values = values.split('|').map(str::to_owned).collect();
    Some(((setting.to_owned(), values), Word { text: setting, ..word }))
}

/// Each setting that an object names must be declared, and one that may be shown: keys are in locators.
fn check_settings(
    root: &Section<'_, '_>,
    settings: &[(EntryId, String, Span)],
    types: &Types,
    schema: &Schema,
) {
    for (entry, key, span) in settings {
        let pattern = &schema[*entry].pattern;
        let mut path: Vec<PathStep<'_>> = pattern
            .steps
            .iter()
            .map(|step| match step {
                Step::Names(names) => PathStep::Name(&names[0]),
                _ => PathStep::Any,
            })
            .collect();
        path.push(PathStep::Name(key));
        let (pattern, name) = (pattern.to_string(), key.clone());
        let fact = match schema.find(&path) {
            Lookup::Declared(index) => match schema[index].what.setting() {
                Some(kind) if types.is_secret(kind) => ProfileFact::KeySecret { pattern, key: name },
                Some(_) => continue,
                None => ProfileFact::KeyNoSetting { pattern, key: name },
            },
            _ => ProfileFact::KeyUndeclared { pattern, key: name },
        };
        root.report().add(*span, fact);
    }
}
