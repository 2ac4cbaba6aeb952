//! What rules read and do not take: `&` before a clause.

use super::captures::{Captures, WHOLE};
use super::facts::{CrossingFact, SideFact};
use super::reader::Reader;
use super::steps::{OldStep, SideClause};
use super::{ClauseShape, KeyTest, Start};
use crate::declaration::{Word, inside};
use crate::ids::{EntryId, SlotId};
use crate::language::expression::kind_of;
use crate::language::profile::What;
use crate::language::typing::TypeId;
use crate::notation::{self, Content};
use crate::tree::pattern::{Pattern, Step};

/// Settings that a rule reads and leaves to others: those of one object, or one by its path.
#[derive(Debug)]
pub(crate) struct Read {
    pub(crate) from: ReadFrom,
    /// The object that all of the settings are in; no steps where there is just one setting.
    pub(crate) object: Vec<ReadStep>,
    pub(crate) settings: Vec<ReadSetting>,
}

/// What a path that is read leads on from.
#[derive(Debug)]
pub(crate) enum ReadFrom {
    /// The object that the rule is applied to, or so many objects further out.
    Here(usize),
    Top,
    /// The old object that went by a place.
    Place(Start),
}

/// One step of a path that is read.
#[derive(Debug)]
pub(crate) struct ReadStep {
    pub(crate) step: Step,
    /// What the name is made of, and the type that spells it.
    pub(crate) name: Option<(ClauseShape, Option<TypeId>)>,
    /// What is asked of the keys of the object there, in their order.
    pub(crate) keys: Vec<KeyTest>,
    /// The settings that are its keys.
    pub(crate) key_names: Vec<String>,
    /// Which of several, from 1.
    pub(crate) number: Option<usize>,
}

/// One setting that is read.
#[derive(Debug)]
pub(crate) struct ReadSetting {
    pub(crate) path: Vec<ReadStep>,
    /// Its declaration, where the path is that of one.
    pub(crate) entry: Option<EntryId>,
    pub(crate) shape: Option<ClauseShape>,
    /// The slot of the whole value, where there is no shape.
    pub(crate) slot: Option<SlotId>,
    pub(crate) optional: bool,
    /// An object, that it is there.
    pub(crate) presence: bool,
}

impl Read {
    /// All steps that are asked for names, keys or numbers.
    fn steps(&self) -> impl Iterator<Item = &ReadStep> {
        self.object.iter().chain(self.settings.iter().flat_map(|setting| &setting.path))
    }

    /// Whether nothing of a path is only known once the backup is.
    pub(crate) fn is_of_one_path(&self) -> bool {
        self.object.is_empty()
            && matches!(self.from, ReadFrom::Here(_) | ReadFrom::Top)
            && self.steps().all(|step| {
                matches!(&step.step, Step::Names(names) if names.len() == 1)
                    && step.keys.is_empty()
                    && step.number.is_none()
            })
    }
}

impl Reader<'_, '_> {
    /// Reads a clause with `&`, or those of one object.
    pub(super) fn read(
        &self,
        word: Word<'_>,
        clauses: &[SideClause],
        before: &[Step],
        captures: &mut Captures,
        alone: bool,
    ) -> Option<Read> {
        let first = clauses.first()?;
        let common = first.part.map_or(0, |(_, steps)| steps);
        let (from, above) = self.read_from(word, &first.clause.path, before, captures)?;
        let mut object = Vec::new();
        for index in 0..common {
            object.push(self.read_step(word, &first.steps, index, &above, captures)?);
        }
        let mut settings = Vec::new();
        for SideClause { clause, steps, .. } in clauses {
            let span = inside(word, self.report.source, clause.at.start, clause.at.end);
            let entry = self.find_old(word, steps, &above)?.entry;
            let ty = entry.and_then(|entry| self.old.schema[entry].what.setting());
            if clause.path.object && ty.is_some() {
                self.report.add(span, CrossingFact::SlashAtSetting);
                return None;
            }
            let mut path = Vec::new();
            for index in common..steps.len() {
                path.push(self.read_step(word, steps, index, &above, captures)?);
            }
            let mut slot = None;
            let shape = match &clause.content {
                Content::Value { text, .. } => Some(self.value_shape(word, text, ty, captures)?),
                _ => {
                    if alone && !clause.path.object {
                        slot = Some(captures.add(WHOLE, word.span, kind_of(&self.old.types, ty), ty));
                    }
                    None
                }
            };
            let (optional, presence) = (clause.optional, clause.path.object);
            settings.push(ReadSetting { path, entry, shape, slot, optional, presence });
        }
        Some(Read { from, object, settings })
    }

    /// What a path leads on from, with the pattern of that.
    fn read_from(
        &self,
        word: Word<'_>,
        path: &notation::Path,
        before: &[Step],
        captures: &mut Captures,
    ) -> Option<(ReadFrom, Vec<Step>)> {
        let span = inside(word, self.report.source, path.at.start, path.at.end);
        match &path.start {
            notation::Start::Here => Some((ReadFrom::Here(0), before.to_vec())),
            notation::Start::Top => Some((ReadFrom::Top, Vec::new())),
            notation::Start::Up(levels) => match before.len().checked_sub(*levels) {
                Some(rest) => Some((ReadFrom::Here(*levels), before[..rest].to_vec())),
                None => {
                    self.report.add(span, CrossingFact::Side { side: SideFact::UpTooFar });
                    None
                }
            },
            notation::Start::Place { name, key, .. } => {
                let (places, slot) = self.place_start(name, key.as_ref(), span, captures)?;
                let above = places.first().map(|place| self.places[place.index()].from.steps.clone())?;
                Some((ReadFrom::Place(Start { places, slot }), above))
            }
        }
    }

    fn read_step(
        &self,
        word: Word<'_>,
        steps: &[OldStep],
        index: usize,
        above: &[Step],
        captures: &mut Captures,
    ) -> Option<ReadStep> {
        let old = &steps[index];
        let entry =
            |reader: &Self| reader.find_old(word, &steps[..=index], above).and_then(|found| found.entry);
        let mut step = ReadStep {
            step: old.step.clone(),
            name: None,
            keys: Vec::new(),
            key_names: Vec::new(),
            number: None,
        };
        if let Some(shape) = old.shape.as_ref().filter(|_| old.names.is_empty()) {
            let ty = match entry(self).map(|entry| &self.old.schema[entry].what) {
                Some(What::Object { name, .. }) => *name,
                _ => None,
            };
            step.name = Some((self.clause_shape(word, shape, ty, captures)?, ty));
        }
        if let Some(key) = &old.key {
            match number(key) {
                Some(Ok(number)) => step.number = Some(number),
                Some(Err(())) => {
                    let span = inside(word, self.report.source, key.at.start, key.at.end);
                    self.report.add(span, CrossingFact::Side { side: SideFact::NoNumber });
                    return None;
                }
                None => {
                    let (keys, names) = self.level_keys(word, key, entry(self), captures);
                    step.keys = keys;
                    step.key_names = names.into_iter().flatten().collect();
                }
            }
        }
        Some(step)
    }

    /// How far down the last of several is that a path leads to, in steps; none where there is only one.
    pub(super) fn several(&self, word: Word<'_>, steps: &[OldStep], before: &[Step]) -> Option<usize> {
        (0..steps.len()).rev().find_map(|index| {
            let step = &steps[index];
            let is_open = match &step.step {
                Step::Names(names) => names.len() > 1,
                Step::Any | Step::Below => true,
            };
            let is_numbered = step.key.as_ref().is_some_and(|key| number(key).is_some());
            let found = || self.find_old(word, &steps[..=index], before).and_then(|found| found.entry);
            let is_list = || found().is_some_and(|entry| self.old.schema[entry].what.can_be_several());
            let several = !is_numbered && (is_open || is_list());
            several.then(|| before.len() + index + 1)
        })
    }

    /// `[#3]` of the steps of a path: how far down, and which of several.
    pub(super) fn numbers(
        &self,
        word: Word<'_>,
        steps: &[OldStep],
        before: &[Step],
    ) -> Option<Vec<(usize, usize)>> {
        let mut numbers = Vec::new();
        for (index, key) in
            steps.iter().enumerate().filter_map(|(index, step)| Some((index, step.key.as_ref()?)))
        {
            let fact = match number(key) {
                Some(Ok(number)) => {
                    numbers.push((before.len() + index + 1, number));
                    continue;
                }
                Some(Err(())) => CrossingFact::Side { side: SideFact::NoNumber },
                // `[]`: whichever it is.
                None if key.texts.is_empty() => continue,
                None => CrossingFact::KeyInRule,
            };
            self.report.add(inside(word, self.report.source, key.at.start, key.at.end), fact);
            return None;
        }
        Some(numbers)
    }
}

/// The number of `[#3]`; an error where it is none, and nothing where it is another key.
fn number(key: &notation::Key) -> Option<Result<usize, ()>> {
    let text = |text: &notation::Text| text.as_literal()?.trim().parse().ok().filter(|number| *number > 0);
    match key.texts.as_slice() {
        _ if !key.ordered => None,
        [only] => Some(text(only).ok_or(())),
        _ => Some(Err(())),
    }
}

/// Whether two clauses go in step down to that many steps.
pub(super) fn is_in_step(one: &Pattern, other: &Pattern, steps: usize) -> bool {
    one.steps.get(..steps) == other.steps.get(..steps)
}
