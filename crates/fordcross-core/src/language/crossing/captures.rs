//! The captures that a rule has, and whether each was used.

use crate::ids::SlotId;
use crate::language::expression::{Expression, OperandKind};
use crate::language::typing::{Form, Quantity, TypeId, Types};
use crate::text::shape::UNSAID;
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

/// The captures of a place, then those of the rule itself.
#[derive(Clone, Debug, Default)]
pub(super) struct Captures {
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
    pub(super) fn add(&mut self, name: &str, span: Span, kind: OperandKind, of: Option<TypeId>) -> SlotId {
        self.list.push(Capture {
            name: name.to_owned(),
            span,
            used: name == WHOLE || name == UNSAID,
            kind,
            of,
        });
        SlotId::new(self.list.len() - 1)
    }

    pub(super) fn knows(&self, name: &str) -> bool {
        self.list.iter().any(|capture| capture.name == name)
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
    }

    pub(super) fn names(&self) -> Vec<&str> {
        self.list.iter().map(|capture| capture.name.as_str()).filter(|name| *name != WHOLE).collect()
    }

    pub(super) fn kinds(&self) -> HashMap<&str, OperandKind> {
        self.list.iter().map(|capture| (capture.name.as_str(), capture.kind)).collect()
    }
}

/// The kind of operand that values of a type are.
pub(super) fn kind_of(types: &Types, ty: Option<TypeId>) -> OperandKind {
    match ty.map(|ty| &types.get(ty).form) {
        Some(
            Form::Integer { .. } | Form::PrefixLength { .. } | Form::Quantity(Quantity { never: None, .. }),
        ) => OperandKind::Integer,
        Some(Form::Boolean { .. }) => OperandKind::Boolean,
        Some(Form::Quantity(Quantity { never: Some(_), .. }) | Form::Secret(_)) | None => {
            OperandKind::Unknown
        }
        Some(_) => OperandKind::Text,
    }
}
