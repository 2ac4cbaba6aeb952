//! Findings about the files of the language together.

use crate::finding::{Choice, OneOf, Remedy, Suggestion, facts};

facts! {
    /// Findings about texts, of the library, and of the ways through it.
    pub(crate) enum LanguageFact {
        FirstEdition => LanguageEdition, "the file is written in the first edition of the language, or says no edition",
            help: "write it anew in the second edition, and `language = 2` as its first line: docs/language.md";
        EditionUnknown { edition: i64 } => LanguageEdition, "there is no edition {edition} of the language",
            help: "write `language = 2`, or take a newer version of this program";
        NoMark { name: String } => ValueWrong, "texts in `{name}` cannot have a byte order mark",
            help: "remove `byte-order-mark`, or use a Unicode encoding";
        CharsetUnknown { name: String } => ValueWrong, "there is no character set named `{name}`",
            help: "write `as-read`, or a name of the Encoding Standard: `utf-8`, `windows-1252`, `utf-16le`";
        Unencodable { charset: &'static str, lacking: String } => ResultDiffers,
            "the result is written in {charset}, which has no `{lacking}`",
            help: "change the name or text in the backup, and carry again";
        PlatformUnknown { platform: String, instead: Suggestion } => PlatformUnknown,
            "there is no profile for the platform `{platform}`",
            help: "{instead}";
        NoCourse { from: String, to: String, out: OneOf, into: OneOf } => CourseMissing,
            "no path from `{from}` to `{to}`",
            remedy: ways_near(from, to, out, into);
    }
}

/// Which ways there are near the one that was asked for.
fn ways_near(from: &str, to: &str, out: &OneOf, into: &OneOf) -> Remedy {
    let out = if out.0.is_empty() {
        format!("no crossing starts at `{from}`")
    } else {
        format!("crossings from `{from}` lead to {out}")
    };
    let into = if into.0.is_empty() {
        format!("no crossing leads to `{to}`")
    } else {
        format!("`{to}` can be reached from {into}")
    };
    Remedy::from(format!("{out}; {into}; add a crossing with ")).choice(Choice::Profiles)
}
