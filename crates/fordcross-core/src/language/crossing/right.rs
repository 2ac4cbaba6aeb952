//! The right side of rules: where they write, and what.

use super::captures::{Captures, INDEX, KIND, WHOLE};
use super::facts::CrossingFact;
use super::reader::Reader;
use super::syntax::{RawField, RawTarget, RawTargetStep, parse_table};
use super::{Field, Piece, Start, Table, Target, TargetName, TargetStep};
use crate::declaration::{Word, inside};
use crate::finding::Suggestion;
use crate::ids::{EntryId, LookUpId, SlotId};
use crate::language::expression::OperandKind;
use crate::language::profile::{Lookup, PathStep, What};
use crate::language::typing::{TypeId, never_becomes};
use crate::text::shape::{Part, Shape};
use crate::text::source::Span;
use crate::tree::pattern::Step;

/// `{a: as-is}`: the map has no say in it.
const AS_IS: &str = "as-is";

#[derive(Clone, Copy, PartialEq, Eq)]
enum Wanted {
    Branch,
    Setting,
}

impl Reader<'_, '_> {
    pub(super) fn target(
        &self,
        word: Word<'_>,
        raw: &RawTarget,
        before: &[TargetStep],
        captures: &mut Captures,
    ) -> Option<Target> {
        let (start, before) = match &raw.start {
            Some((name, key, at)) => {
                let span = inside(word, self.report.source, at.start, at.end);
                let place = self.place_named(name, span)?;
                let slot = self.slot(key, span, captures)?;
                (Some(Start { place, slot }), self.places[place.index()].whole.clone())
            }
            None if raw.top => (None, Vec::new()),
            None => (None, before.to_vec()),
        };
        let base = self.branch_path(word, &raw.base, &before, captures)?;
        let mut above = before;
        above.extend(base.iter().cloned());
        let fields: Vec<Option<Field>> =
            raw.fields.iter().map(|field| self.field(word, field, &above, captures)).collect();
        let objects: Vec<_> =
            raw.objects.iter().map(|object| self.branch_path(word, object, &above, captures)).collect();
        Some(Target {
            top: raw.top,
            start,
            base,
            fields: fields.into_iter().collect::<Option<_>>()?,
            objects: objects.into_iter().collect::<Option<_>>()?,
        })
    }

    fn field(
        &self,
        word: Word<'_>,
        raw: &RawField,
        before: &[TargetStep],
        captures: &mut Captures,
    ) -> Option<Field> {
        let (path, entry) = self.target_path(word, &raw.path, before, captures, Wanted::Setting)?;
        let entry = entry?;
        let ty = self.new.schema[entry].what.setting()?;
        let template = match &raw.template {
            Some(template) => self.template(word, raw.template_at, template, captures)?,
            None => match captures.take(WHOLE) {
                Some(slot) => vec![Piece::Slot { slot, table: None }],
                None => {
                    let span = inside(word, self.report.source, raw.at.start, raw.at.end);
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
            let span = inside(word, self.report.source, raw.at.start, raw.at.end);
            self.report.add(span, CrossingFact::NeverBecomes { old, new });
        }
        let whole: Vec<TargetStep> = before.iter().chain(&path).cloned().collect();
        if whole.iter().any(TargetStep::is_by_kind) {
            self.check_alike(&whole, ty, inside(word, self.report.source, raw.at.start, raw.at.end));
        }
        if raw.at_least && !self.new.types.is_ordered(ty) {
            let span = inside(word, self.report.source, raw.at.start, raw.at.end);
            self.report.add(span, CrossingFact::NotOrdered);
        }
        Some(Field { path, entry, ty, template, at_least: raw.at_least })
    }

    fn template(
        &self,
        word: Word<'_>,
        start: usize,
        template: &Shape,
        captures: &mut Captures,
    ) -> Option<Vec<Piece>> {
        let mut pieces = Vec::new();
        for part in &template.parts {
            let span_of = |at: &std::ops::Range<usize>| {
                inside(word, self.report.source, start + at.start, start + at.end)
            };
            pieces.push(match part {
                Part::Literal(text) => Piece::Literal(text.clone()),
                Part::Expression { text, at } => {
                    Piece::Expression(self.expression(text, span_of(at), captures, OperandKind::Unknown))
                }
                Part::Capture { name, detail, at } if name == KIND && !captures.knows(KIND) => {
                    self.needs_kinds(captures, span_of(at))?;
                    let table = match detail {
                        Some(detail) => Some(self.table(detail, span_of(at))?),
                        None => None,
                    };
                    Piece::Kind { table }
                }
                Part::Capture { name, detail: None, .. } if self.constant(name, captures).is_some() => {
                    Piece::Literal(self.constant(name, captures).unwrap_or_default().to_owned())
                }
                Part::Capture { name, detail: None, .. } if name == INDEX && !captures.knows(INDEX) => {
                    Piece::Index
                }
                Part::Capture { name, detail, at } => {
                    let span = span_of(at);
                    let slot = self.slot(name, span, captures)?;
                    match detail.as_deref().map(|detail| (detail, detail.strip_prefix("look-up."))) {
                        None => Piece::Slot { slot, table: None },
                        Some((AS_IS, None)) => Piece::AsIs { slot },
                        Some((_, Some(look_up))) => {
                            Piece::LookUp { slot, look_up: self.look_up_named(look_up, span)? }
                        }
                        Some((detail, None)) => Piece::Slot { slot, table: Some(self.table(detail, span)?) },
                    }
                }
            });
        }
        if pieces.is_empty() {
            pieces.push(Piece::Literal(String::new()));
        }
        Some(pieces)
    }

    /// The text of a constant that no capture hides.
    fn constant(&self, name: &str, captures: &Captures) -> Option<&str> {
        let known = self.constants.iter().find(|(known, _)| known == name && !captures.knows(name));
        known.map(|(_, text)| text.as_str())
    }

    /// The kinds that the old profile declares for the objects at a path.
    fn kinds_of(&self, path: &[Step]) -> Vec<String> {
        let steps: Vec<PathStep<'_>> = path.iter().map(PathStep::from).collect();
        let Lookup::Declared(entry) = self.old.schema.find(&steps) else { return Vec::new() };
        match &self.old.schema[entry].what {
            What::Object { kinds, .. } => kinds.iter().map(|(name, _)| name.clone()).collect(),
            What::Setting { .. } => Vec::new(),
        }
    }

    /// Whether the old profile declares kinds for the objects of the place.
    fn needs_kinds(&self, captures: &Captures, span: Span) -> Option<()> {
        let reported = !self.kinds_of(&captures.above).is_empty();
        if !reported {
            self.report.add(span, CrossingFact::KindsUntold { title: self.old.title.clone() });
        }
        reported.then_some(())
    }

    fn look_up_named(&self, name: &str, span: Span) -> Option<LookUpId> {
        let found = self.look_ups.iter().position(|look_up| look_up.name == name).map(LookUpId::new);
        if found.is_none() {
            let known: Vec<&str> = self.look_ups.iter().map(|look_up| look_up.name.as_str()).collect();
            self.report.add(
                span,
                CrossingFact::LookUpUnknown {
                    name: name.to_owned(),
                    instead: Suggestion::among(name, known),
                },
            );
        }
        found
    }

    fn table(&self, text: &str, span: Span) -> Option<Table> {
        if let Some(name) = text.strip_prefix("table.") {
            if let Some(table) = self.tables.get(name) {
                return Some(table.clone());
            }
            let known: Vec<&str> = self.tables.keys().map(String::as_str).collect();
            self.report.add(
                span,
                CrossingFact::TableUnknown { name: name.to_owned(), instead: Suggestion::among(name, known) },
            );
            return None;
        }
        let table = parse_table(text);
        if table.is_none() {
            self.report.add(span, CrossingFact::NoTable);
        }
        table
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
        raw: &[RawTargetStep],
        before: &[TargetStep],
        captures: &mut Captures,
    ) -> Option<Vec<TargetStep>> {
        self.target_path(word, raw, before, captures, Wanted::Branch).map(|(steps, _)| steps)
    }

    /// A path into the new tree, checked against the new profile.
    fn target_path(
        &self,
        word: Word<'_>,
        raw: &[RawTargetStep],
        before: &[TargetStep],
        captures: &mut Captures,
        wanted: Wanted,
    ) -> Option<(Vec<TargetStep>, Option<EntryId>)> {
        let mut steps: Vec<TargetStep> = Vec::new();
        let mut entry = None;
        for (index, step) in raw.iter().enumerate() {
            let span = inside(word, self.report.source, step.at.start, step.at.end);
            let literal = step.name.as_literal();
            let name = match literal {
                Some(text) => TargetName::Literal(text.to_owned()),
                None => {
                    let pieces = self.template(word, step.at.start, &step.name, captures)?;
                    let possible = self.possible_names(&pieces, captures);
                    TargetName::Made { pieces: pieces.into(), ty: None, possible }
                }
            };
            steps.push(TargetStep { name, append: step.append });
            let path: Vec<PathStep<'_>> = before.iter().chain(&steps).map(PathStep::from).collect();
            let lookup = self.new.schema.find(&path);
            if let Lookup::Unknown { known, .. } = &lookup {
                let name = literal.unwrap_or("{…}");
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
            if is_list != step.append {
                self.report
                    .add(span, if is_list { CrossingFact::ListHere } else { CrossingFact::NoListHere });
                return None;
            }
            let last = index + 1 == raw.len();
            // An entry of a list of values can be a branch, if something is declared below it.
            let is_setting = matches!(what, Some(What::Setting { .. })) && (last || !step.append);
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
