//! Findings about any declaration: its keys and the kinds of its values.

use super::toml_errors::TomlProblem;
use crate::finding::{Suggestion, facts};
use crate::tree::pattern::PatternFact;

facts! {
    /// What is wrong with a declaration.
    pub(super) enum DeclarationFact {
        Toml { problem: &'static TomlProblem } => TomlMalformed, "{problem}", remedy: problem.remedy();
        OtherKind { expected: String, article: &'static str, found: &'static str } => ValueWrong,
            "expected {expected}, found {article} {found}";
        KeyMissing { key: String } => KeyMissing, "the key `{key}` is missing", help: "add `{key} = …`";
        TableMissing { table: String } => KeyMissing, "the table `[{table}]` is missing",
            help: "add a table `[{table}]`";
        NoneOfThese { word: String, key: String, instead: Suggestion } => ValueWrong,
            "`{word}` is not a valid value of `{key}`", help: "{instead}";
        KeyUnknown { key: String, instead: Suggestion } => KeyUnknown, "unknown key `{key}`",
            help: "{instead}";
        PathUnknown { owner: String, name: String, instead: Suggestion } => LocatorUnknown,
            "{owner} has no `{name}` here", help: "{instead}";
        Pattern { pattern: PatternFact } => RuleMalformed, "{pattern}";
        NoSeparator => ValueWrong, "expected one character, not a letter, digit, bracket or quote";
    }
}
