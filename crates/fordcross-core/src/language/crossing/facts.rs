//! Findings about crossings.

use crate::finding::{AllOf, Count, Suggestion, facts};
use crate::text::shape::ShapeFact;
use crate::tree::pattern::PatternFact;
use std::fmt;

/// Settings that no rule speaks of, by their paths: the first eight, and how many more there are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Unspoken(pub(super) Vec<String>);

impl fmt::Display for Unspoken {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let some = &self.0[..self.0.len().min(8)];
        let named: Vec<String> = some.iter().map(|path| format!("`{path}`")).collect();
        f.write_str(&named.join(", "))?;
        match self.0.len() - some.len() {
            0 => Ok(()),
            more => write!(f, " and {more} more"),
        }
    }
}

facts! {
    /// What is wrong with a crossing, or is missing in it.
    pub(super) enum CrossingFact {
        Keys { keys: Count, known: AllOf } => RuleMalformed, "the object has {keys}",
            help: "its keys are {known}";
        ReadByExpression => RuleMalformed, "an expression cannot be used to read a value";
        FirstOptional => RuleMalformed, "the first clause cannot be optional";
        KeyInRule => RuleMalformed, "a key is not allowed in a rule",
            help: "put it into the `from` of a `[[place]]`";
        SlashAtSetting => RuleMalformed, "this is a setting; only an object is followed by `/`",
            help: "leave out the `/`";
        ConditionInPattern => RuleMalformed, "an expression cannot be used to read a value",
            help: "add the condition as the third string of the rule";
        CaptureTwice { name: String } => RuleMalformed, "the capture `{name}` is defined twice";
        TypeUnknown { title: String, name: String, instead: Suggestion } => TypeUnknown,
            "{title} declares no type `{name}`",
            help: "{instead}";
        Unsaid => RuleMalformed, "the value to write is missing",
            help: "write `place = {{capture}}`; only a rule with a single setting on its left moves it as it is";
        NotOrdered => TypesDiffer, "`>=` needs a number, a size or a duration", help: "write `=`";
        KindsUntold { title: String } => CaptureUnknown, "{title} declares no kinds for these objects",
            help: "declare `kind` at the `[[object]]` in the old profile";
        LookUpUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no look-up `{name}`",
            help: "{instead}";
        TableUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no table `{name}`",
            help: "{instead}";
        NoTable => RuleMalformed, "the text after the colon is not a table",
            help: "write `{{name: old=new, other=new, *=rest}}`, `{{name: table.NAME}}`, `{{name: look-up.NAME}}` or `{{name: as-is}}`";
        CaptureUnknown { name: String, instead: Suggestion } => CaptureUnknown,
            "no earlier capture is named `{name}`",
            help: "{instead}";
        DiffersByKind => TypesDiffer, "this setting has different types for different kinds of objects",
            help: "write a place for each kind, with `when = \"kind == '…'\"`";
        NoString => ValueWrong, "expected a string";
        NoTranslation => ValueWrong, "expected a table of old and new values";
        NoSetting => LocatorUnknown, "this is not a setting";
        DefaultUnknown => ValueWrong, "the old profile has no default for this setting",
            help: "declare its `default` in the profile";
        NoRelease { side: String } => ValueWrong, "`{side}` is not a release", help: "write `PLATFORM@RELEASE`";
        PlaceUnknown { name: String, instead: Suggestion } => CaptureUnknown,
            "there is no place named `{name}`",
            help: "{instead}";
        PlaceOfClauses => RuleMalformed, "a place is a single path, without a value";
        NotRules { key: String, form: String } => ValueWrong,
            "`{key}` takes a list of rules, each a list of strings",
            help: "write `{key} = [{form}, …]`, with a condition behind it if there is one";
        CaptureUnused { name: String } => CaptureUnused, "the capture `{name}` is never used",
            help: "use it on the right, or write a pattern without it: an unused value would be lost silently";
        RuleHidden { line: u32 } => RuleHidden, "the rule in line {line} always takes this first",
            help: "put the more specific rule first, or remove this one";
        ConflictingRules { line: u32, path: String } => ConflictingRules,
            "the rule in line {line} also writes `{path}`",
            help: "add a condition to one of them, so that only one applies";
        KeyShape { shape: ShapeFact } => RuleMalformed, "{shape}";
        Side { side: SideFact } => RuleMalformed, "{side}";
        NeverBecomes { old: String, new: String } => TypesDiffer,
            "a value of type `{old}` can never become one of type `{new}`",
            help: "compute it with `{{= …}}`, map it with a table, or leave it to a person with `by-hand`";
        ListHere => LocatorUnknown, "this is a list", help: "write `[]` after the name for a new entry";
        NoListHere => LocatorUnknown, "this is not a list", help: "leave out the `[]`";
        SettingHere => LocatorUnknown, "this is a setting, which cannot contain settings";
        NoFilesToInclude { file: String } => IncludeMissing, "there is no file `{file}` to include",
            help: "put a file of that name, ending in `.shared.toml`, next to the crossing";
        IncludeMissing { file: String, instead: Suggestion } => IncludeMissing,
            "there is no file `{file}` to include",
            help: "{instead}";
        NewUnspoken { release: String, settings: Unspoken } => SettingUnspoken,
            "no rule covers what is new in {release}: {settings}",
            help: "write a rule where an old setting corresponds, such as `new >= {{n}}`; otherwise list it in `fresh` under [crossing]";
    }
}

facts! {
    /// Why a text is no side of a rule.
    pub(super) enum SideFact {
        Pattern { pattern: PatternFact } => RuleMalformed, "{pattern}";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}";
        Start => RuleMalformed, "`@` starts a reference such as `@place[{{key}}]`, to where an object of that place went";
        Step { step: String } => RuleMalformed,
            "`{step}` is not a valid step: expected a name, `{{capture}}`, or `name[]` for a new entry";
    }
}
