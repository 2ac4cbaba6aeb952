//! Findings about profiles.

use crate::finding::{AllOf, Count, Remedy, Suggestion, facts};
use crate::notation::NotationFact;

facts! {
    /// What is wrong with a profile.
    pub(super) enum ProfileFact {
        Path { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        PathStart => RuleMalformed, "the path of a declaration leads from the top to something in it",
            help: "write `a/b`, without `/` before or behind it";
        PathForm => RuleMalformed, "the path of a declaration is made of names, `*`, and at its end what tells objects apart, or of settings `**`",
            help: "write `\"links/link[{{id}}]\"`, `\"users/{{name:text}}\"`, `\"rules/rule[#]\"`, `\"addresses/address[]\"` or, of settings, `\"own/**\"`";
        KeyAbove => RuleMalformed, "brackets are only at the end of a path of a declaration",
            help: "write `*` for the name of an object above, or nothing";
        InstallPath => ValueWrong, "a file goes to an absolute path", help: "write `/etc/…`, with `{{file}}` for its name";
        InstallMode { mode: String } => ValueWrong, "`{mode}` is not the mode of a file",
            help: "write three or four octal digits: `0640`";
        ObjectExpected => ValueWrong, "expected the declaration of an object", help: "write `\"PATH\" = {{ … }}`";
        SettingWithKey => ValueWrong, "a setting has no keys", help: "write `[]` behind it for a list";
        DuplicatesOfList => ValueWrong, "in a list there is no second one", help: "leave out `duplicates`";
        FormatWithFiles => ValueWrong, "a backup of several files has the formats of these", help: "leave out `format`";
        Tuples { key: &'static str, strings: Count } => ValueWrong, "`{key}` is a list of lists of {strings}";
        WinsMissing => KeyMissing, "the setting can be given several times, and it is not said which parent counts",
            help: "write `wins = \"first\"` or `wins = \"last\"` in `inherits`";
        WinsOfOne => ValueWrong, "the setting is given once, so there is one parent", help: "leave out `wins`";
        LongestName => ValueWrong, "`max-name-bytes` is a number of bytes, of objects told apart by their own names",
            help: "write at least 1, and `{{name}}` as the last step of the path";
        KindUnknown { kind: String, instead: Suggestion } => ValueWrong, "the object has no kind `{kind}`",
            help: "{instead}";
        InheritsFromNone => KeyMissing, "it is missing where the objects inherit from",
            help: "write `{{ parent = \"SETTING\" }}` or `{{ defaults = \"PATH\" }}`";
        OfAlone => ValueWrong, "`among` without `parent`",
            help: "name the setting that refers to the object with `parent`";
        InheritsInCircle { way: String } => ValueWrong, "circular inheritance: {way}",
            help: "an object cannot inherit from one that inherits from it";
        KindCondition => ValueWrong, "expected a condition, as a string";
        AdmitsIfAlone => ValueWrong, "`grants-access-if` without `grants-access`",
            help: "write with `grants-access` who or what is let in";
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
            help: "write the path of objects of which there are several, or of a setting that is a list";
        PathExpected => ValueWrong, "expected a path, as a string";
        NoRoom { format: String, path: String } => LocatorUnknown, "{format} has no place for `{path}`",
            help: "sections are objects with one step, and their keys are settings with two";
        BuiltInType { name: String } => ValueWrong, "`{name}` is a built-in type",
            help: "give the type a name of its own";
        TypeDeclaration => ValueWrong, "expected a type declaration",
            help: "write `{{ type = \"…\", … }}`";
        TypeHoldsItself { name: String } => ValueWrong, "a value of type `{name}` would contain itself",
            help: "a shape can only use types that do not use it";
        DeclaredTwice { key: String } => ValueWrong, "`{key}` is declared twice for one release",
            help: "limit each declaration to its releases with `since` and `until`";
        TypeExpected => ValueWrong, "expected a type",
            help: "write the name of a type, or `{{ type = \"…\", … }}`";
        SettingUndeclared { name: String, instead: Suggestion } => LocatorUnknown,
            "the profile declares no setting `{name}`",
            help: "{instead}";
        NoReleases => KeyMissing, "the profile lists no release",
            help: "write `releases = [\"…\"]` under `[profile]`, oldest first";
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

/// For `declare-first` that leads elsewhere.
fn name_branch() -> Remedy {
    "write the branch, `*` for its entries, and the setting there that refers to another: `\"vlans/*/link\"`"
        .into()
}

/// For a path that must lead to objects with names.
fn name_objects() -> Remedy {
    "write the path of objects told apart by their names or a single key".into()
}

/// For a path that must lead to one object.
fn name_block() -> Remedy {
    "write the path of an object that exists only once".into()
}
