//! The captures that a rule has, and whether each was used.

use crate::ids::SlotId;
use crate::language::expression::{Expression, Operand, OperandKind};
use crate::language::typing::TypeId;
use crate::text::source::Span;
use crate::tree::pattern::Step;
use std::collections::HashMap;

/// One capture while a rule is read.
#[derive(Clone, Debug)]
pub(super) struct Capture {
    pub(super) name: String,
    pub(super) span: Span,
    pub(super) used: bool,
    pub(super) kind: OperandKind,
    /// Its type on the old side, where it is a whole value.
    pub(super) of: Option<TypeId>,
}

/// A name that is a text wherever the rule is applied: what a choice in a path captured, a parameter of the place.
#[derive(Clone, Debug)]
pub(super) struct Fixed {
    pub(super) name: String,
    pub(super) operand: Operand,
    pub(super) span: Span,
    pub(super) used: bool,
    /// It is one of a row of the place, which not each rule needs to use.
    pub(super) is_parameter: bool,
}

impl Fixed {
    pub(super) fn new(name: &str, text: &str, span: Span) -> Self {
        let operand = Operand::Text(text.to_owned());
        Self { name: name.to_owned(), operand, span, used: false, is_parameter: false }
    }

    pub(super) fn parameter(name: &str, operand: Operand, span: Span) -> Self {
        Self { name: name.to_owned(), operand, span, used: false, is_parameter: true }
    }

    /// What is written for it.
    pub(super) fn text(&self) -> String {
        match &self.operand {
            Operand::Text(text) => text.clone(),
            Operand::Integer(number) => number.to_string(),
            Operand::Boolean(value) => value.to_string(),
            Operand::Nothing => String::new(),
        }
    }
}

/// The captures of a place, then those of the rule itself.
#[derive(Clone, Debug, Default)]
pub(super) struct Captures {
    pub(super) fixed: Vec<Fixed>,
    /// Two clauses, or a clause and the place, capture under one name: it must be the same both times.
    pub(super) is_bound_twice: bool,
    /// The pattern of the place, which the paths in expressions are relative to.
    pub(super) above: Vec<Step>,
    pub(super) list: Vec<Capture>,
}

/// The name of the whole value in a rule without captures; no person can write it.
pub(super) const WHOLE: &str = "(the value)";
/// The place of an object among its like, from 1.
pub(super) const INDEX: &str = "index";
/// What an object is called.
pub(super) const NAME: &str = "name";
/// The kind of an object, by the old profile.
pub(super) const KIND: &str = "kind";

impl Captures {
    /// The slot of a capture. What has the same name as an earlier one is that one.
    pub(super) fn add(&mut self, name: &str, span: Span, kind: OperandKind, of: Option<TypeId>) -> SlotId {
        if let Some(slot) = self.list.iter().position(|capture| capture.name == name) {
            self.list[slot].used = true;
            self.is_bound_twice = true;
            return SlotId::new(slot);
        }
        self.list.push(Capture { name: name.to_owned(), span, used: name == WHOLE, kind, of });
        SlotId::new(self.list.len() - 1)
    }

    pub(super) fn knows(&self, name: &str) -> bool {
        self.list.iter().any(|capture| capture.name == name)
            || self.fixed.iter().any(|fixed| fixed.name == name)
    }

    /// The text of a name that is fixed, which is thereby used.
    pub(super) fn take_fixed(&mut self, name: &str) -> Option<String> {
        let fixed = self.fixed.iter_mut().find(|fixed| fixed.name == name)?;
        fixed.used = true;
        Some(fixed.text())
    }

    /// The slot of a capture, which is thereby used.
    pub(super) fn take(&mut self, name: &str) -> Option<SlotId> {
        let slot = self.list.iter().position(|capture| capture.name == name)?;
        self.list[slot].used = true;
        Some(SlotId::new(slot))
    }

    /// Marks what an expression mentions as used.
    pub(super) fn mention(&mut self, expression: &Expression) {
        for capture in &mut self.list {
            capture.used |= expression.mentions(&capture.name);
        }
        for fixed in &mut self.fixed {
            fixed.used |= expression.mentions(&fixed.name);
        }
    }

    pub(super) fn names(&self) -> Vec<&str> {
        self.list.iter().map(|capture| capture.name.as_str()).filter(|name| *name != WHOLE).collect()
    }

    pub(super) fn kinds(&self) -> HashMap<&str, OperandKind> {
        let fixed = self.fixed.iter().map(|fixed| {
            let kind = match &fixed.operand {
                Operand::Integer(_) => OperandKind::Integer,
                Operand::Boolean(_) => OperandKind::Boolean,
                _ => OperandKind::Text,
            };
            (fixed.name.as_str(), kind)
        });
        self.list.iter().map(|capture| (capture.name.as_str(), capture.kind)).chain(fixed).collect()
    }
}
