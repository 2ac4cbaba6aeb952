//! Reading the rules that are at objects and settings.

use super::facts::RulesFact;
use super::{
    Bounds, Breach, Head, Narrows, ObjectRule, OldMeaning, Referent, Required, Rules, SettingRule, Unique,
    Wording,
};
use crate::declaration::{Section, Word, as_word, as_words, parse_pattern};
use crate::language::expression::{Expression, NamedExpressions, NamedFact};
use crate::language::profile::schema::Role;
use crate::text::source::{LineIndex, Span};
use crate::tree::pattern::Pattern;
use std::sync::Arc;
use toml::Spanned;
use toml::de::DeValue;

/// An expression with where it is and what its paths are seen from, to be checked once all settings are known.
#[derive(Debug)]
pub(crate) struct RawCondition {
    pub(crate) expression: Arc<Expression>,
    pub(crate) pattern: Pattern,
    pub(crate) span: Span,
    /// It is asked once, of the whole.
    pub(crate) of_whole: bool,
    /// The pattern is that of a branch, and it is seen from the object around that.
    pub(crate) from_object: bool,
}

/// The rules of a profile while it is read, with what is to be checked in the end.
#[derive(Debug, Default)]
pub(crate) struct RawRules {
    pub(crate) rules: Rules,
    pub(crate) conditions: Vec<RawCondition>,
    /// Paths that must be known, each seen from objects of a pattern.
    pub(crate) paths: Vec<(Pattern, String, Span)>,
    /// Paths of objects that something names.
    pub(crate) referents: Vec<(Pattern, Span)>,
    /// Paths with names of their own: `<interface>/routes`.
    pub(crate) named: Vec<(String, String)>,
    /// Expressions with names.
    pub(crate) expressions: NamedExpressions,
    /// How these are used wrongly.
    pub(crate) misused: Vec<(Span, NamedFact)>,
}

impl RawRules {
    /// A path with the named ones in it written out.
    pub(in crate::language::profile) fn expand(&self, text: &str) -> String {
        let put = |text: String, (name, path): &(String, String)| text.replace(&format!("<{name}>"), path);
        self.named.iter().fold(text.to_owned(), put)
    }

    /// An expression with the named paths and expressions in it written out.
    pub(in crate::language::profile) fn expression(&mut self, word: Word<'_>) -> Arc<Expression> {
        let text = self.expand(word.text);
        let written = self.expressions.expand(&text, &|name| name == "name");
        let expression = match written {
            Ok(written) => Expression::new(&written),
            Err(fact) => {
                self.misused.push((word.span, fact));
                Expression::new(&text)
            }
        };
        Arc::new(expression)
    }

    /// A pattern in which named paths may be.
    pub(crate) fn pattern(&self, section: &Section<'_, '_>, word: Word<'_>) -> Option<Pattern> {
        let text = self.expand(word.text);
        parse_pattern(section, Word { text: &text, ..word })
    }

    pub(super) fn condition(&mut self, word: Word<'_>, pattern: &Pattern, of_whole: bool) -> Arc<Expression> {
        let expression = self.expression(word);
        self.conditions.push(RawCondition {
            expression: Arc::clone(&expression),
            pattern: pattern.clone(),
            span: word.span,
            of_whole,
            from_object: false,
        });
        expression
    }

    /// Roles with their conditions, which are seen from the object.
    pub(crate) fn roles(
        &mut self,
        roles: Vec<(Role, Option<Word<'_>>)>,
        object: &Pattern,
    ) -> Vec<(Role, Option<Arc<Expression>>)> {
        let mut read = |when: Word<'_>| self.default_condition(when, object.clone());
        roles.into_iter().map(|(role, when)| (role, when.map(&mut read))).collect()
    }

    /// When a default or a role holds; it is seen from the object that holds the setting, which is found in the end.
    pub(crate) fn default_condition(&mut self, word: Word<'_>, above: Pattern) -> Arc<Expression> {
        let expression = self.expression(word);
        self.conditions.push(RawCondition {
            expression: Arc::clone(&expression),
            pattern: above,
            span: word.span,
            of_whole: false,
            from_object: true,
        });
        expression
    }

    /// A path that must lead to something that the profile knows.
    pub(super) fn path(&mut self, word: Word<'_>, pattern: &Pattern) -> String {
        let path = self.expand(word.text);
        self.paths.push((pattern.clone(), path.clone(), word.span));
        path
    }
}

/// The rule of one `[[object]]`, still without its path.
#[derive(Debug)]
pub(crate) struct RawObjectRule<'r> {
    breach: Option<Breach>,
    old: OldMeaning,
    noun: Option<String>,
    required: Vec<RawRequired<'r>>,
    needs: Vec<(Word<'r>, Word<'r>)>,
    at_most_one: Vec<Vec<Word<'r>>>,
    at_least_one: Vec<Vec<Word<'r>>>,
    narrows: Option<RawNarrows<'r>>,
    count: Option<Bounds>,
    unique: Option<Unique>,
    key_refers_to: Option<Word<'r>>,
    grants_if: Option<Word<'r>>,
    restricts_if: Option<Word<'r>>,
    line: u32,
}

#[derive(Debug)]
enum RawNarrows<'r> {
    All,
    These(Vec<Word<'r>>),
}

#[derive(Debug)]
struct RawRequired<'r> {
    path: Word<'r>,
    when: Option<Word<'r>>,
    breach: Option<Breach>,
    wording: Wording,
}

impl RawObjectRule<'_> {
    /// Whether the table says anything that is a rule.
    pub(crate) fn says_something(&self) -> bool {
        self.breach.is_some()
            || !self.required.is_empty()
            || !self.needs.is_empty()
            || !self.at_most_one.is_empty()
            || !self.at_least_one.is_empty()
            || self.narrows.is_some()
            || self.count.is_some()
            || self.unique.is_some()
            || self.key_refers_to.is_some()
            || self.grants_if.is_some()
            || self.restricts_if.is_some()
    }
}

/// Reads the keys of an `[[object]]` that are rules.
pub(crate) fn read_object_rule<'r>(section: &Section<'r, '_>, lines: &LineIndex<'_>) -> RawObjectRule<'r> {
    let breach = read_breach(section);
    let old = read_old(section);
    let noun = section.word("noun").map(|word| word.text.to_owned());
    let atomic = section.boolean("atomic").unwrap_or(false).then_some(RawNarrows::All);
    let narrows =
        atomic.or_else(|| section.has("narrows").then(|| RawNarrows::These(section.words("narrows"))));
    // It counts as asked for.
    section.raw("narrows");
    RawObjectRule {
        breach,
        old,
        noun,
        required: read_required(section),
        needs: read_pairs(section, "needs"),
        at_most_one: read_groups(section, "at-most-one"),
        at_least_one: read_groups(section, "at-least-one"),
        narrows,
        count: read_bounds(section),
        unique: read_unique(section, "unique"),
        key_refers_to: section.word("key-refers-to"),
        grants_if: section.word("grants-if"),
        restricts_if: section.word("restricts-if"),
        line: lines.position(section.span().start).line,
    }
}

impl RawObjectRule<'_> {
    /// The rule of objects of a path.
    pub(crate) fn finish(
        self,
        pattern: Pattern,
        releases: (usize, usize),
        several: bool,
        section: &Section<'_, '_>,
        raw: &mut RawRules,
    ) {
        let breach = self.breach.unwrap_or(if several { Breach::Goes } else { Breach::Blocks });
        let required = self
            .required
            .into_iter()
            .map(|required| Required {
                path: raw.path(required.path, &pattern),
                when: required.when.map(|when| raw.condition(when, &pattern, false)),
                breach: required.breach,
                wording: required.wording,
            })
            .collect();
        let mut paths = |words: Vec<Word<'_>>| -> Vec<String> {
            words.into_iter().map(|word| raw.path(word, &pattern)).collect()
        };
        let needs = self.needs.into_iter().map(|(one, other)| {
            let mut both = paths(vec![one, other]);
            (both.swap_remove(0), both.swap_remove(0))
        });
        let needs = needs.collect();
        let at_most_one = self.at_most_one.into_iter().map(&mut paths).collect();
        let at_least_one = self.at_least_one.into_iter().map(&mut paths).collect();
        let narrows = self.narrows.map(|narrows| match narrows {
            RawNarrows::All => Narrows::All,
            RawNarrows::These(words) => Narrows::These(paths(words)),
        });
        let key_refers_to = self.key_refers_to.and_then(|word| read_referent(section, word, raw));
        let grants_if = self.grants_if.map(|word| raw.condition(word, &pattern, false));
        let restricts_if = self.restricts_if.map(|word| raw.condition(word, &pattern, false));
        raw.rules.objects.push(ObjectRule {
            head: Head { pattern, releases, line: self.line, breach, old: self.old, noun: self.noun },
            required,
            needs,
            at_most_one,
            at_least_one,
            narrows,
            count: self.count,
            unique: self.unique,
            key_refers_to,
            grants_if,
            restricts_if,
        });
    }
}

/// Reads the keys of a setting that are rules.
pub(crate) fn read_setting_rule(
    section: &Section<'_, '_>,
    pattern: &Pattern,
    releases: (usize, usize),
    lines: &LineIndex<'_>,
    raw: &mut RawRules,
) {
    let refers_to = section.word("refers-to").and_then(|word| read_referent(section, word, raw));
    let key_refers_to = section.word("key-refers-to").and_then(|word| read_referent(section, word, raw));
    let unique = read_unique(section, "unique");
    let key_unique = read_unique(section, "key-unique");
    let count = read_bounds(section);
    let breach = read_breach(section);
    let old = read_old(section);
    let is_of_names = key_refers_to.is_some() || key_unique.is_some();
    if refers_to.is_none() && !is_of_names && unique.is_none() && count.is_none() {
        return;
    }
    let line = lines.position(section.span().start).line;
    let breach = breach.unwrap_or(Breach::Goes);
    let head = Head { pattern: pattern.clone(), releases, line, breach, old, noun: None };
    raw.rules.settings.push(SettingRule { head, refers_to, key_refers_to, unique, key_unique, count });
}

pub(super) fn read_breach(section: &Section<'_, '_>) -> Option<Breach> {
    section.pick_given("breach", &Breach::WORDS)
}

pub(super) fn read_old(section: &Section<'_, '_>) -> OldMeaning {
    section.pick_given("old", &OldMeaning::WORDS).unwrap_or_default()
}

/// `refers-to = "subnets/*"`, `"model port"`, or `"model port|interfaces/*"`.
fn read_referent(section: &Section<'_, '_>, word: Word<'_>, raw: &mut RawRules) -> Option<Referent> {
    if let Some(or) = word.text.strip_prefix("model port") {
        let Some(text) = or.strip_prefix('|') else { return Some(Referent::ModelPort(None)) };
        let pattern = raw.pattern(section, Word { text, ..word })?;
        raw.referents.push((pattern.clone(), word.span));
        return Some(Referent::ModelPort(Some(pattern)));
    }
    let pattern = raw.pattern(section, word)?;
    raw.referents.push((pattern.clone(), word.span));
    Some(Referent::Objects(pattern))
}

/// `unique = true`, `unique = "address"`, or `{ among = "address", part = "ip", within = "subnets/*" }`.
pub(crate) fn read_unique(section: &Section<'_, '_>, key: &'static str) -> Option<Unique> {
    let value = section.raw(key)?;
    let plain = |among: &str| Unique { among: among.to_owned(), part: None, within: None };
    if let Some(word) = as_word(value) {
        return Some(plain(word.text));
    }
    if let Some(on) = value.get_ref().as_bool() {
        return on.then(|| plain(""));
    }
    let Some(table) = section.section(key).filter(|_| value.get_ref().is_table()) else {
        section.report().add(value.span().into(), RulesFact::UniqueExpected { key: key.to_owned() });
        return None;
    };
    let among = table.word("among").map_or("", |word| word.text).to_owned();
    let part = table.word("part").map(|word| word.text.to_owned());
    let within = table.word("within").and_then(|word| parse_pattern(&table, word));
    table.finish();
    Some(Unique { among, part, within })
}

/// `count = "1..4"`, `"1.."` or `"2"`.
fn read_bounds(section: &Section<'_, '_>) -> Option<Bounds> {
    let word = section.word("count")?;
    let (least, most) = word.text.split_once("..").unwrap_or((word.text, word.text));
    let number = |text: &str, default| if text.is_empty() { Some(default) } else { text.parse().ok() };
    let bounds = number(least, 0).zip(number(most, u64::MAX)).filter(|(least, most)| least <= most);
    if bounds.is_none() {
        section.report().add(word.span, RulesFact::NoBounds { text: word.text.to_owned() });
    }
    bounds.map(|(least, most)| Bounds { least, most })
}

/// `required = ["id", ["key", "given('mode')"]]`, or a table of `paths` with `text`, `do` and `breach`.
fn read_required<'r>(section: &Section<'r, '_>) -> Vec<RawRequired<'r>> {
    let Some(value) = section.raw("required") else { return Vec::new() };
    if value.get_ref().is_table()
        && let Some(table) = section.section("required")
    {
        let wording = read_wording(&table);
        let breach = read_breach(&table);
        let list = table.raw("paths").map(|paths| required_of(&table, paths)).unwrap_or_default();
        table.finish();
        return list
            .into_iter()
            .map(|(path, when)| RawRequired { path, when, breach, wording: wording.clone() })
            .collect();
    }
    required_of(section, value)
        .into_iter()
        .map(|(path, when)| RawRequired { path, when, breach: None, wording: Wording::default() })
        .collect()
}

fn required_of<'r>(
    section: &Section<'r, '_>,
    value: &'r Spanned<DeValue<'_>>,
) -> Vec<(Word<'r>, Option<Word<'r>>)> {
    let items: Vec<_> = match value.get_ref().as_array() {
        Some(items) => items.iter().collect(),
        None => vec![value],
    };
    let read = |item: &'r Spanned<DeValue<'_>>| {
        if let Some(word) = as_word(item) {
            return Some((word, None));
        }
        match as_words(item).as_deref() {
            Some(&[path, when]) => Some((path, Some(when))),
            _ => {
                section.report().add(item.span().into(), RulesFact::RequiredExpected);
                None
            }
        }
    };
    items.into_iter().filter_map(read).collect()
}

pub(super) fn read_wording(section: &Section<'_, '_>) -> Wording {
    let said = |key| section.word(key).map(|word: Word<'_>| word.text.to_owned());
    Wording { text: said("text"), remedy: said("do") }
}

/// `needs = { port = "protocol" }`
fn read_pairs<'r>(section: &Section<'r, '_>, key: &'static str) -> Vec<(Word<'r>, Word<'r>)> {
    let Some(table) = section.section(key) else { return Vec::new() };
    let pair = |(one, value)| match as_word(value) {
        Some(other) => Some((one, other)),
        None => {
            table.report().add(value.span().into(), RulesFact::PathExpected);
            None
        }
    };
    table.members().into_iter().filter_map(pair).collect()
}

/// `at-most-one = [["a", "b"]]`
fn read_groups<'r>(section: &Section<'r, '_>, key: &'static str) -> Vec<Vec<Word<'r>>> {
    let Some(value) = section.raw(key) else { return Vec::new() };
    let group = |item: &'r Spanned<DeValue<'_>>| -> Option<Vec<Word<'r>>> {
        as_words(item).filter(|words| words.len() > 1)
    };
    let groups: Option<Vec<_>> =
        value.get_ref().as_array().and_then(|items| items.iter().map(group).collect());
    if groups.is_none() {
        section.report().add(value.span().into(), RulesFact::GroupsExpected);
    }
    groups.unwrap_or_default()
}
