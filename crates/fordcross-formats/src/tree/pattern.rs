//! Patterns of paths: `links/link/mtu`, `links/*/mtu`, `unit/name|domain`, `fallback/**`.

use super::{Kind, NodeId, Tree};
use crate::finding::facts;
use std::ops::Range;

/// A path that may stand for many.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Default)]
pub struct Pattern {
    /// Its steps, from the outermost.
    pub steps: Vec<Step>,
}

/// One level of a pattern.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Step {
    /// One of these names.
    Names(Vec<String>),
    /// Any name.
    Any,
    /// The place itself and everything below it. Last in a pattern.
    Below,
}

/// A pattern as a person wrote it: each step with its key in brackets, and where it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RawStep {
    /// What fits.
    pub step: Step,
    /// What was between `[` and `]`.
    pub key: Option<String>,
    /// The bytes of the text that it is at.
    pub at: Range<usize>,
}

/// Why a text is no pattern, and where in it.
#[derive(Debug, PartialEq, Eq)]
pub struct BadPattern {
    /// The bytes of the text that it is at.
    pub at: Range<usize>,
    /// What is wrong.
    pub fact: PatternFact,
}

facts! {
    /// What is wrong with a pattern.
    pub enum PatternFact {
        KeyOpen { step: String } => RuleMalformed, "the `[` of `{step}` is not closed";
        StepEmpty => RuleMalformed, "an empty step; steps are separated by one `/`";
        StepName { name: String } => RuleMalformed, "`{name}` is not a valid name";
        BelowNotLast => RuleMalformed, "`**` must be the last step";
        KeyMeaningless => RuleMalformed, "a key is not allowed here";
    }
}

/// Splits `text` at `/` and reads each step. An empty text is the outermost place itself.
pub fn parse_steps(text: &str) -> Result<Vec<RawStep>, BadPattern> {
    let mut steps: Vec<RawStep> = Vec::new();
    if text.is_empty() {
        return Ok(steps);
    }
    for at in pieces(text, '/') {
        let piece = &text[at.clone()];
        let bad = |fact| Err(BadPattern { at: at.clone(), fact });
        let (name, key) = match piece.split_once('[') {
            Some((name, key)) => match key.strip_suffix(']') {
                Some(key) => (name, Some(key.to_owned())),
                None => return bad(PatternFact::KeyOpen { step: piece.to_owned() }),
            },
            None => (piece, None),
        };
        let step = match name {
            "" => return bad(PatternFact::StepEmpty),
            "*" => Step::Any,
            "**" if key.is_none() => Step::Below,
            names => Step::Names(names.split('|').map(str::to_owned).collect()),
        };
        if let Step::Names(names) = &step
            && let Some(wrong) =
                names.iter().find(|name| name.is_empty() || name.contains(['{', '}', ' ', '=', '*']))
        {
            return bad(PatternFact::StepName { name: wrong.clone() });
        }
        if steps.last().is_some_and(|last| last.step == Step::Below) {
            return bad(PatternFact::BelowNotLast);
        }
        steps.push(RawStep { step, key, at });
    }
    Ok(steps)
}

/// The ranges between the separators that are outside brackets and braces.
pub fn pieces(text: &str, separator: char) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let (mut depth, mut start) = (0_usize, 0);
    for (at, c) in text.char_indices() {
        match c {
            '[' | '{' => depth += 1,
            ']' | '}' => depth = depth.saturating_sub(1),
            c if c == separator && depth == 0 => {
                found.push(start..at);
                start = at + c.len_utf8();
            }
            _ => {}
        }
    }
    found.push(start..text.len());
    found
}

impl Pattern {
    /// The pattern of plain names and wildcards that `text` spells, without keys.
    pub fn parse(text: &str) -> Result<Self, BadPattern> {
        let steps = parse_steps(text)?;
        if let Some(keyed) = steps.iter().find(|step| step.key.is_some()) {
            return Err(BadPattern { at: keyed.at.clone(), fact: PatternFact::KeyMeaningless });
        }
        Ok(Self { steps: steps.into_iter().map(|raw| raw.step).collect() })
    }

    /// This pattern with `more` below it.
    #[must_use]
    pub fn join(&self, more: &[Step]) -> Self {
        Self { steps: self.steps.iter().chain(more).cloned().collect() }
    }

    /// How many names it asks for: of two patterns that fit, the one with more says more.
    pub fn exactness(&self) -> (usize, usize) {
        let names = self.steps.iter().filter_map(|step| match step {
            Step::Names(names) => Some(names.len()),
            Step::Any | Step::Below => None,
        });
        (names.clone().count(), usize::MAX - names.sum::<usize>())
    }

    /// The name of its last step, as it is written.
    pub fn last_name(&self) -> String {
        self.steps.last().map(ToString::to_string).unwrap_or_default()
    }

    /// Whether what this fits is around all that `other` fits.
    pub fn is_around(&self, other: &Self) -> bool {
        let Some(above) = other.steps.get(..self.steps.len()) else { return false };
        self.covers(&Self { steps: above.to_vec() })
    }

    /// Whether this begins as `other` is.
    pub fn starts_with(&self, other: &Self) -> bool {
        other.is_around(self)
    }

    /// How many levels below the outermost place it is; `**` counts none.
    pub fn depth(&self) -> usize {
        self.steps.iter().filter(|step| **step != Step::Below).count()
    }

    /// Whether a path of names, joined by `/`, goes through what this fits.
    pub fn leads_to(&self, path: &str) -> bool {
        let names: Vec<&str> = path.split('/').take(self.steps.len()).collect();
        self.fits(&names)
    }

    /// Whether a path of names fits.
    pub fn fits(&self, path: &[&str]) -> bool {
        fn fits(steps: &[Step], path: &[&str]) -> bool {
            match (steps, path) {
                ([Step::Below], _) | ([], []) => true,
                ([step, steps @ ..], [name, path @ ..]) => {
                    let names = match step {
                        Step::Names(names) => names.iter().any(|known| known == name),
                        Step::Any => true,
                        Step::Below => false,
                    };
                    names && fits(steps, path)
                }
                _ => false,
            }
        }
        fits(&self.steps, path)
    }

    /// Every path that `other` fits is one that this fits too.
    pub fn covers(&self, other: &Self) -> bool {
        fn covers(ours: &[Step], theirs: &[Step]) -> bool {
            match (ours, theirs) {
                ([Step::Below], _) | ([], []) => true,
                ([our, ours @ ..], [their, theirs @ ..]) => {
                    let step = match (our, their) {
                        (Step::Any, Step::Any | Step::Names(_)) => true,
                        (Step::Names(our), Step::Names(their)) => their.iter().all(|name| our.contains(name)),
                        _ => false,
                    };
                    step && covers(ours, theirs)
                }
                _ => false,
            }
        }
        covers(&self.steps, &other.steps)
    }
}

impl std::fmt::Display for Pattern {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (index, step) in self.steps.iter().enumerate() {
            if index > 0 {
                f.write_str("/")?;
            }
            write!(f, "{step}")?;
        }
        Ok(())
    }
}

impl std::fmt::Display for Step {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Names(names) => f.write_str(&names.join("|")),
            Self::Any => f.write_str("*"),
            Self::Below => f.write_str("**"),
        }
    }
}

impl Pattern {
    /// The nodes of a tree that a pattern leads to; a list stands for its entries.
    pub fn nodes_in(&self, tree: &Tree<'_>) -> Vec<NodeId> {
        let mut nodes = vec![tree.root()];
        for step in &self.steps {
            let fits = |&child: &NodeId| match step {
                Step::Names(names) => names.iter().any(|name| name == tree.name(child)),
                Step::Any | Step::Below => true,
            };
            let named = |&child: &NodeId| tree.kind(child).is_named();
            let mut below = Vec::new();
            for node in nodes.into_iter().flat_map(|node| tree.children(node)).filter(named).filter(fits) {
                match tree.kind(node) {
                    Kind::List => below.extend(tree.children(node)),
                    _ => below.push(node),
                }
            }
            nodes = below;
        }
        nodes
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("a/**", "a", true)]
    #[case("a/**", "a/b/c", true)]
    #[case("a/*", "a/b", true)]
    #[case("a/b|c", "a/b", true)]
    #[case("a/b", "a/b|c", false)]
    #[case("a/b", "a/*", false)]
    #[case("a", "a/**", false)]
    fn covers(#[case] ours: &str, #[case] theirs: &str, #[case] expected: bool) {
        let parse = |text| Pattern::parse(text).expect("a pattern");
        assert_eq!(parse(ours).covers(&parse(theirs)), expected);
    }

    #[rstest]
    #[case("a//b", 2..2)]
    #[case("a/b[c", 2..5)]
    #[case("**/a", 3..4)]
    #[case("a/x y", 2..5)]
    fn refuses(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(parse_steps(text).expect_err("refused").at, at);
    }
}
