//! Carrying: a backup, a course of crossings and a map make a new configuration and its ledger.
//!
//! For each crossing of the course:
//! 1. The first walk (`scan::inventory`) finds settings, objects and the rules that speak of each.
//! 2. The engine takes rule by rule what they ask for into a new tree.
//!
//! Then `chain` follows each setting through all of them, the last tree is written in the receiving
//! platform's format, and `judge::read_back` reads those bytes as the receiving platform would and compares them
//! with the ledger.

mod chain;
mod facts;
mod findings;
mod judging;
mod order;
mod output;
mod unwritable;
mod work;
mod writing;

use crate::account::StepMade;
use crate::engine::{NameBook, Step, apply};
pub use crate::engine::{PinnedDefaults, Threads};
use crate::finding::{Acceptance, Findings, Severity, SeverityOverride, apply_severities};
use crate::ids::{PlaceId, SectionId, StepId};
use crate::judge::{Overruled, unsound};
use crate::language::course::Leg;
use crate::language::phase::Phase;
use crate::language::profile::{Model, Profile};
use crate::language::texts::Texts;
use crate::ledger::fate::{Fate, Origin};
use crate::ledger::{DecidedBy, Ledger};
use crate::mapping::{self, Accepted, Exempt, Mapping, Proposal};
use crate::merge::{self, Based};
use crate::recognise::{backup::Backup, platform::too_many_nodes};
use crate::scan::automaton::Automaton;
use crate::scan::inheritance::{Folded, Inheritance, can_be_several, keys_of};
pub use crate::scan::inventory::Scan;
use crate::scan::inventory::{RowKind, automaton_of};
use crate::scan::joining::Joined;
use crate::scan::locator::Labeler;
use crate::text::charset::Charset;
use crate::text::source::Content;
use crate::tree::{Kind, NodeId, Tree, Trivia};
use judging::Judging;
use rustc_hash::FxHashMap;

/// All that a carry depends on.
#[derive(Clone, Copy, Debug)]
pub struct CarryInput<'i, 'a> {
    /// The backup.
    pub backup: &'i Backup<'a>,
    /// The crossings in order, with the profiles of both sides of each; at least one.
    pub course: &'i [Leg],
    /// The receiving model, for lines that have models.
    pub model: Option<&'i Model>,
    /// What becomes of each port, with why; for messages.
    pub proposals: &'i [Proposal],
    /// The same, to be looked up.
    pub mapping: &'i Mapping,
    /// Answers to what the crossings ask, as fact and value.
    pub answers: &'i [(String, String)],
    /// An export of the receiving unit that everything is carried into, if there is one. It is of the
    /// receiving platform, release and model.
    pub base: Option<&'i Backup<'a>>,
    /// How much codes matter to this person, where they said so. What blocks always does.
    pub severities: &'i [SeverityOverride],
    /// The findings that a person passes, each with a reason.
    pub accepted: &'i [Accepted],
    /// Which old defaults are written out where the new ones are others.
    pub pins: PinnedDefaults,
    /// How many threads apply a crossing to a large backup. The result is the same.
    pub threads: Threads,
}

impl<'a> CarryInput<'_, 'a> {
    /// How the texts of the result are written, where there is no base.
    fn texts(&self) -> Texts<'a> {
        let (first, last) = (&self.course[0], &self.course[self.course.len() - 1]);
        Texts::new(
            self.backup.tree.source(),
            last.new.output.encoding,
            first.old.platform == last.new.platform,
        )
    }

    /// The character set of the result; of several, the usual one.
    fn charset(&self) -> Charset {
        let Some(base) = self.base else { return self.texts().charset("") };
        let texts = base.tree.source().pieces.iter().filter(|piece| piece.content == Content::Text);
        output::common(texts.map(|piece| piece.charset))
    }
}

/// What a carry made.
#[derive(Debug)]
pub struct Carried<'i, 'a> {
    input: CarryInput<'i, 'a>,
    steps: Vec<StepMade>,
    /// The tree after each step.
    trees: Vec<Tree<'a>>,
    new_automaton: Automaton,
    ledger: Ledger,
    based: Option<Based>,
    comments_taken: usize,
    accepted: Vec<Accepted>,
    /// What a person should know, blockers first, then in the order of the backup.
    pub findings: Findings,
}

/// Carries a backup over. `walk` is the first walk over it with the course's first crossing.
///
/// # Panics
/// If the course is empty.
pub fn carry<'i, 'a>(input: CarryInput<'i, 'a>, walk: Scan) -> Carried<'i, 'a> {
    let last = input.course.last().expect("a course has a crossing");
    let mapped_at = mapping_leg(input.course);
    let mut trees: Vec<Tree<'a>> = Vec::new();
    let mut steps: Vec<StepMade> = Vec::new();
    let mut walk = Some(walk);
    let none = FxHashMap::default();
    let exempt = input.course.get(mapped_at).map(|leg| input.mapping.exempt(&leg.old, &leg.new));
    let exempt = exempt.unwrap_or_default();
    let old_model = input.backup.identity.model.as_deref();
    let old_model = old_model.and_then(|name| input.course[0].old.model(name).ok());
    let mut joined = walk.as_ref().and_then(|walk| joined(&input.backup.tree, &input.course[0].old, walk));
    let overruled = walk.as_mut().map(|walk| {
        let Scan { automaton, .. } = walk;
        unsound(&input.backup.tree, joined.as_ref(), &input.course[0].old, old_model, automaton)
    });
    let overruled = overruled.unwrap_or_default();
    let books: Vec<NameBook> = input.course.iter().map(|_| NameBook::default()).collect();
    for (number, leg) in input.course.iter().enumerate() {
        let tree = trees.last().unwrap_or(&input.backup.tree);
        let model = if number < mapped_at {
            input.backup.identity.model.as_deref()
        } else {
            input.model.map(|model| model.name.as_str())
        };
        let mapping = (number == mapped_at).then_some(input.mapping);
        let into_base = input.base.is_some() && number + 1 == input.course.len();
        let step = Step {
            number: StepId::new(number),
            tree,
            leg,
            model,
            mapping,
            answers: input.answers,
            names: &books[number],
            inheritance: None,
            not_chosen: input.backup.not_chosen.filter(|_| number == 0),
            charset: if number + 1 == input.course.len() { input.charset() } else { Charset::UTF_8 },
            exempt: &exempt,
            ignored: if number == 0 { &overruled.ignored } else { &none },
            into_base,
            pins: input.pins,
            threads: input.threads,
        };
        let walk = walk.take().unwrap_or_else(|| {
            let walk = Scan::new(tree, &leg.old, &leg.crossing);
            joined = self::joined(tree, &leg.old, &walk);
            walk
        });
        let (mut made, beside, mut ledger) = match joined.take() {
            Some(joined) => apply_joined(step, &joined, &walk),
            None => apply_inheriting(step, &walk),
        };
        order::arrange(&mut made, &leg.new);
        let Scan { automaton, reading } = walk;
        // The next walk asks for document order, and most formats do when they are written.
        let made = if number + 1 < input.course.len() || !leg.new.format().traits().writes_any_order {
            let (ordered, new_ids) = made.in_document_order(&beside);
            ledger.renumber(&new_ids);
            ordered
        } else {
            made
        };
        trees.push(made);
        steps.push(StepMade { automaton, reading, ledger });
    }
    let mut ledger = chain::follow(&mut steps, &trees, mapped_at);
    let mut new_automaton = automaton_of(&last.new, None);
    let mut comments_taken = trees.last().map_or(0, Tree::comments);
    let mut judging = Judging {
        input: &input,
        steps: &mut steps,
        automaton: &mut new_automaton,
        findings: Findings::new(),
    };
    let made = trees.last_mut().expect("a tree after each step");
    let merged = judging.run(made, &mut ledger);
    let mut of_rules = judging.findings;
    overruled.lower_what_was_so_before(&mut of_rules);
    of_rules.splice(0..0, mapping_findings(&input, &mut steps[0], &exempt));
    of_rules.extend(overruled_findings(&input, &steps, &overruled));
    let based = merged.map(|(merged, based)| {
        let made = trees.last().expect("a tree after each step");
        if let [_, .., step] = steps.as_mut_slice() {
            step.ledger.follow(&based.places);
        }
        comments_taken = made
            .ids()
            .filter(|node| made.kind(*node) == Kind::Comment && based.places[node.index()].is_some())
            .count();
        let step = StepId::new(steps.len() - 1);
        let notes =
            merge::findings::overridden(&merged, &based, &last.new, &ledger, step, &mut new_automaton);
        if !notes.is_empty() {
            ledger.notes.extend(notes);
            ledger.notes.sort_by_key(|note| note.row);
        }
        trees.push(merged);
        based
    });
    let mut carried = Carried {
        input,
        steps,
        trees,
        new_automaton,
        ledger,
        based,
        comments_taken,
        accepted: Vec::new(),
        findings: Vec::new(),
    };
    carried.findings = of_rules;
    if let Some(tree) = carried.trees.iter().find(|tree| tree.is_overfull()) {
        let finding = too_many_nodes("the result", tree);
        carried.findings.push(finding);
    }
    carried.findings.extend(carried.redacted_copy());
    let gathered = carried.gather_findings();
    carried.findings.extend(gathered);
    let weakening = carried.weakening_pins();
    carried.findings.extend(weakening);
    let beyond = carried.beyond_limits();
    carried.findings.extend(beyond);
    if let (Some(base), Some(based)) = (input.base, &carried.based) {
        carried.findings.extend(merge::findings::findings(
            base,
            based,
            &last.new,
            (&last.crossing, &carried.ledger.replaced),
            &mut carried.new_automaton,
        ));
    }
    carried.accept();
    apply_severities(&mut carried.findings, input.severities);
    carried.findings.sort_by_key(|finding| finding.severity);
    carried
}

/// What is wrong with the paths and addresses of the map, seen from the backup.
fn mapping_findings(input: &CarryInput<'_, '_>, first: &mut StepMade, exempt: &Exempt) -> Findings {
    let StepMade { automaton, reading, .. } = first;
    let mut checked = mapping::Checked {
        backup: input.backup,
        old: &input.course[0].old,
        automaton,
        reading,
        mapping: input.mapping,
        exempt,
    };
    checked.findings()
}

/// That a backup breaks rules of its own platform, at its places.
fn overruled_findings(input: &CarryInput<'_, '_>, steps: &[StepMade], overruled: &Overruled) -> Findings {
    let StepMade { automaton, reading, .. } = &steps[0];
    let mut automaton = automaton.clone();
    let (backup, old) = (input.backup, &input.course[0].old);
    let mut labels = Labeler::new(&backup.tree, &old.schema, Some(&reading.ordinals), &automaton);
    overruled.findings(backup, old, &mut labels, &mut automaton)
}

fn joined<'a>(tree: &Tree<'a>, old: &Profile, walk: &Scan) -> Option<Joined<'a>> {
    Joined::of(tree, old, &walk.automaton, &walk.reading)
}

/// Applies a crossing to a tree that has objects in pieces.
fn apply_joined<'a>(step: Step<'_, 'a>, joined: &Joined<'a>, walk: &Scan) -> (Tree<'a>, Trivia, Ledger) {
    let joined_walk = Scan::new(&joined.tree, step.old(), &step.leg.crossing);
    let ignored = joined.follow(step.ignored);
    let not_chosen = step.not_chosen.and_then(|node| joined.new_id(node));
    let joined_step = Step { tree: &joined.tree, ignored: &ignored, not_chosen, ..step };
    let (made, beside, mut ledger) = apply_inheriting(joined_step, &joined_walk);
    joined.unfold(&mut ledger, &joined_walk.reading, &walk.reading);
    (made, beside, ledger)
}

/// Applies a crossing in the way in which objects of the old platform inherit.
fn apply_inheriting<'a>(step: Step<'_, 'a>, walk: &Scan) -> (Tree<'a>, Trivia, Ledger) {
    let Some(inheritance) = Inheritance::of(step.tree, step.old(), walk) else {
        return apply(&step, &walk.automaton, &walk.reading);
    };
    let notes = inheritance.notes(&walk.reading, step.number);
    let (made, beside, mut ledger) = if step.flattens() {
        let keys = |object| keys_of(step.old(), &walk.automaton, &walk.reading, object);
        let several = |node| can_be_several(step.old(), walk, node);
        let (flat, old_ids) = inheritance.flatten(step.tree, &keys, &several);
        let flat_walk = Scan::new(&flat, step.old(), &step.leg.crossing);
        let copied = |(old, _): &(NodeId, bool)| step.ignored.get(old).copied();
        let ignored =
            old_ids.iter().zip(flat.ids()).filter_map(|(old, flat)| Some((flat, copied(old)?))).collect();
        let flat_step = Step { tree: &flat, ignored: &ignored, ..step };
        let (made, beside, mut ledger) = apply(&flat_step, &flat_walk.automaton, &flat_walk.reading);
        let folded = Folded { reading: &flat_walk.reading, old_ids: &old_ids };
        inheritance.fold(&mut ledger, &folded, walk, step.tree);
        (made, beside, ledger)
    } else {
        let step = Step { inheritance: Some(&inheritance), ..step };
        apply(&step, &walk.automaton, &walk.reading)
    };
    ledger.notes.extend(notes);
    ledger.notes.sort_by_key(|note| note.row);
    (made, beside, ledger)
}

/// The leg that applies the map: the one that changes the platform, or else the last. Each reference is
/// mapped there and nowhere else, so that names can be swapped.
pub fn mapping_leg(course: &[Leg]) -> usize {
    let changes_line = |leg: &Leg| leg.old.platform != leg.new.platform;
    course.iter().position(changes_line).unwrap_or(course.len().saturating_sub(1))
}

/// How many settings and objects of one section had one fate.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FateCount {
    /// The section.
    pub section: String,
    /// The fate.
    pub fate: Fate,
    /// Settings.
    pub settings: usize,
    /// Objects.
    pub objects: usize,
}

impl Carried<'_, '_> {
    /// Whether nothing may be imported.
    pub fn is_blocked(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Blocker)
    }

    /// Makes warnings of the blockers that a person passes with a reason, where the receiving platform's rules allow it and
    /// they still say what they said.
    fn accept(&mut self) {
        for finding in self.findings.iter_mut().filter(|finding| finding.acceptable) {
            let (id, shows) = (finding.id(), finding.shows());
            let Some(accepted) = self.input.accepted.iter().find(|accepted| accepted.finding == id) else {
                continue;
            };
            if accepted.shows == shows {
                finding.severity = Severity::Warning;
                finding.acceptance = Some(Acceptance::Holds { reason: accepted.reason.clone() });
                self.accepted.push(accepted.clone());
            } else {
                finding.acceptance = Some(Acceptance::Outdated { shows: accepted.shows.clone() });
            }
        }
    }

    /// The findings that were passed with a reason.
    pub fn accepted(&self) -> &[Accepted] {
        &self.accepted
    }

    /// Adds what was noticed before.
    pub fn add_findings(&mut self, mut findings: Findings) {
        apply_severities(&mut findings, self.input.severities);
        self.findings.splice(0..0, findings);
        self.findings.sort_by_key(|finding| finding.severity);
    }

    fn old(&self) -> &Profile {
        &self.input.course[0].old
    }

    /// The labels of all settings and objects of one fate, each with its line in the backup.
    pub fn of_fate(&mut self, fate: Fate) -> Vec<(String, u32)> {
        let tree = &self.input.backup.tree;
        let lines = self.input.backup.lines();
        let StepMade { automaton, reading, .. } = &mut self.steps[0];
        let schema = &self.input.course[0].old.schema;
        let mut labels = Labeler::new(tree, schema, Some(&reading.ordinals), automaton);
        let rows = reading.rows.iter().zip(&self.ledger.decisions);
        rows.filter(|(_, decision)| decision.fate == fate)
            .map(|(row, _)| {
                let line = lines.position(tree.span(row.node).start).line;
                (labels.label(row.node, automaton).to_owned(), line)
            })
            .collect()
    }

    /// Counts by section, in the order of the profile, and by fate, the mildest first.
    pub fn counts(&self) -> Vec<FateCount> {
        let old = self.old();
        let sections = old.sections.len();
        let mut table = vec![[(0, 0); Fate::ALL.len()]; sections + 1];
        for (row, decision) in self.steps[0].reading.rows.iter().zip(&self.ledger.decisions) {
            let cell = &mut table[row.section().map_or(sections, SectionId::index)][decision.fate as usize];
            match row.kind {
                RowKind::Setting => cell.0 += 1,
                RowKind::Object => cell.1 += 1,
            }
        }
        let mut counts = Vec::new();
        for (section, cells) in table.iter().enumerate() {
            let name = old.section_name((section < sections).then_some(SectionId::new(section)));
            for (&fate, &(settings, objects)) in Fate::ALL.iter().zip(cells) {
                if settings + objects > 0 {
                    counts.push(FateCount { section: name.to_owned(), fate, settings, objects });
                }
            }
        }
        counts
    }

    /// How many settings of the result have an origin of each kind instead of a setting of the backup.
    pub fn origins(&self) -> Vec<(Origin, usize)> {
        let count_of =
            |origin: &Origin| self.ledger.origins.iter().filter(|row| row.origin == *origin).count();
        Origin::ALL.iter().map(|origin| (*origin, count_of(origin))).filter(|(_, count)| *count > 0).collect()
    }

    /// How many settings of the base are not what they were.
    pub fn base_replaced(&self) -> usize {
        self.ledger.replaced.len()
    }

    /// The steps of the work around the import, in their order.
    pub fn work(&self) -> Vec<(Phase, String)> {
        work::work(&self.input, &self.steps[0], &self.ledger)
    }

    /// For each crossing of the course which of its rules were used, in their order.
    pub fn rules_used(&self) -> Vec<Vec<bool>> {
        let legs = self.input.course.iter().enumerate();
        legs.map(|(number, leg)| {
            // The ledger of the only step is that of the whole.
            let ledger = if self.steps.len() == 1 { &self.ledger } else { &self.steps[number].ledger };
            let mut used = vec![false; leg.crossing.rules.len()];
            for &(step, rule) in &self.ledger.applied {
                if step.index() == number {
                    used[rule.index()] = true;
                }
            }
            for decision in &ledger.decisions {
                if let DecidedBy::Rule(rule) = decision.by {
                    used[rule.index()] = true;
                }
            }
            for row in &ledger.origins {
                let line = row.rule.strip_prefix(&leg.crossing.file).and_then(|rest| rest.strip_prefix(':'));
                for (rule, used) in leg.crossing.rules.iter().zip(&mut used) {
                    *used |= line.is_some_and(|line| rule.at.line.to_string() == line);
                }
            }
            // A place of a branch that is no object has no row of its own.
            for place in 0..leg.crossing.places.len() {
                let rules = leg.crossing.rules.iter().zip(&used);
                if rules.into_iter().any(|(rule, used)| *used && rule.place == Some(PlaceId::new(place))) {
                    let own = leg.crossing.rules.iter().position(|rule| rule.is_place(PlaceId::new(place)));
                    own.into_iter().for_each(|own| used[own] = true);
                }
            }
            used
        })
        .collect()
    }

    /// How many comments of the backup were taken along, and how many were left.
    pub fn comments(&self) -> (usize, usize) {
        let all = self.steps[0].reading.remarks.len();
        let taken = self.comments_taken;
        (taken, all - taken.min(all))
    }
}
