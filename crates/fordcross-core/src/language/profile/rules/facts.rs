//! Findings about the rules that a profile declares.

use crate::finding::facts;

facts! {
    /// What is wrong with a rule.
    pub(super) enum RulesFact {
        NoCode { code: String } => ValueWrong, "`{code}` is not a valid code",
            help: "use lower-case letters, digits and `-`";
        WholeCannotGo => ValueWrong, "the whole configuration cannot be left out",
            help: "write `breach = \"blocks\"` or `\"warns\"`, or name the objects of the check with `at`";
        NoCondition => KeyMissing, "a check needs `that`, `unique` or `cases`",
            help: "write `that = \"CONDITION\"`, or `unique = [\"a\", \"b\"]` for a combination that must be unique";
        CasesExpected => ValueWrong, "expected a list of cases";
        FourStrings => ValueWrong, "expected four strings",
            help: "write `[\"code\", \"condition\", \"what is wrong\", \"what to do\"]`, with `-` for none";
        SecretAsked { path: String } => ExpressionWrong, "`{path}` is a secret, which conditions cannot read",
            help: "put requirements on a secret into its type: `min`, `begins`, `pem`";
        InForceUnknown { path: String } => ExpressionWrong,
            "the effective value of `{path}` is not known where it is not given",
            help: "declare it in `[in-force]`, or check `given` as well";
        NoNamedObjects { pattern: String } => LocatorUnknown, "the objects at `{pattern}` have no names",
            help: "write the path of objects told apart by their names or a single key";
        LeadsToNothing { path: String } => LocatorUnknown,
            "`{path}` leads to nothing that the profile declares",
            help: "left of `->` write a setting with `refers-to`, right of it a path from the object it refers to";
        UniqueExpected { key: String } => ValueWrong, "expected `true`, a word or a table",
            help: "write `{key} = true`, or a word shared by all that must differ: `{key} = \"address\"`";
        NoBounds { text: String } => ValueWrong, "`{text}` is not a count",
            help: "write `1..` for at least one, `0..1`, or a number";
        RequiredExpected => ValueWrong, "expected a path, or a path with its condition",
            help: "write `\"id\"` or `[\"key\", \"given('mode')\"]`";
        PathExpected => ValueWrong, "expected a path, as a string";
        GroupsExpected => ValueWrong, "expected groups of paths", help: "write `[[\"a\", \"b\"]]`";
    }
}
