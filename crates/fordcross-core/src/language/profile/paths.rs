//! Paths of declarations: their brackets say how many there are of something, and how they are told apart.

use super::facts::ProfileFact;
use super::rules::RawRules;
use crate::declaration::{Section, Word, inside};
use crate::notation::{Capture, Detail, Key, Part, Path, Start, StepName, Text};
use crate::tree::pattern::{Pattern, Step};

/// What the path of a declaration says.
pub(super) struct DeclaredPath {
    pub(super) pattern: Pattern,
    pub(super) how_many: HowMany,
}

/// How many there are of something, and how they are told apart.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum HowMany {
    /// One.
    Once,
    /// `[]`: several that nothing tells apart; of a setting a list.
    Several,
    /// `[#]` and `[#{name}]`: several, whose order counts.
    Ordered { keys: Vec<String> },
    /// `[{id}]`: several, told apart by these settings.
    Keyed { keys: Vec<String> },
    /// `{name:type}`: several, told apart by their own names, which are of that type.
    Named { ty: Option<String> },
}

impl RawRules {
    /// The path of a declaration; named paths may be in it.
    pub(super) fn declared_path(&self, section: &Section<'_, '_>, word: Word<'_>) -> Option<DeclaredPath> {
        let text = self.expand(word.text);
        let span_of = |at: &std::ops::Range<usize>| inside(word, section.report().source, at.start, at.end);
        let path = match Path::parse(&text) {
            Ok(path) => path,
            Err(bad) => {
                section.report().add(span_of(&bad.at), ProfileFact::Path { notation: bad.fact });
                return None;
            }
        };
        if path.start != Start::Here || path.object {
            section.report().add(word.span, ProfileFact::PathStart);
            return None;
        }
        let Some((last, above)) = path.steps.split_last() else {
            section.report().add(word.span, ProfileFact::PathStart);
            return None;
        };
        let mut steps = Vec::new();
        for step in above {
            if step.key.is_some() {
                section.report().add(span_of(&step.at), ProfileFact::KeyAbove);
                return None;
            }
            match &step.name {
                StepName::Parts(parts) => steps.push(plain_step(parts)),
                StepName::Below => steps.push(None),
            }
        }
        let named = match &last.name {
            StepName::Parts(parts) => match parts.as_slice() {
                [Part::Capture(capture)] => own_name(capture),
                _ => None,
            },
            StepName::Below => None,
        };
        let how_many = match (&last.key, named) {
            (None, Some(ty)) => Some(HowMany::Named { ty }),
            (None, None) => Some(HowMany::Once),
            (Some(key), None) => key_settings(key),
            (Some(_), Some(_)) => None,
        };
        match (&last.name, &how_many) {
            (_, Some(HowMany::Named { .. })) => steps.push(Some(Step::Any)),
            (StepName::Parts(parts), _) => steps.push(plain_step(parts)),
            // What is below, and not the branch itself.
            (StepName::Below, Some(HowMany::Once)) => steps.extend([Some(Step::Any), Some(Step::Below)]),
            (StepName::Below, _) => steps.push(None),
        }
        match (steps.into_iter().collect::<Option<Vec<Step>>>(), how_many) {
            (Some(steps), Some(how_many)) => Some(DeclaredPath { pattern: Pattern { steps }, how_many }),
            _ => {
                section.report().add(word.span, ProfileFact::PathForm);
                None
            }
        }
    }
}

/// The type of a name that objects are told apart by.
#[expect(clippy::option_option, reason = "no name of its own, or one of no type")]
fn own_name(capture: &Capture) -> Option<Option<String>> {
    let is_plain = capture.list.is_none() && !capture.optional;
    match &capture.detail {
        Detail::None if is_plain => Some(None),
        Detail::Type(name) if is_plain => Some(Some(name.clone())),
        _ => None,
    }
}

/// A name, names with `|` between them, or `*`.
fn plain_step(parts: &[Part]) -> Option<Step> {
    if let [Part::Any(_)] = parts {
        return Some(Step::Any);
    }
    let mut names = vec![String::new()];
    for part in parts {
        match part {
            Part::Plain(plain) => names.last_mut()?.push_str(&plain.text),
            Part::Or(_) => names.push(String::new()),
            _ => return None,
        }
    }
    names.iter().all(|name| !name.is_empty()).then_some(Step::Names(names))
}

/// The settings in brackets.
fn key_settings(key: &Key) -> Option<HowMany> {
    let setting = |text: &Text| match text.parts.as_slice() {
        [Part::Capture(capture)] => own_name(capture).filter(Option::is_none).map(|_| capture.name.clone()),
        _ => None,
    };
    let keys: Vec<String> = key.texts.iter().map(setting).collect::<Option<_>>()?;
    Some(match (key.ordered, keys.is_empty()) {
        (true, _) => HowMany::Ordered { keys },
        (false, true) => HowMany::Several,
        (false, false) => HowMany::Keyed { keys },
    })
}
