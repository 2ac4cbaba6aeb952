//! Which types can never hold a value of another: reported when a crossing is checked.

use super::{Form, Type};

/// What the values of a form are, as far as that decides what can hold them.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Class {
    Secret,
    Quantity(super::Dimension),
    Number,
    Truth,
    Address,
    Network,
    PrefixLength,
    Mac,
    Date,
    Certificate,
    /// Texts, names, choices, shapes: what they hold is only known when it is seen.
    Open,
}

fn class(form: &Form) -> Class {
    match form {
        Form::Secret(_) => Class::Secret,
        Form::Quantity(quantity) => Class::Quantity(quantity.dimension),
        Form::Integer { .. } => Class::Number,
        Form::Boolean { .. } => Class::Truth,
        Form::Address { .. } => Class::Address,
        Form::Network { .. } => Class::Network,
        Form::PrefixLength { .. } => Class::PrefixLength,
        Form::Mac { .. } => Class::Mac,
        Form::Date => Class::Date,
        Form::Certificate => Class::Certificate,
        _ => Class::Open,
    }
}

/// Whether a value of the old type can never be written as the new one.
pub(crate) fn never_becomes(old: &Type, new: &Type) -> bool {
    use Class::{Address, Network, Number, Open, PrefixLength, Quantity, Secret};
    let fits = match (class(&old.form), class(&new.form)) {
        (old @ Secret, new) | (old, new @ Secret) => old == new,
        // A number is one of the new unit, as somebody said who wrote the rule.
        (Open, _)
        | (_, Open)
        | (Number, Quantity(_) | PrefixLength)
        | (PrefixLength, Number)
        | (Address, Network) => true,
        (old, new) => old == new,
    };
    !fits
}
