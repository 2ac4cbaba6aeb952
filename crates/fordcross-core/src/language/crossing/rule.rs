//! Rules: both sides, the condition, and what is captured.

use super::captures::{Captures, Fixed};
use super::facts::{CrossingFact, SideFact};
use super::parse::Verb;
use super::places::Scope;
use super::reader::Reader;
use super::reads::is_in_step;
use super::rows::Parameters;
use super::steps::{BadSide, Bound, SideClause, old_steps};
use super::template::known_steps;
use super::{Action, Clause, Rule, Target, TargetStep};
use crate::declaration::{Word, inside};
use crate::language::checking::Checking;
use crate::language::expression::OperandKind;
use crate::language::profile::{Lookup, PathStep, What};
use crate::notation::{self, Content, Key, Start, StepName};
use crate::tree::pattern::{Pattern, Step};
use std::ops::Range;

/// The most rules that one with choices in its paths may stand for.
const MAX_CHOICES: usize = 256;

impl Reader<'_, '_> {
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
        let clauses =
            match notation::Clause::parse_side(left.text).map_err(BadSide::from).and_then(out_of_parts) {
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
        (left, raw_clauses): (Option<Word<'_>>, Vec<SideClause>),
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
        let mut reads = Vec::new();
        if let Some(left) = left {
            let alone = raw_clauses.len() == 1;
            for raw in raw_clauses
                .chunk_by(|one, next| one.clause.reads && one.part.is_some() && one.part == next.part)
            {
                if raw[0].clause.reads {
                    let Some(read) = self.read(left, raw, &before, &mut captures, alone) else { return };
                    reads.push(read);
                } else {
                    let Some(clause) = self.clause(left, &raw[0], &before, &mut captures, alone) else {
                        return;
                    };
                    clauses.push(clause);
                }
            }
            if !self.is_side(left, verb, &raw_clauses, &clauses, &before) {
                return;
            }
        }
        let when =
            when.map(|word| self.expression(word.text, word.span, &mut captures, OperandKind::Boolean));
        let action = match verb {
            Verb::Move if raw_clauses.iter().any(is_branch) => {
                let Some(left) = left else { return };
                let Some(target) = self.branch(scope, (left, &raw_clauses), right, &mut captures) else {
                    return;
                };
                Action::Branch(target)
            }
            Verb::Move | Verb::Add | Verb::Pin => {
                let to = scope.as_ref().map_or_else(|| vec![Vec::new()], |scope| scope.to.clone());
                let raw_targets = match notation::Clause::parse_side(right.text) {
                    Ok(targets) => targets,
                    Err(bad) => return self.bad(right, bad.into()),
                };
                let targets: Vec<_> =
                    raw_targets.iter().map(|raw| self.target(right, raw, &to, &mut captures)).collect();
                match (verb, targets.into_iter().collect::<Option<Vec<_>>>()) {
                    (Verb::Move, Some(targets)) => Action::Move(targets),
                    (Verb::Pin, Some(targets)) => Action::Pin(targets),
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
        let asks_tables = match &action {
            Action::Move(targets) => targets.iter().any(|target| !target.tables().is_empty()),
            _ => false,
        };
        let rule = Rule {
            at,
            place,
            clauses,
            reads,
            slots,
            names,
            fixed,
            is_bound_twice,
            asks_tables,
            when,
            action,
        };
        self.rules.push((span, rule));
    }

    /// Where a branch goes that a rule moves as a whole.
    fn branch(
        &self,
        scope: &Option<&mut Scope>,
        (left, clauses): (Word<'_>, &[SideClause]),
        right: Word<'_>,
        captures: &mut Captures,
    ) -> Option<Target> {
        let wrong = |word: Word<'_>, at: &Range<usize>, side| {
            self.report.add(inside(word, self.report.source, at.start, at.end), CrossingFact::Side { side });
            None
        };
        let mut taken = clauses.iter().filter(|raw| !raw.clause.reads);
        if let (Some(_), Some(second)) = (taken.next(), taken.next()) {
            return wrong(left, &second.clause.at, SideFact::BranchBeside);
        }
        let of = clauses.iter().find(|raw| is_branch(raw))?;
        let to = match notation::Clause::parse_side(right.text) {
            Ok(side) => side,
            Err(bad) => {
                self.bad(right, bad.into());
                return None;
            }
        };
        let [to] = to.as_slice() else { return wrong(left, &of.clause.at, SideFact::BelowMoved) };
        let is_below = to.path.steps.last().is_some_and(|step| step.name == StepName::Below);
        if !is_below || to.content != Content::None || to.reads || to.optional {
            return wrong(left, &of.clause.at, SideFact::BelowMoved);
        }
        let before = scope.as_ref().map_or_else(|| vec![Vec::new()], |scope| scope.to.clone());
        let (top, start, above) = self.start(right, &to.path, &before, captures)?;
        let mut path = to.path.clone();
        path.steps.pop();
        // Entries stay entries, each a new one.
        if above.iter().any(|way| self.is_list_at(way, &path.steps))
            && let Some(last) = path.steps.last_mut()
        {
            let at = last.at.clone();
            last.key.get_or_insert(Key { ordered: false, texts: Vec::new(), at });
        }
        let base = self.branch_path(right, &path, &above, captures)?;
        let old: Vec<Step> = scope.as_ref().map_or_else(Vec::new, |scope| scope.from.steps.clone());
        let names = of.steps[..of.steps.len() - 1].iter().map(|step| step.step.clone());
        let old = Pattern { steps: old.into_iter().chain(names).collect() };
        let shared = above.iter().any(|way| {
            let way: Vec<TargetStep> = way.iter().chain(&base).cloned().collect();
            self.shares(&old, &way)
        });
        if !shared && self.checking == Checking::Whole {
            return wrong(left, &of.clause.at, SideFact::BranchesApart);
        }
        Some(Target { top, start, base, fields: Vec::new(), objects: Vec::new() })
    }

    /// Whether a path of the new side is that of objects that nothing in it tells apart.
    fn is_list_at(&self, way: &[TargetStep], path: &[notation::Step]) -> bool {
        let literal = |step: &notation::Step| match &step.name {
            StepName::Parts(parts) => notation::literal(parts),
            StepName::Below => None,
        };
        let names: Vec<Option<String>> = path.iter().map(literal).collect();
        let below = names.iter().map(|name| name.as_deref().map_or(PathStep::Any, PathStep::Name));
        let steps: Vec<PathStep<'_>> = known_steps(way).chain(below).collect();
        match self.new.schema.find(&steps) {
            Lookup::Declared(entry) => {
                matches!(&self.new.schema[entry].what, What::Object { many: true, name: None, .. })
            }
            _ => false,
        }
    }

    /// Whether something below a path of the old side is known at the same path below one of the new side.
    fn shares(&self, old: &Pattern, new: &[TargetStep]) -> bool {
        let steps: Vec<PathStep<'_>> = known_steps(new).collect();
        let depth = old.steps.len();
        let below = self.old.schema.entries.iter().filter(|entry| {
            entry.what.setting().is_some()
                && entry.pattern.steps.len() > depth
                && old.meets(&entry.pattern.steps[..depth])
        });
        below.into_iter().any(|entry| {
            let rest = entry.pattern.steps[depth..].iter().map(PathStep::from);
            let path: Vec<PathStep<'_>> = steps.iter().copied().chain(rest).collect();
            matches!(self.new.schema.find(&path), Lookup::Declared(_))
        })
    }

    /// Whether clauses make a left side together. Reports what is wrong.
    fn is_side(
        &self,
        left: Word<'_>,
        verb: Verb,
        raw: &[SideClause],
        clauses: &[Clause],
        before: &[Step],
    ) -> bool {
        let span_of =
            |raw: &SideClause| inside(left, self.report.source, raw.clause.at.start, raw.clause.at.end);
        let side = |span, side| {
            self.report.add(span, CrossingFact::Side { side });
            false
        };
        if let [only] = raw
            && only.clause.optional
        {
            self.report.add(span_of(only), CrossingFact::OptionalAlone);
            return false;
        }
        if clauses.is_empty() && verb != Verb::Move {
            return side(left.span, SideFact::OnlyReads);
        }
        // Lists that do not go in step: which of one goes with which of the other, nobody can say.
        let taken = raw.iter().filter(|raw| !raw.clause.reads);
        let lists: Vec<(&SideClause, &Clause, usize)> = taken
            .zip(clauses)
            .filter(|(raw, _)| raw.steps.iter().all(|step| step.step != Step::Below))
            .filter_map(|(raw, clause)| Some((raw, clause, clause.several?)))
            .collect();
        if let Some((_, deepest, depth)) = lists.iter().max_by_key(|(.., depth)| depth) {
            for (raw, clause, several) in &lists {
                if !is_in_step(&clause.pattern, &deepest.pattern, (*several).min(*depth))
                    && self.is_declared_list(left, raw, before)
                {
                    return side(span_of(raw), SideFact::TwoLists);
                }
            }
        }
        true
    }

    /// Whether the profile says that what a clause is about can be there several times.
    fn is_declared_list(&self, left: Word<'_>, raw: &SideClause, before: &[Step]) -> bool {
        (0..raw.steps.len()).any(|index| {
            let found = self.find_old(left, &raw.steps[..=index], before);
            found
                .and_then(|found| found.entry)
                .is_some_and(|entry| self.old.schema[entry].what.can_be_several())
        })
    }
}

/// Whether a clause takes all below a path.
fn is_branch(raw: &SideClause) -> bool {
    let is_below = raw.steps.last().is_some_and(|step| step.step == Step::Below);
    !raw.clause.reads && raw.clause.content == Content::None && is_below
}

/// The clauses of a side, with those of its parts in their stead.
fn out_of_parts(clauses: Vec<notation::Clause>) -> Result<Vec<SideClause>, BadSide> {
    let mut all = Vec::new();
    for (number, clause) in clauses.into_iter().enumerate() {
        let Content::Part(inner) = clause.content else {
            all.push(SideClause { steps: old_steps(&clause.path)?, clause, part: None });
            continue;
        };
        let outer = clause.path;
        for inner in inner {
            if inner.path.start != Start::Here {
                return Err(BadSide { at: inner.path.at, fact: SideFact::StartInPart });
            }
            if matches!(inner.content, Content::Part(_)) {
                return Err(BadSide { at: inner.at, fact: SideFact::PartInPart });
            }
            let path = notation::Path {
                start: outer.start.clone(),
                steps: outer.steps.iter().chain(&inner.path.steps).cloned().collect(),
                object: inner.path.object,
                at: inner.path.at,
            };
            let steps = old_steps(&path)?;
            let (reads, optional) = (clause.reads || inner.reads, clause.optional || inner.optional);
            let clause = notation::Clause { reads, optional, path, content: inner.content, at: inner.at };
            all.push(SideClause { clause, steps, part: Some((number, outer.steps.len())) });
        }
    }
    Ok(all)
}

/// The clauses for each choice of what their paths capture, with what is captured then.
fn choices(clauses: &[SideClause]) -> Vec<(Vec<SideClause>, Bound)> {
    let mut all = vec![(clauses.to_vec(), Bound::new())];
    for (number, SideClause { steps, .. }) in clauses.iter().enumerate() {
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
                    clauses[number].steps[index].step = Step::Names(vec![name.clone()]);
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
