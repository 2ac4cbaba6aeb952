//! What kinds of operands settings are to expressions.

use super::OperandKind;
use crate::language::typing::{Form, Quantity, TypeId, Types};

/// A setting that an expression asks for, as far as its declaration tells.
#[derive(Clone, Debug)]
pub(crate) struct AskedSetting {
    pub(crate) kind: OperandKind,
    /// It has a value wherever it is not given.
    pub(crate) has_default: bool,
    /// No expression sees it.
    pub(crate) is_secret: bool,
    /// All that it can be, where that is a choice of words.
    pub(crate) words: Option<Vec<String>>,
}

impl AskedSetting {
    pub(crate) fn of(types: &Types, ty: TypeId, has_default: bool) -> Self {
        let words = match &types.get(ty).form {
            Form::Choice { values, any_case: false } => {
                Some(values.iter().filter_map(|spellings| spellings.first().cloned()).collect())
            }
            _ => None,
        };
        Self { kind: kind_of(types, Some(ty)), has_default, is_secret: types.is_secret(ty), words }
    }
}

/// The kind of operand that values of a type are.
pub(crate) fn kind_of(types: &Types, ty: Option<TypeId>) -> OperandKind {
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
