//! Findings about profiles.

use crate::finding::{AllOf, Remedy, Suggestion, facts};

facts! {
    /// What is wrong with a profile.
    pub(super) enum ProfileFact {
        NameAndStar => ValueWrong, "`name` and a last step `*` need each other",
            help: "where the name of the element or key is the object's name, end with `*` and give `name` its type";
        LongestName => ValueWrong, "`longest-name` is a number of bytes, and needs `name`",
            help: "write at least 1, and give `name` its type";
        KindUnknown { kind: String, instead: Suggestion } => ValueWrong, "the object has no kind `{kind}`",
            help: "{instead}";
        InheritsFromNone => KeyMissing, "it is missing where the objects inherit from",
            help: "write `{{ named-by = \"SETTING\" }}` or `{{ block = \"PATH\" }}`";
        OfAlone => ValueWrong, "`of` without `named-by`",
            help: "name the setting that refers to the object with `named-by`";
        InheritsInCircle { way: String } => ValueWrong, "circular inheritance: {way}",
            help: "an object cannot inherit from one that inherits from it";
        KindCondition => ValueWrong, "expected a condition, as a string";
        AdmitsIfAlone => ValueWrong, "`admits-if` without `admits`",
            help: "write with `admits` who or what is let in";
        AdmitsValue => ValueWrong, "expected a setting of the object and its value",
            help: "write `SETTING = VALUE`, with `|` between alternatives";
        RoleUnknown { role: String, instead: Suggestion } => ValueWrong, "there is no role `{role}`",
            help: "{instead}";
        ReleaseUnlisted { release: String, instead: Suggestion } => ValueWrong,
            "the profile lists no release `{release}`",
            help: "{instead}";
        NoSpeed { text: String } => ValueWrong, "`{text}` is not a speed", help: "write `100M`, `1G` or `10G`";
        PortTwice { name: String } => ValueWrong, "the port `{name}` is listed twice";
        NoRange { text: String } => ValueWrong, "`{text}` is not a range of names",
            help: "write one name, or a range such as `p1..p8`";
        LimitNumber => ValueWrong, "expected a whole number, at least 0";
        LimitOfNone => LocatorUnknown, "this path is not a list, and there is only one such object",
            help: "write the path of an `[[object]]` of which there are several, or of a setting with `repeats`";
        PathExpected => ValueWrong, "expected a path, as a string";
        NoMembers => KeyMissing, "the backup has several files, and no `[[member]]` declares them",
            help: "write a `[[member]]` with `path`, `at` and `form` for each";
        NoRoom { format: String, path: String } => LocatorUnknown, "{format} has no place for `{path}`",
            help: "sections are objects with one step, and their keys are settings with two";
        BuiltInType { name: String } => ValueWrong, "`{name}` is a built-in type",
            help: "give the type a name of its own";
        TypeDeclaration => ValueWrong, "expected a type declaration",
            help: "write `{{ type = \"…\", … }}`";
        TypeHoldsItself { name: String } => ValueWrong, "a value of type `{name}` would contain itself",
            help: "a shape can only use types that do not use it";
        DeclaredTwice { key: String } => ValueWrong, "`{key}` is declared twice for one release",
            help: "limit each declaration to its releases with `from` and `until`";
        TypeExpected => ValueWrong, "expected a type",
            help: "write the name of a type, or `{{ type = \"…\", … }}`";
        SettingUndeclared { name: String, instead: Suggestion } => LocatorUnknown,
            "the profile declares no setting `{name}`",
            help: "{instead}";
        NoReleases => KeyMissing, "the profile lists no release",
            help: "add `[[release]]` with `name = \"…\"`, oldest first";
        ReleaseTwice { name: String } => ValueWrong, "the release `{name}` is listed twice";
        ValueCase => ValueWrong, "expected a value, or a value with its condition",
            help: "write `[[\"false\", \"!given('parameters')\"], [\"true\"]]`";
        NoSetting { path: String } => LocatorUnknown, "the profile declares no setting `{path}`",
            help: "write the path of a setting";
        StringExpected => ValueWrong, "expected a string";
        DefaultExpected => ValueWrong, "expected a string, or a table of releases and strings",
            help: "write the default as the platform writes the value";
        DefaultType { expected: String } => ValueWrong, "the default does not match its type: expected {expected}";
        NamedNotInBranch => LocatorUnknown, "this is not a setting inside a branch",
            remedy: name_branch();
        NamedIsObject => LocatorUnknown, "this is an object, not a setting that refers to one",
            remedy: name_branch();
        NamedUndeclared => LocatorUnknown, "there is no setting at this path", remedy: name_branch();
        ObjectsUnnamed => LocatorUnknown, "the objects at this path have no single name or key",
            remedy: name_objects();
        NamedSetting => LocatorUnknown, "this is a setting, not an object", remedy: name_objects();
        NamedNoObject => LocatorUnknown, "there is no object at this path", remedy: name_objects();
        BlockOfSeveral => LocatorUnknown, "there are several such objects, and a block is one",
            remedy: name_block();
        BlockSetting => LocatorUnknown, "this is a setting, not an object", remedy: name_block();
        BlockNoObject => LocatorUnknown, "there is no object at this path", remedy: name_block();
        KeySecret { pattern: String, key: String } => LocatorUnknown,
            "a secret cannot be a key: keys are shown in locators",
            help: "declare `\"{pattern}/{key}\" = …` under `[setting]`";
        KeyNoSetting { pattern: String, key: String } => LocatorUnknown, "this must be a setting",
            help: "declare `\"{pattern}/{key}\" = …` under `[setting]`";
        KeyUndeclared { pattern: String, key: String } => LocatorUnknown,
            "this is not a setting of the object",
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
    "write the branch, `*` for its entries, and the setting there that refers to another: `\"vlans/*/link\"`"
        .into()
}

/// For a path that must lead to objects with names.
fn name_objects() -> Remedy {
    "write the `at` of objects that have a `name` or a single `key`".into()
}

/// For a path that must lead to one object.
fn name_block() -> Remedy {
    "write the `at` of an object that exists only once".into()
}
