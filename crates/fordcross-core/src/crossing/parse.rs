//! From the text of a crossing to rules whose places are known to both profiles.

use super::check::check_hidden;
use super::syntax::{
    BadSide, RawClause, RawField, RawTarget, RawTargetStep, parse_left, parse_right, parse_table,
    parse_target_path,
};
use super::{
    Action, Clause, ClauseShape, Crossing, Field, KeyTest, Piece, Place, Rule, Side, Table, Target,
    TargetName, TargetStep,
};
use crate::finding::{Code, Findings, did_you_mean};
use crate::pattern::{Pattern, RawStep, Step};
use crate::profile::{Lookup, PathStep, Profile, What};
use crate::shape::{Part, Shape};
use crate::source::{LineIndex, Source, Span};
use crate::toml_file::{Report, Section, Word, as_word, inside};
use crate::typing::TypeId;
use rustc_hash::FxHashMap;

/// Reads only which sides a crossing connects.
///
/// # Errors
/// What is wrong with the file as TOML, or with its `[crossing]` table.
pub fn crossing_sides(source: Source<'_>) -> Result<(Side, Side), Findings> {
    let report = Report::new(source);
    let table = report.parse();
    let root = Section::new(&report, table.get_ref(), table.span().into());
    match read_head(&root) {
        Some(sides) if report.is_clean() => Ok(sides),
        _ => Err(report.into_findings()),
    }
}

fn read_head(root: &Section<'_, '_>) -> Option<(Side, Side)> {
    let head = root.need_section("crossing")?;
    let side = |key| {
        let word = head.need_word(key)?;
        let side = Side::parse(word.text);
        if side.is_none() {
            head.report()
                .add(Code::ValueWrong, word.span, format!("`{}` names no release", word.text))
                .help("write `LINE@RELEASE`");
        }
        side
    };
    let (from, to) = (side("from"), side("to"));
    head.word("title");
    head.finish();
    Some((from?, to?))
}

impl Crossing {
    /// Reads a crossing and checks it against the profiles of both sides.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its place.
    pub fn parse(source: Source<'_>, old: &Profile, new: &Profile) -> Result<Self, Findings> {
        let report = Report::new(source);
        let table = report.parse();
        let root = Section::new(&report, table.get_ref(), table.span().into());
        let sides = read_head(&root);
        let mut reader = Reader {
            report: &report,
            lines: LineIndex::new(source.text),
            old,
            new,
            tables: read_tables(&root),
            places: Vec::new(),
            rules: Vec::new(),
        };
        let equivalent_ports = read_equivalents(&root);
        for section in root.sections("place") {
            reader.place(&section);
            section.finish();
        }
        for (key, verb) in
            [("move", Verb::Move), ("drop", Verb::Drop), ("by-hand", Verb::ByHand), ("moot", Verb::Moot)]
        {
            for section in root.sections(key) {
                let second = match verb {
                    Verb::Move => "to",
                    Verb::ByHand => "do",
                    Verb::Drop | Verb::Moot => "why",
                };
                if let (Some(left), Some(right)) = (section.need_word("from"), section.need_word(second)) {
                    reader.rule(None, verb, left, right);
                }
                section.finish();
            }
        }
        root.finish();
        let Reader { places, mut rules, .. } = reader;
        rules.sort_by_key(|(span, _)| *span);
        check_hidden(&report, &rules, &places);
        match sides {
            Some((from, to)) if report.is_clean() => Ok(Self {
                file: source.name.to_owned(),
                from,
                to,
                equivalent_ports,
                places,
                rules: rules.into_iter().map(|(_, rule)| rule).collect(),
            }),
            _ => Err(report.into_findings()),
        }
    }
}

fn read_equivalents(root: &Section<'_, '_>) -> Vec<(String, String)> {
    let Some(section) = root.section("equivalent") else { return Vec::new() };
    let pairs = section.section("ports").map(|ports| read_pairs(&ports)).unwrap_or_default();
    section.finish();
    pairs
}

fn read_pairs(section: &Section<'_, '_>) -> Vec<(String, String)> {
    let mut pairs = Vec::new();
    for (key, value) in section.members() {
        match as_word(value) {
            Some(word) => pairs.push((key.text.to_owned(), word.text.to_owned())),
            None => {
                section.report().add(Code::ValueWrong, value.span().into(), "expected a string");
            }
        }
    }
    pairs
}

fn read_tables(root: &Section<'_, '_>) -> FxHashMap<String, Table> {
    let mut tables = FxHashMap::default();
    let Some(section) = root.section("table") else { return tables };
    for (name, value) in section.members() {
        match section.as_section(value) {
            Some(rows) => {
                let mut table = Table { rows: read_pairs(&rows), otherwise: None };
                if let Some(at) = table.rows.iter().position(|(from, _)| from == "*") {
                    table.otherwise = Some(table.rows.remove(at).1);
                }
                tables.insert(name.text.to_owned(), table);
            }
            None => {
                section.report().add(
                    Code::ValueWrong,
                    value.span().into(),
                    "expected a table of old and new values",
                );
            }
        }
    }
    tables
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Verb {
    Move,
    Drop,
    ByHand,
    Moot,
}

/// A place whose rules are being read.
struct Scope {
    index: usize,
    /// The pattern of its objects.
    from: Pattern,
    /// Where they go, as the new profile's schema is asked.
    to: Vec<TargetStep>,
    captures: Vec<(String, Span, bool)>,
}

struct Reader<'r, 's> {
    report: &'r Report<'s>,
    lines: LineIndex<'s>,
    old: &'r Profile,
    new: &'r Profile,
    tables: FxHashMap<String, Table>,
    places: Vec<Place>,
    rules: Vec<(Span, Rule)>,
}

/// A path that the old profile knows.
struct Found {
    /// The declaration, if the path stands for just one and not for what holds some.
    entry: Option<u16>,
}

/// The captures that a rule has, and whether each was used.
struct Captures {
    names: Vec<(String, Span, bool)>,
}

impl Captures {
    fn find(&mut self, name: &str) -> Option<usize> {
        let at = self.names.iter().position(|(known, _, _)| known == name)?;
        self.names[at].2 = true;
        Some(at)
    }
}

impl Reader<'_, '_> {
    fn bad(&self, word: Word<'_>, bad: BadSide) {
        let span = inside(word, self.report.source, bad.at.start, bad.at.end);
        self.report.add(Code::RuleMalformed, span, bad.message);
    }

    fn place(&mut self, section: &Section<'_, '_>) {
        let scope = match (section.need_word("from"), section.need_word("to")) {
            (Some(from), Some(to)) => self.scope(section.span(), from, to),
            _ => None,
        };
        let mut scope = scope;
        for (key, verb) in
            [("move", Verb::Move), ("drop", Verb::Drop), ("by-hand", Verb::ByHand), ("moot", Verb::Moot)]
        {
            let Some(value) = section.raw(key) else { continue };
            let pairs = value.get_ref().as_array().map(|array| array.iter().collect::<Vec<_>>());
            let mut wrong = pairs.is_none();
            for entry in pairs.into_iter().flatten() {
                let pair: Option<Vec<Word<'_>>> =
                    entry.get_ref().as_array().and_then(|array| array.iter().map(as_word).collect());
                match pair.as_deref() {
                    Some(&[left, right]) => {
                        if let Some(scope) = &mut scope {
                            self.rule(Some(scope), verb, left, right);
                        }
                    }
                    _ => wrong = true,
                }
            }
            if wrong {
                let second = match verb {
                    Verb::Move => "new place",
                    Verb::ByHand => "instruction",
                    Verb::Drop | Verb::Moot => "reason",
                };
                self.report
                    .add(
                        Code::ValueWrong,
                        value.span().into(),
                        format!("`{key}` takes a list of pairs of strings"),
                    )
                    .help(format!("write `{key} = [[\"old setting\", \"{second}\"], …]`"));
            }
        }
        for (name, span, _) in
            scope.iter().flat_map(|scope| scope.captures.iter().filter(|(_, _, used)| !used))
        {
            self.unused(name, *span);
        }
    }

    fn unused(&self, name: &str, span: Span) {
        self.report
            .add(Code::CaptureUnused, span, format!("the capture `{name}` is never used"))
            .help("use it on the right, or write a plain pattern: what is not used is lost without a word");
    }

    fn scope(&mut self, span: Span, from: Word<'_>, to: Word<'_>) -> Option<Scope> {
        let steps = match parse_left(from.text) {
            Ok(mut clauses) if clauses.len() == 1 && clauses[0].shape.is_none() => clauses.remove(0).steps,
            Ok(_) => {
                self.report.add(Code::RuleMalformed, from.span, "a place is one path, without a value");
                return None;
            }
            Err(bad) => {
                self.bad(from, bad);
                return None;
            }
        };
        let pattern = Pattern { steps: steps.iter().map(|step| step.step.clone()).collect() };
        let Found { entry } = self.find_old(from, &steps, &[])?;
        let mut captures = Captures { names: Vec::new() };
        let (keys, key_names) = self.keys(from, &steps, entry, &mut captures);
        let raw_target = match parse_target_path(to.text, 0..to.text.len()) {
            Ok(path) => path,
            Err(bad) => {
                self.bad(to, bad);
                return None;
            }
        };
        let (target, _) = self.target_path(to, &raw_target, &[], &mut captures, Wanted::Branch)?;
        let place = self.places.len();
        let mut clauses = vec![Clause { pattern: pattern.clone(), shape: None, optional: false, slot: None }];
        for (test, name) in keys.iter().zip(&key_names) {
            // A key that the target's name holds is taken by the place; any other is a setting like the rest.
            if let KeyTest::Capture(slot) = test
                && captures.names[*slot].2
            {
                let key = match name {
                    Some(name) => pattern.join(&[Step::Names(vec![name.clone()])]),
                    None => continue,
                };
                clauses.push(Clause { pattern: key, shape: None, optional: true, slot: Some(*slot) });
            }
        }
        self.places.push(Place { depth: pattern.depth(), keys, target: target.clone() });
        let at = self.lines.position(from.span.start);
        let slots = captures.names.len();
        self.rules.push((span, Rule { at, place: Some(place), clauses, slots, action: Action::Place }));
        Some(Scope { index: place, from: pattern, to: target, captures: captures.names })
    }

    /// The tests of an object's keys, with the names of the key settings.
    fn keys(
        &self,
        word: Word<'_>,
        steps: &[RawStep],
        entry: Option<u16>,
        captures: &mut Captures,
    ) -> (Vec<KeyTest>, Vec<Option<String>>) {
        for step in &steps[..steps.len().saturating_sub(1)] {
            if step.key.is_some() {
                let span = inside(word, self.report.source, step.at.start, step.at.end);
                self.report.add(Code::RuleMalformed, span, "only the last step of a place can ask for a key");
            }
        }
        let Some(last) = steps.last() else { return (Vec::new(), Vec::new()) };
        let Some(text) = &last.key else { return (Vec::new(), Vec::new()) };
        let span = inside(word, self.report.source, last.at.start, last.at.end);
        let names: Vec<Option<String>> =
            match entry.map(|entry| &self.old.schema.entries[entry as usize].what) {
                Some(What::Object { keys, name, .. }) => {
                    let by_name = name.is_some().then_some(None);
                    by_name.into_iter().chain(keys.iter().cloned().map(Some)).collect()
                }
                _ => Vec::new(),
            };
        let tests: Vec<&str> = text.split(',').map(str::trim).collect();
        if tests.len() != names.len() {
            let known: Vec<&str> = names.iter().map(|name| name.as_deref().unwrap_or("its name")).collect();
            self.report
                .add(
                    Code::RuleMalformed,
                    span,
                    format!("the object has {}", crate::finding::count(names.len(), "key")),
                )
                .help(format!("its keys are {}", crate::finding::one_of(known)));
            return (Vec::new(), Vec::new());
        }
        let tests = tests
            .into_iter()
            .map(|test| match test {
                "*" => KeyTest::Any,
                test => match test.strip_prefix('{').and_then(|test| test.strip_suffix('}')) {
                    Some(name) => {
                        captures.names.push((name.to_owned(), span, false));
                        KeyTest::Capture(captures.names.len() - 1)
                    }
                    None => KeyTest::Literal(test.to_owned()),
                },
            })
            .collect();
        (tests, names)
    }

    /// Checks a path of the old side.
    fn find_old(&self, word: Word<'_>, steps: &[RawStep], before: &[Step]) -> Option<Found> {
        // Each name of an alternative must be known, so each is looked up on its own.
        let mut paths: Vec<Vec<PathStep<'_>>> = vec![Vec::new()];
        let mut below = false;
        for step in before.iter().chain(steps.iter().map(|raw| &raw.step)) {
            match step {
                Step::Below => below = true,
                Step::Any => paths.iter_mut().for_each(|path| path.push(PathStep::Any)),
                Step::Names(names) => {
                    paths = paths
                        .iter()
                        .flat_map(|path| {
                            names.iter().map(|name| {
                                let mut path = path.clone();
                                path.push(PathStep::Name(name));
                                path
                            })
                        })
                        .collect();
                }
            }
        }
        let mut entry = None;
        let mut good = true;
        for path in &paths {
            match self.old.schema.find(path) {
                Lookup::Declared(found) => entry = Some(found),
                Lookup::Above => {}
                // `*` of a rule stands for several declared names, too.
                Lookup::Unknown { step, .. } if matches!(path[step], PathStep::Any) => {}
                Lookup::Unknown { step, known } => {
                    good = false;
                    let PathStep::Name(name) = path[step] else { continue };
                    let at = step
                        .checked_sub(before.len())
                        .and_then(|step| steps.get(step))
                        .map(|raw| raw.at.clone());
                    let span = at.map_or(word.span, |at| inside(word, self.report.source, at.start, at.end));
                    self.report
                        .add(Code::LocatorUnknown, span, format!("{} has no `{name}` here", self.old.title))
                        .help(Lookup::help(name, &known));
                }
            }
        }
        good.then_some(Found { entry: entry.filter(|_| paths.len() == 1 && !below) })
    }

    fn rule(&mut self, scope: Option<&mut Scope>, verb: Verb, left: Word<'_>, right: Word<'_>) {
        let raw_clauses = match parse_left(left.text) {
            Ok(clauses) => clauses,
            Err(bad) => return self.bad(left, bad),
        };
        let before: Vec<Step> = scope.as_ref().map(|scope| scope.from.steps.clone()).unwrap_or_default();
        let mut captures =
            Captures { names: scope.as_ref().map(|scope| scope.captures.clone()).unwrap_or_default() };
        let outer = captures.names.len();
        let mut clauses = Vec::new();
        for raw in &raw_clauses {
            if let Some(clause) = self.clause(left, raw, &before, &mut captures, raw_clauses.len() == 1) {
                clauses.push(clause);
            }
        }
        if clauses.len() < raw_clauses.len() {
            return;
        }
        if let Some(raw) = raw_clauses.first().filter(|raw| raw.optional) {
            let span = inside(left, self.report.source, raw.at.start, raw.at.end);
            self.report.add(Code::RuleMalformed, span, "the first clause cannot be optional");
            return;
        }
        let action = match verb {
            Verb::Move => {
                let target: Vec<TargetStep> =
                    scope.as_ref().map(|scope| scope.to.clone()).unwrap_or_default();
                let raw_targets = match parse_right(right.text) {
                    Ok(targets) => targets,
                    Err(bad) => return self.bad(right, bad),
                };
                let targets: Vec<_> =
                    raw_targets.iter().map(|raw| self.target(right, raw, &target, &mut captures)).collect();
                match targets.into_iter().collect::<Option<Vec<_>>>() {
                    Some(targets) => Action::Move(targets),
                    None => return,
                }
            }
            Verb::Drop => Action::Drop { why: right.text.to_owned() },
            Verb::ByHand => Action::ByHand { instruction: right.text.to_owned() },
            Verb::Moot => Action::Moot { why: right.text.to_owned() },
        };
        if verb == Verb::Move {
            for (name, span, _) in captures.names[outer..].iter().filter(|(_, _, used)| !used) {
                self.unused(name, *span);
            }
        }
        let place = scope.as_ref().map(|scope| scope.index);
        if let Some(scope) = scope {
            scope.captures.clone_from_slice(&captures.names[..outer]);
        }
        let at = self.lines.position(left.span.start);
        self.rules.push((left.span, Rule { at, place, clauses, slots: captures.names.len(), action }));
    }

    fn clause(
        &self,
        word: Word<'_>,
        raw: &RawClause,
        before: &[Step],
        captures: &mut Captures,
        alone: bool,
    ) -> Option<Clause> {
        self.find_old(word, &raw.steps, before)?;
        if let Some(step) = raw.steps.iter().find(|step| step.key.is_some()) {
            let span = inside(word, self.report.source, step.at.start, step.at.end);
            self.report
                .add(Code::RuleMalformed, span, "a key has no meaning in a rule")
                .help("ask for it in the `from` of a `[[place]]`");
            return None;
        }
        let steps: Vec<Step> = raw.steps.iter().map(|step| step.step.clone()).collect();
        let pattern = Pattern { steps: before.to_vec() }.join(&steps);
        let mut slot = None;
        let shape = match &raw.shape {
            Some(shape) => Some(self.clause_shape(word, raw, shape, captures)?),
            None => {
                if alone {
                    // The whole value, under a name that no person can write.
                    captures.names.push((WHOLE.to_owned(), word.span, true));
                    slot = Some(captures.names.len() - 1);
                }
                None
            }
        };
        Some(Clause { pattern, shape, optional: raw.optional, slot })
    }

    fn clause_shape(
        &self,
        word: Word<'_>,
        raw: &RawClause,
        shape: &Shape,
        captures: &mut Captures,
    ) -> Option<ClauseShape> {
        let mut slots = Vec::new();
        let mut types = Vec::new();
        for part in &shape.parts {
            let Part::Capture { name, detail, at } = part else { continue };
            let span = inside(word, self.report.source, raw.shape_at + at.start, raw.shape_at + at.end);
            if captures.names.iter().any(|(known, _, _)| known == name) {
                self.report.add(Code::RuleMalformed, span, format!("the capture `{name}` is made twice"));
                return None;
            }
            captures.names.push((name.clone(), span, false));
            slots.push(captures.names.len() - 1);
            types.push(match detail {
                Some(detail) => Some(self.old_type(detail, span)?),
                None => None,
            });
        }
        Some(ClauseShape { shape: shape.clone(), slots, types })
    }

    fn old_type(&self, name: &str, span: Span) -> Option<TypeId> {
        let found = self.old.types.list.iter().zip(0..).find(|(kind, _)| kind.name == name);
        if found.is_none() {
            let known: Vec<&str> = self.old.types.list.iter().map(|kind| kind.name.as_str()).collect();
            self.report
                .add(Code::TypeUnknown, span, format!("{} declares no type `{name}`", self.old.title))
                .help(did_you_mean(name, known));
        }
        found.map(|(_, index)| TypeId(index))
    }

    fn target(
        &self,
        word: Word<'_>,
        raw: &RawTarget,
        before: &[TargetStep],
        captures: &mut Captures,
    ) -> Option<Target> {
        let (base, _) = self.target_path(word, &raw.base, before, captures, Wanted::Branch)?;
        let mut above = before.to_vec();
        above.extend(base.iter().cloned());
        let fields: Vec<Option<Field>> =
            raw.fields.iter().map(|field| self.field(word, field, &above, captures)).collect();
        Some(Target { base, fields: fields.into_iter().collect::<Option<_>>()? })
    }

    fn field(
        &self,
        word: Word<'_>,
        raw: &RawField,
        before: &[TargetStep],
        captures: &mut Captures,
    ) -> Option<Field> {
        let (path, entry) = self.target_path(word, &raw.path, before, captures, Wanted::Setting)?;
        let kind = entry.and_then(|entry| self.new.schema.entries[entry as usize].what.setting())?;
        let template = match &raw.template {
            Some(template) => self.template(word, raw, template, captures)?,
            None => match captures.find(WHOLE) {
                Some(slot) => vec![Piece::Slot { slot, table: None }],
                None => {
                    let span = inside(word, self.report.source, raw.at.start, raw.at.end);
                    self.report
                        .add(Code::RuleMalformed, span, "what is to be written here is not said")
                        .help("write `place = {capture}`; only a rule with one plain setting on its left moves it whole");
                    return None;
                }
            },
        };
        Some(Field { path, kind, template })
    }

    fn template(
        &self,
        word: Word<'_>,
        raw: &RawField,
        template: &Shape,
        captures: &mut Captures,
    ) -> Option<Vec<Piece>> {
        let mut pieces = Vec::new();
        for part in &template.parts {
            pieces.push(match part {
                Part::Literal(text) => Piece::Literal(text.clone()),
                Part::Capture { name, detail, at } => {
                    let span = inside(
                        word,
                        self.report.source,
                        raw.template_at + at.start,
                        raw.template_at + at.end,
                    );
                    let slot = self.slot(name, span, captures)?;
                    let table = match detail {
                        Some(detail) => Some(self.table(detail, span)?),
                        None => None,
                    };
                    Piece::Slot { slot, table }
                }
            });
        }
        if pieces.is_empty() {
            pieces.push(Piece::Literal(String::new()));
        }
        Some(pieces)
    }

    fn table(&self, text: &str, span: Span) -> Option<Table> {
        if let Some(name) = text.strip_prefix("table.") {
            if let Some(table) = self.tables.get(name) {
                return Some(table.clone());
            }
            let known: Vec<&str> = self.tables.keys().map(String::as_str).collect();
            self.report
                .add(Code::ValueWrong, span, format!("there is no table `{name}`"))
                .help(did_you_mean(name, known));
            return None;
        }
        let table = parse_table(text);
        if table.is_none() {
            self.report
                .add(Code::RuleMalformed, span, "what follows the colon is no table")
                .help("write `{name: old=new, other=new, *=rest}` or `{name: table.NAME}`");
        }
        table
    }

    fn slot(&self, name: &str, span: Span, captures: &mut Captures) -> Option<usize> {
        let slot = captures.find(name);
        if slot.is_none() {
            let known: Vec<&str> = captures
                .names
                .iter()
                .map(|(name, _, _)| name.as_str())
                .filter(|name| *name != WHOLE)
                .collect();
            self.report
                .add(Code::CaptureUnknown, span, format!("nothing before this makes a capture `{name}`"))
                .help(did_you_mean(name, known));
        }
        slot
    }

    /// A path into the new tree, checked against the new profile.
    fn target_path(
        &self,
        word: Word<'_>,
        raw: &[RawTargetStep],
        before: &[TargetStep],
        captures: &mut Captures,
        wanted: Wanted,
    ) -> Option<(Vec<TargetStep>, Option<u16>)> {
        let mut steps = Vec::new();
        let mut path: Vec<PathStep<'_>> = before.iter().map(path_step).collect();
        let mut entry = None;
        for (index, step) in raw.iter().enumerate() {
            let span = inside(word, self.report.source, step.at.start, step.at.end);
            let literal = step.name.as_literal();
            path.push(literal.map_or(PathStep::Any, PathStep::Name));
            let lookup = self.new.schema.find(&path);
            if let Lookup::Unknown { known, .. } = &lookup {
                let name = literal.unwrap_or("{…}");
                self.report
                    .add(Code::LocatorUnknown, span, format!("{} has no `{name}` here", self.new.title))
                    .help(Lookup::help(name, known));
                return None;
            }
            entry = if let Lookup::Declared(found) = lookup { Some(found) } else { None };
            let what = entry.map(|entry| &self.new.schema.entries[entry as usize].what);
            let is_list = match what {
                Some(What::Setting { repeats, .. }) => *repeats,
                Some(What::Object { many, name, .. }) => *many && name.is_none(),
                None => false,
            };
            if is_list != step.append {
                let message = if is_list { "this is a list" } else { "this is no list" };
                let help =
                    if is_list { "write `[]` after the name for a new entry" } else { "leave out the `[]`" };
                self.report.add(Code::LocatorUnknown, span, message).help(help);
                return None;
            }
            let last = index + 1 == raw.len();
            let is_setting = matches!(what, Some(What::Setting { .. }));
            if is_setting != (last && wanted == Wanted::Setting) {
                let message = if is_setting {
                    "this is a setting, not a place for settings"
                } else {
                    "this is no setting"
                };
                if last || is_setting {
                    self.report.add(Code::LocatorUnknown, span, message);
                    return None;
                }
            }
            let name = match literal {
                Some(text) => TargetName::Literal(text.to_owned()),
                None => {
                    let slot = self.slot(step.name.as_capture()?, span, captures)?;
                    let kind = match what {
                        Some(What::Object { name, .. }) => *name,
                        _ => None,
                    };
                    TargetName::Slot { slot, kind }
                }
            };
            steps.push(TargetStep { name, append: step.append });
        }
        Some((steps, entry))
    }
}

/// The name of the whole value in a rule without captures.
const WHOLE: &str = "(the value)";

#[derive(Clone, Copy, PartialEq, Eq)]
enum Wanted {
    Branch,
    Setting,
}

fn path_step(step: &TargetStep) -> PathStep<'_> {
    match &step.name {
        TargetName::Literal(name) => PathStep::Name(name),
        TargetName::Slot { .. } => PathStep::Any,
    }
}
