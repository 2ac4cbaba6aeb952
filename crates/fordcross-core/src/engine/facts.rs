//! Findings about settings and objects while they are carried.

use crate::finding::{Choice, Code, Fact, Remedy, facts};
use std::fmt;
use std::sync::Arc;

facts! {
    /// Findings about a setting or object for which no rule failed.
    pub(super) enum RowFact {
        SettingUnruled => NoRule, "no rule speaks of this setting",
            help: "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        ObjectUnruled => NoRule, "no rule speaks of this object",
            help: "find out what it does and set it on the new unit by hand, or add a rule to the crossing";
        GivenTwice => GivenTwice, "it is given again in the same place, and the line has it once",
            help: "find out which of them holds on the old unit, and set that by hand if it is this one";
    }
}

facts! {
    /// Findings about what a crossing asks.
    pub(super) enum AskFact {
        Assumed { fact: String, default: String, why: String } => FactAssumed,
            "`{fact}` was not answered, so `{default}` is taken",
            remedy: Remedy::from(format!("{why}; answer with ")).choice(Choice::Answer(fact.clone()));
        OtherType { fact: String, why: String } => RequirementUnmet,
            "the answer to `{fact}` is not of its type", help: "{why}";
    }
}

facts! {
    /// Why a rule cannot carry a value.
    pub(super) enum FailureFact {
        PlaceTaken => PlaceTaken, "its place on the new unit is taken by another value";
        NoPlace { path: String } => ValueUnfit, "the new line has no `{path}` for an object of this kind";
        NoObject => ValueUnread, "it names an object that is not there";
        Unread { expected: String } => ValueUnread, "the value cannot be read: expected {expected}";
        UnreadText { text: String, expected: String } => ValueUnread,
            "`{text}` cannot be read: expected {expected}";
        Charset { charset: &'static str, lacking: String } => ValueUnfit, "{charset} has no `{lacking}`";
        Format { why: &'static str } => ValueUnfit, "{why}";
        PartMissing => ValueUnread, "a part of the value is missing";
        KindUnfit => ValueUnfit, "no kind of the profile fits the object";
        Expression { text: String, why: String } => ExpressionFailed, "`{text}` has no value here: {why}";
        NoAddress => ValueUnfit, "only an address can be looked up";
        NotFound { address: String } => ValueUnfit, "nothing that is carried holds `{address}`";
        SecretInText => ValueUnfit, "a secret cannot become part of a value that is shown";
        SecretInTable => ValueUnfit, "a secret cannot be looked up in a table";
        NotInTable { value: String } => ValueUnfit, "the crossing's table has nothing for `{value}`";
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
