//! Findings about the types that profiles declare.

use crate::finding::{OneOf, Remedy, Suggestion, facts};
use crate::text::shape::ShapeFact;

facts! {
    /// What is wrong with the declaration of a type.
    pub(super) enum TypeFact {
        TypeUnknown { unknown: String, instead: Suggestion } => TypeUnknown, "there is no type `{unknown}`",
            help: "{instead}";
        MaxBelowMin => ValueWrong, "`max` is below `min`";
        ListSeparator => ValueWrong, "expected what stands between the values", help: "such as `,` or `;`";
        Characters => ValueWrong, "expected characters and ranges such as `a-z0-9-`",
            help: "ranges go upwards, and `instead` is made of the same characters";
        UnitUnknown { unit: String, dimension: String } => ValueWrong, "`{unit}` is no unit of a {dimension}",
            help: "write a unit, or how many of it a bare number counts, such as `8 KiB`";
        UnitUnlike { unit: String, dimension: String, instead: Suggestion } => ValueWrong,
            "`{unit}` is no unit of a {dimension}",
            help: "{instead}";
        ShapeWithExpression => RuleMalformed, "a type's shape cannot hold an expression";
        NeedsMore { name: String, more: &'static str } => KeyMissing,
            "the type `{name}` needs more than its name",
            help: "write `{{ type = \"{name}\", {more} }}`";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}";
    }
}

facts! {
    /// What a value lost when it was written: a sentence that follows the locator.
    pub enum Loss {
        Clamped { old: i64, new: i64, range: String } => ValueApproximated,
            "`{old}` becomes `{new}`: the new system takes {range}", remedy: check_value();
        Rounded { old: String, new: String, units: &'static str } => ValueApproximated,
            "`{old}` becomes `{new}`: the new system counts in whole {units}", remedy: check_value();
        Bounded { old: String, new: String, min: u64, max: u64, unit: &'static str } => ValueApproximated,
            "`{old}` becomes `{new}`: the new system takes from {min} to {max} {unit}", remedy: check_value();
        Replaced => ValueApproximated,
            "had characters that the new system does not take, and others in their place", remedy: check_value();
        Shortened { max: usize } => ValueApproximated, "was shortened to {max} characters",
            remedy: check_value();
        ShortenedReplaced { max: usize } => ValueApproximated,
            "was shortened to {max} characters, some of them replaced", remedy: check_value();
        LikeAnother { name: String, new: String } => ValueApproximated,
            "would be called `{name}` like another, and is called `{new}`", remedy: check_value();
        Renamed { names: OneOf } => ValueApproximated, "is called {names} on the new system",
            remedy: check_value();
    }
}

facts! {
    /// Why a value cannot be written as a type at all.
    pub enum Unfit {
        SecretUnusable { why: &'static str } => ValueUnfit, "{why}";
        SecretKept { old: String, new: String } => ValueUnfit,
            "a secret kept {old} cannot become one kept {new}";
        SecretShape { expected: String } => ValueUnfit, "the new system takes {expected}";
        NoSecret => ValueUnfit, "the new place holds a secret and the value is none";
        SecretShown => ValueUnfit, "a secret cannot stand in a place that is shown";
        SeveralValues => ValueUnfit, "several values have no place in a setting that takes one";
        SeveralParts => ValueUnfit, "a value of several parts has no place in one of a single part";
        TooShort { least: usize } => ValueUnfit, "the new system takes at least {least} characters";
        NoBoolean { value: bool } => ValueUnfit, "the new system has no way to write `{value}` here";
        NoChoice { name: String, known: OneOf } => ValueUnfit,
            "`{name}` is not among what the new system takes: {known}";
        NoNever => ValueUnfit, "the new system has no way to say `never` here";
        MeansNever { old: String, new: String } => ValueUnfit,
            "`{old}` would become `{new}`, which means `never` on the new system";
        NoMask { length: u8 } => ValueUnfit, "a prefix of {length} bits has no IPv4 mask";
        OtherType { name: String } => ValueUnfit, "the type `{name}` cannot write this";
        Expected { expected: String } => ValueUnfit, "the new system expects {expected}";
        OtherParts => ValueUnfit, "the new system has no form with the same parts";
        OtherFamily { family: &'static str } => ValueUnfit, "the new system takes an {family} address here";
    }
}

/// For a value that is not quite what it was.
fn check_value() -> Remedy {
    "check whether the new value will do".into()
}
