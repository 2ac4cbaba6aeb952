//! The right side of rules: where they write, and what.

use super::captures::{Captures, WHOLE};
use super::facts::{CrossingFact, SideFact};
use super::reader::Reader;
use super::{Field, Piece, Start, Target, TargetName, TargetStep};
use crate::declaration::{Word, inside};
use crate::finding::Suggestion;
use crate::ids::{EntryId, PlaceId, SlotId};
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::{TypeId, never_becomes};
use crate::notation::{self, Clause, Content, Detail, Key, Part, Path, StepName, literal};
use crate::text::source::Span;
use std::ops::Range;

/// The ways to where a rule writes, from the top: one, or one for each place of a name.
pub(super) type Ways = Vec<Vec<TargetStep>>;

#[derive(Clone, Copy, PartialEq, Eq)]
enum Wanted {
    Branch,
    Setting,
}

impl Reader<'_, '_> {
    /// What one clause of the right side writes.
    pub(super) fn target(
        &self,
        word: Word<'_>,
        clause: &Clause,
        before: &Ways,
        captures: &mut Captures,
    ) -> Option<Target> {
        let (top, start, above) = self.start(word, &clause.path, before, captures)?;
        let mut target = Target { top, start, base: Vec::new(), fields: Vec::new(), objects: Vec::new() };
        match &clause.content {
            Content::Part(side) => {
                target.base = self.branch_path(word, &clause.path, &above, captures)?;
                let below =
                    above.iter().map(|way| way.iter().chain(&target.base).cloned().collect()).collect();
                let mut good = true;
                for inner in side {
                    if inner.path.start != notation::Start::Here {
                        self.wrong_side(word, &inner.path.at, SideFact::StartInPart);
                        good = false;
                        continue;
                    }
                    good &= self.below(word, inner, &[], &below, captures, &mut target).is_some();
                }
                good.then_some(target)
            }
            _ => self.below(word, clause, &[], &above, captures, &mut target).map(|()| target),
        }
    }

    /// What one clause writes below where a target is; `path` leads to it from there.
    fn below(
        &self,
        word: Word<'_>,
        clause: &Clause,
        path: &[notation::Step],
        above: &Ways,
        captures: &mut Captures,
        target: &mut Target,
    ) -> Option<()> {
        let wrong = |at: &Range<usize>, side| self.wrong_side(word, at, side);
        if clause.reads || clause.optional {
            wrong(&clause.at, SideFact::SignInRight);
            return None;
        }
        if !path.is_empty() && clause.path.start != notation::Start::Here {
            wrong(&clause.path.at, SideFact::StartInPart);
            return None;
        }
        let steps: Vec<notation::Step> = path.iter().chain(&clause.path.steps).cloned().collect();
        let whole = Path { steps, ..clause.path.clone() };
        match &clause.content {
            Content::Part(side) => {
                if let Some(step) = clause.path.steps.iter().find(|step| step.key.is_some()) {
                    wrong(&step.at, SideFact::EntryInPart);
                    return None;
                }
                let inner =
                    side.iter().map(|inner| self.below(word, inner, &whole.steps, above, captures, target));
                inner.collect::<Vec<_>>().into_iter().collect()
            }
            Content::None if clause.path.object => {
                target.objects.push(self.branch_path(word, &whole, above, captures)?);
                Some(())
            }
            _ => {
                target.fields.push(self.field(word, clause, &whole, above, captures)?);
                Some(())
            }
        }
    }

    fn wrong_side(&self, word: Word<'_>, at: &Range<usize>, side: SideFact) {
        self.report.add(inside(word, self.report.source, at.start, at.end), CrossingFact::Side { side });
    }

    /// What a path of the right side leads on from: the top, where an object of a place went, or the rule's own place.
    pub(super) fn start(
        &self,
        word: Word<'_>,
        path: &Path,
        before: &Ways,
        captures: &mut Captures,
    ) -> Option<(bool, Option<Start>, Ways)> {
        match &path.start {
            notation::Start::Here => Some((false, None, before.clone())),
            notation::Start::Top => Some((true, None, vec![Vec::new()])),
            notation::Start::Up(_) => {
                let span = inside(word, self.report.source, path.at.start, path.at.end);
                self.report.add(span, CrossingFact::Side { side: SideFact::UpInRight });
                None
            }
            notation::Start::Place { name, key, at } => {
                let span = inside(word, self.report.source, at.start, at.end);
                let (places, slot) = self.place_start(name, key.as_ref(), span, captures)?;
                let ways = places.iter().flat_map(|place| self.places[place.index()].ways.clone()).collect();
                Some((false, Some(Start { places, slot }), ways))
            }
        }
    }

    pub(super) fn place_start(
        &self,
        name: &str,
        key: Option<&Key>,
        span: Span,
        captures: &mut Captures,
    ) -> Option<(Vec<PlaceId>, Option<SlotId>)> {
        let mut places = self.places_named(name, span)?;
        let Some(key) = key else {
            let above = &captures.above;
            places.retain(|place| {
                let from = &self.places[place.index()].from;
                above.get(..from.steps.len()).is_some_and(|above| from.meets(above))
            });
            if places.is_empty() {
                self.report.add(span, CrossingFact::PlaceNotAround { name: name.to_owned() });
                return None;
            }
            return Some((places, None));
        };
        let capture = match key.texts.as_slice() {
            [text] if !key.ordered => match text.parts.as_slice() {
                [Part::Capture(capture)] if capture.detail == Detail::None && capture.list.is_none() => {
                    Some(&capture.name)
                }
                _ => None,
            },
            _ => None,
        };
        let Some(capture) = capture else {
            self.report.add(span, CrossingFact::Side { side: SideFact::Start });
            return None;
        };
        Some((places, Some(self.slot(capture, span, captures)?)))
    }

    fn field(
        &self,
        word: Word<'_>,
        clause: &Clause,
        path: &Path,
        above: &Ways,
        captures: &mut Captures,
    ) -> Option<Field> {
        let span = inside(word, self.report.source, clause.at.start, clause.at.end);
        let (steps, entry) = self.target_path(word, path, above, captures, Wanted::Setting)?;
        let entry = entry?;
        let ty = self.new.schema[entry].what.setting()?;
        let (template, at_least) = match &clause.content {
            Content::Value { text, at_least } => (self.template(word, &text.parts, captures)?, *at_least),
            _ => match captures.take(WHOLE) {
                Some(slot) => (vec![Piece::Slot { slot, table: None }], false),
                None => {
                    self.report.add(span, CrossingFact::Unsaid);
                    return None;
                }
            },
        };
        if let [Piece::Slot { slot, table: None }] = template.as_slice()
            && let Some(old) = captures.list[slot.index()].of
            && never_becomes(self.old.types.get(old), self.new.types.get(ty))
        {
            let (old, new) = (self.old.types.get(old).name.clone(), self.new.types.get(ty).name.clone());
            self.report.add(span, CrossingFact::NeverBecomes { old, new });
        }
        for way in above {
            let whole: Vec<TargetStep> = way.iter().chain(&steps).cloned().collect();
            if above.len() > 1 || whole.iter().any(TargetStep::is_by_kind) {
                self.check_alike(&whole, ty, span);
            }
        }
        if at_least && !self.new.types.is_ordered(ty) {
            self.report.add(span, CrossingFact::NotOrdered);
        }
        Some(Field { path: steps, entry, ty, template, at_least })
    }

    pub(super) fn slot(&self, name: &str, span: Span, captures: &mut Captures) -> Option<SlotId> {
        let slot = captures.take(name);
        if slot.is_none() {
            self.report.add(
                span,
                CrossingFact::CaptureUnknown {
                    name: name.to_owned(),
                    instead: Suggestion::among(name, captures.names()),
                },
            );
        }
        slot
    }

    /// A path to where settings or objects are.
    pub(super) fn branch_path(
        &self,
        word: Word<'_>,
        path: &Path,
        above: &Ways,
        captures: &mut Captures,
    ) -> Option<Vec<TargetStep>> {
        self.target_path(word, path, above, captures, Wanted::Branch).map(|(steps, _)| steps)
    }

    /// A path into the new tree, checked against the new profile wherever it leads on from.
    fn target_path(
        &self,
        word: Word<'_>,
        path: &Path,
        above: &Ways,
        captures: &mut Captures,
        wanted: Wanted,
    ) -> Option<(Vec<TargetStep>, Option<EntryId>)> {
        let mut found = None;
        for way in above {
            let steps = self.target_path_from(word, path, way, captures, wanted)?;
            found.get_or_insert(steps);
        }
        found
    }

    fn target_path_from(
        &self,
        word: Word<'_>,
        path: &Path,
        before: &[TargetStep],
        captures: &mut Captures,
        wanted: Wanted,
    ) -> Option<(Vec<TargetStep>, Option<EntryId>)> {
        let mut steps: Vec<TargetStep> = Vec::new();
        let mut entry = None;
        for (index, step) in path.steps.iter().enumerate() {
            let span = inside(word, self.report.source, step.at.start, step.at.end);
            let StepName::Parts(parts) = &step.name else {
                self.report.add(span, CrossingFact::Side { side: SideFact::BelowInRight });
                return None;
            };
            let append = match &step.key {
                None => false,
                Some(Key { ordered: false, texts, .. }) if texts.is_empty() => true,
                Some(_) => {
                    self.report.add(span, CrossingFact::Side { side: SideFact::KeyInRight });
                    return None;
                }
            };
            let literal = literal(parts);
            let name = match &literal {
                Some(text) => TargetName::Literal(text.clone()),
                None => {
                    let pieces = self.template(word, parts, captures)?;
                    let possible = self.possible_names(&pieces, captures);
                    match pieces.as_slice() {
                        [Piece::Literal(text)] => TargetName::Literal(text.clone()),
                        _ => TargetName::Made { pieces: pieces.into(), ty: None, possible },
                    }
                }
            };
            steps.push(TargetStep { name, append });
            let path_so_far: Vec<PathStep<'_>> = before.iter().chain(&steps).map(PathStep::from).collect();
            let lookup = self.new.schema.find(&path_so_far);
            if let Lookup::Unknown { known, .. } = &lookup {
                let name = match steps.last().map(|step| &step.name) {
                    Some(TargetName::Literal(name)) => name,
                    _ => "{…}",
                };
                let line = format!("{} {}", self.new.title, self.new.release_name());
                self.report.unknown_path(span, &line, name, known);
                return None;
            }
            entry = if let Lookup::Declared(found) = lookup { Some(found) } else { None };
            let what = entry.map(|entry| &self.new.schema[entry].what);
            let is_list = match what {
                Some(what @ What::Setting { .. }) => what.is_list(),
                Some(What::Object { many, name, .. }) => *many && name.is_none(),
                None => false,
            };
            if is_list != append {
                self.report
                    .add(span, if is_list { CrossingFact::ListHere } else { CrossingFact::NoListHere });
                return None;
            }
            let last = index + 1 == path.steps.len();
            // An entry of a list of values can be a branch, if something is declared below it.
            let is_setting = matches!(what, Some(What::Setting { .. })) && (last || !append);
            if is_setting != (last && wanted == Wanted::Setting) && (last || is_setting) {
                let fact = if is_setting { CrossingFact::SettingHere } else { CrossingFact::NoSetting };
                self.report.add(span, fact);
                return None;
            }
            if let Some(What::Object { name: of_name, .. }) = what
                && let Some(TargetStep { name: TargetName::Made { ty, .. }, .. }) = steps.last_mut()
            {
                *ty = *of_name;
            }
        }
        Some((steps, entry))
    }

    /// The names that pieces can make where only the kind of the object decides; else none.
    fn possible_names(&self, pieces: &[Piece], captures: &Captures) -> Vec<String> {
        let decides = |piece: &Piece| matches!(piece, Piece::Kind { .. });
        if !pieces.iter().any(decides) || !pieces.iter().all(|p| decides(p) || matches!(p, Piece::Literal(_)))
        {
            return Vec::new();
        }
        let name_of = |kind: &String| {
            let texts = pieces.iter().map(|piece| match piece {
                Piece::Literal(text) => Some(text.as_str()),
                Piece::Kind { table: Some(table) } => table.get(kind),
                _ => Some(kind.as_str()),
            });
            texts.collect::<Option<String>>()
        };
        self.kinds_of(&captures.above).iter().filter_map(name_of).collect()
    }

    /// Tells of names that the kind decides, under which the same setting is not of one type.
    fn check_alike(&self, path: &[TargetStep], ty: TypeId, span: Span) {
        let mut paths: Vec<Vec<PathStep<'_>>> = vec![Vec::new()];
        for step in path {
            let steps: Vec<PathStep<'_>> = match PathStep::from(step) {
                PathStep::OneOf(names) => names.iter().map(|name| PathStep::Name(name)).collect(),
                step => vec![step],
            };
            paths = paths
                .iter()
                .flat_map(|path| steps.iter().map(|step| path.iter().copied().chain([*step]).collect()))
                .collect();
        }
        let form = |ty| &self.new.types.get(ty).form;
        let differs = paths.iter().any(|path| match self.new.schema.find(path) {
            Lookup::Declared(entry) => {
                let other = self.new.schema[entry].what.setting();
                other.is_some_and(|other| form(other) != form(ty))
            }
            _ => false,
        });
        if differs {
            self.report.add(span, CrossingFact::DiffersByKind);
        }
    }
}

impl<'s> From<&'s TargetStep> for PathStep<'s> {
    fn from(step: &'s TargetStep) -> Self {
        match &step.name {
            TargetName::Literal(name) => Self::Name(name),
            TargetName::Made { possible, .. } if possible.is_empty() => Self::Any,
            TargetName::Made { possible, .. } => Self::OneOf(possible),
        }
    }
}
