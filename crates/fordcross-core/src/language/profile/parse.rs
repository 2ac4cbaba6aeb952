//! From the text of a profile to a checked [`Profile`].

use super::defaults::read_in_force;
use super::edition::is_second_edition;
use super::facts::ProfileFact;
use super::keys::read_duplicates;
use super::models::read_model;
use super::names::NameRules;
use super::objects::{Wanted, check_objects_at, check_order, read_objects};
use super::rules::{RawRules, read_checks};
use super::runbook::Trial;
use super::runbook::read_runbook;
use super::schema::{Lookup, PathStep, Repeats, Schema, What};
use super::settings::read_settings;
use super::{Fact, Meaning, Members, NeverHeld, Output, Profile, Recognition, Release, SectionDeclaration};
use crate::declaration::{Report, Section, Word, as_word, as_words, parse_pattern};
use crate::finding::{Count, Findings, Suggestion};
use crate::format::bundle::read_members;
use crate::format::{Format, PairTypes, Scope};
use crate::language::checking::Checking;
use crate::language::texts::OutputEncoding;
use crate::language::typing::{BUILT_IN, Form, RawTypes, TypeId, Types, declare_type};
use crate::text::source::{LineIndex, Position, Source, Span};
use crate::tree::pattern::Pattern;

impl Profile {
    /// Reads a profile and checks it so far.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its place.
    pub fn parse(source: Source<'_>, checking: Checking) -> Result<Self, Findings> {
        let report = Report::new(source);
        let table = report.parse();
        let root = Section::new(&report, table.get_ref(), table.span().into());
        if !is_second_edition(&root) {
            return Err(report.into_findings());
        }
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
    releases: Vec<Release>,
    repeats: Repeats,
    ignore: Vec<String>,
    not_included: Vec<NeverHeld>,
    encoding: OutputEncoding,
    takes_comments: bool,
    order: Vec<(String, Span)>,
    overrides: Vec<(String, String)>,
}

impl Head {
    fn read<'r>(root: &Section<'r, '_>, dependents: &mut Vec<[Word<'r>; 3]>) -> Self {
        let Some(head) = root.need_section("profile") else { return Self::default() };
        let text = |word: Word<'_>| word.text.to_owned();
        let mut names = NameRules::default();
        let platform = head.need_word("platform").map(text);
        let title = head.need_word("title").map(text);
        let format = match (head.has("format"), root.has("file")) {
            (false, true) => Some(Format::several()),
            (true, true) => {
                head.report().add(head.span(), ProfileFact::FormatWithFiles);
                head.raw("format");
                Some(Format::several())
            }
            _ => head.pick("format", &Format::of(Scope::Backup)),
        };
        let releases = read_releases(&head);
        let [not_included] = [tuples::<2>(&head, "not-included")];
        let said = |[what, remedy]: [Word<'_>; 2]| NeverHeld { what: text(what), remedy: text(remedy) };
        let not_included = not_included.into_iter().map(said).collect();
        dependents.extend(tuples::<3>(&head, "dependents"));
        names.read(&head);
        let read = Self {
            platform,
            title,
            dated: head.word("date").map(text),
            format,
            files: Members::read(&head),
            names,
            releases,
            repeats: read_duplicates(&head, &Repeats::OF_SETTINGS),
            ignore: head.words("ignore").into_iter().map(text).collect(),
            not_included,
            encoding: OutputEncoding::read(&head),
            takes_comments: head.boolean("accepts-comments").unwrap_or(false),
            order: head.words("order").into_iter().map(|word| (text(word), word.span)).collect(),
            overrides: read_overrides(&head),
        };
        head.finish();
        read
    }
}

fn read_profile(source: Source<'_>, root: Section<'_, '_>, checking: Checking) -> Option<Profile> {
    let lines = LineIndex::new(source);
    let mut dependents = Vec::new();
    let mut head = Head::read(&root, &mut dependents);
    let mut raw = RawRules::default();
    if let Some(paths) = root.section("path") {
        for (name, value) in paths.members() {
            match as_word(value) {
                Some(path) => raw.named.push((name.text.to_owned(), path.text.to_owned())),
                None => root.report().add(value.span().into(), ProfileFact::PathExpected),
            }
        }
    }
    raw.expressions.read(&root);
    let mut types = RawTypes::default();
    PairTypes::read(&root);
    read_types(&root, &mut types);
    let mut schema = Schema::default();
    let releases = std::mem::take(&mut head.releases);
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
    for (span, fact) in std::mem::take(&mut raw.misused) {
        root.report().add(span, fact);
    }
    check_order(&root, &[], &head.order, &schema);
    let recognition = read_recognition(&root, &mut head, &releases, &schema, &lines);
    let models =
        root.sections("model").into_iter().filter_map(|section| read_model(section, &schema)).collect();
    let sections = read_sections(&root);
    let dialect = head.format.map(|format| format.declared(&root, Scope::Backup, &root));
    let members = read_members(&root, std::mem::take(&mut head.files));
    read_attributes(&root, &mut schema);
    if let Some((format, depth)) = head.format.and_then(|format| Some((format, format.traits().max_depth?))) {
        check_depth(&root, &schema, format, depth);
    }
    types.add_bundled();
    let mut runbook = read_runbook(&root, &dependents, &schema);
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
        never_held: head.not_included,
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
        expressions: raw.expressions,
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
            // They are no types of settings, and were read.
            if PairTypes::is_one(&declaration) {
                continue;
            }
            if let Some(id) = declare_type(&declaration, types) {
                types.declare(name.text, id);
            }
            declaration.finish();
        } else if let Some(word) = as_word(value) {
            // Another name for a type.
            if let Some(id) = types.find(&section, word) {
                types.declare(name.text, id);
            }
        } else {
            section.report().add(value.span().into(), ProfileFact::TypeDeclaration);
        }
    }
    for (name, _) in section.members().into_iter().filter(|(name, _)| types.holds_itself(name.text)) {
        section.report().add(name.span, ProfileFact::TypeHoldsItself { name: name.text.to_owned() });
    }
}

/// `[detect]`: the marks of the platform, and where a backup says what it is.
fn read_recognition(
    root: &Section<'_, '_>,
    head: &mut Head,
    releases: &[Release],
    schema: &Schema,
    lines: &LineIndex<'_>,
) -> Option<Recognition> {
    let detect = root.need_section("detect")?;
    let texts = |key| detect.words(key).into_iter().map(|word| word.text.to_owned()).collect();
    let text = |word: Word<'_>| word.text.to_owned();
    let marker = detect.need_word("contains").map(text);
    let fact = |key, needed| read_fact(&detect, key, needed, schema, lines);
    let asks = detect.boolean("ask-release").unwrap_or(false);
    let recognition = Recognition {
        marker: marker.clone().unwrap_or_default(),
        passes_over: std::mem::take(&mut head.ignore),
        release: fact("release", releases.len() > 1 && !asks),
        model: fact("model", false),
        taken: fact("created", false),
        kind: fact("scope", false),
        label: fact("label", false),
        unit: fact("unit-name", false),
        build: fact("build", false),
        active: detect.word("active").map(text),
        candidate: detect.word("candidate").map(text),
        changes: texts("partial"),
        whole: texts("full"),
    };
    detect.finish();
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

/// `releases = ["4.1", "4.2"]`, the oldest first.
fn read_releases(head: &Section<'_, '_>) -> Vec<Release> {
    let mut releases: Vec<Release> = Vec::new();
    let words = head.words("releases");
    if words.is_empty() {
        head.report().add(head.span(), ProfileFact::NoReleases);
    }
    for name in words {
        if releases.iter().any(|release| release.name == name.text) {
            head.report().add(name.span, ProfileFact::ReleaseTwice { name: name.text.to_owned() });
        }
        releases.push(Release { name: name.text.to_owned() });
    }
    releases
}

/// `key = [["one", "other"]]`: lists of so many strings.
fn tuples<'r, const N: usize>(section: &Section<'r, '_>, key: &'static str) -> Vec<[Word<'r>; N]> {
    let Some(value) = section.raw(key) else { return Vec::new() };
    let items = value.get_ref().as_array().into_iter().flatten();
    let mut read: Vec<[Word<'r>; N]> = Vec::new();
    let mut wrong = value.get_ref().as_array().is_none();
    for item in items {
        match as_words(item).and_then(|words| <[Word<'r>; N]>::try_from(words).ok()) {
            Some(words) => read.push(words),
            None => wrong = true,
        }
    }
    if wrong {
        section.report().add(value.span().into(), ProfileFact::Tuples { key, strings: Count(N, "string") });
    }
    read
}

/// `[section]`: names of areas, each with its path.
fn read_sections(root: &Section<'_, '_>) -> Vec<SectionDeclaration> {
    let Some(section) = root.section("section") else { return Vec::new() };
    let read = |(name, value): (Word<'_>, _)| {
        let Some(path) = as_word(value) else {
            section.report().add(value.span().into(), ProfileFact::PathExpected);
            return None;
        };
        Some(SectionDeclaration { name: name.text.to_owned(), pattern: parse_pattern(&section, path)? })
    };
    section.members().into_iter().filter_map(read).collect()
}

/// Which settings are attributes: those that `[xml]` names, and those that headings of `[ini]` hold.
fn read_attributes(root: &Section<'_, '_>, schema: &mut Schema) {
    let files = root.sections("file");
    let of_files = files.iter().filter_map(|file| file.section("xml"));
    for section in root.section("xml").into_iter().chain(of_files) {
        for word in section.words("attributes") {
            let Some(pattern) = parse_pattern(&section, word) else { continue };
            if !make_attributes(schema, |known| pattern.covers(known)) {
                section.report().add(word.span, ProfileFact::NoSetting { path: word.text.to_owned() });
            }
        }
    }
    let whole = root.section("ini").map(|section| (Pattern::default(), section));
    let of_files = files.iter().filter_map(|file| {
        let at = file.word("at").and_then(|at| Pattern::parse(at.text).ok())?;
        Some((at, file.section("ini")?))
    });
    for (at, section) in whole.into_iter().chain(of_files) {
        let name =
            section.word("heading").and_then(|heading| heading.text.rsplit_once('{')?.1.strip_suffix('}'));
        let Some(name) = name else { continue };
        let is_of_heading = |known: &Pattern| {
            known.steps.len() == at.steps.len() + 2 && at.is_around(known) && known.last_name() == name
        };
        make_attributes(schema, is_of_heading);
    }
}

/// Makes settings attributes; says whether there are any.
fn make_attributes(schema: &mut Schema, is_one: impl Fn(&Pattern) -> bool) -> bool {
    let mut found = false;
    for entry in schema.entries.iter_mut().filter(|entry| is_one(&entry.pattern)) {
        if let What::Setting { attribute, .. } = &mut entry.what {
            *attribute = true;
            found = true;
        }
    }
    found
}

/// Whether a type's values can name a port.
pub(crate) fn names_port(types: &Types, id: TypeId) -> bool {
    types.get(id).form == Form::Port || types.parts_of(id).iter().any(|&part| names_port(types, part))
}
