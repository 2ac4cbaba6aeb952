//! Findings about crossings.

use crate::finding::{AllOf, Count, Suggestion, facts};
use crate::notation::NotationFact;
use crate::text::shape::ShapeFact;
use std::fmt;

/// Settings that no rule speaks of, by their paths: the first eight, and how many more there are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Uncovered(pub(super) Vec<String>);

impl fmt::Display for Uncovered {
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
        KeyInRule => RuleMalformed, "a key is not allowed in a rule",
            help: "put it into the `from` of a `[[place]]`";
        SlashAtSetting => RuleMalformed, "this is a setting; only an object is followed by `/`",
            help: "leave out the `/`";
        CaptureTwice { name: String } => RuleMalformed, "the capture `{name}` is defined twice";
        TypeUnknown { title: String, name: String, instead: Suggestion } => TypeUnknown,
            "{title} declares no type `{name}`",
            help: "{instead}";
        Unsaid => RuleMalformed, "the value to write is missing",
            help: "write `place = {{capture}}`; only a rule with a single setting on its left moves it as it is";
        NotOrdered => TypesDiffer, "`>=` needs a number, a size or a duration", help: "write `=`";
        KindsUntold { title: String } => CaptureUnknown, "{title} declares no kinds for these objects",
            help: "declare `kind` at the object in the old profile";
        TableUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no table `{name}`",
            help: "{instead}";
        NotInTable { value: String } => ValueWrong, "the table has no row for `{value}`", help: "write one, or one for `*`";
        ChoiceWritten => RuleMalformed, "what is written is one thing, once", help: "write `( )?` for what may be left out";
        SignWritten { sign: char } => RuleMalformed, "`{sign}` is not allowed in what is written",
            help: "write it between backticks if it is text";
        DetailWritten => RuleMalformed, "a capture is written as it was read",
            help: "write `{{name}}`, or `{{name -> table}}` for what becomes of it";
        Choices { most: usize } => RuleMalformed, "the rule stands for more than {most} rules",
            help: "capture fewer choices in its paths";
        TopWith { key: &'static str } => ValueWrong, "`{key}` means nothing without `from`",
            help: "write the path of the objects with `from`, or leave it out";
        PlaceNotAround { name: String } => CaptureUnknown, "no place named `{name}` takes this object, or one around it",
            help: "write `@{name}[{{key}}]` for another object";
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
        MergeEither => ValueWrong, "expected either what makes old objects equal, or where new ones may differ",
            help: "write `merge = {{ by = [\"old/path\"] }}` or `merge = {{ but = [\"new/path\"] }}`";
        MergeNowhere => ValueWrong, "only objects that go somewhere can become one", help: "leave out `merge`, or write `to`";
        OptionalAlone => RuleMalformed, "the only clause of a rule cannot be optional", help: "leave out the `?`";
        NoRows => ValueWrong, "expected rows of parameters",
            help: "write `each = [{{ side = \"left\" }}, {{ side = \"right\" }}]`";
        RowsDiffer => ValueWrong, "the rows have different parameters", help: "give each row the same names";
        NoParameter => ValueWrong, "a parameter is a text, a whole number or a truth value";
        BoundByAll { name: String } => ValueWrong, "every object has a `{name}` already",
            help: "give the parameter another name";
        ParameterUnused { name: String } => CaptureUnused, "the parameter `{name}` is never used",
            help: "write `{{{name}}}` in a path or value of the place, or leave it out";
        FromDiffers => RuleMalformed, "the paths of the place capture different names",
            help: "capture the same in each, or write a place for each";
        PlaceOfClauses => RuleMalformed, "the path of a place leads down from the top",
            help: "write `a/b`, without `/`, `../` or `@` before it";
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
        Side { side: SideFact } => RuleMalformed, "{side}", remedy: side.remedy();
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
        NewUncovered { release: String, settings: Uncovered } => SettingUncovered,
            "no rule covers what is new in {release}: {settings}",
            help: "write a rule where an old setting corresponds, such as `new >= {{n}}`; otherwise list it in `fresh` under [crossing]";
    }
}

facts! {
    /// Why a text is no side of a rule.
    pub(super) enum SideFact {
        Notation { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}", remedy: shape.remedy();
        Start => RuleMalformed, "the object of a place is named by a single capture", help: "write `@place` or `@place[{{key}}]`";
        StartInLeft => RuleMalformed, "a rule only takes what is in its place",
            help: "write `&` before the clause to read it from elsewhere";
        UpTooFar => RuleMalformed, "there are fewer objects around this one", help: "leave out a `../`";
        OnlyReads => RuleMalformed, "nothing is taken, so nothing can be settled here",
            help: "write the clause that it is about without `&`";
        TwoLists => RuleMalformed, "two lists that do not go in step: which of one goes with which of the other?",
            help: "write a rule for each list";
        NoNumber => RuleMalformed, "expected a number from 1", help: "write `[#3]` for the third";
        BelowMoved => RuleMalformed, "all below a path cannot go to one setting",
            help: "write `/**` on the right as well, or a rule for each setting";
        BranchBeside => RuleMalformed, "a branch goes alone: nothing else can be taken with it", help: "write a rule of its own for it";
        BranchesApart => RuleMalformed, "nothing below this path is known below the new one",
            help: "write a rule for each setting";
        StartInPart => RuleMalformed, "what is in a part is below it", help: "write it outside of the `( )`";
        UpInRight => RuleMalformed, "`../` is not allowed where something is written",
            help: "name the place and write `@name`, or begin at the top with `/`";
        SignInRight => RuleMalformed, "`&` and `?` are for what is read", help: "leave them out";
        PartInPart => RuleMalformed, "a part in a part", help: "write the whole path of the inner one";
        EntryInPart => RuleMalformed, "a new entry in a part of another", help: "write a clause for it, outside of the `( )`";
        KeyInRight => RuleMalformed, "a key is not allowed where something is written",
            help: "write the name of the object, or `name[]` for a new entry";
        NameEmpty => RuleMalformed, "the name of a step can be empty";
        BelowInRight => RuleMalformed, "all of a branch can only be written where all of one is taken", help: "write `/**` on the left as well, or the name of what is written";
    }
}
