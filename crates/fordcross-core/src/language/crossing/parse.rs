//! From the text of a crossing to rules whose places are known to both profiles.

use super::captures::{Captures, INDEX, KIND, NAME};
use super::check::{check_contested, check_hidden, check_unspoken};
use super::facts::CrossingFact;
use super::reader::Reader;
use super::right::Ways;
use super::steps::{BadSide, old_steps};
use super::tables::{read_constants, read_equivalents, read_tables};
use super::{Action, Clause, Crossing, KeyTest, LookUp, Pins, Place, Rule, Side};
use crate::declaration::{Report, Section, Word, as_word, as_words, inside, parse_pattern};
use crate::finding::{Findings, Suggestion};
use crate::ids::PlaceId;
use crate::language::checking::Checking;
use crate::language::expression::{Expression, OperandKind};
use crate::language::profile::{Lookup, PathStep, Profile, is_second_edition};
use crate::notation::{Path, Start};
use crate::text::source::{LineIndex, Source, Span};
use crate::tree::pattern::{Pattern, Step};
use rustc_hash::FxHashMap;
use std::collections::HashMap;

/// Reads only which sides a crossing connects.
///
/// # Errors
/// What is wrong with the file as TOML, or with its `[crossing]` table.
pub fn crossing_sides(source: Source<'_>) -> Result<(Side, Side), Findings> {
    let report = Report::new(source);
    let table = report.parse();
    let root = Section::new(&report, table.get_ref(), table.span().into());
    if !is_second_edition(&root) {
        return Err(report.into_findings());
    }
    match read_head(&root) {
        Some(head) if report.is_clean() => Ok(head.sides),
        _ => Err(report.into_findings()),
    }
}

/// What `[crossing]` says.
struct Head {
    sides: (Side, Side),
    flattens: Option<bool>,
    pins: Pins,
    /// What is new on the new side, and nothing of the old side is behind it.
    fresh: Vec<Pattern>,
}

fn read_head(root: &Section<'_, '_>) -> Option<Head> {
    let head = root.need_section("crossing")?;
    let side = |key| {
        let word = head.need_word(key)?;
        let side = Side::parse(word.text);
        if side.is_none() {
            head.report().add(word.span, CrossingFact::NoRelease { side: word.text.to_owned() });
        }
        side
    };
    let (from, to) = (side("from"), side("to"));
    head.word("title");
    let ways = [("written-out", true), ("kept", false)];
    let flattens = head.pick_given("inherited", &ways);
    // What they name is read with the rules.
    head.words("shared");
    head.words("always-write");
    let pins = head.pick_given("write-defaults", &Pins::WORDS).unwrap_or_default();
    let fresh = head.words("fresh").into_iter().filter_map(|word| parse_pattern(&head, word)).collect();
    head.finish();
    Some(Head { sides: (from?, to?), flattens, pins, fresh })
}

impl Crossing {
    /// Reads a crossing and checks it against the profiles of both sides. `shared` are the files that it
    /// may include.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its place.
    pub fn parse(
        source: Source<'_>,
        old: &Profile,
        new: &Profile,
        checking: Checking,
        shared: &[Source<'_>],
    ) -> Result<Self, Findings> {
        let report = Report::new(source);
        let table = report.parse();
        let root = Section::new(&report, table.get_ref(), table.span().into());
        let root_span = root.section("crossing").map_or_else(|| root.span(), |head| head.span());
        if !is_second_edition(&root) {
            return Err(report.into_findings());
        }
        let head = read_head(&root);
        let mut reader = Reader {
            report: &report,
            lines: LineIndex::new(source),
            checking,
            old,
            new,
            tables: FxHashMap::default(),
            constants: Vec::new(),
            always_pinned: Vec::new(),
            asks: Vec::new(),
            place_names: Vec::new(),
            places: Vec::new(),
            look_ups: Vec::new(),
            rules: Vec::new(),
        };
        for file in root.section("crossing").iter().flat_map(|head| head.words("shared")) {
            reader.include(&root, file, shared);
        }
        reader.tables.extend(read_tables(&root));
        reader.constants.extend(read_constants(&root));
        reader.read_always_pinned(&root);
        reader.read_asks(&root);
        let equivalent_ports = read_equivalents(&root);
        // Rules may speak of places that are further down, so these are all read first.
        let places = root.sections("place");
        let scopes: Vec<Held> = places.iter().map(|section| reader.scope_of(section)).collect();
        reader.read_look_ups(&root, &scopes);
        for (section, scope) in places.into_iter().zip(scopes) {
            reader.read_place(&section, scope);
            section.finish();
        }
        let requirements = reader.read_requirements(&root);
        let steps = reader.read_steps(&root);
        let notices = reader.read_notices(&root);
        let base = reader.read_base(&root);
        root.finish();
        let Reader { places, mut rules, look_ups, asks, always_pinned, constants, .. } = reader;
        rules.sort_by_key(|(span, _)| *span);
        if checking == Checking::Whole {
            check_hidden(&report, &rules, &places);
            check_contested(&report, &rules);
            if let Some(head) = &head {
                check_unspoken(&report, root_span, (old, new), &rules, &head.fresh);
            }
        }
        match head {
            Some(Head { sides: (from, to), flattens, pins, .. }) if report.is_clean() => Ok(Self {
                file: source.name.to_owned(),
                from,
                to,
                equivalent_ports,
                places,
                rules: rules.into_iter().map(|(_, rule)| rule).collect(),
                look_ups,
                asks,
                requirements,
                steps,
                notices,
                base,
                flattens,
                pins,
                always_pinned,
                constants,
                warnings: report.into_findings(),
            }),
            _ => Err(report.into_findings()),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Verb {
    Move,
    Add,
    Drop,
    ByHand,
    Moot,
}

pub(super) const VERBS: [(&str, Verb); 5] = [
    ("move", Verb::Move),
    ("add", Verb::Add),
    ("drop", Verb::Drop),
    ("by-hand", Verb::ByHand),
    ("moot", Verb::Moot),
];

impl Verb {
    /// What the words of a rule in a place are, for messages.
    fn form(self) -> &'static str {
        match self {
            Self::Move => "[\"old setting\", \"new place\"]",
            Self::Add => "\"new place = value\"",
            Self::ByHand => "[\"old setting\", \"instruction\"]",
            Self::Drop | Self::Moot => "[\"old setting\", \"reason\"]",
        }
    }
}

/// A place whose rules are being read.
pub(super) struct Scope {
    pub(super) index: PlaceId,
    /// The pattern of its objects.
    pub(super) from: Pattern,
    /// Where they go, as the new profile's schema is asked.
    pub(super) to: Ways,
    pub(super) captures: Captures,
}

/// What the rules of a table `[[place]]` are in.
enum Held {
    /// Objects of a path.
    Place(Box<Scope>),
    /// The whole.
    Top,
    /// What is wrong with it was reported, and its rules are not looked at.
    Wrong,
}

impl Held {
    fn scope(&self) -> Option<&Scope> {
        match self {
            Self::Place(scope) => Some(scope),
            Self::Top | Self::Wrong => None,
        }
    }
}

impl Reader<'_, '_> {
    pub(super) fn bad(&self, word: Word<'_>, bad: BadSide) {
        let span = inside(word, self.report.source, bad.at.start, bad.at.end);
        self.report.add(span, CrossingFact::Side { side: bad.fact });
    }

    /// An expression, checked if the crossing is checked whole.
    pub(super) fn expression(
        &self,
        text: &str,
        span: Span,
        captures: &mut Captures,
        wanted: OperandKind,
    ) -> Expression {
        let expression = Expression::new(text);
        captures.mention(&expression);
        if self.checking == Checking::Whole {
            let mut kinds: HashMap<&str, OperandKind> = captures.kinds();
            kinds.insert(INDEX, OperandKind::Integer);
            kinds.insert(KIND, OperandKind::Text);
            kinds.insert(NAME, OperandKind::Text);
            kinds.extend(self.constants.iter().map(|(name, _)| (name.as_str(), OperandKind::Text)));
            kinds.extend(self.asks.iter().map(|ask| (ask.fact.as_str(), ask.kind)));
            for fact in expression.check(&kinds, wanted) {
                self.report.add(span, fact);
            }
            for path in expression.paths() {
                self.check_path(path, span, &captures.above);
            }
        }
        expression
    }

    /// A path in an expression must be one that the old profile knows.
    pub(super) fn check_path(&self, path: &str, span: Span, above: &[Step]) {
        let absolute = path.strip_prefix('/');
        let above = if absolute.is_some() { &[] } else { above };
        let steps = PathStep::from_here(above, absolute.unwrap_or(path));
        if let Lookup::Unknown { depth, known } = self.old.schema.find(&steps) {
            let name = match &steps[depth] {
                PathStep::Name(name) => name,
                _ => path,
            };
            self.report.unknown_path(span, &self.old.title, name, &known);
        }
    }

    pub(super) fn condition(&self, section: &Section<'_, '_>, captures: &mut Captures) -> Option<Expression> {
        let word = section.word("when")?;
        Some(self.expression(word.text, word.span, captures, OperandKind::Boolean))
    }

    /// A pattern of the new side, which its profile must know.
    pub(super) fn new_pattern(&self, section: &Section<'_, '_>, word: Word<'_>) -> Option<Pattern> {
        let pattern = parse_pattern(section, word)?;
        let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
        if let Lookup::Unknown { depth, known } = self.new.schema.find(&steps) {
            let name = pattern.steps[depth].to_string();
            self.report.unknown_path(word.span, &self.new.title, &name, &known);
        }
        Some(pattern)
    }

    fn read_look_ups(&mut self, root: &Section<'_, '_>, scopes: &[Held]) {
        for section in root.sections("lookup") {
            let name = section.need_word("name").map(|word| word.text.to_owned());
            let place = section
                .need_word("place")
                .and_then(|word| self.places_named(word.text, word.span)?.first().copied());
            let network = section.need_word("network");
            if let (Some(name), Some(place), Some(word)) = (name, place, network) {
                let scope = scopes.iter().filter_map(Held::scope).find(|scope| scope.index == place);
                let mut captures = scope.map(|scope| scope.captures.clone()).unwrap_or_default();
                let network = self.expression(word.text, word.span, &mut captures, OperandKind::Text);
                let gives = section
                    .word("gives")
                    .map(|word| self.expression(word.text, word.span, &mut captures, OperandKind::Text));
                self.look_ups.push(LookUp { name, place, network, gives });
            }
            section.finish();
        }
    }

    /// The places of a name.
    pub(super) fn places_named(&self, name: &str, span: Span) -> Option<Vec<PlaceId>> {
        let of_name = self.place_names.iter().filter(|(known, _)| known == name);
        let found: Vec<PlaceId> = of_name.map(|(_, index)| *index).collect();
        if found.is_empty() {
            let known: Vec<&str> = self.place_names.iter().map(|(name, _)| name.as_str()).collect();
            self.report.add(
                span,
                CrossingFact::PlaceUnknown { name: name.to_owned(), instead: Suggestion::among(name, known) },
            );
            return None;
        }
        Some(found)
    }

    /// Reads the head of a place.
    fn scope_of(&mut self, section: &Section<'_, '_>) -> Held {
        if !section.has("from") && !section.has("to") {
            for key in ["name", "when", "merge"].into_iter().filter(|key| section.has(key)) {
                let span = section.raw(key).map_or(section.span(), |value| value.span().into());
                self.report.add(span, CrossingFact::TopWith { key });
            }
            return Held::Top;
        }
        self.objects_of(section).map_or(Held::Wrong, |scope| Held::Place(scope.into()))
    }

    fn objects_of(&mut self, section: &Section<'_, '_>) -> Option<Scope> {
        let name = section.word("name");
        let (from, to) = (section.need_word("from"), section.word("to"));
        let from = from?;
        let read =
            Path::parse(from.text).map_err(BadSide::from).and_then(|path| Ok((old_steps(&path)?, path)));
        let steps = match read {
            Ok((steps, path)) if path.start == Start::Here => steps,
            Ok(_) => {
                self.report.add(from.span, CrossingFact::PlaceOfClauses);
                return None;
            }
            Err(bad) => {
                self.bad(from, bad);
                return None;
            }
        };
        let pattern = Pattern { steps: steps.iter().map(|step| step.step.clone()).collect() };
        self.find_old(from, &steps, &[])?;
        let mut captures = Captures { above: pattern.steps.clone(), ..Captures::default() };
        let (keys, key_names) = self.keys(from, &steps, &mut captures);
        let top = vec![Vec::new()];
        let (start, target, ways) = match to {
            None => (None, Vec::new(), Ways::new()),
            Some(to) => {
                let path = match Path::parse(to.text) {
                    Ok(path) => path,
                    Err(bad) => {
                        self.bad(to, bad.into());
                        return None;
                    }
                };
                let (_, start, above) = self.start(to, &path, &top, &mut captures)?;
                let target = self.branch_path(to, &path, &above, &mut captures)?;
                let ways = above.iter().map(|way| way.iter().chain(&target).cloned().collect()).collect();
                (start, target, ways)
            }
        };
        // Only what the name itself holds is taken by the place; a condition takes nothing.
        let in_name: Vec<bool> = captures.list.iter().map(|capture| capture.used).collect();
        let when = self.condition(section, &mut captures);
        let place = PlaceId::new(self.places.len());
        let clause = |pattern, optional, slot| Clause {
            pattern,
            shape: None,
            optional,
            presence: false,
            slot,
            names: Vec::new(),
        };
        let mut clauses = vec![clause(pattern.clone(), false, None)];
        let own = keys.iter().filter(|level| level.up == 0 && !level.by_name).flat_map(|level| &level.tests);
        for (test, name) in own.zip(&key_names) {
            if let (KeyTest::Capture(slot), Some(name)) = (test, name)
                && in_name[slot.index()]
            {
                let key = pattern.join(&[Step::Names(vec![name.clone()])]);
                clauses.push(clause(key, true, Some(*slot)));
            }
        }
        if let Some(name) = name {
            self.place_names.push((name.text.to_owned(), place));
        }
        self.places.push(Place {
            from: pattern.clone(),
            when,
            depth: pattern.depth(),
            keys,
            start,
            target,
            ways: ways.clone(),
            takes: to.is_some(),
            group: self.group_of(section, &pattern),
        });
        let at = self.lines.position(from.span.start);
        let slots = captures.list.len();
        let is_bound_twice = std::mem::take(&mut captures.is_bound_twice);
        let names = captures.list.iter().map(|capture| capture.name.clone()).collect();
        let rule = Rule {
            at,
            place: Some(place),
            clauses,
            slots,
            names,
            fixed: Vec::new(),
            is_bound_twice,
            when: None,
            action: Action::Place,
        };
        self.rules.push((section.span(), rule));
        Some(Scope { index: place, from: pattern, to: ways, captures })
    }

    /// The settings that make objects of a place equal.
    pub(super) fn group_of(&self, section: &Section<'_, '_>, pattern: &Pattern) -> Vec<String> {
        let Some(merge) = section.section("merge") else { return Vec::new() };
        let words = merge.words("by");
        merge.finish();
        for word in &words {
            self.check_path(word.text, word.span, &pattern.steps);
        }
        words.into_iter().map(|word| word.text.to_owned()).collect()
    }

    /// Reads the rules of a place.
    fn read_place(&mut self, section: &Section<'_, '_>, held: Held) {
        let is_wrong = matches!(held, Held::Wrong);
        let mut scope = match held {
            Held::Place(scope) => Some(scope),
            Held::Top | Held::Wrong => None,
        };
        for (key, verb) in VERBS {
            let Some(value) = section.raw(key) else { continue };
            let entries = value.get_ref().as_array();
            let mut wrong = entries.is_none();
            for entry in entries.into_iter().flat_map(|array| array.iter()) {
                // What is added needs no list where there is no condition.
                let alone = as_word(entry).filter(|_| verb == Verb::Add).map(|word| vec![word]);
                let words: Option<Vec<Word<'_>>> = alone.or_else(|| as_words(entry));
                let (left, right, when) = match (verb, words.as_deref()) {
                    (Verb::Add, Some(&[right])) => (None, right, None),
                    (Verb::Add, Some(&[right, when])) => (None, right, Some(when)),
                    (Verb::Add, _) => (None, Word { text: "", span: Span::default() }, None),
                    (_, Some(&[left, right])) => (Some(left), right, None),
                    (_, Some(&[left, right, when])) => (Some(left), right, Some(when)),
                    _ => (None, Word { text: "", span: Span::default() }, None),
                };
                if right.text.is_empty() && left.is_none() {
                    wrong = true;
                } else if !is_wrong {
                    self.rule(scope.as_deref_mut(), verb, left, right, when);
                }
            }
            if wrong {
                self.report.add(
                    value.span().into(),
                    CrossingFact::NotRules { key: key.to_owned(), form: verb.form().to_string() },
                );
            }
        }
        for capture in
            scope.iter().flat_map(|scope| scope.captures.list.iter().filter(|capture| !capture.used))
        {
            self.unused(&capture.name, capture.span);
        }
    }

    pub(super) fn unused(&self, name: &str, span: Span) {
        self.report.add(span, CrossingFact::CaptureUnused { name: name.to_owned() });
    }
}
