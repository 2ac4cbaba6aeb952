//! From the text of a profile to a checked [`Profile`].

use super::defaults::{read_defaults, read_defaults_if, read_in_force};
use super::facts::ProfileFact;
use super::keys::{read_range, read_repeats, read_roles};
use super::models::read_model;
use super::names::NameRules;
use super::objects::{Wanted, check_objects_at, check_order, read_objects};
use super::rules::{RawRules, read_checks, read_setting_rule};
use super::runbook::Trial;
use super::runbook::read_runbook;
use super::schema::{Entry, Lookup, PathStep, Repeats, Role, Schema, What};
use super::{Fact, Meaning, Members, NeverHeld, Output, Profile, Recognition, Release, SectionDeclaration};
use crate::declaration::{Report, Section, Word, as_word, parse_pattern};
use crate::finding::{Findings, Suggestion};
use crate::format::bundle::read_members;
use crate::format::{Format, Scope};
use crate::language::checking::Checking;
use crate::language::expression::Expression;
use crate::language::texts::OutputEncoding;
use crate::language::typing::{BUILT_IN, Form, RawTypes, TypeId, Types, declare_type, type_at};
use crate::text::source::{LineIndex, Position, Source, Span};
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;
use std::sync::Arc;

impl Profile {
    /// Reads a profile and checks it so far.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its place.
    pub fn parse(source: Source<'_>, checking: Checking) -> Result<Self, Findings> {
        let report = Report::new(source);
        let table = report.parse();
        let root = Section::new(&report, table.get_ref(), table.span().into());
        let profile = read_profile(source, root, checking);
        match profile {
            Some(profile) if report.is_clean() => Ok(profile),
            _ => Err(report.into_findings()),
        }
    }
}

/// What is under `[profile]`.
#[derive(Default)]
struct Head {
    platform: Option<String>,
    title: Option<String>,
    dated: Option<String>,
    format: Option<Format>,
    files: Members,
    names: NameRules,
    repeats: Repeats,
    passes_over: Vec<String>,
    encoding: OutputEncoding,
    takes_comments: bool,
    order: Vec<(String, Span)>,
    overrides: Vec<(String, String)>,
}

impl Head {
    fn read(root: &Section<'_, '_>) -> Self {
        let Some(head) = root.need_section("profile") else { return Self::default() };
        let text = |word: Word<'_>| word.text.to_owned();
        let mut names = NameRules::default();
        let platform = head.need_word("line").map(text);
        let title = head.need_word("title").map(text);
        let format = head.pick("form", &Format::of(Scope::Backup));
        names.read(&head);
        let read = Self {
            platform,
            title,
            dated: head.word("dated").map(text),
            format,
            files: Members::read(&head),
            names,
            repeats: read_repeats(&head, &Repeats::OF_SETTINGS),
            passes_over: head.words("passes-over").into_iter().map(text).collect(),
            encoding: OutputEncoding::read(&head),
            takes_comments: head.boolean("takes-comments").unwrap_or(false),
            order: head.words("order").into_iter().map(|word| (text(word), word.span)).collect(),
            overrides: read_overrides(&head),
        };
        head.finish();
        read
    }
}

fn read_profile(source: Source<'_>, root: Section<'_, '_>, checking: Checking) -> Option<Profile> {
    let lines = LineIndex::new(source);
    let mut head = Head::read(&root);
    let mut raw = RawRules::default();
    if let Some(paths) = root.section("path") {
        for (name, value) in paths.members() {
            match as_word(value) {
                Some(path) => raw.named.push((name.text.to_owned(), path.text.to_owned())),
                None => root.report().add(value.span().into(), ProfileFact::PathExpected),
            }
        }
    }
    let mut types = RawTypes::default();
    read_types(&root, &mut types);
    let mut schema = Schema::default();
    let releases = read_releases(&root);
    let to_check = read_objects(&root, &mut types, &mut schema, &releases, &mut head.names, &lines, &mut raw);
    read_settings(&root, &mut types, &mut schema, &releases, &mut head.names, &lines, &mut raw);
    let in_force = read_in_force(&root, &types.types, &releases, &schema, &raw);
    read_checks(&root, &releases, &schema, &lines, &mut raw);
    // What the platform means by a second one, where a setting does not say.
    for entry in &mut schema.entries {
        entry.is_secret = entry.what.setting().is_some_and(|kind| types.types.is_secret(kind));
        if let What::Setting { repeats: own @ Repeats::No, .. } = &mut entry.what {
            *own = head.repeats;
        }
    }
    if checking == Checking::Whole {
        to_check.check(&root, &types.types, &schema);
        raw.check(root.report(), &types.types, &schema, &in_force);
    }
    // A type whose values name objects must say which: objects that the profile declares, with names.
    for (path, span) in &types.references {
        check_objects_at(&root, path, *span, Wanted::Named, &schema);
    }
    check_order(&root, &[], &head.order, &schema);
    let recognition = read_recognition(&root, &mut head, &releases, &schema, &lines);
    let models =
        root.sections("model").into_iter().filter_map(|section| read_model(section, &schema)).collect();
    let sections = root.sections("section").into_iter().filter_map(read_section).collect();
    let never_held = root
        .sections("never-held")
        .into_iter()
        .filter_map(|section| {
            let what = section.need_word("what").map(|word| word.text.to_owned());
            let remedy = section.need_word("remedy").map(|word| word.text.to_owned());
            section.finish();
            Some(NeverHeld { what: what?, remedy: remedy? })
        })
        .collect();
    let dialect = head.format.map(|format| format.declared(&root, Scope::Backup));
    let members = read_members(&root, std::mem::take(&mut head.files));
    if head.format.is_some_and(Format::is_several) && members.files.is_empty() {
        root.report().add(Span::default(), ProfileFact::NoMembers);
    }
    if let Some((format, depth)) = head.format.and_then(|format| Some((format, format.traits().max_depth?))) {
        check_depth(&root, &schema, format, depth);
    }
    let mut runbook = read_runbook(&root, &schema);
    runbook.trials = root.sections("trial").into_iter().filter_map(read_trial).collect();
    root.finish();
    let release = releases.len().saturating_sub(1);
    Some(Profile {
        release,
        file: source.name.to_owned(),
        platform: head.platform?,
        title: head.title?,
        dated: head.dated,
        releases,
        models,
        never_held,
        recognition: recognition?,
        sections,
        schema: schema.into(),
        types: types.types.into(),
        names: head.names,
        runbook,
        output: Output {
            encoding: head.encoding,
            order: head.order.into_iter().map(|(name, _)| name).collect(),
            takes_comments: head.takes_comments,
        },
        dialect: dialect?,
        members,
        rules: raw.rules.into(),
        meaning: Meaning { overrides: head.overrides, in_force: in_force.into() },
    })
}

/// In some formats nothing is below a certain depth.
fn check_depth(root: &Section<'_, '_>, schema: &Schema, format: Format, depth: usize) {
    for entry in &schema.entries {
        let most = depth - usize::from(entry.what.is_object());
        if entry.pattern.steps.len() > most {
            root.report().add(
                Span::default(),
                ProfileFact::NoRoom { format: format.word().to_uppercase(), path: entry.pattern.to_string() },
            );
        }
    }
}

fn read_types(root: &Section<'_, '_>, types: &mut RawTypes) {
    let Some(section) = root.section("type") else { return };
    for (name, _) in section.members() {
        if BUILT_IN.contains(&name.text) {
            section.report().add(name.span, ProfileFact::BuiltInType { name: name.text.to_owned() });
        }
        types.announce(name.text);
    }
    for (name, value) in section.members() {
        if let Some(declaration) = section.as_section(value) {
            if let Some(id) = declare_type(&declaration, types) {
                types.declare(name.text, id);
            }
            declaration.finish();
        } else {
            section.report().add(value.span().into(), ProfileFact::TypeDeclaration);
        }
    }
    for (name, _) in section.members().into_iter().filter(|(name, _)| types.holds_itself(name.text)) {
        section.report().add(name.span, ProfileFact::TypeHoldsItself { name: name.text.to_owned() });
    }
}

fn read_settings(
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
    for (key, value) in section.members() {
        let Some(pattern) = raw.pattern(&section, key) else { continue };
        // A list of declarations is for a setting that changed from one release to another.
        let declarations: Vec<_> = match value.get_ref().as_array() {
            Some(array) => array.iter().collect(),
            None => vec![value],
        };
        for declaration in declarations {
            let read = read_setting(&section, declaration, types, releases, (&pattern, lines, raw));
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
) -> Option<Declared> {
    if value.get_ref().is_str() {
        let ty = type_at(section, value, types)?;
        let range = (0, releases.len().saturating_sub(1));
        let what = What::Setting {
            ty,
            repeats: Repeats::No,
            attribute: false,
            identity: false,
            defaults: Vec::new(),
            defaults_if: Vec::new(),
            mapped: true,
        };
        return Some(Declared { what, range, aliases: Vec::new(), roles: Vec::new() });
    }
    let Some(declaration) = section.as_section(value) else {
        section.report().add(value.span().into(), ProfileFact::TypeExpected);
        return None;
    };
    let ty = declare_type(&declaration, types);
    let repeats = read_repeats(&declaration, &Repeats::OF_SETTINGS);
    let aliases = declaration.words("aliases").into_iter().map(|word| word.text.to_owned()).collect();
    let attribute = declaration.boolean("attribute").unwrap_or(false);
    let identity = declaration.boolean("identity").unwrap_or(false);
    let range = read_range(&declaration, releases);
    let mapped = declaration.boolean("mapped").unwrap_or(true);
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
    let what = What::Setting { ty: ty?, repeats, attribute, identity, defaults, defaults_if, mapped };
    Some(Declared { what, range, aliases, roles })
}

/// `[recognise]`: the marks of the platform, and where a backup says what it is.
fn read_recognition(
    root: &Section<'_, '_>,
    head: &mut Head,
    releases: &[Release],
    schema: &Schema,
    lines: &LineIndex<'_>,
) -> Option<Recognition> {
    let recognise = root.need_section("recognise")?;
    let texts = |key| recognise.words(key).into_iter().map(|word| word.text.to_owned()).collect();
    let text = |word: Word<'_>| word.text.to_owned();
    let marker = recognise.need_word("marker").map(text);
    let fact = |key, needed| read_fact(&recognise, key, needed, schema, lines);
    let recognition = Recognition {
        marker: marker.clone().unwrap_or_default(),
        passes_over: std::mem::take(&mut head.passes_over),
        release: fact("release", releases.len() > 1),
        model: fact("model", false),
        taken: fact("taken", false),
        kind: fact("kind", false),
        label: fact("label", false),
        unit: fact("unit", false),
        build: fact("build", false),
        active: recognise.word("active").map(text),
        candidate: recognise.word("candidate").map(text),
        changes: texts("changes"),
        whole: texts("whole"),
    };
    recognise.finish();
    marker.map(|_| recognition)
}

/// `overrides = { "auto" = "main" }`: what is in the one file counts before the same in the other.
fn read_overrides(head: &Section<'_, '_>) -> Vec<(String, String)> {
    let Some(table) = head.section("overrides") else { return Vec::new() };
    let pair = |(over, value)| match (over, as_word(value)) {
        (Word { text, .. }, Some(under)) => Some((text.to_owned(), under.text.to_owned())),
        (_, None) => {
            table.report().add(value.span().into(), ProfileFact::PathExpected);
            None
        }
    };
    table.members().into_iter().filter_map(pair).collect()
}

/// `[[trial]]`: how the receiving program itself judges a configuration.
fn read_trial(section: Section<'_, '_>) -> Option<Trial> {
    let run = section.need_word("run").map(|word| word.text.to_owned());
    let what = section.need_word("what").map(|word| word.text.to_owned());
    section.finish();
    Some(Trial { run: run?, what: what? })
}

fn read_fact(
    section: &Section<'_, '_>,
    key: &'static str,
    needed: bool,
    schema: &Schema,
    lines: &LineIndex<'_>,
) -> Option<Fact> {
    let words = section.words(key);
    let Some(first) = words.first() else {
        // Says that it is missing.
        if needed && !section.has(key) {
            section.need_word(key);
        }
        return None;
    };
    let mut paths = Vec::new();
    for word in &words {
        let path: Vec<String> = word.text.split('/').map(str::to_owned).collect();
        let steps: Vec<PathStep<'_>> = path.iter().map(|name| PathStep::Name(name)).collect();
        if let Lookup::Unknown { depth, known } = schema.find(&steps) {
            section.report().add(
                word.span,
                ProfileFact::SettingUndeclared {
                    name: word.text.to_owned(),
                    instead: Suggestion::declared(&path[depth], &known),
                },
            );
        }
        paths.push(path);
    }
    let declared: Position = lines.position(first.span.start);
    Some(Fact { path: paths[0].clone(), paths, declared })
}

fn read_releases(root: &Section<'_, '_>) -> Vec<Release> {
    let mut releases: Vec<Release> = Vec::new();
    let sections = root.sections("release");
    if sections.is_empty() && !root.has("release") {
        root.report().add(root.span(), ProfileFact::NoReleases);
    }
    for section in sections {
        if let Some(name) = section.need_word("name") {
            if releases.iter().any(|release| release.name == name.text) {
                section.report().add(name.span, ProfileFact::ReleaseTwice { name: name.text.to_owned() });
            }
            releases.push(Release { name: name.text.to_owned() });
        }
        section.finish();
    }
    releases
}

fn read_section(section: Section<'_, '_>) -> Option<SectionDeclaration> {
    let name = section.need_word("name").map(|word| word.text.to_owned());
    let pattern = section.need_word("at").and_then(|at| parse_pattern(&section, at));
    section.finish();
    Some(SectionDeclaration { name: name?, pattern: pattern? })
}

/// Whether a type's values can name a port.
pub(crate) fn names_port(types: &Types, id: TypeId) -> bool {
    types.get(id).form == Form::Port || types.parts_of(id).iter().any(|&part| names_port(types, part))
}
