//! Findings about backups of several files.

use crate::finding::{Suggestion, facts};
use crate::text::shape::ShapeFact;

facts! {
    /// Findings about files that others include.
    pub enum IncludeFact {
        Missing => FileMissing, "the file that is included here is not in the backup",
            help: "add it to the backup; what it sets is neither carried nor in the ledger, and the statement is left out";
        NothingFits => NothingIncluded, "no file of the backup fits the pattern that is included here",
            help: "if the old system has such files, add them to the backup: what they set is not carried without them";
        ByEndOfPath { said: String, file: String } => IncludeTaken,
            "`{said}` is taken to be `{file}` of the backup, by the end of its path",
            help: "see that it is the same file; if it is another, put that in its place in the backup";
    }
}

facts! {
    /// What is wrong with how a profile declares its files.
    pub(super) enum FilesFact {
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}";
        CapturesDiffer => CaptureUnknown, "the path of the file and its place do not capture the same",
            help: "each capture of `path` must stand in `at`, and each of `at` in `path`";
        LikeUnknown { place: String, instead: Suggestion } => LocatorUnknown,
            "no file before this one is at `{place}`", help: "{instead}";
    }
}
