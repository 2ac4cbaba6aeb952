//! From the text of a crossing to rules whose places are known to both profiles.

use super::captures::{Captures, INDEX, KIND, NAME};
use super::check::{check_contested, check_hidden, check_uncovered};
use super::facts::CrossingFact;
use super::places::Held;
use super::reader::Reader;
use super::rows::{Parameters, put_in};
use super::steps::BadSide;
use super::tables::{read_constants, read_equivalents, read_tables};
use super::{Crossing, LookUp, Pins, Side};
use crate::declaration::{Report, Section, Word, as_word, as_words, inside, parse_pattern};
use crate::finding::{Findings, Suggestion};
use crate::ids::PlaceId;
use crate::language::checking::Checking;
use crate::language::expression::{Expression, OperandKind, alternatives};
use crate::language::profile::{Entry, Lookup, PathStep, Profile, asked_at, is_second_edition};
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
            expressions: old.expressions.clone(),
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
        reader.expressions.read(&root);
        reader.read_always_pinned(&root);
        reader.read_asks(&root);
        let equivalent_ports = read_equivalents(&root);
        // Rules may speak of places that are further down, so these are all read first.
        let places = root.sections("place");
        let held: Vec<Vec<(Parameters, Held)>> =
            places.iter().map(|section| reader.scopes_of(section)).collect();
        reader.read_look_ups(&root, &held);
        for (section, held) in places.into_iter().zip(held) {
            for (parameters, scope) in held {
                reader.read_place(&section, &parameters, scope);
            }
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
                check_uncovered(&report, root_span, (old, new), (&rules, &places), &head.fresh);
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
    Pin,
    Drop,
    ByHand,
    Moot,
}

pub(super) const VERBS: [(&str, Verb); 6] = [
    ("move", Verb::Move),
    ("add", Verb::Add),
    ("pin", Verb::Pin),
    ("drop", Verb::Drop),
    ("by-hand", Verb::ByHand),
    ("moot", Verb::Moot),
];

impl Verb {
    /// What the words of a rule in a place are, for messages.
    fn form(self) -> &'static str {
        match self {
            Self::Move => "[\"old setting\", \"new place\"]",
            Self::Add | Self::Pin => "\"new place = value\"",
            Self::ByHand => "[\"old setting\", \"instruction\"]",
            Self::Drop | Self::Moot => "[\"old setting\", \"reason\"]",
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
        let written = match self.expressions.expand(text, &|name| captures.knows(name)) {
            Ok(written) => written,
            Err(fact) => {
                self.report.add(span, fact);
                return Expression::new(text);
            }
        };
        let expression = Expression::new(&written);
        captures.mention(&expression);
        if self.checking == Checking::Whole {
            let mut kinds: HashMap<&str, OperandKind> = captures.kinds();
            kinds.insert(INDEX, OperandKind::Integer);
            kinds.insert(KIND, OperandKind::Text);
            kinds.insert(NAME, OperandKind::Text);
            kinds.extend(self.constants.iter().map(|(name, _)| (name.as_str(), OperandKind::Text)));
            kinds.extend(self.asks.iter().map(|ask| (ask.fact.as_str(), ask.kind)));
            let old = self.old;
            let in_force = |entry: &Entry| old.in_force(entry).is_some();
            let above = captures.above.clone();
            let asked = |path: &str| asked_at((&old.schema, &old.types), &in_force, &above, path);
            for fact in expression.check(&kinds, &asked, wanted) {
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
        for path in alternatives(absolute.unwrap_or(path)) {
            let steps = PathStep::from_here(above, &path);
            if let Lookup::Unknown { depth, known } = self.old.schema.find(&steps) {
                let name = match &steps[depth] {
                    PathStep::Name(name) => name,
                    _ => path.as_str(),
                };
                self.report.unknown_path(span, &self.old.title, name, &known);
            }
        }
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

    fn read_look_ups(&mut self, root: &Section<'_, '_>, held: &[Vec<(Parameters, Held)>]) {
        for section in root.sections("lookup") {
            let name = section.need_word("name").map(|word| word.text.to_owned());
            let place = section
                .need_word("place")
                .and_then(|word| self.places_named(word.text, word.span)?.first().copied());
            let network = section.need_word("network");
            if let (Some(name), Some(place), Some(word)) = (name, place, network) {
                let mut scopes = held.iter().flatten().filter_map(|(_, held)| held.scope());
                let scope = scopes.find(|scope| scope.index == place);
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

    /// Reads the rules of a place.
    fn read_place(&mut self, section: &Section<'_, '_>, row: &Parameters, held: Held) {
        let is_wrong = matches!(held, Held::Wrong);
        let mut scope = match held {
            Held::Place(scope) => Some(scope),
            Held::Top | Held::Wrong => None,
        };
        for word in section.words("same") {
            if !is_wrong {
                let text = row.put(word.text);
                let word = put_in(&text, word);
                self.rule(scope.as_deref_mut(), Verb::Move, (Some(word), word, None), row);
            }
        }
        for (key, verb) in VERBS {
            let Some(value) = section.raw(key) else { continue };
            let entries = value.get_ref().as_array();
            let mut wrong = entries.is_none();
            for entry in entries.into_iter().flat_map(|array| array.iter()) {
                // What is added needs no list where there is no condition.
                let alone =
                    as_word(entry).filter(|_| matches!(verb, Verb::Add | Verb::Pin)).map(|word| vec![word]);
                let words: Option<Vec<Word<'_>>> = alone.or_else(|| as_words(entry));
                let (left, right, when) = match (verb, words.as_deref()) {
                    (Verb::Add | Verb::Pin, Some(&[right])) => (None, right, None),
                    (Verb::Add | Verb::Pin, Some(&[right, when])) => (None, right, Some(when)),
                    (Verb::Add | Verb::Pin, _) => (None, Word { text: "", span: Span::default() }, None),
                    (_, Some(&[left, right])) => (Some(left), right, None),
                    (_, Some(&[left, right, when])) => (Some(left), right, Some(when)),
                    _ => (None, Word { text: "", span: Span::default() }, None),
                };
                if right.text.is_empty() && left.is_none() {
                    wrong = true;
                } else if !is_wrong {
                    let texts = [left, Some(right), when].map(|word| word.map(|word| row.put(word.text)));
                    let [left, _, when] = [(0, left), (1, None), (2, when)].map(|(at, word)| {
                        texts[at].as_ref().zip(word).map(|(text, word)| put_in(text, word))
                    });
                    let right = texts[1].as_ref().map_or(right, |text| put_in(text, right));
                    self.rule(scope.as_deref_mut(), verb, (left, right, when), row);
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
        if !is_wrong {
            for (name, span) in row.unused() {
                self.report.add(span, CrossingFact::ParameterUnused { name: name.to_owned() });
            }
        }
    }

    pub(super) fn unused(&self, name: &str, span: Span) {
        self.report.add(span, CrossingFact::CaptureUnused { name: name.to_owned() });
    }
}
