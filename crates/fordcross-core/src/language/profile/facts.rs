//! Findings about profiles.

use crate::finding::{AllOf, Remedy, Suggestion, facts};

facts! {
    /// What is wrong with a profile.
    pub(super) enum ProfileFact {
        NameAndStar => ValueWrong, "`name` and a last step `*` belong together",
            help: "where the name of the element or member is the key, end with `*` and give `name` its type";
        LongestName => ValueWrong, "`longest-name` is a number of bytes, of an object with a `name`",
            help: "say at least 1, and give `name` its type";
        KindUnknown { kind: String, instead: Suggestion } => ValueWrong, "the object has no kind `{kind}`",
            help: "{instead}";
        InheritsFromNone => KeyMissing, "it is not said where the objects inherit from",
            help: "write `{{ named-by = \"SETTING\" }}` or `{{ block = \"PATH\" }}`";
        OfAlone => ValueWrong, "`of` without `named-by`",
            help: "say with `named-by` which setting names the object";
        InheritsInCircle { way: String } => ValueWrong, "what is inherited leads back: {way}",
            help: "an object can only inherit from one that does not inherit from it";
        KindCondition => ValueWrong, "expected a condition, as a string";
        AdmitsIfAlone => ValueWrong, "`admits-if` without `admits`",
            help: "say with `admits` whom or what the object lets in";
        AdmitsValue => ValueWrong, "expected a setting of the object and a value",
            help: "write `SETTING = VALUE`, with `|` between several values";
        RoleUnknown { role: String, instead: Suggestion } => ValueWrong, "there is no role `{role}`",
            help: "{instead}";
        ReleaseUnlisted { release: String, instead: Suggestion } => ValueWrong,
            "the profile lists no release `{release}`",
            help: "{instead}";
        NoSpeed { text: String } => ValueWrong, "`{text}` is no speed", help: "write `100M`, `1G` or `10G`";
        PortTwice { name: String } => ValueWrong, "the port `{name}` is listed twice";
        NoRange { text: String } => ValueWrong, "`{text}` is no range of names",
            help: "write one name, or a range such as `p1..p8`";
        LimitNumber => ValueWrong, "expected a whole number, not below 0";
        LimitOfNone => LocatorUnknown, "there is no list, and there are not several objects, of this path",
            help: "write the path of a declared `[[object]]`, or of a setting that `repeats`";
        PathExpected => ValueWrong, "expected a path, as a string";
        NoMembers => KeyMissing, "a backup of several files, and no `[[member]]` says which",
            help: "write a `[[member]]` with `path`, `at` and `form` for each";
        NoRoom { format: String, path: String } => LocatorUnknown, "{format} has no place for `{path}`",
            help: "sections are objects of one step, and their keys settings of two";
        BuiltInType { name: String } => ValueWrong, "`{name}` is a built-in type",
            help: "give the declared type a name of its own";
        TypeDeclaration => ValueWrong, "expected the declaration of a type",
            help: "write `{{ type = \"…\", … }}`";
        TypeHoldsItself { name: String } => ValueWrong, "a value of the type `{name}` would hold one of itself",
            help: "a shape can only use types that do not lead back to it";
        DeclaredTwice { key: String } => ValueWrong, "`{key}` is declared twice for one release",
            help: "say with `from` and `until` which releases each declaration is for";
        TypeExpected => ValueWrong, "expected a type",
            help: "write the name of a type, or `{{ type = \"…\", … }}`";
        SettingUndeclared { name: String, instead: Suggestion } => LocatorUnknown,
            "the profile declares no setting `{name}`",
            help: "{instead}";
        NoReleases => KeyMissing, "the profile lists no release",
            help: "add `[[release]]` with `name = \"…\"`, oldest first";
        ReleaseTwice { name: String } => ValueWrong, "the release `{name}` is listed twice";
        ValueCase => ValueWrong, "expected a value, or a value and when it holds",
            help: "write `[[\"false\", \"!given('parameters')\"], [\"true\"]]`";
        NoSetting { path: String } => LocatorUnknown, "the profile declares no setting `{path}`",
            help: "write the path of a setting";
        StringExpected => ValueWrong, "expected a string";
        DefaultExpected => ValueWrong, "expected a string, or a table of releases and strings",
            help: "a default is written as the line writes the value";
        DefaultType { expected: String } => ValueWrong, "the default is not of its type: expected {expected}";
        NamedNotInBranch => LocatorUnknown, "it is no setting of what stands in a branch",
            remedy: name_branch();
        NamedIsObject => LocatorUnknown, "an object stands there, no setting that names one",
            remedy: name_branch();
        NamedUndeclared => LocatorUnknown, "no setting is declared there", remedy: name_branch();
        ObjectsUnnamed => LocatorUnknown, "the objects there have no single name or key",
            remedy: name_objects();
        NamedSetting => LocatorUnknown, "a setting stands there, no object", remedy: name_objects();
        NamedNoObject => LocatorUnknown, "no object is declared there", remedy: name_objects();
        BlockOfSeveral => LocatorUnknown, "there are several objects there, and a block is one",
            remedy: name_block();
        BlockSetting => LocatorUnknown, "a setting stands there, no object", remedy: name_block();
        BlockNoObject => LocatorUnknown, "no object is declared there", remedy: name_block();
        KeySecret { pattern: String, key: String } => LocatorUnknown,
            "a secret cannot tell objects apart: keys stand in locators",
            help: "declare `\"{pattern}/{key}\" = …` under `[setting]`";
        KeyNoSetting { pattern: String, key: String } => LocatorUnknown, "this must be a setting",
            help: "declare `\"{pattern}/{key}\" = …` under `[setting]`";
        KeyUndeclared { pattern: String, key: String } => LocatorUnknown,
            "this is not declared as a setting of the object",
            help: "declare `\"{pattern}/{key}\" = …` under `[setting]`";
    }
}

facts! {
    /// What was asked of a profile and is not in it.
    pub(super) enum NotListed {
        ModelUnknown { name: String, title: String, instead: Suggestion } => ModelUnknown,
            "there is no model `{name}` in the profile of {title}",
            help: "{instead}";
        ReleaseUnlisted { name: String, title: String, known: AllOf } => ReleaseUnlisted,
            "there is no release `{name}` in the profile of {title}",
            help: "the profile lists {known}";
    }
}

/// For `named-first` that leads elsewhere.
fn name_branch() -> Remedy {
    "write the branch, `*` for what stands in it, and the setting there that names another: `\"vlans/*/link\"`".into()
}

/// For a path that must lead to objects with names.
fn name_objects() -> Remedy {
    "name the `at` of objects with a `name` or one `key`".into()
}

/// For a path that must lead to one object.
fn name_block() -> Remedy {
    "name the `at` of an object that there is once".into()
}
