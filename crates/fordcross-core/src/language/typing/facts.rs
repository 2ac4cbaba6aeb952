//! Findings about the types that profiles declare.

use crate::finding::{OneOf, Remedy, Suggestion, facts};
use crate::text::shape::ShapeFact;

facts! {
    /// What is wrong with the declaration of a type.
    pub(super) enum TypeFact {
        TypeUnknown { unknown: String, instead: Suggestion } => TypeUnknown, "there is no type `{unknown}`",
            help: "{instead}";
        MaxBelowMin => ValueWrong, "`max` is below `min`";
        ListSeparator => ValueWrong, "expected the separator of the values", help: "such as `,` or `;`";
        Characters => ValueWrong, "expected characters and ranges such as `a-z0-9-`",
            help: "ranges go upwards, and `instead` uses the same characters";
        UnitUnknown { unit: String, dimension: String } => ValueWrong, "`{unit}` is not a unit of {dimension}",
            help: "write a unit, or the size of a step, such as `8 KiB`";
        UnitUnlike { unit: String, dimension: String, instead: Suggestion } => ValueWrong,
            "`{unit}` is not a unit of {dimension}",
            help: "{instead}";
        ShapeNotPlain => RuleMalformed, "the shape of a type has only text and captures in it",
            help: "write another shape for what may differ";
        NeedsMore { name: String, more: &'static str } => KeyMissing,
            "the type `{name}` needs more keys",
            help: "write `{{ type = \"{name}\", {more} }}`";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}", remedy: shape.remedy();
    }
}

facts! {
    /// What a value lost when it was written: a sentence that follows the locator.
    pub enum Loss {
        Clamped { old: i64, new: i64, range: String } => ValueApproximated,
            "`{old}` becomes `{new}`: the target accepts {range}", remedy: check_value();
        Rounded { old: String, new: String, units: &'static str } => ValueApproximated,
            "`{old}` becomes `{new}`: the target counts in whole {units}", remedy: check_value();
        Bounded { old: String, new: String, min: u64, max: u64, unit: &'static str } => ValueApproximated,
            "`{old}` becomes `{new}`: the target accepts {min} to {max} {unit}", remedy: check_value();
        Replaced => ValueApproximated,
            "characters that the target does not accept were replaced", remedy: check_value();
        Shortened { max: usize } => ValueApproximated, "was shortened to {max} characters",
            remedy: check_value();
        ShortenedReplaced { max: usize } => ValueApproximated,
            "was shortened to {max} characters, and some of them were replaced", remedy: check_value();
        LikeAnother { name: String, new: String } => ValueApproximated,
            "`{name}` would be the same as another name, so it becomes `{new}`", remedy: check_value();
        Renamed { names: OneOf } => ValueApproximated, "is called {names} on the target",
            remedy: check_value();
    }
}

facts! {
    /// Why a value cannot be written as a type at all.
    pub enum Unfit {
        SecretUnusable { why: &'static str } => ValueUnsupported, "{why}";
        SecretKept { old: String, new: String } => ValueUnsupported,
            "a secret kept {old} cannot become one kept {new}";
        SecretShape { expected: String } => ValueUnsupported, "the target expects {expected}";
        NoSecret => ValueUnsupported, "the target stores a secret here, and the value is not one";
        SecretShown => ValueUnsupported, "a secret cannot be written to a visible setting";
        SeveralValues => ValueUnsupported, "a setting with one value cannot hold several";
        SeveralParts => ValueUnsupported, "a setting with one part cannot hold a value of several parts";
        TooShort { least: usize } => ValueUnsupported, "the target needs at least {least} characters";
        NoBoolean { value: bool } => ValueUnsupported, "the target cannot express `{value}` here";
        NoChoice { name: String, known: OneOf } => ValueUnsupported,
            "`{name}` is not one of the values that the target accepts: {known}";
        NoNever => ValueUnsupported, "the target cannot express `never` here";
        MeansNever { old: String, new: String } => ValueUnsupported,
            "`{old}` would become `{new}`, which means `never` on the target";
        NoMask { length: u8 } => ValueUnsupported, "a prefix of {length} bits has no IPv4 mask";
        OtherType { name: String } => ValueUnsupported, "the type `{name}` cannot write this value";
        Expected { expected: String } => ValueUnsupported, "the target expects {expected}";
        OtherParts => ValueUnsupported, "the target has no format with the same parts";
        OtherFamily { family: &'static str } => ValueUnsupported, "the target expects an {family} address here";
    }
}

/// For a value that is not quite what it was.
fn check_value() -> Remedy {
    "check whether the new value is acceptable".into()
}
