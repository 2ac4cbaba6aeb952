//! The left side of rules: which settings of the old side they speak of.

use super::captures::{Captures, WHOLE, kind_of};
use super::facts::CrossingFact;
use super::parse::{Scope, Verb};
use super::reader::Reader;
use super::syntax::{RawClause, parse_left, parse_right};
use super::{Action, Clause, ClauseShape, KeyTest, LevelKeys, Rule, TargetStep};
use crate::declaration::{Word, inside};
use crate::finding::{AllOf, Count, Suggestion};
use crate::ids::EntryId;
use crate::language::expression::OperandKind;
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::TypeId;
use crate::text::shape::{Part, Shape, UNSAID, is_name};
use crate::text::source::Span;
use crate::tree::pattern::{Pattern, RawStep, Step, pieces};

/// A path that the old profile knows.
pub(super) struct Found {
    /// The declaration, if the path stands for just one and not for what holds some.
    pub(super) entry: Option<EntryId>,
}

impl Reader<'_, '_> {
    /// The tests of the keys of an object and of those that hold it, with the names of its own key settings.
    pub(super) fn keys(
        &self,
        word: Word<'_>,
        steps: &[RawStep],
        captures: &mut Captures,
    ) -> (Vec<LevelKeys>, Vec<Option<String>>) {
        let mut levels = Vec::new();
        let mut own = Vec::new();
        for (index, step) in steps.iter().enumerate() {
            let Some(text) = &step.key else { continue };
            let Some(entry) = self.find_old(word, &steps[..=index], &[]).map(|found| found.entry) else {
                continue;
            };
            let (tests, names) = self.level_keys(word, step, text, entry, captures);
            let up = steps.len() - 1 - index;
            levels.push(LevelKeys { up, tests });
            if up == 0 {
                own = names;
            }
        }
        (levels, own)
    }

    /// The tests of the keys of the objects at one step.
    fn level_keys(
        &self,
        word: Word<'_>,
        step: &RawStep,
        text: &str,
        entry: Option<EntryId>,
        captures: &mut Captures,
    ) -> (Vec<KeyTest>, Vec<Option<String>>) {
        let span = inside(word, self.report.source, step.at.start, step.at.end);
        let schema = &self.old.schema;
        let declared = entry.map(|entry| &schema[entry]);
        // Each key with the kind of its values.
        let keys: Vec<(Option<String>, OperandKind, Option<TypeId>)> = match declared.map(|entry| &entry.what)
        {
            Some(What::Object { keys, name, .. }) => {
                let by_name = name.map(|kind| (None, kind_of(&self.old.types, Some(kind)), Some(kind)));
                let by_setting = keys.iter().map(|key| {
                    let pattern = declared.map(|entry| entry.pattern.join(&[Step::Names(vec![key.clone()])]));
                    let setting = pattern.and_then(|pattern| schema.same(&pattern));
                    let kind = setting.and_then(|entry| schema[entry].what.setting());
                    (Some(key.clone()), kind_of(&self.old.types, kind), kind)
                });
                by_name.into_iter().chain(by_setting).collect()
            }
            _ => Vec::new(),
        };
        let tests: Vec<&str> = pieces(text, ',').into_iter().map(|range| text[range].trim()).collect();
        if tests.len() != keys.len() {
            let known: Vec<&str> =
                keys.iter().map(|(name, ..)| name.as_deref().unwrap_or("its name")).collect();
            self.report
                .add(span, CrossingFact::Keys { keys: Count(keys.len(), "key"), known: AllOf::of(known) });
            return (Vec::new(), Vec::new());
        }
        let tests = tests
            .into_iter()
            .zip(&keys)
            .map(|(wanted, (_, kind, of))| match wanted {
                "*" => KeyTest::Any,
                wanted => match wanted.strip_prefix('{').and_then(|name| name.strip_suffix('}')) {
                    Some(name) if is_name(name) => KeyTest::Capture(captures.add(name, span, *kind, *of)),
                    _ if wanted.contains('{') => self.shaped_key(wanted, span, captures),
                    _ => KeyTest::Literal(wanted.to_owned()),
                },
            })
            .collect();
        (tests, keys.into_iter().map(|(name, ..)| name).collect())
    }

    /// A key of a shape: `{parent:port}.{id}`.
    fn shaped_key(&self, text: &str, span: Span, captures: &mut Captures) -> KeyTest {
        let shape = match Shape::parse(text) {
            Ok(shape) if shape.expression_at().is_none() => shape,
            Ok(_) => {
                self.report.add(span, CrossingFact::ReadByExpression);
                return KeyTest::Any;
            }
            Err(bad) => {
                self.report.add(span, CrossingFact::KeyShape { shape: bad.fact });
                return KeyTest::Any;
            }
        };
        let (mut slots, mut types) = (Vec::new(), Vec::new());
        for part in &shape.parts {
            let Part::Capture { name, detail, .. } = part else { continue };
            let declared = detail.as_ref().and_then(|detail| self.old_type(detail, span));
            let kind = declared.map_or(OperandKind::Text, |kind| kind_of(&self.old.types, Some(kind)));
            slots.push(captures.add(name, span, kind, declared));
            types.push(declared);
        }
        KeyTest::Shaped(ClauseShape { shape, slots, types })
    }

    /// Checks a path of the old side.
    pub(super) fn find_old(&self, word: Word<'_>, steps: &[RawStep], before: &[Step]) -> Option<Found> {
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
                Lookup::Unknown { depth, .. } if matches!(path[depth], PathStep::Any) => {}
                Lookup::Unknown { depth, known } => {
                    good = false;
                    let PathStep::Name(name) = path[depth] else { continue };
                    let at = depth
                        .checked_sub(before.len())
                        .and_then(|step| steps.get(step))
                        .map(|raw| raw.at.clone());
                    let span = at.map_or(word.span, |at| inside(word, self.report.source, at.start, at.end));
                    let line = format!("{} {}", self.old.title, self.old.release_name());
                    self.report.unknown_path(span, &line, name, &known);
                }
            }
        }
        good.then_some(Found { entry: entry.filter(|_| paths.len() == 1 && !below) })
    }

    /// Reads one rule.
    pub(super) fn rule(
        &mut self,
        scope: Option<&mut Scope>,
        verb: Verb,
        left: Option<Word<'_>>,
        right: Word<'_>,
        when: Option<Word<'_>>,
    ) {
        let before: Vec<Step> = scope.as_ref().map(|scope| scope.from.steps.clone()).unwrap_or_default();
        let mut captures = scope.as_ref().map(|scope| scope.captures.clone()).unwrap_or_default();
        let outer = captures.list.len();
        let mut clauses = Vec::new();
        if let Some(left) = left {
            let raw_clauses = match parse_left(left.text) {
                Ok(clauses) => clauses,
                Err(bad) => return self.bad(left, bad),
            };
            for raw in &raw_clauses {
                clauses.extend(self.clause(left, raw, &before, &mut captures, raw_clauses.len() == 1));
            }
            if clauses.len() < raw_clauses.len() {
                return;
            }
            if let Some(raw) = raw_clauses.first().filter(|raw| raw.optional) {
                let span = inside(left, self.report.source, raw.at.start, raw.at.end);
                self.report.add(span, CrossingFact::FirstOptional);
                return;
            }
        }
        let when =
            when.map(|word| self.expression(word.text, word.span, &mut captures, OperandKind::Boolean));
        let to: Vec<TargetStep> = scope.as_ref().map(|scope| scope.to.clone()).unwrap_or_default();
        let action = match verb {
            Verb::Move | Verb::Add => {
                let raw_targets = match parse_right(right.text) {
                    Ok(targets) => targets,
                    Err(bad) => return self.bad(right, bad),
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
            for capture in captures.list[outer..].iter().filter(|capture| !capture.used) {
                self.unused(&capture.name, capture.span);
            }
        }
        let place = scope.as_ref().map(|scope| scope.index);
        if let Some(scope) = scope {
            scope.captures.list.clone_from_slice(&captures.list[..outer]);
        }
        let span = left.map_or(right.span, |left| left.span);
        let at = self.lines.position(span.start);
        let slots = captures.list.len();
        let names = captures.list.into_iter().map(|capture| capture.name).collect();
        self.rules.push((span, Rule { at, place, clauses, slots, names, when, action }));
    }

    fn clause(
        &self,
        word: Word<'_>,
        raw: &RawClause,
        before: &[Step],
        captures: &mut Captures,
        alone: bool,
    ) -> Option<Clause> {
        let found = self.find_old(word, &raw.steps, before)?;
        let setting = found.entry.and_then(|entry| self.old.schema[entry].what.setting());
        if let Some(step) = raw.steps.iter().find(|step| step.key.is_some()) {
            let span = inside(word, self.report.source, step.at.start, step.at.end);
            self.report.add(span, CrossingFact::KeyInRule);
            return None;
        }
        let steps: Vec<Step> = raw.steps.iter().map(|step| step.step.clone()).collect();
        let pattern = Pattern { steps: before.to_vec() }.join(&steps);
        if raw.presence && setting.is_some() {
            let span = inside(word, self.report.source, raw.at.start, raw.at.end);
            self.report.add(span, CrossingFact::SlashAtSetting);
            return None;
        }
        let mut slot = None;
        let shape = match &raw.shape {
            Some(shape) => Some(self.clause_shape(word, raw, shape, setting, captures)?),
            None => {
                if alone && !raw.presence {
                    slot = Some(captures.add(WHOLE, word.span, kind_of(&self.old.types, setting), setting));
                }
                None
            }
        };
        Some(Clause { pattern, shape, optional: raw.optional, presence: raw.presence, slot })
    }

    fn clause_shape(
        &self,
        word: Word<'_>,
        raw: &RawClause,
        shape: &Shape,
        setting: Option<TypeId>,
        captures: &mut Captures,
    ) -> Option<ClauseShape> {
        let mut slots = Vec::new();
        let mut types = Vec::new();
        let span_of = |at: &std::ops::Range<usize>| {
            inside(word, self.report.source, raw.shape_at + at.start, raw.shape_at + at.end)
        };
        if let Some(at) = shape.expression_at() {
            self.report.add(span_of(&at), CrossingFact::ConditionInPattern);
            return None;
        }
        let whole = shape.as_capture().is_some();
        for part in &shape.parts {
            let Part::Capture { name, detail, at } = part else { continue };
            let span = span_of(at);
            if captures.knows(name) && name != UNSAID {
                self.report.add(span, CrossingFact::CaptureTwice { name: name.to_owned() });
                return None;
            }
            let declared = match detail {
                Some(detail) => Some(self.old_type(detail, span)?),
                None => None,
            };
            let kind = match declared.or(setting.filter(|_| whole)) {
                Some(kind) => kind_of(&self.old.types, Some(kind)),
                None if whole => OperandKind::Unknown,
                None => OperandKind::Text,
            };
            slots.push(captures.add(name, span, kind, declared.or(setting.filter(|_| whole))));
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
