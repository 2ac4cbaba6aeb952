//! Findings about backups of several files.

use crate::finding::{Suggestion, facts};
use crate::notation::NotationFact;
use crate::text::shape::ShapeFact;

facts! {
    /// Findings about files that others include.
    pub enum IncludeFact {
        Missing => FileMissing, "the included file is not in the backup",
            help: "add it to the backup; its settings are neither carried nor in the ledger, and the include is left out";
        NothingFits => NothingIncluded, "no file in the backup matches the included pattern",
            help: "if the old system has such files, add them to the backup: otherwise their settings are not carried";
        ByEndOfPath { said: String, file: String } => IncludeTaken,
            "`{said}` is assumed to be `{file}` in the backup, by the end of its path",
            help: "check that it is the same file; if not, replace it in the backup";
    }
}

facts! {
    /// What is wrong with how a profile declares its files.
    pub(super) enum FilesFact {
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}", remedy: crate::finding::Fact::remedy(shape);
        At { notation: NotationFact } => RuleMalformed, "{notation}", remedy: crate::finding::Fact::remedy(notation);
        GeneratedRequired => ValueWrong, "a file that the system makes is not required of a backup",
            help: "leave out `generated` or `required`";
        SameAsWithFormat => ValueWrong, "a file that is the same as another has its format", help: "leave out `format`";
        ShapeOfPath => RuleMalformed, "the path of a file has only text and captures in it",
            help: "write `{{name}}` for what differs from one file to another";
        CapturesDiffer => CaptureUnknown, "`path` and `at` have different captures",
            help: "each capture of `path` must be in `at`, and each of `at` in `path`";
        LikeUnknown { place: String, instead: Suggestion } => LocatorUnknown,
            "no earlier file has the place `{place}`", help: "{instead}";
    }
}
