//! What is beside the rules: pins, questions, requirements, steps of the work, notices, the base.

use super::captures::Captures;
use super::facts::CrossingFact;
use super::reader::Reader;
use super::rows::Parameters;
use super::{Ask, BasePolicy, Notice, Requirement, WorkStep};
use crate::declaration::{Section, parse_pattern};
use crate::language::expression::OperandKind;
use crate::language::phase::Phase;
use crate::language::profile::{Lookup, PathStep};

impl Reader<'_, '_> {
    /// `always-write` of `[crossing]`
    pub(super) fn read_always_pinned(&mut self, root: &Section<'_, '_>) {
        let Some(section) = root.section("crossing") else { return };
        let section = &section;
        let mut patterns = Vec::new();
        for word in section.words("always-write") {
            let Some(pattern) = parse_pattern(section, word) else { continue };
            let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
            let entry = match self.old.schema.find(&steps) {
                Lookup::Declared(entry) => &self.old.schema[entry].what,
                Lookup::Above => {
                    self.report.add(word.span, CrossingFact::NoSetting);
                    continue;
                }
                Lookup::Unknown { depth, known } => {
                    let name = pattern.steps[depth].to_string();
                    self.report.unknown_path(word.span, &self.old.title, &name, &known);
                    continue;
                }
            };
            if entry.default_at(self.old.release).is_none() {
                self.report.add(word.span, CrossingFact::DefaultUnknown);
            }
            patterns.push(pattern);
        }
        self.always_pinned = patterns;
    }

    pub(super) fn read_asks(&mut self, root: &Section<'_, '_>) {
        let kinds = [
            ("text", OperandKind::Text),
            ("integer", OperandKind::Integer),
            ("boolean", OperandKind::Boolean),
        ];
        for section in root.sections("ask") {
            let fact = section.need_word("fact");
            let kind = section.pick("type", &kinds);
            let default = section.need_word("default").map(|word| word.text.to_owned());
            let why = section.need_word("why").map(|word| word.text.to_owned());
            let when = self.condition(&section, &Parameters::default(), &mut Captures::default());
            if let (Some(fact), Some(kind), Some(default), Some(why)) = (fact, kind, default, why) {
                let at = self.lines.position(fact.span.start);
                self.asks.push(Ask { fact: fact.text.to_owned(), default, why, when, at, kind });
            }
            section.finish();
        }
    }

    pub(super) fn read_requirements(&mut self, root: &Section<'_, '_>) -> Vec<Requirement> {
        let read = |section: Section<'_, '_>| {
            let that = section.need_word("that");
            let why = section.need_word("why").map(|word| word.text.to_owned());
            section.finish();
            let that = that?;
            let at = self.lines.position(that.span.start);
            let that = self.expression(that.text, that.span, &mut Captures::default(), OperandKind::Boolean);
            Some(Requirement { that, why: why?, at })
        };
        root.sections("require").into_iter().filter_map(read).collect()
    }

    pub(super) fn read_steps(&mut self, root: &Section<'_, '_>) -> Vec<WorkStep> {
        let read = |section: Section<'_, '_>| {
            let phase = section.pick("phase", &Phase::ALL);
            let text = section.need_word("do").map(|word| word.text.to_owned());
            let when = self.condition(&section, &Parameters::default(), &mut Captures::default());
            section.finish();
            Some(WorkStep { phase: phase?, text: text?, when })
        };
        root.sections("step").into_iter().filter_map(read).collect()
    }

    pub(super) fn read_notices(&mut self, root: &Section<'_, '_>) -> Vec<Notice> {
        let read = |section: Section<'_, '_>| {
            let text = section.need_word("text");
            let when = self.condition(&section, &Parameters::default(), &mut Captures::default());
            section.finish();
            let text = text?;
            Some(Notice { at: self.lines.position(text.span.start), text: text.text.to_owned(), when })
        };
        root.sections("notice").into_iter().filter_map(read).collect()
    }

    pub(super) fn read_base(&self, root: &Section<'_, '_>) -> BasePolicy {
        let Some(section) = root.section("base") else { return BasePolicy::default() };
        let patterns = |key| {
            let words = section.words(key);
            words.into_iter().filter_map(|word| self.new_pattern(&section, word)).collect()
        };
        let policy = BasePolicy { replace: patterns("replace"), merge: patterns("append") };
        section.finish();
        policy
    }
}
