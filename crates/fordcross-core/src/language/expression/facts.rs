//! Findings about expressions before they are evaluated.

use super::OperandKind;
use crate::finding::{Count, Suggestion, facts};

facts! {
    /// What is wrong with an expression.
    pub(crate) enum ExpressionFact {
        Unreadable { problem: String } => ExpressionWrong, "{problem}";
        OtherKind { wanted: OperandKind, found: OperandKind } => ExpressionWrong,
            "expected {wanted}, and this is {found}";
        Unknown { name: String, instead: Suggestion } => ExpressionWrong, "there is no `{name}` here",
            help: "{instead}";
        Meaningless => ExpressionWrong, "fields, maps and other loops have no meaning here";
        OtherLoop => ExpressionWrong, "there are `exists` and `all`, and no other loops";
        LoopElsewhere => ExpressionWrong, "`exists` and `all` go over a list of the object itself",
            help: "for the whole there are `in values('/…')`, `named_by`, `held_by` and `overlapping`";
        NoTruth { found: OperandKind } => ExpressionWrong,
            "`&&`, `||` and `!` take a truth value, and this is {found}";
        ChoiceNoTruth => ExpressionWrong, "what stands before `?` is not a truth value";
        Differ { one: OperandKind, other: OperandKind, operation: &'static str } => ExpressionWrong,
            "{one} and {other} cannot be {operation}";
        FunctionUnknown { name: String, instead: Suggestion } => ExpressionWrong,
            "there is no function `{name}`",
            help: "{instead}";
        OnValue { function: &'static str } => ExpressionWrong,
            "`{function}` is called by itself, not on a value";
        Arguments {
            function: &'static str, wanted: Count, found: usize, usage: &'static str,
        } => ExpressionWrong,
            "`{function}` takes {wanted}, here {found}",
            help: "{usage}";
        ArgumentsAtLeast {
            function: &'static str, wanted: Count, found: usize, usage: &'static str,
        } => ExpressionWrong,
            "`{function}` takes at least {wanted}, here {found}",
            help: "{usage}";
        ArgumentKind {
            function: &'static str, wanted: OperandKind, found: OperandKind, usage: &'static str,
        } => ExpressionWrong,
            "`{function}` takes {wanted}, and this is {found}",
            help: "{usage}";
        PathComputed { function: &'static str } => ExpressionWrong,
            "`{function}` takes the path itself, in quotes";
    }
}
