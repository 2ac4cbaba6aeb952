//! Patterns of paths: `links/link/mtu`, `links/*/mtu`, `unit/name|domain`, `fallback/**`.

use super::{Kind, NodeId, Tree};
use crate::finding::facts;
use crate::notation::{self, BadNotation, NotationFact, Part, Path, Start, StepName};
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
        Notation { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        KeyMeaningless => RuleMalformed, "a key is not allowed here";
        CaptureMeaningless => RuleMalformed, "a capture is not allowed here", help: "write a name, or `*` for any";
        StarInName => RuleMalformed, "`*` in a name is not allowed here", help: "write `*` as a whole step for any name";
        StartMeaningless => RuleMalformed, "the path leads on from the outermost place", help: "leave out what is before it";
    }
}

impl Step {
    /// Whether it stands for a name.
    pub fn names(&self, name: &str) -> bool {
        match self {
            Self::Names(names) => names.iter().any(|known| known == name),
            Self::Any => true,
            Self::Below => false,
        }
    }
}

impl From<BadNotation> for BadPattern {
    fn from(BadNotation { at, fact: notation }: BadNotation) -> Self {
        Self { at, fact: PatternFact::Notation { notation } }
    }
}

/// The names, or the `*`, of a step without captures.
fn step_of(step: &notation::Step) -> Result<Step, BadPattern> {
    let bad = |fact| Err(BadPattern { at: step.at.clone(), fact });
    if step.key.is_some() {
        return bad(PatternFact::KeyMeaningless);
    }
    let parts = match &step.name {
        StepName::Below => return Ok(Step::Below),
        StepName::Parts(parts) => parts,
    };
    if let [Part::Any(_)] = parts.as_slice() {
        return Ok(Step::Any);
    }
    let mut names = vec![String::new()];
    for part in parts {
        match part {
            Part::Plain(plain) => names.last_mut().into_iter().for_each(|name| name.push_str(&plain.text)),
            Part::Or(_) => names.push(String::new()),
            Part::Any(_) => return bad(PatternFact::StarInName),
            _ => return bad(PatternFact::CaptureMeaningless),
        }
    }
    if names.iter().any(String::is_empty) {
        return bad(PatternFact::Notation { notation: NotationFact::StepEmpty });
    }
    Ok(Step::Names(names))
}

impl Pattern {
    /// The pattern of plain names and wildcards that `text` spells, without keys. An empty text, or `.`, is the outermost
    /// place itself.
    ///
    /// # Errors
    /// The first thing that is wrong, and where.
    pub fn parse(text: &str) -> Result<Self, BadPattern> {
        if text.is_empty() {
            return Ok(Self::default());
        }
        let path = Path::parse(text)?;
        if path.start != Start::Here || path.object {
            return Err(BadPattern { at: path.at, fact: PatternFact::StartMeaningless });
        }
        Ok(Self { steps: path.steps.iter().map(step_of).collect::<Result<_, _>>()? })
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

    /// Whether some path of as many steps fits both.
    pub fn meets(&self, other: &[Step]) -> bool {
        self.steps.len() == other.len()
            && self.steps.iter().zip(other).all(|pair| match pair {
                (Step::Names(ours), Step::Names(theirs)) => ours.iter().any(|name| theirs.contains(name)),
                _ => true,
            })
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
                ([step, steps @ ..], [name, path @ ..]) => step.names(name) && fits(steps, path),
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
    #[case("a/b[c", 3..4)]
    #[case("a/b[c]", 2..6)]
    #[case("**/a", 0..2)]
    #[case("a/x y", 3..4)]
    #[case("a/{x}", 2..5)]
    #[case("a/x*", 2..4)]
    #[case("/a", 0..2)]
    fn refuses(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(Pattern::parse(text).expect_err("refused").at, at);
    }
}
