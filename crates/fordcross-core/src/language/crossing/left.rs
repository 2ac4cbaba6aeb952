//! The left side of rules: which settings of the old side they speak of.

use super::captures::{Captures, WHOLE};
use super::facts::{CrossingFact, SideFact};
use super::reader::Reader;
use super::steps::{OldStep, SideClause};
use super::{Clause, ClauseShape, KeyTest, LevelKeys, NameShape};
use crate::declaration::{Word, inside};
use crate::finding::{AllOf, Count, Suggestion};
use crate::ids::EntryId;
use crate::language::expression::{OperandKind, kind_of};
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::TypeId;
use crate::notation::{Content, Key, Start, Text};
use crate::text::shape::Shape;
use crate::text::source::Span;
use crate::tree::pattern::{Pattern, Step};
use std::ops::Range;

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
    pub(super) fn level_keys(
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

    pub(super) fn clause(
        &self,
        word: Word<'_>,
        SideClause { clause: raw, steps, .. }: &SideClause,
        before: &[Step],
        captures: &mut Captures,
        alone: bool,
    ) -> Option<Clause> {
        let span_of = |at: &Range<usize>| inside(word, self.report.source, at.start, at.end);
        if raw.path.start != Start::Here {
            self.report.add(span_of(&raw.path.at), CrossingFact::Side { side: SideFact::StartInLeft });
            return None;
        }
        let found = self.find_old(word, steps, before)?;
        let setting = found.entry.and_then(|entry| self.old.schema[entry].what.setting());
        let numbers = self.numbers(word, steps, before)?;
        let several = self.several(word, steps, before);
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
            // What is in a part was taken out of it.
            Content::None | Content::Part(_) => {
                if alone && !presence {
                    slot = Some(captures.add(WHOLE, word.span, kind_of(&self.old.types, setting), setting));
                }
                None
            }
        };
        Some(Clause { pattern, shape, optional: raw.optional, presence, slot, names, numbers, several })
    }

    pub(super) fn value_shape(
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
    pub(super) fn clause_shape(
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
        let found = self.old.types.named.get(name).copied();
        if found.is_none() {
            self.report.add(
                span,
                CrossingFact::TypeUnknown {
                    title: self.old.title.clone(),
                    name: name.to_owned(),
                    instead: Suggestion::among(name, self.old.types.names()),
                },
            );
        }
        found
    }
}
