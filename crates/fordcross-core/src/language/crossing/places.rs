//! The heads of places: which objects they take, and where these go.

use super::captures::Captures;
use super::facts::CrossingFact;
use super::reader::Reader;
use super::right::Ways;
use super::rows::{Parameters, put_in};
use super::steps::{BadSide, old_steps};
use super::template::known_steps;
use super::{Action, Clause, KeyTest, Merge, Place, Rule};
use crate::declaration::{Section, Word, parse_pattern};
use crate::ids::PlaceId;
use crate::language::expression::{Expression, OperandKind};
use crate::language::profile::{Lookup, PathStep};
use crate::notation::{Path, Start};
use crate::text::source::Span;
use crate::tree::pattern::{Pattern, Step};

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
pub(super) enum Held {
    /// Objects of a path.
    Place(Box<Scope>),
    /// The whole.
    Top,
    /// What is wrong with it was reported, and its rules are not looked at.
    Wrong,
}

impl Held {
    pub(super) fn scope(&self) -> Option<&Scope> {
        match self {
            Self::Place(scope) => Some(scope),
            Self::Top | Self::Wrong => None,
        }
    }
}

impl Reader<'_, '_> {
    /// Reads the head of a place: once for each of its paths, and for each row of its parameters.
    pub(super) fn scopes_of(&mut self, section: &Section<'_, '_>) -> Vec<(Parameters, Held)> {
        let rows = Parameters::rows_of(section);
        let wrong = || {
            // Its other keys are no mistakes.
            for key in ["name", "from", "to", "when", "merge"] {
                section.raw(key);
            }
            vec![(Parameters::default(), Held::Wrong)]
        };
        if rows.is_empty() {
            return wrong();
        }
        if !section.has("from") && !section.has("to") {
            for key in ["name", "when", "merge"].into_iter().filter(|key| section.has(key)) {
                let span = section.raw(key).map_or(section.span(), |value| value.span().into());
                self.report.add(span, CrossingFact::TopWith { key });
            }
            return rows.into_iter().map(|row| (row, Held::Top)).collect();
        }
        let from = section.words("from");
        if from.is_empty() {
            section.need_word("from");
            return wrong();
        }
        let mut all = Vec::new();
        let mut names: Option<Vec<String>> = None;
        for path in from {
            // The rows are the same each time.
            for row in Parameters::rows_of(section) {
                let scope = self.objects_of(section, path, &row);
                if let Some(scope) = &scope {
                    let mut own: Vec<String> =
                        scope.captures.names().into_iter().map(str::to_owned).collect();
                    own.sort_unstable();
                    if names.get_or_insert_with(|| own.clone()) != &own {
                        self.report.add(path.span, CrossingFact::FromDiffers);
                    }
                }
                all.push((row, scope.map_or(Held::Wrong, |scope| Held::Place(scope.into()))));
            }
        }
        all
    }

    fn objects_of(&mut self, section: &Section<'_, '_>, from: Word<'_>, row: &Parameters) -> Option<Scope> {
        let name = section.word("name");
        let (from_text, to) = (row.put(from.text), section.word("to"));
        let to_text = to.map(|to| row.put(to.text));
        let to = to_text.as_ref().zip(to).map(|(text, to)| put_in(text, to));
        let from = put_in(&from_text, from);
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
        let fixed = row.as_fixed().collect();
        let mut captures = Captures { above: pattern.steps.clone(), fixed, ..Captures::default() };
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
        let when = self.condition(section, row, &mut captures);
        row.mark(captures.fixed.iter().filter(|fixed| fixed.used).map(|fixed| &fixed.name));
        let fixed = captures.fixed.iter().map(|fixed| (fixed.name.clone(), fixed.operand.clone())).collect();
        let place = PlaceId::new(self.places.len());
        let clause = |pattern, optional, slot| Clause {
            pattern,
            shape: None,
            optional,
            presence: false,
            slot,
            names: Vec::new(),
            numbers: Vec::new(),
            several: None,
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
            merge: self.merge_of(section, &pattern, &ways),
        });
        let at = self.lines.position(from.span.start);
        let slots = captures.list.len();
        let is_bound_twice = std::mem::take(&mut captures.is_bound_twice);
        let names = captures.list.iter().map(|capture| capture.name.clone()).collect();
        let rule = Rule {
            at,
            place: Some(place),
            clauses,
            reads: Vec::new(),
            slots,
            names,
            fixed,
            is_bound_twice,
            asks_tables: false,
            when: None,
            action: Action::Place,
        };
        self.rules.push((section.span(), rule));
        Some(Scope { index: place, from: pattern, to: ways, captures })
    }

    /// What makes objects of a place one.
    fn merge_of(&self, section: &Section<'_, '_>, pattern: &Pattern, ways: &Ways) -> Option<Merge> {
        let merge = section.section("merge")?;
        let (by, but) = (merge.words("by"), merge.words("but"));
        let is_either = by.is_empty() != but.is_empty();
        if !is_either {
            self.report.add(merge.span(), CrossingFact::MergeEither);
        } else if ways.is_empty() {
            self.report.add(merge.span(), CrossingFact::MergeNowhere);
        }
        for word in &by {
            self.check_path(word.text, word.span, &pattern.steps);
        }
        let patterns = but.into_iter().filter_map(|word| {
            let pattern = parse_pattern(&merge, word)?;
            self.check_new(&pattern, word.span, ways);
            Some(pattern)
        });
        let but: Vec<Pattern> = patterns.collect();
        merge.finish();
        let table = section.span().start as usize;
        is_either.then(|| Merge { table, by: by.iter().map(|word| word.text.to_owned()).collect(), but })
    }

    /// A path below where a place goes must be one that the new profile knows.
    fn check_new(&self, pattern: &Pattern, span: Span, ways: &Ways) {
        for way in ways {
            let steps: Vec<PathStep<'_>> =
                known_steps(way).chain(pattern.steps.iter().map(PathStep::from)).collect();
            if let Lookup::Unknown { depth, known } = self.new.schema.find(&steps)
                && let Some(step) = depth.checked_sub(way.len()).and_then(|step| pattern.steps.get(step))
            {
                self.report.unknown_path(span, &self.new.title, &step.to_string(), &known);
            }
        }
    }

    pub(super) fn condition(
        &self,
        section: &Section<'_, '_>,
        row: &Parameters,
        captures: &mut Captures,
    ) -> Option<Expression> {
        let word = section.word("when")?;
        Some(self.expression(&row.put(word.text), word.span, captures, OperandKind::Boolean))
    }
}
