//! What a platform says of the work around a change: steps, services that stand still, who goes by what
//! the unit is, and where files go.

use super::facts::ProfileFact;
use super::schema::{Lookup, PathStep, Schema};
use crate::declaration::{Section, Word, parse_pattern};
use crate::language::phase::Phase;
use crate::tree::pattern::Pattern;
use wildmatch::WildMatch;

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
    /// The first that fits a file counts.
    pub(crate) installs: Vec<Install>,
}

/// Where files of a result go on the system that receives them.
#[derive(Clone, Debug)]
pub(crate) struct Install {
    /// Which files, by their names in the configuration.
    pub(crate) files: WildMatch,
    /// Where to; `{file}` is its name in the configuration, `{release}` that of the result.
    pub(crate) path: String,
    pub(crate) owner: String,
    pub(crate) group: String,
    /// In octal digits, as `chmod` takes them.
    pub(crate) mode: String,
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

/// Where one file goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Installed {
    /// The absolute path.
    pub path: String,
    /// The user that it belongs to.
    pub owner: String,
    /// The group that it belongs to.
    pub group: String,
    /// In octal digits.
    pub mode: String,
    /// The number of what the profile says of such files, from 1: they are installed in this order.
    pub order: usize,
}

impl Runbook {
    /// Where a file goes, by its name in the configuration.
    pub(crate) fn installed(&self, file: &str, release: &str) -> Option<Installed> {
        let (number, install) = (1..).zip(&self.installs).find(|(_, install)| install.files.matches(file))?;
        Some(Installed {
            path: install.path.replace("{file}", file).replace("{release}", release),
            owner: install.owner.clone(),
            group: install.group.clone(),
            mode: install.mode.clone(),
            order: number,
        })
    }
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
    around.installs = root.sections("install").into_iter().filter_map(read_install).collect();
    for &[path, what, todo] in dependents {
        if let Some(pattern) = known_path(root, path, schema) {
            let (what, text) = (what.text.to_owned(), todo.text.to_owned());
            around.dependants.push(Dependant { pattern, what, text });
        }
    }
    around
}

/// `[[install]]`: where files go.
fn read_install(section: Section<'_, '_>) -> Option<Install> {
    let text = |word: Option<Word<'_>>| word.map(|word| word.text.to_owned());
    let files = section.word("files").map_or("*", |word| word.text);
    let path = section.need_word("path");
    if let Some(word) = path.filter(|word| !word.text.starts_with('/')) {
        section.report().add(word.span, ProfileFact::InstallPath);
    }
    let (owner, group) = (text(section.need_word("owner")), text(section.need_word("group")));
    let mode = section.need_word("mode");
    let is_mode =
        |text: &str| (3..=4).contains(&text.len()) && text.bytes().all(|byte| (b'0'..=b'7').contains(&byte));
    if let Some(word) = mode.filter(|word| !is_mode(word.text)) {
        section.report().add(word.span, ProfileFact::InstallMode { mode: word.text.to_owned() });
    }
    let files = WildMatch::new(files);
    let (path, mode) = (text(path), text(mode));
    section.finish();
    Some(Install { files, path: path?, owner: owner?, group: group?, mode: mode? })
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
