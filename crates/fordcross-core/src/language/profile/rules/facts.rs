//! Findings about the rules that a profile declares.

use crate::finding::facts;

facts! {
    /// What is wrong with a rule.
    pub(super) enum RulesFact {
        NoCode { code: String } => ValueWrong, "`{code}` is no code",
            help: "write small letters, digits and `-`";
        WholeCannotGo => ValueWrong, "the whole configuration cannot go",
            help: "say `breach = \"blocks\"` or `\"warns\"`, or with `at` which objects the check is about";
        NoCondition => KeyMissing, "a check has `that`, or `unique`, or `cases`",
            help: "write `that = \"CONDITION\"`, or `unique = [\"a\", \"b\"]` for what must be one of a kind";
        CasesExpected => ValueWrong, "expected a list of cases";
        FourStrings => ValueWrong, "expected four strings",
            help: "write `[\"code\", \"condition\", \"what is wrong\", \"what to do\"]`, with `-` for none";
        SecretAsked { path: String } => ExpressionWrong, "`{path}` is a secret, which no condition sees",
            help: "what a secret must be its type can say: `min`, `begins`, `pem`";
        InForceUnknown { path: String } => ExpressionWrong,
            "what holds for `{path}` where it is not given is not known",
            help: "say it in `[in-force]`, or ask `given` as well";
        NoNamedObjects { pattern: String } => LocatorUnknown, "there are no objects with names at `{pattern}`",
            help: "name the `at` of objects with a `name` or one `key`";
        LeadsToNothing { path: String } => LocatorUnknown,
            "`{path}` leads to nothing that the profile declares",
            help: "before `->` stands a setting with `refers-to`, behind it a path from what that names";
        WholeBlocks => ValueWrong, "the whole configuration cannot go", help: "say `breach = \"blocks\"`";
        UniqueExpected { key: String } => ValueWrong, "expected `true`, a word or a table",
            help: "write `{key} = true`, or a word that all share which must differ: `{key} = \"address\"`";
        NoBounds { text: String } => ValueWrong, "`{text}` is no number of things",
            help: "write `1..` for at least one, `0..1`, or a number";
        RequiredExpected => ValueWrong, "expected a path, or a path and when it must be there",
            help: "write `\"id\"` or `[\"key\", \"given('mode')\"]`";
        PathExpected => ValueWrong, "expected a path, as a string";
        GroupsExpected => ValueWrong, "expected groups of paths", help: "write `[[\"a\", \"b\"]]`";
    }
}
