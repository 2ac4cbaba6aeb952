//! The left side of rules: which settings of the old side they speak of.

use super::captures::{Captures, Fixed, WHOLE, kind_of};
use super::facts::{CrossingFact, SideFact};
use super::parse::Verb;
use super::places::Scope;
use super::reader::Reader;
use super::rows::Parameters;
use super::steps::{BadSide, Bound, OldStep, old_steps};
use super::{Action, Clause, ClauseShape, KeyTest, LevelKeys, NameShape, Rule};
use crate::declaration::{Word, inside};
use crate::finding::{AllOf, Count, Suggestion};
use crate::ids::EntryId;
use crate::language::expression::OperandKind;
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::TypeId;
use crate::notation::{self, Content, Key, Start, Text};
use crate::text::shape::Shape;
use crate::text::source::Span;
use crate::tree::pattern::{Pattern, Step};
use std::ops::Range;

/// The most rules that one with choices in its paths may stand for.
const MAX_CHOICES: usize = 256;

/// A path that the old profile knows.
pub(super) struct Found {
    /// The declaration, if the path stands for just one and not for what holds some.
    pub(super) entry: Option<EntryId>,
}

impl Reader<'_, '_> {
    /// The tests of the names and keys of an object and of those that hold it, with the names of its own key settings.
    pub(super) fn keys(
        &self,
        word: Word<'_>,
        steps: &[OldStep],
        captures: &mut Captures,
    ) -> (Vec<LevelKeys>, Vec<Option<String>>) {
        let mut levels = Vec::new();
        let mut own = Vec::new();
        for (index, step) in steps.iter().enumerate() {
            if step.shape.is_none() && step.key.is_none() {
                continue;
            }
            let Some(entry) = self.find_old(word, &steps[..=index], &[]).map(|found| found.entry) else {
                continue;
            };
            let up = steps.len() - 1 - index;
            if let Some(shape) = &step.shape {
                let kind = match entry.map(|entry| &self.old.schema[entry].what) {
                    Some(What::Object { name, .. }) => *name,
                    _ => None,
                };
                let test = self.test(word, shape, step.at.start, kind, captures);
                levels.push(LevelKeys { up, by_name: true, tests: vec![test] });
            }
            if let Some(key) = &step.key {
                let (tests, names) = self.level_keys(word, key, entry, captures);
                levels.push(LevelKeys { up, by_name: false, tests });
                if up == 0 {
                    own = names;
                }
            }
        }
        (levels, own)
    }

    /// The tests of the keys of the objects at one step.
    fn level_keys(
        &self,
        word: Word<'_>,
        key: &Key,
        entry: Option<EntryId>,
        captures: &mut Captures,
    ) -> (Vec<KeyTest>, Vec<Option<String>>) {
        let span = inside(word, self.report.source, key.at.start, key.at.end);
        let schema = &self.old.schema;
        let declared = entry.map(|entry| &schema[entry]);
        // Each key with the type of its values.
        let keys: Vec<(String, Option<TypeId>)> = match declared.map(|entry| &entry.what) {
            Some(What::Object { keys, .. }) => {
                let type_of = |key: &String| {
                    let pattern = declared?.pattern.join(&[Step::Names(vec![key.clone()])]);
                    schema[schema.same(&pattern)?].what.setting()
                };
                keys.iter().map(|key| (key.clone(), type_of(key))).collect()
            }
            _ => Vec::new(),
        };
        // `[]`: whichever it is.
        if key.texts.is_empty() && !key.ordered {
            return (Vec::new(), Vec::new());
        }
        if key.ordered || key.texts.len() != keys.len() {
            let known: Vec<&str> = keys.iter().map(|(name, _)| name.as_str()).collect();
            self.report
                .add(span, CrossingFact::Keys { keys: Count(keys.len(), "key"), known: AllOf::of(known) });
            return (Vec::new(), Vec::new());
        }
        let tests = key.texts.iter().zip(&keys).map(|(text, (_, kind))| match Shape::of(&text.parts) {
            Ok(shape) => self.test(word, &shape, 0, *kind, captures),
            Err(bad) => {
                self.bad(word, bad.into());
                KeyTest::Any
            }
        });
        (tests.collect(), keys.iter().map(|(name, _)| Some(name.clone())).collect())
    }

    /// What a place asks of a name or key of that type, which begins at `at` where its captures say nothing better.
    fn test(
        &self,
        word: Word<'_>,
        shape: &Shape,
        at: usize,
        of: Option<TypeId>,
        captures: &mut Captures,
    ) -> KeyTest {
        if let Some(text) = shape.as_literal() {
            return KeyTest::Literal(text.to_owned());
        }
        if let (Some(name), [capture]) = (shape.as_capture(), shape.declared().as_slice()) {
            let span = inside(word, self.report.source, capture.at.start.max(at), capture.at.end);
            if !captures.knows(name) {
                let kind = kind_of(&self.old.types, of);
                return KeyTest::Capture(captures.add(name, span, kind, of));
            }
        }
        match self.clause_shape(word, shape, of, captures) {
            Some(shape) => KeyTest::Shaped(shape),
            None => KeyTest::Any,
        }
    }

    /// Checks a path of the old side.
    pub(super) fn find_old(&self, word: Word<'_>, steps: &[OldStep], before: &[Step]) -> Option<Found> {
        // Each name of an alternative must be known, so each is looked up on its own.
        let mut paths: Vec<Vec<PathStep<'_>>> = vec![Vec::new()];
        let mut below = false;
        for step in before.iter().chain(steps.iter().map(|step| &step.step)) {
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
                Lookup::Unknown { depth, .. } if matches!(path[depth], PathStep::Any) => {}
                Lookup::Unknown { depth, known } => {
                    good = false;
                    let PathStep::Name(name) = path[depth] else { continue };
                    let at = depth
                        .checked_sub(before.len())
                        .and_then(|step| steps.get(step))
                        .map(|step| step.at.clone());
                    let span = at.map_or(word.span, |at| inside(word, self.report.source, at.start, at.end));
                    let line = format!("{} {}", self.old.title, self.old.release_name());
                    self.report.unknown_path(span, &line, name, &known);
                }
            }
        }
        good.then_some(Found { entry: entry.filter(|_| paths.len() == 1 && !below) })
    }

    /// Reads one rule. One with choices captured in its paths stands for a rule for each.
    pub(super) fn rule(
        &mut self,
        mut scope: Option<&mut Scope>,
        verb: Verb,
        (left, right, when): (Option<Word<'_>>, Word<'_>, Option<Word<'_>>),
        row: &Parameters,
    ) {
        let Some(left) = left else {
            return self.chosen_rule(&mut scope, verb, (None, Vec::new()), (right, when), &[], row);
        };
        let read = notation::Clause::parse_side(left.text).map_err(BadSide::from).and_then(|clauses| {
            let steps: Result<Vec<_>, _> = clauses.iter().map(|clause| old_steps(&clause.path)).collect();
            Ok(clauses.into_iter().zip(steps?).collect::<Vec<_>>())
        });
        let clauses = match read {
            Ok(clauses) => clauses,
            Err(bad) => return self.bad(left, bad),
        };
        let chosen = choices(&clauses);
        if chosen.len() > MAX_CHOICES {
            return self.report.add(left.span, CrossingFact::Choices { most: MAX_CHOICES });
        }
        for (number, (clauses, bound)) in chosen.into_iter().enumerate() {
            let before = self.rules.len();
            self.chosen_rule(&mut scope, verb, (Some(left), clauses), (right, when), &bound, row);
            // What is wrong with one is wrong with all.
            if number == 0 && self.rules.len() == before {
                return;
            }
        }
    }

    fn chosen_rule(
        &mut self,
        scope: &mut Option<&mut Scope>,
        verb: Verb,
        (left, raw_clauses): (Option<Word<'_>>, Vec<(notation::Clause, Vec<OldStep>)>),
        (right, when): (Word<'_>, Option<Word<'_>>),
        bound: &[(String, String)],
        row: &Parameters,
    ) {
        let before: Vec<Step> = scope.as_ref().map(|scope| scope.from.steps.clone()).unwrap_or_default();
        let in_top = || Captures { fixed: row.as_fixed().collect(), ..Captures::default() };
        let mut captures = scope.as_ref().map_or_else(in_top, |scope| scope.captures.clone());
        let outer = captures.list.len();
        let span = left.map_or(right.span, |left| left.span);
        captures.fixed.extend(bound.iter().map(|(name, text)| Fixed::new(name, text, span)));
        let mut clauses = Vec::new();
        if let Some(left) = left {
            for (raw, steps) in &raw_clauses {
                clauses.extend(self.clause(left, raw, steps, &before, &mut captures, raw_clauses.len() == 1));
            }
            if clauses.len() < raw_clauses.len() {
                return;
            }
            if let [(raw, _)] = raw_clauses.as_slice()
                && raw.optional
            {
                let span = inside(left, self.report.source, raw.at.start, raw.at.end);
                self.report.add(span, CrossingFact::OptionalAlone);
                return;
            }
        }
        if let (Verb::Move, Some(left), [(raw, steps)]) = (verb, left, raw_clauses.as_slice())
            && raw.content == Content::None
            && steps.last().is_some_and(|step| step.step == Step::Below)
        {
            let span = inside(left, self.report.source, raw.at.start, raw.at.end);
            self.report.add(span, CrossingFact::Side { side: SideFact::BelowMoved });
            return;
        }
        let when =
            when.map(|word| self.expression(word.text, word.span, &mut captures, OperandKind::Boolean));
        let action = match verb {
            Verb::Move | Verb::Add => {
                let to = scope.as_ref().map_or_else(|| vec![Vec::new()], |scope| scope.to.clone());
                let raw_targets = match notation::Clause::parse_side(right.text) {
                    Ok(targets) => targets,
                    Err(bad) => return self.bad(right, bad.into()),
                };
                let targets: Vec<_> =
                    raw_targets.iter().map(|raw| self.target(right, raw, &to, &mut captures)).collect();
                match (verb, targets.into_iter().collect::<Option<Vec<_>>>()) {
                    (Verb::Move, Some(targets)) => Action::Move(targets),
                    (_, Some(targets)) => Action::Add(targets),
                    (_, None) => return,
                }
            }
            Verb::Drop => Action::Drop { why: right.text.to_owned() },
            Verb::ByHand => Action::ByHand { instruction: right.text.to_owned() },
            Verb::Moot => Action::Moot { why: right.text.to_owned() },
        };
        if verb == Verb::Move {
            let unused = captures.list[outer..].iter().filter(|capture| !capture.used);
            let unused = unused.map(|capture| (&capture.name, capture.span));
            let fixed = captures
                .fixed
                .iter()
                .filter(|fixed| !fixed.used && !fixed.is_parameter)
                .map(|fixed| (&fixed.name, fixed.span));
            for (name, span) in unused.chain(fixed) {
                self.unused(name, span);
            }
        }
        row.mark(captures.fixed.iter().filter(|fixed| fixed.used).map(|fixed| &fixed.name));
        let place = scope.as_ref().map(|scope| scope.index);
        if let Some(scope) = scope {
            scope.captures.list.clone_from_slice(&captures.list[..outer]);
        }
        let at = self.lines.position(span.start);
        let slots = captures.list.len();
        let is_bound_twice = captures.is_bound_twice;
        let fixed = captures.fixed.into_iter().map(|fixed| (fixed.name, fixed.operand)).collect();
        let names = captures.list.into_iter().map(|capture| capture.name).collect();
        let rule = Rule { at, place, clauses, slots, names, fixed, is_bound_twice, when, action };
        self.rules.push((span, rule));
    }

    fn clause(
        &self,
        word: Word<'_>,
        raw: &notation::Clause,
        steps: &[OldStep],
        before: &[Step],
        captures: &mut Captures,
        alone: bool,
    ) -> Option<Clause> {
        let span_of = |at: &Range<usize>| inside(word, self.report.source, at.start, at.end);
        if raw.path.start != Start::Here {
            self.report.add(span_of(&raw.path.at), CrossingFact::Side { side: SideFact::StartInLeft });
            return None;
        }
        if raw.reads {
            self.report.add(span_of(&raw.at), CrossingFact::Side { side: SideFact::ReadsInLeft });
            return None;
        }
        let found = self.find_old(word, steps, before)?;
        let setting = found.entry.and_then(|entry| self.old.schema[entry].what.setting());
        if let Some(key) = steps.iter().find_map(|step| step.key.as_ref()) {
            self.report.add(span_of(&key.at), CrossingFact::KeyInRule);
            return None;
        }
        let pattern = Pattern {
            steps: before.iter().cloned().chain(steps.iter().map(|step| step.step.clone())).collect(),
        };
        let presence = raw.path.object;
        if presence && setting.is_some() {
            self.report.add(span_of(&raw.at), CrossingFact::SlashAtSetting);
            return None;
        }
        let mut names = Vec::new();
        for (index, step) in steps.iter().enumerate() {
            let Some(shape) = step.shape.as_ref().filter(|_| step.names.is_empty()) else { continue };
            let depth = before.len() + index + 1;
            let kind = match self
                .find_old(word, &steps[..=index], before)?
                .entry
                .map(|entry| &self.old.schema[entry].what)
            {
                Some(What::Object { name, .. }) => *name,
                _ => None,
            };
            names.push(NameShape { depth, ty: kind, shape: self.clause_shape(word, shape, kind, captures)? });
        }
        let mut slot = None;
        let shape = match &raw.content {
            Content::Value { text, .. } => Some(self.value_shape(word, text, setting, captures)?),
            Content::Part(_) => {
                self.report.add(span_of(&raw.at), CrossingFact::Side { side: SideFact::PartInLeft });
                return None;
            }
            Content::None => {
                if alone && !presence {
                    slot = Some(captures.add(WHOLE, word.span, kind_of(&self.old.types, setting), setting));
                }
                None
            }
        };
        Some(Clause { pattern, shape, optional: raw.optional, presence, slot, names })
    }

    fn value_shape(
        &self,
        word: Word<'_>,
        text: &Text,
        setting: Option<TypeId>,
        captures: &mut Captures,
    ) -> Option<ClauseShape> {
        match Shape::of(&text.parts) {
            Ok(shape) => self.clause_shape(word, &shape, setting, captures),
            Err(bad) => {
                self.bad(word, bad.into());
                None
            }
        }
    }

    /// A shape whose captures are those of the rule; `of` is the type of what is read by it.
    fn clause_shape(
        &self,
        word: Word<'_>,
        shape: &Shape,
        of: Option<TypeId>,
        captures: &mut Captures,
    ) -> Option<ClauseShape> {
        let mut slots = Vec::new();
        let mut types = Vec::new();
        let whole = shape.as_capture().is_some();
        for capture in shape.declared() {
            let span = inside(word, self.report.source, capture.at.start, capture.at.end);
            if captures.fixed.iter().any(|fixed| fixed.name == capture.name) {
                self.report.add(span, CrossingFact::CaptureTwice { name: capture.name.clone() });
                return None;
            }
            let declared = match &capture.ty {
                Some(name) => Some(self.old_type(name, span)?),
                None => None,
            };
            let kind = match declared.or(of.filter(|_| whole)) {
                Some(kind) => kind_of(&self.old.types, Some(kind)),
                None if whole => OperandKind::Unknown,
                None => OperandKind::Text,
            };
            slots.push(captures.add(&capture.name, span, kind, declared.or(of.filter(|_| whole))));
            types.push(declared);
        }
        Some(ClauseShape { shape: shape.clone(), slots, types })
    }

    fn old_type(&self, name: &str, span: Span) -> Option<TypeId> {
        let found = self.old.types.list.iter().zip(0..).find(|(kind, _)| kind.name == name);
        if found.is_none() {
            let known: Vec<&str> = self.old.types.list.iter().map(|kind| kind.name.as_str()).collect();
            self.report.add(
                span,
                CrossingFact::TypeUnknown {
                    title: self.old.title.clone(),
                    name: name.to_owned(),
                    instead: Suggestion::among(name, known),
                },
            );
        }
        found.map(|(_, index)| TypeId(index))
    }
}

/// Clauses with the steps of their paths.
type ReadClauses = Vec<(notation::Clause, Vec<OldStep>)>;

/// The clauses for each choice of what their paths capture, with what is captured then.
fn choices(clauses: &ReadClauses) -> Vec<(ReadClauses, Bound)> {
    let mut all = vec![(clauses.clone(), Bound::new())];
    for (number, (_, steps)) in clauses.iter().enumerate() {
        for (index, step) in steps.iter().enumerate().filter(|(_, step)| step.captures_choice()) {
            let mut next = Vec::new();
            for (clauses, bound) in &all {
                for (name, more) in &step.names {
                    let is_other = |(known, text): &(String, String)| {
                        more.iter().any(|(name, other)| name == known && other != text)
                    };
                    if bound.iter().any(is_other) {
                        continue;
                    }
                    let mut clauses = clauses.clone();
                    clauses[number].1[index].step = Step::Names(vec![name.clone()]);
                    let new = more.iter().filter(|more| !bound.contains(more)).cloned();
                    next.push((clauses, bound.iter().cloned().chain(new).collect()));
                }
            }
            all = next;
            if all.len() > MAX_CHOICES {
                return all;
            }
        }
    }
    all
}
