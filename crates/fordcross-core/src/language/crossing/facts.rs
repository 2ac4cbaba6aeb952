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
        ReadByExpression => RuleMalformed, "an expression cannot be read by";
        FirstOptional => RuleMalformed, "the first clause cannot be optional";
        KeyInRule => RuleMalformed, "a key has no meaning in a rule",
            help: "ask for it in the `from` of a `[[place]]`";
        SlashAtSetting => RuleMalformed, "this is a setting, and `/` stands behind objects",
            help: "leave out the `/`";
        ConditionInPattern => RuleMalformed, "an expression cannot be read by",
            help: "put a condition behind the rule as its third string";
        CaptureTwice { name: String } => RuleMalformed, "the capture `{name}` is made twice";
        TypeUnknown { title: String, name: String, instead: Suggestion } => TypeUnknown,
            "{title} declares no type `{name}`",
            help: "{instead}";
        Unsaid => RuleMalformed, "what is to be written here is not said",
            help: "write `place = {{capture}}`; only a rule with one plain setting on its left moves it whole";
        NotOrdered => TypesDiffer, "`>=` asks for a number, a size or a duration", help: "write `=`";
        KindsUntold { title: String } => CaptureUnknown, "{title} tells no kinds of these objects",
            help: "declare `kind` at the `[[object]]` in the old profile";
        LookUpUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no look-up `{name}`",
            help: "{instead}";
        TableUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no table `{name}`",
            help: "{instead}";
        NoTable => RuleMalformed, "what follows the colon is no table",
            help: "write `{{name: old=new, other=new, *=rest}}`, `{{name: table.NAME}}`, `{{name: look-up.NAME}}` or `{{name: as-is}}`";
        CaptureUnknown { name: String, instead: Suggestion } => CaptureUnknown,
            "nothing before this makes a capture `{name}`",
            help: "{instead}";
        DiffersByKind => TypesDiffer, "this setting is not of the same type for objects of each kind",
            help: "place objects of each kind on their own, with `when = \"kind == '…'\"`";
        NoString => ValueWrong, "expected a string";
        NoTranslation => ValueWrong, "expected a table of old and new values";
        NoSetting => LocatorUnknown, "this is no setting";
        DefaultUnknown => ValueWrong, "the old profile knows no default of this setting",
            help: "declare its `default` in the profile";
        NoRelease { side: String } => ValueWrong, "`{side}` names no release", help: "write `LINE@RELEASE`";
        PlaceUnknown { name: String, instead: Suggestion } => CaptureUnknown,
            "there is no place named `{name}`",
            help: "{instead}";
        PlaceOfClauses => RuleMalformed, "a place is one path, without a value";
        NotRules { key: String, form: String } => ValueWrong,
            "`{key}` takes a list of rules, each a list of strings",
            help: "write `{key} = [{form}, …]`, with a condition behind it if there is one";
        CaptureUnused { name: String } => CaptureUnused, "the capture `{name}` is never used",
            help: "use it on the right, or write a plain pattern: what is not used is lost without a word";
        RuleHidden { line: u32 } => RuleHidden, "the rule in line {line} takes this first, always",
            help: "put the more exact rule first, or remove this one";
        PlaceContested { line: u32, path: String } => PlaceContested,
            "the rule in line {line} writes `{path}` too",
            help: "give one of them a condition, so that only one is applied";
        KeyShape { shape: ShapeFact } => RuleMalformed, "{shape}";
        Side { side: SideFact } => RuleMalformed, "{side}";
        NeverBecomes { old: String, new: String } => TypesDiffer,
            "a value of the type `{old}` never becomes one of the type `{new}`",
            help: "compute it with `{{= …}}`, give it a table, or leave it to a person with `by-hand`";
        ListHere => LocatorUnknown, "this is a list", help: "write `[]` after the name for a new entry";
        NoListHere => LocatorUnknown, "this is no list", help: "leave out the `[]`";
        SettingHere => LocatorUnknown, "this is a setting, not a place for settings";
        NoFilesToInclude { file: String } => IncludeMissing, "there is no file `{file}` to include",
            help: "put a file of that name, which ends in `.shared.toml`, beside the crossing";
        IncludeMissing { file: String, instead: Suggestion } => IncludeMissing,
            "there is no file `{file}` to include",
            help: "{instead}";
        NewUnspoken { release: String, settings: Unspoken } => SettingUnspoken,
            "no rule speaks of what is new in {release}: {settings}",
            help: "write a rule where an old setting stands behind one, such as `new >= {{n}}`; else name it in `fresh` under [crossing]";
    }
}

facts! {
    /// Why a text is no side of a rule.
    pub(super) enum SideFact {
        Pattern { pattern: PatternFact } => RuleMalformed, "{pattern}";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}";
        Start => RuleMalformed, "`@` begins `@place[{{key}}]`, where an object of that place went";
        Step { step: String } => RuleMalformed,
            "`{step}` is no step of a place: a name, `{{capture}}`, or `name[]` for a new entry";
    }
}
