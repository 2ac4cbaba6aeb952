//! What a platform says of the work around a change: steps, services that stand still, and who goes by what
//! the unit is.

use super::schema::{Lookup, PathStep, Schema};
use crate::declaration::{Section, Word, parse_pattern};
use crate::language::phase::Phase;
use crate::tree::pattern::Pattern;

/// Which of the two sides of a change a unit is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum UnitSide {
    /// The one that is replaced.
    Old,
    /// The one that takes over.
    New,
}

/// What a platform says of the work around a change.
#[derive(Clone, Debug, Default)]
pub(crate) struct Runbook {
    pub(crate) steps: Vec<Step>,
    pub(crate) services: Vec<Service>,
    pub(crate) dependants: Vec<Dependant>,
    /// How the receiving program itself judges a configuration.
    pub(crate) trials: Vec<Trial>,
}

/// A command by which the receiving program judges a configuration before it is imported. It is printed, never run.
#[derive(Clone, Debug)]
pub(crate) struct Trial {
    /// The command; `DIR` stands for the folder with the files.
    pub(crate) run: String,
    /// What it says.
    pub(crate) what: String,
}

/// A step that every change of such a unit has.
#[derive(Clone, Debug)]
pub(crate) struct Step {
    pub(crate) side: UnitSide,
    pub(crate) phase: Phase,
    pub(crate) text: String,
}

/// Something that the unit does for others, if it is set up.
#[derive(Clone, Debug)]
pub(crate) struct Service {
    /// Where it is set up.
    pub(crate) pattern: Pattern,
    pub(crate) name: String,
    /// What others notice while it stands still.
    pub(crate) stops: String,
}

/// Something elsewhere that goes by settings of the unit.
#[derive(Clone, Debug)]
pub(crate) struct Dependant {
    /// Which settings.
    pub(crate) pattern: Pattern,
    /// What goes by them.
    pub(crate) what: String,
    /// What is to be done about it when they change.
    pub(crate) text: String,
}

pub(super) fn read_runbook(root: &Section<'_, '_>, dependents: &[[Word<'_>; 3]], schema: &Schema) -> Runbook {
    let text = |word: Option<Word<'_>>| word.map(|word| word.text.to_owned());
    let mut around = Runbook::default();
    for section in root.sections("step") {
        let side = section.pick("unit", &[("old", UnitSide::Old), ("new", UnitSide::New)]);
        let phase = section.pick("phase", &Phase::ALL);
        let todo = text(section.need_word("do"));
        section.finish();
        if let (Some(side), Some(phase), Some(text)) = (side, phase, todo) {
            around.steps.push(Step { side, phase, text });
        }
    }
    for section in root.sections("service") {
        let (name, stops) = (text(section.need_word("name")), text(section.need_word("stops")));
        let pattern = known_pattern(&section, "at", schema);
        section.finish();
        if let (Some(pattern), Some(name), Some(stops)) = (pattern, name, stops) {
            around.services.push(Service { pattern, name, stops });
        }
    }
    for &[path, what, todo] in dependents {
        if let Some(pattern) = known_path(root, path, schema) {
            let (what, text) = (what.text.to_owned(), todo.text.to_owned());
            around.dependants.push(Dependant { pattern, what, text });
        }
    }
    around
}

/// A path that the profile declares something at or below.
fn known_pattern(section: &Section<'_, '_>, key: &'static str, schema: &Schema) -> Option<Pattern> {
    known_path(section, section.need_word(key)?, schema)
}

fn known_path(section: &Section<'_, '_>, word: Word<'_>, schema: &Schema) -> Option<Pattern> {
    let pattern = parse_pattern(section, word)?;
    let steps: Vec<PathStep<'_>> = pattern.steps.iter().map(PathStep::from).collect();
    if let Lookup::Unknown { depth, known } = schema.find(&steps) {
        let name = pattern.steps[depth].to_string();
        section.report().unknown_path(word.span, "the profile", &name, &known);
    }
    Some(pattern)
}
