//! What many rows say alike, written once: the section, the type, what decided. At millions of rows
//! copying it is a good deal cheaper than writing it anew.

use crate::ids::{SectionId, StepId};
use crate::language::course::Leg;
use crate::language::crossing::Action;
use crate::language::profile::Profile;
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Decision, Ledger, Note, WentFor};
use crate::mapping::{Destination, Mapping};
use crate::text::json_string::write_string;
use rustc_hash::FxHashMap;
use std::borrow::Cow;

/// Pieces of rows, ready to be copied.
#[derive(Clone, Debug)]
pub(super) struct Fragments<'l> {
    course: &'l [Leg],
    mapping: &'l Mapping,
    ports: &'l [String],
    went: &'l [WentFor],
    /// From the section to the type, by their numbers; the last of each stands for none.
    sections: Vec<Vec<u8>>,
    types: Vec<Vec<u8>>,
    /// The fate with what decided it, written when first needed; of rules of the first step by their numbers.
    by_rule: Vec<[Option<Box<[u8]>>; Fate::ALL.len()]>,
    decided: FxHashMap<(StepId, DecidedBy, Fate), Box<[u8]>>,
    /// The end of a landing of each fate.
    landed: [Vec<u8>; Fate::ALL.len()],
}

impl<'l> Fragments<'l> {
    pub(super) fn new(course: &'l [Leg], mapping: &'l Mapping, ledger: &'l Ledger) -> Self {
        let old: &Profile = &course[0].old;
        let named = |key: &[u8], name: &str| {
            let mut out = key.to_vec();
            write_string(name, &mut out);
            out
        };
        let numbers = (0..old.sections.len()).map(|number| Some(SectionId::new(number))).chain([None]);
        let sections = numbers.map(|number| named(b",\"section\":", old.section_name(number))).collect();
        let types = old.types.list.iter().map(|kind| named(b",\"type\":", &kind.name)).chain([Vec::new()]);
        Self {
            course,
            mapping,
            ports: &ledger.ports,
            went: &ledger.went,
            sections,
            types: types.collect(),
            by_rule: vec![Default::default(); course[0].crossing.rules.len()],
            decided: FxHashMap::default(),
            landed: std::array::from_fn(|fate| {
                format!(",\"fate\":\"{}\"}}", Fate::ALL[fate].word()).into_bytes()
            }),
        }
    }

    pub(super) fn section(&self, section: Option<SectionId>) -> &[u8] {
        &self.sections[section.map_or(self.sections.len() - 1, SectionId::index)]
    }

    pub(super) fn kind(&self, ty: Option<crate::language::typing::TypeId>) -> &[u8] {
        &self.types[ty.map_or(self.types.len() - 1, |ty| usize::from(ty.0))]
    }

    /// The fate, and what decided it with its reason.
    pub(super) fn decided(&mut self, decision: &Decision) -> &[u8] {
        let Decision { step, by, fate, .. } = *decision;
        let (course, mapping, ports, went) = (self.course, self.mapping, self.ports, self.went);
        let make = || decided(&course[step.index()], mapping, (ports, went), by, fate);
        match by {
            DecidedBy::Rule(rule) if step == StepId::FIRST => {
                self.by_rule[rule.index()][fate as usize].get_or_insert_with(make)
            }
            _ => self.decided.entry((step, by, fate)).or_insert_with(make),
        }
    }

    /// Whether what decided says itself why.
    pub(super) fn has_reason(&self, decision: &Decision, note: &Note) -> bool {
        let Decision { step, by, .. } = *decision;
        let leg = &self.course[step.index()];
        note.step != step || decider(leg, self.mapping, (self.ports, self.went), by).1.is_some()
    }

    /// The fate of a landing, with its end.
    pub(super) fn landed(&self, fate: Fate) -> &[u8] {
        &self.landed[fate as usize]
    }
}

fn decided(
    leg: &Leg,
    mapping: &Mapping,
    names: (&[String], &[WentFor]),
    by: DecidedBy,
    fate: Fate,
) -> Box<[u8]> {
    let mut out = b",\"fate\":\"".to_vec();
    out.extend_from_slice(fate.word().as_bytes());
    out.push(b'"');
    let (rule, why) = decider(leg, mapping, names, by);
    for (name, text) in [(&b",\"rule\":"[..], rule), (b",\"why\":", why)] {
        if let Some(text) = text {
            out.extend_from_slice(name);
            write_string(&text, &mut out);
        }
    }
    out.into()
}

/// File and line of what decided, and why.
fn decider<'l>(
    leg: &'l Leg,
    mapping: &Mapping,
    (ports, went): (&[String], &[WentFor]),
    by: DecidedBy,
) -> (Option<Cow<'l, str>>, Option<Cow<'l, str>>) {
    let file = || Some(Cow::Borrowed(leg.crossing.file.as_str()));
    match by {
        DecidedBy::Rule(rule) => {
            let rule = &leg.crossing.rules[rule.index()];
            let why = match &rule.action {
                Action::Drop { why } | Action::Moot { why } => Some(Cow::Borrowed(why.as_str())),
                Action::ByHand { instruction } => Some(Cow::Borrowed(instruction.as_str())),
                Action::Place | Action::Move(_) | Action::Branch(_) | Action::Add(_) | Action::Pin(_) => None,
            };
            (Some(Cow::Owned(format!("{}:{}", leg.crossing.file, rule.at.line))), why)
        }
        DecidedBy::Map(port) => {
            let name = &ports[port.index()];
            let why = match mapping.port(name) {
                Destination::Leave => format!("the map leaves out the port {name}"),
                _ => format!("the port {name} is not mapped"),
            };
            (Some(Cow::Owned(mapping.rule(name))), Some(Cow::Owned(why)))
        }
        DecidedBy::SamePlatform => (file(), Some(Cow::Borrowed("it exists in both releases"))),
        DecidedBy::Header => (
            Some(Cow::Borrowed(leg.new.file.as_str())),
            Some(Cow::Borrowed("the new file states its own release and model")),
        ),
        DecidedBy::Inheritance => {
            (file(), Some(Cow::Borrowed("inherited values are written where they apply")))
        }
        DecidedBy::Repeats => (
            Some(Cow::Borrowed(leg.old.file.as_str())),
            Some(Cow::Borrowed("duplicate setting; the other one is in effect")),
        ),
        DecidedBy::NotChosen => {
            (None, Some(Cow::Borrowed("it is in the other of two configurations, which is not carried")))
        }
        DecidedBy::Leftover => (
            Some(Cow::Borrowed(leg.old.file.as_str())),
            Some(Cow::Borrowed("an editor or a package left the file behind; it is not read")),
        ),
        DecidedBy::NothingIncluded(no_file) => (None, Some(Cow::Borrowed(no_file.why()))),
        DecidedBy::RuleBroken(number) => {
            let WentFor { rule, why, .. } = &went[number.index()];
            (
                Some(Cow::Owned(rule.clone())),
                Some(Cow::Owned(format!("what it was written to was left out: {why}"))),
            )
        }
        DecidedBy::Ignored(line) => (
            Some(Cow::Owned(format!("{}:{line}", leg.old.file))),
            Some(Cow::Borrowed("the old unit accepts it and ignores it")),
        ),
        DecidedBy::Nothing => (None, Some(Cow::Borrowed("no rule covers it"))),
    }
}
