//! From the text of a profile to a checked [`Profile`].

use super::defaults::{read_defaults, read_defaults_if, read_in_force};
use super::keys::{read_range, read_repeats, read_roles};
use super::models::read_model;
use super::names::NameRules;
use super::objects::{Wanted, check_objects_at, check_order, read_objects};
use super::rules::{RawRules, read_checks, read_setting_rule};
use super::runbook::read_runbook;
use super::schema::{Entry, Lookup, PathStep, Repeats, Role, Schema, What};
use super::{Fact, Facts, Members, NeverHeld, Profile, Release, SectionDeclaration, Trial};
use crate::declaration::{Report, Section, Word, as_word, parse_pattern};
use crate::finding::{Code, Findings, declared_instead};
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

fn read_profile(source: Source<'_>, root: Section<'_, '_>, checking: Checking) -> Option<Profile> {
    let lines = LineIndex::new(source);
    let head = root.need_section("profile");
    let mut line = None;
    let mut title = None;
    let mut dated = None;
    let mut form = None;
    let mut files = Members::default();
    let mut names = NameRules::default();
    let mut takes_comments = false;
    let mut texts = OutputEncoding::default();
    let mut repeats = Repeats::No;
    let mut passes_over: Vec<String> = Vec::new();
    let mut order: Vec<(String, Span)> = Vec::new();
    let mut overrides: Vec<(String, String)> = Vec::new();
    if let Some(head) = head {
        line = head.need_word("line").map(|word| word.text.to_owned());
        title = head.need_word("title").map(|word| word.text.to_owned());
        dated = head.word("dated").map(|word| word.text.to_owned());
        form = head.pick("form", &Format::of(Scope::Backup));
        names.read(&head);
        files = Members::read(&head);
        passes_over = head.words("passes-over").into_iter().map(|word| word.text.to_owned()).collect();
        repeats = read_repeats(&head, &Repeats::OF_SETTINGS);
        takes_comments = head.boolean("takes-comments").unwrap_or(false);
        texts = OutputEncoding::read(&head);
        order = head.words("order").into_iter().map(|word| (word.text.to_owned(), word.span)).collect();
        overrides = read_overrides(&head);
        head.finish();
    }
    let mut raw = RawRules::default();
    if let Some(paths) = root.section("path") {
        for (name, value) in paths.members() {
            match as_word(value) {
                Some(path) => raw.named.push((name.text.to_owned(), path.text.to_owned())),
                None => drop(root.report().add(
                    Code::ValueWrong,
                    value.span().into(),
                    "expected a path, as a string",
                )),
            }
        }
    }
    let mut types = RawTypes::default();
    read_types(&root, &mut types);
    let mut schema = Schema::default();
    let releases = read_releases(&root);
    let to_check = read_objects(&root, &mut types, &mut schema, &releases, &mut names, &lines, &mut raw);
    read_settings(&root, &mut types, &mut schema, &releases, &mut names, &lines, &mut raw);
    let in_force = read_in_force(&root, &types.types, &releases, &schema, &raw);
    read_checks(&root, &releases, &schema, &lines, &mut raw);
    let trials = root.sections("trial").into_iter().filter_map(read_trial).collect();
    // What the line means by a second one, where a setting does not say.
    for entry in &mut schema.entries {
        entry.is_secret = entry.what.setting().is_some_and(|kind| types.types.is_secret(kind));
        if let What::Setting { repeats: own @ Repeats::No, .. } = &mut entry.what {
            *own = repeats;
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
    check_order(&root, &[], &order, &schema);
    let mut marker = None;
    let mut facts = Facts::default();
    if let Some(recognise) = root.need_section("recognise") {
        marker = recognise.need_word("marker").map(|word| word.text.to_owned());
        let releases_differ = releases.len() > 1;
        let fact = |key, needed| read_fact(&recognise, key, needed, &schema, &lines);
        facts = Facts {
            release: fact("release", releases_differ),
            model: fact("model", false),
            taken: fact("taken", false),
            kind: fact("kind", false),
            label: fact("label", false),
            unit: fact("unit", false),
            build: fact("build", false),
            active: recognise.word("active").map(|word| word.text.to_owned()),
            candidate: recognise.word("candidate").map(|word| word.text.to_owned()),
            changes: recognise.words("changes").into_iter().map(|word| word.text.to_owned()).collect(),
            whole: recognise.words("whole").into_iter().map(|word| word.text.to_owned()).collect(),
        };
        recognise.finish();
    }
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
    let dialect = form.map(|format| format.declared(&root, Scope::Backup));
    let members = read_members(&root, files);
    if form.is_some_and(Format::is_several) && members.files.is_empty() {
        root.report()
            .add(
                Code::KeyMissing,
                Span::default(),
                "a backup of several files, and no `[[member]]` says which",
            )
            .help("write a `[[member]]` with `path`, `at` and `form` for each");
    }
    if let Some((format, depth)) = form.and_then(|format| Some((format, format.traits().max_depth?))) {
        check_depth(&root, &schema, format, depth);
    }
    let around = read_runbook(&root, &schema);
    root.finish();
    let release = releases.len().saturating_sub(1);
    Some(Profile {
        release,
        file: source.name.to_owned(),
        line: line?,
        title: title?,
        dated,
        marker: marker?,
        releases,
        models,
        never_held,
        passes_over,
        facts,
        sections,
        schema: schema.into(),
        types: types.types.into(),
        names,
        around,
        takes_comments,
        texts,
        dialect: dialect?,
        members,
        order: order.into_iter().map(|(name, _)| name).collect(),
        rules: raw.rules.into(),
        overrides,
        in_force: in_force.into(),
        trials,
    })
}

/// In some formats nothing stands below a certain depth.
fn check_depth(root: &Section<'_, '_>, schema: &Schema, format: Format, depth: usize) {
    for entry in &schema.entries {
        let most = depth - usize::from(entry.what.is_object());
        if entry.pattern.steps.len() > most {
            root.report()
                .add(
                    Code::LocatorUnknown,
                    Span::default(),
                    format!("{} has no place for `{}`", format.word().to_uppercase(), entry.pattern),
                )
                .help("sections are objects of one step, and their keys settings of two");
        }
    }
}

fn read_types(root: &Section<'_, '_>, types: &mut RawTypes) {
    let Some(section) = root.section("type") else { return };
    for (name, _) in section.members() {
        if BUILT_IN.contains(&name.text) {
            section
                .report()
                .add(Code::ValueWrong, name.span, format!("`{}` is a built-in type", name.text))
                .help("give the declared type a name of its own");
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
            section
                .report()
                .add(Code::ValueWrong, value.span().into(), "expected the declaration of a type")
                .help("write `{ type = \"…\", … }`");
        }
    }
    for (name, _) in section.members().into_iter().filter(|(name, _)| types.holds_itself(name.text)) {
        section
            .report()
            .add(
                Code::ValueWrong,
                name.span,
                format!("a value of the type `{}` would hold one of itself", name.text),
            )
            .help("a shape can only use types that do not lead back to it");
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
    // Where the declarations of each pattern stand in the schema: mostly one.
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
                    section
                        .report()
                        .add(
                            Code::ValueWrong,
                            key.span,
                            format!("`{}` is declared twice for one release", key.text),
                        )
                        .help("say with `from` and `until` which releases each declaration is for");
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
        let kind = type_at(section, value, types)?;
        let range = (0, releases.len().saturating_sub(1));
        let what = What::Setting {
            kind,
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
        section
            .report()
            .add(Code::ValueWrong, value.span().into(), "expected a type")
            .help("write the name of a type, or `{ type = \"…\", … }`");
        return None;
    };
    let kind = declare_type(&declaration, types);
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
        _ => (read_defaults(&declaration, kind, &types.types, releases), Vec::new()),
    };
    declaration.finish();
    let what = What::Setting { kind: kind?, repeats, attribute, identity, defaults, defaults_if, mapped };
    Some(Declared { what, range, aliases, roles })
}

/// `overrides = { "auto" = "main" }`: what stands in the one file counts before the same in the other.
fn read_overrides(head: &Section<'_, '_>) -> Vec<(String, String)> {
    let Some(table) = head.section("overrides") else { return Vec::new() };
    let pair = |(over, value)| match (over, as_word(value)) {
        (Word { text, .. }, Some(under)) => Some((text.to_owned(), under.text.to_owned())),
        (_, None) => {
            table.report().add(Code::ValueWrong, value.span().into(), "expected a path, as a string");
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
        if let Lookup::Unknown { step, known } = schema.find(&steps) {
            section
                .report()
                .add(
                    Code::LocatorUnknown,
                    word.span,
                    format!("the profile declares no setting `{}`", word.text),
                )
                .help(declared_instead(&path[step], &known));
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
        root.report()
            .add(Code::KeyMissing, root.span(), "the profile lists no release")
            .help("add `[[release]]` with `name = \"…\"`, oldest first");
    }
    for section in sections {
        if let Some(name) = section.need_word("name") {
            if releases.iter().any(|release| release.name == name.text) {
                section.report().add(
                    Code::ValueWrong,
                    name.span,
                    format!("the release `{}` is listed twice", name.text),
                );
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
