//! Findings about the files of the language together.

use crate::finding::{Choice, OneOf, Remedy, Suggestion, facts};

facts! {
    /// Findings about texts, of the library, and of the ways through it.
    pub(super) enum LanguageFact {
        NoMark { name: String } => ValueWrong, "texts in `{name}` have no byte order mark",
            help: "take `byte-order-mark` out, or write a set of Unicode";
        CharsetUnknown { name: String } => ValueWrong, "no character set is called `{name}`",
            help: "write `as-read`, or a name of the Encoding Standard: `utf-8`, `windows-1252`, `utf-16le`";
        Unencodable { charset: &'static str, lacking: String } => ResultDiffers,
            "the result is to be in {charset}, which has no `{lacking}`",
            help: "change the name or text with it in the backup, and carry again";
        PlatformUnknown { platform: String, instead: Suggestion } => PlatformUnknown,
            "there is no profile of a line `{platform}`",
            help: "{instead}";
        NoCourse { from: String, to: String, out: OneOf, into: OneOf } => CourseMissing,
            "no course leads from `{from}` to `{to}`",
            remedy: ways_near(from, to, out, into);
    }
}

/// Which ways there are near the one that was asked for.
fn ways_near(from: &str, to: &str, out: &OneOf, into: &OneOf) -> Remedy {
    let out = if out.0.is_empty() {
        format!("no crossing starts at `{from}`")
    } else {
        format!("from `{from}` crossings lead to {out}")
    };
    let into = if into.0.is_empty() {
        format!("none leads to `{to}`")
    } else {
        format!("`{to}` is reached from {into}")
    };
    Remedy::from(format!("{out}; {into}; add a crossing with ")).choice(Choice::Profiles)
}
