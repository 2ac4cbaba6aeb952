//! Findings about expressions before they are evaluated.

use super::OperandKind;
use crate::finding::{Count, OneOf, Suggestion, facts};

facts! {
    /// What is wrong with an expression.
    pub(crate) enum ExpressionFact {
        Unreadable { problem: String } => ExpressionWrong, "{problem}";
        OtherKind { wanted: OperandKind, found: OperandKind } => ExpressionWrong,
            "expected {wanted}, and this is {found}";
        Unknown { name: String, instead: Suggestion } => ExpressionWrong, "there is no `{name}` here",
            help: "{instead}";
        Meaningless => ExpressionWrong,
            "of the Common Expression Language there are no fields, no maps, and no loops but `exists` and `all`";
        OtherLoop => ExpressionWrong, "`exists` and `all` are the only loops";
        InNoList { found: OperandKind } => ExpressionWrong, "`in` needs a list, and this is {found}",
            help: "write `x in ['a', 'b']`, `x in names('/…')` or `x in values('/…')`";
        InNoTexts { found: OperandKind } => ExpressionWrong, "{found} is in no list of texts",
            help: "make it a text with `string(…)`";
        Secret { path: String } => ExpressionWrong, "`{path}` is a secret: no expression sees it",
            help: "ask whether it is given with `given('{path}')`";
        CanBeMissing { path: String } => ExpressionWrong, "`{path}` can be missing, and has no default",
            help: "ask whether it is given as well: `given('{path}') && …`";
        NeverIs { path: String, text: String, known: OneOf } => ExpressionWrong,
            "`{path}` is never `{text}`", help: "it is {known}";
        LoopElsewhere => ExpressionWrong, "`exists` and `all` need a list of the object itself",
            help: "for the whole configuration use `in values('/…')`, `named_by`, `held_by` or `overlapping`";
        NoTruth { found: OperandKind } => ExpressionWrong,
            "`&&`, `||` and `!` need a truth value, and this is {found}";
        ChoiceNoTruth => ExpressionWrong, "the part before `?` is not a truth value";
        Differ { one: OperandKind, other: OperandKind, operation: &'static str } => ExpressionWrong,
            "{one} and {other} cannot be {operation}";
        FunctionUnknown { name: String, instead: Suggestion } => ExpressionWrong,
            "there is no function `{name}`",
            help: "{instead}";
        OnValue { function: &'static str } => ExpressionWrong,
            "`{function}` is a function, not a method of a value";
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
            "`{function}` needs the path itself, in quotes";
    }
}
