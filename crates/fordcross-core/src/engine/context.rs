//! What rules see: their captures, and what is around on the old side.

use super::capture::Capture;
use super::step::Step;
use crate::language::expression::{Evaluator, Operand, Surroundings};
use crate::language::profile::Entry;
use crate::scan::surroundings::Scope;
use crate::tree::NodeId;
use crate::tree::pattern::Pattern;
use std::collections::HashMap;

/// The surroundings of one object, or other scope, of the old side.
pub(super) struct EvalContext<'h, 'i, 'a> {
    pub(super) step: &'h Step<'i, 'a>,
    pub(super) scope: NodeId,
    /// The pattern of the scope; `None` for the whole configuration.
    pub(super) pattern: Option<&'h Pattern>,
    pub(super) slots: &'h [Option<Capture<'i>>],
    pub(super) names: &'h [String],
    /// Names that are texts wherever the rule is applied.
    pub(super) fixed: &'h [(String, Operand)],
    /// The place of the object among its like, from 1.
    pub(super) index: usize,
    pub(super) facts: &'h HashMap<String, Operand>,
    pub(super) evaluator: &'h Evaluator,
}

impl EvalContext<'_, '_, '_> {
    fn around(&self) -> Scope<'_, '_> {
        Scope {
            tree: self.step.tree,
            profile: self.step.old(),
            inheritance: self.step.inheritance,
            node: self.scope,
            pattern: self.pattern,
            evaluator: self.evaluator,
            gone: None,
            seen: None,
        }
    }

    /// The default by the conditions of a setting, seen from the object.
    pub(super) fn default_if<'d>(&self, declared: &'d Entry) -> Option<&'d str> {
        self.around().default_if(declared)
    }

    /// The kind of the current object, or of the nearest around it that has kinds.
    pub(super) fn object_kind(&self) -> Option<&str> {
        self.around().object_kind()
    }
}

impl Surroundings for EvalContext<'_, '_, '_> {
    fn variable(&self, name: &str) -> Option<Operand> {
        if let Some(slot) = self.names.iter().position(|known| known == name) {
            let capture = self.slots[slot].as_ref();
            return Some(
                capture.map_or(Operand::Nothing, |capture| self.around().operand(capture.ty, capture.text)),
            );
        }
        if let Some((_, operand)) = self.fixed.iter().find(|(known, _)| known == name) {
            return Some(operand.clone());
        }
        if name == "index" {
            return Some(Operand::Integer(i64::try_from(self.index).unwrap_or(i64::MAX)));
        }
        self.around().variable(name).or_else(|| self.facts.get(name).cloned())
    }

    fn count(&self, path: &str) -> usize {
        self.around().count(path)
    }

    fn effective(&self, path: &str) -> Operand {
        let around = self.around();
        match around.effective(path) {
            // A text that is not there is the empty text to a crossing; of all else nothing is known.
            Operand::Nothing if around.is_of_text(path) && around.count(path) == 0 => {
                Operand::Text(String::new())
            }
            found => found,
        }
    }

    fn names(&self, path: &str) -> Vec<String> {
        self.around().names(path)
    }

    fn values(&self, path: &str) -> Vec<String> {
        self.around().values(path)
    }

    fn named_by(&self, path: &str) -> bool {
        self.around().named_by(path)
    }

    fn standing(&self, path: &str) -> Vec<String> {
        self.around().standing(path)
    }

    fn same(&self, one: &str, other: &str) -> bool {
        self.around().same(one, other)
    }

    fn circle(&self, paths: &[String]) -> bool {
        self.around().circle(paths)
    }

    fn named_late(&self, paths: &[String]) -> bool {
        self.around().named_late(paths)
    }

    fn evaluator(&self) -> &Evaluator {
        self.evaluator
    }

    fn since(&self, release: &str) -> bool {
        self.around().since(release)
    }
}
