//! Steps of paths of the old side: names that are known beforehand, names of a shape, keys.

use super::facts::SideFact;
use crate::notation::{self, BadNotation, Detail, Part, Path, StepName};
use crate::text::shape::{BadShape, Shape};
use crate::tree::pattern::Step;
use std::ops::Range;

/// Why a text is no side of a rule, and where in it.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct BadSide {
    pub(super) at: Range<usize>,
    pub(super) fact: SideFact,
}

impl From<BadNotation> for BadSide {
    fn from(BadNotation { at, fact: notation }: BadNotation) -> Self {
        Self { at, fact: SideFact::Notation { notation } }
    }
}

impl From<BadShape> for BadSide {
    fn from(BadShape { at, fact: shape }: BadShape) -> Self {
        Self { at, fact: SideFact::Shape { shape } }
    }
}

/// A capture with the word that it is.
pub(super) type Bound = Vec<(String, String)>;

/// One step of a path of the old side.
#[derive(Clone, Debug)]
pub(super) struct OldStep {
    /// Which names it can have.
    pub(super) step: Step,
    /// What its name is made of, where it has captures.
    pub(super) shape: Option<Shape>,
    /// Each name that it can have with what is captured then, where all are known.
    pub(super) names: Vec<(String, Bound)>,
    /// What is in brackets behind it.
    pub(super) key: Option<notation::Key>,
    pub(super) at: Range<usize>,
}

/// A clause of a left side, out of its part.
#[derive(Clone)]
pub(super) struct SideClause {
    pub(super) clause: notation::Clause,
    pub(super) steps: Vec<OldStep>,
    /// The part that it was in, by a number, and how many steps lead to that.
    pub(super) part: Option<(usize, usize)>,
}

impl OldStep {
    /// Whether which name it has is captured.
    pub(super) fn captures_choice(&self) -> bool {
        self.names.iter().any(|(_, bound)| !bound.is_empty())
    }
}

/// The steps of a path of the old side.
///
/// # Errors
/// The first step that cannot be one, and where it is.
pub(super) fn old_steps(path: &Path) -> Result<Vec<OldStep>, BadSide> {
    path.steps.iter().map(old_step).collect()
}

fn old_step(step: &notation::Step) -> Result<OldStep, BadSide> {
    let (key, at) = (step.key.clone(), step.at.clone());
    let plain = |step| OldStep { step, shape: None, names: Vec::new(), key: key.clone(), at: at.clone() };
    let parts = match &step.name {
        StepName::Below => return Ok(plain(Step::Below)),
        StepName::Parts(parts) => parts,
    };
    if let [Part::Any(_)] = parts.as_slice() {
        return Ok(plain(Step::Any));
    }
    let has_captures = parts.iter().any(|part| matches!(part, Part::Capture(_)));
    let shape = if has_captures { Some(Shape::of(parts)?) } else { None };
    if let Some(names) = finite(parts) {
        if names.iter().any(|(name, _)| name.is_empty()) {
            return Err(BadSide { at, fact: SideFact::NameEmpty });
        }
        let all = names.iter().map(|(name, _)| name.clone()).collect();
        return Ok(OldStep { step: Step::Names(all), shape, names, key, at });
    }
    // What is no capture is `*` within a name, or an expression, which is refused with the shape.
    let shape = match shape {
        Some(shape) => shape,
        None => Shape::of(parts)?,
    };
    Ok(OldStep { step: Step::Any, shape: Some(shape), names: Vec::new(), key, at })
}

/// Each name that parts can make, with what is captured then; `None` where there is no end of them.
fn finite(parts: &[Part]) -> Option<Vec<(String, Bound)>> {
    let mut all = Vec::new();
    for choice in parts.split(|part| matches!(part, Part::Or(_))) {
        let mut names: Vec<(String, Bound)> = vec![(String::new(), Bound::new())];
        for part in choice {
            let pieces: Vec<(String, Option<(String, String)>)> = match part {
                Part::Plain(plain) => vec![(plain.text.clone(), None)],
                Part::Capture(capture) => {
                    let Detail::OneOf(words) = &capture.detail else { return None };
                    let words: Option<Vec<String>> = words.iter().map(notation::Word::as_literal).collect();
                    let missing = capture.optional.then(String::new);
                    let bound = |word: String| (word.clone(), Some((capture.name.clone(), word)));
                    words?.into_iter().chain(missing).map(bound).collect()
                }
                _ => return None,
            };
            names = names
                .iter()
                .flat_map(|(name, bound)| {
                    pieces.iter().map(move |(piece, more)| {
                        (format!("{name}{piece}"), bound.iter().cloned().chain(more.clone()).collect())
                    })
                })
                .collect();
        }
        all.extend(names);
    }
    Some(all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("mtu", "mtu")]
    #[case("a|b/*", "a|b *")]
    #[case("leftid{r=2}?", "leftid2|leftid+leftid{r}")]
    #[case("{dir=import|export}-limit", "import-limit|export-limit+{dir}-limit")]
    #[case("{p}.{n:digits}/x", "*+{p}.{n} x")]
    fn steps(#[case] text: &str, #[case] expected: &str) {
        let steps = old_steps(&Path::parse(text).expect("a path")).expect("steps");
        let shown = steps.iter().map(|step| match &step.shape {
            Some(shape) => format!("{}+{shape}", step.step),
            None => step.step.to_string(),
        });
        assert_eq!(shown.collect::<Vec<_>>().join(" "), expected);
    }
}
