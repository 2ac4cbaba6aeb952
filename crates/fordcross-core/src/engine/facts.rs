//! Findings about settings and objects while they are carried.

use crate::finding::{Choice, Code, Fact, Remedy, facts};
use std::fmt;
use std::sync::Arc;

facts! {
    /// Findings about a setting or object for which no rule failed.
    pub(super) enum RowFact {
        SettingUnruled => NoRule, "no rule covers this setting",
            help: "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        ObjectUnruled => NoRule, "no rule covers this object",
            help: "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        TableLacks { value: String, line: u32 } => NoRule,
            "no rule covers this value: the table in line {line} of the crossing has no entry for `{value}`",
            help: "set it on the new unit by hand, or add the value to the table";
        GivenTwice => GivenTwice, "duplicate setting: this platform allows it only once",
            help: "find out which value is in effect on the old unit; if it is this one, set it by hand";
    }
}

facts! {
    /// Findings about what a crossing asks.
    pub(super) enum AskFact {
        Assumed { fact: String, default: String, why: String } => FactAssumed,
            "`{fact}` was not answered; the default `{default}` is used",
            remedy: Remedy::from(format!("{why}; answer with ")).choice(Choice::Answer(fact.clone()));
        OtherType { fact: String, why: String } => RequirementUnmet,
            "the answer to `{fact}` has the wrong type", help: "{why}";
    }
}

facts! {
    /// Why a rule cannot carry a value.
    pub(super) enum FailureFact {
        PlaceTaken => PlaceTaken, "another value was already written to the same path";
        NoPlace { path: String } => ValueUnsupported, "the target platform has no `{path}` for this kind of object";
        JoinedDiffers => PlaceTaken, "objects that become one differ in this",
            help: "find out which value both need, and set it by hand";
        NoObject => ValueUnread, "it refers to an object that does not exist";
        Unread { expected: String } => ValueUnread, "the value cannot be read: expected {expected}";
        UnreadText { text: String, expected: String } => ValueUnread,
            "`{text}` cannot be read: expected {expected}";
        Charset { charset: &'static str, lacking: String } => ValueUnsupported, "{charset} has no `{lacking}`";
        Format { why: &'static str } => ValueUnsupported, "{why}";
        PartMissing => ValueUnread, "a part of the value is missing";
        KindUnfit => ValueUnsupported, "no kind in the profile matches the object";
        Expression { text: String, why: String } => ExpressionFailed, "`{text}` has no value here: {why}";
        NoAddress => ValueUnsupported, "only an address can be looked up";
        NotFound { address: String } => ValueUnsupported, "no converted subnet contains `{address}`";
        SecretInText => ValueUnsupported, "a secret cannot become part of a visible value";
        SecretInTable => ValueUnsupported, "a secret cannot be looked up in a table";
        NotInTable { value: String } => ValueUnsupported, "the crossing's table has no entry for `{value}`";
    }
}

/// A setting that a rule could not carry, for a reason that has no remedy of its own.
#[derive(Debug)]
pub(super) struct NotCarried(pub(super) Arc<dyn Fact>);

impl fmt::Display for NotCarried {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl Fact for NotCarried {
    fn code(&self) -> Code {
        self.0.code()
    }

    fn remedy(&self) -> Option<Remedy> {
        Some("set it on the new unit by hand".into())
    }
}

/// A setting whose object could not be carried, for a reason of the object's.
#[derive(Debug)]
pub(super) struct ObjectNotCarried(pub(super) Arc<dyn Fact>);

impl fmt::Display for ObjectNotCarried {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "its object has no place on the new unit: {}", self.0)
    }
}

impl Fact for ObjectNotCarried {
    fn code(&self) -> Code {
        self.0.code()
    }
}
